package schedule

import (
	"cmp"
	"context"
	"math"
	"slices"
)

// Effort of a search: how many jobs it takes out and places again. The usual effort of a problem is what its size allows
// within the times of docs/planning.md.
func Effort(p *Problem) int {
	n := len(p.Jobs)
	return max(min(100_000, 150*n), 30_000-350*n)
}

// Solve a problem: the best plan that is found with an effort (0 for [Effort]). It is the same for the same problem and effort; when
// the context ends before, it is the best one so far. An error when the problem is not [Problem.Valid].
//
// Method: jobs are placed one by one, the one that would lose most by waiting first (regret), then a few related ones are taken out
// and placed again, over and over; a worse plan is gone on from with a probability that falls (large neighbourhood search with
// simulated annealing; S. Ropke, D. Pisinger, Transportation Science 40 (2006) 455, recalled from memory).
func Solve(ctx context.Context, p *Problem, effort int) (Plan, error) {
	if err := p.Valid(); err != nil {
		return nil, err
	}
	if effort <= 0 {
		effort = Effort(p)
	}
	c, jobs, bays, people := p.canonical()
	found := newSearch(c).run(ctx, effort)
	plan := make(Plan, len(p.Jobs))
	for i, at := range found {
		if at != nil {
			plan[jobs[i]] = &Place{at.Day, bays[at.Bay], people[at.Person]}
		}
	}
	return plan, nil
}

// slot is a day at a site where a job may be placed, with the cost that follows from the two alone.
type slot struct {
	site, day int
	cost      float64
}

type search struct {
	*state
	slots  [][]slot  // by job, the cheapest first
	bays   [][][]int // by job and site
	people [][][]int // by job and site
	free   []int     // jobs that are not pinned
	random uint64
	best   Plan
	bestOf float64

	noise   float64 // most that is added to the cost of an option at random
	waiting []int   // scratch of takeOut
	near    []near
}

func newSearch(p *Problem) *search {
	h := &search{state: newState(p), slots: make([][]slot, len(p.Jobs)), bays: make([][][]int, len(p.Jobs)), people: make([][][]int, len(p.Jobs)), random: 0x9E3779B97F4A7C15}
	for j := range p.Jobs {
		h.bays[j], h.people[j] = make([][]int, len(p.Sites)), make([][]int, len(p.Sites))
		if p.Jobs[j].Pinned {
			h.add(j, *p.Jobs[j].Before)
			continue
		}
		if h.reach(j); len(h.slots[j]) > 0 {
			h.free = append(h.free, j)
		}
	}
	return h
}

// reach fills in the bays, people and days that the job can have at each site.
func (h *search) reach(j int) {
	p, job := h.p, &h.p.Jobs[j]
	for b := range p.Bays {
		if p.Bays[b].Kind == job.Bay && p.Travel[job.Site][p.Bays[b].Site] >= 0 {
			h.bays[j][p.Bays[b].Site] = append(h.bays[j][p.Bays[b].Site], b)
		}
	}
	for site := range p.Sites {
		if len(h.bays[j][site]) == 0 {
			continue
		}
		for w := range p.People {
			if p.Travel[p.People[w].Site][site] >= 0 && has(p.People[w].Skills, job.Skills) {
				h.people[j][site] = append(h.people[j][site], w)
			}
		}
		for d := range p.Days {
			alone := job.Hands + job.Run + h.ownCooling(j, d)
			if len(h.people[j][site]) > 0 && h.dayOf(j, d) && p.Sites[site].Open[d] > 0 && alone <= p.Sites[site].Open[d]+slack {
				h.slots[j] = append(h.slots[j], slot{site, d, h.base.of(j, site, d)})
			}
		}
	}
	slices.SortStableFunc(h.slots[j], func(a, b slot) int { return cmp.Compare(a.cost, b.cost) })
}

