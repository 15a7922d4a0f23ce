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
	HeldByPerson Code = "held"        // about: why
	AirTrapped   Code = "air_trapped" // short, allowed: L
	StopDefect   Code = "stop_defect" // about: what; others: how many more
	FoundBad     Code = "found_bad"   // about: the worst; others: how many more
	FoundSoft    Code = "found_soft"  // the same
	OffBook      Code = "off_book"    // measured: °C; book and test disagree
	OwedLevel    Code = "owed_level"  // days since it has been owed
	OwedRetest   Code = "owed_retest" // days since it has been owed
	OwedDays     Code = "owed_days"   // days since the renewal; looked: on how many; wanted: on how many
	OwedRuns     Code = "owed_runs"   // days since the renewal; looked: after how many runs; wanted: after how many
)

// holdClock is false when nothing stands against running.
func holdClock(a *ledger.Account, today time.Time) (Clock, bool) {
	c := Clock{Kind: Holds, Verdict: Hold, Due: &today}
	stops, worst := 0, ""
	for _, d := range a.Defects {
		if d.Severity == "stop" {
			stops, worst = stops+1, d.What
		}
	}
	switch {
	case a.Held != nil:
		c.Reason = Reason{Code: HeldByPerson, About: a.Held.Body.(ledger.Hold).Why}
	case a.Air != nil:
		c.Reason = Reason{Code: AirTrapped, Numbers: map[string]float64{"short": float64(a.Air.Short), "allowed": float64(a.Air.Allowed)}}
	case stops > 0:
		c.Reason = Reason{Code: StopDefect, Numbers: map[string]float64{"others": float64(stops - 1)}, About: worst}
	default:
		return c, false
	}
	return c, true
}

// findingsClock is false when nothing was found amiss.
func findingsClock(a *ledger.Account, today time.Time) (Clock, bool) {
	var bad, soft []string
	for _, d := range a.Defects {
		switch d.Severity {
		case "repair":
			bad = append(bad, d.What)
		case "watch":
			soft = append(soft, d.What)
		}
	}
	for _, f := range a.Findings {
		about := f.Point + ": " + f.State
		switch f.Grade {
		case coolant.GradeBad:
			bad = append(bad, about)
		case coolant.GradeSoft:
			soft = append(soft, about)
		}
	}
	found := append(bad, soft...)
	if len(found) == 0 {
		if t := a.OffBook; t != nil {
			return Clock{Kind: Findings, Verdict: Watch, Reason: Reason{Code: OffBook, Numbers: map[string]float64{"measured": float64(t.Measured)}}}, true
		}
		return Clock{}, false
	}
	c := Clock{Kind: Findings, Verdict: Watch, Reason: Reason{Code: FoundSoft, About: found[0],
		Numbers: map[string]float64{"others": float64(len(found) - 1)}}}
	if len(bad) > 0 {
		c.Verdict, c.Due, c.Reason.Code = Due, &today, FoundBad
	}
	return c, true
}

// Follow-ups are due the day after coolant was poured in, and overdue a week
// later (common practice: cold on the next day, and over the first runs). What the
// plan asks for beyond the first morning is due and no worse, and falls to the
// ordinary round a month after the renewal.
const (
	followUpDays  = 1
	followUpLate  = 7
	followUpLapse = 30
)

// followUpClock of the check that is owed longest; false when none is. A unit
// that was renewed today owes nothing before tomorrow.
func followUpClock(a *ledger.Account, p Plan, today time.Time) (Clock, bool) {
	if len(a.Owed) == 0 {
		return furtherLooks(a, p, today)
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

// furtherLooks at the cold level that the plan asks for after the first morning:
// on each of so many days, or after each of the first runs. A look on the last of
// the days makes up for those that were missed: it held so long.
func furtherLooks(a *ledger.Account, p Plan, today time.Time) (Clock, bool) {
	if a.RefilledAt == nil || p.FollowDays < 2 && p.FollowRuns == 0 {
		return Clock{}, false
	}
	filled := Day(a.RefilledAt.In(today.Location()))
	days := DaysBetween(filled, today)
	if days > followUpLapse {
		return Clock{}, false
	}
	looked, last := 0, filled // days on which somebody looked, and the last of them
	for _, at := range a.Looks {
		if day := Day(at.In(today.Location())); day.After(last) {
			looked, last = looked+1, day
		}
	}
	c := Clock{Kind: FollowUp, Verdict: Watch}
	if p.FollowRuns > 0 {
		// The first morning is one; then one after each run.
		runs := max(0, looked-1)
		if runs >= p.FollowRuns {
			return c, false
		}
		due := last.AddDate(0, 0, followUpLate)
		c.Due, c.Reason = &due, Reason{Code: OwedRuns, Numbers: map[string]float64{"days": float64(days), "looked": float64(runs), "wanted": float64(p.FollowRuns)}}
		if !due.After(today) || a.MeterSince(last) {
			c.Verdict = Due
		}
		return c, true
	}
	if looked >= p.FollowDays || DaysBetween(filled, last) >= p.FollowDays {
		return c, false
	}
	due := last.AddDate(0, 0, 1)
	c.Due, c.Reason = &due, Reason{Code: OwedDays, Numbers: map[string]float64{"days": float64(days), "looked": float64(looked), "wanted": float64(p.FollowDays)}}
	if !due.After(today) {
		c.Verdict = Due
	}
	return c, true
}
