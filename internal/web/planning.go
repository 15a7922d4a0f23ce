package web

import (
	"context"
	"math"
	"time"

	"diligentledger/api"
	"diligentledger/core/forecast"
	"diligentledger/core/measure"
	"diligentledger/internal/store"
)

func planned(p store.Planned) api.Planned {
	return api.Planned{Id: p.ID, Work: api.Work(p.Work), From: date(p.From), To: date(p.To)}
}

// ListPlanned work, the earliest first.
func (h handlers) ListPlanned(ctx context.Context, _ api.ListPlannedRequestObject) (api.ListPlannedResponseObject, error) {
	lines, err := h.books.PlanList(ctx)
	if err != nil {
		return nil, err
	}
	today := h.books.Today()
	answer := api.ListPlanned200JSONResponse{Today: date(today), Lines: make([]api.PlanLine, 0, len(lines))}
	for _, l := range lines {
		governing := clock(l.Governing, today)
		line := api.PlanLine{Planned: planned(l.Planned), Unit: unitName(l.Unit), SentBy: l.SentBy, SentAt: l.SentAt, Clock: &governing}
		if l.Done != nil {
			done := date(l.Done.In(today.Location()))
			line.Done = &done
		}
		answer.Lines = append(answer.Lines, line)
	}
	return answer, nil
}

// SendToPlan puts units on the plan list.
func (h handlers) SendToPlan(ctx context.Context, r api.SendToPlanRequestObject) (api.SendToPlanResponseObject, error) {
	var from, to *time.Time
	if r.Body.From != nil {
		from = &r.Body.From.Time
	}
	if r.Body.To != nil {
		to = &r.Body.To.Time
	}
	sent, err := h.books.SendToPlan(ctx, by(ctx), r.Body.Units, from, to)
	if err != nil {
		return nil, err
	}
	answer := api.SendToPlan200JSONResponse{Sent: []int64{}, Already: []string{}, Nothing: []string{}}
	answer.Sent, answer.Already, answer.Nothing = append(answer.Sent, sent.IDs...), append(answer.Already, sent.Already...), append(answer.Nothing, sent.Nothing...)
	return answer, nil
}

// MovePlanned gives a line other days.
func (h handlers) MovePlanned(ctx context.Context, r api.MovePlannedRequestObject) (api.MovePlannedResponseObject, error) {
	return api.MovePlanned204Response{}, h.books.MovePlanned(ctx, by(ctx), r.Id, r.Body.From.Time, r.Body.To.Time)
}

// TakeBackPlanned takes lines off the plan list.
func (h handlers) TakeBackPlanned(ctx context.Context, r api.TakeBackPlannedRequestObject) (api.TakeBackPlannedResponseObject, error) {
	return api.TakeBackPlanned204Response{}, h.books.TakeBack(ctx, by(ctx), r.Body.Ids)
}

// ListSites with their cold.
func (h handlers) ListSites(ctx context.Context, _ api.ListSitesRequestObject) (api.ListSitesResponseObject, error) {
	sites, err := h.books.Sites(ctx)
	if err != nil {
		return nil, err
	}
	today := h.books.Today()
	return api.ListSites200JSONResponse(each(sites, func(s store.Site) api.SiteCold { return siteCold(s, today) })), nil
}

// ChangeSite sets how cautious the cold curve of a site is.
func (h handlers) ChangeSite(ctx context.Context, r api.ChangeSiteRequestObject) (api.ChangeSiteResponseObject, error) {
	s, err := h.books.SetWinters(ctx, by(ctx), r.Id, r.Body.Winters)
	if err != nil {
		return nil, err
	}
	return api.ChangeSite200JSONResponse(siteCold(s, h.books.Today())), nil
}

func siteCold(s store.Site, today time.Time) api.SiteCold {
	out := api.SiteCold{Id: s.ID, Name: s.Name, Altitude: s.Altitude, Winters: s.Winters, Years: s.Cold.Years, Coldest: float64(s.Cold.Coldest()),
		Seasons: seasons(s.Cold, today), Ahead: ahead(s.Cold, today), ToldAt: s.ToldAt}
	if s.Cold.Years > 0 {
		out.Colder = &s.Cold.Colder
	}
	return out
}

func seasons(k *forecast.Climate, today time.Time) []api.Season {
	return each(k.Seasons(today.AddDate(0, -2, 0), today.AddDate(horizonYears, 0, 0)), func(s forecast.Season) api.Season {
		return api.Season{From: date(s.From), To: date(s.To)}
	})
}

// ahead are the nights that the weather service tells.
func ahead(k *forecast.Climate, today time.Time) []api.ColdNight {
	out := []api.ColdNight{}
	for n := range forecast.AheadNights {
		day := today.AddDate(0, 0, n)
		if t, ok := k.Forecast(day); ok {
			out = append(out, api.ColdNight{Day: date(day), Celsius: float64(t)})
		}
	}
	return out
}

// coldestAhead of the nights that are looked at in the morning.
func coldestAhead(name string, k *forecast.Climate, today time.Time) api.NightAhead {
	least := measure.Celsius(math.Inf(1))
	var out api.NightAhead
	for n := range forecast.AheadNights {
		day := today.AddDate(0, 0, n)
		if t := k.On(day); t < least {
			least = t
			_, told := k.Forecast(day)
			out = api.NightAhead{Site: name, Day: date(day), Celsius: float64(t), Forecast: told}
		}
	}
	return out
}

// PreviewKindOnPlan tells what moving a kind would do.
func (h handlers) PreviewKindOnPlan(ctx context.Context, r api.PreviewKindOnPlanRequestObject) (api.PreviewKindOnPlanResponseObject, error) {
	changed, err := h.books.PreviewKindOnPlan(ctx, r.Id, string(r.Body.Kind), value(r.Body.Site))
	if err != nil {
		return nil, err
	}
	return api.PreviewKindOnPlan200JSONResponse(planEffect(changed, h.books.Today())), nil
}

// PutKindOnPlan moves all units of a kind.
func (h handlers) PutKindOnPlan(ctx context.Context, r api.PutKindOnPlanRequestObject) (api.PutKindOnPlanResponseObject, error) {
	moved, err := h.books.PutKindOnPlan(ctx, by(ctx), r.Id, string(r.Body.Kind), value(r.Body.Site))
	if err != nil {
		return nil, err
	}
	return api.PutKindOnPlan200JSONResponse{Moved: int(moved)}, nil
}
