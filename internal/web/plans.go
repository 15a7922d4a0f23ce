package web

import (
	"context"
	"math"

	"diligentledger/api"
	"diligentledger/core/clock"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/fleet"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

// ListServicePlans by name.
func (h handlers) ListServicePlans(ctx context.Context, _ api.ListServicePlansRequestObject) (api.ListServicePlansResponseObject, error) {
	all, err := h.fleet.ServicePlans(ctx)
	return api.ListServicePlans200JSONResponse(each(all, func(p store.ServicePlan) api.ServicePlan { return registerPlan(reader(ctx), p) })), err
}

func registerPlan(r words.Reader, p store.ServicePlan) api.ServicePlan {
	out := api.ServicePlan{Text: r.PlanRules(p.Plan), Id: p.ID, Revision: p.Revision(), Units: p.Units, Plan: api.ServicePlanInput{Name: p.Name, Strategy: api.Strategy(p.Strategy),
		First: interval(p.First), Later: interval(p.Later), FreezeMargin: float64(p.FreezeMargin), Replaced: p.Replaced}}
	if p.Miles {
		unit := api.ServicePlanInputDistanceUnitMi
		out.Plan.DistanceUnit = &unit
		for _, i := range []*api.Interval{&out.Plan.First, &out.Plan.Later} {
			if i.Km != nil {
				miles := math.Round(10**i.Km/measure.KilometresPerMile) / 10
				i.Miles, i.Km = &miles, nil
			}
		}
	}
	for to, asked := range map[**int]int{&out.Plan.TestMonths: p.TestMonths, &out.Plan.CapMonths: p.CapMonths, &out.Plan.HoseMonths: p.HoseMonths,
		&out.Plan.HoseYears: p.HoseYears, &out.Plan.FollowDays: p.FollowDays, &out.Plan.FollowRuns: p.FollowRuns} {
		if asked > 0 {
			*to = &asked
		}
	}
	if len(p.Parts) > 0 {
		parts := each(p.Parts, func(item serviceplan.PartInterval) api.PartInterval {
			i := interval(item.Interval)
			if p.Miles && i.Km != nil {
				miles := math.Round(10**i.Km/measure.KilometresPerMile) / 10
				i.Miles, i.Km = &miles, nil
			}
			return api.PartInterval{Part: api.PartIntervalPart(item.Part), Months: i.Months, Km: i.Km, Miles: i.Miles, Hours: i.Hours}
		})
		out.Plan.Parts = &parts
	}
	return out
}

func planOf(in api.ServicePlanInput) serviceplan.Plan {
	miles := in.DistanceUnit != nil && *in.DistanceUnit == api.ServicePlanInputDistanceUnitMi
	span := func(i api.Interval) serviceplan.Interval {
		km := value(i.Km)
		if miles {
			km = value(i.Miles) * measure.KilometresPerMile
		}
		return serviceplan.Interval{Months: value(i.Months), Km: measure.Kilometre(km), Hours: measure.Hour(value(i.Hours))}
	}
	var parts []serviceplan.PartInterval
	if in.Parts != nil {
		parts = each(*in.Parts, func(item api.PartInterval) serviceplan.PartInterval {
			return serviceplan.PartInterval{Part: string(item.Part), Interval: span(api.Interval{Months: item.Months, Km: item.Km, Miles: item.Miles, Hours: item.Hours})}
		})
		if len(parts) == 0 {
			parts = nil
		}
	}
	return serviceplan.Plan{Parts: parts, Name: in.Name, Strategy: serviceplan.Strategy(in.Strategy), First: span(in.First), Later: span(in.Later),
		FreezeMargin: measure.Kelvin(in.FreezeMargin), Replaced: in.Replaced,
		TestMonths: value(in.TestMonths), CapMonths: value(in.CapMonths), HoseMonths: value(in.HoseMonths),
		HoseYears: value(in.HoseYears), FollowDays: value(in.FollowDays), FollowRuns: value(in.FollowRuns), Miles: miles}
}

func value[T int | float64 | string](v *T) T {
	if v == nil {
		var none T
		return none
	}
	return *v
}

// by is who asks.
func by(ctx context.Context) store.Actor {
	return store.Actor{ID: signedIn(ctx).ID, Name: signedIn(ctx).Name, Role: signedIn(ctx).Role, Address: address(ctx)}
}

func (h handlers) save(ctx context.Context, id int64, mark string, in api.ServicePlanInput) (api.ServicePlan, error) {
	id, err := h.fleet.SaveServicePlan(ctx, by(ctx), id, mark, planOf(in))
	if err != nil {
		return api.ServicePlan{}, err
	}
	all, err := h.fleet.ServicePlans(ctx)
	for _, saved := range all {
		if saved.ID == id {
			return registerPlan(reader(ctx), saved), err
		}
	}
	return api.ServicePlan{Id: id, Plan: in}, err
}

// AddServicePlan to the register.
func (h handlers) AddServicePlan(ctx context.Context, r api.AddServicePlanRequestObject) (api.AddServicePlanResponseObject, error) {
	p, err := h.save(ctx, 0, "", *r.Body)
	if err != nil {
		return nil, err
	}
	return api.AddServicePlan201JSONResponse(p), nil
}

// ChangeServicePlan for all units on it, unless another person did meanwhile.
func (h handlers) ChangeServicePlan(ctx context.Context, r api.ChangeServicePlanRequestObject) (api.ChangeServicePlanResponseObject, error) {
	p, err := h.save(ctx, r.Id, r.Params.IfMatch, *r.Body)
	if err != nil {
		return nil, err
	}
	return api.ChangeServicePlan200JSONResponse(p), nil
}

// PreviewServicePlan gives what a change would do.
func (h handlers) PreviewServicePlan(ctx context.Context, r api.PreviewServicePlanRequestObject) (api.PreviewServicePlanResponseObject, error) {
	changed, err := h.fleet.PreviewServicePlan(ctx, r.Id, planOf(*r.Body))
	if err != nil {
		return nil, err
	}
	today, _, err := h.today(ctx)
	return api.PreviewServicePlan200JSONResponse(planEffect(reader(ctx), changed, today)), err
}

func planEffect(reading words.Reader, changed []fleet.StatusChange, today measure.Date) api.StatusChanges {
	out := api.StatusChanges{Today: date(today), Rows: make([]api.StatusChange, 0, len(changed))}
	for _, c := range changed {
		due := func(o clock.UnitStatus) bool { return o.Verdict.Rank() <= clock.Due.Rank() }
		switch before, after := due(c.Before), due(c.After); {
		case after && !before:
			out.NewlyDue++
		case before && !after:
			out.NoLongerDue++
		}
		out.Rows = append(out.Rows, api.StatusChange{Unit: unitName(c.Unit.UnitName), Before: unitStatus(reading, c.Before, coldPlace(reading, c.Unit), today), After: unitStatus(reading, c.After, coldPlace(reading, c.Unit), today)})
	}
	return out
}

// AssignServicePlan moves a unit.
func (h handlers) AssignServicePlan(ctx context.Context, r api.AssignServicePlanRequestObject) (api.AssignServicePlanResponseObject, error) {
	return api.AssignServicePlan204Response{}, h.fleet.AssignServicePlan(ctx, by(ctx), r.Code, r.Body.Plan)
}
