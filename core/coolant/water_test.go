package coolant

import (
	"math"
	"testing"
)

// Water at the limits of ASTM D3306's annex (recalled from memory) is fit; above one of them, or with
// one not tested, it is not.
func TestWater(t *testing.T) {
	at := func(v float64) *float64 { return &v }
	good := func() MixingWater {
		return MixingWater{Hardness: at(170), Chloride: at(40), Sulphate: at(100), Solids: at(340)}
	}
	if !good().Fit() {
		t.Error("water at the limits is refused")
	}
	for name, spoil := range map[string]func(*MixingWater){
		"hard": func(w *MixingWater) { w.Hardness = at(171) }, "salt": func(w *MixingWater) { w.Chloride = at(41) }, "sulphate": func(w *MixingWater) { w.Sulphate = at(101) },
		"solids": func(w *MixingWater) { w.Solids = at(341) }, "no number": func(w *MixingWater) { w.Solids = at(math.NaN()) },
		"chloride not tested": func(w *MixingWater) { w.Chloride = nil }, "nothing tested": func(w *MixingWater) { *w = MixingWater{} },
	} {
		w := good()
		if spoil(&w); w.Fit() {
			t.Errorf("%s: fit", name)
		}
	}
}
