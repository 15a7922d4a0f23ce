package coolant

// Standing of a limit: what it rests on. Every figure here was recalled from memory.
type Standing string

// The standings.
const (
	Published      Standing = "published"       // a standard or a handbook, named in the source
	CommonPractice Standing = "common practice" // no source to cite
	Judgement      Standing = "judgement"       // ours, conservative, where the trade has no figure
)

// Limit is one figure that a judgement rests on. Its value is replaced by the figure
// of the same key that a product or a unit's maker states, see [Figures].
type Limit struct {
	Key   string
	Value float64
	Unit  string // "share" is a fraction, 0 to 1
	// Of what: the property, with the technology, metal or kind it holds for.
	Of       string
	Standing Standing
	Source   string // of a published limit; else why it was chosen
	// Instead is what would take the place of a judgement: a maker's figure, a test, a source; empty for any other
	// standing.
	Instead string
	Use     string // where it is used, and what follows
}

// Figures of a product or a unit's maker, by the key of the [Limit] that they replace.
type Figures map[string]float64

// In force is the first figure that over states under the limit's key, in the order
// given (the unit's maker before the product), else the limit's own value.
func (l Limit) In(over ...Figures) float64 {
	for _, f := range over {
		if v, ok := f[l.Key]; ok {
			return v
		}
	}
	return l.Value
}

// Limits of the mix and its chemistry, in the order of docs/limits.md.
func Limits() []Limit { return append([]Limit{}, limits...) }

// FindLimit by its key; false when there is none.
func FindLimit(key string) (Limit, bool) {
	for _, l := range limits {
		if l.Key == key {
			return l, true
		}
	}
	return Limit{}, false
}

var limits []Limit

// judged is a limit that is judgement, with what would take its place.
func judged(key string, value float64, unit, of, why, use, instead string) Limit {
	l := Limit{Key: key, Value: value, Unit: unit, Of: of, Standing: Judgement, Source: why, Use: use, Instead: instead}
	limits = append(limits, l)
	return l
}

func limit(key string, value float64, unit, of string, standing Standing, source, use string) Limit {
	l := Limit{Key: key, Value: value, Unit: unit, Of: of, Standing: standing, Source: source, Use: use}
	limits = append(limits, l)
	return l
}

const (
	d6210 = "ASTM D6210"
	d3306 = "ASTM D3306"
)

// Strength of the mix, by volume of glycol.
var (
	StrengthDueLow = limit("strength_due_low", 0.33, "share", "glycol by volume", CommonPractice,
		"inhibitors are too thin", "strength clock: due below; least target of a correction")
	StrengthWatchLow = limit("strength_watch_low", 0.40, "share", "glycol by volume", CommonPractice,
		"inhibitors are thin and liners cavitate", "strength clock: watch below; warning of a correction")
	StrengthWatchHigh = limit("strength_watch_high", 0.60, "share", "glycol by volume", CommonPractice,
		"cooling worsens", "strength clock: watch above; water onto a premix corrects from here on; warning of a correction")
	StrengthDueHigh = limit("strength_due_high", 0.67, "share", "glycol by volume", CommonPractice,
		"protection and cooling fall off", "strength clock: due above")
	strengthTargetMost = limit("strength_target_most", 0.65, "share", "glycol by volume", CommonPractice,
		"EG protects less again above", "most target of a correction")
)

