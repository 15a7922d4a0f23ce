package store

import (
	"bytes"
	"context"
	"database/sql"
	"fmt"
	"maps"

	"diligentledger/core/ledger"
)

// Head is the end of one chain: what an auditor keeps to check against later.
type Head struct {
	// Unit by its code; empty for the chains of the register and of the audit.
	Unit string `json:"unit"`
	// Circuit whose entries they are, by id; 0 in a head of an earlier version.
	Circuit int64 `json:"circuit,omitempty"`
	// Chain of changes: register, audit, unit:ID for the facts of a unit. Empty for the
	// entries of a unit.
	Chain string `json:"chain,omitempty"`
	Seq   int64  `json:"seq"`
	Hash  string `json:"hash"` // hexadecimal
}

// of is the name of the chain of a head among all chains.
func (h Head) of() string {
	if h.Chain != "" {
		return h.Chain
	}
	if h.Circuit != 0 {
		return fmt.Sprint("entries of circuit ", h.Circuit)
	}
	return "entries of " + h.Unit
}

// Break is the first line of a chain at which it does not hold, or a row that is not as its
// chain has it.
type Break struct {
	Unit string // by its code, or the name of a chain
	Seq  int64
	ID   string // of the line or the row, empty when it is missing
	What string
}

func (b Break) String() string {
	if b.Seq == 0 {
		return fmt.Sprintf("%s %s: %s", b.Unit, b.ID, b.What)
	}
	return fmt.Sprintf("%s line %d %s: %s", b.Unit, b.Seq, b.ID, b.What)
}

// keptHeads by the name of their chain and their line.
type keptHeads map[string]map[int64]Head

// last line of a chain that is in a kept head; 0 for none.
func (k keptHeads) last(chain string) (seq int64) {
	for n := range k[chain] {
		seq = max(seq, n)
	}
	return seq
}

// Verify walks every chain as of one moment: the entries of each unit, the changes of the
// register and of people, and the audit; and it holds each row that decides against the last
// line of its chain. It returns the heads as computed from the lines, and the first break of
// each chain that has one. kept are heads from earlier; a chain that no longer passes through a
// kept head is broken there, even if it holds by itself.
func (s *Store) Verify(ctx context.Context, kept []Head) (heads []Head, breaks []Break, err error) {
	err = s.db.Snapshot(ctx, func(tx *sql.Tx) (err error) {
		heads, breaks, err = s.verifyWithin(ctx, tx, kept)
		return err
	})
	return heads, breaks, err
}

func (s *Store) verifyWithin(ctx context.Context, tx *sql.Tx, kept []Head) (heads []Head, breaks []Break, err error) {
	wanted := keptHeads{}
	for _, h := range kept {
		if wanted[h.of()] == nil {
			wanted[h.of()] = map[int64]Head{}
		}
		wanted[h.of()][h.Seq] = h
	}
	circuits, err := hasTable(ctx, tx, "circuit")
	if err != nil {
		return nil, nil, err
	}
	query := `SELECT c.id, u.id, u.code, COALESCE(c.code_v1, ''), c.head_seq, c.head_hash FROM circuit c JOIN unit u ON u.id = c.unit_id ORDER BY u.code, c.id`
	if !circuits {
		query = `SELECT 0, id, code, code, head_seq, head_hash FROM unit ORDER BY code`
	}
	type account struct {
		circuit, unit int64
		code, v1      string
		seq           int64
		hash          []byte
	}
	rows, err := tx.QueryContext(ctx, query)
	accounts, err := collect(rows, err, func(rows *sql.Rows) (a account, err error) {
		return a, rows.Scan(&a.circuit, &a.unit, &a.code, &a.v1, &a.seq, &a.hash)
	})
	if err != nil {
		return nil, nil, err
	}
	codes := map[string]string{}
	for _, a := range accounts {
		codes[fmt.Sprint(unitChain, a.unit)] = a.code
		w := walk{unit: a.code, v1: a.v1, kept: map[int64]Head{}}
		head := Head{Unit: a.code, Circuit: a.circuit}
		// Heads of an earlier version name the code of then.
		for _, of := range []string{head.of(), Head{Unit: a.v1}.of()} {
			maps.Copy(w.kept, wanted[of])
			w.most = max(w.most, wanted.last(of))
			delete(wanted, of)
		}
		if err := w.lines(ctx, tx, a.circuit, a.unit); err != nil {
			return nil, nil, err
		}
		w.end(a.seq, a.hash)
		head.Seq, head.Hash = w.seq, fmt.Sprintf("%x", w.prev)
		heads = append(heads, head)
		if w.broken != nil {
			breaks = append(breaks, *w.broken)
		}
	}
	more, broken, err := verifyChanges(ctx, tx, codes, wanted)
	if err != nil {
		return nil, nil, err
	}
	heads, breaks = append(heads, more...), append(breaks, broken...)
	for _, h := range more {
		delete(wanted, h.of())
	}
	exchanged, err := verifyAttachments(ctx, tx)
	if err != nil {
		return nil, nil, err
	}
	breaks = append(breaks, exchanged...)
	jobs, err := verifyJobs(ctx, tx)
	if err != nil {
		return nil, nil, err
	}
	breaks = append(breaks, jobs...)
	for _, h := range kept {
		if wanted[h.of()] != nil {
			delete(wanted, h.of())
			breaks = append(breaks, Break{Unit: h.Unit, Seq: h.Seq, ID: h.Chain, What: "the whole chain is missing"})
		}
	}
	return heads, breaks, nil
}

