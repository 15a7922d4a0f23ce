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
	if n := len(a.leaks); n > lastIntervals {
		a.leaks = a.leaks[n-lastIntervals:] // and the one that begins the first of them
	}
	a.leaks = append(slices.Clip(a.leaks), leaked{at, v, sigma})
}

// LeakRate is how fast coolant goes, with its standard uncertainty.
type LeakRate struct {
	_ struct{} `cbor:",toarray"`

	Rate, Sigma float64 // L per Per
	Per         string  // Per1000Km, Per100H or PerMonth
	Litres      measure.Litre
	Events      int
	Since       time.Time // the interval that the rate rests on begins here
}

// What a leak may be related to.
const (
	Per1000Km = "1000km"
	Per100H   = "100h"
	PerMonth  = "month"
)

const (
	// minLeakSpan below which a rate means nothing (judgement: a week of runs).
	minLeakSpan = 7 * 24 * time.Hour
	// lastIntervals that a rate rests on at most (common practice: a leak is as bad
	// as its last two or three top-ups, not as the whole life of the charge).
	lastIntervals = 3
)

// Leak is the rate at which coolant goes, from the losses of the last intervals
// between top-ups of a full system, losses and level checks. It is nil when
// nothing went, or no more than the error of measuring. Only entries that show
// coolant gone, or the level held, count: a note or a meter reading changes
// nothing. Of the last one, two or three intervals those count that show the
// fastest loss for sure (rate less its uncertainty), so that a leak that has begun
// is not hidden by the time before. It is related to the meter when the meter
// ran, else to the month of measure.DaysPerMonth.
func (a *Account) Leak() *LeakRate {
	if a.restored || a.leakKept {
		return a.leak
	}
	var worst *LeakRate
	for n := 1; n <= min(lastIntervals, len(a.leaks)); n++ {
		l := a.leakOver(n)
		if l != nil && (worst == nil || l.Rate-l.Sigma > worst.Rate-worst.Sigma && l.Per == worst.Per) {
			worst = l
		}
	}
	return worst
}

