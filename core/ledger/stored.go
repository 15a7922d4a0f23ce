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
// so that the clocks of a fleet need not fold it anew.
type stored struct {
	Balance    Balance
	Charge     coolant.Charge
	Known      bool
	Base       coolant.Base
	Product    *coolant.Product
	Factory    bool
	Mixed      bool
	Blended    []coolant.Product
	Readings   []byte // packed
	LastTest   *TestMark
	Distrusted *TestMark
	OffBook    *TestMark
	Filled     measure.Litre
	Changes    int
	Findings   []Finding
	Defects    []OpenDefect
	Owed       []Owed
	Chemistry  []Chemistry
	Held       *standing
	LaidUp     *standing
	Air        *Turnover
	Begun      time.Time
	Strength   float64
	StartsAt   float64
	Started    bool
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
		Blended: a.Blended, Readings: packReadings(a.Readings), LastTest: a.LastTest, Distrusted: a.Distrusted, OffBook: a.OffBook, Filled: a.Filled,
		Changes: a.Changes, Findings: a.Findings, Defects: a.Defects, Owed: a.Owed, Chemistry: a.Chemistry, Air: a.Air, Begun: a.Begun(),
		Strength: a.strength, StartsAt: a.startsAt, Started: a.started}
	if h := a.Held; h != nil {
		s.Held = &standing{h.ID, h.At, h.RecordedBy, h.Body.(Hold).Why}
	}
	if l := a.LaidUp; l != nil {
		s.LaidUp = &standing{l.ID, l.At, l.RecordedBy, l.Body.(LayUp).Note}
	}
	return json.Marshal(s)
}

// Restore unpacks what [Account.Store] made of an account of u: all that its
// clocks depend on. It has no lines, so nothing can be added to it or explained.
func Restore(u Unit, packed []byte) (Account, error) {
	var s stored
	if err := json.Unmarshal(packed, &s); err != nil {
		return Account{}, fmt.Errorf("stored account of %s: %w", u.Code, err)
	}
	readings, err := unpackReadings(s.Readings)
	if err != nil {
		return Account{}, fmt.Errorf("stored account of %s: %w", u.Code, err)
	}
	a := Account{Unit: u, Balance: s.Balance, Charge: s.Charge, Known: s.Known, Base: s.Base, Product: s.Product, Factory: s.Factory, Mixed: s.Mixed,
		Blended: s.Blended, Readings: readings, LastTest: s.LastTest, Distrusted: s.Distrusted, OffBook: s.OffBook, Filled: s.Filled,
		Changes: s.Changes, Findings: s.Findings, Defects: s.Defects, Owed: s.Owed, Chemistry: s.Chemistry, Air: s.Air,
		strength: s.Strength, startsAt: s.StartsAt, started: s.Started, begun: s.Begun, renewal: -1}
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

// readingSize in bytes: seconds, value, raw value, and which meter.
const readingSize = 8 + 8 + 8 + 2

func packReadings(readings []MeterPoint) []byte {
	b := make([]byte, 0, readingSize*len(readings))
	for _, p := range readings {
		b = binary.BigEndian.AppendUint64(b, uint64(p.At.UnixMicro()))
		b = binary.BigEndian.AppendUint64(b, math.Float64bits(p.Value))
		b = binary.BigEndian.AppendUint64(b, math.Float64bits(p.Raw))
		b = binary.BigEndian.AppendUint16(b, uint16(p.Meter))
	}
	return b
}

func unpackReadings(b []byte) ([]MeterPoint, error) {
	if len(b)%readingSize != 0 {
		return nil, fmt.Errorf("readings of %d bytes are not whole", len(b))
	}
	readings := make([]MeterPoint, 0, len(b)/readingSize)
	for ; len(b) > 0; b = b[readingSize:] {
		readings = append(readings, MeterPoint{At: time.UnixMicro(int64(binary.BigEndian.Uint64(b))).UTC(),
			Value: math.Float64frombits(binary.BigEndian.Uint64(b[8:])), Raw: math.Float64frombits(binary.BigEndian.Uint64(b[16:])),
			Meter: int(binary.BigEndian.Uint16(b[24:]))})
	}
	return readings, nil
}
