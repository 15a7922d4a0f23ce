package clock

import (
	"errors"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
	"time"
	_ "time/tzdata"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
)

// Laws, over random lives of every kind of unit: the clocks panic at nothing and give
// no NaN; a struck entry leaves every clock as if it had never been; what stops a unit
// in its books is a hold; no clock is sound that counts from a check that was never recorded; and none is sound or watched while nothing is known of
// what is inside and the frost is near.
func TestClockLaws(t *testing.T) {
	everything := serviceplan.Plan{Name: "all", First: serviceplan.Interval{Months: 72, Km: 160_000, Hours: 900}, Later: serviceplan.Interval{Months: 36, Km: 80_000, Hours: 500}, FreezeMargin: 3,
		TestMonths: 12, CapMonths: 24, HoseMonths: 12, HoseYears: 8, FollowDays: 3, Parts: lawPlan.Parts}
	end := measure.DateOf(ledgertest.Start, time.UTC).AddDays(ledgertest.Days)
	for seed := range 1500 {
		rng := rand.New(rand.NewPCG(uint64(seed), 21))
		u := ledgertest.Units[seed%len(ledgertest.Units)]
		entries := slices.DeleteFunc(ledgertest.History(rng, u, 3+rng.IntN(20)), func(e ledger.Entry) bool { return e.Kind() == ledger.KindStrike })
		today := end.AddDays(rng.IntN(400) - 200)
		evaluated := func(entries []ledger.Entry) (ledger.Account, UnitStatus) {
			a := ledger.Fold(u, entries)
			return a, Evaluate(&a, everything, Conditions{Climate: depot}, today)
		}
		a, o := evaluated(entries)
		for _, c := range o.Clocks {
			for name, v := range c.Reason.Numbers {
				if math.IsNaN(v) || math.IsInf(v, 0) {
					t.Fatalf("history %d: %s of the %s clock is %v", seed, name, c.Kind, v)
				}
			}
			if c.Remaining != nil && !(*c.Remaining >= 0 && *c.Remaining <= 1) {
				t.Fatalf("history %d: %v of the %s clock is left", seed, *c.Remaining, c.Kind)
			}
			if w := c.Window; w != nil && (w.P10.After(w.P50) || w.P50.After(w.P90)) {
				t.Fatalf("history %d: window %v of the %s clock", seed, *w, c.Kind)
			}
			if never := c.Reason.Numbers["never"] > 0 || c.Reason.Code == TestNever || c.Reason.Code == ZeroNever; never && c.Verdict == Sound && c.Kind != RawWater { // a raw-water side without a record is taken as wet
				t.Fatalf("history %d: the %s clock counts from what was never recorded, and is sound", seed, c.Kind)
			}
			frost, near := depot.FirstBelow(0, today, frostDays)
			if c.Kind == Freeze && a.ProtectsTo() == nil && a.Bound == nil && near && c.Verdict.Rank() > Due.Rank() {
				t.Fatalf("history %d: nothing is known of it, frost on %s, and it is %s", seed, frost, c.Verdict)
			}
		}
		if stopped := len(a.Stops()) > 0; stopped != slices.ContainsFunc(o.Clocks, func(c Clock) bool {
			return c.Verdict == Hold && (c.Kind == Holds || c.Kind == Level)
		}) {
			t.Fatalf("history %d: stopped by %v, and the verdict is %s", seed, a.Stops(), o.Verdict)
		}
		// Struck, whenever it was: years before everything else, too.
		d := rng.IntN(ledgertest.Days+9000) - 9000
		wrong := ledgertest.Entry(rng, u, d, "wrong", ledgertest.Body(rng, u, max(d, 0)))
		strike := ledgertest.Entry(rng, u, rng.IntN(ledgertest.Days), "right", ledger.Strike{Entry: "wrong", Why: "typed wrong"})
		if _, struck := evaluated(append(slices.Clone(entries), wrong, strike)); !reflect.DeepEqual(struck, o) {
			t.Fatalf("history %d: a struck %s of day %d changed the clocks\n%+v\n%+v", seed, wrong.Kind(), d, struck, o)
		}
	}
}

