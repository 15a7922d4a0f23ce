package fleet_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/access"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/register"
	"diligentledger/internal/fleet"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

// besideUnits are added for this test alone.
func besideUnits(t *testing.T, n int) []string {
	t.Helper()
	var facts []register.Facts
	var codes []string
	for i := range n {
		code := fmt.Sprintf("BS-%02d", i)
		facts = append(facts, register.Facts{"code": code, "name": "beside", "kind": "car", "site": "Inland depot", "plan": "Pool car", "capacity": "8 L", "base": "EG", "meter": "km"})
		codes = append(codes, code)
	}
	if _, err := app.AddRecords(t.Context(), coordinator, register.Unit, facts); err != nil {
		t.Fatal(err)
	}
	return codes
}

// Imports, their reversal, changed facts and their undo, the plan, the day's change, a rebuild and the gateway beside people who write
// notes and holds: every chain holds, every stored account is that of its entries, and every hold that was answered is in the list.
func TestEverythingBesideWriters(t *testing.T) {
	codes := besideUnits(t, 25)
	// A reading a day, each round of earlier days than the one before, whose entries may stay: others rest on them.
	sheet := func(round int) []byte {
		var text strings.Builder
		text.WriteString("unit;odometer;date\n")
		for i := range 200 {
			day := i - 200*round
			fmt.Fprintf(&text, "%s;%d km;%s\n", codes[i%len(codes)], 50_000+day*70, noon.AddDate(0, 0, day-220).Format(time.DateOnly))
		}
		return []byte(text.String())
	}
	ctx, stop := context.WithCancel(t.Context())
	var writers sync.WaitGroup
	var notes atomic.Int64
	held := sync.Map{}
	for w := range 3 {
		writers.Go(func() {
			rng := rand.New(rand.NewPCG(uint64(w), 31))
			for ctx.Err() == nil {
				code := codes[rng.IntN(len(codes))]
				var body ledger.Body = ledger.NoteBody{Text: fmt.Sprint("note of writer ", w)}
				if rng.IntN(12) == 0 {
					body = ledger.Hold{Why: "seen beside an import"}
				}
				o, err := open.Open(t.Context(), code, "")
				if err == nil {
					_, err = open.WriteEntries(t.Context(), fleet.Actor{ID: int64(10 + w), Name: fmt.Sprint("writer ", w), Role: access.Technician}, o,
						ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), Unit: code, At: noon.Add(-time.Duration(rng.IntN(1000)) * time.Millisecond), Body: body, Confirmed: true})
				}
				switch {
				case err == nil:
					notes.Add(1)
					if _, is := body.(ledger.Hold); is {
						held.Store(code, true)
					}
				case errors.Is(err, store.ErrFactsChanged):
				default:
					t.Errorf("%s: %v", code, err)
				}
			}
		})
	}
	ran := fleet.New(patient, now)
	beside := func(what string, do func() error) {
		writers.Go(func() {
			for ctx.Err() == nil {
				if err := do(); err != nil && ctx.Err() == nil {
					t.Errorf("%s: %v", what, err)
				}
			}
		})
	}
	capacity := atomic.Int64{}
	beside("facts", func() error {
		code := codes[int(capacity.Add(1))%len(codes)]
		r, err := open.Record(t.Context(), register.Unit, code)
		if err != nil {
			return err
		}
		r, err = app.SaveRecord(t.Context(), coordinator, store.RecordSave{Of: register.Unit, Key: code, Revision: r.Revision(), Change: register.Facts{"capacity": fmt.Sprintf("%d L", 6+capacity.Load()%5)}})
		if errors.Is(err, store.ErrRecordChanged) || err == nil && len(r.Changes) < 2 {
			return nil
		}
		if err != nil {
			return err
		}
		_, err = app.UndoChange(t.Context(), coordinator, register.Unit, code, r.Revision(), r.Changes[len(r.Changes)-1].ID)
		if errors.Is(err, store.ErrRecordChanged) || errors.Is(err, store.ErrNotUndoable) {
			return nil
		}
		return err
	})
	beside("the day's change", func() error { _, err := ran.RefreshStatus(t.Context()); return err })
	beside("the gateway", func() error {
		_, err := open.TakeReadings(t.Context(), fleet.Actor{Name: "token yard", Role: store.Gateway, Token: 1}, []fleet.GatewayReading{
			{ID: uuid.NewString(), Unit: codes[rand.IntN(len(codes))], At: noon.Add(-time.Minute), Value: ptr(90_000.0), In: measure.Km}})
		return err
	})
	for round := range 3 {
		id, err := open.Upload(t.Context(), coordinator, "beside.csv", sheet(round), words.Metric)
		if err != nil {
			t.Fatal(err)
		}
		run, _, err := open.ImportOf(t.Context(), id)
		if err != nil {
			t.Fatal(err)
		}
		if err := open.CheckImport(t.Context(), coordinator, id, run.Columns, run.Options); err != nil {
			t.Fatal(err)
		}
		work(t)
		if err := open.RunImport(t.Context(), coordinator, id); err != nil {
			t.Fatal(err)
		}
		work(t)
		if run, _, err = open.ImportOf(t.Context(), id); err != nil || run.State != store.ImportDone {
			t.Errorf("round %d: the import is %s, %s, %v", round, run.State, run.Error, err)
		}
		var done struct {
			Counts struct{ EntriesNew int }
		}
		if err := json.Unmarshal(run.Result, &done); err != nil || done.Counts.EntriesNew == 0 {
			t.Errorf("round %d: the import wrote %d entries, %v", round, done.Counts.EntriesNew, err)
		}
		var refused *refusal.Error
		if err := open.ReverseImport(t.Context(), coordinator, id); err != nil && !errors.As(err, &refused) {
			t.Error(err)
		}
		work(t)
	}
	stop()
	writers.Wait()
	if notes.Load() == 0 {
		t.Error("nobody wrote")
	}
	verified(t)
	if _, err := ran.RefreshStatus(t.Context()); err != nil {
		t.Fatal(err)
	}
	rows, err := open.Statuses(t.Context(), store.StatusFilter{})
	if err != nil {
		t.Fatal(err)
	}
	held.Range(func(code, _ any) bool {
		i := slices.IndexFunc(rows, func(r store.Status) bool { return r.Code == code })
		if i < 0 || rows[i].Verdict != "hold" {
			t.Errorf("%s was put on hold, and the list does not say so", code)
		}
		return true
	})
	t.Logf("%d entries beside 3 imports", notes.Load())
}

func ptr[T any](v T) *T { return &v }
