package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/register"
	"diligentledger/internal/importer"
)

// ImportState of a run.
type ImportState string

// The states. A run in one that ends with -ing is worked on in the background, by whichever
// process has the lease.
const (
	ImportUploaded   ImportState = "uploaded"
	ImportChecking   ImportState = "checking"
	ImportChecked    ImportState = "checked"
	ImportRunning    ImportState = "running"
	ImportDone       ImportState = "done"
	ImportCancelling ImportState = "cancelling"
	ImportCancelled  ImportState = "cancelled"
	ImportReversing  ImportState = "reversing"
	ImportReversed   ImportState = "reversed"
	ImportFailed     ImportState = "failed"
)

// Import run.
type Import struct {
	ID        int64
	Name      string
	Bytes     int64
	CreatedAt time.Time
	Who       string
	WhoID     int64
	State     ImportState
	// Runner lets it run, or reverses it: what is written is by this person, whoever brought the file.
	Runner Actor
	// Shape of the file as JSON.
	Shape   []byte
	Columns []importer.Target
	Options importer.Options
	// Reading of who brought the file, see [Store.SetFleet].
	Reading string
	// Result of the last check, JSON; empty before it.
	Result      []byte
	Done, Total int
	Error       string
	FinishedAt  *time.Time
}

// ErrNoImport says that there is no run of that id.
var ErrNoImport = errors.New("no such import")

// ErrImportState says that a run is not in a state in which this can be done.
var ErrImportState = errors.New("this import is not in a state for that")

const importQuery = `SELECT id, name, bytes, created_at, who, COALESCE(who_id, 0), COALESCE(runner, who), COALESCE(runner_id, who_id, 0), COALESCE(runner_role, 'coordinator'), state, shape, COALESCE(columns, '[]'), COALESCE(options, '{}'), reading, COALESCE(result, ''), done, total, error, finished_at FROM import_run`

func scanImport(row interface{ Scan(...any) error }) (i Import, err error) {
	var columns, options []byte
	var finished sql.NullTime
	if err = row.Scan(&i.ID, &i.Name, &i.Bytes, &i.CreatedAt, &i.Who, &i.WhoID, &i.Runner.Name, &i.Runner.ID, &i.Runner.Role, &i.State, &i.Shape, &columns, &options, &i.Reading, &i.Result, &i.Done, &i.Total, &i.Error, &finished); err != nil {
		if errors.Is(err, sql.ErrNoRows) {
			err = ErrNoImport
		}
		return i, err
	}
	if finished.Valid {
		i.FinishedAt = &finished.Time
	}
	return i, errors.Join(json.Unmarshal(columns, &i.Columns), json.Unmarshal(options, &i.Options))
}

// partBytes of a file in one row.
const partBytes = 1 << 20

// fileKept is for how long a file is kept that was uploaded and not imported.
const fileKept = 30 * 24 * time.Hour

