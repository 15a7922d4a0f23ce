package sums

import (
	"fmt"
	"strconv"
	"strings"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
	"diligentledger/internal/words"
)

const sourceLimits = "ASTM D6210 and D3306, else common practice; the product's and the maker's figures override them"

var metals = []Option{{"", "not known"}, {string(coolant.Iron), "iron"}, {string(coolant.Aluminium), "aluminium"}}

func basesOf(all []coolant.Basis) []Option {
	var options []Option
	for _, b := range all {
		options = append(options, Option{string(b), string(b)})
	}
	return options
}

func chemistry() Question {
	looks := []Option{{"", "not inspected"}}
	for _, l := range coolant.Appearances {
		looks = append(looks, Option{string(l), string(l)})
	}
	unknown := append([]Option{{"", "not known"}}, technologies()...)
	return Question{Name: "chemistry", Title: "Is its chemistry still good?",
		Fields: []Field{
			{Name: "technology", Label: "technology", Options: unknown, Initial: "OAT"},
			{Name: "liners", Label: "wet-liner diesel", Options: yesNo, Initial: "no"},
			{Name: "metal", Label: "metal", Options: metals, Initial: ""},
			{Name: "by", Label: "tested by", Options: []Option{{"strip", "strip"}, {"laboratory", "laboratory"}}, Initial: "strip"},
			{Name: "ph", Label: "pH", Initial: "8.4", Optional: true},
			{Name: "nitrite", Label: "nitrite, ppm", Hint: "of a strip: the lower step", Optional: true},
			{Name: "nitriteto", Label: "nitrite to, ppm", Hint: "the upper step", Optional: true, ShownBy: "by", ShownFor: []string{"strip"}},
			{Name: "nitriteas", Label: "stated as", Options: basesOf(coolant.NitriteBases), Initial: string(coolant.AsNO2), ShownBy: "by", ShownFor: []string{"laboratory"}},
			{Name: "molybdate", Label: "molybdate, ppm", Optional: true},
			{Name: "molybdateas", Label: "stated as", Options: basesOf(coolant.MolybdateBases), Initial: string(coolant.AsMoO4), ShownBy: "by", ShownFor: []string{"laboratory"}},
			{Name: "reserve", Label: "reserve, mL", Optional: true, ShownBy: "by", ShownFor: []string{"laboratory"}},
			{Name: "fresh", Label: "when new, mL", Optional: true, ShownBy: "by", ShownFor: []string{"laboratory"}},
			{Name: "strayoff", Label: "stray, all off", Initial: "0.1 V", Hint: "to battery ground", Optional: true},
			{Name: "straycranking", Label: "stray, cranking", Optional: true},
			{Name: "strayloads", Label: "stray, loads on", Optional: true},
			{Name: "look", Label: "appearance", Options: looks, Initial: ""},
			{Name: "earlier", Label: "earlier pH, oldest first", Hint: "such as 2024-05-01 8.9; 2025-05-01 8.6; 2026-05-01 8.4", Optional: true},
		},
		answer: answerChemistry}
}

// band of a figure and the upper end of its step, as NO₂ or MoO₄.
func (in *inputs) band(low, high, as string, most float64) *coolant.Band {
	v := in.optional(low, measure.Plain, 0, most)
	if v == nil {
		return nil
	}
	b := coolant.ExactBand(*v)
	if high != "" {
		if to := in.optional(high, measure.Plain, *v, most); to != nil {
			b.High = *to
		}
	}
	if as != "" {
		factor, _ := coolant.Basis(in.choice(as)).Factor() // of the options
		*b = b.Times(factor)
	}
	return b
}

