package ledger

import (
	"math"
	"strings"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

func TestCheck(t *testing.T) {
	written := []Entry{on(0, Renewal{Volume: litres(8), Product: premix, Meter: ptr(km(5000))}), on(50, Meter{Meter: km(7000)}), on(100, Meter{Meter: km(9000)})}
	written = append(written[:2:2], Entry{ID: "struck", At: day(90), Body: Meter{Meter: km(99_000)}}, Entry{ID: "strike", At: day(91), RecordedBy: "T. Quayle", Body: Strike{Entry: "struck", Why: "typed wrong"}}, written[2])
	now := day(200)
	over, share := 140.0, 50.0
	noMeter := car
	noMeter.Meter = ""
	further, both := car, car
	further.Circuit, further.Further, both.Second = RearHeaterCircuit, true, measure.EngineTime
	twenty := measure.Reading{Value: 20, Unit: measure.DegC}
	longAgo, farOff := measure.DateOf(day(20), time.UTC), measure.DateOf(day(40_000), time.UTC)
	for _, c := range []struct {
		name     string
		unit     Unit
		entry    Entry
		field    string // empty: accepted
		accepted string // part of what is said to be accepted
	}{
		{"top-up of the same", car, on(120, TopUp{Volume: litres(0.5), With: coolant.Premix, Product: &premix}), "", ""},
		{"water onto a premix", car, on(120, water(0.5)), "/topUp/with", "The same premix first"},
		{"water onto a premix, confirmed", car, confirmedBy(on(120, water(0.5))), "", ""},
		{"another glycol", car, on(120, TopUp{Volume: litres(0.5), With: coolant.Premix, Product: &pg}), "/topUp/product", "only after a full flush: The other glycol"},

		{"freeze test in °F", car, on(120, FreezeTest{Value: measure.Reading{Value: -34, Unit: measure.DegF}, Instrument: Refractometer, Scale: coolant.EG}), "", ""},
		{"a test of plain water", car, on(120, test(0, coolant.EG)), "", ""},
		{"loss", car, on(120, Loss{Volume: litres(8)}), "", ""},
		{"fill of concentrate", car, on(120, Renewal{Volume: litres(8.3), Product: conc, Share: &share, Emptied: true}), "", ""},
		{"meter between two", car, on(75, Meter{Meter: km(8000)}), "", ""},
		{"a clock a little ahead", car, Entry{At: now.Add(3 * time.Minute), Body: TopUp{Volume: litres(0.1), With: coolant.Premix, Product: &premix}}, "", ""},

		{"negative litres", car, on(120, water(-0.5)), "/topUp/volume/value", "0.005 to 8 L"},
		{"no litres", car, on(120, Loss{Volume: litres(0)}), "/loss/volume/value", "0.005 to"},
		{"litres beyond capacity", car, on(120, TopUp{Volume: measure.Reading{Value: 9, Unit: measure.USQt}, With: coolant.Water}), "/topUp/volume/value", "8.45 US qt"},
		{"litres as degrees", car, on(120, TopUp{Volume: measure.Reading{Value: 1, Unit: measure.DegC}, With: coolant.Water}), "/topUp/volume/unit", "qt_us"},
		{"not a number", car, on(120, water(math.NaN())), "/topUp/volume/value", "finite"},
		{"water from a product", car, on(120, TopUp{Volume: litres(1), With: coolant.Water, Product: &premix}), "/topUp/product", "no product"},
		{"premix without a product", car, on(120, TopUp{Volume: litres(1), With: coolant.Premix}), "/topUp/product", "premix"},
		{"concentrate called premix", car, on(120, TopUp{Volume: litres(1), With: coolant.Premix, Product: &conc}), "/topUp/product", "a premix"},
		{"with what", car, on(120, TopUp{Volume: litres(1), With: "milk"}), "/topUp/with", "premix, concentrate, water"},
		{"more lost than fits", car, on(120, Loss{Volume: litres(12.5)}), "/loss/volume/value", "0.005 to 12 L"},
		{"lost for no known cause", car, on(120, Loss{Volume: litres(1), Cause: "magic"}), "/loss/cause", "leak, spill, drained, sample"},
		{"poured before anything was known", car, on(-5, water(0.5)), "/topUp/with", "known to suit"},

		{"in the future", car, on(201, test(-30, coolant.EG)), "/at", "up to now"},
		{"long before the account", car, Entry{At: day(0).AddDate(-4, 0, 0), Body: test(-30, coolant.EG)}, "/at", "a day since"},
		{"long before the account, confirmed", car, confirmedBy(Entry{At: day(0).AddDate(-4, 0, 0), Body: Hold{Why: "on paper"}}), "", ""},
		{"more than there is room for", car, on(120, TopUp{Volume: litres(7), With: coolant.Premix, Product: &premix}), "/topUp/volume/value", "room"},
		{"more than there is room for, confirmed", car, confirmedBy(on(120, TopUp{Volume: litres(7), With: coolant.Premix, Product: &premix})), "", ""},
		{"before the age of records", car, Entry{At: time.Date(1950, 1, 1, 0, 0, 0, 0, time.UTC), Body: test(-30, coolant.EG)}, "/at", "1970"},
		{"above freezing", car, on(120, test(3, coolant.EG)), "/freezeTest/value/value", "-60 to 0 °C"},
		{"absolute zero", car, on(120, FreezeTest{Value: measure.Reading{Value: -300, Unit: measure.DegF}, Instrument: Refractometer, Scale: coolant.EG}), "/freezeTest/value/value", "-76 to 32 °F"},
		{"no scale", car, on(120, test(-30, "")), "/freezeTest/scale", "EG, PG"},
		{"another instrument", car, on(120, FreezeTest{Value: measure.Reading{Value: -30, Unit: measure.DegC}, Instrument: "finger", Scale: coolant.EG}), "/freezeTest/instrument", "refractometer"},
		{"degrees as litres", car, on(120, FreezeTest{Value: litres(3), Instrument: Refractometer, Scale: coolant.EG}), "/freezeTest/value/unit", "degF"},

		{"meter runs backwards", car, on(120, Meter{Meter: km(8500)}), "/meter/meter/value", "confirm it"},
		{"meter in miles runs backwards", car, on(120, Meter{Meter: measure.Reading{Value: 5000, Unit: measure.Mi}}), "/meter/meter/value", "confirm it"},
		{"backdated meter too high", car, on(75, Meter{Meter: km(9500)}), "/meter/meter/value", "confirm it"},
		{"more than any meter", car, on(120, Meter{Meter: km(2e7)}), "/meter/meter/value", "from 0, at most 10,000,000 km"},
		{"hours on a car", car, on(120, Meter{Meter: measure.Reading{Value: 5, Unit: measure.H}}), "/meter/meter/unit", "mi"},
		{"meter on a unit without one", noMeter, on(120, Meter{Meter: km(1)}), "/meter/meter", "no meter"},
		{"fill with a meter that ran back", car, on(120, Renewal{Volume: litres(8), Product: premix, Meter: ptr(km(1)), Emptied: true}), "/renewal/meter/value", "confirm it"},

		{"a fill of a lorry", car, on(120, fill(26)), "/renewal/volume/value", "to 12 L"},
		{"concentrate without a share", car, on(120, Renewal{Volume: litres(8), Product: conc}), "/renewal/share", "1 to 100"},
		{"share over all", car, on(120, Renewal{Volume: litres(8), Product: conc, Share: &over}), "/renewal/share", "1 to 100"},
		{"share of a premix", car, on(120, Renewal{Volume: litres(8), Product: premix, Share: &share}), "/renewal/share", "none for a premix"},
		{"a fill of nothing known", car, on(120, Renewal{Volume: litres(8)}), "/renewal/product", "a concentrate or a premix"},
		{"no content", car, Entry{At: day(120)}, "/kind", "top_up"},

		{"drained more than fits", car, on(120, Renewal{Volume: litres(8), Product: premix, Drained: []Drained{{"petcock", litres(7)}, {"block", litres(7)}}}), "/renewal/drained", "at most 12 L"},
		{"drained where", car, on(120, Renewal{Volume: litres(8), Product: premix, Drained: []Drained{{"roof", litres(7)}}}), "/renewal/drained/0/point", "heater_core"},
		{"flushed with what", car, on(120, Renewal{Volume: litres(8), Product: premix, Flushes: 2, Emptied: true}), "/renewal/flushWith", "water, cleaner"},
		{"bled how", car, on(120, Renewal{Volume: litres(8), Product: premix, Method: "hope", Emptied: true}), "/renewal/method", "vacuum"},
		{"torque in litres", car, on(120, Renewal{Volume: litres(8), Product: premix, Torque: []Torque{{"drain bolt", litres(9)}}, Emptied: true}), "/renewal/torque/0/value/unit", "lbf_ft"},
		{"torque", car, on(120, Renewal{Volume: litres(8), Product: premix, Torque: []Torque{{"drain bolt", measure.Reading{Value: 78, Unit: measure.InchPound}}}, Emptied: true}), "", ""},
		{"opening of an unknown product", car, on(0, Opening{History: UnknownHistory, Product: &premix}), "/opening/history", "not known"},
		{"factory opening", car, on(0, Opening{History: Factory, Product: &premix, Volume: ptr(litres(8))}), "", ""},
		{"opening as of when", car, on(0, Opening{History: "guess"}), "/opening/history", "factory, unknown"},
		{"hydrometer", car, on(120, FreezeTest{Value: measure.Reading{Value: 1.07, Unit: measure.Relative}, Instrument: Hydrometer}), "", ""},
		{"hydrometer on PG", Unit{Capacity: 8, Base: coolant.PG}, on(120, FreezeTest{Value: measure.Reading{Value: 1.03, Unit: measure.Relative}, Instrument: Hydrometer}), "/freezeTest/instrument", "no strength of PG"},
		{"more discs than there are", car, on(120, FreezeTest{Value: measure.Reading{Value: 7, Unit: measure.Discs}, Instrument: DiscTester, Tool: "D-1", Chart: sixDiscs}), "/freezeTest/value/value", "0 to 6 discs"},
		{"half a disc", car, on(120, FreezeTest{Value: measure.Reading{Value: 2.5, Unit: measure.Discs}, Instrument: DiscTester, Tool: "D-1", Chart: sixDiscs}), "/freezeTest/value/value", "whole"},
		{"discs without a chart", car, on(120, FreezeTest{Value: measure.Reading{Value: 2, Unit: measure.Discs}, Instrument: DiscTester, Tool: "D-1"}), "/freezeTest/chart", "1 to 12"},
		{"as many discs as there may be", car, on(120, FreezeTest{Value: measure.Reading{Value: 2, Unit: measure.Discs}, Instrument: DiscTester, Tool: "D-1", Chart: discs(12)}), "", ""},
		{"one disc more", car, on(120, FreezeTest{Value: measure.Reading{Value: 2, Unit: measure.Discs}, Instrument: DiscTester, Tool: "D-1", Chart: discs(13)}), "/freezeTest/chart", "1 to 12"},
		{"per cent line", car, on(120, FreezeTest{Value: measure.Reading{Value: 50, Unit: measure.Percent}, Instrument: Refractometer, Scale: coolant.EG}), "", ""},
		{"a zero far off", car, on(120, FreezeTest{Value: measure.Reading{Value: -30, Unit: measure.DegC}, Instrument: Refractometer, Scale: coolant.EG, Zero: ptr(-25.0)}), "/freezeTest/zero", "-10 to 10"},
		{"a band upside down", car, on(120, FreezeTest{Value: measure.Reading{Value: -30, Unit: measure.DegC}, Instrument: TestStrip, Cold: ptr(measure.Celsius(-20))}), "/freezeTest/cold", "cold end"},
		{"a sample that boils", car, on(120, FreezeTest{Value: measure.Reading{Value: -30, Unit: measure.DegC}, Instrument: Refractometer, Scale: coolant.EG, Sample: ptr(measure.Reading{Value: 150, Unit: measure.DegC})}), "/freezeTest/sample/value", "100"},
		{"conductivity by itself", car, on(120, ChemistryTest{Method: ByMeter, Conductivity: ptr(90.0)}), "/chemistryTest/conductivityAt", "the temperature of the sample"},
		{"a temperature by itself", car, on(120, ChemistryTest{Method: ByMeter, PH: ptr(8.0), ConductivityAt: &twenty}), "/chemistryTest/conductivity", "the conductivity read at"},
		{"conductivity by a strip", car, on(120, ChemistryTest{Method: ByStrip, Conductivity: ptr(90.0), ConductivityAt: &twenty}), "/chemistryTest/conductivity", "a meter or a laboratory"},
		{"conductivity by meter", car, on(120, ChemistryTest{Method: ByMeter, Conductivity: ptr(90.0), ConductivityAt: &twenty}), "", ""},
		{"chloride by meter", car, on(120, ChemistryTest{Method: ByMeter, Chloride: ptr(9.0)}), "/chemistryTest/chloride", "the figure of a laboratory"},
		{"a laboratory's chloride", car, on(120, ChemistryTest{Method: ByLaboratory, Chloride: ptr(9.0)}), "", ""},
		{"raw water of a car", car, on(120, RawWater{State: RawDrained}), "", ""},
		{"raw water of a truck", Unit{Kind: "truck", Capacity: 20}, on(120, RawWater{State: RawDrained}), "/rawWater/state", "boats alone"},
		{"raw water of a keel-cooled boat", Unit{Kind: "boat", Capacity: 20, RawWater: No}, on(120, RawWater{State: RawDrained}), "/rawWater/state", "has no raw-water side"},
		{"antifreeze in a drained side", Unit{Kind: "boat", Capacity: 20}, on(120, RawWater{State: RawDrained, Freeze: ptr(measure.Reading{Value: -20, Unit: measure.DegC})}), "/rawWater/freeze", "filled with antifreeze"},
		{"laid up with raw water of a truck", Unit{Kind: "truck", Capacity: 20}, on(120, LayUp{RawWater: RawWet}), "/layUp/rawWater", "boats alone"},
		{"combustion gas how", car, on(120, CombustionTest{Gas: "some"}), "/combustionTest/gas", "none, found"},
		{"a level where", car, on(120, LevelCheck{Temper: Cold, Mark: "max", Place: "sump"}), "/levelCheck/place", "header, bottle"},
		{"a batch past its shelf life", car, on(120, Renewal{Volume: litres(8), Product: premix, Emptied: true, UseBefore: &longAgo}), "/renewal/useBefore", "confirm it"},
		{"a shelf life of a hundred years", car, on(120, Renewal{Volume: litres(8), Product: premix, Emptied: true, UseBefore: &farOff}), "/renewal/useBefore", "within 30 years"},
		{"a meter of the unit in a further circuit", further, on(120, Meter{Meter: km(9000)}), "/kind", "belongs to the unit"},
		{"a lay-up of the unit in a further circuit", further, on(120, LayUp{}), "/kind", "belongs to the unit"},
		{"a renewal with the unit's meter in a further circuit", further, on(120, Renewal{Volume: litres(8), Product: premix, Emptied: true, Meter: ptr(km(9000))}), "/renewal/meter", "its first circuit"},
		{"hours on a unit with both meters", both, on(120, Meter{Meter: measure.Reading{Value: 500, Unit: measure.H}}), "", ""},
		{"litres on a unit with both meters", both, on(120, Meter{Meter: litres(5)}), "/meter/meter/unit", "km"},
		{"a release of an aircraft without its data", Unit{Capacity: 3, Aircraft: true}, on(120, Release{What: "coolant renewed", Certificate: "1", CertificateKind: "x"}), "/release/data", "a few words"},
		{"pH of 15", car, on(120, ChemistryTest{PH: ptr(15.0)}), "/chemistryTest/ph", "0 to 14"},
		{"nothing tested", car, on(120, ChemistryTest{}), "/chemistryTest", "at least one"},
		{"an unknown appearance", car, on(120, ChemistryTest{Appearance: "pretty"}), "/chemistryTest/look", "rusty"},
		{"a cap of nothing", car, on(120, CapTest{}), "/capTest", "at least one"},
		{"a cap opening in litres", car, on(120, CapTest{Opened: ptr(litres(2))}), "/capTest/opened/unit", "psi"},
		{"a cap seal", car, on(120, CapTest{Seal: "chewed"}), "/capTest/seal", "hardened"},
		{"no hose", car, on(120, HoseCheck{}), "/hoseCheck/hoses", "1 to 20"},
		{"one hose twice", car, on(120, HoseCheck{Hoses: []HoseFound{{Hose: "upper", State: "good"}, {Hose: "upper", State: "soft"}}}), "/hoseCheck/hoses/1/hose", "each hose once"},
		{"a clamp", car, on(120, HoseCheck{Hoses: []HoseFound{{Hose: "upper", State: "good", Clamp: "gone"}}}), "/hoseCheck/hoses/0/clamp", "on_ridge"},
		{"blocked weep hole", car, on(120, Inspection{Points: []PointFound{{Point: "weep_hole", State: "bad", Blocked: ptr(30.0)}}}), "/inspection/points/0/blocked", "fins"},
		{"a point without a state", car, on(120, Inspection{Points: []PointFound{{Point: "pump"}}}), "/inspection/points/0/state", "watch"},
		{"a pressure that grew", car, on(120, PressureTest{Pressure: kpa(100), Minutes: 5, Drop: kpa(110)}), "/pressureTest/drop/value", "0 to 100"},
		{"half a second", car, on(120, PressureTest{Pressure: kpa(100), Minutes: 0.01, Drop: kpa(0)}), "/pressureTest/minutes", "0.5 to 120"},
		{"a level of nothing", car, on(120, LevelCheck{Temper: Cold}), "/levelCheck/mark", "between"},
		{"a lukewarm level", car, on(120, LevelCheck{Temper: "lukewarm", Mark: "max"}), "/levelCheck/temper", "cold, hot"},
		{"a mark and millimetres", car, on(120, LevelCheck{Temper: Cold, Mark: "max", Over: ptr(measure.Reading{Value: 2, Unit: measure.Millimetre})}), "/levelCheck/mark", "not both"},
		{"a defect of no words", car, on(120, Defect{Severity: "stop"}), "/defectOpened/what", "a few words"},
		{"a defect how bad", car, on(120, Defect{What: "weeps", Severity: "awful"}), "/defectOpened/severity", "stop, repair, watch"},
		{"closing what is no defect", car, on(120, DefectClosed{Defect: written[0].ID, How: "repaired"}), "/defectClosed/defect", "a defect_opened entry"},
		{"closing a wrong id", car, on(120, DefectClosed{Defect: "7", How: "repaired"}), "/defectClosed/defect", "id of an entry"},
		{"a meter read twice", car, on(120, Meter{Meter: km(8500), Confirmed: true}), "", ""},
		{"a new meter", car, on(120, MeterChange{Old: ptr(km(9100)), New: km(3)}), "", ""},
		{"an old meter that ran back", car, on(120, MeterChange{Old: ptr(km(100)), New: km(3)}), "/meterChange/old/value", "confirm it"},
		{"a zero of which", car, on(120, ZeroCheck{Zero: measure.Reading{Value: 0, Unit: measure.DegC}}), "/zeroCheck/tool", "a few words"},
		{"a zero in °F", car, on(120, ZeroCheck{Tool: "R-2", Zero: measure.Reading{Value: 32, Unit: measure.DegF}}), "", ""},
		{"a zero in litres", car, on(120, ZeroCheck{Tool: "R-2", Zero: litres(1)}), "/zeroCheck/zero/unit", "brix"},
		{"a hold for no reason", car, on(120, Hold{}), "/hold/why", "a few words"},
		{"a release of an aircraft without a certificate", Unit{Capacity: 3, Aircraft: true}, on(120, Release{What: "coolant renewed"}), "/release/certificate", "a few words"},
		{"a release", car, on(120, Release{What: "coolant renewed"}), "", ""},
		{"a note of one letter as a release", car, on(120, Release{What: "x"}), "/release/what", "3 to"},
		{"a long note", car, on(120, NoteBody{Text: strings.Repeat("a", 501)}), "/note/text", "1 to 500"},
		{"a strike for no reason", car, on(120, Strike{Entry: written[1].ID}), "/strike/why", "a few words"},
		{"striking a strike", car, on(120, Strike{Entry: written[3].ID, Why: "no no"}), "/strike/entry", "written again"},
		{"striking twice", car, on(120, Strike{Entry: written[2].ID, Why: "typed wrong"}), "/strike/entry", "an entry that is not struck"},
		{"striking what is not here yet", car, on(120, Strike{Entry: strings.Repeat("e", 36), Why: "typed wrong"}), "", ""},
	} {
		errs := Check(c.unit, written, c.entry, now)
		if c.field == "" {
			if len(errs) > 0 {
				t.Errorf("%s: refused: %v", c.name, errs[0])
			}
			continue
		}
		if len(errs) == 0 {
			t.Errorf("%s: accepted", c.name)
			continue
		}
		if e := errs[0]; e.Pointer != c.field || !strings.Contains(e.Accepted, c.accepted) || !strings.Contains(e.Error(), e.Got) {
			t.Errorf("%s: %v; want %s … %s", c.name, e, c.field, c.accepted)
		}
	}
}

// discs of a chart from -4 °C down, 3 K apart.
func discs(n int) (chart []measure.Celsius) {
	for i := range n {
		chart = append(chart, measure.Celsius(-4-3*i))
	}
	return chart
}

func confirmedBy(e Entry) Entry {
	e.Confirmed = true
	return e
}

// What has been checked folds without a complaint.
func TestCheckedEntriesFold(t *testing.T) {
	var written []Entry
	for _, e := range []Entry{on(0, emptied(8)), on(3, Meter{Meter: km(40)}), on(9, TopUp{Volume: litres(0.4), With: coolant.Premix, Product: &premix}), on(12, test(-33, coolant.EG)), on(13, Loss{Volume: litres(0.7)})} {
		if errs := Check(car, written, e, day(20)); len(errs) > 0 {
			t.Fatalf("%s: %v", e.ID, errs[0])
		}
		written = append(written, e)
	}
	for _, l := range Fold(car, written).Lines {
		for _, n := range l.Notes {
			if n != NoteImpliedLoss && n != NotePremixThinned && n != NoteSettling {
				t.Errorf("%s carries %s", l.Entry.ID, n)
			}
		}
	}
}
