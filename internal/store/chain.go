package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"diligentledger/core/ledger"
)

// programName is the actor of what the program writes by itself.
const programName = "diligent"

// The chains of changes; those of the facts of single units are unitChain and the unit's id.
const (
	registerChain = "register"
	auditChain    = "audit"
	unitChain     = "unit:"
	planChain     = "plan"
	jobChain      = "jobs"
	roundChain    = "rounds"
	importChain   = "imports"
	photoChain    = "photos"
	weatherChain  = "weather"
)

// chained writes the rows of the keys as they are now into their chains, as part of the
// transaction that changed them.
func (s *Store) chained(ctx context.Context, tx *sql.Tx, who, what string, t *covered, keys ...any) error {
	for some := range slices.Chunk(keys, loadRows) {
		rows, err := t.rows(ctx, tx, some...)
		if err != nil {
			return err
		}
		if t.removed {
			there := map[string]bool{}
			for _, r := range rows {
				there[r.subject] = true
			}
			for _, key := range some {
				if gone := (row{chain: t.chain, subject: fmt.Sprint(t.name, " ", key)}); !there[gone.subject] {
					rows = append(rows, gone)
				}
			}
		}
		if err := s.appendLines(ctx, tx, who, what, rows); err != nil {
			return err
		}
	}
	return nil
}

// appendLines to the chains of the rows; who writes to a chain has it to itself until the
// transaction ends.
func (s *Store) appendLines(ctx context.Context, tx *sql.Tx, who, what string, rows []row) error {
	at := s.now().UTC().Truncate(time.Microsecond)
	rows = slices.Clone(rows)
	slices.SortStableFunc(rows, func(a, b row) int { return strings.Compare(a.chain, b.chain) })
	for some := range slices.Chunk(rows, loadRows) {
		var names []any
		for i, r := range some {
			if i == 0 || r.chain != some[i-1].chain {
				names = append(names, r.chain)
			}
		}
		heads, err := lockChains(ctx, tx, names)
		if err != nil {
			return err
		}
		var lines, ends []any
		for _, r := range some {
			h := heads[r.chain]
			content, err := r.content()
			if err != nil {
				return err
			}
			next := ledger.Record{ID: r.subject, Unit: r.chain, Seq: h.seq + 1, Kind: ledger.Kind(what), At: at, RecordedAt: at, RecordedBy: cut(who, 190), Payload: json.RawMessage(content)}
			prev, hash := h.hash, ledger.ChainHash(h.hash, next)
			lines = append(lines, r.chain, next.Seq, at, next.RecordedBy, what, r.subject, content, hash[:], prev[:])
			h.seq, h.hash = next.Seq, hash
		}
		for _, name := range names {
			h := heads[name.(string)]
			ends = append(ends, name, h.seq, h.hash[:])
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO chain_line (chain, seq, at, who, what, subject, content, hash, prev_hash) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`+
			strings.Repeat(`, (?, ?, ?, ?, ?, ?, ?, ?, ?)`, len(some)-1), lines...); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO chain (name, seq, hash) VALUES (?, ?, ?)`+strings.Repeat(`, (?, ?, ?)`, len(names)-1)+
			` ON DUPLICATE KEY UPDATE seq = VALUES(seq), hash = VALUES(hash)`, ends...); err != nil {
			return err
		}
	}
	return nil
}

type chainHead struct {
	seq  int64
	hash ledger.Hash
}

// lockChains of these names; those that have no line yet are begun.
func lockChains(ctx context.Context, tx *sql.Tx, names []any) (map[string]*chainHead, error) {
	heads := map[string]*chainHead{}
	rows, err := tx.QueryContext(ctx, `SELECT name, seq, hash FROM chain WHERE name IN (?`+strings.Repeat(`, ?`, len(names)-1)+`) ORDER BY name FOR UPDATE`, names...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var name string
		var hash []byte
		var h chainHead
		if err := rows.Scan(&name, &h.seq, &hash); err != nil {
			return nil, err
		}
		copy(h.hash[:], hash)
		heads[name] = &h
	}
	for _, name := range names {
		if heads[name.(string)] == nil {
			heads[name.(string)] = &chainHead{}
		}
	}
	return heads, rows.Err()
}

// whatTaken is the code of a line that takes a row into its chain as it was found, and
// whatColumns of one that adds the columns of a newer version.
const (
	whatTaken   = "taken_in"
	whatColumns = "columns_added"
)

