// Package fleet holds the use cases: it is the only place where the store and the core meet.
// It reads entries, lets the core fold and evaluate them, and hands the result on. It holds no
// rule of its own.
package fleet

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/intake"
	"diligentledger/internal/store"
)

// Actor is who writes an entry.
type Actor = access.Actor

// Fleet is safe for concurrent use.
type Fleet struct {
	store  *store.Store
	whole  *store.Store // reads whole tables: its statements take their time
	now    func() time.Time
	folded *foldedAccounts
	bases  atomic.Pointer[ruleBases]
	nights atomic.Pointer[keptNights]
	taken  sync.Map // takenWork by circuit and work
}

// New use cases over a store. now is the clock; which day it is follows from the zone of
// the fleet and of each site.
func New(s *store.Store, now func() time.Time) *Fleet {
	return &Fleet{store: s, whole: s, now: now, folded: newFoldedAccounts()}
}

// Reading whole tables by a store whose statements take longer than a request waits.
func (f *Fleet) Reading(patient *store.Store) *Fleet {
	f.whole = patient
	return f
}

// EvaluatedUnit is the account of one circuit of a unit with its clocks, as of today.
type EvaluatedUnit struct {
	Unit    store.Unit
	Account *ledger.Account
	// Status of the circuit; Whole that of its unit, by all its circuits.
	Status, Whole clock.UnitStatus
	// Circuits of a unit with several, in order, this one among them; nil for a unit with one.
	Circuits []EvaluatedUnit
	Today    measure.Date // at the unit's site
	// Additives of the register; of a single account only.
	Additives []coolant.Additive

	day conditions
}

// conditions is what all units' clocks are computed by on one day.
type conditions struct {
	now    time.Time
	zeroed map[string]time.Time
}

// day for some accounts: it knows the instruments that they were tested with.
func (f *Fleet) day(ctx context.Context, accounts ...*ledger.Account) (conditions, error) {
	d := conditions{now: f.now()}
	var tools []string
	for _, a := range accounts {
		if t := a.LastTest; t != nil && t.Tool != "" && !slices.Contains(tools, t.Tool) {
			tools = append(tools, t.Tool)
		}
	}
	var err error
	d.zeroed, err = f.store.ZeroChecks(ctx, tools, d.now.AddDate(0, 0, -coolant.ZeroMonth-1))
	return d, err
}

// evaluated circuit with its unit; account is that of u, others are those of the unit's other
// circuits, by their address.
func (f *Fleet) evaluated(ctx context.Context, u store.Unit, account *ledger.Account, others map[string]*ledger.Account) (EvaluatedUnit, error) {
	all := []*ledger.Account{account}
	for _, a := range others {
		all = append(all, a)
	}
	d, err := f.day(ctx, all...)
	if err != nil {
		return EvaluatedUnit{}, err
	}
	return d.evaluatedUnit(u, account, others), nil
}

// others are the accounts of the other circuits of a unit, by their address.
func (f *Fleet) others(ctx context.Context, u store.Unit) (map[string]*ledger.Account, error) {
	if len(u.Others) == 0 {
		return nil, nil
	}
	accounts, _, err := f.store.Accounts(ctx, u.Others)
	return accounts, err
}

// evaluatedUnit is u with all circuits of its unit, see [Fleet.evaluated].
func (d conditions) evaluatedUnit(u store.Unit, account *ledger.Account, others map[string]*ledger.Account) EvaluatedUnit {
	return d.evaluatedOn(u, account, others, func(u store.Unit) serviceplan.Plan { return u.Plan })
}

