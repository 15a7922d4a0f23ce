package store

import (
	"context"
	"database/sql"
	"errors"
)

// Fact of this installation; empty where none is kept.
func (s *Store) Fact(ctx context.Context, name string) (value string, err error) {
	err = s.row(ctx, nil, `SELECT value FROM installation WHERE name = ?`, name).Scan(&value)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return value, err
}

// SetFact of this installation, one that decides nothing: no chain holds it.
func (s *Store) SetFact(ctx context.Context, name, value string) error {
	_, err := s.db.ExecContext(ctx, `INSERT INTO installation (name, value) VALUES (?, ?) ON DUPLICATE KEY UPDATE value = VALUES(value)`, name, value)
	return err
}

// FactOnce is the value of a fact of this installation: the one that is kept, or, where there is
// none, the one given, which is kept then.
func (s *Store) FactOnce(ctx context.Context, name, value string) (string, error) {
	if _, err := s.db.ExecContext(ctx, `INSERT IGNORE INTO installation (name, value) VALUES (?, ?)`, name, value); err != nil {
		return "", err
	}
	return s.Fact(ctx, name)
}
