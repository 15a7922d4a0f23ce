// Package measure holds the quantities of the workshop and the units people
// read them in.
//
// Every dimension has one metric unit in which the books compute: °C, kPa, L,
// km and h, with kg for masses. Each has a type of its own, so that litres
// cannot be handed over where degrees are meant. A [Reading] is what a person
// read off an instrument, in the unit it was read in; it is kept as it was
// read and converted when computed with, never the other way round.
//
// Conversion factors are exact by definition: the international mile, the US
// gallon of 231 cubic inches, the imperial gallon of 4.54609 L (UK Weights and
// Measures Act 1985), the pound-force of 4.4482216152605 N, and
// t/°F = 1.8·t/°C + 32.
package measure

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Celsius is a temperature in degrees Celsius.
type Celsius float64

// Kelvin is a temperature difference in kelvin.
type Kelvin float64

// Kilopascal is a pressure; whether it is absolute or over ambient is said
// where it is used.
type Kilopascal float64

// Litre is a volume at 20 °C unless said otherwise.
type Litre float64

// Kilogram is a mass.
type Kilogram float64

// Kilometre is a distance.
type Kilometre float64

// Hour is running time of an engine.
type Hour float64

// Dimension names which units can be converted into one another.
type Dimension string

// The dimensions of the workshop.
const (
	Temperature Dimension = "temperature"
	Volume      Dimension = "volume"
	Distance    Dimension = "distance"
	EngineTime  Dimension = "engine time"
	Pressure    Dimension = "pressure"
	Altitude    Dimension = "altitude"
	Share       Dimension = "share" // of a whole, in per cent
	Voltage     Dimension = "voltage"
	Plain       Dimension = "number" // without a unit, such as pH
	Length      Dimension = "length"
	Torque      Dimension = "torque"
	Sugar       Dimension = "degrees Brix" // of a refractometer without a coolant scale
	Density     Dimension = "relative density"
	Count       Dimension = "count"
)

// Of a freeze test: what an instrument's scale may be in.
const (
	Brix     Unit = "brix"
	Relative Unit = "sg" // density against water at 20 °C
	Discs    Unit = "discs"
)

// Of levels and drain bolts.
const (
	Millimetre  Unit = "mm"
	NewtonMetre Unit = "Nm"
	FootPound   Unit = "lbf_ft"
	InchPound   Unit = "lbf_in"
)

// Unit is a unit in which something can be read. Its text is the code used in
// stored readings and in the API.
type Unit string

// The units, grouped by dimension; the first of each group is the metric one
// in which the books compute.
const (
	DegC Unit = "degC"
	DegF Unit = "degF"

	L      Unit = "L"
	ML     Unit = "mL"
	USQt   Unit = "qt_us"
	USGal  Unit = "gal_us"
	ImpQt  Unit = "qt_imp"
	ImpGal Unit = "gal_imp"

	Km Unit = "km"
	Mi Unit = "mi"

	H Unit = "h"

	KPa Unit = "kPa"
	Psi Unit = "psi"
	Bar Unit = "bar"

	Metre Unit = "m"
	Foot  Unit = "ft"

	Percent Unit = "percent"

	Volt Unit = "V"

	One Unit = "one"
)

// scale says how a unit becomes the metric one: metric = (value − offset)·factor.
type scale struct {
	dimension Dimension
	symbol    string
	factor    float64
	offset    float64
}

const (
	litresPerUSGallon       = 231 * 0.0254 * 0.0254 * 0.0254 * 1000
	litresPerImperialGallon = 4.54609
	// KilometresPerMile is exact by the international agreement of 1959.
	KilometresPerMile = 1.609344

	kilopascalsPerPsi      = 4.4482216152605 / (0.0254 * 0.0254) / 1000
	newtonMetresPerInchLbf = 4.4482216152605 * 0.0254
)

var scales = map[Unit]scale{
	DegC:   {Temperature, "°C", 1, 0},
	DegF:   {Temperature, "°F", 1 / 1.8, 32},
	L:      {Volume, "L", 1, 0},
	ML:     {Volume, "mL", 0.001, 0},
	USQt:   {Volume, "US qt", litresPerUSGallon / 4, 0},
	USGal:  {Volume, "US gal", litresPerUSGallon, 0},
	ImpQt:  {Volume, "imp qt", litresPerImperialGallon / 4, 0},
	ImpGal: {Volume, "imp gal", litresPerImperialGallon, 0},
	Km:     {Distance, "km", 1, 0},
	Mi:     {Distance, "mi", KilometresPerMile, 0},
	H:      {EngineTime, "h", 1, 0},
	KPa:    {Pressure, "kPa", 1, 0},
	Psi:    {Pressure, "psi", kilopascalsPerPsi, 0},
	Bar:    {Pressure, "bar", 100, 0},

	Metre:   {Altitude, "m", 1, 0},
	Foot:    {Altitude, "ft", 0.3048, 0},
	Percent: {Share, "%", 1, 0},
	Volt:    {Voltage, "V", 1, 0},
	One:     {Plain, "", 1, 0},

	Millimetre:  {Length, "mm", 1, 0},
	NewtonMetre: {Torque, "N·m", 1, 0},
	FootPound:   {Torque, "lbf·ft", 12 * newtonMetresPerInchLbf, 0},
	InchPound:   {Torque, "lbf·in", newtonMetresPerInchLbf, 0},
	Brix:        {Sugar, "°Bx", 1, 0},
	Relative:    {Density, "rel. density", 1, 0},
	Discs:       {Count, "discs", 1, 0},
}

