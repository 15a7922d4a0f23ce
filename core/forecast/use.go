package forecast

import (
	"math"
	"slices"
	"time"

	"gonum.org/v1/gonum/stat/distuv"

	"diligentledger/core/ledger"
)

// Profile is how a kind of unit is used through the year: a factor for each
// month, January first, 1 on average.
type Profile [12]float64

// Profiles of the kinds that have a season (common practice: motorcycles and
// boats sleep in winter). Any other is used alike all year, until its own
// readings say otherwise.
var (
	EvenProfile   = Profile{1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1}
	SummerProfile = Profile{.35, .35, .6, 1.1, 1.5, 1.6, 1.6, 1.6, 1.4, 1.1, .5, .3}
)

// ProfileOf a kind of unit.
func ProfileOf(kind string) Profile {
	if kind == "motorcycle" || kind == "boat" {
		return SummerProfile
	}
	return EvenProfile
}

// Constants of the model (common practice, set so that the windows of the
// backtest hold what they promise: docs/forecast.md).
const (
	// useYears back that readings are looked at.
	useYears = 4
	// profileLeast and profileMost days that the kind's profile counts for in each
	// month: how many is told by how much the months differ.
	profileLeast, profileMost = 10.0, 400.0
	// steepest a stretch may be against the upper quartile of all, before one of
	// its ends is a mistyped reading.
	steepest = 6.0
	// stretchDays is the length to which stretches are drawn together, so that
	// weekends and dates noted a day late even out.
	stretchDays = 28.0
	// driftLeast of the rate in a year, relative, and driftEach for each change of
	// use a year: units change hands and rounds.
	driftLeast, driftEach = 0.05, 0.9
	// priorSpread of a month's use, relative, reckoned with before there is data,
	// and priorStretches what it counts for.
	priorSpread, priorStretches = 0.22, 2.0
	// seasonDays by which a season comes sooner or later, one standard deviation.
	seasonDays = 10.0
	// changedBy so many standard errors the use before and after must differ, with
	// fewest stretches on either side, to be a change of use.
	changedBy, fewest = 3.5, 2
	// changeDays and changeRecent: a change is told while it is so new.
	changeDays, changeRecent = 120.0, 6
)

// UseModel is how a unit is used, from its meter readings.
type UseModel struct {
	Rate float64 // per day, on average over the year, as used now
	// Spread is the relative standard deviation of the rate over a month.
	Spread  float64
	Profile Profile
	// Stretches of readings that the rate rests on, drawn together to a month.
	Stretches int
	// Suspects are readings that cannot be true: mistyped or stuck.
	Suspects []ledger.MeterPoint
	// Changed: the unit is used otherwise lately than before.
	Changed bool
	// Last is the last reading that is believed.
	Last ledger.MeterPoint
	// Known is false when fewer than two readings a week apart are believed.
	Known bool

	swing   float64 // between the busiest and the quietest month
	noise   float64 // standard deviation of a day's use, over the rate
	days    float64 // of average use that the rate rests on
	changes int     // of use, in all that is looked at
	years   float64 // looked at
}

// stretch is the use between two readings.
type stretch struct {
	from, to time.Time
	use      float64
	months   [12]float64 // days of it in each month
}

func (s stretch) days() float64 { return s.to.Sub(s.from).Hours() / 24 }

// weight is the days of average use in the stretch, the season counted.
func (s *stretch) weight(p Profile) (w float64) {
	for m, d := range s.months {
		w += d * p[m]
	}
	return w
}

