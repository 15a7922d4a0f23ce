package coolant

import (
	"errors"
	"math"
	"testing"

	"diligentledger/core/measure"
)

// Freeze points by mass per cent: ASHRAE Handbook Fundamentals, aqueous glycol
// tables, recalled from memory. Every row, not only those the fit passes
// through by construction.
var handbookEG = [][2]float64{
	{0, 0}, {5, -1.4}, {10, -3.2}, {15, -5.4}, {20, -7.8}, {25, -10.7}, {30, -14.1}, {35, -17.9}, {40, -22.3},
	{45, -27.5}, {50, -33.8}, {55, -41.1}, {60, -48.3}, {80, -46.8}, {85, -36.9}, {90, -29.8}, {95, -19.4},
}

var handbookPG = [][2]float64{
	{0, 0}, {5, -1.6}, {10, -3.3}, {15, -5.1}, {20, -7.1}, {25, -9.6}, {30, -12.7}, {35, -16.4}, {40, -21.1},
	{45, -26.7}, {50, -33.5}, {55, -41.6}, {60, -51.1},
}

func TestFreezePointAgreesWithHandbook(t *testing.T) {
	for base, rows := range map[Base][][2]float64{EG: handbookEG, PG: handbookPG} {
		for _, r := range rows {
			got, err := FreezePoint(base, r[0]/100)
			if err != nil || math.Abs(float64(got)-r[1]) > 0.15 {
				t.Errorf("%s %g %% by mass: %v °C, %v; handbook %g", base, r[0], got, err, r[1])
			}
		}
	}
	// Between 65 and 75 % the handbook says no more than "below −50".
	for mass := 0.65; mass <= 0.75; mass += 0.01 {
		if got, err := FreezePoint(EG, mass); err != nil || got >= -50 {
			t.Errorf("EG %.0f %%: %v °C, %v; handbook: below -50", 100*mass, got, err)
		}
	}
}

// Paired columns of mass and volume per cent: same source, recalled from memory.
func TestVolumeFractionAgreesWithHandbook(t *testing.T) {
	for base, rows := range map[Base][][2]float64{
		EG: {{5, 4.4}, {10, 8.9}, {15, 13.6}, {20, 18.1}, {25, 22.9}, {30, 27.7}, {35, 32.6}, {40, 37.5}, {45, 42.5}, {50, 47.6},
			{55, 52.7}, {60, 57.8}, {65, 62.8}, {70, 68.3}, {75, 73.6}, {80, 78.9}, {85, 84.3}, {90, 89.7}, {95, 95.0}},
		PG: {{5, 4.8}, {10, 9.6}, {15, 14.5}, {20, 19.4}, {25, 24.4}, {30, 29.4}, {35, 34.4}, {40, 39.6}, {45, 44.7}, {50, 49.9}, {55, 55.0}, {60, 60.0}},
	} {
		for _, r := range rows {
			got, err := VolumeFraction(base, r[0]/100)
			if err != nil || math.Abs(100*got-r[1]) > 0.4 {
				t.Errorf("%s %g %% by mass is %.2f %% by volume, %v; handbook %g", base, r[0], 100*got, err, r[1])
			}
			back, err := MassFraction(base, got)
			if err != nil || math.Abs(back-r[0]/100) > 1e-9 {
				t.Errorf("%s %.2f %% by volume is %.4f by mass, %v; want %g", base, 100*got, back, err, r[0]/100)
			}
		}
	}
}

// The dilute limit: ΔT = 1.86 K·kg/mol times molality (cryoscopic constant of
// water; molar masses 62.07 and 76.09 g/mol; physical chemistry handbooks,
// recalled from memory). It and the handbook's PG rows part ways by 0.6 K at
// 10 %, so PG is held to it up to 9 %.
func TestFreezePointMeetsDiluteLimit(t *testing.T) {
	for _, c := range []struct {
		base  Base
		molar float64
		upTo  float64
	}{{EG, 62.07, 0.10}, {PG, 76.09, 0.09}} {
		for mass := 0.002; mass <= c.upTo; mass += 0.002 {
			limit := -1.86 * mass / (1 - mass) / c.molar * 1000
			got, err := FreezePoint(c.base, mass)
			if err != nil || math.Abs(float64(got)-limit) > 0.3 {
				t.Errorf("%s %.1f %%: %v °C, %v; dilute limit %.2f", c.base, 100*mass, got, err, limit)
			}
		}
	}
}

