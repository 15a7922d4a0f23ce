package coolant

import (
	"fmt"
	"math"
	"testing"
)

func ppm(v float64) *Band { return ExactBand(v) }

// Technology × engine × property × reading → grade and remedy. Limits: ASTM D6210 (NO₂ of
// 1200 or more, or NO₂ + MoO₄ of 780 with 300 of each), ASTM D3306 (pH of a new mix) and
// common practice, all from memory; see docs/limits.md.
func TestJudgeTable(t *testing.T) {
	const liners, iron, aluminium = "wet liners", "iron", "aluminium"
	type reading struct {
		property Property
		low      float64
		high     float64 // 0: the same
		beside   float64 // the molybdate beside a nitrite, or the fresh reserve; 0 for not tested
	}
	for _, c := range []struct {
		technology Technology
		engine     string
		reading
		grade  Grade
		remedy Remedy
	}{
		// Nitrite alone. An untested molybdate excuses nothing.
		{IAT, liners, reading{PropNitrite, 0, 0, 0}, GradeBad, RemedySCA},
		{IAT, liners, reading{PropNitrite, 799, 0, 0}, GradeBad, RemedySCA},
		{IAT, liners, reading{PropNitrite, 800, 0, 0}, GradeSoft, RemedySCA},
		{IAT, liners, reading{PropNitrite, 1199, 0, 0}, GradeSoft, RemedySCA},
		{IAT, liners, reading{PropNitrite, 1200, 0, 0}, GradeGood, ""},
		{IAT, liners, reading{PropNitrite, 2400, 0, 0}, GradeGood, ""},
		{IAT, liners, reading{PropNitrite, 2401, 0, 0}, GradeSoft, RemedyDilute},
		{IAT, liners, reading{PropNitrite, 3201, 0, 0}, GradeBad, RemedyDilute},
		{HOAT, liners, reading{PropNitrite, 900, 0, 0}, GradeSoft, RemedySCA},
		{"", liners, reading{PropNitrite, 100, 0, 0}, GradeBad, RemedyProduct},
		{Universal, liners, reading{PropNitrite, 100, 0, 0}, GradeBad, RemedyProduct},
		{NOAT, liners, reading{PropNitrite, 0, 0, 0}, GradeBad, RemedyExtender},
		{NOAT, liners, reading{PropNitrite, 299, 0, 0}, GradeBad, RemedyExtender},
		{NOAT, liners, reading{PropNitrite, 300, 0, 0}, GradeSoft, RemedyExtender},
		{NOAT, liners, reading{PropNitrite, 400, 0, 0}, GradeGood, ""},
		{NOAT, liners, reading{PropNitrite, 1000, 0, 0}, GradeGood, ""},
		{NOAT, liners, reading{PropNitrite, 1700, 0, 0}, GradeSoft, RemedyDilute},
		{NOAT, liners, reading{PropNitrite, 4000, 0, 0}, GradeBad, RemedyDilute},
		// With molybdate: neither replaces the other below 300.
		{IAT, liners, reading{PropNitrite, 50, 0, 310}, GradeBad, RemedySCA},
		{NOAT, liners, reading{PropNitrite, 50, 0, 900}, GradeBad, RemedyExtender},
		{IAT, liners, reading{PropNitrite, 299, 0, 900}, GradeBad, RemedySCA},
		{IAT, liners, reading{PropNitrite, 390, 0, 390}, GradeGood, ""},
		{IAT, liners, reading{PropNitrite, 389, 0, 390}, GradeBad, RemedySCA},
		{NOAT, liners, reading{PropNitrite, 300, 0, 480}, GradeGood, ""},
		{IAT, liners, reading{PropMolybdate, 900, 0, 0}, GradeUnknown, RemedyTest},
		{NOAT, liners, reading{PropMolybdate, 50, 0, 0}, GradeSoft, RemedyTest},
		// A strip's step counts by its low end for too little, by its high end for too much.
		{IAT, liners, reading{PropNitrite, 800, 1200, 0}, GradeSoft, RemedySCA},
		{IAT, liners, reading{PropNitrite, 1200, 2400, 0}, GradeGood, ""},
		{IAT, liners, reading{PropNitrite, 2400, 3600, 0}, GradeBad, RemedyDilute},
		{IAT, liners, reading{PropNitrite, 300, 800, 0}, GradeBad, RemedySCA},
		// Nitrite-free coolants and engines without wet liners: only too much is judged.
		{OAT, liners, reading{PropNitrite, 0, 0, 0}, GradeGood, ""},
		{SiOAT, liners, reading{PropNitrite, 500, 0, 0}, GradeSoft, RemedyProduct},
		{OAT, iron, reading{PropNitrite, 0, 0, 0}, GradeGood, ""},
		{IAT, iron, reading{PropNitrite, 5000, 0, 0}, GradeBad, RemedyDilute},
		// pH. Above 10 in an OAT a cleaner, IAT or SCA got in.
		{OAT, iron, reading{PropPH, 6.9, 0, 0}, GradeBad, RemedyRenew},
		{OAT, iron, reading{PropPH, 7.2, 0, 0}, GradeSoft, RemedyRenew},
		{OAT, iron, reading{PropPH, 9.5, 0, 0}, GradeGood, ""},
		{OAT, iron, reading{PropPH, 9.8, 0, 0}, GradeSoft, RemedyFlush},
		{OAT, iron, reading{PropPH, 10.1, 0, 0}, GradeBad, RemedyFlush},
		{SiOAT, iron, reading{PropPH, 10.1, 0, 0}, GradeBad, RemedyFlush},
		{HOAT, iron, reading{PropPH, 10.2, 0, 0}, GradeSoft, RemedyFlush},
		{HOAT, iron, reading{PropPH, 10.6, 0, 0}, GradeBad, RemedyFlush},
		{IAT, iron, reading{PropPH, 10.5, 0, 0}, GradeGood, ""},
		{IAT, iron, reading{PropPH, 11.1, 0, 0}, GradeBad, RemedyFlush},
		{IAT, iron, reading{PropPH, 7.4, 0, 0}, GradeBad, RemedyRenew},
		{"", iron, reading{PropPH, 5, 0, 0}, GradeBad, RemedyRenew},
		{"", iron, reading{PropPH, 8.5, 0, 0}, GradeGood, ""},
		{"", iron, reading{PropPH, 10.2, 0, 0}, GradeSoft, RemedyFlush},
		{"", iron, reading{PropPH, 11.2, 0, 0}, GradeBad, RemedyFlush},
		{Waterless, iron, reading{PropPH, 5, 0, 0}, GradeUnknown, ""},
		// Reserve alkalinity, against the fresh product's.
		{IAT, iron, reading{PropReserve, 4, 0, 10}, GradeSoft, RemedyRenew},
		{IAT, iron, reading{PropReserve, 5, 0, 10}, GradeGood, ""},
		{OAT, iron, reading{PropReserve, 2.4, 0, 4}, GradeGood, ""},
		{OAT, iron, reading{PropReserve, 0.9, 0, 4}, GradeBad, RemedyRenew},
		{IAT, iron, reading{PropReserve, 4, 0, 0}, GradeUnknown, ""},
		// Stray voltage, of either sign; a metal that is not known is judged as aluminium.
		{OAT, iron, reading{PropStray, -0.6, 0, 0}, GradeBad, RemedyGround},
		{OAT, iron, reading{PropStray, 0.3, 0, 0}, GradeBad, RemedyGround},
		{OAT, iron, reading{PropStray, 0.2, 0, 0}, GradeSoft, RemedyGround},
		{OAT, iron, reading{PropStray, -0.1, 0, 0}, GradeGood, ""},
		{OAT, aluminium, reading{PropStrayCranking, -0.15, 0, 0}, GradeBad, RemedyGround},
		{OAT, aluminium, reading{PropStrayLoads, 0.12, 0, 0}, GradeSoft, RemedyGround},
		{OAT, "", reading{PropStrayOff, 0.2, 0, 0}, GradeBad, RemedyGround},
	} {
		s := Sample{Technology: c.technology, WetLiners: c.engine == liners, Metal: map[string]Metal{iron: Iron, aluminium: Aluminium}[c.engine]}
		v := ExactBand(c.low)
		if c.high != 0 {
			v.High = c.high
		}
		switch c.property {
		case PropNitrite:
			if s.Nitrite = v; c.beside > 0 {
				s.Molybdate = ppm(c.beside)
			}
		case PropMolybdate:
			s.Molybdate = v
		case PropPH:
			s.PH = v
		case PropReserve:
			s.Reserve, s.Fresh = &c.low, c.beside
		case PropStray:
			s.Stray = &c.low
		case PropStrayOff:
			s.StrayOff = &c.low
		case PropStrayCranking:
			s.StrayCranking = &c.low
		case PropStrayLoads:
			s.StrayLoads = &c.low
		}
		grade, properties := Evaluate(s)
		at := fmt.Sprintf("%s, %s, %s %g to %g beside %g", c.technology, c.engine, c.property, c.low, v.High, c.beside)
		found := false
		for _, p := range properties {
			if p.Property != c.property {
				continue
			}
			if found = true; p.Grade != c.grade || p.Remedy != c.remedy {
				t.Errorf("%s: %s, remedy %q; want %s, %q", at, p.Grade, p.Remedy, c.grade, c.remedy)
			}
		}
		// What was not tested is left out: the one property that was decides.
		if !found || grade != c.grade {
			t.Errorf("%s: the whole is %s, want %s", at, grade, c.grade)
		}
	}
}

