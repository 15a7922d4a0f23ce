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
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/internal/fleet"
	"diligentledger/internal/store"
)

var fenn = fleet.Actor{Name: "O. Fenn", Role: access.Signatory}

// writeTo an account by its address, now.
func writeTo(t *testing.T, address string, body ledger.Body) error {
	t.Helper()
	o, err := open.Open(t.Context(), address, "")
	if err != nil {
		t.Fatal(err)
	}
	_, err = open.WriteEntries(t.Context(), fenn, o, ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), Unit: o.Address(), At: noon.Add(-time.Hour), Body: body})
	return err
}

// firstDifference of two texts, with what is around it.
func firstDifference(a, b string) string {
	i := 0
	for i < min(len(a), len(b)) && a[i] == b[i] {
		i++
	}
	around := func(s string) string { return s[max(0, i-200):min(len(s), i+200)] }
	return around(a) + "\nwant " + around(b)
}

func rowOf(t *testing.T, code string) store.Status {
	t.Helper()
	rows, err := open.Statuses(t.Context(), store.StatusFilter{Codes: []string{code}, Clocks: true})
	if err != nil || len(rows) != 1 {
		t.Fatalf("%s has %d rows, %v", code, len(rows), err)
	}
	return rows[0]
}

// A unit with two engines is one line with the clocks of both; each is an account of its own, by
// the code and its name. The code alone is the first.
func TestTwoCircuits(t *testing.T) {
	ctx := t.Context()
	for address, want := range map[string]string{"HB-14": "HB-14 port", "HB-14 port": "HB-14 port", "HB-14 starboard": "HB-14 starboard", "CA-09": "CA-09"} {
		m, err := open.Account(ctx, address)
		if err != nil || m.Unit.Address() != want {
			t.Errorf("%s opens %s, %v", address, m.Unit.Address(), err)
		}
	}
	for _, none := range []string{"HB-14 inverter", "CA-09 port", "CA-09 engine", "port", " port"} {
		if _, err := open.Account(ctx, none); !errors.Is(err, store.ErrNoUnit) {
			t.Errorf("%q: %v", none, err)
		}
	}
	for text, want := range map[string][]string{"HB-14": {"HB-14"}, "hb-14 st": {"HB-14 starboard"}, "HB-14 port": {"HB-14 port"}, "CA-6 inverter": {"CA-61 inverter", "CA-62 inverter"}, "HB-14 bilge": nil} {
		found, err := open.Find(ctx, text, 10)
		var codes []string
		for _, u := range found {
			codes = append(codes, u.Code)
		}
		if err != nil || !slices.Equal(codes, want) {
			t.Errorf("%q finds %v, %v; want %v", text, codes, err, want)
		}
	}
	port, err := open.Account(ctx, "HB-14 port")
	starboard, err2 := open.Account(ctx, "HB-14 starboard")
	if err != nil || err2 != nil || len(port.Circuits) != 2 || len(starboard.Circuits) != 2 {
		t.Fatal(err, err2, len(port.Circuits))
	}
	if asJSON(t, port.Whole) != asJSON(t, starboard.Whole) {
		t.Error("the unit's status depends on the circuit that is opened")
	}
	if meter, ok := starboard.Account.RenewalMeter(); !ok || meter == 0 || len(starboard.Account.Readings) != len(port.Account.Readings) {
		t.Errorf("starboard does not count by the unit's meter: %v, %v", meter, ok)
	}
	row := rowOf(t, "HB-14")
	if row.Governing.Circuit != ledger.PortCircuit {
		t.Errorf("port was renewed earlier, and %s governs", row.Governing.Circuit)
	}
	// A unit with one circuit shows none.
	for _, c := range rowOf(t, "CA-09").Clocks {
		if c.Circuit != "" {
			t.Errorf("a unit with one circuit has a clock of its %s", c.Circuit)
		}
	}
}

