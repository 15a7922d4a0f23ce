package fleet

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/register"
	"diligentledger/internal/store"
)

// RecordChange is what is to be changed of a record.
type RecordChange struct {
	Of  register.Record
	Key string // as in [store.Store.Record]; empty for a new one
	// Revision that was seen; another one by now is not written over.
	Revision string
	// Typed facts by code, as they were typed; an empty text is not known.
	Typed map[string]string
	// From is the day from which on it is in effect; nil for from the beginning.
	From *measure.Date
	// Numbers of more units like it, of a new unit; see [register.Numbers].
	Numbers string
	// Confirmed: what is unusual was asked about and is meant.
	Confirmed bool
	// Reading is how its author types.
	Reading register.Reading
}

// earliest day that a change can be in effect from.
var earliest = measure.NewDate(1950, time.January, 1)

// Record of the register; [store.ErrNoRecord], [store.ErrNoUnit].
func (f *Fleet) Record(ctx context.Context, of register.Record, key string) (store.Record, error) {
	return f.store.Record(ctx, of, key)
}

// Records that a filter takes, by name, and how many there are.
func (f *Fleet) Records(ctx context.Context, of register.Record, wanted store.RecordFilter) ([]store.RecordRow, int, error) {
	return f.store.Records(ctx, of, wanted)
}

// typedFacts reads a change of a record as it is now: its facts in their canonical form, and all
// that is wrong with them.
func (f *Fleet) typedFacts(ctx context.Context, c RecordChange, now store.Record) (change register.Facts, after store.Record, err error) {
	kind := now.Facts["kind"]
	if kind == "" {
		kind = c.Typed["kind"]
	}
	change, wrong := register.ReadAll(c.Of, kind, c.Typed, c.Reading)
	if c.Key != "" {
		wrong = append(wrong, fixed(c.Of, now, change)...)
	}
	var typeFacts register.Facts
	name := now.Facts["type"]
	if text, changed := change["type"]; changed {
		name = text
	}
	if c.Of == register.Unit && name != "" && now.Circuit == 0 {
		typeFacts, err = f.store.FactsOfType(ctx, name)
		if err != nil {
			return nil, after, f.refused(ctx, c, err)
		}
		wrong = append(wrong, f.typeOfKind(ctx, name, kind)...)
	}
	after = now
	after.Facts, after.Typed = now.After(change, typeFacts)
	if now.Circuit == 0 {
		for _, field := range register.Check(c.Of, after.Facts) {
			_, changed := change[strings.TrimPrefix(field.Pointer, "/facts/")]
			if !field.Question || changed && !c.Confirmed {
				wrong = append(wrong, field)
			}
		}
	}
	wrong = append(wrong, f.checkFrom(ctx, c)...)
	wrong = append(wrong, checkMeter(c, now, change, after.Facts)...)
	wrong = append(wrong, checkZone(change)...)
	if len(wrong) > 0 {
		return nil, after, &refusal.Error{Fields: onceEach(wrong)}
	}
	return change, after, nil
}

// onceEach field: the first thing that is wrong with it.
func onceEach(wrong []*refusal.Field) (once []*refusal.Field) {
	for _, field := range wrong {
		if !slices.ContainsFunc(once, func(o *refusal.Field) bool { return o.Pointer == field.Pointer }) {
			once = append(once, field)
		}
	}
	return once
}

// fixed facts of a record that a change touches; those that a further circuit does not have.
func fixed(of register.Record, now store.Record, change register.Facts) (wrong []*refusal.Field) {
	for code, text := range change {
		field, _ := register.FieldOf(of, code)
		accepted := ""
		switch {
		case now.Circuit != 0 && !store.CircuitFact(code):
			accepted = "nothing here: it is a fact of the unit, not of its circuit"
		case field.Fixed && text != now.Facts[code]:
			accepted = now.Facts[code] + ": it stays as it was added; retire this one and add another"
		}
		if accepted != "" {
			wrong = append(wrong, &refusal.Field{Pointer: "/facts/" + code, Got: fmt.Sprintf("%q", text), Accepted: accepted})
		}
	}
	return wrong
}

func (f *Fleet) typeOfKind(ctx context.Context, name, kind string) []*refusal.Field {
	types, _, err := f.store.Records(ctx, register.Type, store.RecordFilter{})
	if err != nil {
		return nil // the type was just read; the database refuses the rest
	}
	for _, t := range types {
		if t.Name == name && t.Facts["kind"] != kind {
			return []*refusal.Field{{Pointer: "/facts/type", Got: fmt.Sprintf("%q, a type of %s,", name, t.Facts["kind"]), Accepted: "a type of " + kind}}
		}
	}
	return nil
}

