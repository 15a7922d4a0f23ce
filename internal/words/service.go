package words

import (
	"fmt"
	"strings"

	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
)

// ColdPlace is whose cold a unit is planned for: of its site, of another one where it goes in
// winter as well, and by how much its own place is colder.
func (r Reader) ColdPlace(site, winters string, offset measure.Kelvin) string {
	place := site
	if winters != "" {
		place += " or " + winters
	}
	if offset < 0 {
		place += ", " + r.Kelvin(float64(-offset), 0) + " colder,"
	}
	return place
}

// Water of a site: whether it is fit for mixing, and why not.
func Water(w coolant.MixingWater) string {
	var failed, untested []string
	for _, t := range w.Tests() {
		switch {
		case t.Value == nil:
			untested = append(untested, t.Name)
		case t.TooMuch():
			failed = append(failed, fmt.Sprintf("%s %s of at most %s%sppm", t.Name, Figure(*t.Value, 0), Figure(t.Limit.Value, 0), nbsp))
		}
	}
	switch {
	case len(failed) > 0:
		return "Its water is not fit for mixing: " + strings.Join(failed, ", ") + ". Use purified water."
	case len(untested) == len(w.Tests()):
		return "Its water is not tested: use purified water."
	case len(untested) > 0:
		return "Of its water " + strings.Join(untested, ", ") + " is not tested: use purified water."
	}
	return "Its water is fit for mixing."
}

// isPart reports whether a clock is of a part that a service plan gives an interval.
func isPart(k clock.Kind) bool {
	switch k {
	case clock.Impeller, clock.Anodes, clock.Exchanger, clock.AntiSiphon, clock.BlockHeater, clock.Inspect:
		return true
	}
	return false
}

// partDone is what begins the time of a part anew.
func partDone(k clock.Kind) string {
	if k == clock.Impeller {
		return "renewed"
	}
	return "inspected"
}

func (r Reader) partReason(c clock.Clock) string {
	n := c.Reason.Numbers
	allowed := joined(" or ", when(n["limit"] > 0, Figure(n["limit"], 0)+nbsp+"months"), when(n["useLimit"] > 0 && c.Unit != "", r.Meter(n["useLimit"], c.Unit, 0)))
	if allowed == "" {
		allowed = "an interval that no meter of this unit counts"
	}
	switch {
	case c.Reason.Code == clock.PartUnknown:
		return "since when it is in use is not known; the service plan allows " + allowed + ". Renew it, or record when it was."
	case c.Reason.Code == clock.PartNoStart:
		return fmt.Sprintf("%s %s ago; no meter reading shows its use since, of which the service plan allows %s.", partDone(c.Kind), span(n["months"]), allowed)
	case n["never"] > 0:
		return "no inspection is recorded; the service plan allows " + allowed + "."
	}
	used := ""
	if n["useLimit"] > 0 && c.Unit != "" {
		used = ", " + r.numberOf(n["used"], c.Unit) + " of " + r.Meter(n["useLimit"], c.Unit, 0)
	}
	return fmt.Sprintf("%s %s ago%s; the service plan allows %s.", partDone(c.Kind), span(n["months"]), used, allowed)
}

func (r Reader) rawWaterReason(c clock.Clock, site string) string {
	n := c.Reason.Numbers
	t := func(name string) string { return r.Celsius(measure.Celsius(n[name]), 0) }
	days := Figure(n["days"], 0) + nbsp + "d"
	night := ""
	switch {
	case c.Due == nil || !has(n, "need"):
	case c.Verdict == clock.Hold:
		night = fmt.Sprintf("%s is planned for %s tonight. Drain it or fill it with antifreeze (PG); it must not run.", site, t("need"))
	default:
		night = fmt.Sprintf("%s is planned for %s in the night of %s.", site, t("need"), r.Date(*c.Due))
	}
	switch c.Reason.Code {
	case clock.RawWet:
		state := "the raw-water side is wet"
		switch {
		case n["never"] > 0:
			state = "nothing is recorded of the raw-water side: taken as wet"
		case n["ran"] > 0:
			state = "the meter has moved since the raw-water side was drained or filled: taken as wet"
		}
		return joined(" ", state+when(n["laid"] > 0, ", and the boat is laid up")+"; it freezes at "+t("limit")+".", night)
	case clock.RawDrained:
		return "the raw-water side was drained " + days + " ago."
	case clock.RawUntested:
		return "the raw-water side was filled with antifreeze " + days + " ago, which was not tested: test it."
	case clock.RawProtected:
		return joined(" ", "the raw-water side is filled and protects to "+t("protects")+when(n["margin"] > 0, ", margin "+r.Kelvin(n["margin"], 0))+".", night)
	}
	return "whether it has a raw-water side is not in the register; such a side freezes at " + r.Celsius(0, 0) + "."
}

func (r Reader) partRule(c clock.Clock, plan string) []string {
	return sentences(plan+": "+partDone(c.Kind)+" by the months or the use that it names, whichever is first.",
		when(c.Kind == clock.Impeller, "An inspection does not begin the time of an impeller anew; its renewal does."),
		"Where no meter reading shows the use, it is not known.")
}

func (r Reader) rawWaterRule() []string {
	frost := r.Celsius(0, 0)
	return sentences("What is not drained, or filled with tested antifreeze, is held from the first night on that is planned for at "+frost+" or below.",
		"A boat that is laid up with its raw-water side wet is due at once.",
		"A higher meter reading, or the return to use, after it was drained or filled counts as wet.",
		"Bilge and discharge rules decide where antifreeze may go.")
}

// partIntervals of the parts of a service plan, each in a few words.
func (r Reader) partIntervals(p serviceplan.Plan) (all []string) {
	for _, item := range p.Parts {
		all = append(all, Name(item.Part)+" every "+r.interval(item.Interval))
	}
	return all
}

// rawWater side as an entry has it.
func rawWater(state string, freeze *measure.Reading) string {
	if state == "" {
		return ""
	}
	return joined(", ", Name(state), optional("protects to ", freeze))
}
