package usage

import (
	"math"
	"slices"
	"time"
)

// rate of use now, from the stretches' rates without their season. Where the last
// change of use lies is not decided but weighed: for every stretch at which the use
// as it is now may have begun there is a probability, and a rate with its
// uncertainty (Bayesian online change point detection: Adams and MacKay 2007).
func (u *Model) rate(stretches []segment, today time.Time) {
	all := make([]weighted, 0, len(stretches))
	for i := range stretches {
		s := &stretches[i]
		if w := s.weight(u.Profile); w >= 2 && !s.rest { // at rest, it says nothing of the rate
			all = append(all, weighted{s.use / w, w})
		}
	}
	if !slices.ContainsFunc(all, func(v weighted) bool { return v.value > 0 }) {
		return // it does not run
	}
	noise := dayNoise(all)
	runs, hazard := changePointsOf(all, noise)
	u.hazard = hazard
	lately, length := 0.0, 0.0
	for _, r := range runs {
		u.Rate += r.p * r.mean
		if r.since > 0 && len(all)-r.since <= changeRecent {
			lately += r.p
		}
	}
	for _, r := range runs {
		u.rateError += r.p * (1/r.precision + (r.mean-u.Rate)*(r.mean-u.Rate))
		length += r.p * float64(len(all)-r.since)
	}
	u.Segments = int(math.Round(length))
	u.Changed = lately > 0.5 && today.Sub(stretches[len(stretches)-1].to).Hours()/24 < changeDays
	if u.Rate <= 0 {
		u.Rate = 0
		return
	}
	u.rateError = math.Sqrt(u.rateError) / u.Rate
	// Drawn towards the noise assumed before there is data.
	n, prior := float64(len(all)), priorSpread*math.Sqrt(segmentDays)
	relative := noise / u.Rate
	u.noise = math.Sqrt((n*relative*relative + priorSegments*prior*prior) / (n + priorSegments))
	u.Spread = u.noise / math.Sqrt(segmentDays)
}

// changePoint is a supposition: the use is as it is now since that stretch.
type changePoint struct {
	since           int
	p               float64 // probability
	mean, precision float64 // rate, and one over its variance
}

// Of the use of a unit (judgement; the windows that follow are held against histories in
// docs/forecast.md).
const (
	// changeSpread may differ from the usual by so much, relative, one standard deviation.
	changeSpread = 0.6
	// outlierShare is the share of stretches that are like no other: a vacation, a long trip.
	outlierShare = 0.03
	// outlierSpread is how many times as widely those are spread.
	outlierSpread = 4.0
	// dropBelow probability below which a supposition is dropped.
	dropBelow = 1e-4
)

// changePointsOf weighs the suppositions, averaged over how often the use of this unit
// changes: hardly ever, now and then, often. hazard is what that comes to, changes
// a year of use.
func changePointsOf(all []weighted, noise float64) (runs []changePoint, hazard float64) {
	evidence := make([]float64, len(hazards))
	each := make([][]changePoint, len(hazards))
	best := math.Inf(-1)
	for i, h := range hazards {
		each[i], evidence[i] = changePointsAt(all, noise, h.perYear)
		evidence[i] += math.Log(h.before)
		best = math.Max(best, evidence[i])
	}
	total := 0.0
	for i := range evidence {
		evidence[i] = math.Exp(evidence[i] - best)
		total += evidence[i]
	}
	for i, h := range hazards {
		p := evidence[i] / total
		hazard += p * h.perYear
		for _, r := range each[i] {
			r.p *= p
			runs = append(runs, r)
		}
	}
	return runs, hazard
}

// hazards are changes of use a year, and how probable each is before there is data.
var hazards = []struct{ perYear, before float64 }{{0.005, 0.6}, {0.25, 0.2}, {1.5, 0.2}}