func (f *Fleet) checkFrom(ctx context.Context, c RecordChange) []*refusal.Field {
	if c.From == nil {
		return nil
	}
	today, err := f.Today(ctx)
	if err == nil && (c.From.After(today) || c.From.Before(earliest)) {
		return []*refusal.Field{{Pointer: "/from", Got: c.From.Format("2 Jan 2006"), Accepted: "today or an earlier day: what comes later is entered on its day"}}
	}
	return nil
}

func checkMeter(c RecordChange, now store.Record, change, after register.Facts) (wrong []*refusal.Field) {
	if c.Of != register.Unit {
		return nil
	}
	if was, is := now.Facts["meter"], after["meter"]; c.Key != "" && now.Circuit == 0 && was != "" && was != is && !c.Confirmed {
		if _, changed := change["meter"]; changed {
			got := is
			if got == "" {
				got = "no meter"
			}
			wrong = append(wrong, &refusal.Field{Pointer: "/facts/meter", Got: got, Accepted: was + ", which its readings so far are of; they are not used with another kind", Question: true})
		}
	}
	return wrong
}

func checkZone(change register.Facts) []*refusal.Field {
	zone := change["zone"]
	if zone == "" {
		return nil
	}
	if _, err := time.LoadLocation(zone); err != nil || zone == "Local" {
		return []*refusal.Field{{Pointer: "/facts/zone", Got: fmt.Sprintf("%q", zone), Accepted: "the name of a time zone, such as Europe/Oslo, or nothing for the fleet's"}}
	}
	return nil
}

// refused turns what the store cannot take into what is wrong with a field.
func (f *Fleet) refused(ctx context.Context, c RecordChange, err error) error {
	var unknown *store.UnknownReferenceError
	var conflict *store.ConflictError
	switch {
	case errors.As(err, &unknown):
		return refusal.New("/facts/"+unknown.Code, fmt.Sprintf("%q", unknown.Name), f.namesOf(ctx, unknown.Of))
	case errors.As(err, &conflict):
		day := conflict.Of.From.Format("2 Jan 2006")
		return refusal.New("/from", fmt.Sprintf("a change of %s before %s", strings.ReplaceAll(conflict.Code, "_", " "), day),
			day+" or later, from which on it was changed before; or undo that change first")
	case errors.Is(err, store.ErrTaken):
		pointer, got := "/facts/name", c.Typed["name"]
		if c.Of == register.Unit || c.Of == register.Product {
			pointer, got = "/facts/code", c.Typed["code"]
		}
		if c.Numbers != "" {
			pointer, got = "/numbers", c.Numbers
		}
		return refusal.New(pointer, fmt.Sprintf("%q, which is another's,", got), "one of its own")
	}
	return err
}

// mostNames that a message gives.
const mostNames = 8

// namesOf the records that a fact may name.
func (f *Fleet) namesOf(ctx context.Context, of string) string {
	var names []string
	if of == "plan" {
		if plans, err := f.store.ServicePlanRules(ctx); err == nil {
			for _, p := range plans {
				names = append(names, p.Name)
			}
		}
	} else if rows, _, err := f.store.Records(ctx, register.Record(of), store.RecordFilter{}); err == nil {
		for _, r := range rows {
			names = append(names, r.Name)
		}
	}
	switch n := len(names); {
	case n == 0:
		return "nothing: the register has no " + strings.ReplaceAll(of, "plan", "service plan") + " yet"
	case n > mostNames:
		return strings.Join(names[:mostNames], ", ") + fmt.Sprintf(" and %d more of the register", n-mostNames)
	}
	return strings.Join(names, ", ")
}

