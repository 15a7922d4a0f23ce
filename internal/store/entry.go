package store

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"diligentledger/core/ledger"
	"diligentledger/core/register"
	"diligentledger/internal/intake"
)

// ErrEntryDiffers says that an entry with this id but other content is already in
// the books.
var ErrEntryDiffers = errors.New("another entry with this id is in the books")

// Receipt is the proof that an entry is stored.
type Receipt struct {
	ledger.Record
	Code string // of the unit, as it is now
	Hash ledger.Hash
}

// Appending is one entry on its way into an account, while no other writer has it.
type Appending struct {
	// Continued history when the stored account could take the entry; else with its entries.
	History *ledger.History
	Entry   ledger.Entry
	Seq     int64 // that it gets
	// Others are the accounts of the unit's other circuits, by their address, and OthersSeq the
	// number of entries in them and in those that have ended; none of them can change meanwhile.
	Others    map[string]*ledger.Account
	OthersSeq int64
}

// Append writes entries into the account of the unit, all of them or none. check is given each
// with the account before it, while no one else can write to this account, and
// refuses it by returning an error. stored gives the account after the last of them and the
// statuses that are kept with it. An entry that is written already is not written again and gets
// the receipt it got then; [ErrEntryDiffers] if it differs.
//
// An entry on an account that no one else writes to meanwhile is checked before its transaction
// begins; every other one while its account is locked.
func (s *Store) Append(ctx context.Context, o *Opened, entries []ledger.Entry, check func(Appending) error, stored func(last Appending) (*ledger.Account, []Status, error)) ([]Receipt, error) {
	u := o.Unit
	if len(entries) == 1 && o.Account != nil && !u.there && len(u.Others) == 0 {
		r, err := s.appendUnlocked(ctx, o, entries[0], check, stored)
		if !errors.Is(err, errNotUnlocked) {
			return []Receipt{r}, err
		}
	}
	var receipts []Receipt
	for mayExist := u.there; ; {
		err := s.inTx(ctx, func(tx *sql.Tx) (err error) {
			receipts, err = s.append(ctx, tx, u, entries, mayExist, check, stored)
			return err
		})
		if !mayExist && errors.Is(err, errWrittenMeanwhile) {
			mayExist = true // the same entry, sent twice at once, or its id for another unit
			continue
		}
		if errors.Is(err, errWrittenMeanwhile) {
			err = fmt.Errorf("%w: %s", ErrEntryDiffers, entries[len(entries)-1].ID)
		}
		return receipts, err
	}
}

// Part is what is written into one account together with others; see [Store.Append] for its functions.
type Part struct {
	Opened  *Opened
	Entries []ledger.Entry
	Check   func(Appending) error
	Stored  func(last Appending) (*ledger.Account, []Status, error)
}

// AppendParts writes into several accounts of one unit, everything or nothing. The receipts are in the order of the parts.
func (s *Store) AppendParts(ctx context.Context, parts []Part) (receipts [][]Receipt, err error) {
	for _, p := range parts {
		if p.Opened.id != parts[0].Opened.id {
			return nil, fmt.Errorf("%s and %s are accounts of two units", parts[0].Opened.Address(), p.Opened.Address())
		}
	}
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		receipts = nil
		for _, p := range parts {
			written, err := s.append(ctx, tx, p.Opened.Unit, p.Entries, true, p.Check, p.Stored)
			if err != nil {
				return err
			}
			receipts = append(receipts, written)
		}
		return nil
	})
	if errors.Is(err, errWrittenMeanwhile) {
		err = fmt.Errorf("%w: sent twice at once", ErrEntryDiffers)
	}
	return receipts, err
}

// errWrittenMeanwhile says that an id came into the books between looking for it and writing it.
var errWrittenMeanwhile = errors.New("an entry with this id was written meanwhile")

// errNotUnlocked says that an entry must be checked and written while its account is locked.
var errNotUnlocked = errors.New("the account must be locked first")

