package job

import (
	"errors"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// A product that cannot protect to what the site needs is retested again and again: the sheet has no hours, and says where it stays.
func TestEndlessSheet(t *testing.T) {
	s := car(Correction)
	need := measure.Celsius(-60)
	s.Need, s.Target, s.Product, s.Inside = &need, 0.5, premix, inside(coolant.EG, 9.7, 0.45)
	_, _, err := TimesOf(s)
	var endless *EndlessError
	if !errors.As(err, &endless) || endless.Step.Key != "retest:1" {
		t.Errorf("%v", err)
	}
}

// A drain-and-fill of a car takes a morning of a person (common practice: one and a half to three hours, warming, bleeding and
// the retest included), four hours of cooling before it by the usual parameters, and less cooling where the maker says so.
func TestTimes(t *testing.T) {
	for _, of := range []struct {
		name        string
		setup       func() Setup
		cool        float64
		least, most float64 // hours of hands
		waits       bool
	}{
		{"drain and fill", func() Setup { return car(DrainFill) }, 4, 1.2, 3, false},
		{"full flush with the thermostat in cools between its flushes", func() Setup { return car(FullFlush) }, 4, 2, 6, true},
		{"a correction cools again before its retest", func() Setup { return car(Correction) }, 4, 0.5, 2, true},
		{"cools in one hour by the maker", func() Setup {
			s := car(DrainFill)
			s.Set = map[string]float64{"cooling": 1}
			return s
		}, 1, 1.2, 3, false},
		{"a day with cleaner inside is no hour of the bay", func() Setup {
			s := car(FullFlush)
			s.Options.Cleaner, s.Options.ThermostatOut = true, true
			return s
		}, 4, 2, 6, true},
	} {
		t.Run(of.name, func(t *testing.T) {
			began := time.Now()
			times, poured, err := TimesOf(of.setup())
			if err != nil {
				t.Fatal(err)
			}
			t.Logf("%+v, %+v in %v", times, poured, time.Since(began))
			if !(poured.Product > 0) || float64(poured.Product+poured.Water) > 3*float64(of.setup().Capacity) {
				t.Errorf("it pours %+v", poured)
			}
			if times.Cool != of.cool || times.Hands < of.least || times.Hands > of.most || (times.Wait > 0) != of.waits {
				t.Errorf("%+v", times)
			}
		})
	}
}
