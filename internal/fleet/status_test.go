package fleet_test

import (
	"cmp"
	"context"
	"maps"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/access"
	"diligentledger/core/climate"
	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/fleet"
	"diligentledger/internal/store"
)

func statuses(t *testing.T, f *fleet.Fleet, wanted store.StatusFilter) map[string]store.Status {
	t.Helper()
	rows, err := f.Statuses(t.Context(), wanted)
	if err != nil {
		t.Fatal(err)
	}
	all := map[string]store.Status{}
	for _, r := range rows {
		all[r.Code] = r
	}
	return all
}

// A day later no row is as of today: every unit is read as unknown, by list and by count, until
// it is evaluated; then none is. What was evaluated by an earlier basis never counts as sound.
func TestStatusOfAnotherDay(t *testing.T) {
	at := noon
	f := fleet.New(app, func() time.Time { return at })
	before := statuses(t, f, store.StatusFilter{})
	at = noon.AddDate(0, 0, 1)
	m, err := f.Morning(t.Context(), 100)
	if err != nil || m.Counts.ByVerdict[clock.Unknown] != len(before) || len(m.Counts.ByVerdict) != 1 {
		t.Fatalf("a day later the counts are %v, %v; want %d unknown", m.Counts, err, len(before))
	}
	for _, r := range m.Rows {
		if r.Verdict != clock.Unknown || r.Governing.Kind != clock.Evaluation || r.ProtectsTo != nil {
			t.Fatalf("%s is read as %s, %+v", r.Code, r.Verdict, r.Governing)
		}
	}
	if sound := statuses(t, f, store.StatusFilter{Verdict: clock.Sound}); len(sound) != 0 {
		t.Errorf("%d units are sound by yesterday's clocks", len(sound))
	}
	if n, err := f.RefreshStatus(t.Context()); err != nil || n != len(before) {
		t.Errorf("evaluated %d of %d, %v", n, len(before), err)
	}
	if n, err := f.RefreshStatus(t.Context()); err != nil || n != 0 {
		t.Errorf("evaluated again: %d, %v", n, err)
	}
	if after, err := f.Morning(t.Context(), 100); err != nil || after.Counts.ByVerdict[clock.Sound] == 0 || after.Counts.ByVerdict[clock.Unknown] == len(before) {
		t.Errorf("evaluated: %v, %v", after.Counts, err)
	}
	if n, err := open.RefreshStatus(t.Context()); err != nil || n != len(before) {
		t.Errorf("back to the day before: %d, %v", n, err)
	}
}

// Lists are limited in the order of urgency, and each verdict is counted whole.
func TestStatusPages(t *testing.T) {
	all, err := open.Statuses(t.Context(), store.StatusFilter{})
	if err != nil || len(all) < 50 {
		t.Fatal(len(all), err)
	}
	var paged []store.Status
	for offset := 0; offset < len(all); offset += 7 {
		page, err := open.Statuses(t.Context(), store.StatusFilter{Limit: 7, Offset: offset})
		if err != nil {
			t.Fatal(err)
		}
		paged = append(paged, page...)
	}
	if len(paged) != len(all) {
		t.Fatalf("%d rows in pages, %d in one", len(paged), len(all))
	}
	for i := range all {
		if paged[i].Code != all[i].Code {
			t.Fatalf("row %d is %s in pages, %s in one", i, paged[i].Code, all[i].Code)
		}
		if i > 0 && clock.ByUrgency(all[i-1].Governing, all[i].Governing) > 0 {
			t.Errorf("%s stands before %s", all[i-1].Code, all[i].Code)
		}
	}
	m, err := open.Morning(t.Context(), 2)
	if err != nil {
		t.Fatal(err)
	}
	total := 0
	for _, n := range m.Counts.ByVerdict {
		total += n
	}
	if total != len(all) || len(m.Rows) > 2*len(clock.Verdicts) {
		t.Errorf("%d units are counted of %d; %d rows at a limit of 2", total, len(all), len(m.Rows))
	}
}

