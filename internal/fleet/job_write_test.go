package fleet_test

import (
	"crypto/sha256"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/access"
	"diligentledger/core/job"
	"diligentledger/core/ledger"
	"diligentledger/internal/fleet"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

var (
	signsFor = fleet.Actor{ID: 1, Name: "E. Marrow", Role: access.Coordinator}
	worker   = fleet.Actor{ID: 2, Name: "T. Quayle", Role: access.Technician}
)

// bench is a job that is done by what its simulated unit shows, by a program with a clock of its own.
type bench struct {
	t   *testing.T
	f   *fleet.Fleet
	now func() time.Time
	id  string
	sim *job.Simulator
}

// benchClock runs from an hour before the noon of the other tests: jobs are one after the other, and no work that was put on the
// list at noon is done by them.
var benchClock = func() func() time.Time {
	began := time.Now()
	return func() time.Time { return noon.Add(time.Since(began) - time.Hour) }
}()

func beginBench(t *testing.T, unit string) *bench {
	t.Helper()
	b := &bench{t: t, now: benchClock, f: fleet.New(app, benchClock), id: uuid.Must(uuid.NewV7()).String()}
	j, err := b.f.StartJob(t.Context(), worker, fleet.JobWanted{ID: b.id, Unit: unit, Kind: job.DrainFill})
	if err != nil {
		t.Fatal(err)
	}
	b.sim = job.NewSimulator(j.Setup)
	return b
}

func (b *bench) state() (store.Job, []job.Event, job.State) {
	b.t.Helper()
	j, err := app.Job(b.t.Context(), b.id)
	if err != nil {
		b.t.Fatal(err)
	}
	events, err := app.JobEvents(b.t.Context(), b.id)
	if err != nil {
		b.t.Fatal(err)
	}
	return j, events, job.Open(j.Setup, events, b.now())
}

// answer of the next step at a time of the device; false when the release is next.
func (b *bench) answer(at time.Time) (job.Event, bool) {
	b.t.Helper()
	_, _, st := b.state()
	if st.Next == "" || st.Next == "release" {
		return job.Event{}, false
	}
	step := *st.Step(st.Next)
	values := b.sim.Answer(step)
	e := job.Event{ID: uuid.Must(uuid.NewV7()).String(), At: at, Type: job.Answered, Step: step.Key, Values: values}
	if step.Answer != nil {
		e.Replaces = step.Answer.ID
	}
	return e, true
}

func (b *bench) send(who fleet.Actor, e job.Event) error {
	err := b.f.AddJobEvents(b.t.Context(), who, b.id, []job.Event{e})
	if err != nil {
		return err
	}
	_, _, after := b.state()
	if step := after.Step(e.Step); step != nil && step.Status == job.Done {
		b.sim.Apply(*step, e.Values)
	} else {
		b.sim.Tried(e.Step)
	}
	return nil
}

// run until few steps are left, each at the time of a device.
func (b *bench) run(at func(n int) time.Time, left int) {
	b.t.Helper()
	for n := 0; ; n++ {
		_, _, st := b.state()
		if i := slices.IndexFunc(st.Steps, func(s job.Step) bool { return s.Key == st.Next }); len(st.Steps)-1-i <= left {
			return
		}
		e, more := b.answer(at(n))
		if !more {
			return
		}
		if err := b.send(worker, e); err != nil {
			b.t.Fatalf("%s: %v", e.Step, err)
		}
		if n > 150 {
			b.t.Fatal("no end")
		}
	}
}

// released: the job ends with a release, its entries are in the ledger once and in the order of the sheet, the unit is not on hold, and
// everything verifies.
func (b *bench) released() {
	b.t.Helper()
	if err := b.f.ReleaseJob(b.t.Context(), signsFor, b.id, ledger.Release{What: "level and retest seen"}, true); err != nil {
		b.t.Fatalf("release: %v", err)
	}
	j, events, st := b.state()
	if st.Released == nil || j.EndedAt == nil {
		b.t.Fatalf("released %v, ended %v", st.Released, j.EndedAt)
	}
	written, err := app.EntriesOfJob(b.t.Context(), b.id)
	if err != nil {
		b.t.Fatal(err)
	}
	posted := 0
	for _, e := range events {
		if e.Type == job.Posted {
			posted++
		}
	}
	entries := job.Entries(j.Setup, st, words.JobNote)
	if posted != 1 || len(entries) == 0 {
		b.t.Errorf("posted %d times, %d entries", posted, len(entries))
	}
	place := -1
	for _, e := range entries {
		at := slices.IndexFunc(written, func(o ledger.Entry) bool { return o.ID == e.ID })
		if at < 0 {
			b.t.Errorf("%s %s is not in the ledger", e.Envelope.Step, ledger.KindOf(e.Body))
		}
		if at < place {
			b.t.Errorf("%s is out of order", e.Envelope.Step)
		}
		place = at
	}
	m, err := b.f.Account(b.t.Context(), j.Setup.Address)
	if err != nil || m.Account.Held != nil {
		b.t.Errorf("held %v, %v", m.Account.Held, err)
	}
}

// A job is done and released whatever the clocks of the devices say, also when one is set in the middle: its events have the
// order of their arrival.
func TestJobByAnyClock(t *testing.T) {
	by := func(d time.Duration) func(*bench) func(int) time.Time {
		return func(b *bench) func(int) time.Time { return func(int) time.Time { return b.now().Add(d) } }
	}
	for name, at := range map[string]func(*bench) func(int) time.Time{
		"a day behind": by(-24 * time.Hour), "an hour behind": by(-time.Hour), "a second behind": by(-time.Second), "right": by(0),
		"a second ahead": by(time.Second), "two seconds ahead": by(2 * time.Second), "an hour ahead": by(time.Hour), "a day ahead": by(24 * time.Hour),
		"set in the middle": func(b *bench) func(int) time.Time {
			return func(n int) time.Time { return b.now().Add(time.Duration(1-2*(n/6%2)) * 24 * time.Hour) }
		},
		"two devices, a minute apart": func(b *bench) func(int) time.Time {
			return func(n int) time.Time { return b.now().Add(time.Duration(n%2) * time.Minute) }
		},
	} {
		t.Run(name, func(t *testing.T) {
			b := beginBench(t, "CA-49")
			b.run(at(b), 0)
			_, events, st := b.state()
			if !st.Ready || st.Posted == nil {
				t.Fatalf("ready %v, posted %v, next %s", st.Ready, st.Posted, st.Next)
			}
			for _, e := range events {
				if e.At.After(b.now()) {
					t.Errorf("%s is of %s, which is to come", e.Step, e.At)
				}
			}
			b.released()
		})
	}
	verified(t)
}

// Two technicians answer the last step at once: one of the answers counts, the entries are written once, and the job is released.
func TestLastStepTwice(t *testing.T) {
	for round := range 6 {
		b := beginBench(t, "CA-45")
		b.run(func(int) time.Time { return b.now() }, 1)
		e, more := b.answer(b.now())
		if !more {
			t.Fatal("there is no last step")
		}
		var both sync.WaitGroup
		for i := range 2 {
			another := e
			another.ID = uuid.Must(uuid.NewV7()).String()
			both.Go(func() {
				if err := b.f.AddJobEvents(t.Context(), worker, b.id, []job.Event{another}); err != nil && !refusedAfterPost(err) {
					t.Errorf("round %d, %d: %v", round, i, err)
				}
			})
		}
		both.Wait()
		b.released()
	}
	verified(t)
}

func refusedAfterPost(err error) bool {
	return errors.Is(err, store.ErrJobEnded) || strings.Contains(err.Error(), "entries of this job are in the ledger")
}

// A job whose entries an earlier version wrote, and which died before it said so, is finished at the start, with a line in the
// audit; it can then be released, or cancelled when a correction came in between.
func TestHalfPosted(t *testing.T) {
	for _, corrected := range []bool{false, true} {
		b := beginBench(t, "CA-38")
		// A job that is under way is left alone: its hold is in the ledger, and nothing else.
		if n, err := b.f.FinishJobs(t.Context()); err != nil || n != 0 {
			t.Fatalf("%d jobs that have begun were finished, %v", n, err)
		}
		b.run(func(int) time.Time { return b.now() }, 1)
		if n, err := b.f.FinishJobs(t.Context()); err != nil || n != 0 {
			t.Fatalf("%d jobs under way were finished, %v", n, err)
		}
		e, _ := b.answer(b.now())
		j, events, _ := b.state()
		// What the version before did: the event, then the entries, each by itself.
		e.By, e.ByID, e.Role = worker.Name, worker.ID, worker.Role
		st := job.Open(j.Setup, append(events, e), b.now())
		if !st.Ready {
			t.Fatalf("not ready: %s", st.Next)
		}
		entries := job.Entries(j.Setup, st, words.JobNote)
		o, err := b.f.Open(t.Context(), j.Setup.Address, entries[0].ID)
		if err != nil {
			t.Fatal(err)
		}
		for i := range entries {
			entries[i].Unit = o.Ledger.Code
		}
		if _, err := b.f.WriteEntries(t.Context(), worker, o, entries...); err != nil {
			t.Fatal(err)
		}
		addEventAlone(t, b.id, e)
		if corrected {
			again := st.Step("retest:1")
			fix := job.Event{ID: uuid.Must(uuid.NewV7()).String(), At: b.now(), Type: job.Answered, Step: again.Key, Values: again.Answer.Values, Replaces: again.Answer.ID, By: worker.Name, ByID: worker.ID, Role: worker.Role}
			addEventAlone(t, b.id, fix)
		}
		lines := auditLines(t, "job_finished")
		n, err := b.f.FinishJobs(t.Context())
		if err != nil || n != 1 {
			t.Fatalf("%d finished, %v", n, err)
		}
		if auditLines(t, "job_finished") != lines+1 {
			t.Error("no line in the audit")
		}
		if n, err := b.f.FinishJobs(t.Context()); err != nil || n != 0 {
			t.Errorf("%d finished again, %v", n, err)
		}
		b.released()
	}
	verified(t)
}

// What the ledger does not take of a cancelled job is said in the ledger, and the coordinator has a way out: the unit stays on hold
// until somebody releases it by hand.
func TestWayOut(t *testing.T) {
	b := beginBench(t, "CA-07")
	b.run(func(int) time.Time { return b.now() }, 0)
	_, _, st := b.state()
	if st.Posted == nil {
		t.Fatal("not posted")
	}
	if err := b.send(worker, job.Event{ID: uuid.Must(uuid.NewV7()).String(), At: b.now(), Type: job.Paused, Why: "waiting"}); err == nil {
		t.Error("a posted job was paused")
	}
	if err := b.f.AddJobEvents(t.Context(), worker, b.id, []job.Event{{ID: uuid.Must(uuid.NewV7()).String(), At: b.now(), Type: job.Cancelled, Why: "stuck"}}); err == nil {
		t.Error("a technician cancelled")
	}
	if err := b.f.AddJobEvents(t.Context(), signsFor, b.id, []job.Event{{ID: uuid.Must(uuid.NewV7()).String(), At: b.now(), Type: job.Cancelled, Why: "stuck"}}); err != nil {
		t.Fatal(err)
	}
	j, _, _ := b.state()
	m, err := b.f.Account(t.Context(), j.Setup.Address)
	if err != nil || m.Account.Held == nil || j.EndedAt == nil {
		t.Fatalf("held %v, ended %v, %v", m.Account.Held, j.EndedAt, err)
	}
	o, err := b.f.Open(t.Context(), j.Setup.Address, "")
	if err != nil {
		t.Fatal(err)
	}
	release := ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), Unit: o.Ledger.Code, At: b.now(), Body: ledger.Release{What: "seen"}, Confirmed: true}
	if _, err := b.f.WriteEntries(t.Context(), signsFor, o, release); err != nil {
		t.Errorf("the hold of a cancelled job is not lifted by hand: %v", err)
	}
	verified(t)
}

