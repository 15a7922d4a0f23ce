package job

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

var (
	start    = time.Date(2026, 11, 27, 7, 0, 0, 0, time.UTC)
	conc     = coolant.Product{ID: 1, Code: "GC", Name: "Green concentrate", Base: coolant.EG, Technology: "OAT", Form: coolant.Concentrate, Glycol: 1, Stated: true}
	premix   = coolant.Product{ID: 2, Code: "GP", Name: "Green premix", Base: coolant.EG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.5}
	pgPremix = coolant.Product{ID: 3, Code: "PP", Name: "Blue premix", Base: coolant.PG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.5}
)

func inside(b coolant.Base, v measure.Litre, glycol float64) coolant.Charge {
	c, err := coolant.Pour(b, v, glycol)
	if err != nil {
		panic(err)
	}
	return c
}

// car of 9.7 L: 8.6 L by the petcock and the block, 0.6 L in the heater core, 0.5 L that never comes out.
func car(kind Kind) Setup {
	return Setup{ID: "01931c2e-0000-7000-8000-000000000001", Address: "CA-01", Unit: "CA-01", Of: "car", Kind: kind, System: "expansion_tank", HeaterCore: true, Capacity: 9.7,
		Points: []Point{{Code: PointPetcock, Litres: 6.0}, {Code: PointBlock, Litres: 2.6}, {Code: PointHeater, Litres: 0.6}}, Cap: 138, Stages: 1, Washers: "M14 copper",
		Torque: &measure.Reading{Value: 13, Unit: measure.NewtonMetre}, Product: conc, Target: 0.5, Inside: inside(coolant.EG, 9.7, 0.45), Known: true, Filled: 9.7}
}

// worker does the steps of a job one after the other by what the simulated unit shows.
type worker struct {
	t      *testing.T
	s      Setup
	sim    *Simulator
	events []Event
	role   access.Role
	// change what is recorded at a step.
	change func(st Step, values map[string]Value)
}

func (w *worker) at() time.Time { return start.Add(time.Duration(len(w.events)) * 10 * time.Minute) }

func (w *worker) add(e Event) {
	e.ID, e.At, e.By, e.Role = EntryID(w.s.ID, fmt.Sprint("event", len(w.events))), w.at(), "A. Person", w.role
	w.events = append(w.events, e)
}

// next step done; false when none is left but the release.
func (w *worker) next() bool {
	w.t.Helper()
	st := Open(w.s, w.events, w.at())
	if st.Next == "" || st.Next == "release" {
		return false
	}
	step := *st.Step(st.Next)
	values := w.sim.Answer(step)
	if w.change != nil {
		w.change(step, values)
	}
	e := Event{Type: Answered, Step: step.Key, Values: values}
	if step.Answer != nil {
		e.Replaces = step.Answer.ID
	}
	w.add(e)
	after := Open(w.s, w.events, w.at())
	if got := after.Step(step.Key); got != nil && got.Status == Done {
		w.sim.Apply(step, values)
	} else {
		w.sim.tries[step.Key]++
	}
	return true
}

// run to the release, in a limited number of steps.
func (w *worker) run() State {
	w.t.Helper()
	for n := 0; w.next(); n++ {
		if n > 120 {
			st := Open(w.s, w.events, w.at())
			w.t.Fatalf("no end: at %s %v", st.Next, st.Step(st.Next))
		}
	}
	return Open(w.s, w.events, w.at())
}

func newWorker(t *testing.T, s Setup, f Faults) *worker {
	if field := s.Check(); field != nil {
		t.Fatalf("%s: %v", s.Kind, field)
	}
	return &worker{t: t, s: s, sim: simulator(s, f), role: access.Technician}
}

