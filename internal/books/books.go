// Package books answers what the screens ask: it fetches entries from the
// store, lets the core fold and forecast them, and hands the result on. It
// holds no rule of its own.
package books

import (
	"context"
	"slices"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/forecast"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/store"
)

// Recorder is the name on every entry until people sign in.
const Recorder = "workshop"

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
	account := ledger.Fold(u.Ledger, entries)
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

// Morning folds the whole fleet.
func (b *Books) Morning(ctx context.Context) (Morning, error) {
	units, err := b.store.Units(ctx)
	if err != nil {
		return Morning{}, err
	}
	entries, err := b.store.EntriesOf(ctx, units)
	if err != nil {
		return Morning{}, err
	}
	m := Morning{Today: b.today()}
	for _, u := range units {
		m.Rows = append(m.Rows, b.moment(u, entries[u.Code], m.Today))
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

func (b *Books) check(u store.Unit, e ledger.Entry) func([]ledger.Entry) error {
	return func(written []ledger.Entry) error {
		if fields := ledger.Check(u.Ledger, written, e, b.now()); len(fields) > 0 {
			return &Refusal{Fields: fields}
		}
		return nil
	}
}

// Product of that code; [store.ErrNoProduct] when there is none.
func (b *Books) Product(ctx context.Context, code string) (coolant.Product, error) {
	return b.store.Product(ctx, code)
}

// Write an entry into the books of its unit. It returns a [Refusal] when the
// entry cannot be right, [store.ErrNoUnit] or [store.ErrOtherEntry].
func (b *Books) Write(ctx context.Context, e ledger.Entry) (store.Receipt, error) {
	u, err := b.store.Unit(ctx, e.Unit)
	if err != nil {
		return store.Receipt{}, err
	}
	e.RecordedBy = Recorder
	return b.store.Append(ctx, u, e, b.check(u, e))
}

// Effect of an entry that is not written yet.
type Effect struct {
	Before, After Moment
	Line          ledger.Line
}

// Preview tells what an entry would do, with the same refusals as Write.
func (b *Books) Preview(ctx context.Context, e ledger.Entry) (Effect, error) {
	before, err := b.Account(ctx, e.Unit)
	if err != nil {
		return Effect{}, err
	}
	written := make([]ledger.Entry, 0, len(before.Account.Lines)+1)
	for _, l := range before.Account.Lines {
		written = append(written, l.Entry)
	}
	if err := b.check(before.Unit, e)(written); err != nil {
		return Effect{}, err
	}
	after := b.moment(before.Unit, append(written, e), before.Today)
	effect := Effect{Before: before, After: after}
	for _, l := range after.Account.Lines {
		if l.Entry.ID == e.ID {
			effect.Line = l
		}
	}
	return effect, nil
}
