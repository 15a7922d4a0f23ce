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
	"math/rand/v2"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/database"
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
	db *sql.DB
	// sessions are connections for the session package: its statements are not prepared once, so
	// that the driver puts their values in, and each is one exchange with the server, not three.
	sessions   *sql.DB
	now        func() time.Time
	statements sync.Map // *sql.Stmt by query
	kept       atomic.Pointer[shared]
	zone       atomic.Pointer[time.Location] // of the fleet, as loaded last
	writing    chan struct{}
}

// statementWait is how long the server may leave a statement, or the sending of one, without
// a byte: a server that is stopped or stuck is noticed, and the request answered.
const statementWait = 3 * time.Second

// readyWait is how long readiness waits for the database.
const readyWait = 1500 * time.Millisecond

// Open connects to the database of dsn; no statement waits longer than [statementWait] for
// its server. now is the clock that stamps records.
func Open(dsn string, now func() time.Time) (*Store, error) {
	return open(dsn, now, statementWait)
}

// OpenPatient is [Open] for tools that read whole tables: their statements take their time.
func OpenPatient(dsn string, now func() time.Time) (*Store, error) { return open(dsn, now, 0) }

func open(dsn string, now func() time.Time, wait time.Duration) (*Store, error) {
	config, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("database address: %w", err)
	}
	config.ReadTimeout, config.WriteTimeout = wait, wait
	pool := func(config *mysql.Config, most int) (*sql.DB, error) {
		connector, err := mysql.NewConnector(config)
		if err != nil {
			return nil, fmt.Errorf("database address: %w", err)
		}
		db := sql.OpenDB(connector)
		db.SetMaxOpenConns(most)
		db.SetMaxIdleConns(most)
		db.SetConnMaxIdleTime(5 * time.Minute)
		return db, nil
	}
	s := &Store{now: now, writing: make(chan struct{}, mostWriting)}
	if s.db, err = pool(config, mostConnections); err != nil {
		return nil, err
	}
	config = config.Clone()
	config.InterpolateParams = true
	s.sessions, err = pool(config, mostWriting)
	return s, err
}

// Connections to the server at most, and transactions at once: each may ask for a second
// connection, to read what units share, and must not wait for one that another holds.
const (
	mostConnections = 32
	mostWriting     = mostConnections / 2
)

// Close gives the connections back.
func (s *Store) Close() error { return errors.Join(s.db.Close(), s.sessions.Close()) }

// DB is the pool of connections itself, for tests and tools.
func (s *Store) DB() *sql.DB { return s.db }

// Sessions are the connections for the session package.
func (s *Store) Sessions() *sql.DB { return s.sessions }

// Ready reports whether the database answers within [readyWait].
func (s *Store) Ready(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, readyWait)
	defer cancel()
	return s.db.PingContext(ctx)
}

// Migrate brings the schema to the newest version and returns how many steps
// that took, one process at a time; what decides and no chain holds yet is taken into the chains. dsn must name a user who may change the schema.
func Migrate(ctx context.Context, dsn string) (int, error) {
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return 0, fmt.Errorf("database address: %w", err)
	}
	defer db.Close()
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return 0, err
	}
	provider, err := goose.NewProvider(goose.DialectMySQL, db, files)
	if err != nil {
		return 0, fmt.Errorf("migrations: %w", err)
	}
	if _, err := db.ExecContext(ctx, leaseTable); err != nil {
		return 0, fmt.Errorf("lease: %w", err)
	}
	steps := 0
	err = underLease(ctx, db, "migrations", func(ctx context.Context) error {
		if err := firstVersion(ctx, db); err != nil {
			return fmt.Errorf("migrations: %w", err)
		}
		done, err := provider.Up(ctx)
		steps = len(done)
		if err != nil {
			return fmt.Errorf("migrations: %w", err)
		}
		books := &Store{db: db, now: time.Now, writing: make(chan struct{}, 1)}
		if err := books.chainExisting(ctx); err != nil {
			return fmt.Errorf("taking the register into its chains: %w", err)
		}
		return nil
	})
	return steps, err
}

// noSuchTable is MariaDB's error for a table that is not there.
const noSuchTable = 1146

// firstVersion writes the row of version 0 into a version table without rows, which a start
// killed between goose's CREATE TABLE and its first INSERT leaves behind: MariaDB commits each
// by itself, and goose refuses such a table for good.
func firstVersion(ctx context.Context, db *sql.DB) error {
	versions, err := database.NewStore(goose.DialectMySQL, goose.DefaultTablename)
	if err != nil {
		return err
	}
	_, err = versions.GetLatestVersion(ctx, db)
	var e *mysql.MySQLError
	switch {
	case errors.Is(err, database.ErrVersionNotFound):
		return versions.Insert(ctx, db, database.InsertRequest{Version: 0})
	case errors.As(err, &e) && e.Number == noSuchTable:
		return nil
	}
	return err
}

// tries of a transaction that the database gives up on.
const tries = 6

// inTx runs f in a transaction and commits it, again from the start while the
// database asks for that. f must have no effect outside the transaction.
func (s *Store) inTx(ctx context.Context, f func(tx *sql.Tx) error) error {
	for try := 1; ; try++ {
		err := s.once(ctx, f)
		if err == nil || try == tries || !retryable(err) {
			return err
		}
		pause := time.Duration(rand.IntN(20<<try)) * time.Millisecond
		select {
		case <-ctx.Done():
			return errors.Join(ctx.Err(), err)
		case <-time.After(pause):
		}
	}
}

func (s *Store) once(ctx context.Context, f func(tx *sql.Tx) error) error {
	select {
	case <-ctx.Done():
		return ctx.Err()
	case s.writing <- struct{}{}:
	}
	defer func() { <-s.writing }()
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	if err := f(tx); err != nil {
		// The first error is the one to return; a failed rollback drops the connection.
		_ = tx.Rollback()
		return err
	}
	if err := tx.Commit(); err != nil {
		if retryable(err) {
			return err
		}
		// The server may have committed before its answer was lost.
		return fmt.Errorf("%w: %w", ErrOutcomeUnknown, err)
	}
	return nil
}

// ErrOutcomeUnknown says that it is not known whether a transaction was committed. What
// carries an id of its own may be sent again: it is written once.
var ErrOutcomeUnknown = errors.New("not known whether it was written")

// Errors of MariaDB after which a transaction may be run again.
const (
	lockWaitTimeout = 1205
	deadlock        = 1213
	duplicate       = 1062
)

// DiskFull reports whether the server could not write for want of room: 1021 disk full, 1114
// table full, and errno 28 (ENOSPC) within 3, 1026 and 1030.
func DiskFull(e *mysql.MySQLError) bool {
	switch e.Number {
	case 1021, 1114:
		return true
	case 3, 1026, 1030:
		return strings.Contains(e.Message, "28")
	}
	return false
}

// isDuplicate: a row of that key is there already.
func isDuplicate(err error) bool {
	var e *mysql.MySQLError
	return errors.As(err, &e) && e.Number == duplicate
}

func retryable(err error) bool {
	var e *mysql.MySQLError
	return errors.As(err, &e) && (e.Number == deadlock || e.Number == lockWaitTimeout)
}

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
