package demo

import (
	"reflect"
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/access"
	"diligentledger/core/forecast"
	"diligentledger/core/ledger"
	"diligentledger/internal/store"
)

// Any day of the year must make a sound fleet, not only the day it was made on.
var days = []time.Time{
	time.Date(2026, 11, 24, 15, 4, 0, 0, time.UTC), time.Date(2027, 3, 1, 0, 0, 0, 0, time.UTC),
	time.Date(2027, 7, 15, 23, 59, 0, 0, time.UTC), time.Date(2028, 2, 29, 6, 0, 0, 0, time.UTC),
}

// mistakes of the demo's maker rather than of its people.
var mistakes = []ledger.Note{ledger.NoteMeterBack, ledger.NoteNotFilled, ledger.NoteBeyondTable, ledger.NoteOtherMeter, ledger.NoteStrikesNone, ledger.NoteMoreThanBook}

func planOf(f store.LoadedFleet, u store.LoadedUnit) forecast.Plan {
	return f.Plans[slices.IndexFunc(f.Plans, func(p forecast.Plan) bool { return p.Name == u.Plan })]
}

func look(f store.LoadedFleet, u store.LoadedUnit, today time.Time) (ledger.Account, forecast.Outlook) {
	plan := planOf(f, u)
	a := ledger.Fold(u.Ledger(plan), u.Entries)
	site := f.Sites[slices.IndexFunc(f.Sites, func(s store.LoadedSite) bool { return s.Name == u.Site })]
	return a, forecast.Look(&a, plan, forecast.Around{Cold: site.Cold.Climate()}, today)
}

func TestFleet(t *testing.T) {
	for _, today := range days {
		f := Fleet(today)
		kinds, verdicts, ids := map[string]int{}, map[forecast.Verdict]int{}, map[string]bool{}
		for _, u := range f.Units {
			kinds[u.Kind]++
			a, o := look(f, u, today)
			verdicts[o.Verdict]++
			for _, l := range a.Lines {
				if ids[l.Entry.ID] {
					t.Fatalf("id %s is there twice", l.Entry.ID)
				}
				ids[l.Entry.ID] = true
				if id, err := uuid.Parse(l.Entry.ID); err != nil || id.Version() != 7 || id.Variant() != uuid.RFC4122 {
					t.Errorf("id %s: %v", l.Entry.ID, err)
				}
				if l.Entry.RecordedAt.After(forecast.Day(today)) {
					t.Errorf("%s is recorded at %s, after the start of %s", u.Code, l.Entry.RecordedAt, today)
				}
				if slices.ContainsFunc(l.Notes, func(n ledger.Note) bool { return slices.Contains(mistakes, n) }) {
					t.Errorf("%s on %s: %v", u.Code, l.Entry.At, l.Notes)
				}
			}
		}
		if len(f.Units) < 55 || len(kinds) != 5 {
			t.Errorf("%d units of %d kinds", len(f.Units), len(kinds))
		}
		for _, v := range []forecast.Verdict{forecast.Hold, forecast.Overdue, forecast.Due, forecast.Watch, forecast.Unknown, forecast.Sound} {
			if verdicts[v] == 0 {
				t.Errorf("on %s nothing is %s: %v", today.Format(time.DateOnly), v, verdicts)
			}
		}
	}
}

// The same day gives the same fleet.
func TestFleetIsDeterministic(t *testing.T) {
	if !reflect.DeepEqual(Fleet(days[0]), Fleet(days[0].Add(-3*time.Hour))) {
		t.Error("two fleets of one day differ")
	}
}

// Each entry would have been accepted when it was written, from that person.
func TestFleetPassesTheChecks(t *testing.T) {
	f := Fleet(days[0])
	roles := map[string]access.Role{}
	for _, p := range People {
		roles[p.Name] = p.Role
	}
	for _, u := range f.Units {
		unit := u.Ledger(planOf(f, u))
		for i, e := range u.Entries {
			before := u.Entries[:i]
			for _, err := range ledger.Check(unit, before, e, e.RecordedAt) {
				t.Errorf("%s entry %d: %v", u.Code, i, err)
			}
			var struck *ledger.Entry
			if s, ok := e.Body.(ledger.Strike); ok {
				struck = &before[slices.IndexFunc(before, func(o ledger.Entry) bool { return o.ID == s.Entry })]
			}
			if err := ledger.MayWrite(roles[e.RecordedBy], e.RecordedBy, unit, e.Body, struck); err != nil {
				t.Errorf("%s entry %d by %s: %v", u.Code, i, e.RecordedBy, err)
			}
		}
	}
}

// Every trouble the books can find is to be seen somewhere, and the units that
// nothing is the matter with look it.
func TestTroublesToBeSeen(t *testing.T) {
	f := Fleet(days[0])
	likeliest, notes, kinds := map[ledger.Cause]string{}, map[ledger.Note]string{}, map[ledger.Kind]bool{}
	leaks, partial, struck, quiet := 0, 0, 0, 0
	oldest, youngest := 0.0, 99.0
	for _, u := range f.Units {
		a, _ := look(f, u, days[0])
		years := days[0].Sub(a.Lines[0].Entry.At).Hours() / 24 / 365.25
		oldest, youngest = max(oldest, years), min(youngest, years)
		for i, l := range a.Lines {
			kinds[l.Entry.Body.Kind()] = true
			for _, n := range l.Notes {
				notes[n] = u.Code
			}
			for n, x := range a.Explain(i) {
				if _, seen := likeliest[x.Cause]; !seen || n == 0 {
					likeliest[x.Cause] = u.Code
				}
			}
			if l.Turn != nil && !l.Turn.Counts {
				partial++
			}
			if l.Struck != nil {
				struck++
			}
		}
		if a.Leak() != nil {
			leaks++
		}
		if a.OffBook == nil && a.Distrusted == nil {
			quiet++
		}
	}
	for _, c := range []ledger.Cause{ledger.CauseWater, ledger.CauseLeakRefill, ledger.CauseConcentrate, ledger.CauseBoiledOff, ledger.CauseScale, ledger.CauseMixedWrong, ledger.CauseFillVolume} {
		if likeliest[c] == "" {
			t.Errorf("no unit shows %s: %v", c, likeliest)
		}
	}
	for _, n := range []ledger.Note{ledger.NoteAirTrapped, ledger.NoteWrongScale, ledger.NoteMixedTech, ledger.NotePremixThinned, ledger.NotePartial, ledger.NoteImpliedLoss, ledger.NoteLevelLow, ledger.NoteGlycolKept, ledger.NoteLeaks} {
		if notes[n] == "" {
			t.Errorf("no unit shows %s", n)
		}
	}
	for _, k := range ledger.Kinds {
		if !kinds[k] && k != ledger.KindDefectClosed && k != ledger.KindNote && k != ledger.KindZeroCheck {
			t.Errorf("no unit shows a %s entry", k)
		}
	}
	if leaks == 0 || partial == 0 || struck == 0 || quiet < 45 || oldest < 7 || oldest > 8.1 || youngest < 0.3 {
		t.Errorf("%d leaks, %d partial drains, %d struck, %d quiet of %d, %.1f to %.1f years", leaks, partial, struck, quiet, len(f.Units), youngest, oldest)
	}
}
