package words

import (
	"fmt"
	"strings"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
)

// Reason of a clock in one sentence, without the clock's name. site is the name of the unit's
// site.
func (r Reader) Reason(c clock.Clock, site string) string {
	switch c.Kind {
	case clock.Age, clock.Use:
		return r.intervalReason(c)
	case clock.Freeze:
		return r.freezeReason(c, site)
	case clock.Level:
		return r.levelReason(c)
	case clock.Holds:
		return r.holdReason(c)
	case clock.Findings:
		return r.findingsReason(c)
	case clock.TestDue, clock.CapDue, clock.HosesDue, clock.ZeroDue, clock.HoseAge:
		return r.calendarReason(c, site)
	case clock.FollowUp:
		return followUpReason(c)
	}
	if isPart(c.Kind) {
		return r.partReason(c)
	}
	if c.Kind == clock.RawWater {
		return r.rawWaterReason(c, site)
	}
	text, _ := mixReason(c)
	return text
}

func (r Reader) intervalReason(c clock.Clock) string {
	n := c.Reason.Numbers
	limit := func(name string) string { return r.Meter(n[name], c.Unit, 0) }
	used := func() string { return r.numberOf(n["used"], c.Unit) + " of " + limit("limit") }
	switch c.Reason.Code {
	case clock.AgeRuns:
		return fmt.Sprintf("%s of %s%smonths since the renewal.", Figure(n["used"], pick(n["used"] < 1, 1, 0)), Figure(n["limit"], 0), nbsp)
	case clock.AgeUnknown:
		return fmt.Sprintf("no renewal is recorded; the service plan allows %s%smonths.", Figure(n["limit"], 0), nbsp)
	case clock.UseRuns:
		outliers := ""
		if v := n["outliers"]; v > 0 {
			outliers = fmt.Sprintf("%s meter %s cannot be true and %s left out.", Figure(v, 0), pick(v == 1, "reading", "readings"), pick(v == 1, "is", "are"))
		}
		return join(" ",
			fmt.Sprintf("%s since the renewal, %s a week%s.", used(), r.Meter(n["rate"], c.Unit, pick(n["rate"] < 10, 1, 0)), when(n["changed"] > 0, " lately, which differs from before")),
			when(n["few"] > 0, "There are few readings, so the window is wide."),
			when(n["season"] > 0, "Only one season is known, so the window is wide."), outliers)
	case clock.UseReadMeter:
		return fmt.Sprintf("%s since the renewal by estimate, %s at the last reading: read the meter.", used(), limit("read"))
	case clock.UseOtherMeter:
		return fmt.Sprintf("the service plan counts %s and this unit’s meter %s: no use clock. Choose another plan.", pick(n["km"] > 0, "km", "hours"), pick(n["km"] > 0, "hours", "km"))
	case clock.UseNoDay:
		return fmt.Sprintf("%s of %s since the renewal; the meter has hardly moved, and the readings cover too little time to show that the unit is not used: read the meter.", r.numberOf(n["read"], c.Unit), limit("limit"))
	case clock.UseLaidUp:
		return used() + " since the renewal; laid up, so the meter does not move."
	case clock.UseNoRate:
		return used() + " since the renewal; too few meter readings to compute a rate."
	case clock.UseNoStart:
		return fmt.Sprintf("no meter reading at the renewal; the service plan allows %s.", limit("limit"))
	}
	return "the service plan limits use, and this unit has no meter."
}

// numberOf a meter, without its unit.
func (r Reader) numberOf(v float64, u measure.Unit) string {
	if u == measure.Km {
		v = measure.FromMetric(v, r.Distance)
	}
	return Figure(v, 0)
}

