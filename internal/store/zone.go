package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"diligentledger/core/register"
)

// zoneFact names the row of installation with the fleet's time zone.
const zoneFact = "zone"

// Zone of the fleet, in which a moment falls on a day; UTC until one is set.
func (s *Store) Zone(ctx context.Context) (*time.Location, error) {
	name, err := s.Fact(ctx, zoneFact)
	if err != nil || name == "" {
		return time.UTC, err
	}
	if z := s.zone.Load(); z != nil && z.String() == name {
		return z, nil
	}
	z, err := time.LoadLocation(name)
	if err == nil {
		s.zone.Store(z)
	}
	return z, err
}

// ZoneSet reports whether a zone was set.
func (s *Store) ZoneSet(ctx context.Context) (bool, error) {
	name, err := s.Fact(ctx, zoneFact)
	return name != "", err
}

// SetZone of the fleet.
func (s *Store) SetZone(ctx context.Context, by Actor, zone *time.Location) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		before := "none"
		err := tx.QueryRowContext(ctx, `SELECT value FROM installation WHERE name = ? FOR UPDATE`, zoneFact).Scan(&before)
		if err != nil && !errors.Is(err, sql.ErrNoRows) {
			return err
		}
		if before == zone.String() {
			return nil
		}
		if err := s.judgedWhere(ctx, tx, by, func() error {
			_, err := tx.ExecContext(ctx, `INSERT INTO installation (name, value) VALUES (?, ?) ON DUPLICATE KEY UPDATE value = VALUES(value)`, zoneFact, zone.String())
			return err
		}, `u.earlier IS NOT NULL OR EXISTS (SELECT 1 FROM circuit c WHERE c.unit_id = u.id AND c.earlier IS NOT NULL)`); err != nil {
			return err
		}
		return s.changedRows(ctx, tx, by, "zone_changed", fmt.Sprintf("time zone of the fleet: %s, before %s", zone, before), settingTable, zoneFact)
	})
}

// SetSiteZone of a site, nil for the fleet's; [ErrNoSite].
func (s *Store) SetSiteZone(ctx context.Context, by Actor, site int64, zone *time.Location) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		var name, before string
		err := tx.QueryRowContext(ctx, `SELECT name, COALESCE(zone, '') FROM site WHERE id = ? FOR UPDATE`, site).Scan(&name, &before)
		if errors.Is(err, sql.ErrNoRows) {
			return fmt.Errorf("%w: %d", ErrNoSite, site)
		}
		after := ""
		if zone != nil {
			after = zone.String()
		}
		if err != nil || after == before {
			return err
		}
		if err := s.judgedRecord(ctx, tx, by, register.Site, site, func() error {
			_, err := tx.ExecContext(ctx, `UPDATE site SET zone = NULLIF(?, '') WHERE id = ?`, after, site)
			return err
		}); err != nil {
			return err
		}
		named := func(zone string) string {
			if zone == "" {
				return "the fleet's"
			}
			return zone
		}
		return s.changedRows(ctx, tx, by, "site_changed", fmt.Sprintf("%s: time zone %s, before %s", name, named(after), named(before)), siteTable, site)
	})
}
