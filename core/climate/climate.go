package climate

import (
	"maps"
	"math"
	"slices"
	"time"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"

	"diligentledger/core/measure"
)

// MonthlyCurve holds, for January to December, the coldest night to be computed
// with in that month, in °C: what a coordinator knows of a site without a
// weather record. Between the middles of two months it runs straight.
type MonthlyCurve [12]measure.Celsius

// Climate of the curve, for want of a record of the site's nights.
func (c MonthlyCurve) Climate() *Climate {
	k := &Climate{}
	slot := 0
	for month, length := range measure.LeapYearMonths {
		for day := 1; day <= length; day++ {
			k.dates[slot] = c.at(month, day, length)
			slot++
		}
	}
	k.settle()
	return k
}

// at a day of a month, 0 to 11, of a given number of days.
func (c MonthlyCurve) at(month, day, length int) measure.Celsius {
	// Position in months from the middle of this month, −0.5 to +0.5.
	x := (float64(day)-0.5)/float64(length) - 0.5
	other := (month + 1) % 12
	if x < 0 {
		other = (month + 11) % 12
	}
	f := measure.Celsius(math.Abs(x))
	return c[month]*(1-f) + c[other]*f
}

// slots of a year: every calendar day has its own, 29 February too.
const slots = 366

const leapDay = 59

// monthSlot is the slot of the first of each month.
var monthSlot = func() (s [12]int) {
	for m := 1; m < 12; m++ {
		s[m] = s[m-1] + measure.LeapYearMonths[m-1]
	}
	return s
}()

// Southern reports whether the coldest night lies between May and October.
func (k *Climate) Southern() bool {
	slot := slices.Index(k.nights[:], k.coldest)
	return slot >= monthSlot[4] && slot < monthSlot[10]
}

func slotOf(day measure.Date) int { return monthSlot[day.Month()-1] + day.Day() - 1 }

// Climate is the cold that a site is planned for: for each day of the year a
// temperature such that of n winters one has any night below its date's, and for
// the nights just ahead what the weather service expects.
type Climate struct {
	// ReturnPeriod, n: of n winters one has a night that is colder than the curve.
	ReturnPeriod int
	// Years of nightly minima that the curve rests on; 0 for monthly values.
	Years int
	// NightsBelow is how many nights a year of the record were colder than the curve.
	NightsBelow float64
	// Shift in K by which the curve lies below the nights that one in n of the same
	// date is colder than, so that of n winters one has any night below it.
	Shift measure.Kelvin
	// ReturnLevel is the coldest night of one winter in n; nil without a record.
	ReturnLevel *measure.Celsius

	dates   [slots]measure.Celsius // one in n nights of the date is colder
	nights  [slots]measure.Celsius // what is planned for
	coldest measure.Celsius
	seasons []slotSpan // dates below SeasonCold, by slots; kept so that no unit counts them anew

	from  measure.Date // night that the first of ahead is for
	ahead []measure.Celsius
}

// slotSpan is a cold season within a year of slots; it runs over the turn of the
// year when to is less than from.
type slotSpan struct{ from, to int }

// Minimum is the coldest temperature of the night after Day.
type Minimum struct {
	Day     measure.Date
	Celsius measure.Celsius
}

// Bounds of a record (common practice).
const (
	// DefaultReturnPeriod for a site no one has set it for.
	DefaultReturnPeriod = 50
	// MinReturnPeriod and MostWinters that may be set.
	MinReturnPeriod, MaxReturnPeriod = 2, 200
	// leastYears of a record, and nights in each, before it takes the place of the
	// monthly values.
	leastYears, leastNights = 3, 300
	// around is how many nights to either side of a date are part of its sample.
	around = 7
	// AheadNights that a weather forecast is good for.
	AheadNights = 10
)

