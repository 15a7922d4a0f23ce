package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/register"
)

// Kinds of change of a record.
const (
	recordAdded    = "added"
	recordChanged  = "changed"
	recordLeft     = "left"
	recordReturned = "returned"
)

// Ways in which a unit leaves the fleet.
const (
	Retired = "retired"
	Sold    = "sold"
)

// RecordSave is a change of a record that still has the revision.
type RecordSave struct {
	Of       register.Record
	Key      string // as in [Store.Record]
	Revision string
	// Change: the facts that are changed; an empty text is not known any more, or that of the type.
	Change register.Facts
	// From is the day from which on it is in effect, nil for from the beginning.
	From *measure.Date
}

// columnsSet are the assignments of the columns that hold some facts, and their values.
func (s *Store) columnsSet(ctx context.Context, tx *sql.Tx, of register.Record, columns []factColumn, codes []string, facts register.Facts) (set []string, values []any, err error) {
	for _, c := range columns {
		if !slices.Contains(codes, c.code) {
			continue
		}
		value := c.value(of, facts)
		if c.kind == referenceColumn {
			if value, err = s.referenced(ctx, tx, of, c, facts[c.code]); err != nil {
				return nil, nil, err
			}
		}
		set, values = append(set, c.column+` = ?`), append(values, value)
	}
	if of == register.Product && (slices.Contains(codes, "glycol") || slices.Contains(codes, "base") || slices.Contains(codes, "form")) {
		set, values = productStrength(set, values, facts)
	}
	return set, values, nil
}

// productStrength: a concentrate whose label states no strength has that of [coolant.ConcentrateGlycol],
// and a waterless coolant is all glycol.
func productStrength(set []string, values []any, facts register.Facts) ([]string, []any) {
	glycol, stated := facts.Number(register.Product, "glycol")
	switch {
	case facts["base"] == string(coolant.NoWater):
		glycol, stated = 100, false
	case !stated:
		glycol = 99
	}
	set = slices.Clone(set)
	if i := slices.Index(set, `glycol = ?`); i >= 0 {
		values[i] = glycol / 100
	} else {
		set, values = append(set, `glycol = ?`), append(values, glycol/100)
	}
	return append(set, `stated = ?`), append(values, stated && facts["form"] == "concentrate")
}

// referenced id of a record by its name; NULL for none. [UnknownReferenceError].
func (s *Store) referenced(ctx context.Context, tx *sql.Tx, of register.Record, c factColumn, name string) (any, error) {
	if name == "" {
		return nil, nil
	}
	field, _ := register.FieldOf(of, c.code)
	var id int64
	err := tx.QueryRowContext(ctx, `SELECT id FROM `+references[field.Of]+` WHERE name = ?`, name).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, &UnknownReferenceError{c.code, name, field.Of}
	}
	return id, err
}

// factsJSON are the facts that a record keeps as they were typed; those of its type are not among
// them.
func factsJSON(of register.Record, facts register.Facts, typed []string) (string, error) {
	kept := register.Facts{}
	for code, text := range facts {
		if !slices.Contains(typed, code) && !slices.ContainsFunc(factColumns[of], func(c factColumn) bool { return c.code == code && c.kind == referenceColumn }) {
			kept[code] = text
		}
	}
	text, err := json.Marshal(kept)
	return string(text), err
}

// AddRecords of one kind, all or none, and their ids; [ErrTaken] when a name is another's,
// [UnknownReferenceError]. A unit gets its first circuit with an account without a line. Facts that a
// unit's type gives are those of the unit's.
func (s *Store) AddRecords(ctx context.Context, by Actor, of register.Record, all []register.Facts) (ids []int64, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		ids = ids[:0]
		for _, facts := range all {
			id, err := s.addRecord(ctx, tx, of, facts)
			if err != nil {
				return err
			}
			ids = append(ids, id)
		}
		if err := s.recordsAdded(ctx, tx, by, of, ids, all); err != nil {
			return err
		}
		return s.changed(ctx, tx, by, string(of)+"_added", addedDetail(of, all))
	})
	return ids, err
}

