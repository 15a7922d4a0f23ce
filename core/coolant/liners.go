package coolant

import "slices"

// Standard that a product's label names.
type Standard string

// The standards.
const (
	D3306 Standard = "D3306" // light duty
	D4985 Standard = "D4985" // heavy duty, with an initial charge of SCA
	D6210 Standard = "D6210" // heavy duty, fully formulated
)

// Standards in the order they are offered.
var Standards = []Standard{D3306, D4985, D6210}

// Liners is whether a product is approved for wet-liner diesels, whose liners cavitate
// unless the coolant keeps a film on them: [AnswerYes] for what meets D6210, for D4985 with
// SCA, and for what is on the engine maker's list; [AnswerNever] for a conventional
// coolant that claims neither, a passenger-car IAT; otherwise [AnswerUnknown], for the
// maker's list to say. (ASTM D6210 and D4985, from memory.)
func Liners(p Product, sca, listed bool) Answer {
	meets := func(s Standard) bool { return slices.Contains(p.Meets, s) }
	switch {
	case listed || meets(D6210) || meets(D4985) && (sca || p.SCA):
		return AnswerYes
	case Technology(p.Technology) == IAT && len(p.Meets) > 0 && !meets(D4985):
		return AnswerNever
	}
	return AnswerUnknown
}

// nitriteFree technologies protect liners without nitrite, if at all.
func (s Sample) nitriteFree() bool {
	switch s.Technology {
	case OAT, SiOAT, POAT, Waterless:
		return true
	}
	return false
}

// nitriteBounds by technology: nitrited OAT by its lower fresh level, all others that may
// hold nitrite by the rule for SCA. Elsewhere only too much of it is judged.
func (s Sample) nitriteBounds() Bounds {
	in := func(l Limit) float64 { return l.In(s.Over...) }
	switch {
	case !s.WetLiners:
		return Bounds{0, 0, in(nitriteHigh), in(nitriteMost)}
	case s.nitriteFree():
		return Bounds{0, 0, in(nitriteEach), in(nitriteMost)}
	case s.Technology == NOAT:
		return Bounds{in(noatExtend), in(noatLow), in(noatHigh), in(nitriteMost)}
	}
	return Bounds{in(nitriteLow), in(nitriteAlone), in(nitriteHigh), in(nitriteMost)}
}

// liners grades nitrite and molybdate together (ASTM D6210, from memory): enough nitrite
// alone, or both at nitrite_each or more with their sum at nitrite_sum. What was not tested
// excuses nothing: a bad nitrite is bad whatever the molybdate, and a molybdate alone
// is never good.
func (s Sample) liners(p Property) (Grade, Remedy) {
	in := func(l Limit) float64 { return l.In(s.Over...) }
	b := s.nitriteBounds()
	if s.Nitrite == nil {
		if s.Molybdate.Low < in(nitriteEach) {
			return GradeSoft, RemedyTest
		}
		return GradeUnknown, RemedyTest
	}
	n := *s.Nitrite
	together := s.Molybdate != nil && n.Low >= in(nitriteEach) && s.Molybdate.Low >= in(nitriteEach) && n.Low+s.Molybdate.Low >= in(nitriteSum)
	switch grade := b.grade(n); {
	case n.High > b.WatchMax && s.WetLiners && s.nitriteFree():
		return grade, RemedyProduct // none of it was filled
	case n.High > b.WatchMax:
		return grade, RemedyDilute
	case grade == GradeGood || together:
		return GradeGood, ""
	default:
		return grade, s.dose()
	}
}

// dose that raises the nitrite of this technology.
func (s Sample) dose() Remedy {
	switch s.Technology {
	case NOAT:
		return RemedyExtender
	case IAT, HOAT:
		return RemedySCA
	}
	return RemedyProduct
}

// NitriteTarget in ppm NO₂ that a dose or a dilution aims at.
func (s Sample) NitriteTarget() float64 {
	if s.Technology == NOAT {
		return noatTarget.In(s.Over...)
	}
	return scaTarget.In(s.Over...)
}

// NitriteMost in ppm NO₂ above which additives drop out.
func (s Sample) NitriteMost() float64 { return nitriteMost.In(s.Over...) }

// NitriteFresh is the most nitrite, ppm NO₂, that a new fill of this technology holds;
// false when it is not known.
func NitriteFresh(t Technology, over ...Figures) (float64, bool) {
	switch t {
	case NOAT:
		return noatHigh.In(over...), true
	case OAT, SiOAT, POAT, Waterless:
		return 0, true
	}
	return 0, false
}

// ContainsNitrite reports whether a technology protects wet liners by nitrite, so that it is
// to be tested for.
func ContainsNitrite(t Technology) bool { return !(Sample{Technology: t}).nitriteFree() }

// NitriteSCA is the most nitrite, ppm NO₂, of a new fill that comes with its SCA.
func NitriteSCA(over ...Figures) float64 { return nitriteHigh.In(over...) }
