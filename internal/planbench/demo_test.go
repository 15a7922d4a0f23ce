package planbench

import (
	"context"
	"encoding/json"
	"flag"
	"os"
	"slices"
	"strconv"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/access"
	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/schedule"
	"diligentledger/internal/demo"
	"diligentledger/internal/fleet"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/mariadb/mariadbtest"
	"diligentledger/internal/store"
)

// noon of the day that the demo fleet is loaded on.
var noon = time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)

var (
	open    *fleet.Fleet
	appDSN  string
	ownerDB *store.Store
	marrow  = store.Actor{ID: 1, Name: "E. Marrow", Address: "127.0.0.1"}
)

func TestMain(m *testing.M) {
	mariadbtest.Main(m, func(i *mariadb.Instance) {
		now := func() time.Time { return noon }
		owner, err := store.OpenPatient(i.OwnerDSN(), now)
		if err != nil {
			panic(err)
		}
		if err := owner.Load(context.Background(), demo.Fleet(noon)); err != nil {
			panic(err)
		}
		app, err := store.Open(i.AppDSN(), now)
		if err != nil {
			panic(err)
		}
		open, appDSN, ownerDB = fleet.New(app, now), i.AppDSN(), owner
		if _, err := open.RefreshStatus(context.Background()); err != nil {
			panic(err)
		}
	})
}

var update = flag.Bool("update", false, "write the instance of the demo fleet anew")

// demoInstance is the plan of the demo fleet for a quarter, as the bench and the solver's tests take it.
const demoInstance = "../../core/schedule/scheduletest/testdata/demo.json"

// undone takes the plan and the lines that a test added back.
func undone(t *testing.T, before []store.WorkItem) {
	t.Helper()
	ctx := t.Context()
	b, err := open.PlanBoard(ctx, mustToday(t).AddDays(180))
	if err != nil {
		t.Fatal(err)
	}
	var was []store.Placement
	var ids []int64
	for _, j := range b.Jobs {
		if j.Placed != nil {
			was = append(was, *j.Placed)
		}
		if !slices.ContainsFunc(before, func(o store.WorkItem) bool { return o.ID == j.ID }) {
			ids = append(ids, j.ID)
		}
	}
	if len(was) > 0 {
		if err := open.TakeOff(ctx, marrow, was); err != nil {
			t.Error(err)
		}
	}
	if len(ids) > 0 {
		if err := open.RemoveWork(ctx, marrow, ids); err != nil {
			t.Error(err)
		}
	}
}