// AddImport keeps a file that was uploaded, with what its headings are taken for.
func (s *Store) AddImport(ctx context.Context, by Actor, name, reading string, content, shape []byte, columns []importer.Target) (id int64, err error) {
	text, err := json.Marshal(columns)
	if err != nil {
		return 0, err
	}
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT INTO import_run (name, bytes, created_at, who, who_id, state, shape, columns, reading) VALUES (?, ?, ?, ?, ?, 'uploaded', ?, ?, ?)`,
			cut(name, 200), len(content), s.now().UTC(), cut(by.Name, 190), nullID(by.ID), string(shape), string(text), reading)
		if err != nil {
			return err
		}
		if id, err = res.LastInsertId(); err != nil {
			return err
		}
		if err := s.chained(ctx, tx, by.Name, "import_uploaded", importTable, id); err != nil {
			return err
		}
		// Files of runs that went no further for a month are not kept.
		if _, err := tx.ExecContext(ctx, `
			DELETE p FROM import_part p JOIN import_run r ON r.id = p.run_id
			WHERE p.what = 'file' AND r.created_at < ? AND r.state IN ('uploaded','checked','failed')`, s.now().UTC().Add(-fileKept)); err != nil {
			return err
		}
		return writeParts(ctx, tx, id, "file", content)
	})
	return id, err
}

func writeParts(ctx context.Context, tx *sql.Tx, run int64, what string, content []byte) error {
	if _, err := tx.ExecContext(ctx, `DELETE FROM import_part WHERE run_id = ? AND what = ?`, run, what); err != nil {
		return err
	}
	n := 0
	for part := range slices.Chunk(content, partBytes) {
		if _, err := tx.ExecContext(ctx, `INSERT INTO import_part (run_id, what, n, content) VALUES (?, ?, ?, ?)`, run, what, n, part); err != nil {
			return err
		}
		n++
	}
	return nil
}

// ImportFile of a run: what was uploaded, or the rest that was not taken.
func (s *Store) ImportFile(ctx context.Context, run int64, what string) (content []byte, err error) {
	rows, err := s.db.QueryContext(ctx, `SELECT content FROM import_part WHERE run_id = ? AND what = ? ORDER BY n`, run, what)
	_, err = collect(rows, err, func(rows *sql.Rows) (n int, err error) {
		var part []byte
		err = rows.Scan(&part)
		content = append(content, part...)
		return 0, err
	})
	return content, err
}

// Import of that id; [ErrNoImport].
func (s *Store) Import(ctx context.Context, id int64) (Import, error) {
	return scanImport(s.db.QueryRowContext(ctx, importQuery+` WHERE id = ?`, id))
}

// Imports, the newest first, without their results.
func (s *Store) Imports(ctx context.Context, limit int) ([]Import, error) {
	rows, err := s.db.QueryContext(ctx, importQuery+` ORDER BY id DESC LIMIT ?`, limit)
	return collect(rows, err, func(rows *sql.Rows) (Import, error) { return scanImport(rows) })
}

// WaitingImport is the oldest one that is to be worked on; false for none.
func (s *Store) WaitingImport(ctx context.Context) (i Import, ok bool, err error) {
	i, err = scanImport(s.db.QueryRowContext(ctx, importQuery+` WHERE state IN ('checking', 'running', 'cancelling', 'reversing') ORDER BY id LIMIT 1`))
	if errors.Is(err, ErrNoImport) {
		return i, false, nil
	}
	return i, err == nil, err
}

// MoveImport from one of some states to another, with what it is to be checked with; nil leaves
// that as it is. [ErrNoImport], [ErrImportState].
func (s *Store) MoveImport(ctx context.Context, by Actor, id int64, from []ImportState, to ImportState, columns []importer.Target, o *importer.Options) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		i, err := scanImport(tx.QueryRowContext(ctx, importQuery+` WHERE id = ? FOR UPDATE`, id))
		if err != nil {
			return err
		}
		if !slices.Contains(from, i.State) {
			return fmt.Errorf("%w: it is %s", ErrImportState, i.State)
		}
		if columns != nil {
			i.Columns = columns
		}
		if o != nil {
			i.Options = *o
		}
		text, err1 := json.Marshal(i.Columns)
		options, err2 := json.Marshal(i.Options)
		if err := errors.Join(err1, err2); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE import_run SET state = ?, columns = ?, options = ?, done = 0, error = '', runner = ?, runner_id = ?, runner_role = ? WHERE id = ?`,
			to, string(text), string(options), cut(by.Name, 190), nullID(by.ID), by.Role, id); err != nil {
			return err
		}
		if err := s.chained(ctx, tx, by.Name, "import_"+string(to), importTable, id); err != nil {
			return err
		}
		switch to {
		case ImportRunning:
			return s.changed(ctx, tx, by, "import_begun", i.Name)
		case ImportCancelling, ImportReversing:
			return s.changed(ctx, tx, by, "import_reversed", i.Name)
		}
		return nil
	})
}

