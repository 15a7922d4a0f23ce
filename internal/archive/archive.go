// Package archive writes everything that the books hold as one open file, and reads it into empty books: a ZIP with a
// file of JSON lines for each table, described in docs/formats.md. Ids, hashes and chains are in it as they are, so that
// the books that read it have the same accounts, chains and heads.
//
// What follows from the rest is left out and computed anew: stored accounts and status rows. So is what belongs to one
// running installation: sessions, links by mail, waiting times, leases and uploaded files.
package archive

import (
	"archive/zip"
	"bufio"
	"bytes"
	"context"
	"database/sql"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"diligentledger/internal/db"
)

// Format and Version of an archive.
const (
	Format  = "diligent-ledger-archive"
	Version = 1
)

// omitted tables: what is computed anew, and what belongs to one installation.
var omitted = []string{"account", "unit_status", "status_count", "sessions", "one_time_link", "throttle", "lease", "import_part", "goose_db_version"}

// Manifest of an archive.
type Manifest struct {
	Format  string `json:"format"`
	Version int    `json:"version"`
	// Schema is the version of the tables.
	Schema  int64     `json:"schema"`
	Written time.Time `json:"written"`
	// Tables with their number of rows.
	Tables map[string]int `json:"tables"`
}

// ErrNotEmpty says that an archive is read into empty books alone.
var ErrNotEmpty = errors.New("these books are not empty; an archive is read into empty books, as those that ./start --no-demo --data FOLDER makes")

// column of a table.
type column struct {
	name   string
	binary bool
	dated  bool // the driver would make a time of it
}

// Is reports whether a file is an archive.
func Is(content []byte) bool {
	z, err := zip.NewReader(bytes.NewReader(content), int64(len(content)))
	if err != nil {
		return false
	}
	return slices.ContainsFunc(z.File, func(f *zip.File) bool { return f.Name == "manifest.json" })
}

// tables and their columns that are written, in the order of their names.
func tables(ctx context.Context, q querier) (names []string, columns map[string][]column, err error) {
	rows, err := q.QueryContext(ctx, `
		SELECT c.table_name, c.column_name, c.data_type IN ('binary','varbinary','blob','mediumblob','longblob','tinyblob'),
		       c.data_type IN ('datetime','date','timestamp') FROM information_schema.columns c
		JOIN information_schema.tables t ON t.table_schema = c.table_schema AND t.table_name = c.table_name AND t.table_type = 'BASE TABLE'
		WHERE c.table_schema = DATABASE() AND c.is_generated = 'NEVER' ORDER BY c.table_name, c.ordinal_position`)
	if err != nil {
		return nil, nil, err
	}
	defer rows.Close()
	columns = map[string][]column{}
	for rows.Next() {
		var table string
		var c column
		if err := rows.Scan(&table, &c.name, &c.binary, &c.dated); err != nil {
			return nil, nil, err
		}
		if slices.Contains(omitted, table) {
			continue
		}
		if columns[table] == nil {
			names = append(names, table)
		}
		columns[table] = append(columns[table], c)
	}
	return names, columns, rows.Err()
}

type querier interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
}

type rowQuerier interface {
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}

func schema(ctx context.Context, of rowQuerier) (version int64, err error) {
	return version, of.QueryRowContext(ctx, `SELECT MAX(version_id) FROM goose_db_version`).Scan(&version)
}

// Write everything as it is at one moment, while the program runs. done is called with each table.
func Write(ctx context.Context, of *sql.DB, out io.Writer, now time.Time, done func(table string, rows int)) error {
	return db.Snapshot(ctx, of, func(tx *sql.Tx) error { return writeWithin(ctx, tx, out, now, done) })
}

