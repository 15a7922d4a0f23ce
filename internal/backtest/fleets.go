package backtest

import (
	"fmt"
	"math"
	"math/rand/v2"
	"time"

	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/usage"
)

// History is a meter as it truly ran, a value for each day, and as it was read.
type History struct {
	Name     string
	Profile  usage.Profile
	Start    time.Time
	True     []float64 // at the end of each day
	Readings []ledger.MeterPoint
}

// Rule makes a synthetic history that the model knows nothing of.
type Rule struct {
	Name string
	make func(rng *rand.Rand, days int) (use []float64, profile usage.Profile)
	// mistyped is the share of readings with a digit wrong.
	mistyped float64
	// replaced: the meter is replaced once in a life. The ledger runs it on before
	// the model sees it; a spreadsheet does not.
	replaced bool
}

// Rules of the synthetic fleets: each unit a life of its own, none of it made by
// the model's own formula.
var Rules = []Rule{
	{Name: "steady", make: steady},
	{Name: "seasonal", make: seasonal},
	{Name: "regime change", make: regime},
	{Name: "vacations", make: vacations},
	{Name: "mistyped 1 %", make: steady, mistyped: 0.01},
	{Name: "all at once", make: func(rng *rand.Rand, days int) ([]float64, usage.Profile) {
		use, profile := seasonal(rng, days)
		other, _ := vacations(rng, days)
		turn := days/3 + rng.IntN(days/3)
		for d := range use {
			if other[d] == 0 {
				use[d] = 0
			}
			if d > turn {
				use[d] *= 1.7
			}
		}
		return use, profile
	}, mistyped: 0.01},
	{Name: "mixed, vacations", make: away(mixed)},
	{Name: "mixed, mistyped", make: mixed, mistyped: 0.01},
	{Name: "mixed, new meter", make: mixed, replaced: true},
}

// mixed lives: a third each steady, seasonal, and with changes of use.
func mixed(rng *rand.Rand, days int) ([]float64, usage.Profile) {
	return []func(*rand.Rand, int) ([]float64, usage.Profile){steady, seasonal, regime}[rng.IntN(3)](rng, days)
}

// away is a life with vacations.
func away(life func(*rand.Rand, int) ([]float64, usage.Profile)) func(*rand.Rand, int) ([]float64, usage.Profile) {
	return func(rng *rand.Rand, days int) ([]float64, usage.Profile) {
		use, profile := life(rng, days)
		other, _ := vacations(rng, days)
		rest(use, other)
		return use, profile
	}
}

// rest is where the other rests, week-ends apart.
func rest(use, other []float64) {
	for d := range use {
		if d >= 3 && d+3 < len(use) && other[d] == 0 && other[d-3] == 0 && other[d+3] == 0 {
			use[d] = 0
		}
	}
}

// steady use: weekdays and weekends, and good and bad weeks.
func steady(rng *rand.Rand, days int) ([]float64, usage.Profile) {
	rate := 15 + 60*rng.Float64()
	use := make([]float64, days)
	week := 1.0
	for d := range use {
		if d%7 == 0 {
			week = math.Exp(0.35 * rng.NormFloat64())
		}
		if d%7 < 5 {
			use[d] = rate * 1.4 * week * (0.4 + 1.2*rng.Float64())
		}
	}
	return use, usage.EvenProfile
}

// seasonal use: asleep from November to March, busiest in July, in some years a week
// or two sooner, in others later.
func seasonal(rng *rand.Rand, days int) ([]float64, usage.Profile) {
	use, _ := steady(rng, days)
	sooner := 0.0
	for d := range use {
		day := start.AddDate(0, 0, d)
		if day.YearDay() == 1 || d == 0 {
			sooner = 7 * rng.NormFloat64()
		}
		month := day.AddDate(0, 0, int(math.Round(sooner))).Month()
		factor := 0.0
		if month >= time.April && month <= time.October {
			factor = 1.2 + 0.8*math.Cos(2*math.Pi*(float64(month)-7)/12)
		}
		use[d] *= factor
	}
	return use, usage.SummerProfile
}

// regime change: once or twice the unit is given another round.
func regime(rng *rand.Rand, days int) ([]float64, usage.Profile) {
	use, profile := steady(rng, days)
	factor := 1.0
	for d := range use {
		if d > 200 && rng.Float64() < 1.0/600 {
			factor = 0.4 + 2*rng.Float64()
		}
		use[d] *= factor
	}
	return use, profile
}

// vacations: three weeks in summer and a fortnight now and then.
func vacations(rng *rand.Rand, days int) ([]float64, usage.Profile) {
	use, profile := steady(rng, days)
	for d := 0; d < days; d++ {
		length := 0
		if day := start.AddDate(0, 0, d); day.Month() == time.July && day.Day() == 10 {
			length = 21
		} else if rng.Float64() < 1.0/240 {
			length = 14
		}
		for ; length > 0 && d < days; length, d = length-1, d+1 {
			use[d] = 0
		}
	}
	return use, profile
}

var start = time.Date(2020, 1, 6, 0, 0, 0, 0, time.UTC)

// Make n histories by a rule, read every month or so and sometimes not at all.
func (r Rule) Make(seed uint64, n, days int) []History {
	var all []History
	for i := range n {
		rng := rand.New(rand.NewPCG(seed, uint64(i)))
		use, profile := r.make(rng, days)
		h := History{Name: r.Name, Profile: profile, Start: start, True: make([]float64, days)}
		sum := 1000 * rng.Float64()
		for d, v := range use {
			sum += v
			h.True[d] = sum
		}
		gap := 20 + rng.IntN(40)
		var entries []ledger.Entry
		write := func(day int, b ledger.Body) {
			entries = append(entries, ledger.Entry{ID: fmt.Sprint(len(entries)), At: start.AddDate(0, 0, day+1), Body: b})
		}
		km := func(v float64) measure.Reading { return measure.Reading{Value: math.Round(v), Unit: measure.Km} }
		change, old := days, 0.0
		if r.replaced {
			change = days/4 + rng.IntN(days/2)
		}
		for d := rng.IntN(gap); d < days; d += gap/2 + rng.IntN(gap) {
			if d >= change {
				old = h.True[change]
				seen := km(old)
				write(change, ledger.MeterChange{Old: &seen, New: km(0)})
				change = days
			}
			read := h.True[d] - old
			if rng.Float64() < r.mistyped {
				read = mistype(rng, math.Round(read))
			}
			write(d, ledger.Meter{Meter: km(read)})
		}
		h.Readings = ledger.Fold(ledger.Unit{Meter: measure.Distance, Capacity: 1}, entries).Readings
		all = append(all, h)
	}
	return all
}

// mistype gives a digit too many, or one digit wrong.
func mistype(rng *rand.Rand, read float64) float64 {
	if rng.IntN(2) == 0 {
		return read*10 + float64(rng.IntN(10))
	}
	place := math.Pow10(rng.IntN(4))
	return math.Max(0, read+place*float64(rng.IntN(9)-4))
}
