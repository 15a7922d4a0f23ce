package coolant

import (
	"errors"
	"math"
	"slices"
	"testing"

	"diligentledger/core/measure"
)

func pt[T any](v T) *T { return &v }

func TestRefractometer(t *testing.T) {
	fresh := pt(5.0)
	for _, c := range []struct {
		name    string
		m       Refractometer
		want    float64
		tol     float64
		flags   []Flag
		refused bool
		shown   *float64
	}{
		{"EG on its scale", Refractometer{Kind: ScaleFreeze, Scale: EG, Inside: EG, Value: -37, ZeroDays: fresh, Compensated: true}, -37, .01, nil, false, nil},
		// 50 % by volume reads −37 °C (label, common practice).
		{"per cent", Refractometer{Kind: ScalePercent, Scale: EG, Inside: EG, Value: 50, ZeroDays: fresh}, -37, .5, nil, false, nil},
		// PG at 50 % has the index of EG at about 55 % by mass: reads −41 and
		// freezes at −33.5 (handbook, by way of the index tables).
		{"PG on the EG scale", Refractometer{Kind: ScaleFreeze, Scale: EG, Inside: PG, Value: -41, ZeroDays: fresh}, -33.5, 1.5, []Flag{FlagWrongScale}, true, pt(-41.0)},
		{"EG on the PG scale", Refractometer{Kind: ScaleFreeze, Scale: PG, Inside: EG, Value: -33.5, ZeroDays: fresh}, -41, 1.5, []Flag{FlagWrongScale}, true, pt(-33.5)},
		// 30 °Bx has the index 1.3811; EG at 48 % by mass, −31 °C.
		{"Brix", Refractometer{Kind: ScaleBrix, Inside: EG, Value: 30, ZeroDays: fresh}, -31, 1, nil, false, nil},
		{"hot and not compensated", Refractometer{Kind: ScaleFreeze, Scale: EG, Inside: EG, Value: -30, Sample: pt(measure.Celsius(45)), ZeroDays: fresh}, -30, .01, []Flag{FlagHot}, true, nil},
		{"25 °C, compensated", Refractometer{Kind: ScaleFreeze, Scale: EG, Inside: EG, Value: -30, Sample: pt(measure.Celsius(25)), Compensated: true, ZeroDays: fresh}, -30, .01, nil, false, nil},
		{"zero never checked", Refractometer{Kind: ScaleFreeze, Scale: EG, Inside: EG, Value: -30}, -30, .01, []Flag{FlagZeroUnknown}, false, nil},
		{"zero checked in spring", Refractometer{Kind: ScaleFreeze, Scale: EG, Inside: EG, Value: -30, ZeroDays: pt(200.0)}, -30, .01, []Flag{FlagZeroOld}, false, nil},
		// Water reads −1: everything reads about as much too strong.
		{"zero a degree off", Refractometer{Kind: ScaleFreeze, Scale: EG, Inside: EG, Value: -20, Zero: pt(-1.0), ZeroDays: fresh}, -17, 1.5, []Flag{FlagZeroOff}, false, nil},
		{"zero a degree the other way", Refractometer{Kind: ScaleFreeze, Scale: EG, Inside: EG, Value: -20, Zero: pt(1.0), ZeroDays: fresh}, -23, 1.5, []Flag{FlagZeroOff}, false, nil},
		{"zero 2 % off", Refractometer{Kind: ScalePercent, Scale: EG, Inside: EG, Value: 50, Zero: pt(1.5), ZeroDays: fresh}, -34.7, 1, []Flag{FlagZeroOff}, false, nil},
		{"zero far off", Refractometer{Kind: ScaleFreeze, Scale: EG, Inside: EG, Value: -20, Zero: pt(-4.0), ZeroDays: fresh}, -10, 5, []Flag{FlagZeroFar}, true, nil},
		{"the glycol is not known", Refractometer{Kind: ScaleFreeze, Scale: EG, Value: -30, ZeroDays: fresh}, -30, .01, []Flag{FlagBaseUnknown}, true, nil},
	} {
		r, err := c.m.Read()
		if err != nil || math.Abs(float64(r.Freeze)-c.want) > c.tol || !slices.Equal(r.Flags, c.flags) || r.Refused != c.refused {
			t.Errorf("%s: %+v, %v; want %g %v %v", c.name, r, err, c.want, c.flags, c.refused)
		}
		if (r.Shown == nil) != (c.shown == nil) || r.Shown != nil && math.Abs(float64(*r.Shown)-*c.shown) > .01 {
			t.Errorf("%s: shown %v", c.name, r.Shown)
		}
		if !(r.Low <= r.Freeze && r.Freeze <= r.High) {
			t.Errorf("%s: %v is not between %v and %v", c.name, r.Freeze, r.Low, r.High)
		}
	}
	known, _ := Refractometer{Kind: ScaleFreeze, Scale: EG, Inside: EG, Value: -30, ZeroDays: fresh}.Read()
	old, _ := Refractometer{Kind: ScaleFreeze, Scale: EG, Inside: EG, Value: -30}.Read()
	if old.High-old.Low <= known.High-known.Low {
		t.Error("an unchecked zero is as sure as a fresh one")
	}
	for _, m := range []Refractometer{{Kind: ScaleFreeze, Scale: EG, Value: 5}, {Kind: ScaleFreeze, Scale: EG, Value: -300}, {Kind: ScaleBrix, Value: 90},
		{Kind: ScalePercent, Scale: EG, Value: 120}, {Kind: "guess"}, {Kind: ScaleFreeze, Value: -30}} {
		if r, err := m.Read(); err == nil {
			t.Errorf("%+v reads %+v", m, r)
		}
	}
	strong, err := Refractometer{Kind: ScaleBrix, Inside: PG, Value: 50}.Read()
	if err != nil || !strong.NotUsable || !slices.Contains(strong.Flags, FlagTooStrong) {
		t.Errorf("beyond the table: %+v, %v", strong, err)
	}
}

