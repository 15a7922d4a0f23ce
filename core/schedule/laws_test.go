package schedule_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"runtime"
	"slices"
	"sync"
	"testing"

	"diligentledger/core/schedule"
	"diligentledger/core/schedule/scheduletest"
)

// onEach random problem, on all processors.
func onEach(t *testing.T, n int, law func(seed uint64, p *schedule.Problem, r *rand.Rand) error) {
	t.Helper()
	var group sync.WaitGroup
	many := runtime.GOMAXPROCS(0)
	for part := range many {
		group.Go(func() {
			for seed := uint64(part); seed < uint64(n); seed += uint64(many) {
				r := rand.New(rand.NewPCG(seed, 1))
				p := scheduletest.Random(seed, scheduletest.Size{Jobs: r.IntN(14), Days: 1 + r.IntN(12)})
				if err := law(seed, p, r); err != nil {
					t.Errorf("seed %d: %v", seed, err)
					return
				}
			}
		})
	}
	group.Wait()
}

// The rules as they are written down in the package comment, counted from the plan alone.
func broken(p *schedule.Problem, plan schedule.Plan, j int) string {
	at, job := plan[j], p.Jobs[j]
	bay, person := p.Bays[at.Bay], p.People[at.Person]
	var bayWork, free, longest, hands, litres float64
	for o, of := range plan {
		if of == nil {
			continue
		}
		other := p.Jobs[o]
		site := p.Bays[of.Bay].Site
		if of.Day == at.Day && of.Bay == at.Bay {
			bayWork += other.Hands + other.Run
			if of.Day > 0 && (other.Away == nil || !other.Away[of.Day-1]) {
				free += other.Cool
				longest = math.Max(longest, other.Cool)
			} else {
				bayWork += other.Cool
			}
		}
		if of.Day == at.Day && of.Person == at.Person {
			hands += other.Hands
			if site != bay.Site {
				return "a person at two sites"
			}
		}
		if other.Product == job.Product && job.Product != "" && site == bay.Site && of.Day <= at.Day {
			litres += other.Litres
		}
	}
	way := p.Travel[person.Site][bay.Site]
	switch {
	case bay.Kind != job.Bay:
		return "kind of bay"
	case p.Sites[bay.Site].Open[at.Day] == 0:
		return "closed site"
	case bay.Closed != nil && bay.Closed[at.Day]:
		return "closed bay"
	case bayWork+free-longest > p.Sites[bay.Site].Open[at.Day]+1e-6:
		return "bay too full"
	case way < 0 || p.Travel[job.Site][bay.Site] < 0:
		return "no way"
	case person.Hours[at.Day] == 0:
		return "absent person"
	case hands+2*way > person.Hours[at.Day]+person.Overtime+1e-6:
		return "person too full"
	case job.Away != nil && job.Away[at.Day]:
		return "unit away"
	case at.Day < job.Earliest:
		return "too early"
	case job.Hard != nil && *job.Hard >= 0 && at.Day > *job.Hard:
		return "after its hard night"
	}
	for _, skill := range job.Skills {
		if !slices.Contains(person.Skills, skill) {
			return "skill"
		}
	}
	for _, s := range p.Stock {
		if s.Site == bay.Site && s.Product == job.Product && litres > s.Supply[at.Day]+1e-6 {
			return "stock"
		}
	}
	return ""
}

