package fleet_test

import (
	"errors"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/access"
	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/fleet"
	"diligentledger/internal/store"
)

var marrow = store.Actor{Name: "E. Marrow", Role: access.Coordinator, Address: "127.0.0.1"}

// Two people send the same units in opposite orders, so that the database has to
// give up on one of them now and then and its transaction runs again: each unit went
// on the list by one of them, and both are given every unit.
func TestPlanListAgain(t *testing.T) {
	ctx := t.Context()
	rows, err := open.Statuses(ctx, store.StatusFilter{})
	if err != nil {
		t.Fatal(err)
	}
	var codes []string
	for _, r := range rows {
		codes = append(codes, r.Code)
	}
	for round := range 10 {
		var all [2]fleet.AddedWork
		var wait sync.WaitGroup
		for i := range all {
			list := slices.Clone(codes)
			if i == 1 {
				slices.Reverse(list)
			}
			wait.Go(func() {
				var err error
				if all[i], err = open.AddWork(ctx, store.Actor{Name: []string{"E. Marrow", "T. Quayle"}[i]}, list, nil, nil); err != nil {
					t.Error(err)
				}
			})
		}
		wait.Wait()
		for _, s := range all {
			if got := len(s.IDs) + len(s.Already) + len(s.Nothing); got != len(codes) {
				t.Fatalf("round %d: told of %d units of %d", round, got, len(codes))
			}
		}
		if ids := append(all[0].IDs, all[1].IDs...); len(ids) > 0 {
			if err := open.RemoveWork(ctx, marrow, ids); err != nil {
				t.Fatal(err)
			}
		}
	}
}

// Units sent to the work list by two people at once are on it once; what is done
// by the books leaves room for the next; bad days are refused by name.
func TestPlanList(t *testing.T) {
	ctx := t.Context()
	codes := []string{"CA-20", "CA-49", "TK-18", "CA-20"}
	var all [2]fleet.AddedWork
	var wait sync.WaitGroup
	for i := range all {
		wait.Go(func() {
			var err error
			if all[i], err = open.AddWork(ctx, store.Actor{Name: []string{"E. Marrow", "T. Quayle"}[i]}, codes, nil, nil); err != nil {
				t.Error(err)
			}
		})
	}
	wait.Wait()
	if n := len(all[0].IDs) + len(all[1].IDs); n+len(all[0].Nothing) != 3 || len(all[0].Already)+len(all[1].Already) != n {
		t.Fatalf("sent %+v", all)
	}
	lines, err := open.WorkList(ctx)
	lines = slices.DeleteFunc(lines, func(l fleet.WorkLine) bool { return !slices.Contains(codes, l.Unit.Code) })
	if err != nil || len(lines) != 3-len(all[0].Nothing) {
		t.Fatalf("%d lines, %v", len(lines), err)
	}
	today := measure.DateOf(noon, time.UTC)
	for _, l := range lines {
		if l.From.After(l.To) || l.From.Sub(today) < 0 || l.Done != nil || l.SentBy == "" {
			t.Errorf("line %+v", l)
		}
	}
	// Other days, and off the list again.
	at := lines[0]
	from, to := today.AddDate(0, 0, 20), today.AddDate(0, 0, 25)
	if err := open.RescheduleWork(ctx, marrow, at.ID, from, to); err != nil {
		t.Fatal(err)
	}
	var refused *refusal.Error
	for field, days := range map[string][2]measure.Date{"/to": {to, from}, "/from": {today.AddDate(0, 0, -1), to}} {
		if err := open.RescheduleWork(ctx, marrow, at.ID, days[0], days[1]); !errors.As(err, &refused) || refused.Fields[0].Pointer != field {
			t.Errorf("moved to %v: %v", days, err)
		}
	}
	if _, err := open.AddWork(ctx, marrow, []string{"XX-99"}, nil, nil); !errors.As(err, &refused) || refused.Fields[0].Pointer != "/units/0" {
		t.Errorf("a unit that is not there: %v", err)
	}
	lines, err = open.WorkList(ctx)
	if i := slices.IndexFunc(lines, func(l fleet.WorkLine) bool { return l.ID == at.ID }); err != nil || i < 0 || lines[i].From.Sub(today) != 20 {
		t.Errorf("moved: %+v, %v", lines, err)
	}
	if err := open.RemoveWork(ctx, marrow, []int64{at.ID}); err != nil {
		t.Fatal(err)
	}
	if err := open.RemoveWork(ctx, marrow, []int64{at.ID}); !errors.Is(err, store.ErrNoWorkItem) {
		t.Errorf("taken back twice: %v", err)
	}
}