// NewUseModel fits the model to readings in the order of time, up to today.
//
// Readings that no plausible life of the meter explains are left out: what stays
// is the longest run that never falls and is never steeper than six times the
// upper quartile of its stretches. From the stretches between them follow a
// factor for each month, drawn towards the kind's profile where the data are few
// (each month's use over what the average rate would have given, by three rounds
// of sharing a stretch out over its months), and the rate: the weighted median of
// the stretches' rates without their season, of those since the last change of use.
func NewUseModel(readings []ledger.MeterPoint, profile Profile, today time.Time) UseModel {
	u := UseModel{Profile: profile, Spread: priorSpread}
	readings = recent(readings, today)
	kept, suspects := plausible(readings)
	u.Suspects = suspects
	if len(kept) == 0 {
		return u
	}
	u.Last = kept[len(kept)-1]
	stretches := drawTogether(kept)
	if len(stretches) == 0 {
		return u
	}
	u.Known = true
	// Season and changes of use are told apart by taking turns.
	levels := levelsOf(stretches)
	for range rounds {
		u.season(stretches, levels, profile)
		u.levels(stretches, levels)
	}
	u.season(stretches, levels, profile)
	u.rate(stretches, today)
	u.swing = slices.Max(u.Profile[:]) - slices.Min(u.Profile[:])
	return u
}

func recent(readings []ledger.MeterPoint, today time.Time) []ledger.MeterPoint {
	since := today.AddDate(-useYears, 0, 0)
	i := slices.IndexFunc(readings, func(p ledger.MeterPoint) bool { return !p.At.Before(since) })
	if i < 0 {
		// Older than all that counts: the last ones are better than none.
		return readings[max(0, len(readings)-3):]
	}
	return readings[max(0, i-1):]
}

// plausible is the longest run of readings that can be true, and the others. It
// takes a step for each pair of readings that are not already in order.
func plausible(readings []ledger.MeterPoint) (kept, suspects []ledger.MeterPoint) {
	n := len(readings)
	if n < 2 {
		return readings, nil
	}
	limit := steepest * upperQuartile(readings)
	fits := func(a, b ledger.MeterPoint) bool {
		days := math.Max(b.At.Sub(a.At).Hours()/24, 1)
		return b.Value >= a.Value && (limit == 0 || b.Value-a.Value <= limit*days+1)
	}
	clean := true
	for i := 1; i < n && clean; i++ {
		clean = fits(readings[i-1], readings[i])
	}
	if clean {
		return readings, nil
	}
	length, before := make([]int, n), make([]int, n)
	best := 0
	for j := range n {
		length[j], before[j] = 1, -1
		for i := range j {
			if length[i]+1 > length[j] && fits(readings[i], readings[j]) {
				length[j], before[j] = length[i]+1, i
			}
		}
		if length[j] >= length[best] {
			best = j
		}
	}
	in := make([]bool, n)
	for j := best; j >= 0; j = before[j] {
		in[j] = true
	}
	for i, p := range readings {
		if in[i] {
			kept = append(kept, p)
		} else {
			suspects = append(suspects, p)
		}
	}
	return kept, suspects
}

// upperQuartile of the slopes between neighbours, those that fall left out.
func upperQuartile(readings []ledger.MeterPoint) float64 {
	var slopes []float64
	for i := 1; i < len(readings); i++ {
		days := readings[i].At.Sub(readings[i-1].At).Hours() / 24
		if rise := readings[i].Value - readings[i-1].Value; rise >= 0 && days >= 1 {
			slopes = append(slopes, rise/days)
		}
	}
	if len(slopes) < 3 {
		return 0
	}
	slices.Sort(slopes)
	return slopes[len(slopes)*3/4]
}

// drawTogether makes stretches of at least a month, or of what there is when
// that is a week or more.
func drawTogether(kept []ledger.MeterPoint) []stretch {
	var all []stretch
	from := kept[0]
	for _, p := range kept[1:] {
		s := stretch{from: from.At, to: p.At, use: p.Value - from.Value}
		if s.days() >= stretchDays {
			all = append(all, s)
			from = p
		}
	}
	last := kept[len(kept)-1]
	if rest := (stretch{from: from.At, to: last.At, use: last.Value - from.Value}); rest.days() >= 7 {
		all = append(all, rest)
	}
	for i := range all {
		eachMonth(all[i].from, all[i].to, func(m int, d float64) { all[i].months[m] += d })
	}
	return all
}

