package clock

import "diligentledger/core/coolant"

// Limits that the clocks rest on, for docs/limits.md; the service plan sets the intervals.
func Limits() []coolant.Limit {
	row := func(key string, value float64, unit, of, source, use string) coolant.Limit {
		return coolant.Limit{Key: key, Value: value, Unit: unit, Of: of, Standing: coolant.CommonPractice, Source: source, Use: use}
	}
	return []coolant.Limit{
		row("due_days", dueDays, "days", "before a clock runs out", "a month to book the bay", "verdict due"),
		row("watch_days", watchDays, "days", "before a clock runs out", "a quarter to see it coming", "verdict watch"),
		row("stale_months", StaleMonths, "months", "since the freeze point was tested or filled", "each winter sees one test", "freeze clock: not relied on after"),
		row("frost_days", frostDays, "days", "before the first frost", "", "a unit of unknown contents is due"),
		row("follow_up_late", followUpLate, "days", "a follow-up that was not done", "", "verdict overdue after"),
		row("before_season", daysBeforeSeason, "days", "freeze test before the cold season", "", "test clock"),
		row("zero_days", coolant.ZeroMonth, "days", "zero check of a refractometer", "", "zero clock: lapses after"),
	}
}
