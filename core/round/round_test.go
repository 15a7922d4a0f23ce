package round_test

import (
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
	"diligentledger/core/measure"
	"diligentledger/core/round"
	"diligentledger/core/serviceplan"
)

// Parking places by the numbers in them (common practice).
func TestPlaces(t *testing.T) {
	places := []string{"", "B-10", "a-2", "Hall 2 / 14", "B-9", "A-1", "dock", "B-09a", "A-10", "Hall 2 / 3", "Hall 10 / 1"}
	slices.SortFunc(places, round.ComparePlaces)
	want := []string{"A-1", "a-2", "A-10", "B-9", "B-09a", "B-10", "dock", "Hall 2 / 3", "Hall 2 / 14", "Hall 10 / 1", ""}
	if !slices.Equal(places, want) {
		t.Errorf("%q, want %q", places, want)
	}
	for place, row := range map[string]string{"B-04": "B", "Hall 2 / 14": "Hall 2", "dock": "dock", "": "", "12": "", "Pier 3, berth 7": "Pier 3, berth", "Ø 4": "Ø"} {
		if got := round.Row(place); got != row {
			t.Errorf("row of %q: %q, want %q", place, got, row)
		}
	}
}

// Law: the order of places is an order, whatever is written on the ground.
func TestPlacesAreOrdered(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	letters := []rune("Ab0 19-/é")
	word := func() string {
		r := make([]rune, rng.IntN(6))
		for i := range r {
			r[i] = letters[rng.IntN(len(letters))]
		}
		return string(r)
	}
	for range 20_000 {
		a, b, c := word(), word(), word()
		ab, ba := round.ComparePlaces(a, b), round.ComparePlaces(b, a)
		if ab != -ba {
			t.Fatalf("%q and %q: %d and %d", a, b, ab, ba)
		}
		if ab <= 0 && round.ComparePlaces(b, c) <= 0 && round.ComparePlaces(a, c) > 0 {
			t.Fatalf("%q, %q, %q are in no order", a, b, c)
		}
	}
}

// Which question answers which clock, and what is never asked hot.
func TestQuestions(t *testing.T) {
	due := func(k clock.Kind, code clock.Code, v clock.Verdict) clock.Clock {
		return clock.Clock{Kind: k, Verdict: v, Reason: clock.Reason{Code: code}}
	}
	for _, c := range []struct {
		clock clock.Clock
		want  round.Question
	}{
		{due(clock.TestDue, clock.TestSeason, clock.Due), round.FreezeTest},
		{due(clock.Freeze, clock.FreezeNone, clock.Unknown), round.FreezeTest},
		{due(clock.Freeze, clock.FreezeNow, clock.Hold), round.FreezeTest},
		{due(clock.FollowUp, clock.CheckRetest, clock.Due), round.FreezeTest},
		{due(clock.FollowUp, clock.CheckDays, clock.Due), round.Level},
		{due(clock.Holds, clock.LevelBelow, clock.Hold), round.Level},
		{due(clock.Holds, clock.AirTrapped, clock.Hold), round.Level},
		{due(clock.Holds, clock.HeldByPerson, clock.Hold), ""},
		{due(clock.CapDue, clock.CapCalendar, clock.Due), round.Cap},
		{due(clock.HosesDue, clock.HoseCalendar, clock.Due), round.Hoses},
		{due(clock.Use, clock.UseNoRate, clock.Unknown), round.Meter},
		{due(clock.Use, clock.UseRuns, clock.Due), ""},
		{due(clock.Age, clock.AgeRuns, clock.Overdue), ""},
		{due(clock.Impeller, clock.PartRuns, clock.Due), round.Inspection},
		{due(clock.RawWater, clock.RawWet, clock.Due), round.RawWater},
	} {
		got, ok := round.Of(c.clock)
		if got != c.want || ok != (c.want != "") {
			t.Errorf("%s %s: %q", c.clock.Kind, c.clock.Reason.Code, got)
		}
	}
	for _, q := range round.Questions {
		opens := q == round.FreezeTest || q == round.Cap || q == round.Chemistry || q == round.Hoses || q == round.Appearance || q == round.RawWater
		if opens && q.Hot() {
			t.Errorf("%s is asked of a hot engine", q)
		}
		if q.Kind() == "" {
			t.Errorf("%s has no kind of entry", q)
		}
	}
}

