package store

import (
	"bytes"
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"

	"github.com/fxamacker/cbor/v2"
)

// Basis names what the status of a unit was evaluated by.
type Basis [16]byte

// ColdKey is whose cold a status rests on: that of a site, of another one where the unit goes in
// winter (0 for none), and an offset in K.
type ColdKey struct {
	SiteID, WinterID int64
	Offset           measure.Kelvin
}

// Status is what the lists read of a unit.
type Status struct {
	UnitName
	ColdKey
	// Winters is the name of the other site of its cold; empty for none.
	Winters string
	PlanID  int64
	// Basis is the day at its site, the rules and the service plan; Cold the curve and the
	// forecast of its site.
	Basis, Cold Basis
	// Seq of the last entry of the account that it was evaluated from.
	Seq       int64
	Verdict   clock.Verdict
	Governing clock.Clock
	Clocks    []clock.Clock // the governing one first
	// Work that the governing clock asks for; empty for none.
	Work clock.Work
	// Pending: a follow-up is due.
	Pending bool
	// Night that its freeze clock runs out before, when that is among the next ones; nil else.
	Night *measure.Date
	// Tool that its last test was made with.
	Tool        string
	ProtectsTo  *measure.Celsius
	Product     string
	Discrepancy *StatusDiscrepancy

	unitID   int64
	revision int64 // of the facts of the unit
}

// StatusDiscrepancy is the last trusted test that does not agree with its book.
type StatusDiscrepancy struct {
	At        time.Time
	Measured  measure.Celsius
	Book      *measure.Celsius
	Likeliest *ledger.Explanation // without what would balance it
	// Circuit of the unit; empty for a unit with one.
	Circuit ledger.Circuit
}

// packed and unpacked are CBOR (RFC 8949), which takes a third of the time of JSON; dates are
// text.
var packed, unpacked = func() (cbor.EncMode, cbor.DecMode) {
	o := cbor.CoreDetEncOptions()
	o.Time, o.TextMarshaler = cbor.TimeRFC3339NanoUTC, cbor.TextMarshalerTextString
	enc, err := o.EncMode()
	dec, err2 := cbor.DecOptions{TextUnmarshaler: cbor.TextUnmarshalerTextString}.DecMode()
	if err = errors.Join(err, err2); err != nil {
		panic(err) // the options do not fit one another
	}
	return enc, dec
}()

// never is the due day where nothing runs out: it sorts last.
const never = "9999-12-31"

// Status of a unit by its first circuit, without its clocks. Its Seq is the number of entries of that
// circuit and of those that have ended: it never falls.
func (u Unit) Status() Status {
	return Status{UnitName: u.UnitName, ColdKey: ColdKey{u.siteID, u.winterID, u.ColdOffset}, PlanID: u.PlanID, Seq: u.Seq + u.endedSeq, unitID: u.id, revision: u.revision}
}

// statusColumn of a status row and its value.
type statusColumn struct {
	name  string
	value any
}

// columns of a status row.
func (r Status) columns() ([]statusColumn, error) {
	governing, err := packClocks([]clock.Clock{r.Governing})
	if err != nil {
		return nil, fmt.Errorf("status of %s: %w", r.Code, err)
	}
	others, err := packClocks(r.Clocks[min(1, len(r.Clocks)):])
	if err != nil {
		return nil, fmt.Errorf("status of %s: %w", r.Code, err)
	}
	var discrepancy any
	if r.Discrepancy != nil {
		body, err := packed.Marshal(r.Discrepancy)
		if err != nil {
			return nil, fmt.Errorf("status of %s: %w", r.Code, err)
		}
		discrepancy = body
	}
	due, night := never, any(nil)
	if d := r.Governing.Due; d != nil {
		due = d.String()
	}
	if r.Night != nil {
		night = r.Night.String()
	}
	return []statusColumn{{"unit_id", r.unitID}, {"revision", r.revision}, {"code", r.Code}, {"site_id", r.SiteID}, {"winter_id", r.WinterID}, {"cold_offset", r.Offset}, {"plan_id", r.PlanID}, {"kind", r.Kind}, {"basis", r.Basis[:]}, {"cold", r.Cold[:]},
		{"seq", r.Seq}, {"verdict", r.Verdict.Rank()}, {"due", due}, {"clock", string(r.Governing.Kind)}, {"work", string(r.Work)}, {"pending", r.Pending}, {"night", night},
		{"discrepant", r.Discrepancy != nil}, {"tool", optional(r.Tool)}, {"protects", r.ProtectsTo}, {"product", optional(r.Product)}, {"governing", governing},
		{"clocks", others}, {"discrepancy", discrepancy}}, nil
}

