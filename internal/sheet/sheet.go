// Package sheet is a job as it is shown: the steps with their words, figures and fields in a person's
// units. It runs on the server and, as WebAssembly, on a device without a signal; both give the same.
package sheet

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/coolant"
	"diligentledger/core/job"
	"diligentledger/core/measure"
	"diligentledger/internal/walk"
	"diligentledger/internal/words"
)

// Pack is a job with all that its view needs, as a device takes it along.
type Pack struct {
	Version string       `json:"version"`
	Setup   job.Setup    `json:"setup"`
	Events  []job.Event  `json:"events"`
	Actor   access.Actor `json:"actor"`
	Reader  string       `json:"reader"` // how the person reads figures
	Zone    []byte       `json:"zone"`   // TZif of the unit's site
	// Containers that the product is sold in, for what to open.
	Containers []coolant.Container `json:"containers,omitempty"`
}

// View of a job.
type View struct {
	Key      string   `json:"id"`
	Title    string   `json:"title"`
	Unit     string   `json:"unit"`
	Name     string   `json:"name"`
	Exercise bool     `json:"exercise"`
	Phase    string   `json:"phase"`
	PhaseIs  string   `json:"phaseName"`
	Next     string   `json:"next"`
	Revision int      `json:"revision"` // events that it rests on
	Method   []string `json:"method"`
	Stop     string   `json:"stop,omitempty"`  // what must be done at once
	Pause    string   `json:"pause,omitempty"` // why the work stops
	Empty    bool     `json:"empty"`
	Warning  string   `json:"warning,omitempty"` // what is inside now, where the engine must not be started
	Cautions []string `json:"cautions"`
	Tools    []string `json:"tools"`
	Parts    []string `json:"parts"`
	Pour     []string `json:"materials"` // quantities and containers
	Plan     []string `json:"plan"`      // what to pour next and why
	Balance  string   `json:"balance,omitempty"`
	Short    bool     `json:"short"` // less in than out
	Steps    []Step   `json:"steps"`
	Gates    []Gate   `json:"gates"`
	Pockets  []Pocket `json:"pockets"`
	Moves    []Move   `json:"moves"`
	In       float64  `json:"in"` // litres, for the strip
	Out      float64  `json:"out"`
	Missing  float64  `json:"missing"`
	Capacity float64  `json:"capacity"`
	Totals   []string `json:"totals"` // what is in and out, in words
	Ready    bool     `json:"ready"`
	Posted   bool     `json:"posted"`
	Ended    string   `json:"ended,omitempty"` // released or cancelled, by whom and when
	Release  Release  `json:"release"`
	People   []string `json:"people"`
	Unplaced []string `json:"unplaced"`
	Missed   []string `json:"missed"` // of an exercise
}

// Release that the job waits for.
type Release struct {
	May   bool   `json:"may"`   // by the person who reads
	Roles string `json:"roles"` // that may
	Plane bool   `json:"aircraft"`
}

// Step of the sheet in words.
type Step struct {
	Key      string   `json:"key"`
	Title    string   `json:"title"`
	Do       []string `json:"do"`
	Cautions []string `json:"cautions"`
	Facts    []Fact   `json:"facts"`
	Fields   []Field  `json:"fields"`
	Status   string   `json:"status"`
	StatusIs string   `json:"statusName"`
	Why      []string `json:"why"`
	Gate     string   `json:"gate,omitempty"`
	Answer   *Answer  `json:"answer,omitempty"`
	Others   []Answer `json:"others"`
	Override string   `json:"override,omitempty"`
	// MayOverride: the person who reads may take the gate on, with a reason.
	MayOverride bool   `json:"mayOverride"`
	Timer       *Timer `json:"timer,omitempty"`
	Sums        bool   `json:"sums"`
}

// Fact of a step.
type Fact struct {
	Label    string `json:"label"`
	Text     string `json:"text"`
	Measured bool   `json:"measured"`
	// Strong: the figure to work by.
	Strong bool `json:"strong"`
}