// addedDetail names what was added, for the audit.
func addedDetail(of register.Record, all []register.Facts) string {
	names := make([]string, len(all))
	for i, facts := range all {
		names[i] = facts[nameColumns[of]]
	}
	return strings.Join(names, ", ")
}

// capacityCommon of a unit: whether its capacity is that of its type (the first argument), whose
// values (of the name that is the second) are common practice.
const capacityCommon = `capacity_common = (? AND COALESCE((SELECT y.common FROM unit_type y WHERE y.name = ?), FALSE))`

func (s *Store) addRecord(ctx context.Context, tx *sql.Tx, of register.Record, facts register.Facts) (int64, error) {
	table, columns := columnsOfRecord(of, false)
	own := facts
	var typed []string
	if of == register.Unit && facts["type"] != "" {
		of, err := s.factsOfType(ctx, tx, facts["type"], true)
		if err != nil {
			return 0, err
		}
		for code, text := range of {
			if facts[code] == "" && isColumn(code) {
				own, typed = own.With(register.Facts{code: text}), append(typed, code)
			}
		}
		slices.Sort(typed)
	}
	codes := make([]string, len(columns))
	for i, c := range columns {
		codes[i] = c.code
	}
	set, values, err := s.columnsSet(ctx, tx, of, columns, codes, own)
	if err != nil {
		return 0, err
	}
	text, err := factsJSON(of, own, typed)
	if err != nil {
		return 0, err
	}
	set, values = append(set, `facts = ?`), append(values, text)
	if len(typed) > 0 {
		list, err := json.Marshal(typed)
		if err != nil {
			return 0, err
		}
		set, values = append(set, `typed = ?`, capacityCommon), append(values, string(list), slices.Contains(typed, "capacity"), facts["type"])
	}
	res, err := tx.ExecContext(ctx, `INSERT INTO `+table+` SET `+strings.Join(set, `, `), values...)
	if err != nil {
		return 0, taken(err)
	}
	var id int64
	if of == register.Product {
		// The id is no key that the driver is given.
		err = tx.QueryRowContext(ctx, `SELECT id FROM product WHERE code = ?`, facts["code"]).Scan(&id)
	} else {
		id, err = res.LastInsertId()
	}
	if err != nil {
		return 0, err
	}
	switch of {
	case register.Unit:
		_, err = tx.ExecContext(ctx, `INSERT INTO circuit (unit_id, name, position) VALUES (?, ?, 0)`, id, ledger.EngineCircuit)
	case register.Site:
		err = s.writeCold(ctx, tx, id, facts)
	}
	return id, err
}

// writeCold of a site's twelve months.
func (s *Store) writeCold(ctx context.Context, tx *sql.Tx, site int64, facts register.Facts) error {
	field, _ := register.FieldOf(register.Site, "cold")
	for m, t := range field.MetricValues(facts) {
		if _, err := tx.ExecContext(ctx, `INSERT INTO site_cold (site_id, month, celsius) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE celsius = VALUES(celsius)`, site, m+1, t); err != nil {
			return err
		}
	}
	return coldChanged(ctx, tx)
}

// recordsAdded writes the first change of records and takes them into their chains.
func (s *Store) recordsAdded(ctx context.Context, tx *sql.Tx, by Actor, of register.Record, ids []int64, all []register.Facts) error {
	changes := make([]keptChange, len(ids))
	for i, id := range ids {
		changes[i] = keptChange{of: of, id: id, what: recordAdded, is: all[i].Known()}
	}
	if err := s.keepChanges(ctx, tx, by, changes); err != nil {
		return err
	}
	if err := s.chained(ctx, tx, by.Name, string(of)+"_added", recordTables[of], keysOf(of, ids, all)...); err != nil {
		return err
	}
	switch of {
	case register.Unit:
		circuits, err := circuitsOfUnits(ctx, tx, ids)
		if err != nil {
			return err
		}
		return s.chained(ctx, tx, by.Name, string(of)+"_added", circuitTable, circuits...)
	case register.Site:
		return s.chained(ctx, tx, by.Name, string(of)+"_added", siteColdTable, keysOf(of, ids, all)...)
	}
	return nil
}

