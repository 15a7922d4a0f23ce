package ledger

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
	Points      = []string{"fins", "pump", "weep_hole", "drain_plug", "recovery_tank", "heat_exchanger", "impeller", "anti_siphon", "anodes", "ground"}
	PointStates = []string{"good", "watch", "bad", "renewed"}
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
	Note string `json:"note,omitempty"`
}

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
