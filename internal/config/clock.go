package config

import (
	"fmt"
	"time"
)

// AheadVariable is the variable of --clock-ahead, which the other commands read too.
const AheadVariable = Prefix + "CLOCK_AHEAD"

// mostAhead a clock may be set: a test chooses a day within the years that forecasts look at.
const mostAhead = 40 * 366 * 24 * time.Hour

// Clock is the one from which the program takes the time and the day: the machine's, moved by ahead.
// A moved clock is for tests; it runs as fast as the machine's.
func Clock(ahead time.Duration) func() time.Time {
	if ahead == 0 {
		return time.Now
	}
	return func() time.Time { return time.Now().Add(ahead) }
}

// ClockOf the environment, for the commands beside serve.
func ClockOf(getenv func(string) string) (func() time.Time, error) {
	text := getenv(AheadVariable)
	if text == "" {
		return Clock(0), nil
	}
	ahead, err := time.ParseDuration(text)
	if err != nil || ahead.Abs() > mostAhead {
		return nil, refusedAhead(AheadVariable+"=", text)
	}
	return Clock(ahead), nil
}

func refusedAhead(name string, value any) error {
	return fmt.Errorf("%s%v is not accepted; accepted: a duration such as 720h, at most 40 years", name, value)
}
