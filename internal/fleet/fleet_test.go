package fleet_test

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"strconv"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/access"
	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/demo"
	"diligentledger/internal/fleet"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/mariadb/mariadbtest"
	"diligentledger/internal/store"
)

var (
	noon       = time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)
	app, owner *store.Store
	// patient reads whole tables, which takes longer than a request may.
	patient *store.Store
	open    *fleet.Fleet
)

func now() time.Time { return noon }

func TestMain(m *testing.M) {
	mariadbtest.Main(m, func(i *mariadb.Instance) {
		var err error
		if owner, err = store.Open(i.OwnerDSN(), now); err != nil {
			panic(err)
		}
		if err := owner.Load(context.Background(), demo.Fleet(noon)); err != nil {
			panic(err)
		}
		if app, err = store.Open(i.AppDSN(), now); err != nil {
			panic(err)
		}
		if patient, err = store.OpenPatient(i.AppDSN(), now); err != nil {
			panic(err)
		}
		open = fleet.New(app, now)
		if _, err := open.RefreshStatus(context.Background()); err != nil {
			panic(err)
		}
	})
}

// alike compares the clocks from the stored account with those from a full fold
// of the entries.
func alike(t *testing.T, when string) {
	t.Helper()
	rows, err := open.Statuses(t.Context(), store.StatusFilter{Clocks: true})
	if err != nil || len(rows) < 55 {
		t.Fatalf("%s: %d rows, %v", when, len(rows), err)
	}
	for _, r := range rows {
		full, err := open.Account(t.Context(), r.Code)
		if err != nil {
			t.Fatal(err)
		}
		// The clocks as the lists read them, and as a full fold gives them now.
		if a, b := asJSON(t, clock.UnitStatus{Verdict: r.Verdict, Governing: r.Governing, Clocks: r.Clocks}), asJSON(t, full.Whole); a != b {
			t.Errorf("%s, %s: stored %s\nfolded %s", when, r.Code, a, b)
		}
		some, err := open.Units(t.Context(), []string{r.Code})
		if err != nil {
			t.Fatal(err)
		}
		if a, b := disagreement(t, some[0].Account), disagreement(t, full.Account); a != b {
			t.Errorf("%s, %s: stored, book and test disagree by %s\nfolded by %s", when, r.Code, a, b)
		}
	}
}

