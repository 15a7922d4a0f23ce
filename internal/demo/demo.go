// Package demo makes the sample fleet: the public-works and island-services
// fleet of Skerrow Sound, a northern harbour county that does not exist. Every
// make, model and figure is invented. The same day gives the same fleet, entry
// ids included.
package demo

import (
	"crypto/sha256"
	"encoding/binary"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/climate"
	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/standin"
	"diligentledger/internal/store"
)

// Name of the fleet.
const Name = "Skerrow Sound"

// Sites, each with a winter of its own.
const (
	depot   = "Inland depot"
	harbour = "Harbour yard"
	strip   = "Airstrip"
	hill    = "Hill garage"
)

var sites = []store.LoadedSite{
	{Name: depot, Altitude: 85, Cold: climate.MonthlyCurve{-24, -23, -16, -7, -2, 3, 6, 5, 1, -4, -11, -19}},
	{Name: harbour, Altitude: 4, Cold: climate.MonthlyCurve{-13, -13, -9, -4, 0, 4, 7, 7, 3, -1, -6, -10}},
	{Name: strip, Altitude: 22, Cold: climate.MonthlyCurve{-17, -16, -12, -6, -1, 3, 6, 6, 2, -3, -8, -13}},
	{Name: hill, Altitude: 610, Cold: climate.MonthlyCurve{-25, -24, -19, -11, -4, 1, 4, 3, -1, -7, -12, -19}},
}

// Products, by their part in the fleet.
var (
	oatConcentrate = coolant.Product{Code: "NORD-OAT-C", Name: "Norhav OAT concentrate", Base: coolant.EG, Technology: "OAT", Form: coolant.Concentrate, Glycol: 0.99, Stated: true,
		Density: 1.122, Fresh: 4.5, Meets: []coolant.Standard{coolant.D3306}}
	oatPremix      = coolant.Product{Code: "NORD-OAT-50", Name: "Norhav OAT premix 50", Base: coolant.EG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.50, Fresh: 4.5, Meets: []coolant.Standard{coolant.D3306}}
	siConcentrate  = coolant.Product{Code: "SKER-SI-C", Name: "Skerry Si-OAT concentrate", Base: coolant.EG, Technology: "Si-OAT", Form: coolant.Concentrate, Glycol: 0.99, Stated: true, Meets: []coolant.Standard{coolant.D3306}}
	siPremix       = coolant.Product{Code: "SKER-SI-50", Name: "Skerry Si-OAT premix 50", Base: coolant.EG, Technology: "Si-OAT", Form: coolant.Premix, Glycol: 0.50, Meets: []coolant.Standard{coolant.D3306}}
	noatPremix     = coolant.Product{Code: "SKER-HD-50", Name: "Skerry HD NOAT premix 50", Base: coolant.EG, Technology: "NOAT", Form: coolant.Premix, Glycol: 0.50, Meets: []coolant.Standard{coolant.D6210}}
	iatConcentrate = coolant.Product{Code: "SKER-HD-C", Name: "Skerry HD IAT concentrate", Base: coolant.EG, Technology: "IAT", Form: coolant.Concentrate, Glycol: 0.95, Stated: true,
		Density: 1.13, Fresh: 11, Meets: []coolant.Standard{coolant.D4985}}
	pgPremix      = coolant.Product{Code: "TERN-PG-50", Name: "Tern PG premix 50", Base: coolant.PG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.50}
	pgConcentrate = coolant.Product{Code: "TERN-PG-C", Name: "Tern PG concentrate", Base: coolant.PG, Technology: "OAT", Form: coolant.Concentrate, Glycol: 0.95, Stated: true}
	lowPremix     = coolant.Product{Code: "NORD-LC-50", Name: "Norhav low-conductivity premix 50", Base: coolant.EG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.50, LowConductivity: true}
	waterless     = coolant.Product{Code: "NORD-WL", Name: "Norhav waterless", Base: coolant.NoWater, Technology: "waterless", Form: coolant.Premix, Glycol: 1, Freeze: &waterlessFreeze}
)

