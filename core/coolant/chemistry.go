package coolant

import (
	"gonum.org/v1/gonum/stat"
)

// Technology of the corrosion inhibitors, as on the label.
type Technology string

// The technologies of the trade.
const (
	IAT       Technology = "IAT"
	OAT       Technology = "OAT"
	HOAT      Technology = "HOAT"
	SiOAT     Technology = "Si-OAT"
	POAT      Technology = "P-HOAT"
	NOAT      Technology = "NOAT"
	Waterless Technology = "waterless"
)

// Technologies in the order they are offered.
var Technologies = []Technology{IAT, OAT, HOAT, SiOAT, POAT, NOAT, Waterless}

// Look of a sample.
type Look string

// The looks.
const (
	LookClear    Look = "clear" // clear and dyed, as it should be
	LookFaded    Look = "faded" // the dye has gone
	LookCloudy   Look = "cloudy"
	LookRusty    Look = "rusty"
	LookOily     Look = "oily"
	LookGelled   Look = "gelled"
	LookSediment Look = "sediment"
)

// Looks in the order they are offered.
var Looks = []Look{LookClear, LookFaded, LookCloudy, LookRusty, LookOily, LookGelled, LookSediment}

// Grade of one property or a whole sample.
type Grade string

// The grades, worst first.
const (
	GradeBad     Grade = "bad"  // renew, or find the cause
	GradeSoft    Grade = "soft" // watch it, test again soon
	GradeUnknown Grade = "unknown"
	GradeGood    Grade = "good"
)

// Property of a sample.
type Property string

// The properties.
const (
	PropPH        Property = "pH"
	PropReserve   Property = "reserve alkalinity" // mL of 0.1 N acid, ASTM D1121
	PropNitrite   Property = "nitrite"            // ppm
	PropMolybdate Property = "molybdate"          // ppm
	PropStray     Property = "stray voltage"      // V, coolant against battery ground
	PropLook      Property = "look"
)

// Sample of a coolant's chemistry; nil was not tested.
type Sample struct {
	Technology Technology
	WetLiners  bool // wet-liner diesel: needs nitrite or molybdate against cavitation
	PH         *float64
	Reserve    *float64
	Nitrite    *float64
	Molybdate  *float64
	Stray      *float64
	Look       Look // empty: not looked at
}

// Limit of a property: bad outside Least..Most, soft outside SoftLeast..SoftMost.
type Limit struct{ Least, SoftLeast, SoftMost, Most float64 }

const none = 1e9

// Limits by technology. pH: ASTM D3306 asks for 7.5 to 11.0 of a new 50 %
// mixture (recalled from memory); in service 7.0 is common practice for the
// organic acids. Reserve alkalinity counts for the inorganic kinds only. The
// nitrite and molybdate figures and the 0.3 V are common practice. False when a
// property says nothing about that technology.
func Limits(p Property, tech Technology, wetLiners bool) (Limit, bool) {
	switch p {
	case PropPH:
		switch tech {
		case IAT:
			return Limit{7.5, 8.0, 10.5, 11.0}, true
		case OAT, NOAT, HOAT, SiOAT, POAT:
			return Limit{7.0, 7.5, 9.5, 11.0}, true
		}
	case PropReserve:
		switch tech {
		case IAT:
			return Limit{3, 5, none, none}, true
		case HOAT, SiOAT, POAT:
			return Limit{2, 3, none, none}, true
		}
	case PropNitrite:
		if wetLiners && LinersOf(tech).Nitrite {
			return Limit{nitriteLow, nitriteAlone, nitriteHigh, nitriteMost}, true
		}
	case PropMolybdate:
		if wetLiners && LinersOf(tech).Molybdate {
			return Limit{eachLeast, eachLeast, none, none}, true
		}
	case PropStray:
		return Limit{-none, -none, 0.2, 0.3}, true
	}
	return Limit{}, false
}

