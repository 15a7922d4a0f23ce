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

// Why an answer was given, as a code.
type Why string

// The reasons (common practice; the maker's manual decides).
const (
	WhySame        Why = "same_product"         // same base and technology
	WhyNamed       Why = "named_compatible"     // its maker names what is inside
	WhyWater       Why = "water_thins"          // purified water only thins it
	WhyStrong      Why = "water_corrects"       // purified water brings a tested over-strong mix down
	WhyBase        Why = "other_glycol"         // EG onto PG or the reverse
	WhyTechnology  Why = "other_technology"     // inhibitors that may not get along
	WhyUniversal   Why = "universal"            // "fits all" is proven only after a full flush
	WhySilicate    Why = "silicate_in_seals"    // the seals want a silicate-free coolant
	WhyAluminium   Why = "nitrite_on_aluminium" // nitrite on hot or brazed aluminium: ammonia, pH rises
	WhyLiners      Why = "liners_makers_list"   // for wet liners: on the engine maker's list, or meets D6210, or D4985 with SCA?
	WhyCarCoolant  Why = "liners_car_coolant"   // a passenger-car IAT does not protect wet liners
	WhyWaterless   Why = "waterless"            // no water may get in, and nothing else either
	WhyPremixOnly  Why = "premix_only"          // the system takes premix only
	WhyPremixFirst Why = "premix_first"         // the same premix first; water only in need, then test
	WhyRequired    Why = "required_technology"  // the unit's maker requires another technology
	WhyAircraft    Why = "approved_data_only"   // the aircraft's approved data decide
	WhyUnknownFill Why = "inside_unknown"       // what is inside is not known
	WhyUnknownNew  Why = "product_unknown"      // what is in the can is not known
)

var whyWords = map[Why]string{
	WhySame:        "Same glycol, same technology.",
	WhyNamed:       "Its maker names what is inside as compatible.",
	WhyWater:       "Purified water thins it and harms nothing; record it.",
	WhyStrong:      "The mix was tested too strong: purified water brings it down. Test it again once mixed.",
	WhyBase:        "The other glycol: no table gives what a mixture protects to.",
	WhyTechnology:  "Other inhibitors: they may spend one another. The dye's colour proves nothing.",
	WhyUniversal:   "“Universal” is safe only after a full flush.",
	WhySilicate:    "This system's seals want a silicate-free coolant.",
	WhyAluminium:   "Nitrite on hot or brazed aluminium is doubtful (ammonia, rising pH): ask the maker.",
	WhyLiners:      "For wet liners the engine maker's list decides: approved is what meets D6210, or D4985 with SCA, or is on that list.",
	WhyCarCoolant:  "A passenger-car IAT does not protect wet liners: D6210, or D4985 with SCA, is wanted.",
	WhyWaterless:   "Waterless coolant takes nothing else, water least of all.",
	WhyPremixOnly:  "This system takes premix only.",
	WhyPremixFirst: "The same premix first. Purified water only in need, or to bring down a mix that was tested too strong; then test again.",
	WhyRequired:    "The unit's maker requires another technology.",
	WhyAircraft:    "The aircraft's approved maintenance data and a licensed signatory decide.",
	WhyUnknownFill: "What is inside is not known.",
	WhyUnknownNew:  "What is in the can is not known.",
}

// Words of the reason, a sentence or two.
func (w Why) Words() string { return whyWords[w] }

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
}

// Judgement is the worst answer with every reason for it.
type Judgement struct {
	Answer  Answer
	Reasons []Why
}

// Words of all reasons.
func (j Judgement) Words() string {
	words := make([]string, len(j.Reasons))
	for i, w := range j.Reasons {
		words[i] = w.Words()
	}
	return strings.Join(words, " ")
}

var severity = map[Answer]int{AnswerYes: 0, AnswerNeed: 1, AnswerUnknown: 2, AnswerFlush: 3, AnswerNever: 4}