// Each method of filling with each of bleeding, and each kind of job, runs to the release on the
// simulated unit, with as much in as out and the target reached in truth.
func TestMethods(t *testing.T) {
	boat := Setup{ID: "01931c2e-0000-7000-8000-000000000002", Address: "BO-01", Of: "boat", Kind: BoatLoop, System: "header_tank", HotWater: true, RawWater: true, Capacity: 12, Stages: 1, Cap: 93,
		Points: CommonPoints("boat", 12, false, true), Product: conc, Target: 0.45, Inside: inside(coolant.EG, 12, 0.4), Known: true, Filled: 12}
	bike := Setup{ID: "01931c2e-0000-7000-8000-000000000003", Address: "MC-01", Of: "motorcycle", Kind: DrainFill, System: "radiator_cap", Bottle: true, Capacity: 1.8, Cap: 127, Stages: 1,
		Points: CommonPoints("motorcycle", 1.8, false, false), Product: premix, Target: 0.5, Inside: inside(coolant.EG, 1.8, 0.5), Known: true, Filled: 1.8, PremixOnly: true}
	plane := Setup{ID: "01931c2e-0000-7000-8000-000000000004", Address: "AC-01", Of: "aircraft", Kind: Aircraft, Capacity: 3, Points: CommonPoints("aircraft", 3, false, false), Product: premix, Target: 0.5,
		Inside: inside(coolant.EG, 3, 0.5), Known: true, Filled: 3}
	with := func(s Setup, f func(*Setup)) Setup { f(&s); return s }
	for _, c := range []struct {
		name string
		s    Setup
	}{
		{"gravity with a funnel", car(DrainFill)},
		{"vacuum", with(car(DrainFill), func(s *Setup) { s.Options.Fill = Vacuum })},
		{"pressure", with(car(DrainFill), func(s *Setup) { s.Options.Fill = Pressure })},
		{"upper hose of an emptied block", with(car(FullFlush), func(s *Setup) { s.Options.Fill, s.Options.Bleed = Hose, VentScrew })},
		{"electric pump, car", with(car(DrainFill), func(s *Setup) { s.Options.Bleed, s.HighVoltage = Pump, true })},
		{"electric pump, motorcycle", with(bike, func(s *Setup) { s.Options.Bleed = Pump })},
		{"vent screw", with(car(DrainFill), func(s *Setup) { s.Options.Bleed = VentScrew })},
		{"lean and blip", bike},
		{"rev", with(bike, func(s *Setup) { s.Options.Bleed = Rev })},
		{"boat header tank", boat},
		{"aircraft", plane},
		{"second drain-and-fill", car(TwiceFill)},
		{"full flush, thermostat in", car(FullFlush)},
		{"full flush, thermostat out, cleaner, back-flush, sealant", with(car(FullFlush), func(s *Setup) {
			s.Options.ThermostatOut, s.Options.Cleaner, s.Options.BackFlush, s.Options.Sealant = true, true, true, true
		})},
		{"full flush, premix only", with(car(FullFlush), func(s *Setup) { s.PremixOnly, s.Product = true, premix })},
		{"correction", car(Correction)},
		{"bleed only", car(BleedOnly)},
		{"cap", with(car(PartChange), func(s *Setup) { s.Options.Part = "cap" })},
		{"hose", with(car(PartChange), func(s *Setup) { s.Options.Part = "hose" })},
		{"pump", with(car(PartChange), func(s *Setup) { s.Options.Part = "pump" })},
		{"thermostat", with(car(PartChange), func(s *Setup) { s.Options.Part, s.Options.Sealant = "thermostat", true })},
	} {
		t.Run(c.name, func(t *testing.T) {
			w := newWorker(t, c.s, Faults{Trapped: 0.05 * c.s.Capacity})
			st := w.run()
			if !st.Ready || st.Next != "release" {
				t.Fatalf("not ready: next %s, gates %v", st.Next, st.Gates)
			}
			if !st.Inside.finite() {
				t.Error("a figure inside is not one")
			}
			if c.s.drains() && !st.Balance.Holds {
				t.Errorf("balance %+v", st.Balance)
			}
			if c.s.pours() && st.Aim != nil {
				freeze, air := w.sim.Truth()
				if off := math.Abs(float64(freeze - *st.Aim)); off > 3.5 || air > 0.1*c.s.Capacity {
					t.Errorf("in truth %v, aimed at %v; air %v", freeze, *st.Aim, air)
				}
			}
			entries := Entries(c.s, st, func(s Step) string { return s.Key })
			seen := map[string]bool{}
			for _, e := range entries {
				if seen[e.ID] || e.Envelope.Job != c.s.ID || e.Envelope.Step == "" || e.Kind() == "" {
					t.Errorf("entry %+v", e)
				}
				seen[e.ID] = true
			}
			if len(entries) < 3 {
				t.Errorf("%d entries", len(entries))
			}
			for _, step := range st.Steps {
				if c.s.PremixOnly && (step.Code == "pour_water" || step.Code == "flush_fill" || step.Code == "correct_lean") {
					t.Errorf("%s on a system that takes no water", step.Key)
				}
			}
		})
	}
}