// Field of a step.
type Field struct {
	Code     string   `json:"code"`
	Label    string   `json:"label"`
	Form     string   `json:"form"`
	Unit     string   `json:"unit,omitempty"` // of a bare number
	Choices  []Choice `json:"choices"`
	Optional bool     `json:"optional"`
}

// Choice of a field.
type Choice struct {
	Code string `json:"code"`
	Name string `json:"name"`
}

// Answer that was recorded.
type Answer struct {
	ID     string `json:"id"`
	By     string `json:"by"`
	At     string `json:"at"`
	Values []Fact `json:"values"`
}

// Timer of a step. Its moments are texts of RFC 3339; the page counts down to Ends.
type Timer struct {
	Label   string `json:"label"`
	Seconds int    `json:"seconds"`
	Began   string `json:"began,omitempty"`
	Ends    string `json:"ends,omitempty"`
	Left    string `json:"left,omitempty"`
	Over    bool   `json:"over"`
}

// Gate of the job.
type Gate struct {
	Name   string `json:"name"`
	Status string `json:"status"`
	Is     string `json:"statusName"`
}

// Pocket of the system, for its drawing.
type Pocket struct {
	Point    string  `json:"point"`
	Name     string  `json:"name"`
	Holds    float64 `json:"holds"`
	Litres   float64 `json:"litres"`
	Text     string  `json:"text"`
	Strength string  `json:"strength"`
	// Share of glycol by volume, 0 to 1, for the shade; -1 when it is not known.
	Share float64 `json:"share"`
	Fill  float64 `json:"fill"` // share of what it holds, 0 to 1
}

// Move of the strip: out or in, one after the other.
type Move struct {
	Out    bool    `json:"out"`
	Litres float64 `json:"litres"`
	Text   string  `json:"text"`
}

// Open a pack with events that wait on the device, at a time.
func (p Pack) Open(waiting []job.Event, now time.Time) job.State {
	return job.Open(p.Setup, append(slices.Clone(p.Events), waiting...), now)
}

func (p Pack) zone() *time.Location {
	zone, err := time.LoadLocationFromTZData("", p.Zone)
	if err != nil {
		return time.UTC
	}
	return zone
}

// ZoneOf a site for a pack.
func ZoneOf(zone *time.Location) []byte { return walk.ZoneData(zone) }

// viewer words a job for one person.
type viewer struct {
	p    Pack
	r    words.Reader
	zone *time.Location
	now  time.Time
	st   job.State
}

// View of the job for the person of the pack.
func (p Pack) View(waiting []job.Event, now time.Time) View {
	v := viewer{p: p, r: words.ReaderOf(p.Reader), zone: p.zone(), now: now, st: p.Open(waiting, now)}
	return v.view(waiting)
}

