//go:build !js

// A device without a signal links no records: the books do when its entries arrive.

package ledger

import (
	"crypto/sha256"
	"encoding/json"
	"time"
)

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
