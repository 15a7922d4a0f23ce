package store

import (
	"context"
	"database/sql"
	"fmt"
	"time"

	"diligentledger/core/access"
)

// Audited is something that was done to people, register or rules, or a sign-in.
type Audited struct {
	ID      int64
	At      time.Time
	Who     string // name, or the address that was tried
	WhoID   int64  // of the person, 0 for none
	Address string // network address
	What    string // code
	Detail  string
}

// Actor is who changes the register or the work list, and from which network address.
type Actor struct {
	ID            int64 // of the person, 0 for the program
	Name, Address string
	Role          access.Role // by which effects on accounts are judged; empty may end nothing
}

// changedRows writes the rows that a transaction changed into their chains, and into the audit
// what was changed.
func (s *Store) changedRows(ctx context.Context, tx *sql.Tx, by Actor, what, detail string, t *covered, keys ...any) error {
	if err := s.chained(ctx, tx, by.Name, what, t, keys...); err != nil {
		return err
	}
	return s.changed(ctx, tx, by, what, detail)
}

// changed writes into the audit what a transaction changes, as part of it: there is
// no change without its line.
func (s *Store) changed(ctx context.Context, tx *sql.Tx, by Actor, what, detail string) error {
	return s.audit(ctx, tx, Audited{Who: by.Name, WhoID: by.ID, Address: by.Address, What: what, Detail: detail})
}

// counted units, in words.
func counted(n int64) string {
	if n == 1 {
		return "1 unit"
	}
	return fmt.Sprintf("%d units", n)
}

// Audit writes a line no one can change.
func (s *Store) Audit(ctx context.Context, a Audited) error {
	return s.inTx(ctx, func(tx *sql.Tx) error { return s.audit(ctx, tx, a) })
}

func (s *Store) audit(ctx context.Context, tx *sql.Tx, a Audited) error {
	res, err := tx.ExecContext(ctx, `INSERT INTO audit (at, who, who_id, address, what, detail) VALUES (?, ?, NULLIF(?, 0), ?, ?, ?)`,
		s.now().UTC(), cut(a.Who, 190), a.WhoID, cut(a.Address, 64), a.What, cut(a.Detail, 500))
	if err != nil {
		return err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return err
	}
	return s.chained(ctx, tx, a.Who, a.What, auditTable, id)
}

func cut(s string, n int) string {
	if r := []rune(s); len(r) > n {
		return string(r[:n-1]) + "…"
	}
	return s
}

// AuditFilter is which lines of the audit are read; a zero field sets no limit.
type AuditFilter struct {
	// Before a line of this id.
	Before int64
	// From and To bound the time; To is not included.
	From, To time.Time
	// Who is a part of the name, What a code.
	Who, What string
	Limit     int
}

// AuditLines that a filter takes, the newest first.
func (s *Store) AuditLines(ctx context.Context, f AuditFilter) ([]Audited, error) {
	where, args := `1 = 1`, []any{}
	and := func(is bool, condition string, value any) {
		if is {
			where += ` AND ` + condition
			args = append(args, value)
		}
	}
	and(f.Before != 0, `id < ?`, f.Before)
	and(!f.From.IsZero(), `at >= ?`, f.From.UTC())
	and(!f.To.IsZero(), `at < ?`, f.To.UTC())
	and(f.Who != "", `who LIKE ?`, containing(f.Who))
	and(f.What != "", `what = ?`, f.What)
	rows, err := s.db.QueryContext(ctx, `
		SELECT id, at, who, COALESCE(who_id, 0), address, what, detail FROM audit WHERE `+where+` ORDER BY id DESC LIMIT ?`, append(args, f.Limit)...)
	return collect(rows, err, func(rows *sql.Rows) (a Audited, err error) {
		return a, rows.Scan(&a.ID, &a.At, &a.Who, &a.WhoID, &a.Address, &a.What, &a.Detail)
	})
}

// Throttle is how often a person failed, and until when they have to wait.
type Throttle struct {
	Failures    int
	Last, Until time.Time
}

// Throttle changes the throttle of who as next says, while no one else can. An
// error of next is returned, and nothing is changed.
func (s *Store) Throttle(ctx context.Context, who string, next func(Throttle) (Throttle, error)) error {
	who = cut(who, 200)
	return s.inTx(ctx, func(tx *sql.Tx) error {
		// The row must exist before it can be locked.
		long := time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)
		if _, err := tx.ExecContext(ctx, `INSERT IGNORE INTO throttle (who, failures, last_at, until_at) VALUES (?, 0, ?, ?)`, who, long, long); err != nil {
			return err
		}
		var t Throttle
		if err := tx.QueryRowContext(ctx, `SELECT failures, last_at, until_at FROM throttle WHERE who = ? FOR UPDATE`, who).
			Scan(&t.Failures, &t.Last, &t.Until); err != nil {
			return err
		}
		t, err := next(t)
		if err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE throttle SET failures = ?, last_at = ?, until_at = ? WHERE who = ?`,
			t.Failures, t.Last.UTC(), t.Until.UTC(), who)
		return err
	})
}

// DeleteOldThrottles removes some of the counters whose last try was before a time: those of
// made-up addresses, too.
func (s *Store) DeleteOldThrottles(ctx context.Context, before time.Time) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM throttle WHERE last_at < ? LIMIT 500`, before.UTC())
	return err
}

// ClearThrottle the failures of who.
func (s *Store) ClearThrottle(ctx context.Context, who string) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM throttle WHERE who = ?`, cut(who, 200))
	return err
}

// DeleteExpiredSessions removes some of the sessions that have run out.
func (s *Store) DeleteExpiredSessions(ctx context.Context) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM sessions WHERE expiry < UTC_TIMESTAMP(6) LIMIT 200`)
	return err
}