// A site that turns colder is evaluated anew; a zero check in one unit's books is in the zero
// clock of every unit that was tested with the instrument.
func TestStatusFollowsColdAndZero(t *testing.T) {
	sites, err := app.Sites(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	today := measure.DateOf(noon, time.UTC)
	site := sites[0]
	snap := []climate.Minimum{}
	for n := range 10 {
		snap = append(snap, climate.Minimum{Day: today.AddDays(n), Celsius: -48})
	}
	if err := app.SetForecast(t.Context(), site.ID, snap); err != nil {
		t.Fatal(err)
	}
	if n, err := open.RefreshStatus(t.Context()); err != nil || n == 0 {
		t.Fatalf("%d units were evaluated for the snap, %v", n, err)
	}
	caught := 0
	for _, r := range statuses(t, open, store.StatusFilter{Nights: true}) {
		if r.Site == site.Name {
			caught++
		}
	}
	if caught == 0 {
		t.Error("no unit is caught by −48 °C")
	}
	if err := app.SetForecast(t.Context(), site.ID, nil); err != nil {
		t.Fatal(err)
	}
	if _, err := open.RefreshStatus(t.Context()); err != nil {
		t.Fatal(err)
	}

	byTool := map[string][]string{}
	for code, r := range statuses(t, open, store.StatusFilter{}) {
		if r.Tool != "" {
			byTool[r.Tool] = append(byTool[r.Tool], code)
		}
	}
	for tool, codes := range byTool {
		if len(codes) < 2 {
			continue
		}
		e := ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), Unit: codes[0], At: noon.Add(-time.Minute), Body: ledger.ZeroCheck{Tool: tool, Zero: measure.Reading{Value: 0, Unit: measure.DegC}}}
		if _, err := writeEntry(t.Context(), fleet.Actor{Name: "E. Marrow", Role: access.Coordinator}, codes[0], e); err != nil {
			t.Fatal(err)
		}
		alike(t, "after a zero check of "+tool)
		return
	}
	t.Error("no instrument tested two units")
}

// A row that was evaluated from an earlier entry does not take the place of a later one.
func TestStatusOfAnEarlierEntry(t *testing.T) {
	old, err := app.Unit(t.Context(), "CA-20")
	if err != nil {
		t.Fatal(err)
	}
	e := ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), Unit: "CA-20", At: noon, Body: ledger.Hold{Why: "steering"}}
	if _, err := writeEntry(t.Context(), fleet.Actor{Name: "E. Marrow", Role: access.Coordinator}, "CA-20", e); err != nil {
		t.Fatal(err)
	}
	late := old.Status()
	late.Verdict, late.Basis = clock.Sound, statuses(t, open, store.StatusFilter{Codes: []string{"CA-20"}})["CA-20"].Basis
	if err := app.SaveStatuses(t.Context(), []store.Status{late}); err != nil {
		t.Fatal(err)
	}
	if r := statuses(t, open, store.StatusFilter{Codes: []string{"CA-20"}})["CA-20"]; r.Verdict != clock.Hold {
		t.Errorf("a held unit is %s after a late row", r.Verdict)
	}
	free := ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), Unit: "CA-20", At: noon, Body: ledger.Release{What: "repaired"}}
	if _, err := writeEntry(t.Context(), fleet.Actor{Name: "E. Marrow", Role: access.Coordinator}, "CA-20", free); err != nil {
		t.Fatal(err)
	}
}

