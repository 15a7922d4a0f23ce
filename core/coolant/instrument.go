package coolant

import (
	"math"

	"gonum.org/v1/gonum/interp"

	"diligentledger/core/measure"
)

// Flag says why a reading is not to be taken as it is.
type Flag string

// The flags.
const (
	FlagWrongScale  Flag = "wrong_scale"         // read on the scale of the other glycol
	FlagBaseUnknown Flag = "base_unknown"        // which scale would be right is not known
	FlagHydroPG     Flag = "density_on_pg"       // hydrometer or discs on PG: its density says next to nothing
	FlagHot         Flag = "sample_temperature"  // outside the temperature compensation of the instrument
	FlagZeroOff     Flag = "zero_off"            // reads off zero on purified water; made up for
	FlagZeroFar     Flag = "zero_far_off"        // so far off that it must be zeroed first
	FlagZeroOld     Flag = "zero_old"            // zero check older than a month
	FlagZeroUnknown Flag = "zero_never_checked"  // no zero check is recorded
	FlagExpired     Flag = "strip_expired"       // past the date on the bottle
	FlagLate        Flag = "strip_read_too_late" // not read within the time on the bottle
	FlagBeyond      Flag = "beyond_table"        // colder or denser than any row
	FlagWatered     Flag = "water_in_waterless"  // more water in a waterless coolant than its maker allows
	FlagNoFigure    Flag = "no_freeze_stated"    // a waterless coolant whose product states no freeze point
	FlagWaterless   Flag = "scale_on_waterless"  // a glycol scale on a waterless coolant: it shows water, not protection
	FlagTooStrong   Flag = "too_strong"          // beyond the strong end of the scale: dilute and test again
)

// Reading of an instrument, as a freeze point. Low and High enclose it: 95 %
// of the time for a refractometer and a hydrometer, by the step for the others.
type Reading struct {
	Freeze    measure.Celsius // what the coolant freezes at, as far as it is known
	Low, High measure.Celsius // coldest and warmest it may be
	// Shown is what the instrument shows, when that is not what is inside.
	Shown *measure.Celsius
	// Refused: not to be written as a freeze test; Freeze is then a hint at
	// most, or means nothing when NoHint.
	Refused, NotUsable bool
	Flags              []Flag
}

func (r *Reading) flag(f Flag, refuse bool) {
	r.Flags, r.Refused = append(r.Flags, f), r.Refused || refuse
}

// Refractive indices at 20 °C for the sodium line: CRC Handbook, aqueous
// solutions, and for sucrose the ICUMSA scale of degrees Brix; recalled from
// memory, good to 0.0008.
var (
	indexEG   = fitted([]row{{0, 1.3330}, {.1, 1.3425}, {.2, 1.3525}, {.3, 1.3627}, {.4, 1.3731}, {.5, 1.3834}, {.6, 1.3934}, {.7, 1.4032}, {1, 1.4318}})
	indexPG   = fitted([]row{{0, 1.3330}, {.1, 1.3440}, {.2, 1.3555}, {.3, 1.3670}, {.4, 1.3782}, {.5, 1.3885}, {.6, 1.3979}, {1, 1.4324}})
	indexBrix = fitted([]row{{0, 1.3330}, {.05, 1.3403}, {.10, 1.3479}, {.15, 1.3557}, {.20, 1.3639}, {.25, 1.3723}, {.30, 1.3811}, {.35, 1.3902}, {.40, 1.3997}, {.45, 1.4096}, {.50, 1.4200}})
)

func indexOf(b Base) *interp.FritschButland {
	if b == PG {
		return indexPG
	}
	return indexEG
}

// ScaleKind is what the lines of a refractometer measure.
type ScaleKind string

// The scales.
const (
	ScaleFreeze  ScaleKind = "freeze"  // freeze point in °C
	ScalePercent ScaleKind = "percent" // per cent of glycol by volume
	ScaleBrix    ScaleKind = "brix"    // sugar-like degrees, the same for both glycols
)

// Refractometer reading. Pointers are nil when no one wrote it down.
type Refractometer struct {
	Kind   ScaleKind
	Scale  Base    // of the line that was read; ignored for Brix
	Inside Base    // the glycol in the system; empty when unknown
	Value  float64 // °C, % by volume or °Bx
	// Sample temperature; 20 °C is taken when nil.
	Sample *measure.Celsius
	// Compensated instruments make up for 10 to 30 °C (common practice).
	Compensated bool
	// Zero is what it read on purified water, in the unit of Value.
	Zero *float64
	// ZeroDays since that check.
	ZeroDays *float64
}

