// Package importer reads a spreadsheet into changes of the register and entries of the books. It
// stores nothing: a [Plan] says what would be new and changed, which rows are refused and why, and
// what is to be asked before the rest can be taken.
//
// # Model
//
// A file is a table ([Table]). Each column is meant for a [Target] or for none; the heading says which,
// and a person may correct it. A row names a unit. Its facts are those of package register, read as they
// are when typed in a form; every date and reading beside them becomes an entry. So a list of units, a
// wide list with "last changed" and "last odometer", and a history with a line for each event are one
// thing. A row is taken whole or not at all.
//
// An entry gets an id from what it says ([EntryID]), so that the same row taken twice is one entry.
package importer

import (
	"slices"
	"strings"
	"time"
	"unicode"

	"diligentledger/core/measure"
	"diligentledger/core/register"
)

// Table is what a file holds: rows of texts, each as long as Heads. Numbers are the places of the
// rows in the file, from 1. Day gives that of a number of days, as a workbook keeps it; false when
// it is none. Package tabular reads them.
type Table struct {
	Heads   []string
	Rows    [][]string
	Numbers []int
	Day     func(serial float64) (time.Time, bool)
}

// Target of a column: the code of a unit's fact, or one of those below.
type Target string

// Targets that are no facts of the unit.
const (
	Date         Target = "date"           // on which the row happened
	Event        Target = "event"          // what it was: renewal, top-up, test …
	RenewedOn    Target = "renewed_on"     // last renewal
	RenewedMeter Target = "renewed_meter"  // meter at the last renewal
	Volume       Target = "volume"         // that went in
	Filled       Target = "filled_product" // product that went in
	FilledMix    Target = "filled_mix"     // per cent of concentrate
	MeterRead    Target = "meter_reading"
	MeterOn      Target = "meter_on"
	FreezePoint  Target = "freeze_point"
	TestedOn     Target = "tested_on"
	Tool         Target = "instrument"
	CapOn        Target = "cap_on"
	CapFound     Target = "cap_found"
	HosesOn      Target = "hoses_on"
	HosesFound   Target = "hoses_found"
	Defect       Target = "defect"
	Remark       Target = "remark"
	Writer       Target = "writer"
	DueOn        Target = "due_on"    // that the spreadsheet claimed
	DueMeter     Target = "due_meter" // that the spreadsheet claimed
)

// Events are the targets that are no facts, in the order in which they are offered.
var Events = []Target{Date, Event, RenewedOn, RenewedMeter, Volume, Filled, FilledMix, MeterRead, MeterOn, FreezePoint, TestedOn, Tool, CapOn, CapFound, HosesOn, HosesFound, Defect, Remark, Writer, DueOn, DueMeter}

// Facts of a unit that a column may be meant for, in the order in which they are offered.
func Facts() []Target {
	var all []Target
	for _, f := range register.Fields(register.Unit, "") {
		all = append(all, Target(f.Code))
	}
	return all
}

// Known reports whether a target is one.
func (t Target) Known() bool { return slices.Contains(Events, t) || slices.Contains(Facts(), t) }

