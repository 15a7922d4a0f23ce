package ledger

import (
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// DatedFacts are the facts of a unit that may be others from a day on, as after another radiator
// was fitted. Each is as in [Unit].
type DatedFacts struct {
	Capacity                 measure.Litre
	Base                     coolant.Base
	Cap                      measure.Kilopascal
	Tank                     measure.Litre
	Marks                    float64
	WetLiners                bool
	Metal                    coolant.Metal
	SilicateFree, PremixOnly bool
	Required                 coolant.Technology
	Listed                   []string
	Figures                  coolant.Figures
}

// EarlierFacts held until a moment.
type EarlierFacts struct {
	Until time.Time
	Facts DatedFacts
}

// Dated facts of the unit as they are now.
func (u Unit) Dated() DatedFacts {
	return DatedFacts{u.Capacity, u.Base, u.Cap, u.Tank, u.Marks, u.WetLiners, u.Metal, u.SilicateFree, u.PremixOnly, u.Required, u.Listed, u.Figures}
}

// WithDated is the unit with other dated facts.
func (u Unit) WithDated(f DatedFacts) Unit {
	u.Capacity, u.Base, u.Cap, u.Tank, u.Marks, u.WetLiners = f.Capacity, f.Base, f.Cap, f.Tank, f.Marks, f.WetLiners
	u.Metal, u.SilicateFree, u.PremixOnly, u.Required, u.Listed, u.Figures = f.Metal, f.SilicateFree, f.PremixOnly, f.Required, f.Listed, f.Figures
	return u
}

// factsAhead are what a fold has still to come to: of a unit whose facts have changed.
type factsAhead struct {
	present DatedFacts
	passed  int // of Unit.Earlier
}

// lastChange is when the facts of the unit changed last; the zero time for never. What happened
// before it is folded with the facts of its time.
func (u Unit) lastChange() time.Time {
	if n := len(u.Earlier); n > 0 {
		return u.Earlier[n-1].Until
	}
	return time.Time{}
}

// fromTheBeginning makes the unit what it was at first.
func (a *Account) fromTheBeginning() {
	if len(a.Unit.Earlier) > 0 {
		a.ahead = &factsAhead{present: a.Unit.Dated()}
		a.Unit = a.Unit.WithDated(a.Unit.Earlier[0].Facts)
	}
}

// reach a moment: the facts in effect by then hold. What is inside is what was poured in, whatever
// the register says from now on: a charge that is known keeps its volume and its glycol.
func (a *Account) reach(at time.Time) {
	for a.ahead != nil && !at.Before(a.Unit.Earlier[a.ahead.passed].Until) {
		a.change()
	}
}

// reachPresent after the last entry: the facts of today hold.
func (a *Account) reachPresent() {
	for a.ahead != nil {
		a.change()
	}
}

func (a *Account) change() {
	facts, passed := a.ahead.present, a.ahead.passed+1
	if passed < len(a.Unit.Earlier) {
		facts = a.Unit.Earlier[passed].Facts
		a.ahead = &factsAhead{a.ahead.present, passed}
	} else {
		a.ahead = nil
	}
	a.Unit = a.Unit.WithDated(facts)
	if !a.Known {
		a.Filled, a.Base = facts.Capacity, facts.Base
	}
	a.full = max(facts.Capacity, a.Charge.Volume())
	if a.Known {
		a.full = max(a.full, a.Filled)
	}
	a.figures.done = false
}