// asleep is the share of the average use below which a unit sleeps.
const asleep = 0.15

// rounds of telling season and changes of use apart.
const rounds = 2

// levelsOf stretches before anything is known: the mean of all.
func levelsOf(stretches []stretch) []float64 {
	use, days := 0.0, 0.0
	for _, s := range stretches {
		use += s.use
		days += s.days()
	}
	levels := make([]float64, len(stretches))
	for i := range levels {
		levels[i] = use / days
	}
	return levels
}

// levels are the rates between changes of use, by the season as known so far.
func (u *UseModel) levels(stretches []stretch, levels []float64) {
	all := make([]weighted, len(stretches))
	for i, s := range stretches {
		w := math.Max(s.weight(u.Profile), 0.5)
		all[i] = weighted{s.use / w, w}
	}
	noise := dayNoise(all)
	mean := levelsOf(stretches)[0]
	var fill func(from, to int)
	fill = func(from, to int) {
		if at := split(all[from:to], noise); at > 0 {
			fill(from, from+at)
			fill(from+at, to)
			return
		}
		use, weight := 0.0, 0.0
		for _, v := range all[from:to] {
			use += v.value * v.weight
			weight += v.weight
		}
		level := use / weight
		if level < asleep*mean {
			level = mean // a season asleep is no change of use
		}
		for i := from; i < to; i++ {
			levels[i] = level
		}
	}
	fill(0, len(all))
}

// season fits the factor of each month. How far it is drawn to the kind's profile
// follows from how much more the months differ than chance would have it
// (empirical Bayes: Efron and Morris 1973).
func (u *UseModel) season(stretches []stretch, levels []float64, prior Profile) {
	var use, span [12]float64
	var all []weighted
	days := 0.0
	for i, s := range stretches {
		if levels[i] <= 0 {
			continue
		}
		days += s.days()
		sum := s.weight(u.Profile)
		if sum <= 0 {
			continue
		}
		all = append(all, weighted{s.use / levels[i] / sum, sum})
		for m, d := range s.months {
			span[m] += d
			use[m] += s.use / levels[i] * d * u.Profile[m] / sum
		}
	}
	if days < 330 {
		return // less than a year tells no season
	}
	noise := dayNoise(all)
	beyond, chance := 0.0, 0.0
	for m := range use {
		if span[m] > 0 {
			off := use[m]/span[m] - prior[m]
			beyond += off * off / 12
			chance += noise * noise * math.Max(prior[m], 0.2) / span[m] / 12
		}
	}
	pull := profileMost
	if beyond > chance {
		pull = math.Max(profileLeast, math.Min(profileMost, noise*noise/(beyond-chance)))
	}
	average := 0.0
	var next Profile
	for m := range next {
		next[m] = math.Max((use[m]+pull*prior[m])/(span[m]+pull), 0.01)
		average += next[m] / 12
	}
	for m := range next {
		u.Profile[m] = next[m] / average
	}
}

// eachMonth calls f with each calendar month (0 to 11) between two times and how
// many of its days lie there.
func eachMonth(from, to time.Time, f func(month int, days float64)) {
	for from.Before(to) {
		next := time.Date(from.Year(), from.Month()+1, 1, 0, 0, 0, 0, from.Location())
		if next.After(to) {
			next = to
		}
		f(int(from.Month())-1, next.Sub(from).Hours()/24)
		from = next
	}
}

// average days of use between two times, the season counted.
func (u *UseModel) weight(from, to time.Time) float64 {
	w := 0.0
	eachMonth(from, to, func(m int, d float64) { w += d * u.Profile[m] })
	return w
}

// weighted value.
type weighted struct{ value, weight float64 }

