// Package forecast tells when a unit is next due, by which clock, and why.
//
// Several clocks run at once: months since the renewal, distance or engine
// hours since the renewal, and the cold to come against the protection there
// is. The first to run out governs. Everything is reckoned from the account,
// the service plan, the site's cold curve and a day handed in as today; a
// reason is a code with its numbers, never a sentence.
//
// # Windows
//
// A day nobody can know is told as a window: one in ten before its first day,
// half before its middle, nine in ten before its last. How often the windows hold
// what came is measured by internal/backtest; docs/forecast.md has the figures.
package forecast

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// Interval is how long a charge may run; a zero field sets no limit.
type Interval struct {
	Months int
	Km     measure.Kilometre
	Hours  measure.Hour
}

// Plan is the service plan of a unit.
type Plan struct {
	Name string
	// First runs for the charge a unit came with, Later for every one after.
	First, Later Interval
	// FreezeMargin in K by which the protection must exceed the coldest night.
	FreezeMargin measure.Kelvin
	// Replaced is the share of the charge, 0 to 1, that must be new for a
	// renewal; 0 takes [ledger.DefaultReplaced].
	Replaced float64
	School   School
	// Months between freeze tests, cap tests and looks at the hoses; 0 asks for
	// none.
	TestMonths, CapMonths, HoseMonths int
}

// running is the interval that applies to the charge inside.
func (p Plan) running(factory bool) Interval {
	if factory && p.First != (Interval{}) {
		return p.First
	}
	return p.Later
}

// Words are the rules of the plan in a line, for the audit.
func (p Plan) Words() string {
	span := func(i Interval) string {
		return fmt.Sprintf("%d mo/%.0f km/%.0f h", i.Months, float64(i.Km), float64(i.Hours))
	}
	return fmt.Sprintf("%s (%s): first %s, later %s, margin %g K, replaced %.0f %%, tests %d mo, cap %d mo, hoses %d mo", p.Name, p.School,
		span(p.First), span(p.Later), float64(p.FreezeMargin), 100*p.Replaced, p.TestMonths, p.CapMonths, p.HoseMonths)
}

// CheckPlan holds a plan against what can be meant. It returns a
// [ledger.FieldError] for each field that is wrong.
func CheckPlan(p Plan) (errs []*ledger.FieldError) {
	wrong := func(field, got, accepted string) {
		errs = append(errs, &ledger.FieldError{Field: field, Got: got, Accepted: accepted})
	}
	if n := len([]rune(strings.TrimSpace(p.Name))); n < 2 || n > 80 {
		wrong("/name", fmt.Sprintf("%q", p.Name), "a name of 2 to 80 characters")
	}
	if !slices.Contains([]School{FixedInterval, ConditionFirst, SealedForLife}, p.School) {
		wrong("/school", fmt.Sprintf("%q", string(p.School)), "interval, condition, sealed")
	}
	within := func(field string, v, least, most float64, unit string) {
		if !(v >= least && v <= most) {
			wrong(field, strings.TrimSpace(fmt.Sprintf("%g %s", v, unit)), strings.TrimSpace(fmt.Sprintf("%g to %g %s", least, most, unit)))
		}
	}
	for name, i := range map[string]Interval{"/first": p.First, "/later": p.Later} {
		within(name+"/months", float64(i.Months), 0, 240, "months")
		within(name+"/km", float64(i.Km), 0, 1_000_000, "km")
		within(name+"/hours", float64(i.Hours), 0, 100_000, "h")
	}
	if p.Later == (Interval{}) {
		wrong("/later", "no limit at all", "months, km or hours: where the maker names none, a precaution of your own")
	}
	within("/freezeMargin", float64(p.FreezeMargin), 0, 30, "K")
	within("/replaced", p.Replaced, 0.1, 1, "")
	within("/testMonths", float64(p.TestMonths), 0, 60, "months")
	within("/capMonths", float64(p.CapMonths), 0, 120, "months")
	within("/hoseMonths", float64(p.HoseMonths), 0, 120, "months")
	return errs
}

// limit in the unit of the meter of dimension d, 0 for none.
func (i Interval) limit(d measure.Dimension) float64 {
	switch d {
	case measure.Distance:
		return float64(i.Km)
	case measure.EngineTime:
		return float64(i.Hours)
	}
	return 0
}

