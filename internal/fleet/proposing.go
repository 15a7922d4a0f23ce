package fleet

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/schedule"
	"diligentledger/core/visit"
	"diligentledger/internal/store"
)

// Wish for a proposal.
type Wish struct {
	From, To measure.Date // days on which jobs may be placed, the last one included
	// Items are lines to be placed; nil for all that have no place.
	Items []int64
	// Again: what is placed in these days is placed anew with them, save what is pinned or agreed.
	Again bool
	// AllDue adds to the work list first what runs out by the last day and is not on it.
	AllDue bool
}

// Proposal that was made.
type Proposal struct {
	Placed, Moved int
	Added         int // to the work list
	// NoDay are units that were not added, since it is not known when anything of them runs out.
	NoDay []string
	Left  []LeftOut
	Price schedule.Price
	Cost  float64
	Took  time.Duration
}

// LeftOut is a job that has no place, with the least that would have to give.
type LeftOut struct {
	Job  PlanJob
	Need schedule.Need
	// Room: there would be room, yet what it costs there is more.
	Room  bool
	Board *PlanBoard
}

// solverTime is how long a proposal is searched for at most; see docs/planning.md for what it takes.
const solverTime = 2500 * time.Millisecond

// Propose places for jobs, as one change that can be undone. Nothing that is pinned, agreed or not wished for is moved, and no
// rule is broken.
func (f *Fleet) Propose(ctx context.Context, by store.Actor, w Wish) (p Proposal, err error) {
	today, err := f.Today(ctx)
	if err != nil {
		return p, err
	}
	if w.From.Before(today) {
		w.From = today
	}
	if w.To.Before(w.From) {
		return p, refusal.New("/to", w.To.Format("2 Jan 2006"), "a day from "+w.From.Format("2 Jan 2006")+" on")
	}
	if err := plannable("/to", w.To, today); err != nil {
		return p, err
	}
	added := 0
	var noDay []string
	if w.AllDue {
		if added, noDay, err = f.addAllDue(ctx, by, w.To); err != nil {
			return p, err
		}
	}
	for range mostTries {
		p, err = f.propose(ctx, by, w)
		if !errors.Is(err, store.ErrOtherRevision) {
			p.Added, p.NoDay = added, noDay
			return p, err
		}
	}
	return p, fmt.Errorf("%w: try again", store.ErrPlanChanged)
}

// addAllDue adds what runs out until a day to the work list: for each unit the visits that serve all of its clocks that do. noDay are
// units of which no day is known.
func (f *Fleet) addAllDue(ctx context.Context, by store.Actor, until measure.Date) (n int, noDay []string, err error) {
	all, err := f.Statuses(ctx, store.StatusFilter{Clocks: true})
	if err != nil {
		return 0, nil, err
	}
	wanted := map[string][]visit.Wanted{}
	var codes []string
	for _, u := range all {
		if u.Verdict == clock.Unknown && u.Governing.Due == nil {
			noDay = append(noDay, u.Code)
		}
		if w := visit.WantedUntil(u.Clocks, until); len(w) > 0 {
			wanted[u.Code] = w
			codes = append(codes, u.Code)
		}
	}
	if len(codes) == 0 {
		return 0, noDay, nil
	}
	n, err = f.addVisits(ctx, by, codes, wanted)
	return n, noDay, err
}

// addVisits to the work list, each for the days that its clock leaves.
func (f *Fleet) addVisits(ctx context.Context, by store.Actor, codes []string, wanted map[string][]visit.Wanted) (int, error) {
	today, err := f.Today(ctx)
	if err != nil {
		return 0, err
	}
	evaluated, err := f.Units(ctx, codes)
	if err != nil {
		return 0, err
	}
	items, err := f.store.WorkListOf(ctx, codes)
	if err != nil {
		return 0, err
	}
	open := workLines(items, evaluated)
	var lines []store.NewWork
	for _, m := range evaluated {
		for _, w := range wanted[m.Unit.Code] {
			lines = append(lines, m.newWork(w.Work, w.Clock, nil, nil, open, today))
		}
	}
	ids, _, err := f.store.AddWork(ctx, by, lines)
	return len(ids), err
}

// Unprevented is a unit that a night of the plan's days would catch, with no line on the work list that prevents it.
type Unprevented struct {
	store.UnitName
	Night visit.Night
}

// nightsKept is how long the nights of all units serve the readers of the plan: reading ten thousand takes a quarter of a second, and each
// page reads them with each change of the plan. A unit whose night comes nearer by an entry is on the list that much later.
const nightsKept = 10 * time.Second

