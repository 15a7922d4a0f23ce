package clock

import (
	"math"
	"slices"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// Coolant that two tests show growing thinner is caught sooner than what it
// protects to today would be; coolant that grows stronger is not counted upon
// (the freeze points are those of the ASHRAE rows that TestFreezePoint holds).
func TestDriftMovesTheNight(t *testing.T) {
	// 38 % by mass freezes at −20.5 °C, and the depot needs −21 on 30 December.
	thin := ledger.Renewal{Volume: measure.Reading{Value: 8, Unit: measure.L}, Product: coolant.Product{Code: "T", Base: coolant.EG, Form: coolant.Premix, Glycol: 0.357}}
	night := func(tests ...ledger.Entry) (Clock, ledger.Account) {
		a := ledger.Fold(car, append([]ledger.Entry{ago(800, thin)}, tests...))
		return clockOf(t, Evaluate(&a, plan, Conditions{Climate: depot}, today), Freeze), a
	}
	steady, a := night(ago(500, freezeTest(-20, coolant.EG)), ago(200, freezeTest(-20, coolant.EG)))
	if perYear, sigma := a.Drift(); math.Abs(perYear) > 0.003 || sigma <= 0 || sigma > 0.010 {
		t.Errorf("steady coolant drifts by %.4f ± %.4f a year", perYear, sigma)
	}
	thinning, a := night(ago(500, freezeTest(-21, coolant.EG)), ago(350, freezeTest(-20, coolant.EG)), ago(200, freezeTest(-18.5, coolant.EG)), ago(20, freezeTest(-17.5, coolant.EG)))
	if perYear, _ := a.Drift(); perYear > -0.007 {
		t.Errorf("thinning coolant drifts by %.4f a year", perYear)
	}
	if steady.Due == nil || thinning.Due == nil || !thinning.Due.Before(*steady.Due) || thinning.Reason.Numbers["drift"] < 0.5 || steady.Reason.Numbers["drift"] != 0 {
		t.Errorf("steady %v %v, thinning %v %v", steady.Due, steady.Reason, thinning.Due, thinning.Reason)
	}
	strong := freezeTest(-23, coolant.EG)
	strong.Zero, strong.Tool = new(float64), "R-1"
	_, a = night(ago(500, freezeTest(-18, coolant.EG)), ago(20, strong), ago(19, strong))
	if d := driftOf(&a); d.perDay != 0 || d.sigma <= 0 {
		t.Errorf("coolant that grows stronger: %+v", d)
	}
	// In summer the drift to come brings the night forward.
	summer := measure.NewDate(2027, 6, 1)
	with := clockOf(t, Evaluate(&a, plan, Conditions{Climate: depot}, summer), Freeze)
	_, b := night(ago(700, freezeTest(-20, coolant.EG)), ago(450, freezeTest(-19, coolant.EG)), ago(200, freezeTest(-17.5, coolant.EG)), ago(20, freezeTest(-16, coolant.EG)))
	without, _ := depot.FirstBelow(*b.ProtectsTo()+3, summer, SearchNights)
	got := clockOf(t, Evaluate(&b, plan, Conditions{Climate: depot}, summer), Freeze)
	if got.Due == nil || !got.Due.Before(without) || with.Due == nil {
		t.Errorf("caught on %v, and without the drift on %v", got.Due, without)
	}
	if w := got.Window; w == nil || w.P10.After(w.P50) || w.P50.After(w.P90) {
		t.Errorf("window %+v", got.Window)
	}
}

// A leak of known rate sets the day on which the level is low: worked by hand.
func TestLevelFalls(t *testing.T) {
	premix8 := func(v float64) ledger.TopUp {
		return ledger.TopUp{Volume: measure.Reading{Value: v, Unit: measure.L}, With: coolant.Premix, Product: &premix}
	}
	entries := []ledger.Entry{ago(304, fill(false)), ago(303, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"})}
	// 0.6 L every 61 days: 0.3 L a month of 8 L. No meter is read.
	for d := 244; d >= 0; d -= 61 {
		entries = append(entries, ago(d, premix8(0.6)))
	}
	a := ledger.Fold(car, entries)
	leak := a.Leak()
	if leak == nil || leak.Per != ledger.PerMonth || math.Abs(leak.Rate-0.3) > 0.02 {
		t.Fatalf("leak %+v", leak)
	}
	// Full today; 0.4 L is a twentieth: 0.4 / 0.3 months of 30.44 days ≈ 40 days.
	c := clockOf(t, Evaluate(&a, plan, Conditions{Climate: mild}, today), Level)
	if c.Due == nil || math.Abs(float64(c.Due.Sub(today))-40) > 4 || c.Reason.Code != LevelFalls || c.Verdict != Watch || !c.Window.P10.Before(*c.Due) || !c.Window.P90.After(*c.Due) {
		t.Errorf("level %+v, window %+v", c, c.Window)
	}
	// 1.2 L until it must not run: three times as long.
	if days := c.Reason.Numbers["days"]; math.Abs(days-121) > 12 {
		t.Errorf("must not run in %g days", days)
	}
	// By the meter: 0.6 L every 3,000 km, 50 km a day.
	for d := 304; d >= 0; d -= 20 {
		entries = append(entries, ago(d, meter(float64(304-d)*50)))
	}
	a = ledger.Fold(car, entries)
	if leak = a.Leak(); leak == nil || leak.Per != ledger.Per1000Km || math.Abs(leak.Rate-0.2) > 0.02 {
		t.Fatalf("leak by the meter %+v", leak)
	}
	c = clockOf(t, Evaluate(&a, plan, Conditions{Climate: mild}, today), Level)
	if c.Due == nil || math.Abs(float64(c.Due.Sub(today))-40) > 5 {
		t.Errorf("level by the meter %+v", c)
	}
	// The level was not checked since: by now it is low, a twentieth 40 days after the last check.
	late := clockOf(t, Evaluate(&a, plan, Conditions{Climate: mild}, today.AddDate(0, 0, 60)), Level)
	if late.Verdict != Due || late.Due == nil || math.Abs(float64(late.Due.Sub(today))-40) > 5 || late.Reason.Numbers["ahead"] > -15 {
		t.Errorf("sixty days later %+v", late)
	}
	// Laid up it does not run, and it is not known.
	a = ledger.Fold(car, append(entries, ago(0, ledger.LayUp{})))
	if c = clockOf(t, Evaluate(&a, plan, Conditions{Climate: mild}, today), Level); c.Due != nil || c.Verdict != Sound {
		t.Errorf("laid up %+v", c)
	}
}

// A zero check is valid for a month; who made it is not asked; it is asked for with the next test.
func TestZeroClock(t *testing.T) {
	asked := plan
	asked.TestMonths = 12
	test := func(days int, zero *float64) ledger.Entry {
		b := freezeTest(-37, coolant.EG)
		b.Tool, b.Zero = "R-1", zero
		return ago(days, b)
	}
	nought := 0.0
	filled := ago(900, fill(false))
	for _, c := range []struct {
		name    string
		entries []ledger.Entry
		zeroed  map[string]time.Time
		verdict Verdict
		code    Code
	}{
		{"the next test is months away", []ledger.Entry{test(40, &nought)}, nil, Sound, ZeroLapses},
		{"the test is late, and the zero old", []ledger.Entry{test(400, &nought)}, nil, Watch, ZeroLapses},
		{"never zeroed", []ledger.Entry{test(400, nil)}, nil, Watch, ZeroNever},
		{"zeroed last week in another's books", []ledger.Entry{test(400, &nought)}, map[string]time.Time{"R-1": now.AddDate(0, 0, -7)}, Sound, ZeroHolds},
		{"another instrument was", []ledger.Entry{test(400, &nought)}, map[string]time.Time{"R-2": now.AddDate(0, 0, -7)}, Watch, ZeroLapses},
	} {
		a := ledger.Fold(car, append([]ledger.Entry{filled}, c.entries...))
		got := clockOf(t, Evaluate(&a, asked, Conditions{Climate: mild, Zeroed: c.zeroed}, today), ZeroDue)
		if got.Verdict != c.verdict || got.Reason.Code != c.code || got.Reason.About.String() != "R-1" || (got.Due == nil) != (c.code == ZeroHolds) {
			t.Errorf("%s: %s, %s on %v", c.name, got.Verdict, got.Reason.Code, got.Due)
		}
	}
	o := evaluated(car, asked, mild, filled, ago(400, freezeTest(-37, coolant.EG)))
	if slices.ContainsFunc(o.Clocks, func(c Clock) bool { return c.Kind == ZeroDue }) {
		t.Error("an instrument without a name is to be zeroed")
	}
}

// What a plan asks for after a renewal (common practice: cold on the next
// morning, then for a few days or after the first two runs).
func TestFurtherChecks(t *testing.T) {
	level := func(days int) ledger.Entry { return ago(days, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"}) }
	after := func(filled int, more ...ledger.Entry) []ledger.Entry {
		return append([]ledger.Entry{ago(filled+400, meter(100)), ago(filled, fill(false)), ago(filled-1, freezeTest(-37, coolant.EG))}, more...)
	}
	for _, c := range []struct {
		name       string
		days, runs int
		entries    []ledger.Entry
		verdict    Verdict // empty: nothing is owed
		code       Code
	}{
		{"the first morning alone is wanted", 0, 0, after(3, level(2)), "", ""},
		{"the first of three, yesterday", 3, 0, after(2, level(1)), Due, CheckDays},
		{"the first of three, today", 3, 0, after(1, level(0)), Watch, CheckDays},
		{"all three", 3, 0, after(5, level(4), level(3), level(2)), "", ""},
		{"two missed, and the last day made up", 3, 0, after(6, level(5), level(2)), "", ""},
		{"twice on one day is once", 3, 0, after(3, level(2), level(2)), Due, CheckDays},
		{"fallen to the ordinary round", 3, 0, after(31, level(30)), "", ""},
		{"no run yet", 0, 2, after(3, level(2)), Watch, CheckRuns},
		{"it has run", 0, 2, after(3, level(2), ago(1, meter(300))), Due, CheckRuns},
		{"no run for a week", 0, 2, after(10, level(9)), Due, CheckRuns},
		{"after both runs", 0, 2, after(9, level(8), level(5), level(2)), "", ""},
		{"before anything else the first morning", 3, 0, []ledger.Entry{ago(2, fill(false))}, Due, CheckLevel},
	} {
		p := plan
		p.FollowDays, p.FollowRuns = c.days, c.runs
		o := evaluated(car, p, mild, c.entries...)
		i := slices.IndexFunc(o.Clocks, func(k Clock) bool { return k.Kind == FollowUp })
		switch {
		case i < 0 && c.verdict != "":
			t.Errorf("%s: nothing is owed", c.name)
		case i >= 0 && (o.Clocks[i].Verdict != c.verdict || o.Clocks[i].Reason.Code != c.code):
			t.Errorf("%s: %s, %s %v", c.name, o.Clocks[i].Verdict, o.Clocks[i].Reason.Code, o.Clocks[i].Reason.Numbers)
		}
	}
}
