package ledger

import (
	"encoding/json"
	"reflect"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Law: whatever is changed in a record, or in the one before it, changes the
// hash; nothing else does.
func TestLink(t *testing.T) {
	base := Record{ID: "a", Unit: "u", Seq: 3, Kind: KindMeter, At: start, RecordedAt: start.Add(time.Hour), RecordedBy: "x", Payload: json.RawMessage(`{"v":1}`)}
	want := ChainHash(Hash{1}, base)
	if ChainHash(Hash{1}, base) != want {
		t.Error("the same record hashes differently")
	}
	elsewhere := base
	elsewhere.At = base.At.In(time.FixedZone("x", 7200))
	if ChainHash(Hash{1}, elsewhere) != want {
		t.Error("the same moment in another zone hashes differently")
	}
	for name, change := range map[string]func(*Record){
		"id":        func(r *Record) { r.ID = "b" },
		"unit":      func(r *Record) { r.Unit = "v" },
		"seq":       func(r *Record) { r.Seq++ },
		"kind":      func(r *Record) { r.Kind = KindLoss },
		"at":        func(r *Record) { r.At = r.At.Add(time.Microsecond) },
		"recorded":  func(r *Record) { r.RecordedAt = r.RecordedAt.Add(time.Microsecond) },
		"by":        func(r *Record) { r.RecordedBy = "y" },
		"payload":   func(r *Record) { r.Payload = json.RawMessage(`{"v":2}`) },
		"run along": func(r *Record) { r.ID, r.Unit = "au", "" },
	} {
		r := base
		change(&r)
		if ChainHash(Hash{1}, r) == want {
			t.Errorf("changing the %s changes nothing", name)
		}
	}
	if ChainHash(Hash{2}, base) == want {
		t.Error("another predecessor changes nothing")
	}
}

func TestPayloadRoundTrip(t *testing.T) {
	share := 50.0
	for _, b := range []Body{
		Renewal{Volume: litres(8), Product: conc, Share: &share, Factory: true, Meter: ptr(km(5))},
		TopUp{Volume: measure.Reading{Value: 2.2, Unit: measure.USQt}, With: coolant.Premix, Product: &premix},
		water(0.3), Loss{Volume: litres(1), Note: "weep hole"}, test(-30, coolant.PG), Meter{Meter: km(77)},
	} {
		payload, err := json.Marshal(b)
		if err != nil {
			t.Fatal(err)
		}
		got, err := ParseBody(KindOf(b), payload)
		if err != nil || !reflect.DeepEqual(got, b) {
			t.Errorf("%s came back as %+v, %v", payload, got, err)
		}
	}
	// Lines of the first books, when a renewal was called a fill.
	if b, err := ParseBody("fill", []byte(`{"volume":{"value":8,"unit":"L"},"product":{"code":"P","base":"EG","form":"premix","glycol":0.5},"factory":true}`)); err != nil || !b.(Renewal).Factory || KindOf(b) != KindRenewal {
		t.Errorf("a fill of the first books: %+v, %v", b, err)
	}
	if b, err := ParseBody(KindFreezeTest, []byte(`{"temperature":{"value":-36,"unit":"degC"},"instrument":"refractometer","scale":"EG"}`)); err != nil || b.(FreezeTest).Value.Value != -36 {
		t.Errorf("a test of the first books: %+v, %v", b, err)
	}
	if _, err := ParseBody("dream", nil); err == nil {
		t.Error("an unknown kind was read")
	}
	if _, err := ParseBody(KindMeter, []byte("{")); err == nil {
		t.Error("half a payload was read")
	}
}
