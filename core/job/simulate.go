package job

import (
	"crypto/sha256"
	"encoding/binary"
	"math"
	"slices"
	"strings"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// Faults of a simulated unit: what a person is to find.
type Faults struct {
	Plugged string        // drain point that gives a third of what it holds until it is cleared
	Trapped measure.Litre // air that the first fill leaves inside
	Warm    bool          // the first evidence shows that it has not cooled
	CapOff  bool          // the cap is first turned to its first stage only
	CapBad  bool          // its seal is dried
	Weeps   string        // joint that weeps until it is closed again
	Short   measure.Litre // less inside than the book says
}

// Simulator is a unit that is worked on in an exercise and in the tests: a lumped model of pockets by
// volume and strength, trapped air, a thermostat that opens when it is warm, and [Faults]. It is not
// safe for concurrent use.
//
// The model: a drain gives what its pocket holds; a fill takes the room less the trapped air; squeezing
// the hoses frees a third of that air, a bleeding six tenths of the rest, a second one all of it. A warm
// run mixes. All of it is judgement, made to be handled in the order of the work.
type Simulator struct {
	s       Setup
	Faults  Faults
	in      Contents
	air     measure.Litre
	filled  bool
	tries   map[string]int
	cleared bool
}

// NewSimulator of the unit of a setup, with faults by its seed.
func NewSimulator(s Setup) *Simulator {
	// The core has no randomness of its own: which faults there are follows from a hash of the seed.
	draw := sha256.Sum256(binary.BigEndian.AppendUint64(nil, s.Seed))
	f := Faults{Warm: draw[0]%3 == 0, CapOff: draw[1]%4 == 0, CapBad: draw[2]%5 == 0, Trapped: s.Capacity * measure.Litre(0.02+0.16*float64(draw[3])/255)}
	if points := s.taken(); len(points) > 0 && draw[4]%2 == 0 {
		f.Plugged = points[int(draw[5])%len(points)].Code
	}
	if draw[6]%4 == 0 {
		f.Weeps = "cap"
		if points := s.taken(); len(points) > 0 {
			f.Weeps = points[0].Code
		}
	}
	return simulator(s, f)
}

func simulator(s Setup, f Faults) *Simulator {
	m := &Simulator{s: s, Faults: f, in: contentsOf(s), tries: map[string]int{}}
	if f.Short > 0 {
		m.in = m.in.drained(PointTank, f.Short)
	}
	return m
}

func reading(v float64, u measure.Unit) Value {
	return Value{Reading: &measure.Reading{Value: math.Round(v*100) / 100, Unit: u}}
}

func pick(v string) Value { return Value{Choice: v} }

// Answer is what the unit shows when the step is done as it says. It changes nothing; see [Simulator.Apply].
func (m *Simulator) Answer(st Step) map[string]Value {
	values := map[string]Value{}
	for _, f := range st.Fields {
		if v, ok := m.value(st, f); ok {
			values[f.Code] = v
		}
	}
	return values
}

func (m *Simulator) value(st Step, f Field) (Value, bool) {
	first := m.tries[st.Key] == 0
	switch f.Code {
	case "litres":
		return reading(float64(m.litres(st)), measure.L), true
	case "hose":
		if st.Code == "cold" && m.Faults.Warm && st.Key == "cold:1" && first {
			return pick("warm"), true
		}
	case "seal":
		if m.Faults.CapBad && st.Code == "cap_off" {
			return pick("dried"), true
		}
	case "stage":
		if m.Faults.CapOff && st.Code == "cap_home" && first {
			return pick("first_stage"), true
		}
	case "cap":
		if m.Faults.CapBad {
			return pick("new"), true
		}
	case "cause":
		if st.Point == m.Faults.Plugged {
			return pick("plugged_cleared"), true
		}
		return pick("stays"), true
	case "mark":
		if st.Code == "level_before" && m.Faults.Short > 0 {
			return pick("min"), true
		}
		return pick("max"), true
	case "temper":
		return pick(ledger.Cold), true
	case "bubbles", "stream":
		if m.air > 0.1*m.s.Capacity && first {
			return pick(map[string]string{"bubbles": "still", "stream": "bubbles"}[f.Code]), true
		}
		return pick(map[string]string{"bubbles": "none", "stream": "solid"}[f.Code]), true
	case "air":
		if m.air > 0.06*m.s.Capacity && first {
			return pick("cold"), true
		}
		return pick("hot"), true
	case "freeze":
		return reading(float64(m.freeze()), measure.DegC), true
	case "scale":
		return pick(string(m.base())), true
	case "water":
		return reading(0, measure.Percent), true
	case "look":
		if f.Optional {
			return pick(string(coolant.AppearanceClear)), true
		}
		return pick(m.look(st)), true
	case "torque":
		if m.s.Torque != nil {
			return Value{Reading: m.s.Torque}, true
		}
		return reading(20, measure.NewtonMetre), true
	case "way":
		return pick(f.Choices[0]), true
	case "pressure":
		limit := 100.0
		for _, fact := range st.Facts {
			if fact.Code == "most_pressure" || fact.Code == "test_pressure" {
				limit = fact.High
			}
		}
		return reading(math.Floor(0.9*limit), measure.KPa), true
	case "minutes":
		return reading(12, measure.One), true
	case "depth":
		return reading(math.Ceil(m.s.parameter("vacuum_from"))+5, measure.KPa), true
	case "meter":
		return Value{}, false // an exercise has no meter
	case "opened":
		if st.Code == "cap_home" && m.Faults.CapBad && m.s.Cap > 0 {
			return reading(float64(m.s.Cap), measure.KPa), true // the new one
		}
		return Value{}, false
	case "hours", "batch", "tool", "note":
		return Value{}, false
	case "bottles":
		return reading(float64(coolant.CleanerBottles(m.s.Capacity)), measure.One), true
	case "by":
		return Value{Text: "exercise"}, true
	}
	if joint, ok := strings.CutPrefix(f.Code, "joint:"); ok && joint == m.Faults.Weeps && first {
		return pick("weeping"), true
	}
	switch {
	case f.Form == Choice && f.Code == "anodes":
		return pick("good"), true
	case f.Form == Choice:
		return pick(sound(f)), true
	case f.Form == Quantity:
		return reading(f.Least, f.Unit), true
	}
	return Value{}, false
}

// sound choice of a field: the one that is right.
func sound(f Field) string {
	for _, v := range []string{"yes", "bottom", "cold_soft", "good", "opens", "none", "new", "torque", "opened", "normal", "hot_alike", "hot", "cut_in", "dry", "home", "same", "cold", "max", "refractometer",
		"gasket_new", "between_ridges", "brim", "fitted", "uppermost", "solid"} {
		if slices.Contains(f.Choices, v) {
			return v
		}
	}
	return f.Choices[0]
}

func (m *Simulator) base() coolant.Base {
	if b := m.in.Total().Base; b != "" {
		return b
	}
	return m.s.Product.Base
}

// freeze point of the mixed charge, as a refractometer shows it: to a degree.
func (m *Simulator) freeze() measure.Celsius {
	total := m.in.Total()
	total.Base = m.s.Product.Base
	t, err := total.FreezePoint()
	if err != nil {
		t = -51
	}
	return measure.Celsius(math.Round(float64(t)))
}

// Truth is the freeze point of what is really inside, mixed, and the air that is trapped.
func (m *Simulator) Truth() (freeze measure.Celsius, air measure.Litre) { return m.freeze(), m.air }

func (m *Simulator) look(st Step) string {
	if st.Code == "flush_drain" && st.N >= 2 {
		return "colourless"
	}
	return string(coolant.AppearanceFaded)
}

// litres that come out at a drain, or that go in as planned.
func (m *Simulator) litres(st Step) measure.Litre {
	switch st.Code {
	case "drain":
		v := min(pointLitres(m.s, st.Point), m.in.left(st.Point))
		if st.Point == m.Faults.Plugged && !m.cleared {
			v *= 0.3
		}
		return v
	case "drain_check":
		if st.Point == m.Faults.Plugged {
			return m.in.left(st.Point)
		}
		return 0
	case "flush_drain":
		v := measure.Litre(0)
		for _, p := range m.s.taken() {
			v += min(p.Litres, m.in.left(p.Code))
		}
		return v
	case "tank":
		return 0.2
	case "bleed_night", "bleed_fan", "bleed_vent", "bleed_vent_warm", "bleed_pump", "bleed_pump_motorcycle", "bleed_lean", "bleed_rev", "rebleed":
		return max(0, m.in.Room()-(m.air-m.freed(st))) // all the room but that of the air that stays
	case "waste":
		for _, f := range st.Facts {
			if f.Code == "used" {
				return measure.Litre(f.Low)
			}
		}
	}
	for _, f := range st.Facts {
		switch f.Code {
		case "pour", "draw", "room", "drain":
			if st.Code == "correct_out" {
				return measure.Litre(f.Low)
			}
			return min(measure.Litre(f.Low), max(0, m.in.Room()-m.pocket(st)))
		}
	}
	return 0
}

// pocket of air that a fill does not reach.
func (m *Simulator) pocket(st Step) measure.Litre {
	switch {
	case m.filled:
		return m.air
	case st.Code == "vacuum_fill":
		return airOfVacuum * m.Faults.Trapped
	}
	return m.Faults.Trapped
}

// airOfVacuum that a vacuum leaves of what another fill would trap.
const airOfVacuum = 0.1

// freed air in a step, L: so much goes in.
func (m *Simulator) freed(st Step) measure.Litre {
	switch st.Code {
	case "squeeze":
		return m.air / 3
	case "rebleed", "bleed_night":
		return m.air
	case "bleed_fan", "bleed_vent", "bleed_vent_warm", "bleed_pump", "bleed_pump_motorcycle", "bleed_lean", "bleed_rev":
		return 0.6 * m.air
	}
	return 0
}

// Apply what was recorded to the unit.
func (m *Simulator) Apply(st Step, values map[string]Value) {
	m.tries[st.Key]++
	e := &Event{Values: values}
	v := e.litres("litres")
	switch st.Code {
	case "drain":
		m.in = m.in.drained(st.Point, m.litres(st))
	case "drain_check":
		if e.choice("cause") == "plugged_cleared" && st.Point == m.Faults.Plugged {
			m.in, m.cleared = m.in.drained(st.Point, m.in.left(st.Point)), true
		}
	case "flush_drain":
		m.in, m.filled = m.in.drainedAt(m.s.taken(), m.litres(st)), false
	case "flush_fill":
		m.pour("water", v)
	case "flush_fill_prep", "flush_fill_premix", "pour_concentrate", "pour_concentrate_header", "pour_premix", "pour_premix_header", "correct_rich":
		m.pour("product", v)
	case "pour_water", "correct_lean":
		m.pour("water", v)
	case "vacuum_fill", "pressure_fill", "hose_fill", "loop_fill":
		m.together(st, v)
	case "correct_out":
		m.in = m.in.drainedAt(m.s.Points, v)
	case "squeeze", "bleed_fan", "bleed_vent", "bleed_vent_warm", "bleed_pump", "bleed_pump_motorcycle", "bleed_lean", "bleed_rev", "rebleed", "bleed_night":
		m.air -= m.freed(st)
		m.pour("mix", v)
	case "bleed_warm", "run", "flush_run", "flush_run_cold":
		m.in = m.in.mixed()
	case "bleed_heater":
		m.air *= 0.5
	}
	if strings.HasPrefix(st.Code, "pour_") || strings.HasSuffix(st.Code, "_fill") && st.Code != "flush_fill" {
		if !m.filled {
			m.filled, m.air = true, m.Faults.Trapped
			if st.Code == "vacuum_fill" {
				m.air *= airOfVacuum
			}
		}
	}
}

// together as it was mixed in the container.
func (m *Simulator) together(st Step, v measure.Litre) {
	rich, lean := measure.Litre(0), measure.Litre(0)
	for _, f := range st.Facts {
		switch f.Code {
		case "mix_product":
			rich = measure.Litre(f.Low)
		case "mix_water":
			lean = measure.Litre(f.Low)
		}
	}
	if rich+lean <= 0 {
		m.pour("mix", v)
		return
	}
	m.pour("product", v*rich/(rich+lean))
	m.pour("water", v*lean/(rich+lean))
}

func (m *Simulator) pour(what string, v measure.Litre) {
	b := builder{s: m.s, in: m.in}
	b.into("", what, v, time.Time{})
	m.in = b.in
}

func pointLitres(s Setup, code string) measure.Litre {
	for _, p := range s.Points {
		if p.Code == code {
			return p.Litres
		}
	}
	return 0
}

// Simulated unit of an exercise after what was recorded, in the order of the steps.
func Simulated(s Setup, events []Event) *Simulator {
	m := NewSimulator(s)
	tried := map[string]int{}
	for _, e := range lived(events) {
		if e.Type == Answered {
			tried[e.Step]++
		}
	}
	st := Open(s, events, time.Time{})
	for _, step := range st.Steps {
		if step.Answer == nil || step.Status == Later {
			continue
		}
		if step.Status == Done || step.Status == Overrun {
			m.Apply(step, step.Answer.Values)
		}
		m.tries[step.Key] = tried[step.Key]
	}
	return m
}

// Missed is what an exercise did not find, by code; empty when all was found.
func Missed(s Setup, events []Event) []string {
	m := Simulated(s, events)
	st := Open(s, events, time.Time{})
	var all []string
	if m.Faults.Plugged != "" && !m.cleared {
		all = append(all, "plugged")
	}
	if _, air := m.Truth(); air > 0.04*s.Capacity {
		all = append(all, "air")
	}
	if freeze, _ := m.Truth(); st.Aim != nil && len(st.In) > 0 && math.Abs(float64(freeze-*st.Aim)) > s.parameter("retest_within")+1 {
		all = append(all, "strength")
	}
	if e := st.Step("cap_home"); m.Faults.CapBad && e != nil && e.Answer != nil && e.Answer.choice("cap") == "same" {
		all = append(all, "cap")
	}
	for _, step := range st.Steps {
		switch {
		case step.Status == Overrun:
			all = append(all, "overridden:"+step.Key)
		case step.Key != "release" && (step.Status == Current || step.Status == Failed):
			all = append(all, "open:"+step.Key)
		case step.Code == "drain" && step.Answer != nil && step.Status == Done:
			if shown := min(pointLitres(s, step.Point), contentsOf(s).left(step.Point)); step.Point == m.Faults.Plugged && step.Answer.litres("litres") > shown/2 {
				all = append(all, "volume:"+step.Key)
			}
		}
	}
	return all
}

// Tried counts a try of a step that was not passed: a fault that shows at the first try alone is gone at the next.
func (m *Simulator) Tried(key string) { m.tries[key]++ }
