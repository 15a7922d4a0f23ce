package ledger

import (
	"slices"
	"time"

	"diligentledger/core/usage"
)

// Circuit of a unit, as a code that is also its name. Each has an account of its own: its capacity, product, cap,
// clocks and chain. Meters and lay-up belong to the unit, and are in the account of its first
// circuit ([OfUnit]). docs/decisions/0033-circuits.md.
type Circuit string

// The circuits.
const (
	EngineCircuit     Circuit = "engine"
	PortCircuit       Circuit = "port"       // engine of a boat, to the left looking ahead
	StarboardCircuit  Circuit = "starboard"  // engine of a boat, to the right looking ahead
	InverterCircuit   Circuit = "inverter"   // power electronics and motor of a hybrid or electric drive
	BatteryCircuit    Circuit = "battery"    // of the drive
	ChargeAirCircuit  Circuit = "charge-air" // low-temperature circuit of the charge-air cooler
	RearHeaterCircuit Circuit = "rear-heater"
)

// Circuits in the order in which they are offered.
var Circuits = []Circuit{EngineCircuit, PortCircuit, StarboardCircuit, InverterCircuit, BatteryCircuit, ChargeAirCircuit, RearHeaterCircuit}

// Electric reports whether high-voltage parts are cooled by the circuit.
func (c Circuit) Electric() bool { return c == InverterCircuit || c == BatteryCircuit }

// ofUnit are the kinds of entry that belong to the unit and not to one of its circuits.
var ofUnit = []Kind{KindMeter, KindMeterChange, KindLayUp, KindReturn}

// OfUnit reports whether an entry of this kind belongs to the unit: it is written into the
// account of the unit's first circuit.
func OfUnit(k Kind) bool { return slices.Contains(ofUnit, k) }

// WithUnit is the account of a further circuit together with what belongs to its unit: the
// meters and the lay-up, as the account of the unit's first circuit has them. a and first are
// left as they are; the result is for evaluating, not for storing or continuing. Where the first
// account cannot be evaluated, its meters are not known: what stops this circuit still does.
func (a *Account) WithUnit(first *Account) *Account {
	if first.Failure != "" {
		first = &Account{}
	}
	c := a.snapshot()
	c.LaidUp, c.Rests = first.LaidUp, first.Rests
	// The leak of a further circuit is by its own account, stored or folded: per month.
	c.leak, c.leakKept = a.Leak(), true
	c.MeterLog, c.Second = first.MeterLog.read(a.usesFrom), first.Second.read(a.usesFrom)
	c.Lines = slices.Clone(a.Lines)
	if len(c.Readings) > 0 {
		c.settleUse()
	}
	if f := a.Filter; f != nil && f.Meter == nil {
		if v, ok := c.At(f.At); ok {
			fitted := *f
			fitted.Meter, c.Filter = &v, &fitted
		}
	}
	return c
}

// read is a log of readings whose use counts from a moment.
func (m MeterLog) read(from time.Time) MeterLog {
	c := MeterLog{Readings: slices.Clip(m.Readings), Points: usage.Accepted(m.Readings)}
	c.begin(from)
	return c
}