// keptNights are the units that have a night at all, with the clocks of it.
type keptNights struct {
	read  time.Time
	units []store.Status
}

// UnpreventedNights until the last day of the plan, the first one first. Units of every verdict count: a night five months ahead is sound today, and
// a unit of unknown contents has its frost.
func (f *Fleet) UnpreventedNights(ctx context.Context, b *PlanBoard) (all []Unprevented, err error) {
	kept := f.nights.Load()
	if kept == nil || time.Since(kept.read) > nightsKept {
		if kept, err = f.readNights(ctx); err != nil {
			return nil, err
		}
		f.nights.Store(kept)
	}
	listed := map[string]map[ledger.Circuit][]clock.Work{}
	for _, j := range b.Jobs {
		if j.Done != nil {
			continue
		}
		of := listed[j.Unit.Code]
		if of == nil {
			of = map[ledger.Circuit][]clock.Work{}
			listed[j.Unit.Code] = of
		}
		circuit := ledger.Circuit(strings.TrimPrefix(strings.TrimPrefix(j.Address, j.Unit.Code), " "))
		of[circuit] = append(of[circuit], j.Work)
	}
	for _, u := range kept.units {
		if n := visit.Unprevented(u.Clocks, listed[u.Code], b.Today, b.Until); n != nil {
			all = append(all, Unprevented{u.UnitName, *n})
		}
	}
	slices.SortFunc(all, func(a, b Unprevented) int {
		return cmp.Or(a.Night.Day.Compare(b.Night.Day), cmp.Compare(a.Code, b.Code))
	})
	return all, nil
}

func (f *Fleet) readNights(ctx context.Context) (*keptNights, error) {
	kept := keptNights{read: time.Now()}
	rows, err := f.Statuses(ctx, store.StatusFilter{Clocks: true})
	for _, u := range rows {
		u.Clocks = slices.DeleteFunc(u.Clocks, func(c clock.Clock) bool {
			return !visit.HasNight(c)
		})
		if len(u.Clocks) > 0 {
			kept.units = append(kept.units, u)
		}
	}
	return &kept, err
}

// propose once, by the plan as it is.
func (f *Fleet) propose(ctx context.Context, by store.Actor, w Wish) (p Proposal, err error) {
	b, err := f.PlanBoard(ctx, w.To)
	if err != nil {
		return p, err
	}
	wished, err := b.wished(w)
	if err != nil {
		return p, err
	}
	problem, at := b.subproblem(wished, w.From)
	began := time.Now()
	ctxSolve, cancel := context.WithTimeout(ctx, solverTime)
	defer cancel()
	plan, err := schedule.Solve(ctxSolve, problem, 0)
	if err != nil {
		return p, err
	}
	p.Took = time.Since(began)
	var changes []store.PlacementChange
	for k, i := range at {
		j := &b.Jobs[i]
		if !wished[i] || problem.Jobs[k].Pinned {
			continue
		}
		var is *store.Placement
		if place := plan[k]; place != nil {
			is = &store.Placement{Planned: j.ID, Day: b.Today.AddDays(place.Day), Bay: b.Bays[place.Bay].BayName, Technician: b.Technicians[place.Person].ID}
		}
		switch {
		case is == nil:
			need, short := schedule.Needed(problem, plan, k)
			p.Left = append(p.Left, LeftOut{Job: *j, Need: need, Room: !short, Board: b})
			if j.Placed == nil || j.Late || j.Gone || !w.Again {
				continue
			}
		case j.Placed.Same(is):
			continue
		case j.ToPlace():
			p.Placed++
		default:
			p.Moved++
		}
		changes = append(changes, store.PlacementChange{Planned: j.ID, Was: j.Placed, Is: is})
	}
	p.Price, p.Cost = schedule.Evaluate(problem, plan).Price, schedule.Cost(problem, plan)
	if len(changes) == 0 {
		return p, nil
	}
	return p, f.store.Place(ctx, by, "proposed", changes, b.Revision)
}

// wished jobs of the board by their index.
func (b *PlanBoard) wished(w Wish) (map[int]bool, error) {
	wished := map[int]bool{}
	for _, id := range w.Items {
		j, err := b.job(id)
		if err != nil {
			return nil, err
		}
		wished[slices.IndexFunc(b.Jobs, func(o PlanJob) bool { return o.ID == j.ID })] = true
	}
	for i, j := range b.Jobs {
		if j.Done != nil || j.Index < 0 {
			continue
		}
		inside := j.Placed != nil && !j.Late && !j.Gone && !j.Placed.Day.Before(w.From) && !j.Placed.Day.After(w.To)
		if w.Items == nil && j.ToPlace() || w.Again && inside && !j.Placed.Pinned && !j.Agreed {
			wished[i] = true
		}
	}
	return wished, nil
}

