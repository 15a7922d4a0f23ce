package clock

import (
	"slices"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
)

// Limits that the clocks rest on, for docs/limits.md; the service plan sets the intervals.
func Limits() []coolant.Limit {
	row := func(key string, value float64, unit, of, source, use string) coolant.Limit {
		return coolant.Limit{Key: key, Value: value, Unit: unit, Of: of, Standing: coolant.CommonPractice, Source: source, Use: use}
	}
	judged := func(key string, value float64, unit, of, why, use, instead string) coolant.Limit {
		return coolant.Limit{Key: key, Value: value, Unit: unit, Of: of, Standing: coolant.Judgement, Source: why, Use: use, Instead: instead}
	}
	return []coolant.Limit{
		row("due_days", dueDays, "days", "before a clock runs out", "a month to book the bay", "verdict due"),
		row("watch_days", watchDays, "days", "before a clock runs out", "a quarter to see it coming", "verdict watch"),
		row("stale_months", StaleMonths, "months", "since the freeze point was tested or filled", "each winter sees one test", "freeze clock: not relied on after"),
		row("frost_days", frostDays, "days", "before the first frost", "", "a unit of unknown contents is due"),
		row("follow_up_late", followUpLate, "days", "a follow-up that was not done", "", "verdict overdue after"),
		row("before_season", daysBeforeSeason, "days", "freeze test before the cold season", "", "test clock"),
		row("zero_days", coolant.ZeroMonth, "days", "zero check of a refractometer", "", "zero clock: lapses after"),
		judged(limitWindowLead, windowLead, "days", "before a window opens", "a week to book the bay", "verdict due, whatever its middle", "the workshop's own lead time"),
		judged(limitSearchNights, SearchNights, "days", "nights that are searched", "two years hold each season twice", "freeze clock: protected all year when none is too cold", "a longer search"),
		judged(limitSlowLeak, slowLeak, "days", "until a leak has taken too much", "three years", "level clock: a slower leak has no day", "a pressure test"),
		judged(limitDilutes, dilutesYears, "years", "until a mix that grows thinner is too thin", "no trend holds longer", "strength clock: a later day is not named", "a freeze test each season"),
		judged(limitFewSegments, fewSegments, "stretches", "between meter readings, each of a month", "too few for a narrow window", "use clock: the reason says so", "more meter readings"),
		judged(limitSingle, 1, "test", "without a zero, by which alone the strength is known", "a faulty instrument shows nothing of its fault", "freeze and strength clock: watch at most", "a zeroed refractometer, or another instrument"),
	}
}

// Keys of limits that are judgement.
const (
	limitWindowLead   = "window_lead"
	limitSearchNights = "search_nights"
	limitSlowLeak     = "slow_leak"
	limitDilutes      = "dilutes_years"
	limitFewSegments  = "few_segments"
	limitSingle       = "single_test"
)

// Judgements are the limits without a source that the verdict of a clock rests on; of an account, as its air and
// its chemistry are of a kind of unit and of a property.
func Judgements(c Clock, a *ledger.Account) (all []coolant.Limit) {
	n, over := c.Reason.Numbers, a.LimitOverrides()
	keys := map[Code][]string{
		FreezeAll: {limitSearchNights}, FreezeSingle: {limitSingle}, StrengthSingle: {limitSingle}, StrengthDilutes: {limitDilutes},
		LevelCommon: {ledger.LimitCommonCapacity}, AirTrapped: {ledger.LimitAirTolerated(a.Unit.Kind)}, ChemReplaced: {coolant.NitriteReplaced.Key}, ChemRetest: {coolant.DoseRetestDays.Key},
	}[c.Reason.Code]
	switch {
	case c.Reason.Code == ChemFails && c.Reason.About.Point == string(coolant.PropConductivity) && n["bad"] > 0:
		keys = append(keys, "conductivity_most")
	case c.Reason.Code == ChemFails && c.Reason.About.Point == string(coolant.PropReserve) && n["bad"] > 0:
		keys = append(keys, "reserve_bad")
	case c.Kind == Level && c.Reason.Code == LevelHolds && a.Leak() != nil:
		keys = append(keys, limitSlowLeak)
	case c.Kind == Use && n["few"] > 0:
		keys = append(keys, limitFewSegments)
	}
	if c.Window != nil && c.Verdict == Due {
		keys = append(keys, limitWindowLead)
	}
	for _, l := range slices.Concat(coolant.Limits(), ledger.Limits(), Limits()) {
		stated := slices.ContainsFunc(over, func(f coolant.Figures) bool { _, is := f[l.Key]; return is })
		if slices.Contains(keys, l.Key) && l.Standing == coolant.Judgement && !stated {
			all = append(all, l)
		}
	}
	return all
}
