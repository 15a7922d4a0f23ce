package schedule_test

import (
	"math"
	"slices"
	"strings"
	"testing"
	"time"

	"diligentledger/core/measure"
	"diligentledger/core/schedule"
)

// days in a row that are open for a number of hours, Saturday and Sunday not; the first day is a Monday.
func weekdays(n int, hours float64) []float64 {
	days := make([]float64, n)
	for d := range days {
		if d%7 < 5 {
			days[d] = hours
		}
	}
	return days
}

// shop is one site with a car bay and a person, four weeks long.
func shop() *schedule.Problem {
	const days = 28
	return &schedule.Problem{First: measure.NewDate(2026, time.November, 30), Days: days, Rates: schedule.UsualRates(), Travel: [][]float64{{0}},
		Sites:  []schedule.Site{{ID: "depot", Open: weekdays(days, 9)}},
		Bays:   []schedule.Bay{{ID: "car 1", Kind: "car"}},
		People: []schedule.Person{{ID: "T. Quayle", Skills: []string{"car"}, Hours: weekdays(days, 7.5), Overtime: 1}}}
}

func car(id string, due float64) schedule.Job {
	return schedule.Job{ID: id, Bay: "car", Skills: []string{"car"}, Cool: 4, Hands: 3, Run: 0.5, FollowUps: []int{1},
		Clocks: []schedule.Clock{{Kind: "age", P10: due, P50: due, P90: due, Renews: true}}}
}

func solved(t *testing.T, p *schedule.Problem) schedule.Plan {
	t.Helper()
	plan, err := solve(t, p, 0)
	if err != nil {
		t.Fatal(err)
	}
	return plan
}

// A window of 10 to 30 days with its middle at 20 is uniform from 7.5 to 32.5 by the rule of the package comment, so that the
// expectations are those of a uniform distribution: E[(T − 0)+] = 20, E[(d − T)+] = (d − 7.5)² / 50 within it.
func TestExpectedOverrunAndLife(t *testing.T) {
	p := shop()
	p.Rates = schedule.Rates{}
	p.Sites[0].Open, p.People[0].Hours = allDays(28), allDays(28)
	job := car("CA-01", 0)
	job.Clocks = []schedule.Clock{{P10: 10, P50: 20, P90: 30, Renews: true}}
	p.Jobs = []schedule.Job{job}
	for _, of := range []struct {
		day           int
		overrun, life float64
	}{{0, 0, 20}, {5, 0, 15}, {10, 0.125, 10.125}, {20, 3.125, 3.125}, {27, 7.605, 0.605}} {
		price := schedule.Evaluate(p, schedule.Plan{{Day: of.day}}).Price
		if math.Abs(price.Overrun-of.overrun) > 0.02 || math.Abs(price.Life-of.life) > 0.02 {
			t.Errorf("day %d: overrun %.3f and life %.3f, want %.3f and %.3f", of.day, price.Overrun, price.Life, of.overrun, of.life)
		}
	}
}

func allDays(n int) []float64 { return slices.Repeat([]float64{24}, n) }

// Two independent clocks: the first of two uniform ones on 0 to 100 days is expected at 33.3 (an exercise of any textbook of
// probability: 1/(n+1) of the span).
func TestFirstOfTwoClocks(t *testing.T) {
	p := shop()
	p.Rates, p.Days = schedule.Rates{}, 1
	p.Sites[0].Open, p.People[0].Hours = allDays(1), allDays(1)
	job := car("CA-01", 0)
	even := schedule.Clock{P10: 10, P50: 50, P90: 90, Renews: true}
	job.Clocks = []schedule.Clock{even, even}
	p.Jobs = []schedule.Job{job}
	if life := schedule.Evaluate(p, schedule.Plan{{}}).Price.Life; math.Abs(life-100.0/3) > 0.05 {
		t.Errorf("life of the first of two: %.3f, want 33.333", life)
	}
}

