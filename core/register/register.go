// Package register defines the facts that the register keeps of units, types, sites, products, instruments and
// technicians: which there are, of what they are, what is accepted as each, and which of them the
// books are computed from.
//
// # Model
//
// A record is a set of facts by code ([Facts]). A fact is a text in its canonical form: a quantity
// with the unit in which it was read ("5.8 US qt"), a code of a choice, a day as 2026-11-26. A fact
// that is not there is not known; it is never taken as sound or as none.
//
// A fact that the books are computed from ([Field.Dated]) is in effect from the beginning or from a
// day on. Each change of a record is kept ([Change]); which facts held before a day follows
// from the changes ([Before]). Of one fact the days of its changes never fall, so that the order in which
// they were written is that in which they came into effect ([Conflict]).
package register

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"diligentledger/core/measure"
)

// Record is what a set of facts is of.
type Record string

// The records.
const (
	Unit       Record = "unit"
	Type       Record = "type"
	Site       Record = "site"
	Product    Record = "product"
	Instrument Record = "instrument"
	Technician Record = "technician"
)

// Records in the order in which they are offered.
var Records = []Record{Unit, Type, Site, Product, Instrument, Technician}

// Form is how a fact is written.
type Form string

// The forms.
const (
	Text      Form = "text"      // one line
	Lines     Form = "lines"     // several lines
	Quantity  Form = "quantity"  // a number with a unit of the field's dimension
	Whole     Form = "whole"     // a whole number
	Choice    Form = "choice"    // one of Choices
	Several   Form = "several"   // some of Choices, with commas
	YesNo     Form = "yes_no"    // yes, no
	Reference Form = "reference" // the name of another record
	Named     Form = "named"     // lines of a name and a quantity: "radiator petcock 4.2 L"
	List      Form = "list"      // quantities with semicolons: "-4; -8; -12"
	Day       Form = "day"       // a day
	Spans     Form = "spans"     // lines of days, see [Span]
	Ways      Form = "ways"      // lines of a site and the hours of the way to it
)

// Facts of a record by the code of their field, each in its canonical form. What is not there is
// not known.
type Facts map[string]string

// Field of a record.
type Field struct {
	Code  string
	Group string
	Form  Form
	// Dimension and Unit of a quantity that names none; Least and Most in Unit, both 0 for no bound.
	Dimension   measure.Dimension
	Unit        measure.Unit
	Least, Most float64
	// Choices of Choice and Several, by code.
	Choices []string
	// Of is the record that a reference names; "plan" for a service plan, "zone" for a time zone.
	Of string
	// Kinds of unit that have it; nil for all.
	Kinds []string
	// Required: the record is not accepted without it.
	Required bool
	// Dated: the books are computed from it, so that a change is in effect from the beginning or
	// from a day on.
	Dated bool
	// Typed: a type carries it for its units.
	Typed bool
	// Fixed: what was given when the record was added stays.
	Fixed bool
	// Longest text in characters; 0 for the usual 200.
	Longest int
	// Values of a list: how many there must be; 0 for any number.
	Values int
}

// Groups of the facts of units, in their order.
const (
	GroupIdentity   = "identity"
	GroupPlace      = "place"
	GroupEngine     = "engine"
	GroupSystem     = "system"
	GroupCoolant    = "coolant"
	GroupWork       = "work"
	GroupInstrument = "instrument"
	GroupProduct    = "product"
	GroupSite       = "site"
	GroupBays       = "bays"
	GroupCalendar   = "calendar"
	GroupTechnician = "technician"
)

// Kinds of unit.
var Kinds = []string{"car", "truck", "motorcycle", "boat", "aircraft"}

var boats = []string{"boat"}

func text(code, group string) Field { return Field{Code: code, Group: group, Form: Text} }

func quantity(code, group string, u measure.Unit, least, most float64) Field {
	return Field{Code: code, Group: group, Form: Quantity, Dimension: u.Dimension(), Unit: u, Least: least, Most: most}
}

func choice(code, group string, choices ...string) Field {
	return Field{Code: code, Group: group, Form: Choice, Choices: choices}
}

func yesNo(code, group string) Field { return Field{Code: code, Group: group, Form: YesNo} }

func (f Field) required() Field           { f.Required = true; return f }
func (f Field) fixed() Field              { f.Fixed = true; return f }
func (f Field) dated() Field              { f.Dated = true; return f }
func (f Field) typed() Field              { f.Typed = true; return f }
func (f Field) of(kinds []string) Field   { f.Kinds = kinds; return f }
func (f Field) upTo(characters int) Field { f.Longest = characters; return f }
func (f Field) names(record string) Field { f.Form, f.Of = Reference, record; return f }
func (f Field) several() Field            { f.Form = Several; return f }
func (f Field) as(form Form) Field        { f.Form = form; return f }
func (f Field) exactly(values int) Field  { f.Form, f.Values = List, values; return f }
func (f Field) within(kind string) bool   { return f.Kinds == nil || slices.Contains(f.Kinds, kind) }

