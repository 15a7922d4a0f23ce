package fleet

import (
	"context"
	"slices"

	"diligentledger/core/register"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/store"
)

// Starting is what a register may begin with: common practice, not any maker's data.
type Starting struct {
	Types []register.Facts
	Plans []serviceplan.Plan
	// TypesThere and PlansThere are the names of those that the register has already.
	TypesThere, PlansThere map[string]bool
}

// Starting types and service plans.
func (f *Fleet) Starting(ctx context.Context) (Starting, error) {
	s := Starting{Types: register.Library, Plans: serviceplan.Library, TypesThere: map[string]bool{}, PlansThere: map[string]bool{}}
	types, _, err := f.store.Records(ctx, register.Type, store.RecordFilter{})
	if err != nil {
		return s, err
	}
	for _, t := range types {
		s.TypesThere[t.Name] = true
	}
	plans, err := f.store.ServicePlans(ctx)
	for _, p := range plans {
		s.PlansThere[p.Name] = true
	}
	return s, err
}

// TakeStarting types and plans by their names, those that the register has not; it gives the names of what was
// added.
func (f *Fleet) TakeStarting(ctx context.Context, by store.Actor, types, plans []string) (added []string, err error) {
	s, err := f.Starting(ctx)
	if err != nil {
		return nil, err
	}
	var all []register.Facts
	for _, facts := range s.Types {
		if name := facts["name"]; slices.Contains(types, name) && !s.TypesThere[name] {
			all, added = append(all, facts.With(register.Facts{"common": "yes"})), append(added, name)
		}
	}
	if len(all) > 0 {
		if _, err := f.store.AddRecords(ctx, by, register.Type, all); err != nil {
			return nil, err
		}
	}
	for _, p := range s.Plans {
		if slices.Contains(plans, p.Name) && !s.PlansThere[p.Name] {
			if _, err := f.store.AddServicePlan(ctx, by, p); err != nil {
				return added, err
			}
			added = append(added, p.Name)
		}
	}
	return added, nil
}

// Installation is what is set for the whole fleet.
func (f *Fleet) Installation(ctx context.Context) (store.Installation, error) {
	return f.store.Installation(ctx)
}
