package coolant

import (
	"fmt"

	"diligentledger/core/measure"
)

// Form is how a product is sold.
type Form string

// The forms, and purified water, which is poured like a product.
const (
	Concentrate Form = "concentrate" // undiluted; water is added to it
	Premix      Form = "premix"      // ready to use; water is never added to it
	Water       Form = "water"       // distilled, deionised or demineralised
)

// Product is what the label of a can states. Fields that came later are left out of its JSON
// when they say nothing, so that books written before keep their hashes.
type Product struct {
	_ struct{} `cbor:",toarray"`

	// ID in the register, which is never changed; 0 in copies of an earlier version.
	ID         int64  `json:"id,omitempty"`
	Code       string `json:"code"`
	Name       string `json:"name"`
	Base       Base   `json:"base"`
	Technology string `json:"technology"` // IAT, OAT, HOAT, ... as on the label
	Form       Form   `json:"form"`
	// Glycol is the volume fraction of glycol in the can, 0 to 1; see [Product.Strength].
	Glycol float64 `json:"glycol"`
	// Stated: the label or the data sheet gives Glycol, of a concentrate.
	Stated bool `json:"stated,omitempty"`
	// Density relative to water at 20 °C, of the product as it is in the can; 0 when it
	// is not stated.
	Density float64 `json:"density,omitempty"`
	// Meets are the standards on the label.
	Meets []Standard `json:"meets,omitempty"`
	// SCA: it comes with its initial charge of supplemental additive.
	SCA bool `json:"sca,omitempty"`
	// Named are technologies that its maker names compatible for a top-up.
	Named []Technology `json:"named,omitempty"`
	// Fresh reserve alkalinity, mL of 0.1 N acid; 0 when it is not stated.
	Fresh float64 `json:"fresh,omitempty"`
	// Freeze point of a waterless coolant, °C; nil when it is not stated.
	Freeze *measure.Celsius `json:"freeze,omitempty"`
	// LowConductivity: made for circuits of electric drives and batteries.
	LowConductivity bool `json:"lowConductivity,omitempty"`
	// Figures that the maker of the product states in place of the limits of this package.
	Figures Figures `json:"figures,omitempty"`
}

// ConcentrateGlycol is the volume fraction of glycol by which books mark a concentrate whose
// product does not state one: the strong end of what labels hold, 93 to 99 %.
const ConcentrateGlycol = 0.99

// Strength is the volume fraction of glycol in the can and its standard uncertainty: as
// stated, or, for a concentrate that does not state one, the middle of what labels hold,
// with their ends at two standard uncertainties (EG 93 to 99 %, PG 92 to 96 %; common
// practice).
func (p Product) Strength() (glycol, sigma float64) {
	switch {
	case p.Form != Concentrate || p.Stated || p.Glycol > 0 && p.Glycol != ConcentrateGlycol || !p.Base.Known():
		return p.Glycol, 0
	case p.Base == PG:
		return labelPG.Value, labelPGBy.Value / 2
	}
	return labelEG.Value, (labelHigh.Value - labelLow.Value) / 4
}

// known reports whether the can states base and technology.
func (p Product) known() bool { return (p.Base.Known() || p.Base == NoWater) && p.Technology != "" }

func (p Product) waterless() bool { return p.Base == NoWater || p.Technology == string(Waterless) }

// Charge is what is inside a cooling system, or in a can. The zero Charge is
// empty. Masses are never negative.
type Charge struct {
	_ struct{} `cbor:",toarray"`

	Base   Base
	Glycol measure.Kilogram
	Water  measure.Kilogram
}

// Pour is a charge of volume v with volume fraction glycol of base b, measured
// as the finished mixture at 20 °C. It returns a [measure.RangeError] for a
// negative volume and a [StrengthError] for a fraction outside 0 to 1.
func Pour(b Base, v measure.Litre, glycol float64) (Charge, error) {
	if !(v >= 0) {
		return Charge{}, &measure.RangeError{What: "volume in L", Value: float64(v), Accepted: "0 or more"}
	}
	mass, err := MassFraction(b, glycol)
	if err != nil {
		return Charge{}, err
	}
	rho, err := Density(b, mass)
	if err != nil {
		return Charge{}, err
	}
	total := rho * float64(v)
	return Charge{Base: b, Glycol: measure.Kilogram(total * mass), Water: measure.Kilogram(total * (1 - mass))}, nil
}

// PourProduct is a charge of v litres straight from the can.
func PourProduct(p Product, v measure.Litre) (Charge, error) {
	if p.Form == Water {
		return PourWater(v)
	}
	glycol, _ := p.Strength()
	return Pour(p.Base, v, glycol)
}

