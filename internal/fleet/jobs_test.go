package fleet_test

import (
	"testing"

	"diligentledger/core/coolant"
	"diligentledger/internal/fleet"
)

// Containers as people write them in the register.
func TestContainers(t *testing.T) {
	got := fleet.Containers("20 L 64.00\n5 L 19,50\n1 gal 7\n210 L\nby the drum\n\n0 L 3")
	want := []coolant.Container{{Size: 20, Price: 64}, {Size: 5, Price: 19.5}, {Size: 3.785411784, Price: 7}, {Size: 210, Price: 210}}
	if len(got) != len(want) {
		t.Fatalf("%v", got)
	}
	for i, c := range want {
		if d := float64(got[i].Size - c.Size); d > 1e-9 || d < -1e-9 || got[i].Price != c.Price {
			t.Errorf("%v, want %v", got[i], c)
		}
	}
}
