package standin

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"math"

	"gonum.org/v1/gonum/stat/distuv"

	"diligentledger/core/climate"
	"diligentledger/core/measure"
)

// Weather takes the place of a weather service: nights made up about a cold curve, the
// same for the same site and day, with spells that last some days. Like a real
// one it knows some nights not at all, gives nonsense now and then, and errs the
// more the further ahead it looks. It is safe for concurrent use.
type Weather struct {
	// Sites by name: the curve that one night in fifty falls below.
	Sites map[string]climate.MonthlyCurve
	// Snap, K: the forecast always knows of a cold snap four nights away that goes so
	// far below the curve, for a demonstration to have one to show; 0 for none.
	Snap measure.Celsius
	// Down makes every answer an error.
	Down bool
}

// Of the made-up nights: how far a usual one lies above the curve in standard
// deviations, those of winter and summer in K, and how many days a spell lasts.
const (
	oneInFifty               = 2.054
	winterSpread, summerOnly = 4.6, 2.6
	spell                    = 4
	snapIn                   = 4 // nights
)

// Minima of past nights. One in 200 is missing, one in 400 is nonsense.
func (w Weather) Minima(_ context.Context, site string, from, to measure.Date) ([]climate.Minimum, error) {
	k, err := w.climate(site)
	if err != nil {
		return nil, err
	}
	var nights []climate.Minimum
	for day := from; !day.After(to); day = day.AddDays(1) {
		n := climate.Minimum{Day: day, Celsius: night(k, site, day)}
		switch luck := chance(site, "fault", day, 0); {
		case luck < 1.0/200:
			continue
		case luck < 1.0/200+1.0/400:
			n.Celsius = -99.9
		}
		nights = append(nights, n)
	}
	return nights, nil
}

// Forecast of ten nights.
func (w Weather) Forecast(_ context.Context, site string, today measure.Date) ([]climate.Minimum, error) {
	k, err := w.climate(site)
	if err != nil {
		return nil, err
	}
	var nights []climate.Minimum
	for n := range climate.AheadNights {
		day := today.AddDays(n)
		off := 0.25 * float64(n) * normal(site, "error"+today.String(), day, 0)
		expected := tenth(float64(night(k, site, day)) + off)
		if w.Snap > 0 && (n == snapIn || n == snapIn+1) {
			expected = min(expected, tenth(float64(k.CurveMinimum(day)-w.Snap)))
		}
		nights = append(nights, climate.Minimum{Day: day, Celsius: expected})
	}
	return nights, nil
}

func (w Weather) climate(site string) (*climate.Climate, error) {
	if w.Down {
		return nil, fmt.Errorf("the weather service does not answer")
	}
	curve, ok := w.Sites[site]
	if !ok {
		return nil, fmt.Errorf("the weather service knows no %q", site)
	}
	return curve.Climate(), nil
}

// night is the true minimum of the night after day.
func night(k *climate.Climate, site string, day measure.Date) measure.Celsius {
	// The deviation is that of a moving average, so that cold comes in spells.
	deviation := 0.0
	for back := range spell {
		deviation += normal(site, "spell", day, -back) / math.Sqrt(spell)
	}
	winter := 0.5 + 0.5*math.Cos(2*math.Pi*float64(day.Time().YearDay()-20)/365.25)
	spread := summerOnly + (winterSpread-summerOnly)*winter
	return tenth(float64(k.CurveMinimum(day)) + spread*(oneInFifty+deviation))
}

func tenth(t float64) measure.Celsius { return measure.Celsius(math.Round(10*t) / 10) }

// normal deviate of a day and an offset to it, the same each time.
func normal(site, what string, day measure.Date, offset int) float64 {
	return distuv.UnitNormal.Quantile(chance(site, what, day, offset))
}

// chance between 0 and 1, both left out.
func chance(site, what string, day measure.Date, offset int) float64 {
	day = day.AddDays(offset)
	sum := sha256.Sum256([]byte(site + "/" + what + "/" + day.String()))
	return (float64(binary.BigEndian.Uint32(sum[:])) + 0.5) / (1 << 32)
}
