package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/go-sql-driver/mysql"

	"diligentledger/core/ledger"
)

// ErrEntryDiffers says that an entry with this id but other content is already in
// the books.
var ErrEntryDiffers = errors.New("another entry with this id is in the books")

// Receipt is the proof that an entry stands in the books.
type Receipt struct {
	ledger.Record
	Hash ledger.Hash
}

// Append writes entries into the books of the unit, all of them or none. check
// sees the unit's entries as they stand before each, while no one else can write
// to this account, and refuses an entry by returning an error. stored gives the account and the
// status that are kept with the entries. An entry already
// in the books is not written again and gets the receipt it got then;
// [ErrOtherEntry] if it differs.
func (s *Store) Append(ctx context.Context, u Unit, entries []ledger.Entry, check func(e ledger.Entry, written []ledger.Entry) error,
	stored func(written []ledger.Entry, seq int64) (ledger.Account, []Status, error)) ([]Receipt, error) {
	var receipts []Receipt
	err := s.inTx(ctx, func(tx *sql.Tx) error {
		receipts = nil
		var prev Receipt
		var head []byte
		if err := tx.QueryRowContext(ctx, `SELECT head_seq, head_hash FROM unit WHERE id = ? FOR UPDATE`, u.id).
			Scan(&prev.Seq, &head); err != nil {
			return err
		}
		prev.Hash = ledger.Hash(head)
		var written []ledger.Entry
		fetched := false
		for _, e := range entries {
			r, found, err := s.receiptFor(ctx, tx, u, e)
			if err != nil {
				return err
			}
			if !found {
				if !fetched {
					if written, err = s.entries(ctx, tx, u); err != nil {
						return err
					}
					fetched = true
				}
				if err := check(e, written); err != nil {
					return err
				}
				r.Seq = prev.Seq + 1
				r.RecordedAt = s.now().UTC().Truncate(time.Microsecond)
				r.Hash = ledger.ChainHash(prev.Hash, r.Record)
				if err := insertEntry(ctx, tx, u, r, prev.Hash, e.Body); err != nil {
					return err
				}
				prev = r
				e.At, e.RecordedAt = r.At, r.RecordedAt
				written = append(written, e)
			}
			receipts = append(receipts, r)
		}
		if !fetched {
			return nil // all of it was there already
		}
		account, statuses, err := stored(written, prev.Seq)
		if err != nil {
			return err
		}
		if err := saveAccount(ctx, tx, u, prev.Seq, account); err != nil {
			return err
		}
		return saveStatuses(ctx, tx, statuses)
	})
	return receipts, err
}

// receiptFor e: the one it got when it was written, if it was, else one without
// a place in the chain.
func (s *Store) receiptFor(ctx context.Context, tx *sql.Tx, u Unit, e ledger.Entry) (r Receipt, found bool, err error) {
	payload, err := json.Marshal(e.Body)
	if err != nil {
		return r, false, fmt.Errorf("entry %s: %w", e.ID, err)
	}
	r = Receipt{Record: ledger.Record{ID: e.ID, Unit: u.Code, Kind: e.Body.Kind(), Payload: payload,
		At: e.At.UTC().Truncate(time.Microsecond), RecordedBy: e.RecordedBy}}
	stored, found, err := findEntry(ctx, tx, e.ID)
	if err != nil || !found {
		return r, false, err
	}
	if !sameContent(stored.Record, r.Record) {
		return r, false, fmt.Errorf("%w: %s", ErrEntryDiffers, e.ID)
	}
	return stored, true, nil
}

func insertEntry(ctx context.Context, tx *sql.Tx, u Unit, r Receipt, prev ledger.Hash, body ledger.Body) error {
	beside, err := columnsOf(body)
	if err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `
		INSERT INTO entry (id, unit_id, seq, kind, happened_at, recorded_at, recorded_by,
		                   reading_value, reading_unit, metric_value, payload, hash, prev_hash)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		r.ID, u.id, r.Seq, r.Kind, r.At, r.RecordedAt, r.RecordedBy,
		beside.value, beside.unit, beside.metric, string(r.Payload), r.Hash[:], prev[:]); err != nil {
		var e *mysql.MySQLError
		if errors.As(err, &e) && e.Number == duplicate {
			// A person wrote this id into another unit's books at the same time.
			return fmt.Errorf("%w: %s", ErrEntryDiffers, r.ID)
		}
		return err
	}
	_, err = tx.ExecContext(ctx, `UPDATE unit SET head_seq = ?, head_hash = ? WHERE id = ?`, r.Seq, r.Hash[:], u.id)
	return err
}

// columns that stand beside the payload for queries; the hash covers only the
// payload. Null for a kind without a figure.
type columns struct {
	value, metric sql.NullFloat64
	unit          sql.NullString
}

func columnsOf(body ledger.Body) (c columns, err error) {
	r := body.Reading()
	if r.Unit == "" {
		return c, nil
	}
	metric, err := r.Metric(r.Unit.Dimension())
	if err != nil {
		return c, err
	}
	c.value, c.metric = sql.NullFloat64{Float64: r.Value, Valid: true}, sql.NullFloat64{Float64: metric, Valid: true}
	c.unit = sql.NullString{String: string(r.Unit), Valid: true}
	return c, nil
}

// sameContent leaves out what the books themselves put on an entry.
func sameContent(a, b ledger.Record) bool {
	return a.Unit == b.Unit && a.Kind == b.Kind && a.At.Equal(b.At) && string(a.Payload) == string(b.Payload)
}

func findEntry(ctx context.Context, tx *sql.Tx, id string) (r Receipt, found bool, err error) {
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
	return s.entries(ctx, s.db, u)
}

const entryQuery = `SELECT unit_id, id, kind, happened_at, recorded_at, recorded_by, payload FROM entry`

func (s *Store) entries(ctx context.Context, q querier, u Unit) ([]ledger.Entry, error) {
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
	if e.Body, err = ledger.ParseBody(kind, payload); err != nil {
		e.Body = ledger.UnreadableBody{Of: kind, Why: err} // its account is unknown; no other is
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