// FinishImport in a state, unless it was moved to another meanwhile; what came of it.
func (s *Store) FinishImport(ctx context.Context, id int64, from, to ImportState, result []byte, total int, why string) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE import_run SET state = ?, result = COALESCE(?, result), total = ?, error = ?, finished_at = ? WHERE id = ? AND state = ?`,
			to, optional(string(result)), total, cut(why, 500), s.now().UTC(), id, from)
		if err == nil {
			err = s.importChained(ctx, tx, id, "import_"+string(to))
		}
		if err != nil || to != ImportDone && to != ImportCancelled && to != ImportReversed {
			return err
		}
		// Nothing reads the file any more; the rest of it stays.
		_, err = tx.ExecContext(ctx, `DELETE FROM import_part WHERE run_id = ? AND what = 'file'`, id)
		return err
	})
}

// importChained writes the lines of a run that comes to an end, with those of the units and entries that it wrote.
func (s *Store) importChained(ctx context.Context, tx *sql.Tx, id int64, what string) error {
	for _, t := range []*covered{importTable, importUnitTable, importEntryTable} {
		if err := s.chained(ctx, tx, programName, what, t, id); err != nil {
			return err
		}
	}
	return nil
}

// KeepRest of a run: the rows that are not taken, as a file.
func (s *Store) KeepRest(ctx context.Context, id int64, content []byte) error {
	return s.inTx(ctx, func(tx *sql.Tx) error { return writeParts(ctx, tx, id, "rest", content) })
}

// ImportProgress of a run and the state it is in by now.
func (s *Store) ImportProgress(ctx context.Context, id int64, done, total int) (state ImportState, err error) {
	if _, err = s.db.ExecContext(ctx, `UPDATE import_run SET done = ?, total = ? WHERE id = ?`, done, total, id); err != nil {
		return "", err
	}
	return state, s.db.QueryRowContext(ctx, `SELECT state FROM import_run WHERE id = ?`, id).Scan(&state)
}

// Headings as they were taken last, by their plain text.
func (s *Store) Headings(ctx context.Context) (map[string]importer.Target, error) {
	known := map[string]importer.Target{}
	rows, err := s.db.QueryContext(ctx, `SELECT heading, target FROM import_heading`)
	_, err = collect(rows, err, func(rows *sql.Rows) (n int, err error) {
		var heading string
		var target importer.Target
		err = rows.Scan(&heading, &target)
		known[heading] = target
		return 0, err
	})
	return known, err
}

// RememberHeadings for the next file.
func (s *Store) RememberHeadings(ctx context.Context, of map[string]importer.Target) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		for heading, target := range of {
			if heading == "" || len(heading) > 100 {
				continue
			}
			if _, err := tx.ExecContext(ctx, `INSERT INTO import_heading (heading, target) VALUES (?, ?) ON DUPLICATE KEY UPDATE target = VALUES(target)`, heading, target); err != nil {
				return err
			}
		}
		return nil
	})
}

// ImportBatch is how many units are written in one transaction.
const ImportBatch = 25

// Permit refuses entries that who brings them may not write after those that are written; nil permits.
type Permit func(u Unit, written, entries []ledger.Entry) *refusal.Field

// ImportUnits of a run, all or none; a [refusal.Error] when an entry is not permitted. What is there already changes nothing: a unit whose facts are as
// they are to be, an entry that is in the books. It gives how many entries were new.
func (s *Store) ImportUnits(ctx context.Context, by Actor, run Import, units []importer.UnitPlan, permit Permit) (written int, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		written = 0
		if err := stillIn(ctx, tx, run.ID, ImportRunning); err != nil {
			return err
		}
		ids, added, err := s.importFacts(ctx, tx, by, run, units)
		if err != nil {
			return err
		}
		tools, err := s.importTools(ctx, tx, by, units)
		if err != nil {
			return err
		}
		all, err := s.unitsWithin(ctx, tx, ids)
		if err != nil {
			return err
		}
		for i, u := range units {
			n, err := s.importEntries(ctx, tx, by, run, all[ids[i]], added[i], u.Entries, tools, permit)
			if err != nil {
				return fmt.Errorf("unit %s: %w", u.Code, err)
			}
			written += n
		}
		stale := make([]any, len(ids))
		for i, id := range ids {
			stale[i] = id
		}
		return staleStatuses(ctx, tx, stale)
	})
	return written, err
}

// ErrImportMoved says that a run was cancelled, or is worked on by another process, which is in another state by now.
var ErrImportMoved = errors.New("this import is in another state by now")

// stillIn one of some states, until the transaction ends; [ErrImportMoved].
func stillIn(ctx context.Context, tx *sql.Tx, run int64, states ...ImportState) error {
	var state ImportState
	if err := tx.QueryRowContext(ctx, `SELECT state FROM import_run WHERE id = ? LOCK IN SHARE MODE`, run).Scan(&state); err != nil {
		return err
	}
	if !slices.Contains(states, state) {
		return fmt.Errorf("%w: %s", ErrImportMoved, state)
	}
	return nil
}

// importFacts adds and changes units; their ids, and which are new.
func (s *Store) importFacts(ctx context.Context, tx *sql.Tx, by Actor, run Import, units []importer.UnitPlan) (ids []int64, added []bool, err error) {
	ids, added = make([]int64, len(units)), make([]bool, len(units))
	var newIDs []int64
	var newFacts []register.Facts
	cause := "import " + run.Name
	for i, u := range units {
		var id int64
		err := tx.QueryRowContext(ctx, `SELECT id FROM unit WHERE code = ?`, u.Code).Scan(&id)
		if errors.Is(err, sql.ErrNoRows) {
			facts := u.Change.Known()
			if id, err = s.addRecord(ctx, tx, register.Unit, facts); err != nil {
				return nil, nil, err
			}
			added[i] = true
			newIDs, newFacts = append(newIDs, id), append(newFacts, facts)
		}
		if err != nil {
			return nil, nil, err
		}
		ids[i] = id
		change := int64(0)
		if !added[i] {
			if err := s.judged(ctx, tx, by, []int64{id}, func() (err error) {
				change, err = s.importChange(ctx, tx, by, id, u, cause)
				return err
			}); err != nil {
				return nil, nil, err
			}
		}
		var on any
		meter := ""
		if c := u.Claim; c != nil {
			if c.On != nil {
				on = c.On.String()
			}
			if c.Meter != nil {
				meter = c.Meter.String()
			}
		}
		if _, err := tx.ExecContext(ctx, `
			INSERT INTO import_unit (run_id, unit_id, added, back, change_id, due_on, due_meter) VALUES (?, ?, ?, ?, ?, ?, ?)
			ON DUPLICATE KEY UPDATE change_id = GREATEST(change_id, VALUES(change_id))`, run.ID, id, added[i], u.Back, change, on, meter); err != nil {
			return nil, nil, err
		}
	}
	if len(newIDs) == 0 {
		return ids, added, nil
	}
	return ids, added, s.recordsAdded(ctx, tx, by, register.Unit, newIDs, newFacts)
}

// importChange of a unit that is in the register; the id of the change, 0 for none.
func (s *Store) importChange(ctx context.Context, tx *sql.Tx, by Actor, id int64, u importer.UnitPlan, cause string) (int64, error) {
	if !u.Back && len(u.Change) == 0 {
		return 0, nil
	}
	before, err := s.readRecord(ctx, tx, register.Unit, id, 0, true)
	if err != nil {
		return 0, err
	}
	if before.LeftOn != nil && u.Back {
		kept := keptChange{of: register.Unit, id: id, what: recordReturned, cause: cause,
			was: register.Facts{"left_on": before.LeftOn.String(), "left_how": before.LeftHow}, is: register.Facts{"left_on": "", "left_how": ""}}
		if err := s.keepChanges(ctx, tx, by, []keptChange{kept}); err != nil {
			return 0, err
		}
		if err := s.setLeft(ctx, tx, by, before, nil, "", "unit_changed", "back in the fleet by "+cause); err != nil {
			return 0, err
		}
	}
	if err := s.changeRecord(ctx, tx, by, before, u.Change, nil, cause); err != nil {
		return 0, err
	}
	var last sql.NullInt64
	err = tx.QueryRowContext(ctx, `SELECT MAX(id) FROM register_change WHERE record = 'unit' AND record_id = ? AND circuit_id = 0 AND what = 'changed' AND cause = ?`, id, cause).Scan(&last)
	return last.Int64, err
}

// importTools are the people and instruments that entries name, those that are new added.
func (s *Store) importTools(ctx context.Context, tx *sql.Tx, by Actor, units []importer.UnitPlan) (names, error) {
	n := names{people: map[string]int64{by.Name: by.ID}, instruments: map[string]int64{}}
	for _, u := range units {
		for _, e := range u.Entries {
			tool := ledger.ToolOf(e.Body)
			if tool == "" || n.instruments[tool] != 0 {
				continue
			}
			id, err := s.instrument(ctx, tx, by.Name, tool)
			if err != nil {
				return n, err
			}
			n.instruments[tool] = id
		}
	}
	return n, nil
}

// PlannedUnit is a unit that is not in the register yet, as its books would be folded.
func PlannedUnit(code string, facts register.Facts) Unit {
	u := Unit{UnitName: UnitName{Code: code, Name: facts["name"], Kind: facts["kind"], Site: facts["site"]}}
	u.Ledger.Code, u.Ledger.Kind, u.Ledger.Aircraft = code, facts["kind"], facts["kind"] == aircraft
	return u.WithFacts(facts, nil)
}

// ImportedIDs reports of planned entries of a unit, in their order, whether the books have them.
func ImportedIDs(u Unit, written []ledger.Entry) func(importer.PlannedEntry) bool {
	there := writtenIDs(written)
	said := map[string]int{}
	return func(p importer.PlannedEntry) bool {
		if p.Undated && there.reading(written, p.Body) {
			return true
		}
		_, is := there.free(u.circuit, p, said)
		return is
	}
}

// idsThere are the ids of entries, and whether each was struck.
type idsThere map[string]bool

func writtenIDs(written []ledger.Entry) idsThere {
	there := idsThere{}
	for _, e := range written {
		if _, known := there[e.ID]; !known {
			there[e.ID] = false
		}
		if b, ok := e.Body.(ledger.Strike); ok {
			there[b.Entry] = true
		}
	}
	return there
}

// free id of a planned entry; true when it is in the books and was not struck. One that was struck, as with an
// import that was reversed, is brought again by another id.
func (t idsThere) free(circuit int64, p importer.PlannedEntry, said map[string]int) (id string, is bool) {
	at, kind := p.At.UTC().Truncate(time.Microsecond), ledger.KindOf(p.Body)
	key := at.String() + "\n" + string(kind) + "\n" + p.Says
	n := said[key]
	said[key]++
	for again := 0; ; again++ {
		id = importer.EntryID(circuit, at, kind, p.Says, n+1000*again)
		struck, there := t[id]
		if !there || !struck {
			return id, there
		}
	}
}

// unitsWithin a transaction, by their id, with their circuit locked.
func (s *Store) unitsWithin(ctx context.Context, tx *sql.Tx, ids []int64) (map[int64]Unit, error) {
	args := make([]any, len(ids))
	for i, id := range ids {
		args[i] = id
	}
	rows, err := tx.QueryContext(ctx, unitQuery+` WHERE u.id IN (?`+strings.Repeat(`, ?`, len(ids)-1)+`) ORDER BY u.id FOR UPDATE`, args...)
	found, err := collect(rows, err, func(rows *sql.Rows) (Unit, error) { return scanUnit(rows) })
	if err != nil {
		return nil, err
	}
	shared, err := s.sharedNow(ctx)
	if err != nil {
		return nil, err
	}
	scales, err := s.scales(ctx)
	all := map[int64]Unit{}
	for _, u := range found {
		s.fill(&u, shared, scales[u.siteID])
		all[u.id] = u
	}
	return all, err
}

// importEntries of a unit that are not in its books yet.
func (s *Store) importEntries(ctx context.Context, tx *sql.Tx, by Actor, run Import, u Unit, added bool, planned []importer.PlannedEntry, n names, permit Permit) (int, error) {
	if len(planned) == 0 {
		return 0, nil
	}
	var written []ledger.Entry
	if !added {
		var err error
		if written, err = s.entries(ctx, tx, u); err != nil {
			return 0, err
		}
	}
	there := writtenIDs(written)
	now := s.now().UTC().Truncate(time.Microsecond)
	var entries []ledger.Entry
	said := map[string]int{}
	for _, p := range planned {
		if p.Undated && there.reading(written, p.Body) {
			continue
		}
		at := p.At.UTC().Truncate(time.Microsecond)
		id, is := there.free(u.circuit, p, said)
		if is {
			continue
		}
		there[id] = false
		entries = append(entries, ledger.Entry{ID: id, Unit: u.Address(), At: at, RecordedAt: now, RecordedBy: by.Name, RecordedByID: by.ID, Body: p.Body,
			Envelope: ledger.Envelope{Job: fmt.Sprintf("import %d", run.ID)}})
	}
	if len(entries) == 0 {
		return 0, nil
	}
	for i := range entries {
		if err := s.judge(ctx, tx, u, &entries[i]); err != nil {
			return 0, err
		}
	}
	if !added { // others may have written into it since the check
		if field := permit(u, written, entries); field != nil {
			return 0, &refusal.Error{Fields: []*refusal.Field{field}}
		}
	}
	var head []byte
	if err := tx.QueryRowContext(ctx, `SELECT head_hash FROM circuit WHERE id = ?`, u.circuit).Scan(&head); err != nil {
		return 0, err
	}
	if err := s.addEntries(ctx, tx, u, u.Seq, ledger.Hash(head), entries, n); err != nil {
		return 0, err
	}
	account := ledger.TryFold(u.Ledger, append(written, entries...))
	if err := s.saveAccount(ctx, tx, u, u.Seq+int64(len(entries)), &account, nil); err != nil {
		return 0, err
	}
	return len(entries), keepImported(ctx, tx, run.ID, u.circuit, entries)
}

// reading of a meter that is in the books and was not struck.
func (t idsThere) reading(written []ledger.Entry, b ledger.Body) bool {
	m, ok := b.(ledger.Meter)
	return ok && slices.ContainsFunc(written, func(e ledger.Entry) bool {
		before, ok := e.Body.(ledger.Meter)
		return ok && before.Meter == m.Meter && !t[e.ID]
	})
}

func keepImported(ctx context.Context, tx *sql.Tx, run, circuit int64, entries []ledger.Entry) error {
	for some := range slices.Chunk(entries, loadRows) {
		var args []any
		for _, e := range some {
			args = append(args, e.ID, run, circuit)
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO import_entry (entry_id, run_id, circuit_id) VALUES (?, ?, ?)`+strings.Repeat(`, (?, ?, ?)`, len(some)-1), args...); err != nil {
			return err
		}
	}
	return nil
}