// Methods of filling and of bleeding.
var (
	fillMethods  = []string{"gravity", "vacuum", "pressure", "hose"}
	bleedMethods = []string{"self", "vent_screw", "electric_pump", "lean", "rev"}
	technologies = []string{"IAT", "OAT", "HOAT", "Si-OAT", "P-HOAT", "NOAT", "waterless"}
	bases        = []string{"EG", "PG", "waterless"}
)

// unitFields in the order in which they are asked for. Ranges leave out what no road vehicle, boat
// or light aircraft has (judgement); what is odd for its kind is asked about ([Check]).
var unitFields = []Field{
	text("code", GroupIdentity).required().upTo(24),
	text("name", GroupIdentity).upTo(120),
	choice("kind", GroupIdentity, Kinds...).required().fixed(),
	text("type", GroupIdentity).names(string(Type)),
	text("make", GroupIdentity).typed(),
	text("model", GroupIdentity).typed(),
	{Code: "year", Group: GroupIdentity, Form: Whole, Least: 1900, Most: 2100},
	text("registration", GroupIdentity).upTo(40),
	text("serial", GroupIdentity).upTo(60),
	text("tag", GroupIdentity).upTo(60),
	text("keeper", GroupIdentity).upTo(120),
	text("plan", GroupIdentity).names("plan").required(),
	text("manual", GroupIdentity).typed(),

	text("site", GroupPlace).names(string(Site)).required(),
	text("place", GroupPlace).upTo(40),
	text("winters", GroupPlace).names(string(Site)),
	quantity("cold_offset", GroupPlace, measure.One, -30, 0),
	yesNo("heated", GroupPlace),
	text("away", GroupPlace).as(Spans).upTo(1200),

	choice("meter", GroupEngine, "km", "h").typed(),
	choice("second_meter", GroupEngine, "km", "h").typed(),
	choice("drive", GroupEngine, "combustion", "hybrid", "electric").typed(),
	text("engine", GroupEngine).typed(),
	choice("metal", GroupEngine, "iron", "aluminium").typed().dated(),
	yesNo("wet_liners", GroupEngine).typed().dated(),
	yesNo("heater_core", GroupEngine).typed(),

	quantity("capacity", GroupSystem, measure.L, 0.2, 2000).typed().dated(),
	choice("system", GroupSystem, "radiator_cap", "expansion_tank", "header_tank").typed(),
	yesNo("recovery_bottle", GroupSystem).typed(),
	yesNo("hot_water_loop", GroupSystem).of(boats).typed(),
	yesNo("raw_water", GroupSystem).of(boats).typed(),
	quantity("cap", GroupSystem, measure.KPa, 10, 350).typed().dated(),
	{Code: "cap_stages", Group: GroupSystem, Form: Whole, Least: 1, Most: 2, Typed: true},
	quantity("tank", GroupSystem, measure.L, 0.0005, 2).typed().dated(),
	quantity("marks", GroupSystem, measure.Millimetre, 1, 500).typed().dated(),
	quantity("thermostat", GroupSystem, measure.DegC, 40, 120).typed(),
	quantity("fan", GroupSystem, measure.DegC, 60, 130).typed(),

	choice("base", GroupCoolant, bases...).typed().dated(),
	text("product", GroupCoolant).names(string(Product)).typed(),
	quantity("mix", GroupCoolant, measure.Percent, 20, 100).typed(),
	choice("required_technology", GroupCoolant, technologies...).typed().dated(),
	text("listed", GroupCoolant).typed().dated().upTo(500),
	yesNo("premix_only", GroupCoolant).typed().dated(),
	yesNo("silicate_free", GroupCoolant).typed().dated(),

	text("drains", GroupWork).as(Named).typed().upTo(600),
	text("plug", GroupWork).typed(),
	quantity("torque", GroupWork, measure.NewtonMetre, 0.5, 400).typed(),
	text("washers", GroupWork).typed(),
	choice("fill", GroupWork, fillMethods...).several().typed(),
	choice("bleed", GroupWork, bleedMethods...).several().typed(),
	text("covers", GroupWork).as(Lines).typed().upTo(600),
	text("clips", GroupWork).typed(),
}

// typeFields are the name and the kind of a type, and what its units have of it.
var typeFields = func() []Field {
	fields := []Field{text("name", GroupIdentity).required().upTo(120), choice("kind", GroupIdentity, Kinds...).required().fixed(), yesNo("common", GroupIdentity)}
	for _, f := range unitFields {
		if f.Typed {
			fields = append(fields, f)
		}
	}
	return fields
}()