// The cost as the package comment has it, counted from the plan alone but for the two expectations, which window_test.go has.
func counted(p *schedule.Problem, plan schedule.Plan) (sum float64) {
	r := p.Rates
	type key struct {
		a, b int
		c    string
	}
	called, several := map[key]bool{}, map[string]int{}
	for _, j := range p.Jobs {
		several[j.Unit]++
	}
	mixed, cool, longest, hands, way := map[key]bool{}, map[key]float64{}, map[key]float64{}, map[key]float64{}, map[key]float64{}
	for j, at := range plan {
		job := p.Jobs[j]
		if at == nil {
			sum += unplaced(p, j)
			continue
		}
		site := p.Bays[at.Bay].Site
		one := schedule.Problem{First: p.First, Days: p.Days, Sites: p.Sites, Travel: p.Travel, Bays: p.Bays, People: p.People, Jobs: []schedule.Job{{Site: job.Site, Clocks: job.Clocks}}, Rates: schedule.Rates{Overrun: r.Overrun, Life: r.Life}}
		sum += schedule.Cost(&one, schedule.Plan{at}) + r.Travel*2*math.Max(0, p.Travel[job.Site][site])
		if job.Held {
			sum += r.Held * float64(at.Day)
		}
		for _, n := range job.FollowUps {
			for d := at.Day + n; d < p.Days && p.Sites[site].Open[d] == 0; d++ {
				sum += r.FollowUp
			}
		}
		if job.Unit != "" && several[job.Unit] > 1 {
			called[key{c: job.Unit, b: at.Day}] = true
		}
		if job.Product != "" && job.Mixed {
			mixed[key{site, at.Day, job.Product}] = true
		}
		k := key{at.Bay, at.Day, ""}
		cool[k] += job.Cool
		if at.Day > 0 && (job.Away == nil || !job.Away[at.Day-1]) {
			longest[k] = math.Max(longest[k], job.Cool)
		}
		k = key{at.Person, at.Day, ""}
		hands[k] += job.Hands
		way[k] = 2 * math.Max(0, p.Travel[p.People[at.Person].Site][site])
		if was := job.Before; was != nil {
			if was.Day != at.Day {
				sum += r.OtherDay
			}
			if was.Bay != at.Bay {
				sum += r.Other
			}
			if was.Person != at.Person {
				sum += r.Other
			}
		}
	}
	sum += r.SetUp*float64(len(mixed)) + r.Visit*float64(len(called))
	for k, v := range cool {
		sum += r.Cooling * (v - longest[k])
	}
	for k, v := range hands {
		sum += r.Travel*way[k] + r.Overtime*math.Max(0, v+way[k]-p.People[k.a].Hours[k.b])
	}
	return sum
}

func solve(t *testing.T, p *schedule.Problem, effort int) (schedule.Plan, error) {
	return schedule.Solve(t.Context(), p, effort)
}

func TestProposalsBreakNoRule(t *testing.T) {
	onEach(t, instances, func(seed uint64, p *schedule.Problem, r *rand.Rand) error {
		plan, err := solve(t, p, 60)
		if err != nil {
			return err
		}
		for j, at := range plan {
			switch {
			case p.Jobs[j].Pinned:
				if at == nil || *at != *p.Jobs[j].Before {
					return fmt.Errorf("pinned job %d went to %v", j, at)
				}
			case at != nil:
				if why := broken(p, plan, j); why != "" {
					return fmt.Errorf("job %d at %v: %s", j, *at, why)
				}
			}
		}
		cost := schedule.Cost(p, plan)
		if want := counted(p, plan); !near(cost, want) && !pinnedTwice(p) {
			return fmt.Errorf("cost %v, counted %v", cost, want)
		}
		if bound := schedule.Bound(p); bound > cost+1e-6 {
			return fmt.Errorf("bound %v above the cost %v", bound, cost)
		}
		prices := schedule.Evaluate(p, plan).Price.Cost
		for j, at := range plan {
			if at != nil {
				continue
			}
			if need, ok := schedule.Needed(p, plan, j); ok && len(need.Breaks) == 0 {
				return fmt.Errorf("job %d is left out and nothing would have to give", j)
			}
			prices += unplaced(p, j)
		}
		if !near(prices, cost) {
			return fmt.Errorf("prices add up to %v, the cost is %v", prices, cost)
		}
		return nil
	})
}

func unplaced(p *schedule.Problem, j int) float64 {
	switch job := p.Jobs[j]; {
	case job.Held:
		return 3 * p.Rates.Unplaced
	case job.Hard != nil:
		return 2 * p.Rates.Unplaced
	}
	return p.Rates.Unplaced
}

// pinnedTwice reports whether a person is pinned to two sites on a day: their way is then that of the first.
func pinnedTwice(p *schedule.Problem) bool {
	for i, a := range p.Jobs {
		for _, b := range p.Jobs[:i] {
			if a.Pinned && b.Pinned && a.Before.Day == b.Before.Day && a.Before.Person == b.Before.Person {
				return true
			}
		}
	}
	return false
}

func near(a, b float64) bool { return math.Abs(a-b) <= 1e-6*(1+math.Abs(a)) }

