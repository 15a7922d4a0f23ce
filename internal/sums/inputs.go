package sums

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"unicode"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
)

// inputs reads what was given and gathers what is wrong with it, so that a
// person is given everything at once.
type inputs struct {
	figures
	numbers measure.NumberFormat // of the person who types
	fields  []Field
	given   map[string]string
	typed   map[string]measure.Unit // unit of what was read
	refused []*refusal.Field
	read    []Line
}

func (in *inputs) refuse(field, got, accepted string) {
	in.refused = append(in.refused, &refusal.Field{Pointer: "/inputs/" + field, Got: got, Accepted: accepted})
}

// bad notes an error of the core under the field that caused it.
func (in *inputs) bad(field string, err error) {
	var within *measure.RangeError
	var strength *coolant.StrengthError
	var cold *coolant.ColdError
	switch text := quoted(in.given[field]); {
	case errors.As(err, &within):
		in.refuse(field, text, within.Accepted)
	case errors.As(err, &strength):
		most, err := coolant.VolumeFraction(strength.Base, strength.Max)
		if err != nil {
			most = strength.Max
		}
		in.refuse(field, text, fmt.Sprintf("0 to %.0f %% %s by volume, which is what the tables hold", math.Floor(100*most), strength.Base))
	case errors.As(err, &cold):
		in.refuse(field, text, fmt.Sprintf("%s to %s for %s", in.temp1(cold.Lowest), in.temp1(0), cold.Base))
	default:
		in.refuse(field, text, err.Error())
	}
}

// parse what was typed; what the program wrote, the initial values, is read by [measure.ReadStored].
func (in *inputs) parse(text string, d measure.Dimension, usual measure.Unit) (measure.Reading, error) {
	return in.numbers.Parse(text, d, usual)
}

// orAsked is what is accepted instead: the two readings of a text that may be meant either way.
func orAsked(err error, accepted string) string {
	var asked *measure.ParseError
	if errors.As(err, &asked) && len(asked.Suggestions) > 0 {
		return asked.Accepted()
	}
	return accepted
}

func quoted(s string) string { return fmt.Sprintf("%q", s) }

func (in *inputs) field(name string) Field {
	return in.fields[slices.IndexFunc(in.fields, func(f Field) bool { return f.Name == name })]
}

// text of a field, or its initial value when nothing was given.
func (in *inputs) text(name string) string {
	if s, ok := in.given[name]; ok {
		return strings.TrimSpace(s)
	}
	return in.field(name).Initial
}

func (in *inputs) choice(name string) string {
	got := in.text(name)
	var values []string
	for _, o := range in.field(name).Options {
		if o.Value == got {
			return got
		}
		values = append(values, o.Value)
	}
	in.refuse(name, quoted(got), strings.Join(values, ", "))
	return values[0]
}

func (in *inputs) yes(name string) bool { return in.choice(name) == "yes" }

// quantity in the metric unit of d, nil when an optional field is empty. An
// initial value is metric whatever the person's units are. Of a text that may be meant two ways the one that is
// possible
// is meant.
func (in *inputs) quantity(name string, d measure.Dimension, possible func(metric float64) bool) *float64 {
	text, usual := in.text(name), in.usual(d)
	if _, ok := in.given[name]; !ok {
		usual = measure.Units(d)[0]
	}
	if text == "" {
		if !in.field(name).Optional {
			in.refuse(name, "nothing", (&measure.ParseError{Want: d}).Accepted())
		}
		return nil
	}
	parse := in.parse
	if _, typed := in.given[name]; !typed {
		parse = measure.ReadStored
	}
	r, err := parse(text, d, usual)
	var refused *measure.ParseError
	if errors.As(err, &refused) {
		one, ok := refused.Only(func(r measure.Reading) bool { m, err := r.Metric(d); return err == nil && possible(m) })
		if ok {
			r, err = one, nil
		}
	}
	if err != nil && refused != nil {
		in.refuse(name, quoted(text), refused.Accepted())
		return nil
	}
	metric, err := r.Metric(d)
	if err != nil {
		in.bad(name, err)
		return nil
	}
	in.typed[name] = r.Unit
	in.readAs(name, r)
	return &metric
}

// readAs repeats what was typed as it was read, with its unit.
func (in *inputs) readAs(name string, r measure.Reading) {
	if _, ok := in.given[name]; ok {
		in.read = append(in.read, Line{in.field(name).Label, strings.TrimSpace(r.String())})
	}
}

// within is a quantity that must lie between two metric values; when it does
// not, the fault is noted and the lower one returned.
func (in *inputs) within(name string, d measure.Dimension, least, most float64) float64 {
	v := in.optional(name, d, least, most)
	if v == nil {
		return least
	}
	return *v
}

func (in *inputs) optional(name string, d measure.Dimension, least, most float64) *float64 {
	v := in.quantity(name, d, func(metric float64) bool { return metric >= least && metric <= most })
	if v == nil {
		return nil
	}
	if !(*v >= least && *v <= most) {
		if _, typed := in.given[name]; !typed {
			// What no one typed gives way to what was.
			near := min(max(*v, least), most)
			return &near
		}
		// In the unit that was typed.
		unit := in.typed[name]
		in.refuse(name, quoted(in.text(name)), inUnit(least, unit)+" to "+inUnit(most, unit))
		return nil
	}
	return v
}

