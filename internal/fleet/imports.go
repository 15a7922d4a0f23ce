package fleet

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"golang.org/x/sync/errgroup"

	"diligentledger/core/access"
	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/register"
	"diligentledger/internal/archive"
	"diligentledger/internal/importer"
	"diligentledger/internal/store"
	"diligentledger/internal/tabular"
	"diligentledger/internal/words"
)

// ImportCounts of a check: what a file would bring.
type ImportCounts struct {
	Rows         int `json:"rows"`
	UnitsNew     int `json:"unitsNew"`
	UnitsChanged int `json:"unitsChanged"`
	UnitsSame    int `json:"unitsSame"`
	EntriesNew   int `json:"entriesNew"`
	EntriesSame  int `json:"entriesSame"`
	RowsRefused  int `json:"rowsRefused"`
}

// ImportResult of a check.
type ImportResult struct {
	Counts    ImportCounts        `json:"counts"`
	Questions []importer.Question `json:"questions"`
	Problems  []importer.Problem  `json:"problems"` // the first ones
	// Doubtful rows, which are refused unless it is said that they are meant.
	Doubtful int `json:"doubtful"`
}

// mostProblems that are kept beside the file of the rest, which has them all.
const mostProblems = 300

// FileShape is what an uploaded file was taken for.
type FileShape struct {
	Format    string `json:"format"`
	Encoding  string `json:"encoding,omitempty"`
	Separator string `json:"separator,omitempty"`
	Sheet     string `json:"sheet,omitempty"`
	Header    int    `json:"header"` // row of the headings
	Rows      int    `json:"rows"`
	// Heads of the columns, and the first cells of each that hold something.
	Heads   []string   `json:"heads"`
	Samples [][]string `json:"samples"`
}

// samples of a column that are shown.
const samples = 3

func shapeOf(t *tabular.Table) FileShape {
	s := FileShape{Format: t.Format, Encoding: t.Encoding, Sheet: t.Sheet, Header: t.Header, Rows: len(t.Rows), Heads: t.Heads, Samples: make([][]string, len(t.Heads))}
	if t.Separator != 0 {
		s.Separator = string(t.Separator)
	}
	for i := range t.Heads {
		s.Samples[i] = []string{}
		for _, row := range t.Rows[:min(len(t.Rows), 50)] {
			if c := row[i]; c != "" && len(s.Samples[i]) < samples && !slices.Contains(s.Samples[i], c) {
				s.Samples[i] = append(s.Samples[i], c)
			}
		}
	}
	return s
}

// Upload a spreadsheet: it is read and its headings are guessed, and nothing else is done. A [refusal.Error] when it is
// not accepted.
func (f *Fleet) Upload(ctx context.Context, by store.Actor, name string, content []byte, r words.Reader) (id int64, err error) {
	table, err := tabular.Read(content)
	var refused *tabular.Error
	if errors.As(err, &refused) {
		return 0, refusal.New("/file", refused.Got, refused.Accepted)
	}
	if err != nil {
		return 0, err
	}
	known, err := f.store.Headings(ctx)
	if err != nil {
		return 0, err
	}
	shape, err := json.Marshal(shapeOf(table))
	if err != nil {
		return 0, err
	}
	return f.store.AddImport(ctx, by, name, r.Text(), content, shape, importer.Guess(table.Heads, known))
}

// ImportOf that id with the shape of its file; [store.ErrNoImport].
func (f *Fleet) ImportOf(ctx context.Context, id int64) (run store.Import, shape FileShape, err error) {
	if run, err = f.store.Import(ctx, id); err != nil {
		return run, shape, err
	}
	return run, shape, json.Unmarshal(run.Shape, &shape)
}

// table of a run's file.
func (f *Fleet) table(ctx context.Context, run store.Import) (*tabular.Table, error) {
	content, err := f.store.ImportFile(ctx, run.ID, "file")
	if err != nil {
		return nil, err
	}
	if len(content) == 0 {
		return nil, refusal.New("/file", "a file that is not kept any more", "the file uploaded again")
	}
	return tabular.Read(content)
}

