package coolant

// Answer to "may this be poured onto that?".
type Answer string

// The answers. Unknown is not yes.
const (
	AnswerYes     Answer = "allowed"
	AnswerFlush   Answer = "after_full_flush"
	AnswerNever   Answer = "never"
	AnswerUnknown Answer = "unknown"
)

// Why an answer was given, as a code.
type Why string

// The reasons (all common practice; the maker's manual decides).
const (
	WhySame        Why = "same_product"         // same base and technology
	WhyNamed       Why = "named_compatible"     // its maker names what is inside
	WhyWater       Why = "water_thins"          // purified water only thins it
	WhyBase        Why = "other_glycol"         // EG onto PG or the reverse
	WhyTechnology  Why = "other_technology"     // inhibitors that may not get along
	WhyUniversal   Why = "universal"            // "fits all" is proven only after a full flush
	WhySilicate    Why = "silicate_in_seals"    // the seals want a silicate-free coolant
	WhyAluminium   Why = "aluminium_unproven"   // conventional inhibitors on aluminium: ask the maker
	WhyLiners      Why = "liners_makers_list"   // for wet liners: on the engine maker's list, or meets D6210, or D4985 with SCA?
	WhyWaterless   Why = "waterless"            // no water may get in, and nothing else either
	WhyPremixOnly  Why = "premix_only"          // the system takes premix only
	WhyPremixThin  Why = "premix_never_thinned" // water is never added to premix
	WhyAircraft    Why = "approved_data_only"   // the aircraft's approved data decide
	WhyUnknownFill Why = "inside_unknown"       // nobody knows what is inside
	WhyUnknownNew  Why = "product_unknown"      // nobody knows what is in the can
)

// Universal marks a product sold as fitting all.
const Universal Technology = "universal"

// Needs of a system that decide what may go in.
type Needs struct {
	SilicateFree bool // seals demand it
	Aluminium    bool
	WetLiners    bool
	PremixOnly   bool
	Aircraft     bool
}

// Poured is what is to be added: a product, or water with Form [Water].
type Poured struct {
	Product
	// NamedFor lists technologies the maker names compatible for a top-up.
	NamedFor []Technology
}

// Judgement is the worst answer with every reason for it.
type Judgement struct {
	Answer  Answer
	Reasons []Why
}

var severity = map[Answer]int{AnswerYes: 0, AnswerUnknown: 1, AnswerFlush: 2, AnswerNever: 3}

// TopUp tells whether add may be poured onto inside in a system with these
// needs.
func TopUp(inside Product, add Poured, needs Needs) Judgement {
	j := Judgement{Answer: AnswerYes}
	say := func(a Answer, w Why) {
		switch {
		case severity[a] > severity[j.Answer]:
			j.Answer, j.Reasons = a, []Why{w}
		case a == j.Answer:
			j.Reasons = append(j.Reasons, w)
		}
	}
	insideKnown := inside.Base.Known() && inside.Technology != ""
	if needs.Aircraft && (!insideKnown || inside.Code != add.Code || add.Form == Water) {
		say(AnswerUnknown, WhyAircraft)
	}
	if add.Form == Water {
		switch {
		case inside.Technology == string(Waterless):
			say(AnswerNever, WhyWaterless)
		case needs.PremixOnly:
			say(AnswerNever, WhyPremixOnly)
		case inside.Form == Premix:
			say(AnswerNever, WhyPremixThin)
		case !insideKnown:
			say(AnswerUnknown, WhyUnknownFill)
		default:
			say(AnswerYes, WhyWater)
		}
		return j
	}
	tech := Technology(add.Technology)
	if !add.Base.Known() || tech == "" {
		say(AnswerUnknown, WhyUnknownNew)
		return j
	}
	system(tech, add, needs, say)
	if !insideKnown {
		say(AnswerUnknown, WhyUnknownFill)
		return j
	}
	named := false
	for _, n := range add.NamedFor {
		named = named || string(n) == inside.Technology
	}
	switch {
	case inside.Technology == string(Waterless) != (tech == Waterless):
		say(AnswerFlush, WhyWaterless)
	case inside.Base != add.Base:
		say(AnswerFlush, WhyBase)
	case named:
		say(AnswerYes, WhyNamed)
	case tech == Universal || inside.Technology == string(Universal):
		say(AnswerFlush, WhyUniversal)
	case inside.Technology != add.Technology:
		say(AnswerFlush, WhyTechnology)
	default:
		say(AnswerYes, WhySame)
	}
	return j
}

// system says what the machine itself will not have, flushed or not.
func system(tech Technology, add Poured, needs Needs, say func(Answer, Why)) {
	if needs.PremixOnly && add.Form != Premix {
		say(AnswerNever, WhyPremixOnly)
	}
	if silicated := tech == IAT || tech == HOAT || tech == SiOAT; needs.SilicateFree && silicated {
		say(AnswerNever, WhySilicate)
	}
	if needs.SilicateFree && tech == Universal {
		say(AnswerUnknown, WhyUniversal)
	}
	if needs.Aluminium && tech == IAT {
		say(AnswerUnknown, WhyAluminium)
	}
	if approved := LinersOf(tech).Approved; needs.WetLiners && approved != AnswerYes {
		say(approved, WhyLiners)
	}
}
