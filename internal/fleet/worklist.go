package fleet

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

// WorkLine is a line of the work list with what the account shows of it.
type WorkLine struct {
	store.WorkItem
	// Done is when the work was done by the books; nil while it is not.
	Done *time.Time
	// Governing clock of the unit now.
	Governing clock.Clock
}

// WorkList is every open line with what the books say of it.
func (f *Fleet) WorkList(ctx context.Context) ([]WorkLine, error) {
	items, err := f.store.WorkList(ctx)
	if err != nil {
		return nil, err
	}
	var codes []string
	for _, p := range items {
		if !slices.Contains(codes, p.Unit.Code) {
			codes = append(codes, p.Unit.Code)
		}
	}
	evaluated, err := f.Units(ctx, codes)
	if err != nil {
		return nil, err
	}
	return workLines(items, evaluated), nil
}

func workLines(items []store.WorkItem, evaluated []EvaluatedUnit) []WorkLine {
	at := make(map[string]EvaluatedUnit, len(evaluated))
	for _, m := range evaluated {
		at[m.Unit.Code] = m
	}
	lines := make([]WorkLine, 0, len(items))
	for _, p := range items {
		if m, ok := at[p.Unit.Code]; ok {
			lines = append(lines, WorkLine{WorkItem: p, Done: clock.CompletedAt(m.account(p.Address), p.Work, p.SentAt), Governing: m.Whole.Governing})
		}
	}
	return lines
}

// circuit of the unit of that name; the first one for none.
func (m EvaluatedUnit) circuit(name ledger.Circuit) store.Unit {
	for _, c := range m.Circuits {
		if c.Unit.Ledger.Circuit == name {
			return c.Unit
		}
	}
	return m.Unit
}

// account of the circuit at that address; that of a circuit which has ended shows nothing done.
func (m EvaluatedUnit) account(address string) *ledger.Account {
	for _, c := range m.Circuits {
		if c.Unit.Address() == address {
			return c.Account
		}
	}
	if m.Unit.Address() == address {
		return m.Account
	}
	return &ledger.Account{}
}

// AddedWork is what came of sending units to the work list.
type AddedWork struct {
	IDs              []int64
	Already, Nothing []string // codes
}

// farthest ahead that work is planned.
const farthest = 5 * 365

// AddWork puts units on the work list, each for what its governing clock asks:
// between the days given, or in the days its clock leaves. A [refusal.Error] when a unit
// is unknown or the days are not accepted.
func (f *Fleet) AddWork(ctx context.Context, by store.Actor, codes []string, from, to *measure.Date) (AddedWork, error) {
	today, err := f.Today(ctx)
	if err != nil {
		return AddedWork{}, err
	}
	if fields := checkDays(from, to, today); len(fields) > 0 {
		return AddedWork{}, &refusal.Error{Fields: fields}
	}
	evaluated, err := f.Units(ctx, codes)
	if err != nil {
		return AddedWork{}, err
	}
	at := make(map[string]EvaluatedUnit, len(evaluated))
	for _, m := range evaluated {
		at[m.Unit.Code] = m
	}
	items, err := f.store.WorkListOf(ctx, codes)
	if err != nil {
		return AddedWork{}, err
	}
	open := workLines(items, evaluated)
	var sent AddedWork
	var lines []store.NewWork
	seen := map[string]bool{}
	for i, code := range codes {
		r, ok := at[code]
		if !ok {
			return AddedWork{}, &refusal.Error{Fields: []*refusal.Field{{Pointer: fmt.Sprintf("/units/%d", i), Got: code, Accepted: "the code of a unit in the register"}}}
		}
		if on := r.Unit.LeftOn; on != nil {
			return AddedWork{}, refusal.New(fmt.Sprintf("/units/%d", i), code+", which left the fleet on "+on.Format("2 Jan 2006"), "a unit of the fleet, or bring it back first")
		}
		if seen[code] {
			continue
		}
		seen[code] = true
		governing := r.Whole.Governing
		work, ok := clock.WorkFor(governing)
		if !ok {
			sent.Nothing = append(sent.Nothing, code)
			continue
		}
		lines = append(lines, r.newWork(work, governing, from, to, open, today))
	}
	sent.IDs, sent.Already, err = f.store.AddWork(ctx, by, lines)
	return sent, err
}

// newWork for a clock of the unit, between the days given, or in the days that the clock leaves. It closes the open line of the same work
// that the books show done.
func (m EvaluatedUnit) newWork(work clock.Work, c clock.Clock, from, to *measure.Date, open []WorkLine, today measure.Date) store.NewWork {
	l := store.NewWork{Unit: m.circuit(c.Circuit), Work: work}
	l.From, l.To = c.DefaultSpan(today)
	if from != nil {
		l.From = *from
	}
	if to != nil {
		l.To = *to
	}
	if l.To.Before(l.From) {
		l.To = l.From
	}
	if i := slices.IndexFunc(open, func(p WorkLine) bool { return p.Address == l.Unit.Address() && p.Work == work && p.Done != nil }); i >= 0 {
		l.Closes = open[i].ID
	}
	return l
}

func checkDays(from, to *measure.Date, today measure.Date) (fields []*refusal.Field) {
	wrong := func(field string, day measure.Date, accepted string) {
		fields = append(fields, &refusal.Field{Pointer: field, Got: day.String(), Accepted: accepted})
	}
	for field, day := range map[string]*measure.Date{"/from": from, "/to": to} {
		if day != nil && (day.Sub(today) < 0 || day.Sub(today) > farthest) {
			wrong(field, *day, fmt.Sprintf("a day from %s to five years on", today.String()))
		}
	}
	if len(fields) == 0 && from != nil && to != nil && to.Before(*from) {
		wrong("/to", *to, "a day not before "+from.String())
	}
	return fields
}

