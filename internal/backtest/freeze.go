package backtest

import (
	"fmt"
	"math"
	"math/rand/v2"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
	"diligentledger/core/usage"
)

// Charge is a life of a charge: what was written of it, and what it truly
// protected to.
type Charge struct {
	Unit    ledger.Unit
	Plan    serviceplan.Plan
	Cold    *climate.Climate
	Entries []ledger.Entry // in the order in which they happened
	Start   measure.Date
	// True freeze point at the end of each day; NaN where no one can know.
	True []float64
}

// nights ahead that the freeze clock looks.
const nights = 730

// farOff in days counts for a day that was forecast and never came, or the other
// way round.
const farOff = 365

// FreezeDays asks each charge, as of each month, for the first night that would
// catch it. Two rules of thumb are asked the same: the straight line through the
// last two tests, and that through the fill and the last test.
func FreezeDays(fleet string, all []Charge) Result {
	r := Result{Fleet: fleet}
	for _, c := range all {
		r.life()
		for day := 180; day+60 < len(c.True); day += 30 {
			asOf := c.Start.AddDays(day)
			n := 0
			for n < len(c.Entries) && c.Entries[n].At.Before(asOf.Time()) {
				n++
			}
			a := ledger.Fold(c.Unit, c.Entries[:n])
			truth, known := c.caught(day)
			if a.LastTest == nil || !known {
				continue
			}
			f := freezeWindow(clock.Evaluate(&a, c.Plan, clock.Conditions{Climate: c.Cold}, asOf))
			two, whole := c.thumbs(&a, asOf)
			if truth == nil && f == (usage.Window{}) && two == nil && whole == nil {
				continue // all agree that nothing will happen
			}
			r.Ours.night(f, truth)
			r.LastTwo.night(sure(two), truth)
			r.WholeLife.night(sure(whole), truth)
		}
	}
	return r
}

// freezeWindow of the freeze clock; without a P50 it is not likely to be caught at
// all, without a P90 one in ten it is not.
func freezeWindow(o clock.UnitStatus) (w usage.Window) {
	for _, c := range o.Clocks {
		switch {
		case c.Kind != clock.Freeze || c.Due == nil:
		case c.Window != nil:
			w = *c.Window
			if w.P90.Sub(w.P50) >= farOff {
				w.P90 = measure.Date{}
			}
		default:
			w.P10 = *c.Due
		}
	}
	return w
}

func sure(t *measure.Date) (w usage.Window) {
	if t != nil {
		w = usage.Window{P10: *t, P50: *t, P90: *t}
	}
	return w
}

// night adds a forecast of a night that came, or never did.
func (s *Score) night(w usage.Window, truth *measure.Date) {
	off := 0.0
	switch {
	case truth == nil && !w.P50.IsZero(), truth != nil && w.P50.IsZero():
		off = farOff
	case truth != nil:
		off = math.Min(farOff, math.Abs(float64(truth.Sub(w.P50))))
	}
	s.Errors = append(s.Errors, off)
	if truth == nil {
		s.count(w.P90.IsZero())
		return
	}
	s.count(!w.P10.IsZero() && !truth.Before(w.P10) && (w.P90.IsZero() || !truth.After(w.P90)))
}

// caught is the first night from a day on that truly catches the charge, nil for
// none within two years. It is not known when the life ends before.
func (c Charge) caught(day int) (first *measure.Date, known bool) {
	for d := day; d < len(c.True) && d < day+nights; d++ {
		if math.IsNaN(c.True[d]) {
			return nil, false
		}
		night := c.Start.AddDays(d)
		if float64(c.Cold.CurveMinimum(night)) < c.True[d]+float64(c.Plan.FreezeMargin) {
			return &night, true
		}
	}
	return nil, day+nights <= len(c.True)
}

// thumbs are the nights by the lines through the last two tests, and through the
// fill and the last test; nil for none.
func (c Charge) thumbs(a *ledger.Account, asOf measure.Date) (two, whole *measure.Date) {
	type point struct {
		at     time.Time
		freeze float64
	}
	var seen []point
	for _, l := range a.Lines {
		if l.Turn != nil && l.Turn.Counts && l.After.Freeze != nil {
			seen = []point{{l.Entry.At, float64(*l.After.Freeze)}}
		}
		if t := l.Test; t != nil && t.Trusted {
			seen = append(seen, point{l.Entry.At, float64(t.Measured)})
		}
	}
	last := seen[len(seen)-1]
	line := func(from point) *measure.Date {
		slope := 0.0
		if days := last.at.Sub(from.at).Hours() / 24; days > 0 {
			slope = (last.freeze - from.freeze) / days
		}
		for n := range nights {
			night := asOf.AddDays(n)
			if float64(c.Cold.CurveMinimum(night)) < last.freeze+slope*night.Time().Sub(last.at).Hours()/24+float64(c.Plan.FreezeMargin) {
				return &night
			}
		}
		return nil
	}
	return line(seen[max(0, len(seen)-2)]), line(seen[0])
}

