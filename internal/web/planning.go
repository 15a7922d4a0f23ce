package web

import (
	"context"
	"math"
	"time"

	"diligentledger/api"
	"diligentledger/core/climate"
	"diligentledger/core/coolant"
	"diligentledger/core/measure"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

func planned(p store.WorkItem) api.WorkItem {
	return api.WorkItem{Id: p.ID, Work: api.Work(p.Work), From: date(p.From), To: date(p.To)}
}

// ListWork work, the earliest first.
func (h handlers) ListWork(ctx context.Context, _ api.ListWorkRequestObject) (api.ListWorkResponseObject, error) {
	lines, err := h.fleet.WorkList(ctx)
	if err != nil {
		return nil, err
	}
	today, zone, err := h.today(ctx)
	if err != nil {
		return nil, err
	}
	answer := api.ListWork200JSONResponse{Today: date(today), Lines: make([]api.WorkLine, 0, len(lines)), Cautions: words.Cautions("", "")}
	for _, l := range lines {
		governing := clockOf(reader(ctx), l.Governing, l.Unit.Site, today)
		line := api.WorkLine{Item: planned(l.WorkItem), Unit: accountName(l.Unit, l.Address), AddedBy: l.SentBy, AddedAt: l.SentAt, Clock: &governing}
		if l.Done != nil {
			done := date(measure.DateOf(*l.Done, zone))
			line.Done = &done
		}
		answer.Lines = append(answer.Lines, line)
	}
	return answer, nil
}

// AddWork puts units on the work list.
func (h handlers) AddWork(ctx context.Context, r api.AddWorkRequestObject) (api.AddWorkResponseObject, error) {
	var from, to *measure.Date
	if r.Body.From != nil {
		day := measure.DateOf(r.Body.From.Time, time.UTC)
		from = &day
	}
	if r.Body.To != nil {
		day := measure.DateOf(r.Body.To.Time, time.UTC)
		to = &day
	}
	sent, err := h.fleet.AddWork(ctx, by(ctx), r.Body.Units, from, to)
	if err != nil {
		return nil, err
	}
	answer := api.AddWork200JSONResponse{Sent: []int64{}, Already: []string{}, Nothing: []string{}}
	answer.Sent, answer.Already, answer.Nothing = append(answer.Sent, sent.IDs...), append(answer.Already, sent.Already...), append(answer.Nothing, sent.Nothing...)
	return answer, nil
}

// RescheduleWork gives a line other days.
func (h handlers) RescheduleWork(ctx context.Context, r api.RescheduleWorkRequestObject) (api.RescheduleWorkResponseObject, error) {
	return api.RescheduleWork204Response{}, h.fleet.RescheduleWork(ctx, by(ctx), r.Id, measure.DateOf(r.Body.From.Time, time.UTC), measure.DateOf(r.Body.To.Time, time.UTC))
}

// RemoveWork takes lines off the work list.
func (h handlers) RemoveWork(ctx context.Context, r api.RemoveWorkRequestObject) (api.RemoveWorkResponseObject, error) {
	return api.RemoveWork204Response{}, h.fleet.RemoveWork(ctx, by(ctx), r.Body.Ids)
}

// ListSites with their cold.
func (h handlers) ListSites(ctx context.Context, _ api.ListSitesRequestObject) (api.ListSitesResponseObject, error) {
	sites, err := h.fleet.Sites(ctx)
	if err != nil {
		return nil, err
	}
	today, _, err := h.today(ctx)
	if err != nil {
		return nil, err
	}
	return api.ListSites200JSONResponse(each(sites, func(s store.Site) api.SiteCold { return siteCold(reader(ctx), s, today) })), nil
}

// ChangeSite sets how cautious the cold curve of a site is.
func (h handlers) ChangeSite(ctx context.Context, r api.ChangeSiteRequestObject) (api.ChangeSiteResponseObject, error) {
	s, err := h.fleet.SetSite(ctx, by(ctx), r.Id, r.Body.ReturnPeriod, r.Body.Zone, waterOf(r.Body.Water))
	if err != nil {
		return nil, err
	}
	today, _, err := h.today(ctx)
	return api.ChangeSite200JSONResponse(siteCold(reader(ctx), s, today)), err
}

func waterOf(w *api.Water) *coolant.MixingWater {
	if w == nil {
		return nil
	}
	return &coolant.MixingWater{Hardness: w.Hardness, Chloride: w.Chloride, Sulphate: w.Sulphate, Solids: w.Solids}
}

func siteCold(r words.Reader, s store.Site, today measure.Date) api.SiteCold {
	out := api.SiteCold{Water: api.Water{Hardness: s.Water.Hardness, Chloride: s.Water.Chloride, Sulphate: s.Water.Sulphate, Solids: s.Water.Solids}, WaterText: words.Water(s.Water), ColdText: r.Cold(s.Cold), ForecastText: r.Forecast(s.Cold, s.ToldAt, today, s.Zone), Id: s.ID, Name: s.Name, Altitude: s.Altitude, ReturnPeriod: s.ReturnPeriod, Years: s.Cold.Years, Coldest: float64(s.Cold.Coldest()),
		Seasons: seasons(s.Cold, today), Ahead: ahead(s.Cold, today), ForecastAt: s.ToldAt, Zone: s.Zone.String(), OwnZone: s.OwnZone != ""}
	if s.Cold.Years > 0 {
		out.NightsBelow, out.Shift, out.ReturnLevel = &s.Cold.NightsBelow, number(&s.Cold.Shift), number(s.Cold.ReturnLevel)
	}
	inZone(&out, s.Zone)
	return out
}

func seasons(k *climate.Climate, today measure.Date) []api.Season {
	return each(k.Seasons(today.AddDate(0, -2, 0), today.AddDate(horizonYears, 0, 0)), func(s climate.Season) api.Season {
		return api.Season{From: date(s.From), To: date(s.To)}
	})
}

// ahead are the nights that the weather service gives.
func ahead(k *climate.Climate, today measure.Date) []api.ColdNight {
	out := []api.ColdNight{}
	for n := range climate.AheadNights {
		day := today.AddDays(n)
		if t, ok := k.Forecast(day); ok {
			out = append(out, api.ColdNight{Day: date(day), Celsius: float64(t)})
		}
	}
	return out
}

// coldestAhead of the nights that are looked at in the morning.
func coldestAhead(name string, k *climate.Climate, today measure.Date) api.NightAhead {
	least := measure.Celsius(math.Inf(1))
	var out api.NightAhead
	for n := range climate.AheadNights {
		day := today.AddDays(n)
		if t := k.PlannedMinimum(day); t < least {
			least = t
			f, told := k.Forecast(day)
			out = api.NightAhead{Site: name, Day: date(day), Celsius: float64(t), Forecast: told && f == t}
		}
	}
	return out
}

// PreviewServicePlanByKind gives what moving a kind would do.
func (h handlers) PreviewServicePlanByKind(ctx context.Context, r api.PreviewServicePlanByKindRequestObject) (api.PreviewServicePlanByKindResponseObject, error) {
	changed, err := h.fleet.PreviewServicePlanByKind(ctx, r.Id, string(r.Body.Kind), value(r.Body.Site))
	if err != nil {
		return nil, err
	}
	today, _, err := h.today(ctx)
	return api.PreviewServicePlanByKind200JSONResponse(planEffect(reader(ctx), changed, today)), err
}

// AssignServicePlanByKind moves all units of a kind.
func (h handlers) AssignServicePlanByKind(ctx context.Context, r api.AssignServicePlanByKindRequestObject) (api.AssignServicePlanByKindResponseObject, error) {
	moved, err := h.fleet.AssignServicePlanByKind(ctx, by(ctx), r.Id, string(r.Body.Kind), value(r.Body.Site))
	if err != nil {
		return nil, err
	}
	return api.AssignServicePlanByKind200JSONResponse{Moved: moved}, nil
}

// today of the fleet, and the zone it is in.
func (h handlers) today(ctx context.Context) (measure.Date, *time.Location, error) {
	zone, err := h.fleet.Zone(ctx)
	if err != nil {
		return measure.Date{}, nil, err
	}
	today, err := h.fleet.Today(ctx)
	return today, zone, err
}

// GetSettings of the installation.
func (h handlers) GetSettings(ctx context.Context, _ api.GetSettingsRequestObject) (api.GetSettingsResponseObject, error) {
	zone, err := h.fleet.Zone(ctx)
	if err != nil {
		return nil, err
	}
	i, err := h.fleet.Installation(ctx)
	if err != nil {
		return nil, err
	}
	reading := readingSettings(i.Reader)
	return api.GetSettings200JSONResponse{Zone: zone.String(), Name: i.Name, Reading: &reading, Units: i.Units, Sites: i.Sites, Plans: i.Plans}, nil
}

// ChangeSettings of the installation; what is not named stays.
func (h handlers) ChangeSettings(ctx context.Context, r api.ChangeSettingsRequestObject) (api.ChangeSettingsResponseObject, error) {
	var reading *words.Reader
	if s := r.Body.Reading; s != nil {
		own := readerOf(*s)
		reading = &own
	}
	if r.Body.Zone != nil {
		if err := h.fleet.SetZone(ctx, by(ctx), *r.Body.Zone); err != nil {
			return nil, err
		}
	}
	return api.ChangeSettings204Response{}, h.fleet.SetFleet(ctx, by(ctx), r.Body.Name, reading)
}
