package job

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"diligentledger/core/measure"
	"diligentledger/core/refusal"
)

// Status of a step.
type Status string

// The statuses.
const (
	Done    Status = "done"
	Overrun Status = "overridden" // its gate is not passed; a person who may took it on
	Current Status = "current"    // the next one
	Failed  Status = "failed"     // recorded, and its gate is not passed
	Later   Status = "later"
)

// Form of a field.
type Form string

// The forms.
const (
	Quantity Form = "quantity"
	Choice   Form = "choice"
	Line     Form = "text"
)

// Field of a step.
type Field struct {
	Code      string            `json:"code"`
	Form      Form              `json:"form"`
	Dimension measure.Dimension `json:"dimension,omitempty"`
	Unit      measure.Unit      `json:"unit,omitempty"` // of a bare number
	// Least and Most in the metric unit.
	Least   float64  `json:"least,omitempty"`
	Most    float64  `json:"most,omitempty"`
	Choices []string `json:"choices,omitempty"`
	// Optional: the step is recorded without it.
	Optional bool `json:"optional,omitempty"`
	// Point that the field is about, where several of one step are.
	Point string `json:"point,omitempty"`
}

// Fact that a step shows: an expected reading, a sum, a limit.
type Fact struct {
	Code     string       `json:"code"`
	Low      float64      `json:"low"`
	High     float64      `json:"high"` // Low again for one figure
	Unit     measure.Unit `json:"unit,omitempty"`
	Point    string       `json:"point,omitempty"`
	Text     string       `json:"text,omitempty"`
	Measured bool         `json:"measured,omitempty"` // came of what was recorded, not of a plan
}

// Timer of a step.
type Timer struct {
	Code    string        `json:"code"`
	Lasts   time.Duration `json:"lasts"`
	Began   *time.Time    `json:"began,omitempty"`
	Expired bool          `json:"expired,omitempty"`
}

// Gate that a step decides.
type Gate string

// The gates, in the order of the work.
const (
	GateCold    Gate = "cold"    // hours are the plan, gauge and upper hose the evidence
	GateDrained Gate = "drained" // what came out is known
	GateWasher  Gate = "washer"  // a new one at each opened plug
	GateTorque  Gate = "torque"
	GateBalance Gate = "balance" // as much in as out, or bled again
	GateLeaks   Gate = "leaks"   // none at any opened joint
	GateCap     Gate = "cap"     // sound and turned home
	GateLevel   Gate = "level"   // at the mark
	GateRetest  Gate = "retest"  // within the tolerance
	GateRelease Gate = "release" // by the right role
)

// Gates in their order.
var Gates = []Gate{GateCold, GateDrained, GateWasher, GateTorque, GateBalance, GateLeaks, GateCap, GateLevel, GateRetest, GateRelease}

// Step of a sheet.
type Step struct {
	// Key of the step within the job: its code, and where there are several the pass and the point.
	Key  string `json:"key"`
	Code string `json:"code"`
	// N is the number of the pass, from 1; 0 where there is one alone. Point is the drain point.
	N      int      `json:"n,omitempty"`
	Point  string   `json:"point,omitempty"`
	Fields []Field  `json:"fields,omitempty"`
	Facts  []Fact   `json:"facts,omitempty"`
	Gate   Gate     `json:"gate,omitempty"`
	Timer  *Timer   `json:"timer,omitempty"`
	Warns  []string `json:"warns,omitempty"` // cautions of this step, by code
	// Sums is a step without a field: the program decides it from what was recorded.
	Sums   bool   `json:"sums,omitempty"`
	Status Status `json:"status"`
	// Why it failed or is to be heeded, by code.
	Why    []string `json:"why,omitempty"`
	Answer *Event   `json:"answer,omitempty"`
	// Others are answers to the same step that do not count: the first one does.
	Others   []Event `json:"others,omitempty"`
	Override *Event  `json:"override,omitempty"`
}

// Name of a point or a code as a field of the sheet's texts: empty for none.
const longestLine = 300

// Nothing was typed into a field that a step is not recorded without.
const Nothing = "nothing"