func (v viewer) view(waiting []job.Event) View {
	s, st := v.p.Setup, v.st
	out := View{Key: s.ID, Title: words.JobNames[s.Kind], Unit: s.Address, Name: s.Name, Exercise: s.Exercise, Phase: string(st.Phase), PhaseIs: words.PhaseNames[st.Phase], Next: st.Next,
		Revision: len(v.p.Events) + len(waiting), Method: v.method(), Empty: st.Empty, Ready: st.Ready, Posted: st.Posted != nil, People: orNone(st.People), Capacity: float64(s.Capacity),
		Release: Release{May: s.MayRelease(v.p.Actor.Role), Roles: words.JobRoles(s.Of == "aircraft"), Plane: s.Of == "aircraft"}}
	if st.Stop != "" {
		out.Stop = words.JobWhy(st.Stop)
	}
	if e := st.Pause; e != nil {
		out.Pause = words.JobPause(e.Why, st.Empty, st.FlushInside)
	}
	if slices.Contains(beforeFilled, st.Phase) {
		out.Warning = words.JobInside(st.Empty, st.FlushInside)
	}
	out.Cautions, out.Tools, out.Parts, out.Pour, out.Plan = []string{}, v.tools(), v.parts(), v.materials(), []string{}
	if st.Plan != nil && slices.Contains(beforeFilled, st.Phase) {
		out.Plan = v.r.JobPlan(s, *st.Plan)
	}
	if b := st.Balance; b != nil {
		out.Balance, out.Short = v.r.JobBalance(*b), !b.Holds
		out.In, out.Out, out.Missing = float64(b.In), float64(b.Out), float64(b.Missing)
	}
	for _, step := range st.Steps {
		out.Steps = append(out.Steps, v.step(step))
		if step.Code == "prepare" {
			out.Cautions = each(step.Warns, words.JobCaution)
		}
	}
	for _, g := range job.Gates {
		if status, ok := st.Gates[g]; ok {
			out.Gates = append(out.Gates, Gate{Name: words.GateNames[g], Status: string(status), Is: words.GateStatusNames[status]})
		}
	}
	if out.Gates == nil {
		out.Gates = []Gate{}
	}
	out.Pockets, out.Moves, out.Totals = v.pockets(), v.moves(), v.totals()
	out.Unplaced, out.Missed = []string{}, []string{}
	for _, e := range st.Unplaced {
		out.Unplaced = append(out.Unplaced, fmt.Sprintf("%s, %s, %s: %s", e.Step, e.By, v.moment(e.At), v.texts(e)))
	}
	switch {
	case st.Cancelled != nil:
		out.Ended = "Cancelled by " + st.Cancelled.By + ", " + v.moment(st.Cancelled.At) + ": " + st.Cancelled.Why
	case st.Released != nil:
		out.Ended = "Released by " + st.Released.By + ", " + v.moment(st.Released.At)
	}
	if s.Exercise && st.Ready {
		titles := func(key string) string {
			if step := st.Step(key); step != nil {
				title, _ := words.JobStep(*step)
				return title
			}
			return key
		}
		events := append(slices.Clone(v.p.Events), waiting...)
		out.Missed = each(job.Missed(s, events), func(code string) string { return words.JobMissed(code, titles) })
	}
	return out
}

// beforeFilled are the phases in which something is still to be poured by the plan.
var beforeFilled = []job.Phase{job.PhasePrepare, job.PhaseCooling, job.PhaseCleaner, job.PhaseDrain, job.PhaseFlush, job.PhaseFill}

func orNone(all []string) []string {
	if all == nil {
		return []string{}
	}
	return all
}

func each[A, B any](all []A, f func(A) B) []B {
	out := make([]B, len(all))
	for i, a := range all {
		out[i] = f(a)
	}
	return out
}

func (v viewer) moment(t time.Time) string { return v.r.Moment(t.In(v.zone)) }

// method of the job in words.
func (v viewer) method() []string {
	s := v.p.Setup
	fill, bleed := s.Methods()
	all := []string{words.FillNames[fill], words.BleedNames[bleed]}
	if s.Kind == job.PartChange {
		all = append([]string{words.PartNames[s.Options.Part]}, all...)
	}
	if s.Kind == job.FullFlush {
		all = append(all, map[bool]string{true: "thermostat out", false: "thermostat in"}[s.Options.ThermostatOut])
		if s.Options.Cleaner {
			all = append(all, "with cleaner")
		}
		if s.Options.BackFlush {
			all = append(all, "with back-flush")
		}
	}
	if s.Manual != "" {
		all = append(all, "manual: "+s.Manual)
	}
	return all
}

