package forecast

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"diligentledger/core/measure"
)

// The curve meets each month's value at its middle and stays between
// neighbours in between, around the year.
func TestColdCurve(t *testing.T) {
	for m := range 12 {
		mid := time.Date(2027, time.Month(m+1), 15, 0, 0, 0, 0, time.UTC)
		if got := depot.On(mid); math.Abs(float64(got-months12[m])) > 0.5 {
			t.Errorf("%s: %v, want about %v", mid.Month(), got, months12[m])
		}
	}
	last := depot.On(time.Date(2026, 12, 31, 0, 0, 0, 0, time.UTC))
	for d := range 366 {
		now := depot.On(time.Date(2027, 1, 1+d, 0, 0, 0, 0, time.UTC))
		if math.Abs(float64(now-last)) > 0.55 { // two steps at once over 29 February
			t.Fatalf("a jump from %v to %v on day %d", last, now, d)
		}
		if now < depot.Coldest() {
			t.Fatalf("%v is below the coldest %v", now, depot.Coldest())
		}
		last = now
	}
	if _, ok := mild.FirstBelow(-30, today, horizon); ok {
		t.Error("a mild site falls below -30")
	}
}

// The depot's curve passes −5 °C between April's −7 and May's −2, and between
// October's −4 and November's −11.
func TestSeasons(t *testing.T) {
	s := depot.Seasons(*on("2026-11-24"), *on("2028-01-01"))
	if len(s) != 2 || !s[0].From.Equal(*on("2026-11-24")) || s[0].To.Format("2006-01") != "2027-04" || s[1].From.Format("2006-01") != "2027-10" || !s[1].To.Equal(*on("2028-01-01")) {
		t.Errorf("seasons %v", s)
	}
	if s := mild.Seasons(*on("2026-11-24"), *on("2028-01-01")); len(s) != 0 {
		t.Errorf("a mild site has the cold seasons %v", s)
	}
}

// The 90th percentile of twelve measurements of the resistivity of wafers, worked
// through in the NIST/SEMATECH e-Handbook of Statistical Methods, 7.2.5.2 (from
// memory).
func TestQuantile(t *testing.T) {
	wafers := []float64{95.1772, 95.1567, 95.1937, 95.1959, 95.1442, 95.0610, 95.1591, 95.1195, 95.1065, 95.0925, 95.1990, 95.1682}
	slices.Sort(wafers)
	for _, c := range []struct{ p, want float64 }{{0.9, 95.1981}, {0.01, 95.0610}, {0.999, 95.1990}} {
		if got := Quantile(wafers, c.p); math.Abs(got-c.want) > 5e-5 {
			t.Errorf("quantile %g is %.4f, want %.4f", c.p, got, c.want)
		}
	}
	if !math.IsNaN(Quantile(nil, 0.5)) {
		t.Error("nothing has a median")
	}
}

// winters makes nightly minima about a yearly wave, normally distributed with a
// standard deviation of 5 K, which the curve knows nothing of.
func winters(seed uint64, years int) []Minimum {
	rng := rand.New(rand.NewPCG(seed, 1))
	var all []Minimum
	for day := time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC); day.Year() < 2000+years; day = day.AddDate(0, 0, 1) {
		all = append(all, Minimum{day, measure.Celsius(usual(day) + 5*rng.NormFloat64())})
	}
	return all
}

func usual(day time.Time) float64 {
	return -1 - 11*math.Cos(2*math.Pi*float64(day.YearDay()-20)/365)
}

