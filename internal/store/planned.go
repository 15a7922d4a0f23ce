package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"diligentledger/core/clock"
	"diligentledger/core/measure"
)

// WorkItem is a line of the work list: work meant to be done on a unit between two
// days.
type WorkItem struct {
	ID   int64
	Unit UnitName
	// Address of the account.
	Address  string
	Work     clock.Work
	From, To measure.Date // the last one included
	SentBy   string
	SentAt   time.Time
}

// plannedCircuit joins the circuit c that planned work p is on.
const plannedCircuit = `c.unit_id = p.unit_id AND (c.id = p.circuit_id OR p.circuit_id = 0 AND c.position = 0)`

// ErrNoWorkItem says that the work list holds no open line of that id.
var ErrNoWorkItem = errors.New("no such line on the work list")

// WorkList is every open line, the earliest first.
func (s *Store) WorkList(ctx context.Context) ([]WorkItem, error) { return s.workList(ctx, ``) }

// WorkListOf some units: their open lines, the earliest first.
func (s *Store) WorkListOf(ctx context.Context, codes []string) ([]WorkItem, error) {
	args := make([]any, len(codes))
	for i, code := range codes {
		args[i] = code
	}
	return s.workList(ctx, ` AND u.code IN (NULL`+strings.Repeat(`, ?`, len(codes))+`)`, args...)
}

func (s *Store) workList(ctx context.Context, where string, args ...any) ([]WorkItem, error) {
	rows, err := s.db.QueryContext(ctx, `
		SELECT p.id, u.code, u.name, u.kind, s.name, p.work, p.from_day, p.to_day, p.sent_by, p.sent_at, `+sqlAddress+`
		FROM planned p JOIN unit u ON u.id = p.unit_id JOIN site s ON s.id = u.site_id JOIN circuit c ON `+plannedCircuit+`
		WHERE p.is_open = 1`+where+` ORDER BY p.from_day, p.to_day, u.code, p.id`, args...)
	return collect(rows, err, func(rows *sql.Rows) (p WorkItem, err error) {
		return p, rows.Scan(&p.ID, &p.Unit.Code, &p.Unit.Name, &p.Unit.Kind, &p.Unit.Site, &p.Work, &p.From, &p.To, &p.SentBy, &p.SentAt, &p.Address)
	})
}

// NewWork is a line to be put on the work list.
type NewWork struct {
	Unit     Unit
	Work     clock.Work
	From, To measure.Date
	// Closes is the open line of the same work that the books show as done; 0 for
	// none.
	Closes int64
}

// AddWork puts lines on the work list, all or none. A unit that has an open
// line for the work already keeps that one; sent are the ids of the new ones and
// already the codes of the others.
func (s *Store) AddWork(ctx context.Context, by Actor, lines []NewWork) (sent []int64, already []string, err error) {
	now := s.now().UTC().Truncate(time.Microsecond)
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		sent, already = nil, nil
		for _, l := range lines {
			if l.Closes == 0 {
				continue
			}
			if err := s.closePlanned(ctx, tx, by, `id`, l.Closes); err != nil {
				return err
			}
		}
		for some := range slices.Chunk(lines, loadRows) {
			if err := sendSome(ctx, tx, by.Name, now, some, &sent, &already); err != nil {
				return err
			}
		}
		if len(sent) == 0 {
			return nil
		}
		codes := make([]string, 0, len(sent))
		for _, l := range lines {
			if !slices.Contains(already, l.Unit.Address()) {
				codes = append(codes, l.Unit.Ledger.Code)
			}
		}
		return s.changedRows(ctx, tx, by, "planned", counted(int64(len(sent)))+": "+strings.Join(codes, ", "), plannedTable, anys(sent)...)
	})
	return sent, already, err
}

