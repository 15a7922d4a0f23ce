package coolant

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"

	"diligentledger/core/measure"
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
	NOAT      Technology = "NOAT" // nitrited OAT
	Waterless Technology = "waterless"
)

// Technologies in the order they are offered.
var Technologies = []Technology{IAT, OAT, HOAT, SiOAT, POAT, NOAT, Waterless}

// Metal that the coolant wets, as far as stray voltage and nitrite go.
type Metal string

// The metals. An engine of both is aluminium. Empty is not known.
const (
	Iron      Metal = "iron"
	Aluminium Metal = "aluminium"
)

// Appearance of a sample.
type Appearance string

// The appearances.
const (
	AppearanceClear    Appearance = "clear" // clear and dyed, as it should be
	AppearanceFaded    Appearance = "faded" // the dye has gone
	AppearanceCloudy   Appearance = "cloudy"
	AppearanceRusty    Appearance = "rusty"
	AppearanceOily     Appearance = "oily"
	AppearanceGelled   Appearance = "gelled"
	AppearanceSediment Appearance = "sediment"
)

// Appearances in the order they are offered.
var Appearances = []Appearance{AppearanceClear, AppearanceFaded, AppearanceCloudy, AppearanceRusty, AppearanceOily, AppearanceGelled, AppearanceSediment}

// Grade of one property or a whole sample.
type Grade string

// The grades, worst first.
const (
	GradeBad     Grade = "bad"  // act, see the remedy
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
	PropNitrite   Property = "nitrite"            // ppm NO₂
	PropMolybdate Property = "molybdate"          // ppm MoO₄
	// Stray voltage, V, coolant against battery ground: with what on is not said, or all
	// off, cranking, all loads on.
	PropStray         Property = "stray voltage"
	PropStrayOff      Property = "stray voltage (all off)"
	PropStrayCranking Property = "stray voltage (cranking)"
	PropStrayLoads    Property = "stray voltage (loads on)"
	PropAppearance    Property = "look"
	// Conductivity, µS/cm at 25 °C, of coolant for electric drives and batteries.
	PropConductivity Property = "conductivity"
)

// properties in the order of [Evaluate].
var properties = []Property{PropPH, PropReserve, PropNitrite, PropMolybdate, PropStray, PropStrayOff, PropStrayCranking, PropStrayLoads, PropConductivity, PropAppearance}

// Order of the property in [Evaluate].
func (p Property) Order() int { return slices.Index(properties, p) }

// Electrical properties are those of the unit's wiring, not of its charge.
func (p Property) Electrical() bool {
	return p == PropStray || p == PropStrayOff || p == PropStrayCranking || p == PropStrayLoads
}

// Dosed properties are raised by an additive.
func (p Property) Dosed() bool { return p == PropNitrite || p == PropMolybdate }

// Remedy for a property that is not good.
type Remedy string

// The remedies. Empty is none.
const (
	RemedySCA      Remedy = "sca"      // a dose of supplemental additive
	RemedyExtender Remedy = "extender" // of a nitrited OAT
	RemedyDilute   Remedy = "dilute"   // drain part, fill with the mix without additive
	RemedyRenew    Remedy = "renew"
	RemedyFlush    Remedy = "flush"   // renew after a full flush, and find out what got in
	RemedyGround   Remedy = "ground"  // find the faulty ground
	RemedyProduct  Remedy = "product" // find out which product is inside
	RemedyTest     Remedy = "test"    // test what decides it
	RemedyCause    Remedy = "cause"   // find what got in
)

// Band that a reading leaves open; a strip's step, or Low equal to High for a figure.
type Band struct{ Low, High float64 }

// ExactBand is the band of a figure.
func ExactBand(v float64) *Band { return &Band{v, v} }

// Times scales the band.
func (b Band) Times(f float64) Band { return Band{b.Low * f, b.High * f} }