// ImportedUnit is what a run brought to a unit.
type ImportedUnit struct {
	Code        string
	Added, Back bool
	DueOn       *measure.Date
	DueMeter    string

	id, change int64
}

// ImportedUnits of a run, those with a claim alone or all, at most limit; 0 for no limit.
func (s *Store) ImportedUnits(ctx context.Context, run int64, claims bool, limit int) ([]ImportedUnit, error) {
	query := `SELECT u.code, i.added, i.back, i.due_on, i.due_meter, i.unit_id, i.change_id FROM import_unit i JOIN unit u ON u.id = i.unit_id WHERE i.run_id = ?`
	if claims {
		query += ` AND (i.due_on IS NOT NULL OR i.due_meter <> '')`
	}
	query += ` ORDER BY u.code`
	args := []any{run}
	if limit > 0 {
		query, args = query+` LIMIT ?`, append(args, limit)
	}
	rows, err := s.db.QueryContext(ctx, query, args...)
	return collect(rows, err, func(rows *sql.Rows) (u ImportedUnit, err error) {
		var on sql.NullTime
		err = rows.Scan(&u.Code, &u.Added, &u.Back, &on, &u.DueMeter, &u.id, &u.change)
		if on.Valid {
			day := measure.DateOf(on.Time, time.UTC)
			u.DueOn = &day
		}
		return u, err
	})
}

