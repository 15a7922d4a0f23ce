package measure

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"
)

// DayOrder is how a date of three numbers is meant: which one is the day.
type DayOrder string

// The orders.
const (
	DayFirst   DayOrder = "dmy" // 26/11/2026
	MonthFirst DayOrder = "mdy" // 11/26/2026
	YearFirst  DayOrder = "ymd" // 2026-11-26
)

// DateError says that a text is no date, or one that may be meant either way.
type DateError struct {
	Text string
	// Suggestions are the two days of a text that may be meant either way; empty for any other.
	Suggestions []string
	// Limit that the text goes beyond, such as the days of February; empty for none.
	Limit string
	// Month that was written without a day: its first one; the zero date for none.
	Month Date
}

func (e *DateError) Error() string {
	return fmt.Sprintf("%q is not accepted as a date; accepted: %s", e.Text, e.Accepted())
}

// Accepted is what would be read as a date.
func (e *DateError) Accepted() string {
	if len(e.Suggestions) > 0 {
		return strings.Join(e.Suggestions, " or ") + ": write which is meant"
	}
	if e.Limit != "" {
		return e.Limit
	}
	if !e.Month.IsZero() {
		return "a day of the month too, such as 15 " + e.Month.Format("Jan 2006")
	}
	return "a date, such as 3 Nov, 3 Nov 2026, 2026-11-03, yesterday or 3 days ago"
}

var (
	isoDate   = regexp.MustCompile(`^(\d{4})([-/.])(\d{1,2})([-/.])(\d{1,2})$`)
	threeDate = regexp.MustCompile(`^(\d{1,2})([./-])(\d{1,2})(?:[./-](\d{2}|\d{4})?)?$`)
	// The day and the year have something between them: "April 2025" has no day.
	wordDate  = regexp.MustCompile(`^(?:(\d{1,2})(?:st|nd|rd|th|er|:a|:e)?[. /-]{0,2}(\p{L}{3,14})\.?|(\p{L}{3,14})\.?[ /-](\d{1,2})(?:st|nd|rd|th)?)(?:(?:, ?|[ ./-]|\. )(\d{4}|\d{2}))?$`)
	wordMonth = regexp.MustCompile(`^(\p{L}{3,14})\.?(?:, ?|[ ./-])'?(\d{4})$`)
	monthOnly = regexp.MustCompile(`^(?:(\d{1,2})[./-](\d{4})|(\d{4})[./-](\d{1,2}))$`)
	connector = regexp.MustCompile(` d(?:e|el) `)
	agoDate   = regexp.MustCompile(`^(\d{1,3}) (d|day|days|w|week|weeks|month|months) ago$`)
	aheadDate = regexp.MustCompile(`^in (\d{1,3}) (d|day|days|w|week|weeks|month|months)$`)
	clockTime = regexp.MustCompile(`^(.*?),? ?(?:at )?(\d{1,2})[:.](\d{2}) ?(am|pm)?$`)
	weekdays  = regexp.MustCompile(`^(mon|tue|wed|thu|fri|sat|sun)[a-z]*,? (.*\d.*)$`)
)

// months as English, German, French, Spanish, Danish, Norwegian, Swedish, Icelandic and Finnish write them, in full and
// shortened where the
// short form is no beginning of the full one. Source: the names of months of the Unicode CLDR, from memory.
var months = [12]string{
	"january januar janvier enero januari janúar tammikuu tammikuuta jän jänner janv",
	"february februar février febrero februari febrúar helmikuu helmikuuta feber fevrier",
	"march märz mars marzo marts maaliskuu maaliskuuta mrz maerz",
	"april avril abril apríl huhtikuu huhtikuuta",
	"may mai mayo maj maí toukokuu toukokuuta",
	"june juni juin junio júní kesäkuu kesäkuuta",
	"july juli juillet julio júlí heinäkuu heinäkuuta juil",
	"august août agosto augusti ágúst elokuu elokuuta aout",
	"september septembre septiembre setiembre syyskuu syyskuuta",
	"october oktober octobre octubre október lokakuu lokakuuta",
	"november novembre noviembre nóvember marraskuu marraskuuta",
	"december dezember décembre diciembre desember joulukuu joulukuuta decembre",
}

// shortest beginning of a month's name that is read, in letters.
const shortestMonth = 3

