package sums

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

var flagWords = map[coolant.Flag]string{
	coolant.FlagWrongScale:  "Read on the scale of the other glycol: what it shows is not what is inside.",
	coolant.FlagBaseUnknown: "Which glycol is inside is not known: the scale may be the wrong one. Do not record this as a test.",
	coolant.FlagHydroPG:     "A floating tester gives no strength of PG: its density hardly rises with its strength and then falls again. Use a refractometer.",
	coolant.FlagHot:         "The sample is outside the temperature compensation of this instrument: let it cool and read again.",
	coolant.FlagZeroOff:     "It reads off zero on purified water; that is made up for here. Set it to zero.",
	coolant.FlagZeroFar:     "It is far off zero on purified water: set it to zero and read again.",
	coolant.FlagZeroOld:     "Its zero was last checked more than a month ago.",
	coolant.FlagZeroUnknown: "No zero check is recorded: a drop of purified water must read the 0 °C (32 °F) line.",
	coolant.FlagExpired:     "The strip is past its date.",
	coolant.FlagLate:        "The strip was read too late.",
	coolant.FlagBeyond:      "Beyond what the tables know.",
	coolant.FlagTooStrong:   "Beyond the strong end of the scale: more glycol than protects best. Mix one part of the sample with one part of purified water and read again.",
}

var refractometers = []string{"freeze", "percent", "brix"}

