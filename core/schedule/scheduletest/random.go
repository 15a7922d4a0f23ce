// Package scheduletest draws random problems for the laws of package schedule and for its bench.
package scheduletest

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"time"

	"diligentledger/core/measure"
	"diligentledger/core/schedule"
)

// Kinds of bay, each with the skill that its jobs take.
var kinds = []string{"car", "heavy", "motorcycle", "dock", "hangar"}

// Size of a problem.
type Size struct{ Jobs, Days int }

// Random problem of a size, with every kind and option: closed days, absences, two sites and ways between them, some without
// any, held units, hard nights passed and to come, products with and without stock, earlier places, pins. The
// same seed draws the same problem.
func Random(seed uint64, size Size) *schedule.Problem {
	r := rand.New(rand.NewPCG(seed, 0x5eed))
	sites := 1 + r.IntN(3)
	p := &schedule.Problem{First: measure.NewDate(2026, time.November, 30), Days: size.Days, Rates: schedule.UsualRates()}
	for i := range sites {
		s := schedule.Site{ID: fmt.Sprintf("site %d", i), Open: make([]float64, size.Days)}
		for d := range s.Open {
			if d%7 < 5 && r.Float64() > 0.03 {
				s.Open[d] = 8 + 2*float64(r.IntN(2))
			}
		}
		p.Sites = append(p.Sites, s)
	}
	for a := range sites {
		p.Travel = append(p.Travel, make([]float64, sites))
		for b := range a {
			way := 0.25 * float64(1+r.IntN(6))
			if r.Float64() < 0.15 {
				way = -1
			}
			p.Travel[a][b], p.Travel[b][a] = way, way
		}
	}
	used := kinds[:1+r.IntN(len(kinds))]
	bays(r, p, used)
	people(r, p, used)
	for j := range size.Jobs {
		p.Jobs = append(p.Jobs, job(r, p, j, used))
	}
	if r.Float64() < 0.4 {
		stock(r, p)
	}
	return p
}

// Workshop draws a problem as a county's workshops have them: three sites with their own bays, a person or two with most of the
// skills at each, closed weekends, visits of two to five hours whose windows open over the weeks, and hours that they nearly fill. The same seed draws the
// same problem.
func Workshop(seed uint64, size Size) *schedule.Problem {
	r := rand.New(rand.NewPCG(seed, 0xfa11))
	p := &schedule.Problem{First: measure.NewDate(2026, time.November, 30), Days: size.Days, Rates: schedule.UsualRates(),
		Travel: [][]float64{{0, 0.5, 1}, {0.5, 0, 0.75}, {1, 0.75, 0}}}
	shops := [][]string{{"car", "heavy", "motorcycle"}, {"car", "dock"}, {"car", "hangar"}}
	// A person works off about two visits a day, five days of the week.
	many := max(1, (size.Jobs*7/5)/(size.Days*2)/len(shops))
	for i, shop := range shops {
		s := schedule.Site{ID: fmt.Sprintf("site %d", i), Open: make([]float64, size.Days)}
		for d := range s.Open {
			if d%7 < 5 {
				s.Open[d] = 9
			}
		}
		p.Sites = append(p.Sites, s)
		for _, kind := range shop {
			for n := range many + r.IntN(2) {
				p.Bays = append(p.Bays, schedule.Bay{ID: fmt.Sprintf("%d %s %d", i, kind, n), Site: i, Kind: kind})
			}
		}
		for n := range many + 1 {
			w := schedule.Person{ID: fmt.Sprintf("person %d %d", i, n), Site: i, Skills: slices.Clone(shop), Hours: make([]float64, size.Days), Overtime: 1}
			if n > 0 {
				w.Skills = []string{shop[r.IntN(len(shop))], kinds[r.IntN(len(kinds))], "high voltage"}
			}
			away := absences(r, size.Days, 0.1)
			for d := range w.Hours {
				if d%7 < 5 && !(away[d] && r.Float64() < 0.5) {
					w.Hours[d] = 7.5
				}
			}
			p.People = append(p.People, w)
		}
	}
	for n := range size.Jobs {
		i := r.IntN(len(shops))
		j := job(r, p, n, shops[i])
		j.Site, j.Before, j.Pinned = i, nil, false
		j.Hands, j.Cool, j.Run = 1.5+2.5*r.Float64(), []float64{1, 4}[r.IntN(2)], 0.75
		p.Jobs = append(p.Jobs, j)
	}
	return p
}