// countedAs are the keys of status_count that a row is counted under.
func countedAs(rank int, pending, night, discrepant bool) []string {
	of := []string{fmt.Sprint(rank)}
	for name, is := range map[string]bool{countPending: pending, countNight: night, countDiscrepant: discrepant} {
		if is {
			of = append(of, name)
		}
	}
	return of
}

const (
	countPending    = "pending"
	countNight      = "night"
	countDiscrepant = "discrepant"
)

// StatusPage is how many units are evaluated and written at once (measured: 100 and 500 are no faster).
const StatusPage = 250

// saveStatuses writes rows and counts them; one of an account that has gone on meanwhile changes
// nothing.
func (s *Store) saveStatuses(ctx context.Context, tx *sql.Tx, rows []Status) error {
	if len(rows) == 0 {
		return nil
	}
	if len(rows) == 1 {
		// Most entries change no count: then this is the only statement.
		r := rows[0]
		names, args, err := statusColumns(rows)
		if err != nil {
			return err
		}
		res, err := s.exec(ctx, tx, `UPDATE unit_status SET `+strings.Join(names[1:], ` = ?, `)+
			` = ? WHERE unit_id = ? AND basis = ? AND verdict = ? AND pending = ? AND (night IS NOT NULL) = ? AND discrepant = ? AND seq < ?`,
			append(slices.Clone(args[1:]), r.unitID, r.Basis[:], r.Verdict.Rank(), r.Pending, r.Night != nil, r.Discrepancy != nil, r.Seq)...)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 1 {
			return err
		}
	}
	later, all, moved, err := s.laterRows(ctx, tx, rows)
	if err != nil || len(later) == 0 {
		return err
	}
	names, args, err := statusColumns(later)
	if err != nil {
		return err
	}
	set := make([]string, len(names)-1)
	for i, name := range names[1:] {
		set[i] = name + ` = VALUES(` + name + `)`
		if !all && name != "seq" {
			set[i] = fmt.Sprintf(`%[1]s = IF(VALUES(seq) >= seq, VALUES(%[1]s), %[1]s)`, name)
		}
	}
	if !all {
		// A row that is not there cannot be locked; another writer may be first. seq is set last.
		set = append(slices.DeleteFunc(set, func(one string) bool { return strings.HasPrefix(one, "seq ") }), `seq = GREATEST(seq, VALUES(seq))`)
	}
	one := `(?` + strings.Repeat(`, ?`, len(names)-1) + `)`
	write := tx.ExecContext
	if len(later) == StatusPage {
		// A prepared statement stays on its connection: that of a full page alone, which comes again.
		write = func(ctx context.Context, query string, args ...any) (sql.Result, error) {
			return s.exec(ctx, tx, query, args...)
		}
	}
	if _, err := write(ctx, `INSERT INTO unit_status (`+strings.Join(names, `, `)+`) VALUES `+one+strings.Repeat(", "+one, len(later)-1)+
		` ON DUPLICATE KEY UPDATE `+strings.Join(set, `, `), args...); err != nil {
		return err
	}
	return addCounts(ctx, tx, moved)
}

