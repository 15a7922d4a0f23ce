package web_test

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/api"
	"diligentledger/core/access"
	"diligentledger/core/job"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/register"
	"diligentledger/internal/sheet"
	"diligentledger/internal/store"
)

type jobAnswer struct {
	ID       string     `json:"id"`
	Revision int        `json:"revision"`
	Pack     string     `json:"pack"`
	View     sheet.View `json:"view"`
}

// jobWorker does a job over HTTP by what a simulated unit shows.
type jobWorker struct {
	t    *testing.T
	role access.Role
	sim  *job.Simulator
	id   string
	last jobAnswer
	// change what is recorded at a step.
	change func(st job.Step, values map[string]job.Value)
	sent   []string // ids of its events
}

func newUUID() string { return uuid.Must(uuid.NewV7()).String() }

func beginJob(t *testing.T, role access.Role, input map[string]any) *jobWorker {
	t.Helper()
	w := &jobWorker{t: t, role: role, id: newUUID()}
	input["id"] = w.id
	res, text := ask(t, http.MethodPost, "/api/v1/jobs", input, as(role)...)
	if res.StatusCode != http.StatusOK {
		t.Fatalf("%v: %d %s", input, res.StatusCode, text)
	}
	w.took(text)
	w.sim = job.NewSimulator(w.pack().Setup)
	return w
}

func (w *jobWorker) took(text []byte) {
	w.t.Helper()
	if err := json.Unmarshal(text, &w.last); err != nil {
		w.t.Fatal(err)
	}
}

func (w *jobWorker) pack() sheet.Pack {
	w.t.Helper()
	p, err := sheet.ReadPack([]byte(w.last.Pack))
	if err != nil {
		w.t.Fatal(err)
	}
	return p
}

func (w *jobWorker) state() job.State { return w.pack().Open(nil, now()) }

func (w *jobWorker) post(events ...map[string]any) (int, []byte) {
	w.t.Helper()
	for _, e := range events {
		if e["id"] == nil {
			e["id"] = newUUID()
		}
		if e["at"] == nil {
			e["at"] = now()
		}
		w.sent = append(w.sent, e["id"].(string))
	}
	res, text := ask(w.t, http.MethodPost, "/api/v1/jobs/"+w.id+"/events", map[string]any{"events": events}, as(w.role)...)
	return res.StatusCode, text
}

// next step; false when the release is next.
func (w *jobWorker) next() bool {
	w.t.Helper()
	st := w.state()
	if st.Next == "" || st.Next == "release" {
		return false
	}
	step := *st.Step(st.Next)
	values := w.sim.Answer(step)
	if w.change != nil {
		w.change(step, values)
	}
	e := map[string]any{"type": "answer", "step": step.Key, "values": values}
	if step.Answer != nil {
		e["replaces"] = step.Answer.ID
	}
	status, text := w.post(e)
	// A busy machine: nothing was stored, and it is sent again as it is.
	for tries := 0; status == http.StatusServiceUnavailable && tries < 30; tries++ {
		time.Sleep(time.Second)
		w.sent = w.sent[:len(w.sent)-1]
		status, text = w.post(e)
	}
	if status != http.StatusOK {
		w.t.Fatalf("%s: %d %s", step.Key, status, text)
	}
	w.took(text)
	if after := w.state(); after.Step(step.Key) != nil && after.Step(step.Key).Status == job.Done {
		w.sim.Apply(step, values)
	} else {
		w.sim.Tried(step.Key)
	}
	return true
}

func (w *jobWorker) run() {
	w.t.Helper()
	for n := 0; w.next(); n++ {
		if n > 120 {
			st := w.state()
			w.t.Fatalf("no end: %s %+v, balance %+v", st.Next, st.Step(st.Next), st.Balance)
		}
	}
}

