package sums

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

var flagWords = map[coolant.Flag]string{
	coolant.FlagWrongScale:  "Read on the scale of the other glycol: what it shows is not what is inside.",
	coolant.FlagBaseUnknown: "Nobody knows which glycol is inside: the scale may be the wrong one. Do not write this down as a test.",
	coolant.FlagHydroPG:     "A floating tester gives no strength of PG: its density hardly rises with its strength and then falls again. Use a refractometer.",
	coolant.FlagHot:         "The sample is outside what this instrument makes up for: let it cool and read again.",
	coolant.FlagZeroOff:     "It reads off zero on purified water; that is made up for here. Set it to zero.",
	coolant.FlagZeroFar:     "It is far off zero on purified water: set it to zero and read again.",
	coolant.FlagZeroOld:     "Its zero was last checked more than a month ago.",
	coolant.FlagZeroUnknown: "No zero check is written down: a drop of purified water must read the 0 °C (32 °F) line.",
	coolant.FlagExpired:     "The strip is past its date.",
	coolant.FlagLate:        "The strip was read too late.",
	coolant.FlagBeyond:      "Beyond what the tables know.",
	coolant.FlagTooStrong:   "Beyond the strong end of the scale: more glycol than protects best. Dilute and test again.",
}

var refractometers = []string{"freeze", "percent", "brix"}

func tester() Question {
	return Question{Name: "reading", Title: "What does this tester reading mean?",
		Fields: []Field{
			{Name: "instrument", Label: "instrument", Initial: "freeze", Options: []Option{{"freeze", "refractometer, °C/°F"}, {"percent", "refractometer, %"},
				{"brix", "refractometer, °Bx"}, {"hydrometer", "hydrometer"}, {"discs", "floating discs"}, {"strip", "test strip"}}},
			{Name: "inside", Label: "glycol inside", Initial: "EG", Options: append([]Option{{"unknown", "nobody knows"}}, bases...), ShownBy: "instrument", ShownFor: []string{"freeze", "percent", "brix", "hydrometer"}},
			{Name: "scale", Label: "scale that was read", Options: bases, Initial: "EG", ShownBy: "instrument", ShownFor: []string{"freeze", "percent"}},
			{Name: "freeze", Label: "line", Initial: "-30 C", ShownBy: "instrument", ShownFor: []string{"freeze"}},
			{Name: "percent", Label: "line, %", Initial: "45 %", ShownBy: "instrument", ShownFor: []string{"percent"}},
			{Name: "brix", Label: "line, °Bx", Initial: "30", ShownBy: "instrument", ShownFor: []string{"brix"}},
			{Name: "density", Label: "relative density", Initial: "1.06", ShownBy: "instrument", ShownFor: []string{"hydrometer"}},
			{Name: "sample", Label: "sample at", Initial: "20 C", ShownBy: "instrument", ShownFor: []string{"freeze", "percent", "brix", "hydrometer"}},
			{Name: "compensated", Label: "makes up for temperature", Options: yesNo, Initial: "yes", ShownBy: "instrument", ShownFor: refractometers},
			{Name: "zero", Label: "reads on purified water", Initial: "0", Hint: "on its own line", Optional: true, ShownBy: "instrument", ShownFor: refractometers},
			{Name: "checked", Label: "zero checked, days ago", Hint: "empty: not written down", Optional: true, ShownBy: "instrument", ShownFor: refractometers},
			{Name: "chart", Label: "its chart, one disc first", Initial: "-7; -15; -23; -30; -37; -45", Hint: "in °C", ShownBy: "instrument", ShownFor: []string{"discs"}},
			{Name: "floating", Label: "discs that float", Initial: "3", ShownBy: "instrument", ShownFor: []string{"discs"}},
			{Name: "warm", Label: "band from", Initial: "-20 C", ShownBy: "instrument", ShownFor: []string{"strip"}},
			{Name: "cold", Label: "band to", Initial: "-30 C", ShownBy: "instrument", ShownFor: []string{"strip"}},
			{Name: "spoilt", Label: "the strip was", Initial: "good", Options: []Option{{"good", "in date, read in time"}, {"expired", "out of date"}, {"late", "read too late"}}, ShownBy: "instrument", ShownFor: []string{"strip"}},
		},
		answer: answerTester}
}

