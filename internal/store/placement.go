package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"diligentledger/core/measure"
)

// BayName is a bay: the Number-th of its kind at a site, from 1.
type BayName struct {
	SiteID int64  `json:"site"`
	Kind   string `json:"kind"`
	Number int    `json:"number"`
}

// Placement of a line of the work list.
type Placement struct {
	Planned    int64        `json:"planned"`
	Day        measure.Date `json:"day"`
	Bay        BayName      `json:"bay"`
	Technician int64        `json:"technician"`
	Pinned     bool         `json:"pinned,omitempty"`
	// Sequence grows with each change of the line.
	Sequence  int       `json:"-"`
	ChangedAt time.Time `json:"-"`
	Who       string    `json:"-"`
}

// Same place, and pinned alike.
func (p *Placement) Same(o *Placement) bool {
	if p == nil || o == nil {
		return p == nil && o == nil
	}
	return p.Planned == o.Planned && p.Day.Equal(o.Day) && p.Bay == o.Bay && p.Technician == o.Technician && p.Pinned == o.Pinned
}

// PlacementChange of a line: nil for no place.
type PlacementChange struct {
	Planned int64      `json:"planned"`
	Was     *Placement `json:"was,omitempty"`
	Is      *Placement `json:"is,omitempty"`
}

// Errors of the plan.
var (
	// ErrPlanChanged says that a line is not where a change took it to be.
	ErrPlanChanged = errors.New("somebody changed the plan meanwhile")
	// ErrOtherRevision says that the plan is not the one that a change was computed from.
	ErrOtherRevision = errors.New("the plan is at another revision")
	// ErrWeekAgreed says that a change touches a week that is agreed.
	ErrWeekAgreed = errors.New("that week is agreed: unlock it first")
	// ErrNothingToUndo and ErrNothingToRedo.
	ErrNothingToUndo = errors.New("there is no change of yours to undo")
	ErrNothingToRedo = errors.New("there is no change of yours to redo")
	// ErrNoFeed says that no calendar has the address.
	ErrNoFeed = errors.New("no such calendar")
)

// Monday of the week that a day is in.
func Monday(d measure.Date) measure.Date { return d.AddDays(-(int(d.Time().Weekday()) + 6) % 7) }

// PlanRevision grows with each change of the plan.
func (s *Store) PlanRevision(ctx context.Context) (n int64, err error) {
	return n, s.row(ctx, nil, planRevision).Scan(&n)
}

// SheetVersion is another one when anything but the unit itself changed that the hours of a job sheet follow from: types, products,
// sites, and the parameters of the methods.
func (s *Store) SheetVersion(ctx context.Context) (version string, err error) {
	return version, s.row(ctx, nil, `SELECT CONCAT(COALESCE(`+versionOf+`, ''), '.', (SELECT COALESCE(MAX(id), 0) FROM job_parameter))`).Scan(&version)
}

// planRevision is 0 where there is no row yet, as in books that were read from an archive of an earlier version.
const planRevision = `SELECT COALESCE(MAX(revision), 0) FROM plan_state WHERE id = 1`

// lockPlacing until the transaction ends: changes of the plan come one after the other. It gives the revision.
func lockPlacing(ctx context.Context, tx *sql.Tx) (revision int64, err error) {
	if _, err := tx.ExecContext(ctx, `INSERT INTO plan_state (id, revision) VALUES (1, 0) ON DUPLICATE KEY UPDATE revision = plan_state.revision`); err != nil {
		return 0, err
	}
	return revision, tx.QueryRowContext(ctx, `SELECT revision FROM plan_state WHERE id = 1 FOR UPDATE`).Scan(&revision)
}

const placementColumns = `planned_id, day, site_id, bay_kind, bay_number, technician_id, pinned, sequence, changed_at, who`

func scanPlacement(rows interface{ Scan(...any) error }) (p Placement, placed bool, err error) {
	var day sql.NullTime
	var site, technician, number sql.NullInt64
	var kind sql.NullString
	err = rows.Scan(&p.Planned, &day, &site, &kind, &number, &technician, &p.Pinned, &p.Sequence, &p.ChangedAt, &p.Who)
	if day.Valid {
		p.Day = measure.DateOf(day.Time, time.UTC)
	}
	p.Bay, p.Technician = BayName{site.Int64, kind.String, int(number.Int64)}, technician.Int64
	return p, day.Valid, err
}

