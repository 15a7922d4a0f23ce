// Package digital is the simulated digital refractometer: readings with noise, drift and drop-outs. It
// runs on the device, where a real one would be connected, and knows what the books say is inside.
package digital

import (
	"errors"
	"math"
	"math/rand/v2"

	"diligentledger/core/measure"
)

// How the simulated instrument errs (made up).
const (
	noise    = 0.4  // K, standard deviation of a reading
	drift    = 0.05 // K warmer with each reading, until it is zeroed
	dropOuts = 0.12 // share of the readings that fail
)

// ErrNoReading says that the instrument gave none: it is read again.
var ErrNoReading = errors.New("the refractometer gave no reading: wipe the prism and read again")

// Read the instrument of a seed for the nth time since it was zeroed, on a coolant that freezes at truth, °C.
// The same seed and n give the same reading, to a tenth of a kelvin. [ErrNoReading] for a drop-out.
func Read(seed uint64, n int, truth measure.Celsius) (measure.Celsius, error) {
	rng := rand.New(rand.NewPCG(seed, uint64(n)))
	if rng.Float64() < dropOuts {
		return 0, ErrNoReading
	}
	shown := float64(truth) + noise*rng.NormFloat64() + drift*float64(n)
	return measure.Celsius(math.Min(0, math.Round(shown*10)/10)), nil
}
