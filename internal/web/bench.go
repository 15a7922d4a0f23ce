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
			out := api.Field{Name: f.Name, Label: f.Label, Initials: bySystem(f.InitialIn), Units: bySystem(f.Unit), Optional: f.Optional,
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

// bySystem is a text in each system of units.
func bySystem(of func(sums.Units) string) api.BySystem {
	return api.BySystem{Metric: of(sums.Metric), Us: of(sums.US), Imperial: of(sums.Imperial)}
}

// ConvertBench gives what was typed in another system of units.
func (h handlers) ConvertBench(ctx context.Context, r api.ConvertBenchRequestObject) (api.ConvertBenchResponseObject, error) {
	inputs := sums.Convert(r.Question, sums.Units(r.Body.From), sums.Units(r.Body.To), reader(ctx).Numbers, r.Body.Inputs)
	return api.ConvertBench200JSONResponse{Inputs: inputs}, nil
}

// AskBench answers a question; nothing is stored.
func (h handlers) AskBench(ctx context.Context, r api.AskBenchRequestObject) (api.AskBenchResponseObject, error) {
	units := sums.Metric
	if r.Body.Units != nil {
		units = sums.Units(*r.Body.Units)
	}
	result, err := sums.AskIn(r.Question, units, reader(ctx).Numbers, r.Body.Inputs)
	if err != nil {
		return nil, err
	}
	return api.AskBench200JSONResponse(result.Contract()), nil
}