// Placements of the open lines of the work list, and the revision of the plan that they are of.
func (s *Store) Placements(ctx context.Context) (all []Placement, revision int64, err error) {
	err = s.db.Snapshot(ctx, func(tx *sql.Tx) error {
		if err := tx.QueryRowContext(ctx, planRevision).Scan(&revision); err != nil {
			return err
		}
		rows, err := tx.QueryContext(ctx, `SELECT `+placementColumns+` FROM placement WHERE day IS NOT NULL AND planned_id IN (SELECT id FROM planned WHERE is_open = 1) ORDER BY planned_id`)
		all, err = collect(rows, err, func(rows *sql.Rows) (Placement, error) {
			p, _, err := scanPlacement(rows)
			return p, err
		})
		return err
	})
	return all, revision, err
}

// AnyRevision of the plan takes a change.
const AnyRevision = -1

// Place lines of the work list as one change, all or none. Each must be where Was says; [ErrPlanChanged] names the first
// that is not. Days of agreed weeks are refused with [ErrWeekAgreed]. When the plan is not at the revision by which the change was
// computed, [ErrOtherRevision].
func (s *Store) Place(ctx context.Context, by Actor, what string, changes []PlacementChange, revision int64) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		return s.place(ctx, tx, by, what, changes, revision, true)
	})
}

func (s *Store) place(ctx context.Context, tx *sql.Tx, by Actor, what string, changes []PlacementChange, revision int64, kept bool) error {
	now, err := lockPlacing(ctx, tx)
	if err != nil {
		return err
	}
	if revision != AnyRevision && now != revision {
		return ErrOtherRevision
	}
	agreed, err := agreedWeeks(ctx, tx)
	if err != nil {
		return err
	}
	for _, c := range changes {
		for _, p := range []*Placement{c.Was, c.Is} {
			if p != nil && agreed[Monday(p.Day)] {
				return fmt.Errorf("%w (week of %s)", ErrWeekAgreed, Monday(p.Day).Format("2 Jan"))
			}
		}
		if err := s.placeOne(ctx, tx, by, c); err != nil {
			return err
		}
	}
	if kept {
		body, err := json.Marshal(changes)
		if err != nil {
			return err
		}
		res, err := tx.ExecContext(ctx, `INSERT INTO plan_change (at, who_id, who, what, body) VALUES (?, ?, ?, ?, ?)`, s.now().UTC(), by.ID, by.Name, what, string(body))
		if err != nil {
			return err
		}
		id, err := res.LastInsertId()
		if err != nil {
			return err
		}
		if err := s.chained(ctx, tx, by.Name, "plan_"+what, planChangeTable, id); err != nil {
			return err
		}
	}
	placed := make([]any, len(changes))
	for i, c := range changes {
		placed[i] = c.Planned
	}
	if err := s.chained(ctx, tx, by.Name, "plan_"+what, placementTable, placed...); err != nil {
		return err
	}
	return s.planChanged(ctx, tx, by, "plan_"+what, fmt.Sprintf("%d lines", len(changes)))
}

// planChanged raises the revision and writes the line of the audit.
func (s *Store) planChanged(ctx context.Context, tx *sql.Tx, by Actor, what, detail string) error {
	if _, err := tx.ExecContext(ctx, `UPDATE plan_state SET revision = revision + 1 WHERE id = 1`); err != nil {
		return err
	}
	return s.changed(ctx, tx, by, what, detail)
}

func (s *Store) placeOne(ctx context.Context, tx *sql.Tx, by Actor, c PlacementChange) error {
	line, err := lockWorkItem(ctx, tx, c.Planned)
	if err != nil {
		return err
	}
	now, placed, err := scanPlacement(tx.QueryRowContext(ctx, `SELECT `+placementColumns+` FROM placement WHERE planned_id = ? FOR UPDATE`, c.Planned))
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return err
	}
	var is *Placement
	if placed {
		is = &now
	}
	if !is.Same(c.Was) {
		return fmt.Errorf("%w: %s was moved by %s", ErrPlanChanged, line.Address, now.Who)
	}
	var day, site, kind, number, technician any
	pinned := false
	if p := c.Is; p != nil {
		day, site, kind, number, technician, pinned = p.Day.String(), p.Bay.SiteID, p.Bay.Kind, p.Bay.Number, p.Technician, p.Pinned
	}
	_, err = tx.ExecContext(ctx, `INSERT INTO placement (planned_id, day, site_id, bay_kind, bay_number, technician_id, pinned, sequence, changed_at, who) VALUES (?, ?, ?, ?, ?, ?, ?, 0, ?, ?)
		ON DUPLICATE KEY UPDATE day = VALUES(day), site_id = VALUES(site_id), bay_kind = VALUES(bay_kind), bay_number = VALUES(bay_number), technician_id = VALUES(technician_id),
		pinned = VALUES(pinned), sequence = placement.sequence + 1, changed_at = VALUES(changed_at), who = VALUES(who)`,
		c.Planned, day, site, kind, number, technician, pinned, s.now().UTC(), by.Name)
	return err
}

