package clock

import (
	"slices"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
)

// The clocks of the calendar.
const (
	TestDue  Kind = "test"
	CapDue   Kind = "cap"
	HosesDue Kind = "hoses"
	ZeroDue  Kind = "zero"
	HoseAge  Kind = "hose_age"
)

// Their reasons.
const (
	TestCalendar   Code = "test_calendar"    // months since the last test, limit: months
	TestSeason     Code = "test_season"      // days since the last test; the cold season begins
	TestNever      Code = "test_never"       // limit: months; days since the fill, when one is written; never tested
	TestBefore     Code = "test_before"      // months since the last test, which was before the fill; days since the fill; limit: months
	CapCalendar    Code = "cap_calendar"     // months since the cap was tested, limit; never: 1 when it never was
	HoseCalendar   Code = "hose_calendar"    // months since the hoses were checked, limit; never: 1 when never
	ZeroLapses     Code = "zero_lapses"      // about: the instrument; days since it was zeroed; limit: days
	ZeroNever      Code = "zero_never"       // about: the instrument; limit
	ZeroHolds      Code = "zero_holds"       // about: the instrument; days, limit
	HoseOld        Code = "hose_old"         // about: the oldest hose, empty for those it came with; used, limit: months
	HoseAgeUnknown Code = "hose_age_unknown" // about: a hose of unknown age, empty for all; limit: months
)

// Before the cold season each unit is to be tested once: two weeks before it
// begins, unless that was done within four months (common practice).
const (
	daysBeforeSeason = 14
	testValidDays    = 120
)

// appendCalendar adds the clocks that the plan asks for by the calendar.
func appendCalendar(clocks []Clock, a *ledger.Account, p serviceplan.Plan, around Conditions, today evaluationDay) []Clock {
	if p.TestMonths > 0 && (a.Known || a.Base != "") {
		test := testClock(a, p.TestMonths, around.Climate, today)
		clocks = append(clocks, test)
		if c, ok := zeroClock(a, around.Zeroed, *test.Due, today); ok {
			clocks = append(clocks, c)
		}
	}
	if p.CapMonths > 0 {
		clocks = append(clocks, inspectionClock(a, CapDue, CapCalendar, p.CapMonths, lastFound(a, isCap), today))
	}
	if p.HoseMonths > 0 {
		clocks = append(clocks, inspectionClock(a, HosesDue, HoseCalendar, p.HoseMonths, lastFound(a, isHose), today))
	}
	if p.HoseYears > 0 {
		clocks = append(clocks, hoseAgeClock(a, 12*p.HoseYears, today))
	}
	return clocks
}

// openedOn is the day the account begins.
func openedOn(a *ledger.Account, today evaluationDay) measure.Date {
	begun := a.OpenedAt()
	if begun.IsZero() {
		return today.Date
	}
	return today.of(begun)
}

// testClock asks for the freeze test: the plan's months after the last test of this
// charge, and before the cold season. A charge that was never tested is due from
// the day after it was filled, whatever was tested before it.
func testClock(a *ledger.Account, limit int, cold *climate.Climate, today evaluationDay) Clock {
	c := Clock{Kind: TestDue}
	numbers := map[string]float64{"limit": float64(limit)}
	c.Reason = Reason{Code: TestNever, Numbers: numbers}
	if a.LastTest == nil && a.RefilledAt != nil {
		filled := today.of(*a.RefilledAt)
		due := filled.AddDays(1)
		numbers["days"] = float64(today.since(filled))
		if e := a.EarlierTest; e != nil {
			c.Reason.Code = TestBefore
			numbers["months"] = measure.MonthsBetween(today.of(e.At), today.Date)
		}
		// The follow-up asks for it in the first weeks.
		c.Due, c.Verdict = &due, Watch
		if today.since(filled) > followUpLapse || cold.SeasonWithin(frostDays, today.Date) {
			c.Verdict = Due
		}
		return c
	}
	from := openedOn(a, today)
	if t := a.LastTest; t != nil {
		from, c.Reason.Code = today.of(t.At), TestCalendar
		numbers["months"] = measure.MonthsBetween(from, today.Date)
	}
	due := monthsAfter(a, from, limit)
	// The next season that begins, or the one that has begun.
	for _, season := range cold.Seasons(today.AddDate(0, -5, 0), today.AddDate(1, 0, 0)) {
		if season.To.Before(today.Date) || season.From.Sub(from) <= testValidDays {
			continue
		}
		if wanted := season.From.AddDays(-daysBeforeSeason); wanted.Before(due) {
			due = wanted
			if c.Reason.Code == TestCalendar {
				c.Reason.Code = TestSeason
			}
			numbers["days"] = float64(today.since(from))
		}
		break
	}
	left := share(float64(today.until(due)) / float64(monthsAfter(a, from, limit).Sub(from)))
	c.Due, c.Remaining, c.Verdict = &due, &left, verdictOn(due, today)
	switch {
	case c.Verdict == Overdue && c.Reason.Code == TestNever:
		c.Verdict = Due // no one is late with a test that was never asked for
	case a.LastTest == nil && c.Verdict.Rank() > Due.Rank() && cold.SeasonWithin(frostDays, today.Date):
		c.Verdict = Due // never tested, and the cold is near
	}
	return c.whenNever(a.LastTest == nil)
}

