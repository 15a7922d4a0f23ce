package clock

import (
	"slices"
	"testing"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
)

func premixOf(tech coolant.Technology, meets ...coolant.Standard) coolant.Product {
	return coolant.Product{Code: string(tech), Name: string(tech), Base: coolant.EG, Technology: string(tech), Form: coolant.Premix, Glycol: 0.5, Meets: meets}
}

func filledWith(p coolant.Product, volume float64, share *float64) ledger.Renewal {
	return ledger.Renewal{Volume: measure.Reading{Value: volume, Unit: measure.L}, Product: p, Share: share, Emptied: true}
}

// The mix itself runs out: below 40 % watch, below 33 % due, above 60 % watch, above 67 %
// due, by volume of glycol (common practice, from memory); the maker's figures go before.
func TestStrengthClock(t *testing.T) {
	u := ledger.Unit{Capacity: 10, Base: coolant.EG}
	conc := coolant.Product{Code: "C", Base: coolant.EG, Technology: "OAT", Form: coolant.Concentrate, Glycol: 1, Stated: true}
	for _, c := range []struct {
		glycol  float64 // % of the premix filled; above 90 neat concentrate
		figures coolant.Figures
		want    Verdict
		code    Code
	}{
		{25, nil, Due, StrengthLow}, {32.9, nil, Due, StrengthLow}, {33, nil, Watch, StrengthLow}, {39.9, nil, Watch, StrengthLow},
		{40, nil, Sound, StrengthHolds}, {50, nil, Sound, StrengthHolds}, {60, nil, Sound, StrengthHolds}, {60.1, nil, Watch, StrengthHigh},
		{67, nil, Watch, StrengthHigh}, {67.1, nil, Due, StrengthHigh}, {85, nil, Due, StrengthHigh}, {100, nil, Due, StrengthHigh},
		{45, coolant.Figures{"strength_watch_low": 0.48}, Watch, StrengthLow},
	} {
		p, share := conc, 100.0
		fill := filledWith(p, 10, &share)
		if c.glycol < 100 {
			p = premixOf(coolant.OAT)
			p.Glycol = c.glycol / 100
			fill = filledWith(p, 10, nil)
		}
		unit := u
		unit.Figures = c.figures
		got := clockOf(t, evaluated(unit, plan, mild, ago(30, fill)), Strength)
		if got.Verdict != c.want || got.Reason.Code != c.code {
			t.Errorf("%g %%: %s, %s; want %s, %s", c.glycol, got.Verdict, got.Reason.Code, c.want, c.code)
		}
	}
	// What was tested beyond the strong end of its scale is too strong, and so it is said.
	beyond := ledger.FreezeTest{Value: measure.Reading{Value: -58, Unit: measure.DegC}, Instrument: ledger.Refractometer, Scale: coolant.EG}
	if got := clockOf(t, evaluated(u, plan, mild, ago(30, beyond)), Strength); got.Verdict != Due || got.Reason.Code != StrengthBeyond {
		t.Errorf("beyond the scale: %+v", got)
	}
	// Neat concentrate is no unknown: it freezes at −12.9 °C.
	share := 100.0
	if got := clockOf(t, evaluated(u, plan, mild, ago(30, filledWith(conc, 10, &share))), Freeze); got.Reason.Code == FreezeNone || got.Verdict == Sound && got.Reason.Numbers["protects"] > -12 {
		t.Errorf("neat concentrate: %+v", got)
	}
	// A mix that grows thinner has a day.
	thinner := []ledger.Entry{ago(700, filledWith(premixOf(coolant.OAT), 10, nil))}
	for _, d := range []int{620, 540, 460, 380, 300, 220, 140, 60, 10} {
		zero := 0.0
		thinner = append(thinner, ago(d, ledger.FreezeTest{Value: measure.Reading{Value: -36.5 + float64(700-d)/90, Unit: measure.DegC}, Instrument: ledger.Refractometer, Scale: coolant.EG, Tool: "R", Zero: &zero}))
	}
	if got := clockOf(t, evaluated(u, plan, mild, thinner...), Strength); got.Due == nil || got.Reason.Numbers["perYear"] < 2 || got.Due.Sub(today) < 200 {
		t.Errorf("a mix that grows thinner: %+v", got)
	}
}