// Nitrite as NO₂ and molybdate as MoO₄, in wet-liner diesels.
var (
	nitriteAlone = limit("nitrite_alone", 1200, "ppm NO₂", "nitrite, molybdate not counted", Published, d6210, "chemistry: good from, in SCA-treated coolant and any whose technology is not known")
	nitriteEach  = limit("nitrite_each", 300, "ppm", "nitrite (NO₂) and molybdate (MoO₄), each", Published, d6210, "chemistry: neither replaces the other below it")
	nitriteSum   = limit("nitrite_sum", 780, "ppm", "nitrite (NO₂) + molybdate (MoO₄)", Published, d6210, "chemistry: good from, with at least nitrite_each of both")
	nitriteLow   = limit("nitrite_low", 800, "ppm NO₂", "nitrite, SCA-treated coolant", CommonPractice, "", "chemistry: bad below; remedy: SCA")
	nitriteHigh  = limit("nitrite_high", 2400, "ppm NO₂", "nitrite, any coolant", CommonPractice, "", "chemistry: watch above")
	nitriteMost  = limit("nitrite_most", 3200, "ppm NO₂", "nitrite, any coolant", CommonPractice, "additives drop out of solution", "chemistry: bad above; a dose beyond it is refused; remedy: drain part, dilute")
	noatExtend   = limit("noat_extend", 300, "ppm NO₂", "nitrite, nitrited OAT", CommonPractice, "", "chemistry: bad below; remedy: extender")
	noatLow      = limit("noat_fresh_low", 400, "ppm NO₂", "nitrite, nitrited OAT, new", CommonPractice, "", "chemistry: watch below")
	noatHigh     = limit("noat_fresh_high", 1000, "ppm NO₂", "nitrite, nitrited OAT, new", CommonPractice, "", "chemistry: watch above, something was added; taken of a charge that was never tested when a dose is added up")
	scaTarget    = judged("sca_target", 1800, "ppm NO₂", "nitrite, SCA-treated coolant", "the middle of the good range", "litres of SCA and of a dilution", "the additive maker's dosing table")
	noatTarget   = judged("noat_target", 700, "ppm NO₂", "nitrite, nitrited OAT", "the middle of the range when new", "litres of extender and of a dilution", "the product's data sheet")
	// NitriteMonths after which a wet-liner diesel's nitrite that was not tested is watched.
	NitriteMonths = limit("nitrite_test_months", 12, "months", "nitrite test, wet-liner diesel", CommonPractice, "", "chemistry clock: watch after")
	// NitriteReplaced is the share of the charge that may be replaced before a nitrite that
	// was tested is not relied on.
	NitriteReplaced = judged("nitrite_replaced", 0.10, "share", "charge replaced since its nitrite was tested", "as much as of a foreign product", "chemistry clock: watch above", "a test after each top-up")
	// DoseRetestDays after a dose until its nitrite is to be tested.
	DoseRetestDays = judged("dose_retest_days", 7, "days", "test after a dose", "a week of use mixes it", "chemistry clock: due after", "the additive's label")
)

// pH of a sample, [least, watch below, watch above, most].
var (
	phIATLeast     = limit("ph_iat_least", 7.5, "pH", "IAT", Published, d3306+", of a new 50 % mixture", "chemistry: bad below")
	phIATWatchLow  = limit("ph_iat_watch_low", 8.0, "pH", "IAT", CommonPractice, "", "chemistry: watch below")
	phIATWatchHigh = limit("ph_iat_watch_high", 10.5, "pH", "IAT", CommonPractice, "", "chemistry: watch above")
	phIATMost      = limit("ph_iat_most", 11.0, "pH", "IAT", Published, d3306+", of a new 50 % mixture", "chemistry: bad above")
	phOATLeast     = limit("ph_oat_least", 7.0, "pH", "OAT, NOAT, Si-OAT, P-HOAT in service", CommonPractice, "", "chemistry: bad below")
	phOATWatchLow  = limit("ph_oat_watch_low", 7.5, "pH", "OAT, NOAT, Si-OAT, P-HOAT in service", CommonPractice, "", "chemistry: watch below")
	phOATWatchHigh = limit("ph_oat_watch_high", 9.5, "pH", "OAT, NOAT, Si-OAT, P-HOAT in service", CommonPractice, "", "chemistry: watch above")
	phOATMost      = limit("ph_oat_most", 10.0, "pH", "OAT, NOAT, Si-OAT, P-HOAT in service", CommonPractice, "cleaner, IAT or SCA got in", "chemistry: bad above")
	phHOATMost     = limit("ph_hoat_most", 10.5, "pH", "HOAT in service", CommonPractice, "", "chemistry: bad above; its other limits are those of OAT")
)

// Reserve alkalinity, as a share of the fresh product's.
var (
	reserveWatch = limit("reserve_watch", 0.5, "share", "reserve alkalinity, of the fresh product's", CommonPractice, "", "chemistry: watch below; not judged while the product does not state reserve_fresh")
	reserveBad   = judged("reserve_bad", 0.25, "share", "reserve alkalinity, of the fresh product's", "half of the watch limit", "chemistry: bad below; remedy: renew", "the product's data sheet")
)

