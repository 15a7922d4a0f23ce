package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"diligentledger/core/job"
	"diligentledger/core/ledger"
)

// Job as it is kept: its setup, and what the lists show of it.
type Job struct {
	Setup     job.Setup
	Person    int64
	Who       string
	StartedAt time.Time
	UpdatedAt time.Time
	EndedAt   *time.Time
	Phase     job.Phase
	Next      string
	Empty     bool
	Paused    string // why; empty while the work goes on
	Used      float64
	Events    int
}

// Errors of jobs.
var (
	ErrNoJob    = errors.New("no such job")
	ErrJobOpen  = errors.New("another job is open on this circuit")
	ErrJobEnded = errors.New("the job has ended")
	// ErrEventDiffers says that an event with this id but other content is kept already.
	ErrEventDiffers = errors.New("another event with this id is kept")
)

// JobSummary is what follows from the events of a job for the lists.
type JobSummary struct {
	Phase  job.Phase
	Next   string
	Empty  bool
	Paused string
	Used   float64 // L of coolant and flush that came out
	Ended  bool
}

func jobHash(prev []byte, body string) [32]byte {
	return sha256.Sum256(append(append([]byte{}, prev...), body...))
}

// AddJob to the circuit of an opened unit. One that is there already with the same setup is not added again; [ErrJobOpen]
// while another one is open there.
func (s *Store) AddJob(ctx context.Context, u Unit, j Job, sum JobSummary) error {
	setup, err := json.Marshal(j.Setup)
	if err != nil {
		return err
	}
	head := jobHash(nil, string(setup))
	return s.inTx(ctx, func(tx *sql.Tx) error {
		var kept string
		err := tx.QueryRowContext(ctx, `SELECT setup FROM job WHERE id = ?`, j.Setup.ID).Scan(&kept)
		switch {
		case err == nil && kept == string(setup):
			return nil
		case err == nil:
			return fmt.Errorf("%w: %s", ErrEventDiffers, j.Setup.ID)
		case !errors.Is(err, sql.ErrNoRows):
			return err
		}
		_, err = tx.ExecContext(ctx, `
			INSERT INTO job (id, circuit_id, person_id, who, exercise, setup, started_at, updated_at, phase, next_step, empty, paused, used, events, head_hash)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, '', 0, 0, ?)`,
			j.Setup.ID, u.circuit, j.Person, cut(j.Who, 190), j.Setup.Exercise, string(setup), j.StartedAt.UTC(), s.now().UTC(), sum.Phase, sum.Next, sum.Empty, head[:])
		if isDuplicate(err) {
			return fmt.Errorf("%w: %s", ErrJobOpen, u.Address())
		}
		return err
	})
}

const jobColumns = `SELECT id, setup, person_id, who, started_at, updated_at, ended_at, phase, next_step, empty, paused, used, events FROM job`

func scanJob(rows interface{ Scan(...any) error }) (j Job, err error) {
	var id string
	var setup []byte
	var ended sql.NullTime
	if err := rows.Scan(&id, &setup, &j.Person, &j.Who, &j.StartedAt, &j.UpdatedAt, &ended, &j.Phase, &j.Next, &j.Empty, &j.Paused, &j.Used, &j.Events); err != nil {
		return j, err
	}
	if ended.Valid {
		j.EndedAt = &ended.Time
	}
	return j, json.Unmarshal(setup, &j.Setup)
}

// Job of an id; [ErrNoJob].
func (s *Store) Job(ctx context.Context, id string) (Job, error) {
	j, err := scanJob(s.row(ctx, nil, jobColumns+` WHERE id = ?`, id))
	if errors.Is(err, sql.ErrNoRows) {
		err = fmt.Errorf("%w: %s", ErrNoJob, id)
	}
	return j, err
}

// mostEnded jobs of a list (judgement); those that are open are all in it.
const mostEnded = 200

