package planbench

import (
	"context"
	"flag"
	"math"
	"slices"
	"testing"
	"time"

	"diligentledger/core/schedule"
	"diligentledger/core/schedule/scheduletest"
)

var small = flag.Int("small", 6, "instances that are held against the optimum")

// The solver's plan costs what the exact optimum costs, or little more, and never less: then one of the two would compute
// another problem. What is not placed is the same in both, and not in the ratio.
func TestAgainstOptimum(t *testing.T) {
	for name, draw := range map[string]func(uint64, scheduletest.Size) *schedule.Problem{"random": scheduletest.Random, "workshop": scheduletest.Workshop} {
		t.Run(name, func(t *testing.T) {
			var ratios []float64
			for seed := range uint64(*small) {
				p := draw(7000+seed, scheduletest.Size{Jobs: 6 + int(seed*5)%20, Days: 7 + 7*(int(seed)%2)})
				ratios = append(ratios, ratioOf(t, seed, p))
			}
			slices.Sort(ratios)
			median, worst := ratios[len(ratios)/2], ratios[len(ratios)-1]
			t.Logf("median %.4f, worst %.4f", median, worst)
			if median > 1.01 || worst > 1.05 {
				t.Errorf("ratios to the optimum: %v", ratios)
			}
		})
	}
}

func ratioOf(t *testing.T, seed uint64, p *schedule.Problem) float64 {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 3*time.Minute)
	defer cancel()
	exact, err := Solve(ctx, p, 60)
	if err != nil {
		t.Fatalf("seed %d: %v", seed, err)
	}
	began := time.Now()
	plan, err := schedule.Solve(t.Context(), p, 0)
	took := time.Since(began)
	if err != nil {
		t.Fatal(err)
	}
	ours := schedule.Cost(p, plan)
	for _, b := range schedule.Evaluate(p, exact.Plan).Breaks {
		if !p.Jobs[b.Job].Pinned {
			t.Errorf("seed %d: the exact plan breaks %+v", seed, b)
		}
	}
	if theirs := schedule.Cost(p, exact.Plan); exact.Optimal && math.Abs(theirs-exact.Cost) > 1e-4*(1+exact.Cost) {
		t.Errorf("seed %d: the exact plan costs %.4f by our sums, %.4f by theirs", seed, theirs, exact.Cost)
	}
	if exact.Optimal && ours < exact.Cost-1e-4*math.Abs(exact.Cost) {
		t.Errorf("seed %d: our plan costs %.4f, less than the optimum %.4f", seed, ours, exact.Cost)
	}
	left := Left(p, exact.Bound)
	ratio := (ours - left) / (exact.Bound - left)
	t.Logf("seed %d: %2d jobs: ours %.3f, exact %.3f (optimal %v, %.1f s), ratio %.4f, ours in %v", seed, len(p.Jobs), ours, exact.Cost, exact.Optimal, exact.Took.Seconds(), ratio, took)
	return ratio
}
