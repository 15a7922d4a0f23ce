package web

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"diligentledger/api"
	"diligentledger/core/schedule"
	"diligentledger/internal/calendar"
	"diligentledger/internal/fleet"
	"diligentledger/internal/paper"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

// calendarFile of planned jobs, worded for a reader.
func calendarFile(r words.Reader, c fleet.PlanCalendar) string {
	v := planView{PlanBoard: c.Board, r: r}
	v.plan = schedule.Evaluate(c.Board.Problem, c.Board.Plan)
	var events []calendar.Event
	for _, j := range c.Jobs {
		site := v.siteOf(j.Placed.Bay)
		job := v.job(j)
		lines := []string{job.Times}
		for _, more := range []*string{job.Technician, job.Product, job.NightText} {
			if more != nil {
				lines = append(lines, *more)
			}
		}
		lines = append(append(lines, job.Breaks...), job.Warnings...)
		events = append(events, calendar.Event{ID: j.ID, Day: j.Placed.Day, Summary: j.Address + " " + words.WorkNames[j.Work], Location: words.BayName(j.Placed.Bay.Kind, j.Placed.Bay.Number) + ", " + site,
			Description: strings.Join(lines, "\n"), Agreed: j.Agreed, Sequence: j.Placed.Sequence, ChangedAt: j.Placed.ChangedAt})
	}
	return calendar.Write(c.Name+", coolant plan", events)
}

// GetPlanCalendar as a file.
func (h handlers) GetPlanCalendar(ctx context.Context, r api.GetPlanCalendarRequestObject) (api.GetPlanCalendarResponseObject, error) {
	c, err := h.fleet.Calendar(ctx, string(r.Params.Of), r.Params.Target)
	if err != nil {
		return nil, err
	}
	file := calendarFile(reader(ctx), c)
	disposition := `attachment; filename="plan.ics"`
	return api.GetPlanCalendar200TextcalendarResponse{Body: strings.NewReader(file), ContentLength: int64(len(file)), Headers: api.GetPlanCalendar200ResponseHeaders{ContentDisposition: &disposition}}, nil
}

// calendarPath is where calendars by secret addresses are.
const calendarPath = "/calendar/"

// answerCalendar by its secret, to anyone who has it: no session is asked for.
func (h handlers) answerCalendar(c *echo.Context) error {
	secret, ok := strings.CutSuffix(c.Param("file"), ".ics")
	if !ok {
		return store.ErrNoFeed
	}
	found, err := h.fleet.CalendarBySecret(c.Request().Context(), secret)
	if err != nil {
		return err
	}
	i, err := h.fleet.Installation(c.Request().Context())
	if err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "text/calendar; charset=utf-8", []byte(calendarFile(i.Reader, found)))
}

// ListCalendars by secret addresses.
func (h handlers) ListCalendars(ctx context.Context, _ api.ListCalendarsRequestObject) (api.ListCalendarsResponseObject, error) {
	all, names, err := h.fleet.Feeds(ctx)
	if err != nil {
		return nil, err
	}
	_, zone, err := h.today(ctx)
	out := api.ListCalendars200JSONResponse{}
	for i, f := range all {
		out = append(out, api.Calendar{Id: f.ID, Name: names[i], MadeAt: f.MadeAt, Who: f.Who})
	}
	inZone(&out, zone)
	return out, err
}

// AddCalendar and give its address once.
func (h handlers) AddCalendar(ctx context.Context, r api.AddCalendarRequestObject) (api.AddCalendarResponseObject, error) {
	secret, err := h.fleet.NewFeed(ctx, by(ctx), string(r.Body.Of), r.Body.Target)
	return api.AddCalendar201JSONResponse{Address: h.address + calendarPath + secret + ".ics"}, err
}

// RevokeCalendar of an id.
func (h handlers) RevokeCalendar(ctx context.Context, r api.RevokeCalendarRequestObject) (api.RevokeCalendarResponseObject, error) {
	return api.RevokeCalendar204Response{}, h.fleet.RevokeFeed(ctx, by(ctx), r.Id)
}