var waterlessFreeze = measure.Celsius(-40)

// Additives of the workshop.
var (
	sca         = coolant.Additive{Code: "SKER-SCA", Name: "Skerry SCA liquid", Kind: coolant.SCA, Nitrite: 90}
	extender    = coolant.Additive{Code: "SKER-EXT", Name: "Skerry NOAT extender", Kind: coolant.Extender, Nitrite: 60}
	filter      = coolant.Additive{Code: "SKER-AF-N", Name: "Skerry filter, need release", Kind: coolant.Filter, Nitrite: 15, Release: coolant.ReleaseNeed, Months: 12, Hours: 1_000}
	blankFilter = coolant.Additive{Code: "SKER-AF-B", Name: "Skerry filter, blank", Kind: coolant.Filter, Release: coolant.ReleaseNone, Months: 12, Hours: 1_000}
	additives   = []coolant.Additive{sca, extender, filter,
		{Code: "SKER-AF-C", Name: "Skerry filter, charged", Kind: coolant.Filter, Nitrite: 30, Release: coolant.ReleaseAtOnce, Months: 12, Hours: 1_000},
		blankFilter}
)

// rawWaterPlan is that of the boats with a raw-water side.
const rawWaterPlan = "Boat diesel, raw-water cooled"

var plans = []serviceplan.Plan{
	{Name: "Pool car", First: serviceplan.Interval{Months: 72, Km: 160_000}, Later: serviceplan.Interval{Months: 36, Km: 80_000}, FreezeMargin: 3, TestMonths: 12, FollowDays: 3},
	{Name: "Courier van", First: serviceplan.Interval{Months: 60, Km: 120_000}, Later: serviceplan.Interval{Months: 36, Km: 48_000}, FreezeMargin: 3, TestMonths: 12, FollowDays: 3},
	{Name: "Heavy truck", First: serviceplan.Interval{Months: 48, Hours: 6_000}, Later: serviceplan.Interval{Months: 36, Hours: 4_000}, FreezeMargin: 3, TestMonths: 12, FollowDays: 3},
	{Name: "Heavy truck, km or hours", First: serviceplan.Interval{Months: 48, Km: 500_000, Hours: 8_000}, Later: serviceplan.Interval{Months: 36, Km: 240_000, Hours: 4_000}, FreezeMargin: 3, TestMonths: 12, FollowDays: 3, Parts: []serviceplan.PartInterval{
		{Part: ledger.PartBlockHeater, Interval: serviceplan.Interval{Months: 12}}}},
	{Name: "Inverter loop", First: serviceplan.Interval{Months: 72, Km: 150_000}, Later: serviceplan.Interval{Months: 48, Km: 100_000}, FreezeMargin: 3, TestMonths: 12, FollowDays: 3},
	{Name: "Motorcycle", First: serviceplan.Interval{Months: 36, Km: 38_000}, Later: serviceplan.Interval{Months: 36, Km: 13_000}, FreezeMargin: 3, TestMonths: 12, FollowRuns: 2},
	{Name: "Boat diesel", First: serviceplan.Interval{Months: 24, Hours: 1_000}, Later: serviceplan.Interval{Months: 24, Hours: 1_000}, FreezeMargin: 3, TestMonths: 12, FollowRuns: 2},
	{Name: rawWaterPlan, First: serviceplan.Interval{Months: 24, Hours: 1_000}, Later: serviceplan.Interval{Months: 24, Hours: 1_000}, FreezeMargin: 3, TestMonths: 12, FollowRuns: 2, Parts: []serviceplan.PartInterval{
		{Part: ledger.PartImpeller, Interval: serviceplan.Interval{Months: int(coolant.ImpellerMonths.Value), Hours: 400}}, {Part: ledger.PartAnodes, Interval: serviceplan.Interval{Months: 12}},
		{Part: ledger.PartExchanger, Interval: serviceplan.Interval{Months: int(coolant.ExchangerMonths.Value)}}, {Part: ledger.PartAntiSiphon, Interval: serviceplan.Interval{Months: 24}}}},
	{Name: "Light aircraft", First: serviceplan.Interval{Months: 24, Hours: 200}, Later: serviceplan.Interval{Months: 24, Hours: 200}, FreezeMargin: 5, Strategy: serviceplan.ConditionBased, TestMonths: 6, CapMonths: 24, FollowRuns: 2, Parts: []serviceplan.PartInterval{{Part: serviceplan.PartInspection, Interval: serviceplan.Interval{Months: 12, Hours: measure.Hour(coolant.AircraftHours.Value)}}}},
	{Name: "Electric drive", First: serviceplan.Interval{Months: 60, Km: 150_000}, Later: serviceplan.Interval{Months: 48, Km: 100_000}, FreezeMargin: 3, TestMonths: 12, FollowDays: 3},
	{Name: "Sealed fill, precautionary", First: serviceplan.Interval{Months: 60}, Later: serviceplan.Interval{Months: 24, Km: 30_000}, FreezeMargin: 3, Strategy: serviceplan.SealedForLife, TestMonths: 12, HoseYears: 8, FollowDays: 3},
}

