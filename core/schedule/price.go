package schedule

import "math"

// Price is what a job at a place costs, by what it comes from, in the units of each and in hours of work. The cost of a plan is the
// sum of the prices of its jobs in the order in which they are added.
type Price struct {
	Overrun  float64 // days that it is expected to be past its first clock
	Life     float64 // days of coolant life thrown away
	Held     float64 // days that it waits, of a held unit
	Visits   float64 // days on which its unit is called in for it alone, of one with several jobs
	SetUps   float64 // products that are mixed for it alone that day
	Travel   float64 // hours on the way, of the person and the unit
	Cooling  float64 // hours that it blocks the bay by cooling
	Overtime float64 // hours
	FollowUp float64 // days that its checks come late
	Moved    float64 // days between where it was and this
	// Cost of all of it, in hours of work.
	Cost float64
}

// table of the costs that follow from the job, the site and the day alone.
type table struct {
	p          *Problem
	over, left [][]float64 // by job and day
	late       [][]float64 // by job, then site and day: days that the checks come late
	cost       [][]float64
}

func newTable(p *Problem) *table {
	t := &table{p: p, over: make([][]float64, len(p.Jobs)), left: make([][]float64, len(p.Jobs)), late: make([][]float64, len(p.Jobs)), cost: make([][]float64, len(p.Jobs))}
	for j := range p.Jobs {
		job := &p.Jobs[j]
		t.over[j], t.left[j] = overrun(job.Clocks, p.Days), life(job.Clocks, p.Days)
		t.late[j], t.cost[j] = make([]float64, len(p.Sites)*p.Days), make([]float64, len(p.Sites)*p.Days)
		for site := range p.Sites {
			way := 2 * max(0, p.Travel[job.Site][site])
			for d := range p.Days {
				k := site*p.Days + d
				t.late[j][k] = lateChecks(p.Sites[site].Open, job.FollowUps, d)
				r := &p.Rates
				t.cost[j][k] = r.Overrun*t.over[j][d] + r.Life*t.left[j][d] + r.Travel*way + r.FollowUp*t.late[j][k]
				if job.Held {
					t.cost[j][k] += r.Held * float64(d)
				}
			}
		}
	}
	return t
}

func (t *table) of(j, site, day int) float64 { return t.cost[j][site*t.p.Days+day] }

// lateChecks are the days that the checks after a job wait until the site opens. What lies after the range is taken as open.
func lateChecks(open []float64, after []int, day int) (late float64) {
	for _, n := range after {
		for d := day + n; d < len(open) && open[d] <= 0; d++ {
			late++
		}
	}
	return late
}

// price of a job at a place; it is not in the state.
func (s *state) price(j int, at Place) Price {
	p, job := s.p, &s.p.Jobs[j]
	site := p.Bays[at.Bay].Site
	k := at.Person*p.Days + at.Day
	price := Price{Overrun: s.base.over[j][at.Day], Life: s.base.left[j][at.Day], Cooling: s.blocked(j, at), FollowUp: s.base.late[j][site*p.Days+at.Day],
		Travel: 2 * max(0, p.Travel[job.Site][site]), Overtime: s.overtime(k, s.personHoursWith(j, at)) - s.overtime(k, s.personHours(k)), Cost: s.delta(j, at)}
	if job.Held {
		price.Held = float64(at.Day)
	}
	if s.calledIn(j, at.Day) {
		price.Visits = 1
	}
	if s.setsUp(j, site, at.Day) {
		price.SetUps = 1
	}
	if s.personJobs[k] == 0 {
		price.Travel += s.way(at.Person, site)
	}
	if job.Before != nil {
		price.Moved = math.Abs(float64(at.Day - job.Before.Day))
	}
	return price
}

// Minus is the difference of two prices.
func (a Price) Minus(b Price) Price {
	return Price{a.Overrun - b.Overrun, a.Life - b.Life, a.Held - b.Held, a.Visits - b.Visits, a.SetUps - b.SetUps, a.Travel - b.Travel, a.Cooling - b.Cooling, a.Overtime - b.Overtime, a.FollowUp - b.FollowUp, a.Moved - b.Moved, a.Cost - b.Cost}
}

// Plus is the sum of two prices.
func (a Price) Plus(b Price) Price {
	return Price{a.Overrun + b.Overrun, a.Life + b.Life, a.Held + b.Held, a.Visits + b.Visits, a.SetUps + b.SetUps, a.Travel + b.Travel, a.Cooling + b.Cooling, a.Overtime + b.Overtime, a.FollowUp + b.FollowUp, a.Moved + b.Moved, a.Cost + b.Cost}
}

// Cost of a plan in hours of work, with what its unplaced jobs cost.
func Cost(p *Problem, plan Plan) float64 { return stateOf(p, plan).total() }

// Bound that no plan costs less than: each job at its cheapest day and site alone, with nothing that it shares. It never
// rises when a bay, a person or an hour is added.
func Bound(p *Problem) (sum float64) {
	s := newState(p)
	for j := range p.Jobs {
		least := p.unplaced(j)
		for bay := range p.Bays {
			b := &p.Bays[bay]
			for person := range p.People {
				if !s.reaches(j, bay, person) {
					continue
				}
				for day := range p.Days {
					if cost := s.base.of(j, b.Site, day); cost < least && (p.Jobs[j].Pinned || s.dayAlone(j, bay, person, day)) {
						least = cost
					}
				}
			}
		}
		sum += least
	}
	return sum
}

// reaches reports whether the kind of bay, the skills and the ways allow it on some day.
func (s *state) reaches(j, bay, person int) bool {
	p, job := s.p, &s.p.Jobs[j]
	b, w := &p.Bays[bay], &p.People[person]
	return job.Pinned || b.Kind == job.Bay && p.Travel[job.Site][b.Site] >= 0 && p.Travel[w.Site][b.Site] >= 0 && has(w.Skills, job.Skills)
}

// dayAlone reports whether the job could be placed there if it were the only one.
func (s *state) dayAlone(j, bay, person, day int) bool {
	p, job := s.p, &s.p.Jobs[j]
	w, open := &p.People[person], p.Sites[p.Bays[bay].Site].Open[day]
	closed := p.Bays[bay].Closed
	return s.dayOf(j, day) && open > 0 && (closed == nil || !closed[day]) && job.Hands+job.Run+s.ownCooling(j, day) <= open+slack &&
		w.Hours[day] > 0 && job.Hands+s.way(person, p.Bays[bay].Site) <= w.Hours[day]+w.Overtime+slack
}

// dayOf reports whether the day is one of the job's: the unit is there, not before its first day, before its hard night.
func (s *state) dayOf(j, day int) bool {
	job := &s.p.Jobs[j]
	return day >= job.Earliest && (job.Away == nil || !job.Away[day]) && (job.Hard == nil || *job.Hard < 0 || day <= *job.Hard)
}
