package law

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/access"
	"diligentledger/core/ledger"
	"diligentledger/core/register"
	"diligentledger/internal/store"
)

func (r *random) by(role access.Role) caller {
	return r.callers[slices.IndexFunc(r.callers, func(c caller) bool { return c.role == role && c.header[0] == "Cookie" })]
}

func (r *random) write(c caller, unit, kind string, body map[string]any) (int, string) {
	e := map[string]any{"id": uuid.Must(uuid.NewV7()).String(), "kind": kind, "at": now().Format(time.RFC3339Nano), "confirmed": true, ledger.FieldName(ledger.Kind(kind)): body}
	status, text := r.send(c, "POST", "/api/v1/units/"+unit+"/entries", e)
	return status, string(text)
}

// change facts of a unit; the answer.
func (r *random) change(c caller, unit string, facts map[string]string) (int, string) {
	record, err := desk.Record(r.t.Context(), register.Unit, unit)
	if err != nil {
		r.t.Fatal(err)
	}
	status, text := r.send(c, "PUT", "/api/v1/register/unit/records/"+unit, map[string]any{"facts": facts, "confirmed": true}, "If-Match", record.Revision())
	return status, string(text)
}

func stopsOf(t *testing.T, unit string) []ledger.Stop {
	t.Helper()
	a, err := desk.Account(t.Context(), unit)
	if err != nil {
		t.Fatal(err)
	}
	return a.Account.Stops()
}

// A fact is no release: a cap that opened far below its rating is not made sound by another rating, unless who changes it may end
// what it stops. Whichever way the fact comes: by hand, by its undo, by a file.
func TestFactIsNoRelease(t *testing.T) {
	r := &random{t: t, rng: rand.New(rand.NewPCG(3, 1))}
	r.signIn()
	coordinator, technician, signatory := r.by(access.Coordinator), r.by(access.Technician), r.by(access.Signatory)
	low := map[string]any{"opened": map[string]any{"value": 40, "unit": "kPa"}, "seal": "good", "vacuum": "opens"}
	for unit, c := range map[string]struct {
		cap    string
		status int
	}{"AV-01": {"40 kPa", http.StatusForbidden}, "AV-02": {"", http.StatusForbidden}} {
		if status, text := r.write(technician, unit, "cap_test", low); status != http.StatusCreated {
			t.Fatalf("%s: %d %s", unit, status, text)
		}
		if len(stopsOf(t, unit)) == 0 {
			t.Fatalf("%s: a cap that opens at 40 kPa stops nothing", unit)
		}
		status, text := r.change(coordinator, unit, map[string]string{"cap": c.cap})
		if status != c.status || status == http.StatusForbidden && !strings.Contains(text, "signatory") {
			t.Errorf("%s: %d %s", unit, status, text)
		}
		if status == http.StatusForbidden && len(stopsOf(t, unit)) == 0 {
			t.Errorf("%s: refused, and free all the same", unit)
		}
	}
	// By a file, which the coordinator brings.
	sheet := "unit;cap\nAV-01;40 kPa\n"
	status, text := r.send(coordinator, "POST", "/api/v1/imports?name=caps.csv", []byte(sheet))
	if status >= 300 {
		t.Fatalf("%d %s", status, text)
	}
	runs, err := books.Imports(t.Context(), 1)
	if err != nil || len(runs) == 0 {
		t.Fatal(err)
	}
	r.runImport(coordinator, runs[0])
	if len(stopsOf(t, "AV-01")) == 0 {
		t.Error("a file released an aircraft")
	}
	// The signatory ends it by a release; then the fact may be put right.
	release := map[string]any{"what": "cap renewed", "certificate": "SS-104", "certificateKind": "inspection authorisation", "data": "MM 75-20"}
	if status, text := r.write(technician, "AV-01", "cap_test", map[string]any{"opened": map[string]any{"value": 80, "unit": "kPa"}, "seal": "good", "vacuum": "opens", "seated": true, "renewed": true}); status != http.StatusCreated {
		t.Fatalf("%d %s", status, text)
	}
	if status, text := r.write(signatory, "AV-01", "release", release); status != http.StatusCreated {
		t.Fatalf("%d %s", status, text)
	}
	if status, text := r.change(coordinator, "AV-01", map[string]string{"cap": "45 kPa"}); status != http.StatusOK {
		t.Errorf("%d %s", status, text)
	}
}