func (v viewer) step(s job.Step) Step {
	title, do := words.JobStep(s)
	out := Step{Key: s.Key, Title: title, Do: orNone(do), Cautions: each(s.Warns, words.JobCaution), Status: string(s.Status), StatusIs: words.StepStatusNames[s.Status], Why: each(s.Why, words.JobWhy),
		Gate: words.GateNames[s.Gate], Sums: s.Sums, Facts: []Fact{}, Fields: []Field{}, Others: []Answer{}, MayOverride: s.Gate != "" && v.p.Setup.MayOverride(v.p.Actor.Role, s.Gate)}
	if s.Code == "prepare" {
		out.Cautions = []string{} // those of the whole job are above
	}
	for _, f := range s.Facts {
		label, text := v.r.JobFact(f)
		out.Facts = append(out.Facts, Fact{Label: label, Text: text, Measured: f.Measured, Strong: f.Code == "pour" || f.Code == "draw" || f.Code == "drain" || f.Code == "expected" || f.Code == "short" || f.Code == "target"})
	}
	if s.Code == "balance" && v.st.Balance != nil {
		out.Facts = append(out.Facts, Fact{Text: v.r.JobBalance(*v.st.Balance), Measured: true, Strong: true})
	}
	for _, f := range s.Fields {
		out.Fields = append(out.Fields, v.field(s, f))
	}
	if s.Answer != nil {
		a := v.answer(s, *s.Answer)
		out.Answer = &a
	}
	for _, e := range s.Others {
		out.Others = append(out.Others, v.answer(s, e))
	}
	if e := s.Override; e != nil {
		out.Override = fmt.Sprintf("Overridden by %s, %s: %s", e.By, v.moment(e.At), e.Why)
	}
	if t := s.Timer; t != nil {
		out.Timer = v.timer(*t)
	}
	return out
}

func (v viewer) timer(t job.Timer) *Timer {
	label, _ := v.r.JobFact(job.Fact{Code: t.Code, Text: " "})
	out := &Timer{Label: label, Seconds: int(t.Lasts.Seconds()), Over: t.Expired}
	if t.Began != nil {
		ends := t.Began.Add(t.Lasts)
		out.Began, out.Ends, out.Left = t.Began.Format(time.RFC3339), ends.Format(time.RFC3339), words.JobTimer(ends.Sub(v.now))
	}
	return out
}

func (v viewer) field(s job.Step, f job.Field) Field {
	out := Field{Code: f.Code, Label: words.JobField(s, f), Form: string(f.Form), Optional: f.Optional, Choices: []Choice{}}
	for _, c := range f.Choices {
		out.Choices = append(out.Choices, Choice{Code: c, Name: words.JobChoice(c)})
	}
	if f.Form == job.Quantity && f.Dimension != measure.Plain {
		out.Unit = v.usual(f.Dimension, f.Unit).Symbol()
	}
	return out
}

// usual unit of a bare number for the person who reads.
func (v viewer) usual(d measure.Dimension, u measure.Unit) measure.Unit {
	switch d {
	case measure.Volume:
		return v.r.Volume
	case measure.Temperature:
		return v.r.Temperature
	case measure.Pressure:
		return v.r.Pressure
	case measure.Distance:
		return v.r.Distance
	}
	return u
}

func (v viewer) answer(s job.Step, e job.Event) Answer {
	a := Answer{ID: e.ID, By: e.By, At: v.moment(e.At), Values: []Fact{}}
	for _, f := range s.Fields {
		if value, ok := e.Values[f.Code]; ok {
			a.Values = append(a.Values, Fact{Label: words.JobField(s, f), Text: v.r.JobValue(value), Measured: true})
		}
	}
	return a
}

func (v viewer) texts(e job.Event) (text string) {
	for _, code := range slices.Sorted(maps.Keys(e.Values)) {
		if text != "" {
			text += ", "
		}
		text += v.r.JobValue(e.Values[code])
	}
	return text
}

func (v viewer) litres(l measure.Litre) string { return v.r.Litres(float64(l), 2) }

func (v viewer) pockets() []Pocket {
	all := []Pocket{}
	for _, p := range v.st.Inside.Pockets {
		if p.Holds <= 0.001 && p.Charge.Mass() <= 0 {
			continue
		}
		volume := p.Charge.Volume()
		out := Pocket{Point: p.Point, Name: words.PocketNames[p.Point], Holds: float64(p.Holds), Litres: float64(volume), Text: v.litres(volume) + " of " + v.litres(p.Holds), Share: -1}
		if p.Holds > 0 {
			out.Fill = min(1, float64(volume/p.Holds))
		}
		switch {
		case volume < 0.01:
			out.Strength, out.Share = "empty", 0
		case !v.st.Inside.Known && len(v.st.In) == 0:
			out.Strength = "strength not known"
		case v.st.Inside.Mixed():
			out.Strength = "EG and PG mixed"
		case p.Charge.Base == coolant.NoWater:
			out.Strength, out.Share = "waterless", 1
		default:
			share := p.Charge.VolumeFraction()
			out.Share = share
			out.Strength = fmt.Sprintf("%.0f %% of glycol", 100*share)
			if t, err := p.Charge.FreezePoint(); err == nil {
				out.Strength += ", " + v.r.Celsius(t, 0)
			}
		}
		all = append(all, out)
	}
	return all
}

