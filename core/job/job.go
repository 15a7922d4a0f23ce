// Package job is a piece of work on one cooling circuit, from the cold engine to the release: the
// sheet of its steps, the sums between them, and what must be so before the unit may run.
//
// # Model
//
// A job is a [Setup], fixed when it begins, and [Event]s that are only ever added. [Open] derives
// everything else from the two: which steps there are, which come next, what is still inside and how
// strong it is, what to pour, which gates are passed. The steps follow from what was measured: a drain
// point that gives too little adds the step that asks why, a retest that misses the target adds its
// correction.
//
// Litres are at 20 °C. The system is a row of pockets ([Pocket]): one for each drain point, with what
// it gives, and one that never drains. Draining empties a pocket; what is poured fills the empty room
// in proportion; a warm run mixes all of it. Mass of glycol and of water is kept.
//
// # Invariants
//
// Events are taken in the order of their time, then their id, never of their arrival. An event that is
// struck counts as if it had never been. The first answer to a step counts; a later one only when it
// names the answer that it replaces, and else is shown beside it. A gate is passed by what its step
// recorded, or by an override of a person who may, with a reason; nothing unknown passes one. A job
// without a measured volume, with less in than out, or without a retest is never ready for release
// except by such an override, and the level check after it stays owed in the ledger.
//
// # Sources
//
// Methods, times and limits are common practice where [Parameters] names no other source; the maker's
// manual overrides each of them for a type or a unit.
package job

import (
	"fmt"
	"slices"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
)

// Kind of job.
type Kind string

// The kinds, in the order in which they are offered.
const (
	DrainFill  Kind = "drain_fill"
	TwiceFill  Kind = "second_drain_fill" // a drain-and-fill, a warm run, and another one
	FullFlush  Kind = "full_flush"
	Correction Kind = "correction" // of the mix
	BleedOnly  Kind = "bleed"
	PartChange Kind = "part_change" // with what it takes to refill
	BoatLoop   Kind = "boat_loop"   // engine side of a heat exchanger with the hot-water circuit
	Aircraft   Kind = "aircraft_task"
)

// Kinds that a unit of a kind can have.
func Kinds(unit string) []Kind {
	switch unit {
	case "boat":
		return []Kind{BoatLoop, DrainFill, TwiceFill, FullFlush, Correction, BleedOnly, PartChange}
	case "aircraft":
		return []Kind{Aircraft, Correction, BleedOnly, PartChange}
	}
	return []Kind{DrainFill, TwiceFill, FullFlush, Correction, BleedOnly, PartChange}
}

// Parts that a part change replaces.
var Parts = []string{"cap", "hose", "pump", "thermostat"}

// Methods of filling.
const (
	Gravity  = "gravity" // with a spill-free funnel
	Vacuum   = "vacuum"
	Pressure = "pressure"
	Hose     = "hose"   // an emptied block through the upper hose, vent open
	Header   = "header" // a boat's header tank, brim-full at its cap
)

// Methods of bleeding.
const (
	Self      = "self" // warm run with the funnel or the tank open
	VentScrew = "vent_screw"
	Pump      = "electric_pump"
	Lean      = "lean" // motorcycle: rock side to side, a few twists of the throttle
	Rev       = "rev"
	Overnight = "overnight" // boat: the night's vacuum draws from the bottle
)

// Fills and Bleeds in the order in which they are offered.
var (
	Fills  = []string{Gravity, Vacuum, Pressure, Hose, Header}
	Bleeds = []string{Self, VentScrew, Pump, Lean, Rev, Overnight}
)

// FillsOf and BleedsOf are the methods that a kind of unit can have.
func FillsOf(unit string) []string {
	if unit == "boat" {
		return Fills
	}
	return slices.DeleteFunc(slices.Clone(Fills), func(m string) bool { return m == Header })
}

// BleedsOf a kind of unit; see [FillsOf].
func BleedsOf(unit string) []string {
	return slices.DeleteFunc(slices.Clone(Bleeds), func(m string) bool {
		return m == Overnight && unit != "boat" || (m == Lean || m == Rev) && unit != "motorcycle"
	})
}

// Options of a job.
type Options struct {
	// ThermostatOut during a flush: the water circulates cold. In: it is warmed until it opens.
	ThermostatOut bool `json:"thermostatOut,omitempty"`
	// Cleaner in the system for some days of driving before the flush.
	Cleaner bool `json:"cleaner,omitempty"`
	// BackFlush of the radiator or the heater core with water and air.
	BackFlush bool   `json:"backFlush,omitempty"`
	Part      string `json:"part,omitempty"` // of Parts
	// Sealant where a housing was opened; else a gasket.
	Sealant bool `json:"sealant,omitempty"`
	// Points that are drained, by code; nil for those that the kind of job takes.
	Points []string `json:"points,omitempty"`
	Fill   string   `json:"fill,omitempty"`
	Bleed  string   `json:"bleed,omitempty"`
}