// What was not tested is listed, and does not make the whole unknown; nothing tested is
// unknown. An additive is no remedy where pH is spent as well. Figures of the product and the
// unit's maker take the place of the limits.
func TestJudgeWhole(t *testing.T) {
	grade, properties := Evaluate(Sample{Technology: NOAT, WetLiners: true, PH: ppm(8.4), Appearance: AppearanceClear})
	untested := 0
	for _, p := range properties {
		if p.Grade == GradeUnknown {
			untested++
		}
	}
	if grade != GradeGood || untested != 2 { // nitrite, stray voltage
		t.Errorf("pH alone: %s, %+v", grade, properties)
	}
	if grade, _ := Evaluate(Sample{Technology: NOAT, WetLiners: true}); grade != GradeUnknown {
		t.Errorf("nothing tested: %s", grade)
	}
	for look, want := range map[Appearance]Grade{AppearanceClear: GradeGood, AppearanceFaded: GradeSoft, AppearanceRusty: GradeBad, AppearanceOily: GradeBad, AppearanceGelled: GradeBad, AppearanceSediment: GradeBad} {
		if grade, _ := Evaluate(Sample{Technology: OAT, Appearance: look}); grade != want {
			t.Errorf("%s: %s, want %s", look, grade, want)
		}
	}
	_, properties = Evaluate(Sample{Technology: IAT, WetLiners: true, PH: ppm(7), Nitrite: ppm(200)})
	for _, p := range properties {
		if p.Property == PropNitrite && p.Remedy != RemedyRenew {
			t.Errorf("nitrite and pH spent: %+v", p)
		}
	}
	over := []Figures{{"nitrite_low": 500}, {"nitrite_low": 100, "nitrite_alone": 600}}
	if grade, _ := Evaluate(Sample{Technology: IAT, WetLiners: true, Nitrite: ppm(650), Over: over}); grade != GradeGood {
		t.Errorf("by the figures of product and maker: %s", grade)
	}
	if grade, _ := Evaluate(Sample{Technology: IAT, WetLiners: true, Nitrite: ppm(400), Over: over}); grade != GradeBad {
		t.Errorf("the maker's figure goes before the product's: %s", grade)
	}
	if grade, _ := Evaluate(Sample{Technology: IAT, WetLiners: true, Nitrite: ppm(math.NaN())}); grade != GradeUnknown {
		t.Errorf("NaN: %s", grade)
	}
}