func asJSON(t *testing.T, v any) string {
	t.Helper()
	text, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

func disagreement(t *testing.T, a *ledger.Account) string {
	t.Helper()
	text, err := json.Marshal(a.Diagnosis())
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

func storedOf(t *testing.T) int {
	t.Helper()
	units, err := app.Units(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	_, stored, err := app.Accounts(t.Context(), units)
	if err != nil {
		t.Fatal(err)
	}
	return stored
}

// The stored accounts give the clocks that a full fold gives: as loaded, after
// entries, after a strike, after a plan counts otherwise, and rebuilt.
func TestStoredAccounts(t *testing.T) {
	all := storedOf(t)
	if all < 55 {
		t.Fatalf("%d accounts are stored", all)
	}
	alike(t, "as loaded")
	w := fleet.Actor{Name: "E. Marrow", Role: access.Coordinator}
	write := func(code string, b ledger.Body) string {
		t.Helper()
		e := ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), Unit: code, At: noon.Add(-time.Hour), Body: b}
		if _, err := writeEntry(t.Context(), w, code, e); err != nil {
			t.Fatal(err)
		}
		return e.ID
	}
	wrong := write("CA-20", ledger.Loss{Volume: measure.Reading{Value: 3, Unit: measure.L}})
	alike(t, "after a loss")
	write("CA-20", ledger.Strike{Entry: wrong, Why: "another van"})
	write("CA-45", ledger.Hold{Why: "smells of coolant"})
	write("MC-05", ledger.LayUp{Note: "winter"})
	alike(t, "after a strike")
	if got := storedOf(t); got != all {
		t.Errorf("%d accounts are stored of %d", got, all)
	}

	// A plan with another share makes its accounts stale: they are folded and evaluated anew.
	plans, err := app.ServicePlans(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	p := plans[slices.IndexFunc(plans, func(p store.ServicePlan) bool { return p.Name == "Pool car" })]
	mark := p.Revision()
	p.Plan.Replaced = 0.9
	if _, err := open.SaveServicePlan(t.Context(), marrow, p.ID, mark, p.Plan); err != nil {
		t.Fatal(err)
	}
	if got := storedOf(t); got != all || p.Units == 0 {
		t.Errorf("%d accounts of %d are stored after a plan of %d units was changed", got, all, p.Units)
	}
	alike(t, "with another plan")
	if n, err := app.Rebuild(t.Context()); err != nil || n != all || storedOf(t) != all {
		t.Errorf("rebuilt %d, %v; stored %d of %d", n, err, storedOf(t), all)
	}
	alike(t, "rebuilt")
}

// bigFleet to measure with: LEDGER_UNITS units (300 when it does not say) of 200
// entries each, leaking a little, on a plan that asks for everything.
func bigFleet(b *testing.B) []store.Unit {
	n := 300
	if text := os.Getenv("LEDGER_UNITS"); text != "" {
		var err error
		if n, err = strconv.Atoi(text); err != nil {
			b.Fatalf("LEDGER_UNITS=%q is not a number", text)
		}
	}
	f := demo.Fleet(noon)
	premix := f.Products[1]
	name := fmt.Sprint("big ", time.Now().UnixNano())
	big := store.LoadedFleet{Name: name, Sites: []store.LoadedSite{{Name: name, Cold: f.Sites[0].Cold}},
		Plans: []serviceplan.Plan{{Name: name, Later: serviceplan.Interval{Months: 36, Km: 80_000}, FreezeMargin: 3,
			TestMonths: 12, CapMonths: 24, HoseMonths: 12, FollowDays: 3}}}
	for i := range n {
		u := store.LoadedUnit{UnitName: store.UnitName{Code: fmt.Sprintf("B%d-%05d", time.Now().UnixNano()%1_000_000, i), Name: "big", Kind: "car", Site: name},
			Plan: name, Capacity: 8, Base: coolant.EG, Meter: measure.Km}
		for k := range entriesEach(b) {
			at := noon.AddDate(0, 0, -4*entriesEach(b)+4*k)
			reading := ledger.Meter{Meter: measure.Reading{Value: float64(1000 + 120*k + (k*k*(i+7))%90), Unit: measure.Km}}
			bodies := []ledger.Body{reading, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"}, reading,
				ledger.FreezeTest{Value: measure.Reading{Value: -37, Unit: measure.DegC}, Instrument: ledger.Refractometer, Scale: coolant.EG, Tool: "R-1"},
				reading, ledger.CapTest{Seal: "good", Vacuum: "opens"}, reading, ledger.TopUp{Volume: measure.Reading{Value: 0.1, Unit: measure.L}, With: coolant.Premix, Product: &premix},
				ledger.HoseCheck{Hoses: []ledger.HoseFound{{Hose: "upper", State: "good"}, {Hose: "lower", State: "soft"}}}, reading}
			body := bodies[k%len(bodies)]
			if k == 0 {
				body = ledger.Renewal{Volume: measure.Reading{Value: 8, Unit: measure.L}, Product: premix}
			}
			u.Entries = append(u.Entries, ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), At: at, RecordedAt: at, RecordedBy: "E. Marrow", Body: body})
		}
		big.Units = append(big.Units, u)
	}
	if _, err := owner.DB().ExecContext(b.Context(), `DELETE FROM installation`); err != nil {
		b.Fatal(err)
	}
	if err := owner.Load(b.Context(), big); err != nil {
		b.Fatal(err)
	}
	units, err := patient.Units(b.Context())
	if err != nil {
		b.Fatal(err)
	}
	return units
}

