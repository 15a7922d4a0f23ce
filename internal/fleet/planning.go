package fleet

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"runtime"
	"slices"
	"strings"

	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/job"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/register"
	"diligentledger/core/schedule"
	"diligentledger/core/visit"
	"diligentledger/internal/store"
	"diligentledger/internal/words"

	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"
)

// MostPlanWeeks that a plan covers from today.
const MostPlanWeeks = 26

// Hours that are planned with where the register has none (common practice: a day shift).
const (
	usualOpen  = 8
	usualHours = 7.5
)

// PlanSite is a site with its bays' hours by day of the problem, and why it is closed where that is known.
type PlanSite struct {
	ID      int64
	Name    string
	Closed  map[int]string
	Assumed []string // codes of facts that are not in the register
}

// PlanBay is a bay, or the place where the units of a site are parked.
type PlanBay struct {
	store.BayName
	Site   string
	Closed map[int]string // by day of the problem, with why
}

// PlanTechnician with what they are absent for, by day of the problem.
type PlanTechnician struct {
	ID      int64
	Name    string
	Site    string
	Account string
	Skills  []string
	Absent  map[int]string
	Assumed []string
}

// PlanJob is an open line of the work list as the plan sees it.
type PlanJob struct {
	WorkLine
	Night *visit.Night
	Job   job.Kind // empty for work without a sheet
	// Product that is poured, and how much; Code empty for none.
	Product coolant.Product
	Target  float64
	Poured  job.Poured
	// Unsheeted is why its hours are not those of a sheet; empty when they are.
	Unsheeted string
	// Away are the unit's absences by day of the problem.
	Away map[int]string
	// Placed is where it is; nil for nowhere. Late: that day has passed, and the books do not show it done. Gone: the bay or the
	// technician of its place is no more.
	Placed     *store.Placement
	Late, Gone bool
	// Index into the jobs of the problem; -1 for one that is not in it.
	Index int
	// Agreed: it is in a week that is agreed.
	Agreed bool
}

// PlanBoard is the plan from today on, until a day.
type PlanBoard struct {
	Today, Until measure.Date
	Revision     int64
	Sites        []PlanSite
	Bays         []PlanBay
	Technicians  []PlanTechnician
	Jobs         []PlanJob
	Agreed       []store.AgreedWeek
	// Problem of the jobs that are not done, in the order of Sites, Bays and Technicians; Plan is where they are placed.
	Problem *schedule.Problem
	Plan    schedule.Plan
}

// PlanBoard of the open lines of the work list, from today until a day, which is included.
func (f *Fleet) PlanBoard(ctx context.Context, until measure.Date) (*PlanBoard, error) {
	today, err := f.Today(ctx)
	if err != nil {
		return nil, err
	}
	if err := plannable("/day", until, today); err != nil {
		return nil, err
	}
	b := &PlanBoard{Today: today, Until: until, Problem: &schedule.Problem{First: today, Days: until.Sub(today) + 1, Rates: schedule.UsualRates()}}
	if err := f.planResources(ctx, b); err != nil {
		return nil, err
	}
	return b, f.planJobs(ctx, b)
}

// plannable refuses a day of a field that the plan does not reach.
func plannable(pointer string, day, today measure.Date) error {
	if most := today.AddDays(7 * MostPlanWeeks); day.After(most) || day.Before(today) {
		return refusal.New(pointer, day.Format("2 Jan 2006"), "a day from "+today.Format("2 Jan 2006")+" to "+most.Format("2 Jan 2006"))
	}
	return nil
}

func (f *Fleet) planResources(ctx context.Context, b *PlanBoard) error {
	sites, err := f.store.SiteFacts(ctx)
	if err != nil {
		return err
	}
	for _, s := range sites {
		b.addSite(s)
	}
	for i, s := range sites {
		for j := range sites {
			if i == j {
				b.Problem.Travel[i][j] = 0
			}
		}
		for _, w := range s.Facts.Ways() {
			j := slices.IndexFunc(b.Sites, func(o PlanSite) bool { return strings.EqualFold(o.Name, w.Site) })
			if j >= 0 && j != i {
				b.Problem.Travel[i][j], b.Problem.Travel[j][i] = w.Hours, w.Hours
			}
		}
	}
	technicians, err := f.store.Technicians(ctx)
	if err != nil {
		return err
	}
	for _, t := range technicians {
		b.addTechnician(t)
	}
	return nil
}