// Imports, the newest first.
func (f *Fleet) Imports(ctx context.Context) ([]store.Import, error) { return f.store.Imports(ctx, 50) }

// ImportRest of a run: the rows that were not taken, with a column of reasons.
func (f *Fleet) ImportRest(ctx context.Context, id int64) ([]byte, error) {
	return f.store.ImportFile(ctx, id, "rest")
}

// before a check, and states that are done with.
var (
	checkable  = []store.ImportState{store.ImportUploaded, store.ImportChecked, store.ImportFailed}
	reversible = []store.ImportState{store.ImportDone, store.ImportFailed}
)

// CheckImport in the background: a dry run with these columns and answers. The headings are remembered.
func (f *Fleet) CheckImport(ctx context.Context, by store.Actor, id int64, columns []importer.Target, o importer.Options) error {
	_, shape, err := f.ImportOf(ctx, id)
	if err != nil {
		return err
	}
	if len(columns) != len(shape.Heads) {
		return refusal.New("/columns", fmt.Sprintf("%d columns", len(columns)), fmt.Sprintf("one for each of the %d of the file", len(shape.Heads)))
	}
	seen := map[importer.Target]int{}
	for i, c := range columns {
		if c == "" {
			continue
		}
		if !c.Known() {
			return refusal.New(fmt.Sprintf("/columns/%d", i), fmt.Sprintf("%q", string(c)), "a fact of a unit or of its history, or nothing")
		}
		if j, there := seen[c]; there {
			return refusal.New(fmt.Sprintf("/columns/%d", i), fmt.Sprintf("%q a second time", shape.Heads[i]), fmt.Sprintf("one column for it: %q is taken for the same", shape.Heads[j]))
		}
		seen[c] = i
	}
	if _, ok := seen["code"]; !ok {
		return refusal.New("/columns", "no column with the number of the unit", "a column for it")
	}
	remembered := map[string]importer.Target{}
	for i, head := range shape.Heads {
		remembered[importer.Heading(head)] = columns[i]
	}
	if err := f.store.RememberHeadings(ctx, remembered); err != nil {
		return err
	}
	return f.store.MoveImport(ctx, by, id, checkable, store.ImportChecking, columns, &o)
}

// RunImport that was checked: the good rows are taken.
func (f *Fleet) RunImport(ctx context.Context, by store.Actor, id int64) error {
	return f.store.MoveImport(ctx, by, id, []store.ImportState{store.ImportChecked}, store.ImportRunning, nil, nil)
}

// CancelImport that runs: what it has written is reversed.
func (f *Fleet) CancelImport(ctx context.Context, by store.Actor, id int64) error {
	return f.store.MoveImport(ctx, by, id, []store.ImportState{store.ImportRunning}, store.ImportCancelling, nil, nil)
}

// mostResting units that a message names.
const mostResting = 6

// ReverseImport that is done, unless later entries or changes rest on it: a [refusal.Error] names
// the units.
func (f *Fleet) ReverseImport(ctx context.Context, by store.Actor, id int64) error {
	resting, err := f.store.RestingOn(ctx, id, mostResting+1)
	if err != nil {
		return err
	}
	if len(resting) > 0 {
		named := strings.Join(resting[:min(len(resting), mostResting)], ", ")
		if len(resting) > mostResting {
			named += " and more"
		}
		return refusal.New("/import", "an import that later entries or changes rest on, in "+named, "one that nothing rests on: strike single entries in those accounts instead")
	}
	return f.store.MoveImport(ctx, by, id, reversible, store.ImportReversing, nil, nil)
}

