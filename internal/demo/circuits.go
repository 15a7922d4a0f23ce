package demo

import (
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/store"
)

// circuit that a unit has besides its first one. Its meter is the unit's, and no entry reads it.
type circuit struct {
	name     ledger.Circuit
	plan     string // empty for that of the unit
	capacity measure.Litre
	base     coolant.Base
	metal    coolant.Metal
	history  func(b *book)
}

// lift is a unit with several circuits or two meters.
type lift struct {
	story
	first   ledger.Circuit // empty for the engine's
	second  measure.Unit   // its other meter; empty for none
	further []circuit
}

// unit with its circuits, as the fleet is loaded with them.
func (l lift) loaded(b *book) store.LoadedUnit {
	b.unit.Circuit, b.unit.Second = l.first, l.second
	l.history(b)
	u := b.recorded()
	for _, c := range l.further {
		f := store.LoadedUnit{RawWater: u.RawWater, UnitName: u.UnitName, Plan: c.plan, Capacity: c.capacity, Base: c.base, Circuit: c.name, Metal: c.metal, Cap: u.Cap}
		f.Code += " " + string(c.name)
		own := &book{unit: f, today: b.today}
		c.history(own)
		u.Further = append(u.Further, own.recorded())
	}
	return u
}

// conducts is a conductivity by meter, µS/cm, on a sample of that temperature, °C.
func (b *book) conducts(daysAgo int, read, celsius float64) {
	b.write(daysAgo, ledger.ChemistryTest{Method: ledger.ByMeter, Conductivity: &read, ConductivityAt: &measure.Reading{Value: celsius, Unit: measure.DegC}})
}

// serviced is a boat's spring: a new impeller, and the other points good.
func (b *book) serviced(daysAgo int) {
	b.write(daysAgo, ledger.Inspection{Points: []ledger.PointFound{{Point: ledger.PartImpeller, State: "renewed"}, {Point: ledger.PartAnodes, State: "good"},
		{Point: ledger.PartExchanger, State: "good"}, {Point: ledger.PartAntiSiphon, State: "good"}}})
}

// inspected is the inspection of an aircraft by its hours.
func (b *book) inspected(daysAgo int) {
	b.write(daysAgo, ledger.Inspection{Points: []ledger.PointFound{{Point: "pump", State: "good"}, {Point: "weep_hole", State: "good"}, {Point: "recovery_tank", State: "good"}}})
}

// rawWater side of a boat; protects to, °C, when it was filled.
func (b *book) rawWater(daysAgo int, state string, protects float64) {
	w := ledger.RawWater{State: state}
	if state == ledger.RawFilled {
		w.Freeze = &measure.Reading{Value: protects, Unit: measure.DegC}
	}
	b.write(daysAgo, w)
}

var lifts = []lift{
	// The inverter loop is thin: it was topped up with water.
	{story: story{unit("CA-61", "pool car, hybrid 2.0", "car", depot, "Pool car", 6.8, coolant.EG, measure.Km), func(b *book) {
		b.fillPremix(700, oatPremix, 6.8, 11, true)
		b.meters(690, 12, 48, 420, 44)
		b.test(360, -37, coolant.EG)
		b.test(40, -36, coolant.EG)
	}}, further: []circuit{
		{name: ledger.InverterCircuit, plan: "Inverter loop", capacity: 3.4, base: coolant.EG, metal: coolant.Aluminium, history: func(b *book) {
			b.fillPremix(700, lowPremix, 3.4, -1, true)
			b.test(360, -36, coolant.EG)
			b.water(120, 0.5)
			b.test(39, -28, coolant.EG)
			b.conducts(39, 74, 18)
		}},
	}},
	// The battery's coolant conducts more than its maker allows.
	{story: story{unit("CA-62", "parcel van, electric", "car", depot, "Electric drive", 12.5, coolant.EG, measure.Km), func(b *book) {
		b.unit.Figures = coolant.Figures{"conductivity_most": 150}
		b.unit.Heated = true
		b.fillPremix(980, lowPremix, 12.5, 9, true)
		b.meters(970, 14, 46, 300, 68)
		b.conducts(610, 62, 20)
		b.test(400, -37, coolant.EG)
		b.conducts(330, 104, 21)
		b.test(41, -36, coolant.EG)
		b.conducts(41, 131, 14)
	}}, first: ledger.BatteryCircuit, further: []circuit{
		{name: ledger.InverterCircuit, plan: "Inverter loop", capacity: 5.2, base: coolant.EG, metal: coolant.Aluminium, history: func(b *book) {
			b.fillPremix(980, lowPremix, 5.2, -1, true)
			b.test(400, -37, coolant.EG)
			b.test(41, -36, coolant.EG)
			b.conducts(41, 70, 14)
		}},
	}},
	// Port and starboard are two accounts: starboard was renewed and port was not.
	{story: story{unit("HB-14", "island ferry, twin diesel", "boat", harbour, rawWaterPlan, 24, coolant.PG, measure.H), func(b *book) {
		b.fillPremix(690, pgPremix, 24, 4_310, false)
		b.meters(680, 9, 41, 4_330, 1.2)
		b.test(300, -32, coolant.PG)
		b.serviced(230)
		b.test(48, -32, coolant.PG)
		b.rawWater(12, ledger.RawFilled, -35)
	}}, first: ledger.PortCircuit, further: []circuit{
		{name: ledger.StarboardCircuit, capacity: 24, base: coolant.PG, metal: coolant.Iron, history: func(b *book) {
			b.fillPremix(260, pgPremix, 24, -1, false)
			b.test(255, -33, coolant.PG)
			b.serviced(229)
			b.test(48, -33, coolant.PG)
			b.rawWater(12, ledger.RawDrained, 0)
		}},
	}},
	// In use until the frost: the raw-water side is wet.
	{story: story{unit("HB-16", "workboat, mooring gang", "boat", harbour, rawWaterPlan, 16, coolant.PG, measure.H), func(b *book) {
		b.fillPremix(420, pgPremix, 16, 1_120, false)
		b.meters(410, 9, 44, 1_130, 0.9)
		b.test(240, -33, coolant.PG)
		b.serviced(228)
		b.rawWater(227, ledger.RawWet, 0)
		b.test(44, -32, coolant.PG)
	}}},
	// A filter by hours or months, and an interval in km and hours, whichever is first.
	{story: story{unit("TK-36", "long-haul tractor, 6x2", "truck", depot, "Heavy truck, km or hours", 38, coolant.EG, measure.Km), func(b *book) {
		b.fillMixed(810, siConcentrate, 38, 50, 188_000, false)
		b.meters(800, 9, 43, 190_100, 140)
		for d := 812; d >= 9; d -= 61 {
			b.write(d, ledger.Meter{Meter: measure.Reading{Value: float64(6_020 + int(3.3*float64(812-d))), Unit: measure.H}})
		}
		m := b.meterReading(260_000)
		b.write(300, ledger.AdditiveFilter{Additive: blankFilter, Meter: &m})
		b.test(420, -37, coolant.EG)
		b.test(46, -36, coolant.EG)
		b.strip(46, 1_400, 8.5, scaSteps)
		b.write(45, ledger.Inspection{Points: []ledger.PointFound{{Point: ledger.PartBlockHeater, State: "good"}}})
		b.unit.Winters = hill
	}}, second: measure.H},
}