// subproblem of the wished jobs from a day on, among those that stay; at has the index of each of its jobs on the board. Days of
// agreed weeks take nothing more.
func (b *PlanBoard) subproblem(wished map[int]bool, from measure.Date) (*schedule.Problem, []int) {
	p := *b.Problem
	p.Jobs = nil
	var at []int
	for i, j := range b.Jobs {
		if j.Index < 0 {
			continue
		}
		s := b.Problem.Jobs[j.Index]
		switch {
		case !wished[i] && s.Before == nil:
			continue
		case !wished[i]:
			s.Pinned = true
		case !s.Pinned:
			s.Earliest = max(s.Earliest, from.Sub(b.Today))
			s.Away = b.alsoAgreed(s.Away)
		}
		at = append(at, i)
		p.Jobs = append(p.Jobs, s)
	}
	return &p, at
}

// alsoAgreed are the absences with the days of agreed weeks among them; nil for none.
func (b *PlanBoard) alsoAgreed(away []bool) []bool {
	if len(b.Agreed) == 0 {
		return away
	}
	all := make([]bool, b.Problem.Days)
	copy(all, away)
	for d := range all {
		monday := store.Monday(b.Problem.Day(d))
		all[d] = all[d] || slices.ContainsFunc(b.Agreed, func(w store.AgreedWeek) bool { return w.Monday.Equal(monday) })
	}
	return all
}

// PlanOptions of a line by day and bay: what it would break and cost there.
func (f *Fleet) PlanOptions(ctx context.Context, item int64, until measure.Date) (*PlanBoard, PlanJob, []schedule.Option, error) {
	b, j, err := f.planOf(ctx, item, until)
	if err != nil {
		return nil, PlanJob{}, nil, err
	}
	if len(b.Technicians) == 0 {
		return b, *j, nil, nil
	}
	return b, *j, schedule.Options(b.Problem, b.Plan, j.Index, -1), nil
}

// planOf a line: a board that holds it.
func (f *Fleet) planOf(ctx context.Context, item int64, until measure.Date) (*PlanBoard, *PlanJob, error) {
	b, err := f.PlanBoard(ctx, until)
	if err != nil {
		return nil, nil, err
	}
	j, err := b.job(item)
	if err == nil && j.Index < 0 && j.Placed != nil {
		if b, err = f.PlanBoard(ctx, lastDay(b.Today, j.Placed.Day)); err == nil {
			j, err = b.job(item)
		}
	}
	if err == nil && j.Index < 0 {
		err = fmt.Errorf("%w: %d", store.ErrNoWorkItem, item)
	}
	return b, j, err
}

// PlanExplanation is why a job is where it is, or what would have to give for it to have a place.
type PlanExplanation struct {
	Board  *PlanBoard
	Job    PlanJob
	Placed bool
	schedule.Explanation
	Need schedule.Need
	Room bool
}

// ExplainPlan of a line.
func (f *Fleet) ExplainPlan(ctx context.Context, item int64, until measure.Date) (e PlanExplanation, err error) {
	b, j, err := f.planOf(ctx, item, until)
	if err != nil {
		return e, err
	}
	if j.Placed != nil && !j.ToPlace() {
		// A week later is asked about, too.
		if later := j.Placed.Day.AddDays(7); later.After(b.Until) {
			if b, j, err = f.planOf(ctx, item, later); err != nil {
				return e, err
			}
		}
	}
	e.Board, e.Job = b, *j
	if e.Explanation, e.Placed = schedule.Explain(b.Problem, b.Plan, j.Index); !e.Placed {
		short := false
		e.Need, short = schedule.Needed(b.Problem, b.Plan, j.Index)
		e.Room = !short
	}
	return e, nil
}

// Change of the workshop that is supposed.
type Supposed struct {
	// LessBay closes one bay; LessTechnician is absent; both for the days from From on.
	LessBay        *store.BayName
	LessTechnician int64
	// Earlier: by how many days every hard night comes sooner.
	Earlier int
	// NewSite of a name with a bay and a technician of this kind of bay, half an hour from all others; empty for none.
	NewSite, NewBay string
	From, To        measure.Date
}