func answerChemistry(in *inputs) Result {
	s := coolant.Sample{Technology: coolant.Technology(in.choice("technology")), WetLiners: in.yes("liners"), Metal: coolant.Metal(in.choice("metal")),
		Appearance: coolant.Appearance(in.choice("look")), PH: in.band("ph", "", "", 14), Nitrite: in.band("nitrite", "nitriteto", "nitriteas", 20_000),
		Molybdate: in.band("molybdate", "", "molybdateas", 20_000), Reserve: in.optional("reserve", measure.Plain, 0, 60),
		StrayOff: in.optional("strayoff", measure.Voltage, -24, 24), StrayCranking: in.optional("straycranking", measure.Voltage, -24, 24), StrayLoads: in.optional("strayloads", measure.Voltage, -24, 24)}
	if fresh := in.optional("fresh", measure.Plain, 0.1, 60); fresh != nil {
		s.Fresh = *fresh
	}
	trend := in.dated("earlier")
	if in.failed() {
		return Result{}
	}
	grade, properties := coolant.Evaluate(s)
	r := Result{Headline: map[coolant.Grade]string{coolant.GradeGood: "What was tested is good.", coolant.GradeSoft: "Watch it, and test again soon.",
		coolant.GradeBad: "Not good: see what puts it right.", coolant.GradeUnknown: "Nothing was tested that decides it."}[grade]}
	var untested []string
	for _, p := range properties {
		if p.Grade == coolant.GradeUnknown && p.Remedy == "" {
			untested = append(untested, string(p.Property))
			continue
		}
		_, text, _ := strings.Cut(words.Property(p), string(p.Property))
		r.Lines = append(r.Lines, Line{string(p.Property), strings.TrimLeft(text, ": ")})
		if p.Property != coolant.PropAppearance {
			r.Steps = append(r.Steps, Step{What: string(p.Property), Formula: "good inside the inner, bad outside the outer limits", Numbers: limits(p.Bounds), Source: sourceLimits})
		}
	}
	if len(untested) > 0 {
		r.Lines = append(r.Lines, Line{"not tested", strings.Join(untested, ", ")})
	}
	if s.WetLiners && s.Nitrite == nil && coolant.ContainsNitrite(s.Technology) {
		r.Warnings = append(r.Warnings, "Wet liners: without a test of the nitrite nothing is known of their protection.")
	}
	if bounds, ok := s.Bounds(coolant.PropPH); ok && len(trend) > 0 {
		if days, ok := coolant.DaysToLimit(trend, bounds.Min); ok {
			r.Lines = append(r.Lines, Line{"pH at its limit", fmt.Sprintf("in about %.0f months", days/measure.DaysPerMonth)})
			r.Steps = append(r.Steps, Step{What: "trend of pH", Formula: "straight line of least squares carried on to the limit", Numbers: fmt.Sprintf("%d values, limit %g → %.0f days after the last", len(trend), bounds.Min, days), Source: sourceTrade})
		} else {
			r.Lines = append(r.Lines, Line{"pH at its limit", "no trend towards it, or fewer than three values"})
		}
	}
	return r
}

func limits(l coolant.Bounds) string {
	side := func(v float64) string {
		if v > 1e6 || v < -1e6 {
			return "none"
		}
		return strconv.FormatFloat(v, 'g', -1, 64)
	}
	return fmt.Sprintf("outer %s to %s, inner %s to %s", side(l.Min), side(l.Max), side(l.WatchMin), side(l.WatchMax))
}

func dose() Question {
	return Question{Name: "dose", Title: "How much additive?",
		Fields: []Field{
			{Name: "technology", Label: "technology", Options: []Option{{"IAT", "IAT, treated with SCA"}, {"NOAT", "NOAT, with extender"}}, Initial: "IAT"},
			{Name: "charge", Label: "coolant inside", Of: measure.Volume, Initial: "30 L"},
			{Name: "nitrite", Label: "nitrite now, ppm", Initial: "600"},
			{Name: "nitriteas", Label: "stated as", Options: basesOf(coolant.NitriteBases), Initial: string(coolant.AsNO2)},
			{Name: "holds", Label: "additive holds, g NO₂ in a litre", Initial: "90"},
		},
		answer: answerDose}
}

