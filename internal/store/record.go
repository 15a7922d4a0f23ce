package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/register"
)

// Record of the register as it is edited.
type Record struct {
	Of register.Record
	ID int64
	// Circuit of a unit that is not its first one; 0 for the unit itself and for other records.
	Circuit int64
	// Name by which it is spoken of: the address of a unit, the code of a product, else its name.
	Name string
	// Facts that hold, those of its type among them; Typed are the codes of those.
	Facts register.Facts
	Typed []string
	// Changes so far, the earliest first.
	Changes []RecordChange
	// LeftOn is the day on which a unit left the fleet, LeftHow retired or sold; nil while it is
	// in it.
	LeftOn  *measure.Date
	LeftHow string
	// Units of a type.
	Units int
}

// Revision distinguishes a record from the same record changed.
func (r Record) Revision() string {
	last, undone := int64(0), 0
	for _, c := range r.Changes {
		last = max(last, c.ID)
		if c.Undone {
			undone++
		}
	}
	return fmt.Sprintf("%d.%d", last, undone)
}

// RecordChange is a change of a record with who made it.
type RecordChange struct {
	register.Change
	What  string // added, changed, left, returned
	At    time.Time
	Who   string
	Cause string // such as the type that was changed; empty for the record itself
}

// Errors of the register.
var (
	ErrNoRecord      = errors.New("no such record")
	ErrRecordChanged = errors.New("somebody changed this record meanwhile")
	ErrNotUndoable   = errors.New("a later change of the same facts counts")
)

// ConflictError says that a fact was changed from a later day on than a new change is to be in
// effect from.
type ConflictError struct {
	Code string
	Of   register.Change
}

func (e *ConflictError) Error() string {
	return fmt.Sprintf("%s changed from %s on", e.Code, e.Of.From)
}

// UnknownReferenceError says that a fact names a record that there is not.
type UnknownReferenceError struct{ Code, Name, Of string }

func (e *UnknownReferenceError) Error() string {
	return fmt.Sprintf("no %s is called %s", e.Of, e.Name)
}

// factColumn is a column that holds a fact.
type factColumn struct {
	code, column string
	kind         columnKind
	// factor from the metric value to that of the column; 0 for 1.
	factor float64
}

type columnKind int

const (
	textColumn     columnKind = iota // NULL or empty for not known
	numberColumn                     // NULL or 0 for not known
	trueColumn                       // 1 for yes; 0 for no and for not known
	requiredNumber                   // never NULL
	referenceColumn
)

// references are the tables whose rows a column names, by the record.
var references = map[string]string{"site": "site", "plan": "plan", "type": "unit_type"}

// factColumns by record; the facts without one are in the JSON beside them alone.
var factColumns = map[register.Record][]factColumn{
	register.Unit: {{code: "code", column: "code"}, {code: "name", column: "name"}, {code: "kind", column: "kind"},
		{code: "type", column: "type_id", kind: referenceColumn}, {code: "plan", column: "plan_id", kind: referenceColumn}, {code: "site", column: "site_id", kind: referenceColumn},
		{code: "winters", column: "winter_site_id", kind: referenceColumn}, {code: "cold_offset", column: "cold_offset", kind: requiredNumber}, {code: "heated", column: "heated", kind: trueColumn},
		{code: "meter", column: "meter"}, {code: "second_meter", column: "second_meter"}, {code: "drive", column: "drive"},
		{code: "capacity", column: "capacity_l", kind: requiredNumber}, {code: "base", column: "base"}, {code: "cap", column: "cap_kpa", kind: numberColumn},
		{code: "tank", column: "tank_l_per_mm", kind: numberColumn}, {code: "marks", column: "tank_marks_mm", kind: numberColumn}, {code: "metal", column: "metal"},
		{code: "wet_liners", column: "wet_liners", kind: trueColumn}, {code: "silicate_free", column: "silicate_free", kind: trueColumn}, {code: "premix_only", column: "premix_only", kind: trueColumn},
		{code: "required_technology", column: "required_technology"}, {code: "listed", column: "listed"}, {code: "raw_water", column: "raw_water"}},
	register.Type: {{code: "name", column: "name"}, {code: "kind", column: "kind"}, {code: "common", column: "common", kind: trueColumn}},
	register.Site: {{code: "name", column: "name"}, {code: "altitude", column: "altitude_m", kind: requiredNumber}, {code: "zone", column: "zone"}},
	register.Product: {{code: "code", column: "code"}, {code: "name", column: "name"}, {code: "base", column: "base"}, {code: "technology", column: "technology"}, {code: "form", column: "form"},
		{code: "glycol", column: "glycol", kind: requiredNumber, factor: 0.01}, {code: "density", column: "density", kind: numberColumn}, {code: "meets", column: "meets"}, {code: "named", column: "named"},
		{code: "sca", column: "sca", kind: trueColumn}, {code: "low_conductivity", column: "low_conductivity", kind: trueColumn}, {code: "fresh", column: "fresh", kind: numberColumn, factor: 1000}, {code: "freeze", column: "freeze", kind: numberColumn}},
	register.Instrument: {{code: "name", column: "name"}}, register.Technician: {{code: "name", column: "name"}},
}