// A job from its beginning to the release: the unit is on hold meanwhile, a pause says why it must not be started, the entries
// name the job and its step, and a technician cannot release.
func TestJobOverHTTP(t *testing.T) {
	w := beginJob(t, access.Technician, map[string]any{"unit": "CA-16", "job": "drain_fill"})
	verdict := func() string {
		_, text := ask(t, http.MethodGet, "/api/v1/units/CA-16", nil)
		var a struct {
			Status struct {
				Verdict string `json:"verdict"`
			} `json:"status"`
		}
		if err := json.Unmarshal(text, &a); err != nil {
			t.Fatal(err)
		}
		return a.Status.Verdict
	}
	if got := verdict(); got != "hold" {
		t.Errorf("verdict %q while it is worked on", got)
	}
	// A second job on the same circuit, by another person.
	res, text := ask(t, http.MethodPost, "/api/v1/jobs", map[string]any{"id": newUUID(), "unit": "CA-16", "job": "bleed"}, as(access.Coordinator)...)
	if res.StatusCode != http.StatusConflict {
		t.Errorf("a second job: %d %s", res.StatusCode, text)
	}
	for w.state().Phase != job.PhaseFill {
		w.next()
	}
	if status, text := w.post(map[string]any{"type": "pause", "why": "waiting for washers"}); status != http.StatusOK {
		t.Fatalf("%d %s", status, text)
	} else {
		w.took(text)
	}
	if !strings.Contains(w.last.View.Pause, "waiting for washers. System empty, do not start") {
		t.Errorf("pause %q", w.last.View.Pause)
	}
	_, text = ask(t, http.MethodGet, "/api/v1/morning", nil)
	if !strings.Contains(string(text), "waiting for washers. System empty, do not start") {
		t.Error("the Morning does not say that it is paused and empty")
	}
	// Its hold is lifted by its release alone: not by a release in the account, nor by striking the hold.
	for _, e := range get[api.Account](t, "/api/v1/units/CA-16").Lines {
		if e.Kind != "hold" {
			continue
		}
		res, text := ask(t, http.MethodPost, "/api/v1/units/CA-16/entries", map[string]any{"id": newUUID(), "kind": "strike", "at": now(), "strike": map[string]any{"entry": e.Id, "why": "not needed"}})
		if res.StatusCode < 400 && get[api.Account](t, "/api/v1/units/CA-16").Status.Verdict != "hold" {
			t.Errorf("the hold was struck: %s", text)
		}
	}
	res, text = ask(t, http.MethodPost, "/api/v1/units/CA-16/entries", map[string]any{"id": newUUID(), "kind": "release", "at": now(), "release": map[string]any{"what": "in a hurry"}})
	if res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "the release of that job") {
		t.Errorf("released in the account: %d %s", res.StatusCode, text)
	}
	// Another person goes on.
	w.role = access.Coordinator
	if status, text := w.post(map[string]any{"type": "resume"}); status != http.StatusOK {
		t.Fatalf("%d %s", status, text)
	} else {
		w.took(text)
	}
	w.role = access.Technician
	w.run()
	if !w.last.View.Ready || !w.last.View.Posted {
		t.Fatalf("ready %v, posted %v", w.last.View.Ready, w.last.View.Posted)
	}
	if len(w.last.View.People) != 2 {
		t.Errorf("people %v", w.last.View.People)
	}
	entries, err := opened(t, instance.OwnerDSN()).EntriesOfJob(t.Context(), w.id)
	if err != nil || len(entries) < 8 {
		t.Fatalf("%d entries, %v", len(entries), err)
	}
	kinds := map[string]int{}
	for _, e := range entries {
		kinds[string(e.Kind())]++
	}
	if kinds["renewal"] != 1 || kinds["freeze_test"] == 0 || kinds["hold"] < 1 || kinds["level_check"] != 2 || kinds["cap_test"] < 2 {
		t.Errorf("entries %v", kinds)
	}
	// A technician may not release, and nothing more is recorded on the sheet.
	res, text = ask(t, http.MethodPost, "/api/v1/jobs/"+w.id+"/release", map[string]any{"what": "done"}, as(access.Technician)...)
	if res.StatusCode != http.StatusForbidden {
		t.Errorf("released by a technician: %d %s", res.StatusCode, text)
	}
	if status, _ := w.post(map[string]any{"type": "answer", "step": "prepare", "values": map[string]any{}}); status == http.StatusOK {
		t.Error("an answer after the entries were posted")
	}
	if got := verdict(); got != "hold" {
		t.Errorf("verdict %q before the release", got)
	}
	res, text = ask(t, http.MethodPost, "/api/v1/jobs/"+w.id+"/release", map[string]any{"what": "drain-and-fill done"}, as(access.Coordinator)...)
	if res.StatusCode != http.StatusOK {
		t.Fatalf("release: %d %s", res.StatusCode, text)
	}
	if got := verdict(); got == "hold" {
		t.Errorf("verdict %q after the release", got)
	}
	for _, path := range []string{"/api/v1/jobs/" + w.id + "/record.pdf", "/api/v1/jobs/sheets.pdf?job=" + w.id} {
		res, text := ask(t, http.MethodGet, path, nil)
		if res.StatusCode != http.StatusOK || !bytes.HasPrefix(text, []byte("%PDF")) || len(text) < 5000 {
			t.Errorf("%s: %d, %d bytes", path, res.StatusCode, len(text))
		}
	}
	// Its chain holds, and a changed event is found.
	if _, breaks, err := opened(t, instance.OwnerDSN()).Verify(t.Context(), nil); err != nil || slices.ContainsFunc(breaks, func(b store.Break) bool { return b.Unit == "job" }) {
		t.Errorf("%v, %v", breaks, err)
	}
}

