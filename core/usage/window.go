package usage

import (
	"math"
	"slices"
	"time"

	"gonum.org/v1/gonum/stat/distuv"

	"diligentledger/core/measure"
)

// Z90 is the normal quantile of a window's ends, P10 and P90.
const Z90 = 1.2815515655446004

// tQuantile is the 90th percentile of Student's t by degrees of freedom.
var tQuantile = func() (t [40]float64) {
	for df := 1; df < len(t); df++ {
		t[df] = distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(df)}.Quantile(0.9)
	}
	t[0] = t[1]
	return t
}()

// width of the window, as a logarithm: the use over w days of average use, in d
// days, is less or more than the likely one by e to this power (see stretched), one
// time in ten each. It holds the doubt of the rate, the days to come and the season; and that
// the use may change meanwhile, which is a mixture: either nothing changes, or
// much. For that the tails of both are added up, the one with most of it settling
// where the tenth lies.
func (u *Model) width(w, d float64) float64 {
	drift := driftPerYear * math.Sqrt(d/365)
	seasons := u.SeasonRange * seasonDays * (1 + seasonFew/math.Max(1, float64(u.Seasons))) / math.Max(w, 3)
	core := math.Sqrt(u.rateError*u.rateError + u.noise*u.noise/math.Max(w, 3) + drift*drift + seasons*seasons)
	changed := 1 - math.Exp(-u.hazard*d/365)
	// The share of those that change that lie beyond the tenth, on the one side or the other
	// (set so that the windows of the backtest hold).
	const beyond = 0.63
	t := tQuantile[min(len(tQuantile)-1, max(1, u.Segments))] / Z90
	tail := (0.1 - beyond*changed) / (1 - changed)
	if tail > 0.01 {
		return core * t * -distuv.UnitNormal.Quantile(tail)
	}
	wide := math.Hypot(core, changeSpread*partialChange)
	return math.Max(core*t*2.326, wide*-distuv.UnitNormal.Quantile(math.Min(0.1/changed, 0.5)))
}

// partialChange: a change that comes on any of the days ahead moves their use by so much
// of itself (the root mean square of a share between nought and one).
const partialChange = 0.577

// spreadFactor is e to the power of a width, and beyond a half goes on straight: over
// a few days of use the noise adds up and does not multiply.
func spreadFactor(width float64) float64 {
	const half = 0.5
	if width <= half {
		return math.Exp(width)
	}
	return math.Exp(half) * (1 + width - half)
}

// At gives the meter at t, with the ends of its window. False when unknown.
func (u *Model) At(t time.Time) (low, likely, high float64, ok bool) {
	if !u.Known {
		return 0, 0, 0, false
	}
	if !t.After(u.Last.At) {
		return u.Last.Value, u.Last.Value, u.Last.Value, true
	}
	w := u.weight(u.Last.At, t)
	use := u.Rate * w
	spread := spreadFactor(u.width(w, t.Sub(u.Last.At).Hours()/24))
	return u.Last.Value + use/spread, u.Last.Value + use, u.Last.Value + use*spread, true
}

// MeterAt gives the meter at t on the straight line between the readings around it,
// and after the last as [Model.At] does. False when unknown.
func (u *Model) MeterAt(readings []Point, t time.Time) (float64, bool) {
	if !u.Known || len(readings) == 0 || t.Before(readings[0].At) {
		return 0, false
	}
	if t.After(u.Last.At) {
		_, likely, _, ok := u.At(t)
		return likely, ok
	}
	n := max(1, slices.IndexFunc(readings, func(p Point) bool { return !p.At.Before(t) }))
	if n == len(readings) {
		return u.Last.Value, true
	}
	a, b := readings[n-1], readings[n]
	return a.Value + (b.Value-a.Value)*float64(t.Sub(a.At))/math.Max(float64(b.At.Sub(a.At)), 1), true
}

// Window of days in which something happens: one in ten before the first, half
// before the middle, nine in ten before the last.
type Window struct{ P10, P50, P90 measure.Date }

// Span is a window of moments.
type Span struct{ P10, P50, P90 time.Time }

// Days that the moments of a span fall on.
func (s Span) Days(zone *time.Location) Window {
	return Window{measure.DateOf(s.P10, zone), measure.DateOf(s.P50, zone), measure.DateOf(s.P90, zone)}
}

// MaxYears ahead a date means "not by use".
const MaxYears = 15

// Reaches is when the meter comes to a value; an end of the window beyond
// it is [MaxYears]. False when the unit is not used, or even the first day is
// too far off to mean anything.
func (u *Model) Reaches(value float64) (w Span, ok bool) {
	if w.P10, ok = u.ReachesSide(value, Early); !ok {
		return Span{}, false
	}
	far := u.farthest()
	if w.P50, ok = u.ReachesSide(value, Likely); !ok {
		w.P50 = far
	}
	if w.P90, ok = u.ReachesSide(value, Late); !ok {
		w.P90 = far
	}
	return w, true
}

// farthest moment that a window names.
func (u *Model) farthest() time.Time { return u.Last.At.AddDate(MaxYears, 0, 0) }

// Side of a window.
type Side float64

const (
	Early  Side = 1 // P10: the unit is used much
	Likely Side = 0
	Late   Side = -1 // P90: it is used little
)

// The walk to a value: a fortnight at a time in the first year, then two months, of
// which the one it comes to is walked by the fortnight again (judgement: finer steps move no day).
const (
	fortnight = 15 * 24 * time.Hour
	fineSteps = 24
	farSteps  = MaxYears * 6
)

// ReachesSide is one end of the window or its middle; false when it lies beyond
// [MaxYears].
func (u *Model) ReachesSide(value float64, s Side) (time.Time, bool) {
	at, ok := u.walkTo(value, s)
	if !ok || at.After(u.farthest()) {
		return time.Time{}, false
	}
	return at, true
}

// walkTo the value in steps, the last of which may end beyond [MaxYears].
func (u *Model) walkTo(value float64, s Side) (time.Time, bool) {
	if !u.Known || u.Rate <= 0 {
		return time.Time{}, false
	}
	left := value - u.Last.Value
	if left <= 0 {
		return u.Last.At, true
	}
	begun := u.until(u.Last.At, s)
	factor := func(weight float64, t time.Time) float64 {
		if s == Likely {
			return 1
		}
		spread := spreadFactor(u.width(weight, t.Sub(u.Last.At).Hours()/24))
		if s == Late {
			return 1 / spread
		}
		return spread
	}
	gone, from := 0.0, u.Last.At
	step := func(length time.Duration) (at time.Time, there bool) {
		to := from.Add(length)
		weight := u.until(to, s) - begun
		next, f := u.Rate*weight, factor(weight, to)
		if next*f < left {
			gone, from = next, to
			return at, false
		}
		share := 1.0
		if next > gone {
			share = math.Max(0, math.Min(1, (left/f-gone)/(next-gone)))
		}
		return from.Add(time.Duration(share * float64(length))), true
	}
	for range fineSteps {
		if at, there := step(fortnight); there {
			return at, true
		}
	}
	for range farSteps {
		before, at := gone, from
		if _, there := step(4 * fortnight); there {
			gone, from = before, at
			for range 4 {
				if at, there := step(fortnight); there {
					return at, true
				}
			}
		}
	}
	return time.Time{}, false
}
