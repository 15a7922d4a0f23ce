package ledger

import (
	"slices"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Kinds of instrument in the register that coolant is tested with.
const (
	KindRefractometer        = "refractometer"
	KindDigitalRefractometer = "digital_refractometer"
	KindHydrometer           = "hydrometer"
	KindDiscTester           = "disc_tester"
	KindStrips               = "strips"
	KindCapTester            = "cap_tester"
)

// Registered is what the register says of an instrument. The zero value says nothing: then nothing is held against
// a test.
type Registered struct {
	Kind  string
	Scale string            // EG, PG, EG_PG, brix; empty when it is not known
	Chart []measure.Celsius // of a disc tester; none when it is not known
	// Expires is the last day of strips; nil when it is not known.
	Expires *measure.Date
	// SampleLow and SampleHigh are the temperatures of a sample that it compensates for; nil when they are not known.
	SampleLow, SampleHigh *measure.Celsius
}

// madeWith are the kinds of the register that each instrument of a freeze test is of.
var madeWith = map[string][]string{Refractometer: {KindRefractometer, KindDigitalRefractometer}, Hydrometer: {KindHydrometer}, DiscTester: {KindDiscTester}, TestStrip: {KindStrips}}

// CannotHaveMade is why the instrument of the register cannot have made a test on a day: of another kind, by a
// scale or a chart that it has not, past its last day, or on a sample beyond its range. Empty when it can have, or
// when that is not known.
func (i Registered) CannotHaveMade(body Body, day measure.Date) Note {
	expired := i.Kind == KindStrips && i.Expires != nil && i.Expires.Before(day)
	switch b := body.(type) {
	case FreezeTest:
		switch {
		case i.Kind != "" && !slices.Contains(madeWith[b.Instrument], i.Kind):
			return NoteInstrumentKind
		case expired:
			return NoteStrip
		case b.Instrument == DiscTester && len(i.Chart) > 0 && !slices.Equal(b.Chart, i.Chart):
			return NoteInstrumentChart
		case !i.shows(b.Instrument, b.Value.Unit, b.Scale):
			return NoteInstrumentScale
		case b.Zero != nil && !i.shows(b.Instrument, b.Value.Unit, ""):
			return NoteInstrumentScale
		case b.Sample != nil && !i.compensates(*b.Sample):
			return NoteInstrumentSample
		}
	case ZeroCheck:
		switch {
		case i.Kind != "" && !slices.Contains(madeWith[Refractometer], i.Kind):
			return NoteInstrumentKind
		case !i.shows(Refractometer, b.Zero.Unit, ""):
			return NoteInstrumentScale
		}
	case ChemistryTest:
		switch {
		case expired:
			return NoteStrip
		case slices.Contains([]string{KindRefractometer, KindDigitalRefractometer, KindHydrometer, KindDiscTester, KindCapTester}, i.Kind):
			return NoteInstrumentKind
		}
	}
	return ""
}

// shows reports whether its scale has the unit of a reading, and the glycol; empty for a reading that names none.
func (i Registered) shows(instrument string, unit measure.Unit, glycol coolant.Base) bool {
	if i.Scale == "" {
		return true
	}
	sugar := i.Scale == "brix"
	glycols := map[string][]coolant.Base{"EG": {coolant.EG}, "PG": {coolant.PG}, "EG_PG": {coolant.EG, coolant.PG}}[i.Scale]
	switch {
	case instrument == Refractometer && sugar != (unit == measure.Brix):
		return false
	case instrument == Refractometer && sugar:
		return true // it names no glycol
	case instrument == Hydrometer || instrument == DiscTester:
		// Density is read as that of EG, whatever is written beside it.
		return slices.Contains(glycols, coolant.EG)
	}
	return !glycol.Known() || slices.Contains(glycols, glycol)
}

func (i Registered) compensates(sample measure.Reading) bool {
	t, err := sample.Metric(measure.Temperature)
	if err != nil {
		return false
	}
	return (i.SampleLow == nil || measure.Celsius(t) >= *i.SampleLow) && (i.SampleHigh == nil || measure.Celsius(t) <= *i.SampleHigh)
}
