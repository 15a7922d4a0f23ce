package coolant

import (
	"math"

	"diligentledger/core/measure"
)

// Bounds of a target, as volume fractions of glycol; between TargetLow and TargetHigh
// there is no warning.
var (
	TargetLeast = StrengthDueLow.Value
	TargetMost  = strengthTargetMost.Value
	TargetLow   = StrengthWatchLow.Value
	TargetHigh  = StrengthWatchHigh.Value
)

// Warning about a plan, as a code.
type Warning string

// The warnings.
const (
	WarnThin      Warning = "target_below_40" // inhibitors are thin
	WarnThick     Warning = "target_above_60" // cooling worsens
	WarnStrong    Warning = "strong_now"      // what is inside is beyond the eutectic: more glycol protects worse
	WarnManyTimes Warning = "many_passes"     // more than three passes: a full drain wastes less
)

// CorrectionTask is what a mixture is to be brought to, and with what.
type CorrectionTask struct {
	Present  Charge        // what is inside; empty after a drain that left nothing
	Capacity measure.Litre // of the whole system
	// Drainable in one go from a full system; the rest stays behind each time.
	Drainable measure.Litre
	// Target volume fraction of glycol.
	Target float64
	Base   Base // of the target
	// What may be added, as volume fractions of glycol: 0 for water. The richest
	// and the leanest are mixed as needed.
	Additives []float64
}

// Pass is one drain and fill of a correction.
type Pass struct {
	Out measure.Litre // drained first; 0 when there is room to begin with
	// Rich is poured first, all of it, then Lean: what stands trapped in the
	// system can only dilute once the glycol is in.
	Rich, Lean measure.Litre
	// Falls is how far the level falls once they have mixed, as a volume: glycol and
	// water shrink on mixing. The plain volumes poured never exceed the room.
	Falls  measure.Litre
	After  Charge
	Volume float64         // volume fraction of glycol reached
	Freeze measure.Celsius // by the tables; 0 when beyond them
}

// Correction is a plan of passes.
type Correction struct {
	Passes  []Pass
	Reached bool
	// RichGlycol and LeanGlycol are the additives chosen from the task's.
	RichGlycol, LeanGlycol float64
	// NeededDrain is, for a plan that takes more than one pass or does not reach,
	// how much a single drain would have to reach to do it in one; 0 when even an
	// empty system cannot be brought there with these additives.
	NeededDrain measure.Litre
	// NeededGlycol, for a plan that does not reach, is the volume fraction of glycol
	// that a product must hold to reach it in one pass: at least so much when the
	// target is stronger than what is inside, at most when it is weaker. 0 to 1; NaN
	// when no product does.
	NeededGlycol float64
	Warnings     []Warning
}

// maxPasses of a plan: with more, a renewal is less work (judgement).
const maxPasses = 8

// tolerance in volume fraction: a tenth of a point, less than any tester
// reads (judgement).
const tolerance = 0.001

// Correct plans the smallest number of passes from what is inside to the
// target, draining no more in the last than it must. It returns a
// [measure.RangeError] for a target outside 33 to 65 %, a capacity or a
// drainable volume that cannot be, or no additive.
func Correct(t CorrectionTask) (Correction, error) {
	if err := t.check(); err != nil {
		return Correction{}, err
	}
	c := Correction{}
	c.LeanGlycol, c.RichGlycol = t.Additives[0], t.Additives[0]
	for _, a := range t.Additives {
		c.LeanGlycol, c.RichGlycol = math.Min(c.LeanGlycol, a), math.Max(c.RichGlycol, a)
	}
	p, err := newPlanner(t, c.RichGlycol, c.LeanGlycol)
	if err != nil {
		return Correction{}, err
	}
	if t.Target < TargetLow {
		c.Warnings = append(c.Warnings, WarnThin)
	}
	if t.Target > TargetHigh {
		c.Warnings = append(c.Warnings, WarnThick)
	}
	if eutectic, _, err := Eutectic(t.Base); err == nil && t.Present.MassFraction() > eutectic {
		c.Warnings = append(c.Warnings, WarnStrong)
	}
	c.Passes, c.Reached = p.passes(t.Present, t.Drainable)
	if len(c.Passes) > 3 {
		c.Warnings = append(c.Warnings, WarnManyTimes)
	}
	if !c.Reached || len(c.Passes) > 1 {
		c.NeededDrain = p.neededDrain(t.Present)
	}
	if !c.Reached {
		c.NeededGlycol = p.neededGlycol(t.Present, t.Target, t.Drainable)
	}
	return c, nil
}