// A seasonal boat read on the first of every month is due in its season, and never
// "never": 20 h in each of May to September, 60 h left in March are due in July or
// August (common practice; worked by hand).
func TestSeasonalBoat(t *testing.T) {
	boat := ledger.Unit{Code: "HB", Kind: "boat", Capacity: 14, Base: coolant.PG, Meter: measure.EngineTime}
	h := func(v float64) measure.Reading { return measure.Reading{Value: v, Unit: measure.H} }
	for _, scatter := range []float64{0, 0.25} {
		for seasons := 1; seasons <= 5; seasons++ {
			rng := rand.New(rand.NewPCG(uint64(seasons), uint64(100*scatter)))
			begin := time.Date(2027-seasons, 3, 1, 9, 0, 0, 0, time.UTC)
			m := h(1000)
			entries := []ledger.Entry{{ID: "fill", At: begin, Body: ledger.Renewal{Volume: measure.Reading{Value: 14, Unit: measure.L}, Product: coolant.Product{Code: "G", Base: coolant.PG, Form: coolant.Premix, Glycol: .5}, Meter: &m, Emptied: true}}}
			hours := 1000.0
			for at := begin; at.Before(time.Date(2027, 3, 1, 0, 0, 0, 0, time.UTC)); {
				if at.Month() >= time.May && at.Month() <= time.September {
					hours += 20 * math.Exp(scatter*rng.NormFloat64())
				}
				at = at.AddDate(0, 1, 0)
				entries = append(entries, ledger.Entry{ID: at.Format("20060102"), At: at, Body: ledger.Meter{Meter: h(math.Round(hours))}})
			}
			limit := measure.Hour(math.Round(hours) - 1000 + 60)
			a := ledger.Fold(boat, entries)
			today := measure.NewDate(2027, 3, 2)
			c := clockOf(t, Evaluate(&a, serviceplan.Plan{Name: "boat", Later: serviceplan.Interval{Hours: limit}}, Conditions{Climate: mild}, today), Use)
			if c.Due == nil || c.Due.Year() != 2027 || c.Due.Month() < time.June || c.Due.Month() > time.September || c.Window.P10.After(measure.NewDate(2027, 8, 15)) {
				t.Errorf("%d seasons, scatter %g: due %v, window %v, %s", seasons, scatter, c.Due, c.Window, c.Reason.Code)
				continue
			}
			if wide := c.Reason.Numbers["season"] == 1; wide != (seasons == 1) {
				t.Errorf("%d seasons: says that one season is known: %v", seasons, wide)
			}
		}
	}
}

// What is not used for more than a year is idle; for less, nothing is shown.
func TestNeverNeedsEvidence(t *testing.T) {
	stands := func(days int) Clock {
		entries := []ledger.Entry{ago(days+1, meter(5000)), ago(days, fill(false))}
		for d := days - 10; d > 0; d -= 30 {
			entries = append(entries, ago(d, meter(5000)))
		}
		return clockOf(t, evaluated(car, plan, mild, entries...), Use)
	}
	if c := stands(200); c.Verdict != Unknown || c.Reason.Code != UseNoDay {
		t.Errorf("stood for 200 days: %s, %s", c.Verdict, c.Reason.Code)
	}
	if c := stands(700); c.Verdict != Sound {
		t.Errorf("stood for 700 days: %s, %s", c.Verdict, c.Reason.Code)
	}
}

// Over its limit by the estimate alone: read the meter. The clock and the balance
// give the same figure of the last reading.
func TestUseByEstimate(t *testing.T) {
	entries := []ledger.Entry{ago(700, meter(10_000)), ago(700, fill(false))}
	value := 10_000.
	for i, d := range []int{600, 500, 400, 300, 200, 100} {
		value += []float64{6_500, 17_000}[i%2] // uneven: the span of today's value is wide
		entries = append(entries, ago(d, meter(value)))
	}
	a := ledger.Fold(car, entries)
	c := clockOf(t, Evaluate(&a, plan, Conditions{Climate: mild}, today), Use)
	if c.Verdict != Overdue || c.Reason.Code != UseReadMeter || math.Abs(c.Reason.Numbers["read"]-*a.Balance.Used) > 1e-9 {
		t.Errorf("%s, %s: %v read, %v by the balance", c.Verdict, c.Reason.Code, c.Reason.Numbers["read"], *a.Balance.Used)
	}
	entries = append(entries, ago(1, meter(10_000+81_000)))
	if c := clockOf(t, evaluated(car, plan, mild, entries...), Use); c.Verdict != Overdue || c.Reason.Code != UseRuns {
		t.Errorf("over by its meter: %s, %s", c.Verdict, c.Reason.Code)
	}
}

