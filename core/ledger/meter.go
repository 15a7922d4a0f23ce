package ledger

import (
	"time"

	"diligentledger/core/measure"
)

// meter takes a reading in: run on through changes of the meter, and left out
// when it is lower than one before.
func (a *Account) meter(line *Line, r measure.Reading) {
	if r.Unit.Dimension() != a.Unit.Meter {
		line.note(NoteOtherMeter)
		return
	}
	v, err := r.Metric(a.Unit.Meter)
	if err != nil {
		return
	}
	p := MeterPoint{At: line.Entry.At, Value: v, Raw: v}
	if n := len(a.Points); n > 0 {
		last := a.Points[n-1]
		p.Meter = last.Meter
		p.Value = last.Value + v - last.Raw
		if v < last.Raw {
			a.Readings = append(a.Readings, p)
			line.note(NoteMeterBack)
			return
		}
	}
	a.Readings = append(a.Readings, p)
	a.point(p)
}

func (a *Account) point(p MeterPoint) {
	if a.renewal >= 0 && p.At.Equal(a.Lines[a.renewal].Entry.At) {
		a.startsAt, a.started, a.guessed = p.Value, true, false
	}
	if n := len(a.Points); n > 0 && a.started && a.guessed {
		// The renewal lies between two readings: its meter is on the straight
		// line between them.
		q, at := a.Points[n-1], a.Lines[a.renewal].Entry.At
		a.startsAt = q.Value
		if span := p.At.Sub(q.At); span > 0 && at.After(q.At) {
			a.startsAt += (p.Value - q.Value) * float64(at.Sub(q.At)) / float64(span)
		}
		a.guessed = false
	}
	a.Points = append(a.Points, p)
}

// startMeter begins to count the use since the renewal: from the reading made
// with it, else from the last one before, until the next one tells more.
func (a *Account) startMeter(read bool) {
	n := len(a.Points)
	a.started = n > 0
	if a.started {
		a.startsAt, a.guessed = a.Points[n-1].Value, !read || !a.Points[n-1].At.Equal(a.Lines[a.renewal].Entry.At)
	}
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
	p := MeterPoint{At: line.Entry.At, Value: v, Raw: v}
	if n := len(a.Points); n > 0 {
		last := a.Points[n-1]
		p.Value, p.Meter = last.Value, last.Meter+1
	}
	a.Readings = append(a.Readings, p)
	a.point(p)
}

// RenewalMeter is the meter at the last renewal, run on through changes of the
// meter; false when no reading tells.
func (a *Account) RenewalMeter() (float64, bool) {
	return a.startsAt, a.started && a.Balance.RenewedAt != nil
}

// meterAt is the run-on meter at t, on the straight line between the readings
// around it; the last one after all of them; false before the first.
func (a *Account) meterAt(t time.Time) (float64, bool) {
	for i := len(a.Points) - 1; i >= 0; i-- {
		q := a.Points[i]
		if q.At.After(t) {
			continue
		}
		if i+1 == len(a.Points) || q.At.Equal(t) {
			return q.Value, true
		}
		p := a.Points[i+1]
		return q.Value + (p.Value-q.Value)*float64(t.Sub(q.At))/float64(p.At.Sub(q.At)), true
	}
	return 0, false
}

// MeterSince reports whether a reading after t shows that the unit has run.
func (a *Account) MeterSince(t time.Time) bool {
	n := len(a.Readings)
	return n > 1 && a.Readings[n-1].At.After(t) && a.Readings[n-1].Value > a.Readings[n-2].Value
}