// Point is a drain point with what it gives from a full system.
type Point struct {
	Code   string        `json:"code"` // of the ledger's drain points
	Name   string        `json:"name,omitempty"`
	Litres measure.Litre `json:"litres"`
	// Common: a common value of such units, not the unit's own.
	Common bool `json:"common,omitempty"`
}

// Setup of a job: the unit as it was when the job began, and what is to be done.
type Setup struct {
	ID      string  `json:"id"` // UUID version 7
	Address string  `json:"address"`
	Unit    string  `json:"unit"` // its code
	Name    string  `json:"name,omitempty"`
	Of      string  `json:"kind"` // kind of unit
	Kind    Kind    `json:"job"`
	Options Options `json:"options"`
	// Exercise on a simulated unit: nothing of it goes to the ledger.
	Exercise bool   `json:"exercise,omitempty"`
	Seed     uint64 `json:"seed,omitempty"` // of the simulated unit

	System      string             `json:"system,omitempty"` // of the register
	Bottle      bool               `json:"bottle,omitempty"`
	HeaterCore  bool               `json:"heaterCore,omitempty"`
	HotWater    bool               `json:"hotWater,omitempty"`
	RawWater    bool               `json:"rawWater,omitempty"`
	HighVoltage bool               `json:"highVoltage,omitempty"` // hybrid or electric drive
	Aluminium   bool               `json:"aluminium,omitempty"`
	Capacity    measure.Litre      `json:"capacity"`
	Common      bool               `json:"capacityCommon,omitempty"` // a common value of such units
	Points      []Point            `json:"points"`
	Plug        string             `json:"plug,omitempty"`
	Washers     string             `json:"washers,omitempty"`
	Clips       string             `json:"clips,omitempty"`
	Covers      []string           `json:"covers,omitempty"`
	Torque      *measure.Reading   `json:"torque,omitempty"`
	Cap         measure.Kilopascal `json:"cap,omitempty"` // 0 when it is not known
	Stages      int                `json:"stages,omitempty"`
	Meter       measure.Dimension  `json:"meter,omitempty"`
	// SkipEmpty: a drain point that holds nothing any more is not asked for. False for jobs of earlier versions,
	// whose steps stay.
	SkipEmpty bool `json:"skipEmpty,omitempty"`
	// MeterLow and MeterHigh, km or h: what the meter can show by the readings so far; nil when there is none.
	MeterLow   *float64 `json:"meterLow,omitempty"`
	MeterHigh  *float64 `json:"meterHigh,omitempty"`
	PremixOnly bool     `json:"premixOnly,omitempty"`
	Manual     string   `json:"manual,omitempty"`

	// Product that is poured, and the volume fraction of glycol that is aimed at.
	Product coolant.Product `json:"product"`
	Target  float64         `json:"target"`
	// Need is what the site's cold asks the coolant to protect to, with the plan's margin; nil when it is not known.
	Need *measure.Celsius `json:"need,omitempty"`

	// Inside at the beginning by the book: masses, and what a full system holds; Known is false when
	// the book does not say what is inside.
	Inside   coolant.Charge   `json:"inside"`
	Known    bool             `json:"known,omitempty"`
	Old      *coolant.Product `json:"old,omitempty"`
	Filled   measure.Litre    `json:"filled"`
	Doubt    float64          `json:"doubt,omitempty"`    // standard uncertainty of the book's litres
	FollowUp int              `json:"followUp,omitempty"` // days of level checks by the service plan

	// Set are the parameters that the coordinator set for the type or the unit.
	Set map[string]float64 `json:"set,omitempty"`
}

// Target of the mix that a sheet plans, as volume fractions of glycol.
const (
	leastTarget = 0.33
	mostTarget  = 0.65
)