// Units lists the units of a dimension, the metric one first.
func Units(d Dimension) []Unit {
	switch d {
	case Temperature:
		return []Unit{DegC, DegF}
	case Volume:
		return []Unit{L, ML, USQt, USGal, ImpQt, ImpGal}
	case Distance:
		return []Unit{Km, Mi}
	case EngineTime:
		return []Unit{H}
	case Pressure:
		return []Unit{KPa, Psi, Bar}
	case Altitude:
		return []Unit{Metre, Foot}
	case Share:
		return []Unit{Percent}
	case Voltage:
		return []Unit{Volt}
	case Plain:
		return []Unit{One}
	case Length:
		return []Unit{Millimetre}
	case Torque:
		return []Unit{NewtonMetre, FootPound, InchPound}
	case Sugar:
		return []Unit{Brix}
	case Density:
		return []Unit{Relative}
	case Count:
		return []Unit{Discs}
	}
	return nil
}

// Dimension of the unit, empty for an unknown one.
func (u Unit) Dimension() Dimension { return scales[u].dimension }

// Symbol is how the unit is written for people, such as "US qt".
func (u Unit) Symbol() string { return scales[u].symbol }

// Reading is a value as it was read, in the unit it was read in.
type Reading struct {
	Value float64 `json:"value"`
	Unit  Unit    `json:"unit"`
}

// String writes the reading as a person would, such as "-34 °F".
func (r Reading) String() string { return Digits(r.Value) + " " + r.Unit.Symbol() }

// Digits of a number as a person types it, without an exponent unless it is of no
// size that anything in a workshop has.
func Digits(v float64) string {
	if math.Abs(v) >= 1e15 {
		return strconv.FormatFloat(v, 'g', -1, 64)
	}
	return strconv.FormatFloat(v, 'f', -1, 64)
}

// Grouped is [Digits] with the thousands set apart: 1,000,000 and −12,345.5.
func Grouped(v float64) string {
	digits := Digits(v)
	whole, fraction, point := strings.Cut(digits, ".")
	for i := len(whole) - 3; i > 0 && whole[i-1] != '-'; i -= 3 {
		whole = whole[:i] + "," + whole[i:]
	}
	if point {
		return whole + "." + fraction
	}
	return whole
}

// UnitError says that a reading carries a unit of the wrong kind.
type UnitError struct {
	Got  Unit
	Want Dimension
}

func (e *UnitError) Error() string {
	accepted := ""
	for i, u := range Units(e.Want) {
		if i > 0 {
			accepted += ", "
		}
		accepted += string(u)
	}
	return fmt.Sprintf("unit %q is not one of %s; accepted: %s", string(e.Got), e.Want, accepted)
}

// RangeError says that a value cannot be what was meant.
type RangeError struct {
	What     string
	Value    float64
	Accepted string
}

func (e *RangeError) Error() string {
	return fmt.Sprintf("%s %s is not accepted; accepted: %s", e.What, Digits(e.Value), e.Accepted)
}

// Metric converts the reading to the metric unit of dimension d. It returns a
// [UnitError] when the unit is of another dimension and a [RangeError] when
// the value is not a finite number.
func (r Reading) Metric(d Dimension) (float64, error) {
	s, ok := scales[r.Unit]
	if !ok || s.dimension != d {
		return 0, &UnitError{Got: r.Unit, Want: d}
	}
	if math.IsNaN(r.Value) || math.IsInf(r.Value, 0) {
		return 0, &RangeError{What: string(d), Value: r.Value, Accepted: "a finite number"}
	}
	return (r.Value - s.offset) * s.factor, nil
}

// FromDifference expresses a difference of temperatures, K, in degrees of a unit: °F for [DegF], else K.
func FromDifference(kelvin float64, u Unit) float64 {
	if u == DegF {
		return 1.8 * kelvin
	}
	return kelvin
}

// ToDifference is the inverse of [FromDifference].
func ToDifference(v float64, u Unit) float64 {
	if u == DegF {
		return v / 1.8
	}
	return v
}

// FromMetric expresses a metric value in unit u. An unknown unit gives NaN.
func FromMetric(metric float64, u Unit) float64 {
	s, ok := scales[u]
	if !ok {
		return math.NaN()
	}
	return metric/s.factor + s.offset
}
