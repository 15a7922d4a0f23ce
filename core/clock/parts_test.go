package clock

import (
	"math/rand/v2"
	"testing"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
)

// quay has frost from November to March: −8 °C in January.
var quay = climate.MonthlyCurve{-8, -7, -3, 1, 4, 8, 11, 11, 8, 4, -1, -5}.Climate()

func at(year int, month time.Month, day int) time.Time {
	return time.Date(year, month, day, 9, 0, 0, 0, time.UTC)
}

func degrees(t float64) *measure.Reading { return &measure.Reading{Value: t, Unit: measure.DegC} }

func hours(h float64) measure.Reading { return measure.Reading{Value: h, Unit: measure.H} }

// dated entries, in order.
func dated(bodies map[time.Time][]ledger.Body) (entries []ledger.Entry) {
	for when, all := range bodies {
		for i, b := range all {
			entries = append(entries, ledger.Entry{ID: when.Format(time.RFC3339) + string(rune('a'+i)), At: when, Body: b})
		}
	}
	return entries
}

// The raw-water side freezes at 0 °C: a boat whose side is wet, or was never recorded, is due
// before the first frost and held from the frost on; drained it is sound, filled it lasts to what
// the antifreeze was tested to.
func TestRawWater(t *testing.T) {
	boat := ledger.Unit{Code: "HB-1", Kind: "boat", Capacity: 20, Meter: measure.EngineTime, RawWater: ledger.Yes}
	unknown, none, car := boat, boat, ledger.Unit{Code: "CA-1", Kind: "car", Capacity: 7}
	unknown.RawWater, none.RawWater = "", ledger.No
	plan := serviceplan.Plan{FreezeMargin: 3, Later: serviceplan.Interval{Months: 24}}
	july, october, november, january := measure.NewDate(2026, 7, 1), measure.NewDate(2026, 10, 20), measure.NewDate(2026, 11, 28), measure.NewDate(2027, 1, 15)
	raw := func(state string, freeze *measure.Reading) ledger.Body {
		return ledger.RawWater{State: state, Freeze: freeze}
	}
	autumn := at(2026, 10, 1)
	cases := []struct {
		name    string
		unit    ledger.Unit
		entries map[time.Time][]ledger.Body
		day     measure.Date
		verdict Verdict
		code    Code
	}{
		{"never recorded, in summer", boat, nil, july, Sound, RawWet},
		{"never recorded, a month before the frost", boat, nil, october, Due, RawWet},
		{"never recorded, frost", boat, nil, november, Hold, RawWet},
		{"wet, frost", boat, map[time.Time][]ledger.Body{autumn: {raw("wet", nil)}}, january, Hold, RawWet},
		{"drained", boat, map[time.Time][]ledger.Body{autumn: {raw("drained", nil)}}, january, Sound, RawDrained},
		{"drained, then run", boat, map[time.Time][]ledger.Body{at(2026, 9, 1): {ledger.Meter{Meter: hours(900)}}, autumn: {raw("drained", nil)}, at(2026, 10, 9): {ledger.Meter{Meter: hours(903)}}}, january, Hold, RawWet},
		{"drained, the meter read the same", boat, map[time.Time][]ledger.Body{at(2026, 9, 1): {ledger.Meter{Meter: hours(900)}}, autumn: {raw("drained", nil)}, at(2026, 10, 9): {ledger.Meter{Meter: hours(900)}}}, january, Sound, RawDrained},
		{"drained, returned to use", boat, map[time.Time][]ledger.Body{autumn: {raw("drained", nil)}, at(2026, 10, 9): {ledger.Return{}}}, january, Hold, RawWet},
		{"filled, not tested", boat, map[time.Time][]ledger.Body{autumn: {raw("filled", nil)}}, january, Due, RawUntested},
		{"filled to −30 °C", boat, map[time.Time][]ledger.Body{autumn: {raw("filled", degrees(-30))}}, january, Sound, RawProtected},
		{"filled to −6 °C, too weak for tonight", boat, map[time.Time][]ledger.Body{autumn: {raw("filled", degrees(-6))}}, january, Hold, RawProtected},
		{"laid up wet, in summer", boat, map[time.Time][]ledger.Body{at(2026, 6, 1): {ledger.LayUp{}}}, july, Due, RawWet},
		{"laid up drained", boat, map[time.Time][]ledger.Body{at(2026, 6, 1): {ledger.LayUp{RawWater: "drained"}}}, january, Sound, RawDrained},
		{"not known whether it has one", unknown, nil, july, Unknown, RawUnknown},
		{"not known whether it has one, before the frost", unknown, nil, october, Due, RawUnknown},
	}
	for _, c := range cases {
		a := ledger.Fold(c.unit, dated(c.entries))
		got := clockOf(t, Evaluate(&a, plan, Conditions{Climate: quay}, c.day), RawWater)
		if got.Verdict != c.verdict || got.Reason.Code != c.code {
			t.Errorf("%s: %s by %s, want %s by %s", c.name, got.Verdict, got.Reason.Code, c.verdict, c.code)
		}
	}
	for _, u := range []ledger.Unit{none, car} {
		a := ledger.Fold(u, nil)
		for _, c := range Evaluate(&a, plan, Conditions{Climate: quay}, january).Clocks {
			if c.Kind == RawWater {
				t.Errorf("%s has a raw-water clock", u.Code)
			}
		}
	}
}