// New computes the curve from a record of nightly minima. It is false when
// the record holds fewer than three years of 300 nights.
//
// For each date the nights of all years within a week of it are one sample; its
// 1/n quantile is at the p(N+1)-th of its N sorted values (Weibull's plotting
// position: Hyndman and Fan 1996, type 6; NIST/SEMATECH e-Handbook 7.2.5.2). A
// sample too small for that quantile is carried on by the normal distribution of
// its colder half. The curve is then evened out over a week to either side.
//
// A winter has some hundred nights, so that some of them fall below such a curve in
// nearly every winter. Therefore it is lowered by a shift: the n-winter return level
// of how far the worst night of a winter lay below the curve, by Gumbel's
// distribution fitted by its moments (Gumbel 1958; the frequency factor as in Chow,
// Maidment and Mays, Applied Hydrology, 12.3.8; from memory). It is lowered no
// further than to the n-winter return level of the winter's coldest night: colder it
// is once in n winters, whatever the date.
func New(record []Minimum, winters int) (*Climate, bool) {
	years := map[int]int{}
	for _, m := range record {
		years[m.Day.Year()]++
	}
	whole := 0
	for _, nights := range years {
		if nights >= leastNights {
			whole++
		}
	}
	if whole < leastYears {
		return nil, false
	}
	k := &Climate{ReturnPeriod: winters, Years: whole, dates: dateCurve(record, winters)}
	k.settle() // the hemisphere
	k.lower(record)
	k.settle()
	colder := 0
	for _, m := range record {
		if m.Celsius < k.nights[slotOf(m.Day)] {
			colder++
		}
	}
	k.NightsBelow = 365 * float64(colder) / float64(len(record))
	return k, true
}

// dateCurve is, for each date, the temperature that one in n nights of that date is
// colder than, evened out over a week to either side.
func dateCurve(record []Minimum, n int) (curve [slots]measure.Celsius) {
	var of [slots][]float64
	for _, m := range record {
		s := slotOf(m.Day)
		of[s] = append(of[s], float64(m.Celsius))
	}
	var raw [slots]float64
	var sample []float64
	for s := range slots {
		sample = sample[:0]
		for d := -around; d <= around; d++ {
			sample = append(sample, of[(s+d+slots)%slots]...)
		}
		slices.Sort(sample)
		raw[s] = lowQuantile(sample, 1/float64(n))
	}
	for s := range slots {
		sum := 0.0
		for d := -around; d <= around; d++ {
			sum += raw[(s+d+slots)%slots]
		}
		curve[s] = measure.Celsius(math.Round(sum/(2*around+1)*10) / 10)
	}
	return curve
}

// lower the curve to the return level of winters. How far a winter's worst night lies
// below the curve is asked of a curve made without that winter: of its own it would
// be too small, since few winters make the curve.
func (k *Climate) lower(record []Minimum) {
	winterOf := func(day measure.Date) int {
		if k.Southern() || day.Month() < time.July {
			return day.Year()
		}
		return day.Year() + 1 // a northern winter bears the year it ends in
	}
	byWinter := map[int][]Minimum{}
	for _, m := range record {
		byWinter[winterOf(m.Day)] = append(byWinter[winterOf(m.Day)], m)
	}
	var worst, coldest []float64
	for _, winter := range slices.Sorted(maps.Keys(byWinter)) {
		nights := byWinter[winter]
		if len(nights) < winterNights {
			continue
		}
		others := slices.DeleteFunc(slices.Clone(record), func(m Minimum) bool { return winterOf(m.Day) == winter })
		curve := dateCurve(others, k.ReturnPeriod)
		below, minimum := math.Inf(-1), math.Inf(1)
		for _, m := range nights {
			below = math.Max(below, float64(curve[slotOf(m.Day)]-m.Celsius))
			minimum = math.Min(minimum, float64(m.Celsius))
		}
		worst, coldest = append(worst, below), append(coldest, -minimum)
	}
	if len(worst) > 0 {
		tenths := func(v float64) float64 { return math.Ceil(10*v) / 10 }
		k.Shift = measure.Kelvin(tenths(math.Max(0, returnLevel(worst, k.ReturnPeriod))))
		level := measure.Celsius(-tenths(returnLevel(coldest, k.ReturnPeriod)))
		k.ReturnLevel = &level
	}
}

