package ledger

import (
	"fmt"
	"math"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Limits of what an entry may say.
const (
	// skew that a phone's clock may be ahead of ours.
	skew = 5 * time.Minute
	// overfill: a fill may exceed the rated capacity by this factor, since
	// capacities in registers are often those of the bare engine.
	overfill = 1.5
)

var (
	earliest    = time.Date(1970, 1, 1, 0, 0, 0, 0, time.UTC)
	coldestRead = measure.Celsius(-60) // no refractometer's scale goes further
	warmestRead = measure.Celsius(0)
)

// Check holds a new entry against the rules of its kind and against the
// account as written so far. It returns a [FieldError] for each field that is
// wrong; nil means the entry may be written. now is the time of writing.
func Check(u Unit, written []Entry, e Entry, now time.Time) []*FieldError {
	c := checker{unit: u, written: written, entry: e}
	c.when(now)
	switch b := e.Body.(type) {
	case Fill:
		c.fill(b)
	case TopUp:
		c.topUp(b)
	case Loss:
		c.loss(b)
	case FreezeTest:
		c.test(b)
	case Meter:
		c.meter("/meter/meter", b.Meter)
	default:
		c.wrong("/kind", fmt.Sprintf("%T", e.Body), "fill, top_up, loss, freeze_test, meter")
	}
	return c.errs
}

type checker struct {
	unit    Unit
	written []Entry
	entry   Entry
	errs    []*FieldError
}

func (c *checker) wrong(field, got, accepted string) {
	c.errs = append(c.errs, &FieldError{Field: field, Got: got, Accepted: accepted})
}

func (c *checker) when(now time.Time) {
	switch at := c.entry.At; {
	case at.After(now.Add(skew)):
		c.wrong("/at", at.Format(time.RFC3339), "a time not after now, "+now.Format(time.RFC3339))
	case at.Before(earliest):
		c.wrong("/at", at.Format(time.RFC3339), "a time since 1970-01-01")
	}
}

// volume checks a positive volume of at most limit litres and returns it.
func (c *checker) volume(field string, r measure.Reading, limit measure.Litre, whose string) (measure.Litre, bool) {
	v, err := r.Metric(measure.Volume)
	if err != nil {
		c.reading(field, r, err)
		return 0, false
	}
	if !(v > 0) || measure.Litre(v) > limit+0.0005 {
		c.wrong(field+"/value", r.String(), fmt.Sprintf("more than 0 and at most %.3g %s, %s",
			measure.From(float64(limit), r.Unit), r.Unit.Symbol(), whose))
		return 0, false
	}
	return measure.Litre(v), true
}

func (c *checker) reading(field string, r measure.Reading, err error) {
	if e, ok := err.(*measure.UnitError); ok {
		c.wrong(field+"/unit", fmt.Sprintf("%q", string(e.Got)), fmt.Sprint(measure.Units(e.Want)))
		return
	}
	c.wrong(field+"/value", fmt.Sprint(r.Value), "a finite number")
}

func (c *checker) fill(b Fill) {
	limit := c.unit.Capacity * overfill
	c.volume("/fill/volume", b.Volume, limit, "one and a half times the unit's capacity")
	switch b.Product.Form {
	case coolant.Concentrate:
		if b.Share == nil {
			c.wrong("/fill/share", "no share of concentrate", "1 to 100 %, for a concentrate")
		} else if !(*b.Share >= 1 && *b.Share <= 100) {
			c.wrong("/fill/share", fmt.Sprintf("%g %%", *b.Share), "1 to 100 %")
		}
	case coolant.Premix:
		if b.Share != nil {
			c.wrong("/fill/share", fmt.Sprintf("%g %%", *b.Share), "none for a premix: it is poured as it is")
		}
	default:
		c.wrong("/fill/product", string(b.Product.Form), "concentrate, premix")
	}
	if b.Meter != nil {
		c.meter("/fill/meter", *b.Meter)
	}
}

func (c *checker) topUp(b TopUp) {
	c.volume("/topUp/volume", b.Volume, c.unit.Capacity, "the unit's capacity")
	switch b.With {
	case coolant.Water:
		if b.Product != nil {
			c.wrong("/topUp/product", b.Product.Code, "no product with water")
		}
	case coolant.Premix, coolant.Concentrate:
		if b.Product == nil {
			c.wrong("/topUp/product", "no product", "the code of a "+string(b.With))
		} else if b.Product.Form != b.With {
			c.wrong("/topUp/product", fmt.Sprintf("%s, a %s", b.Product.Code, b.Product.Form), "a "+string(b.With))
		}
	default:
		c.wrong("/topUp/with", fmt.Sprintf("%q", string(b.With)), "premix, concentrate, water")
	}
	if !c.filledBefore() {
		c.wrong("/at", c.entry.At.Format(time.RFC3339), "a time after the first fill or freeze test of this account")
	}
}

func (c *checker) loss(b Loss) {
	before := c.before()
	if !before.Known {
		c.wrong("/at", c.entry.At.Format(time.RFC3339), "a time after the first fill or freeze test of this account")
		return
	}
	c.volume("/loss/volume", b.Volume, before.Charge.Volume(), "which is what the book holds then")
}

func (c *checker) test(b FreezeTest) {
	if t, err := b.Temperature.Metric(measure.Temperature); err != nil {
		c.reading("/freezeTest/temperature", b.Temperature, err)
	} else if !(measure.Celsius(t) >= coldestRead && measure.Celsius(t) <= warmestRead) {
		unit := b.Temperature.Unit
		c.wrong("/freezeTest/temperature/value", b.Temperature.String(), fmt.Sprintf("%.0f to %.0f %s",
			measure.From(float64(coldestRead), unit), measure.From(float64(warmestRead), unit), unit.Symbol()))
	}
	if b.Instrument != Refractometer {
		c.wrong("/freezeTest/instrument", fmt.Sprintf("%q", b.Instrument), Refractometer)
	}
	if !b.Scale.Known() {
		c.wrong("/freezeTest/scale", fmt.Sprintf("%q", string(b.Scale)), "EG, PG")
	}
}

// meter checks a reading against the readings before and after it in time.
func (c *checker) meter(field string, r measure.Reading) {
	if c.unit.Meter == "" {
		c.wrong(field, r.String(), "none: this unit has no meter")
		return
	}
	v, err := r.Metric(c.unit.Meter)
	if err != nil {
		c.reading(field, r, err)
		return
	}
	least, most := 0.0, math.Inf(1)
	for _, p := range Fold(c.unit, c.written).Points {
		if p.At.After(c.entry.At) {
			most = min(most, p.Value)
		} else {
			least = max(least, p.Value)
		}
	}
	if v >= least && v <= most && v <= maxMeter {
		return
	}
	accepted := fmt.Sprintf("%.6g %s or more, the reading before it", measure.From(least, r.Unit), r.Unit.Symbol())
	if !math.IsInf(most, 1) {
		accepted = fmt.Sprintf("%.6g to %.6g %s, between the readings before and after it",
			measure.From(least, r.Unit), measure.From(most, r.Unit), r.Unit.Symbol())
	} else if v > maxMeter {
		accepted = fmt.Sprintf("at most %.6g %s", measure.From(maxMeter, r.Unit), r.Unit.Symbol())
	}
	c.wrong(field+"/value", r.String(), accepted)
}

// maxMeter in km or h is more than anything on the road has.
const maxMeter = 10_000_000

func (c *checker) before() Account {
	var earlier []Entry
	for _, e := range c.written {
		if !e.At.After(c.entry.At) {
			earlier = append(earlier, e)
		}
	}
	return Fold(c.unit, earlier)
}

func (c *checker) filledBefore() bool {
	a := c.before()
	return a.Known
}
