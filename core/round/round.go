// Package round is a technician's walk along parked units: in which order they come, what is asked at
// each, what may be done while the engine is hot, and which points of a system are looked at.
//
// # Model
//
// A unit's clocks ask for things that a walk can answer, such as a level or a freeze test, and for
// work that it cannot, such as a renewal. Of the first each is a [Question]. What is [Owed] today is
// each clock that runs out or was never measured; the questions that a unit is asked first are those
// of its clocks, the most urgent first ([Ask]). All of it is common practice.
package round

import (
	"cmp"
	"slices"
	"strings"
	"unicode"

	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
)

// Question that a walk asks at a unit.
type Question string

// The questions.
const (
	Level      Question = "level"
	FreezeTest Question = "freeze_test"
	Cap        Question = "cap"
	Hoses      Question = "hoses"
	Meter      Question = "meter"
	Chemistry  Question = "chemistry" // strip fields, stray voltage
	Inspection Question = "inspection"
	RawWater   Question = "raw_water"
	Appearance Question = "appearance" // of the coolant
)

// Questions in the order in which they are asked when no clock says otherwise.
var Questions = []Question{Level, FreezeTest, Appearance, Cap, Hoses, Meter, Inspection, Chemistry, RawWater}

// kinds of entry that answer a question.
var kinds = map[Question]ledger.Kind{Level: ledger.KindLevelCheck, FreezeTest: ledger.KindFreezeTest, Cap: ledger.KindCapTest, Hoses: ledger.KindHoseCheck,
	Meter: ledger.KindMeter, Chemistry: ledger.KindChemistry, Appearance: ledger.KindChemistry, Inspection: ledger.KindInspection, RawWater: ledger.KindRawWater}

// Kind of entry that answers the question.
func (q Question) Kind() ledger.Kind { return kinds[q] }

// Hot reports whether a question may be asked while the engine is hot: nothing is opened or squeezed
// then, and no sample is taken. The level is read through the wall of its tank and kept as a hot one,
// which proves nothing (judgement).
func (q Question) Hot() bool { return q == Level || q == Meter || q == Inspection }

// HotPoint reports whether a point may be looked at while the engine is hot: from a distance, with
// nothing touched (judgement).
func HotPoint(point string) bool { return point == "ground" || point == "weep_hole" || point == "fins" }

// Of is the question that answers a clock; false for a clock that a walk cannot answer.
func Of(c clock.Clock) (Question, bool) {
	switch c.Kind {
	case clock.Use:
		if c.Reason.Code == clock.UseNoRate {
			return Meter, true
		}
	case clock.Holds:
		if c.Reason.Code == clock.LevelBelow || c.Reason.Code == clock.AirTrapped && c.Reason.Numbers["ready"] == 0 {
			return Level, true
		}
	case clock.Inspect, clock.Impeller, clock.Anodes, clock.Exchanger, clock.AntiSiphon, clock.BlockHeater:
		return Inspection, true
	}
	work, ok := clock.WorkFor(c)
	if !ok {
		return "", false
	}
	switch work {
	case clock.TestWork, clock.CorrectWork:
		// A mix that is too thin is tested again before it is corrected.
		return FreezeTest, true
	case clock.LevelWork:
		return Level, true
	case clock.CapWork:
		return Cap, true
	case clock.HoseWork:
		return Hoses, true
	case clock.SampleWork:
		return Chemistry, true
	case clock.RawWork:
		return RawWater, true
	}
	return "", false
}

// Owed is a clock that a walk answers and that asks for it today.
type Owed struct {
	Clock    clock.Clock
	Question Question
	// Never: what it asks for was never recorded.
	Never bool
}

// never are the reasons of clocks that nothing was ever recorded for.
var never = []clock.Code{clock.FreezeNone, clock.TestNever, clock.PartUnknown, clock.HoseAgeUnknown, clock.ChemUntested, clock.RawUnknown}

// unmeasured: nothing is known by which the clock could be judged.
func (o Owed) unmeasured() bool { return o.Never || o.Clock.Verdict == clock.Unknown }

// OwedBy the clocks of a unit: what was never measured first, then by urgency. A clock that is only to
// be watched is owed nothing today.
func OwedBy(s clock.UnitStatus) (all []Owed) {
	for _, c := range s.Clocks {
		q, ok := Of(c)
		if !ok || c.Verdict == clock.Sound || c.Verdict == clock.Watch {
			continue
		}
		all = append(all, Owed{Clock: c, Question: q, Never: c.Reason.Numbers["never"] == 1 || slices.Contains(never, c.Reason.Code)})
	}
	slices.SortStableFunc(all, func(a, b Owed) int {
		if a.unmeasured() != b.unmeasured() {
			return pick(a.unmeasured(), -1, 1)
		}
		return clock.ByUrgency(a.Clock, b.Clock)
	})
	return all
}

