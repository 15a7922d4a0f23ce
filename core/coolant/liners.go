package coolant

// Liners is what a technology means to a wet-liner diesel, whose liners cavitate
// unless the coolant keeps a film on them.
type Liners struct {
	// Approved for them: [AnswerYes] or [AnswerUnknown], which is for the engine
	// maker's list to say. Never a bare no: many nitrite-free coolants are on such lists.
	Approved Answer
	// Nitrite and Molybdate tell whether these protect the liners in it, so that
	// testing them means something.
	Nitrite, Molybdate bool
}

// LinersOf a technology: the one table that the chemistry and the compatibility rest
// on (ASTM D6210 and D4985 with supplemental additives, from memory; the engine
// maker's list overrides it).
func LinersOf(t Technology) Liners {
	switch t {
	case NOAT: // nitrited, meets D6210
		return Liners{AnswerYes, true, true}
	case IAT: // D4985 with SCA is approved, a passenger-car IAT is not
		return Liners{AnswerUnknown, true, false}
	case HOAT: // some hold nitrite, some do not
		return Liners{AnswerUnknown, true, true}
	}
	return Liners{Approved: AnswerUnknown} // nitrite-free: by the maker's list
}

// Limits of nitrite as NO₂ and molybdate as MoO₄, ppm, for wet liners (ASTM D6210,
// from memory: NO₂ of 1200 or more, or NO₂ and MoO₄ together 780 or more with 300 or
// more of each; below 800 of NO₂ alone and above 3200 common practice).
const (
	nitriteAlone, nitriteLow, nitriteHigh, nitriteMost = 1200, 800, 2400, 3200
	togetherLeast, eachLeast                           = 780, 300
)

// gradeLiners by nitrite and molybdate, nil for what was not tested. Neither stands in
// for the other by itself: an untested nitrite is not made good by a molybdate, and
// no molybdate makes up for nitrite that is gone.
func gradeLiners(t Technology, nitrite, molybdate *float64) Grade {
	both := LinersOf(t).Molybdate
	switch {
	case nitrite == nil && (molybdate == nil || !both):
		return GradeUnknown
	case nitrite == nil:
		if *molybdate < eachLeast {
			return GradeBad
		}
		return GradeUnknown
	case *nitrite > nitriteMost:
		return GradeBad
	case *nitrite > nitriteHigh:
		return GradeSoft
	case *nitrite >= nitriteAlone:
		return GradeGood
	case both && molybdate != nil && *nitrite >= eachLeast && *molybdate >= eachLeast && *nitrite+*molybdate >= togetherLeast:
		return GradeGood
	case *nitrite >= nitriteLow:
		return GradeSoft
	}
	return GradeBad
}
