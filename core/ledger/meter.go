package ledger

import (
	"math"
	"slices"
	"time"

	"diligentledger/core/measure"
	"diligentledger/core/usage"
)

// MeterPoint is one meter reading, in km or h.
type MeterPoint = usage.Point

// MeterLog is what the readings of one meter of a unit show.
type MeterLog struct {
	// Readings are all of them; Points those that can be true together.
	Readings, Points []MeterPoint

	startsAt    float64 // meter at the last renewal
	started     bool    // startsAt is known
	changes     int     // changes of the meter so far
	readingLine []int   // index of the line of each reading
}

func (m MeterLog) clipped() MeterLog {
	m.Readings, m.Points, m.readingLine = slices.Clip(m.Readings), slices.Clip(m.Points), slices.Clip(m.readingLine)
	return m
}

// continued is the log of a restored account, which can take one more reading.
func (m MeterLog) continued() MeterLog {
	c := MeterLog{Readings: slices.Clone(m.Readings), Points: usage.Accepted(m.Readings), startsAt: m.startsAt, started: m.started,
		readingLine: make([]int, len(m.Readings), len(m.Readings)+2)}
	for i := range c.readingLine {
		c.readingLine[i] = -1
	}
	if n := len(c.Readings); n > 0 {
		c.changes = c.Readings[n-1].Meter
	}
	return c
}

// logOf the meter that counts a dimension; nil when the unit has none.
func (a *Account) logOf(d measure.Dimension) *MeterLog {
	switch {
	case d == "":
		return nil
	case d == a.Unit.Meter:
		return &a.MeterLog
	case d == a.Unit.Second:
		return &a.Second
	}
	return nil
}

// MeterOf is the log of the meter that counts a dimension, empty when the unit has none.
func (a *Account) MeterOf(d measure.Dimension) *MeterLog {
	if m := a.logOf(d); m != nil {
		return m
	}
	return &MeterLog{}
}

// meter takes a reading in. Which readings can be true is asked when all are
// there, see settleMeter: it must not depend on which came first.
func (a *Account) meter(line *Line, r measure.Reading) {
	log := a.logOf(r.Unit.Dimension())
	if log == nil {
		line.note(NoteOtherMeter)
		return
	}
	v, err := r.Metric(r.Unit.Dimension())
	if err != nil {
		return
	}
	a.reading(log, line, v)
}

func (a *Account) reading(m *MeterLog, line *Line, raw float64) {
	m.Readings = append(m.Readings, MeterPoint{At: line.Entry.At, Raw: raw, Meter: m.changes})
	m.readingLine = append(m.readingLine, a.earlier+len(a.Lines)-1)
}

func (a *Account) changeMeter(line *Line, b MeterChange) {
	log := a.logOf(b.New.Unit.Dimension())
	if log == nil {
		line.note(NoteOtherMeter)
		return
	}
	if b.Old != nil {
		a.meter(line, *b.Old)
	}
	v, err := b.New.Metric(b.New.Unit.Dimension())
	if err != nil {
		return
	}
	if len(log.Readings) > 0 {
		log.changes++
	}
	a.reading(log, line, v)
}

// settleMeter judges all readings of each meter together, notes those that cannot be true, and
// writes into each line the use since the renewal before it, by the first meter. Complexity: a
// step a line, and one for each pair of readings that are out of order.
func (a *Account) settleMeter() {
	logs := []*MeterLog{&a.MeterLog, &a.Second}
	for _, m := range logs {
		for _, n := range m.readingLine {
			if n -= a.earlier; n < 0 {
				continue // of an account that was stored without its lines
			}
			line := &a.Lines[n]
			if line.Notes = slices.DeleteFunc(line.Notes, func(n Note) bool { return n == NoteMeterOutlier }); len(line.Notes) == 0 {
				line.Notes = nil
			}
		}
	}
	for i, m := range logs {
		usage.MarkOutliers(m.Readings, []measure.Dimension{a.Unit.Meter, a.Unit.Second}[i])
		m.Points = usage.Accepted(m.Readings)
		for k, p := range m.Readings {
			if n := m.readingLine[k] - a.earlier; n >= 0 && p.Outlier && !slices.Contains(a.Lines[n].Notes, NoteMeterOutlier) {
				a.Lines[n].note(NoteMeterOutlier)
			}
		}
	}
	a.Second.begin(a.usesFrom)
	if len(a.Readings) > 0 {
		a.settleUse()
	}
}

// begin counting the use from a moment; the zero time for a renewal that is not known.
func (m *MeterLog) begin(from time.Time) {
	m.startsAt, m.started = 0, false
	if !from.IsZero() {
		m.startsAt, m.started = m.At(from)
	}
}

// settleUse writes the use by the first meter since the renewal into each line.
func (a *Account) settleUse() {
	startsAt, started := 0.0, false
	if a.earlier > 0 && !a.usesFrom.IsZero() {
		startsAt, started = a.At(a.usesFrom)
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
			startsAt, started = a.At(line.Entry.At)
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

// RenewalMeter is the first meter at the last renewal, continued through changes of the
// meter; false when no reading shows it.
func (a *Account) RenewalMeter() (float64, bool) { return a.RenewalOn(a.Unit.Meter) }

// RenewalOn is the meter that counts a dimension, km or h, at the last renewal; false when no
// reading shows it.
func (a *Account) RenewalOn(d measure.Dimension) (float64, bool) {
	m := a.logOf(d)
	if m == nil {
		return 0, false
	}
	return m.startsAt, m.started && a.Balance.RenewedAt != nil
}

// At is the continued meter at t, km or h, on the straight line between the believed
// readings around it; the last one after all of them; false before the first.
func (m *MeterLog) At(t time.Time) (float64, bool) {
	points := m.Points
	if points == nil {
		points = usage.Accepted(m.Readings) // of an account that was restored
	}
	i, _ := slices.BinarySearchFunc(points, t, func(p MeterPoint, t time.Time) int {
		if p.At.After(t) {
			return 1
		}
		return -1
	})
	if i == 0 {
		return 0, false
	}
	q := points[i-1]
	if i == len(points) || q.At.Equal(t) {
		return q.Value, true
	}
	p := points[i]
	return q.Value + (p.Value-q.Value)*float64(t.Sub(q.At))/float64(p.At.Sub(q.At)), true
}

// MeterSpan is what the unit's meter can show at t by its readings so far, km or h as the meter shows it: no less
// than the last one that is believed, and no more than a unit can run since; a day more for the clocks. False
// without a reading.
func (a *Account) MeterSpan(t time.Time) (low, high float64, ok bool) {
	points := usage.Accepted(a.Readings)
	if len(points) == 0 {
		return 0, 0, false
	}
	last := points[len(points)-1]
	days := math.Max(0, t.Sub(last.At).Hours()/24) + 1
	return last.Raw, last.Raw + days*usage.Limit(a.Unit.Meter), true
}

// MeterSince reports whether a reading after t shows that the unit has run.
func (a *Account) MeterSince(t time.Time) bool {
	return slices.ContainsFunc([]MeterLog{a.MeterLog, a.Second}, func(m MeterLog) bool {
		points := usage.Accepted(m.Readings)
		n := len(points)
		return n > 1 && points[n-1].At.After(t) && points[n-1].Value > points[n-2].Value
	})
}
