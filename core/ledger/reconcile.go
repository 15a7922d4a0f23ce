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
	if inside == coolant.NoWater {
		return a.readWaterless(b)
	}
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
		h := coolant.Hydrometer{Relative: b.Value.Value, Sample: sample, Inside: inside}
		h.Density, h.Glycol = a.density()
		return h.Read()
	case DiscTester:
		return coolant.ReadDiscs(b.Chart, int(b.Value.Value), inside)
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
		days := at.Sub(z.At).Hours() / 24
		m.ZeroDays = &days
		if kind, zero := scaleOf(z.Zero); kind == m.Kind {
			m.Zero = &zero
		}
	}
	return m.Read()
}

// density of the product inside, relative to water, and its glycol by volume; 0 when it does
// not state one, or something foreign is in the charge.
func (a *Account) density() (density, glycol float64) {
	if a.Product == nil || a.Product.Density == 0 || a.ForeignShare() > coolant.ForeignWatch.In(a.LimitOverrides()...) {
		return 0, 0
	}
	glycol, _ = a.Product.Strength()
	return a.Product.Density, glycol
}

// readWaterless reads the per cent of water that a refractometer shows in a waterless
// coolant; any other reading says nothing of it.
func (a *Account) readWaterless(b FreezeTest) (coolant.Reading, error) {
	if b.Instrument != Refractometer || b.Value.Unit != measure.Percent || b.Scale != coolant.NoWater {
		return coolant.Reading{Refused: true, NotUsable: true, Flags: []coolant.Flag{coolant.FlagWaterless}}, nil
	}
	return coolant.ReadWaterless(b.Value.Value/100, a.inside().Freeze, a.LimitOverrides()...)
}

// scaleOf is which scale of a refractometer a reading is on, and its value
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
	if i := slices.IndexFunc(a.zeros, func(z zeroed) bool { return z.Tool == tool }); i >= 0 {
		return &a.zeros[i]
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
		case coolant.FlagTooStrong:
			return NoteTooStrong
		case coolant.FlagHydroPG:
			return NoteDensityPG
		case coolant.FlagWaterless:
			return NoteWaterless
		case coolant.FlagWatered:
			return NoteWaterIn
		}
	}
	return NoteDistrusted
}

// leastTolerance in K: a smaller difference is not worth a question (common
// practice).
const leastTolerance = 2.0

// test holds a freeze test against the book.
//
// A test that reads warmer than the book, or the same, counts at once: within the
// tolerance the two are averaged, each with the weight of its certainty; beyond it
// the coolant is what was measured, whatever was written. A test that reads colder
// waits, since a wrong scale, an instrument off zero and coolant that is not mixed
// all read colder: the warmer of the two counts until a second test with a zeroed
// instrument, or an entry, explains it.
func (a *Account) test(line *Line, b FreezeTest) {
	at := line.Entry.At
	if unusable := line.Entry.Envelope.Unusable; unusable != "" {
		a.unusable(line, b, unusable)
		return
	}
	read, err := a.read(b, at)
	if err != nil {
		read = coolant.Reading{Refused: true, NotUsable: true, Flags: []coolant.Flag{coolant.FlagBeyond}}
		if t, err := b.Value.Metric(measure.Temperature); err == nil {
			read.Freeze = measure.Celsius(t)
		}
	}
	r := &Reconciliation{Measured: read.Freeze, Low: read.Low, High: read.High, Book: a.freeze(), Shown: read.Shown, Flags: read.Flags}
	line.Test = r
	mark := a.testMark(line.Entry, b, read)
	mass, refused := a.refusedFor(read)
	if refused != "" {
		line.note(refused)
		mark.Note = refused
		a.distrust(mark)
		switch refused {
		case NoteBaseUnknown:
			a.Bound = a.safeBound(b)
		case NoteWaterIn:
			a.WaterIn = true
			a.figures.done = false
		}
		return
	}
	r.Trusted = true
	if a.Base == coolant.NoWater {
		a.takeWaterless(line, mark)
		return
	}
	if a.Known && !(a.Charge.Mass() > 0) {
		// By the book there is nothing to test: how much is inside is not known, and a freeze
		// test does not show it.
		line.note(NoteEmptyBook)
		r.Trusted, mark.Note = false, NoteEmptyBook
		a.distrust(mark)
		return
	}
	t := trusted{line: line, read: read, mass: mass, k: math.Abs(slope(a.Base, mass)),
		bracket: b.Instrument == DiscTester || b.Instrument == TestStrip}
	if density, _ := a.density(); b.Instrument == Hydrometer && density == 0 {
		t.bracket = true // as wide as concentrates differ
	}
	t.sigma = math.Max(float64(read.High-read.Low)/4, 0.2) // a bracket's ends are two to either side
	off := a.compare(t)
	line.before = nil
	mark.Agreed = r.Agrees
	if t.bracket && r.Agrees && r.Book != nil {
		mark.Cold = &read.Low
	}
	if a.Known && off < -leastOff {
		mark.Waits = !a.colder(t, mark)
	} else {
		a.takeTest(t, mark)
	}
	a.confirm(mark, r.Agrees || mark.Waits)
	switch {
	case mark.Waits && r.Agrees:
		// It is at least as strong as the book has it.
		a.addStrength(Strength{at, a.Charge.MassFraction(), t.sigma / t.k})
		line.note(NoteColder)
	case mark.Waits:
		line.note(NoteColder)
	default:
		a.addStrength(Strength{at, mass, t.sigma / t.k})
		// A bracket that agrees takes nothing from a figure that was measured since the last change.
		if mark.Cold == nil || a.Counted == nil || a.Changes > 0 {
			a.Counted = mark
		}
		a.Changes = 0
	}
	a.figures.done = false
	a.Distrusted, a.Bound, a.LastTest = nil, nil, mark
	a.offBook(r, mark)
	a.settleRetest(line, at)
}

