package register

import (
	"slices"
	"testing"

	"diligentledger/core/measure"
)

// A fact of an older book has a point before three digits: what a field is filled with is read as the same when it is
// sent back, whatever the
// number format of who sends it.
func TestAsTyped(t *testing.T) {
	capacity, _ := FieldOf(Unit, "capacity")
	drains, _ := FieldOf(Unit, "drains")
	altitude, _ := FieldOf(Site, "altitude")
	for _, c := range []struct {
		field  Field
		stored string
	}{{capacity, "12.345 L"}, {capacity, "8 L"}, {capacity, "1.136 imp gal"}, {altitude, "1.250 m"}, {drains, "radiator petcock 4.125 L\nblock"}, {drains, "hose 2.500 L"}} {
		typed := c.field.AsTyped(c.stored)
		for _, numbers := range []measure.NumberFormat{measure.EitherMark, measure.PointDecimals, measure.CommaDecimals} {
			as := Metric(measure.NewDate(2026, 12, 2))
			as.Numbers = numbers
			canonical, wrong := c.field.Read(typed, as)
			if wrong != nil || c.field.AsTyped(canonical) != typed {
				t.Errorf("%s %q is filled in as %q and read as %q under %q, %+v", c.field.Code, c.stored, typed, canonical, numbers, wrong)
				continue
			}
			facts, before := Facts{c.field.Code: canonical}, Facts{c.field.Code: c.stored}
			if c.field.Form == Named {
				if !slices.Equal(facts.DrainPoints(), before.DrainPoints()) {
					t.Errorf("%q under %q: %v, want %v", typed, numbers, facts.DrainPoints(), before.DrainPoints())
				}
				continue
			}
			got, ok := c.field.Metric(facts)
			if want, ok2 := c.field.Metric(before); !ok || !ok2 || got != want {
				t.Errorf("%q under %q: %v, want %v", typed, numbers, got, want)
			}
		}
	}
}
