package ledger

import (
	"encoding/json"
	"fmt"
	"reflect"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// spec of a kind of entry: everything specific to it is in its row of [kinds].
type spec struct {
	kind Kind
	of   reflect.Type // of its body
	// parse a stored payload.
	parse func(payload []byte) (Body, error)
	// check holds the body against the rules of its kind; the pointers are relative to it.
	check func(c *checker, b Body)
	// apply it to the account; nil for a kind that changes none of its figures.
	apply func(a *Account, l *Line, b Body)
	// reading is the one figure that was read or measured, as it was read; nil for a kind
	// without one.
	reading func(b Body) measure.Reading
}

// row of [kinds], by the type of the body.
func row[T any](kind Kind, check func(*checker, T), apply func(*Account, *Line, T), reading func(T) measure.Reading) spec {
	s := spec{kind: kind, of: reflect.TypeFor[T](), check: func(c *checker, b Body) { check(c, b.(T)) },
		parse: func(payload []byte) (Body, error) {
			var b T
			if err := json.Unmarshal(payload, &b); err != nil {
				return nil, fmt.Errorf("payload of a %s entry: %w", kind, err)
			}
			return b, nil
		}}
	if apply != nil {
		s.apply = func(a *Account, l *Line, b Body) { apply(a, l, b.(T)) }
	}
	if reading != nil {
		s.reading = func(b Body) measure.Reading { return reading(b.(T)) }
	}
	return s
}

// note of a body that is no more than that.
func note(text *string) func(c *checker) {
	return func(c *checker) { c.text("/note", *text, 0, longText) }
}

// kinds of entry, in the order in which they are offered. To add one, write its type and its row;
// the contract has its fields under [FieldName], and a test holds the two together.
var kinds []spec

func init() {
	// Filled in here: some checks fold an account, which reads the table.
	kinds = []spec{
		row(KindFreezeTest, (*checker).freezeTest, (*Account).test, func(b FreezeTest) measure.Reading { return b.Value }),
		row(KindTopUp, (*checker).topUp, (*Account).topUp, func(b TopUp) measure.Reading { return b.Volume }),
		row(KindLevelCheck, (*checker).level, (*Account).level, func(b LevelCheck) measure.Reading { return deref(b.Over) }),
		row(KindMeter, (*checker).meterRead, func(a *Account, l *Line, b Meter) { a.meter(l, b.Meter) }, func(b Meter) measure.Reading { return b.Meter }),
		row(KindLoss, (*checker).loss, (*Account).lose, func(b Loss) measure.Reading { return b.Volume }),
		row(KindRenewal, (*checker).renewal, (*Account).renew, func(b Renewal) measure.Reading { return b.Volume }),
		row(KindCapTest, (*checker).cap, (*Account).cap, func(b CapTest) measure.Reading { return deref(b.Opened) }),
		row(KindHoseCheck, (*checker).hoses, (*Account).hoses, nil),
		row(KindInspection, (*checker).inspection, (*Account).inspect, nil),
		row(KindChemistry, (*checker).chemistry, (*Account).chemistry, nil),
		row(KindDose, func(c *checker, b Dose) { c.dose(b.Volume, b.Additive, coolant.SCA); note(&b.Note)(c) },
			func(a *Account, l *Line, b Dose) { a.dosed(l, b.Volume, b.Additive) }, func(b Dose) measure.Reading { return b.Volume }),
		row(KindExtender, func(c *checker, b ExtenderDose) { c.dose(b.Volume, b.Additive, coolant.Extender); note(&b.Note)(c) },
			func(a *Account, l *Line, b ExtenderDose) { a.dosed(l, b.Volume, b.Additive) }, func(b ExtenderDose) measure.Reading { return b.Volume }),
		row(KindFilter, (*checker).filter, (*Account).filter, func(b AdditiveFilter) measure.Reading { return deref(b.Meter) }),
		row(KindPressureTest, (*checker).pressureTest, (*Account).pressure, func(b PressureTest) measure.Reading { return b.Drop }),
		row(KindZeroCheck, (*checker).zeroCheck, (*Account).zeroChecked, func(b ZeroCheck) measure.Reading { return b.Zero }),
		row(KindDefect, (*checker).defect, (*Account).openDefect, nil),
		row(KindDefectClosed, (*checker).defectClosed, (*Account).closeDefect, nil),
		row(KindHold, func(c *checker, b Hold) { c.text("/why", b.Why, 3, longText) }, (*Account).hold, nil),
		row(KindRelease, (*checker).released, func(a *Account, l *Line, _ Release) { a.release(l) }, nil),
		row(KindLayUp, (*checker).layUp, (*Account).layUp, nil),
		row(KindReturn, func(c *checker, b Return) { note(&b.Note)(c) }, (*Account).returned, nil),
		row(KindMeterChange, (*checker).meterChange, (*Account).changeMeter, func(b MeterChange) measure.Reading { return b.New }),
		row(KindOpening, (*checker).opening, (*Account).open, func(b Opening) measure.Reading { return deref(b.Volume) }),
		row(KindRawWater, (*checker).rawWater, (*Account).rawWater, func(b RawWater) measure.Reading { return deref(b.Freeze) }),
		row(KindCombustion, (*checker).combustion, (*Account).combustion, nil),
		row(KindNote, func(c *checker, b NoteBody) { c.text("/text", b.Text, 1, longText) }, nil, nil),
		row(KindStrike, (*checker).strike, nil, nil),
	}
	// The first books held a temperature in a freeze test, and called a renewal a fill.
	for i := range kinds {
		k := &kinds[i]
		if k.kind == KindFreezeTest {
			k.parse = parseFreezeTest
		}
		Kinds = append(Kinds, k.kind)
		byKind[k.kind], byType[k.of] = k, k
	}
	byKind["fill"] = byKind[KindRenewal]
}

var (
	// Kinds of entry, in the order in which they are offered.
	Kinds  []Kind
	byKind = map[Kind]*spec{}
	byType = map[reflect.Type]*spec{}
)

// KindOf a body; empty for none.
func KindOf(b Body) Kind {
	if torn, ok := b.(UnreadableBody); ok {
		return torn.Of
	}
	if s := byType[reflect.TypeOf(b)]; s != nil {
		return s.kind
	}
	return ""
}

// ReadingOf a body is the one figure that was read or measured, as it was read; the zero Reading
// for a kind without one.
func ReadingOf(b Body) measure.Reading {
	if s := byType[reflect.TypeOf(b)]; s != nil && s.reading != nil {
		return s.reading(b)
	}
	return measure.Reading{}
}

// BodyType of a kind, for what has to know its fields; nil for an unknown kind.
func BodyType(k Kind) reflect.Type {
	if s := byKind[k]; s != nil {
		return s.of
	}
	return nil
}

// ParseBody reads the stored payload of an entry of kind k.
func ParseBody(k Kind, payload []byte) (Body, error) {
	s := byKind[k]
	if s == nil {
		return nil, fmt.Errorf("entry kind %q is not one of %v", string(k), Kinds)
	}
	return s.parse(payload)
}

// parseFreezeTest also reads the first books, whose tests held a temperature.
func parseFreezeTest(payload []byte) (Body, error) {
	var b struct {
		FreezeTest
		Temperature *measure.Reading `json:"temperature"`
	}
	if err := json.Unmarshal(payload, &b); err != nil {
		return nil, fmt.Errorf("payload of a %s entry: %w", KindFreezeTest, err)
	}
	if b.Temperature != nil {
		b.Value = *b.Temperature
	}
	return b.FreezeTest, nil
}
