//go:build !js

package words

import (
	"strings"
	"time"

	"diligentledger/core/measure"
	"diligentledger/core/register"
)

// RecordNames are what one record of each kind is called.
var RecordNames = map[register.Record]string{register.Unit: "unit", register.Type: "type", register.Site: "site", register.Product: "product", register.Instrument: "instrument", register.Technician: "technician"}

// groupNames are the headings of groups of facts.
var groupNames = map[string]string{
	register.GroupIdentity: "Identity", register.GroupPlace: "Place", register.GroupEngine: "Engine and meter", register.GroupSystem: "Cooling system",
	register.GroupCoolant: "Coolant prescribed", register.GroupWork: "Draining, filling, bleeding", register.GroupInstrument: "Instrument", register.GroupProduct: "Product",
	register.GroupSite: "Site", register.GroupBays: "Bays", register.GroupCalendar: "Days and hours", register.GroupTechnician: "Technician",
}

// fieldText is what a field is called, what helps to fill it in, and what is not known without it.
type fieldText struct{ label, hint, blocks string }

// fieldTexts by code; those that differ by record are in recordTexts.
var fieldTexts = map[string]fieldText{
	"code":                {"number", "", ""},
	"name":                {"name", "", ""},
	"kind":                {"kind", "", ""},
	"type":                {"type", "what is left empty below is that of the type", ""},
	"make":                {"make", "", ""},
	"model":               {"model", "", ""},
	"year":                {"year", "", ""},
	"registration":        {"registration", "", ""},
	"serial":              {"serial number", "", ""},
	"tag":                 {"tag", "barcode or inventory tag on the unit", ""},
	"keeper":              {"driver or keeper", "", ""},
	"plan":                {"service plan", "", ""},
	"manual":              {"maker’s manual", "reference of the cooling chapter", "The job is by common practice until the maker’s manual is named; the manual overrules it."},
	"site":                {"site", "", ""},
	"place":               {"parking place", "in the order of the walk, such as B2-07", "The walk takes it last."},
	"winters":             {"in winter also at", "", ""},
	"cold_offset":         {"colder than its site, K", "0 or less, such as −4 for a hollow", ""},
	"heated":              {"heated storage", "changes nothing of the cold it is planned for", ""},
	"meter":               {"meter", "", "Intervals by distance or hours cannot be counted."},
	"second_meter":        {"second meter", "", ""},
	"drive":               {"drive", "", ""},
	"engine":              {"engine", "", ""},
	"metal":               {"metal the coolant wets", "", "Stray voltage and nitrite are judged by the limits of aluminium."},
	"wet_liners":          {"wet liners", "", "Nitrite is not asked for: say whether a heavy diesel has wet liners."},
	"heater_core":         {"heater core", "", "What stays inside after draining is not known."},
	"capacity":            {"capacity", "such as 8.5 L or 9 qt", "Nothing can be computed without it."},
	"system":              {"system", "", "The fill and bleed method cannot be chosen."},
	"recovery_bottle":     {"recovery bottle", "", ""},
	"hot_water_loop":      {"hot-water loop", "", "What the loop holds is not known."},
	"raw_water":           {"raw-water side", "", "Whether raw water can freeze in it is not known: due before frost."},
	"cap":                 {"cap rating", "over ambient, such as 108 kPa or 15 psi", "Cap tests, pressure tests and boil-over are not judged."},
	"cap_stages":          {"cap stages", "1 or 2", ""},
	"tank":                {"tank, for a millimetre of level", "such as 0.012 L", "Levels in millimetres show no litres."},
	"marks":               {"distance of the cold marks", "", "Levels in millimetres are not judged."},
	"thermostat":          {"thermostat opens at", "", "What is expected on the gauge is not known."},
	"fan":                 {"fan cuts in at", "", "What is expected of the fan is not known."},
	"base":                {"glycol", "", "Which scale of the refractometer is right is not known until a fill is recorded."},
	"product":             {"product prescribed", "", "What to top up with is not known until a fill is recorded."},
	"mix":                 {"glycol prescribed, by volume", "", ""},
	"required_technology": {"technology required", "", ""},
	"listed":              {"products the maker lists", "codes, with commas between them", ""},
	"premix_only":         {"premix only", "never topped up with water", ""},
	"silicate_free":       {"silicate-free seals", "", ""},
	"drains":              {"drain points", "one a line with what it gives, such as radiator petcock 4.2 L", "What comes out cannot be held against what should."},
	"plug":                {"drain plug", "thread and size of the tool", ""},
	"torque":              {"torque of the plug", "such as 12 N·m or 9 lbf·ft", "The plug is tightened by the maker’s manual."},
	"washers":             {"washers and O-rings", "", ""},
	"fill":                {"ways to fill", "gravity, vacuum, pressure, hose", ""},
	"bleed":               {"ways to bleed", "self, vent screw, electric pump, lean, rev", "The way to bleed is chosen by common practice."},
	"covers":              {"covers to remove", "one a line", ""},
	"clips":               {"clips that break", "", ""},
	"common":              {"values are common practice", "yes until they are held against the maker’s data: a level by a common capacity is never sound", ""},
	"address":             {"address", "", ""},
	"altitude":            {"altitude", "such as 85 or 280 ft", ""},
	"zone":                {"time zone", "empty for that of the fleet", ""},
	"nights":              {"record of nights", "", ""},
	"cold":                {"coldest night of each month, January to December", "twelve values with semicolons, used until there is a record of nights", ""},
	"bays_car":            {"bays for cars", "", ""},
	"bays_heavy":          {"bays for heavy vehicles", "", ""},
	"bays_motorcycle":     {"motorcycle lifts", "", ""},
	"bays_dock":           {"slips and docks", "", ""},
	"bays_hangar":         {"hangar places", "", ""},
	"technology":          {"technology", "", ""},
	"form":                {"form", "", ""},
	"glycol":              {"glycol in the can, by volume", "as the label states", "The strength of labels, 93 to 99 %, is assumed."},
	"density":             {"relative density", "", ""},
	"meets":               {"meets", "D3306, D4985, D6210", "Whether it suits wet liners is not known."},
	"approvals":           {"other approvals", "codes as on the label", ""},
	"named":               {"named compatible with", "technologies, with commas between them", ""},
	"sca":                 {"comes with its first charge of SCA", "", ""},
	"low_conductivity":    {"low conductivity", "for electric drives and batteries", ""},
	"fresh":               {"reserve alkalinity when fresh", "mL of 0.1 N acid", ""},
	"freeze":              {"freeze point", "of a waterless coolant", "What it protects to is not known."},
	"containers":          {"containers and prices", "one a line, such as 20 L 64.00", ""},
	"waste_code":          {"waste code", "", ""},
	"scale":               {"scale", "", ""},
	"chart":               {"chart of the discs", "what each floating disc shows, with semicolons: −4; −8; −16", ""},
	"sample_low":          {"sample from", "the coldest sample that it compensates for", ""},
	"sample_high":         {"sample to", "the warmest sample that it compensates for", ""},
	"expires":             {"strips expire on", "", ""},
	"withdrawn":           {"withdrawn from use", "", ""},
	"away":                {"away", "days on each line: 2026-12-03 to 2026-12-18 at sea, or 1 Nov to 31 Mar each year ploughing", ""},
	"bays_closed":         {"bays out of use", "a bay and days on each line: car 1: 2026-12-07 to 2026-12-11 lift repaired", ""},
	"days":                {"working days", "", "It is planned with Monday to Friday."},
	"hours":               {"hours of a working day", "such as 8 h", "It is planned with 8 hours."},
	"closed":              {"closed", "days on each line: 2026-12-24 to 2027-01-01 holidays", ""},
	"ways":                {"ways to other sites", "a site and the hours of the way on each line: Harbour yard 0.5 h", "Neither people nor units are planned to go to another site."},
	"account":             {"e-mail of their sign-in", "so that they find their own day", ""},
	"skills":              {"skills", "", "They are planned with no work."},
	"overtime":            {"overtime on a day, at most", "such as 1 h; empty for none", ""},
	"absent":              {"absent", "days on each line: 2026-12-21 to 2026-12-31 holiday", ""},
	"left":                {"left the workshop", "yes: they are planned with no more", ""},
}

