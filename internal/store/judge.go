package store

import (
	"bytes"
	"cmp"
	"context"
	"database/sql"
	"fmt"
	"slices"
	"strings"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/ledger"
	"diligentledger/core/refusal"
	"diligentledger/internal/db"
)

// ForbiddenError says that who changes the register has no right to what the change would bring about in a unit's books.
type ForbiddenError struct {
	Unit  string // address of the account
	Field *refusal.Field
}

func (e *ForbiddenError) Error() string { return e.Unit + ": " + e.Field.Error() }

// judged runs change, which changes facts or rules that the books of some units are read by, in a transaction that has them to itself:
// the units and their circuits are locked first. A stop or a defect that the books show before it and not after it must be one that who
// changes may end, as with an entry: whichever way it comes, an effect is judged by the authority table. [ForbiddenError].
func (s *Store) judged(ctx context.Context, tx *sql.Tx, by Actor, units []int64, change func() error) error {
	slices.Sort(units)
	units = slices.Compact(units)
	if err := lockUnits(ctx, tx, units); err != nil {
		return err
	}
	before, err := s.stopped(ctx, tx, units)
	if err != nil {
		return err
	}
	if err := change(); err != nil || len(before) == 0 {
		return err
	}
	ids := make([]int64, 0, len(before))
	for _, one := range before {
		ids = append(ids, one.unit.id)
	}
	slices.Sort(ids)
	after, err := s.unitsNow(ctx, tx, slices.Compact(ids))
	if err != nil {
		return err
	}
	for _, one := range before {
		i := slices.IndexFunc(after, func(u Unit) bool { return u.circuit == one.unit.circuit })
		account := &ledger.Account{} // of a circuit that counts no more: nothing in it stops the unit
		if i >= 0 {
			if account, err = s.foldedNow(ctx, tx, after[i], &one); err != nil {
				return err
			}
		}
		if field := access.CheckFacts(by.Role, one.unit.Ledger.Aircraft || i >= 0 && after[i].Ledger.Aircraft, one.account, account); field != nil {
			return &ForbiddenError{one.unit.Address(), field}
		}
	}
	return nil
}

// judgedWhere is [Store.judged] for the units of which a condition holds. They are listed before they are locked: a unit that meets the
// condition only since then is found after the change, which has locked what they share, and the transaction is run again.
func (s *Store) judgedWhere(ctx context.Context, tx *sql.Tx, by Actor, change func() error, condition string, args ...any) error {
	units, err := unitsWhere(ctx, tx, condition, args...)
	if err != nil {
		return err
	}
	if err := s.judged(ctx, tx, by, units, change); err != nil {
		return err
	}
	now, err := unitsWhere(ctx, tx, condition, args...)
	if err != nil {
		return err
	}
	for _, id := range now {
		if _, judged := slices.BinarySearch(units, id); !judged {
			return fmt.Errorf("unit %d: %w", id, db.ErrAgain)
		}
	}
	return nil
}

// stoppedAccount has something that must not run, or is to be repaired.
type stoppedAccount struct {
	unit    Unit
	facts   []byte
	account *ledger.Account
}

// stopped accounts of the units, folded by the facts as they are.
func (s *Store) stopped(ctx context.Context, tx *sql.Tx, units []int64) (all []stoppedAccount, err error) {
	for some := range slices.Chunk(units, loadRows) {
		circuits, err := s.unitsNow(ctx, tx, some)
		if err != nil {
			return nil, err
		}
		accounts, _, err := s.accountsWithin(ctx, tx, circuits)
		if err != nil {
			return nil, err
		}
		for _, u := range circuits {
			a := accounts[u.Address()]
			if a == nil || a.Failure == "" && len(a.Stops()) == 0 && len(a.Defects) == 0 {
				continue
			}
			facts, err := factsOf(u)
			if err != nil {
				return nil, err
			}
			all = append(all, stoppedAccount{u, facts, a})
		}
	}
	return all, nil
}

// foldedNow is the account by the facts of u; that of before when they are the same.
func (s *Store) foldedNow(ctx context.Context, tx *sql.Tx, u Unit, before *stoppedAccount) (*ledger.Account, error) {
	facts, err := factsOf(u)
	if err != nil || bytes.Equal(facts, before.facts) {
		return before.account, err
	}
	entries, err := s.entries(ctx, tx, u)
	if err != nil {
		return nil, err
	}
	account := ledger.TryFold(u.Ledger, entries)
	return &account, nil
}