// Uncertainties and limits (common practice).
const (
	sigmaLine  = 0.7 // K, of a freeze line
	sigmaZero  = 1.0 // K, added in quadrature when the zero is old or unknown
	sigmaOther = 1.5 // K, added when the other glycol's scale is made up for
	zeroSlight = 0.3 // of the scale's unit: made up for without a word below
	zeroFar    = 2.0 // of the scale's unit: must be zeroed first
	// ZeroMonth is how many days a zero check is valid.
	ZeroMonth    = 31
	compLow      = 10
	compHigh     = 30
	plainLow     = 18
	plainHigh    = 22
	waterIndex   = 1.3330
	densityScale = .002 // kg/L, one standard uncertainty of a hydrometer
)

// Read turns the reading into a freeze point. It returns a [measure.RangeError]
// or a [StrengthError] when no instrument shows such a value.
func (m Refractometer) Read() (Reading, error) {
	n, err := m.index(m.Value)
	if err != nil {
		// No scale of an instrument goes further than −60 °C, 100 % or 85 °Bx.
		if m.Kind == ScaleBrix && m.Value > 0 && m.Value <= MostBrix {
			return tooStrong(), nil
		}
		if m.Scale.Known() && (m.Kind == ScaleFreeze && m.Value < 0 && m.Value >= -60 || m.Kind == ScalePercent && m.Value > 0 && m.Value <= 100) {
			return tooStrong(), nil
		}
		return Reading{}, err
	}
	var r Reading
	sigma := sigmaLine
	if m.Zero != nil {
		off := math.Abs(*m.Zero)
		if off > zeroFar {
			r.flag(FlagZeroFar, true)
		} else if off > zeroSlight {
			r.flag(FlagZeroOff, false)
		}
		// The scale runs the same way on both sides of its zero.
		zero, err := m.index(-math.Abs(*m.Zero))
		if m.Kind != ScaleFreeze {
			zero, err = m.index(off)
		}
		if err != nil {
			return Reading{}, err
		}
		shift := zero - waterIndex
		if (*m.Zero > 0) == (m.Kind == ScaleFreeze) {
			shift = -shift // read on the far side of the line: the index is too low
		}
		n -= shift
	}
	switch {
	case m.ZeroDays == nil:
		r.flag(FlagZeroUnknown, false)
		sigma = math.Hypot(sigma, sigmaZero)
	case *m.ZeroDays > ZeroMonth:
		r.flag(FlagZeroOld, false)
		sigma = math.Hypot(sigma, sigmaZero)
	}
	if t := m.Sample; t != nil {
		low, high := measure.Celsius(plainLow), measure.Celsius(plainHigh)
		if m.Compensated {
			low, high = compLow, compHigh
		}
		if *t < low || *t > high {
			r.flag(FlagHot, true)
		}
	}
	inside := m.Inside
	if !inside.Known() {
		inside = m.Scale
		r.flag(FlagBaseUnknown, true)
	}
	if m.Kind != ScaleBrix && m.Inside.Known() && m.Inside != m.Scale {
		shown, err := freezeAt(m.Scale, n)
		if err != nil {
			return Reading{}, err
		}
		r.Shown = &shown
		r.flag(FlagWrongScale, true)
		sigma = math.Hypot(sigma, sigmaOther)
	}
	if r.Freeze, err = freezeAt(inside, n); err != nil {
		r.NotUsable = true
		r.flag(FlagTooStrong, true)
		return r, nil
	}
	r.Low, r.High = r.Freeze-measure.Celsius(2*sigma), min(0, r.Freeze+measure.Celsius(2*sigma))
	return r, nil
}

// MostBrix that a hand-held refractometer shows, °Bx: the end of the scales that are made for syrup (common practice,
// from memory).
const MostBrix = 85

// tooStrong is a reading beyond the strong end of the scale: more glycol than the
// eutectic, which protects less again. By how much is not known.
func tooStrong() Reading {
	return Reading{Refused: true, NotUsable: true, Flags: []Flag{FlagTooStrong}}
}

// index of refraction at the scale's line v.
func (m Refractometer) index(v float64) (float64, error) {
	switch m.Kind {
	case ScaleFreeze:
		mass, err := MassFor(m.Scale, measure.Celsius(v))
		if err != nil {
			return 0, err
		}
		return indexOf(m.Scale).Predict(mass), nil
	case ScalePercent:
		mass, err := MassFraction(m.Scale, v/100)
		if err != nil {
			return 0, err
		}
		return indexOf(m.Scale).Predict(mass), nil
	case ScaleBrix:
		if !(v >= 0 && v <= 50) {
			return 0, &measure.RangeError{What: "°Bx", Value: v, Accepted: "0 to 50"}
		}
		return indexBrix.Predict(v / 100), nil
	}
	return 0, &measure.RangeError{What: "scale", Value: 0, Accepted: "freeze, percent, brix"}
}

