package store

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"

	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// Errors of a change of a unit's circuits.
var (
	ErrCircuitThere   = errors.New("the unit has or had a circuit of that name; its books stay its own")
	ErrFirstCircuit   = errors.New("the first circuit of a unit holds its meters and cannot end")
	ErrCircuitStopped = errors.New("something still stops the unit in this circuit")
	ErrNoCircuit      = errors.New("no such circuit")
)

// lockUnit of that code with all its circuits, for a change of them; [ErrNoUnit].
func lockUnit(ctx context.Context, tx *sql.Tx, code string) (id int64, err error) {
	err = tx.QueryRowContext(ctx, `SELECT id FROM unit WHERE code = ? FOR UPDATE`, code).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, fmt.Errorf("%w: %s", ErrNoUnit, code)
	}
	if err != nil {
		return 0, err
	}
	rows, err := tx.QueryContext(ctx, `SELECT id FROM circuit WHERE unit_id = ? ORDER BY id FOR UPDATE`, id)
	_, err = collect(rows, err, func(rows *sql.Rows) (n int64, err error) { return n, rows.Scan(&n) })
	return id, err
}

// circuitsChanged counts the circuits of a unit anew, makes its status one of no basis, and takes
// both rows into their chains with a line of the audit.
func (s *Store) circuitsChanged(ctx context.Context, tx *sql.Tx, by Actor, unit, circuit int64, what, detail string) error {
	if _, err := tx.ExecContext(ctx, `UPDATE unit SET revision = revision + 1, circuits = (SELECT COUNT(*) FROM circuit c WHERE c.unit_id = unit.id AND (c.position = 0 OR c.ended IS NULL)) WHERE id = ?`, unit); err != nil {
		return err
	}
	if err := staleStatuses(ctx, tx, []any{unit}); err != nil {
		return err
	}
	if err := s.chained(ctx, tx, by.Name, what, unitTable, unit); err != nil {
		return err
	}
	return s.changedRows(ctx, tx, by, what, detail, circuitTable, circuit)
}

// AddCircuit gives a unit a further circuit, with its name, facts and plan (that of the unit when it
// names none), and an account without a line; [ErrNoUnit], [ErrCircuitThere], [ErrNoServicePlan]. It
// needs a user who may change the register.
func (s *Store) AddCircuit(ctx context.Context, by Actor, code string, c LoadedUnit) error {
	if !slices.Contains(ledger.Circuits, c.Circuit) {
		return fmt.Errorf("%w: %q; accepted: %v", ErrNoCircuit, string(c.Circuit), ledger.Circuits)
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		unit, err := lockUnit(ctx, tx, code)
		if err != nil {
			return err
		}
		var there, last int
		if err := tx.QueryRowContext(ctx, `SELECT COALESCE(SUM(name = ?), 0), MAX(position) FROM circuit WHERE unit_id = ?`, c.Circuit, unit).Scan(&there, &last); err != nil {
			return err
		}
		if there > 0 {
			return fmt.Errorf("%w: %s %s", ErrCircuitThere, code, c.Circuit)
		}
		var plan int64
		err = tx.QueryRowContext(ctx, `SELECT p.id FROM plan p JOIN unit u ON u.id = ? WHERE IF(? = '', p.id = u.plan_id, p.name = ?)`, unit, c.Plan, c.Plan).Scan(&plan)
		if errors.Is(err, sql.ErrNoRows) {
			return fmt.Errorf("%w: %s", ErrNoServicePlan, c.Plan)
		}
		if err != nil {
			return err
		}
		res, err := tx.ExecContext(ctx, `INSERT INTO circuit (unit_id, name, position) VALUES (?, ?, ?)`, unit, c.Circuit, last+1)
		if err != nil {
			return err
		}
		id, err := res.LastInsertId()
		if err != nil {
			return err
		}
		if err := loadFurther(ctx, tx, id, c, plan); err != nil {
			return err
		}
		return s.circuitsChanged(ctx, tx, by, unit, id, "circuit_added", fmt.Sprintf("%s %s, %s L", code, c.Circuit, measure.Digits(float64(c.Capacity))))
	})
}