// Read what was typed into the fields of the step. usual is the unit in which a person means a bare
// number. All faults are given, by their field.
func (s Step) Read(texts map[string]string, usual func(measure.Dimension, measure.Unit) measure.Unit, numbers measure.NumberFormat) (map[string]Value, []refusal.Field) {
	values := map[string]Value{}
	var faults []refusal.Field
	for code := range texts {
		if !slices.ContainsFunc(s.Fields, func(f Field) bool { return f.Code == code }) {
			faults = append(faults, refusal.Field{Pointer: "/values/" + code, Got: code, Accepted: "a field of this step"})
		}
	}
	for _, f := range s.Fields {
		typed := strings.TrimSpace(texts[f.Code])
		if typed == "" {
			if !f.Optional {
				faults = append(faults, refusal.Field{Pointer: "/values/" + f.Code, Got: Nothing, Accepted: f.accepted()})
			}
			continue
		}
		v, fault := f.read(typed, usual, numbers)
		if fault != "" {
			faults = append(faults, refusal.Field{Pointer: "/values/" + f.Code, Got: fmt.Sprintf("%q", typed), Accepted: fault})
			continue
		}
		values[f.Code] = v
	}
	return values, faults
}

func (f Field) accepted() string {
	switch f.Form {
	case Choice:
		return "one of " + strings.Join(f.Choices, ", ")
	case Quantity:
		if f.Dimension == measure.Plain {
			return fmt.Sprintf("a number from %s to %s", measure.Digits(f.Least), measure.Digits(f.Most))
		}
		return fmt.Sprintf("a figure from %s to %s %s", measure.Digits(f.Least), measure.Digits(f.Most), f.Unit.Symbol())
	}
	return fmt.Sprintf("one line of at most %d characters", longestLine)
}

func (f Field) read(typed string, usual func(measure.Dimension, measure.Unit) measure.Unit, numbers measure.NumberFormat) (v Value, fault string) {
	switch f.Form {
	case Choice:
		if !slices.Contains(f.Choices, typed) {
			return v, f.accepted()
		}
		return Value{Choice: typed}, ""
	case Quantity:
		unit := f.Unit
		if usual != nil {
			unit = usual(f.Dimension, f.Unit)
		}
		within := func(r measure.Reading) bool {
			m, err := r.Metric(f.Dimension)
			return err == nil && m >= f.Least && m <= f.Most
		}
		r, err := numbers.Parse(typed, f.Dimension, unit)
		var asked *measure.ParseError
		if errors.As(err, &asked) && len(asked.Readings) > 0 {
			one, ok := asked.Only(within)
			if !ok && within(asked.Readings[0]) {
				return v, asked.Accepted()
			}
			if ok {
				r, err = one, nil
			}
		}
		if err != nil || !within(r) {
			return v, f.accepted()
		}
		return Value{Reading: &r}, ""
	}
	if utf8.RuneCountInString(typed) > longestLine || strings.ContainsFunc(typed, unicode.IsControl) {
		return v, f.accepted()
	}
	return Value{Text: typed}, ""
}

// Missing are the fields that an answer lacks, or has outside their range: what a device sent, or an earlier version of the
// program, is held against the step as it is now.
func (s Step) Missing(e Event) (all []Field) {
	for _, f := range s.Fields {
		v, there := e.Values[f.Code]
		if !there && f.Optional {
			continue
		}
		if !there || !f.holds(v) {
			all = append(all, f)
		}
	}
	return all
}

// holds reports whether a value is one of the field.
func (f Field) holds(v Value) bool {
	switch f.Form {
	case Choice:
		return slices.Contains(f.Choices, v.Choice)
	case Quantity:
		if v.Reading == nil {
			return false
		}
		m, err := v.Reading.Metric(f.Dimension)
		return err == nil && m >= f.Least && m <= f.Most
	}
	return utf8.RuneCountInString(v.Text) <= longestLine
}

func (s Step) complete(e Event) bool { return len(s.Missing(e)) == 0 }

// Accepted says what the field takes.
func (f Field) Accepted() string { return f.accepted() }

func litresField(code string, most measure.Litre) Field {
	return Field{Code: code, Form: Quantity, Dimension: measure.Volume, Unit: measure.L, Most: float64(most)}
}

func choiceField(code string, choices ...string) Field {
	return Field{Code: code, Form: Choice, Choices: choices}
}

func doneField() Field { return choiceField("done", "yes") }

func (f Field) optional() Field { f.Optional = true; return f }
