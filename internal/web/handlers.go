package web

import (
	"cmp"
	"context"
	"encoding/hex"
	"fmt"
	"log/slog"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/getkin/kin-openapi/openapi3"
	"github.com/google/uuid"
	openapi "github.com/oapi-codegen/runtime/types"

	"diligentledger/api"
	"diligentledger/core/access"
	"diligentledger/core/climate"
	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/internal/fleet"
	"diligentledger/internal/intake"
	"diligentledger/internal/people"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

// handlers implement the contract.
type handlers struct {
	fleet    *fleet.Fleet
	people   *people.Service
	sessions *scs.SessionManager
	demo     []api.DemoAccount
	room     func() error // nil for no check
	// address and probe as in [Config]; entrySchema of the contract.
	address     string
	probe       bool
	stream      time.Duration
	entrySchema *openapi3.Schema
	log         *slog.Logger
	files       *turns
}

var _ api.StrictServerInterface = handlers{}

// GetHealth answers as long as the process runs.
func (h handlers) GetHealth(context.Context, api.GetHealthRequestObject) (api.GetHealthResponseObject, error) {
	return api.GetHealth200JSONResponse{StateJSONResponse: api.StateJSONResponse{Status: "up"}}, nil
}

// GetReady answers when the database does.
func (h handlers) GetReady(ctx context.Context, _ api.GetReadyRequestObject) (api.GetReadyResponseObject, error) {
	if err := h.fleet.Ready(ctx); err != nil {
		return nil, newProblem(http.StatusServiceUnavailable, "Not ready", "the database does not answer")
	}
	if h.room != nil {
		if err := h.room(); err != nil {
			return nil, newProblem(http.StatusServiceUnavailable, "Not ready", err.Error())
		}
	}
	return api.GetReady200JSONResponse{StateJSONResponse: api.StateJSONResponse{Status: "ready"}}, nil
}

// GetMorning is the fleet by verdict, soonest due first.
func (h handlers) GetMorning(ctx context.Context, r api.GetMorningRequestObject) (api.GetMorningResponseObject, error) {
	limit := 100
	if r.Params.Limit != nil {
		limit = *r.Params.Limit
	}
	m, err := h.fleet.Morning(ctx, limit)
	if err != nil {
		return nil, err
	}
	reading, role := reader(ctx), signedIn(ctx).Role
	row := func(s store.Status, c clock.Clock) api.MorningRow {
		next, kind := words.NextStep(c, role)
		row := api.MorningRow{Unit: circuitName(s.UnitName, c.Circuit), Verdict: api.Verdict(c.Verdict), Clock: clockOf(reading, c, reading.ColdPlace(s.Site, s.Winters, s.Offset), m.Today), Next: next}
		if kind != "" {
			row.Records = (*api.EntryKind)(&kind)
		}
		return row
	}
	zones := map[string]*time.Location{}
	for _, s := range m.Sites {
		zones[s.Name] = s.Zone
	}
	answer := api.GetMorning200JSONResponse{Today: date(m.Today), Counts: map[string]int{},
		Rows:          each(m.Rows, func(s store.Status) api.MorningRow { return row(s, s.Governing) }),
		PendingChecks: byClock(m.Pending, func(c clock.Clock) bool { return c.Kind == clock.FollowUp && c.Verdict.Rank() <= clock.Due.Rank() }, row),
		Nights: byClock(m.Nights, func(c clock.Clock) bool {
			return c.Kind == clock.Freeze && c.Due != nil && c.Due.Sub(m.Today) < climate.AheadNights
		}, row),
		Discrepancies: each(m.Discrepant, func(s store.Status) api.DiscrepancyRow { return discrepancies(reading, s, zones[s.Site]) }),
		Ahead:         each(m.Sites, func(s store.Site) api.NightAhead { return coldestAhead(s.Name, s.Cold, m.Today) })}
	for v, n := range m.Counts.ByVerdict {
		answer.Counts[string(v)] = n
	}
	if answer.Rounds, err = h.rounds(ctx); err != nil {
		return nil, err
	}
	missing, err := h.fleet.MissingPhotos(ctx)
	if err != nil {
		return nil, err
	}
	answer.PhotosMissing = each(missing, func(p store.MissingPhoto) api.PhotoMissing {
		at := p.RecordedAt
		if zone := zones[p.Site]; zone != nil {
			at = at.In(zone)
		}
		return api.PhotoMissing{Unit: p.Code, At: at, Text: words.PhotoMissing(p.Kind, p.RecordedBy)}
	})
	answer.PendingCount, answer.NightCount, answer.DiscrepancyCount = m.Counts.Pending, m.Counts.Nights, m.Counts.Discrepant
	if m.Coldest != nil {
		answer.Tonight = &api.Night{Site: m.Coldest.Site, Celsius: float64(m.Coldest.Celsius)}
	}
	slices.SortStableFunc(answer.Nights, func(a, b api.MorningRow) int {
		return cmp.Or(strings.Compare(a.Unit.Site, b.Unit.Site), a.Clock.Due.Compare(b.Clock.Due.Time))
	})
	return answer, nil
}

// byClock is a row for each clock that is taken and has a day.
func byClock(all []store.Status, takes func(clock.Clock) bool, row func(store.Status, clock.Clock) api.MorningRow) []api.MorningRow {
	rows := []api.MorningRow{}
	for _, s := range all {
		for _, c := range s.Clocks {
			if c.Due != nil && takes(c) {
				rows = append(rows, row(s, c))
			}
		}
	}
	return rows
}

// discrepancies is a unit whose last trusted test does not agree with its book.
func discrepancies(reading words.Reader, s store.Status, zone *time.Location) api.DiscrepancyRow {
	d := s.Discrepancy
	row := api.DiscrepancyRow{Unit: circuitName(s.UnitName, d.Circuit), At: d.At.In(zone), Measured: float64(d.Measured), Book: number(d.Book)}
	if d.Likeliest != nil {
		likeliest := explanation(reading, *d.Likeliest, zone)
		row.Likeliest = &likeliest
	}
	return row
}

// horizonYears ahead the cold seasons are given.
const horizonYears = 3

// text of an optional parameter; empty when it is not given.
func text[T ~string](v *T) string {
	if v == nil {
		return ""
	}
	return string(*v)
}

func orElse[T any](v *T, usual T) T {
	if v == nil {
		return usual
	}
	return *v
}

func dateOf(d *openapi.Date) *measure.Date {
	if d == nil {
		return nil
	}
	day := measure.DateOf(d.Time, time.UTC)
	return &day
}

// GetHorizon gives a page of the fleet with all clocks of its units.
func (h handlers) GetHorizon(ctx context.Context, r api.GetHorizonRequestObject) (api.GetHorizonResponseObject, error) {
	p := r.Params
	found, err := h.fleet.Horizon(ctx, store.StatusFilter{Sort: store.StatusSort(text(p.Sort)), Group: store.StatusSort(text(p.Group)), Kind: text(p.Kind), Site: text(p.Site),
		Verdict: clock.Verdict(text(p.Verdict)), Clock: clock.Kind(text(p.Clock)), Text: strings.TrimSpace(text(p.Text)), Offset: orElse(p.Offset, 0), Limit: orElse(p.Limit, 100)})
	if err != nil {
		return nil, err
	}
	reading := reader(ctx)
	answer := api.GetHorizon200JSONResponse{Today: date(found.Today), Total: found.Counts.Total(), Counts: map[string]int{},
		Groups: each(found.Groups, func(g store.StatusGroupCount) api.HorizonGroup { return api.HorizonGroup{Head: g.Head, Count: g.N} }),
		Sites:  each(found.Sites, func(s store.Site) api.HorizonSite { return site(s, found.Today) }),
		Rows: each(found.Rows, func(s store.Status) api.HorizonRow {
			row := api.HorizonRow{Unit: unitName(s.UnitName), Verdict: api.Verdict(s.Verdict), ProtectsTo: number(s.ProtectsTo),
				Clocks: each(s.Clocks, func(c clock.Clock) api.Clock {
					return clockOf(reading, c, reading.ColdPlace(s.Site, s.Winters, s.Offset), found.Today)
				})}
			if s.Product != "" {
				row.Product = &s.Product
			}
			if items := found.Work[s.Code]; len(items) > 0 {
				work := each(items, planned)
				row.Work = &work
			}
			return row
		})}
	for v, n := range found.Counts.ByVerdict {
		answer.Counts[string(v)] = n
	}
	for _, g := range found.Groups {
		answer.Count += g.N
	}
	return answer, nil
}

// ListHorizonUnits gives the codes of the units that the filters take.
func (h handlers) ListHorizonUnits(ctx context.Context, r api.ListHorizonUnitsRequestObject) (api.ListHorizonUnitsResponseObject, error) {
	p := r.Params
	codes, err := h.fleet.StatusCodes(ctx, store.StatusFilter{Sort: store.StatusSort(text(p.Sort)), Group: store.StatusSort(text(p.Group)), Kind: text(p.Kind), Site: text(p.Site),
		Verdict: clock.Verdict(text(p.Verdict)), Clock: clock.Kind(text(p.Clock)), Text: strings.TrimSpace(text(p.Text)), DueFrom: dateOf(p.DueFrom), DueTo: dateOf(p.DueTo),
		Offset: orElse(p.Offset, 0), Limit: orElse(p.Limit, 10_000)})
	if err != nil {
		return nil, err
	}
	return api.ListHorizonUnits200JSONResponse(append([]string{}, codes...)), nil
}

// CountRunningOut counts the units that run out in some days.
func (h handlers) CountRunningOut(ctx context.Context, r api.CountRunningOutRequestObject) (api.CountRunningOutResponseObject, error) {
	p := r.Params
	var out api.CountRunningOut200JSONResponse
	var err error
	out.Likely, out.More, err = h.fleet.RunningOut(ctx, store.StatusFilter{Kind: text(p.Kind), Site: text(p.Site), Verdict: clock.Verdict(text(p.Verdict)),
		Clock: clock.Kind(text(p.Clock)), Text: strings.TrimSpace(text(p.Text))}, measure.DateOf(p.DueFrom.Time, time.UTC), measure.DateOf(p.DueTo.Time, time.UTC))
	return out, err
}

func site(s store.Site, today measure.Date) api.HorizonSite {
	return api.HorizonSite{Name: s.Name, Coldest: float64(s.Cold.Coldest()), Seasons: seasons(s.Cold, today)}
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
	found, err := h.fleet.Find(ctx, text, limit)
	if err != nil {
		return nil, err
	}
	return api.ListUnits200JSONResponse(each(found, unitName)), nil
}

// GetAccount opens one account.
func (h handlers) GetAccount(ctx context.Context, r api.GetAccountRequestObject) (api.GetAccountResponseObject, error) {
	var out api.Account
	err := h.fleet.UseAccount(ctx, r.Code, func(m fleet.EvaluatedUnit) error {
		out = account(reader(ctx), m, orElse(r.Params.Lines, 40))
		if err := h.photosMissing(ctx, out.Lines); err != nil {
			return err
		}
		out.MayRelease = slices.Contains(access.Permitted(access.Releases, m.Unit.Ledger.Aircraft), writer(ctx).Role)
		inZone(&out, m.Unit.Zone)
		return nil
	})
	return api.GetAccount200JSONResponse(out), err
}

// ListLines gives some lines of one account.
func (h handlers) ListLines(ctx context.Context, r api.ListLinesRequestObject) (api.ListLinesResponseObject, error) {
	p := r.Params
	var out api.LinePage
	err := h.fleet.UseAccount(ctx, r.Code, func(m fleet.EvaluatedUnit) error {
		var places []int
		wanted := map[string]bool{}
		if p.Ids != nil {
			for _, id := range *p.Ids {
				wanted[id.String()] = true
			}
		}
		for i := range m.Account.Lines {
			e := m.Account.Lines[i].Entry
			if (p.Kind == nil || e.Kind() == ledger.Kind(*p.Kind)) && (p.Ids == nil || wanted[e.ID]) {
				places = append(places, i)
			}
		}
		if p.Before != nil {
			places = places[:min(*p.Before, len(places))]
		}
		out.First = max(0, len(places)-orElse(p.Limit, 100))
		out.Lines = lines(reader(ctx), wordsUnit(m), m.Account, places[out.First:])
		if err := h.photosMissing(ctx, out.Lines); err != nil {
			return err
		}
		inZone(&out, m.Unit.Zone)
		return nil
	})
	return api.ListLines200JSONResponse(out), err
}

// ListProducts for the fill and top-up forms.
func (h handlers) ListProducts(ctx context.Context, _ api.ListProductsRequestObject) (api.ListProductsResponseObject, error) {
	products, err := h.fleet.Products(ctx)
	if err != nil {
		return nil, err
	}
	return api.ListProducts200JSONResponse(each(products, product)), nil
}

// ListAdditives for the forms of a dose, an extender and a filter.
func (h handlers) ListAdditives(ctx context.Context, _ api.ListAdditivesRequestObject) (api.ListAdditivesResponseObject, error) {
	additives, err := h.fleet.Additives(ctx)
	if err != nil {
		return nil, err
	}
	return api.ListAdditives200JSONResponse(each(additives, additive)), nil
}

// ListInstruments for the forms of a test and a zero check.
func (h handlers) ListInstruments(ctx context.Context, _ api.ListInstrumentsRequestObject) (api.ListInstrumentsResponseObject, error) {
	names, err := h.fleet.Instruments(ctx)
	return api.ListInstruments200JSONResponse(names), err
}

// ListEntries of all accounts, the one recorded last first.
func (h handlers) ListEntries(ctx context.Context, r api.ListEntriesRequestObject) (api.ListEntriesResponseObject, error) {
	p := r.Params
	wanted := store.WrittenFilter{Unit: text(p.Unit), Writer: text(p.Writer), Site: text(p.Site), Struck: p.Struck, Limit: orElse(p.Limit, 100)}
	if p.Kind != nil {
		wanted.Kind = ledger.Kind(*p.Kind)
	}
	if p.Before != nil {
		wanted.Before = p.Before.String()
	}
	found, err := h.fleet.Written(ctx, wanted, dateOf(p.From), dateOf(p.To))
	if err != nil {
		return nil, err
	}
	_, zone, err := h.today(ctx)
	out := api.ListEntries200JSONResponse(each(found, writtenEntry))
	inZone(&out, zone)
	return out, err
}

func writtenEntry(w store.WrittenEntry) api.WrittenEntry {
	out := api.WrittenEntry{Unit: unitName(w.UnitName), Id: id(w.ID), Kind: api.EntryKind(w.Entry.Kind()), At: w.At, Text: words.Entry(w.Body), RecordedAt: w.RecordedAt, RecordedBy: w.RecordedBy}
	if s := w.Struck; s != nil {
		out.Struck = &api.Struck{Id: id(s.ID), By: s.RecordedBy, At: s.At, Why: words.Entry(s.Body)}
	}
	return out
}

// WriteEntry stores an entry once, and with it the strike of the one it takes
// the place of.
func (h handlers) WriteEntry(ctx context.Context, r api.WriteEntryRequestObject) (api.WriteEntryResponseObject, error) {
	sent, err := intake.Parse(*r.Body)
	if err != nil {
		return nil, err
	}
	unit, err := h.fleet.Open(ctx, r.Code, sent.ID)
	if err != nil {
		return nil, err
	}
	entries, _, err := sent.Entries(unit.Code, unit)
	if err != nil {
		return nil, err
	}
	receipts, err := h.fleet.WriteEntries(ctx, writer(ctx), unit, entries...)
	if err != nil {
		return nil, err
	}
	receipt := receipts[len(receipts)-1]
	id, err := uuid.Parse(receipt.ID)
	if err != nil {
		return nil, fmt.Errorf("stored id: %w", err)
	}
	return api.WriteEntry201JSONResponse{Id: id, Unit: receipt.Code, Seq: receipt.Seq, Kind: api.EntryKind(receipt.Kind),
		At: receipt.At, RecordedAt: receipt.RecordedAt, RecordedBy: receipt.RecordedBy, Hash: hex.EncodeToString(receipt.Hash[:])}, nil
}

// PreviewEntry gives what an entry would do.
func (h handlers) PreviewEntry(ctx context.Context, r api.PreviewEntryRequestObject) (api.PreviewEntryResponseObject, error) {
	sent, err := intake.Parse(*r.Body)
	if err != nil {
		return nil, err
	}
	unit, err := h.fleet.Open(ctx, r.Code, "")
	if err != nil {
		return nil, err
	}
	entries, read, err := sent.Entries(unit.Code, unit)
	if err != nil {
		return nil, err
	}
	effect, err := h.fleet.PreviewEntries(ctx, writer(ctx), unit, entries...)
	if err != nil {
		return nil, err
	}
	reading := reader(ctx)
	out := api.PreviewEntry200JSONResponse{Before: effectSide(reading, effect.Before), After: effectSide(reading, effect.After), Read: append([]string{}, read.Said()...),
		Line: line(reading, wordsUnit(effect.After), effect.After.Account, effect.Line)}
	inZone(&out, effect.After.Unit.Zone)
	return out, nil
}

func fieldProblem(field, got, accepted string) error {
	return &refusal.Error{Fields: []*refusal.Field{{Pointer: field, Got: got, Accepted: accepted}}}
}

func each[A, B any](in []A, f func(A) B) []B {
	out := make([]B, len(in))
	for i, a := range in {
		out[i] = f(a)
	}
	return out
}