// WhatIf is a plan beside the one that there is.
type WhatIf struct {
	// Now and Then are the prices of what has a place in both.
	Now, Then schedule.Price
	// NowLeft are jobs without a place now; Out those that fall out of the plan then, In those that find a place.
	NowLeft   int
	Out, Left []LeftOut
	In        []PlanJob
	Moved     []Shift
	Board     *PlanBoard // as supposed
}

// Shift of a job from one place to another.
type Shift struct {
	Job      PlanJob
	Was, Is  schedule.Place
	WasBreak []schedule.Break
}

// WhatIf the workshop were another: the plan as it would be placed then. Nothing is written.
func (f *Fleet) WhatIf(ctx context.Context, s Supposed) (w WhatIf, err error) {
	today, err := f.Today(ctx)
	if err != nil {
		return w, err
	}
	if err := plannable("/to", s.To, today); err != nil {
		return w, err
	}
	b, err := f.PlanBoard(ctx, s.To)
	if err != nil {
		return w, err
	}
	before := slices.Clone(b.Plan)
	now := withoutMoves(b.Problem)
	if err := b.suppose(s); err != nil {
		return w, err
	}
	broken := map[int][]schedule.Break{}
	for _, br := range schedule.Evaluate(b.Problem, before).Breaks {
		broken[br.Job] = append(broken[br.Job], br)
	}
	then := *b.Problem
	then.Jobs = slices.Clone(b.Problem.Jobs)
	then.Rates.OtherDay, then.Rates.Other = heldTogether, heldTogether/5
	for i := range then.Jobs {
		// What was agreed is moved only where it cannot stay, the rest only where that makes room.
		j := &then.Jobs[i]
		j.Pinned = j.Before != nil && len(broken[i]) == 0 && j.Pinned
		if !j.Pinned && (j.Before == nil || j.Before.Day >= s.From.Sub(b.Today)) {
			j.Earliest = max(j.Earliest, s.From.Sub(b.Today))
		}
	}
	ctxSolve, cancel := context.WithTimeout(ctx, solverTime)
	defer cancel()
	plan, err := schedule.Solve(ctxSolve, &then, 0)
	if err != nil {
		return w, err
	}
	// What has a place in both is compared: a plan is no cheaper for a job that falls out of it.
	both := func(of schedule.Plan) schedule.Plan {
		some := make(schedule.Plan, len(of))
		for i := range of {
			if before[i] != nil && plan[i] != nil {
				some[i] = of[i]
			}
		}
		return some
	}
	after := withoutMoves(&then)
	after.Rates = now.Rates
	w.Board, w.Now, w.Then = b, schedule.Evaluate(now, both(before)).Price, schedule.Evaluate(after, both(plan)).Price
	for _, j := range b.Jobs {
		k := j.Index
		if k < 0 {
			continue
		}
		was, is := before[k], plan[k]
		if was == nil {
			w.NowLeft++
		}
		switch {
		case is == nil:
			need, short := schedule.Needed(&then, plan, k)
			left := LeftOut{Job: j, Need: need, Room: !short, Board: b}
			if was != nil {
				w.Out = append(w.Out, left)
			} else {
				w.Left = append(w.Left, left)
			}
		case was == nil:
			w.In = append(w.In, j)
		case *was != *is:
			w.Moved = append(w.Moved, Shift{j, *was, *is, broken[k]})
		}
	}
	return w, nil
}

// heldTogether is the hours of work that a move costs in a plan that is supposed, so that it stays as it is where it can.
const heldTogether = 5

// withoutMoves is the problem in which nothing was placed before: a plan costs what it costs in itself.
func withoutMoves(p *schedule.Problem) *schedule.Problem {
	same := *p
	same.Jobs = slices.Clone(p.Jobs)
	for i := range same.Jobs {
		same.Jobs[i].Before, same.Jobs[i].Pinned = nil, false
	}
	return &same
}

