package web_test

import (
	"context"
	"fmt"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"diligentledger/api"
	"diligentledger/core/access"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/fleet"
	"diligentledger/internal/store"
)

// All that an account holds is lost, by its own line or by an empty level, and a freeze test
// follows: every answer stands, before the write and after.
func TestTestOfAnEmptyBook(t *testing.T) {
	for _, unit := range []string{"CA-26", "CA-28"} {
		account := get[api.Account](t, "/api/v1/units/"+unit)
		emptied := entry("loss", noon.Add(-3*time.Hour), m{"volume": reading(*account.Balance.Litres, "L"), "cause": "leak"})
		if unit == "CA-28" {
			emptied = entry("level_check", noon.Add(-3*time.Hour), m{"temper": "cold", "mark": "empty"})
		}
		for _, e := range []m{emptied, entry("loss", noon.Add(-2*time.Hour), m{"volume": reading(account.Capacity, "L"), "cause": "leak"}), entry("freeze_test", noon.Add(-time.Hour), freezeTest(-30))} {
			e["confirmed"] = true
			if res, text := ask(t, "POST", "/api/v1/units/"+unit+"/entries/preview", e); res.StatusCode != http.StatusOK {
				t.Fatalf("%s, preview of a %s: %d %s", unit, e["kind"], res.StatusCode, text)
			}
			if res, text := ask(t, "POST", "/api/v1/units/"+unit+"/entries", e); res.StatusCode != http.StatusCreated {
				t.Fatalf("%s, %s: %d %s", unit, e["kind"], res.StatusCode, text)
			}
			after := get[api.Account](t, "/api/v1/units/"+unit)
			if after.Status.Verdict == api.VerdictSound {
				t.Errorf("%s after a %s is sound", unit, e["kind"])
			}
		}
	}
	get[api.Morning](t, "/api/v1/morning")
}

// A line that no check has seen, beyond anything that can be meant or torn, makes its own
// unit unknown at the most; Morning, Horizon and every other account answer as before.
func TestOneUnitHidesNoOther(t *testing.T) {
	app, owner := opened(t, instance.AppDSN()), opened(t, instance.OwnerDSN())
	before := get[api.Morning](t, "/api/v1/morning")
	u, err := app.Unit(t.Context(), "CA-20")
	if err != nil {
		t.Fatal(err)
	}
	any := func(store.Appending) error { return nil }
	tiny := ledger.Entry{ID: "019ac000-0000-7000-8000-000000000001", Unit: "CA-20", At: noon.Add(-time.Hour), RecordedBy: "E. Marrow",
		Body: ledger.Renewal{Volume: measure.Reading{Value: 5e-324, Unit: measure.L}, Product: *productOf(t, app, "NORD-OAT-50"), Emptied: true}}
	if _, err := app.Append(t.Context(), &store.Opened{Unit: u}, []ledger.Entry{tiny}, any, func(last store.Appending) (*ledger.Account, []store.Status, error) {
		return last.History.EvaluatedAfter(last.Entry), nil, nil
	}); err != nil {
		t.Fatal(err)
	}
	again := func() {
		t.Helper()
		if _, err := fleet.New(app, now).Rebuild(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	again()
	same := func(when string, but ...string) {
		t.Helper()
		now := get[api.Morning](t, "/api/v1/morning")
		get[api.Horizon](t, "/api/v1/horizon")
		verdicts := map[string]api.Verdict{}
		for _, r := range before.Rows {
			verdicts[r.Unit.Code] = r.Verdict
		}
		for _, r := range now.Rows {
			if !slices.Contains(but, r.Unit.Code) && r.Verdict != verdicts[r.Unit.Code] {
				t.Errorf("%s: %s is %s, was %s", when, r.Unit.Code, r.Verdict, verdicts[r.Unit.Code])
			}
		}
		if len(now.Rows) != len(before.Rows) {
			t.Errorf("%s: %d units, were %d", when, len(now.Rows), len(before.Rows))
		}
	}
	same("a renewal of 5e-324 L")
	if a := get[api.Account](t, "/api/v1/units/CA-20"); !noted(a.Lines[len(a.Lines)-1], api.NoteImplausible) {
		t.Errorf("the line bears %v", a.Lines[len(a.Lines)-1].Notes)
	}
	// A payload that cannot be read, as after a damaged page of the database.
	var payload string
	if err := owner.DB().QueryRowContext(t.Context(), `SELECT payload FROM entry WHERE id = ?`, tiny.ID).Scan(&payload); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if _, err := owner.DB().Exec(`UPDATE entry SET payload = ? WHERE id = ?`, payload, tiny.ID); err != nil {
			t.Error(err)
		}
	})
	if _, err := owner.DB().ExecContext(t.Context(), `UPDATE entry SET payload = '{"volume": "torn"}' WHERE id = ?`, tiny.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := owner.DB().ExecContext(t.Context(), `DELETE a FROM account a JOIN circuit c ON c.id = a.circuit_id JOIN unit u ON u.id = c.unit_id WHERE u.code = 'CA-20'`); err != nil {
		t.Fatal(err)
	}
	again()
	same("a torn line", "CA-20")
	forward(2 * time.Minute) // a folded account is kept for one
	a := get[api.Account](t, "/api/v1/units/CA-20")
	c := a.Status.Clocks[0]
	if a.Status.Verdict != api.VerdictUnknown || c.Kind != api.ClockKindEvaluation || !strings.Contains(c.Reason.Text, tiny.ID) || a.ProtectsTo != nil {
		t.Errorf("a torn account is %s: %+v", a.Status.Verdict, c)
	}
	// A stored account that is damaged is folded from its lines.
	if _, err := owner.DB().ExecContext(t.Context(), `UPDATE account SET body = 'torn'`); err != nil {
		t.Fatal(err)
	}
	same("damaged stored accounts", "CA-20")
}

// productOf the register.
func productOf(t *testing.T, app *store.Store, code string) *coolant.Product {
	t.Helper()
	p, err := app.Product(t.Context(), code)
	if err != nil {
		t.Fatal(fmt.Errorf("%s: %w", code, err))
	}
	return &p
}

// opened store of a database user.
func opened(t testing.TB, dsn string) *store.Store {
	t.Helper()
	st, err := store.Open(dsn, now)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = st.Close() })
	return st
}

