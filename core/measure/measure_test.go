package measure

import (
	"errors"
	"math"
	"strings"
	"testing"
)

// Published equivalents: NIST SP 811 (2008) appendix B for gallon, quart, mile
// and psi, recalled from memory; the temperature pairs are the label values of
// the trade (common practice) and the definition of the Fahrenheit scale.
func TestMetric(t *testing.T) {
	for _, c := range []struct {
		value float64
		unit  Unit
		dim   Dimension
		want  float64
		tol   float64
	}{
		{1, USGal, Volume, 3.785412, 5e-7},
		{1, USQt, Volume, 0.9463529, 5e-8},
		{1, ImpGal, Volume, 4.54609, 1e-12},
		{1, ImpQt, Volume, 1.1365225, 1e-12},
		{250, ML, Volume, 0.25, 1e-12},
		{1, Mi, Distance, 1.609344, 1e-12},
		{100000, Mi, Distance, 160934.4, 1e-6},
		{15, Psi, Pressure, 103.4214, 5e-5},
		{1, Bar, Pressure, 100, 0},
		{-34, DegF, Temperature, -36.667, 5e-4},
		{32, DegF, Temperature, 0, 1e-12},
		{-40, DegF, Temperature, -40, 1e-12},
		{212, DegF, Temperature, 100, 1e-9},
		{12.5, H, EngineTime, 12.5, 0},
	} {
		got, err := Reading{c.value, c.unit}.Metric(c.dim)
		if err != nil || math.Abs(got-c.want) > c.tol {
			t.Errorf("%g %s = %v, %v; want %v ± %g", c.value, c.unit, got, err, c.want, c.tol)
		}
	}
}

// Law: a conversion and its inverse leave the value as it was.
func TestConversionsInvert(t *testing.T) {
	for _, d := range []Dimension{Temperature, Volume, Distance, EngineTime, Pressure, Altitude, Share, Voltage, Plain} {
		for _, u := range Units(d) {
			for _, v := range []float64{-40, -0.1, 0, 0.3, 17, 98765.4} {
				m, err := Reading{v, u}.Metric(d)
				if err != nil {
					t.Fatal(err)
				}
				if back := FromMetric(m, u); math.Abs(back-v) > 1e-9*math.Max(1, math.Abs(v)) {
					t.Errorf("%g %s came back as %g", v, u, back)
				}
			}
		}
	}
	if !math.IsNaN(FromMetric(1, "furlong")) {
		t.Error("an unknown unit gave a number")
	}
}

func TestMetricRefuses(t *testing.T) {
	_, err := Reading{3, DegF}.Metric(Volume)
	var ue *UnitError
	if !errors.As(err, &ue) || !strings.Contains(err.Error(), "qt_us") {
		t.Errorf("a temperature as a volume: %v", err)
	}
	for _, v := range []float64{math.NaN(), math.Inf(1)} {
		_, err := Reading{v, L}.Metric(Volume)
		var re *RangeError
		if !errors.As(err, &re) {
			t.Errorf("%g L: %v", v, err)
		}
	}
	if _, err := (Reading{1, "furlong"}).Metric(Distance); err == nil {
		t.Error("an unknown unit was accepted")
	}
}

func TestReadingInWords(t *testing.T) {
	for want, r := range map[string]Reading{
		"-34 °F": {-34, DegF}, "1234567 km": {1_234_567, Km}, "0.25 L": {0.25, L}, "1e+300 km": {1e300, Km},
	} {
		if got := r.String(); got != want {
			t.Errorf("%s, want %s", got, want)
		}
	}
}

func TestGrouped(t *testing.T) {
	for v, want := range map[float64]string{0: "0", 999: "999", 1000: "1,000", -1000: "-1,000", -12345.5: "-12,345.5", 1e6: "1,000,000", 0.25: "0.25"} {
		if got := Grouped(v); got != want {
			t.Errorf("%v is %s, want %s", v, got, want)
		}
	}
}
