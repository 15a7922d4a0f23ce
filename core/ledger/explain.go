package ledger

import (
	"cmp"
	"math"
	"reflect"
	"slices"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Cause is why a test may not agree with the book, as a code.
type Cause string

// The causes.
const (
	CauseWater       Cause = "water_added"       // litres of plain water, not written down
	CauseLeakRefill  Cause = "leak_and_refill"   // litres that leaked and were made up with water
	CauseConcentrate Cause = "concentrate_added" // litres of concentrate, not written down
	CauseBoiledOff   Cause = "water_lost"        // litres of water that boiled off
	CauseScale       Cause = "wrong_scale"       // read on the scale of the other glycol
	CauseMixedWrong  Cause = "mixed_wrong"       // the renewal was mixed at another share
	CauseFillVolume  Cause = "fill_volume"       // another volume was filled at the renewal
	CauseStayed      Cause = "stayed_inside"     // flush water or old coolant stayed inside at the renewal
	CauseMisread     Cause = "misread"           // misread, a dirty prism, or a sample that was not mixed
)

// Likelihood of what an explanation proposes, in words.
type Likelihood string

// The likelihoods.
const (
	Likely   Likelihood = "likely"   // more likely than all others together
	Possible Likelihood = "possible" // one in five or more
	Unlikely Likelihood = "unlikely"
)

// DistinguishingTest is the test that distinguishes two close proposals.
type DistinguishingTest string

// The tests.
const (
	SecondInstrument DistinguishingTest = "second_instrument" // a second reading with another instrument
	OtherScale       DistinguishingTest = "other_scale"       // a second reading on the other glycol's scale
)

// Explanation of a test that does not agree, with what would balance the books.
type Explanation struct {
	_ struct{} `cbor:",toarray"`

	Cause  Cause
	Litres measure.Litre    // moved without being written down; of the wrong fill what really went in
	Share  float64          // per cent of concentrate, of a mix that was wrong
	Scale  coolant.Base     // the scale it would have been read on
	True   *measure.Celsius // what it would then freeze at
	// Weight among the explanations, adding up to 1. It ranks them and is not shown:
	// the priors behind it are common practice and good to a word.
	Weight float64
	// Likelihood of what it proposes, all causes that propose the same taken together.
	Likelihood Likelihood
	// Close: another proposal is about as likely. Distinguish is the test that distinguishes them.
	Close       bool
	Distinguish DistinguishingTest
	// Retest: no second test yet. The balancing entry is written
	// only once a second test shows the same.
	Retest bool
	// From and To are the days between which it happened.
	From, To time.Time
	// Balance is the entry that would make book and test agree; nil when nothing
	// can be written for it. Strikes is the entry it takes the place of.
	Balance Body
	At      time.Time
	Strikes string
}

// How likely a cause is before its litres are compared (common practice: water
// that was not written down is the commonest, a mixed-up scale comes next).
const (
	priorWater       = 0.45
	priorScale       = 0.30
	priorLeak        = 0.20
	priorLeakKnown   = 0.60 // more is known to have gone than any engine takes
	priorConcentrate = 0.35
	priorBoiledOff   = 0.10
	priorFill        = 0.25
	priorStayed      = 0.30
	priorMisread     = 0.10
	priorNotZeroed   = 0.25 // misread, by an instrument that was not zeroed
	priorMisreadTwo  = 0.02 // misread twice alike
	// A scale has no litres to choose: that it fits at all speaks for it (judgement).
	scaleFits = 1.6
)

// Bounds of the likelihoods, and the ratio of weights up to which two proposals
// are close.
const (
	likelyFrom, possibleFrom = 0.5, 0.2
	closeWithin              = 1.6
)

// Shares of the charge: gone since the renewal, from which on a unit is known to
// leak, and missing at present (common practice).
const (
	knownLeak = 0.15
	lowNow    = 0.025
)

// Diagnosis of book and last test.
type Diagnosis struct {
	Book      *measure.Celsius // what the book said before the test; nil when it said nothing
	Likeliest *Explanation     // nil when nothing explains it
}

// Diagnosis of the test in [Account.Discrepancy]; nil when book and test agree.
func (a *Account) Diagnosis() *Diagnosis {
	if a.Discrepancy == nil || a.restored {
		return a.diagnosis
	}
	for i := len(a.Lines) - 1; i >= 0; i-- {
		l := &a.Lines[i]
		if l.Test == nil || !l.Entry.At.Equal(a.Discrepancy.At) || l.Struck != nil {
			continue
		}
		d := &Diagnosis{Book: l.Test.Book}
		if x := a.Explain(i); len(x) > 0 {
			d.Likeliest = &x[0]
		}
		return d
	}
	return nil
}

// explain is [Account.Explain] without its guard.
func (a *Account) explain(i int) []Explanation {
	line := a.Lines[i]
	b, ok := line.Entry.Body.(FreezeTest)
	if !ok || line.Test == nil || line.Struck != nil || line.Test.Agrees && line.Test.Trusted {
		return nil
	}
	if !line.Test.Trusted {
		return explainScale(line)
	}
	if line.before == nil || line.Test.Book == nil {
		return nil // the book knew nothing
	}
	e := explainer{line: line, test: b, book: line.before, unit: a.Unit,
		confirmed: a.Discrepancy != nil && a.Discrepancy.Confirmed}
	e.from, e.to = e.since(), line.Entry.At
	e.at = e.to.Add(-time.Minute)
	if e.at.Before(e.from) {
		e.at = e.from.Add(e.to.Sub(e.from) / 2)
	}
	if line.Test.Measured > *line.Test.Book {
		e.water()
	} else {
		e.stronger()
	}
	e.scale()
	e.renewal()
	e.misread()
	return e.ranked()
}

// ranked explanations, by what they propose: causes that propose the same entry
// are one group, and the proposals that are likeliest first.
func (e *explainer) ranked() []Explanation {
	total := 0.0
	for _, f := range e.found {
		total += f.Weight
	}
	if !(total > 0) {
		return nil
	}
	together := make([]float64, len(e.found))
	for n := range e.found {
		e.found[n].Weight /= total
	}
	for n, f := range e.found {
		for _, o := range e.found {
			if sameProposal(f, o) {
				together[n] += o.Weight
			}
		}
	}
	order := make([]int, len(e.found))
	for n := range order {
		order[n] = n
	}
	slices.SortStableFunc(order, func(x, y int) int {
		return cmp.Or(cmp.Compare(together[y], together[x]), cmp.Compare(e.found[y].Weight, e.found[x].Weight))
	})
	ranked := make([]Explanation, 0, len(order))
	for _, n := range order {
		f := e.found[n]
		switch {
		case together[n] >= likelyFrom:
			f.Likelihood = Likely
		case together[n] >= possibleFrom:
			f.Likelihood = Possible
		default:
			f.Likelihood = Unlikely
		}
		ranked = append(ranked, f)
	}
	// The first proposal against the next other one.
	second := slices.IndexFunc(ranked, func(f Explanation) bool { return !sameProposal(f, ranked[0]) })
	if second > 0 && together[order[0]] <= closeWithin*together[order[second]] {
		apart := SecondInstrument
		if ranked[0].Cause == CauseScale || ranked[second].Cause == CauseScale {
			apart = OtherScale
		}
		for n := range ranked {
			if sameProposal(ranked[n], ranked[0]) || sameProposal(ranked[n], ranked[second]) {
				ranked[n].Close, ranked[n].Distinguish = true, apart
			}
		}
	}
	return ranked
}

// sameProposal reports whether two explanations would write the same.
func sameProposal(x, y Explanation) bool {
	if x.Balance == nil || y.Balance == nil {
		return x.Cause == y.Cause
	}
	return x.Strikes == y.Strikes && reflect.DeepEqual(x.Balance, y.Balance)
}

// explainScale gives what a test that was read on the other glycol's scale would
// mean; there is nothing to balance but to test again.
func explainScale(line Line) []Explanation {
	if !slices.Contains(line.Test.Flags, coolant.FlagWrongScale) {
		return nil
	}
	t := line.Test.Measured
	b := line.Entry.Body.(FreezeTest)
	return []Explanation{{Cause: CauseScale, Scale: b.Scale, True: &t, Weight: 1, Likelihood: Likely, Retest: true, From: line.Entry.At, To: line.Entry.At}}
}

type explainer struct {
	line         Line
	test         FreezeTest
	book         *Account // before the test
	unit         Unit
	from, to, at time.Time
	confirmed    bool // a second test showed the same
	found        []Explanation
}

// since is when the strength was last sure: the last trusted test or the
// renewal.
func (e *explainer) since() time.Time {
	var t time.Time
	if e.book.LastTest != nil {
		t = e.book.LastTest.At
	}
	if r := e.book.renewal; r >= 0 && e.book.Lines[r].Entry.At.After(t) {
		t = e.book.Lines[r].Entry.At
	}
	if t.IsZero() && len(e.book.Lines) > 0 {
		t = e.book.Lines[0].Entry.At
	}
	return t
}

func (e *explainer) add(x Explanation) {
	x.From, x.To = e.from, e.to
	if _, pour := x.Balance.(TopUp); pour && e.unit.Aircraft {
		x.Balance = nil // not observed: it is never written into an aircraft's books
	}
	x.Retest = !e.confirmed
	if x.Balance != nil && x.At.IsZero() {
		x.At = e.at
	}
	e.found = append(e.found, x)
}

// after is the mass fraction by book once body has been entered.
func (e *explainer) after(body Body) float64 {
	c := e.book.snapshot()
	c.Lines = nil // pouring needs no line before it
	c.apply(Entry{ID: "~", Unit: e.unit.Code, At: e.at, Body: body})
	return c.Charge.MassFraction()
}

// litresFor is how much of what body pours makes the book's strength the
// measured one, up to most; false when none does.
func (e *explainer) litresFor(most measure.Litre, body func(measure.Reading) Body) (measure.Litre, bool) {
	want, err := coolant.MassFor(e.book.Base, e.line.Test.Measured)
	if err != nil {
		return 0, false
	}
	now := e.book.Charge.MassFraction()
	low, high := 0.0, float64(most)
	past := func(v float64) bool {
		w := e.after(body(measure.Reading{Value: v, Unit: measure.L}))
		return (w < want) == (want < now)
	}
	if !past(high) {
		return 0, false
	}
	for range 30 {
		if mid := (low + high) / 2; past(mid) {
			high = mid
		} else {
			low = mid
		}
	}
	return measure.Litre(high), true
}

// roundedLitres is a volume as a person would write it down.
func roundedLitres(v measure.Litre) measure.Reading {
	return measure.Reading{Value: math.Round(float64(v)*100) / 100, Unit: measure.L}
}

const balancingNote = "balances the books: not written down at the time"

func (e *explainer) water() {
	pour := func(r measure.Reading) Body {
		return TopUp{Volume: r, With: coolant.Water, Inferred: true, Note: balancingNote}
	}
	v, ok := e.litresFor(e.unit.Capacity*0.95, pour)
	if !ok {
		return
	}
	// The more of the charge it takes, the less likely it went unnoticed.
	share := float64(v / e.unit.Capacity)
	unnoticed := math.Exp(-2 * share)
	e.add(Explanation{Cause: CauseWater, Litres: v, Weight: priorWater * unnoticed, Balance: pour(roundedLitres(v))})
	leak := priorLeak
	gone := measure.Litre(0)
	for _, l := range e.book.leaks {
		gone += l.litres
	}
	if gone > knownLeak*e.unit.Capacity || e.book.Charge.Volume() < e.book.Filled*(1-lowNow) {
		leak = priorLeakKnown
	}
	e.add(Explanation{Cause: CauseLeakRefill, Litres: v, Weight: leak * math.Sqrt(unnoticed), Balance: pour(roundedLitres(v))})
}

func (e *explainer) stronger() {
	if p := e.book.Product; p != nil {
		can := *p
		if can.Form != coolant.Concentrate {
			can = coolant.Product{Code: p.Code, Name: p.Name, Base: p.Base, Technology: p.Technology, Form: coolant.Concentrate, Glycol: coolant.ConcentrateGlycol}
		}
		pour := func(r measure.Reading) Body {
			return TopUp{Volume: r, With: coolant.Concentrate, Product: &can, Inferred: true, Note: balancingNote}
		}
		if v, ok := e.litresFor(e.unit.Capacity*0.6, pour); ok {
			x := Explanation{Cause: CauseConcentrate, Litres: v, Weight: priorConcentrate * math.Exp(-2*float64(v/e.unit.Capacity))}
			if p.Form == coolant.Concentrate {
				x.Balance = pour(roundedLitres(v))
			}
			e.add(x)
		}
	}
	// Water boils off or seeps out as vapour and leaves the glycol behind.
	want, err := coolant.MassFor(e.book.Base, e.line.Test.Measured)
	if err != nil {
		return
	}
	c := e.book.Charge
	gone := measure.Litre(float64(c.Water) - float64(c.Glycol)*(1-want)/want)
	if gone > 0 && gone < e.unit.Capacity/4 {
		e.add(Explanation{Cause: CauseBoiledOff, Litres: gone, Weight: priorBoiledOff * math.Exp(-6*float64(gone/e.unit.Capacity))})
	}
}

// scale asks whether the book would be right if the line had been read on the
// other glycol's scale.
func (e *explainer) scale() {
	if e.test.Instrument != Refractometer || e.test.Value.Unit == measure.Brix || !e.book.Base.Known() {
		return
	}
	other := coolant.EG
	if e.test.Scale == coolant.EG {
		other = coolant.PG
	}
	if len(e.unit.Scales) > 0 && !slices.Contains(e.unit.Scales, other) {
		return // no instrument of the site has that scale
	}
	wrong := e.test
	wrong.Scale = other
	read, err := e.book.read(wrong, e.to)
	if err != nil || read.NotUsable {
		return
	}
	k := math.Abs(slope(e.book.Base, e.book.Charge.MassFraction()))
	sigma := math.Hypot(float64(read.High-read.Low)/4, e.book.strength*k)
	z := float64(read.Freeze-*e.line.Test.Book) / sigma
	if math.Abs(z) > 3 {
		return
	}
	t := read.Freeze
	e.add(Explanation{Cause: CauseScale, Scale: other, True: &t, Weight: priorScale * scaleFits * math.Exp(-z*z),
		Balance: wrong, At: e.to, Strikes: e.line.Entry.ID})
}

// misread asks whether the test itself was wrong. It proposes nothing but to test
// again.
func (e *explainer) misread() {
	weight := priorMisread
	mark := TestMark{At: e.to, Instrument: e.test.Instrument}
	if z := e.book.lastZero(e.test.Tool); z != nil {
		mark.ZeroAt = &z.At
	}
	switch {
	case e.confirmed:
		weight = priorMisreadTwo
	case e.test.Zero == nil && !mark.zeroed():
		weight = priorNotZeroed
	}
	e.add(Explanation{Cause: CauseMisread, Weight: weight})
}

// renewal asks whether the last renewal was mixed, or measured, differently from
// written; only when no one has tested since.
func (e *explainer) renewal() {
	r := e.book.renewal
	if r < 0 || e.book.LastTest != nil {
		return
	}
	line := e.book.Lines[r]
	b, ok := line.Entry.Body.(Renewal)
	if !ok {
		return
	}
	want, err := coolant.MassFor(e.book.Base, e.line.Test.Measured)
	if err != nil {
		return
	}
	var standing []Entry
	at := 0
	for i, l := range e.book.Lines {
		if i == r {
			at = len(standing)
		}
		if l.Struck == nil && l.Entry.Kind() != KindStrike {
			standing = append(standing, l.Entry)
		}
	}
	strength := func(changed Renewal) float64 {
		standing[at].Body = changed
		a := Fold(e.unit, standing)
		return a.Charge.MassFraction()
	}
	solve := func(low, high float64, with func(float64) Renewal) (float64, bool) {
		off := func(x float64) float64 { return strength(with(x)) - want }
		a, b := off(low), off(high)
		if a*b > 0 {
			return 0, false
		}
		for range 16 {
			mid := (low + high) / 2
			if m := off(mid); m*a <= 0 {
				high = mid
			} else {
				low, a = mid, m
			}
		}
		return (low + high) / 2, true
	}
	if e.line.Test.Measured > *e.line.Test.Book && (line.Turn == nil || line.Turn.Residual == 0) {
		// As it was written, old coolant or flush water; else unrecorded flush water.
		stayed := func(r float64, flushes int) Renewal {
			c := b
			left := roundedLitres(measure.Litre(r))
			c.Residual, c.Emptied, c.Flushes = &left, false, flushes
			if flushes > 0 && c.FlushWith == "" {
				c.FlushWith = FlushWiths[0]
			}
			return c
		}
		for _, flushes := range []int{b.Flushes, b.Flushes + 1} {
			r, ok := solve(0, 0.6*float64(e.unit.Capacity), func(r float64) Renewal { return stayed(r, flushes) })
			if !ok {
				continue
			}
			fixed := stayed(r, flushes)
			e.add(Explanation{Cause: CauseStayed, Litres: measure.Litre(r), Weight: priorStayed * math.Exp(-2*r/float64(e.unit.Capacity)),
				Balance: fixed, At: line.Entry.At, Strikes: line.Entry.ID})
			break
		}
	}
	switch {
	case b.Share != nil && b.Product.Form == coolant.Concentrate:
		share, ok := solve(5, 65, func(s float64) Renewal { c := b; c.Share = &s; return c })
		if !ok {
			return
		}
		share = math.Round(share*10) / 10
		fixed := b
		fixed.Share = &share
		litres, _ := b.Volume.Metric(measure.Volume)
		e.add(Explanation{Cause: CauseMixedWrong, Share: share, Litres: measure.Litre(litres * share / 100),
			Weight: priorFill * math.Exp(-math.Abs(share-*b.Share)/20), Balance: fixed, At: line.Entry.At, Strikes: line.Entry.ID})
	case line.Turn != nil && line.Turn.Residual > 0:
		in := float64(line.Turn.In)
		v, ok := solve(0.3*in, 1.5*in, func(v float64) Renewal {
			c := b
			c.Volume = measure.Reading{Value: v, Unit: measure.L}
			return c
		})
		if !ok {
			return
		}
		fixed := b
		fixed.Volume = roundedLitres(measure.Litre(v))
		e.add(Explanation{Cause: CauseFillVolume, Litres: measure.Litre(v), Weight: priorFill * math.Exp(-3*math.Abs(v-in)/in),
			Balance: fixed, At: line.Entry.At, Strikes: line.Entry.ID})
	}
}