// GetPlanPaper of a week.
func (h handlers) GetPlanPaper(ctx context.Context, r api.GetPlanPaperRequestObject) (api.GetPlanPaperResponseObject, error) {
	one := 1
	v, err := h.planView(ctx, r.Params.From, &one)
	if err != nil {
		return nil, err
	}
	v.plan = schedule.Evaluate(v.Problem, v.Plan)
	under := v.r.PlanWeek(v.from, v.agreed(v.from))
	var pages []paper.PlanPage
	if r.Params.Of == api.GetPlanPaperParamsOfTechnician {
		for i, t := range v.Technicians {
			pages = append(pages, v.page(t.Name, t.Site+", "+under, func(p store.Placement) bool { return p.Technician == t.ID }, func(d int) string {
				if v.Problem.People[i].Hours[d] <= 0 {
					return orText(t.Absent[d], words.NoWorkingDay)
				}
				return ""
			}))
		}
	} else {
		for i, b := range v.Bays {
			pages = append(pages, v.page(words.BayName(b.Kind, b.Number)+", "+b.Site, under, func(p store.Placement) bool { return p.Bay == b.BayName }, func(d int) string {
				if v.Problem.Bays[i].Closed[d] {
					return words.OutOfUse + dashed(b.Closed[d])
				}
				if v.Problem.Sites[v.Problem.Bays[i].Site].Open[d] <= 0 {
					return words.Closed
				}
				return ""
			}))
		}
	}
	var out bytes.Buffer
	if err := paper.Plan(&out, "Plan, "+under, pages); err != nil {
		return nil, err
	}
	disposition := fmt.Sprintf(`inline; filename="plan-%s.pdf"`, v.from)
	return api.GetPlanPaper200ApplicationpdfResponse{Body: &out, ContentLength: int64(out.Len()), Headers: api.GetPlanPaper200ResponseHeaders{ContentDisposition: &disposition}}, nil
}

func dashed(note string) string {
	if note == "" {
		return ""
	}
	return ": " + note
}

// page of a week: each of its days with the jobs that are taken.
func (v planView) page(title, under string, takes func(store.Placement) bool, note func(day int) string) paper.PlanPage {
	p := paper.PlanPage{Title: title, Under: under}
	jobs := v.PlannedJobs(func(_ fleet.PlanJob, at store.Placement) bool { return takes(at) })
	for n := range v.days {
		day := v.from.AddDays(n)
		d := paper.PlanDay{Day: v.r.Weekday(day)}
		if at, ok := v.at(n); ok {
			d.Note = note(at)
		}
		for _, j := range jobs {
			if j.Placed.Day.Equal(day) {
				d.Lines = append(d.Lines, v.line(j, title))
			}
		}
		if n < 5 || len(d.Lines) > 0 {
			p.Days = append(p.Days, d)
		}
	}
	for _, m := range v.Mixings(v.from, v.from.AddDays(v.days-1)) {
		if slices.ContainsFunc(jobs, func(j fleet.PlanJob) bool {
			return j.Placed.Day.Equal(m.Day) && slices.Contains(m.Units, j.Unit.Code)
		}) {
			p.Notes = append(p.Notes, v.r.Weekday(m.Day)+", "+m.Site+": "+v.mixing(m).Text)
		}
	}
	p.Notes = append(p.Notes, words.Cautions("", "")...)
	return p
}

func (v planView) siteOf(b store.BayName) string {
	for _, s := range v.Sites {
		if s.ID == b.SiteID {
			return s.Name
		}
	}
	return ""
}

func (v planView) siteOfTechnician(id int64) string {
	for _, t := range v.Technicians {
		if t.ID == id {
			return t.Site
		}
	}
	return ""
}

// line of a job on the page of that title: its place, or who does it, is not said again.
func (v planView) line(j fleet.PlanJob, title string) paper.PlanLine {
	job := v.job(j)
	l := paper.PlanLine{Unit: j.Address, Work: words.WorkNames[j.Work], Place: words.BayName(j.Placed.Bay.Kind, j.Placed.Bay.Number), Times: job.Times}
	if job.Technician != nil && *job.Technician != title {
		l.Place = *job.Technician
	} else if site := v.siteOf(j.Placed.Bay); site != v.siteOfTechnician(j.Placed.Technician) {
		l.Place += ", " + site // not where they work otherwise
	}
	if j.Late {
		l.Night = words.DayPassed
	}
	if job.NightText != nil {
		l.Night = *job.NightText
	}
	return l
}