// evaluatedOn the service plans that on gives each circuit.
func (d conditions) evaluatedOn(u store.Unit, account *ledger.Account, others map[string]*ledger.Account, on func(store.Unit) serviceplan.Plan) EvaluatedUnit {
	if len(u.Others) == 0 {
		m := d.evaluatedCircuit(u, account, on(u))
		m.Whole = m.Status
		return m
	}
	circuits := u.Circuits()
	of := func(c store.Unit) *ledger.Account {
		if c.Address() == u.Address() {
			return account
		}
		if a := others[c.Address()]; a != nil {
			return a
		}
		missing := ledger.Unevaluated(c.Ledger, nil, fmt.Errorf("the account of %s was not read", c.Ledger.Code))
		return &missing
	}
	first := of(circuits[0])
	var mine int
	all, statuses := make([]EvaluatedUnit, len(circuits)), make([]clock.CircuitStatus, len(circuits))
	for i, c := range circuits {
		a := of(c)
		if !c.First() {
			a = a.WithUnit(first)
		}
		all[i] = d.evaluatedCircuit(c, a, on(c))
		statuses[i] = clock.CircuitStatus{Circuit: c.Ledger.Circuit, UnitStatus: all[i].Status}
		if c.Address() == u.Address() {
			mine = i
		}
	}
	m := all[mine]
	m.Unit, m.Whole, m.Circuits = u, clock.Combine(statuses), all
	return m
}

// evaluatedCircuit by itself.
func (d conditions) evaluatedCircuit(u store.Unit, account *ledger.Account, p serviceplan.Plan) EvaluatedUnit {
	return EvaluatedUnit{Unit: u, Account: account, Status: d.evaluate(account, p, u), Today: measure.DateOf(d.now, u.Zone), day: d}
}

func (d conditions) evaluate(account *ledger.Account, p serviceplan.Plan, u store.Unit) clock.UnitStatus {
	return clock.Evaluate(account, p, clock.Conditions{Climate: u.Cold, Zeroed: d.zeroed, Zone: u.Zone}, measure.DateOf(d.now, u.Zone))
}

// Account of one unit. It returns [store.ErrNoUnit] for an unknown code.
func (f *Fleet) Account(ctx context.Context, code string) (EvaluatedUnit, error) {
	u, err := f.store.Unit(ctx, code)
	if err != nil {
		return EvaluatedUnit{}, err
	}
	entries, err := f.store.Entries(ctx, u)
	if err != nil {
		return EvaluatedUnit{}, err
	}
	account := ledger.TryFold(u.Ledger, entries)
	others, err := f.others(ctx, u)
	if err != nil {
		return EvaluatedUnit{}, err
	}
	m, err := f.evaluated(ctx, u, &account, others)
	if err != nil {
		return EvaluatedUnit{}, err
	}
	m.Additives, err = f.store.Additives(ctx)
	return m, err
}

// Now is the time by the clock of the fleet.
func (f *Fleet) Now() time.Time { return f.now() }

// Today in the fleet's own time zone.
func (f *Fleet) Today(ctx context.Context) (measure.Date, error) {
	zone, err := f.store.Zone(ctx)
	if err != nil {
		return measure.Date{}, err
	}
	return measure.DateOf(f.now(), zone), nil
}

// Units evaluated from their stored accounts, which have no lines, in the order asked for; those
// that are not in the register are left out.
func (f *Fleet) Units(ctx context.Context, codes []string) ([]EvaluatedUnit, error) {
	units, err := f.store.UnitsOf(ctx, codes)
	if err != nil {
		return nil, err
	}
	evaluated, err := f.evaluatedUnits(ctx, units)
	if err != nil {
		return nil, err
	}
	at := make(map[string]EvaluatedUnit, len(evaluated))
	for _, m := range evaluated {
		at[m.Unit.Code] = m
	}
	var some []EvaluatedUnit
	for _, code := range codes {
		if m, ok := at[code]; ok {
			some = append(some, m)
		}
	}
	return some, nil
}

// Find units by part of their code or name.
func (f *Fleet) Find(ctx context.Context, text string, limit int) ([]store.UnitName, error) {
	return f.store.Find(ctx, text, limit)
}

