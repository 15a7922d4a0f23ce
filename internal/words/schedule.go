//go:build !js

package words

import (
	"fmt"
	"math"
	"strings"

	"diligentledger/core/clock"
	"diligentledger/core/job"
	"diligentledger/core/measure"
	"diligentledger/core/schedule"
	"diligentledger/core/visit"
)

// bayNames are a bay of each kind, followed by its number.
var bayNames = map[string]string{visit.Car: "car bay", visit.Heavy: "heavy bay", visit.Motorcycle: "motorcycle lift", visit.Dock: "dock", visit.Hangar: "hangar", visit.Place: "at its place"}

// BayName of a bay at a site.
func BayName(kind string, number int) string {
	if kind == visit.Place {
		return bayNames[kind]
	}
	return fmt.Sprintf("%s %d", bayNames[kind], number)
}

// Skills of a person, or that work takes.
func Skills(codes []string) string {
	names := make([]string, len(codes))
	for i, c := range codes {
		names[i] = strings.ReplaceAll(c, "_", "-")
	}
	return strings.Join(names, " and ")
}

// Placing is a job at a place, as sentences about it name it.
type Placing struct {
	Unit, Bay, Site, Technician string
	BayKind                     string
	Skills                      []string
	Day                         measure.Date
	// Night that catches the unit, nil for none; Raw: it is its raw-water side.
	Night *measure.Date
	Raw   bool
	// From is the first day that the work is meant for.
	From measure.Date
	// Closed, Absent and Away are why the site or bay is closed, the technician absent, the unit away; empty when it is not known.
	Closed, Absent, Away string
	Product              string
}

// because of what is noted.
func because(note string) string { return when(note != "", ": "+note) }

func hours(v float64) string { return Figure(v, 1) + nbsp + "h" }

// PlanBreak is a rule that a place breaks, as a sentence.
func (r Reader) PlanBreak(b schedule.Break, at Placing) string {
	day := r.Weekday(at.Day)
	switch b.Rule {
	case schedule.OutOfRange:
		return day + " is not among the days of the plan"
	case schedule.SiteClosed:
		return at.Site + " is closed on " + day + because(at.Closed)
	case schedule.BayClosed:
		return at.Bay + " is out of use on " + day + because(at.Closed)
	case schedule.BayKind:
		return at.Unit + " does not fit: " + at.Bay + " is another kind of bay"
	case schedule.BayFull:
		return at.Bay + " would hold " + hours(b.Hours) + " of work and cooling; it is open " + hours(b.Limit)
	case schedule.TooLong:
		return "the job takes " + hours(b.Hours) + " of the bay, cooling included; it is open " + hours(b.Limit) + " that day"
	case schedule.NotThere:
		return at.Technician + " is not there on " + day + because(at.Absent)
	case schedule.NoSkill:
		return at.Technician + " has no " + Skills(b.Skills) + " skill"
	case schedule.PersonFull:
		return at.Technician + " would work " + hours(b.Hours) + " that day, of " + hours(b.Limit) + " with overtime"
	case schedule.OtherSite:
		return at.Technician + " is at another site that day"
	case schedule.NoWay:
		return "the register has no way for " + at.Technician + " to " + at.Site
	case schedule.UnitsNoWay:
		return "the register has no way to bring " + at.Unit + " to " + at.Site
	case schedule.UnitAway:
		return at.Unit + " is away on " + day + because(at.Away)
	case schedule.TooEarly:
		return "it is meant for " + r.Date(at.From) + " at the earliest"
	case schedule.HardNight:
		return r.caught(at)
	case schedule.OutOfStock:
		return "the stock of " + at.Product + " would be " + r.Litres(b.Hours, 1) + " used of " + r.Litres(b.Limit, 1) + " there by then"
	case schedule.NoBay:
		return "no site within reach has a bay for it"
	case schedule.NoPerson:
		return "no technician within reach has the skill: " + Skills(b.Skills)
	}
	return string(b.Rule)
}

