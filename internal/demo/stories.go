package demo

import (
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/store"
)

// story is what happened to one unit.
type story struct {
	unit store.LoadedUnit
	tell func(b *book)
}

func unit(code, name, kind, site, plan string, capacity float64, base coolant.Base, meter measure.Unit) store.LoadedUnit {
	return store.LoadedUnit{UnitName: store.UnitName{Code: code, Name: name, Kind: kind, Site: site},
		Plan: plan, Capacity: measure.Litre(capacity), Base: base, Meter: meter}
}

var stories = []story{
	{unit("CA-09", "pool car, petrol 1.2", "car", depot, "Pool car", 6.2, coolant.EG, measure.Km), func(b *book) {
		b.fillMixed(640, oatConcentrate, 6.2, 50, 61_300, false)
		b.meters(600, 20, 58, 62_100, 31)
		b.test(400, -37, coolant.EG)
		b.test(45, -36, coolant.EG)
		b.topUp(30, oatPremix, 0.4)
		b.loss(1, 1.3, "puddle under the water pump, weep hole wet")
	}},
	{unit("CA-14", "pool car, hybrid 1.8", "car", depot, "Pool car", 7.4, coolant.EG, measure.Km), func(b *book) {
		b.fillMixed(1012, oatConcentrate, 7.4, 50, 40_150, false)
		b.meters(980, 8, 54, 42_600, 75.8)
		b.test(640, -37, coolant.EG)
		b.test(290, -36, coolant.EG)
		b.test(31, -37, coolant.EG)
	}},
	{unit("CA-22", "courier van, diesel 2.0", "car", harbour, "Courier van", 9.0, coolant.EG, measure.Km), func(b *book) {
		b.fillPremix(700, oatPremix, 9.0, 12, true)
		b.meters(660, 10, 50, 3_900, 64)
		b.test(380, -37, coolant.EG)
		b.test(40, -37, coolant.EG)
	}},
	// Water went in on the road and nobody wrote it down.
	{unit("CA-31", "inspector's estate car, petrol 1.4", "car", depot, "Pool car", 8.0, coolant.EG, measure.Km), func(b *book) {
		b.fillMixed(773, oatConcentrate, 8.0, 50, 61_000, false)
		b.meters(760, 6, 65, 61_300, 52)
		b.test(560, -37, coolant.EG)
		b.topUp(450, oatPremix, 0.4)
		b.test(375, -36, coolant.EG)
		b.water(235, 0.5)
		b.test(4, -24, coolant.EG)
	}},
	{unit("TK-04", "tipper, 4x2", "truck", depot, "Heavy truck", 26, coolant.EG, measure.H), func(b *book) {
		b.fillPremix(900, noatPremix, 26, 2_100, true)
		b.meters(880, 20, 60, 2_160, 3.1)
		b.test(500, -37, coolant.EG)
		b.test(150, -36, coolant.EG)
		b.fillPremix(9, noatPremix, 25.8, 4_905, false)
		b.test(8, -37, coolant.EG)
	}},
	{unit("TK-12", "refuse collector, rear loader", "truck", depot, "Heavy truck", 31, coolant.EG, measure.H), func(b *book) {
		b.fillMixed(1030, hoatConcentrate, 31, 50, 9_200, false)
		b.meters(1000, 12, 52, 9_330, 4.35)
		b.test(690, -37, coolant.EG)
		b.test(310, -36, coolant.EG)
		b.topUp(120, hoatConcentrate, 0.6)
		b.water(119, 0.6)
	}},
	{unit("TK-21", "gritter, 6x4", "truck", hill, "Heavy truck", 28, coolant.EG, measure.H), func(b *book) {
		b.fillMixed(410, hoatConcentrate, 28, 45, 3_300, false)
		b.meters(400, 15, 35, 3_320, 2.4)
		b.test(395, -30, coolant.EG)
		b.water(210, 4.0)
		b.water(95, 2.8)
		b.test(3, -18, coolant.EG)
	}},
	// Bought second-hand: nobody knows what is inside.
	{unit("TK-30", "fire tender, airstrip", "truck", strip, "Heavy truck", 34, "", measure.H), func(b *book) {
		b.meters(150, 5, 29, 1_204, 0.6)
		b.test(5, -30, coolant.EG)
	}},
	{unit("TK-33", "snow blower, rotary, with auxiliary engine and long chute, Upper Skerrow pass", "truck", hill, "Heavy truck", 42, coolant.EG, measure.H), func(b *book) {
		b.fillMixed(330, hoatConcentrate, 42, 60, 5_000, false)
		b.meters(325, 25, 30, 5_000, 1.1)
		b.test(60, -50, coolant.EG)
	}},
	{unit("MC-03", "coast patrol motorcycle", "motorcycle", harbour, "Motorcycle", 2.1, coolant.EG, measure.Km), func(b *book) {
		b.fillPremix(1157, oatPremix, 2.1, 14_020, false)
		b.meters(1100, 25, 75, 14_200, 7.4)
		b.test(560, -37, coolant.EG)
		b.test(190, -36, coolant.EG)
	}},
	// PG inside, read on the EG scale: the answer looks right and is not.
	{unit("MC-08", "trail bike, reserve warden", "motorcycle", hill, "Motorcycle", 1.4, coolant.PG, measure.Km), func(b *book) {
		b.fillPremix(420, pgPremix, 1.4, 5_110, false)
		b.meters(400, 30, 60, 5_200, 9)
		b.topUp(150, pgPremix, 0.1)
		b.test(20, -41, coolant.EG)
	}},
	{unit("HB-02", "pilot boat", "boat", harbour, "Boat diesel", 22, coolant.PG, measure.H), func(b *book) {
		b.fillMixed(640, pgConcentrate, 22, 50, 3_050, false)
		b.meters(620, 6, 45, 3_080, 1.49)
		b.test(300, -33, coolant.PG)
		b.test(50, -32, coolant.PG)
	}},
	{unit("HB-07", "harbour launch", "boat", harbour, "Boat diesel", 14, coolant.PG, measure.H), func(b *book) {
		b.fillPremix(662, pgPremix, 14, 820, false)
		b.meters(640, 18, 60, 832, 0.5)
		b.test(290, -33, coolant.PG)
		b.test(70, -32, coolant.PG)
	}},
	{unit("HB-11", "workboat, crane", "boat", harbour, "Boat diesel", 18, coolant.PG, measure.H), func(b *book) {
		b.fillPremix(415, pgPremix, 18, 2_400, false)
		b.meters(400, 12, 48, 2_410, 0.7)
	}},
	{unit("AV-01", "float plane, liquid-cooled", "aircraft", strip, "Light aircraft", 3.2, coolant.EG, measure.H), func(b *book) {
		b.fillPremix(150, oatPremix, 3.2, 1_310, false)
		b.meters(140, 10, 26, 1_313, 0.25)
		b.test(149, -37, coolant.EG)
		b.test(21, -37, coolant.EG)
	}},
	{unit("AV-02", "survey plane, liquid-cooled", "aircraft", strip, "Light aircraft", 3.6, coolant.EG, measure.H), func(b *book) {
		b.fillPremix(395, oatPremix, 3.6, 2_040, false)
		b.meters(390, 7, 29, 2_043, 0.475)
		b.test(210, -36, coolant.EG)
		b.test(33, -37, coolant.EG)
	}},
	// The maker calls the fill sealed for life; the coordinator does not.
	{unit("CA-40", "pool car, electric", "car", harbour, "Sealed fill, precautionary", 11.5, coolant.EG, measure.Km), func(b *book) {
		b.fillPremix(1460, oatPremix, 11.5, 8, true)
		b.write(1100, ledger.Meter{Meter: measure.Reading{Value: 7_420, Unit: measure.Mi}})
		b.meters(900, 30, 87, 18_400, 21)
		b.test(410, -36, coolant.EG)
		b.test(35, -36, coolant.EG)
	}},
}
