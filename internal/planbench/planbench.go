// Package planbench holds the plans of core/schedule against an exact solver: coinor-cbc of Debian's packages, a
// program of its own that gets the problem as a mixed-integer programme and knows nothing of ours.
package planbench

import (
	"context"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"diligentledger/core/schedule"
)

// Exact is what the solver found.
type Exact struct {
	Cost    float64 // of its best plan; meaningless without Found
	Bound   float64 // no plan costs less
	Found   bool
	Optimal bool
	Took    time.Duration
	Plan    schedule.Plan
}

// Solve a problem with cbc, within a number of seconds.
func Solve(ctx context.Context, p *schedule.Problem, seconds int) (Exact, error) {
	dir, err := os.MkdirTemp("", "planbench")
	if err != nil {
		return Exact{}, err
	}
	defer os.RemoveAll(dir)
	file, solution := filepath.Join(dir, "plan.lp"), filepath.Join(dir, "solution")
	out, err := os.Create(file)
	if err != nil {
		return Exact{}, err
	}
	if err := schedule.WriteMIP(out, p); err != nil {
		return Exact{}, err
	}
	if err := out.Close(); err != nil {
		return Exact{}, err
	}
	began := time.Now()
	cmd := exec.CommandContext(ctx, "cbc", file, "-sec", strconv.Itoa(seconds), "-ratio", "0", "-allow", "1e-6", "-solve", "-solu", solution)
	log, err := cmd.CombinedOutput()
	if err != nil {
		return Exact{}, fmt.Errorf("cbc: %w\n%s", err, tail(string(log)))
	}
	e, err := read(string(log))
	e.Took = time.Since(began)
	if err == nil && e.Found {
		e.Plan, err = readPlan(solution, len(p.Jobs))
	}
	return e, err
}

// readPlan out of the solver's file: a line for each variable that is not 0.
func readPlan(file string, jobs int) (schedule.Plan, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	plan := make(schedule.Plan, jobs)
	at := func(j int) *schedule.Place {
		if plan[j] == nil {
			plan[j] = &schedule.Place{}
		}
		return plan[j]
	}
	for line := range strings.Lines(string(text)) {
		words := strings.Fields(line)
		if len(words) < 3 {
			continue
		}
		if v, err := strconv.ParseFloat(words[2], 64); err != nil || v < 0.5 {
			continue
		}
		var j, day, bay, person, site int
		if n, _ := fmt.Sscanf(words[1], "y_%d_%d_%d", &j, &day, &bay); n == 3 {
			at(j).Day, at(j).Bay = day, bay
		}
		if n, _ := fmt.Sscanf(words[1], "z_%d_%d_%d_%d", &j, &day, &person, &site); n == 4 {
			at(j).Person = person
		}
	}
	return plan, nil
}

func tail(text string) string { return text[max(0, len(text)-800):] }

// read what the solver printed at its end.
func read(log string) (e Exact, err error) {
	if strings.Contains(log, "infeasible") && !strings.Contains(log, "Objective value:") {
		return e, fmt.Errorf("cbc calls the problem infeasible:\n%s", tail(log))
	}
	e.Optimal = strings.Contains(log, "Result - Optimal solution found")
	for line := range strings.Lines(log) {
		name, value, ok := strings.Cut(line, ":")
		if !ok {
			continue
		}
		v, bad := strconv.ParseFloat(strings.TrimSpace(value), 64)
		switch strings.TrimSpace(name) {
		case "Objective value":
			if bad != nil {
				return e, fmt.Errorf("cbc printed an objective of %s", value)
			}
			e.Cost, e.Found = v, true
		case "Lower bound":
			if bad == nil {
				e.Bound = v
			}
		}
	}
	if e.Optimal {
		e.Bound = e.Cost
	}
	if !e.Optimal && !e.Found && e.Bound == 0 {
		return e, fmt.Errorf("cbc printed no result:\n%s", tail(log))
	}
	return e, nil
}

// Left is what the jobs that have no place cost, of a cost: the whole thousands of [schedule.Rates.Unplaced].
func Left(p *schedule.Problem, cost float64) float64 {
	return p.Rates.Unplaced * math.Floor(cost/p.Rates.Unplaced)
}
