package schedule

import (
	"slices"
)

// state is a plan with the sums that its rules and costs are computed from. A sum changes when a job is added or removed;
// the invariant is that it is that of the jobs in the state.
type state struct {
	p    *Problem
	base *table
	at   Plan
	// cost of what is placed, without what is not.
	cost float64

	// by bay and day
	bayJobs [][]int
	bayWork []float64 // hands, running, and cooling that cannot be overnight
	bayCool []float64 // cooling that could be overnight: the sum, and the longest
	bayMost []float64

	// by person and day
	personJobs []int
	personSite []int
	personWork []float64 // hours of hands

	unit    []int // of each job; -1 for the only one of its unit
	visited []int // jobs by unit and day

	products []string
	product  []int   // of each job; -1 for none
	mixed    []int   // jobs by site, day and product
	supply   [][]int // stock rows by site and product
	used     [][]float64
}

func newState(p *Problem) *state {
	s := &state{p: p, base: newTable(p), at: make(Plan, len(p.Jobs))}
	n := len(p.Bays) * p.Days
	s.bayJobs, s.bayWork, s.bayCool, s.bayMost = make([][]int, n), make([]float64, n), make([]float64, n), make([]float64, n)
	n = len(p.People) * p.Days
	s.personJobs, s.personSite, s.personWork = make([]int, n), make([]int, n), make([]float64, n)
	s.groupUnits()
	s.product = make([]int, len(p.Jobs))
	for i, j := range p.Jobs {
		s.product[i] = -1
		if j.Product == "" {
			continue
		}
		k := slices.Index(s.products, j.Product)
		if k < 0 {
			k = len(s.products)
			s.products = append(s.products, j.Product)
		}
		s.product[i] = k
	}
	s.mixed = make([]int, len(p.Sites)*p.Days*len(s.products))
	s.supply = make([][]int, len(p.Sites)*len(s.products))
	s.used = make([][]float64, len(p.Stock))
	for i, of := range p.Stock {
		s.used[i] = make([]float64, p.Days)
		if k := slices.Index(s.products, of.Product); k >= 0 {
			s.supply[of.Site*len(s.products)+k] = append(s.supply[of.Site*len(s.products)+k], i)
		}
	}
	return s
}

// groupUnits that have several jobs.
func (s *state) groupUnits() {
	p := s.p
	s.unit = make([]int, len(p.Jobs))
	jobs := map[string][]int{}
	for i, j := range p.Jobs {
		s.unit[i] = -1
		if j.Unit != "" {
			jobs[j.Unit] = append(jobs[j.Unit], i)
		}
	}
	n := 0
	for i, j := range p.Jobs {
		if all := jobs[j.Unit]; len(all) > 1 && all[0] == i {
			for _, o := range all {
				s.unit[o] = n
			}
			n++
		}
	}
	s.visited = make([]int, n*p.Days)
}

// calledIn reports whether the job would be the first of its unit that day, of one with several.
func (s *state) calledIn(j, day int) bool {
	return s.unit[j] >= 0 && s.visited[s.unit[j]*s.p.Days+day] == 0
}

// stateOf a plan.
func stateOf(p *Problem, plan Plan) *state {
	s := newState(p)
	for j, at := range plan {
		if at != nil && j < len(p.Jobs) {
			s.add(j, *at)
		}
	}
	return s
}

// overnight reports whether the unit can be in the bay from the evening before; on the first day of the range that evening
// has passed.
func (s *state) overnight(j, day int) bool {
	away := s.p.Jobs[j].Away
	return day > 0 && (away == nil || !away[day-1])
}

// ownCooling are the hours in the bay that the job takes for cooling even as the only one of the day.
func (s *state) ownCooling(j, day int) float64 {
	if s.overnight(j, day) {
		return 0
	}
	return s.p.Jobs[j].Cool
}

