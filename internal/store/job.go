package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
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

// JobWrite is what is to be written of a job and of its circuit's account, together.
type JobWrite struct {
	Events  []job.Event    // to be added, those that are kept already left out
	Entries []ledger.Entry // those that are in the books already are not written again
	// Audit line besides; nil for none.
	Audit *Audited
}

// JobLocked is a job and the account of its circuit while no other writer has them.
type JobLocked struct {
	Job  Job
	Kept []job.Event // in the order of their arrival
	// Account of the circuit.
	Account *ledger.Account
	// There reports whether an entry is in the books.
	There func(id string) (bool, error)
}

// JobChange is how a job and its account are changed together, see [Store.WriteJob].
type JobChange struct {
	ID string
	// Begin the job first, unless it was begun already; nil for one that is there.
	Begin *Job
	// Plan gives what is to be written.
	Plan func(JobLocked) (JobWrite, error)
	// Check and Stored are those of [Store.Append].
	Check  func(Appending) error
	Stored func(last Appending) (*ledger.Account, []Status, error)
	// Summary is what follows from all events.
	Summary func(j Job, all []job.Event) JobSummary
}

// WriteJob changes a job and the account of its circuit, that of the opened unit, in one transaction: both, or neither. The
// circuits of the unit are locked first, then the job. It gives all its events. [ErrNoJob], [ErrJobOpen], [ErrEventDiffers], and
// the errors of [Store.Append].
func (s *Store) WriteJob(ctx context.Context, o *Opened, c JobChange) (j Job, all []job.Event, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) (err error) {
		j, all, err = s.writeJob(ctx, tx, o.Unit, c)
		return err
	})
	return j, all, err
}

func (s *Store) writeJob(ctx context.Context, tx *sql.Tx, u Unit, c JobChange) (j Job, all []job.Event, err error) {
	if err := lockCircuits(ctx, tx, u.id); err != nil {
		return j, nil, err
	}
	if c.Begin != nil {
		if err := s.beginJob(ctx, tx, u, *c.Begin, c.Summary(*c.Begin, nil)); err != nil {
			return j, nil, err
		}
	}
	var head []byte
	var circuit int64
	if err := tx.QueryRowContext(ctx, `SELECT head_hash, circuit_id FROM job WHERE id = ? FOR UPDATE`, c.ID).Scan(&head, &circuit); errors.Is(err, sql.ErrNoRows) {
		return j, nil, fmt.Errorf("%w: %s", ErrNoJob, c.ID)
	} else if err != nil {
		return j, nil, err
	}
	if circuit != u.circuit {
		return j, nil, fmt.Errorf("%w: %s is on another circuit", ErrNoJob, c.ID)
	}
	if j, err = scanJob(tx.QueryRowContext(ctx, jobColumns+` WHERE id = ?`, c.ID)); err != nil {
		return j, nil, err
	}
	kept, err := jobEvents(ctx, tx, c.ID)
	if err != nil {
		return j, nil, err
	}
	accounts, _, err := s.accountsWithin(ctx, tx, []Unit{u})
	if err != nil {
		return j, nil, err
	}
	w, err := c.Plan(JobLocked{Job: j, Kept: kept, Account: accounts[u.Address()], There: func(id string) (bool, error) {
		_, found, err := findEntry(ctx, tx, id)
		return found, err
	}})
	if err != nil {
		return j, nil, err
	}
	if len(w.Entries) > 0 {
		if _, err := s.append(ctx, tx, u, w.Entries, true, c.Check, c.Stored); err != nil {
			return j, nil, err
		}
	}
	if w.Audit != nil {
		if err := s.audit(ctx, tx, *w.Audit); err != nil {
			return j, nil, err
		}
	}
	all, err = s.addEvents(ctx, tx, j, head, kept, w.Events, c.Summary)
	return j, all, err
}

// lockCircuits of a unit, in the order of their ids: nobody else writes to their accounts until the transaction ends.
func lockCircuits(ctx context.Context, tx *sql.Tx, unit int64) error {
	rows, err := tx.QueryContext(ctx, `SELECT id FROM circuit WHERE unit_id = ? ORDER BY id FOR UPDATE`, unit)
	_, err = collect(rows, err, func(rows *sql.Rows) (id int64, err error) { return id, rows.Scan(&id) })
	return err
}

