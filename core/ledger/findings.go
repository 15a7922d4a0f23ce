package ledger

import (
	"math"
	"slices"
	"strings"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// found keeps the last state of a point and makes the line's grade the worst.
func (a *Account) found(line *Line, point, state string, grade coolant.Grade) {
	f := Finding{Point: point, State: state, Grade: grade, At: line.Entry.At, Entry: line.Entry.ID}
	a.Findings = slices.Clone(a.Findings)
	if i := slices.IndexFunc(a.Findings, func(o Finding) bool { return o.Point == point }); i >= 0 {
		a.Findings[i] = f
	} else {
		a.Findings = append(a.Findings, f)
	}
	if line.Grade == "" || grade.Worse(line.Grade) {
		line.Grade = grade
	}
}

// capOff is how far off its rating a cap may open, as a share (common practice).
const capOff = 0.10

// cap judges a pressure cap: anything that lets it leak or keeps it from
// drawing back is bad.
func (a *Account) cap(line *Line, b CapTest) {
	var states []string
	grade := coolant.GradeUnknown
	say := func(state string, g coolant.Grade) {
		if g != coolant.GradeGood {
			states = append(states, state)
		}
		if grade == coolant.GradeUnknown || g.Worse(grade) {
			grade = g
		}
	}
	if b.Opened != nil {
		if p, err := b.Opened.Metric(measure.Pressure); err == nil && a.Unit.Cap > 0 {
			if off := math.Abs(p-float64(a.Unit.Cap)) / float64(a.Unit.Cap); off > capOff {
				line.note(NoteOffRating)
				say("off_rating", coolant.GradeBad)
			} else {
				say("", coolant.GradeGood)
			}
		}
	}
	yes := func(ok *bool, state string) {
		if ok != nil {
			say(state, pick(*ok, coolant.GradeGood, coolant.GradeBad))
		}
	}
	yes(b.Holds, "does_not_hold")
	yes(b.Seated, "not_seated")
	if b.Vacuum != "" {
		say("vacuum_stuck", pick(b.Vacuum == "opens", coolant.GradeGood, coolant.GradeBad))
	}
	switch b.Seal {
	case "good":
		say("", coolant.GradeGood)
	case "dried":
		say("seal_dried", coolant.GradeSoft)
	case "cracked", "hardened":
		say("seal_"+b.Seal, coolant.GradeBad)
	}
	if b.Stage != "" {
		say(b.Stage, pick(b.Stage == "home", coolant.GradeGood, coolant.GradeBad))
	}
	a.found(line, "cap", states1(states, grade), grade)
}

func pick[T any](ok bool, yes, no T) T {
	if ok {
		return yes
	}
	return no
}

// states1 is what was found as one word list, or the grade when all was well.
func states1(states []string, grade coolant.Grade) string {
	if len(states) == 0 {
		return string(grade)
	}
	return strings.Join(states, ",")
}

func (a *Account) hoses(line *Line, b HoseCheck) {
	for _, h := range b.Hoses {
		var states []string
		grade := coolant.GradeGood
		switch h.State {
		case "cracked", "bulging", "weeping":
			grade = coolant.GradeBad
		case "soft", "hard", "chafed":
			grade = coolant.GradeSoft
		}
		if grade != coolant.GradeGood {
			states = append(states, h.State)
		}
		if h.Clamp == "loose" || h.Clamp == "on_ridge" {
			states = append(states, "clamp_"+h.Clamp)
			if coolant.GradeSoft.Worse(grade) {
				grade = coolant.GradeSoft
			}
		}
		a.found(line, h.Hose+"_hose", states1(states, grade), grade)
	}
}

// Blocked shares of a radiator's face, per cent (common practice: replaced from
// 20 % on).
const (
	blockedSoft = 10
	blockedBad  = 20
)

func (a *Account) inspect(line *Line, b Inspection) {
	for _, p := range b.Points {
		grade := map[string]coolant.Grade{"good": coolant.GradeGood, "watch": coolant.GradeSoft, "bad": coolant.GradeBad}[p.State]
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
	}
}

// Shares of the pressure that may be lost in a test (common practice: a sound
// system shows no fall within some minutes).
const (
	dropSoft = 0.03
	dropBad  = 0.10
)

func (a *Account) pressure(line *Line, b PressureTest) {
	p, err1 := b.Pressure.Metric(measure.Pressure)
	d, err2 := b.Drop.Metric(measure.Pressure)
	if err1 != nil || err2 != nil || p <= 0 {
		return
	}
	grade := coolant.GradeGood
	switch {
	case d/p > dropBad:
		grade = coolant.GradeBad
	case d/p > dropSoft:
		grade = coolant.GradeSoft
	}
	if grade != coolant.GradeGood {
		line.note(NoteLeaks)
	}
	a.found(line, "system", pick(grade == coolant.GradeGood, "holds", "falls"), grade)
}

func (a *Account) chemistry(line *Line, b ChemistryTest) {
	s := coolant.Sample{WetLiners: a.Unit.WetLiners, PH: b.PH, Reserve: b.Reserve, Nitrite: b.Nitrite,
		Molybdate: b.Molybdate, Stray: b.Stray, Look: b.Look}
	if a.Product != nil {
		s.Technology = coolant.Technology(a.Product.Technology)
	}
	tested, properties := coolant.JudgeTested(s)
	a.Chemistry = append(a.Chemistry, Chemistry{At: line.Entry.At, Sample: s, Grade: tested, Properties: properties})
	var states []string
	for _, p := range properties {
		if p.Grade == coolant.GradeBad || p.Grade == coolant.GradeSoft {
			states = append(states, string(p.Property))
		}
	}
	a.found(line, "chemistry", states1(states, tested), tested)
}

// ChemistryTrend carries the samples of the running charge on to a limit of a
// property; the day it is reached, false when there are fewer than three or the
// line does not run there.
func (a *Account) ChemistryTrend(p coolant.Property) (time.Time, bool) {
	var dated []coolant.Dated
	var limit coolant.Limit
	var last time.Time
	for _, c := range a.Chemistry {
		if a.Balance.RenewedAt != nil && c.At.Before(*a.Balance.RenewedAt) {
			continue
		}
		for _, g := range c.Properties {
			if g.Property == p && g.Grade != coolant.GradeUnknown {
				dated = append(dated, coolant.Dated{Day: float64(c.At.Unix()) / 86400, Value: g.Value})
				limit, last = g.Limit, c.At
			}
		}
	}
	if len(dated) < 3 {
		return time.Time{}, false
	}
	end := limit.Least
	if dated[len(dated)-1].Value > dated[0].Value {
		end = limit.Most
	}
	days, ok := coolant.DaysToLimit(dated, end)
	if !ok || days > 36500 {
		return time.Time{}, false
	}
	return last.Add(time.Duration(days * 24 * float64(time.Hour))), true
}

func (a *Account) closeDefect(line *Line, b DefectClosed) {
	i := slices.IndexFunc(a.Defects, func(d OpenDefect) bool { return d.ID == b.Defect })
	if i < 0 {
		line.note(NoteClosesNone)
		return
	}
	a.Defects = slices.Delete(slices.Clone(a.Defects), i, i+1)
}
