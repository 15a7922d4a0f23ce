package ledger

import (
	"maps"
	"slices"
	"strings"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// found keeps the last state of a point and makes the line's grade the worst.
func (a *Account) found(line *Line, point, state string, grade coolant.Grade) {
	f := Finding{Point: point, State: state, Grade: grade, At: line.Entry.At, Entry: line.Entry.ID}
	if i := slices.IndexFunc(a.Findings, func(o Finding) bool { return o.Point == point }); i >= 0 {
		a.Findings[i] = f
	} else {
		a.Findings = append(a.Findings, f)
	}
	if line.Grade == "" || grade.Worse(line.Grade) {
		line.Grade = grade
	}
	a.judged(f)
}

// cap judges a pressure cap by [coolant.CheckCap], and keeps the pressure to
// compute with.
func (a *Account) cap(line *Line, b CapTest) {
	t := coolant.CapTest{Rated: a.Unit.Cap, New: b.Renewed, Over: []coolant.Figures{a.Unit.Figures}, Opens: b.Vacuum == "opens", Stuck: b.Vacuum == "stuck", BadSeal: b.Seal != "" && b.Seal != "good",
		Unseated: b.Stage == "first_stage" || b.Seated != nil && !*b.Seated}
	if b.Opened != nil && a.Unit.Cap > 0 {
		if p, err := b.Opened.Metric(measure.Pressure); err == nil {
			opened := measure.Kilopascal(p)
			t.Opened = &opened
		}
	}
	verdicts, effective := coolant.CheckCap(t)
	a.capEffective = &effective
	var states []string
	grade := coolant.GradeBad
	for _, v := range verdicts {
		states = append(states, string(v))
		switch {
		case v == coolant.CapSound, v == coolant.CapWorn:
			grade = coolant.GradeGood
		case v == coolant.CapUntested, v == coolant.CapHalf:
			grade = coolant.GradeUnknown
		case v == coolant.CapWeak, v == coolant.CapStuck:
			line.note(NoteOffRating)
		}
	}
	if b.Holds != nil && !*b.Holds {
		states, grade = append(slices.DeleteFunc(states, func(string) bool { return grade != coolant.GradeBad }), "does_not_hold"), coolant.GradeBad
	}
	a.found(line, "cap", strings.Join(states, ","), grade)
	if b.Renewed {
		a.worked(line, "cap")
		a.repaired = true
	}
}

// BoilOver by book at an altitude in m: of the strength there is, under the cap
// as it was last found, else as it is rated. False when strength or rating is
// unknown.
func (a *Account) BoilOver(altitude float64) (t measure.Celsius, cap measure.Kilopascal, ok bool) {
	if a.Unit.Cap == 0 || a.freeze() == nil {
		return 0, 0, false
	}
	cap = a.Unit.Cap
	if a.capEffective != nil {
		cap = *a.capEffective
	}
	t, err := coolant.BoilOver(a.Base, a.Charge.MassFraction(), cap, altitude)
	return t, cap, err == nil
}

func pick[T any](ok bool, yes, no T) T {
	if ok {
		return yes
	}
	return no
}

// stateOf is what was found as one list of codes, or the grade when all was well.
func stateOf(states []string, grade coolant.Grade) string {
	if len(states) == 0 {
		return string(grade)
	}
	return strings.Join(states, ",")
}

func (a *Account) hoses(line *Line, b HoseCheck) {
	for _, h := range b.Hoses {
		if h.State == "renewed" {
			next := make(map[string]time.Time, len(a.HoseSince)+1)
			maps.Copy(next, a.HoseSince)
			next[h.Hose] = line.Entry.At
			a.HoseSince = next
			a.worked(line, h.Hose+"_hose")
			a.repaired = true
		}
		states, grade := GradeOfHose(h.State, h.Clamp)
		a.found(line, h.Hose+"_hose", stateOf(states, grade), grade)
	}
}

// GradeOfHose is how a hose in a state of [HoseStates] with a clamp of [Clamps] is judged, and what of
// the two is not good.
func GradeOfHose(state, clamp string) (states []string, grade coolant.Grade) {
	grade = coolant.GradeGood
	switch state {
	case "cracked", "bulging", "weeping":
		grade = coolant.GradeBad
	case "soft", "hard", "chafed":
		grade = coolant.GradeSoft
	}
	if grade != coolant.GradeGood {
		states = append(states, state)
	}
	if clamp == "loose" || clamp == "on_ridge" {
		states = append(states, "clamp_"+clamp)
		if coolant.GradeSoft.Worse(grade) {
			grade = coolant.GradeSoft
		}
	}
	return states, grade
}

// GradeOfPoint is how an inspected point in a state of [PointStates] is judged; unknown for any other.
func GradeOfPoint(state string) coolant.Grade {
	if grade, ok := pointGrades[state]; ok {
		return grade
	}
	return coolant.GradeUnknown
}

// Blocked shares of a radiator's face, per cent (common practice: replaced from
// 20 % on).
const (
	blockedSoft = 10
	blockedBad  = 20
)

var pointGrades = map[string]coolant.Grade{"good": coolant.GradeGood, "watch": coolant.GradeSoft, "bad": coolant.GradeBad, "renewed": coolant.GradeGood}

func (a *Account) inspect(line *Line, b Inspection) {
	for _, p := range b.Points {
		grade := pointGrades[p.State]
		if p.Blocked != nil {
			switch {
			case *p.Blocked > blockedBad:
				grade = coolant.GradeBad
			case *p.Blocked > blockedSoft:
				grade = coolant.GradeSoft
			case p.State == "":
				grade = coolant.GradeGood
			}
		}
		if grade == "" {
			grade = coolant.GradeUnknown
		}
		a.found(line, p.Point, pick(p.State == "", string(grade), p.State), grade)
		if p.State == "renewed" {
			a.renewedPart(p.Point, line.Entry.At)
			a.worked(line, p.Point)
			a.repaired = true
		}
	}
	a.InspectedAt = &line.Entry.At
}

// A pressure test (common practice: no fall in 10 to 15 minutes at 80 to 100 % of
// the cap's rating, and never above it). A shorter test is judged by what it would
// have lost in ten minutes, and proves nothing when it lost nothing.
const (
	dropSoft    = 0.03 // share of the pressure lost in ten minutes
	dropBad     = 0.10
	testMinutes = 10.0
	testShare   = 0.8 // of the cap's rating, from which on a test proves that it holds
)

func (a *Account) pressure(line *Line, b PressureTest) {
	p, err1 := b.Pressure.Metric(measure.Pressure)
	d, err2 := b.Drop.Metric(measure.Pressure)
	if err1 != nil || err2 != nil || p <= 0 || b.Minutes <= 0 {
		return
	}
	lost := d / p * testMinutes / b.Minutes
	grade, state := coolant.GradeGood, "holds"
	switch {
	case lost > dropBad || d/p > dropBad:
		grade, state = coolant.GradeBad, "falls"
	case lost > dropSoft || d/p > dropSoft:
		grade, state = coolant.GradeSoft, "falls"
	case b.Minutes < testMinutes:
		grade, state = coolant.GradeUnknown, "too_short"
	case a.Unit.Cap == 0:
		grade, state = coolant.GradeUnknown, "rating_unknown"
	case p < testShare*float64(a.Unit.Cap):
		grade, state = coolant.GradeUnknown, "pressure_too_low"
	}
	if state == "falls" {
		line.note(NoteLeaks)
	}
	a.found(line, "system", state, grade)
	if grade == coolant.GradeGood && a.repaired {
		// What was repaired holds: what was lost before says nothing of the time to come.
		a.leaks, a.leaksCountFrom, a.levelHeldAt, a.repaired = nil, line.Entry.At, line.Entry.At, false
	}
}

// PointChemistry is the finding of the chemistry of the charge, of each property by its last test.
const PointChemistry = "chemistry"

func (a *Account) chemistry(line *Line, b ChemistryTest) {
	s := a.sample()
	switch unusable := line.Entry.Envelope.Unusable; {
	case unusable != "":
		// What was seen counts all the same.
		line.note(unusable)
		b = ChemistryTest{Appearance: b.Appearance, Stray: b.Stray, StrayOff: b.StrayOff, StrayCranking: b.StrayCranking, StrayLoads: b.StrayLoads}
	case b.Method == ByStrip && (b.Expired || b.Late):
		line.note(NoteStrip)
	default:
		s.PH = bandOf(b.PH, b.PHTo, "")
		s.Nitrite, s.Molybdate = bandOf(b.Nitrite, b.NitriteTo, b.NitriteAs), bandOf(b.Molybdate, b.MolybdateTo, b.MolybdateAs)
	}
	s.Reserve, s.Appearance = b.Reserve, b.Appearance
	s.Conductivity = b.conductivityAt25()
	s.Stray, s.StrayOff, s.StrayCranking, s.StrayLoads = b.Stray, b.StrayOff, b.StrayCranking, b.StrayLoads
	tested, properties := coolant.Evaluate(s)
	if s.Nitrite != nil {
		a.Given.Raised, a.Given.Replaced = 0, 0 // what was given is in what was tested
	}
	s.Over = nil
	a.Chemistry = append(a.Chemistry, Chemistry{At: line.Entry.At, Sample: s, Grade: tested, Properties: properties})
	if tested != coolant.GradeUnknown || !a.seenChemistry() {
		// What another property showed before counts until it is tested again.
		whole := tested
		var states []string
		for _, p := range a.ChemistryNow() {
			if p.Grade == coolant.GradeBad || p.Grade == coolant.GradeSoft {
				states = append(states, string(p.Property))
			}
			if p.Grade != coolant.GradeUnknown && (whole == coolant.GradeUnknown || p.Grade.Worse(whole)) {
				whole = p.Grade
			}
		}
		a.found(line, PointChemistry, stateOf(states, whole), whole)
		line.Grade = tested
	}
	a.coolantSeen(line, b.Appearance)
}

// Tested is a property as its last test showed it.
type Tested struct {
	coolant.PropertyGrade
	At time.Time
}

// ChemistryNow is each property of this charge by its last test, in the order of
// [coolant.Evaluate]; stray voltage is none of the charge and is kept through renewals.
// A nitrite or molybdate that was dosed since is left out until it is tested again.
func (a *Account) ChemistryNow() []Tested {
	var all []Tested
	for i := len(a.Chemistry) - 1; i >= 0; i-- {
		c := &a.Chemistry[i]
		for _, g := range c.Properties {
			tested := g.Grade != coolant.GradeUnknown || g.Remedy != ""
			if !tested || !g.Property.Electrical() && a.renewedSince(c.At) || g.Property.Dosed() && a.dosedSince(c.At) ||
				slices.ContainsFunc(all, func(t Tested) bool { return t.Property == g.Property }) {
				continue
			}
			all = append(all, Tested{g, c.At})
		}
	}
	slices.SortStableFunc(all, func(x, y Tested) int { return x.Property.Order() - y.Property.Order() })
	return all
}

func (a *Account) renewedSince(at time.Time) bool {
	return a.Balance.RenewedAt != nil && at.Before(*a.Balance.RenewedAt)
}

func (a *Account) dosedSince(at time.Time) bool {
	return a.Given.DosedAt != nil && at.Before(*a.Given.DosedAt)
}

// Technology of the product inside; empty when it is not known.
func (a *Account) Technology() coolant.Technology { return a.sample().Technology }

// RemedyWhenLow is what puts a property right once it has run down to its limit.
func (a *Account) RemedyWhenLow(p coolant.Property) coolant.Remedy {
	s := a.sample()
	switch p {
	case coolant.PropNitrite, coolant.PropMolybdate:
		s.Nitrite = coolant.ExactBand(0)
	case coolant.PropPH:
		s.PH = coolant.ExactBand(0)
	default:
		return coolant.RemedyRenew
	}
	_, properties := coolant.Evaluate(s)
	for _, g := range properties {
		if g.Property == p || p == coolant.PropMolybdate && g.Property == coolant.PropNitrite {
			return g.Remedy
		}
	}
	return coolant.RemedyRenew
}

// seenChemistry reports whether a sample of the charge was judged before: one of which
// nothing could be judged does not take its place.
func (a *Account) seenChemistry() bool {
	return slices.ContainsFunc(a.Findings, func(f Finding) bool { return f.Point == PointChemistry })
}

// bandOf a figure and the upper end of its step, in NO₂ or MoO₄; nil for what was not tested.
func bandOf(low, high *float64, as coolant.Basis) *coolant.Band {
	factor, ok := as.Factor()
	if low == nil || !ok {
		return nil
	}
	b := coolant.Band{Low: *low, High: *low}
	if high != nil {
		b.High = max(b.Low, *high)
	}
	b = b.Times(factor)
	return &b
}

// ChemistryTrend carries the samples of the running charge, since it was last filled or
// dosed, on to a limit of a property; the day it is reached, false when there are fewer than
// three or the line does not run there.
func (a *Account) ChemistryTrend(p coolant.Property) (time.Time, bool) {
	var dated []coolant.DatedValue
	var bounds coolant.Bounds
	var last time.Time
	for _, c := range a.Chemistry {
		if a.changedSince(c.At) {
			continue
		}
		for _, g := range c.Properties {
			if g.Property == p && g.Grade != coolant.GradeUnknown {
				dated = append(dated, coolant.DatedValue{Day: float64(c.At.Unix()) / 86400, Value: (g.Value + max(g.Value, g.High)) / 2}) // the middle of a step
				bounds, last = g.Bounds, c.At
			}
		}
	}
	if len(dated) < 3 {
		return time.Time{}, false
	}
	end := bounds.Min
	if dated[len(dated)-1].Value > dated[0].Value {
		end = bounds.Max
	}
	days, ok := coolant.DaysToLimit(dated, end)
	if !ok || days > 36500 {
		return time.Time{}, false
	}
	return last.Add(time.Duration(days * 24 * float64(time.Hour))), true
}

// changedSince reports whether the inhibitors were changed after a time: by a fill, in whole
// or in part, or by an additive.
func (a *Account) changedSince(at time.Time) bool {
	for _, t := range []*time.Time{a.Balance.RenewedAt, a.RefilledAt, a.Given.DosedAt} {
		if t != nil && at.Before(*t) {
			return true
		}
	}
	return false
}

func (a *Account) closeDefect(line *Line, b DefectClosed) {
	i := slices.IndexFunc(a.Defects, func(d OpenDefect) bool { return d.ID == b.Defect })
	if i < 0 {
		line.note(NoteClosesNone)
		return
	}
	a.Defects = slices.Delete(slices.Clone(a.Defects), i, i+1)
	a.repaired = true
}
