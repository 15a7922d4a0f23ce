package fleet_test

import (
	"encoding/json"
	"errors"
	"math/rand/v2"
	"testing"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
	"diligentledger/core/refusal"
	"diligentledger/internal/fleet"
	"diligentledger/internal/intake"
	"diligentledger/internal/walk"
	"diligentledger/internal/walk/walktest"
	"diligentledger/internal/words"
)

// What a device computes from what it took along is what the server computes from its books: verdict,
// reason, protection and refusals, of random entries on each unit of each site of the demo fleet, which
// has every kind and units with several circuits.
func TestWalkAsServer(t *testing.T) {
	ctx := t.Context()
	rows, err := open.WalkRows(ctx)
	if err != nil || len(rows) < 5 {
		t.Fatalf("%d rows, %v", len(rows), err)
	}
	sites := map[string]int{}
	for _, r := range rows {
		sites[r.Site] += r.Units
	}
	products, err := open.Products(ctx)
	if err != nil {
		t.Fatal(err)
	}
	compared, refusals, circuits := 0, 0, 0
	for site, n := range sites {
		who := fleet.Actor{ID: 3, Name: "T. Quayle", Role: access.Technician}
		w, err := open.Walk(ctx, who, words.Metric, fleet.WalkFilter{Site: site})
		if err != nil || len(w.Units) != n {
			t.Fatalf("%s: %d units of %d, %v", site, len(w.Units), n, err)
		}
		text := asJSON(t, w.Shared)
		shared, err := walk.Read([]byte(text))
		if err != nil {
			t.Fatal(err)
		}
		for i, unit := range w.Units {
			whole, err := open.Account(ctx, unit.Code)
			if err != nil {
				t.Fatal(err)
			}
			if unit.View.Verdict != whole.Whole.Verdict {
				t.Errorf("%s: %s on the walk, %s in the books", unit.Code, unit.View.Verdict, whole.Whole.Verdict)
			}
			pack, err := walk.ReadPack([]byte(asJSON(t, unit.Pack)))
			if err != nil {
				t.Fatal(err)
			}
			taken, err := walk.Open(shared, pack, nil, w.Now)
			if err != nil {
				t.Fatal(err)
			}
			for c, circuit := range pack.Circuits {
				rng := rand.New(rand.NewPCG(uint64(i), uint64(c)))
				circuits += min(c, 1)
				for n := range 6 {
					body := ledgertest.Body(rng, circuit.Unit, ledgertest.Days)
					sent, err := walktest.Sent(walktest.ID(n), noon.Add(-time.Duration(rng.IntN(400))*time.Hour), named(t, body, products[rng.IntN(len(products))].Code), rng.IntN(2) == 0)
					if err != nil {
						t.Fatal(err)
					}
					got := taken.Preview(circuit.Address, sent)
					effect, err := preview(t, who, circuit.Address, sent)
					var list *refusal.Error
					var forbidden *fleet.Forbidden
					switch {
					case errors.As(err, &forbidden):
						if !got.Forbidden {
							t.Errorf("%s: %s is not permitted by the server: %v; on the device %+v", circuit.Address, sent, err, got)
						}
						refusals++
					case errors.As(err, &list):
						if len(got.Refused) != len(list.Fields) || got.Refused[0].Pointer != list.Fields[0].Pointer {
							t.Errorf("%s: %s is refused by the server: %v; on the device %+v", circuit.Address, sent, err, got)
						}
						refusals++
					case err != nil:
						t.Fatal(err)
					default:
						after := effect.After
						reason := words.Metric.Reason(after.Status.Governing, words.Metric.ColdPlace(after.Unit.Site, after.Unit.Winters, after.Unit.ColdOffset))
						if got.Verdict != after.Status.Verdict || got.Before != effect.Before.Status.Verdict || got.Reason != reason || asJSON(t, got.Protects) != asJSON(t, after.Account.ProtectsTo()) ||
							(got.MustNotMove != "") != (after.Whole.Verdict == "hold") {
							t.Errorf("%s: %s gives %s: %s by the server; on the device %+v", circuit.Address, sent, after.Status.Verdict, reason, got)
						}
						compared++
					}
				}
			}
		}
	}
	if compared < 150 || refusals < 30 || circuits < 3 {
		t.Errorf("only %d compared, %d refused, %d further circuits", compared, refusals, circuits)
	}
}

// named is the body with a product of the register in place of its own.
func named(t *testing.T, b ledger.Body, product string) ledger.Body {
	t.Helper()
	var fields map[string]any
	if err := json.Unmarshal([]byte(asJSON(t, b)), &fields); err != nil {
		t.Fatal(err)
	}
	if p, ok := fields["product"].(map[string]any); ok {
		p["code"] = product
	}
	delete(fields, "additive")
	body, err := ledger.ParseBody(ledger.KindOf(b), []byte(asJSON(t, fields)))
	if err != nil {
		t.Fatal(err)
	}
	return body
}

func preview(t *testing.T, who fleet.Actor, address string, text []byte) (fleet.Effect, error) {
	t.Helper()
	sent, err := intake.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	o, err := open.Open(t.Context(), address, "")
	if err != nil {
		t.Fatal(err)
	}
	entries, _, err := sent.Entries(o.Code, o)
	if err != nil {
		return fleet.Effect{}, err
	}
	return open.PreviewEntries(t.Context(), who, o, entries...)
}