// appendUnlocked checks e with the account as it was opened and writes it when the head of the
// chain is still the same then. [errNotUnlocked], with nothing written, when it is another, when
// the account cannot take the entry without its history, and when check refuses, which may be for
// what another writer has changed since.
func (s *Store) appendUnlocked(ctx context.Context, o *Opened, e ledger.Entry, check func(Appending) error, stored func(Appending) (*ledger.Account, []Status, error)) (r Receipt, err error) {
	u := o.Unit
	if r, err = receiptOf(u, e); err != nil {
		return r, err
	}
	r.RecordedAt = s.now().UTC().Truncate(time.Microsecond)
	e.At, e.RecordedAt = r.At, r.RecordedAt
	if err := s.judge(ctx, nil, u, &e); err != nil {
		return r, err
	}
	history, ok := ledger.Continued(o.Account, e)
	if !ok {
		return r, errNotUnlocked
	}
	last := Appending{History: history, Entry: e, Seq: u.Seq + 1, OthersSeq: u.endedSeq}
	if check(last) != nil {
		return r, errNotUnlocked
	}
	envelope := e.Envelope
	if tool := ledger.ToolOf(e.Body); tool != "" {
		if err := s.row(ctx, nil, instrumentOf, tool).Scan(&envelope.Instrument); errors.Is(err, sql.ErrNoRows) {
			return r, errNotUnlocked
		} else if err != nil {
			return r, err
		}
	}
	if r.Envelope, err = envelopeText(envelope); err != nil {
		return r, err
	}
	r.Seq = last.Seq
	r.Hash = ledger.ChainHash(o.Key.head, r.Record)
	account, statuses, err := stored(last)
	if err != nil {
		return r, err
	}
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		res, err := s.exec(ctx, tx, `UPDATE circuit SET head_seq = ?, head_hash = ? WHERE id = ? AND head_seq = ? AND head_hash = ?`,
			r.Seq, r.Hash[:], u.circuit, u.Seq, o.Key.head[:])
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return errors.Join(errNotUnlocked, err)
		}
		if err := s.sameFacts(ctx, tx, u); err != nil {
			return err
		}
		if err := s.insertEntry(ctx, tx, u, r, o.Key.head, e.Body); err != nil {
			return err
		}
		if err := s.saveAccount(ctx, tx, u, r.Seq, account, &o.stored); err != nil {
			return err
		}
		return s.saveStatuses(ctx, tx, statuses)
	})
	if errors.Is(err, errWrittenMeanwhile) {
		err = errNotUnlocked
	}
	return r, err
}

// ErrFactsChanged says that the facts of a unit changed after it was opened: what is written must be judged by the new ones.
var ErrFactsChanged = errors.New("the facts of this unit were changed a moment ago; try again")

// sameFacts of the unit as when it was opened, now that its circuit is locked: who changes facts locks it as well.
func (s *Store) sameFacts(ctx context.Context, tx *sql.Tx, u Unit) error {
	var revision int64
	if err := s.row(ctx, tx, `SELECT revision FROM unit WHERE id = ?`, u.id).Scan(&revision); err != nil {
		return err
	}
	if revision != u.revision {
		return fmt.Errorf("%w: %s", ErrFactsChanged, u.Code)
	}
	if u.First() {
		return nil
	}
	// A further circuit has facts of its own, which the revision does not count.
	circuits, err := s.unitsNow(ctx, tx, []int64{u.id})
	if err != nil {
		return err
	}
	was, err := factsOf(u)
	if err != nil {
		return err
	}
	for _, c := range circuits {
		if is, err := factsOf(c); c.circuit == u.circuit && (err != nil || !bytes.Equal(was, is)) {
			return errors.Join(err, fmt.Errorf("%w: %s", ErrFactsChanged, u.Address()))
		}
	}
	return nil
}

