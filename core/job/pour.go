package job

import (
	"math"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Plan of what to pour onto what is inside, in this order: first all of the concentrate, then water;
// or premix alone. Water is never planned into a system that takes premix only, nor onto a premix.
type Plan struct {
	// Out is drained first, where the room is not enough; 0 for none.
	Out measure.Litre `json:"out,omitempty"`
	// Rich litres of the product, then Lean litres of purified water.
	Rich measure.Litre `json:"rich"`
	Lean measure.Litre `json:"lean"`
	// Falls: how far the level falls once they have mixed.
	Falls measure.Litre `json:"falls,omitempty"`
	// Present strength of what is inside before, Wanted and Reached strength after, volume fractions of glycol;
	// Freeze is what Reached protects to.
	Present float64         `json:"present"`
	Wanted  float64         `json:"wanted"`
	Reached float64         `json:"reached"`
	Freeze  measure.Celsius `json:"freeze"`
	Reaches bool            `json:"reaches"` // the wanted strength
	// Unknown: what stayed inside was counted as water, since the book does not say what it is.
	Unknown bool `json:"unknown,omitempty"`
	// Mixed: two bases of glycol are inside, and no table says what the mixture protects to.
	Mixed bool `json:"mixed,omitempty"`
	// Careless is what the room filled with the target mix would come to: the mistake of the trade.
	Careless       float64         `json:"careless,omitempty"`
	CarelessFreeze measure.Celsius `json:"carelessFreeze,omitempty"`
	// Ways to come nearer when the room is not enough, the least work first.
	Ways []Way `json:"ways,omitempty"`
}

// Way to come nearer to the target.
type Way struct {
	Code    string          `json:"code"` // drain, pass, best
	Point   string          `json:"point,omitempty"`
	Litres  measure.Litre   `json:"litres,omitempty"` // drained besides
	Reached float64         `json:"reached"`
	Freeze  measure.Celsius `json:"freeze"`
	Reaches bool            `json:"reaches"`
}

// near the target, in volume fraction: less than the retest's tolerance, about 2 K at half and half (judgement).
const near = 0.015

// planned pour onto c. drains are the points that can still be opened.
func (s Setup) planned(c Contents, drains []Point) Plan {
	total := c.Total()
	p := Plan{Present: total.VolumeFraction(), Wanted: s.Target, Unknown: !c.Known}
	room := c.Room()
	strength, _ := s.Product.Strength()
	if s.waterless() {
		p.Rich, p.Wanted, p.Reached = room, 1, 1
		water := float64(total.Water) / math.Max(1e-9, float64(c.wholeVolume()))
		p.Reaches = water <= mostWaterInWaterless
		if s.Product.Freeze != nil {
			p.Freeze = *s.Product.Freeze
		}
		return p
	}
	c = c.onBase(s.Product.Base)
	if p.Mixed = c.Mixed(); p.Mixed {
		p.Rich = room
		return p
	}
	additives := []float64{strength}
	if s.Product.Form == coolant.Concentrate {
		additives = append(additives, 0)
	}
	task := coolant.CorrectionTask{Present: c.Total(), Capacity: max(s.Capacity, c.volumes()), Target: s.Target, Base: s.Product.Base, Additives: additives}
	pass, ok := firstPass(task)
	if !ok {
		return p
	}
	p.Rich, p.Lean = s.split(pass)
	p.Falls, p.Reached, p.Freeze = pass.Falls, pass.Volume, pass.Freeze
	p.Reaches = math.Abs(p.Reached-s.Target) < near
	p.Careless, p.CarelessFreeze = s.careless(c, room)
	if !p.Reaches {
		p.Ways = s.ways(c, task, drains, p)
	}
	return p
}

// split of a pass into product and water: of a premix all of it is the product.
func (s Setup) split(p coolant.Pass) (rich, lean measure.Litre) {
	if s.Product.Form != coolant.Concentrate {
		return p.Rich + p.Lean, 0
	}
	return p.Rich, p.Lean
}

// topUp is the share of product, by volume before mixing, in what keeps the system full while it is bled:
// what brings the room that is left to the target, else the target mix itself.
func (s Setup) topUp(c Contents) float64 {
	if s.waterless() || s.Product.Form != coolant.Concentrate {
		return 1
	}
	strength, _ := s.Product.Strength()
	usual := math.Min(1, s.Target/math.Max(strength, tiny))
	if c.Room() < leastShort {
		return usual
	}
	p := s.planned(c, nil)
	if p.Mixed || p.Rich+p.Lean <= 0 {
		return usual
	}
	return float64(p.Rich / (p.Rich + p.Lean))
}

// mostWaterInWaterless as a share of the charge (trade's figure, by refractometer).
const mostWaterInWaterless = 0.03

func (c Contents) wholeVolume() (v measure.Litre) {
	for _, p := range c.Pockets {
		v += p.Holds
	}
	return v
}

// firstPass without draining.
func firstPass(task coolant.CorrectionTask) (coolant.Pass, bool) {
	task.Drainable = 0
	plan, err := coolant.Correct(task)
	if err != nil || len(plan.Passes) == 0 {
		return coolant.Pass{}, false
	}
	return plan.Passes[0], true
}

// careless filling of the room with the target mix on top of what stayed.
func (s Setup) careless(c Contents, room measure.Litre) (float64, measure.Celsius) {
	mix, err := coolant.Pour(s.Product.Base, room, s.Target)
	if err != nil {
		return 0, 0
	}
	all := sum(c.Total(), mix)
	all.Base = s.Product.Base
	freeze, err := all.FreezePoint()
	if err != nil {
		return 0, 0
	}
	return all.VolumeFraction(), freeze
}

// ways to come nearer: each point that still holds something drained besides, all of them, further
// passes, and the best that can be had as it is.
func (s Setup) ways(c Contents, task coolant.CorrectionTask, drains []Point, as Plan) []Way {
	var ways []Way
	all := c
	for _, d := range drains {
		left := c.left(d.Code)
		if left <= 0 {
			continue
		}
		all = all.drained(d.Code, left)
		task.Present = c.drained(d.Code, left).Total()
		if pass, ok := firstPass(task); ok && math.Abs(pass.Volume-s.Target) < math.Abs(as.Reached-s.Target)-tiny {
			ways = append(ways, Way{Code: "drain", Point: d.Code, Litres: left, Reached: pass.Volume, Freeze: pass.Freeze, Reaches: math.Abs(pass.Volume-s.Target) < near})
		}
	}
	drainable := measure.Litre(0)
	for _, d := range drains {
		drainable += d.Litres
	}
	task.Present, task.Drainable = c.Total(), min(drainable, task.Capacity)
	if plan, err := coolant.Correct(task); err == nil && len(plan.Passes) > 1 {
		last := plan.Passes[len(plan.Passes)-1]
		ways = append(ways, Way{Code: "pass", Litres: plan.Passes[1].Out, Reached: last.Volume, Freeze: last.Freeze, Reaches: plan.Reached})
	}
	return append(ways, Way{Code: "best", Reached: as.Reached, Freeze: as.Freeze})
}

const tiny = 1e-6

// corrected plan from a measured strength: what is drained, and what takes its place.
func (s Setup) corrected(c Contents, measured measure.Celsius, drains []Point) (Plan, bool) {
	p := Plan{Wanted: s.Target}
	if s.waterless() || !s.Product.Base.Known() {
		return p, false
	}
	mass, err := coolant.MassFor(s.Product.Base, measured)
	if err != nil {
		return p, false
	}
	present := c.onBase(s.Product.Base).Total().WithMassFraction(mass)
	present.Base = s.Product.Base
	strength, _ := s.Product.Strength()
	additives := []float64{strength}
	if s.Product.Form == coolant.Concentrate {
		additives = append(additives, 0)
	}
	drainable := measure.Litre(0)
	for _, d := range drains {
		drainable += d.Litres
	}
	plan, err := coolant.Correct(coolant.CorrectionTask{Present: present, Capacity: max(s.Capacity, present.Volume()), Drainable: min(drainable, s.Capacity),
		Target: s.Target, Base: s.Product.Base, Additives: additives})
	if err != nil || len(plan.Passes) == 0 {
		return p, false
	}
	pass := plan.Passes[0]
	p.Rich, p.Lean = s.split(pass)
	p.Out, p.Falls, p.Present, p.Reached, p.Freeze = pass.Out, pass.Falls, present.VolumeFraction(), pass.Volume, pass.Freeze
	p.Reaches = plan.Reached && len(plan.Passes) == 1
	if !p.Reaches {
		last := plan.Passes[len(plan.Passes)-1]
		if len(plan.Passes) > 1 {
			p.Ways = append(p.Ways, Way{Code: "pass", Litres: plan.Passes[1].Out, Reached: last.Volume, Freeze: last.Freeze, Reaches: plan.Reached})
		}
		p.Ways = append(p.Ways, Way{Code: "best", Reached: pass.Volume, Freeze: pass.Freeze})
	}
	return p, true
}