// pastChains are subjects that tests wrote as a version before did, which no chain holds.
var pastChains = map[string]bool{}

// addEventAlone to a job, without what follows from it: as the version before wrote it.
func addEventAlone(t *testing.T, id string, e job.Event) {
	t.Helper()
	pastChains["job_event "+e.ID], pastChains["job "+id] = true, true
	body, err := json.Marshal(e)
	if err != nil {
		t.Fatal(err)
	}
	var head []byte
	var n int
	if err := owner.DB().QueryRowContext(t.Context(), `SELECT head_hash, events FROM job WHERE id = ?`, id).Scan(&head, &n); err != nil {
		t.Fatal(err)
	}
	hash := sha256.Sum256(append(head, body...))
	for query, args := range map[string][]any{
		`INSERT INTO job_event (job_id, seq, id, recorded_at, body, hash) VALUES (?, ?, ?, ?, ?, ?)`: {id, n + 1, e.ID, noon, string(body), hash[:]},
		`UPDATE job SET events = ?, head_hash = ? WHERE id = ?`:                                      {n + 1, hash[:], id},
	} {
		if _, err := owner.DB().ExecContext(t.Context(), query, args...); err != nil {
			t.Fatal(err)
		}
	}
}

func auditLines(t *testing.T, what string) (n int) {
	t.Helper()
	if err := owner.DB().QueryRowContext(t.Context(), `SELECT COUNT(*) FROM audit WHERE what = ?`, what).Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}
