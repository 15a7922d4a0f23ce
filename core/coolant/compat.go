package coolant

import (
	"slices"
	"strings"
)

// Answer to "may this be poured onto that?".
type Answer string

// The answers. Unknown is not yes.
const (
	AnswerYes     Answer = "allowed"
	AnswerNeed    Answer = "only_in_need" // another is to be taken first; test again afterwards
	AnswerFlush   Answer = "after_full_flush"
	AnswerNever   Answer = "never"
	AnswerUnknown Answer = "unknown"
)

// Ground an answer was given, as a code.
type Ground string

// The reasons (common practice; the maker's manual decides).
const (
	GroundSame        Ground = "same_product"         // same base and technology
	GroundNamed       Ground = "named_compatible"     // its maker names what is inside
	GroundWater       Ground = "water_thins"          // purified water only thins it
	GroundStrong      Ground = "water_corrects"       // purified water brings a tested over-strong mix down
	GroundBase        Ground = "other_glycol"         // EG onto PG or the reverse
	GroundTechnology  Ground = "other_technology"     // inhibitors that may not get along
	GroundUniversal   Ground = "universal"            // "fits all" is proven only after a full flush
	GroundSilicate    Ground = "silicate_in_seals"    // the seals want a silicate-free coolant
	GroundAluminium   Ground = "nitrite_on_aluminium" // nitrite on hot or brazed aluminium: ammonia, pH rises
	GroundLiners      Ground = "liners_makers_list"   // for wet liners: on the engine maker's list, or meets D6210, or D4985 with SCA?
	GroundCarCoolant  Ground = "liners_car_coolant"   // a passenger-car IAT does not protect wet liners
	GroundWaterless   Ground = "waterless"            // no water may get in, and nothing else either
	GroundPremixOnly  Ground = "premix_only"          // the system takes premix only
	GroundPremixFirst Ground = "premix_first"         // the same premix first; water only in need, then test
	GroundRequired    Ground = "required_technology"  // the unit's maker requires another technology
	GroundAircraft    Ground = "approved_data_only"   // the aircraft's approved data decide
	GroundConductive  Ground = "conductive"           // ordinary coolant conducts: not for electric drives and batteries
	GroundUnknownFill Ground = "inside_unknown"       // what is inside is not known
	GroundUnknownNew  Ground = "product_unknown"      // what is in the can is not known
)

var groundWords = map[Ground]string{
	GroundSame:        "Same glycol, same technology.",
	GroundNamed:       "Its maker names what is inside as compatible.",
	GroundWater:       "Purified water thins it and harms nothing; record it.",
	GroundStrong:      "The mix was tested too strong: purified water brings it down. Test it again once mixed.",
	GroundBase:        "The other glycol: no table gives what a mixture protects to.",
	GroundTechnology:  "Other inhibitors: they may spend one another. The dye's colour proves nothing.",
	GroundUniversal:   "“Universal” is safe only after a full flush.",
	GroundSilicate:    "This system's seals want a silicate-free coolant.",
	GroundAluminium:   "Nitrite on hot or brazed aluminium is doubtful (ammonia, rising pH): ask the maker.",
	GroundLiners:      "For wet liners the engine maker's list decides: approved is what meets D6210, or D4985 with SCA, or is on that list.",
	GroundCarCoolant:  "A passenger-car IAT does not protect wet liners: D6210, or D4985 with SCA, is wanted.",
	GroundWaterless:   "Waterless coolant takes nothing else, water least of all.",
	GroundPremixOnly:  "This system takes premix only.",
	GroundPremixFirst: "The same premix first. Purified water only in need, or to bring down a mix that was tested too strong; then test again.",
	GroundRequired:    "The unit's maker requires another technology.",
	GroundAircraft:    "The aircraft's approved maintenance data and a licensed signatory decide.",
	GroundConductive:  "A circuit of the electric drive or the battery takes low-conductivity coolant only; ordinary coolant conducts many times more.",
	GroundUnknownFill: "What is inside is not known.",
	GroundUnknownNew:  "What is in the can is not known.",
}

// Words of the reason, a sentence or two.
func (w Ground) Words() string { return groundWords[w] }

// Universal marks a product sold as fitting all.
const Universal Technology = "universal"

// Needs of a system that decide what may go in.
type Needs struct {
	SilicateFree bool // seals demand it
	PremixOnly   bool
	WetLiners    bool
	Aircraft     bool
	Metal        Metal
	Required     Technology // by the unit's maker; empty for any
	Listed       []string   // codes of the products on the maker's list
	SCA          bool       // the charge is treated with SCA
	OverStrong   bool       // the mix inside was tested too strong
	Electric     bool       // high-voltage parts are cooled: low-conductivity coolant only
}