var wet = ledger.Unit{Kind: "truck", Capacity: 30, Base: coolant.EG, Meter: measure.EngineTime, WetLiners: true, Metal: coolant.Iron}

// The chemistry clock, and the work that it asks for.
func TestChemistryClock(t *testing.T) {
	noat, iat := premixOf(coolant.NOAT, coolant.D6210), premixOf(coolant.IAT, coolant.D4985)
	nitrite := func(v float64) ledger.ChemistryTest { return ledger.ChemistryTest{Nitrite: &v} }
	ph := func(v float64) ledger.ChemistryTest { return ledger.ChemistryTest{PH: &v} }
	dose := ledger.Dose{Volume: measure.Reading{Value: 0.3, Unit: measure.L}, Additive: coolant.Additive{Kind: coolant.SCA, Nitrite: 90}}
	for _, c := range []struct {
		name    string
		entries []ledger.Entry
		verdict Verdict
		code    Code
		work    Work
	}{
		{"nitrite gone", []ledger.Entry{ago(300, filledWith(noat, 30, nil)), ago(5, nitrite(0))}, Due, ChemFails, DoseWork},
		{"nitrite gone, then a good pH", []ledger.Entry{ago(300, filledWith(noat, 30, nil)), ago(5, nitrite(0)), ago(4, ph(8.4))}, Due, ChemFails, DoseWork},
		{"900, then 100", []ledger.Entry{ago(300, filledWith(iat, 30, nil)), ago(100, nitrite(900)), ago(5, nitrite(100))}, Due, ChemFails, DoseWork},
		{"little nitrite", []ledger.Entry{ago(300, filledWith(iat, 30, nil)), ago(5, nitrite(1000))}, Watch, ChemFails, DoseWork},
		{"too much", []ledger.Entry{ago(300, filledWith(iat, 30, nil)), ago(5, nitrite(4000))}, Due, ChemFails, CorrectWork},
		{"acid", []ledger.Entry{ago(300, filledWith(noat, 30, nil)), ago(5, ph(6))}, Due, ChemFails, RenewWork},
		{"an OAT above 10", []ledger.Entry{ago(300, filledWith(noat, 30, nil)), ago(5, ph(10.3))}, Due, ChemFails, RenewWork},
		{"stray voltage", []ledger.Entry{ago(300, filledWith(noat, 30, nil)), ago(5, ledger.ChemistryTest{StrayOff: flagged(-0.6)})}, Due, ChemFails, RepairWork},
		{"dosed today", []ledger.Entry{ago(300, filledWith(iat, 30, nil)), ago(5, nitrite(500)), ago(1, dose)}, Watch, ChemRetest, SampleWork},
		{"dosed and not tested", []ledger.Entry{ago(300, filledWith(iat, 30, nil)), ago(50, nitrite(500)), ago(20, dose)}, Due, ChemRetest, SampleWork},
		{"dosed and tested", []ledger.Entry{ago(300, filledWith(iat, 30, nil)), ago(50, nitrite(500)), ago(20, dose), ago(5, nitrite(1500))}, Sound, ChemHolds, SampleWork},
		{"new and not tested", []ledger.Entry{ago(30, filledWith(noat, 30, nil))}, Sound, ChemUntested, SampleWork},
		{"never tested for more than a year", []ledger.Entry{ago(500, filledWith(noat, 30, nil))}, Watch, ChemUntested, SampleWork},
		{"an IAT without SCA", []ledger.Entry{ago(30, filledWith(iat, 30, nil))}, Unknown, ChemUntested, SampleWork},
		{"tested, and much water since", []ledger.Entry{ago(300, filledWith(iat, 30, nil)), ago(50, nitrite(1500)), ago(20, ledger.TopUp{Volume: measure.Reading{Value: 4, Unit: measure.L}, With: coolant.Water})}, Watch, ChemReplaced, SampleWork},
		{"tested, and a partial drain since", []ledger.Entry{ago(300, filledWith(iat, 30, nil)), ago(50, nitrite(1500)),
			ago(20, ledger.Renewal{Volume: measure.Reading{Value: 10, Unit: measure.L}, Product: iat, Drained: []ledger.Drained{{Point: "petcock", Volume: measure.Reading{Value: 10, Unit: measure.L}}}})}, Watch, ChemReplaced, SampleWork},
		{"tested, and a litre since", []ledger.Entry{ago(300, filledWith(iat, 30, nil)), ago(50, nitrite(1500)), ago(20, ledger.TopUp{Volume: measure.Reading{Value: 1, Unit: measure.L}, With: coolant.Water})}, Sound, ChemHolds, SampleWork},
		{"tested long ago", []ledger.Entry{ago(900, filledWith(noat, 30, nil)), ago(500, nitrite(700))}, Watch, ChemOld, SampleWork},
	} {
		got := clockOf(t, evaluated(wet, plan, mild, c.entries...), Chemistry)
		work, _ := WorkFor(got)
		if got.Verdict != c.verdict || got.Reason.Code != c.code || work != c.work {
			t.Errorf("%s: %s, %s, %s; want %s, %s, %s", c.name, got.Verdict, got.Reason.Code, work, c.verdict, c.code, c.work)
		}
	}
	// A nitrite-free coolant and an engine without wet liners are asked for nothing.
	for name, entry := range map[string]ledger.Entry{"nitrite-free": ago(500, filledWith(premixOf(coolant.SiOAT), 30, nil))} {
		if o := evaluated(wet, plan, mild, entry); slices.ContainsFunc(o.Clocks, func(c Clock) bool { return c.Kind == Chemistry }) {
			t.Errorf("%s: %+v", name, o.Clocks)
		}
	}
}

