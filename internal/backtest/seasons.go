package backtest

import (
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"time"

	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/usage"
)

// SeasonRule makes a fleet of units that rest for a part of the year. Each unit
// draws how it is read, how evenly it is used and how many of its seasons are known
// when it is asked.
type SeasonRule struct {
	Name  string
	Meter measure.Unit
	Kind  string // of unit, for the profile that the model begins with
	// use of a day, as a share of an average day in its season; 0 at rest.
	use func(day time.Time) float64
	// usual use of a day in the season, km or h, least and most of the fleet.
	least, most float64
	// layUps: it is laid up once, for four to ten months.
	layUps bool
}

// SeasonRules are the fleets: boats, motorcycles, ploughs, school buses, and units
// that were laid up and came back.
var SeasonRules = []SeasonRule{
	{Name: "boats", Meter: measure.H, Kind: "boat", least: 0.3, most: 2, use: func(t time.Time) float64 {
		return within(t.Month() >= time.May && t.Month() <= time.September)
	}},
	{Name: "motorcycles", Meter: measure.Km, Kind: "motorcycle", least: 8, most: 40, use: func(t time.Time) float64 {
		return within(t.Month() >= time.April && t.Month() <= time.October) * (1.1 + 0.4*math.Cos(2*math.Pi*(float64(t.YearDay())-200)/365))
	}},
	{Name: "ploughs", Meter: measure.H, Kind: "truck", least: 1, most: 6, use: func(t time.Time) float64 {
		return within(t.Month() >= time.November || t.Month() <= time.March)
	}},
	{Name: "school buses", Meter: measure.Km, Kind: "truck", least: 60, most: 220, use: func(t time.Time) float64 {
		holiday := t.Month() == time.July || t.Month() == time.August && t.Day() <= 15 || t.Month() == time.December && t.Day() >= 21 ||
			t.Month() == time.October && t.Day() >= 8 && t.Day() <= 14
		return within(!holiday && t.Weekday() != time.Saturday && t.Weekday() != time.Sunday)
	}},
	{Name: "laid up", Meter: measure.Km, Kind: "car", least: 10, most: 80, layUps: true, use: func(time.Time) float64 { return 1 }},
}

func within(on bool) float64 {
	if on {
		return 1
	}
	return 0
}

// reading patterns: the days between readings, and whether they are irregular.
var patterns = []struct {
	name      string
	every     int
	irregular bool
}{{"weekly", 7, false}, {"monthly", 30, false}, {"twice a year", 182, false}, {"irregular days", 75, true}}

// SeasonHistory is a unit of such a fleet, with what it drew.
type SeasonHistory struct {
	History
	Seasons   int // known when it is asked for the first time, 1 to 5
	Pattern   string
	Scattered bool
}

// Make n units by the rule.
func (r SeasonRule) Make(seed uint64, n int) []SeasonHistory {
	var all []SeasonHistory
	for i := range n {
		rng := rand.New(rand.NewPCG(seed, uint64(i)))
		pattern := patterns[i%len(patterns)]
		h := SeasonHistory{History: History{Name: r.Name, Profile: usage.ProfileOf(r.Kind, false), Start: start.AddDate(0, 0, rng.IntN(365))},
			Seasons: 1 + i/len(patterns)%5, Pattern: pattern.name, Scattered: i/(len(patterns)*5)%2 == 1}
		days := 365*h.Seasons + 700
		use := r.live(rng, h, days)
		sum := 500 * rng.Float64()
		h.True = make([]float64, days)
		for d, v := range use {
			sum += v
			h.True[d] = sum
		}
		unit := ledger.Unit{Meter: r.Meter.Dimension(), Capacity: 1}
		var entries []ledger.Entry
		for d := rng.IntN(pattern.every); d < days; {
			v := measure.Reading{Value: math.Round(h.True[d]*10) / 10, Unit: r.Meter}
			if r.Meter == measure.Km {
				v.Value = math.Round(v.Value)
			}
			entries = append(entries, ledger.Entry{ID: fmt.Sprint(len(entries)), At: h.Start.AddDate(0, 0, d+1), Body: ledger.Meter{Meter: v}})
			if pattern.irregular {
				d += 10 + rng.IntN(2*pattern.every-20)
			} else {
				d += max(1, pattern.every+rng.IntN(3)-1)
			}
		}
		h.Readings = ledger.Fold(unit, entries).Readings
		all = append(all, h)
	}
	return all
}