func (t CorrectionTask) check() error {
	switch {
	case !t.Base.Known():
		return &StrengthError{Base: t.Base}
	case !(t.Target >= TargetLeast && t.Target <= TargetMost):
		return &measure.RangeError{What: "target in % by volume", Value: 100 * t.Target, Accepted: "33 to 65"}
	case !(t.Capacity > 0 && t.Capacity < 1e5):
		return &measure.RangeError{What: "capacity in L", Value: float64(t.Capacity), Accepted: "more than 0"}
	case !(t.Drainable >= 0 && t.Drainable <= t.Capacity):
		return &measure.RangeError{What: "drainable in L", Value: float64(t.Drainable), Accepted: "0 up to the capacity"}
	case !(t.Present.Volume() <= t.Capacity*(1+1e-9)):
		return &measure.RangeError{What: "present volume in L", Value: float64(t.Present.Volume()), Accepted: "0 up to the capacity"}
	case t.Present.Glycol > 0 && t.Present.Base != t.Base:
		return &MixedBaseError{In: t.Present.Base, Added: t.Base}
	case len(t.Additives) == 0:
		return &measure.RangeError{What: "additives", Value: 0, Accepted: "at least one of concentrate, premix, water"}
	}
	return nil
}

// planner holds one litre of each additive and the target by mass.
type planner struct {
	capacity   measure.Litre
	target     float64 // mass fraction
	rich, lean Charge  // one litre each
	base       Base
}

func newPlanner(t CorrectionTask, rich, lean float64) (*planner, error) {
	p := &planner{capacity: t.Capacity, base: t.Base}
	var err error
	if p.target, err = MassFraction(t.Base, t.Target); err != nil {
		return nil, err
	}
	if p.rich, err = Pour(t.Base, 1, rich); err != nil {
		return nil, err
	}
	p.lean, err = Pour(t.Base, 1, lean)
	return p, err
}

// filled is what c becomes when its room is filled with rich and lean, share of it
// rich, and how many litres of both together that takes: plain volumes, measured
// before mixing.
func (p *planner) filled(c Charge, share float64) (Charge, measure.Litre) {
	room := max(0, p.capacity-c.Volume())
	k, v := measure.Kilogram(share), measure.Kilogram(room)
	return Charge{Base: p.base, Glycol: c.Glycol + v*(k*p.rich.Glycol+(1-k)*p.lean.Glycol), Water: c.Water + v*(k*p.rich.Water+(1-k)*p.lean.Water)}, room
}

// passes plans from c with a drain that reaches drainable of a full system.
func (p *planner) passes(c Charge, drainable measure.Litre) (plan []Pass, reached bool) {
	c.Base = p.base
	for range maxPasses {
		if p.there(c) && p.capacity-c.Volume() < shrinks*p.capacity {
			return plan, true
		}
		pass, done := p.pass(c, drainable)
		if pass.Rich+pass.Lean < 1e-9 {
			return plan, false // nothing to drain and no room
		}
		// A pass that brings nothing, or leads away from the target, is left out. Topping
		// up what has room is no pass away: it does what can be done.
		before, after := math.Abs(c.MassFraction()-p.target), math.Abs(pass.After.MassFraction()-p.target)
		if !done && (after >= before || len(plan) > 0 && math.Abs(pass.Volume-plan[len(plan)-1].Volume) < tolerance) {
			return plan, false
		}
		plan, c = append(plan, pass), pass.After
		if done {
			return plan, true
		}
	}
	return plan, false
}

// shrinks: glycol and water lose no more of their volume on mixing (density tables,
// from memory: about 1 % at half and half).
const shrinks = 0.02

// neededGlycol that one product must hold so that one pass reaches the target: what is
// wanted less what stays, over the room. NaN when no product does.
func (p *planner) neededGlycol(c Charge, target float64, drainable measure.Litre) float64 {
	c.Base = p.base
	left := c.Remove(p.most(c, drainable))
	room := p.capacity - left.Volume()
	if room < 1e-6 {
		return math.NaN()
	}
	needed := (target*float64(p.capacity) - left.VolumeFraction()*float64(left.Volume())) / float64(room)
	if needed < 0 || needed > 1 {
		return math.NaN()
	}
	return needed
}

