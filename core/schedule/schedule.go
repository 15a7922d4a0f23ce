// Package schedule places jobs on days, in bays and with people: the plan of a workshop.
//
// # The problem
//
// A [Job] is one visit of a unit, which serves all of its clocks that this kind of job serves. It is placed
// ([Place]) on one day, in one bay of its kind and with one person who has its skills, or not at all. Days are
// counted from [Problem.First]; hours are planned by the day, not by the minute.
//
// Hard rules ([Rule]) are never broken by a proposal:
//
//   - the site of the bay is open and the bay is in use on that day;
//   - the bay is of the job's kind, and its hours of that day hold all its jobs: the hours of hands, the hours
//     of running and retest, and the hours of cooling, save those of one job that stood in the bay
//     overnight (the longest of them that could be brought in the day before);
//   - the person is there, has the skills, is at one site that day, and their hours with what overtime
//     they may do hold their jobs and the way there and back;
//   - the unit is there, and the day is not before the job's first one;
//   - the hard night of the job, the first that its coolant would not hold, comes after its day;
//   - the product is in stock by that day, where the stock is known.
//
// What a plan costs is counted in hours of one person's work ([Rates]):
//
//   - expected overrun: the days after today on which the unit is expected to be past the first of its
//     clocks, E[(d − T)+], T the earliest of independent clocks;
//   - life thrown away: the days of coolant life expected to be left, E[(T − d)+], T the
//     earliest clock that the job renews;
//   - each day that a held unit must not run;
//   - each day on which a unit is called in that has several jobs;
//   - set-up of the mixing station: each product that a site mixes on a day;
//   - travel of people and of units between sites;
//   - the hours that a bay is blocked by cooling;
//   - overtime;
//   - follow-up checks that fall on a closed day, by the days until it opens;
//   - moves of what was placed before (stability);
//   - jobs that are not placed.
//
// # Distribution of a clock
//
// Of a window only P10, P50 and P90 are known. Between them the distribution is taken as uniform by
// pieces; the tails go on with the density of the piece beside them, so that they end a quarter of it
// further out (judgement). A sure day has no width.
//
// # Invariants
//
// The plan follows from the problem alone: the same problem gives the same plan, in whatever order its
// jobs, bays and people are listed. A pinned job stays where it is, even where it breaks a rule; [Check] names what
// is broken.
package schedule

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"diligentledger/core/measure"
)

// Limits of a problem (judgement: a year and a month of days, a fleet of the largest county).
const (
	MostDays = 400
	MostJobs = 5000
)

// Clock of a unit that a job serves. Days are counted from the problem's first day, from below 0 for what has run out.
type Clock struct {
	Kind string
	// P10, P50 and P90: one in ten runs out before the first, half before the second, nine in ten before the last.
	P10, P50, P90 float64
	// Renews: the job renews what the clock counts, so that doing it early throws life away.
	Renews bool
}

// Job to be placed.
type Job struct {
	ID string
	// Unit that it is on; jobs of one are better done on one day. Empty for a unit of its own.
	Unit string
	// Site where the unit is kept, as an index into [Problem.Sites].
	Site int
	// Bay kind and Skills that it takes.
	Bay    string
	Skills []string
	Clocks []Clock
	// Hard is the last day before its hard night; nil for none, below 0 when that night has passed.
	Hard *int
	// Held: the unit must not run until it is done.
	Held bool
	// Cool, Hands and Run: hours of cooling before, of a person's work, and of running and retest after.
	Cool, Hands, Run float64
	// Away by day, of the unit; nil for never. Earliest day.
	Away     []bool
	Earliest int
	// Product that is poured and how much, in L; empty for none. Mixed: it is a concentrate, mixed at the station of the site that
	// morning; a premix is poured from its can.
	Product string
	Litres  float64
	Mixed   bool
	// FollowUps are the days after it on which a check is owed.
	FollowUps []int
	// Before is where it was placed; nil for nowhere. Pinned: it stays there.
	Before *Place
	Pinned bool
}

// Place of a job: a day, and indices into the problem's bays and people.
type Place struct{ Day, Bay, Person int }

// Site with the hours that its bays are open on each day; 0 when it is closed.
type Site struct {
	ID   string
	Open []float64
}

// Bay of a kind. Closed by day; nil for never.
type Bay struct {
	ID     string
	Site   int
	Kind   string
	Closed []bool
}