// Weather of the sites, made up about their curves.
func Weather() standin.Weather {
	curves := map[string]climate.MonthlyCurve{}
	for _, s := range sites {
		curves[s.Name] = s.Cold
	}
	return standin.Weather{Sites: curves, Snap: 3}
}

// Fleet as of today, whose time of day does not matter.
func Fleet(today time.Time) store.LoadedFleet {
	f := store.LoadedFleet{Name: Name, Sites: sites, Plans: plans,
		Products:  []coolant.Product{oatConcentrate, oatPremix, siConcentrate, siPremix, noatPremix, iatConcentrate, pgPremix, pgConcentrate, lowPremix, waterless},
		Additives: additives}
	for _, s := range stories {
		b := &book{unit: equipped(s.unit), today: midnight(today)}
		s.history(b)
		f.Units = append(f.Units, b.recorded())
	}
	for _, l := range lifts {
		f.Units = append(f.Units, l.loaded(&book{unit: equipped(l.unit), today: midnight(today)}))
	}
	for _, r := range routines {
		b := &book{unit: equipped(r.unit), today: midnight(today)}
		r.live(b, 1)
		f.Units = append(f.Units, b.recorded())
	}
	registered(&f, measure.DateOf(today, today.Location()))
	day := func(ahead int) measure.Date { return measure.DateOf(today, today.Location()).AddDays(ahead) }
	at := func(ahead int) time.Time { return midnight(today).AddDate(0, 0, ahead) }
	f.Planned = []store.LoadedWork{
		{Unit: "CA-14", Work: clock.RenewWork, From: day(9), To: day(13), By: "E. Marrow", At: at(-6)},
		{Unit: "HB-02", Work: clock.RenewWork, From: day(15), To: day(22), By: "E. Marrow", At: at(-6)},
		{Unit: "AV-02", Work: clock.RenewWork, From: day(5), To: day(8), By: "E. Marrow", At: at(-5)},
		{Unit: "CA-47", Work: clock.RepairWork, From: day(-12), To: day(-3), By: "E. Marrow", At: at(-20)},
		{Unit: "CA-43", Work: clock.TestWork, From: day(-14), To: day(-7), By: "E. Marrow", At: at(-15)},
	}
	return f
}

// midnight of the day of t, where t is.
func midnight(t time.Time) time.Time {
	y, m, d := t.Date()
	return time.Date(y, m, d, 0, 0, 0, 0, t.Location())
}