// Products that may be poured in.
func (f *Fleet) Products(ctx context.Context) ([]coolant.Product, error) {
	return f.store.Products(ctx)
}

// Additives of the register.
func (f *Fleet) Additives(ctx context.Context) ([]coolant.Additive, error) {
	return f.store.Additives(ctx)
}

// Written entries of all accounts that a filter takes, recorded between two days of the fleet's time
// zone, the last one included; nil for no bound.
func (f *Fleet) Written(ctx context.Context, wanted store.WrittenFilter, from, to *measure.Date) (entries []store.WrittenEntry, err error) {
	if wanted.From, wanted.To, err = f.between(ctx, from, to); err != nil {
		return nil, err
	}
	return f.store.Written(ctx, wanted)
}

// Audit lines that a filter takes, between two days as [Fleet.Written] has them.
func (f *Fleet) Audit(ctx context.Context, wanted store.AuditFilter, from, to *measure.Date) (lines []store.Audited, err error) {
	if wanted.From, wanted.To, err = f.between(ctx, from, to); err != nil {
		return nil, err
	}
	return f.store.AuditLines(ctx, wanted)
}

// between the first moment of a day and that after the end of another, in the fleet's time zone; a
// [refusal.Error] when they are the wrong way round.
func (f *Fleet) between(ctx context.Context, from, to *measure.Date) (begin, end time.Time, err error) {
	if from != nil && to != nil && to.Before(*from) {
		return begin, end, refusal.New("/to", to.Format("2 Jan 2006"), from.Format("2 Jan 2006")+" or later")
	}
	zone, err := f.Zone(ctx)
	if err != nil {
		return begin, end, err
	}
	if from != nil {
		begin = from.Start(zone)
	}
	if to != nil {
		end = to.AddDays(1).Start(zone)
	}
	return begin, end, nil
}

// Instruments that tests were made with, by name.
func (f *Fleet) Instruments(ctx context.Context) ([]string, error) {
	return f.store.Instruments(ctx)
}

// Ready reports whether the database answers.
func (f *Fleet) Ready(ctx context.Context) error { return f.store.Ready(ctx) }

// place of an opened unit, which decides whether it takes an entry.
func (f *Fleet) place(o *store.Opened) intake.Place {
	u, tools := o.Unit, instruments(o.Instruments())
	d := conditions{now: f.now()}
	return intake.Place{Ended: u.Ended, LeftOn: u.LeftOn, Zone: u.Zone, Meant: tools.Meant,
		Evaluate: func(a *ledger.Account) clock.UnitStatus { return d.evaluate(a, u.Plan, u) }}
}

func instruments(all []store.Instrument) (out intake.Instruments) {
	for _, one := range all {
		out = append(out, intake.InstrumentOf(one.Name, one.Facts))
	}
	return out
}

// check an entry by [intake.Check].
func (f *Fleet) check(o *store.Opened, w Actor, h *ledger.History, e ledger.Entry) error {
	return intake.Check(f.place(o), w, h, e, f.now())
}

// Forbidden says that the writer's role may not write such an entry.
type Forbidden = intake.Forbidden

// Open the unit of that code, to write an entry of that id; [store.ErrNoUnit].
func (f *Fleet) Open(ctx context.Context, code, entry string) (*store.Opened, error) {
	return f.store.Open(ctx, code, entry)
}

// WriteEntries into the books of an opened unit, all or none. It returns a [refusal.Error] when
// one cannot be right, [Forbidden] or [store.ErrEntryDiffers].
func (f *Fleet) WriteEntries(ctx context.Context, w Actor, o *store.Opened, entries ...ledger.Entry) ([]store.Receipt, error) {
	for i := range entries {
		if entries[i].RecordedBy == "" { // else by the person who did the step of a job
			entries[i].RecordedBy, entries[i].RecordedByID, entries[i].Envelope.Token = w.Name, w.ID, w.Token
		}
	}
	var by *entryWriting
	var receipts []store.Receipt
	err := f.reopening(ctx, o, func(o *store.Opened) (err error) {
		by = f.writing(ctx, w, o)
		by.entries = entries
		receipts, err = f.store.Append(ctx, o, entries, by.check, by.stored)
		return err
	})
	if err == nil {
		by.refresh(ctx)
	}
	return receipts, err
}

