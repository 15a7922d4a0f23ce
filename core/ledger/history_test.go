package ledger

import (
	"fmt"
	"math/rand/v2"
	"os"
	"reflect"
	"slices"
	"strconv"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// sixDiscs is a tester's chart: three of six floating protect to −23 °C (common
// practice; the other steps are invented).
var sixDiscs = []measure.Celsius{-8, -15, -23, -30, -36, -44}

func kpa(v float64) measure.Reading { return measure.Reading{Value: v, Unit: measure.KPa} }

// history is a random life of a unit, of every kind of entry, struck ones among
// them. Two entries may fall on the same moment.
func history(rng *rand.Rand, n int) []Entry {
	var entries []Entry
	share := 50.0
	products := []coolant.Product{conc, premix, pg}
	for i := range n {
		d := rng.IntN(900)
		v := litres(rng.Float64() * 3)
		bodies := []Body{
			Opening{History: Factory, Product: &premix}, Opening{History: UnknownHistory},
			Renewal{Volume: litres(4 + 4*rng.Float64()), Product: conc, Share: &share, Drained: []Drained{{"petcock", litres(3 + 5*rng.Float64())}}},
			Renewal{Volume: litres(8), Product: products[1+rng.IntN(2)], Flushes: rng.IntN(3), FlushWith: "water", Residual: ptr(litres(rng.Float64() * 4)), Meter: ptr(km(float64(40 * d)))},
			water(v.Value), TopUp{Volume: v, With: coolant.Concentrate, Product: &conc}, TopUp{Volume: v, With: coolant.Premix, Product: &products[1+rng.IntN(2)]},
			Loss{Volume: v}, Loss{Volume: v, Cause: "spill"},
			test(-40*rng.Float64(), coolant.EG), test(-40*rng.Float64(), coolant.PG),
			FreezeTest{Value: measure.Reading{Value: float64(rng.IntN(7)), Unit: measure.Discs}, Instrument: DiscTester, Chart: sixDiscs},
			ChemistryTest{PH: ptr(6 + 4*rng.Float64())}, CapTest{Opened: ptr(kpa(60 + 80*rng.Float64()))},
			HoseCheck{Hoses: []HoseFound{{Hose: Hoses[rng.IntN(6)], State: HoseStates[rng.IntN(7)]}}},
			PressureTest{Pressure: kpa(100), Minutes: 5, Drop: kpa(20 * rng.Float64())},
			LevelCheck{Temper: Temperings[rng.IntN(2)], Mark: Marks[rng.IntN(6)]},
			Inspection{Points: []PointFound{{Point: Points[rng.IntN(10)], State: PointStates[rng.IntN(3)]}}},
			Defect{What: "weeps", Severity: "repair"}, Meter{Meter: km(40 * float64(d))}, Meter{Meter: km(40000 * rng.Float64())},
			MeterChange{New: km(rng.Float64() * 10)}, ZeroCheck{Tool: "R-1", Zero: measure.Reading{Value: rng.Float64() - 0.5, Unit: measure.DegC}},
			LayUp{}, Return{}, Hold{Why: "leaks"}, Release{What: "mended"}, Remark{Text: "seen"},
		}
		e := on(d, bodies[rng.IntN(len(bodies))])
		e.ID = fmt.Sprintf("%06d", rng.IntN(1_000_000)*100+i)
		e.RecordedBy = "E. Marrow"
		entries = append(entries, e)
	}
	for range rng.IntN(3) {
		s := on(rng.IntN(900), Strike{Entry: entries[rng.IntN(n)].ID, Why: "typed wrong"})
		s.ID = fmt.Sprintf("strike%d", rng.Int())
		entries = append(entries, s)
	}
	for i, e := range entries {
		if e.Body.Kind() == KindDefect && rng.IntN(2) == 0 {
			c := on(rng.IntN(900), DefectClosed{Defect: e.ID, How: "mended"})
			c.ID = fmt.Sprintf("close%d", i)
			entries = append(entries, c)
		}
	}
	return entries
}

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

func shuffled(rng *rand.Rand, entries []Entry) []Entry {
	s := slices.Clone(entries)
	rng.Shuffle(len(s), func(i, j int) { s[i], s[j] = s[j], s[i] })
	return s
}

// Laws: whatever order the entries arrive in, all at once or one by one, the
// account is the same; folding changes no entry; the book stays within the
// system.
func TestOrderOfArrivalDoesNotMatter(t *testing.T) {
	for seed := range histories(t) {
		rng := rand.New(rand.NewPCG(uint64(seed), 1))
		entries := history(rng, 4+rng.IntN(24))
		want := Fold(car, entries)
		arrived := shuffled(rng, entries)
		before := slices.Clone(arrived)
		got := Fold(car, arrived)
		one := Fold(car, nil)
		for _, e := range arrived {
			one = one.Add(e)
		}
		for how, a := range map[string]*Account{"another order": &got, "one by one": &one} {
			if !sameAccount(&want, a) {
				t.Fatalf("history %d: %s gave another account", seed, how)
			}
		}
		if !reflect.DeepEqual(before, arrived) {
			t.Fatalf("history %d: folding moved its input", seed)
		}
		for _, l := range want.Lines {
			if v := l.After.Litres; v != nil && !(*v >= -1e-9 && *v <= 1.53*car.Capacity) {
				t.Fatalf("history %d: the book holds %v L of %v", seed, *v, car.Capacity)
			}
		}
	}
}

// sameAccount compares all that an account shows, and what it reckons with.
func sameAccount(a, b *Account) bool {
	x, y := *a, *b
	// Snapshots before a test are compared by what they explain, once each.
	for _, p := range []*Account{&x, &y} {
		p.strikes = nil
		p.Lines = slices.Clone(p.Lines)
		for i := range p.Lines {
			p.Lines[i].before = nil
		}
	}
	return reflect.DeepEqual(x, y)
}

// Law: a struck entry leaves the account as if it had never been, whenever the
// strike happened, but for the lines that tell of it.
func TestStruckAsIfItHadNeverBeen(t *testing.T) {
	for seed := range histories(t) {
		rng := rand.New(rand.NewPCG(uint64(seed), 2))
		entries := history(rng, 4+rng.IntN(16))
		never := slices.DeleteFunc(slices.Clone(entries), func(e Entry) bool { return e.Body.Kind() == KindStrike })
		wrong := history(rng, 1)[0]
		wrong.ID = "wrong"
		strike := on(rng.IntN(900), Strike{Entry: wrong.ID, Why: "typed wrong"})
		strike.ID = "right"
		want := Fold(car, never)
		got := Fold(car, shuffled(rng, append(slices.Clone(never), wrong, strike)))
		struck := 0
		kept := got.Lines[:0:0]
		for _, l := range got.Lines {
			switch {
			case l.Struck != nil:
				struck++
				if l.Struck.ID != strike.ID || len(l.Notes) > 0 || l.After != (Balance{}) {
					t.Fatalf("history %d: the struck line reads %+v", seed, l)
				}
			case l.Entry.ID != strike.ID:
				kept = append(kept, l)
			case slices.Contains(l.Notes, NoteStrikesNone):
				t.Fatalf("history %d: the strike found nothing", seed)
			}
		}
		got.Lines = kept
		if got.renewal >= 0 { // a place among the lines, which are fewer now
			got.renewal = want.renewal
		}
		if struck != 1 || !sameAccount(&want, &got) {
			t.Fatalf("history %d: %d struck, and the account is another", seed, struck)
		}
	}
	late := Fold(car, []Entry{on(0, fill(8)), on(5, Strike{Entry: "on its way", Why: "typed wrong"})})
	if n := late.Lines[1].Notes; !slices.Equal(n, []Note{NoteStrikesNone}) {
		t.Errorf("a strike of nothing carries %v", n)
	}
}

func manyEntries(n int) []Entry {
	entries := []Entry{on(0, fill(8))}
	for i := 1; i < n; i++ {
		e := on(0, []Body{Meter{Meter: km(float64(i) * 4)}, TopUp{Volume: litres(0.1), With: coolant.Premix, Product: &premix},
			test(-36, coolant.EG), LevelCheck{Temper: Cold, Mark: "max"}, HoseCheck{Hoses: []HoseFound{{Hose: "upper", State: "good"}}}}[i%5])
		e.At = start.Add(time.Duration(i) * time.Hour)
		e.ID = fmt.Sprintf("%05d", i)
		entries = append(entries, e)
	}
	return entries
}

// 10,000 entries shuffled, and one more entry onto 10,000.
func BenchmarkFold10000(b *testing.B) {
	entries := shuffled(rand.New(rand.NewPCG(1, 1)), manyEntries(10_000))
	b.ReportAllocs()
	for b.Loop() {
		Fold(car, entries)
	}
}

func BenchmarkAddTo10000(b *testing.B) {
	entries := manyEntries(10_001)
	a := Fold(car, entries[:10_000])
	for b.Loop() {
		a.Add(entries[10_000])
	}
}