// equipped adds what the register knows of a kind: the cap's rating and, for
// what has an expansion tank with straight sides, its litres a millimetre and the
// distance of its marks.
func equipped(u store.LoadedUnit) store.LoadedUnit {
	u.Cap = map[string]measure.Kilopascal{"car": 108, "truck": 100, "motorcycle": 130, "boat": 90, "aircraft": 83}[u.Kind]
	if u.Kind == "car" {
		u.Tank, u.Marks = 0.012, 30
	}
	u.Metal, u.Drive = coolant.Aluminium, "combustion"
	switch u.Kind {
	case "truck":
		u.WetLiners, u.Metal = true, coolant.Iron
		u.Listed = []string{siConcentrate.Code, siPremix.Code}
	case "boat":
		u.Metal = coolant.Iron
		// Most are keel-cooled; of HB-11 it is not known.
		switch {
		case u.Plan == rawWaterPlan:
			u.RawWater = ledger.Yes
		case u.Code != "HB-11":
			u.RawWater = ledger.No
		}
	case "motorcycle":
		u.SilicateFree = true
	case "aircraft":
		u.Required, u.Listed = coolant.OAT, []string{oatPremix.Code}
	}
	switch {
	case strings.Contains(u.Name, "hybrid"):
		u.Drive = "hybrid"
	case strings.Contains(u.Name, "electric"):
		u.Drive, u.PremixOnly = "electric", true
	}
	return u
}

// book collects the entries of one unit, each dated in days before today.
type book struct {
	unit  store.LoadedUnit
	today time.Time
}

// confirmed is an entry that was asked about when it was written.
func (b *book) confirmed(daysAgo int, body ledger.Body) {
	b.write(daysAgo, body)
	b.unit.Entries[len(b.unit.Entries)-1].Confirmed = true
}

func (b *book) write(daysAgo int, body ledger.Body) {
	n := len(b.unit.Entries)
	// Mornings, between half past six and nine.
	at := b.today.AddDate(0, 0, -daysAgo).Add(time.Duration(390+noise(b.unit.Code, n, 150)) * time.Minute)
	b.unit.Entries = append(b.unit.Entries, ledger.Entry{ID: entryID(b.unit.Code, n, at), Unit: b.unit.Code,
		At: at, RecordedAt: at.Add(12 * time.Minute), RecordedBy: b.recorder(n, body), Body: body})
}

// recorded is the unit with its entries in the order of recording.
func (b *book) recorded() store.LoadedUnit {
	slices.SortStableFunc(b.unit.Entries, func(x, y ledger.Entry) int { return x.RecordedAt.Compare(y.RecordedAt) })
	return b.unit
}

// recorder of an entry: a technician mostly, the signatory what only they may
// write, the coordinator strikes.
func (b *book) recorder(n int, body ledger.Body) string {
	switch body.(type) {
	case ledger.Release, ledger.DefectClosed:
		return "O. Fenn"
	case ledger.Strike:
		return "E. Marrow"
	}
	return []string{"T. Quayle", "I. Sund", "T. Quayle", "I. Sund", "E. Marrow"}[noise(b.unit.Code, n, 5)]
}

// last is the id of the entry written last.
func (b *book) last() string { return b.unit.Entries[len(b.unit.Entries)-1].ID }

// entryID is a UUID version 7 (RFC 9562) whose random part is a hash of where
// the entry is written, so that the demo is the same on every machine.
func entryID(code string, n int, at time.Time) string {
	sum := sha256.Sum256(binary.BigEndian.AppendUint32([]byte(code), uint32(n)))
	id := uuid.UUID(sum[:16])
	ms := uint64(at.UnixMilli())
	for i := range 6 {
		id[i] = byte(ms >> (40 - 8*i))
	}
	id[6] = id[6]&0x0f | 0x70
	id[8] = id[8]&0x3f | 0x80
	return id.String()
}

