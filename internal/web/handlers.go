package web

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"net/http"

	"github.com/google/uuid"

	"diligentledger/api"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/books"
	"diligentledger/internal/store"
)

// handlers implement the contract.
type handlers struct{ books *books.Books }

var _ api.StrictServerInterface = handlers{}

// GetHealth answers as long as the process runs.
func (h handlers) GetHealth(context.Context, api.GetHealthRequestObject) (api.GetHealthResponseObject, error) {
	return api.GetHealth200JSONResponse{StateJSONResponse: api.StateJSONResponse{Status: "up"}}, nil
}

// GetReady answers when the database does.
func (h handlers) GetReady(ctx context.Context, _ api.GetReadyRequestObject) (api.GetReadyResponseObject, error) {
	if err := h.books.Ready(ctx); err != nil {
		return nil, newProblem(http.StatusServiceUnavailable, "Not ready", "the database does not answer")
	}
	return api.GetReady200JSONResponse{StateJSONResponse: api.StateJSONResponse{Status: "ready"}}, nil
}

// GetMorning lists the fleet, soonest due first.
func (h handlers) GetMorning(ctx context.Context, _ api.GetMorningRequestObject) (api.GetMorningResponseObject, error) {
	m, err := h.books.Morning(ctx)
	if err != nil {
		return nil, err
	}
	answer := api.GetMorning200JSONResponse{Today: date(m.Today), Rows: make([]api.MorningRow, 0, len(m.Rows))}
	if n := m.Coldest; n != nil {
		answer.Tonight = &api.Night{Site: n.Site, Celsius: float64(n.Celsius)}
	}
	for _, r := range m.Rows {
		answer.Rows = append(answer.Rows, api.MorningRow{Unit: unitName(r.Unit.UnitName),
			Verdict: api.Verdict(r.Outlook.Verdict), Clock: clock(r.Outlook.Governing, m.Today)})
	}
	return answer, nil
}

// ListUnits finds units for the jump field.
func (h handlers) ListUnits(ctx context.Context, r api.ListUnitsRequestObject) (api.ListUnitsResponseObject, error) {
	text, limit := "", 12
	if r.Params.Q != nil {
		text = *r.Params.Q
	}
	if r.Params.Limit != nil {
		limit = *r.Params.Limit
	}
	found, err := h.books.Find(ctx, text, limit)
	if err != nil {
		return nil, err
	}
	return api.ListUnits200JSONResponse(each(found, unitName)), nil
}

// GetAccount opens one account.
func (h handlers) GetAccount(ctx context.Context, r api.GetAccountRequestObject) (api.GetAccountResponseObject, error) {
	m, err := h.books.Account(ctx, r.Code)
	if err != nil {
		return nil, err
	}
	return api.GetAccount200JSONResponse(account(m)), nil
}

// ListProducts for the fill and top-up forms.
func (h handlers) ListProducts(ctx context.Context, _ api.ListProductsRequestObject) (api.ListProductsResponseObject, error) {
	products, err := h.books.Products(ctx)
	if err != nil {
		return nil, err
	}
	return api.ListProducts200JSONResponse(each(products, product)), nil
}

// WriteEntry stores an entry once.
func (h handlers) WriteEntry(ctx context.Context, r api.WriteEntryRequestObject) (api.WriteEntryResponseObject, error) {
	e, err := h.entry(ctx, r.Code, *r.Body)
	if err != nil {
		return nil, err
	}
	receipt, err := h.books.Write(ctx, e)
	if err != nil {
		return nil, err
	}
	id, err := uuid.Parse(receipt.ID)
	if err != nil {
		return nil, fmt.Errorf("stored id: %w", err)
	}
	return api.WriteEntry201JSONResponse{Id: id, Unit: receipt.Unit, Seq: receipt.Seq, Kind: api.EntryKind(receipt.Kind),
		At: receipt.At, RecordedAt: receipt.RecordedAt, RecordedBy: receipt.RecordedBy, Hash: hex.EncodeToString(receipt.Hash[:])}, nil
}

