// Package books answers what the screens ask: it fetches entries from the
// store, lets the core fold and forecast them, and hands the result on. It
// holds no rule of its own.
package books

import (
	"context"
	"errors"
	"slices"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/forecast"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/store"
)

// Writer is who writes an entry.
type Writer struct {
	Name string
	Role ledger.Role
}

// Books is safe for concurrent use.
type Books struct {
	store *store.Store
	now   func() time.Time // in the fleet's time zone
}

// New books over a store. now is the clock, in the fleet's own time zone.
func New(s *store.Store, now func() time.Time) *Books { return &Books{store: s, now: now} }

// Moment is an account with its clocks, as of today.
type Moment struct {
	Unit    store.Unit
	Account ledger.Account
	Outlook forecast.Outlook
	Today   time.Time
}

func (b *Books) moment(u store.Unit, entries []ledger.Entry, today time.Time) Moment {
	return b.standing(u, ledger.Fold(u.Ledger, entries), today)
}

func (b *Books) standing(u store.Unit, account ledger.Account, today time.Time) Moment {
	return Moment{Unit: u, Account: account, Outlook: forecast.Look(&account, u.Plan, u.Cold, today), Today: today}
}

// Account of one unit. It returns [store.ErrNoUnit] for an unknown code.
func (b *Books) Account(ctx context.Context, code string) (Moment, error) {
	u, err := b.store.Unit(ctx, code)
	if err != nil {
		return Moment{}, err
	}
	entries, err := b.store.Entries(ctx, u)
	if err != nil {
		return Moment{}, err
	}
	return b.moment(u, entries, b.today()), nil
}

// Today in the fleet's own time zone.
func (b *Books) Today() time.Time { return b.today() }

func (b *Books) today() time.Time { return forecast.Day(b.now()) }

// Morning is every unit, soonest due first.
type Morning struct {
	Today time.Time
	Rows  []Moment
	// Coldest of the sites tonight; nil without sites.
	Coldest *Night
}

// Night is a site and the cold to be reckoned with there.
type Night struct {
	Site    string
	Celsius measure.Celsius
}

// Morning reckons the clocks of the whole fleet from its stored accounts, which
// have no lines.
func (b *Books) Morning(ctx context.Context) (Morning, error) {
	units, err := b.store.Units(ctx)
	if err != nil {
		return Morning{}, err
	}
	accounts, _, err := b.store.Accounts(ctx, units)
	if err != nil {
		return Morning{}, err
	}
	m := Morning{Today: b.today()}
	for _, u := range units {
		m.Rows = append(m.Rows, b.standing(u, accounts[u.Code], m.Today))
		if t := u.Cold.On(m.Today); m.Coldest == nil || t < m.Coldest.Celsius {
			m.Coldest = &Night{Site: u.Site, Celsius: t}
		}
	}
	slices.SortStableFunc(m.Rows, func(x, y Moment) int {
		return forecast.ByUrgency(x.Outlook.Governing, y.Outlook.Governing)
	})
	return m, nil
}

// Find units by part of their code or name.
func (b *Books) Find(ctx context.Context, text string, limit int) ([]store.UnitName, error) {
	return b.store.Find(ctx, text, limit)
}

// Products that may be poured in.
func (b *Books) Products(ctx context.Context) ([]coolant.Product, error) {
	return b.store.Products(ctx)
}

// Ready reports whether the books can be opened.
func (b *Books) Ready(ctx context.Context) error { return b.store.Ready(ctx) }

// Refusal lists what is wrong with an entry, field by field.
type Refusal struct{ Fields []*ledger.FieldError }

func (r *Refusal) Error() string {
	text := ""
	for i, f := range r.Fields {
		if i > 0 {
			text += "; "
		}
		text += f.Error()
	}
	return text
}

func (b *Books) check(u store.Unit, w Writer) func(ledger.Entry, []ledger.Entry) error {
	return func(e ledger.Entry, written []ledger.Entry) error {
		var struck *ledger.Entry
		if s, ok := e.Body.(ledger.Strike); ok {
			if i := slices.IndexFunc(written, func(o ledger.Entry) bool { return o.ID == s.Entry }); i >= 0 {
				struck = &written[i]
			}
		}
		if f := ledger.MayWrite(w.Role, w.Name, u.Ledger, e.Body, struck); f != nil {
			return &Forbidden{f}
		}
		if fields := ledger.Check(u.Ledger, written, e, b.now()); len(fields) > 0 {
			return &Refusal{Fields: fields}
		}
		return nil
	}
}

// Forbidden says that the writer's role may not write such an entry.
type Forbidden struct{ *ledger.FieldError }

