package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"diligentledger/core/ledger"
)

// StopState is what became of a unit of a round.
type StopState string

// The states.
const (
	StopWaiting StopState = "waiting"
	StopDone    StopState = "done"
	StopSkipped StopState = "skipped"
)

// RoundStop is a unit of a round.
type RoundStop struct {
	Unit  string     `json:"unit"`
	State StopState  `json:"state"`
	Why   string     `json:"why,omitempty"` // it was skipped
	At    *time.Time `json:"at,omitempty"`
}

// Round is a technician's walk along units, as the device that walks last reported it.
type Round struct {
	ID                 string // UUID version 7 made by the device
	Person             int64
	Who, Title, Device string
	StartedAt          time.Time
	ClosedAt           *time.Time // nil while it is under way
	UpdatedAt          time.Time
	// Revision counts the reports: a later one is never written over by an earlier.
	Revision int
	Stops    []RoundStop
}

// ErrNoRound says that there is no round of that id, or that it is another person's.
var ErrNoRound = errors.New("no such round")

// SaveRound as reported; an earlier report than the one that is kept changes nothing. [ErrNoRound] when
// the round of that id is another person's.
func (s *Store) SaveRound(ctx context.Context, r Round) error {
	stops, err := json.Marshal(r.Stops)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		var person int64
		var revision int
		err := tx.QueryRowContext(ctx, `SELECT person_id, revision FROM round_log WHERE id = ? FOR UPDATE`, r.ID).Scan(&person, &revision)
		switch {
		case errors.Is(err, sql.ErrNoRows):
			_, err := tx.ExecContext(ctx, `
				INSERT INTO round_log (id, person_id, who, title, device, started_at, closed_at, updated_at, revision, stops) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
				r.ID, r.Person, cut(r.Who, 190), cut(r.Title, 200), cut(r.Device, 120), r.StartedAt.UTC(), utc(r.ClosedAt), s.now().UTC(), r.Revision, string(stops))
			if err != nil {
				return err
			}
			return s.chained(ctx, tx, r.Who, "round_reported", roundTable, r.ID)
		case err != nil:
			return err
		case person != r.Person:
			return fmt.Errorf("%w: %s", ErrNoRound, r.ID)
		case revision >= r.Revision:
			return nil
		}
		_, err = tx.ExecContext(ctx, `UPDATE round_log SET title = ?, closed_at = ?, updated_at = ?, revision = ?, stops = ? WHERE id = ?`,
			cut(r.Title, 200), utc(r.ClosedAt), s.now().UTC(), r.Revision, string(stops), r.ID)
		if err != nil {
			return err
		}
		return s.chained(ctx, tx, r.Who, "round_reported", roundTable, r.ID)
	})
}

func utc(t *time.Time) any {
	if t == nil {
		return nil
	}
	return t.UTC()
}

const roundQuery = `SELECT id, person_id, who, title, device, started_at, closed_at, updated_at, revision, stops FROM round_log`

func scanRound(rows interface{ Scan(...any) error }) (r Round, err error) {
	var closed sql.NullTime
	var stops []byte
	if err = rows.Scan(&r.ID, &r.Person, &r.Who, &r.Title, &r.Device, &r.StartedAt, &closed, &r.UpdatedAt, &r.Revision, &stops); err != nil {
		return r, err
	}
	if closed.Valid {
		r.ClosedAt = &closed.Time
	}
	return r, json.Unmarshal(stops, &r.Stops)
}

// Rounds that began, or were reported, at a time or later, the newest first.
func (s *Store) Rounds(ctx context.Context, since time.Time) ([]Round, error) {
	rows, err := s.db.QueryContext(ctx, roundQuery+` WHERE started_at >= ? OR updated_at >= ? ORDER BY started_at DESC, id LIMIT 100`, since.UTC(), since.UTC())
	return collect(rows, err, func(rows *sql.Rows) (Round, error) { return scanRound(rows) })
}

// Round of an id; [ErrNoRound].
func (s *Store) Round(ctx context.Context, id string) (Round, error) {
	r, err := scanRound(s.row(ctx, nil, roundQuery+` WHERE id = ?`, id))
	if errors.Is(err, sql.ErrNoRows) {
		err = fmt.Errorf("%w: %s", ErrNoRound, id)
	}
	return r, err
}

// EntriesOfRounds in the books, by round and by the code of the unit, in the order in which they
// happened. What was struck since is left out.
func (s *Store) EntriesOfRounds(ctx context.Context, ids []string) (map[string]map[string][]ledger.Entry, error) {
	all := map[string]map[string][]ledger.Entry{}
	if len(ids) == 0 {
		return all, nil
	}
	args := make([]any, len(ids))
	for i, id := range ids {
		args[i], all[id] = id, map[string][]ledger.Entry{}
	}
	rows, err := s.db.QueryContext(ctx, `
		SELECT e.job, u.code, e.id, e.kind, e.happened_at, e.payload FROM entry e JOIN circuit c ON c.id = e.circuit_id JOIN unit u ON u.id = c.unit_id
		LEFT JOIN entry s ON s.struck = e.id AND s.circuit_id = e.circuit_id
		WHERE e.job IN (?`+strings.Repeat(`, ?`, len(ids)-1)+`) AND s.id IS NULL AND e.kind <> 'strike' ORDER BY e.happened_at, e.id`, args...)
	_, err = collect(rows, err, func(rows *sql.Rows) (n int, err error) {
		var round, unit string
		var e ledger.Entry
		var kind ledger.Kind
		var payload []byte
		if err := rows.Scan(&round, &unit, &e.ID, &kind, &e.At, &payload); err != nil {
			return 0, err
		}
		if e.Body, err = ledger.ParseBody(kind, payload); err != nil {
			e.Body = ledger.UnreadableBody{Of: kind, Why: err}
		}
		all[round][unit] = append(all[round][unit], e)
		return 0, nil
	})
	return all, err
}