func flagged(v float64) *float64 { return &v }

// What does not suit, what is not known to, and a foreign product; the conventional interval
// runs while there is too much of it.
func TestProductClock(t *testing.T) {
	u := ledger.Unit{Capacity: 10, Base: coolant.EG, Meter: measure.Distance}
	pour := func(v float64) ledger.TopUp {
		p := premixOf(coolant.SiOAT)
		return ledger.TopUp{Volume: measure.Reading{Value: v, Unit: measure.L}, With: coolant.Premix, Product: &p}
	}
	oat := ago(400, filledWith(premixOf(coolant.OAT), 8.5, nil))
	for _, c := range []struct {
		name    string
		unit    ledger.Unit
		entries []ledger.Entry
		verdict Verdict // empty: no clock
		code    Code
	}{
		{"plain", u, []ledger.Entry{oat}, "", ""},
		{"a little foreign", u, []ledger.Entry{oat, ago(9, pour(0.9))}, "", ""},
		{"an eighth", u, []ledger.Entry{oat, ago(9, pour(1.2))}, Watch, ProductForeign},
		{"three tenths", u, []ledger.Entry{oat, ago(9, pour(1.5)), ago(8, ledger.Loss{Volume: measure.Reading{Value: 2, Unit: measure.L}}), ago(7, pour(2))}, Due, ProductForeign},
		{"silicate-free seals", ledger.Unit{Capacity: 10, SilicateFree: true}, []ledger.Entry{ago(9, filledWith(premixOf(coolant.SiOAT), 10, nil))}, Due, ProductUnfit},
		{"wet liners, unknown", wet, []ledger.Entry{ago(9, filledWith(premixOf(coolant.SiOAT), 30, nil))}, Unknown, ProductUnknown},
		{"wet liners, D6210", wet, []ledger.Entry{ago(9, filledWith(premixOf(coolant.SiOAT, coolant.D6210), 30, nil))}, "", ""},
		{"wet liners, a car's IAT", wet, []ledger.Entry{ago(9, filledWith(premixOf(coolant.IAT, coolant.D3306), 30, nil))}, Due, ProductUnfit},
	} {
		o := evaluated(c.unit, plan, mild, c.entries...)
		i := slices.IndexFunc(o.Clocks, func(c Clock) bool { return c.Kind == Product })
		switch {
		case i < 0 && c.verdict != "":
			t.Errorf("%s: no clock", c.name)
		case i >= 0 && (o.Clocks[i].Verdict != c.verdict || o.Clocks[i].Reason.Code != c.code):
			t.Errorf("%s: %+v", c.name, o.Clocks[i])
		}
	}
	// 36 months of the plan become 24.
	months := serviceplan.Plan{Name: "p", Later: serviceplan.Interval{Months: 36}, FreezeMargin: 3}
	if got := clockOf(t, evaluated(u, months, mild, oat, ago(9, pour(1.2))), Age); got.Interval != "conventional" || got.Reason.Numbers["limit"] != 24 {
		t.Errorf("with a foreign product: %+v", got)
	}
	if got := clockOf(t, evaluated(u, months, mild, oat), Age); got.Interval != "later" || got.Reason.Numbers["limit"] != 36 {
		t.Errorf("without: %+v", got)
	}
}