// Sample of a coolant's chemistry; nil was not tested.
type Sample struct {
	Technology Technology
	WetLiners  bool // wet-liner diesel: liners are protected by nitrite or molybdate
	Metal      Metal
	PH         *Band
	Reserve    *float64 // mL
	// Fresh reserve alkalinity of the product, mL; 0 when it does not state one.
	Fresh              float64
	Nitrite, Molybdate *Band // ppm NO₂, ppm MoO₄
	// Stray voltage by what was on, V, either sign.
	Stray, StrayOff, StrayCranking, StrayLoads *float64
	Appearance                                 Appearance // empty: not inspected
	// Conductivity at 25 °C, µS/cm, see [ConductivityAt25]; judged in a circuit that cools
	// high-voltage parts alone.
	Conductivity *float64
	Electric     bool
	// Over are the figures of the unit's maker and of the product, in this order.
	Over []Figures
}

// Bounds of a property: bad outside Least..Most, soft outside SoftLeast..SoftMost.
type Bounds struct{ Min, WatchMin, WatchMax, Max float64 }

const none = 1e9

// PropertyGrade is a property with its grade and its remedy.
type PropertyGrade struct {
	Property    Property
	Value, High float64 // what was read, from Value to High
	Bounds      Bounds
	Grade       Grade
	Remedy      Remedy
}

// Bounds of a property of this sample; false when the property says nothing about it. pH of
// a technology that is not known is good only where it is good for each, and bad only
// where it is bad for each.
func (s Sample) Bounds(p Property) (Bounds, bool) {
	in := func(l Limit) float64 { return l.In(s.Over...) }
	switch p {
	case PropPH:
		switch s.Technology {
		case Waterless:
			return Bounds{}, false
		case IAT:
			return Bounds{in(phIATLeast), in(phIATWatchLow), in(phIATWatchHigh), in(phIATMost)}, true
		case OAT, NOAT, SiOAT, POAT:
			return Bounds{in(phOATLeast), in(phOATWatchLow), in(phOATWatchHigh), in(phOATMost)}, true
		case HOAT:
			return Bounds{in(phOATLeast), in(phOATWatchLow), in(phOATWatchHigh), in(phHOATMost)}, true
		}
		return Bounds{in(phOATLeast), in(phIATWatchLow), in(phOATWatchHigh), in(phIATMost)}, true
	case PropReserve:
		return Bounds{in(reserveBad) * s.Fresh, in(reserveWatch) * s.Fresh, none, none}, s.Fresh > 0
	case PropNitrite:
		return s.nitriteBounds(), true
	case PropMolybdate:
		return Bounds{0, in(nitriteEach), none, none}, s.WetLiners && !s.nitriteFree()
	case PropStray, PropStrayOff, PropStrayCranking, PropStrayLoads:
		most := in(strayAluminium)
		if s.Metal == Iron {
			most = in(strayIron)
		}
		return Bounds{-none, -none, in(strayClean), most}, true
	case PropConductivity:
		most := in(conductivityMost)
		return Bounds{-none, -none, min(in(conductivityNew), most), most}, s.Electric
	}
	return Bounds{}, false
}

// Evaluate grades a sample: each property that was tested, and the worst of them. What was
// not tested is listed as unknown and left out of the whole; when nothing was tested,
// the whole is unknown.
func Evaluate(s Sample) (grade Grade, properties []PropertyGrade) {
	for _, t := range []struct {
		p     Property
		v     *Band
		asked bool // listed when it was not tested
	}{{PropPH, s.PH, s.Technology != Waterless}, {PropReserve, point(s.Reserve), s.Fresh > 0}, {PropNitrite, s.Nitrite, s.WetLiners && !s.nitriteFree()},
		{PropMolybdate, s.Molybdate, false}, {PropStray, point(s.Stray), !s.strayed()}, {PropStrayOff, point(s.StrayOff), s.strayed()},
		{PropStrayCranking, point(s.StrayCranking), s.strayed()}, {PropStrayLoads, point(s.StrayLoads), s.strayed()},
		{PropConductivity, point(s.Conductivity), s.Electric}} {
		switch {
		case t.v != nil:
			properties = append(properties, s.judge(t.p, *t.v))
		case t.asked:
			bounds, _ := s.Bounds(t.p)
			properties = append(properties, PropertyGrade{Property: t.p, Bounds: bounds, Grade: GradeUnknown})
		}
	}
	properties = append(properties, appearanceGrade(s.Appearance))
	s.spend(properties)
	grade = GradeUnknown
	for _, p := range properties {
		if p.Grade != GradeUnknown && (grade == GradeUnknown || p.Grade.Worse(grade)) {
			grade = p.Grade
		}
	}
	return grade, properties
}

