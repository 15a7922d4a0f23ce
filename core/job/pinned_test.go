package job

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"diligentledger/internal/pinnedtest"
)

// What a sheet is and what comes of it: every kind of unit, job and option, followed and not.
func TestPinned(t *testing.T) {
	var a pinnedtest.Answers
	for seed := range uint64(260) {
		rng := rand.New(rand.NewPCG(seed, 118))
		s := randomSetup(rng)
		name := fmt.Sprint(seed, " ", s.Of, " ", s.Kind)
		times, poured, err := TimesOf(s)
		a.Add(name+" times", times, poured, err, s.Check())
		a.Add(name+" fresh", Open(s, nil, start))
		events := randomLife(rng, s, 10+rng.IntN(90))
		for _, n := range []int{len(events) / 3, len(events)} {
			now := start.Add(time.Duration(rng.IntN(72)) * time.Hour)
			st := Open(s, events[:n], now)
			a.Add(fmt.Sprint(name, " after ", n), st)
			coolant, flush := st.Used()
			a.Add(name+" entries", Entries(s, st, noteOf), Missed(s, events[:n]), coolant, flush)
		}
	}
	// Setups and answers with a figure at which something is refused.
	for seed := range uint64(1500) {
		rng := rand.New(rand.NewPCG(seed, 318))
		s := randomSetup(rng)
		pinnedtest.Perturb(rng, &s)
		refused := s.Check()
		a.Add(fmt.Sprint("setup ", seed, " ", s.Of, " ", s.Kind), refused)
		if refused != nil || seed%8 > 0 {
			continue
		}
		events := randomLife(rng, s, 25)
		for n := range events {
			for _, code := range slices.Sorted(maps.Keys(events[n].Values)) {
				v := events[n].Values[code]
				if v.Reading != nil {
					typed := *v.Reading
					v.Reading = &typed
				}
				pinnedtest.Perturb(rng, &v)
				events[n].Values[code] = v
			}
		}
		st := Open(s, events, start.AddDate(0, 0, 3))
		a.Add(fmt.Sprint("answers ", seed), st, Missed(s, events))
	}
	for seed := range uint64(110) {
		rng := rand.New(rand.NewPCG(seed, 218))
		s := randomSetup(rng)
		w := newWorker(t, s, Faults{})
		for n := 0; n < 150 && w.next(); n++ {
		}
		st := Open(s, w.events, w.at())
		a.Add(fmt.Sprint("followed ", seed, " ", s.Of, " ", s.Kind), st, Entries(s, st, noteOf))
	}
	for _, of := range []string{"car", "truck", "motorcycle", "boat", "aircraft", ""} {
		a.Add("kinds of "+of, Kinds(of), FillsOf(of), BleedsOf(of), CommonPoints(of, 8, true, false), CommonPoints(of, 30, false, true))
	}
	a.Add("parts", Parts, Fills, Bleeds, Phases, Gates, EventTypes)
	a.Check(t, "pinned.txt")
}
