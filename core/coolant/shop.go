package coolant

import (
	"cmp"
	"math"
	"slices"

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

// smallest container that is sold, L.
const smallestContainer = 0.05

// exactly a volume in whole nanolitres: every size in litres to the microlitre, in US and in imperial units is a whole
// number of them
// (1 US gallon is 3.785411784 L, 1 imperial gallon 4.54609 L, both by definition).
func exactly(v measure.Litre) int64 { return int64(math.Round(float64(v) * 1e9)) }

// mostSteps of the common measure of all sizes that are tried one by one.
const mostSteps = 2_000_000

// Cheapest set of containers that holds at least need, computed in the containers' own unit: nothing is rounded, but
// that a microlitre
// more than what they hold is not another can. Among equally cheap ones the one with the least left over. A
// [measure.RangeError] when
// need is not 0 to 10,000 L, there is no container, or one is smaller than 50 mL or has a price that cannot be.
func Cheapest(need measure.Litre, list []Container) (Basket, error) {
	if !(need >= 0 && need <= 10_000) {
		return Basket{}, &measure.RangeError{What: "needed litres", Value: float64(need), Accepted: "0 to 10000"}
	}
	if len(list) == 0 {
		return Basket{}, &measure.RangeError{What: "containers", Value: 0, Accepted: "at least one size with its price"}
	}
	sizes := make([]int64, len(list))
	common, largest := int64(0), int64(0)
	for i, c := range list {
		if !(c.Size >= smallestContainer && c.Size <= 2000) {
			return Basket{}, &measure.RangeError{What: "container size in L", Value: float64(c.Size), Accepted: "0.05 to 2000"}
		}
		if !(c.Price >= 0 && c.Price < 1e9) {
			return Basket{}, &measure.RangeError{What: "container price", Value: c.Price, Accepted: "0 or more"}
		}
		sizes[i] = exactly(c.Size)
		largest = max(largest, sizes[i])
		for a, b := common, sizes[i]; ; a, b = b, a%b {
			if b == 0 {
				common = a
				break
			}
		}
	}
	target := max(0, exactly(need)-1000)
	b := Basket{}
	switch {
	case (target+largest)/common < mostSteps:
		b.Counts = byCommonMeasure(target, common, sizes, list)
	case target/slices.Min(sizes) <= mostCans:
		b.Counts = byFrontier(target, sizes, list)
	default:
		// More cans of mixed units than anybody buys: what is in each is rounded down to a grain of some millilitres.
		b.Counts = byCommonMeasure(target, (target+largest)/mostSteps+1, sizes, list)
	}
	for i, n := range b.Counts {
		b.Price += float64(n) * list[i].Price
		b.Bought += measure.Litre(n) * list[i].Size
	}
	b.Leftover = max(0, b.Bought-need)
	return b, nil
}

// byCommonMeasure tries every total of containers whose sizes are whole multiples of a common measure, by dynamic
// programming (the
// unbounded covering knapsack).
func byCommonMeasure(target, common int64, sizes []int64, list []Container) []int {
	steps, largest := make([]int, len(sizes)), 0
	for i, s := range sizes {
		steps[i] = int(s / common)
		largest = max(largest, steps[i])
	}
	least := int((target + common - 1) / common)
	// price[n] is the least that exactly n steps cost, last[n] the container bought last for it.
	price, last := make([]float64, least+largest), make([]int, least+largest)
	for n := 1; n < len(price); n++ {
		price[n], last[n] = math.Inf(1), -1
		for i, s := range steps {
			if n >= s && price[n-s]+list[i].Price < price[n] {
				price[n], last[n] = price[n-s]+list[i].Price, i
			}
		}
	}
	best := least
	for n := least; n < len(price); n++ {
		if price[n] < price[best]-1e-9 {
			best = n
		}
	}
	counts := make([]int, len(list))
	for n := best; n > 0; n -= steps[last[n]] {
		counts[last[n]]++
	}
	return counts
}

// Of sizes without a common measure, such as litres beside gallons: mostCans of the smallest that hold the need, and
// mostBaskets that are
// kept; beyond it every second goes.
const (
	mostCans    = 400
	mostBaskets = 5_000
)

// byFrontier keeps, container by container, the baskets of which no other holds as much for less.
func byFrontier(target int64, sizes []int64, list []Container) []int {
	type basket struct {
		volume int64
		price  float64
		counts []int
	}
	// A basket that holds enough is better when it costs less, then when less is left over; one that does not when it
	// holds more.
	prune := func(all []basket) []basket {
		slices.SortFunc(all, func(a, b basket) int { return cmp.Or(cmp.Compare(a.price, b.price), cmp.Compare(b.volume, a.volume)) })
		kept, enough := all[:0:0], -1
		most := int64(-1)
		for _, b := range all {
			switch {
			case enough >= 0 && b.price > kept[enough].price+1e-9:
				// Nothing can be added to it for less.
			case b.volume >= target:
				if enough < 0 || b.price <= kept[enough].price+1e-9 && b.volume < kept[enough].volume {
					if enough >= 0 {
						kept[enough] = b
						continue
					}
					enough = len(kept)
					kept = append(kept, b)
				}
			case b.volume > most:
				most = b.volume
				kept = append(kept, b)
			}
		}
		if len(kept) > mostBaskets {
			thinned := kept[:0:0]
			for i, b := range kept {
				if i%2 == 1 || i == enough || i == 0 {
					thinned = append(thinned, b)
				}
			}
			return thinned
		}
		return kept
	}
	all := []basket{{0, 0, make([]int, len(sizes))}}
	for i, size := range sizes {
		next := slices.Clone(all)
		for _, b := range all {
			for n := 1; b.volume < target; n++ {
				b.volume, b.price, b.counts = b.volume+size, b.price+list[i].Price, slices.Clone(b.counts)
				b.counts[i]++
				next = append(next, b)
			}
		}
		all = prune(next)
	}
	at := slices.IndexFunc(all, func(b basket) bool { return b.volume >= target })
	return all[at].counts
}

// CleanerBottles for a system of that capacity: the capacity over what one serves,
// rounded up; 1 at least.
func CleanerBottles(capacity measure.Litre) int {
	return max(1, int(math.Ceil(float64(capacity)/cleanerLitres.Value-1e-9)))
}
