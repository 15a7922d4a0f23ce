package store

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"diligentledger/core/ledger"
)

// hasChains reports whether the database was opened by a version that keeps chains of changes.
func hasChains(ctx context.Context, q querier) (bool, error) { return hasTable(ctx, q, "chain_line") }

// hasTable reports whether the database was opened by a version with that table.
func hasTable(ctx context.Context, q querier, name string) (bool, error) {
	var n int
	err := q.QueryRowContext(ctx, `SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name = ?`, name).Scan(&n)
	return n > 0, err
}

func tableNames(ctx context.Context, q querier) (map[string]bool, error) {
	there := map[string]bool{}
	rows, err := q.QueryContext(ctx, `SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE()`)
	_, err = collect(rows, err, func(rows *sql.Rows) (name string, err error) {
		err = rows.Scan(&name)
		there[name] = true
		return name, err
	})
	return there, err
}

func hasColumn(ctx context.Context, q querier, table, column string) (bool, error) {
	var n int
	err := q.QueryRowContext(ctx, `SELECT COUNT(*) FROM information_schema.columns WHERE table_schema = DATABASE() AND table_name = ? AND column_name = ?`, table, column).Scan(&n)
	return n > 0, err
}

// verifyChanges walks the chains of changes and holds the rows of the covered tables against
// them. codes are those of the units by the name of their chain.
func verifyChanges(ctx context.Context, tx *sql.Tx, codes map[string]string, wanted keptHeads) (heads []Head, breaks []Break, err error) {
	if there, err := hasChains(ctx, tx); err != nil || !there {
		return nil, nil, err
	}
	found, err := tx.QueryContext(ctx, `SELECT name, seq, hash FROM chain`)
	type end struct {
		name string
		seq  int64
		hash []byte
	}
	ends, err := collect(found, err, func(found *sql.Rows) (e end, err error) { return e, found.Scan(&e.name, &e.seq, &e.hash) })
	if err != nil {
		return nil, nil, err
	}
	w := changes{codes: codes, wanted: wanted, walks: map[string]*walk{}, last: map[string]chainLine{}}
	if err := w.lines(ctx, tx); err != nil {
		return nil, nil, err
	}
	for _, e := range ends {
		w.of(e.name).end(e.seq, e.hash)
		w.ended(e.name)
	}
	if err := w.rows(ctx, tx); err != nil {
		return nil, nil, err
	}
	for _, name := range slices.Sorted(maps.Keys(w.walks)) {
		one := w.walks[name]
		if !w.hasEnd[name] {
			one.breaks(one.seq, "", "the head of the chain is missing")
		}
		heads = append(heads, Head{Unit: codes[name], Chain: name, Seq: one.seq, Hash: fmt.Sprintf("%x", one.prev)})
		if one.broken != nil {
			breaks = append(breaks, *one.broken)
		}
	}
	return heads, append(breaks, w.rowBreaks...), nil
}

// changes are the chains of changes as they are walked.
type changes struct {
	codes     map[string]string
	wanted    keptHeads
	walks     map[string]*walk
	hasEnd    map[string]bool
	last      map[string]chainLine // by chain and subject
	rowBreaks []Break
}

func (c *changes) of(name string) *walk {
	w := c.walks[name]
	if w == nil {
		w = &walk{unit: c.label(name), kept: c.wanted[name], most: c.wanted.last(name)}
		c.walks[name] = w
	}
	return w
}

// label of a chain: the facts of a unit by its code, where there is one.
func (c *changes) label(name string) string {
	if code := c.codes[name]; code != "" {
		return "facts of " + code
	}
	return name
}

func (c *changes) ended(name string) {
	if c.hasEnd == nil {
		c.hasEnd = map[string]bool{}
	}
	c.hasEnd[name] = true
}

func (c *changes) lines(ctx context.Context, tx *sql.Tx) error {
	found, err := tx.QueryContext(ctx, `SELECT chain, seq, at, who, what, subject, content, hash, prev_hash FROM chain_line ORDER BY chain, seq`)
	if err != nil {
		return err
	}
	defer found.Close()
	for found.Next() {
		var r ledger.Record
		var content string
		var hash, prev []byte
		if err := found.Scan(&r.Unit, &r.Seq, &r.At, &r.RecordedBy, &r.Kind, &r.ID, &content, &hash, &prev); err != nil {
			return err
		}
		r.RecordedAt, r.Payload = r.At, json.RawMessage(content)
		line := chainLine{chain: r.Unit, subject: r.ID, seq: r.Seq}
		c.of(r.Unit).line(r, hash, prev, func() bool { return json.Unmarshal(r.Payload, &line.columns) == nil })
		c.last[r.Unit+"\n"+r.ID] = line
	}
	return found.Err()
}