// append asks whether an entry exists already when it may; for one that check refuses it always asks.
func (s *Store) append(ctx context.Context, tx *sql.Tx, u Unit, entries []ledger.Entry, mayExist bool, check func(Appending) error, stored func(Appending) (*ledger.Account, []Status, error)) ([]Receipt, error) {
	var prev Receipt
	var head []byte
	var before storedAccount
	if len(u.Others) > 0 {
		// The status is that of all circuits: they are locked in the order of their ids.
		rows, err := tx.QueryContext(ctx, `SELECT id FROM circuit WHERE unit_id = ? ORDER BY id FOR UPDATE`, u.id)
		if _, err = collect(rows, err, func(rows *sql.Rows) (id int64, err error) { return id, rows.Scan(&id) }); err != nil {
			return nil, err
		}
	}
	// No other read precedes the lock: what is read after it is as the writer before left it.
	if err := s.row(ctx, tx, `
		SELECT c.head_seq, c.head_hash, COALESCE(a.seq, -1), `+accountColumns+`
		FROM circuit c LEFT JOIN account a ON a.circuit_id = c.id WHERE c.id = ? FOR UPDATE`, u.circuit).
		Scan(append([]any{&prev.Seq, &head, &before.seq}, before.columns()...)...); err != nil {
		return nil, err
	}
	prev.Hash = ledger.Hash(head)
	if err := s.sameFacts(ctx, tx, u); err != nil {
		return nil, err
	}
	var receipts []Receipt
	var history *ledger.History
	var last *Appending
	for _, e := range entries {
		r, found, err := s.receiptFor(ctx, tx, u, e, mayExist)
		if err != nil {
			return nil, err
		}
		if found {
			receipts = append(receipts, r)
			continue
		}
		r.RecordedAt = s.now().UTC().Truncate(time.Microsecond)
		e.At, e.RecordedAt = r.At, r.RecordedAt
		if err := s.judge(ctx, tx, u, &e); err != nil {
			return nil, err
		}
		switch {
		case history != nil:
			history = history.With(last.Entry)
		case len(entries) == 1 && before.seq == prev.Seq:
			account, err := before.restored(u)
			if err != nil {
				return nil, err
			}
			if account != nil {
				history, _ = ledger.Continued(account, e)
			}
		}
		if history == nil {
			written, err := s.entries(ctx, tx, u)
			if err != nil {
				return nil, err
			}
			history = ledger.HistoryOf(u.Ledger, written)
		}
		last = &Appending{History: history, Entry: e, Seq: prev.Seq + 1}
		if err := check(*last); err != nil {
			if r, found, lookErr := s.receiptFor(ctx, tx, u, e, true); lookErr == nil && found && len(entries) == 1 {
				return []Receipt{r}, nil
			}
			return nil, err
		}
		if r.Envelope, err = s.envelope(ctx, tx, e); err != nil {
			return nil, err
		}
		r.Seq = last.Seq
		r.Hash = ledger.ChainHash(prev.Hash, r.Record)
		if err := s.insertEntry(ctx, tx, u, r, prev.Hash, e.Body); err != nil {
			return nil, err
		}
		prev = r
		receipts = append(receipts, r)
	}
	if last == nil {
		return receipts, nil // all of it was there already
	}
	if _, err := s.exec(ctx, tx, `UPDATE circuit SET head_seq = ?, head_hash = ? WHERE id = ?`, prev.Seq, prev.Hash[:], u.circuit); err != nil {
		return nil, err
	}
	others, seqs, err := s.accountsWithin(ctx, tx, u.Others)
	if err != nil {
		return nil, err
	}
	last.Others, last.OthersSeq = others, seqs+u.endedSeq
	account, statuses, err := stored(*last)
	if err != nil {
		return nil, err
	}
	if err := s.saveAccount(ctx, tx, u, prev.Seq, account, &before); err != nil {
		return nil, err
	}
	return receipts, s.saveStatuses(ctx, tx, statuses)
}

// receiptFor e: the one it got when it was written, if it was, else one without
// a place in the chain. mayExist says that it may be.
func (s *Store) receiptFor(ctx context.Context, tx *sql.Tx, u Unit, e ledger.Entry, mayExist bool) (r Receipt, found bool, err error) {
	if r, err = receiptOf(u, e); err != nil || !mayExist {
		return r, false, err
	}
	stored, found, err := findEntry(ctx, tx, e.ID)
	if err != nil || !found {
		return r, false, err
	}
	if !sameContent(stored.Record, r.Record) {
		return r, false, fmt.Errorf("%w: %s", ErrEntryDiffers, e.ID)
	}
	return stored, true, nil
}

// receiptOf an entry that has no place in the chain yet.
func receiptOf(u Unit, e ledger.Entry) (Receipt, error) {
	payload, err := json.Marshal(e.Body)
	if err != nil {
		return Receipt{}, fmt.Errorf("entry %s: %w", e.ID, err)
	}
	return Receipt{Record: ledger.Record{Version: ledger.RecordV2, ID: e.ID, Circuit: u.circuit, Kind: e.Kind(), Payload: payload,
		At: e.At.UTC().Truncate(time.Microsecond), RecordedBy: e.RecordedBy, RecordedByID: e.RecordedByID}, Code: u.Address()}, nil
}