// A short fill is caught: too little went in, so it is bled again until as much is in as came out, and
// no role may pass over it without a reason.
func TestShortFill(t *testing.T) {
	w := newWorker(t, car(DrainFill), Faults{})
	w.change = func(st Step, v map[string]Value) {
		if st.Code == "pour_water" {
			v["litres"] = reading(float64(st.Facts[0].Low)-1.2, measure.L)
		}
		if st.Code == "rebleed" || st.Code == "bleed_fan" {
			v["litres"] = reading(0, measure.L)
		}
	}
	for range 60 {
		if st := Open(w.s, w.events, w.at()); st.Next == "rebleed:3" {
			break
		}
		w.next()
	}
	st := Open(w.s, w.events, w.at())
	if st.Next != "rebleed:3" || st.Balance.Holds || st.Balance.Short < 1 || st.Ready || st.Gates[GateBalance] == Done {
		t.Fatalf("next %s, balance %+v", st.Next, st.Balance)
	}
	override := func(r access.Role) State {
		events := append([]Event(nil), w.events...)
		events = append(events, Event{ID: EntryID(w.s.ID, string(r)), At: w.at(), By: "B. Boss", Role: r, Type: Overridden, Step: "balance", Why: "the pan was spilled"})
		return Open(w.s, events, w.at().Add(time.Hour))
	}
	if st := override(access.Technician); st.Next != "rebleed:3" {
		t.Errorf("a technician passed over it: %s", st.Next)
	}
	if st := override(access.Coordinator); st.Step("balance").Status != Overrun || st.Next != "leaks" {
		t.Errorf("a coordinator may: %s", st.Next)
	}
}

// A plugged spigot is asked about, and what it holds back is known to be inside.
func TestPluggedSpigot(t *testing.T) {
	w := newWorker(t, car(FullFlush), Faults{Plugged: PointBlock})
	for {
		st := Open(w.s, w.events, w.at())
		if st.Next == "drain_check:1:block" {
			break
		}
		if !w.next() {
			t.Fatal("it was never asked about")
		}
	}
	st := Open(w.s, w.events, w.at())
	fact := st.Step(st.Next).Facts[2]
	if fact.Code != "still_inside" || math.Abs(fact.Low-2.6*0.7) > 0.01 {
		t.Errorf("%+v", fact)
	}
	if left := st.Inside.left(PointBlock); math.Abs(float64(left)-2.6*0.7) > 0.02 {
		t.Errorf("%v L are left in the block", left)
	}
	if st = w.run(); !st.Ready {
		t.Errorf("not ready: %s", st.Next)
	}
}

// The worked numbers of the trade.
func TestWorkedNumbers(t *testing.T) {
	// 4.0 of 5.8 US qt drained is about 70 % of the charge (common practice).
	qt := 0.946352946
	small := Setup{ID: car(DrainFill).ID, Of: "car", Kind: DrainFill, Capacity: measure.Litre(5.8 * qt), Points: []Point{{Code: PointPetcock, Litres: measure.Litre(4 * qt)}}, Product: premix, Target: 0.5,
		Inside: inside(coolant.EG, measure.Litre(5.8*qt), 0.5), Known: true, Filled: measure.Litre(5.8 * qt)}
	w := newWorker(t, small, Faults{})
	if st := w.run(); math.Abs(st.Replaced-0.69) > 0.015 {
		t.Errorf("replaced %.3f, want about 0.70", st.Replaced)
	}
	// After a water flush of 9.7 L what never drains is water: half and half on top of it is too weak, so the concentrate goes in
	// first, 4.85 L of it for half of 9.7 L (mass balance), then water.
	s := car(FullFlush)
	c := contentsOf(s)
	for _, p := range s.Points {
		c = c.drained(p.Code, c.left(p.Code))
	}
	for i := range c.Pockets { // what stayed is nearly water after the flushes
		if c.Pockets[i].Charge.Mass() > 0 {
			water, _ := coolant.PourWater(c.Pockets[i].Charge.Volume())
			c.Pockets[i].Charge = water
		}
	}
	plan := s.planned(c, nil)
	if !plan.Reaches || math.Abs(float64(plan.Rich)-4.85) > 0.08 || math.Abs(float64(plan.Rich+plan.Lean)-9.2) > 0.05 {
		t.Errorf("plan %+v", plan)
	}
	if plan.Careless >= 0.48 || plan.CarelessFreeze <= plan.Freeze {
		t.Errorf("half and half on top of it: %.3f, %v", plan.Careless, plan.CarelessFreeze)
	}
	// A petcock alone leaves 3.7 of 9.7 L as water: 6 L of concentrate reach the half, a premix never does; the ways out are named.
	s.Product = premix
	c = contentsOf(s).drained(PointPetcock, 6)
	for i := range c.Pockets {
		water, _ := coolant.PourWater(c.Pockets[i].Charge.Volume())
		c.Pockets[i].Charge = water
	}
	plan = s.planned(c, s.Points[1:])
	if plan.Reaches || len(plan.Ways) < 3 || plan.Ways[0].Point != PointBlock || plan.Ways[len(plan.Ways)-1].Code != "best" {
		t.Errorf("plan %+v", plan)
	}
	// Protection that came of it: 33 % freezes near -18 °C (trade), so the best of 6 of 9.7 L premix is warmer than -18.
	if plan.Freeze < -18.5 || plan.Freeze > -14 {
		t.Errorf("best %v", plan.Freeze)
	}
	// One bottle of cleaner to 11.4 L, two above.
	if coolant.CleanerBottles(9.7) != 1 || coolant.CleanerBottles(12) != 2 {
		t.Error("bottles of cleaner")
	}
}