// Asked is how many questions a unit is asked before the rest (judgement: thirty to sixty seconds).
const Asked = 3

// Ask splits the questions of a unit into those it is asked first, two or three, and the rest: first what
// is owed, then what is to be watched, then the level and the freeze test.
func Ask(u ledger.Unit, s clock.UnitStatus) (first, rest []Question) {
	can := possible(u)
	add := func(q Question) {
		if slices.Contains(can, q) && !slices.Contains(first, q) && len(first) < Asked {
			first = append(first, q)
		}
	}
	for _, o := range OwedBy(s) {
		add(o.Question)
	}
	for _, c := range s.Clocks {
		if q, ok := Of(c); ok && c.Verdict == clock.Watch {
			add(q)
		}
	}
	for _, q := range []Question{Level, FreezeTest} {
		if len(first) < 2 {
			add(q)
		}
	}
	slices.SortStableFunc(first, func(a, b Question) int { return cmp.Compare(slices.Index(Questions, a), slices.Index(Questions, b)) })
	for _, q := range can {
		if !slices.Contains(first, q) {
			rest = append(rest, q)
		}
	}
	return first, rest
}

// possible questions of a circuit.
func possible(u ledger.Unit) (all []Question) {
	for _, q := range Questions {
		switch {
		case u.Further && ledger.OfUnit(q.Kind()):
		case q == Meter && u.Meter == "":
		case q == RawWater && (u.Kind != "boat" || u.RawWater == ledger.No):
		default:
			all = append(all, q)
		}
	}
	return all
}

// Row of a parking place: all but its last number, such as "B" of "B-04" and "Hall 2 /" of
// "Hall 2 / 14". A place without a number is a row of its own.
func Row(place string) string {
	end := strings.LastIndexFunc(place, unicode.IsDigit)
	if end < 0 {
		return strings.TrimSpace(place)
	}
	start := end
	for start > 0 && place[start-1] >= '0' && place[start-1] <= '9' {
		start--
	}
	return strings.TrimRight(strings.TrimSpace(place[:start]), "-–./ ")
}

// ComparePlaces by the order of parking: numbers by their value, so that B-9 comes before B-10; a unit
// without a place comes last.
func ComparePlaces(a, b string) int {
	if (a == "") != (b == "") {
		return pick(a == "", 1, -1)
	}
	for a != "" && b != "" {
		var x, y string
		var number bool
		x, a, number = part(a)
		var other bool
		y, b, other = part(b)
		var c int
		if number && other {
			x, y = strings.TrimLeft(x, "0"), strings.TrimLeft(y, "0")
			c = cmp.Or(cmp.Compare(len(x), len(y)), cmp.Compare(x, y))
		} else {
			c = cmp.Compare(strings.ToLower(x), strings.ToLower(y))
		}
		if c != 0 {
			return c
		}
	}
	return cmp.Compare(len(a), len(b))
}

// part of a text: its first run of digits, or of what is no digit.
func part(s string) (first, rest string, number bool) {
	digit := func(r rune) bool { return r >= '0' && r <= '9' }
	number = digit(rune(s[0]))
	if i := strings.IndexFunc(s, func(r rune) bool { return digit(r) != number }); i >= 0 {
		return s[:i], s[i:], number
	}
	return s, "", number
}

// Fit of an instrument for what is inside a circuit.
type Fit string

// The fits.
const (
	Fits       Fit = "fits"
	OtherScale Fit = "other_scale" // a refractometer without the scale of the glycol inside
	Density    Fit = "density"     // a float tester or hydrometer, and PG inside: it shows no strength
	Waterless  Fit = "waterless"   // only a refractometer that reads the share of water
	NoBase     Fit = "base"        // which glycol is inside is not known
)

// Usable reports whether a reading says anything at all of what is inside.
func (f Fit) Usable() bool { return f != Density && f != Waterless }

// FitOf a kind of instrument of the freeze test, with the scales it has (nil when that is not known),
// for the glycol inside.
func FitOf(instrument string, scales []coolant.Base, inside coolant.Base) Fit {
	floats := instrument == ledger.DiscTester || instrument == ledger.Hydrometer
	switch {
	case inside == coolant.NoWater:
		return pick(instrument == ledger.Refractometer, Fits, Waterless)
	case inside == coolant.PG && floats:
		return Density
	case !inside.Known():
		return NoBase
	case instrument == ledger.Refractometer && len(scales) > 0 && !slices.Contains(scales, inside):
		return OtherScale
	}
	return Fits
}

func pick[T any](ok bool, yes, no T) T {
	if ok {
		return yes
	}
	return no
}