var siteFields = []Field{
	text("name", GroupSite).required().upTo(80),
	text("address", GroupSite).as(Lines).upTo(400),
	quantity("altitude", GroupSite, measure.Metre, -430, 5000),
	text("zone", GroupSite).names("zone"),
	choice("nights", GroupSite, "service", "none"),
	quantity("cold", GroupSite, measure.DegC, -70, 35).exactly(12).required(),
	{Code: "bays_car", Group: GroupBays, Form: Whole, Least: 0, Most: 200},
	{Code: "bays_heavy", Group: GroupBays, Form: Whole, Least: 0, Most: 200},
	{Code: "bays_motorcycle", Group: GroupBays, Form: Whole, Least: 0, Most: 200},
	{Code: "bays_dock", Group: GroupBays, Form: Whole, Least: 0, Most: 200},
	{Code: "bays_hangar", Group: GroupBays, Form: Whole, Least: 0, Most: 200},
	{Code: "bays_closed", Group: GroupBays, Form: Spans, Of: "bay", Longest: 1200},
	choice("days", GroupCalendar, Weekdays...).several(),
	quantity("hours", GroupCalendar, measure.H, 0.5, 24),
	text("closed", GroupCalendar).as(Spans).upTo(1200),
	text("ways", GroupCalendar).as(Ways).upTo(600),
}

// Weekdays by code, Monday first.
var Weekdays = []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}

// Skills of a technician: the kinds of unit, and work beside a high-voltage system.
var Skills = append(slices.Clone(Kinds), "high_voltage")

var technicianFields = []Field{
	text("name", GroupTechnician).required().upTo(80),
	text("account", GroupTechnician).upTo(190),
	text("site", GroupTechnician).names(string(Site)).required(),
	choice("skills", GroupTechnician, Skills...).several(),
	yesNo("left", GroupTechnician),
	choice("days", GroupCalendar, Weekdays...).several(),
	quantity("hours", GroupCalendar, measure.H, 0.25, 16),
	quantity("overtime", GroupCalendar, measure.H, 0, 8),
	text("absent", GroupCalendar).as(Spans).upTo(1200),
}

var productFields = []Field{
	text("code", GroupProduct).required().fixed().upTo(40),
	text("name", GroupProduct).required().upTo(120),
	choice("base", GroupProduct, bases...).required(),
	choice("technology", GroupProduct, technologies...).required(),
	choice("form", GroupProduct, "concentrate", "premix").required(),
	quantity("glycol", GroupProduct, measure.Percent, 20, 100),
	quantity("density", GroupProduct, measure.Relative, 0.9, 1.3),
	choice("meets", GroupProduct, "D3306", "D4985", "D6210").several(),
	text("approvals", GroupProduct).upTo(300),
	choice("named", GroupProduct, technologies...).several(),
	yesNo("sca", GroupProduct),
	yesNo("low_conductivity", GroupProduct),
	quantity("fresh", GroupProduct, measure.ML, 0.5, 30),
	quantity("freeze", GroupProduct, measure.DegC, -80, 0),
	text("containers", GroupProduct).as(Lines).upTo(400),
	text("waste_code", GroupProduct).upTo(40),
}

var instrumentFields = []Field{
	text("name", GroupInstrument).required().fixed().upTo(80),
	choice("kind", GroupInstrument, "refractometer", "digital_refractometer", "hydrometer", "disc_tester", "strips", "ph_meter", "multimeter", "cap_tester", "conductivity_meter"),
	choice("scale", GroupInstrument, "EG", "PG", "EG_PG", "brix"),
	quantity("chart", GroupInstrument, measure.DegC, -60, 5).exactly(0),
	quantity("sample_low", GroupInstrument, measure.DegC, -10, 60),
	quantity("sample_high", GroupInstrument, measure.DegC, -10, 100),
	text("serial", GroupInstrument).upTo(60),
	text("site", GroupInstrument).names(string(Site)),
	{Code: "expires", Group: GroupInstrument, Form: Day},
	yesNo("withdrawn", GroupInstrument),
}

var fieldsOf = map[Record][]Field{Unit: unitFields, Type: typeFields, Site: siteFields, Product: productFields, Instrument: instrumentFields, Technician: technicianFields}

// Fields of a record in the order in which they are asked for; of a unit or type of a kind, those
// that it can have. An empty kind takes all.
func Fields(r Record, kind string) []Field {
	var fields []Field
	for _, f := range fieldsOf[r] {
		if kind == "" || f.within(kind) {
			fields = append(fields, f)
		}
	}
	return fields
}

// FieldOf that code; false when the record has none.
func FieldOf(r Record, code string) (Field, bool) {
	i := slices.IndexFunc(fieldsOf[r], func(f Field) bool { return f.Code == code })
	if i < 0 {
		return Field{}, false
	}
	return fieldsOf[r][i], true
}

