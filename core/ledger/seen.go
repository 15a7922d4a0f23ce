package ledger

import "diligentledger/core/measure"

// HoseCheck is what was found on hoses and clamps.
type HoseCheck struct {
	Hoses []HoseFound `json:"hoses"`
	Note  string      `json:"note,omitempty"`
}

// HoseFound is one hose with its clamps.
type HoseFound struct {
	Hose  string `json:"hose"`            // of Hoses
	State string `json:"state"`           // of HoseStates
	Clamp string `json:"clamp,omitempty"` // of Clamps
}

// Inspection is what was found at other points.
type Inspection struct {
	Points []PointFound `json:"points"`
	Note   string       `json:"note,omitempty"`
}

// PointFound is one inspected point.
type PointFound struct {
	Point string `json:"point"`           // of Points
	State string `json:"state,omitempty"` // of PointStates; from the per cent for fins
	// Blocked share of the radiator's face, per cent.
	Blocked *float64 `json:"blocked,omitempty"`
}

// What is inspected, and what may be found.
var (
	Hoses       = []string{"upper", "lower", "heater_feed", "heater_return", "bypass", "recovery"}
	HoseStates  = []string{"good", "cracked", "bulging", "soft", "hard", "chafed", "weeping", "renewed"}
	Clamps      = []string{"good", "loose", "on_ridge"}
	Points      = []string{"fins", "pump", "weep_hole", "drain_plug", "recovery_tank", PartExchanger, PartImpeller, PartAntiSiphon, PartAnodes, "ground", PartBlockHeater, "thermostat"}
	PointStates = []string{"good", "watch", "bad", "renewed"}
)

// Points that a service plan may give an interval.
const (
	PartImpeller    = "impeller"
	PartAnodes      = "anodes"
	PartExchanger   = "heat_exchanger"
	PartAntiSiphon  = "anti_siphon"
	PartBlockHeater = "block_heater"
)

// Defect opens a finding that stays open until it is closed.
type Defect struct {
	What     string `json:"what"`
	Severity string `json:"severity"` // of Severities
}

// Severities of a defect, the worst first.
var Severities = []string{"stop", "repair", "watch"}

// DefectClosed closes a defect.
type DefectClosed struct {
	Defect string `json:"defect"` // the id of the entry that opened it
	How    string `json:"how"`
}

// LayUp begins a time in which the unit is not used.
type LayUp struct {
	// RawWater side of a boat as it is laid up, of [RawWaterStates]; empty when that is not said.
	RawWater string `json:"rawWater,omitempty"`
	Note     string `json:"note,omitempty"`
}

// RawWater is the state of a boat's raw-water side.
type RawWater struct {
	State string `json:"state"` // of RawWaterStates
	// Freeze is what the antifreeze in a filled side protects to, as tested; nil when it was not.
	Freeze *measure.Reading `json:"freeze,omitempty"`
	Note   string           `json:"note,omitempty"`
}

// States of the raw-water side. Antifreeze is PG, which may go over the side where local rules
// let it.
const (
	RawDrained = "drained"
	RawFilled  = "filled" // with antifreeze
	RawWet     = "wet"    // in use, or raw water inside
)

// RawWaterStates in the order they are offered.
var RawWaterStates = []string{RawDrained, RawFilled, RawWet}

// CombustionTest of the gas above the coolant: a fluid or a meter finds combustion gas.
type CombustionTest struct {
	Gas  string `json:"gas"` // of CombustionGas
	Note string `json:"note,omitempty"`
}

// CombustionGas that a test found.
var CombustionGas = []string{"none", "found"}

// Return ends it.
type Return struct {
	Note string `json:"note,omitempty"`
}

// Hold says that the unit must not run.
type Hold struct {
	Why string `json:"why"`
}

// Release ends a hold. For an aircraft it records the signatory's certificate
// (14 CFR 43.9: description, date, name, signature, certificate number and
// kind; recalled from memory).
type Release struct {
	What            string `json:"what"`
	Certificate     string `json:"certificate,omitempty"`
	CertificateKind string `json:"certificateKind,omitempty"`
	// Data is the approved maintenance data that the work followed, and TotalTime the hours of the
	// aircraft then.
	Data      string           `json:"data,omitempty"`
	TotalTime *measure.Reading `json:"totalTime,omitempty"`
}

// NoteBody is a note.
type NoteBody struct {
	Text string `json:"text"`
}

// Strike voids an entry. The struck entry stays to be read.
type Strike struct {
	Entry string `json:"entry"` // the id of the entry it voids
	Why   string `json:"why"`
}
