package ledger

import (
	"math"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Standard uncertainties (common practice: a refractometer's line is a degree
// wide; a jug or a marked pan is read to two per cent and never better than 50 mL; the band
// between the cold marks is about a twentieth of the charge).
const (
	shareOfJug  = 0.02  // of a volume that was measured
	leastOfJug  = 0.05  // L
	sigmaMixed  = 0.008 // mass fraction, of a fill mixed at the bench from a known concentrate
	sigmaPremix = 0.004 // mass fraction, of a premix from the can
	sigmaLevel  = 0.0125
)

// sigmaCan is the standard uncertainty of what is in a can, mass fraction; nil for water.
func sigmaCan(p *coolant.Product) float64 {
	if p == nil {
		return sigmaPremix
	}
	_, label := p.Strength()
	return math.Max(sigmaPremix, label)
}

// sigmaPoured is the standard uncertainty of v litres measured in a jug.
func sigmaPoured(v measure.Litre) float64 {
	return math.Hypot(leastOfJug, shareOfJug*float64(v))
}

// spread widens the book's litres for v litres that were moved.
func (a *Account) spread(v measure.Litre) {
	a.volume = math.Hypot(a.volume, sigmaPoured(v))
}

// thinned widens the book's strength for added litres of strength x that are now
// part of total litres: dw/dv = (x − w)/total, and the old uncertainty shrinks
// with the share of the old coolant that is left. can is the standard uncertainty of x.
func (a *Account) thinned(added, x, total, can float64) {
	if total <= 0 {
		return
	}
	w := a.Charge.MassFraction()
	kept := math.Max(0, 1-added/total)
	perLitre := (x - w) / total
	moved := math.Hypot(sigmaPoured(measure.Litre(added)), a.volume*added/total)
	a.strength = math.Hypot(a.strength*kept, perLitre*moved)
	// Even a top-up of the same mixture leaves some doubt what it was.
	a.strength = math.Hypot(a.strength, can*added/total)
	a.volume = math.Hypot(a.volume, sigmaPoured(measure.Litre(added)))
}

// band is the freeze points at s mass fraction to either side of w, colder and
// warmer.
func band(b coolant.Base, w, s float64) (low, high measure.Celsius) {
	if !b.Known() {
		b = coolant.EG // plain water is the same in either table
	}
	top, _, err := coolant.Eutectic(b)
	if err != nil {
		return 0, 0
	}
	at := func(x float64) measure.Celsius {
		t, err := coolant.FreezePoint(b, math.Min(math.Max(x, 0), math.Max(top, w)))
		if err != nil {
			return 0
		}
		return t
	}
	low, high = at(w+s), at(w-s)
	return min(low, high), max(low, high)
}

// slope of the freeze point over the mass fraction, K, at w; never positive on
// the water side of the eutectic and never nearer to nought than −20 K.
func slope(b coolant.Base, w float64) float64 {
	const step = 0.01
	low, high := band(b, w, step)
	return -math.Max(float64(high-low)/(2*step), 20)
}

// sigmaCommon is how far the capacity of a unit lies from the common value of its type, as a share
// of it (judgement: engines and radiators of one class differ by a third either way).
const sigmaCommon = 0.3

// capacitySigma is the standard uncertainty of the litres of a system that is full, L.
func (u Unit) capacitySigma() float64 {
	if u.CapacityCommon {
		return sigmaCommon * float64(u.Capacity)
	}
	return 2 * sigmaLevel * float64(u.Capacity)
}

// VolumeDoubt is the standard uncertainty of the book's litres, L.
func (a *Account) VolumeDoubt() float64 { return a.volume }
