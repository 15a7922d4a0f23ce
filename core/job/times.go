package job

import (
	"fmt"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/measure"
)

// Times of a job by its sheet, in hours: what a plan of the work counts with.
type Times struct {
	Cool  float64 // until the engine is cold, before anything is opened
	Hands float64 // of a person: the steps, and what must be watched, draining and a running engine among it
	Wait  float64 // in the bay without a person: cooling between two warm runs, curing
}

// Poured is what a job pours by its sheet: the product as it is in its can, and purified water.
type Poured struct{ Product, Water measure.Litre }

// minutes of a step besides its timer (judgement; a step that is not listed takes three).
var minutes = map[string]float64{"prepare": 10, "place": 5, "isolate": 10, "meter": 1, "level_before": 1, "cap_off": 2, "covers_off": 10, "tank": 6, "back_flush": 15, "thermostat_out": 20, "part_off": 30,
	"exchanger": 20, "pour": 5, "test": 5, "retest": 6, "leaks": 5, "label": 2, "waste": 4, "release": 3}

const usualMinutes = 3

// unattended timers: cooling, curing. Beyond the day: a night's bleeding, days with cleaner inside.
var unattended, beyondDay = map[string]bool{"cooling": true, "curing": true}, map[string]bool{"night": true, "cleaner": true}

// TimesOf a job, and what it pours, by its sheet as it runs on a unit without faults. An [EndlessError] for a sheet that does not end.
func TimesOf(s Setup) (t Times, poured Poured, err error) {
	sim := simulator(s, Faults{})
	var events []Event
	counted := map[string]bool{}
	var last Step
	st := Open(s, events, time.Time{})
	for range 200 {
		if st.Next == "" || st.Next == "release" {
			t.Hands += minutes["release"] / 60
			return t, pouredOf(st.In), nil
		}
		step := *st.Step(st.Next)
		last = step
		if !counted[step.Key] {
			counted[step.Key] = true
			t.add(step)
		}
		e := Event{ID: fmt.Sprintf("%08d", len(events)), Type: Answered, Step: step.Key, At: time.Time{}.Add(time.Duration(len(events)) * time.Minute), Role: access.Technician, Values: sim.Answer(step)}
		if step.Answer != nil {
			e.Replaces = step.Answer.ID
		}
		events = append(events, e)
		st = Open(s, events, time.Time{})
		if done := st.Step(step.Key); done != nil && done.Status == Done {
			sim.Apply(step, e.Values)
		} else {
			sim.tries[step.Key]++
		}
	}
	return t, poured, &EndlessError{s.Kind, last}
}

// EndlessError says that a sheet does not come to its end on a unit without faults, and the step that it comes back to: a retest, say, that
// the product cannot pass at the site.
type EndlessError struct {
	Kind Kind
	Step Step
}

func (e *EndlessError) Error() string {
	return fmt.Sprintf("the sheet of %s does not come to its end: it comes back to %s", e.Kind, e.Step.Key)
}

func pouredOf(in []Moved) (p Poured) {
	for _, m := range in {
		switch m.What {
		case "product":
			p.Product += m.Litres
		case "water":
			p.Water += m.Litres
		case "mix":
			p.Product += m.Litres * measure.Litre(m.Share)
			p.Water += m.Litres * measure.Litre(1-m.Share)
		}
	}
	return p
}

func (t *Times) add(step Step) {
	own, ok := minutes[step.Code]
	if !ok {
		own = usualMinutes
	}
	t.Hands += own / 60
	if step.Timer == nil || beyondDay[step.Timer.Code] {
		return
	}
	switch hours := step.Timer.Lasts.Hours(); {
	case step.Code == "cold" && t.Cool == 0:
		t.Cool += hours
	case unattended[step.Timer.Code]:
		t.Wait += hours
	default:
		t.Hands += hours
	}
}
