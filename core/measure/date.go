package measure

import (
	"fmt"
	"time"
)

// Date is a day of the calendar, without a time and without a zone. It is not the
// local midnight of that day: where clocks are put forward at midnight (Santiago,
// Havana, the Azores) there is none, and a sum of days made of midnights slips.
// The zero Date is no day; see [Date.IsZero].
type Date struct {
	t time.Time // midnight UTC of that day; the zero time for no day
}

// DateOf is the day that t falls on in zone.
func DateOf(t time.Time, zone *time.Location) Date {
	y, m, d := t.In(zone).Date()
	return NewDate(y, m, d)
}

// NewDate of a year, month and day; a day beyond the month's end runs on into the
// next, as with [time.Date].
func NewDate(year int, month time.Month, day int) Date {
	return Date{time.Date(year, month, day, 0, 0, 0, 0, time.UTC)}
}

// ParseDate reads "2006-01-02".
func ParseDate(s string) (Date, error) {
	t, err := time.Parse(time.DateOnly, s)
	if err != nil {
		return Date{}, fmt.Errorf("%q is not a date; accepted: year-month-day, such as 2026-11-24", s)
	}
	return Date{t}, nil
}

// IsZero reports whether d is no day.
func (d Date) IsZero() bool { return d.t.IsZero() }

// Date is year, month and day.
func (d Date) Date() (year int, month time.Month, day int) { return d.t.Date() }

// Year of the day.
func (d Date) Year() int { return d.t.Year() }

// Month of the day.
func (d Date) Month() time.Month { return d.t.Month() }

// Day of the month.
func (d Date) Day() int { return d.t.Day() }

// AddDays n days later, earlier for a negative n.
func (d Date) AddDays(n int) Date { return Date{d.t.AddDate(0, 0, n)} }

// AddDate adds years, months and days as [time.Time.AddDate] does: a month after
// 31 January is 3 March. For intervals use [Date.AddMonths].
func (d Date) AddDate(years, months, days int) Date { return Date{d.t.AddDate(years, months, days)} }

// AddMonths is the same day n months later, or the last day of that month when it
// is shorter: a year after 29 February is 28 February, and a month after 31 January
// is the end of February.
func (d Date) AddMonths(n int) Date {
	y, m, day := d.t.Date()
	if day <= 28 { // every month has that day
		return Date{time.Date(y, m+time.Month(n), day, 0, 0, 0, 0, time.UTC)}
	}
	first := time.Date(y, m+time.Month(n), 1, 0, 0, 0, 0, time.UTC)
	last := first.AddDate(0, 1, -1).Day()
	return Date{first.AddDate(0, 0, min(day, last)-1)}
}

// EndOfMonth is the last day of its month.
func (d Date) EndOfMonth() Date {
	return Date{time.Date(d.t.Year(), d.t.Month()+1, 0, 0, 0, 0, 0, time.UTC)}
}

// Sub is the number of days from o to d, negative when d is earlier.
func (d Date) Sub(o Date) int { return int(d.t.Sub(o.t) / (24 * time.Hour)) }

// Before reports whether d is earlier than o.
func (d Date) Before(o Date) bool { return d.t.Before(o.t) }

// After reports whether d is later than o.
func (d Date) After(o Date) bool { return d.t.After(o.t) }

// Equal reports whether both are the same day.
func (d Date) Equal(o Date) bool { return d.t.Equal(o.t) }

// Compare orders days: −1 when d is earlier than o, 0 when equal, 1 when later.
func (d Date) Compare(o Date) int { return d.t.Compare(o.t) }

// Time is midnight UTC of the day, for what wants a [time.Time]: a wire format, a
// column. Nothing happened at that time of the day.
func (d Date) Time() time.Time { return d.t }

// Start is the first moment of the day in zone: midnight, or the first moment after
// it where the clocks skip it.
func (d Date) Start(zone *time.Location) time.Time {
	y, m, day := d.t.Date()
	// [time.Date] gives a moment of the day before or an hour too late where midnight
	// is skipped; a zone's offset moves by two hours at most.
	t := time.Date(y, m, day, 0, 0, 0, 0, zone)
	for DateOf(t, zone).Before(d) {
		t = t.Add(30 * time.Minute)
	}
	return t
}

// Format as [time.Time.Format] does.
func (d Date) Format(layout string) string { return d.t.Format(layout) }

// String is year-month-day.
func (d Date) String() string { return d.t.Format(time.DateOnly) }

// MarshalText is year-month-day.
func (d Date) MarshalText() ([]byte, error) { return []byte(d.String()), nil }

// UnmarshalText reads year-month-day.
func (d *Date) UnmarshalText(text []byte) (err error) {
	*d, err = ParseDate(string(text))
	return err
}

// Scan reads a day from a column, which drivers hand over as midnight UTC or as
// text. It makes a Date an [database/sql.Scanner].
func (d *Date) Scan(src any) (err error) {
	switch v := src.(type) {
	case time.Time:
		*d = DateOf(v, time.UTC)
	case []byte:
		*d, err = ParseDate(string(v))
	case string:
		*d, err = ParseDate(v)
	default:
		err = fmt.Errorf("%T is not a date; accepted: a DATE column", src)
	}
	return err
}

// Mean lengths of the Gregorian calendar, in days (400 years of 146,097 days, rounded to
// 365.25). They are for rates alone; intervals in months run by the calendar, see
// [Date.AddMonths] and [MonthsBetween].
const (
	DaysPerYear  = 365.25
	DaysPerMonth = DaysPerYear / 12
)

// LeapYearMonths are the days of each month of a leap year, January first.
var LeapYearMonths = [12]int{31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31}

// IsLeap reports whether a year of the Gregorian calendar has 366 days.
func IsLeap(year int) bool { return year%4 == 0 && (year%100 != 0 || year%400 == 0) }

// MonthsBetween is the number of calendar months from one day to another, the last one as a
// fraction of its days; negative when to is before from.
func MonthsBetween(from, to Date) float64 {
	n := 0
	if to.After(from) {
		n = (to.Year()-from.Year())*12 + int(to.Month()) - int(from.Month())
	}
	a, b := from.AddMonths(n), from.AddMonths(n+1)
	if n > 0 && a.After(to) {
		n--
		a, b = from.AddMonths(n), a
	}
	return float64(n) + float64(to.Sub(a))/float64(b.Sub(a))
}
