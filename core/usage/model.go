package usage

import (
	"math"
	"slices"
	"time"

	"diligentledger/core/measure"
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

// ProfileOf a kind of unit, on the southern or the northern half of the earth.
func ProfileOf(kind string, southern bool) Profile {
	if kind != "motorcycle" && kind != "boat" {
		return EvenProfile
	}
	if !southern {
		return SummerProfile
	}
	var p Profile
	for m := range p {
		p[m] = SummerProfile[(m+6)%12]
	}
	return p
}

// Constants of the model (common practice, set so that the windows of the
// backtest hold what they promise: docs/forecast.md).
const (
	// useYears back that readings are used.
	useYears = 4
	// profileLeast and profileMost days that the kind's profile counts for in each
	// month: how many follows from how much the months differ.
	profileLeast, profileMost = 10.0, 400.0
	// segmentDays is the length to which stretches are drawn together, so that
	// weekends and dates noted a day late even out.
	segmentDays = 28.0
	// driftPerYear of the rate in a year, relative, without any change of use.
	driftPerYear = 0.01
	// priorSpread of a month's use, relative, assumed before there is data,
	// and priorStretches what it counts for.
	priorSpread, priorSegments = 0.2, 0.5
	// seasonDays by which a season comes sooner or later, one standard deviation; and
	// by this factor while one only is known.
	seasonDays, seasonFew = 2.2, 3.0
	// changeZ is by how many standard errors the use before and after must differ, with
	// fewest stretches on either side, to be a change of use.
	changeZ, minSegments = 3.5, 2
	// changeDays and changeRecent: a change is named while it is so new.
	changeDays, changeRecent = 120.0, 6
)

// Model is how a unit is used, from its meter readings.
type Model struct {
	Rate float64 // per day, on average over the year, as used now
	// Spread is the relative standard deviation of the rate over a month.
	Spread  float64
	Profile Profile
	// Segments of readings that the rate rests on, drawn together to a month.
	Segments int
	// Outliers are readings that cannot be true: mistyped or stuck.
	Outliers []Point
	// Changed: the unit is used otherwise lately than before.
	Changed bool
	// Last is the last reading that is believed.
	Last Point
	// Seasons that the readings have seen, from one year's rest to the next.
	Seasons int
	// Idle: the readings show that it is not used at all.
	Idle bool
	// Known is false when fewer than two readings a week apart are believed.
	Known bool

	rests        []Rest         // in which it stood laid up
	busyProfile  Profile        // for the early end of a window: a rest that was seen once may not come again
	SingleRest   bool           // there is such a rest
	SeasonRange  float64        // between the busiest and the quietest month
	noise        float64        // standard deviation of a day's use, over the rate
	rateError    float64        // standard deviation of the rate, relative
	hazard       float64        // changes of use a year
	weightBefore [2][13]float64 // average days of use before each month of a leap year, by Profile and by busy
}

// Rest is a time in which the unit was laid up, by the entries: the meter stands, and its days are none of the model.
type Rest struct {
	_ struct{} `cbor:",toarray"`

	From, To time.Time
}

// segment is the use between two readings.
type segment struct {
	from, to time.Time
	laidUp   float64 // days of it in which the unit was laid up
	use      float64
	rest     bool        // the meter stood, or nearly so
	months   [12]float64 // days of it in each month
	first    int         // month that it begins in
	touched  int         // months from then on that it has days in, 12 at most
}

// month is the i-th it has days in.
func (s *segment) month(i int) int {
	if i += s.first; i >= 12 {
		i -= 12
	}
	return i
}

// days of it in which the unit could be used.
func (s segment) days() float64 { return s.to.Sub(s.from).Hours()/24 - s.laidUp }

// without the rests: how many days of it the unit was laid up.
func (s segment) without(rests []Rest) segment {
	s.laidUp = 0
	for _, r := range rests {
		if from, to := later(r.From, s.from), earlier(r.To, s.to); to.After(from) {
			s.laidUp += to.Sub(from).Hours() / 24
		}
	}
	return s
}

// eachMonth of it in which the unit could be used, see [eachMonth]. The rests do not overlap and are in the order
// of time.
func (s segment) eachMonth(rests []Rest, f func(month int, days float64)) {
	from := s.from
	for _, r := range rests {
		if r.To.After(from) && r.From.Before(s.to) {
			eachMonth(from, r.From, f)
			from = r.To
		}
	}
	eachMonth(from, s.to, f)
}

func later(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

func earlier(a, b time.Time) time.Time {
	if a.Before(b) {
		return a
	}
	return b
}

// weight is the days of average use in the stretch, the season counted.
func (s *segment) weight(p Profile) (w float64) {
	for i := range s.touched {
		m := s.month(i)
		w += s.months[m] * p[m]
	}
	return w
}

// NewModel fits the model to readings in the order of time, up to today.
//
// Readings that cannot be true together with the others are left out as package
// usage has judged them, so that the balance and the clock rest on the same ones.
// From the stretches between the others follow a factor for each month, drawn towards the kind's profile where the data are few
// (each month's use over what the average rate would have given, by three rounds
// of sharing a stretch out over its months), and the rate of the stretches without
// their season, as it is since the last change of use. Rests, which do not overlap and are in the order of time,
// are taken out of the time between readings and of that after the last one.
func NewModel(readings []Point, profile Profile, today time.Time, rests ...Rest) Model {
	u := Model{Profile: profile, Spread: priorSpread, rests: rests}
	readings = recent(readings, today)
	for _, p := range readings {
		if p.Outlier {
			u.Outliers = append(u.Outliers, p)
		}
	}
	kept, stuck := dropRepeats(Accepted(readings))
	u.Outliers = append(u.Outliers, stuck...)
	if len(kept) == 0 {
		return u
	}
	u.Last = kept[len(kept)-1]
	stretches := segmentsOf(kept, rests)
	if len(stretches) == 0 {
		return u
	}
	u.Known = true
	u.Seasons = int(stretches[len(stretches)-1].to.Sub(stretches[0].from).Hours() / 24 / seasonLeast)
	u.Idle = markRests(stretches)
	// Season and changes of use are distinguished by taking turns.
	levels := levelsOf(stretches)
	for range rounds {
		u.season(stretches, levels, profile)
		u.levels(stretches, levels)
	}
	u.season(stretches, levels, profile)
	u.rate(stretches, today)
	u.SeasonRange = slices.Max(u.Profile[:]) - slices.Min(u.Profile[:])
	u.singleRests(stretches, profile)
	return u
}

// Lengths of a record (judgement).
const (
	// seasonLeast days make a year of which the season is known.
	seasonLeast = 330.0
	// idleDays without use, more than any rest season and the year around it, show
	// that a unit is not used any more.
	idleDays = 400.0
)

// markRests of the stretches: those with less than a fraction of the usual use.
// Standing still in a rest is no change of use: what the unit does in its season
// is shown by the others alone. It reports whether the unit has not been used for
// so long that it is idle.
func markRests(stretches []segment) (idle bool) {
	var rates []weighted
	for _, s := range stretches {
		if s.use > 0 {
			rates = append(rates, weighted{s.use / s.days(), s.use})
		}
	}
	usual := 0.0
	if len(rates) > 0 {
		usual = weightedMedian(rates) // by use: what it does when it is used
	}
	idleFor := 0.0
	for i := range stretches {
		s := &stretches[i]
		s.rest = s.use <= restShare*usual*s.days()
		if s.rest {
			idleFor += s.days()
		} else {
			idleFor = 0
		}
	}
	return idleFor > idleDays
}

// singleRests marks months of rest that were seen in one year only, where the kind of
// unit has no such rest: it may have been a lay-up, and no season. The early end of
// a window computes with their use.
func (u *Model) singleRests(stretches []segment, prior Profile) {
	u.busyProfile = u.Profile
	var years [12]map[int]bool
	active, months := 0.0, 0.0
	for m := range years {
		years[m] = map[int]bool{}
		if u.Profile[m] > 0.5 {
			active, months = active+u.Profile[m], months+1
		}
	}
	for i := range stretches {
		s := &stretches[i]
		if !s.rest {
			continue
		}
		for at := s.from; at.Before(s.to); at = at.AddDate(0, 0, 10) {
			years[int(at.Month())-1][at.AddDate(0, 6, 0).Year()] = true
		}
	}
	for m := range u.busyProfile {
		if len(years[m]) < 2 && prior[m] >= 0.5 && u.busyProfile[m] < 0.7 && months > 0 {
			u.busyProfile[m], u.SingleRest = active/months, true
		}
	}
}

func recent(readings []Point, today time.Time) []Point {
	since := today.AddDate(-useYears, 0, 0)
	i := slices.IndexFunc(readings, func(p Point) bool { return !p.At.Before(since) })
	if i < 0 {
		// Older than all that counts: the last ones are better than none.
		return readings[max(0, len(readings)-3):]
	}
	return readings[max(0, i-1):]
}

// Between these shares of the usual use a standstill and the leap after it make up
// for one another; the leap alone is steeper than leapt (judgement).
const stuckMeanMin, stuckMeanMax, stuckJump = 0.6, 1.6, 1.8

// dropRepeats leaves out readings that repeat the one before although the unit ran:
// the next leaps as far as it would have gone meanwhile. A person wrote down the
// old value again. A meter that stands and then goes on as usual has stood.
func dropRepeats(kept []Point) (moved, stuck []Point) {
	repeats := func(i int) bool { return i > 0 && kept[i].Value == kept[i-1].Value }
	slope := func(i, j int) float64 {
		return (kept[j].Value - kept[i].Value) / math.Max(kept[j].At.Sub(kept[i].At).Hours()/24, 1)
	}
	var slopes []float64
	repeated := false
	for i := 1; i < len(kept); i++ {
		if repeats(i) {
			repeated = true
		} else {
			slopes = append(slopes, slope(i-1, i))
		}
	}
	if !repeated || len(slopes) < 4 {
		return kept, nil
	}
	slices.Sort(slopes)
	usual := slopes[len(slopes)/2]
	for i := 0; i < len(kept); i++ {
		moved = append(moved, kept[i])
		j := i
		for j+1 < len(kept) && repeats(j+1) {
			j++
		}
		if j == i || j+1 == len(kept) {
			continue
		}
		if whole := slope(i, j+1); slope(j, j+1) > stuckJump*usual && whole > stuckMeanMin*usual && whole < stuckMeanMax*usual {
			stuck = append(stuck, kept[i+1:j+1]...)
			i = j
		}
	}
	return moved, stuck
}

// measurableUse in km or h: less than a tenth of what a meter shows at its finest (0.1) is none, and
// no rate is computed from it.
func measurableUse(use float64) float64 {
	if use < 0.01 {
		return 0
	}
	return use
}

// segmentsOf makes stretches of at least a month, or of what there is when
// that is a week or more.
func segmentsOf(kept []Point, rests []Rest) []segment {
	from, last := kept[0], kept[len(kept)-1]
	room := int(segment{from: from.At, to: last.At}.days()/segmentDays) + 1
	all := make([]segment, 0, min(room, len(kept)))
	for _, p := range kept[1:] {
		s := segment{from: from.At, to: p.At, use: measurableUse(p.Value - from.Value)}.without(rests)
		if s.days() >= segmentDays {
			all = append(all, s)
			from = p
		}
	}
	if rest := (segment{from: from.At, to: last.At, use: measurableUse(last.Value - from.Value)}).without(rests); rest.days() >= 7 {
		all = append(all, rest)
	}
	for i := range all {
		s := &all[i]
		s.first = int(s.from.Month()) - 1
		s.eachMonth(rests, func(m int, d float64) {
			s.months[m] += d
			s.touched = min(12, s.touched+1)
		})
	}
	return all
}

// restShare is the share of the average use below which a unit rests (judgement).
const restShare = 0.15

// rounds of separating season and changes of use: the second changes little, a third nothing
// that shows (judgement).
const rounds = 2

// levelsOf stretches before anything is known: the mean of all.
func levelsOf(stretches []segment) []float64 {
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
func (u *Model) levels(stretches []segment, levels []float64) {
	var all []weighted
	var at []int // index of the stretch of each
	for i := range stretches {
		if s := &stretches[i]; !s.rest {
			w := math.Max(s.weight(u.Profile), 0.5)
			all, at = append(all, weighted{s.use / w, w}), append(at, i)
		}
	}
	if len(all) == 0 {
		return
	}
	noise := dayNoise(all)
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
		// A rest belongs to the use before it.
		first, last := at[from], len(levels)
		if from == 0 {
			first = 0
		}
		if to < len(at) {
			last = at[to]
		}
		for i := first; i < last; i++ {
			levels[i] = use / weight
		}
	}
	fill(0, len(all))
}

// season fits the factor of each month: each month's use over what the level would
// have given it, by rounds of sharing a stretch out over its months, so that long
// stretches show of their months what short ones do not. How far the fit is drawn
// to the kind's profile follows from how much more its months differ than chance
// would have it (empirical Bayes: Efron and Morris 1973).
func (u *Model) season(stretches []segment, levels []float64, prior Profile) {
	days := 0.0
	for i, s := range stretches {
		if levels[i] > 0 {
			days += s.days()
		}
	}
	if days < 330 {
		return // less than a year shows no season
	}
	fitted := u.Profile
	var span [12]float64
	for range seasonRounds {
		fitted, span = shareOut(stretches, levels, fitted, prior, profileLeast)
	}
	var all []weighted
	for i, s := range stretches {
		if w := s.weight(fitted); levels[i] > 0 && w > 0 {
			all = append(all, weighted{s.use / levels[i] / w, w})
		}
	}
	// Twelve factors were fitted to as many stretches as there are.
	n := float64(len(all))
	noise := dayNoise(all) * math.Sqrt(n/(n-math.Min(11, n/2)))
	beyond, chance := 0.0, 0.0
	for m := range fitted {
		if span[m] > 0 {
			off := fitted[m] - prior[m]
			beyond += off * off / 12
			chance += noise * noise * math.Max(prior[m], 0.2) / span[m] / 12
		}
	}
	pull := profileMost
	if beyond > chance {
		pull = math.Max(profileLeast, math.Min(profileMost, noise*noise/(beyond-chance)))
	}
	u.Profile, _ = shareOut(stretches, levels, fitted, prior, pull)
}

// seasonRounds of sharing the stretches' use over their months: by then the shares move by less than a
// thousandth (judgement).
const seasonRounds = 8

// shareOut is each month's share of the use, over the days it had, drawn to the prior
// by that number of days; and those days. A stretch is shared out by the profile so far.
func shareOut(stretches []segment, levels []float64, so, prior Profile, pull float64) (next Profile, span [12]float64) {
	var use [12]float64
	for i := range stretches {
		s := &stretches[i]
		sum := s.weight(so)
		if levels[i] <= 0 || sum <= 0 {
			continue
		}
		rate := s.use / levels[i] / sum
		for j := range s.touched {
			m := s.month(j)
			span[m] += s.months[m]
			use[m] += rate * s.months[m] * so[m]
		}
	}
	average := 0.0
	for m := range next {
		next[m] = math.Max((use[m]+pull*prior[m])/(span[m]+pull), 0.01)
		average += next[m] / 12
	}
	for m := range next {
		next[m] /= average
	}
	return next, span
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
func (u *Model) weight(from, to time.Time) float64 {
	return u.until(to, Likely) - u.until(from, Likely)
}

// until is the average days of use from the year 2000 to t, without those of the rests.
func (u *Model) until(t time.Time, s Side) float64 {
	days := u.calendarUntil(t, s)
	for _, r := range u.rests {
		if t.After(r.From) {
			days -= u.calendarUntil(earlier(t, r.To), s) - u.calendarUntil(r.From, s)
		}
	}
	return days
}

// calendarUntil is the average days of use from the year 2000 to t: whole years, whole
// months, and the days of this one; by the busy profile for the early side.
func (u *Model) calendarUntil(t time.Time, s Side) float64 {
	profile, begun := &u.Profile, &u.weightBefore[0]
	if s == Early && u.SingleRest {
		profile, begun = &u.busyProfile, &u.weightBefore[1]
	}
	if begun[12] == 0 {
		for m, length := range measure.LeapYearMonths {
			begun[m+1] = begun[m] + float64(length)*profile[m]
		}
	}
	year, month, day := t.Date()
	hour, minute, second := t.Clock()
	m := int(month) - 1
	// Every year as if it were a leap year, less the days that were not.
	missing := float64(year-2000) - float64(leapsBefore(year))
	if m > 1 && !measure.IsLeap(year) {
		missing++
	}
	return float64(year-2000)*begun[12] - missing*profile[1] + begun[m] +
		(float64(day-1)+float64(hour*3600+minute*60+second)/86400)*profile[m]
}

// leapsBefore a year, from 2000 on.
func leapsBefore(year int) int {
	y := year - 1
	return y/4 - y/100 + y/400 - (1999/4 - 1999/100 + 1999/400)
}

// weighted value.
type weighted struct{ value, weight float64 }