// A held circuit holds the unit, until the circuit is released; no other account changes.
func TestHeldCircuitHoldsTheUnit(t *testing.T) {
	ctx := t.Context()
	account := func(address string) string {
		m, err := open.Account(ctx, address)
		if err != nil {
			t.Fatal(err)
		}
		return asJSON(t, m.Account.Balance) + asJSON(t, m.Account.Stops()) + asJSON(t, m.Status)
	}
	before := account("HB-14 port")
	if err := writeTo(t, "HB-14 starboard", ledger.Hold{Why: "weeps at the exchanger"}); err != nil {
		t.Fatal(err)
	}
	if row := rowOf(t, "HB-14"); row.Verdict != clock.Hold || row.Governing.Circuit != ledger.StarboardCircuit {
		t.Errorf("starboard is held, the unit is %s by its %s", row.Verdict, row.Governing.Circuit)
	}
	if after := account("HB-14 port"); after != before {
		t.Errorf("an entry of starboard changed port: %s\nwas %s", after, before)
	}
	// A release of the other circuit lifts nothing.
	if err := writeTo(t, "HB-14 port", ledger.Release{What: "looked at"}); err != nil {
		t.Fatal(err)
	}
	if row := rowOf(t, "HB-14"); row.Verdict != clock.Hold {
		t.Errorf("a release of port made the unit %s", row.Verdict)
	}
	if err := writeTo(t, "HB-14 starboard", ledger.Release{What: "exchanger sealed"}); err != nil {
		t.Fatal(err)
	}
	if row := rowOf(t, "HB-14"); row.Verdict == clock.Hold {
		t.Error("released, and still held")
	}
}

// What belongs to the unit is refused in a further circuit, by name, and counts for all of them
// from the first one.
func TestUnitsOwnEntries(t *testing.T) {
	reading := measure.Reading{Value: 5_160, Unit: measure.H}
	for _, body := range []ledger.Body{ledger.Meter{Meter: reading}, ledger.LayUp{}, ledger.Return{}, ledger.MeterChange{New: reading},
		ledger.Renewal{Volume: measure.Reading{Value: 24, Unit: measure.L}, Product: coolant.Product{Code: "TERN-PG-50", Name: "PG", Base: coolant.PG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.5}, Emptied: true, Meter: &reading}} {
		var refused *refusal.Error
		if err := writeTo(t, "HB-14 starboard", body); !errors.As(err, &refused) {
			t.Errorf("%s in a further circuit: %v", ledger.KindOf(body), err)
		}
	}
	if err := writeTo(t, "HB-14", ledger.LayUp{Note: "winter quarters"}); err != nil {
		t.Fatal(err)
	}
	laid := 0
	for _, c := range rowOf(t, "HB-14").Clocks {
		if c.Kind == clock.Use && c.Reason.Code == clock.UseLaidUp {
			laid++
		}
	}
	if laid != 2 {
		t.Errorf("laid up, and %d of 2 circuits count no use", laid)
	}
	if err := writeTo(t, "HB-14", ledger.Return{}); err != nil {
		t.Fatal(err)
	}
}

// Writers of all circuits of one unit at once: every entry is there, and the row is what an
// evaluation of all gives.
func TestCircuitsWrittenAtOnce(t *testing.T) {
	ctx := t.Context()
	addresses := []string{"HB-14 port", "HB-14 starboard", "CA-61 engine", "CA-61 inverter"}
	count := func(address string) int {
		m, err := open.Account(ctx, address)
		if err != nil {
			t.Fatal(err)
		}
		return len(m.Account.Lines)
	}
	before := map[string]int{}
	for _, a := range addresses {
		before[a] = count(a)
	}
	const each = 6
	var wait sync.WaitGroup
	for _, a := range addresses {
		for range 2 {
			wait.Go(func() {
				for range each {
					if err := writeTo(t, a, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"}); err != nil {
						t.Error(err)
					}
				}
			})
		}
	}
	wait.Wait()
	for _, a := range addresses {
		if got := count(a) - before[a]; got != 2*each {
			t.Errorf("%s took %d of %d entries", a, got, 2*each)
		}
	}
	for _, code := range []string{"HB-14", "CA-61"} {
		row := rowOf(t, code)
		full, err := open.Account(ctx, code)
		if err != nil {
			t.Fatal(err)
		}
		if a, b := asJSON(t, clock.UnitStatus{Verdict: row.Verdict, Governing: row.Governing, Clocks: row.Clocks}), asJSON(t, full.Whole); a != b {
			t.Errorf("%s after writers at once: %s", code, firstDifference(a, b))
		}
	}
	if n, err := open.RefreshStatus(ctx); err != nil || n != 0 {
		t.Errorf("%d rows were not as they should be, %v", n, err)
	}
	if breaks, err := owner.VerifyAccounts(ctx); err != nil || len(breaks) > 0 {
		t.Errorf("stored accounts: %v, %v", breaks, err)
	}
}

