package register

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
)

// usualLongest text of a fact in characters.
const usualLongest = 200

// Reading is how a person types: the unit that a bare number of a dimension is meant in, and the
// order of a date's numbers.
type Reading struct {
	Usual func(measure.Dimension, measure.Unit) measure.Unit
	Order measure.DayOrder
	// Numbers is how the person types them.
	Numbers measure.NumberFormat
	Today   measure.Date
}

// Metric reading: a bare number is in the field's own unit.
func Metric(today measure.Date) Reading {
	return Reading{Usual: func(_ measure.Dimension, u measure.Unit) measure.Unit { return u }, Order: measure.DayFirst, Today: today}
}

// Read what was typed into the field: its canonical form, empty for not known. A [refusal.Field]
// names what is accepted; its pointer is that of the fact.
func (f Field) Read(typed string, as Reading) (canonical string, wrong *refusal.Field) {
	typed = strings.TrimSpace(typed)
	refuse := func(accepted string) (string, *refusal.Field) {
		return "", &refusal.Field{Pointer: "/facts/" + f.Code, Got: fmt.Sprintf("%q", cut(typed)), Accepted: accepted}
	}
	if typed == "" || strings.EqualFold(typed, "not known") {
		return "", nil
	}
	longest := f.Longest
	if longest == 0 {
		longest = usualLongest
	}
	if n := utf8.RuneCountInString(typed); n > longest {
		return refuse(fmt.Sprintf("at most %d characters; these are %d", longest, n))
	}
	switch f.Form {
	case Text, Reference:
		if strings.ContainsFunc(typed, unicode.IsControl) {
			return refuse("one line of text")
		}
		return strings.Join(strings.Fields(typed), " "), nil
	case Lines:
		if f.Code == "containers" {
			return containers(typed, as, refuse)
		}
		return typed, nil
	case Quantity:
		r, accepted := f.quantity(typed, as)
		if accepted != "" {
			return refuse(accepted)
		}
		return written(r), nil
	case Whole:
		r, err := f.either(typed, measure.Plain, measure.One, as)
		if err != nil || r.Value != float64(int(r.Value)) || r.Value < f.Least || r.Value > f.Most {
			return refuse(fmt.Sprintf("a whole number, %s to %s", measure.Digits(f.Least), measure.Digits(f.Most)))
		}
		return strconv.Itoa(int(r.Value)), nil
	case YesNo:
		switch Plain(typed) {
		case "yes", "y", "true", "1", "x":
			return "yes", nil
		case "no", "n", "false", "0":
			return "no", nil
		}
		return refuse("yes, no")
	case Choice:
		if code := f.choice(typed); code != "" {
			return code, nil
		}
		return refuse(f.accepted())
	case Several:
		var codes []string
		for one := range strings.SplitSeq(typed, ",") {
			if strings.TrimSpace(one) == "" {
				continue
			}
			code := f.choice(one)
			if code == "" {
				return refuse("any of " + f.accepted() + ", with commas between them")
			}
			if !slices.Contains(codes, code) {
				codes = append(codes, code)
			}
		}
		return strings.Join(codes, ","), nil
	case Named:
		return f.named(typed, as, refuse)
	case List:
		return f.list(typed, as, refuse)
	case Spans:
		return f.spans(typed, as, refuse)
	case Ways:
		return f.ways(typed, refuse)
	case Day:
		d, err := measure.ReadDate(typed, as.Today, as.Order)
		if err != nil {
			if refused, ok := err.(*measure.DateError); ok {
				return refuse(refused.Accepted())
			}
			return refuse("a date, such as " + as.Today.Format("2 Jan 2006"))
		}
		return d.String(), nil
	}
	return refuse("nothing")
}

// written reading, as it is read again by [measure.ReadStored], and by [measure.Parse] when it is sent back.
func written(r measure.Reading) string {
	return strings.TrimSpace(measure.Unambiguous(r.Value) + " " + r.Unit.Symbol())
}

