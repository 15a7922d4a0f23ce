package clock

import (
	"math"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
)

// The clocks of the mix and its chemistry.
const (
	Strength  Kind = "strength"  // glycol by volume: inhibitors and cooling
	Chemistry Kind = "chemistry" // the last test of each property, and its trend
	Product   Kind = "product"   // whether the product inside suits, and what foreign is in it
	Extender  Kind = "extender"  // once in the life of a charge
	FilterDue Kind = "filter"    // additive filter
)

// Their reasons. Shares are in per cent.
const (
	StrengthHolds   Code = "strength_holds"   // strength; dueLow, watchLow, watchHigh, dueHigh
	StrengthLow     Code = "strength_low"     // the same
	StrengthHigh    Code = "strength_high"    // the same
	StrengthBeyond  Code = "strength_beyond"  // the last test was beyond the strong end of its scale
	StrengthSingle  Code = "strength_single"  // the same; about: the instrument; it rests on one test that was not zeroed
	StrengthDilutes Code = "strength_dilutes" // the same, and perYear: per cent by mass a year that it grows thinner

	ChemFails    Code = "chem_fails"    // about: the property; value, high; others: how many more; bad: 1, or 0 for soft
	ChemRetest   Code = "chem_retest"   // days since the dose, limit: days
	ChemReplaced Code = "chem_replaced" // share, limit: per cent of the charge replaced since its nitrite was tested
	ChemUntested Code = "chem_untested" // nitrite was never tested in this charge; months since the fill when it is known; limit: months
	ChemOld      Code = "chem_old"      // months since nitrite was tested, limit: months
	ChemHolds    Code = "chem_holds"    // the same
	ChemTrend    Code = "chem_trend"    // about: the property; value, high: the last

	ProductForeign Code = "product_foreign" // share, watch, flush: per cent of the charge
	ProductUnfit   Code = "product_unfit"   // about: why
	ProductUnknown Code = "product_unknown" // about: why

	ExtenderRuns  Code = "extender_runs"  // limit: months; about: which limit runs out first
	ExtenderGiven Code = "extender_given" // days since it was given
	FilterRuns    Code = "filter_runs"    // about: the filter; days since it was fitted
	FilterUnknown Code = "filter_unknown" // about: the filter; it has no limit that can be computed
)

// appendMix adds the clocks of the mix and its chemistry.
func appendMix(clocks []Clock, a *ledger.Account, p serviceplan.Plan, use meters, around Conditions, today evaluationDay) []Clock {
	for _, one := range []func() (Clock, bool){
		func() (Clock, bool) { return strengthClock(a, around.Zeroed, today) },
		func() (Clock, bool) { return chemistryClock(a, today) },
		func() (Clock, bool) { return productClock(a, today) },
		func() (Clock, bool) { return extenderClock(a, p, use, today) },
		func() (Clock, bool) { return filterClock(a, use, today) },
	} {
		if c, ok := one(); ok {
			clocks = append(clocks, c)
		}
	}
	return clocks
}

// strengthClock: below so much glycol the inhibitors are thin, above so much it cools and
// protects worse. It has a day when the tests since the fill show the mix growing thinner.
// False while the strength is not known, and for a coolant without water.
func strengthClock(a *ledger.Account, zeroed map[string]time.Time, today evaluationDay) (Clock, bool) {
	c := Clock{Kind: Strength, Verdict: Sound}
	if d := a.Distrusted; d != nil && d.Note == ledger.NoteTooStrong {
		c.Verdict, c.Due, c.Reason = Due, today.due(), Reason{Code: StrengthBeyond}
		return c, true
	}
	if !a.Known || a.Mixed || a.Base == coolant.NoWater || a.Charge.Mass() <= 0 {
		return c, false
	}
	over := a.LimitOverrides()
	dueLow, watchLow := coolant.StrengthDueLow.In(over...), coolant.StrengthWatchLow.In(over...)
	watchHigh, dueHigh := coolant.StrengthWatchHigh.In(over...), coolant.StrengthDueHigh.In(over...)
	strength := a.Charge.VolumeFraction()
	numbers := map[string]float64{"strength": 100 * strength, "dueLow": 100 * dueLow, "watchLow": 100 * watchLow, "watchHigh": 100 * watchHigh, "dueHigh": 100 * dueHigh}
	c.Reason = Reason{Code: StrengthHolds, Numbers: numbers}
	const hair = 1e-6 // of rounding
	switch {
	case strength < watchLow-hair:
		c.Reason.Code = StrengthLow
	case strength > watchHigh+hair:
		c.Reason.Code = StrengthHigh
	}
	left := 1.0
	c.Remaining = &left
	switch {
	case strength < dueLow-hair || strength > dueHigh+hair:
		left, c.Verdict, c.Due = 0, Due, today.due()
		return c, true
	case strength < watchLow-hair || strength > watchHigh+hair:
		left, c.Verdict = 0.5, Watch
	}
	if day, perYear, ok := dilutesTo(a, dueLow, today); ok {
		c.Due, numbers["perYear"] = &day, perYear
		if c.Reason.Code == StrengthHolds {
			c.Reason.Code = StrengthDilutes
		}
		if v := atMostDue(verdictOn(day, today)); v.Rank() < c.Verdict.Rank() {
			c.Verdict = v
		}
	}
	if s := single(a, zeroed); s != nil && c.Verdict == Sound {
		c.Verdict, c.Remaining = Watch, nil
		c.Reason.Code, c.Reason.About = StrengthSingle, singleAbout(s)
	}
	return c, true
}

