package coolant

import (
	"errors"
	"math"
	"math/rand/v2"
	"testing"

	"diligentledger/core/measure"
)

var (
	concentrate = Product{Code: "C", Base: EG, Form: Concentrate, Glycol: 0.99, Stated: true}
	premix      = Product{Code: "P", Base: EG, Form: Premix, Glycol: 0.5}
	pgPremix    = Product{Code: "G", Base: PG, Form: Premix, Glycol: 0.5}
)

// Label values by volume of concentrate in water (common practice), and ASTM
// D3306: 50 % freezes at −36.4 °C or lower (recalled from memory). The label
// for 60 % is read generously: labels say −52, the handbook −50.
func TestMixAgreesWithLabel(t *testing.T) {
	for _, c := range []struct{ share, coldest, warmest float64 }{
		{0.33, -18.5, -17.5}, {0.40, -25, -24}, {0.50, -37.3, -36.4}, {0.60, -52, -49.5},
	} {
		mix, err := Mix(concentrate, 10, c.share)
		if err != nil {
			t.Fatal(err)
		}
		if got, err := mix.FreezePoint(); err != nil || float64(got) < c.coldest || float64(got) > c.warmest {
			t.Errorf("%.0f %%: %v °C, %v; label %g to %g", 100*c.share, got, err, c.coldest, c.warmest)
		}
		if v := mix.Volume(); math.Abs(float64(v)-10) > 1e-9 {
			t.Errorf("%.0f %%: %v L, want 10", 100*c.share, v)
		}
	}
}

// A concentrate whose label does not say holds 93 to 99 % of glycol: half and half freezes at
// −33 to −37 °C, of PG at −30 to −33 °C (common practice, from memory). The books take the
// middle, with the ends at two standard uncertainties.
func TestLabelStrength(t *testing.T) {
	for _, c := range []struct {
		base          Base
		cold, warm    float64 // °C, of half and half
		strong, weak  float64
		centre, doubt float64
	}{{EG, -37, -33, 0.99, 0.93, 0.96, 0.015}, {PG, -33, -30, 0.96, 0.92, 0.94, 0.01}} {
		p := Product{Base: c.base, Form: Concentrate, Glycol: ConcentrateGlycol}
		glycol, sigma := p.Strength()
		if math.Abs(glycol-c.centre) > 1e-9 || math.Abs(sigma-c.doubt) > 1e-9 || glycol+2*sigma < c.strong-1e-9 || glycol-2*sigma > c.weak+1e-9 {
			t.Errorf("%s: %.3f ± %.3f", c.base, glycol, sigma)
		}
		mix, err := Mix(p, 1, 0.5)
		freeze, err2 := mix.FreezePoint()
		if err != nil || err2 != nil || float64(freeze) < c.cold || float64(freeze) > c.warm {
			t.Errorf("%s half and half freezes at %v, want %g to %g; %v %v", c.base, freeze, c.cold, c.warm, err, err2)
		}
	}
	for _, p := range []Product{{Base: EG, Form: Concentrate, Glycol: 0.99, Stated: true}, {Base: EG, Form: Concentrate, Glycol: 0.97}, {Base: EG, Form: Premix, Glycol: 0.5}} {
		if glycol, sigma := p.Strength(); glycol != p.Glycol || sigma != 0 {
			t.Errorf("%+v: %g ± %g", p, glycol, sigma)
		}
	}
}

// Neat EG freezes at −12.9 °C (CRC Handbook, from memory): it is too strong, and known.
func TestNeatConcentrate(t *testing.T) {
	c, err := Pour(EG, 1, 1)
	if f, err2 := c.FreezePoint(); err != nil || err2 != nil || math.Abs(float64(f)+12.9) > 0.01 {
		t.Errorf("neat EG: %v, %v %v", f, err, err2)
	}
}

// Waterless coolant is what its product says, up to 3 % of water (common practice, from memory).
func TestReadWaterless(t *testing.T) {
	own := measure.Celsius(-40)
	if r, err := ReadWaterless(0.03, &own); err != nil || r.Refused || r.Freeze != -40 {
		t.Errorf("3 %% of water: %+v, %v", r, err)
	}
	if r, err := ReadWaterless(0.031, &own); err != nil || !r.Refused || !r.NotUsable {
		t.Errorf("more: %+v, %v", r, err)
	}
	if r, err := ReadWaterless(0.01, nil); err != nil || !r.Refused {
		t.Errorf("no figure: %+v, %v", r, err)
	}
	for _, bad := range []float64{-0.1, 1.1, math.NaN()} {
		if _, err := ReadWaterless(bad, &own); err == nil {
			t.Errorf("%g was read", bad)
		}
	}
	c, err := Pour(NoWater, 10, 1)
	if err != nil || math.Abs(float64(c.Volume())-10) > 1e-9 {
		t.Errorf("10 L waterless: %+v, %v", c, err)
	}
	if _, err := c.FreezePoint(); err == nil {
		t.Error("a table gives what waterless coolant freezes at")
	}
}

// Worked by hand: 8 L of 50 % by volume, 0.5 L drawn off and replaced by water,
// leaves 7.5/8 of the glycol: 46.9 % by volume, which the handbook has at
// 49.3 % by mass, about −33 °C.
func TestWaterTopUp(t *testing.T) {
	charge, err := PourProduct(premix, 8)
	if err != nil {
		t.Fatal(err)
	}
	water, err := PourWater(0.5)
	if err != nil {
		t.Fatal(err)
	}
	got, err := charge.Remove(0.5).Add(water)
	if err != nil {
		t.Fatal(err)
	}
	if v := 100 * got.VolumeFraction(); math.Abs(v-46.9) > 0.2 {
		t.Errorf("strength %.2f %%, want 46.9", v)
	}
	if f, err := got.FreezePoint(); err != nil || math.Abs(float64(f)+33) > 0.5 {
		t.Errorf("freezes at %v, %v; want about -33", f, err)
	}
}

