package store

import (
	"context"
	"database/sql"
	"slices"
	"strings"
)

// Forget the rows of some tables, which a test takes away: their chains say that they were removed.
func (s *Store) Forget(ctx context.Context, tables ...string) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		lines, err := lastLines(ctx, tx)
		if err != nil {
			return err
		}
		var gone []row
		for _, l := range lines {
			if name, _, _ := strings.Cut(l.subject, " "); slices.Contains(tables, name) && l.columns != nil {
				gone = append(gone, row{chain: l.chain, subject: l.subject})
			}
		}
		return s.appendLines(ctx, tx, programName, "removed_by_a_test", gone)
	})
}
