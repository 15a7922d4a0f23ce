package store_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/google/uuid"

	"diligentledger/core/climate"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/mariadb/mariadbtest"
	"diligentledger/internal/store"
)

var (
	instance   *mariadb.Instance
	app, owner *store.Store
	clock      = time.Date(2026, 11, 24, 9, 0, 0, 123456789, time.UTC)
)

func TestMain(m *testing.M) {
	mariadbtest.Main(m, func(i *mariadb.Instance) {
		instance = i
		var err1, err2 error
		app, err1 = store.Open(i.AppDSN(), func() time.Time { return clock })
		owner, err2 = store.Open(i.OwnerDSN(), func() time.Time { return clock })
		if err := errors.Join(err1, err2, owner.Load(context.Background(), fleet())); err != nil {
			panic(err)
		}
	})
}

var premix = coolant.Product{Code: "P-50", Name: "Premix", Base: coolant.EG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.5}

var minus40 = measure.Celsius(-40)

// labelled states all that a label can; dry holds no water.
var (
	labelled = coolant.Product{Code: "P-HD", Name: "Heavy duty", Base: coolant.EG, Technology: "IAT", Form: coolant.Concentrate, Glycol: 0.95, Stated: true, Density: 1.13,
		Meets: []coolant.Standard{coolant.D4985, coolant.D6210}, SCA: true, Named: []coolant.Technology{coolant.HOAT}, Fresh: 11, Figures: coolant.Figures{"nitrite_low": 700}}
	dry       = coolant.Product{Code: "P-WL", Name: "Waterless", Base: coolant.NoWater, Technology: "waterless", Form: coolant.Premix, Glycol: 1, Freeze: &minus40}
	additives = []coolant.Additive{{Code: "S", Name: "A dose", Kind: coolant.SCA, Nitrite: 90, Molybdate: 5},
		{Code: "F", Name: "B filter", Kind: coolant.Filter, Nitrite: 15, Release: coolant.ReleaseNeed, Months: 12, Km: 40_000, Hours: 1_000}}
)

func fleet() store.LoadedFleet {
	unit := func(code, name string, capacity measure.Litre, base coolant.Base, meter measure.Unit) store.LoadedUnit {
		return store.LoadedUnit{UnitName: store.UnitName{Code: code, Name: name, Kind: "car", Site: "Yard"}, Plan: "Plan", Capacity: capacity, Base: base, Meter: meter}
	}
	f := store.LoadedFleet{Name: "test",
		Sites:    []store.LoadedSite{{Name: "Yard", Altitude: 120, Cold: climate.MonthlyCurve{-20, -19, -14, -7, -2, 3, 6, 5, 1, -4, -10, -16}}},
		Plans:    []serviceplan.Plan{{Name: "Plan", First: serviceplan.Interval{Months: 60}, Later: serviceplan.Interval{Months: 36, Km: 80_000}, FreezeMargin: 3, Replaced: 0.6, Strategy: serviceplan.ConditionBased, TestMonths: 6}},
		Products: []coolant.Product{premix, labelled, dry}, Additives: additives,
		Units: []store.LoadedUnit{unit("A-1", "car", 8, coolant.EG, measure.Km), unit("A-2", "busy car", 8, coolant.EG, measure.Km),
			unit("B_1", "100% bike", 2, "", "")},
	}
	f.Units[0].Cap = 108
	f.Units[2].Metal, f.Units[2].Drive, f.Units[2].SilicateFree, f.Units[2].PremixOnly = coolant.Aluminium, "electric", true, true
	f.Units[2].Required, f.Units[2].Listed, f.Units[2].Figures = coolant.OAT, []string{"P-50", "P-WL"}, coolant.Figures{"stray_aluminium": 0.2}
	f.Units[0].Entries = []ledger.Entry{entry("A-1", fill(8))}
	return f
}

func litres(v float64) measure.Reading { return measure.Reading{Value: v, Unit: measure.L} }

func fill(v float64) ledger.Renewal { return ledger.Renewal{Volume: litres(v), Product: premix} }

func water(v float64) ledger.TopUp { return ledger.TopUp{Volume: litres(v), With: coolant.Water} }

func entry(unit string, b ledger.Body) ledger.Entry {
	return ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), Unit: unit, At: clock.Add(-time.Hour), RecordedAt: clock, RecordedBy: "tester", Body: b}
}

func unit(t *testing.T, code string) store.Unit {
	t.Helper()
	u, err := app.Unit(t.Context(), code)
	if err != nil {
		t.Fatal(err)
	}
	return u
}

