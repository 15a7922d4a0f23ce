package forecast

import (
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
)

// The clocks that have no interval: what stands against running, what was found,
// and what is owed.
const (
	Holds    ClockKind = "hold"
	Findings ClockKind = "findings"
	FollowUp ClockKind = "follow_up"
)

// Their reasons.
const (
	HeldByPerson Code = "held"        // a hold stands; its words are in the account
	AirTrapped   Code = "air_trapped" // short, allowed: L
	StopDefect   Code = "stop_defect" // defects: open ones that stop the unit
	FoundBad     Code = "found_bad"   // bad, soft: points; defects: open ones
	FoundSoft    Code = "found_soft"  // the same
	OwedLevel    Code = "owed_level"  // days since it has been owed
	OwedRetest   Code = "owed_retest" // days since it has been owed
)

// holdClock is false when nothing stands against running.
func holdClock(a *ledger.Account, today time.Time) (Clock, bool) {
	c := Clock{Kind: Holds, Verdict: Hold, Due: &today}
	stops := 0
	for _, d := range a.Defects {
		if d.Severity == "stop" {
			stops++
		}
	}
	switch {
	case a.Held != nil:
		c.Reason = Reason{Code: HeldByPerson}
	case a.Air != nil:
		c.Reason = Reason{Code: AirTrapped, Numbers: map[string]float64{"short": float64(a.Air.Short), "allowed": float64(a.Air.Allowed)}}
	case stops > 0:
		c.Reason = Reason{Code: StopDefect, Numbers: map[string]float64{"defects": float64(stops)}}
	default:
		return c, false
	}
	return c, true
}

// findingsClock is false when nothing was found amiss.
func findingsClock(a *ledger.Account, today time.Time) (Clock, bool) {
	numbers := map[string]float64{"bad": 0, "soft": 0, "defects": 0}
	for _, f := range a.Findings {
		switch f.Grade {
		case coolant.GradeBad:
			numbers["bad"]++
		case coolant.GradeSoft:
			numbers["soft"]++
		}
	}
	repair := 0
	for _, d := range a.Defects {
		if d.Severity != "stop" {
			numbers["defects"]++
		}
		if d.Severity == "repair" {
			repair++
		}
	}
	c := Clock{Kind: Findings, Reason: Reason{Numbers: numbers}}
	switch {
	case numbers["bad"] > 0 || repair > 0:
		c.Verdict, c.Due, c.Reason.Code = Due, &today, FoundBad
	case numbers["soft"] > 0 || numbers["defects"] > 0:
		c.Verdict, c.Reason.Code = Watch, FoundSoft
	default:
		return c, false
	}
	return c, true
}

// Follow-ups are due the day after coolant was poured in, and overdue a week
// later (common practice: cold on the next day, and over the first runs).
const (
	followUpDays = 1
	followUpLate = 7
)

// followUpClock of the check that is owed longest; false when none is. A unit
// that was renewed today owes nothing before tomorrow.
func followUpClock(a *ledger.Account, today time.Time) (Clock, bool) {
	if len(a.Owed) == 0 {
		return Clock{}, false
	}
	oldest := a.Owed[0]
	for _, o := range a.Owed[1:] {
		if o.Since.Before(oldest.Since) {
			oldest = o
		}
	}
	since := Day(oldest.Since.In(today.Location()))
	due := since.AddDate(0, 0, followUpDays)
	days := DaysBetween(since, today)
	code := OwedLevel
	if oldest.What == ledger.OwedRetest {
		code = OwedRetest
	}
	c := Clock{Kind: FollowUp, Due: &due, Reason: Reason{Code: code, Numbers: map[string]float64{"days": float64(days)}}}
	switch {
	case days > followUpLate:
		c.Verdict = Overdue
	case days >= followUpDays:
		c.Verdict = Due
	default:
		c.Verdict = Watch
	}
	return c, true
}