// unusable: by the register its instrument cannot have made this test. It is recorded, and says nothing.
func (a *Account) unusable(line *Line, b FreezeTest, why Note) {
	line.note(why)
	line.Test = &Reconciliation{Book: a.freeze()}
	if t, err := b.Value.Metric(measure.Temperature); err == nil {
		line.Test.Measured = measure.Celsius(t)
	} else if f := line.Test.Book; f != nil {
		line.Test.Measured = *f
	}
	line.Test.Low, line.Test.High = line.Test.Measured, line.Test.Measured
	a.distrust(&TestMark{Entry: line.Entry.ID, At: line.Entry.At, Measured: line.Test.Measured, Note: why, Instrument: b.Instrument, Tool: b.Tool})
}

// distrust remembers a test that could not be trusted. It says nothing, and so does not end what one before it
// said: too strong.
func (a *Account) distrust(mark *TestMark) {
	if d := a.Distrusted; d == nil || d.Note != NoteTooStrong || mark.Note == NoteTooStrong {
		a.Distrusted = mark
	}
}

// confirm what one test alone showed of an unknown charge: by a refractometer that was zeroed, or by another
// instrument that shows the same or more. One that shows less is then the test that it rests on.
func (a *Account) confirm(mark *TestMark, supports bool) {
	s := a.Single
	switch {
	case s == nil || s.Entry == mark.Entry:
	case mark.Instrument == Refractometer && mark.zeroed(), supports && mark.otherThan(s.Instrument, s.Tool):
		a.Single = nil
	case !supports:
		a.Single = mark
	}
}

// otherThan reports whether the test was made with another instrument for sure: one of another kind, or of another
// name.
func (m *TestMark) otherThan(instrument, tool string) bool {
	return m.Instrument != instrument || m.Tool != "" && tool != "" && m.Tool != tool
}

// firstKnown: a test says what is inside an unknown charge. It says nothing of how much: the litres are taken as
// those of a full system, and the level stays unknown until it is seen.
func (a *Account) firstKnown(line *Line, mark *TestMark) {
	line.note(NoteVolumeAssumed)
	a.Known, a.meanFilledAt, a.leaksCountFrom = true, time.Time{}, mark.At
	a.volume = a.Unit.capacitySigma()
	if !a.levelSeen {
		a.LevelUnknown = LevelNeverSeen
	}
	if mark.Instrument != Refractometer || !mark.zeroed() {
		a.Single = mark
	}
}

// takeWaterless: there is little water in it, so that it is what its product says.
func (a *Account) takeWaterless(line *Line, mark *TestMark) {
	line.Test.Agrees, mark.Agreed = true, true
	a.WaterIn, a.Changes, a.Counted = false, 0, mark
	if !a.Known {
		a.Charge = scaleTo(coolant.Charge{Base: coolant.NoWater, Glycol: 1}, a.Unit.Capacity)
		a.firstKnown(line, mark)
	}
	a.confirm(mark, true)
	a.figures.done = false
	a.Distrusted, a.Bound, a.LastTest = nil, nil, mark
	a.settleRetest(line, mark.At)
}

// leastOff in K that an instrument can show: what is nearer to the book is not colder (judgement: a
// quarter of the degree that a line is wide).
const leastOff = 0.25

// trusted is a test that says something about this coolant.
type trusted struct {
	line     *Line
	read     coolant.Reading
	mass     float64 // mass fraction of glycol at that freeze point
	sigma, k float64 // K; K for a mass fraction
	bracket  bool    // a step of discs or a strip's band
}

