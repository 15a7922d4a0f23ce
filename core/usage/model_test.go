package usage

import (
	"math"
	"testing"
	"time"

	"diligentledger/core/measure"
)

var now = time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC)

// readingsEvery n days before now, newest last, from the use of a day.
func readingsEvery(days, every int, use func(t time.Time) float64) (all []Point) {
	sum := 10_000.0
	for d := days; d >= 0; d-- {
		at := now.AddDate(0, 0, -d)
		sum += use(at)
		if (days-d)%every == 0 {
			all = append(all, Point{At: at, Value: sum, Raw: sum})
		}
	}
	return all
}

func even(perDay float64) func(time.Time) float64 { return func(time.Time) float64 { return perDay } }

// Quantiles of Student's t as in any printed table (such as NIST/SEMATECH
// e-Handbook of Statistical Methods 1.3.6.7.2, recalled from memory): t(0.90) is
// 3.078 with one degree of freedom, 1.476 with five, 1.310 with thirty; and the
// normal's is 1.2816.
func TestQuantiles(t *testing.T) {
	for df, want := range map[int]float64{1: 3.078, 5: 1.476, 30: 1.310} {
		if got := tQuantile[df]; math.Abs(got-want) > 5e-4 {
			t.Errorf("t(0.90; %d) = %.4f, published %.3f", df, got, want)
		}
	}
	if math.Abs(Z90-1.2816) > 1e-4 {
		t.Errorf("z = %v", Z90)
	}
}

// What the readings say, whatever was mistyped among them.
func TestUseModelIsRobust(t *testing.T) {
	clean := readingsEvery(700, 35, even(50))
	for _, c := range []struct {
		name     string
		spoil    func(r []Point) []Point
		suspects int
	}{
		{"nothing is wrong", func(r []Point) []Point { return r }, 0},
		{"a digit too many in the middle", func(r []Point) []Point { r[9].Value *= 10; return r }, 1},
		{"a digit too many at the end", func(r []Point) []Point { r[len(r)-1].Value *= 10; return r }, 1},
		{"a digit too few", func(r []Point) []Point { r[12].Value /= 10; return r }, 1},
		{"the first of all", func(r []Point) []Point { r[0].Value = 90_000; return r }, 1},
		{"three of twenty", func(r []Point) []Point {
			r[3].Value, r[8].Value, r[15].Value = r[3].Value+9000, 12, r[15].Value*10
			return r
		}, 3},
		{"the old value written again", func(r []Point) []Point {
			r[8].Value, r[9].Value = r[7].Value, r[7].Value
			return r
		}, 2},
		{"a day off", func(r []Point) []Point { r[7].At = r[7].At.AddDate(0, 0, 1); return r }, 0},
	} {
		r := c.spoil(append([]Point{}, clean...))
		for i := range r {
			r[i].Raw = r[i].Value
		}
		MarkOutliers(r, measure.Distance)
		u := NewModel(r, EvenProfile, now)
		if !u.Known || math.Abs(u.Rate-50) > 2 || len(u.Outliers) != c.suspects {
			t.Errorf("%s: %.1f a day, suspects %v; want 50, %d", c.name, u.Rate, u.Outliers, c.suspects)
		}
		if _, now, _, ok := u.At(now); !ok || math.Abs(now-clean[len(clean)-1].Value) > 400 {
			t.Errorf("%s: the meter stands at %.0f, truly at %.0f", c.name, now, clean[len(clean)-1].Value)
		}
	}
}

// A plough sleeps in summer, whatever its kind does: after two winters the model
// knows, and puts nothing due into the summer.
func TestUseModelLearnsTheSeason(t *testing.T) {
	winter := func(at time.Time) float64 {
		if m := at.Month(); m >= time.November || m <= time.March {
			return 8
		}
		return 0
	}
	u := NewModel(readingsEvery(1000, 30, winter), EvenProfile, now)
	if july, january := u.Profile[6], u.Profile[0]; july > 0.25 || january < 1.7 {
		t.Errorf("July %.2f, January %.2f", july, january)
	}
	// Today is 24 November; the winter still brings about 128 days of 8 hours.
	w, ok := u.Reaches(u.Last.Value + 1300)
	if !ok || w.P50.Month() < time.October && w.P50.Month() > time.April {
		t.Errorf("1300 h are reached on %v", w.P50)
	}
	// A motorcycle with one summer's readings takes its kind's season.
	bike := NewModel(readingsEvery(100, 20, even(10)), SummerProfile, time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC))
	if bike.Profile != SummerProfile {
		t.Errorf("a hundred days changed the kind's season to %v", bike.Profile)
	}
}

// A unit that truly stood for two months is not suspected: it went on as usual.
func TestUnitThatStood(t *testing.T) {
	r := readingsEvery(700, 35, even(50))
	first, second := r[8].Value-r[7].Value, r[9].Value-r[7].Value
	r[8].Value -= first
	for i := 9; i < len(r); i++ {
		r[i].Value -= second
	}
	if u := NewModel(r, EvenProfile, now); len(u.Outliers) != 0 {
		t.Errorf("suspects %v", u.Outliers)
	}
}