// Product of that code; [store.ErrNoProduct] when there is none.
func (b *Books) Product(ctx context.Context, code string) (coolant.Product, error) {
	return b.store.Product(ctx, code)
}

// Write entries into the books of their unit, all or none. It returns a
// [Refusal] when one cannot be right, [Forbidden], [store.ErrNoUnit] or
// [store.ErrOtherEntry].
func (b *Books) Write(ctx context.Context, w Writer, code string, entries ...ledger.Entry) ([]store.Receipt, error) {
	u, err := b.store.Unit(ctx, code)
	if err != nil {
		return nil, err
	}
	for i := range entries {
		entries[i].RecordedBy = w.Name
	}
	return b.store.Append(ctx, u, entries, b.check(u, w))
}

// Effect of entries that are not written yet.
type Effect struct {
	Before, After Moment
	Line          int // of the last of them, among the lines after
}

// Preview tells what entries would do, with the same refusals as Write.
func (b *Books) Preview(ctx context.Context, w Writer, code string, entries ...ledger.Entry) (Effect, error) {
	before, err := b.Account(ctx, code)
	if err != nil {
		return Effect{}, err
	}
	written := before.Account.Entries()
	check := b.check(before.Unit, w)
	for _, e := range entries {
		e.RecordedBy = w.Name
		if err := check(e, written); err != nil {
			return Effect{}, err
		}
		written = append(written, e)
	}
	effect := Effect{Before: before, After: b.moment(before.Unit, written, before.Today)}
	last := entries[len(entries)-1].ID
	effect.Line = slices.IndexFunc(effect.After.Account.Lines, func(l ledger.Line) bool { return l.Entry.ID == last })
	return effect, nil
}

// PlanEffect is what a changed plan would do to one unit on it.
type PlanEffect struct {
	Unit          store.Unit
	Before, After forecast.Outlook
}

// PreviewPlan tells which units on the plan would stand otherwise, the worst
// first; a [Refusal] when the plan cannot be meant.
func (b *Books) PreviewPlan(ctx context.Context, id int64, p forecast.Plan) ([]PlanEffect, error) {
	if fields := forecast.CheckPlan(p); len(fields) > 0 {
		return nil, &Refusal{Fields: fields}
	}
	m, err := b.Morning(ctx)
	if err != nil {
		return nil, err
	}
	var changed []PlanEffect
	for _, r := range m.Rows {
		if r.Unit.PlanID != id {
			continue
		}
		account := r.Account
		if p.Replaced != r.Unit.Plan.Replaced {
			entries, err := b.store.Entries(ctx, r.Unit)
			if err != nil {
				return nil, err
			}
			u := r.Unit.Ledger
			u.Replaced = p.Replaced
			account = ledger.Fold(u, entries)
		}
		after := forecast.Look(&account, p, r.Unit.Cold, m.Today)
		if after.Verdict != r.Outlook.Verdict || !sameDay(after.Governing.Due, r.Outlook.Governing.Due) || after.Governing.Kind != r.Outlook.Governing.Kind {
			changed = append(changed, PlanEffect{Unit: r.Unit, Before: r.Outlook, After: after})
		}
	}
	slices.SortStableFunc(changed, func(x, y PlanEffect) int { return forecast.ByUrgency(x.After.Governing, y.After.Governing) })
	return changed, nil
}

func sameDay(a, b *time.Time) bool { return (a == nil) == (b == nil) && (a == nil || a.Equal(*b)) }

// Plans of the register.
func (b *Books) Plans(ctx context.Context) ([]store.Plan, error) { return b.store.Plans(ctx) }

// SavePlan changes a plan, or adds one when id is 0; a [Refusal] when it cannot be
// meant.
func (b *Books) SavePlan(ctx context.Context, id int64, p forecast.Plan) (int64, error) {
	if fields := forecast.CheckPlan(p); len(fields) > 0 {
		return 0, &Refusal{Fields: fields}
	}
	var err error
	if id == 0 {
		id, err = b.store.AddPlan(ctx, p)
	} else {
		err = b.store.SetPlan(ctx, id, p)
	}
	if errors.Is(err, store.ErrTaken) {
		return 0, &Refusal{Fields: []*ledger.FieldError{{Field: "/name", Got: p.Name + ", the name of another plan,", Accepted: "a name of its own"}}}
	}
	return id, err
}

// PutOnPlan moves a unit to another plan.
func (b *Books) PutOnPlan(ctx context.Context, code string, plan int64) error {
	return b.store.PutOnPlan(ctx, code, plan)
}