// A follow-up that was missed lapses; the retest falls to the clock of tests, which
// asks for it from the day of the fill, whatever was tested before.
func TestFollowUpsLapse(t *testing.T) {
	asked := plan
	asked.TestMonths = 12
	kinds := func(o UnitStatus) (all []Kind) {
		for _, c := range o.Clocks {
			all = append(all, c.Kind)
		}
		return all
	}
	old := evaluated(car, asked, mild, ago(3200, fill(false)))
	if slices.Contains(kinds(old), FollowUp) {
		t.Error("a level of 2018 is still owed")
	}
	if c := clockOf(t, old, TestDue); c.Verdict != Due || c.Reason.Code != TestNever || today.Sub(*c.Due) != 3199 {
		t.Errorf("never tested since the fill: %+v", c)
	}
	before := evaluated(car, asked, mild, ago(900, fill(false)), ago(700, freezeTest(-36, coolant.EG)), ago(40, fill(false)))
	if c := clockOf(t, before, TestDue); c.Verdict != Due || c.Reason.Code != TestBefore || math.Abs(c.Reason.Numbers["months"]-23) > 0.1 || c.Reason.Numbers["days"] != 40 {
		t.Errorf("tested before the renewal alone: %+v", c)
	}
	if c := clockOf(t, evaluated(car, asked, depot, ago(5, ledger.Meter{Meter: measure.Reading{Value: 9, Unit: measure.Km}})), TestDue); c.Verdict != Due {
		t.Errorf("never tested, and the cold season runs: %s", c.Verdict)
	}
}

// A day is a date of the calendar in the site's zone: twelve months from 7 September
// are 7 September, in Santiago, where that day of 2025 has no midnight, too.
func TestDueDayWithoutMidnight(t *testing.T) {
	zone, err := time.LoadLocation("America/Santiago")
	if err != nil {
		t.Fatal(err)
	}
	a := ledger.Fold(car, []ledger.Entry{{ID: "a", At: time.Date(2024, 9, 7, 9, 0, 0, 0, zone), Body: fill(false)}})
	c := clockOf(t, Evaluate(&a, serviceplan.Plan{Name: "year", Later: serviceplan.Interval{Months: 12}}, Conditions{Climate: mild, Zone: zone}, measure.NewDate(2025, 8, 1)), Age)
	if c.Due.String() != "2025-09-07" {
		t.Errorf("due %s", c.Due)
	}
	late := ledger.Fold(car, []ledger.Entry{{ID: "a", At: time.Date(2024, 9, 7, 23, 30, 0, 0, zone), Body: fill(false)}})
	if c := clockOf(t, Evaluate(&late, serviceplan.Plan{Name: "year", Later: serviceplan.Interval{Months: 12}}, Conditions{Climate: mild, Zone: zone}, measure.NewDate(2025, 8, 1)), Age); c.Due.String() != "2025-09-07" {
		t.Errorf("filled at half past eleven at night, it is due %s", c.Due)
	}
}

