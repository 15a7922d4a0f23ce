package store

import (
	"context"
	"database/sql"
	"errors"

	"diligentledger/internal/words"
)

// Rows of installation that say what the fleet is called and how its people read who have chosen
// nothing.
const (
	fleetNameFact = "fleet_name"
	readingFact   = "reading"
)

// Installation is what is set for the whole fleet, and how much its register holds.
type Installation struct {
	// Name of the fleet: its own, else that of the loaded one; empty for none.
	Name string
	// Reader is how people read who have chosen nothing.
	Reader              words.Reader
	Units, Sites, Plans int
}

// Untouched reports whether the books hold nothing that a person or a command brought: no unit, site, service plan, name, person
// or entry.
func (s *Store) Untouched(ctx context.Context) (yes bool, err error) {
	err = s.db.QueryRowContext(ctx, `
		SELECT NOT EXISTS (SELECT 1 FROM unit) AND NOT EXISTS (SELECT 1 FROM site) AND NOT EXISTS (SELECT 1 FROM plan) AND NOT EXISTS (SELECT 1 FROM person)
		       AND NOT EXISTS (SELECT 1 FROM entry) AND NOT EXISTS (SELECT 1 FROM installation WHERE name IN (?, ?))`, fleetNameFact, fleetFact).Scan(&yes)
	return yes, err
}

// Installation as it is now.
func (s *Store) Installation(ctx context.Context) (i Installation, err error) {
	var reading string
	err = s.db.QueryRowContext(ctx, `
		SELECT COALESCE((SELECT value FROM installation WHERE name = ?), (SELECT value FROM installation WHERE name = ?), ''), COALESCE((SELECT value FROM installation WHERE name = ?), ''),
		       (SELECT COUNT(*) FROM unit WHERE left_on IS NULL), (SELECT COUNT(*) FROM site), (SELECT COUNT(*) FROM plan)`, fleetNameFact, fleetFact, readingFact).
		Scan(&i.Name, &reading, &i.Units, &i.Sites, &i.Plans)
	i.Reader = words.ReaderOf(reading)
	return i, err
}

// SetFleet name, and how its people read who have chosen nothing; nil leaves one as it is.
func (s *Store) SetFleet(ctx context.Context, by Actor, name *string, r *words.Reader) error {
	set := map[string]string{}
	if name != nil {
		set[fleetNameFact] = *name
	}
	if r != nil {
		set[readingFact] = r.Text()
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		for fact, value := range set {
			var before string
			err := tx.QueryRowContext(ctx, `SELECT value FROM installation WHERE name = ? FOR UPDATE`, fact).Scan(&before)
			if err != nil && !errors.Is(err, sql.ErrNoRows) {
				return err
			}
			if before == value {
				continue
			}
			if _, err := tx.ExecContext(ctx, `INSERT INTO installation (name, value) VALUES (?, ?) ON DUPLICATE KEY UPDATE value = VALUES(value)`, fact, value); err != nil {
				return err
			}
			what := map[string]string{fleetNameFact: "name ", readingFact: "read in "}[fact] + value
			if before != "" {
				what += ", before " + before
			}
			if err := s.changedRows(ctx, tx, by, "fleet_changed", what, settingTable, fact); err != nil {
				return err
			}
		}
		return nil
	})
}