// Stray voltage between coolant and battery ground, of either sign.
var (
	strayClean     = limit("stray_clean", 0.1, "V", "stray voltage", CommonPractice, "", "chemistry: good up to")
	strayIron      = limit("stray_iron", 0.3, "V", "stray voltage, iron", CommonPractice, "", "chemistry: bad from")
	strayAluminium = limit("stray_aluminium", 0.15, "V", "stray voltage, aluminium or a metal not known", CommonPractice, "", "chemistry: bad from")
)

// Foreign product in a charge, as a share of its glycol.
var (
	ForeignWatch = limit("foreign_watch", 0.10, "share", "foreign product in the charge", CommonPractice, "", "product finding: watch above, and the conventional interval")
	ForeignFlush = limit("foreign_flush", 0.25, "share", "foreign product in the charge", CommonPractice, "", "product finding: bad above; remedy: flush")
	// ConventionalMonths and ConventionalKm are the interval of a conventional coolant.
	ConventionalMonths = limit("conventional_months", 24, "months", "conventional interval", CommonPractice, "", "age clock of a charge with foreign product above foreign_watch")
	ConventionalKm     = limit("conventional_km", 48_000, "km", "conventional interval", CommonPractice, "", "use clock of a charge with foreign product above foreign_watch")
)

// What a can holds when its label does not say.
var (
	labelLow  = limit("label_glycol_low", 0.93, "share", "glycol in a concentrate, by volume", CommonPractice, "", "the books' uncertainty of a fill: its weak end")
	labelHigh = limit("label_glycol_high", 0.99, "share", "glycol in a concentrate of EG, by volume", CommonPractice, "", "the books' uncertainty of a fill: its strong end")
	labelEG   = judged("label_glycol_eg", 0.96, "share", "glycol in a concentrate of EG, by volume", "the middle of 93 to 99 %", "taken where the product does not say", "glycol stated on the product's data sheet")
	labelPG   = limit("label_glycol_pg", 0.94, "share", "glycol in a concentrate of PG, by volume", CommonPractice, "", "taken where the product does not say")
	labelPGBy = judged("label_glycol_pg_by", 0.02, "share", "the same, either side", "half and half reads −30 to −33 °C", "the books' uncertainty of a fill", "glycol stated on the product's data sheet")

	densityLow  = limit("concentrate_density_low", 1.110, "relative density", "concentrate of EG at 20 °C", CommonPractice, "", "hydrometer: cold end of a reading")
	densityHigh = limit("concentrate_density_high", 1.145, "relative density", "concentrate of EG at 20 °C", CommonPractice, "", "hydrometer: warm end of a reading, the one that counts")

	// WaterlessWater is the most water that a waterless coolant may hold.
	WaterlessWater = limit("waterless_water", 0.03, "share", "water in waterless coolant, by volume", CommonPractice, "", "refractometer test of waterless coolant: not usable above")
)

// Pressure cap and boil-over.
var (
	capNewLow   = limit("cap_new_low", 0.85, "share", "opening pressure of a new cap, of its rating", CommonPractice, "", "cap test: a new cap is replaced below")
	capUsedLow  = limit("cap_used_low", 0.75, "share", "opening pressure of a used cap, of its rating", CommonPractice, "", "cap test: replaced below; boil-over is computed with what it opened at")
	capHigh     = limit("cap_high", 1.15, "share", "opening pressure of a cap, of its rating", CommonPractice, "", "cap test: replaced above")
	vacuumLeast = limit("cap_vacuum_least", 1, "kPa", "vacuum valve opens, below ambient", CommonPractice, "", "cap test: leaks below")
	vacuumMost  = limit("cap_vacuum_most", 15, "kPa", "vacuum valve opens, below ambient", CommonPractice, "", "cap test: stuck above")
	// BoilLeast and BoilWanted are kelvins between the running temperature and boil-over.
	BoilLeast  = limit("boil_spare_least", 10, "K", "boil-over above the running temperature", CommonPractice, "", "Bench, will it boil: too little below")
	BoilWanted = limit("boil_spare_wanted", 15, "K", "boil-over above the running temperature", CommonPractice, "", "Bench, will it boil: enough from")
)

