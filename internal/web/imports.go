package web

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"

	"diligentledger/api"
	"diligentledger/core/coolant"
	"diligentledger/core/measure"
	"diligentledger/core/register"
	"diligentledger/internal/fleet"
	"diligentledger/internal/importer"
	"diligentledger/internal/store"
	"diligentledger/internal/tabular"
	"diligentledger/internal/words"
)

// UploadImport keeps a spreadsheet that is to be imported.
func (h handlers) UploadImport(ctx context.Context, r api.UploadImportRequestObject) (api.UploadImportResponseObject, error) {
	content, err := io.ReadAll(r.Body)
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		return nil, newProblem(http.StatusRequestEntityTooLarge, "Too large", tabular.TooLarge(tooLarge.Limit).Error())
	}
	if err != nil {
		return nil, err
	}
	id, err := h.fleet.Upload(ctx, by(ctx), r.Params.Name, content, reader(ctx))
	return api.UploadImport201JSONResponse{Id: id}, err
}

// ListImports, the newest first.
func (h handlers) ListImports(ctx context.Context, _ api.ListImportsRequestObject) (api.ListImportsResponseObject, error) {
	all, err := h.fleet.Imports(ctx)
	return api.ListImports200JSONResponse(each(all, func(i store.Import) api.ImportLine {
		return api.ImportLine{Id: i.ID, Name: i.Name, State: api.ImportState(i.State), StateText: words.ImportStateName(string(i.State)), At: i.CreatedAt, Who: i.Who}
	})), err
}

// GetImport of a spreadsheet.
func (h handlers) GetImport(ctx context.Context, r api.GetImportRequestObject) (api.GetImportResponseObject, error) {
	out, err := h.importRun(ctx, r.Id)
	return api.GetImport200JSONResponse(out), err
}

// CheckImport is a dry run.
func (h handlers) CheckImport(ctx context.Context, r api.CheckImportRequestObject) (api.CheckImportResponseObject, error) {
	columns := each(r.Body.Columns, func(c string) importer.Target { return importer.Target(c) })
	if err := h.fleet.CheckImport(ctx, by(ctx), r.Id, columns, optionsOf(r.Body.Options)); err != nil {
		return nil, err
	}
	out, err := h.importRun(ctx, r.Id)
	return api.CheckImport200JSONResponse(out), err
}

// RunImport takes the good rows.
func (h handlers) RunImport(ctx context.Context, r api.RunImportRequestObject) (api.RunImportResponseObject, error) {
	if err := h.fleet.RunImport(ctx, by(ctx), r.Id); err != nil {
		return nil, err
	}
	out, err := h.importRun(ctx, r.Id)
	return api.RunImport200JSONResponse(out), err
}

// CancelImport that runs.
func (h handlers) CancelImport(ctx context.Context, r api.CancelImportRequestObject) (api.CancelImportResponseObject, error) {
	if err := h.fleet.CancelImport(ctx, by(ctx), r.Id); err != nil {
		return nil, err
	}
	out, err := h.importRun(ctx, r.Id)
	return api.CancelImport200JSONResponse(out), err
}

// ReverseImport as one thing.
func (h handlers) ReverseImport(ctx context.Context, r api.ReverseImportRequestObject) (api.ReverseImportResponseObject, error) {
	if err := h.fleet.ReverseImport(ctx, by(ctx), r.Id); err != nil {
		return nil, err
	}
	out, err := h.importRun(ctx, r.Id)
	return api.ReverseImport200JSONResponse(out), err
}

// GetImportRest is the rows that were not taken.
func (h handlers) GetImportRest(ctx context.Context, r api.GetImportRestRequestObject) (api.GetImportRestResponseObject, error) {
	if _, _, err := h.fleet.ImportOf(ctx, r.Id); err != nil {
		return nil, err
	}
	content, err := h.fleet.ImportRest(ctx, r.Id)
	disposition := fmt.Sprintf(`attachment; filename="import-%d-not-taken.csv"`, r.Id)
	return api.GetImportRest200TextcsvResponse{Body: bytes.NewReader(content), ContentLength: int64(len(content)), Headers: api.GetImportRest200ResponseHeaders{ContentDisposition: &disposition}}, err
}