// statusColumns of some rows: their names, unit_id first, and the values row by row.
func statusColumns(rows []Status) (names []string, values []any, err error) {
	for i, r := range rows {
		columns, err := r.columns()
		if err != nil {
			return nil, nil, err
		}
		for _, c := range columns {
			if i == 0 {
				names = append(names, c.name)
			}
			values = append(values, c.value)
		}
	}
	return names, values, nil
}

// countKey is a row of status_count.
type countKey struct {
	basis Basis
	of    string
}

// countedRow is a row of unit_status as it is counted.
type countedRow struct {
	unit  int64
	basis Basis
	seq   int64
	of    []string
}

// countedRows of some units, locked.
func countedRows(ctx context.Context, tx *sql.Tx, units []any) ([]countedRow, error) {
	found, err := tx.QueryContext(ctx, `
		SELECT unit_id, basis, seq, verdict, pending, night IS NOT NULL, discrepant FROM unit_status
		WHERE unit_id IN (?`+strings.Repeat(`, ?`, len(units)-1)+`) ORDER BY unit_id FOR UPDATE`, units...)
	return collect(found, err, func(found *sql.Rows) (c countedRow, err error) {
		var basis []byte
		var rank int
		var pending, night, discrepant bool
		err = found.Scan(&c.unit, &basis, &c.seq, &rank, &pending, &night, &discrepant)
		copy(c.basis[:], basis)
		c.of = countedAs(rank, pending, night, discrepant)
		return c, err
	})
}

// moves of counts.
type moves map[countKey]int

func (m moves) add(by int, basis Basis, of []string) {
	for _, name := range of {
		m[countKey{basis, name}] += by
	}
}

// laterRows are those of accounts that have not gone on meanwhile, the rows before them locked;
// all: there is a row before each of them. moved is by how much each count changes when they are
// written.
func (s *Store) laterRows(ctx context.Context, tx *sql.Tx, rows []Status) (later []Status, all bool, moved moves, err error) {
	ids := make([]any, len(rows))
	for i, r := range rows {
		ids[i] = r.unitID
	}
	before, err := countedRows(ctx, tx, ids)
	if err != nil {
		return nil, false, nil, err
	}
	was := make(map[int64]countedRow, len(before))
	for _, c := range before {
		was[c.unit] = c
	}
	all, moved = true, moves{}
	for _, r := range rows {
		c, there := was[r.unitID]
		if there && r.Seq < c.seq {
			continue
		}
		later, all = append(later, r), all && there
		moved.add(-1, c.basis, c.of)
		moved.add(1, r.Basis, countedAs(r.Verdict.Rank(), r.Pending, r.Night != nil, r.Discrepancy != nil))
	}
	return later, all, moved, nil
}

// staleStatuses makes the rows of some units ones of no basis: they are read as unknown until they
// are evaluated anew.
func staleStatuses(ctx context.Context, tx *sql.Tx, units []any) error {
	before, err := countedRows(ctx, tx, units)
	if err != nil {
		return err
	}
	moved := moves{}
	for _, c := range before {
		moved.add(-1, c.basis, c.of)
		moved.add(1, Basis{}, c.of)
	}
	if _, err := tx.ExecContext(ctx, `UPDATE unit_status SET basis = REPEAT(CHAR(0), 16) WHERE unit_id IN (?`+strings.Repeat(`, ?`, len(units)-1)+`)`, units...); err != nil {
		return err
	}
	return addCounts(ctx, tx, moved)
}

// addCounts in the order of their keys, so that two writers wait for one another and no more.
func addCounts(ctx context.Context, tx *sql.Tx, moved moves) error {
	keys := slices.SortedFunc(maps.Keys(moved), func(a, b countKey) int {
		return cmp.Or(bytes.Compare(a.basis[:], b.basis[:]), strings.Compare(a.of, b.of))
	})
	var args []any
	for _, k := range keys {
		if moved[k] != 0 {
			args = append(args, append([]byte{}, k.basis[:]...), k.of, moved[k])
		}
	}
	if len(args) == 0 {
		return nil
	}
	_, err := tx.ExecContext(ctx, `INSERT INTO status_count (basis, of, n) VALUES (?, ?, ?)`+strings.Repeat(`, (?, ?, ?)`, len(args)/3-1)+
		` ON DUPLICATE KEY UPDATE n = n + VALUES(n)`, args...)
	return err
}

