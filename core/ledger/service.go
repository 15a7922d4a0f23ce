package ledger

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/usage"
)

// RawWaterMark is the state of the raw-water side as it was recorded last.
type RawWaterMark struct {
	_ struct{} `cbor:",toarray"`

	State string // of RawWaterStates
	At    time.Time
	Entry string
	// Protects is what a filled side was tested to, °C; nil when it was not.
	Protects *measure.Celsius
}

func (a *Account) rawWater(l *Line, b RawWater) {
	m := &RawWaterMark{State: b.State, At: l.Entry.At, Entry: l.Entry.ID}
	if b.Freeze != nil && b.State == RawFilled {
		if v, err := b.Freeze.Metric(measure.Temperature); err == nil {
			t := measure.Celsius(v)
			m.Protects = &t
		}
	}
	a.RawWater = m
}

func (a *Account) layUp(l *Line, b LayUp) {
	a.rested(l.Entry.At)
	a.LaidUp = &l.Entry
	if b.RawWater != "" {
		a.rawWater(l, RawWater{State: b.RawWater})
	}
}

// returned to use: raw water is let in.
func (a *Account) returned(l *Line, _ Return) {
	if a.LaidUp != nil {
		a.rested(l.Entry.At)
		for _, what := range ReturnChecks {
			a.requireCheck(what, l.Entry.At)
		}
	}
	a.LaidUp = nil
	if a.RawWater != nil {
		a.rawWater(l, RawWater{State: RawWet})
	}
}

// mostRests that are kept: more than the years that a model looks back on have seasons (judgement).
const mostRests = 24

// rested ends the rest that runs, if one does, at a moment.
func (a *Account) rested(at time.Time) {
	if a.LaidUp == nil || !at.After(a.LaidUp.At) {
		return
	}
	kept := a.Rests
	if len(kept) == mostRests {
		kept = kept[1:]
	}
	a.Rests = append(slices.Clip(kept), usage.Rest{From: a.LaidUp.At, To: at})
}

// settleReturn ends what was owed since a return to use, by an entry that answers it.
func (a *Account) settleReturn(line *Line) {
	answered := ""
	switch b := line.Entry.Body.(type) {
	case LevelCheck:
		if b.Temper == Cold && line.Grade != coolant.GradeUnknown {
			answered = CheckReturnLevel
		}
	case FreezeTest:
		if line.Test != nil && line.Test.Trusted {
			answered = CheckReturnTest
		}
	case CapTest:
		if line.Grade != coolant.GradeUnknown {
			answered = CheckReturnCap
		}
	case HoseCheck:
		answered = CheckReturnHoses
	}
	if answered != "" {
		a.completeCheck(answered)
	}
}

// PointCombustion is the finding of combustion gas in the coolant.
const PointCombustion = "combustion_gas"

func (a *Account) combustion(l *Line, b CombustionTest) {
	grade := coolant.GradeUnknown
	switch b.Gas {
	case "none":
		grade = coolant.GradeGood
	case "found":
		grade = coolant.GradeBad
	}
	a.found(l, PointCombustion, b.Gas, grade)
}

// renewedPart keeps when a point was renewed. The map is shared with snapshots and is never changed
// in place.
func (a *Account) renewedPart(point string, at time.Time) {
	next := make(map[string]time.Time, len(a.PartSince)+1)
	maps.Copy(next, a.PartSince)
	next[point] = at
	a.PartSince = next
}

func (c *checker) rawState(field, state string, optional bool) {
	c.oneOf(field, state, RawWaterStates, optional)
	if state != "" && c.unit.Kind != "" && c.unit.Kind != "boat" {
		c.refuse(field, state+" on a "+c.unit.Kind, "nothing: boats alone have a raw-water side")
	}
	if state != "" && c.unit.RawWater == No {
		c.refuse(field, state, "nothing: the register says that this boat has no raw-water side")
	}
}

func (c *checker) rawWater(b RawWater) {
	c.rawState("/state", b.State, false)
	if b.Freeze != nil {
		c.reading("/freeze", *b.Freeze, measure.Temperature, float64(coldestRead), float64(warmestRead))
		if b.State != RawFilled {
			c.refuse("/freeze", b.Freeze.String(), "none but for a side that is filled with antifreeze")
		}
	}
	c.text("/note", b.Note, 0, longText)
}

func (c *checker) layUp(b LayUp) {
	c.rawState("/rawWater", b.RawWater, true)
	c.text("/note", b.Note, 0, longText)
}

func (c *checker) combustion(b CombustionTest) {
	c.oneOf("/gas", b.Gas, CombustionGas, false)
	c.text("/note", b.Note, 0, longText)
}

// batch: a product past its shelf life is asked about.
func (c *checker) batch(number string, useBefore *measure.Date) {
	c.text("/batch", number, 0, shortText)
	if useBefore == nil {
		return
	}
	if years := useBefore.Sub(measure.DateOf(c.entry.At, time.UTC)) / 365; years > 30 || years < -30 {
		c.refuse("/useBefore", useBefore.String(), "a day within 30 years")
		return
	}
	if !c.confirmed && useBefore.Before(measure.DateOf(c.entry.At, time.UTC)) {
		c.question("/useBefore", "use before "+refusal.Day(useBefore.At(12, 0, time.UTC)), "a batch within its shelf life; if it was poured in all the same, confirm it")
	}
}

// conductivity is read with the temperature of the sample, without which it says nothing.
func (c *checker) conductivity(b ChemistryTest) {
	c.within("/conductivity", b.Conductivity, 0, 100_000, "µS/cm")
	switch {
	case b.Conductivity != nil && b.ConductivityAt == nil:
		c.refuse("/conductivityAt", "nothing", "the temperature of the sample; 25 °C for a meter that reduces to it")
	case b.Conductivity == nil && b.ConductivityAt != nil:
		c.refuse("/conductivity", "nothing", "the conductivity read at "+b.ConductivityAt.String())
	case b.ConductivityAt != nil:
		c.reading("/conductivityAt", *b.ConductivityAt, measure.Temperature, 0, 60)
	}
	if b.Method == ByStrip && b.Conductivity != nil {
		c.refuse("/conductivity", measure.Digits(*b.Conductivity)+" µS/cm by a strip", "the figure of a meter or a laboratory")
	}
	b.LabFigures(func(name string, ppm float64) {
		c.within("/"+name, &ppm, 0, 100_000, "ppm")
		if b.Method != ByLaboratory {
			c.refuse("/"+name, measure.Digits(ppm)+" ppm, method "+fmt.Sprintf("%q", b.Method), "the figure of a laboratory")
		}
	})
}

// conductivityAt25 of a test, µS/cm; nil when it cannot be reduced.
func (b ChemistryTest) conductivityAt25() *float64 {
	if b.Conductivity == nil || b.ConductivityAt == nil {
		return nil
	}
	at, err := b.ConductivityAt.Metric(measure.Temperature)
	if err != nil {
		return nil
	}
	v := coolant.ConductivityAt25(*b.Conductivity, measure.Celsius(at))
	if math.IsNaN(v) {
		return nil
	}
	return &v
}