// Law: below the eutectic more glycol never freezes earlier.
func TestFreezePointMonotoneToEutectic(t *testing.T) {
	for _, base := range []Base{EG, PG} {
		eutectic, lowest, err := Eutectic(base)
		if err != nil {
			t.Fatal(err)
		}
		last := measure.Celsius(1)
		for mass := 0.0; mass <= eutectic; mass += 0.001 {
			got, err := FreezePoint(base, mass)
			if err != nil || got >= last {
				t.Fatalf("%s %.1f %%: %v after %v, %v", base, 100*mass, got, last, err)
			}
			last = got
		}
		if last < lowest {
			t.Errorf("%s: %v is below the eutectic's %v", base, last, lowest)
		}
	}
}

func TestMassForInverts(t *testing.T) {
	for _, base := range []Base{EG, PG} {
		for want := -0.5; want > -50; want -= 0.7 {
			mass, err := MassFor(base, measure.Celsius(want))
			if err != nil {
				t.Fatal(err)
			}
			if got, err := FreezePoint(base, mass); err != nil || math.Abs(float64(got)-want) > 1e-6 {
				t.Errorf("%s for %g °C: %.3f freezes at %v, %v", base, want, mass, got, err)
			}
		}
	}
}

// The two branches of EG: the handbook's rows beyond the eutectic, and the lean
// mixtures that freeze at the same temperature.
func TestBothBranches(t *testing.T) {
	for _, r := range [][2]float64{{80, -46.8}, {85, -36.9}, {90, -29.8}, {95, -19.4}} {
		rich, ok := RichMassFor(EG, measure.Celsius(r[1]))
		if !ok || math.Abs(100*rich-r[0]) > 0.1 {
			t.Errorf("%g °C: rich %.2f %%, %v; handbook %g", r[1], 100*rich, ok, r[0])
		}
		lean, err := MassFor(EG, measure.Celsius(r[1]))
		if err != nil || lean >= 0.68 {
			t.Errorf("%g °C: lean %.2f %%, %v", r[1], 100*lean, err)
		}
	}
	for base, temps := range map[Base][]measure.Celsius{EG: {-10, -60, 5}, PG: {-20, -51.1}, "": {-20}} {
		for _, c := range temps {
			if rich, ok := RichMassFor(base, c); ok {
				t.Errorf("%s has a second mixture for %v: %.3f", base, c, rich)
			}
		}
	}
}

func TestOutsideTheTable(t *testing.T) {
	for _, c := range []struct {
		base Base
		mass float64
	}{{EG, -0.01}, {EG, 1.01}, {NoWater, 0.5}, {PG, 0.61}, {"", 0.5}, {"XG", 0.5}, {EG, math.NaN()}} {
		var se *StrengthError
		if got, err := FreezePoint(c.base, c.mass); !errors.As(err, &se) {
			t.Errorf("%q at %g gave %v, %v", c.base, c.mass, got, err)
		}
	}
	for _, wanted := range []measure.Celsius{1, -60, measure.Celsius(math.NaN()), -300} {
		var ce *ColdError
		if got, err := MassFor(EG, wanted); !errors.As(err, &ce) {
			t.Errorf("EG for %g °C gave %v, %v", float64(wanted), got, err)
		}
	}
	if _, err := VolumeFraction(PG, 1.2); err == nil {
		t.Error("120 % by mass was accepted")
	}
	if _, err := MassFraction("", 0.2); err == nil {
		t.Error("a mixture of nothing was accepted")
	}
	if _, _, err := Eutectic("XG"); err == nil || err.Error() == "" {
		t.Error("an unknown base has a eutectic")
	}
}

func BenchmarkFreezePoint(b *testing.B) {
	b.ReportAllocs()
	for n := 0; b.Loop(); n++ {
		if _, err := FreezePoint(EG, float64(n%600)/1000); err != nil {
			b.Fatal(err)
		}
	}
}
