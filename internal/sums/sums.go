// Package sums words the questions of the Bench: it reads what a person typed,
// lets the core compute, and answers in the person's own units with the sum laid
// open. The API and the command line share it; it needs no database.
package sums

import (
	"fmt"
	"slices"
	"strings"

	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/internal/words"
)

// Units a person reads in.
type Units string

// The systems of units on offer.
const (
	Metric   Units = "metric"   // °C, L, kPa, m
	US       Units = "us"       // °F, US qt, psi, ft
	Imperial Units = "imperial" // °C, imp qt, psi, ft
)

// Option of a choice.
type Option struct{ Value, Label string }

// Field is something a question has to be given.
type Field struct {
	Name, Label string
	// Options of a choice; a field without them is typed.
	Options []Option
	// Initial value; for a typed field in the metric unit, shown as it is.
	Initial  string
	Hint     string
	Optional bool
	// Of is the dimension of what is typed; empty for a choice and a plain number. Shape is how it is
	// typed.
	Of    measure.Dimension
	Shape Shape
	// ShownFor, if not empty, names values of the choice ShownBy for which this
	// field means something.
	ShownBy  string
	ShownFor []string
}

// Question of the Bench.
type Question struct {
	Name, Title string
	Fields      []Field
	answer      func(in *inputs) Result
}

// Cautions that hold for the work that a question is about.
func (q Question) Cautions() []string { return words.Cautions("", "") }

// Line of an answer: what, and how much.
type Line struct{ Label, Text string }

// Step of a sum: how it was computed, with which numbers, and where the formula
// or table comes from.
type Step struct{ What, Formula, Numbers, Source string }

// Result of a question.
type Result struct {
	Headline string
	// Read repeats what was typed as it was read, with its unit.
	Read     []Line
	Lines    []Line
	Warnings []string
	Steps    []Step
	Curve    *Curve
}

// Curve of freeze and boil over strength, in the person's unit of temperature.
type Curve struct {
	Base         string
	Unit         string
	Freeze, Boil []Point
	At           *Mark
	// Night is the coldest night to plan for, nil when not given.
	Night *float64
}

// Point of a curve: per cent of glycol by volume, and a temperature.
type Point struct{ Percent, Temperature float64 }

// Mark is the point asked about, with its uncertainty.
type Mark struct{ Percent, Temperature, Low, High float64 }

// Questions in the order of the page.
func Questions() []Question {
	return []Question{protects(), boil(), target(), buy(), again(), tester(), chemistry(), dose(), mayPour(), water()}
}

// QuestionPointer is the field of a refusal of the question itself.
const QuestionPointer = "/question"

// Ask answers a question of a person whose number format is not known, see [AskIn].
func Ask(question string, units Units, given map[string]string) (Result, error) {
	return AskIn(question, units, measure.EitherMark, given)
}

// AskIn answers a question that was typed in a number format. It returns a [refusal.Error] for an unknown question, an
// unknown system of units, an input the question does not have, and every input
// that cannot be right.
func AskIn(question string, units Units, numbers measure.NumberFormat, given map[string]string) (Result, error) {
	if units == "" {
		units = Metric
	}
	if !slices.Contains([]Units{Metric, US, Imperial}, units) {
		return Result{}, refusal.New("/units", fmt.Sprintf("%q", string(units)), "metric, us, imperial")
	}
	all := Questions()
	i := slices.IndexFunc(all, func(q Question) bool { return q.Name == question })
	if i < 0 {
		var names []string
		for _, q := range all {
			names = append(names, q.Name)
		}
		return Result{}, refusal.New(QuestionPointer, fmt.Sprintf("%q", question), strings.Join(names, ", "))
	}
	in := &inputs{figures: figures{units}, numbers: numbers, fields: all[i].Fields, given: map[string]string{}, typed: map[string]measure.Unit{}}
	for name, text := range given {
		if !slices.ContainsFunc(in.fields, func(f Field) bool { return f.Name == name }) {
			in.refuse(name, fmt.Sprintf("%q", text), "nothing: this question has no such input")
			continue
		}
		in.given[name] = text
	}
	result := all[i].answer(in)
	if len(in.refused) > 0 {
		slices.SortStableFunc(in.refused, func(a, b *refusal.Field) int { return strings.Compare(a.Pointer, b.Pointer) })
		return Result{}, &refusal.Error{Fields: in.refused}
	}
	result.Read = in.read
	return result, nil
}

// figures writes quantities in the person's units.
type figures struct{ units Units }

// usual unit of a dimension: the one meant by a bare number.
func (w figures) usual(d measure.Dimension) measure.Unit {
	metric := measure.Units(d)[0]
	if w.units == Metric {
		return metric
	}
	switch d {
	case measure.Temperature:
		if w.units == US {
			return measure.DegF
		}
	case measure.Volume:
		if w.units == US {
			return measure.USQt
		}
		return measure.ImpQt
	case measure.Pressure:
		return measure.Psi
	case measure.Altitude:
		return measure.Foot
	}
	return metric
}

func (w figures) write(metric float64, d measure.Dimension, digits int) string {
	u := w.usual(d)
	text := fmt.Sprintf("%.*f", digits, measure.FromMetric(metric, u))
	if strings.Trim(text, "-0.") == "" {
		text = strings.TrimPrefix(text, "-")
	}
	return strings.TrimSuffix(strings.Replace(text, "-", "−", 1)+"\u00a0"+u.Symbol(), "\u00a0")
}

func (w figures) temp(t measure.Celsius) string  { return w.write(float64(t), measure.Temperature, 0) }
func (w figures) temp1(t measure.Celsius) string { return w.write(float64(t), measure.Temperature, 1) }
func (w figures) vol(v measure.Litre) string     { return w.write(float64(v), measure.Volume, 2) }
func (w figures) pressure(p measure.Kilopascal) string {
	return w.write(float64(p), measure.Pressure, 0)
}

// difference of temperature: kelvin, or Fahrenheit degrees.
func (w figures) difference(k float64) string {
	if w.usual(measure.Temperature) == measure.DegF {
		return fmt.Sprintf("%.0f\u00a0°F", 1.8*k)
	}
	return fmt.Sprintf("%.1f\u00a0K", k)
}

func percent(fraction float64) string { return fmt.Sprintf("%.1f\u00a0%%", 100*fraction) }