// worksOn reports whether a day is one of the weekdays, by their codes; all of Monday to Friday where none is known.
func worksOn(days string, d measure.Date) bool {
	if days == "" {
		days = "mon,tue,wed,thu,fri"
	}
	return slices.Contains(strings.Split(days, ","), register.Weekdays[(int(d.Time().Weekday())+6)%7])
}

func (b *PlanBoard) addSite(r store.Record) {
	p := b.Problem
	site := PlanSite{ID: r.ID, Name: r.Name, Closed: map[int]string{}}
	hours, known := r.Facts.Number(register.Site, "hours")
	if !known {
		hours, site.Assumed = usualOpen, append(site.Assumed, "hours")
	}
	if r.Facts["days"] == "" {
		site.Assumed = append(site.Assumed, "days")
	}
	closed := r.Facts.Spans(register.Site, "closed")
	open := make([]float64, p.Days)
	for d := range p.Days {
		day := p.Day(d)
		if worksOn(r.Facts["days"], day) {
			open[d] = hours
		}
		for _, s := range closed {
			if s.Holds(day) {
				open[d], site.Closed[d] = 0, s.Note
			}
		}
	}
	at := len(p.Sites)
	p.Sites = append(p.Sites, schedule.Site{ID: fmt.Sprint(r.ID), Open: open})
	for i := range p.Travel {
		p.Travel[i] = append(p.Travel[i], -1)
	}
	p.Travel = append(p.Travel, slices.Repeat([]float64{-1}, at+1))
	b.Sites = append(b.Sites, site)
	out := r.Facts.Spans(register.Site, "bays_closed")
	for _, k := range register.BayKinds {
		n, _ := r.Facts.Number(register.Site, k.Fact)
		for number := range int(n) {
			b.addBay(at, k.Kind, number+1, out)
		}
	}
	b.addBay(at, visit.Place, 1, nil)
}

func (b *PlanBoard) addBay(site int, kind string, number int, out []register.Span) {
	name := store.BayName{SiteID: b.Sites[site].ID, Kind: kind, Number: number}
	bay := PlanBay{BayName: name, Site: b.Sites[site].Name, Closed: map[int]string{}}
	closed := make([]bool, b.Problem.Days)
	for d := range closed {
		for _, s := range out {
			if s.Bay == fmt.Sprintf("%s %d", kind, number) && s.Holds(b.Problem.Day(d)) {
				closed[d], bay.Closed[d] = true, s.Note
			}
		}
	}
	b.Bays = append(b.Bays, bay)
	b.Problem.Bays = append(b.Problem.Bays, schedule.Bay{ID: fmt.Sprintf("%06d %s %03d", name.SiteID, kind, number), Site: site, Kind: kind, Closed: closed})
}

func (b *PlanBoard) addTechnician(r store.Record) {
	site := slices.IndexFunc(b.Sites, func(s PlanSite) bool { return s.Name == r.Facts["site"] })
	if r.Facts["left"] == "yes" || site < 0 {
		return
	}
	p := b.Problem
	t := PlanTechnician{ID: r.ID, Name: r.Name, Site: b.Sites[site].Name, Account: r.Facts["account"], Absent: map[int]string{}}
	if r.Facts["skills"] != "" {
		t.Skills = strings.Split(r.Facts["skills"], ",")
	} else {
		t.Assumed = append(t.Assumed, "skills")
	}
	hours, known := r.Facts.Number(register.Technician, "hours")
	if !known {
		hours, t.Assumed = usualHours, append(t.Assumed, "hours")
	}
	overtime, _ := r.Facts.Number(register.Technician, "overtime")
	absent := r.Facts.Spans(register.Technician, "absent")
	days := make([]float64, p.Days)
	for d := range p.Days {
		day := p.Day(d)
		if p.Sites[site].Open[d] > 0 && (r.Facts["days"] == "" || worksOn(r.Facts["days"], day)) {
			days[d] = hours
		}
		for _, s := range absent {
			if s.Holds(day) {
				days[d], t.Absent[d] = 0, s.Note
			}
		}
	}
	b.Technicians = append(b.Technicians, t)
	p.People = append(p.People, schedule.Person{ID: fmt.Sprintf("%06d", r.ID), Site: site, Skills: t.Skills, Hours: days, Overtime: overtime})
}