func TestUseModelNoticesAChange(t *testing.T) {
	turn := now.AddDate(0, 0, -110)
	u := NewModel(readingsEvery(900, 30, func(at time.Time) float64 {
		if at.After(turn) {
			return 90
		}
		return 30
	}), EvenProfile, now)
	if !u.Changed || u.Rate < 70 {
		t.Errorf("30 a day became 90: rate %.1f, changed %v", u.Rate, u.Changed)
	}
	if u := NewModel(readingsEvery(900, 30, even(30)), EvenProfile, now); u.Changed {
		t.Error("a change was noticed where there was none")
	}
}

// Few readings give wide windows, none gives none.
func TestUseModelWithFewReadings(t *testing.T) {
	for _, few := range [][]Point{nil, readingsEvery(0, 1, even(9)), readingsEvery(4, 4, even(9))} {
		if u := NewModel(few, EvenProfile, now); u.Known {
			t.Errorf("%d readings within days gave %v a day", len(few), u.Rate)
		}
	}
	width := func(days int) float64 {
		u := NewModel(readingsEvery(days, 30, even(50)), EvenProfile, now)
		w, ok := u.Reaches(u.Last.Value + 5000)
		if !ok {
			t.Fatalf("%d days of readings tell nothing", days)
		}
		return w.P90.Sub(w.P10).Hours() / 24
	}
	if two, many := width(30), width(900); two < 2*many || many > 60 {
		t.Errorf("100 days ahead: a window of %.0f days from two readings, of %.0f from thirty", two, many)
	}
}

// Laws: the window's ends are in order, and a higher value is never reached
// sooner.
func TestReachesInOrder(t *testing.T) {
	u := NewModel(readingsEvery(800, 40, func(at time.Time) float64 { return 10 * SummerProfile[at.Month()-1] }), SummerProfile, now)
	var last Span
	for v := -500.0; v < 12_000; v += 250 {
		w, ok := u.Reaches(u.Last.Value + v)
		if !ok {
			t.Fatalf("%v more is never reached", v)
		}
		if w.P10.After(w.P50) || w.P50.After(w.P90) || w.P10.Before(last.P10) || w.P50.Before(last.P50) || w.P90.Before(last.P90) {
			t.Errorf("%v more: %v", v, w)
		}
		last = w
	}
	if _, ok := u.Reaches(1e9); ok {
		t.Error("a date beyond all years was given")
	}
	// Around the last year that a window names, its ends stay in order: what lies beyond is that year for all of them.
	for v := 12_000.0; v < 120_000; v += 50 {
		if w, ok := u.Reaches(u.Last.Value + v); ok && (w.P10.After(w.P50) || w.P50.After(w.P90) || w.P90.After(u.Last.At.AddDate(MaxYears, 0, 0))) {
			t.Fatalf("%v more: %v", v, w)
		}
	}
}

// The days of use between two times are those of the months between them, counted
// one by one, whatever years they lie in.
func TestWeight(t *testing.T) {
	u := Model{Profile: SummerProfile}
	from := time.Date(1999, 11, 3, 7, 30, 0, 0, time.UTC)
	for _, to := range []time.Time{from.AddDate(0, 0, 1), from.AddDate(0, 4, 0), from.AddDate(1, 5, 12), from.AddDate(28, 1, 1), time.Date(2100, 3, 1, 0, 0, 0, 0, time.UTC), time.Date(2101, 12, 31, 23, 59, 59, 0, time.UTC)} {
		want := 0.0
		eachMonth(from, to, func(m int, d float64) { want += d * SummerProfile[m] })
		if got := u.weight(from, to); math.Abs(got-want) > 1e-3 {
			t.Errorf("to %v: %g, want %g", to, got, want)
		}
	}
}

// A unit that has hardly begun its season is not due because a little use is
// uncertain: what it may have run since the last reading is days, not years.
func TestSeasonBegins(t *testing.T) {
	winter := func(at time.Time) float64 {
		if m := at.Month(); m >= time.November || m <= time.March {
			return 8
		}
		return 0
	}
	u := NewModel(readingsEvery(1300, 40, winter), EvenProfile, now)
	if w, ok := u.Reaches(u.Last.Value + 4000); ok && w.P10.Sub(now) < 365*24*time.Hour {
		t.Errorf("4,000 h of some 1,200 a year are reached on %v at the soonest", w.P10)
	}
	if low, likely, high, ok := u.At(now); !ok || high-likely > 300 || likely-low > 300 {
		t.Errorf("now the meter stands at %.0f, %.0f to %.0f", likely, low, high)
	}
}

// A boat in the south is used half a year after one in the north.
func TestProfileOfTheSouth(t *testing.T) {
	if p := ProfileOf("boat", true); p[0] != SummerProfile[6] || p[6] != SummerProfile[0] {
		t.Errorf("a boat in the south: %v", p)
	}
}
