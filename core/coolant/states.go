package coolant

// Basis on which a laboratory or a strip states a concentration.
type Basis string

// The bases of nitrite and of molybdate; empty is the first of each.
const (
	AsNO2    Basis = "NO2"
	AsNaNO2  Basis = "NaNO2"
	AsN      Basis = "N"
	AsMoO4   Basis = "MoO4"
	AsMo     Basis = "Mo"
	AsNaMoO4 Basis = "Na2MoO4"
)

// NitriteBases and MolybdateBases in the order they are offered.
var (
	NitriteBases   = []Basis{AsNO2, AsNaNO2, AsN}
	MolybdateBases = []Basis{AsMoO4, AsMo, AsNaMoO4}
)

// Molar masses, g/mol (IUPAC standard atomic weights N 14.007, O 15.999, Na 22.990,
// Mo 95.95).
const (
	molarN, molarO, molarNa, molarMo = 14.007, 15.999, 22.990, 95.95
	molarNO2                         = molarN + 2*molarO
	molarMoO4                        = molarMo + 4*molarO
)

// Factor from a figure stated on this basis to NO₂ or MoO₄; false for a basis that is
// neither.
func (b Basis) Factor() (float64, bool) {
	switch b {
	case "", AsNO2, AsMoO4:
		return 1, true
	case AsNaNO2:
		return molarNO2 / (molarNa + molarNO2), true
	case AsN:
		return molarNO2 / molarN, true
	case AsMo:
		return molarMoO4 / molarMo, true
	case AsNaMoO4:
		return molarMoO4 / (2*molarNa + molarMoO4), true
	}
	return 0, false
}
