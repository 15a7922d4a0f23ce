package coolant

import (
	"math"

	"gonum.org/v1/gonum/interp"

	"diligentledger/core/measure"
)

// Elevation of the boiling point over water's, in K: the boiling columns of the
// ASHRAE Handbook Fundamentals tables (EG at 100.7 kPa, PG at 1 atm) less that of
// water in the same column, recalled from memory. It is taken as the same at
// every pressure, which is good to a degree up to 300 kPa. Pure EG: CRC Handbook.
var elevationEG = []row{
	{0, 0}, {.05, .6}, {.10, 1.1}, {.15, 1.7}, {.20, 2.2}, {.25, 3.3}, {.30, 4.4}, {.35, 5.0}, {.40, 5.6}, {.45, 6.7},
	{.50, 7.2}, {.55, 8.3}, {.60, 10.0}, {.65, 12.8}, {.70, 16.7}, {.75, 20.0}, {.80, 23.9}, {.85, 33.9}, {.90, 40.6}, {.95, 58.3}, {1, 97.3},
}

var elevationPG = []row{{0, 0}, {.20, .6}, {.30, 2.2}, {.40, 3.9}, {.50, 5.6}, {.60, 7.2}}

var boilEG, boilPG = fitted(elevationEG), fitted(elevationPG)

func fitted(rows []row) *interp.FritschButland {
	var f interp.FritschButland
	fit(&f, rows)
	return &f
}

// SaturationTemperature of water at absolute pressure p, by IAPWS-IF97 region 4
// (backward equation, IAPWS R7-97(2012) eq. 31). The range is that of the
// equation, 0.6112 kPa to 22,064 kPa; outside it returns a
// [measure.RangeError].
func SaturationTemperature(p measure.Kilopascal) (measure.Celsius, error) {
	if !(p >= 0.611213 && p <= 22064) {
		return 0, &measure.RangeError{What: "absolute pressure in kPa", Value: float64(p), Accepted: "0.6112 to 22064"}
	}
	n := [11]float64{0, 0.11670521452767e4, -0.72421316703206e6, -0.17073846940092e2, 0.12020824702470e5, -0.32325550322333e7,
		0.14915108613530e2, -0.48232657361591e4, 0.40511340542057e6, -0.23855557567849, 0.65017534844798e3}
	beta := math.Sqrt(math.Sqrt(float64(p) / 1000))
	e := beta*beta + n[3]*beta + n[6]
	f := n[1]*beta*beta + n[4]*beta + n[7]
	g := n[2]*beta*beta + n[5]*beta + n[8]
	d := 2 * g / (-f - math.Sqrt(f*f-4*e*g))
	kelvin := (n[10] + d - math.Sqrt((n[10]+d)*(n[10]+d)-4*(n[9]+n[10]*d))) / 2
	return measure.Celsius(kelvin - 273.15), nil
}

// AmbientPressure at altitude h in metres, by the ICAO standard atmosphere
// (Doc 7488) of the troposphere: −1,000 to 11,000 m, else a
// [measure.RangeError].
func AmbientPressure(h float64) (measure.Kilopascal, error) {
	if !(h >= -1000 && h <= 11000) {
		return 0, &measure.RangeError{What: "altitude in m", Value: h, Accepted: "-1000 to 11000"}
	}
	return measure.Kilopascal(101.325 * math.Pow(1-0.0065*h/288.15, 5.255876)), nil
}

// BoilOver is the temperature at which a mixture of mass fraction mass boils at
// altitude h in metres under a cap that opens at gauge pressure cap (0 for an
// open system). It returns a [StrengthError] or a [measure.RangeError].
func BoilOver(b Base, mass float64, cap measure.Kilopascal, h float64) (measure.Celsius, error) {
	elevation, limit := boilEG, 1.0
	if b == PG {
		elevation, limit = boilPG, .60
	}
	if !b.Known() || !(mass >= 0 && mass <= limit) {
		return 0, &StrengthError{Base: b, Mass: mass, Max: limit}
	}
	if !(cap >= 0 && cap <= 300) {
		return 0, &measure.RangeError{What: "cap pressure in kPa", Value: float64(cap), Accepted: "0 to 300, over ambient"}
	}
	ambient, err := AmbientPressure(h)
	if err != nil {
		return 0, err
	}
	water, err := SaturationTemperature(ambient + cap)
	if err != nil {
		return 0, err
	}
	return water + measure.Celsius(elevation.Predict(mass)), nil
}

