package job

import (
	"time"

	"diligentledger/core/access"
	"diligentledger/core/measure"
)

// EventType is what an event is.
type EventType string

// The types.
const (
	Answered   EventType = "answer"   // what a step recorded
	Timed      EventType = "timer"    // a step's timer begins
	Paused     EventType = "pause"    // the work stops, with what is open and why
	Resumed    EventType = "resume"   // it goes on, by the person who sends it
	Overridden EventType = "override" // a gate, by a person who may, with a reason
	Struck     EventType = "strike"   // another event never was
	Cancelled  EventType = "cancel"   // the job ends without a release
	Posted     EventType = "post"     // its entries are in the ledger
	Released   EventType = "release"
)

// EventTypes in the order of their names above.
var EventTypes = []EventType{Answered, Timed, Paused, Resumed, Overridden, Struck, Cancelled, Posted, Released}

// Value that a field of a step recorded: one of a quantity, a code of the field's choices, or text.
type Value struct {
	Reading *measure.Reading `json:"reading,omitempty"`
	Choice  string           `json:"choice,omitempty"`
	Text    string           `json:"text,omitempty"`
}

// Event of a job. It is never changed once written.
type Event struct {
	ID string    `json:"id"` // UUID version 7
	At time.Time `json:"at"` // when it was done
	// DeviceAt is the time that the device gave, when that cannot be: before the job, or after the event came in. At is then that
	// bound.
	DeviceAt *time.Time  `json:"deviceAt,omitempty"`
	By       string      `json:"by"`
	ByID     int64       `json:"byId,omitempty"`
	Role     access.Role `json:"role"`
	Type     EventType   `json:"type"`
	Step     string      `json:"step,omitempty"`
	// Values of an answer, by the code of the field.
	Values map[string]Value `json:"values,omitempty"`
	// Replaces is the answer that this one takes the place of.
	Replaces string `json:"replaces,omitempty"`
	// Strikes is the event that never was.
	Strikes string `json:"strikes,omitempty"`
	Why     string `json:"why,omitempty"`
}

// lived are the events that count, in the order of their arrival: without those that were struck, and without strikes.
// A strike of a strike counts for nothing: what it struck stays struck. The clocks of several devices do not agree, and one may
// be set: an event whose time is not after that of the one before is taken as a microsecond after it, so that all that compares
// times goes by arrival. The times themselves are kept as they were.
func lived(events []Event) []Event {
	struck := map[string]bool{}
	for _, e := range events {
		if e.Type == Struck {
			struck[e.Strikes] = true
		}
	}
	var all []Event
	there := map[string]bool{}
	for _, e := range events {
		if e.Type == Struck || struck[e.ID] && !e.fixed() || there[e.ID] {
			continue
		}
		there[e.ID] = true
		if n := len(all); n > 0 && !e.At.After(all[n-1].At) {
			e.At = all[n-1].At.Add(time.Microsecond)
		}
		all = append(all, e)
	}
	return all
}

// fixed events are never struck: what they did is in the ledger.
func (e Event) fixed() bool { return e.Type == Posted || e.Type == Released || e.Type == Cancelled }

// quantity of a field in the metric unit of d; false when it was not recorded.
func (e *Event) quantity(field string, d measure.Dimension) (float64, bool) {
	if e == nil {
		return 0, false
	}
	v, ok := e.Values[field]
	if !ok || v.Reading == nil {
		return 0, false
	}
	m, err := v.Reading.Metric(d)
	return m, err == nil
}

// litres of a field, 0 when they were not recorded.
func (e *Event) litres(field string) measure.Litre {
	v, _ := e.quantity(field, measure.Volume)
	return measure.Litre(v)
}

func (e *Event) choice(field string) string {
	if e == nil {
		return ""
	}
	return e.Values[field].Choice
}

func (e *Event) text(field string) string {
	if e == nil {
		return ""
	}
	return e.Values[field].Text
}