// The database is stopped: every request is answered 503 with a reason within five seconds,
// readiness within two; it goes on, and so do they.
func TestDatabaseStopped(t *testing.T) {
	pid := instance.Pid()
	if err := syscall.Kill(pid, syscall.SIGSTOP); err != nil {
		t.Fatal(err)
	}
	goOn := sync.OnceFunc(func() { _ = syscall.Kill(pid, syscall.SIGCONT) })
	defer goOn()
	for stopped := false; !stopped; time.Sleep(time.Millisecond) { // all its threads
		status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
		if err != nil {
			t.Fatal(err)
		}
		stopped = strings.Contains(string(status), "State:\tT")
	}
	time.Sleep(50 * time.Millisecond)
	var all sync.WaitGroup
	// The server waits for 3 s at most; a busy machine adds to that, and one that waits for the database would not answer at all.
	const most = 30 * time.Second
	for _, path := range []string{"/readyz", "/api/v1/morning", "/api/v1/units/CA-14", "/api/v1/session", "/api/v1/horizon"} {
		for range 8 {
			all.Go(func() {
				began := time.Now()
				res, text, err := send(context.Background(), "GET", path, nil, as(access.Coordinator)...)
				if took := time.Since(began); err != nil || res.StatusCode != http.StatusServiceUnavailable || !strings.Contains(string(text), "the database does not answer") || took > most {
					t.Errorf("%s: %v, %s, %v after %s", path, res, text, err, took)
				}
			})
		}
	}
	all.Go(func() {
		began := time.Now()
		res, text, err := send(context.Background(), "POST", "/api/v1/units/CA-14/entries", entry("note", noon, m{"text": "while it was away"}), as(access.Coordinator)...)
		if took := time.Since(began); err != nil || res.StatusCode != http.StatusServiceUnavailable || took > most {
			t.Errorf("a write: %v, %s, %v after %s", res, text, err, took)
		}
	})
	all.Wait()
	goOn()
	deadline := time.Now().Add(20 * time.Second)
	for {
		res, _, err := send(context.Background(), "GET", "/api/v1/morning", nil, as(access.Coordinator)...)
		if err == nil && res.StatusCode == http.StatusOK {
			break
		}
		if time.Now().After(deadline) {
			t.Fatalf("it goes on, and nothing is answered: %v, %v", res, err)
		}
		time.Sleep(50 * time.Millisecond)
	}
}
