package words

import (
	"strings"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
)

// tooStrong is how a reading beyond the strong end is read all the same.
const tooStrong = "beyond the strong end of the scale: mix one part of the sample with one part of purified water and read again; the coolant has twice the per cent that is read"

// placeNames distinguish parts by where they go.
var placeNames = map[string]string{
	"upper": "engine to the top of the radiator", "lower": "bottom of the radiator to the pump", "heater_feed": "engine to the heater core",
	"heater_return": "heater core back to the pump", "bypass": "thermostat to the pump", "recovery": "filler neck to the bottle",
}

// names of codes whose own text does not read as words.
var names = map[string]string{
	"block": "block drain", "gravity": "gravity, spill-free funnel", "vacuum": "vacuum fill", "pressure": "pressure fill", "manual": "bled by hand",
	"foreign": "foreign, watch", "foreign_much": "foreign, too much", "foreign_little": "little foreign",
	"on_ridge": "on the ridge", "clamp_on_ridge": "clamp on the ridge",
	"max": "at the upper mark", "min": "at the lower mark", "between": "between the marks", "above": "above the upper mark", "below": "below the lower mark",
	"drain_plug": "drain plug and washer", "impeller": "raw-water impeller", "anti_siphon": "anti-siphon valve", "ground": "ground beneath",
	"first_stage": "on its first stage", "level_header": "header tank", "level_bottle": "recovery bottle", "header": "header tank", "bottle": "recovery bottle",
	"combustion_gas": "combustion gas in the coolant", "wet": "wet, in use", "filled": "filled with antifreeze", "heat_exchanger": "heat exchanger", "inspection": "regular inspection", "home": "seated",
	"cap_sound": "sound", "cap_worn": "opens below a new one’s, still serves", "cap_weak": "opens too early", "cap_stuck": "opens too late",
	"cap_vacuum": "vacuum valve stuck", "vacuum_leaks": "vacuum valve leaks", "cap_unseated": "not seated", "cap_untested": "opening pressure not measured",
	"vacuum_untested": "vacuum valve not tested", "cap_seal": "seal dried, cracked or hardened",
	"look": "appearance", "discs": "floating discs", "strip": "test strip",
	"too_short": "test too short to prove anything", "rating_unknown": "no fall; the cap’s rating is not known", "pressure_too_low": "no fall, at too low a pressure",
	"millimetres": "below the lower mark", "stop": "must not run",
	ledger.CheckLevel: "level, cold", ledger.CheckRetest: "freeze point, once mixed",
	ledger.CheckReturnLevel: "cold level", ledger.CheckReturnCap: "cap test",
	ledger.CheckReturnHoses: "hose check", ledger.CheckReturnTest: "freeze test",
}

// Name of a code in words; one without words of its own reads as it is written.
func Name(code string) string {
	if name, ok := names[code]; ok {
		return name
	}
	return strings.ReplaceAll(code, "_", " ")
}

// Names of a list of codes, such as the state of a finding.
func Names(codes string) string {
	parts := strings.Split(codes, ",")
	for i, p := range parts {
		parts[i] = Name(p)
	}
	return strings.Join(parts, ", ")
}

// Subject in words: the point and its state, or the text as it was written.
func Subject(s ledger.Subject) string {
	switch {
	case s.Point == "":
		return s.Text
	case s.State == "":
		return Name(s.Point)
	}
	return Name(s.Point) + ": " + Names(s.State)
}

// flags of a reading: why it is not to be taken as it is.
var flags = map[coolant.Flag]string{
	coolant.FlagWrongScale: "read on the scale of the other glycol", coolant.FlagBaseUnknown: "which glycol is inside is not known",
	coolant.FlagHydroPG: "a floating tester gives no strength of PG", coolant.FlagTooStrong: tooStrong,
	coolant.FlagHot: "sample too warm or too cold for the instrument", coolant.FlagZeroOff: "its zero is off; corrected for",
	coolant.FlagZeroFar: "its zero is far off: zero it first", coolant.FlagZeroOld: "its zero check is more than a month old",
	coolant.FlagZeroUnknown: "no zero check is recorded", coolant.FlagWatered: "more water in it than its maker allows",
	coolant.FlagNoFigure: "its product states no freeze point", coolant.FlagWaterless: "a glycol scale gives no reading of a waterless coolant",
	coolant.FlagExpired: "the strip has expired", coolant.FlagLate: "the strip was read too late", coolant.FlagBeyond: "beyond the tables",
}

