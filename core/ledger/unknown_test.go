package ledger

import (
	"slices"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// One test of an unknown charge shows its strength, and nothing of the level; that it is so rests on the one test
// until a zeroed one, or another instrument, shows the same.
func TestUnknownStaysUnknown(t *testing.T) {
	forgot := on(0, Opening{History: UnknownHistory})
	first := on(10, made("R-1", test(-33, coolant.EG)))
	level := func(mark string) LevelCheck { return LevelCheck{Temper: Cold, Mark: mark} }
	over := func(mm float64) LevelCheck {
		return LevelCheck{Temper: Cold, Over: &measure.Reading{Value: mm, Unit: measure.Millimetre}}
	}
	unmarked := car
	unmarked.Marks = 0
	for _, c := range []struct {
		name    string
		unit    Unit
		entries []Entry
		level   LevelCause
		single  bool
		litres  float64 // 0: not known
	}{
		{"one test", car, []Entry{first}, LevelNeverSeen, true, 0},
		{"a zeroed one", car, []Entry{on(10, zeroTest(-33))}, LevelNeverSeen, false, 0},
		{"a strip", car, []Entry{on(10, FreezeTest{Value: measure.Reading{Value: -30, Unit: measure.DegC}, Instrument: TestStrip, Cold: ptr(measure.Celsius(-37))})}, LevelNeverSeen, true, 0},
		{"the same again", car, []Entry{first, on(11, made("R-1", test(-33, coolant.EG)))}, LevelNeverSeen, true, 0},
		{"one without a name", car, []Entry{first, on(11, test(-33, coolant.EG))}, LevelNeverSeen, true, 0},
		{"another instrument", car, []Entry{first, on(11, made("R-2", test(-33, coolant.EG)))}, LevelNeverSeen, false, 0},
		{"another that shows more", car, []Entry{first, on(11, made("R-2", test(-45, coolant.EG)))}, LevelNeverSeen, false, 0},
		{"another that shows less", car, []Entry{first, on(11, made("R-2", test(-15, coolant.EG)))}, LevelNeverSeen, true, 0},
		{"the level after it", car, []Entry{first, on(11, level("max"))}, "", true, 8},
		{"the level before it", car, []Entry{on(9, level("max")), first}, "", true, 8},
		{"the level before it, and a loss", car, []Entry{on(8, level("max")), on(9, Loss{Volume: litres(1)}), first}, LevelNeverSeen, true, 0},
		{"low before it", car, []Entry{on(9, level("min")), first}, LevelNeverSeen, true, 0},
		{"low after it", car, []Entry{first, on(11, level("min"))}, "", true, 7.6},
		{"a hot level", car, []Entry{first, on(11, LevelCheck{Temper: Hot, Mark: "max"})}, LevelNeverSeen, true, 0},
		{"a full bottle", car, []Entry{first, on(11, LevelCheck{Temper: Cold, Mark: "max", Place: PlaceBottle})}, LevelNeverSeen, true, 0},
		{"a litre exchanged", car, []Entry{first, on(11, Renewal{Volume: litres(1), Product: premix, Drained: []Drained{{"petcock", litres(1)}}})}, LevelNeverSeen, true, 0},
		{"a litre exchanged before any test", car, []Entry{on(11, Renewal{Volume: litres(1), Product: premix, Drained: []Drained{{"petcock", litres(1)}}})}, LevelNeverSeen, false, 0},
		{"a litre exchanged, the level seen before", car, []Entry{on(9, level("max")), first, on(11, Renewal{Volume: litres(1), Product: premix, Drained: []Drained{{"petcock", litres(1)}}})}, "", true, 8},
		{"a fill", car, []Entry{first, on(11, Renewal{Volume: litres(8), Product: conc, Share: ptr(50.0), Emptied: true})}, "", false, 8},
		{"millimetres without marks", unmarked, []Entry{first, on(11, over(-50))}, LevelNeverSeen, true, 0},
		{"millimetres of a filled one", unmarked, []Entry{on(5, Renewal{Volume: litres(8), Product: conc, Share: ptr(50.0), Emptied: true}), on(11, over(-50))}, LevelNotJudged, false, 8},
		{"seen at the mark then", unmarked, []Entry{on(5, Renewal{Volume: litres(8), Product: conc, Share: ptr(50.0), Emptied: true}), on(11, over(-50)), on(12, level("max"))}, "", false, 8},
	} {
		a := Fold(c.unit, append([]Entry{forgot}, c.entries...))
		if a.LevelUnknown != c.level || (a.Single != nil) != c.single {
			t.Errorf("%s: level %q, single %v", c.name, a.LevelUnknown, a.Single)
		}
		if got := a.Balance.Litres; (got == nil) != (c.litres == 0) {
			t.Errorf("%s: %v litres by the book", c.name, got)
		} else if got != nil {
			near(t, c.name+": litres", ptr(float64(*got)), c.litres, 0.05)
		}
		packed, err := a.Store()
		if err != nil {
			t.Fatal(err)
		}
		back, err := Restore(c.unit, packed)
		if err != nil || back.LevelUnknown != a.LevelUnknown || (back.Single == nil) != (a.Single == nil) || back.levelSeen != a.levelSeen {
			t.Errorf("%s: restored as %+v, %v", c.name, back, err)
		}
	}
	// What does not fit into a system that was only taken as full is no loss.
	poured := Fold(car, []Entry{forgot, first, on(20, TopUp{Volume: litres(1), With: coolant.Water}), on(40, TopUp{Volume: litres(1), With: coolant.Water})})
	if poured.Leak() != nil || slices.ContainsFunc(poured.Lines, func(l Line) bool { return l.Implied != 0 }) {
		t.Errorf("a leak of %+v from an unobserved level", poured.Leak())
	}
}

// By the register an instrument cannot have made every test that is written of it.
func TestCannotHaveMade(t *testing.T) {
	chart := []measure.Celsius{-7, -15, -23}
	discs := func(chart ...measure.Celsius) FreezeTest {
		return FreezeTest{Value: measure.Reading{Value: 2, Unit: measure.Discs}, Instrument: DiscTester, Chart: chart, Tool: "D-1"}
	}
	strip := FreezeTest{Value: measure.Reading{Value: -30, Unit: measure.DegC}, Instrument: TestStrip}
	float := FreezeTest{Value: measure.Reading{Value: 1.07, Unit: measure.Relative}, Instrument: Hydrometer}
	brix := FreezeTest{Value: measure.Reading{Value: 32, Unit: measure.Brix}, Instrument: Refractometer}
	warm := test(-33, coolant.EG)
	warm.Sample = &measure.Reading{Value: 86, Unit: measure.DegF} // 30 °C
	zeroed := zeroTest(-33)
	expires := measure.DateOf(day(9), time.UTC)
	low, high := measure.Celsius(10), measure.Celsius(25)
	refractometer := func(scale string) Registered { return Registered{Kind: KindRefractometer, Scale: scale} }
	for _, c := range []struct {
		name string
		of   Registered
		test Body
		why  Note
	}{
		{"nothing is known", Registered{}, test(-33, coolant.PG), ""},
		{"EG on EG", refractometer("EG"), test(-33, coolant.EG), ""},
		{"PG on EG", refractometer("EG"), test(-33, coolant.PG), NoteInstrumentScale},
		{"EG on PG", refractometer("PG"), test(-33, coolant.EG), NoteInstrumentScale},
		{"PG on both", refractometer("EG_PG"), test(-33, coolant.PG), ""},
		{"EG on sugar", refractometer("brix"), test(-33, coolant.EG), NoteInstrumentScale},
		{"sugar on sugar", refractometer("brix"), brix, ""},
		{"sugar on EG", refractometer("EG"), brix, NoteInstrumentScale},
		{"digital", Registered{Kind: KindDigitalRefractometer, Scale: "EG"}, zeroed, ""},
		{"a hydrometer as a refractometer", Registered{Kind: KindHydrometer}, test(-33, coolant.EG), NoteInstrumentKind},
		{"a cap tester", Registered{Kind: KindCapTester}, test(-33, coolant.EG), NoteInstrumentKind},
		{"a hydrometer", Registered{Kind: KindHydrometer, Scale: "EG"}, float, ""},
		{"a hydrometer for PG", Registered{Kind: KindHydrometer, Scale: "PG"}, float, NoteInstrumentScale},
		{"its own chart", Registered{Kind: KindDiscTester, Chart: chart}, discs(chart...), ""},
		{"no chart in the register", Registered{Kind: KindDiscTester}, discs(-7, -20), ""},
		{"another chart", Registered{Kind: KindDiscTester, Chart: chart}, discs(-7, -15, -40), NoteInstrumentChart},
		{"a shorter chart", Registered{Kind: KindDiscTester, Chart: chart}, discs(-7, -15), NoteInstrumentChart},
		{"strips past their day", Registered{Kind: KindStrips, Expires: &expires}, strip, NoteStrip},
		{"chemistry by strips past their day", Registered{Kind: KindStrips, Expires: &expires}, ChemistryTest{PH: ptr(8.0)}, NoteStrip},
		{"chemistry by a refractometer", refractometer("EG"), ChemistryTest{PH: ptr(8.0)}, NoteInstrumentKind},
		{"chemistry by a meter", Registered{Kind: "ph_meter"}, ChemistryTest{PH: ptr(8.0)}, ""},
		{"a sample in its range", Registered{SampleLow: &low}, warm, ""},
		{"a sample too warm", Registered{SampleLow: &low, SampleHigh: &high}, warm, NoteInstrumentSample},
		{"zero on another scale", refractometer("EG"), ZeroCheck{Zero: measure.Reading{Unit: measure.Brix}}, NoteInstrumentScale},
		{"zero of discs", Registered{Kind: KindDiscTester}, ZeroCheck{Zero: measure.Reading{Unit: measure.DegC}}, NoteInstrumentKind},
		{"no test", refractometer("EG"), Hold{}, ""},
	} {
		if why := c.of.CannotHaveMade(c.test, measure.DateOf(day(10), time.UTC)); why != c.why {
			t.Errorf("%s: %q, want %q", c.name, why, c.why)
		}
	}
	// It is recorded, and says nothing.
	e := on(10, made("R-1", zeroTest(-33)))
	e.Envelope.Unusable = NoteInstrumentScale
	a := Fold(car, []Entry{on(0, Opening{History: UnknownHistory}), e})
	if a.Known || a.ProtectsTo() != nil || len(a.Zeroed) > 0 || a.Distrusted == nil || a.Distrusted.Note != NoteInstrumentScale || !slices.Contains(a.Lines[1].Notes, NoteInstrumentScale) {
		t.Errorf("a test that its instrument cannot have made: %+v", a.Balance)
	}
	// A test that says nothing does not end what one before it said.
	strong := on(5, FreezeTest{Value: measure.Reading{Value: 80, Unit: measure.Brix}, Instrument: Refractometer})
	for name, later := range map[string]Entry{"cannot have made": e, "the other glycol's scale": on(10, test(-33, coolant.PG))} {
		if a := Fold(car, []Entry{on(0, Renewal{Volume: litres(8), Product: premix, Emptied: true}), strong, later}); a.Distrusted == nil || a.Distrusted.Note != NoteTooStrong {
			t.Errorf("%s: too strong before, and now %+v", name, a.Distrusted)
		}
	}
	dirty := on(10, ChemistryTest{PH: ptr(8.5), Appearance: coolant.AppearanceOily, Tool: "S-1"})
	dirty.Envelope.Unusable = NoteStrip
	if a := Fold(car, []Entry{on(0, Renewal{Volume: litres(8), Product: premix, Emptied: true}), dirty}); len(a.Stops()) == 0 || len(a.ChemistryNow()) != 1 {
		t.Errorf("what was seen counts all the same: %v, %+v", a.Stops(), a.ChemistryNow())
	}
}