// An aircraft is released by a licensed signatory alone, by whatever route it is tried; and never without the steps.
func TestAircraftRelease(t *testing.T) {
	w := beginJob(t, access.Technician, map[string]any{"unit": "AV-04", "job": "aircraft_task"})
	release := func(r access.Role, body map[string]any) (int, []byte) {
		res, text := ask(t, http.MethodPost, "/api/v1/jobs/"+w.id+"/release", body, as(r)...)
		return res.StatusCode, text
	}
	full := map[string]any{"what": "coolant renewed", "certificate": "S-204", "certificateKind": "inspection", "data": "manual 75-00", "totalTime": "1203.5"}
	if status, _ := release(access.Signatory, full); status == http.StatusOK {
		t.Fatal("released before it was done")
	}
	w.run()
	for _, r := range []access.Role{access.Technician, access.Coordinator} {
		if status, text := release(r, full); status != http.StatusForbidden {
			t.Errorf("%s: %d %s", r, status, text)
		}
		if status, text := w.post(map[string]any{"type": "override", "step": "release", "why": "no signatory here"}); status == http.StatusOK {
			t.Errorf("%s overrode: %s", r, text)
		}
		res, text := ask(t, http.MethodPost, "/api/v1/units/AV-04/entries", map[string]any{"id": newUUID(), "kind": "release", "at": now(), "release": map[string]any{"what": "done"}}, as(r)...)
		if res.StatusCode < 400 {
			t.Errorf("%s released by an entry: %d %s", r, res.StatusCode, text)
		}
	}
	if status, text := release(access.Signatory, map[string]any{"what": "coolant renewed"}); status == http.StatusOK {
		t.Errorf("released without a certificate: %s", text)
	}
	if status, text := release(access.Signatory, full); status != http.StatusOK {
		t.Fatalf("%d %s", status, text)
	}
}

