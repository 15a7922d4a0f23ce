package ledger

import (
	"math"
	"slices"
	"strings"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

var plane = Unit{Code: "AV-01", Kind: "aircraft", Capacity: 8, Base: coolant.EG, Meter: measure.EngineTime, Cap: 83, Aircraft: true}

func causesOf(a Account) (all []StopCause) {
	for _, s := range a.Stops() {
		all = append(all, s.Cause)
	}
	return all
}

func level(mark string) LevelCheck { return LevelCheck{Temper: Cold, Mark: mark} }

func looking(l coolant.Appearance) ChemistryTest { return ChemistryTest{Appearance: l} }

// What stops a unit and what ends it (trade rules of level, coolant and aircraft:
// common practice; returned to service: 14 CFR 43.9, recalled from memory).
func TestStops(t *testing.T) {
	mm := func(v float64) LevelCheck {
		return LevelCheck{Temper: Cold, Over: ptr(measure.Reading{Value: v, Unit: measure.Millimetre})}
	}
	unknown, marked := Unit{Code: "X", Capacity: 8}, car
	marked.Marks = 30
	rts := Release{What: "renewed", Certificate: "1", CertificateKind: "x"}
	for _, c := range []struct {
		name  string
		unit  Unit
		after []Body // a fill, a day apart each
		stops []StopCause
	}{
		{"below the lower mark", car, []Body{level("below")}, []StopCause{StopLevel}},
		{"below it when hot", car, []Body{LevelCheck{Temper: Hot, Mark: "below"}}, []StopCause{StopLevel}},
		{"empty, and nothing known of it", unknown, []Body{level("empty")}, []StopCause{StopLevel}},
		{"below, topped up, not looked at again", car, []Body{level("below"), water(0.6)}, []StopCause{StopLevel}},
		{"below, topped up, seen hot", car, []Body{level("below"), water(0.6), LevelCheck{Temper: Hot, Mark: "max"}}, []StopCause{StopLevel}},
		{"below, topped up, seen cold", car, []Body{level("below"), water(0.6), level("max")}, nil},
		{"below, and a full recovery bottle", car, []Body{LevelCheck{Temper: Cold, Mark: "below", Place: PlaceHeader}, LevelCheck{Temper: Cold, Mark: "max", Place: PlaceBottle}}, []StopCause{StopLevel}},
		{"below, and a bottle at its lower mark", car, []Body{level("below"), LevelCheck{Temper: Cold, Mark: "min", Place: PlaceBottle}}, []StopCause{StopLevel}},
		{"below, then the header seen full", car, []Body{level("below"), water(0.6), LevelCheck{Temper: Cold, Mark: "max", Place: PlaceHeader}}, nil},
		{"an empty bottle", car, []Body{LevelCheck{Temper: Cold, Mark: "empty", Place: PlaceBottle}}, []StopCause{StopLevel}},
		{"combustion gas in an aircraft's", plane, []Body{rts, CombustionTest{Gas: "found"}}, []StopCause{StopFinding}},
		{"below, then renewed", car, []Body{level("below"), emptied(8)}, []StopCause{StopLevel}},
		{"below, and a history of which nothing is known", car, []Body{level("below"), Opening{History: UnknownHistory}}, []StopCause{StopLevel}},
		{"above the upper mark", car, []Body{level("above")}, nil},
		{"200 mm down, the marks unknown", car, []Body{mm(-200)}, nil},
		{"200 mm down of 30", marked, []Body{mm(-200)}, []StopCause{StopLevel}},
		{"low, then millimetres of unknown marks", car, []Body{level("below"), mm(5)}, []StopCause{StopLevel}},
		{"a fifth gone by the book", car, []Body{Loss{Volume: litres(1.6)}}, []StopCause{StopLevel}},
		{"oily coolant", car, []Body{looking(coolant.AppearanceOily)}, []StopCause{StopCoolant}},
		{"gelled, then renewed", car, []Body{looking(coolant.AppearanceGelled), emptied(8)}, []StopCause{StopCoolant}},
		{"gelled, and clear since", car, []Body{looking(coolant.AppearanceGelled), looking(coolant.AppearanceClear)}, []StopCause{StopCoolant}},
		{"gelled, clear, released", car, []Body{looking(coolant.AppearanceGelled), looking(coolant.AppearanceClear), Release{What: "flushed"}}, nil},
		{"gelled, released too soon", car, []Body{looking(coolant.AppearanceGelled), Release{What: "flushed"}}, []StopCause{StopCoolant}},
		{"held, then opened anew", car, []Body{Hold{Why: "leaks"}, Opening{History: UnknownHistory}}, []StopCause{StopHold}},
		{"a defect, then opened anew as factory", car, []Body{Defect{What: "x", Severity: "stop"}, Opening{History: Factory, Product: &premix}}, []StopCause{StopDefect}},
		{"a cracked hose of a car", car, []Body{HoseCheck{Hoses: []HoseFound{{Hose: "upper", State: "cracked"}}}}, nil},
		{"a renewal of an aircraft", plane, []Body{emptied(8)}, []StopCause{StopReturn}},
		{"a renewal of an aircraft, released", plane, []Body{emptied(8), level("max"), rts}, nil},
		{"a new hose of an aircraft", plane, []Body{rts, HoseCheck{Hoses: []HoseFound{{Hose: "upper", State: "renewed"}}}}, []StopCause{StopReturn}},
		{"a new cap of an aircraft", plane, []Body{rts, CapTest{Renewed: true}}, []StopCause{StopReturn}},
		{"a new pump of an aircraft", plane, []Body{rts, Inspection{Points: []PointFound{{Point: "pump", State: "renewed"}}}}, []StopCause{StopReturn}},
		{"a cracked hose of an aircraft", plane, []Body{rts, HoseCheck{Hoses: []HoseFound{{Hose: "upper", State: "cracked"}}}}, []StopCause{StopFinding}},
		{"cracked and released all the same", plane, []Body{rts, HoseCheck{Hoses: []HoseFound{{Hose: "upper", State: "cracked"}}}, rts}, []StopCause{StopFinding}},
		{"cracked, renewed, released", plane, []Body{rts, HoseCheck{Hoses: []HoseFound{{Hose: "upper", State: "cracked"}}}, HoseCheck{Hoses: []HoseFound{{Hose: "upper", State: "renewed"}}}, rts}, nil},
		{"a defect to be repaired, of an aircraft", plane, []Body{rts, Defect{What: "damp", Severity: "repair"}}, []StopCause{StopDefect}},
		{"a low level of an aircraft, seen right", plane, []Body{rts, level("below"), water(0.7), level("max")}, []StopCause{StopFinding}},
		{"bad chemistry of an aircraft", plane, []Body{rts, ChemistryTest{Stray: ptr(0.4)}}, []StopCause{StopFinding}},
	} {
		entries := []Entry{on(0, emptied(8))}
		if c.unit.Code == "X" {
			entries = nil
		}
		for i, b := range c.after {
			e := on(10+i, b)
			e.ID = string(rune('a'+i)) + string(KindOf(b))
			entries = append(entries, e)
		}
		if got := causesOf(Fold(c.unit, entries)); !slices.Equal(got, c.stops) {
			t.Errorf("%s: stopped by %v, want %v", c.name, got, c.stops)
		}
	}
}

// A renewal is what was measured. What nothing is said of came out as it went in.
func TestRenewalIsWhatWasMeasured(t *testing.T) {
	old := on(0, emptied(8))
	for _, c := range []struct {
		name    string
		renewal Renewal
		share   float64
		counts  bool
		air     bool
	}{
		{"0.8 L and not a word", Renewal{Volume: litres(0.8), Product: premix}, 0.1, false, false},
		{"8 L and not a word", Renewal{Volume: litres(8), Product: premix}, 1, true, false},
		{"7.8 L and not a word", Renewal{Volume: litres(7.8), Product: premix}, 1, true, false},
		{"4 L by a petcock that was opened", Renewal{Volume: litres(4), Product: premix, Opened: []string{"petcock"}}, 0.5, false, false},
		{"0.8 L into a system emptied whole", Renewal{Volume: litres(0.8), Product: premix, Emptied: true}, 1, true, true},
		{"7.6 L into a system emptied whole", Renewal{Volume: litres(7.6), Product: premix, Emptied: true}, 1, true, false},
		{"6 L out and in", Renewal{Volume: litres(6), Product: premix, Drained: []Drained{{"petcock", litres(6)}}}, 0.75, true, false},
	} {
		a := Fold(car, []Entry{old, on(900, c.renewal)})
		turn := a.Lines[1].Turn
		if math.Abs(turn.Share-c.share) > 0.02 || turn.Counts != c.counts || (a.Air != nil) != c.air || a.Balance.RenewedAt.Equal(day(900)) != c.counts {
			t.Errorf("%s: %.2f new, counts %v, air %v", c.name, turn.Share, turn.Counts, a.Air)
		}
		if c.air && a.MissingLitres() < 7 {
			t.Errorf("%s: %.1f L are missing by the book", c.name, a.MissingLitres())
		}
	}
	// Asked about by name, never silently counted.
	for _, c := range []struct {
		name     string
		renewal  Renewal
		sure     bool
		field    string
		question bool
	}{
		{"nothing said of what came out", Renewal{Volume: litres(8), Product: premix}, false, "/renewal/drained", false},
		{"0.8 L into a system emptied whole", Renewal{Volume: litres(0.8), Product: premix, Emptied: true}, false, "/renewal/volume/value", true},
		{"11 L into a system emptied whole", Renewal{Volume: litres(11), Product: premix, Emptied: true}, false, "/renewal/volume/value", true},
		{"0.8 L, and its writer is sure", Renewal{Volume: litres(0.8), Product: premix, Emptied: true}, true, "", false},
		{"less than a drop", Renewal{Volume: litres(1e-9), Product: premix, Emptied: true}, true, "/renewal/volume/value", false},
		{"a drain point that there is not", Renewal{Volume: litres(8), Product: premix, Opened: []string{"roof"}}, false, "/renewal/opened/0", false},
	} {
		e := on(900, c.renewal)
		e.Confirmed = c.sure
		errs := Check(car, []Entry{old}, e, day(1000))
		switch {
		case c.field == "" && len(errs) > 0:
			t.Errorf("%s: %v", c.name, errs[0])
		case c.field != "" && (len(errs) == 0 || errs[0].Pointer != c.field || errs[0].Question != c.question):
			t.Errorf("%s: %v", c.name, errs)
		}
	}
}

// made with a named instrument.
func made(tool string, b FreezeTest) FreezeTest {
	b.Tool = tool
	return b
}

func zeroTest(c float64) FreezeTest {
	b := test(c, coolant.EG)
	b.Zero = ptr(0.0)
	return b
}

// A test that reads colder than the book counts once an independent second one shows the same: of another
// instrument, or of the same one that was zeroed in between and on another day; the warmer counts at once.
func TestColderWaits(t *testing.T) {
	weak := Renewal{Volume: litres(8), Product: conc, Share: ptr(40.0), Emptied: true} // about −25 °C
	soon := func(b Body) Entry { return Entry{ID: "soon", At: day(100).Add(time.Minute), Body: b} }
	pour := func(b TopUp) Entry { return on(50, b) }
	for _, c := range []struct {
		name     string
		tests    []Entry
		protects float64
		waits    bool
	}{
		{"one unzeroed", []Entry{on(100, test(-33, coolant.EG))}, -24.8, true},
		{"one zeroed", []Entry{on(100, zeroTest(-33))}, -24.8, true},
		{"two, the second not zeroed", []Entry{on(100, zeroTest(-33)), on(101, test(-33, coolant.EG))}, -24.8, true},
		{"two of no named instrument", []Entry{on(100, test(-33, coolant.EG)), on(101, zeroTest(-33))}, -24.8, true},
		{"two of two instruments, the second zeroed", []Entry{on(100, made("R-1", test(-33, coolant.EG))), on(101, made("R-2", zeroTest(-33)))}, -33, false},
		{"two of two instruments, the second not zeroed", []Entry{on(100, made("R-1", zeroTest(-33))), on(101, made("R-2", test(-33, coolant.EG)))}, -24.8, true},
		{"two of two instruments, one without a name", []Entry{on(100, test(-33, coolant.EG)), on(101, made("R-2", zeroTest(-33)))}, -24.8, true},
		{"two of one instrument", []Entry{on(100, made("R-1", zeroTest(-33))), on(101, made("R-1", test(-33, coolant.EG)))}, -24.8, true},
		{"two of one instrument, zeroed on the other day", []Entry{on(100, made("R-1", zeroTest(-33))), on(101, made("R-1", zeroTest(-33)))}, -33, false},
		{"a third of another instrument", []Entry{on(100, test(-33, coolant.EG)), on(101, made("R-1", zeroTest(-33))), on(102, made("R-2", zeroTest(-33)))}, -33, false},
		{"two of one instrument on one day", []Entry{on(100, made("R-1", zeroTest(-33))), {ID: "hours", At: day(100).Add(8 * time.Hour), Body: made("R-1", zeroTest(-33))}}, -24.8, true},
		{"one of its discs as well", []Entry{on(100, made("R-1", test(-33, coolant.EG))), on(101, FreezeTest{Value: measure.Reading{Value: 5, Unit: measure.Discs}, Instrument: DiscTester, Tool: "D-1", Chart: []measure.Celsius{-7, -15, -23, -30, -37, -45}})}, -33, false},
		{"two in one minute", []Entry{on(100, zeroTest(-33)), soon(zeroTest(-33))}, -24.8, true},
		{"of two the warmer", []Entry{on(100, made("R-1", zeroTest(-36))), on(101, made("R-2", zeroTest(-31)))}, -31, false},
		{"slightly colder, within what measuring leaves open", []Entry{on(100, zeroTest(-26))}, -24.8, true},
		{"warmer", []Entry{on(100, test(-20, coolant.EG))}, -20, false},
		{"a wrong scale that looks right", []Entry{on(100, test(-41, coolant.EG))}, -24.8, true},
		{"an entry explains it", []Entry{pour(TopUp{Volume: litres(1.4), With: coolant.Concentrate, Product: &conc}), on(100, zeroTest(-33))}, -33, false},
	} {
		a := Fold(car, append([]Entry{on(0, weak)}, c.tests...))
		near(t, c.name, f64(a.ProtectsTo()), c.protects, 1.6)
		if waits := a.LastTest != nil && a.LastTest.Waits; waits != c.waits {
			t.Errorf("%s: waits %v", c.name, waits)
		}
	}
}

// The retest that is owed wants mixed coolant: a run, or four hours.
func TestRetestWantsMixedCoolant(t *testing.T) {
	at := func(minutes float64, b Body) Entry {
		return Entry{ID: "z" + measure.Digits(minutes) + string(KindOf(b)), At: day(0).Add(time.Duration(minutes * float64(time.Minute))), Body: b}
	}
	filled := at(0, Renewal{Volume: litres(8), Product: premix, Emptied: true, Meter: ptr(km(100))})
	owed := func(a Account) bool {
		return slices.ContainsFunc(a.Pending, func(o PendingCheck) bool { return o.What == CheckRetest })
	}
	for _, c := range []struct {
		name  string
		more  []Entry
		still bool
	}{
		{"a minute and a half after", []Entry{at(1.5, zeroTest(-37))}, true},
		{"three hours after, and it stood", []Entry{at(180, zeroTest(-37))}, true},
		{"an hour after, and it ran", []Entry{at(50, Meter{Meter: km(130)}), at(60, zeroTest(-37))}, false},
		{"four hours after", []Entry{at(241, zeroTest(-37))}, false},
	} {
		if a := Fold(car, append([]Entry{filled}, c.more...)); owed(a) != c.still {
			t.Errorf("%s: owed %v", c.name, a.Pending)
		}
	}
	a := Fold(car, []Entry{at(-90_000, emptied(8)), at(-80_000, zeroTest(-36)), filled})
	if a.LastTest != nil || a.EarlierTest == nil || !a.EarlierTest.At.Equal(day(0).Add(-80_000*time.Minute)) {
		t.Errorf("the test before the renewal: %+v", a.EarlierTest)
	}
}

// The rate of a leak is that of its last intervals; settling and what was repaired
// show nothing (worked by hand).
func TestLeakOfTheLastIntervals(t *testing.T) {
	top := func(n int, v float64) Entry {
		return on(n, TopUp{Volume: litres(v), With: coolant.Premix, Product: &premix})
	}
	tight := []Entry{on(0, emptied(8)), top(730, 0.5), top(740, 0.5), top(750, 0.5)}
	pressure := func(n int, minutes, drop float64) Entry {
		return on(n, PressureTest{Pressure: kpa(100), Minutes: minutes, Drop: kpa(drop)})
	}
	capped := car
	capped.Cap = 108
	repaired := on(751, HoseCheck{Hoses: []HoseFound{{Hose: "lower", State: "renewed"}}})
	for _, c := range []struct {
		name    string
		entries []Entry
		rate    float64 // L a month; 0 for none
	}{
		// 0.05 L a day: 1.52 L a month of 30.44 days; a twentieth of 8 L in 8 days.
		{"two tight years, then half a litre every ten days", tight, 1.52},
		{"and then a note", append(slices.Clone(tight), on(900, NoteBody{Text: "washed"})), 1.52},
		{"and then half a year at the mark", append(slices.Clone(tight), on(930, level("max"))), 0.22},
		{"repaired, not tested", append(slices.Clone(tight), repaired), 1.52},
		{"tested, not repaired", append(slices.Clone(tight), pressure(752, 12, 0)), 1.52},
		{"repaired, and it holds", append(slices.Clone(tight), repaired, pressure(752, 12, 0)), 0},
		{"repaired, tested for a minute", append(slices.Clone(tight), repaired, pressure(752, 1, 0)), 1.52},
		{"repaired, and it falls", append(slices.Clone(tight), repaired, pressure(752, 12, 9)), 1.52},
		{"settling in the first ten days", []Entry{on(0, emptied(8)), top(2, 0.4), top(9, 0.4)}, 0},
		{"renewed", append(slices.Clone(tight), on(760, emptied(8))), 0},
	} {
		a := Fold(capped, c.entries)
		got := 0.0
		if l := a.Leak(); l != nil {
			got = l.Rate
		}
		if math.Abs(got-c.rate) > 0.08 {
			t.Errorf("%s: %.2f L a month, want %.2f", c.name, got, c.rate)
		}
	}
	errs := Check(capped, nil, pressure(1, 12, 0), day(9))
	high := PressureTest{Pressure: kpa(120), Minutes: 12, Drop: kpa(0)}
	if more := Check(capped, nil, on(1, high), day(9)); len(errs) > 0 || len(more) == 0 || !strings.Contains(more[0].Accepted, "108 kPa") {
		t.Errorf("a pressure test above the cap's rating: %v, %v", errs, more)
	}
}

// Meter readings in any order: what cannot be true is left out whichever came
// first, and asked about with what was probably meant.
func TestReadingsInAnyOrder(t *testing.T) {
	m := func(n int, v float64) Entry { return on(n, Meter{Meter: km(v)}) }
	filled := on(0, Renewal{Volume: litres(8), Product: premix, Emptied: true, Meter: ptr(km(33_000))})
	written := []Entry{filled, m(50, 35_000), m(100, 37_000)}
	typed := m(150, 370_000) // 37,000 with a nought too many, and 2,000 short of where it stood
	errs := Check(car, written, typed, day(400))
	if len(errs) != 1 || !errs[0].Question || !strings.Contains(errs[0].Accepted, "is it 37,000 km?") {
		t.Errorf("ten times too much: %v", errs)
	}
	// Beside one other reading that one is named, and no figure further away is proposed.
	leap := Check(car, []Entry{m(100, 37_000)}, m(147, 140_000), day(400))
	if len(leap) != 1 || !leap[0].Question || !strings.Contains(leap[0].Got, "140,000 km after 37,000 km on") || strings.Contains(leap[0].Accepted, "is it") {
		t.Errorf("103,000 km in 47 days: %v", leap)
	}
	typed.Confirmed = true
	if errs := Check(car, written, typed, day(400)); len(errs) > 0 {
		t.Errorf("its writer is sure: %v", errs[0])
	}
	for _, entries := range [][]Entry{append(slices.Clone(written), typed, m(200, 41_000)), append(slices.Clone(written), m(200, 41_000), typed)} {
		if errs := Check(car, entries, m(250, 43_000), day(400)); len(errs) > 0 {
			t.Errorf("a true reading after it: %v", errs[0])
		}
		a := Fold(car, entries)
		near(t, "used", a.Balance.Used, 8000, 1e-9)
		for _, l := range a.Lines {
			if got := slices.Contains(l.Notes, NoteMeterOutlier); got != (l.Entry.ID == typed.ID) {
				t.Errorf("%s: doubted %v", l.Entry.ID, got)
			}
		}
	}
	// The error does not run on through a change of the meter.
	a := Fold(car, append(slices.Clone(written), typed, on(160, MeterChange{New: km(10)}), m(200, 1_010)))
	near(t, "used after a mistyped reading and a new meter", a.Balance.Used, 5000, 1e-9)
	if errs := Check(car, written, m(120, 3_750), day(400)); len(errs) != 1 || !strings.Contains(errs[0].Accepted, "is it 37,500 km?") {
		t.Errorf("a digit too few: %v", errs)
	}
}

// In a charge of 8 L one litre was lost and replaced by water: what two causes
// propose together comes before the scale that proposes another thing; a scale that
// the site does not have is no cause; nothing is written before a second test.
func TestProposalsAreRanked(t *testing.T) {
	filled, first := on(0, emptied(8)), on(9, zeroTest(-36.9))
	watered := zeroTest(-29.6) // seven eighths of 50 % by volume; read on the PG scale −36.6 would look so
	a := Fold(car, []Entry{filled, first, on(200, watered)})
	found := a.Explain(2)
	if found[0].Cause != CauseWater || found[1].Cause != CauseLeakRefill || found[2].Cause != CauseScale || found[0].Likelihood == Unlikely || !found[0].Close || found[0].Distinguish != OtherScale || !found[2].Close {
		t.Errorf("ranked %v, %+v", causes(found), found[0])
	}
	if i := slices.IndexFunc(found, func(x Explanation) bool { return x.Cause == CauseMisread }); i < 0 || found[i].Balance != nil {
		t.Errorf("misread is no cause among %v", causes(found))
	}
	only := car
	only.Scales = []coolant.Base{coolant.EG}
	if b := Fold(only, a.Entries()); slices.Contains(causes(b.Explain(2)), CauseScale) {
		t.Error("a scale that no instrument of the site has is a cause")
	}
	balance := Entry{ID: "zz", At: found[0].At, Body: found[0].Balance}
	if errs := Check(car, a.Entries(), balance, day(300)); !found[0].Retest || len(errs) != 1 || errs[0].Pointer != "/topUp/inferred" {
		t.Errorf("balanced without a second test: %v", errs)
	}
	again := Fold(car, append(a.Entries(), on(201, zeroTest(-29.4))))
	if !again.Discrepancy.Confirmed || again.Explain(2)[0].Retest {
		t.Errorf("confirmed %+v", again.Discrepancy)
	}
	if errs := Check(car, again.Entries(), balance, day(300)); len(errs) > 0 {
		t.Errorf("balanced after a second test: %v", errs[0])
	}
	// Not observed: never into an aircraft's books.
	flown := Fold(plane, again.Entries())
	for _, x := range flown.Explain(2) {
		if _, pour := x.Balance.(TopUp); pour {
			t.Errorf("%s proposes a pour into an aircraft's books", x.Cause)
		}
	}
	if errs := Check(plane, again.Entries(), balance, day(300)); len(errs) == 0 {
		t.Error("a pour that was not observed is written into an aircraft's books")
	}
	// After a renewal: flush water or old coolant stayed inside.
	after := Fold(car, []Entry{on(0, Renewal{Volume: litres(6), Product: premix, Emptied: true}), on(5, zeroTest(-27))})
	if !slices.Contains(causes(after.Explain(1)), CauseStayed) {
		t.Errorf("after a renewal %v", causes(after.Explain(1)))
	}
}