// envelope of an entry with the instrument that its body names; nil for an empty one.
func (s *Store) envelope(ctx context.Context, tx *sql.Tx, e ledger.Entry) (json.RawMessage, error) {
	envelope := e.Envelope
	if tool := ledger.ToolOf(e.Body); tool != "" {
		id, err := s.instrument(ctx, tx, e.RecordedBy, tool)
		if err != nil {
			return nil, err
		}
		envelope.Instrument = id
	}
	return envelopeText(envelope)
}

// envelopeText is an envelope as a record holds it; nil for an empty one.
func envelopeText(e ledger.Envelope) (json.RawMessage, error) {
	if e.Empty() {
		return nil, nil
	}
	return json.Marshal(e)
}

// judge an entry by what the register says of its instrument now, before it is recorded; whichever way it comes.
func (s *Store) judge(ctx context.Context, tx *sql.Tx, u Unit, e *ledger.Entry) error {
	e.Envelope.Unusable = ""
	tool := ledger.ToolOf(e.Body)
	if tool == "" {
		return nil
	}
	var text []byte
	var facts register.Facts
	switch err := s.row(ctx, tx, `SELECT COALESCE(facts, '{}') FROM instrument WHERE name = ?`, tool).Scan(&text); {
	case errors.Is(err, sql.ErrNoRows):
		return nil
	case err != nil:
		return err
	}
	if err := json.Unmarshal(text, &facts); err != nil {
		return err
	}
	intake.Instruments{intake.InstrumentOf(tool, facts)}.Judge(e, u.Zone)
	return nil
}

const instrumentOf = `SELECT id FROM instrument WHERE name = ?`

// instrument of that name, by id; a new name becomes one.
func (s *Store) instrument(ctx context.Context, tx *sql.Tx, who, name string) (id int64, err error) {
	err = s.row(ctx, tx, instrumentOf, name).Scan(&id)
	if !errors.Is(err, sql.ErrNoRows) {
		return id, err
	}
	res, err := tx.ExecContext(ctx, `INSERT IGNORE INTO instrument (name) VALUES (?)`, name)
	if err != nil {
		return 0, err
	}
	added, err := res.RowsAffected()
	if err != nil {
		return 0, err
	}
	if err := tx.QueryRowContext(ctx, `SELECT id FROM instrument WHERE name = ? LOCK IN SHARE MODE`, name).Scan(&id); err != nil || added == 0 {
		return id, err
	}
	return id, s.chained(ctx, tx, who, "instrument_named", instrumentTable, id)
}

func (s *Store) insertEntry(ctx context.Context, tx *sql.Tx, u Unit, r Receipt, prev ledger.Hash, body ledger.Body) error {
	beside, err := columnsOf(body)
	if err != nil {
		return err
	}
	_, err = s.exec(ctx, tx, `
		INSERT INTO entry (id, circuit_id, seq, kind, happened_at, recorded_at, recorded_by, recorded_by_id, version, envelope,
		                   reading_value, reading_unit, metric_value, payload, hash, prev_hash)
		VALUES (?, ?, ?, ?, ?, ?, ?, NULLIF(?, 0), ?, ?, ?, ?, ?, ?, ?, ?)`,
		r.ID, u.circuit, r.Seq, r.Kind, r.At, r.RecordedAt, r.RecordedBy, r.RecordedByID, r.Version, optional(string(r.Envelope)),
		beside.value, beside.unit, beside.metric, string(r.Payload), r.Hash[:], prev[:])
	if isDuplicate(err) {
		return fmt.Errorf("%w: %s", errWrittenMeanwhile, r.ID)
	}
	return err
}

// columns beside the payload, for queries; the hash covers only the
// payload. Null for a kind without a figure.
type columns struct {
	value, metric sql.NullFloat64
	unit          sql.NullString
}

func columnsOf(body ledger.Body) (c columns, err error) {
	r := ledger.ReadingOf(body)
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
	return a.Circuit == b.Circuit && a.Kind == b.Kind && a.At.Equal(b.At) && (string(a.Payload) == string(b.Payload) || asSent(a.Payload) == asSent(b.Payload))
}

// asSent is a payload with the codes of its product and additive in place of the register's
// copies, which may have changed since it was sent first.
func asSent(payload json.RawMessage) string {
	var fields map[string]any
	if json.Unmarshal(payload, &fields) != nil {
		return string(payload)
	}
	for _, name := range []string{"product", "additive"} {
		if of, ok := fields[name].(map[string]any); ok {
			fields[name] = of["code"]
		}
	}
	text, err := json.Marshal(fields)
	if err != nil {
		return string(payload)
	}
	return string(text)
}