// What cannot be is refused with the field, the value and what is accepted.
func TestJobRefusals(t *testing.T) {
	w := beginJob(t, access.Coordinator, map[string]any{"unit": "CA-61", "job": "drain_fill"})
	for _, c := range []struct {
		name  string
		event map[string]any
		field string
	}{
		{"a missing field", map[string]any{"type": "answer", "step": "prepare", "values": map[string]any{}}, "/events/0/values/ready"},
		{"a choice that is none", map[string]any{"type": "answer", "step": "prepare", "values": map[string]any{"ready": map[string]any{"choice": "perhaps"}}}, "/events/0/values/ready"},
		{"an override without a reason", map[string]any{"type": "override", "step": "balance"}, "/events/0/why"},
		{"a strike of nothing", map[string]any{"type": "strike"}, "/events/0/strikes"},
	} {
		status, text := w.post(c.event)
		if status != http.StatusUnprocessableEntity || !strings.Contains(string(text), c.field) {
			t.Errorf("%s: %d %s", c.name, status, text)
		}
	}
	for _, c := range []struct{ name, field, value string }{{"a job of another kind of unit", "job", "boat_loop"}, {"a product that is none", "product", "NOPE"}, {"a method of a boat", "fill", "header"}} {
		res, text := ask(t, http.MethodPost, "/api/v1/jobs/sheet", map[string]any{"id": newUUID(), "unit": "CA-61", "job": "drain_fill", c.field: c.value})
		if res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "accepted") {
			t.Errorf("%s: %d %s", c.name, res.StatusCode, text)
		}
	}
	// The same event twice is kept once; the same id with other content is refused.
	e := map[string]any{"id": newUUID(), "type": "answer", "step": "prepare", "at": now(), "values": map[string]any{"ready": map[string]any{"choice": "yes"}}}
	for range 2 {
		if status, text := w.post(e); status != http.StatusOK {
			t.Fatalf("%d %s", status, text)
		} else {
			w.took(text)
		}
	}
	if w.last.Revision != 1 {
		t.Errorf("%d events", w.last.Revision)
	}
	e["step"] = "place"
	if status, text := w.post(e); status != http.StatusConflict {
		t.Errorf("other content: %d %s", status, text)
	}
	if status, _ := w.post(map[string]any{"type": "cancel", "why": "the wrong unit"}); status != http.StatusOK {
		t.Error("a coordinator may cancel")
	}
}

// Ten people on ten jobs at once: each sheet has its own steps, and no one else's.
func TestTenJobsAtOnce(t *testing.T) {
	units := []string{"CA-03", "CA-04", "CA-07", "CA-11", "CA-38", "CA-45", "CA-49", "TK-36", "MC-08", "MC-05"}
	workers := make([]*jobWorker, len(units))
	for i, u := range units {
		workers[i] = beginJob(t, access.Technician, map[string]any{"unit": u, "job": "drain_fill"})
	}
	var wg sync.WaitGroup
	for _, w := range workers {
		wg.Go(w.run)
	}
	wg.Wait()
	owner := map[string]int{}
	for i, w := range workers {
		for _, id := range w.sent {
			owner[id] = i
		}
	}
	for i, w := range workers {
		events, err := opened(t, instance.OwnerDSN()).JobEvents(t.Context(), w.id)
		if err != nil {
			t.Fatal(err)
		}
		answers := 0
		for _, e := range events {
			if e.Type != job.Answered {
				continue
			}
			answers++
			if of, known := owner[e.ID]; !known || of != i {
				t.Errorf("job %d has an event of job %d", i, of)
			}
		}
		if answers != len(w.sent) || !w.last.View.Ready {
			t.Errorf("job %d: %d of %d answers, ready %v", i, answers, len(w.sent), w.last.View.Ready)
		}
		entries, err := opened(t, instance.OwnerDSN()).EntriesOfJob(t.Context(), w.id)
		if err != nil || len(entries) == 0 {
			t.Errorf("job %d: %d entries, %v", i, len(entries), err)
		}
	}
}

