package backtest

import (
	"strings"
	"testing"
	"time"

	"diligentledger/core/forecast"
	"diligentledger/core/ledger"
	"diligentledger/internal/demo"
)

// The windows hold what they promise, and the model beats both rules of thumb
// where life is not steady. The bounds leave room for chance; the figures of a
// long run stand in docs/forecast.md.
func TestSyntheticFleets(t *testing.T) {
	for i, c := range []struct {
		rule               Rule
		least, most        float64 // of the coverage
		lastTwo, wholeLife float64 // least ratio of the median errors
	}{
		{Rules[0], 0.75, 0.93, 1.6, 0.85}, // nothing beats the whole life of a steady unit
		{Rules[1], 0.70, 0.92, 4.0, 2.0},
		{Rules[2], 0.65, 0.88, 1.2, 1.3},
		{Rules[3], 0.72, 0.92, 1.6, 0.90},
		{Rules[4], 0.75, 0.94, 1.6, 0.85},
		{Rules[5], 0.50, 0.80, 1.8, 1.3},
	} {
		r := Histories(c.rule.Name, c.rule.Make(uint64(100+i), 30, 1500))
		if got := r.Ours.Coverage(); got < c.least || got > c.most || r.Ours.Forecasts < 1000 {
			t.Errorf("%s: %.0f %% of %d in the window, want %.0f to %.0f", r.Fleet, 100*got, r.Ours.Forecasts, 100*c.least, 100*c.most)
		}
		ours := r.Ours.Median()
		if a, b := r.LastTwo.Median()/ours, r.WholeLife.Median()/ours; a < c.lastTwo || b < c.wholeLife {
			t.Errorf("%s: %.1f d off; the last two readings %.2f times that, the whole life %.2f", r.Fleet, ours, a, b)
		}
	}
}

func demoFleet() (accounts []ledger.Account, profiles []forecast.Profile) {
	f := demo.Fleet(time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC))
	plans := map[string]forecast.Plan{}
	for _, p := range f.Plans {
		plans[p.Name] = p
	}
	for _, u := range f.Units {
		accounts = append(accounts, ledger.Fold(u.Ledger(plans[u.Plan]), u.Entries))
		profiles = append(profiles, forecast.ProfileOf(u.Kind))
	}
	return accounts, profiles
}

func TestDemoFleet(t *testing.T) {
	accounts, profiles := demoFleet()
	r := Accounts("demo", accounts, profiles)
	ours := r.Ours.Median()
	if c := r.Ours.Coverage(); c < 0.70 || c > 0.95 || r.Ours.Forecasts < 500 {
		t.Errorf("%.0f %% of %d forecasts in the window", 100*c, r.Ours.Forecasts)
	}
	if a, b := r.LastTwo.Median()/ours, r.WholeLife.Median()/ours; a < 1.05 || b < 1.15 {
		t.Errorf("%.1f d off; the last two readings %.2f times that, the whole life %.2f", ours, a, b)
	}
	if s := Freeze(accounts); s.Tests < 100 || s.Coverage() < 0.75 || s.Coverage() > 0.99 || s.Median() > 1.5 {
		t.Errorf("%d tests, %.0f %% within the band, %.2f K off", s.Tests, 100*s.Coverage(), s.Median())
	}
}

func TestPrint(t *testing.T) {
	var out strings.Builder
	Print(&out, []Result{Histories("steady", Rules[0].Make(1, 2, 900))})
	if lines := strings.Split(strings.TrimSpace(out.String()), "\n"); len(lines) != 2 || !strings.HasPrefix(lines[1], "steady ") || strings.Contains(out.String(), "NaN") {
		t.Errorf("printed %s", out.String())
	}
}