func mustToday(t *testing.T) measure.Date {
	t.Helper()
	today, err := open.Today(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	return today
}

func workListNow(t *testing.T) (items []store.WorkItem) {
	t.Helper()
	lines, err := open.WorkList(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	for _, l := range lines {
		items = append(items, l.WorkItem)
	}
	return items
}

// The demo fleet's quarter: everything that runs out has a place before its night, by the hours of its sheet, and the instance of
// the bench is the same.
func TestQuarterOfTheDemoFleet(t *testing.T) {
	ctx, today := t.Context(), mustToday(t)
	before := workListNow(t)
	defer undone(t, before)
	until := today.AddDays(90)
	made, err := open.Propose(ctx, marrow, fleet.Wish{From: today.AddDays(1), To: until, AllDue: true})
	if err != nil {
		t.Fatal(err)
	}
	b, err := open.PlanBoard(ctx, until)
	if err != nil {
		t.Fatal(err)
	}
	if breaks := schedule.Evaluate(b.Problem, b.Plan).Breaks; len(breaks) > 0 {
		t.Errorf("it breaks %+v", breaks)
	}
	if nights, err := open.UnpreventedNights(ctx, b); err != nil || len(nights) > 0 {
		t.Errorf("nights that nothing prevents: %+v %v", nights, err)
	}
	for _, l := range made.Left {
		t.Errorf("%s %s is left out: %+v", l.Job.Unit.Code, l.Job.Work, l.Need.Breaks)
	}
	sheets := 0
	for _, j := range b.Jobs {
		if j.Index < 0 {
			continue
		}
		if j.Placed == nil || j.Late || j.Gone {
			t.Errorf("%s %s has no place", j.Unit.Code, j.Work)
		}
		if j.Work == clock.RenewWork && j.Unsheeted == "" {
			sheets++
			if j.Poured.Product <= 0 || j.Product.Code == "" {
				t.Errorf("%s pours %+v of %q", j.Unit.Code, j.Poured, j.Product.Code)
			}
		}
	}
	if sheets < 5 {
		t.Errorf("%d renewals by their sheets", sheets)
	}
	problem := *b.Problem
	problem.Jobs = slices.Clone(problem.Jobs)
	for i := range problem.Jobs {
		problem.Jobs[i].Before = nil
	}
	text, err := json.Marshal(&problem)
	if err != nil {
		t.Fatal(err)
	}
	if *update {
		if err := os.WriteFile(demoInstance, text, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	kept, err := os.ReadFile(demoInstance)
	if err != nil {
		t.Fatal(err)
	}
	var old schedule.Problem
	if err := json.Unmarshal(kept, &old); err != nil {
		t.Fatal(err)
	}
	// Ids of lines depend on what other tests did before.
	if len(old.Jobs) != len(problem.Jobs) || len(old.Bays) != len(problem.Bays) || len(old.People) != len(problem.People) || old.Days != problem.Days {
		t.Errorf("the instance of the demo fleet has %d jobs, the fleet %d: go test ./internal/planbench -run Quarter -update", len(old.Jobs), len(problem.Jobs))
	}
}

// Every unit with a night until the last day of the plan is named, whatever its verdict is today, unless a line on the work list serves it.
func TestNightsOfEveryVerdict(t *testing.T) {
	ctx, today := t.Context(), mustToday(t)
	b, err := open.PlanBoard(ctx, today.AddDays(180))
	if err != nil {
		t.Fatal(err)
	}
	nights, err := open.UnpreventedNights(ctx, b)
	if err != nil {
		t.Fatal(err)
	}
	named := map[string]bool{}
	for _, n := range nights {
		named[n.Code] = true
	}
	rows, err := open.Statuses(ctx, store.StatusFilter{Clocks: true})
	if err != nil {
		t.Fatal(err)
	}
	on := map[string]bool{}
	for _, i := range workListNow(t) {
		on[i.Unit.Code] = true
	}
	verdicts := map[clock.Verdict]int{}
	for _, r := range rows {
		for _, c := range r.Clocks {
			if c.Kind != clock.Freeze && c.Kind != clock.RawWater || c.Due == nil {
				continue
			}
			if !c.Due.After(b.Until) && !on[r.Code] {
				verdicts[c.Verdict]++
				if !named[r.Code] {
					t.Errorf("%s, %s by its %s clock until %s, is not named", r.Code, c.Verdict, c.Kind, c.Due)
				}
			}
		}
	}
	if len(verdicts) < 3 {
		t.Errorf("nights of few verdicts: %v", verdicts)
	}
	if _, err := open.PlanBoard(ctx, today.AddDays(183)); err == nil {
		t.Error("a plan beyond its 26 weeks")
	}
}

// A visit is planned for every clock that runs out, not for the governing one alone; what cannot be known is named.
func TestAllDue(t *testing.T) {
	ctx, today := t.Context(), mustToday(t)
	before := workListNow(t)
	defer undone(t, before)
	b, err := open.PlanBoard(ctx, today.AddDays(20))
	if err != nil {
		t.Fatal(err)
	}
	nights, err := open.UnpreventedNights(ctx, b)
	if err != nil || len(nights) < 3 {
		t.Fatalf("nights that nothing prevents before: %+v %v", nights, err)
	}
	if _, err := open.Propose(ctx, marrow, fleet.Wish{From: today.AddDays(1), To: today.AddDays(20), AllDue: true}); err != nil {
		t.Fatal(err)
	}
	works := map[string][]clock.Work{}
	for _, i := range workListNow(t) {
		works[i.Unit.Code] = append(works[i.Unit.Code], i.Work)
	}
	statuses, err := open.Statuses(ctx, store.StatusFilter{})
	if err != nil {
		t.Fatal(err)
	}
	besides := 0
	for _, n := range nights {
		i := slices.IndexFunc(statuses, func(s store.Status) bool { return s.Code == n.Code })
		if w, ok := clock.WorkFor(statuses[i].Governing); ok && len(works[n.Code]) > 0 && !slices.Equal(works[n.Code], []clock.Work{w}) {
			besides++ // its governing clock alone would have left its night
		}
	}
	if after, err := open.PlanBoard(ctx, today.AddDays(20)); err != nil {
		t.Error(err)
	} else if left, err := open.UnpreventedNights(ctx, after); err != nil || len(left) > 0 || besides == 0 {
		t.Errorf("left %+v, beside the governing clock %d: %v", left, besides, err)
	}
}

// A boat at sea, a technician who left, a bay that is taken away: what was placed with them comes back to be placed, and is never
// counted as done.
func TestWhatIsNoMoreComesBack(t *testing.T) {
	ctx, today := t.Context(), mustToday(t)
	before := workListNow(t)
	defer undone(t, before)
	if _, err := open.Propose(ctx, marrow, fleet.Wish{From: today.AddDays(1), To: today.AddDays(20), AllDue: true}); err != nil {
		t.Fatal(err)
	}
	technicians, _, err := open.Records(ctx, "technician", store.RecordFilter{})
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(technicians, func(r store.RecordRow) bool { return r.Name == "I. Sund" })
	key := func() (string, string) {
		r, err := open.Record(ctx, "technician", itoa(technicians[i].ID))
		if err != nil {
			t.Fatal(err)
		}
		return itoa(r.ID), r.Revision()
	}
	set := func(left string) {
		id, revision := key()
		if _, err := open.SaveRecord(ctx, marrow, fleet.RecordChange{Of: "technician", Key: id, Revision: revision, Typed: map[string]string{"left": left}}); err != nil {
			t.Fatal(err)
		}
	}
	count := func() (gone int) {
		b, err := open.PlanBoard(ctx, today.AddDays(20))
		if err != nil {
			t.Fatal(err)
		}
		for _, j := range b.Jobs {
			if j.Gone {
				gone++
				if !j.ToPlace() || j.Done != nil {
					t.Errorf("%s is not to be placed", j.Unit.Code)
				}
			}
		}
		return gone
	}
	if n := count(); n != 0 {
		t.Fatalf("%d are gone before", n)
	}
	set("yes")
	if n := count(); n == 0 {
		t.Error("nothing came back of who left")
	}
	made, err := open.Propose(ctx, marrow, fleet.Wish{From: today.AddDays(1), To: today.AddDays(20)})
	if err != nil || len(made.Left) == 0 {
		t.Errorf("without anybody for boats: %+v %v", made, err)
	}
	set("")
	if n := count(); n == 0 {
		t.Log("all that came back was placed with others")
	}
}

func itoa(n int64) string { return strconv.FormatInt(n, 10) }

// What the books show done is done, on the day that they show, and counts for its agreed week also once its line is gone; the rest of
// a week that is over is not done, and comes back to be placed.
func TestHeldWeeks(t *testing.T) {
	ctx, today := t.Context(), mustToday(t)
	before := workListNow(t)
	defer undone(t, before)
	if _, err := open.Propose(ctx, marrow, fleet.Wish{From: today, To: today.AddDays(5), AllDue: true}); err != nil {
		t.Fatal(err)
	}
	monday := store.Monday(today)
	b, err := open.PlanBoard(ctx, monday.AddDays(6))
	if err != nil {
		t.Fatal(err)
	}
	if err := open.AgreeWeek(ctx, marrow, monday, b.Revision); err != nil {
		t.Fatal(err)
	}
	defer func() {
		if err := open.UnlockWeek(ctx, marrow, monday); err != nil {
			t.Error(err)
		}
	}()
	i := slices.IndexFunc(b.Jobs, func(j fleet.PlanJob) bool { return j.Work == clock.LevelWork && j.Placed != nil })
	if i < 0 {
		t.Fatal("no level check is planned")
	}
	job := b.Jobs[i]
	held := func() fleet.HeldWeek {
		t.Helper()
		b, err := open.PlanBoard(ctx, monday.AddDays(6))
		if err != nil {
			t.Fatal(err)
		}
		weeks, err := open.HeldWeeks(ctx, b, 4)
		if err != nil || len(weeks) != 1 {
			t.Fatalf("%+v %v", weeks, err)
		}
		return weeks[0]
	}
	first := held()
	if first.Agreed == 0 || first.Open != first.Agreed {
		t.Fatalf("before: %+v", first)
	}
	id := uuid.Must(uuid.NewV7()).String()
	o, err := open.Open(ctx, job.Address, id)
	if err != nil {
		t.Fatal(err)
	}
	e := ledger.Entry{ID: id, Unit: o.Ledger.Code, At: noon.Add(time.Minute), Body: ledger.LevelCheck{Mark: ledger.Marks[0], Temper: ledger.Cold}}
	if _, err := open.WriteEntries(ctx, fleet.Actor{ID: 1, Name: "E. Marrow", Role: access.Coordinator}, o, e); err != nil {
		t.Fatal(err)
	}
	if now := held(); now.OnDay+now.InWeek != 1 || now.Open != first.Open-1 {
		t.Errorf("done: %+v", now)
	}
	if err := open.RemoveWork(ctx, marrow, []int64{job.ID}); err != nil {
		t.Fatal(err)
	}
	if now := held(); now.OnDay+now.InWeek != 1 || now.Agreed != first.Agreed {
		t.Errorf("its line is gone: %+v", now)
	}
	// A week later what is not done has no place.
	later, err := store.Open(appDSN, func() time.Time { return noon.AddDate(0, 0, 7) })
	if err != nil {
		t.Fatal(err)
	}
	f := fleet.New(later, func() time.Time { return noon.AddDate(0, 0, 7) })
	after, err := f.PlanBoard(ctx, today.AddDays(12))
	if err != nil {
		t.Fatal(err)
	}
	late := 0
	for _, j := range after.Jobs {
		if j.Late {
			late++
			if !j.ToPlace() || after.Plan[j.Index] != nil {
				t.Errorf("%s is late and has a place", j.Unit.Code)
			}
		}
	}
	if late == 0 {
		t.Error("nothing came back")
	}
}
