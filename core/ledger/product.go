package ledger

import (
	"slices"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Part of a charge: a coolant, and its share of all glycol, 0 to 1. The empty product is
// what is not known.
type Part struct {
	_ struct{} `cbor:",toarray"`

	Product coolant.Product
	Share   float64
}

// PointProduct is the finding of a foreign product in the charge.
const PointProduct = "product"

// ForeignShare is the share of the charge, by glycol, that is no product alike to the one
// inside; 0 when the product inside is not known.
func (a *Account) ForeignShare() float64 {
	if a.Product == nil {
		return 0
	}
	share := 0.0
	for _, p := range a.Parts {
		if !coolant.SameChemistry(*a.Product, p.Product) && !p.Product.Is(*a.Product) {
			share += p.Share
		}
	}
	return share
}

// joined are parts whose glycol is so much, with more of p poured on.
func joined(parts []Part, glycol measure.Kilogram, p coolant.Product, more measure.Kilogram) []Part {
	total := glycol + more
	if !(total > 0) {
		return parts
	}
	if len(parts) == 0 && glycol > 0 {
		parts = []Part{{Share: 1}}
	}
	all := make([]Part, 0, len(parts)+1)
	found := false
	for _, part := range parts {
		part.Share *= float64(glycol / total)
		if part.Product.Base == p.Base && part.Product.Technology == p.Technology {
			part.Share += float64(more / total)
			found = true
		}
		all = append(all, part)
	}
	if !found {
		all = append(all, Part{Product: p, Share: float64(more / total)})
	}
	return slices.DeleteFunc(all, func(p Part) bool { return p.Share < 1e-9 })
}

// judgeProduct finds a foreign product, and that there is none any more.
func (a *Account) judgeProduct(line *Line) {
	if a.Product == nil {
		return
	}
	grade, state := coolant.GradeGood, "foreign_little"
	switch f := a.ForeignShare(); {
	case f > coolant.ForeignFlush.In(a.LimitOverrides()...):
		grade, state = coolant.GradeBad, "foreign_much"
	case f > coolant.ForeignWatch.In(a.LimitOverrides()...):
		grade, state = coolant.GradeSoft, "foreign"
	}
	if grade != coolant.GradeGood {
		line.note(NoteForeign)
	} else if !slices.ContainsFunc(a.Findings, func(f Finding) bool { return f.Point == PointProduct }) {
		return
	}
	a.found(line, PointProduct, state, grade)
}

// Needs of the system that decide what may be poured in, as the books have it now.
func (a *Account) Needs() coolant.Needs {
	u := a.Unit
	n := coolant.Needs{SilicateFree: u.SilicateFree, PremixOnly: u.PremixOnly, WetLiners: u.WetLiners, Aircraft: u.Aircraft,
		Metal: u.Metal, Required: u.Required, Listed: u.Listed, SCA: a.treated(), Electric: u.Circuit.Electric()}
	tooStrong := a.Distrusted != nil && a.Distrusted.Note == NoteTooStrong
	n.OverStrong = tooStrong || a.LastTest != nil && a.Known && a.Charge.VolumeFraction() > coolant.StrengthWatchHigh.In(a.LimitOverrides()...)
	return n
}

// treated with supplemental additive since it was filled.
func (a *Account) treated() bool { return a.Given.DosedAt != nil }

// Compatibility judges the product inside against what the system asks for; false when the product
// is not known.
func (a *Account) Compatibility() (coolant.Compatibility, bool) {
	if a.Product == nil {
		return coolant.Compatibility{}, false
	}
	return coolant.Fill(*a.Product, a.Needs()), true
}

// inside is the product that the books know, else what the register says of the base.
func (a *Account) inside() coolant.Product {
	if a.Product != nil {
		return *a.Product
	}
	return coolant.Product{Base: a.Base}
}
