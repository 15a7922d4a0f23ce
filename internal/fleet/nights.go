package fleet

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/internal/store"
	"diligentledger/internal/tabular"
)

// Coldest and warmest minimum of a night that a thermometer can have read, °C.
const (
	coldestNight = -70
	warmestNight = 40
)

// mostRefusedNights are named in a message.
const mostRefusedNights = 3

// AddNights to the record of a site from a file with a day and its minimum in each row, CSV or XLSX; how many.
// The curve of the site is computed anew. A [refusal.Error] names the first rows that cannot be read: then none is taken.
func (f *Fleet) AddNights(ctx context.Context, by store.Actor, site int64, content []byte, usual measure.Unit) (int, error) {
	table, err := tabular.Read(content)
	var refused *tabular.Error
	if errors.As(err, &refused) {
		return 0, refusal.New("/file", refused.Got, refused.Accepted)
	}
	if err != nil {
		return 0, err
	}
	if len(table.Heads) < 2 {
		return 0, refusal.New("/file", "a file with one column", "two columns: the day, and the minimum of its night")
	}
	today, err := f.Today(ctx)
	if err != nil {
		return 0, err
	}
	var nights []climate.Minimum
	var wrong []*refusal.Field
	for i, row := range table.Rows {
		night, no := nightOf(table, row, today, usual)
		switch {
		case no == "":
			nights = append(nights, night)
		case len(wrong) < mostRefusedNights:
			wrong = append(wrong, &refusal.Field{Pointer: "/file", Got: fmt.Sprintf("row %d, %q %q,", table.Numbers[i], row[0], row[1]), Accepted: no})
		}
	}
	if len(wrong) > 0 {
		return 0, &refusal.Error{Fields: wrong}
	}
	if err := f.store.ImportNights(ctx, by, site, nights); err != nil {
		return 0, err
	}
	_, err = f.RefreshStatus(ctx)
	return len(nights), err
}

// nightOf a row, or what is accepted instead.
func nightOf(table *tabular.Table, row []string, today measure.Date, usual measure.Unit) (night climate.Minimum, no string) {
	if serial, err := strconv.ParseFloat(row[0], 64); err == nil {
		at, ok := table.Day(serial)
		if !ok {
			return night, "a day such as 2025-01-31, and its minimum such as -12.5"
		}
		night.Day = measure.DateOf(at, time.UTC)
	} else if night.Day, err = measure.ReadDate(row[0], today, measure.YearFirst); err != nil {
		var unclear *measure.DateError
		if errors.As(err, &unclear) && len(unclear.Suggestions) > 0 {
			return night, "a day that can be read one way alone, such as 2025-01-31"
		}
		return night, "a day such as 2025-01-31, and its minimum such as -12.5"
	}
	r, err := measure.Parse(row[1], measure.Temperature, usual)
	if err != nil {
		return night, "a minimum such as -12.5 or 9 F"
	}
	t, err := r.Metric(measure.Temperature)
	night.Celsius = measure.Celsius(t)
	switch {
	case err != nil || !(t >= coldestNight && t <= warmestNight):
		return night, fmt.Sprintf("a minimum from %d to %d °C", coldestNight, warmestNight)
	case !night.Day.Before(today):
		return night, "a night that is over"
	}
	return night, ""
}