func writeWithin(ctx context.Context, tx *sql.Tx, out io.Writer, now time.Time, done func(table string, rows int)) (err error) {
	m := Manifest{Format: Format, Version: Version, Written: now.UTC(), Tables: map[string]int{}}
	if m.Schema, err = schema(ctx, tx); err != nil {
		return err
	}
	names, columns, err := tables(ctx, tx)
	if err != nil {
		return err
	}
	z := zip.NewWriter(out)
	for _, table := range names {
		w, err := z.CreateHeader(&zip.FileHeader{Name: "tables/" + table + ".jsonl", Method: zip.Deflate, Modified: now})
		if err != nil {
			return err
		}
		n, err := writeTable(ctx, tx, w, table, columns[table])
		if err != nil {
			return fmt.Errorf("table %s: %w", table, err)
		}
		m.Tables[table] = n
		done(table, n)
	}
	w, err := z.CreateHeader(&zip.FileHeader{Name: "manifest.json", Method: zip.Deflate, Modified: now})
	if err != nil {
		return err
	}
	encoder := json.NewEncoder(w)
	encoder.SetIndent("", "  ")
	if err := encoder.Encode(m); err != nil {
		return err
	}
	return z.Close()
}

// writeTable a line for each row: an object of its columns as texts, bytes in base64.
func writeTable(ctx context.Context, tx *sql.Tx, out io.Writer, table string, columns []column) (n int, err error) {
	names := make([]string, len(columns))
	for i, c := range columns {
		if names[i] = "`" + c.name + "`"; c.dated {
			names[i] = "CAST(" + names[i] + " AS CHAR)"
		}
	}
	order := "1"
	if len(columns) > 1 {
		order = "1, 2"
	}
	// Without an argument the server sends texts, which lose nothing and gain nothing.
	rows, err := tx.QueryContext(ctx, "SELECT "+strings.Join(names, ", ")+" FROM `"+table+"` ORDER BY "+order)
	if err != nil {
		return 0, err
	}
	defer rows.Close()
	buffered := bufio.NewWriterSize(out, 64<<10)
	values := make([]sql.RawBytes, len(columns))
	into := make([]any, len(columns))
	for i := range values {
		into[i] = &values[i]
	}
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return n, err
		}
		row := make(map[string]*string, len(columns))
		for i, c := range columns {
			if values[i] == nil {
				row[c.name] = nil
				continue
			}
			text := string(values[i])
			if c.binary {
				text = base64.StdEncoding.EncodeToString(values[i])
			}
			row[c.name] = &text
		}
		line, err := json.Marshal(row)
		if err != nil {
			return n, err
		}
		if _, err := buffered.Write(append(line, '\n')); err != nil {
			return n, err
		}
		n++
	}
	return n, errors.Join(rows.Err(), buffered.Flush())
}

// batch of rows in one statement, or of bytes of their texts: a row may hold a photo.
const (
	batch      = 200
	batchBytes = 4 << 20
)

// Read an archive into empty books: all of it or nothing; how many rows. db must be of a user who owns the tables.
func Read(ctx context.Context, into *sql.DB, content []byte) (n int, err error) {
	z, err := zip.NewReader(bytes.NewReader(content), int64(len(content)))
	if err != nil {
		return 0, fmt.Errorf("the archive is damaged: %w", err)
	}
	m, err := manifest(z)
	if err != nil {
		return 0, err
	}
	version, err := schema(ctx, into)
	if err != nil {
		return 0, err
	}
	if m.Format != Format || m.Version != Version || m.Schema > version {
		return 0, fmt.Errorf("archive %s of version %d, tables of version %d, is not accepted; accepted: %s of version %d, tables up to version %d", m.Format, m.Version, m.Schema, Format, Version, version)
	}
	// The checks of foreign keys are of the connection.
	conn, err := into.Conn(ctx)
	if err != nil {
		return 0, err
	}
	defer conn.Close()
	if _, err := conn.ExecContext(ctx, `SET SESSION foreign_key_checks = 0`); err != nil {
		return 0, err
	}
	defer func() { _, _ = conn.ExecContext(context.WithoutCancel(ctx), `SET SESSION foreign_key_checks = 1`) }()
	err = db.Fill(ctx, conn, func(tx *sql.Tx) (err error) {
		n, err = readTables(ctx, tx, z, m)
		return err
	})
	return n, err
}

func manifest(z *zip.Reader) (m Manifest, err error) {
	f, err := z.Open("manifest.json")
	if err != nil {
		return m, fmt.Errorf("the archive has no manifest: %w", err)
	}
	defer f.Close()
	return m, json.NewDecoder(io.LimitReader(f, 1<<20)).Decode(&m)
}