// chainExisting the covered tables that no chain holds yet, as in a database of an earlier version,
// and the columns that a newer version brought. What was changed past the chains stays as it
// is: [Store.Verify] reports it.
func (s *Store) chainExisting(ctx context.Context) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if _, err := lockChains(ctx, tx, []any{registerChain}); err != nil {
			return err
		}
		var lines map[string]chainLine
		for _, t := range coveredTables {
			mark, err := t.mark(ctx, tx)
			if err != nil {
				return err
			}
			before, err := lastOf(ctx, tx, registerChain, mark.subject)
			if err != nil {
				return err
			}
			now, err := mark.content()
			if err != nil {
				return err
			}
			if before == now {
				continue
			}
			if lines == nil {
				if lines, err = lastLines(ctx, tx); err != nil {
					return err
				}
			}
			rows, err := t.rows(ctx, tx)
			if err != nil {
				return err
			}
			what := whatColumns
			if before == "" {
				what = whatTaken
			}
			rows = slices.DeleteFunc(rows, func(r row) bool {
				line, there := lines[r.chain+"\n"+r.subject]
				if !there {
					return before != ""
				}
				return len(r.columns) == len(line.columns) || line.differs(r) != ""
			})
			if err := s.appendLines(ctx, tx, programName, what, append(rows, mark)); err != nil {
				return err
			}
		}
		return nil
	})
}

// marked is the subject of the line that says that a table is held by the chains.
func (t *covered) marked() string { return "table " + t.name }

// mark is the line that says that a table is held by the chains, and with which columns.
func (t *covered) mark(ctx context.Context, tx *sql.Tx) (row, error) {
	found, err := tx.QueryContext(ctx, t.query()+t.key[0]+` IN (?) LIMIT 0`, 0)
	if err != nil {
		return row{}, err
	}
	names, err := found.Columns()
	slices.Sort(names)
	list := strings.Join(slices.DeleteFunc(names, func(name string) bool { return slices.Contains(t.omitted, name) }), ",")
	return row{chain: registerChain, subject: t.marked(), columns: map[string]*string{"columns": &list}}, errors.Join(err, found.Close())
}

// lastOf a subject in a chain: its content, empty when there is no line of it.
func lastOf(ctx context.Context, q querier, chain, subject string) (content string, err error) {
	err = q.QueryRowContext(ctx, `SELECT content FROM chain_line WHERE chain = ? AND subject = ? ORDER BY seq DESC LIMIT 1`, chain, subject).Scan(&content)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return content, err
}

// chainLine is the last line of a subject.
type chainLine struct {
	chain, subject string
	seq            int64
	columns        map[string]*string
}

// differs says in which column a row is not what its line holds; empty when it is.
func (l chainLine) differs(r row) string {
	show := func(v *string) string {
		if v == nil {
			return "nothing"
		}
		return fmt.Sprintf("%q", cut(*v, 60))
	}
	names := make([]string, 0, len(l.columns))
	for name := range l.columns {
		names = append(names, name)
	}
	slices.Sort(names)
	if l.columns == nil {
		return fmt.Sprintf("it is there, and was removed in line %d of its chain", l.seq)
	}
	for _, name := range names {
		was := l.columns[name]
		is, there := r.columns[name]
		if !there || (is == nil) != (was == nil) || is != nil && *is != *was {
			return fmt.Sprintf("%s is %s, and %s in line %d of its chain", name, show(is), show(was), l.seq)
		}
	}
	return ""
}

// lastLines of every subject, by chain and subject with a line feed between them.
func lastLines(ctx context.Context, q querier) (map[string]chainLine, error) {
	last := map[string]chainLine{}
	found, err := q.QueryContext(ctx, `
		SELECT l.chain, l.seq, l.subject, l.content FROM chain_line l
		JOIN (SELECT chain, subject, MAX(seq) AS seq FROM chain_line GROUP BY chain, subject) m ON m.chain = l.chain AND m.seq = l.seq`)
	lines, err := collect(found, err, func(found *sql.Rows) (l chainLine, err error) {
		var content []byte
		if err := found.Scan(&l.chain, &l.seq, &l.subject, &content); err != nil {
			return l, err
		}
		if json.Unmarshal(content, &l.columns) != nil {
			l.columns = map[string]*string{} // its hash does not hold either
		}
		return l, nil
	})
	for _, l := range lines {
		last[l.chain+"\n"+l.subject] = l
	}
	return last, err
}