// RestingOn a run: units, at most limit, in which later entries rest on what it wrote, or whose facts
// it changed were changed again since; it cannot be reversed while there are any.
func (s *Store) RestingOn(ctx context.Context, run int64, limit int) ([]string, error) {
	rows, err := s.db.QueryContext(ctx, `
		SELECT DISTINCT u.code FROM import_entry i JOIN entry e ON e.id = i.entry_id JOIN circuit c ON c.id = i.circuit_id JOIN unit u ON u.id = c.unit_id
		JOIN entry l ON l.circuit_id = i.circuit_id AND l.seq > e.seq LEFT JOIN import_entry o ON o.entry_id = l.id AND o.run_id = i.run_id
		LEFT JOIN import_entry t ON t.entry_id = l.struck AND t.run_id = i.run_id
		WHERE i.run_id = ? AND o.entry_id IS NULL AND t.entry_id IS NULL
		UNION SELECT u.code FROM import_unit i JOIN unit u ON u.id = i.unit_id
		JOIN register_change c ON c.record = 'unit' AND c.record_id = i.unit_id AND c.circuit_id = 0 AND c.undone_at IS NULL AND c.id > i.change_id AND i.change_id > 0 AND c.what = 'changed'
		WHERE i.run_id = ?
		UNION SELECT u.code FROM import_unit i JOIN unit u ON u.id = i.unit_id JOIN circuit c ON c.unit_id = u.id JOIN entry e ON e.circuit_id = c.id
		LEFT JOIN import_entry o ON o.entry_id = e.id AND o.run_id = i.run_id LEFT JOIN import_entry t ON t.entry_id = e.struck AND t.run_id = i.run_id
		WHERE i.run_id = ? AND i.added = 1 AND o.entry_id IS NULL AND t.entry_id IS NULL
		LIMIT ?`, run, run, run, limit)
	return collect(rows, err, func(rows *sql.Rows) (code string, err error) { return code, rows.Scan(&code) })
}

