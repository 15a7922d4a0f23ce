package words_test

import (
	"math/rand/v2"
	"os"
	"regexp"
	"strings"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/job"
	"diligentledger/core/measure"
	"diligentledger/internal/words"
)

// Each step, field, choice, fact, reason and caution of the sheets has words of its own; each parameter is in the documentation.
func TestJobWords(t *testing.T) {
	product := coolant.Product{ID: 1, Code: "C", Name: "Concentrate", Base: coolant.EG, Technology: "OAT", Form: coolant.Concentrate, Glycol: 0.96, Stated: true}
	inside, err := coolant.Pour(coolant.EG, 9, 0.4)
	if err != nil {
		t.Fatal(err)
	}
	said := func(what, code, text string) {
		t.Helper()
		if text == "" || text == code || strings.Contains(text, "_") {
			t.Errorf("%s %q has no words: %q", what, code, text)
		}
	}
	steps := map[string]bool{}
	for seed := range uint64(70) {
		rng := rand.New(rand.NewPCG(seed, 9))
		of := []string{"car", "motorcycle", "boat", "aircraft"}[rng.IntN(4)]
		kinds := job.Kinds(of)
		yes := func() bool { return rng.IntN(2) == 0 }
		fills, bleeds := job.FillsOf(of), job.BleedsOf(of)
		s := job.Setup{ID: "01931c2e-0000-7000-8000-000000000001", Of: of, Kind: kinds[rng.IntN(len(kinds))], Capacity: 9, Filled: 9, Product: product, Target: 0.48, Known: yes(), Inside: inside, HeaterCore: true, HotWater: true,
			HighVoltage: yes(), Bottle: yes(), Cap: 108, Stages: 2, Meter: measure.Distance, Covers: []string{"undertray"}, Exercise: true, Seed: seed, Washers: "copper",
			Options: job.Options{ThermostatOut: yes(), Cleaner: yes(), BackFlush: yes(), Sealant: yes(), Part: job.Parts[rng.IntN(4)], Fill: fills[rng.IntN(len(fills))], Bleed: bleeds[rng.IntN(len(bleeds))]}}
		if yes() {
			s.Torque = &measure.Reading{Value: 13, Unit: measure.NewtonMetre}
		}
		switch rng.IntN(4) {
		case 0:
			s.PremixOnly, s.Product = true, coolant.Product{ID: 2, Code: "P", Name: "Premix", Base: coolant.EG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.48}
		case 1:
			s.Product = coolant.Product{ID: 3, Code: "W", Name: "Waterless", Base: coolant.NoWater, Technology: "waterless", Form: coolant.Premix}
		}
		s.Points = job.CommonPoints(of, 9, true, true)
		if s.Check() != nil {
			continue
		}
		sim := job.NewSimulator(s)
		var events []job.Event
		now := time.Date(2026, 11, 27, 7, 0, 0, 0, time.UTC)
		for n := range 70 {
			now = now.Add(10 * time.Minute)
			st := job.Open(s, events, now)
			for _, step := range st.Steps {
				steps[step.Code] = true
				title, _ := words.JobStep(step)
				said("step", step.Code, title)
				for _, f := range step.Fields {
					said("field", f.Code, words.JobField(step, f))
					for _, c := range f.Choices {
						if text := words.JobChoice(c); strings.Contains(text, "_") || text == "" {
							t.Errorf("choice %q has no words", c)
						}
					}
				}
				for _, f := range step.Facts {
					label, figure := words.Metric.JobFact(f)
					if f.Code != "common" {
						said("fact", "", label)
					}
					said("figure of "+f.Code, "", figure)
				}
				if step.Timer != nil {
					label, _ := words.Metric.JobFact(job.Fact{Code: step.Timer.Code, Text: " "})
					if step.Timer.Code == "night" || step.Timer.Code == "cleaner" {
						said("timer", step.Timer.Code, label)
					}
					said("timer", "", label)
				}
				for _, why := range step.Why {
					said("reason", why, words.JobWhy(why))
				}
				for _, c := range step.Warns {
					said("caution", c, words.JobCaution(c))
				}
			}
			if st.Next == "" || st.Next == "release" {
				break
			}
			step := *st.Step(st.Next)
			values := sim.Answer(step)
			if rng.IntN(5) == 0 {
				for _, f := range step.Fields {
					if v, there := values[f.Code]; there && f.Form == job.Choice {
						v.Choice = f.Choices[rng.IntN(len(f.Choices))]
						values[f.Code] = v
					}
				}
			}
			e := job.Event{ID: job.EntryID(s.ID, now.String()), At: now, By: "A", Role: "technician", Type: job.Answered, Step: step.Key, Values: values}
			if step.Answer != nil {
				e.Replaces = step.Answer.ID
			}
			events = append(events, e)
			if after := job.Open(s, events, now).Step(step.Key); after != nil && after.Status == job.Done {
				sim.Apply(step, values)
			} else {
				sim.Tried(step.Key)
			}
			_ = n
		}
	}
	if len(steps) < 55 {
		t.Errorf("%d kinds of step were drawn", len(steps))
	}
	// Every reason that a step can give, as the source has them.
	reasons := regexp.MustCompile(`(?:fails\(|\.(?:fails|heeds), |heeds: \[\]string\{|fails: \[\]string\{|Why = (?:\S+, )?\[\]string\{|return )"([a-z_]*[a-z])"`)
	found := 0
	for _, file := range []string{"sheet.go", "fill.go", "bleed.go", "open.go"} {
		source, err := os.ReadFile("../../core/job/" + file)
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range reasons.FindAllStringSubmatch(string(source), -1) {
			found++
			said("reason", m[1], words.JobWhy(m[1]))
		}
	}
	if found < 50 {
		t.Errorf("%d reasons were found in the source", found)
	}
	doc, err := os.ReadFile("../../docs/jobs.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range job.Parameters {
		said("parameter", p.Code, words.ParameterNames[p.Code])
		if !strings.Contains(string(doc), "| `"+p.Code+"` | "+words.ParameterNames[p.Code]+" |") || !strings.Contains(string(doc), p.Source) {
			t.Errorf("docs/jobs.md does not have %s with its source", p.Code)
		}
	}
	for _, k := range []job.Kind{job.DrainFill, job.TwiceFill, job.FullFlush, job.Correction, job.BleedOnly, job.PartChange, job.BoatLoop, job.Aircraft} {
		said("job", string(k), words.JobNames[k])
	}
	for _, p := range job.Phases {
		said("phase", "", words.PhaseNames[p])
	}
	for _, g := range job.Gates {
		said("gate", "", words.GateNames[g])
	}
}

// Torque is in all three units of the trade: 9 to 10 lbf·ft and 78 lbf·in are typical of drain bolts (common practice).
func TestJobTorque(t *testing.T) {
	for _, c := range []struct {
		nm   float64
		want string
	}{{12.2, "12.2 N·m = 9.0 lbf·ft = 108 lbf·in"}, {8.81, "8.8 N·m = 6.5 lbf·ft = 78 lbf·in"}} {
		if got := words.Metric.JobTorque(c.nm); got != c.want {
			t.Errorf("%v: %q, want %q", c.nm, got, c.want)
		}
	}
}
