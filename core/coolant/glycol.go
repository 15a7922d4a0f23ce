// Package coolant computes the mixture: what a glycol coolant freezes at, how
// much it weighs, and what becomes of a charge when something is poured in or
// runs out.
//
// # Model
//
// A charge is two masses, glycol and water. Its strength is the mass fraction
// of glycol; volume fractions are derived from it with the density of the
// mixture at 20 °C, so that pouring two volumes together gives a little less
// than their sum, as it does in the can. Inhibitors and dye are computed as
// water: they are a few per cent, and labels leave them out.
//
// The freeze point is read from the published tables for aqueous ethylene
// glycol (EG) and 1,2-propylene glycol (PG) by monotone piecewise cubic
// interpolation (Fritsch and Butland, SIAM J. Sci. Stat. Comput. 5, 1984),
// which passes through every row and adds no wiggle between rows.
//
// # Range
//
// EG: 0 to 100 % by mass, with its eutectic at 68 %; on the far side of the
// eutectic the same freeze point belongs to a second, stronger mixture, and
// adding concentrate makes matters worse. PG: 0 to 60 % by mass; beyond, PG
// mixtures turn to glass rather than freeze and the table ends.
package coolant

import (
	"fmt"

	"diligentledger/core/measure"
)

// Base is the glycol a coolant is made from.
type Base string

// The two glycols of the trade, and coolants that hold no water: for these only the
// product states what it protects to.
const (
	EG      Base = "EG"        // ethylene glycol
	PG      Base = "PG"        // 1,2-propylene glycol
	NoWater Base = "waterless" // see [WaterlessWater]
)

// Known reports whether b is one of the glycols this package has tables for.
func (b Base) Known() bool { return b == EG || b == PG }

// StrengthError says that a mixture is outside the table of its base.
type StrengthError struct {
	Base Base
	Mass float64 // mass fraction of glycol
	Max  float64 // largest mass fraction the table holds
}

func (e *StrengthError) Error() string {
	if !e.Base.Known() {
		return fmt.Sprintf("base %q is not accepted; accepted: EG, PG", string(e.Base))
	}
	return fmt.Sprintf("%.1f %% %s by mass is not accepted; accepted: 0 to %.0f %%", 100*e.Mass, e.Base, 100*e.Max)
}

// ColdError says that no mixture of the base protects to the wanted
// temperature.
type ColdError struct {
	Base   Base
	Wanted measure.Celsius
	Lowest measure.Celsius
}

func (e *ColdError) Error() string {
	return fmt.Sprintf("%g °C is not accepted for %s; accepted: %g to 0 °C", float64(e.Wanted), e.Base, float64(e.Lowest))
}

// FreezePoint of a mixture with mass fraction mass of glycol, in °C: the
// temperature at which the first ice crystals form. It returns a
// [StrengthError] outside the table of the base.
func FreezePoint(b Base, mass float64) (measure.Celsius, error) {
	c := curveOf(b)
	if !b.Known() || !(mass >= 0 && mass <= c.max) {
		return 0, &StrengthError{Base: b, Mass: mass, Max: c.maxOrZero()}
	}
	return measure.Celsius(c.freeze.Predict(mass)), nil
}

// Eutectic of the base: the mass fraction with the lowest freeze point, and
// that freeze point. For PG it is the end of the table.
func Eutectic(b Base) (mass float64, freeze measure.Celsius, err error) {
	c := curveOf(b)
	if !b.Known() {
		return 0, 0, &StrengthError{Base: b}
	}
	return c.eutectic, measure.Celsius(c.freeze.Predict(c.eutectic)), nil
}

// MassFor is the mass fraction of glycol that freezes at t, on the water side
// of the eutectic. It returns a [ColdError] when t is above 0 °C or below what
// the base can reach.
func MassFor(b Base, t measure.Celsius) (float64, error) {
	eutectic, lowest, err := Eutectic(b)
	if err != nil {
		return 0, err
	}
	if !(t <= 0 && t >= lowest) {
		return 0, &ColdError{Base: b, Wanted: t, Lowest: lowest}
	}
	c := curveOf(b)
	return root(0, eutectic, func(mass float64) float64 { return c.freeze.Predict(mass) - float64(t) }), nil
}

// RichMassFor is the other, stronger mixture of EG that freezes at t, on the far
// side of the eutectic, where more glycol protects worse: never a target. It is
// false where there is none in the table, as everywhere for PG.
func RichMassFor(b Base, t measure.Celsius) (float64, bool) {
	c := curveOf(b)
	if !b.Known() || !(t >= measure.Celsius(c.freeze.Predict(c.eutectic)) && t <= measure.Celsius(c.freeze.Predict(c.max))) {
		return 0, false
	}
	mass := root(c.eutectic, c.max, func(x float64) float64 { return c.freeze.Predict(x) - float64(t) })
	return mass, mass > c.eutectic
}

// Density of the mixture at 20 °C in kg/L. It returns a [StrengthError] when
// mass is not between 0 and 1.
func Density(b Base, mass float64) (float64, error) {
	c := curveOf(b)
	if c == nil || !(mass >= 0 && mass <= 1) {
		return 0, &StrengthError{Base: b, Mass: mass, Max: 1}
	}
	return c.density.Predict(mass), nil
}

// VolumeFraction of glycol in a mixture: the volume the glycol would fill
// alone, over the volume of the mixture, both at 20 °C.
func VolumeFraction(b Base, mass float64) (float64, error) {
	rho, err := Density(b, mass)
	if err != nil {
		return 0, err
	}
	return mass * rho / curveOf(b).density.Predict(1), nil
}

// MassFraction is the inverse of [VolumeFraction].
func MassFraction(b Base, volume float64) (float64, error) {
	c := curveOf(b)
	if c == nil || !(volume >= 0 && volume <= 1) {
		return 0, &StrengthError{Base: b, Mass: volume, Max: 1}
	}
	if volume == 0 || volume == 1 {
		return volume, nil // plain water and pure glycol, to the last bit
	}
	pure := c.density.Predict(1)
	return root(0, 1, func(mass float64) float64 { return mass*c.density.Predict(mass)/pure - volume }), nil
}