// headings by which a target is known: plain text, lower case, letters and digits alone.
var headings = map[Target][]string{
	"code":         {"unit", "unitno", "unitnumber", "number", "no", "fleetno", "fleetnumber", "vehicle", "vehicleno", "vehicleid", "id", "code", "asset", "assetno", "unitid", "car", "boat", "aircraft"},
	"name":         {"name", "description", "desc", "unitname", "vehiclename"},
	"kind":         {"kind", "class", "category", "vehicletype", "typeofvehicle", "kindofvehicle", "typeofunit", "sort"},
	"type":         {"type", "unittype"},
	"make":         {"make", "manufacturer", "brand"},
	"model":        {"model"},
	"year":         {"year", "modelyear", "yearbuilt", "built"},
	"registration": {"registration", "reg", "regno", "plate", "licence", "license", "licenceplate", "licenseplate", "tail", "tailno", "callsign"},
	"serial":       {"serial", "serialno", "serialnumber", "vin", "chassis", "hullno", "hin"},
	"tag":          {"tag", "barcode"},
	"keeper":       {"keeper", "driver", "owner", "custodian", "assignedto", "skipper"},
	"plan":         {"plan", "serviceplan", "schedule", "interval"},
	"site":         {"site", "location", "depot", "base", "yard", "garage", "homebase", "station"},
	"place":        {"place", "parkingplace", "bay", "slot", "row", "berth", "spot", "parking"},
	"meter":        {"meterkind", "metertype", "meterunit"},
	"drive":        {"drive", "fuel", "powertrain"},
	"engine":       {"engine", "enginemodel", "motor"},
	"capacity":     {"capacity", "coolantcapacity", "coolantcap", "systemcapacity", "cap", "qty", "coolantqty", "coolantvolume", "systemvolume"},
	"base":         {"glycol", "coolantbase", "egpg", "antifreezebase"},
	"product":      {"product", "coolant", "coolanttype", "antifreeze", "specifiedcoolant"},
	"mix":          {"mix", "ratio", "concentration", "prescribedmix"},
	"cap":          {"caprating", "cappressure", "radcap", "radiatorcap"},
	"wet_liners":   {"wetliners", "liners", "wetsleeve", "wetsleeves"},
	"premix_only":  {"premixonly", "premix"},
	"manual":       {"manual", "manualref"},
	"torque":       {"torque", "plugtorque", "draintorque"},
	"drains":       {"drains", "drainpoints"},
	"second_meter": {"secondmeter"},
	Date:           {"date", "when", "day", "servicedate", "eventdate", "on"},
	Event:          {"event", "what", "job", "work", "service", "action", "entry", "activity", "servicetype", "operation"},
	RenewedOn:      {"lastchanged", "lastchange", "coolantchanged", "coolantchange", "lastrenewal", "lastrenewed", "changed", "lastservice", "lastflush", "flushed", "lastcoolantchange", "datechanged", "renewed", "lastdone"},
	RenewedMeter:   {"changedat", "odometeratchange", "kmatchange", "milesatchange", "hoursatchange", "lastchangekm", "lastchangeodometer", "odoatchange", "renewalmeter", "lastchangedkm", "lastchangedmiles", "lastchangedhours"},
	Volume:         {"volume", "litres", "liters", "quantity", "amount", "volumein", "quarts", "filled", "added"},
	Filled:         {"productused", "coolantused", "filledwith", "productfilled", "fluid"},
	FilledMix:      {"mixused", "percent", "percentage", "strength"},
	MeterRead:      {"odometer", "odo", "lastodometer", "mileage", "km", "miles", "hours", "enginehours", "meter", "meterreading", "reading", "lastreading", "kms", "currentodometer", "hourmeter", "lasthours", "lastodo", "currentkm"},
	MeterOn:        {"odometerdate", "readingdate", "meterdate", "lastreadingdate", "dateofreading", "odometeron"},
	FreezePoint:    {"freezepoint", "freeze", "freezepointc", "freezepointf", "protection", "protectsto", "frostprotection", "lastfreezepoint", "tested", "testresult"},
	TestedOn:       {"testdate", "datetested", "lasttested", "lasttest", "freezetestdate", "testedon", "lasttestdate"},
	Tool:           {"instrument", "tester", "tool", "refractometer"},
	CapOn:          {"captested", "capchecked", "captestdate", "lastcapcheck", "capcheckdate"},
	CapFound:       {"capfinding", "capcondition", "capresult", "capstate"},
	HosesOn:        {"hoseschecked", "hosecheckdate", "lasthosecheck", "hosecheck"},
	HosesFound:     {"hoses", "hosecondition", "hosefinding", "hoseresult", "hosestate"},
	Defect:         {"defect", "fault", "problem", "leak", "defects", "finding"},
	Remark:         {"note", "notes", "remark", "remarks", "comment", "comments"},
	Writer:         {"by", "who", "technician", "mechanic", "doneby", "initials"},
	DueOn:          {"nextdue", "due", "duedate", "nextchange", "nextservice", "nextduedate", "nextdueon"},
	DueMeter:       {"nextduekm", "nextduemiles", "nextduehours", "nextdueodometer", "duekm", "dueat", "nextdueat"},
}

// Heading as it is remembered.
func Heading(head string) string { return plain(head) }

// plain text of a heading or a choice.
func plain(text string) string { return register.Plain(text) }

