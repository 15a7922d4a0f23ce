// Package pinnedtest compares what the core computes from random input with what it computed when the file was last reviewed: a file of
// testdata with a line for each dozen of questions. It says that an answer changed, not that it was right: the tables, worked examples and laws
// of each package do. A change that is meant is written with -update, and its lines are read before they are kept.
package pinnedtest

import (
	"crypto/sha256"
	"encoding"
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"testing"
)

var update = flag.Bool("update", false, "write the pinned answers anew")

// digits of a number that count: processors differ in the last ones.
const digits = 9

// chunk of answers that are one line, of the first question and a hash of all.
const chunk = 12

// shown of an answer when its line differs.
const shown = 300

// Answers by their question, in the order in which they were asked.
type Answers struct {
	lines []string
}

// Add an answer; values that JSON does not have, as NaN, are written as texts.
func (a *Answers) Add(question string, answer ...any) {
	parts := make([]string, len(answer))
	for i, v := range answer {
		parts[i] = text(v)
	}
	a.lines = append(a.lines, strings.ReplaceAll(question+"\t"+strings.Join(parts, " "), "\n", " "))
}

// Check the answers against a file of testdata.
func (a *Answers) Check(t *testing.T, name string) {
	t.Helper()
	file := filepath.Join("testdata", name)
	var have []string
	for some := range slices.Chunk(a.lines, chunk) {
		question, _, _ := strings.Cut(some[0], "\t")
		have = append(have, fmt.Sprintf("%s\t%.16x", question, sha256.Sum256([]byte(strings.Join(some, "\n")))))
	}
	if *update {
		if err := os.MkdirAll("testdata", 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(file, []byte(strings.Join(have, "\n")+"\n"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	content, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	want := strings.Split(strings.TrimSuffix(string(content), "\n"), "\n")
	differ := 0
	for i := range max(len(want), len(have)) {
		var was, is string
		if i < len(want) {
			was = want[i]
		}
		if i < len(have) {
			is = have[i]
		}
		if was == is {
			continue
		}
		if differ++; differ > 2 {
			continue
		}
		t.Errorf("line %d of %s: was %q, is %q; one of these:", i+1, file, was, is)
		for _, line := range a.lines[min(i*chunk, len(a.lines)):min((i+1)*chunk, len(a.lines))] {
			t.Logf("%.*s", shown, line)
		}
	}
	if differ > 0 {
		t.Errorf("%d of %d lines of %s changed; if that is meant: go test -run %s -update", differ, len(want), file, t.Name())
	}
}

// text of a value: JSON with numbers of few digits.
func text(v any) string {
	if err, ok := v.(error); ok && !(reflect.ValueOf(v).Kind() == reflect.Pointer && reflect.ValueOf(v).IsNil()) {
		return "error: " + err.Error()
	}
	var b strings.Builder
	write(&b, reflect.ValueOf(v), 0)
	return b.String()
}

func number(f float64) string {
	switch {
	case math.IsNaN(f):
		return "NaN"
	case f == 0 || math.Abs(f) < 1e-12:
		return "0"
	}
	return strconv.FormatFloat(f, 'g', digits, 64)
}

// write every exported field, whatever its tags say; a type with a text of its own by that.
func write(b *strings.Builder, v reflect.Value, depth int) {
	if !v.IsValid() {
		b.WriteString("nil")
		return
	}
	if depth > 30 {
		b.WriteString("…")
		return
	}
	// A day or a moment has no field that can be read, and a text of its own.
	if v.Kind() == reflect.Struct && v.CanInterface() && v.NumField() > 0 && !v.Type().Field(0).IsExported() {
		if m, ok := v.Interface().(encoding.TextMarshaler); ok {
			if out, err := m.MarshalText(); err == nil {
				b.Write(out)
				return
			}
		}
	}
	switch v.Kind() {
	case reflect.Float64, reflect.Float32:
		b.WriteString(number(v.Float()))
	case reflect.Pointer, reflect.Interface:
		if v.IsNil() {
			b.WriteString("nil")
			return
		}
		if v.Kind() == reflect.Interface {
			b.WriteString(v.Elem().Type().Name() + " ")
		}
		write(b, v.Elem(), depth+1)
	case reflect.Struct:
		b.WriteString("{")
		for i := range v.NumField() {
			if f := v.Type().Field(i); f.IsExported() && !v.Field(i).IsZero() {
				b.WriteString(f.Name + ":")
				write(b, v.Field(i), depth+1)
				b.WriteString(" ")
			}
		}
		b.WriteString("}")
	case reflect.Slice, reflect.Array:
		if v.Type().Elem().Kind() == reflect.Uint8 {
			fmt.Fprintf(b, "%x", v.Interface())
			return
		}
		b.WriteString("[")
		for i := range v.Len() {
			write(b, v.Index(i), depth+1)
			b.WriteString(" ")
		}
		b.WriteString("]")
	case reflect.Map:
		keys := v.MapKeys()
		slices.SortFunc(keys, func(x, y reflect.Value) int { return strings.Compare(fmt.Sprint(x), fmt.Sprint(y)) })
		b.WriteString("{")
		for _, k := range keys {
			fmt.Fprintf(b, "%v:", k)
			write(b, v.MapIndex(k), depth+1)
			b.WriteString(" ")
		}
		b.WriteString("}")
	case reflect.Func, reflect.Chan:
	default:
		fmt.Fprint(b, v)
	}
}

// extremes are figures at which something may be refused.
var extremes = []float64{-1e9, -1000, -501, -500, -100, -41, -1, -0.001, 0, 0.001, 0.3, 0.33, 0.34, 0.5, 0.65, 0.66, 1, 1.5, 2, 6, 12, 13, 14, 24, 25, 40, 100, 101, 500, 501, 1000, 1001, 2400, 10_000, 10_001, 1e5, 100_001, 1e6, 1e9, 1e13, math.Inf(1), math.NaN()}

// Perturb one number in a value, drawn among all that it holds: it becomes one at which something may be refused. It takes a pointer,
// and gives how many numbers there are.
func Perturb(rng *rand.Rand, value any) int {
	var numbers []reflect.Value
	var find func(v reflect.Value, depth int)
	find = func(v reflect.Value, depth int) {
		if depth > 12 {
			return
		}
		switch v.Kind() {
		case reflect.Float64, reflect.Float32, reflect.Int, reflect.Int64, reflect.Int32, reflect.Uint8:
			if v.CanSet() {
				numbers = append(numbers, v)
			}
		case reflect.Pointer:
			if !v.IsNil() {
				find(v.Elem(), depth+1)
			}
		case reflect.Struct:
			for i := range v.NumField() {
				if v.Type().Field(i).IsExported() {
					find(v.Field(i), depth+1)
				}
			}
		case reflect.Slice:
			for i := range v.Len() {
				find(v.Index(i), depth+1)
			}
		}
	}
	find(reflect.ValueOf(value), 0)
	if len(numbers) == 0 {
		return 0
	}
	v, to := numbers[rng.IntN(len(numbers))], extremes[rng.IntN(len(extremes))]
	switch {
	case v.CanFloat():
		v.SetFloat(to)
	case v.CanInt() && math.Abs(to) < 1e9:
		v.SetInt(int64(to))
	case v.CanUint() && to >= 0 && to < 256:
		v.SetUint(uint64(to))
	}
	return len(numbers)
}