// EndCircuit of a unit from a day on: it counts no more, and its books stay. A circuit in which
// something stops the unit cannot end; work that is planned on it is closed. [ErrNoCircuit],
// [ErrFirstCircuit], [ErrCircuitStopped].
func (s *Store) EndCircuit(ctx context.Context, by Actor, address string, day measure.Date) error {
	o, err := s.open(ctx, address, "", true)
	if err != nil {
		return err
	}
	if o.First() {
		return fmt.Errorf("%w: %s", ErrFirstCircuit, o.Address())
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		unit, err := lockUnit(ctx, tx, o.Code)
		if err != nil {
			return err
		}
		circuits, err := s.unitsNow(ctx, tx, []int64{unit})
		if err != nil {
			return err
		}
		i := slices.IndexFunc(circuits, func(c Unit) bool { return c.circuit == o.circuit })
		if i < 0 {
			return fmt.Errorf("%w: %s has ended already", ErrNoCircuit, o.Address())
		}
		accounts, _, err := s.accountsWithin(ctx, tx, circuits[i:i+1])
		if err != nil {
			return err
		}
		a := accounts[circuits[i].Address()]
		if stops := a.Stops(); a.Failure != "" || len(stops) > 0 {
			return fmt.Errorf("%w: %s", ErrCircuitStopped, o.Address())
		}
		res, err := tx.ExecContext(ctx, `UPDATE circuit SET ended = ? WHERE id = ? AND ended IS NULL`, day.String(), o.circuit)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return errors.Join(fmt.Errorf("%w: %s has ended already", ErrNoCircuit, o.Address()), err)
		}
		if _, err := tx.ExecContext(ctx, `UPDATE unit u JOIN circuit c ON c.unit_id = u.id SET u.ended_seq = u.ended_seq + c.head_seq WHERE c.id = ?`, o.circuit); err != nil {
			return err
		}
		if err := s.closePlanned(ctx, tx, by, `circuit_id`, o.circuit); err != nil {
			return err
		}
		return s.circuitsChanged(ctx, tx, by, unit, o.circuit, "circuit_ended", o.Address()+" from "+day.String()+" on")
	})
}

// ReopenCircuit that was ended: it counts again, with the books that it had. [ErrNoCircuit].
func (s *Store) ReopenCircuit(ctx context.Context, by Actor, address string) error {
	u, err := s.Unit(ctx, address)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		unit, err := lockUnit(ctx, tx, u.Code)
		if err != nil {
			return err
		}
		res, err := tx.ExecContext(ctx, `UPDATE circuit SET ended = NULL WHERE id = ? AND ended IS NOT NULL`, u.circuit)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return errors.Join(fmt.Errorf("%w: %s has not ended", ErrNoCircuit, u.Address()), err)
		}
		if _, err := tx.ExecContext(ctx, `UPDATE unit u JOIN circuit c ON c.unit_id = u.id SET u.ended_seq = u.ended_seq - c.head_seq WHERE c.id = ?`, u.circuit); err != nil {
			return err
		}
		return s.circuitsChanged(ctx, tx, by, unit, u.circuit, "circuit_reopened", u.Address())
	})
}

