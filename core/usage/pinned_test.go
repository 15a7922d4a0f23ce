package usage

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"diligentledger/core/measure"
	"diligentledger/internal/pinnedtest"
)

// What is forecast from drawn meter readings: steady, seasonal, changed, mistyped, stuck and exchanged meters.
func TestPinned(t *testing.T) {
	var a pinnedtest.Answers
	for seed := range uint64(600) {
		rng := rand.New(rand.NewPCG(seed, 5))
		d := []measure.Dimension{measure.Distance, measure.EngineTime}[seed%2]
		kind := []string{"car", "truck", "motorcycle", "boat", "aircraft", ""}[rng.IntN(6)]
		rate, change := 2+60*rng.Float64(), 1+rng.IntN(600)
		points := readingsEvery(rng.IntN(1500), 1+rng.IntN(60), func(at time.Time) float64 {
			use := rate * (0.3 + 1.4*rng.Float64())
			if seed%3 == 0 && now.Sub(at) < time.Duration(change)*24*time.Hour {
				use *= []float64{3, 0.01, 400}[seed%9/3]
			}
			if kind == "boat" && (at.Month() < 4 || at.Month() > 10) {
				use = 0
			}
			return use
		})
		for n := range points {
			switch rng.IntN(30) {
			case 2:
				if seed%4 == 0 { // beyond what any wear explains
					points[n].Value = points[n].Value*1000 + float64(n)
					points[n].Raw = points[n].Value
				}
			case 0:
				points[n].Value *= 10
				points[n].Raw = points[n].Value
			case 1:
				points[n].Value /= 10
				points[n].Raw = points[n].Value
			}
		}
		name := fmt.Sprint(seed, " ", kind, " ", d, " ", len(points))
		MarkOutliers(points, d)
		accepted := Accepted(points)
		m := NewModel(accepted, ProfileOf(kind, rng.IntN(2) == 0), now)
		meant, ok := LikelyMeant(points, now, 10_000*rng.Float64(), d)
		a.Add(name, points, len(accepted), m, meant, ok)
		for n := range 5 {
			value := 10_000 + 60_000*rng.Float64()
			w, reached := m.Reaches(value)
			side, there := m.ReachesSide(value, []Side{Early, -1, 0}[n%3])
			low, likely, high, known := m.At(now.AddDate(0, 0, rng.IntN(900)-100))
			at, read := m.MeterAt(accepted, now.AddDate(0, 0, -rng.IntN(900)))
			a.Add(fmt.Sprint(name, " at ", n), w, reached, side, there, low, likely, high, known, at, read)
		}
	}
	for _, d := range []measure.Dimension{measure.Distance, measure.EngineTime, measure.Volume, ""} {
		a.Add("limits "+string(d), Floor(d), Limit(d))
	}
	a.Check(t, "pinned.txt")
}