func (f *Fleet) planJobs(ctx context.Context, b *PlanBoard) error {
	items, err := f.store.WorkList(ctx)
	if err != nil {
		return err
	}
	placed, revision, err := f.store.Placements(ctx)
	if err != nil {
		return err
	}
	if b.Agreed, err = f.store.AgreedWeeks(ctx); err != nil {
		return err
	}
	b.Revision = revision
	var codes []string
	for _, p := range items {
		if !slices.Contains(codes, p.Unit.Code) {
			codes = append(codes, p.Unit.Code)
		}
	}
	evaluated, err := f.Units(ctx, codes)
	if err != nil {
		return err
	}
	facts, err := f.store.UnitFacts(ctx, codes)
	if err != nil {
		return err
	}
	at := map[string]EvaluatedUnit{}
	for _, m := range evaluated {
		at[m.Unit.Code] = m
	}
	places := map[int64]store.Placement{}
	for _, p := range placed {
		places[p.Planned] = p
	}
	lines := workLines(items, evaluated)
	taken, err := f.takenBy(ctx, lines, at)
	if err != nil {
		return err
	}
	for i, l := range lines {
		j := PlanJob{WorkLine: l, Index: -1}
		if p, ok := places[l.ID]; ok {
			j.Placed = &p
			j.Agreed = slices.ContainsFunc(b.Agreed, func(w store.AgreedWeek) bool { return w.Monday.Equal(store.Monday(p.Day)) })
		}
		if l.Done == nil {
			b.planJob(&j, at[l.Unit.Code], taken[i], facts[l.Unit.Code])
		}
		b.Jobs = append(b.Jobs, j)
	}
	if n := len(b.Problem.Jobs); n > schedule.MostJobs {
		return refusal.New("/items", measure.Grouped(float64(n))+" lines of the work list to be planned", "at most "+measure.Grouped(schedule.MostJobs)+" at a time: remove some from the work list")
	}
	return nil
}

// takenBy is what each line takes that is not done; sheets that are not in memory are run on all processors.
func (f *Fleet) takenBy(ctx context.Context, lines []WorkLine, at map[string]EvaluatedUnit) ([]takenWork, error) {
	version, err := f.store.SheetVersion(ctx)
	if err != nil {
		return nil, err
	}
	taken := make([]takenWork, len(lines))
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i, l := range lines {
		if l.Done != nil {
			continue
		}
		group.Go(func() (err error) {
			u, _ := at[l.Unit.Code].circuitStatus(l.Address)
			taken[i], err = f.takes(ctx, u, l.Work, version)
			return err
		})
	}
	return taken, group.Wait()
}

