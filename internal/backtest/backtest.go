// Package backtest asks how right the forecasts would have been: it replays
// histories as of each past month, forecasts from what was known then, and holds
// that against what came.
package backtest

import (
	"fmt"
	"io"
	"math"
	"slices"
	"time"

	"diligentledger/core/ledger"
	"diligentledger/core/usage"
)

// Score of one forecaster on one fleet.
type Score struct {
	Forecasts int
	Covered   int       // inside the window
	Errors    []float64 // absolute, days

	lives []tally
}

// tally of the forecasts of one unit.
type tally struct{ asked, covered float64 }

// life begins the next unit.
func (s *Score) life() { s.lives = append(s.lives, tally{}) }

// count a forecast.
func (s *Score) count(covered bool) {
	t := &s.lives[len(s.lives)-1]
	s.Forecasts++
	t.asked++
	if covered {
		s.Covered++
		t.covered++
	}
}

// SamplingError of the coverage, one standard deviation. The sample is of units and
// not of forecasts, since those of one unit are right or wrong together (a
// proportion from clusters of unequal size: Cochran, Sampling Techniques, 1977,
// 3.12; from memory). NaN for fewer than two units.
func (s Score) SamplingError() float64 {
	n, sum := 0.0, 0.0
	for _, t := range s.lives {
		if t.asked > 0 {
			off := t.covered - s.Coverage()*t.asked
			n, sum = n+1, sum+off*off
		}
	}
	if n < 2 {
		return math.NaN()
	}
	return math.Sqrt(sum/(n*(n-1))) * n / float64(s.Forecasts)
}

// Coverage is the share inside the window, 0 to 1.
func (s Score) Coverage() float64 { return float64(s.Covered) / math.Max(1, float64(s.Forecasts)) }

// Median of the absolute errors, days.
func (s Score) Median() float64 {
	if len(s.Errors) == 0 {
		return math.NaN()
	}
	slices.Sort(s.Errors)
	return s.Errors[len(s.Errors)/2]
}

// add a forecast of a day that turned out to be truth.
func (s *Score) add(w usage.Span, truth time.Time) {
	s.count(!truth.Before(w.P10.Add(-12*time.Hour)) && !truth.After(w.P90.Add(12*time.Hour)))
	s.Errors = append(s.Errors, math.Abs(truth.Sub(w.P50).Hours()/24))
}

// Result on one fleet: ours, and the two rules of thumb.
type Result struct {
	Fleet                    string
	Ours, LastTwo, WholeLife Score
}

// life begins the next unit.
func (r *Result) life() {
	for _, s := range []*Score{&r.Ours, &r.LastTwo, &r.WholeLife} {
		s.life()
	}
}

// horizons in days at which the day a meter comes to a value is asked for.
var horizons = []int{60, 150, 300}

// Histories asks each history, as of each month of its second year and later, for
// the day on which the meter would come to what it truly came to later.
func Histories(fleet string, all []History) Result {
	r := Result{Fleet: fleet}
	for _, h := range all {
		r.life()
		for day := 365; day < len(h.True); day += 30 {
			asOf := h.Start.AddDate(0, 0, day)
			n := 0
			for n < len(h.Readings) && !h.Readings[n].At.After(asOf) {
				n++
			}
			seen := h.Readings[:n]
			model := usage.NewModel(seen, h.Profile, asOf)
			for _, ahead := range horizons {
				if day+ahead >= len(h.True) || h.True[day+ahead] == h.True[day+ahead-7] {
					continue // asleep that week: no interval ends there
				}
				target := h.True[day+ahead]
				truth := h.reached(target)
				if w, ok := model.Reaches(target); ok {
					r.Ours.add(w, truth)
					r.LastTwo.add(thumb(seen, target, len(seen)-2), truth)
					r.WholeLife.add(thumb(seen, target, 0), truth)
				}
			}
		}
	}
	return r
}

// reached is the first day on which the true meter stood at v.
func (h History) reached(v float64) time.Time {
	d, _ := slices.BinarySearch(h.True, v)
	return h.Start.AddDate(0, 0, d+1)
}

// thumb forecasts from the rate between the last reading and an earlier one, as
// people do with a spreadsheet, by what the meter showed; far off when there is
// none.
func thumb(seen []ledger.MeterPoint, target float64, from int) usage.Span {
	far := usage.Span{}
	if len(seen) == 0 {
		return far
	}
	last := seen[len(seen)-1]
	far.P50 = last.At.AddDate(5, 0, 0)
	if from >= 0 && from < len(seen)-1 {
		days := last.At.Sub(seen[from].At).Hours() / 24
		if rate := (last.Raw - seen[from].Raw) / days; rate > 0 {
			ahead := math.Max(-3650, math.Min(3650, (target-last.Value)/rate))
			far.P50 = last.At.Add(time.Duration(ahead * 24 * float64(time.Hour)))
		}
	}
	far.P10, far.P90 = far.P50, far.P50
	return far
}

