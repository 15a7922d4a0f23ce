package ledger

import (
	"encoding/json"
	"time"
)

// Hash is the link of one entry to the one recorded before it.
type Hash [32]byte

// The versions of a record, by how it is hashed.
const (
	RecordV1 = 1 // names the unit by its code and the person by name
	RecordV2 = 2 // names circuit and person by id, and holds an envelope
)

// Record is an entry as it is stored: the bytes that are hashed.
type Record struct {
	Version int // RecordV1 when 0
	ID      string
	// Unit is its code, of version 1; or the name of a chain of changes.
	Unit string
	// Circuit whose account it is in, by id; of version 2.
	Circuit    int64
	Seq        int64 // place in the circuit's order of recording, from 1
	Kind       Kind
	At         time.Time
	RecordedAt time.Time
	// RecordedBy is the name of the day; RecordedByID the person, 0 when not known.
	RecordedBy   string
	RecordedByID int64
	Envelope     json.RawMessage // of version 2, byte for byte as stored; empty for none
	Payload      json.RawMessage // the body, byte for byte as stored
}

// Envelope is what belongs to entries of all kinds beside their body.
type Envelope struct {
	// Job and Step that the entry came from.
	Job  string `json:"job,omitempty"`
	Step string `json:"step,omitempty"`
	// Attachments by their SHA-256, hexadecimal.
	Attachments []string `json:"attachments,omitempty"`
	// Device that the entry was written on.
	Device string `json:"device,omitempty"`
	// Instrument that the body names, by id.
	Instrument int64 `json:"instrument,omitempty"`
	// Token that the entry was written by, by id.
	Token int64 `json:"token,omitempty"`
	// Unusable is why the figures of a test do not count: by the register, when it was recorded, its instrument
	// cannot have made it ([Registered.CannotHaveMade]). Empty for none.
	Unusable Note `json:"unusable,omitempty"`
}

// Empty reports whether there is nothing in it.
func (e Envelope) Empty() bool {
	return e.Job == "" && e.Step == "" && len(e.Attachments) == 0 && e.Device == "" && e.Instrument == 0 && e.Token == 0 && e.Unusable == ""
}