func TestSameProblemSamePlan(t *testing.T) {
	onEach(t, instances, func(seed uint64, p *schedule.Problem, r *rand.Rand) error {
		plan, err := solve(t, p, 60)
		if err != nil {
			return err
		}
		again, err := solve(t, p, 60)
		if err != nil || !reflect.DeepEqual(plan, again) {
			return fmt.Errorf("another plan the second time: %v", err)
		}
		jobs, bays, people := r.Perm(len(p.Jobs)), r.Perm(len(p.Bays)), r.Perm(len(p.People))
		shuffled := *p
		shuffled.Jobs, shuffled.Bays, shuffled.People = nil, nil, nil
		for _, i := range bays {
			shuffled.Bays = append(shuffled.Bays, p.Bays[i])
		}
		for _, i := range people {
			shuffled.People = append(shuffled.People, p.People[i])
		}
		for _, i := range jobs {
			j := p.Jobs[i]
			if j.Before != nil {
				j.Before = &schedule.Place{Day: j.Before.Day, Bay: slices.Index(bays, j.Before.Bay), Person: slices.Index(people, j.Before.Person)}
			}
			shuffled.Jobs = append(shuffled.Jobs, j)
		}
		other, err := solve(t, &shuffled, 60)
		if err != nil {
			return err
		}
		for k, i := range jobs {
			var got *schedule.Place
			if other[k] != nil {
				got = &schedule.Place{Day: other[k].Day, Bay: bays[other[k].Bay], Person: people[other[k].Person]}
			}
			if !reflect.DeepEqual(got, plan[i]) {
				return fmt.Errorf("job %d: %v, and %v in another order", i, plan[i], got)
			}
		}
		return nil
	})
}

func TestMoreResourcesNeverRaiseTheBound(t *testing.T) {
	onEach(t, instances, func(seed uint64, p *schedule.Problem, r *rand.Rand) error {
		before := schedule.Bound(p)
		more := *p
		more.Bays, more.People, more.Sites = slices.Clone(p.Bays), slices.Clone(p.People), slices.Clone(p.Sites)
		switch r.IntN(3) {
		case 0:
			more.Bays = append(more.Bays, schedule.Bay{ID: "one more", Site: r.IntN(len(p.Sites)), Kind: p.Bays[r.IntN(len(p.Bays))].Kind})
		case 1:
			w := p.People[r.IntN(len(p.People))]
			w.ID = "one more"
			w.Skills = append(slices.Clone(w.Skills), "car", "high voltage")
			more.People = append(more.People, w)
		case 2:
			w := &more.People[r.IntN(len(p.People))]
			w.Hours = slices.Clone(w.Hours)
			w.Hours[r.IntN(p.Days)] += 4
		}
		if after := schedule.Bound(&more); after > before+1e-9 || math.IsNaN(after) {
			return fmt.Errorf("the bound rose from %v to %v", before, after)
		}
		return nil
	})
}

// An option that breaks nothing can be taken: the plan with it breaks no rule that it did not break without, and costs what
// the option says.
func TestOptionsSayWhatComesOfThem(t *testing.T) {
	onEach(t, 1500, func(seed uint64, p *schedule.Problem, r *rand.Rand) error {
		plan, err := solve(t, p, 60)
		if err != nil || len(p.Jobs) == 0 {
			return err
		}
		j := r.IntN(len(p.Jobs))
		without := slices.Clone(plan)
		without[j] = nil
		base := schedule.Evaluate(p, without).Price.Cost
		for _, o := range schedule.Options(p, plan, j, -1) {
			with := slices.Clone(without)
			with[j] = &o.Place
			why := broken(p, with, j)
			if len(o.Breaks) == 0 && why != "" {
				return fmt.Errorf("job %d at %v is free by the option, and breaks %s", j, o.Place, why)
			}
			late := slices.ContainsFunc(o.Breaks, func(b schedule.Break) bool { return b.Rule == schedule.OutOfStock })
			if why == "" && len(o.Breaks) > 0 && !late {
				return fmt.Errorf("job %d at %v breaks %v by the option, and nothing by the rules", j, o.Place, o.Breaks)
			}
			if got := schedule.Evaluate(p, with).Price.Cost - base; !near(1000+got, 1000+o.Price.Cost) && !pinnedTwice(p) && len(o.Breaks) == 0 {
				return fmt.Errorf("job %d at %v costs %v by the option, and %v in the plan", j, o.Place, o.Price.Cost, got)
			}
		}
		return nil
	})
}