// monthNamed is the month that a name or its beginning means in any of the languages; 0 when it is none, or one in one
// language and
// another in another. Of a beginning that the names of two months share, the English one is meant: "mar" is March.
func monthNamed(name string) time.Month {
	found, exact := time.Month(0), time.Month(0)
	for i, names := range months {
		m := time.Month(i + 1)
		for full := range strings.FieldsSeq(names) {
			if full == name {
				exact = m
			}
			if strings.HasPrefix(full, name) {
				if found != 0 && found != m {
					found = -1
				} else {
					found = m
				}
			}
		}
	}
	switch {
	case utf8.RuneCountInString(name) < shortestMonth:
		return 0
	case exact != 0:
		return exact
	case found > 0:
		return found
	}
	for m := time.January; m <= time.December; m++ {
		if strings.HasPrefix(strings.ToLower(m.String()), name) {
			return m
		}
	}
	return 0
}

// ReadMonth reads a month that is written without a day, such as April 2025, 04/2025 or 2025-04: its first day; false
// for any other text.
func ReadMonth(text string) (first Date, ok bool) {
	s := strings.Join(strings.Fields(strings.ToLower(plainer.Replace(text))), " ")
	s = connector.ReplaceAllString(s, " ")
	year, month := 0, time.Month(0)
	if m := wordMonth.FindStringSubmatch(s); m != nil {
		year, month = whole(m[2]), monthNamed(m[1])
	} else if m := monthOnly.FindStringSubmatch(s); m != nil {
		year, month = whole(m[2]+m[3]), time.Month(whole(m[1]+m[4]))
	}
	if month < 1 || month > 12 || year < firstYear || year > lastYear {
		return Date{}, false
	}
	return NewDate(year, month, 1), true
}

// ReadDate reads what a person types for a day: 2026-11-03, 2026/11/03, 3 Nov, 03-Nov-26, Nov 3 2026, 3. November 2026
// and the like in
// nine languages, 3/11/2026 by the
// order of the reader, today, yesterday, tomorrow, 3 days ago, in 2 weeks. Without a year it is the
// one nearest to today. A date of numbers that the order does not settle, such as 3/11 for a
// reader of 2026-11-03, is refused with both days, a month without a day with that month. It returns a [DateError].
func ReadDate(text string, today Date, order DayOrder) (Date, error) {
	refused := &DateError{Text: strings.TrimSpace(text)}
	s := strings.Join(strings.Fields(strings.ToLower(plainer.Replace(text))), " ")
	if len(s) > longest {
		return Date{}, refused
	}
	if m := weekdays.FindStringSubmatch(s); m != nil {
		s = m[2] // "Thu 26 Nov 2026", as it is shown
	}
	switch s {
	case "today", "now":
		return today, nil
	case "yesterday":
		return today.AddDays(-1), nil
	case "tomorrow":
		return today.AddDays(1), nil
	}
	if m := agoDate.FindStringSubmatch(s); m != nil {
		return shifted(today, m[1], m[2], -1), nil
	}
	if m := aheadDate.FindStringSubmatch(s); m != nil {
		return shifted(today, m[1], m[2], 1), nil
	}
	if m := isoDate.FindStringSubmatch(s); m != nil && m[2] == m[4] {
		return exact(whole(m[1]), whole(m[3]), whole(m[5]), refused)
	}
	if refused.Month, _ = ReadMonth(s); !refused.Month.IsZero() {
		return Date{}, refused
	}
	s = connector.ReplaceAllString(s, " ")
	if m := wordDate.FindStringSubmatch(s); m != nil {
		day, name := m[1]+m[4], m[2]+m[3]
		month := monthNamed(name)
		if month == 0 {
			return Date{}, refused
		}
		return inYear(m[5], int(month), whole(day), today, refused)
	}
	if m := threeDate.FindStringSubmatch(s); m != nil {
		first, second := whole(m[1]), whole(m[3])
		switch {
		case m[2] == "." && first <= 12 && second > 12:
			// With points the day comes first: a month of 13 is a slip, or the other order, which is for its writer to
			// say.
			if meant, err := inYear(m[4], first, second, today, refused); err == nil {
				return Date{}, &DateError{Text: refused.Text, Limit: fmt.Sprintf("a month from 1 to 12, and not %d; is %s meant?", second, meant.Format("2 Jan 2006"))}
			}
		case order == MonthFirst && m[2] == "/", first <= 12 && second > 12:
			first, second = second, first // month/day
		case order == DayFirst || m[2] == "." || first > 12:
		case first != second:
			// Neither the order nor the text settles it.
			one, err := inYear(m[4], second, first, today, refused)
			other, err2 := inYear(m[4], first, second, today, refused)
			if err == nil && err2 == nil {
				return Date{}, &DateError{Text: refused.Text, Suggestions: []string{one.Format("2 Jan 2006"), other.Format("2 Jan 2006")}}
			}
		}
		return inYear(m[4], second, first, today, refused)
	}
	return Date{}, refused
}