// runImport checks and runs an import, as the pages do.
func (r *random) runImport(c caller, run store.Import) {
	columns := make([]string, len(run.Columns))
	for i, column := range run.Columns {
		columns[i] = string(column)
	}
	status, text := r.send(c, "POST", fmt.Sprintf("/api/v1/imports/%d/check", run.ID), map[string]any{"columns": columns, "options": map[string]any{}})
	if status >= 300 {
		r.t.Fatalf("check: %d %s", status, text)
	}
	for range 2 {
		if _, err := desk.WorkOnImport(r.t.Context()); err != nil {
			r.t.Logf("import: %v", err)
		}
		r.send(c, "POST", fmt.Sprintf("/api/v1/imports/%d/run", run.ID), nil)
	}
}

// A token is nobody's namesake: a person who bears its name does not own its lines, nor does another token. No token makes
// credentials or people, or takes the books away, and none outlives the right of its maker.
func TestTokens(t *testing.T) {
	r := &random{t: t, rng: rand.New(rand.NewPCG(3, 2))}
	r.callers = nil
	r.signInOnly()
	boss := r.by(access.Coordinator)
	made := func(name, scope string) caller {
		t.Helper()
		status, text := r.send(boss, "POST", "/api/v1/tokens", map[string]any{"name": name, "role": "technician", "scope": scope, "endsOn": noon.AddDate(0, 1, 0).Format(time.DateOnly)})
		if status != http.StatusCreated {
			t.Fatalf("%d %s", status, text)
		}
		_, secret, _ := strings.Cut(string(text), `"secret":"`)
		secret, _, _ = strings.Cut(secret, `"`)
		return caller{name, access.Technician, [2]string{"Authorization", "Bearer " + secret}}
	}
	first, second := made("yard", "record"), made("dock", "record")
	id := uuid.Must(uuid.NewV7()).String()
	note := map[string]any{"id": id, "kind": "note", "at": now().Format(time.RFC3339Nano), "note": map[string]any{"text": "by a token"}}
	if status, text := r.send(first, "POST", "/api/v1/units/CA-22/entries", note); status != http.StatusCreated {
		t.Fatalf("%d %s", status, text)
	}
	strike := map[string]any{"entry": id, "why": "not so"}
	if status, _ := r.write(second, "CA-22", "strike", strike); status != http.StatusForbidden {
		t.Errorf("another token struck it: %d", status)
	}
	if status, text := r.send(boss, "POST", "/api/v1/people", map[string]any{"name": "token yard", "email": "t@skerrow.example", "role": "technician"}); status != http.StatusUnprocessableEntity {
		t.Errorf("a person with the name of a token: %d %s", status, text)
	}
	if status, text := r.write(first, "CA-22", "strike", strike); status != http.StatusCreated {
		t.Errorf("its own line: %d %s", status, text)
	}
	// Least by default.
	status, text := r.send(boss, "POST", "/api/v1/tokens", map[string]any{"name": "least", "role": "coordinator", "endsOn": noon.AddDate(0, 1, 0).Format(time.DateOnly)})
	_, secret, _ := strings.Cut(string(text), `"secret":"`)
	secret, _, _ = strings.Cut(secret, `"`)
	least := caller{"least", access.Coordinator, [2]string{"Authorization", "Bearer " + secret}}
	if got, _ := r.send(least, "GET", "/api/v1/morning", nil); status != http.StatusCreated || got != http.StatusOK {
		t.Errorf("a token that reads: %d, %d", status, got)
	}
	if got, _ := r.write(least, "CA-22", "note", map[string]any{"text": "x"}); got != http.StatusForbidden {
		t.Errorf("a token that reads wrote: %d", got)
	}
	whole := caller{"whole", access.Coordinator, [2]string{}}
	_, text = r.send(boss, "POST", "/api/v1/tokens", map[string]any{"name": "whole", "role": "coordinator", "scope": "change", "endsOn": noon.AddDate(0, 1, 0).Format(time.DateOnly)})
	_, secret, _ = strings.Cut(string(text), `"secret":"`)
	secret, _, _ = strings.Cut(secret, `"`)
	whole.header = [2]string{"Authorization", "Bearer " + secret}
	for _, o := range [][2]string{{"GET", "/api/v1/archive"}, {"GET", "/api/v1/tokens"}, {"POST", "/api/v1/tokens"}, {"GET", "/api/v1/people"}, {"POST", "/api/v1/people"}, {"POST", "/api/v1/plan/calendars"}, {"GET", "/api/v1/plan/calendars"}} {
		if status, text := r.send(whole, o[0], o[1], map[string]any{}); status != http.StatusForbidden || !strings.Contains(string(text), "no token may") {
			t.Errorf("%s %s by a token: %d %.200s", o[0], o[1], status, text)
		}
	}
	// The archive is no link of another site.
	for site, want := range map[string]int{"cross-site": http.StatusForbidden, "same-site": http.StatusForbidden, "": http.StatusForbidden, "same-origin": http.StatusOK, "none": http.StatusOK} {
		if status, _ := r.send(boss, "GET", "/api/v1/archive", nil, "Sec-Fetch-Site", site); status != want {
			t.Errorf("from %q: %d, want %d", site, status, want)
		}
	}
	// It ends with the role of its maker.
	var maker int64
	people, err := books.People(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range people {
		if p.Role == access.Coordinator && p.Active && maker == 0 {
			maker = p.ID
		}
	}
	set := func(role string) {
		t.Helper()
		if _, err := owner.DB().ExecContext(t.Context(), `UPDATE person SET role = ? WHERE id = ?`, role, maker); err != nil {
			t.Fatal(err)
		}
	}
	set("reader")
	if status, _ := r.send(whole, "GET", "/api/v1/morning", nil); status != http.StatusUnauthorized {
		t.Errorf("the token of one who is no coordinator any more: %d", status)
	}
	set("coordinator")
	if status, _ := r.send(whole, "GET", "/api/v1/morning", nil); status != http.StatusOK {
		t.Errorf("again: %d", status)
	}
}

// Lines of an import are theirs who let it run, and those of its reversal theirs who reverses it.
func TestWhoRanIt(t *testing.T) {
	r := &random{t: t, rng: rand.New(rand.NewPCG(3, 3))}
	r.signInOnly()
	brought, ran, back := store.Actor{ID: 71, Name: "B. Rought", Role: access.Coordinator}, store.Actor{ID: 72, Name: "R. An", Role: access.Coordinator}, store.Actor{ID: 73, Name: "R. Eversed", Role: access.Coordinator}
	status, text := r.send(r.by(access.Coordinator), "POST", "/api/v1/imports?name=levels.csv", []byte("unit;date;what;freeze point\nCA-11;2026-11-20;test;-36 C\n"))
	if status >= 300 {
		t.Fatalf("%d %s", status, text)
	}
	runs, err := books.Imports(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	id := runs[0].ID
	_ = brought
	work := func() {
		t.Helper()
		if _, err := desk.WorkOnImport(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	if err := desk.CheckImport(t.Context(), brought, id, runs[0].Columns, runs[0].Options); err != nil {
		t.Fatal(err)
	}
	work()
	if err := desk.RunImport(t.Context(), ran, id); err != nil {
		t.Fatal(err)
	}
	work()
	by := func(kind ledger.Kind) (names []string) {
		a, err := desk.Account(t.Context(), "CA-11")
		if err != nil {
			t.Fatal(err)
		}
		for _, l := range a.Account.Lines {
			if l.Entry.Kind() == kind && l.Entry.RecordedAt.After(noon.Add(-time.Hour)) {
				names = append(names, fmt.Sprint(l.Entry.RecordedBy, l.Entry.RecordedByID))
			}
		}
		return names
	}
	if got := by(ledger.KindFreezeTest); !slices.Contains(got, "R. An72") {
		run, _ := books.Import(t.Context(), id)
		t.Fatalf("the line is by %v; %s %s", got, run.State, run.Result)
	}
	if err := desk.ReverseImport(t.Context(), back, id); err != nil {
		t.Fatal(err)
	}
	work()
	if got := by(ledger.KindStrike); !slices.Contains(got, "R. Eversed73") {
		t.Errorf("the strike is by %v", got)
	}
}
