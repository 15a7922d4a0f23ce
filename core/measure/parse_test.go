package measure

import (
	"errors"
	"math"
	"strings"
	"testing"
)

func TestParse(t *testing.T) {
	for _, c := range []struct {
		text  string
		dim   Dimension
		usual Unit
		want  Reading
	}{
		{"2.2 qt", Volume, L, Reading{2.2, USQt}}, {"2.2qt", Volume, ImpGal, Reading{2.2, ImpQt}}, {"-34 F", Temperature, DegC, Reading{-34, DegF}},
		{"15 psi", Pressure, KPa, Reading{15, Psi}}, {"−37", Temperature, DegC, Reading{-37, DegC}}, {" -34 °F ", Temperature, DegC, Reading{-34, DegF}},
		{"8,2", Volume, L, Reading{8.2, L}}, {"500 ml", Volume, L, Reading{500, ML}}, {"1.5 imp. gal", Volume, L, Reading{1.5, ImpGal}},
		{"50%", Share, Percent, Reading{50, Percent}}, {"50 %", Share, Percent, Reading{50, Percent}}, {"5000 ft", Altitude, Metre, Reading{5000, Foot}},
		{"30000 miles", Distance, Km, Reading{30000, Mi}}, {"3 gallons", Volume, L, Reading{3, USGal}}, {".5", Volume, L, Reading{.5, L}},
		{"+4 bar", Pressure, KPa, Reading{4, Bar}}, {"250 hrs", EngineTime, H, Reading{250, H}}, {"8.5", Plain, One, Reading{8.5, One}},
		// Thousands, fractions, signs and parts.
		{"30 000", Distance, Km, Reading{30000, Km}}, {"48\u2009000 km", Distance, Km, Reading{48000, Km}}, {"30'000", Distance, Km, Reading{30000, Km}}, {"30’000 mi", Distance, Km, Reading{30000, Mi}},
		{"1,234,567", Distance, Km, Reading{1234567, Km}}, {"1,234.5 L", Volume, L, Reading{1234.5, L}}, {"1.234,5", Volume, L, Reading{1234.5, L}}, {"1 234,5 L", Volume, L, Reading{1234.5, L}},
		{"0,125 L", Volume, L, Reading{.125, L}}, {"1.070", Density, Relative, Reading{1.07, Relative}}, {"1,5", Volume, L, Reading{1.5, L}}, {"1,2345", Volume, L, Reading{1.2345, L}},
		{"1/2 gal", Volume, L, Reading{.5, USGal}}, {"½ gal", Volume, L, Reading{.5, USGal}}, {"1 1/2 qt", Volume, L, Reading{1.5, USQt}}, {"2½ gal", Volume, ImpQt, Reading{2.5, ImpGal}},
		{"- 34 F", Temperature, DegC, Reading{-34, DegF}}, {"− 34", Temperature, DegC, Reading{-34, DegC}}, {"–12 C", Temperature, DegF, Reading{-12, DegC}},
		{"2 qt 1 pt", Volume, L, Reading{2.5, USQt}}, {"1 gal 2 qt", Volume, L, Reading{1.5, USGal}}, {"3 pt", Volume, ImpQt, Reading{1.5, ImpQt}}, {"9 lbf·ft", Torque, NewtonMetre, Reading{9, FootPound}},
		{"0.3 V", Voltage, Volt, Reading{.3, Volt}}, {"5 US qt", Volume, L, Reading{5, USQt}},
	} {
		if got, err := Parse(c.text, c.dim, c.usual); err != nil || got != c.want {
			t.Errorf("%q: %+v, %v; want %+v", c.text, got, err, c.want)
		}
	}
	for _, c := range []struct {
		text string
		dim  Dimension
	}{
		{"8 2", Volume}, {"8 L 2", Volume}, {"2 2/0 qt", Volume}, {"1.5 1/2", Volume}, {"2 qt -1 pt", Volume}, {"3 C 4 C", Temperature}, {"1,23,456", Distance}, {"1.2,3.4", Volume}, {"30 00", Distance},
		{"50%%", Share}, {"", Volume}, {"qt", Volume}, {"2 2 qt", Volume}, {"1,000,5", Volume}, {"1.2.3", Volume}, {"NaN", Volume}, {"inf", Volume},
		{"--3", Temperature}, {"-", Temperature}, {"3 F", Volume}, {"3 L", Temperature}, {"1e5", Volume}, {"0x10", Volume}, {"5 V", Plain}, {"٣", Plain}, {"3-", Plain},
	} {
		var pe *ParseError
		if got, err := Parse(c.text, c.dim, ""); !errors.As(err, &pe) || pe.Text != c.text {
			t.Errorf("%q as %s: %+v, %v", c.text, c.dim, got, err)
		}
	}
}

