package standin

import (
	"fmt"
	"reflect"
	"testing"
	"time"

	"diligentledger/core/measure"
)

// A month of 60 vehicles: every vehicle moves on, some days are missing, some readings are nonsense, one unit a day is no
// unit, and a day sent twice is the same.
func TestTelematics(t *testing.T) {
	begin := time.Date(2026, 11, 1, 6, 0, 0, 0, time.UTC)
	vehicles := make([]Vehicle, 60)
	for i := range vehicles {
		vehicles[i] = Vehicle{fmt.Sprintf("V-%02d", i), measure.Km, 10_000, begin}
		if i%3 == 0 {
			vehicles[i].In, vehicles[i].Last = measure.H, 500
		}
	}
	gaps, dropped, wild, wrong := 0, 0, 0, 0
	for day := 1; day <= 30; day++ {
		at := begin.AddDate(0, 0, day)
		sent := Telematics{}.Readings(vehicles, at)
		if !reflect.DeepEqual(sent, Telematics{}.Readings(vehicles, at)) {
			t.Fatal("a day sent twice is another")
		}
		gaps += len(vehicles) + 1 - len(sent)
		for _, s := range sent {
			switch {
			case s.Value == nil:
				dropped++
			case s.Unit[0] == 'X':
				wrong++
			case *s.Value > 1e9:
				wild++
			case *s.Value < 500:
				t.Errorf("%s fell to %v", s.Unit, *s.Value)
			}
			if !s.At.Before(at) || at.Sub(s.At) > time.Hour {
				t.Errorf("%s is of %s", s.Unit, s.At)
			}
		}
	}
	if gaps == 0 || dropped == 0 || wild == 0 || wrong < 25 {
		t.Errorf("%d gaps, %d drop-outs, %d nonsense, %d units typed wrong", gaps, dropped, wild, wrong)
	}
}
