package fleet

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"maps"
	"math"
	"slices"
	"time"

	"golang.org/x/sync/errgroup"

	"diligentledger/core/climate"
	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/store"
)

// Lists read one status row a unit. A row is written with each entry, and in batches when the
// day, a site's cold, a service plan or the rules have changed ([Fleet.RefreshStatus]); never on
// a reader's request. What is not evaluated by today's basis is read as unknown.

// batch of units that are evaluated and written at once.
const batch = store.StatusPage

// hash of what a status was evaluated by.
func hash(parts ...any) (b store.Basis) {
	sum := sha256.Sum256(fmt.Append(nil, parts...))
	copy(b[:], sum[:])
	return b
}

// basisOf the status of units at a site on a service plan. The site is in it: where its day has
// changed, that of a site in another zone may not have.
func basisOf(site int64, today measure.Date, p serviceplan.Plan) store.Basis {
	return hash(site, " ", today.String(), " ", ledger.Rules, " ", clock.Rules, " ", fmt.Sprintf("%+v", p))
}

// coldOf a site: what its nights are planned for within a year, which is all that a clock reads.
func coldOf(k *climate.Climate, today measure.Date) store.Basis {
	nights := make([]byte, 0, 8*400)
	for n := range 366 {
		day := today.AddDays(n)
		nights = binary.LittleEndian.AppendUint64(nights, math.Float64bits(float64(k.CurveMinimum(day))))
		if t, ok := k.Forecast(day); ok {
			nights = binary.LittleEndian.AppendUint64(nights, math.Float64bits(float64(t)))
		}
	}
	sum := sha256.Sum256(nights)
	return store.Basis(sum[:len(store.Basis{})])
}

// bases of the units of one batch: each site and plan once.
type bases struct {
	basis map[[2]int64]store.Basis
	cold  map[store.ColdKey]store.Basis
}

func newBases() bases {
	return bases{map[[2]int64]store.Basis{}, map[store.ColdKey]store.Basis{}}
}

func (b bases) of(m EvaluatedUnit, s store.Status) (basis, cold store.Basis) {
	key := [2]int64{s.SiteID, s.PlanID}
	basis, ok := b.basis[key]
	if !ok {
		basis = basisOf(s.SiteID, m.Today, m.Unit.Plan)
		b.basis[key] = basis
	}
	cold, ok = b.cold[s.ColdKey]
	if !ok {
		cold = coldOf(m.Unit.Cold, m.Today)
		b.cold[s.ColdKey] = cold
	}
	return basis, cold
}

// status of an evaluated unit, as its row has it.
func (b bases) status(m EvaluatedUnit) store.Status {
	circuits := m.Circuits
	if circuits == nil {
		circuits = []EvaluatedUnit{m}
	}
	first := circuits[0]
	s := first.Unit.Status()
	for _, c := range circuits[1:] {
		s.Seq += c.Unit.Seq
	}
	s.Basis, s.Cold = b.of(first, s)
	s.Verdict, s.Governing, s.Clocks = m.Whole.Verdict, m.Whole.Governing, m.Whole.Clocks
	s.Work, _ = clock.WorkFor(m.Whole.Governing)
	for _, c := range m.Whole.Clocks {
		switch {
		case c.Kind == clock.FollowUp && c.Verdict.Rank() <= clock.Due.Rank():
			s.Pending = true
		case c.Kind == clock.Freeze && c.Due != nil && c.Due.Sub(m.Today) < climate.AheadNights && (s.Night == nil || c.Due.Before(*s.Night)):
			s.Night = c.Due
		}
	}
	s.ProtectsTo = first.Account.ProtectsTo()
	for _, c := range circuits {
		a := c.Account
		// The least protected circuit; not known while one is not.
		if t := a.ProtectsTo(); t == nil || s.ProtectsTo != nil && *t > *s.ProtectsTo {
			s.ProtectsTo = t
		}
		if a.Product != nil && s.Product == "" {
			s.Product = a.Product.Name
		}
		if a.LastTest != nil && s.Tool == "" {
			s.Tool = a.LastTest.Tool
		}
		if s.Discrepancy == nil {
			s.Discrepancy = discrepancy(c)
		}
	}
	return s
}

