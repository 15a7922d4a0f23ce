package fleet_test

import (
	"context"
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
	if err != nil || m.Counts[clock.Unknown] != len(before) || len(m.Counts) != 1 {
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
	if after, err := f.Morning(t.Context(), 100); err != nil || after.Counts[clock.Sound] == 0 || after.Counts[clock.Unknown] == len(before) {
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
	for _, n := range m.Counts {
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
	free := ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), Unit: "CA-20", At: noon, Body: ledger.Release{What: "mended"}}
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