// Cleaner, extender, water.
var (
	cleanerLitres = limit("cleaner_litres", 11.4, "L", "one bottle of flush cleaner", CommonPractice, "12 US quarts", "bottles to buy: the capacity over it, rounded up")
	// WaterFlushesLeast and WaterFlushesMost follow a flush with cleaner.
	WaterFlushesLeast = limit("water_flushes_least", 2, "flushes", "purified water after a cleaner", CommonPractice, "", "renewal with cleaner: asked for below")
	WaterFlushesMost  = limit("water_flushes_most", 4, "flushes", "purified water after a cleaner", CommonPractice, "until it runs clear", "purified water to buy")
	// ExtenderHours, ExtenderKm and ExtenderMonths after the fill a once-in-a-life extender is due.
	ExtenderHours  = limit("extender_hours", 6000, "h", "once-in-a-life extender", CommonPractice, "", "extender clock")
	ExtenderKm     = limit("extender_km", 500_000, "km", "once-in-a-life extender", CommonPractice, "", "extender clock")
	ExtenderMonths = limit("extender_months", 36, "months", "once-in-a-life extender", CommonPractice, "", "extender clock")
)

// Water for mixing; the Bench finds them by their keys.
var _ = []Limit{
	limit("water_hardness", 170, "ppm", "hardness of water for mixing", Published, d3306+", annex", "Bench, is this water fit for mixing"),
	limit("water_chloride", 40, "ppm", "chloride in water for mixing", Published, d3306+", annex", "Bench, is this water fit for mixing"),
	limit("water_sulphate", 100, "ppm", "sulphate in water for mixing", Published, d3306+", annex", "Bench, is this water fit for mixing"),
	limit("water_solids", 340, "ppm", "dissolved solids in water for mixing", Published, d3306+", annex", "Bench, is this water fit for mixing"),
}

// Conductivity at 25 °C of the coolant in circuits of electric drives and batteries.
var (
	conductivityNew  = limit("conductivity_new", 100, "µS/cm", "coolant of electric-drive and battery circuits, new", CommonPractice, "", "chemistry: watch above")
	conductivityMost = judged("conductivity_most", 200, "µS/cm", "coolant of electric-drive and battery circuits, in service", "twice that of a new one; the limit in service is the maker's, who states it here", "chemistry: bad above; remedy: flush", "the vehicle maker's limit in service")
	conductivityRise = limit("conductivity_rise", 0.02, "share/K", "conductivity with the temperature of the sample", CommonPractice, "", "a reading is reduced to 25 °C")
)

// Service items of boats and aircraft: what a service plan begins with.
var (
	ImpellerMonths  = limit("impeller_months", 12, "months", "raw-water impeller", CommonPractice, "", "recommended to a service plan, which decides")
	ImpellerHours   = limit("impeller_hours", 200, "h", "raw-water impeller, the short end", CommonPractice, "200 to 500 h", "recommended to a service plan, which decides")
	AnodeMonths     = limit("anode_months", 6, "months", "anodes, the short end; replaced at half", CommonPractice, "6 to 12 months", "recommended to a service plan, which decides")
	ExchangerMonths = limit("exchanger_months", 24, "months", "heat exchanger", CommonPractice, "", "recommended to a service plan, which decides")
	AircraftHours   = limit("aircraft_hours", 100, "h", "aircraft inspection", CommonPractice, "", "recommended to a service plan, which decides")
	AircraftHoses   = limit("aircraft_hose_years", 5, "years", "aircraft hoses", CommonPractice, "about 5", "recommended to a service plan, which decides")
	// RawWaterFrost is where the raw-water side freezes: sea water a little lower, fresh water in it at 0.
	RawWaterFrost = limit("raw_water_frost", 0, "°C", "raw-water side that is not drained", CommonPractice, "fresh water; sea water freezes near −1.9 °C", "raw-water clock: held from the night on that is planned for as cold")
)

// Shelf life of products, for the Bench and the stores.
var _ = []Limit{
	limit("shelf_silicated_months", 18, "months", "shelf life of a silicated concentrate, the short end", CommonPractice, "18 to 36 months", notYet),
	limit("shelf_oat_months", 60, "months", "shelf life of an OAT concentrate", CommonPractice, "", notYet),
}

const notYet = "not used yet"
