package db_test

import (
	"context"
	"database/sql"
	"errors"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"diligentledger/internal/db"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/mariadb/mariadbtest"
)

var instance *mariadb.Instance

func TestMain(m *testing.M) { mariadbtest.Main(m, func(i *mariadb.Instance) { instance = i }) }

func open(t *testing.T, wait time.Duration) *db.Pool {
	t.Helper()
	p, err := db.Open(instance.OwnerDSN(), db.Options{Wait: wait})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := p.Close(); err != nil {
			t.Error(err)
		}
	})
	return p
}

func exec(t *testing.T, p *db.Pool, query string, args ...any) {
	t.Helper()
	if _, err := p.ExecContext(t.Context(), query, args...); err != nil {
		t.Fatalf("%s: %v", query, err)
	}
}

// What is read after a lock is as the writer before left it, even when something else was read before the lock.
func TestReadAfterLock(t *testing.T) {
	p := open(t, 0)
	exec(t, p, `CREATE TABLE head (id INT PRIMARY KEY, seq INT)`)
	exec(t, p, `CREATE TABLE line (seq INT PRIMARY KEY)`)
	exec(t, p, `INSERT INTO head VALUES (1, 0)`)
	const writers, each = 4, 25
	var running sync.WaitGroup
	for range writers {
		running.Go(func() {
			for range each {
				if err := p.Write(t.Context(), func(tx *sql.Tx) error {
					var any int
					if err := tx.QueryRowContext(t.Context(), `SELECT COUNT(*) FROM line`).Scan(&any); err != nil {
						return err
					}
					var seq, lines int
					if err := tx.QueryRowContext(t.Context(), `SELECT seq FROM head WHERE id = 1 FOR UPDATE`).Scan(&seq); err != nil {
						return err
					}
					if err := tx.QueryRowContext(t.Context(), `SELECT COUNT(*) FROM line`).Scan(&lines); err != nil {
						return err
					}
					if lines != seq {
						t.Errorf("%d lines beside a head of %d", lines, seq)
					}
					if _, err := tx.ExecContext(t.Context(), `INSERT INTO line VALUES (?)`, seq+1); err != nil {
						return err
					}
					_, err := tx.ExecContext(t.Context(), `UPDATE head SET seq = seq + 1 WHERE id = 1`)
					return err
				}); err != nil {
					t.Error(err)
				}
			}
		})
	}
	running.Wait()
	var lines int
	if err := p.QueryRowContext(t.Context(), `SELECT COUNT(*) FROM line`).Scan(&lines); err != nil || lines != writers*each {
		t.Errorf("%d lines of %d, %v", lines, writers*each, err)
	}
}

// statements under way that hold a mark in their text.
func statements(t *testing.T, p *db.Pool, mark string) (n int) {
	t.Helper()
	if err := p.QueryRowContext(t.Context(), `SELECT COUNT(*) FROM information_schema.PROCESSLIST WHERE INFO LIKE ? AND ID <> CONNECTION_ID()`, "%"+mark+"%").Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}

func waitFor(t *testing.T, what string, is func() bool) {
	t.Helper()
	for range 600 {
		if is() {
			return
		}
		time.Sleep(20 * time.Millisecond)
	}
	t.Fatalf("never: %s", what)
}

// A statement whose request was given up is ended at the server, by every way in which a statement is asked: a query, a prepared
// one, one within a transaction.
func TestGivenUp(t *testing.T) {
	p, other := open(t, time.Minute), open(t, 0)
	prepared, err := p.PrepareContext(t.Context(), `SELECT SLEEP(50), 'given up, prepared'`)
	if err != nil {
		t.Fatal(err)
	}
	for mark, ask := range map[string]func(ctx context.Context) error{
		"given up, query": func(ctx context.Context) error {
			return p.QueryRowContext(ctx, `SELECT SLEEP(50), 'given up, query'`).Scan(new(int), new(string))
		},
		"given up, prepared": func(ctx context.Context) error { return prepared.QueryRowContext(ctx).Scan(new(int), new(string)) },
		"given up, transaction": func(ctx context.Context) error {
			return p.Write(ctx, func(tx *sql.Tx) error {
				return tx.QueryRowContext(ctx, `SELECT SLEEP(50), 'given up, transaction'`).Scan(new(int), new(string))
			})
		},
		"given up, interpolated": func(ctx context.Context) error {
			return p.Interpolated.QueryRowContext(ctx, `SELECT SLEEP(?), 'given up, interpolated'`, 50).Scan(new(int), new(string))
		},
	} {
		ctx, cancel := context.WithCancel(t.Context())
		done := make(chan error, 1)
		go func() { done <- ask(ctx) }()
		waitFor(t, mark+" is asked", func() bool { return statements(t, other, mark) == 1 })
		cancel()
		if err := <-done; !errors.Is(err, context.Canceled) {
			t.Errorf("%s: %v", mark, err)
		}
		waitFor(t, mark+" is ended", func() bool { return statements(t, other, mark) == 0 })
	}
	if err := prepared.Close(); err != nil {
		t.Error(err)
	}
	// The pool goes on.
	var one int
	if err := p.QueryRowContext(t.Context(), `SELECT 1`).Scan(&one); err != nil {
		t.Error(err)
	}
}

// A statement that takes longer than a request waits is ended by the server, and the error says so; a patient pool waits.
func TestOvertime(t *testing.T) {
	p := open(t, time.Second)
	err := p.QueryRowContext(t.Context(), `SELECT COUNT(*) FROM seq_1_to_100000 a JOIN seq_1_to_100000 b`).Scan(new(int))
	if !db.IsOvertime(err) {
		t.Errorf("error %v", err)
	}
	var slept int
	if err := open(t, 0).QueryRowContext(t.Context(), `SELECT SLEEP(1.2)`).Scan(&slept); err != nil || slept != 0 {
		t.Errorf("patient: %d, %v", slept, err)
	}
}

// No other place opens a transaction.
func TestOneHelper(t *testing.T) {
	files := token.NewFileSet()
	err := filepath.WalkDir("../..", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && (d.Name() == "node_modules" || d.Name() == ".run" || d.Name() == ".git") {
			return fs.SkipDir
		}
		if !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") || filepath.Base(filepath.Dir(path)) == "db" {
			return nil
		}
		f, err := parser.ParseFile(files, path, nil, parser.SkipObjectResolution)
		if err != nil {
			return err
		}
		ast.Inspect(f, func(n ast.Node) bool {
			if c, ok := n.(*ast.CallExpr); ok {
				if s, ok := c.Fun.(*ast.SelectorExpr); ok && (s.Sel.Name == "BeginTx" || s.Sel.Name == "Begin") {
					t.Errorf("%s opens a transaction by itself; accepted: db.Pool.Write, Snapshot", files.Position(s.Pos()))
				}
			}
			if l, ok := n.(*ast.BasicLit); ok && l.Kind == token.STRING && strings.Contains(strings.ToUpper(l.Value), "START TRANSACTION") {
				t.Errorf("%s opens a transaction by itself", files.Position(l.Pos()))
			}
			return true
		})
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}