// freezeAt is the freeze point of base at refractive index n.
func freezeAt(b Base, n float64) (measure.Celsius, error) {
	eutectic, _, err := Eutectic(b)
	if err != nil {
		return 0, err
	}
	curve := indexOf(b)
	if n <= waterIndex {
		return 0, nil
	}
	if n > curve.Predict(eutectic)+1e-9 {
		return 0, &StrengthError{Base: b, Mass: 1, Max: eutectic}
	}
	mass := root(0, eutectic, func(x float64) float64 { return curve.Predict(x) - n })
	return FreezePoint(b, math.Min(mass, eutectic))
}

// slopeEG is how much the density of an EG mixture falls for each kelvin above
// 20 °C, kg/L: handbook density tables, recalled from memory.
var slopeEG = fitted([]row{{0, .00035}, {.3, .00045}, {.5, .00054}, {.7, .00061}, {1, .00070}})

// Hydrometer reading on a mixture of EG.
type Hydrometer struct {
	Relative float64         // density against water at 20 °C
	Sample   measure.Celsius // temperature of the sample
	Inside   Base            // the glycol in the system; empty when unknown
	// Density of the product inside, relative to water, as it is in the can, and the
	// volume fraction of glycol in it; 0 when the product does not state it.
	Density, Glycol float64
}

// Read turns the reading into a freeze point, by the density of the product diluted with
// water: the volumes' masses over their sum less what mixing shrinks. A product that does
// not state its density lies between concentrate_density_low and _high, so that the
// reading is a bracket: its warm end is Freeze. PG is refused: its density hardly rises
// with its strength and then falls again. A [measure.RangeError] when the density is not
// 0.98 to 1.12 or the sample not −10 to 100 °C.
func (h Hydrometer) Read() (Reading, error) {
	if !(h.Relative >= 0.98 && h.Relative <= 1.12) {
		return Reading{}, &measure.RangeError{What: "relative density", Value: h.Relative, Accepted: "0.98 to 1.12"}
	}
	if !(h.Sample >= -10 && h.Sample <= 100) {
		return Reading{}, &measure.RangeError{What: "sample temperature in °C", Value: float64(h.Sample), Accepted: "-10 to 100"}
	}
	if h.Inside == PG || h.Inside == NoWater {
		return Reading{Refused: true, NotUsable: true, Flags: []Flag{FlagHydroPG}}, nil
	}
	var r Reading
	if h.Inside != EG {
		r.flag(FlagBaseUnknown, true)
	}
	const doubt = 2 * densityScale
	var strong bool
	if h.Density > 1 && h.Glycol > 0 {
		r.Freeze, strong = h.freeze(h.Relative, h.Density, h.Glycol)
		r.Low, _ = h.freeze(h.Relative+doubt, h.Density, h.Glycol)
		r.High, _ = h.freeze(h.Relative-doubt, h.Density, h.Glycol)
	} else {
		// The densest concentrate is the one with the most inhibitors and the least glycol.
		r.High, _ = h.freeze(h.Relative-doubt, densityHigh.Value, labelLow.Value)
		r.Low, _ = h.freeze(h.Relative+doubt, densityLow.Value, labelHigh.Value)
		r.Freeze = r.High
		// What may be beyond the eutectic may protect less than the warm end.
		_, strong = h.freeze(h.Relative, densityLow.Value, labelHigh.Value)
	}
	if strong {
		r.NotUsable = true
		r.flag(FlagTooStrong, true)
	}
	return r, nil
}

// freeze point of the product of this density and glycol, diluted until it reads
// relative; strong when even the eutectic reads less.
func (h Hydrometer) freeze(relative, density, glycol float64) (t measure.Celsius, strong bool) {
	mass := func(share float64) float64 {
		c, _ := diluted(share, glycol) // shares are 0 to 1
		return c.MassFraction()
	}
	off := func(share float64) float64 {
		c, contracted := diluted(share, glycol)
		at20 := (share*density + 1 - share) / contracted
		return at20 - slopeEG.Predict(c.MassFraction())*float64(h.Sample-20)/curveEG.density.Predict(0) - relative
	}
	most := 1.0
	if mass(1) > curveEG.eutectic {
		most = root(0, 1, func(share float64) float64 { return mass(share) - curveEG.eutectic })
	}
	switch {
	case off(0) >= 0:
		return 0, false
	case off(most) <= 0:
		return measure.Celsius(curveEG.freeze.Predict(mass(most))), true
	}
	return measure.Celsius(curveEG.freeze.Predict(mass(root(0, most, off)))), false
}