// kept is the account that is kept with the entries of a unit, without a status.
func kept(last store.Appending) (*ledger.Account, []store.Status, error) {
	return last.History.EvaluatedAfter(last.Entry), nil, nil
}

func anything(store.Appending) error { return nil }

// write one entry and give its receipt.
func write(t *testing.T, u store.Unit, e ledger.Entry, check func(store.Appending) error) (store.Receipt, error) {
	t.Helper()
	receipts, err := app.Append(t.Context(), &store.Opened{Unit: u}, []ledger.Entry{e}, check, kept)
	if err != nil {
		return store.Receipt{}, err
	}
	return receipts[0], nil
}

// What the register holds of products, additives and what a unit's maker asks for is read
// as it was loaded.
func TestMixRegister(t *testing.T) {
	if all, err := app.Additives(t.Context()); err != nil || !reflect.DeepEqual(withoutIDs(t, all), additives) {
		t.Errorf("additives %+v, %v", all, err)
	}
	if one, err := app.Additive(t.Context(), "F"); err != nil || !reflect.DeepEqual(withoutIDs(t, []coolant.Additive{one})[0], additives[1]) {
		t.Errorf("filter %+v, %v", one, err)
	}
	if _, err := app.Additive(t.Context(), "none"); !errors.Is(err, store.ErrNoAdditive) {
		t.Errorf("an additive that is not there: %v", err)
	}
	if p, err := app.Product(t.Context(), "P-HD"); err != nil || p.ID == 0 || !reflect.DeepEqual(withoutID(p), labelled) {
		t.Errorf("product %+v, %v", p, err)
	}
	u := unit(t, "B_1")
	want := fleet().Units[2]
	l := u.Ledger
	if u.Drive != want.Drive || l.Metal != want.Metal || !l.SilicateFree || !l.PremixOnly || l.Required != want.Required || !reflect.DeepEqual(l.Listed, want.Listed) || !reflect.DeepEqual(l.Figures, want.Figures) {
		t.Errorf("unit %+v", u)
	}
}

func TestRegister(t *testing.T) {
	u := unit(t, "a-1") // codes are found whatever their case
	f := fleet()
	if u.Code != "A-1" || u.Site != "Yard" || !reflect.DeepEqual(u.Plan, f.Plans[0]) || !slices.Equal(u.Cold.Curve(), f.Sites[0].Cold.Climate().Curve()) || u.Altitude != 120 {
		t.Errorf("unit read as %+v", u)
	}
	if want := (ledger.Unit{Code: "A-1", Kind: "car", Capacity: 8, Base: coolant.EG, Meter: measure.Distance, Cap: 108, Replaced: 0.6, Scales: []coolant.Base{coolant.EG}}); !reflect.DeepEqual(u.Ledger, want) {
		t.Errorf("ledger unit %+v, want %+v", u.Ledger, want)
	}
	if bike := unit(t, "B_1").Ledger; bike.Base != "" || bike.Meter != "" {
		t.Errorf("unknown base and no meter read as %+v", bike)
	}
	if _, err := app.Unit(t.Context(), "Z-9"); !errors.Is(err, store.ErrNoUnit) {
		t.Errorf("a unit that is not there: %v", err)
	}
	if _, err := app.Product(t.Context(), "Z"); !errors.Is(err, store.ErrNoProduct) {
		t.Errorf("a product that is not there: %v", err)
	}
	if all, err := app.Products(t.Context()); err != nil || !reflect.DeepEqual(slices.Collect(func(yield func(coolant.Product) bool) {
		for _, p := range all {
			if !yield(withoutID(p)) {
				return
			}
		}
	}), []coolant.Product{labelled, premix, dry}) {
		t.Errorf("products %v, %v", all, err)
	}
	if units, err := app.Units(t.Context()); err != nil || len(units) != 3 || !slices.Equal(units[0].Cold.Curve(), u.Cold.Curve()) {
		t.Errorf("units %v, %v", units, err)
	}
	if name, err := app.LoadedFleetName(t.Context()); err != nil || name != "test" {
		t.Errorf("fleet %q, %v", name, err)
	}
}