// Planned work is on the circuit that governs, and is done when that circuit's account shows it.
func TestWorkOfACircuit(t *testing.T) {
	ctx := t.Context()
	row := rowOf(t, "HB-14")
	want := "HB-14 " + string(row.Governing.Circuit)
	sent, err := open.AddWork(ctx, marrow, []string{"HB-14"}, nil, nil)
	if err != nil || len(sent.IDs) != 1 {
		t.Fatalf("%+v, %v", sent, err)
	}
	defer func() {
		if err := open.RemoveWork(ctx, marrow, sent.IDs); err != nil {
			t.Error(err)
		}
	}()
	lines, err := open.WorkList(ctx)
	i := slices.IndexFunc(lines, func(l fleet.WorkLine) bool { return l.ID == sent.IDs[0] })
	if err != nil || i < 0 || lines[i].Address != want {
		t.Fatalf("planned on %+v, want %s, %v", lines, want, err)
	}
	again, err := open.AddWork(ctx, store.Actor{Name: "T. Quayle"}, []string{"HB-14"}, nil, nil)
	if err != nil || !slices.Equal(again.Already, []string{want}) {
		t.Errorf("planned again: %+v, %v", again, err)
	}
}

// A service plan of a further circuit: its change is previewed and takes effect.
func TestPlanOfACircuit(t *testing.T) {
	ctx := t.Context()
	plans, err := open.ServicePlans(ctx)
	i := slices.IndexFunc(plans, func(p store.ServicePlan) bool { return p.Name == "Inverter loop" })
	if err != nil || i < 0 {
		t.Fatal(i, err)
	}
	was := plans[i]
	short := was.Plan
	short.First.Months, short.Later.Months = 2, 2
	changes, err := open.PreviewServicePlan(ctx, was.ID, short)
	if err != nil || !slices.ContainsFunc(changes, func(c fleet.StatusChange) bool {
		return c.Unit.Code == "CA-61" && c.After.Governing.Circuit == ledger.InverterCircuit && c.After.Verdict == clock.Overdue
	}) {
		t.Fatalf("%+v, %v", changes, err)
	}
	if _, err := open.SaveServicePlan(ctx, marrow, was.ID, was.Revision(), short); err != nil {
		t.Fatal(err)
	}
	if row := rowOf(t, "CA-61"); row.Verdict != clock.Overdue || row.Governing.Circuit != ledger.InverterCircuit {
		t.Errorf("the plan of the inverter loop was changed, the unit is %s by its %s", row.Verdict, row.Governing.Circuit)
	}
	now, err := open.ServicePlans(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := open.SaveServicePlan(ctx, marrow, was.ID, now[i].Revision(), was.Plan); err != nil {
		t.Fatal(err)
	}
	if row := rowOf(t, "CA-61"); row.Verdict == clock.Overdue {
		t.Errorf("changed back, the unit is %s", row.Verdict)
	}
}

// A unit that goes to a colder site in winter is planned for the cold of both, and is evaluated anew
// when the cold of either changes.
func TestWinteringFollowsBothSites(t *testing.T) {
	ctx := t.Context()
	m, err := open.Account(ctx, "TK-36")
	if err != nil || m.Unit.Winters != "Hill garage" {
		t.Fatal(m.Unit.Winters, err)
	}
	sites, err := open.Sites(ctx)
	if err != nil {
		t.Fatal(err)
	}
	at := map[string]store.Site{}
	for _, s := range sites {
		at[s.Name] = s
	}
	for n := range 365 {
		day := m.Today.AddDays(n)
		if got, want := m.Unit.Cold.PlannedMinimum(day), min(at["Hill garage"].Cold.PlannedMinimum(day), at["Inland depot"].Cold.PlannedMinimum(day)); got > want {
			t.Fatalf("%s: planned for %v, the colder site for %v", day, got, want)
		}
	}
	for _, site := range []string{"Hill garage", "Inland depot"} {
		before := rowOf(t, "TK-36").Clocks
		was := at[site].ReturnPeriod
		if _, err := open.SetSite(ctx, marrow, at[site].ID, new(5), nil, nil); err != nil {
			t.Fatal(err)
		}
		row := rowOf(t, "TK-36")
		full, err := open.Account(ctx, "TK-36")
		if err != nil {
			t.Fatal(err)
		}
		if a, b := asJSON(t, row.Clocks), asJSON(t, full.Whole.Clocks); a != b {
			t.Errorf("%s is colder, and the row is not: %s", site, firstDifference(a, b))
		}
		if _, err := open.SetSite(ctx, marrow, at[site].ID, &was, nil, nil); err != nil {
			t.Fatal(err)
		}
		if after := rowOf(t, "TK-36").Clocks; asJSON(t, after) != asJSON(t, before) {
			t.Errorf("%s as before: %s", site, firstDifference(asJSON(t, after), asJSON(t, before)))
		}
	}
	if n, err := open.RefreshStatus(ctx); err != nil || n != 0 {
		t.Errorf("%d rows are evaluated again and again, %v", n, err)
	}
}

// A unit gets a circuit and loses it with its history: a held one cannot be ended, the first one
// never; a name that was used stays its own; the books of both stay, and every chain holds.
func TestCircuitsComeAndGo(t *testing.T) {
	ctx := t.Context()
	refresh := func() {
		t.Helper()
		if _, err := open.RefreshStatus(ctx); err != nil {
			t.Fatal(err)
		}
	}
	written := func(address string) int {
		t.Helper()
		m, err := open.Account(ctx, address)
		if err != nil {
			t.Fatal(err)
		}
		return len(m.Account.Lines)
	}
	lines := written("HB-07")
	if err := owner.RenameCircuit(ctx, marrow, "HB-07", ledger.PortCircuit); err != nil {
		t.Fatal(err)
	}
	if err := owner.AddCircuit(ctx, marrow, "HB-07", store.LoadedUnit{Circuit: ledger.StarboardCircuit, Capacity: 14, Base: coolant.PG, RawWater: ledger.No}); err != nil {
		t.Fatal(err)
	}
	refresh()
	if row := rowOf(t, "HB-07"); len(row.Clocks) < 10 || row.ProtectsTo != nil {
		t.Errorf("nothing is known of the new circuit, and the unit protects to %v", row.ProtectsTo)
	}
	if got := written("HB-07 port"); got != lines {
		t.Errorf("the books of the renamed circuit have %d of %d lines", got, lines)
	}
	for name, err := range map[string]error{
		"a second one of that name": owner.AddCircuit(ctx, marrow, "HB-07", store.LoadedUnit{Circuit: ledger.PortCircuit, Capacity: 14}),
		"renamed to one there is":   owner.RenameCircuit(ctx, marrow, "HB-07 starboard", ledger.PortCircuit),
	} {
		if !errors.Is(err, store.ErrCircuitThere) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if err := owner.AddCircuit(ctx, marrow, "HB-07", store.LoadedUnit{Circuit: "bilge", Capacity: 3}); !errors.Is(err, store.ErrNoCircuit) {
		t.Errorf("no circuit of the trade: %v", err)
	}
	today := measure.DateOf(noon, time.UTC)
	if err := owner.EndCircuit(ctx, marrow, "HB-07", today); !errors.Is(err, store.ErrFirstCircuit) {
		t.Errorf("the first circuit ended: %v", err)
	}
	if err := writeTo(t, "HB-07 starboard", ledger.Hold{Why: "seacock leaks"}); err != nil {
		t.Fatal(err)
	}
	if err := owner.EndCircuit(ctx, marrow, "HB-07 starboard", today); !errors.Is(err, store.ErrCircuitStopped) {
		t.Errorf("a held circuit ended: %v", err)
	}
	if row := rowOf(t, "HB-07"); row.Verdict != clock.Hold {
		t.Errorf("a circuit is held, and the unit is %s", row.Verdict)
	}
	if err := writeTo(t, "HB-07 starboard", ledger.Release{What: "seacock renewed"}); err != nil {
		t.Fatal(err)
	}
	if err := owner.EndCircuit(ctx, marrow, "HB-07 starboard", today); err != nil {
		t.Fatal(err)
	}
	refresh()
	for _, c := range rowOf(t, "HB-07").Clocks {
		if c.Circuit != "" {
			t.Errorf("one circuit is left, and a clock is of its %s", c.Circuit)
		}
	}
	if got := written("HB-07"); got != lines {
		t.Errorf("%d of %d lines are left", got, lines)
	}
	if got := written("HB-07 starboard"); got != 2 {
		t.Errorf("the ended circuit has %d lines", got)
	}
	if err := owner.EndCircuit(ctx, marrow, "HB-07 starboard", today); !errors.Is(err, store.ErrNoCircuit) {
		t.Errorf("ended twice: %v", err)
	}
	var refused *refusal.Error
	if err := writeTo(t, "HB-07 starboard", ledger.NoteBody{Text: "late"}); !errors.As(err, &refused) {
		t.Errorf("written into a circuit that has ended: %v", err)
	}
	if err := writeTo(t, "HB-07", ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"}); err != nil {
		t.Fatal(err)
	}
	if row := rowOf(t, "HB-07"); row.Governing.Kind == clock.Evaluation {
		t.Error("after a circuit ended the unit is not evaluated any more")
	}
	if _, breaks, err := owner.Verify(ctx, nil); err != nil || len(breaks) > 0 {
		t.Errorf("chains: %v, %v", breaks, err)
	}
	if breaks, err := owner.VerifyAccounts(ctx); err != nil || len(breaks) > 0 {
		t.Errorf("accounts: %v, %v", breaks, err)
	}
}
