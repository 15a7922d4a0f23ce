package clock

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/pinnedtest"
)

// What the clocks of drawn books say, by every plan of the library and drawn ones, in several colds.
func TestPinned(t *testing.T) {
	var a pinnedtest.Answers
	colds := []*climate.Climate{mild}
	for _, m := range []climate.MonthlyCurve{{-25, -24, -18, -8, 0, 4, 7, 5, 0, -8, -16, -22}, {14, 14, 12, 8, 4, 1, -6, 0, 3, 7, 10, 12}, {18, 18, 18, 18, 18, 18, 18, 18, 18, 18, 18, 18}} {
		colds = append(colds, m.Climate())
	}
	for seed := range uint64(1500) {
		rng := rand.New(rand.NewPCG(seed, 133))
		u := ledgertest.Units[seed%uint64(len(ledgertest.Units))]
		var entries []ledger.Entry
		if seed%3 > 0 {
			entries = ledgertest.History(rng, u, 1+rng.IntN(45))
		} else {
			entries = ledgertest.Wild(rng, u, 1+rng.IntN(45))
		}
		b := ledger.TryFold(u, entries)
		var p serviceplan.Plan
		if seed%2 == 0 {
			p = serviceplan.Library[rng.IntN(len(serviceplan.Library))]
		} else {
			p = serviceplan.Plan{Name: "any", First: serviceplan.Interval{Months: rng.IntN(80), Km: measure.Kilometre(rng.IntN(200_000)), Hours: measure.Hour(rng.IntN(8000))}, Later: serviceplan.Interval{Months: rng.IntN(40), Km: measure.Kilometre(rng.IntN(90_000))},
				FreezeMargin: measure.Kelvin(rng.IntN(10)), TestMonths: rng.IntN(20), CapMonths: rng.IntN(30), HoseMonths: rng.IntN(30), HoseYears: rng.IntN(10), FollowDays: rng.IntN(5), FollowRuns: rng.IntN(3),
				Strategy: []serviceplan.Strategy{serviceplan.FixedInterval, serviceplan.Library[0].Strategy, serviceplan.Library[len(serviceplan.Library)-1].Strategy}[rng.IntN(3)]}
		}
		day := measure.NewDate(2025, 3, 1).AddDays(rng.IntN(1400))
		around := Conditions{Climate: colds[rng.IntN(len(colds))]}
		if seed%4 == 0 {
			around.Zone = time.FixedZone("east", 11*3600)
			around.Climate = around.Climate.WithForecast(day, []measure.Celsius{-2, -9, -14, -3, 4})
			around.Zeroed = map[string]time.Time{"R-1": day.Time().AddDate(0, 0, -rng.IntN(60))}
		}
		o := Evaluate(&b, p, around, day)
		name := fmt.Sprint(seed, " ", u.Kind, " ", day)
		a.Add(name, o)
		for _, c := range o.Clocks {
			w, ok := WorkFor(c)
			from, to := c.DefaultSpan(day)
			a.Add(fmt.Sprint(name, " ", c.Kind), c.Verdict, w, ok, from, to, Answered(c), CompletedAt(&b, w, ledgertest.Start.AddDate(0, 0, rng.IntN(600))))
		}
		if seed%10 == 0 {
			a.Add(name+" combined", Combine([]CircuitStatus{{Circuit: "engine", UnitStatus: o}, {Circuit: "inverter", UnitStatus: Evaluate(&b, serviceplan.Library[0], around, day.AddDays(40))}}))
		}
	}
	a.Check(t, "pinned.txt")
}
