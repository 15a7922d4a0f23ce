package clock

import (
	"strings"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// Work is what is done about a clock.
type Work string

// The work that a work list holds.
const (
	RenewWork   Work = "renewal"    // drain, fill, bleed
	CorrectWork Work = "correction" // of the mix: drained in part and filled richer, or topped up with concentrate; or a renewal
	TestWork    Work = "test"       // freeze point, chemistry
	LevelWork   Work = "level"      // check the level cold, top up
	CapWork     Work = "cap"
	DoseWork    Work = "dose"      // SCA or extender
	FilterWork  Work = "filter"    // change the additive filter
	SampleWork  Work = "chemistry" // test the chemistry
	HoseWork    Work = "hoses"
	RepairWork  Work = "repair"    // find the cause, repair it
	ServiceWork Work = "service"   // inspect or renew parts
	RawWork     Work = "raw_water" // drain the raw-water side, or fill it with antifreeze
)

// WorkFor a clock. False for one that asks for nothing to be planned.
func WorkFor(c Clock) (Work, bool) {
	switch c.Kind {
	case Use:
		switch c.Reason.Code {
		case UseNoMeter, UseOtherMeter:
			return "", false // the plan is to be changed, not the unit
		}
		return RenewWork, true
	case Age:
		return RenewWork, true
	case Strength:
		return CorrectWork, c.Verdict != Sound || c.Due != nil
	case Chemistry, Product:
		return workOf(c.Reason.Remedy)
	case Extender:
		return DoseWork, c.Due != nil
	case FilterDue:
		return FilterWork, true
	case Freeze:
		switch c.Reason.Code {
		case FreezeNone, FreezeUntrusted, FreezeStale, FreezeNarrow:
			return TestWork, true
		case FreezeAll:
			return "", false
		case FreezeBound:
			return TestWork, true
		}
		return CorrectWork, true
	case TestDue:
		return TestWork, true
	case Level:
		return LevelWork, c.Verdict != Sound || c.Due != nil
	case FollowUp:
		if c.Reason.Code == CheckRetest {
			return TestWork, true
		}
		if c.Reason.Code == CheckReturn {
			return returnWork[c.Reason.About.Point], true
		}
		return LevelWork, true
	case CapDue:
		return CapWork, true
	case HosesDue, HoseAge:
		return HoseWork, true
	case Impeller, Anodes, Exchanger, AntiSiphon, BlockHeater, Inspect:
		return ServiceWork, true
	case RawWater:
		return RawWork, c.Verdict != Sound || c.Due != nil
	case Holds, Findings:
		if c.Reason.Code == Discrepancy {
			return TestWork, true
		}
		return RepairWork, true
	}
	return "", false
}

// returnWork of each check that is owed after a lay-up, and the entry that answers it.
var (
	returnWork   = map[string]Work{ledger.CheckReturnLevel: LevelWork, ledger.CheckReturnCap: CapWork, ledger.CheckReturnHoses: HoseWork, ledger.CheckReturnTest: TestWork}
	returnAnswer = map[string]ledger.Kind{ledger.CheckReturnLevel: ledger.KindLevelCheck, ledger.CheckReturnCap: ledger.KindCapTest, ledger.CheckReturnHoses: ledger.KindHoseCheck, ledger.CheckReturnTest: ledger.KindFreezeTest}
)

// workOf a remedy; false for none.
func workOf(r coolant.Remedy) (Work, bool) {
	switch r {
	case coolant.RemedySCA, coolant.RemedyExtender:
		return DoseWork, true
	case coolant.RemedyDilute:
		return CorrectWork, true
	case coolant.RemedyRenew, coolant.RemedyFlush:
		return RenewWork, true
	case coolant.RemedyTest:
		return SampleWork, true
	case coolant.RemedyGround, coolant.RemedyCause, coolant.RemedyProduct:
		return RepairWork, true
	}
	return "", false
}

// Days of work that is proposed (judgement: a fortnight to book a bay; a week for what cannot wait).
const (
	fortnight = 14
	week      = 7
)

// DefaultSpan to do it in, when no one has said which: the fortnight that ends the day before the
// clock may run out, which is the early end of its window (P10), or its day. What may run out
// already is for the next week, and for the days before it most likely runs out.
func (c Clock) DefaultSpan(today measure.Date) (from, to measure.Date) {
	early := c.Due
	if c.Window != nil {
		early = &c.Window.P10
	}
	if early != nil && early.After(today) {
		to = early.AddDays(-1)
		if from = to.AddDays(-fortnight); from.Before(today) {
			from = today
		}
		return from, to
	}
	to = today.AddDays(week)
	if c.Due != nil && c.Due.After(today) && !c.Due.After(to) {
		to = c.Due.AddDays(-1)
	}
	return today, to
}

// CompletedAt is when work that was meant to be done at or after since was done, by the
// books; nil when they do not show it. A repair was done when the last thing to be
// repaired was put right.
func CompletedAt(a *ledger.Account, w Work, since time.Time) *time.Time {
	latest := func(all ...*time.Time) (last *time.Time) {
		for _, t := range all {
			if t != nil && !t.Before(since) && (last == nil || t.After(*last)) {
				last = t
			}
		}
		return last
	}
	switch w {
	case RenewWork:
		return latest(a.Balance.RenewedAt)
	case CorrectWork:
		return latest(a.Balance.RenewedAt, a.CorrectedAt)
	case TestWork:
		if a.LastTest != nil {
			return latest(&a.LastTest.At)
		}
	case LevelWork:
		return latest(&a.LevelAt)
	case DoseWork:
		return latest(a.Given.DosedAt, a.Given.ExtendedAt, a.Balance.RenewedAt)
	case FilterWork:
		if a.Filter != nil {
			return latest(&a.Filter.At)
		}
	case SampleWork:
		if n := len(a.Chemistry); n > 0 && a.Chemistry[n-1].Grade != coolant.GradeUnknown {
			return latest(&a.Chemistry[n-1].At)
		}
	case CapWork:
		return latest(lastFound(a, isCap))
	case HoseWork:
		return latest(lastFound(a, isHose))
	case ServiceWork:
		return latest(a.InspectedAt)
	case RawWork:
		if m := a.RawWater; m != nil && m.State != ledger.RawWet {
			return latest(&m.At)
		}
	case RepairWork:
		return latest(a.RepairedAt)
	}
	return nil
}

func isCap(point string) bool  { return point == "cap" }
func isHose(point string) bool { return strings.HasSuffix(point, "_hose") }

// lastFound is when a point of that kind was last judged.
func lastFound(a *ledger.Account, is func(point string) bool) *time.Time {
	var last *time.Time
	for i := range a.Findings {
		f := &a.Findings[i]
		if is(f.Point) && f.Grade != coolant.GradeUnknown && (last == nil || f.At.After(*last)) {
			last = &f.At
		}
	}
	return last
}

// Answered is the kind of entry that answers a clock; empty when the account must be read first
// first: a stop, a finding, a discrepancy, or what is not to be done yet.
func Answered(c Clock) ledger.Kind {
	if c.Verdict == Sound {
		return ""
	}
	switch c.Reason.Code {
	case FreezeNone, FreezeUntrusted, FreezeStale, TestCalendar, TestSeason, TestNever, CheckRetest, FreezeSingle, StrengthSingle:
		return ledger.KindFreezeTest
	case LevelLow:
		return ledger.KindTopUp
	case PartRuns, PartUnknown, PartNoStart:
		return ledger.KindInspection
	case RawWet, RawUntested, RawProtected:
		return ledger.KindRawWater
	case CapCalendar:
		return ledger.KindCapTest
	case HoseOld, HoseAgeUnknown, HoseCalendar:
		return ledger.KindHoseCheck
	case ZeroLapses, ZeroNever:
		return ledger.KindZeroCheck
	case LevelFalls, LevelUnseen, LevelUnjudged, CheckLevel, CheckDays, CheckRuns:
		return ledger.KindLevelCheck
	case CheckReturn:
		return returnAnswer[c.Reason.About.Point]
	case UseNoRate, UseNoStart:
		return ledger.KindMeter
	}
	if (c.Kind == Age || c.Kind == Use) && c.Verdict != Watch && c.Verdict != Hold {
		return ledger.KindRenewal
	}
	return ""
}
