package fleet

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/round"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/intake"
	"diligentledger/internal/store"
	"diligentledger/internal/walk"
	"diligentledger/internal/words"
)

// Walk is what a device takes along on a round.
type Walk struct {
	Shared walk.Shared
	Units  []WalkUnit
	Now    time.Time
	Today  measure.Date
}

// WalkUnit is a unit of a walk, in the order of parking.
type WalkUnit struct {
	store.Parked
	Pack walk.Pack
	View walk.View
}

// MostWalked units of one walk: what a device holds and a person can do in a day (judgement).
const MostWalked = 300

// WalkFilter takes units of a walk: those of a site, of a row of its parking places, or the one that a
// code, a tag or a registration names.
type WalkFilter struct {
	Site, Row string
	// Rowed: Row is meant, even when it is empty.
	Rowed bool
	Tag   string
}

// WalkRow is a row of parking places with how many units are in it.
type WalkRow struct {
	Site, Row string
	Units     int
}

// WalkRows of the fleet by site and row.
func (f *Fleet) WalkRows(ctx context.Context) ([]WalkRow, error) {
	parked, err := f.store.ParkedUnits(ctx, "")
	if err != nil {
		return nil, err
	}
	var rows []WalkRow
	for _, p := range parked {
		row := round.Row(p.Place)
		i := slices.IndexFunc(rows, func(r WalkRow) bool { return r.Site == p.Site && r.Row == row })
		if i < 0 {
			i, rows = len(rows), append(rows, WalkRow{Site: p.Site, Row: row})
		}
		rows[i].Units++
	}
	slices.SortFunc(rows, func(a, b WalkRow) int { return cmp.Or(cmp.Compare(a.Site, b.Site), round.ComparePlaces(a.Row, b.Row)) })
	return rows, nil
}

// takes a parked unit.
func (w WalkFilter) takes(p store.Parked) bool {
	if w.Tag != "" {
		is := func(text string) bool { return text != "" && strings.EqualFold(strings.TrimSpace(w.Tag), text) }
		return is(p.Code) || is(p.Tag) || is(p.Registration)
	}
	return p.Site == w.Site && (!w.Rowed || round.Row(p.Place) == w.Row)
}

// Walk of the units that a filter takes, for a person; a [refusal.Error] when it takes none or too many.
func (f *Fleet) Walk(ctx context.Context, who Actor, r words.Reader, wanted WalkFilter) (w Walk, err error) {
	parked, err := f.store.ParkedUnits(ctx, wanted.Site)
	if err != nil {
		return w, err
	}
	parked = slices.DeleteFunc(parked, func(p store.Parked) bool { return !wanted.takes(p) })
	switch {
	case len(parked) == 0 && wanted.Tag != "":
		return w, refusal.New("/tag", wanted.Tag, "the number, the tag or the registration of a unit in the register")
	case len(parked) == 0:
		return w, refusal.New("/site", joinedPlace(wanted), "a site and a row with units")
	case len(parked) > MostWalked:
		return w, refusal.New("/site", fmt.Sprintf("%s with %d units", joinedPlace(wanted), len(parked)), fmt.Sprintf("at most %d units: choose a row, or give the units their parking places in the register", MostWalked))
	}
	slices.SortStableFunc(parked, byPlace)
	codes := make([]string, len(parked))
	for i, p := range parked {
		codes[i] = p.Code
	}
	units, err := f.store.UnitsOf(ctx, codes)
	if err != nil {
		return w, err
	}
	w.Now = f.now()
	if w.Today, err = f.Today(ctx); err != nil {
		return w, err
	}
	if w.Shared, err = f.walkShared(ctx, who, r, w.Now); err != nil {
		return w, err
	}
	packs, err := f.walkPacks(ctx, &w.Shared, units)
	if err != nil {
		return w, err
	}
	for _, p := range parked {
		i := slices.IndexFunc(units, func(u store.Unit) bool { return u.Code == p.Code })
		if i < 0 {
			continue // it left the fleet meanwhile
		}
		pack := packs[i]
		pack.CapStages = p.CapStages
		open, err := walk.Open(&w.Shared, pack, nil, w.Now)
		if err != nil {
			return w, err
		}
		w.Units = append(w.Units, WalkUnit{Parked: p, Pack: pack, View: open.View()})
	}
	return w, nil
}