// UndoPlan reverses the last change of a person that is not undone, or repeats the last undone one; its lines must be as it left
// them, else [ErrPlanChanged]. A change after which the person made another cannot be done again.
func (s *Store) UndoPlan(ctx context.Context, by Actor, redo bool) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if _, err := lockPlacing(ctx, tx); err != nil {
			return err
		}
		id, changes, err := lastChange(ctx, tx, by.ID, redo)
		if err != nil {
			return err
		}
		what := "redo"
		if !redo {
			what = "undo"
			for i, c := range changes {
				changes[i] = PlacementChange{c.Planned, c.Is, c.Was}
			}
			slices.Reverse(changes)
		}
		if err := s.place(ctx, tx, by, what, changes, AnyRevision, false); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE plan_change SET undone = ? WHERE id = ?`, !redo, id); err != nil {
			return err
		}
		return s.chained(ctx, tx, by.Name, "plan_"+what, planChangeTable, id)
	})
}

func lastChange(ctx context.Context, q querier, person int64, redo bool) (id int64, changes []PlacementChange, err error) {
	query, none := `SELECT id, body FROM plan_change WHERE who_id = ? AND undone = 0 ORDER BY id DESC LIMIT 1`, ErrNothingToUndo
	if redo {
		// The first of those undone that no change of the person came after.
		query, none = `SELECT id, body FROM plan_change WHERE who_id = ? AND undone = 1 AND id > COALESCE((SELECT MAX(c.id) FROM plan_change c WHERE c.who_id = plan_change.who_id AND c.undone = 0), 0) ORDER BY id LIMIT 1`, ErrNothingToRedo
	}
	var body string
	err = q.QueryRowContext(ctx, query, person).Scan(&id, &body)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, nil, none
	}
	if err == nil {
		err = json.Unmarshal([]byte(body), &changes)
	}
	return id, changes, err
}

// Undoable reports whether a person has a change to undo, and one to do again.
func (s *Store) Undoable(ctx context.Context, person int64) (undo, redo bool, err error) {
	_, _, err = lastChange(ctx, s.db, person, false)
	if undo = err == nil; err != nil && !errors.Is(err, ErrNothingToUndo) {
		return false, false, err
	}
	_, _, err = lastChange(ctx, s.db, person, true)
	if redo = err == nil; err != nil && !errors.Is(err, ErrNothingToRedo) {
		return false, false, err
	}
	return undo, redo, nil
}

// AgreedWeek is a week that is agreed.
type AgreedWeek struct {
	Monday measure.Date
	At     time.Time
	Who    string
}

// AgreedWeeks, the earliest first.
func (s *Store) AgreedWeeks(ctx context.Context) ([]AgreedWeek, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT monday, agreed_at, who FROM plan_week ORDER BY monday`)
	return collect(rows, err, func(rows *sql.Rows) (w AgreedWeek, err error) { return w, rows.Scan(&w.Monday, &w.At, &w.Who) })
}

func agreedWeeks(ctx context.Context, q querier) (map[measure.Date]bool, error) {
	all := map[measure.Date]bool{}
	rows, err := q.QueryContext(ctx, `SELECT monday FROM plan_week`)
	_, err = collect(rows, err, func(rows *sql.Rows) (d measure.Date, err error) {
		err = rows.Scan(&d)
		all[d] = true
		return d, err
	})
	return all, err
}

