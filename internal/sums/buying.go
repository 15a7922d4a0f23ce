package sums

import (
	"fmt"
	"maps"
	"math"
	"regexp"
	"strconv"
	"strings"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

func buy() Question {
	return Question{Name: "buy", Title: "How much to buy?",
		Fields: []Field{
			{Name: "base", Label: "glycol", Options: bases, Initial: "EG"},
			{Name: "capacity", Label: "system holds", Of: measure.Volume, Initial: "9.7 L", Hint: "or 12 x 7 L"},
			{Name: "systems", Label: "how many systems", Initial: "1"},
			{Name: "trapped", Label: "stays inside", Of: measure.Volume, Initial: "0.5 L", Hint: "never comes out"},
			{Name: "is", Label: "and that is", Initial: "water", Options: []Option{{"water", "flush water"}, {"same", "the same mixture"}}},
			strengthField("target", "target", "50 %"),
			{Name: "concentrate", Label: "concentrate, sizes and prices", Of: measure.Volume, Shape: Containers, Initial: "1 L 11; 5 L 48; 20 L 170"},
			contentField(""),
			{Name: "premix", Label: "premix, sizes and prices", Of: measure.Volume, Shape: Containers, Initial: "1 L 7; 5 L 29; 20 L 105"},
			{Name: "holds", Label: "premix holds", Initial: "50 %"},
			{Name: "cleaner", Label: "with flush cleaner", Options: yesNo, Initial: "no"},
		},
		answer: answerBuy}
}

func answerBuy(in *inputs) Result {
	base := in.base("base")
	systems := in.systems()
	capacity := in.within("capacity", measure.Volume, 0.1, 2000)
	trapped := in.within("trapped", measure.Volume, 0, capacity)
	flush := in.choice("is") == "water"
	wanted := in.strength("target", base)
	cans, canLabels := in.containers("concentrate")
	premixCans, premixLabels := in.containers("premix")
	holds := in.within("holds", measure.Share, 1, 100) / 100
	content := in.content(base)
	cleaner := in.yes("cleaner")
	goal, err := coolant.VolumeFraction(base, wanted)
	if err == nil && (goal < coolant.TargetLeast-0.002 || goal > coolant.TargetMost+0.002) {
		in.refuse("target", quoted(in.text("target")), "33 to 65 % by volume")
	}
	if in.failed() {
		return Result{}
	}
	inside, insideStrength := coolant.Charge{}, 0.0
	if flush {
		inside, err = coolant.PourWater(measure.Litre(trapped))
	} else {
		insideStrength = goal
		inside, err = coolant.Pour(base, measure.Litre(trapped), goal)
	}
	if err != nil {
		in.bad("trapped", err)
		return Result{}
	}
	task := coolant.CorrectionTask{Present: inside, Capacity: measure.Litre(capacity), Drainable: measure.Litre(capacity - trapped),
		Target: min(max(goal, coolant.TargetLeast), coolant.TargetMost), Base: base}
	task.Additives = []float64{content, 0}
	mixed, err := coolant.Correct(task)
	if err != nil {
		in.bad("capacity", err)
		return Result{}
	}
	// One fill: what does not fit in is never asked to be poured.
	inOneFill := mixed.Reached && len(mixed.Passes) <= 1
	first := mixed
	first.Passes = mixed.Passes[:min(1, len(mixed.Passes))]
	rich, lean := poured(first)
	r := Result{Steps: []Step{
		{What: "what to pour", Formula: "mass balance of what stays inside, concentrate and water", Numbers: fmt.Sprintf("%s stays inside at %s; %s concentrate + %s water → %s",
			in.vol(measure.Litre(trapped)), percent(insideStrength), in.vol(rich), in.vol(lean), percent(goal)), Source: sourceMass}}}
	each := ""
	if systems > 1 {
		each = fmt.Sprintf(", each of %d systems", systems)
	}
	all := measure.Litre(systems)
	r.Lines = append(r.Lines, Line{"concentrate to pour" + each, in.vol(rich)}, Line{"purified water to pour" + each, in.vol(lean)})
	fromConcentrate := in.basket(&r, "concentrate", all*rich, cans, canLabels, inOneFill)
	ready := coolant.Charge{}
	task.Additives = []float64{holds}
	ofPremix, err := coolant.Correct(task)
	if err == nil && len(ofPremix.Passes) > 0 {
		ready = ofPremix.Passes[0].After
	}
	need, _ := poured(coolant.Correction{Passes: ofPremix.Passes[:min(1, len(ofPremix.Passes))]})
	fromPremix := in.basket(&r, "premix", all*need, premixCans, premixLabels, ready.Mass() > 0)
	if reached := ready.VolumeFraction(); ready.Mass() > 0 && (reached < goal-0.01 || reached > goal+0.01) {
		r.Warnings = append(r.Warnings, fmt.Sprintf("Premix gives %s here, not the target: what stays inside thins it, or it holds another share.", percent(reached)))
	}
	best := 0.0
	if len(first.Passes) > 0 {
		best = first.Passes[0].Volume
		if falls := first.Passes[0].Falls; falls > 0.005 {
			r.Lines = append(r.Lines, Line{"mixed and cold the level falls by", in.vol(falls) + ": top up with the mix"})
		}
	}
	more := mixed.NeededDrain - task.Drainable
	switch {
	case !inOneFill && more > 0.005:
		r.Headline = fmt.Sprintf("One fill reaches %s at best. Drain %s more first, by the block or the heater core, so that no more than %s stays inside.",
			percent(best), in.vol(more), in.vol(measure.Litre(capacity)-mixed.NeededDrain))
	case !inOneFill:
		r.Headline = fmt.Sprintf("One fill reaches %s at best, and no drain helps: choose a stronger concentrate.", percent(best))
	case fromConcentrate < 0 || fromPremix < 0:
		r.Headline = "See below for what can be bought."
	case fromConcentrate <= fromPremix:
		r.Headline = fmt.Sprintf("Concentrate is cheaper: %.2f against %.2f for premix, water not counted.", fromConcentrate, fromPremix)
	default:
		r.Headline = fmt.Sprintf("Premix is cheaper: %.2f against %.2f for concentrate.", fromPremix, fromConcentrate)
	}
	if cleaner {
		bottles := systems * coolant.CleanerBottles(measure.Litre(capacity))
		r.Lines = append(r.Lines, Line{"flush cleaner", fmt.Sprintf("%d bottle%s", bottles, strings.Repeat("s", bottles-1))})
		least, most := coolant.WaterFlushesLeast.Value, coolant.WaterFlushesMost.Value
		flushWater := all * measure.Litre(capacity-trapped)
		r.Lines = append(r.Lines, Line{"water flushes after it", fmt.Sprintf("%.0f to %.0f, until it runs clear: %s to %s of purified water", least, most,
			in.vol(flushWater*measure.Litre(least)), in.vol(flushWater*measure.Litre(most)))})
		r.Steps = append(r.Steps, Step{What: "cleaner", Formula: "capacity / 11.4 L, rounded up, for each system", Numbers: in.vol(measure.Litre(capacity)), Source: sourceTrade})
		r.Warnings = append(r.Warnings, "Cleaner that stays inside attacks metal and inhibitors: flush it out with water until it runs clear, and count the water that stays.")
	}
	if in.text("content") == "" {
		r.Warnings = append(r.Warnings, labelWarning)
	}
	r.Warnings = append(r.Warnings, "Purified water only; never tap water. Premix is not thinned.")
	return r
}

// mostSystems that are bought for at once (judgement).
const mostSystems = 1000

// times is a number of systems before what one of them holds: 12 x 7 L.
var times = regexp.MustCompile(`^\s*(\d{1,4})\s*[xX×*]\s*(.+)$`)

// systems that are bought for: by their own field, or before the capacity, which is left with what
// one system holds.
func (in *inputs) systems() int {
	n := in.within("systems", measure.Plain, 1, mostSystems)
	if n != math.Trunc(n) {
		in.refuse("systems", quoted(in.text("systems")), fmt.Sprintf("a whole number, 1 to %d", mostSystems))
	}
	m := times.FindStringSubmatch(in.text("capacity"))
	if m == nil {
		return int(n)
	}
	before, err := strconv.Atoi(m[1])
	if _, typed := in.given["systems"]; err != nil || before < 1 || before > mostSystems || typed && float64(before) != n {
		in.refuse("capacity", quoted(in.text("capacity")), fmt.Sprintf("what one system holds, or 1 to %d systems before it, such as 12 x 7 L, as many as in the other field", mostSystems))
		return int(n)
	}
	in.given = maps.Clone(in.given)
	in.given["capacity"] = m[2]
	return before
}

// poured in all passes: of the rich and of the lean.
func poured(c coolant.Correction) (rich, lean measure.Litre) {
	for _, p := range c.Passes {
		rich += p.Rich
		lean += p.Lean
	}
	if c.RichGlycol == c.LeanGlycol {
		return rich + lean, 0 // one product alone
	}
	return rich, lean
}

// basket adds the cheapest containers to the answer and returns their price, −1
// when there are none.
func (in *inputs) basket(r *Result, what string, need measure.Litre, list []coolant.Container, labels []string, sensible bool) float64 {
	if !sensible {
		return -1
	}
	b, err := coolant.Cheapest(need, list)
	if err != nil {
		in.bad(what, err)
		return -1
	}
	var parts []string
	for i, n := range b.Counts {
		if n > 0 {
			parts = append(parts, fmt.Sprintf("%d × %s", n, labels[i]))
		}
	}
	if len(parts) == 0 {
		parts = []string{"nothing"}
	}
	r.Lines = append(r.Lines, Line{what + " to buy", fmt.Sprintf("%s for %.2f; %s left over", strings.Join(parts, " + "), b.Price, in.vol(b.Leftover))})
	r.Steps = append(r.Steps, Step{What: what, Formula: "cheapest set of containers that covers the need", Numbers: fmt.Sprintf("need %s, buy %s", in.vol(need), in.vol(b.Bought)), Source: "unbounded covering knapsack, every total tried in steps of 50 mL"})
	return b.Price
}
