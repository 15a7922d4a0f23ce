package demo

import (
	"math"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/store"
)

// season says when a unit is used.
type season int

const (
	allYear season = iota
	summer         // April to October, laid up in between
	winter         // November to March, idle in between
)

func (s season) active(m time.Month) bool {
	inSummer := m >= time.April && m <= time.October
	return s == allYear || inSummer == (s == summer)
}

// routine is an ordinary life: a factory fill, tests in spring and autumn,
// inspected now and then, renewed on time.
type routine struct {
	unit    store.LoadedUnit
	since   int // days ago that it came
	product coolant.Product
	share   float64 // per cent of concentrate; 0 for a premix
	every   int     // days between renewals
	start   float64 // of the meter
	rate    float64 // a day in use
	season  season
	thirst  float64 // L topped up a year
}

// live writes the routine from its beginning to the day until days ago.
func (r routine) live(b *book, until int) {
	share := (*float64)(nil)
	if r.share > 0 {
		share = &r.share
	}
	meter, lastRead, lastFill, poured := r.start, r.since, r.since, 0.0
	fresh := litres(float64(b.unit.Capacity))
	first := b.meterReading(meter)
	b.write(r.since, ledger.Opening{History: ledger.Factory, Volume: &fresh, Product: &r.product, Share: share, Meter: &first})
	laid := false
	for d := r.since - 1; d >= until; d-- {
		day := b.today.AddDate(0, 0, -d)
		active := r.season.active(day.Month())
		if active {
			meter += r.rate * round(b.unit.Code, d) * week(b.unit.Code, d)
			poured += r.thirst / 365
		}
		if r.season == summer && active == laid {
			laid = !active
			if laid {
				b.write(d, ledger.LayUp{Note: "winter quarters", RawWater: b.drainedIfRaw()})
			} else {
				b.write(d, ledger.Return{})
			}
		}
		if lastRead-d >= 50+noise(b.unit.Code, d, 30) && active {
			lastRead = d
			b.write(d, ledger.Meter{Meter: b.meterReading(meter)})
		}
		r.lookOver(b, d, day, active)
		r.chemistry(b, d, day, lastFill-d)
		if poured > 0.3 && noise(b.unit.Code, d, 12) == 0 {
			b.topUp(d, r.premix(), float64(int(poured*10))/10)
			poured = 0
		}
		if lastFill-d >= r.every && d > until+3 && active {
			lastFill, poured = d, 0
			b.renew(d, r.product, drained(float64(b.unit.Capacity)), r.share, meter)
			for _, after := range []int{2, 3} {
				if d-after >= until {
					b.write(d-after, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"})
				}
			}
		}
	}
}

// drained of a system by its petcock and block: a twentieth stays inside (common practice).
func drained(capacity float64) float64 { return round1(0.95*capacity - 0.05) }

// round a unit is on: every two years or so it is given another.
func round(code string, daysAgo int) float64 {
	return 0.55 + float64(noise(code+"round", (daysAgo+noise(code, 7, 600))/690, 100))/100
}

// week that is busier or quieter than most.
func week(code string, daysAgo int) float64 {
	return 0.4 + float64(noise(code+"week", daysAgo/7, 60)+noise(code+"other", daysAgo/7, 60))/100
}

// premix of the routine's coolant for topping up.
func (r routine) premix() coolant.Product {
	switch r.product.Code {
	case oatConcentrate.Code:
		return oatPremix
	case siConcentrate.Code:
		return siPremix
	case pgConcentrate.Code:
		return pgPremix
	}
	return r.product
}

// lookOver is what the calendar brings: a freeze test in spring and autumn, cap
// and hoses before the winter, other points after it, the level in between.
func (r routine) lookOver(b *book, d int, day time.Time, active bool) {
	due := func(month time.Month, what int) bool {
		return day.Month() == month && day.Day() == 2+noise(b.unit.Code, day.Year()*10+what, 24)
	}
	if due(time.April, 1) || due(time.October, 2) {
		b.test(d, nominal(r.product, r.share)+float64(noise(b.unit.Code, d, 3)-1), r.product.Base)
	}
	if due(time.October, 3) {
		b.capTest(d, 0.96+float64(noise(b.unit.Code, d, 8))/100)
	}
	if due(time.September, 4) {
		b.write(d, ledger.HoseCheck{Hoses: []ledger.HoseFound{{Hose: "upper", State: "good", Clamp: "good"}, {Hose: "lower", State: "good", Clamp: "good"},
			{Hose: "heater_feed", State: "good"}, {Hose: "heater_return", State: "good"}}})
	}
	if due(time.March, 5) || b.unit.Kind == "aircraft" && (due(time.June, 6) || due(time.September, 6) || due(time.December, 6)) {
		b.write(d, r.inspection(noise(b.unit.Code, d, 8)))
	}
	if active && (due(time.January, 7) || due(time.May, 8) || due(time.August, 9)) {
		b.write(d, ledger.LevelCheck{Temper: ledger.Cold, Mark: []string{"max", "max", "between"}[noise(b.unit.Code, d, 3)]})
	}
}

// chemistry of the charge: strips in June and December where liners are protected by
// nitrite, which is spent by itself; elsewhere pH and stray voltage by meter every other June.
func (r routine) chemistry(b *book, d int, day time.Time, age int) {
	n := noise(b.unit.Code, day.Year()*10+int(day.Month()), 24)
	if day.Day() != 2+n || day.Month() != time.June && day.Month() != time.December {
		return
	}
	ph := 8.6 - float64(n%5)/10
	if r.product.Technology == string(coolant.NOAT) {
		b.strip(d, 820-0.36*float64(age), ph, noatSteps)
		return
	}
	if day.Month() == time.June && day.Year()%2 == 0 {
		volts := func(salt int) *float64 {
			v := float64(noise(b.unit.Code, d+salt, 9)-2) / 100
			return &v
		}
		b.write(d, ledger.ChemistryTest{Method: ledger.ByMeter, PH: &ph, StrayOff: volts(0), StrayCranking: volts(1), StrayLoads: volts(2), Appearance: coolant.AppearanceClear})
	}
}

func (r routine) inspection(blocked int) ledger.Inspection {
	share := float64(blocked)
	points := []ledger.PointFound{{Point: "pump", State: "good"}, {Point: "weep_hole", State: "good"}, {Point: "recovery_tank", State: "good"}}
	if r.unit.Kind == "boat" {
		return ledger.Inspection{Points: append(points, ledger.PointFound{Point: "heat_exchanger", State: "good"},
			ledger.PointFound{Point: "impeller", State: "renewed"}, ledger.PointFound{Point: "anti_siphon", State: "good"}, ledger.PointFound{Point: "anodes", State: "good"})}
	}
	return ledger.Inspection{Points: append(points, ledger.PointFound{Point: "fins", Blocked: &share})}
}

// drainedIfRaw is the state in which the raw-water side of a boat is laid up; empty without one.
func (b *book) drainedIfRaw() string {
	if b.unit.RawWater == ledger.Yes {
		return ledger.RawDrained
	}
	return ""
}

func (b *book) capTest(daysAgo int, share float64) {
	if b.unit.Cap == 0 {
		return
	}
	yes := true
	opened := measure.Reading{Value: float64(int(share * float64(b.unit.Cap))), Unit: measure.KPa}
	b.write(daysAgo, ledger.CapTest{Opened: &opened, Holds: &yes, Vacuum: "opens", Seal: "good", Seated: &yes})
}

// renew drains by the petcock and the block, fills as much again, looks at the
// level on the next morning and tests a day later.
func (b *book) renew(daysAgo int, p coolant.Product, volume, share, meter float64) {
	b.write(daysAgo, b.renewal(p, volume, share, meter))
	b.followUp(daysAgo, p, share)
}

func (b *book) renewal(p coolant.Product, volume, share, meter float64) ledger.Renewal {
	block := float64(int(volume)) / 10
	r := ledger.Renewal{Volume: litres(volume), Product: p, Level: ledger.Cold, Method: []string{"gravity", "vacuum", "manual"}[noise(b.unit.Code, len(b.unit.Entries), 3)],
		Drained: []ledger.Drained{{Point: "petcock", Volume: litres(round1(volume - block))}, {Point: "block", Volume: litres(block)}},
		Parts:   []string{"drain plug washer"}}
	if block == 0 {
		r.Drained = []ledger.Drained{{Point: "petcock", Volume: litres(volume)}}
	}
	if share > 0 {
		r.Share = &share
	}
	if meter >= 0 {
		m := b.meterReading(meter)
		r.Meter = &m
	}
	return r
}

func round1(v float64) float64 { return float64(int(v*10+0.5)) / 10 }

// followUp is the level on the next morning and the freeze point a day later,
// as a fill of that share should read.
func (b *book) followUp(daysAgo int, p coolant.Product, share float64) {
	if daysAgo > 1 {
		b.write(daysAgo-1, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"})
	}
	if daysAgo > 2 {
		b.test(daysAgo-2, nominal(p, share), p.Base)
	}
	if b.unit.Kind == "aircraft" && daysAgo > 3 {
		b.write(daysAgo-3, ledger.Release{What: "coolant renewed, level and freeze point checked, no leaks", Certificate: "SS-0412", CertificateKind: "inspection authorisation", Data: "MM 75-20-01"})
	}
}

// nominal freeze point of a fill, to a degree.
func nominal(p coolant.Product, share float64) float64 {
	c, err := coolant.PourProduct(p, 1)
	if share > 0 {
		c, err = coolant.Mix(p, 1, share/100)
	}
	if err != nil {
		panic(err) // the products above are in the tables
	}
	t, err := c.FreezePoint()
	if err != nil {
		panic(err)
	}
	return math.Round(float64(t))
}

// routines are the units nothing is the matter with.
var routines = []routine{
	{unit: unit("CA-01", "pool car, petrol 1.0", "car", depot, "Pool car", 5.4, coolant.EG, measure.Km), since: 2555, product: oatConcentrate, share: 50, every: 1060, start: 9, rate: 34, thirst: 0.2},
	{unit: unit("CA-03", "pool car, hybrid 1.8", "car", harbour, "Pool car", 7.4, coolant.EG, measure.Km), since: 1700, product: oatPremix, every: 1075, start: 6, rate: 41},
	{unit: unit("CA-05", "district nurse, petrol 1.2", "car", harbour, "Pool car", 6.2, coolant.EG, measure.Km), since: 2210, product: oatConcentrate, share: 50, every: 1000, start: 15, rate: 62, thirst: 0.3},
	{unit: unit("CA-07", "district nurse, petrol 1.2", "car", hill, "Pool car", 6.2, coolant.EG, measure.Km), since: 2190, product: oatConcentrate, share: 50, every: 1050, start: 8, rate: 48, thirst: 0.4},
	{unit: unit("CA-11", "pool car, electric", "car", depot, "Sealed fill, precautionary", 11.5, coolant.EG, measure.Km), since: 1300, product: oatPremix, every: 5000, start: 4, rate: 27},
	{unit: unit("CA-16", "school bus, 9 seats", "car", depot, "Courier van", 9.6, coolant.EG, measure.Km), since: 2400, product: oatConcentrate, share: 50, every: 800, start: 20, rate: 58, thirst: 0.5},
	{unit: unit("CA-20", "courier van, diesel 2.0", "car", depot, "Courier van", 9.0, coolant.EG, measure.Km), since: 1650, product: oatPremix, every: 760, start: 25, rate: 61, thirst: 0.4},
	{unit: unit("CA-26", "workshop van, diesel 2.2", "car", depot, "Courier van", 9.8, coolant.EG, measure.Km), since: 2700, product: oatConcentrate, share: 50, every: 950, start: 12, rate: 39, thirst: 0.2},
	{unit: unit("CA-28", "lighthouse service pickup", "car", harbour, "Pool car", 8.8, coolant.EG, measure.Km), since: 2000, product: oatConcentrate, share: 50, every: 1080, start: 22, rate: 24, thirst: 0.2},
	{unit: unit("TK-01", "tipper, 4x2", "truck", depot, "Heavy truck", 26, coolant.EG, measure.H), since: 2600, product: noatPremix, every: 1000, start: 5, rate: 3.4, thirst: 1},
	{unit: unit("TK-06", "skip loader", "truck", harbour, "Heavy truck", 24, coolant.EG, measure.H), since: 1800, product: noatPremix, every: 1050, start: 9, rate: 4.0, thirst: 0.6},
	{unit: unit("TK-08", "crane truck, 6x2", "truck", harbour, "Heavy truck", 32, coolant.EG, measure.H), since: 2900, product: noatPremix, every: 980, start: 14, rate: 2.7, thirst: 0.9},
	{unit: unit("TK-10", "refuse collector, side loader", "truck", depot, "Heavy truck", 31, coolant.EG, measure.H), since: 1600, product: noatPremix, every: 900, start: 6, rate: 4.6, thirst: 1.2},
	{unit: unit("TK-14", "sewer jetter", "truck", depot, "Heavy truck", 29, coolant.EG, measure.H), since: 2100, product: siConcentrate, share: 50, every: 1030, start: 12, rate: 2.2, thirst: 0.7},
	{unit: unit("TK-16", "sweeper, compact", "truck", harbour, "Heavy truck", 17, coolant.EG, measure.H), since: 1450, product: siConcentrate, share: 50, every: 1060, start: 8, rate: 3.3, season: summer, thirst: 0.6},
	{unit: unit("TK-22", "gritter, 4x4", "truck", hill, "Heavy truck", 27, coolant.EG, measure.H), since: 2300, product: siConcentrate, share: 50, every: 1080, start: 11, rate: 3.0, season: winter, thirst: 0.7},
	{unit: unit("TK-24", "plough, 6x6", "truck", hill, "Heavy truck", 34, coolant.EG, measure.H), since: 2850, product: siConcentrate, share: 50, every: 1040, start: 30, rate: 3.8, season: winter, thirst: 0.8},
	{unit: unit("TK-35", "runway sweeper", "truck", strip, "Heavy truck", 30, coolant.EG, measure.H), since: 1750, product: noatPremix, every: 1050, start: 8, rate: 1.1, thirst: 0.3},
	{unit: unit("MC-01", "warden's motorcycle, 650", "motorcycle", harbour, "Motorcycle", 2.0, coolant.EG, measure.Km), since: 1900, product: oatPremix, every: 900, start: 3, rate: 28, season: summer, thirst: 0.1},
	{unit: unit("MC-02", "warden's motorcycle, 650", "motorcycle", harbour, "Motorcycle", 2.0, coolant.EG, measure.Km), since: 1880, product: oatPremix, every: 1000, start: 2, rate: 22, season: summer, thirst: 0.1},
	{unit: unit("MC-05", "parcel three-wheeler", "motorcycle", depot, "Motorcycle", 2.6, coolant.EG, measure.Km), since: 1100, product: oatPremix, every: 700, start: 5, rate: 19, thirst: 0.1},
	{unit: unit("HB-01", "ferry tender, port engine", "boat", harbour, "Boat diesel", 26, coolant.PG, measure.H), since: 2700, product: pgConcentrate, share: 50, every: 700, start: 40, rate: 1.6, thirst: 0.8},
	{unit: unit("HB-03", "ferry tender, starboard engine", "boat", harbour, "Boat diesel", 26, coolant.PG, measure.H), since: 2700, product: pgConcentrate, share: 50, every: 715, start: 38, rate: 1.6, thirst: 0.9},
	{unit: unit("HB-04", "survey launch", "boat", harbour, "Boat diesel, raw-water cooled", 12, coolant.PG, measure.H), since: 2050, product: pgPremix, every: 690, start: 15, rate: 1.2, season: summer, thirst: 0.3},
	{unit: unit("HB-05", "rescue boat", "boat", harbour, "Boat diesel", 15, coolant.PG, measure.H), since: 1560, product: pgPremix, every: 680, start: 12, rate: 0.7, thirst: 0.2},
	{unit: unit("AV-03", "training plane, liquid-cooled", "aircraft", strip, "Light aircraft", 3.4, coolant.EG, measure.H), since: 1250, product: oatPremix, every: 400, start: 3, rate: 0.42, thirst: 0.1},
	{unit: unit("AV-04", "island mail plane, liquid-cooled", "aircraft", strip, "Light aircraft", 4.1, coolant.EG, measure.H), since: 1020, product: oatPremix, every: 330, start: 5, rate: 0.5, thirst: 0.2},
}
