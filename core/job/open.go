package job

import (
	"cmp"
	"errors"
	"maps"
	"slices"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// builder walks along the steps of a job: each is asked for in its turn, and what it recorded decides
// the ones after it.
type builder struct {
	s         Setup
	now       time.Time
	answers   map[string]*Event
	others    map[string][]Event
	timers    map[string]Event
	overrides map[string][]Event
	placed    map[string]bool // keys of steps that are there

	st   State
	open bool // a step before is not done
	in   Contents
	// missing before the drain, by the book and what was found since.
	missing    measure.Litre
	outUnknown bool
	// oldShare of the charge, 0 to 1, that the drainings so far left inside, each mixed before the next; 1 before
	// the first. It is not known when one of them was not measured.
	oldShare   float64
	oldLost    bool
	aim        *measure.Celsius
	capBad     bool
	thermostat string // as it was found when it was taken out
	correcting bool   // what is poured belongs to a correction
	phase      Phase
	phases     map[string]Phase // of each step
	opened     []Point          // that were opened in the last draining
	ran        time.Time        // end of the last warm run
	moves      int              // litres that were moved so far, counted
}

// Open a job at a time: its steps, sums and gates.
func Open(s Setup, events []Event, now time.Time) State {
	b := &builder{s: s, now: now, answers: map[string]*Event{}, others: map[string][]Event{}, timers: map[string]Event{}, overrides: map[string][]Event{},
		oldShare: 1, placed: map[string]bool{}, phases: map[string]Phase{}, phase: PhasePrepare}
	b.st.Gates = map[Gate]Status{}
	b.in = contentsOf(s)
	b.st.Before = b.in.copied()
	b.take(events)
	b.sheet()
	b.finish()
	return b.st
}

// take the events that count.
func (b *builder) take(events []Event) {
	for _, e := range lived(events) {
		if b.st.Posted != nil && e.Type != Released && e.Type != Cancelled {
			continue // its entries are in the ledger: what comes after belongs there
		}
		if e.By != "" && !slices.Contains(b.st.People, e.By) {
			b.st.People = append(b.st.People, e.By)
		}
		switch e.Type {
		case Answered:
			if was := b.answers[e.Step]; was == nil || e.Replaces != "" && e.Replaces == was.ID {
				b.answers[e.Step] = &e
			} else {
				b.others[e.Step] = append(b.others[e.Step], e)
			}
		case Timed:
			b.timers[e.Step] = e
		case Overridden:
			b.overrides[e.Step] = append(b.overrides[e.Step], e)
		case Paused:
			b.st.Pause = &e
		case Resumed:
			b.st.Pause = nil
		case Posted:
			b.st.Posted = &e
		case Released:
			if b.st.Posted != nil && b.s.MayRelease(e.Role) {
				b.st.Released = &e
			}
		case Cancelled:
			b.st.Cancelled = &e
		}
	}
}

// judged is what a step's answer comes to.
type judged struct {
	fails []string // its gate is not passed, or it is to be done again
	heeds []string // to be heeded; it is done
}

func fails(codes ...string) judged { return judged{fails: codes} }

// step asks for a step. It gives the answer, nil for a gate that was taken on without one, and whether
// the work may go on past it.
func (b *builder) step(st Step, judge func(*Event) judged) (*Event, bool) {
	if st.Key == "" {
		st.Key = st.Code
	}
	b.placed[st.Key], b.phases[st.Key] = true, b.phase
	st.Answer, st.Others = b.answers[st.Key], b.others[st.Key]
	if st.Timer != nil {
		if e, ok := b.timers[st.Key]; ok {
			began := e.At
			st.Timer.Began, st.Timer.Expired = &began, !b.now.Before(began.Add(st.Timer.Lasts))
		}
	}
	if st.Gate != "" {
		for _, e := range b.overrides[st.Key] {
			if b.s.MayOverride(e.Role, st.Gate) && (st.Answer == nil || !e.At.Before(st.Answer.At)) {
				st.Override = &e
				break
			}
		}
	}
	passed := false
	switch {
	case b.open:
		st.Status = Later
	case st.Sums:
		j := judge(nil)
		st.Why = append(j.fails, j.heeds...)
		passed, st.Status = len(j.fails) == 0, Done
		if !passed {
			st.Status = Failed
		}
	case st.Answer != nil && st.complete(*st.Answer):
		j := judged{}
		if judge != nil {
			j = judge(st.Answer)
		}
		st.Why = append(j.fails, j.heeds...)
		passed, st.Status = len(j.fails) == 0, Done
		if !passed {
			st.Status = Failed
		}
	case st.Answer != nil:
		st.Status, st.Why = Failed, []string{"incomplete"}
	default:
		st.Status = Current
	}
	if !passed && st.Status != Later && st.Override != nil {
		st.Status, passed = Overrun, true
	}
	if st.Gate != "" && st.Status != Later {
		// Of several steps of a gate the worst counts; of several retests the last.
		if was := b.st.Gates[st.Gate]; was == "" || was == Done || st.Status == Failed || st.Status == Current || st.Gate == GateRetest {
			b.st.Gates[st.Gate] = st.Status
		}
	}
	if !b.open && !passed {
		b.st.Next, b.open = st.Key, true
		b.st.Phase = b.phase
		b.st.Inside = b.in.copied() // what comes after is only assumed
	}
	b.st.Steps = append(b.st.Steps, st)
	if !passed {
		return nil, false
	}
	if st.Status == Overrun {
		return nil, true
	}
	return st.Answer, true
}

// finish what follows from all steps.
func (b *builder) finish() {
	if !b.open {
		b.st.Inside = b.in
	}
	for _, key := range slices.Sorted(maps.Keys(b.answers)) {
		if !b.placed[key] {
			b.st.Unplaced = append(b.st.Unplaced, *b.answers[key])
		}
	}
	for i, s := range b.st.Steps {
		if s.Status == Later && s.Answer != nil {
			b.st.Steps[i].Why = []string{"waits"}
		}
	}
	b.st.Aim = b.aim
	switch {
	case b.st.Cancelled != nil:
		b.st.Phase, b.st.Next = PhaseEnded, ""
	case b.st.Released != nil:
		b.st.Phase, b.st.Next = PhaseDone, ""
	}
	cleaning := b.s.Options.Cleaner && b.s.Kind == FullFlush && (b.st.Phase == PhaseCleaner || b.beforeCleaner())
	b.st.Holds = !b.s.Exercise && b.st.Released == nil && !cleaning
	if b.s.Capacity > 0 {
		old := measure.Litre(0)
		if total := b.st.Inside.Total(); total.Glycol > 0 && len(b.st.In) > 0 {
			old = b.oldLeft()
		}
		if len(b.st.In) > 0 {
			b.st.Replaced = max(0, min(1, 1-float64(old/b.s.Capacity)))
		}
	}
	b.st.FlushInside = !b.s.PremixOnly && !b.s.waterless() && len(b.st.flushIn) > len(b.flushesOut()) && len(b.st.In) == 0
	lowest := b.s.Capacity
	if b.s.drains() && len(b.st.Out) > 0 {
		b.st.Empty = b.st.Inside.Room() > 0.15*lowest // as much as a level that holds a unit (package ledger)
	}
}

// flushesOut are the flushes that were drained again.
func (b *builder) flushesOut() (all []Moved) {
	for _, m := range b.st.Out {
		if m.What == "flush" {
			all = append(all, m)
		}
	}
	return all
}

// beforeCleaner: the cleaner is not in yet, and nothing was opened for more than pouring it in.
func (b *builder) beforeCleaner() bool {
	return b.st.Phase == PhasePrepare || b.st.Phase == PhaseCooling && len(b.st.Out) == 0 && b.answers["cleaner_drive"] == nil
}

// oldLeft is how much of the charge from before the job is still inside, L: each draining left its
// share of it, and what was poured in diluted it.
func (b *builder) oldLeft() measure.Litre {
	left := b.st.Before.volumes()
	inside := left
	moves := append(append([]Moved(nil), b.st.Out...), b.st.In...)
	moves = append(moves, b.st.flushIn...)
	slices.SortFunc(moves, func(x, y Moved) int { return cmp.Compare(x.nth, y.nth) })
	for _, m := range moves {
		switch m.What {
		case "coolant", "flush":
			if inside > 0 {
				left -= left * min(m.Litres, inside) / inside
				inside = max(0, inside-m.Litres)
			}
		default:
			inside += m.Litres
		}
	}
	return max(0, left)
}

// moved in the order of the sheet.
func (b *builder) moved(m Moved) Moved {
	b.moves++
	m.nth = b.moves
	return m
}

// out records litres that a step measured on their way out.
func (b *builder) out(step, point, what string, v measure.Litre, at time.Time) {
	b.in = b.in.drained(point, v)
	m := b.moved(Moved{Step: step, Point: point, What: what, Litres: v, At: at})
	b.st.Out = append(b.st.Out, m)
	b.st.lastFill = append(b.st.lastFill, m)
}

// begins a draining: what is poured after it is the next fill.
func (b *builder) begins() {
	b.st.lastFill, b.opened, b.outUnknown = nil, nil, false
	b.st.filledFrom = len(b.st.In)
}

// into the system: a charge of a product, of water, or of the mix that is aimed at.
func (b *builder) into(step, what string, v measure.Litre, at time.Time) {
	share := 0.0
	switch what {
	case "water":
	case "product":
		share = 1
	case "mix":
		share = b.s.topUp(b.in)
	}
	c, err := b.s.blend(v, share)
	if err != nil || v <= 0 {
		return
	}
	b.in = b.in.poured(c, b.s.Product.Base)
	b.st.In = append(b.st.In, b.moved(Moved{Step: step, What: what, Litres: c.Volume(), At: at, Share: share, Correction: b.correcting}))
	b.st.filledAt = at
}

// blend of v litres, measured before mixing, with a share of the product and water for the rest.
func (s Setup) blend(v measure.Litre, share float64) (coolant.Charge, error) {
	if s.waterless() && share > 0 {
		return coolant.Charge{Base: coolant.NoWater, Glycol: measure.Kilogram(v)}, nil // about a kilogram a litre
	}
	product, err1 := coolant.PourProduct(s.Product, v*measure.Litre(share))
	water, err2 := coolant.PourWater(v * measure.Litre(1-share))
	return sum(product, water), errors.Join(err1, err2)
}

// flushed in: water, or what takes its place, that comes out again.
func (b *builder) flushed(step string, v measure.Litre, at time.Time) {
	c, err := coolant.PourWater(v)
	if b.s.PremixOnly {
		c, err = coolant.PourProduct(b.s.Product, v)
	}
	if err != nil || v <= 0 {
		return
	}
	b.in = b.in.poured(c, "")
	b.st.flushIn = append(b.st.flushIn, b.moved(Moved{Step: step, What: "flushing", Litres: v, At: at}))
}