// miscounted is by how much each count must change to be that of the rows.
func miscounted(ctx context.Context, tx *sql.Tx) (moves, error) {
	moved := moves{}
	rows, err := tx.QueryContext(ctx, `SELECT basis, verdict, pending, night IS NOT NULL AS caught, discrepant, COUNT(*) FROM unit_status GROUP BY basis, verdict, pending, caught, discrepant`)
	if _, err = collect(rows, err, func(rows *sql.Rows) (n int, err error) {
		var basis []byte
		var rank int
		var pending, night, discrepant bool
		err = rows.Scan(&basis, &rank, &pending, &night, &discrepant, &n)
		var b Basis
		copy(b[:], basis)
		moved.add(n, b, countedAs(rank, pending, night, discrepant))
		return n, err
	}); err != nil {
		return nil, err
	}
	rows, err = tx.QueryContext(ctx, `SELECT basis, of, n FROM status_count`)
	_, err = collect(rows, err, func(rows *sql.Rows) (n int, err error) {
		var basis []byte
		var k countKey
		err = rows.Scan(&basis, &k.of, &n)
		copy(k.basis[:], basis)
		moved[k] -= n
		return n, err
	})
	maps.DeleteFunc(moved, func(_ countKey, n int) bool { return n == 0 })
	return moved, err
}

// CountStatuses holds the counts against the rows, and counts anew when they differ, as after rows
// were changed past the program. It reports whether they did.
func (s *Store) CountStatuses(ctx context.Context) (counted bool, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		moved, err := miscounted(ctx, tx)
		if err != nil {
			return err
		}
		counted = len(moved) > 0
		// Bases of earlier days, which no row has any more.
		if _, err := tx.ExecContext(ctx, `DELETE FROM status_count WHERE n = 0`); err != nil {
			return err
		}
		return addCounts(ctx, tx, moved)
	})
	return counted, err
}

func optional(text string) any {
	if text == "" {
		return nil
	}
	return text
}

// SaveStatuses writes what the lists read of some units.
func (s *Store) SaveStatuses(ctx context.Context, rows []Status) error {
	return s.inTx(ctx, func(tx *sql.Tx) error { return s.saveStatuses(ctx, tx, rows) })
}

// StatusGroup is the units of a site and a service plan whose status rests on one basis.
type StatusGroup struct {
	ColdKey
	PlanID      int64
	Basis, Cold Basis
}

// KeptVerdicts of all units by their code, as their rows have them, by whatever they were evaluated.
func (s *Store) KeptVerdicts(ctx context.Context) (map[string]clock.Verdict, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT u.code, t.verdict FROM unit_status t JOIN unit u ON u.id = t.unit_id WHERE u.left_on IS NULL`)
	all := map[string]clock.Verdict{}
	_, err = collect(rows, err, func(rows *sql.Rows) (rank int, err error) {
		var code string
		err = rows.Scan(&code, &rank)
		all[code] = clock.VerdictOf(rank)
		return rank, err
	})
	return all, err
}

// StatusGroups that there are.
func (s *Store) StatusGroups(ctx context.Context) ([]StatusGroup, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT site_id, winter_id, cold_offset, plan_id, basis, cold FROM unit_status GROUP BY site_id, winter_id, cold_offset, plan_id, basis, cold`)
	return collect(rows, err, func(rows *sql.Rows) (g StatusGroup, err error) {
		var basis, cold []byte
		err = rows.Scan(&g.SiteID, &g.WinterID, &g.Offset, &g.PlanID, &basis, &cold)
		copy(g.Basis[:], basis)
		copy(g.Cold[:], cold)
		return g, err
	})
}