// mostReopened times while the facts of a unit keep changing.
const mostReopened = 4

// reopening does what is done with an opened unit, again with the unit opened anew when its facts changed meanwhile.
func (f *Fleet) reopening(ctx context.Context, o *store.Opened, do func(*store.Opened) error) error {
	for try := 1; ; try++ {
		err := do(o)
		if try == mostReopened || !errors.Is(err, store.ErrFactsChanged) {
			return err
		}
		again, openErr := f.Open(ctx, o.Address(), "")
		if openErr != nil {
			return errors.Join(err, openErr)
		}
		o = again
	}
}

// entryWriting is how entries of one person are judged and stored, whichever way they come.
type entryWriting struct {
	f *Fleet
	// check of an entry against the account before it, and stored what follows from the last one: see [store.Store.Append].
	check  func(store.Appending) error
	stored func(store.Appending) (*ledger.Account, []store.Status, error)
	// entries that are written.
	entries []ledger.Entry
	tools   []string // instruments whose last zero check may have changed
}

func (f *Fleet) writing(ctx context.Context, w Actor, o *store.Opened) *entryWriting {
	by, u := &entryWriting{f: f}, o.Unit
	by.check = func(a store.Appending) error {
		if err := f.check(o, w, a.History, a.Entry); err != nil {
			return err
		}
		return f.jobHolds(ctx, u, a.History, a.Entry)
	}
	by.stored = func(last store.Appending) (*ledger.Account, []store.Status, error) {
		by.tools = zeroedTools(by.entries, last.History.Entries())
		account := last.History.EvaluatedAfter(last.Entry)
		m, err := f.evaluated(ctx, u, account, last.Others)
		if err != nil {
			return nil, nil, err
		}
		if u.LeftOn != nil {
			return account, nil, nil // it is in no list
		}
		status := newBases().status(m)
		status.Seq = last.Seq + last.OthersSeq
		return account, []store.Status{status}, nil
	}
	return by
}

// refresh the units that were tested with instruments whose zero check has changed. The entries are stored, even if this fails: a
// row that is not evaluated anew here is at the next refresh.
func (by *entryWriting) refresh(ctx context.Context) {
	for _, tool := range by.tools {
		if codes, err := by.f.store.CodesTestedWith(ctx, tool); err == nil {
			_ = by.f.refreshCodes(ctx, codes)
		}
	}
}

// zeroedTools are the instruments whose last zero check may have changed with some entries, which
// is in other units' clocks too.
func zeroedTools(entries, written []ledger.Entry) (tools []string) {
	add := func(b ledger.Body) {
		tool := ""
		switch b := b.(type) {
		case ledger.ZeroCheck:
			tool = b.Tool
		case ledger.FreezeTest:
			if b.Zero != nil {
				tool = b.Tool
			}
		}
		if tool != "" && !slices.Contains(tools, tool) {
			tools = append(tools, tool)
		}
	}
	for _, e := range entries {
		add(e.Body)
		if s, ok := e.Body.(ledger.Strike); ok {
			if i := slices.IndexFunc(written, func(o ledger.Entry) bool { return o.ID == s.Entry }); i >= 0 {
				add(written[i].Body)
			}
		}
	}
	return tools
}

// Effect of entries that are not written yet.
type Effect struct {
	Before, After EvaluatedUnit
	Line          int // of the last of them, among the lines after
}

