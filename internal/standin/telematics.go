package standin

import (
	"fmt"
	"hash/fnv"
	"math"
	"time"

	"diligentledger/core/measure"
)

// Vehicle as the simulated gateway knows it: what its meter read last.
type Vehicle struct {
	Code string
	In   measure.Unit // km or h
	Last float64
	At   time.Time
}

// Sent is a reading of the simulated gateway; Value is nil for a drop-out.
type Sent struct {
	ID, Unit string
	At       time.Time
	Value    *float64
	In       measure.Unit
}

// Telematics takes the place of a telematics gateway: a reading of each vehicle a day, the same for the same day, with noise,
// gaps, and a unit that is typed wrong in it.
type Telematics struct{}

// Shares of the readings that are none, and that are nonsense (judgement: as such gateways are).
const (
	dropOuts = 0.15
	nonsense = 0.02
)

// Readings of a day, sent at a time of it. A vehicle that was read within the last day has gone on from there.
func (Telematics) Readings(vehicles []Vehicle, at time.Time) (sent []Sent) {
	day := at.UTC().Format(time.DateOnly)
	for i, v := range vehicles {
		r := Sent{ID: v.Code + " " + day, Unit: v.Code, At: at.Add(-time.Duration(1+i%50) * time.Minute), In: v.In}
		switch chance := share(v.Code + day); {
		case chance < dropOuts/2:
			continue // a gap: nothing is sent
		case chance < dropOuts:
			sent = append(sent, r)
			continue
		case chance < dropOuts+nonsense:
			r.Value = new(float64)
			*r.Value = 4_294_967_295 // a register that ran over
			sent = append(sent, r)
			continue
		}
		perDay := 15 + 45*share(v.Code)
		if v.In == measure.H {
			perDay = 0.4 + 2*share(v.Code)
		}
		days := math.Max(0, r.At.Sub(v.At).Hours()/24)
		value := v.Last + math.Round(10*days*perDay*(0.5+share(v.Code+day+" use")))/10
		r.Value = &value
		sent = append(sent, r)
	}
	if len(sent) > 0 {
		wrong := sent[0]
		wrong.ID, wrong.Unit = fmt.Sprintf("typed wrong %s", day), "X"+wrong.Unit
		sent = append(sent, wrong)
	}
	return sent
}

// share of a text, 0 to 1, as if by chance.
func share(text string) float64 {
	h := fnv.New32a()
	_, _ = h.Write([]byte(text)) // never fails
	return float64(h.Sum32()>>8) / (1 << 24)
}