// Densities of EG mixtures at 20 °C: CRC Handbook, recalled from memory; freeze
// points of the same rows: ASHRAE. Here the product in the can is pure glycol.
func TestHydrometer(t *testing.T) {
	pure := Hydrometer{Sample: 20, Inside: EG, Density: 1.1135 / .9982, Glycol: 1}
	for _, c := range []struct {
		relative float64
		sample   measure.Celsius
		want     float64
		tol      float64
	}{
		{1.0645 / .9982, 20, -33.8, .3}, {1.0378 / .9982, 20, -14.1, .3}, {1, 20, 0, .1}, {.99, 20, 0, 0},
		// The same 50 % by mass at 60 °C is about 0.02 lighter.
		{1.0429 / .9982, 60, -33.8, 1},
	} {
		h := pure
		h.Relative, h.Sample = c.relative, c.sample
		r, err := h.Read()
		if err != nil || math.Abs(float64(r.Freeze)-c.want) > c.tol || r.Low > r.Freeze || r.High < r.Freeze || r.Refused {
			t.Errorf("%.4f at %v °C: %+v, %v; want %g", c.relative, c.sample, r, err, c.want)
		}
	}
	for _, base := range []Base{PG, NoWater} {
		if r, err := (Hydrometer{Relative: 1.04, Sample: 20, Inside: base}).Read(); err != nil || !r.Refused || !r.NotUsable || r.Flags[0] != FlagHydroPG {
			t.Errorf("%s: %+v, %v", base, r, err)
		}
	}
	if r, err := (Hydrometer{Relative: 1.04, Sample: 20}).Read(); err != nil || !r.Refused {
		t.Errorf("unknown glycol: %+v, %v", r, err)
	}
	if r, err := (Hydrometer{Relative: 1.11, Sample: 20, Inside: EG}).Read(); err != nil || !r.NotUsable {
		t.Errorf("beyond the eutectic: %+v, %v", r, err)
	}
	for _, bad := range [][2]float64{{.5, 20}, {1.04, 200}, {math.NaN(), 20}} {
		if _, err := (Hydrometer{Relative: bad[0], Sample: measure.Celsius(bad[1]), Inside: EG}).Read(); err == nil {
			t.Errorf("%v was read", bad)
		}
	}
}

// Concentrates differ from 1.110 to 1.145 in density, so that a correct half-and-half reads
// 1.066 to 1.083 (common practice, from memory; good to 0.002, a hydrometer's own doubt).
// Whichever it is, the warm end is no colder than what it freezes at, and the product's own
// density gives it back.
func TestHydrometerOnConcentrates(t *testing.T) {
	for _, c := range []struct{ density, reads float64 }{{1.110, 1.066}, {1.145, 1.083}} {
		for _, glycol := range []float64{0.93, 0.96, 0.99} {
			mix, contracted := diluted(0.5, glycol)
			truth, err := mix.FreezePoint()
			relative := (0.5*c.density + 0.5) / contracted
			if err != nil || math.Abs(relative-c.reads) > .002 {
				t.Errorf("half and half of %.3f reads %.4f, want %.3f; %v", c.density, relative, c.reads, err)
			}
			any, err := Hydrometer{Relative: relative, Sample: 20, Inside: EG}.Read()
			if err != nil || !any.Refused && (any.Freeze < truth || any.Freeze != any.High || any.Low > truth) {
				t.Errorf("%.4f, product not known: %+v, %v; it freezes at %.1f", relative, any, err, float64(truth))
			}
			own, err := Hydrometer{Relative: relative, Sample: 20, Inside: EG, Density: c.density, Glycol: glycol}.Read()
			if err != nil || own.Refused || math.Abs(float64(own.Freeze-truth)) > 0.1 || own.Low > truth || own.High < truth {
				t.Errorf("%.4f, its density known: %+v, %v; it freezes at %.1f", relative, own, err, float64(truth))
			}
		}
	}
	// Neat concentrate of the light kind reads what a strong mix of the dense kind does: refused.
	if r, err := (Hydrometer{Relative: 1.110, Sample: 20, Inside: EG}).Read(); err != nil || !r.Refused {
		t.Errorf("neat concentrate: %+v, %v", r, err)
	}
}