func sendSome(ctx context.Context, tx *sql.Tx, who string, now time.Time, some []NewWork, sent *[]int64, already *[]string) error {
	var args []any
	var ids []any
	for _, l := range some {
		args = append(args, l.Unit.id, l.Unit.plannedAs(), l.Work, l.From.String(), l.To.String(), who, now)
		ids = append(ids, l.Unit.id)
	}
	// What is open already keeps its row, and who sent it when.
	if _, err := tx.ExecContext(ctx, `INSERT INTO planned (unit_id, circuit_id, work, from_day, to_day, sent_by, sent_at) VALUES (?, ?, ?, ?, ?, ?, ?)`+
		strings.Repeat(`, (?, ?, ?, ?, ?, ?, ?)`, len(some)-1)+` ON DUPLICATE KEY UPDATE from_day = planned.from_day`, args...); err != nil {
		return err
	}
	type row struct {
		id, unit, circuit int64
		work              clock.Work
		ours              bool
	}
	ids = append([]any{now, who}, ids...)
	rows, err := tx.QueryContext(ctx, `SELECT id, unit_id, circuit_id, work, sent_at = ? AND sent_by = ? FROM planned WHERE is_open = 1 AND unit_id IN (?`+strings.Repeat(`, ?`, len(some)-1)+`) FOR UPDATE`, ids...)
	open, err := collect(rows, err, func(rows *sql.Rows) (r row, err error) {
		return r, rows.Scan(&r.id, &r.unit, &r.circuit, &r.work, &r.ours)
	})
	if err != nil {
		return err
	}
	for _, l := range some {
		for _, r := range open {
			if r.unit != l.Unit.id || r.circuit != l.Unit.plannedAs() || r.work != l.Work {
				continue
			}
			if r.ours {
				*sent = append(*sent, r.id)
			} else {
				*already = append(*already, l.Unit.Address())
			}
		}
	}
	return nil
}

// RescheduleWork gives a line other days; [ErrNoWorkItem].
func (s *Store) RescheduleWork(ctx context.Context, by Actor, id int64, from, to measure.Date) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		there, err := lockWorkItem(ctx, tx, id)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE planned SET from_day = ?, to_day = ? WHERE id = ?`, from.String(), to.String(), id); err != nil {
			return err
		}
		return s.changedRows(ctx, tx, by, "planned_moved", fmt.Sprintf("%s %s: %s, before %s", there.Address, there.Work, days(from, to), days(there.From, there.To)), plannedTable, id)
	})
}

// RemoveWork lines from the work list, all or none; [ErrNoWorkItem].
func (s *Store) RemoveWork(ctx context.Context, by Actor, ids []int64) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		var codes []string
		for _, id := range ids {
			there, err := lockWorkItem(ctx, tx, id)
			if err != nil {
				return err
			}
			codes = append(codes, there.Address)
			if _, err := tx.ExecContext(ctx, `UPDATE planned SET closed_at = ?, closed_by = ? WHERE id = ?`, s.now().UTC(), by.Name, id); err != nil {
				return err
			}
		}
		return s.changedRows(ctx, tx, by, "planned_back", counted(int64(len(codes)))+": "+strings.Join(codes, ", "), plannedTable, anys(ids)...)
	})
}

// closePlanned takes the open lines off the work list whose column has a value.
func (s *Store) closePlanned(ctx context.Context, tx *sql.Tx, by Actor, column string, value int64) error {
	rows, err := tx.QueryContext(ctx, `SELECT id FROM planned WHERE `+column+` = ? AND closed_at IS NULL ORDER BY id FOR UPDATE`, value)
	ids, err := collect(rows, err, func(rows *sql.Rows) (id int64, err error) { return id, rows.Scan(&id) })
	if err != nil || len(ids) == 0 {
		return err
	}
	if _, err := tx.ExecContext(ctx, `UPDATE planned SET closed_at = ?, closed_by = ? WHERE `+column+` = ? AND closed_at IS NULL`, s.now().UTC(), cut(by.Name, 120), value); err != nil {
		return err
	}
	return s.chained(ctx, tx, by.Name, "planned_back", plannedTable, anys(ids)...)
}

func anys[T any](list []T) []any {
	all := make([]any, len(list))
	for i, one := range list {
		all[i] = one
	}
	return all
}

// lockWorkItem is a line no one else can change meanwhile; [ErrNoWorkItem].
func lockWorkItem(ctx context.Context, tx *sql.Tx, id int64) (p WorkItem, err error) {
	err = tx.QueryRowContext(ctx, `
		SELECT p.id, u.code, `+sqlAddress+`, p.work, p.from_day, p.to_day
		FROM planned p JOIN unit u ON u.id = p.unit_id JOIN circuit c ON `+plannedCircuit+` WHERE p.id = ? AND p.is_open = 1 FOR UPDATE`, id).
		Scan(&p.ID, &p.Unit.Code, &p.Address, &p.Work, &p.From, &p.To)
	if errors.Is(err, sql.ErrNoRows) {
		err = fmt.Errorf("%w: %d", ErrNoWorkItem, id)
	}
	return p, err
}

// plannedAs is the circuit that planned work is on: 0 for a first circuit.
func (u Unit) plannedAs() int64 {
	if u.First() {
		return 0
	}
	return u.circuit
}

func days(from, to measure.Date) string {
	return from.String() + " to " + to.String()
}
