package round

// A test strip is dipped, and read within a time (common practice; the bottle overrules).
const (
	StripFrom  = 15 // s after dipping, from which on it is read
	StripUntil = 60 // s after which its colours have gone on: read too late
)

// Steps of a strip's fields, as most bottles have them (common practice; the bottle overrules): a reading
// lies between a step and the next.
var (
	StripFreeze    = []float64{0, -7, -12, -18, -23, -29, -34, -40} // °C, from the warm end
	StripPH        = []float64{6.5, 7, 7.5, 8, 8.5, 9, 9.5, 10, 11}
	StripNitrite   = []float64{0, 300, 800, 1200, 1600, 2400, 3200} // ppm as NO₂
	StripMolybdate = []float64{0, 100, 300, 600, 1000}              // ppm as MoO₄
)
