package ledger

import (
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Bounds of what the fold takes. [Check] refuses far less than these; they hold for books that
// were written before a check was added, and for anything else that a database may hold. A line
// beyond them is kept, noted as [NoteImplausible], and left out of the account.
const (
	// LeastVolume and MostVolume of any reading, L: less than a drop, more than any ship's
	// cooling system.
	LeastVolume, MostVolume = 1e-5, 1e5
	// MostFigure of any other number in an entry, either sign.
	MostFigure = 1e8
)

// EarliestTime and LatestTime that an entry may have.
var (
	EarliestTime = time.Date(1900, 1, 1, 0, 0, 0, 0, time.UTC)
	LatestTime   = time.Date(2200, 1, 1, 0, 0, 0, 0, time.UTC)
)

// Plausible reports whether an entry is within the bounds of what the fold takes.
func Plausible(e Entry) bool {
	if e.At.Before(EarliestTime) || e.At.After(LatestTime) {
		return false
	}
	p := plausible{true}
	switch b := e.Body.(type) {
	case Opening:
		p.maybe(b.Volume, b.Meter)
		p.product(b.Product)
		p.figures(b.Share)
	case Renewal:
		p.readings(b.Volume)
		p.maybe(b.Meter)
		p.residual(b.Residual)
		p.product(&b.Product)
		p.figures(b.Share)
		for _, d := range b.Drained {
			p.readings(d.Volume)
		}
		p.count(b.Flushes)
		p.count(b.Rinses)
	case TopUp:
		p.readings(b.Volume)
		p.product(b.Product)
	case Loss:
		p.readings(b.Volume)
	case FreezeTest:
		p.readings(b.Value)
		p.maybe(b.Sample)
		p.figures(b.Zero, (*float64)(b.Cold))
		for i := range b.Chart {
			p.figures((*float64)(&b.Chart[i]))
		}
	case ChemistryTest:
		p.figures(b.tested()...)
		p.figures(b.PHTo, b.NitriteTo, b.MolybdateTo)
		p.maybe(b.ConductivityAt)
	case RawWater:
		p.maybe(b.Freeze)
	case Release:
		p.maybe(b.TotalTime)
	case Dose:
		p.readings(b.Volume)
		p.additive(b.Additive)
	case ExtenderDose:
		p.readings(b.Volume)
		p.additive(b.Additive)
	case AdditiveFilter:
		p.maybe(b.Meter)
		p.additive(b.Additive)
	case CapTest:
		p.maybe(b.Opened)
	case PressureTest:
		p.readings(b.Pressure, b.Drop)
		p.figures(&b.Minutes)
	case LevelCheck:
		p.maybe(b.Over)
	case Inspection:
		for i := range b.Points {
			p.figures(b.Points[i].Blocked)
		}
	case Meter:
		p.readings(b.Meter)
	case MeterChange:
		p.maybe(b.Old)
		p.readings(b.New)
	case ZeroCheck:
		p.readings(b.Zero)
	}
	return p.ok
}

// plausible gathers whether all figures of an entry are.
type plausible struct{ ok bool }

func (p *plausible) within(v, least, most float64) { p.ok = p.ok && v >= least && v <= most }

func (p *plausible) readings(all ...measure.Reading) {
	for _, r := range all {
		d := r.Unit.Dimension()
		v, err := r.Metric(d)
		switch {
		case err != nil:
			p.ok = false
		case d == measure.Volume:
			p.within(v, LeastVolume, MostVolume)
		default:
			p.within(v, -MostFigure, MostFigure)
		}
	}
}

func (p *plausible) maybe(all ...*measure.Reading) {
	for _, r := range all {
		if r != nil {
			p.readings(*r)
		}
	}
}

// residual may be nothing.
func (p *plausible) residual(r *measure.Reading) {
	if r == nil {
		return
	}
	v, err := r.Metric(measure.Volume)
	p.ok = p.ok && err == nil
	p.within(v, 0, MostVolume)
}

func (p *plausible) figures(all ...*float64) {
	for _, v := range all {
		if v != nil {
			p.within(*v, -MostFigure, MostFigure)
		}
	}
}

func (p *plausible) count(n int) { p.within(float64(n), 0, 1000) }

// product whose glycol is a share; only what is computed with is checked.
func (p *plausible) product(of *coolant.Product) {
	if of == nil {
		return
	}
	p.within(of.Glycol, 0, 1)
	p.within(of.Density, 0, 10)
	p.within(of.Fresh, 0, MostFigure)
	p.figures((*float64)(of.Freeze))
	for _, v := range of.Figures {
		p.within(v, -MostFigure, MostFigure)
	}
}

func (p *plausible) additive(a coolant.Additive) {
	p.within(a.Nitrite, 0, 1e5)
	p.within(a.Molybdate, 0, 1e5)
	p.within(float64(a.Months), 0, 10_000)
	p.within(float64(a.Km), 0, MostFigure)
	p.within(float64(a.Hours), 0, MostFigure)
}
