package sums

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"unicode"

	"diligentledger/core/measure"
)

// Shape of what is typed into a field that has a dimension.
type Shape string

// The shapes; the empty one is a single quantity.
const (
	Strength   Shape = "strength"   // per cent by volume, or a freeze point
	Difference Shape = "difference" // of temperatures, K or °F
	List       Shape = "list"       // of quantities
	Containers Shape = "containers" // sizes with prices
)

// Unit that a bare figure in the field has for a person who reads in some units; empty for a field
// without a dimension.
func (f Field) Unit(units Units) string {
	if f.Of == "" {
		return ""
	}
	symbol := figures{units}.usual(f.Of).Symbol()
	switch {
	case f.Shape == Strength:
		return "% or " + symbol
	case f.Shape == Difference && symbol == measure.DegC.Symbol():
		return "K"
	}
	return symbol
}

// InitialIn some units: the initial value as a person who reads in them would type it.
func (f Field) InitialIn(units Units) string {
	return f.convert(f.Initial, Metric, units, measure.PointDecimals)
}

// Convert what was typed into the fields of a question, and into those of other questions that were
// given before, from one system of units to another. What cannot be read is left as it is.
func Convert(question string, from, to Units, numbers measure.NumberFormat, given map[string]string) map[string]string {
	all := Questions()
	slices.SortStableFunc(all, func(a, b Question) int {
		switch question {
		case a.Name:
			return -1
		case b.Name:
			return 1
		}
		return 0
	})
	out := make(map[string]string, len(given))
	for name, text := range given {
		out[name] = text
		for _, q := range all {
			if i := slices.IndexFunc(q.Fields, func(f Field) bool { return f.Name == name }); i >= 0 {
				out[name] = q.Fields[i].convert(text, from, to, numbers)
				break
			}
		}
	}
	return out
}

// convert a text of the field; one that cannot be read, or has no dimension, is left as it is.
func (f Field) convert(text string, from, to Units, numbers measure.NumberFormat) string {
	if f.Of == "" || from == to || strings.TrimSpace(text) == "" {
		return text
	}
	one := func(text string) (string, bool) { return convertOne(text, f.Of, from, to, numbers) }
	switch f.Shape {
	case Strength:
		if share, err := numbers.Parse(text, measure.Share, measure.Percent); err == nil && share.Value >= 0 {
			return text
		}
	case Difference:
		kelvin, err := parseDifference(text, from, numbers.Parse)
		if err != nil {
			return text
		}
		return typedNumber(measure.FromDifference(kelvin, figures{to}.usual(measure.Temperature)), 1)
	case List:
		items := listed(text)
		for i, item := range items {
			converted, ok := one(item)
			if !ok {
				return text
			}
			items[i] = converted
		}
		return strings.Join(items, "; ")
	case Containers:
		var items []string
		for item := range strings.SplitSeq(text, ";") {
			size, price, ok := cutLast(strings.TrimSpace(item))
			converted, read := one(size)
			if !ok || !read {
				return text
			}
			items = append(items, converted+" "+price)
		}
		return strings.Join(items, "; ")
	}
	converted, _ := one(text)
	return converted
}

// cutLast word of a text.
func cutLast(text string) (before, last string, ok bool) {
	i := strings.LastIndexByte(text, ' ')
	if i < 0 {
		return text, "", false
	}
	return strings.TrimSpace(text[:i]), text[i+1:], true
}

// convertOne quantity, with its unit if it was typed with one; false, and the text as it is, when it
// cannot be read.
func convertOne(text string, d measure.Dimension, from, to Units, numbers measure.NumberFormat) (string, bool) {
	r, err := numbers.Parse(text, d, figures{from}.usual(d))
	if err != nil {
		return text, false
	}
	metric, err := r.Metric(d)
	if err != nil {
		return text, false
	}
	unit := figures{to}.usual(d)
	if unit == r.Unit {
		return text, true
	}
	digits := 1
	if d == measure.Volume {
		digits = 2
	}
	converted := typedNumber(measure.FromMetric(metric, unit), digits)
	if strings.ContainsFunc(text, func(c rune) bool { return unicode.IsLetter(c) || c == '°' }) {
		converted += " " + unit.Symbol()
	}
	return converted, true
}

// typedNumber is a number as it is typed, to some decimals at the most.
func typedNumber(v float64, digits int) string {
	scale := math.Pow10(digits)
	return measure.Unambiguous(math.Round(v*scale)/scale + 0)
}

// parseDifference reads a difference of temperatures: of K or °C, of °F, or a bare figure of the
// units; in K.
func parseDifference(text string, units Units, parse func(string, measure.Dimension, measure.Unit) (measure.Reading, error)) (kelvin float64, err error) {
	number := strings.TrimSpace(text)
	unit := figures{units}.usual(measure.Temperature)
	for suffix, of := range map[string]measure.Unit{"K": measure.DegC, "°C": measure.DegC, "C": measure.DegC, "°F": measure.DegF, "F": measure.DegF} {
		if rest, ok := strings.CutSuffix(number, suffix); ok && !strings.HasSuffix(rest, "°") {
			number, unit = strings.TrimSpace(rest), of
			break
		}
	}
	r, err := parse(number, measure.Plain, measure.One)
	if err != nil {
		return 0, err
	}
	return measure.ToDifference(r.Value, unit), nil
}

// difference that was typed, in K, between two bounds in K.
func (in *inputs) differenceBetween(name string, least, most float64) float64 {
	units := in.units
	if _, typed := in.given[name]; !typed {
		units = Metric
	}
	v, err := parseDifference(in.text(name), units, in.parse)
	if err != nil || !(v >= least && v <= most) {
		unit := in.usual(measure.Temperature)
		in.refuse(name, quoted(in.text(name)), orAsked(err, fmt.Sprintf("%s to %s %s", typedNumber(measure.FromDifference(least, unit), 1),
			typedNumber(measure.FromDifference(most, unit), 1), in.field(name).Unit(in.units))))
		return least
	}
	if _, typed := in.given[name]; typed {
		in.read = append(in.read, Line{in.field(name).Label, in.difference(v)})
	}
	return v
}
