package ledger

import (
	"math"
	"slices"
	"strings"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Standard uncertainties in kelvin (common practice: a refractometer's line is
// a degree wide, a measuring jug is good to a few per cent).
const (
	sigmaRefractometer = 0.7
	sigmaFill          = 1.0 // of the book after a fill
	sigmaChange        = 0.5 // added, in quadrature, by each top-up or loss
)

// Note is something about a line that its reader should know, as a code.
type Note string

// The notes.
const (
	NoteImpliedLoss   Note = "implied_loss"     // the top-up shows that something was lost before
	NoteMoreThanBook  Note = "more_than_book"   // more was lost than the book held
	NoteNotFilled     Note = "not_filled"       // poured into a system whose charge nobody wrote down
	NoteMixedBase     Note = "mixed_base"       // EG and PG together: no table applies
	NoteWrongScale    Note = "wrong_scale"      // read on the scale of the other glycol
	NoteBaseUnknown   Note = "base_unknown"     // nobody knows which scale would be right
	NoteBeyondTable   Note = "beyond_table"     // stronger or colder than any table row
	NoteVolumeAssumed Note = "volume_assumed"   // first known strength; the system is taken as full
	NoteMeterBack     Note = "meter_backwards"  // lower than an earlier reading; not used
	NoteOtherMeter    Note = "other_meter_kind" // hours on a unit that counts distance, or the reverse
)

// Balance is what the books say after a line. Nil pointers are unknown.
type Balance struct {
	Litres    *measure.Litre
	Glycol    *float64         // volume fraction, 0 to 1
	Freeze    *measure.Celsius // freeze point by book
	RenewedAt *time.Time       // of the last fill
	MeanAge   *time.Duration   // volume-weighted, at the time of the line
	Used      *float64         // km or h since the last fill, by the last meter reading
}

// Reconciliation is a test held against the book.
type Reconciliation struct {
	Measured  measure.Celsius
	Book      *measure.Celsius // nil when the book knew nothing
	Tolerance measure.Kelvin   // two standard uncertainties of the difference
	Agrees    bool             // within the tolerance
	Trusted   bool             // false when the reading says nothing about this coolant
}

// Line is an entry with what it did to the account.
type Line struct {
	Entry   Entry
	After   Balance
	Test    *Reconciliation // of a freeze test
	Implied measure.Litre   // lost before the top-up, see [NoteImpliedLoss]
	Notes   []Note
}

// MeterPoint is one usable meter reading, in km or h.
type MeterPoint struct {
	At    time.Time
	Value float64
}

// Account is a unit's entries folded.
type Account struct {
	Unit     Unit
	Lines    []Line // in the order in which things happened
	Balance  Balance
	Charge   coolant.Charge
	Known    bool         // Charge means something
	Base     coolant.Base // inside: of the charge, else of the register
	Product  *coolant.Product
	Factory  bool // the running charge is the one the unit came with
	Mixed    bool // EG and PG together
	Points   []MeterPoint
	LastTest *TestMark // last test that could be trusted
	// Distrusted is the last test when it could not be trusted.
	Distrusted *TestMark
	// Filled is the volume of the last fill, or the capacity when nobody wrote one.
	Filled measure.Litre
	// Changes since the last trusted test or fill that nobody measured.
	Changes int

	sigma float64 // of the book's freeze point, K
	born  time.Time
	full  measure.Litre // the most the book may hold
}

// TestMark is when a test was made and what it read.
type TestMark struct {
	At       time.Time
	Measured measure.Celsius
	Agreed   bool
	Note     Note // why it was not trusted
}

// Fold reckons the account of u from its entries, in whatever order they come.
// Lines that cannot be right are kept, noted, and reckoned as far as they can
// be; Fold itself never fails.
func Fold(u Unit, entries []Entry) Account {
	sorted := slices.Clone(entries)
	slices.SortStableFunc(sorted, func(a, b Entry) int {
		if c := a.At.Compare(b.At); c != 0 {
			return c
		}
		return strings.Compare(a.ID, b.ID)
	})
	a := Account{Unit: u, Base: u.Base, Filled: u.Capacity, full: u.Capacity}
	for _, e := range sorted {
		line := Line{Entry: e}
		switch b := e.Body.(type) {
		case Fill:
			a.fill(&line, b)
		case TopUp:
			a.topUp(&line, b)
		case Loss:
			a.lose(&line, b)
		case FreezeTest:
			a.test(&line, b)
		case Meter:
			a.meter(&line, b.Meter)
		}
		line.After = a.balance(e.At)
		a.Balance = line.After
		a.Lines = append(a.Lines, line)
	}
	return a
}

func (l *Line) note(n Note) { l.Notes = append(l.Notes, n) }

func (a *Account) fill(line *Line, b Fill) {
	charge, err := b.charge()
	if err != nil {
		line.note(NoteBeyondTable)
		return
	}
	product := b.Product
	a.Charge, a.Known, a.Mixed = charge, true, false
	a.Base, a.Product, a.Factory = charge.Base, &product, b.Factory
	a.Filled = charge.Volume()
	a.full = max(a.Unit.Capacity, a.Filled)
	a.sigma, a.Changes = sigmaFill, 0
	a.LastTest, a.Distrusted = nil, nil
	a.born = line.Entry.At
	renewed := line.Entry.At
	a.Balance.RenewedAt = &renewed
	if b.Meter != nil {
		a.meter(line, *b.Meter)
	}
}

func (b Fill) charge() (coolant.Charge, error) {
	v, err := b.Volume.Metric(measure.Volume)
	if err != nil {
		return coolant.Charge{}, err
	}
	if b.Product.Form == coolant.Concentrate {
		share := 100.0
		if b.Share != nil {
			share = *b.Share
		}
		return coolant.Mix(b.Product, measure.Litre(v), share/100)
	}
	return coolant.PourProduct(b.Product, measure.Litre(v))
}

func (a *Account) topUp(line *Line, b TopUp) {
	if !a.Known {
		line.note(NoteNotFilled)
		return
	}
	v, err := b.Volume.Metric(measure.Volume)
	if err != nil {
		return
	}
	product := coolant.Product{Form: coolant.Water}
	if b.Product != nil {
		product = *b.Product
	}
	added, err := coolant.PourProduct(product, measure.Litre(v))
	if err != nil {
		line.note(NoteBeyondTable)
		return
	}
	after, err := a.Charge.Add(added)
	if err != nil {
		line.note(NoteMixedBase)
		a.Mixed = true
		// The masses still add up; only their freeze point is anybody's guess.
		added.Base = a.Charge.Base
		after, _ = a.Charge.Add(added)
	}
	// Contraction makes the exact excess a little less than the volumes say.
	if excess := after.Volume() - a.full; excess > 0.005 {
		line.note(NoteImpliedLoss)
		line.Implied = excess
		kept := a.Charge.Take(excess)
		after = coolant.Charge{Base: after.Base, Glycol: kept.Glycol + added.Glycol, Water: kept.Water + added.Water}
		a.Charge = kept
	}
	a.age(line.Entry.At, added.Volume())
	a.Charge = after
	a.changed()
}

// age moves the volume-weighted birth of the charge for v litres added at t.
func (a *Account) age(t time.Time, v measure.Litre) {
	old := a.Charge.Volume()
	if old+v <= 0 {
		return
	}
	a.born = a.born.Add(time.Duration(float64(t.Sub(a.born)) * float64(v/(old+v))))
}

func (a *Account) changed() {
	a.sigma = math.Hypot(a.sigma, sigmaChange)
	a.Changes++
}

func (a *Account) lose(line *Line, b Loss) {
	if !a.Known {
		line.note(NoteNotFilled)
		return
	}
	v, err := b.Volume.Metric(measure.Volume)
	if err != nil {
		return
	}
	if measure.Litre(v) > a.Charge.Volume()+0.005 {
		line.note(NoteMoreThanBook)
	}
	a.Charge = a.Charge.Take(measure.Litre(v))
	a.changed()
}

// test holds a freeze test against the book. Within the tolerance the book
// stands; beyond it the coolant is what was measured, whatever was written.
func (a *Account) test(line *Line, b FreezeTest) {
	t, err := b.Temperature.Metric(measure.Temperature)
	if err != nil {
		return
	}
	measured := measure.Celsius(t)
	r := &Reconciliation{Measured: measured, Book: a.freeze(),
		Tolerance: measure.Kelvin(2 * math.Hypot(sigmaRefractometer, a.sigma))}
	line.Test = r
	distrust := func(n Note) {
		line.note(n)
		a.Distrusted = &TestMark{At: line.Entry.At, Measured: measured, Note: n}
	}
	switch {
	case a.Mixed:
		distrust(NoteMixedBase)
		return
	case a.Base == "":
		distrust(NoteBaseUnknown)
		return
	case a.Base != b.Scale:
		distrust(NoteWrongScale)
		return
	}
	mass, err := coolant.MassFor(a.Base, measured)
	if err != nil {
		distrust(NoteBeyondTable)
		return
	}
	r.Trusted = true
	r.Agrees = r.Book != nil && math.Abs(float64(measured-*r.Book)) <= float64(r.Tolerance)
	switch {
	case !a.Known:
		line.note(NoteVolumeAssumed)
		a.Charge = coolant.Charge{Base: a.Base, Water: 1}.WithMassFraction(mass)
		a.Charge = scaleTo(a.Charge, a.Unit.Capacity)
		a.Known, a.born = true, time.Time{}
	case !r.Agrees:
		a.Charge = a.Charge.WithMassFraction(mass)
	}
	a.sigma, a.Changes, a.Distrusted = sigmaRefractometer, 0, nil
	a.LastTest = &TestMark{At: line.Entry.At, Measured: measured, Agreed: r.Agrees}
}

func scaleTo(c coolant.Charge, v measure.Litre) coolant.Charge {
	f := measure.Kilogram(v / c.Volume())
	return coolant.Charge{Base: c.Base, Glycol: c.Glycol * f, Water: c.Water * f}
}

func (a *Account) meter(line *Line, r measure.Reading) {
	if r.Unit.Dimension() != a.Unit.Meter {
		line.note(NoteOtherMeter)
		return
	}
	v, err := r.Metric(a.Unit.Meter)
	if err != nil {
		return
	}
	if n := len(a.Points); n > 0 && v < a.Points[n-1].Value {
		line.note(NoteMeterBack)
		return
	}
	a.Points = append(a.Points, MeterPoint{line.Entry.At, v})
}

// meterAt is the meter at time t, on the straight line between the readings
// around it; not known before the first reading. After the last one the last
// one stands, which is the least it can be.
func (a *Account) meterAt(t time.Time) (float64, bool) {
	for i, p := range a.Points {
		if p.At.Before(t) {
			continue
		}
		if p.At.Equal(t) {
			return p.Value, true
		}
		if i == 0 {
			return 0, false
		}
		q := a.Points[i-1]
		return q.Value + (p.Value-q.Value)*float64(t.Sub(q.At))/float64(p.At.Sub(q.At)), true
	}
	if n := len(a.Points); n > 0 {
		return a.Points[n-1].Value, true
	}
	return 0, false
}

// RenewalMeter is the meter at the last fill; false when no reading tells.
func (a *Account) RenewalMeter() (float64, bool) {
	if a.Balance.RenewedAt == nil {
		return 0, false
	}
	return a.meterAt(*a.Balance.RenewedAt)
}

// freeze point by book, nil when it is not known.
func (a *Account) freeze() *measure.Celsius {
	if !a.Known || a.Mixed || a.Charge.Mass() == 0 {
		return nil
	}
	f, err := a.Charge.FreezePoint()
	if err != nil {
		return nil
	}
	return &f
}

// ProtectsTo is the temperature to rely on: the freeze point by book, or the
// one measured since the last change when that is warmer. Nil when unknown.
func (a *Account) ProtectsTo() *measure.Celsius {
	f := a.freeze()
	if f == nil || a.LastTest == nil || a.Changes > 0 || a.LastTest.Measured <= *f {
		return f
	}
	m := a.LastTest.Measured
	return &m
}

func (a *Account) balance(at time.Time) Balance {
	b := Balance{RenewedAt: a.Balance.RenewedAt, Freeze: a.freeze()}
	if a.Known {
		v, g := a.Charge.Volume(), a.Charge.VolumeFraction()
		b.Litres, b.Glycol = &v, &g
		if !a.born.IsZero() {
			age := at.Sub(a.born)
			b.MeanAge = &age
		}
	}
	if m, ok := a.RenewalMeter(); ok {
		used := a.Points[len(a.Points)-1].Value - m
		b.Used = &used
	}
	return b
}
