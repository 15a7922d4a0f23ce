package web

import (
	"context"
	"errors"
	"strings"
	"time"

	"diligentledger/api"
	"diligentledger/core/measure"
	"diligentledger/internal/intake"
)

// ReadNumbers as they were typed.
func (h handlers) ReadNumbers(ctx context.Context, r api.ReadNumbersRequestObject) (api.ReadNumbersResponseObject, error) {
	answer := api.ReadNumbers200JSONResponse{Values: map[string]float64{}, Wrong: map[string]string{}}
	for name, text := range r.Body.Texts {
		if strings.TrimSpace(text) == "" {
			continue
		}
		read, err := reader(ctx).Numbers.Parse(text, measure.Plain, measure.One)
		if err != nil {
			answer.Wrong[name] = intake.NotRead(name, text, err).Accepted
			continue
		}
		answer.Values[name] = read.Value
	}
	return answer, nil
}

// ReadDates as they were typed.
func (h handlers) ReadDates(ctx context.Context, r api.ReadDatesRequestObject) (api.ReadDatesResponseObject, error) {
	zone, err := h.fleet.Zone(ctx)
	if err != nil {
		return nil, err
	}
	if r.Body.Unit != nil {
		unit, err := h.fleet.Open(ctx, *r.Body.Unit, "")
		if err != nil {
			return nil, err
		}
		zone = unit.Zone
	}
	reading := reader(ctx)
	now := h.fleet.Now().In(zone)
	answer := api.ReadDates200JSONResponse{Values: map[string]string{}, Shown: map[string]string{}, Wrong: map[string]string{}}
	for name, text := range r.Body.Texts {
		if strings.TrimSpace(text) == "" {
			continue
		}
		var refused *measure.DateError
		if r.Body.Moments != nil && *r.Body.Moments {
			at, err := measure.ReadMoment(text, now, zone, reading.DayOrder())
			if errors.As(err, &refused) {
				answer.Wrong[name] = refused.Accepted()
				continue
			}
			answer.Values[name], answer.Shown[name] = at.Format(time.RFC3339Nano), reading.Moment(at)
			continue
		}
		day, err := measure.ReadDate(text, measure.DateOf(now, zone), reading.DayOrder())
		if errors.As(err, &refused) {
			answer.Wrong[name] = refused.Accepted()
			continue
		}
		answer.Values[name], answer.Shown[name] = day.String(), reading.Weekday(day)
	}
	return answer, nil
}