// EndedCircuits of a unit: their addresses, in order.
func (s *Store) EndedCircuits(ctx context.Context, code string) ([]string, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT CONCAT(u.code, ' ', c.name) FROM circuit c JOIN unit u ON u.id = c.unit_id WHERE u.code = ? AND c.position > 0 AND c.ended IS NOT NULL ORDER BY c.position`, code)
	return collect(rows, err, func(rows *sql.Rows) (address string, err error) { return address, rows.Scan(&address) })
}

// RenameCircuit of a unit, as when its engine becomes the port one of two: its books stay its books.
// [ErrNoCircuit], [ErrCircuitThere].
func (s *Store) RenameCircuit(ctx context.Context, by Actor, address string, to ledger.Circuit) error {
	if !slices.Contains(ledger.Circuits, to) {
		return fmt.Errorf("%w: %q; accepted: %v", ErrNoCircuit, string(to), ledger.Circuits)
	}
	u, err := s.Unit(ctx, address)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		unit, err := lockUnit(ctx, tx, u.Code)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE circuit SET name = ? WHERE id = ?`, to, u.circuit); err != nil {
			if isDuplicate(err) {
				return fmt.Errorf("%w: %s %s", ErrCircuitThere, u.Code, to)
			}
			return err
		}
		return s.circuitsChanged(ctx, tx, by, unit, u.circuit, "circuit_renamed", u.Address()+" is now "+u.Code+" "+string(to))
	})
}

// UnitFacts are facts of a unit that its books are read by; nil leaves one as it is.
type UnitFacts struct {
	// RawWater is ledger.Yes, ledger.No, or empty for not known, of one circuit.
	RawWater *string
	// Winters is the name of another site where the unit goes in winter, empty for none; ColdOffset in
	// K, from −30 to 0; Heated, that it is kept in heated storage.
	Winters    *string
	ColdOffset *measure.Kelvin
	Heated     *bool
	// Second meter, km or h, empty for none.
	Second *measure.Unit
}

// SetUnitFacts of the unit at an address; [ErrNoUnit], [ErrNoSite]. It needs a user who may change the
// register. Books whose facts have changed are folded anew.
func (s *Store) SetUnitFacts(ctx context.Context, by Actor, address string, f UnitFacts) error {
	u, err := s.Unit(ctx, address)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		return s.judged(ctx, tx, by, []int64{u.id}, func() error { return s.setUnitFacts(ctx, tx, by, u, f) })
	})
}

func (s *Store) setUnitFacts(ctx context.Context, tx *sql.Tx, by Actor, u Unit, f UnitFacts) (err error) {
	unit := u.id
	var said []string
	set := func(text, query string, args ...any) {
		if err == nil {
			said = append(said, text)
			_, err = tx.ExecContext(ctx, query, args...)
		}
	}
	if v := f.RawWater; v != nil {
		query, id := `UPDATE unit SET raw_water = NULLIF(?, '') WHERE id = ?`, unit
		if !u.First() {
			query, id = `UPDATE circuit SET raw_water = NULLIF(?, '') WHERE id = ?`, u.circuit
		}
		set("raw-water side "+cmp.Or(*v, "not known"), query, *v, id)
	}
	if v := f.Winters; v != nil {
		var site sql.NullInt64
		if *v != "" {
			if err := tx.QueryRowContext(ctx, `SELECT id FROM site WHERE name = ?`, *v).Scan(&site); errors.Is(err, sql.ErrNoRows) {
				return fmt.Errorf("%w: %s", ErrNoSite, *v)
			} else if err != nil {
				return err
			}
		}
		set("in winter also at "+cmp.Or(*v, "no other site"), `UPDATE unit SET winter_site_id = ? WHERE id = ?`, site, unit)
	}
	if v := f.ColdOffset; v != nil {
		set("cold offset "+measure.Digits(float64(*v))+" K", `UPDATE unit SET cold_offset = ? WHERE id = ?`, *v, unit)
	}
	if v := f.Heated; v != nil {
		set(fmt.Sprintf("heated storage %v", *v), `UPDATE unit SET heated = ? WHERE id = ?`, *v, unit)
	}
	if v := f.Second; v != nil {
		set("second meter "+cmp.Or(string(*v), "none"), `UPDATE unit SET second_meter = NULLIF(?, '') WHERE id = ?`, string(*v), unit)
	}
	if err != nil || len(said) == 0 {
		return err
	}
	return s.circuitsChanged(ctx, tx, by, unit, u.circuit, "unit_changed", u.Address()+": "+strings.Join(said, ", "))
}