// keysOf records in their table: products are chained by their code.
func keysOf(of register.Record, ids []int64, all []register.Facts) (keys []any) {
	for i, id := range ids {
		if of == register.Product {
			keys = append(keys, all[i]["code"])
			continue
		}
		keys = append(keys, id)
	}
	return keys
}

func circuitsOfUnits(ctx context.Context, tx *sql.Tx, units []int64) (circuits []any, err error) {
	for some := range slices.Chunk(units, loadRows) {
		args := make([]any, len(some))
		for i, id := range some {
			args[i] = id
		}
		rows, err := tx.QueryContext(ctx, `SELECT id FROM circuit WHERE unit_id IN (?`+strings.Repeat(`, ?`, len(args)-1)+`)`, args...)
		more, err := collect(rows, err, func(rows *sql.Rows) (id any, err error) {
			var n int64
			err = rows.Scan(&n)
			return n, err
		})
		if err != nil {
			return nil, err
		}
		circuits = append(circuits, more...)
	}
	return circuits, nil
}

// keptChange is a row of register_change to be written.
type keptChange struct {
	of          register.Record
	id, circuit int64
	what, cause string
	from        *measure.Date
	was, is     register.Facts
}

// keepChanges writes changes and takes them into their chains.
func (s *Store) keepChanges(ctx context.Context, tx *sql.Tx, by Actor, changes []keptChange) error {
	var ids []any
	for some := range slices.Chunk(changes, loadRows) {
		var args []any
		for _, c := range some {
			was, err1 := json.Marshal(orEmpty(c.was))
			is, err2 := json.Marshal(orEmpty(c.is))
			if err := errors.Join(err1, err2); err != nil {
				return err
			}
			var from any
			if c.from != nil {
				from = c.from.String()
			}
			args = append(args, c.of, c.id, c.circuit, c.what, s.now().UTC(), cut(by.Name, 190), nullID(by.ID), from, string(was), string(is), cut(c.cause, 200))
		}
		res, err := tx.ExecContext(ctx, `INSERT INTO register_change (record, record_id, circuit_id, what, at, who, who_id, from_day, was, is_now, cause) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`+
			strings.Repeat(`, (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`, len(some)-1), args...)
		if err != nil {
			return err
		}
		// Of rows written at once the id given is that of the first; the step is asked for, as nodes of
		// a cluster take turns.
		first, err := res.LastInsertId()
		if err != nil {
			return err
		}
		var step int64
		if err := tx.QueryRowContext(ctx, `SELECT @@auto_increment_increment`).Scan(&step); err != nil {
			return err
		}
		for i := range some {
			ids = append(ids, first+int64(i)*step)
		}
	}
	return s.chained(ctx, tx, by.Name, "record_changed", changeTable, ids...)
}

func orEmpty(f register.Facts) register.Facts {
	if f == nil {
		return register.Facts{}
	}
	return f
}

func nullID(id int64) any {
	if id == 0 {
		return nil
	}
	return id
}

// plainChanges of a record, as package register has them.
func plainChanges(changes []RecordChange) []register.Change {
	all := make([]register.Change, len(changes))
	for i, c := range changes {
		all[i] = c.Change
	}
	return all
}

// PlainChanges of the record.
func (r Record) PlainChanges() []register.Change { return plainChanges(r.Changes) }

// After is the record with a change: facts that hold then, with those of a type that it falls back
// to; typeFacts are those of the type that the record has after the change.
func (r Record) After(change, typeFacts register.Facts) (facts register.Facts, typed []string) {
	facts = r.Facts.With(change)
	for _, code := range r.Typed {
		if _, changed := change[code]; !changed {
			delete(facts, code) // it is the type's to give
		}
	}
	for _, code := range slices.Sorted(maps.Keys(typeFacts)) {
		if facts[code] == "" && typeFacts[code] != "" {
			facts[code], typed = typeFacts[code], append(typed, code)
		}
	}
	return facts, typed
}