// Law: on a night of frost a boat with a raw-water side moves only when its last state on record
// is drained, or filled and tested well below that night.
func TestWetRawWaterIsHeldInFrost(t *testing.T) {
	held, free := 0, 0
	for seed := range 1500 {
		rng := rand.New(rand.NewPCG(uint64(seed), 41))
		u := ledger.Unit{Code: "HB-1", Kind: "boat", Capacity: 14, Base: coolant.PG, Meter: measure.EngineTime, RawWater: ledger.Yes}
		entries := ledgertest.History(rng, u, 4+rng.IntN(16))
		day := measure.NewDate(2024+rng.IntN(4), 1, 1+rng.IntN(28))
		a := ledger.Fold(u, entries)
		o := Evaluate(&a, lawPlan, Conditions{Climate: quay}, day)
		m := a.RawWater
		safe := m != nil && (m.State == ledger.RawDrained || m.State == ledger.RawFilled && m.Protects != nil && *m.Protects+3 <= quay.PlannedMinimum(day))
		if o.Governing.Kind == Evaluation {
			continue
		}
		if !safe && (m == nil || m.State == ledger.RawWet) {
			if o.Verdict != Hold {
				t.Fatalf("history %d: wet on a night of %v, and the boat is %s", seed, quay.PlannedMinimum(day), o.Verdict)
			}
			held++
		}
		if c := clockOf(t, o, RawWater); !safe && c.Verdict == Sound {
			t.Fatalf("history %d: raw water %+v is sound on a night of %v", seed, m, quay.PlannedMinimum(day))
		} else if c.Verdict == Sound {
			free++
		}
	}
	if held == 0 || free == 0 {
		t.Errorf("%d held, %d free: the law was not tried", held, free)
	}
}

// An impeller lasts from its renewal on, by months or hours; anodes from their inspection on; what
// cannot be computed is not known, and is never sound.
func TestParts(t *testing.T) {
	boat := ledger.Unit{Code: "HB-1", Kind: "boat", Capacity: 20, Meter: measure.EngineTime, RawWater: ledger.No}
	plan := serviceplan.Plan{Later: serviceplan.Interval{Months: 60}, Parts: []serviceplan.PartInterval{
		{Part: "impeller", Interval: serviceplan.Interval{Months: 12, Hours: 200}}, {Part: "anodes", Interval: serviceplan.Interval{Months: 6}}}}
	day := measure.NewDate(2026, 6, 1)
	point := func(name, state string) ledger.Body {
		return ledger.Inspection{Points: []ledger.PointFound{{Point: name, State: state}}}
	}
	every := func(from time.Time, months int, start, perMonth float64) map[time.Time][]ledger.Body {
		all := map[time.Time][]ledger.Body{}
		for m := range months {
			all[from.AddDate(0, m, 0)] = []ledger.Body{ledger.Meter{Meter: hours(start + perMonth*float64(m))}}
		}
		return all
	}
	with := func(all map[time.Time][]ledger.Body, when time.Time, b ledger.Body) map[time.Time][]ledger.Body {
		all[when] = append(all[when], b)
		return all
	}
	for _, c := range []struct {
		name    string
		entries map[time.Time][]ledger.Body
		kind    Kind
		verdict Verdict
		code    Code
	}{
		{"impeller of unknown age", every(at(2025, 6, 1), 12, 500, 5), Impeller, Unknown, PartUnknown},
		{"a good impeller is as old as before", with(every(at(2025, 6, 1), 12, 500, 5), at(2026, 5, 1), point("impeller", "good")), Impeller, Unknown, PartUnknown},
		{"renewed in spring", with(every(at(2025, 6, 1), 13, 500, 5), at(2026, 4, 1), point("impeller", "renewed")), Impeller, Sound, PartRuns},
		{"renewed a year ago", with(every(at(2025, 5, 1), 14, 500, 5), at(2025, 6, 10), point("impeller", "renewed")), Impeller, Due, PartRuns},
		{"renewed in autumn, 200 h ago", with(every(at(2025, 9, 1), 10, 500, 26), at(2025, 10, 1), point("impeller", "renewed")), Impeller, Due, PartRuns},
		{"renewed, and the meter was first read later", with(every(at(2026, 5, 1), 2, 500, 5), at(2026, 4, 1), point("impeller", "renewed")), Impeller, Unknown, PartNoStart},
		{"anodes never inspected: not sound before somebody has seen them", every(at(2026, 4, 1), 2, 500, 5), Anodes, Unknown, PartRuns},
		{"anodes inspected half a year ago", with(every(at(2025, 6, 1), 2, 500, 5), at(2025, 12, 10), point("anodes", "watch")), Anodes, Due, PartRuns},
		{"anodes inspected lately", with(every(at(2025, 6, 1), 2, 500, 5), at(2026, 5, 10), point("anodes", "good")), Anodes, Sound, PartRuns},
	} {
		a := ledger.Fold(boat, dated(c.entries))
		got := clockOf(t, Evaluate(&a, plan, Conditions{Climate: quay}, day), c.kind)
		if got.Verdict != c.verdict || got.Reason.Code != c.code {
			t.Errorf("%s: %s by %s (%v), want %s by %s", c.name, got.Verdict, got.Reason.Code, got.Reason.Numbers, c.verdict, c.code)
		}
	}
}