// units that a heading names, after or in brackets: "capacity (qt)", "odometer km".
var headUnits = map[string]measure.Unit{"l": measure.L, "litre": measure.L, "litres": measure.L, "liter": measure.L, "liters": measure.L, "ltr": measure.L, "ml": measure.ML,
	"qt": measure.USQt, "qts": measure.USQt, "quarts": measure.USQt, "usqt": measure.USQt, "gal": measure.USGal, "gallons": measure.USGal, "usgal": measure.USGal, "impqt": measure.ImpQt, "impgal": measure.ImpGal,
	"km": measure.Km, "kms": measure.Km, "mi": measure.Mi, "miles": measure.Mi, "h": measure.H, "hrs": measure.H, "hr": measure.H, "hours": measure.H,
	"c": measure.DegC, "°c": measure.DegC, "celsius": measure.DegC, "f": measure.DegF, "°f": measure.DegF, "fahrenheit": measure.DegF,
	"kpa": measure.KPa, "psi": measure.Psi, "bar": measure.Bar, "nm": measure.NewtonMetre, "n·m": measure.NewtonMetre, "%": measure.Percent}

// unitOf a heading; empty for one that names none.
func unitOf(head string) measure.Unit {
	words := strings.FieldsFunc(strings.ToLower(head), func(r rune) bool {
		return unicode.IsSpace(r) || strings.ContainsRune("()[],;:/_", r)
	})
	for _, w := range slices.Backward(words) {
		if u, ok := headUnits[strings.TrimSuffix(w, ".")]; ok {
			return u
		}
	}
	return ""
}

// Guess what each heading is meant for: as it was taken before, else by its name, else by its
// name without a unit. A target is given to one column alone.
func Guess(heads []string, remembered map[string]Target) []Target {
	guessed := make([]Target, len(heads))
	taken := map[Target]bool{"": true}
	try := func(i int, t Target) {
		if guessed[i] == "" && !taken[t] {
			guessed[i], taken[t] = t, true
		}
	}
	for i, head := range heads {
		if t, ok := remembered[plain(head)]; ok && (t == "" || t.Known()) {
			try(i, t)
		}
	}
	for _, without := range []bool{false, true} {
		for i, head := range heads {
			name := plain(head)
			if without {
				name = withoutUnit(head)
			}
			if _, known := remembered[plain(head)]; known || name == "" {
				continue
			}
			for _, t := range append(Facts(), Events...) {
				if slices.Contains(headings[t], name) || name == plain(string(t)) {
					try(i, t)
				}
			}
		}
	}
	return guessed
}

func withoutUnit(head string) string {
	words := strings.FieldsFunc(head, func(r rune) bool { return unicode.IsSpace(r) || strings.ContainsRune("()[],;:/", r) })
	words = slices.DeleteFunc(words, func(w string) bool {
		_, ok := headUnits[strings.ToLower(strings.TrimSuffix(w, "."))]
		return ok
	})
	return plain(strings.Join(words, ""))
}

// kindWords are words for the kinds of unit.
var kindWords = map[string][]string{
	"car":        {"car", "cars", "van", "suv", "pickup", "sedan", "estate", "hatchback", "minibus", "wagon", "automobile"},
	"truck":      {"truck", "trucks", "lorry", "hgv", "heavytruck", "tractor", "bus", "plough", "semi", "rig", "firetruck"},
	"motorcycle": {"motorcycle", "motorcycles", "motorbike", "bike", "scooter", "moped"},
	"boat":       {"boat", "boats", "vessel", "launch", "ferry", "yacht", "ship", "tug", "workboat"},
	"aircraft":   {"aircraft", "plane", "airplane", "aeroplane", "helicopter", "floatplane", "planes"},
}

// kindOf a word; empty for none.
func kindOf(word string) string {
	for kind, words := range kindWords {
		if slices.Contains(words, plain(word)) {
			return kind
		}
	}
	return ""
}

// eventWords are words for the events of a history.
var eventWords = map[Target][]string{
	RenewedOn: {"renewal", "renewed", "change", "changed", "coolantchange", "flush", "flushed", "drainandfill", "drainfill", "flushandfill", "refill", "replaced", "coolantrenewal", "full flush", "fullflush", "replacement"},
	"top_up":  {"topup", "toppedup", "top", "topoff", "added", "topped"},
	TestedOn:  {"test", "freezetest", "tested", "freeze", "frosttest", "freezepoint", "check"},
	MeterRead: {"meter", "odometer", "reading", "mileage", "meterreading", "hours", "km"},
	CapOn:     {"cap", "captest", "radcap", "capcheck", "radiatorcap"},
	HosesOn:   {"hoses", "hosecheck", "hose"},
	Defect:    {"defect", "fault", "leak", "problem"},
	Remark:    {"note", "remark", "comment", "inspection", "other"},
}

// eventOf a word; empty for none.
func eventOf(word string) Target {
	for t, words := range eventWords {
		if slices.Contains(words, plain(word)) {
			return t
		}
	}
	return ""
}
