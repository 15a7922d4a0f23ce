package clock

import (
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/usage"
)

// What each clock asks to be done, and in which days (common practice).
func TestWorkFor(t *testing.T) {
	day := func(ahead int) *measure.Date { d := today.AddDate(0, 0, ahead); return &d }
	for _, c := range []struct {
		clock    Clock
		work     Work // empty for nothing
		from, to int  // days from today
	}{
		{Clock{Kind: Age, Due: day(60)}, RenewWork, 45, 59},
		{Clock{Kind: Age, Due: day(-30)}, RenewWork, 0, 7},
		{Clock{Kind: Use, Due: day(40), Window: &usage.Window{P10: *day(20), P50: *day(40), P90: *day(70)}}, RenewWork, 5, 19},
		{Clock{Kind: Use, Due: day(40), Window: &usage.Window{P10: *day(-20), P50: *day(40), P90: *day(70)}}, RenewWork, 0, 7},
		{Clock{Kind: Use, Due: day(4), Window: &usage.Window{P10: *day(-20), P50: *day(4), P90: *day(70)}}, RenewWork, 0, 3},
		{Clock{Kind: Use, Due: day(40), Window: &usage.Window{P10: *day(1), P50: *day(40), P90: *day(70)}}, RenewWork, 0, 0},
		{Clock{Kind: Freeze, Due: day(12), Reason: Reason{Code: FreezeNight}}, CorrectWork, 0, 11},
		{Clock{Kind: Freeze, Reason: Reason{Code: FreezeNone}}, TestWork, 0, 7},
		{Clock{Kind: Freeze, Reason: Reason{Code: FreezeAll}}, "", 0, 0},
		{Clock{Kind: Holds, Due: day(0)}, RepairWork, 0, 7},
		{Clock{Kind: Findings, Reason: Reason{Code: Discrepancy}}, TestWork, 0, 7},
		{Clock{Kind: Level, Verdict: Sound}, "", 0, 0},
		{Clock{Kind: Level, Verdict: Due, Due: day(0)}, LevelWork, 0, 7},
		{Clock{Kind: FollowUp, Due: day(-1), Reason: Reason{Code: CheckRetest}}, TestWork, 0, 7},
		{Clock{Kind: FollowUp, Due: day(-1), Reason: Reason{Code: CheckDays}}, LevelWork, 0, 7},
		{Clock{Kind: CapDue, Due: day(3)}, CapWork, 0, 2},
		{Clock{Kind: HosesDue, Due: day(100)}, HoseWork, 85, 99},
		{Clock{Kind: ZeroDue, Due: day(3)}, "", 0, 0},
	} {
		work, ok := WorkFor(c.clock)
		if work != c.work && c.work != "" || ok != (c.work != "") {
			t.Errorf("%s, %s: %s, %v; want %q", c.clock.Kind, c.clock.Reason.Code, work, ok, c.work)
		}
		if from, to := c.clock.DefaultSpan(today); ok && (from.Sub(today) != c.from || to.Sub(today) != c.to) {
			t.Errorf("%s: from %v to %v; want in %d to %d days", c.clock.Kind, from, to, c.from, c.to)
		}
	}
}

// Work is done when the books show it since it was sent, on the day it was done.
func TestDone(t *testing.T) {
	cap := ledger.CapTest{Opened: &measure.Reading{Value: 100, Unit: measure.KPa}, Vacuum: "opens"}
	hoses := ledger.HoseCheck{Hoses: []ledger.HoseFound{{Hose: "upper", State: "good"}}}
	conc := coolant.Product{Code: "C", Base: coolant.EG, Form: coolant.Concentrate, Glycol: coolant.ConcentrateGlycol}
	richer := ledger.TopUp{Volume: measure.Reading{Value: 0.8, Unit: measure.L}, With: coolant.Concentrate, Product: &conc}
	litre := ledger.TopUp{Volume: measure.Reading{Value: 0.2, Unit: measure.L}, With: coolant.Premix, Product: &premix}
	u := car
	u.Cap = 100
	for _, c := range []struct {
		work Work
		body ledger.Body
		done bool
	}{
		{RenewWork, fill(false), true}, {TestWork, freezeTest(-37, coolant.EG), true}, {LevelWork, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"}, true},
		{CapWork, cap, true}, {HoseWork, hoses, true},
		// A correction of the mix is work done, and no renewal.
		{CorrectWork, richer, true}, {CorrectWork, fill(false), true}, {CorrectWork, litre, false}, {RenewWork, richer, false},
		// What was not judged is not done.
		{CapWork, ledger.CapTest{Seal: "good"}, false},
	} {
		a := ledger.Fold(u, []ledger.Entry{ago(300, fill(false)), ago(9, c.body)})
		if got := CompletedAt(&a, c.work, now.AddDate(0, 0, -10)); (got != nil) != c.done || c.done && today.Sub(measure.DateOf(*got, time.UTC)) != 9 {
			t.Errorf("%s by a %s, sent the day before: done %v", c.work, ledger.KindOf(c.body), got)
		}
		if got := CompletedAt(&a, c.work, now.AddDate(0, 0, -8)); got != nil {
			t.Errorf("%s sent the day after: done %v", c.work, got)
		}
	}
	since := now.AddDate(0, 0, -20)
	a := ledger.Fold(u, []ledger.Entry{ago(300, fill(false)), ago(29, ledger.Hold{Why: "leaks"})})
	if got := CompletedAt(&a, RepairWork, since); got != nil {
		t.Errorf("held, and done %v", got)
	}
	a = ledger.Fold(u, append(a.Entries(), ago(12, ledger.Release{What: "repaired"}), ago(2, ledger.NoteBody{Text: "washed"})))
	if got := CompletedAt(&a, RepairWork, since); got == nil || today.Sub(measure.DateOf(*got, time.UTC)) != 12 {
		t.Errorf("released twelve days ago, and done %v", got)
	}
	a = ledger.Fold(u, append(a.Entries(), ago(1, ledger.Defect{What: "weeps", Severity: "repair"})))
	if got := CompletedAt(&a, RepairWork, since); got != nil {
		t.Errorf("there is a defect again, and done %v", got)
	}
}
