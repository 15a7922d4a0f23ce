package digital

import (
	"errors"
	"math"
	"testing"
)

// Over many readings some fail, the mean drifts to the warm side, and none is above the freeze point of water.
func TestRead(t *testing.T) {
	failed, sum, n := 0, 0.0, 0
	for i := range 400 {
		r, err := Read(9, i, -30)
		again, err2 := Read(9, i, -30)
		if r != again || (err == nil) != (err2 == nil) {
			t.Fatalf("reading %d: %v and %v", i, r, again)
		}
		if errors.Is(err, ErrNoReading) {
			failed++
			continue
		}
		if r > 0 {
			t.Errorf("reading %d: %v", i, r)
		}
		sum, n = sum+float64(r)+30-drift*float64(i), n+1
	}
	if failed < 20 || failed > 90 {
		t.Errorf("%d of 400 readings failed", failed)
	}
	if mean := sum / float64(n); math.Abs(mean) > 0.2 {
		t.Errorf("beside its drift the mean is off by %v K", mean)
	}
	if r, err := Read(1, 2, 0); err == nil && r > 0 {
		t.Errorf("water: %v", r)
	}
}
