package clock

import (
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
)

// The clocks of parts that run out by themselves, and of a boat's raw-water side.
const (
	Impeller    Kind = ledger.PartImpeller
	Anodes      Kind = ledger.PartAnodes
	Exchanger   Kind = ledger.PartExchanger
	AntiSiphon  Kind = ledger.PartAntiSiphon
	BlockHeater Kind = ledger.PartBlockHeater
	Inspect     Kind = serviceplan.PartInspection
	RawWater    Kind = "raw_water"
)

// Their reasons.
const (
	PartRuns    Code = "part_runs"     // months since it was renewed or inspected; limit: months, 0 for none; useLimit: km or h, 0 for none; used; byUse: 1 when the use runs out first; never: 1 when that was never recorded
	PartUnknown Code = "part_unknown"  // it is not known since when it is in use; limit, useLimit
	PartNoStart Code = "part_no_start" // no meter reading shows its use; limit, useLimit, months

	RawDrained   Code = "raw_drained"   // days since
	RawProtected Code = "raw_protected" // protects: °C that the antifreeze was tested to, margin: K
	RawUntested  Code = "raw_untested"  // days since it was filled with antifreeze that was not tested
	RawWet       Code = "raw_wet"       // limit: °C; need: the night's minimum, when a night is as cold; ran: 1 when the engine ran since it was drained; never: 1 when nothing was recorded; laid: 1 when the unit is laid up
	RawUnknown   Code = "raw_unknown"   // it is not known whether the boat has one
)

// replaced parts last from their renewal on; to inspect them does not begin their time anew.
var replaced = map[string]bool{ledger.PartImpeller: true}

// appendParts adds a clock for each part that the plan gives an interval.
func appendParts(clocks []Clock, a *ledger.Account, p serviceplan.Plan, use meters, today evaluationDay) []Clock {
	for _, item := range p.Parts {
		clocks = append(clocks, partClock(a, item, use, today))
	}
	return clocks
}

// partClock runs from the last renewal of a part that is replaced, and from the last inspection of
// another: by months or by use, whichever ends first. What cannot be computed is not known.
func partClock(a *ledger.Account, item serviceplan.PartInterval, use meters, today evaluationDay) Clock {
	interval := item.Interval
	numbers := map[string]float64{"limit": float64(interval.Months)}
	c := Clock{Kind: Kind(item.Part), Verdict: Unknown, Reason: Reason{Code: PartUnknown, Numbers: numbers}}
	for _, m := range use {
		if limit := interval.Limit(m.dimension); limit > 0 {
			c.Unit, numbers["useLimit"] = measure.Units(m.dimension)[0], limit
		}
	}
	since, never := partSince(a, item.Part)
	if since == nil {
		return c
	}
	if never {
		numbers["never"] = 1
	}
	from := today.of(*since)
	numbers["months"] = measure.MonthsBetween(from, today.Date)
	counted := true // each limit of use has a meter that counts it, and a reading at its beginning
	start := func(d measure.Dimension) (float64, bool) { return a.MeterOf(d).At(*since) }
	for _, d := range []measure.Dimension{measure.Distance, measure.EngineTime} {
		limit := interval.Limit(d)
		if limit == 0 {
			continue
		}
		at, ok := start(d)
		counted = counted && ok
		if points := a.MeterOf(d).Readings; ok && len(points) > 0 {
			last, _ := a.MeterOf(d).At(today.noon())
			numbers["used"] = max(0, last-at)
		}
	}
	due, by, ok := lifeLimit{interval.Months, float64(interval.Km), float64(interval.Hours)}.until(a, *since, start, use, today)
	verdict := Unknown
	if ok {
		verdict = verdictOn(due, today)
		if !a.Unit.Aircraft {
			verdict = atMostDue(verdict)
		}
		c.Due = &due
	}
	c.Reason.Code, numbers["byUse"] = PartRuns, indicator(by == "use")
	if span := monthsAfter(a, from, interval.Months).Sub(from); ok && by == "months" && span > 0 {
		left := share(float64(today.until(due)) / float64(span))
		c.Remaining = &left
	}
	if !counted && verdict.Rank() > Unknown.Rank() {
		verdict, c.Reason.Code = Unknown, PartNoStart
	}
	c.Verdict = verdict
	return c.whenNever(never)
}

