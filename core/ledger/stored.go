package ledger

import (
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// stored is what is kept of an account between two entries: all but its lines,
// so that the clocks of a fleet need not fold it anew. What is nought is left out.
type stored struct {
	Balance    Balance              `json:",omitzero"`
	Charge     coolant.Charge       `json:",omitzero"`
	Known      bool                 `json:",omitzero"`
	Base       coolant.Base         `json:",omitzero"`
	Product    *coolant.Product     `json:",omitzero"`
	Factory    bool                 `json:",omitzero"`
	Mixed      bool                 `json:",omitzero"`
	Blended    []coolant.Product    `json:",omitzero"`
	LastTest   *TestMark            `json:",omitzero"`
	Distrusted *TestMark            `json:",omitzero"`
	OffBook    *TestMark            `json:",omitzero"`
	Filled     measure.Litre        `json:",omitzero"`
	Changes    int                  `json:",omitzero"`
	Defects    []OpenDefect         `json:",omitzero"`
	Owed       []Owed               `json:",omitzero"`
	Chemistry  []Chemistry          `json:",omitzero"`
	Held       *standing            `json:",omitzero"`
	LaidUp     *standing            `json:",omitzero"`
	Air        *Turnover            `json:",omitzero"`
	Begun      time.Time            `json:",omitzero"`
	Strength   float64              `json:",omitzero"`
	StartsAt   float64              `json:",omitzero"`
	Started    bool                 `json:",omitzero"`
	Leak       *LeakRate            `json:",omitzero"`
	Zeroed     map[string]time.Time `json:",omitzero"`
	BuiltAt    *time.Time           `json:",omitzero"`
	HoseSince  map[string]time.Time `json:",omitzero"`
	MovedAt    time.Time            `json:",omitzero"`
	LevelAt    time.Time            `json:",omitzero"`
	RefilledAt *time.Time           `json:",omitzero"`
}

// standing is an entry that stands, with its words.
type standing struct {
	ID    string
	At    time.Time
	By    string
	Words string
}

// Store packs the account without its lines.
func (a *Account) Store() ([]byte, error) {
	s := stored{Balance: a.Balance, Charge: a.Charge, Known: a.Known, Base: a.Base, Product: a.Product, Factory: a.Factory, Mixed: a.Mixed,
		Blended: a.Blended, LastTest: a.LastTest, Distrusted: a.Distrusted, OffBook: a.OffBook, Filled: a.Filled,
		Changes: a.Changes, Defects: a.Defects, Owed: a.Owed, Chemistry: a.Chemistry, Air: a.Air, Begun: a.Begun(),
		Strength: a.strength, StartsAt: a.startsAt, Started: a.started, Leak: a.Leak(), Zeroed: a.Zeroed, BuiltAt: a.BuiltAt, HoseSince: a.HoseSince, MovedAt: a.movedAt, LevelAt: a.LevelAt, RefilledAt: a.RefilledAt}
	if h := a.Held; h != nil {
		s.Held = &standing{h.ID, h.At, h.RecordedBy, h.Body.(Hold).Why}
	}
	if l := a.LaidUp; l != nil {
		s.LaidUp = &standing{l.ID, l.At, l.RecordedBy, l.Body.(LayUp).Note}
	}
	text, err := json.Marshal(s)
	// What there is much of stands before it, packed: it would take JSON most of its time.
	return append(a.packed(), text...), err
}

// Restore unpacks what [Account.Store] made of an account of u: all that its
// clocks depend on. It has no lines, so nothing can be added to it or explained.
func Restore(u Unit, packed []byte) (Account, error) {
	var a Account
	rest, err := a.unpack(packed)
	var s stored
	if err == nil {
		err = json.Unmarshal(rest, &s)
	}
	if err != nil {
		return Account{}, fmt.Errorf("stored account of %s: %w", u.Code, err)
	}
	a = Account{Unit: u, Balance: s.Balance, Charge: s.Charge, Known: s.Known, Base: s.Base, Product: s.Product, Factory: s.Factory, Mixed: s.Mixed,
		Blended: s.Blended, Readings: a.Readings, LastTest: s.LastTest, Distrusted: s.Distrusted, OffBook: s.OffBook, Filled: s.Filled,
		Changes: s.Changes, Findings: a.Findings, Defects: s.Defects, Owed: s.Owed, Chemistry: s.Chemistry, Air: s.Air,
		Strengths: a.Strengths, Looks: a.Looks,
		strength: s.Strength, startsAt: s.StartsAt, started: s.Started, begun: s.Begun, leak: s.Leak, Zeroed: s.Zeroed, BuiltAt: s.BuiltAt, HoseSince: s.HoseSince, movedAt: s.MovedAt, LevelAt: s.LevelAt, RefilledAt: s.RefilledAt, renewal: -1}
	if h := s.Held; h != nil {
		a.Held = &Entry{ID: h.ID, At: h.At, RecordedBy: h.By, Body: Hold{Why: h.Words}}
	}
	if l := s.LaidUp; l != nil {
		a.LaidUp = &Entry{ID: l.ID, At: l.At, RecordedBy: l.By, Body: LayUp{Note: l.Words}}
	}
	return a, nil
}

// Begun is when the first thing happened; the zero time for an empty account.
func (a *Account) Begun() time.Time {
	if len(a.Lines) == 0 {
		return a.begun
	}
	return a.Lines[0].Entry.At
}

// Sizes in bytes of what is packed: times in microseconds, figures, which meter.
const (
	readingSize  = 8 + 8 + 8 + 2
	strengthSize = 8 + 8 + 8
	lookSize     = 8
)

// packed are the meter readings, the strengths, the looks and the findings, each
// behind how many there are.
func (a *Account) packed() []byte {
	b := make([]byte, 0, 3*binary.MaxVarintLen64+readingSize*len(a.Readings)+strengthSize*len(a.Strengths)+lookSize*len(a.Looks))
	when := func(t time.Time) { b = binary.BigEndian.AppendUint64(b, uint64(t.UnixMicro())) }
	figure := func(v float64) { b = binary.BigEndian.AppendUint64(b, math.Float64bits(v)) }
	b = binary.AppendUvarint(b, uint64(len(a.Readings)))
	for _, p := range a.Readings {
		when(p.At)
		figure(p.Value)
		figure(p.Raw)
		b = binary.BigEndian.AppendUint16(b, uint16(p.Meter))
	}
	b = binary.AppendUvarint(b, uint64(len(a.Strengths)))
	for _, s := range a.Strengths {
		when(s.At)
		figure(s.Mass)
		figure(s.Sigma)
	}
	b = binary.AppendUvarint(b, uint64(len(a.Looks)))
	for _, t := range a.Looks {
		when(t)
	}
	b = binary.AppendUvarint(b, uint64(len(a.Findings)))
	for _, f := range a.Findings {
		when(f.At)
		for _, word := range []string{f.Point, f.State, string(f.Grade), f.Entry} {
			b = append(binary.AppendUvarint(b, uint64(len(word))), word...)
		}
	}
	return b
}

// unpack what was packed, and tell what stands behind it.
func (a *Account) unpack(b []byte) (rest []byte, err error) {
	take := func(size int) (all []byte, n int) {
		count, used := binary.Uvarint(b)
		if used <= 0 || count > uint64(len(b)-used)/uint64(size) {
			err = fmt.Errorf("%d bytes are not whole", len(b))
			return nil, 0
		}
		all = b[used : used+int(count)*size]
		b = b[used+len(all):]
		return all, int(count)
	}
	when := func(b []byte) time.Time { return time.UnixMicro(int64(binary.BigEndian.Uint64(b))).UTC() }
	figure := func(b []byte) float64 { return math.Float64frombits(binary.BigEndian.Uint64(b)) }
	some, n := take(readingSize)
	a.Readings = make([]MeterPoint, 0, n)
	for ; len(some) > 0; some = some[readingSize:] {
		a.Readings = append(a.Readings, MeterPoint{At: when(some), Value: figure(some[8:]), Raw: figure(some[16:]), Meter: int(binary.BigEndian.Uint16(some[24:]))})
	}
	if err != nil {
		return nil, err
	}
	some, n = take(strengthSize)
	a.Strengths = make([]Strength, 0, n)
	for ; len(some) > 0; some = some[strengthSize:] {
		a.Strengths = append(a.Strengths, Strength{when(some), figure(some[8:]), figure(some[16:])})
	}
	if err != nil {
		return nil, err
	}
	some, n = take(lookSize)
	a.Looks = make([]time.Time, 0, n)
	for ; len(some) > 0; some = some[lookSize:] {
		a.Looks = append(a.Looks, when(some))
	}
	if err != nil {
		return nil, err
	}
	count, used := binary.Uvarint(b)
	if used <= 0 || count > uint64(len(b)) {
		return nil, fmt.Errorf("%d bytes hold no findings", len(b))
	}
	b = b[used:]
	a.Findings = make([]Finding, count)
	for i := range a.Findings {
		f := &a.Findings[i]
		if len(b) < 8 {
			return nil, fmt.Errorf("%d bytes are not whole", len(b))
		}
		f.At, b = when(b), b[8:]
		var words [4]string
		for w := range words {
			length, used := binary.Uvarint(b)
			if used <= 0 || length > uint64(len(b)-used) {
				return nil, fmt.Errorf("%d bytes are not whole", len(b))
			}
			words[w] = string(b[used : used+int(length)])
			b = b[used+int(length):]
		}
		f.Point, f.State, f.Grade, f.Entry = words[0], words[1], coolant.Grade(words[2]), words[3]
	}
	return b, err
}
