package ledger_test

import (
	"fmt"
	"math"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// Each figure of an entry is taken up to its bounds, and not beyond them. The bounds are judgement.
func TestPlausible(t *testing.T) {
	at := time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC)
	beyond := func(v float64) float64 { return math.Nextafter(v, math.Inf(int(math.Copysign(1, v)))) }
	below := func(v float64) float64 { return math.Nextafter(v, math.Inf(-1)) }
	litres := measure.Reading{Value: 5, Unit: measure.L}
	fill := func(p coolant.Product) ledger.Entry {
		return ledger.Entry{At: at, Body: ledger.Renewal{Volume: litres, Product: p}}
	}
	degrees := func(v float64) *measure.Celsius { c := measure.Celsius(v); return &c }
	dose := func(a coolant.Additive) ledger.Entry {
		return ledger.Entry{At: at, Body: ledger.Dose{Volume: litres, Additive: a}}
	}
	const most = ledger.MostFigure
	for _, c := range []struct {
		name        string
		of          func(float64) ledger.Entry
		least, most float64
	}{
		{"volume", func(v float64) ledger.Entry {
			return ledger.Entry{At: at, Body: ledger.Loss{Volume: measure.Reading{Value: v, Unit: measure.L}}}
		}, ledger.LeastVolume, ledger.MostVolume},
		{"volume that stayed inside", func(v float64) ledger.Entry {
			return ledger.Entry{At: at, Body: ledger.Renewal{Volume: litres, Residual: &measure.Reading{Value: v, Unit: measure.L}}}
		}, 0, ledger.MostVolume},
		{"meter", func(v float64) ledger.Entry {
			return ledger.Entry{At: at, Body: ledger.Meter{Meter: measure.Reading{Value: v, Unit: measure.Km}}}
		}, -most, most},
		{"share", func(v float64) ledger.Entry {
			return ledger.Entry{At: at, Body: ledger.Renewal{Volume: litres, Share: &v}}
		}, -most, most},
		{"glycol", func(v float64) ledger.Entry { return fill(coolant.Product{Glycol: v}) }, 0, 1},
		{"density", func(v float64) ledger.Entry { return fill(coolant.Product{Density: v}) }, 0, 10},
		{"fresh", func(v float64) ledger.Entry { return fill(coolant.Product{Fresh: v}) }, 0, most},
		{"freeze point", func(v float64) ledger.Entry { return fill(coolant.Product{Freeze: degrees(v)}) }, -most, most},
		{"a figure of the maker", func(v float64) ledger.Entry { return fill(coolant.Product{Figures: coolant.Figures{"ph_low": v}}) }, -most, most},
		{"nitrite", func(v float64) ledger.Entry { return dose(coolant.Additive{Nitrite: v}) }, 0, 1e5},
		{"molybdate", func(v float64) ledger.Entry { return dose(coolant.Additive{Molybdate: v}) }, 0, 1e5},
		{"km of an additive", func(v float64) ledger.Entry { return dose(coolant.Additive{Km: measure.Kilometre(v)}) }, 0, most},
		{"hours of an additive", func(v float64) ledger.Entry { return dose(coolant.Additive{Hours: measure.Hour(v)}) }, 0, most},
	} {
		for v, want := range map[float64]bool{c.least: true, c.most: true, (c.least + c.most) / 2: true, below(c.least): false, beyond(c.most): false, math.NaN(): false, math.Inf(1): false} {
			if got := ledger.Plausible(c.of(v)); got != want {
				t.Errorf("%s of %v: plausible %v, want %v", c.name, v, got, want)
			}
		}
	}
	for n, want := range map[int]bool{0: true, 1000: true, 1001: false, -1: false} {
		if got := ledger.Plausible(ledger.Entry{At: at, Body: ledger.Renewal{Volume: litres, Flushes: n}}); got != want {
			t.Errorf("%d flushes: %v, want %v", n, got, want)
		}
	}
	for n, want := range map[int]bool{0: true, 10_000: true, 10_001: false, -1: false} {
		if got := ledger.Plausible(dose(coolant.Additive{Months: n})); got != want {
			t.Errorf("an additive for %d months: %v, want %v", n, got, want)
		}
	}
	for at, want := range map[time.Time]bool{ledger.EarliestTime: true, ledger.LatestTime: true, ledger.EarliestTime.Add(-time.Nanosecond): false, ledger.LatestTime.Add(time.Nanosecond): false} {
		if got := ledger.Plausible(ledger.Entry{At: at, Body: ledger.NoteBody{Text: fmt.Sprint(at)}}); got != want {
			t.Errorf("at %s: %v, want %v", at, got, want)
		}
	}
}
