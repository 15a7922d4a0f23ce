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
		why         Ground
	}{
		{"the same", oat, oat, Needs{}, AnswerYes, GroundSame},
		{"named by its maker", oat, named(can(EG, SiOAT, Premix), OAT), Needs{}, AnswerYes, GroundNamed},
		{"other inhibitors", oat, can(EG, IAT, Premix), Needs{}, AnswerFlush, GroundTechnology},
		{"other glycol", oat, can(PG, OAT, Premix), Needs{}, AnswerFlush, GroundBase},
		{"universal as a top-up", oat, can(EG, Universal, Premix), Needs{}, AnswerFlush, GroundUniversal},
		{"silicate on such seals", can(EG, SiOAT, Premix), can(EG, SiOAT, Premix), Needs{SilicateFree: true}, AnswerNever, GroundSilicate},
		{"silicated IAT on aluminium", can(EG, IAT, Premix), can(EG, IAT, Premix), Needs{Metal: Aluminium}, AnswerYes, GroundSame},
		{"nitrite on aluminium", can(EG, NOAT, Premix), can(EG, NOAT, Premix), Needs{Metal: Aluminium}, AnswerUnknown, GroundAluminium},
		{"nitrite on iron", can(EG, NOAT, Premix), can(EG, NOAT, Premix), Needs{Metal: Iron}, AnswerYes, GroundSame},
		{"required technology", oat, oat, Needs{Required: POAT}, AnswerNever, GroundRequired},
		{"OAT in wet liners", oat, oat, liners, AnswerUnknown, GroundLiners},
		{"OAT on the maker's list", oat, oat, Needs{WetLiners: true, Listed: []string{oat.Code}}, AnswerYes, GroundSame},
		{"NOAT that claims nothing", can(EG, NOAT, Premix), can(EG, NOAT, Premix), liners, AnswerUnknown, GroundLiners},
		{"NOAT of D6210", can(EG, NOAT, Premix), can(EG, NOAT, Premix, D6210), liners, AnswerYes, GroundSame},
		{"IAT of D4985 without SCA", can(EG, IAT, Premix), can(EG, IAT, Premix, D4985), liners, AnswerUnknown, GroundLiners},
		{"IAT of D4985 with SCA", can(EG, IAT, Premix), can(EG, IAT, Premix, D4985), Needs{WetLiners: true, SCA: true}, AnswerYes, GroundSame},
		{"passenger-car IAT in wet liners", can(EG, IAT, Premix), can(EG, IAT, Premix, D3306), liners, AnswerNever, GroundCarCoolant},
		{"passenger-car IAT with SCA", can(EG, IAT, Premix), can(EG, IAT, Premix, D3306), Needs{WetLiners: true, SCA: true}, AnswerNever, GroundCarCoolant},
		{"IAT that claims nothing", can(EG, IAT, Premix), can(EG, IAT, Premix), liners, AnswerUnknown, GroundLiners},
		{"concentrate where only premix goes", oat, oat, Needs{PremixOnly: true}, AnswerNever, GroundPremixOnly},
		{"water where only premix goes", oat, water, Needs{PremixOnly: true, OverStrong: true}, AnswerNever, GroundPremixOnly},
		{"water on concentrate's mix", oat, water, Needs{}, AnswerYes, GroundWater},
		{"water on premix", can(EG, OAT, Premix), water, Needs{}, AnswerNeed, GroundPremixFirst},
		{"water on premix tested too strong", can(EG, OAT, Premix), water, Needs{OverStrong: true}, AnswerYes, GroundStrong},
		{"water on waterless", can(NoWater, Waterless, Premix), water, Needs{OverStrong: true}, AnswerNever, GroundWaterless},
		{"glycol on waterless", can(NoWater, Waterless, Premix), oat, Needs{}, AnswerFlush, GroundWaterless},
		{"waterless on glycol", oat, can(NoWater, Waterless, Premix), Needs{}, AnswerFlush, GroundWaterless},
		{"waterless on waterless", can(NoWater, Waterless, Premix), can(NoWater, Waterless, Premix), Needs{}, AnswerYes, GroundSame},
		{"onto what is not known", Product{}, oat, Needs{}, AnswerUnknown, GroundUnknownFill},
		{"water onto what is not known", Product{}, water, Needs{}, AnswerUnknown, GroundUnknownFill},
		{"a can that is not known, onto OAT", oat, Product{Base: EG, Form: Premix}, Needs{}, AnswerUnknown, GroundUnknownNew},
		{"aircraft, the same", oat, oat, Needs{Aircraft: true}, AnswerYes, GroundSame},
		{"aircraft, another can", oat, can(EG, OAT, Premix), Needs{Aircraft: true}, AnswerUnknown, GroundAircraft},
		{"aircraft, water", oat, water, Needs{Aircraft: true}, AnswerUnknown, GroundAircraft},
		{"universal on such seals", can(EG, Universal, Premix), can(EG, Universal, Premix), Needs{SilicateFree: true}, AnswerFlush, GroundUniversal},
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
	for w := range groundWords {
		if w.Words() == "" {
			t.Errorf("%s has no words", w)
		}
	}
	if got := Fill(Product{}, Needs{}); got.Answer != AnswerUnknown {
		t.Errorf("a can that is not known: %+v", got)
	}
}