// A row that claims a later entry than its unit has, and another service plan, as after an old
// backup: the refresh ends, and the row is read as unknown rather than as what it says.
func TestStatusAheadOfItsUnit(t *testing.T) {
	ctx := t.Context()
	exec := func(query string) {
		t.Helper()
		if _, err := owner.DB().ExecContext(context.Background(), query); err != nil {
			t.Fatal(err)
		}
	}
	exec(`UPDATE unit_status SET seq = seq + 1000, basis = REPEAT(CHAR(0), 16), plan_id = plan_id + 1000, verdict = 5 WHERE code = 'CA-20'`)
	t.Cleanup(func() {
		exec(`DELETE FROM unit_status WHERE code = 'CA-20'`)
		if _, err := open.RefreshStatus(context.Background()); err != nil {
			t.Error(err)
		}
	})
	within, stop := context.WithTimeout(ctx, 20*time.Second)
	defer stop()
	if _, err := open.RefreshStatus(within); err != nil {
		t.Fatal(err)
	}
	if r := statuses(t, open, store.StatusFilter{Codes: []string{"CA-20"}})["CA-20"]; r.Verdict != clock.Unknown || r.Governing.Kind != clock.Evaluation {
		t.Errorf("a row ahead of its unit is read as %s, %+v", r.Verdict, r.Governing)
	}
}