// UnitsWithoutStatus are at most limit of those after one: none was written yet, or it is of an
// earlier entry, another service plan, site or place in winter than the unit's.
func (s *Store) UnitsWithoutStatus(ctx context.Context, after UnitID, limit int) (units []Unit, last UnitID, err error) {
	return s.unitsAfter(ctx, ` LEFT JOIN unit_status t ON t.unit_id = u.id`, `u.left_on IS NULL AND (t.unit_id IS NULL OR t.seq < u.ended_seq + IF(u.circuits = 1, c.head_seq, (SELECT SUM(o.head_seq) FROM circuit o WHERE o.unit_id = u.id AND (o.position = 0 OR o.ended IS NULL))) OR t.plan_id <> u.plan_id OR t.site_id <> u.site_id OR t.winter_id <> COALESCE(u.winter_site_id, 0) OR t.cold_offset <> u.cold_offset OR t.revision <> u.revision)`, after, limit)
}

// UnitsOfStatus are at most limit of the units of some groups after one.
func (s *Store) UnitsOfStatus(ctx context.Context, groups []StatusGroup, after UnitID, limit int) (units []Unit, last UnitID, err error) {
	if len(groups) == 0 {
		return nil, 0, nil
	}
	args := make([]any, 0, 6*len(groups))
	for _, g := range groups {
		args = append(args, g.SiteID, g.WinterID, g.Offset, g.PlanID, append([]byte{}, g.Basis[:]...), append([]byte{}, g.Cold[:]...))
	}
	return s.unitsAfter(ctx, ` JOIN unit_status t ON t.unit_id = u.id`, `u.left_on IS NULL AND (t.site_id, t.winter_id, t.cold_offset, t.plan_id, t.basis, t.cold) IN ((?, ?, ?, ?, ?, ?)`+strings.Repeat(`, (?, ?, ?, ?, ?, ?)`, len(groups)-1)+`)`, after, limit, args...)
}

// RemoveStatusesOfLeft takes units that left the fleet out of the lists: an entry that was being
// written while one left may have put it there again.
func (s *Store) RemoveStatusesOfLeft(ctx context.Context) error {
	rows, err := s.db.QueryContext(ctx, `SELECT u.id FROM unit u JOIN unit_status t ON t.unit_id = u.id WHERE u.left_on IS NOT NULL`)
	ids, err := collect(rows, err, func(rows *sql.Rows) (id int64, err error) { return id, rows.Scan(&id) })
	for _, id := range ids {
		err = errors.Join(err, s.inTx(ctx, func(tx *sql.Tx) error { return removeStatus(ctx, tx, id) }))
	}
	return err
}

// CodesTestedWith an instrument: the units whose last test was made with it, and those with
// further circuits, whose rows name one instrument only.
func (s *Store) CodesTestedWith(ctx context.Context, tool string) ([]string, error) {
	rows, err := s.db.QueryContext(ctx, `
		SELECT code FROM unit_status WHERE tool = ? OR unit_id IN (SELECT unit_id FROM circuit WHERE position > 0 AND ended IS NULL) ORDER BY code`, tool)
	return collect(rows, err, func(rows *sql.Rows) (code string, err error) { return code, rows.Scan(&code) })
}

// StatusSort is an order of the lists.
type StatusSort string

// The orders. Units of one place in them are in the order of urgency.
const (
	ByUrgency    StatusSort = "soonest" // verdict, then the day that the governing clock runs out
	BySite       StatusSort = "site"
	ByKind       StatusSort = "kind"
	ByProduct    StatusSort = "product"
	ByProtection StatusSort = "protection" // the worst first
	ByDay        StatusSort = "day"        // that the governing clock runs out
	ByNight      StatusSort = "night"
	ByCode       StatusSort = "code"
)

