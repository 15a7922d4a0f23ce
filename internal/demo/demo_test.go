package demo

import (
	"reflect"
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/access"
	"diligentledger/core/climate"
	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/store"
)

// Any day of the year must make a sound fleet, not only the day it was made on.
var days = []time.Time{
	time.Date(2026, 11, 24, 15, 4, 0, 0, time.UTC), time.Date(2027, 3, 1, 0, 0, 0, 0, time.UTC),
	time.Date(2027, 7, 15, 23, 59, 0, 0, time.UTC), time.Date(2028, 2, 29, 6, 0, 0, 0, time.UTC),
}

// mistakes of the demo's maker rather than of its people.
var mistakes = []ledger.Note{ledger.NoteNotFilled, ledger.NoteBeyondTable, ledger.NoteOtherMeter, ledger.NoteStrikesNone, ledger.NoteMoreThanBook}

func planOf(f store.LoadedFleet, u store.LoadedUnit) serviceplan.Plan {
	return f.Plans[slices.IndexFunc(f.Plans, func(p serviceplan.Plan) bool { return p.Name == u.Plan })]
}

func evaluated(f store.LoadedFleet, u store.LoadedUnit, today time.Time) (ledger.Account, clock.UnitStatus) {
	plan := planOf(f, u)
	a := ledger.Fold(f.Ledger(u, plan), u.Entries)
	site := f.Sites[slices.IndexFunc(f.Sites, func(s store.LoadedSite) bool { return s.Name == u.Site })]
	return a, clock.Evaluate(&a, plan, clock.Conditions{Climate: site.Cold.Climate()}, measure.DateOf(today, time.UTC))
}

// The demo fleet keeps its stories on each day.
func TestFleet(t *testing.T) {
	all := days
	if everyDay {
		for n := range 400 {
			all = append(all, time.Date(2026, 12, 1+n, 6+n%13, 0, 0, 0, time.UTC))
		}
	}
	for part := range slices.Chunk(all, 25) {
		t.Run(part[0].Format(time.DateOnly), func(t *testing.T) {
			t.Parallel()
			for _, today := range part {
				storiesOn(t, today)
			}
		})
	}
}

