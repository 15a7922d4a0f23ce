package backtest

import (
	"math"
	"strings"
	"testing"
	"time"

	"diligentledger/core/ledger"
	"diligentledger/core/serviceplan"
	"diligentledger/core/usage"
	"diligentledger/internal/demo"
)

// The windows hold what they promise, and the model beats both rules of thumb
// where life is not steady. The bounds leave room for chance; the figures of a
// long run stand in docs/forecast.md.
func TestSyntheticFleets(t *testing.T) {
	bounds := map[string]struct {
		least, most        float64 // of the coverage
		lastTwo, wholeLife float64 // least ratio of the median errors
	}{
		"steady":           {0.75, 0.93, 1.6, 0.90}, // nothing beats the whole life of a steady unit
		"seasonal":         {0.75, 0.95, 6.0, 3.0},
		"regime change":    {0.68, 0.86, 1.2, 1.4},
		"vacations":        {0.75, 0.93, 1.6, 0.92}, // nor of one that is steady but for its vacations
		"mistyped 1 %":     {0.78, 0.94, 1.6, 0.92},
		"all at once":      {0.68, 0.88, 2.5, 1.6},
		"mixed, vacations": {0.75, 0.90, 1.6, 1.2},
		"mixed, mistyped":  {0.75, 0.90, 1.6, 1.2},
		"mixed, new meter": {0.73, 0.90, 1.6, 3.0},
	}
	for i, rule := range Rules {
		c, ok := bounds[rule.Name]
		if !ok {
			t.Fatalf("nothing is expected of %q", rule.Name)
		}
		held(t, Histories(rule.Name, rule.Make(uint64(100+i), 30, 1500)), c.least, c.most, c.lastTwo, c.wholeLife)
	}
}

func held(t *testing.T, r Result, least, most, lastTwo, wholeLife float64) {
	t.Helper()
	if got := r.Ours.Coverage(); got < least || got > most || r.Ours.Forecasts < 600 {
		t.Errorf("%s: %.0f %% of %d in the window, want %.0f to %.0f", r.Fleet, 100*got, r.Ours.Forecasts, 100*least, 100*most)
	}
	ours := r.Ours.Median()
	if a, b := r.LastTwo.Median()/ours, r.WholeLife.Median()/ours; a < lastTwo || b < wholeLife {
		t.Errorf("%s: %.1f d off; the last two readings %.2f times that, the whole life %.2f", r.Fleet, ours, a, b)
	}
}

// The freeze clock gives the first night that catches a charge made up with water
// now and then, sooner and surer than a line through its tests.
func TestFreezeDays(t *testing.T) {
	held(t, FreezeDays("freeze", Charges(300, 60, 1500)), 0.66, 0.90, 1.5, 1.1)
}

// Units that rest for a season: their windows hold, their first days are hardly ever
// late, and none of them is never due.
func TestSeasonFleets(t *testing.T) {
	for i, rule := range SeasonRules {
		s := Seasons(rule.Name, rule.Make(uint64(400+i), 120))
		if c := s.Coverage(); c < 0.68 || c > 0.93 || s.Forecasts < 1000 {
			t.Errorf("%s: %.1f %% of %d inside", s.Fleet, 100*c, s.Forecasts)
		}
		if late, never := float64(s.Missed)/float64(s.Forecasts), float64(s.Never)/float64(s.Forecasts); late > 0.05 || never > 0.01 {
			t.Errorf("%s: the first day of %.1f %% is over 30 days late; %.1f %% are never due", s.Fleet, 100*late, 100*never)
		}
	}
}

func demoFleet() (accounts []ledger.Account, profiles []usage.Profile) {
	f := demo.Fleet(time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC))
	plans := map[string]serviceplan.Plan{}
	for _, p := range f.Plans {
		plans[p.Name] = p
	}
	for _, u := range f.Units {
		accounts = append(accounts, ledger.Fold(f.Ledger(u, plans[u.Plan]), u.Entries))
		profiles = append(profiles, usage.ProfileOf(u.Kind, false))
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
	if a, b := r.LastTwo.Median()/ours, r.WholeLife.Median()/ours; a < 1.15 || b < 1.25 {
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
	out.Reset()
	PrintSeasons(&out, []SeasonScore{Seasons("boats", SeasonRules[0].Make(1, 4)), {Fleet: "none"}})
	if lines := strings.Split(strings.TrimSpace(out.String()), "\n"); len(lines) != 3 || !strings.HasPrefix(lines[1], "boats ") || !strings.HasPrefix(lines[2], "none ") {
		t.Errorf("printed %s", out.String())
	}
}

// Cochran's variance of a proportion from clusters comes down to the usual one when
// each unit was asked once, and does not shrink when the same is asked again.
func TestSamplingError(t *testing.T) {
	now := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	right := usage.Span{P10: now, P50: now, P90: now}
	for _, times := range []int{1, 10} {
		var s Score
		for unit := range 50 {
			s.life()
			for range times {
				truth := now
				if unit%5 == 0 {
					truth = now.AddDate(1, 0, 0)
				}
				s.add(right, truth)
			}
		}
		s.life() // never asked
		if got, want := s.SamplingError(), math.Sqrt(0.8*0.2/49); math.Abs(got-want) > 1e-9 {
			t.Errorf("asked %d times: %v, want %v", times, got, want)
		}
	}
	var s Score
	s.life()
	s.add(right, now)
	if got := s.SamplingError(); !math.IsNaN(got) {
		t.Errorf("of one unit: %v", got)
	}
}