// StatusFilter is which rows are read, in which order, and how many.
type StatusFilter struct {
	// Fresh bases: a row of any other is not evaluated yet, and is read as unknown. AllFresh
	// when there is no other.
	Fresh    []Basis
	AllFresh bool
	// Verdict, Kind, Site by name, and governing Clock alone; empty for all.
	Verdict    clock.Verdict
	Kind, Site string
	Clock      clock.Kind
	// Text in code, name or product; empty for all.
	Text string
	// DueFrom and DueTo bound the day that the governing clock runs out; nil for no bound.
	DueFrom, DueTo *measure.Date
	// Pending, Nights or Discrepant units alone.
	Pending, Nights, Discrepant bool
	// Codes alone; nil for all.
	Codes []string
	// Clocks: all clocks of each, not the governing one alone.
	Clocks bool
	// Group by site or kind before the order; empty for none.
	Group, Sort StatusSort
	// Limit of rows, 0 for all; Offset to begin from.
	Limit, Offset int
}

// TakesAll reports whether no unit is left out, in no groups.
func (f StatusFilter) TakesAll() bool {
	return f.Verdict == "" && f.Kind == "" && f.Site == "" && f.Clock == "" && f.Text == "" && f.DueFrom == nil && f.DueTo == nil &&
		!f.Pending && !f.Nights && !f.Discrepant && f.Codes == nil && f.Group == ""
}

// common reports whether the filter is one of the few that every Morning and Horizon asks for.
func (f StatusFilter) common() bool {
	return f.Kind == "" && f.Site == "" && f.Clock == "" && f.Text == "" && f.DueFrom == nil && f.DueTo == nil && f.Codes == nil && f.Group == ""
}

// fresh is an expression in SQL: one value for a row that is evaluated by what holds now, another
// for one that is not.
func (f StatusFilter) fresh(value, other string) (string, []any) {
	if f.AllFresh {
		return value, nil
	}
	if len(f.Fresh) == 0 {
		return `COALESCE(` + other + `)`, nil // a bare number in an order is the place of a column
	}
	args := make([]any, len(f.Fresh))
	for i, b := range f.Fresh {
		args[i] = append([]byte{}, b[:]...)
	}
	return `IF(t.basis IN (?` + strings.Repeat(`, ?`, len(f.Fresh)-1) + `), ` + value + `, ` + other + `)`, args
}

// verdictOf a row in SQL: unknown for one that is not evaluated yet.
func (f StatusFilter) verdictOf() (string, []any) {
	return f.fresh(`t.verdict`, fmt.Sprint(clock.Unknown.Rank()))
}

func (f StatusFilter) where() (string, []any) {
	where := ` WHERE 1 = 1`
	var all []any
	and := func(condition string, args ...any) {
		where += ` AND ` + condition
		all = append(all, args...)
	}
	if f.Verdict != "" {
		verdict, args := f.verdictOf()
		and(verdict+` = ?`, append(args, f.Verdict.Rank())...)
	}
	if f.Clock != "" {
		of, args := f.fresh(`t.clock`, `'`+string(clock.Evaluation)+`'`)
		and(of+` = ?`, append(args, f.Clock)...)
	}
	if f.Kind != "" {
		and(`t.kind = ?`, f.Kind)
	}
	if f.Site != "" {
		and(`s.name = ?`, f.Site)
	}
	if f.Text != "" {
		like := containing(f.Text)
		and(`(t.code LIKE ? OR u.name LIKE ? OR t.product LIKE ?)`, like, like, like)
	}
	if f.DueFrom != nil {
		and(`t.due >= ?`, f.DueFrom.String())
	}
	if f.DueTo != nil {
		and(`t.due <= ?`, f.DueTo.String())
	}
	if f.Pending {
		and(`t.pending = 1`)
	}
	if f.Nights {
		and(`t.night IS NOT NULL`)
	}
	if f.Discrepant {
		and(`t.discrepant = 1`)
	}
	if f.Codes != nil {
		args := make([]any, len(f.Codes))
		for i, code := range f.Codes {
			args[i] = code
		}
		and(`t.code IN (NULL`+strings.Repeat(`, ?`, len(args))+`)`, args...)
	}
	return where, all
}