// ListedJob is a job with the address of its circuit and the site of its unit as they are now.
type ListedJob struct {
	Job
	Address, Code, Site string // Code is the unit's
}

// Jobs that are open, the oldest first, then the last ones that ended at a time or later. With a person, exercises of that person too.
func (s *Store) Jobs(ctx context.Context, since time.Time, person int64) ([]ListedJob, error) {
	const columns = `SELECT j.id, j.setup, j.person_id, j.who, j.started_at, j.updated_at, j.ended_at, j.phase, j.next_step, j.empty, j.paused, j.used, j.events, ` + sqlAddress + `, u.code, t.name
		FROM job j JOIN circuit c ON c.id = j.circuit_id JOIN unit u ON u.id = c.unit_id JOIN site t ON t.id = u.site_id WHERE (NOT j.exercise OR j.person_id = ?) AND `
	scan := func(rows *sql.Rows) (l ListedJob, err error) {
		l.Job, err = scanJob(scanner(func(into ...any) error { return rows.Scan(append(into, &l.Address, &l.Code, &l.Site)...) }))
		return l, err
	}
	rows, err := s.db.QueryContext(ctx, columns+`j.ended_at IS NULL ORDER BY j.started_at, j.id`, person)
	open, err := collect(rows, err, scan)
	if err != nil {
		return nil, err
	}
	rows, err = s.db.QueryContext(ctx, columns+`j.ended_at >= ? ORDER BY j.ended_at DESC, j.id LIMIT ?`, person, since.UTC(), mostEnded)
	ended, err := collect(rows, err, scan)
	return append(open, ended...), err
}

// scanner scans a row by a function.
type scanner func(into ...any) error

// Scan a row.
func (f scanner) Scan(into ...any) error { return f(into...) }

// EventsOfJobs that are open, by job, in the order of their arrival.
func (s *Store) EventsOfJobs(ctx context.Context) (map[string][]job.Event, error) {
	all := map[string][]job.Event{}
	rows, err := s.db.QueryContext(ctx, `SELECT e.job_id, e.body FROM job_event e JOIN job j ON j.id = e.job_id WHERE j.ended_at IS NULL ORDER BY e.job_id, e.seq`)
	_, err = collect(rows, err, func(rows *sql.Rows) (n int, err error) {
		var id string
		var body []byte
		var e job.Event
		if err := rows.Scan(&id, &body); err != nil {
			return 0, err
		}
		if err := json.Unmarshal(body, &e); err != nil {
			return 0, err
		}
		all[id] = append(all[id], e)
		return 0, nil
	})
	return all, err
}

// JobsOf the circuit of a unit, the newest first.
func (s *Store) JobsOf(ctx context.Context, u Unit, limit int) ([]Job, error) {
	rows, err := s.db.QueryContext(ctx, jobColumns+` WHERE circuit_id = ? AND NOT exercise ORDER BY started_at DESC, id LIMIT ?`, u.circuit, limit)
	return collect(rows, err, func(rows *sql.Rows) (Job, error) { return scanJob(rows) })
}

// JobEvents of a job, in the order of their arrival.
func (s *Store) JobEvents(ctx context.Context, id string) ([]job.Event, error) {
	return jobEvents(ctx, s.db, id)
}

func jobEvents(ctx context.Context, q querier, id string) ([]job.Event, error) {
	rows, err := q.QueryContext(ctx, `SELECT body FROM job_event WHERE job_id = ? ORDER BY seq`, id)
	return collect(rows, err, func(rows *sql.Rows) (e job.Event, err error) {
		var body []byte
		if err := rows.Scan(&body); err != nil {
			return e, err
		}
		return e, json.Unmarshal(body, &e)
	})
}