func (r Reader) caught(at Placing) string {
	if at.Night == nil {
		return "a night before that would catch it"
	}
	if at.Raw {
		return "the frost of " + r.Date(*at.Night) + " would catch its raw-water side"
	}
	return "the night of " + r.Date(*at.Night) + " would catch it"
}

// PlanNeed is the smallest thing that would have to give for a job to have a place.
func (r Reader) PlanNeed(n schedule.Need, at Placing, room bool) string {
	if room {
		return "there is room for it: propose again, or place it by hand"
	}
	_, week := at.Day.Time().ISOWeek()
	in := fmt.Sprintf(" at %s in week %d", at.Site, week)
	var needs []string
	add := func(text string) {
		for _, n := range needs {
			if n == text {
				return
			}
		}
		needs = append(needs, text)
	}
	for _, b := range n.Breaks {
		switch b.Rule {
		case schedule.PersonFull, schedule.OtherSite, schedule.NotThere:
			add("one more " + Skills(at.Skills) + " day" + in)
		case schedule.BayFull:
			add("one more day of a " + bayNames[at.BayKind] + in)
		case schedule.BayClosed:
			add(at.Bay + " in use on " + r.Weekday(at.Day) + because(at.Closed))
		case schedule.SiteClosed:
			add(at.Site + " open on " + r.Weekday(at.Day) + because(at.Closed))
		case schedule.NoSkill:
			add("a technician with the " + Skills(b.Skills) + " skill" + in)
		case schedule.NoPerson:
			add("a technician with the " + Skills(b.Skills) + " skill within reach")
		case schedule.NoBay:
			add("a bay for it: " + bayNames[at.BayKind] + "s within reach there are none")
		case schedule.UnitAway:
			add(at.Unit + " back on " + r.Weekday(at.Day) + because(at.Away))
		case schedule.TooLong:
			add("a day of " + hours(b.Hours) + " in the bay, which is open " + hours(b.Limit) + ", or a sheet that takes less")
		case schedule.OutOfStock:
			add(r.Litres(b.Hours-b.Limit, 1) + " more of " + at.Product + " by " + r.Weekday(at.Day))
		case schedule.TooEarly:
			add("a later day: it is meant for " + r.Date(at.From) + " at the earliest")
		case schedule.HardNight:
			add("nothing gives before its night: " + r.caught(at) + "; it is on hold from then on until the work is done")
		default:
			add(r.PlanBreak(b, at))
		}
	}
	return strings.Join(needs, ", and ")
}

// PlanPrice is what a place costs, by what it comes from; empty for nothing worth a word. plan: it is the price of a whole plan.
func PlanPrice(p schedule.Price, plan bool) []string {
	var all []string
	first := "past its first clock, expected"
	if plan {
		first = "past the first clocks of its units, expected"
	}
	some := func(v, least float64, text func(v string) string, digits int) {
		if math.Abs(v) >= least {
			all = append(all, text(Figure(v, digits)))
		}
	}
	days := func(what string) func(string) string { return func(v string) string { return v + " days " + what } }
	some(p.Life, 0.5, days("of coolant life thrown away"), 0)
	some(p.Overrun, 0.05, days(first), 1)
	some(p.Held, 0.5, days("that "+when(!plan, "it")+when(plan, "units")+" must not run"), 0)
	switch {
	case p.Visits > 0 && plan:
		all = append(all, Figure(p.Visits, 0)+" days on which units with several jobs are called in")
	case p.Visits > 0:
		all = append(all, "the unit is called in that day for this alone, and on another for its other work")
	}
	switch {
	case p.SetUps > 0 && plan:
		all = append(all, Figure(p.SetUps, 0)+" times that a product is mixed")
	case p.SetUps > 0:
		all = append(all, "a product to be mixed that day that is not mixed otherwise")
	}
	some(p.Travel, 0.05, func(v string) string { return v + nbsp + "h on the way" }, 1)
	some(p.Cooling, 0.05, func(v string) string { return v + nbsp + "h of the bay blocked by cooling" }, 1)
	some(p.Overtime, 0.05, func(v string) string { return v + nbsp + "h of overtime" }, 1)
	some(p.FollowUp, 0.5, days("that level checks come late, over closed days"), 0)
	return all
}