// ownOfUnit are columns of a unit that a further circuit has not.
var ownOfUnit = []string{"code", "name", "kind", "type", "site", "winters", "cold_offset", "heated", "meter", "second_meter", "drive"}

// circuitFacts reports whether a further circuit has a fact of its own.
func circuitFacts(code string) bool {
	f, ok := register.FieldOf(register.Unit, code)
	return ok && !slices.Contains(ownOfUnit, code) && (f.Typed && f.Group != register.GroupIdentity && code != "engine" || code == "plan")
}

// CircuitFact reports whether a further circuit of a unit has a fact of its own; the others are the unit's.
func CircuitFact(code string) bool { return circuitFacts(code) }

// recordTables by record.
var recordTables = map[register.Record]*covered{register.Unit: unitTable, register.Type: typeTable, register.Site: siteTable, register.Product: productTable, register.Instrument: instrumentTable, register.Technician: technicianTable}

// nameColumns by which a record is spoken of.
var nameColumns = map[register.Record]string{register.Unit: "code", register.Type: "name", register.Site: "name", register.Product: "code", register.Instrument: "name", register.Technician: "name"}

// columnsOf a record, or of a further circuit, and its table.
func columnsOfRecord(of register.Record, circuit bool) (table string, columns []factColumn) {
	if !circuit {
		return recordTables[of].name, factColumns[of]
	}
	for _, c := range factColumns[of] {
		if circuitFacts(c.code) {
			columns = append(columns, c)
		}
	}
	return "circuit", columns
}

// selected is the expression of a column, as text.
func (c factColumn) selected(table string) string {
	if c.kind == referenceColumn {
		field, _ := register.FieldOf(register.Unit, c.code)
		return `COALESCE((SELECT o.name FROM ` + references[field.Of] + ` o WHERE o.id = ` + table + `.` + c.column + `), '')`
	}
	return `COALESCE(` + table + `.` + c.column + `, '')`
}

// fact that a column's text is; typed is the fact as it was typed, which is used while it
// means the same.
func (c factColumn) fact(of register.Record, text, typed string) string {
	field, _ := register.FieldOf(of, c.code)
	switch c.kind {
	case trueColumn:
		if text == "1" {
			return "yes"
		}
		if typed == "yes" {
			return ""
		}
		return typed
	case numberColumn, requiredNumber:
		var v float64
		if _, err := fmt.Sscan(text, &v); err != nil || v == 0 && (c.kind == numberColumn || c.code == "cold_offset" || c.code == "capacity") {
			return ""
		}
		if c.factor != 0 {
			v /= c.factor
		}
		if was, ok := field.Metric(register.Facts{c.code: typed}); ok && math.Abs(was-v) <= 1e-9*math.Max(1, math.Abs(v)) {
			return typed
		}
		return strings.TrimSpace(measure.Reading{Value: measure.FromMetric(math.Round(v*1e9)/1e9, field.Unit), Unit: field.Unit}.String())
	}
	return text
}