// Person with the hours of each day, 0 when absent, and the most hours beyond them.
type Person struct {
	ID       string
	Site     int // where they work without a way to go
	Skills   []string
	Hours    []float64
	Overtime float64
}

// Stock of a product at a site: Supply is what has been there and delivered up to and on each day, L.
type Stock struct {
	Site    int
	Product string
	Supply  []float64
}

// Rates of the costs, in hours of one person's work.
type Rates struct {
	Overrun  float64 // a day of expected overrun
	Life     float64 // a day of coolant life thrown away
	Held     float64 // a day that a held unit waits
	Visit    float64 // a day on which a unit of several jobs is called in
	SetUp    float64 // a product that a site mixes on a day
	Travel   float64 // an hour on the way
	Cooling  float64 // an hour that a bay is blocked by cooling
	Overtime float64 // an hour
	FollowUp float64 // a day that a check comes late because the site is closed
	OtherDay float64 // a job that was placed on another day
	Other    float64 // a job that was placed in another bay, or with another person
	Unplaced float64 // a job that is not placed; twice for one with a hard night, three times for a held unit
}

// UsualRates (judgement; the proportions matter, not their sum). A renewal of three hours that lasts three years is
// worth 0.003 hours a day of its life; with its coolant twice that. A unit past its day is worth forty times
// that a day, one that must not run costs half a day's work.
func UsualRates() Rates {
	return Rates{Overrun: 0.25, Life: 0.006, Held: 4, Visit: 0.5, SetUp: 0.5, Travel: 1, Cooling: 0.25, Overtime: 0.5, FollowUp: 0.1, OtherDay: 0.5, Other: 0.1, Unplaced: 1000}
}

// Problem to be solved. Travel[a][b] is the way between two sites in hours; negative where there is none.
type Problem struct {
	First  measure.Date
	Days   int
	Sites  []Site
	Travel [][]float64
	Bays   []Bay
	People []Person
	Jobs   []Job
	Stock  []Stock
	Rates  Rates
}

// Day of the range.
func (p *Problem) Day(n int) measure.Date { return p.First.AddDays(n) }

// Plan is the place of each job by its index; nil for one that is not placed.
type Plan []*Place

// Valid reports what cannot be computed with: indices that there are not, numbers that are none.
func (p *Problem) Valid() error {
	n := func(what string, v float64) error {
		if math.IsNaN(v) || math.IsInf(v, 0) || v < 0 || v > 1e6 {
			return fmt.Errorf("%s of %v is not accepted; accepted: 0 to 1,000,000", what, v)
		}
		return nil
	}
	if p.Days < 1 || p.Days > MostDays || len(p.Jobs) > MostJobs {
		return fmt.Errorf("%d days and %d jobs are not accepted; accepted: 1 to %d days, at most %d jobs", p.Days, len(p.Jobs), MostDays, MostJobs)
	}
	if len(p.Travel) != len(p.Sites) {
		return fmt.Errorf("ways between %d sites are not accepted; accepted: %d", len(p.Travel), len(p.Sites))
	}
	for _, of := range p.Travel {
		if len(of) != len(p.Sites) {
			return fmt.Errorf("ways to %d sites are not accepted; accepted: %d", len(of), len(p.Sites))
		}
		for _, v := range of {
			if err := n("a way", max(v, 0)); err != nil {
				return err
			}
		}
	}
	r := p.Rates
	for _, v := range []float64{r.Overrun, r.Life, r.Held, r.Visit, r.SetUp, r.Travel, r.Cooling, r.Overtime, r.FollowUp, r.OtherDay, r.Other, r.Unplaced} {
		if err := n("a rate", v); err != nil {
			return err
		}
	}
	for _, s := range p.Sites {
		if err := byDay(p, "site "+s.ID, s.Open); err != nil {
			return err
		}
	}
	for _, b := range p.Bays {
		if b.Site < 0 || b.Site >= len(p.Sites) || b.Closed != nil && len(b.Closed) != p.Days {
			return fmt.Errorf("bay %s is not accepted; accepted: one at a site of the problem, closed by its days", b.ID)
		}
	}
	for _, w := range p.People {
		if w.Site < 0 || w.Site >= len(p.Sites) || n("overtime", w.Overtime) != nil {
			return fmt.Errorf("person %s is not accepted; accepted: one at a site of the problem", w.ID)
		}
		if err := byDay(p, "person "+w.ID, w.Hours); err != nil {
			return err
		}
	}
	for _, s := range p.Stock {
		if s.Site < 0 || s.Site >= len(p.Sites) {
			return fmt.Errorf("stock of %s is not accepted; accepted: at a site of the problem", s.Product)
		}
		if err := byDay(p, "stock of "+s.Product, s.Supply); err != nil {
			return err
		}
	}
	ids := map[string]bool{}
	for _, j := range p.Jobs {
		if err := p.validJob(j); err != nil {
			return err
		}
		if ids[j.ID] {
			return fmt.Errorf("job %s is listed twice; accepted: once", j.ID)
		}
		ids[j.ID] = true
	}
	return nil
}

