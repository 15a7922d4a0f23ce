package coolant

import (
	"math"
	"testing"
)

// The table of technology and wet liners, and the grades that rest on it: by hand from
// the limits of ASTM D6210, from memory.
func TestLiners(t *testing.T) {
	for technology, want := range map[Technology]Liners{
		NOAT: {AnswerYes, true, true}, IAT: {AnswerUnknown, true, false}, HOAT: {AnswerUnknown, true, true}, OAT: {Approved: AnswerUnknown},
	} {
		if got := LinersOf(technology); got != want {
			t.Errorf("%s: %+v, want %+v", technology, got, want)
		}
	}
	ppm := func(v float64) *float64 { return &v }
	for name, c := range map[string]struct {
		of                 Technology
		nitrite, molybdate *float64
		want               Grade
	}{
		"nothing tested":                            {NOAT, nil, nil, GradeUnknown},
		"little molybdate, nitrite not tested":      {NOAT, nil, ppm(50), GradeBad},
		"enough molybdate, nitrite not tested":      {NOAT, nil, ppm(800), GradeUnknown},
		"molybdate means nothing in it":             {IAT, nil, ppm(800), GradeUnknown},
		"both together":                             {NOAT, ppm(400), ppm(400), GradeGood},
		"both together, in one that has no such":    {IAT, ppm(400), ppm(400), GradeBad},
		"nitrite alone":                             {IAT, ppm(1300), nil, GradeGood},
		"nitrite low":                               {HOAT, ppm(900), nil, GradeSoft},
		"nitrite gone, much molybdate":              {NOAT, ppm(50), ppm(900), GradeBad},
		"far too much nitrite":                      {NOAT, ppm(4000), nil, GradeBad},
		"more nitrite than wanted":                  {NOAT, ppm(2600), nil, GradeSoft},
		"together just below what the two must be":  {NOAT, ppm(389), ppm(390), GradeBad},
		"one of the two below what each must be":    {NOAT, ppm(299), ppm(900), GradeBad},
		"molybdate of a nitrite-free, wet liners":   {OAT, nil, ppm(900), GradeUnknown},
		"little molybdate of a nitrite-free likens": {OAT, nil, ppm(50), GradeUnknown},
	} {
		if got := gradeLiners(c.of, c.nitrite, c.molybdate); got != c.want {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
	}
}

// A product too weak for its target is told, with the glycol that one would need. By
// hand: of 10 L of 50 %, 5 L are replaced; (0.5·5 + x·5)/10 = 0.55 wants x = 0.60, but for
// the little that volumes shrink.
func TestNeededGlycol(t *testing.T) {
	p, err := Correct(CorrectionTask{Present: charge(t, 10, .5), Capacity: 10, Drainable: 5, Target: .55, Base: EG, Additives: []float64{.45}})
	if err != nil {
		t.Fatal(err)
	}
	if p.Reached || len(p.Passes) > 0 || math.Abs(p.NeededGlycol-0.60) > 0.01 {
		t.Errorf("%+v", p)
	}
}
