package clock

import (
	"time"

	"diligentledger/core/measure"
)

// evaluationDay is the day that the clocks are evaluated for, and the zone in which a
// moment becomes a day.
type evaluationDay struct {
	measure.Date
	zone *time.Location
}

// dayInZone a zone; UTC for none.
func dayInZone(day measure.Date, zone *time.Location) evaluationDay {
	if zone == nil {
		zone = time.UTC
	}
	return evaluationDay{day, zone}
}

// of is the day that a moment falls on.
func (d evaluationDay) of(t time.Time) measure.Date { return measure.DateOf(t, d.zone) }

// due today.
func (d evaluationDay) due() *measure.Date { return &d.Date }

// noon of the day, in its zone.
func (d evaluationDay) noon() time.Time { return d.Start(d.zone).Add(12 * time.Hour) }

// until counts the days from today to a day, negative when it has passed.
func (d evaluationDay) until(day measure.Date) int { return day.Sub(d.Date) }

// since counts the days from a day to today.
func (d evaluationDay) since(day measure.Date) int { return d.Sub(day) }