func TestPlanOfASmallShop(t *testing.T) {
	hard := 2
	for _, of := range []struct {
		name  string
		given func(p *schedule.Problem)
		want  func(t *testing.T, p *schedule.Problem, plan schedule.Plan)
	}{
		{"late in the window, not early: life is kept", func(p *schedule.Problem) { p.Jobs = []schedule.Job{car("CA-01", 16)} },
			func(t *testing.T, p *schedule.Problem, plan schedule.Plan) { on(t, plan, 0, 16) }},
		{"not on a Friday, when the check of the next day would fall on a closed one", func(p *schedule.Problem) { p.Jobs = []schedule.Job{car("CA-01", 11)} },
			func(t *testing.T, p *schedule.Problem, plan schedule.Plan) { on(t, plan, 0, 10) }},
		{"before its hard night, however long its life", func(p *schedule.Problem) {
			j := car("CA-01", 300)
			j.Hard = &hard
			p.Jobs = []schedule.Job{j}
		}, func(t *testing.T, p *schedule.Problem, plan schedule.Plan) {
			if plan[0] == nil || plan[0].Day > hard {
				t.Errorf("placed at %v", plan[0])
			}
		}},
		{"a held unit at once", func(p *schedule.Problem) {
			j := car("CA-01", 20)
			j.Held, j.Cool = true, 1
			p.Jobs = []schedule.Job{j}
		}, func(t *testing.T, p *schedule.Problem, plan schedule.Plan) { on(t, plan, 0, 0) }},
		{"two of one product on one day: one set-up of the mixing station", func(p *schedule.Problem) {
			for i, due := range []float64{15, 17} {
				j := car([]string{"CA-01", "CA-02"}[i], due)
				j.Product, j.Litres, j.Mixed, j.Cool = "NORD", 6, true, 0.5
				p.Jobs = append(p.Jobs, j)
			}
		}, func(t *testing.T, p *schedule.Problem, plan schedule.Plan) {
			if plan[0] == nil || plan[1] == nil || plan[0].Day != plan[1].Day {
				t.Errorf("placed at %v and %v", plan[0], plan[1])
			}
		}},
		{"two jobs of one unit on one day", func(p *schedule.Problem) {
			for i, due := range []float64{15, 17} {
				j := car([]string{"CA-01 renewal", "CA-01 hoses"}[i], due)
				j.Unit, j.Cool = "CA-01", 0.5
				p.Jobs = append(p.Jobs, j)
			}
		}, func(t *testing.T, p *schedule.Problem, plan schedule.Plan) {
			if plan[0] == nil || plan[1] == nil || plan[0].Day != plan[1].Day {
				t.Errorf("placed at %v and %v", plan[0], plan[1])
			}
		}},
		{"not while it is away", func(p *schedule.Problem) {
			j := car("MC-01", 10)
			j.Away = make([]bool, p.Days)
			for d := 3; d < 20; d++ {
				j.Away[d] = true
			}
			p.Jobs = []schedule.Job{j}
		}, func(t *testing.T, p *schedule.Problem, plan schedule.Plan) { on(t, plan, 0, 2) }},
		{"not before the product is there", func(p *schedule.Problem) {
			j := car("CA-01", 1)
			j.Product, j.Litres, j.Cool = "NORD", 6, 1
			p.Jobs = []schedule.Job{j}
			supply := make([]float64, p.Days)
			for d := 8; d < p.Days; d++ {
				supply[d] = 6
			}
			p.Stock = []schedule.Stock{{Product: "NORD", Supply: supply}}
		}, func(t *testing.T, p *schedule.Problem, plan schedule.Plan) { on(t, plan, 0, 8) }},
	} {
		t.Run(of.name, func(t *testing.T) {
			p := shop()
			of.given(p)
			of.want(t, p, solved(t, p))
		})
	}
}

func on(t *testing.T, plan schedule.Plan, job, day int) {
	t.Helper()
	if plan[job] == nil || plan[job].Day != day {
		t.Errorf("placed at %v, want day %d", plan[job], day)
	}
}

// What cannot be placed comes back with the smallest thing that would have to give.
func TestNeeded(t *testing.T) {
	hard := 1
	held := func(id string) schedule.Job {
		j := car(id, 30)
		j.Hard, j.Hands, j.Cool = &hard, 7, 1
		return j
	}
	for _, of := range []struct {
		name  string
		given func(p *schedule.Problem)
		want  schedule.Rule
	}{
		{"hours of a person before the night", func(p *schedule.Problem) { p.Bays = append(p.Bays, schedule.Bay{ID: "car 2", Kind: "car"}) }, schedule.PersonFull},
		{"hours of a bay", func(p *schedule.Problem) { q := p.People[0]; q.ID = "I. Sund"; p.People = append(p.People, q) }, schedule.BayFull},
		{"a person who is there", func(p *schedule.Problem) { p.Jobs = p.Jobs[:1]; p.People[0].Hours = make([]float64, p.Days) }, schedule.NotThere},
		{"a skill", func(p *schedule.Problem) { p.Jobs[0].Skills = []string{"dock"} }, schedule.NoPerson},
		{"a bay of the kind", func(p *schedule.Problem) { p.Jobs[0].Bay = "dock" }, schedule.NoBay},
		{"a day on which the unit is there", func(p *schedule.Problem) { p.Jobs = p.Jobs[:1]; p.Jobs[0].Away = slices.Repeat([]bool{true}, p.Days) }, schedule.UnitAway},
		{"a longer day", func(p *schedule.Problem) { p.Jobs = p.Jobs[:1]; p.Jobs[0].Run = 12 }, schedule.TooLong},
	} {
		t.Run(of.name, func(t *testing.T) {
			p := shop()
			p.Jobs = []schedule.Job{held("CA-01"), held("CA-02"), held("CA-03")}
			of.given(p)
			plan := solved(t, p)
			i := slices.IndexFunc(plan, func(at *schedule.Place) bool { return at == nil })
			if i < 0 {
				t.Fatal("all are placed")
			}
			need, ok := schedule.Needed(p, plan, i)
			if !ok || !slices.ContainsFunc(need.Breaks, func(b schedule.Break) bool { return b.Rule == of.want }) {
				t.Errorf("needed: %+v, want %s", need, of.want)
			}
		})
	}
}

