package schedule

import (
	"cmp"
	"math"
	"slices"
)

// Option of a job: a day in a bay with the person who suits best, what it would break, and what it would cost.
type Option struct {
	Place
	Breaks []Break // as it is: none for a place that a proposal could take
	Price  Price
}

// Allowed reports whether a person may choose the option: it breaks no rule, or only such as [Rule.Warned].
func (o Option) Allowed() bool {
	return !slices.ContainsFunc(o.Breaks, func(b Break) bool { return !b.Rule.Warned() })
}

// Options of a job in a plan by day and bay, bays in the order of the problem: [day*bays + bay]. The person is the one with
// whom the fewest rules are broken, then the cheapest. A person below 0 lets anybody; else it is that one.
func Options(p *Problem, plan Plan, job, person int) []Option {
	s := stateOf(p, plan)
	if s.at[job] != nil {
		s.remove(job)
	}
	all := make([]Option, 0, p.Days*len(p.Bays))
	for day := range p.Days {
		for bay := range p.Bays {
			all = append(all, s.option(job, day, bay, person))
		}
	}
	return all
}

// Move of a job to a day in a bay: the option that it would be (see [Options]), and the price of where it is; nil where it has no
// place.
func Move(p *Problem, plan Plan, job, day, bay, person int) (o Option, here *Price) {
	s := stateOf(p, plan)
	if at := s.at[job]; at != nil {
		place := *at
		s.remove(job)
		price := s.price(job, place)
		here = &price
	}
	return s.option(job, day, bay, person), here
}

// option of a job that is not in the state.
func (s *state) option(job, day, bay, person int) (best Option) {
	best.Place = Place{day, bay, max(person, 0)}
	rank := math.MaxInt
	for w := range s.p.People {
		if person >= 0 && w != person {
			continue
		}
		at := Place{day, bay, w}
		breaks := s.breaks(job, at)
		of := 0
		for _, b := range breaks {
			of += s.p.weight(b)
		}
		if of > rank {
			continue
		}
		if cost := s.price(job, at); of < rank || cost.Cost < best.Price.Cost {
			rank, best = of, Option{at, breaks, cost}
		}
	}
	if len(s.p.People) == 0 {
		best.Breaks = []Break{{Job: job, Rule: NoPerson, Place: best.Place}}
	}
	return best
}

// weight of a broken rule: how much would have to give (judgement). Hours of a day are the smallest thing; a rule of the trade
// never gives before one of them.
func (p *Problem) weight(b Break) int {
	switch b.Rule {
	case PersonFull:
		return 10
	case BayFull:
		return 12
	case OtherSite:
		return 14
	case NotThere:
		return 16
	case SiteClosed, BayClosed:
		return 20
	case OutOfStock:
		return 22
	case TooEarly:
		return 24
	case UnitAway:
		return 30
	case NoSkill:
		return 40
	case BayKind, NoWay, UnitsNoWay, TooLong:
		return 200
	case HardNight:
		return 400
	}
	return 1000
}

// Explanation of the place of a job: what it costs there, and a week later.
type Explanation struct {
	Here   Price
	Breaks []Break // of the place as it is
	// Later is the best place a week later; nil where the range ends before.
	Later *Option
	// Least is the cheapest place that there is besides, and what it would cost; nil for none.
	Least *Option
}

// Explain the place of a job in a plan; false when it has none.
func Explain(p *Problem, plan Plan, job int) (e Explanation, ok bool) {
	if plan[job] == nil {
		return e, false
	}
	s := stateOf(p, plan)
	at := *plan[job]
	s.remove(job)
	e.Here, e.Breaks = s.price(job, at), s.breaks(job, at)
	for day := range p.Days {
		for bay := range p.Bays {
			if p.Bays[bay].Kind != p.Jobs[job].Bay {
				continue
			}
			o := s.option(job, day, bay, -1)
			if day == at.Day+7 && (e.Later == nil || better(o, *e.Later)) {
				e.Later = &o
			}
			if len(o.Breaks) == 0 && (o.Day != at.Day || o.Bay != at.Bay) && (e.Least == nil || o.Price.Cost < e.Least.Price.Cost) {
				e.Least = &o
			}
		}
	}
	return e, true
}

func better(a, b Option) bool {
	return cmp.Or(cmp.Compare(len(a.Breaks), len(b.Breaks)), cmp.Compare(a.Price.Cost, b.Price.Cost)) < 0
}

// Need is the smallest thing that would have to give for a job to be placed.
type Need struct {
	Job int
	// Breaks of the rules at the place where the least would have to give; the rules NoBay and NoPerson alone, where there is none at all.
	Breaks []Break
	Place
}

// Needed for a job that a plan leaves out; false for one that has a place, or for which there is room.
func Needed(p *Problem, plan Plan, job int) (Need, bool) {
	if plan[job] != nil {
		return Need{}, false
	}
	s := stateOf(p, plan)
	n := Need{Job: job}
	bays, people := s.reachable(job)
	if len(bays) == 0 {
		n.Breaks = []Break{{Job: job, Rule: NoBay}}
		return n, true
	}
	if len(people) == 0 {
		n.Breaks = []Break{{Job: job, Rule: NoPerson, Skills: p.Jobs[job].Skills}}
		return n, true
	}
	rank, cost := math.MaxInt, 0.0
	for day := range p.Days {
		for _, bay := range bays {
			for _, person := range people {
				at := Place{day, bay, person}
				breaks := s.breaks(job, at)
				of := 0
				for _, b := range breaks {
					of += p.weight(b)
				}
				if of > rank {
					continue
				}
				if c := s.base.of(job, p.Bays[bay].Site, day); of < rank || c < cost {
					rank, cost, n.Breaks, n.Place = of, c, breaks, at
				}
			}
		}
	}
	return n, rank > 0
}

// reachable bays of the kind, and people with the skills who reach one of them.
func (s *state) reachable(job int) (bays, people []int) {
	p := s.p
	for b := range p.Bays {
		if p.Bays[b].Kind == p.Jobs[job].Bay && p.Travel[p.Jobs[job].Site][p.Bays[b].Site] >= 0 {
			bays = append(bays, b)
		}
	}
	for w := range p.People {
		if has(p.People[w].Skills, p.Jobs[job].Skills) && slices.ContainsFunc(bays, func(b int) bool { return p.Travel[p.People[w].Site][p.Bays[b].Site] >= 0 }) {
			people = append(people, w)
		}
	}
	return bays, people
}

// Evaluation of a plan: what it breaks, what it takes by day, and what it costs, from one reading of it.
type Evaluation struct {
	Breaks []Break
	Price  Price   // of its placed jobs
	Cost   float64 // with what is not placed
	// Bays and People are hours by day: of a bay those of its jobs, cooling that is not overnight among them; of a person with the way.
	Bays, People [][]float64
}

// Evaluate a plan.
func Evaluate(p *Problem, plan Plan) (e Evaluation) {
	s := newState(p)
	for j, at := range plan {
		if at != nil {
			e.Price = e.Price.Plus(s.price(j, *at))
			s.add(j, *at)
		}
	}
	e.Cost = s.total()
	byDay := func(n int, hours func(int) float64) [][]float64 {
		all := make([][]float64, n)
		for i := range all {
			all[i] = make([]float64, p.Days)
			for d := range all[i] {
				all[i][d] = hours(i*p.Days + d)
			}
		}
		return all
	}
	e.Bays, e.People = byDay(len(p.Bays), s.bayHours), byDay(len(p.People), s.personHours)
	e.Breaks = s.checkAll()
	return e
}