// value of the column for some facts: NULL, or the default of one that is never NULL, for what is not
// known.
func (c factColumn) value(of register.Record, facts register.Facts) any {
	switch c.kind {
	case trueColumn:
		return facts[c.code] == "yes"
	case numberColumn, requiredNumber:
		v, ok := facts.Number(of, c.code)
		if !ok && c.kind == numberColumn {
			return nil
		}
		if c.factor != 0 {
			v *= c.factor
		}
		return v
	}
	if text := facts[c.code]; text != "" {
		return text
	}
	switch c.code {
	case "listed", "meets", "named", "name":
		return ""
	}
	return nil
}

// readRecord of an id, or of a further circuit's, with its changes; [ErrNoRecord]. lock: its row is
// locked until the transaction ends.
func (s *Store) readRecord(ctx context.Context, q querier, of register.Record, id, circuit int64, lock bool) (Record, error) {
	r := Record{Of: of, ID: id, Circuit: circuit}
	table, columns := columnsOfRecord(of, circuit != 0)
	query := `SELECT COALESCE(` + table + `.facts, '')`
	for _, c := range columns {
		query += `, ` + c.selected(table)
	}
	switch {
	case circuit != 0:
		query += `, '', NULL, ''`
	case of == register.Unit:
		query += `, COALESCE(typed, ''), left_on, COALESCE(left_how, '')`
	default:
		query += `, '', NULL, ''`
	}
	query += ` FROM ` + table + ` WHERE id = ?`
	if lock {
		query += ` FOR UPDATE`
	}
	texts := make([]string, len(columns))
	var facts, typed []byte
	var left sql.NullTime
	into := []any{&facts}
	for i := range texts {
		into = append(into, &texts[i])
	}
	key := id
	if circuit != 0 {
		key = circuit
	}
	err := q.QueryRowContext(ctx, query, key).Scan(append(into, &typed, &left, &r.LeftHow)...)
	if errors.Is(err, sql.ErrNoRows) {
		return r, fmt.Errorf("%w: %s %d", ErrNoRecord, of, id)
	}
	if err != nil {
		return r, err
	}
	if left.Valid {
		day := measure.DateOf(left.Time, time.UTC)
		r.LeftOn = &day
	}
	r.Facts = register.Facts{}
	if len(facts) > 0 {
		err = json.Unmarshal(facts, &r.Facts)
	}
	if len(typed) > 0 {
		err = errors.Join(err, json.Unmarshal(typed, &r.Typed))
	}
	if err != nil {
		return r, fmt.Errorf("facts of %s %d: %w", of, id, err)
	}
	for i, c := range columns {
		r.Facts[c.code] = c.fact(of, texts[i], r.Facts[c.code])
	}
	if err := s.recordSpecials(ctx, q, &r, lock); err != nil {
		return r, err
	}
	r.Facts = r.Facts.Known()
	r.Name = r.Facts[nameColumns[of]]
	r.Changes, err = recordChanges(ctx, q, of, id, circuit)
	return r, err
}