// there reports whether c is within a tenth of a point of the target.
func (p *planner) there(c Charge) bool {
	rho := p.base.pureDensity()
	want := p.target * c.curve().density.Predict(p.target) / rho
	return math.Abs(c.VolumeFraction()-want) < tolerance
}

func (b Base) pureDensity() float64 { return curveOf(b).density.Predict(1) }

// reach is how far from the target, by mass, a pass ends that drains out and
// fills up with a blend of share rich.
func (p *planner) reach(c Charge, out measure.Litre, share float64) float64 {
	after, _ := p.filled(c.Remove(out), share)
	return after.MassFraction() - p.target
}

// pass is the best single pass from c: the smallest drain that reaches the
// target, or, when none does, the largest drain and the strongest step.
func (p *planner) pass(c Charge, drainable measure.Litre) (Pass, bool) {
	share, fits := p.direction(c)
	if fits {
		share = root(0, 1, func(share float64) float64 { return p.reach(c, 0, share) })
		return p.poured(c, 0, share), true
	}
	most := p.most(c, drainable)
	whole := p.poured(c, most, share)
	if far := whole.After.MassFraction() - p.target; far == 0 || (far < 0) == (share == 1) {
		return whole, p.closeBy(far)
	}
	out := root(0, float64(most), func(out float64) float64 { return p.reach(c, measure.Litre(out), share) })
	return p.poured(c, measure.Litre(out), share), true
}

// direction reports whether the room there is can hold what reaches the target
// and, when it cannot, whether rich (1) or lean (0) is needed.
func (p *planner) direction(c Charge) (share float64, fits bool) {
	if p.capacity-c.Volume() < 1e-9 { // full: nothing goes in before something comes out
		if c.MassFraction() < p.target {
			return 1, false
		}
		return 0, false
	}
	if p.reach(c, 0, 1) < 0 {
		return 1, false
	}
	return 0, p.reach(c, 0, 0) <= 0
}

// most that can be drained from c: the drain reaches all but a residual,
// however full the system is.
func (p *planner) most(c Charge, drainable measure.Litre) measure.Litre {
	return max(0, drainable-max(0, p.capacity-c.Volume()))
}

// closeBy: a mass fraction this far off is within a tenth of a point by volume.
func (p *planner) closeBy(off float64) bool { return math.Abs(off) < tolerance }

func (p *planner) poured(c Charge, out measure.Litre, share float64) Pass {
	after, v := p.filled(c.Remove(out), share)
	pass := Pass{Out: out, Rich: v * measure.Litre(share), Lean: v * measure.Litre(1-share), After: after, Volume: after.VolumeFraction()}
	pass.Falls = max(0, p.capacity-after.Volume())
	if f, err := after.FreezePoint(); err == nil {
		pass.Freeze = f
	}
	return pass
}

// neededDrain is how much a drain must reach to do it in one pass, 0 when even
// all of it would not.
func (p *planner) neededDrain(c Charge) measure.Litre {
	c.Base = p.base
	share, fits := p.direction(c)
	does := func(drainable measure.Litre) bool {
		far := p.reach(c, p.most(c, drainable), share)
		return fits || p.closeBy(far) || (far > 0) == (share == 1)
	}
	if !does(p.capacity) {
		return 0
	}
	lo, hi := 0.0, float64(p.capacity)
	for hi-lo > 0.01 {
		mid := (lo + hi) / 2
		if does(measure.Litre(mid)) {
			hi = mid
		} else {
			lo = mid
		}
	}
	return measure.Litre(hi)
}

// root of f between a and b, where f changes sign: bisection guided by regula
// falsi with the Illinois weights (Dowell and Jarratt, BIT 11, 1971).
func root(a, b float64, f func(float64) float64) float64 {
	fa, fb := f(a), f(b)
	if fa == 0 {
		return a
	}
	for range 60 {
		if fb == 0 || math.Abs(b-a) < 1e-9 {
			return b
		}
		x := b - fb*(b-a)/(fb-fa)
		fx := f(x)
		if math.Abs(fx) < 1e-10 {
			return x
		}
		if fx*fb < 0 {
			a, fa = b, fb
		} else {
			fa /= 2
		}
		b, fb = x, fx
	}
	return b
}
