package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
)

// Attachment is a photo by its SHA-256, which entries name in their envelope.
type Attachment struct {
	SHA256  [sha256.Size]byte
	Media   string // such as image/jpeg
	Content []byte
}

// ErrNoAttachment says that there is no attachment of that hash.
var ErrNoAttachment = errors.New("no such attachment")

// AddAttachment that is not there yet; one that is there is the same.
func (s *Store) AddAttachment(ctx context.Context, by Actor, a Attachment) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT IGNORE INTO attachment (sha256, media, content, added_at, who, who_id) VALUES (?, ?, ?, ?, ?, ?)`,
			a.SHA256[:], a.Media, a.Content, s.now().UTC(), cut(by.Name, 190), by.ID)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return err
		}
		return s.chained(ctx, tx, by.Name, "photo_added", photoTable, a.SHA256[:])
	})
}

// Attachment of a hash; [ErrNoAttachment] when there is none, or when its content is not that of its
// hash any more.
func (s *Store) Attachment(ctx context.Context, hash [sha256.Size]byte) (a Attachment, err error) {
	a.SHA256 = hash
	err = s.db.QueryRowContext(ctx, `SELECT media, content FROM attachment WHERE sha256 = ?`, hash[:]).Scan(&a.Media, &a.Content)
	if errors.Is(err, sql.ErrNoRows) || err == nil && sha256.Sum256(a.Content) != hash {
		return Attachment{}, fmt.Errorf("%w: %s", ErrNoAttachment, hex.EncodeToString(hash[:]))
	}
	return a, err
}