// SaveRecord changes a record; it returns it as it is then. [ErrRecordChanged], [ConflictError],
// [ErrTaken], [UnknownReferenceError], [ErrNoRecord]. The accounts of a unit whose dated facts change
// are folded anew when they are asked for.
func (s *Store) SaveRecord(ctx context.Context, by Actor, c RecordSave) (Record, error) {
	id, circuit, err := s.recordKey(ctx, c.Of, c.Key)
	if err != nil {
		return Record{}, err
	}
	var after Record
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		return s.judgedRecord(ctx, tx, by, c.Of, id, func() error {
			before, err := s.readRecord(ctx, tx, c.Of, id, circuit, true)
			if err != nil {
				return err
			}
			if before.Revision() != c.Revision {
				return fmt.Errorf("%w: %s", ErrRecordChanged, before.Name)
			}
			if err := s.changeRecord(ctx, tx, by, before, c.Change, c.From, ""); err != nil {
				return err
			}
			after, err = s.readRecord(ctx, tx, c.Of, id, circuit, false)
			return err
		})
	})
	return after, err
}

// judgedRecord is [Store.judged] for the units whose books a record of the register is read for.
func (s *Store) judgedRecord(ctx context.Context, tx *sql.Tx, by Actor, of register.Record, id int64, change func() error) error {
	condition, args := "", []any{id}
	switch of {
	case register.Unit:
		condition = `u.id = ?`
	case register.Type:
		condition = `u.type_id = ?`
	case register.Site:
		condition, args = `u.site_id = ? OR u.winter_site_id = ?`, []any{id, id}
	default:
		return change()
	}
	return s.judgedWhere(ctx, tx, by, change, condition, args...)
}

// changeRecord that was read, as part of a transaction.
func (s *Store) changeRecord(ctx context.Context, tx *sql.Tx, by Actor, before Record, change register.Facts, from *measure.Date, cause string) error {
	var typeFacts register.Facts
	name := before.Facts["type"]
	if text, changed := change["type"]; changed {
		name = text
	}
	if name != "" && before.Of == register.Unit && before.Circuit == 0 {
		var err error
		if typeFacts, err = s.factsOfType(ctx, tx, name, true); err != nil {
			return err
		}
	}
	facts, typed := before.After(change, typeFacts)
	was, is := register.Difference(before.Facts, facts)
	if len(is) == 0 && slices.Equal(typed, sorted(before.Typed)) {
		if cause == "" {
			return nil
		}
		// The type alone changed: whether its capacity is a common value, or a fact that the unit has of its own.
		return s.writeUnchanged(ctx, tx, by, before, facts, typed)
	}
	if code, of := register.Conflict(plainChanges(before.Changes), is, from); code != "" {
		return &ConflictError{code, of}
	}
	if err := s.keepChanges(ctx, tx, by, []keptChange{{of: before.Of, id: before.ID, circuit: before.Circuit, what: recordChanged, from: from, was: was, is: is, cause: cause}}); err != nil {
		return err
	}
	if err := s.writeRecord(ctx, tx, before, facts, typed, is); err != nil {
		return err
	}
	if before.Of == register.Type {
		if err := s.typeChanged(ctx, tx, by, before, is, from); err != nil {
			return err
		}
	}
	return s.recordWritten(ctx, tx, by, before, facts, string(before.Of)+"_changed", differenceText(was, is, from))
}

// writeUnchanged unit of a type that changed, without a change of its own.
func (s *Store) writeUnchanged(ctx context.Context, tx *sql.Tx, by Actor, before Record, facts register.Facts, typed []string) error {
	if err := s.writeRecord(ctx, tx, before, facts, typed, nil); err != nil {
		return err
	}
	if err := staleStatuses(ctx, tx, []any{before.ID}); err != nil {
		return err
	}
	return s.chained(ctx, tx, by.Name, "unit_changed", unitTable, before.ID)
}

func sorted(codes []string) []string { return slices.Sorted(slices.Values(codes)) }

// differenceText of a change, for the audit.
func differenceText(was, is register.Facts, from *measure.Date) string {
	var parts []string
	for _, code := range slices.Sorted(maps.Keys(is)) {
		known := func(text string) string {
			if text == "" {
				return "not known"
			}
			return strings.ReplaceAll(text, "\n", "; ")
		}
		parts = append(parts, fmt.Sprintf("%s %s, before %s", strings.ReplaceAll(code, "_", " "), known(is[code]), known(was[code])))
	}
	text := strings.Join(parts, "; ")
	if from != nil {
		text += "; from " + from.String() + " on"
	}
	return text
}

