package calendar

import (
	"strings"
	"testing"
	"time"

	"github.com/emersion/go-ical"

	"diligentledger/core/measure"
)

// What is written is read by another parser of RFC 5545 (emersion/go-ical), long and odd texts as they were, lines within 75 octets
// (section 3.1), each event with the properties that section 3.6.1 asks for.
func TestReadByAnotherParser(t *testing.T) {
	changed := time.Date(2026, 11, 27, 9, 30, 0, 0, time.UTC)
	odd := "1.8 h; cooling, then\nthe night of 4 Jan would catch it \\ “Ærø”: " + strings.Repeat("long ", 40)
	events := []Event{
		{ID: 7, Day: measure.NewDate(2026, 12, 1), Summary: "CA-14 renewal", Location: "car bay 1, Inland depot", Description: odd, Agreed: true, Sequence: 3, ChangedAt: changed},
		{ID: 8, Day: measure.NewDate(2027, 1, 31), Summary: "HB-02, renewal", ChangedAt: changed},
	}
	text := Write("T. Quayle, plan", events)
	for line := range strings.SplitSeq(strings.TrimSuffix(text, "\r\n"), "\r\n") {
		if len(line) > 75 || strings.Contains(line, "\n") {
			t.Errorf("a line of %d octets: %q", len(line), line)
		}
	}
	c, err := ical.NewDecoder(strings.NewReader(text)).Decode()
	if err != nil {
		t.Fatal(err)
	}
	read := c.Events()
	if len(read) != len(events) {
		t.Fatalf("%d events of %d", len(read), len(events))
	}
	for i, e := range read {
		want := events[i]
		get := func(name string) string {
			text, err := e.Props.Text(name)
			if err != nil {
				t.Errorf("%s: %v", name, err)
			}
			return text
		}
		start, err := e.DateTimeStart(time.UTC)
		end, err2 := e.DateTimeEnd(time.UTC)
		if err != nil || err2 != nil || !start.Equal(want.Day.Time()) || end.Sub(start) != 24*time.Hour {
			t.Errorf("from %v to %v: %v %v", start, end, err, err2)
		}
		if get("SUMMARY") != want.Summary || get("LOCATION") != want.Location || get("DESCRIPTION") != want.Description {
			t.Errorf("%q %q %q", get("SUMMARY"), get("LOCATION"), get("DESCRIPTION"))
		}
		stamp, err := e.Props.DateTime("DTSTAMP", time.UTC)
		if n, bad := e.Props.Get("SEQUENCE").Int(); err != nil || bad != nil || n != want.Sequence || !stamp.Equal(changed) {
			t.Errorf("sequence %d, stamp %v: %v %v", n, stamp, err, bad)
		}
		status, err := e.Status()
		if err != nil || (status == ical.EventConfirmed) != want.Agreed {
			t.Errorf("status %v %v", status, err)
		}
	}
	if uid, _ := read[0].Props.Text("UID"); uid != "planned-7@"+domain {
		t.Errorf("UID %q", uid)
	}
	if empty, err := ical.NewDecoder(strings.NewReader(Write("empty", nil))).Decode(); err != nil || len(empty.Events()) != 0 {
		t.Errorf("an empty calendar: %v", err)
	}
}

// An event that moved keeps its UID and has a higher sequence; one that was taken off is not there.
func TestChangesUpdateTheSameEvent(t *testing.T) {
	e := Event{ID: 7, Day: measure.NewDate(2026, 12, 1), Summary: "CA-14", Sequence: 1}
	before := Write("x", []Event{e})
	e.Day, e.Sequence = e.Day.AddDays(2), 2
	after := Write("x", []Event{e})
	for _, text := range []string{before, after} {
		if strings.Count(text, "UID:planned-7@") != 1 {
			t.Errorf("the UID is not there once:\n%s", text)
		}
	}
	if !strings.Contains(after, "SEQUENCE:2") || !strings.Contains(after, "DTSTART;VALUE=DATE:20261203") {
		t.Errorf("not the changed event:\n%s", after)
	}
	if gone := Write("x", nil); strings.Contains(gone, "planned-7") {
		t.Errorf("it is still there:\n%s", gone)
	}
}