func tester() Question {
	return Question{Name: "reading", Title: "What does this tester reading mean?",
		Fields: []Field{
			{Name: "instrument", Label: "instrument", Initial: "freeze", Options: []Option{{"freeze", "refractometer, °C/°F"}, {"percent", "refractometer, %"},
				{"brix", "refractometer, °Bx"}, {"hydrometer", "hydrometer"}, {"discs", "floating discs"}, {"strip", "test strip"}}},
			{Name: "inside", Label: "glycol inside", Initial: "EG", Options: append([]Option{{"unknown", "not known"}}, bases...), ShownBy: "instrument", ShownFor: []string{"freeze", "percent", "brix", "hydrometer"}},
			{Name: "scale", Label: "scale that was read", Options: bases, Initial: "EG", ShownBy: "instrument", ShownFor: []string{"freeze", "percent"}},
			{Name: "freeze", Label: "line", Of: measure.Temperature, Initial: "-30 C", ShownBy: "instrument", ShownFor: []string{"freeze"}},
			{Name: "percent", Label: "line, %", Initial: "45 %", ShownBy: "instrument", ShownFor: []string{"percent"}},
			{Name: "brix", Label: "line, °Bx", Initial: "30", ShownBy: "instrument", ShownFor: []string{"brix"}},
			{Name: "density", Label: "relative density", Initial: "1.06", ShownBy: "instrument", ShownFor: []string{"hydrometer"}},
			{Name: "own", Label: "product's density", Hint: "in the can, if it is stated", Optional: true, ShownBy: "instrument", ShownFor: []string{"hydrometer"}},
			{Name: "holds", Label: "product holds", Initial: "96 %", Hint: "glycol by volume", ShownBy: "instrument", ShownFor: []string{"hydrometer"}},
			{Name: "sample", Label: "sample at", Of: measure.Temperature, Initial: "20 C", ShownBy: "instrument", ShownFor: []string{"freeze", "percent", "brix", "hydrometer"}},
			{Name: "compensated", Label: "temperature-compensated", Options: yesNo, Initial: "yes", ShownBy: "instrument", ShownFor: refractometers},
			{Name: "zero", Label: "reads on purified water", Initial: "0", Hint: "on its own line", Optional: true, ShownBy: "instrument", ShownFor: refractometers},
			{Name: "checked", Label: "zero checked, days ago", Hint: "empty: not recorded", Optional: true, ShownBy: "instrument", ShownFor: refractometers},
			{Name: "chart", Label: "its chart, one disc first", Of: measure.Temperature, Shape: List, Initial: "-7 °C; -15 °C; -23 °C; -30 °C; -37 °C; -45 °C", Hint: "in your unit, or with its own", ShownBy: "instrument", ShownFor: []string{"discs"}},
			{Name: "floating", Label: "discs that float", Initial: "3", ShownBy: "instrument", ShownFor: []string{"discs"}},
			{Name: "warm", Label: "band from", Of: measure.Temperature, Initial: "-20 C", ShownBy: "instrument", ShownFor: []string{"strip"}},
			{Name: "cold", Label: "band to", Of: measure.Temperature, Initial: "-30 C", ShownBy: "instrument", ShownFor: []string{"strip"}},
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
		own := in.optional("own", measure.Plain, 1.03, 1.2)
		glycol := in.within("holds", measure.Share, 30, 100) / 100
		if in.failed() {
			return Result{}
		}
		field, source = "density", "densities of product and water mixed, with their shrinking and fall by temperature: CRC Handbook of Chemistry and Physics, density of aqueous solutions; ±0.004 in density. Concentrates differ from 1.110 to 1.145 (common practice): the warm end counts unless the product states its own"
		h := coolant.Hydrometer{Relative: density, Sample: measure.Celsius(sample), Inside: inside, Glycol: glycol}
		if own != nil {
			h.Density = *own
		}
		reading, err = h.Read()
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
		source = "refractive indices of EG, PG and sucrose in water at 20 °C, CRC Handbook of Chemistry and Physics, Concentrative Properties of Aqueous Solutions, and ICUMSA SPS-3; method as in ASTM D3321"
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
		m.Value = in.within("percent", measure.Share, 0, 100)
	case "brix":
		m.Value = in.within("brix", measure.Plain, 0, coolant.MostBrix)
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
	usual, example := in.usual(measure.Temperature), "-7; -15; -23"
	if usual == measure.DegF {
		example = "20; 5; -10, in °F"
	}
	for _, item := range listed(in.text("chart")) {
		r, err := in.parse(item, measure.Temperature, usual)
		if err != nil {
			in.refuse("chart", quoted(item), orAsked(err, "temperatures, one disc first, such as "+example))
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
		in.refuse("floating", quoted(in.text("floating")), "a whole number")
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
	case m.NotUsable:
		r.Headline = "This reading is not usable."
		if slices.Contains(m.Flags, coolant.FlagTooStrong) {
			r.Headline = "Too strong: dilute and test again."
		}
		r.Lines = []Line{{"to be recorded", "no"}}
		r.Steps = []Step{{What: instrument, Formula: "no sum can be made of it", Source: source}}
		if slices.Contains(m.Flags, coolant.FlagTooStrong) {
			r.Lines = append(r.Lines, Line{"then", "one part of the sample with one part of purified water: what the coolant has is twice the per cent that is read"})
			r.Steps = append(r.Steps, Step{What: "diluted one to one", Formula: "share in the coolant = 2 × share read, by volume (mixing shrinks by up to 2 %)", Numbers: "2 × 40 % = 80 %", Source: sourceTables})
		}
		return r
	case m.Shown != nil:
		r.Headline = fmt.Sprintf("It shows %s; what is inside freezes at about %s.", in.temp(*m.Shown), in.temp(m.Freeze))
	case instrument == "discs" || instrument == "strip" || instrument == "hydrometer" && m.Freeze == m.High:
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
	r.Lines = append(r.Lines, Line{"to be recorded", accepted})
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

// dated values from "2024-05-01 8.9; 2025-05-01 8.6".
func (in *inputs) dated(name string) []coolant.DatedValue {
	var all []coolant.DatedValue
	for item := range strings.SplitSeq(in.text(name), ";") {
		words := strings.Fields(item)
		if len(words) == 0 {
			continue
		}
		day, err1 := time.Parse(time.DateOnly, words[0])
		value, err2 := in.parse(words[len(words)-1], measure.Plain, measure.One)
		if err1 != nil || err2 != nil || len(words) != 2 {
			in.refuse(name, quoted(item), orAsked(err2, "days with values, such as 2024-05-01 8.9; 2025-05-01 8.6"))
			return nil
		}
		all = append(all, coolant.DatedValue{Day: float64(day.Unix()) / 86400, Value: value.Value})
	}
	return all
}

func mayPour() Question {
	onMix := []Option{{"EG", "EG"}, {"PG", "PG"}, {string(coolant.NoWater), "waterless"}}
	forms := []Option{{"premix", "premix"}, {"concentrate", "concentrate"}}
	unknown := Option{"", "not known"}
	withUniversal := append(append([]Option{unknown}, technologies()...), Option{string(coolant.Universal), "universal"})
	return Question{Name: "mix", Title: "May this go onto that?",
		Fields: []Field{
			{Name: "base", Label: "inside: glycol", Options: append([]Option{unknown}, onMix...), Initial: "EG"},
			{Name: "technology", Label: "inside: technology", Options: withUniversal, Initial: "OAT"},
			{Name: "form", Label: "inside: filled from", Options: forms, Initial: "concentrate"},
			{Name: "add", Label: "to add", Initial: "premix", Options: append(forms, Option{"water", "purified water"})},
			{Name: "addbase", Label: "to add: glycol", Options: append([]Option{unknown}, onMix...), Initial: "EG", ShownBy: "add", ShownFor: []string{"premix", "concentrate"}},
			{Name: "addtech", Label: "to add: technology", Options: withUniversal, Initial: "Si-OAT", ShownBy: "add", ShownFor: []string{"premix", "concentrate"}},
			{Name: "named", Label: "named compatible", Options: yesNo, Initial: "no", ShownBy: "add", ShownFor: []string{"premix", "concentrate"}},
			{Name: "meets", Label: "the can meets", Options: []Option{{"", "nothing"}, {"D3306", "D3306"}, {"D4985", "D4985"}, {"D6210", "D6210"}}, ShownBy: "add", ShownFor: []string{"premix", "concentrate"}},
			{Name: "sca", Label: "with SCA", Options: yesNo, Initial: "no", ShownBy: "add", ShownFor: []string{"premix", "concentrate"}},
			{Name: "silicatefree", Label: "silicate-free only", Options: yesNo, Initial: "no"},
			{Name: "metal", Label: "metal", Options: metals, Initial: ""},
			{Name: "liners", Label: "wet-liner diesel", Options: yesNo, Initial: "no"},
			{Name: "listed", Label: "on the maker's list", Options: yesNo, Initial: "no", ShownBy: "add", ShownFor: []string{"premix", "concentrate"}},
			{Name: "required", Label: "its maker requires", Options: append([]Option{{"", "no technology"}}, technologies()...), Initial: ""},
			{Name: "premixonly", Label: "takes premix only", Options: yesNo, Initial: "no"},
			{Name: "strong", Label: "tested above 60 %", Options: yesNo, Initial: "no", ShownBy: "add", ShownFor: []string{"water"}},
			{Name: "aircraft", Label: "aircraft", Options: yesNo, Initial: "no"},
		},
		answer: func(in *inputs) Result {
			inside := coolant.Product{Base: coolant.Base(in.choice("base")), Technology: in.choice("technology"), Form: coolant.Form(in.choice("form"))}
			add := coolant.Product{Code: "to add", Form: coolant.Form(in.choice("add"))}
			needs := coolant.Needs{SilicateFree: in.yes("silicatefree"), Metal: coolant.Metal(in.choice("metal")), WetLiners: in.yes("liners"), PremixOnly: in.yes("premixonly"),
				Aircraft: in.yes("aircraft"), Required: coolant.Technology(in.choice("required")), OverStrong: in.yes("strong")}
			if add.Form != coolant.Water {
				add.Base, add.Technology = coolant.Base(in.choice("addbase")), in.choice("addtech")
				if meets := in.choice("meets"); meets != "" {
					add.Meets = []coolant.Standard{coolant.Standard(meets)}
				}
				add.SCA = in.yes("sca")
				if in.yes("named") {
					add.Named = []coolant.Technology{coolant.Technology(inside.Technology)}
				}
				if in.yes("listed") {
					needs.Listed = []string{add.Code}
				}
			}
			if in.failed() {
				return Result{}
			}
			j := coolant.TopUp(inside, add, needs)
			r := Result{Headline: map[coolant.Answer]string{coolant.AnswerYes: "Yes, as a top-up.", coolant.AnswerNeed: "Only in need.", coolant.AnswerFlush: "Only after a full flush.",
				coolant.AnswerNever: "Never in this system.", coolant.AnswerUnknown: "Unknown, which is not yes."}[j.Answer]}
			for _, w := range j.Reasons {
				r.Lines = append(r.Lines, Line{"because", w.Words()})
				r.Steps = append(r.Steps, Step{What: "rule", Formula: w.Words(), Numbers: "", Source: sourceTrade + "; the maker's manual overrides it"})
			}
			return r
		}}
}