// recordTexts are fields that are called otherwise in a record.
var recordTexts = map[register.Record]map[string]fieldText{
	register.Type:       {"name": {"name of the type", "", ""}},
	register.Product:    {"code": {"code", "", ""}, "base": {"glycol", "", ""}},
	register.Technician: {"site": {"works at", "", ""}, "hours": {"hours of a working day", "such as 7.5 h", "They are planned with 7.5 hours."}, "days": {"working days", "empty for those of the site", ""}},
	register.Instrument: {"name": {"name", "as tests give it", ""}, "kind": {"kind", "", ""}, "site": {"kept at", "", ""}},
}

// choiceNames are choices whose code does not read as words.
var choiceNames = map[string]string{
	"km": "kilometres or miles", "h": "hours", "radiator_cap": "radiator cap", "expansion_tank": "pressurised expansion tank", "header_tank": "header tank with heat exchanger",
	"EG_PG": "EG and PG", "brix": "°Bx", "service": "from the weather service", "none": "none: by the months", "self": "bleeds itself", "rev": "blip the throttle",
	"hose": "through the upper hose", "lean": "lean from side to side",
}

// ChoiceName of a fact's code.
func ChoiceName(code string) string {
	if name, ok := choiceNames[code]; ok {
		return name
	}
	return strings.ReplaceAll(code, "_", " ")
}

// GroupName is the heading of a group of facts.
func GroupName(group string) string { return groupNames[group] }