// planJob of a line that is not done: into the problem, unless it is placed after its end.
func (b *PlanBoard) planJob(j *PlanJob, m EvaluatedUnit, t takenWork, facts register.Facts) {
	p := b.Problem
	site := slices.IndexFunc(b.Sites, func(s PlanSite) bool { return s.Name == j.Unit.Site })
	if site < 0 {
		return
	}
	_, status := m.circuitStatus(j.Address)
	j.Night = visit.HardNight(status.Clocks, j.Work, b.Today)
	j.Job, j.Product, j.Target, j.Poured, j.Unsheeted = t.kind, t.product, t.target, t.poured, t.why
	s := schedule.Job{ID: fmt.Sprintf("%012d", j.ID), Unit: j.Unit.Code, Site: site, Bay: visit.BayFor(j.Unit.Kind, j.Work), Skills: visit.SkillsFor(j.Unit.Kind, m.Unit.Drive == "hybrid" || m.Unit.Drive == "electric"),
		Cool: t.times.Cool, Hands: t.times.Hands, Run: t.times.Wait, Product: t.product.Code, Litres: float64(t.poured.Product), Mixed: t.product.Form == coolant.Concentrate, FollowUps: visit.FollowUps(j.Work, m.Unit.Plan.FollowDays)}
	s.Clocks, s.Held = visit.Clocks(status.Clocks, j.Work, b.Today)
	// The days that the line is meant for: not before the first, past the last as a clock that runs out the day after.
	if from := j.From.Sub(b.Today); from > 0 {
		s.Earliest = min(from, p.Days)
	}
	last := float64(j.To.Sub(b.Today) + 1)
	s.Clocks = append(s.Clocks, schedule.Clock{Kind: "planned", P10: last, P50: last, P90: last})
	if n := j.Night; n != nil {
		hard := n.Day.Sub(b.Today) - 1
		if n.Passed {
			hard = -1
		}
		s.Hard = &hard
		s.Earliest = min(s.Earliest, max(hard, 0)) // a wish does not keep it from its night
	}
	j.away(b, &s, facts)
	if j.Placed != nil {
		if !b.before(j, &s) {
			return
		}
	}
	j.Index = len(p.Jobs)
	p.Jobs = append(p.Jobs, s)
	if s.Before != nil {
		place := *s.Before
		b.Plan = append(b.Plan, &place)
	} else {
		b.Plan = append(b.Plan, nil)
	}
}

// circuitStatus of the circuit at an address, with the clocks of the whole unit where it has one circuit alone.
func (m EvaluatedUnit) circuitStatus(address string) (store.Unit, clock.UnitStatus) {
	for _, c := range m.Circuits {
		if c.Unit.Address() == address {
			return c.Unit, c.Status
		}
	}
	return m.Unit, m.Status
}

// away by day, of the unit.
func (j *PlanJob) away(b *PlanBoard, s *schedule.Job, facts register.Facts) {
	spans := facts.Spans(register.Unit, "away")
	if len(spans) == 0 {
		return
	}
	j.Away, s.Away = map[int]string{}, make([]bool, b.Problem.Days)
	for d := range s.Away {
		for _, span := range spans {
			if span.Holds(b.Problem.Day(d)) {
				s.Away[d], j.Away[d] = true, span.Note
			}
		}
	}
}

// before is where the job is placed, for the problem; false for a place after its end, which is left alone.
func (b *PlanBoard) before(j *PlanJob, s *schedule.Job) bool {
	at := *j.Placed
	switch {
	case at.Day.After(b.Until):
		return false
	case at.Day.Before(b.Today):
		j.Late = true
		return true
	}
	bay := slices.IndexFunc(b.Bays, func(o PlanBay) bool { return o.BayName == at.Bay })
	person := slices.IndexFunc(b.Technicians, func(o PlanTechnician) bool { return o.ID == at.Technician })
	if bay < 0 || person < 0 {
		j.Gone = true
		return true
	}
	s.Before, s.Pinned = &schedule.Place{Day: at.Day.Sub(b.Today), Bay: bay, Person: person}, at.Pinned || j.Agreed
	return true
}

// ToPlace reports whether the job waits for a place: it has none, or one that it cannot have any more.
func (j PlanJob) ToPlace() bool { return j.Done == nil && (j.Placed == nil || j.Late || j.Gone) }

// takenWork is what work on a unit takes, by its sheet or by the table.
type takenWork struct {
	kind    job.Kind
	times   job.Times
	poured  job.Poured
	product coolant.Product
	target  float64
	why     string
	version string // of the circuit and of what its sheet follows from
}