// AddRecord to the register; of a unit also more like it, with other numbers. It gives their names. A
// [refusal.Error] when it is not accepted.
func (f *Fleet) AddRecord(ctx context.Context, by store.Actor, c RecordChange) (names []string, err error) {
	change, _, err := f.typedFacts(ctx, c, store.Record{Of: c.Of, Facts: register.Facts{}})
	if err != nil {
		return nil, err
	}
	all := []register.Facts{change.Known()}
	if c.Of == register.Unit && strings.TrimSpace(c.Numbers) != "" {
		numbers, err := register.Numbers(c.Numbers)
		if err != nil {
			return nil, refusal.New("/numbers", fmt.Sprintf("%q", c.Numbers), "numbers with commas between them, or a range such as CA-60 to CA-71")
		}
		for _, number := range numbers {
			another := register.Facts{"code": number}
			for _, own := range []string{"registration", "serial", "tag", "place", "keeper"} {
				another[own] = "" // of one unit alone
			}
			facts := change.With(another)
			for _, field := range register.Check(register.Unit, facts) {
				if field.Pointer == "/facts/code" {
					return nil, refusal.New("/numbers", field.Got, field.Accepted)
				}
			}
			all = append(all, facts)
		}
	}
	if _, err = f.store.AddRecords(ctx, by, c.Of, all); err != nil {
		return nil, f.refused(ctx, c, err)
	}
	for _, facts := range all {
		name := facts["name"]
		if c.Of == register.Unit || c.Of == register.Product {
			name = facts["code"]
		}
		names = append(names, name)
	}
	if c.Of == register.Unit {
		_, err = f.RefreshStatus(ctx)
	}
	return names, err
}

// SaveRecord changes a record that still has the revision, and gives it as it is then. A
// [refusal.Error], [store.ErrRecordChanged].
func (f *Fleet) SaveRecord(ctx context.Context, by store.Actor, c RecordChange) (store.Record, error) {
	now, err := f.store.Record(ctx, c.Of, c.Key)
	if err != nil {
		return now, err
	}
	change, _, err := f.typedFacts(ctx, c, now)
	if err != nil {
		return now, err
	}
	after, err := f.store.SaveRecord(ctx, by, store.RecordSave{Of: c.Of, Key: c.Key, Revision: c.Revision, Change: change, From: c.From})
	if err != nil {
		return after, f.refused(ctx, c, err)
	}
	return after, f.recordsChanged(ctx, c.Of)
}

// recordsChanged evaluates anew what rests on records of a kind.
func (f *Fleet) recordsChanged(ctx context.Context, of register.Record) error {
	if of == register.Product || of == register.Instrument {
		return nil
	}
	_, err := f.RefreshStatus(ctx)
	return err
}

// UndoRecordChange of a record that still has the revision; [store.ErrNotUndoable].
func (f *Fleet) UndoRecordChange(ctx context.Context, by store.Actor, of register.Record, key, revision string, change int64) (store.Record, error) {
	after, err := f.store.UndoChange(ctx, by, of, key, revision, change)
	if err != nil {
		return after, err
	}
	return after, f.recordsChanged(ctx, of)
}

// LeaveFleet on a day, retired or sold. A [refusal.Error] when the day is not accepted.
func (f *Fleet) LeaveFleet(ctx context.Context, by store.Actor, code, revision string, day measure.Date, how string) (store.Record, error) {
	if wrong := f.checkFrom(ctx, RecordChange{From: &day}); len(wrong) > 0 {
		wrong[0].Pointer = "/day"
		return store.Record{}, &refusal.Error{Fields: wrong}
	}
	return f.store.LeaveFleet(ctx, by, code, revision, day, how)
}

// ReturnToFleet of a unit that left it.
func (f *Fleet) ReturnToFleet(ctx context.Context, by store.Actor, code, revision string) (store.Record, error) {
	after, err := f.store.ReturnToFleet(ctx, by, code, revision)
	if err != nil {
		return after, err
	}
	_, err = f.RefreshStatus(ctx)
	return after, err
}

// PreviewRecord gives which units would change status by a change of a unit or a type, the worst
// first, with the same refusals as [Fleet.SaveRecord].
func (f *Fleet) PreviewRecord(ctx context.Context, c RecordChange) ([]StatusChange, error) {
	now, err := f.store.Record(ctx, c.Of, c.Key)
	if err != nil {
		return nil, err
	}
	change, after, err := f.typedFacts(ctx, c, now)
	if err != nil {
		return nil, err
	}
	_, is := register.Difference(now.Facts, after.Facts)
	if code, of := register.Conflict(now.PlainChanges(), is, c.From); code != "" {
		return nil, f.refused(ctx, c, &store.ConflictError{Code: code, Of: of})
	}
	switch c.Of {
	case register.Unit:
		u, err := f.store.Unit(ctx, c.Key)
		if err != nil {
			return nil, err
		}
		return f.changesOf(ctx, []store.Unit{u}, func(store.Unit) (store.Record, register.Facts, error) { return now, change, nil }, nil, c.From)
	case register.Type:
		units, err := f.store.UnitsOfType(ctx, now.ID)
		if err != nil {
			return nil, err
		}
		typeFacts := typedOnly(after.Facts)
		return f.changesOf(ctx, units, func(u store.Unit) (store.Record, register.Facts, error) {
			r, err := f.store.Record(ctx, register.Unit, u.Code)
			return r, nil, err
		}, typeFacts, c.From)
	}
	return nil, nil
}

