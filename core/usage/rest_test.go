package usage

import (
	"math"
	"testing"
	"time"
)

// A lay-up by entries is no time of the model: the rate is that of the use, the use since the last reading stands
// still in it, and a day ahead is that much later.
func TestRestsAreTakenOut(t *testing.T) {
	at := func(daysAgo int) time.Time { return now.AddDate(0, 0, -daysAgo) }
	rest := Rest{From: at(150), To: at(2)}
	used := func(d time.Time) float64 {
		if d.After(rest.From) && !d.After(rest.To) {
			return 0
		}
		return 13
	}
	all := readingsEvery(700, 30, used)
	var before []Point // the last reading is before the lay-up
	for _, p := range all {
		if p.At.Before(rest.From) {
			before = append(before, p)
		}
	}
	for name, readings := range map[string][]Point{"read throughout": all, "last read before": before} {
		u := NewModel(readings, EvenProfile, now, rest)
		if !u.Known || math.Abs(u.Rate-13) > 1 || u.SingleRest {
			t.Errorf("%s: rate %.2f, want 13; single rest %v", name, u.Rate, u.SingleRest)
		}
		_, likely, _, _ := u.At(now)
		if want := all[len(all)-1].Value; math.Abs(likely-want) > 60 {
			t.Errorf("%s: the meter is taken at %.0f, it is at %.0f", name, likely, want)
		}
		// Ten days of use after the return.
		if day, ok := u.ReachesSide(likely+130, Likely); !ok || math.Abs(day.Sub(now).Hours()/24-10) > 2 {
			t.Errorf("%s: 130 km more on %v, want ten days on", name, day)
		}
	}
	// Without the entries the same readings say otherwise: this is what they are for.
	if _, likely, _, _ := func() (a, b, c float64, ok bool) { m := NewModel(before, EvenProfile, now); return m.At(now) }(); likely < all[len(all)-1].Value+1500 {
		t.Errorf("without its rest the meter is taken at %.0f", likely)
	}
	// A rest that is over before the first reading, one without length, and one that covers all of it.
	for _, odd := range []Rest{{From: at(900), To: at(800)}, {From: at(100), To: at(100)}, {From: at(900), To: now}} {
		u := NewModel(all, EvenProfile, now, odd)
		if low, likely, high, _ := u.At(now.AddDate(0, 1, 0)); math.IsNaN(low+likely+high) || math.IsInf(low+likely+high, 0) {
			t.Errorf("%v: %v %v %v", odd, low, likely, high)
		}
	}
}