// takes of a work on a circuit. A unit whose sheet cannot be computed has common values, which are not kept: it takes down no other; an error
// says that the time is over.
func (f *Fleet) takes(ctx context.Context, u store.Unit, w clock.Work, version string) (takenWork, error) {
	key, version := u.Address()+"\n"+string(w), u.Version()+" "+version
	if kept, ok := f.taken.Load(key); ok {
		if t := kept.(takenWork); t.version == version {
			return t, nil
		}
	}
	t := takenWork{times: visit.HoursOf(w), version: version}
	if kind, sheet := visit.JobFor(u.Kind, w); sheet {
		t.kind = kind
		if err := f.bySheet(ctx, u, &t); err != nil {
			t.why = words.PlanSheetFailed
			return t, ctx.Err()
		}
	}
	f.taken.Store(key, t)
	return t, nil
}

// bySheet gives the hours and litres of a job's sheet, or why they are common values.
func (f *Fleet) bySheet(ctx context.Context, u store.Unit, t *takenWork) error {
	s, _, err := f.JobSetup(ctx, JobWanted{ID: uuid.Nil.String(), Unit: u.Address(), Kind: t.kind})
	var refused *refusal.Error
	if errors.As(err, &refused) && len(refused.Fields) > 0 {
		t.why = words.PlanUnsheeted(refused.Fields[0].Accepted)
		return nil
	}
	if err != nil {
		return err
	}
	times, poured, err := job.TimesOf(s)
	var endless *job.EndlessError
	if errors.As(err, &endless) {
		t.why = words.PlanEndless(endless.Step)
		return nil
	}
	t.times, t.poured, t.product, t.target = times, poured, s.Product, s.Target
	return err
}

// PlanRefusedError says which rules a place would break.
type PlanRefusedError struct {
	Board  *PlanBoard
	Job    PlanJob
	Option schedule.Option
	Here   *schedule.Price // where it is; nil for nowhere
	// Warned: the rules are such that a person may place it all the same, knowing it.
	Warned bool
}

func (e *PlanRefusedError) Error() string {
	var rules []string
	for _, b := range e.Option.Breaks {
		rules = append(rules, string(b.Rule))
	}
	return "the plan does not allow it: " + strings.Join(rules, ", ")
}

// PlanMove is where a line is to go. Was is where its mover saw it; nil for nowhere.
type PlanMove struct {
	Item int64
	Was  *store.Placement
	Day  measure.Date
	Bay  store.BayName
	// Technician by id; 0 for who suits best.
	Technician int64
	// Accepted: rules that may be broken knowingly are known to be.
	Accepted bool
}

// job of the board by the id of its line; a [refusal.Error] when it is not one that can be placed.
func (b *PlanBoard) job(id int64) (*PlanJob, error) {
	for i := range b.Jobs {
		if j := &b.Jobs[i]; j.ID == id {
			if j.Done != nil {
				return nil, refusal.New("/item", j.Unit.Code, "work that is not done: the books show this one done")
			}
			return j, nil
		}
	}
	return nil, fmt.Errorf("%w: %d", store.ErrNoWorkItem, id)
}

// lastDay of the plan that holds a day: the end of its week.
func lastDay(today, day measure.Date) measure.Date {
	if day.Before(today) {
		day = today
	}
	return store.Monday(day).AddDays(6)
}

// Moved job, with what its place costs, and the one before; nil for none.
type Moved struct {
	Job   PlanJob
	Price schedule.Price
	Here  *schedule.Price
}

// mostTries of a change that is computed from the plan, while others change it.
const mostTries = 5

// MoveJob to another place, or to its first. A [PlanRefusedError] names the rules that it would break. They are asked of the plan as it is
// when the move is written: when another person was faster, they are asked again.
func (f *Fleet) MoveJob(ctx context.Context, by store.Actor, m PlanMove) (moved Moved, err error) {
	for range mostTries {
		if moved, err = f.moveJob(ctx, by, m); !errors.Is(err, store.ErrOtherRevision) {
			return moved, err
		}
	}
	return moved, fmt.Errorf("%w: try again", store.ErrPlanChanged)
}

