// Package ledger is the account of one unit: the kinds of entry, and the fold
// that turns a unit's entries into what its books say is in the system.
//
// # Invariants
//
// Entries are facts with a date. The fold takes them in the order in which they
// happened (time, then id), never in the order in which they arrived, so that
// two people who send their lines late and out of order get the same account.
// Folding changes no entry and reads no clock.
//
// The book's volume stays between nothing and the larger of the unit's capacity
// and its last fill. A top-up that would go beyond was poured into a system that
// had lost that much first; the loss is reckoned at the strength of the time.
package ledger

import (
	"fmt"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Kind names what happened.
type Kind string

// The kinds of entry.
const (
	KindFill       Kind = "fill"
	KindTopUp      Kind = "top_up"
	KindLoss       Kind = "loss"
	KindFreezeTest Kind = "freeze_test"
	KindMeter      Kind = "meter"
)

// Entry is one line of the books. It is never changed once written.
type Entry struct {
	ID         string    // UUID version 7, made by whoever wrote it
	Unit       string    // the unit's code
	At         time.Time // when it happened
	RecordedAt time.Time // when the books took it in
	RecordedBy string
	Body       Body
}

// Body is what happened, by kind.
type Body interface {
	Kind() Kind
	// Reading is the one figure that was read or measured, as it was read.
	Reading() (measure.Reading, measure.Dimension)
}

// Fill is a renewal: the system was emptied and filled.
type Fill struct {
	Volume  measure.Reading `json:"volume"` // of the finished mixture
	Product coolant.Product `json:"product"`
	// Share of concentrate by volume before mixing, in per cent; nil for premix.
	Share *float64 `json:"share,omitempty"`
	// Factory is a charge the unit came with: the first interval runs.
	Factory bool `json:"factory,omitempty"`
	// Meter as read at the renewal, if it was.
	Meter *measure.Reading `json:"meter,omitempty"`
}

// TopUp is coolant or water poured into a system in use.
type TopUp struct {
	Volume measure.Reading `json:"volume"`
	With   coolant.Form    `json:"with"`
	// Product is nil for water only.
	Product *coolant.Product `json:"product,omitempty"`
}

// Loss is coolant that left: a leak, a spill, a drained sample.
type Loss struct {
	Volume measure.Reading `json:"volume"`
	Note   string          `json:"note,omitempty"`
}

// FreezeTest is a freeze point read with a refractometer.
type FreezeTest struct {
	Temperature measure.Reading `json:"temperature"`
	Instrument  string          `json:"instrument"`
	Scale       coolant.Base    `json:"scale"` // the scale the line was read on
}

// Refractometer is the one instrument this package knows so far.
const Refractometer = "refractometer"

// Meter is an odometer or hour meter as it stood.
type Meter struct {
	Meter measure.Reading `json:"meter"`
}

// Kind of the entry.
func (Fill) Kind() Kind { return KindFill }

// Kind of the entry.
func (TopUp) Kind() Kind { return KindTopUp }

// Kind of the entry.
func (Loss) Kind() Kind { return KindLoss }

// Kind of the entry.
func (FreezeTest) Kind() Kind { return KindFreezeTest }

// Kind of the entry.
func (Meter) Kind() Kind { return KindMeter }

// Reading is the filled volume.
func (b Fill) Reading() (measure.Reading, measure.Dimension) { return b.Volume, measure.Volume }

// Reading is the volume poured in.
func (b TopUp) Reading() (measure.Reading, measure.Dimension) { return b.Volume, measure.Volume }

// Reading is the volume lost.
func (b Loss) Reading() (measure.Reading, measure.Dimension) { return b.Volume, measure.Volume }

// Reading is the freeze point read.
func (b FreezeTest) Reading() (measure.Reading, measure.Dimension) {
	return b.Temperature, measure.Temperature
}

// Reading is the meter.
func (b Meter) Reading() (measure.Reading, measure.Dimension) {
	return b.Meter, meterDimension(b.Meter)
}

func meterDimension(r measure.Reading) measure.Dimension {
	if r.Unit.Dimension() == measure.EngineTime {
		return measure.EngineTime
	}
	return measure.Distance
}

// Unit is what the fold must know of the unit whose account it is.
type Unit struct {
	Code     string
	Capacity measure.Litre
	Base     coolant.Base      // what the register says is inside; empty when nobody knows
	Meter    measure.Dimension // Distance, EngineTime, or empty for a unit without a meter
}

// FieldError says what is wrong with one field of an entry, for the person who
// has to put it right.
type FieldError struct {
	Field    string // JSON pointer into the entry, such as /topUp/volume/value
	Got      string
	Accepted string
}

func (e *FieldError) Error() string {
	return fmt.Sprintf("%s: %s is not accepted; accepted: %s", e.Field, e.Got, e.Accepted)
}
