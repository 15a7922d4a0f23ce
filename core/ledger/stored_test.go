package ledger

import (
	"hash/fnv"
	"reflect"
	"strings"
	"testing"
	"time"
)

// The person who changes what is packed must raise Rules: an account packed by another
// layout would be unpacked into the wrong places.
func TestLayoutOfStored(t *testing.T) {
	var names []string
	var walk func(reflect.Type)
	walk = func(of reflect.Type) {
		switch of.Kind() {
		case reflect.Pointer, reflect.Slice, reflect.Map:
			walk(of.Elem())
		case reflect.Struct:
			for i := range of.NumField() {
				if f := of.Field(i); of != reflect.TypeFor[time.Time]() {
					names = append(names, f.Name+" "+f.Type.String())
					walk(f.Type)
				}
			}
		}
	}
	walk(reflect.TypeFor[stored]())
	h := fnv.New32a()
	_, _ = h.Write([]byte(strings.Join(names, "\n"))) // cannot fail
	want := map[int]uint32{4: 0xa4eb3693, 5: 0x5f42c0c6, 6: 0x76c1277f, 7: 0x3b4d49dc, 8: 0xa6355a1a, 9: 0x4f809daf, 10: 0x4a35f853, 11: 0xb7444463, 12: 0x8bb826b4}
	if got := h.Sum32(); got != want[Rules] {
		t.Errorf("the layout is %#x, of rules %d it was %#x: raise Rules and enter it here", got, Rules, want[Rules])
	}
}

func BenchmarkRestore(b *testing.B) {
	a := Fold(car, manyEntries(200))
	packed, err := a.Store()
	if err != nil {
		b.Fatal(err)
	}
	b.SetBytes(int64(len(packed.Body) + len(packed.Older)))
	b.ReportAllocs()
	for b.Loop() {
		if _, err := Restore(car, packed); err != nil {
			b.Fatal(err)
		}
	}
}
