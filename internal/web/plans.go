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
)

// ListPlans by name.
func (h handlers) ListPlans(ctx context.Context, _ api.ListPlansRequestObject) (api.ListPlansResponseObject, error) {
	all, err := h.fleet.ServicePlans(ctx)
	return api.ListPlans200JSONResponse(each(all, registerPlan)), err
}

func registerPlan(p store.ServicePlan) api.RegisterPlan {
	out := api.RegisterPlan{Id: p.ID, Mark: p.Revision(), Units: p.Units, Plan: api.PlanInput{Name: p.Name, School: api.School(p.Strategy),
		First: interval(p.First), Later: interval(p.Later), FreezeMargin: float64(p.FreezeMargin), Replaced: p.Replaced}}
	if p.Miles {
		unit := api.PlanInputDistanceUnitMi
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
	return out
}

func planOf(in api.PlanInput) serviceplan.Plan {
	miles := in.DistanceUnit != nil && *in.DistanceUnit == api.PlanInputDistanceUnitMi
	span := func(i api.Interval) serviceplan.Interval {
		km := value(i.Km)
		if miles {
			km = value(i.Miles) * measure.KilometresPerMile
		}
		return serviceplan.Interval{Months: value(i.Months), Km: measure.Kilometre(km), Hours: measure.Hour(value(i.Hours))}
	}
	return serviceplan.Plan{Name: in.Name, Strategy: serviceplan.Strategy(in.School), First: span(in.First), Later: span(in.Later),
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
	return store.Actor{Name: signedIn(ctx).Name, Address: address(ctx)}
}

func (h handlers) save(ctx context.Context, id int64, mark string, in api.PlanInput) (api.RegisterPlan, error) {
	id, err := h.fleet.SaveServicePlan(ctx, by(ctx), id, mark, planOf(in))
	if err != nil {
		return api.RegisterPlan{}, err
	}
	all, err := h.fleet.ServicePlans(ctx)
	for _, saved := range all {
		if saved.ID == id {
			return registerPlan(saved), err
		}
	}
	return api.RegisterPlan{Id: id, Plan: in}, err
}

// AddPlan to the register.
func (h handlers) AddPlan(ctx context.Context, r api.AddPlanRequestObject) (api.AddPlanResponseObject, error) {
	p, err := h.save(ctx, 0, "", *r.Body)
	if err != nil {
		return nil, err
	}
	return api.AddPlan201JSONResponse(p), nil
}

// ChangePlan for all units on it, unless somebody else did meanwhile.
func (h handlers) ChangePlan(ctx context.Context, r api.ChangePlanRequestObject) (api.ChangePlanResponseObject, error) {
	p, err := h.save(ctx, r.Id, r.Params.IfMatch, *r.Body)
	if err != nil {
		return nil, err
	}
	return api.ChangePlan200JSONResponse(p), nil
}

// PreviewPlan tells what a change would do.
func (h handlers) PreviewPlan(ctx context.Context, r api.PreviewPlanRequestObject) (api.PreviewPlanResponseObject, error) {
	changed, err := h.fleet.PreviewServicePlan(ctx, r.Id, planOf(*r.Body))
	if err != nil {
		return nil, err
	}
	today, _, err := h.today(ctx)
	return api.PreviewPlan200JSONResponse(planEffect(changed, today)), err
}

func planEffect(changed []fleet.StatusChange, today measure.Date) api.PlanEffect {
	out := api.PlanEffect{Today: date(today), Rows: make([]api.PlanEffectRow, 0, len(changed))}
	for _, c := range changed {
		due := func(o clock.UnitStatus) bool { return o.Verdict.Rank() <= clock.Due.Rank() }
		switch before, after := due(c.Before), due(c.After); {
		case after && !before:
			out.NewlyDue++
		case before && !after:
			out.Relieved++
		}
		out.Rows = append(out.Rows, api.PlanEffectRow{Unit: unitName(c.Unit.UnitName), Before: outlook(c.Before, today), After: outlook(c.After, today)})
	}
	return out
}

// PutOnPlan moves a unit.
func (h handlers) PutOnPlan(ctx context.Context, r api.PutOnPlanRequestObject) (api.PutOnPlanResponseObject, error) {
	return api.PutOnPlan204Response{}, h.fleet.AssignServicePlan(ctx, by(ctx), r.Code, r.Body.Plan)
}