func byDay(p *Problem, what string, days []float64) error {
	if len(days) != p.Days {
		return fmt.Errorf("%s with %d days is not accepted; accepted: %d", what, len(days), p.Days)
	}
	for _, v := range days {
		if math.IsNaN(v) || v < 0 || v > 1e6 {
			return fmt.Errorf("%s with %v on a day is not accepted; accepted: 0 to 1,000,000", what, v)
		}
	}
	return nil
}

func (p *Problem) validJob(j Job) error {
	bad := func(what string) error { return fmt.Errorf("job %s with %s is not accepted", j.ID, what) }
	for _, v := range []float64{j.Cool, j.Hands, j.Run, j.Litres} {
		if math.IsNaN(v) || v < 0 || v > 1e6 {
			return bad(fmt.Sprintf("%v hours or litres", v))
		}
	}
	for _, c := range j.Clocks {
		if !(c.P10 <= c.P50 && c.P50 <= c.P90 && math.Abs(c.P10) < 1e5 && math.Abs(c.P90) < 1e5) {
			return bad(fmt.Sprintf("a window of %v, %v, %v", c.P10, c.P50, c.P90))
		}
	}
	switch {
	case j.Site < 0 || j.Site >= len(p.Sites):
		return bad("a site that there is not")
	case j.Away != nil && len(j.Away) != p.Days:
		return bad("absences of other days")
	case j.Pinned && j.Before == nil:
		return bad("a pin and no place")
	case j.Before != nil && (j.Before.Day < 0 || j.Before.Day >= p.Days || j.Before.Bay < 0 || j.Before.Bay >= len(p.Bays) || j.Before.Person < 0 || j.Before.Person >= len(p.People)):
		return bad("a place that there is not")
	}
	return nil
}

// has all skills that are wanted.
func has(skills, wanted []string) bool {
	for _, w := range wanted {
		if !slices.Contains(skills, w) {
			return false
		}
	}
	return true
}

// canonical is the problem with sites as they are and jobs, bays and people in the order of their ids, with the
// index that each had.
func (p *Problem) canonical() (c *Problem, jobs, bays, people []int) {
	jobs = order(len(p.Jobs), func(i int) string { return p.Jobs[i].ID })
	bays = order(len(p.Bays), func(i int) string { return p.Bays[i].ID })
	people = order(len(p.People), func(i int) string { return p.People[i].ID })
	atBay, atPerson := inverse(bays), inverse(people)
	c = &Problem{First: p.First, Days: p.Days, Sites: p.Sites, Travel: p.Travel, Stock: p.Stock, Rates: p.Rates}
	for _, i := range bays {
		c.Bays = append(c.Bays, p.Bays[i])
	}
	for _, i := range people {
		c.People = append(c.People, p.People[i])
	}
	for _, i := range jobs {
		j := p.Jobs[i]
		if j.Before != nil {
			j.Before = &Place{j.Before.Day, atBay[j.Before.Bay], atPerson[j.Before.Person]}
		}
		c.Jobs = append(c.Jobs, j)
	}
	return c, jobs, bays, people
}

func order(n int, id func(int) string) []int {
	at := make([]int, n)
	for i := range at {
		at[i] = i
	}
	slices.SortStableFunc(at, func(a, b int) int { return cmp.Compare(id(a), id(b)) })
	return at
}

func inverse(at []int) []int {
	back := make([]int, len(at))
	for i, v := range at {
		back[v] = i
	}
	return back
}
