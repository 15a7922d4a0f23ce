package coolant_test

import (
	"testing"

	"diligentledger/core/coolant"
)

// The lines of a refractometer run from water to the strong end without turning back; PG freezes at less
// index a kelvin at first, so that its −10 °C line is further from water than that of EG (the refractive
// indices of the handbook, recalled from memory).
func TestScaleLines(t *testing.T) {
	at := map[coolant.Base]float64{}
	for _, base := range []coolant.Base{coolant.EG, coolant.PG} {
		for _, kind := range []coolant.ScaleKind{coolant.ScaleFreeze, coolant.ScalePercent, coolant.ScaleBrix} {
			lines, err := coolant.ScaleLines(kind, base)
			if err != nil || len(lines) < 35 || lines[0] != (coolant.ScaleLine{}) || lines[len(lines)-1].At != 1 {
				t.Fatalf("%s %s: %d lines, %v", kind, base, len(lines), err)
			}
			for i := 1; i < len(lines); i++ {
				if lines[i].At <= lines[i-1].At {
					t.Errorf("%s %s: line %v at %v, after %v", kind, base, lines[i].Value, lines[i].At, lines[i-1].At)
				}
			}
			if kind == coolant.ScaleFreeze {
				at[base] = lines[10].At
			}
		}
	}
	if at[coolant.PG] <= at[coolant.EG] {
		t.Errorf("−10 °C at %v of the PG scale and %v of the EG scale", at[coolant.PG], at[coolant.EG])
	}
	for _, bad := range []struct {
		kind coolant.ScaleKind
		base coolant.Base
	}{{"other", coolant.EG}, {coolant.ScaleFreeze, ""}, {coolant.ScaleFreeze, coolant.NoWater}} {
		if _, err := coolant.ScaleLines(bad.kind, bad.base); err == nil {
			t.Errorf("%+v is accepted", bad)
		}
	}
}
