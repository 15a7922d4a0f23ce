package ledger

import (
	"slices"
	"testing"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// What is seen and tested, and how bad it is (common practice throughout: cap
// within a tenth of its rating, fins replaced from a fifth blocked on, 0.3 V).
func TestFindings(t *testing.T) {
	u := car
	u.Cap = 108
	yes, no := true, false
	for _, c := range []struct {
		name  string
		body  Body
		point string
		state string
		grade coolant.Grade
	}{
		{"cap opens at its rating, vacuum too", CapTest{Opened: ptr(kpa(104)), Seal: "good", Vacuum: "opens"}, "cap", "cap_sound", coolant.GradeGood},
		{"cap looked at, not tested", CapTest{Seal: "good", Seated: &yes}, "cap", "cap_untested", coolant.GradeUnknown},
		{"cap opens early", CapTest{Opened: ptr(kpa(80))}, "cap", "cap_weak", coolant.GradeBad},
		{"a used cap at 84 of 108", CapTest{Opened: ptr(kpa(84)), Vacuum: "opens"}, "cap", "cap_worn", coolant.GradeGood},
		{"a new cap at 84 of 108", CapTest{Opened: ptr(kpa(84)), Vacuum: "opens", Renewed: true}, "cap", "cap_weak", coolant.GradeBad},
		{"cap in psi", CapTest{Opened: ptr(measure.Reading{Value: 15.7, Unit: measure.Psi}), Vacuum: "opens"}, "cap", "cap_sound", coolant.GradeGood},
		{"half-turned cap", CapTest{Stage: "first_stage", Seated: &yes}, "cap", "cap_unseated", coolant.GradeBad},
		{"vacuum valve stuck", CapTest{Vacuum: "stuck"}, "cap", "cap_vacuum", coolant.GradeBad},
		{"dried seal", CapTest{Seal: "dried", Holds: &yes}, "cap", "cap_seal", coolant.GradeBad},
		{"cracked seal off its seat", CapTest{Seal: "cracked", Seated: &no, Holds: &no}, "cap", "cap_unseated,cap_seal,does_not_hold", coolant.GradeBad},
		{"sound but for the hold", CapTest{Opened: ptr(kpa(104)), Vacuum: "opens", Holds: &no}, "cap", "does_not_hold", coolant.GradeBad},
		{"a weeping hose", HoseCheck{Hoses: []HoseFound{{Hose: "lower", State: "weeping"}}}, "lower_hose", "weeping", coolant.GradeBad},
		{"a soft hose", HoseCheck{Hoses: []HoseFound{{Hose: "upper", State: "soft", Clamp: "good"}}}, "upper_hose", "soft", coolant.GradeSoft},
		{"a clamp on the ridge", HoseCheck{Hoses: []HoseFound{{Hose: "upper", State: "good", Clamp: "on_ridge"}}}, "upper_hose", "clamp_on_ridge", coolant.GradeSoft},
		{"fins a quarter blocked", Inspection{Points: []PointFound{{Point: "fins", Blocked: ptr(25.0)}}}, "fins", "bad", coolant.GradeBad},
		{"fins clear", Inspection{Points: []PointFound{{Point: "fins", Blocked: ptr(3.0)}}}, "fins", "good", coolant.GradeGood},
		{"a crust at the weep hole", Inspection{Points: []PointFound{{Point: "weep_hole", State: "watch"}}}, "weep_hole", "watch", coolant.GradeSoft},
		{"holds pressure", PressureTest{Pressure: kpa(100), Minutes: 12, Drop: kpa(1)}, "system", "holds", coolant.GradeGood},
		{"holds for a minute", PressureTest{Pressure: kpa(100), Minutes: 1, Drop: kpa(0)}, "system", "too_short", coolant.GradeUnknown},
		{"falls by 2 % in a minute", PressureTest{Pressure: kpa(100), Minutes: 1, Drop: kpa(2)}, "system", "falls", coolant.GradeBad},
		{"holds at half the rating", PressureTest{Pressure: kpa(50), Minutes: 12, Drop: kpa(0)}, "system", "pressure_too_low", coolant.GradeUnknown},
		{"loses pressure", PressureTest{Pressure: measure.Reading{Value: 15, Unit: measure.Psi}, Minutes: 5, Drop: measure.Reading{Value: 3, Unit: measure.Psi}}, "system", "falls", coolant.GradeBad},
		{"stray voltage", ChemistryTest{Stray: ptr(0.3)}, "chemistry", string(coolant.PropStray), coolant.GradeBad},
		{"clear sample", ChemistryTest{Appearance: coolant.AppearanceClear}, "chemistry", "good", coolant.GradeGood},
	} {
		a := Fold(u, []Entry{on(0, fill(8)), on(1, c.body)})
		i := slices.IndexFunc(a.Findings, func(f Finding) bool { return f.Point == c.point })
		if i < 0 {
			t.Errorf("%s: nothing is known of %s: %v", c.name, c.point, a.Findings)
			continue
		}
		f := a.Findings[i]
		if want := c.state; f.State != want && f.State != string(c.grade) || f.Grade != c.grade || a.Lines[1].Grade != c.grade {
			t.Errorf("%s: %s is %q, %s; want %q, %s", c.name, c.point, f.State, f.Grade, want, c.grade)
		}
	}
	// The last word on a point counts, and others stay.
	a := Fold(u, []Entry{on(0, HoseCheck{Hoses: []HoseFound{{Hose: "upper", State: "cracked"}, {Hose: "lower", State: "good"}}}),
		on(9, HoseCheck{Hoses: []HoseFound{{Hose: "upper", State: "good"}}})})
	if len(a.Findings) != 2 || a.Findings[0].Grade != coolant.GradeGood {
		t.Errorf("after the hose was renewed: %+v", a.Findings)
	}
}

func TestHoldsAndDefects(t *testing.T) {
	weeps := on(1, Defect{What: "weep hole wet", Severity: "stop"})
	entries := []Entry{on(0, fill(8)), weeps, on(2, Hold{Why: "loses coolant"}), on(3, LayUp{})}
	a := Fold(car, entries)
	if a.Held == nil || a.LaidUp == nil || len(a.Defects) != 1 || a.Defects[0].ID != weeps.ID {
		t.Errorf("held %v, laid up %v, defects %v", a.Held, a.LaidUp, a.Defects)
	}
	entries = append(entries, on(4, DefectClosed{Defect: weeps.ID, How: "pump renewed"}), on(5, Release{What: "pump renewed"}), on(6, Return{}))
	a = Fold(car, entries)
	if a.Held != nil || a.LaidUp != nil || len(a.Defects) != 0 {
		t.Errorf("held %v, laid up %v, defects %v", a.Held, a.LaidUp, a.Defects)
	}
	a = Fold(car, []Entry{on(0, fill(8)), on(4, DefectClosed{Defect: "none", How: "?"}), on(5, Release{What: "?"})})
	if !slices.Contains(a.Lines[1].Notes, NoteClosesNone) || !slices.Contains(a.Lines[2].Notes, NoteNotHeld) {
		t.Errorf("notes %v, %v", a.Lines[1].Notes, a.Lines[2].Notes)
	}
}

// A meter that was changed runs on; the use since the renewal spans both.
func TestMeterChange(t *testing.T) {
	entries := []Entry{on(0, Renewal{Volume: litres(8), Product: premix, Meter: ptr(km(90_000))}), on(100, Meter{Meter: km(95_000)}),
		on(150, MeterChange{Old: ptr(km(96_000)), New: km(10)}), on(200, Meter{Meter: km(1_010)})}
	a := Fold(car, entries)
	near(t, "used over both meters", a.Balance.Used, 7000, 1e-9)
	last := a.Points[len(a.Points)-1]
	if last.Raw != 1010 || last.Meter != 1 || last.Value != 97_000 {
		t.Errorf("last point %+v", last)
	}
	lost := Fold(car, []Entry{entries[0], entries[1], on(150, MeterChange{New: km(0)}), on(200, Meter{Meter: km(1_000)})})
	near(t, "used with the old one lost", lost.Balance.Used, 6000, 1e-9)
	if errs := Check(car, entries, on(201, Meter{Meter: km(500)}), day(300)); len(errs) == 0 {
		t.Error("the new meter may run back")
	}
	if errs := Check(car, entries, on(120, Meter{Meter: km(95_500)}), day(300)); len(errs) > 0 {
		t.Errorf("between two readings of the old meter: %v", errs[0])
	}
}

func TestOpening(t *testing.T) {
	half := 50.0
	a := Fold(car, []Entry{on(0, Opening{History: Factory, Product: &conc, Share: &half, Volume: ptr(litres(7.5)), Meter: ptr(km(12))}), on(9, Meter{Meter: km(512)})})
	near(t, "litres", f64(a.Balance.Litres), 7.5, 0.01)
	near(t, "used", a.Balance.Used, 500, 1e-9)
	if !a.Factory || a.Balance.RenewedAt == nil {
		t.Error("the first interval does not run")
	}
	a = Fold(car, []Entry{on(0, Opening{History: Factory})})
	if !a.Factory || a.Known || a.Balance.RenewedAt == nil {
		t.Errorf("factory fill of an unknown product: %+v", a.Balance)
	}
	a = Fold(car, []Entry{on(0, fill(8)), on(1, Opening{History: UnknownHistory}), on(2, test(-30, coolant.EG))})
	if a.Balance.RenewedAt != nil || !a.Known || !slices.Contains(a.Lines[2].Notes, NoteVolumeAssumed) {
		t.Errorf("an unknown history: %+v", a.Balance)
	}
	// A renewal of an unknown charge that left a third inside is none to trust.
	a = Fold(car, []Entry{on(0, Opening{History: UnknownHistory}), on(1, Renewal{Volume: litres(5), Product: premix, Drained: []Drained{{"petcock", litres(5)}}})})
	if a.Balance.MeanAge != nil || *a.Balance.High-*a.Balance.Low < 10 {
		t.Errorf("three litres of unknown coolant inside, and the band is %v to %v", *a.Balance.Low, *a.Balance.High)
	}
}

func TestMixedProducts(t *testing.T) {
	hoat := coolant.Product{Code: "H", Base: coolant.EG, Technology: "HOAT", Form: coolant.Premix, Glycol: 0.5}
	oat := coolant.Product{Code: "O", Base: coolant.EG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.5}
	a := Fold(car, []Entry{on(0, Renewal{Volume: litres(8), Product: oat}), on(1, TopUp{Volume: litres(1), With: coolant.Premix, Product: &hoat})})
	if len(a.Blended) != 1 || a.Blended[0].Code != "H" || !slices.Contains(a.Lines[1].Notes, NoteMixedTech) || a.Product.Code != "O" {
		t.Errorf("HOAT onto OAT: %v, %v", a.Blended, a.Lines[1].Notes)
	}
	a = Fold(car, []Entry{on(0, Renewal{Volume: litres(8), Product: oat}), on(1, Renewal{Volume: litres(5), Product: hoat, Drained: []Drained{{"petcock", litres(5)}}})})
	if a.Product.Code != "H" || len(a.Blended) != 1 || a.Blended[0].Code != "O" {
		t.Errorf("HOAT filled, OAT left behind: %v, %v", a.Product, a.Blended)
	}
	onPG := Fold(car, []Entry{on(0, Renewal{Volume: litres(8), Product: pg}), on(1, Renewal{Volume: litres(5), Product: premix, Drained: []Drained{{"petcock", litres(5)}}})})
	if !onPG.Mixed || onPG.ProtectsTo() != nil {
		t.Error("EG filled onto PG, and a table still tells what it protects to")
	}
	if full := Fold(car, []Entry{on(0, Renewal{Volume: litres(8), Product: pg}), on(1, fill(8))}); full.Mixed || full.ProtectsTo() == nil {
		t.Error("after a full renewal nothing is mixed")
	}
}

// The line of least squares through pH 9.0, 8.5, 8.0 a year apart meets 7.0 in
// two more years.
func TestChemistryTrend(t *testing.T) {
	oat := premix
	oat.Technology = "OAT"
	entries := []Entry{on(0, Renewal{Volume: litres(8), Product: oat})}
	for i, ph := range []float64{9.0, 8.5, 8.0} {
		entries = append(entries, on(1+365*i, ChemistryTest{PH: ptr(ph)}))
	}
	a := Fold(car, entries)
	at, ok := a.ChemistryTrend(coolant.PropPH)
	if days := at.Sub(day(731)).Hours() / 24; !ok || days < 725 || days > 735 {
		t.Errorf("pH 7.0 is met in %.0f days, %v", days, ok)
	}
	two := Fold(car, entries[:3])
	if _, ok := two.ChemistryTrend(coolant.PropPH); ok {
		t.Error("two samples make no trend")
	}
}

// A half-and-half mixture under a sound cap of 103 kPa (15 psi) boils near 129 °C
// (265 °F) at sea level (common practice), sooner on a mountain, and no later
// than in the open under a cap that does not seal: near 107 °C (ASHRAE handbook,
// recalled from memory).
func TestBoilOver(t *testing.T) {
	u := car
	u.Cap = 103.4
	entries := []Entry{on(0, fill(8))}
	boils := func(altitude float64) float64 {
		a := Fold(u, entries)
		b, _, ok := a.BoilOver(altitude)
		if !ok {
			t.Fatal("unknown")
		}
		return float64(b)
	}
	sea := boils(0)
	near(t, "at sea level", &sea, 129, 1.5)
	if high := boils(3000); high >= sea-5 {
		t.Errorf("at 3000 m it boils at %.1f, at sea level at %.1f", high, sea)
	}
	entries = append(entries, on(1, CapTest{Seal: "cracked"}))
	open := boils(0)
	near(t, "under a cap that does not seal", &open, 107, 1.5)
	u.Cap = 0
	a := Fold(u, entries)
	if _, _, ok := a.BoilOver(0); ok {
		t.Error("with an unknown cap, the boiling point is known")
	}
}
