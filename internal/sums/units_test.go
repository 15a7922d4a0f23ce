package sums

import (
	"math"
	"strconv"
	"strings"
	"testing"

	"diligentledger/core/measure"
)

// What was typed is converted when the units are switched, and means the same.
func TestConvert(t *testing.T) {
	for _, c := range []struct {
		question, field, text string
		from, to              Units
		want                  string
	}{
		{"target", "capacity", "8 L", Metric, US, "8.45 US qt"},
		{"target", "capacity", "8", Metric, US, "8.45"},
		{"target", "capacity", "2 gal", US, Metric, "7.57 L"},
		{"target", "capacity", "8", Metric, Imperial, "7.04"},
		{"target", "night", "-24", Metric, US, "-11.2"},
		{"target", "night", "-24 C", Metric, US, "-11.2 °F"},
		{"target", "night", "-24", Metric, Imperial, "-24"},
		{"target", "strength", "50 %", Metric, US, "50 %"},
		{"target", "strength", "-37", Metric, US, "-34.6"},
		{"protects", "margin", "3", Metric, US, "5.4"},
		{"protects", "margin", "9 °F", US, Metric, "5"},
		{"protects", "margin", "5 K", US, Metric, "5"},
		{"boil", "rated", "103 kPa", Metric, US, "14.9 psi"},
		{"boil", "altitude", "0 m", Metric, US, "0 ft"},
		{"reading", "chart", "-10; -22; -34", US, Metric, "-23.3; -30; -36.7"},
		{"reading", "chart", "-7 -15 -23", Metric, US, "19.4; 5; -9.4"},
		{"buy", "concentrate", "1 L 11; 5 L 48", Metric, US, "1.06 US qt 11; 5.28 US qt 48"},
		{"buy", "capacity", "nonsense", Metric, US, "nonsense"},
		{"chemistry", "ph", "8.4", Metric, US, "8.4"},
		{"protects", "base", "EG", Metric, US, "EG"},
		{"protects", "capacity", "8", Metric, US, "8.45"}, // given for another question
		{"protects", "no such field", "8", Metric, US, "8"},
	} {
		if got := Convert(c.question, c.from, c.to, measure.EitherMark, map[string]string{c.field: c.text})[c.field]; got != c.want {
			t.Errorf("%s %s %q from %s to %s: %q, want %q", c.question, c.field, c.text, c.from, c.to, got, c.want)
		}
	}
}

// Every question gives the same answer to its initial values in each system of units, within what
// rounding them leaves: as they are shown, they are what is asked.
func TestInitialsMeanTheSame(t *testing.T) {
	for _, q := range Questions() {
		for _, units := range []Units{US, Imperial} {
			given := map[string]string{}
			for _, f := range q.Fields {
				if f.Of == "" {
					if unit, initial := f.Unit(units), f.InitialIn(units); unit != "" || initial != f.Initial {
						t.Errorf("%s: %s begins with %q %s", q.Name, f.Label, initial, unit)
					}
					continue
				}
				given[f.Name] = f.InitialIn(units)
				if unit := f.Unit(units); unit == "" || f.Shape == "" && !strings.Contains(unit, figures{units}.usual(f.Of).Symbol()) {
					t.Errorf("%s: the unit of %s is %q", q.Name, f.Label, unit)
				}
			}
			if _, err := Ask(q.Name, units, given); err != nil {
				t.Errorf("%s in %s units: %v", q.Name, units, err)
			}
		}
	}
}

// In US units a bare margin is of °F, and a margin is written in °F.
func TestMarginInFahrenheit(t *testing.T) {
	ask := func(units Units, margin string) string {
		r, err := Ask("protects", units, map[string]string{"strength": "-34 F", "night": "-26 F", "margin": margin})
		if err != nil {
			t.Fatalf("%s: %v", margin, err)
		}
		return strings.ReplaceAll(r.Headline, "\u00a0", " ")
	}
	for _, c := range []struct{ margin, want string }{{"7", "Good"}, {"9", "Too small"}, {"4 K", "Good"}, {"5 K", "Too small"}, {"7 F", "Good"}, {"9 °F", "Too small"}} {
		if got := ask(US, c.margin); !strings.Contains(got, c.want) {
			t.Errorf("a margin of %s: %s, want %s", c.margin, got, c.want)
		}
	}
	if _, err := Ask("protects", US, map[string]string{"margin": "60"}); err == nil || !strings.Contains(err.Error(), "0 to 54 °F") {
		t.Errorf("60 °F: %v", err)
	}
}

// Law: a figure that is converted and converted back is the same to the rounding of both.
func FuzzConvert(f *testing.F) {
	f.Add(8.0)
	f.Add(-37.0)
	f.Fuzz(func(t *testing.T, v float64) {
		if math.IsNaN(v) || math.Abs(v) > 1e6 {
			return
		}
		text := strconv.FormatFloat(math.Round(v*10)/10, 'f', -1, 64)
		for field, d := range map[string]measure.Dimension{"capacity": measure.Volume, "night": measure.Temperature} {
			there := Convert("target", Metric, US, measure.EitherMark, map[string]string{field: text})
			back := Convert("target", US, Metric, measure.EitherMark, there)[field]
			got, err := strconv.ParseFloat(back, 64)
			want, err2 := strconv.ParseFloat(text, 64)
			if err != nil || err2 != nil || math.Abs(got-want) > 0.15 {
				t.Errorf("%s of %s is %q there and %q back (%v)", text, d, there[field], back, err)
			}
		}
	})
}