// rows of the covered tables against the last lines of their chains.
func (c *changes) rows(ctx context.Context, tx *sql.Tx) error {
	seen := map[string]bool{}
	report := func(chain, subject string, seq int64, what string) {
		c.rowBreaks = append(c.rowBreaks, Break{Unit: c.label(chain), Seq: seq, ID: subject, What: what})
	}
	there, err := tableNames(ctx, tx)
	if err != nil {
		return err
	}
	for _, t := range coveredTables {
		mark := registerChain + "\n" + t.marked()
		if c.last[mark].seq == 0 {
			continue // a database of a version before them, see [Store.Unchecked]
		}
		seen[mark] = true
		if !there[t.name] {
			report(registerChain, t.marked(), c.last[mark].seq, "the whole table is missing")
			continue
		}
		if t.open != "" {
			open, err := tx.QueryContext(ctx, t.open, 1)
			if _, err = collect(open, err, func(open *sql.Rows) (key string, err error) {
				err = open.Scan(&key)
				seen[t.chain+"\n"+t.name+" "+key] = true
				return key, err
			}); err != nil {
				return err
			}
		}
		rows, err := t.rows(ctx, tx)
		if err != nil {
			return err
		}
		for _, r := range rows {
			key := r.chain + "\n" + r.subject
			if seen[key] {
				continue // being written
			}
			seen[key] = true
			line, there := c.last[key]
			if !there {
				report(r.chain, r.subject, 0, "it was added past its chain")
			} else if what := line.differs(r); what != "" {
				report(r.chain, r.subject, line.seq, what)
			}
		}
	}
	for _, key := range slices.Sorted(maps.Keys(c.last)) {
		if line := c.last[key]; !seen[key] && line.columns != nil {
			report(line.chain, line.subject, line.seq, "the row of this line is missing"+line.named())
		}
	}
	return nil
}

// Unchecked are the tables that no chain holds yet, as in a database that an earlier version wrote last. Whoever takes the line away that
// names a table breaks the chain of the register.
func (s *Store) Unchecked(ctx context.Context) (tables []string, err error) {
	chains, err := hasChains(ctx, s.db)
	if err != nil {
		return nil, err
	}
	for _, t := range coveredTables {
		if !chains {
			tables = append(tables, t.name)
			continue
		}
		mark, err := lastOf(ctx, s.db, registerChain, t.marked())
		if err != nil {
			return nil, err
		}
		if mark == "" {
			tables = append(tables, t.name)
		}
	}
	return tables, nil
}

// named by code or name, for a row that is missing.
func (l chainLine) named() string {
	for _, name := range []string{"code", "name"} {
		if v := l.columns[name]; v != nil {
			return ": " + cut(*v, 60)
		}
	}
	return ""
}

// VerifyAccounts folds every account from its entries and holds the stored one against it: what
// the pages show is what the entries say. It returns a [Break] for each that differs. A stored
// account that the program would not use (of other rules, facts or lines) is left out.
//
// A database of a version without facts that change from a day on is not checked.
func (s *Store) VerifyAccounts(ctx context.Context) (breaks []Break, err error) {
	if there, err := hasColumn(ctx, s.db, "unit", "earlier"); err != nil || !there {
		return nil, err
	}
	units, err := s.Units(ctx)
	if err != nil {
		return nil, err
	}
	for _, u := range circuitsOf(units) {
		what, err := s.verifyAccount(ctx, u)
		if err != nil {
			return nil, err
		}
		if what != "" {
			breaks = append(breaks, Break{Unit: u.Address(), ID: "stored account", What: what})
		}
	}
	return breaks, nil
}

func (s *Store) verifyAccount(ctx context.Context, u Unit) (what string, err error) {
	err = s.db.Snapshot(ctx, func(tx *sql.Tx) (err error) {
		what, err = s.verifyAccountWithin(ctx, tx, u)
		return err
	})
	return what, err
}

func (s *Store) verifyAccountWithin(ctx context.Context, tx *sql.Tx, u Unit) (what string, err error) {
	found, err := tx.QueryContext(ctx, `SELECT `+accountColumns+` FROM account a JOIN circuit c ON c.id = a.circuit_id AND c.head_seq = a.seq WHERE c.id = ?`, u.circuit)
	all, err := collect(found, err, func(found *sql.Rows) (a storedAccount, err error) { return a, found.Scan(a.columns()...) })
	if err != nil {
		return "", err
	}
	facts, err := factsOf(u)
	if err != nil {
		return "", err
	}
	for _, a := range all {
		if a.rules != ledger.Rules || !bytes.Equal(a.facts, facts) {
			continue
		}
		entries, err := s.entries(ctx, tx, u)
		if err != nil {
			return "", err
		}
		folded := ledger.TryFold(u.Ledger, entries)
		if folded.Failure != "" {
			return "it is stored, and its entries cannot be folded", nil
		}
		if now, err := folded.Store(); err != nil || !bytes.Equal(now.Body, a.Body) || !bytes.Equal(now.Older, a.Older) {
			return "it is not what its entries say; diligent rebuild folds it from them", nil
		}
	}
	return "", nil
}