func (r Reader) freezeReason(c clock.Clock, site string) string {
	n := c.Reason.Numbers
	t := func(name string) string { return r.Celsius(measure.Celsius(n[name]), 0) }
	switch c.Reason.Code {
	case clock.FreezeNight:
		planned := fmt.Sprintf("%s is planned for %s after it", site, t("need"))
		if n["forecast"] > 0 {
			planned = fmt.Sprintf("%s is forecast for %s after it", t("need"), site)
		}
		safe := planned
		if first := unsafe(c); first != nil {
			safe = r.safeThrough(*first) + "; " + planned
		}
		return fmt.Sprintf("protects to %s%s; %s.", t("protects"), r.margin(n), safe)
	case clock.FreezeNow:
		night := fmt.Sprintf("%s is planned for %s tonight", site, t("need"))
		if n["forecast"] > 0 {
			night = fmt.Sprintf("%s is forecast for %s tonight", t("need"), site)
		}
		return fmt.Sprintf("protects to %s; %s. Do not start it on slush.", t("protects"), night)
	case clock.FreezeAll:
		return fmt.Sprintf("protects to %s; the coldest night %s is planned for is %s.", t("protects"), site, t("coldest"))
	case clock.FreezeBound:
		return fmt.Sprintf("which glycol is inside is not known; by the last test it protects to %s at least. Identify it and test again.", t("protects"))
	case clock.FreezeSingle:
		return fmt.Sprintf("protects to %s by one test with %s alone, not zeroed: zero it on purified water and test again, or test with another instrument.", t("protects"), instrumentNamed(c.Reason.About))
	case clock.FreezeNarrow:
		return fmt.Sprintf("by the book it protects to %s, enough all year; within the book’s band it may be %s, which is not. Test it.", t("protects"), t("high"))
	case clock.FreezeStale:
		return fmt.Sprintf("not tested for %s%smonths; by the book it protects to %s.", Figure(n["months"], 0), nbsp, t("protects"))
	case clock.FreezeUntrusted:
		why := "reason not given"
		if c.Reason.Note != "" {
			why, _ = Note(c.Reason.Note)
		}
		return "the last test cannot be used: " + why + "."
	}
	return "not measured, and no fill is recorded: test it."
}

// instrumentNamed is the name of an instrument, or its kind where it has none.
func instrumentNamed(s ledger.Subject) string {
	if s.Text != "" {
		return s.Text
	}
	return "one " + Name(s.Point)
}

// rises is how fast the freeze point rises; empty when it does not.
func (r Reader) rises(n map[string]float64) string {
	if n["drift"] == 0 {
		return ""
	}
	return ", and the freeze point rises " + r.Kelvin(n["drift"], 1) + " a year"
}

// margin of a freeze clock and how its freeze point moves.
func (r Reader) margin(n map[string]float64) string {
	text := ""
	if n["margin"] > 0 {
		text = ", margin " + r.Kelvin(n["margin"], 0) + ": planned for " + r.Celsius(measure.Celsius(n["limit"]), 0)
	}
	return text + r.rises(n)
}

// unsafe is the first night that may be too cold: the early end of the window of a freeze clock; nil
// for none within a year.
func unsafe(c clock.Clock) *measure.Date {
	if w := c.Window; w != nil && (c.Due == nil || w.P10.Before(*c.Due)) {
		return &w.P10
	}
	return c.Due
}

// safeThrough is the one way of saying until when a freeze clock is safe.
func (r Reader) safeThrough(first measure.Date) string {
	return "safe through the night of " + r.Date(first.AddDays(-1))
}

// Safe says until when a freeze clock is safe, or that tonight may be too cold already; empty
// where that is not known.
func (r Reader) Safe(c clock.Clock, today measure.Date) string {
	switch first := unsafe(c); {
	case first != nil && !first.After(today):
		return "not safe tonight"
	case first != nil:
		return r.safeThrough(*first)
	case c.Reason.Code == clock.FreezeAll:
		return "safe from freezing all year"
	}
	return ""
}

