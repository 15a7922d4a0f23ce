// Package visit makes a job of the plan out of a line of the work list: one visit of a unit, with all of its clocks that the
// work serves, the night before which it must be done, and what it takes.
//
// A visit serves the clocks whose own work it is, and those that its sheet answers on the way: a renewal tests the
// freeze point, sets the level, and examines cap and hoses ([job.Open]). What is not known is never taken as served: a clock without a day
// gives the visit no window, and a unit that must not run is placed as one that waits.
//
// Which work serves what, and the hours of work without a sheet, are judgement; so is which bay takes it.
package visit

import (
	"math"
	"slices"

	"diligentledger/core/clock"
	"diligentledger/core/job"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/schedule"
)

// Bay kinds. Place is where the unit is parked: work that needs no bay.
const (
	Car        = "car"
	Heavy      = "heavy"
	Motorcycle = "motorcycle"
	Dock       = "dock"
	Hangar     = "hangar"
	Place      = "place"
)

// Bays in the order in which they are shown.
var Bays = []string{Car, Heavy, Motorcycle, Dock, Hangar, Place}

// HighVoltage is the skill of work beside a high-voltage system; the other skills are the kinds of unit.
const HighVoltage = "high_voltage"

// BayFor work on a kind of unit: what opens the system or lifts the unit takes a bay.
func BayFor(kind string, w clock.Work) string {
	switch w {
	case clock.TestWork, clock.LevelWork, clock.SampleWork, clock.CapWork, clock.DoseWork:
		return Place
	}
	switch kind {
	case "truck":
		return Heavy
	case "motorcycle":
		return Motorcycle
	case "boat":
		return Dock
	case "aircraft":
		return Hangar
	}
	return Car
}

// SkillsFor work on a unit.
func SkillsFor(kind string, highVoltage bool) []string {
	if highVoltage {
		return []string{kind, HighVoltage}
	}
	return []string{kind}
}

// JobFor is the kind of job whose sheet the work has on a kind of unit; false for work without a sheet.
func JobFor(kind string, w clock.Work) (job.Kind, bool) {
	switch {
	case w == clock.CorrectWork:
		return job.Correction, true
	case w == clock.RenewWork && kind == "boat":
		return job.BoatLoop, true
	case w == clock.RenewWork && kind == "aircraft":
		return job.Aircraft, true
	case w == clock.RenewWork:
		return job.DrainFill, true
	}
	return "", false
}

// HoursOf work without a sheet (judgement: what a row of such units takes, each). Cold engines alone are touched; what takes a bay
// is brought in the evening before.
func HoursOf(w clock.Work) job.Times {
	switch w {
	case clock.RenewWork:
		return job.Times{Cool: 4, Hands: 3}
	case clock.CorrectWork:
		return job.Times{Cool: 4, Hands: 1.5, Wait: 2}
	case clock.RepairWork:
		return job.Times{Cool: 4, Hands: 2.5}
	case clock.HoseWork, clock.ServiceWork:
		return job.Times{Cool: 4, Hands: 1.5}
	case clock.RawWork:
		return job.Times{Hands: 1}
	case clock.FilterWork:
		return job.Times{Cool: 4, Hands: 0.5}
	case clock.CapWork, clock.DoseWork:
		return job.Times{Hands: 0.5}
	}
	return job.Times{Hands: 0.25}
}

// served clocks of a renewal and of a correction, besides those whose own work they are.
var (
	byRenewal    = []clock.Kind{clock.Age, clock.Use, clock.Freeze, clock.Strength, clock.Chemistry, clock.Product, clock.Level, clock.TestDue, clock.FollowUp, clock.CapDue, clock.HosesDue, clock.Extender}
	byCorrection = []clock.Kind{clock.Freeze, clock.Strength, clock.Level, clock.TestDue, clock.FollowUp}
)

// Serves reports whether a visit for the work answers the clock.
func Serves(w clock.Work, c clock.Clock) bool {
	own, ok := clock.WorkFor(c)
	switch {
	case ok && own == w:
		return true
	case w == clock.RenewWork:
		return slices.Contains(byRenewal, c.Kind)
	case w == clock.CorrectWork:
		return slices.Contains(byCorrection, c.Kind)
	}
	return false
}

// far is the day by which a clock that has no day is taken to run out: never within a plan.
const far = 15 * 366

// Night before which a visit must be done: the night itself, and whether it has come already.
type Night struct {
	Day    measure.Date
	Passed bool
	Of     clock.Kind
}

// HasNight reports whether a clock has a night that the coolant of a unit, or its raw-water side, would not hold. Its verdict does not matter: a
// night five months ahead is sound today, and what is not known has its frost.
func HasNight(c clock.Clock) bool {
	return (c.Kind == clock.Freeze || c.Kind == clock.RawWater) && c.Due != nil
}