func joinedPlace(w WalkFilter) string {
	if w.Rowed {
		return w.Site + ", row " + w.Row
	}
	return w.Site
}

func (f *Fleet) walkShared(ctx context.Context, who Actor, r words.Reader, now time.Time) (walk.Shared, error) {
	s := walk.Shared{PackedAt: now, Version: walk.Version(), Actor: who, Reader: r.Text(), Plans: map[string]serviceplan.Plan{}, Colds: map[string]*climate.Climate{}, Zones: map[string][]byte{}}
	products, err1 := f.store.Products(ctx)
	additives, err2 := f.store.Additives(ctx)
	tools, zeroed, err3 := f.WalkInstruments(ctx)
	s.Products, s.Additives, s.Instruments, s.Zeroed = products, additives, tools, zeroed
	sites, err4 := f.store.Sites(ctx)
	for _, site := range sites {
		if until := site.ForecastUntil(); until != nil && (s.ForecastUntil == nil || until.Before(*s.ForecastUntil)) {
			s.ForecastUntil = until
		}
	}
	return s, errors.Join(err1, err2, err3, err4)
}

// walkPacks of units, in their order; what they share goes into s.
func (f *Fleet) walkPacks(ctx context.Context, s *walk.Shared, units []store.Unit) ([]walk.Pack, error) {
	entries, err := f.store.EntriesOf(ctx, units)
	if err != nil {
		return nil, err
	}
	accounts, err := f.store.PackedAccounts(ctx, units)
	if err != nil {
		return nil, err
	}
	packs := make([]walk.Pack, len(units))
	for i, u := range units {
		cold := fmt.Sprintf("%s|%s|%g", u.Site, u.Winters, u.ColdOffset)
		s.Colds[cold] = u.Cold
		zone := u.Zone.String()
		if s.Zones[zone] == nil {
			s.Zones[zone] = walk.ZoneData(u.Zone)
		}
		p := walk.Pack{Code: u.Code, Name: u.Name, Kind: u.Kind, Site: u.Site, Drive: u.Drive, Zone: zone, Cold: cold, Winters: u.Winters, ColdOffset: u.ColdOffset, Heated: u.Heated, LeftOn: u.LeftOn}
		for _, c := range u.Circuits() {
			s.Plans[fmt.Sprint(c.PlanID)] = c.Plan
			circuit := walk.Circuit{Address: c.Address(), Unit: c.Ledger, Plan: fmt.Sprint(c.PlanID), ID: c.CircuitID(), Entries: []walk.Entry{}}
			circuit.Unit.Code = c.Address()
			for _, e := range entries[c.Address()] {
				packed, err := walk.EntryOf(e)
				if err != nil {
					circuit.Failure = err.Error()
					break
				}
				circuit.Entries = append(circuit.Entries, packed)
			}
			if a, ok := accounts[c.Address()]; ok && circuit.Failure == "" {
				circuit.Account = &a
			}
			p.Circuits = append(p.Circuits, circuit)
		}
		packs[i] = p
	}
	return packs, nil
}

// BatchEntry is an entry that a device sends with others.
type BatchEntry struct {
	Unit string
	// Circuit is the id of its account, 0 when the device does not know it: it finds the account when
	// the unit has another number now.
	Circuit int64
	// Open gives what is written into the opened account.
	Entries func(o *store.Opened) ([]ledger.Entry, error)
	ID      string
}

// openBatch opens the account of an entry that a device sends.
func (f *Fleet) openBatch(ctx context.Context, e BatchEntry) (*store.Opened, error) {
	o, err := f.store.Open(ctx, e.Unit, e.ID)
	if e.Circuit != 0 && (errors.Is(err, store.ErrNoUnit) || err == nil && o.CircuitID() != e.Circuit) {
		address, lookup := f.store.AddressOf(ctx, e.Circuit)
		if lookup != nil {
			return nil, lookup
		}
		o, err = f.store.Open(ctx, address, e.ID)
	}
	return o, err
}