// The counts are those of the rows after whatever is written: entries, another day, another plan,
// a plan for a kind, rows removed past the program.
func TestCountsAreOfTheRows(t *testing.T) {
	at := noon
	f := fleet.New(app, func() time.Time { return at })
	same := func(after string) {
		t.Helper()
		counted, err := app.CountStatuses(t.Context())
		if err != nil || counted {
			t.Fatalf("%s the counts are not those of the rows, %v", after, err)
		}
		m, err := f.Morning(t.Context(), 10_000)
		if err != nil {
			t.Fatal(err)
		}
		by := map[clock.Verdict]int{}
		for _, r := range m.Rows {
			by[r.Verdict]++
		}
		if !maps.Equal(by, m.Counts.ByVerdict) || len(m.Pending) != m.Counts.Pending || len(m.Nights) != m.Counts.Nights || len(m.Discrepant) != m.Counts.Discrepant {
			t.Errorf("%s there are %v, %d pending, %d caught, %d discrepant; counted %+v", after, by, len(m.Pending), len(m.Nights), len(m.Discrepant), m.Counts)
		}
	}
	refresh := func() {
		t.Helper()
		if _, err := f.RefreshStatus(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	refresh()
	same("at first")
	coordinator := fleet.Actor{Name: "E. Marrow", Role: access.Coordinator}
	held := ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), Unit: "CA-20", At: at.Add(-time.Minute), Body: ledger.Hold{Why: "count me"}}
	for _, e := range []ledger.Entry{held,
		{ID: uuid.Must(uuid.NewV7()).String(), Unit: "CA-20", At: at, Body: ledger.NoteBody{Text: "nothing moves"}},
		{ID: uuid.Must(uuid.NewV7()).String(), Unit: "CA-20", At: at, Body: ledger.Strike{Entry: held.ID, Why: "only counted"}}} {
		if _, err := writeEntry(t.Context(), coordinator, "CA-20", e); err != nil {
			t.Fatal(err)
		}
		same("after a " + string(e.Kind()))
	}
	at = noon.AddDate(0, 0, 40)
	same("forty days later, not evaluated yet,")
	refresh()
	same("forty days later")
	plans, err := app.ServicePlans(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	by := store.Actor{Name: "E. Marrow"}
	before := map[string]int64{}
	units, err := app.Units(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	for _, u := range units {
		before[u.Code] = u.PlanID
	}
	if _, err := app.AssignServicePlanByKind(t.Context(), by, plans[0].ID, "car", ""); err != nil {
		t.Fatal(err)
	}
	same("with the cars on another plan, not evaluated yet,")
	refresh()
	same("with the cars on another plan")
	for code, plan := range before {
		if err := app.AssignServicePlan(t.Context(), by, code, plan); err != nil {
			t.Fatal(err)
		}
	}
	at = noon
	refresh()
	same("put back")
	db := owner.DB()
	if _, err := db.ExecContext(t.Context(), `DELETE FROM unit_status WHERE code LIKE 'MC-%'`); err != nil {
		t.Fatal(err)
	}
	if counted, err := app.CountStatuses(t.Context()); err != nil || !counted {
		t.Errorf("rows were removed, and the counts are said to be right: %v", err)
	}
	refresh()
	same("evaluated again")
}

// Each page in each order and group, with each filter, is what the same rows give sorted and
// filtered in plain.
func TestPagesOfTheHorizon(t *testing.T) {
	if _, err := open.RefreshStatus(t.Context()); err != nil {
		t.Fatal(err)
	}
	whole, err := open.Horizon(t.Context(), store.StatusFilter{})
	if err != nil || len(whole.Rows) < 55 || whole.Counts.Total() != len(whole.Rows) {
		t.Fatalf("%d rows of %+v, %v", len(whole.Rows), whole.Counts, err)
	}
	first := map[string]int{} // by urgency
	for i, r := range whole.Rows {
		first[r.Code] = i
		if len(r.Clocks) == 0 || !reflect.DeepEqual(r.Clocks[0].Kind, r.Governing.Kind) {
			t.Errorf("%s: clocks %+v, governing %+v", r.Code, r.Clocks, r.Governing)
		}
	}
	products := map[string]int{"": 1 << 20} // by name as the database orders names, none last
	named, err := app.DB().QueryContext(t.Context(), `SELECT DISTINCT product FROM unit_status WHERE product IS NOT NULL ORDER BY product`)
	if err != nil {
		t.Fatal(err)
	}
	defer named.Close()
	for named.Next() {
		var name string
		if err := named.Scan(&name); err != nil {
			t.Fatal(err)
		}
		products[name] = len(products)
	}
	if err := named.Err(); err != nil || len(products) < 4 {
		t.Fatalf("products %v, %v", products, err)
	}
	key := func(by store.StatusSort) func(a, b store.Status) int {
		return func(a, b store.Status) int {
			protects := func(s store.Status) float64 {
				if s.ProtectsTo == nil {
					return 99
				}
				return float64(*s.ProtectsTo)
			}
			switch by {
			case store.BySite:
				return strings.Compare(strings.ToLower(a.Site), strings.ToLower(b.Site))
			case store.ByKind:
				return strings.Compare(a.Kind, b.Kind)
			case store.ByProduct:
				return cmp.Compare(products[a.Product], products[b.Product])
			case store.ByProtection:
				return cmp.Compare(protects(b), protects(a))
			}
			return 0
		}
	}
	filters := map[string]struct {
		f    store.StatusFilter
		take func(store.Status) bool
	}{
		"all":     {store.StatusFilter{}, func(store.Status) bool { return true }},
		"kind":    {store.StatusFilter{Kind: "truck"}, func(s store.Status) bool { return s.Kind == "truck" }},
		"site":    {store.StatusFilter{Site: whole.Rows[0].Site}, func(s store.Status) bool { return s.Site == whole.Rows[0].Site }},
		"verdict": {store.StatusFilter{Verdict: clock.Watch}, func(s store.Status) bool { return s.Verdict == clock.Watch }},
		"clock":   {store.StatusFilter{Clock: clock.Freeze}, func(s store.Status) bool { return s.Governing.Kind == clock.Freeze }},
		"text": {store.StatusFilter{Text: "c_-"}, func(s store.Status) bool {
			return strings.Contains(strings.ToLower(s.Code+"\n"+s.Name+"\n"+s.Product), "c_-")
		}},
		"word": {store.StatusFilter{Text: "NORD"}, func(s store.Status) bool {
			return strings.Contains(strings.ToLower(s.Code+"\n"+s.Name+"\n"+s.Product), "nord")
		}},
	}
	from, to := measure.DateOf(noon, time.UTC), measure.DateOf(noon, time.UTC).AddDays(60)
	filters["days"] = struct {
		f    store.StatusFilter
		take func(store.Status) bool
	}{store.StatusFilter{DueFrom: &from, DueTo: &to}, func(s store.Status) bool {
		d := s.Governing.Due
		return d != nil && !d.Before(from) && !to.Before(*d)
	}}
	for name, filter := range filters {
		for _, group := range []store.StatusSort{"", store.BySite, store.ByKind} {
			for _, sort := range []store.StatusSort{"", store.ByUrgency, store.BySite, store.ByKind, store.ByProduct, store.ByProtection} {
				var want []string
				rows := slices.DeleteFunc(slices.Clone(whole.Rows), func(s store.Status) bool { return !filter.take(s) })
				slices.SortStableFunc(rows, func(a, b store.Status) int {
					return cmp.Or(key(group)(a, b), key(sort)(a, b), cmp.Compare(first[a.Code], first[b.Code]))
				})
				heads := map[string]int{}
				for _, r := range rows {
					want = append(want, r.Code)
					switch group {
					case store.BySite:
						heads[r.Site]++
					case store.ByKind:
						heads[r.Kind]++
					default:
						heads[""]++
					}
				}
				f := filter.f
				f.Group, f.Sort, f.Limit = group, sort, 7
				var got []string
				for {
					h, err := open.Horizon(t.Context(), f)
					if err != nil {
						t.Fatal(err)
					}
					for _, g := range h.Groups {
						if f.Offset == 0 && heads[g.Head] != g.N {
							t.Errorf("%s by %s: group %q has %d, want %d", name, group, g.Head, g.N, heads[g.Head])
						}
					}
					if f.Offset == 0 && len(rows) > 0 && len(h.Groups) != len(heads) {
						t.Errorf("%s by %s: %d groups, want %d", name, group, len(h.Groups), len(heads))
					}
					for _, r := range h.Rows {
						got = append(got, r.Code)
					}
					if len(h.Rows) < f.Limit {
						break
					}
					f.Offset += f.Limit
				}
				if !slices.Equal(got, want) {
					t.Errorf("%s, groups %q, order %q:\n%v, want\n%v", name, group, sort, got, want)
				}
				f.Offset, f.Limit = 0, 0
				if codes, err := open.StatusCodes(t.Context(), f); err != nil || !slices.Equal(codes, want) {
					t.Errorf("%s, groups %q, order %q: codes %v, %v", name, group, sort, codes, err)
				}
			}
		}
	}
}

// What most likely runs out in a span is what is picked by it; what else may is counted once, and
// by its window.
func TestRunningOut(t *testing.T) {
	today := measure.DateOf(noon, time.UTC)
	some := false
	for _, span := range [][2]int{{-400, -1}, {0, 30}, {10, 10}, {31, 120}, {200, 1000}, {0, 100_000}} {
		from, to := today.AddDays(span[0]), today.AddDays(span[1])
		likely, more, err := open.RunningOut(t.Context(), store.StatusFilter{}, from, to)
		if err != nil {
			t.Fatal(err)
		}
		codes, err := open.StatusCodes(t.Context(), store.StatusFilter{DueFrom: &from, DueTo: &to, Sort: store.ByCode})
		if err != nil || len(codes) != likely {
			t.Errorf("%v: %d likely, %d picked, %v", span, likely, len(codes), err)
		}
		rows, err := open.Statuses(t.Context(), store.StatusFilter{})
		if err != nil {
			t.Fatal(err)
		}
		want := 0
		for _, r := range rows {
			if w := r.Governing.Window; w != nil && !slices.Contains(codes, r.Code) && w.P10.Sub(today) <= span[1] && w.P90.Sub(today) >= span[0] {
				want++
			}
		}
		if more != want {
			t.Errorf("%v: %d more, want %d", span, more, want)
		}
		some = some || more > 0
	}
	if !some {
		t.Error("no span has a unit that may run out in it")
	}
}