// An aircraft is released by a signatory alone; no role but a coordinator or a signatory passes over a
// gate, and no one over a hot engine.
func TestAuthority(t *testing.T) {
	plane := Setup{Of: "aircraft"}
	for _, r := range access.Roles {
		if got, want := plane.MayRelease(r), r == access.Signatory; got != want {
			t.Errorf("aircraft released by a %s: %v", r, got)
		}
		for _, g := range Gates {
			if got, want := plane.MayOverride(r, g), r == access.Signatory && g != GateCold && g != GateRelease; got != want {
				t.Errorf("gate %s of an aircraft by a %s: %v", g, r, got)
			}
			if got, want := (Setup{Of: "car"}).MayOverride(r, g), (r == access.Signatory || r == access.Coordinator) && g != GateCold && g != GateRelease; got != want {
				t.Errorf("gate %s of a car by a %s: %v", g, r, got)
			}
		}
	}
	w := newWorker(t, car(DrainFill), Faults{})
	st := w.run()
	w.add(Event{Type: Posted})
	w.add(Event{Type: Released}) // by a technician: it counts for nothing
	if got := Open(w.s, w.events, w.at()); got.Released != nil || got.Phase == PhaseDone || !st.Ready {
		t.Errorf("released by a technician: %+v", got.Released)
	}
	_ = ledger.Yes
}

// A timer that was begun is over when its time is, for every reader.
func TestTimers(t *testing.T) {
	s := car(DrainFill)
	e := Event{ID: EntryID(s.ID, "t"), At: start, By: "A", Role: access.Technician, Type: Timed, Step: "cold:1"}
	ready := Event{ID: EntryID(s.ID, "r"), At: start, By: "A", Role: access.Technician, Type: Answered, Step: "prepare", Values: map[string]Value{"ready": pick("yes")}}
	for _, c := range []struct {
		after time.Duration
		over  bool
	}{{time.Minute, false}, {4*time.Hour - time.Second, false}, {4 * time.Hour, true}} {
		st := Open(s, []Event{e, ready}, start.Add(c.after))
		timer := st.Step("cold:1").Timer
		if timer.Began == nil || !timer.Began.Equal(start) || timer.Expired != c.over || timer.Lasts != 4*time.Hour {
			t.Errorf("after %v: %+v", c.after, timer)
		}
	}
	s.Set = map[string]float64{"cooling": 1} // the maker's manual
	if got := Open(s, []Event{e, ready}, start.Add(time.Hour)).Step("cold:1").Timer; !got.Expired {
		t.Errorf("with an hour by the manual: %+v", got)
	}
}

// A hot engine is never opened, whatever is overridden, and a climbing gauge stops the engine.
func TestHotAndClimbing(t *testing.T) {
	w := newWorker(t, car(DrainFill), Faults{Warm: true})
	w.next()
	w.next()
	w.role = access.Coordinator
	w.add(Event{Type: Overridden, Step: "cold:1", Why: "in a hurry"})
	st := Open(w.s, w.events, w.at())
	if st.Next != "cold:1" || st.Step("cold:1").Status != Failed || st.Step("cold:1").Why[0] != "hose_warm" {
		t.Fatalf("next %s, %+v", st.Next, st.Step("cold:1"))
	}
	w.change = func(s Step, v map[string]Value) {
		if s.Code == "bleed_warm" {
			v["gauge"] = pick("climbing")
		}
	}
	for range 40 {
		if st = Open(w.s, w.events, w.at()); st.Stop != "" {
			break
		}
		w.next()
	}
	if st.Stop != "climbing" || st.Next != "bleed:warm" || st.Ready {
		t.Errorf("stop %q, next %s", st.Stop, st.Next)
	}
}

