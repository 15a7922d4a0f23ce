package clock

import (
	"math"
	"slices"
	"testing"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
)

var (
	now      = time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC)
	today    = measure.DateOf(now, time.UTC)
	plan     = serviceplan.Plan{Name: "car", First: serviceplan.Interval{Months: 72, Km: 160_000}, Later: serviceplan.Interval{Months: 36, Km: 80_000}, FreezeMargin: 3}
	months12 = climate.MonthlyCurve{-24, -23, -16, -7, -2, 3, 6, 5, 1, -4, -11, -19}
	depot    = months12.Climate()
	mild     = climate.MonthlyCurve{-2, -2, 0, 2, 4, 8, 10, 10, 8, 5, 2, 0}.Climate()
	car      = ledger.Unit{Code: "CA-01", Capacity: 8, Base: coolant.EG, Meter: measure.Distance}
	premix   = coolant.Product{Code: "P", Base: coolant.EG, Form: coolant.Premix, Glycol: 0.5}
	serial   int
)

// ago is an entry some days before today.
func ago(days int, b ledger.Body) ledger.Entry {
	serial++
	return ledger.Entry{ID: string(rune('a' + serial%26)), At: now.AddDate(0, 0, -days).Add(8 * time.Hour), Body: b}
}

func fill(factory bool) ledger.Renewal {
	return ledger.Renewal{Volume: measure.Reading{Value: 8, Unit: measure.L}, Product: premix, Factory: factory}
}

func meter(v float64) ledger.Meter {
	return ledger.Meter{Meter: measure.Reading{Value: v, Unit: measure.Km}}
}

func freezeTest(c float64, scale coolant.Base) ledger.FreezeTest {
	return ledger.FreezeTest{Value: measure.Reading{Value: c, Unit: measure.DegC}, Instrument: ledger.Refractometer, Scale: scale}
}

func loss(v float64) ledger.Loss {
	return ledger.Loss{Volume: measure.Reading{Value: v, Unit: measure.L}}
}

func evaluated(u ledger.Unit, p serviceplan.Plan, cold *climate.Climate, entries ...ledger.Entry) UnitStatus {
	a := ledger.Fold(u, entries)
	return Evaluate(&a, p, Conditions{Climate: cold}, today)
}

func clockOf(t *testing.T, o UnitStatus, k Kind) Clock {
	t.Helper()
	i := slices.IndexFunc(o.Clocks, func(c Clock) bool { return c.Kind == k })
	if i < 0 {
		t.Fatalf("no %s clock among %v", k, o.Clocks)
	}
	return o.Clocks[i]
}

func on(d string) *measure.Date {
	t, err := measure.ParseDate(d)
	if err != nil {
		panic(err)
	}
	return &t
}

// The calendar side of a plan (intervals: common practice); months counted by
// hand on a calendar.
func TestAgeClock(t *testing.T) {
	for _, c := range []struct {
		name    string
		days    int
		factory bool
		due     string
		verdict Verdict
		used    float64
	}{
		{"renewed two years ago", 730, false, "2027-11-24", Sound, 24},
		{"runs out in 90 days", 1006, false, "2027-02-22", Watch, 33 + 2.0/31},
		{"runs out in 30 days", 1066, false, "2026-12-24", Due, 35},
		{"runs out today", 1096, false, "2026-11-24", Due, 36},
		{"ran out yesterday", 1097, false, "2026-11-23", Overdue, 36 + 1.0/30},
		{"the first interval is longer", 1097, true, "2029-11-23", Sound, 36 + 1.0/30},
	} {
		got := clockOf(t, evaluated(car, plan, mild, ago(c.days, fill(c.factory))), Age)
		if got.Due == nil || !got.Due.Equal(*on(c.due)) || got.Verdict != c.verdict {
			t.Errorf("%s: %s on %v, want %s on %s", c.name, got.Verdict, got.Due, c.verdict, c.due)
		}
		if used := got.Reason.Numbers["used"]; math.Abs(used-c.used) > 0.05 {
			t.Errorf("%s: %.3f months, want %.3f", c.name, used, c.used)
		}
	}
	got := clockOf(t, evaluated(car, plan, mild, ago(3, meter(5))), Age)
	if got.Verdict != Unknown || got.Reason.Code != AgeUnknown || got.Due != nil {
		t.Errorf("without a fill: %+v", got)
	}
}

