package sums

import "diligentledger/api"

// Contract is the answer as the contract has it.
func (r Result) Contract() api.Answer {
	read := convert(r.Read, func(l Line) api.AnswerLine { return api.AnswerLine(l) })
	out := api.Answer{Headline: r.Headline, Read: &read, Warnings: append([]string{}, r.Warnings...),
		Lines: convert(r.Lines, func(l Line) api.AnswerLine { return api.AnswerLine(l) }),
		Steps: convert(r.Steps, func(s Step) api.SumStep {
			return api.SumStep{What: s.What, Formula: s.Formula, Numbers: s.Numbers, Source: s.Source}
		})}
	if c := r.Curve; c != nil {
		point := func(p Point) api.CurvePoint { return api.CurvePoint(p) }
		out.Curve = &api.Curve{Base: c.Base, Unit: c.Unit, Freeze: convert(c.Freeze, point), Boil: convert(c.Boil, point), Night: c.Night}
		if c.At != nil {
			out.Curve.At = &api.CurveMark{Percent: c.At.Percent, Temperature: c.At.Temperature, Low: c.At.Low, High: c.At.High}
		}
	}
	return out
}

func convert[A, B any](in []A, f func(A) B) []B {
	out := make([]B, len(in))
	for i, a := range in {
		out[i] = f(a)
	}
	return out
}