// from is the tables of a query, those alone that the filter needs.
func (f StatusFilter) from() string {
	from := ` FROM unit_status t`
	if f.Text != "" {
		from += ` JOIN unit u ON u.id = t.unit_id`
	}
	if f.Site != "" || f.Sort == BySite || f.Group == BySite {
		from += ` JOIN site s ON s.id = t.site_id`
	}
	return from
}

func (f StatusFilter) order() (string, []any) {
	verdict, args := f.verdictOf()
	urgency := verdict + `, t.due, t.code`
	by := map[StatusSort]string{BySite: `s.name, `, ByKind: `t.kind, `, ByProduct: `t.product IS NULL, t.product, `}
	order := by[f.Group]
	switch f.Sort {
	case ByDay:
		return order + `t.due, t.code`, nil
	case ByNight:
		return order + `t.night, t.unit_id`, nil
	case ByCode:
		return order + `t.code`, nil
	case ByProtection:
		warm, more := f.fresh(`COALESCE(t.protects, 99)`, `99`)
		return order + warm + ` DESC, ` + urgency, append(more, args...)
	}
	return order + by[f.Sort] + urgency, args
}

// Statuses that a filter takes, in its order.
func (s *Store) Statuses(ctx context.Context, f StatusFilter) ([]Status, error) {
	verdict, verdictArgs := f.verdictOf()
	others := `''`
	if f.Clocks {
		others = `t.clocks`
	}
	where, whereArgs := f.where()
	order, orderArgs := f.order()
	// The page first, by its index; then what its rows hold. Left to itself, the server begins with
	// all units where its statistics are old.
	page := `SELECT t.unit_id` + f.from() + where
	var all []any
	all = append(all, verdictArgs...)
	all = append(all, whereArgs...)
	if f.Limit > 0 {
		page += ` ORDER BY ` + order + ` LIMIT ? OFFSET ?`
		all = append(append(all, orderArgs...), f.Limit, f.Offset)
	}
	query := s.db.QueryContext
	if f.common() {
		query = s.rows
	}
	rows, err := query(ctx, `
		SELECT STRAIGHT_JOIN t.unit_id, t.code, u.name, t.kind, s.name, t.site_id, t.winter_id, t.cold_offset, t.plan_id, t.basis, t.seq, `+verdict+`, t.work, t.pending, t.night, COALESCE(t.tool, ''), t.protects,
		       COALESCE(t.product, ''), t.governing, `+others+`, COALESCE(t.discrepancy, '')
		FROM (`+page+`) p JOIN unit_status t ON t.unit_id = p.unit_id JOIN unit u ON u.id = t.unit_id JOIN site s ON s.id = t.site_id
		ORDER BY `+order, append(all, orderArgs...)...)
	return collect(rows, err, scanStatus)
}

func scanStatus(rows *sql.Rows) (r Status, err error) {
	var basis, governing, others, discrepancy []byte
	var rank int
	var night measure.Date
	var work string
	nullNight := sql.Null[measure.Date]{V: night}
	if err = rows.Scan(&r.unitID, &r.Code, &r.Name, &r.Kind, &r.Site, &r.SiteID, &r.WinterID, &r.Offset, &r.PlanID, &basis, &r.Seq, &rank, &work, &r.Pending, &nullNight, &r.Tool, &r.ProtectsTo,
		&r.Product, &governing, &others, &discrepancy); err != nil {
		return r, err
	}
	copy(r.Basis[:], basis)
	r.Verdict, r.Work = clock.VerdictOf(rank), clock.Work(work)
	if nullNight.Valid {
		r.Night = &nullNight.V
	}
	r.Governing = clock.NotEvaluatedYet()
	first, err := unpackClocks(governing)
	if err == nil && len(first) > 0 {
		r.Governing = first[0]
		if len(others) > 0 {
			r.Clocks, err = unpackClocks(others)
			r.Clocks = slices.Concat(first, r.Clocks)
		}
	}
	if err != nil {
		return r, fmt.Errorf("status of %s: %w", r.Code, err)
	}
	if len(discrepancy) > 0 {
		err = unpacked.Unmarshal(discrepancy, &r.Discrepancy)
	}
	return r, err
}