func point(v *float64) *Band {
	if v == nil {
		return nil
	}
	return ExactBand(*v)
}

// strayed reports whether a stray voltage was read with what was on.
func (s Sample) strayed() bool {
	return s.StrayOff != nil || s.StrayCranking != nil || s.StrayLoads != nil
}

// judge one property that was tested. The low end of a band is held against what is too
// little, the high end against what is too much.
func (s Sample) judge(p Property, v Band) PropertyGrade {
	g := PropertyGrade{Property: p, Value: v.Low, High: v.High}
	bounds, judged := s.Bounds(p)
	if g.Bounds = bounds; !judged || math.IsNaN(v.Low) || math.IsNaN(v.High) {
		g.Grade = GradeUnknown
		return g
	}
	switch p {
	case PropNitrite, PropMolybdate:
		g.Grade, g.Remedy = s.liners(p)
		return g
	case PropStray, PropStrayOff, PropStrayCranking, PropStrayLoads:
		v = Band{math.Abs(v.Low), math.Abs(v.High)}
		g.Grade = bounds.grade(v)
		if v.High >= bounds.Max {
			g.Grade = GradeBad
		}
	default:
		g.Grade = bounds.grade(v)
	}
	if g.Grade != GradeGood {
		g.Remedy = remedyOf(p, v.High > bounds.WatchMax)
	}
	return g
}

func remedyOf(p Property, high bool) Remedy {
	switch p {
	case PropPH:
		if high {
			return RemedyFlush
		}
		return RemedyRenew
	case PropReserve:
		return RemedyRenew
	case PropConductivity:
		return RemedyFlush
	}
	return RemedyGround
}

// spend turns the remedy for little nitrite into a renewal when pH or reserve alkalinity
// is spent as well: an additive does not restore them.
func (s Sample) spend(properties []PropertyGrade) {
	spent := false
	for _, p := range properties {
		spent = spent || p.Grade == GradeBad && (p.Remedy == RemedyRenew || p.Remedy == RemedyFlush)
	}
	for i := range properties {
		if p := &properties[i]; spent && (p.Remedy == RemedySCA || p.Remedy == RemedyExtender) {
			p.Remedy = RemedyRenew
		}
	}
}

// Worse reports whether g is the worse of two grades.
func (g Grade) Worse(o Grade) bool { return g.rank() < o.rank() }

func (b Bounds) grade(v Band) Grade {
	switch {
	case v.Low < b.Min || v.High > b.Max:
		return GradeBad
	case v.Low < b.WatchMin || v.High > b.WatchMax:
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

func appearanceGrade(l Appearance) PropertyGrade {
	g := PropertyGrade{Property: PropAppearance, Grade: GradeUnknown}
	switch l {
	case AppearanceClear:
		g.Grade = GradeGood
	case AppearanceFaded, AppearanceCloudy:
		g.Grade, g.Remedy = GradeSoft, RemedyTest
	case AppearanceRusty, AppearanceSediment:
		g.Grade, g.Remedy = GradeBad, RemedyFlush
	case AppearanceOily, AppearanceGelled:
		g.Grade, g.Remedy = GradeBad, RemedyCause
	}
	return g
}

// ConductivityAt25 is a conductivity in µS/cm that was read on a sample at a temperature in °C,
// reduced to 25 °C by 2 % a kelvin (common practice); NaN where the reduction has no meaning.
func ConductivityAt25(read float64, at measure.Celsius) float64 {
	factor := 1 + conductivityRise.Value*(float64(at)-25)
	if !(factor > 0) {
		return math.NaN()
	}
	return read / factor
}

// DatedValue is a property as it was on a day.
type DatedValue struct{ Day, Value float64 }

// DaysToLimit carries the trend of a property on to its limit: the straight
// line of least squares through three dated values or more. It returns the days
// from the last value, and false when there are fewer, or the line does not run
// towards the limit, as after it has been passed.
func DaysToLimit(points []DatedValue, limit float64) (float64, bool) {
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
	if !(beta != 0) || math.IsInf(beta, 0) {
		return 0, false
	}
	days := (limit-alpha)/beta - last
	if now := alpha + beta*last; (limit-now)*beta < 0 {
		return 0, false // moving away, or past it
	}
	return days, true
}