// winterNights of a record that make a winter: all but two months of a
// year (judgement).
const winterNights = 300

// What is known of how winters differ before there is a record: a standard
// deviation of their extremes, K, and its weight in winters (common practice: two or
// three hard winters in ten lie 3 K below the others).
const priorWinter, priorWinters = 2.5, 3.0

// returnLevel is the value that the yearly maxima exceed once in n years: Gumbel's
// distribution by the method of moments, with the standard deviation of one more
// value that was not among those it was fitted to. The variance of a few years is
// drawn towards what is known before (as the mean of a scaled inverse chi-squared).
func returnLevel(maxima []float64, n int) float64 {
	mean, variance := stat.Mean(maxima, nil), 0.0
	if len(maxima) > 1 {
		variance = stat.Variance(maxima, nil)
	}
	free := float64(len(maxima) - 1)
	variance = (priorWinters*priorWinter*priorWinter + free*variance) / (priorWinters + free)
	y := -math.Log(-math.Log(1 - 1/float64(n)))
	factor := math.Sqrt(6) / math.Pi * (y - 0.57721566)
	return mean + factor*math.Sqrt(variance*(1+1/float64(len(maxima))))
}

// lowQuantile of sorted values, p below a half.
func lowQuantile(sorted []float64, p float64) float64 {
	n := len(sorted)
	if n == 0 {
		return math.NaN()
	}
	if at := p * float64(n+1); at >= 1 {
		return Quantile(sorted, p)
	}
	// Too few for one of them to be so cold: on with the normal distribution.
	middle := Quantile(sorted, 0.5)
	spread := (middle - Quantile(sorted, math.Max(0.1, 1/float64(n+1)))) / -distuv.UnitNormal.Quantile(math.Max(0.1, 1/float64(n+1)))
	return math.Min(sorted[0], middle+distuv.UnitNormal.Quantile(p)*spread)
}

// Quantile p, 0 to 1, of sorted values: on the straight line between the two
// around the p(N+1)-th, and an end when that lies beyond it (NIST/SEMATECH
// e-Handbook 7.2.5.2). NaN without values.
func Quantile(sorted []float64, p float64) float64 {
	n := len(sorted)
	if n == 0 {
		return math.NaN()
	}
	at := p * float64(n+1)
	k := int(math.Floor(at))
	switch {
	case k < 1:
		return sorted[0]
	case k >= n:
		return sorted[n-1]
	}
	return sorted[k-1] + (at-float64(k))*(sorted[k]-sorted[k-1])
}

// Restore is the climate of a curve that was computed before, a value for
// each day of a leap year; false when there are not 366.
func Restore(stored Climate, curve []measure.Celsius) (*Climate, bool) {
	if len(curve) != slots {
		return nil, false
	}
	k := &Climate{ReturnPeriod: stored.ReturnPeriod, Years: stored.Years, NightsBelow: stored.NightsBelow, Shift: stored.Shift, ReturnLevel: stored.ReturnLevel}
	copy(k.dates[:], curve)
	k.settle()
	return k, true
}

// Curve is the curve of the dates, before it is lowered: a value for each day of a
// leap year.
func (k *Climate) Curve() []measure.Celsius { return slices.Clone(k.dates[:]) }

// settle what follows from the dates, the shift and the return level.
func (k *Climate) settle() {
	for s, t := range k.dates {
		k.nights[s] = t - measure.Celsius(k.Shift)
		if k.ReturnLevel != nil {
			k.nights[s] = min(t, max(k.nights[s], *k.ReturnLevel))
		}
	}
	k.settleNights()
}

