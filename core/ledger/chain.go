package ledger

import (
	"crypto/sha256"
	"encoding/json"
	"time"
)

// Hash is the link of one entry to the one recorded before it.
type Hash [sha256.Size]byte

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
}

// Empty reports whether there is nothing in it.
func (e Envelope) Empty() bool {
	return e.Job == "" && e.Step == "" && len(e.Attachments) == 0 && e.Device == "" && e.Instrument == 0
}

// ChainHash is the hash of the record after prev: SHA-256 (FIPS 180-4) over prev and
// the record's fields in a fixed order, each as JSON on a line of its own, so
// that no two records can run together to the same bytes; a record of version 2 begins with
// its number, which no field of version 1 is in that place. The zero Hash precedes the
// first record.
func ChainHash(prev Hash, r Record) Hash {
	h := sha256.New()
	h.Write(prev[:])
	enc := json.NewEncoder(h)
	at, recorded := r.At.UTC().Format(time.RFC3339Nano), r.RecordedAt.UTC().Format(time.RFC3339Nano)
	fields := []any{r.ID, r.Unit, r.Seq, r.Kind, at, recorded, r.RecordedBy, string(r.Payload)}
	if r.Version > RecordV1 {
		fields = []any{r.Version, r.ID, r.Circuit, r.Seq, r.Kind, at, recorded, r.RecordedByID, r.RecordedBy, string(r.Envelope), string(r.Payload)}
	}
	for _, field := range fields {
		// Strings and an integer always encode, and a hash never fails to write.
		_ = enc.Encode(field)
	}
	return Hash(h.Sum(nil))
}