// beginJob on the circuit of a unit; one that is there already with the same setup is not added again, and [ErrJobOpen]
// while another one is open there.
func (s *Store) beginJob(ctx context.Context, tx *sql.Tx, u Unit, j Job, sum JobSummary) error {
	setup, err := json.Marshal(j.Setup)
	if err != nil {
		return err
	}
	head := jobHash(nil, string(setup))
	var there bool
	if err := tx.QueryRowContext(ctx, `SELECT EXISTS (SELECT 1 FROM job WHERE id = ?)`, j.Setup.ID).Scan(&there); err != nil || there {
		return err
	}
	_, err = tx.ExecContext(ctx, `
		INSERT INTO job (id, circuit_id, person_id, who, exercise, setup, started_at, updated_at, phase, next_step, empty, paused, used, events, head_hash)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, '', 0, 0, ?)`,
		j.Setup.ID, u.circuit, j.Person, cut(j.Who, 190), j.Setup.Exercise, string(setup), j.StartedAt.UTC(), s.now().UTC(), sum.Phase, sum.Next, sum.Empty, head[:])
	if isDuplicate(err) {
		return fmt.Errorf("%w: %s", ErrJobOpen, u.Address())
	}
	if err != nil {
		return err
	}
	return s.chained(ctx, tx, j.Who, "job_begun", jobTable, j.Setup.ID)
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

// addEvents to a job whose row is locked and whose chain ends in head, after those that are kept.
func (s *Store) addEvents(ctx context.Context, tx *sql.Tx, j Job, head []byte, kept, added []job.Event, summary func(j Job, all []job.Event) JobSummary) ([]job.Event, error) {
	if len(added) == 0 {
		return kept, nil
	}
	all := append(slices.Clone(kept), added...)
	id, ids := j.Setup.ID, make([]any, len(added))
	for i, e := range added {
		body, err := json.Marshal(e)
		if err != nil {
			return nil, err
		}
		hash := jobHash(head, string(body))
		ids[i] = e.ID
		_, err = tx.ExecContext(ctx, `INSERT INTO job_event (job_id, seq, id, recorded_at, body, hash) VALUES (?, ?, ?, ?, ?, ?)`, id, len(kept)+i+1, e.ID, s.now().UTC(), string(body), hash[:])
		if isDuplicate(err) {
			return nil, fmt.Errorf("%w: %s", ErrEventDiffers, e.ID)
		}
		if err != nil {
			return nil, err
		}
		head = hash[:]
	}
	sum := summary(j, all)
	ended := any(nil)
	if sum.Ended {
		ended = s.now().UTC()
	}
	_, err := tx.ExecContext(ctx, `UPDATE job SET updated_at = ?, ended_at = COALESCE(ended_at, ?), phase = ?, next_step = ?, empty = ?, paused = ?, used = ?, events = ?, head_hash = ? WHERE id = ?`,
		s.now().UTC(), ended, sum.Phase, cut(sum.Next, 80), sum.Empty, cut(sum.Paused, 500), sum.Used, len(all), head, id)
	if err != nil {
		return nil, err
	}
	who := added[len(added)-1].By
	if err := s.chained(ctx, tx, who, "job_event", jobEventTable, ids...); err != nil {
		return nil, err
	}
	return all, s.chained(ctx, tx, who, "job_event", jobTable, id)
}

// NewEvents are those that are not kept yet, in their order; [ErrEventDiffers] when one of that id says something else. The time
// and who sent it are those of the one that is kept.
func NewEvents(kept, events []job.Event) (added []job.Event, err error) {
	says := func(e job.Event) (string, error) {
		e.At, e.DeviceAt, e.By, e.ByID, e.Role = time.Time{}, nil, "", 0, ""
		body, err := json.Marshal(e)
		return string(body), err
	}
	texts := map[string]string{}
	for _, e := range kept {
		if texts[e.ID], err = says(e); err != nil {
			return nil, err
		}
	}
	for _, e := range events {
		text, err := says(e)
		if err != nil {
			return nil, err
		}
		switch was, there := texts[e.ID]; {
		case there && was == text:
		case there:
			return nil, fmt.Errorf("%w: %s", ErrEventDiffers, e.ID)
		default:
			texts[e.ID], added = text, append(added, e)
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
		res, err := tx.ExecContext(ctx, `INSERT INTO job_parameter (of_unit, record_id, code, value, why, set_at, who, who_id) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
			p.OfUnit, record, p.Code, p.Value, cut(p.Why, 300), s.now().UTC(), cut(by.Name, 190), by.ID)
		if err != nil {
			return err
		}
		id, err := res.LastInsertId()
		if err != nil {
			return err
		}
		value := "common value"
		if p.Value != nil {
			value = fmt.Sprint(*p.Value)
		}
		return s.changedRows(ctx, tx, by, "job_parameter_set", name+": "+p.Code+" "+value+", "+p.Why, parameterTable, id)
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