// discrepancy of book and test of a circuit; nil for none.
func discrepancy(m EvaluatedUnit) *store.StatusDiscrepancy {
	t := m.Account.Discrepancy
	if t == nil {
		return nil
	}
	out := &store.StatusDiscrepancy{At: t.At, Measured: t.Measured, Circuit: m.Unit.Ledger.Circuit}
	if d := m.Account.Diagnosis(); d != nil {
		out.Book = d.Book
		if d.Likeliest != nil {
			x := *d.Likeliest
			x.Balance = nil
			out.Likeliest = &x
		}
	}
	return out
}

// current are the bases that hold now, by site and service plan.
type current struct {
	basis map[[2]int64]store.Basis
	cold  map[store.ColdKey]store.Basis
}

// current bases, of the sites and plans that statuses name; with cold also those of the sites'
// nights.
func (f *Fleet) current(ctx context.Context, groups []store.StatusGroup, cold bool) (current, error) {
	c := current{map[[2]int64]store.Basis{}, map[store.ColdKey]store.Basis{}}
	zones, err := f.store.SiteZones(ctx)
	if err != nil {
		return c, err
	}
	plans, err := f.store.ServicePlanRules(ctx)
	if err != nil {
		return c, err
	}
	today := map[int64]measure.Date{}
	for id, zone := range zones {
		today[id] = measure.DateOf(f.now(), zone)
	}
	if cold {
		sites, err := f.store.Sites(ctx)
		if err != nil {
			return c, err
		}
		at := map[int64]store.Site{}
		for _, s := range sites {
			at[s.ID] = s
		}
		for _, g := range groups {
			if _, there := c.cold[g.ColdKey]; there || at[g.SiteID].Cold == nil {
				continue
			}
			k := at[g.SiteID].Cold
			if g.WinterID != 0 || g.Offset != 0 {
				k = k.Wintering(at[g.WinterID].Cold, g.Offset)
			}
			c.cold[g.ColdKey] = coldOf(k, today[g.SiteID])
		}
	}
	byID := map[int64]serviceplan.Plan{}
	for _, p := range plans {
		byID[p.ID] = p.Plan
	}
	for _, g := range groups {
		c.basis[[2]int64{g.SiteID, g.PlanID}] = basisOf(g.SiteID, today[g.SiteID], byID[g.PlanID])
	}
	return c, nil
}

func (c current) fresh(g store.StatusGroup) bool {
	return c.basis[[2]int64{g.SiteID, g.PlanID}] == g.Basis
}

// RefreshStatus evaluates all units whose status does not rest on what holds now, and gives how
// many that were.
func (f *Fleet) RefreshStatus(ctx context.Context) (refreshed int, err error) {
	if err := f.store.RemoveStatusesOfLeft(ctx); err != nil {
		return 0, err
	}
	refreshed, err = f.refreshPages(ctx, func(ctx context.Context, after store.UnitID) ([]store.Unit, store.UnitID, error) {
		return f.store.UnitsWithoutStatus(ctx, after, batch)
	})
	if err != nil {
		return refreshed, err
	}
	groups, err := f.store.StatusGroups(ctx)
	if err != nil {
		return refreshed, err
	}
	now, err := f.current(ctx, groups, true)
	if err != nil {
		return refreshed, err
	}
	stale := slices.DeleteFunc(groups, func(g store.StatusGroup) bool { return now.fresh(g) && now.cold[g.ColdKey] == g.Cold })
	// A row that an entry wrote meanwhile has left its group.
	n, err := f.refreshPages(ctx, func(ctx context.Context, after store.UnitID) ([]store.Unit, store.UnitID, error) {
		return f.store.UnitsOfStatus(ctx, stale, after, batch)
	})
	refreshed += n
	if err != nil {
		return refreshed, err
	}
	_, err = f.store.CountStatuses(ctx)
	return refreshed, err
}

// RefreshEvery is how often it is asked whether the day, a site's cold, a plan or the rules have
// changed (judgement: a list is seconds behind midnight at the most).
const RefreshEvery = 10 * time.Second

// KeepStatus refreshes until ctx ends; failed is given each try that failed.
func (f *Fleet) KeepStatus(ctx context.Context, failed func(error)) {
	tick := time.NewTicker(RefreshEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			if _, err := f.RefreshStatus(ctx); err != nil && ctx.Err() == nil {
				failed(err)
			}
		}
	}
}