// A plan is added, changed for all its units, and taken up by one of them.
func TestPlans(t *testing.T) {
	by := store.Actor{Name: "E. Marrow", Address: "127.0.0.1"}
	id, err := app.AddServicePlan(t.Context(), by, serviceplan.Plan{Name: "New", Strategy: serviceplan.FixedInterval, Later: serviceplan.Interval{Hours: 200}, FreezeMargin: 5, CapMonths: 24})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := app.AddServicePlan(t.Context(), by, serviceplan.Plan{Name: "new"}); !errors.Is(err, store.ErrTaken) {
		t.Errorf("the same name: %v", err)
	}
	changed := serviceplan.Plan{Name: "Newer", Strategy: serviceplan.SealedForLife, Later: serviceplan.Interval{Months: 24, Km: 30_000}, FreezeMargin: 4, Replaced: 0.7, HoseMonths: 12,
		Parts: []serviceplan.PartInterval{{Part: "impeller", Interval: serviceplan.Interval{Months: 12, Hours: 200}}, {Part: "anodes", Interval: serviceplan.Interval{Months: 6}}}}
	mark := func() string {
		plans, err := app.ServicePlans(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		return plans[slices.IndexFunc(plans, func(p store.ServicePlan) bool { return p.ID == id })].Revision()
	}
	seen := mark()
	if err := app.SetServicePlan(t.Context(), by, id, seen, changed); err != nil {
		t.Fatal(err)
	}
	// A person who had the plan open before does not write over that.
	late := changed
	late.HoseMonths = 6
	if err := app.SetServicePlan(t.Context(), by, id, seen, late); !errors.Is(err, store.ErrServicePlanChanged) || !strings.Contains(err.Error(), "hose check every 12 mo") {
		t.Errorf("the plan was changed meanwhile: %v", err)
	}
	if err := app.SetServicePlan(t.Context(), by, id, mark(), changed); err != nil {
		t.Errorf("as it stands now: %v", err)
	}
	if err := app.SetServicePlan(t.Context(), by, 9999, seen, changed); !errors.Is(err, store.ErrNoServicePlan) {
		t.Errorf("a plan that is not there: %v", err)
	}
	if err := app.AssignServicePlan(t.Context(), by, "B_1", id); err != nil {
		t.Fatal(err)
	}
	if u := unit(t, "B_1"); !reflect.DeepEqual(u.Plan, changed) || u.PlanID != id || u.Ledger.Replaced != 0.7 {
		t.Errorf("the unit's plan reads %+v", u.Plan)
	}
	if err := app.AssignServicePlan(t.Context(), by, "B_1", 9999); !errors.Is(err, store.ErrNoServicePlan) {
		t.Errorf("put on a plan that is not there: %v", err)
	}
	all, err := app.ServicePlans(t.Context())
	if err != nil || !slices.ContainsFunc(all, func(p store.ServicePlan) bool {
		return p.ID == id && reflect.DeepEqual(p.Plan, changed) && p.Units == 1
	}) {
		t.Errorf("plans %+v, %v", all, err)
	}
	// Each change left its line, and what was refused none.
	lines, err := app.AuditLines(t.Context(), store.AuditFilter{Limit: 20})
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, l := range lines {
		if l.Who == by.Name && l.Address == by.Address {
			got = append(got, l.What+" "+l.Detail[:min(len(l.Detail), 14)])
		}
	}
	if want := []string{"unit_on_plan B_1: Newer, be", "plan_changed Newer: nothing", "plan_changed Newer: was nam", "plan_added New: strategy "}; !slices.Equal(got, want) {
		t.Errorf("the audit says %q, want %q", got, want)
	}
	want := "Newer: was named New, strategy interval → sealed, later renewals after 200 h → 24 mo or 30000 km, freeze margin 5 K → 4 K, counts as a renewal from 60 % → 70 %, cap test every 24 mo → none, hose check every none → 12 mo, impeller every none → 12 mo or 200 h, anodes every none → 6 mo"
	if !slices.ContainsFunc(lines, func(l store.Audited) bool { return l.Detail == want }) {
		t.Errorf("the audit does not say %q: %+v", want, lines)
	}
	// Without parts again: a database of an earlier version has none.
	changed.Parts = nil
	if err := app.SetServicePlan(t.Context(), by, id, mark(), changed); err != nil {
		t.Error(err)
	}
}

func TestFind(t *testing.T) {
	for text, want := range map[string][]string{
		"": {"A-1", "A-2", "B_1"}, "a-": {"A-1", "A-2"}, "a1": {"A-1"}, "A 2": {"A-2"}, "b-1": {"B_1"}, "a-11": nil, "busy": {"A-2"}, "_": {"B_1"}, "%": {"B_1"}, "'; DROP TABLE unit; --": nil, `\`: nil,
	} {
		found, err := app.Find(t.Context(), text, 10)
		if err != nil {
			t.Fatal(err)
		}
		var codes []string
		for _, u := range found {
			codes = append(codes, u.Code)
		}
		if !reflect.DeepEqual(codes, want) {
			t.Errorf("%q found %v, want %v", text, codes, want)
		}
	}
	if found, err := app.Find(t.Context(), "", 2); err != nil || len(found) != 2 {
		t.Errorf("limit 2 gave %d, %v", len(found), err)
	}
}

func TestAppend(t *testing.T) {
	u := unit(t, "A-1")
	e := entry("A-1", water(0.4))
	first, err := write(t, u, e, anything)
	if err != nil || first.Seq != 2 || first.RecordedAt.Nanosecond() != 123456000 {
		t.Fatalf("receipt %+v, %v", first, err)
	}
	// Sent again, it is stored once and answered the same.
	again, err := write(t, u, e, func(store.Appending) error { return errors.New("checked twice") })
	if err != nil || !reflect.DeepEqual(again, first) {
		t.Errorf("sent again: %+v, %v; want %+v", again, err, first)
	}
	// The same id with other content, or in another account, is another entry.
	other := e
	other.Body = water(0.5)
	if _, err := write(t, u, other, anything); !errors.Is(err, store.ErrEntryDiffers) {
		t.Errorf("same id, other content: %v", err)
	}
	if _, err := write(t, unit(t, "A-2"), e, anything); !errors.Is(err, store.ErrEntryDiffers) {
		t.Errorf("same id, other account: %v", err)
	}
	// What is refused leaves nothing behind, and the check sees all before it.
	refusal := errors.New("refused")
	if _, err := write(t, u, entry("A-1", water(1)), func(a store.Appending) error {
		if n := a.History.Before().Written(); n != 2 {
			t.Errorf("the check saw %d entries", n)
		}
		return refusal
	}); !errors.Is(err, refusal) {
		t.Errorf("refused: %v", err)
	}
	got, err := app.Entries(t.Context(), u)
	if err != nil || len(got) != 2 || !reflect.DeepEqual(got[1].Body, e.Body) || !got[1].At.Equal(e.At.Truncate(time.Microsecond)) || got[1].RecordedBy != "tester" {
		t.Errorf("entries %+v, %v", got, err)
	}
	byUnit, err := app.EntriesOf(t.Context(), []store.Unit{u})
	if err != nil || !reflect.DeepEqual(byUnit["A-1"], got) {
		t.Errorf("entries of all: %+v, %v", byUnit, err)
	}
}

// Many writers of one account, each sending twice: every entry stands once, and
// the chain has no gap.
func TestAppendTogether(t *testing.T) {
	u := unit(t, "A-2")
	const writers, each = 8, 5
	var group sync.WaitGroup
	for range writers {
		group.Go(func() {
			for range each {
				e := entry("A-2", ledger.Meter{Meter: measure.Reading{Value: 1, Unit: measure.Km}})
				var twice sync.WaitGroup
				for range 2 {
					twice.Go(func() {
						if _, err := write(t, u, e, anything); err != nil {
							t.Error(err)
						}
					})
				}
				twice.Wait()
			}
		})
	}
	group.Wait()
	db := raw(t, instance.OwnerDSN())
	rows, err := db.QueryContext(t.Context(), `
		SELECT e.id, e.version, e.circuit_id, e.seq, e.kind, e.happened_at, e.recorded_at, e.recorded_by, e.payload, e.hash, e.prev_hash, e.metric_value
		FROM entry e JOIN circuit c ON c.id = e.circuit_id JOIN unit u ON u.id = c.unit_id WHERE u.code = 'A-2' ORDER BY e.seq`)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	var prev ledger.Hash
	n := int64(0)
	for rows.Next() {
		var r ledger.Record
		var hash, before []byte
		var metric float64
		if err := rows.Scan(&r.ID, &r.Version, &r.Circuit, &r.Seq, &r.Kind, &r.At, &r.RecordedAt, &r.RecordedBy, &r.Payload, &hash, &before, &metric); err != nil {
			t.Fatal(err)
		}
		n++
		if r.Seq != n || ledger.Hash(before) != prev || ledger.Hash(hash) != ledger.ChainHash(prev, r) || metric != 1 {
			t.Fatalf("the chain breaks at %d: %+v", n, r)
		}
		prev = ledger.Hash(hash)
	}
	if err := rows.Err(); err != nil || n != writers*each {
		t.Errorf("%d entries, %v; want %d", n, err, writers*each)
	}
}

func raw(t *testing.T, dsn string) *sql.DB {
	t.Helper()
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	return db
}

// The application's user cannot rewrite the books, whatever its code does.
func TestBooksCannotBeRewritten(t *testing.T) {
	db := raw(t, instance.AppDSN())
	for _, s := range []string{
		"UPDATE entry SET payload = '{}'", "DELETE FROM entry", "TRUNCATE entry", "DROP TABLE entry",
		"DELETE FROM unit", "DELETE FROM site_cold", "DELETE FROM register_change", "UPDATE register_change SET was = '{}'", "UPDATE chain_line SET content = '{}'",
		"UPDATE audit SET who = 'X'", "ALTER TABLE entry ADD x INT",
	} {
		if _, err := db.ExecContext(t.Context(), s); err == nil {
			t.Errorf("the application may run: %s", s)
		}
	}
}

// When the database throws a transaction out (1213 deadlock, 1205 lock wait), it
// is run again from its start; any other error is given at once.
func TestAppendRetries(t *testing.T) {
	u := unit(t, "A-1")
	for number, want := range map[uint16]int{1213: 3, 1205: 3, 1064: 1} {
		tries := 0
		_, err := write(t, u, entry("A-1", water(0.1)), func(store.Appending) error {
			if tries++; tries < 3 {
				return fmt.Errorf("check: %w", &mysql.MySQLError{Number: number})
			}
			return nil
		})
		if tries != want || (err == nil) != (want == 3) {
			t.Errorf("error %d: %d tries, %v", number, tries, err)
		}
	}
	always := 0
	if _, err := write(t, u, entry("A-1", water(0.1)), func(store.Appending) error {
		always++
		return &mysql.MySQLError{Number: 1213}
	}); err == nil || always > 10 {
		t.Errorf("a deadlock that never ends: %d tries, %v", always, err)
	}
}

// Running the migrations again changes nothing, even when the database forgot
// that they ran: each statement stands being repeated.
func TestMigrateTwice(t *testing.T) {
	if n, err := store.Migrate(t.Context(), instance.OwnerDSN()); err != nil || n != 0 {
		t.Errorf("again: %d steps, %v", n, err)
	}
	db := raw(t, instance.OwnerDSN())
	for _, lost := range []string{
		`DELETE FROM goose_db_version WHERE version_id > 0`,
		`DELETE FROM goose_db_version`, // killed before goose wrote its first row
		`DROP TABLE goose_db_version`,
	} {
		if _, err := db.ExecContext(t.Context(), lost); err != nil {
			t.Fatal(err)
		}
		if n, err := store.Migrate(t.Context(), instance.OwnerDSN()); err != nil || n < 1 {
			t.Errorf("after %s: %d steps, %v", lost, n, err)
		}
		var zero int
		if err := db.QueryRowContext(t.Context(), `SELECT COUNT(*) FROM goose_db_version WHERE version_id = 0`).Scan(&zero); err != nil || zero != 1 {
			t.Errorf("after %s: %d rows of version 0, %v", lost, zero, err)
		}
	}
	var entries int
	if err := db.QueryRowContext(t.Context(), `SELECT COUNT(*) FROM entry`).Scan(&entries); err != nil || entries == 0 {
		t.Errorf("%d entries are left, %v", entries, err)
	}
}

// A fleet that cannot be loaded whole is not loaded at all.
func TestLoadAllOrNothing(t *testing.T) {
	f := fleet()
	f.Sites[0].Name, f.Plans[0].Name, f.Products, f.Additives = "Other", "Other", nil, nil
	for i := range f.Units {
		f.Units[i].Site, f.Units[i].Plan, f.Units[i].Code = "Other", "Other", fmt.Sprint("N", i)
	}
	f.Units[2].Code = "A-1" // taken
	if err := owner.Load(t.Context(), f); err == nil {
		t.Fatal("a code was given twice")
	}
	if found, err := app.Find(t.Context(), "N", 10); err != nil || len(found) != 0 {
		t.Errorf("half a fleet is there: %v, %v", found, err)
	}
}

func withoutID(p coolant.Product) coolant.Product {
	p.ID = 0
	return p
}

// withoutIDs checks that additives have ids of their own, and takes them off.
func withoutIDs(t *testing.T, all []coolant.Additive) []coolant.Additive {
	t.Helper()
	seen := map[int64]bool{0: true}
	for i := range all {
		if seen[all[i].ID] {
			t.Errorf("additive %+v has no id of its own", all[i])
		}
		seen[all[i].ID] = true
		all[i].ID = 0
	}
	return all
}

// More writers at once than there are connections, each of whom reads what units share while its
// account is locked: none waits for a connection that another one holds.
func TestMoreWritersThanConnections(t *testing.T) {
	u := unit(t, "A-2")
	var wg sync.WaitGroup
	failed := make(chan error, 80)
	for range cap(failed) {
		wg.Go(func() {
			e := entry("A-2", ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"})
			_, err := app.Append(t.Context(), &store.Opened{Unit: u}, []ledger.Entry{e}, anything, func(last store.Appending) (*ledger.Account, []store.Status, error) {
				if _, err := app.ZeroChecks(t.Context(), []string{"R-1"}, clock); err != nil {
					return nil, nil, err
				}
				return kept(last)
			})
			failed <- err
		})
	}
	wg.Wait()
	close(failed)
	for err := range failed {
		if err != nil {
			t.Error(err)
		}
	}
}

// An account that another writer has gone on with since it was opened is locked and read anew: the
// entry is checked with it as it is now, and the chain holds.
func TestWrittenSinceOpened(t *testing.T) {
	opened, err := app.Open(t.Context(), "A-2", "")
	if err != nil {
		t.Fatal(err)
	}
	added := func(e ledger.Entry) (checked []int64, receipt store.Receipt) {
		t.Helper()
		receipts, err := app.Append(t.Context(), opened, []ledger.Entry{e}, func(a store.Appending) error {
			checked = append(checked, a.Seq)
			return nil
		}, kept)
		if err != nil {
			t.Fatal(err)
		}
		return checked, receipts[0]
	}
	first, second := entry("A-2", ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"}), entry("A-2", ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"})
	if checked, r := added(first); !slices.Equal(checked, []int64{opened.Seq + 1}) || r.Seq != opened.Seq+1 {
		t.Errorf("the first is checked as %v and is line %d after %d", checked, r.Seq, opened.Seq)
	}
	if checked, r := added(second); !slices.Equal(checked, []int64{opened.Seq + 1, opened.Seq + 2}) || r.Seq != opened.Seq+2 {
		t.Errorf("the second is checked as %v and is line %d after %d", checked, r.Seq, opened.Seq)
	}
	if _, r := added(second); r.Seq != opened.Seq+2 {
		t.Errorf("sent again it is line %d", r.Seq)
	}
	if _, breaks, err := app.Verify(t.Context(), nil); err != nil || len(breaks) > 0 {
		t.Errorf("the chains: %v, %v", breaks, err)
	}
	again, err := app.Open(t.Context(), "A-2", "")
	if err != nil {
		t.Fatal(err)
	}
	entries, err := app.Entries(t.Context(), again.Unit)
	if err != nil {
		t.Fatal(err)
	}
	want := ledger.Fold(again.Ledger, entries)
	if a, err := again.Account.Store(); err != nil {
		t.Fatal(err)
	} else if b, err := want.Store(); err != nil || !reflect.DeepEqual(a, b) {
		t.Errorf("the stored account is not what its entries give: %v", err)
	}
}

// "Disk full" is what the server's number and the number of the system's error say, not a text that holds 28.
func TestDiskFull(t *testing.T) {
	for _, c := range []struct {
		number uint16
		text   string
		full   bool
	}{
		{1021, "Disk full (/tmp); waiting for someone to free some space...", true},
		{1114, "The table 'entry' is full", true},
		{1030, `Got error 28 "No space left on device" from storage engine InnoDB`, true},
		{1026, `Error writing file '/data/28.ibd' (errno: 28 "No space left on device")`, true},
		{3, `Error writing file './tmp' (Errcode: 28 "No space left on device")`, true},
		{3, `Error writing file './tmp' (Errcode: 122 "Disk quota exceeded")`, true},
		{1026, `Error writing file '/data/28.ibd' (errno: 5 "Input/output error")`, false},
		{1030, `Got error 128 "Out of memory in engine" from storage engine InnoDB`, false},
		{1030, `Got error 168 "Unknown (generic) error from engine" from storage engine 28`, false},
		{1205, "Lock wait timeout exceeded after 28 s", false},
	} {
		if is := store.DiskFull(&mysql.MySQLError{Number: c.number, Message: c.text}); is != c.full {
			t.Errorf("%d %s: full %v", c.number, c.text, is)
		}
	}
}
