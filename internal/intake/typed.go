package intake

import (
	"errors"
	"fmt"
	"slices"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/internal/words"
)

// plainNumbers are the fields of an entry that hold a number without a reading's
// unit, and what is read in them.
var plainNumbers = map[string]struct {
	dimension measure.Dimension
	unit      measure.Unit
}{
	"share": {measure.Share, measure.Percent}, "blocked": {measure.Share, measure.Percent},
	"ph": {measure.Plain, measure.One}, "reserve": {measure.Volume, measure.ML}, "nitrite": {measure.Plain, measure.One}, "molybdate": {measure.Plain, measure.One},
	"phTo": {measure.Plain, measure.One}, "nitriteTo": {measure.Plain, measure.One}, "molybdateTo": {measure.Plain, measure.One}, "rinses": {measure.Plain, measure.One},
	"stray": {measure.Voltage, measure.Volt}, "strayOff": {measure.Voltage, measure.Volt}, "strayCranking": {measure.Voltage, measure.Volt}, "strayLoads": {measure.Voltage, measure.Volt}, "cold": {measure.Temperature, measure.DegC}, "chart": {measure.Temperature, measure.DegC},
	"zero": {measure.Plain, measure.One}, "minutes": {measure.Plain, measure.One}, "conductivity": {measure.Plain, measure.One}, "glycolate": {measure.Plain, measure.One}, "chloride": {measure.Plain, measure.One},
	"sulphate": {measure.Plain, measure.One}, "iron": {measure.Plain, measure.One}, "copper": {measure.Plain, measure.One}, "lead": {measure.Plain, measure.One}, "aluminium": {measure.Plain, measure.One}, "flushes": {measure.Plain, measure.One},
}

// readTyped turns text that a person typed into numbers, in place: the value of each
// reading, in its unit unless the text names another, and the numbers that have no
// unit. It returns what cannot be read, each with its pointer.
func readTyped(fields map[string]any, at string, numbers measure.NumberFormat, how *HowRead) (wrong []*refusal.Field) {
	names := make([]string, 0, len(fields))
	for name := range fields {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		pointer := at + "/" + name
		plain, isPlain := plainNumbers[name]
		// read the text of a number; false when it is refused.
		read := func(text, pointer string) (float64, bool) {
			r, err := numbers.Parse(text, plain.dimension, plain.unit)
			if err != nil {
				wrong = append(wrong, NotRead(pointer, text, err))
				return 0, false
			}
			metric, err := r.Metric(plain.dimension)
			if err != nil {
				wrong = append(wrong, NotRead(pointer, text, err))
				return 0, false
			}
			how.number(text, r)
			return measure.FromMetric(metric, plain.unit), true
		}
		switch v := fields[name].(type) {
		case map[string]any:
			wrong = append(wrong, readTypedReading(v, pointer, numbers, how)...)
		case string:
			if !isPlain {
				continue
			}
			if n, ok := read(v, pointer); ok {
				fields[name] = n
			}
		case []any:
			for i, item := range v {
				switch item := item.(type) {
				case map[string]any:
					wrong = append(wrong, readTyped(item, fmt.Sprintf("%s/%d", pointer, i), numbers, how)...)
				case string:
					if !isPlain {
						continue
					}
					if n, ok := read(item, pointer); ok {
						v[i] = n
					}
				}
			}
		}
		if n, ok := fields[name].(float64); ok && (name == "flushes" || name == "rinses") && n != float64(int(n)) {
			wrong = append(wrong, &refusal.Field{Pointer: pointer, Got: measure.Digits(n), Accepted: "a whole number, 0 to 10"})
		}
	}
	return wrong
}

// readTypedReading reads the value of a reading; an object that is none is gone through.
func readTypedReading(reading map[string]any, pointer string, numbers measure.NumberFormat, how *HowRead) []*refusal.Field {
	unit, hasUnit := reading["unit"].(string)
	text, typed := reading["value"].(string)
	if !hasUnit {
		return readTyped(reading, pointer, numbers, how)
	}
	if !typed {
		return nil
	}
	r, err := numbers.Parse(text, measure.Unit(unit).Dimension(), measure.Unit(unit))
	if err != nil {
		return []*refusal.Field{NotRead(pointer+"/value", text, err)}
	}
	how.number(text, r)
	reading["value"], reading["unit"] = r.Value, string(r.Unit)
	return nil
}

// NotRead says what is accepted as a number or a reading in place of a text.
func NotRead(pointer, text string, err error) *refusal.Field {
	accepted := "a number, such as 8.5"
	var refused *measure.ParseError
	if errors.As(err, &refused) {
		accepted = refused.Accepted()
	}
	return &refusal.Field{Pointer: pointer, Got: fmt.Sprintf("%q", text), Accepted: accepted}
}

// readMinus gives the freeze points of a test that were typed without their minus, and says how
// they were read: its value, of a strip the cold end too, and the figures of a chart. Of the value
// only what was typed as text: a program that sends a number means it.
func readMinus(sent, fields map[string]any, how *HowRead) (read []string) {
	minus := func(v any, unit measure.Unit) any {
		value, ok := v.(float64)
		if !ok {
			return v
		}
		meant, was := coolant.TypedFreezePoint(measure.Reading{Value: value, Unit: unit})
		if was {
			was := measure.Reading{Value: value, Unit: unit}
			read = append(read, words.ReadAsMinus(was))
			how.said(was)
		}
		return meant.Value
	}
	typed := func(v any) bool { _, is := v.(string); return is }
	if reading, ok := fields["value"].(map[string]any); ok {
		before, _ := sent["value"].(map[string]any)
		unit, _ := reading["unit"].(string)
		if typed(before["value"]) {
			reading["value"] = minus(reading["value"], measure.Unit(unit))
		}
	}
	if typed(sent["cold"]) {
		fields["cold"] = minus(fields["cold"], measure.DegC)
	}
	chart, _ := fields["chart"].([]any)
	before, _ := sent["chart"].([]any)
	for i := range chart {
		if i < len(before) && typed(before[i]) {
			chart[i] = minus(chart[i], measure.DegC)
		}
	}
	return read
}