// Rebuild folds every account from its entries, evaluates it and writes both anew; how many
// there are.
func (f *Fleet) Rebuild(ctx context.Context) (int, error) {
	n, err := f.store.Rebuild(ctx)
	if err != nil {
		return n, err
	}
	units, err := f.store.Units(ctx)
	if err != nil {
		return n, err
	}
	_, err = f.refreshPages(ctx, func(_ context.Context, after store.UnitID) ([]store.Unit, store.UnitID, error) {
		end := min(int(after)+batch, len(units))
		return units[after:end], store.UnitID(end), nil
	})
	return n, err
}

// refreshPages of units, each given by the one after which it begins, until an empty one; how many
// units those are. While one page is evaluated the next is read and the one before is written.
func (f *Fleet) refreshPages(ctx context.Context, page func(context.Context, store.UnitID) ([]store.Unit, store.UnitID, error)) (refreshed int, err error) {
	read, evaluated := make(chan readUnits, 2), make(chan []store.Status, 2)
	group, ctx := errgroup.WithContext(ctx)
	group.Go(func() error {
		defer close(read)
		for after := store.UnitID(0); ; {
			units, last, err := page(ctx, after)
			if err != nil || len(units) == 0 {
				return err
			}
			r, err := f.readUnits(ctx, units)
			if err != nil {
				return err
			}
			select {
			case read <- r:
			case <-ctx.Done():
				return ctx.Err()
			}
			after = last
		}
	})
	group.Go(func() error {
		defer close(evaluated)
		for r := range read {
			select {
			case evaluated <- r.rows():
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		return nil
	})
	group.Go(func() error {
		for rows := range evaluated {
			if err := f.store.SaveStatuses(ctx, rows); err != nil {
				return err
			}
			refreshed += len(rows)
		}
		return nil
	})
	err = group.Wait()
	return refreshed, err
}

// refresh the status of some units.
func (f *Fleet) refresh(ctx context.Context, units []store.Unit) error {
	rows, err := f.evaluatedRows(ctx, units)
	if err != nil {
		return err
	}
	return f.store.SaveStatuses(ctx, rows)
}

// evaluatedRows of some units.
func (f *Fleet) evaluatedRows(ctx context.Context, units []store.Unit) ([]store.Status, error) {
	r, err := f.readUnits(ctx, units)
	if err != nil {
		return nil, err
	}
	return r.rows(), nil
}

// refreshCodes of units whose status depends on an entry in other books: their instrument was
// zeroed.
func (f *Fleet) refreshCodes(ctx context.Context, codes []string) error {
	for some := range slices.Chunk(codes, batch) {
		units, err := f.store.UnitsOf(ctx, some)
		if err != nil {
			return err
		}
		if err := f.refresh(ctx, units); err != nil {
			return err
		}
	}
	return nil
}

// readUnits are units with all that their evaluation needs.
type readUnits struct {
	units    []store.Unit
	accounts map[string]*ledger.Account
	on       conditions
}

// readUnits with their stored accounts.
func (f *Fleet) readUnits(ctx context.Context, units []store.Unit) (r readUnits, err error) {
	r.units = units
	if r.accounts, _, err = f.store.Accounts(ctx, units); err != nil {
		return r, err
	}
	r.on, err = f.day(ctx, slices.Collect(maps.Values(r.accounts))...)
	return r, err
}

func (r readUnits) evaluated() []EvaluatedUnit {
	all := make([]EvaluatedUnit, len(r.units))
	for i, u := range r.units {
		all[i] = r.on.evaluatedUnit(u, r.accounts[u.Address()], r.accounts)
	}
	return all
}

func (r readUnits) rows() []store.Status {
	rows, b := make([]store.Status, len(r.units)), newBases()
	for i, m := range r.evaluated() {
		rows[i] = b.status(m)
	}
	return rows
}

// evaluatedUnits from their stored accounts.
func (f *Fleet) evaluatedUnits(ctx context.Context, units []store.Unit) ([]EvaluatedUnit, error) {
	r, err := f.readUnits(ctx, units)
	if err != nil {
		return nil, err
	}
	return r.evaluated(), nil
}

// filter that reads as unknown what is not evaluated by today's basis.
func (f *Fleet) filter(ctx context.Context) (store.StatusFilter, error) {
	r, err := f.store.Rules(ctx)
	if err != nil {
		return store.StatusFilter{}, err
	}
	there, err := f.store.StatusBases(ctx)
	if err != nil {
		return store.StatusFilter{}, err
	}
	filter := store.StatusFilter{}
	for _, b := range f.basesOf(r) {
		if slices.Contains(there, b) {
			filter.Fresh = append(filter.Fresh, b)
		}
	}
	filter.AllFresh = len(filter.Fresh) == len(there)
	return filter, nil
}

// ruleBases are the bases of all sites and plans by the rules as read at one time, on some days.
type ruleBases struct {
	read  time.Time
	days  []measure.Date // of each site
	bases []store.Basis
}

// basesOf all sites and plans now.
func (f *Fleet) basesOf(r store.Rules) []store.Basis {
	now := ruleBases{read: r.Read, days: make([]measure.Date, len(r.Sites))}
	for i, site := range r.Sites {
		now.days[i] = measure.DateOf(f.now(), site.Zone)
	}
	if k := f.bases.Load(); k != nil && k.read.Equal(now.read) && slices.EqualFunc(k.days, now.days, measure.Date.Equal) {
		return k.bases
	}
	for i, site := range r.Sites {
		for _, p := range r.Plans {
			now.bases = append(now.bases, basisOf(site.ID, now.days[i], p.Plan))
		}
	}
	f.bases.Store(&now)
	return now.bases
}

// Statuses of the units that a filter takes, the most urgent first.
func (f *Fleet) Statuses(ctx context.Context, wanted store.StatusFilter) ([]store.Status, error) {
	fresh, err := f.filter(ctx)
	if err != nil {
		return nil, err
	}
	wanted.Fresh, wanted.AllFresh = fresh.Fresh, fresh.AllFresh
	return f.statuses(ctx, wanted)
}

func (f *Fleet) statuses(ctx context.Context, wanted store.StatusFilter) ([]store.Status, error) {
	rows, err := f.store.Statuses(ctx, wanted)
	if err == nil && slices.ContainsFunc(rows, func(r store.Status) bool { return r.WinterID != 0 }) {
		var rules store.Rules
		if rules, err = f.store.Rules(ctx); err != nil {
			return nil, err
		}
		for i := range rows {
			if at := slices.IndexFunc(rules.Sites, func(s store.Site) bool { return s.ID == rows[i].WinterID }); at >= 0 {
				rows[i].Winters = rules.Sites[at].Name
			}
		}
	}
	for i := range rows {
		if r := &rows[i]; !wanted.AllFresh && !slices.Contains(wanted.Fresh, r.Basis) {
			c := clock.NotEvaluatedYet()
			r.Governing, r.Clocks, r.Work, r.ProtectsTo = c, []clock.Clock{c}, "", nil
		}
	}
	return rows, err
}

// Morning is the fleet by verdict, and what is to be seen to today.
type Morning struct {
	Today measure.Date
	// Counts of units by verdict and list, of the whole fleet.
	Counts store.StatusCounts
	// Rows of each verdict, the soonest due first, no more than the limit asked for.
	Rows []store.Status
	// Pending follow-ups, units that the next nights would catch, and units whose book and test
	// disagree, each with all clocks.
	Pending, Nights, Discrepant []store.Status
	// Sites by name.
	Sites []store.Site
	// Coldest of the sites tonight; nil without sites.
	Coldest *Night
}

// Night is a site and the cold planned for there.
type Night struct {
	Site    string
	Celsius measure.Celsius
}

// Horizon is a page of the fleet, and what the filter takes.
type Horizon struct {
	Today  measure.Date
	Counts store.StatusCounts // of the whole fleet
	// Groups that the filter takes, in their order, with the number of units in each; one
	// without a name when there are none.
	Groups []store.StatusGroupCount
	Rows   []store.Status
	Sites  []store.Site // by name
	// Work on the work list of each row's unit, by its code, that is not done.
	Work map[string][]store.WorkItem
}

// Horizon reads the page of a filter with all clocks of its rows.
func (f *Fleet) Horizon(ctx context.Context, wanted store.StatusFilter) (h Horizon, err error) {
	fresh, err := f.filter(ctx)
	if err != nil {
		return h, err
	}
	wanted.Fresh, wanted.AllFresh, wanted.Clocks = fresh.Fresh, fresh.AllFresh, true
	if h.Today, err = f.Today(ctx); err != nil {
		return h, err
	}
	if h.Counts, err = f.store.StatusCounts(ctx, fresh); err != nil {
		return h, err
	}
	if wanted.TakesAll() {
		h.Groups = []store.StatusGroupCount{{N: h.Counts.Total()}}
	} else if h.Groups, err = f.store.StatusGroupCounts(ctx, wanted); err != nil {
		return h, err
	}
	if h.Rows, err = f.statuses(ctx, wanted); err != nil {
		return h, err
	}
	if h.Sites, err = f.store.Sites(ctx); err != nil {
		return h, err
	}
	codes := make([]string, len(h.Rows))
	for i, r := range h.Rows {
		codes[i] = r.Code
	}
	items, err := f.store.WorkListOf(ctx, codes)
	if err != nil || len(items) == 0 {
		return h, err
	}
	planned := map[string]bool{}
	for _, item := range items {
		planned[item.Unit.Code] = true
	}
	evaluated, err := f.Units(ctx, slices.Collect(maps.Keys(planned)))
	if err != nil {
		return h, err
	}
	h.Work = map[string][]store.WorkItem{}
	for _, l := range workLines(items, evaluated) {
		if l.Done == nil {
			h.Work[l.Unit.Code] = append(h.Work[l.Unit.Code], l.WorkItem)
		}
	}
	return h, nil
}

// StatusCodes are the codes of the units that a filter takes, in its order.
func (f *Fleet) StatusCodes(ctx context.Context, wanted store.StatusFilter) ([]string, error) {
	fresh, err := f.filter(ctx)
	if err != nil {
		return nil, err
	}
	wanted.Fresh, wanted.AllFresh = fresh.Fresh, fresh.AllFresh
	return f.store.StatusCodes(ctx, wanted)
}

// morningLists are read at once (judgement: a few of the pool's connections).
const morningLists = 4

// RunningOut counts the units of a filter whose governing clock most likely runs out between two
// days, the last one included, and the further ones that may: some day of their window is among
// these days.
func (f *Fleet) RunningOut(ctx context.Context, wanted store.StatusFilter, from, to measure.Date) (likely, more int, err error) {
	wanted.DueFrom, wanted.DueTo, wanted.Limit, wanted.Offset = nil, nil, 0, 0
	rows, err := f.Statuses(ctx, wanted)
	for _, r := range rows {
		switch due, w := r.Governing.Due, r.Governing.Window; {
		case due != nil && !due.Before(from) && !due.After(to):
			likely++
		case w != nil && !w.P10.After(to) && !w.P90.Before(from):
			more++
		}
	}
	return likely, more, err
}

// Morning reads at most limit units of each verdict; 0 for all.
func (f *Fleet) Morning(ctx context.Context, limit int) (m Morning, err error) {
	fresh, err := f.filter(ctx)
	if err != nil {
		return m, err
	}
	if m.Today, err = f.Today(ctx); err != nil {
		return m, err
	}
	if m.Counts, err = f.store.StatusCounts(ctx, fresh); err != nil {
		return m, err
	}
	group, groupCtx := errgroup.WithContext(ctx)
	group.SetLimit(morningLists)
	read := func(into *[]store.Status, wanted store.StatusFilter) {
		group.Go(func() (err error) {
			*into, err = f.statuses(groupCtx, wanted)
			return err
		})
	}
	byVerdict := make([][]store.Status, len(clock.Verdicts))
	for i, v := range clock.Verdicts {
		if m.Counts.ByVerdict[v] > 0 {
			wanted := fresh
			wanted.Verdict, wanted.Limit = v, limit
			read(&byVerdict[i], wanted)
		}
	}
	for _, one := range []struct {
		rows *[]store.Status
		set  func(*store.StatusFilter)
	}{
		{&m.Pending, func(w *store.StatusFilter) { w.Pending, w.Sort = true, store.ByDay }},
		{&m.Nights, func(w *store.StatusFilter) { w.Nights, w.Sort = true, store.ByNight }},
		{&m.Discrepant, func(w *store.StatusFilter) { w.Discrepant, w.Sort = true, store.ByCode }},
	} {
		wanted := fresh
		wanted.Clocks, wanted.Limit = true, limit
		one.set(&wanted)
		read(one.rows, wanted)
	}
	if err := group.Wait(); err != nil {
		return m, err
	}
	m.Rows = slices.Concat(byVerdict...)
	if m.Sites, err = f.store.Sites(ctx); err != nil {
		return m, err
	}
	for _, s := range m.Sites {
		if t := s.Cold.PlannedMinimum(m.Today); m.Coldest == nil || t < m.Coldest.Celsius {
			m.Coldest = &Night{Site: s.Name, Celsius: t}
		}
	}
	return m, nil
}
