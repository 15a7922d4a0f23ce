package ledger

import (
	"math"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Dose of supplemental additive poured into the charge.
type Dose struct {
	Volume   measure.Reading  `json:"volume"`
	Additive coolant.Additive `json:"additive"`
	Note     string           `json:"note,omitempty"`
}

// ExtenderDose is an extender poured into the charge, once in its life.
type ExtenderDose struct {
	Volume   measure.Reading  `json:"volume"`
	Additive coolant.Additive `json:"additive"`
	Note     string           `json:"note,omitempty"`
}

// AdditiveFilter fitted, or changed for another.
type AdditiveFilter struct {
	Additive coolant.Additive `json:"additive"`
	Meter    *measure.Reading `json:"meter,omitempty"`
	Note     string           `json:"note,omitempty"`
}

// AddedAdditive is the additive of an entry, nil for none.
func AddedAdditive(b Body) *coolant.Additive {
	switch b := b.(type) {
	case Dose:
		return &b.Additive
	case ExtenderDose:
		return &b.Additive
	case AdditiveFilter:
		return &b.Additive
	}
	return nil
}

// Inhibitors is what was given to the charge since it was filled.
type Inhibitors struct {
	_ struct{} `cbor:",toarray"`

	// DosedAt is the last dose, extender or filter that holds nitrite; nil for none.
	DosedAt *time.Time
	// Raised is by how much these raised the nitrite since it was last tested, ppm NO₂.
	Raised float64
	// Replaced is the share of the charge, 0 to 1, that was replaced since its nitrite was
	// tested or filled: coolant, water, and what a partial renewal replaced.
	Replaced float64
	// ExtendedAt is when the extender was given; nil for never.
	ExtendedAt *time.Time
}

// FilterMark is the additive filter that is fitted. It outlives the charge.
type FilterMark struct {
	_ struct{} `cbor:",toarray"`

	At       time.Time
	Additive coolant.Additive
	// Meter when it was fitted, run on through changes of the meter; nil when not read.
	Meter *float64
}

// dosed pours an additive, which counts as water, and adds up its nitrite.
func (a *Account) dosed(line *Line, volume measure.Reading, additive coolant.Additive) {
	v, err := volume.Metric(measure.Volume)
	if err != nil {
		return
	}
	added, err := coolant.PourWater(measure.Litre(v))
	if err != nil {
		line.note(NoteBeyondTable)
		return
	}
	if !a.Known {
		line.note(NoteNotFilled)
	} else {
		a.pourOn(line, added, nil, false)
	}
	a.raise(line, additive.Nitrite*v)
	a.worked(line, string(line.Entry.Kind()))
	if additive.Kind == coolant.Extender {
		if a.Given.ExtendedAt != nil {
			line.note(NoteExtendedTwice)
		}
		a.Given.ExtendedAt = &line.Entry.At
	}
}

// replaced a share of the charge by something whose nitrite is not that of the last test.
func (a *Account) replaced(share float64) {
	a.Given.Replaced = 1 - (1-a.Given.Replaced)*(1-math.Min(1, math.Max(0, share)))
}

// raise the nitrite of the charge by a mass in grams.
func (a *Account) raise(line *Line, grams float64) {
	if !(grams > 0) {
		return
	}
	a.Given.Raised += coolant.NitriteRise(grams, a.chargeMass())
	a.Given.DosedAt = &line.Entry.At
	if sum, known := a.Nitrite(); known && sum > a.sample().NitriteMost() {
		line.note(NoteOverDosed)
	}
}

// chargeMass by book, else of half and half at the capacity.
func (a *Account) chargeMass() measure.Kilogram {
	if m := a.Charge.Mass(); a.Known && m > 0 {
		return m
	}
	return measure.Kilogram(1.065 * float64(a.Unit.Capacity)) // kg/L of half and half at 20 °C, density table
}

func (a *Account) filter(line *Line, b AdditiveFilter) {
	if b.Meter != nil {
		a.meter(line, *b.Meter)
	}
	mark := &FilterMark{At: line.Entry.At, Additive: b.Additive}
	if b.Meter != nil {
		if v, err := b.Meter.Metric(a.Unit.Meter); err == nil && a.Unit.Meter != "" {
			mark.Meter = &v
		}
	}
	a.Filter = mark
	a.worked(line, string(KindFilter))
	a.raise(line, b.Additive.Nitrite)
}

// sample as far as the account knows it, with nothing tested.
func (a *Account) sample() coolant.Sample {
	s := coolant.Sample{WetLiners: a.Unit.WetLiners, Metal: a.Unit.Metal, Electric: a.Unit.Circuit.Electric(), Over: a.LimitOverrides()}
	if a.Product != nil {
		s.Technology, s.Fresh = coolant.Technology(a.Product.Technology), a.Product.Fresh
	}
	return s
}

// LimitOverrides are the figures of the unit's maker and of the product inside, which replace the
// limits of the trade in this order.
func (a *Account) LimitOverrides() []coolant.Figures {
	over := []coolant.Figures{a.Unit.Figures}
	if a.Product != nil {
		over = append(over, a.Product.Figures)
	}
	return over
}

// Nitrite of the charge at the most, ppm NO₂: the last test of this charge, or what its
// technology holds new, and what was given since. False when neither is known.
func (a *Account) Nitrite() (most float64, known bool) {
	if c := a.LastNitrite(); c != nil {
		return c.Sample.Nitrite.High + a.Given.Raised, true
	}
	if a.Product == nil || !a.Known {
		return 0, false
	}
	if a.Product.SCA {
		return coolant.NitriteSCA(a.LimitOverrides()...) + a.Given.Raised, true
	}
	fresh, known := coolant.NitriteFresh(coolant.Technology(a.Product.Technology), a.LimitOverrides()...)
	return fresh + a.Given.Raised, known
}

// LastNitrite is the last sample of this charge whose nitrite was tested; nil for none.
func (a *Account) LastNitrite() *Chemistry {
	for i := len(a.Chemistry) - 1; i >= 0; i-- {
		c := &a.Chemistry[i]
		if a.Balance.RenewedAt != nil && c.At.Before(*a.Balance.RenewedAt) {
			return nil
		}
		if c.Sample.Nitrite != nil {
			return c
		}
	}
	return nil
}

// Proposal is what puts the nitrite of this charge right, in litres.
type Proposal struct {
	Remedy   coolant.Remedy
	Additive *coolant.Additive // of a dose
	Litres   measure.Litre     // of the additive, or to be drained and filled again
	Most     measure.Litre     // of the additive, before it drops out
	Target   float64           // ppm NO₂
	Now      float64           // ppm NO₂ that it was computed from
}

// Proposals for the nitrite of the charge from the additives there are; nil when its last
// test asks for none. Too little is made up by each additive of the wanted kind; too much is
// drained in part and filled again with a mix without additive.
func (a *Account) Proposals(additives []coolant.Additive) []Proposal {
	c := a.LastNitrite()
	if c == nil || !a.Known || a.Charge.Mass() <= 0 {
		return nil
	}
	remedy := c.remedy(coolant.PropNitrite)
	s := a.sample()
	target := s.NitriteTarget()
	if remedy == coolant.RemedyDilute {
		now := c.Sample.Nitrite.High + a.Given.Raised
		litres, ok := coolant.DilutionFor(a.Charge.Volume(), now, target, 0)
		if !ok {
			return nil
		}
		return []Proposal{{Remedy: remedy, Litres: litres, Target: target, Now: now}}
	}
	wanted := map[coolant.Remedy]coolant.AdditiveKind{coolant.RemedySCA: coolant.SCA, coolant.RemedyExtender: coolant.Extender}[remedy]
	now := c.Sample.Nitrite.Low + a.Given.Raised
	most := c.Sample.Nitrite.High + a.Given.Raised
	var all []Proposal
	for _, additive := range additives {
		if additive.Kind != wanted || !(additive.Nitrite > 0) {
			continue
		}
		litres := coolant.DoseFor(additive, a.Charge.Mass(), now, target)
		if litres <= 0 || math.IsInf(float64(litres), 0) {
			continue
		}
		all = append(all, Proposal{Remedy: remedy, Additive: &additive, Litres: litres,
			Most: coolant.DoseFor(additive, a.Charge.Mass(), most, s.NitriteMost()), Target: target, Now: now})
	}
	return all
}

// remedy that the sample asks for one property.
func (c *Chemistry) remedy(p coolant.Property) coolant.Remedy {
	for _, g := range c.Properties {
		if g.Property == p {
			return g.Remedy
		}
	}
	return ""
}