// ReverseUnits of a run: its entries are struck, facts that it changed are as they were, units that it
// added leave the fleet. What was reversed already stays so. A unit of which a strike is not permitted
// stays as it is; kept are such units and why.
func (s *Store) ReverseUnits(ctx context.Context, by Actor, run Import, units []ImportedUnit, permit Permit) (kept map[string]*refusal.Field, err error) {
	ids := make([]int64, len(units))
	for i, u := range units {
		ids[i] = u.id
	}
	if len(ids) == 0 {
		return nil, nil
	}
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		kept = map[string]*refusal.Field{}
		if err := stillIn(ctx, tx, run.ID, ImportReversing, ImportCancelling); err != nil {
			return err
		}
		all, err := s.unitsWithin(ctx, tx, ids)
		if err != nil {
			return err
		}
		for _, u := range units {
			field, err := s.reverseUnit(ctx, tx, by, run, u, all[u.id], permit)
			if err != nil {
				return fmt.Errorf("unit %s: %w", u.Code, err)
			}
			if field != nil {
				kept[u.Code] = field
			}
		}
		stale := make([]any, len(ids))
		for i, id := range ids {
			stale[i] = id
		}
		return staleStatuses(ctx, tx, stale)
	})
	return kept, err
}

// restingOnUnit: entries in the circuits of a unit that came after one of a run, are not of it, and strike none of it.
const restingOnUnit = `
	SELECT EXISTS (SELECT 1 FROM import_entry i JOIN entry e ON e.id = i.entry_id JOIN circuit c ON c.id = i.circuit_id
	JOIN entry l ON l.circuit_id = i.circuit_id AND l.seq > e.seq LEFT JOIN import_entry o ON o.entry_id = l.id AND o.run_id = ?
	LEFT JOIN import_entry t ON t.entry_id = l.struck AND t.run_id = i.run_id
	WHERE c.unit_id = ? AND i.run_id = ? AND o.entry_id IS NULL AND t.entry_id IS NULL AND i.run_id = ?)`