// WriteBatchEntry of a device into the books; already reports that it was there before. Another entry
// of the batch does not depend on it.
func (f *Fleet) WriteBatchEntry(ctx context.Context, w Actor, e BatchEntry) (receipt store.Receipt, already bool, err error) {
	o, err := f.openBatch(ctx, e)
	if err != nil {
		return receipt, false, err
	}
	entries, err := e.Entries(o)
	if err != nil {
		return receipt, false, err
	}
	started := f.now().Add(-time.Microsecond)
	receipts, err := f.WriteEntries(ctx, w, o, entries...)
	if err != nil {
		return receipt, false, err
	}
	receipt = receipts[len(receipts)-1]
	return receipt, o.There() || receipt.RecordedAt.Before(started.Truncate(time.Microsecond)), nil
}

// Written is what became of an entry of a group.
type Written struct {
	store.Receipt
	// Already: it was there before.
	Already bool
}

// WriteBatchGroup writes entries of one unit that a device means as one act, such as the strikes of an undo: all of
// them, whichever accounts of the unit they belong to, or none.
func (f *Fleet) WriteBatchGroup(ctx context.Context, w Actor, group []BatchEntry) ([]Written, error) {
	for try := 1; ; try++ {
		written, err := f.writeGroup(ctx, w, group)
		if try == mostReopened || !errors.Is(err, store.ErrFactsChanged) {
			return written, err
		}
	}
}

func (f *Fleet) writeGroup(ctx context.Context, w Actor, group []BatchEntry) ([]Written, error) {
	var parts []store.Part
	var writing []*entryWriting
	type place struct{ part, last int }
	places := make([]place, len(group))
	for i, e := range group {
		o, err := f.openBatch(ctx, e)
		if err != nil {
			return nil, err
		}
		entries, err := e.Entries(o)
		if err != nil {
			return nil, err
		}
		for n := range entries {
			entries[n].RecordedBy, entries[n].RecordedByID, entries[n].Envelope.Token = w.Name, w.ID, w.Token
		}
		if i > 0 && o.Unit.Code != parts[0].Opened.Unit.Code {
			return nil, refusal.New("/act", parts[0].Opened.Address()+" and "+o.Address(), "entries of one unit")
		}
		at := slices.IndexFunc(parts, func(p store.Part) bool { return p.Opened.CircuitID() == o.CircuitID() })
		if at < 0 {
			at = len(parts)
			by := f.writing(ctx, w, o)
			writing = append(writing, by)
			parts = append(parts, store.Part{Opened: o, Check: by.check, Stored: by.stored})
		}
		parts[at].Entries = append(parts[at].Entries, entries...)
		writing[at].entries = parts[at].Entries
		places[i] = place{at, len(parts[at].Entries) - 1}
	}
	started := f.now().Add(-time.Microsecond).Truncate(time.Microsecond)
	receipts, err := f.store.AppendParts(ctx, parts)
	if err != nil {
		return nil, err
	}
	for _, by := range writing {
		by.refresh(ctx)
	}
	written := make([]Written, len(group))
	for i, p := range places {
		r := receipts[p.part][p.last]
		written[i] = Written{Receipt: r, Already: r.RecordedAt.Before(started)}
	}
	return written, nil
}

// RoundSummary is a round with what was found on it.
type RoundSummary struct {
	store.Round
	Stops []RoundStop
	// By how many are in each state, and how many units are on hold now.
	Done, Skipped, Waiting, Held int
}

// RoundStop is a unit of a round with what was recorded there, and its status now.
type RoundStop struct {
	store.RoundStop
	Name    string
	Status  *store.Status // nil when it is not known
	Entries []ledger.Entry
}

// roundsSince back the rounds of the last day are shown, and those that are not closed of the last three
// (judgement).
const (
	roundsSince = 24 * time.Hour
	openSince   = 3 * 24 * time.Hour
)

// RoundsNow are the rounds under way and those of the last day, the newest first.
func (f *Fleet) RoundsNow(ctx context.Context) ([]RoundSummary, error) {
	now := f.now()
	all, err := f.store.Rounds(ctx, now.Add(-openSince))
	if err != nil {
		return nil, err
	}
	all = slices.DeleteFunc(all, func(r store.Round) bool { return r.ClosedAt != nil && r.ClosedAt.Before(now.Add(-roundsSince)) })
	return f.roundSummaries(ctx, all)
}

