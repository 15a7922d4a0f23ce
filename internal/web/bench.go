package web

import (
	"context"

	"diligentledger/api"
	"diligentledger/internal/sums"
)

// ListQuestions of the Bench.
func (h handlers) ListQuestions(context.Context, api.ListQuestionsRequestObject) (api.ListQuestionsResponseObject, error) {
	return api.ListQuestions200JSONResponse(each(sums.Questions(), func(q sums.Question) api.Question {
		return api.Question{Name: q.Name, Title: q.Title, Cautions: q.Cautions(), Fields: each(q.Fields, func(f sums.Field) api.Field {
			out := api.Field{Name: f.Name, Label: f.Label, Initial: f.Initial, Optional: f.Optional,
				Options: each(f.Options, func(o sums.Option) api.Option { return api.Option{Value: o.Value, Label: o.Label} })}
			if f.Hint != "" {
				out.Hint = &f.Hint
			}
			if f.ShownBy != "" {
				out.ShownBy, out.ShownFor = &f.ShownBy, &f.ShownFor
			}
			return out
		})}
	})), nil
}

// AskBench answers a question; nothing is stored.
func (h handlers) AskBench(_ context.Context, r api.AskBenchRequestObject) (api.AskBenchResponseObject, error) {
	units := sums.Metric
	if r.Body.Units != nil {
		units = sums.Units(*r.Body.Units)
	}
	result, err := sums.Ask(r.Question, units, r.Body.Inputs)
	if err != nil {
		return nil, err
	}
	return api.AskBench200JSONResponse(answerOf(result)), nil
}

func answerOf(r sums.Result) api.Answer {
	read := each(r.Read, func(l sums.Line) api.AnswerLine { return api.AnswerLine(l) })
	out := api.Answer{Headline: r.Headline, Read: &read, Warnings: append([]string{}, r.Warnings...),
		Lines: each(r.Lines, func(l sums.Line) api.AnswerLine { return api.AnswerLine(l) }),
		Steps: each(r.Steps, func(s sums.Step) api.SumStep {
			return api.SumStep{What: s.What, Formula: s.Formula, Numbers: s.Numbers, Source: s.Source}
		})}
	if c := r.Curve; c != nil {
		point := func(p sums.Point) api.CurvePoint { return api.CurvePoint(p) }
		out.Curve = &api.Curve{Base: c.Base, Unit: c.Unit, Freeze: each(c.Freeze, point), Boil: each(c.Boil, point), Night: c.Night}
		if c.At != nil {
			out.Curve.At = &api.CurveMark{Percent: c.At.Percent, Temperature: c.At.Temperature, Low: c.At.Low, High: c.At.High}
		}
	}
	return out
}

// RefusedSum is a refusal of the Bench as the contract has it, for the command
// line.
func RefusedSum(r *sums.Refusal) api.Problem { return refusedSum(r).Problem }

// Answer is an answer of the Bench as the contract has it, for the command line.
func Answer(r sums.Result) api.Answer { return answerOf(r) }
