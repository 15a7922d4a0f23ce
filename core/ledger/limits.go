package ledger

import "diligentledger/core/coolant"

// Keys of limits that are judgement.
const (
	LimitAnotherDay     = "another_day"
	LimitCommonCapacity = "common_capacity"
	LimitLeastOff       = "least_off"
)

// LimitAirTolerated is the key of the air that a system of a kind of unit tolerates.
func LimitAirTolerated(kind string) string { return "air_tolerated_" + kind }

// Limits that the fold rests on, for docs/limits.md. They are constants: a product or a
// maker does not replace them; a service plan replaces renewal_share.
func Limits() []coolant.Limit {
	row := func(key string, value float64, unit, of, source, use string) coolant.Limit {
		return coolant.Limit{Key: key, Value: value, Unit: unit, Of: of, Standing: coolant.CommonPractice, Source: source, Use: use}
	}
	judged := func(key string, value float64, unit, of, why, use, instead string) coolant.Limit {
		return coolant.Limit{Key: key, Value: value, Unit: unit, Of: of, Standing: coolant.Judgement, Source: why, Use: use, Instead: instead}
	}
	all := []coolant.Limit{
		row("renewal_share", DefaultReplaced, "share", "new coolant in the charge", "the service plan replaces it", "a partial drain-and-fill counts as a renewal from here on"),
		row("level_low", LowShare, "share", "of the last fill missing by the book", "about the band between the cold marks", "level clock: due from"),
		row("level_hold", HoldShare, "share", "of the last fill missing by the book", "pump and heater core draw air", "level clock: hold from"),
		row("correction_share", correction, "share", "water or concentrate poured, of the charge", "", "the freeze test is owed from here on; water onto a premix owes it whatever the volume"),
		row("settling_days", settlingDays, "days", "top-ups after a fill", "air leaves the last pockets, glycol and water shrink on mixing", "no leak within"),
		row("mixed_hours", mixedAfter, "h", "after a pour, without a run", "warmed through and cooled", "a freeze test settles the retest from here on"),
		row("hot_expansion", expansion, "share", "of the volume from 20 to 85 °C", "density tables of makers, from memory", "what a hot level allows when as much must go in as came out"),
		row("other_glycol", foreignGlycol, "share", "of all glycol", "", "remains of the other glycol below it are no mixture"),
		row("test_tolerance", leastTolerance, "K", "test against the book, the least", "", "a smaller difference agrees"),
		row("pressure_share", testShare, "share", "pressure of a system test, of the cap's rating", "never above the rating", "a test below it proves nothing"),
		row("pressure_minutes", testMinutes, "min", "length of a system test", "10 to 15", "a shorter one without a fall proves nothing"),
		row("pressure_drop_watch", dropSoft, "share", "pressure lost in ten minutes", "no fall is wanted", "system finding: watch above"),
		row("pressure_drop_bad", dropBad, "share", "pressure lost in ten minutes", "no fall is wanted", "system finding: bad above"),
		row("fins_watch", blockedSoft, "%", "radiator's face blocked", "", "finding: watch above"),
		row("fins_bad", blockedBad, "%", "radiator's face blocked", "", "finding: bad above"),
		judged(LimitAnotherDay, anotherDay.Hours(), "h", "between two tests with one instrument", "a shift is shorter", "a second colder test with the same instrument counts from here on", "a second instrument"),
		judged(LimitCommonCapacity, sigmaCommon, "share", "standard uncertainty of a common capacity", "engines and radiators of one class differ by a third either way", "level clock: unknown", "the unit's own capacity in the register"),
		judged(LimitLeastOff, leastOff, "K", "a test colder than the book", "a quarter of a line's degree", "what is nearer is not colder", "the instrument maker's resolution"),
	}
	for _, kind := range []string{"car", "truck", "motorcycle", "boat", "aircraft"} {
		all = append(all, judged(LimitAirTolerated(kind), airTolerated[kind], "share", "air that a system tolerates, of the capacity, "+kind, "less than the band between the cold marks", "volume in against volume out: air is trapped from here on", "the maker's bleeding procedure with its figure"))
	}
	return all
}
