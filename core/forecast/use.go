package forecast

import (
	"math"
	"slices"
	"time"

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
	// driftLeast of the rate in a year, relative, without any change of use.
	driftLeast = 0.01
	// priorSpread of a month's use, relative, reckoned with before there is data,
	// and priorStretches what it counts for.
	priorSpread, priorStretches = 0.2, 0.5
	// seasonDays by which a season comes sooner or later, one standard deviation.
	seasonDays = 2.0
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

	swing  float64     // between the busiest and the quietest month
	noise  float64     // standard deviation of a day's use, over the rate
	doubt  float64     // standard deviation of the rate, relative
	hazard float64     // changes of use a year
	begun  [13]float64 // average days of use before each month of a leap year
}

// stretch is the use between two readings.
type stretch struct {
	from, to time.Time
	use      float64
	months   [12]float64 // days of it in each month
	first    int         // month that it begins in
	touched  int         // months from then on that it has days in, 12 at most
}

// month is the i-th it has days in.
func (s *stretch) month(i int) int {
	if i += s.first; i >= 12 {
		i -= 12
	}
	return i
}

func (s stretch) days() float64 { return s.to.Sub(s.from).Hours() / 24 }

// weight is the days of average use in the stretch, the season counted.
func (s *stretch) weight(p Profile) (w float64) {
	for i := range s.touched {
		m := s.month(i)
		w += s.months[m] * p[m]
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
// of sharing a stretch out over its months), and the rate of the stretches without
// their season, as it is since the last change of use.
func NewUseModel(readings []ledger.MeterPoint, profile Profile, today time.Time) UseModel {
	u := UseModel{Profile: profile, Spread: priorSpread}
	readings = recent(readings, today)
	kept, suspects := plausible(readings)
	kept, stuck := moving(kept)
	u.Suspects = append(suspects, stuck...)
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

// Between these shares of the usual use a standstill and the leap after it make up
// for one another; the leap alone is steeper than leapt.
const makesUpLeast, makesUpMost, leapt = 0.6, 1.6, 1.8

// moving leaves out readings that repeat the one before although the unit ran:
// the next leaps as far as it would have gone meanwhile. Somebody wrote down the
// old value again. A meter that stands and then goes on as usual has stood.
func moving(kept []ledger.MeterPoint) (moved, stuck []ledger.MeterPoint) {
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
		if whole := slope(i, j+1); slope(j, j+1) > leapt*usual && whole > makesUpLeast*usual && whole < makesUpMost*usual {
			stuck = append(stuck, kept[i+1:j+1]...)
			i = j
		}
	}
	return moved, stuck
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
	from, last := kept[0], kept[len(kept)-1]
	room := int(stretch{from: from.At, to: last.At}.days()/stretchDays) + 1
	all := make([]stretch, 0, min(room, len(kept)))
	for _, p := range kept[1:] {
		s := stretch{from: from.At, to: p.At, use: p.Value - from.Value}
		if s.days() >= stretchDays {
			all = append(all, s)
			from = p
		}
	}
	if rest := (stretch{from: from.At, to: last.At, use: last.Value - from.Value}); rest.days() >= 7 {
		all = append(all, rest)
	}
	for i := range all {
		s := &all[i]
		s.first = int(s.from.Month()) - 1
		eachMonth(s.from, s.to, func(m int, d float64) {
			s.months[m] += d
			s.touched = min(12, s.touched+1)
		})
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

// season fits the factor of each month: each month's use over what the level would
// have given it, by rounds of sharing a stretch out over its months, so that long
// stretches tell of their months what short ones do not. How far the fit is drawn
// to the kind's profile follows from how much more its months differ than chance
// would have it (empirical Bayes: Efron and Morris 1973).
func (u *UseModel) season(stretches []stretch, levels []float64, prior Profile) {
	days := 0.0
	for i, s := range stretches {
		if levels[i] > 0 {
			days += s.days()
		}
	}
	if days < 330 {
		return // less than a year tells no season
	}
	fitted := u.Profile
	var span [12]float64
	for range sharings {
		fitted, span = shared(stretches, levels, fitted, prior, profileLeast)
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
	u.Profile, _ = shared(stretches, levels, fitted, prior, pull)
}

// sharings of the stretches' use over their months.
const sharings = 8

// shared is each month's share of the use, over the days it had, drawn to the prior
// by so many days; and those days. A stretch is shared out by the profile so far.
func shared(stretches []stretch, levels []float64, so, prior Profile, pull float64) (next Profile, span [12]float64) {
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
func (u *UseModel) weight(from, to time.Time) float64 { return u.until(to) - u.until(from) }

// until is the average days of use from the year 2000 to t: whole years, whole
// months, and the days of this one.
func (u *UseModel) until(t time.Time) float64 {
	if u.begun[12] == 0 {
		for m, length := range leapMonths {
			u.begun[m+1] = u.begun[m] + float64(length)*u.Profile[m]
		}
	}
	year, month, day := t.Date()
	hour, minute, second := t.Clock()
	m := int(month) - 1
	// Every year as if it were a leap year, less the days that were not.
	missing := float64(year-2000) - float64(leapsBefore(year))
	if m > 1 && !leap(year) {
		missing++
	}
	return float64(year-2000)*u.begun[12] - missing*u.Profile[1] + u.begun[m] +
		(float64(day-1)+float64(hour*3600+minute*60+second)/86400)*u.Profile[m]
}

// leapsBefore a year, from 2000 on.
func leapsBefore(year int) int {
	y := year - 1
	return y/4 - y/100 + y/400 - (1999/4 - 1999/100 + 1999/400)
}

// weighted value.
type weighted struct{ value, weight float64 }