// dilutesYears ahead at the most that a mix whose strength falls has a day (judgement).
const dilutesYears = 5

// dilutesTo is when the drift of the strength meets a limit by volume, and the drift in per cent
// by mass a year; false when it does not within dilutesYears.
func dilutesTo(a *ledger.Account, limit float64, today evaluationDay) (measure.Date, float64, bool) {
	perYear, _ := a.Drift()
	wanted, err := coolant.MassFraction(a.Charge.Base, limit)
	now := a.Charge.MassFraction()
	if err != nil || perYear >= -0.005 || now <= wanted {
		return measure.Date{}, 0, false
	}
	days := measure.DaysPerYear*(now-wanted)/-perYear - float64(sinceKnown(a, today))
	if !(days < dilutesYears*measure.DaysPerYear) {
		return measure.Date{}, 0, false
	}
	return today.AddDays(int(math.Max(0, days))), -100 * perYear, true
}

// chemistryClock of the properties that were tested in this charge, each by its last test:
// what fails is due or watched with its remedy, what was dosed is tested again, and a trend
// that runs to its limit has a day. In a wet-liner diesel the nitrite is to be tested a number
// of months after it was last known. False when nothing is asked for.
func chemistryClock(a *ledger.Account, today evaluationDay) (Clock, bool) {
	c := Clock{Kind: Chemistry}
	found := false
	worst := func(other Clock) {
		if !found || ByUrgency(other, c) < 0 {
			c, found = other, true
		}
	}
	if other, ok := failing(a, today); ok {
		worst(other)
	}
	if other, ok := retest(a, today); ok {
		worst(other)
	}
	if other, ok := trending(a, today); ok {
		worst(other)
	}
	if other, ok := nitriteTest(a, today); ok {
		worst(other)
	}
	return c, found
}

func failing(a *ledger.Account, today evaluationDay) (Clock, bool) {
	var first *ledger.Tested
	others := 0
	for _, t := range a.ChemistryNow() {
		if t.Grade != coolant.GradeBad && t.Grade != coolant.GradeSoft {
			continue
		}
		switch {
		case first == nil:
			first = &t
		case t.Grade.Worse(first.Grade):
			first, others = &t, others+1
		default:
			others++
		}
	}
	if first == nil {
		return Clock{}, false
	}
	c := Clock{Kind: Chemistry, Verdict: Watch, Reason: Reason{Code: ChemFails, About: ledger.Subject{Point: string(first.Property)}, Remedy: first.Remedy,
		Numbers: map[string]float64{"others": float64(others), "bad": indicator(first.Grade == coolant.GradeBad)}}}
	if first.Property != coolant.PropAppearance {
		c.Reason.Numbers["value"], c.Reason.Numbers["high"] = first.Value, first.High
	}
	if first.Grade == coolant.GradeBad {
		nothing := 0.0
		c.Verdict, c.Due, c.Remaining = Due, today.due(), &nothing
	}
	return c, true
}

// retest of the nitrite after a dose.
func retest(a *ledger.Account, today evaluationDay) (Clock, bool) {
	dosed := a.Given.DosedAt
	if dosed == nil {
		return Clock{}, false
	}
	if last := a.LastNitrite(); last != nil && last.At.After(*dosed) {
		return Clock{}, false
	}
	at := today.of(*dosed)
	limit := coolant.DoseRetestDays.In(a.LimitOverrides()...)
	due := at.AddDays(int(limit))
	c := Clock{Kind: Chemistry, Verdict: Watch, Due: &due, Reason: Reason{Code: ChemRetest, Remedy: coolant.RemedyTest,
		Numbers: map[string]float64{"days": float64(today.since(at)), "limit": limit}}}
	if !due.After(today.Date) {
		c.Verdict = Due
	}
	return c, true
}

