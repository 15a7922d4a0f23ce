// Package calendar writes planned jobs as iCalendar (RFC 5545): whole-day events, since the plan counts hours by the day. An event keeps
// its UID as long as its line is on the work list; a change raises its SEQUENCE; what is taken off the plan is no longer in the
// calendar, so that a subscriber's copy of it vanishes with the next fetch.
package calendar

import (
	"fmt"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"

	"diligentledger/core/measure"
)

// Event of a planned job.
type Event struct {
	ID          int64 // of the line of the work list
	Day         measure.Date
	Summary     string
	Location    string
	Description string
	Agreed      bool
	Sequence    int
	ChangedAt   time.Time
}

// refresh is how often a calendar program is asked to fetch again.
const refresh = "PT15M"

// domain behind the UIDs: that of the program, since an installation has no name that is sure to stay.
const domain = "diligent-ledger.invalid"

// Write a calendar of a name.
func Write(name string, events []Event) string {
	c := ics.NewCalendarFor("Diligent Ledger")
	c.SetMethod(ics.MethodPublish)
	c.SetXWRCalName(name)
	c.SetName(name)
	c.SetRefreshInterval(refresh)
	c.SetXPublishedTTL(refresh)
	for _, e := range events {
		v := c.AddEvent(fmt.Sprintf("planned-%d@%s", e.ID, domain))
		v.SetDtStampTime(e.ChangedAt.UTC())
		v.SetModifiedAt(e.ChangedAt.UTC())
		v.SetSequence(e.Sequence)
		v.SetAllDayStartAt(e.Day.Time())
		v.SetAllDayEndAt(e.Day.AddDays(1).Time())
		v.SetSummary(plain(e.Summary))
		v.SetLocation(plain(e.Location))
		v.SetDescription(plain(e.Description))
		v.SetTimeTransparency(ics.TransparencyTransparent)
		v.SetStatus(ics.ObjectStatusTentative)
		if e.Agreed {
			v.SetStatus(ics.ObjectStatusConfirmed)
		}
	}
	return c.Serialize(ics.WithNewLineWindows)
}

// plain text: no-break spaces are for screens.
func plain(text string) string { return strings.ReplaceAll(text, "\u00a0", " ") }
