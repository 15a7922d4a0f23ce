package demo

import (
	"reflect"
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/forecast"
	"diligentledger/core/ledger"
	"diligentledger/internal/store"
)

// Any day of the year must make a sound fleet, not only the day it was made on.
var days = []time.Time{
	time.Date(2026, 11, 24, 15, 4, 0, 0, time.UTC), time.Date(2027, 3, 1, 0, 0, 0, 0, time.UTC),
	time.Date(2027, 7, 15, 23, 59, 0, 0, time.UTC), time.Date(2028, 2, 29, 6, 0, 0, 0, time.UTC),
}

func look(f store.LoadedFleet, u store.LoadedUnit, today time.Time) (ledger.Account, forecast.Outlook) {
	a := ledger.Fold(ledger.Unit{Code: u.Code, Capacity: u.Capacity, Base: u.Base, Meter: u.Meter.Dimension()}, u.Entries)
	plan := f.Plans[slices.IndexFunc(f.Plans, func(p forecast.Plan) bool { return p.Name == u.Plan })]
	site := f.Sites[slices.IndexFunc(f.Sites, func(s store.LoadedSite) bool { return s.Name == u.Site })]
	return a, forecast.Look(&a, plan, site.Cold, today)
}

func TestFleet(t *testing.T) {
	for _, today := range days {
		f := Fleet(today)
		kinds, verdicts, ids := map[string]int{}, map[forecast.Verdict]int{}, map[string]bool{}
		for _, u := range f.Units {
			kinds[u.Kind]++
			a, o := look(f, u, today)
			verdicts[o.Verdict]++
			for _, l := range a.Lines {
				if ids[l.Entry.ID] {
					t.Fatalf("id %s is there twice", l.Entry.ID)
				}
				ids[l.Entry.ID] = true
				if id, err := uuid.Parse(l.Entry.ID); err != nil || id.Version() != 7 || id.Variant() != uuid.RFC4122 {
					t.Errorf("id %s: %v", l.Entry.ID, err)
				}
				if l.Entry.RecordedAt.After(forecast.Day(today)) {
					t.Errorf("%s is recorded at %s, after the start of %s", u.Code, l.Entry.RecordedAt, today)
				}
				if slices.Contains(l.Notes, ledger.NoteMeterBack) || slices.Contains(l.Notes, ledger.NoteNotFilled) {
					t.Errorf("%s on %s: %v", u.Code, l.Entry.At, l.Notes)
				}
			}
		}
		if len(f.Units) < 12 || len(kinds) != 5 {
			t.Errorf("%d units of %d kinds", len(f.Units), len(kinds))
		}
		for _, v := range []forecast.Verdict{forecast.Hold, forecast.Overdue, forecast.Due, forecast.Watch, forecast.Unknown, forecast.Sound} {
			if verdicts[v] == 0 {
				t.Errorf("on %s nothing is %s: %v", today.Format(time.DateOnly), v, verdicts)
			}
		}
	}
}

// The same day gives the same fleet.
func TestFleetIsDeterministic(t *testing.T) {
	if !reflect.DeepEqual(Fleet(days[0]), Fleet(days[0].Add(-3*time.Hour))) {
		t.Error("two fleets of one day differ")
	}
}

// Each entry would have been accepted when it was written.
func TestFleetPassesTheChecks(t *testing.T) {
	f := Fleet(days[0])
	for _, u := range f.Units {
		unit := ledger.Unit{Code: u.Code, Capacity: u.Capacity, Base: u.Base, Meter: u.Meter.Dimension()}
		for i, e := range u.Entries {
			before := slices.DeleteFunc(slices.Clone(u.Entries), func(o ledger.Entry) bool { return o.ID == e.ID })
			for _, err := range ledger.Check(unit, before, e, e.RecordedAt) {
				t.Errorf("%s entry %d: %v", u.Code, i, err)
			}
		}
	}
}
