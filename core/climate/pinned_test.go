package climate

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"diligentledger/core/measure"
	"diligentledger/internal/pinnedtest"
)

// Curves of drawn records and of monthly values, and what is read from them.
func TestPinned(t *testing.T) {
	var a pinnedtest.Answers
	rng := rand.New(rand.NewPCG(7, 33))
	var all []*Climate
	for years := range 14 {
		record := winters(uint64(years), years)
		for n := range record { // some nights were not recorded
			if years%3 == 0 && n%11 == 0 {
				record[n].Celsius = record[max(0, n-1)].Celsius
			}
		}
		k, ok := New(record, 2+7*years)
		a.Add(fmt.Sprint("record of ", years), ok)
		if ok {
			all = append(all, k)
		}
	}
	all = append(all, MonthlyCurve{-25, -24, -18, -8, 0, 4, 7, 5, 0, -8, -16, -22}.Climate(), MonthlyCurve{14, 14, 12, 8, 4, 1, -6, 0, 3, 7, 10, 12}.Climate(), MonthlyCurve{}.Climate())
	for i, k := range all {
		today := measure.NewDate(2026, 1, 1).AddDays(rng.IntN(700))
		ahead := k.WithForecast(today, []measure.Celsius{-3, -8, measure.Celsius(math.NaN()), -20, 4, 5})
		text, err := k.MarshalJSON()
		a.Add(fmt.Sprint("curve ", i), k.Curve(), k.Coldest(), k.Southern(), k.NightsBelow, k.Shift, k.ReturnLevel, string(text) != "", err)
		a.Add(fmt.Sprint("seasons ", i), k.Seasons(today, today.AddDays(700)), k.Wintering(all[0], -3).Curve(), k.Wintering(nil, -2).Curve())
		for n := range 60 {
			day := today.AddDays(rng.IntN(500) - 50)
			limit := measure.Celsius(-30 * rng.Float64())
			first, found := ahead.FirstBelow(limit, day, 20*n)
			forecast, known := ahead.Forecast(day)
			drift := Protection{At: limit, Since: rng.IntN(400), Drift: rng.Float64() / 100, Wide: 1.28, Spread: 2 * rng.Float64(), DriftSigma: rng.Float64() / 200}
			below, crossed := ahead.FirstBelowProtection(drift, day, 20*n)
			a.Add(fmt.Sprint(i, " ", day, " ", n), first, found, forecast, known, below, crossed, ahead.PlannedMinimum(day), ahead.CurveMinimum(day), ahead.SeasonWithin(n, day), ahead.WithoutForecast().PlannedMinimum(day))
		}
	}
	for n := range 30 {
		sorted := make([]float64, n)
		for i := range sorted {
			sorted[i] = float64(i*i) / 3
		}
		a.Add(fmt.Sprint("quantile ", n), Quantile(sorted, rng.Float64()), Quantile(sorted, 0), Quantile(sorted, 1))
	}
	a.Check(t, "pinned.txt")
}