// trending is when the first property's trend meets its limit.
func trending(a *ledger.Account, today evaluationDay) (Clock, bool) {
	var first *measure.Date
	r := Reason{Code: ChemTrend}
	for _, t := range a.ChemistryNow() {
		at, ok := a.ChemistryTrend(t.Property)
		if !ok {
			continue
		}
		if day := today.of(at); first == nil || day.Before(*first) {
			first, r.About, r.Remedy = &day, ledger.Subject{Point: string(t.Property)}, a.RemedyWhenLow(t.Property)
			r.Numbers = map[string]float64{"value": t.Value, "high": t.High}
		}
	}
	if first == nil {
		return Clock{}, false
	}
	return Clock{Kind: Chemistry, Verdict: atMostDue(verdictOn(*first, today)), Due: first, Reason: r}, true
}

// nitriteTest of a wet-liner diesel whose coolant protects by nitrite.
func nitriteTest(a *ledger.Account, today evaluationDay) (Clock, bool) {
	if !a.Unit.WetLiners || !a.Known || !coolant.ContainsNitrite(a.Technology()) {
		return Clock{}, false
	}
	limit := int(coolant.NitriteMonths.In(a.LimitOverrides()...))
	numbers := map[string]float64{"limit": float64(limit)}
	c := Clock{Kind: Chemistry, Verdict: Unknown, Reason: Reason{Code: ChemUntested, Remedy: coolant.RemedyTest, Numbers: numbers}}
	from := a.Balance.RenewedAt
	if last := a.LastNitrite(); last != nil {
		from, c.Reason.Code = &last.At, ChemHolds
	} else if _, known := a.Nitrite(); !known || from == nil {
		return c, true // neither its product nor a test says what it holds
	}
	day := today.of(*from)
	due := day.AddMonths(limit)
	numbers["months"] = measure.MonthsBetween(day, today.Date)
	left := share(1 - numbers["months"]/float64(limit))
	c.Due, c.Remaining, c.Verdict = &due, &left, Sound
	switch {
	case c.Reason.Code == ChemHolds && a.Given.Replaced > coolant.NitriteReplaced.In(a.LimitOverrides()...):
		c.Verdict, c.Due, c.Remaining = Watch, nil, nil
		c.Reason.Code, c.Reason.Numbers = ChemReplaced, map[string]float64{"share": 100 * a.Given.Replaced, "limit": 100 * coolant.NitriteReplaced.In(a.LimitOverrides()...)}
	case due.After(today.Date):
	case c.Reason.Code == ChemHolds:
		c.Verdict, c.Reason.Code = Watch, ChemOld
	default:
		c.Verdict = Watch
	}
	return c, true
}

// productClock: a product that the system is not made for, one that is not known to suit, or
// too much of a foreign one. False when there is nothing to say.
func productClock(a *ledger.Account, today evaluationDay) (Clock, bool) {
	c := Clock{Kind: Product}
	over := a.LimitOverrides()
	watch, flush := coolant.ForeignWatch.In(over...), coolant.ForeignFlush.In(over...)
	if f := a.ForeignShare(); f > watch {
		c.Verdict, c.Reason = Watch, Reason{Code: ProductForeign, Remedy: coolant.RemedyFlush, Numbers: map[string]float64{"share": 100 * f, "watch": 100 * watch, "flush": 100 * flush}}
		if f > flush {
			c.Verdict, c.Due = Due, today.due()
			return c, true
		}
	}
	j, known := a.Compatibility()
	switch {
	case !known || j.Answer == coolant.AnswerYes:
	case j.Answer == coolant.AnswerUnknown:
		if c.Verdict == "" {
			c.Verdict, c.Reason = Unknown, Reason{Code: ProductUnknown, About: ledger.Subject{Text: j.Words()}}
		}
	default:
		c.Verdict, c.Due, c.Reason = Due, today.due(), Reason{Code: ProductUnfit, About: ledger.Subject{Text: j.Words()}, Remedy: coolant.RemedyFlush}
	}
	return c, c.Verdict != ""
}

// lifeLimit is how long something lasts, by months or by the meter, whichever ends first. Zero
// sets no limit.
type lifeLimit struct {
	months    int
	km, hours float64
}

