package demo

import (
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/store"
)

// story is what happened to one unit.
type story struct {
	unit    store.LoadedUnit
	history func(b *book)
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
	// Water went in on the road and no one wrote it down.
	{unit("CA-31", "inspector's estate car, petrol 1.4", "car", depot, "Pool car", 8.0, coolant.EG, measure.Km), func(b *book) {
		b.fillMixed(773, oatConcentrate, 8.0, 50, 61_000, false)
		b.meters(760, 6, 65, 61_300, 52)
		b.test(560, -37, coolant.EG)
		b.topUp(450, oatPremix, 0.4)
		b.test(375, -36, coolant.EG)
		b.water(235, 0.5)
		b.test(4, -23, coolant.EG)
		b.test(3, -23, coolant.EG)
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
		b.fillMixed(1030, siConcentrate, 31, 50, 9_200, false)
		b.meters(1000, 12, 52, 9_330, 4.35)
		b.test(690, -37, coolant.EG)
		b.test(310, -36, coolant.EG)
		b.topUp(120, siConcentrate, 0.6)
		b.water(119, 0.6)
	}},
	{unit("TK-21", "gritter, 6x4", "truck", hill, "Heavy truck", 28, coolant.EG, measure.H), func(b *book) {
		b.fillMixed(410, siConcentrate, 28, 45, 3_300, false)
		b.meters(400, 15, 35, 3_320, 2.4)
		b.test(395, -30, coolant.EG)
		b.water(210, 4.0)
		b.water(95, 2.8)
		b.test(3, -18, coolant.EG)
	}},
	// Bought second-hand: it is not known what is inside.
	{unit("TK-30", "fire tender, airstrip", "truck", strip, "Heavy truck", 34, "", measure.H), func(b *book) {
		b.meters(150, 5, 29, 1_204, 0.6)
		b.test(5, -30, coolant.EG)
	}},
	{unit("TK-33", "snow blower, rotary, with auxiliary engine and long chute, Upper Skerrow pass", "truck", hill, "Heavy truck", 42, coolant.EG, measure.H), func(b *book) {
		b.fillMixed(330, siConcentrate, 42, 60, 5_000, false)
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
		b.test(300, -31, coolant.PG)
		b.test(50, -31, coolant.PG)
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
		b.inspected(130)
		b.test(21, -37, coolant.EG)
	}},
	{unit("AV-02", "survey plane, liquid-cooled", "aircraft", strip, "Light aircraft", 3.6, coolant.EG, measure.H), func(b *book) {
		b.fillPremix(395, oatPremix, 3.6, 2_040, false)
		b.meters(390, 7, 29, 2_043, 0.475)
		b.test(210, -36, coolant.EG)
		b.inspected(120)
		b.test(33, -37, coolant.EG)
	}},
	// The maker calls the fill sealed for life; the coordinator does not.
	{unit("CA-40", "pool car, electric", "car", harbour, "Sealed fill, precautionary", 11.5, coolant.EG, measure.Km), func(b *book) {
		b.fillPremix(1460, oatPremix, 11.5, 8, true)
		b.write(1100, ledger.Meter{Meter: measure.Reading{Value: 7_420, Unit: measure.Mi}})
		b.meters(900, 30, 87, 18_400, 21)
		b.test(410, -36, coolant.EG)
		b.test(35, -36, coolant.EG)
	}}, // The cap has stood on its first stage since the factory, and leaks unseen.
	{unit("CA-04", "pool car, petrol 1.0", "car", depot, "Pool car", 5.4, coolant.EG, measure.Km), func(b *book) {
		b.fillMixed(760, oatConcentrate, 5.4, 50, 14, true)
		b.meters(740, 20, 60, 700, 30)
		b.test(420, -37, coolant.EG)
		b.test(52, -37, coolant.EG)
		yes := true
		b.write(51, ledger.CapTest{Holds: &yes, Seal: "good", Seated: &yes, Stage: "first_stage", Note: "half-turned from the factory"})
	}},
	// Half a litre every other month, and no puddle.
	{unit("CA-33", "social services van", "car", depot, "Courier van", 8.6, coolant.EG, measure.Km), func(b *book) {
		b.fillMixed(720, oatConcentrate, 8.6, 50, 41_000, false)
		b.meters(715, 12, 45, 41_200, 44)
		b.test(400, -37, coolant.EG)
		for d := 560; d > 20; d -= 65 {
			b.topUp(d, oatPremix, 0.4)
		}
		b.test(44, -36, coolant.EG)
		p := measure.Reading{Value: 100, Unit: measure.KPa}
		b.write(43, ledger.PressureTest{Pressure: p, Minutes: 10, Drop: measure.Reading{Value: 7, Unit: measure.KPa}, Note: "falls slowly, nothing to see"})
		b.write(42, ledger.CombustionTest{Gas: "none", Note: "fluid stayed blue"})
		b.write(43, ledger.Defect{What: "loses coolant with no puddle: look at the weep hole warm", Severity: "repair"})
	}},
	// It leaks, and a person made it up with water.
	{unit("CA-35", "parks pickup, diesel 2.2", "car", hill, "Pool car", 9.4, coolant.EG, measure.Km), func(b *book) {
		b.fillMixed(800, oatConcentrate, 9.4, 50, 52_000, false)
		b.meters(780, 14, 52, 52_500, 38)
		b.topUp(500, oatPremix, 0.7)
		b.test(400, -36, coolant.EG)
		b.topUp(260, oatPremix, 0.8)
		b.write(120, ledger.LevelCheck{Temper: ledger.Cold, Mark: "below", Note: "topped up again?"})
		b.topUp(119, oatPremix, 0.7)
		b.write(118, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"})
		b.test(6, -26, coolant.EG)
		b.test(5, -26, coolant.EG) // retested: it may be balanced
	}},
	// 61 930 was typed as 619 300, seen, struck and written again.
	{unit("CA-37", "library van", "car", depot, "Courier van", 9.0, coolant.EG, measure.Km), func(b *book) {
		b.fillPremix(900, oatPremix, 9.0, 40_800, false)
		b.meters(880, 230, 50, 41_100, 31)
		b.write(200, ledger.Meter{Meter: measure.Reading{Value: 619_300, Unit: measure.Km}, Confirmed: true})
		b.write(199, ledger.Strike{Entry: b.last(), Why: "typed a nought too many: 61,930"})
		b.write(199, ledger.Meter{Meter: measure.Reading{Value: 61_930, Unit: measure.Km}})
		b.meters(160, 12, 48, 63_200, 31)
		b.test(330, -37, coolant.EG)
		b.test(38, -36, coolant.EG)
	}},
	// The same mistake, and no one has noticed.
	{unit("CA-38", "harbour master's car", "car", harbour, "Pool car", 6.4, coolant.EG, measure.Km), func(b *book) {
		b.fillMixed(610, oatConcentrate, 6.4, 50, 33_000, false)
		b.meters(600, 60, 55, 33_200, 18)
		b.test(300, -37, coolant.EG)
		b.test(42, -37, coolant.EG)
		b.write(25, ledger.Meter{Meter: measure.Reading{Value: 439_100, Unit: measure.Km}, Confirmed: true})
	}},
	// 40 % was mixed for a mild winter; a person has made it stronger.
	{unit("CA-43", "pool car, petrol 1.4", "car", harbour, "Pool car", 7.0, coolant.EG, measure.Km), func(b *book) {
		b.fillMixed(540, oatConcentrate, 7.0, 40, 18_000, false)
		b.meters(530, 15, 58, 18_300, 27)
		b.test(380, -24, coolant.EG)
		b.test(12, -33, coolant.EG)
	}},
	// Drain-and-fill of the radiator alone, every year or two: the age stays young,
	// the last one was too little to count.
	{unit("CA-45", "mayor's saloon, petrol 2.0", "car", depot, "Pool car", 5.5, coolant.EG, measure.Km), func(b *book) {
		b.fillMixed(1900, oatConcentrate, 5.5, 50, 21, true)
		b.meters(1880, 10, 70, 400, 25)
		for _, d := range []struct {
			daysAgo int
			litres  float64
		}{{1200, 3.8}, {600, 3.8}, {90, 2.4}} {
			r := b.renewal(oatConcentrate, d.litres, 50, -1)
			r.Drained = []ledger.Drained{{Point: "petcock", Volume: litres(d.litres)}}
			b.write(d.daysAgo, r)
			b.followUp(d.daysAgo, oatConcentrate, 50)
		}
	}},
	{unit("CA-47", "youth club minibus", "car", hill, "Courier van", 10.2, coolant.EG, measure.Km), func(b *book) {
		b.fillMixed(650, oatConcentrate, 10.2, 50, 71_000, false)
		b.meters(640, 18, 55, 71_300, 35)
		b.test(390, -37, coolant.EG)
		b.test(48, -36, coolant.EG)
		b.write(47, ledger.HoseCheck{Hoses: []ledger.HoseFound{{Hose: "upper", State: "soft", Clamp: "on_ridge"}, {Hose: "lower", State: "good", Clamp: "good"},
			{Hose: "heater_return", State: "cracked"}, {Hose: "recovery", State: "good", Clamp: "loose"}}, Note: "recovery hose end above the fluid"})
		blocked := 28.0
		b.write(47, ledger.Inspection{Points: []ledger.PointFound{{Point: "fins", Blocked: &blocked}, {Point: "weep_hole", State: "watch"}}, Note: "crust at the weep hole"})
	}},
	// The shop said it fits.
	{unit("CA-49", "roads inspector's car", "car", depot, "Pool car", 6.0, coolant.EG, measure.Km), func(b *book) {
		b.fillMixed(700, oatConcentrate, 6.0, 50, 27_000, false)
		b.meters(690, 14, 60, 27_300, 33)
		b.test(380, -37, coolant.EG)
		b.confirmed(150, ledger.TopUp{Volume: litres(0.7), With: coolant.Premix, Product: &siPremix})
		b.test(33, -37, coolant.EG)
	}},
	// Tested with what was at hand: discs, a strip, a hydrometer.
	{unit("CA-51", "cemetery pickup", "car", depot, "Pool car", 7.2, coolant.EG, measure.Km), func(b *book) {
		b.fillMixed(780, oatConcentrate, 7.2, 50, 12_000, false)
		b.meters(770, 16, 66, 12_200, 14)
		b.write(560, ledger.FreezeTest{Value: measure.Reading{Value: 5, Unit: measure.Discs}, Instrument: ledger.DiscTester, Tool: "D-1", Chart: []measure.Celsius{-8, -15, -23, -30, -36, -44}})
		cold := measure.Celsius(-40)
		b.write(390, ledger.FreezeTest{Value: measure.Reading{Value: -34, Unit: measure.DegC}, Instrument: ledger.TestStrip, Cold: &cold})
		warm := measure.Reading{Value: 17, Unit: measure.DegC}
		b.write(210, ledger.FreezeTest{Value: measure.Reading{Value: 1.071, Unit: measure.Relative}, Instrument: ledger.Hydrometer, Sample: &warm})
		b.write(46, ledger.FreezeTest{Value: measure.Reading{Value: -35, Unit: measure.DegF}, Instrument: ledger.Refractometer, Scale: coolant.EG, Tool: "R-1"})
	}},
	// The hour meter failed and was replaced.
	{unit("TK-18", "water tanker", "truck", depot, "Heavy truck", 30, coolant.EG, measure.H), func(b *book) {
		b.fillPremix(950, noatPremix, 30, 8_400, false)
		b.meters(940, 420, 55, 8_430, 2.6)
		old := measure.Reading{Value: 9_812, Unit: measure.H}
		b.write(400, ledger.MeterChange{Old: &old, New: measure.Reading{Value: 2, Unit: measure.H}})
		b.meters(370, 12, 45, 80, 2.6)
		b.strip(500, 640, 8.8, noatSteps)
		b.strip(150, 380, 8.6, noatSteps)
		b.write(140, ledger.ExtenderDose{Volume: litres(0.2), Additive: extender})
		b.strip(130, 700, 8.6, noatSteps)
		b.test(360, -37, coolant.EG)
		b.test(41, -36, coolant.EG)
	}},
	// Mixed at less than was meant, and never tested after the renewal.
	{unit("TK-20", "gully emptier", "truck", depot, "Heavy truck", 27, coolant.EG, measure.H), func(b *book) {
		b.write(500, ledger.Opening{History: ledger.UnknownHistory})
		b.write(62, b.renewal(siConcentrate, 27, 50, 6_020))
		b.write(61, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"})
		b.meters(60, 5, 25, 6_030, 3)
		b.test(7, -27, coolant.EG)
	}},
	// Flushed, filled, and less went in than the sheet says.
	{unit("TK-28", "mobile library, 12 t", "truck", hill, "Heavy truck", 28, coolant.EG, measure.H), func(b *book) {
		b.fillMixed(1010, siConcentrate, 28, 50, 3_000, false)
		b.meters(1000, 60, 60, 3_020, 1.3)
		b.test(300, -37, coolant.EG)
		left := litres(4)
		r := b.renewal(siPremix, 24, 0, 4_290)
		r.Drained, r.Residual, r.Flushes, r.FlushWith = nil, &left, 3, "water"
		b.write(40, r)
		b.write(39, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"})
		b.test(5, -21, coolant.EG)
	}},
	// 31 L came out and 28.6 L went in.
	{unit("TK-32", "hook loader", "truck", harbour, "Heavy truck", 32, coolant.EG, measure.H), func(b *book) {
		b.fillPremix(1060, noatPremix, 32, 5_100, false)
		b.meters(1050, 10, 55, 5_120, 3.4)
		b.test(400, -37, coolant.EG)
		b.test(45, -37, coolant.EG)
		r := b.renewal(noatPremix, 28.6, 0, 8_700)
		r.Drained = []ledger.Drained{{Point: "petcock", Volume: litres(24.5)}, {Point: "block", Volume: litres(5.8)}, {Point: "heater_core", Volume: litres(0.7)}}
		b.write(1, r)
	}},
	{unit("TK-38", "excavator, wheeled", "truck", depot, "Heavy truck", 33, coolant.EG, measure.H), func(b *book) {
		b.fillPremix(870, noatPremix, 33, 7_200, false)
		b.meters(860, 14, 52, 7_230, 3.0)
		for i, d := range []int{840, 620, 400, 200, 24} {
			b.strip(d, 900-160*float64(i), 9.2-0.15*float64(i), noatSteps)
		}
		b.test(330, -37, coolant.EG)
		b.test(30, -36, coolant.EG)
	}},
	// A conventional coolant, kept up with SCA and an additive filter.
	{unit("TK-40", "harbour crane, wheeled", "truck", harbour, "Heavy truck", 28, coolant.EG, measure.H), func(b *book) {
		b.write(560, ledger.Opening{History: ledger.UnknownHistory})
		b.confirmed(520, b.renewal(iatConcentrate, 28, 50, 6_400))
		b.confirmed(519, ledger.Dose{Volume: litres(0.5), Additive: sca, Note: "initial charge by the can"})
		b.write(519, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"})
		b.test(518, -35, coolant.EG)
		b.meters(495, 10, 55, 6_450, 2.1)
		b.strip(512, 1650, 9.6, scaSteps)
		b.strip(330, 1400, 9.4, scaSteps)
		b.write(300, ledger.AdditiveFilter{Additive: filter})
		b.strip(290, 1700, 9.4, scaSteps)
		ph, reserve, stated := 9.3, 8.4, 1_950.0 // ppm as NaNO₂ are 1300 as NO₂
		b.write(151, ledger.ChemistryTest{Method: ledger.ByLaboratory, PH: &ph, Reserve: &reserve, Nitrite: &stated, NitriteAs: coolant.AsNaNO2, Appearance: coolant.AppearanceClear, Tool: "county laboratory"})
		b.test(45, -35, coolant.EG)
		b.strip(20, 980, 9.1, scaSteps)
	}},
	// Filled without water, and tested for it.
	{unit("MC-09", "museum motorcycle", "motorcycle", harbour, "Motorcycle", 1.6, coolant.NoWater, measure.Km), func(b *book) {
		r := b.renewal(waterless, 1.6, 0, 22_100)
		r.Flushes, r.FlushWith = 2, ledger.PrepFluid
		b.write(300, r)
		b.write(299, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"})
		b.meters(290, 60, 75, 22_110, 3)
		for _, test := range []struct {
			daysAgo int
			water   float64
		}{{298, 1.5}, {40, 2}} {
			b.write(test.daysAgo, ledger.FreezeTest{Value: measure.Reading{Value: test.water, Unit: measure.Percent}, Instrument: ledger.Refractometer, Scale: coolant.NoWater, Tool: tools[harbour]})
		}
	}},
	// Premix is not thinned, and was.
	{unit("MC-07", "traffic warden's scooter", "motorcycle", harbour, "Motorcycle", 1.2, coolant.EG, measure.Km), func(b *book) {
		b.fillPremix(640, oatPremix, 1.2, 4_000, false)
		b.meters(630, 30, 70, 4_100, 11)
		b.test(380, -37, coolant.EG)
		b.confirmed(140, ledger.TopUp{Volume: litres(0.15), With: coolant.Water})
		b.test(35, -32, coolant.EG)
		b.write(20, ledger.LayUp{Note: "winter"})
	}},
	// PG inside, read on the EG scale and written as PG: off, and it explains itself.
	{unit("HB-06", "pilot boat, relief", "boat", harbour, "Boat diesel", 22, coolant.PG, measure.H), func(b *book) {
		b.fillMixed(560, pgConcentrate, 22, 50, 2_050, false)
		b.meters(550, 8, 50, 2_070, 1.1)
		b.test(330, -31, coolant.PG)
		b.test(9, -39, coolant.PG)
	}},
	// Held until a signatory says otherwise.
	{unit("AV-05", "coast survey plane, liquid-cooled", "aircraft", strip, "Light aircraft", 3.8, coolant.EG, measure.H), func(b *book) {
		b.fillPremix(260, oatPremix, 3.8, 1_700, false)
		b.meters(250, 5, 24, 1_703, 0.45)
		b.test(40, -37, coolant.EG)
		b.write(300, ledger.Hold{Why: "heat exchanger seeping"})
		b.write(258, ledger.Release{What: "heat exchanger renewed, system pressure-tested", Certificate: "SS-0412", CertificateKind: "inspection authorisation", Data: "MM 75-20-03"})
		b.write(2, ledger.Defect{What: "coolant smell in the cabin, lower hose damp at the clamp", Severity: "stop"})
		b.write(2, ledger.Hold{Why: "coolant smell in the cabin"})
	}},
}
