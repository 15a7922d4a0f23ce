package store

import "context"

// FactOnce is the value of a fact of this installation: the one that is kept, or, where there is
// none, the one given, which is kept then.
func (s *Store) FactOnce(ctx context.Context, name, value string) (string, error) {
	if _, err := s.db.ExecContext(ctx, `INSERT IGNORE INTO installation (name, value) VALUES (?, ?)`, name, value); err != nil {
		return "", err
	}
	var kept string
	err := s.db.QueryRowContext(ctx, `SELECT value FROM installation WHERE name = ?`, name).Scan(&kept)
	return kept, err
}