// A line is done when the books show it, and the next can be sent.
func TestPlannedIsDone(t *testing.T) {
	ctx := t.Context()
	sound, err := open.Statuses(ctx, store.StatusFilter{Verdict: clock.Sound, Limit: 1})
	if err != nil || len(sound) != 1 {
		t.Fatal(sound, err)
	}
	code := sound[0].Code
	write := func(b ledger.Body) {
		t.Helper()
		e := ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), Unit: code, At: noon, Body: b}
		if _, err := writeEntry(ctx, fleet.Actor{Name: "E. Marrow", Role: access.Coordinator}, code, e); err != nil {
			t.Fatal(err)
		}
	}
	write(ledger.Defect{What: "hose chafed", Severity: "stop"})
	if sent, err := open.AddWork(ctx, marrow, []string{code}, nil, nil); err != nil || len(sent.IDs) != 1 {
		t.Fatalf("sent %+v, %v", sent, err)
	}
	line := func() fleet.WorkLine {
		t.Helper()
		lines, err := open.WorkList(ctx)
		i := slices.IndexFunc(lines, func(l fleet.WorkLine) bool { return l.Unit.Code == code })
		if err != nil || i < 0 {
			t.Fatalf("lines %+v, %v", lines, err)
		}
		return lines[i]
	}
	before := line()
	if before.Work != clock.RepairWork || before.Done != nil {
		t.Errorf("before %+v", before)
	}
	now, err := open.Account(ctx, code)
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range now.Account.Defects {
		write(ledger.DefectClosed{Defect: d.ID, How: "renewed"})
	}
	if after := line(); after.Done == nil {
		t.Errorf("repaired, and the line is %+v", after)
	}
	write(ledger.Defect{What: "chafed again", Severity: "stop"})
	if sent, err := open.AddWork(ctx, marrow, []string{code}, nil, nil); err != nil || len(sent.IDs)+len(sent.Already) != 1 {
		t.Errorf("sent again %+v, %v", sent, err)
	}
}

// A kind goes to a plan together, after a look at what that does.
func TestKindOnPlan(t *testing.T) {
	ctx := t.Context()
	id, err := open.SaveServicePlan(ctx, marrow, 0, "", serviceplan.Plan{Name: "Short", Strategy: serviceplan.FixedInterval, Later: serviceplan.Interval{Months: 1}, FreezeMargin: 3, Replaced: 0.6})
	if err != nil {
		t.Fatal(err)
	}
	would, err := open.PreviewServicePlanByKind(ctx, id, "boat", "Harbour yard")
	if err != nil || len(would) == 0 {
		t.Fatalf("%d boats would stand otherwise, %v", len(would), err)
	}
	moved, err := open.AssignServicePlanByKind(ctx, marrow, id, "boat", "Harbour yard")
	if err != nil || int(moved) < len(would) {
		t.Errorf("%d moved, %v; %d would stand otherwise", moved, err, len(would))
	}
	units, err := app.Units(ctx)
	for _, u := range units {
		if on := u.PlanID == id; on != (u.Kind == "boat" && u.Site == "Harbour yard") {
			t.Errorf("%s, a %s at %s: on the plan %v", u.Code, u.Kind, u.Site, on)
		}
	}
	if again, err2 := open.AssignServicePlanByKind(ctx, marrow, id, "boat", "Harbour yard"); err != nil || err2 != nil || again != 0 {
		t.Errorf("moved again %d, %v, %v", again, err, err2)
	}
	var refused *refusal.Error
	if _, err := open.AssignServicePlanByKind(ctx, marrow, id, "boat", "Nowhere"); !errors.As(err, &refused) || refused.Fields[0].Pointer != "/site" {
		t.Errorf("nowhere: %v", err)
	}
	if _, err := open.PreviewServicePlanByKind(ctx, 9999, "boat", ""); !errors.Is(err, store.ErrNoServicePlan) {
		t.Errorf("no plan: %v", err)
	}
}

// A zero made in one unit's books counts for the instrument in all, until it is
// struck.
func TestZeroedInAnothersBooks(t *testing.T) {
	ctx := t.Context()
	w := fleet.Actor{Name: "E. Marrow", Role: access.Coordinator}
	write := func(b ledger.Body) string {
		t.Helper()
		e := ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), Unit: "TK-20", At: noon.Add(-time.Minute), Body: b}
		if _, err := writeEntry(ctx, w, "TK-20", e); err != nil {
			t.Fatal(err)
		}
		return e.ID
	}
	since := noon.AddDate(0, 0, -31)
	if z, err := app.ZeroChecks(ctx, []string{"R-9", "R-8"}, since); err != nil || !z["R-9"].IsZero() {
		t.Fatalf("R-9 was zeroed: %v, %v", z, err)
	}
	id := write(ledger.ZeroCheck{Tool: "R-9", Zero: measure.Reading{Value: 0, Unit: measure.DegC}})
	if z, err := app.ZeroChecks(ctx, []string{"R-9", "R-8"}, since); err != nil || !z["R-9"].Equal(noon.Add(-time.Minute)) {
		t.Errorf("zeroed %v, %v", z, err)
	}
	write(ledger.Strike{Entry: id, Why: "another instrument"})
	if z, err := app.ZeroChecks(ctx, []string{"R-9", "R-8"}, since); err != nil || !z["R-9"].IsZero() {
		t.Errorf("struck, and zeroed %v, %v", z, err)
	}
}