// Charges makes lives by a rule that the model knows nothing of: a third keep
// their strength, the others are made up with water, slowly or faster, now and
// then, and half of that is not written down. They are tested in spring and
// autumn, give or take a degree.
func Charges(seed uint64, n, days int) []Charge {
	curves := []climate.MonthlyCurve{{-24, -23, -16, -7, -2, 3, 6, 5, 1, -4, -11, -19}, {-13, -13, -9, -4, 0, 4, 7, 7, 3, -1, -6, -10},
		{-25, -24, -19, -11, -4, 1, 4, 3, -1, -7, -12, -19}}
	var all []Charge
	for i := range n {
		rng := rand.New(rand.NewPCG(seed, uint64(i)))
		c := Charge{Unit: ledger.Unit{Code: "X", Capacity: 8, Base: coolant.EG, Meter: measure.Distance}, Plan: serviceplan.Plan{Later: serviceplan.Interval{Months: 240}, FreezeMargin: 3},
			Cold: curves[rng.IntN(len(curves))].Climate(), Start: measure.DateOf(start, time.UTC), True: make([]float64, days)}
		write := func(day int, b ledger.Body) {
			c.Entries = append(c.Entries, ledger.Entry{ID: fmt.Sprint(len(c.Entries)), At: start.AddDate(0, 0, day).Add(8 * time.Hour), Body: b})
		}
		glycol := 0.28 + 0.2*rng.Float64()
		product := coolant.Product{Code: "P", Base: coolant.EG, Technology: "OAT", Form: coolant.Premix, Glycol: glycol}
		// As it was truly mixed.
		inside, err := coolant.PourProduct(coolant.Product{Code: "P", Base: coolant.EG, Form: coolant.Premix, Glycol: glycol * (1 + 0.01*rng.NormFloat64())}, 8)
		if err != nil {
			panic(err) // the range above is in the tables
		}
		write(0, ledger.Renewal{Volume: measure.Reading{Value: 8, Unit: measure.L}, Product: product})
		thirst := []float64{0, 0.25, 0.8}[rng.IntN(3)] * (0.5 + rng.Float64()) // L a year
		offset := rng.IntN(365)
		for d := range days {
			if litres := 0.2; rng.Float64() < thirst/litres/365 {
				water, err := coolant.PourWater(measure.Litre(litres))
				if err == nil {
					inside, err = inside.Remove(measure.Litre(litres)).Add(water)
				}
				if err != nil {
					panic(err)
				}
				if rng.IntN(2) == 0 {
					write(d, ledger.TopUp{Volume: measure.Reading{Value: litres, Unit: measure.L}, With: coolant.Water})
				}
			}
			freeze, err := inside.FreezePoint()
			if err != nil {
				panic(err)
			}
			c.True[d] = float64(freeze)
			if day := (d + offset) % 365; d > 20 && (day == 100 || day == 280) {
				zero := 0.0
				read := math.Round(c.True[d] + 0.8*rng.NormFloat64())
				write(d, ledger.FreezeTest{Value: measure.Reading{Value: math.Min(read, 0), Unit: measure.DegC}, Instrument: ledger.Refractometer, Scale: coolant.EG, Zero: &zero})
			}
		}
		all = append(all, c)
	}
	return all
}

// ChargesOf real accounts: what a charge truly protected to is the straight line
// between what was filled and the trusted tests after it, and not known after the
// last of them.
func ChargesOf(accounts []ledger.Account, plans []serviceplan.Plan, cold []*climate.Climate) []Charge {
	var all []Charge
	for i := range accounts {
		a := &accounts[i]
		if len(a.Lines) == 0 {
			continue
		}
		c := Charge{Unit: a.Unit, Plan: plans[i], Cold: cold[i], Entries: a.Entries(), Start: measure.DateOf(a.OpenedAt(), time.UTC)}
		days := measure.DateOf(a.Lines[len(a.Lines)-1].Entry.At, time.UTC).Sub(c.Start) + 1
		c.True = make([]float64, days)
		for d := range c.True {
			c.True[d] = math.NaN()
		}
		from, value := -1, 0.0
		for _, l := range a.Lines {
			d := measure.DateOf(l.Entry.At, time.UTC).Sub(c.Start)
			switch t := l.Test; {
			case l.Struck != nil:
			case l.Turn != nil && l.After.Freeze != nil, l.Entry.Kind() == ledger.KindOpening && l.After.Freeze != nil:
				for ; from >= 0 && from < d; from++ {
					c.True[from] = value
				}
				from, value = d, float64(*l.After.Freeze)
			case t != nil && t.Trusted && from >= 0:
				to, step := float64(t.Measured), 0.0
				if d > from {
					step = (to - value) / float64(d-from)
				}
				for n := from; n <= d; n++ {
					c.True[n] = value + step*float64(n-from)
				}
				from, value = d, to
			}
		}
		all = append(all, c)
	}
	return all
}
