package coolant

// MixingWater is water for mixing as it was tested, ppm; nil for what was not. Hardness is as CaCO₃.
type MixingWater struct {
	Hardness, Chloride, Sulphate, Solids *float64
}

// WaterTest is one figure of a water with its limit, ppm.
type WaterTest struct {
	Name  string // hardness, chloride, sulphate, solids
	Value *float64
	Limit Limit
}

// TooMuch reports whether the figure is above its limit.
func (t WaterTest) TooMuch() bool { return t.Value != nil && !(*t.Value <= t.Limit.Value) }

// Tests of the water in the order in which they are asked.
func (w MixingWater) Tests() []WaterTest {
	all := []WaterTest{{Name: "hardness", Value: w.Hardness}, {Name: "chloride", Value: w.Chloride}, {Name: "sulphate", Value: w.Sulphate}, {Name: "solids", Value: w.Solids}}
	for i := range all {
		all[i].Limit, _ = FindLimit("water_" + all[i].Name) // of the table
	}
	return all
}

// Fit reports whether the water may be used for mixing: every figure was tested and is within its
// limit (ASTM D3306, annex, recalled from memory). What was not tested is not fit.
func (w MixingWater) Fit() bool {
	for _, t := range w.Tests() {
		if t.Value == nil || t.TooMuch() {
			return false
		}
	}
	return true
}