func findEntry(ctx context.Context, tx *sql.Tx, id string) (r Receipt, found bool, err error) {
	var hash, envelope []byte
	err = tx.QueryRowContext(ctx, `
		SELECT e.id, e.circuit_id, `+sqlAddress+`, e.version, e.seq, e.kind, e.happened_at, e.recorded_at, e.recorded_by, COALESCE(e.recorded_by_id, 0), COALESCE(e.envelope, ''), e.payload, e.hash
		FROM entry e JOIN circuit c ON c.id = e.circuit_id JOIN unit u ON u.id = c.unit_id WHERE e.id = ?`, id).
		Scan(&r.ID, &r.Circuit, &r.Code, &r.Version, &r.Seq, &r.Kind, &r.At, &r.RecordedAt, &r.RecordedBy, &r.RecordedByID, &envelope, &r.Payload, &hash)
	if errors.Is(err, sql.ErrNoRows) {
		return r, false, nil
	}
	if err == nil {
		r.Hash = ledger.Hash(hash)
		if len(envelope) > 0 {
			r.Envelope = envelope
		}
	}
	return r, err == nil, err
}

// Entries of one account, in the order of recording.
func (s *Store) Entries(ctx context.Context, u Unit) ([]ledger.Entry, error) {
	return s.entries(ctx, s.db, u)
}

const entryQuery = `SELECT circuit_id, id, kind, happened_at, recorded_at, recorded_by, COALESCE(recorded_by_id, 0), COALESCE(envelope, ''), payload FROM entry`

func (s *Store) entries(ctx context.Context, q querier, u Unit) ([]ledger.Entry, error) {
	rows, err := q.QueryContext(ctx, entryQuery+` WHERE circuit_id = ? ORDER BY seq`, u.circuit)
	return collect(rows, err, func(rows *sql.Rows) (ledger.Entry, error) {
		_, e, err := scanEntry(rows)
		e.Unit = u.Address()
		return e, err
	})
}

func scanEntry(rows *sql.Rows) (circuit int64, e ledger.Entry, err error) {
	var kind ledger.Kind
	var envelope, payload []byte
	if err := rows.Scan(&circuit, &e.ID, &kind, &e.At, &e.RecordedAt, &e.RecordedBy, &e.RecordedByID, &envelope, &payload); err != nil {
		return circuit, e, err
	}
	if len(envelope) > 0 {
		if err := json.Unmarshal(envelope, &e.Envelope); err != nil {
			e.Body = ledger.UnreadableBody{Of: kind, Why: err}
			return circuit, e, nil
		}
	}
	if e.Body, err = ledger.ParseBody(kind, payload); err != nil {
		e.Body = ledger.UnreadableBody{Of: kind, Why: err} // its account is unknown; no other is
	}
	return circuit, e, nil
}

// EntriesOf every unit given, by the address of each of its circuits.
func (s *Store) EntriesOf(ctx context.Context, units []Unit) (map[string][]ledger.Entry, error) {
	codes := make(map[int64]string, len(units))
	for _, u := range circuitsOf(units) {
		codes[u.circuit] = u.Address()
	}
	where, args := ``, []any(nil)
	if n := len(codes); n > 0 && n <= fewUnits {
		where = ` WHERE circuit_id IN (?` + strings.Repeat(`, ?`, n-1) + `)`
		for id := range codes {
			args = append(args, id)
		}
	}
	rows, err := s.db.QueryContext(ctx, entryQuery+where+` ORDER BY circuit_id, seq`, args...)
	all, err := collect(rows, err, func(rows *sql.Rows) (ledger.Entry, error) {
		circuit, e, err := scanEntry(rows)
		e.Unit = codes[circuit]
		return e, err
	})
	byUnit := make(map[string][]ledger.Entry, len(units))
	for _, e := range all {
		if e.Unit != "" {
			byUnit[e.Unit] = append(byUnit[e.Unit], e)
		}
	}
	return byUnit, err
}

// EntryThere reports whether an entry of that id is in the books.
func (s *Store) EntryThere(ctx context.Context, id string) (there bool, err error) {
	return there, s.row(ctx, nil, `SELECT EXISTS (SELECT 1 FROM entry WHERE id = ?)`, id).Scan(&there)
}
