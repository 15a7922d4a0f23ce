package ledger

import (
	"fmt"
	"math"
	"slices"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

func causes(found []Explanation) []Cause {
	var all []Cause
	for _, x := range found {
		all = append(all, x.Cause)
	}
	return all
}

// Each disagreement with the cause that made it, made by mass balance: what was
// done is what is found first, with its litres. Scales: the refractive indices
// of both glycols (CRC Handbook, recalled from memory).
func TestExplain(t *testing.T) {
	half := 50.0
	pgUnit := car
	pgUnit.Base = coolant.PG
	pgFill := Renewal{Volume: litres(8), Product: pg}
	// 2 L of water into 8 L at 50 %, 2 L having gone: 37.5 % by volume, which the
	// handbook has at 40 % by mass and −22.3 °C.
	watered := test(-22.3, coolant.EG)
	for _, c := range []struct {
		name    string
		unit    Unit
		entries []Entry
		cause   Cause
		litres  float64
		truth   float64
	}{
		{"water went in", car, []Entry{on(0, fill(8)), on(9, test(-37, coolant.EG)), on(200, watered)}, CauseWater, 2.0, 0},
		{"a leak is known", car, []Entry{on(0, fill(8)), on(9, test(-37, coolant.EG)), on(100, TopUp{Volume: litres(1.4), With: coolant.Premix, Product: &premix}), on(200, watered)}, CauseLeakRefill, 2.0, 0},
		{"concentrate went in", car, []Entry{on(0, Renewal{Volume: litres(8), Product: conc, Share: ptr(40.0)}), on(9, test(-24.5, coolant.EG)), on(200, test(-33, coolant.EG))}, CauseConcentrate, 1.0, 0},
		{"the PG scale was read", car, []Entry{on(0, fill(8)), on(9, test(-37, coolant.EG)), on(200, test(-29.6, coolant.EG))}, CauseScale, 0, -36.6},
		{"the EG scale was read and written as such", pgUnit, []Entry{on(0, pgFill), on(200, test(-41, coolant.EG))}, CauseScale, 0, -33.2},
		{"mixed at 38 for 50 %", car, []Entry{on(0, Renewal{Volume: litres(8), Product: conc, Share: &half}), on(2, test(-22.5, coolant.EG))}, CauseMixedWrong, 3.0, 0},
		{"half a fill onto flush water", car, []Entry{on(-9, fill(8)), on(0, Renewal{Volume: litres(6), Product: conc, Share: ptr(67.0), Residual: ptr(litres(2)), Flushes: 2, FlushWith: "water"}), on(2, test(-27.5, coolant.EG))}, CauseMixedWrong, 3.4, 0},
	} {
		a := Fold(c.unit, c.entries)
		last := len(a.Lines) - 1
		found := a.Explain(last)
		i := slices.IndexFunc(found, func(x Explanation) bool { return x.Cause == c.cause })
		if i < 0 {
			t.Errorf("%s: found %v for a book of %v", c.name, causes(found), show(f64(a.Lines[last].Test.Book)))
			continue
		}
		if x := found[i]; i > 0 && c.cause != CauseMixedWrong && c.cause != CauseScale || c.litres > 0 && math.Abs(float64(x.Litres)-c.litres) > 0.25 {
			t.Errorf("%s: %s stands at %d of %v with %.2f L, want first with %.2f L", c.name, c.cause, i, causes(found), x.Litres, c.litres)
		}
		if c.truth != 0 && (found[i].True == nil || math.Abs(float64(*found[i].True)-c.truth) > 1.5) {
			t.Errorf("%s: true value %v, want %.1f", c.name, show(f64(found[i].True)), c.truth)
		}
		total := 0.0
		for _, x := range found {
			total += x.Weight
		}
		if math.Abs(total-1) > 1e-9 {
			t.Errorf("%s: the weights add up to %v", c.name, total)
		}
		// Law: what is said to balance the books does.
		for _, x := range found {
			if x.Balance == nil {
				continue
			}
			entries := append(a.Entries(), Entry{ID: "zz balance", Unit: c.unit.Code, At: x.At, Body: x.Balance})
			if x.Strikes != "" {
				entries = append(entries, Entry{ID: "zz strike", Unit: c.unit.Code, At: x.At, Body: Strike{Entry: x.Strikes, Why: "balances the books"}})
			}
			b := Fold(c.unit, entries)
			if b.Discrepancy != nil {
				t.Errorf("%s: after balancing by %s the books are still off", c.name, x.Cause)
			}
		}
	}
	sound := Fold(car, []Entry{on(0, fill(8)), on(9, test(-37, coolant.EG)), on(10, Meter{Meter: km(5)})})
	for i := range sound.Lines {
		if x := sound.Explain(i); x != nil {
			t.Errorf("line %d needs no explanation, and has %v", i, causes(x))
		}
	}
}

// The band widens with each unmeasured change and narrows with each test; two
// equal measurements leave the book surer by the square root of two (the
// inverse-variance weighted mean).
func TestUncertainty(t *testing.T) {
	width := func(a Account) float64 { return float64(*a.Balance.High - *a.Balance.Low) }
	entries := []Entry{on(0, fill(8))}
	last := width(Fold(car, entries))
	for n, b := range []Body{water(0.3), Loss{Volume: litres(0.5)}, water(0.5), TopUp{Volume: litres(0.4), With: coolant.Concentrate, Product: &conc}} {
		entries = append(entries, on(10+n, b))
		now := width(Fold(car, entries))
		if _, lost := b.(Loss); !lost && now <= last {
			t.Errorf("after %T the band is %.2f K wide, before it %.2f", b, now, last)
		}
		last = now
	}
	a := Fold(car, entries)
	tested := test(float64(*a.Balance.Freeze)+0.1, coolant.EG)
	tested.Zero = ptr(0.0)
	entries = append(entries, on(50, tested))
	a = Fold(car, entries)
	if now := width(a); now >= last {
		t.Errorf("after a test the band is %.2f K wide, before it %.2f", now, last)
	}
	one := Fold(Unit{Code: "X", Capacity: 8, Base: coolant.EG}, []Entry{on(0, tested)})
	two := Fold(Unit{Code: "X", Capacity: 8, Base: coolant.EG}, []Entry{on(0, tested), on(1, tested)})
	if ratio := one.strength / two.strength; math.Abs(ratio-math.Sqrt2) > 0.01 {
		t.Errorf("two equal tests are surer by %.3f, want the root of two", ratio)
	}
	unsure := Fold(car, []Entry{on(0, fill(8)), on(50, test(-37, coolant.EG))})
	// Never less than 2 K, so a doubtful zero shows where it is more.
	checked := Fold(car, []Entry{on(0, fill(8)), on(49, ZeroCheck{Tool: "R-2", Zero: measure.Reading{Value: 0, Unit: measure.DegC}}),
		on(50, FreezeTest{Value: measure.Reading{Value: -37, Unit: measure.DegC}, Instrument: Refractometer, Scale: coolant.EG, Tool: "R-2"})})
	if u, c := unsure.Lines[1].Test.Tolerance, checked.Lines[2].Test.Tolerance; c >= u {
		t.Errorf("with a zero check %.2f K are allowed, without one %.2f", c, u)
	}
	if checked.LastTest.ZeroAt == nil || !checked.LastTest.ZeroAt.Equal(day(49)) {
		t.Errorf("zero check of the instrument: %v", checked.LastTest.ZeroAt)
	}
}

// Every instrument against a book of −37 °C.
func TestInstruments(t *testing.T) {
	degC := func(v float64) measure.Reading { return measure.Reading{Value: v, Unit: measure.DegC} }
	for _, c := range []struct {
		name    string
		test    FreezeTest
		trusted bool
		agrees  bool
		note    Note
	}{
		{"per cent line 50", FreezeTest{Value: measure.Reading{Value: 49.5, Unit: measure.Percent}, Instrument: Refractometer, Scale: coolant.EG}, true, true, ""},
		{"brix of a half-and-half mixture", FreezeTest{Value: measure.Reading{Value: 33, Unit: measure.Brix}, Instrument: Refractometer}, true, true, ""},
		{"hydrometer warm", FreezeTest{Value: measure.Reading{Value: 1.0695, Unit: measure.Relative}, Instrument: Hydrometer, Sample: ptr(degC(20))}, true, true, ""},
		{"five of six discs", FreezeTest{Value: measure.Reading{Value: 5, Unit: measure.Discs}, Instrument: DiscTester, Chart: sixDiscs}, true, true, ""},
		{"three of six discs", FreezeTest{Value: measure.Reading{Value: 3, Unit: measure.Discs}, Instrument: DiscTester, Chart: sixDiscs}, true, false, ""},
		{"a strip's band", FreezeTest{Value: degC(-34), Instrument: TestStrip, Cold: ptr(measure.Celsius(-40))}, true, true, ""},
		{"a strip that expired", FreezeTest{Value: degC(-34), Instrument: TestStrip, Cold: ptr(measure.Celsius(-40)), Expired: true}, false, false, NoteDistrusted},
		{"a hot sample", FreezeTest{Value: degC(-37), Instrument: Refractometer, Scale: coolant.EG, Sample: ptr(degC(60))}, false, false, NoteDistrusted},
		{"a zero far off", FreezeTest{Value: degC(-37), Instrument: Refractometer, Scale: coolant.EG, Zero: ptr(-4.0)}, false, false, NoteDistrusted},
		{"a zero one off", FreezeTest{Value: degC(-38), Instrument: Refractometer, Scale: coolant.EG, Zero: ptr(-0.5)}, true, true, ""},
	} {
		a := Fold(car, []Entry{on(0, fill(8)), on(9, c.test)})
		l := a.Lines[1]
		if l.Test.Trusted != c.trusted || l.Test.Agrees != c.agrees || c.note != "" && !slices.Contains(l.Notes, c.note) {
			t.Errorf("%s: %+v %v", c.name, *l.Test, l.Notes)
		}
	}
	onPG := Fold(Unit{Code: "P", Capacity: 8, Base: coolant.PG}, []Entry{on(0, Renewal{Volume: litres(8), Product: pg}),
		on(9, FreezeTest{Value: measure.Reading{Value: 1.04, Unit: measure.Relative}, Instrument: Hydrometer})})
	if onPG.Distrusted == nil || onPG.LastTest != nil {
		t.Error("a hydrometer on PG was believed")
	}
}

// A partial drain-and-fill. 4.0 of 5.8 qt are about 70 % (common practice); n of
// them leave (1 − r)ⁿ.
func TestPartialDrain(t *testing.T) {
	qt := func(v float64) measure.Reading { return measure.Reading{Value: v, Unit: measure.USQt} }
	u := Unit{Code: "S", Capacity: measure.Litre(5.8 * 0.946353), Base: coolant.EG}
	drain := func(v float64) Renewal {
		return Renewal{Volume: qt(v), Product: premix, Drained: []Drained{{"petcock", qt(v)}}}
	}
	a := Fold(u, []Entry{on(0, Renewal{Volume: qt(5.8), Product: premix}), on(1000, drain(4))})
	turn := a.Lines[1].Turn
	share := turn.Share
	near(t, "share new", &share, 0.69, 0.01)
	age := a.Balance.MeanAge.Hours() / 24
	near(t, "mean age in days", &age, 310, 5) // 31 % of it is 1000 days old
	if !turn.Counts || !a.Balance.RenewedAt.Equal(day(1000)) {
		t.Errorf("70 %% new is a renewal by the plan's 60 %%: %+v", turn)
	}
	u.Replaced = 0.8
	a = Fold(u, []Entry{on(0, Renewal{Volume: qt(5.8), Product: premix}), on(1000, drain(4))})
	if turn := a.Lines[1].Turn; turn.Counts || !a.Balance.RenewedAt.Equal(day(0)) || !slices.Contains(a.Lines[1].Notes, NotePartial) {
		t.Errorf("70 %% new is none by a plan's 80 %%: %+v", turn)
	}
	a = Fold(u, []Entry{on(0, Renewal{Volume: qt(5.8), Product: premix}), on(1000, drain(4)), on(1000, drain(4))})
	age = a.Balance.MeanAge.Hours() / 24
	near(t, "mean age after two", &age, 96, 5)
	// Flush water left inside thins a half-and-half fill: 8 L hold 2 L of water.
	flushed := Fold(car, []Entry{on(0, fill(8)), on(900, Renewal{Volume: litres(6), Product: premix,
		Drained: []Drained{{"petcock", litres(6)}}, Flushes: 3, FlushWith: "water"})})
	glycol := 100 * *flushed.Balance.Glycol
	near(t, "glycol after a flush", &glycol, 37.7, 0.5) // 6/8 of 50 %, and a trace
	if !slices.Contains(flushed.Lines[1].Notes, NoteGlycolKept) {
		t.Error("nothing is said of the water left inside")
	}
}

// Volume in against volume out (common practice: they must be equal).
func TestVolumeInVolumeOut(t *testing.T) {
	renew := func(out, in float64, level string) Renewal {
		return Renewal{Volume: litres(in), Product: premix, Drained: []Drained{{"petcock", litres(out - 1)}, {"block", litres(1)}}, Level: level}
	}
	before := []Entry{on(0, fill(8)), on(9, Loss{Volume: litres(0.5)})}
	for _, c := range []struct {
		name    string
		entries []Entry
		short   float64
		air     bool
	}{
		{"as much", []Entry{on(0, fill(8)), on(500, renew(7.9, 7.9, Cold))}, 0, false},
		{"0.6 L less", []Entry{on(0, fill(8)), on(500, renew(7.9, 7.3, Cold))}, 0.6, true},
		{"0.6 L less, and the level was hot", []Entry{on(0, fill(8)), on(500, renew(7.9, 7.3, Hot))}, 0.6, true},
		{"0.5 L less, but the level was hot", []Entry{on(0, fill(8)), on(500, renew(7.9, 7.4, Hot))}, 0.5, false},
		{"within the measuring error, and more than the system tolerates", []Entry{on(0, fill(8)), on(500, renew(7.9, 7.6, Cold))}, 0.3, true},
		{"as little as it tolerates", []Entry{on(0, fill(8)), on(500, renew(7.9, 7.7, Cold))}, 0.2, false},
		{"as much as came out, and half a litre that was missing before", append(before, on(500, renew(7.4, 7.4, Cold))), 0.5, true},
		{"nearly all that was missing as well", append(before, on(500, renew(7.4, 7.6, Cold))), 0.3, false},
		{"a litre less than was missing and came out", append(before, on(500, renew(7.4, 6.9, Cold))), 1.0, true},
		{"nobody measured", []Entry{on(0, fill(8)), on(500, fill(7))}, 0, false},
	} {
		kind := car
		kind.Kind = "car"
		a := Fold(kind, c.entries)
		turn := a.Lines[len(a.Lines)-1].Turn
		if math.Abs(float64(turn.Short)-c.short) > 0.02 || (a.Air != nil) != c.air || slices.Contains(a.Lines[len(a.Lines)-1].Notes, NoteAirTrapped) != c.air {
			t.Errorf("%s: short %.2f, allowed %.2f, air %v", c.name, turn.Short, turn.Allowed, a.Air)
		}
	}
	short := []Entry{on(0, fill(8)), on(500, renew(7.9, 7.3, Cold))}
	top := func(v float64, bled bool) TopUp {
		return TopUp{Volume: litres(v), With: coolant.Premix, Product: &premix, Bled: bled}
	}
	at := func(hours int, b Body) Entry {
		return Entry{ID: fmt.Sprint("zz", hours, KindOf(b)), At: day(500).Add(time.Duration(hours) * time.Hour), Body: b}
	}
	for _, c := range []struct {
		name        string
		shown       []Entry
		ready, full bool // may be released; the level clock finds it full
	}{
		{"nothing since", nil, false, false},
		{"the missing was topped up", []Entry{at(24, top(0.6, false))}, false, true},
		{"half of it was topped up and bled again", []Entry{at(24, top(0.1, true))}, false, false},
		{"bled again with what was missing", []Entry{at(24, top(0.6, true))}, true, true},
		{"a cold level at the mark on the next day", []Entry{at(24, LevelCheck{Temper: Cold, Mark: "max"})}, true, true},
		{"a cold level at the mark an hour later", []Entry{at(1, LevelCheck{Temper: Cold, Mark: "max"})}, false, true},
		{"a cold level between the marks", []Entry{at(24, LevelCheck{Temper: Cold, Mark: "between"})}, false, true},
		{"a hot level at the mark", []Entry{at(24, LevelCheck{Temper: Hot, Mark: "max"})}, false, false},
		{"fallen again", []Entry{at(24, LevelCheck{Temper: Cold, Mark: "max"}), at(48, LevelCheck{Temper: Cold, Mark: "min"})}, false, true},
	} {
		entries := append(slices.Clone(short), c.shown...)
		a := Fold(car, entries)
		if a.Air == nil || (a.AirSeen != "") != c.ready || (a.MissingLitres() < 0.45) != c.full {
			t.Errorf("%s: air %v, shown by %q, %.2f L missing", c.name, a.Air, a.AirSeen, a.MissingLitres())
		}
		release := at(72, Release{What: "bled again"})
		if errs := Check(car, entries, release, day(600)); (len(errs) == 0) != c.ready {
			t.Errorf("%s: a release: %v", c.name, errs)
		}
		released := Fold(car, append(entries, release))
		if (released.Air == nil) != c.ready {
			t.Errorf("%s: after a release the air is %v", c.name, released.Air)
		}
		// Law: releasing moves no coolant.
		if *released.Balance.Litres != *a.Balance.Litres || released.MissingLitres() != a.MissingLitres() {
			t.Errorf("%s: released at %.3f L, held at %.3f", c.name, *released.Balance.Litres, *a.Balance.Litres)
		}
	}
}

func TestLeak(t *testing.T) {
	top := func(v float64) TopUp { return TopUp{Volume: litres(v), With: coolant.Premix, Product: &premix} }
	// Half a litre every 5,000 km: 0.1 L/1000 km.
	a := Fold(car, []Entry{on(0, Meter{Meter: km(1000)}), on(0, fill(8)), on(100, top(0.5)), on(100, Meter{Meter: km(6000)}), on(200, top(0.5)), on(200, Meter{Meter: km(11_000)}),
		on(300, top(0.5)), on(300, Meter{Meter: km(16_000)})})
	l := a.Leak()
	if l == nil || l.Per != Per1000Km || math.Abs(l.Rate-0.1) > 0.01 || l.Events != 3 || !(l.Sigma > 0.002 && l.Sigma < 0.03) {
		t.Errorf("half a litre in 5,000 km: %+v", l)
	}
	boat := Unit{Code: "B", Capacity: 20, Base: coolant.EG, Meter: measure.EngineTime}
	h := func(v float64) Meter { return Meter{Meter: measure.Reading{Value: v, Unit: measure.H}} }
	a = Fold(boat, []Entry{on(0, h(100)), on(0, fill(20)), on(150, LevelCheck{Temper: Cold, Mark: "below"}), on(150, h(200))})
	if l := a.Leak(); l == nil || l.Per != Per100H || math.Abs(l.Rate-1.6) > 0.01 {
		t.Errorf("a level 8 %% down after 100 h: %+v", l)
	}
	bare := Unit{Code: "N", Capacity: 8, Base: coolant.EG}
	a = Fold(bare, []Entry{on(0, fill(8)), on(61, top(1))})
	if l := a.Leak(); l == nil || l.Per != PerMonth || math.Abs(l.Rate-0.5) > 0.03 {
		t.Errorf("a litre in two months: %+v", l)
	}
	for name, entries := range map[string][]Entry{
		"nothing went":          {on(0, fill(8)), on(300, Meter{Meter: km(9)})},
		"a spill":               {on(0, fill(8)), on(300, Loss{Volume: litres(2), Cause: "spill"})},
		"no more than an error": {on(0, fill(8)), on(300, top(0.1))},
		"before the renewal":    {on(0, fill(8)), on(100, top(1)), on(200, fill(8)), on(300, Meter{Meter: km(9)})},
	} {
		if a := Fold(car, entries); a.Leak() != nil {
			t.Errorf("%s: %+v", name, a.Leak())
		}
	}
}

func TestLevels(t *testing.T) {
	tank := car
	tank.Tank, tank.Marks = 0.02, 30
	mm := func(v float64) LevelCheck {
		return LevelCheck{Temper: Cold, Over: ptr(measure.Reading{Value: v, Unit: measure.Millimetre})}
	}
	for _, c := range []struct {
		name   string
		unit   Unit
		check  LevelCheck
		litres float64
		note   Note
	}{
		{"at the mark", car, LevelCheck{Temper: Cold, Mark: "max"}, 8, ""},
		{"between the marks", car, LevelCheck{Temper: Cold, Mark: "between"}, 8, ""},
		{"below the lower mark", car, LevelCheck{Temper: Cold, Mark: "below"}, 7.36, NoteLevelLow},
		{"empty", car, LevelCheck{Temper: Cold, Mark: "empty"}, 6.8, NoteLevelLow},
		{"hot and full proves nothing", car, LevelCheck{Temper: Hot, Mark: "max"}, 8, NoteLevelHot},
		{"hot and yet empty", car, LevelCheck{Temper: Hot, Mark: "empty"}, 6.8, NoteLevelLow},
		{"30 mm down of 30 between the marks, 20 mL a millimetre", tank, mm(-30), 7.4, NoteLevelLow},
		{"40 mm down is below the lower mark", tank, mm(-40), 7.36, NoteLevelLow},
		{"millimetres of a tank without known marks", car, mm(-40), 8, NoteMarksUnknown},
	} {
		a := Fold(c.unit, []Entry{on(0, fill(8)), on(1, c.check)})
		near(t, c.name, f64(a.Balance.Litres), c.litres, 0.01)
		if l := a.Lines[1]; c.note != "" && !slices.Contains(l.Notes, c.note) || c.note == "" && len(l.Notes) > 0 {
			t.Errorf("%s: notes %v", c.name, l.Notes)
		}
	}
	high := Fold(car, []Entry{on(0, fill(8)), on(1, Loss{Volume: litres(2)}), on(2, LevelCheck{Temper: Cold, Mark: "max"})})
	near(t, "full again, and nobody wrote it down", f64(high.Balance.Litres), 8, 0.01)
	if *high.Balance.High <= *Fold(car, []Entry{on(0, fill(8))}).Balance.High {
		t.Error("what came in may have been water, and the band is no wider")
	}
}

// What is owed after a renewal: the level, cold, and the freeze point, once it is
// mixed (common practice).
func TestOwed(t *testing.T) {
	what := func(a Account) (all []string) {
		for _, o := range a.Pending {
			all = append(all, o.What)
		}
		return all
	}
	entries := []Entry{on(0, fill(8))}
	for _, c := range []struct {
		entry Entry
		owed  []string
	}{
		{on(0, NoteBody{Text: "done"}), []string{CheckLevel, CheckRetest}},
		{Entry{ID: "soon", At: day(0).Add(time.Hour), Body: LevelCheck{Temper: Cold, Mark: "max"}}, []string{CheckLevel, CheckRetest}},
		{on(1, LevelCheck{Temper: Hot, Mark: "max"}), []string{CheckLevel, CheckRetest}},
		{on(1, LevelCheck{Temper: Cold, Mark: "max"}), []string{CheckRetest}},
		{on(2, test(-37, coolant.EG)), nil},
		{on(3, TopUp{Volume: litres(0.2), With: coolant.Premix, Product: &premix}), nil},
		{on(4, TopUp{Volume: litres(0.6), With: coolant.Concentrate, Product: &conc}), []string{CheckRetest}},
		{on(6, test(-37, coolant.EG)), nil},
		// Water onto a premix in need is tested after, however little.
		{on(7, water(0.2)), []string{CheckRetest}},
	} {
		entries = append(entries, c.entry)
		if got := what(Fold(car, entries)); !slices.Equal(got, c.owed) {
			t.Errorf("after %s owed %v, want %v", c.entry.Kind(), got, c.owed)
		}
	}
}

// By how much less may go in than came out: never more than the air that such a system tolerates, and never more
// than measuring leaves open. Worked by hand: a jug's standard uncertainty is the root of 0.05² and 2 % of the
// volume squared.
func TestAllowedShort(t *testing.T) {
	for _, c := range []struct {
		kind         string
		out, in, all measure.Litre // all: the capacity
		hot          bool
		want         float64
	}{
		{"car", 4, 3.79, 4, false, 0.12},    // 3 % of 4 L; measuring leaves 0.26 L open
		{"truck", 29, 28, 29, false, 0.87},  // measuring leaves 1.6 L open
		{"car", 0.5, 0.5, 8, false, 0.1442}, // of half a litre that was exchanged, measuring
		{"motorcycle", 1.5, 1.4, 1.5, false, 0.075},
		{"aircraft", 10, 10, 10, false, 0.2},
		{"", 10, 10, 10, false, 0.2},       // the least of all where the kind is not known
		{"car", 4, 3.79, 4, true, 0.28},    // and 4 % of 4 L that a hot level reads high
		{"boat", 0, 0, 30, false, 0.14142}, // nothing was moved: what a jug shows at the least
	} {
		near(t, c.kind, ptr(float64(AllowedShort(c.kind, []measure.Litre{c.out}, c.in, 0, c.hot, c.all))), c.want, 0.002)
	}
	short := func(in float64) Account {
		small := car
		small.Capacity, small.Kind = 4, "car"
		return Fold(small, []Entry{on(0, Renewal{Volume: litres(4), Product: premix, Emptied: true}),
			on(300, Renewal{Volume: litres(in), Product: premix, Drained: []Drained{{Point: "radiator", Volume: litres(4)}}})})
	}
	if a := short(3.79); a.Air == nil {
		t.Error("3.79 of 4.0 L went in, and no air is trapped")
	}
	if a := short(3.95); a.Air != nil {
		t.Errorf("3.95 of 4.0 L went in: air %+v", a.Air)
	}
}
