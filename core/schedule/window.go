package schedule

import "math"

// share of the distribution before t: the probability that the clock has run out by then, 0 to 1.
func (c Clock) share(t float64) float64 {
	lower, upper := c.P50-c.P10, c.P90-c.P50
	switch {
	case t < c.P50:
		if lower <= 0 {
			return 0
		}
		return max(0, 0.1+0.4*(t-c.P10)/lower)
	case t == c.P50 && lower > 0 && upper > 0:
		return 0.5
	default:
		if upper <= 0 {
			return 1
		}
		return min(1, 0.5+0.4*(t-c.P50)/upper)
	}
}

// ends of the distribution: nothing runs out before the first, everything has before the last.
func (c Clock) ends() (first, last float64) {
	return c.P10 - (c.P50-c.P10)/4, c.P90 + (c.P90-c.P50)/4
}

// shareOfFirst of several independent clocks.
func shareOfFirst(clocks []Clock, t float64) float64 {
	left := 1.0
	for _, c := range clocks {
		left *= 1 - c.share(t)
	}
	return 1 - left
}

// overrun by day: the days, from the first of the range to each, on which the first clock is expected to have run out.
func overrun(clocks []Clock, days int) []float64 {
	sum := make([]float64, days+1)
	for d := range days {
		sum[d+1] = sum[d] + shareOfFirst(clocks, float64(d)+0.5)
	}
	return sum
}

// lifePieces in which the life after the range is summed (judgement: a thousandth of the sum at most).
const lifePieces = 256

// life by day: the days expected to be left of the first clock that the job renews.
func life(clocks []Clock, days int) []float64 {
	left := make([]float64, days+1)
	var renewed []Clock
	last := math.Inf(1)
	for _, c := range clocks {
		if c.Renews {
			renewed = append(renewed, c)
			_, end := c.ends()
			last = min(last, end)
		}
	}
	if len(renewed) == 0 {
		return left
	}
	if from := float64(days); last > from {
		step := (last - from) / lifePieces
		for i := range lifePieces {
			left[days] += step * (1 - shareOfFirst(renewed, from+(float64(i)+0.5)*step))
		}
	}
	for d := days - 1; d >= 0; d-- {
		left[d] = left[d+1] + 1 - shareOfFirst(renewed, float64(d)+0.5)
	}
	return left
}