// AddJobEvents to a job. check is given the job with all its events while no other writer has it, and says which of the new
// ones to add: those that are kept already are not among them. summary is what follows from all of them.
func (s *Store) AddJobEvents(ctx context.Context, id string, events []job.Event, check func(j Job, kept, added []job.Event) error, summary func(j Job, all []job.Event) JobSummary) (all []job.Event, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		var head []byte
		if err := tx.QueryRowContext(ctx, `SELECT head_hash FROM job WHERE id = ? FOR UPDATE`, id).Scan(&head); errors.Is(err, sql.ErrNoRows) {
			return fmt.Errorf("%w: %s", ErrNoJob, id)
		} else if err != nil {
			return err
		}
		j, err := scanJob(tx.QueryRowContext(ctx, jobColumns+` WHERE id = ?`, id))
		if err != nil {
			return err
		}
		kept, err := jobEvents(ctx, tx, id)
		if err != nil {
			return err
		}
		added, err := newEvents(kept, events)
		if err != nil || len(added) == 0 {
			all = kept
			return err
		}
		if err := check(j, kept, added); err != nil {
			return err
		}
		all = append(kept, added...)
		for i, e := range added {
			body, err := json.Marshal(e)
			if err != nil {
				return err
			}
			hash := jobHash(head, string(body))
			_, err = tx.ExecContext(ctx, `INSERT INTO job_event (job_id, seq, id, recorded_at, body, hash) VALUES (?, ?, ?, ?, ?, ?)`, id, len(kept)+i+1, e.ID, s.now().UTC(), string(body), hash[:])
			if isDuplicate(err) {
				return fmt.Errorf("%w: %s", ErrEventDiffers, e.ID)
			}
			if err != nil {
				return err
			}
			head = hash[:]
		}
		sum := summary(j, all)
		ended := any(nil)
		if sum.Ended {
			ended = s.now().UTC()
		}
		_, err = tx.ExecContext(ctx, `UPDATE job SET updated_at = ?, ended_at = COALESCE(ended_at, ?), phase = ?, next_step = ?, empty = ?, paused = ?, used = ?, events = ?, head_hash = ? WHERE id = ?`,
			s.now().UTC(), ended, sum.Phase, cut(sum.Next, 80), sum.Empty, cut(sum.Paused, 500), sum.Used, len(all), head, id)
		return err
	})
	return all, err
}

// newEvents are those that are not kept yet; [ErrEventDiffers] when one of that id has other content.
func newEvents(kept, events []job.Event) (added []job.Event, err error) {
	texts := map[string]string{}
	for _, e := range kept {
		body, err := json.Marshal(e)
		if err != nil {
			return nil, err
		}
		texts[e.ID] = string(body)
	}
	for _, e := range events {
		body, err := json.Marshal(e)
		if err != nil {
			return nil, err
		}
		switch was, there := texts[e.ID]; {
		case there && was == string(body):
		case there:
			return nil, fmt.Errorf("%w: %s", ErrEventDiffers, e.ID)
		default:
			texts[e.ID], added = string(body), append(added, e)
		}
	}
	return added, nil
}

// verifyJobs holds each job's events against their chain, and gives the first break of each.
func verifyJobs(ctx context.Context, tx *sql.Tx) (breaks []Break, err error) {
	if there, err := hasTable(ctx, tx, "job"); err != nil || !there {
		return nil, err
	}
	type line struct {
		job, setup, body string
		seq              sql.NullInt64
		events           int64
		head, hash       []byte
	}
	rows, err := tx.QueryContext(ctx, `SELECT j.id, j.setup, j.events, j.head_hash, e.seq, COALESCE(e.body, ''), COALESCE(e.hash, '') FROM job j LEFT JOIN job_event e ON e.job_id = j.id ORDER BY j.id, e.seq`)
	lines, err := collect(rows, err, func(rows *sql.Rows) (l line, err error) {
		return l, rows.Scan(&l.job, &l.setup, &l.events, &l.head, &l.seq, &l.body, &l.hash)
	})
	if err != nil {
		return nil, err
	}
	for i := 0; i < len(lines); {
		first := lines[i]
		prev := jobHash(nil, first.setup)
		seq, what := int64(0), ""
		for ; i < len(lines) && lines[i].job == first.job; i++ {
			if l := lines[i]; l.seq.Valid && what == "" {
				seq++
				hash := jobHash(prev[:], l.body)
				if l.seq.Int64 != seq || string(hash[:]) != string(l.hash) {
					what = "the hash is not that of its content"
				}
				prev = hash
			}
		}
		if what == "" && (seq != first.events || string(prev[:]) != string(first.head)) {
			what = "events are missing at the end, or the setup was changed"
		}
		if what != "" {
			breaks = append(breaks, Break{Unit: "job", Seq: seq, ID: first.job, What: what})
		}
	}
	return breaks, nil
}