func TestUseClock(t *testing.T) {
	steady := []ledger.Entry{ago(400, meter(10_000)), ago(400, fill(false)), ago(300, meter(20_000)), ago(200, meter(30_000)), ago(100, meter(40_000))}
	got := clockOf(t, evaluated(car, plan, mild, steady...), Use)
	// 100 km a day: 30,000 km at the last reading, 100 days ago less 8 hours.
	used := got.Reason.Numbers["used"]
	if math.Abs(used-40_000) > 100 || math.Abs(got.Reason.Numbers["rate"]-700) > 10 || got.Verdict != Sound {
		t.Errorf("steady use: %+v", got)
	}
	if want := today.AddDate(0, 0, 400); got.Due == nil || math.Abs(float64(got.Due.Sub(want))) > 8 {
		t.Errorf("steady use ends on %v, want %v", got.Due, want)
	}
	// Four readings say little: the window is wide, and holds the truth.
	if w := got.Window; w == nil || !w.P10.Before(*got.Due) || !w.P90.After(*got.Due) || w.P90.Sub(w.P10) < 60 {
		t.Errorf("window %+v", got.Window)
	}
	for _, c := range []struct {
		name    string
		unit    ledger.Unit
		entries []ledger.Entry
		code    Code
		verdict Verdict
	}{
		{"one reading", car, []ledger.Entry{ago(50, fill(false)), ago(50, meter(10))}, UseNoRate, Unknown},
		{"no reading at the renewal", car, []ledger.Entry{ago(50, fill(false)), ago(40, meter(10)), ago(10, meter(90))}, UseNoStart, Unknown},
		{"no meter", ledger.Unit{Capacity: 8, Base: coolant.EG}, []ledger.Entry{ago(50, fill(false))}, UseNoMeter, Unknown},
		{"laid up", car, []ledger.Entry{ago(90, meter(10)), ago(90, fill(false)), ago(10, meter(10))}, UseNoDay, Unknown},
		{"laid up by an entry, and not far from its limit", car, []ledger.Entry{ago(400, meter(10)), ago(400, fill(false)), ago(250, meter(37_000)), ago(100, meter(75_000)), ago(95, ledger.LayUp{})}, UseLaidUp, Sound},
		{"back in use", car, []ledger.Entry{ago(400, meter(10)), ago(400, fill(false)), ago(250, meter(37_000)), ago(100, meter(75_000)), ago(95, ledger.LayUp{}), ago(90, ledger.Return{})}, UseRuns, Overdue},
		{"over", car, []ledger.Entry{ago(300, meter(10)), ago(300, fill(false)), ago(10, meter(90_000))}, UseRuns, Overdue},
		{"hardly moves", car, []ledger.Entry{ago(400, meter(10)), ago(400, fill(false)), ago(10, meter(11))}, UseRuns, Sound},
		{"hardly moves, by less than a year", car, []ledger.Entry{ago(300, meter(10)), ago(300, fill(false)), ago(10, meter(11))}, UseNoDay, Unknown},
	} {
		got := clockOf(t, evaluated(c.unit, plan, mild, c.entries...), Use)
		if got.Reason.Code != c.code || got.Verdict != c.verdict {
			t.Errorf("%s: %s, %s; want %s, %s", c.name, got.Reason.Code, got.Verdict, c.code, c.verdict)
		}
	}
	hours := clockOf(t, evaluated(ledger.Unit{Capacity: 8, Meter: measure.EngineTime}, plan, mild), Use)
	if hours.Verdict != Unknown || hours.Reason.Code != UseOtherMeter || hours.Reason.Numbers["km"] != 80_000 {
		t.Errorf("a plan in km on a unit that counts hours: %+v", hours)
	}
}