// blocked hours of cooling that a job adds to a bay that has others.
func (s *state) blocked(j int, at Place) float64 {
	cool := s.p.Jobs[j].Cool
	if !s.overnight(j, at.Day) {
		return cool
	}
	return min(cool, s.bayMost[at.Bay*s.p.Days+at.Day])
}

// bayHours of a bay and day: work, and all cooling save the longest that could be overnight.
func (s *state) bayHours(k int) float64 { return s.bayWork[k] + s.bayCool[k] - s.bayMost[k] }

func (s *state) bayHoursWith(j int, at Place) float64 {
	job := &s.p.Jobs[j]
	return s.bayHours(at.Bay*s.p.Days+at.Day) + job.Hands + job.Run + s.blocked(j, at)
}

// way there and back, in hours, from the person's own site.
func (s *state) way(person, site int) float64 {
	return 2 * max(0, s.p.Travel[s.p.People[person].Site][site])
}

// personHours of a person and day, with the way.
func (s *state) personHours(k int) float64 {
	if s.personJobs[k] == 0 {
		return 0
	}
	return s.personWork[k] + s.way(k/s.p.Days, s.personSite[k])
}

func (s *state) personHoursWith(j int, at Place) float64 {
	k := at.Person*s.p.Days + at.Day
	return s.personWork[k] + s.p.Jobs[j].Hands + s.way(at.Person, s.p.Bays[at.Bay].Site)
}

func (s *state) overtime(k int, hours float64) float64 {
	return max(0, hours-s.p.People[k/s.p.Days].Hours[k%s.p.Days])
}

func (s *state) mixedAt(site, day, product int) int {
	return (site*s.p.Days+day)*len(s.products) + product
}

// setsUp reports whether the job would be the first that day whose product the site mixes.
func (s *state) setsUp(j, site, day int) bool {
	k := s.product[j]
	return k >= 0 && s.p.Jobs[j].Mixed && s.mixed[s.mixedAt(site, day, k)] == 0
}

// shortStock reports whether what is used up to a day from that of the place on is more than there is.
func (s *state) shortStock(j int, at Place) (used, supply float64, short bool) {
	k := s.product[j]
	if k < 0 {
		return 0, 0, false
	}
	for _, i := range s.supply[s.p.Bays[at.Bay].Site*len(s.products)+k] {
		for d := at.Day; d < s.p.Days; d++ {
			if used, supply = s.used[i][d]+s.p.Jobs[j].Litres, s.p.Stock[i].Supply[d]; used > supply+slack {
				return used, supply, true
			}
		}
	}
	return 0, 0, false
}

// delta of the cost when the job is placed there.
func (s *state) delta(j int, at Place) float64 {
	p, r := s.p, &s.p.Rates
	site := p.Bays[at.Bay].Site
	d := s.base.of(j, site, at.Day) + r.Cooling*s.blocked(j, at)
	if s.setsUp(j, site, at.Day) {
		d += r.SetUp
	}
	if s.calledIn(j, at.Day) {
		d += r.Visit
	}
	k := at.Person*p.Days + at.Day
	if s.personJobs[k] == 0 {
		d += r.Travel * s.way(at.Person, site)
	}
	if r.Overtime > 0 {
		d += r.Overtime * (s.overtime(k, s.personHoursWith(j, at)) - s.overtime(k, s.personHours(k)))
	}
	if was := p.Jobs[j].Before; was != nil {
		d += r.moved(*was, at)
	}
	return d
}

func (r *Rates) moved(was, at Place) (cost float64) {
	if was.Day != at.Day {
		cost += r.OtherDay
	}
	if was.Bay != at.Bay {
		cost += r.Other
	}
	if was.Person != at.Person {
		cost += r.Other
	}
	return cost
}