// NightOf a clock that has one: the early end of its window counts, since one in ten of such nights comes sooner than that, and half come later
// than the likely day. Once that end has passed it is the likely day.
func NightOf(c clock.Clock, today measure.Date) Night {
	day := *c.Due
	if c.Window != nil && c.Window.P10.After(today) {
		day = c.Window.P10
	}
	return Night{day, !day.After(today), c.Kind}
}

// HardNight before which the visit must be done, the first of those that it prevents; nil for none.
func HardNight(clocks []clock.Clock, w clock.Work, today measure.Date) *Night {
	return firstNight(clocks, today, func(c clock.Clock) bool { return Serves(w, c) })
}

// Unprevented night until a day, the first one that none of the works on the list of its circuit prevents; nil for none. A test is not taken to prevent
// anything, but where it is all that can be asked for: what would protect is not known.
func Unprevented(clocks []clock.Clock, listed map[ledger.Circuit][]clock.Work, today, until measure.Date) *Night {
	n := firstNight(clocks, today, func(c clock.Clock) bool {
		return !slices.ContainsFunc(listed[c.Circuit], func(w clock.Work) bool { return Serves(w, c) })
	})
	if n == nil || n.Day.After(until) {
		return nil
	}
	return n
}

func firstNight(clocks []clock.Clock, today measure.Date, takes func(clock.Clock) bool) *Night {
	var first *Night
	for _, c := range clocks {
		if !HasNight(c) || !takes(c) {
			continue
		}
		if n := NightOf(c, today); first == nil || n.Day.Before(first.Day) {
			first = &n
		}
	}
	return first
}

// Clocks of the unit that the visit serves, as the plan counts them from its first day.
func Clocks(clocks []clock.Clock, w clock.Work, first measure.Date) (served []schedule.Clock, held bool) {
	days := func(d measure.Date) float64 { return float64(d.Sub(first)) }
	for _, c := range clocks {
		if !Serves(w, c) {
			continue
		}
		held = held || c.Verdict == clock.Hold
		if c.Due == nil {
			continue
		}
		due := days(*c.Due)
		s := schedule.Clock{Kind: string(c.Kind), P10: due, P50: due, P90: due, Renews: w == clock.RenewWork && (c.Kind == clock.Age || c.Kind == clock.Use)}
		if c.Window != nil {
			s.P10, s.P50, s.P90 = days(c.Window.P10), days(c.Window.P50), days(c.Window.P90)
		}
		s.P10, s.P90 = min(s.P10, s.P50), max(s.P50, s.P90)
		s.P10, s.P50, s.P90 = within(s.P10), within(s.P50), within(s.P90)
		served = append(served, s)
	}
	return served, held
}

func within(days float64) float64 { return math.Max(-far, math.Min(far, days)) }

// FollowUps are the days after the work on which a check is owed by the service plan.
func FollowUps(w clock.Work, followDays int) []int {
	if w != clock.RenewWork && w != clock.CorrectWork {
		return nil
	}
	days := []int{1} // the level is checked cold on the next day
	if followDays > 1 {
		days = append(days, followDays)
	}
	return days
}

// order in which works are chosen for a unit: what serves most first.
var order = []clock.Work{clock.RenewWork, clock.CorrectWork, clock.RepairWork, clock.RawWork, clock.HoseWork, clock.ServiceWork, clock.FilterWork, clock.DoseWork, clock.CapWork, clock.SampleWork, clock.TestWork, clock.LevelWork}

// Wanted work on a circuit of a unit, for the clock that asks for it most urgently.
type Wanted struct {
	Work  clock.Work
	Clock clock.Clock
}

// RunsOut reports whether a clock asks for work until a day: its window opens by then, or it is overdue or a hold.
func RunsOut(c clock.Clock, until measure.Date) bool {
	switch {
	case c.Verdict == clock.Hold || c.Verdict == clock.Overdue:
		return true
	case c.Window != nil:
		return !c.Window.P10.After(until)
	}
	return c.Due != nil && !c.Due.After(until)
}

// WantedUntil a day by the clocks of a unit, circuit by circuit: the fewest visits that serve each clock that runs out by then. A
// clock that is not governing counts as well: a unit that is only to be topped up by its governing clock may have its hard night before the day.
func WantedUntil(clocks []clock.Clock, until measure.Date) (all []Wanted) {
	for _, w := range order {
		for _, c := range clocks {
			own, ok := clock.WorkFor(c)
			if !ok || own != w || !RunsOut(c, until) {
				continue
			}
			if !slices.ContainsFunc(all, func(o Wanted) bool { return o.Clock.Circuit == c.Circuit && Serves(o.Work, c) }) {
				all = append(all, Wanted{w, c})
			}
		}
	}
	return all
}
