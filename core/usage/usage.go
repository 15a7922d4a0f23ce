// Package usage judges meter readings together: which of them can all be true,
// and how far the unit has run by them.
//
// # Model
//
// A unit has one meter at a time. A meter only counts up, by no more a day than
// [Limit] or, for a unit that is used hard, six times the upper quartile of its
// own stretches. Readings may be mistyped. Believed is the longest run of
// readings that can all be true; of two runs of the same length the one that
// ends higher, because a unit that has run further is due sooner. The answer
// depends on the readings alone and never on the order in which they arrived.
package usage

import (
	"math"
	"slices"
	"time"

	"diligentledger/core/measure"
)

// Point is one meter reading, in km or h.
type Point struct {
	At    time.Time
	Value float64 // continued through changes of the meter
	Raw   float64 // as the meter showed it
	Meter int     // 0 for the first meter, one more after each change
	// Outlier readings cannot be true together with the others.
	Outlier bool
}

// Limits of what a unit does in a day (common practice: a courier on the
// motorway; an engine that runs around the clock less its stops).
const (
	kmADay    = 1200.0
	hoursADay = 22.0
	// steepest a stretch may be against the upper quartile of all.
	steepest = 6.0
)

// Floor is what a unit may do in a day whatever its other readings say, km or h
// by the dimension of its meter (common practice).
func Floor(d measure.Dimension) float64 {
	if d == measure.EngineTime {
		return 10
	}
	return 300
}

// Limit is what no unit does in a day, km or h.
func Limit(d measure.Dimension) float64 {
	if d == measure.EngineTime {
		return hoursADay
	}
	return kmADay
}

// MarkOutliers marks the readings that are doubted and continues the value of each
// through changes of the meter. points are in the order of time and carry Raw and
// Meter; d is the dimension of the meter. It takes a step for each
// reading, and at the worst, when most are out of order, one for each pair.
func MarkOutliers(points []Point, d measure.Dimension) {
	offset := 0.0
	for from := 0; from < len(points); {
		to := from
		for to < len(points) && points[to].Meter == points[from].Meter {
			to++
		}
		if from > 0 {
			if last := lastAccepted(points[:from]); last >= 0 {
				offset = points[last].Value - points[from].Raw
			}
		}
		for i := from; i < to; i++ {
			points[i].Value = points[i].Raw + offset
		}
		markOutliers(points[from:to], d)
		from = to
	}
}

func lastAccepted(points []Point) int {
	for i := len(points) - 1; i >= 0; i-- {
		if !points[i].Outlier {
			return i
		}
	}
	return -1
}

// markOutliers the readings of one meter.
func markOutliers(points []Point, d measure.Dimension) {
	limit := Limit(d)
	if usual := upperQuartile(points); usual >= 0 {
		limit = math.Min(math.Max(steepest*usual, Floor(d)), limit)
	}
	fits := func(a, b Point) bool {
		days := math.Max(b.At.Sub(a.At).Hours()/24, 1)
		return b.Raw >= a.Raw && b.Raw-a.Raw <= limit*days+1
	}
	n := len(points)
	clean := true
	for i := range points {
		points[i].Outlier = false
		clean = clean && (i == 0 || fits(points[i-1], points[i]))
	}
	if clean {
		return
	}
	// length of the longest chain that ends at a reading, of those up to it, and the first reading
	// that comes before it in such a chain.
	length, longest, before := make([]int, n), make([]int, n), make([]int, n)
	best := 0
	for j := range n {
		length[j], before[j] = 1, -1
		// Backwards: as soon as no chain further back is as long, none needs to be compared.
		for i := j - 1; i >= 0 && longest[i]+1 >= length[j]; i-- {
			if length[i]+1 >= max(length[j], 2) && fits(points[i], points[j]) {
				length[j], before[j] = length[i]+1, i
			}
		}
		longest[j] = length[j]
		if j > 0 {
			longest[j] = max(longest[j-1], length[j])
		}
		if length[j] > length[best] || length[j] == length[best] && points[j].Raw > points[best].Raw {
			best = j
		}
	}
	for i := range points {
		points[i].Outlier = true
	}
	for j := best; j >= 0; j = before[j] {
		points[j].Outlier = false
	}
}

// upperQuartile of the slopes between neighbours, those that fall left out; −1
// for fewer than three, too few for a usual use.
func upperQuartile(points []Point) float64 {
	var slopes []float64
	for i := 1; i < len(points); i++ {
		days := points[i].At.Sub(points[i-1].At).Hours() / 24
		if rise := points[i].Raw - points[i-1].Raw; rise >= 0 && days >= 1 {
			slopes = append(slopes, rise/days)
		}
	}
	if len(slopes) < 3 {
		return -1
	}
	slices.Sort(slopes)
	return slopes[(len(slopes)-1)*3/4]
}

// Accepted are the readings that are not doubted.
func Accepted(points []Point) []Point {
	if !slices.ContainsFunc(points, func(p Point) bool { return p.Outlier }) {
		return points
	}
	kept := make([]Point, 0, len(points))
	for _, p := range points {
		if !p.Outlier {
			kept = append(kept, p)
		}
	}
	return kept
}

// LikelyMeant is what was probably read when raw, read at a time, cannot be true with
// the others: the digit too many or too few that makes it fit. False when neither
// does. points are those of the same meter, in the order of time.
func LikelyMeant(points []Point, at time.Time, raw float64, d measure.Dimension) (float64, bool) {
	for _, candidate := range []float64{math.Round(raw / 10), raw * 10, math.Round(raw / 100), raw * 100} {
		with := make([]Point, 0, len(points)+1)
		for _, p := range points {
			if !p.At.Equal(at) {
				with = append(with, p)
			}
		}
		mine := Point{At: at, Raw: candidate}
		i, _ := slices.BinarySearchFunc(with, mine, func(a, b Point) int { return a.At.Compare(b.At) })
		with = slices.Insert(with, i, mine)
		markOutliers(with, d)
		if len(with) > 1 && !with[i].Outlier {
			return candidate, true
		}
	}
	return 0, false
}
