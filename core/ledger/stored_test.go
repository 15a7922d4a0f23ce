package ledger

import (
	"encoding/json"
	"hash/fnv"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"
	"time"
)

// Law: what is stored of an account and unpacked again has all that the clocks
// look at, whatever happened before.
func TestStoreAndRestore(t *testing.T) {
	explained := 0
	for seed := range 300 {
		rng := rand.New(rand.NewPCG(uint64(seed), 5))
		want := Fold(car, history(rng, 2+rng.IntN(40)))
		packed, err := want.Store()
		if err != nil {
			t.Fatal(err)
		}
		got, err := Restore(car, packed)
		if err != nil {
			t.Fatal(err)
		}
		if !got.Begun().Equal(want.Begun()) || !reflect.DeepEqual(got.ProtectsTo(), want.ProtectsTo()) {
			t.Fatalf("history %d: begun %v, protects to %v; want %v, %v", seed, got.Begun(), got.ProtectsTo(), want.Begun(), want.ProtectsTo())
		}
		m1, ok1 := got.RenewalMeter()
		m2, ok2 := want.RenewalMeter()
		if m1 != m2 || ok1 != ok2 {
			t.Fatalf("history %d: the meter at the renewal is %v, want %v", seed, m1, m2)
		}
		why, err := json.Marshal(want.Disagreement())
		if err != nil {
			t.Fatal(err)
		}
		if again, err := json.Marshal(got.Disagreement()); err != nil || string(again) != string(why) {
			t.Fatalf("history %d: book and test disagree by %s, want %s; %v", seed, again, why, err)
		}
		if d := got.Disagreement(); d != nil && d.Likeliest != nil && d.Likeliest.Balance != nil {
			explained++
		}
		// Packed again it is the same, to the byte.
		if again, err := got.Store(); err != nil || string(again) != string(packed) {
			t.Fatalf("history %d: packed again it is another, %v", seed, err)
		}
	}
	if explained < 10 {
		t.Errorf("%d histories end in a test that an entry would balance", explained)
	}
	for _, bad := range []string{"", "{", "\x00\x00\x00", "\x00\x00\x00\x00", "\x00\x00\x00\x00{", "\x00\x00\x00\x01abc", "\x02abc", "\xff\xff\xff\xff\xff\xff\xff\xff\x7f{}"} {
		if _, err := Restore(car, []byte(bad)); err == nil {
			t.Errorf("%q was unpacked", bad)
		}
	}
}

// Whoever changes what is packed must raise Rules: an account packed by another
// layout would be unpacked into the wrong places.
func TestLayoutOfStored(t *testing.T) {
	var names []string
	var walk func(reflect.Type)
	walk = func(of reflect.Type) {
		switch of.Kind() {
		case reflect.Pointer, reflect.Slice, reflect.Map:
			walk(of.Elem())
		case reflect.Struct:
			for i := range of.NumField() {
				if f := of.Field(i); of != reflect.TypeFor[time.Time]() {
					names = append(names, f.Name+" "+f.Type.String())
					walk(f.Type)
				}
			}
		}
	}
	walk(reflect.TypeFor[stored]())
	h := fnv.New32a()
	_, _ = h.Write([]byte(strings.Join(names, "\n"))) // cannot fail
	want := map[int]uint32{4: 0xa4eb3693}
	if got := h.Sum32(); got != want[Rules] {
		t.Errorf("the layout is %#x, of rules %d it was %#x: raise Rules and enter it here", got, Rules, want[Rules])
	}
}

func BenchmarkRestore(b *testing.B) {
	a := Fold(car, manyEntries(200))
	packed, err := a.Store()
	if err != nil {
		b.Fatal(err)
	}
	b.SetBytes(int64(len(packed)))
	b.ReportAllocs()
	for b.Loop() {
		if _, err := Restore(car, packed); err != nil {
			b.Fatal(err)
		}
	}
}