// AgreeWeek fixes what is placed in a week, as it was seen at a revision of the plan; unlocked, it can be moved again. Agreed twice it is
// agreed once.
func (s *Store) AgreeWeek(ctx context.Context, by Actor, monday measure.Date, revision int64) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		now, err := lockPlacing(ctx, tx)
		if err != nil {
			return err
		}
		if now != revision {
			return fmt.Errorf("%w: review the week again before agreeing it", ErrPlanChanged)
		}
		sunday := monday.AddDays(6)
		for _, statement := range []struct {
			query string
			args  []any
		}{
			{`INSERT INTO plan_week (monday, agreed_at, who) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE agreed_at = plan_week.agreed_at`, []any{monday.String(), s.now().UTC(), by.Name}},
			{`DELETE FROM plan_agreed WHERE monday = ? AND done_on IS NULL`, []any{monday.String()}},
			{`INSERT INTO plan_agreed (monday, planned_id, day) SELECT ?, p.planned_id, p.day FROM placement p JOIN planned l ON l.id = p.planned_id AND l.is_open = 1 WHERE p.day BETWEEN ? AND ?
			  ON DUPLICATE KEY UPDATE day = VALUES(day)`, []any{monday.String(), monday.String(), sunday.String()}},
		} {
			if _, err := tx.ExecContext(ctx, statement.query, statement.args...); err != nil {
				return err
			}
		}
		if err := s.weekChained(ctx, tx, by, "plan_agreed", monday); err != nil {
			return err
		}
		return s.planChanged(ctx, tx, by, "plan_agreed", "week of "+monday.String())
	})
}

// UnlockWeek so that it can be changed again.
func (s *Store) UnlockWeek(ctx context.Context, by Actor, monday measure.Date) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if _, err := lockPlacing(ctx, tx); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM plan_week WHERE monday = ?`, monday.String()); err != nil {
			return err
		}
		if err := s.weekChained(ctx, tx, by, "plan_unlocked", monday); err != nil {
			return err
		}
		return s.planChanged(ctx, tx, by, "plan_unlocked", "week of "+monday.String())
	})
}

func (s *Store) weekChained(ctx context.Context, tx *sql.Tx, by Actor, what string, monday measure.Date) error {
	if err := s.chained(ctx, tx, by.Name, what, weekTable, monday.String()); err != nil {
		return err
	}
	return s.chained(ctx, tx, by.Name, what, agreedTable, monday.String())
}

// AgreedJob is a line of an agreed week, and the day on which it was done by the books.
type AgreedJob struct {
	Monday, Day measure.Date
	Planned     int64
	Done        *measure.Date
	// Open: the line is on the work list.
	Open bool
}

// AgreedJobs of weeks from a Monday on.
func (s *Store) AgreedJobs(ctx context.Context, from measure.Date) ([]AgreedJob, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT a.monday, a.day, a.planned_id, a.done_on, p.is_open IS NOT NULL AND p.is_open = 1 FROM plan_agreed a JOIN planned p ON p.id = a.planned_id WHERE a.monday >= ? ORDER BY a.monday, a.day, a.planned_id`, from.String())
	return collect(rows, err, func(rows *sql.Rows) (a AgreedJob, err error) {
		var done sql.NullTime
		err = rows.Scan(&a.Monday, &a.Day, &a.Planned, &done, &a.Open)
		if done.Valid {
			day := measure.DateOf(done.Time, time.UTC)
			a.Done = &day
		}
		return a, err
	})
}

// DoneAsAgreed keeps the days on which lines of agreed weeks were done, by the books; nil takes one back that was struck.
func (s *Store) DoneAsAgreed(ctx context.Context, done map[int64]*measure.Date) error {
	if len(done) == 0 {
		return nil
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if _, err := lockPlacing(ctx, tx); err != nil {
			return err
		}
		ids := slices.Sorted(maps.Keys(done))
		for _, id := range ids {
			var on any
			if day := done[id]; day != nil {
				on = day.String()
			}
			if _, err := tx.ExecContext(ctx, `UPDATE plan_agreed SET done_on = ? WHERE planned_id = ?`, on, id); err != nil {
				return err
			}
		}
		rows, err := tx.QueryContext(ctx, `SELECT DISTINCT CAST(monday AS CHAR) FROM plan_agreed WHERE planned_id IN (?`+strings.Repeat(`, ?`, len(ids)-1)+`) ORDER BY 1`, anys(ids)...)
		mondays, err := collect(rows, err, func(rows *sql.Rows) (monday string, err error) { return monday, rows.Scan(&monday) })
		if err != nil {
			return err
		}
		return s.chained(ctx, tx, programName, "plan_done", agreedTable, anys(mondays)...)
	})
}