func (v viewer) moves() []Move {
	all := []Move{}
	what := map[string]string{"coolant": "coolant", "flush": "flush", "product": "product", "water": "purified water", "mix": "top-up", "bottle": "recovery bottle", "corrected": "coolant"}
	type dated struct {
		m   job.Moved
		out bool
	}
	var moves []dated
	for _, m := range v.st.Out {
		moves = append(moves, dated{m, true})
	}
	for _, m := range v.st.In {
		moves = append(moves, dated{m, false})
	}
	slices.SortStableFunc(moves, func(a, b dated) int { return a.m.At.Compare(b.m.At) })
	for _, d := range moves {
		text := v.litres(d.m.Litres) + " " + what[d.m.What]
		if d.out && d.m.Point != "" && d.m.What != "bottle" {
			text = v.litres(d.m.Litres) + " " + words.PocketNames[d.m.Point]
		}
		all = append(all, Move{Out: d.out, Litres: float64(d.m.Litres), Text: text})
	}
	return all
}

// totals of the sheet.
func (v viewer) totals() []string {
	all := []string{"holds " + v.litres(v.p.Setup.Capacity)}
	if v.p.Setup.Common {
		all[0] += " (common value of such units)"
	}
	total := v.st.Inside.Total()
	inside := "inside now " + v.litres(total.Volume())
	if v.st.Inside.Known && !v.st.Inside.Mixed() && total.Glycol > 0 && total.Base.Known() {
		inside += fmt.Sprintf(", %.0f %% of glycol on average", 100*total.VolumeFraction())
	}
	all = append(all, inside)
	if v.st.Replaced > 0 {
		all = append(all, fmt.Sprintf("%.0f %% of the charge is new", 100*v.st.Replaced))
	}
	return all
}

// tools of the job.
func (v viewer) tools() []string {
	s := v.p.Setup
	fill, bleed := s.Methods()
	all := []string{"marked pan and hose", "gloves and eye protection", "zeroed refractometer, " + string(s.Product.Base) + " scale"}
	switch fill {
	case job.Gravity:
		all = append(all, "spill-free funnel")
	case job.Vacuum:
		all = append(all, "vacuum filler with gauge", "clean mixing container")
	case job.Pressure, job.Hose:
		all = append(all, "filler with gauge", "clean mixing container")
	case job.Header:
		all = append(all, "measuring jug")
	}
	if bleed == job.Pump {
		all = append(all, "battery charger")
	}
	if s.Torque != nil {
		if nm, err := s.Torque.Metric(measure.Torque); err == nil {
			all = append(all, "torque wrench for "+v.r.JobTorque(nm))
		}
	}
	if s.Cap > 0 {
		all = append(all, "cap and system tester")
	}
	return all
}

// parts that are new each time, or may break.
func (v viewer) parts() []string {
	s := v.p.Setup
	all := []string{}
	add := func(what, text string) {
		if text != "" {
			all = append(all, what+text)
		}
	}
	add("washers: ", s.Washers)
	add("plug: ", s.Plug)
	add("cover clips, in case they break: ", s.Clips)
	switch {
	case s.Kind == job.PartChange:
		add("new ", words.PartNames[s.Options.Part])
	case s.Options.ThermostatOut:
		all = append(all, "thermostat gasket")
	}
	return all
}

