package web

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"diligentledger/api"
	"diligentledger/core/access"
	"diligentledger/core/job"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/internal/fleet"
	"diligentledger/internal/paper"
	"diligentledger/internal/sheet"
	"diligentledger/internal/store"
	"diligentledger/internal/walk"
	"diligentledger/internal/words"
)

// followDays that a released job is listed for, with what its unit still owes (judgement).
const followDays = 21

// ListJobs that are open, or released lately.
func (h handlers) ListJobs(ctx context.Context, _ api.ListJobsRequestObject) (api.ListJobsResponseObject, error) {
	all, err := h.fleet.Jobs(ctx, writer(ctx), followDays)
	if err != nil {
		return nil, err
	}
	out := api.ListJobs200JSONResponse{}
	_, zone, err := h.today(ctx)
	if err != nil {
		return nil, err
	}
	for _, j := range all {
		out = append(out, jobRow(reader(ctx), j))
	}
	inZone(&out, zone)
	return out, nil
}

func jobRow(r words.Reader, j fleet.JobFollow) api.JobRow {
	row := api.JobRow{Id: id(j.Setup.ID), Unit: j.Address, Name: j.Setup.Name, Site: j.Site, Title: words.JobNames[j.Setup.Kind], Phase: api.JobPhase(j.Phase), PhaseName: words.PhaseNames[j.Phase],
		Empty: j.Empty, Exercise: j.Setup.Exercise, Who: j.Who, StartedAt: j.StartedAt, Ended: j.EndedAt != nil, Owed: each(j.Owed, words.JobOwed)}
	if j.Paused != "" {
		row.Paused = &j.Paused
	}
	if j.Used > 0.005 {
		used := r.Litres(j.Used, 1)
		row.Used = &used
	}
	if step := j.Step; step != nil {
		row.Next, _ = words.JobStep(*step)
		if t := step.Timer; t != nil && t.Began != nil {
			ends := t.Began.Add(t.Lasts)
			row.Timer = &ends
		}
	}
	row.Text = words.JobWaits(row.PhaseName, row.Next, row.Empty, j.Phase, row.Owed)
	return row
}

// wanted job of a request.
func wanted(b api.JobInput) fleet.JobWanted {
	w := fleet.JobWanted{ID: b.Id.String(), Unit: b.Unit, Kind: job.Kind(b.Job), Product: text(b.Product), Exercise: orElse(b.Exercise, false)}
	w.Options = job.Options{Part: string(orElse(b.Part, "")), Fill: string(orElse(b.Fill, "")), Bleed: string(orElse(b.Bleed, "")), ThermostatOut: orElse(b.ThermostatOut, false), Cleaner: orElse(b.Cleaner, false),
		BackFlush: orElse(b.BackFlush, false), Sealant: orElse(b.Sealant, false)}
	if b.Points != nil {
		w.Options.Points = *b.Points
	}
	for _, c := range b.Id {
		w.Seed = w.Seed*31 + uint64(c)
	}
	return w
}

// PreviewJob without keeping anything.
func (h handlers) PreviewJob(ctx context.Context, r api.PreviewJobRequestObject) (api.PreviewJobResponseObject, error) {
	pack, err := h.fleet.JobSheet(ctx, writer(ctx), reader(ctx), wanted(*r.Body))
	if err != nil {
		return nil, err
	}
	view, err := json.Marshal(pack.View(nil, h.fleet.Now()))
	return api.PreviewJob200JSONResponse{View: view}, err
}

// StartJob on a unit.
func (h handlers) StartJob(ctx context.Context, r api.StartJobRequestObject) (api.StartJobResponseObject, error) {
	if r.Body.Id.Version() != 7 {
		return nil, fieldProblem("/id", r.Body.Id.String(), "a UUID of version 7")
	}
	if _, err := h.fleet.StartJob(ctx, writer(ctx), wanted(*r.Body)); err != nil {
		return nil, err
	}
	out, err := h.job(ctx, r.Body.Id.String())
	return api.StartJob200JSONResponse(out), err
}

func (h handlers) job(ctx context.Context, id string) (out api.Job, err error) {
	j, pack, err := h.fleet.Job(ctx, writer(ctx), reader(ctx), id)
	if err != nil {
		return out, err
	}
	out, err = h.jobAnswer(j, pack)
	if err != nil {
		return out, err
	}
	if writer(ctx).Role == access.Reader {
		return out, nil
	}
	var refused *refusal.Error
	var forbidden *fleet.Forbidden
	if err := h.fleet.JobProblem(ctx, writer(ctx), j, pack.Events); errors.As(err, &refused) || errors.As(err, &forbidden) {
		text := err.Error()
		out.Problem = &text
	}
	return out, nil
}

