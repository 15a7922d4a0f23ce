package usage

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"diligentledger/core/measure"
)

var firstReading = time.Date(2025, 1, 1, 12, 0, 0, 0, time.UTC)

// readings of one meter, each as days since the beginning and what it showed.
func readings(values ...[2]float64) (points []Point) {
	for _, v := range values {
		points = append(points, Point{At: firstReading.Add(time.Duration(v[0] * 24 * float64(time.Hour))), Raw: v[1]})
	}
	return points
}

func outliers(points []Point) (at []int) {
	for i, p := range points {
		if p.Outlier {
			at = append(at, i)
		}
	}
	return at
}

// The figures of each case are worked by hand; the limits are common practice.
func TestJudge(t *testing.T) {
	for name, c := range map[string]struct {
		points  []Point
		of      measure.Dimension
		doubted []int
	}{
		"ten times too large, in the middle": {readings([2]float64{0, 1000}, [2]float64{30, 2000}, [2]float64{60, 30_000}, [2]float64{90, 4000}, [2]float64{120, 5000}), measure.Distance, []int{2}},
		"ten times too large, the first":     {readings([2]float64{0, 10_000}, [2]float64{30, 2000}, [2]float64{60, 3000}), measure.Distance, []int{0}},
		"a digit lost":                       {readings([2]float64{0, 10_000}, [2]float64{30, 1100}, [2]float64{60, 12_000}), measure.Distance, []int{1}},
		"a long standstill":                  {readings([2]float64{0, 10_000}, [2]float64{400, 10_000}, [2]float64{410, 10_500}), measure.Distance, nil},
		"a courier":                          {readings([2]float64{0, 0}, [2]float64{10, 9000}, [2]float64{20, 18_000}), measure.Distance, nil},
		"more hours than a day has":          {readings([2]float64{0, 100}, [2]float64{1, 120}, [2]float64{2, 180}), measure.EngineTime, []int{2}},
		"none":                               {nil, measure.Distance, nil},
		"one":                                {readings([2]float64{0, 7}), measure.Distance, nil},
		"two that contradict: the one that ends higher": {readings([2]float64{0, 9000}, [2]float64{30, 900}), measure.Distance, []int{1}},
	} {
		MarkOutliers(c.points, c.of)
		if got := outliers(c.points); !slices.Equal(got, c.doubted) {
			t.Errorf("%s: doubted %v, want %v", name, got, c.doubted)
		}
		if n := len(Accepted(c.points)); n != len(c.points)-len(c.doubted) {
			t.Errorf("%s: %d believed", name, n)
		}
	}
}

// The value runs on through a change of the meter, from the last reading that is
// believed.
func TestJudgeMeterChange(t *testing.T) {
	points := readings([2]float64{0, 1000}, [2]float64{30, 2000}, [2]float64{40, 99_000}, [2]float64{60, 3000}, [2]float64{60, 10}, [2]float64{90, 1010})
	points[4].Meter, points[5].Meter = 1, 1
	MarkOutliers(points, measure.Distance)
	if got := outliers(points); !slices.Equal(got, []int{2}) {
		t.Errorf("doubted %v", got)
	}
	if points[5].Value != 4000 {
		t.Errorf("1,000 km after the change it has run %v, want 4,000", points[5].Value)
	}
}

// What was meant by a reading with a digit too many or too few.
func TestMeant(t *testing.T) {
	points := readings([2]float64{0, 30_000}, [2]float64{30, 33_000}, [2]float64{60, 36_000}, [2]float64{90, 39_000})
	at := firstReading.AddDate(0, 0, 120)
	for raw, want := range map[float64]float64{420_000: 42_000, 4200: 42_000, 4_200_000: 42_000, 420: 42_000} {
		if got, ok := LikelyMeant(points, at, raw, measure.Distance); !ok || got != want {
			t.Errorf("%v means %v, %v; want %v", raw, got, ok, want)
		}
	}
	if got, ok := LikelyMeant(points, at, 7, measure.Distance); ok {
		t.Errorf("7 km are said to mean %v", got)
	}
}