// noise is a number from 0 to below, the same for the same place.
func noise(code string, n, below int) int {
	sum := sha256.Sum256(binary.BigEndian.AppendUint32([]byte("noise"+code), uint32(n)))
	return int(binary.BigEndian.Uint32(sum[:]) % uint32(below))
}

func litres(v float64) measure.Reading { return measure.Reading{Value: v, Unit: measure.L} }

func (b *book) meterReading(v float64) measure.Reading {
	return measure.Reading{Value: float64(int(v)), Unit: b.unit.Meter}
}

// fillPremix and fillMixed are renewals with their follow-ups, or the fill the
// unit came with; meter below 0 was not read.
func (b *book) fillPremix(daysAgo int, p coolant.Product, volume, meter float64, factory bool) {
	b.fillMixed(daysAgo, p, volume, 0, meter, factory)
}

func (b *book) fillMixed(daysAgo int, p coolant.Product, volume, share, meter float64, factory bool) {
	if !factory {
		b.renew(daysAgo, p, volume, share, meter)
		return
	}
	v, o := litres(volume), ledger.Opening{History: ledger.Factory, Product: &p}
	o.Volume = &v
	if share > 0 {
		o.Share = &share
	}
	if meter >= 0 {
		m := b.meterReading(meter)
		o.Meter = &m
	}
	b.write(daysAgo, o)
}

func (b *book) water(daysAgo int, volume float64) {
	b.write(daysAgo, ledger.TopUp{Volume: litres(volume), With: coolant.Water})
}

func (b *book) topUp(daysAgo int, p coolant.Product, volume float64) {
	b.write(daysAgo, ledger.TopUp{Volume: litres(volume), With: p.Form, Product: &p})
}

func (b *book) loss(daysAgo int, volume float64, note string) {
	b.write(daysAgo, ledger.Loss{Volume: litres(volume), Note: note})
}

func (b *book) test(daysAgo int, celsius float64, scale coolant.Base) {
	zero := 0.0
	b.write(daysAgo, ledger.FreezeTest{Value: measure.Reading{Value: celsius, Unit: measure.DegC},
		Instrument: ledger.Refractometer, Scale: scale, Tool: tools[b.unit.Site], Zero: &zero})
}

// Steps of the strips, ppm of NO₂: those for nitrited OAT and those for SCA; and of pH.
var (
	noatSteps = []float64{0, 150, 300, 400, 600, 800, 1000, 1200, 1600}
	scaSteps  = []float64{0, 300, 800, 1200, 1600, 2400, 3200}
	phSteps   = []float64{6.5, 7, 7.5, 8, 8.5, 9, 9.5, 10, 11}
)

// step that a value lies in.
func step(v float64, steps []float64) (low, high *float64) {
	i := 0
	for i < len(steps)-2 && steps[i+1] <= v {
		i++
	}
	return &steps[i], &steps[i+1]
}

// strip reads nitrite and pH in their steps.
func (b *book) strip(daysAgo int, nitrite, ph float64, steps []float64) {
	t := ledger.ChemistryTest{Method: ledger.ByStrip, Appearance: coolant.AppearanceClear, Tool: "strips"}
	t.Nitrite, t.NitriteTo = step(nitrite, steps)
	t.PH, t.PHTo = step(ph, phSteps)
	b.write(daysAgo, t)
}

// tools are the refractometers of the sites.
var tools = map[string]string{depot: "R-1", harbour: "R-2", strip: "R-3", hill: "R-4"}

// meters writes a reading at a fixed interval of days, from one day to another, the
// meter running from a start at a rate a day, a little unevenly.
func (b *book) meters(from, to, every int, start, rate float64) {
	for d := from; d >= to; d -= every {
		ahead := float64(every) * float64(noise(b.unit.Code, d, 60)) / 100
		b.write(d, ledger.Meter{Meter: b.meterReading(start + rate*(float64(from-d)+ahead))})
	}
}
