package ledger

import (
	"math"
	"slices"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

var (
	car    = Unit{Code: "CA-01", Capacity: 8, Base: coolant.EG, Meter: measure.Distance}
	conc   = coolant.Product{Code: "C", Base: coolant.EG, Technology: "OAT", Form: coolant.Concentrate, Glycol: 0.99, Stated: true}
	premix = coolant.Product{Code: "P", Base: coolant.EG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.5}
	pg     = coolant.Product{Code: "G", Base: coolant.PG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.5}
	start  = time.Date(2025, 3, 1, 8, 0, 0, 0, time.UTC)
)

func day(n int) time.Time { return start.AddDate(0, 0, n) }

// on is an entry n days after start.
func on(n int, b Body) Entry {
	return Entry{ID: time.Duration(n).String() + string(KindOf(b)), Unit: car.Code, At: day(n), Body: b}
}

func litres(v float64) measure.Reading { return measure.Reading{Value: v, Unit: measure.L} }
func km(v float64) measure.Reading     { return measure.Reading{Value: v, Unit: measure.Km} }

func fill(v float64) Renewal { return Renewal{Volume: litres(v), Product: premix} }

// emptied is a renewal of which is said that the system was emptied whole.
func emptied(v float64) Renewal { return Renewal{Volume: litres(v), Product: premix, Emptied: true} }

func water(v float64) TopUp { return TopUp{Volume: litres(v), With: coolant.Water} }

func test(c float64, scale coolant.Base) FreezeTest {
	return FreezeTest{Value: measure.Reading{Value: c, Unit: measure.DegC}, Instrument: Refractometer, Scale: scale}
}

func near(t *testing.T, what string, got *float64, want, tol float64) {
	t.Helper()
	if got == nil || math.Abs(*got-want) > tol {
		t.Errorf("%s = %v, want %g ± %g", what, show(got), want, tol)
	}
}

func show(p *float64) any {
	if p == nil {
		return "unknown"
	}
	return *p
}

func f64[T ~float64](p *T) *float64 {
	if p == nil {
		return nil
	}
	v := float64(*p)
	return &v
}

// A charge's life. Strengths by mass balance worked by hand; freeze points by
// the handbook's rows between which they fall.
func TestFold(t *testing.T) {
	half := 50.0
	a := Fold(car, []Entry{
		on(0, Renewal{Volume: litres(8), Product: conc, Share: &half, Meter: ptr(km(60_000))}),
		on(30, Meter{Meter: km(61_500)}),
		on(100, water(0.5)),
		on(120, Loss{Volume: litres(1)}),
		on(130, TopUp{Volume: measure.Reading{Value: 500, Unit: measure.ML}, With: coolant.Premix, Product: &premix}),
		on(140, test(-33, coolant.EG)),
		on(150, Meter{Meter: measure.Reading{Value: 40_000, Unit: measure.Mi}}),
	})
	for _, c := range []struct {
		line                    int
		litres, percent, freeze float64
	}{
		{0, 8.0, 50.0, -37.0},
		{1, 8.0, 50.0, -37.0},
		{2, 8.0, 46.9, -33.0}, // 0.5 L had gone at 50 %, then 0.5 L of water
		{3, 7.0, 46.9, -33.0},
		{4, 7.5, 47.1, -33.2},
		{5, 7.5, 47.1, -33.2}, // the test agrees: the book stands
		{6, 7.5, 47.1, -33.2},
	} {
		after := a.Lines[c.line].After
		near(t, "litres", f64(after.Litres), c.litres, 0.02)
		percent := 100 * *after.Glycol
		near(t, "glycol", &percent, c.percent, 0.3)
		near(t, "freeze", f64(after.Freeze), c.freeze, 0.4)
	}
	if n := a.Lines[2].Notes; !slices.Equal(n, []Note{NoteImpliedLoss}) || math.Abs(float64(a.Lines[2].Implied)-0.5) > 0.02 {
		t.Errorf("the full system took half a litre: %v, %v L", n, a.Lines[2].Implied)
	}
	if r := a.Lines[5].Test; r == nil || !r.Agrees || !r.Trusted {
		t.Errorf("reconciliation %+v", r)
	}
	near(t, "km since the fill", a.Balance.Used, 40_000*1.609344-60_000, 0.01)
	if a.Balance.RenewedAt == nil || !a.Balance.RenewedAt.Equal(day(0)) {
		t.Errorf("renewed at %v", a.Balance.RenewedAt)
	}
	// 8 L from day 0; 0.5 of 8 L at day 100; 0.5 of 7.5 L at day 130.
	age := a.Balance.MeanAge.Hours() / 24
	near(t, "mean age in days", &age, 150-(100*0.5/8*7.0/7.5+130*0.5/7.5), 1)
}

func ptr[T any](v T) *T { return &v }

func TestReconcile(t *testing.T) {
	for _, c := range []struct {
		name    string
		entries []Entry
		agrees  bool
		trusted bool
		note    Note
		freeze  any // by book afterwards
	}{
		{"agrees", []Entry{on(0, fill(8)), on(9, test(-36, coolant.EG))}, true, true, "", -37.1},
		{"off: the coolant is what was measured", []Entry{on(0, fill(8)), on(9, test(-24, coolant.EG))}, false, true, "", -24.0},
		{"PG on the EG scale says nothing", []Entry{on(0, Renewal{Volume: litres(8), Product: pg}), on(9, test(-41, coolant.EG))}, false, false, NoteWrongScale, -33.5},
		{"first known strength", []Entry{on(9, test(-30, coolant.EG))}, false, true, NoteVolumeAssumed, -30.0},
		{"EG and PG mixed", []Entry{on(0, fill(8)), on(1, TopUp{Volume: litres(0.5), With: coolant.Premix, Product: &pg}), on(9, test(-30, coolant.EG))}, false, false, NoteMixedBase, nil},
		{"colder than the table", []Entry{on(0, fill(8)), on(9, test(-58, coolant.EG))}, false, false, NoteTooStrong, -37.1},
	} {
		a := Fold(car, c.entries)
		last := a.Lines[len(a.Lines)-1]
		if last.Test.Agrees != c.agrees || last.Test.Trusted != c.trusted || c.note != "" && !slices.Contains(last.Notes, c.note) {
			t.Errorf("%s: %+v %v", c.name, *last.Test, last.Notes)
		}
		if c.freeze == nil {
			if last.After.Freeze != nil {
				t.Errorf("%s: a mixture without a table freezes at %v", c.name, *last.After.Freeze)
			}
			continue
		}
		near(t, c.name, f64(last.After.Freeze), c.freeze.(float64), 0.4)
	}
	nobody := Fold(Unit{Code: "X", Capacity: 8}, []Entry{on(1, test(-30, coolant.EG))})
	if nobody.Known || nobody.Distrusted == nil || nobody.Distrusted.Note != NoteBaseUnknown {
		t.Errorf("unknown base: %+v", nobody.Distrusted)
	}
}

// What is relied on is the warmer of book and test, until something is poured.
func TestProtectsTo(t *testing.T) {
	entries := []Entry{on(0, fill(8)), on(9, test(-35.5, coolant.EG))}
	a := Fold(car, entries)
	near(t, "relied on", f64(a.ProtectsTo()), -35.5, 1e-6)
	a = Fold(car, append(entries, on(10, TopUp{Volume: litres(0.2), With: coolant.Premix, Product: &premix})))
	near(t, "after a top-up", f64(a.ProtectsTo()), -36.7, 0.4) // the book, drawn a little to the test
	a = Fold(car, []Entry{on(0, fill(8)), on(9, test(-38, coolant.EG))})
	filled := Fold(car, []Entry{on(0, fill(8))})
	near(t, "colder than the book", f64(a.ProtectsTo()), float64(*filled.ProtectsTo()), 1e-6)
	if empty := Fold(car, nil); empty.ProtectsTo() != nil || empty.Balance != (Balance{}) {
		t.Errorf("an empty account protects to %v", empty.ProtectsTo())
	}
}

func TestFoldNotes(t *testing.T) {
	for _, c := range []struct {
		name    string
		entries []Entry
		want    Note
	}{
		{"poured into the unknown", []Entry{on(0, water(1))}, NoteNotFilled},
		{"lost from the unknown", []Entry{on(0, Loss{Volume: litres(1)})}, NoteNotFilled},
		{"lost more than there was", []Entry{on(0, fill(8)), on(1, Loss{Volume: litres(9)})}, NoteMoreThanBook},
		{"meter back", []Entry{on(0, Meter{Meter: km(900)}), on(1, Meter{Meter: km(800)})}, NoteMeterOutlier},
		{"hours on a car", []Entry{on(0, Meter{Meter: measure.Reading{Value: 5, Unit: measure.H}})}, NoteOtherMeter},
		{"a fill no table knows", []Entry{on(0, Renewal{Volume: litres(8), Product: coolant.Product{Form: coolant.Premix, Base: "XG", Glycol: 1}})}, NoteBeyondTable},
		{"a top-up no table knows", []Entry{on(0, fill(8)), on(1, TopUp{Volume: litres(1), With: coolant.Premix, Product: &coolant.Product{Form: coolant.Premix, Base: "XG", Glycol: 1}})}, NoteBeyondTable},
	} {
		a := Fold(car, c.entries)
		if last := a.Lines[len(a.Lines)-1]; !slices.Contains(last.Notes, c.want) {
			t.Errorf("%s: notes %v", c.name, last.Notes)
		}
	}
}

// The meter at the renewal is read off the line between the readings around it.
func TestRenewalMeter(t *testing.T) {
	a := Fold(car, []Entry{on(0, Meter{Meter: km(1000)}), on(5, fill(8)), on(10, Meter{Meter: km(2000)}), on(20, Meter{Meter: km(2600)})})
	if m, ok := a.RenewalMeter(); !ok || m != 1500 {
		t.Errorf("between two readings: %v, %v", m, ok)
	}
	if early := a.Lines[1].After.Used; early == nil || *early != 0 {
		t.Errorf("used on the day of the fill: %v", show(early))
	}
	near(t, "used", a.Balance.Used, 1100, 1e-9)
	if a := Fold(car, []Entry{on(0, fill(8)), on(3, Meter{Meter: km(10)})}); a.Balance.Used != nil {
		t.Errorf("no reading before the fill, yet used is %v", *a.Balance.Used)
	}
}

func BenchmarkFold(b *testing.B) {
	entries := []Entry{on(0, fill(8))}
	for n := 1; n < 200; n++ {
		entries = append(entries, on(n, []Body{Meter{Meter: km(float64(n) * 40)}, water(0.1), test(-30, coolant.EG)}[n%3]))
	}
	b.ReportAllocs()
	for b.Loop() {
		Fold(car, entries)
	}
}