// inUnit writes a metric value in a unit, to two decimals at the most.
func inUnit(metric float64, u measure.Unit) string {
	v := math.Round(100*measure.FromMetric(metric, u)) / 100
	return strings.TrimSuffix(strings.Replace(measure.Digits(v), "-", "−", 1)+"\u00a0"+u.Symbol(), "\u00a0")
}

func (in *inputs) base(name string) coolant.Base { return coolant.Base(in.choice(name)) }

// strength as a mass fraction of glycol, from "50 %" by volume or from a freeze
// point such as "-37 C". A bare number below zero is a freeze point, any other a
// per cent.
func (in *inputs) strength(name string, base coolant.Base) float64 {
	text := in.text(name)
	usual := in.usual(measure.Temperature)
	if _, ok := in.given[name]; !ok {
		usual = measure.DegC
	}
	share, err := in.parse(text, measure.Share, measure.Percent)
	if err == nil && share.Value >= 0 {
		in.readAs(name, share)
		mass, err := coolant.MassFraction(base, share.Value/100)
		if err == nil {
			_, err = coolant.FreezePoint(base, mass)
		}
		if err != nil {
			in.bad(name, err)
		}
		return mass
	}
	freeze, err := in.parse(text, measure.Temperature, usual)
	var refused *measure.ParseError
	if errors.As(err, &refused) {
		const accepted = "per cent of glycol by volume, such as 50 %, or a freeze point, such as -37 C or -34 F"
		in.refuse(name, quoted(text), orAsked(err, accepted))
		return 0
	}
	in.readAs(name, freeze)
	t, err := freeze.Metric(measure.Temperature)
	if err != nil {
		in.bad(name, err)
		return 0
	}
	mass, err := coolant.MassFor(base, measure.Celsius(t))
	if err != nil {
		in.bad(name, err)
	}
	return mass
}

// listed are the items of a list of figures: a semicolon between them, else a comma, else spaces. A
// unit after a space belongs to its figure. A comma between two digits with nothing else to part
// them is that of a list: "-7,-15".
func listed(text string) []string {
	text = strings.TrimSpace(text)
	for _, separator := range []string{";", ","} {
		if strings.Contains(text, separator) {
			return slices.DeleteFunc(strings.Split(text, separator), func(s string) bool { return strings.TrimSpace(s) == "" })
		}
	}
	var items []string
	for _, word := range strings.Fields(text) {
		if len(items) > 0 && !strings.ContainsAny(word, "0123456789") {
			items[len(items)-1] += " " + word
			continue
		}
		items = append(items, word)
	}
	return items
}

// isMoney reports whether a word beside a price is the sign or the letters of a money.
func isMoney(word string) bool {
	return strings.ContainsFunc(word, func(r rune) bool { return unicode.Is(unicode.Sc, r) }) || slices.Contains([]string{"kr", "kr.", "eur", "usd", "gbp", "chf", "nok", "sek", "dkk"}, strings.ToLower(word))
}

// containers from a list such as "1 L 9.50; 5 L 39; 20 L 140".
// The labels are the sizes as they were typed.
func (in *inputs) containers(name string) (list []coolant.Container, labels []string) {
	const accepted = "sizes with prices, such as 1 L 9.50; 5 L 39; 20 L 140"
	for item := range strings.SplitSeq(in.text(name), ";") {
		if strings.TrimSpace(item) == "" {
			continue
		}
		words := slices.DeleteFunc(strings.Fields(item), func(w string) bool { return !strings.ContainsFunc(w, unicode.IsDigit) && isMoney(w) })
		if len(words) == 0 {
			in.refuse(name, quoted(item), accepted)
			return nil, nil
		}
		cost, err := in.parse(measure.PriceText(words[len(words)-1]), measure.Plain, measure.One)
		if err != nil || len(words) < 2 || len(list) == 12 {
			in.refuse(name, quoted(item), orAsked(err, accepted))
			return nil, nil
		}
		price := cost.Value
		size, err := in.parse(strings.Join(words[:len(words)-1], " "), measure.Volume, in.usual(measure.Volume))
		if err != nil {
			in.refuse(name, quoted(item), orAsked(err, accepted))
			return nil, nil
		}
		litres, err := size.Metric(measure.Volume)
		if err != nil || litres < 0.05 || litres > 2000 || !(price >= 0 && price < 1e9) {
			in.refuse(name, quoted(item), accepted+"; each from 0.05 to 2000 L")
			return nil, nil
		}
		list = append(list, coolant.Container{Size: measure.Litre(litres), Price: price})
		labels = append(labels, size.String())
	}
	if len(list) == 0 {
		in.refuse(name, quoted(in.text(name)), accepted)
	}
	return list, labels
}

// failed reports whether anything was wrong so far; the core need not be asked.
func (in *inputs) failed() bool { return len(in.refused) > 0 }