// A parameter of the methods is set for a unit and for its type, with where it comes from; each change is kept, and the sheet has it.
func TestJobParameters(t *testing.T) {
	const unit = "CA-07"
	choices := func() api.JobChoices { return get[api.JobChoices](t, "/api/v1/jobs/choices?unit="+unit) }
	value := func(code string) (float64, string) {
		for _, p := range choices().Parameters {
			if p.Code == code {
				return p.Value, *cmp.Or(p.Set, new(string))
			}
		}
		return 0, ""
	}
	put := func(body map[string]any) (int, []byte) {
		res, text := ask(t, http.MethodPut, "/api/v1/jobs/parameters", body)
		return res.StatusCode, text
	}
	if v, set := value("cooling"); v != 4 || set != "" {
		t.Fatalf("cooling %v, %q", v, set)
	}
	for _, bad := range []map[string]any{
		{"unit": unit, "ofType": false, "code": "cooling", "value": 500, "why": "page 3"},
		{"unit": unit, "ofType": false, "code": "coffee", "value": 5, "why": "page 3"},
		{"unit": unit, "ofType": false, "code": "cooling", "value": 2, "why": " "},
	} {
		if status, text := put(bad); status != http.StatusUnprocessableEntity || !strings.Contains(string(text), "accepted") {
			t.Errorf("%v: %d %s", bad, status, text)
		}
	}
	for _, v := range []any{1.5, 2, nil} {
		body := map[string]any{"unit": unit, "ofType": false, "code": "cooling", "why": "manual, page 3"}
		want := 4.0
		if v != nil {
			body["value"] = v
			want, _ = strconv.ParseFloat(fmt.Sprint(v), 64)
		}
		if status, text := put(body); status != http.StatusNoContent {
			t.Fatalf("%d %s", status, text)
		}
		if got, set := value("cooling"); got != want || !strings.Contains(set, "manual, page 3") {
			t.Errorf("cooling %v, %q; want %v", got, set, want)
		}
	}
	res, text := ask(t, http.MethodPost, "/api/v1/jobs/sheet", map[string]any{"id": newUUID(), "unit": unit, "job": "full_flush", "cleaner": true})
	if res.StatusCode != http.StatusOK || !strings.Contains(string(text), "3 d") {
		t.Errorf("%d, no days of cleaner in the sheet", res.StatusCode)
	}
	books := opened(t, instance.OwnerDSN())
	record, err := books.Record(t.Context(), register.Unit, unit)
	if err != nil {
		t.Fatal(err)
	}
	kept, err := books.JobParameters(t.Context(), true, record.ID)
	if err != nil || len(kept) != 3 {
		t.Errorf("%d changes kept, %v", len(kept), err)
	}
}

// A job that is cancelled after the drain: what came out is in the ledger, and the unit stays on hold.
func TestJobCancelled(t *testing.T) {
	w := beginJob(t, access.Coordinator, map[string]any{"unit": "CA-33", "job": "drain_fill"})
	for w.state().Phase != job.PhaseFill {
		w.next()
	}
	w.role = access.Technician
	if status, text := w.post(map[string]any{"type": "cancel", "why": "no time left"}); status == http.StatusOK {
		t.Errorf("a technician cancelled: %s", text)
	}
	w.role = access.Coordinator
	if status, text := w.post(map[string]any{"type": "cancel", "why": "the unit is sold"}); status != http.StatusOK {
		t.Fatalf("%d %s", status, text)
	}
	entries, err := opened(t, instance.OwnerDSN()).EntriesOfJob(t.Context(), w.id)
	if err != nil {
		t.Fatal(err)
	}
	lost := false
	for _, e := range entries {
		lost = lost || e.Kind() == ledger.KindLoss
	}
	if a := get[api.Account](t, "/api/v1/units/CA-33"); !lost || string(a.Status.Verdict) != "hold" {
		t.Errorf("a loss is recorded: %v; verdict %s", lost, a.Status.Verdict)
	}
	// Another job can begin there.
	w = beginJob(t, access.Coordinator, map[string]any{"unit": "CA-33", "job": "drain_fill"})
	if w.state().Next != "prepare" {
		t.Error(w.state().Next)
	}
}