// RoundOf an id with all that was found on it; [store.ErrNoRound].
func (f *Fleet) RoundOf(ctx context.Context, id string) (RoundSummary, error) {
	r, err := f.store.Round(ctx, id)
	if err != nil {
		return RoundSummary{}, err
	}
	all, err := f.roundSummaries(ctx, []store.Round{r})
	if err != nil {
		return RoundSummary{}, err
	}
	return all[0], nil
}

func (f *Fleet) roundSummaries(ctx context.Context, rounds []store.Round) ([]RoundSummary, error) {
	ids := make([]string, len(rounds))
	for i, r := range rounds {
		ids[i] = r.ID
	}
	entries, err := f.store.EntriesOfRounds(ctx, ids)
	if err != nil {
		return nil, err
	}
	at := map[string]store.Status{}
	var codes []string
	for _, r := range rounds {
		for _, stop := range r.Stops {
			codes = append(codes, stop.Unit)
		}
		codes = slices.AppendSeq(codes, maps.Keys(entries[r.ID]))
	}
	slices.Sort(codes)
	if codes = slices.Compact(codes); len(codes) > 0 {
		statuses, err := f.Statuses(ctx, store.StatusFilter{Codes: codes})
		if err != nil {
			return nil, err
		}
		for _, s := range statuses {
			at[s.Code] = s
		}
	}
	all := make([]RoundSummary, len(rounds))
	for i, r := range rounds {
		sum := RoundSummary{Round: r}
		listed := map[string]bool{}
		add := func(stop store.RoundStop) {
			one := RoundStop{RoundStop: stop, Entries: entries[r.ID][stop.Unit]}
			if s, ok := at[stop.Unit]; ok {
				one.Name, one.Status = s.Name, &s
				if s.Verdict == "hold" {
					sum.Held++
				}
			}
			switch stop.State {
			case store.StopDone:
				sum.Done++
			case store.StopSkipped:
				sum.Skipped++
			default:
				sum.Waiting++
			}
			listed[stop.Unit] = true
			sum.Stops = append(sum.Stops, one)
		}
		for _, stop := range r.Stops {
			add(stop)
		}
		// What arrived before the report that names it.
		for _, unit := range slices.Sorted(maps.Keys(entries[r.ID])) {
			if !listed[unit] {
				add(store.RoundStop{Unit: unit, State: store.StopWaiting})
			}
		}
		all[i] = sum
	}
	return all, nil
}

// SaveRound as its device reports it; [store.ErrNoRound] when it is another person's.
func (f *Fleet) SaveRound(ctx context.Context, r store.Round) error { return f.store.SaveRound(ctx, r) }

// AddAttachment of an entry.
func (f *Fleet) AddAttachment(ctx context.Context, by store.Actor, a store.Attachment) error {
	return f.store.AddAttachment(ctx, by, a)
}

// Attachment of a hash; [store.ErrNoAttachment].
func (f *Fleet) Attachment(ctx context.Context, hash [32]byte) (store.Attachment, error) {
	return f.store.Attachment(ctx, hash)
}

// WalkInstruments of the register, and when each was last zeroed within the last month.
func (f *Fleet) WalkInstruments(ctx context.Context) (intake.Instruments, map[string]time.Time, error) {
	tools, err := f.store.RegisteredInstruments(ctx)
	if err != nil {
		return nil, nil, err
	}
	names := make([]string, len(tools))
	for i, t := range tools {
		names[i] = t.Name
	}
	zeroed, err := f.store.ZeroChecks(ctx, names, f.now().AddDate(0, 0, -coolant.ZeroMonth-1))
	return instruments(tools), zeroed, err
}

// Parked are the codes of the units of a site, in the order of parking.
func (f *Fleet) Parked(ctx context.Context, site string) ([]string, error) {
	parked, err := f.store.ParkedUnits(ctx, site)
	if err != nil {
		return nil, err
	}
	slices.SortStableFunc(parked, byPlace)
	codes := make([]string, len(parked))
	for i, p := range parked {
		codes[i] = p.Code
	}
	return codes, nil
}

func byPlace(a, b store.Parked) int {
	return cmp.Or(round.ComparePlaces(a.Place, b.Place), cmp.Compare(a.Code, b.Code))
}

// Title of the walk that a filter takes.
func (w WalkFilter) Title() string {
	if w.Tag != "" {
		return w.Tag
	}
	return joinedPlace(w)
}
