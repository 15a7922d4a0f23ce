package planbench

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"runtime"
	"slices"
	"testing"
	"time"

	"diligentledger/core/schedule"
	"diligentledger/core/schedule/scheduletest"
)

var (
	bench = flag.Bool("bench-plan", false, "measure the solver against the exact one; prints tables")
	seed  = flag.Uint64("seed", 1, "first seed of the instances of the bench")
	many  = flag.Int("many", 30, "instances of each kind")
)

// demoFleet is the quarter of the demo fleet, written by internal/fleet.
func demoFleet(t *testing.T) *schedule.Problem {
	t.Helper()
	text, err := os.ReadFile("../../core/schedule/scheduletest/testdata/demo.json")
	if err != nil {
		t.Fatal(err)
	}
	var p schedule.Problem
	if err := json.Unmarshal(text, &p); err != nil {
		t.Fatal(err)
	}
	return &p
}

// someOf the jobs of the demo fleet, by a seed, in the first weeks of its quarter.
func someOf(p *schedule.Problem, seed uint64, jobs int) *schedule.Problem {
	r := rand.New(rand.NewPCG(seed, 0xde30))
	some := *p
	some.Jobs = nil
	for _, i := range r.Perm(len(p.Jobs)) {
		if len(some.Jobs) == jobs {
			break
		}
		j := p.Jobs[i]
		j.Earliest = min(j.Earliest, 14)
		some.Jobs = append(some.Jobs, j)
	}
	return days(&some, 28)
}

// days of a problem: its first ones.
func days(p *schedule.Problem, n int) *schedule.Problem {
	q := *p
	q.Days = min(n, p.Days)
	q.Sites, q.Bays, q.People, q.Jobs = slices.Clone(p.Sites), slices.Clone(p.Bays), slices.Clone(p.People), slices.Clone(p.Jobs)
	for i := range q.Sites {
		q.Sites[i].Open = q.Sites[i].Open[:q.Days]
	}
	for i := range q.Bays {
		if q.Bays[i].Closed != nil {
			q.Bays[i].Closed = q.Bays[i].Closed[:q.Days]
		}
	}
	for i := range q.People {
		q.People[i].Hours = q.People[i].Hours[:q.Days]
	}
	for i := range q.Jobs {
		if q.Jobs[i].Away != nil {
			q.Jobs[i].Away = q.Jobs[i].Away[:q.Days]
		}
	}
	return &q
}

// The demo fleet's own jobs against the optimum.
func TestDemoAgainstOptimum(t *testing.T) {
	fleet := demoFleet(t)
	for n := range uint64(3) {
		if ratio := ratioOf(t, n, someOf(fleet, n, 18)); ratio > 1.05 {
			t.Errorf("seed %d: %.4f", n, ratio)
		}
	}
}

// TestBench prints what docs/planning.md gives, by ./bench plan. It fails where the ratios are missed.
func TestBench(t *testing.T) {
	if !*bench {
		t.Skip("./bench plan runs it")
	}
	runtime.GOMAXPROCS(1)
	fleet := demoFleet(t)
	kinds := []struct {
		name string
		draw func(seed uint64) *schedule.Problem
	}{
		{"demo fleet", func(s uint64) *schedule.Problem { return someOf(fleet, s, 10+int(s%16)) }},
		{"workshop", func(s uint64) *schedule.Problem {
			return scheduletest.Workshop(s, scheduletest.Size{Jobs: 10 + int(s%16), Days: 14})
		}},
		{"random", func(s uint64) *schedule.Problem {
			return scheduletest.Random(s, scheduletest.Size{Jobs: 10 + int(s%16), Days: 7 + 7*int(s%2)})
		}},
	}
	fmt.Printf("\n10 to 25 jobs, %d of each kind from seed %d: cost over the optimum of cbc, without what neither places\n", *many, *seed)
	fmt.Printf("%-12s %8s %8s %8s | %-22s | %-22s | %8s %8s\n", "", "proved", "median", "worst", "earliest due first", "in list order", "ours", "cbc")
	for _, k := range kinds {
		measureSmall(t, k.name, k.draw)
	}
	fmt.Printf("\nlarger ones: cost over the bound that cbc proves in 120 s, and over its own best plan then\n")
	for _, size := range []scheduletest.Size{{Jobs: 40, Days: 14}, {Jobs: 60, Days: 14}} {
		p := scheduletest.Workshop(*seed, size)
		large(t, fmt.Sprintf("workshop, %d jobs", size.Jobs), p)
	}
	large(t, fmt.Sprintf("demo fleet, %d jobs", len(fleet.Jobs)), days(fleet, 42))
	fmt.Printf("\nspeed on one processor\n")
	for _, size := range []scheduletest.Size{{Jobs: 60, Days: 14}, {Jobs: 60, Days: 28}, {Jobs: 500, Days: 91}} {
		p := scheduletest.Workshop(*seed, size)
		began := time.Now()
		plan, err := schedule.Solve(t.Context(), p, 0)
		if err != nil {
			t.Fatal(err)
		}
		took := time.Since(began)
		fmt.Printf("%4d jobs, %2d days, %2d bays, %2d people: %6.0f ms, %d without a place, earliest due first leaves %d\n", size.Jobs, size.Days, len(p.Bays), len(p.People), took.Seconds()*1000, unplaced(plan), unplaced(schedule.FirstFit(p, schedule.Due(p))))
	}
}

