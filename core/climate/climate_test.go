package climate

import (
	"encoding/csv"
	"math"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"testing"
	"time"

	"diligentledger/core/measure"
)

var (
	today    = measure.NewDate(2026, 11, 24)
	months12 = MonthlyCurve{-24, -23, -16, -7, -2, 3, 6, 5, 1, -4, -11, -19}
	depot    = months12.Climate()
	mild     = MonthlyCurve{-2, -2, 0, 2, 4, 8, 10, 10, 8, 5, 2, 0}.Climate()
)

// on is the day of a text such as 2026-11-24.
func on(day string) *measure.Date {
	d, err := measure.ParseDate(day)
	if err != nil {
		panic(err)
	}
	return &d
}

// The curve meets each month's value at its middle and stays between
// neighbours in between, around the year.
func TestColdCurve(t *testing.T) {
	for m := range 12 {
		mid := measure.NewDate(2027, time.Month(m+1), 15)
		if got := depot.PlannedMinimum(mid); math.Abs(float64(got-months12[m])) > 0.5 {
			t.Errorf("%s: %v, want about %v", mid.Month(), got, months12[m])
		}
	}
	last := depot.PlannedMinimum(measure.NewDate(2026, 12, 31))
	for d := range 366 {
		now := depot.PlannedMinimum(measure.NewDate(2027, 1, 1+d))
		if math.Abs(float64(now-last)) > 0.55 { // two steps at once over 29 February
			t.Fatalf("a jump from %v to %v on day %d", last, now, d)
		}
		if now < depot.Coldest() {
			t.Fatalf("%v is below the coldest %v", now, depot.Coldest())
		}
		last = now
	}
	if _, ok := mild.FirstBelow(-30, today, 730); ok {
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

// winters makes nightly minima about a yearly wave with a standard deviation of 5 K
// in winter and 3 K in summer, each night much like the one before, which the curve
// knows nothing of.
func winters(seed uint64, years int) []Minimum {
	rng := rand.New(rand.NewPCG(seed, 1))
	var all []Minimum
	off := 0.0
	const like = 0.7
	for day := measure.NewDate(2000, 1, 1); day.Year() < 2000+years; day = day.AddDays(1) {
		off = like*off + math.Sqrt(1-like*like)*rng.NormFloat64()
		all = append(all, Minimum{day, measure.Celsius(usual(day) + spread(day)*off)})
	}
	return all
}

func usual(day measure.Date) float64 { return -1 - 11*wave(day) }

func spread(day measure.Date) float64 { return 4 + wave(day) }

func wave(day measure.Date) float64 {
	return math.Cos(2 * math.Pi * float64(day.Time().YearDay()-20) / 365)
}

// missed is the share of winters of a record in which any night is colder than the
// climate, less a margin.
func missed(k *Climate, record []Minimum, margin measure.Celsius) float64 {
	caught, all := map[int]bool{}, map[int]bool{}
	for _, m := range record {
		year := m.Day.AddDate(0, 6, 0).Year()
		all[year] = true
		if m.Celsius < k.CurveMinimum(m.Day)-margin {
			caught[year] = true
		}
	}
	return float64(len(caught)) / float64(len(all))
}

// Of winters that the record has not seen, one in n has a night below the curve of its
// date and one in n below the return level, up to two together; and with the plans' margin of 3 K fewer than one in fifty. Of nights of one date one in
// n is colder than the curve would be without its shift, which lies where the normal
// distribution has that quantile.
func TestClimateHoldsItsPromise(t *testing.T) {
	for _, c := range []struct{ years, n int }{{12, 10}, {12, 50}, {30, 20}, {6, 50}, {30, 50}} {
		share, margin, off, colder := 0.0, 0.0, 0.0, 0.0
		const records = 5
		unseen := winters(999, 200)
		for seed := range uint64(records) {
			k, ok := New(winters(seed, c.years), c.n)
			if !ok || k.Years != c.years || k.ReturnPeriod != c.n || k.Shift <= 0 || k.ReturnLevel == nil {
				t.Fatalf("%d years: %+v", c.years, k)
			}
			share += missed(k, unseen, 0) / records
			margin += missed(k, unseen, 3) / records
			// The normal quantiles of 0.1, 0.05 and 0.02 (any table).
			z := map[int]float64{10: 1.2816, 20: 1.6449, 50: 2.0537}[c.n]
			for d := range 365 {
				day := measure.NewDate(2027, 1, 1+d)
				off += (float64(k.dates[slotOf(day)]) - (usual(day) - spread(day)*z)) / 365 / records
			}
			for _, m := range unseen {
				if m.Celsius < k.dates[slotOf(m.Day)] {
					colder += float64(c.n) / float64(len(unseen)) / records
				}
			}
		}
		t.Logf("%d years, n = %d: %.3f of the winters fall below, %.4f with 3 K to spare; nights %.2f times as many as promised", c.years, c.n, share, margin, colder)
		if most := 2.2 / float64(c.n); share > most || share < 0.2/float64(c.n) {
			t.Errorf("%d years, n = %d: %.3f of the winters have a night below the curve, promised %.3f", c.years, c.n, share, 1/float64(c.n))
		}
		if c.n == DefaultReturnPeriod && margin > 1.0/DefaultReturnPeriod {
			t.Errorf("%d years: %.3f of the winters have a night more than 3 K below the curve, wanted under 0.02", c.years, margin)
		}
		if math.Abs(off) > 0.8 || colder < 0.6 || colder > 1.6 {
			t.Errorf("%d years, n = %d: without its shift the curve lies %.1f K off, and %.2f times as many nights are colder as promised", c.years, c.n, off, colder)
		}
	}
	if _, ok := New(winters(1, 2), 10); ok {
		t.Error("two years make a climate")
	}
}

// Real nights: Seattle 2012 to 2015 (testdata/README.md). The curve of three years is
// scored on the year that it has not seen, each in turn.
func TestSeattle(t *testing.T) {
	f, err := os.Open("testdata/seattle-nights.csv")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	var record []Minimum
	for _, row := range rows[1:] {
		day, err1 := measure.ParseDate(row[0])
		v, err2 := strconv.ParseFloat(row[1], 64)
		if err1 != nil || err2 != nil {
			t.Fatal(row, err1, err2)
		}
		record = append(record, Minimum{day, measure.Celsius(v)})
	}
	if len(record) != 1461 {
		t.Fatalf("%d nights, want four years", len(record))
	}
	for _, n := range []int{5, 20, 50} {
		colder, below, unsafe, nights := 0, 0, 0, 0
		for year := 2012; year <= 2015; year++ {
			var seen, unseen []Minimum
			for _, m := range record {
				if m.Day.Year() == year {
					unseen = append(unseen, m)
				} else {
					seen = append(seen, m)
				}
			}
			k, ok := New(seen, n)
			if !ok {
				t.Fatal("three years make no climate")
			}
			for _, m := range unseen {
				nights++
				if m.Celsius < k.dates[slotOf(m.Day)] {
					colder++
				}
				if m.Celsius < k.CurveMinimum(m.Day) {
					below++
				}
				if m.Celsius < k.CurveMinimum(m.Day)-3 {
					unsafe++
				}
			}
		}
		promised := float64(nights) / float64(n)
		t.Logf("n = %d: of %d nights %d were colder than their date's curve, promised %.0f; %d colder than the lowered curve, %d by more than 3 K", n, nights, colder, promised, below, unsafe)
		// Three years hold 45 nights for a date, much like one another: up to twice as
		// many as promised, and half as many, is what chance makes of it.
		if float64(colder) > 2*promised || float64(colder) < promised/3 {
			t.Errorf("n = %d: %d nights were colder than the curve of their date, promised %.0f", n, colder, promised)
		}
		// Three years hold two whole winters, which show little of how winters differ: the
		// plans' margin is there for that.
		if below >= colder || n == DefaultReturnPeriod && unsafe > 0 {
			t.Errorf("n = %d: %d nights in four years fell below the lowered curve, %d by more than the plans' margin", n, below, unsafe)
		}
	}
}

// The coldest month shows the hemisphere, and the season of a kind's use.
func TestSouthern(t *testing.T) {
	south := MonthlyCurve{6, 5, 1, -4, -11, -19, -24, -23, -16, -7, -2, 3}.Climate()
	if depot.Southern() || !south.Southern() || MonthlyCurve.Climate(MonthlyCurve{}).Southern() {
		t.Error("the half of the earth is wrong")
	}
	if s := south.Seasons(measure.NewDate(2027, 1, 1), measure.NewDate(2027, 12, 31)); len(s) != 1 || s[0].From.Month() != time.April && s[0].From.Month() != time.May {
		t.Errorf("cold seasons in the south: %v", s)
	}
}

// A forecast makes a night colder than the curve, and warmer by no more than its own
// error: 1.5 K tonight, 3.5 K in the fifth night, 4 K at the most.
func TestForecast(t *testing.T) {
	frost := []measure.Celsius{-2, -2, -30, measure.Celsius(math.NaN()), -2, -2, -2, -2, -2, -2, -40}
	k := depot.WithForecast(today, frost)
	night := func(n int) measure.Celsius { return depot.PlannedMinimum(today.AddDays(n)) }
	for n, want := range []measure.Celsius{night(0) + 1.5, night(1) + 2, -30, night(3), night(4) + 3.5, night(5) + 4, night(6) + 4} {
		if got := k.PlannedMinimum(today.AddDays(n)); got != want {
			t.Errorf("night %d: %v, want %v", n, got, want)
		}
	}
	for _, n := range []int{-1, 10, 365} {
		if day := today.AddDays(n); k.PlannedMinimum(day) != depot.PlannedMinimum(day) {
			t.Errorf("night %d is forecast", n)
		}
	}
	// Law: no forecast makes a night warmer than planned by more than its error.
	rng := rand.New(rand.NewPCG(4, 4))
	for range 2000 {
		minima := make([]measure.Celsius, rng.IntN(12))
		for i := range minima {
			minima[i] = measure.Celsius(60*rng.Float64() - 40)
		}
		day := today.AddDays(rng.IntN(400))
		k := depot.WithForecast(day, minima)
		for n := range 12 {
			got, planned := k.PlannedMinimum(day.AddDays(n)), depot.PlannedMinimum(day.AddDays(n))
			if got > planned+4 || n < len(minima) && n < AheadNights && got > minima[n] {
				t.Fatalf("forecast %v, curve %v, planned for %v", minima, planned, got)
			}
		}
	}
	// A snap that the curve does not know.
	if night, ok := k.FirstBelow(-28, today, 730); !ok || night.Sub(today) != 2 {
		t.Errorf("the snap comes on %v, %v", night, ok)
	}
	if _, ok := k.FirstBelow(-35, today, 730); ok {
		t.Error("the eleventh night was forecast")
	}
	if night, ok := depot.FirstBelow(-12, today.AddDays(4), 730); !ok || night.Sub(today) != 4 {
		t.Errorf("by the curve the night is %v, %v", night, ok)
	}
}

// The curve walks past 29 February in a year that has none, and meets the year
// after at the same date.
func TestCurveOverTheYears(t *testing.T) {
	for _, year := range []int{2027, 2028} {
		day := measure.NewDate(year, 2, 27)
		depot.walk(day, 800, func(n int, got measure.Celsius) bool {
			if want := depot.CurveMinimum(day.AddDate(0, 0, n)); got != want {
				t.Fatalf("%d nights from %v: %v, want %v", n, day, got, want)
			}
			return false
		})
	}
	polar := MonthlyCurve{-40, -40, -38, -30, -20, -10, -8, -9, -15, -25, -32, -38}.Climate()
	if s := polar.Seasons(today, today.AddDate(0, 6, 0)); len(s) == 0 || !s[0].From.Equal(today) || !s[len(s)-1].To.Equal(today.AddDate(0, 6, 0)) {
		t.Errorf("where it is always cold the seasons are %v", s)
	}
	restored, ok := Restore(Climate{ReturnPeriod: 20, Years: 7, NightsBelow: 1.5, Shift: 2}, depot.Curve())
	if !ok || restored.Coldest() != depot.Coldest()-2 || restored.ReturnPeriod != 20 || restored.Years != 7 || restored.Shift != 2 {
		t.Errorf("restored: coldest %v, %d winters, %d years, shift %v", restored.Coldest(), restored.ReturnPeriod, restored.Years, restored.Shift)
	}
	if _, ok := Restore(Climate{ReturnPeriod: 20, Years: 7}, depot.Curve()[1:]); ok {
		t.Error("a year without its first day was restored")
	}
}

// Each night of a unit that goes to another place as well is the colder of the two, by the curve and
// by the forecasts, and lower by its offset; alone it is that of its site.
func TestWintering(t *testing.T) {
	a := MonthlyCurve{-8, -7, -3, 1, 4, 8, 11, 11, 8, 4, -1, -5}.Climate()
	b := MonthlyCurve{-25, -24, -12, 3, 6, 9, 14, 13, 9, 2, -6, -18}.Climate()
	today := measure.NewDate(2026, 11, 27)
	for _, forecast := range []bool{false, true} {
		if forecast {
			b = b.WithForecast(today, []measure.Celsius{-30, 2, -4})
			a = a.WithForecast(today.AddDays(-1), []measure.Celsius{0, -1, -12, -9})
		}
		both := a.Wintering(b, -2)
		for n := range 400 {
			day := today.AddDays(n)
			want := min(a.PlannedMinimum(day), b.PlannedMinimum(day)) - 2
			if got := both.PlannedMinimum(day); got > want+1e-9 {
				t.Fatalf("%s: planned for %v, and the two places for %v and %v", day, got, a.PlannedMinimum(day), b.PlannedMinimum(day))
			}
			if curve := min(a.CurveMinimum(day), b.CurveMinimum(day)) - 2; both.CurveMinimum(day) != curve {
				t.Fatalf("%s: the curve is %v, want %v", day, both.CurveMinimum(day), curve)
			}
		}
		if c := both.Coldest(); c != -27 {
			t.Errorf("coldest %v", c)
		}
		// The first frost is that of the colder place.
		first, ok := both.FirstBelow(0, measure.NewDate(2026, 8, 1), 365)
		alone, ok2 := b.FirstBelow(2, measure.NewDate(2026, 8, 1), 365)
		if !ok || !ok2 || first.After(alone) {
			t.Errorf("first frost %v, of the colder place %v", first, alone)
		}
	}
	same := a.Wintering(nil, 0)
	for n := range 30 {
		if day := today.AddDays(n); same.PlannedMinimum(day) != a.PlannedMinimum(day) {
			t.Errorf("%s: %v, want %v", day, same.PlannedMinimum(day), a.PlannedMinimum(day))
		}
	}
}