// next number of splitmix64 (G. Steele et al., OOPSLA 2014): the search has its own row of numbers, the same each time.
func (h *search) next() uint64 {
	h.random += 0x9E3779B97F4A7C15
	z := h.random
	z = (z ^ z>>30) * 0xBF58476D1CE4E5B9
	z = (z ^ z>>27) * 0x94D049BB133111EB
	return z ^ z>>31
}

func (h *search) number(n int) int { return int(h.next() % uint64(n)) }
func (h *search) share() float64   { return float64(h.next()>>11) / (1 << 53) }

// option is where a job would be placed, and what it would cost more.
type option struct {
	at   Place
	cost float64
	ok   bool
}

// cheapest places of a job: the best one, and the best on another day.
func (h *search) cheapest(j int, second bool) (first, other option) {
	first.cost, other.cost = math.Inf(1), math.Inf(1)
	for _, sl := range h.slots[j] {
		if limit := other.cost; sl.cost >= limit || !second && sl.cost >= first.cost {
			break
		}
		best := h.cheapestAt(j, sl)
		if !best.ok || len(h.p.Stock) > 0 && h.noStock(j, best.at) {
			continue
		}
		switch {
		case best.cost < first.cost:
			first, other = best, first
		case best.cost < other.cost:
			other = best
		}
	}
	return first, other
}

// cheapestAt a day and site: the bay and the person each for itself, since no cost is of the two together.
func (h *search) cheapestAt(j int, sl slot) option {
	p, r, was := h.p, &h.p.Rates, h.p.Jobs[j].Before
	cheapest := func(all []int, cost func(int) (float64, bool)) (best int, least float64) {
		best, least = -1, math.Inf(1)
		for _, i := range all {
			c, ok := cost(i)
			if !ok {
				continue
			}
			if h.noise > 0 {
				c += h.noise * h.share()
			}
			if c < least {
				best, least = i, c
			}
		}
		return best, least
	}
	bay, bayCost := cheapest(h.bays[j][sl.site], func(b int) (float64, bool) {
		if !h.feasibleBay(j, b, sl.day) {
			return 0, false
		}
		c := r.Cooling * h.blocked(j, Place{Day: sl.day, Bay: b})
		if was != nil && was.Bay != b {
			c += r.Other
		}
		return c, true
	})
	if bay < 0 {
		return option{}
	}
	person, personCost := cheapest(h.people[j][sl.site], func(w int) (float64, bool) {
		if !h.feasiblePerson(j, w, sl.day, sl.site) {
			return 0, false
		}
		k, hours := w*p.Days+sl.day, p.People[w].Hours[sl.day]
		way := h.way(w, sl.site)
		before, c := h.personWork[k]+way, 0.0
		if h.personJobs[k] == 0 {
			before, c = 0, r.Travel*way
		}
		if over := h.personWork[k] + way + p.Jobs[j].Hands - hours; over > 0 {
			c += r.Overtime * (over - max(0, before-hours))
		}
		if was != nil && was.Person != w {
			c += r.Other
		}
		return c, true
	})
	if person < 0 {
		return option{}
	}
	o := option{at: Place{sl.day, bay, person}, cost: sl.cost + bayCost + personCost, ok: true}
	if h.setsUp(j, sl.site, sl.day) {
		o.cost += r.SetUp
	}
	if h.calledIn(j, sl.day) {
		o.cost += r.Visit
	}
	if was != nil && was.Day != sl.day {
		o.cost += r.OtherDay
	}
	return o
}

func (h *search) noStock(j int, at Place) bool {
	_, _, short := h.shortStock(j, at)
	return short
}