func (f *Fleet) moveJob(ctx context.Context, by store.Actor, m PlanMove) (moved Moved, err error) {
	today, err := f.Today(ctx)
	if err != nil {
		return moved, err
	}
	if m.Day.Before(today) {
		return moved, refusal.New("/day", m.Day.Format("2 Jan 2006"), "today or a later day")
	}
	b, err := f.PlanBoard(ctx, lastDay(today, m.Day))
	if err != nil {
		return moved, err
	}
	j, err := b.job(m.Item)
	if err != nil {
		return moved, err
	}
	if j.Index < 0 { // it is placed after the day that it goes to
		if b, err = f.PlanBoard(ctx, lastDay(today, j.Placed.Day)); err != nil {
			return moved, err
		}
		if j, err = b.job(m.Item); err != nil {
			return moved, err
		}
	}
	if !j.Placed.Same(m.Was) {
		who := "by another person"
		if j.Placed != nil {
			who = "by " + j.Placed.Who
		}
		return moved, fmt.Errorf("%w: %s was moved %s", store.ErrPlanChanged, j.Address, who)
	}
	o, here, err := b.optionAt(*j, m)
	if err != nil {
		return moved, err
	}
	moved = Moved{Job: *j, Price: o.Price, Here: here}
	if len(o.Breaks) > 0 && !(m.Accepted && o.Allowed()) {
		return moved, &PlanRefusedError{Board: b, Job: *j, Option: o, Here: moved.Here, Warned: o.Allowed()}
	}
	is := store.Placement{Planned: j.ID, Day: m.Day, Bay: m.Bay, Technician: b.Technicians[o.Person].ID, Pinned: m.Was != nil && m.Was.Pinned}
	change := store.PlacementChange{Planned: j.ID, Was: m.Was, Is: &is}
	return moved, f.store.Place(ctx, by, "moved", []store.PlacementChange{change}, b.Revision)
}

func (b *PlanBoard) optionAt(j PlanJob, m PlanMove) (o schedule.Option, here *schedule.Price, err error) {
	bay := slices.IndexFunc(b.Bays, func(o PlanBay) bool { return o.BayName == m.Bay })
	if bay < 0 {
		return o, nil, refusal.New("/bay", fmt.Sprintf("%s %d", m.Bay.Kind, m.Bay.Number), "a bay of the register")
	}
	if len(b.Technicians) == 0 {
		return o, nil, refusal.New("/technician", "none", "a technician: the register has none, add one first")
	}
	person := -1
	if m.Technician != 0 {
		if person = slices.IndexFunc(b.Technicians, func(t PlanTechnician) bool { return t.ID == m.Technician }); person < 0 {
			return o, nil, refusal.New("/technician", fmt.Sprint(m.Technician), "a technician of the register")
		}
	}
	o, here = schedule.Move(b.Problem, b.Plan, j.Index, m.Day.Sub(b.Today), bay, person)
	return o, here, nil
}

// TakeOff lines from their places, as one change.
func (f *Fleet) TakeOff(ctx context.Context, by store.Actor, was []store.Placement) error {
	var changes []store.PlacementChange
	for i := range was {
		changes = append(changes, store.PlacementChange{Planned: was[i].Planned, Was: &was[i]})
	}
	return f.store.Place(ctx, by, "taken_off", changes, store.AnyRevision)
}

// PinJob so that proposals leave it where it is, or unpin it.
func (f *Fleet) PinJob(ctx context.Context, by store.Actor, was store.Placement, pinned bool) error {
	is := was
	is.Pinned = pinned
	return f.store.Place(ctx, by, "pinned", []store.PlacementChange{{Planned: was.Planned, Was: &was, Is: &is}}, store.AnyRevision)
}

// UndoPlan reverses the last change of a person, or repeats the one that was reversed last.
func (f *Fleet) UndoPlan(ctx context.Context, by store.Actor, redo bool) error {
	return f.store.UndoPlan(ctx, by, redo)
}

// PlanUndoable reports whether a person has a change to undo and one to do again.
func (f *Fleet) PlanUndoable(ctx context.Context, person int64) (undo, redo bool, err error) {
	return f.store.Undoable(ctx, person)
}