// diluted is a share of a product that holds glycol by volume, in water, and the litres
// that one litre measured before mixing becomes.
func diluted(share, glycol float64) (Charge, float64) {
	c, err := Pour(EG, measure.Litre(share), glycol)
	water, err2 := PourWater(measure.Litre(1 - share))
	if err != nil || err2 != nil {
		return Charge{}, 1
	}
	sum := Charge{Base: EG, Glycol: c.Glycol, Water: c.Water + water.Water}
	return sum, float64(sum.Volume())
}

// ReadWaterless turns the share of water by volume that a refractometer shows in a
// waterless coolant into a reading: what its product protects to while there is no more
// than [WaterlessWater] in it. It is refused above that, and when the product states no
// freeze point. A [measure.RangeError] when the share is not 0 to 1.
func ReadWaterless(water float64, freeze *measure.Celsius, over ...Figures) (Reading, error) {
	if !(water >= 0 && water <= 1) {
		return Reading{}, &measure.RangeError{What: "water in %", Value: 100 * water, Accepted: "0 to 100"}
	}
	if freeze == nil {
		return Reading{Refused: true, NotUsable: true, Flags: []Flag{FlagNoFigure}}, nil
	}
	r := Reading{Freeze: *freeze, Low: *freeze, High: *freeze}
	if water > WaterlessWater.In(over...) {
		r.NotUsable = true
		r.flag(FlagWatered, true)
	}
	return r, nil
}

// ReadDiscs turns the number of floating discs into a bracket by the tester's
// own chart: chart[0] is what one floating disc protects to. Freeze is the warm
// end of the step, which is all that is sure. Discs float by density and are made
// for EG: on PG they are refused like a hydrometer. A [measure.RangeError] for a count
// the tester does not have or a chart that does not fall.
func ReadDiscs(chart []measure.Celsius, floating int, inside Base) (Reading, error) {
	for i, t := range chart {
		if !(t < 0 && t > -80) || i > 0 && t >= chart[i-1] {
			return Reading{}, &measure.RangeError{What: "chart step in °C", Value: float64(t), Accepted: "each below 0 and below the one before"}
		}
	}
	if floating < 0 || floating > len(chart) || len(chart) == 0 {
		return Reading{}, &measure.RangeError{What: "floating discs", Value: float64(floating), Accepted: "0 up to the discs on the chart"}
	}
	if inside == PG {
		return Reading{Refused: true, NotUsable: true, Flags: []Flag{FlagHydroPG}}, nil
	}
	r := Reading{}
	if inside != EG {
		r.flag(FlagBaseUnknown, true)
	}
	if floating > 0 {
		r.High = chart[floating-1]
	}
	r.Freeze, r.Low = r.High, r.High
	if floating < len(chart) {
		r.Low = chart[floating]
	} else {
		_, r.Low, _ = Eutectic(EG) // EG is known
	}
	return r, nil
}

// ReadStrip turns the band of a test strip into a bracket. An expired strip, or
// one read too late, is refused. A [measure.RangeError] when the band is not a
// band below 0 °C.
func ReadStrip(warm, cold measure.Celsius, expired, late bool) (Reading, error) {
	if !(warm <= 0 && cold <= warm && cold > -80) {
		return Reading{}, &measure.RangeError{What: "band in °C", Value: float64(cold), Accepted: "two temperatures from 0 down, the warmer first"}
	}
	r := Reading{Freeze: warm, Low: cold, High: warm}
	if expired {
		r.flag(FlagExpired, true)
	}
	if late {
		r.flag(FlagLate, true)
	}
	return r, nil
}

// TypedFreezePoint is a freeze point as it was meant: one that was typed without its minus. No
// mixture of glycol and water freezes above the 0 °C of water, so that a figure above it, in °C or
// in °F, is one below; true when it was. Any other unit is left as it is.
func TypedFreezePoint(r measure.Reading) (measure.Reading, bool) {
	if (r.Unit == measure.DegC && r.Value > 0) || (r.Unit == measure.DegF && r.Value > 32) {
		r.Value = -r.Value
		return r, true
	}
	return r, false
}
