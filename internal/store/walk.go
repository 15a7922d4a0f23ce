package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"diligentledger/core/ledger"
	"diligentledger/core/register"
)

// Parked is a unit with where it is parked and how it is named there.
type Parked struct {
	UnitName
	Place, Tag, Registration string
	// CapStages of its pressure cap by its own facts or its type's; 0 when it is not known.
	CapStages int
}

// ParkedUnits of the fleet, or of a site by its name, by code.
func (s *Store) ParkedUnits(ctx context.Context, site string) ([]Parked, error) {
	rows, err := s.db.QueryContext(ctx, `
		SELECT u.code, u.name, u.kind, s.name, COALESCE(u.facts, '{}'), COALESCE(y.facts, '{}')
		FROM unit u JOIN site s ON s.id = u.site_id LEFT JOIN unit_type y ON y.id = u.type_id WHERE u.left_on IS NULL AND (? = '' OR s.name = ?) ORDER BY u.code`, site, site)
	return collect(rows, err, func(rows *sql.Rows) (p Parked, err error) {
		var own, typed []byte
		if err := rows.Scan(&p.Code, &p.Name, &p.Kind, &p.Site, &own, &typed); err != nil {
			return p, err
		}
		var facts, ofType register.Facts
		if err := errors.Join(json.Unmarshal(own, &facts), json.Unmarshal(typed, &ofType)); err != nil {
			return p, fmt.Errorf("facts of %s: %w", p.Code, err)
		}
		p.Place, p.Tag, p.Registration = facts["place"], facts["tag"], facts["registration"]
		for _, f := range []register.Facts{ofType, facts} {
			if n, ok := f.Number(register.Unit, "cap_stages"); ok {
				p.CapStages = int(n)
			}
		}
		return p, nil
	})
}

// PackedAccounts of all circuits of some units as they are stored, by address, of those that are of
// today's rules and facts.
func (s *Store) PackedAccounts(ctx context.Context, units []Unit) (map[string]ledger.Packed, error) {
	all := map[string]ledger.Packed{}
	units = circuitsOf(units)
	byID := map[int64]Unit{}
	args := make([]any, len(units))
	for i, u := range units {
		byID[u.circuit], args[i] = u, u.circuit
	}
	if len(units) == 0 {
		return all, nil
	}
	rows, err := s.db.QueryContext(ctx, `SELECT c.id, a.seq, `+accountColumns+` FROM circuit c JOIN account a ON a.circuit_id = c.id AND a.seq = c.head_seq
		WHERE c.id IN (?`+strings.Repeat(`, ?`, len(args)-1)+`)`, args...)
	_, err = collect(rows, err, func(rows *sql.Rows) (n int, err error) {
		var id int64
		var a storedAccount
		if err := rows.Scan(append([]any{&id, &a.seq}, a.columns()...)...); err != nil {
			return 0, err
		}
		u := byID[id]
		if account, err := a.restored(u); err == nil && account != nil && a.seq == u.Seq {
			all[u.Address()] = a.Packed
		}
		return 0, nil
	})
	return all, err
}

// AddressOf the account of a circuit by its id, as it is now; [ErrNoUnit].
func (s *Store) AddressOf(ctx context.Context, circuit int64) (address string, err error) {
	err = s.row(ctx, nil, `SELECT `+sqlAddress+` FROM circuit c JOIN unit u ON u.id = c.unit_id WHERE c.id = ?`, circuit).Scan(&address)
	if errors.Is(err, sql.ErrNoRows) {
		err = fmt.Errorf("%w: circuit %d", ErrNoUnit, circuit)
	}
	return address, err
}

// Circuit is the id of the circuit that an account is of: it stays when its unit is renamed.
func (u Unit) CircuitID() int64 { return u.circuit }
