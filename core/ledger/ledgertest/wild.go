package ledgertest

import (
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"time"

	"diligentledger/core/ledger"
)

// extremes that a stored number may be: no check stood before the first books.
var extremes = []float64{0, 5e-324, 1e-300, 1e-9, 0.004, 1e4, 1e9, 1e300, math.MaxFloat64, -5e-324, -1, -1e300}

var times = []time.Time{{}, time.Date(1, 1, 2, 0, 0, 0, 0, time.UTC), time.Date(1969, 12, 31, 23, 59, 59, 0, time.UTC), time.Date(2262, 4, 11, 0, 0, 0, 0, time.UTC), time.Date(9999, 12, 31, 23, 59, 59, 0, time.UTC)}

// Wild is a history in which one number in a few, and one time in some, is beyond anything
// that can be meant.
func Wild(rng *rand.Rand, u ledger.Unit, n int) []ledger.Entry {
	entries := History(rng, u, n)
	for i := range entries {
		if rng.IntN(3) == 0 {
			entries[i].Body = wild(rng, entries[i].Body)
		}
		if rng.IntN(25) == 0 {
			entries[i].At = pick(rng, times)
		}
	}
	return entries
}

// wild is a body with some of its numbers replaced; the body itself when that cannot be read.
func wild(rng *rand.Rand, b ledger.Body) ledger.Body {
	text, err := json.Marshal(b)
	var fields any
	if err == nil {
		err = json.Unmarshal(text, &fields)
	}
	if err != nil {
		return b
	}
	var walk func(v any) any
	walk = func(v any) any {
		switch v := v.(type) {
		case float64:
			if rng.IntN(2) == 0 {
				return pick(rng, extremes)
			}
		case map[string]any:
			for _, name := range slices.Sorted(maps.Keys(v)) {
				v[name] = walk(v[name])
			}
		case []any:
			for i := range v {
				v[i] = walk(v[i])
			}
		}
		return v
	}
	text, err = json.Marshal(walk(fields))
	if err != nil {
		return b
	}
	changed, err := ledger.ParseBody(ledger.KindOf(b), text)
	if err != nil {
		return b
	}
	return changed
}

// Finite says where in a value a figure is NaN or infinite. What was sent, and readings as they
// were read, are left out.
func Finite(v any) error { return finite(reflect.ValueOf(v), "") }

func finite(v reflect.Value, at string) error {
	switch v.Kind() {
	case reflect.Float64:
		if f := v.Float(); math.IsNaN(f) || math.IsInf(f, 0) {
			return fmt.Errorf("%s is %v", at, f)
		}
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			return finite(v.Elem(), at)
		}
	case reflect.Slice:
		for i := range v.Len() {
			if err := finite(v.Index(i), fmt.Sprintf("%s[%d]", at, i)); err != nil {
				return err
			}
		}
	case reflect.Map:
		for _, k := range v.MapKeys() {
			if err := finite(v.MapIndex(k), fmt.Sprintf("%s[%v]", at, k)); err != nil {
				return err
			}
		}
	case reflect.Struct:
		switch v.Type() {
		case reflect.TypeFor[ledger.Entry](), reflect.TypeFor[time.Time]():
			return nil
		}
		for i := range v.NumField() {
			if err := finite(v.Field(i), at+"."+v.Type().Field(i).Name); err != nil {
				return err
			}
		}
	}
	return nil
}
