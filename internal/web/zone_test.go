package web

import (
	"testing"
	"time"

	openapi "github.com/oapi-codegen/runtime/types"
)

// Moments of an answer are given the zone's offset, days of the calendar are not; what the answer shares with
// others stays as it is.
func TestInZone(t *testing.T) {
	type inner struct {
		At   *time.Time
		Days []openapi.Date
	}
	type answer struct {
		Name  string
		At    time.Time
		Zero  time.Time
		Day   openapi.Date
		Next  *answer
		Inner []inner
		Raw   []byte
		None  *time.Time
	}
	zone := time.FixedZone("", 5*3600)
	utc := time.Date(2026, 12, 2, 20, 0, 0, 0, time.UTC)
	shared, sharedRows := utc, []inner{{At: nil}}
	sharedRows[0].At = &shared
	day := openapi.Date{Time: utc}
	next := &answer{At: utc}
	a := answer{Name: "a", At: utc, Day: day, Next: next, Inner: sharedRows, Raw: []byte("2026")}
	a.Inner[0].Days = []openapi.Date{day}
	inZone(&a, zone)
	for name, at := range map[string]time.Time{"its own": a.At, "of the next": a.Next.At, "in a row": *a.Inner[0].At} {
		if !at.Equal(utc) || at.Format(time.DateOnly) != "2026-12-03" {
			t.Errorf("%s: %s", name, at)
		}
	}
	if !a.Zero.IsZero() || a.None != nil || a.Day.Format(time.DateOnly) != "2026-12-02" || a.Inner[0].Days[0].Format(time.DateOnly) != "2026-12-02" || string(a.Raw) != "2026" {
		t.Errorf("%+v", a)
	}
	if shared.Location() != time.UTC || next.At.Location() != time.UTC || sharedRows[0].At != &shared {
		t.Errorf("what others hold was changed: %s, %s", shared, next.At)
	}
}