// An exercise says what was missed: a plugged spigot, air, a cap that is not sound, and gates that were taken on.
func TestMissed(t *testing.T) {
	s := car(DrainFill)
	s.Exercise = true
	for seed := uint64(0); ; seed++ {
		s.Seed = seed
		if f := NewSimulator(s).Faults; f.Plugged != "" && !f.CapBad {
			break
		}
	}
	w := &worker{t: t, s: s, sim: NewSimulator(s), role: access.Technician}
	if st := w.run(); !st.Ready {
		t.Fatalf("next %s", st.Next)
	}
	if got := Missed(s, w.events); len(got) != 0 {
		t.Errorf("done well, and missed %v", got)
	}
	w = &worker{t: t, s: s, sim: NewSimulator(s), role: access.Technician}
	w.change = func(st Step, v map[string]Value) {
		if st.Code == "drain_check" {
			v["cause"] = pick("stays")
			v["litres"] = reading(0, measure.L)
		}
	}
	w.run()
	if got := Missed(s, w.events); len(got) == 0 || got[0] != "plugged" {
		t.Errorf("missed %v, want the plugged spigot", got)
	}
	if len(Entries(s, Open(s, w.events, w.at()), func(Step) string { return "" })) != 0 {
		t.Error("an exercise writes into the ledger")
	}
}

// A retest that misses the target is corrected until it is reached; the correction is worked out from what was measured.
func TestRetestCorrected(t *testing.T) {
	w := newWorker(t, car(DrainFill), Faults{})
	w.change = func(st Step, v map[string]Value) {
		if st.Key == "pour_rich:1" { // too little concentrate by two litres, and the rest is water
			v["litres"] = reading(math.Max(0, st.Facts[0].Low-2), measure.L)
		}
		if st.Key == "pour_lean:1" {
			v["litres"] = reading(st.Facts[0].Low+2, measure.L)
		}
	}
	first := State{}
	for w.next() {
		if st := Open(w.s, w.events, w.at()); st.Step("retest:2") != nil && first.Steps == nil {
			first = st
		}
	}
	st := Open(w.s, w.events, w.at())
	if first.Steps == nil || first.Step("correct_rich:1") == nil {
		t.Fatalf("no correction: next %s, measured %v, aim %v", st.Next, st.Measured, st.Aim)
	}
	if !st.Ready || st.Gates[GateRetest] != Done {
		t.Errorf("ready %v, gates %v", st.Ready, st.Gates)
	}
	if freeze, _ := w.sim.Truth(); math.Abs(float64(freeze-*st.Aim)) > 3 {
		t.Errorf("in truth %v, aimed at %v", freeze, *st.Aim)
	}
}

// While flush water fills the system it is said: it freezes at 0 °C.
func TestFlushInside(t *testing.T) {
	w := newWorker(t, car(FullFlush), Faults{})
	seen := map[bool]int{}
	for w.next() {
		st := Open(w.s, w.events, w.at())
		seen[st.FlushInside]++
		if st.FlushInside != (st.Phase == PhaseFlush && st.Inside.Total().VolumeFraction() < 0.3 && st.Inside.Room() < 1 || st.Phase == PhaseCooling && len(st.In) == 0 && len(st.Out) > 0) {
			t.Errorf("at %s: flush inside %v, %.2f of glycol, room %v", st.Next, st.FlushInside, st.Inside.Total().VolumeFraction(), st.Inside.Room())
		}
	}
	if seen[true] < 3 || seen[false] < 3 {
		t.Error(seen)
	}
}