func storiesOn(t *testing.T, today time.Time) {
	t.Helper()
	f := Fleet(today)
	kinds, verdicts, ids := map[string]int{}, map[clock.Verdict]int{}, map[string]bool{}
	for _, u := range f.Units {
		kinds[u.Kind]++
		a, o := evaluated(f, u, today)
		verdicts[o.Verdict]++
		for _, l := range a.Lines {
			if ids[l.Entry.ID] {
				t.Fatalf("id %s is there twice", l.Entry.ID)
			}
			ids[l.Entry.ID] = true
			if id, err := uuid.Parse(l.Entry.ID); err != nil || id.Version() != 7 || id.Variant() != uuid.RFC4122 {
				t.Errorf("id %s: %v", l.Entry.ID, err)
			}
			if l.Entry.RecordedAt.After(measure.DateOf(today, time.UTC).Time()) {
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
	for _, v := range []clock.Verdict{clock.Hold, clock.Overdue, clock.Due, clock.Watch, clock.Sound} {
		if verdicts[v] == 0 {
			t.Errorf("on %s nothing is %s: %v", today.Format(time.DateOnly), v, verdicts)
		}
	}
}

// A unit meets a night that it is not safe for, on a date for which the books called
// it safe, in less than one winter of fifty: the demo's units against 200 more winters
// of the stand-in's nights at their sites.
func TestUnsafeNights(t *testing.T) {
	today := measure.DateOf(days[0], time.UTC)
	f, w := Fleet(days[0]), Weather()
	sound := func(m climate.Minimum) bool { return m.Celsius < -90 }
	climates, unseen := map[string]*climate.Climate{}, map[string][]climate.Minimum{}
	for _, s := range sites {
		record, err := w.Minima(t.Context(), s.Name, today.AddDate(-12, 0, 0), today.AddDays(-1))
		more, err2 := w.Minima(t.Context(), s.Name, measure.NewDate(2100, 7, 1), measure.NewDate(2300, 6, 30))
		k, ok := climate.New(slices.DeleteFunc(record, sound), climate.DefaultReturnPeriod)
		if err != nil || err2 != nil || !ok {
			t.Fatal(err, err2, ok)
		}
		climates[s.Name], unseen[s.Name] = k, slices.DeleteFunc(more, sound)
	}
	caught, winters, worst, asked := 0, 0, 0, 0
	for _, u := range f.Units {
		plan := planOf(f, u)
		a := ledger.Fold(f.Ledger(u, plan), u.Entries)
		protects := a.ProtectsTo()
		if protects == nil {
			continue
		}
		k, unsafe := climates[u.Site], map[int]bool{}
		for _, m := range unseen[u.Site] {
			if k.CurveMinimum(m.Day) >= *protects+measure.Celsius(plan.FreezeMargin) && m.Celsius < *protects {
				unsafe[m.Day.AddDate(0, 6, 0).Year()] = true
			}
		}
		asked++
		caught, winters, worst = caught+len(unsafe), winters+200, max(worst, len(unsafe))
	}
	t.Logf("%d units, %d winters each: %d winters in all with an unsafe night, one in %.0f; the worst unit in %d", asked, 200, caught, float64(winters)/max(1, float64(caught)), worst)
	if asked < 50 || worst > 200/50 {
		t.Errorf("of %d units the worst met a night it was not safe for in %d of 200 winters", asked, worst)
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
		unit := f.Ledger(u, planOf(f, u))
		for i, e := range u.Entries {
			before := u.Entries[:i]
			for _, err := range ledger.Check(unit, before, e, e.RecordedAt) {
				t.Errorf("%s entry %d: %v", u.Code, i, err)
			}
			if err := access.Check(access.Actor{Name: e.RecordedBy, Role: roles[e.RecordedBy]}, unit, before, e); err != nil {
				t.Errorf("%s entry %d by %s: %v", u.Code, i, e.RecordedBy, err)
			}
		}
	}
}

// A practitioner would believe the chemistry: each charge renewed in a known system leaves a
// residual, nitrite lies in its technology's range and falls by itself, strips are read in
// steps, what is in wet liners suits them, and an aircraft that was renewed was returned to
// service or is held.
func TestBelievable(t *testing.T) {
	f := Fleet(days[0])
	residuals, steps, falls := 0, 0, 0
	for _, u := range f.Units {
		a, _ := evaluated(f, u, days[0])
		if j, known := a.Compatibility(); known && j.Answer != coolant.AnswerYes {
			t.Errorf("%s: %s", u.Code, j.Words())
		}
		for i, l := range a.Lines {
			switch b := l.Entry.Body.(type) {
			case ledger.Renewal:
				if l.Turn != nil && l.Turn.Residual > 0 && len(b.Drained) > 1 {
					residuals++
				}
				returned := slices.ContainsFunc(a.Lines[i:], func(l ledger.Line) bool { return l.Entry.Kind() == ledger.KindRelease })
				if u.Kind == "aircraft" && !returned && !slices.ContainsFunc(a.Stops(), func(s ledger.Stop) bool { return s.Cause == ledger.StopReturn }) {
					t.Errorf("%s was renewed on %s and is neither returned to service nor held", u.Code, l.Entry.At)
				}
			case ledger.ChemistryTest:
				if b.Method == ledger.ByStrip {
					steps++
					if b.NitriteTo == nil || *b.NitriteTo <= *b.Nitrite || b.PHTo == nil {
						t.Errorf("%s: a strip without steps: %+v", u.Code, b)
					}
				}
			}
		}
		samples := a.Chemistry
		for i := 1; i < len(samples); i++ {
			now, before := samples[i].Sample.Nitrite, samples[i-1].Sample.Nitrite
			if now != nil && before != nil && now.High < before.High {
				falls++
			}
			if now != nil && samples[i].Sample.Technology == coolant.NOAT && now.High > 1000 {
				t.Errorf("%s: %.0f ppm of nitrite in a nitrited OAT", u.Code, now.High)
			}
		}
	}
	if residuals < 20 || steps < 40 || falls < 15 {
		t.Errorf("%d renewals leave a residual, %d strips have steps, nitrite falls %d times", residuals, steps, falls)
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
		a, _ := evaluated(f, u, days[0])
		years := days[0].Sub(a.Lines[0].Entry.At).Hours() / 24 / 365.25
		oldest, youngest = max(oldest, years), min(youngest, years)
		for i, l := range a.Lines {
			kinds[l.Entry.Kind()] = true
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
		if a.Discrepancy == nil && a.Distrusted == nil {
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