func (h handlers) jobAnswer(j store.Job, pack sheet.Pack) (out api.Job, err error) {
	pack.Version = walk.Version()
	text, err := json.Marshal(pack)
	if err != nil {
		return out, err
	}
	view, err := json.Marshal(pack.View(nil, h.fleet.Now()))
	return api.Job{Id: id(j.Setup.ID), Revision: len(pack.Events), Pack: string(text), View: view}, err
}

// GetJob with its events.
func (h handlers) GetJob(ctx context.Context, r api.GetJobRequestObject) (api.GetJobResponseObject, error) {
	if r.Params.Revision != nil {
		kept, err := h.fleet.JobRevision(ctx, r.Id.String())
		if err != nil {
			return nil, err
		}
		if kept == *r.Params.Revision {
			return api.GetJob204Response{}, nil
		}
	}
	out, err := h.job(ctx, r.Id.String())
	return api.GetJob200JSONResponse(out), err
}

// AddJobEvents of a person.
func (h handlers) AddJobEvents(ctx context.Context, r api.AddJobEventsRequestObject) (api.AddJobEventsResponseObject, error) {
	var events []job.Event
	for i, e := range r.Body.Events {
		if e.Id.Version() != 7 {
			return nil, fieldProblem(fmt.Sprintf("/events/%d/id", i), e.Id.String(), "a UUID of version 7")
		}
		one := job.Event{ID: e.Id.String(), At: e.At, Type: job.EventType(e.Type), Step: text(e.Step), Why: text(e.Why)}
		if e.Replaces != nil {
			one.Replaces = e.Replaces.String()
		}
		if e.Strikes != nil {
			one.Strikes = e.Strikes.String()
		}
		if e.Values != nil {
			one.Values = map[string]job.Value{}
			for code, v := range *e.Values {
				value := job.Value{Choice: text(v.Choice), Text: text(v.Text)}
				if v.Reading != nil {
					value.Reading = &measure.Reading{Value: v.Reading.Value, Unit: measure.Unit(v.Reading.Unit)}
				}
				one.Values[code] = value
			}
		}
		events = append(events, one)
	}
	if err := h.fleet.AddJobEvents(ctx, writer(ctx), r.Id.String(), events); err != nil {
		return nil, err
	}
	out, err := h.job(ctx, r.Id.String())
	return api.AddJobEvents200JSONResponse(out), err
}

// ReleaseJob by a person who may.
func (h handlers) ReleaseJob(ctx context.Context, r api.ReleaseJobRequestObject) (api.ReleaseJobResponseObject, error) {
	b := r.Body
	release := ledger.Release{What: b.What, Certificate: text(b.Certificate), CertificateKind: text(b.CertificateKind), Data: text(b.Data)}
	if b.TotalTime != nil {
		r, err := reader(ctx).Numbers.Parse(*b.TotalTime, measure.EngineTime, measure.H)
		if err != nil {
			return nil, fieldProblem("/totalTime", *b.TotalTime, "hours, such as 1203.5")
		}
		release.TotalTime = &r
	}
	if err := h.fleet.ReleaseJob(ctx, writer(ctx), r.Id.String(), release, orElse(b.Confirmed, false)); err != nil {
		return nil, err
	}
	out, err := h.job(ctx, r.Id.String())
	return api.ReleaseJob200JSONResponse(out), err
}