// PreviewEntry tells what an entry would do.
func (h handlers) PreviewEntry(ctx context.Context, r api.PreviewEntryRequestObject) (api.PreviewEntryResponseObject, error) {
	e, err := h.entry(ctx, r.Code, *r.Body)
	if err != nil {
		return nil, err
	}
	effect, err := h.books.Preview(ctx, e)
	if err != nil {
		return nil, err
	}
	return api.PreviewEntry200JSONResponse{Before: moment(effect.Before), After: moment(effect.After), Line: line(effect.Line)}, nil
}

// entry reads what was sent into what the core understands.
func (h handlers) entry(ctx context.Context, code string, in api.EntryInput) (ledger.Entry, error) {
	if in.Id.Version() != 7 {
		return ledger.Entry{}, fieldProblem("/id", in.Id.String(), "a UUID of version 7")
	}
	if err := onlyBody(in); err != nil {
		return ledger.Entry{}, err
	}
	e := ledger.Entry{ID: in.Id.String(), Unit: code, At: in.At}
	switch in.Kind {
	case api.Fill:
		p, err := h.product(ctx, "/fill/product", in.Fill.Product)
		if err != nil {
			return e, err
		}
		b := ledger.Fill{Volume: reading(in.Fill.Volume), Product: *p, Share: in.Fill.Share, Factory: in.Fill.Factory != nil && *in.Fill.Factory}
		if in.Fill.Meter != nil {
			m := reading(*in.Fill.Meter)
			b.Meter = &m
		}
		e.Body = b
	case api.TopUp:
		b := ledger.TopUp{Volume: reading(in.TopUp.Volume), With: coolant.Form(in.TopUp.With)}
		if in.TopUp.Product != nil {
			p, err := h.product(ctx, "/topUp/product", *in.TopUp.Product)
			if err != nil {
				return e, err
			}
			b.Product = p
		}
		e.Body = b
	case api.Loss:
		b := ledger.Loss{Volume: reading(in.Loss.Volume)}
		if in.Loss.Note != nil {
			b.Note = *in.Loss.Note
		}
		e.Body = b
	case api.FreezeTest:
		e.Body = ledger.FreezeTest{Temperature: reading(in.FreezeTest.Temperature),
			Instrument: string(in.FreezeTest.Instrument), Scale: coolant.Base(in.FreezeTest.Scale)}
	case api.Meter:
		e.Body = ledger.Meter{Meter: reading(in.Meter.Meter)}
	}
	return e, nil
}

// onlyBody refuses an entry whose kind and content do not match.
func onlyBody(in api.EntryInput) error {
	bodies := []struct {
		kind  api.EntryKind
		name  string
		given bool
	}{
		{api.Fill, "fill", in.Fill != nil}, {api.TopUp, "topUp", in.TopUp != nil}, {api.Loss, "loss", in.Loss != nil},
		{api.FreezeTest, "freezeTest", in.FreezeTest != nil}, {api.Meter, "meter", in.Meter != nil},
	}
	for _, b := range bodies {
		if b.given && b.kind != in.Kind {
			return fieldProblem("/"+b.name, b.name, fmt.Sprintf("nothing here in a %s entry", in.Kind))
		}
		if !b.given && b.kind == in.Kind {
			return fieldProblem("/"+b.name, "nothing", fmt.Sprintf("the content of a %s entry", in.Kind))
		}
	}
	return nil
}

func (h handlers) product(ctx context.Context, field, code string) (*coolant.Product, error) {
	p, err := h.books.Product(ctx, code)
	if errors.Is(err, store.ErrNoProduct) {
		return nil, fieldProblem(field, code, "the code of a product in the register")
	}
	return &p, err
}

func fieldProblem(field, got, accepted string) error {
	return &books.Refusal{Fields: []*ledger.FieldError{{Field: field, Got: got, Accepted: accepted}}}
}

func reading(r api.Reading) measure.Reading {
	return measure.Reading{Value: r.Value, Unit: measure.Unit(r.Unit)}
}

func each[A, B any](in []A, f func(A) B) []B {
	out := make([]B, len(in))
	for i, a := range in {
		out[i] = f(a)
	}
	return out
}
