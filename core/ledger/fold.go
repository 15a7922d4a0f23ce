package ledger

import (
	"reflect"
	"slices"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Rules is the version of the fold: raised when the same entries come to give
// another account or it is packed otherwise, so that what was stored by older rules
// is computed anew.
const Rules = 12

// Fold computes the account of u from its entries, in whatever order they come.
// Lines that cannot be right are kept, noted, and computed as far as they can
// be; Fold itself never fails. It takes the time of a sort and one step for each
// entry.
func Fold(u Unit, entries []Entry) Account {
	if !slices.IsSortedFunc(entries, Entry.Compare) {
		entries = inOrder(entries)
	}
	a := Account{Unit: u, renewal: -1, Lines: make([]Line, 0, len(entries)+1)}
	a.fromTheBeginning()
	a.Base, a.Filled, a.full = a.Unit.Base, a.Unit.Capacity, a.Unit.Capacity
	for i := range entries {
		if s, ok := entries[i].Body.(Strike); ok {
			a.strike(s.Entry, &entries[i])
		}
	}
	for i := range entries {
		a.reach(entries[i].At)
		a.apply(entries[i])
	}
	a.reachPresent()
	a.settleMeter()
	return a
}

// inOrder is the entries as they happened. It sorts small keys and moves each entry
// once: entries are long, and most differ in time.
func inOrder(entries []Entry) []Entry {
	type key struct {
		at    int64
		index int32
	}
	keys := make([]key, len(entries))
	for i := range entries {
		keys[i] = key{entries[i].At.UnixNano(), int32(i)}
	}
	slices.SortFunc(keys, func(a, b key) int {
		switch {
		case a.at < b.at:
			return -1
		case a.at > b.at:
			return 1
		}
		return entries[a.index].Compare(entries[b.index])
	})
	sorted := make([]Entry, len(entries))
	for i, k := range keys {
		sorted[i] = entries[k.index]
	}
	return sorted
}

// Add is the account with one more entry: without folding anew when the entry
// happened after all others, by folding anew when it takes its place among them or
// strikes one. The account it is called on must not be used afterwards.
func (a Account) Add(e Entry) Account {
	_, strikes := e.Body.(Strike)
	if n := len(a.Lines); strikes || n > 0 && a.Lines[n-1].Entry.Compare(e) > 0 || e.At.Before(a.Unit.lastChange()) {
		return Fold(a.Unit, append(a.Entries(), e))
	}
	a.apply(e)
	a.settleMeter()
	return a
}

// Entries of the account, in the order in which they happened.
func (a *Account) Entries() []Entry {
	entries := make([]Entry, len(a.Lines), len(a.Lines)+1)
	for i := range a.Lines {
		entries[i] = a.Lines[i].Entry
	}
	return entries
}

// strike remembers which entry voids id: the first to happen, of several.
func (a *Account) strike(id string, by *Entry) {
	if a.strikes == nil {
		a.strikes = map[string]*Entry{}
	}
	if _, ok := a.strikes[id]; !ok {
		a.strikes[id] = by
	}
}

func (a *Account) apply(e Entry) {
	a.Lines = append(a.Lines, Line{Entry: e})
	a.lastAt, a.lastID = e.At, e.ID
	line := &a.Lines[len(a.Lines)-1]
	if b, ok := e.Body.(Strike); ok {
		// A strike changes nothing itself: what it voids is left out.
		if !slices.ContainsFunc(a.Lines, func(l Line) bool { return l.Entry.ID == b.Entry }) {
			line.note(NoteStrikesNone)
		}
		return
	}
	if by := a.strikes[e.ID]; by != nil {
		line.Struck = by
		a.clearStrikeNote(by.ID)
		return
	}
	if !Plausible(e) {
		line.note(NoteImplausible)
		line.After = a.Balance
		return
	}
	moved, stood := a.Changes, a.standing()
	if k := byType[reflect.TypeOf(e.Body)]; k != nil && k.apply != nil {
		k.apply(a, line, e.Body)
	}
	if len(a.Pending) > 0 {
		a.settleReturn(line)
	}
	if stands := a.standing(); stood && !stands {
		a.RepairedAt = &line.Entry.At
	} else if stands && !stood {
		a.RepairedAt = nil
	}
	if a.Changes > moved {
		a.movedAt, a.LevelAt = e.At, e.At
	}
	line.After = a.balance(e.At)
	a.Balance = line.After
}

// clearStrikeNote takes back that a strike found nothing: what it voids came
// later in time.
func (a *Account) clearStrikeNote(strike string) {
	for i := range a.Lines {
		if a.Lines[i].Entry.ID == strike {
			a.Lines[i].Notes = slices.DeleteFunc(a.Lines[i].Notes, func(n Note) bool { return n == NoteStrikesNone })
		}
	}
}

func (a *Account) openDefect(l *Line, b Defect) {
	a.Defects = append(slices.Clip(a.Defects), OpenDefect{Defect: b, ID: l.Entry.ID, At: l.Entry.At})
}

func (a *Account) zeroChecked(l *Line, b ZeroCheck) {
	if unusable := l.Entry.Envelope.Unusable; unusable != "" {
		l.note(unusable)
		return
	}
	at := l.Entry.At
	a.zeros = append(slices.DeleteFunc(slices.Clone(a.zeros), func(z zeroed) bool { return z.Tool == b.Tool }), zeroed{b.Tool, at, b.Zero})
	a.zero(b.Tool, at)
}

func (a *Account) hold(l *Line, _ Hold) {
	held := l.Entry
	a.Held = &held
}

func (l *Line) note(n Note) { l.Notes = append(l.Notes, n) }

func (l *Line) impliedLoss(v measure.Litre) {
	l.note(NoteImpliedLoss)
	l.Implied = v
}

func (a *Account) topUp(line *Line, b TopUp) {
	v, err := b.Volume.Metric(measure.Volume)
	if err != nil {
		return
	}
	added, err := a.pour(b.With, b.Product, measure.Litre(v))
	if err != nil {
		line.note(NoteBeyondTable)
		return
	}
	if !a.Known {
		line.note(NoteNotFilled)
		return
	}
	if p := b.Product; p != nil && a.Product != nil && !p.Is(*a.Product) {
		a.blend(line, *p)
	}
	thins := b.With == coolant.Water && a.Product != nil && a.Product.Form == coolant.Premix
	if thins && !a.Needs().OverStrong {
		line.note(NotePremixThinned)
	}
	if b.Inferred {
		line.note(NoteInferred)
	}
	a.pourOn(line, added, b.Product, b.Inferred)
	if b.Inferred && a.Discrepancy != nil {
		a.Discrepancy = nil
	}
	// The air is out when the system was bled again and took what was missing.
	if b.Bled && a.Air != nil && measure.Litre(v) >= a.Air.Short-a.Air.Allowed {
		a.AirSeen, a.AirBy = line.Entry.ID, KindTopUp
	}
	if thins || b.With != coolant.Premix && measure.Litre(v) > correction*a.full {
		a.requireCheck(CheckRetest, line.Entry.At)
		if !b.Inferred {
			a.CorrectedAt = &line.Entry.At
		}
	}
}

// pourOn pours a mixture onto the charge: a product's, or nil for water. What does not fit
// in had gone before.
func (a *Account) pourOn(line *Line, added coolant.Charge, p *coolant.Product, inferred bool) {
	if a.Base == coolant.NoWater && added.Water > 0 {
		line.note(NoteWaterIn)
		a.WaterIn = true
	}
	after, err := a.Charge.Add(added)
	if err != nil {
		line.note(NoteMixedBase)
		a.Mixed = true
		// The volumes still add up; their freeze point is in no table.
		added.Base = a.Charge.Base
		after, _ = a.Charge.Add(added)
	}
	// Contraction makes the exact excess a little less than the volumes say.
	if excess := after.Volume() - a.full; excess > 0.005 {
		switch {
		case a.LevelUnknown == LevelNeverSeen:
			a.leaksCountFrom = line.Entry.At // it was only taken as full: nothing shows that it had been
		case a.settling(line.Entry.At):
			line.impliedLoss(excess)
			line.note(NoteSettling)
			a.leaksCountFrom = line.Entry.At
		default:
			line.impliedLoss(excess)
			if !inferred {
				a.leaked(line.Entry.At, excess, sigmaPoured(excess))
			}
		}
		kept := a.Charge.Remove(excess)
		after = coolant.Charge{Base: after.Base, Glycol: kept.Glycol + added.Glycol, Water: kept.Water + added.Water}
		a.Charge = kept
	}
	a.thinned(float64(added.Volume()), added.MassFraction(), float64(after.Volume()), sigmaCan(p))
	a.age(line.Entry.At, added.Volume())
	if p != nil {
		a.Parts = joined(a.Parts, a.Charge.Glycol, *p, added.Glycol)
	}
	if total := after.Volume(); total > 0 {
		a.replaced(float64(added.Volume() / total))
	}
	a.Charge = after
	a.changed()
	if p != nil {
		a.judgeProduct(line)
	}
}

// settlingDays after a fill in which topping up is no leak: air leaves the last
// pockets, and glycol and water shrink on mixing (common practice).
const settlingDays = 10

// settling reports whether a top-up at t belongs to the fill before it.
func (a *Account) settling(t time.Time) bool {
	return a.RefilledAt != nil && t.Sub(*a.RefilledAt) <= settlingDays*24*time.Hour
}

// correction is the share of the charge from which on water or concentrate is
// no mere topping up: the freeze point is tested again (common practice).
const correction = 0.05

func (a *Account) pour(with coolant.Form, p *coolant.Product, v measure.Litre) (coolant.Charge, error) {
	if with == coolant.Water || p == nil {
		return coolant.PourWater(v)
	}
	return coolant.PourProduct(*p, v)
}

// blend remembers that p is inside besides the main product; the same coolant in
// another form is no blend.
func (a *Account) blend(line *Line, p coolant.Product) {
	if p.Technology == a.Product.Technology && p.Base == a.Product.Base {
		return
	}
	if p.Technology != a.Product.Technology {
		line.note(NoteMixedTech)
	}
	if !slices.ContainsFunc(a.Blended, func(o coolant.Product) bool { return o.Is(p) }) {
		a.Blended = append(slices.Clip(a.Blended), p)
	}
}

// age moves the volume-weighted birth of the charge for v litres added at t.
func (a *Account) age(t time.Time, v measure.Litre) {
	old := a.Charge.Volume()
	if old+v <= 0 || a.meanFilledAt.IsZero() {
		return
	}
	a.meanFilledAt = a.meanFilledAt.Add(time.Duration(float64(t.Sub(a.meanFilledAt)) * float64(v/(old+v))))
}

// changed is called after every change of the charge.
func (a *Account) changed() {
	a.figures.done = false
	a.Changes++
}

func (a *Account) lose(line *Line, b Loss) {
	a.levelSeen = a.levelSeen && a.Known
	if !a.Known {
		line.note(NoteNotFilled)
		return
	}
	v, err := b.Volume.Metric(measure.Volume)
	if err != nil {
		return
	}
	if measure.Litre(v) > a.Charge.Volume()+0.005 {
		line.note(NoteMoreThanBook)
	}
	if b.Cause == "" || b.Cause == "leak" {
		a.leaked(line.Entry.At, measure.Litre(v), sigmaPoured(measure.Litre(v)))
	}
	a.Charge = a.Charge.Remove(measure.Litre(v))
	a.spread(measure.Litre(v))
	a.changed()
}

func (a *Account) requireCheck(what string, since time.Time) {
	a.completeCheck(what)
	a.Pending = append(a.Pending, PendingCheck{What: what, Since: since})
}

func (a *Account) completeCheck(what string) {
	if slices.ContainsFunc(a.Pending, func(o PendingCheck) bool { return o.What == what }) {
		a.Pending = slices.DeleteFunc(slices.Clone(a.Pending), func(o PendingCheck) bool { return o.What == what })
	}
}

// freeze point by book, nil when it is not known.
func (a *Account) freeze() *measure.Celsius {
	if a.computeFigures(); !a.figures.known {
		return nil
	}
	f := a.figures.freeze
	return &f
}

// computeFigures brings the figures of the charge up to date.
func (a *Account) computeFigures() {
	f := &a.figures
	if f.done {
		return
	}
	*f = figures{done: true, litres: a.Charge.Volume()}
	f.glycol = a.Charge.VolumeFraction()
	if !a.Known || a.Mixed || a.Charge.Mass() == 0 {
		return
	}
	if a.Base == coolant.NoWater {
		if p := a.Product; p != nil && p.Freeze != nil && !a.WaterIn {
			f.known, f.freeze, f.low, f.high = true, *p.Freeze, *p.Freeze, *p.Freeze
		}
		return
	}
	t, err := a.Charge.FreezePoint()
	if err != nil {
		// Stronger than the table of PG: it protects at least to its end, and the clock of
		// the strength calls it too strong.
		if _, t, err = coolant.Eutectic(a.Charge.Base); err != nil {
			return
		}
	}
	f.known, f.freeze = true, t
	f.low, f.high = band(a.Base, a.Charge.MassFraction(), 2*a.strength)
}

// ProtectsTo is the temperature to rely on: the freeze point by book, or the
// one measured since the last change when that is warmer. Nil when unknown.
func (a *Account) ProtectsTo() *measure.Celsius {
	f := a.freeze()
	if f == nil || a.Counted == nil || a.Changes > 0 || a.Counted.Measured <= *f {
		return f
	}
	m := a.Counted.Measured
	if cold := a.Counted.Cold; cold != nil {
		// A bracket says no more than that it is between its ends.
		m = max(*f, *cold)
	}
	return &m
}

// Sigma is the standard uncertainty of the litres by book.
func (a *Account) Sigma() measure.Litre { return measure.Litre(a.volume) }

func (a *Account) balance(at time.Time) Balance {
	b := Balance{RenewedAt: a.Balance.RenewedAt}
	a.computeFigures()
	if a.Known {
		// One allocation for all of a line's figures.
		f := &struct {
			figures
			age time.Duration
		}{figures: a.figures}
		if a.LevelUnknown != LevelNeverSeen {
			b.Litres = &f.litres
		}
		if a.Base != coolant.NoWater {
			b.Glycol = &f.glycol
		}
		if f.known {
			b.Freeze, b.Low, b.High = &f.freeze, &f.low, &f.high
		}
		if !a.meanFilledAt.IsZero() {
			f.age = at.Sub(a.meanFilledAt)
			b.MeanAge = &f.age
		}
	}
	return b
}
