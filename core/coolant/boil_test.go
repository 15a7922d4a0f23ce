package coolant

import (
	"math"
	"slices"
	"testing"

	"diligentledger/core/measure"
)

// Verification values of IAPWS R7-97(2012), table 36: saturation temperature.
func TestSaturationTemperatureIF97(t *testing.T) {
	for _, c := range []struct{ mpa, kelvin float64 }{{0.1, 372.755919}, {1, 453.035632}, {10, 584.149488}} {
		got, err := SaturationTemperature(measure.Kilopascal(1000 * c.mpa))
		if err != nil || math.Abs(float64(got)+273.15-c.kelvin) > 1e-6 {
			t.Errorf("%g MPa: %.7f K, %v; published %.6f", c.mpa, float64(got)+273.15, err, c.kelvin)
		}
	}
	// The saturation pressures of table 35, the other way round.
	for _, c := range []struct{ mpa, kelvin float64 }{{0.353658941e-2, 300}, {2.63889776, 500}, {12.3443146, 600}} {
		got, err := SaturationTemperature(measure.Kilopascal(1000 * c.mpa))
		if err != nil || math.Abs(float64(got)+273.15-c.kelvin) > 1e-5 {
			t.Errorf("%g MPa: %.7f K, %v; published %g", c.mpa, float64(got)+273.15, err, c.kelvin)
		}
	}
}

// ICAO standard atmosphere: 5,000 ft and 10,000 ft (recalled from memory).
func TestAmbientPressureICAO(t *testing.T) {
	for _, c := range []struct{ feet, kpa float64 }{{0, 101.325}, {5000, 84.31}, {10000, 69.68}} {
		if got, err := AmbientPressure(c.feet * 0.3048); err != nil || math.Abs(float64(got)-c.kpa) > 0.01 {
			t.Errorf("%g ft: %v kPa, %v; published %g", c.feet, got, err, c.kpa)
		}
	}
}

func TestBoilOver(t *testing.T) {
	half, err := MassFraction(EG, 0.5)
	if err != nil {
		t.Fatal(err)
	}
	const psi = 6.894757
	for _, c := range []struct {
		name      string
		base      Base
		mass      float64
		cap       measure.Kilopascal
		altitude  float64
		want, tol float64
	}{
		{"50/50 under 15 psi, near 129 °C (common practice)", EG, half, 15 * psi, 0, 129, 1},
		{"50/50 open, ASTM D3306 asks for 108 or higher; handbook 107.7", EG, half, 0, 0, 107.8, 0.6},
		{"handbook, EG 50 % by mass at 100.7 kPa", EG, 0.5, 0, 52, 107.2, 0.4},
		{"handbook, PG 50 % by mass at 1 atm", PG, 0.5, 0, 0, 105.6, 0.1},
		{"water at 10,000 ft, steam tables 89.8", EG, 0, 0, 3048, 89.8, 0.2},
	} {
		got, err := BoilOver(c.base, c.mass, c.cap, c.altitude)
		if err != nil || math.Abs(float64(got)-c.want) > c.tol {
			t.Errorf("%s: %.2f °C, %v; want %g ± %g", c.name, float64(got), err, c.want, c.tol)
		}
	}
	// About 1.6 K for each psi of cap (common practice), between 0 and 15 psi.
	open, _ := BoilOver(EG, half, 0, 0)
	capped, _ := BoilOver(EG, half, 15*psi, 0)
	if per := float64(capped-open) / 15; per < 1.2 || per > 1.7 {
		t.Errorf("%.2f K for each psi", per)
	}
}

// Laws: more cap, less altitude and more EG each boil later.
func TestBoilOverMonotone(t *testing.T) {
	at := func(mass, cap, h float64) float64 {
		got, err := BoilOver(EG, mass, measure.Kilopascal(cap), h)
		if err != nil {
			t.Fatal(err)
		}
		return float64(got)
	}
	for x := 0.0; x < 1; x += 0.02 {
		if at(.5, 200*x+1, 0) <= at(.5, 200*x, 0) || at(.5, 90, 8000*x+10) >= at(.5, 90, 8000*x) || at(.9*x+.01, 90, 0) < at(.9*x, 90, 0) {
			t.Fatalf("not monotone at %.2f", x)
		}
	}
}