// verifyAttachments names each photo that is not what its hash says.
func verifyAttachments(ctx context.Context, tx *sql.Tx) ([]Break, error) {
	if there, err := hasTable(ctx, tx, "attachment"); err != nil || !there {
		return nil, err
	}
	rows, err := tx.QueryContext(ctx, `SELECT LOWER(HEX(sha256)) FROM attachment WHERE SHA2(content, 256) <> LOWER(HEX(sha256)) ORDER BY sha256`)
	return collect(rows, err, func(rows *sql.Rows) (b Break, err error) {
		b.Unit, b.What = "attachments", "the photo is not what its hash says"
		return b, rows.Scan(&b.ID)
	})
}

// walk goes along one account's chain and remembers its first break.
type walk struct {
	unit   string
	v1     string         // code of the unit in records of version 1
	kept   map[int64]Head // by line
	most   int64          // last line of kept
	seq    int64
	prev   ledger.Hash
	broken *Break
}

// lines of a circuit; of a unit in a database of a version without circuits.
func (w *walk) lines(ctx context.Context, tx *sql.Tx, circuit, unit int64) error {
	query, of := `
		SELECT id, version, circuit_id, seq, kind, happened_at, recorded_at, recorded_by, COALESCE(recorded_by_id, 0), COALESCE(envelope, ''), payload, hash, prev_hash,
		       reading_value, reading_unit, metric_value
		FROM entry WHERE circuit_id = ? ORDER BY seq`, circuit
	if circuit == 0 {
		query, of = `
		SELECT id, 1, 0, seq, kind, happened_at, recorded_at, recorded_by, 0, '', payload, hash, prev_hash, reading_value, reading_unit, metric_value
		FROM entry WHERE unit_id = ? ORDER BY seq`, unit
	}
	rows, err := tx.QueryContext(ctx, query, of)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		r := ledger.Record{Unit: w.v1}
		var hash, prev, envelope []byte
		var beside columns
		if err := rows.Scan(&r.ID, &r.Version, &r.Circuit, &r.Seq, &r.Kind, &r.At, &r.RecordedAt, &r.RecordedBy, &r.RecordedByID, &envelope, &r.Payload, &hash, &prev,
			&beside.value, &beside.unit, &beside.metric); err != nil {
			return err
		}
		r.Envelope = envelope
		w.line(r, hash, prev, func() bool { return beside.match(r) })
	}
	return rows.Err()
}

// line of a chain; beside reports whether what is kept beside its content agrees with it.
func (w *walk) line(r ledger.Record, hash, prev []byte, beside func() bool) {
	want := ledger.ChainHash(w.prev, r)
	switch {
	case r.Seq != w.seq+1:
		w.breaks(w.seq+1, "", "the line is missing")
	case !bytes.Equal(prev, w.prev[:]):
		w.breaks(r.Seq, r.ID, "it does not follow the line before it")
	case !bytes.Equal(hash, want[:]):
		w.breaks(r.Seq, r.ID, "its content is not what was written")
	case !beside():
		w.breaks(r.Seq, r.ID, "its reading is not the one in its content")
	}
	w.seq, w.prev = r.Seq, want
	if h, there := w.kept[r.Seq]; there && fmt.Sprintf("%x", want) != h.Hash {
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
	case w.seq < w.most:
		w.breaks(w.seq+1, "", fmt.Sprintf("lines are missing: %d were there when the head was kept", w.most))
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
