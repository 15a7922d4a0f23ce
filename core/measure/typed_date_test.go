package measure

import (
	"errors"
	"strings"
	"testing"
	"time"
)

// What people type for a day, as of Thursday 26 November 2026.
func TestReadDate(t *testing.T) {
	today := NewDate(2026, 11, 26)
	for _, c := range []struct {
		text  string
		order DayOrder
		want  string // empty for refused
	}{
		{"today", DayFirst, "2026-11-26"}, {" Yesterday ", DayFirst, "2026-11-25"}, {"tomorrow", MonthFirst, "2026-11-27"},
		{"3 days ago", DayFirst, "2026-11-23"}, {"2 weeks ago", DayFirst, "2026-11-12"}, {"in 2 weeks", DayFirst, "2026-12-10"}, {"in 3 months", DayFirst, "2027-02-26"},
		{"3 Nov", DayFirst, "2026-11-03"}, {"3 nov 2025", DayFirst, "2025-11-03"}, {"Nov 3", DayFirst, "2026-11-03"}, {"November 3, 2024", MonthFirst, "2024-11-03"},
		{"3rd Sept", DayFirst, "2026-09-03"}, {"14 Feb", DayFirst, "2027-02-14"}, {"14 Jul", DayFirst, "2026-07-14"}, {"Thu 26 Nov 2026", DayFirst, "2026-11-26"}, {"3 Nov 26", DayFirst, "2026-11-03"},
		{"2026-11-03", MonthFirst, "2026-11-03"}, {"2026-2-3", YearFirst, "2026-02-03"},
		{"3/11/2026", DayFirst, "2026-11-03"}, {"3/11/2026", MonthFirst, "2026-03-11"}, {"3.11.2026", DayFirst, "2026-11-03"}, {"3.11.", YearFirst, "2026-11-03"}, {"3.11", MonthFirst, "2026-11-03"},
		{"11/26/2026", DayFirst, "2026-11-26"}, {"26/11", MonthFirst, ""}, {"26/11/26", YearFirst, "2026-11-26"},
		{"3/11", YearFirst, ""}, {"5/5", YearFirst, "2027-05-05"},
		{"29 Feb", DayFirst, "2028-02-29"}, {"30 Feb", DayFirst, ""}, {"31/4/2026", DayFirst, ""}, {"0 Nov", DayFirst, ""}, {"2026-13-01", DayFirst, ""}, {"3 Novembrance", DayFirst, ""},
		// Written forms of several languages, and the separators that offices use.
		{"03-Apr-25", DayFirst, "2025-04-03"}, {"3-Apr-2025", MonthFirst, "2025-04-03"}, {"3/Apr/2025", DayFirst, "2025-04-03"}, {"2025/04/03", DayFirst, "2025-04-03"}, {"2025.04.03", MonthFirst, "2025-04-03"},
		{"3. April 2025", DayFirst, "2025-04-03"}, {"12. März 2025", DayFirst, "2025-03-12"}, {"4. Mai 2025", DayFirst, "2025-05-04"}, {"24. Dez. 2025", DayFirst, "2025-12-24"}, {"1. Jänner 2025", DayFirst, "2025-01-01"},
		{"1er avril 2025", DayFirst, "2025-04-01"}, {"15 août 2025", DayFirst, "2025-08-15"}, {"3 déc. 2025", DayFirst, "2025-12-03"}, {"14 juillet 2025", DayFirst, "2025-07-14"}, {"2 juin 2025", DayFirst, "2025-06-02"},
		{"3 de abril de 2025", DayFirst, "2025-04-03"}, {"3 ene 2025", DayFirst, "2025-01-03"}, {"9 septiembre 2025", DayFirst, "2025-09-09"},
		{"17. mai 2025", DayFirst, "2025-05-17"}, {"3. desember 2025", DayFirst, "2025-12-03"}, {"6 juni 2025", DayFirst, "2025-06-06"}, {"3 augusti 2025", DayFirst, "2025-08-03"}, {"5. marts 2025", DayFirst, "2025-03-05"},
		{"3. huhtikuuta 2025", DayFirst, "2025-04-03"}, {"6. marraskuuta 2025", DayFirst, "2025-11-06"}, {"17. júní 2025", DayFirst, "2025-06-17"}, {"3 mar 2025", DayFirst, "2025-03-03"},
		{"3 jui 2025", DayFirst, ""}, {"3 ma 2025", DayFirst, ""}, {"05.13.2025", DayFirst, ""}, {"2025-04/03", DayFirst, ""},
		// A month has no day that could be read.
		{"April 2025", DayFirst, ""}, {"Dec 2021", MonthFirst, ""}, {"avril 2025", DayFirst, ""}, {"04/2025", DayFirst, ""}, {"4.2025", DayFirst, ""}, {"2025-04", DayFirst, ""}, {"abril de 2025", DayFirst, ""},
		{"", DayFirst, ""}, {"soon", DayFirst, ""}, {"12345678", DayFirst, ""}, {"3 Nov 1066", DayFirst, ""}, {"the third of november of this very year, at about noon or so, as far as known", DayFirst, ""},
	} {
		got, err := ReadDate(c.text, today, c.order)
		var refused *DateError
		switch {
		case c.want == "" && !errors.As(err, &refused):
			t.Errorf("%q by %s is read as %s, %v", c.text, c.order, got, err)
		case c.want != "" && (err != nil || got.String() != c.want):
			t.Errorf("%q by %s is read as %s, %v; want %s", c.text, c.order, got, err, c.want)
		}
	}
	for text, limit := range map[string]string{"31 February 2026": "February 2026 has 28", "31 Feb": "February", "0026-11-03": "is 2026 meant?", "3 Nov 1066": "a year from 1900 to 2200",
		"2026-13-01": "a month from 1 to 12, and not 13", "31/4/2026": "April 2026 has 30", "soon": "such as 3 Nov", "05.13.2025": "a month from 1 to 12, and not 13; is 13 May 2025 meant?",
		"April 2025": "a day of the month too, such as 15 Apr 2025", "2021-12": "a day of the month too, such as 15 Dec 2021"} {
		_, err := ReadDate(text, today, DayFirst)
		if err == nil || !strings.Contains(err.Error(), limit) || !strings.Contains(err.Error(), text) {
			t.Errorf("%q is refused with %v; want %s", text, err, limit)
		}
	}
	_, err := ReadDate("3/11", today, YearFirst)
	var either *DateError
	if !errors.As(err, &either) || either.Accepted() != "3 Nov 2026 or 11 Mar 2027: write which is meant" {
		t.Errorf("3/11 is refused with %v", err)
	}
}