func (s *Store) reverseUnit(ctx context.Context, tx *sql.Tx, by Actor, run Import, of ImportedUnit, u Unit, permit Permit) (*refusal.Field, error) {
	var resting bool
	if err := tx.QueryRowContext(ctx, restingOnUnit, run.ID, u.id, run.ID, run.ID).Scan(&resting); err != nil {
		return nil, err
	}
	if resting {
		return &refusal.Field{Got: "entries that were recorded after those of the import", Accepted: "strikes of single entries in this account"}, nil
	}
	rows, err := tx.QueryContext(ctx, `
		SELECT i.entry_id FROM import_entry i JOIN entry e ON e.id = i.entry_id LEFT JOIN entry t ON t.struck = i.entry_id AND t.circuit_id = i.circuit_id
		WHERE i.run_id = ? AND i.circuit_id = ? AND t.id IS NULL ORDER BY e.seq DESC`, run.ID, u.circuit)
	struck, err := collect(rows, err, func(rows *sql.Rows) (id string, err error) { return id, rows.Scan(&id) })
	if err != nil {
		return nil, err
	}
	if len(struck) > 0 {
		now := s.now().UTC().Truncate(time.Microsecond)
		var strikes []ledger.Entry
		for _, id := range struck {
			strikes = append(strikes, ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), Unit: u.Address(), At: now, RecordedAt: now, RecordedBy: by.Name, RecordedByID: by.ID,
				Body: ledger.Strike{Entry: id, Why: "import " + run.Name + " reversed"}})
		}
		written, err := s.entries(ctx, tx, u)
		if err != nil {
			return nil, err
		}
		if field := permit(u, written, strikes); field != nil {
			return field, nil
		}
		var head []byte
		if err := tx.QueryRowContext(ctx, `SELECT head_hash FROM circuit WHERE id = ?`, u.circuit).Scan(&head); err != nil {
			return nil, err
		}
		if err := s.addEntries(ctx, tx, u, u.Seq, ledger.Hash(head), strikes, names{people: map[string]int64{by.Name: by.ID}}); err != nil {
			return nil, err
		}
		account := ledger.TryFold(u.Ledger, append(written, strikes...))
		if err := s.saveAccount(ctx, tx, u, u.Seq+int64(len(strikes)), &account, nil); err != nil {
			return nil, err
		}
	}
	before, err := s.readRecord(ctx, tx, register.Unit, u.id, 0, true)
	if err != nil {
		return nil, err
	}
	if of.change > 0 && register.Undoable(plainChanges(before.Changes), of.change) {
		err := s.judged(ctx, tx, by, []int64{u.id}, func() error { return s.undo(ctx, tx, by, before, of.change) })
		if err != nil {
			return nil, err
		}
		if before, err = s.readRecord(ctx, tx, register.Unit, u.id, 0, true); err != nil {
			return nil, err
		}
	}
	if !of.Added && !of.Back || before.LeftOn != nil {
		return nil, nil
	}
	today := measure.DateOf(s.now(), time.UTC)
	kept := keptChange{of: register.Unit, id: u.id, what: recordLeft, cause: "import " + run.Name + " reversed",
		was: register.Facts{"left_on": "", "left_how": ""}, is: register.Facts{"left_on": today.String(), "left_how": Retired}}
	if err := s.keepChanges(ctx, tx, by, []keptChange{kept}); err != nil {
		return nil, err
	}
	return nil, s.setLeft(ctx, tx, by, before, &today, Retired, "unit_changed", "import "+run.Name+" reversed")
}
