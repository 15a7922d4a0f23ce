package coolant

import "gonum.org/v1/gonum/interp"

// row is one line of a table over the mass fraction of glycol.
type row struct{ mass, value float64 }

// Freeze points in °C: ASHRAE Handbook Fundamentals, tables of the properties
// of aqueous glycol solutions, recalled from memory.
//
// For EG the handbook says no more than "below −50 °C" between 65 and 75 %;
// the three rows there are ours, a smooth turn through the eutectic at 68 %
// (common practice puts it at 68 to 70 %). Pure EG: CRC Handbook.
var freezeEG = []row{
	{0, 0}, {.05, -1.4}, {.10, -3.2}, {.15, -5.4}, {.20, -7.8}, {.25, -10.7}, {.30, -14.1},
	{.35, -17.9}, {.40, -22.3}, {.45, -27.5}, {.50, -33.8}, {.55, -41.1}, {.60, -48.3},
	{.65, -52.0}, {.68, -52.8}, {.75, -50.6},
	{.80, -46.8}, {.85, -36.9}, {.90, -29.8}, {.95, -19.4}, {1, -12.9},
}

// For PG the handbook's rows at 5 and 10 % lie 0.3 and 0.6 K below what the
// cryoscopic constant of water allows. The rows here lean towards that limit
// by at most 0.15 K, and the row at 9 % keeps the curve near it until there.
var freezePG = []row{
	{0, 0}, {.05, -1.48}, {.09, -2.71}, {.10, -3.16}, {.15, -5.1}, {.20, -7.1}, {.25, -9.6}, {.30, -12.7},
	{.35, -16.4}, {.40, -21.1}, {.45, -26.7}, {.50, -33.5}, {.55, -41.6}, {.60, -51.1},
}

// Densities at 20 °C in kg/L. EG: CRC Handbook of Chemistry and Physics,
// concentrative properties of aqueous solutions, to 60 %; above, and for PG,
// makers' engineering tables; all recalled from memory, good to 0.002 kg/L.
var densityEG = []row{
	{0, .9982}, {.10, 1.0108}, {.20, 1.0241}, {.30, 1.0378}, {.40, 1.0514}, {.50, 1.0645},
	{.60, 1.0765}, {.70, 1.0868}, {.80, 1.0964}, {.90, 1.1054}, {1, 1.1135},
}

var densityPG = []row{
	{0, .9982}, {.10, 1.0064}, {.20, 1.0147}, {.30, 1.0230}, {.40, 1.0305}, {.50, 1.0364},
	{.60, 1.0400}, {.70, 1.0412}, {.80, 1.0410}, {.90, 1.0390}, {1, 1.0361},
}

// curve is what is known of a base, fitted once when the package is loaded and
// only read afterwards; safe for concurrent use.
type curve struct {
	freeze, density interp.FritschButland
	eutectic, max   float64
}

func (c *curve) maxOrZero() float64 {
	if c == nil {
		return 0
	}
	return c.max
}

// Waterless coolants are glycols without water: they are taken as dense as EG, good to
// 0.03 kg/L (common practice). Their freeze points are in no table.
var curveEG, curvePG, curveNoWater = newCurve(freezeEG, densityEG), newCurve(freezePG, densityPG), newCurve(freezeEG, densityEG)

func curveOf(b Base) *curve {
	switch b {
	case EG:
		return curveEG
	case PG:
		return curvePG
	case NoWater:
		return curveNoWater
	}
	return nil
}

func newCurve(freeze, density []row) *curve {
	c := &curve{max: freeze[len(freeze)-1].mass}
	lowest := 0.0
	for _, r := range freeze {
		if r.value < lowest {
			lowest, c.eutectic = r.value, r.mass
		}
	}
	fit(&c.freeze, freeze)
	fit(&c.density, density)
	return c
}

// fit panics when the rows are not in ascending order: the tables above are
// part of the program.
func fit(into *interp.FritschButland, rows []row) {
	xs, ys := make([]float64, len(rows)), make([]float64, len(rows))
	for i, r := range rows {
		xs[i], ys[i] = r.mass, r.value
	}
	if err := into.Fit(xs, ys); err != nil {
		panic(err)
	}
}
