package clock

import (
	"errors"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
	"time"

	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
)

// lawPlan limits all that a clock can.
var lawPlan = serviceplan.Plan{First: serviceplan.Interval{Months: 48, Km: 60_000, Hours: 2_000}, Later: serviceplan.Interval{Months: 36, Km: 40_000, Hours: 1_000},
	FreezeMargin: 3, TestMonths: 12, CapMonths: 24, HoseMonths: 24, HoseYears: 6, FollowDays: 3,
	Parts: []serviceplan.PartInterval{{Part: "impeller", Interval: serviceplan.Interval{Months: 12, Hours: 200}}, {Part: "anodes", Interval: serviceplan.Interval{Months: 6}},
		{Part: "block_heater", Interval: serviceplan.Interval{Km: 30_000}}, {Part: serviceplan.PartInspection, Interval: serviceplan.Interval{Hours: 100}}}}

// lawDay is the day of evaluation d days after the start of the random histories.
func lawDay(rng *rand.Rand) measure.Date {
	return measure.DateOf(ledgertest.Start, time.UTC).AddDays(ledgertest.Days/2 + rng.IntN(ledgertest.Days))
}

func packed(t *testing.T, a *ledger.Account) ledger.Packed {
	t.Helper()
	p, err := a.Store()
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// Laws over random histories of units with up to four circuits of every name: what is written in one changes
// nothing of another; the unit is held when one of them is, and no better than the worst; each
// clock of each circuit is there once; nothing is without a value.
func TestCircuitsOfAUnit(t *testing.T) {
	held, sound := 0, 0
	drawn := map[ledger.Circuit]bool{ledger.EngineCircuit: true}
	for seed := range 600 {
		rng := rand.New(rand.NewPCG(uint64(seed), 31))
		first := ledgertest.Units[seed%len(ledgertest.Units)]
		first.Further, first.Circuit = false, ledger.EngineCircuit
		day := lawDay(rng)
		one := ledger.Fold(first, ledgertest.History(rng, first, 3+rng.IntN(12)))
		circuits := []CircuitStatus{{ledger.EngineCircuit, Evaluate(&one, lawPlan, Conditions{Climate: depot}, day)}}
		names := slices.DeleteFunc(slices.Clone(ledger.Circuits), func(c ledger.Circuit) bool { return c == ledger.EngineCircuit })
		rng.Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
		for _, name := range names[:1+rng.IntN(3)] {
			drawn[name] = true
			u := ledgertest.Units[rng.IntN(len(ledgertest.Units))]
			u.Circuit, u.Further, u.Meter, u.Second, u.Kind, u.Aircraft = name, true, first.Meter, first.Second, first.Kind, first.Aircraft
			entries := slices.DeleteFunc(ledgertest.History(rng, u, 3+rng.IntN(12)), func(e ledger.Entry) bool { return ledger.OfUnit(e.Kind()) })
			own := ledger.Fold(u, entries)
			ownBefore, oneBefore := packed(t, &own), packed(t, &one)
			with := own.WithUnit(&one)
			if !reflect.DeepEqual(packed(t, &own), ownBefore) || !reflect.DeepEqual(packed(t, &one), oneBefore) {
				t.Fatalf("history %d: what belongs to the unit changed an account", seed)
			}
			if with.Charge != own.Charge || !reflect.DeepEqual(with.Balance.Litres, own.Balance.Litres) || !reflect.DeepEqual(with.ProtectsTo(), own.ProtectsTo()) || len(with.Stops()) != len(own.Stops()) {
				t.Fatalf("history %d: the meters of the unit changed the charge of a circuit", seed)
			}
			if !reflect.DeepEqual(with.LaidUp, one.LaidUp) || len(with.Readings) != len(one.Readings) {
				t.Fatalf("history %d: the circuit does not have the meters and the lay-up of its unit", seed)
			}
			circuits = append(circuits, CircuitStatus{name, Evaluate(with, lawPlan, Conditions{Climate: depot}, day)})
		}
		whole := Combine(circuits)
		worst, clocks := Sound, 0
		for _, c := range circuits {
			clocks += len(c.Clocks)
			if c.Verdict.Rank() < worst.Rank() {
				worst = c.Verdict
			}
			of := 0
			for _, w := range whole.Clocks {
				if w.Circuit == c.Circuit {
					of++
				}
			}
			if of != len(c.Clocks) {
				t.Fatalf("history %d: %d of %d clocks of the %s circuit", seed, of, len(c.Clocks), c.Circuit)
			}
		}
		if whole.Verdict != worst || whole.Governing.Verdict != worst || len(whole.Clocks) != clocks {
			t.Fatalf("history %d: the unit is %s, its worst circuit %s", seed, whole.Verdict, worst)
		}
		if worst == Hold {
			held++
		} else {
			sound++
		}
	}
	if held == 0 || sound == 0 || len(drawn) != len(ledger.Circuits) {
		t.Errorf("%d units held, %d not, of %d circuits: the law was not tried", held, sound, len(drawn))
	}
	if o := Combine(nil); o.Verdict != Unknown || len(o.Clocks) != 1 {
		t.Errorf("a unit without a circuit is %s", o.Verdict)
	}
}

// Law: with two meters each limit of the plan has its clock, as if its meter were the only one, and
// the one that runs out first comes first.
func TestWhicheverMeterIsFirst(t *testing.T) {
	both := 0
	for seed := range 600 {
		rng := rand.New(rand.NewPCG(uint64(seed), 32))
		two := ledger.Unit{Code: "TK-02", Kind: "truck", Capacity: 30, Meter: measure.Distance, Second: measure.EngineTime}
		if seed%2 == 0 {
			two.Meter, two.Second = two.Second, two.Meter
		}
		entries := slices.DeleteFunc(ledgertest.History(rng, two, 10+rng.IntN(20)), func(e ledger.Entry) bool {
			b, changed := e.Body.(ledger.MeterChange)
			return changed && b.Old != nil && b.Old.Unit != b.New.Unit // both kinds in one entry
		})
		day := lawDay(rng)
		a := ledger.Fold(two, entries)
		use := func(a *ledger.Account, wanted measure.Dimension) (all []Clock) {
			for _, c := range Evaluate(a, lawPlan, Conditions{Climate: depot}, day).Clocks {
				if c.Kind == Use && (wanted == "" || c.Unit.Dimension() == wanted) {
					all = append(all, c)
				}
			}
			return all
		}
		got := use(&a, "")
		if len(got) != 2 {
			t.Fatalf("history %d: %d clocks of use, want one for each meter", seed, len(got))
		}
		if ByUrgency(got[0], got[1]) > 0 {
			t.Fatalf("history %d: %v before %v", seed, got[0].Due, got[1].Due)
		}
		for _, d := range []measure.Dimension{measure.Distance, measure.EngineTime} {
			one := two
			one.Meter, one.Second = d, ""
			alone := ledger.Fold(one, entries)
			want, have := use(&alone, d), use(&a, d)
			// Whether a unit ran after a fill is seen by either meter, and says when the coolant was mixed.
			if !reflect.DeepEqual(want, have) {
				t.Fatalf("history %d: by %s\n%+v\nwant\n%+v", seed, d, have, want)
			}
		}
		if got[0].Due != nil && got[1].Due != nil {
			both++
		}
	}
	if both == 0 {
		t.Error("no history had a day for both meters")
	}
}

// Law: whatever became of the books of the first circuit, a further one that is held holds the unit.
func TestHeldWhateverTheFirstSays(t *testing.T) {
	held := 0
	for seed := range 300 {
		rng := rand.New(rand.NewPCG(uint64(seed), 33))
		u := ledgertest.Units[seed%len(ledgertest.Units)]
		u.Circuit, u.Further = ledger.StarboardCircuit, true
		entries := slices.DeleteFunc(ledgertest.History(rng, u, 3+rng.IntN(12)), func(e ledger.Entry) bool { return ledger.OfUnit(e.Kind()) })
		own := ledger.Fold(u, entries)
		first := ledger.Unevaluated(u, nil, errors.New("an entry cannot be read"))
		day := lawDay(rng)
		o := Combine([]CircuitStatus{{ledger.PortCircuit, Evaluate(&first, lawPlan, Conditions{Climate: depot}, day)},
			{ledger.StarboardCircuit, Evaluate(own.WithUnit(&first), lawPlan, Conditions{Climate: depot}, day)}})
		if len(own.Stops()) > 0 {
			held++
			if o.Verdict != Hold {
				t.Fatalf("history %d: starboard is stopped by %v, and the unit is %s", seed, own.Stops(), o.Verdict)
			}
		}
	}
	if held == 0 {
		t.Error("no history had a held circuit")
	}
}
