package ledger

import (
	"crypto/sha256"
	"encoding/json"
	"time"
)

// Hash is the link of one entry to the one recorded before it.
type Hash [sha256.Size]byte

// Record is an entry as it stands in the books: the bytes that are hashed.
type Record struct {
	ID         string
	Unit       string
	Seq        int64 // place in the unit's order of recording, from 1
	Kind       Kind
	At         time.Time
	RecordedAt time.Time
	RecordedBy string
	Payload    json.RawMessage // the body, byte for byte as stored
}

// ChainHash is the hash of the record after prev: SHA-256 (FIPS 180-4) over prev and
// the record's fields in a fixed order, each as JSON on a line of its own, so
// that no two records can run together to the same bytes. The zero Hash stands
// before the first record.
func ChainHash(prev Hash, r Record) Hash {
	h := sha256.New()
	h.Write(prev[:])
	enc := json.NewEncoder(h)
	for _, field := range []any{r.ID, r.Unit, r.Seq, r.Kind,
		r.At.UTC().Format(time.RFC3339Nano), r.RecordedAt.UTC().Format(time.RFC3339Nano),
		r.RecordedBy, string(r.Payload)} {
		// Strings and an integer always encode, and a hash never fails to write.
		_ = enc.Encode(field)
	}
	return Hash(h.Sum(nil))
}