// KeepImports works on imports until ctx ends; failed is given each try that failed.
func (f *Fleet) KeepImports(ctx context.Context, failed func(error)) {
	tick := time.NewTicker(importEvery)
	defer tick.Stop()
	for {
		for {
			worked, err := f.WorkOnImport(ctx)
			if err != nil && ctx.Err() == nil {
				failed(err)
			}
			if !worked || err != nil {
				break
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// importEvery is how often it is asked whether an import waits.
const importEvery = 700 * time.Millisecond

// WorkOnImport that waits longest; false when none does. An import that cannot go on says why and
// has failed; the database being away is no such reason.
func (f *Fleet) WorkOnImport(ctx context.Context) (worked bool, err error) {
	run, ok, err := f.store.WaitingImport(ctx)
	if err != nil || !ok {
		return false, err
	}
	switch run.State {
	case store.ImportChecking:
		err = f.dryRun(ctx, run)
	case store.ImportRunning:
		err = f.bringIn(ctx, run)
	default:
		err = f.reverse(ctx, run)
	}
	var refused *refusal.Error
	var table *tabular.Error
	var conflict *store.ConflictError
	var unknown *store.UnknownReferenceError
	if errors.As(err, &refused) || errors.As(err, &table) || errors.As(err, &conflict) || errors.As(err, &unknown) || errors.Is(err, store.ErrTaken) {
		return true, f.store.FinishImport(ctx, run.ID, run.State, store.ImportFailed, nil, run.Total, err.Error())
	}
	return true, err
}

// plan of a run: its file read against the register as it is, and every entry held against the books.
func (f *Fleet) plan(ctx context.Context, run store.Import) (*importer.Plan, *tabular.Table, ImportResult, error) {
	var result ImportResult
	table, err := f.table(ctx, run)
	if err != nil {
		return nil, nil, result, err
	}
	known, err := f.known(ctx, run)
	if err != nil {
		return nil, nil, result, err
	}
	p := importer.Read(importer.Table{Heads: table.Heads, Rows: table.Rows, Numbers: table.Numbers, Day: table.Day}, run.Columns, run.Options, known)
	result.Counts.Rows = p.Rows
	good := p.Units[:0:0]
	for _, u := range p.Units {
		if err := ctx.Err(); err != nil {
			return nil, nil, result, err
		}
		kept, problems, same, err := f.checkPlanned(ctx, u, run, known)
		if err != nil {
			return nil, nil, result, err
		}
		p.Problems = append(p.Problems, problems...)
		if len(kept.Rows) == 0 {
			continue
		}
		good = append(good, kept)
		switch {
		case kept.New:
			result.Counts.UnitsNew++
		case kept.Back || len(kept.Change) > 0:
			result.Counts.UnitsChanged++
		default:
			result.Counts.UnitsSame++
		}
		result.Counts.EntriesNew += len(kept.Entries) - same
		result.Counts.EntriesSame += same
	}
	p.Units = good
	slices.SortStableFunc(p.Problems, func(a, b importer.Problem) int { return a.Row - b.Row })
	bad := p.Bad()
	result.Counts.RowsRefused = len(bad)
	for _, problems := range bad {
		if !slices.ContainsFunc(problems, func(one importer.Problem) bool { return !one.Doubtful }) {
			result.Doubtful++
		}
	}
	result.Questions = p.Questions
	for _, one := range p.Problems {
		if !one.Asked && len(result.Problems) < mostProblems {
			result.Problems = append(result.Problems, one)
		}
	}
	return p, table, result, nil
}

// known register, as who brought the file reads and types.
func (f *Fleet) known(ctx context.Context, run store.Import) (importer.Known, error) {
	k := importer.Known{Units: map[string]importer.KnownUnit{}, Types: map[string]register.Facts{}, Zones: map[string]*time.Location{}}
	today, err := f.Today(ctx)
	if err != nil {
		return k, err
	}
	k.Reading = words.ReaderOf(run.Reading).RegisterReading(today)
	if k.Zone, err = f.Zone(ctx); err != nil {
		return k, err
	}
	types, _, err := f.store.Records(ctx, register.Type, store.RecordFilter{})
	if err != nil {
		return k, err
	}
	for _, t := range types {
		if k.Types[t.Name], err = f.store.FactsOfType(ctx, t.Name); err != nil {
			return k, err
		}
	}
	sites, err := f.store.Sites(ctx)
	for _, s := range sites {
		k.Sites = append(k.Sites, s.Name)
		k.Zones[s.Name] = s.Zone
	}
	if err != nil {
		return k, err
	}
	plans, err := f.store.ServicePlanRules(ctx)
	for _, p := range plans {
		k.Plans = append(k.Plans, p.Name)
	}
	if err != nil {
		return k, err
	}
	if k.Products, err = f.store.Products(ctx); err != nil {
		return k, err
	}
	units, err := f.store.AllUnitFacts(ctx, k.Types)
	for code, u := range units {
		k.Units[code] = importer.KnownUnit{Facts: u.Facts, Typed: u.Typed, Left: u.LeftOn != nil}
	}
	return k, err
}

// checkPlanned holds the entries of a unit against its books; rows with a problem are left out, and
// what is in the books already is counted as same.
func (f *Fleet) checkPlanned(ctx context.Context, u importer.UnitPlan, run store.Import, known importer.Known) (kept importer.UnitPlan, problems []importer.Problem, same int, err error) {
	unit := store.PlannedUnit(u.Code, u.After)
	var written []ledger.Entry
	if !u.New {
		o, err := f.store.Unit(ctx, u.Code)
		if err != nil {
			return u, nil, 0, err
		}
		unit = o.WithFacts(u.After, nil)
		if written, err = f.store.Entries(ctx, o); err != nil {
			return u, nil, 0, err
		}
	}
	there := store.ImportedIDs(unit, written)
	slices.SortStableFunc(u.Entries, func(a, b importer.PlannedEntry) int { return a.At.Compare(b.At) })
	account := ledger.TryFold(unit.Ledger, written)
	bad := map[int]bool{}
	for _, e := range u.Entries {
		if there(e) {
			same++
			continue
		}
		entry := ledger.Entry{ID: fmt.Sprintf("planned-%d-%d", e.Row, len(written)), Unit: u.Code, At: e.At.UTC(), RecordedAt: f.now(), Body: e.Body, Confirmed: run.Options.Doubtful}
		history := ledger.Following(&account, written, entry)
		found := importer.Refused(e, ledger.CheckIn(history, entry, f.now()), run.Options.Doubtful)
		if field := access.CheckIn(runBy(run), history, entry); field != nil && len(found) == 0 {
			found = importer.Refused(e, []*refusal.Field{field}, false)
		}
		if len(found) > 0 {
			problems, bad[e.Row] = append(problems, found...), true
			continue
		}
		account, written = *history.After(entry), append(written, entry)
	}
	if len(bad) == 0 {
		return u, nil, same, nil
	}
	kept = u
	kept.Entries = slices.DeleteFunc(slices.Clone(u.Entries), func(e importer.PlannedEntry) bool { return bad[e.Row] })
	kept.Rows = slices.DeleteFunc(slices.Clone(u.Rows), func(row int) bool { return bad[row] })
	return kept, problems, same, nil
}

// runBy is who lets a run go, or reverses it.
func runBy(run store.Import) Actor {
	return Actor{ID: run.Runner.ID, Name: run.Runner.Name, Role: run.Runner.Role}
}

// permitFor who brings a run: the authority table, entry by entry (package access).
func permitFor(run store.Import) store.Permit {
	return func(u store.Unit, written, entries []ledger.Entry) *refusal.Field {
		written = slices.Clone(written)
		for _, e := range entries {
			if field := access.CheckIn(runBy(run), ledger.HistoryOf(u.Ledger, written), e); field != nil {
				return field
			}
			written = append(written, e)
		}
		return nil
	}
}

// dryRun of an import: what it would bring, and the rows that it would not.
func (f *Fleet) dryRun(ctx context.Context, run store.Import) error {
	p, table, result, err := f.plan(ctx, run)
	if err != nil {
		return err
	}
	if err := f.store.KeepRest(ctx, run.ID, rest(table, p)); err != nil {
		return err
	}
	text, err := json.Marshal(result)
	if err != nil {
		return err
	}
	return f.store.FinishImport(ctx, run.ID, store.ImportChecking, store.ImportChecked, text, len(p.Units), "")
}

// rest of a file: the rows that are not taken, as they were, with a column of reasons. A text that a
// spreadsheet would take for a formula is marked as text.
func rest(table *tabular.Table, p *importer.Plan) []byte {
	bad := p.Bad()
	var out bytes.Buffer
	out.WriteString("\ufeff")
	w := csv.NewWriter(&out)
	w.UseCRLF = true
	_ = w.Write(append(harmless(table.Heads), "row", "not taken because")) // a buffer takes every byte
	for i, row := range table.Rows {
		problems := bad[table.Numbers[i]]
		if len(problems) == 0 {
			continue
		}
		reasons := make([]string, len(problems))
		for j, one := range problems {
			value := one.Value
			if value == "" {
				value = "nothing"
			}
			reasons[j] = fmt.Sprintf("%s: %s; accepted: %s", one.Column, value, one.Accepted)
		}
		_ = w.Write(append(harmless(row), fmt.Sprint(table.Numbers[i]), harmless([]string{strings.Join(reasons, " | ")})[0]))
	}
	w.Flush()
	return out.Bytes()
}

// harmless cells: none is a formula to a spreadsheet.
func harmless(cells []string) []string {
	out := make([]string, len(cells), len(cells)+2)
	for i, c := range cells {
		if strings.ContainsAny(c[:min(len(c), 1)], "=+-@\t\r") {
			c = "'" + c
		}
		out[i] = c
	}
	return out
}

// bringIn the good rows of a run, a few units at a time. A run that was stopped goes on: what is in the
// books already changes nothing.
func (f *Fleet) bringIn(ctx context.Context, run store.Import) error {
	p, table, result, err := f.plan(ctx, run)
	if err != nil {
		return err
	}
	if err := f.store.KeepRest(ctx, run.ID, rest(table, p)); err != nil {
		return err
	}
	by := run.Runner
	by.Address = "import"
	going, err := f.importUnits(ctx, by, run, p.Units)
	if err != nil || !going {
		return err // cancelled: the next turn reverses it
	}
	if _, err := f.RefreshStatus(ctx); err != nil {
		return err
	}
	// The result of the check before stays: what came of the rows that were taken is what it said.
	if run.Result != nil {
		var before ImportResult
		if json.Unmarshal(run.Result, &before) == nil && before.Counts.Rows == result.Counts.Rows {
			result.Counts = before.Counts
		}
	}
	text, err := json.Marshal(result)
	if err != nil {
		return err
	}
	return f.store.FinishImport(ctx, run.ID, store.ImportRunning, store.ImportDone, text, len(p.Units), "")
}

// importWriters write batches of units side by side: while one waits for the disk the other is packed.
const importWriters = 2

// importUnits of a run in batches; false when it was cancelled meanwhile.
func (f *Fleet) importUnits(ctx context.Context, by store.Actor, run store.Import, units []importer.UnitPlan) (going bool, err error) {
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(importWriters)
	var done atomic.Int64
	var cancelled atomic.Bool
	for some := range slices.Chunk(units, store.ImportBatch) {
		group.Go(func() error {
			if cancelled.Load() || ctx.Err() != nil {
				return ctx.Err()
			}
			if _, err := f.store.ImportUnits(ctx, by, run, some, permitFor(run)); errors.Is(err, store.ErrImportMoved) {
				cancelled.Store(true)
				return nil
			} else if err != nil {
				return err
			}
			state, err := f.store.ImportProgress(ctx, run.ID, int(done.Add(int64(len(some)))), len(units))
			if err == nil && state != store.ImportRunning {
				cancelled.Store(true)
			}
			return err
		})
	}
	err = group.Wait()
	return !cancelled.Load(), err
}

// reverse what a run has written.
func (f *Fleet) reverse(ctx context.Context, run store.Import) error {
	units, err := f.store.ImportedUnits(ctx, run.ID, false, 0)
	if err != nil {
		return err
	}
	by := run.Runner
	by.Address = "import"
	done := 0
	var kept []string
	for some := range slices.Chunk(units, store.ImportBatch) {
		refused, err := f.store.ReverseUnits(ctx, by, run, some, permitFor(run))
		if err != nil {
			return err
		}
		for _, u := range some {
			if field := refused[u.Code]; field != nil {
				kept = append(kept, fmt.Sprintf("%s: %s; accepted: %s", u.Code, field.Got, field.Accepted))
			}
		}
		done += len(some)
		if _, err := f.store.ImportProgress(ctx, run.ID, done, len(units)); err != nil {
			return err
		}
	}
	if _, err := f.RefreshStatus(ctx); err != nil {
		return err
	}
	if len(kept) > 0 {
		why := fmt.Sprintf("%d of %d units stay as imported: %s", len(kept), len(units), strings.Join(kept, "; "))
		return f.store.FinishImport(ctx, run.ID, run.State, store.ImportFailed, nil, len(units), why)
	}
	to := store.ImportReversed
	if run.State == store.ImportCancelling {
		to = store.ImportCancelled
	}
	return f.store.FinishImport(ctx, run.ID, run.State, to, nil, len(units), "")
}

// ClaimCompared is what a spreadsheet claimed as next due, beside what the books say.
type ClaimCompared struct {
	Unit    store.UnitName
	Claimed store.ImportedUnit
	Renewal *clock.Clock // of the renewal that runs out first; nil for none
	Status  clock.UnitStatus
	Place   string
	Today   measure.Date
	Earlier bool // the books want it earlier than the spreadsheet
}

// mostClaims that are compared.
const mostClaims = 200

// Claims of a run beside the books as they are now.
func (f *Fleet) Claims(ctx context.Context, id int64) ([]ClaimCompared, error) {
	claimed, err := f.store.ImportedUnits(ctx, id, true, mostClaims)
	if err != nil || len(claimed) == 0 {
		return nil, err
	}
	codes := make([]string, len(claimed))
	for i, c := range claimed {
		codes[i] = c.Code
	}
	units, err := f.Units(ctx, codes)
	if err != nil {
		return nil, err
	}
	at := map[string]EvaluatedUnit{}
	for _, u := range units {
		at[u.Unit.Code] = u
	}
	var all []ClaimCompared
	for _, c := range claimed {
		u, ok := at[c.Code]
		if !ok {
			continue
		}
		one := ClaimCompared{Unit: u.Unit.UnitName, Claimed: c, Status: u.Whole, Today: u.Today, Place: u.Unit.Site}
		for _, k := range u.Whole.Clocks {
			renews := k.Kind == clock.Age || k.Kind == clock.Use
			if renews && (one.Renewal == nil || clock.ByUrgency(k, *one.Renewal) < 0) {
				first := k
				one.Renewal = &first
			}
		}
		one.Earlier = one.Renewal != nil && one.Renewal.Due != nil && c.DueOn != nil && one.Renewal.Due.Before(*c.DueOn)
		all = append(all, one)
	}
	return all, nil
}

// Exported writes into the audit who fetches everything.
func (f *Fleet) Exported(ctx context.Context, by store.Actor) error {
	return f.store.Audit(ctx, store.Audited{Who: by.Name, WhoID: by.ID, Address: by.Address, What: "exported"})
}

// Archive of everything that the books hold at one moment.
func (f *Fleet) Archive(ctx context.Context, out io.Writer) error {
	return archive.Write(ctx, f.whole.DB(), out, f.now(), func(string, int) {})
}