// A week later costs overrun, and beyond the hard night it says so.
func TestExplain(t *testing.T) {
	hard := 9
	p := shop()
	j := car("CA-01", 8)
	j.Hard = &hard
	p.Jobs = []schedule.Job{j}
	plan := solved(t, p)
	e, ok := schedule.Explain(p, plan, 0)
	if !ok || e.Later == nil || len(e.Breaks) != 0 {
		t.Fatalf("explained as %+v", e)
	}
	if e.Later.Day != plan[0].Day+7 || e.Later.Price.Overrun <= e.Here.Overrun || !slices.ContainsFunc(e.Later.Breaks, func(b schedule.Break) bool { return b.Rule == schedule.HardNight }) {
		t.Errorf("a week later: %+v, here %+v", e.Later, e.Here)
	}
	if e.Least != nil && e.Least.Price.Cost < e.Here.Cost {
		t.Errorf("%v would be cheaper than %v", e.Least, e.Here)
	}
}

// A job more moves little: what was placed stays unless half an hour is gained by its move.
func TestASmallChangeMovesLittle(t *testing.T) {
	p := shop()
	for i := range 12 {
		j := car("CA-"+string(rune('A'+i)), float64(4+2*i))
		j.Cool = 1
		p.Jobs = append(p.Jobs, j)
	}
	before := solved(t, p)
	for i, at := range before {
		p.Jobs[i].Before = at
	}
	again := solved(t, p)
	for i := range again {
		if *again[i] != *before[i] {
			t.Errorf("job %d moved from %v to %v without a cause", i, *before[i], *again[i])
		}
	}
	late := car("CA-Z", 6)
	late.Cool = 1
	p.Jobs = append(p.Jobs, late)
	after := solved(t, p)
	moved := 0
	for i := range before {
		if *after[i] != *before[i] {
			moved++
		}
	}
	if moved > 3 || after[12] == nil {
		t.Errorf("%d of 12 moved for one job more, placed at %v", moved, after[12])
	}
}

func TestInvalidProblemsAreRefused(t *testing.T) {
	for name, spoil := range map[string]func(p *schedule.Problem){
		"days":      func(p *schedule.Problem) { p.Days = 0 },
		"hours":     func(p *schedule.Problem) { p.Jobs[0].Hands = math.NaN() },
		"a window":  func(p *schedule.Problem) { p.Jobs[0].Clocks[0].P10 = 99 },
		"a site":    func(p *schedule.Problem) { p.Jobs[0].Site = 4 },
		"a pin":     func(p *schedule.Problem) { p.Jobs[0].Pinned = true },
		"a place":   func(p *schedule.Problem) { p.Jobs[0].Before = &schedule.Place{Bay: 7} },
		"open days": func(p *schedule.Problem) { p.Sites[0].Open = nil },
		"ways":      func(p *schedule.Problem) { p.Travel = nil },
		"twice":     func(p *schedule.Problem) { p.Jobs = append(p.Jobs, p.Jobs[0]) },
		"a rate":    func(p *schedule.Problem) { p.Rates.Life = math.Inf(1) },
	} {
		p := shop()
		p.Jobs = []schedule.Job{car("CA-01", 3)}
		spoil(p)
		if _, err := solve(t, p, 10); err == nil || !strings.Contains(err.Error(), "accepted") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// First fit in the order of the due days is what a spreadsheet does; the solver is never dearer.
func TestFirstFit(t *testing.T) {
	p := shop()
	for i, due := range []float64{20, 3, 9, 15} {
		j := car("CA-"+string(rune('A'+i)), due)
		j.Cool = 1
		p.Jobs = append(p.Jobs, j)
	}
	if got := schedule.Due(p); !slices.Equal(got, []int{1, 2, 3, 0}) {
		t.Errorf("by their due days: %v", got)
	}
	fit := schedule.FirstFit(p, schedule.Due(p))
	if breaks := schedule.Evaluate(p, fit).Breaks; len(breaks) > 0 || schedule.Cost(p, fit) < schedule.Cost(p, solved(t, p)) {
		t.Errorf("first fit breaks %v", breaks)
	}
}
