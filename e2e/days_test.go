package e2e

import (
	"encoding/json"
	"fmt"
	"testing"
	"time"

	"diligentledger/internal/testday"
)

// typedDay is a day as a person types it.
func typedDay(d time.Time) string { return d.Format("2 Jan 2006") }

// busyMonth is the first month after this one in which some unit of the demo fleet most likely runs out, as its first and last day.
func busyMonth(t *testing.T) (first, last time.Time) {
	t.Helper()
	y, m, _ := testday.Now().Date()
	for ahead := time.Month(1); ahead <= 12; ahead++ {
		first = time.Date(y, m+ahead, 1, 0, 0, 0, 0, time.UTC)
		last = first.AddDate(0, 1, -1)
		var counted struct{ Likely int }
		if err := json.Unmarshal([]byte(app.get(t, fmt.Sprintf("/api/v1/horizon/span?dueFrom=%s&dueTo=%s", first.Format(time.DateOnly), last.Format(time.DateOnly)))), &counted); err != nil {
			t.Fatal(err)
		}
		if counted.Likely > 0 {
			return first, last
		}
	}
	t.Fatal("nothing runs out within a year")
	return first, last
}