// AsTyped is a fact in its canonical form as a field is filled with it: sent back as it stands it is read as the same,
// in whatever number
// format. Facts of older books have a point before three digits.
func (f Field) AsTyped(canonical string) string {
	one := func(text string) string {
		if r, err := measure.ReadStored(text, f.Dimension, f.Unit); err == nil && measure.TwoWays(text) {
			return written(r)
		}
		return text
	}
	switch f.Form {
	case Quantity:
		return one(canonical)
	case List:
		values := strings.Split(canonical, "; ")
		for i, v := range values {
			values[i] = one(v)
		}
		return strings.Join(values, "; ")
	case Named:
		lines := strings.Split(canonical, "\n")
		for i, line := range lines {
			if name, _, r, err := splitNamed(line, measure.ReadStored); err == nil && r != nil && measure.TwoWays(line[len(name):]) {
				lines[i] = name + " " + written(*r)
			}
		}
		return strings.Join(lines, "\n")
	}
	return canonical
}

// either reading of a text in a format, or the one that lies within the field's range.
func (f Field) either(typed string, d measure.Dimension, usual measure.Unit, as Reading) (measure.Reading, error) {
	r, err := as.Numbers.Parse(typed, d, usual)
	var asked *measure.ParseError
	if errors.As(err, &asked) && (f.Least != 0 || f.Most != 0) {
		if one, ok := asked.Only(f.inRange); ok {
			return one, nil
		}
	}
	return r, err
}

// inRange reports whether a reading lies in the field's range, and is a whole number where the field wants one.
func (f Field) inRange(r measure.Reading) bool {
	if f.Form == Whole && r.Value != math.Trunc(r.Value) {
		return false
	}
	unit := f.Unit
	if unit == "" {
		unit = r.Unit
	}
	least, err1 := measure.Reading{Value: f.Least, Unit: unit}.Metric(r.Unit.Dimension())
	most, err2 := measure.Reading{Value: f.Most, Unit: unit}.Metric(r.Unit.Dimension())
	v, err3 := r.Metric(r.Unit.Dimension())
	const hair = 1e-9
	return err1 == nil && err2 == nil && err3 == nil && v >= least-hair && v <= most+hair
}

// quantity within the field's range, or what is accepted.
func (f Field) quantity(typed string, as Reading) (r measure.Reading, accepted string) {
	usual := as.Usual(f.Dimension, f.Unit)
	r, err := f.either(typed, f.Dimension, usual, as)
	if err != nil {
		if refused, ok := err.(*measure.ParseError); ok {
			return r, refused.Accepted()
		}
		return r, "a number"
	}
	v, err := r.Metric(f.Dimension)
	if err != nil {
		return r, "a number"
	}
	least, most := measure.Reading{Value: f.Least, Unit: f.Unit}, measure.Reading{Value: f.Most, Unit: f.Unit}
	low, err1 := least.Metric(f.Dimension)
	high, err2 := most.Metric(f.Dimension)
	if f.Least != 0 || f.Most != 0 {
		const hair = 1e-9
		if err1 != nil || err2 != nil || v < low-hair || v > high+hair {
			in := func(metric float64) string {
				return written(measure.Reading{Value: math.Round(1e4*measure.FromMetric(metric, usual)) / 1e4, Unit: usual})
			}
			return r, in(low) + " to " + in(high)
		}
	}
	return r, ""
}

// containers, one a line: a size, and its price where there is one. A line that has no size stays the remark that it
// is.
func containers(typed string, as Reading, refuse func(string) (string, *refusal.Field)) (string, *refusal.Field) {
	var lines []string
	for line := range strings.Lines(typed) {
		line = strings.TrimSpace(line)
		words := strings.Fields(line)
		var asked *measure.ParseError
		for n := len(words); n > 0; n-- {
			size, err := as.Numbers.Parse(strings.Join(words[:n], " "), measure.Volume, as.Usual(measure.Volume, measure.L))
			if errors.As(err, &asked) && len(asked.Suggestions) > 0 {
				return refuse(asked.Accepted())
			}
			if err != nil {
				continue
			}
			line = written(size)
			if n == len(words) {
				break
			}
			price, err := as.Numbers.Parse(measure.PriceText(strings.Join(words[n:], " ")), measure.Plain, measure.One)
			if errors.As(err, &asked) && len(asked.Suggestions) > 0 {
				return refuse(asked.Accepted())
			}
			if err != nil && !strings.ContainsAny(strings.Join(words[n:], ""), "0123456789") {
				line += " " + strings.Join(words[n:], " ") // a remark
				break
			}
			if err != nil || price.Value < 0 {
				return refuse("a size and its price as a number, such as 20 L 64.00")
			}
			line += " " + measure.Unambiguous(price.Value)
			break
		}
		lines = append(lines, line)
	}
	return strings.Join(lines, "\n"), nil
}

