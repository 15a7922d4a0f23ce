package store

import (
	"context"
	"database/sql"
	"fmt"
	"sync"
	"time"

	"github.com/google/uuid"
)

// A lease is held by one of several processes on the same database: the one that migrates the schema,
// and the one that does the work in the background. It is a row, and no lock of the server, since
// GET_LOCK is not shared by the nodes of a cluster.

// leaseTable is made before the first migration, which needs it.
const leaseTable = `
	CREATE TABLE IF NOT EXISTS lease (
	  name     VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY,
	  holder   CHAR(36) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
	  until_at DATETIME(6) NOT NULL
	) ENGINE=InnoDB`

// leaseLasts without being renewed: a process that was killed keeps the others waiting no longer.
const leaseLasts = 15 * time.Second

// acquire or renew a lease for a holder; false while another process has it. The time is the
// server's.
func acquire(ctx context.Context, db *sql.DB, name, holder string) (bool, error) {
	if _, err := db.ExecContext(ctx, `INSERT IGNORE INTO lease (name, holder, until_at) VALUES (?, '', '1970-01-02')`, name); err != nil {
		return false, err
	}
	res, err := db.ExecContext(ctx, `
		UPDATE lease SET holder = ?, until_at = UTC_TIMESTAMP(6) + INTERVAL ? MICROSECOND WHERE name = ? AND (holder = ? OR until_at < UTC_TIMESTAMP(6))`,
		holder, leaseLasts.Microseconds(), name, holder)
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n == 1, err
}

func release(ctx context.Context, db *sql.DB, name, holder string) error {
	_, err := db.ExecContext(ctx, `UPDATE lease SET until_at = '1970-01-02' WHERE name = ? AND holder = ?`, name, holder)
	return err
}

// underLease runs f once this process has the lease; ctx of f ends when it is lost.
func underLease(ctx context.Context, db *sql.DB, name string, f func(ctx context.Context) error) error {
	holder := uuid.NewString()
	for {
		got, err := acquire(ctx, db, name, holder)
		if err != nil {
			return fmt.Errorf("lease %s: %w", name, err)
		}
		if got {
			break
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(leaseLasts / 30):
		}
	}
	held, lost := context.WithCancel(ctx)
	var renewing sync.WaitGroup
	renewing.Go(func() {
		tick := time.NewTicker(leaseLasts / 3)
		defer tick.Stop()
		last := time.Now()
		for {
			select {
			case <-held.Done():
				return
			case <-tick.C:
				switch got, err := acquire(held, db, name, holder); {
				case err == nil && got:
					last = time.Now()
				case err == nil, time.Since(last) > leaseLasts:
					lost()
				}
			}
		}
	})
	err := f(held)
	lost()
	renewing.Wait()
	free, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
	defer cancel()
	// A lease that is not given back ends by itself.
	_ = release(free, db, name, holder)
	return err
}

// Lead runs f while this process is the one, of several on the same database, that has the lease;
// again when it was lost, until ctx ends. failed is given each try that failed.
func (s *Store) Lead(ctx context.Context, name string, f func(ctx context.Context), failed func(error)) {
	for ctx.Err() == nil {
		err := underLease(ctx, s.db.DB, name, func(ctx context.Context) error { f(ctx); return nil })
		if err != nil && ctx.Err() == nil {
			failed(err)
		}
		select {
		case <-ctx.Done():
		case <-time.After(leaseLasts / 15):
		}
	}
}