// PlanDifference is what a move costs more, or less: the same parts as those of [PlanPrice].
func PlanDifference(p schedule.Price) []string {
	var all []string
	some := func(v, least float64, unit string, digits int) {
		switch {
		case v >= least:
			all = append(all, Figure(v, digits)+unit+" more")
		case -v >= least:
			all = append(all, Figure(-v, digits)+unit+" less")
		}
	}
	some(p.Life, 0.5, " days of coolant life thrown away", 0)
	some(p.Overrun, 0.05, " days past its first clock", 1)
	some(p.Held, 0.5, " days that it must not run", 0)
	some(p.Visits, 0.5, " day on which its unit is called in", 0)
	some(p.SetUps, 0.5, " product mixed", 0)
	some(p.Travel, 0.05, nbsp+"h on the way", 1)
	some(p.Cooling, 0.05, nbsp+"h of cooling in the bay", 1)
	some(p.Overtime, 0.05, nbsp+"h of overtime", 1)
	some(p.FollowUp, 0.5, " days that its checks wait", 0)
	return all
}

// assumedFacts are what is planned with where the register has none.
var assumedFacts = map[string]string{"hours": "hours of a working day", "days": "working days", "skills": "skills"}

// PlanAssumed says which facts of a site or a technician are not in the register, and what is planned instead.
func PlanAssumed(name string, codes []string, technician bool) string {
	var missing []string
	with := "Monday to Friday, 8 h"
	if technician {
		with = "7.5 h a day"
	}
	for _, c := range codes {
		missing = append(missing, assumedFacts[c])
		if c == "skills" {
			with = "no work"
		}
	}
	return name + ": " + strings.Join(missing, " and ") + " are not in the register; planned with " + with + "."
}

// PlanHeld is how often the plan held.
func PlanHeld(agreed, onDay, inWeek, later, open int) string {
	if agreed == 0 {
		return "nothing was agreed"
	}
	text := fmt.Sprintf("%d of %d done on their day", onDay, agreed)
	text += when(inWeek > 0, fmt.Sprintf(", %d on another day of the week", inWeek))
	text += when(later > 0, fmt.Sprintf(", %d later", later))
	return text + when(open > 0, fmt.Sprintf(", %d not done", open))
}

// PlanUnsheeted says why the hours of a job are common values.
func PlanUnsheeted(why string) string { return "hours are common values: its sheet asks for " + why }

// PlanSheetFailed says that the sheet of a job could not be computed.
const PlanSheetFailed = "hours are common values: its sheet could not be computed just now"

// PlanEndless says that the hours of a job are common values, since its sheet comes back to a step again and again.
func PlanEndless(step job.Step) string {
	title, _ := JobStep(step)
	return "hours are common values: its sheet comes back to “" + title + "” again and again; what it pours may not protect to what the site needs"
}

// PlanNight is the hard night of a job. A test prevents none: it is to show whether the unit holds it.
func (r Reader) PlanNight(n visit.Night, w clock.Work) string {
	switch {
	case w == clock.TestWork && n.Passed:
		return "it is not known whether it holds the frost that has come: test it before it runs"
	case w == clock.TestWork:
		return "to be tested before " + r.Weekday(n.Day) + ", a frost that it is not known to hold"
	}
	what := "the night that its coolant would not hold"
	if n.Of == clock.RawWater {
		what = "the first frost for its raw-water side"
	}
	if n.Passed {
		return what + " has come: it must not run until the work is done"
	}
	return "to be done before " + r.Weekday(n.Day) + ", " + what
}

// PlanSupposed is the change of the workshop that is supposed.
func (r Reader) PlanSupposed(kind, name string, days int) string {
	switch kind {
	case "less_bay":
		return name + " out of use"
	case "less_technician":
		return name + " absent"
	case "earlier":
		return fmt.Sprintf("each hard night %d days sooner", days)
	case "new_site":
		return "a new site: " + name
	}
	return kind
}