func whole(s string) int {
	n, _ := strconv.Atoi(s) // digits, few of them
	return n
}

// Years that a typed date may be in.
const (
	firstYear = 1900
	lastYear  = 2200
)

// exact day; a [DateError] that names the limit when there is no such day, month or year.
func exact(year, month, day int, refused *DateError) (Date, error) {
	limit := ""
	switch {
	case year < firstYear || year > lastYear:
		limit = fmt.Sprintf("a year from %d to %d", firstYear, lastYear)
		if year < 100 {
			limit += fmt.Sprintf("; is %d meant?", 2000+year)
		}
	case month < 1 || month > 12:
		limit = fmt.Sprintf("a month from 1 to 12, and not %d", month)
	case day < 1 || day > daysOf(year, month):
		limit = fmt.Sprintf("a day of that month: %s %d has %d", time.Month(month), year, daysOf(year, month))
	default:
		return NewDate(year, time.Month(month), day), nil
	}
	return Date{}, &DateError{Text: refused.Text, Limit: limit}
}

func daysOf(year, month int) int { return NewDate(year, time.Month(month)+1, 0).Day() }

// inYear is a day of a month in a year as typed, or in the one that brings it nearest to today.
func inYear(year string, month, day int, today Date, refused *DateError) (Date, error) {
	switch len(year) {
	case 4:
		return exact(whole(year), month, day, refused)
	case 2:
		return exact(2000+whole(year), month, day, refused)
	}
	var best Date
	var why error
	for y := today.Year() - 4; y <= today.Year()+4; y++ { // 29 February is not in every year
		d, err := exact(y, month, day, refused)
		if err != nil {
			why = err
			continue
		}
		off := func(d Date) int { return max(d.Sub(today), today.Sub(d)) }
		if best.IsZero() || off(d) < off(best) {
			best = d
		}
	}
	if best.IsZero() {
		return Date{}, why
	}
	return best, nil
}

func shifted(today Date, count, unit string, sign int) Date {
	n := sign * whole(count)
	switch unit[0] {
	case 'w':
		return today.AddDays(7 * n)
	case 'm':
		return today.AddMonths(n)
	}
	return today.AddDays(n)
}

// ReadMoment reads what a person types for a moment: a date as [ReadDate] reads it, and a time of
// the day such as 14:30 or 2:30 pm, in zone. A date alone is noon, or now for today; a time alone
// is of today. It returns a [DateError].
func ReadMoment(text string, now time.Time, zone *time.Location, order DayOrder) (time.Time, error) {
	today := DateOf(now, zone)
	s := strings.Join(strings.Fields(strings.ToLower(plainer.Replace(text))), " ")
	m := clockTime.FindStringSubmatch(s)
	// "3.11" is a date, and "3.11.2026" no time of it; a time has two digits after a date or is alone with a colon.
	if m == nil || m[1] == "" && !strings.Contains(s, ":") || threeDate.MatchString(s) || isoDate.MatchString(s) {
		day, err := ReadDate(text, today, order)
		if err != nil {
			return time.Time{}, err
		}
		if day.Equal(today) {
			return now, nil
		}
		return day.At(12, 0, zone), nil
	}
	refused := &DateError{Text: strings.TrimSpace(text)}
	hour, minute := whole(m[2]), whole(m[3])
	if m[4] != "" {
		if hour < 1 || hour > 12 {
			return time.Time{}, refused
		}
		hour %= 12
		if m[4] == "pm" {
			hour += 12
		}
	}
	if hour > 23 || minute > 59 {
		return time.Time{}, refused
	}
	day := today
	if m[1] != "" {
		var err error
		if day, err = ReadDate(m[1], today, order); err != nil {
			of := err.(*DateError)
			return time.Time{}, &DateError{Text: refused.Text, Suggestions: of.Suggestions, Limit: of.Limit, Month: of.Month}
		}
	}
	return day.At(hour, minute, zone), nil
}

// At a time of the day in a zone. Where clocks are put forward and the time does not exist it is the
// one after, as with [time.Date].
func (d Date) At(hour, minute int, zone *time.Location) time.Time {
	y, m, day := d.t.Date()
	return time.Date(y, m, day, hour, minute, 0, 0, zone)
}
