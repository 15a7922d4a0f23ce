package ledger_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"math"
	"math/rand/v2"
	"os"
	"reflect"
	"slices"
	"strconv"
	"testing"

	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
)

// histories to try: a few, or as many as LEDGER_HISTORIES says.
func histories(t *testing.T) int {
	text := os.Getenv("LEDGER_HISTORIES")
	if text == "" {
		return 2000
	}
	n, err := strconv.Atoi(text)
	if err != nil {
		t.Fatalf("LEDGER_HISTORIES=%q is not a number", text)
	}
	return n
}

// each calls f with random histories of each kind of unit.
func each(t *testing.T, salt uint64, most int, f func(rng *rand.Rand, seed int, u ledger.Unit, entries []ledger.Entry)) {
	for seed := range histories(t) {
		rng := rand.New(rand.NewPCG(uint64(seed), salt))
		u := ledgertest.Units[seed%len(ledgertest.Units)]
		f(rng, seed, u, ledgertest.History(rng, u, 4+rng.IntN(most)))
	}
}

// Laws: whatever order the entries arrive in, all at once or one by one, the
// account is the same; folding changes no entry; the book stays within the
// system, and no figure is without a value.
func TestOrderOfArrivalDoesNotMatter(t *testing.T) {
	each(t, 1, 24, func(rng *rand.Rand, seed int, u ledger.Unit, entries []ledger.Entry) {
		want := ledger.Fold(u, entries)
		arrived := ledgertest.Shuffled(rng, entries)
		before := slices.Clone(arrived)
		got := ledger.Fold(u, arrived)
		one := ledger.Fold(u, nil)
		for _, e := range arrived {
			one = one.Add(e)
		}
		for how, a := range map[string]ledger.Account{"another order": got, "one by one": one} {
			if !ledger.SameAccount(want, a) {
				t.Fatalf("history %d: %s gave another account", seed, how)
			}
		}
		if !reflect.DeepEqual(before, arrived) {
			t.Fatalf("history %d: folding moved its input", seed)
		}
		for _, l := range want.Lines {
			if v := l.After.Litres; v != nil && !(*v >= -1e-9 && *v <= 1.53*u.Capacity) {
				t.Fatalf("history %d: the book holds %v L of %v", seed, *v, u.Capacity)
			}
			for _, v := range []*float64{l.After.Glycol, l.After.Used, (*float64)(l.After.Freeze), (*float64)(l.After.Low), (*float64)(l.After.High)} {
				if v != nil && (math.IsNaN(*v) || math.IsInf(*v, 0)) {
					t.Fatalf("history %d: %s gives %v", seed, l.Entry.Kind(), *v)
				}
			}
			if used := l.After.Used; used != nil && *used < 0 {
				t.Fatalf("history %d: used %v since the renewal", seed, *used)
			}
		}
	})
}

// Law: a struck entry leaves the account as if it had never been, whenever the
// strike happened, but for the lines that describe it.
func TestStruckAsIfItHadNeverBeen(t *testing.T) {
	each(t, 2, 16, func(rng *rand.Rand, seed int, u ledger.Unit, entries []ledger.Entry) {
		never := slices.DeleteFunc(slices.Clone(entries), func(e ledger.Entry) bool { return e.Kind() == ledger.KindStrike })
		d := rng.IntN(ledgertest.Days+4000) - 4000
		wrong := ledgertest.Entry(rng, u, d, "wrong", ledgertest.Body(rng, u, max(d, 0)))
		strike := ledgertest.Entry(rng, u, rng.IntN(ledgertest.Days), "right", ledger.Strike{Entry: "wrong", Why: "typed wrong"})
		want := ledger.Fold(u, never)
		got := ledger.Fold(u, ledgertest.Shuffled(rng, append(slices.Clone(never), wrong, strike)))
		if !got.OpenedAt().Equal(want.OpenedAt()) || !reflect.DeepEqual(got.Leak(), want.Leak()) {
			t.Fatalf("history %d: begun %v, leak %+v; want %v, %+v", seed, got.OpenedAt(), got.Leak(), want.OpenedAt(), want.Leak())
		}
		struck := 0
		kept := got.Lines[:0:0]
		for _, l := range got.Lines {
			switch {
			case l.Struck != nil:
				struck++
				if l.Struck.ID != strike.ID || len(l.Notes) > 0 || l.After != (ledger.Balance{}) {
					t.Fatalf("history %d: the struck line reads %+v", seed, l)
				}
			case l.Entry.ID != strike.ID:
				kept = append(kept, l)
			case slices.Contains(l.Notes, ledger.NoteStrikesNone):
				t.Fatalf("history %d: the strike found nothing", seed)
			}
		}
		got.Lines = kept
		if struck != 1 || !ledger.SameAccount(want, got) {
			t.Fatalf("history %d: %d struck, and the account is another", seed, struck)
		}
	})
}