// Laws of random readings: judged again nothing changes, what is believed never falls
// and never leaps, and no value is none.
func TestLaws(t *testing.T) {
	for seed := range uint64(2000) {
		rng := rand.New(rand.NewPCG(seed, 5))
		d := []measure.Dimension{measure.Distance, measure.EngineTime}[rng.IntN(2)]
		var points []Point
		day, value, meter := 0.0, 1000*rng.Float64(), 0
		for range rng.IntN(30) {
			day += 40 * rng.Float64()
			value += 400 * rng.Float64()
			raw := value
			switch rng.IntN(12) {
			case 0:
				raw *= 10
			case 1:
				raw /= 10
			case 2:
				meter, value = meter+1, 0
				raw = 0
			}
			points = append(points, Point{At: firstReading.Add(time.Duration(day*24) * time.Hour), Raw: raw, Meter: meter})
		}
		MarkOutliers(points, d)
		again := slices.Clone(points)
		MarkOutliers(again, d)
		if !slices.Equal(points, again) {
			t.Fatalf("seed %d: judged again it is another", seed)
		}
		kept := Accepted(points)
		for i, p := range kept {
			if math.IsNaN(p.Value) || math.IsInf(p.Value, 0) {
				t.Fatalf("seed %d: %v", seed, p)
			}
			if i == 0 || kept[i-1].Meter != p.Meter {
				continue
			}
			days := math.Max(1, p.At.Sub(kept[i-1].At).Hours()/24)
			if rise := p.Value - kept[i-1].Value; rise < 0 || rise > Limit(d)*days+1 {
				t.Fatalf("seed %d: %v follows %v", seed, p, kept[i-1])
			}
		}
	}
}

// The chain that is looked for backwards is the one that the plain search over all pairs gives.
func TestMarkOutliersAsPlainSearch(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 7))
	for round := range 4000 {
		n := 1 + rng.IntN(40)
		points := make([]Point, n)
		at, value := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC), 1000.0
		for i := range points {
			at = at.Add(time.Duration(rng.IntN(6*24)) * time.Hour)
			value += float64(rng.IntN(800))
			points[i] = Point{At: at, Raw: value}
			if rng.IntN(4) == 0 {
				points[i].Raw = []float64{value / 10, value * 10, value + 3000, value - 900, 1000}[rng.IntN(5)]
			}
		}
		want := slices.Clone(points)
		plainSearch(want, measure.Distance)
		MarkOutliers(points, measure.Distance)
		for i := range points {
			if points[i].Outlier != want[i].Outlier {
				t.Fatalf("round %d: reading %d of %d is %v, want %v", round, i, n, points[i].Outlier, want[i].Outlier)
			}
		}
	}
}

// plainSearch is the longest chain by looking at all pairs.
func plainSearch(points []Point, d measure.Dimension) {
	limit := Limit(d)
	if usual := upperQuartile(points); usual >= 0 {
		limit = math.Min(math.Max(steepest*usual, Floor(d)), limit)
	}
	length, before, best := make([]int, len(points)), make([]int, len(points)), 0
	for j := range points {
		length[j], before[j], points[j].Outlier = 1, -1, true
		for i := range j {
			days := math.Max(points[j].At.Sub(points[i].At).Hours()/24, 1)
			rise := points[j].Raw - points[i].Raw
			if length[i]+1 > length[j] && rise >= 0 && rise <= limit*days+1 {
				length[j], before[j] = length[i]+1, i
			}
		}
		if length[j] > length[best] || length[j] == length[best] && points[j].Raw > points[best].Raw {
			best = j
		}
	}
	for j := best; j >= 0; j = before[j] {
		points[j].Outlier = false
	}
}