// materials: what is poured by the plan at the beginning, and which containers to open.
func (v viewer) materials() []string {
	s := v.p.Setup
	all := []string{}
	if s.Kind == job.PartChange && s.Options.Part == "cap" || s.Kind == job.BleedOnly {
		return all
	}
	var rich, lean measure.Litre
	for _, step := range job.Open(s, nil, v.now).Steps {
		for _, f := range step.Facts {
			switch {
			case f.Code == "pour" && step.Code == "pour_water", f.Code == "mix_water":
				lean += measure.Litre(f.Low)
			case f.Code == "pour" && step.Code != "correct_lean" && step.Code != "loop_fill", f.Code == "mix_product":
				rich += measure.Litre(f.Low)
			}
		}
	}
	if rich <= 0 {
		return append(all, s.Product.Name+", by the test")
	}
	line := v.litres(rich) + " " + s.Product.Name
	if basket := v.containers(rich); basket != "" {
		line += ": open " + basket
	}
	all = append(all, line)
	if lean > 0.005 {
		all = append(all, v.litres(lean)+" purified water")
	}
	if s.Kind == job.FullFlush {
		with := "purified water"
		switch {
		case s.Product.Base == coolant.NoWater:
			with = "prep fluid"
		case s.PremixOnly:
			with = s.Product.Name
		}
		all = append(all, "for each flush "+v.litres(s.Capacity)+" "+with)
	}
	if s.Options.Cleaner {
		all = append(all, fmt.Sprintf("cleaner: %d bottles", coolant.CleanerBottles(s.Capacity)))
	}
	return all
}

// containers to open for so much.
func (v viewer) containers(need measure.Litre) string {
	list := v.p.Containers
	if len(list) == 0 {
		return ""
	}
	basket, err := coolant.Cheapest(need, list)
	if err != nil {
		return ""
	}
	text := ""
	for i, n := range basket.Counts {
		if n > 0 {
			if text != "" {
				text += " + "
			}
			text += fmt.Sprintf("%d × %s", n, v.litres(list[i].Size))
		}
	}
	return text
}

// Refused field of an answer.
type Refused struct {
	Field string `json:"field"`
	Text  string `json:"text"` // its label, what was typed and what is accepted
}

// Read what was typed at a step.
func (p Pack) Read(waiting []job.Event, now time.Time, step string, texts map[string]string) (map[string]job.Value, []Refused, error) {
	v := viewer{p: p, r: words.ReaderOf(p.Reader), zone: p.zone(), now: now, st: p.Open(waiting, now)}
	s := v.st.Step(step)
	if s == nil {
		return nil, nil, errors.New("there is no such step in this job now")
	}
	values, faults := s.Read(texts, v.usual, v.r.Numbers)
	refused := []Refused{}
	for _, f := range faults {
		field := f.Pointer[len("/values/"):]
		label := field
		for _, one := range s.Fields {
			if one.Code == field {
				label = words.JobField(*s, one)
				if one.Form == job.Quantity && one.Dimension != measure.Plain {
					u := v.usual(one.Dimension, one.Unit)
					f.Accepted = fmt.Sprintf("a figure from %s to %s %s", words.Figure(measure.FromMetric(one.Least, u), 0), words.Figure(measure.FromMetric(one.Most, u), 0), u.Symbol())
				}
				if one.Form == job.Choice {
					f.Accepted = "one of the choices"
				}
			}
		}
		text := fmt.Sprintf("%s: %s is not accepted; accepted: %s", label, f.Got, f.Accepted)
		if f.Got == job.Nothing {
			text = fmt.Sprintf("%s is not entered; accepted: %s", label, f.Accepted)
		}
		refused = append(refused, Refused{Field: field, Text: text})
	}
	return values, refused, nil
}

// Simulated answer to a step of an exercise.
func (p Pack) Simulated(waiting []job.Event, now time.Time, step string) (map[string]job.Value, error) {
	if !p.Setup.Exercise {
		return nil, errors.New("this job is no exercise")
	}
	events := append(slices.Clone(p.Events), waiting...)
	st := job.Open(p.Setup, events, now)
	s := st.Step(step)
	if s == nil {
		return nil, errors.New("there is no such step in this job now")
	}
	return job.Simulated(p.Setup, events).Answer(*s), nil
}

// ReadPack of a text.
func ReadPack(text []byte) (p Pack, err error) { return p, json.Unmarshal(text, &p) }
