package words

import (
	"testing"
	"time"

	"diligentledger/core/measure"
	"diligentledger/core/register"
)

// Every fact has a label and every group a heading; a fact that the books are computed from says what
// is not known without it, unless not to know it is safe.
func TestFieldsHaveWords(t *testing.T) {
	safe := map[string]bool{"required_technology": true, "listed": true, "premix_only": true, "silicate_free": true}
	for _, of := range register.Records {
		for _, f := range register.Fields(of, "") {
			label, _, blocks := Field(of, f.Code)
			if label == "" || GroupName(f.Group) == "" {
				t.Errorf("%s of a %s has no words", f.Code, of)
			}
			if f.Dated && blocks == "" && !safe[f.Code] {
				t.Errorf("%s does not say what is not known without it", f.Code)
			}
		}
	}
}

func TestFact(t *testing.T) {
	us := Reader{measure.DegF, measure.USQt, measure.Psi, measure.Mi, MonthDayYear, measure.EitherMark}
	for _, c := range []struct {
		r           Reader
		field, text string
		want        string
	}{
		{Metric, "capacity", "8.5 US qt", "8.5\u00a0US qt (8.0\u00a0L)"},
		{us, "capacity", "8.5 US qt", "8.5\u00a0US qt"},
		{us, "cap", "108 kPa", "108\u00a0kPa (15.7\u00a0psi)"},
		{Metric, "fill", "vacuum,hose", "vacuum, through the upper hose"},
		{Metric, "cold_offset", "-5", "−5"},
		{Metric, "name", "two words", "two words"},
	} {
		f, _ := register.FieldOf(register.Unit, c.field)
		if got := c.r.Fact(f, c.text); got != c.want {
			t.Errorf("%s %q: %q, want %q", c.field, c.text, got, c.want)
		}
	}
	lines := Metric.Difference(register.Unit, register.Facts{"capacity": "8 L", "make": ""}, register.Facts{"capacity": "9 L", "make": "Norrow"})
	if len(lines) != 2 || lines[0] != "make: Norrow" || lines[1] != "capacity: 9\u00a0L, before 8\u00a0L" {
		t.Errorf("%q", lines)
	}
	if got := us.Left("sold", measure.NewDate(2026, time.May, 3)); got != "sold on 05/03/2026" {
		t.Error(got)
	}
}