func (r Reader) levelReason(c clock.Clock) string {
	n := c.Reason.Numbers
	l := func(name string) string { return r.Litres(n[name], 1) }
	// tooLow is in how many days a leak has taken so much that the unit must not run.
	tooLow := ""
	if days, ok := n["days"]; ok {
		tooLow = "; it may be too low to run by now"
		if days > 0 {
			tooLow = "; too low to run in " + Figure(days, 0) + nbsp + "d"
		}
	}
	switch c.Reason.Code {
	case clock.LevelFalls:
		return fmt.Sprintf("%s of %s by the book, and it leaks: %s %s%s.", l("litres"), l("full"), l("low"), pick(n["ahead"] > 0, "will be missing then", "may be missing by now"), tooLow)
	case clock.LevelCommon:
		return fmt.Sprintf("the capacity of %s is a common value of its type, not known of this unit: enter it in its registered facts.", l("full"))
	case clock.LevelUnseen:
		return "no fill is recorded and the level was not seen cold: check it cold."
	case clock.LevelUnjudged:
		return "the last cold level was below the upper mark, and the register does not know the tank’s marks: see it at a mark, or enter the distance of the marks."
	case clock.LevelLow:
		if c.Verdict == clock.Hold {
			tooLow = ": too low to run"
		}
		return fmt.Sprintf("%s of %s are missing by the book%s.", l("missing"), l("full"), tooLow)
	}
	return fmt.Sprintf("%s by the book, %s were filled.", l("litres"), l("full"))
}

// airGone is what shows that no air is trapped any more.
func airGone(n map[string]float64) string {
	switch {
	case n["bled"] > 0:
		return "it was bled since and took what was missing."
	case n["refilled"] > 0:
		return "it was filled again since, and as much went in as came out."
	}
	return "the level was seen cold at the mark since."
}

func (r Reader) holdReason(c clock.Clock) string {
	n, about := c.Reason.Numbers, Subject(c.Reason.About)
	ready := n["ready"] > 0
	switch c.Reason.Code {
	case clock.AirTrapped:
		return r.Litres(n["short"], 1) + " less went in than came out: " + pick(ready, airGone(n)+" Release it.", "air is trapped. Check the level cold, or bleed again; then release.")
	case clock.CoolantContaminated:
		return about + ": must not run. " + pick(ready, "A later sample is clear: release it.", "Find the cause; renew.")
	case clock.FindingHolds:
		return about + ": must not fly. " + pick(ready, "Found good since: a signatory releases it.", "Repair it and inspect it again.")
	case clock.ReturnCheck:
		return about + " was worked on: to be returned to service by a signatory."
	case clock.LevelBelow:
		return "the level was " + Name(c.Reason.About.State) + ": must not run until it is topped up and seen cold at the marks."
	case clock.StopDefect:
		return about + when(n["others"] > 0, ", and "+Figure(n["others"], 0)+" more") + "."
	}
	if about == "" {
		about = "held"
	}
	return about + ": must not run until released."
}

func (r Reader) findingsReason(c clock.Clock) string {
	n := c.Reason.Numbers
	if c.Reason.Code == clock.Discrepancy {
		return fmt.Sprintf("book and test disagree: %s was measured. %s", r.Celsius(measure.Celsius(n["measured"]), 0), pick(n["confirmed"] > 0, "Something was not recorded.", "Test a second time."))
	}
	return Subject(c.Reason.About) + when(n["others"] > 0, ", and "+Figure(n["others"], 0)+" more") + "."
}