func optionsOf(o api.ImportOptions) importer.Options {
	out := importer.Options{Site: value(o.Site), Product: value(o.Product), Mix: value(o.Mix)}
	if o.Order != nil {
		out.Order = map[api.ImportOptionsOrder]measure.DayOrder{"dmy": measure.DayFirst, "mdy": measure.MonthFirst}[*o.Order]
	}
	out.Month, out.Tested = text(o.Month), text(o.Tested)
	out.Emptied, out.Today, out.Found, out.Kind = text(o.Emptied), text(o.Today), text(o.Found), text(o.Kind)
	out.Doubtful = o.Doubtful != nil && *o.Doubtful
	for of, into := range map[*map[string]string]*map[string]string{o.Plans: &out.Plans, o.Types: &out.Types, o.Products: &out.Products} {
		if of != nil {
			*into = *of
		}
	}
	return out
}

func apiOptions(o importer.Options) (out api.ImportOptions) {
	if o.Order != "" {
		order := api.ImportOptionsOrder(map[measure.DayOrder]string{measure.DayFirst: "dmy", measure.MonthFirst: "mdy"}[o.Order])
		out.Order = &order
	}
	out.Month, out.Tested = given[api.ImportOptionsMonth](o.Month), given[api.ImportOptionsTested](o.Tested)
	out.Emptied, out.Today, out.Found = given[api.ImportOptionsEmptied](o.Emptied), given[api.ImportOptionsToday](o.Today), given[api.ImportOptionsFound](o.Found)
	out.Kind, out.Site, out.Product = given[api.UnitKind](o.Kind), given[string](o.Site), given[string](o.Product)
	if o.Doubtful {
		out.Doubtful = &o.Doubtful
	}
	if o.Mix > 0 {
		out.Mix = &o.Mix
	}
	for of, into := range map[*map[string]string]**map[string]string{&o.Plans: &out.Plans, &o.Types: &out.Types, &o.Products: &out.Products} {
		if len(*of) > 0 {
			*into = of
		}
	}
	return out
}

func given[T ~string](v string) *T {
	if v == "" {
		return nil
	}
	t := T(v)
	return &t
}

func (h handlers) importRun(ctx context.Context, id int64) (out api.ImportRun, err error) {
	run, shape, err := h.fleet.ImportOf(ctx, id)
	if err != nil {
		return out, err
	}
	out = api.ImportRun{Id: run.ID, Name: run.Name, State: api.ImportState(run.State), StateText: words.ImportStateName(string(run.State)), At: run.CreatedAt, Who: run.Who,
		Shape: words.FileShape(shape.Format, shape.Encoding, shape.Separator, shape.Sheet, shape.Header, shape.Rows), Columns: []api.ImportColumn{}, Targets: []api.ImportTarget{},
		Options: apiOptions(run.Options), Questions: []api.ImportQuestion{}, Problems: []api.ImportProblem{}, Done: run.Done, Total: run.Total, Claims: []api.ImportClaim{}}
	if run.Error != "" {
		out.Error = &run.Error
	}
	for i, head := range shape.Heads {
		c := api.ImportColumn{Head: head, Samples: shape.Samples[i]}
		if i < len(run.Columns) {
			c.Target = string(run.Columns[i])
		}
		out.Columns = append(out.Columns, c)
	}
	for _, t := range slices.Concat([]importer.Target{"code"}, importer.Events, importer.Facts()[1:]) {
		label, group := words.Target(t)
		out.Targets = append(out.Targets, api.ImportTarget{Code: string(t), Label: label, Group: group})
	}
	if len(run.Result) > 0 && run.State != store.ImportUploaded {
		var result fleet.ImportResult
		if err := json.Unmarshal(run.Result, &result); err != nil {
			return out, err
		}
		if err := h.importResult(ctx, &out, run, result); err != nil {
			return out, err
		}
	}
	if run.State == store.ImportDone {
		return out, h.claims(ctx, &out, id)
	}
	return out, nil
}