// recordSpecials are facts that are in tables of their own, or are stored otherwise.
func (s *Store) recordSpecials(ctx context.Context, q querier, r *Record, lock bool) error {
	switch r.Of {
	case register.Unit:
		if r.Circuit == 0 {
			return s.typeFacts(ctx, q, r, lock)
		}
		var code, name string
		err := q.QueryRowContext(ctx, `SELECT u.code, c.name FROM circuit c JOIN unit u ON u.id = c.unit_id WHERE c.id = ?`, r.Circuit).Scan(&code, &name)
		r.Facts["code"] = code + " " + name
		return err
	case register.Type:
		return q.QueryRowContext(ctx, `SELECT COUNT(*) FROM unit WHERE type_id = ?`, r.ID).Scan(&r.Units)
	case register.Product:
		if r.Facts["base"] == string(coolant.NoWater) || r.Facts["form"] == string(coolant.Concentrate) && r.Facts["glycol"] == "99 %" {
			delete(r.Facts, "glycol") // not stated
		}
	case register.Site:
		rows, err := q.QueryContext(ctx, `SELECT celsius FROM site_cold WHERE site_id = ? ORDER BY month`, r.ID)
		months, err := collect(rows, err, func(rows *sql.Rows) (t float64, err error) { return t, rows.Scan(&t) })
		if err != nil {
			return err
		}
		field, _ := register.FieldOf(register.Site, "cold")
		if slices.Equal(field.MetricValues(r.Facts), months) {
			return nil
		}
		texts := make([]string, len(months))
		for i, t := range months {
			texts[i] = measure.Reading{Value: t, Unit: measure.DegC}.String()
		}
		r.Facts["cold"] = strings.Join(texts, "; ")
	}
	return nil
}

// typeFacts that a unit has by its type and not by itself: those of no column.
func (s *Store) typeFacts(ctx context.Context, q querier, r *Record, lock bool) error {
	if r.Facts["type"] == "" {
		return nil
	}
	facts, err := s.factsOfType(ctx, q, r.Facts["type"], lock)
	if err != nil {
		return err
	}
	for code, text := range facts {
		if isColumn(code) || text == "" || r.Facts[code] != "" {
			continue
		}
		r.Facts[code] = text
		r.Typed = append(r.Typed, code)
	}
	return nil
}

// isColumn: a column of the unit holds the fact.
func isColumn(code string) bool {
	return slices.ContainsFunc(factColumns[register.Unit], func(c factColumn) bool { return c.code == code })
}

// factsOfType by its name: those that its units have from it. With lock nobody changes them until the transaction ends: what is
// written of a unit is of the type as it is then.
func (s *Store) factsOfType(ctx context.Context, q querier, name string, lock bool) (register.Facts, error) {
	var text []byte
	query := `SELECT COALESCE(facts, '{}') FROM unit_type WHERE name = ?`
	if lock {
		query += ` LOCK IN SHARE MODE`
	}
	err := q.QueryRowContext(ctx, query, name).Scan(&text)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, &UnknownReferenceError{"type", name, "type"}
	}
	if err != nil {
		return nil, err
	}
	facts := register.Facts{}
	if err := json.Unmarshal(text, &facts); err != nil {
		return nil, fmt.Errorf("facts of type %s: %w", name, err)
	}
	for code := range facts {
		if f, ok := register.FieldOf(register.Unit, code); !ok || !f.Typed {
			delete(facts, code)
		}
	}
	return facts.Known(), nil
}

const changeColumns = `SELECT id, what, at, who, from_day, was, is_now, cause, undone_at IS NOT NULL FROM register_change`

func scanChange(rows *sql.Rows) (c RecordChange, err error) {
	var from sql.NullTime
	var was, is []byte
	if err = rows.Scan(&c.ID, &c.What, &c.At, &c.Who, &from, &was, &is, &c.Cause, &c.Undone); err != nil {
		return c, err
	}
	if from.Valid {
		day := measure.DateOf(from.Time, time.UTC)
		c.From = &day
	}
	return c, errors.Join(json.Unmarshal(was, &c.Was), json.Unmarshal(is, &c.Is))
}

func recordChanges(ctx context.Context, q querier, of register.Record, id, circuit int64) ([]RecordChange, error) {
	rows, err := q.QueryContext(ctx, changeColumns+` WHERE record = ? AND record_id = ? AND circuit_id = ? ORDER BY id`, of, id, circuit)
	return collect(rows, err, scanChange)
}

// Record of the register: a unit or a further circuit of it by its address, any other by its id;
// [ErrNoRecord], [ErrNoUnit].
func (s *Store) Record(ctx context.Context, of register.Record, key string) (Record, error) {
	id, circuit, err := s.recordKey(ctx, of, key)
	if err != nil {
		return Record{}, err
	}
	return s.readRecord(ctx, s.db, of, id, circuit, false)
}