func (r Reader) calendarReason(c clock.Clock, site string) string {
	n, about := c.Reason.Numbers, Subject(c.Reason.About)
	days, limit := Figure(n["days"], 0)+nbsp+"d", Figure(n["limit"], 0)
	done := func(what string) string {
		if n["never"] > 0 {
			return fmt.Sprintf("%s is not recorded; the service plan asks for it every %s%smonths.", what, limit, nbsp)
		}
		return fmt.Sprintf("%s was %s ago; the service plan asks for it every %s%smonths.", what, span(n["months"]), limit, nbsp)
	}
	_, filled := n["days"]
	switch c.Reason.Code {
	case clock.TestCalendar:
		return fmt.Sprintf("last tested %s ago; the service plan asks for a test every %s%smonths.", span(n["months"]), limit, nbsp)
	case clock.TestSeason:
		return fmt.Sprintf("to be tested before the cold season of %s; the last test is %s old.", site, days)
	case clock.TestNever:
		if !filled {
			return fmt.Sprintf("not tested; the service plan asks for a test every %s%smonths.", limit, nbsp)
		}
		return "not tested since it was filled " + days + " ago."
	case clock.TestBefore:
		return fmt.Sprintf("not tested since it was filled %s ago; the last test, %s ago, was before that.", days, span(n["months"]))
	case clock.CapCalendar:
		return done("a cap test")
	case clock.HoseCalendar:
		return done("a hose check")
	case clock.ZeroLapses:
		return fmt.Sprintf("%s was last zeroed %s ago: zero it on purified water before the next test.", about, days)
	case clock.ZeroNever:
		return fmt.Sprintf("no zero of %s is recorded: zero it on purified water before the next test.", about)
	case clock.ZeroHolds:
		return fmt.Sprintf("%s was zeroed %s ago; a zero is valid for %s%sd.", about, days, limit, nbsp)
	case clock.HoseOld:
		return fmt.Sprintf("the %s %s of %s%syears old.", pick(about == "", "hoses are", about+" hose is"), Figure(n["used"]/12, 1), Figure(n["limit"]/12, 0), nbsp)
	}
	return fmt.Sprintf("the age of the %s is not known; the service plan allows %s%syears.", pick(about == "", "hoses", about+" hose"), Figure(n["limit"]/12, 0), nbsp)
}

// span of months; less than two of them in days.
func span(months float64) string {
	if months < 2 {
		return Figure(months*measure.DaysPerMonth, 0) + nbsp + "d"
	}
	return Figure(months, 0) + nbsp + "months"
}

func followUpReason(c clock.Clock) string {
	n := c.Reason.Numbers
	days := Figure(n["days"], 0) + nbsp + "d"
	switch c.Reason.Code {
	case clock.CheckLevel:
		return "the level is to be checked cold, the day after the renewal; due for " + days + "."
	case clock.CheckRetest:
		return "the freeze point is to be tested again, once mixed; due for " + days + "."
	case clock.CheckReturn:
		return fmt.Sprintf("back in use after a lay-up: %s; due for %s.", Names(strings.Trim(c.Reason.About.Point+","+c.Reason.About.State, ",")), days)
	case clock.CheckDays:
		return fmt.Sprintf("the level is to be checked cold on %s days after the renewal; %s done.", Figure(n["wanted"], 0), Figure(n["checked"], 0))
	}
	return fmt.Sprintf("the level is to be checked cold after each of the first %s runs; %s done.", Figure(n["wanted"], 0), Figure(n["checked"], 0))
}

// Unit is what the rule behind a clock needs besides the account.
type Unit struct {
	Name string
	Site string
	// Winters is another site where it goes in winter, ColdOffset in K not above zero, Heated its
	// storage.
	Winters    string
	ColdOffset measure.Kelvin
	Heated     bool
	Plan       serviceplan.Plan
	Climate    *climate.Climate
	Zone       *time.Location
}

// Rule behind a clock, with the numbers that went into it, a sentence each.
func (r Reader) Rule(c clock.Clock, u Unit, a *ledger.Account) []string {
	rule := r.rule(c, u, a)
	for _, l := range clock.Judgements(c, a) {
		rule = append(rule, judgement(l))
	}
	return rule
}

// judgement says that a limit has no source, and what would take its place.
func judgement(l coolant.Limit) string {
	value := Figure(l.Value, 2) + nbsp + l.Unit
	if l.Unit == "share" {
		value = Figure(100*l.Value, 1) + nbsp + "%"
	}
	return fmt.Sprintf("Judgement, not a published figure: %s, %s (%s). What would take its place: %s.", l.Of, value, l.Source, l.Instead)
}