func (h handlers) importResult(ctx context.Context, out *api.ImportRun, run store.Import, result fleet.ImportResult) error {
	c := result.Counts
	out.Counts = &api.ImportCounts{Rows: c.Rows, UnitsNew: c.UnitsNew, UnitsChanged: c.UnitsChanged, UnitsSame: c.UnitsSame, EntriesNew: c.EntriesNew, EntriesSame: c.EntriesSame, RowsRefused: c.RowsRefused}
	out.Refused, out.Doubtful = c.RowsRefused, result.Doubtful
	for _, p := range result.Problems {
		out.Problems = append(out.Problems, api.ImportProblem{Row: p.Row, Column: p.Column, Value: p.Value, Accepted: p.Accepted, Doubtful: p.Doubtful})
	}
	for _, q := range result.Questions {
		choices, err := h.choices(ctx, q)
		if err != nil {
			return err
		}
		out.Questions = append(out.Questions, api.ImportQuestion{Code: q.Code, About: q.About, Text: words.ImportQuestion(q), Rows: q.Rows, Answer: answerTo(q, run.Options), Choices: choices})
	}
	return nil
}

// answerTo a question, as it was given.
func answerTo(q importer.Question, o importer.Options) string {
	switch q.Code {
	case "plan":
		return o.Plans[q.About]
	case "type":
		return o.Types[q.About]
	case "products":
		return o.Products[q.About]
	case "mix":
		if o.Mix > 0 {
			return strconv.FormatFloat(o.Mix, 'g', -1, 64)
		}
		return ""
	}
	return map[string]string{"month": o.Month, "emptied": o.Emptied, "today": o.Today, "tested": o.Tested, "found": o.Found, "kind": o.Kind, "site": o.Site, "product": o.Product}[q.Code]
}

// choices that a question leaves.
func (h handlers) choices(ctx context.Context, q importer.Question) ([]api.FactChoice, error) {
	choices := []api.FactChoice{}
	add := func(code, label string) { choices = append(choices, api.FactChoice{Code: code, Label: label}) }
	switch q.Code {
	case "order":
		add("dmy", "the day")
		add("mdy", "the month")
	case "month":
		add("first", "the first day: the age is counted from the earliest it can be")
		add("middle", "the middle of the month")
		add("last", "the last day")
	case "emptied":
		add("yes", "yes: each was a full renewal")
		add("no", "no: by the drain plug alone, which counts as much as went in")
	case "today":
		add("yes", "yes, they are of today")
		add("no", "leave them out")
	case "tested":
		add("renewal", "yes, on the day of the renewal")
		add("no", "leave them out")
	case "found":
		add("good", "yes, everything was good")
		add("no", "leave them out")
	case "kind":
		for _, kind := range register.Kinds {
			add(kind, kind)
		}
	case "mix":
		for _, share := range []string{"33", "40", "50", "60"} {
			add(share, share+" %")
		}
	case "product", "products":
		products, err := h.fleet.Products(ctx)
		if err != nil {
			return nil, err
		}
		for _, p := range products {
			add(p.Code, p.Name+", "+p.Code+when(p.Form == coolant.Concentrate, ", concentrate"))
		}
		if q.Code == "products" {
			add("", "none of these: leave it out")
		}
	case "plan":
		plans, err := h.fleet.ServicePlans(ctx)
		if err != nil {
			return nil, err
		}
		for _, p := range plans {
			add(p.Name, p.Name)
		}
	case "site", "type":
		rows, _, err := h.fleet.Records(ctx, register.Record(q.Code), store.RecordFilter{})
		if err != nil {
			return nil, err
		}
		for _, row := range rows {
			if q.Code == "site" || row.Facts["kind"] == q.About {
				add(row.Name, row.Name)
			}
		}
	}
	return choices, nil
}

func when(is bool, text string) string {
	if is {
		return text
	}
	return ""
}

func (h handlers) claims(ctx context.Context, out *api.ImportRun, id int64) error {
	claims, err := h.fleet.Claims(ctx, id)
	if err != nil {
		return err
	}
	r := reader(ctx)
	for _, c := range claims {
		books, reason := r.ClaimBooks(c.Renewal, c.Place, c.Claimed.DueOn)
		out.Claims = append(out.Claims, api.ImportClaim{Unit: unitName(c.Unit), Claimed: r.Claim(c.Claimed.DueOn, c.Claimed.DueMeter), Books: books, Reason: reason})
	}
	return nil
}

// ImportNights of a site.
func (h handlers) ImportNights(ctx context.Context, r api.ImportNightsRequestObject) (api.ImportNightsResponseObject, error) {
	content, err := io.ReadAll(r.Body)
	if err != nil {
		return nil, err
	}
	n, err := h.fleet.AddNights(ctx, by(ctx), r.Id, content, reader(ctx).Temperature)
	return api.ImportNights200JSONResponse{Nights: n}, err
}
