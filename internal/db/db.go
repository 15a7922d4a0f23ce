// Package db is the pool of connections to MariaDB, and the one place that opens a transaction.
//
// A writing transaction ([Pool.Write]) is READ COMMITTED: a plain SELECT sees what is committed at that moment, so that what is
// read after a lock is as the writer before left it. With the server's default, REPEATABLE READ, the first plain SELECT fixes
// the view of all later ones: a row that is locked afterwards is new, the rows read beside it are old. What a transaction
// relies on it locks before it reads it. The order of locks, from first to last:
//
//  1. plan_state, the revision of the plan
//  2. import_run
//  3. unit by id, then circuit by id
//  4. other records of the register by id: type, site, product, instrument, technician, service plan
//  5. job
//  6. person, one_time_link, api_token, throttle
//  7. unit_status and status_count
//  8. chain: the heads of the chains of changes
//
// Two that meet in another order are a deadlock (1213) of which MariaDB ends one, or a wait that ends (1205); both are run again,
// and so is a transaction that a cluster refuses to certify (1213 as well).
package db

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math/rand/v2"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Connections to the server at most, and transactions at once: each may ask for a second
// connection, to read what units share, and must not wait for one that another holds.
const (
	mostConnections = 32
	mostWriting     = mostConnections / 2
)

// Options of a pool.
type Options struct {
	// Wait is how long the server may leave a statement, or the sending of one, without a byte. A statement ends by itself just
	// before; one whose request was given up is ended by the server. 0 for no limit.
	Wait time.Duration
}

// limitShare of the wait after which the server ends a statement: it answers before the connection is given up.
const limitShare = 0.93

// Pool of connections. It is safe for concurrent use.
type Pool struct {
	*sql.DB
	// Interpolated are connections whose statements are not prepared once, so that the driver puts their values in, and each is
	// one exchange with the server, not three.
	Interpolated *sql.DB
	writing      chan struct{}
	ender        *ender // nil without a limit
}

// Open the pool of a database.
func Open(dsn string, o Options) (*Pool, error) {
	config, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("database address: %w", err)
	}
	config.ReadTimeout, config.WriteTimeout = o.Wait, o.Wait
	if config.Params == nil {
		config.Params = map[string]string{}
	}
	config.Params["tx_isolation"] = "'READ-COMMITTED'"
	p := &Pool{writing: make(chan struct{}, mostWriting)}
	if o.Wait > 0 {
		if p.ender, err = newEnder(config.Clone()); err != nil {
			return nil, err
		}
		config.Params["max_statement_time"] = fmt.Sprintf("%.3f", limitShare*o.Wait.Seconds())
		config.DialFunc = p.ender.dial
	}
	if p.DB, err = pool(config, mostConnections); err != nil {
		return nil, err
	}
	config = config.Clone()
	config.InterpolateParams = true
	p.Interpolated, err = pool(config, mostWriting)
	return p, err
}

// Of a pool of connections that another made, such as that of the migrations: one transaction at a time.
func Of(open *sql.DB) *Pool {
	return &Pool{DB: open, Interpolated: open, writing: make(chan struct{}, 1)}
}

func pool(config *mysql.Config, most int) (*sql.DB, error) {
	connector, err := mysql.NewConnector(config)
	if err != nil {
		return nil, fmt.Errorf("database address: %w", err)
	}
	open := sql.OpenDB(connector)
	open.SetMaxOpenConns(most)
	open.SetMaxIdleConns(most)
	open.SetConnMaxIdleTime(5 * time.Minute)
	return open, nil
}

// Close gives the connections back.
func (p *Pool) Close() error {
	err := errors.Join(p.DB.Close(), p.Interpolated.Close())
	if p.ender != nil {
		err = errors.Join(err, p.ender.close())
	}
	return err
}

// ExecContext runs one statement, again while the database gives up on it for the sake of another.
func (p *Pool) ExecContext(ctx context.Context, query string, args ...any) (res sql.Result, err error) {
	for try := 1; ; try++ {
		res, err = p.DB.ExecContext(ctx, query, args...)
		if err == nil || try == tries || !Retryable(err) || !pause(ctx, try) {
			return res, err
		}
	}
}