func (r Reader) rule(c clock.Clock, u Unit, a *ledger.Account) []string {
	plan := "Service plan “" + u.Plan.Name + "”"
	n := c.Reason.Numbers
	switch c.Kind {
	case clock.Age, clock.Use:
		return r.intervalRule(c, u, a)
	case clock.Freeze:
		return r.freezeRule(c, u, a)
	case clock.Holds:
		return sentences(
			"A hold, a defect that stops the unit, a fill that took less than came out, oily or gelled coolant, a level below the lower mark; of an aircraft any bad finding, and work that is not released.",
			when(has(n, "allowed"), r.Litres(n["allowed"], 2)+" less may go in: the smaller of the error of measuring and of the air that such a system tolerates, and what a hot level reads high. More is trapped air. It is released only after a cold level at the upper mark, four hours or more after the fill, or a bleeding with what then went in."),
			"It ends with a release by a coordinator or a signatory, of an aircraft by a licensed signatory only; a low level ends when it is seen good again.",
			when(n["others"] > 0, "Besides this, "+Figure(n["others"], 0)+" more: see what was found."))
	case clock.Findings:
		return sentences("What was found bad is due at once; what is soft is watched.", "The last finding on each point counts.")
	case clock.TestDue, clock.CapDue, clock.HosesDue:
		return sentences(fmt.Sprintf("%s: every %s%smonths%s.", plan, Figure(n["limit"], 0), nbsp, when(c.Kind == clock.TestDue, ", and within four months before the cold season")),
			"A check that is late is due work; it does not make the unit overdue.")
	case clock.HoseAge:
		return sentences(fmt.Sprintf("%s: a hose may be %s%syears old.", plan, Figure(n["limit"]/12, 0), nbsp), "A hose is as old as the unit until one is recorded as renewed.")
	case clock.ZeroDue:
		return sentences(fmt.Sprintf("The zero of a refractometer is valid for %s%sdays, whichever unit it was recorded with.", Figure(n["limit"], 0), nbsp),
			"It is asked for with the next test, and is never worse than a reminder.")
	case clock.FollowUp:
		further := ""
		switch {
		case u.Plan.FollowRuns > 0:
			further = fmt.Sprintf("%s: then cold after each of the first %d runs.", plan, u.Plan.FollowRuns)
		case u.Plan.FollowDays > 0:
			further = fmt.Sprintf("%s: cold on %d days; a check on the last of them makes up for one that was missed.", plan, u.Plan.FollowDays)
		}
		return sentences("After any renewal: the level cold on the next day, and the freeze point once the system has been warm.", further,
			"After more than a twentieth of water or concentrate: the freeze point.",
			when(c.Reason.Code == clock.CheckReturn, "After a lay-up: the level cold, the cap, the hoses and the freeze point."))
	case clock.Level:
		return sentences(fmt.Sprintf("Due when %s of the last fill are missing by the book, hold when %s are.", r.Litres(n["low"], 1), r.Litres(n["hold"], 1)),
			when(c.Window != nil, "The days are from the rate of the last losses and its uncertainty."))
	}
	if isPart(c.Kind) {
		return r.partRule(c, plan)
	}
	if c.Kind == clock.RawWater {
		return r.rawWaterRule()
	}
	_, rule := mixReason(c)
	return rule
}

func has(n map[string]float64, name string) bool { _, ok := n[name]; return ok }

func sentences(all ...string) []string {
	var kept []string
	for _, s := range all {
		if s != "" {
			kept = append(kept, s)
		}
	}
	return kept
}

