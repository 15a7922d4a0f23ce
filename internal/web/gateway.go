package web

import (
	"context"
	"time"

	"diligentledger/api"
	"diligentledger/core/access"
	"diligentledger/core/measure"
	"diligentledger/internal/fleet"
	"diligentledger/internal/store"
)

// SendMeterReadings of a gateway.
func (h handlers) SendMeterReadings(ctx context.Context, r api.SendMeterReadingsRequestObject) (api.SendMeterReadingsResponseObject, error) {
	readings := each(r.Body.Readings, func(one api.MeterReading) fleet.GatewayReading {
		return fleet.GatewayReading{ID: one.Id, Unit: one.Unit, At: one.At, Value: one.Value, In: measure.Unit(one.In)}
	})
	results, err := h.fleet.TakeReadings(ctx, writer(ctx), readings)
	if err != nil {
		return nil, err
	}
	if id, ok := ctx.Value(tokenKey{}).(int64); ok {
		if err := h.fleet.TokenResult(ctx, id, results); err != nil {
			return nil, err
		}
	}
	return api.SendMeterReadings200JSONResponse{Results: each(results, func(one fleet.GatewayResult) api.MeterReadingResult {
		return api.MeterReadingResult{Id: one.ID, Outcome: api.MeterReadingResultOutcome(one.Outcome), Why: one.Why}
	})}, nil
}

// ListTokens without their secrets.
func (h handlers) ListTokens(ctx context.Context, _ api.ListTokensRequestObject) (api.ListTokensResponseObject, error) {
	all, err := h.fleet.Tokens(ctx)
	return api.ListTokens200JSONResponse(each(all, func(t store.Token) api.Token {
		return api.Token{Id: t.ID, Name: t.Name, Role: api.TokenRole(t.Role), Scope: api.TokenScope(t.Scope), EndsOn: date(t.EndsOn), CreatedAt: t.CreatedAt, Who: t.Who, Revoked: t.Revoked, LastUsedAt: t.LastUsedAt, LastResult: t.LastResult}
	})), err
}

// AddToken and give it once.
func (h handlers) AddToken(ctx context.Context, r api.AddTokenRequestObject) (api.AddTokenResponseObject, error) {
	var scope store.Scope
	if r.Body.Scope != nil {
		scope = store.Scope(*r.Body.Scope)
	}
	secret, err := h.fleet.AddToken(ctx, by(ctx), r.Body.Name, access.Role(r.Body.Role), scope, measure.DateOf(r.Body.EndsOn.Time, time.UTC))
	return api.AddToken201JSONResponse{Secret: secret}, err
}

// RevokeToken for good.
func (h handlers) RevokeToken(ctx context.Context, r api.RevokeTokenRequestObject) (api.RevokeTokenResponseObject, error) {
	return api.RevokeToken204Response{}, h.fleet.RevokeToken(ctx, by(ctx), r.Id)
}
