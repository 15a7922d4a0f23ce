// Package store keeps the books in MariaDB. It is written by hand, one file per
// aggregate, each query beside its scan; no statement is built from input.
//
// Transactions are short and run again when the database gives up on one for
// the sake of another (errors 1213 deadlock and 1205 lock wait), so that the
// store runs unchanged on a cluster that resolves conflicts at commit.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"regexp"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/database"

	"diligentledger/internal/db"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Rights of the application's database user, by table: what the code of this
// package needs, and nothing else. Entries can be added and never changed.
var Rights = map[string]string{
	"site":          "SELECT, INSERT, UPDATE",
	"site_cold":     "SELECT, INSERT, UPDATE",
	"site_night":    "SELECT, INSERT, UPDATE",
	"site_curve":    "SELECT, INSERT, UPDATE",
	"site_forecast": "SELECT, INSERT, UPDATE, DELETE",
	"planned":       "SELECT, INSERT, UPDATE",
	"plan":          "SELECT, INSERT, UPDATE",
	"product":       "SELECT, INSERT, UPDATE",
	"additive":      "SELECT",
	"installation":  "SELECT, INSERT, UPDATE",
	"unit":          "SELECT, INSERT, UPDATE",
	"circuit":       "SELECT, INSERT, UPDATE",
	"instrument":    "SELECT, INSERT, UPDATE",
	"unit_type":     "SELECT, INSERT, UPDATE",
	"entry":         "SELECT, INSERT",
	"account":       "SELECT, INSERT, UPDATE",
	"unit_status":   "SELECT, INSERT, UPDATE, DELETE",
	"status_count":  "SELECT, INSERT, UPDATE, DELETE",
	"lease":         "SELECT, INSERT, UPDATE",

	"person":         "SELECT, INSERT, UPDATE",
	"person_reading": "SELECT, INSERT, UPDATE",
	"one_time_link":  "SELECT, INSERT, UPDATE, DELETE",
	"throttle":       "SELECT, INSERT, UPDATE, DELETE",
	"sessions":       "SELECT, INSERT, UPDATE, DELETE",
	"audit":          "SELECT, INSERT",

	"api_token":       "SELECT, INSERT, UPDATE (revoked_at, last_used_at, last_result)",
	"import_run":      "SELECT, INSERT, UPDATE",
	"import_part":     "SELECT, INSERT, DELETE",
	"import_unit":     "SELECT, INSERT, UPDATE",
	"import_entry":    "SELECT, INSERT",
	"import_heading":  "SELECT, INSERT, UPDATE",
	"register_change": "SELECT, INSERT, UPDATE (undone_at, undone_by)",
	"round_log":       "SELECT, INSERT, UPDATE",
	"attachment":      "SELECT, INSERT",
	"job":             "SELECT, INSERT, UPDATE (updated_at, ended_at, phase, next_step, empty, paused, used, events, head_hash)",
	"job_event":       "SELECT, INSERT",
	"job_parameter":   "SELECT, INSERT",
	"technician":      "SELECT, INSERT, UPDATE",
	"plan_state":      "SELECT, INSERT, UPDATE",
	"placement":       "SELECT, INSERT, UPDATE",
	"plan_change":     "SELECT, INSERT, UPDATE (undone)",
	"plan_week":       "SELECT, INSERT, UPDATE, DELETE",
	"plan_agreed":     "SELECT, INSERT, UPDATE, DELETE",
	"calendar_feed":   "SELECT, INSERT, UPDATE (revoked_at)",

	"goose_db_version": "SELECT",

	"chain":      "SELECT, INSERT, UPDATE",
	"chain_line": "SELECT, INSERT",
}

// Store reads and writes the books. It is safe for concurrent use.
type Store struct {
	db         *db.Pool
	now        func() time.Time
	statements sync.Map // *sql.Stmt by query
	kept       atomic.Pointer[shared]
	zone       atomic.Pointer[time.Location] // of the fleet, as loaded last
}

// statementWait is how long the server may leave a statement of a request, or the sending of one, without
// a byte: a server that is stopped or stuck is noticed, and the request answered.
const statementWait = 3 * time.Second

// readyWait is how long readiness waits for the database.
const readyWait = 1500 * time.Millisecond

// Open connects to the database of dsn for requests: no statement waits longer than [statementWait] for
// its server, and none runs on longer there. now is the clock that stamps records.
func Open(dsn string, now func() time.Time) (*Store, error) {
	return open(dsn, now, statementWait)
}

// OpenPatient is [Open] for the start, the work in the background, and tools that read whole tables: their statements take their
// time.
func OpenPatient(dsn string, now func() time.Time) (*Store, error) { return open(dsn, now, 0) }

func open(dsn string, now func() time.Time, wait time.Duration) (*Store, error) {
	pool, err := db.Open(dsn, db.Options{Wait: wait})
	if err != nil {
		return nil, err
	}
	return &Store{db: pool, now: now}, nil
}

// Close gives the connections back.
func (s *Store) Close() error { return s.db.Close() }

// DB is the pool of connections itself, for tests and tools.
func (s *Store) DB() *sql.DB { return s.db.DB }

// Sessions are the connections for the session package.
func (s *Store) Sessions() *sql.DB { return s.db.Interpolated }

// Ready reports whether the database answers within [readyWait].
func (s *Store) Ready(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, readyWait)
	defer cancel()
	return s.db.PingContext(ctx)
}

