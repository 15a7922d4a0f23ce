package ledger

import (
	"math"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// The drift is the weighted slope drawn towards none: worked by hand for three
// equally certain strengths half a year apart that fall by 0.01 each.
func TestDrift(t *testing.T) {
	at := func(months int) time.Time { return start.AddDate(0, 0, int(float64(months)*measure.DaysPerMonth)) }
	a := Account{Strengths: []Strength{{at(0), 0.50, 0.01}, {at(6), 0.49, 0.01}, {at(12), 0.48, 0.01}}}
	// Sxx = (0.25 + 0 + 0.25) / 0.01² = 5000; Sxy = −100; the prior 1 / 0.016² ≈ 3906.
	perYear, sigma := a.Drift()
	if want := -100.0 / (5000 + 1/(0.016*0.016)); math.Abs(perYear-want) > 2e-4 {
		t.Errorf("drifts by %.5f a year, want %.5f", perYear, want)
	}
	if want := 1 / math.Sqrt(5000+1/(0.016*0.016)); math.Abs(sigma-want) > 1e-4 {
		t.Errorf("give or take %.5f, want %.5f", sigma, want)
	}
	if perYear, sigma := (&Account{}).Drift(); perYear != 0 || math.Abs(sigma-driftPrior) > 1e-9 {
		t.Errorf("knowing nothing: %.4f ± %.4f", perYear, sigma)
	}
}

// Of many tests the fill and the latest are kept; a renewal and a test that does
// not agree begin anew; water that was written down drifts the book.
func TestStrengths(t *testing.T) {
	entries := []Entry{on(0, fill(8))}
	for n := range 40 {
		entries = append(entries, on(10+10*n, test(-36.5, coolant.EG)))
	}
	a := Fold(car, entries)
	if n := len(a.Strengths); n != mostStrengths || !a.Strengths[0].At.Equal(entries[0].At) || !a.Strengths[n-1].At.Equal(entries[40].At) {
		t.Errorf("%d strengths, from %v to %v", n, a.Strengths[0].At, a.Strengths[n-1].At)
	}
	if a = Fold(car, append(entries, on(500, test(-20, coolant.EG)))); len(a.Strengths) != 1 {
		t.Errorf("%d strengths after a test that does not agree", len(a.Strengths))
	}
	if a = Fold(car, append(entries, on(500, fill(8)))); len(a.Strengths) != 1 || !a.Strengths[0].At.Equal(day(500)) {
		t.Errorf("strengths after a renewal: %+v", a.Strengths)
	}
	dry := Fold(car, entries[:2])
	wet := Fold(car, append(entries[:2:2], on(200, water(0.3)), on(390, water(0.3))))
	d, _ := dry.Drift()
	if w, _ := wet.Drift(); w > d-0.005 {
		t.Errorf("with water written down it drifts by %.4f, without by %.4f", w, d)
	}
}
