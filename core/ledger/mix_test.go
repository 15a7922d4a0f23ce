package ledger

import (
	"math"
	"slices"
	"strings"
	"testing"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

var (
	truck = Unit{Code: "TK-01", Kind: "truck", Capacity: 30, Base: coolant.EG, Meter: measure.EngineTime, WetLiners: true, Metal: coolant.Iron}
	noat  = coolant.Product{Code: "N", Name: "NOAT", Base: coolant.EG, Technology: "NOAT", Form: coolant.Premix, Glycol: 0.5, Meets: []coolant.Standard{coolant.D6210}}
	iat   = coolant.Product{Code: "I", Name: "IAT", Base: coolant.EG, Technology: "IAT", Form: coolant.Concentrate, Glycol: 0.95, Stated: true, Density: 1.13, Meets: []coolant.Standard{coolant.D4985}}
	siOAT = coolant.Product{Code: "S", Name: "Si-OAT", Base: coolant.EG, Technology: "Si-OAT", Form: coolant.Premix, Glycol: 0.5}
	sca   = coolant.Additive{Code: "SCA", Name: "SCA", Kind: coolant.SCA, Nitrite: 90}
	ext   = coolant.Additive{Code: "EXT", Name: "extender", Kind: coolant.Extender, Nitrite: 60}
	plain = coolant.Additive{Code: "AF", Name: "filter", Kind: coolant.Filter, Nitrite: 15, Release: coolant.ReleaseNeed, Months: 12}
)

func half() *float64 { return ptr(50.0) }

func filled(p coolant.Product, v float64) Renewal {
	r := Renewal{Volume: litres(v), Product: p, Emptied: true}
	if p.Form == coolant.Concentrate {
		r.Share = half()
	}
	return r
}

func nitrite(v float64) ChemistryTest { return ChemistryTest{Nitrite: &v} }

func findingOf(a Account, point string) *Finding {
	if i := slices.IndexFunc(a.Findings, func(f Finding) bool { return f.Point == point }); i >= 0 {
		return &a.Findings[i]
	}
	return nil
}

// A property's last test counts: a good pH does not take the place of a nitrite that is gone.
// What was dosed since is left out until it is tested again; a renewal leaves only what is
// the unit's own.
func TestChemistryByLastTest(t *testing.T) {
	entries := []Entry{on(0, filled(noat, 30)), on(100, nitrite(0)), on(101, ChemistryTest{PH: ptr(8.4)}), on(102, ChemistryTest{Stray: ptr(-0.6)})}
	a := Fold(truck, entries)
	if f := findingOf(a, PointChemistry); f == nil || f.Grade != coolant.GradeBad || f.State != "nitrite,stray voltage" {
		t.Errorf("nitrite gone, then a good pH, then stray voltage: %+v", f)
	}
	if now := a.ChemistryNow(); len(now) != 3 || now[1].Property != coolant.PropNitrite || now[1].Remedy != coolant.RemedyExtender {
		t.Errorf("properties now: %+v", now)
	}
	dosed := Fold(truck, append(slices.Clone(entries), on(103, ExtenderDose{Volume: litres(0.3), Additive: ext})))
	if now := dosed.ChemistryNow(); len(now) != 2 || dosed.Given.DosedAt == nil || dosed.Given.ExtendedAt == nil {
		t.Errorf("after a dose: %+v, %+v", now, dosed.Given)
	}
	renewed := Fold(truck, append(slices.Clone(entries), on(104, filled(noat, 30))))
	if now := renewed.ChemistryNow(); len(now) != 1 || now[0].Property != coolant.PropStray || findingOf(renewed, PointChemistry) != nil {
		t.Errorf("after a renewal: %+v, %+v", now, renewed.Findings)
	}
	// A strip past its date or read too late judges nothing, and takes no judgement's place.
	spoilt := ChemistryTest{Nitrite: ptr(1200.0), NitriteTo: ptr(1600.0), Method: ByStrip, Expired: true}
	a = Fold(truck, append(slices.Clone(entries), on(105, spoilt)))
	if f := findingOf(a, PointChemistry); f.Grade != coolant.GradeBad || !slices.Contains(a.Lines[4].Notes, NoteStrip) {
		t.Errorf("a strip past its date: %+v, %v", f, a.Lines[4].Notes)
	}
}

// NO₂ and MoO₄ whatever they are stated as: 1800 ppm as NaNO₂ are 1200 as NO₂ (molar masses).
func TestStatedAs(t *testing.T) {
	a := Fold(truck, []Entry{on(0, filled(iat, 30)), on(1, ChemistryTest{Nitrite: ptr(1800.0), NitriteAs: coolant.AsNaNO2, Molybdate: ptr(300.0), MolybdateAs: coolant.AsMo})})
	s := a.Chemistry[0].Sample
	if math.Abs(s.Nitrite.Low-1200) > 1 || math.Abs(s.Molybdate.Low-500) > 1 {
		t.Errorf("nitrite %+v, molybdate %+v", s.Nitrite, s.Molybdate)
	}
}

// Three samples make a trend; a dose or a fill restarts it.
func TestTrendAfterDose(t *testing.T) {
	entries := []Entry{on(0, filled(iat, 30)), on(10, nitrite(2000)), on(110, nitrite(1700)), on(210, nitrite(1400))}
	a := Fold(truck, entries)
	at, ok := a.ChemistryTrend(coolant.PropNitrite)
	if want := day(410); !ok || math.Abs(at.Sub(want).Hours()) > 24 { // 3 ppm a day: 1400 meets 800 in 200 days
		t.Errorf("falls to 800 on %v, %v; want %v", at, ok, want)
	}
	entries = append(entries, on(211, Dose{Volume: litres(0.1), Additive: sca}), on(220, nitrite(1700)))
	a = Fold(truck, entries)
	if at, ok := a.ChemistryTrend(coolant.PropNitrite); ok {
		t.Errorf("one sample since the dose runs to its limit on %v", at)
	}
	filter := append(slices.Clone(entries[:4]), on(211, AdditiveFilter{Additive: plain}))
	a = Fold(truck, filter)
	if _, ok := a.ChemistryTrend(coolant.PropNitrite); ok || a.Filter == nil {
		t.Errorf("a filter that gives nitrite restarts the trend: %v, %+v", ok, a.Filter)
	}
}

// Litres by mass balance: 30 L of half and half weigh 32 kg, so 1400 ppm more are 44.7 g, half
// a litre of an additive with 90 g; too much is drained in part.
func TestProposals(t *testing.T) {
	additives := []coolant.Additive{sca, ext, plain}
	low := Fold(truck, []Entry{on(0, filled(iat, 30)), on(1, nitrite(400))})
	p := low.Proposals(additives)
	if len(p) != 1 || p[0].Additive.Code != "SCA" || math.Abs(float64(p[0].Litres)-0.497) > 0.01 || p[0].Most <= p[0].Litres {
		t.Errorf("low in an IAT: %+v", p)
	}
	low = Fold(truck, []Entry{on(0, filled(noat, 30)), on(1, nitrite(100))})
	if p := low.Proposals(additives); len(p) != 1 || p[0].Additive.Code != "EXT" {
		t.Errorf("low in a NOAT: %+v", p)
	}
	high := Fold(truck, []Entry{on(0, filled(iat, 30)), on(1, nitrite(3600))})
	if p := high.Proposals(additives); len(p) != 1 || p[0].Remedy != coolant.RemedyDilute || math.Abs(float64(p[0].Litres)-15) > 0.2 {
		t.Errorf("too much: %+v", p)
	}
	for name, entries := range map[string][]Entry{"good": {on(0, filled(iat, 30)), on(1, nitrite(1500))}, "not tested": {on(0, filled(iat, 30))}} {
		if a := Fold(truck, entries); a.Proposals(additives) != nil {
			t.Errorf("%s: %+v", name, a.Proposals(additives))
		}
	}
}

// A dose is refused by its sum, and one into a charge that was not tested; an extender is
// given once. Each is recorded once its writer confirms that it happened.
func TestDosesAreAskedAbout(t *testing.T) {
	tested := []Entry{on(0, filled(iat, 30)), on(5, nitrite(2000))}
	onNOAT := []Entry{on(0, filled(noat, 30)), on(5, nitrite(500)), on(6, ExtenderDose{Volume: litres(0.1), Additive: ext})}
	for _, c := range []struct {
		name     string
		written  []Entry
		body     Body
		accepted string // empty: written
	}{
		{"within the sum", tested, Dose{Volume: litres(0.3), Additive: sca}, ""},
		{"over the sum", tested, Dose{Volume: litres(0.5), Additive: sca}, "at most 0.426 L: no more than 3200 ppm"},
		{"over the sum of two", append(slices.Clone(tested), on(6, Dose{Volume: litres(0.3), Additive: sca})), Dose{Volume: litres(0.2), Additive: sca}, "at most 0.126 L"},
		{"not tested", tested[:1], Dose{Volume: litres(0.1), Additive: sca}, "after a test of the nitrite"},
		{"SCA into NOAT", onNOAT[:2], Dose{Volume: litres(0.1), Additive: sca}, "an extender in NOAT"},
		{"extender into NOAT", onNOAT[:2], ExtenderDose{Volume: litres(0.1), Additive: ext}, ""},
		{"a second extender", onNOAT, ExtenderDose{Volume: litres(0.05), Additive: ext}, "renew it instead"},
		{"a filter", onNOAT[:2], AdditiveFilter{Additive: plain}, ""},
		{"a filter over the sum", append(slices.Clone(tested), on(6, nitrite(3100))), AdditiveFilter{Additive: plain}, "a blank filter"},
	} {
		e := on(50, c.body)
		errs := Check(truck, c.written, e, day(60))
		if c.accepted == "" {
			if len(errs) > 0 {
				t.Errorf("%s: %v", c.name, errs[0])
			}
			continue
		}
		if len(errs) == 0 || !errs[0].Question || !strings.Contains(errs[0].Accepted, c.accepted) {
			t.Errorf("%s: %v; want %s", c.name, errs, c.accepted)
		}
		e.Confirmed = true
		if errs := Check(truck, c.written, e, day(60)); len(errs) > 0 {
			t.Errorf("%s, confirmed: %v", c.name, errs[0])
		}
	}
	if errs := Check(truck, tested, on(50, Dose{Volume: litres(0.1), Additive: ext}), day(60)); len(errs) == 0 || errs[0].Question {
		t.Errorf("an extender as a dose of SCA: %v", errs)
	}
	a := Fold(truck, append(slices.Clone(tested), on(6, Dose{Volume: litres(0.6), Additive: sca})))
	if !slices.Contains(a.Lines[2].Notes, NoteOverDosed) {
		t.Errorf("over-dosed: %v", a.Lines[2].Notes)
	}
}

// Shares by hand: 1 L of a foreign premix in 9 L of the same strength is a tenth; a third is
// too much; a renewal that leaves a twentieth of it is good again. Named compatible, it is
// none.
func TestForeignProduct(t *testing.T) {
	u := car
	u.Capacity = 10
	pour := func(v float64, p coolant.Product) TopUp {
		return TopUp{Volume: litres(v), With: coolant.Premix, Product: &p}
	}
	entries := []Entry{on(0, filled(premix, 9)), on(1, pour(1, siOAT))}
	a := Fold(u, entries)
	if f := a.ForeignShare(); math.Abs(f-0.1) > 1e-6 || findingOf(a, PointProduct) != nil {
		t.Errorf("a tenth: %.4f, %+v", f, findingOf(a, PointProduct))
	}
	entries = append(entries, on(2, Loss{Volume: litres(1)}), on(3, pour(1, siOAT)))
	a = Fold(u, entries)
	if f := findingOf(a, PointProduct); math.Abs(a.ForeignShare()-0.19) > 1e-6 || f == nil || f.Grade != coolant.GradeSoft {
		t.Errorf("a fifth: %.4f, %+v", a.ForeignShare(), f)
	}
	entries = append(entries, on(4, Loss{Volume: litres(2)}), on(5, pour(2, siOAT)))
	if a = Fold(u, entries); findingOf(a, PointProduct).Grade != coolant.GradeBad {
		t.Errorf("a third: %.4f, %+v", a.ForeignShare(), findingOf(a, PointProduct))
	}
	again := filled(premix, 9.5)
	again.Emptied, again.Drained = false, []Drained{{Point: "petcock", Volume: litres(9.5)}}
	a = Fold(u, append(slices.Clone(entries), on(6, again)))
	if f := findingOf(a, PointProduct); a.ForeignShare() > 0.03 || f == nil || f.Grade != coolant.GradeGood {
		t.Errorf("renewed but for a twentieth: %.4f, %+v", a.ForeignShare(), f)
	}
	named := siOAT
	named.Named = []coolant.Technology{coolant.OAT}
	if a := Fold(u, []Entry{on(0, filled(premix, 6)), on(1, pour(4, named))}); a.ForeignShare() != 0 {
		t.Errorf("named compatible: %.4f", a.ForeignShare())
	}
	// Of what is not known, what stays is foreign.
	unknown := Fold(u, []Entry{on(0, Opening{History: UnknownHistory}), on(1, Renewal{Volume: litres(6), Product: premix, Drained: []Drained{{Point: "petcock", Volume: litres(6)}}})})
	if unknown.ForeignShare() < 0.25 {
		t.Errorf("four tenths of what is not known: %.4f", unknown.ForeignShare())
	}
	// An aircraft with too much of a foreign product is held until it is released.
	plane := u
	plane.Aircraft = true
	if a := Fold(plane, entries); !slices.ContainsFunc(a.Stops(), func(s Stop) bool { return s.Cause == StopFinding && s.About.String() == "product: foreign_much" }) {
		t.Errorf("an aircraft: %+v", a.Stops())
	}
}

// Every pour is asked about that may not go onto what is inside, and a fill that the system
// is not made for.
func TestPoursAreAskedAbout(t *testing.T) {
	dry := coolant.Product{Code: "W", Name: "waterless", Base: coolant.NoWater, Technology: "waterless", Form: coolant.Premix, Glycol: 1}
	strong := []Entry{on(0, filled(premix, 8)), on(2, TopUp{Volume: litres(3), With: coolant.Concentrate, Product: &conc}), on(3, test(-52, coolant.EG))}
	with := func(change func(*Unit)) Unit {
		u := car
		change(&u)
		return u
	}
	onOAT := []Entry{on(0, filled(premix, 8))}
	for _, c := range []struct {
		name     string
		unit     Unit
		written  []Entry
		body     Body
		accepted string
	}{
		{"the same", car, onOAT, TopUp{Volume: litres(0.3), With: coolant.Premix, Product: &premix}, ""},
		{"another technology", car, onOAT, TopUp{Volume: litres(0.3), With: coolant.Premix, Product: &siOAT}, "only after a full flush"},
		{"waterless", car, onOAT, TopUp{Volume: litres(0.3), With: coolant.Premix, Product: &dry}, "only after a full flush"},
		{"water onto a mix that was tested too strong", car, strong, water(0.3), ""},
		{"water onto a waterless coolant", car, []Entry{on(0, filled(dry, 8))}, water(0.3), "another product: Waterless"},
		{"water where only premix goes", with(func(u *Unit) { u.PremixOnly = true }), strong, water(0.3), "premix only"},
		{"a fill with silicate", with(func(u *Unit) { u.SilicateFree = true }), nil, filled(siOAT, 8), "silicate-free"},
		{"a fill that another technology is required for", with(func(u *Unit) { u.Required = coolant.POAT }), nil, filled(premix, 8), "requires another"},
		{"a fill of concentrate where only premix goes", with(func(u *Unit) { u.PremixOnly = true }), nil, filled(conc, 8), "premix only"},
		{"a fill for wet liners that claims nothing", truck, nil, filled(siOAT, 30), "maker's list"},
		{"a fill on the maker's list", func() Unit { u := truck; u.Listed = []string{"S"}; return u }(), nil, filled(siOAT, 30), ""},
		{"a fill that leaves much of another inside", car, []Entry{on(0, filled(siOAT, 8))},
			Renewal{Volume: litres(5), Product: premix, Drained: []Drained{{Point: "petcock", Volume: litres(5)}}}, "a full flush"},
		{"a cleaner that is not flushed out", car, onOAT, Renewal{Volume: litres(8), Product: premix, Emptied: true, Flushes: 1, FlushWith: "cleaner"}, "until it runs clear"},
		{"a cleaner that is", car, onOAT, Renewal{Volume: litres(8), Product: premix, Emptied: true, Flushes: 1, FlushWith: "cleaner", Rinses: 3}, ""},
		{"a strip's one end", car, onOAT, ChemistryTest{PH: ptr(8.0), Method: ByStrip}, "upper end"},
		{"reserve alkalinity by a strip", car, onOAT, ChemistryTest{Reserve: ptr(4.0), Method: ByStrip}, "laboratory"},
		{"a step upside down", car, onOAT, ChemistryTest{Nitrite: ptr(800.0), NitriteTo: ptr(300.0), Method: ByStrip}, "800 to 10000"},
		{"a basis that is none", car, onOAT, ChemistryTest{Nitrite: ptr(800.0), NitriteAs: "ppm"}, "NaNO2"},
		{"late by a meter", car, onOAT, ChemistryTest{PH: ptr(8.0), Late: true}, "strip"},
	} {
		errs := Check(c.unit, c.written, on(50, c.body), day(60))
		switch {
		case c.accepted == "" && len(errs) > 0:
			t.Errorf("%s: %v", c.name, errs[0])
		case c.accepted != "" && (len(errs) == 0 || !strings.Contains(errs[0].Accepted, c.accepted)):
			t.Errorf("%s: %v; want %s", c.name, errs, c.accepted)
		}
	}
}

// Waterless: what its product says while no water got in; unknown once it has; known again
// when a test shows no more than 3 %. Glycol scales say nothing of it.
func TestWaterless(t *testing.T) {
	cold := measure.Celsius(-40)
	dry := coolant.Product{Code: "W", Base: coolant.NoWater, Technology: "waterless", Form: coolant.Premix, Glycol: 1, Freeze: &cold}
	u := Unit{Code: "MC", Capacity: 2, Base: coolant.NoWater}
	water3 := func(v float64) FreezeTest {
		return FreezeTest{Value: measure.Reading{Value: v, Unit: measure.Percent}, Instrument: Refractometer, Scale: coolant.NoWater}
	}
	protects := func(entries ...Entry) *measure.Celsius {
		a := Fold(u, append([]Entry{on(0, filled(dry, 2))}, entries...))
		return a.ProtectsTo()
	}
	for _, c := range []struct {
		name    string
		entries []Entry
		known   bool
	}{
		{"as filled", nil, true},
		{"water once in", []Entry{on(1, water(0.05))}, false},
		{"water in, and tested little", []Entry{on(1, water(0.05)), on(3, water3(2.5))}, true},
		{"water in, and tested much", []Entry{on(1, water(0.05)), on(3, water3(4))}, false},
		{"tested much", []Entry{on(3, water3(4))}, false},
		{"tested much, then little", []Entry{on(3, water3(4)), on(4, water3(2))}, true},
		{"read on a glycol scale", []Entry{on(3, test(-35, coolant.EG))}, true},
		{"drained in part after a water flush", []Entry{on(3, Renewal{Volume: litres(1.5), Product: dry, Drained: []Drained{{Point: "petcock", Volume: litres(1.5)}}, Flushes: 2, FlushWith: "water"})}, false},
		{"drained in part after a flush with prep fluid", []Entry{on(3, Renewal{Volume: litres(1.5), Product: dry, Drained: []Drained{{Point: "petcock", Volume: litres(1.5)}}, Flushes: 2, FlushWith: PrepFluid})}, true},
	} {
		got := protects(c.entries...)
		if (got != nil) != c.known || got != nil && *got != cold {
			t.Errorf("%s: protects to %v", c.name, got)
		}
	}
	unstated := dry
	unstated.Freeze = nil
	if a := Fold(u, []Entry{on(0, filled(unstated, 2)), on(3, water3(1))}); a.ProtectsTo() != nil {
		t.Errorf("a product that states no figure protects to %v", *a.ProtectsTo())
	}
}

// The books carry what a label leaves open: half and half of a concentrate that states
// nothing freezes between −33 and −37 °C, of PG between −30 and −33 (common practice).
func TestLabelInTheBooks(t *testing.T) {
	for base, want := range map[coolant.Base][2]measure.Celsius{coolant.EG: {-37, -33}, coolant.PG: {-32.5, -29}} {
		p := coolant.Product{Code: "C", Base: base, Technology: "OAT", Form: coolant.Concentrate, Glycol: coolant.ConcentrateGlycol}
		a := Fold(Unit{Capacity: 8}, []Entry{on(0, filled(p, 8))})
		if b := a.Balance; b.Low == nil || *b.Low > want[0] || *b.High < want[1] || *b.Freeze < want[0] || *b.Freeze > want[1] {
			t.Errorf("%s: freezes at %v, from %v to %v; want %v", base, *b.Freeze, *b.Low, *b.High, want)
		}
		stated := p
		stated.Glycol, stated.Stated = 0.95, true
		if s := Fold(Unit{Capacity: 8}, []Entry{on(0, filled(stated, 8))}); *s.Balance.High-*s.Balance.Low >= *a.Balance.High-*a.Balance.Low {
			t.Errorf("%s: what the product states is as wide as what it does not", base)
		}
	}
	// Neat concentrate is too strong, and what it freezes at is known (pure EG: −12.9 °C, CRC).
	neat := Fold(car, []Entry{on(0, Renewal{Volume: litres(8), Product: coolant.Product{Code: "N", Base: coolant.EG, Technology: "OAT", Form: coolant.Concentrate, Glycol: 1, Stated: true}, Share: ptr(100.0), Emptied: true})})
	if p := neat.ProtectsTo(); p == nil || math.Abs(float64(*p)+12.9) > 0.1 {
		t.Errorf("neat concentrate protects to %v", p)
	}
}

// A bracket that contains the book confirms it and no more: what a unit protects to stays what the book has, or what a
// figure since the
// last change has; a book beyond its cold end is believed to there. One that lies outside counts as before.
func TestBracketConfirms(t *testing.T) {
	hydrometer := FreezeTest{Value: measure.Reading{Value: 1.066, Unit: measure.Relative}, Instrument: Hydrometer}
	discs := func(n float64) FreezeTest {
		return FreezeTest{Value: measure.Reading{Value: n, Unit: measure.Discs}, Instrument: DiscTester, Chart: []measure.Celsius{-7, -15, -23, -34, -45}}
	}
	read := func(c measure.Celsius) FreezeTest {
		return FreezeTest{Value: measure.Reading{Value: float64(c), Unit: measure.DegC}, Instrument: Refractometer, Scale: coolant.EG, Tool: "R-1"}
	}
	protects := func(tests ...Body) measure.Celsius {
		entries := []Entry{on(0, filled(conc, 8))}
		for i, b := range tests {
			entries = append(entries, on(2+i, b))
		}
		a := Fold(car, entries)
		return *a.ProtectsTo()
	}
	book := protects()
	for name, c := range map[string]struct {
		got, low, high measure.Celsius
	}{
		"hydrometer, any concentrate":         {protects(hydrometer), book, book},
		"the step of discs that the book has": {protects(discs(4)), book, book},
		"a step that is warmer counts":        {protects(discs(2)), -15, -15},
		"after a figure":                      {protects(read(-34), hydrometer), protects(read(-34)), protects(read(-34))},
		"before a figure":                     {protects(hydrometer, read(-34)), book, -34},
	} {
		if c.got < c.low-1e-9 || c.got > c.high+1e-9 {
			t.Errorf("%s: protects to %.2f, want %.2f to %.2f; book %.2f", name, float64(c.got), float64(c.low), float64(c.high), float64(book))
		}
	}
}

// A right half-and-half agrees with the book by a hydrometer, whichever concentrate it is; by
// the product's own density it is a figure.
func TestHydrometerAgainstTheBook(t *testing.T) {
	sg := func(v float64) FreezeTest {
		return FreezeTest{Value: measure.Reading{Value: v, Unit: measure.Relative}, Instrument: Hydrometer}
	}
	own := iat
	own.Glycol = 0.99
	for name, c := range map[string]struct {
		product coolant.Product
		reads   float64
		agrees  bool
	}{"a light concentrate": {conc, 1.066, true}, "a dense one": {conc, 1.083, true}, "far too thin": {conc, 1.03, false}, "its own density": {own, 1.0765, true}, "its own density, too thin": {own, 1.06, false}} {
		a := Fold(car, []Entry{on(0, filled(c.product, 8)), on(2, sg(c.reads))})
		if r := a.Lines[1].Test; r.Agrees != c.agrees || !r.Trusted {
			t.Errorf("%s: measured %.1f, book %.1f, agrees %v, notes %v", name, float64(r.Measured), float64(*r.Book), r.Agrees, a.Lines[1].Notes)
		}
	}
}
