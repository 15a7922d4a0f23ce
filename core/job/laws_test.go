package job

import (
	"cmp"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"regexp"
	"slices"
	"testing"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// randomSetup of any kind of unit, job and option.
func randomSetup(rng *rand.Rand) Setup {
	for {
		of := []string{"car", "truck", "motorcycle", "boat", "aircraft"}[rng.IntN(5)]
		kinds := Kinds(of)
		one := func(all ...string) string { return all[rng.IntN(len(all))] }
		yes := func() bool { return rng.IntN(3) == 0 }
		capacity := measure.Litre(1 + 40*rng.Float64())
		s := Setup{ID: EntryID("01931c2e-0000-7000-8000-00000000000a", one("a", "b", "c")), Address: "X", Of: of, Kind: kinds[rng.IntN(len(kinds))], Capacity: capacity, Bottle: yes(), HeaterCore: yes(),
			HotWater: yes(), HighVoltage: yes(), Known: !yes(), Filled: capacity, Product: []coolant.Product{conc, premix, pgPremix}[rng.IntN(3)], Target: 0.35 + 0.25*rng.Float64(), PremixOnly: yes(), SkipEmpty: yes(),
			System: one("radiator_cap", "expansion_tank", "header_tank", ""), Stages: rng.IntN(3), Meter: []measure.Dimension{"", measure.Distance, measure.EngineTime}[rng.IntN(3)],
			Options: Options{ThermostatOut: yes(), Cleaner: yes(), BackFlush: yes(), Sealant: yes(), Part: Parts[rng.IntN(len(Parts))], Fill: one(append(Fills, "")...), Bleed: one(append(Bleeds, "")...)}}
		if s.Product.Form == coolant.Premix {
			s.Target = s.Product.Glycol
		}
		s.Points = CommonPoints(of, capacity, s.HeaterCore, s.HotWater)
		if yes() {
			s.Cap = 110
		}
		if yes() {
			s.Torque = &measure.Reading{Value: 78, Unit: measure.InchPound}
		}
		if yes() {
			need := measure.Celsius(-30 * rng.Float64())
			s.Need = &need
		}
		if s.Known {
			s.Inside = inside([]coolant.Base{coolant.EG, coolant.PG}[rng.IntN(2)], capacity*measure.Litre(0.6+0.4*rng.Float64()), 0.6*rng.Float64())
		}
		if s.Check() == nil {
			return s
		}
	}
}

// randomValues for the fields of a step, most of them in range; some left out.
func randomValues(rng *rand.Rand, st Step) map[string]Value {
	values := map[string]Value{}
	for _, f := range st.Fields {
		if f.Optional && rng.IntN(2) == 0 || rng.IntN(60) == 0 {
			continue
		}
		switch f.Form {
		case Choice:
			values[f.Code] = pick(f.Choices[rng.IntN(len(f.Choices))])
		case Quantity:
			most := f.Most
			if rng.IntN(3) > 0 && len(st.Facts) > 0 && f.Dimension == measure.Volume {
				most = math.Min(most, 1.3*st.Facts[0].High+0.01)
			}
			values[f.Code] = reading(f.Least+(most-f.Least)*rng.Float64(), f.Unit)
		default:
			values[f.Code] = Value{Text: "noted"}
		}
	}
	return values
}

// randomLife of a job: mostly the next step by the simulated unit, else anything by anybody.
func randomLife(rng *rand.Rand, s Setup, n int) []Event {
	var events []Event
	sim := NewSimulator(s)
	at := start
	for k := range n {
		at = at.Add(time.Duration(rng.IntN(3600)) * time.Second)
		st := Open(s, events, at)
		e := Event{ID: EntryID(s.ID, string(rune('A'+k%26))+string(rune('a'+k/26))), At: at, By: []string{"A", "B"}[rng.IntN(2)], Role: access.Roles[rng.IntN(len(access.Roles))], Type: Answered}
		step := st.Step(st.Next)
		switch pickOne := rng.IntN(20); {
		case pickOne < 14 && step != nil && st.Next != "release":
			e.Step, e.Values = step.Key, sim.Answer(*step)
			if rng.IntN(6) == 0 {
				e.Values = randomValues(rng, *step)
			}
			if step.Answer != nil {
				e.Replaces = step.Answer.ID
			}
			sim.tries[step.Key]++
		case pickOne < 15:
			any := st.Steps[rng.IntN(len(st.Steps))]
			e.Step, e.Values = any.Key, randomValues(rng, any)
		case pickOne < 16 && len(events) > 0:
			e.Type, e.Strikes = Struck, events[rng.IntN(len(events))].ID
		case pickOne < 17:
			e.Type, e.Step, e.Why = Overridden, st.Steps[rng.IntN(len(st.Steps))].Key, "a reason"
		case pickOne < 18:
			e.Type, e.Why = []EventType{Paused, Resumed}[rng.IntN(2)], "waiting for washers"
		case pickOne < 19:
			e.Type, e.Step = Timed, st.Steps[rng.IntN(len(st.Steps))].Key
		default:
			e.Type = []EventType{Released, Posted, Resumed, Resumed, Resumed, Resumed}[rng.IntN(6)]
		}
		events = append(events, e)
	}
	return events
}

// times in the text of a state.
var times = regexp.MustCompile(`"\d{4}-\d\d-\d\dT[^"]*"`)

// skew the clock of each person by up to a day either way; in the middle that of one is set.
func skew(rng *rand.Rand, events []Event) []Event {
	by := map[string]time.Duration{}
	all := slices.Clone(events)
	for i := range all {
		e := &all[i]
		if _, known := by[e.By]; !known || i == len(all)/2 {
			by[e.By] = []time.Duration{0, time.Second, time.Minute, time.Hour, 24 * time.Hour}[rng.IntN(5)] * time.Duration(1-2*rng.IntN(2))
		}
		e.At = e.At.Add(by[e.By])
	}
	return all
}

func noteOf(st Step) string { return st.Key }

// says is what entries say, in their order by time, as the ledger takes them.
func says(entries []ledger.Entry) string {
	slices.SortFunc(entries, func(a, b ledger.Entry) int { return cmp.Or(a.At.Compare(b.At), cmp.Compare(a.ID, b.ID)) })
	text := ""
	for _, e := range entries {
		body, err := json.Marshal(e.Body)
		text += fmt.Sprintf("%s %s %v by %s\n", e.ID, body, err, e.RecordedBy)
	}
	return text
}

func text(t *testing.T, st State) string {
	t.Helper()
	out, err := json.Marshal(st) // NaN is refused
	if err != nil {
		t.Fatal(err)
	}
	return string(out)
}

// Laws over random jobs: clocks do not matter, nor does an event that comes twice; what was struck never was; nothing is
// NaN; ready only when each gate is passed or taken on by one who may; nothing is released by another.
func TestLaws(t *testing.T) {
	ready, overrun := 0, 0
	for seed := range uint64(250) {
		rng := rand.New(rand.NewPCG(seed, 18))
		s := randomSetup(rng)
		events := randomLife(rng, s, 10+rng.IntN(90))
		now := start.AddDate(0, 0, 10)
		st := Open(s, events, now)
		want := text(t, st)
		if got := text(t, Open(s, append(slices.Clone(events), events[0], events[len(events)/2]), now)); got != want {
			t.Fatalf("seed %d: an event twice gives another job", seed)
		}
		skewed := skew(rng, events)
		if got := times.ReplaceAllString(text(t, Open(s, skewed, now)), `"T"`); got != times.ReplaceAllString(want, `"T"`) {
			t.Fatalf("seed %d: clocks that do not agree give another job", seed)
		}
		if got, want := says(Entries(s, Open(s, skewed, now), noteOf)), says(Entries(s, st, noteOf)); got != want {
			t.Fatalf("seed %d: clocks that do not agree give other entries:\n%s\n%s", seed, got, want)
		}
		struck := map[string]bool{}
		for _, e := range events {
			if e.Type == Struck {
				struck[e.Strikes] = true
			}
		}
		never := slices.DeleteFunc(slices.Clone(events), func(e Event) bool { return e.Type == Struck || struck[e.ID] && !e.fixed() })
		if got := text(t, Open(s, never, now)); got != want {
			t.Fatalf("seed %d: what was struck still counts", seed)
		}
		if !st.Inside.finite() || st.Replaced < 0 || st.Replaced > 1 {
			t.Fatalf("seed %d: %+v", seed, st.Inside)
		}
		for _, step := range st.Steps {
			if step.Status == Overrun {
				overrun++
				if !s.MayOverride(step.Override.Role, step.Gate) {
					t.Fatalf("seed %d: %s passed over by a %s", seed, step.Key, step.Override.Role)
				}
			}
			if s.PremixOnly && (step.Code == "pour_water" || step.Code == "flush_fill" || step.Code == "correct_lean") {
				t.Fatalf("seed %d: water on a premix-only system", seed)
			}
			if s.Product.Form == coolant.Premix && (step.Code == "pour_water" || step.Code == "correct_lean") {
				t.Fatalf("seed %d: water onto a premix", seed)
			}
		}
		if st.Ready {
			ready++
			for _, step := range st.Steps {
				if step.Key != "release" && step.Status != Done && step.Status != Overrun {
					t.Fatalf("seed %d: ready with %s %s", seed, step.Key, step.Status)
				}
			}
			if b := st.Balance; b != nil && !b.Holds && !slices.ContainsFunc(st.Steps, func(s Step) bool { return s.Code == "balance" && s.Status == Overrun }) {
				t.Fatalf("seed %d: ready with %+v", seed, b)
			}
			// A gate that was passed before coolant was moved again says nothing of after.
			last := map[string]int{}
			for i, step := range st.Steps {
				last[step.Code] = i
			}
			if at, ok := last["correct_out"]; ok && (last["washer"] < at || last["torque"] < at) && s.Points[0].Code != PointTank && s.Points[0].Code != PointHeater {
				t.Fatalf("seed %d: ready with a plug that was opened and not closed", seed)
			}
			for _, moved := range []string{"correct_out", "correct_rich", "correct_lean", "rebleed"} {
				if at, ok := last[moved]; ok && (last["level_after"] < at || last["cap_home"] < at || last["leaks"] < at || last["balance"] < at) {
					t.Fatalf("seed %d: ready with %s after the last level, cap or joints", seed, moved)
				}
			}
			for _, step := range st.Steps {
				if step.Code == "drain" && step.Point != PointTank && step.Point != PointHeater && step.N != 1 && s.Kind != TwiceFill && s.Kind != FullFlush && st.Step(keyOf("washer", step.N, step.Point)) == nil {
					t.Fatalf("seed %d: %s was opened besides and not closed", seed, step.Key)
				}
			}
		}
		if st.Released != nil && !s.MayRelease(st.Released.Role) {
			t.Fatalf("seed %d: released by a %s", seed, st.Released.Role)
		}
		if s.Exercise || len(Entries(s, st, func(Step) string { return "noted" })) > 0 && st.Unplaced == nil {
			continue
		}
	}
	if ready < 20 || overrun < 8 {
		t.Errorf("%d jobs ready, %d gates taken on: the lives draw too little", ready, overrun)
	}
}

// Mass is kept by every move.
func TestMass(t *testing.T) {
	for seed := range uint64(300) {
		rng := rand.New(rand.NewPCG(seed, 3))
		s := randomSetup(rng)
		c := contentsOf(s)
		for range 30 {
			before := c.Total()
			switch rng.IntN(3) {
			case 0:
				p := c.Pockets[rng.IntN(len(c.Pockets))].Point
				v := measure.Litre(rng.Float64()) * s.Capacity
				had := c.volumes()
				c = c.drained(p, v)
				if got := had - c.volumes(); math.Abs(float64(got-min(v, had))) > 1e-6 {
					t.Fatalf("seed %d: %v of %v drained", seed, got, v)
				}
			case 1:
				d, err := s.blend(measure.Litre(rng.Float64())*s.Capacity, rng.Float64())
				if err != nil {
					continue
				}
				c = c.poured(d, s.Product.Base)
				after := c.Total()
				if math.Abs(float64(after.Mass()-before.Mass()-d.Mass())) > 1e-6 || math.Abs(float64(after.Glycol-before.Glycol-d.Glycol)) > 1e-6 {
					t.Fatalf("seed %d: poured %v onto %v gives %v", seed, d, before, after)
				}
			default:
				c = c.mixed()
				if after := c.Total(); math.Abs(float64(after.Glycol-before.Glycol)) > 1e-6 || math.Abs(float64(after.Water-before.Water)) > 1e-6 {
					t.Fatalf("seed %d: mixing %v gives %v", seed, before, after)
				}
			}
		}
	}
}

// Whatever events there are, in whatever words, a job opens.
func FuzzOpen(f *testing.F) {
	f.Add(uint64(1), []byte(`[{"type":"answer","step":"cold:1","values":{"gauge":{"choice":"bottom"}}}]`))
	f.Add(uint64(7), []byte(`[{"type":"answer","step":"drain:1:petcock","values":{"litres":{"reading":{"value":1e308,"unit":"L"}}}}]`))
	f.Fuzz(func(t *testing.T, seed uint64, data []byte) {
		rng := rand.New(rand.NewPCG(seed, 5))
		s := randomSetup(rng)
		var events []Event
		if json.Unmarshal(data, &events) != nil {
			return
		}
		events = append(events, randomLife(rng, s, 12)...)
		st := Open(s, events, start)
		text(t, st)
		Entries(s, st, func(Step) string { return "noted" })
		Missed(s, events)
	})
}
