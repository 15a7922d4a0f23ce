package standin

import (
	"math"
	"slices"
	"testing"

	"diligentledger/core/climate"
	"diligentledger/core/measure"
)

// The same site and day have the same night, some are missing and some nonsense;
// cold comes in spells; the forecast errs the more the further ahead it looks, and
// speaks of a snap when there is to be one.
func TestWeather(t *testing.T) {
	curve := climate.MonthlyCurve{-20, -19, -14, -7, -2, 3, 6, 5, 1, -4, -10, -16}
	w := Weather{Sites: map[string]climate.MonthlyCurve{"Yard": curve}}
	from, to := measure.NewDate(2010, 1, 1), measure.NewDate(2029, 12, 31)
	nights, err := w.Minima(t.Context(), "Yard", from, to)
	if err != nil {
		t.Fatal(err)
	}
	again, _ := w.Minima(t.Context(), "Yard", from.AddDate(3, 0, 0), to)
	i := slices.IndexFunc(nights, func(m climate.Minimum) bool { return m.Day.Equal(again[0].Day) })
	if i < 0 || !slices.Equal(nights[i:], again) {
		t.Error("asked for less, other nights are given")
	}
	all := to.Sub(from) + 1
	nonsense, below, next, square := 0, 0, 0.0, 0.0
	k := curve.Climate()
	last := math.NaN()
	for _, n := range nights {
		if n.Celsius < -90 {
			nonsense++
			continue
		}
		if n.Celsius < k.CurveMinimum(n.Day) {
			below++
		}
		off := float64(n.Celsius - k.CurveMinimum(n.Day) - 7)
		if !math.IsNaN(last) {
			next += off * last
			square += off * off
		}
		last = off
	}
	if missing := all - len(nights); missing < 15 || missing > 70 || nonsense < 5 || nonsense > 45 {
		t.Errorf("%d nights are missing and %d nonsense, of %d", missing, nonsense, all)
	}
	if share := float64(below) / float64(all) * 50; share < 0.6 || share > 1.5 {
		t.Errorf("%d of %d nights are colder than the curve, %.2f times one in fifty", below, all, share)
	}
	if next/square < 0.5 {
		t.Errorf("a night and the next go together by %.2f", next/square)
	}
	today := measure.NewDate(2026, 7, 1)
	near, far := 0.0, 0.0
	for d := range 200 {
		day := today.AddDate(0, 0, d)
		answered, err := w.Forecast(t.Context(), "Yard", day)
		if err != nil || len(answered) != climate.AheadNights {
			t.Fatalf("%d nights ahead, %v", len(answered), err)
		}
		near += math.Abs(float64(answered[1].Celsius - night(k, "Yard", answered[1].Day)))
		far += math.Abs(float64(answered[9].Celsius - night(k, "Yard", answered[9].Day)))
	}
	if far < 3*near {
		t.Errorf("tomorrow errs by %.2f K, the tenth night by %.2f", near/200, far/200)
	}
	w.Snap = 3
	answered, _ := w.Forecast(t.Context(), "Yard", today)
	coldest := slices.MinFunc(answered, func(a, b climate.Minimum) int {
		return int(math.Copysign(1, float64(a.Celsius-k.CurveMinimum(a.Day)-(b.Celsius-k.CurveMinimum(b.Day)))))
	})
	if off := coldest.Celsius - k.CurveMinimum(coldest.Day); off > -3+measure.Celsius(0.06) {
		t.Errorf("the snap goes %.1f K below the curve", -off)
	}
	w.Down = true
	if _, err := w.Minima(t.Context(), "Yard", from, to); err == nil {
		t.Error("it answers although it is down")
	}
}
