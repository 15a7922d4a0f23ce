package round_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"diligentledger/core/climate"
	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
	"diligentledger/core/measure"
	"diligentledger/core/round"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/pinnedtest"
)

// What is asked of units on a round, in which order, and with which instrument.
func TestPinned(t *testing.T) {
	var a pinnedtest.Answers
	cold := climate.MonthlyCurve{-25, -24, -18, -8, 0, 4, 7, 5, 0, -8, -16, -22}.Climate()
	for seed := range uint64(300) {
		rng := rand.New(rand.NewPCG(seed, 41))
		u := ledgertest.Units[seed%uint64(len(ledgertest.Units))]
		b := ledger.TryFold(u, ledgertest.History(rng, u, 1+rng.IntN(40)))
		s := clock.Evaluate(&b, serviceplan.Library[rng.IntN(len(serviceplan.Library))], clock.Conditions{Climate: cold}, measure.NewDate(2025, 3, 1).AddDays(rng.IntN(1200)))
		first, rest := round.Ask(u, s)
		a.Add(fmt.Sprint(seed, " ", u.Kind), round.OwedBy(s), first, rest)
		for _, c := range s.Clocks {
			q, ok := round.Of(c)
			a.Add(fmt.Sprint(seed, " ", c.Kind), q, ok)
		}
	}
	places := []string{"", "A-1", "A-2", "A-10", "B", "b-3", "Row 4, 7", "row 4 12", "12", "3", "Bay 12b", "  A-1 "}
	for _, p := range places {
		for _, q := range places {
			a.Add(fmt.Sprintf("%q %q", p, q), round.ComparePlaces(p, q), round.Row(p))
		}
	}
	for _, kind := range []string{"car", "truck", "motorcycle", "boat", "aircraft", ""} {
		points := round.Points(kind)
		a.Add("points of "+kind, points)
		for _, p := range points {
			a.Add(fmt.Sprintf("%s %+v", kind, p), round.HotPoint(fmt.Sprint(p)))
		}
	}
	for _, instrument := range append([]string{""}, ledger.Instruments...) {
		for _, scales := range [][]coolant.Base{nil, {coolant.EG}, {coolant.PG}, {coolant.EG, coolant.PG}} {
			for _, inside := range []coolant.Base{"", coolant.EG, coolant.PG, coolant.NoWater} {
				fit := round.FitOf(instrument, scales, inside)
				a.Add(fmt.Sprint(instrument, scales, inside), fit, fit.Usable())
			}
		}
	}
	for _, p := range ledger.Hoses {
		a.Add("hot "+p, round.HotPoint(p))
	}
	a.Add("questions", round.Questions, round.StripFreeze)
	a.Check(t, "pinned.txt")
}