// typedOnly are the facts that a type gives its units.
func typedOnly(facts register.Facts) register.Facts {
	some := register.Facts{}
	for code, text := range facts {
		if field, ok := register.FieldOf(register.Unit, code); ok && field.Typed {
			some[code] = text
		}
	}
	return some
}

// changesOf units by a change of their facts: record gives those of one and what of them is changed;
// typeFacts, unless they are nil, are those of their type after it.
func (f *Fleet) changesOf(ctx context.Context, units []store.Unit, record func(store.Unit) (store.Record, register.Facts, error), typeFacts register.Facts, from *measure.Date) ([]StatusChange, error) {
	evaluated, err := f.evaluatedUnits(ctx, units)
	if err != nil {
		return nil, err
	}
	var changed []StatusChange
	for _, r := range evaluated {
		now, change, err := record(r.Unit)
		if err != nil {
			return nil, err
		}
		of := typeFacts
		if name, ok := change["type"]; of == nil && (ok && name != "" || !ok && now.Facts["type"] != "") {
			if !ok {
				name = now.Facts["type"]
			}
			if of, err = f.store.FactsOfType(ctx, name); err != nil {
				return nil, err
			}
		}
		facts, _ := now.After(change, of)
		was, is := register.Difference(now.Facts, facts)
		if len(is) == 0 {
			continue
		}
		changes := append(now.PlainChanges(), register.Change{ID: 1 << 62, From: from, Was: was, Is: is})
		u, err := f.elsewhere(ctx, r.Unit.WithFacts(facts, changes), is)
		if err != nil {
			return nil, err
		}
		entries, err := f.store.Entries(ctx, r.Unit)
		if err != nil {
			return nil, err
		}
		accounts := map[string]*ledger.Account{}
		for _, c := range r.Circuits {
			accounts[c.Unit.Address()] = c.Account
		}
		account := ledger.TryFold(u.Ledger, entries)
		accounts[u.Address()] = &account
		after := r.day.evaluatedUnit(u, &account, accounts).Whole
		if after.Verdict != r.Whole.Verdict || !sameDay(after.Governing.Due, r.Whole.Governing.Due) || after.Governing.Kind != r.Whole.Governing.Kind {
			changed = append(changed, StatusChange{Unit: u, Before: r.Whole, After: after})
		}
	}
	slices.SortStableFunc(changed, func(x, y StatusChange) int { return clock.ByUrgency(x.After.Governing, y.After.Governing) })
	return changed, nil
}

// elsewhere is a unit at the site and on the plan that a change names.
func (f *Fleet) elsewhere(ctx context.Context, u store.Unit, is register.Facts) (store.Unit, error) {
	if name := is["plan"]; name != "" {
		plans, err := f.store.ServicePlanRules(ctx)
		if err != nil {
			return u, err
		}
		i := slices.IndexFunc(plans, func(p store.ServicePlan) bool { return p.Name == name })
		if i < 0 {
			return u, refusal.New("/facts/plan", fmt.Sprintf("%q", name), f.namesOf(ctx, "plan"))
		}
		u.Plan, u.Ledger.Replaced = plans[i].Plan, plans[i].Replaced
	}
	if name := is["site"]; name != "" {
		sites, err := f.store.Sites(ctx)
		if err != nil {
			return u, err
		}
		i := slices.IndexFunc(sites, func(s store.Site) bool { return s.Name == name })
		if i < 0 {
			return u, refusal.New("/facts/site", fmt.Sprintf("%q", name), f.namesOf(ctx, string(register.Site)))
		}
		u.Site, u.Cold, u.Zone = name, sites[i].Cold, sites[i].Zone
		u.Others = slices.Clone(u.Others)
		for j := range u.Others {
			u.Others[j].Site, u.Others[j].Cold, u.Others[j].Zone = u.Site, u.Cold, u.Zone
		}
	}
	return u, nil
}

// zeroChecks of an instrument that its record shows.
const zeroChecks = 8

// ZeroHistory of an instrument by its name, the newest first.
func (f *Fleet) ZeroHistory(ctx context.Context, tool string) ([]time.Time, error) {
	return f.store.ZeroHistory(ctx, tool, zeroChecks)
}