// settleNights is what follows from the nights and the dates.
func (k *Climate) settleNights() {
	k.coldest = slices.Min(k.nights[:])
	k.seasons = nil
	cold := func(s int) bool { return k.dates[(s+slots)%slots] < SeasonCold }
	for s := range slots {
		if !cold(s) || cold(s-1) {
			continue
		}
		e := s
		for e-s < slots && cold(e+1) {
			e++
		}
		k.seasons = append(k.seasons, slotSpan{s, e % slots})
	}
	if len(k.seasons) == 0 && slices.Min(k.dates[:]) < SeasonCold {
		k.seasons = []slotSpan{{0, slots - 1}}
	}
}

// Wintering is the cold of a unit that goes to another place as well: each night the colder of
// the two, k alone for nil; and all of it offset by some kelvins, below zero for a place that is
// colder than its site.
func (k *Climate) Wintering(other *Climate, offset measure.Kelvin) *Climate {
	if other == nil {
		other = k
	}
	c, by := *k, measure.Celsius(offset)
	for s := range slots {
		c.dates[s], c.nights[s] = min(k.dates[s], other.dates[s])+by, min(k.nights[s], other.nights[s])+by
	}
	c.Years = min(k.Years, other.Years)
	c.settleNights()
	c.ahead = nil
	if len(k.ahead) == 0 {
		c.from = other.from
	}
	for n := range max(len(k.ahead), len(other.ahead)) {
		night := c.from.AddDays(n)
		c.ahead = append(c.ahead, min(k.PlannedMinimum(night), other.PlannedMinimum(night))+by)
	}
	return &c
}

// WithForecast is the climate with the minima that the weather service expects
// from the night after first on, no more than ten of them: what is further off is
// climate. [Climate.PlannedMinimum] describes how they move the curve.
func (k *Climate) WithForecast(first measure.Date, minima []measure.Celsius) *Climate {
	with := *k
	with.from, with.ahead = first, minima[:min(len(minima), AheadNights)]
	return &with
}

// WithoutForecast is the climate by its curve alone, for when the forecast is too old.
func (k *Climate) WithoutForecast() *Climate {
	without := *k
	without.ahead = nil
	return &without
}

// Forecast gives what the weather service expects for the night after day; false
// when it says nothing of it.
func (k *Climate) Forecast(day measure.Date) (measure.Celsius, bool) {
	if len(k.ahead) == 0 {
		return 0, false
	}
	n := day.Sub(k.from)
	if n < 0 || n >= len(k.ahead) || math.IsNaN(float64(k.ahead[n])) {
		return 0, false
	}
	return k.ahead[n], true
}

// forecastError of a night's minimum, K, by nights ahead, tonight being 0
// (common practice, from memory: one and a half for tonight, three to four from the
// fifth night on).
func forecastError(night int) measure.Celsius {
	return measure.Celsius(math.Min(1.5+0.5*float64(night), 4))
}

// expected in a night: a forecast may make it colder than the curve, and warmer by
// no more than its own error.
func (k *Climate) expected(usual measure.Celsius, night int) measure.Celsius {
	if night < 0 || night >= len(k.ahead) || math.IsNaN(float64(k.ahead[night])) {
		return usual
	}
	return min(k.ahead[night], usual+forecastError(night))
}

// PlannedMinimum is the temperature that the night after day is planned for: by the curve, and
// as the forecast moves it.
func (k *Climate) PlannedMinimum(day measure.Date) measure.Celsius {
	if len(k.ahead) == 0 {
		return k.CurveMinimum(day)
	}
	return k.expected(k.CurveMinimum(day), day.Sub(k.from))
}

// CurveMinimum is the curve in the night after day, whatever the forecast says.
func (k *Climate) CurveMinimum(day measure.Date) measure.Celsius { return k.nights[slotOf(day)] }

// walk calls f with each night from day on, by its number and its temperature,
// until f says stop. It goes through the slots by hand: a step of time.Time for
// each night would take a hundred times as long.
func (k *Climate) walk(day measure.Date, nights int, f func(n int, t measure.Celsius) (stop bool)) {
	year, slot, skip := day.Year(), slotOf(day), !measure.IsLeap(day.Year())
	off := 0
	if len(k.ahead) > 0 {
		off = day.Sub(k.from)
	}
	for n := range nights {
		t := k.expected(k.nights[slot], n+off)
		if f(n, t) {
			return
		}
		if slot++; slot == leapDay && skip {
			slot++
		}
		if slot == slots {
			slot, year = 0, year+1
			skip = !measure.IsLeap(year)
		}
	}
}

