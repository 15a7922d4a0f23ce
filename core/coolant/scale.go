package coolant

import "diligentledger/core/measure"

// ScaleLine is a line of a refractometer's field: its value, and where it is, 0 at the line of water and
// 1 at the strong end of the scale.
type ScaleLine struct {
	Value float64 `json:"value"` // °C, or % of volume or °Bx
	At    float64 `json:"at"`
}

// Ends of the scales that are drawn: where common instruments end (common practice).
const (
	endFreeze  = -50 // °C
	endPercent = 60  // % by volume
	endBrix    = 40  // °Bx
)

// ScaleLines of a refractometer, one for each unit of its scale, from water to the strong end. The
// boundary of the shadow is where the refractive index is, so that lines of a freeze scale lie as they
// do in the eyepiece: further apart at the water end of PG than of EG. A [measure.RangeError] for a scale that
// there is none of.
func ScaleLines(kind ScaleKind, base Base) ([]ScaleLine, error) {
	m := Refractometer{Kind: kind, Scale: base}
	step, end := 1.0, float64(endPercent)
	switch kind {
	case ScaleFreeze:
		step, end = -1, endFreeze
	case ScaleBrix:
		end = endBrix
	case ScalePercent:
	default:
		return nil, &measure.RangeError{What: "scale", Accepted: "freeze, percent, brix"}
	}
	if kind != ScaleBrix && !base.Known() || base == NoWater {
		return nil, &measure.RangeError{What: "glycol of the scale", Accepted: "EG, PG"}
	}
	var lines []ScaleLine
	for n := range int(end/step) + 1 {
		v := float64(n) * step
		index := waterIndex
		if n > 0 {
			var err error
			if index, err = m.index(v); err != nil {
				break // beyond the eutectic: the scale ends before
			}
		}
		lines = append(lines, ScaleLine{Value: v, At: index - waterIndex})
	}
	for i, span := 0, lines[len(lines)-1].At; i < len(lines); i++ {
		lines[i].At /= span
	}
	return lines, nil
}