// Field of a record: what it is called, what helps to fill it in, and what is not known without
// it.
func Field(of register.Record, code string) (label, hint, blocks string) {
	t, ok := recordTexts[of][code]
	if !ok {
		t = fieldTexts[code]
	}
	return t.label, t.hint, t.blocks
}

// Fact of a record as its reader sees it: a quantity as it was read, with what that is in the
// reader's unit when that is another.
func (r Reader) Fact(f register.Field, text string) string {
	switch f.Form {
	case register.Quantity:
		return r.quantity(f, text)
	case register.Choice:
		return ChoiceName(text)
	case register.Several:
		var names []string
		for code := range strings.SplitSeq(text, ",") {
			names = append(names, ChoiceName(code))
		}
		return strings.Join(names, ", ")
	case register.Day:
		if d, err := measure.ParseDate(text); err == nil {
			return r.Date(d)
		}
	case register.List:
		var all []string
		for one := range strings.SplitSeq(text, "; ") {
			all = append(all, r.quantity(f, one))
		}
		return strings.Join(all, "; ")
	}
	return text
}

func (r Reader) quantity(f register.Field, text string) string {
	read, err := measure.ReadStored(text, f.Dimension, f.Unit)
	if err != nil || read.Unit.Symbol() == "" {
		return strings.Replace(text, "-", "−", 1)
	}
	shown := Reading(read)
	own := r.unit(f.Dimension, read.Unit)
	metric, err := read.Metric(f.Dimension)
	if own == read.Unit || err != nil {
		return shown
	}
	digits := map[measure.Unit]int{measure.DegC: 0, measure.DegF: 0, measure.KPa: 0, measure.Bar: 2}
	n, ok := digits[own]
	if !ok {
		n = 1
	}
	if f.Code == "tank" {
		n = 3
	}
	return shown + " (" + with(Figure(measure.FromMetric(metric, own), n), own) + ")"
}

// unit in which the reader reads a dimension; the other one for what they did not choose.
func (r Reader) unit(d measure.Dimension, other measure.Unit) measure.Unit {
	switch d {
	case measure.Temperature:
		return r.Temperature
	case measure.Volume:
		if other == measure.ML {
			return other
		}
		return r.Volume
	case measure.Pressure:
		return r.Pressure
	}
	return other
}

// RegisterReading is how the reader types facts on a day.
func (r Reader) RegisterReading(today measure.Date) register.Reading {
	return register.Reading{Usual: func(d measure.Dimension, u measure.Unit) measure.Unit { return r.unit(d, u) }, Order: r.DayOrder(), Numbers: r.Numbers,
		Today: today}
}

// Difference of a change in words, a line for each fact.
func (r Reader) Difference(of register.Record, was, is register.Facts) []string {
	var lines []string
	for _, f := range register.Fields(of, "") {
		code := f.Code
		if _, changed := is[code]; !changed {
			continue
		}
		label, _, _ := Field(of, code)
		known := func(text string) string {
			if text == "" {
				return Without(of, code)
			}
			return strings.ReplaceAll(r.Fact(f, text), "\n", "; ")
		}
		lines = append(lines, label+": "+known(is[code])+when(was[code] != "", ", before "+known(was[code])))
	}
	return lines
}

// Left is how a unit left the fleet, on a day.
func (r Reader) Left(how string, on measure.Date) string { return how + " on " + r.Date(on) }

// without are facts of a unit that are none where the register has none.
var without = map[string]string{"type": "none", "winters": "no other site", "second_meter": "none", "cold_offset": "no", "required_technology": "none", "listed": "none",
	"away": "never", "absent": "never", "closed": "never", "bays_closed": "none", "overtime": "none", "left": "no", "account": "none", "ways": "none"}

// Without is what is shown for a fact that the register does not have.
func Without(of register.Record, code string) string {
	if text, ok := without[code]; ok && of != register.Type {
		return text
	}
	if of == register.Technician && code == "days" {
		return "those of the site"
	}
	if of == register.Site && code == "zone" {
		return "that of the fleet"
	}
	return "not known"
}

// doneNames are what was done to a record.
var doneNames = map[string]string{"added": "added", "changed": "changed", "left": "left the fleet", "returned": "back in the fleet"}

// RecordDone is what a change of a record was: by itself or by its type, from the beginning or from a day
// on, and whether it was undone.
func (r Reader) RecordDone(what, cause string, from *measure.Date, undone bool) string {
	text := doneNames[what] + when(cause != "", " by "+cause)
	if from != nil {
		text += ", from " + r.Date(*from) + " on"
	}
	return text + when(undone, "; undone")
}

// ZeroHistory of an instrument in words, a line for each zero check.
func (r Reader) ZeroHistory(at []time.Time, zone *time.Location) []string {
	if len(at) == 0 {
		return []string{"No zero check is recorded."}
	}
	lines := make([]string, len(at))
	for i, t := range at {
		lines[i] = "Zero checked on " + r.Weekday(measure.DateOf(t, zone)) + "."
	}
	return lines
}
