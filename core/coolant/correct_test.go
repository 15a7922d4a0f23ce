package coolant

import (
	"errors"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"diligentledger/core/measure"
)

func charge(t testing.TB, v measure.Litre, glycol float64) Charge {
	t.Helper()
	c, err := Pour(EG, v, glycol)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

var all = []float64{ConcentrateGlycol, 0}

func TestCorrect(t *testing.T) {
	for _, c := range []struct {
		name      string
		task      CorrectionTask
		passes    int
		reached   bool
		firstOut  float64 // L
		firstRich float64
		tol       float64
	}{
		// V·(c* − c)/(c_add − c) by hand (common practice): 8·(50−39)/(99−39).
		{"39 to 50 % with concentrate", CorrectionTask{Present: charge(t, 8, .39), Capacity: 8, Drainable: 6, Target: .50, Base: EG, Additives: all}, 1, true, 1.47, 1.47, .06},
		// The other way with water: 8·(60−50)/60.
		{"60 to 50 % with water", CorrectionTask{Present: charge(t, 8, .60), Capacity: 8, Drainable: 6, Target: .50, Base: EG, Additives: all}, 1, true, 1.33, 0, .04},
		{"already there", CorrectionTask{Present: charge(t, 8, .50), Capacity: 8, Drainable: 6, Target: .50, Base: EG, Additives: all}, 0, true, 0, 0, 0},
		{"the room is enough", CorrectionTask{Present: charge(t, 7, .45), Capacity: 8, Drainable: 6, Target: .50, Base: EG, Additives: all}, 1, true, 0, .86, .04},
		// After a flush 2 L of water stay in 10: 5 L of glycol need 5.05 L of
		// concentrate, first of all, then water to the mark.
		{"water left by a flush", CorrectionTask{Present: charge(t, 2, 0), Capacity: 10, Drainable: 8, Target: .50, Base: EG, Additives: all}, 1, true, 0, 5.05, .1},
		// 4 of 10 L can be drained: after one pass of 99 % 39.6 %, after two 63 %.
		{"two passes", CorrectionTask{Present: charge(t, 10, 0), Capacity: 10, Drainable: 4, Target: .50, Base: EG, Additives: all}, 2, true, 4, 4, .12},
		{"premix only comes near", CorrectionTask{Present: charge(t, 10, .2), Capacity: 10, Drainable: 7, Target: .49, Base: EG, Additives: []float64{.50}}, 3, true, 7, 7, .1},
		{"premix too thin", CorrectionTask{Present: charge(t, 10, .2), Capacity: 10, Drainable: 7, Target: .60, Base: EG, Additives: []float64{.50}}, 0, false, 7, 7, .1},
		{"nothing can be drained", CorrectionTask{Present: charge(t, 10, .2), Capacity: 10, Drainable: 0, Target: .50, Base: EG, Additives: all}, 0, false, 0, 0, 0},
	} {
		got, err := Correct(c.task)
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		if got.Reached != c.reached || c.reached && len(got.Passes) != c.passes {
			t.Errorf("%s: %d passes, reached %v: %+v", c.name, len(got.Passes), got.Reached, got.Passes)
			continue
		}
		if len(got.Passes) > 0 {
			if p := got.Passes[0]; math.Abs(float64(p.Out)-c.firstOut) > c.tol || math.Abs(float64(p.Rich)-c.firstRich) > c.tol {
				t.Errorf("%s: out %.3f, rich %.3f; want %.2f, %.2f", c.name, p.Out, p.Rich, c.firstOut, c.firstRich)
			}
		}
	}
	thin, _ := Correct(CorrectionTask{Present: charge(t, 10, .2), Capacity: 10, Drainable: 7, Target: .60, Base: EG, Additives: []float64{.50}})
	if thin.NeededDrain != 0 {
		t.Errorf("premix of 50 %% makes 60 %% with a drain of %v", thin.NeededDrain)
	}
	// 10 L of water to 50 % with 99 %: 10·50/99 must come out.
	stuck, _ := Correct(CorrectionTask{Present: charge(t, 10, 0), Capacity: 10, Drainable: 1, Target: .50, Base: EG, Additives: all})
	if math.Abs(float64(stuck.NeededDrain)-5.05) > 0.15 {
		t.Errorf("needed drain %v, want about 5.05", stuck.NeededDrain)
	}
	strong, _ := Correct(CorrectionTask{Present: charge(t, 8, .85), Capacity: 8, Drainable: 6, Target: .62, Base: EG, Additives: all})
	if !slices.Equal(strong.Warnings, []Warning{WarnThick, WarnStrong}) || !strong.Reached {
		t.Errorf("85 %% to 62 %%: %+v", strong)
	}
}

func TestCorrectRefuses(t *testing.T) {
	good := CorrectionTask{Present: charge(t, 8, .39), Capacity: 8, Drainable: 6, Target: .50, Base: EG, Additives: all}
	pg, _ := Pour(PG, 8, .4)
	for name, change := range map[string]func(*CorrectionTask){
		"75 %": func(c *CorrectionTask) { c.Target = .75 }, "30 %": func(c *CorrectionTask) { c.Target = .30 },
		"NaN": func(c *CorrectionTask) { c.Target = math.NaN() }, "no capacity": func(c *CorrectionTask) { c.Capacity = 0 },
		"drain beyond all": func(c *CorrectionTask) { c.Drainable = 9 }, "overfull": func(c *CorrectionTask) { c.Capacity = 7; c.Drainable = 5 },
		"PG to EG": func(c *CorrectionTask) { c.Present = pg }, "nothing to add": func(c *CorrectionTask) { c.Additives = nil },
		"no base": func(c *CorrectionTask) { c.Base = "" }, "additive beyond all": func(c *CorrectionTask) { c.Additives = []float64{1.2} },
	} {
		task := good
		change(&task)
		if got, err := Correct(task); err == nil {
			t.Errorf("%s: %+v", name, got)
		}
	}
}

// checkCorrection holds a plan against the laws every plan obeys.
func checkCorrection(t *testing.T, task CorrectionTask, c Correction) {
	t.Helper()
	now := task.Present
	now.Base = task.Base
	for _, p := range c.Passes {
		if p.Out < 0 || p.Rich < 0 || p.Lean < 0 || float64(p.Out) > float64(task.Drainable)+1e-9 || float64(p.Out) > float64(now.Volume())+1e-9 {
			t.Fatalf("%+v: pass %+v", task, p)
		}
		rich, err1 := Pour(task.Base, p.Rich, c.RichGlycol)
		lean, err2 := Pour(task.Base, p.Lean, c.LeanGlycol)
		left := now.Remove(p.Out)
		sum, err3 := left.Add(rich)
		sum, err4 := sum.Add(lean)
		if err := errors.Join(err1, err2, err3, err4); err != nil {
			t.Fatal(err)
		}
		if math.Abs(float64(sum.Glycol-p.After.Glycol)) > 1e-6 || math.Abs(float64(sum.Water-p.After.Water)) > 1e-6 {
			t.Fatalf("%+v: mass %v became %v", task, sum.Mass(), p.After.Mass())
		}
		if math.Abs(float64(p.After.Volume()+p.Falls-task.Capacity)) > 1e-3 || p.Falls < 0 || p.Falls > shrinks*task.Capacity {
			t.Fatalf("%+v: filled to %v, falls by %v", task, p.After.Volume(), p.Falls)
		}
		if room := task.Capacity - left.Volume(); p.Rich+p.Lean > room+1e-6 {
			t.Fatalf("%+v: %v poured into a room of %v", task, p.Rich+p.Lean, room)
		}
		// Each pass leads to the target, or the last one reaches it.
		mass, _ := MassFraction(task.Base, task.Target)
		if math.Abs(p.After.MassFraction()-mass) > math.Abs(now.MassFraction()-mass)+2e-3 {
			t.Fatalf("%+v: from %.4f to %.4f, wanted %.4f", task, now.MassFraction(), p.After.MassFraction(), mass)
		}
		now = p.After
	}
	if c.Reached && math.Abs(now.VolumeFraction()-task.Target) > tolerance+2e-4 {
		t.Fatalf("%+v: reached %.4f", task, now.VolumeFraction())
	}
}

// Laws: applying a plan conserves mass, fills to capacity, and a plan that says
// so arrives within a tenth of a point.
func TestCorrectLaws(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for range 3000 {
		capacity := measure.Litre(1 + 60*rng.Float64())
		task := CorrectionTask{Present: charge(t, capacity*measure.Litre(rng.Float64()), .7*rng.Float64()), Capacity: capacity,
			Drainable: capacity * measure.Litre(rng.Float64()), Target: TargetLeast + (TargetMost-TargetLeast)*rng.Float64(), Base: EG,
			Additives: [][]float64{all, {.5}, {.5, 0}, {ConcentrateGlycol}, {0}}[rng.IntN(5)]}
		c, err := Correct(task)
		if err != nil {
			t.Fatalf("%+v: %v", task, err)
		}
		checkCorrection(t, task, c)
	}
}

func FuzzCorrect(f *testing.F) {
	f.Add(8.0, 8.0, 0.39, 6.0, 0.5, true)
	f.Add(10.0, 2.0, 0.0, 8.0, 0.5, false)
	f.Fuzz(func(t *testing.T, capacity, volume, glycol, drainable, target float64, water bool) {
		present, err := Pour(EG, measure.Litre(volume), glycol)
		if err != nil {
			return
		}
		task := CorrectionTask{Present: present, Capacity: measure.Litre(capacity), Drainable: measure.Litre(drainable), Target: target, Base: EG, Additives: []float64{ConcentrateGlycol}}
		if water {
			task.Additives = all
		}
		c, err := Correct(task)
		if err != nil || capacity < 0.1 {
			return
		}
		checkCorrection(t, task, c)
	})
}

func TestDrainAndFill(t *testing.T) {
	old := System{Charge: charge(t, 5.8, .5), Capacity: 5.8, AgeDays: 1000}
	after, err := DrainAndFill(old, 4, charge(t, 1, .5), 3)
	if err != nil {
		t.Fatal(err)
	}
	for n, s := range after {
		// 4.0 of 5.8 qt is about 70 % (common practice); 1 − (1 − r)ⁿ is new.
		fresh := ReplacedFraction(4/5.8, n+1)
		if math.Abs(s.AgeDays-1000*(1-fresh)) > 1e-6 || math.Abs(float64(s.Charge.Volume())-5.8) > 1e-6 || math.Abs(s.Charge.VolumeFraction()-.5) > 1e-9 {
			t.Errorf("after %d: %+v, want age %.1f", n+1, s, 1000*(1-fresh))
		}
	}
	flushed, err := Flush(old, 4, 2)
	if err != nil || math.Abs(float64(flushed.Charge.Volume())-1.8) > 0.05 {
		t.Errorf("flushed: %v L, %v", flushed.Charge.Volume(), err)
	}
	// 1.8/5.8 of the glycol stays at each of two rounds and a third time.
	if left := float64(flushed.Charge.Glycol / old.Charge.Glycol); math.Abs(left-math.Pow(1.8/5.8, 3)) > 0.002 {
		t.Errorf("%.4f of the glycol is left", left)
	}
	for _, c := range []struct {
		v measure.Litre
		n int
	}{{0, 1}, {9, 1}, {4, 0}, {4, 99}, {measure.Litre(math.NaN()), 1}} {
		if _, err := DrainAndFill(old, c.v, charge(t, 1, .5), c.n); err == nil {
			t.Errorf("%v L, %d passes was accepted", c.v, c.n)
		}
	}
	pg, _ := Pour(PG, 1, .5)
	if _, err := DrainAndFill(old, 4, pg, 1); err == nil {
		t.Error("PG was poured onto EG")
	}
	if _, err := Flush(old, 0, 1); err == nil {
		t.Error("a flush of nothing")
	}
}

// Baskets worked by hand.
func TestCheapest(t *testing.T) {
	list := []Container{{1, 9.5}, {5, 39}, {20, 140}}
	for _, c := range []struct {
		need  measure.Litre
		want  []int
		price float64
	}{
		{0, []int{0, 0, 0}, 0}, {0.3, []int{1, 0, 0}, 9.5}, {4, []int{4, 0, 0}, 38}, {4.1, []int{0, 1, 0}, 39},
		{6, []int{1, 1, 0}, 48.5}, {17.2, []int{0, 0, 1}, 140}, {24.5, []int{0, 1, 1}, 179},
	} {
		got, err := Cheapest(c.need, list)
		if err != nil || !slices.Equal(got.Counts, c.want) || math.Abs(got.Price-c.price) > 1e-9 {
			t.Errorf("%v L: %+v, %v; want %v for %g", c.need, got, err, c.want, c.price)
		}
		if got.Leftover < -1e-9 || math.Abs(float64(got.Bought-c.need-got.Leftover)) > 1e-9 {
			t.Errorf("%v L: bought %v, left %v", c.need, got.Bought, got.Leftover)
		}
	}
	for _, bad := range [][]Container{nil, {{0, 1}}, {{1, -1}}, {{1, math.NaN()}}, {{measure.Litre(math.Inf(1)), 1}}} {
		if got, err := Cheapest(3, bad); err == nil {
			t.Errorf("%v: %+v", bad, got)
		}
	}
	if _, err := Cheapest(measure.Litre(math.NaN()), list); err == nil {
		t.Error("NaN litres were bought")
	}
	// One bottle to 11.4 L, two above (common practice).
	if CleanerBottles(11.4) != 1 || CleanerBottles(11.5) != 2 {
		t.Error("cleaner bottles")
	}
}

func BenchmarkCorrect(b *testing.B) {
	for name, drainable := range map[string]measure.Litre{"one": 6, "two": 3, "all": 0.9} {
		task := CorrectionTask{Present: charge(b, 10, .1), Capacity: 10, Drainable: drainable, Target: .5, Base: EG, Additives: all}
		b.Run(name, func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				if _, err := Correct(task); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

// Against every combination, over metric, US and imperial cans and litres beside gallons: what is bought holds the
// need, costs the least, and of
// the cheapest leaves the least over. Three gallons are three one-gallon cans.
func TestCheapestAgainstAll(t *testing.T) {
	const gallon, imperial = 3.785411784, 4.54609
	if b, err := Cheapest(3*gallon, []Container{{gallon, 20}, {5 * gallon, 99}}); err != nil || b.Counts[0] != 3 || b.Counts[1] != 0 || b.Leftover > 1e-9 {
		t.Errorf("three gallons: %+v, %v", b, err)
	}
	units := [][]measure.Litre{{0.25, 1, 1.5, 5, 20}, {gallon / 4, gallon, 2.5 * gallon, 5 * gallon}, {imperial / 4, imperial, 5 * imperial}, {1, gallon, 5, imperial}}
	rng := rand.New(rand.NewPCG(3, 1))
	for range 4000 {
		of := units[rng.IntN(len(units))]
		var list []Container
		for range 1 + rng.IntN(3) {
			size := of[rng.IntN(len(of))]
			list = append(list, Container{size, math.Round(100*float64(size)*(3+3*rng.Float64())) / 100})
		}
		need := measure.Litre(20 * rng.Float64())
		if rng.IntN(2) == 0 {
			need = list[0].Size * measure.Litre(rng.IntN(5))
		}
		got, err := Cheapest(need, list)
		best, left := math.Inf(1), math.Inf(1)
		var try func(i int, volume, price float64)
		try = func(i int, volume, price float64) {
			if volume >= float64(need)-1e-6 {
				if over := volume - float64(need); price < best-1e-9 || price < best+1e-9 && over < left {
					best, left = price, over
				}
				return
			}
			if i == len(list) || price > best+1e-9 {
				return
			}
			try(i+1, volume, price)
			try(i, volume+float64(list[i].Size), price+list[i].Price)
		}
		try(0, 0, 0)
		if err != nil || math.Abs(got.Price-best) > 1e-6 || float64(got.Bought) < float64(need)-1e-6 || math.Abs(float64(got.Leftover)-max(0, left)) > 1e-5 {
			t.Fatalf("%v of %v: %+v, %v; the best costs %v and leaves %v", need, list, got, err, best, left)
		}
	}
}
