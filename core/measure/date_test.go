package measure

import (
	"math/rand/v2"
	"testing"
	"time"
	_ "time/tzdata"
)

func zoneNamed(t *testing.T, name string) *time.Location {
	t.Helper()
	zone, err := time.LoadLocation(name)
	if err != nil {
		t.Fatal(err)
	}
	return zone
}

// Months counted by hand on a calendar.
func TestAddMonths(t *testing.T) {
	for _, c := range []struct {
		from string
		n    int
		want string
	}{
		{"2025-01-31", 1, "2025-02-28"}, {"2024-01-31", 1, "2024-02-29"}, {"2024-02-29", 12, "2025-02-28"},
		{"2024-02-29", 48, "2028-02-29"}, {"1999-12-31", 2, "2000-02-29"}, {"2099-11-30", 3, "2100-02-28"}, {"2025-03-31", 0, "2025-03-31"}, {"2025-10-31", 4, "2026-02-28"}, {"2025-05-15", 36, "2028-05-15"}, {"2025-12-01", 1, "2026-01-01"}, {"2026-03-31", -1, "2026-02-28"},
	} {
		from, err := ParseDate(c.from)
		if got := from.AddMonths(c.n); err != nil || got.String() != c.want {
			t.Errorf("%s + %d months = %s, want %s", c.from, c.n, got, c.want)
		}
	}
}

// Where clocks are put forward at midnight a day has none: Santiago on 7 September
// 2025 and Havana on 9 March 2025 begin at one, the Azores on 30 March 2025 at one as
// well (IANA time zone database).
func TestDaysWithoutMidnight(t *testing.T) {
	for _, c := range []struct{ zone, day string }{{"America/Santiago", "2025-09-07"}, {"America/Havana", "2025-03-09"}, {"Atlantic/Azores", "2025-03-30"}} {
		zone := zoneNamed(t, c.zone)
		day, err := ParseDate(c.day)
		if err != nil {
			t.Fatal(err)
		}
		begins := day.Start(zone)
		if begins.Hour() != 1 || DateOf(begins, zone) != day || DateOf(begins.Add(-time.Minute), zone) != day.AddDays(-1) {
			t.Errorf("%s in %s begins at %s", c.day, c.zone, begins)
		}
		if got := day.AddMonths(12); got.Month() != day.Month() || got.Day() != day.Day() {
			t.Errorf("a year after %s is %s", c.day, got)
		}
	}
}

// Laws, in whatever zone: a moment falls on the day that begins at or before it; days
// add up; a day is read as it is written.
func TestDateLaws(t *testing.T) {
	var zones []*time.Location
	for _, name := range []string{"UTC", "America/Santiago", "America/Havana", "Atlantic/Azores", "Pacific/Apia", "Asia/Kathmandu", "Europe/Oslo"} {
		zones = append(zones, zoneNamed(t, name))
	}
	rng := rand.New(rand.NewPCG(7, 7))
	for range 20_000 {
		zone := zones[rng.IntN(len(zones))]
		at := time.Unix(rng.Int64N(4_000_000_000), 0)
		day := DateOf(at, zone)
		if begins := day.Start(zone); begins.After(at) || DateOf(begins, zone) != day {
			t.Fatalf("%s falls on %s, which begins at %s", at.In(zone), day, begins)
		}
		n := rng.IntN(20_000) - 10_000
		if later := day.AddDays(n); later.Sub(day) != n || later.AddDays(-n) != day || later.Before(day) != (n < 0) {
			t.Fatalf("%s and %d days: %s", day, n, later)
		}
		if again, err := ParseDate(day.String()); err != nil || again != day {
			t.Fatalf("%s is read as %s, %v", day, again, err)
		}
	}
	for _, bad := range []string{"", "2026-02-30", "24.11.2026", "2026-1-1"} {
		if d, err := ParseDate(bad); err == nil {
			t.Errorf("%q is read as %s", bad, d)
		}
	}
}
