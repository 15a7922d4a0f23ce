package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"diligentledger/core/ledger"
)

// ErrOtherEntry says that an entry with this id but other content is already in
// the books.
var ErrOtherEntry = errors.New("another entry with this id is in the books")

// Receipt is the proof that an entry stands in the books.
type Receipt struct {
	ledger.Record
	Hash ledger.Hash
}

// Append writes e into the books of the unit. check sees the unit's entries as
// they stand, while nobody else can write to this account, and refuses the
// entry by returning an error. An entry already in the books is not written
// again and gets the receipt it got then; [ErrOtherEntry] if it differs.
func (s *Store) Append(ctx context.Context, u Unit, e ledger.Entry, check func(written []ledger.Entry) error) (Receipt, error) {
	payload, err := json.Marshal(e.Body)
	if err != nil {
		return Receipt{}, fmt.Errorf("entry %s: %w", e.ID, err)
	}
	var receipt Receipt
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		var prev Receipt
		var head []byte
		if err := tx.QueryRowContext(ctx, `SELECT head_seq, head_hash FROM unit WHERE id = ? FOR UPDATE`, u.id).
			Scan(&prev.Seq, &head); err != nil {
			return err
		}
		prev.Hash = ledger.Hash(head)
		receipt = Receipt{Record: ledger.Record{ID: e.ID, Unit: u.Code, Kind: e.Body.Kind(), Payload: payload,
			At: e.At.UTC().Truncate(time.Microsecond), RecordedBy: e.RecordedBy}}
		stored, found, err := findEntry(ctx, tx, u.Code, e.ID)
		if err != nil {
			return err
		}
		if found {
			if !sameContent(stored.Record, receipt.Record) {
				return fmt.Errorf("%w: %s", ErrOtherEntry, e.ID)
			}
			receipt = stored
			return nil
		}
		written, err := entries(ctx, tx, u)
		if err != nil {
			return err
		}
		if err := check(written); err != nil {
			return err
		}
		receipt.Seq = prev.Seq + 1
		receipt.RecordedAt = s.now().UTC().Truncate(time.Microsecond)
		receipt.Hash = ledger.Link(prev.Hash, receipt.Record)
		return insertEntry(ctx, tx, u, receipt, prev.Hash, e.Body)
	})
	return receipt, err
}

func insertEntry(ctx context.Context, tx *sql.Tx, u Unit, r Receipt, prev ledger.Hash, body ledger.Body) error {
	reading, dimension := body.Reading()
	metric, err := reading.Metric(dimension)
	if err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `
		INSERT INTO entry (id, unit_id, seq, kind, happened_at, recorded_at, recorded_by,
		                   reading_value, reading_unit, metric_value, payload, hash, prev_hash)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		r.ID, u.id, r.Seq, r.Kind, r.At, r.RecordedAt, r.RecordedBy,
		reading.Value, reading.Unit, metric, string(r.Payload), r.Hash[:], prev[:]); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `UPDATE unit SET head_seq = ?, head_hash = ? WHERE id = ?`, r.Seq, r.Hash[:], u.id)
	return err
}

// sameContent leaves out what the books themselves put on an entry.
func sameContent(a, b ledger.Record) bool {
	return a.Unit == b.Unit && a.Kind == b.Kind && a.At.Equal(b.At) && string(a.Payload) == string(b.Payload)
}

func findEntry(ctx context.Context, tx *sql.Tx, code, id string) (r Receipt, found bool, err error) {
	var hash []byte
	err = tx.QueryRowContext(ctx, `
		SELECT e.id, u.code, e.seq, e.kind, e.happened_at, e.recorded_at, e.recorded_by, e.payload, e.hash
		FROM entry e JOIN unit u ON u.id = e.unit_id WHERE e.id = ?`, id).
		Scan(&r.ID, &r.Unit, &r.Seq, &r.Kind, &r.At, &r.RecordedAt, &r.RecordedBy, &r.Payload, &hash)
	if errors.Is(err, sql.ErrNoRows) {
		return r, false, nil
	}
	if err == nil {
		r.Hash = ledger.Hash(hash)
	}
	return r, err == nil, err
}

// Entries of one account, in the order of recording.
func (s *Store) Entries(ctx context.Context, u Unit) ([]ledger.Entry, error) {
	return entries(ctx, s.db, u)
}

const entryQuery = `SELECT unit_id, id, kind, happened_at, recorded_at, recorded_by, payload FROM entry`

func entries(ctx context.Context, q querier, u Unit) ([]ledger.Entry, error) {
	rows, err := q.QueryContext(ctx, entryQuery+` WHERE unit_id = ? ORDER BY seq`, u.id)
	return collect(rows, err, func(rows *sql.Rows) (ledger.Entry, error) {
		_, e, err := scanEntry(rows)
		e.Unit = u.Code
		return e, err
	})
}

func scanEntry(rows *sql.Rows) (unit int64, e ledger.Entry, err error) {
	var kind ledger.Kind
	var payload []byte
	if err := rows.Scan(&unit, &e.ID, &kind, &e.At, &e.RecordedAt, &e.RecordedBy, &payload); err != nil {
		return unit, e, err
	}
	e.Body, err = ledger.ParseBody(kind, payload)
	if err != nil {
		return unit, e, fmt.Errorf("entry %s: %w", e.ID, err)
	}
	return unit, e, nil
}

// EntriesOf every unit given, by the unit's code.
func (s *Store) EntriesOf(ctx context.Context, units []Unit) (map[string][]ledger.Entry, error) {
	codes := make(map[int64]string, len(units))
	for _, u := range units {
		codes[u.id] = u.Code
	}
	rows, err := s.db.QueryContext(ctx, entryQuery+` ORDER BY unit_id, seq`)
	all, err := collect(rows, err, func(rows *sql.Rows) (ledger.Entry, error) {
		unit, e, err := scanEntry(rows)
		e.Unit = codes[unit]
		return e, err
	})
	byUnit := make(map[string][]ledger.Entry, len(units))
	for _, e := range all {
		byUnit[e.Unit] = append(byUnit[e.Unit], e)
	}
	return byUnit, err
}