// A moment is a day and a time in the zone of the place.
func TestReadMoment(t *testing.T) {
	zone := time.FixedZone("", 2*60*60)
	now := time.Date(2026, 11, 26, 15, 20, 30, 0, zone)
	for text, want := range map[string]string{
		"now": "2026-11-26T15:20:30+02:00", "today": "2026-11-26T15:20:30+02:00", "yesterday": "2026-11-25T12:00:00+02:00", "yesterday 14:30": "2026-11-25T14:30:00+02:00",
		"3 Nov at 8:05": "2026-11-03T08:05:00+02:00", "3 Nov 2026, 8.05": "2026-11-03T08:05:00+02:00", "14:10": "2026-11-26T14:10:00+02:00", "2:30 pm": "2026-11-26T14:30:00+02:00",
		"12:15 am": "2026-11-26T00:15:00+02:00", "2026-11-03 23:59": "2026-11-03T23:59:00+02:00", "3/11/2026 7:00": "2026-11-03T07:00:00+02:00", "3.11.": "2026-11-03T12:00:00+02:00", "3.11": "2026-11-03T12:00:00+02:00",
		"25:00": "", "13:00 pm": "", "3 Nov 8": "", "8:61": "", "": "", "soon 8:00": "",
	} {
		got, err := ReadMoment(text, now, zone, DayFirst)
		var refused *DateError
		switch {
		case want == "" && !errors.As(err, &refused):
			t.Errorf("%q is read as %v, %v", text, got, err)
		case want != "" && (err != nil || got.Format(time.RFC3339) != want):
			t.Errorf("%q is read as %v, %v; want %s", text, got.Format(time.RFC3339), err, want)
		}
	}
}

// Whatever is typed, it is read or refused, and what is read shows as a day that reads as itself.
func FuzzReadDate(f *testing.F) {
	for _, s := range []string{"3 Nov", "yesterday", "2026-11-03", "3/11/26", "in 2 weeks", "29 feb", "3.11. 8:05", "April 2025", "03-Apr-25", "3 de abril de 2025", "05.13.2025"} {
		f.Add(s)
	}
	today := NewDate(2026, 11, 26)
	f.Fuzz(func(t *testing.T, text string) {
		for _, order := range []DayOrder{DayFirst, MonthFirst, YearFirst} {
			day, err := ReadDate(text, today, order)
			if err != nil {
				continue
			}
			for _, layout := range []string{"2 Jan 2006", "2006-01-02", "Mon 2 Jan 2006"} {
				if again, err := ReadDate(day.Format(layout), today, order); err != nil || !again.Equal(day) {
					t.Errorf("%q is %s, and shown so it is %s, %v", text, day, again, err)
				}
			}
			if _, err := ReadMoment(text, day.At(12, 0, time.UTC), time.UTC, order); err != nil {
				t.Errorf("%q is a day and no moment: %v", text, err)
			}
		}
	})
}
