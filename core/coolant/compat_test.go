package coolant

import (
	"slices"
	"testing"
)

func can(b Base, tech Technology, f Form, meets ...Standard) Product {
	return Product{Code: string(b) + string(tech) + string(f), Base: b, Technology: string(tech), Form: f, Meets: meets}
}

func named(p Product, technologies ...Technology) Product {
	p.Named = technologies
	return p
}

// Common practice, from memory; liners by ASTM D6210 and D4985.
func TestTopUp(t *testing.T) {
	oat := can(EG, OAT, Concentrate)
	water := Product{Form: Water}
	liners := Needs{WetLiners: true}
	for _, c := range []struct {
		name        string
		inside, add Product
		needs       Needs
		want        Answer
		why         Why
	}{
		{"the same", oat, oat, Needs{}, AnswerYes, WhySame},
		{"named by its maker", oat, named(can(EG, SiOAT, Premix), OAT), Needs{}, AnswerYes, WhyNamed},
		{"other inhibitors", oat, can(EG, IAT, Premix), Needs{}, AnswerFlush, WhyTechnology},
		{"other glycol", oat, can(PG, OAT, Premix), Needs{}, AnswerFlush, WhyBase},
		{"universal as a top-up", oat, can(EG, Universal, Premix), Needs{}, AnswerFlush, WhyUniversal},
		{"silicate on such seals", can(EG, SiOAT, Premix), can(EG, SiOAT, Premix), Needs{SilicateFree: true}, AnswerNever, WhySilicate},
		{"silicated IAT on aluminium", can(EG, IAT, Premix), can(EG, IAT, Premix), Needs{Metal: Aluminium}, AnswerYes, WhySame},
		{"nitrite on aluminium", can(EG, NOAT, Premix), can(EG, NOAT, Premix), Needs{Metal: Aluminium}, AnswerUnknown, WhyAluminium},
		{"nitrite on iron", can(EG, NOAT, Premix), can(EG, NOAT, Premix), Needs{Metal: Iron}, AnswerYes, WhySame},
		{"required technology", oat, oat, Needs{Required: POAT}, AnswerNever, WhyRequired},
		{"OAT in wet liners", oat, oat, liners, AnswerUnknown, WhyLiners},
		{"OAT on the maker's list", oat, oat, Needs{WetLiners: true, Listed: []string{oat.Code}}, AnswerYes, WhySame},
		{"NOAT that claims nothing", can(EG, NOAT, Premix), can(EG, NOAT, Premix), liners, AnswerUnknown, WhyLiners},
		{"NOAT of D6210", can(EG, NOAT, Premix), can(EG, NOAT, Premix, D6210), liners, AnswerYes, WhySame},
		{"IAT of D4985 without SCA", can(EG, IAT, Premix), can(EG, IAT, Premix, D4985), liners, AnswerUnknown, WhyLiners},
		{"IAT of D4985 with SCA", can(EG, IAT, Premix), can(EG, IAT, Premix, D4985), Needs{WetLiners: true, SCA: true}, AnswerYes, WhySame},
		{"passenger-car IAT in wet liners", can(EG, IAT, Premix), can(EG, IAT, Premix, D3306), liners, AnswerNever, WhyCarCoolant},
		{"passenger-car IAT with SCA", can(EG, IAT, Premix), can(EG, IAT, Premix, D3306), Needs{WetLiners: true, SCA: true}, AnswerNever, WhyCarCoolant},
		{"IAT that claims nothing", can(EG, IAT, Premix), can(EG, IAT, Premix), liners, AnswerUnknown, WhyLiners},
		{"concentrate where only premix goes", oat, oat, Needs{PremixOnly: true}, AnswerNever, WhyPremixOnly},
		{"water where only premix goes", oat, water, Needs{PremixOnly: true, OverStrong: true}, AnswerNever, WhyPremixOnly},
		{"water on concentrate's mix", oat, water, Needs{}, AnswerYes, WhyWater},
		{"water on premix", can(EG, OAT, Premix), water, Needs{}, AnswerNeed, WhyPremixFirst},
		{"water on premix tested too strong", can(EG, OAT, Premix), water, Needs{OverStrong: true}, AnswerYes, WhyStrong},
		{"water on waterless", can(NoWater, Waterless, Premix), water, Needs{OverStrong: true}, AnswerNever, WhyWaterless},
		{"glycol on waterless", can(NoWater, Waterless, Premix), oat, Needs{}, AnswerFlush, WhyWaterless},
		{"waterless on glycol", oat, can(NoWater, Waterless, Premix), Needs{}, AnswerFlush, WhyWaterless},
		{"waterless on waterless", can(NoWater, Waterless, Premix), can(NoWater, Waterless, Premix), Needs{}, AnswerYes, WhySame},
		{"onto what is not known", Product{}, oat, Needs{}, AnswerUnknown, WhyUnknownFill},
		{"water onto what is not known", Product{}, water, Needs{}, AnswerUnknown, WhyUnknownFill},
		{"a can that is not known, onto OAT", oat, Product{Base: EG, Form: Premix}, Needs{}, AnswerUnknown, WhyUnknownNew},
		{"aircraft, the same", oat, oat, Needs{Aircraft: true}, AnswerYes, WhySame},
		{"aircraft, another can", oat, can(EG, OAT, Premix), Needs{Aircraft: true}, AnswerUnknown, WhyAircraft},
		{"aircraft, water", oat, water, Needs{Aircraft: true}, AnswerUnknown, WhyAircraft},
		{"universal on such seals", can(EG, Universal, Premix), can(EG, Universal, Premix), Needs{SilicateFree: true}, AnswerFlush, WhyUniversal},
	} {
		if got := TopUp(c.inside, c.add, c.needs); got.Answer != c.want || !slices.Contains(got.Reasons, c.why) || got.Words() == "" {
			t.Errorf("%s: %+v, want %s for %s", c.name, got, c.want, c.why)
		}
	}
	// Law: whatever is not known, the answer is never yes.
	for _, tech := range Technologies {
		for _, inside := range []Product{{}, {Base: EG}, {Technology: string(tech)}} {
			if got := TopUp(inside, can(EG, tech, Premix), Needs{}); got.Answer == AnswerYes {
				t.Errorf("%+v onto %+v: yes", tech, inside)
			}
		}
	}
	// Law: each reason has words.
	for w := range whyWords {
		if w.Words() == "" {
			t.Errorf("%s has no words", w)
		}
	}
	if got := Fill(Product{}, Needs{}); got.Answer != AnswerUnknown {
		t.Errorf("a can that is not known: %+v", got)
	}
}