// JobParameter is a parameter of the methods as it was set for a unit or a type.
type JobParameter struct {
	OfUnit bool
	Code   string
	Value  *float64 // nil for the common value
	Why    string
	At     time.Time
	Who    string
}

// JobParameters of a unit or a type, by their id in the register, the newest first.
func (s *Store) JobParameters(ctx context.Context, ofUnit bool, record int64) ([]JobParameter, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT of_unit, code, value, why, set_at, who FROM job_parameter WHERE of_unit = ? AND record_id = ? ORDER BY id DESC`, ofUnit, record)
	return collect(rows, err, func(rows *sql.Rows) (p JobParameter, err error) {
		var value sql.NullFloat64
		if err := rows.Scan(&p.OfUnit, &p.Code, &value, &p.Why, &p.At, &p.Who); err != nil {
			return p, err
		}
		if value.Valid {
			p.Value = &value.Float64
		}
		return p, nil
	})
}

// SetJobParameter for a unit or a type, with its line of the audit.
func (s *Store) SetJobParameter(ctx context.Context, by Actor, record int64, name string, p JobParameter) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `INSERT INTO job_parameter (of_unit, record_id, code, value, why, set_at, who, who_id) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
			p.OfUnit, record, p.Code, p.Value, cut(p.Why, 300), s.now().UTC(), cut(by.Name, 190), by.ID); err != nil {
			return err
		}
		value := "common value"
		if p.Value != nil {
			value = fmt.Sprint(*p.Value)
		}
		return s.changed(ctx, tx, by, "job_parameter_set", name+": "+p.Code+" "+value+", "+p.Why)
	})
}

// EntriesOfJob in the books, in the order in which they happened.
func (s *Store) EntriesOfJob(ctx context.Context, id string) ([]ledger.Entry, error) {
	byUnit, err := s.EntriesOfRounds(ctx, []string{id})
	var all []ledger.Entry
	for _, entries := range byUnit[id] {
		all = append(all, entries...)
	}
	return all, err
}

// AddressOfJob is the address of the circuit that a job is on, as it is now; [ErrNoJob].
func (s *Store) AddressOfJob(ctx context.Context, id string) (address string, err error) {
	err = s.row(ctx, nil, `SELECT `+sqlAddress+` FROM job j JOIN circuit c ON c.id = j.circuit_id JOIN unit u ON u.id = c.unit_id WHERE j.id = ?`, id).Scan(&address)
	if errors.Is(err, sql.ErrNoRows) {
		err = fmt.Errorf("%w: %s", ErrNoJob, id)
	}
	return address, err
}

// TypeID of a type by its name; 0 when there is none.
func (s *Store) TypeID(ctx context.Context, name string) (id int64, err error) {
	err = s.row(ctx, nil, `SELECT id FROM unit_type WHERE name = ?`, name).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		err = nil
	}
	return id, err
}

// OpenJob on the circuit of a unit that is no exercise, by its id; empty for none.
func (s *Store) OpenJob(ctx context.Context, u Unit) (id string, err error) {
	err = s.row(ctx, nil, `SELECT id FROM job WHERE open_on = ?`, u.circuit).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		err = nil
	}
	return id, err
}