// Laws over random lives of each kind of unit: two or three questions come first, none twice, none that the
// account cannot take; what is owed is no clock that is sound; what was never measured comes first.
func TestAsk(t *testing.T) {
	plan := serviceplan.Plan{Name: "P", First: serviceplan.Interval{Months: 60}, Later: serviceplan.Interval{Months: 36}, FreezeMargin: 3, TestMonths: 6, CapMonths: 12, HoseMonths: 12}
	now := ledgertest.Start.AddDate(0, 0, ledgertest.Days)
	for seed := range 300 {
		rng := rand.New(rand.NewPCG(uint64(seed), 5))
		u := ledgertest.Units[seed%len(ledgertest.Units)]
		a := ledger.TryFold(u, ledgertest.History(rng, u, 1+rng.IntN(20)))
		s := clock.Evaluate(&a, plan, clock.Conditions{Zone: time.UTC}, measure.DateOf(now, time.UTC))
		first, rest := round.Ask(u, s)
		if len(first) < 2 || len(first) > round.Asked {
			t.Errorf("seed %d: %v asked first", seed, first)
		}
		seen := map[round.Question]bool{}
		for _, q := range append(slices.Clone(first), rest...) {
			if seen[q] {
				t.Errorf("seed %d: %s twice", seed, q)
			}
			seen[q] = true
			if u.Further && ledger.OfUnit(q.Kind()) {
				t.Errorf("seed %d: %s is asked of a further circuit", seed, q)
			}
		}
		known := false
		for _, o := range round.OwedBy(s) {
			if o.Clock.Verdict == clock.Sound || o.Clock.Verdict == clock.Watch {
				t.Errorf("seed %d: %s is owed and %s", seed, o.Clock.Kind, o.Clock.Verdict)
			}
			unmeasured := o.Never || o.Clock.Verdict == clock.Unknown
			if unmeasured && known {
				t.Errorf("seed %d: %s was never measured and comes after what was", seed, o.Clock.Kind)
			}
			known = known || !unmeasured
		}
	}
}

// Discs and hydrometers go by density and show no strength of PG; a refractometer without the scale of what is
// inside is warned about; of an unknown glycol no instrument fits.
func TestFits(t *testing.T) {
	both, eg := []coolant.Base{coolant.EG, coolant.PG}, []coolant.Base{coolant.EG}
	for _, c := range []struct {
		instrument string
		scales     []coolant.Base
		inside     coolant.Base
		want       round.Fit
	}{
		{ledger.DiscTester, nil, coolant.EG, round.Fits}, {ledger.DiscTester, nil, coolant.PG, round.Density}, {ledger.Hydrometer, nil, coolant.PG, round.Density},
		{ledger.Refractometer, both, coolant.PG, round.Fits}, {ledger.Refractometer, eg, coolant.PG, round.OtherScale}, {ledger.Refractometer, nil, coolant.PG, round.Fits},
		{ledger.TestStrip, nil, coolant.PG, round.Fits}, {ledger.TestStrip, nil, coolant.NoWater, round.Waterless}, {ledger.Refractometer, both, coolant.NoWater, round.Fits},
		{ledger.Refractometer, both, "", round.NoBase}, {ledger.DiscTester, nil, "", round.NoBase},
	} {
		if got := round.FitOf(c.instrument, c.scales, c.inside); got != c.want {
			t.Errorf("%s with %v for %q: %s, want %s", c.instrument, c.scales, c.inside, got, c.want)
		}
	}
}

// Each point of each kind's drawing is one that its entry takes, with options that are judged as the books
// judge them.
func TestPoints(t *testing.T) {
	for _, kind := range []string{"car", "truck", "motorcycle", "boat", "aircraft", ""} {
		points := round.Points(kind)
		if len(points) < 10 {
			t.Errorf("%q has %d points", kind, len(points))
		}
		has := map[string]bool{}
		for _, p := range points {
			has[p.Code] = true
			for _, o := range p.Options {
				var b ledger.Body = ledger.Inspection{Points: []ledger.PointFound{{Point: p.Code, State: o.State}}}
				if p.Kind == ledger.KindHoseCheck {
					b = ledger.HoseCheck{Hoses: []ledger.HoseFound{{Hose: p.Code, State: o.State, Clamp: o.Clamp}}}
				}
				e := ledger.Entry{ID: "1", Unit: "U", At: ledgertest.Start, RecordedAt: ledgertest.Start, RecordedBy: "E. Marrow", Body: b}
				u := ledger.Unit{Code: "U", Kind: kind, Capacity: 8}
				if wrong := ledger.CheckIn(ledger.HistoryOf(u, nil), e, ledgertest.Start); len(wrong) > 0 {
					t.Errorf("%s %+v: %v", p.Code, o, wrong[0])
				}
				if a := ledger.Fold(u, []ledger.Entry{e}); a.Lines[0].Grade != o.Grade {
					t.Errorf("%s %+v: the books judge %s", p.Code, o, a.Lines[0].Grade)
				}
			}
		}
		if !has[round.CapPoint] || !has["weep_hole"] || kind == "boat" && !(has[ledger.PartImpeller] && has[ledger.PartAntiSiphon] && has[ledger.PartAnodes]) || kind != "boat" && !has["fins"] {
			t.Errorf("%q lacks a point: %v", kind, has)
		}
	}
}