// ColdCurve holds, for January to December, the coldest night to be reckoned
// with in that month, in °C. Between the middles of two months it runs straight.
type ColdCurve [12]measure.Celsius

// On is the coldest temperature to be reckoned with in the night after day.
func (c ColdCurve) On(day time.Time) measure.Celsius {
	return c.at(int(day.Month())-1, day.Day(), daysIn(day))
}

// at a day of a month, 0 to 11, that has so many days.
func (c ColdCurve) at(month, day, length int) measure.Celsius {
	// Position in months from the middle of this month, −0.5 to +0.5.
	x := (float64(day)-0.5)/float64(length) - 0.5
	other := (month + 1) % 12
	if x < 0 {
		other = (month + 11) % 12
	}
	f := measure.Celsius(math.Abs(x))
	return c[month]*(1-f) + c[other]*f
}

// walk calls f with each night from day on, by its number and its temperature,
// until f says stop. It counts along the calendar by hand: a step of time.Time
// for each night would take a hundred times as long.
func (c ColdCurve) walk(day time.Time, nights int, f func(n int, t measure.Celsius) (stop bool)) {
	year, month, d, length := day.Year(), int(day.Month())-1, day.Day(), daysIn(day)
	for n := range nights {
		if f(n, c.at(month, d, length)) {
			return
		}
		if d++; d > length {
			d = 1
			if month++; month == 12 {
				month, year = 0, year+1
			}
			length = daysIn(time.Date(year, time.Month(month+1), 1, 0, 0, 0, 0, time.UTC))
		}
	}
}

// FirstBelow is the first night from day on, within nights nights, on which the
// curve falls below limit.
func (c ColdCurve) FirstBelow(limit measure.Celsius, day time.Time, nights int) (first time.Time, found bool) {
	if c.Coldest() >= limit {
		return time.Time{}, false
	}
	c.walk(day, nights, func(n int, t measure.Celsius) bool {
		if found = t < limit; found {
			first = day.AddDate(0, 0, n)
		}
		return found
	})
	return first, found
}

// Coldest night of the year.
func (c ColdCurve) Coldest() measure.Celsius {
	least := c[0]
	for _, t := range c {
		least = min(least, t)
	}
	return least
}

func daysIn(day time.Time) int {
	return time.Date(day.Year(), day.Month()+1, 0, 0, 0, 0, 0, day.Location()).Day()
}

// Day is the start of the day of t in its location.
func Day(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, t.Location())
}

// AddMonths is the same day n months later, or the last day of that month when
// it is shorter: a year after 29 February is 28 February, and a month after 31
// January is the end of February, not the 3rd of March that [time.Time.AddDate]
// gives.
func AddMonths(day time.Time, n int) time.Time {
	first := time.Date(day.Year(), day.Month()+time.Month(n), 1, 0, 0, 0, 0, day.Location())
	return first.AddDate(0, 0, min(day.Day(), daysIn(first))-1)
}

// months between two days, with the fraction of the last one.
func months(from, to time.Time) float64 {
	n := 0
	if to.After(from) {
		n = (to.Year()-from.Year())*12 + int(to.Month()) - int(from.Month())
		if AddMonths(from, n).After(to) {
			n--
		}
	}
	a, b := AddMonths(from, n), AddMonths(from, n+1)
	return float64(n) + float64(to.Sub(a))/float64(b.Sub(a))
}

// Season is a span of days, the last one included, in which cold nights are to be
// reckoned with.
type Season struct{ From, To time.Time }

// SeasonCold is the temperature below which a night belongs to the cold season
// (common practice).
const SeasonCold measure.Celsius = -5

// Seasons between two days in which the curve lies below [SeasonCold].
func (c ColdCurve) Seasons(from, to time.Time) []Season {
	if c.Coldest() >= SeasonCold {
		return nil
	}
	var all []Season
	begun := -1
	last := DaysBetween(from, to)
	c.walk(from, last+1, func(n int, t measure.Celsius) bool {
		cold := t < SeasonCold
		if cold && begun < 0 {
			begun = n
		}
		if begun >= 0 && (!cold || n == last) {
			end := n
			if !cold {
				end--
			}
			all = append(all, Season{from.AddDate(0, 0, begun), from.AddDate(0, 0, end)})
			begun = -1
		}
		return false
	})
	return all
}
