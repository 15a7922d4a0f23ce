package forecast

import (
	"strings"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
)

// Work is what is done about a clock.
type Work string

// The work that a plan list holds.
const (
	RenewWork  Work = "renewal" // drain, fill, bleed; a correction of the mix as well
	TestWork   Work = "test"    // freeze point, chemistry
	LevelWork  Work = "level"   // look at the level cold, top up
	CapWork    Work = "cap"
	HoseWork   Work = "hoses"
	RepairWork Work = "repair" // find out what is wrong, and mend it
)

// WorkFor a clock. False for one that asks for nothing to be planned.
func WorkFor(c Clock) (Work, bool) {
	switch c.Kind {
	case Age, Use, ChemistryTrend:
		return RenewWork, true
	case Freeze:
		switch c.Reason.Code {
		case FreezeNone, FreezeUnsure, FreezeStale, FreezeNarrow:
			return TestWork, true
		case FreezeAll:
			return "", false
		}
		return RenewWork, true
	case TestDue:
		return TestWork, true
	case Level:
		return LevelWork, c.Verdict != Sound || c.Due != nil
	case FollowUp:
		if c.Reason.Code == OwedRetest {
			return TestWork, true
		}
		return LevelWork, true
	case CapDue:
		return CapWork, true
	case HosesDue, HoseAge:
		return HoseWork, true
	case Holds, Findings:
		if c.Reason.Code == OffBook {
			return TestWork, true
		}
		return RepairWork, true
	}
	return "", false
}

// Days to do it in, when nobody has said which: from today or the first day of the
// clock's window to the day it runs out; a week for what cannot wait.
func (c Clock) Days(today time.Time) (from, to time.Time) {
	from, to = today, today.AddDate(0, 0, 7)
	if c.Due == nil || !c.Due.After(to) {
		return from, to
	}
	if c.Window != nil && c.Window.P10.After(from) {
		from = c.Window.P10
	}
	if from.After(*c.Due) || c.Window == nil {
		from = c.Due.AddDate(0, 0, -14)
	}
	if from.Before(today) {
		from = today
	}
	return from, *c.Due
}

// Done tells when work that was meant to be done at or after since was done, by
// the books; nil when they do not show it.
func Done(a *ledger.Account, w Work, since time.Time) *time.Time {
	after := func(t *time.Time) *time.Time {
		if t != nil && !t.Before(since) {
			return t
		}
		return nil
	}
	switch w {
	case RenewWork:
		return after(a.Balance.RenewedAt)
	case TestWork:
		if a.LastTest != nil {
			return after(&a.LastTest.At)
		}
	case LevelWork:
		return after(&a.LevelAt)
	case CapWork:
		return after(lastFound(a, isCap))
	case HoseWork:
		return after(lastFound(a, isHose))
	case RepairWork:
		if _, held := holdClock(a, since); held {
			return nil
		}
		if c, found := findingsClock(a, since); !found || c.Reason.Code == OffBook {
			return &since // nothing stands any more
		}
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