// writeRecord: its columns and its JSON as some facts have them; is names what changed.
func (s *Store) writeRecord(ctx context.Context, tx *sql.Tx, before Record, facts register.Facts, typed []string, is register.Facts) error {
	table, columns := columnsOfRecord(before.Of, before.Circuit != 0)
	set, values, err := s.columnsSet(ctx, tx, before.Of, columns, slices.Sorted(maps.Keys(is)), facts)
	if err != nil {
		return err
	}
	kept := facts
	if before.Circuit != 0 {
		kept = facts.With(register.Facts{"code": ""})
	}
	text, err := factsJSON(before.Of, kept, typed)
	if err != nil {
		return err
	}
	set, values = append(set, `facts = ?`), append(values, text)
	if before.Of == register.Unit {
		earlier, err := s.earlierJSON(ctx, tx, before)
		if err != nil {
			return err
		}
		set, values = append(set, `earlier = ?`), append(values, earlier)
		if before.Circuit == 0 {
			inherited := slices.DeleteFunc(slices.Clone(typed), func(code string) bool { return !isColumn(code) })
			list, err := json.Marshal(inherited)
			if err != nil {
				return err
			}
			set = append(set, `typed = ?`, capacityCommon, `revision = revision + 1`)
			values = append(values, string(list), slices.Contains(typed, "capacity"), facts["type"])
		}
	}
	key := before.ID
	if before.Circuit != 0 {
		key = before.Circuit
	}
	if _, err := tx.ExecContext(ctx, `UPDATE `+table+` SET `+strings.Join(set, `, `)+` WHERE id = ?`, append(values, key)...); err != nil {
		return taken(err)
	}
	if _, changed := is["cold"]; changed && before.Of == register.Site {
		if err := s.writeCold(ctx, tx, before.ID, facts); err != nil {
			return err
		}
		return s.computeCurve(ctx, tx, before.ID)
	}
	return nil
}

// earlierJSON of a unit by all its changes, NULL for none.
func (s *Store) earlierJSON(ctx context.Context, tx *sql.Tx, r Record) (any, error) {
	changes, err := recordChanges(ctx, tx, r.Of, r.ID, r.Circuit)
	if err != nil {
		return nil, err
	}
	earlier := register.Before(register.Unit, plainChanges(changes))
	if len(earlier) == 0 {
		return nil, nil
	}
	text, err := json.Marshal(earlier)
	return string(text), err
}

// recordWritten takes a record into its chain, with a line of the audit; statuses of units are to be
// evaluated anew.
func (s *Store) recordWritten(ctx context.Context, tx *sql.Tx, by Actor, before Record, facts register.Facts, what, detail string) error {
	name := before.Name
	if now := facts[nameColumns[before.Of]]; now != name {
		detail = "now " + now + "; " + detail
	}
	switch {
	case before.Circuit != 0:
		return s.circuitsChanged(ctx, tx, by, before.ID, before.Circuit, what, name+": "+detail)
	case before.Of == register.Unit:
		if _, err := tx.ExecContext(ctx, `UPDATE unit_status SET code = ?, kind = ? WHERE unit_id = ?`, facts["code"], facts["kind"], before.ID); err != nil {
			return err
		}
		if err := staleStatuses(ctx, tx, []any{before.ID}); err != nil {
			return err
		}
	case before.Of == register.Site:
		if err := s.chained(ctx, tx, by.Name, what, siteColdTable, before.ID); err != nil {
			return err
		}
	}
	keys := keysOf(before.Of, []int64{before.ID}, []register.Facts{facts})
	return s.changedRows(ctx, tx, by, what, name+": "+detail, recordTables[before.Of], keys...)
}