// place the jobs, the one first that would lose most by waiting; noise is the share by which the losses are shaken.
func (h *search) place(jobs []int, noise float64) {
	type ahead struct {
		job          int
		first, other option
		known        bool
	}
	left := make([]ahead, len(jobs))
	for i, j := range jobs {
		left[i].job = j
	}
	for len(left) > 0 {
		pick, most := 0, math.Inf(-1)
		for i := range left {
			a := &left[i]
			if !a.known {
				a.first, a.other = h.cheapest(a.job, true)
				a.known = true
			}
			loss := h.p.unplaced(a.job)
			if a.other.ok {
				loss = a.other.cost - a.first.cost
			}
			if noise > 0 {
				loss *= 1 + noise*(h.share()-0.5)
			}
			if a.first.ok && loss > most {
				pick, most = i, loss
			}
		}
		if math.IsInf(most, -1) {
			return // nothing that is left has a place
		}
		done := left[pick]
		h.add(done.job, done.first.at)
		left = slices.Delete(left, pick, pick+1)
		site := h.p.Bays[done.first.at.Bay].Site
		for i := range left {
			if a := &left[i]; h.touched(a.first, done.first.at, site, h.product[a.job] == h.product[done.job] || h.unit[a.job] >= 0 && h.unit[a.job] == h.unit[done.job]) || h.touched(a.other, done.first.at, site, false) {
				a.known = false
			}
		}
	}
}

// touched reports whether an option is another one once a job was placed.
func (h *search) touched(o option, at Place, site int, sameProduct bool) bool {
	if !o.ok {
		return false
	}
	return sameProduct || o.at.Day == at.Day && (o.at.Bay == at.Bay || o.at.Person == at.Person || h.p.Bays[o.at.Bay].Site == site)
}

// begin with what was placed before, where nothing speaks against it, and place the rest.
func (h *search) begin() {
	var left []int
	for _, j := range h.free {
		at := h.p.Jobs[j].Before
		if at == nil || len(h.breaks(j, *at)) > 0 {
			left = append(left, j)
			continue
		}
		h.add(j, *at)
	}
	h.place(left, 0)
}

// cycles of cooling in a search (measured: one gets stuck more often, three are no better).
const cycles = 2

// run the search.
func (h *search) run(ctx context.Context, effort int) Plan {
	h.begin()
	h.keep()
	if len(h.free) == 0 {
		return h.best
	}
	now := h.total()
	start := 0.02 * max(1, h.cost) / math.Sqrt(float64(len(h.free)))
	total := effort
	was := make(Plan, len(h.at))
	for round := 0; effort > 0; round++ {
		if round%16 == 0 && ctx.Err() != nil {
			break
		}
		copy(was, h.at)
		out := h.takeOut()
		effort -= len(out)
		h.noise = []float64{0, 0, 0.3, 3, 30, 300}[h.number(6)]
		h.place(out, 0.4)
		cost := h.total()
		// The temperature falls in each cycle anew, from a lower start: what is stuck comes loose.
		done := float64(cycles) * (1 - float64(max(0, effort))/float64(total))
		cycle := min(math.Floor(done), cycles-1)
		temperature := start * math.Pow(0.3, cycle) * math.Pow(0.002, done-cycle)
		switch {
		case cost < h.bestOf-1e-9:
			h.keep()
			now = cost
		case cost <= now || h.share() < math.Exp((now-cost)/temperature):
			now = cost
		default:
			h.back(was, out)
			now = h.total()
		}
	}
	return h.best
}

// back to a plan, of which only the jobs out have changed.
func (h *search) back(was Plan, out []int) {
	for _, j := range out {
		if h.at[j] != nil {
			h.remove(j)
		}
	}
	for _, j := range out {
		if was[j] != nil {
			h.add(j, *was[j])
		}
	}
}

func (h *search) keep() {
	h.bestOf = h.total()
	h.best = make(Plan, len(h.at))
	for j, at := range h.at {
		if at != nil {
			place := *at
			h.best[j] = &place
		}
	}
}

// mostOut of jobs at once (measured: more are no better).
const mostOut = 10

