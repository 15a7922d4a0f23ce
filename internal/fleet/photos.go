package fleet

import (
	"context"
	"time"

	"diligentledger/internal/store"
)

// A photo is sent after its entry: it is missed after a while, and said for some weeks (judgement).
const (
	photoExpected = time.Hour
	photoSaid     = 60 * 24 * time.Hour
)

// MissingPhotos of entries that were recorded more than an hour ago, the newest first.
func (f *Fleet) MissingPhotos(ctx context.Context) ([]store.MissingPhoto, error) {
	now := f.now()
	return f.store.MissingPhotos(ctx, now.Add(-photoSaid), now.Add(-photoExpected))
}

// MissingAttachments of some that lines name.
func (f *Fleet) MissingAttachments(ctx context.Context, hashes []string) (map[string]bool, error) {
	return f.store.MissingAttachments(ctx, hashes)
}
