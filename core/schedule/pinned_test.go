package schedule_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"testing"

	"diligentledger/core/schedule"
	"diligentledger/core/schedule/scheduletest"
	"diligentledger/internal/pinnedtest"
)

// Plans of drawn workshops: what breaks, what it costs, what the planner makes of it and what it says of each place.
func TestPinned(t *testing.T) {
	var a pinnedtest.Answers
	for seed := range uint64(120) {
		rng := rand.New(rand.NewPCG(seed, 77))
		size := scheduletest.Size{Jobs: 4 + rng.IntN(14), Days: 5 + rng.IntN(12)}
		p := scheduletest.Random(seed, size)
		if seed%3 == 0 {
			p = scheduletest.Workshop(seed, size)
		}
		name := fmt.Sprint(seed)
		order := rng.Perm(len(p.Jobs))
		first := schedule.FirstFit(p, order)
		solved, err := schedule.Solve(t.Context(), p, 300)
		a.Add(name+" solved", first, schedule.Cost(p, first), solved, err, schedule.Cost(p, solved), schedule.Bound(p), schedule.Due(p), schedule.Effort(p))
		a.Add(name+" evaluated", schedule.Evaluate(p, first), schedule.Evaluate(p, solved))
		for n := range 6 {
			job := rng.IntN(len(p.Jobs))
			why, ok := schedule.Explain(p, solved, job)
			need, needed := schedule.Needed(p, solved, job)
			options := schedule.Options(p, solved, job, rng.IntN(len(p.People)+1)-1)
			moved, here := schedule.Move(p, solved, job, rng.IntN(p.Days), rng.IntN(len(p.Bays)), rng.IntN(max(1, len(p.People))))
			a.Add(fmt.Sprint(name, " job ", n), why, ok, need, needed, options, moved, here)
		}
		if seed%6 == 0 {
			var model bytes.Buffer
			err := schedule.WriteMIP(&model, p)
			a.Add(name+" mip", model.String(), err)
		}
	}
	a.Add("rates", schedule.UsualRates(), schedule.Rules)
	a.Check(t, "pinned.txt")
}