// typeChanged writes what a type changed into its units that have it from the type.
func (s *Store) typeChanged(ctx context.Context, tx *sql.Tx, by Actor, before Record, is register.Facts, from *measure.Date) error {
	inherited := false
	for code := range is {
		f, ok := register.FieldOf(register.Unit, code)
		inherited = inherited || ok && f.Typed || code == "common"
	}
	if !inherited {
		return nil
	}
	rows, err := tx.QueryContext(ctx, `SELECT id FROM unit WHERE type_id = ? ORDER BY id FOR UPDATE`, before.ID)
	ids, err := collect(rows, err, func(rows *sql.Rows) (id int64, err error) { return id, rows.Scan(&id) })
	if err != nil {
		return err
	}
	for _, id := range ids {
		unit, err := s.readRecord(ctx, tx, register.Unit, id, 0, true)
		if err != nil {
			return err
		}
		// readRecord has the type as it is by now for facts without a column; what they were is the
		// type's before.
		for code := range is {
			if !isColumn(code) && slices.Contains(unit.Typed, code) {
				unit.Facts[code] = before.Facts[code]
			}
		}
		unit.Facts = unit.Facts.Known()
		if err := s.changeRecord(ctx, tx, by, unit, nil, from, "type "+before.Name); err != nil {
			return fmt.Errorf("unit %s: %w", unit.Name, err)
		}
	}
	return nil
}

// UndoChange of a record that still has the revision; [ErrNotUndoable], [ErrRecordChanged].
func (s *Store) UndoChange(ctx context.Context, by Actor, of register.Record, key, revision string, change int64) (Record, error) {
	id, circuit, err := s.recordKey(ctx, of, key)
	if err != nil {
		return Record{}, err
	}
	var after Record
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		return s.judgedRecord(ctx, tx, by, of, id, func() error {
			before, err := s.readRecord(ctx, tx, of, id, circuit, true)
			if err != nil {
				return err
			}
			if before.Revision() != revision {
				return fmt.Errorf("%w: %s", ErrRecordChanged, before.Name)
			}
			if err := s.undo(ctx, tx, by, before, change); err != nil {
				return err
			}
			after, err = s.readRecord(ctx, tx, of, id, circuit, false)
			return err
		})
	})
	return after, err
}

func (s *Store) undo(ctx context.Context, tx *sql.Tx, by Actor, before Record, change int64) error {
	i := slices.IndexFunc(before.Changes, func(c RecordChange) bool { return c.ID == change })
	if i < 0 || !register.Undoable(plainChanges(before.Changes), change) {
		return ErrNotUndoable
	}
	c := before.Changes[i]
	if _, err := tx.ExecContext(ctx, `UPDATE register_change SET undone_at = ?, undone_by = ? WHERE id = ?`, s.now().UTC(), cut(by.Name, 190), change); err != nil {
		return err
	}
	if err := s.chained(ctx, tx, by.Name, "change_undone", changeTable, change); err != nil {
		return err
	}
	switch c.What {
	case recordLeft:
		return s.setLeft(ctx, tx, by, before, nil, "", "unit_changed", "undone: "+before.LeftHow)
	case recordReturned:
		day, err := measure.ParseDate(c.Was["left_on"])
		if err != nil {
			return err
		}
		return s.setLeft(ctx, tx, by, before, &day, c.Was["left_how"], "unit_changed", "undone: back in the fleet")
	}
	// What the unit has from its type is the type's to give again: the rest is as it was.
	var typeFacts register.Facts
	back := c.Was
	name := before.Facts["type"]
	if text, changed := back["type"]; changed {
		name = text
	}
	if name != "" && before.Of == register.Unit && before.Circuit == 0 {
		var err error
		if typeFacts, err = s.factsOfType(ctx, tx, name, true); err != nil {
			return err
		}
		back = maps.Clone(back)
		for code, text := range back {
			if text != "" && text == typeFacts[code] {
				back[code] = ""
			}
		}
	}
	facts, typed := before.After(back, typeFacts)
	_, is := register.Difference(before.Facts, facts)
	if err := s.writeRecord(ctx, tx, before, facts, typed, is); err != nil {
		return err
	}
	if before.Of == register.Type {
		if err := s.typeChanged(ctx, tx, by, before, is, c.From); err != nil {
			return err
		}
	}
	return s.recordWritten(ctx, tx, by, before, facts, string(before.Of)+"_changed", "undone: "+differenceText(c.Was, c.Is, c.From))
}