func answerTester(in *inputs) Result {
	instrument := in.choice("instrument")
	inside := coolant.Base(in.choice("inside"))
	var reading coolant.Reading
	var err error
	field, source := instrument, ""
	switch instrument {
	case "hydrometer":
		density := in.within("density", measure.Plain, 0.98, 1.12)
		sample := in.within("sample", measure.Temperature, -10, 100)
		if in.failed() {
			return Result{}
		}
		field, source = "density", "density table of EG in water at 20 °C with its fall by temperature, handbooks, recalled from memory; ±0.004 in density"
		reading, err = coolant.ReadHydrometer(density, measure.Celsius(sample), inside)
	case "discs":
		field, source = "chart", "the tester's own chart; a step is a bracket, not a point"
		reading, err = in.discs(inside)
	case "strip":
		warm, cold := in.within("warm", measure.Temperature, -80, 0), in.within("cold", measure.Temperature, -80, 0)
		spoilt := in.choice("spoilt")
		if in.failed() {
			return Result{}
		}
		field, source = "cold", "the band on the bottle"
		reading, err = coolant.ReadStrip(measure.Celsius(warm), measure.Celsius(cold), spoilt == "expired", spoilt == "late")
	default:
		source = "refractive indices of EG, PG and sucrose in water at 20 °C, CRC Handbook and ICUMSA, recalled from memory; method as in ASTM D3321"
		reading, err = in.refractometer(instrument, inside)
	}
	if in.failed() {
		return Result{}
	}
	if err != nil {
		in.bad(field, err)
		return Result{}
	}
	return in.wordReading(reading, instrument, inside, source)
}

func (in *inputs) refractometer(kind string, inside coolant.Base) (coolant.Reading, error) {
	m := coolant.Refractometer{Kind: coolant.ScaleKind(kind), Scale: in.base("scale"), Inside: inside, Compensated: in.yes("compensated")}
	zeroOf := measure.Plain
	switch kind {
	case "freeze":
		m.Value, zeroOf = in.within("freeze", measure.Temperature, -60, 0), measure.Temperature
	case "percent":
		m.Value = in.within("percent", measure.Share, 0, 70)
	case "brix":
		m.Value = in.within("brix", measure.Plain, 0, 50)
	}
	sample := measure.Celsius(in.within("sample", measure.Temperature, -40, 130))
	m.Sample = &sample
	if m.Zero = in.optional("zero", zeroOf, -5, 5); kind == "brix" && m.Inside == "unknown" {
		m.Scale = coolant.EG
	}
	m.ZeroDays = in.optional("checked", measure.Plain, 0, 10_000)
	if in.failed() {
		return coolant.Reading{}, nil
	}
	return m.Read()
}

func (in *inputs) discs(inside coolant.Base) (coolant.Reading, error) {
	var chart []measure.Celsius
	for item := range strings.SplitSeq(in.text("chart"), ";") {
		r, err := measure.Parse(item, measure.Temperature, measure.DegC)
		if err != nil {
			in.fault("chart", quoted(item), "temperatures, one disc first, such as -7; -15; -23")
			return coolant.Reading{}, nil
		}
		c, err := r.Metric(measure.Temperature)
		if err != nil {
			return coolant.Reading{}, err
		}
		chart = append(chart, measure.Celsius(c))
	}
	n := in.within("floating", measure.Plain, 0, float64(len(chart)))
	if n != float64(int(n)) {
		in.fault("floating", quoted(in.text("floating")), "a whole number")
	}
	if in.failed() {
		return coolant.Reading{}, nil
	}
	return coolant.ReadDiscs(chart, int(n), inside)
}