// PreviewEntries gives what entries would do, with the same refusals as [Fleet.WriteEntries].
func (f *Fleet) PreviewEntries(ctx context.Context, w Actor, o *store.Opened, entries ...ledger.Entry) (Effect, error) {
	u := o.Unit
	for i := range entries {
		entries[i].RecordedBy, entries[i].RecordedByID = w.Name, w.ID
		instruments(o.Instruments()).Judge(&entries[i], o.Zone)
	}
	var h *ledger.History
	if len(entries) == 1 && o.Account != nil {
		h, _ = ledger.Continued(o.Account, entries[0])
	}
	if h == nil {
		written, err := f.store.Entries(ctx, u)
		if err != nil {
			return Effect{}, err
		}
		h = ledger.HistoryOf(u.Ledger, written)
	}
	before := h.EvaluatedBefore()
	for i, e := range entries {
		if i > 0 {
			h = h.With(entries[i-1])
		}
		if err := f.check(o, w, h, e); err != nil {
			return Effect{}, err
		}
		if err := f.jobHolds(ctx, u, h, e); err != nil {
			return Effect{}, err
		}
	}
	last := entries[len(entries)-1]
	after := h.EvaluatedAfter(last)
	d, err := f.day(ctx, before, after)
	if err != nil {
		return Effect{}, err
	}
	others, err := f.others(ctx, u)
	if err != nil {
		return Effect{}, err
	}
	effect := Effect{Before: d.evaluatedUnit(u, before, others), After: d.evaluatedUnit(u, after, others)}
	effect.Line = slices.IndexFunc(after.Lines, func(l ledger.Line) bool { return l.Entry.ID == last.ID })
	return effect, nil
}

// StatusChange is what a changed plan would do to one unit on it.
type StatusChange struct {
	Unit          store.Unit
	Before, After clock.UnitStatus
}

// PreviewServicePlan gives which units on the plan would change status, the worst
// first; a [refusal.Error] when the plan is not accepted, [store.ErrNoServicePlan].
func (f *Fleet) PreviewServicePlan(ctx context.Context, id int64, p serviceplan.Plan) ([]StatusChange, error) {
	if fields := serviceplan.Check(p); len(fields) > 0 {
		return nil, &refusal.Error{Fields: fields}
	}
	if _, err := f.servicePlan(ctx, id); err != nil {
		return nil, err
	}
	units, err := f.store.UnitsOfPlan(ctx, id)
	if err != nil {
		return nil, err
	}
	return f.statusChanges(ctx, p, units, func(u store.Unit) bool { return u.PlanID == id })
}

// statusChanges are those of some units that would change status if the circuits that on takes
// were on a plan, the worst first.
func (f *Fleet) statusChanges(ctx context.Context, p serviceplan.Plan, units []store.Unit, on func(store.Unit) bool) ([]StatusChange, error) {
	evaluated, err := f.evaluatedUnits(ctx, units)
	if err != nil {
		return nil, err
	}
	var changed []StatusChange
	for _, r := range evaluated {
		circuits := r.Circuits
		if circuits == nil {
			circuits = []EvaluatedUnit{r}
		}
		accounts := map[string]*ledger.Account{}
		for _, c := range circuits {
			account := c.Account
			if p.Replaced != c.Unit.Plan.Replaced && on(c.Unit) {
				entries, err := f.store.Entries(ctx, c.Unit)
				if err != nil {
					return nil, err
				}
				u := c.Unit.Ledger
				u.Replaced = p.Replaced
				anew := ledger.TryFold(u, entries)
				account = &anew
			}
			accounts[c.Unit.Address()] = account
		}
		after := r.day.evaluatedOn(r.Unit, accounts[r.Unit.Address()], accounts, func(u store.Unit) serviceplan.Plan {
			if on(u) {
				return p
			}
			return u.Plan
		}).Whole
		if after.Verdict != r.Whole.Verdict || !sameDay(after.Governing.Due, r.Whole.Governing.Due) || after.Governing.Kind != r.Whole.Governing.Kind {
			changed = append(changed, StatusChange{Unit: r.Unit, Before: r.Whole, After: after})
		}
	}
	slices.SortStableFunc(changed, func(x, y StatusChange) int { return clock.ByUrgency(x.After.Governing, y.After.Governing) })
	return changed, nil
}