// PropertyGrade is how one property stands.
type PropertyGrade struct {
	Property Property
	Value    float64
	Limit    Limit
	Grade    Grade
}

// Judge grades a sample: each property that means something for its
// technology, and the worst of them. Nothing tested is unknown, not good. In a
// wet-liner diesel nitrite and molybdate are judged together, see [LinersOf].
func Judge(s Sample) (grade Grade, properties []PropertyGrade) {
	for _, t := range []struct {
		p Property
		v *float64
	}{{PropPH, s.PH}, {PropReserve, s.Reserve}, {PropNitrite, s.Nitrite}, {PropMolybdate, s.Molybdate}, {PropStray, s.Stray}} {
		limit, applies := Limits(t.p, s.Technology, s.WetLiners)
		if !applies {
			continue
		}
		g := PropertyGrade{Property: t.p, Limit: limit, Grade: GradeUnknown}
		if t.v != nil {
			g.Value, g.Grade = *t.v, limit.grade(*t.v)
			if t.p == PropStray && g.Value >= limit.Most {
				g.Grade = GradeBad // 0.3 V and above is bad
			}
		}
		properties = append(properties, g)
	}
	for i := range properties {
		p := &properties[i]
		tested := p.Property == PropNitrite && s.Nitrite != nil || p.Property == PropMolybdate && s.Molybdate != nil
		if tested {
			p.Grade = gradeLiners(s.Technology, s.Nitrite, s.Molybdate)
		}
	}
	properties = append(properties, PropertyGrade{Property: PropLook, Grade: lookGrade(s.Look)})
	grade = GradeGood
	for _, p := range properties {
		if p.Grade.rank() < grade.rank() {
			grade = p.Grade
		}
	}
	return grade, properties
}

// JudgeTested is [Judge] for what was tested alone: the grade is the worst of
// the properties that were, unknown when none was.
func JudgeTested(s Sample) (grade Grade, properties []PropertyGrade) {
	_, properties = Judge(s)
	grade = GradeUnknown
	for _, p := range properties {
		if p.Grade != GradeUnknown && (grade == GradeUnknown || p.Grade.Worse(grade)) {
			grade = p.Grade
		}
	}
	return grade, properties
}

// Worse reports whether g is the worse of two grades.
func (g Grade) Worse(o Grade) bool { return g.rank() < o.rank() }

func (l Limit) grade(v float64) Grade {
	switch {
	case v < l.Least || v > l.Most:
		return GradeBad
	case v < l.SoftLeast || v > l.SoftMost:
		return GradeSoft
	}
	return GradeGood
}

func (g Grade) rank() int {
	for i, other := range []Grade{GradeBad, GradeSoft, GradeUnknown, GradeGood} {
		if g == other {
			return i
		}
	}
	return 0
}

func lookGrade(l Look) Grade {
	switch l {
	case LookClear:
		return GradeGood
	case LookFaded, LookCloudy:
		return GradeSoft
	case LookRusty, LookOily, LookGelled, LookSediment:
		return GradeBad
	}
	return GradeUnknown
}

// Dated is a property as it was on a day.
type Dated struct{ Day, Value float64 }

// DaysToLimit carries the trend of a property on to its limit: the straight
// line of least squares through three dated values or more. It returns the days
// from the last value, and false when there are fewer, or the line does not run
// towards the limit, as after it has been passed.
func DaysToLimit(points []Dated, limit float64) (float64, bool) {
	if len(points) < 3 {
		return 0, false
	}
	xs, ys := make([]float64, len(points)), make([]float64, len(points))
	last := points[0].Day
	for i, p := range points {
		xs[i], ys[i] = p.Day, p.Value
		last = max(last, p.Day)
	}
	alpha, beta := stat.LinearRegression(xs, ys, nil, false)
	if !(beta != 0) {
		return 0, false
	}
	days := (limit-alpha)/beta - last
	if now := alpha + beta*last; (limit-now)*beta < 0 {
		return 0, false // moving away, or past it
	}
	return days, true
}