// partSince is since when a part is counted, nil when that is not known; never: it was never
// inspected, and is counted from the beginning of the account.
func partSince(a *ledger.Account, part string) (since *time.Time, never bool) {
	if at, ok := a.PartSince[part]; ok {
		since = &at
	}
	switch {
	case replaced[part]:
		if since == nil {
			since = a.BuiltAt
		}
		return since, false
	case part == serviceplan.PartInspection:
		since = a.InspectedAt
	default:
		if at := lastFound(a, func(point string) bool { return point == part }); at != nil && (since == nil || at.After(*since)) {
			since = at
		}
	}
	if since == nil {
		begun := a.OpenedAt()
		if begun.IsZero() {
			return nil, false
		}
		return &begun, true
	}
	return since, false
}

// rawWaterClock of a boat: what is not drained, or filled with antifreeze, holds the boat from the
// first night on that is planned for at the freezing point or below. False for what has no
// raw-water side.
func rawWaterClock(a *ledger.Account, p serviceplan.Plan, cold *climate.Climate, today evaluationDay) (Clock, bool) {
	if a.Unit.Kind != "boat" || a.Unit.RawWater == ledger.No {
		return Clock{}, false
	}
	c := Clock{Kind: RawWater, Verdict: Unknown, Reason: Reason{Code: RawUnknown}}
	m := a.RawWater
	if a.Unit.RawWater != ledger.Yes && m == nil {
		// The register is to say; from a month before the first frost on it is due.
		if frost, ok := cold.FirstBelow(frozen(a), today.Date, frostDays); ok {
			c.Verdict, c.Due = Due, &frost
		}
		return c, true
	}
	numbers := map[string]float64{}
	c.Reason.Numbers = numbers
	// One reading after it that is higher is enough: it may have run.
	ran := m != nil && m.State != ledger.RawWet && a.MeterSince(m.At)
	switch {
	case m == nil || m.State == ledger.RawWet || ran:
		limit := frozen(a)
		c.Reason.Code = RawWet
		numbers["limit"], numbers["ran"], numbers["never"], numbers["laid"] = coolant.RawWaterFrost.In(a.LimitOverrides()...), indicator(ran), indicator(m == nil), indicator(a.LaidUp != nil)
		return rawUntil(c, limit, cold, a.LaidUp != nil, today), true
	case m.State == ledger.RawDrained:
		numbers["days"] = float64(today.since(today.of(m.At)))
		c.Verdict, c.Reason.Code = Sound, RawDrained
	case m.Protects == nil:
		numbers["days"] = float64(today.since(today.of(m.At)))
		c.Reason.Code = RawUntested
		if frost, ok := cold.FirstBelow(frozen(a), today.Date, frostDays); ok {
			c.Verdict, c.Due = Due, &frost
		}
	default:
		margin := measure.Celsius(p.FreezeMargin)
		numbers["protects"], numbers["margin"] = float64(*m.Protects), float64(margin)
		c.Reason.Code = RawProtected
		return rawUntil(c, *m.Protects+margin, cold, false, today), true
	}
	return c, true
}

// frozen is the limit below which a night freezes raw water: its freezing point itself counts.
func frozen(a *ledger.Account) measure.Celsius {
	const hair = 1e-6
	return measure.Celsius(coolant.RawWaterFrost.In(a.LimitOverrides()...) + hair)
}

// rawUntil the first night that is colder than a limit: held when that is the next night. What is
// laid up is due at once: it will not be seen again before the winter.
func rawUntil(c Clock, limit measure.Celsius, cold *climate.Climate, laid bool, today evaluationDay) Clock {
	c.Verdict = Sound
	if night, ok := cold.FirstBelow(limit, today.Date, SearchNights); ok {
		c.Due, c.Verdict = &night, verdictOn(night, today)
		c.Reason.Numbers["need"] = float64(cold.PlannedMinimum(night))
		if !night.After(today.Date) {
			c.Verdict = Hold
		}
	}
	if laid && c.Verdict.Rank() > Due.Rank() {
		c.Verdict = Due
		if c.Due == nil {
			c.Due = today.due()
		}
	}
	return c
}
