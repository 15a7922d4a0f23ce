// Package mariadbtest gives tests a database server of their own, with the
// schema in place, which is stopped and removed when they are done.
package mariadbtest

import (
	"context"
	"errors"
	"fmt"
	"os"
	"testing"

	"diligentledger/internal/mariadb"
	"diligentledger/internal/store"
)

// Main runs the tests of a package around one server and exits. ready sees the
// server before the first test.
func Main(m *testing.M, ready func(*mariadb.Instance)) {
	code, err := run(m, ready)
	if err != nil {
		fmt.Fprintln(os.Stderr, "database for the tests:", err)
		os.Exit(1)
	}
	os.Exit(code)
}

func run(m *testing.M, ready func(*mariadb.Instance)) (code int, err error) {
	dir, err := os.MkdirTemp("", "diligent-test-")
	if err != nil {
		return 0, err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(dir)) }()
	// The server may run as another account, which must be able to look in.
	if err := os.Chmod(dir, 0o755); err != nil {
		return 0, err
	}
	ctx := context.Background()
	instance, err := mariadb.Start(ctx, mariadb.Config{Dir: dir})
	if err != nil {
		return 0, err
	}
	defer func() { err = errors.Join(err, instance.Stop()) }()
	if _, err := store.Migrate(ctx, instance.OwnerDSN()); err != nil {
		return 0, err
	}
	if err := instance.Grant(ctx, store.Rights); err != nil {
		return 0, err
	}
	ready(instance)
	return m.Run(), nil
}
