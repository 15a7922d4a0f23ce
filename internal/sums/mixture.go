package sums

import (
	"fmt"
	"math"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

var bases = []Option{{"EG", "EG, ethylene glycol"}, {"PG", "PG, propylene glycol"}}

var yesNo = []Option{{"no", "no"}, {"yes", "yes"}}

const (
	sourceTables = "ASHRAE Handbook Fundamentals, chapter Secondary Coolants, table Freezing and Boiling Points of Aqueous Solutions of Ethylene (Propylene) Glycol; between rows monotone cubic (Fritsch and Butland 1984)"
	sourceMass   = "mass balance; densities at 20 °C: CRC Handbook of Chemistry and Physics, Concentrative Properties of Aqueous Solutions"
	sourceSteam  = "IAPWS R7-97(2012), region 4, equation 31"
	sourceAir    = "ICAO Doc 7488, Manual of the ICAO Standard Atmosphere, troposphere"
	sourceTrade  = "common practice"
)

// contentField asks what a concentrate holds; when the can does not say, it is taken by
// [coolant.Product.Strength].
func contentField(by string, shown ...string) Field {
	return Field{Name: "content", Label: "concentrate holds", Hint: "empty: 96 % (PG 94 %)", Optional: true, ShownBy: by, ShownFor: shown}
}

// content of the concentrate, as a volume fraction of glycol.
func (in *inputs) content(base coolant.Base) float64 {
	if v := in.optional("content", measure.Share, 66, 100); v != nil {
		return *v / 100
	}
	glycol, _ := coolant.Product{Base: base, Form: coolant.Concentrate}.Strength()
	return glycol
}

const labelWarning = "The can does not say what it holds: labels run from 93 to 99 % of glycol, so that half and half freezes at −33 to −37 °C (PG: −30 to −33 °C). Test it."

func strengthField(name, label, initial string) Field {
	return Field{Name: name, Label: label, Of: measure.Temperature, Shape: Strength, Initial: initial, Hint: "50 % by volume, or a freeze point"}
}

// curve of a base with a mark, in the person's degrees.
func (in *inputs) curve(base coolant.Base, mark *Mark, night *float64) *Curve {
	degrees := func(c float64) float64 { return measure.FromMetric(c, in.usual(measure.Temperature)) }
	c := &Curve{Base: string(base), Unit: in.usual(measure.Temperature).Symbol()}
	for p := 0.0; p <= 0.95; p += 0.01 {
		mass, err := coolant.MassFraction(base, p)
		if err != nil {
			break
		}
		freeze, err := coolant.FreezePoint(base, mass)
		if err != nil {
			break // the table of the base ends here
		}
		c.Freeze = append(c.Freeze, Point{100 * p, degrees(float64(freeze))})
		if boil, err := coolant.BoilOver(base, mass, 0, 0); err == nil {
			c.Boil = append(c.Boil, Point{100 * p, degrees(float64(boil))})
		}
	}
	if mark != nil {
		c.At = &Mark{mark.Percent, degrees(mark.Temperature), degrees(mark.Low), degrees(mark.High)}
	}
	if night != nil {
		n := degrees(*night)
		c.Night = &n
	}
	return c
}

// markAt is the point of a mixture; the tables and a measuring jug are good to
// about a degree (common practice).
func markAt(base coolant.Base, mass float64) *Mark {
	freeze, err1 := coolant.FreezePoint(base, mass)
	volume, err2 := coolant.VolumeFraction(base, mass)
	if err1 != nil || err2 != nil {
		return nil
	}
	return &Mark{100 * volume, float64(freeze), float64(freeze) - 1, min(0, float64(freeze)+1)}
}

func tableStep(in *inputs, base coolant.Base, mass float64, freeze measure.Celsius) Step {
	volume, _ := coolant.VolumeFraction(base, mass) // mass came from it
	return Step{What: "freeze point", Formula: "table of " + string(base) + " in water, by mass",
		Numbers: fmt.Sprintf("%s by volume = %s by mass → %s", percent(volume), percent(mass), in.temp1(freeze)), Source: sourceTables}
}

func protects() Question {
	return Question{Name: "protects", Title: "What does this protect to?",
		Fields: []Field{
			{Name: "base", Label: "glycol", Options: bases, Initial: "EG"},
			strengthField("strength", "what is inside", "50 %"),
			{Name: "night", Label: "coldest night", Of: measure.Temperature, Hint: "of the site", Optional: true},
			{Name: "margin", Label: "margin", Of: measure.Temperature, Shape: Difference, Initial: "3", Hint: "between freeze point and coldest night"},
		},
		answer: func(in *inputs) Result {
			base := in.base("base")
			mass := in.strength("strength", base)
			night := in.optional("night", measure.Temperature, -80, 40)
			margin := in.differenceBetween("margin", 0, 30)
			if in.failed() {
				return Result{}
			}
			freeze, err1 := coolant.FreezePoint(base, mass)
			volume, err2 := coolant.VolumeFraction(base, mass)
			if err1 != nil || err2 != nil {
				in.bad("strength", firstOf(err1, err2))
				return Result{}
			}
			r := Result{Headline: "Freezes at " + in.temp(freeze) + ".",
				Lines: []Line{{"glycol by volume", percent(volume)}, {"glycol by mass", percent(mass)}, {"freeze point", in.temp1(freeze)}},
				Steps: []Step{tableStep(in, base, mass, freeze)}, Curve: in.curve(base, markAt(base, mass), night)}
			if rich, ok := coolant.RichMassFor(base, freeze); ok && mass < rich-0.001 {
				r.Lines = append(r.Lines, Line{"the same freeze point", percent(rich) + " by mass, beyond the eutectic: never a target"})
			}
			if boils, err := coolant.BoilOver(base, mass, 0, 0); err == nil {
				r.Lines = append(r.Lines, Line{"boils, open, at sea level", in.temp(boils)})
			}
			if eutectic, lowest, err := coolant.Eutectic(base); err == nil && mass > eutectic && base == coolant.EG {
				r.Warnings = append(r.Warnings, fmt.Sprintf("Stronger than the eutectic (%s by mass, %s): more glycol protects worse.", percent(eutectic), in.temp(lowest)))
			}
			switch {
			case volume < coolant.StrengthDueLow.Value-1e-6:
				r.Warnings = append(r.Warnings, "Below 33 % the inhibitors are too thin: correct it.")
			case volume < coolant.StrengthWatchLow.Value-1e-6:
				r.Warnings = append(r.Warnings, "Below 40 % the inhibitors are thin, and liners cavitate.")
			case volume > coolant.StrengthDueHigh.Value+1e-6:
				r.Warnings = append(r.Warnings, "Above 67 % protection and cooling fall off: too strong, thin it.")
			case volume > coolant.StrengthWatchHigh.Value+1e-6:
				r.Warnings = append(r.Warnings, "Above 60 % cooling worsens.")
			}
			if night != nil {
				spare := *night - float64(freeze)
				r.Lines = append(r.Lines, Line{"margin on that night", in.difference(spare)})
				r.Steps = append(r.Steps, Step{What: "margin", Formula: "coldest night − freeze point",
					Numbers: fmt.Sprintf("%s − (%s) = %s, wanted %s", in.temp1(measure.Celsius(*night)), in.temp1(freeze), in.difference(spare), in.difference(margin)), Source: sourceTrade})
				switch {
				case spare < 0:
					r.Headline += " It freezes on that night."
				case spare < margin:
					r.Headline += " Too small a margin on that night."
				default:
					r.Headline += " Good for that night."
				}
			}
			return r
		}}
}

func firstOf(errs ...error) error {
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

func target() Question {
	return Question{Name: "target", Title: "Bring this to target",
		Fields: []Field{
			{Name: "base", Label: "glycol", Options: bases, Initial: "EG"},
			{Name: "capacity", Label: "system holds", Of: measure.Volume, Initial: "8 L"},
			{Name: "volume", Label: "inside now", Of: measure.Volume, Hint: "empty: full", Optional: true},
			{Name: "drainable", Label: "one drain reaches", Of: measure.Volume, Initial: "6 L", Hint: "of a full system"},
			strengthField("strength", "strength now", "39 %"),
			strengthField("target", "target", "50 %"),
			{Name: "with", Label: "to add", Initial: "concentrate", Options: []Option{{"concentrate", "concentrate and water"},
				{"premix", "premix and water"}, {"premix_only", "premix only"}, {"water", "water only"}}},
			contentField("with", "concentrate"),
			{Name: "premix", Label: "premix holds", Initial: "50 %", ShownBy: "with", ShownFor: []string{"premix", "premix_only"}},
			{Name: "night", Label: "coldest night", Of: measure.Temperature, Hint: "of the site", Optional: true},
		},
		answer: answerTarget}
}

func answerTarget(in *inputs) Result {
	base := in.base("base")
	capacity := in.within("capacity", measure.Volume, 0.1, 10_000)
	volume := capacity
	if v := in.optional("volume", measure.Volume, 0, capacity); v != nil {
		volume = *v
	}
	drainable := in.within("drainable", measure.Volume, 0, capacity)
	now, wanted := in.strength("strength", base), in.strength("target", base)
	with := in.choice("with")
	premix := in.within("premix", measure.Share, 1, 100) / 100
	content := in.content(base)
	night := in.optional("night", measure.Temperature, -80, 40)
	goal, err := coolant.VolumeFraction(base, wanted)
	if err == nil && (goal < coolant.TargetLeast-0.002 || goal > coolant.TargetMost+0.002) {
		in.refuse("target", quoted(in.text("target")), "33 to 65 % by volume: thinner has too few inhibitors, stronger protects and cools worse")
	}
	if in.failed() {
		return Result{}
	}
	nowVolume, err := coolant.VolumeFraction(base, now)
	if err != nil {
		in.bad("strength", err)
		return Result{}
	}
	present, err := coolant.Pour(base, measure.Litre(volume), nowVolume)
	if err != nil {
		in.bad("strength", err)
		return Result{}
	}
	additives := map[string][]float64{"concentrate": {content, 0}, "premix": {premix, 0}, "premix_only": {premix}, "water": {0}}[with]
	plan, err := coolant.Correct(coolant.CorrectionTask{Present: present, Capacity: measure.Litre(capacity), Drainable: measure.Litre(drainable),
		Target: min(max(goal, coolant.TargetLeast), coolant.TargetMost), Base: base, Additives: additives})
	if err != nil {
		in.bad("target", err)
		return Result{}
	}
	room := max(0, measure.Litre(capacity)-present.Volume())
	return in.wordCorrection(plan, base, present, room, with, goal, night)
}

func (in *inputs) wordCorrection(plan coolant.Correction, base coolant.Base, present coolant.Charge, room measure.Litre, with string, goal float64, night *float64) Result {
	rich := map[string]string{"concentrate": "concentrate", "premix": "premix", "premix_only": "premix", "water": "water"}[with]
	r := Result{}
	last := present
	for i, p := range plan.Passes {
		text := ""
		if p.Out > 0.005 {
			text = "drain " + in.vol(p.Out) + ", then "
		}
		switch {
		case p.Rich > 0.005 && p.Lean > 0.005:
			text += fmt.Sprintf("pour %s %s first, all of it, then %s water", in.vol(p.Rich), rich, in.vol(p.Lean))
		case p.Rich > 0.005:
			text += fmt.Sprintf("pour %s %s", in.vol(p.Rich), rich)
		case plan.LeanGlycol == 0:
			text += fmt.Sprintf("pour %s water", in.vol(p.Lean))
		default:
			text += fmt.Sprintf("pour %s %s", in.vol(p.Lean), rich)
		}
		if p.Falls > 0.005 {
			text += fmt.Sprintf(" (plain volumes; mixed and cold it stands %s lower: top up with the mix)", in.vol(p.Falls))
		}
		reached := percent(p.Volume)
		if p.Freeze < 0 {
			reached += ", " + in.temp(p.Freeze)
		}
		r.Lines = append(r.Lines, Line{fmt.Sprintf("pass %d", i+1), text + ": reaches " + reached})
		r.Steps = append(r.Steps, Step{What: fmt.Sprintf("pass %d", i+1), Formula: "glycol left + glycol poured = target × what is inside then, by mass",
			Numbers: fmt.Sprintf("%.3f kg glycol in %.3f kg, drain %.1f %% of it, pour in: %.3f kg in %.3f kg", float64(last.Glycol), float64(last.Mass()),
				100*float64(p.Out)/max(1e-9, float64(last.Volume())), float64(p.After.Glycol), float64(p.After.Mass())), Source: sourceMass})
		last = p.After
	}
	switch {
	case plan.Reached && len(plan.Passes) == 0:
		r.Headline = "It is on target already."
	case plan.Reached && len(plan.Passes) == 1:
		r.Headline = "One pass does it."
	case plan.Reached:
		r.Headline = fmt.Sprintf("%d passes do it.", len(plan.Passes))
	case len(plan.Passes) == 0:
		r.Headline = "It cannot be reached: nothing can be drained and there is no room."
	case plan.NeededDrain > 0:
		r.Headline = fmt.Sprintf("It cannot be reached so: the best is %s. Drain %s of what is inside now first, by the block or the heater core.", percent(last.VolumeFraction()),
			in.vol(max(0, plan.NeededDrain-room)))
	default:
		r.Headline = fmt.Sprintf("It cannot be reached: the best is %s.", percent(last.VolumeFraction()))
	}
	if !plan.Reached && len(plan.Passes) == 0 && plan.NeededDrain == 0 {
		r.Headline = "Pour nothing: what may be added leads away from the target, and it is best left as it is."
	}
	needed := in.neededProduct(plan, present.VolumeFraction() < goal)
	switch {
	case !plan.Reached && plan.NeededDrain == 0:
		r.Warnings = append(r.Warnings, "Not even an empty system gets there with what may be added. "+needed)
	case plan.NeededDrain > 0 && (!plan.Reached || len(plan.Passes) > 1):
		r.Warnings = append(r.Warnings, fmt.Sprintf("A drain that reaches %s of a full system would do it in one pass: look for a block drain or the heater core.", in.vol(plan.NeededDrain)))
	}
	for _, w := range plan.Warnings {
		r.Warnings = append(r.Warnings, map[coolant.Warning]string{
			coolant.WarnThin:      "Below 40 % the inhibitors are thin.",
			coolant.WarnThick:     "Above 60 % cooling worsens.",
			coolant.WarnStrong:    "What is inside is stronger than the eutectic: thinning it protects better.",
			coolant.WarnManyTimes: "More than three passes: empty it as far as it goes instead.",
		}[w])
	}
	if len(plan.Passes) > 0 {
		r.Warnings = append(r.Warnings, "Warm it through so that it mixes, let it cool, and test again: that was the point of the work.")
	}
	if with == "concentrate" && in.text("content") == "" && len(plan.Passes) > 0 {
		r.Warnings = append(r.Warnings, labelWarning)
	}
	r.Lines = append(r.Lines, Line{"target", percent(goal)})
	if freeze, err := last.FreezePoint(); night != nil && err == nil {
		r.Lines = append(r.Lines, Line{"margin on the coldest night", in.difference(*night - float64(freeze))})
		if *night < float64(freeze) {
			r.Warnings = append([]string{"Even so it freezes on the coldest night."}, r.Warnings...)
		}
	}
	r.Curve = in.curve(base, markAt(base, last.MassFraction()), night)
	return r
}

// neededProduct is which product would reach the target in one pass.
func (in *inputs) neededProduct(plan coolant.Correction, stronger bool) string {
	switch {
	case math.IsNaN(plan.NeededGlycol):
		return "No product does it in one pass either: drain more first."
	case stronger:
		return fmt.Sprintf("A product with at least %s of glycol by volume is needed.", percent(plan.NeededGlycol))
	}
	return fmt.Sprintf("A product with at most %s of glycol by volume, or water, is needed.", percent(plan.NeededGlycol))
}

func again() Question {
	return Question{Name: "again", Title: "What does one more drain-and-fill do?",
		Fields: []Field{
			{Name: "base", Label: "glycol", Options: bases, Initial: "EG"},
			{Name: "capacity", Label: "system holds", Of: measure.Volume, Initial: "5.5 L"},
			{Name: "drained", Label: "one drain takes", Of: measure.Volume, Initial: "3.8 L"},
			{Name: "passes", Label: "how many times", Initial: "1"},
			{Name: "age", Label: "age now, months", Initial: "36"},
			strengthField("strength", "strength now", "45 %"),
			strengthField("new", "filled with", "50 %"),
			{Name: "counts", Label: "counts as renewal from", Initial: "60 %", Hint: "replaced, by the plan"},
		},
		answer: func(in *inputs) Result {
			base := in.base("base")
			capacity := in.within("capacity", measure.Volume, 0.1, 10_000)
			drained := in.within("drained", measure.Volume, 0.01, capacity)
			passes := in.within("passes", measure.Plain, 1, 20)
			age := in.within("age", measure.Plain, 0, 1200)
			now, fresh := in.strength("strength", base), in.strength("new", base)
			counts := in.within("counts", measure.Share, 1, 100) / 100
			if passes != float64(int(passes)) {
				in.refuse("passes", quoted(in.text("passes")), "a whole number from 1 to 20")
			}
			if in.failed() {
				return Result{}
			}
			nowVolume, err1 := coolant.VolumeFraction(base, now)
			newVolume, err2 := coolant.VolumeFraction(base, fresh)
			inside, err3 := coolant.Pour(base, measure.Litre(capacity), nowVolume)
			litre, err4 := coolant.Pour(base, 1, newVolume)
			if err := firstOf(err1, err2, err3, err4); err != nil {
				in.bad("strength", err)
				return Result{}
			}
			after, err := coolant.DrainAndFill(coolant.System{Charge: inside, Capacity: measure.Litre(capacity), AgeDays: age}, measure.Litre(drained), litre, int(passes))
			if err != nil {
				in.bad("drained", err)
				return Result{}
			}
			r := Result{}
			ratio := drained / capacity
			for i, s := range after {
				freeze, err := s.Charge.FreezePoint()
				if err != nil {
					in.bad("new", err)
					return Result{}
				}
				r.Lines = append(r.Lines, Line{fmt.Sprintf("after %d", i+1), fmt.Sprintf("%s new, mean age %.1f months, %s, freezes at %s",
					percent(coolant.ReplacedFraction(ratio, i+1)), s.AgeDays, percent(s.Charge.VolumeFraction()), in.temp(freeze))})
			}
			last := after[len(after)-1]
			replaced := coolant.ReplacedFraction(ratio, len(after))
			verdict := "That does not count as a renewal"
			if replaced >= counts {
				verdict = "That counts as a renewal"
			}
			r.Headline = fmt.Sprintf("%s is new. %s (from %s).", percent(replaced), verdict, percent(counts))
			r.Steps = []Step{
				{What: "replaced", Formula: "1 − (1 − r)ⁿ", Numbers: fmt.Sprintf("r = %s / %s = %.3f, n = %d", in.vol(measure.Litre(drained)), in.vol(measure.Litre(capacity)), ratio, len(after)), Source: sourceTrade},
				{What: "mean age", Formula: "volume-weighted: old litres × their age / all litres", Numbers: fmt.Sprintf("%.0f months → %.1f months", age, last.AgeDays), Source: sourceMass},
			}
			r.Curve = in.curve(base, markAt(base, last.Charge.MassFraction()), nil)
			return r
		}}
}
