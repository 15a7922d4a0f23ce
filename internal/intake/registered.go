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
	i.SampleLow, i.SampleHigh = celsius(facts["sample_low"]), celsius(facts["sample_high"])
	for text := range strings.SplitSeq(facts["chart"], ";") {
		if t := celsius(text); t != nil {
			i.Chart = append(i.Chart, *t)
		}
	}
	return i
}

// celsius of a fact; nil when it cannot be read.
func celsius(text string) *measure.Celsius {
	r, err := measure.ReadStored(strings.TrimSpace(text), measure.Temperature, measure.DegC)
	if err != nil {
		return nil
	}
	t, err := r.Metric(measure.Temperature)
	if err != nil {
		return nil
	}
	c := measure.Celsius(t)
	return &c
}
