package web

import (
	"time"

	"github.com/google/uuid"
	openapi "github.com/oapi-codegen/runtime/types"

	"diligentledger/api"
	"diligentledger/core/coolant"
	"diligentledger/core/forecast"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/books"
	"diligentledger/internal/store"
)

// The functions below turn what the core returns into what the contract says,
// field by field; nothing is reckoned here but units of time.

const monthOf = 30.4 * 24 // hours, for mean ages, which are good to a week at best

func account(m books.Moment) api.Account {
	a := m.Account
	out := api.Account{
		Today: date(m.Today), Unit: unitName(m.Unit.UnitName), Capacity: float64(m.Unit.Ledger.Capacity),
		Plan: api.Plan{Name: m.Unit.Plan.Name, First: interval(m.Unit.Plan.First), Later: interval(m.Unit.Plan.Later),
			FreezeMargin: float64(m.Unit.Plan.FreezeMargin)},
		Balance: balance(a.Balance), ProtectsTo: number(a.ProtectsTo()), Mixed: a.Mixed,
		Outlook: outlook(m.Outlook, m.Today), Lines: each(a.Lines, line),
	}
	for _, t := range m.Unit.Cold {
		out.Cold = append(out.Cold, float64(t))
	}
	if a.Base.Known() {
		out.Base = (*api.Base)(&a.Base)
	}
	if d := m.Unit.Ledger.Meter; d != "" {
		u := api.AccountMeterUnit(measure.Units(d)[0])
		out.MeterUnit = &u
	}
	if a.Product != nil {
		p := product(*a.Product)
		out.Product = &p
	}
	return out
}

func moment(m books.Moment) api.Moment {
	return api.Moment{Balance: balance(m.Account.Balance), ProtectsTo: number(m.Account.ProtectsTo()), Outlook: outlook(m.Outlook, m.Today)}
}

func balance(b ledger.Balance) api.Balance {
	out := api.Balance{Litres: number(b.Litres), Freeze: number(b.Freeze), RenewedAt: b.RenewedAt, Used: b.Used}
	if b.Glycol != nil {
		percent := 100 * *b.Glycol
		out.Glycol = &percent
	}
	if b.MeanAge != nil {
		months := b.MeanAge.Hours() / monthOf
		out.MeanAgeMonths = &months
	}
	return out
}

func outlook(o forecast.Outlook, today time.Time) api.Outlook {
	return api.Outlook{Verdict: api.Verdict(o.Verdict), Clocks: each(o.Clocks, func(c forecast.Clock) api.Clock { return clock(c, today) })}
}

func clock(c forecast.Clock, today time.Time) api.Clock {
	out := api.Clock{Kind: api.ClockKind(c.Kind), Verdict: api.Verdict(c.Verdict), Left: c.Left,
		Reason: api.Reason{Code: string(c.Reason.Code), Numbers: c.Reason.Numbers}}
	if out.Reason.Numbers == nil {
		out.Reason.Numbers = map[string]float64{}
	}
	if c.Reason.Note != "" {
		out.Reason.Note = (*api.Note)(&c.Reason.Note)
	}
	if c.Due != nil {
		d, days := date(*c.Due), forecast.DaysBetween(today, *c.Due)
		out.Due, out.Days = &d, &days
	}
	if c.Interval != "" {
		out.Interval = (*api.ClockInterval)(&c.Interval)
	}
	if c.Unit != "" {
		out.Unit = (*api.MeasureUnit)(&c.Unit)
	}
	return out
}

func line(l ledger.Line) api.Line {
	e := l.Entry
	// Ids were checked when they came in; a damaged one shows as nil.
	id, _ := uuid.Parse(e.ID)
	r, _ := e.Body.Reading()
	out := api.Line{Id: id, Kind: api.EntryKind(e.Body.Kind()), At: e.At, After: balance(l.After),
		Reading: readingOf(r), Notes: each(l.Notes, func(n ledger.Note) api.Note { return api.Note(n) })}
	if !e.RecordedAt.IsZero() {
		out.RecordedAt, out.RecordedBy = &e.RecordedAt, &e.RecordedBy
	}
	switch b := e.Body.(type) {
	case ledger.Fill:
		p := product(b.Product)
		out.Product, out.Share, out.Factory = &p, b.Share, &b.Factory
		if b.Meter != nil {
			out.Meter = readingOf(*b.Meter)
		}
	case ledger.TopUp:
		out.With = (*api.Form)(&b.With)
		if b.Product != nil {
			p := product(*b.Product)
			out.Product = &p
		}
	case ledger.Loss:
		out.Note = &b.Note
	case ledger.FreezeTest:
		out.Scale, out.Instrument = (*api.Base)(&b.Scale), &b.Instrument
	}
	if l.Implied > 0 {
		out.ImpliedLoss = number(&l.Implied)
	}
	if t := l.Test; t != nil {
		out.Test = &api.Reconciliation{Measured: float64(t.Measured), Book: number(t.Book),
			Tolerance: float64(t.Tolerance), Agrees: t.Agrees, Trusted: t.Trusted}
	}
	return out
}

func unitName(u store.UnitName) api.UnitName {
	return api.UnitName{Code: u.Code, Name: u.Name, Kind: api.UnitKind(u.Kind), Site: u.Site}
}

func product(p coolant.Product) api.Product {
	return api.Product{Code: p.Code, Name: p.Name, Base: api.Base(p.Base), Technology: p.Technology, Form: api.Form(p.Form), Glycol: p.Glycol}
}

func interval(i forecast.Interval) api.Interval {
	var out api.Interval
	if i.Months > 0 {
		out.Months = &i.Months
	}
	if i.Km > 0 {
		out.Km = number(&i.Km)
	}
	if i.Hours > 0 {
		out.Hours = number(&i.Hours)
	}
	return out
}

func readingOf(r measure.Reading) *api.Reading {
	return &api.Reading{Value: r.Value, Unit: api.MeasureUnit(r.Unit)}
}

func date(t time.Time) openapi.Date { return openapi.Date{Time: t} }

func number[T ~float64](v *T) *float64 {
	if v == nil {
		return nil
	}
	f := float64(*v)
	return &f
}
