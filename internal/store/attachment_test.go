package store_test

import (
	"crypto/sha256"
	"errors"
	"slices"
	"testing"

	"diligentledger/internal/store"
)

// A photo that was exchanged in the database is not given out, and verify names it; the application's own user
// cannot exchange one.
func TestAttachmentsAreVerified(t *testing.T) {
	a := store.Attachment{SHA256: sha256.Sum256([]byte("as it was")), Media: "image/jpeg", Content: []byte("as it was")}
	for range 2 {
		if err := app.AddAttachment(t.Context(), store.Actor{Name: "T. Quayle", ID: 3}, a); err != nil {
			t.Fatal(err)
		}
	}
	named := func() bool {
		t.Helper()
		_, breaks, err := app.Verify(t.Context(), nil)
		if err != nil {
			t.Fatal(err)
		}
		return slices.ContainsFunc(breaks, func(b store.Break) bool { return b.Unit == "attachments" })
	}
	if got, err := app.Attachment(t.Context(), a.SHA256); err != nil || string(got.Content) != "as it was" || named() {
		t.Fatalf("%q, %v", got.Content, err)
	}
	const exchange = `UPDATE attachment SET content = 'as it is' WHERE sha256 = ?`
	if _, err := raw(t, instance.AppDSN()).ExecContext(t.Context(), exchange, a.SHA256[:]); err == nil {
		t.Error("the application's user exchanged a photo")
	}
	db := raw(t, instance.OwnerDSN())
	if _, err := db.ExecContext(t.Context(), exchange, a.SHA256[:]); err != nil {
		t.Fatal(err)
	}
	if _, err := app.Attachment(t.Context(), a.SHA256); !errors.Is(err, store.ErrNoAttachment) || !named() {
		t.Errorf("exchanged: %v, named by verify: %v", err, named())
	}
	if _, err := db.ExecContext(t.Context(), `UPDATE attachment SET content = 'as it was' WHERE sha256 = ?`, a.SHA256[:]); err != nil || named() {
		t.Fatalf("put back: %v", err)
	}
}