func (a *Account) testMark(e Entry, b FreezeTest, read coolant.Reading) *TestMark {
	at := e.At
	mark := &TestMark{Entry: e.ID, At: at, Measured: read.Freeze, Instrument: b.Instrument, Tool: b.Tool}
	if read.Shown != nil {
		mark.Measured = *read.Shown
	}
	if z := a.lastZero(b.Tool); z != nil {
		mark.ZeroAt = &z.At
	}
	if b.Zero != nil {
		mark.ZeroAt = &mark.At
		a.zero(b.Tool, at)
	}
	return mark
}

// zeroed reports whether the instrument's zero was checked within a month; one
// that is not a refractometer has none.
func (m *TestMark) zeroed() bool {
	return m.Instrument != Refractometer || m.ZeroAt != nil && m.At.Sub(*m.ZeroAt).Hours()/24 <= coolant.ZeroMonth
}

// refusedFor is why a reading says nothing about this coolant, empty when it does;
// and the mass fraction at it.
func (a *Account) refusedFor(read coolant.Reading) (mass float64, why Note) {
	switch {
	case a.Mixed:
		return 0, NoteMixedBase
	case read.Refused || read.NotUsable:
		return 0, noteOf(read.Flags)
	case a.Base == "":
		return 0, NoteBaseUnknown
	case a.Base == coolant.NoWater:
		return 1, ""
	}
	mass, err := coolant.MassFor(a.Base, read.Freeze)
	if err != nil {
		return 0, NoteBeyondTable
	}
	return mass, ""
}

// safeBound is the warmest that a refractometer's reading leaves open when it is
// not known which glycol is inside: as if it were the one, as if it were the
// other. It takes the warmer of this test and the bound before. Nil when neither
// glycol has such a reading.
func (a *Account) safeBound(b FreezeTest) *measure.Celsius {
	bound := a.Bound
	for _, inside := range []coolant.Base{coolant.EG, coolant.PG} {
		as := *a
		as.Base = inside
		read, err := as.read(b, time.Time{})
		if err != nil || read.NotUsable {
			continue
		}
		warm := read.High
		if bound == nil || warm > *bound {
			bound = &warm
		}
	}
	return bound
}

// compare test and book: how far the test is off, K, negative when it reads
// colder. It sets the tolerance and whether the two agree.
func (a *Account) compare(t trusted) float64 {
	r := t.line.Test
	r.Tolerance = measure.Kelvin(math.Max(leastTolerance, 2*math.Hypot(t.sigma, a.strength*t.k)))
	if r.Book == nil {
		return 0
	}
	off := float64(t.read.Freeze - *r.Book)
	if t.bracket {
		// Anything within the step agrees; beyond it, how far beyond.
		r.Tolerance = measure.Kelvin(2 * a.strength * t.k)
		switch book := *r.Book; {
		case book > t.read.High:
			off = float64(t.read.High - book)
		case book < t.read.Low:
			off = float64(t.read.Low - book)
		default:
			off = 0
		}
	}
	r.Agrees = math.Abs(off) <= float64(r.Tolerance)
	return off
}

// takeTest makes what was measured the book.
func (a *Account) takeTest(t trusted, mark *TestMark) {
	a.Colder = nil
	a.unseen(t.line.Entry.At)
	switch {
	case !a.Known:
		a.Charge = coolant.Charge{Base: a.Base, Water: 1}.WithMassFraction(t.mass)
		a.Charge = scaleTo(a.Charge, a.Unit.Capacity)
		a.firstKnown(t.line, mark)
		a.strength = t.sigma / t.k
		a.Strengths = nil
	case !t.line.Test.Agrees:
		a.remember(t.line)
		a.Charge = a.Charge.WithMassFraction(t.mass)
		a.strength = t.sigma / t.k
		a.Strengths = nil // what happened once is no drift
	case !t.bracket:
		a.average(t.mass, t.sigma/t.k)
	}
}

// remember the account as it stood before the test, for what may explain it.
func (a *Account) remember(line *Line) {
	line.before = a.snapshot()
	line.before.Lines = slices.Clip(a.Lines[:len(a.Lines)-1])
}

// apart is how long two tests must lie apart to be two (common practice: the
// instrument wiped, a new sample drawn).
const apart = 5 * time.Minute

// anotherDay is how long two tests lie apart that were made on two days (judgement: a shift is shorter; the fold
// knows no zone).
const anotherDay = 16 * time.Hour

// mostColder tests that wait: one of each instrument of a workshop (judgement).
const mostColder = 12