// A comma or a point before exactly three digits at the end may be meant either way: it is asked
// about, and both are said, each as it can be read one way alone.
func TestParseAsks(t *testing.T) {
	for _, c := range []struct {
		text     string
		dim      Dimension
		accepted string
	}{
		{"30,000", Distance, "30000 or 30:"}, {"1,500 m", Altitude, "1500 m or 1.5 m"}, {"5,280 ft", Altitude, "5280 ft or 5.28 ft"},
		{"1,000 L", Volume, "1000 l or 1 l"}, {"-1,000", Length, "-1000 or -1:"},
		{"12.500 km", Distance, "12500 km or 12.5 km"}, {"12.500", EngineTime, "12500 or 12.5"}, {"12.345", Distance, "12345 or 12.3450"}, {"1.250 m", Altitude, "1250 m or 1.25 m"},
		{"1.250", Plain, "1250 or 1.25"}, {"1.136 imp gal", Volume, "1136 imp gal or 1.1360 imp gal"}, {"15.000 psi", Pressure, "15000 psi or 15 psi"}, {"2.500 gal", Volume, "2500 gal or 2.5 gal"},
	} {
		var pe *ParseError
		if _, err := Parse(c.text, c.dim, Units(c.dim)[0]); !errors.As(err, &pe) || !strings.HasPrefix(pe.Accepted(), c.accepted) || len(pe.Suggestions) != 2 {
			t.Errorf("%q: %v", c.text, err)
		}
	}
}

// Whatever is typed gives an error or a finite number of a unit of the wanted
// kind, and writing that out again reads the same.
func FuzzParse(f *testing.F) {
	for _, s := range []string{"30,000", "1 234.5 L", "½ gal", "2 qt 1 pt", "- 34 F", "1,234,567", "1'000", "2.2 qt", "-34 F", "50%%", "1,5 imp gal", "−37 °C", "9999999999999999999999", "1.5.2"} {
		f.Add(s)
	}
	dims := []Dimension{Temperature, Volume, Distance, EngineTime, Pressure, Altitude, Share, Voltage, Plain}
	f.Fuzz(func(t *testing.T, text string) {
		for _, d := range dims {
			usual := Units(d)[0]
			got, err := Parse(text, d, usual)
			if err != nil {
				if err.Error() == "" {
					t.Fatal("a refusal without a word")
				}
				continue
			}
			if math.IsNaN(got.Value) || math.IsInf(got.Value, 0) || got.Unit.Dimension() != d {
				t.Fatalf("%q as %s: %+v", text, d, got)
			}
			if math.Abs(got.Value) > 1e15 || got.Value != 0 && math.Abs(got.Value) < 1e-4 {
				continue // String writes these with an exponent, which no one types
			}
			if math.Abs(got.Value) >= 1e6 {
				continue
			}
			if again, err := ReadStored(got.String(), d, usual); err != nil || again.Unit != got.Unit || math.Abs(again.Value-got.Value) > 1e-9*math.Abs(got.Value) {
				t.Fatalf("%q read as %+v, written %q, read as %+v, %v", text, got, got.String(), again, err)
			}
		}
	})
}

// What settles a point or a comma before three digits: the person's own format, and what the dimension can have at all.
func TestParseSettled(t *testing.T) {
	for _, c := range []struct {
		text   string
		format NumberFormat
		d      Dimension
		want   float64
	}{
		{"12.500 km", PointDecimals, Distance, 12.5}, {"12,500 km", PointDecimals, Distance, 12500}, {"12.500 km", CommaDecimals, Distance, 12500}, {"12,500 km", CommaDecimals, Distance, 12.5},
		{"12,5", PointDecimals, Volume, 12.5}, {"12.5", CommaDecimals, Volume, 12.5}, {"1.250.000", CommaDecimals, Distance, 1.25e6}, {"1,250.5", CommaDecimals, Distance, 1250.5},
		{"-12.500", EitherMark, Temperature, -12.5}, {"12,500 %", EitherMark, Share, 12.5}, {"1.070", EitherMark, Density, 1.07}, {"1,070", EitherMark, Density, 1.07},
		{"24.500", EitherMark, Sugar, 24.5}, {"1.250 V", EitherMark, Voltage, 1.25}, {"3.000", EitherMark, Count, 3}, {"0.125", EitherMark, Distance, .125}, {"0,125", EitherMark, Distance, .125},
	} {
		if r, err := c.format.Parse(c.text, c.d, Units(c.d)[0]); err != nil || r.Value != c.want {
			t.Errorf("%q as %s by format %q: %+v, %v; want %v", c.text, c.d, c.format, r, err, c.want)
		}
	}
	for _, text := range []string{"12.500", "-12.345", "1.136"} {
		r, err := ReadStored(text, Distance, Km)
		if err != nil {
			t.Fatal(err)
		}
		again, err := Parse(Unambiguous(r.Value), Distance, Km)
		if err != nil || again != r {
			t.Errorf("%s is stored, written %s, read %+v, %v", text, Unambiguous(r.Value), again, err)
		}
	}
	if _, err := ReadStored("12,500", Distance, Km); err == nil {
		t.Error("a stored text with a comma before three digits is read")
	}
}
