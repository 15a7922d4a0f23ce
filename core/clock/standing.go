package clock

import (
	"slices"
	"strings"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/serviceplan"
)

// The clocks that have no interval: what stops the unit, what was found,
// and what is owed.
const (
	Holds    Kind = "hold"
	Findings Kind = "findings"
	FollowUp Kind = "follow_up"
)

// Their reasons.
const (
	HeldByPerson        Code = "held"                 // about: why
	AirTrapped          Code = "air_trapped"          // short, allowed: L; ready: 1 when the air is shown to be gone, and it may be released; bled, refilled: 1 when that was shown by a bleeding or another fill, and not by a cold level
	StopDefect          Code = "stop_defect"          // about: what
	CoolantContaminated Code = "coolant_contaminated" // about: oily or gelled; ready: 1 when a later sample is clear
	FindingHolds        Code = "finding_holds"        // about: what was found on an aircraft; ready: 1 when a later inspection found it right
	ReturnCheck         Code = "return_to_service"    // about: what was worked on
	LevelBelow          Code = "level_below"          // about: the mark that the level was seen at, or "book"
	FoundBad            Code = "found_bad"            // about: the worst; others: how many more
	FoundSoft           Code = "found_soft"           // the same
	Discrepancy         Code = "discrepancy"          // measured: °C; book and test disagree; confirmed: 1 when a second test shows the same
	CheckLevel          Code = "check_level"          // days since it has been owed
	CheckRetest         Code = "check_retest"         // days since it has been owed
	CheckReturn         Code = "check_return"         // days since the return to use; about: the checks that are owed, the first one first
	CheckDays           Code = "check_days"           // days since the renewal; checked: on how many; wanted: on how many
	CheckRuns           Code = "check_runs"           // days since the renewal; checked: after how many runs; wanted: after how many
)

var stopCodes = map[ledger.StopCause]Code{ledger.StopHold: HeldByPerson, ledger.StopAir: AirTrapped, ledger.StopDefect: StopDefect,
	ledger.StopCoolant: CoolantContaminated, ledger.StopFinding: FindingHolds, ledger.StopReturn: ReturnCheck, ledger.StopLevel: LevelBelow}

// holdClock is false when no entry of the account forbids running. It gives
// the most urgent stop, and how many others there are; of those that can be
// released, the ones that cannot yet come first.
func holdClock(a *ledger.Account, today evaluationDay) (Clock, bool) {
	stops := a.Stops()
	// What is missing by the book belongs to the level clock.
	stops = slices.DeleteFunc(stops, func(s ledger.Stop) bool { return s.Cause == ledger.StopLevel && s.Entry == "" })
	if len(stops) == 0 {
		return Clock{}, false
	}
	first := stops[0]
	numbers := map[string]float64{"others": float64(len(stops) - 1), "ready": indicator(first.Ready)}
	if first.Cause == ledger.StopAir {
		numbers["short"], numbers["allowed"] = float64(a.Air.Short), float64(a.Air.Allowed)
		numbers["bled"], numbers["refilled"] = indicator(a.AirBy == ledger.KindTopUp), indicator(a.AirBy == ledger.KindRenewal)
	}
	return Clock{Kind: Holds, Verdict: Hold, Due: today.due(), Reason: Reason{Code: stopCodes[first.Cause], About: first.About, Numbers: numbers}}, true
}