func (in *inputs) wordReading(m coolant.Reading, instrument string, inside coolant.Base, source string) Result {
	r := Result{}
	for _, f := range m.Flags {
		r.Warnings = append(r.Warnings, flagWords[f])
	}
	switch {
	case m.NoHint:
		r.Headline = "This reading is not usable."
		if slices.Contains(m.Flags, coolant.FlagTooStrong) {
			r.Headline = "Too strong: dilute and test again."
		}
		r.Lines = []Line{{"to be written down", "no"}}
		r.Steps = []Step{{What: instrument, Formula: "no sum can be made of it", Source: source}}
		return r
	case m.Shown != nil:
		r.Headline = fmt.Sprintf("It shows %s; what is inside freezes at about %s.", in.temp(*m.Shown), in.temp(m.Freeze))
	case instrument == "discs" || instrument == "strip":
		r.Headline = fmt.Sprintf("Protected to %s, perhaps to %s.", in.temp(m.High), in.temp(m.Low))
	case m.Refused:
		r.Headline = fmt.Sprintf("If this were right it would freeze at %s. Read it again.", in.temp(m.Freeze))
	default:
		r.Headline = fmt.Sprintf("Freezes at %s, give or take %s.", in.temp(m.Freeze), in.difference(float64(m.High-m.Low)/2))
	}
	r.Lines = []Line{{"freeze point", in.temp1(m.Freeze)}, {"between", in.temp1(m.High) + " and " + in.temp1(m.Low)}}
	accepted := "yes"
	if m.Refused {
		accepted = "no"
	}
	r.Lines = append(r.Lines, Line{"to be written down", accepted})
	r.Steps = []Step{{What: instrument, Formula: "reading → mass fraction of glycol → freeze point", Numbers: in.temp1(m.Freeze), Source: source},
		{What: "freeze point", Formula: "table of the glycol in water, by mass", Numbers: in.temp1(m.Freeze), Source: sourceTables}}
	base := inside
	if !base.Known() {
		base = coolant.EG
	}
	if mass, err := coolant.MassFor(base, m.Freeze); err == nil {
		mark := markAt(base, mass)
		mark.Low, mark.High = float64(m.Low), float64(m.High)
		r.Curve = in.curve(base, mark, nil)
	}
	return r
}

func technologies() []Option {
	var all []Option
	for _, t := range coolant.Technologies {
		all = append(all, Option{string(t), string(t)})
	}
	return all
}

func chemistry() Question {
	looks := []Option{{"", "not looked at"}}
	for _, l := range coolant.Looks {
		looks = append(looks, Option{string(l), string(l)})
	}
	return Question{Name: "chemistry", Title: "Is its chemistry still good?",
		Fields: []Field{
			{Name: "technology", Label: "technology", Options: technologies(), Initial: "OAT"},
			{Name: "liners", Label: "wet-liner diesel", Options: yesNo, Initial: "no"},
			{Name: "ph", Label: "pH", Initial: "8.4", Optional: true},
			{Name: "reserve", Label: "reserve alkalinity, mL", Optional: true},
			{Name: "nitrite", Label: "nitrite, ppm", Optional: true, ShownBy: "liners", ShownFor: []string{"yes"}},
			{Name: "molybdate", Label: "molybdate, ppm", Optional: true, ShownBy: "liners", ShownFor: []string{"yes"}},
			{Name: "stray", Label: "stray voltage", Initial: "0.1 V", Hint: "coolant to battery ground", Optional: true},
			{Name: "look", Label: "look", Options: looks, Initial: ""},
			{Name: "earlier", Label: "earlier pH, oldest first", Hint: "such as 2024-05-01 8.9; 2025-05-01 8.6; 2026-05-01 8.4", Optional: true},
		},
		answer: answerChemistry}
}