// choice that a text means, by its code or as it reads in words; empty for none.
func (f Field) choice(typed string) string {
	for _, code := range f.Choices {
		if Plain(code) == Plain(typed) || weekdayNames[code] == Plain(typed) && f.Code == "days" {
			return code
		}
	}
	return ""
}

// weekdayNames in full, by their codes.
var weekdayNames = map[string]string{"mon": "monday", "tue": "tuesday", "wed": "wednesday", "thu": "thursday", "fri": "friday", "sat": "saturday", "sun": "sunday"}

func (f Field) accepted() string {
	words := make([]string, len(f.Choices))
	for i, code := range f.Choices {
		words[i] = strings.ReplaceAll(code, "_", " ")
	}
	return strings.Join(words, ", ")
}

// Plain text of a choice or a heading: its letters, digits and nothing else, lower case.
func Plain(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, text)
}

// mostLines of a fact.
const mostLines = 12

func (f Field) named(typed string, as Reading, refuse func(string) (string, *refusal.Field)) (string, *refusal.Field) {
	var lines []string
	for line := range strings.FieldsFuncSeq(typed, func(r rune) bool { return r == '\n' || r == ';' }) {
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		name, litres, r, err := splitNamed(line, as.Numbers.Parse)
		var asked *measure.ParseError
		switch {
		case errors.As(err, &asked):
			return refuse(asked.Accepted())
		case len(lines) == mostLines:
			return refuse(fmt.Sprintf("at most %d lines", mostLines))
		case strings.ContainsFunc(line, unicode.IsControl), r != nil && (name == "" || !(litres >= 0 && litres <= MostNamed)):
			return refuse("a name and a volume up to 2000 L on each line, such as radiator petcock 4.2 L")
		case r != nil:
			line = name + " " + written(*r)
		}
		lines = append(lines, line)
	}
	return strings.Join(lines, "\n"), nil
}

func (f Field) list(typed string, as Reading, refuse func(string) (string, *refusal.Field)) (string, *refusal.Field) {
	var all []string
	for one := range strings.FieldsFuncSeq(typed, func(r rune) bool { return r == '\n' || r == ';' }) {
		if one = strings.TrimSpace(one); one == "" {
			continue
		}
		r, accepted := f.quantity(one, as)
		if accepted != "" {
			return refuse(accepted + ", with semicolons between them")
		}
		all = append(all, written(r))
	}
	if f.Values > 0 && len(all) != f.Values {
		return refuse(fmt.Sprintf("%d values with semicolons between them; these are %d", f.Values, len(all)))
	}
	if len(all) > mostLines {
		return refuse(fmt.Sprintf("at most %d values", mostLines))
	}
	return strings.Join(all, "; "), nil
}

// Values of a [List] in the metric unit.
func (f Field) MetricValues(facts Facts) []float64 {
	var all []float64
	for one := range strings.SplitSeq(facts[f.Code], ";") {
		if v, ok := f.Metric(Facts{f.Code: strings.TrimSpace(one)}); ok {
			all = append(all, v)
		}
	}
	return all
}

func cut(text string) string {
	if r := []rune(text); len(r) > 60 {
		return string(r[:59]) + "…"
	}
	return text
}

// ReadAll facts that were typed, by code. Fields that the record does not have are refused; kind is
// that of a unit or type.
func ReadAll(r Record, kind string, typed map[string]string, as Reading) (Facts, []*refusal.Field) {
	facts := Facts{}
	var wrong []*refusal.Field
	codes := make([]string, 0, len(typed))
	for code := range typed {
		codes = append(codes, code)
	}
	slices.Sort(codes)
	for _, code := range codes {
		field, ok := FieldOf(r, code)
		if !ok || kind != "" && !field.within(kind) && strings.TrimSpace(typed[code]) != "" {
			accepted := "nothing: there is no such fact"
			if ok {
				accepted = "nothing: a " + kind + " has no such fact"
			}
			wrong = append(wrong, &refusal.Field{Pointer: "/facts/" + code, Got: fmt.Sprintf("%q", cut(typed[code])), Accepted: accepted})
			continue
		}
		text, no := field.Read(typed[code], as)
		if no != nil {
			wrong = append(wrong, no)
			continue
		}
		facts[code] = text
	}
	return facts, wrong
}