// findingsClock is false when nothing was found amiss.
func findingsClock(a *ledger.Account, today evaluationDay) (Clock, bool) {
	var bad, soft []ledger.Subject
	for _, d := range a.Defects {
		switch d.Severity {
		case "repair":
			bad = append(bad, ledger.Subject{Text: d.What})
		case "watch":
			soft = append(soft, ledger.Subject{Text: d.What})
		}
	}
	for _, f := range a.Findings {
		if f.Point == ledger.PointChemistry || f.Point == ledger.PointProduct {
			continue // they have clocks of their own
		}
		about := ledger.Subject{Point: f.Point, State: f.State}
		switch f.Grade {
		case coolant.GradeBad:
			bad = append(bad, about)
		case coolant.GradeSoft:
			soft = append(soft, about)
		}
	}
	found := append(bad, soft...)
	if len(found) == 0 {
		if t := a.Discrepancy; t != nil {
			return Clock{Kind: Findings, Verdict: Watch, Reason: Reason{Code: Discrepancy, Numbers: map[string]float64{"measured": float64(t.Measured), "confirmed": indicator(t.Confirmed)}}}, true
		}
		return Clock{}, false
	}
	c := Clock{Kind: Findings, Verdict: Watch, Reason: Reason{Code: FoundSoft, About: found[0],
		Numbers: map[string]float64{"others": float64(len(found) - 1)}}}
	if len(bad) > 0 {
		c.Verdict, c.Due, c.Reason.Code = Due, today.due(), FoundBad
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
func followUpClock(a *ledger.Account, p serviceplan.Plan, today evaluationDay) (Clock, bool) {
	// What was missed falls to the round: the level to its next check, the retest
	// to the clock of tests, which asks for it from the day of the fill.
	owed := slices.DeleteFunc(slices.Clone(a.Pending), func(o ledger.PendingCheck) bool {
		return today.since(today.of(o.Since)) > max(followUpLapse, p.FollowDays)
	})
	if len(owed) == 0 {
		return furtherLevelChecks(a, p, today)
	}
	oldest := owed[0]
	for _, o := range owed[1:] {
		if o.Since.Before(oldest.Since) {
			oldest = o
		}
	}
	since := today.of(oldest.Since)
	due := since.AddDays(followUpDays)
	days := today.since(since)
	code := CheckLevel
	if oldest.What == ledger.CheckRetest {
		code = CheckRetest
	}
	about := ledger.Subject{}
	if slices.Contains(ledger.ReturnChecks, oldest.What) {
		code, about.Point = CheckReturn, oldest.What
		var rest []string
		for _, o := range owed {
			if o.What != oldest.What && slices.Contains(ledger.ReturnChecks, o.What) {
				rest = append(rest, o.What)
			}
		}
		about.State = strings.Join(rest, ",")
	}
	c := Clock{Kind: FollowUp, Due: &due, Reason: Reason{Code: code, About: about, Numbers: map[string]float64{"days": float64(days)}}}
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

// furtherLevelChecks at the cold level that the plan asks for after the first morning:
// on each of the plan's days, or after each of the first runs. A check on the last of
// the days makes up for those that were missed: it held so long.
func furtherLevelChecks(a *ledger.Account, p serviceplan.Plan, today evaluationDay) (Clock, bool) {
	if a.RefilledAt == nil || p.FollowDays < 2 && p.FollowRuns == 0 {
		return Clock{}, false
	}
	filled := today.of(*a.RefilledAt)
	days := today.since(filled)
	if days > followUpLapse {
		return Clock{}, false
	}
	checked, last := 0, filled // days on which the level was checked, and the last of them
	for _, at := range a.LevelChecks {
		if day := today.of(at); day.After(last) {
			checked, last = checked+1, day
		}
	}
	c := Clock{Kind: FollowUp, Verdict: Watch}
	if p.FollowRuns > 0 {
		// The first morning is one; then one after each run.
		runs := max(0, checked-1)
		if runs >= p.FollowRuns {
			return c, false
		}
		due := last.AddDays(followUpLate)
		c.Due, c.Reason = &due, Reason{Code: CheckRuns, Numbers: map[string]float64{"days": float64(days), "checked": float64(runs), "wanted": float64(p.FollowRuns)}}
		if !due.After(today.Date) || a.MeterSince(last.Start(today.zone)) {
			c.Verdict = Due
		}
		return c, true
	}
	if checked >= p.FollowDays || last.Sub(filled) >= p.FollowDays {
		return c, false
	}
	due := last.AddDays(1)
	c.Due, c.Reason = &due, Reason{Code: CheckDays, Numbers: map[string]float64{"days": float64(days), "checked": float64(checked), "wanted": float64(p.FollowDays)}}
	if !due.After(today.Date) {
		c.Verdict = Due
	}
	return c, true
}
