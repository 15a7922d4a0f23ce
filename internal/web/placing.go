package web

import (
	"context"
	"errors"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strings"
	"time"

	openapi "github.com/oapi-codegen/runtime/types"

	"diligentledger/api"
	"diligentledger/core/clock"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/schedule"
	"diligentledger/core/visit"
	"diligentledger/internal/fleet"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

func dayOf(d openapi.Date) measure.Date { return measure.DateOf(d.Time, time.UTC) }

// planWeeksShown without a wish for more.
const planWeeksShown = 2

// daysBack that the plan is shown at most: a year.
const daysBack = 366

// planView is the plan with the days that are shown.
type planView struct {
	*fleet.PlanBoard
	r    words.Reader
	zone *time.Location
	from measure.Date
	days int
	// offset of the first day that is shown from the first of the problem; below 0 when it has passed.
	offset int
	// plan as it is evaluated: what it breaks, takes and costs.
	plan schedule.Evaluation
}

func (h handlers) planView(ctx context.Context, from openapi.Date, weeks *int) (v planView, err error) {
	today, zone, err := h.today(ctx)
	if err != nil {
		return v, err
	}
	v = planView{r: reader(ctx), zone: zone, from: store.Monday(dayOf(from)), days: 7 * orElse(weeks, planWeeksShown)}
	first, last := today.AddDays(-daysBack), today.AddDays(7*fleet.MostPlanWeeks)
	if v.from.Before(first) || v.from.AddDays(v.days-1).After(last) {
		return v, refusal.New("/from", fmt.Sprintf("%d weeks from %s", v.days/7, v.r.Date(v.from)), "weeks between "+v.r.Date(first)+" and "+v.r.Date(last))
	}
	until := v.from.AddDays(v.days - 1)
	if until.Before(today) {
		until = today
	}
	v.PlanBoard, err = h.fleet.PlanBoard(ctx, until)
	v.offset = v.from.Sub(today)
	return v, err
}

// at is the day of the problem that the n-th shown day is; false for a past one.
func (v planView) at(n int) (int, bool) {
	d := v.offset + n
	return d, d >= 0 && d < v.Problem.Days
}

func byShown[T any](v planView, past T, of func(day int) T) []T {
	all := make([]T, v.days)
	for n := range all {
		all[n] = past
		if d, ok := v.at(n); ok {
			all[n] = of(d)
		}
	}
	return all
}

func round1(x float64) float64 { return math.Round(10*x) / 10 }

// GetPlan of some weeks.
func (h handlers) GetPlan(ctx context.Context, r api.GetPlanRequestObject) (api.GetPlanResponseObject, error) {
	v, err := h.planView(ctx, r.Params.From, r.Params.Weeks)
	if err != nil {
		return nil, err
	}
	out, err := h.planAnswer(ctx, v)
	return api.GetPlan200JSONResponse(out), err
}

func (h handlers) planAnswer(ctx context.Context, v planView) (out api.PlanBoard, err error) {
	out = api.PlanBoard{Today: date(v.Today), From: date(v.from), Farthest: date(v.Today.AddDays(7 * fleet.MostPlanWeeks)), Revision: v.Revision, Notes: []string{}, Sites: []api.PlanSite{}, Mixing: []api.PlanMixing{}, Held: []api.PlanHeld{}, Cautions: words.Cautions("", "")}
	if out.Undo, out.Redo, err = h.fleet.PlanUndoable(ctx, signedIn(ctx).ID); err != nil {
		return out, err
	}
	v.plan = schedule.Evaluate(v.Problem, v.Plan)
	for n := range v.days {
		day := v.from.AddDays(n)
		out.Days = append(out.Days, api.PlanBoardDay{Day: date(day), Past: day.Before(v.Today), Agreed: v.agreed(day)})
	}
	if err := h.planSites(ctx, v, &out); err != nil {
		return out, err
	}
	out.Bays, out.Technicians = v.bays(), v.technicians()
	for _, t := range v.Technicians {
		if len(t.Assumed) > 0 {
			out.Notes = append(out.Notes, words.PlanAssumed(t.Name, t.Assumed, true))
		}
	}
	out.Jobs = each(v.Jobs, v.job)
	nights, err := h.fleet.UnpreventedNights(ctx, v.PlanBoard)
	if err != nil {
		return out, err
	}
	out.Nights = each(nights, func(n fleet.Unprevented) api.PlanNight {
		return api.PlanNight{Unit: n.Code, Name: n.Name, Site: n.Site, Night: date(n.Night.Day), Text: v.r.PlanUnprevented(n.Night)}
	})
	out.Mixing = each(v.Mixings(v.from, v.from.AddDays(v.days-1)), v.mixing)
	out.Drawn = v.r.PlanDrawn(drawn(v.Mixings(v.Today, v.Until)))
	out.Price, out.Cost = append([]string{}, words.PlanPrice(v.plan.Price, true)...), v.plan.Price.Cost
	held, err := h.fleet.HeldWeeks(ctx, v.PlanBoard, heldWeeks)
	out.Held = each(held, func(w fleet.HeldWeek) api.PlanHeld {
		return api.PlanHeld{Monday: date(w.Monday), Text: words.PlanHeld(w.Agreed, w.OnDay, w.InWeek, w.Later, w.Open), Agreed: w.Agreed, OnDay: w.OnDay}
	})
	return out, err
}

// planSites with their hours and cold season, and what is assumed of them.
func (h handlers) planSites(ctx context.Context, v planView, out *api.PlanBoard) error {
	sites, err := h.fleet.Sites(ctx)
	if err != nil {
		return err
	}
	for i, s := range v.Sites {
		site := api.PlanSite{Id: s.ID, Name: s.Name, Seasons: []api.Season{}, Open: byShown(v, 0, func(d int) float64 { return v.Problem.Sites[i].Open[d] }), Closed: byShown(v, "", func(d int) string { return s.Closed[d] })}
		if k := slices.IndexFunc(sites, func(o store.Site) bool { return o.ID == s.ID }); k >= 0 {
			site.Seasons = seasons(sites[k].Cold, v.Today)
		}
		out.Sites = append(out.Sites, site)
		if len(s.Assumed) > 0 {
			out.Notes = append(out.Notes, words.PlanAssumed(s.Name, s.Assumed, false))
		}
	}
	return nil
}

// bays with the hours that their jobs take.
func (v planView) bays() []api.PlanBay {
	all := []api.PlanBay{}
	for i, b := range v.Bays {
		closed, open := v.Problem.Bays[i].Closed, v.Problem.Sites[v.Problem.Bays[i].Site].Open
		all = append(all, api.PlanBay{Bay: bayName(b.BayName), Name: words.BayName(b.Kind, b.Number), Closed: byShown(v, "", func(d int) string {
			if closed[d] {
				return orText(b.Closed[d], words.OutOfUse)
			}
			return ""
		}), Open: byShown(v, 0, func(d int) float64 {
			if closed[d] {
				return 0
			}
			return open[d]
		}), Hours: byShown(v, 0, func(d int) float64 { return round1(v.plan.Bays[i][d]) })})
	}
	return all
}

// technicians with the hours that their jobs take.
func (v planView) technicians() []api.PlanTechnician {
	all := []api.PlanTechnician{}
	for i, t := range v.Technicians {
		all = append(all, api.PlanTechnician{Id: t.ID, Name: t.Name, Site: t.Site, Skills: words.Skills(t.Skills), Overtime: v.Problem.People[i].Overtime,
			Absent: byShown(v, "", func(d int) string { return t.Absent[d] }), Has: byShown(v, 0, func(d int) float64 { return v.Problem.People[i].Hours[d] }), Hours: byShown(v, 0, func(d int) float64 { return round1(v.plan.People[i][d]) })})
	}
	return all
}

// heldWeeks before this one whose outcome is shown.
const heldWeeks = 8

func orText(text, usual string) string {
	if text == "" {
		return usual
	}
	return text
}

func drawn(all []fleet.Mixing) []words.Drawn {
	var sums []words.Drawn
	for _, m := range all {
		i := slices.IndexFunc(sums, func(d words.Drawn) bool { return d.Product == m.Product })
		if i < 0 {
			i = len(sums)
			sums = append(sums, words.Drawn{Product: m.Product})
		}
		sums[i].Rich += float64(m.Rich)
		sums[i].Water += float64(m.Water)
	}
	slices.SortFunc(sums, func(a, b words.Drawn) int { return strings.Compare(a.Product, b.Product) })
	return sums
}

func (v planView) agreed(day measure.Date) bool {
	return slices.ContainsFunc(v.Agreed, func(w store.AgreedWeek) bool { return w.Monday.Equal(store.Monday(day)) })
}

func bayName(b store.BayName) api.PlanBayName {
	return api.PlanBayName{Site: b.SiteID, Kind: api.BayKind(b.Kind), Number: b.Number}
}

func bayOf(b api.PlanBayName) store.BayName {
	return store.BayName{SiteID: b.Site, Kind: string(b.Kind), Number: b.Number}
}

func (v planView) mixing(m fleet.Mixing) api.PlanMixing {
	return api.PlanMixing{Day: date(m.Day), Site: m.Site, Units: m.Units, Text: v.r.PlanMixing(m.Product, float64(m.Rich), float64(m.Water), m.Target)}
}

func planPlace(p store.Placement) *api.PlanPlace {
	return &api.PlanPlace{Day: date(p.Day), Bay: bayName(p.Bay), Technician: p.Technician, Pinned: p.Pinned}
}

// placement as it was seen by who moves it.
func placement(item int64, p *api.PlanPlace) *store.Placement {
	if p == nil {
		return nil
	}
	return &store.Placement{Planned: item, Day: dayOf(p.Day), Bay: bayOf(p.Bay), Technician: p.Technician, Pinned: p.Pinned}
}

func (v planView) job(j fleet.PlanJob) api.PlanJob {
	_, sheet := visit.JobFor(j.Unit.Kind, j.Work)
	out := api.PlanJob{Sheet: sheet, Id: j.ID, Unit: j.Address, Name: j.Unit.Name, Kind: j.Unit.Kind, Site: j.Unit.Site, Work: api.Work(j.Work), Verdict: api.Verdict(j.Governing.Verdict), Why: v.r.Reason(j.Governing, j.Unit.Site),
		From: date(j.From), To: date(j.To), Bay: api.BayKind(fleet.BayKind(j)), Agreed: j.Agreed, Breaks: []string{}, Warnings: []string{}, State: api.PlanJobStateToPlace}
	if j.Done != nil {
		done := date(measure.DateOf(*j.Done, v.zone))
		out.Done, out.State = &done, api.PlanJobStateDone
	}
	if j.Placed != nil {
		out.Place = planPlace(*j.Placed)
		if t := slices.IndexFunc(v.Technicians, func(t fleet.PlanTechnician) bool { return t.ID == j.Placed.Technician }); t >= 0 {
			out.Technician = &v.Technicians[t].Name
		}
		switch {
		case j.Done != nil:
		case j.Late:
			out.State = api.PlanJobStateLate
		case j.Gone:
			out.State = api.PlanJobStateGone
		default:
			out.State = api.PlanJobStatePlaced
		}
	}
	if n := j.Night; n != nil {
		day, text := date(n.Day), v.r.PlanNight(*n, j.Work)
		out.Night, out.NightText = &day, &text
	}
	if j.Index >= 0 {
		s := v.Problem.Jobs[j.Index]
		out.Skills, out.Hands, out.BayHours = words.Skills(s.Skills), round1(s.Hands), round1(s.Cool+s.Hands+s.Run)
		out.Times = words.PlanTimes(s.Cool, s.Hands, s.Run, string(j.Job) != "" && j.Unsheeted == "")
		if j.Product.Code != "" {
			text := v.r.PlanMixing(j.Product.Name, float64(j.Poured.Product), float64(j.Poured.Water), j.Target)
			out.Product = &text
		}
		if j.Unsheeted != "" {
			out.Warnings = append(out.Warnings, j.Unsheeted)
		}
		for _, b := range v.plan.Breaks {
			if b.Job != j.Index {
				continue
			}
			text := v.r.PlanBreak(b, v.placing(j, b.Place))
			out.Caught = out.Caught || b.Rule == schedule.HardNight
			if b.Rule.Warned() {
				out.Warnings = append(out.Warnings, text)
			} else {
				out.Breaks = append(out.Breaks, text)
			}
		}
	}
	return out
}

// placing names a place of a job.
func (v planView) placing(j fleet.PlanJob, at schedule.Place) words.Placing {
	return placing(v.PlanBoard, j, at)
}

func placing(v *fleet.PlanBoard, j fleet.PlanJob, at schedule.Place) words.Placing {
	p := words.Placing{Unit: j.Unit.Code, Day: v.Today.AddDays(at.Day), From: j.From, Product: j.Product.Name, BayKind: fleet.BayKind(j), Away: j.Away[at.Day]}
	if j.Index >= 0 {
		p.Skills = v.Problem.Jobs[j.Index].Skills
	}
	if n := j.Night; n != nil {
		p.Night, p.Raw = &n.Day, n.Of == clock.RawWater
	}
	if at.Bay < len(v.Bays) {
		b := v.Bays[at.Bay]
		p.Bay, p.Site = words.BayName(b.Kind, b.Number), b.Site
		p.Closed = b.Closed[at.Day]
		for _, s := range v.Sites {
			if s.ID == b.SiteID && p.Closed == "" {
				p.Closed = s.Closed[at.Day]
			}
		}
	}
	if at.Person < len(v.Technicians) {
		p.Technician, p.Absent = v.Technicians[at.Person].Name, v.Technicians[at.Person].Absent[at.Day]
	}
	return p
}

// ProposePlan places jobs.
func (h handlers) ProposePlan(ctx context.Context, r api.ProposePlanRequestObject) (api.ProposePlanResponseObject, error) {
	w := fleet.Wish{From: dayOf(r.Body.From), To: dayOf(r.Body.To), Again: orElse(r.Body.Again, false), AllDue: orElse(r.Body.AllDue, false)}
	if r.Body.Items != nil {
		w.Items = *r.Body.Items
	}
	p, err := h.fleet.Propose(ctx, by(ctx), w)
	if err != nil {
		return nil, err
	}
	out := api.ProposePlan200JSONResponse{Placed: p.Placed, Moved: p.Moved, Added: p.Added, NoDay: append([]string{}, p.NoDay...), Left: leftOut(reader(ctx), p.Left), Ms: int(p.Took.Milliseconds())}
	return out, nil
}

func leftOut(r words.Reader, all []fleet.LeftOut) []api.PlanLeft {
	out := []api.PlanLeft{}
	for _, l := range all {
		out = append(out, api.PlanLeft{Id: l.Job.ID, Unit: l.Job.Address, Work: api.Work(l.Job.Work), Text: r.PlanNeed(l.Need, placing(l.Board, l.Job, l.Need.Place), l.Room)})
	}
	return out
}

// MovePlan places or moves a line.
func (h handlers) MovePlan(ctx context.Context, r api.MovePlanRequestObject) (api.MovePlanResponseObject, error) {
	m := fleet.PlanMove{Item: r.Body.Item, Was: placement(r.Body.Item, r.Body.Was), Day: dayOf(r.Body.Day), Bay: bayOf(r.Body.Bay), Technician: value64(r.Body.Technician), Accepted: orElse(r.Body.Accepted, false)}
	moved, err := h.fleet.MoveJob(ctx, by(ctx), m)
	var refused *fleet.PlanRefusedError
	if errors.As(err, &refused) {
		out := api.MovePlan200JSONResponse{Breaks: []string{}, Price: []string{}, Warned: refused.Warned}
		for _, b := range refused.Option.Breaks {
			out.Breaks = append(out.Breaks, reader(ctx).PlanBreak(b, placing(refused.Board, refused.Job, b.Place)))
		}
		out.Price = append(out.Price, movePrice(refused.Option.Price, refused.Here)...)
		return out, nil
	}
	return api.MovePlan200JSONResponse{Placed: true, Breaks: []string{}, Price: append([]string{}, movePrice(moved.Price, moved.Here)...)}, err
}

// movePrice is what a place costs against where the job was; as it is where it had no place.
func movePrice(there schedule.Price, here *schedule.Price) []string {
	if here == nil {
		return words.PlanPrice(there, false)
	}
	return words.PlanDifference(there.Minus(*here))
}

func value64(v *int64) int64 {
	if v == nil {
		return 0
	}
	return *v
}

// TakeOffPlan of lines.
func (h handlers) TakeOffPlan(ctx context.Context, r api.TakeOffPlanRequestObject) (api.TakeOffPlanResponseObject, error) {
	var was []store.Placement
	for _, one := range r.Body.Items {
		was = append(was, *placement(one.Item, &one.Was))
	}
	return api.TakeOffPlan204Response{}, h.fleet.TakeOff(ctx, by(ctx), was)
}

// PinPlan of a line.
func (h handlers) PinPlan(ctx context.Context, r api.PinPlanRequestObject) (api.PinPlanResponseObject, error) {
	return api.PinPlan204Response{}, h.fleet.PinJob(ctx, by(ctx), *placement(r.Body.Item, &r.Body.Was), r.Body.Pinned)
}

// UndoPlan of one's last change.
func (h handlers) UndoPlan(ctx context.Context, r api.UndoPlanRequestObject) (api.UndoPlanResponseObject, error) {
	return api.UndoPlan204Response{}, h.fleet.UndoPlan(ctx, by(ctx), r.Body.Redo)
}

// AgreeWeek as it was seen.
func (h handlers) AgreeWeek(ctx context.Context, r api.AgreeWeekRequestObject) (api.AgreeWeekResponseObject, error) {
	return api.AgreeWeek204Response{}, h.fleet.AgreeWeek(ctx, by(ctx), dayOf(r.Monday), r.Body.Revision)
}

// UnlockWeek that was agreed.
func (h handlers) UnlockWeek(ctx context.Context, r api.UnlockWeekRequestObject) (api.UnlockWeekResponseObject, error) {
	return api.UnlockWeek204Response{}, h.fleet.UnlockWeek(ctx, by(ctx), dayOf(r.Monday))
}

// GetPlanOptions of a line by day and bay.
func (h handlers) GetPlanOptions(ctx context.Context, r api.GetPlanOptionsRequestObject) (api.GetPlanOptionsResponseObject, error) {
	v, err := h.planView(ctx, r.Params.From, r.Params.Weeks)
	if err != nil {
		return nil, err
	}
	board, j, options, err := h.fleet.PlanOptions(ctx, r.Id, v.Until)
	if err != nil {
		return nil, err
	}
	out := api.GetPlanOptions200JSONResponse{Id: j.ID, Days: [][]api.PlanOption{}}
	least := math.Inf(1)
	for _, o := range options {
		if len(o.Breaks) == 0 {
			least = min(least, o.Price.Cost)
		}
	}
	here := placeOn(board, j)
	var hence *schedule.Price
	if here != nil {
		hence = &options[here.Day*len(board.Bays)+here.Bay].Price
	}
	for n := range v.days {
		row := []api.PlanOption{}
		for b := range board.Bays {
			d := v.offset + n
			k := d*len(board.Bays) + b
			switch {
			case d < 0:
				row = append(row, api.PlanOption{State: api.PlanOptionStateRefused, Text: words.DayPassed})
			case k >= len(options):
				row = append(row, api.PlanOption{State: api.PlanOptionStateRefused, Text: words.PlanNoTechnician})
			default:
				row = append(row, v.option(board, j, options[k], least, here, hence))
			}
		}
		out.Days = append(out.Days, row)
	}
	return out, nil
}

// placeOn a board of a job; nil for none.
func placeOn(b *fleet.PlanBoard, j fleet.PlanJob) *schedule.Place {
	if j.Index < 0 {
		return nil
	}
	return b.Plan[j.Index]
}

func (v planView) option(board *fleet.PlanBoard, j fleet.PlanJob, o schedule.Option, least float64, here *schedule.Place, hence *schedule.Price) api.PlanOption {
	out := api.PlanOption{State: api.PlanOptionStateFree}
	var breaks []string
	for _, b := range o.Breaks {
		breaks = append(breaks, v.r.PlanBreak(b, placing(board, j, b.Place)))
	}
	switch {
	case here != nil && here.Day == o.Day && here.Bay == o.Bay:
		out.State = api.PlanOptionStateHere
	case len(o.Breaks) > 0 && o.Allowed():
		out.State = api.PlanOptionStateWarned
	case len(o.Breaks) > 0:
		out.State = api.PlanOptionStateRefused
	}
	// What it costs is said against where it is, of a place that it could have.
	price := words.PlanPrice(o.Price, false)
	if hence != nil && out.State != api.PlanOptionStateHere {
		price = words.PlanDifference(o.Price.Minus(*hence))
	}
	if out.State == api.PlanOptionStateRefused {
		price = nil
	}
	out.Text = strings.Join(append(price, breaks...), "; ")
	if o.Person < len(board.Technicians) && out.State != api.PlanOptionStateRefused {
		name := board.Technicians[o.Person].Name
		out.Technician = &name
	}
	if !math.IsInf(least, 1) {
		out.Cost = round1(o.Price.Cost - least)
	}
	return out
}

// ExplainPlan of a line.
func (h handlers) ExplainPlan(ctx context.Context, r api.ExplainPlanRequestObject) (api.ExplainPlanResponseObject, error) {
	today, _, err := h.today(ctx)
	if err != nil {
		return nil, err
	}
	e, err := h.fleet.ExplainPlan(ctx, r.Id, today.AddDays(explainDays))
	if err != nil {
		return nil, err
	}
	rd := reader(ctx)
	out := api.ExplainPlan200JSONResponse{Id: e.Job.ID, Unit: e.Job.Address}
	add := func(heading string, text ...string) {
		if len(text) > 0 {
			out.Lines = append(out.Lines, struct {
				Heading string   `json:"heading"`
				Text    []string `json:"text"`
			}{heading, text})
		}
	}
	if !e.Placed {
		add(words.PlanHeadings.Need, rd.PlanNeed(e.Need, placing(e.Board, e.Job, e.Need.Place), e.Room))
		return out, nil
	}
	here := words.PlanPrice(e.Here, false)
	if len(here) == 0 {
		here = []string{words.PlanHeadings.Nothing}
	}
	add(words.PlanHeadings.Here, here...)
	var broken []string
	for _, b := range e.Breaks {
		broken = append(broken, rd.PlanBreak(b, placing(e.Board, e.Job, b.Place)))
	}
	add(words.PlanHeadings.Breaks, broken...)
	if l := e.Later; l != nil {
		later := words.PlanDifference(l.Price.Minus(e.Here))
		for _, b := range l.Breaks {
			later = append(later, rd.PlanBreak(b, placing(e.Board, e.Job, b.Place)))
		}
		if len(later) == 0 {
			later = []string{words.PlanHeadings.Same}
		}
		add(rd.PlanLater(e.Board.Today.AddDays(l.Day)), later...)
	}
	if l := e.Least; l != nil {
		text := words.PlanDifference(l.Price.Minus(e.Here))
		if len(text) == 0 {
			text = []string{words.PlanHeadings.Same}
		}
		at := placing(e.Board, e.Job, l.Place)
		add(rd.PlanNext(at.Day, at.Bay, at.Site, at.Technician), text...)
	}
	return out, nil
}

// explainDays in which other places of a job are compared (judgement: a quarter).
const explainDays = 91

// supposed change of a request, and the name of what it is about.
func supposed(b api.WhatIfJSONRequestBody) (s fleet.Supposed, name string, err error) {
	s = fleet.Supposed{From: dayOf(b.From), To: dayOf(b.To), LessTechnician: value64(b.Technician), NewSite: strings.TrimSpace(text(b.Name))}
	switch kind := string(b.Supposed); {
	case kind == "less_bay" && b.Bay == nil:
		return s, "", fieldProblem("/bay", "nothing", "the bay that is out of use")
	case kind == "less_technician" && s.LessTechnician == 0:
		return s, "", fieldProblem("/technician", "nothing", "the technician who is absent")
	case kind == "earlier" && b.Days == nil:
		return s, "", fieldProblem("/days", "nothing", "1 to 60 days")
	case kind == "new_site" && (s.NewSite == "" || b.Kind == nil):
		return s, "", fieldProblem("/name", "nothing", "a name, and the kind of its bay")
	case kind == "less_bay":
		bay := bayOf(*b.Bay)
		s.LessBay = &bay
		return s, words.BayName(bay.Kind, bay.Number), nil
	case kind == "earlier":
		s.Earlier = *b.Days
	case kind == "new_site":
		s.NewBay = string(*b.Kind)
	}
	return s, s.NewSite, nil
}

// WhatIf the workshop were another.
func (h handlers) WhatIf(ctx context.Context, r api.WhatIfRequestObject) (api.WhatIfResponseObject, error) {
	s, name, err := supposed(*r.Body)
	if err != nil {
		return nil, err
	}
	w, err := h.fleet.WhatIf(ctx, s)
	if err != nil {
		return nil, err
	}
	rd := reader(ctx)
	for _, t := range w.Board.Technicians {
		if t.ID == s.LessTechnician && t.ID != 0 {
			name = t.Name
		}
	}
	for _, b := range w.Board.Bays {
		if s.LessBay != nil && b.BayName == *s.LessBay {
			name += " at " + b.Site
		}
	}
	out := api.WhatIf200JSONResponse{Title: rd.PlanSupposed(string(r.Body.Supposed), name, s.Earlier), Now: words.PlanPrice(w.Now, true), Then: words.PlanPrice(w.Then, true), Difference: words.PlanDifference(w.Then.Minus(w.Now)),
		NowCost: round1(w.Now.Cost), ThenCost: round1(w.Then.Cost), NowLeft: w.NowLeft, Out: leftOut(rd, w.Out), Left: leftOut(rd, w.Left), In: []string{}, Moved: []string{}}
	for _, j := range w.In {
		out.In = append(out.In, j.Address)
	}
	for _, m := range w.Moved {
		was, is := placing(w.Board, m.Job, m.Was), placing(w.Board, m.Job, m.Is)
		out.Moved = append(out.Moved, rd.PlanShift(was, is))
	}
	for _, list := range []*[]string{&out.Now, &out.Then, &out.Difference} {
		if *list == nil {
			*list = []string{}
		}
	}
	return out, nil
}

// GetPlanDay of a technician.
func (h handlers) GetPlanDay(ctx context.Context, r api.GetPlanDayRequestObject) (api.GetPlanDayResponseObject, error) {
	today, zone, err := h.today(ctx)
	if err != nil {
		return nil, err
	}
	day := today
	if r.Params.Day != nil {
		day = dayOf(*r.Params.Day)
	}
	until := day
	if until.Before(today) {
		until = today
	}
	b, err := h.fleet.PlanBoard(ctx, until)
	if err != nil {
		return nil, err
	}
	v := planView{PlanBoard: b, r: reader(ctx), zone: zone, from: day, days: 1, offset: day.Sub(today)}
	v.plan = schedule.Evaluate(b.Problem, b.Plan)
	out := api.GetPlanDay200JSONResponse{Day: date(day), Today: date(today), Agreed: v.agreed(day), Jobs: []api.PlanDayJob{}, Notes: []string{}}
	out.Technicians = each(b.Technicians, func(t fleet.PlanTechnician) (of struct {
		Id   int64  `json:"id"`
		Name string `json:"name"`
	}) {
		of.Id, of.Name = t.ID, t.Name
		return of
	})
	i := v.whose(value64(r.Params.Technician), signedIn(ctx).Email)
	if i < 0 {
		return out, nil
	}
	t := b.Technicians[i]
	out.Technician, out.Name = &t.ID, &t.Name
	if d, inside := v.at(0); inside {
		if b.Problem.People[i].Hours[d] <= 0 {
			absent := orText(t.Absent[d], words.NoWorkingDay)
			out.Absent = &absent
		}
		out.Hours = words.PlanHours(v.plan.People[i][d], b.Problem.People[i].Hours[d])
	}
	open, err := h.fleet.Jobs(ctx, writer(ctx), 0)
	if err != nil {
		return nil, err
	}
	mine := map[string]bool{}
	for _, j := range b.Jobs {
		if j.Placed != nil && !j.Gone && j.Placed.Day.Equal(day) && j.Placed.Technician == t.ID {
			mine[j.Unit.Code] = true
			out.Jobs = append(out.Jobs, v.dayJob(j, open))
		}
	}
	// Cold engines first: what is done where the unit is parked, before it is driven.
	slices.SortStableFunc(out.Jobs, func(a, b api.PlanDayJob) int { return boolRank(a.Bay != visit.Place) - boolRank(b.Bay != visit.Place) })
	if mixing := slices.DeleteFunc(b.Mixings(day, day), func(m fleet.Mixing) bool {
		return !slices.ContainsFunc(m.Units, func(code string) bool { return mine[code] })
	}); len(mixing) > 0 {
		all := each(mixing, v.mixing)
		out.Mixing = &all
	}
	return out, nil
}

// whose day it is: of the technician of an id, or with the e-mail of the account; below 0 for no one's.
func (v planView) whose(id int64, email string) int {
	return slices.IndexFunc(v.Technicians, func(t fleet.PlanTechnician) bool {
		return t.ID == id || id == 0 && t.Account != "" && strings.EqualFold(t.Account, email)
	})
}

func boolRank(b bool) int {
	if b {
		return 1
	}
	return 0
}

// dayJob of a technician, with the job that is open on its unit.
func (v planView) dayJob(j fleet.PlanJob, open []fleet.JobFollow) api.PlanDayJob {
	job := v.job(j)
	row := api.PlanDayJob{Bay: api.BayKind(j.Placed.Bay.Kind), Sheet: job.Sheet, Id: j.ID, Unit: j.Address, Name: j.Unit.Name, Work: api.Work(j.Work), Times: job.Times, State: api.PlanDayJobStatePlanned, Warnings: append(append([]string{}, job.Breaks...), job.Warnings...)}
	if job.NightText != nil {
		row.Warnings = append(row.Warnings, *job.NightText)
	}
	for _, o := range open {
		if o.Address == j.Address && o.EndedAt == nil && !o.Setup.Exercise {
			row.Job = &o.Setup.ID
		}
	}
	row.Place = words.BayName(j.Placed.Bay.Kind, j.Placed.Bay.Number) + ", " + v.siteOf(j.Placed.Bay)
	switch {
	case j.Done != nil:
		row.State = api.PlanDayJobStateDone
	case j.Late:
		row.State = api.PlanDayJobStateLate
	}
	return row
}

// streamLasts is how long a stream is held open where the configuration says nothing; streamLooks is how often the plan is asked for its
// revision, so that a move is seen within half a second.
const (
	streamLasts = 50 * time.Second
	streamLooks = 400 * time.Millisecond
)

// isStream reports whether the answer is a stream of events.
func isStream(path string) bool { return path == apiPrefix+"plan/events" }

// planStream writes the revision of the plan whenever there is another one.
type planStream struct {
	ctx      context.Context
	revision func(context.Context) (int64, error)
	lasts    time.Duration
}

// VisitWatchPlanResponse writes the events until the client leaves or the time is over.
func (s planStream) VisitWatchPlanResponse(w http.ResponseWriter) error {
	ctx, cancel := context.WithTimeout(s.ctx, s.lasts)
	defer cancel()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("X-Accel-Buffering", "no")
	w.WriteHeader(http.StatusOK)
	flush := http.NewResponseController(w)
	closing, _ := s.ctx.Value(closingKey{}).(chan struct{})
	last := int64(-1)
	every := time.NewTicker(streamLooks)
	defer every.Stop()
	for {
		now, err := s.revision(ctx)
		if err == nil && now != last {
			last = now
			if _, err := fmt.Fprintf(w, "retry: 1000\ndata: %d\n\n", now); err != nil {
				return nil // the client has left
			}
			if err := flush.Flush(); err != nil {
				return nil
			}
		}
		select {
		case <-ctx.Done():
			return nil
		case <-closing:
			return nil
		case <-every.C:
		}
	}
}

// WatchPlan as a stream of events.
func (h handlers) WatchPlan(ctx context.Context, _ api.WatchPlanRequestObject) (api.WatchPlanResponseObject, error) {
	return planStream{ctx, h.fleet.PlanRevision, h.stream}, nil
}
