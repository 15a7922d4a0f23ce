package visit

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"diligentledger/core/climate"
	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/pinnedtest"
)

// What visits units want, which clocks a visit serves, and which night it prevents.
func TestPinned(t *testing.T) {
	var a pinnedtest.Answers
	works := []clock.Work{"renewal", "correction", "test", "level", "cap", "hoses", "repair", "dose", "filter", "chemistry", "service", "raw_water", ""}
	cold := climate.MonthlyCurve{-25, -24, -18, -8, 0, 4, 7, 5, 0, -8, -16, -22}.Climate()
	for seed := range uint64(400) {
		rng := rand.New(rand.NewPCG(seed, 43))
		u := ledgertest.Units[seed%uint64(len(ledgertest.Units))]
		b := ledger.TryFold(u, ledgertest.History(rng, u, 1+rng.IntN(40)))
		day := measure.NewDate(2025, 3, 1).AddDays(rng.IntN(1200))
		s := clock.Evaluate(&b, serviceplan.Library[rng.IntN(len(serviceplan.Library))], clock.Conditions{Climate: cold}, day)
		until := day.AddDays(rng.IntN(120))
		name := fmt.Sprint(seed, " ", u.Kind)
		a.Add(name, WantedUntil(s.Clocks, until), Unprevented(s.Clocks, nil, day, until))
		for _, w := range works {
			served, held := Clocks(s.Clocks, w, day)
			a.Add(fmt.Sprint(name, " ", w), served, held, HardNight(s.Clocks, w, day))
		}
		for _, c := range s.Clocks {
			a.Add(fmt.Sprint(name, " ", c.Kind), HasNight(c), RunsOut(c, until), Serves(works[rng.IntN(len(works))], c))
			if HasNight(c) {
				a.Add(fmt.Sprint(name, " night of ", c.Kind), NightOf(c, day))
			}
		}
	}
	for _, w := range works {
		a.Add("hours "+string(w), HoursOf(w), FollowUps(w, 3), FollowUps(w, 0))
		for _, kind := range []string{"car", "truck", "motorcycle", "boat", "aircraft"} {
			k, ok := JobFor(kind, w)
			a.Add(fmt.Sprint(kind, " ", w), BayFor(kind, w), k, ok, SkillsFor(kind, true), SkillsFor(kind, false))
		}
	}
	a.Add("bays", Bays)
	a.Check(t, "pinned.txt")
}