// changePointsAt one hazard, and the logarithm of the evidence for it.
func changePointsAt(all []weighted, noise, perYear float64) (runs []changePoint, evidence float64) {
	usual := weightedMedian(slices.Clone(all))
	if usual <= 0 {
		usual = math.Max(all[len(all)-1].value, 1e-9)
	}
	noise = math.Max(noise, 1e-6*usual)
	prior := 1 / (changeSpread * changeSpread * usual * usual)
	for i, v := range all {
		change := 1.0
		if i > 0 {
			change = 1 - math.Exp(-v.weight/365*perYear)
		}
		for j := range runs {
			runs[j].p *= 1 - change
		}
		runs = append(runs, changePoint{since: i, p: change, mean: usual, precision: prior})
		total := 0.0
		for j := range runs {
			r := &runs[j]
			own := noise * noise / v.weight
			plain := (1 - outlierShare) * density(v.value-r.mean, 1/r.precision+own)
			strange := outlierShare * density(v.value-r.mean, 1/r.precision+own*outlierSpread*outlierSpread)
			r.p *= plain + strange
			// An outlier counts for less.
			w := v.weight / (noise * noise)
			w *= (plain + strange/(outlierSpread*outlierSpread)) / (plain + strange + 1e-300)
			r.mean += w / (r.precision + w) * (v.value - r.mean)
			r.precision += w
			total += r.p
		}
		if total < 1e-290 { // farther off than a float can express: all anew
			runs = []changePoint{{since: i, p: 1, mean: v.value, precision: v.weight / (noise * noise)}}
			evidence += math.Log(1e-290)
			continue
		}
		evidence += math.Log(total)
		kept := runs[:0]
		for _, r := range runs {
			if r.p /= total; r.p > dropBelow {
				kept = append(kept, r)
			}
		}
		runs = kept
	}
	return runs, evidence
}

// density of the normal distribution at off, without its constant.
func density(off, variance float64) float64 {
	return math.Exp(-off*off/(2*variance)) / math.Sqrt(variance)
}

func sumWeight(all []weighted) (sum float64) {
	for _, v := range all {
		sum += v.weight
	}
	return sum
}

// dayNoise is the standard deviation of a day's use, robustly from the steps
// between neighbours, which a change of use moves once only: a step's square over
// its variance is chi-squared with one degree of freedom, whose median is 0.455.
func dayNoise(all []weighted) float64 {
	if len(all) < 3 {
		return all[0].value * priorSpread * math.Sqrt(segmentDays)
	}
	squares := make([]float64, 0, len(all)-1)
	for i := 1; i < len(all); i++ {
		step := all[i].value - all[i-1].value
		squares = append(squares, step*step/(1/all[i].weight+1/all[i-1].weight))
	}
	slices.Sort(squares)
	return math.Sqrt(squares[len(squares)/2] / 0.455)
}

// split is where the two sides differ most, when that is more than chance would do
// (binary segmentation; Scott and Knott 1974); 0 for nowhere.
func split(all []weighted, noise float64) int {
	best, where := changeZ, 0
	total, sum := 0.0, 0.0
	for _, v := range all {
		total += v.weight
		sum += v.weight * v.value
	}
	w, s := 0.0, 0.0
	for i := 0; i+1 < len(all); i++ {
		w += all[i].weight
		s += all[i].weight * all[i].value
		if i+1 < minSegments || len(all)-i-1 < minSegments {
			continue
		}
		apart := math.Abs((sum-s)/(total-w) - s/w)
		if t := apart / (noise * math.Sqrt(1/w+1/(total-w))); t > best {
			best, where = t, i+1
		}
	}
	return where
}

func weightedMedian(all []weighted) float64 {
	slices.SortFunc(all, func(a, b weighted) int {
		switch {
		case a.value < b.value:
			return -1
		case a.value > b.value:
			return 1
		}
		return 0
	})
	half, sum := sumWeight(all)/2, 0.0
	for _, v := range all {
		if sum += v.weight; sum >= half {
			return v.value
		}
	}
	return all[len(all)-1].value
}