func unplaced(plan schedule.Plan) (n int) {
	for _, at := range plan {
		if at == nil {
			n++
		}
	}
	return n
}

type row struct{ ratio, due, list float64 }

func measureSmall(t *testing.T, name string, draw func(uint64) *schedule.Problem) {
	t.Helper()
	var rows []row
	var ours, theirs time.Duration
	proved, dueLeft, listLeft := 0, 0, 0
	for n := range uint64(*many) {
		p := draw(*seed + n)
		ctx, cancel := context.WithTimeout(t.Context(), 3*time.Minute)
		exact, err := Solve(ctx, p, 60)
		cancel()
		if err != nil {
			t.Fatal(err)
		}
		theirs += exact.Took
		if !exact.Optimal {
			continue
		}
		proved++
		began := time.Now()
		plan, err := schedule.Solve(t.Context(), p, 0)
		if err != nil {
			t.Fatal(err)
		}
		ours += time.Since(began)
		rest := func(cost float64) float64 { return cost - Left(p, cost) }
		best := rest(exact.Cost)
		cost := func(order []int) float64 { return schedule.Cost(p, schedule.FirstFit(p, order)) }
		due, list := cost(schedule.Due(p)), cost(inOrder(len(p.Jobs)))
		dueLeft += int((Left(p, due) - Left(p, exact.Cost)) / p.Rates.Unplaced)
		listLeft += int((Left(p, list) - Left(p, exact.Cost)) / p.Rates.Unplaced)
		rows = append(rows, row{(schedule.Cost(p, plan) - Left(p, exact.Cost)) / best, rest(due) / best, rest(list) / best})
	}
	column := func(of func(row) float64) (median, worst float64) {
		all := make([]float64, len(rows))
		for i, r := range rows {
			all[i] = of(r)
		}
		slices.Sort(all)
		return all[len(all)/2], all[len(all)-1]
	}
	median, worst := column(func(r row) float64 { return r.ratio })
	due, _ := column(func(r row) float64 { return r.due })
	list, _ := column(func(r row) float64 { return r.list })
	fmt.Printf("%-12s %4d/%-3d %8.4f %8.4f | %6.2f, %3d more left | %6.2f, %3d more left | %5d ms %5d ms\n", name, proved, *many, median, worst, due, dueLeft, list, listLeft,
		ours.Milliseconds()/int64(max(1, proved)), theirs.Milliseconds()/int64(*many))
	if median > 1.01 || worst > 1.05 {
		t.Errorf("%s: median %.4f, worst %.4f", name, median, worst)
	}
}

func inOrder(n int) []int {
	at := make([]int, n)
	for i := range at {
		at[i] = i
	}
	return at
}

func large(t *testing.T, name string, p *schedule.Problem) {
	t.Helper()
	began := time.Now()
	plan, err := schedule.Solve(t.Context(), p, 0)
	if err != nil {
		t.Fatal(err)
	}
	took := time.Since(began)
	ctx, cancel := context.WithTimeout(t.Context(), 5*time.Minute)
	defer cancel()
	exact, err := Solve(ctx, p, 120)
	if err != nil {
		t.Fatal(err)
	}
	left := Left(p, exact.Bound)
	ours, bound, best := schedule.Cost(p, plan)-left, exact.Bound-left, exact.Cost-left
	due := schedule.Cost(p, schedule.FirstFit(p, schedule.Due(p)))
	fmt.Printf("%-20s %2.0f left by both; ours %7.2f in %4d ms; bound %7.2f (%.4f); cbc's plan %7.2f after %3.0f s (%.4f); earliest due first %7.2f, %.0f more left\n", name, left/p.Rates.Unplaced, ours, took.Milliseconds(), bound, ours/bound, best, exact.Took.Seconds(), ours/best,
		due-Left(p, due), (Left(p, due)-left)/p.Rates.Unplaced)
}