// entriesEach unit of the big fleet has: 200, or LEDGER_ENTRIES.
func entriesEach(b *testing.B) int {
	text := os.Getenv("LEDGER_ENTRIES")
	if text == "" {
		return 200
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < 1 {
		b.Fatalf("LEDGER_ENTRIES=%q is not a number of entries", text)
	}
	return n
}

// The Morning and the first page of the Horizon from status rows, against a plain SELECT of the
// same rows; the evaluation of the whole fleet, as at the change of the day, against a full fold:
// ratios of one run.
func BenchmarkLists(b *testing.B) {
	units := bigFleet(b)
	if _, err := open.RefreshStatus(b.Context()); err != nil {
		b.Fatal(err)
	}
	const page = 100
	plain, lists, evaluated, folded := time.Duration(0), time.Duration(0), time.Duration(0), time.Duration(0)
	timed := func(into *time.Duration, f func() error) {
		start := time.Now()
		if err := f(); err != nil {
			b.Fatal(err)
		}
		*into += time.Since(start)
	}
	read := func(query string, args ...any) error {
		rows, err := app.DB().QueryContext(b.Context(), query, args...)
		if err != nil {
			return err
		}
		defer rows.Close()
		columns, err := rows.Columns()
		if err != nil {
			return err
		}
		values := make([]sql.RawBytes, len(columns))
		into := make([]any, len(columns))
		for i := range values {
			into[i] = &values[i]
		}
		for rows.Next() {
			if err := rows.Scan(into...); err != nil {
				return err
			}
		}
		return rows.Err()
	}
	const reads = 20 // of both, in turn
	for b.Loop() {
		for range reads {
			timed(&plain, func() error {
				for v := range clock.Verdicts {
					if err := read(`SELECT * FROM unit_status WHERE verdict = ? ORDER BY due, code LIMIT ?`, v, page); err != nil {
						return err
					}
				}
				for _, list := range []string{`pending = 1 ORDER BY due, code`, `night IS NOT NULL ORDER BY night, unit_id`, `discrepant = 1 ORDER BY code`} {
					if err := read(`SELECT * FROM unit_status WHERE `+list+` LIMIT ?`, page); err != nil {
						return err
					}
				}
				return read(`SELECT * FROM unit_status ORDER BY verdict, due, code LIMIT ?`, page)
			})
			timed(&lists, func() error {
				if _, err := open.Morning(b.Context(), page); err != nil {
					return err
				}
				_, err := open.Statuses(b.Context(), store.StatusFilter{Clocks: true, Limit: page})
				return err
			})
		}
		timed(&evaluated, func() error {
			next := fleet.New(app, func() time.Time { return noon.AddDate(0, 0, b.N%2+1) })
			if _, err := next.RefreshStatus(b.Context()); err != nil {
				return err
			}
			_, err := open.RefreshStatus(b.Context())
			return err
		})
		timed(&folded, func() error {
			entries, err := patient.EntriesOf(b.Context(), units)
			for _, u := range units {
				a := ledger.Fold(u.Ledger, entries[u.Code])
				clock.Evaluate(&a, u.Plan, clock.Conditions{Climate: u.Cold}, measure.DateOf(noon, time.UTC))
			}
			return err
		})
	}
	n := float64(b.N)
	b.ReportMetric(float64(len(units)), "units")
	b.ReportMetric(lists.Seconds()*1e3/n/reads, "ms/lists")
	b.ReportMetric(float64(lists)/float64(plain), "×select")
	b.ReportMetric(evaluated.Seconds()*1e6/n/2/float64(len(units)), "µs/unit-evaluated")
	b.ReportMetric(float64(folded)/float64(evaluated)*2, "fold/evaluated")
	b.ReportMetric(0, "ns/op")
}

// writeEntry into the books of a unit.
func writeEntry(ctx context.Context, w fleet.Actor, code string, e ledger.Entry) ([]store.Receipt, error) {
	o, err := open.Open(ctx, code, e.ID)
	if err != nil {
		return nil, err
	}
	return open.WriteEntries(ctx, w, o, e)
}