// suppose changes the problem of the board.
func (b *PlanBoard) suppose(s Supposed) error {
	p := b.Problem
	from := max(0, s.From.Sub(b.Today))
	if s.LessBay != nil {
		i := slices.IndexFunc(b.Bays, func(o PlanBay) bool { return o.BayName == *s.LessBay })
		if i < 0 {
			return refusal.New("/bay", fmt.Sprintf("%s %d", s.LessBay.Kind, s.LessBay.Number), "a bay of the register")
		}
		p.Bays[i].Closed = slices.Clone(p.Bays[i].Closed)
		for d := from; d < p.Days; d++ {
			p.Bays[i].Closed[d] = true
		}
	}
	if s.LessTechnician != 0 {
		i := slices.IndexFunc(b.Technicians, func(t PlanTechnician) bool { return t.ID == s.LessTechnician })
		if i < 0 {
			return refusal.New("/technician", fmt.Sprint(s.LessTechnician), "a technician of the register")
		}
		for d := from; d < p.Days; d++ {
			p.People[i].Hours[d] = 0
		}
	}
	for i := range p.Jobs {
		if hard := p.Jobs[i].Hard; s.Earlier > 0 && hard != nil {
			sooner := *hard - s.Earlier
			p.Jobs[i].Hard = &sooner
		}
	}
	if s.NewSite != "" {
		return b.newSite(s)
	}
	return nil
}

// halfAnHour is how far a site that is supposed lies from all others.
const halfAnHour = 0.5

func (b *PlanBoard) newSite(s Supposed) error {
	if !slices.Contains(visit.Bays, s.NewBay) || s.NewBay == visit.Place {
		return refusal.New("/newBay", s.NewBay, "a kind of bay")
	}
	skill := map[string]string{visit.Heavy: "truck", visit.Dock: "boat", visit.Hangar: "aircraft"}
	b.addSite(store.Record{Name: s.NewSite, Facts: map[string]string{"bays_" + s.NewBay: "1"}})
	p := b.Problem
	at := len(p.Sites) - 1
	for i := range p.Sites {
		p.Travel[i][at], p.Travel[at][i] = halfAnHour, halfAnHour
	}
	p.Travel[at][at] = 0
	b.addTechnician(store.Record{Name: "technician at " + s.NewSite, Facts: map[string]string{"site": s.NewSite, "skills": cmp.Or(skill[s.NewBay], s.NewBay)}})
	return nil
}

// Mixing is what a site mixes on a day of a product.
type Mixing struct {
	Day     measure.Date
	Site    string
	Code    string
	Product string
	// Litres of the product from its can and of purified water; Target strength, by volume of glycol.
	Rich, Water measure.Litre
	Target      float64
	Units       []string
}

// Mixings of the plan between two days, by day, site and product with its strength: what is to be mixed that morning.
func (b *PlanBoard) Mixings(from, to measure.Date) (all []Mixing) {
	for _, j := range b.Jobs {
		if j.Index < 0 || b.Plan[j.Index] == nil || j.Product.Code == "" || j.Poured.Product <= 0 {
			continue
		}
		at := b.Plan[j.Index]
		day := b.Today.AddDays(at.Day)
		if day.Before(from) || day.After(to) {
			continue
		}
		m := Mixing{Day: day, Site: b.Bays[at.Bay].Site, Code: j.Product.Code, Product: j.Product.Name, Target: j.Target}
		i := slices.IndexFunc(all, func(o Mixing) bool {
			return o.Day.Equal(m.Day) && o.Site == m.Site && o.Code == m.Code && o.Target == m.Target
		})
		if i < 0 {
			i = len(all)
			all = append(all, m)
		}
		all[i].Rich += j.Poured.Product
		all[i].Water += j.Poured.Water
		all[i].Units = append(all[i].Units, j.Unit.Code)
	}
	slices.SortFunc(all, func(a, b Mixing) int {
		return cmp.Or(a.Day.Compare(b.Day), cmp.Compare(a.Site, b.Site), cmp.Compare(a.Code, b.Code), cmp.Compare(a.Target, b.Target))
	})
	return all
}

// PlannedJobs of the plan by day, those of one technician, bay or site; nil takes all.
func (b *PlanBoard) PlannedJobs(takes func(PlanJob, store.Placement) bool) (all []PlanJob) {
	for _, j := range b.Jobs {
		if j.Placed != nil && !j.Gone && j.Done == nil && (takes == nil || takes(j, *j.Placed)) {
			all = append(all, j)
		}
	}
	slices.SortStableFunc(all, func(a, b PlanJob) int {
		return cmp.Or(a.Placed.Day.Compare(b.Placed.Day), cmp.Compare(a.Placed.Bay.SiteID, b.Placed.Bay.SiteID), cmp.Compare(a.Placed.Bay.Kind, b.Placed.Bay.Kind), cmp.Compare(a.Placed.Bay.Number, b.Placed.Bay.Number), cmp.Compare(a.ID, b.ID))
	})
	return all
}