// Drain-and-fill dilution: after n passes of share r, 1 − (1 − r)ⁿ is new;
// 4.0 of 5.8 qt is about 70 % (common practice). Shown with water as the new.
func TestDrainAndFillDilutes(t *testing.T) {
	const capacity, drained = 5.8, 4.0
	charge, _ := Pour(EG, capacity, 0.5)
	first := float64(charge.Glycol)
	for n := 1; n <= 3; n++ {
		water, _ := PourWater(measure.Litre(drained))
		charge, _ = charge.Remove(measure.Litre(drained) * charge.Volume() / capacity).Add(water)
		want := math.Pow(1-drained/capacity, float64(n))
		if left := float64(charge.Glycol) / first; math.Abs(left-want) > 1e-9 {
			t.Errorf("after %d: %.4f of the old is left, want %.4f", n, left, want)
		}
	}
	if share := drained / capacity; math.Abs(share-0.69) > 0.005 {
		t.Errorf("one pass replaces %.2f", share)
	}
}

// Laws: mass is conserved; taking nothing and adding nothing change nothing;
// adding water never protects better, adding concentrate never worse (below
// the eutectic).
func TestChargeLaws(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for range 2000 {
		base := []Base{EG, PG}[rng.IntN(2)]
		a, err := Pour(base, measure.Litre(1+40*rng.Float64()), 0.05+0.5*rng.Float64())
		if err != nil {
			t.Fatal(err)
		}
		b, err := Pour(base, measure.Litre(5*rng.Float64()), 0.55*rng.Float64())
		if err != nil {
			t.Fatal(err)
		}
		sum, err := a.Add(b)
		if err != nil {
			t.Fatal(err)
		}
		if math.Abs(float64(sum.Mass()-a.Mass()-b.Mass())) > 1e-9 || math.Abs(float64(sum.Glycol-a.Glycol-b.Glycol)) > 1e-9 {
			t.Fatalf("mass lost: %v + %v = %v", a, b, sum)
		}
		// Glycol and water contract by up to a per cent; they never swell by
		// more than the density table's own 0.002 kg/L.
		if ratio := float64(sum.Volume() / (a.Volume() + b.Volume())); ratio > 1.002 || ratio < 0.985 {
			t.Fatalf("mixing %v and %v changed the volume by %.4f", a, b, ratio)
		}
		if empty, err := a.Add(Charge{}); err != nil || empty != a || a.Remove(0) != a || a.Remove(-1) != a {
			t.Fatalf("nothing changed %v", a)
		}
		v := measure.Litre(rng.Float64()) * a.Volume()
		if left := a.Remove(v); math.Abs(float64(left.Volume()+v-a.Volume())) > 1e-9 || math.Abs(left.MassFraction()-a.MassFraction()) > 1e-12 {
			t.Fatalf("taking %v of %v left %v", v, a, left)
		}
		water, _ := PourWater(1)
		thinner, _ := a.Add(water)
		before, err1 := a.FreezePoint()
		after, err2 := thinner.FreezePoint()
		if err := errors.Join(err1, err2); err != nil || after < before {
			t.Fatalf("water took %v to %v, %v", before, after, err)
		}
	}
}

func TestChargeEdges(t *testing.T) {
	eg, _ := PourProduct(premix, 5)
	pg, _ := PourProduct(pgPremix, 1)
	var mixed *MixedBaseError
	if _, err := eg.Add(pg); !errors.As(err, &mixed) || mixed.In != EG || mixed.Added != PG {
		t.Errorf("EG + PG: %v", err)
	}
	water, _ := PourWater(3)
	if f, err := water.FreezePoint(); err != nil || f != 0 || water.VolumeFraction() != 0 {
		t.Errorf("water freezes at %v, %v", f, err)
	}
	if both, err := water.Add(pg); err != nil || both.Base != PG {
		t.Errorf("water + PG is %v, %v", both, err)
	}
	if rest := eg.Remove(99); rest.Volume() != 0 || rest.MassFraction() != 0 || rest.VolumeFraction() != 0 {
		t.Errorf("more than all leaves %v", rest)
	}
	for _, err := range []error{
		second(Pour(EG, -1, 0.5)), second(Pour(EG, 1, 1.5)), second(Pour("", 1, 0.5)), second(Pour(EG, measure.Litre(math.NaN()), 0.5)),
		second(Mix(concentrate, 1, 1.1)), second(Mix(concentrate, -1, 0.5)), second(Mix(Product{Form: Concentrate, Base: "XG", Glycol: 1}, 1, 0.5)),
	} {
		if err == nil || err.Error() == "" {
			t.Errorf("bad input was accepted: %v", err)
		}
	}
	strong, _ := PourProduct(Product{Base: PG, Form: Concentrate, Glycol: 0.99}, 1)
	if f, err := strong.FreezePoint(); err == nil {
		t.Errorf("PG concentrate freezes at %v, beyond the table", f)
	}
}

func second(_ Charge, err error) error { return err }

// Law: a strength set is the strength read, at the same volume.
func TestWithMassFraction(t *testing.T) {
	charge, _ := PourProduct(premix, 7)
	for _, mass := range []float64{0, 0.2, 0.5, 0.66} {
		got := charge.WithMassFraction(mass)
		if math.Abs(got.MassFraction()-mass) > 1e-12 || math.Abs(float64(got.Volume()-charge.Volume())) > 1e-9 {
			t.Errorf("%.2f gave %v", mass, got)
		}
	}
}
