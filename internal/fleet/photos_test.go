package fleet_test

import (
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/ledger"
	"diligentledger/internal/fleet"
	"diligentledger/internal/store"
)

// An entry that names a photo is missed after an hour until the photo comes; a struck one is not, and neither is the report of a
// laboratory.
func TestPhotoThatNeverComes(t *testing.T) {
	content := []byte("a photo that is late")
	sum := sha256.Sum256(content)
	hash := hex.EncodeToString(sum[:])
	write := func(b ledger.Body, photos ...string) ledger.Entry {
		t.Helper()
		e := ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), Unit: "CA-05", At: noon.Add(-time.Minute), Body: b, Confirmed: true, Envelope: ledger.Envelope{Attachments: photos}}
		if _, err := writeEntry(t.Context(), worker, "CA-05", e); err != nil {
			t.Fatal(err)
		}
		return e
	}
	late := write(ledger.NoteBody{Text: "see the photo"}, hash)
	struck := write(ledger.NoteBody{Text: "see the other photo"}, hash[:63]+"0")
	write(ledger.Strike{Entry: struck.ID, Why: "wrong unit"})
	missed := func(after time.Duration) bool {
		t.Helper()
		f := fleet.New(app, func() time.Time { return now().Add(after) })
		all, err := f.MissingPhotos(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		if slices.ContainsFunc(all, func(p store.MissingPhoto) bool { return p.Entry == struck.ID || p.Kind == ledger.KindChemistry }) {
			t.Errorf("missed of a struck entry, or of a report: %+v", all)
		}
		i := slices.IndexFunc(all, func(p store.MissingPhoto) bool { return p.Entry == late.ID })
		if i >= 0 && (all[i].Code != "CA-05" || all[i].RecordedBy != worker.Name) {
			t.Errorf("%+v", all[i])
		}
		return i >= 0
	}
	if missed(30*time.Minute) || !missed(2*time.Hour) || !missed(50*24*time.Hour) || missed(70*24*time.Hour) {
		t.Error("it is missed from an hour on, for some weeks")
	}
	if err := app.AddAttachment(t.Context(), store.Actor{ID: worker.ID, Name: worker.Name}, store.Attachment{SHA256: sum, Media: "image/jpeg", Content: content}); err != nil {
		t.Fatal(err)
	}
	if missed(2 * time.Hour) {
		t.Error("it came and is missed")
	}
}
