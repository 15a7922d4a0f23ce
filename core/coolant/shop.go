package coolant

import (
	"math"

	"diligentledger/core/measure"
)

// Container is a can or drum on the price list.
type Container struct {
	Size  measure.Litre
	Price float64 // in whatever money; 0 or more
}

// Basket is how many of each container to take, in the order given.
type Basket struct {
	Counts   []int
	Price    float64
	Bought   measure.Litre
	Leftover measure.Litre
}

// shopStep is the grain in litres to which sizes are computed: 50 mL. What is
// needed is rounded up to it and what is in a can down.
const shopStep = 0.05

// Cheapest set of containers that holds at least need; among equally cheap ones
// the one with the least left over. It tries every total by dynamic programming
// (the unbounded covering knapsack). A [measure.RangeError] when need is not 0
// to 10,000 L, there is no container, or one is smaller than 50 mL or has a
// price that cannot be.
func Cheapest(need measure.Litre, list []Container) (Basket, error) {
	if !(need >= 0 && need <= 10_000) {
		return Basket{}, &measure.RangeError{What: "needed litres", Value: float64(need), Accepted: "0 to 10000"}
	}
	if len(list) == 0 {
		return Basket{}, &measure.RangeError{What: "containers", Value: 0, Accepted: "at least one size with its price"}
	}
	largest := 0
	steps := make([]int, len(list))
	for i, c := range list {
		if !(c.Size >= shopStep && c.Size <= 2000) {
			return Basket{}, &measure.RangeError{What: "container size in L", Value: float64(c.Size), Accepted: "0.05 to 2000"}
		}
		if !(c.Price >= 0 && c.Price < 1e9) {
			return Basket{}, &measure.RangeError{What: "container price", Value: c.Price, Accepted: "0 or more"}
		}
		steps[i] = int(math.Floor(float64(c.Size)/shopStep + 1e-6))
		largest = max(largest, steps[i])
	}
	target := int(math.Ceil(float64(need)/shopStep - 1e-6))
	// price[n] is the least that exactly n steps cost, last[n] the container
	// bought last for it.
	price, last := make([]float64, target+largest), make([]int, target+largest)
	for n := 1; n < len(price); n++ {
		price[n], last[n] = math.Inf(1), -1
		for i, s := range steps {
			if n >= s && price[n-s]+list[i].Price < price[n] {
				price[n], last[n] = price[n-s]+list[i].Price, i
			}
		}
	}
	best := target
	for n := target; n < len(price); n++ {
		if price[n] < price[best]-1e-9 {
			best = n
		}
	}
	b := Basket{Counts: make([]int, len(list)), Price: price[best]}
	for n := best; n > 0; n -= steps[last[n]] {
		b.Counts[last[n]]++
		b.Bought += list[last[n]].Size
	}
	b.Leftover = b.Bought - need
	return b, nil
}

// CleanerBottles for a system of that capacity: the capacity over what one serves,
// rounded up; 1 at least.
func CleanerBottles(capacity measure.Litre) int {
	return max(1, int(math.Ceil(float64(capacity)/cleanerLitres.Value-1e-9)))
}