// zeroClock asks for the zero of the refractometer that the last test was made
// with, before the next test. It is never worse than a reminder: the test is the
// work. False when no such instrument is named.
func zeroClock(a *ledger.Account, zeroed map[string]time.Time, test measure.Date, today evaluationDay) (Clock, bool) {
	t := a.LastTest
	if t == nil || t.Instrument != ledger.Refractometer || t.Tool == "" {
		return Clock{}, false
	}
	numbers := map[string]float64{"limit": coolant.ZeroMonth}
	c := Clock{Kind: ZeroDue, Verdict: Sound, Reason: Reason{Code: ZeroHolds, Numbers: numbers, About: ledger.Subject{Text: t.Tool}}}
	at := t.ZeroAt
	if elsewhere, ok := zeroed[t.Tool]; ok && (at == nil || elsewhere.After(*at)) {
		at = &elsewhere
	}
	if test.Before(today.Date) {
		test = today.Date
	}
	if at == nil {
		c.Reason.Code = ZeroNever
	} else {
		last := today.of(*at)
		numbers["days"] = float64(today.since(last))
		if test.Sub(last) <= coolant.ZeroMonth {
			return c, true
		}
		c.Reason.Code = ZeroLapses
	}
	c.Due = &test
	if today.until(test) <= dueDays {
		c.Verdict = Watch
	}
	return c.whenNever(at == nil), true
}

// hoseAgeClock of the oldest hose: as old as the unit, or as its own renewal. A
// hose that was checked and whose age is not known is itself a reason to act.
func hoseAgeClock(a *ledger.Account, limit int, today evaluationDay) Clock {
	numbers := map[string]float64{"limit": float64(limit)}
	c := Clock{Kind: HoseAge, Verdict: Unknown, Reason: Reason{Code: HoseAgeUnknown, Numbers: numbers}}
	oldest, about := a.BuiltAt, ""
	consider := func(hose string, at *time.Time) {
		if oldest == nil || at.Before(*oldest) {
			oldest, about = at, hose
		}
	}
	renewed := 0
	for _, hose := range ledger.Hoses {
		at, known := a.HoseSince[hose]
		seen := slices.ContainsFunc(a.Findings, func(f ledger.Finding) bool { return f.Point == hose+"_hose" })
		switch {
		case known:
			renewed++
			if a.BuiltAt == nil {
				consider(hose, &at)
			}
		case seen && a.BuiltAt == nil:
			c.Reason.About = ledger.Subject{Point: hose}
			return c
		}
	}
	if renewed == len(ledger.Hoses) { // none is as old as the unit
		oldest = nil
		for _, hose := range ledger.Hoses {
			at := a.HoseSince[hose]
			consider(hose, &at)
		}
	}
	if oldest == nil {
		return c
	}
	since := today.of(*oldest)
	due := monthsAfter(a, since, limit)
	numbers["used"] = measure.MonthsBetween(since, today.Date)
	left := share(1 - numbers["used"]/float64(limit))
	c.Verdict, c.Due, c.Remaining = atMostDue(verdictOn(due, today)), &due, &left
	c.Reason.Code, c.Reason.About = HoseOld, ledger.Subject{Point: about}
	return c
}

func inspectionClock(a *ledger.Account, kind Kind, code Code, limit int, last *time.Time, today evaluationDay) Clock {
	numbers := map[string]float64{"limit": float64(limit), "never": indicator(last == nil)}
	from := openedOn(a, today)
	if last != nil {
		from = today.of(*last)
	}
	due := monthsAfter(a, from, limit)
	numbers["months"] = measure.MonthsBetween(from, today.Date)
	left := share(1 - numbers["months"]/float64(limit))
	c := Clock{Kind: kind, Verdict: atMostDue(verdictOn(due, today)), Due: &due, Remaining: &left, Reason: Reason{Code: code, Numbers: numbers}}
	return c.whenNever(last == nil)
}

// whenNever makes a clock unknown that would be sound, where what it counts from was never recorded:
// it is counted from the beginning of the account, and nothing shows the state of it until then.
func (c Clock) whenNever(never bool) Clock {
	if never && c.Verdict == Sound {
		c.Verdict, c.Remaining = Unknown, nil
	}
	return c
}

// atMostDue: a late check is due work, and no reason to call the unit
// overdue.
func atMostDue(v Verdict) Verdict {
	if v == Overdue {
		return Due
	}
	return v
}