// Of nights that the curve has not seen, as many are colder as it says: one in n;
// and the curve lies where the normal distribution has that quantile.
func TestClimateHoldsItsPromise(t *testing.T) {
	for _, c := range []struct{ years, n int }{{12, 10}, {12, 50}, {30, 20}, {4, 100}} {
		k, ok := NewClimate(winters(1, c.years), c.n)
		if !ok || k.Years != c.years || k.Winters != c.n {
			t.Fatalf("%d years: %+v", c.years, k)
		}
		colder, nights := 0, 0
		for _, m := range winters(2, 100) {
			nights++
			if m.Celsius < k.On(m.Day) {
				colder++
			}
		}
		if share := float64(colder) / float64(nights) * float64(c.n); share < 0.6 || share > 1.5 {
			t.Errorf("%d years, n = %d: %d of %d nights were colder, %.2f times as many as promised", c.years, c.n, colder, nights, share)
		}
		// The normal quantiles of 0.1, 0.05, 0.02 and 0.01 (any table).
		z := map[int]float64{10: 1.2816, 20: 1.6449, 50: 2.0537, 100: 2.3263}[c.n]
		off := 0.0
		for d := range 365 {
			day := time.Date(2027, 1, 1+d, 0, 0, 0, 0, time.UTC)
			off += (float64(k.On(day)) - (usual(day) - 5*z)) / 365
		}
		if math.Abs(off) > 1.2 {
			t.Errorf("%d years, n = %d: the curve lies %.1f K off", c.years, c.n, off)
		}
		if per := k.Colder * float64(c.n) / 365; per < 0.1 || per > 1.4 {
			t.Errorf("%d years, n = %d: %.1f nights a year were colder", c.years, c.n, k.Colder)
		}
	}
	if _, ok := NewClimate(winters(1, 2), 10); ok {
		t.Error("two years make a climate")
	}
}

// The forecast takes the place of the curve in its ten nights and nowhere else,
// whichever way it goes.
func TestForecastOverrides(t *testing.T) {
	frost := []measure.Celsius{-2, -2, -30, measure.Celsius(math.NaN()), -2, -2, -2, -2, -2, -2, -40}
	k := depot.WithForecast(today, frost)
	for n, want := range []measure.Celsius{-2, -2, -30, depot.On(today.AddDate(0, 0, 3)), -2} {
		if got := k.On(today.AddDate(0, 0, n)); got != want {
			t.Errorf("night %d: %v, want %v", n, got, want)
		}
	}
	for _, n := range []int{-1, 10, 365} {
		if day := today.AddDate(0, 0, n); k.On(day) != depot.On(day) {
			t.Errorf("night %d is forecast", n)
		}
	}
	// A snap that the curve does not know.
	if night, ok := k.FirstBelow(-28, today, horizon); !ok || DaysBetween(today, night) != 2 {
		t.Errorf("the snap comes on %v, %v", night, ok)
	}
	if _, ok := k.FirstBelow(-35, today, horizon); ok {
		t.Error("the eleventh night was forecast")
	}
	// Mild nights put off what the curve would have caught tonight.
	if night, ok := k.FirstBelow(-12, today.AddDate(0, 0, 4), horizon); !ok || DaysBetween(today, night) != 10 {
		t.Errorf("the mild nights end on %v, %v", night, ok)
	}
	if night, ok := depot.FirstBelow(-12, today.AddDate(0, 0, 4), horizon); !ok || DaysBetween(today, night) != 4 {
		t.Errorf("by the curve the night is %v, %v", night, ok)
	}
}

// The curve walks past 29 February in a year that has none, and meets the year
// after at the same date.
func TestCurveOverTheYears(t *testing.T) {
	for _, year := range []int{2027, 2028} {
		day := time.Date(year, 2, 27, 0, 0, 0, 0, time.UTC)
		depot.walk(day, 800, func(n int, got measure.Celsius) bool {
			if want := depot.Usual(day.AddDate(0, 0, n)); got != want {
				t.Fatalf("%d nights from %v: %v, want %v", n, day, got, want)
			}
			return false
		})
	}
	polar := ColdCurve{-40, -40, -38, -30, -20, -10, -8, -9, -15, -25, -32, -38}.Climate()
	if s := polar.Seasons(today, today.AddDate(0, 6, 0)); len(s) == 0 || !s[0].From.Equal(today) || !s[len(s)-1].To.Equal(today.AddDate(0, 6, 0)) {
		t.Errorf("where it is always cold the seasons are %v", s)
	}
	restored, ok := RestoreClimate(20, 7, 1.5, depot.Curve())
	if !ok || restored.Coldest() != depot.Coldest() || restored.Winters != 20 || restored.Years != 7 {
		t.Errorf("restored as %+v", restored)
	}
	if _, ok := RestoreClimate(20, 7, 1, depot.Curve()[1:]); ok {
		t.Error("a year without its first day was restored")
	}
}