// PlanHeadings of why a job is where it is.
var PlanHeadings = struct{ Here, Breaks, Need, Nothing, Same string }{"On this day", "Its place breaks a rule", "What would have to give", "nothing is lost or late", "it would cost the same"}

// PlanNoTechnician is shown where there is no technician to plan with.
const PlanNoTechnician = "the register has no technician yet"

// PlanLater is the heading of what a week later would cost.
func (r Reader) PlanLater(day measure.Date) string { return "A week later, on " + r.Weekday(day) }

// PlanNext is the heading of the cheapest other place.
func (r Reader) PlanNext(day measure.Date, bay, site, technician string) string {
	return "Next best: " + r.Weekday(day) + ", " + bay + " at " + site + ", " + technician
}

// PlanShift is a job that would be moved.
func (r Reader) PlanShift(was, is Placing) string {
	text := was.Unit + ": " + r.Weekday(was.Day) + " to " + r.Weekday(is.Day)
	if was.Day.Equal(is.Day) {
		text = was.Unit + ": " + r.Weekday(was.Day)
	}
	text += when(was.Bay != is.Bay || was.Site != is.Site, ", "+is.Bay+" at "+is.Site)
	return text + when(was.Technician != is.Technician, ", "+is.Technician+" for "+was.Technician)
}

// PlanTimes are the hours of a job and where they come from.
func PlanTimes(cool, hands, wait float64, sheet bool) string {
	text := when(cool > 0, Figure(cool, 1)+nbsp+"h cooling, ") + Figure(hands, 1) + nbsp + "h of work" + when(wait > 0, ", "+Figure(wait, 1)+nbsp+"h waiting in the bay")
	if sheet {
		return text + ", by its sheet"
	}
	return text + ", common value"
}

// PlanHours of a technician on a day.
func PlanHours(planned, has float64) string {
	return Figure(planned, 1) + " of " + Figure(has, 1) + nbsp + "h" + when(planned > has+0.05, ", "+Figure(planned-has, 1)+nbsp+"h of it overtime")
}

// PlanMixing is what is mixed of a product for some jobs: its litres, the purified water, the strength.
func (r Reader) PlanMixing(product string, rich, water, target float64) string {
	text := r.Litres(rich, 1) + " " + product
	if water > 0.05 {
		return text + " and " + r.Litres(water, 1) + " purified water, " + Figure(100*target, 0) + nbsp + "% glycol"
	}
	return text + " as it is"
}

// Drawn is what the plan draws of a product, in L.
type Drawn struct {
	Product     string
	Rich, Water float64
}

// PlanDrawn is what the whole plan draws.
func (r Reader) PlanDrawn(all []Drawn) []string {
	lines := []string{}
	water := 0.0
	for _, d := range all {
		lines = append(lines, r.Litres(d.Rich, 1)+" "+d.Product)
		water += d.Water
	}
	if water > 0.05 {
		lines = append(lines, r.Litres(water, 1)+" purified water")
	}
	return lines
}

// What is said of days of the plan.
const (
	NoWorkingDay = "not a working day"
	OutOfUse     = "out of use"
	Closed       = "closed"
	DayPassed    = "that day has passed"
)

// PlanWeek is the heading of a week on paper, by its Monday.
func (r Reader) PlanWeek(monday measure.Date, agreed bool) string {
	_, week := monday.Time().ISOWeek()
	return fmt.Sprintf("week %d, %s to %s, ", week, r.Date(monday), r.Date(monday.AddDays(6))) + when(!agreed, "not ") + "agreed"
}

// PlanUnprevented is a night that would catch a unit, with nothing on the work list that prevents it.
func (r Reader) PlanUnprevented(n visit.Night) string {
	what := "coolant would not hold"
	if n.Of == clock.RawWater {
		what = "raw-water side would freeze in"
	}
	if n.Passed {
		return "the night that its " + what + " has come; no work on the list prevents it"
	}
	return r.Weekday(n.Day) + ": a night that its " + what + "; no work on the list prevents it"
}
