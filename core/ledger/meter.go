package ledger

import (
	"slices"
	"time"

	"diligentledger/core/measure"
	"diligentledger/core/usage"
)

// MeterPoint is one meter reading, in km or h.
type MeterPoint = usage.Point

// meter takes a reading in. Which readings can be true is asked when all are
// there, see settleMeter: it must not depend on which came first.
func (a *Account) meter(line *Line, r measure.Reading) {
	if r.Unit.Dimension() != a.Unit.Meter {
		line.note(NoteOtherMeter)
		return
	}
	v, err := r.Metric(a.Unit.Meter)
	if err != nil {
		return
	}
	a.reading(line, v)
}

func (a *Account) reading(line *Line, raw float64) {
	a.Readings = append(a.Readings, MeterPoint{At: line.Entry.At, Raw: raw, Meter: a.meterChanges})
	a.readingLine = append(a.readingLine, a.earlier+len(a.Lines)-1)
}

func (a *Account) changeMeter(line *Line, b MeterChange) {
	if b.New.Unit.Dimension() != a.Unit.Meter {
		line.note(NoteOtherMeter)
		return
	}
	if b.Old != nil {
		a.meter(line, *b.Old)
	}
	v, err := b.New.Metric(a.Unit.Meter)
	if err != nil {
		return
	}
	if len(a.Readings) > 0 {
		a.meterChanges++
	}
	a.reading(line, v)
}

// settleMeter judges all readings together, notes those that cannot be true, and
// writes into each line the use since the renewal before it. Complexity: a step a
// line, and one for each pair of readings that are out of order.
func (a *Account) settleMeter() {
	if len(a.Readings) == 0 {
		return
	}
	usage.MarkOutliers(a.Readings, a.Unit.Meter)
	a.Points = usage.Accepted(a.Readings)
	for i, p := range a.Readings {
		n := a.readingLine[i] - a.earlier
		if n < 0 {
			continue // of an account that was stored without its lines
		}
		line := &a.Lines[n]
		if line.Notes = slices.DeleteFunc(line.Notes, func(n Note) bool { return n == NoteMeterOutlier }); len(line.Notes) == 0 {
			line.Notes = nil
		}
		if p.Outlier {
			line.note(NoteMeterOutlier)
		}
	}
	startsAt, started := 0.0, false
	if a.earlier > 0 && !a.usesFrom.IsZero() {
		startsAt, started = a.meterAt(a.usesFrom)
	}
	next := 0 // first point after the line
	for i := range a.Lines {
		line := &a.Lines[i]
		for next < len(a.Points) && !a.Points[next].At.After(line.Entry.At) {
			next++
		}
		if line.Struck != nil || line.Entry.Kind() == KindStrike {
			continue
		}
		switch {
		case line.begins:
			startsAt, started = a.meterAt(line.Entry.At)
		case line.forgets:
			startsAt, started = 0, false
		}
		line.After.Used = nil
		if started && next > 0 {
			used := a.Points[next-1].Value - startsAt
			if used < 0 { // the renewal lies between two readings
				used = 0
			}
			line.After.Used = &used
		}
	}
	a.startsAt, a.started = startsAt, started
	a.Balance.Used = nil
	if started {
		used := max(0, a.Points[len(a.Points)-1].Value-startsAt)
		a.Balance.Used = &used
	}
}

// RenewalMeter is the meter at the last renewal, continued through changes of the
// meter; false when no reading shows it.
func (a *Account) RenewalMeter() (float64, bool) {
	return a.startsAt, a.started && a.Balance.RenewedAt != nil
}

// meterAt is the continued meter at t, on the straight line between the believed
// readings around it; the last one after all of them; false before the first.
func (a *Account) meterAt(t time.Time) (float64, bool) {
	i, _ := slices.BinarySearchFunc(a.Points, t, func(p MeterPoint, t time.Time) int {
		if p.At.After(t) {
			return 1
		}
		return -1
	})
	if i == 0 {
		return 0, false
	}
	q := a.Points[i-1]
	if i == len(a.Points) || q.At.Equal(t) {
		return q.Value, true
	}
	p := a.Points[i]
	return q.Value + (p.Value-q.Value)*float64(t.Sub(q.At))/float64(p.At.Sub(q.At)), true
}

// MeterSince reports whether a reading after t shows that the unit has run.
func (a *Account) MeterSince(t time.Time) bool {
	points := usage.Accepted(a.Readings)
	n := len(points)
	return n > 1 && points[n-1].At.After(t) && points[n-1].Value > points[n-2].Value
}