// SiteFacts are the registered facts of each site, by its id.
func (s *Store) SiteFacts(ctx context.Context) ([]Record, error) { return s.allFacts(ctx, "site") }

// Technicians with their registered facts, by name.
func (s *Store) Technicians(ctx context.Context) ([]Record, error) {
	return s.allFacts(ctx, "technician")
}

func (s *Store) allFacts(ctx context.Context, table string) ([]Record, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT id, name, COALESCE(facts, '{}') FROM `+table+` ORDER BY name, id`)
	return collect(rows, err, func(rows *sql.Rows) (r Record, err error) {
		var facts []byte
		if err = rows.Scan(&r.ID, &r.Name, &facts); err != nil {
			return r, err
		}
		return r, json.Unmarshal(facts, &r.Facts)
	})
}

// UnitFacts are the registered facts of some units by their code, those of their types not among them.
func (s *Store) UnitFacts(ctx context.Context, codes []string) (map[string]map[string]string, error) {
	all := map[string]map[string]string{}
	args := make([]any, len(codes))
	for i, code := range codes {
		args[i] = code
	}
	rows, err := s.db.QueryContext(ctx, `SELECT code, COALESCE(facts, '{}') FROM unit WHERE code IN (NULL`+strings.Repeat(`, ?`, len(codes))+`)`, args...)
	_, err = collect(rows, err, func(rows *sql.Rows) (code string, err error) {
		var text []byte
		if err = rows.Scan(&code, &text); err != nil {
			return code, err
		}
		facts := map[string]string{}
		err = json.Unmarshal(text, &facts)
		all[code] = facts
		return code, err
	})
	return all, err
}

// CalendarFeed is a calendar by a secret address.
type CalendarFeed struct {
	ID int64
	// Of is technician, bay or site; Target its id, of a bay its site's id, kind and number.
	Of, Target string
	MadeAt     time.Time
	Who        string
	RevokedAt  *time.Time
}

// AddFeed of a calendar, known by the SHA-256 of its secret.
func (s *Store) AddFeed(ctx context.Context, by Actor, f CalendarFeed, secret string) (id int64, err error) {
	hash := sha256.Sum256([]byte(secret))
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT INTO calendar_feed (of, target, secret, made_at, who) VALUES (?, ?, ?, ?, ?)`, f.Of, f.Target, hash[:], s.now().UTC(), by.Name)
		if err != nil {
			return err
		}
		if id, err = res.LastInsertId(); err != nil {
			return err
		}
		return s.changedRows(ctx, tx, by, "calendar_made", f.Of+" "+f.Target, feedTable, id)
	})
	return id, err
}

const feedColumns = `SELECT id, of, target, made_at, who, revoked_at FROM calendar_feed`

func scanFeed(rows interface{ Scan(...any) error }) (f CalendarFeed, err error) {
	var revoked sql.NullTime
	err = rows.Scan(&f.ID, &f.Of, &f.Target, &f.MadeAt, &f.Who, &revoked)
	if revoked.Valid {
		f.RevokedAt = &revoked.Time
	}
	return f, err
}

// Feeds that are not revoked, the newest first.
func (s *Store) Feeds(ctx context.Context) ([]CalendarFeed, error) {
	rows, err := s.db.QueryContext(ctx, feedColumns+` WHERE revoked_at IS NULL ORDER BY id DESC`)
	return collect(rows, err, func(rows *sql.Rows) (CalendarFeed, error) { return scanFeed(rows) })
}

// FeedBySecret that is not revoked; [ErrNoFeed].
func (s *Store) FeedBySecret(ctx context.Context, secret string) (CalendarFeed, error) {
	hash := sha256.Sum256([]byte(secret))
	f, err := scanFeed(s.row(ctx, nil, feedColumns+` WHERE secret = ? AND revoked_at IS NULL`, hash[:]))
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNoFeed
	}
	return f, err
}

// RevokeFeed: its address answers nothing any more; [ErrNoFeed].
func (s *Store) RevokeFeed(ctx context.Context, by Actor, id int64) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `UPDATE calendar_feed SET revoked_at = ? WHERE id = ? AND revoked_at IS NULL`, s.now().UTC(), id)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, ErrNoFeed)
		}
		return s.changedRows(ctx, tx, by, "calendar_revoked", fmt.Sprint(id), feedTable, id)
	})
}
