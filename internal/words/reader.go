package words

import (
	"math"
	"strconv"
	"strings"
	"time"

	"diligentledger/core/measure"
)

// DateStyle is how a reader writes dates.
type DateStyle string

// The styles, by 26 November 2026.
const (
	DayMonthYear DateStyle = "dmy" // 26 Nov 2026
	YearMonthDay DateStyle = "ymd" // 2026-11-26
	MonthDayYear DateStyle = "mdy" // 11/26/2026
)

// Reader is who reads a sentence: the units and the dates that they chose. A reading that
// a person wrote stays in the unit it was read in.
type Reader struct {
	Temperature measure.Unit // degC or degF
	Volume      measure.Unit // L, qt_us or qt_imp
	Pressure    measure.Unit // kPa, psi or bar
	Distance    measure.Unit // km or mi
	Dates       DateStyle
	Numbers     measure.NumberFormat // how they type numbers; those that they read have a point before decimals
}

// Metric is the reader that has chosen nothing.
var Metric = Reader{measure.DegC, measure.L, measure.KPa, measure.Km, DayMonthYear, measure.EitherMark}

// Choices that a reader has, by setting, the default first.
var Choices = struct {
	Temperature, Volume, Pressure, Distance []measure.Unit
	Dates                                   []DateStyle
	Numbers                                 []measure.NumberFormat
}{
	[]measure.Unit{measure.DegC, measure.DegF}, []measure.Unit{measure.L, measure.USQt, measure.ImpQt},
	[]measure.Unit{measure.KPa, measure.Psi, measure.Bar}, []measure.Unit{measure.Km, measure.Mi},
	[]DateStyle{DayMonthYear, YearMonthDay, MonthDayYear},
	[]measure.NumberFormat{measure.EitherMark, measure.PointDecimals, measure.CommaDecimals},
}

// nbsp is between a number and its unit.
const nbsp = "\u00a0"

// Figure is a number with a true minus sign and grouped thousands; no minus before a zero.
func Figure(v float64, digits int) string {
	text := strconv.FormatFloat(math.Abs(v), 'f', digits, 64)
	whole, fraction, _ := strings.Cut(text, ".")
	for at := len(whole) - 3; at > 0; at -= 3 {
		whole = whole[:at] + "," + whole[at:]
	}
	if fraction != "" {
		whole += "." + fraction
	}
	if v < 0 && strings.ContainsAny(whole, "123456789") {
		return "−" + whole
	}
	return whole
}

func with(text string, u measure.Unit) string { return text + nbsp + u.Symbol() }

// Celsius is a temperature given in °C.
func (r Reader) Celsius(t measure.Celsius, digits int) string {
	return with(Figure(measure.FromMetric(float64(t), r.Temperature), digits), r.Temperature)
}

// Kelvin is a difference of temperatures given in K.
func (r Reader) Kelvin(d float64, digits int) string {
	if r.Temperature == measure.DegF {
		return with(Figure(1.8*d, digits), measure.DegF)
	}
	return Figure(d, digits) + nbsp + "K"
}

// Litres is a volume given in L.
func (r Reader) Litres(v float64, digits int) string {
	return with(Figure(measure.FromMetric(v, r.Volume), digits), r.Volume)
}

// Kilopascals is a pressure given in kPa.
func (r Reader) Kilopascals(v float64) string {
	digits := map[measure.Unit]int{measure.Psi: 1, measure.Bar: 2}[r.Pressure]
	return with(Figure(measure.FromMetric(v, r.Pressure), digits), r.Pressure)
}

// Meter is a figure of a meter of km or h, or of a rate of it.
func (r Reader) Meter(v float64, u measure.Unit, digits int) string {
	if u == measure.Km {
		v, u = measure.FromMetric(v, r.Distance), r.Distance
	}
	return with(Figure(v, digits), u)
}

// Reading is a reading as it was read: no digit added, none taken away.
func Reading(r measure.Reading) string {
	digits := 0
	if _, fraction, ok := strings.Cut(measure.Digits(r.Value), "."); ok {
		digits = len(fraction)
	}
	return with(Figure(r.Value, digits), r.Unit)
}

var layouts = map[DateStyle]string{DayMonthYear: "2 Jan 2006", YearMonthDay: time.DateOnly, MonthDayYear: "01/02/2006"}

// Date of a day.
func (r Reader) Date(d measure.Date) string { return d.Format(layouts[r.Dates]) }

// Weekday and date of a day.
func (r Reader) Weekday(d measure.Date) string { return d.Format("Mon " + layouts[r.Dates]) }

// orders in which a person who reads dates in a style types them.
var orders = map[DateStyle]measure.DayOrder{DayMonthYear: measure.DayFirst, YearMonthDay: measure.YearFirst, MonthDayYear: measure.MonthFirst}

// DayOrder in which the person types a date of numbers.
func (r Reader) DayOrder() measure.DayOrder { return orders[r.Dates] }

// Moment is a day with its time in the zone of t, such as Thu 26 Nov 2026 14:30.
func (r Reader) Moment(t time.Time) string {
	return r.Weekday(measure.DateOf(t, t.Location())) + t.Format(" 15:04")
}

// Text of the reader's choices, as it is kept; see [ReaderOf].
func (r Reader) Text() string {
	text := strings.Join([]string{string(r.Temperature), string(r.Volume), string(r.Pressure), string(r.Distance), string(r.Dates)}, ",")
	if r.Numbers.Known() {
		text += "," + string(r.Numbers)
	}
	return text
}

// ReaderOf a text of choices; [Metric] for none.
func ReaderOf(text string) Reader {
	parts := strings.Split(text, ",")
	if len(parts) == 5 {
		parts = append(parts, "")
	}
	if len(parts) != 6 {
		return Metric
	}
	return Reader{Temperature: measure.Unit(parts[0]), Volume: measure.Unit(parts[1]), Pressure: measure.Unit(parts[2]), Distance: measure.Unit(parts[3]), Dates: DateStyle(parts[4]),
		Numbers: measure.NumberFormat(parts[5])}
}