// Law: the parts of a charge add up to all of its glycol, the foreign and the replaced part are
// shares, and no additive leaves a figure without a value.
func TestPartsAddUp(t *testing.T) {
	blended, dosed := 0, 0
	each(t, 7, 24, func(_ *rand.Rand, seed int, u ledger.Unit, entries []ledger.Entry) {
		a := ledger.Fold(u, entries)
		sum := 0.0
		for _, p := range a.Parts {
			if !(p.Share >= 0 && p.Share <= 1+1e-9) {
				t.Fatalf("history %d: a part of %g", seed, p.Share)
			}
			sum += p.Share
		}
		if a.Known && a.Product != nil && a.Charge.Glycol > 1e-6 && math.Abs(sum-1) > 1e-6 {
			t.Fatalf("history %d: the parts add up to %g: %+v", seed, sum, a.Parts)
		}
		if f := a.ForeignShare(); !(f >= 0 && f <= 1+1e-9) {
			t.Fatalf("history %d: %g is foreign", seed, f)
		}
		if g := a.Given; !(g.Raised >= 0 && g.Raised < 1e9 && g.Replaced >= 0 && g.Replaced <= 1) {
			t.Fatalf("history %d: given %+v", seed, g)
		}
		for _, p := range a.Proposals(ledgertest.Additives) {
			if !(p.Litres > 0 && float64(p.Litres) < 1e6) {
				t.Fatalf("history %d: proposes %+v", seed, p)
			}
		}
		if len(a.Parts) > 1 {
			blended++
		}
		if a.Given.DosedAt != nil {
			dosed++
		}
	})
	if blended == 0 || dosed == 0 {
		t.Errorf("%d charges are of several parts, %d are dosed", blended, dosed)
	}
}

// Law: what moves no coolant and shows no level changes no leak's rate.
func TestWhatMovesNoCoolantChangesNoLeak(t *testing.T) {
	each(t, 3, 24, func(rng *rand.Rand, seed int, u ledger.Unit, entries []ledger.Entry) {
		before := ledger.Fold(u, entries)
		d := rng.IntN(ledgertest.Days)
		for _, b := range []ledger.Body{ledger.NoteBody{Text: "seen"}, ledger.LayUp{}, ledger.Return{}, ledger.ChemistryTest{Appearance: "clear"}, ledger.Hold{Why: "looked at"}} {
			after := ledger.Fold(u, append(slices.Clone(entries), ledgertest.Entry(rng, u, d, "zz", b)))
			if !reflect.DeepEqual(before.Leak(), after.Leak()) {
				t.Fatalf("history %d: a %s turned %+v into %+v", seed, ledger.KindOf(b), before.Leak(), after.Leak())
			}
		}
	})
}