func TestDiscsAndStrips(t *testing.T) {
	// Six discs, three floating: protected to −23 °C (common practice).
	chart := []measure.Celsius{-7, -15, -23, -30, -37, -45}
	r, err := ReadDiscs(chart, 3, EG)
	if err != nil || r.Freeze != -23 || r.High != -23 || r.Low != -30 {
		t.Errorf("three of six: %+v, %v", r, err)
	}
	if r, err := ReadDiscs(chart, 0, EG); err != nil || r.Freeze != 0 || r.Low != -7 {
		t.Errorf("none of six: %+v, %v", r, err)
	}
	if r, err := ReadDiscs(chart, 6, EG); err != nil || r.Freeze != -45 || r.Low >= -45 {
		t.Errorf("all of six: %+v, %v", r, err)
	}
	for _, c := range []struct {
		chart []measure.Celsius
		n     int
	}{{chart, 7}, {chart, -1}, {nil, 0}, {[]measure.Celsius{-7, -5}, 1}, {[]measure.Celsius{7}, 1}} {
		if _, err := ReadDiscs(c.chart, c.n, EG); err == nil {
			t.Errorf("%v discs of %v were read", c.n, c.chart)
		}
	}
	if r, err := ReadStrip(-20, -30, false, false); err != nil || r.Freeze != -20 || r.Low != -30 || r.Refused {
		t.Errorf("strip: %+v, %v", r, err)
	}
	if r, err := ReadStrip(-20, -30, true, true); err != nil || !r.Refused || len(r.Flags) != 2 {
		t.Errorf("spoilt strip: %+v, %v", r, err)
	}
	if _, err := ReadStrip(-30, -20, false, false); err == nil {
		t.Error("a band upside down was read")
	}
}

// A straight fall of 0.5 a year from 9.0 meets 7.0 after four years, worked by
// hand.
func TestDaysToLimit(t *testing.T) {
	points := []DatedValue{{0, 9}, {365, 8.5}, {730, 8}}
	if got, ok := DaysToLimit(points, 7); !ok || math.Abs(got-730) > 1e-6 {
		t.Errorf("%v days, %v; want 730", got, ok)
	}
	if got, ok := DaysToLimit(points, 11); ok {
		t.Errorf("moving away, yet %v days", got)
	}
	if got, ok := DaysToLimit([]DatedValue{{0, 9}, {365, 7.5}, {730, 6}}, 7); ok {
		t.Errorf("past the limit, yet %v days", got)
	}
	for _, few := range [][]DatedValue{nil, points[:2], {{0, 8}, {1, 8}, {2, 8}}} {
		if got, ok := DaysToLimit(few, 7); ok {
			t.Errorf("%v gave %v days", few, got)
		}
	}
}

// A reading beyond the strong end of any scale is too strong and not an error, up to the end of the scales that are
// made; beyond that no
// instrument shows it.
func TestBeyondTheStrongEnd(t *testing.T) {
	for _, m := range []Refractometer{
		{Kind: ScalePercent, Scale: EG, Inside: EG, Value: 72}, {Kind: ScalePercent, Scale: EG, Inside: EG, Value: 95}, {Kind: ScalePercent, Scale: PG, Inside: PG, Value: 95},
		{Kind: ScaleBrix, Inside: EG, Value: 58}, {Kind: ScaleBrix, Inside: PG, Value: 85}, {Kind: ScaleFreeze, Scale: EG, Inside: EG, Value: -59},
	} {
		if r, err := m.Read(); err != nil || !r.NotUsable || !slices.Contains(r.Flags, FlagTooStrong) {
			t.Errorf("%+v: %+v, %v", m, r, err)
		}
	}
	for _, m := range []Refractometer{{Kind: ScalePercent, Scale: EG, Inside: EG, Value: 101}, {Kind: ScaleBrix, Inside: EG, Value: 86}, {Kind: ScaleFreeze, Scale: EG, Inside: EG, Value: -61}} {
		if r, err := m.Read(); err == nil {
			t.Errorf("%+v is read: %+v", m, r)
		}
	}
	// Diluted one to one by volume, the coolant has twice the per cent that is then read, but for what mixing shrinks.
	for _, base := range []Base{EG, PG} {
		for share := 0.6; share <= 1; share += 0.05 {
			c, err := Pour(base, 1, share)
			water, err2 := PourWater(1)
			sum := Charge{Base: base, Glycol: c.Glycol, Water: c.Water + water.Water}
			read, err3 := VolumeFraction(base, sum.MassFraction())
			if err := errors.Join(err, err2, err3); err != nil || math.Abs(2*read-share) > 0.02 {
				t.Errorf("%s %.0f %%, one to one: reads %.1f %%, %v", base, 100*share, 100*read, err)
			}
		}
	}
}
