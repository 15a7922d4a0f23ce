// Package serviceplan is the rules of renewal of a group of units: intervals in months,
// distance and engine hours, the strategy, and how often tests, caps and hoses are due. The
// plan of work, which says who does what on which day, is another thing.
package serviceplan

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"diligentledger/core/measure"
	"diligentledger/core/refusal"
)

// Strategy is how a service plan decides that coolant is renewed.
type Strategy string

// The strategies.
const (
	// FixedInterval renews by months and use, whatever the tests show.
	FixedInterval Strategy = "interval"
	// ConditionBased tests often and renews when a test fails; the interval is the outer limit.
	ConditionBased Strategy = "condition"
	// SealedForLife has no interval of the maker's; the interval of the plan is a precaution of
	// the coordinator.
	SealedForLife Strategy = "sealed"
)

// Interval is how long a charge may run; a zero field sets no limit.
type Interval struct {
	Months int
	Km     measure.Kilometre
	Hours  measure.Hour
}

// Plan is the service plan of a unit.
type Plan struct {
	Name string
	// First runs for the charge a unit came with, Later for every one after.
	First, Later Interval
	// FreezeMargin in K by which the protection must exceed the coldest night.
	FreezeMargin measure.Kelvin
	// Replaced is the share of the charge, 0 to 1, that must be new for a
	// renewal; 0 takes [ledger.DefaultReplaced].
	Replaced float64
	Strategy Strategy
	// Months between freeze tests, cap tests and hose checks; 0 asks for
	// none.
	TestMonths, CapMonths, HoseMonths int
	// HoseYears that a hose may be old; 0 for any age.
	HoseYears int
	// FollowDays after a renewal on which the level is checked cold; FollowRuns
	// instead, after the first morning and each of that many runs, where a unit runs
	// seldom. 0 asks for the next morning alone.
	FollowDays, FollowRuns int
	// Parts that run out by themselves, or are inspected by the calendar or the meter.
	Parts []PartInterval
	// Miles: its distances were given in miles, and are given so.
	Miles bool
}

// PartInterval is how long a part may run, or go without being inspected.
type PartInterval struct {
	Part string `json:"part"` // of Parts
	Interval
}

// PartInspection is the inspection of the whole system, such as an aircraft's by its hours.
const PartInspection = "inspection"

// Parts that a plan may give an interval, in the order in which they are offered.
var Parts = []string{"impeller", "anodes", "heat_exchanger", "anti_siphon", "block_heater", PartInspection}

// ActiveInterval is the interval that applies to the charge inside.
func (p Plan) ActiveInterval(factory bool) Interval {
	if factory && p.First != (Interval{}) {
		return p.First
	}
	return p.Later
}

// planTerm of a plan, in words; said is empty for one that asks for nothing.
type planTerm struct{ name, text string }

func (p Plan) terms() []planTerm {
	asks := func(n int, unit string) string {
		if n == 0 {
			return ""
		}
		return fmt.Sprintf("%d %s", n, unit)
	}
	distance := func(km measure.Kilometre) string {
		switch {
		case km == 0:
			return ""
		case p.Miles:
			return measure.Digits(math.Round(10*float64(km)/measure.KilometresPerMile)/10) + " mi"
		}
		return measure.Digits(float64(km)) + " km"
	}
	span := func(i Interval) string {
		limits := []string{asks(i.Months, "mo"), distance(i.Km), ""}
		if i.Hours > 0 {
			limits[2] = measure.Digits(float64(i.Hours)) + " h"
		}
		return strings.Join(slices.DeleteFunc(limits, func(s string) bool { return s == "" }), " or ")
	}
	terms := []planTerm{
		{"strategy", string(p.Strategy)}, {"first renewal after", span(p.First)}, {"later renewals after", span(p.Later)},
		{"freeze margin", measure.Digits(float64(p.FreezeMargin)) + " K"}, {"counts as a renewal from", measure.Digits(math.Round(1000*p.Replaced)/10) + " %"},
		{"freeze test every", asks(p.TestMonths, "mo")}, {"cap test every", asks(p.CapMonths, "mo")}, {"hose check every", asks(p.HoseMonths, "mo")}, {"hoses at most", asks(p.HoseYears, "yr")},
		{"level check on", asks(p.FollowDays, "d")}, {"level check after", asks(p.FollowRuns, "runs")},
	}
	for _, part := range Parts {
		i := slices.IndexFunc(p.Parts, func(o PartInterval) bool { return o.Part == part })
		text := ""
		if i >= 0 {
			text = span(p.Parts[i].Interval)
		}
		terms = append(terms, planTerm{strings.ReplaceAll(part, "_", " ") + " every", text})
	}
	return terms
}