// add a job at a place; it is not in the state.
func (s *state) add(j int, at Place) {
	s.cost += s.delta(j, at)
	p, job := s.p, &s.p.Jobs[j]
	k := at.Bay*p.Days + at.Day
	s.bayJobs[k] = append(s.bayJobs[k], j)
	s.bayWork[k] += job.Hands + job.Run
	if s.overnight(j, at.Day) {
		s.bayCool[k] += job.Cool
		s.bayMost[k] = max(s.bayMost[k], job.Cool)
	} else {
		s.bayWork[k] += job.Cool
	}
	site := p.Bays[at.Bay].Site
	k = at.Person*p.Days + at.Day
	if s.personJobs[k] == 0 {
		s.personSite[k] = site
	}
	s.personJobs[k]++
	s.personWork[k] += job.Hands
	s.mix(j, site, at.Day, 1)
	place := at
	s.at[j] = &place
}

// mix counts a job among those of its product and its unit that day.
func (s *state) mix(j, site, day, n int) {
	if u := s.unit[j]; u >= 0 {
		s.visited[u*s.p.Days+day] += n
	}
	k := s.product[j]
	if k < 0 {
		return
	}
	if s.p.Jobs[j].Mixed {
		s.mixed[s.mixedAt(site, day, k)] += n
	}
	for _, i := range s.supply[site*len(s.products)+k] {
		for d := day; d < s.p.Days; d++ {
			s.used[i][d] += float64(n) * s.p.Jobs[j].Litres
		}
	}
}

// remove a job from its place. The sums of its bay and person are summed anew where nothing is left, so that no rounding stays.
func (s *state) remove(j int) {
	at := *s.at[j]
	p, job := s.p, &s.p.Jobs[j]
	s.at[j] = nil
	k := at.Bay*p.Days + at.Day
	s.bayJobs[k] = slices.DeleteFunc(s.bayJobs[k], func(o int) bool { return o == j })
	s.bayWork[k] -= job.Hands + job.Run
	if s.overnight(j, at.Day) {
		s.bayCool[k] -= job.Cool
	} else {
		s.bayWork[k] -= job.Cool
	}
	s.bayMost[k] = 0
	for _, o := range s.bayJobs[k] {
		if s.overnight(o, at.Day) {
			s.bayMost[k] = max(s.bayMost[k], p.Jobs[o].Cool)
		}
	}
	if len(s.bayJobs[k]) == 0 {
		s.bayWork[k], s.bayCool[k] = 0, 0
	}
	k = at.Person*p.Days + at.Day
	s.personJobs[k]--
	s.personWork[k] -= job.Hands
	if s.personJobs[k] == 0 {
		s.personWork[k] = 0
	}
	s.mix(j, p.Bays[at.Bay].Site, at.Day, -1)
	s.cost -= s.delta(j, at)
}

// feasibleBay reports whether the bay takes the job on an open day; [state.breaks] names what it does not.
func (s *state) feasibleBay(j, bay, day int) bool {
	b := &s.p.Bays[bay]
	return (b.Closed == nil || !b.Closed[day]) && s.bayHoursWith(j, Place{Day: day, Bay: bay}) <= s.p.Sites[b.Site].Open[day]+slack
}

// feasiblePerson reports whether the person, who has the skills, takes the job at the site.
func (s *state) feasiblePerson(j, person, day, site int) bool {
	w := &s.p.People[person]
	k := person*s.p.Days + day
	if w.Hours[day] <= 0 || s.personJobs[k] > 0 && s.personSite[k] != site {
		return false
	}
	return s.personWork[k]+s.p.Jobs[j].Hands+s.way(person, site) <= w.Hours[day]+w.Overtime+slack
}

// unplaced is what it costs not to place a job.
func (p *Problem) unplaced(j int) float64 {
	switch job := &p.Jobs[j]; {
	case job.Held:
		return 3 * p.Rates.Unplaced
	case job.Hard != nil:
		return 2 * p.Rates.Unplaced
	}
	return p.Rates.Unplaced
}

// total cost of the state, with what is not placed.
func (s *state) total() float64 {
	sum := s.cost
	for j, at := range s.at {
		if at == nil {
			sum += s.p.unplaced(j)
		}
	}
	return sum
}