// notes of a line, and whether one only explains; all others are warnings.
var notes = map[ledger.Note]struct {
	text  string
	quiet bool
}{
	ledger.NoteImpliedLoss:      {"as much had gone before", true},
	ledger.NoteMoreThanBook:     {"more than the book held", false},
	ledger.NoteNotFilled:        {"no fill is recorded before it", false},
	ledger.NoteMixedBase:        {"EG and PG are mixed: no table gives what it protects to", false},
	ledger.NoteWrongScale:       {"read on the scale of the other glycol: not used", false},
	ledger.NoteBaseUnknown:      {"which glycol is inside is not known: the scale may be wrong", false},
	ledger.NoteBeyondTable:      {"beyond the tables", false},
	ledger.NoteVolumeAssumed:    {"first known strength; how much is inside it does not show: see the level cold", true},
	ledger.NoteMeterOutlier:     {"cannot be true together with the other readings; not used", false},
	ledger.NoteColder:           {"colder than the book: does not count until an independent second test or an entry explains it: another instrument, or this one zeroed on purified water on another day", false},
	ledger.NoteNotMixed:         {"less than four hours after coolant was poured in, and without a run: the retest stays due", false},
	ledger.NoteOutUnknown:       {"what came out is not recorded: taken as what went in", false},
	ledger.NoteMarksUnknown:     {"the register does not know the tank’s marks: not judged", false},
	ledger.NoteNotReady:         {"something still stops the unit", false},
	ledger.NoteSettling:         {"within ten days of the fill: no leak", true},
	ledger.NoteInferred:         {"inferred to balance the books; not observed", false},
	ledger.NoteTooStrong:        {tooStrong, false},
	ledger.NoteDensityPG:        {"a floating tester gives no strength of PG", false},
	ledger.NoteOtherMeter:       {"another kind of meter; not used", false},
	ledger.NoteMixedTech:        {"another inhibitor technology than what is inside", false},
	ledger.NotePremixThinned:    {"premix is never diluted with water", false},
	ledger.NoteDistrusted:       {"the reading cannot be used", false},
	ledger.NotePartial:          {"too little was replaced to count as a renewal", false},
	ledger.NoteAirTrapped:       {"less went in than came out: air is trapped; do not release", false},
	ledger.NoteLevelLow:         {"the level shows less than the book holds", false},
	ledger.NoteLevelHigh:        {"the level shows more than the book holds", false},
	ledger.NoteLevelHot:         {"a hot level reads high and proves nothing", true},
	ledger.NoteNoTank:           {"the register does not know what a millimetre of this tank holds", true},
	ledger.NoteStrikesNone:      {"the line it strikes is not in these books yet", false},
	ledger.NoteClosesNone:       {"no such defect is open", false},
	ledger.NoteNotHeld:          {"there was no hold", false},
	ledger.NoteLeaks:            {"the pressure fell", false},
	ledger.NoteOffRating:        {"opens off its rating", false},
	ledger.NoteGlycolKept:       {"flush water stayed inside and dilutes the fill", true},
	ledger.NoteForeign:          {"a foreign product is too much of the charge", false},
	ledger.NoteOverDosed:        {"more nitrite than stays dissolved", false},
	ledger.NoteExtendedTwice:    {"an extender is given once in the life of a charge", false},
	ledger.NoteWaterIn:          {"water in a waterless coolant: what it protects to is not known", false},
	ledger.NoteWaterless:        {"a glycol scale gives no reading of a waterless coolant: read its water in per cent", false},
	ledger.NoteImplausible:      {"a number or a time beyond anything that can be meant: not used", false},
	ledger.NoteEmptyBook:        {"by the book nothing is inside that could have been tested: record what was filled", false},
	ledger.NoteBottle:           {"a full recovery bottle proves nothing: see the header tank as well", true},
	ledger.NoteInstrumentKind:   {"by the register the instrument is of another kind: recorded, not used", false},
	ledger.NoteInstrumentScale:  {"by the register the instrument has no such scale: recorded, not used", false},
	ledger.NoteInstrumentChart:  {"by the register the discs have another chart: recorded, not used", false},
	ledger.NoteInstrumentSample: {"by the register the sample was beyond the range of the instrument: recorded, not used", false},
	ledger.NoteStrip:            {"the strip was past its date or read too late: its figures are not used", false},
}

// Note of a line in words, and whether it is a warning.
func Note(n ledger.Note) (text string, warning bool) {
	known, ok := notes[n]
	if !ok {
		return Name(string(n)), true
	}
	return known.text, !known.quiet
}

// audited is what a line of the audit says was done.
var audited = map[string]string{
	"zone_changed": "changed the time zone", "signed_out_everywhere": "signed out everywhere", "sign_in_failed": "sign-in failed",
	"sign_in_throttled": "sign-in while waiting", "password_forgotten": "asked for a new password", "password_chosen": "chose a password",
	"person_changed": "changed a person", "invited": "invited a person", "invited_again": "sent an invitation again",
	"plan_added": "added a service plan", "plan_changed": "changed a service plan", "kind_on_plan": "put a kind on a service plan", "unit_on_plan": "put a unit on a service plan",
	"planned": "added to the work list", "planned_moved": "rescheduled on the work list", "planned_back": "removed from the work list",
	"circuit_added": "added a circuit", "circuit_ended": "ended a circuit", "circuit_renamed": "renamed a circuit", "circuit_reopened": "reopened a circuit", "unit_changed": "changed a unit",
	"unit_added": "added units", "type_added": "added a type", "type_changed": "changed a type", "site_added": "added a site", "product_added": "added a product",
	"product_changed": "changed a product", "instrument_added": "added an instrument", "instrument_changed": "changed an instrument", "fleet_changed": "changed the fleet",
	"plan_proposed": "proposed places on the plan", "plan_moved": "moved on the plan", "plan_taken_off": "took off the plan", "plan_pinned": "pinned on the plan", "plan_undo": "undid a change of the plan",
	"plan_redo": "did a change of the plan again", "plan_agreed": "agreed a week", "rules_changed": "evaluated by other rules", "job_finished": "finished a job whose entries were in the ledger", "plan_unlocked": "unlocked a week", "calendar_made": "made a calendar address", "calendar_revoked": "revoked a calendar address",
	"technician_added": "added a technician", "technician_changed": "changed a technician",
	"nights_imported": "imported nights", "token_made": "made a token", "token_revoked": "revoked a token", "exported": "exported everything", "backup_failed": "did not write the backup", "import_begun": "imported a spreadsheet", "import_reversed": "reversed an import",
	"unit_renamed": "renamed a unit", "site_changed": "changed a site", "register_loaded": "loaded the register",
}

// Audited is what an audit line says was done, by its code.
func Audited(what string) string {
	if text, ok := audited[what]; ok {
		return text
	}
	return Name(what)
}
