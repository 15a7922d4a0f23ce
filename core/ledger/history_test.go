package ledger

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// sixDiscs is a tester's chart: three of six floating protect to −23 °C (common
// practice; the other steps are invented).
var sixDiscs = []measure.Celsius{-8, -15, -23, -30, -36, -44}

func kpa(v float64) measure.Reading { return measure.Reading{Value: v, Unit: measure.KPa} }

func shuffled(rng *rand.Rand, entries []Entry) []Entry {
	s := slices.Clone(entries)
	rng.Shuffle(len(s), func(i, j int) { s[i], s[j] = s[j], s[i] })
	return s
}

// SameAccount compares all that an account shows, and what it rests on, for the
// laws in package ledger_test.
func SameAccount(a, b Account) bool {
	// Snapshots before a test are compared by what they explain, once each. A place
	// among the lines is another where struck lines stand between.
	for _, p := range []*Account{&a, &b} {
		p.strikes, p.readingLine, p.Second.readingLine, p.lastAt, p.lastID = nil, nil, nil, time.Time{}, ""
		p.Lines = slices.Clone(p.Lines)
		for i := range p.Lines {
			p.Lines[i].before = nil
		}
		p.renewal = min(p.renewal, 0)
	}
	return reflect.DeepEqual(a, b)
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