// Migrate brings the schema to the newest version and returns how many steps
// that took, one process at a time; what decides and no chain holds yet is taken into the chains. dsn must name a user who may change the schema.
func Migrate(ctx context.Context, dsn string) (int, error) {
	open, err := sql.Open("mysql", dsn)
	if err != nil {
		return 0, fmt.Errorf("database address: %w", err)
	}
	defer open.Close()
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return 0, err
	}
	provider, err := goose.NewProvider(goose.DialectMySQL, open, files)
	if err != nil {
		return 0, fmt.Errorf("migrations: %w", err)
	}
	if _, err := open.ExecContext(ctx, leaseTable); err != nil {
		return 0, fmt.Errorf("lease: %w", err)
	}
	steps := 0
	err = underLease(ctx, open, "migrations", func(ctx context.Context) error {
		if err := firstVersion(ctx, open); err != nil {
			return fmt.Errorf("migrations: %w", err)
		}
		done, err := provider.Up(ctx)
		steps = len(done)
		if err != nil {
			return fmt.Errorf("migrations: %w", err)
		}
		books := &Store{db: db.Of(open), now: time.Now}
		if err := books.chainExisting(ctx); err != nil {
			return fmt.Errorf("taking the register into its chains: %w", err)
		}
		return nil
	})
	return steps, err
}

// firstVersion writes the row of version 0 into a version table without rows, which a start
// killed between goose's CREATE TABLE and its first INSERT leaves behind: MariaDB commits each
// by itself, and goose refuses such a table for good.
func firstVersion(ctx context.Context, open *sql.DB) error {
	versions, err := database.NewStore(goose.DialectMySQL, goose.DefaultTablename)
	if err != nil {
		return err
	}
	_, err = versions.GetLatestVersion(ctx, open)
	switch {
	case errors.Is(err, database.ErrVersionNotFound):
		return versions.Insert(ctx, open, database.InsertRequest{Version: 0})
	case db.IsNoTable(err):
		return nil
	}
	return err
}

// inTx runs f in a writing transaction, see [db.Pool.Write].
func (s *Store) inTx(ctx context.Context, f func(tx *sql.Tx) error) error { return s.db.Write(ctx, f) }

// ErrOutcomeUnknown says that it is not known whether a transaction was committed. What
// carries an id of its own may be sent again: it is written once.
var ErrOutcomeUnknown = db.ErrOutcomeUnknown

// noRoom are the texts in which MariaDB names the error of the operating system: the number comes first, in quotes or not.
var noRoom = regexp.MustCompile(`(?i)(?:errno:?|error:?|errcode:?)\s*"?(\d+)\b`)

// DiskFull reports whether the server could not write for want of room: 1021 disk full, 1114
// table full, and errno 28 (ENOSPC) or 122 (EDQUOT) within 3, 1026 and 1030, where the server's text names it.
func DiskFull(e *mysql.MySQLError) bool {
	switch e.Number {
	case 1021, 1114:
		return true
	case 3, 1026, 1030:
		m := noRoom.FindStringSubmatch(e.Message)
		return m != nil && (m[1] == "28" || m[1] == "122")
	}
	return false
}

// isDuplicate: a row of that key is there already.
func isDuplicate(err error) bool { return db.IsDuplicate(err) }

// querier is a database or a transaction in it.
type querier interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}

// prepared statement of a query, once for each store: what is asked with each entry is not
// parsed anew each time.
func (s *Store) prepared(ctx context.Context, query string) (*sql.Stmt, error) {
	if p, there := s.statements.Load(query); there {
		return p.(*sql.Stmt), nil
	}
	p, err := s.db.PrepareContext(ctx, query)
	if err != nil {
		return nil, err
	}
	if first, there := s.statements.LoadOrStore(query, p); there {
		return first.(*sql.Stmt), p.Close()
	}
	return p, nil
}

// row of a prepared query, in tx unless that is nil.
func (s *Store) row(ctx context.Context, tx *sql.Tx, query string, args ...any) interface{ Scan(...any) error } {
	p, err := s.prepared(ctx, query)
	if err != nil {
		return failedRow{err}
	}
	if tx != nil {
		p = tx.StmtContext(ctx, p)
	}
	return p.QueryRowContext(ctx, args...)
}

// rows of a prepared query. query must be one of few: each stays prepared on every connection.
func (s *Store) rows(ctx context.Context, query string, args ...any) (*sql.Rows, error) {
	p, err := s.prepared(ctx, query)
	if err != nil {
		return nil, err
	}
	return p.QueryContext(ctx, args...)
}

// failedRow could not be asked for.
type failedRow struct{ err error }

func (f failedRow) Scan(...any) error { return f.err }

// exec a prepared statement in tx.
func (s *Store) exec(ctx context.Context, tx *sql.Tx, query string, args ...any) (sql.Result, error) {
	p, err := s.prepared(ctx, query)
	if err != nil {
		return nil, err
	}
	return tx.StmtContext(ctx, p).ExecContext(ctx, args...)
}

// collect scans every row with scan. It closes rows.
func collect[T any](rows *sql.Rows, err error, scan func(*sql.Rows) (T, error)) ([]T, error) {
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []T
	for rows.Next() {
		one, err := scan(rows)
		if err != nil {
			return nil, err
		}
		all = append(all, one)
	}
	return all, rows.Err()
}
