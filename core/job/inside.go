package job

import (
	"math"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Pocket of the system: what a drain point empties, or what never drains.
type Pocket struct {
	Point  string         `json:"point"`
	Holds  measure.Litre  `json:"holds"` // when it is full
	Charge coolant.Charge `json:"charge"`
	Common bool           `json:"common,omitempty"`
}

// Contents of the system, pocket by pocket. Operations give the contents after them and keep mass.
type Contents struct {
	Pockets []Pocket `json:"pockets"`
	// Known: the strength of what is inside follows from the book or from what was poured.
	Known bool `json:"known"`
	// Foreign glycol, kg, of another base than the product's: beyond [mostForeign] of all glycol no
	// table gives what the mixture protects to.
	Foreign measure.Kilogram `json:"foreign,omitempty"`
}

// mostForeign glycol, as a share of all of it, that is no mixture (common practice; package ledger
// draws the same line).
const mostForeign = 0.02

// contentsOf the system at the beginning: the book's charge spread over the pockets in proportion to
// what they hold.
func contentsOf(s Setup) Contents {
	c := Contents{Known: s.Known}
	rest := s.Capacity
	for _, p := range s.Points {
		holds := max(0, min(p.Litres, rest))
		c.Pockets, rest = append(c.Pockets, Pocket{Point: p.Code, Holds: holds, Common: p.Common}), rest-holds
	}
	c.Pockets = append(c.Pockets, Pocket{Point: PointStays, Holds: max(0, rest), Common: s.Common})
	inside := s.Inside
	if !s.Known || inside.Mass() <= 0 {
		// Not known: the litres of a full system, as water; the strength is marked unknown.
		if water, err := coolant.PourWater(s.Capacity); err == nil && !s.Known {
			inside = water
		}
	}
	for i := range c.Pockets {
		c.Pockets[i].Charge = portion(inside, float64(c.Pockets[i].Holds/s.Capacity))
	}
	return c
}

func portion(c coolant.Charge, share float64) coolant.Charge {
	f := measure.Kilogram(share)
	return coolant.Charge{Base: c.Base, Glycol: c.Glycol * f, Water: c.Water * f}
}

// sum of two charges by mass, on the base of the first that has one: what the tables say of a mixture
// of two bases is decided by [Contents.Mixed].
func sum(a, b coolant.Charge) coolant.Charge {
	base := a.Base
	if base == "" {
		base = b.Base
	}
	return coolant.Charge{Base: base, Glycol: a.Glycol + b.Glycol, Water: a.Water + b.Water}
}

// Total charge inside.
func (c Contents) Total() (t coolant.Charge) {
	for _, p := range c.Pockets {
		t = sum(t, p.Charge)
	}
	return t
}

// Room for coolant, L.
func (c Contents) Room() (room measure.Litre) {
	for _, p := range c.Pockets {
		room += max(0, p.Holds-p.Charge.Volume())
	}
	return room
}

// Mixed reports whether two bases of glycol are inside in amounts that no table covers.
func (c Contents) Mixed() bool {
	total := c.Total().Glycol
	return total > 0 && c.Foreign > mostForeign*total
}

func (c Contents) copied() Contents {
	c.Pockets = append([]Pocket(nil), c.Pockets...)
	return c
}

// drained v litres at a point. More than its pocket holds comes from the others, in their order, and
// at last from what never drains: what was measured is true.
func (c Contents) drained(point string, v measure.Litre) Contents {
	c = c.copied()
	take := func(i int) {
		p := &c.Pockets[i]
		had := p.Charge.Volume()
		out := min(v, had)
		if out <= 0 {
			return
		}
		before := c.Total().Glycol
		p.Charge = p.Charge.Remove(out)
		if before > 0 {
			c.Foreign *= c.Total().Glycol / before
		}
		v -= out
	}
	for i, p := range c.Pockets {
		if p.Point == point {
			take(i)
		}
	}
	for i := range c.Pockets {
		if v > 1e-9 {
			take(i)
		}
	}
	return c
}

// poured in: it fills the empty room of the pockets in proportion. What has no room is shared by what
// the pockets hold: what was measured is true.
func (c Contents) poured(d coolant.Charge, base coolant.Base) Contents {
	c = c.copied()
	v := d.Volume()
	if v <= 0 {
		return c
	}
	room := c.Room()
	var whole measure.Litre
	for _, p := range c.Pockets {
		whole += p.Holds
	}
	for i := range c.Pockets {
		p := &c.Pockets[i]
		own := max(0, p.Holds-p.Charge.Volume())
		in := measure.Litre(0)
		if room > 0 {
			in = min(v, room) * own / room
		}
		if over := v - room; over > 0 && whole > 0 {
			in += over * p.Holds / whole
		}
		p.Charge = sum(p.Charge, portion(d, float64(in/v)))
	}
	return c.onBase(base)
}

// onBase of the product that is poured: glycol of another base is counted as foreign.
func (c Contents) onBase(base coolant.Base) Contents {
	if base == "" || base == coolant.NoWater {
		return c
	}
	for i := range c.Pockets {
		p := &c.Pockets[i]
		if p.Charge.Base != base {
			if p.Charge.Base != "" {
				c.Foreign += p.Charge.Glycol
			}
			p.Charge.Base = base
		}
	}
	return c
}

// mixed by a warm run: all pockets of one strength.
func (c Contents) mixed() Contents {
	c = c.copied()
	total, volume := c.Total(), c.volumes()
	if volume <= 0 {
		return c
	}
	for i := range c.Pockets {
		p := &c.Pockets[i]
		p.Charge = portion(total, float64(p.Charge.Volume()/volume))
	}
	return c
}

// volumes of the pockets added up, each before any mixing between them.
func (c Contents) volumes() (v measure.Litre) {
	for _, p := range c.Pockets {
		v += p.Charge.Volume()
	}
	return v
}

// left in a pocket, L.
func (c Contents) left(point string) (v measure.Litre) {
	for _, p := range c.Pockets {
		if p.Point == point {
			v += p.Charge.Volume()
		}
	}
	return v
}

// finite reports whether every figure is one.
func (c Contents) finite() bool {
	for _, p := range c.Pockets {
		if math.IsNaN(float64(p.Charge.Glycol)) || math.IsNaN(float64(p.Charge.Water)) || math.IsInf(float64(p.Charge.Mass()), 0) {
			return false
		}
	}
	return true
}