func answerChemistry(in *inputs) Result {
	s := coolant.Sample{Technology: coolant.Technology(in.choice("technology")), WetLiners: in.yes("liners"), Look: coolant.Look(in.choice("look")),
		PH: in.optional("ph", measure.Plain, 0, 14), Reserve: in.optional("reserve", measure.Plain, 0, 50), Nitrite: in.optional("nitrite", measure.Plain, 0, 20_000),
		Molybdate: in.optional("molybdate", measure.Plain, 0, 20_000), Stray: in.optional("stray", measure.Voltage, -5, 5)}
	trend := in.dated("earlier")
	if in.failed() {
		return Result{}
	}
	if s.Stray != nil && *s.Stray < 0 {
		*s.Stray = -*s.Stray
	}
	grade, properties := coolant.Judge(s)
	r := Result{Headline: map[coolant.Grade]string{coolant.GradeGood: "Its chemistry is good.", coolant.GradeSoft: "Watch it, and test again soon.",
		coolant.GradeBad: "Renew it, or find the cause.", coolant.GradeUnknown: "Nobody can tell: something that matters was not tested."}[grade]}
	for _, p := range properties {
		text := string(p.Grade)
		if p.Property != coolant.PropLook && p.Grade != coolant.GradeUnknown {
			text = fmt.Sprintf("%g: %s", p.Value, p.Grade)
		}
		if p.Grade == coolant.GradeUnknown {
			text = "not tested"
		}
		r.Lines = append(r.Lines, Line{string(p.Property), text})
		if p.Property != coolant.PropLook {
			r.Steps = append(r.Steps, Step{What: string(p.Property), Formula: "good inside the inner, bad outside the outer limits", Numbers: limits(p.Limit),
				Source: "pH: ASTM D3306, recalled from memory, in service common practice; the others common practice"})
		}
	}
	if limit, ok := coolant.Limits(coolant.PropPH, s.Technology, s.WetLiners); ok && len(trend) > 0 {
		if days, ok := coolant.DaysToLimit(trend, limit.Least); ok {
			r.Lines = append(r.Lines, Line{"pH at its limit", fmt.Sprintf("in about %.0f months", days/30.4)})
			r.Steps = append(r.Steps, Step{What: "trend of pH", Formula: "straight line of least squares carried on to the limit", Numbers: fmt.Sprintf("%d values, limit %g → %.0f days after the last", len(trend), limit.Least, days), Source: sourceTrade})
		} else {
			r.Lines = append(r.Lines, Line{"pH at its limit", "no trend towards it, or fewer than three values"})
		}
	}
	return r
}

func limits(l coolant.Limit) string {
	side := func(v float64) string {
		if v > 1e6 || v < -1e6 {
			return "none"
		}
		return strconv.FormatFloat(v, 'g', -1, 64)
	}
	return fmt.Sprintf("outer %s to %s, inner %s to %s", side(l.Least), side(l.Most), side(l.SoftLeast), side(l.SoftMost))
}

// dated values from "2024-05-01 8.9; 2025-05-01 8.6".
func (in *inputs) dated(name string) []coolant.Dated {
	var all []coolant.Dated
	for item := range strings.SplitSeq(in.text(name), ";") {
		words := strings.Fields(item)
		if len(words) == 0 {
			continue
		}
		day, err1 := time.Parse(time.DateOnly, words[0])
		value, err2 := measure.Parse(words[len(words)-1], measure.Plain, measure.One)
		if err1 != nil || err2 != nil || len(words) != 2 {
			in.fault(name, quoted(item), "days with values, such as 2024-05-01 8.9; 2025-05-01 8.6")
			return nil
		}
		all = append(all, coolant.Dated{Day: float64(day.Unix()) / 86400, Value: value.Value})
	}
	return all
}

var whyWords = map[coolant.Why]string{
	coolant.WhySame:        "Same glycol, same technology.",
	coolant.WhyNamed:       "Its maker names what is inside as compatible.",
	coolant.WhyWater:       "Purified water thins it and harms nothing; write it down.",
	coolant.WhyBase:        "The other glycol: no table tells what a mixture protects to.",
	coolant.WhyTechnology:  "Other inhibitors: they may spend one another. The dye's colour proves nothing.",
	coolant.WhyUniversal:   "“Universal” is safe only after a full flush.",
	coolant.WhySilicate:    "This system's seals want a silicate-free coolant.",
	coolant.WhyAluminium:   "Conventional inhibitors on aluminium: ask the maker.",
	coolant.WhyLiners:      "For wet liners the engine maker's list decides: approved is what meets D6210, or D4985 with SCA, or is on that list.",
	coolant.WhyWaterless:   "Waterless coolant bears nothing else, water least of all.",
	coolant.WhyPremixOnly:  "This system takes premix only.",
	coolant.WhyPremixThin:  "Premix is never thinned with water.",
	coolant.WhyAircraft:    "The aircraft's approved maintenance data and a licensed signatory decide.",
	coolant.WhyUnknownFill: "Nobody knows what is inside.",
	coolant.WhyUnknownNew:  "Nobody knows what is in the can.",
}

