package climate

import (
	"encoding/json"
	"fmt"
	"math"

	"diligentledger/core/measure"
)

// stored is a climate with all that it plans by, for a device that takes it along. A night of which the
// forecast says nothing is null.
type stored struct {
	ReturnPeriod int                `json:"returnPeriod"`
	Years        int                `json:"years"`
	NightsBelow  float64            `json:"nightsBelow"`
	Shift        measure.Kelvin     `json:"shift"`
	ReturnLevel  *measure.Celsius   `json:"returnLevel"`
	Dates        []measure.Celsius  `json:"dates"`
	Nights       []measure.Celsius  `json:"nights"`
	From         measure.Date       `json:"from"`
	Ahead        []*measure.Celsius `json:"ahead"`
}

// MarshalJSON of all that the climate plans by; [Climate.UnmarshalJSON] gives the same one.
func (k *Climate) MarshalJSON() ([]byte, error) {
	s := stored{k.ReturnPeriod, k.Years, k.NightsBelow, k.Shift, k.ReturnLevel, k.dates[:], k.nights[:], k.from, nil}
	for _, t := range k.ahead {
		if math.IsNaN(float64(t)) {
			s.Ahead = append(s.Ahead, nil)
			continue
		}
		s.Ahead = append(s.Ahead, &t)
	}
	return json.Marshal(s)
}

// UnmarshalJSON reads what [Climate.MarshalJSON] wrote.
func (k *Climate) UnmarshalJSON(text []byte) error {
	var s stored
	if err := json.Unmarshal(text, &s); err != nil {
		return err
	}
	if len(s.Dates) != slots || len(s.Nights) != slots {
		return fmt.Errorf("a climate of %d and %d nights; accepted: %d", len(s.Dates), len(s.Nights), slots)
	}
	*k = Climate{ReturnPeriod: s.ReturnPeriod, Years: s.Years, NightsBelow: s.NightsBelow, Shift: s.Shift, ReturnLevel: s.ReturnLevel, from: s.From}
	copy(k.dates[:], s.Dates)
	copy(k.nights[:], s.Nights)
	for _, t := range s.Ahead {
		if t == nil {
			k.ahead = append(k.ahead, measure.Celsius(math.NaN()))
			continue
		}
		k.ahead = append(k.ahead, *t)
	}
	k.settleNights()
	return nil
}
