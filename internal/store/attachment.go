package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"diligentledger/core/ledger"
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

// MissingAttachments of some that are named: those of which nothing is there.
func (s *Store) MissingAttachments(ctx context.Context, hashes []string) (map[string]bool, error) {
	missing := map[string]bool{}
	for some := range slices.Chunk(hashes, loadRows) {
		for _, hash := range some {
			missing[strings.ToLower(hash)] = true
		}
		rows, err := s.db.QueryContext(ctx, `SELECT LOWER(HEX(sha256)) FROM attachment WHERE sha256 IN (UNHEX(?)`+strings.Repeat(`, UNHEX(?)`, len(some)-1)+`)`, anys(some)...)
		if _, err = collect(rows, err, func(rows *sql.Rows) (hash string, err error) {
			err = rows.Scan(&hash)
			delete(missing, hash)
			return hash, err
		}); err != nil {
			return nil, err
		}
	}
	return missing, nil
}

// MissingPhoto is a photo that an entry names and that has not come.
type MissingPhoto struct {
	UnitName
	Kind       ledger.Kind
	RecordedAt time.Time
	RecordedBy string
	Entry      string
}

// mostWithPhotos is how many entries with photos are looked through at once, the newest first.
const mostWithPhotos = 2000

// MissingPhotos of entries that were recorded within a time and are not struck, the newest first, an entry once. What a chemistry test
// names is the report of a laboratory, which is kept elsewhere.
func (s *Store) MissingPhotos(ctx context.Context, from, until time.Time) ([]MissingPhoto, error) {
	type named struct {
		MissingPhoto
		hashes []string
	}
	rows, err := s.db.QueryContext(ctx, `
		SELECT e.id, `+sqlAddress+`, u.name, u.kind, t.name, e.kind, e.recorded_at, e.recorded_by, e.envelope FROM entry e
		JOIN circuit c ON c.id = e.circuit_id JOIN unit u ON u.id = c.unit_id JOIN site t ON t.id = u.site_id
		LEFT JOIN entry x ON x.struck = e.id AND x.circuit_id = e.circuit_id
		WHERE e.photos > 0 AND e.recorded_at BETWEEN ? AND ? AND e.kind <> ? AND x.id IS NULL ORDER BY e.recorded_at DESC, e.id LIMIT ?`,
		from.UTC(), until.UTC(), ledger.KindChemistry, mostWithPhotos)
	var hashes []string
	all, err := collect(rows, err, func(rows *sql.Rows) (n named, err error) {
		var envelope []byte
		var e ledger.Envelope
		if err = rows.Scan(&n.Entry, &n.Code, &n.Name, &n.UnitName.Kind, &n.Site, &n.Kind, &n.RecordedAt, &n.RecordedBy, &envelope); err == nil {
			err = json.Unmarshal(envelope, &e)
		}
		n.hashes = e.Attachments
		hashes = append(hashes, e.Attachments...)
		return n, err
	})
	if err != nil || len(all) == 0 {
		return nil, err
	}
	missing, err := s.MissingAttachments(ctx, hashes)
	var out []MissingPhoto
	for _, n := range all {
		if slices.ContainsFunc(n.hashes, func(hash string) bool { return missing[strings.ToLower(hash)] }) {
			out = append(out, n.MissingPhoto)
		}
	}
	return out, err
}
