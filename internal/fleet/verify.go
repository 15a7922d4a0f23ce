package fleet

import (
	"context"
	"slices"
	"time"

	"diligentledger/internal/store"
)

// settled is how long a row may be behind what it follows from: other units are evaluated again after an instrument was zeroed.
const settled = 500 * time.Millisecond

// VerifyStatuses evaluates every unit and holds the rows that the lists read against that. One that differs is evaluated again a
// moment later, since people may be writing.
func (f *Fleet) VerifyStatuses(ctx context.Context) ([]store.Break, error) {
	breaks, err := f.verifyStatuses(ctx)
	if err != nil || len(breaks) == 0 {
		return breaks, err
	}
	select {
	case <-time.After(settled):
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	again, err := f.verifyStatuses(ctx)
	return slices.DeleteFunc(again, func(b store.Break) bool { return !slices.Contains(breaks, b) }), err
}

func (f *Fleet) verifyStatuses(ctx context.Context) ([]store.Break, error) {
	units, err := f.store.Units(ctx)
	if err != nil {
		return nil, err
	}
	var rows []store.Status
	for some := range slices.Chunk(units, batch) {
		evaluated, err := f.evaluatedRows(ctx, some)
		if err != nil {
			return nil, err
		}
		rows = append(rows, evaluated...)
	}
	return f.store.VerifyStatuses(ctx, rows)
}
