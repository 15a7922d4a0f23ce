package measure

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"diligentledger/internal/pinnedtest"
)

// How numbers, units, days and moments are read and written.
func TestPinned(t *testing.T) {
	var a pinnedtest.Answers
	dimensions := []Dimension{Temperature, Volume, Pressure, Distance, EngineTime, ""}
	numbers := []string{"12", "-36", "−36", "12,5", "12.5", "1,250", "1.250", "12 500", "1e3", "0", "-0", ".5", "5.", "1/2", "5 1/2", "five", "", " ", "999999999", "1,2,3", "NaN", "+4", "12'500", "3.4.5"}
	suffixes := []string{"", " C", "°F", " F", " L", " US qt", " gal", " kPa", " bar", " psi", " km", " mi", " h", " mm", " %", " brix", " K", " cheese"}
	for _, d := range dimensions {
		units := Units(d)
		a.Add("units "+string(d), units)
		for _, n := range numbers {
			for _, s := range suffixes {
				usual := Unit("")
				if len(units) > 0 {
					usual = units[len(n)%len(units)]
				}
				r, err := Parse(n+s, d, usual)
				a.Add(fmt.Sprintf("%s %q", d, n+s), r, err)
			}
		}
		for _, u := range units {
			for _, v := range []float64{-40, 0, 1, 12.5, 1234.567} {
				a.Add(fmt.Sprint(u, " ", v), FromMetric(v, u), FromDifference(v, u), ToDifference(v, u), Reading{Value: v, Unit: u})
			}
		}
	}
	for _, v := range []float64{0, 0.004, 0.05, 0.5, 1, 9.99, 12.34, 123.4, 999.5, 1000, 12_345.6, 1e6, 1e9, -3, -0.001} {
		a.Add(fmt.Sprint("digits ", v), Digits(v), Grouped(v))
	}
	today := NewDate(2026, time.November, 24)
	texts := []string{"2026-11-24", "24.11.2026", "11/24/2026", "24/11/26", "3.4.26", "3/4/2026", "24 Nov", "Nov 24 2025", "24 November 2025", "yesterday", "today", "tomorrow", "monday", "last monday", "29.2.2025", "29.2.2024",
		"2026-W48", "Nov 2025", "2025", "31.4.2026", "-3 days", "3 days ago", "2 weeks ago", "", "0.0.0", "1.1.1899", "12.2099", "24th Nov", "24.11.", "20261124", "24-11-2026", "2026/11/24"}
	for _, order := range []DayOrder{DayFirst, "mdy", ""} {
		for _, text := range texts {
			d, err := ReadDate(text, today, order)
			a.Add(fmt.Sprintf("day %s %q", order, text), d, err)
			for _, at := range []string{"", " 8:30", " 8.30", " 2 pm", "T08:30:00Z", " 25:00"} {
				m, err := ReadMoment(text+at, today.Time().Add(10*time.Hour), time.FixedZone("", 3600), order)
				a.Add(fmt.Sprintf("moment %s %q", order, text+at), m, err)
			}
		}
	}
	rng := rand.New(rand.NewPCG(1, 1))
	for n := range 200 {
		from := NewDate(1999, 12, 1).AddDays(rng.IntN(12_000))
		to := from.AddDays(rng.IntN(3000) - 300)
		a.Add(fmt.Sprint("months ", n), MonthsBetween(from, to), to.Sub(from), IsLeap(from.Year()), from.AddDate(0, rng.IntN(40), 0), from.String(), from.Before(to))
	}
	a.Check(t, "pinned.txt")
}