// Empty reports whether books hold nothing that anybody brought: no unit, site or entry, and nobody who can sign in. The first start
// adds a person without a password, for the first coordinator to take.
func Empty(ctx context.Context, of rowQuerier) (empty bool, err error) {
	return empty, of.QueryRowContext(ctx, `
		SELECT NOT EXISTS (SELECT 1 FROM unit) AND NOT EXISTS (SELECT 1 FROM site) AND NOT EXISTS (SELECT 1 FROM entry)
		       AND NOT EXISTS (SELECT 1 FROM person WHERE COALESCE(password, '') <> '')`).Scan(&empty)
}

func readTables(ctx context.Context, tx *sql.Tx, z *zip.Reader, m Manifest) (all int, err error) {
	empty, err := Empty(ctx, tx)
	if err != nil {
		return 0, err
	}
	if !empty {
		return 0, ErrNotEmpty
	}
	names, columns, err := tables(ctx, tx)
	if err != nil {
		return 0, err
	}
	for table := range m.Tables {
		if !slices.Contains(names, table) {
			return 0, fmt.Errorf("the archive has a table %s that these books have not", table)
		}
	}
	for _, table := range names {
		if _, err := tx.ExecContext(ctx, "DELETE FROM `"+table+"`"); err != nil {
			return 0, err
		}
		if _, there := m.Tables[table]; !there {
			continue // of an earlier version
		}
		f, err := z.Open("tables/" + table + ".jsonl")
		if err != nil {
			return 0, fmt.Errorf("table %s: %w", table, err)
		}
		n, err := readTable(ctx, tx, f, table, columns[table])
		if err = errors.Join(err, f.Close()); err != nil {
			return 0, fmt.Errorf("table %s: %w", table, err)
		}
		if n != m.Tables[table] {
			return 0, fmt.Errorf("table %s has %d rows, and %d in the manifest", table, n, m.Tables[table])
		}
		all += n
	}
	return all, nil
}

func readTable(ctx context.Context, tx *sql.Tx, in io.Reader, table string, columns []column) (n int, err error) {
	lines := bufio.NewReaderSize(in, 1<<20)
	var used []column
	var args []any
	rows, size := 0, 0
	flush := func() error {
		size = 0
		if rows == 0 {
			return nil
		}
		names := make([]string, len(used))
		for i, c := range used {
			names[i] = "`" + c.name + "`"
		}
		one := "(?" + strings.Repeat(", ?", len(used)-1) + ")"
		_, err := tx.ExecContext(ctx, "INSERT INTO `"+table+"` ("+strings.Join(names, ", ")+") VALUES "+one+strings.Repeat(", "+one, rows-1), args...)
		args, rows = args[:0], 0
		return err
	}
	for {
		line, err := lines.ReadBytes('\n')
		if errors.Is(err, io.EOF) && len(line) == 0 {
			return n, flush()
		}
		if err != nil && !errors.Is(err, io.EOF) {
			return n, err
		}
		var row map[string]*string
		if err := json.Unmarshal(line, &row); err != nil {
			return n, fmt.Errorf("line %d: %w", n+1, err)
		}
		if used == nil {
			for _, c := range columns {
				if _, there := row[c.name]; there {
					used = append(used, c)
				}
			}
			if len(used) != len(row) || len(used) == 0 {
				return n, fmt.Errorf("line %d has columns that these books have not", n+1)
			}
		}
		for _, c := range used {
			v, there := row[c.name]
			switch {
			case !there:
				return n, fmt.Errorf("line %d has no %s", n+1, c.name)
			case v == nil:
				args = append(args, nil)
			case c.binary:
				bytes, err := base64.StdEncoding.DecodeString(*v)
				if err != nil {
					return n, fmt.Errorf("line %d, %s: %w", n+1, c.name, err)
				}
				args = append(args, bytes)
			default:
				args = append(args, *v)
			}
		}
		n++
		size += len(line)
		if rows++; rows == batch || size > batchBytes {
			if err := flush(); err != nil {
				return n, err
			}
		}
	}
}