// Months of an aircraft run to the end of their month, and its inspection by the hours is overdue
// like any clock (common practice, recalled from memory).
func TestAircraftMonths(t *testing.T) {
	plane := ledger.Unit{Code: "AV-1", Kind: "aircraft", Aircraft: true, Capacity: 3, Meter: measure.EngineTime}
	plan := serviceplan.Plan{Later: serviceplan.Interval{Months: 24}, Parts: []serviceplan.PartInterval{{Part: serviceplan.PartInspection, Interval: serviceplan.Interval{Hours: 100}}}}
	entries := dated(map[time.Time][]ledger.Body{at(2024, 2, 10): {ledger.Renewal{Volume: measure.Reading{Value: 3, Unit: measure.L}, Emptied: true,
		Product: coolant.Product{Code: "P", Base: coolant.EG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.5}}},
		at(2025, 1, 1): {ledger.Meter{Meter: hours(1000)}}, at(2025, 3, 1): {ledger.Inspection{Points: []ledger.PointFound{{Point: "pump", State: "good"}}}}, at(2025, 6, 1): {ledger.Meter{Meter: hours(1090)}}, at(2025, 12, 1): {ledger.Meter{Meter: hours(1200)}}})
	a := ledger.Fold(plane, entries)
	o := Evaluate(&a, plan, Conditions{Climate: quay}, measure.NewDate(2026, 2, 12))
	if c := clockOf(t, o, Age); c.Due == nil || c.Due.String() != "2026-02-28" || c.Verdict != Due {
		t.Errorf("24 months from 10 February 2024: %v, %s; want the end of February 2026", c.Due, c.Verdict)
	}
	if c := clockOf(t, o, Inspect); c.Verdict != Overdue {
		t.Errorf("165 h after an inspection by 100 h it is %s (%v)", c.Verdict, c.Reason)
	}
}

