package coolant

import (
	"math"

	"diligentledger/core/measure"
)

// AdditiveKind is how an additive is given.
type AdditiveKind string

// The kinds.
const (
	SCA      AdditiveKind = "sca"      // liquid supplemental additive
	Extender AdditiveKind = "extender" // once in the life of a charge
	Filter   AdditiveKind = "filter"   // additive filter
)

// AdditiveKinds in the order they are offered.
var AdditiveKinds = []AdditiveKind{SCA, Extender, Filter}

// Release of an additive filter.
type Release string

// The releases.
const (
	ReleaseAtOnce Release = "charged"      // its whole charge dissolves in the first hours
	ReleaseNeed   Release = "need_release" // as the coolant needs it, until it is changed
	ReleaseNone   Release = "blank"        // filters only
)

// Releases in the order they are offered.
var Releases = []Release{ReleaseAtOnce, ReleaseNeed, ReleaseNone}

// Additive is what the label of a bottle or a filter states.
type Additive struct {
	ID   int64        `json:"id,omitempty"` // in the register; 0 in copies of an earlier version
	Code string       `json:"code"`
	Name string       `json:"name"`
	Kind AdditiveKind `json:"kind"`
	// Nitrite as NO₂ and Molybdate as MoO₄: g in a litre, or in one filter.
	Nitrite   float64 `json:"nitrite"`
	Molybdate float64 `json:"molybdate,omitempty"`
	Release   Release `json:"release,omitempty"` // of a filter
	// Change of a filter is due after the first of these; 0 for none.
	Months int               `json:"months,omitempty"`
	Km     measure.Kilometre `json:"km,omitempty"`
	Hours  measure.Hour      `json:"hours,omitempty"`
}

// NitriteRise is by how many ppm NO₂ (by mass) a mass of nitrite, g, raises a charge of so
// much mass; 0 for an empty charge.
func NitriteRise(grams float64, charge measure.Kilogram) float64 {
	if !(charge > 0) {
		return 0
	}
	return 1000 * grams / float64(charge)
}

// DoseFor is how many litres of an additive raise a charge from now to target ppm NO₂, by
// mass balance: the mass of nitrite that is missing over that in a litre. 0 when nothing
// is missing, +Inf when the additive holds none.
func DoseFor(a Additive, charge measure.Kilogram, now, target float64) measure.Litre {
	missing := (target - now) * float64(charge) / 1000 // g
	switch {
	case !(missing > 0):
		return 0
	case !(a.Nitrite > 0):
		return measure.Litre(math.Inf(1))
	}
	return measure.Litre(missing / a.Nitrite)
}

// DilutionFor is how many litres are drained of a charge, and filled again with a mix of
// refill ppm, to bring it from now down to target ppm; false when the refill is not below
// the target.
func DilutionFor(charge measure.Litre, now, target, refill float64) (measure.Litre, bool) {
	switch {
	case now <= target:
		return 0, true
	case !(refill < target):
		return 0, false
	}
	return charge * measure.Litre((now-target)/(now-refill)), true
}

// AcceptsAdditive reports whether a technology is kept up with an additive of this kind: SCA in
// conventional and hybrid coolants, an extender in nitrited OAT, a filter in any of these.
func AcceptsAdditive(t Technology, kind AdditiveKind) bool {
	sca, noat := t == IAT || t == HOAT, t == NOAT
	return kind == Filter && (sca || noat) || kind == SCA && sca || kind == Extender && noat
}
