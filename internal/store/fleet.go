package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/forecast"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// LoadedFleet is a register and its books, written at once, such as the demo
// fleet.
type LoadedFleet struct {
	Name     string
	Sites    []LoadedSite
	Plans    []forecast.Plan
	Products []coolant.Product
	Units    []LoadedUnit
}

// LoadedSite is a site with its cold curve.
type LoadedSite struct {
	Name string
	Cold forecast.ColdCurve
}

// LoadedUnit is a unit with its entries, in the order of recording.
type LoadedUnit struct {
	UnitName
	Plan     string
	Capacity measure.Litre
	Base     coolant.Base // empty when nobody knows
	Meter    measure.Unit
	Entries  []ledger.Entry
}

// fleetFact is where the name of a loaded fleet stands in installation.
const fleetFact = "fleet"

// LoadedFleetName is the name of the fleet that was loaded, empty for none.
func (s *Store) LoadedFleetName(ctx context.Context) (string, error) {
	var name string
	err := s.db.QueryRowContext(ctx, `SELECT value FROM installation WHERE name = ?`, fleetFact).Scan(&name)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return name, err
}

// Load writes a whole fleet in one transaction: all of it or nothing. It needs
// a user who may add to the register.
func (s *Store) Load(ctx context.Context, f LoadedFleet) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		insert := func(query string, args ...any) (int64, error) {
			res, err := tx.ExecContext(ctx, query, args...)
			if err != nil {
				return 0, err
			}
			return res.LastInsertId()
		}
		sites, plans := map[string]int64{}, map[string]int64{}
		for _, site := range f.Sites {
			id, err := insert(`INSERT INTO site (name) VALUES (?)`, site.Name)
			if err != nil {
				return err
			}
			sites[site.Name] = id
			for m, t := range site.Cold {
				if _, err := insert(`INSERT INTO site_cold (site_id, month, celsius) VALUES (?, ?, ?)`, id, m+1, t); err != nil {
					return err
				}
			}
		}
		for _, p := range f.Plans {
			id, err := insert(`
				INSERT INTO plan (name, first_months, first_km, first_hours, later_months, later_km, later_hours, freeze_margin)
				VALUES (?, NULLIF(?, 0), NULLIF(?, 0), NULLIF(?, 0), NULLIF(?, 0), NULLIF(?, 0), NULLIF(?, 0), ?)`,
				p.Name, p.First.Months, p.First.Km, p.First.Hours, p.Later.Months, p.Later.Km, p.Later.Hours, p.FreezeMargin)
			if err != nil {
				return err
			}
			plans[p.Name] = id
		}
		for _, p := range f.Products {
			if _, err := insert(`INSERT INTO product (code, name, base, technology, form, glycol) VALUES (?, ?, ?, ?, ?, ?)`,
				p.Code, p.Name, p.Base, p.Technology, p.Form, p.Glycol); err != nil {
				return err
			}
		}
		for _, u := range f.Units {
			id, err := insert(`
				INSERT INTO unit (code, name, kind, site_id, plan_id, capacity_l, base, meter)
				VALUES (?, ?, ?, ?, ?, ?, NULLIF(?, ''), NULLIF(?, ''))`,
				u.Code, u.Name, u.Kind, sites[u.Site], plans[u.Plan], u.Capacity, u.Base, u.Meter)
			if err != nil {
				return fmt.Errorf("unit %s: %w", u.Code, err)
			}
			if err := loadEntries(ctx, tx, Unit{UnitName: u.UnitName, id: id}, u.Entries); err != nil {
				return fmt.Errorf("unit %s: %w", u.Code, err)
			}
		}
		_, err := insert(`INSERT INTO installation (name, value) VALUES (?, ?)`, fleetFact, f.Name)
		return err
	})
}

func loadEntries(ctx context.Context, tx *sql.Tx, u Unit, entries []ledger.Entry) error {
	var prev ledger.Hash
	for n, e := range entries {
		payload, err := json.Marshal(e.Body)
		if err != nil {
			return err
		}
		r := Receipt{Record: ledger.Record{ID: e.ID, Unit: u.Code, Seq: int64(n + 1), Kind: e.Body.Kind(),
			At: e.At.UTC().Truncate(time.Microsecond), RecordedAt: e.RecordedAt.UTC().Truncate(time.Microsecond),
			RecordedBy: e.RecordedBy, Payload: payload}}
		r.Hash = ledger.Link(prev, r.Record)
		if err := insertEntry(ctx, tx, u, r, prev, e.Body); err != nil {
			return err
		}
		prev = r.Hash
	}
	return nil
}