// StatusCodes are the codes of the units that a filter takes, in its order.
func (s *Store) StatusCodes(ctx context.Context, f StatusFilter) ([]string, error) {
	where, args := f.where()
	order, more := f.order()
	query := `SELECT t.code` + f.from() + where + ` ORDER BY ` + order
	args = append(args, more...)
	if f.Limit > 0 {
		query += ` LIMIT ? OFFSET ?`
		args = append(args, f.Limit, f.Offset)
	}
	rows, err := s.db.QueryContext(ctx, query, args...)
	return collect(rows, err, func(rows *sql.Rows) (code string, err error) { return code, rows.Scan(&code) })
}

// StatusGroupCount is how many units that a filter takes are in a group.
type StatusGroupCount struct {
	Head string
	N    int
}

// StatusGroupCounts that a filter takes, by group in the order of the list; one without a name
// when it has none.
func (s *Store) StatusGroupCounts(ctx context.Context, f StatusFilter) ([]StatusGroupCount, error) {
	head := map[StatusSort]string{BySite: `s.name`, ByKind: `t.kind`}[f.Group]
	if head == "" {
		head = `''`
	}
	where, args := f.where()
	rows, err := s.db.QueryContext(ctx, `SELECT `+head+` AS head, COUNT(*)`+f.from()+where+` GROUP BY head ORDER BY head`, args...)
	return collect(rows, err, func(rows *sql.Rows) (g StatusGroupCount, err error) { return g, rows.Scan(&g.Head, &g.N) })
}

// StatusBases that the rows rest on.
func (s *Store) StatusBases(ctx context.Context) ([]Basis, error) {
	rows, err := s.rows(ctx, `SELECT DISTINCT basis FROM status_count WHERE n > 0`)
	return collect(rows, err, func(rows *sql.Rows) (b Basis, err error) {
		var basis []byte
		err = rows.Scan(&basis)
		copy(b[:], basis)
		return b, err
	})
}

// StatusCounts of the whole fleet.
type StatusCounts struct {
	ByVerdict                   map[clock.Verdict]int
	Pending, Nights, Discrepant int
}

// Total is the number of units.
func (c StatusCounts) Total() (n int) {
	for _, of := range c.ByVerdict {
		n += of
	}
	return n
}

// StatusCounts are read as they are kept; rows of another basis than those of the filter count as
// unknown.
func (s *Store) StatusCounts(ctx context.Context, f StatusFilter) (StatusCounts, error) {
	c := StatusCounts{ByVerdict: map[clock.Verdict]int{}}
	rows, err := s.rows(ctx, `SELECT basis, of, n FROM status_count WHERE n > 0`)
	_, err = collect(rows, err, func(rows *sql.Rows) (n int, err error) {
		var basis []byte
		var of string
		if err = rows.Scan(&basis, &of, &n); err != nil {
			return n, err
		}
		switch of {
		case countPending:
			c.Pending += n
		case countNight:
			c.Nights += n
		case countDiscrepant:
			c.Discrepant += n
		default:
			rank, err := strconv.Atoi(of)
			if err != nil {
				return n, fmt.Errorf("count %q: %w", of, err)
			}
			v := clock.VerdictOf(rank)
			if !f.AllFresh && !slices.ContainsFunc(f.Fresh, func(b Basis) bool { return bytes.Equal(b[:], basis) }) {
				v = clock.Unknown
			}
			c.ByVerdict[v] += n
		}
		return n, nil
	})
	return c, err
}