func answerDose(in *inputs) Result {
	s := coolant.Sample{Technology: coolant.Technology(in.choice("technology")), WetLiners: true}
	litres := in.within("charge", measure.Volume, 0.1, 2000)
	s.Nitrite = in.band("nitrite", "", "nitriteas", 20_000)
	holds := in.within("holds", measure.Plain, 1, 1000)
	if s.Nitrite == nil {
		in.refuse("nitrite", quoted(in.text("nitrite")), "the last test: a charge that was not tested is not dosed")
	}
	if in.failed() {
		return Result{}
	}
	charge, err := coolant.Pour(coolant.EG, measure.Litre(litres), 0.5)
	if err != nil {
		in.bad("charge", err)
		return Result{}
	}
	_, properties := coolant.Evaluate(s)
	now, target, most := s.Nitrite.High, s.NitriteTarget(), s.NitriteMost()
	additive := coolant.Additive{Nitrite: holds}
	r := Result{}
	for _, p := range properties {
		if p.Property == coolant.PropNitrite {
			r.Lines = append(r.Lines, Line{"nitrite", strings.TrimPrefix(words.Property(p), "nitrite ")})
		}
	}
	numbers := fmt.Sprintf("%.1f kg of coolant, %.0f → %.0f ppm", float64(charge.Mass()), now, target)
	if now > target {
		drain, _ := coolant.DilutionFor(measure.Litre(litres), now, target, 0)
		r.Headline = "Dose nothing."
		r.Lines = append(r.Lines, Line{"to bring it to the middle of its range", "drain " + in.vol(drain) + " and fill with the mix without additive"})
		r.Steps = []Step{{What: "dilution", Formula: "V · (now − target) / (now − refill)", Numbers: numbers, Source: sourceMass + "; " + sourceLimits}}
		return r
	}
	d, limit := coolant.DoseFor(additive, charge.Mass(), now, target), coolant.DoseFor(additive, charge.Mass(), now, most)
	r.Headline = fmt.Sprintf("Dose %s; never more than %s.", in.vol(d), in.vol(limit))
	if s.Nitrite.Low >= coolant.ExactBand(target).Low {
		r.Headline = "Dose nothing: it is in the middle of its range."
	}
	r.Lines = append(r.Lines, Line{"reaches", fmt.Sprintf("%.0f ppm NO₂", target)}, Line{"drops out above", fmt.Sprintf("%.0f ppm NO₂", most)})
	r.Steps = []Step{{What: "dose", Formula: "mass of coolant · (target − now) / nitrite in a litre of additive", Numbers: numbers + fmt.Sprintf(", %.0f g in a litre", holds), Source: sourceMass + "; " + sourceLimits}}
	r.Warnings = append(r.Warnings, "Make room first: drain as much as is poured. Warm it through, and test the nitrite again.")
	return r
}

func water() Question {
	return Question{Name: "water", Title: "Is this water fit for mixing?",
		Fields: []Field{
			{Name: "hardness", Label: "hardness, ppm", Initial: "120", Hint: "as CaCO₃", Optional: true},
			{Name: "chloride", Label: "chloride, ppm", Initial: "20", Optional: true},
			{Name: "sulphate", Label: "sulphate, ppm", Initial: "40", Optional: true},
			{Name: "solids", Label: "dissolved solids, ppm", Initial: "200", Optional: true},
		},
		answer: func(in *inputs) Result {
			r := Result{Headline: "Fit for mixing."}
			tested, failed := 0, 0
			var untested []string
			for _, name := range []string{"hardness", "chloride", "sulphate", "solids"} {
				v := in.optional(name, measure.Plain, 0, 100_000)
				limit, _ := coolant.FindLimit("water_" + name) // of the table
				label := strings.TrimSuffix(in.field(name).Label, ", ppm")
				if v == nil {
					untested = append(untested, label)
					continue
				}
				tested++
				text := fmt.Sprintf("%g of at most %g ppm", *v, limit.Value)
				if *v > limit.Value {
					failed++
					text += ": too much"
				}
				r.Lines = append(r.Lines, Line{label, text})
				r.Steps = append(r.Steps, Step{What: label, Formula: "at most", Numbers: fmt.Sprintf("%g ppm", limit.Value), Source: limit.Source})
			}
			switch {
			case in.failed():
				return Result{}
			case failed > 0:
				r.Headline = "Not fit: use purified water."
			case tested == 0:
				r.Headline = "Not tested: use purified water."
			case len(untested) > 0:
				r.Headline = "What was tested is within limits; the rest is not known: use purified water."
			}
			if len(untested) > 0 {
				r.Lines = append(r.Lines, Line{"not tested", strings.Join(untested, ", ")})
			}
			return r
		}}
}