// LeaveFleet on a day, [Retired] or [Sold]: the unit is in no list from now on, its planned work is
// closed, and its books stay. [ErrRecordChanged].
func (s *Store) LeaveFleet(ctx context.Context, by Actor, code, revision string, day measure.Date, how string) (Record, error) {
	return s.leaving(ctx, by, code, revision, &day, how)
}

// ReturnToFleet of a unit that left it. [ErrRecordChanged].
func (s *Store) ReturnToFleet(ctx context.Context, by Actor, code, revision string) (Record, error) {
	return s.leaving(ctx, by, code, revision, nil, "")
}

func (s *Store) leaving(ctx context.Context, by Actor, code, revision string, day *measure.Date, how string) (Record, error) {
	id, circuit, err := s.recordKey(ctx, register.Unit, code)
	if err != nil {
		return Record{}, err
	}
	if circuit != 0 {
		return Record{}, fmt.Errorf("%w: %s is a circuit", ErrNoUnit, code)
	}
	var after Record
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		before, err := s.readRecord(ctx, tx, register.Unit, id, 0, true)
		if err != nil {
			return err
		}
		if before.Revision() != revision {
			return fmt.Errorf("%w: %s", ErrRecordChanged, before.Name)
		}
		kept := keptChange{of: register.Unit, id: id, what: recordReturned, was: register.Facts{}, is: register.Facts{}}
		detail := "back in the fleet"
		if before.LeftOn != nil {
			kept.was["left_on"], kept.was["left_how"] = before.LeftOn.String(), before.LeftHow
		}
		if day != nil {
			kept.what, kept.is["left_on"], kept.is["left_how"] = recordLeft, day.String(), how
			detail = how + " on " + day.String()
		}
		kept.was, kept.is = orUnknown(kept.was, kept.is), orUnknown(kept.is, kept.was)
		if err := s.keepChanges(ctx, tx, by, []keptChange{kept}); err != nil {
			return err
		}
		if err := s.setLeft(ctx, tx, by, before, day, how, "unit_changed", detail); err != nil {
			return err
		}
		after, err = s.readRecord(ctx, tx, register.Unit, id, 0, false)
		return err
	})
	return after, err
}

// orUnknown gives facts those of others as not known, so that a change names both.
func orUnknown(facts, others register.Facts) register.Facts {
	all := maps.Clone(facts)
	for code := range others {
		if _, there := all[code]; !there {
			all[code] = ""
		}
	}
	return all
}

// setLeft of a unit: out of the lists and off the work list, or in the lists again.
func (s *Store) setLeft(ctx context.Context, tx *sql.Tx, by Actor, before Record, day *measure.Date, how, what, detail string) error {
	var on any
	if day != nil {
		on = day.String()
	}
	if _, err := tx.ExecContext(ctx, `UPDATE unit SET left_on = ?, left_how = NULLIF(?, ''), revision = revision + 1 WHERE id = ?`, on, how, before.ID); err != nil {
		return err
	}
	if day != nil {
		if err := removeStatus(ctx, tx, before.ID); err != nil {
			return err
		}
		if err := s.closePlanned(ctx, tx, by, `unit_id`, before.ID); err != nil {
			return err
		}
	}
	return s.changedRows(ctx, tx, by, what, before.Name+": "+detail, unitTable, before.ID)
}

// removeStatus of a unit and count it no more.
func removeStatus(ctx context.Context, tx *sql.Tx, unit int64) error {
	before, err := countedRows(ctx, tx, []any{unit})
	if err != nil {
		return err
	}
	moved := moves{}
	for _, c := range before {
		moved.add(-1, c.basis, c.of)
	}
	if _, err := tx.ExecContext(ctx, `DELETE FROM unit_status WHERE unit_id = ?`, unit); err != nil {
		return err
	}
	return addCounts(ctx, tx, moved)
}

// FactsOfType by its name: those that its units have from it; [UnknownReferenceError].
func (s *Store) FactsOfType(ctx context.Context, name string) (register.Facts, error) {
	return s.factsOfType(ctx, s.db, name, false)
}

// UnitsOfType by the id of the type, by code.
func (s *Store) UnitsOfType(ctx context.Context, id int64) ([]Unit, error) {
	return s.units(ctx, ` WHERE u.type_id = ? AND u.left_on IS NULL`, id)
}
