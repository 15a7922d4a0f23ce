package ledger

import (
	"math"
	"slices"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// leaked is coolant that went without being drained.
type leaked struct {
	at     time.Time
	litres measure.Litre
	sigma  float64
}

func (a *Account) leaked(at time.Time, v measure.Litre, sigma float64) {
	a.leaks = append(a.leaks, leaked{at, v, sigma})
}

// LeakRate is how fast coolant goes, with its standard uncertainty.
type LeakRate struct {
	Rate, Sigma float64 // L per Per
	Per         string  // of LeakBases
	Litres      measure.Litre
	Events      int
	Since       time.Time
}

// What a leak may be reckoned by.
const (
	Per1000Km = "1000km"
	Per100H   = "100h"
	PerMonth  = "month"
)

// minLeakSpan below which a rate means nothing.
const minLeakSpan = 7 * 24 * time.Hour

// Leak is the rate at which coolant goes, from top-ups of a full system, losses
// and level checks since the last renewal. It is nil when nothing went, or no
// more than the error of measuring. It is reckoned by the meter when the meter
// ran, else by the month of 30.44 days.
func (a *Account) Leak() *LeakRate {
	if len(a.Lines) == 0 {
		return a.leak
	}
	if len(a.leaks) == 0 {
		return nil
	}
	start := a.Lines[0].Entry.At
	if a.renewal >= 0 {
		start = a.Lines[a.renewal].Entry.At
	}
	end := a.Lines[len(a.Lines)-1].Entry.At
	if end.Sub(start) < minLeakSpan {
		return nil
	}
	l := LeakRate{Events: len(a.leaks), Since: start}
	variance := 2 * math.Pow(sigmaLevel*float64(a.Unit.Capacity), 2) // of the level at both ends
	for _, e := range a.leaks {
		l.Litres += e.litres
		variance += e.sigma * e.sigma
	}
	l.Per = PerMonth
	span := end.Sub(start).Hours() / 24 / 30.44
	from, ok1 := a.meterAt(start)
	if !ok1 && len(a.Points) > 0 {
		from, ok1 = a.Points[0].Value, a.Points[0].At.Sub(start) < minLeakSpan
	}
	if to, ok2 := a.meterAt(end); ok1 && ok2 && to > from {
		switch {
		case a.Unit.Meter == measure.Distance && to-from >= 100:
			l.Per, span = Per1000Km, (to-from)/1000
		case a.Unit.Meter == measure.EngineTime && to-from >= 5:
			l.Per, span = Per100H, (to-from)/100
		}
	}
	l.Rate, l.Sigma = float64(l.Litres)/span, math.Sqrt(variance)/span
	if l.Rate < 2*l.Sigma {
		return nil
	}
	return &l
}

// Shares of the charge that a mark stands for, below the upper one (common
// practice: the band between the cold marks is about a twentieth of the charge).
var markShare = map[string]float64{"above": -0.01, "max": 0, "between": 0.025, "min": 0.05, "below": 0.08, "empty": 0.15}

// coolHours after which a system counts as cold (common practice).
const coolHours = 4

// level holds a level against the book's litres. Only a cold level proves
// anything, but for one: what is low when hot is lower still when cold.
func (a *Account) level(line *Line, b LevelCheck) {
	at := line.Entry.At
	missing, sigma := markShare[b.Mark]*float64(a.Filled), sigmaLevel*float64(a.Filled)
	low := b.Mark == "min" || b.Mark == "below" || b.Mark == "empty"
	if b.Over != nil {
		mm, err := b.Over.Metric(measure.Length)
		if err != nil || a.Unit.Tank == 0 {
			line.note(NoteNoTank)
			return
		}
		missing, low = -mm*float64(a.Unit.Tank), false
		sigma = math.Max(leastOfJug, 2*float64(a.Unit.Tank))
	}
	line.Grade = coolant.GradeGood
	if b.Mark == "min" {
		line.Grade = coolant.GradeSoft
	} else if low {
		line.Grade = coolant.GradeBad
	}
	if b.Temper == Hot && !low {
		line.note(NoteLevelHot)
		return
	}
	if b.Temper != Hot {
		a.coldLevel(at, line.Grade)
	}
	if !a.Known {
		return
	}
	shown, book := float64(a.Filled)-missing, float64(a.Charge.Volume())
	off := shown - book
	if math.Abs(off) <= 2*math.Hypot(sigma, a.volume) {
		a.volume = math.Min(a.volume, sigma)
		return
	}
	line.Implied = measure.Litre(math.Abs(off))
	if off < 0 {
		line.note(NoteLevelLow)
		a.leaked(at, measure.Litre(-off), math.Hypot(sigma, a.volume))
		a.Charge = a.Charge.Take(measure.Litre(-off))
	} else {
		line.note(NoteLevelHigh)
		a.Charge = scaleTo(a.Charge, measure.Litre(shown))
		a.full = max(a.full, measure.Litre(shown))
		// What came in may have been water.
		a.strength = math.Hypot(a.strength, a.Charge.MassFraction()*off/shown)
	}
	a.volume = sigma
	a.changed()
}

// mostLooks that are kept of one charge: more than any plan asks for.
const mostLooks = 40

// coldLevel settles what was owed until the level had been seen cold.
func (a *Account) coldLevel(at time.Time, grade coolant.Grade) {
	a.LevelAt = at
	if r := a.RefilledAt; r != nil && at.Sub(*r).Hours() >= coolHours && len(a.Looks) < mostLooks {
		a.Looks = append(slices.Clip(a.Looks), at)
	}
	for _, o := range a.Owed {
		if o.What == OwedLevel && at.Sub(o.Since).Hours() >= coolHours {
			a.settle(OwedLevel)
			break
		}
	}
	if a.Air != nil && grade == coolant.GradeGood && at.Sub(a.Air.At).Hours() >= coolHours {
		a.Air = nil
	}
}