// By the molar masses: NaNO₂ 69.00, NO₂ 46.01, N 14.01, MoO₄ 159.9, Mo 95.95 (IUPAC): Mo is
// stated × 1.67 lower than MoO₄ (the trade's factor), NaNO₂ × 1.5 higher than NO₂.
func TestBases(t *testing.T) {
	for b, want := range map[Basis]float64{"": 1, AsNO2: 1, AsMoO4: 1, AsNaNO2: 0.667, AsN: 3.284, AsMo: 1.667, AsNaMoO4: 0.777} {
		if got, ok := b.Factor(); !ok || math.Abs(got-want) > 0.001 {
			t.Errorf("%s: %.4f, want %.3f", b, got, want)
		}
	}
	if _, ok := Basis("ppm").Factor(); ok {
		t.Error("a basis that is none was converted")
	}
}

// By hand: 30 kg of coolant at 300 ppm take 30·1.5 = 45 g of NO₂ to reach 1800; an additive
// of 90 g in a litre gives it in half a litre. 30 L at 3600 are brought to 1800 by draining
// half, with a mix that holds none.
func TestDose(t *testing.T) {
	additive := Additive{Kind: SCA, Nitrite: 90}
	if got := DoseFor(additive, 30, 300, 1800); math.Abs(float64(got)-0.5) > 1e-9 {
		t.Errorf("%.3f L, want 0.5", float64(got))
	}
	if got := NitriteRise(45, 30); math.Abs(got-1500) > 1e-9 {
		t.Errorf("raised by %g ppm, want 1500", got)
	}
	if got := DoseFor(additive, 30, 1900, 1800); got != 0 {
		t.Errorf("nothing is missing: %g L", float64(got))
	}
	if got := DoseFor(Additive{}, 30, 0, 1800); !math.IsInf(float64(got), 1) {
		t.Errorf("an additive without nitrite: %g L", float64(got))
	}
	if got, ok := DilutionFor(30, 3600, 1800, 0); !ok || math.Abs(float64(got)-15) > 1e-9 {
		t.Errorf("%g L to drain, want 15", float64(got))
	}
	if _, ok := DilutionFor(30, 3600, 1800, 2000); ok {
		t.Error("a mix with more nitrite than the target dilutes nothing")
	}
	if got := NitriteRise(45, 0); got != 0 {
		t.Errorf("an empty charge: %g", got)
	}
}

// A product too weak for its target is named, with the glycol that one would need. By
// hand: of 10 L of 50 %, 5 L are replaced; (0.5·5 + x·5)/10 = 0.55 wants x = 0.60, but for
// the little that volumes shrink.
func TestNeededGlycol(t *testing.T) {
	p, err := Correct(CorrectionTask{Present: charge(t, 10, .5), Capacity: 10, Drainable: 5, Target: .55, Base: EG, Additives: []float64{.45}})
	if err != nil {
		t.Fatal(err)
	}
	if p.Reached || len(p.Passes) > 0 || math.Abs(p.NeededGlycol-0.60) > 0.01 {
		t.Errorf("%+v", p)
	}
}