func TestFreezeClock(t *testing.T) {
	for _, c := range []struct {
		name    string
		celsius float64
		today   string
		verdict Verdict
		code    Code
		night   string // first too cold, empty for none
	}{
		// The depot's curve runs straight from −11 on 15 Nov to −19 on 16 Dec
		// and −24 on 16 Jan: it passes −21 twelve days after mid-December.
		{"caught after Christmas", -24, "2026-11-24", Watch, FreezeNight, "2026-12-29"},
		{"caught within the month", -20, "2026-11-24", Due, FreezeNight, "2026-12-09"},
		{"margin gone tonight", -15.5, "2026-11-24", Overdue, FreezeNow, "2026-11-24"},
		{"freezes tonight", -12, "2026-11-24", Hold, FreezeNow, "2026-11-24"},
		{"freezes, but it is June", -12, "2026-06-10", Sound, FreezeNight, "2026-11-07"},
		{"protected all year", -36, "2026-11-24", Sound, FreezeAll, ""},
	} {
		a := ledger.Fold(car, []ledger.Entry{{ID: "a", At: on(c.today).AddDays(-30).Time(), Body: fill(false)},
			{ID: "b", At: on(c.today).AddDays(-2).Time(), Body: freezeTest(c.celsius, coolant.EG)}})
		got := clockOf(t, Evaluate(&a, plan, Conditions{Climate: depot}, *on(c.today)), Freeze)
		if got.Verdict != c.verdict || got.Reason.Code != c.code {
			t.Errorf("%s: %s, %s; want %s, %s", c.name, got.Verdict, got.Reason.Code, c.verdict, c.code)
		}
		if (got.Due == nil) != (c.night == "") || got.Due != nil && got.Due.Sub(*on(c.night)) != 0 {
			t.Errorf("%s: caught on %v, want %s", c.name, got.Due, c.night)
		}
	}
}

func TestFreezeClockDoubts(t *testing.T) {
	wrong := evaluated(car, plan, mild, ago(100, ledger.Renewal{Volume: measure.Reading{Value: 8, Unit: measure.L},
		Product: coolant.Product{Base: coolant.PG, Form: coolant.Premix, Glycol: 0.5}}), ago(3, freezeTest(-41, coolant.EG)))
	if got := clockOf(t, wrong, Freeze); got.Verdict != Watch || got.Reason.Code != FreezeUntrusted || got.Reason.Note != ledger.NoteWrongScale {
		t.Errorf("wrong scale: %+v", got)
	}
	stale := evaluated(car, plan, mild, ago(420, fill(false)), ago(1, loss(0.1)))
	if got := clockOf(t, stale, Freeze); got.Verdict != Watch || got.Reason.Code != FreezeStale || got.Remaining != nil {
		t.Errorf("not tested for 13 months: %+v", got)
	}
	fresh := evaluated(car, plan, mild, ago(420, fill(false)), ago(40, freezeTest(-36, coolant.EG)))
	if got := clockOf(t, fresh, Freeze); got.Verdict != Sound {
		t.Errorf("tested last month: %+v", got)
	}
	// Nothing known: unknown where it never freezes, due from a month before the frost.
	warm := climate.MonthlyCurve{8, 8, 9, 11, 14, 18, 20, 20, 18, 15, 12, 9}.Climate()
	for _, c := range []struct {
		cold    *climate.Climate
		verdict Verdict
	}{{warm, Unknown}, {mild, Due}, {depot, Due}} {
		for _, entries := range [][]ledger.Entry{nil, {ago(3, meter(1))}} {
			if got := clockOf(t, evaluated(car, plan, c.cold, entries...), Freeze); got.Verdict != c.verdict || got.Reason.Code != FreezeNone {
				t.Errorf("never measured: %+v, want %s", got, c.verdict)
			}
		}
	}
	// Which glycol is inside is not known: the warmer of what the reading can mean. On
	// the EG scale −30 °C is 46 % EG by mass; PG of that refractive index freezes at
	// about −23 °C (CRC Handbook, from memory).
	eg, pg := freezeTest(-30, coolant.EG), freezeTest(-22, coolant.PG)
	for _, c := range []struct {
		tests   []ledger.Entry
		cold    *climate.Climate
		bound   float64
		verdict Verdict
	}{
		{[]ledger.Entry{ago(3, eg)}, mild, -20, Watch},
		{[]ledger.Entry{ago(3, eg), ago(2, pg)}, mild, -19, Watch},
		{[]ledger.Entry{ago(3, eg)}, depot, -20, Due},
		{[]ledger.Entry{ago(3, freezeTest(-12, coolant.EG))}, depot, -6, Overdue},
	} {
		got := clockOf(t, evaluated(ledger.Unit{Capacity: 8}, serviceplan.Plan{}, c.cold, c.tests...), Freeze)
		if protects := got.Reason.Numbers["protects"]; got.Reason.Code != FreezeBound || got.Verdict != c.verdict || math.Abs(protects-c.bound) > 2.5 {
			t.Errorf("unknown base: %s, %s, protects to %.1f; want %s, %.1f", got.Verdict, got.Reason.Code, protects, c.verdict, c.bound)
		}
	}
}

