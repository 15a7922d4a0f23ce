package coolant

import (
	"testing"

	"diligentledger/core/measure"
)

// Water freezes at 0 °C, 32 °F: a freeze point typed above it lacks its minus; one at or below it is as typed.
func TestTypedFreezePoint(t *testing.T) {
	for _, c := range []struct {
		value float64
		unit  measure.Unit
		want  float64
	}{{35, measure.DegC, -35}, {0, measure.DegC, 0}, {-35, measure.DegC, -35}, {0.5, measure.DegC, -0.5}, {40, measure.DegF, -40}, {32, measure.DegF, 32},
		{20, measure.DegF, 20}, {-30, measure.DegF, -30}, {35, measure.Brix, 35}, {50, measure.Percent, 50}} {
		got, flipped := TypedFreezePoint(measure.Reading{Value: c.value, Unit: c.unit})
		if got.Value != c.want || got.Unit != c.unit || flipped != (c.want != c.value) {
			t.Errorf("%g %s is read as %v, %v", c.value, c.unit, got, flipped)
		}
	}
}
