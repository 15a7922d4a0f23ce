package ledger

import (
	"encoding/json"
	"fmt"

	"diligentledger/core/measure"
)

// Kinds lists every kind of entry, in the order in which they are offered.
var Kinds = []Kind{KindFreezeTest, KindTopUp, KindLevelCheck, KindMeter, KindLoss, KindRenewal, KindCapTest, KindHoseCheck,
	KindInspection, KindChemistry, KindDose, KindExtender, KindFilter, KindPressureTest, KindZeroCheck, KindDefect, KindDefectClosed, KindHold, KindRelease,
	KindLayUp, KindReturn, KindMeterChange, KindOpening, KindNote, KindStrike}

var parsers = map[Kind]func([]byte) (Body, error){
	KindOpening: parse[Opening], KindRenewal: parse[Renewal], KindTopUp: parse[TopUp], KindLoss: parse[Loss],
	KindFreezeTest: parseFreezeTest, KindChemistry: parse[ChemistryTest], KindCapTest: parse[CapTest],
	KindHoseCheck: parse[HoseCheck], KindPressureTest: parse[PressureTest], KindLevelCheck: parse[LevelCheck],
	KindDose: parse[Dose], KindExtender: parse[ExtenderDose], KindFilter: parse[AdditiveFilter],
	KindInspection: parse[Inspection], KindDefect: parse[Defect], KindDefectClosed: parse[DefectClosed],
	KindMeter: parse[Meter], KindMeterChange: parse[MeterChange], KindZeroCheck: parse[ZeroCheck],
	KindLayUp: parse[LayUp], KindReturn: parse[Return], KindHold: parse[Hold], KindRelease: parse[Release],
	KindNote: parse[NoteBody], KindStrike: parse[Strike],
	// The name of a renewal in the first books.
	"fill": parse[Renewal],
}

// ParseBody reads the stored payload of an entry of kind k.
func ParseBody(k Kind, payload []byte) (Body, error) {
	p, ok := parsers[k]
	if !ok {
		return nil, fmt.Errorf("entry kind %q is not one of %v", string(k), Kinds)
	}
	return p(payload)
}

func parse[T Body](payload []byte) (Body, error) {
	var b T
	if err := json.Unmarshal(payload, &b); err != nil {
		return nil, fmt.Errorf("payload of a %s entry: %w", b.Kind(), err)
	}
	return b, nil
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