// PlanRevision grows with each change of the plan.
func (f *Fleet) PlanRevision(ctx context.Context) (int64, error) { return f.store.PlanRevision(ctx) }

// AgreeWeek as it was seen at a revision. A [refusal.Error] for a week with a job that breaks a rule no person may break.
func (f *Fleet) AgreeWeek(ctx context.Context, by store.Actor, monday measure.Date, revision int64) error {
	if !store.Monday(monday).Equal(monday) {
		return refusal.New("/monday", monday.Format("Mon 2 Jan 2006"), "a Monday")
	}
	today, err := f.Today(ctx)
	if err != nil {
		return err
	}
	if monday.AddDays(6).Before(today) {
		return refusal.New("/monday", monday.Format("2 Jan 2006"), "a week that is not over")
	}
	b, err := f.PlanBoard(ctx, monday.AddDays(6))
	if err != nil {
		return err
	}
	if b.Revision != revision {
		return fmt.Errorf("%w: review the week again before agreeing it", store.ErrPlanChanged)
	}
	for _, broken := range schedule.Evaluate(b.Problem, b.Plan).Breaks {
		if day := b.Today.AddDays(broken.Day); broken.Rule.Warned() || day.Before(monday) {
			continue
		}
		i := slices.IndexFunc(b.Jobs, func(j PlanJob) bool { return j.Index == broken.Job })
		return refusal.New("/monday", b.Jobs[i].Unit.Code+" on "+b.Today.AddDays(broken.Day).Format("Mon 2 Jan")+", which breaks a rule", "a week without: move it first")
	}
	return f.store.AgreeWeek(ctx, by, monday, revision)
}

// UnlockWeek so that it can be changed again.
func (f *Fleet) UnlockWeek(ctx context.Context, by store.Actor, monday measure.Date) error {
	return f.store.UnlockWeek(ctx, by, monday)
}

// HeldWeek is how an agreed week came out.
type HeldWeek struct {
	Monday                       measure.Date
	Agreed, OnDay, InWeek, Later int
	Open                         int // not done yet, of a week that is over or not
}

// HeldWeeks of the last weeks until this one: what was agreed against what the books show done.
func (f *Fleet) HeldWeeks(ctx context.Context, b *PlanBoard, weeks int) ([]HeldWeek, error) {
	from := store.Monday(b.Today).AddDays(-7 * weeks)
	all, err := f.store.AgreedJobs(ctx, from)
	if err != nil {
		return nil, err
	}
	zone, err := f.store.Zone(ctx)
	if err != nil {
		return nil, err
	}
	done := map[int64]*measure.Date{}
	for _, a := range all {
		for _, j := range b.Jobs {
			if j.ID != a.Planned {
				continue
			}
			var on *measure.Date
			if j.Done != nil {
				day := measure.DateOf(*j.Done, zone)
				on = &day
			}
			if (on == nil) != (a.Done == nil) || on != nil && !on.Equal(*a.Done) {
				done[a.Planned] = on
			}
		}
	}
	if len(done) > 0 {
		// What is shown was just computed; keeping it is tried again with the next reading.
		_ = f.store.DoneAsAgreed(ctx, done)
	}
	held := map[measure.Date]*HeldWeek{}
	for _, a := range all {
		if on, changed := done[a.Planned]; changed {
			a.Done = on
		}
		w := held[a.Monday]
		if w == nil {
			w = &HeldWeek{Monday: a.Monday}
			held[a.Monday] = w
		}
		w.Agreed++
		switch {
		case a.Done == nil:
			w.Open++
		case a.Done.Equal(a.Day):
			w.OnDay++
		case store.Monday(*a.Done).Equal(a.Monday):
			w.InWeek++
		default:
			w.Later++
		}
	}
	out := make([]HeldWeek, 0, len(held))
	for _, monday := range slices.SortedFunc(maps.Keys(held), measure.Date.Compare) {
		out = append(out, *held[monday])
	}
	return out, nil
}

// BayKind that a job takes.
func BayKind(j PlanJob) string { return visit.BayFor(j.Unit.Kind, j.Work) }
