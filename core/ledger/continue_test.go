package ledger_test

import (
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
)

// Law: a stored account takes one more entry and is the account that a fold of all entries
// gives, with the same line, the same refusals and the same effects that need a right.
func TestStoredAccountTakesOneMore(t *testing.T) {
	continued, folded := map[ledger.Kind]int{}, 0
	packed := func(a *ledger.Account) ledger.Packed {
		b, err := a.Store()
		if err != nil {
			t.Fatal(err)
		}
		return b
	}
	each(t, 31, 30, func(rng *rand.Rand, seed int, u ledger.Unit, entries []ledger.Entry) {
		if seed%3 == 0 {
			entries = ledgertest.Shuffled(rng, entries)
		} else {
			slices.SortFunc(entries, ledger.Entry.Compare)
		}
		now := ledgertest.Start.AddDate(0, 0, ledgertest.Days+9000)
		for k, e := range entries {
			written := slices.Clip(entries[:k])
			before := ledger.Fold(u, written)
			restored, err := ledger.Restore(u, packed(&before))
			if err != nil {
				t.Fatal(err)
			}
			stored := packed(&before)
			h, ok := ledger.Continued(restored, e)
			if !ok {
				folded++
				continue
			}
			continued[e.Kind()]++
			want := ledger.Fold(u, append(written, e))
			after := h.After(e)
			if got := packed(after); !reflect.DeepEqual(got, packed(&want)) {
				t.Fatalf("history %d: a %s continued gives another account than a fold of %d", seed, e.Kind(), k+1)
			}
			line, of := after.Lines[0], want.Lines[len(want.Lines)-1]
			if line.Entry.ID != of.Entry.ID || !reflect.DeepEqual(line.After, of.After) || !slices.Equal(line.Notes, of.Notes) || !reflect.DeepEqual(line.Test, of.Test) ||
				!reflect.DeepEqual(line.Turn, of.Turn) || line.Implied != of.Implied || line.Grade != of.Grade {
				t.Fatalf("history %d: the line of a %s is\n%+v, and of a fold\n%+v", seed, e.Kind(), line, of)
			}
			if got, want := ledger.CheckIn(h, e, now), ledger.Check(u, written, e, now); !reflect.DeepEqual(got, want) {
				t.Fatalf("history %d: a %s is refused with %v, and with its entries %v", seed, e.Kind(), got, want)
			}
			for _, role := range access.Roles {
				w := access.Actor{Name: e.RecordedBy, Role: role}
				if got, want := access.CheckIn(w, h, e), access.Check(w, u, written, e); !reflect.DeepEqual(got, want) {
					t.Fatalf("history %d: a %s by a %s: %v, and with its entries %v", seed, e.Kind(), role, got, want)
				}
			}
			if !reflect.DeepEqual(stored, packed(restored)) {
				t.Fatalf("history %d: a %s changed the account that it was added to", seed, e.Kind())
			}
		}
	})
	for _, k := range ledger.Kinds {
		if never := k == ledger.KindStrike || k == ledger.KindDefectClosed; never != (continued[k] == 0) {
			t.Errorf("%d entries of kind %s were continued", continued[k], k)
		}
	}
	t.Logf("%v continued, %d took the entries", continued, folded)
}

// An entry that only the entries can judge is not continued.
func TestNotContinued(t *testing.T) {
	u := ledgertest.Units[0]
	at := ledgertest.Start
	entry := func(id string, hours int, b ledger.Body) ledger.Entry {
		return ledger.Entry{ID: id, Unit: u.Code, At: at.Add(time.Duration(hours) * time.Hour), RecordedBy: "A", Body: b}
	}
	note := ledger.NoteBody{Text: "seen"}
	written := []ledger.Entry{entry("b", 10, note), entry("s", 11, ledger.Strike{Entry: "later", Why: "sent twice"})}
	account := ledger.Fold(u, written)
	packed, err := account.Store()
	if err != nil {
		t.Fatal(err)
	}
	restored, err := ledger.Restore(u, packed)
	if err != nil {
		t.Fatal(err)
	}
	for name, e := range map[string]ledger.Entry{
		"before the last":      entry("z", 9, note),
		"at its time, earlier": entry("a", 11, note),
		"struck before it":     entry("later", 20, note),
		"a strike":             entry("t", 20, ledger.Strike{Entry: "b", Why: "typed wrong"}),
		"closes a defect":      entry("t", 20, ledger.DefectClosed{Defect: "b", How: "repaired"}),
		"cannot be read":       entry("t", 20, ledger.UnreadableBody{Of: ledger.KindHold}),
		"by discs":             entry("t", 20, ledger.FreezeTest{Instrument: ledger.DiscTester}),
	} {
		if _, ok := restored.Continue(e); ok {
			t.Errorf("an entry %s was added without the others", name)
		}
	}
	h, ok := ledger.Continued(restored, entry("t", 20, note))
	if !ok {
		t.Fatal("a note was not added")
	}
	if other := h.After(entry("u", 21, note)); other.Failure == "" {
		t.Error("a continued history gave the account after another entry than its own")
	}
	if _, ok := account.Continue(entry("t", 20, note)); ok {
		t.Error("an account with lines was continued")
	}
}

func BenchmarkContinue(b *testing.B) {
	for name, n := range map[string]int{"200": 200, "4000": 4000} {
		b.Run(name, func(b *testing.B) {
			u := ledgertest.Units[0]
			rng := rand.New(rand.NewPCG(1, 2))
			entries := ledgertest.History(rng, u, n)
			account := ledger.Fold(u, entries)
			packed, err := account.Store()
			if err != nil {
				b.Fatal(err)
			}
			e := ledger.Entry{ID: "zz", Unit: u.Code, At: ledgertest.Start.AddDate(40, 0, 0), RecordedBy: "A", Body: ledger.NoteBody{Text: "seen"}}
			b.SetBytes(int64(len(packed.Body) + len(packed.Older)))
			for b.Loop() {
				restored, err := ledger.Restore(u, packed)
				if err != nil {
					b.Fatal(err)
				}
				if _, ok := ledger.Continued(restored, e); !ok && account.Discrepancy == nil {
					b.Fatal("not continued")
				}
			}
		})
	}
}

// Law: an account with one entry more is what a fold of all entries gives, whatever was checked
// against it before, and the account itself is left as it is.
func TestFollowing(t *testing.T) {
	now := ledgertest.Start.AddDate(0, 0, ledgertest.Days+9000)
	each(t, 77, 30, func(rng *rand.Rand, seed int, u ledger.Unit, entries []ledger.Entry) {
		if seed%2 == 0 {
			slices.SortFunc(entries, ledger.Entry.Compare)
		}
		before := ledger.Fold(u, nil)
		for k, e := range entries {
			written := slices.Clip(entries[:k])
			h := ledger.Following(&before, written, e)
			if got, want := ledger.CheckIn(h, e, now), ledger.Check(u, written, e, now); !reflect.DeepEqual(got, want) {
				t.Fatalf("history %d: a %s is refused with %v, and by a fold with %v", seed, e.Kind(), got, want)
			}
			still, err := before.Store()
			if err != nil {
				t.Fatal(err)
			}
			fold := ledger.Fold(u, written)
			if want, err := fold.Store(); err != nil || !reflect.DeepEqual(still, want) {
				t.Fatalf("history %d: a %s changed the account before it, %v", seed, e.Kind(), err)
			}
			before = *h.After(e)
		}
	})
}
