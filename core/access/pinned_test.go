package access_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"diligentledger/core/access"
	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
	"diligentledger/internal/pinnedtest"
)

// Who may write what after drawn books.
func TestPinned(t *testing.T) {
	var a pinnedtest.Answers
	for seed := range uint64(160) {
		rng := rand.New(rand.NewPCG(seed, 47))
		u := ledgertest.Units[seed%uint64(len(ledgertest.Units))]
		entries := ledgertest.History(rng, u, 1+rng.IntN(30))
		for n := range 8 {
			e := ledgertest.Entry(rng, u, rng.IntN(ledgertest.Days), fmt.Sprint("e", n), ledgertest.Body(rng, u, rng.IntN(ledgertest.Days)))
			if len(entries) > 0 && n%2 == 0 {
				e.Body = ledger.Strike{Entry: entries[rng.IntN(len(entries))].ID, Why: "wrong unit"}
			}
			for _, r := range append(access.Roles, "") {
				who := access.Actor{Role: r, Name: ledgertest.People[rng.IntN(len(ledgertest.People))], ID: int64(rng.IntN(3))}
				a.Add(fmt.Sprint(seed, " ", u.Kind, " ", e.Kind(), " ", r), access.Check(who, u, entries, e), access.EffectsOf(who, u, entries, e))
			}
		}
	}
	for _, e := range access.Effects {
		a.Add(string(e), access.Permitted(e, true), access.Permitted(e, false))
	}
	a.Check(t, "pinned.txt")
}