// Check what cannot be; nil when the sheet can be made.
func (s Setup) Check() *refusal.Field {
	refuse := func(pointer, got, accepted string) *refusal.Field {
		return &refusal.Field{Pointer: pointer, Got: got, Accepted: accepted}
	}
	switch {
	case !slices.Contains(Kinds(s.Of), s.Kind):
		return refuse("/job", string(s.Kind), fmt.Sprintf("one of %v for a unit of this kind", Kinds(s.Of)))
	case s.Kind == PartChange && !slices.Contains(Parts, s.Options.Part):
		return refuse("/part", s.Options.Part, fmt.Sprintf("one of %v", Parts))
	case !(s.Capacity > 0 && s.Capacity < 1e4):
		return refuse("/unit", fmt.Sprintf("a capacity of %v L", float64(s.Capacity)), "a unit whose capacity is in the register")
	case s.Options.Fill != "" && !slices.Contains(FillsOf(s.Of), s.Options.Fill):
		return refuse("/fill", s.Options.Fill, fmt.Sprintf("one of %v", FillsOf(s.Of)))
	case s.Options.Bleed != "" && !slices.Contains(BleedsOf(s.Of), s.Options.Bleed):
		return refuse("/bleed", s.Options.Bleed, fmt.Sprintf("one of %v", BleedsOf(s.Of)))
	}
	for _, code := range s.Options.Points {
		if !slices.ContainsFunc(s.Points, func(p Point) bool { return p.Code == code }) {
			return refuse("/points", code, "a drain point of this unit")
		}
	}
	if !s.pours() {
		return nil
	}
	switch {
	case s.Product.Code == "":
		return refuse("/product", "none", "the product that is poured")
	case s.PremixOnly && s.Product.Form != coolant.Premix:
		return refuse("/product", s.Product.Name, "a premix: this system takes no concentrate and no water")
	case s.Product.Base == coolant.NoWater:
	case !s.Product.Base.Known():
		return refuse("/product", s.Product.Name, "a product whose base is EG or PG, or a waterless one")
	case !(s.Target >= leastTarget && s.Target <= mostTarget):
		return refuse("/target", fmt.Sprintf("%.0f %% of glycol", 100*s.Target), "33 to 65 % of glycol in the mix")
	}
	return nil
}

// pours reports whether the job pours coolant by plan.
func (s Setup) pours() bool {
	return !(s.Kind == PartChange && s.Options.Part == "cap")
}

// drains reports whether the job opens a drain.
func (s Setup) drains() bool {
	return s.Kind != Correction && s.Kind != BleedOnly && s.pours()
}

// waterless coolant is filled: no water may stay.
func (s Setup) waterless() bool { return s.Product.Base == coolant.NoWater }

// fill method of the job: as chosen, else what its system takes.
func (s Setup) fill() string {
	switch {
	case s.Options.Fill != "":
		return s.Options.Fill
	case s.System == "header_tank":
		return Header
	}
	return Gravity
}

// bleed method of the job.
func (s Setup) bleed() string {
	switch {
	case s.Options.Bleed != "":
		return s.Options.Bleed
	case s.fill() == Header:
		return Overnight
	case s.Of == "motorcycle":
		return Lean
	}
	return Self
}

// taken are the points that the job drains, in the order in which they are opened.
func (s Setup) taken() []Point {
	var all []Point
	for _, p := range s.Points {
		chosen := slices.Contains(s.Options.Points, p.Code)
		if s.Options.Points == nil {
			chosen = s.usual(p.Code)
		}
		if chosen && p.Litres > 0 {
			all = append(all, p)
		}
	}
	return all
}

// usual points of the kind of job: the lowest one alone where only part of the charge is to be
// replaced, else all.
func (s Setup) usual(code string) bool {
	switch s.Kind {
	case FullFlush, BoatLoop, Aircraft:
		return true
	case DrainFill, TwiceFill, PartChange:
		return len(s.Points) > 0 && (code == s.Points[0].Code || code == PointTank)
	}
	return false
}

// Codes of drain points that the sheet treats in its own way.
const (
	PointPetcock   = "petcock"
	PointLowerHose = "lower_hose"
	PointBlock     = "block"
	PointHeater    = "heater_core"
	PointTank      = "expansion_tank"
	PointExchanger = "heat_exchanger"
	PointOther     = "other"
	PointStays     = "stays" // never drains; no drain point
)

// CommonPoints of a unit whose register names none: shares of the capacity (common practice: a
// petcock alone gives about 70 % of a small car's charge; of 9.7 L about 0.7 L sits in the heater core
// and 0.5 L never comes out; the shares of other kinds are judgement).
func CommonPoints(kind string, capacity measure.Litre, heaterCore, hotWater bool) []Point {
	point := func(code string, share float64) Point {
		return Point{Code: code, Litres: measure.Litre(share) * capacity, Common: true}
	}
	switch kind {
	case "motorcycle":
		return []Point{point(PointPetcock, 0.85), point(PointTank, 0.05)}
	case "boat":
		points := []Point{point(PointExchanger, 0.45), point(PointBlock, 0.38), point(PointTank, 0.05)}
		if hotWater {
			points = append(points, point(PointHeater, 0.07))
		}
		return points
	case "aircraft":
		return []Point{point(PointPetcock, 0.80), point(PointBlock, 0.12)}
	}
	points := []Point{point(PointPetcock, 0.70), point(PointBlock, 0.15), point(PointTank, 0.03)}
	if heaterCore {
		points = append(points, point(PointHeater, 0.07))
	}
	return points
}

// Methods of filling and bleeding that the job uses.
func (s Setup) Methods() (fill, bleed string) { return s.fill(), s.bleed() }