// Readings of one rest season do not show that a plough is never used: no day can be
// computed, and it is not sound.
func TestRestSeasonAlone(t *testing.T) {
	plough := ledger.Unit{Meter: measure.EngineTime, Capacity: car.Capacity, Base: coolant.EG}
	hours := func(v float64) ledger.Meter { return ledger.Meter{Meter: measure.Reading{Value: v, Unit: measure.H}} }
	asked := serviceplan.Plan{Name: "hours", Later: serviceplan.Interval{Months: 60, Hours: 4000}}
	for name, now := range map[string]float64{"not used": 500, "hardly used": 501, "a little": 510} {
		entries := []ledger.Entry{ago(190, hours(500)), ago(189, fill(false)), ago(8, hours(now))}
		c := clockOf(t, evaluated(plough, asked, mild, entries...), Use)
		if c.Verdict == Sound && c.Window == nil {
			t.Errorf("%s for half a year: %s, %s", name, c.Verdict, c.Reason.Code)
		}
	}
	entries := []ledger.Entry{ago(1000, hours(500)), ago(999, fill(false))}
	for d := 950; d >= 20; d -= 30 {
		entries = append(entries, ago(d, hours(500)))
	}
	if c := clockOf(t, evaluated(plough, asked, mild, entries...), Use); c.Verdict != Sound {
		t.Errorf("not used for a thousand days: %s, %s", c.Verdict, c.Reason.Code)
	}
}

// Law: for any entries in the books, the clocks never panic and give no figure without a
// value, of the account as it was folded and as it was stored.
func TestWildClocks(t *testing.T) {
	for seed := range uint64(3000) {
		wildClocks(t, seed, 30)
	}
}

func wildClocks(t *testing.T, seed uint64, most int) {
	t.Helper()
	rng := rand.New(rand.NewPCG(seed, 12))
	u := ledgertest.Units[seed%uint64(len(ledgertest.Units))]
	a := ledger.Fold(u, ledgertest.Wild(rng, u, 1+rng.IntN(most)))
	p := serviceplan.Plan{Name: "any", First: serviceplan.Interval{Months: rng.IntN(80), Km: measure.Kilometre(rng.IntN(200_000)), Hours: measure.Hour(rng.IntN(8000))}, Later: serviceplan.Interval{Months: rng.IntN(40)},
		FreezeMargin: measure.Kelvin(rng.IntN(10)), TestMonths: rng.IntN(20), CapMonths: rng.IntN(30), HoseMonths: rng.IntN(30), HoseYears: rng.IntN(10), FollowDays: rng.IntN(5), FollowRuns: rng.IntN(3)}
	day := measure.NewDate(2025, 3, 1).AddDays(rng.IntN(2000))
	packed, err := a.Store()
	if err != nil {
		t.Fatalf("seed %d: %v", seed, err)
	}
	restored, err := ledger.Restore(u, packed)
	if err != nil {
		t.Fatalf("seed %d: %v", seed, err)
	}
	for how, account := range map[string]*ledger.Account{"folded": &a, "restored": restored} {
		o := evaluate(account, p, Conditions{Climate: mild}, day)
		if err := ledgertest.Finite(o); err != nil {
			t.Fatalf("seed %d, %s: outlook%v", seed, how, err)
		}
		for _, c := range o.Clocks {
			if c.Verdict.Rank() < 0 || c.Remaining != nil && !(*c.Remaining >= 0 && *c.Remaining <= 1) {
				t.Fatalf("seed %d, %s: %+v", seed, how, c)
			}
			c.DefaultSpan(day)
			if w, ok := WorkFor(c); ok {
				CompletedAt(account, w, ledgertest.Start)
			}
		}
	}
}

// A unit that cannot be evaluated is unknown, with its error, and never sound.
func TestUnevaluated(t *testing.T) {
	failed := ledger.Unevaluated(ledgertest.Units[0], nil, errors.New("the books are torn"))
	if o := Evaluate(&failed, plan, Conditions{Climate: mild}, today); o.Verdict != Unknown || o.Governing.Reason.About.String() != "the books are torn" || len(o.Clocks) != 1 {
		t.Errorf("torn books: %+v", o)
	}
	a := ledger.Fold(ledgertest.Units[0], nil)
	if o := Evaluate(&a, plan, Conditions{}, today); o.Verdict != Unknown || o.Governing.Kind != Evaluation || o.Governing.Reason.About.String() == "" {
		t.Errorf("a site without a climate: %+v", o)
	}
}

// FuzzClocks is TestWildClocks for any seed and length.
func FuzzClocks(f *testing.F) {
	for seed := range uint64(20) {
		f.Add(seed, uint8(20))
	}
	f.Fuzz(func(t *testing.T, seed uint64, most uint8) { wildClocks(t, seed, 1+int(most)) })
}