func mayPour() Question {
	forms := []Option{{"premix", "premix"}, {"concentrate", "concentrate"}}
	unknown := Option{"", "nobody knows"}
	withUniversal := append(append([]Option{unknown}, technologies()...), Option{string(coolant.Universal), "universal"})
	return Question{Name: "mix", Title: "May this go onto that?",
		Fields: []Field{
			{Name: "base", Label: "inside: glycol", Options: append([]Option{unknown}, bases...), Initial: "EG"},
			{Name: "technology", Label: "inside: technology", Options: withUniversal, Initial: "OAT"},
			{Name: "form", Label: "inside: filled from", Options: forms, Initial: "concentrate"},
			{Name: "add", Label: "to add", Initial: "premix", Options: append(forms, Option{"water", "purified water"})},
			{Name: "addbase", Label: "to add: glycol", Options: append([]Option{unknown}, bases...), Initial: "EG", ShownBy: "add", ShownFor: []string{"premix", "concentrate"}},
			{Name: "addtech", Label: "to add: technology", Options: withUniversal, Initial: "Si-OAT", ShownBy: "add", ShownFor: []string{"premix", "concentrate"}},
			{Name: "named", Label: "its maker names what is inside", Options: yesNo, Initial: "no", ShownBy: "add", ShownFor: []string{"premix", "concentrate"}},
			{Name: "silicatefree", Label: "seals want it silicate-free", Options: yesNo, Initial: "no"},
			{Name: "aluminium", Label: "aluminium radiator or block", Options: yesNo, Initial: "no"},
			{Name: "liners", Label: "wet-liner diesel", Options: yesNo, Initial: "no"},
			{Name: "premixonly", Label: "takes premix only", Options: yesNo, Initial: "no"},
			{Name: "aircraft", Label: "aircraft", Options: yesNo, Initial: "no"},
		},
		answer: func(in *inputs) Result {
			inside := coolant.Product{Base: coolant.Base(in.choice("base")), Technology: in.choice("technology"), Form: coolant.Form(in.choice("form"))}
			add := coolant.Poured{Product: coolant.Product{Code: "to add", Form: coolant.Form(in.choice("add"))}}
			if add.Form != coolant.Water {
				add.Base, add.Technology = coolant.Base(in.choice("addbase")), in.choice("addtech")
				if in.yes("named") {
					add.NamedFor = []coolant.Technology{coolant.Technology(inside.Technology)}
				}
			}
			needs := coolant.Needs{SilicateFree: in.yes("silicatefree"), Aluminium: in.yes("aluminium"), WetLiners: in.yes("liners"), PremixOnly: in.yes("premixonly"), Aircraft: in.yes("aircraft")}
			if in.failed() {
				return Result{}
			}
			j := coolant.TopUp(inside, add, needs)
			r := Result{Headline: map[coolant.Answer]string{coolant.AnswerYes: "Yes, as a top-up.", coolant.AnswerFlush: "Only after a full flush.",
				coolant.AnswerNever: "Never in this system.", coolant.AnswerUnknown: "Unknown, which is not yes."}[j.Answer]}
			for _, w := range j.Reasons {
				r.Lines = append(r.Lines, Line{"because", whyWords[w]})
				r.Steps = append(r.Steps, Step{What: "rule", Formula: whyWords[w], Numbers: "", Source: sourceTrade + "; the maker's manual overrides it"})
			}
			return r
		}}
}
