package store

import (
	"bytes"
	"context"
	"database/sql"
	"fmt"

	"diligentledger/core/ledger"
)

// Head is the end of one account's chain: what an auditor keeps to check
// against later.
type Head struct {
	Unit string `json:"unit"`
	Seq  int64  `json:"seq"`
	Hash string `json:"hash"` // hexadecimal
}

// Break is the first line of an account at which its chain does not hold.
type Break struct {
	Unit string
	Seq  int64
	ID   string // of the line, empty when it is missing
	What string
}

func (b Break) String() string {
	return fmt.Sprintf("%s line %d %s: %s", b.Unit, b.Seq, b.ID, b.What)
}

// Verify walks the chain of every account as of one moment. It returns the
// heads as reckoned from the lines, and the first break of each account that
// has one. kept are heads from an earlier day; an account that no longer passes
// through its kept head is broken there, even if its chain holds by itself.
func (s *Store) Verify(ctx context.Context, kept []Head) (heads []Head, breaks []Break, err error) {
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return nil, nil, err
	}
	defer func() { _ = tx.Rollback() }() // nothing was written
	wanted := map[string]Head{}
	for _, h := range kept {
		wanted[h.Unit] = h
	}
	type account struct {
		id   int64
		code string
		seq  int64
		hash []byte
	}
	rows, err := tx.QueryContext(ctx, `SELECT id, code, head_seq, head_hash FROM unit ORDER BY code`)
	accounts, err := collect(rows, err, func(rows *sql.Rows) (a account, err error) {
		return a, rows.Scan(&a.id, &a.code, &a.seq, &a.hash)
	})
	if err != nil {
		return nil, nil, err
	}
	known := map[string]bool{}
	for _, a := range accounts {
		known[a.code] = true
		w := walk{unit: a.code, kept: wanted[a.code]}
		if err := w.lines(ctx, tx, a.id); err != nil {
			return nil, nil, err
		}
		w.end(a.seq, a.hash)
		heads = append(heads, Head{Unit: a.code, Seq: w.seq, Hash: fmt.Sprintf("%x", w.prev)})
		if w.broken != nil {
			breaks = append(breaks, *w.broken)
		}
	}
	for _, h := range kept {
		if !known[h.Unit] {
			breaks = append(breaks, Break{Unit: h.Unit, Seq: h.Seq, What: "the whole account is missing"})
		}
	}
	return heads, breaks, nil
}

// walk goes along one account's chain and remembers its first break.
type walk struct {
	unit   string
	kept   Head
	seq    int64
	prev   ledger.Hash
	broken *Break
}

func (w *walk) lines(ctx context.Context, tx *sql.Tx, unit int64) error {
	rows, err := tx.QueryContext(ctx, `
		SELECT id, seq, kind, happened_at, recorded_at, recorded_by, payload, hash, prev_hash, reading_value, reading_unit, metric_value
		FROM entry WHERE unit_id = ? ORDER BY seq`, unit)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		r := ledger.Record{Unit: w.unit}
		var hash, prev []byte
		var beside columns
		if err := rows.Scan(&r.ID, &r.Seq, &r.Kind, &r.At, &r.RecordedAt, &r.RecordedBy, &r.Payload, &hash, &prev,
			&beside.value, &beside.unit, &beside.metric); err != nil {
			return err
		}
		w.line(r, hash, prev, beside)
	}
	return rows.Err()
}

func (w *walk) line(r ledger.Record, hash, prev []byte, beside columns) {
	want := ledger.Link(w.prev, r)
	switch {
	case r.Seq != w.seq+1:
		w.breaks(w.seq+1, "", "the line is missing")
	case !bytes.Equal(prev, w.prev[:]):
		w.breaks(r.Seq, r.ID, "it does not follow the line before it")
	case !bytes.Equal(hash, want[:]):
		w.breaks(r.Seq, r.ID, "its content is not what was written")
	case !beside.match(r):
		w.breaks(r.Seq, r.ID, "its reading is not the one in its content")
	}
	w.seq, w.prev = r.Seq, want
	if r.Seq == w.kept.Seq && fmt.Sprintf("%x", want) != w.kept.Hash {
		w.breaks(r.Seq, r.ID, "the chain up to here is not the one that was kept")
	}
}

func (c columns) match(r ledger.Record) bool {
	body, err := ledger.ParseBody(r.Kind, r.Payload)
	if err != nil {
		return false
	}
	want, err := columnsOf(body)
	return err == nil && want == c
}

// end holds the last line against the head kept with the unit, and against the
// one kept elsewhere.
func (w *walk) end(seq int64, hash []byte) {
	switch {
	case w.seq < w.kept.Seq:
		w.breaks(w.seq+1, "", fmt.Sprintf("lines are missing: %d were there when the head was kept", w.kept.Seq))
	case w.seq < seq:
		w.breaks(w.seq+1, "", "the last line is missing")
	case w.seq > seq:
		w.breaks(w.seq, "", "a line was added past the books")
	case !bytes.Equal(hash, w.prev[:]):
		w.breaks(w.seq, "", "the head of the books is not this line's")
	}
}

func (w *walk) breaks(seq int64, id, what string) {
	if w.broken == nil {
		w.broken = &Break{Unit: w.unit, Seq: seq, ID: id, What: what}
	}
}
