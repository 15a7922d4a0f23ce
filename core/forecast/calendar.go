package forecast

import (
	"math"
	"strings"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
)

// School is the way of renewing that a plan follows.
type School string

// The schools.
const (
	// FixedInterval renews by months and use even when the tests look fine.
	FixedInterval School = "interval"
	// ConditionFirst tests often, renews when a test fails, with the interval as
	// the outer limit.
	ConditionFirst School = "condition"
	// SealedForLife has no interval of the maker's; the one in the plan is a
	// precaution that the coordinator chose.
	SealedForLife School = "sealed"
)

// The clocks of the calendar.
const (
	TestDue        ClockKind = "test"
	CapDue         ClockKind = "cap"
	HosesDue       ClockKind = "hoses"
	ChemistryTrend ClockKind = "chemistry"
)

// Their reasons.
const (
	TestCalendar Code = "test_calendar" // months since the last test, limit: months
	TestSeason   Code = "test_season"   // days since the last test; the cold season begins
	TestNever    Code = "test_never"    // limit: months; never tested
	CapCalendar  Code = "cap_calendar"  // months since the cap was tested, limit; never: 1 when it never was
	HoseCalendar Code = "hose_calendar" // months since the hoses were looked at, limit; never: 1 when never
	ChemTrend    Code = "chem_trend"    // about: the property; value: the last
)

// Before the cold season each unit is to be tested once: two weeks before it
// begins, unless that was done within four months (common practice).
const (
	beforeSeason = 14
	testCounts   = 120
)

// calendarClocks are those the plan asks for by the calendar.
func calendarClocks(a *ledger.Account, p Plan, cold ColdCurve, today time.Time) (clocks []Clock) {
	if p.TestMonths > 0 && (a.Known || a.Base != "") {
		clocks = append(clocks, testClock(a, p.TestMonths, cold, today))
	}
	found := func(is func(point string) bool) *time.Time {
		var last *time.Time
		for _, f := range a.Findings {
			if is(f.Point) && f.Grade != coolant.GradeUnknown && (last == nil || f.At.After(*last)) {
				last = &f.At
			}
		}
		return last
	}
	if p.CapMonths > 0 {
		clocks = append(clocks, lookedClock(a, CapDue, CapCalendar, p.CapMonths, found(func(s string) bool { return s == "cap" }), today))
	}
	if p.HoseMonths > 0 {
		clocks = append(clocks, lookedClock(a, HosesDue, HoseCalendar, p.HoseMonths, found(func(s string) bool { return strings.HasSuffix(s, "_hose") }), today))
	}
	if c, ok := chemistryClock(a, today); ok {
		clocks = append(clocks, c)
	}
	return clocks
}

// opened is the day the account begins.
func opened(a *ledger.Account, today time.Time) time.Time {
	begun := a.Begun()
	if begun.IsZero() {
		return today
	}
	return Day(begun.In(today.Location()))
}

func testClock(a *ledger.Account, limit int, cold ColdCurve, today time.Time) Clock {
	c := Clock{Kind: TestDue}
	numbers := map[string]float64{"limit": float64(limit)}
	from, code := opened(a, today), TestNever
	if t := a.LastTest; t != nil {
		from, code = Day(t.At.In(today.Location())), TestCalendar
		numbers["months"] = months(from, today)
	}
	due := AddMonths(from, limit)
	// The next season that begins, or the one that has begun.
	if s := cold.Seasons(today.AddDate(0, -5, 0), today.AddDate(1, 0, 0)); len(s) > 0 {
		for _, season := range s {
			wanted := season.From.AddDate(0, 0, -beforeSeason)
			if season.To.Before(today) || DaysBetween(from, season.From) <= testCounts {
				continue
			}
			if wanted.Before(due) {
				due = wanted
				if code == TestCalendar {
					code = TestSeason
				}
				numbers["days"] = float64(DaysBetween(from, today))
			}
			break
		}
	}
	left := share(float64(DaysBetween(today, due)) / (float64(limit) * 30.4))
	c.Due, c.Left, c.Reason = &due, &left, Reason{Code: code, Numbers: numbers}
	c.Verdict = verdictOn(due, today)
	if c.Verdict == Overdue && code == TestNever {
		c.Verdict = Due // nobody has been late with a test that was never asked for
	}
	return c
}

func lookedClock(a *ledger.Account, kind ClockKind, code Code, limit int, last *time.Time, today time.Time) Clock {
	numbers := map[string]float64{"limit": float64(limit), "never": flag(last == nil)}
	from := opened(a, today)
	if last != nil {
		from = Day(last.In(today.Location()))
	}
	due := AddMonths(from, limit)
	numbers["months"] = months(from, today)
	left := share(1 - numbers["months"]/float64(limit))
	return Clock{Kind: kind, Verdict: softened(verdictOn(due, today)), Due: &due, Left: &left, Reason: Reason{Code: code, Numbers: numbers}}
}

// softened: a look that is late is due work, and no reason to call the unit
// overdue.
func softened(v Verdict) Verdict {
	if v == Overdue {
		return Due
	}
	return v
}

// chemistryClock is when the first property's trend meets its limit; false when no
// trend runs there.
func chemistryClock(a *ledger.Account, today time.Time) (Clock, bool) {
	var first *time.Time
	about, value := "", math.NaN()
	if n := len(a.Chemistry); n > 0 {
		for _, p := range a.Chemistry[n-1].Properties {
			if at, ok := a.ChemistryTrend(p.Property); ok && (first == nil || at.Before(*first)) {
				at := Day(at.In(today.Location()))
				first, about, value = &at, string(p.Property), p.Value
			}
		}
	}
	if first == nil {
		return Clock{}, false
	}
	return Clock{Kind: ChemistryTrend, Verdict: softened(verdictOn(*first, today)), Due: first,
		Reason: Reason{Code: ChemTrend, About: about, Numbers: map[string]float64{"value": value}}}, true
}