func (s *Store) recordKey(ctx context.Context, of register.Record, key string) (id, circuit int64, err error) {
	if of == register.Unit {
		u, err := s.Unit(ctx, key)
		if err != nil {
			return 0, 0, err
		}
		if !u.First() {
			circuit = u.circuit
		}
		return u.id, circuit, nil
	}
	if _, err := fmt.Sscan(key, &id); err != nil {
		return 0, 0, fmt.Errorf("%w: %s %q", ErrNoRecord, of, key)
	}
	return id, 0, nil
}

// RecordRow is a line of a list of records.
type RecordRow struct {
	ID   int64
	Name string
	// Facts of the list: those of columns, and a few of the JSON.
	Facts register.Facts
	Left  string // how a unit left the fleet; empty while it is in it
	Units int    // of a type
}

// RecordFilter is which records a list has; zero values set no limit.
type RecordFilter struct {
	Text string
	// Left: units that left the fleet, instead of those in it.
	Left          bool
	Limit, Offset int
}

// listFacts of a record's list that are in its JSON.
var listFacts = map[register.Record][]string{register.Unit: {"make", "model", "place", "registration"}, register.Type: {"make", "model", "capacity", "base"},
	register.Site: {"address"}, register.Product: {"containers", "waste_code"}, register.Instrument: {"kind", "scale", "site", "expires", "withdrawn"},
	register.Technician: {"site", "skills", "days", "hours", "absent", "left"}}

// Records that a filter takes, by name, and how many there are.
func (s *Store) Records(ctx context.Context, of register.Record, f RecordFilter) (found []RecordRow, total int, err error) {
	table, columns := columnsOfRecord(of, false)
	where, args := ` WHERE 1 = 1`, []any{}
	if f.Text != "" {
		like := containing(f.Text)
		where += ` AND (` + nameColumns[of] + ` LIKE ? OR name LIKE ? OR facts LIKE ?)`
		args = append(args, like, like, like)
	}
	extra := `'', 0`
	switch of {
	case register.Unit:
		if f.Left {
			where += ` AND left_on IS NOT NULL`
		} else {
			where += ` AND left_on IS NULL`
		}
		extra = `COALESCE(left_how, ''), 0`
	case register.Type:
		extra = `'', (SELECT COUNT(*) FROM unit u WHERE u.type_id = unit_type.id)`
	}
	if err := s.db.QueryRowContext(ctx, `SELECT COUNT(*) FROM `+table+where, args...).Scan(&total); err != nil {
		return nil, 0, err
	}
	query := `SELECT id, COALESCE(facts, ''), ` + extra
	for _, c := range columns {
		query += `, ` + c.selected(table)
	}
	query += ` FROM ` + table + where + ` ORDER BY ` + nameColumns[of]
	if f.Limit > 0 {
		query += ` LIMIT ? OFFSET ?`
		args = append(args, f.Limit, f.Offset)
	}
	rows, err := s.db.QueryContext(ctx, query, args...)
	found, err = collect(rows, err, func(rows *sql.Rows) (r RecordRow, err error) {
		var facts []byte
		texts := make([]string, len(columns))
		into := []any{&r.ID, &facts, &r.Left, &r.Units}
		for i := range texts {
			into = append(into, &texts[i])
		}
		if err = rows.Scan(into...); err != nil {
			return r, err
		}
		kept := register.Facts{}
		if len(facts) > 0 {
			if err = json.Unmarshal(facts, &kept); err != nil {
				return r, err
			}
		}
		r.Facts = register.Facts{}
		for _, code := range listFacts[of] {
			r.Facts[code] = kept[code]
		}
		for i, c := range columns {
			r.Facts[c.code] = c.fact(of, texts[i], kept[c.code])
		}
		r.Facts, r.Name = r.Facts.Known(), r.Facts[nameColumns[of]]
		return r, nil
	})
	return found, total, err
}