// usual capacities by kind in litres: what is outside is asked about (common practice).
var usualCapacity = map[string][2]float64{"car": {3, 20}, "truck": {8, 120}, "motorcycle": {0.8, 6}, "boat": {3, 400}, "aircraft": {2, 60}}

// Check what is required and what does not go together; facts are all that hold after a change,
// those of the type among them.
func Check(r Record, facts Facts) (wrong []*refusal.Field) {
	for _, f := range Fields(r, facts["kind"]) {
		if f.Required && facts[f.Code] == "" {
			wrong = append(wrong, &refusal.Field{Pointer: "/facts/" + f.Code, Got: "nothing", Accepted: "it must be given"})
		}
	}
	if r == Unit || r == Type {
		wrong = append(wrong, checkUnit(r, facts)...)
	}
	if r == Product {
		wrong = append(wrong, checkProduct(facts)...)
	}
	return wrong
}

// checkCode of a unit: it is a part of addresses, where a circuit's name follows it ([ledger.Unit]).
func checkCode(code string) (accepted string) {
	if i := strings.LastIndexByte(code, ' '); i >= 0 && slices.Contains(ledger.Circuits, ledger.Circuit(strings.ToLower(code[i+1:]))) {
		return "a number that does not end with the name of a circuit"
	}
	if strings.ContainsAny(code, `/\?#%`) {
		return `a number without / \ ? # %`
	}
	return ""
}

func checkUnit(r Record, facts Facts) (wrong []*refusal.Field) {
	add := func(code, got, accepted string, question bool) {
		wrong = append(wrong, &refusal.Field{Pointer: "/facts/" + code, Got: got, Accepted: accepted, Question: question})
	}
	if accepted := checkCode(facts["code"]); r == Unit && accepted != "" {
		add("code", fmt.Sprintf("%q", facts["code"]), accepted, false)
	}
	if r == Unit && facts["capacity"] == "" {
		add("capacity", "nothing", "the capacity of the unit, or a type that has one", false)
	}
	if m := facts["second_meter"]; m != "" && m == facts["meter"] {
		add("second_meter", m, "the meter that the unit does not have yet", false)
	}
	if facts["winters"] != "" && facts["winters"] == facts["site"] {
		add("winters", facts["winters"], "another site than its own, or nothing", false)
	}
	capacity, ok := facts.Number(Unit, "capacity")
	if usual := usualCapacity[facts["kind"]]; ok && usual[1] > 0 && (capacity < usual[0] || capacity > usual[1]) {
		add("capacity", facts["capacity"], fmt.Sprintf("%s to %s L is usual for a %s", measure.Digits(usual[0]), measure.Digits(usual[1]), facts["kind"]), true)
	}
	var drained measure.Litre
	for _, d := range facts.DrainPoints() {
		drained += d.Litres
	}
	if ok && float64(drained) > 1.1*capacity { // 10 % for what the filler neck and the bottle hold
		add("drains", measure.Digits(float64(drained))+" L in all", "at most the capacity, "+facts["capacity"], false)
	}
	return wrong
}

func checkProduct(facts Facts) (wrong []*refusal.Field) {
	add := func(code, got, accepted string) {
		wrong = append(wrong, &refusal.Field{Pointer: "/facts/" + code, Got: got, Accepted: accepted})
	}
	waterless := facts["base"] == "waterless"
	if waterless != (facts["technology"] == "waterless") && facts["technology"] != "" && facts["base"] != "" {
		add("technology", facts["technology"], "waterless for a waterless coolant, and for no other")
	}
	if facts["form"] == "premix" && facts["glycol"] == "" && !waterless {
		add("glycol", "nothing", "what the label of a premix states, in per cent by volume")
	}
	if !waterless && facts["freeze"] != "" {
		add("freeze", facts["freeze"], "nothing: the freeze point of a glycol follows from its strength")
	}
	if g, ok := facts.Number(Product, "glycol"); ok && facts["form"] == "premix" && g > 75 {
		add("glycol", facts["glycol"], "20 to 75 % for a premix")
	}
	return wrong
}
