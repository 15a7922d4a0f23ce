package store

import (
	"math/rand/v2"
	"reflect"
	"testing"

	"diligentledger/core/clock"
	"diligentledger/core/measure"
)

// fill every field of v with something of its own: what is not packed is lost and seen.
func fill(v reflect.Value, r *rand.Rand) {
	switch {
	case v.Type() == reflect.TypeFor[measure.Date]():
		v.Set(reflect.ValueOf(measure.NewDate(1970+r.IntN(9000), 1, 1).AddDays(r.IntN(366))))
	case v.Type() == reflect.TypeFor[clock.Verdict]():
		v.SetString(string(clock.Verdicts[r.IntN(len(clock.Verdicts))]))
	case v.Kind() == reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		fill(v.Elem(), r)
	case v.Kind() == reflect.Struct:
		for i := range v.NumField() {
			fill(v.Field(i), r)
		}
	case v.Kind() == reflect.String:
		v.SetString(string(rune('a'+r.IntN(26))) + "é — ")
	case v.Kind() == reflect.Float64:
		v.SetFloat(r.NormFloat64())
	case v.Kind() == reflect.Map:
		v.Set(reflect.ValueOf(map[string]float64{"one": r.Float64(), "two": -r.Float64(), "three": 0}))
	default:
		panic(v.Type())
	}
}

// A clock is read from a row as it was written: each of its fields, and each one empty.
func TestClocksArePackedWhole(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	clocks := []clock.Clock{{Kind: clock.Freeze, Verdict: clock.Unknown}, clock.NotEvaluatedYet()}
	for range 200 {
		var c clock.Clock
		fill(reflect.ValueOf(&c).Elem(), r)
		clocks = append(clocks, c)
		c.Due, c.Window, c.Remaining, c.Reason.Numbers = nil, nil, nil, nil
		clocks = append(clocks, c)
	}
	body, err := packClocks(clocks)
	if err != nil {
		t.Fatal(err)
	}
	got, err := unpackClocks(body)
	if err != nil || !reflect.DeepEqual(got, clocks) {
		t.Fatalf("%v\n%+v\nis not\n%+v", err, got[:3], clocks[:3])
	}
}

// A damaged row is an error or clocks, never a panic.
func FuzzUnpackClocks(f *testing.F) {
	body, err := packClocks([]clock.Clock{clock.NotEvaluatedYet()})
	if err != nil {
		f.Fatal(err)
	}
	f.Add(body)
	f.Add([]byte{0x80})
	f.Fuzz(func(t *testing.T, body []byte) {
		clocks, err := unpackClocks(body)
		if err == nil {
			if _, err := packClocks(clocks); err != nil {
				t.Errorf("%x read as %+v cannot be written: %v", body, clocks, err)
			}
		}
	})
}