// PourWater is a charge of v litres of purified water. Its base is empty: water
// mixes with either.
func PourWater(v measure.Litre) (Charge, error) {
	c, err := Pour(EG, v, 0)
	c.Base = ""
	return c, err
}

// Mix is v litres made of a share of concentrate, measured by volume before
// mixing, and water for the rest; share is 0 to 1. Mixing shrinks the volume a
// little, so the finished litres are topped with the same mixture to v.
func Mix(p Product, v measure.Litre, share float64) (Charge, error) {
	if !(share >= 0 && share <= 1) {
		return Charge{}, &measure.RangeError{What: "share of concentrate", Value: share, Accepted: "0 to 1"}
	}
	if !(v >= 0) {
		return Charge{}, &measure.RangeError{What: "volume in L", Value: float64(v), Accepted: "0 or more"}
	}
	conc, err := PourProduct(p, measure.Litre(share))
	if err != nil {
		return Charge{}, err
	}
	water, err := PourWater(measure.Litre(1 - share))
	if err != nil {
		return Charge{}, err
	}
	litre, err := conc.Add(water)
	if err != nil {
		return Charge{}, err
	}
	return litre.times(float64(v) / float64(litre.Volume())), nil
}

// MixedBaseError says that EG and PG were poured together, for which there is
// no table.
type MixedBaseError struct{ In, Added Base }

func (e *MixedBaseError) Error() string {
	return fmt.Sprintf("%s added to %s: no table gives what the mixture protects to", e.Added, e.In)
}

// Mass of the charge.
func (c Charge) Mass() measure.Kilogram { return c.Glycol + c.Water }

// MassFraction of glycol, 0 for an empty charge.
func (c Charge) MassFraction() float64 {
	if c.Mass() == 0 {
		return 0
	}
	return float64(c.Glycol / c.Mass())
}

// Volume of the charge at 20 °C.
func (c Charge) Volume() measure.Litre {
	rho := c.curve().density.Predict(c.MassFraction())
	return measure.Litre(float64(c.Mass()) / rho)
}

// VolumeFraction of glycol at 20 °C, 0 for an empty charge.
func (c Charge) VolumeFraction() float64 {
	v := c.Volume()
	if v == 0 {
		return 0
	}
	return float64(c.Glycol) / c.curve().density.Predict(1) / float64(v)
}

// FreezePoint of the charge; a [StrengthError] when it is stronger than the
// table of its base. Plain water freezes at 0 °C.
func (c Charge) FreezePoint() (measure.Celsius, error) {
	if c.Base == "" || c.Base.Known() && c.Glycol == 0 {
		return 0, nil
	}
	return FreezePoint(c.Base, c.MassFraction())
}

// Add is the charge with d poured in; mass is conserved. A [MixedBaseError]
// when both hold glycol of different bases.
func (c Charge) Add(d Charge) (Charge, error) {
	base := c.Base
	if c.Glycol == 0 {
		base = d.Base
		if base == "" {
			base = c.Base
		}
	} else if d.Glycol > 0 && d.Base != c.Base {
		return c, &MixedBaseError{In: c.Base, Added: d.Base}
	}
	return Charge{Base: base, Glycol: c.Glycol + d.Glycol, Water: c.Water + d.Water}, nil
}

// Remove removes v litres of the mixture and returns what is left; all of it when
// v is the whole volume or more, nothing for a negative v.
func (c Charge) Remove(v measure.Litre) Charge {
	have := c.Volume()
	switch {
	case !(v > 0):
		return c
	case v >= have:
		return Charge{Base: c.Base}
	}
	return c.times(1 - float64(v/have))
}

// WithMassFraction is the same volume at another strength.
func (c Charge) WithMassFraction(mass float64) Charge {
	rho := c.curve().density.Predict(mass)
	total := rho * float64(c.Volume())
	return Charge{Base: c.Base, Glycol: measure.Kilogram(total * mass), Water: measure.Kilogram(total * (1 - mass))}
}

func (c Charge) times(f float64) Charge {
	return Charge{Base: c.Base, Glycol: c.Glycol * measure.Kilogram(f), Water: c.Water * measure.Kilogram(f)}
}

// curve of the charge; water has the same at strength 0 for either base.
func (c Charge) curve() *curve {
	if k := curveOf(c.Base); k != nil {
		return k
	}
	return curveEG
}

// Is reports whether two are the same product of the register: by id where both have one, else
// by code.
func (p Product) Is(o Product) bool {
	if p.ID != 0 && o.ID != 0 {
		return p.ID == o.ID
	}
	return p.Code == o.Code
}
