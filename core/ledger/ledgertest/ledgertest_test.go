package ledgertest

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
)

// words that stand on a line and change no account.
var wordsOnly = []string{"Note", "Torque", "Why", "How", "What", "Text", "CertificateKind", "Certificate", "Name"}

// Every kind, every field of every kind, and every word of every list of states is
// drawn: a law that is never asked about an option says nothing of it.
func TestDrawsEveryOption(t *testing.T) {
	drawn, words := map[string]bool{}, map[string]bool{}
	kinds := map[ledger.Kind]reflect.Type{}
	var walk func(v reflect.Value)
	walk = func(v reflect.Value) {
		switch v.Kind() {
		case reflect.Pointer:
			if !v.IsNil() {
				walk(v.Elem())
			}
		case reflect.Slice:
			for i := range v.Len() {
				walk(v.Index(i))
			}
		case reflect.String:
			words[v.String()] = true
		case reflect.Struct:
			if v.Type() == reflect.TypeFor[time.Time]() {
				return
			}
			for i := range v.NumField() {
				if !v.Field(i).IsZero() {
					drawn[v.Type().Name()+"."+v.Type().Field(i).Name] = true
				}
				walk(v.Field(i))
			}
		}
	}
	rng := rand.New(rand.NewPCG(1, 1))
	for _, u := range Units {
		for range 300 {
			for _, e := range History(rng, u, 30) {
				kinds[e.Kind()] = reflect.TypeOf(e.Body)
				walk(reflect.ValueOf(e.Body))
			}
		}
	}
	for _, k := range ledger.Kinds {
		of, ok := kinds[k]
		if !ok {
			t.Errorf("no %s is drawn", k)
			continue
		}
		for i := range of.NumField() {
			if f := of.Field(i); !drawn[of.Name()+"."+f.Name] && !slices.Contains(wordsOnly, f.Name) {
				t.Errorf("no %s with %s is drawn", k, f.Name)
			}
		}
	}
	lists := map[string][]string{"mark": ledger.Marks, "hose": ledger.Hoses, "state of a hose": ledger.HoseStates, "clamp": ledger.Clamps, "point": ledger.Points,
		"state of a point": ledger.PointStates, "cause of a loss": ledger.Causes, "method": ledger.Methods, "drain point": ledger.DrainPoints, "flush": ledger.FlushWiths,
		"severity": ledger.Severities, "vacuum valve": ledger.VacuumValves, "seal": ledger.Seals, "stage of a cap": ledger.CapStages, "tempering": texts(ledger.Temperings),
		"look": texts(coolant.Appearances), "basis of nitrite": texts(coolant.NitriteBases), "basis of molybdate": texts(coolant.MolybdateBases),
		"method of a test": ledger.TestMethods, "additive": texts(coolant.AdditiveKinds), "release": texts(coolant.Releases)}
	for name, list := range lists {
		for _, word := range list {
			if !words[word] {
				t.Errorf("no %s %q is drawn", name, word)
			}
		}
	}
}

func texts[T any](list []T) (all []string) {
	for _, v := range list {
		all = append(all, strings.TrimSpace(fmt.Sprint(v)))
	}
	return all
}