func (j *Judgement) say(a Answer, w Why) {
	switch {
	case severity[a] > severity[j.Answer]:
		j.Answer, j.Reasons = a, []Why{w}
	case a == j.Answer:
		j.Reasons = append(j.Reasons, w)
	}
}

// Alike reports whether two products are the same coolant: base and technology are known
// and the same, or the maker of one names the other's technology as compatible.
func Alike(inside, add Product) bool {
	same := inside.Technology != "" && inside.Technology != string(Universal) && inside.Base == add.Base && inside.Technology == add.Technology
	return same || inside.Base == add.Base && slices.Contains(add.Named, Technology(inside.Technology))
}

// Fill judges whether a product may be filled into an empty system with these needs.
func Fill(add Product, needs Needs) Judgement {
	j := Judgement{Answer: AnswerYes}
	if !add.known() {
		j.say(AnswerUnknown, WhyUnknownNew)
		return j
	}
	j.system(add, needs)
	return j
}

// TopUp judges whether add, a product or water by its [Form], may be poured onto inside in
// a system with these needs.
func TopUp(inside, add Product, needs Needs) Judgement {
	j := Judgement{Answer: AnswerYes}
	if needs.Aircraft && (!inside.known() || inside.Code != add.Code || add.Form == Water) {
		j.say(AnswerUnknown, WhyAircraft)
	}
	if add.Form == Water {
		j.water(inside, needs)
		return j
	}
	if !add.known() {
		j.say(AnswerUnknown, WhyUnknownNew)
		return j
	}
	j.system(add, needs)
	if !inside.known() {
		j.say(AnswerUnknown, WhyUnknownFill)
		return j
	}
	switch named := slices.Contains(add.Named, Technology(inside.Technology)); {
	case inside.waterless() != add.waterless():
		j.say(AnswerFlush, WhyWaterless)
	case inside.Base != add.Base:
		j.say(AnswerFlush, WhyBase)
	case named:
		j.say(AnswerYes, WhyNamed)
	case add.Technology == string(Universal) || inside.Technology == string(Universal):
		j.say(AnswerFlush, WhyUniversal)
	case inside.Technology != add.Technology:
		j.say(AnswerFlush, WhyTechnology)
	default:
		j.say(AnswerYes, WhySame)
	}
	return j
}

func (j *Judgement) water(inside Product, needs Needs) {
	switch {
	case inside.waterless():
		j.say(AnswerNever, WhyWaterless)
	case needs.PremixOnly:
		j.say(AnswerNever, WhyPremixOnly)
	case !inside.known():
		j.say(AnswerUnknown, WhyUnknownFill)
	case needs.OverStrong:
		j.say(AnswerYes, WhyStrong)
	case inside.Form == Premix:
		j.say(AnswerNeed, WhyPremixFirst)
	default:
		j.say(AnswerYes, WhyWater)
	}
}

// system judges what the system itself refuses, flushed or not.
func (j *Judgement) system(add Product, needs Needs) {
	tech := Technology(add.Technology)
	if needs.PremixOnly && add.Form != Premix {
		j.say(AnswerNever, WhyPremixOnly)
	}
	if silicated := tech == IAT || tech == HOAT || tech == SiOAT; needs.SilicateFree && silicated {
		j.say(AnswerNever, WhySilicate)
	}
	if needs.SilicateFree && tech == Universal {
		j.say(AnswerUnknown, WhyUniversal)
	}
	if needs.Required != "" && tech != needs.Required {
		j.say(AnswerNever, WhyRequired)
	}
	if nitrited := tech == NOAT || add.SCA; needs.Metal == Aluminium && nitrited {
		j.say(AnswerUnknown, WhyAluminium)
	}
	if needs.WetLiners {
		switch Liners(add, needs.SCA, slices.Contains(needs.Listed, add.Code)) {
		case AnswerUnknown:
			j.say(AnswerUnknown, WhyLiners)
		case AnswerNever:
			j.say(AnswerNever, WhyCarCoolant)
		}
	}
}