func (r Reader) intervalRule(c clock.Clock, u Unit, a *ledger.Account) []string {
	n := c.Reason.Numbers
	interval := fmt.Sprintf("Service plan “%s”, %s interval: ", u.Plan.Name, c.Interval)
	renewed := "No renewal is in the books."
	if at := a.Balance.RenewedAt; at != nil {
		day := r.Weekday(measure.DateOf(*at, u.Zone))
		renewed = "Last renewal " + day + "; the months run from that day."
		if c.Kind == clock.Use {
			renewed = "Counted from the renewal of " + day
			if m, ok := a.RenewalOn(c.Unit.Dimension()); ok {
				renewed += ", at " + r.Meter(m, c.Unit, 0)
			}
			renewed += "."
		}
	}
	if c.Kind == clock.Age {
		return sentences(interval+Figure(n["limit"], 0)+nbsp+"months.", renewed)
	}
	limit := interval + r.Meter(n["limit"], c.Unit, 0) + "."
	if c.Unit == "" {
		limit = interval + Figure(n["limit"], 0) + "."
	}
	return sentences(limit, renewed,
		when(has(n, "low") && has(n, "high"), fmt.Sprintf("By today %s to %s, most likely %s, by the readings so far.", r.numberOf(n["low"], c.Unit), r.Meter(n["high"], c.Unit, 0), r.numberOf(n["used"], c.Unit))),
		"Rate and season are fitted to the readings of the last four years since the last change of use; a reading that no plausible life of the meter explains is left out.",
		"The window holds eight in ten outcomes (docs/forecast.md).")
}

func (r Reader) freezeRule(c clock.Clock, u Unit, a *ledger.Account) []string {
	n := c.Reason.Numbers
	book := "The book knows no freeze point."
	if f := a.Balance.Freeze; f != nil {
		base := "its glycol"
		if a.Base != "" {
			base = string(a.Base)
		}
		book = fmt.Sprintf("By the book it freezes at %s, by the tables for %s in water.", r.Celsius(*f, 1), base)
	}
	strength := ""
	if g := a.Balance.Glycol; g != nil {
		strength = fmt.Sprintf("The book holds %s%s%% of glycol by volume, %s%s%% by mass.", Figure(100**g, 1), nbsp, Figure(100*a.Charge.MassFraction(), 1), nbsp)
	}
	cold := "from twelve monthly values"
	if k := u.Climate; k.Years > 0 {
		cold = fmt.Sprintf("from %d years of nights: of %d nights of one date one is colder than its curve, which is lowered by %s, no further than %s, so that about one winter in %d has a night below it",
			k.Years, k.ReturnPeriod, r.Kelvin(float64(k.Shift), 1), r.Celsius(deref(k.ReturnLevel), 0), k.ReturnPeriod)
	}
	return sentences(
		fmt.Sprintf("Service plan “%s”: %s between the freeze point and the coldest night.", u.Plan.Name, r.Kelvin(float64(u.Plan.FreezeMargin), 0)),
		book, strength, r.tested(u, a),
		fmt.Sprintf("%s: coldest night planned for %s, %s. A forecast makes one of the next ten nights colder, and warmer by no more than its own error (%s to %s).", r.ColdPlace(u.Site, u.Winters, u.ColdOffset), r.Celsius(u.Climate.Coldest(), 0), cold, r.Kelvin(1.5, 1), r.Kelvin(4, 0)),
		when(u.Winters != "", "Each night the colder of the two sites counts."), when(u.Heated, "It is kept in heated storage, which is not counted on: it is planned for the cold outside."),
		when(n["drift"] != 0, "The freeze point rises "+r.Kelvin(n["drift"], 1)+" a year, by its tests and top-ups since the renewal."),
		"The window holds the book’s uncertainty, which grows with the time since the last test.",
		when(has(n, "months"), fmt.Sprintf("A freeze point that was not tested for %s%smonths is not relied on.", Figure(n["stale"], 0), nbsp)))
}

func deref[T any](p *T) (v T) {
	if p != nil {
		v = *p
	}
	return v
}

// tested is the instrument behind the last test, and its zero check.
func (r Reader) tested(u Unit, a *ledger.Account) string {
	t := a.LastTest
	if t == nil {
		return "It was not tested since."
	}
	zero := "no zero check recorded"
	if t.ZeroAt != nil {
		zero = "zero checked " + r.Weekday(measure.DateOf(*t.ZeroAt, u.Zone))
	}
	return fmt.Sprintf("Last test %s on %s: %s, %s.", r.Celsius(t.Measured, 0), r.Weekday(measure.DateOf(t.At, u.Zone)), join(" ", Name(t.Instrument), t.Tool), zero)
}