func TestBoilRefuses(t *testing.T) {
	nan := math.NaN()
	for _, c := range []struct {
		base         Base
		mass, cap, h float64
	}{{EG, 1.01, 0, 0}, {PG, .61, 0, 0}, {"", .5, 0, 0}, {EG, nan, 0, 0}, {EG, .5, -1, 0}, {EG, .5, 400, 0}, {EG, .5, 90, 12000}, {EG, .5, nan, 0}, {EG, .5, 0, nan}} {
		if got, err := BoilOver(c.base, c.mass, measure.Kilopascal(c.cap), c.h); err == nil {
			t.Errorf("%+v boils at %v", c, got)
		}
	}
	for _, p := range []measure.Kilopascal{0, 30000, measure.Kilopascal(nan)} {
		if got, err := SaturationTemperature(p); err == nil {
			t.Errorf("%v kPa: %v", p, got)
		}
	}
}

func TestCheckCap(t *testing.T) {
	kpa := func(v measure.Kilopascal) *measure.Kilopascal { return &v }
	for _, c := range []struct {
		name      string
		test      CapTest
		want      []CapVerdict
		effective measure.Kilopascal
	}{
		{"new", CapTest{Rated: 108, Opened: kpa(101), Vacuum: kpa(5)}, []CapVerdict{CapSound}, 101},
		// A new cap opens within −15 and +15 % of its rating, a used one serves down to
		// −25 % (common practice, from memory).
		{"a used one at 95 of 108", CapTest{Rated: 108, Opened: kpa(95), Vacuum: kpa(5)}, []CapVerdict{CapSound}, 95},
		{"a new one at 85 % of 100", CapTest{Rated: 100, Opened: kpa(85), Vacuum: kpa(5), New: true}, []CapVerdict{CapSound}, 85},
		{"a new one at 84 of 100", CapTest{Rated: 100, Opened: kpa(84), Vacuum: kpa(5), New: true}, []CapVerdict{CapWeak}, 84},
		{"a used one at 84 of 100", CapTest{Rated: 100, Opened: kpa(84), Vacuum: kpa(5)}, []CapVerdict{CapWorn}, 84},
		{"a used one at 75 of 100", CapTest{Rated: 100, Opened: kpa(75), Vacuum: kpa(5)}, []CapVerdict{CapWorn}, 75},
		{"a used one at 74 of 100", CapTest{Rated: 100, Opened: kpa(74), Vacuum: kpa(5)}, []CapVerdict{CapWeak}, 74},
		{"one at 115 of 100", CapTest{Rated: 100, Opened: kpa(115), Vacuum: kpa(5)}, []CapVerdict{CapSound}, 100},
		{"one at 116 of 100", CapTest{Rated: 100, Opened: kpa(116), Vacuum: kpa(5)}, []CapVerdict{CapStuck}, 100},
		{"a maker that allows less", CapTest{Rated: 100, Opened: kpa(84), Vacuum: kpa(5), Over: []Figures{{"cap_used_low": 0.9}}}, []CapVerdict{CapWeak}, 84},
		{"opens at NaN", CapTest{Rated: 100, Opened: kpa(measure.Kilopascal(math.NaN())), Vacuum: kpa(5)}, []CapVerdict{CapUntested}, 100},
		{"opens at 66 of 90", CapTest{Rated: 90, Opened: kpa(66)}, []CapVerdict{CapWeak}, 66},
		{"opens late", CapTest{Rated: 90, Opened: kpa(110)}, []CapVerdict{CapStuck}, 90},
		{"half-turned", CapTest{Rated: 90, Opened: kpa(90), Unseated: true}, []CapVerdict{CapUnseated}, 0},
		{"dried seal, stuck valve", CapTest{Rated: 90, BadSeal: true, Stuck: true}, []CapVerdict{CapBadSeal, CapVacuum}, 0},
		{"vacuum valve opens late", CapTest{Rated: 90, Vacuum: kpa(30)}, []CapVerdict{CapVacuum}, 90},
		{"vacuum valve leaks", CapTest{Rated: 90, Vacuum: kpa(0)}, []CapVerdict{CapNoVacuum}, 90},
		{"not tested", CapTest{Rated: 90}, []CapVerdict{CapUntested}, 90},
		{"half tested", CapTest{Rated: 90, Opened: kpa(92)}, []CapVerdict{CapHalf}, 90},
	} {
		if got, effective := CheckCap(c.test); !slices.Equal(got, c.want) || effective != c.effective {
			t.Errorf("%s: %v at %v kPa, want %v at %v", c.name, got, effective, c.want, c.effective)
		}
	}
	// A cap that opens at 71 of 90 kPa boils some 5 °C sooner.
	rated, _ := BoilOver(EG, .52, 90, 0)
	weak, _ := BoilOver(EG, .52, 71, 0)
	if d := rated - weak; d < 2 || d > 6 {
		t.Errorf("a weak cap costs %v K", d)
	}
}
