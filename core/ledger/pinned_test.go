package ledger_test

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
	"diligentledger/core/measure"
	"diligentledger/internal/pinnedtest"
)

// What drawn books fold to, what explains their tests, and what is said of an entry that comes after them.
func TestPinned(t *testing.T) {
	var a pinnedtest.Answers
	for seed := range uint64(700) {
		rng := rand.New(rand.NewPCG(seed, 131))
		u := ledgertest.Units[seed%uint64(len(ledgertest.Units))]
		var entries []ledger.Entry
		if seed%2 == 0 {
			entries = ledgertest.History(rng, u, 5+rng.IntN(40))
		} else {
			entries = ledgertest.Wild(rng, u, 5+rng.IntN(40))
		}
		b := ledger.TryFold(u, entries)
		name := fmt.Sprint(seed, " ", u.Kind)
		packed, err := b.Store()
		a.Add(name+" account", b)
		a.Add(name+" stored", packed.Body, packed.Older, err)
		boil, cap, known := b.BoilOver(float64(100 * rng.IntN(40)))
		drift, sigma := b.Drift()
		nitrite, tested := b.Nitrite()
		fits, said := b.Compatibility()
		a.Add(name+" answers", b.Diagnosis(), b.Stops(), b.Unready(), b.ProtectsTo(), boil, cap, known, drift, sigma, nitrite, tested, fits, said, b.ChemistryNow(), b.Leak(), b.MissingLitres(), b.Sigma(),
			b.VolumeDoubt(), b.ForeignShare(), b.FreezePerStrength(), b.OpenedAt(), b.Proposals(ledgertest.Additives), b.Needs())
		for _, p := range []coolant.Property{coolant.PropPH, "nitrite", "reserve", "conductivity", "chloride"} {
			day, falls := b.ChemistryTrend(p)
			a.Add(fmt.Sprint(name, " ", p), day, falls, b.RemedyWhenLow(p))
		}
		for i := range b.Lines {
			if i%5 == 0 {
				a.Add(fmt.Sprint(name, " line ", i), b.Explain(i))
			}
		}
		for n := range 6 {
			e := ledgertest.Entry(rng, u, rng.IntN(ledgertest.Days), fmt.Sprint("e", n), ledgertest.Body(rng, u, rng.IntN(ledgertest.Days)))
			e.Confirmed = n%2 == 0
			wrong := ledger.Check(u, entries, e, ledgertest.Start.AddDate(0, 0, ledgertest.Days))
			a.Add(fmt.Sprint(name, " check ", e.Kind()), wrong, ledger.Plausible(e))
		}
	}
	// Figures at which something is refused, one at a time.
	for n := range 6000 {
		rng := rand.New(rand.NewPCG(uint64(n), 12))
		u := ledgertest.Units[n%len(ledgertest.Units)]
		d := rng.IntN(ledgertest.Days)
		e := ledgertest.Entry(rng, u, d, "e", ledgertest.Body(rng, u, d))
		body := reflect.New(reflect.TypeOf(e.Body))
		body.Elem().Set(reflect.ValueOf(e.Body))
		pinnedtest.Perturb(rng, body.Interface())
		e.Body = body.Elem().Interface()
		e.Confirmed = n%3 == 0
		written := ledgertest.History(rng, u, 1+n%12)
		a.Add(fmt.Sprint("figure ", n, " ", e.Kind()), ledger.Plausible(e), ledger.Check(u, written, e, ledgertest.Start.AddDate(0, 0, ledgertest.Days)))
	}
	rng := rand.New(rand.NewPCG(9, 9))
	for n := range 60 {
		out := []measure.Litre{measure.Litre(8 * rng.Float64()), measure.Litre(3 * rng.Float64())}[:1+n%2]
		a.Add(fmt.Sprint("short ", n), ledger.AllowedShort([]string{"car", "truck", "boat", "motorcycle", "aircraft", ""}[n%6], out, measure.Litre(8*rng.Float64()), rng.Float64(), n%3 == 0, measure.Litre(n%4)/2))
	}
	record := ledger.Record{ID: "id", Unit: "U", Circuit: 7, Seq: 3, Kind: "note", At: time.Unix(1, 0).UTC(), RecordedAt: time.Unix(2, 0).UTC(), RecordedBy: "A", RecordedByID: 4, Payload: []byte(`{}`), Envelope: []byte(`{"a":1}`)}
	for _, v := range []int{1, 2} {
		record.Version = v
		a.Add(fmt.Sprint("chain version ", v), ledger.ChainHash(ledger.Hash{1, 2}, record))
	}
	a.Add("versions", ledger.RecordV2, ledger.Kinds, ledger.Limits())
	a.Check(t, "pinned.txt")
}