// CapVerdict on a pressure cap that was tested.
type CapVerdict string

// The verdicts on a cap.
const (
	CapSound    CapVerdict = "cap_sound"
	CapWeak     CapVerdict = "cap_weak"     // opens too soon: boils sooner
	CapWorn     CapVerdict = "cap_worn"     // a used one below what a new one opens at: serves
	CapStuck    CapVerdict = "cap_stuck"    // opens too late: hoses and core carry it
	CapVacuum   CapVerdict = "cap_vacuum"   // the vacuum valve does not open: hoses collapse, nothing is drawn back
	CapNoVacuum CapVerdict = "vacuum_leaks" // opens by itself: the bottle is never drawn back
	CapUnseated CapVerdict = "cap_unseated" // not seated
	CapUntested CapVerdict = "cap_untested" // the opening pressure is not known
	CapHalf     CapVerdict = "vacuum_untested"
	CapBadSeal  CapVerdict = "cap_seal" // dried, cracked or hardened
)

// CapTest is what was found of a cap; nil pointers were not tested.
type CapTest struct {
	Rated    measure.Kilopascal
	Opened   *measure.Kilopascal // gauge pressure at which it opened
	Vacuum   *measure.Kilopascal // below ambient, at which the vacuum valve opened
	Opens    bool                // vacuum valve opened, pressure not measured
	Stuck    bool                // vacuum valve does not move
	Unseated bool                // found not seated
	BadSeal  bool
	New      bool // it was fitted new
	// Over are the figures of the unit's maker.
	Over []Figures
}

// CheckCap judges a cap and gives the gauge pressure to rely on: what it
// opened at if that is less than its rating, nothing when it does not seal. The
// verdicts come worst first; [CapSound] and [CapWorn] only when both valves were tested and
// nothing is wrong. A used cap serves down to a lower pressure than a new one opens at.
func CheckCap(t CapTest) (verdicts []CapVerdict, effective measure.Kilopascal) {
	effective = t.Rated
	worn := false
	if t.Unseated {
		verdicts, effective = append(verdicts, CapUnseated), 0
	}
	if t.BadSeal {
		verdicts, effective = append(verdicts, CapBadSeal), 0
	}
	if t.Opened != nil && !math.IsNaN(float64(*t.Opened)) {
		effective = min(effective, *t.Opened)
		ratio := float64(*t.Opened / t.Rated)
		low := capUsedLow.In(t.Over...)
		if t.New {
			low = capNewLow.In(t.Over...)
		}
		switch {
		case !(ratio >= low):
			verdicts = append(verdicts, CapWeak)
		case ratio > capHigh.In(t.Over...):
			verdicts = append(verdicts, CapStuck)
		default:
			worn = ratio < capNewLow.In(t.Over...)
		}
	}
	switch {
	case t.Stuck || t.Vacuum != nil && float64(*t.Vacuum) > vacuumMost.In(t.Over...):
		verdicts = append(verdicts, CapVacuum)
	case t.Vacuum != nil && float64(*t.Vacuum) < vacuumLeast.In(t.Over...):
		verdicts = append(verdicts, CapNoVacuum)
	}
	switch {
	case len(verdicts) > 0:
	case t.Opened == nil || math.IsNaN(float64(*t.Opened)):
		verdicts = []CapVerdict{CapUntested}
	case t.Vacuum == nil && !t.Opens:
		verdicts = []CapVerdict{CapHalf}
	case worn:
		verdicts = []CapVerdict{CapWorn}
	default:
		verdicts = []CapVerdict{CapSound}
	}
	return verdicts, effective
}
