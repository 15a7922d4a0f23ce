package ledger

import (
	"fmt"
	"maps"
	"slices"
	"time"

	"diligentledger/core/measure"
)

// continuation is what a stored account must know beside its figures to take one more entry.
type continuation struct {
	_ struct{} `cbor:",toarray"`

	LastAt       time.Time
	LastID       string
	Count        int      // entries
	Struck       []string // ids that a strike names, sorted
	Volume       float64
	MeanFilledAt time.Time
	Full         measure.Litre
	Leaks        []storedLeak
	CountFrom    time.Time
	HeldAt       time.Time
	Repaired     bool
	Zeros        []zeroed
	UsesFrom     time.Time
	CapEffective *measure.Kilopascal
	LevelSeen    bool
}

type storedLeak struct {
	_      struct{} `cbor:",toarray"`
	At     time.Time
	Litres measure.Litre
	Sigma  float64
}

func (a *Account) continuation() continuation {
	n := continuation{LastAt: a.lastAt, LastID: a.lastID, Count: a.Written(), Struck: slices.Sorted(maps.Keys(a.strikes)), Volume: a.volume,
		MeanFilledAt: a.meanFilledAt, Full: a.full, CountFrom: a.leaksCountFrom, HeldAt: a.levelHeldAt, Repaired: a.repaired, Zeros: a.zeros,
		UsesFrom: a.usesFrom, CapEffective: a.capEffective, LevelSeen: a.levelSeen}
	for _, l := range a.leaks {
		n.Leaks = append(n.Leaks, storedLeak{At: l.at, Litres: l.litres, Sigma: l.sigma})
	}
	return n
}

func (n continuation) restore(a *Account) {
	a.restored, a.lastAt, a.lastID, a.earlier = true, n.LastAt, n.LastID, n.Count
	a.volume, a.meanFilledAt, a.full = n.Volume, n.MeanFilledAt, n.Full
	a.leaksCountFrom, a.levelHeldAt, a.repaired, a.zeros, a.usesFrom, a.capEffective, a.levelSeen = n.CountFrom, n.HeldAt, n.Repaired, n.Zeros, n.UsesFrom, n.CapEffective, n.LevelSeen
	for _, l := range n.Leaks {
		a.leaks = append(a.leaks, leaked{l.At, l.Litres, l.Sigma})
	}
	if len(n.Struck) > 0 {
		a.strikes = make(map[string]*Entry, len(n.Struck))
		for _, id := range n.Struck {
			a.strikes[id] = nil
		}
	}
}

// Written is the number of entries of the account, struck ones included.
func (a *Account) Written() int { return a.earlier + len(a.Lines) }

// Continue is a restored account with one more entry, as a fold of all entries gives it, in time
// that does not grow with the lines; its only line is the new one. False when it takes the
// entries themselves: the entry strikes or was struck, happened before the last one or before the unit's facts changed last, names
// another entry or an instrument's earlier chart, or book and test disagree before or after it.
func (a *Account) Continue(e Entry) (*Account, bool) {
	if !a.restored || a.Failure != "" || a.Discrepancy != nil || a.lastAt.IsZero() != (a.lastID == "") {
		return nil, false
	}
	if c := e.At.Compare(a.lastAt); c < 0 || c == 0 && e.ID <= a.lastID {
		return nil, false
	}
	if _, struck := a.strikes[e.ID]; struck || e.At.Before(a.Unit.lastChange()) {
		return nil, false
	}
	switch b := e.Body.(type) {
	case Strike, DefectClosed, UnreadableBody:
		return nil, false
	case FreezeTest:
		if b.Instrument == DiscTester {
			return nil, false
		}
	}
	c := a.snapshot()
	c.restored, c.leak, c.diagnosis = false, nil, nil
	c.MeterLog, c.Second = a.MeterLog.continued(), a.Second.continued()
	c.apply(e)
	c.settleMeter()
	if c.Discrepancy != nil {
		return nil, false
	}
	return c, true
}

// History is what a new entry is checked against: the account before it and after it.
type History struct {
	Unit Unit
	// entries that are written; nil when the account was continued without them.
	entries       []Entry
	continued     bool
	before, after *Account
	of            Entry // that after is of
}

// HistoryOf the entries that are written.
func HistoryOf(u Unit, written []Entry) *History { return &History{Unit: u, entries: written} }

// Following is the history of an account whose entries are written, with e after it: in a step where
// e happened after all others, see [Account.Add]. The account is left as it is.
func Following(a *Account, written []Entry, e Entry) *History {
	after := a.snapshot().Add(e)
	return &History{Unit: a.Unit, entries: written, before: a, after: &after, of: e}
}

// Continued is the history of a restored account that [Account.Continue] can add e to; false
// when it takes the entries.
func Continued(a *Account, e Entry) (h *History, ok bool) {
	defer func() {
		if recover() != nil {
			h, ok = nil, false // the fold of all entries says what is wrong
		}
	}()
	after, ok := a.Continue(e)
	if !ok || after.finite() != nil {
		return nil, false
	}
	return &History{Unit: a.Unit, before: a, after: after, of: e, continued: true}, true
}

// Before the entry: the account of all that is written.
func (h *History) Before() *Account {
	if h.before == nil {
		a := Fold(h.Unit, h.entries)
		h.before = &a
	}
	return h.before
}

// After the entry: the account with it.
func (h *History) After(e Entry) *Account {
	if h.after == nil || h.of.ID != e.ID {
		var a Account
		if h.continued {
			a = Unevaluated(h.Unit, nil, fmt.Errorf("entry %s is not the one that the account was continued with", e.ID))
		} else {
			a = Fold(h.Unit, append(slices.Clip(h.entries), e))
		}
		h.after, h.of = &a, e
	}
	return h.after
}

// Entries that are written; nil for a continued account.
func (h *History) Entries() []Entry { return h.entries }

// With the entry written; of a history that has its entries.
func (h *History) With(e Entry) *History {
	return &History{Unit: h.Unit, entries: append(slices.Clip(h.entries), e), before: h.After(e)}
}

// EvaluatedBefore and EvaluatedAfter are the accounts before and after the entry, and say in
// Failure when they cannot be evaluated.
func (h *History) EvaluatedBefore() *Account { return h.tried(h.Before, nil) }

// EvaluatedAfter is the account with the entry, see [History.EvaluatedBefore].
func (h *History) EvaluatedAfter(e Entry) *Account {
	return h.tried(func() *Account { return h.After(e) }, []Entry{e})
}

func (h *History) tried(fold func() *Account, more []Entry) *Account {
	if h.continued {
		return fold() // continued: seen to be finite
	}
	a := try(h.Unit, append(slices.Clip(h.entries), more...), fold)
	return &a
}
