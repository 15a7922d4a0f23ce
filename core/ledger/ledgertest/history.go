// Package ledgertest makes random lives of units for the tests of laws: every kind
// of entry, every state and option, in any order of arrival.
package ledgertest

import (
	"fmt"
	"math/rand/v2"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// Start of every history.
var Start = time.Date(2025, 3, 1, 8, 0, 0, 0, time.UTC)

// Days that a history lasts.
const Days = 900

// People who write.
var People = []string{"E. Marrow", "T. Quayle", "O. Fenn"}

var waterlessFreeze = measure.Celsius(-40)

// Products poured: concentrates that state their strength and do not, premixes, of each
// standing for wet liners, of PG, and waterless.
var Products = []coolant.Product{
	{Code: "C", Base: coolant.EG, Technology: "OAT", Form: coolant.Concentrate, Glycol: coolant.ConcentrateGlycol},
	{Code: "P", Base: coolant.EG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.5},
	{Code: "H", Base: coolant.EG, Technology: "Si-OAT", Form: coolant.Premix, Glycol: 0.5},
	{Code: "G", Base: coolant.PG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.5},
	{Code: "N", Base: coolant.EG, Technology: "NOAT", Form: coolant.Premix, Glycol: 0.5, Meets: []coolant.Standard{coolant.D6210}},
	{Code: "I", Base: coolant.EG, Technology: "IAT", Form: coolant.Concentrate, Glycol: 0.95, Stated: true, Density: 1.13, Meets: []coolant.Standard{coolant.D4985}, Fresh: 11},
	{Code: "U", Base: coolant.EG, Technology: "universal", Form: coolant.Premix, Glycol: 0.5, Named: []coolant.Technology{coolant.OAT}},
	{Code: "L", Base: coolant.EG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.5, LowConductivity: true},
	{Code: "W", Base: coolant.NoWater, Technology: "waterless", Form: coolant.Premix, Glycol: 1, Freeze: &waterlessFreeze},
}

// Additives given: of each kind, with and without nitrite.
var Additives = []coolant.Additive{
	{Code: "S", Kind: coolant.SCA, Nitrite: 90, Molybdate: 20},
	{Code: "E", Kind: coolant.Extender, Nitrite: 40},
	{Code: "F", Kind: coolant.Filter, Nitrite: 30, Release: coolant.ReleaseAtOnce, Hours: 500, Months: 12},
	{Code: "R", Kind: coolant.Filter, Nitrite: 30, Release: coolant.ReleaseNeed, Km: 200_000},
	{Code: "B", Kind: coolant.Filter, Release: coolant.ReleaseNone, Months: 12},
}

func additive(rng *rand.Rand, kind coolant.AdditiveKind) coolant.Additive {
	for {
		if a := pick(rng, Additives); a.Kind == kind {
			return a
		}
	}
}

// Units of every kind, with and without what a register may know of them.
var Units = []ledger.Unit{
	{Code: "CA-01", Kind: "car", Capacity: 8, Base: coolant.EG, Meter: measure.Distance, Cap: 108, Tank: 0.012, Marks: 40, Metal: coolant.Aluminium, PremixOnly: true},
	{Code: "TK-01", Kind: "truck", Capacity: 28, Meter: measure.EngineTime, Cap: 100, WetLiners: true, Replaced: 0.8, Metal: coolant.Iron, Figures: coolant.Figures{"nitrite_low": 700}},
	{Code: "HB-01", Kind: "boat", Capacity: 14, Base: coolant.PG, Meter: measure.EngineTime, RawWater: ledger.Yes},
	{Code: "AV-01", Kind: "aircraft", Capacity: 3.2, Base: coolant.EG, Meter: measure.EngineTime, Cap: 83, Aircraft: true},
	{Code: "MC-01", Kind: "motorcycle", Capacity: 1.4, SilicateFree: true, Required: coolant.OAT},
	{Code: "MC-02", Kind: "motorcycle", Capacity: 1.6, Base: coolant.NoWater},
	{Code: "TK-02", Kind: "truck", Capacity: 30, Base: coolant.EG, Meter: measure.Distance, Second: measure.EngineTime, WetLiners: true},
	{Code: "HB-02 starboard", Kind: "boat", Capacity: 22, Base: coolant.PG, Meter: measure.EngineTime, Circuit: ledger.StarboardCircuit, Further: true},
	{Code: "CA-02 battery", Kind: "car", Capacity: 9, Base: coolant.EG, Meter: measure.Distance, Circuit: ledger.BatteryCircuit, Further: true, PremixOnly: true, Figures: coolant.Figures{"conductivity_most": 500}},
	{Code: "CA-04", Kind: "car", Capacity: 7, CapacityCommon: true, Base: coolant.EG, Meter: measure.Distance},
	{Code: "CA-03", Kind: "car", Capacity: 9, Base: coolant.PG, Meter: measure.Distance, Cap: 120, Tank: 0.012, Marks: 40, PremixOnly: true, Earlier: []ledger.EarlierFacts{
		{Until: Start.AddDate(0, 0, 200), Facts: ledger.DatedFacts{Capacity: 6.5, Base: coolant.EG, Cap: 90}},
		{Until: Start.AddDate(0, 0, 650), Facts: ledger.DatedFacts{Capacity: 11, Base: coolant.EG, WetLiners: true, Metal: coolant.Iron}}}},
}

func pick[T any](rng *rand.Rand, all []T) T { return all[rng.IntN(len(all))] }

func maybe[T any](rng *rand.Rand, v T) *T {
	if rng.IntN(2) == 0 {
		return nil
	}
	return &v
}

// Body is a random body for u, d days after the start: every kind, every state and
// option, sound and unsound.
func Body(rng *rand.Rand, u ledger.Unit, d int) ledger.Body {
	capacity := float64(u.Capacity)
	litres := func(most float64) measure.Reading {
		return measure.Reading{Value: 0.01 + most*rng.Float64(), Unit: measure.L}
	}
	unit := measure.Km
	if u.Meter == measure.EngineTime || u.Second == measure.EngineTime && rng.IntN(2) == 0 {
		unit = measure.H
	}
	meter := func() measure.Reading {
		v := 40 * float64(d)
		switch rng.IntN(6) {
		case 0:
			v *= 10
		case 1:
			v = 40_000 * rng.Float64()
		}
		return measure.Reading{Value: v, Unit: unit}
	}
	kpa := func(v float64) measure.Reading { return measure.Reading{Value: v, Unit: measure.KPa} }
	product := pick(rng, Products)
	var share *float64
	if product.Form == coolant.Concentrate {
		s := 20 + 60*rng.Float64()
		share = &s
	}
	switch pick(rng, ledger.Kinds) {
	case ledger.KindOpening:
		if rng.IntN(2) == 0 {
			return ledger.Opening{History: ledger.UnknownHistory, Meter: maybe(rng, meter())}
		}
		return ledger.Opening{History: ledger.Factory, Product: &product, Share: share, Volume: maybe(rng, litres(capacity)), Meter: maybe(rng, meter())}
	case ledger.KindRenewal:
		r := ledger.Renewal{Volume: litres(1.2 * capacity), Product: product, Share: share, Factory: rng.IntN(8) == 0, Meter: maybe(rng, meter()),
			Method: pick(rng, ledger.Methods), Level: pick(rng, ledger.Temperings), Parts: []string{"cap", "washer"}[:rng.IntN(3)]}
		switch rng.IntN(5) {
		case 0:
			r.Emptied = true
		case 1:
			r.Opened = []string{pick(rng, ledger.DrainPoints)}
		case 2:
			r.Residual = maybe(rng, litres(capacity/2))
		case 3: // as the first books had it: nothing is said
		}
		for range rng.IntN(3) {
			r.Drained = append(r.Drained, ledger.Drained{Point: pick(rng, ledger.DrainPoints), Volume: litres(capacity / 2)})
		}
		if r.Flushes = rng.IntN(4); r.Flushes > 0 {
			r.FlushWith, r.Rinses = pick(rng, ledger.FlushWiths), rng.IntN(4)
		}
		r.Batch, r.UseBefore = batch(rng)
		return r
	case ledger.KindTopUp:
		t := ledger.TopUp{Volume: litres(capacity / 2), With: coolant.Water, Bled: rng.IntN(3) == 0, Inferred: rng.IntN(6) == 0}
		if rng.IntN(3) > 0 {
			t.With, t.Product = product.Form, &product
			t.Batch, t.UseBefore = batch(rng)
		}
		return t
	case ledger.KindLoss:
		return ledger.Loss{Volume: litres(capacity), Cause: pick(rng, append([]string{""}, ledger.Causes...))}
	case ledger.KindFreezeTest:
		return freezeTest(rng)
	case ledger.KindChemistry:
		return chemistryTest(rng)
	case ledger.KindDose:
		return ledger.Dose{Volume: litres(capacity / 8), Additive: additive(rng, coolant.SCA)}
	case ledger.KindExtender:
		return ledger.ExtenderDose{Volume: litres(capacity / 8), Additive: additive(rng, coolant.Extender)}
	case ledger.KindFilter:
		return ledger.AdditiveFilter{Additive: additive(rng, coolant.Filter), Meter: maybe(rng, meter())}
	case ledger.KindCapTest:
		return ledger.CapTest{Opened: maybe(rng, kpa(50+120*rng.Float64())), Holds: maybe(rng, rng.IntN(2) == 0), Vacuum: pick(rng, append([]string{""}, ledger.VacuumValves...)),
			Seal: pick(rng, append([]string{""}, ledger.Seals...)), Seated: maybe(rng, rng.IntN(2) == 0), Stage: pick(rng, append([]string{""}, ledger.CapStages...)), Renewed: rng.IntN(4) == 0}
	case ledger.KindHoseCheck:
		return ledger.HoseCheck{Hoses: []ledger.HoseFound{{Hose: pick(rng, ledger.Hoses), State: pick(rng, ledger.HoseStates), Clamp: pick(rng, append([]string{""}, ledger.Clamps...))}}}
	case ledger.KindPressureTest:
		return ledger.PressureTest{Pressure: kpa(20 + 80*rng.Float64()), Minutes: 0.5 + 20*rng.Float64(), Drop: kpa(20 * rng.Float64() * float64(rng.IntN(2)))}
	case ledger.KindLevelCheck:
		l := ledger.LevelCheck{Temper: pick(rng, ledger.Temperings), Place: pick(rng, append([]string{"", ""}, ledger.LevelPlaces...))}
		if rng.IntN(4) == 0 {
			l.Over = &measure.Reading{Value: 120*rng.Float64() - 100, Unit: measure.Millimetre}
		} else {
			l.Mark = pick(rng, ledger.Marks)
		}
		return l
	case ledger.KindInspection:
		p := ledger.PointFound{Point: pick(rng, ledger.Points), State: pick(rng, ledger.PointStates)}
		if p.Point == "fins" {
			p.Blocked = maybe(rng, 60*rng.Float64())
		}
		return ledger.Inspection{Points: []ledger.PointFound{p}}
	case ledger.KindDefect:
		return ledger.Defect{What: "weeps", Severity: pick(rng, ledger.Severities)}
	case ledger.KindMeter:
		return ledger.Meter{Meter: meter(), Confirmed: rng.IntN(3) == 0}
	case ledger.KindMeterChange:
		return ledger.MeterChange{Old: maybe(rng, meter()), New: measure.Reading{Value: 10 * rng.Float64(), Unit: unit}}
	case ledger.KindZeroCheck:
		return ledger.ZeroCheck{Tool: pick(rng, tools), Zero: measure.Reading{Value: 3*rng.Float64() - 1.5, Unit: measure.DegC}}
	case ledger.KindLayUp:
		return ledger.LayUp{RawWater: pick(rng, append([]string{""}, ledger.RawWaterStates...))}
	case ledger.KindRawWater:
		w := ledger.RawWater{State: pick(rng, ledger.RawWaterStates)}
		if w.State == ledger.RawFilled {
			w.Freeze = maybe(rng, measure.Reading{Value: -40 * rng.Float64(), Unit: measure.DegC})
		}
		return w
	case ledger.KindCombustion:
		return ledger.CombustionTest{Gas: pick(rng, ledger.CombustionGas)}
	case ledger.KindReturn:
		return ledger.Return{}
	case ledger.KindHold:
		return ledger.Hold{Why: "leaks"}
	case ledger.KindRelease:
		return ledger.Release{What: "repaired", Certificate: "1", CertificateKind: "inspector", Data: "MM 75-20", TotalTime: maybe(rng, measure.Reading{Value: 900, Unit: measure.H})}
	}
	return ledger.NoteBody{Text: "seen"}
}

func chemistryTest(rng *rand.Rand) ledger.ChemistryTest {
	stray := func() *float64 { return maybe(rng, rng.Float64()-0.5) }
	t := ledger.ChemistryTest{PH: maybe(rng, 5+7*rng.Float64()), Reserve: maybe(rng, 12*rng.Float64()), Nitrite: maybe(rng, 4000*rng.Float64()),
		Molybdate: maybe(rng, 900*rng.Float64()), Stray: stray(), StrayOff: stray(), StrayCranking: stray(), StrayLoads: stray(),
		NitriteAs: pick(rng, append([]coolant.Basis{""}, coolant.NitriteBases...)), MolybdateAs: pick(rng, append([]coolant.Basis{""}, coolant.MolybdateBases...)),
		Appearance: pick(rng, append([]coolant.Appearance{""}, coolant.Appearances...)), Tool: pick(rng, append([]string{""}, tools...)), Method: pick(rng, append([]string{""}, ledger.TestMethods...))}
	above := func(v *float64) *float64 {
		if v == nil {
			return nil
		}
		high := *v * (1 + rng.Float64())
		return maybe(rng, high)
	}
	t.PHTo, t.NitriteTo, t.MolybdateTo = above(t.PH), above(t.Nitrite), above(t.Molybdate)
	if rng.IntN(3) == 0 {
		conductivity := 5000 * rng.Float64() * rng.Float64()
		t.Conductivity, t.ConductivityAt = &conductivity, maybe(rng, measure.Reading{Value: 60 * rng.Float64(), Unit: measure.DegC})
		for _, ppm := range []**float64{&t.Glycolate, &t.Chloride, &t.Sulphate, &t.IronPPM, &t.Copper, &t.Lead, &t.Aluminium} {
			*ppm = maybe(rng, 900*rng.Float64())
		}
	}
	t.Expired, t.Late = rng.IntN(6) == 0, rng.IntN(6) == 0
	return t
}

// batch of a product, within its shelf life and past it.
func batch(rng *rand.Rand) (string, *measure.Date) {
	return pick(rng, []string{"", "B 1204"}), maybe(rng, measure.DateOf(Start, time.UTC).AddDays(rng.IntN(2*Days)))
}

var tools = []string{"R-1", "R-2"}

var chart = []measure.Celsius{-8, -15, -23, -30, -36, -44}

func freezeTest(rng *rand.Rand) ledger.FreezeTest {
	degrees := func(v float64) measure.Reading { return measure.Reading{Value: v, Unit: measure.DegC} }
	switch rng.IntN(8) {
	case 0:
		return ledger.FreezeTest{Value: measure.Reading{Value: float64(rng.IntN(7)), Unit: measure.Discs}, Instrument: ledger.DiscTester, Tool: "D-1", Chart: chart}
	case 1:
		warm := -40 * rng.Float64()
		cold := measure.Celsius(warm - 8*rng.Float64())
		return ledger.FreezeTest{Value: degrees(warm), Instrument: ledger.TestStrip, Cold: &cold, Expired: rng.IntN(6) == 0, Late: rng.IntN(6) == 0}
	case 2:
		return ledger.FreezeTest{Value: measure.Reading{Value: 0.99 + 0.12*rng.Float64(), Unit: measure.Relative}, Instrument: ledger.Hydrometer, Sample: maybe(rng, degrees(5+30*rng.Float64()))}
	}
	t := ledger.FreezeTest{Value: degrees(-60 * rng.Float64()), Instrument: ledger.Refractometer, Scale: pick(rng, []coolant.Base{coolant.EG, coolant.EG, coolant.PG}),
		Tool: pick(rng, append([]string{""}, tools...)), Sample: maybe(rng, degrees(50*rng.Float64()))}
	switch rng.IntN(5) {
	case 0:
		t.Value = measure.Reading{Value: 70 * rng.Float64(), Unit: measure.Percent}
	case 1:
		t.Value = measure.Reading{Value: 50 * rng.Float64(), Unit: measure.Brix}
	case 2:
		t.Value, t.Scale = measure.Reading{Value: 6 * rng.Float64(), Unit: measure.Percent}, coolant.NoWater
	}
	t.Zero = maybe(rng, 3*rng.Float64()-1.5)
	t.Warmed = rng.IntN(4) == 0
	return t
}

// Entry of a body, d days after the start, at one of a few hours of the day, so
// that some fall on the same moment.
func Entry(rng *rand.Rand, u ledger.Unit, d int, id string, b ledger.Body) ledger.Entry {
	return ledger.Entry{ID: id, Unit: u.Code, At: Start.AddDate(0, 0, d).Add(time.Duration(rng.IntN(3)) * 5 * time.Hour), RecordedBy: pick(rng, People), Body: b}
}

// History of n entries and, besides, strikes and closed defects.
func History(rng *rand.Rand, u ledger.Unit, n int) []ledger.Entry {
	var entries []ledger.Entry
	add := func(d int, id string, b ledger.Body) {
		entries = append(entries, Entry(rng, u, d, id, b))
	}
	for i := range n {
		d := rng.IntN(Days)
		add(d, fmt.Sprintf("%06d", rng.IntN(1_000_000)*100+i), Body(rng, u, d))
	}
	for i := range rng.IntN(3) {
		add(rng.IntN(Days), fmt.Sprintf("strike%d-%d", i, rng.Int()), ledger.Strike{Entry: entries[rng.IntN(n)].ID, Why: "typed wrong"})
	}
	for i := range n {
		if entries[i].Kind() == ledger.KindDefect && rng.IntN(2) == 0 {
			add(rng.IntN(Days), fmt.Sprintf("close%d", i), ledger.DefectClosed{Defect: entries[i].ID, How: "repaired"})
		}
	}
	return entries
}

// Shuffled entries, as they may arrive.
func Shuffled(rng *rand.Rand, entries []ledger.Entry) []ledger.Entry {
	s := append([]ledger.Entry{}, entries...)
	rng.Shuffle(len(s), func(i, j int) { s[i], s[j] = s[j], s[i] })
	return s
}