// rate of use now: the mean of the stretches since the last change of use, none
// counting as further off than three standard deviations (Huber 1964).
func (u *UseModel) rate(stretches []stretch, today time.Time) {
	var all []weighted
	for _, s := range stretches {
		if w := s.weight(u.Profile); w >= 2 { // asleep, it says nothing of the rate
			all = append(all, weighted{s.use / w, w})
		}
	}
	if len(all) == 0 {
		return
	}
	noise := dayNoise(all)
	since := lastChange(all, noise)
	u.Changed = since > 0 && today.Sub(stretches[len(stretches)-1].to).Hours()/24 < changeDays && len(all)-since <= changeRecent
	u.changes = countChanges(all, noise)
	u.years = sumWeight(all) / 365
	now := all[since:]
	u.Stretches, u.days = len(now), sumWeight(now)
	u.Rate = steadyMean(now, noise)
	if u.Rate <= 0 {
		u.Rate = 0
		return
	}
	// Drawn towards the noise reckoned with before there is data.
	n, prior := float64(len(all)), priorSpread*math.Sqrt(stretchDays)
	relative := noise / u.Rate
	u.noise = math.Sqrt((n*relative*relative + priorStretches*prior*prior) / (n + priorStretches))
	u.Spread = u.noise / math.Sqrt(stretchDays)
}

func sumWeight(all []weighted) (sum float64) {
	for _, v := range all {
		sum += v.weight
	}
	return sum
}

// dayNoise is the standard deviation of a day's use, robustly from the steps
// between neighbours, which a change of use moves once only: a step's square over
// its variance is chi-squared with one degree of freedom, whose median is 0.455.
func dayNoise(all []weighted) float64 {
	if len(all) < 3 {
		return all[0].value * priorSpread * math.Sqrt(stretchDays)
	}
	squares := make([]float64, 0, len(all)-1)
	for i := 1; i < len(all); i++ {
		step := all[i].value - all[i-1].value
		squares = append(squares, step*step/(1/all[i].weight+1/all[i-1].weight))
	}
	slices.Sort(squares)
	return math.Sqrt(squares[len(squares)/2] / 0.455)
}

// steadyMean weighs each stretch by its days, and one that is far off no more
// than if it were three standard deviations off.
func steadyMean(all []weighted, noise float64) float64 {
	mean := weightedMedian(slices.Clone(all))
	for range 3 {
		sum, total := 0.0, 0.0
		for _, v := range all {
			limit := 3 * noise / math.Sqrt(v.weight)
			off := math.Max(-limit, math.Min(limit, v.value-mean))
			sum += off * v.weight
			total += v.weight
		}
		mean += sum / total
	}
	return mean
}

// lastChange is the first stretch after the last change of use, 0 for none: the
// split whose two sides differ most, when that is more than chance would do, and
// again in what follows it (binary segmentation; Scott and Knott 1974).
func lastChange(all []weighted, noise float64) int {
	since := 0
	for {
		at := split(all[since:], noise)
		if at == 0 {
			return since
		}
		since += at
	}
}

func split(all []weighted, noise float64) int {
	best, where := changedBy, 0
	total, sum := 0.0, 0.0
	for _, v := range all {
		total += v.weight
		sum += v.weight * v.value
	}
	w, s := 0.0, 0.0
	for i := 0; i+1 < len(all); i++ {
		w += all[i].weight
		s += all[i].weight * all[i].value
		if i+1 < fewest || len(all)-i-1 < fewest {
			continue
		}
		apart := math.Abs((sum-s)/(total-w) - s/w)
		if t := apart / (noise * math.Sqrt(1/w+1/(total-w))); t > best {
			best, where = t, i+1
		}
	}
	return where
}

func countChanges(all []weighted, noise float64) int {
	at := split(all, noise)
	if at == 0 {
		return 0
	}
	return 1 + countChanges(all[:at], noise) + countChanges(all[at:], noise)
}

