// Package ledger is the account of one unit: the kinds of entry, and the fold
// that turns a unit's entries into what its books say is in the system.
//
// # Invariants
//
// Entries are facts with a date. The fold takes them in the order in which they
// happened (time, then id), never in the order in which they arrived, so that
// two people who send their lines late and out of order get the same account.
// Folding changes no entry and reads no clock. An entry that is struck counts
// as if it had never been, whether the strike arrived before it or after.
//
// The book's volume stays between nothing and the larger of the unit's capacity
// and its last fill. A top-up that would go beyond was poured into a system that
// had lost that much first; the loss is computed at the strength of the time.
package ledger

import (
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Kind names what happened.
type Kind string

// The kinds of entry.
const (
	KindOpening      Kind = "opening"
	KindRenewal      Kind = "renewal"
	KindTopUp        Kind = "top_up"
	KindLoss         Kind = "loss"
	KindFreezeTest   Kind = "freeze_test"
	KindChemistry    Kind = "chemistry_test"
	KindDose         Kind = "dose"
	KindExtender     Kind = "extender"
	KindFilter       Kind = "additive_filter"
	KindCapTest      Kind = "cap_test"
	KindHoseCheck    Kind = "hose_check"
	KindPressureTest Kind = "pressure_test"
	KindLevelCheck   Kind = "level_check"
	KindInspection   Kind = "inspection"
	KindDefect       Kind = "defect_opened"
	KindDefectClosed Kind = "defect_closed"
	KindMeter        Kind = "meter"
	KindMeterChange  Kind = "meter_change"
	KindZeroCheck    Kind = "zero_check"
	KindLayUp        Kind = "lay_up"
	KindReturn       Kind = "return"
	KindHold         Kind = "hold"
	KindRelease      Kind = "release"
	KindRawWater     Kind = "raw_water"
	KindCombustion   Kind = "combustion_test"
	KindNote         Kind = "note"
	KindStrike       Kind = "strike"
)

// Entry is one line of the books. It is never changed once written.
type Entry struct {
	ID         string    // UUID version 7, made by the person who wrote it
	Unit       string    // the unit's code
	At         time.Time // when it happened
	RecordedAt time.Time // when the books took it in
	RecordedBy string    // the name of the day
	// RecordedByID is the person, 0 when not known.
	RecordedByID int64
	Envelope     Envelope
	Body         Body
	// Confirmed: the writer has confirmed what [Check] asked. It is no part of the books.
	Confirmed bool
}

// Compare orders entries as they happened: by time, then by id.
func (e Entry) Compare(o Entry) int {
	if c := e.At.Compare(o.At); c != 0 {
		return c
	}
	switch {
	case e.ID < o.ID:
		return -1
	case e.ID > o.ID:
		return 1
	}
	return 0
}

// Body is what happened: one of the types of [kinds], or [UnreadableBody].
type Body any

// Kind of the entry.
func (e Entry) Kind() Kind { return KindOf(e.Body) }

// Unit is what the fold must know of the unit whose account it is.
type Unit struct {
	Code     string
	Kind     string // car, truck, motorcycle, boat, aircraft; empty when it is not known
	Capacity measure.Litre
	Base     coolant.Base      // what the register says is inside; empty when it is not known
	Meter    measure.Dimension // Distance, EngineTime, or empty for a unit without a meter
	// Second meter of the unit, of the other dimension; empty for none.
	Second measure.Dimension `json:",omitempty"`
	// Circuit whose account it is; empty for that of a unit with one.
	Circuit Circuit `json:",omitempty"`
	// Further circuit of the unit: what belongs to the unit is in the account of the first one.
	Further bool `json:",omitempty"`
	// Cap is the rated opening pressure over ambient, 0 when it is not known.
	Cap measure.Kilopascal
	// Tank is what a millimetre of level in the expansion tank holds, L; 0 when
	// it is not known.
	Tank measure.Litre
	// Marks is the distance between the cold marks of the tank, mm; 0 when it is
	// not known. Without it a level in millimetres is not judged.
	Marks float64
	// Scales are the glycols that refractometers at the unit's site can show; empty
	// when it is not known.
	Scales []coolant.Base
	// Replaced is the share of the charge, 0 to 1, from which on a partial
	// drain-and-fill counts as a renewal; [DefaultReplaced] when 0.
	Replaced  float64
	WetLiners bool // wet-liner diesel: needs nitrite or molybdate
	Aircraft  bool // released by a licensed signatory only
	// RawWater side of a boat that takes in water from outside: Yes or No; empty when it is not
	// known.
	RawWater string `json:",omitempty"`
	// Metal that the coolant wets; empty when it is not known.
	Metal coolant.Metal
	// SilicateFree seals, PremixOnly system, Required technology and Listed products (by
	// their codes) are the maker's.
	SilicateFree, PremixOnly bool
	Required                 coolant.Technology
	Listed                   []string
	// Figures that the unit's maker states in place of the limits of package coolant.
	Figures coolant.Figures
	// CapacityCommon: the capacity is a common value of units of its type, not the unit's own.
	CapacityCommon bool `json:",omitempty"`
	// Earlier facts, the earliest first, where any of them is another one since a day.
	Earlier []EarlierFacts `json:",omitempty"`
}

// Yes and No, of what may also not be known.
const (
	Yes = "yes"
	No  = "no"
)

// DefaultReplaced is the share of the charge that must be new for a renewal
// (common practice).
const DefaultReplaced = 0.6

func (u Unit) replaced() float64 {
	if u.Replaced > 0 {
		return u.Replaced
	}
	return DefaultReplaced
}