// PreviewServicePlanByKind gives which units would change status if all of a kind, at
// one site or at all, were on the plan; [store.ErrNoServicePlan].
func (f *Fleet) PreviewServicePlanByKind(ctx context.Context, plan int64, kind, site string) ([]StatusChange, error) {
	p, err := f.servicePlan(ctx, plan)
	if err != nil {
		return nil, err
	}
	units, err := f.store.UnitsOfKindNotOn(ctx, plan, kind, site)
	if err != nil {
		return nil, err
	}
	return f.statusChanges(ctx, p.Plan, units, store.Unit.First)
}

// servicePlan of the register; [store.ErrNoServicePlan].
func (f *Fleet) servicePlan(ctx context.Context, id int64) (store.ServicePlan, error) {
	all, err := f.store.ServicePlans(ctx)
	if err != nil {
		return store.ServicePlan{}, err
	}
	i := slices.IndexFunc(all, func(p store.ServicePlan) bool { return p.ID == id })
	if i < 0 {
		return store.ServicePlan{}, fmt.Errorf("%w: %d", store.ErrNoServicePlan, id)
	}
	return all[i], nil
}

// AssignServicePlanByKind moves all units of a kind, at one site or at all, to the plan, and
// gives how many that were.
func (f *Fleet) AssignServicePlanByKind(ctx context.Context, by store.Actor, plan int64, kind, site string) (int, error) {
	if site != "" {
		sites, err := f.store.Sites(ctx)
		if err != nil {
			return 0, err
		}
		if !slices.ContainsFunc(sites, func(s store.Site) bool { return s.Name == site }) {
			return 0, &refusal.Error{Fields: []*refusal.Field{{Pointer: "/site", Got: site, Accepted: "the name of a site in the register"}}}
		}
	}
	moved, err := f.store.AssignServicePlanByKind(ctx, by, plan, kind, site)
	if err != nil {
		return moved, err
	}
	_, err = f.RefreshStatus(ctx)
	return moved, err
}

func sameDay(a, b *measure.Date) bool { return (a == nil) == (b == nil) && (a == nil || a.Equal(*b)) }

// ServicePlans of the register.
func (f *Fleet) ServicePlans(ctx context.Context) ([]store.ServicePlan, error) {
	return f.store.ServicePlans(ctx)
}

// SaveServicePlan changes a plan that still bears the mark, or adds one when id is 0; a
// [refusal.Error] when it is not accepted, [store.ErrServicePlanChanged].
func (f *Fleet) SaveServicePlan(ctx context.Context, by store.Actor, id int64, mark string, p serviceplan.Plan) (int64, error) {
	if fields := serviceplan.Check(p); len(fields) > 0 {
		return 0, &refusal.Error{Fields: fields}
	}
	var err error
	if id == 0 {
		id, err = f.store.AddServicePlan(ctx, by, p)
	} else {
		err = f.store.SetServicePlan(ctx, by, id, mark, p)
	}
	if errors.Is(err, store.ErrTaken) {
		return 0, &refusal.Error{Fields: []*refusal.Field{{Pointer: "/name", Got: p.Name + ", the name of another plan,", Accepted: "a name of its own"}}}
	}
	if err != nil {
		return id, err
	}
	_, err = f.RefreshStatus(ctx)
	return id, err
}

// AssignServicePlan moves a unit to another plan.
func (f *Fleet) AssignServicePlan(ctx context.Context, by store.Actor, code string, plan int64) error {
	if err := f.store.AssignServicePlan(ctx, by, code, plan); err != nil {
		return err
	}
	u, err := f.store.Unit(ctx, code)
	if err != nil {
		return err
	}
	return f.refreshCodes(ctx, []string{u.Code})
}