// datedFacts are those of the ledger with the facts of a register in their place, where these are
// named: a partial set as [register.Earlier] has.
func datedFacts(d ledger.DatedFacts, facts register.Facts) ledger.DatedFacts {
	for code := range facts {
		number, _ := facts.Number(register.Unit, code)
		text := facts[code]
		switch code {
		case "capacity":
			d.Capacity = measure.Litre(number)
		case "base":
			d.Base = coolant.Base(text)
		case "cap":
			d.Cap = measure.Kilopascal(number)
		case "tank":
			d.Tank = measure.Litre(number)
		case "marks":
			d.Marks = number
		case "wet_liners":
			d.WetLiners = text == "yes"
		case "metal":
			d.Metal = coolant.Metal(text)
		case "silicate_free":
			d.SilicateFree = text == "yes"
		case "premix_only":
			d.PremixOnly = text == "yes"
		case "required_technology":
			d.Required = coolant.Technology(text)
		case "listed":
			d.Listed = listOf[string](text)
		}
	}
	return d
}

// earlierFacts of a unit for its fold, by what the register says held before a day, in the zone of
// its site.
func earlierFacts(now ledger.DatedFacts, earlier []register.Earlier, zone *time.Location) []ledger.EarlierFacts {
	if len(earlier) == 0 {
		return nil
	}
	if zone == nil {
		zone = time.UTC
	}
	all := make([]ledger.EarlierFacts, len(earlier))
	for i, e := range slices.Backward(earlier) {
		now = datedFacts(now, e.Facts)
		all[i] = ledger.EarlierFacts{Until: e.Until.Start(zone), Facts: now}
	}
	return all
}

// WithFacts is a unit as it would be with other facts and changes, for a preview of them. Site, plan
// and type are those it has.
func (u Unit) WithFacts(facts register.Facts, changes []register.Change) Unit {
	d := datedFacts(ledger.DatedFacts{Figures: u.Ledger.Figures}, facts)
	u.Ledger = u.Ledger.WithDated(d)
	u.Ledger.Earlier = earlierFacts(d, register.Before(register.Unit, changes), u.Zone)
	u.Ledger.RawWater = facts["raw_water"]
	if u.First() {
		u.Ledger.Meter, u.Ledger.Second = measure.Unit(facts["meter"]).Dimension(), measure.Unit(facts["second_meter"]).Dimension()
	}
	return u
}

// AllUnitFacts of the register, by number; those in columns, in the JSON, and by the type.
func (s *Store) AllUnitFacts(ctx context.Context, types map[string]register.Facts) (map[string]Record, error) {
	_, columns := columnsOfRecord(register.Unit, false)
	query := `SELECT unit.id, COALESCE(unit.facts, ''), COALESCE(typed, ''), left_on IS NOT NULL`
	for _, c := range columns {
		query += `, ` + c.selected("unit")
	}
	all := map[string]Record{}
	rows, err := s.db.QueryContext(ctx, query+` FROM unit`)
	_, err = collect(rows, err, func(rows *sql.Rows) (n int, err error) {
		r := Record{Of: register.Unit, Facts: register.Facts{}}
		var facts, typed []byte
		var left bool
		texts := make([]string, len(columns))
		into := []any{&r.ID, &facts, &typed, &left}
		for i := range texts {
			into = append(into, &texts[i])
		}
		if err = rows.Scan(into...); err != nil {
			return 0, err
		}
		if len(facts) > 0 {
			err = json.Unmarshal(facts, &r.Facts)
		}
		if len(typed) > 0 {
			err = errors.Join(err, json.Unmarshal(typed, &r.Typed))
		}
		if left {
			r.LeftOn = &measure.Date{}
		}
		for i, c := range columns {
			r.Facts[c.code] = c.fact(register.Unit, texts[i], r.Facts[c.code])
		}
		for code, text := range types[r.Facts["type"]] {
			if !isColumn(code) && r.Facts[code] == "" && text != "" {
				r.Facts[code], r.Typed = text, append(r.Typed, code)
			}
		}
		r.Facts = r.Facts.Known()
		all[r.Facts["code"]] = r
		return 0, err
	})
	return all, err
}