// Known facts of a record in a map: empty texts are not known.
func (f Facts) Known() Facts {
	known := Facts{}
	for code, text := range f {
		if text != "" {
			known[code] = text
		}
	}
	return known
}

// With the facts of a change: what is empty there is not known any more.
func (f Facts) With(change Facts) Facts {
	all := Facts{}
	for code, text := range f {
		all[code] = text
	}
	for code, text := range change {
		all[code] = text
	}
	return all.Known()
}

// Metric value of a quantity in its canonical form, in the metric unit of its dimension; false when
// it is not known.
func (f Field) Metric(facts Facts) (float64, bool) {
	text := facts[f.Code]
	if text == "" {
		return 0, false
	}
	r, err := measure.ReadStored(text, f.Dimension, f.Unit)
	if err != nil {
		return 0, false
	}
	v, err := r.Metric(f.Dimension)
	return v, err == nil
}

// Number of a unit's, type's, site's or product's quantity or whole number, in the metric unit;
// false when it is not known.
func (f Facts) Number(r Record, code string) (float64, bool) {
	field, ok := FieldOf(r, code)
	if !ok || f[code] == "" {
		return 0, false
	}
	if field.Form == Whole {
		n, err := strconv.Atoi(f[code])
		return float64(n), err == nil
	}
	return field.Metric(f)
}

// NamedQuantity is a line of a [Named] fact.
type NamedQuantity struct {
	Name   string
	Litres measure.Litre // 0 when it is not known
}

// DrainPoints of a unit or type, with what each gives.
func (f Facts) DrainPoints() []NamedQuantity {
	var all []NamedQuantity
	for line := range strings.Lines(f["drains"]) {
		name, litres, _, _ := splitNamed(strings.TrimSpace(line), measure.ReadStored)
		if name != "" {
			all = append(all, NamedQuantity{name, litres})
		}
	}
	return all
}

// MostNamed volume of a [Named] fact, L.
const MostNamed = 2000

// splitNamed line into its name and the volume at its end; without a volume, 0. A [measure.ParseError] for a volume
// that may be
// meant two ways, of which both or neither can be.
func splitNamed(line string, parse func(string, measure.Dimension, measure.Unit) (measure.Reading, error)) (name string, litres measure.Litre, r *measure.Reading, err error) {
	words := strings.Fields(line)
	for at := max(1, len(words)-3); at < len(words); at++ {
		text := strings.Join(words[at:], " ")
		if !strings.ContainsAny(text[:1], "0123456789.,½¼¾") {
			continue
		}
		read, err := parse(text, measure.Volume, measure.L)
		var asked *measure.ParseError
		if errors.As(err, &asked) && len(asked.Suggestions) > 0 {
			possible := func(r measure.Reading) bool { v, err := r.Metric(measure.Volume); return err == nil && v <= MostNamed }
			one, ok := asked.Only(possible)
			if !ok {
				return line, 0, nil, asked
			}
			read, err = one, nil
		}
		if err != nil {
			continue
		}
		if v, err := read.Metric(measure.Volume); err == nil {
			return strings.TrimRight(strings.Join(words[:at], " "), ":,"), measure.Litre(v), &read, nil
		}
	}
	return line, 0, nil, nil
}

// Numbers of the units that a text names, in its order: separated by commas or lines, and ranges such
// as "CA-60 to CA-71". An error says what is not accepted.
func Numbers(text string) ([]string, error) {
	var all []string
	for part := range strings.FieldsFuncSeq(text, func(r rune) bool { return r == ',' || r == ';' || r == '\n' || r == '\r' }) {
		part = strings.TrimSpace(part)
		if part == "" {
			continue
		}
		from, to, ranged := strings.Cut(part, " to ")
		if !ranged {
			all = append(all, part)
			continue
		}
		some, err := between(strings.TrimSpace(from), strings.TrimSpace(to))
		if err != nil {
			return nil, err
		}
		all = append(all, some...)
	}
	return all, nil
}

// mostCopies of a unit at once.
const mostCopies = 500

func between(from, to string) ([]string, error) {
	refuse := fmt.Errorf("%q to %q is not accepted; accepted: numbers that differ in the digits at their end, such as CA-60 to CA-71, at most %d", from, to, mostCopies)
	head := strings.TrimRight(from, "0123456789")
	first, last := from[len(head):], strings.TrimPrefix(to, head)
	if first == "" || !strings.HasPrefix(to, head) {
		return nil, refuse
	}
	a, err1 := strconv.Atoi(first)
	b, err2 := strconv.Atoi(last)
	if err1 != nil || err2 != nil || b < a || b-a >= mostCopies {
		return nil, refuse
	}
	var all []string
	for n := a; n <= b; n++ {
		all = append(all, fmt.Sprintf("%s%0*d", head, len(first), n))
	}
	return all, nil
}
