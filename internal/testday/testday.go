// Package testday is the day on which tests take place, so that none fails by the calendar. DILIGENT_TEST_DAY names it, such
// as 2028-02-29; ./test runs on several. The machine's own clock only measures how long something takes.
package testday

import (
	"fmt"
	"os"
	"sync"
	"time"
	_ "time/tzdata" // the zone is known on a machine that has none installed
)

// Variable names the day.
const Variable = "DILIGENT_TEST_DAY"

// ZoneName is the zone of the tests: one that changes its clocks.
const ZoneName = "Europe/Oslo"

// Hour of the day at which a test run begins: no run passes midnight.
const Hour, Minute = 10, 30

// Zone of the tests.
var Zone = func() *time.Location {
	zone, err := time.LoadLocation(ZoneName)
	if err != nil {
		panic(err) // the zones are part of the program
	}
	return zone
}()

// Day on which the tests take place, at the hour of their beginning; without the variable it is fallback's date.
func Day(fallback time.Time) time.Time {
	y, m, d := fallback.Date()
	if text := os.Getenv(Variable); text != "" {
		day, err := time.Parse(time.DateOnly, text)
		if err != nil {
			panic(fmt.Sprintf("%s=%q is not accepted; accepted: a day such as 2028-02-29", Variable, text))
		}
		y, m, d = day.Date()
	}
	return time.Date(y, m, d, Hour, Minute, 0, 0, Zone)
}

// Ahead is by how much the clock of the tests is ahead of the machine's.
var Ahead = sync.OnceValue(func() time.Duration {
	machine := time.Now()
	return Day(machine.In(Zone)).Sub(machine).Round(time.Second)
})

// Now by the clock of the tests, which runs as fast as the machine's, in their zone.
func Now() time.Time { return time.Now().Add(Ahead()).In(Zone) }