// Law: what is stored of an account and unpacked again has all that the clocks
// look at, whatever happened before.
func TestStoreAndRestore(t *testing.T) {
	explained, long := 0, 0
	for seed := range histories(t) / 4 {
		rng := rand.New(rand.NewPCG(uint64(seed), 5))
		u := ledgertest.Units[seed%len(ledgertest.Units)]
		n := 2 + rng.IntN(40)
		if seed%20 == 0 {
			n = 500 // some lists have older rows
		}
		want := ledger.Fold(u, ledgertest.History(rng, u, n))
		packed, err := want.Store()
		if err != nil {
			t.Fatal(err)
		}
		got, err := ledger.Restore(u, packed)
		if err != nil {
			t.Fatal(err)
		}
		if !slices.Equal(got.Stops(), want.Stops()) {
			t.Fatalf("history %d: stopped by %v, want %v", seed, got.Stops(), want.Stops())
		}
		if !got.OpenedAt().Equal(want.OpenedAt()) || !reflect.DeepEqual(got.ProtectsTo(), want.ProtectsTo()) {
			t.Fatalf("history %d: begun %v, protects to %v; want %v, %v", seed, got.OpenedAt(), got.ProtectsTo(), want.OpenedAt(), want.ProtectsTo())
		}
		m1, ok1 := got.RenewalMeter()
		m2, ok2 := want.RenewalMeter()
		if m1 != m2 || ok1 != ok2 {
			t.Fatalf("history %d: the meter at the renewal is %v, want %v", seed, m1, m2)
		}
		why, err := json.Marshal(want.Diagnosis())
		if err != nil {
			t.Fatal(err)
		}
		if again, err := json.Marshal(got.Diagnosis()); err != nil || string(again) != string(why) {
			t.Fatalf("history %d: book and test disagree by %s, want %s; %v", seed, again, why, err)
		}
		if d := got.Diagnosis(); d != nil && d.Likeliest != nil && d.Likeliest.Balance != nil {
			explained++
		}
		if len(packed.Older) > 0 {
			long++
			for _, other := range [][]byte{nil, packed.Older[:len(packed.Older)-1], append(bytes.Clone(packed.Older[:len(packed.Older)-1]), packed.Older[len(packed.Older)-1]^1)} {
				if _, err := ledger.Restore(u, ledger.Packed{Body: packed.Body, Older: other}); err == nil {
					t.Fatalf("history %d: unpacked with older rows that are not its own", seed)
				}
			}
		}
		// Packed again it is the same, to the byte.
		if again, err := got.Store(); err != nil || !reflect.DeepEqual(again, packed) {
			t.Fatalf("history %d: packed again it is another, %v", seed, err)
		}
	}
	if long < 1 {
		t.Error("no account has older rows")
	}
	if explained < 1 {
		t.Errorf("%d histories end in a test that an entry would balance", explained)
	}
	for _, bad := range []string{"", "{", "\x00\x00\x00", "\x00\x00\x00\x00", "\x00\x00\x00\x00{", "\x00\x00\x00\x01abc", "\x02abc", "\xff\xff\xff\xff\xff\xff\xff\xff\x7f{}"} {
		if _, err := ledger.Restore(ledgertest.Units[0], ledger.Packed{Body: []byte(bad)}); err == nil {
			t.Errorf("%q was unpacked", bad)
		}
	}
}

// Law: for any entries in the books, however wild, folding, explaining, storing and restoring
// never panic and never give a figure without a value.
func TestWildBooks(t *testing.T) {
	for seed := range histories(t) {
		wildBook(t, uint64(seed), 30)
	}
}

func wildBook(t *testing.T, seed uint64, most int) {
	t.Helper()
	rng := rand.New(rand.NewPCG(seed, 11))
	u := ledgertest.Units[seed%uint64(len(ledgertest.Units))]
	entries := ledgertest.Wild(rng, u, 2+rng.IntN(most))
	a := ledger.Fold(u, ledgertest.Shuffled(rng, entries))
	if err := ledgertest.Finite(a); err != nil {
		t.Fatalf("seed %d: account%v", seed, err)
	}
	for i := range a.Lines {
		if err := ledgertest.Finite(a.ExplainOrPanic(i)); err != nil {
			t.Fatalf("seed %d: explanation%v", seed, err)
		}
	}
	packed, err := a.Store()
	if err != nil {
		t.Fatalf("seed %d: %v", seed, err)
	}
	restored, err := ledger.Restore(u, packed)
	if err != nil {
		t.Fatalf("seed %d: %v", seed, err)
	}
	if err := ledgertest.Finite(*restored); err != nil {
		t.Fatalf("seed %d: restored%v", seed, err)
	}
}

// Books that cannot be folded give an account that says so, and hold their lines.
func TestTryFold(t *testing.T) {
	entries := []ledger.Entry{{ID: "1", At: ledgertest.Start, Body: nil}} // no kind: nothing reads it
	u := ledgertest.Units[0]
	a := ledger.TryFold(u, append(entries, ledger.Entry{ID: "2", At: ledgertest.Start, Body: ledger.Strike{Entry: "1"}}))
	if len(a.Lines) != 2 {
		t.Errorf("%d lines", len(a.Lines))
	}
	failed := ledger.Unevaluated(u, entries, errors.New("the books are torn"))
	if failed.Failure != "the books are torn" || failed.Known || failed.ProtectsTo() != nil || len(failed.Lines) != 1 {
		t.Errorf("%+v", failed)
	}
}

// FuzzBooks is TestWildBooks for any seed and length.
func FuzzBooks(f *testing.F) {
	for seed := range uint64(20) {
		f.Add(seed, uint8(20))
	}
	f.Fuzz(func(t *testing.T, seed uint64, most uint8) { wildBook(t, seed, 1+int(most)) })
}