// unitsNow are the circuits of some units as the transaction has left them, with the rules of their service plans.
func (s *Store) unitsNow(ctx context.Context, tx *sql.Tx, ids []int64) ([]Unit, error) {
	if len(ids) == 0 {
		return nil, nil
	}
	args := make([]any, len(ids))
	for i, id := range ids {
		args[i] = id
	}
	in := `(?` + strings.Repeat(`, ?`, len(ids)-1) + `)`
	var all []Unit
	for _, query := range []string{unitQuery + ` WHERE u.id IN ` + in + ` ORDER BY u.id`, furtherQuery + ` WHERE u.id IN ` + in + ` ORDER BY u.id, c.position`} {
		rows, err := tx.QueryContext(ctx, query, args...)
		found, err := collect(rows, err, func(rows *sql.Rows) (Unit, error) { return scanUnit(rows) })
		if err != nil {
			return nil, err
		}
		all = append(all, found...)
	}
	shared, err := s.sharedNow(ctx)
	if err != nil {
		return nil, err
	}
	scales, err := s.scales(ctx)
	if err != nil {
		return nil, err
	}
	replaced, err := replacedBy(ctx, tx)
	if err != nil {
		return nil, err
	}
	zones, err := s.zonesNow(ctx, tx)
	if err != nil {
		return nil, err
	}
	for i := range all {
		u := &all[i]
		s.fill(u, shared, scales[u.siteID])
		u.Ledger.Replaced, u.Zone = replaced[u.PlanID], zones(u.siteID)
		u.Ledger.Earlier = earlierFacts(u.Ledger.Dated(), u.earlier, u.Zone)
	}
	return all, nil
}

// zonesNow gives the zone of each site as the transaction has left it.
func (s *Store) zonesNow(ctx context.Context, tx *sql.Tx) (func(site int64) *time.Location, error) {
	var fleet string
	if err := tx.QueryRowContext(ctx, `SELECT COALESCE((SELECT value FROM installation WHERE name = ?), '')`, zoneFact).Scan(&fleet); err != nil {
		return nil, err
	}
	names := map[int64]string{}
	rows, err := tx.QueryContext(ctx, `SELECT id, COALESCE(zone, '') FROM site`)
	if _, err := collect(rows, err, func(rows *sql.Rows) (id int64, err error) {
		var name string
		err = rows.Scan(&id, &name)
		names[id] = name
		return id, err
	}); err != nil {
		return nil, err
	}
	return func(site int64) *time.Location {
		zone, err := time.LoadLocation(cmp.Or(names[site], fleet, "UTC"))
		if err != nil {
			return time.UTC // a name that no zone has, as every reader of it takes it
		}
		return zone
	}, nil
}

// replacedBy each service plan: the share of a charge that counts as a renewal, as the transaction has left it.
func replacedBy(ctx context.Context, tx *sql.Tx) (map[int64]float64, error) {
	all := map[int64]float64{}
	rows, err := tx.QueryContext(ctx, `SELECT id, replaced FROM plan`)
	_, err = collect(rows, err, func(rows *sql.Rows) (id int64, err error) {
		var share float64
		err = rows.Scan(&id, &share)
		all[id] = share
		return id, err
	})
	return all, err
}

// lockUnits and their circuits, in the order of their ids: nobody else writes to their accounts or their facts until the transaction
// ends.
func lockUnits(ctx context.Context, tx *sql.Tx, units []int64) error {
	for some := range slices.Chunk(units, loadRows) {
		args := make([]any, len(some))
		for i, id := range some {
			args[i] = id
		}
		in := `(?` + strings.Repeat(`, ?`, len(some)-1) + `)`
		for _, query := range []string{`SELECT id FROM unit WHERE id IN ` + in + ` ORDER BY id FOR UPDATE`, `SELECT id FROM circuit WHERE unit_id IN ` + in + ` ORDER BY unit_id, id FOR UPDATE`} {
			rows, err := tx.QueryContext(ctx, query, args...)
			if _, err := collect(rows, err, func(rows *sql.Rows) (id int64, err error) { return id, rows.Scan(&id) }); err != nil {
				return fmt.Errorf("units are locked: %w", err)
			}
		}
	}
	return nil
}

// unitsWhere a condition holds, by id.
func unitsWhere(ctx context.Context, tx *sql.Tx, condition string, args ...any) ([]int64, error) {
	rows, err := tx.QueryContext(ctx, `SELECT u.id FROM unit u WHERE `+condition+` ORDER BY u.id`, args...)
	return collect(rows, err, func(rows *sql.Rows) (id int64, err error) { return id, rows.Scan(&id) })
}