// FirstBelow is the first night from day on, within nights nights, that is colder
// than limit.
func (k *Climate) FirstBelow(limit measure.Celsius, day measure.Date, nights int) (first measure.Date, found bool) {
	return k.FirstBelowProtection(Protection{At: limit}, day, nights)
}

// Protection is a temperature that moves with the time: n days from now it
// is at + drift·days + wide·√(spread² + (doubt·(days + since))²).
type Protection struct {
	At         measure.Celsius
	Since      int     // days ago that it was known
	Drift      float64 // K a day
	Wide       float64 // standard deviations to this side
	Spread     float64 // standard deviation now, K
	DriftSigma float64 // of the drift, K a day
}

func (p Protection) On(days int) measure.Celsius {
	t := float64(p.At) + p.Drift*float64(days)
	d := float64(days + p.Since)
	if p.Wide != 0 {
		t += p.Wide * math.Sqrt(p.Spread*p.Spread+p.DriftSigma*p.DriftSigma*d*d)
	}
	return measure.Celsius(t)
}

// warmest it is within that many days: at one of the ends while the bow opens
// upwards, and never warmer than without its width otherwise.
func (p Protection) warmest(days int) measure.Celsius {
	if p.Wide < 0 {
		p.Wide = 0
	}
	return max(p.On(0), p.On(days))
}

func (k *Climate) FirstBelowProtection(p Protection, day measure.Date, nights int) (first measure.Date, found bool) {
	warmest := p.warmest(nights)
	if k.coldest >= warmest {
		// Only the forecast can be colder.
		nights = 0
		if len(k.ahead) > 0 {
			nights = max(0, len(k.ahead)-day.Sub(k.from))
		}
	}
	k.walk(day, nights, func(n int, t measure.Celsius) bool {
		if t >= warmest {
			return false
		}
		if found = t < p.On(n); found {
			first = day.AddDays(n)
		}
		return found
	})
	return first, found
}

// Coldest night of the year by the curve.
func (k *Climate) Coldest() measure.Celsius { return k.coldest }

// Season is a span of days, the last one included, in which cold nights are to be
// computed with.
type Season struct{ From, To measure.Date }

// SeasonWithin reports whether the cold season runs, or begins within n days.
func (k *Climate) SeasonWithin(days int, day measure.Date) bool {
	return len(k.Seasons(day, day.AddDays(days))) > 0
}

// SeasonCold is the temperature below which a night belongs to the cold season
// (common practice).
const SeasonCold measure.Celsius = -5

// Seasons between two days in which the curve of the dates lies below [SeasonCold],
// so that one night in n of that date is colder; the first
// and the last are cut to those days.
func (k *Climate) Seasons(from, to measure.Date) []Season {
	var all []Season
	for year := from.Year() - 1; year <= to.Year(); year++ {
		for _, s := range k.seasons {
			last := year
			if s.to < s.from {
				last++
			}
			season := Season{dayOf(s.from, year), dayOf(s.to, last)}
			if season.To.Before(from) || season.From.After(to) {
				continue
			}
			if season.From.Before(from) {
				season.From = from
			}
			if season.To.After(to) {
				season.To = to
			}
			all = append(all, season)
		}
	}
	slices.SortFunc(all, func(a, b Season) int { return a.From.Compare(b.From) })
	return all
}

// dayOf a slot in a year; 29 February becomes 1 March in a year that has none.
func dayOf(slot, year int) measure.Date {
	month := 11
	for monthSlot[month] > slot {
		month--
	}
	return measure.NewDate(year, time.Month(month+1), slot-monthSlot[month]+1)
}