// fewestSeen readings before a real account is asked.
const fewestSeen = 4

// Accounts asks real accounts the same, as of each month, as far as later readings give the truth:
// the day of a later reading is the day its value was reached.
func Accounts(fleet string, accounts []ledger.Account, profiles []usage.Profile) Result {
	r := Result{Fleet: fleet}
	for i := range accounts {
		r.life()
		// Readings that were believed at the end are the truth; the others are
		// among what was seen.
		points := accounts[i].Readings
		end := usage.NewModel(points, profiles[i], latest(points))
		suspect := map[time.Time]bool{}
		for _, s := range end.Outliers {
			suspect[s.At] = true
		}
		if len(points) == 0 {
			continue
		}
		for asOf := points[0].At.AddDate(0, 1, 0); asOf.Before(latest(points)); asOf = asOf.AddDate(0, 1, 0) {
			n := 0
			for points[n].At.Before(asOf) {
				n++
			}
			if n < fewestSeen {
				continue
			}
			seen := points[:n]
			model := usage.NewModel(seen, profiles[i], asOf)
			for _, truth := range points[n:] {
				ahead := truth.At.Sub(asOf)
				if suspect[truth.At] || ahead < 30*24*time.Hour || ahead > 320*24*time.Hour {
					continue
				}
				if w, ok := model.Reaches(truth.Value); ok {
					r.Ours.add(w, truth.At)
					r.LastTwo.add(thumb(seen, truth.Value, n-2), truth.At)
					r.WholeLife.add(thumb(seen, truth.Value, 0), truth.At)
				}
			}
		}
	}
	return r
}

func latest(points []ledger.MeterPoint) time.Time {
	if len(points) == 0 {
		return time.Time{}
	}
	return points[len(points)-1].At
}

// FreezeScore is how the book's band held the tests that came.
type FreezeScore struct {
	Tests, Covered int
	Errors         []float64 // K, absolute
	Naive          []float64 // the same when the last test is taken to hold for ever
}

// Freeze asks each account before each trusted test what the test would read: the
// book's freeze point, within nine tenths of its band and the instrument's.
func Freeze(accounts []ledger.Account) FreezeScore {
	var s FreezeScore
	for i := range accounts {
		var last *ledger.Reconciliation
		for _, l := range accounts[i].Lines {
			t := l.Test
			if t == nil || !t.Trusted || l.Struck != nil {
				continue
			}
			if t.Book != nil && last != nil {
				s.Tests++
				off := math.Abs(float64(t.Measured - *t.Book))
				// The tolerance is two standard uncertainties; P10 to P90 are 1.28.
				if off <= float64(t.Tolerance)*1.2816/2 {
					s.Covered++
				}
				s.Errors = append(s.Errors, off)
				s.Naive = append(s.Naive, math.Abs(float64(t.Measured-last.Measured)))
			}
			last = t
		}
	}
	slices.Sort(s.Errors)
	slices.Sort(s.Naive)
	return s
}

// Print the results as a table. The last two columns are how many times as far off
// the rules of thumb are.
func Print(out io.Writer, results []Result) {
	fmt.Fprintf(out, "%-16s %9s  %12s  %8s  %8s  %10s  %7s  %7s\n", "fleet", "forecasts", "in window", "error", "last two", "whole life", "ratio", "ratio")
	for _, r := range results {
		ours := r.Ours.Median()
		times := func(theirs float64) string {
			if ours == 0 {
				return "-"
			}
			return fmt.Sprintf("%.2f", theirs/ours)
		}
		fmt.Fprintf(out, "%-16s %9d  %s  %6.1f d  %6.1f d  %8.1f d  %7s  %7s\n", r.Fleet, r.Ours.Forecasts, r.Ours.share(),
			ours, r.LastTwo.Median(), r.WholeLife.Median(), times(r.LastTwo.Median()), times(r.WholeLife.Median()))
	}
}

// share inside the window, with its sampling error, in per cent.
func (s Score) share() string {
	if e := s.SamplingError(); !math.IsNaN(e) {
		return fmt.Sprintf("%4.1f ± %3.1f %%", 100*s.Coverage(), 100*e)
	}
	return fmt.Sprintf("%10.1f %%", 100*s.Coverage())
}

// Coverage is the share of tests within the band, 0 to 1.
func (s FreezeScore) Coverage() float64 { return float64(s.Covered) / math.Max(1, float64(s.Tests)) }

// Median error in K; NaN without tests.
func (s FreezeScore) Median() float64 { return middle(s.Errors) }

// NaiveMedian is the same when the last test is taken to hold for ever.
func (s FreezeScore) NaiveMedian() float64 { return middle(s.Naive) }

func middle(sorted []float64) float64 {
	if len(sorted) == 0 {
		return math.NaN()
	}
	return sorted[len(sorted)/2]
}