// In a circuit of the electric drive the conductivity is judged at 25 °C, by the maker's limit
// where there is one; in an engine's it is not; ordinary coolant is unfit there.
func TestElectricCircuits(t *testing.T) {
	battery := ledger.Unit{Code: "CA-1 battery", Kind: "car", Capacity: 9, Base: coolant.EG, Circuit: ledger.BatteryCircuit, Further: true}
	engine := battery
	engine.Circuit = ledger.EngineCircuit
	stated := battery
	stated.Figures = coolant.Figures{"conductivity_most": 1500}
	low := coolant.Product{Code: "L", Base: coolant.EG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.5, LowConductivity: true}
	ordinary := coolant.Product{Code: "P", Base: coolant.EG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.5}
	fill := func(p coolant.Product) ledger.Body {
		return ledger.Renewal{Volume: measure.Reading{Value: 9, Unit: measure.L}, Emptied: true, Product: p}
	}
	reads := func(v, celsius float64) ledger.Body {
		return ledger.ChemistryTest{Method: ledger.ByMeter, Conductivity: &v, ConductivityAt: degrees(celsius)}
	}
	day := measure.NewDate(2026, 6, 1)
	for _, c := range []struct {
		name   string
		unit   ledger.Unit
		filled coolant.Product
		test   ledger.Body
		kind   Kind
		want   Verdict // empty for no clock
	}{
		{"as new", battery, low, reads(80, 25), Chemistry, ""},
		{"too much, read cold: 180 µS/cm at 10 °C are 257 at 25", battery, low, reads(180, 10), Chemistry, Due},
		{"more than new", battery, low, reads(150, 25), Chemistry, Watch},
		{"the maker allows more", stated, low, reads(900, 25), Chemistry, Watch},
		{"more than the maker allows", stated, low, reads(1600, 25), Chemistry, Due},
		{"of an engine", engine, ordinary, reads(3000, 25), Chemistry, ""},
		{"ordinary coolant in a battery circuit", battery, ordinary, reads(80, 25), Product, Due},
		{"low-conductivity coolant", battery, low, reads(80, 25), Product, ""},
	} {
		a := ledger.Fold(c.unit, dated(map[time.Time][]ledger.Body{at(2026, 1, 1): {fill(c.filled)}, at(2026, 5, 1): {c.test}}))
		o := Evaluate(&a, serviceplan.Plan{Later: serviceplan.Interval{Months: 60}}, Conditions{Climate: quay}, day)
		got := Verdict("")
		for _, k := range o.Clocks {
			if k.Kind == c.kind {
				got = k.Verdict
			}
		}
		if got != c.want && !(c.want == "" && got == Sound) {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}

// Law: no part is sound past its months since the last renewal or inspection, whatever else was
// recorded, and an impeller that was only inspected is as old as before.
func TestPartsLaw(t *testing.T) {
	known, unknown := 0, 0
	for seed := range 1200 {
		rng := rand.New(rand.NewPCG(uint64(seed), 43))
		u := ledgertest.Units[seed%len(ledgertest.Units)]
		a := ledger.Fold(u, ledgertest.History(rng, u, 4+rng.IntN(30)))
		day := lawDay(rng)
		o := Evaluate(&a, lawPlan, Conditions{Climate: quay}, day)
		if o.Governing.Kind == Evaluation {
			continue
		}
		last := func(renewalsOnly bool, part string) (at time.Time) {
			for _, l := range a.Lines {
				b, ok := l.Entry.Body.(ledger.Inspection)
				if !ok || l.Struck != nil || !ledger.Plausible(l.Entry) {
					continue
				}
				for _, p := range b.Points {
					if p.Point == part && (p.State == "renewed" || !renewalsOnly) {
						at = l.Entry.At
					}
				}
			}
			return at
		}
		for _, item := range lawPlan.Parts {
			if item.Months == 0 {
				continue
			}
			c := clockOf(t, o, Kind(item.Part))
			since := last(item.Part == "impeller", item.Part)
			if since.IsZero() && item.Part == "impeller" && a.BuiltAt != nil {
				since = *a.BuiltAt
			}
			if since.IsZero() && item.Part != "impeller" {
				since = a.OpenedAt()
			}
			switch {
			case since.IsZero():
				unknown++
				if c.Verdict.Rank() > Unknown.Rank() {
					t.Fatalf("history %d: since when the %s is in use is not known, and it is %s", seed, item.Part, c.Verdict)
				}
			case measure.DateOf(since, time.UTC).AddMonths(item.Months).EndOfMonth().Before(day):
				known++
				if c.Verdict.Rank() > Due.Rank() {
					t.Fatalf("history %d: the %s is of %s, the plan allows %d months, and on %s it is %s", seed, item.Part, since, item.Months, day, c.Verdict)
				}
			}
		}
	}
	if known == 0 || unknown == 0 {
		t.Errorf("%d past their months, %d of unknown age: the law was not tried", known, unknown)
	}
}

// Law: in a circuit of the electric drive no charge is sound whose last conductivity was above the
// limit in force; in any other circuit conductivity changes nothing.
func TestConductivityLaw(t *testing.T) {
	high := 0
	for seed := range 1500 {
		rng := rand.New(rand.NewPCG(uint64(seed), 47))
		u := ledgertest.Units[seed%len(ledgertest.Units)]
		u.Circuit = ledger.Circuits[rng.IntN(len(ledger.Circuits))]
		a := ledger.Fold(u, ledgertest.History(rng, u, 6+rng.IntN(20)))
		for _, p := range a.ChemistryNow() {
			if p.Property != coolant.PropConductivity {
				continue
			}
			if !u.Circuit.Electric() {
				t.Fatalf("history %d: the conductivity of a %s circuit is %s", seed, u.Circuit, p.Grade)
			}
			most, ok := u.Figures["conductivity_most"]
			if !ok {
				most = 200
			}
			if p.Value > most {
				high++
				o := Evaluate(&a, lawPlan, Conditions{Climate: quay}, lawDay(rng))
				if o.Governing.Kind == Evaluation {
					continue
				}
				if c := clockOf(t, o, Chemistry); c.Verdict.Rank() > Due.Rank() {
					t.Fatalf("history %d: %v µS/cm of at most %v, and the chemistry is %s", seed, p.Value, most, c.Verdict)
				}
			}
		}
	}
	if high == 0 {
		t.Error("no history had too high a conductivity")
	}
}