// GetJobChoices of a unit.
func (h handlers) GetJobChoices(ctx context.Context, r api.GetJobChoicesRequestObject) (api.GetJobChoicesResponseObject, error) {
	c, err := h.fleet.JobChoices(ctx, r.Params.Unit)
	if err != nil {
		return nil, err
	}
	named := func(code, name string) api.JobNamed { return api.JobNamed{Code: code, Name: name} }
	out := api.GetJobChoices200JSONResponse{Unit: c.Setup.Address, Name: c.Setup.Name, Type: c.Type, Open: c.Open, Product: c.Setup.Product.Code, Points: []api.JobNamed{}, Products: []api.JobNamed{}, Parameters: []api.JobParameter{},
		Cautions: words.Cautions(c.Setup.Of, c.Drive)}
	out.Fill, out.Bleed = c.Setup.Methods()
	out.Kinds = each(job.Kinds(c.Setup.Of), func(k job.Kind) api.JobNamed { return named(string(k), words.JobNames[k]) })
	out.Parts = each(job.Parts, func(p string) api.JobNamed { return named(p, words.PartNames[p]) })
	out.Fills = each(job.FillsOf(c.Setup.Of), func(f string) api.JobNamed { return named(f, words.FillNames[f]) })
	out.Bleeds = each(job.BleedsOf(c.Setup.Of), func(f string) api.JobNamed { return named(f, words.BleedNames[f]) })
	for _, p := range c.Setup.Points {
		out.Points = append(out.Points, named(p.Code, words.JobPoint(reader(ctx), p)))
	}
	for _, p := range c.Products {
		out.Products = append(out.Products, named(p.Code, p.Name))
	}
	zone, err := h.people.Store.Zone(ctx)
	if err != nil {
		return nil, err
	}
	for _, p := range job.Parameters {
		one := api.JobParameter{Code: p.Code, Name: words.ParameterNames[p.Code], Value: p.Value, Common: p.Value, Unit: words.ParameterUnit(p.Unit), Source: p.Source, Least: p.Least, Most: p.Most}
		if v, ok := c.Setup.Set[p.Code]; ok {
			one.Value = v
		}
		if i := slices.IndexFunc(c.Parameters, func(s store.JobParameter) bool { return s.Code == p.Code }); i >= 0 {
			s := c.Parameters[i]
			set := words.ParameterSet(s.Who, s.Why, reader(ctx).Moment(s.At.In(zone)), s.OfUnit, s.Value == nil)
			one.Set = &set
		}
		out.Parameters = append(out.Parameters, one)
	}
	return out, nil
}

// SetJobParameter for a unit or its type.
func (h handlers) SetJobParameter(ctx context.Context, r api.SetJobParameterRequestObject) (api.SetJobParameterResponseObject, error) {
	b := r.Body
	p := store.JobParameter{OfUnit: !b.OfType, Code: b.Code, Value: b.Value, Why: b.Why}
	if err := h.fleet.SetUnitParameter(ctx, by(ctx), b.Unit, p); err != nil {
		return nil, err
	}
	return api.SetJobParameter204Response{}, nil
}

// PrintJobs as sheets to write on.
func (h handlers) PrintJobs(ctx context.Context, r api.PrintJobsRequestObject) (api.PrintJobsResponseObject, error) {
	var views []sheet.View
	for _, one := range r.Params.Job {
		_, pack, err := h.fleet.Job(ctx, writer(ctx), reader(ctx), one.String())
		if err != nil {
			return nil, err
		}
		views = append(views, pack.View(nil, h.fleet.Now()))
	}
	var out bytes.Buffer
	if err := paper.Sheets(&out, views); err != nil {
		return nil, err
	}
	disposition := `inline; filename="job-sheets.pdf"`
	return api.PrintJobs200ApplicationpdfResponse{Body: &out, ContentLength: int64(out.Len()), Headers: api.PrintJobs200ResponseHeaders{ContentDisposition: &disposition}}, nil
}

// GetJobRecord as PDF.
func (h handlers) GetJobRecord(ctx context.Context, r api.GetJobRecordRequestObject) (api.GetJobRecordResponseObject, error) {
	j, pack, err := h.fleet.Job(ctx, writer(ctx), reader(ctx), r.Id.String())
	if err != nil {
		return nil, err
	}
	written, err := h.fleet.JobEntries(ctx, r.Id.String())
	if err != nil {
		return nil, err
	}
	zone, err := h.people.Store.Zone(ctx)
	if err != nil {
		return nil, err
	}
	rd := reader(ctx)
	var lines, release []string
	for _, e := range written {
		lines = append(lines, rd.Moment(e.At.In(zone))+"  "+words.KindNames[e.Kind()]+": "+words.Entry(e.Body))
		if b, ok := e.Body.(ledger.Release); ok {
			release = words.JobReleased(b, rd.Moment(e.At.In(zone)), jobReleaser(pack))
		}
	}
	var out bytes.Buffer
	if err := paper.Record(&out, pack.View(nil, h.fleet.Now()), lines, release); err != nil {
		return nil, err
	}
	disposition := fmt.Sprintf(`inline; filename="job-%s.pdf"`, j.Setup.ID)
	return api.GetJobRecord200ApplicationpdfResponse{Body: &out, ContentLength: int64(out.Len()), Headers: api.GetJobRecord200ResponseHeaders{ContentDisposition: &disposition}}, nil
}

func jobReleaser(p sheet.Pack) string {
	for _, e := range p.Events {
		if e.Type == job.Released {
			return e.By + " (" + string(e.Role) + ")"
		}
	}
	return ""
}