func weightedMedian(all []weighted) float64 {
	slices.SortFunc(all, func(a, b weighted) int {
		switch {
		case a.value < b.value:
			return -1
		case a.value > b.value:
			return 1
		}
		return 0
	})
	half, sum := sumWeight(all)/2, 0.0
	for _, v := range all {
		if sum += v.weight; sum >= half {
			return v.value
		}
	}
	return all[len(all)-1].value
}

// z is the normal quantile of a window's ends, P10 and P90.
const z = 1.2815515655446004

// quantile for so many stretches: Student's t with that many degrees of freedom,
// wider than the normal while there are few.
func (u *UseModel) quantile() float64 {
	return tQuantile[min(len(tQuantile)-1, max(1, u.Stretches))]
}

// tQuantile is the 90th percentile of Student's t by degrees of freedom.
var tQuantile = func() (t [40]float64) {
	for df := 1; df < len(t); df++ {
		t[df] = distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(df)}.Quantile(0.9)
	}
	t[0] = t[1]
	return t
}()

// relative uncertainty of the use over w days of average use in d days: of the
// rate, of the days to come, and of a change of use, which is the likelier the
// more there have been.
func (u *UseModel) relative(w, d float64) float64 {
	moves := (driftLeast + driftEach*float64(u.changes)/math.Max(u.years, 1)) * math.Sqrt(d/365)
	seasons := u.swing * seasonDays / math.Max(w, 3)
	return math.Sqrt(u.noise*u.noise*(1/math.Max(u.days, 7)+1/math.Max(w, 3)) + moves*moves + seasons*seasons)
}

// At tells the meter at t, with the ends of its window. False when unknown.
func (u *UseModel) At(t time.Time) (low, likely, high float64, ok bool) {
	if !u.Known {
		return 0, 0, 0, false
	}
	if !t.After(u.Last.At) {
		return u.Last.Value, u.Last.Value, u.Last.Value, true
	}
	w := u.weight(u.Last.At, t)
	use := u.Rate * w
	spread := math.Exp(u.quantile() * u.relative(w, t.Sub(u.Last.At).Hours()/24))
	return u.Last.Value + use/spread, u.Last.Value + use, u.Last.Value + use*spread, true
}

// Window of days in which something happens: one in ten before the first, half
// before the middle, nine in ten before the last.
type Window struct{ P10, P50, P90 time.Time }

// farYears ahead a date means "not by use".
const farYears = 15

// Reaches tells when the meter comes to a value. False when the unit is not used,
// or the day is too far off to mean anything.
func (u *UseModel) Reaches(value float64) (Window, bool) {
	if !u.Known || u.Rate <= 0 {
		return Window{}, false
	}
	left := value - u.Last.Value
	end := u.Last.At.AddDate(farYears, 0, 0)
	if left <= 0 {
		return Window{u.Last.At, u.Last.At, u.Last.At}, true
	}
	// Walked month by month, since the uncertainty grows with the time.
	var w Window
	q := u.quantile()
	gone, weight, from := 0.0, 0.0, u.Last.At
	for from.Before(end) {
		to := from.AddDate(0, 0, 15)
		w15 := u.weight(from, to)
		weight += w15
		step := u.Rate * w15
		spread := math.Exp(q * u.relative(weight, to.Sub(u.Last.At).Hours()/24))
		cross := func(at *time.Time, factor float64) {
			if at.IsZero() && (gone+step)*factor >= left {
				share := 1.0
				if step > 0 {
					share = math.Max(0, math.Min(1, (left/factor-gone)/step))
				}
				*at = from.Add(time.Duration(share * float64(to.Sub(from))))
			}
		}
		cross(&w.P10, spread)
		cross(&w.P50, 1)
		cross(&w.P90, 1/spread)
		if !w.P90.IsZero() {
			return w, true
		}
		gone, from = gone+step, to
	}
	if w.P50.IsZero() {
		return Window{}, false
	}
	w.P90 = end
	return w, true
}
