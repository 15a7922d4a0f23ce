//go:build !js

// A device takes instruments along as they are read here.

package intake

import (
	"strings"
	"time"

	"diligentledger/core/measure"
	"diligentledger/core/register"
)

// InstrumentOf that name by its facts. A fact that cannot be read is not known.
func InstrumentOf(name string, facts register.Facts) Instrument {
	i := Instrument{Name: name, Kind: facts["kind"], Scale: facts["scale"], Site: facts["site"], Withdrawn: facts["withdrawn"] == "yes"}
	if t, err := time.Parse(time.DateOnly, facts["expires"]); err == nil {
		day := measure.DateOf(t, time.UTC)
		i.Expires = &day
	}
	for text := range strings.SplitSeq(facts["chart"], ";") {
		if r, err := measure.ReadStored(strings.TrimSpace(text), measure.Temperature, measure.DegC); err == nil {
			if t, err := r.Metric(measure.Temperature); err == nil {
				i.Chart = append(i.Chart, measure.Celsius(t))
			}
		}
	}
	return i
}
