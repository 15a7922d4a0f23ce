package store_test

import (
	"context"
	"database/sql"
	"errors"
	"sync"
	"testing"

	"github.com/go-sql-driver/mysql"

	"diligentledger/core/measure"
	"diligentledger/core/register"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/store"
)

// placed puts a line on the work list and a technician in the register, once.
func placed(t *testing.T) (line, technician int64) {
	t.Helper()
	day := measure.DateOf(clock, clock.Location())
	ids, _, err := app.AddWork(t.Context(), store.Actor{ID: 1, Name: "A"}, []store.NewWork{{Unit: unit(t, "A-2"), Work: "renewal", From: day, To: day.AddDays(7)}})
	if err != nil || len(ids) != 1 {
		t.Fatalf("%v %v", ids, err)
	}
	made, err := app.AddRecords(t.Context(), store.Actor{ID: 1, Name: "A"}, register.Technician, []register.Facts{{"name": t.Name(), "site": "Yard"}})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		open, err := app.WorkList(context.Background())
		if err != nil {
			t.Fatal(err)
		}
		for _, l := range open {
			if err := app.RemoveWork(context.Background(), store.Actor{ID: 1, Name: "A"}, []int64{l.ID}); err != nil {
				t.Error(err)
			}
		}
	})
	return ids[0], made[0]
}

func ownerDB(t *testing.T) *sql.DB {
	t.Helper()
	c, err := mysql.ParseDSN(mariadb.WithDefaults(instance.OwnerDSN()))
	if err != nil {
		t.Fatal(err)
	}
	db, err := sql.Open("mysql", c.FormatDSN())
	if err != nil {
		t.Fatal(err)
	}
	return db
}

// Changes, undo and redo of several people: each reverses their own alone, and only while it is as they left it.
func TestPlacementUndo(t *testing.T) {
	ctx := t.Context()
	line, technician := placed(t)
	a, b := store.Actor{ID: 1, Name: "A"}, store.Actor{ID: 2, Name: "B"}
	day := measure.DateOf(clock, clock.Location())
	at := func(n int) *store.Placement {
		return &store.Placement{Planned: line, Day: day.AddDays(n), Bay: store.BayName{SiteID: 1, Kind: "car", Number: 1}, Technician: technician}
	}
	now := func() *store.Placement {
		t.Helper()
		all, _, err := app.Placements(ctx)
		if err != nil || len(all) > 1 {
			t.Fatalf("%+v %v", all, err)
		}
		if len(all) == 0 {
			return nil
		}
		return &all[0]
	}
	move := func(by store.Actor, was, is *store.Placement) error {
		return app.Place(ctx, by, "moved", []store.PlacementChange{{Planned: line, Was: was, Is: is}}, store.AnyRevision)
	}
	if err := errors.Join(move(a, nil, at(1)), move(a, at(1), at(2))); err != nil {
		t.Fatal(err)
	}
	if err := move(b, at(1), at(3)); !errors.Is(err, store.ErrPlanChanged) || !now().Same(at(2)) {
		t.Errorf("B moved what A had moved: %v, it is at %+v", err, now())
	}
	if err := app.UndoPlan(ctx, b, false); !errors.Is(err, store.ErrNothingToUndo) {
		t.Errorf("B undid A's: %v", err)
	}
	if err := app.UndoPlan(ctx, a, false); err != nil || !now().Same(at(1)) {
		t.Errorf("undone: %v, %+v", err, now())
	}
	if err := app.UndoPlan(ctx, a, true); err != nil || !now().Same(at(2)) {
		t.Errorf("done again: %v, %+v", err, now())
	}
	if err := move(b, at(2), at(4)); err != nil {
		t.Fatal(err)
	}
	if err := app.UndoPlan(ctx, a, false); !errors.Is(err, store.ErrPlanChanged) || !now().Same(at(4)) {
		t.Errorf("A undid over B: %v, %+v", err, now())
	}
	if err := errors.Join(app.UndoPlan(ctx, b, false), app.UndoPlan(ctx, a, false), app.UndoPlan(ctx, a, false)); err != nil || now() != nil {
		t.Errorf("all undone: %v, %+v", err, now())
	}
	if err := app.UndoPlan(ctx, a, true); err != nil || !now().Same(at(1)) {
		t.Errorf("the first one again: %v, %+v", err, now())
	}
	if err := move(a, at(1), at(5)); err != nil {
		t.Fatal(err)
	}
	if err := app.UndoPlan(ctx, a, true); !errors.Is(err, store.ErrNothingToRedo) {
		t.Errorf("something to do again after another change: %v", err)
	}
	if p := now(); p.Sequence < 7 {
		t.Errorf("sequence %d", p.Sequence)
	}
}

// A change that was computed from another revision is not written; of many at once each sees the one before. Books without the row of
// the plan, as an archive of an earlier version leaves them, begin at 0.
func TestPlanRevision(t *testing.T) {
	ctx := t.Context()
	line, technician := placed(t)
	if _, err := ownerDB(t).Exec(`DELETE FROM plan_state`); err != nil {
		t.Fatal(err)
	}
	if n, err := app.PlanRevision(ctx); err != nil || n != 0 {
		t.Errorf("revision %d: %v", n, err)
	}
	by := store.Actor{ID: 9, Name: "C"}
	day := measure.DateOf(clock, clock.Location())
	place := func(n int, was *store.Placement, revision int64) (*store.Placement, error) {
		is := &store.Placement{Planned: line, Day: day.AddDays(n), Bay: store.BayName{SiteID: 1, Kind: "car", Number: 1}, Technician: technician}
		return is, app.Place(ctx, by, "moved", []store.PlacementChange{{Planned: line, Was: was, Is: is}}, revision)
	}
	first, err := place(1, nil, 0)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := place(2, first, 0); !errors.Is(err, store.ErrOtherRevision) {
		t.Errorf("by an old revision: %v", err)
	}
	var group sync.WaitGroup
	var mu sync.Mutex
	won := 0
	for n := range 8 {
		group.Go(func() {
			_, err := place(3+n, first, 1)
			mu.Lock()
			defer mu.Unlock()
			if err == nil {
				won++
			} else if !errors.Is(err, store.ErrOtherRevision) && !errors.Is(err, store.ErrPlanChanged) {
				t.Error(err)
			}
		})
	}
	group.Wait()
	if n, err := app.PlanRevision(ctx); won != 1 || n != 2 || err != nil {
		t.Errorf("%d of 8 at once were written, revision %d: %v", won, n, err)
	}
	monday := store.Monday(day.AddDays(3))
	if err := app.AgreeWeek(ctx, by, monday, 1); !errors.Is(err, store.ErrPlanChanged) {
		t.Errorf("agreed as it was before: %v", err)
	}
}