// A nitrited OAT gets its extender 36 months after the fill, where the plan does not renew it
// first; a filter is changed by its own months.
func TestExtenderAndFilter(t *testing.T) {
	noat := premixOf(coolant.NOAT, coolant.D6210)
	long := serviceplan.Plan{Name: "long", Later: serviceplan.Interval{Months: 72}, FreezeMargin: 3}
	fill := ago(1000, filledWith(noat, 30, nil))
	got := clockOf(t, evaluated(wet, long, mild, fill), Extender)
	if got.Due == nil || got.Due.Sub(today) < 80 || got.Due.Sub(today) > 110 || got.Verdict != Sound && got.Verdict != Watch {
		t.Errorf("extender: %+v", got)
	}
	ext := ledger.ExtenderDose{Volume: measure.Reading{Value: 0.3, Unit: measure.L}, Additive: coolant.Additive{Kind: coolant.Extender, Nitrite: 60}}
	if got := clockOf(t, evaluated(wet, long, mild, fill, ago(10, ext)), Extender); got.Verdict != Sound || got.Reason.Code != ExtenderGiven {
		t.Errorf("given: %+v", got)
	}
	if o := evaluated(wet, serviceplan.Plan{Name: "short", Later: serviceplan.Interval{Months: 30}}, mild, fill); slices.ContainsFunc(o.Clocks, func(c Clock) bool { return c.Kind == Extender }) {
		t.Error("an extender is asked for after the renewal")
	}
	stated := noat
	stated.Figures = coolant.Figures{"extender_months": 24}
	if got := clockOf(t, evaluated(wet, long, mild, ago(1000, filledWith(stated, 30, nil))), Extender); got.Verdict != Due {
		t.Errorf("by the product's figure: %+v", got)
	}
	filter := ledger.AdditiveFilter{Additive: coolant.Additive{Name: "filter", Kind: coolant.Filter, Months: 12}}
	got = clockOf(t, evaluated(wet, long, mild, fill, ago(400, filter)), FilterDue)
	if work, _ := WorkFor(got); got.Verdict != Due || work != FilterWork {
		t.Errorf("filter: %+v", got)
	}
	again := []ledger.Entry{fill, ago(400, filter), ago(10, filter)}
	if got := clockOf(t, evaluated(wet, long, mild, again...), FilterDue); got.Verdict != Sound {
		t.Errorf("changed: %+v", got)
	}
	a := ledger.Fold(wet, again)
	if CompletedAt(&a, FilterWork, ago(20, filter).At) == nil || CompletedAt(&a, DoseWork, ago(20, filter).At) != nil {
		t.Error("the change of a filter is not seen, or counts as a dose")
	}
}
