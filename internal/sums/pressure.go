package sums

import (
	"fmt"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

var capWords = map[coolant.CapVerdict]string{
	coolant.CapSound:    "The cap is sound.",
	coolant.CapUntested: "The cap has not been tested: its rating is assumed.",
	coolant.CapHalf:     "The vacuum valve has not been tested.",
	coolant.CapWorn:     "The cap opens below what a new one does, and still serves.",
	coolant.CapWeak:     "The cap opens too soon: it boils sooner. Replace it.",
	coolant.CapStuck:    "The cap opens too late: hoses and core carry the rest. Replace it.",
	coolant.CapVacuum:   "The vacuum valve is stuck: hoses collapse and nothing is drawn back. Replace the cap.",
	coolant.CapNoVacuum: "The vacuum valve leaks: the bottle is never drawn back. Replace the cap.",
	coolant.CapUnseated: "The cap was not seated: no pressure can be counted on.",
	coolant.CapBadSeal:  "The seal is dried, cracked or hard: no pressure can be counted on. Replace the cap.",
}

func boil() Question {
	return Question{Name: "boil", Title: "Will it boil?",
		Fields: []Field{
			{Name: "base", Label: "glycol", Options: bases, Initial: "EG"},
			strengthField("strength", "what is inside", "50 %"),
			{Name: "rated", Label: "cap rating", Of: measure.Pressure, Initial: "103 kPa", Hint: "0 for an open system"},
			{Name: "opened", Label: "cap opened at", Of: measure.Pressure, Hint: "on the tester", Optional: true},
			{Name: "vacuum", Label: "vacuum valve opened at", Of: measure.Pressure, Hint: "below ambient", Optional: true},
			{Name: "age", Label: "the cap is", Initial: "used", Options: []Option{{"used", "used"}, {"new", "new"}}},
			{Name: "seat", Label: "cap found", Initial: "home", Options: []Option{{"home", "seated, seal good"}, {"unseated", "not seated"}, {"seal", "seal dried or cracked"}}},
			{Name: "altitude", Label: "altitude", Of: measure.Altitude, Initial: "0 m"},
			{Name: "running", Label: "runs at", Of: measure.Temperature, Hint: "the gauge when hot", Optional: true},
		},
		answer: answerBoil}
}

func answerBoil(in *inputs) Result {
	base := in.base("base")
	mass := in.strength("strength", base)
	rated := measure.Kilopascal(in.within("rated", measure.Pressure, 0, 300))
	test := coolant.CapTest{Rated: rated, Unseated: in.choice("seat") == "unseated", BadSeal: in.choice("seat") == "seal", New: in.choice("age") == "new"}
	test.Opened = asPressure(in.optional("opened", measure.Pressure, 0, 300))
	test.Vacuum = asPressure(in.optional("vacuum", measure.Pressure, 0, 100))
	altitude := in.within("altitude", measure.Altitude, -500, 9000)
	running := in.optional("running", measure.Temperature, 0, 200)
	if in.failed() {
		return Result{}
	}
	verdicts, effective := coolant.CheckCap(test)
	at, err1 := coolant.BoilOver(base, mass, effective, altitude)
	nominal, err2 := coolant.BoilOver(base, mass, rated, altitude)
	water, err3 := coolant.BoilOver(base, 0, effective, altitude)
	ambient, err4 := coolant.AmbientPressure(altitude)
	volume, err5 := coolant.VolumeFraction(base, mass)
	if err := firstOf(err1, err2, err3, err4, err5); err != nil {
		in.bad("strength", err)
		return Result{}
	}
	r := Result{Headline: "Boils at " + in.temp(at) + ".", Lines: []Line{
		{"pressure that counts", in.pressure(ambient+effective) + " absolute"}, {"boils at", in.temp1(at)}},
		Steps: []Step{
			{What: "ambient", Formula: "101.325 kPa · (1 − 0.0065 h / 288.15 K)^5.2559", Numbers: fmt.Sprintf("h = %.0f m → %.2f kPa", altitude, float64(ambient)), Source: sourceAir},
			{What: "water", Formula: "saturation temperature at ambient + cap", Numbers: fmt.Sprintf("%.2f + %.2f kPa → %s", float64(ambient), float64(effective), in.temp1(water)), Source: sourceSteam},
			{What: "the mixture", Formula: "water's boiling point + elevation of the mixture", Numbers: fmt.Sprintf("%s by volume: + %s → %s", percent(volume), in.difference(float64(at-water)), in.temp1(at)), Source: sourceTables},
		}}
	for _, v := range verdicts {
		if v == coolant.CapSound || v == coolant.CapUntested && rated == 0 {
			continue
		}
		r.Warnings = append(r.Warnings, capWords[v])
	}
	if effective < rated {
		r.Lines = append(r.Lines, Line{"with a cap at its rating", in.temp1(nominal)}, Line{"the cap costs", in.difference(float64(nominal - at))})
	}
	if running != nil {
		spare := float64(at) - *running
		r.Lines = append(r.Lines, Line{"margin when running", in.difference(spare)})
		least, wanted := coolant.BoilLeast.Value, coolant.BoilWanted.Value
		switch {
		case spare <= 0:
			r.Headline += " It boils at that gauge: stop the engine, and never open it hot."
		case spare < least:
			r.Headline += fmt.Sprintf(" A margin of only %s: too little.", in.difference(spare))
		case spare < wanted:
			r.Headline += fmt.Sprintf(" A margin of %s: just enough.", in.difference(spare))
		default:
			r.Headline += fmt.Sprintf(" A margin of %s.", in.difference(spare))
		}
		r.Steps = append(r.Steps, Step{What: "margin", Formula: "boil-over − running temperature", Numbers: fmt.Sprintf("%s wanted, %s at the least", in.difference(wanted), in.difference(least)), Source: sourceTrade})
	}
	if test.Rated > 0 {
		r.Steps = append(r.Steps, Step{What: "cap", Formula: "a new one opens within −15 and +15 % of its rating, a used one serves down to −25 %", Numbers: fmt.Sprintf("rated %s, computed with %s", in.pressure(rated), in.pressure(effective)), Source: sourceTrade})
	}
	r.Curve = in.curve(base, markAt(base, mass), nil)
	return r
}

func asPressure(v *float64) *measure.Kilopascal {
	if v == nil {
		return nil
	}
	p := measure.Kilopascal(*v)
	return &p
}