// independent reports whether a second test is independent of one that waits: made with another instrument, or
// with the same one on another day, zeroed on purified water in between and that zero recorded. A faulty
// instrument repeats itself.
func (m *TestMark) independent(of ColderTest) bool {
	if m.At.Sub(of.At) < apart || !m.zeroed() {
		return false
	}
	return m.otherThan(of.Instrument, of.Tool) ||
		m.Instrument == Refractometer && m.Tool != "" && m.Tool == of.Tool && m.ZeroAt != nil && m.ZeroAt.After(of.At) && m.At.Sub(of.At) >= anotherDay
}

// colder takes a test that reads colder than the book: it waits, or is the second
// one, independent of the first, and confirms that the coolant is so strong. It reports whether it counts now.
func (a *Account) colder(t trusted, mark *TestMark) bool {
	if !slices.ContainsFunc(a.Colder, mark.independent) {
		if !t.line.Test.Agrees {
			a.remember(t.line)
		}
		if len(a.Colder) < mostColder {
			a.Colder = append(slices.Clip(a.Colder), ColderTest{At: mark.At, Mass: t.mass, Sigma: t.sigma / t.k, Instrument: mark.Instrument, Tool: mark.Tool})
		}
		return false
	}
	// Of those that all read colder the warmest counts.
	a.unseen(mark.At)
	for _, waiting := range a.Colder {
		t.mass = math.Min(waiting.Mass, t.mass)
	}
	if !t.line.Test.Agrees {
		a.remember(t.line)
		a.Charge = a.Charge.WithMassFraction(t.mass)
		a.strength, a.Strengths = t.sigma/t.k, nil
	} else if !t.bracket {
		a.average(t.mass, t.sigma/t.k)
	}
	a.Colder = nil
	return true
}

// offBook remembers that book and test disagree, and forgets it when two later
// tests agree.
func (a *Account) offBook(r *Reconciliation, mark *TestMark) {
	switch {
	case r.Book == nil:
	case !r.Agrees:
		if before := a.Discrepancy; before != nil && mark.At.Sub(before.At) >= apart && math.Abs(float64(before.Measured-mark.Measured)) <= float64(r.Tolerance) {
			mark.Confirmed = true
		}
		a.Discrepancy = mark
	case a.Discrepancy != nil && a.Discrepancy.Confirmed:
		a.Discrepancy = nil
	case a.Discrepancy != nil && mark.At.Sub(a.Discrepancy.At) >= apart:
		if math.Abs(float64(a.Discrepancy.Measured-mark.Measured)) > float64(r.Tolerance) {
			a.Discrepancy = nil // it was the test that was wrong
			return
		}
		confirmed := *a.Discrepancy
		confirmed.Confirmed = true
		a.Discrepancy = &confirmed
	}
}

// mixedAfter is the hours after which, or after a run, what was poured in is mixed (common
// practice: warmed through and cooled).
const mixedAfter = 4

// settleRetest ends what was owed until the freeze point was tested again, once
// the coolant was mixed.
func (a *Account) settleRetest(line *Line, at time.Time) {
	for _, o := range a.Pending {
		if o.What != CheckRetest || !at.After(o.Since) {
			continue
		}
		test, _ := line.Entry.Body.(FreezeTest)
		if at.Sub(o.Since).Hours() < mixedAfter && !test.Warmed && !a.ranBetween(o.Since, at) {
			line.note(NoteNotMixed)
			return
		}
		a.completeCheck(CheckRetest)
		return
	}
}

// ranBetween reports whether the meter moved between two times.
func (a *Account) ranBetween(from, to time.Time) bool {
	return a.MeterLog.ranBetween(from, to) || a.Second.ranBetween(from, to)
}

func (m *MeterLog) ranBetween(from, to time.Time) bool {
	var first *MeterPoint
	for i := range m.Readings {
		p := &m.Readings[i]
		if p.At.After(to) {
			break
		}
		if p.At.Before(from) || p.Outlier {
			continue
		}
		if first == nil {
			first = p
		} else if p.Meter == first.Meter && p.Raw > first.Raw {
			return true
		}
	}
	return false
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
	c.Lines, c.Findings = slices.Clip(c.Lines), slices.Clone(c.Findings)
	c.MeterLog, c.Second = c.MeterLog.clipped(), c.Second.clipped()
	c.Defects, c.Pending, c.Chemistry = slices.Clip(c.Defects), slices.Clip(c.Pending), slices.Clip(c.Chemistry)
	c.Strengths, c.LevelChecks = slices.Clip(c.Strengths), slices.Clip(c.LevelChecks)
	c.leaks, c.zeros, c.Blended = slices.Clip(c.leaks), slices.Clip(c.zeros), slices.Clip(c.Blended)
	c.Parts = slices.Clip(c.Parts)
	c.grounds = slices.Clip(c.grounds)
	return &c
}