// What the ledger refuses is said on the sheet, nothing is lost, and once the step is corrected the entries are written; the planned
// renewal is done with them.
func TestJobProblem(t *testing.T) {
	const unit = "TK-18"
	if res, text := ask(t, http.MethodPost, "/api/v1/work-list", map[string]any{"units": []string{unit}}); res.StatusCode != http.StatusOK {
		t.Fatalf("%d %s", res.StatusCode, text)
	}
	w := beginJob(t, access.Technician, map[string]any{"unit": unit, "job": "full_flush", "thermostatOut": true})
	capacity := w.last.View.Capacity
	w.change = func(st job.Step, v map[string]job.Value) {
		if st.Code == "drain" {
			v["litres"] = job.Value{Reading: &measure.Reading{Value: 1.39 * capacity, Unit: measure.L}}
		}
		if st.Code == "flush_drain" {
			v["litres"] = job.Value{Reading: &measure.Reading{Value: 1.99 * capacity, Unit: measure.L}}
		}
	}
	for w.state().Phase != job.PhaseBleed {
		w.next()
	}
	// More came out by these figures than a system holds: less went in, and a coordinator takes it on.
	for w.state().Next != "rebleed:1" {
		w.next()
	}
	w.role = access.Coordinator
	if status, text := w.post(map[string]any{"type": "override", "step": "balance", "why": "the pan was misread"}); status != http.StatusOK {
		t.Fatalf("%d %s", status, text)
	} else {
		w.took(text)
	}
	w.role = access.Technician
	w.run()
	answer := get[api.Job](t, "/api/v1/jobs/"+w.id)
	if !w.last.View.Ready || w.last.View.Posted || answer.Problem == nil || !strings.Contains(*answer.Problem, "capacity") {
		t.Fatalf("ready %v, posted %v, problem %v", w.last.View.Ready, w.last.View.Posted, answer.Problem)
	}
	if res, text := ask(t, http.MethodPost, "/api/v1/jobs/"+w.id+"/release", map[string]any{"what": "done"}); res.StatusCode == http.StatusOK {
		t.Errorf("released without its entries: %s", text)
	}
	// Corrected: the last flush gave what the system holds.
	last := ""
	for _, s := range w.state().Steps {
		if s.Code == "flush_drain" {
			last = s.Key
		}
	}
	w.change = nil
	step := w.state().Step(last)
	good := map[string]job.Value{"litres": {Reading: &measure.Reading{Value: 0.9 * capacity, Unit: measure.L}}, "look": {Choice: "colourless"}}
	if status, text := w.post(map[string]any{"type": "answer", "step": last, "values": good, "replaces": step.Answer.ID}); status != http.StatusOK {
		t.Fatalf("%d %s", status, text)
	} else {
		w.took(text)
	}
	w.run()
	if !w.last.View.Posted {
		t.Fatalf("not posted: next %s, %v", w.last.View.Next, *cmp.Or(get[api.Job](t, "/api/v1/jobs/"+w.id).Problem, new(string)))
	}
	for _, l := range get[api.WorkList](t, "/api/v1/work-list").Lines {
		if l.Unit.Code == unit && l.Done == nil {
			t.Errorf("planned work is still open: %+v", l.Item)
		}
	}
}

// However many jobs ended lately, the list has every one that is open; what a released one's unit still owes is said.
func TestJobListIsWhole(t *testing.T) {
	w := beginJob(t, access.Coordinator, map[string]any{"unit": "CA-47", "job": "drain_fill"})
	w.run()
	if res, text := ask(t, http.MethodPost, "/api/v1/jobs/"+w.id+"/release", map[string]any{"what": "done"}); res.StatusCode != http.StatusOK {
		t.Fatalf("%d %s", res.StatusCode, text)
	}
	row := func(id string) *api.JobRow {
		all := get[[]api.JobRow](t, "/api/v1/jobs")
		if i := slices.IndexFunc(all, func(r api.JobRow) bool { return r.Id.String() == id }); i >= 0 {
			return &all[i]
		}
		return nil
	}
	if r := row(w.id); r == nil || !slices.Contains(r.Owed, "level check, cold") || !r.Ended {
		t.Errorf("the released job: %+v", r)
	}
	open := beginJob(t, access.Coordinator, map[string]any{"unit": "TK-28", "job": "bleed"})
	db := opened(t, instance.OwnerDSN()).DB()
	if _, err := db.ExecContext(t.Context(), `INSERT INTO job (id, circuit_id, person_id, who, exercise, setup, started_at, updated_at, ended_at, phase, next_step, empty, paused, used, events, head_hash)
		SELECT CONCAT('copy-', s.seq), circuit_id, person_id, who, exercise, JSON_SET(setup, '$.id', UUID()), started_at, updated_at, ended_at, phase, next_step, empty, paused, used, 0, head_hash FROM job, seq_1_to_700 s WHERE id = ?`, w.id); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if _, err := db.Exec(`DELETE FROM job WHERE id LIKE 'copy-%'`); err != nil {
			t.Error(err)
		}
	})
	if r := row(open.id); r == nil || r.Next == "" {
		t.Errorf("an open job is missing beside 700 that ended: %+v", r)
	}
	if status, text := open.post(map[string]any{"type": "cancel", "why": "the end of the test"}); status != http.StatusOK {
		t.Errorf("%d %s", status, text)
	}
}