func bays(r *rand.Rand, p *schedule.Problem, used []string) {
	for s := range p.Sites {
		for _, kind := range used {
			for n := range r.IntN(3) {
				b := schedule.Bay{ID: fmt.Sprintf("%d %s %d", s, kind, n), Site: s, Kind: kind}
				if r.Float64() < 0.3 {
					b.Closed = absences(r, p.Days, 0.2)
				}
				p.Bays = append(p.Bays, b)
			}
		}
	}
	if len(p.Bays) == 0 {
		p.Bays = append(p.Bays, schedule.Bay{ID: "only", Kind: used[0]})
	}
}

// absences of a row of days.
func absences(r *rand.Rand, days int, share float64) []bool {
	away := make([]bool, days)
	from, n := r.IntN(days), 1+int(share*float64(days)*2*r.Float64())
	for d := from; d < min(days, from+n); d++ {
		away[d] = true
	}
	return away
}

func people(r *rand.Rand, p *schedule.Problem, used []string) {
	for i := range 1 + r.IntN(2+len(p.Sites)) {
		w := schedule.Person{ID: fmt.Sprintf("person %d", i), Site: r.IntN(len(p.Sites)), Hours: make([]float64, p.Days), Overtime: float64(r.IntN(3))}
		for _, kind := range used {
			if r.Float64() < 0.6 {
				w.Skills = append(w.Skills, kind)
			}
		}
		if r.Float64() < 0.3 {
			w.Skills = append(w.Skills, "high voltage")
		}
		away := absences(r, p.Days, 0.2)
		for d := range w.Hours {
			if d%7 < 5 && !(away[d] && r.Float64() < 0.5) {
				w.Hours[d] = 6 + float64(r.IntN(3))
			}
		}
		p.People = append(p.People, w)
	}
}

func job(r *rand.Rand, p *schedule.Problem, n int, used []string) schedule.Job {
	kind := used[r.IntN(len(used))]
	j := schedule.Job{ID: fmt.Sprintf("job %03d", n), Site: r.IntN(len(p.Sites)), Bay: kind, Skills: []string{kind}, Cool: 4 * r.Float64(), Hands: 0.5 + 4*r.Float64(), Run: r.Float64()}
	if r.Float64() < 0.1 {
		j.Skills = append(j.Skills, "high voltage")
	}
	span := float64(p.Days)
	for range 1 + r.IntN(3) {
		at := span * (1.8*r.Float64() - 0.3)
		wide := 0.6 * span * r.Float64()
		if r.Float64() < 0.3 {
			wide = 0
		}
		j.Clocks = append(j.Clocks, schedule.Clock{Kind: "age", P10: at - wide*r.Float64(), P50: at, P90: at + wide*r.Float64(), Renews: r.Float64() < 0.6})
	}
	switch v := r.Float64(); {
	case v < 0.2:
		hard := r.IntN(p.Days)
		j.Hard = &hard
	case v < 0.25:
		passed := -1 - r.IntN(20)
		j.Hard = &passed
	}
	j.Held = r.Float64() < 0.1
	if r.Float64() < 0.5 {
		j.Unit = fmt.Sprintf("unit %d", n/3)
	}
	if r.Float64() < 0.2 {
		j.Away = absences(r, p.Days, 0.4)
	}
	if r.Float64() < 0.2 {
		j.Earliest = r.IntN(p.Days)
	}
	if r.Float64() < 0.7 {
		j.Product, j.Litres, j.Mixed = fmt.Sprintf("product %d", r.IntN(3)), 4+20*r.Float64(), r.Float64() < 0.7
	}
	if r.Float64() < 0.6 {
		j.FollowUps = []int{1, 3}
	}
	if r.Float64() < 0.3 && len(p.People) > 0 {
		j.Before = &schedule.Place{Day: r.IntN(p.Days), Bay: r.IntN(len(p.Bays)), Person: r.IntN(len(p.People))}
		// A person who is pinned to two sites on a day would be counted one way by the rules, and two by a programme.
		j.Pinned = r.Float64() < 0.3 && !slices.ContainsFunc(p.Jobs, func(o schedule.Job) bool {
			return o.Pinned && o.Before.Day == j.Before.Day && o.Before.Person == j.Before.Person
		})
	}
	return j
}

func stock(r *rand.Rand, p *schedule.Problem) {
	for s := range p.Sites {
		of := schedule.Stock{Site: s, Product: fmt.Sprintf("product %d", r.IntN(3)), Supply: make([]float64, p.Days)}
		level := 60 * r.Float64()
		for d := range of.Supply {
			if r.Float64() < 0.1 {
				level += 100 * r.Float64()
			}
			of.Supply[d] = level
		}
		p.Stock = append(p.Stock, of)
	}
}