// live is the use of each day.
func (r SeasonRule) live(rng *rand.Rand, h SeasonHistory, days int) []float64 {
	usual := r.least + (r.most-r.least)*rng.Float64()
	away, back := days, days
	if r.layUps {
		away = 60 + rng.IntN(max(1, 365*h.Seasons-60))
		back = away + 120 + rng.IntN(180)
	}
	use := make([]float64, days)
	sooner, month, year, last := 0, 1.0, 1.0, time.Month(0)
	for d := range use {
		day := h.Start.AddDate(0, 0, d)
		if d == 0 || day.YearDay() == 180 {
			sooner = int(math.Round(6 * rng.NormFloat64()))
			year = math.Exp(0.12 * rng.NormFloat64())
		}
		if m := day.Month(); m != last {
			last, month = m, 1
			if h.Scattered {
				month = math.Exp(0.5*rng.NormFloat64() - 0.125)
			}
		}
		if d >= away && d < back {
			continue
		}
		use[d] = usual * r.use(day.AddDate(0, 0, sooner)) * year * month
		if h.Scattered && rng.Float64() < 0.5 {
			use[d] = 0
		} else if h.Scattered {
			use[d] *= 2
		}
	}
	return use
}

// SeasonScore of a fleet that rests.
type SeasonScore struct {
	Fleet string
	Score
	// Late by more than 30 days: the middle of the window came so much after the day
	// itself, or no day was given. Missed: even the window's first day did.
	Late, Missed, Never int
}

// lateDays after the day itself a forecast is late.
const lateDays = 30 * 24 * time.Hour

// Seasons asks each unit, as of each month of the year after its known seasons, for
// the day on which its meter comes to what it came to 60, 150 or 300 days later. A
// unit that is forecast never to be due is wrong, and late.
func Seasons(fleet string, all []SeasonHistory) SeasonScore {
	s := SeasonScore{Fleet: fleet}
	for _, h := range all {
		s.life()
		for day := 365 * h.Seasons; day < 365*(h.Seasons+1); day += 30 {
			asOf := h.Start.AddDate(0, 0, day)
			n := 0
			for n < len(h.Readings) && !h.Readings[n].At.After(asOf) {
				n++
			}
			if n < 2 {
				continue
			}
			model := usage.NewModel(h.Readings[:n], h.Profile, asOf)
			for _, ahead := range horizons {
				if day+ahead >= len(h.True) || h.True[day+ahead] == h.True[day+ahead-7] {
					continue // at rest that week: no interval ends there
				}
				truth := h.reached(h.True[day+ahead])
				w, ok := model.Reaches(h.True[day+ahead])
				if !ok {
					s.count(false)
					s.Never, s.Late, s.Missed = s.Never+1, s.Late+1, s.Missed+1
					continue
				}
				s.add(w, truth)
				if w.P50.Sub(truth) > lateDays {
					s.Late++
				}
				if w.P10.Sub(truth) > lateDays {
					s.Missed++
				}
			}
		}
	}
	return s
}

// PrintSeasons as a table.
func PrintSeasons(out io.Writer, all []SeasonScore) {
	fmt.Fprintf(out, "%-28s %9s  %12s  %8s  %11s  %12s  %6s\n", "fleet that rests", "forecasts", "in window", "error", "P50 30 late", "P10 30 late", "never")
	for _, s := range all {
		share := func(n int) float64 { return 100 * float64(n) / math.Max(1, float64(s.Forecasts)) }
		fmt.Fprintf(out, "%-28s %9d  %s  %6.1f d  %9.1f %%  %10.1f %%  %4.1f %%\n", s.Fleet, s.Forecasts, s.share(), s.Median(), share(s.Late), share(s.Missed), share(s.Never))
	}
}
