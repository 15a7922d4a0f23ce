package clock

import (
	"slices"
	"testing"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/usage"
)

// A verdict that rests on judgement says on which, and one that does not says nothing.
func TestJudgements(t *testing.T) {
	kind := car
	kind.Kind = "car"
	leaking := ledger.Fold(kind, []ledger.Entry{ago(200, fill(false)), ago(100, ledger.TopUp{Volume: measure.Reading{Value: 0.4, Unit: measure.L}, With: coolant.Premix, Product: &premix}),
		ago(50, ledger.TopUp{Volume: measure.Reading{Value: 0.4, Unit: measure.L}, With: coolant.Premix, Product: &premix}), ago(2, ledger.TopUp{Volume: measure.Reading{Value: 0.4, Unit: measure.L}, With: coolant.Premix, Product: &premix})})
	if leaking.Leak() == nil {
		t.Fatal("no leak")
	}
	sound := ledger.Fold(kind, []ledger.Entry{ago(200, fill(false))})
	chem := func(p coolant.Property, bad float64) Clock {
		return Clock{Kind: Chemistry, Reason: Reason{Code: ChemFails, About: ledger.Subject{Point: string(p)}, Numbers: map[string]float64{"bad": bad}}}
	}
	window := &usage.Window{P10: today, P50: today, P90: today}
	for _, c := range []struct {
		name string
		a    *ledger.Account
		of   Clock
		want []string
	}{
		{"protected all year", &sound, Clock{Kind: Freeze, Reason: Reason{Code: FreezeAll}}, []string{limitSearchNights}},
		{"one test", &sound, Clock{Kind: Freeze, Reason: Reason{Code: FreezeSingle}}, []string{limitSingle}},
		{"air of a car", &sound, Clock{Kind: Holds, Reason: Reason{Code: AirTrapped}}, []string{"air_tolerated_car"}},
		{"a common capacity", &sound, Clock{Kind: Level, Reason: Reason{Code: LevelCommon}}, []string{ledger.LimitCommonCapacity}},
		{"a slow leak", &leaking, Clock{Kind: Level, Reason: Reason{Code: LevelHolds}}, []string{limitSlowLeak}},
		{"no leak", &sound, Clock{Kind: Level, Reason: Reason{Code: LevelHolds}}, nil},
		{"conductivity that is bad", &sound, chem(coolant.PropConductivity, 1), []string{"conductivity_most"}},
		{"conductivity that is watched", &sound, chem(coolant.PropConductivity, 0), nil},
		{"reserve that is bad", &sound, chem(coolant.PropReserve, 1), []string{"reserve_bad"}},
		{"pH that is bad", &sound, chem(coolant.PropPH, 1), nil},
		{"few readings, due by its window", &sound, Clock{Kind: Use, Verdict: Due, Window: window, Reason: Reason{Code: UseRuns, Numbers: map[string]float64{"few": 1}}}, []string{limitWindowLead, limitFewSegments}},
		{"overdue", &sound, Clock{Kind: Use, Verdict: Overdue, Window: window, Reason: Reason{Code: UseRuns}}, nil},
		{"by the calendar", &sound, Clock{Kind: Age, Verdict: Due, Reason: Reason{Code: AgeRuns}}, nil},
	} {
		var got []string
		for _, l := range Judgements(c.of, c.a) {
			if got = append(got, l.Key); l.Instead == "" || l.Source == "" || l.Standing != coolant.Judgement {
				t.Errorf("%s: %+v does not say why, or what would take its place", c.name, l)
			}
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%s rests on %v, want %v", c.name, got, c.want)
		}
	}
	// What the unit's maker states is no judgement.
	stated := kind
	stated.Figures = coolant.Figures{coolant.DoseRetestDays.Key: 3}
	by := ledger.Fold(stated, []ledger.Entry{ago(200, fill(false))})
	retest := Clock{Kind: Chemistry, Reason: Reason{Code: ChemRetest}}
	if was, is := Judgements(retest, &sound), Judgements(retest, &by); len(was) != 1 || len(is) != 0 {
		t.Errorf("with the maker's figure %v, without %v", is, was)
	}
}