// A correction opens the system again: the plug gets a new washer and its torque, as much goes in as came out, and joints, cap and level
// are seen again before the retest.
func TestCorrectionClosesUp(t *testing.T) {
	s := car(Correction)
	s.Inside = inside(coolant.EG, 9.7, 0.35)
	w := newWorker(t, s, Faults{})
	short := true
	w.change = func(st Step, v map[string]Value) {
		if short && st.Code == "correct_rich" {
			v["litres"] = reading(st.Facts[0].Low-0.9, measure.L)
		}
	}
	seen := map[string]bool{}
	for w.next() {
		st := Open(w.s, w.events, w.at())
		if strings.HasPrefix(st.Next, "rebleed:") {
			seen["short"] = true
			if st.Balance.Holds || math.Abs(float64(st.Balance.Short)-0.9) > 0.1 {
				t.Errorf("%+v", st.Balance)
			}
		}
	}
	st := Open(w.s, w.events, w.at())
	for _, step := range st.Steps {
		if step.Status == Done {
			seen[step.Code] = true
		}
	}
	for _, code := range []string{"short", "correct_out", "washer", "torque", "leaks", "cap_home", "level_after", "retest"} {
		if !seen[code] {
			t.Errorf("%s is missing", code)
		}
	}
	if !st.Ready {
		t.Errorf("next %s", st.Next)
	}
}

// A point that holds nothing any more is not asked for, in jobs that began since it is so; of an earlier job the
// step stays.
func TestEmptyPointIsNotAsked(t *testing.T) {
	for _, skip := range []bool{false, true} {
		s := car(DrainFill)
		s.SkipEmpty = skip
		s.Options.Points = []string{PointPetcock, PointBlock}
		s.Points = []Point{{Code: PointPetcock, Litres: 9.7}, {Code: PointBlock, Litres: 1}} // all of it comes out at the petcock
		st := newWorker(t, s, Faults{}).run()
		asked := func(point string) bool {
			return slices.ContainsFunc(st.Steps, func(step Step) bool { return step.Code == "drain" && step.Point == point })
		}
		if asked(PointBlock) == skip || !asked(PointPetcock) {
			t.Errorf("skip %v: the block, which gives 0.00 L, is asked for: %v; the petcock: %v", skip, asked(PointBlock), asked(PointPetcock))
		}
	}
}

// Two drain-and-fills of 60 % each leave 16 % of the old coolant: 84 % is new (mass balance: 1 − 0.4 × 0.4).
func TestShareAfterTwo(t *testing.T) {
	share := func(s Setup) *Fact {
		steps := newWorker(t, s, Faults{}).run().Steps
		i := slices.IndexFunc(steps, func(st Step) bool { return st.Code == "balance" })
		if i < 0 {
			t.Fatal("no balance")
		}
		if k := slices.IndexFunc(steps[i].Facts, func(f Fact) bool { return f.Code == "new_share" }); k >= 0 {
			return &steps[i].Facts[k]
		}
		return nil
	}
	s := car(TwiceFill)
	s.Capacity, s.Filled, s.Inside = 10, 10, inside(coolant.EG, 10, 0.45)
	s.Points = []Point{{Code: PointPetcock, Litres: 6}}
	if f := share(s); f == nil || math.Abs(f.Low-84) > 2 {
		t.Errorf("after two of 60 %%: %+v", f)
	}
	s.Kind = DrainFill
	if f := share(s); f != nil {
		t.Errorf("of one drain-and-fill: %+v", f)
	}
}

// A meter that does not fit the readings so far is asked about at its step, and counts when it was read twice.
func TestMeterIsAsked(t *testing.T) {
	low, high := 1000.0, 3400.0
	for _, c := range []struct {
		name   string
		low    *float64
		value  float64
		unit   measure.Unit
		twice  bool
		passes bool
	}{
		{"it fits", &low, 1400, measure.Km, false, true},
		{"a point for thousands", &low, 12.5, measure.Km, false, false},
		{"read twice", &low, 12.5, measure.Km, true, true},
		{"too much", &low, 14000, measure.Km, false, false},
		{"miles that fit", &low, 900, measure.Mi, false, true},
		{"no reading before", nil, 12.5, measure.Km, false, true},
	} {
		s := car(DrainFill)
		s.Meter, s.MeterLow, s.MeterHigh = measure.Distance, c.low, &high
		if c.low == nil {
			s.MeterHigh = nil
		}
		w := newWorker(t, s, Faults{})
		w.change = func(st Step, values map[string]Value) {
			if st.Code == "meter" {
				values["meter"] = reading(c.value, c.unit)
				delete(values, "unread")
				if delete(values, "read_twice"); c.twice {
					values["read_twice"] = Value{Choice: "read_twice"}
				}
			}
		}
		var step Step
		for step.Answer == nil && w.next() {
			step = *Open(w.s, w.events, w.at()).Step("meter")
		}
		if passes := !slices.Contains(step.Why, "meter_off"); passes != c.passes {
			t.Errorf("%s: %v", c.name, step.Why)
		}
	}
}