// Compatibility is the worst answer with every reason for it.
type Compatibility struct {
	Answer  Answer
	Reasons []Ground
}

// Words of all reasons.
func (j Compatibility) Words() string {
	words := make([]string, len(j.Reasons))
	for i, w := range j.Reasons {
		words[i] = w.Words()
	}
	return strings.Join(words, " ")
}

var severity = map[Answer]int{AnswerYes: 0, AnswerNeed: 1, AnswerUnknown: 2, AnswerFlush: 3, AnswerNever: 4}

func (j *Compatibility) say(a Answer, w Ground) {
	switch {
	case severity[a] > severity[j.Answer]:
		j.Answer, j.Reasons = a, []Ground{w}
	case a == j.Answer:
		j.Reasons = append(j.Reasons, w)
	}
}

// SameChemistry reports whether two products are the same coolant: base and technology are known
// and the same, or the maker of one names the other's technology as compatible.
func SameChemistry(inside, add Product) bool {
	same := inside.Technology != "" && inside.Technology != string(Universal) && inside.Base == add.Base && inside.Technology == add.Technology
	return same || inside.Base == add.Base && slices.Contains(add.Named, Technology(inside.Technology))
}

// Fill judges whether a product may be filled into an empty system with these needs.
func Fill(add Product, needs Needs) Compatibility {
	j := Compatibility{Answer: AnswerYes}
	if !add.known() {
		j.say(AnswerUnknown, GroundUnknownNew)
		return j
	}
	j.system(add, needs)
	return j
}

// TopUp judges whether add, a product or water by its [Form], may be poured onto inside in
// a system with these needs.
func TopUp(inside, add Product, needs Needs) Compatibility {
	j := Compatibility{Answer: AnswerYes}
	if needs.Aircraft && (!inside.known() || !inside.Is(add) || add.Form == Water) {
		j.say(AnswerUnknown, GroundAircraft)
	}
	if add.Form == Water {
		j.water(inside, needs)
		return j
	}
	if !add.known() {
		j.say(AnswerUnknown, GroundUnknownNew)
		return j
	}
	j.system(add, needs)
	if !inside.known() {
		j.say(AnswerUnknown, GroundUnknownFill)
		return j
	}
	switch named := slices.Contains(add.Named, Technology(inside.Technology)); {
	case inside.waterless() != add.waterless():
		j.say(AnswerFlush, GroundWaterless)
	case inside.Base != add.Base:
		j.say(AnswerFlush, GroundBase)
	case named:
		j.say(AnswerYes, GroundNamed)
	case add.Technology == string(Universal) || inside.Technology == string(Universal):
		j.say(AnswerFlush, GroundUniversal)
	case inside.Technology != add.Technology:
		j.say(AnswerFlush, GroundTechnology)
	default:
		j.say(AnswerYes, GroundSame)
	}
	return j
}

func (j *Compatibility) water(inside Product, needs Needs) {
	switch {
	case inside.waterless():
		j.say(AnswerNever, GroundWaterless)
	case needs.PremixOnly:
		j.say(AnswerNever, GroundPremixOnly)
	case !inside.known():
		j.say(AnswerUnknown, GroundUnknownFill)
	case needs.OverStrong:
		j.say(AnswerYes, GroundStrong)
	case inside.Form == Premix:
		j.say(AnswerNeed, GroundPremixFirst)
	default:
		j.say(AnswerYes, GroundWater)
	}
}

// system judges what the system itself refuses, flushed or not.
func (j *Compatibility) system(add Product, needs Needs) {
	tech := Technology(add.Technology)
	if needs.PremixOnly && add.Form != Premix {
		j.say(AnswerNever, GroundPremixOnly)
	}
	if silicated := tech == IAT || tech == HOAT || tech == SiOAT; needs.SilicateFree && silicated {
		j.say(AnswerNever, GroundSilicate)
	}
	if needs.SilicateFree && tech == Universal {
		j.say(AnswerUnknown, GroundUniversal)
	}
	if needs.Electric && !add.LowConductivity && !slices.Contains(needs.Listed, add.Code) {
		j.say(AnswerNever, GroundConductive)
	}
	if needs.Required != "" && tech != needs.Required {
		j.say(AnswerNever, GroundRequired)
	}
	if nitrited := tech == NOAT || add.SCA; needs.Metal == Aluminium && nitrited {
		j.say(AnswerUnknown, GroundAluminium)
	}
	if needs.WetLiners {
		switch Liners(add, needs.SCA, slices.Contains(needs.Listed, add.Code)) {
		case AnswerUnknown:
			j.say(AnswerUnknown, GroundLiners)
		case AnswerNever:
			j.say(AnswerNever, GroundCarCoolant)
		}
	}
}