// Summary are the rules of the plan in a line.
func (p Plan) Summary() string {
	var said []string
	for _, t := range p.terms() {
		if t.text != "" {
			said = append(said, t.name+" "+t.text)
		}
	}
	return p.Name + ": " + strings.Join(said, ", ")
}

// Diff from another plan to this one, in a line, for the audit.
func (p Plan) Diff(before Plan) string {
	var said []string
	if p.Name != before.Name {
		said = append(said, "was named "+before.Name)
	}
	old := before.terms()
	for i, t := range p.terms() {
		if t != old[i] {
			said = append(said, fmt.Sprintf("%s %s → %s", t.name, cmp.Or(old[i].text, "none"), cmp.Or(t.text, "none")))
		}
	}
	return p.Name + ": " + cmp.Or(strings.Join(said, ", "), "nothing")
}

// Check holds a plan against what can be meant. It returns a
// [refusal.Field] for each field that is wrong.
func Check(p Plan) (errs []*refusal.Field) {
	wrong := func(field, got, accepted string) {
		errs = append(errs, &refusal.Field{Pointer: field, Got: got, Accepted: accepted})
	}
	if n := len([]rune(strings.TrimSpace(p.Name))); n < 2 || n > 80 {
		wrong("/name", fmt.Sprintf("%q", p.Name), "a name of 2 to 80 characters")
	}
	if !slices.Contains([]Strategy{FixedInterval, ConditionBased, SealedForLife}, p.Strategy) {
		wrong("/strategy", fmt.Sprintf("%q", string(p.Strategy)), "interval, condition, sealed")
	}
	within := func(field string, v, least, most float64, unit string) {
		if !(v >= least && v <= most) {
			wrong(field, measure.Grouped(v)+" "+unit, measure.Grouped(least)+" to "+measure.Grouped(most)+" "+unit)
		}
	}
	// A limit of nought is none.
	limit := func(field string, v, most float64, unit string) {
		if v != 0 && !(v > 0 && v <= most) {
			wrong(field, measure.Grouped(v)+" "+unit, "more than 0 and at most "+measure.Grouped(most)+" "+unit+", or none")
		}
	}
	for name, i := range map[string]Interval{"/first": p.First, "/later": p.Later} {
		limit(name+"/months", float64(i.Months), 240, "months")
		if p.Miles {
			limit(name+"/miles", math.Round(float64(i.Km)/measure.KilometresPerMile), 620_000, "mi")
		} else {
			limit(name+"/km", float64(i.Km), 1_000_000, "km")
		}
		limit(name+"/hours", float64(i.Hours), 100_000, "h")
	}
	if p.Later == (Interval{}) {
		wrong("/later", "no limit at all", "months, km or hours: where the maker names none, a precaution of your own")
	}
	within("/freezeMargin", float64(p.FreezeMargin), 0, 30, "K")
	within("/replaced", math.Round(1000*p.Replaced)/10, 10, 100, "%")
	limit("/testMonths", float64(p.TestMonths), 60, "months")
	limit("/capMonths", float64(p.CapMonths), 120, "months")
	limit("/hoseMonths", float64(p.HoseMonths), 120, "months")
	limit("/hoseYears", float64(p.HoseYears), 30, "years")
	limit("/followDays", float64(p.FollowDays), 14, "days")
	limit("/followRuns", float64(p.FollowRuns), 10, "runs")
	for i, item := range p.Parts {
		at := fmt.Sprintf("/parts/%d", i)
		if !slices.Contains(Parts, item.Part) {
			wrong(at+"/part", fmt.Sprintf("%q", item.Part), strings.Join(Parts, ", "))
		}
		if slices.ContainsFunc(p.Parts[:i], func(o PartInterval) bool { return o.Part == item.Part }) {
			wrong(at+"/part", item.Part+" a second time", "each part once")
		}
		if item.Interval == (Interval{}) {
			wrong(at+"/months", "no limit at all", "months, km or hours")
		}
		limit(at+"/months", float64(item.Months), 240, "months")
		if p.Miles {
			limit(at+"/miles", math.Round(float64(item.Km)/measure.KilometresPerMile), 620_000, "mi")
		} else {
			limit(at+"/km", float64(item.Km), 1_000_000, "km")
		}
		limit(at+"/hours", float64(item.Hours), 100_000, "h")
	}
	return errs
}

// Limit in the unit of the meter of dimension d, 0 for none.
func (i Interval) Limit(d measure.Dimension) float64 {
	switch d {
	case measure.Distance:
		return float64(i.Km)
	case measure.EngineTime:
		return float64(i.Hours)
	}
	return 0
}