func TestLevelClock(t *testing.T) {
	for _, c := range []struct {
		lost    float64
		verdict Verdict
		code    Code
	}{{0, Sound, LevelHolds}, {0.3, Sound, LevelHolds}, {0.5, Due, LevelLow}, {1.1, Due, LevelLow}, {1.3, Hold, LevelLow}, {8, Hold, LevelLow}} {
		got := clockOf(t, evaluated(car, plan, mild, ago(100, fill(false)), ago(2, loss(c.lost))), Level)
		if got.Verdict != c.verdict || got.Reason.Code != c.code {
			t.Errorf("%g of 8 L gone: %s, %s; want %s, %s", c.lost, got.Verdict, got.Reason.Code, c.verdict, c.code)
		}
	}
}

// The worst verdict governs, and within it the clock that runs out first.
func TestGoverningClock(t *testing.T) {
	order := []Verdict{Hold, Overdue, Due, Watch, Unknown, Sound}
	for i, v := range order {
		if v.Rank() != i {
			t.Errorf("%s ranks %d, want %d", v, v.Rank(), i)
		}
	}
	o := evaluated(car, plan, depot, ago(1200, meter(100)), ago(1200, fill(false)), ago(1198, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"}), ago(1000, meter(5000)), ago(700, meter(15_000)),
		ago(100, meter(30_000)), ago(50, freezeTest(-20, coolant.EG)), ago(1, loss(2)))
	if o.Verdict != Hold || o.Governing.Kind != Level || o.Clocks[1].Kind != Age || o.Clocks[1].Verdict != Overdue {
		t.Errorf("governing %s, %+v", o.Verdict, o.Clocks)
	}
	for i := 1; i < len(o.Clocks); i++ {
		if ByUrgency(o.Clocks[i-1], o.Clocks[i]) > 0 {
			t.Errorf("%s stands before %s", o.Clocks[i-1].Kind, o.Clocks[i].Kind)
		}
	}
	a, b, never := Clock{Verdict: Sound, Due: on("2027-01-01")}, Clock{Verdict: Sound, Due: on("2027-02-01")}, Clock{Verdict: Sound}
	if ByUrgency(a, b) >= 0 || ByUrgency(never, a) <= 0 || ByUrgency(a, never) >= 0 || ByUrgency(never, never) != 0 {
		t.Error("dates are not in order")
	}
}

func BenchmarkEvaluate(b *testing.B) {
	entries := []ledger.Entry{ago(700, fill(false))}
	for n := range 24 {
		entries = append(entries, ago(700-28*n, meter(float64(1000*n))))
	}
	a := ledger.Fold(car, entries)
	b.ReportAllocs()
	for b.Loop() {
		Evaluate(&a, plan, Conditions{Climate: depot}, today)
	}
}

// A unit that stands is never due by use.
func TestStandsStill(t *testing.T) {
	entries := []ledger.Entry{ago(901, meter(5000)), ago(900, fill(false))}
	for d := 890; d > 0; d -= 40 {
		entries = append(entries, ago(d, meter(5000)))
	}
	if c := clockOf(t, evaluated(car, plan, mild, entries...), Use); c.Due != nil || c.Verdict != Sound {
		t.Errorf("a unit that stands: %+v", c)
	}
}