// RescheduleWork gives a line other days; a [refusal.Error] when they are not accepted, or
// [store.ErrNoWorkItem].
func (f *Fleet) RescheduleWork(ctx context.Context, by store.Actor, id int64, from, to measure.Date) error {
	today, err := f.Today(ctx)
	if err != nil {
		return err
	}
	if fields := checkDays(&from, &to, today); len(fields) > 0 {
		return &refusal.Error{Fields: fields}
	}
	return f.store.RescheduleWork(ctx, by, id, from, to)
}

// RemoveWork lines from the work list; [store.ErrNoWorkItem].
func (f *Fleet) RemoveWork(ctx context.Context, by store.Actor, ids []int64) error {
	// The day on which a line was done is kept for its agreed week before the line is gone.
	lines, err := f.WorkList(ctx)
	if err != nil {
		return err
	}
	zone, err := f.store.Zone(ctx)
	if err != nil {
		return err
	}
	done := map[int64]*measure.Date{}
	for _, l := range lines {
		if l.Done != nil && slices.Contains(ids, l.ID) {
			day := measure.DateOf(*l.Done, zone)
			done[l.ID] = &day
		}
	}
	if err := f.store.DoneAsAgreed(ctx, done); err != nil {
		return err
	}
	return f.store.RemoveWork(ctx, by, ids)
}

// Sites with their cold.
func (f *Fleet) Sites(ctx context.Context) ([]store.Site, error) { return f.store.Sites(ctx) }

// mostWater is more than any test of water gives, ppm.
const mostWater = 100_000

// SetSite changes how cautious the cold curve of a site is, its time zone ("" for
// the fleet's), or its water; nil leaves it. A [refusal.Error] when it is not accepted, or
// [store.ErrNoSite].
func (f *Fleet) SetSite(ctx context.Context, by store.Actor, id int64, winters *int, zone *string, water *coolant.MixingWater) (store.Site, error) {
	var fields []*refusal.Field
	if winters != nil && (*winters < climate.MinReturnPeriod || *winters > climate.MaxReturnPeriod) {
		fields = append(fields, &refusal.Field{Pointer: "/returnPeriod", Got: fmt.Sprint(*winters),
			Accepted: fmt.Sprintf("%d to %d", climate.MinReturnPeriod, climate.MaxReturnPeriod)})
	}
	if water != nil {
		for _, t := range water.Tests() {
			if v := t.Value; v != nil && !(*v >= 0 && *v <= mostWater) {
				fields = append(fields, &refusal.Field{Pointer: "/water/" + t.Name, Got: measure.Digits(*v) + " ppm", Accepted: "0 to " + measure.Grouped(mostWater) + " ppm, or nothing for what was not tested"})
			}
		}
	}
	var at *time.Location
	if zone != nil && *zone != "" {
		var bad *refusal.Field
		if at, bad = zoneOf(*zone); bad != nil {
			fields = append(fields, bad)
		}
	}
	if len(fields) > 0 {
		return store.Site{}, &refusal.Error{Fields: fields}
	}
	if winters != nil {
		if err := f.store.SetReturnPeriod(ctx, by, id, *winters); err != nil {
			return store.Site{}, err
		}
	}
	if zone != nil {
		if err := f.store.SetSiteZone(ctx, by, id, at); err != nil {
			return store.Site{}, err
		}
	}
	if water != nil {
		if err := f.store.SetWater(ctx, by, id, *water); err != nil {
			return store.Site{}, err
		}
	}
	if _, err := f.RefreshStatus(ctx); err != nil {
		return store.Site{}, err
	}
	all, err := f.store.Sites(ctx)
	i := slices.IndexFunc(all, func(s store.Site) bool { return s.ID == id })
	if err == nil && i < 0 {
		err = fmt.Errorf("%w: %d", store.ErrNoSite, id)
	}
	if err != nil {
		return store.Site{}, err
	}
	return all[i], nil
}

// zoneOf a name, or what is wrong with it. "Local" is the server's and no setting.
func zoneOf(name string) (*time.Location, *refusal.Field) {
	zone, err := time.LoadLocation(name)
	if err != nil || name == "" || name == "Local" {
		return nil, &refusal.Field{Pointer: "/zone", Got: fmt.Sprintf("%q", name), Accepted: "the name of a time zone, such as Europe/Oslo or America/Santiago"}
	}
	return zone, nil
}

// Zone of the fleet.
func (f *Fleet) Zone(ctx context.Context) (*time.Location, error) { return f.store.Zone(ctx) }

// SetZone of the fleet; a [refusal.Error] when there is no such zone.
func (f *Fleet) SetZone(ctx context.Context, by store.Actor, name string) error {
	zone, bad := zoneOf(name)
	if bad != nil {
		return &refusal.Error{Fields: []*refusal.Field{bad}}
	}
	if err := f.store.SetZone(ctx, by, zone); err != nil {
		return err
	}
	_, err := f.RefreshStatus(ctx)
	return err
}

// SetFleet name, and how its people read who have chosen nothing; nil leaves one as it is.
func (f *Fleet) SetFleet(ctx context.Context, by store.Actor, name *string, r *words.Reader) error {
	if name != nil {
		trimmed := strings.Join(strings.Fields(*name), " ")
		if trimmed == "" {
			return refusal.New("/name", "nothing", "the name of the fleet")
		}
		name = &trimmed
	}
	return f.store.SetFleet(ctx, by, name, r)
}