// until the day that it has lasted since a moment, and by which limit, whichever is first; start
// is where a meter stood then, in km or h. False when no limit gives a day.
func (l lifeLimit) until(a *ledger.Account, since time.Time, start func(measure.Dimension) (float64, bool), use meters, today evaluationDay) (due measure.Date, by string, ok bool) {
	if l.months > 0 {
		due, by, ok = monthsAfter(a, today.of(since), l.months), "months", true
	}
	interval := serviceplan.Interval{Km: measure.Kilometre(l.km), Hours: measure.Hour(l.hours)}
	for _, m := range use {
		limit := interval.Limit(m.dimension)
		from, known := start(m.dimension)
		if limit == 0 || !known {
			continue
		}
		model := m.model()
		day := today.Date
		switch {
		case len(m.log.Readings) > 0 && model.Last.Value-from >= limit:
			// Since when: the likeliest day, when the model has one.
			if w, reached := model.Reaches(from + limit); model.Known && reached && today.of(w.P50).Before(day) {
				day = today.of(w.P50)
			}
		case !model.Known || a.LaidUp != nil:
			continue
		default:
			w, reached := model.Reaches(from + limit)
			if !reached {
				continue
			}
			day = today.of(w.P50)
		}
		if !ok || day.Before(due) {
			due, by, ok = day, "use", true
		}
	}
	return due, by, ok
}

// extenderClock: a nitrited OAT, or a product that states when its extender is due, gets it
// once in the life of a charge. False for any other, and where the plan renews it first.
func extenderClock(a *ledger.Account, p serviceplan.Plan, use meters, today evaluationDay) (Clock, bool) {
	over := a.LimitOverrides()
	stated := false
	for _, f := range over {
		for _, l := range []coolant.Limit{coolant.ExtenderMonths, coolant.ExtenderHours, coolant.ExtenderKm} {
			if _, ok := f[l.Key]; ok {
				stated = true
			}
		}
	}
	if a.Balance.RenewedAt == nil || !stated && a.Technology() != coolant.NOAT {
		return Clock{}, false
	}
	c := Clock{Kind: Extender, Verdict: Sound}
	if at := a.Given.ExtendedAt; at != nil {
		c.Reason = Reason{Code: ExtenderGiven, Numbers: map[string]float64{"days": float64(today.since(today.of(*at)))}}
		return c, true
	}
	l := lifeLimit{int(coolant.ExtenderMonths.In(over...)), coolant.ExtenderKm.In(over...), coolant.ExtenderHours.In(over...)}
	due, by, ok := l.until(a, *a.Balance.RenewedAt, a.RenewalOn, use, today)
	running := p.ActiveInterval(a.Factory)
	renewed, _, renews := lifeLimit{running.Months, float64(running.Km), float64(running.Hours)}.until(a, *a.Balance.RenewedAt, a.RenewalOn, use, today)
	if !ok || renews && !renewed.After(due) {
		return c, false
	}
	c.Due, c.Verdict = &due, atMostDue(verdictOn(due, today))
	c.Reason = Reason{Code: ExtenderRuns, About: ledger.Subject{Point: by}, Remedy: coolant.RemedyExtender, Numbers: map[string]float64{"limit": float64(l.months), "hours": l.hours, "km": l.km}}
	return c, true
}

// filterClock of the additive filter that is fitted.
func filterClock(a *ledger.Account, use meters, today evaluationDay) (Clock, bool) {
	f := a.Filter
	if f == nil {
		return Clock{}, false
	}
	c := Clock{Kind: FilterDue, Verdict: Unknown, Reason: Reason{Code: FilterUnknown, About: ledger.Subject{Text: f.Additive.Name}}}
	l := lifeLimit{f.Additive.Months, float64(f.Additive.Km), float64(f.Additive.Hours)}
	start := func(d measure.Dimension) (float64, bool) {
		if d == a.Unit.Meter && f.Meter != nil {
			return *f.Meter, true
		}
		if d == a.Unit.Meter {
			return 0, false
		}
		return a.MeterOf(d).At(f.At)
	}
	if due, by, ok := l.until(a, f.At, start, use, today); ok {
		c.Due, c.Verdict = &due, atMostDue(verdictOn(due, today))
		c.Reason = Reason{Code: FilterRuns, About: ledger.Subject{Text: f.Additive.Name}, Numbers: map[string]float64{"days": float64(today.since(today.of(f.At))), "byUse": indicator(by == "use")}}
	}
	return c, true
}

// conventional limits an interval to that of a conventional coolant while too much of
// another product is in the charge.
func conventional(i serviceplan.Interval, a *ledger.Account) (serviceplan.Interval, bool) {
	over := a.LimitOverrides()
	if a.ForeignShare() <= coolant.ForeignWatch.In(over...) {
		return i, false
	}
	months, km := int(coolant.ConventionalMonths.In(over...)), measure.Kilometre(coolant.ConventionalKm.In(over...))
	was := i
	if i.Months == 0 || i.Months > months {
		i.Months = months
	}
	if (a.Unit.Meter == measure.Distance || a.Unit.Second == measure.Distance) && (i.Km == 0 || i.Km > km) {
		i.Km = km
	}
	return i, i != was
}