// takeOut some jobs that have to do with one another, and some that have no place: those are tried again.
func (h *search) takeOut() (out []int) {
	n := min(len(h.free), 2+h.number(mostOut-1))
	h.waiting = h.waiting[:0]
	for _, j := range h.free {
		if h.at[j] == nil {
			h.waiting = append(h.waiting, j)
		}
	}
	seed := h.free[h.number(len(h.free))]
	if len(h.waiting) > 0 && h.share() < 0.6 {
		seed = h.waiting[h.number(len(h.waiting))]
	}
	around := h.slots[seed][h.number(len(h.slots[seed]))]
	if at := h.at[seed]; at != nil {
		around = slot{site: h.p.Bays[at.Bay].Site, day: at.Day}
	}
	way := h.number(4)
	h.near = h.near[:0]
	for _, j := range h.free {
		if h.at[j] != nil && j != seed {
			h.near = append(h.near, near{j, h.far(way, seed, around, j) * (0.3 + h.share())})
		}
	}
	out = append(out, seed)
	for i := range min(n, len(h.near)) {
		least := i
		for k := i + 1; k < len(h.near); k++ {
			if h.near[k].far < h.near[least].far {
				least = k
			}
		}
		h.near[i], h.near[least] = h.near[least], h.near[i]
		out = append(out, h.near[i].job)
	}
	for range min(len(h.waiting), mostOut) {
		if j := h.waiting[h.number(len(h.waiting))]; !slices.Contains(out, j) {
			out = append(out, j)
		}
	}
	for _, j := range out {
		if h.at[j] != nil {
			h.remove(j)
		}
	}
	return out
}

type near struct {
	job int
	far float64
}

// far is a placed job from the seed, which is or could be at a site on a day: by day, by product, by who and what could do both, or at
// random.
func (h *search) far(way, seed int, around slot, j int) float64 {
	at := h.at[j]
	days := math.Abs(float64(around.day - at.Day))
	unless := func(is bool, far float64) float64 {
		if is {
			return 0
		}
		return far
	}
	here := h.p.Bays[at.Bay].Site == around.site
	switch way {
	case 0:
		return days + unless(here, 3) + 0.1
	case 1:
		return 0.2*days + unless(h.product[seed] == h.product[j] || h.unit[seed] >= 0 && h.unit[seed] == h.unit[j], 10) + unless(here, 10) + 0.1
	case 2:
		return 0.3*days + unless(h.p.Bays[at.Bay].Kind == h.p.Jobs[seed].Bay && here, 4) + unless(slices.Contains(h.people[seed][around.site], at.Person), 4) + 0.1
	}
	return 1
}

// FirstFit is what people do without a solver: the jobs in an order, each at the first day, bay and person that
// takes it from its first possible day on.
func FirstFit(p *Problem, order []int) Plan {
	h := newSearch(p)
	for _, j := range order {
		if p.Jobs[j].Pinned {
			continue
		}
		days := slices.Clone(h.slots[j])
		slices.SortStableFunc(days, func(a, b slot) int { return cmp.Compare(a.day, b.day) })
		h.firstFit(j, days)
	}
	return h.at
}

func (h *search) firstFit(j int, days []slot) {
	for _, sl := range days {
		for _, b := range h.bays[j][sl.site] {
			if !h.feasibleBay(j, b, sl.day) {
				continue
			}
			for _, w := range h.people[j][sl.site] {
				if at := (Place{sl.day, b, w}); h.feasiblePerson(j, w, sl.day, sl.site) && !h.noStock(j, at) {
					h.add(j, at)
					return
				}
			}
		}
	}
}

// Due is the order of the jobs by the day on which their first clock is likely to have run out, hard nights counted: the
// earliest first.
func Due(p *Problem) []int {
	due := func(j int) float64 {
		first := math.Inf(1)
		for _, c := range p.Jobs[j].Clocks {
			first = min(first, c.P50)
		}
		if hard := p.Jobs[j].Hard; hard != nil {
			first = min(first, float64(*hard))
		}
		if p.Jobs[j].Held {
			first = min(first, 0)
		}
		return first
	}
	at := make([]int, len(p.Jobs))
	for i := range at {
		at[i] = i
	}
	slices.SortStableFunc(at, func(a, b int) int { return cmp.Compare(due(a), due(b)) })
	return at
}