// pause before the next try, longer with each; false when ctx ends.
func pause(ctx context.Context, try int) bool {
	select {
	case <-ctx.Done():
		return false
	case <-time.After(time.Duration(rand.IntN(20<<try)) * time.Millisecond):
		return true
	}
}

// tries of a transaction that the database gives up on.
const tries = 6

// Write runs f in a transaction and commits it, again from the start while the database asks for that. f locks what it relies on
// before it reads it, in the order of the package, and must have no effect outside the transaction.
func (p *Pool) Write(ctx context.Context, f func(tx *sql.Tx) error) error {
	for try := 1; ; try++ {
		err := p.once(ctx, f)
		if err == nil || try == tries || !Retryable(err) {
			return err
		}
		if !pause(ctx, try) {
			return errors.Join(ctx.Err(), err)
		}
	}
}

func (p *Pool) once(ctx context.Context, f func(tx *sql.Tx) error) error {
	select {
	case <-ctx.Done():
		return ctx.Err()
	case p.writing <- struct{}{}:
	}
	defer func() { <-p.writing }()
	tx, err := p.BeginTx(ctx, p.isolation())
	if err != nil {
		return err
	}
	if err := f(tx); err != nil {
		// The first error is the one to return; a failed rollback drops the connection.
		_ = tx.Rollback()
		return err
	}
	if err := tx.Commit(); err != nil {
		if Retryable(err) {
			return err
		}
		// The server may have committed before its answer was lost.
		return fmt.Errorf("%w: %w", ErrOutcomeUnknown, err)
	}
	return nil
}

// isolation is that of the connections of a pool made here; that of others is said with each transaction.
func (p *Pool) isolation() *sql.TxOptions {
	if p.Interpolated != p.DB {
		return nil
	}
	return &sql.TxOptions{Isolation: sql.LevelReadCommitted}
}

// Snapshot runs f in a transaction that reads as of one moment and writes nothing.
func (p *Pool) Snapshot(ctx context.Context, f func(tx *sql.Tx) error) error {
	return Snapshot(ctx, p.DB, f)
}

// Snapshot of a connection or a pool: f reads as of one moment and writes nothing.
func Snapshot(ctx context.Context, of beginner, f func(tx *sql.Tx) error) error {
	tx, err := of.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return err
	}
	defer func() { _ = tx.Rollback() }() // nothing was written
	return f(tx)
}

// Fill runs f once in a transaction on a connection whose settings the caller made, such as one without checks of foreign keys:
// for books that nobody else has open.
func Fill(ctx context.Context, on *sql.Conn, f func(tx *sql.Tx) error) error {
	tx, err := on.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	if err := f(tx); err != nil {
		_ = tx.Rollback()
		return err
	}
	return tx.Commit()
}

type beginner interface {
	BeginTx(ctx context.Context, o *sql.TxOptions) (*sql.Tx, error)
}

// ErrOutcomeUnknown says that it is not known whether a transaction was committed. What
// carries an id of its own may be sent again: it is written once.
var ErrOutcomeUnknown = errors.New("not known whether it was written")

// Errors of MariaDB.
const (
	lockWaitTimeout  = 1205
	deadlock         = 1213
	duplicate        = 1062
	noSuchTable      = 1146
	statementTimeout = 1969
	interrupted      = 1317
)

// Number of MariaDB's error; 0 for another error.
func Number(err error) uint16 {
	var e *mysql.MySQLError
	if errors.As(err, &e) {
		return e.Number
	}
	return 0
}

// ErrAgain says that a transaction found a conflicting change by itself: it is run again, as after a deadlock.
var ErrAgain = errors.New("a concurrent change conflicts with this one; try again")

// Retryable: the database, or the transaction itself, gave up for the sake of another.
func Retryable(err error) bool {
	return Number(err) == deadlock || Number(err) == lockWaitTimeout || errors.Is(err, ErrAgain)
}

// IsDuplicate: a row of that key is there already.
func IsDuplicate(err error) bool { return Number(err) == duplicate }

// IsNoTable: the table is not there.
func IsNoTable(err error) bool { return Number(err) == noSuchTable }

// IsOvertime: the server ended a statement that took longer than a request waits.
func IsOvertime(err error) bool { return Number(err) == statementTimeout || Number(err) == interrupted }