// leakOver the last n intervals; nil when they are too short, or show no more
// than the error of measuring.
func (a *Account) leakOver(n int) *LeakRate {
	first := len(a.leaks) - n
	start, end := a.leaksCountFrom, a.leaks[len(a.leaks)-1].at
	if first > 0 {
		start = a.leaks[first-1].at
	} else if start.IsZero() {
		return nil // nothing shows when the system was last full
	}
	// A level that held for longer than the intervals did shows it slower.
	if held := a.levelHeldAt.Sub(end); held > end.Sub(start)/time.Duration(n) {
		end = a.levelHeldAt
	}
	if end.Sub(start) < minLeakSpan {
		return nil
	}
	l := LeakRate{Events: n, Since: start}
	variance := 2 * math.Pow(sigmaLevel*float64(a.Unit.Capacity), 2) // of the level at both ends
	for _, e := range a.leaks[first:] {
		l.Litres += e.litres
		variance += e.sigma * e.sigma
	}
	l.Per = PerMonth
	span := end.Sub(start).Hours() / 24 / measure.DaysPerMonth
	from, ok1 := a.At(start)
	if !ok1 && len(a.Points) > 0 {
		from, ok1 = a.Points[0].Value, a.Points[0].At.Sub(start) < minLeakSpan
	}
	if to, ok2 := a.At(end); ok1 && ok2 && to > from {
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

// Shares of the charge that are missing at a mark, below the upper one (common
// practice: the band between the cold marks is about a twentieth of the charge).
var markShare = map[string]float64{"above": -0.01, "max": 0, "between": 0.025, "min": 0.05, "below": 0.08, "empty": 0.15}

// coolHours after which a system counts as cold (common practice).
const coolHours = 4

// millimetres is the mark equivalent to a level that was measured from the upper
// one; false when the register does not know how far apart the marks are.
func (u Unit) millimetres(over float64) (mark string, ok bool) {
	switch {
	case u.Marks <= 0:
		return "", false
	case over > 0.1*u.Marks:
		return "above", true
	case over >= -0.1*u.Marks:
		return "max", true
	case over > -0.9*u.Marks:
		return "between", true
	case over >= -u.Marks:
		return "min", true
	}
	return "below", true
}

// level holds a level against the cold marks and the book's litres. Only a cold
// level proves anything, but for one: what is low when hot is lower still when
// cold. Below the lower mark air gets in: the unit must not run until it was topped
// up and the level seen cold again.
func (a *Account) level(line *Line, b LevelCheck) {
	at := line.Entry.At
	mark, judged := b.Mark, true
	missing, sigma := markShare[mark]*float64(a.Filled), sigmaLevel*float64(a.Filled)
	if b.Over != nil {
		mm, err := b.Over.Metric(measure.Length)
		if err != nil {
			return
		}
		if mark, judged = a.Unit.millimetres(mm); !judged {
			line.note(NoteMarksUnknown)
			line.Grade = coolant.GradeUnknown
			if b.Temper != Hot && mm < 0 && a.LevelUnknown == "" {
				a.LevelUnknown = LevelNotJudged
			}
			return
		}
		missing = markShare[mark] * float64(a.Filled)
		if a.Unit.Tank == 0 {
			line.note(NoteNoTank)
		} else if mark != "below" {
			missing, sigma = -mm*float64(a.Unit.Tank), math.Max(leastOfJug, 2*float64(a.Unit.Tank))
		}
	}
	low := mark == "below" || mark == "empty"
	if b.Place == PlaceBottle && !low {
		line.note(NoteBottle)
		line.Grade = pick(mark == "min", coolant.GradeSoft, coolant.GradeUnknown)
		return
	}
	line.Grade = coolant.GradeGood
	switch {
	case low:
		line.Grade = coolant.GradeBad
		a.Low = &LowLevel{Mark: mark, Entry: line.Entry.ID, At: at}
	case mark == "min":
		line.Grade = coolant.GradeSoft
	}
	a.judged(Finding{Point: "level", State: mark, Grade: line.Grade, At: at, Entry: line.Entry.ID})
	if b.Temper == Hot && !low && mark != "min" {
		line.note(NoteLevelHot)
		return
	}
	if b.Temper != Hot {
		if !low {
			a.Low = nil
		}
		a.coldLevel(line, mark)
	}
	unseen := a.LevelUnknown == LevelNeverSeen
	if b.Temper != Hot {
		a.levelSeen, a.LevelUnknown = !low && mark != "min", ""
	}
	if !a.Known {
		return
	}
	if shown := float64(a.Filled) - missing; unseen && b.Temper != Hot {
		// The litres were those of a full system: now they are seen, and nothing shows that any were lost.
		a.Charge, a.volume = scaleTo(a.Charge, measure.Litre(shown)), sigma
		a.full = max(a.full, measure.Litre(shown))
		a.leaks, a.leaksCountFrom, a.levelHeldAt, a.figures.done = nil, at, at, false
		return
	}
	shown, book := float64(a.Filled)-missing, float64(a.Charge.Volume())
	off := shown - book
	if math.Abs(off) <= 2*math.Hypot(sigma, a.volume) {
		a.volume = math.Min(a.volume, sigma)
		if !low && mark != "min" {
			a.levelHeldAt = at
		}
		return
	}
	if off > 0 && b.Temper == Hot {
		return // a hot level proves nothing to be there
	}
	line.Implied = measure.Litre(math.Abs(off))
	if off < 0 {
		line.note(NoteLevelLow)
		if a.settling(at) {
			line.note(NoteSettling)
			a.leaksCountFrom = at
		} else {
			a.leaked(at, measure.Litre(-off), math.Hypot(sigma, a.volume))
		}
		a.Charge = a.Charge.Remove(measure.Litre(-off))
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

// mostLevelChecks that are kept of one charge: more than any plan asks for (judgement).
const mostLevelChecks = 40

// coldLevel settles what was owed until the level had been seen cold. A fill that
// trapped air may be released once the level was seen at the upper mark or above
// it four hours or more after the fill; the release is for another person to write.
func (a *Account) coldLevel(line *Line, mark string) {
	at := line.Entry.At
	a.LevelAt = at
	if r := a.RefilledAt; r != nil && at.Sub(*r).Hours() >= coolHours && len(a.LevelChecks) < mostLevelChecks {
		a.LevelChecks = append(slices.Clip(a.LevelChecks), at)
	}
	for _, o := range a.Pending {
		if o.What == CheckLevel && at.Sub(o.Since).Hours() >= coolHours {
			a.completeCheck(CheckLevel)
			break
		}
	}
	if a.Air == nil || at.Sub(a.Air.At).Hours() < coolHours {
		return
	}
	if mark == "max" || mark == "above" {
		a.AirSeen, a.AirBy = line.Entry.ID, KindLevelCheck
	} else {
		a.AirSeen = "" // it has fallen again
	}
}
