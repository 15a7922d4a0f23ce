package intake

import (
	"slices"
	"strings"
	"time"
	"unicode"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// Kinds of instrument in the register.
const (
	KindRefractometer = ledger.KindRefractometer
	KindDigital       = ledger.KindDigitalRefractometer
	KindHydrometer    = ledger.KindHydrometer
	KindDiscs         = ledger.KindDiscTester
	KindStrips        = ledger.KindStrips
	KindVoltmeter     = "multimeter"
)

// Instrument as the register has it.
type Instrument struct {
	Name string `json:"name"`
	// Kind of the register; empty when it is not known.
	Kind string `json:"kind,omitempty"`
	// Scale: EG, PG, EG_PG or brix; empty when it is not known.
	Scale string `json:"scale,omitempty"`
	// Chart of a disc tester: what one, two, … floating discs protect to, °C.
	Chart []measure.Celsius `json:"chart,omitempty"`
	Site  string            `json:"site,omitempty"`
	// Expires is the last day of strips; nil when it is not known.
	Expires *measure.Date `json:"expires,omitempty"`
	// SampleLow and SampleHigh, °C: what a refractometer compensates for; nil when they are not known.
	SampleLow  *measure.Celsius `json:"sampleLow,omitempty"`
	SampleHigh *measure.Celsius `json:"sampleHigh,omitempty"`
	Withdrawn  bool             `json:"withdrawn,omitempty"`
}

// ZeroDue reports whether a refractometer is to be zeroed on purified water before it is used: at is its
// last zero check, nil for none within [coolant.ZeroMonth] days.
func (i Instrument) ZeroDue(at *time.Time, today measure.Date, zone *time.Location) bool {
	if i.Kind != KindRefractometer && i.Kind != KindDigital && i.Kind != "" {
		return false
	}
	return at == nil || today.Sub(measure.DateOf(*at, zone)) > coolant.ZeroMonth
}

// Instruments of the register.
type Instruments []Instrument

// Named instrument; false when the register has none of that name.
func (all Instruments) Named(name string) (Instrument, bool) {
	if i := slices.IndexFunc(all, func(one Instrument) bool { return one.Name == name }); i >= 0 {
		return all[i], true
	}
	return Instrument{}, false
}

// Meant is the instrument that a name may be meant for: the same but for its case, dashes and spaces.
// Empty when the name is an instrument's own, or like no other.
func (all Instruments) Meant(name string) string {
	if _, own := all.Named(name); own || plain(name) == "" {
		return ""
	}
	if i := slices.IndexFunc(all, func(one Instrument) bool { return plain(one.Name) == plain(name) }); i >= 0 {
		return all[i].Name
	}
	return ""
}

func plain(name string) string {
	return strings.Map(func(c rune) rune {
		if unicode.IsLetter(c) || unicode.IsDigit(c) {
			return unicode.ToLower(c)
		}
		return -1
	}, name)
}

// Judge an entry by the instrument that its body names, before it is recorded: when by the register that
// instrument cannot have made the test, its envelope says why. What was said of it before is replaced.
func (all Instruments) Judge(e *ledger.Entry, zone *time.Location) {
	e.Envelope.Unusable = ""
	if one, ok := all.Named(ledger.ToolOf(e.Body)); ok {
		facts := ledger.Registered{Kind: one.Kind, Scale: one.Scale, Chart: one.Chart, Expires: one.Expires, SampleLow: one.SampleLow, SampleHigh: one.SampleHigh}
		e.Envelope.Unusable = facts.CannotHaveMade(e.Body, measure.DateOf(e.At, zone))
	}
}
