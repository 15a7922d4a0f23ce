package ledger

import (
	"maps"
	"math"
	"slices"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// read turns what an instrument showed into a freeze point, taking into account
// the last zero check of that very instrument in this account.
func (a *Account) read(b FreezeTest, at time.Time) (coolant.Reading, error) {
	inside := a.Base
	switch b.Instrument {
	case Hydrometer:
		sample := measure.Celsius(20)
		if b.Sample != nil {
			t, err := b.Sample.Metric(measure.Temperature)
			if err != nil {
				return coolant.Reading{}, err
			}
			sample = measure.Celsius(t)
		}
		return coolant.ReadHydrometer(b.Value.Value, sample, inside)
	case DiscTester:
		return coolant.ReadDiscs(b.Chart, int(b.Value.Value))
	case TestStrip:
		warm, err := b.Value.Metric(measure.Temperature)
		if err != nil {
			return coolant.Reading{}, err
		}
		cold := measure.Celsius(warm)
		if b.Cold != nil {
			cold = *b.Cold
		}
		return coolant.ReadStrip(measure.Celsius(warm), cold, b.Expired, b.Late)
	}
	m := coolant.Refractometer{Scale: b.Scale, Inside: inside, Compensated: true}
	m.Kind, m.Value = scaleOf(b.Value)
	if b.Sample != nil {
		if t, err := b.Sample.Metric(measure.Temperature); err == nil {
			sample := measure.Celsius(t)
			m.Sample = &sample
		}
	}
	if b.Zero != nil {
		_, zero := scaleOf(measure.Reading{Value: *b.Zero, Unit: b.Value.Unit})
		days := 0.0
		m.Zero, m.ZeroDays = &zero, &days
	} else if z := a.lastZero(b.Tool); z != nil {
		days := at.Sub(z.at).Hours() / 24
		m.ZeroDays = &days
		if kind, zero := scaleOf(z.zero); kind == m.Kind {
			m.Zero = &zero
		}
	}
	return m.Read()
}

// scaleOf tells which scale of a refractometer a reading is on, and its value
// there.
func scaleOf(r measure.Reading) (coolant.ScaleKind, float64) {
	switch r.Unit {
	case measure.Percent:
		return coolant.ScalePercent, r.Value
	case measure.Brix:
		return coolant.ScaleBrix, r.Value
	}
	t, err := r.Metric(measure.Temperature)
	if err != nil {
		return coolant.ScaleFreeze, math.NaN()
	}
	return coolant.ScaleFreeze, t
}

// zero of a named instrument. The map is shared with snapshots and is never changed.
func (a *Account) zero(tool string, at time.Time) {
	if tool == "" {
		return
	}
	next := make(map[string]time.Time, len(a.Zeroed)+1)
	maps.Copy(next, a.Zeroed)
	next[tool] = at
	a.Zeroed = next
}

func (a *Account) lastZero(tool string) *zeroed {
	if tool == "" {
		return nil
	}
	for i := len(a.zeros) - 1; i >= 0; i-- {
		if a.zeros[i].tool == tool {
			return &a.zeros[i]
		}
	}
	return nil
}

// noteOf the flag for which a reading is refused.
func noteOf(flags []coolant.Flag) Note {
	for _, f := range flags {
		switch f {
		case coolant.FlagWrongScale:
			return NoteWrongScale
		case coolant.FlagBaseUnknown:
			return NoteBaseUnknown
		case coolant.FlagBeyond:
			return NoteBeyondTable
		}
	}
	return NoteDistrusted
}

// leastTolerance in K: a smaller difference is not worth a question (common
// practice).
const leastTolerance = 2.0

// test holds a freeze test against the book. Within the tolerance the two are
// averaged, each with the weight of its certainty, and the book is the surer for
// it; beyond it the coolant is what was measured, whatever was written.
func (a *Account) test(line *Line, b FreezeTest) {
	at := line.Entry.At
	read, err := a.read(b, at)
	if err != nil {
		read = coolant.Reading{Refused: true, NoHint: true, Flags: []coolant.Flag{coolant.FlagBeyond}}
		if t, err := b.Value.Metric(measure.Temperature); err == nil {
			read.Freeze = measure.Celsius(t)
		}
	}
	r := &Reconciliation{Measured: read.Freeze, Low: read.Low, High: read.High, Book: a.freeze(), Shown: read.Shown, Flags: read.Flags}
	line.Test = r
	mark := &TestMark{At: at, Measured: read.Freeze, Instrument: b.Instrument, Tool: b.Tool}
	if read.Shown != nil {
		mark.Measured = *read.Shown
	}
	if z := a.lastZero(b.Tool); z != nil {
		mark.ZeroAt = &z.at
	}
	if b.Zero != nil {
		mark.ZeroAt = &mark.At
		a.zero(b.Tool, at)
	}
	distrust := func(n Note) {
		line.note(n)
		mark.Note = n
		a.Distrusted = mark
	}
	if a.Mixed {
		distrust(NoteMixedBase)
		return
	}
	if read.Refused || read.NoHint {
		distrust(noteOf(read.Flags))
		return
	}
	if a.Base == "" {
		distrust(NoteBaseUnknown)
		return
	}
	mass, err := coolant.MassFor(a.Base, read.Freeze)
	if err != nil {
		distrust(NoteBeyondTable)
		return
	}
	r.Trusted = true
	k := math.Abs(slope(a.Base, mass))
	sigma := math.Max(float64(read.High-read.Low)/4, 0.2) // a bracket's ends are two to either side
	bracket := b.Instrument == DiscTester || b.Instrument == TestStrip
	r.Tolerance = measure.Kelvin(math.Max(leastTolerance, 2*math.Hypot(sigma, a.strength*k)))
	if r.Book != nil {
		off := float64(read.Freeze - *r.Book)
		if bracket {
			// Anything within the step agrees; beyond it, how far beyond.
			r.Tolerance = measure.Kelvin(2 * a.strength * k)
			off = math.Max(0, float64(*r.Book-read.High)) + math.Min(0, float64(*r.Book-read.Low))
		}
		r.Agrees = math.Abs(off) <= float64(r.Tolerance)
	}
	line.before = nil
	a.unseen(at)
	switch {
	case !a.Known:
		line.note(NoteVolumeAssumed)
		a.Charge = coolant.Charge{Base: a.Base, Water: 1}.WithMassFraction(mass)
		a.Charge = scaleTo(a.Charge, a.Unit.Capacity)
		a.Known, a.born = true, time.Time{}
		a.strength, a.volume = sigma/k, 2*sigmaLevel*float64(a.Unit.Capacity)
		a.Strengths = nil
	case !r.Agrees:
		line.before = a.snapshot()
		line.before.Lines = slices.Clip(a.Lines[:len(a.Lines)-1])
		a.Charge = a.Charge.WithMassFraction(mass)
		a.strength = sigma / k
		a.Strengths = nil // what happened once is no drift
	case !bracket:
		a.average(mass, sigma/k)
	}
	a.learnt(Strength{at, mass, sigma / k})
	a.figures.done = false
	mark.Agreed = r.Agrees
	a.Changes, a.Distrusted, a.LastTest = 0, nil, mark
	if r.Book != nil {
		a.OffBook = pick(r.Agrees, nil, mark)
	}
	for _, o := range a.Owed {
		if o.What == OwedRetest && at.After(o.Since) {
			a.settle(OwedRetest)
			break
		}
	}
}

// average of book and measurement, weighted by the inverse of their variances
// (the minimum-variance estimate of two independent measurements).
func (a *Account) average(measured, sigma float64) {
	book, s := a.Charge.MassFraction(), math.Max(a.strength, 1e-6)
	gain := s * s / (s*s + sigma*sigma)
	a.Charge = a.Charge.WithMassFraction(book + gain*(measured-book))
	a.strength = s * math.Sqrt(1-gain)
}

// snapshot is a copy that can be carried on without touching the account.
func (a *Account) snapshot() *Account {
	c := *a
	c.Lines, c.Points, c.Findings = slices.Clip(c.Lines), slices.Clip(c.Points), slices.Clone(c.Findings)
	c.Readings = slices.Clip(c.Readings)
	c.Defects, c.Owed, c.Chemistry = slices.Clip(c.Defects), slices.Clip(c.Owed), slices.Clip(c.Chemistry)
	c.Strengths, c.Looks = slices.Clip(c.Strengths), slices.Clip(c.Looks)
	c.leaks, c.zeros, c.Blended = slices.Clip(c.leaks), slices.Clip(c.zeros), slices.Clip(c.Blended)
	return &c
}
