package store

import (
	"maps"
	"slices"
	"time"

	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/usage"
)

// packedClock is a clock as a status row holds it: an array without names (CBOR, RFC 8949), which
// is half as long as a map and read in half the time.
type packedClock struct {
	_             struct{} `cbor:",toarray"`
	Kind          clock.Kind
	Verdict       int // its rank
	Due           packedDate
	P10, P50, P90 packedDate
	Remaining     *float64
	Code          clock.Code
	Names         []string // of the reason's numbers
	Values        []float64
	Note          ledger.Note
	Point, State  string
	Text          string
	Remedy        coolant.Remedy
	Interval      string
	Unit          measure.Unit
	Circuit       ledger.Circuit
}

// packedDate is year × 10,000 + month × 100 + day; 0 for none.
type packedDate int

func packDate(d *measure.Date) packedDate {
	if d == nil {
		return 0
	}
	year, month, day := d.Date()
	return packedDate(year*10_000 + int(month)*100 + day)
}

func (p packedDate) date() measure.Date {
	return measure.NewDate(int(p)/10_000, time.Month(int(p)/100%100), int(p)%100)
}

func packClock(c clock.Clock) packedClock {
	p := packedClock{Kind: c.Kind, Verdict: c.Verdict.Rank(), Due: packDate(c.Due), Remaining: c.Remaining, Code: c.Reason.Code, Note: c.Reason.Note,
		Point: c.Reason.About.Point, State: c.Reason.About.State, Text: c.Reason.About.Text, Remedy: c.Reason.Remedy, Interval: c.Interval, Unit: c.Unit, Circuit: c.Circuit}
	if w := c.Window; w != nil {
		p.P10, p.P50, p.P90 = packDate(&w.P10), packDate(&w.P50), packDate(&w.P90)
	}
	if n := len(c.Reason.Numbers); n > 0 {
		p.Names, p.Values = make([]string, 0, n), make([]float64, 0, n)
	}
	for _, name := range slices.Sorted(maps.Keys(c.Reason.Numbers)) {
		p.Names, p.Values = append(p.Names, name), append(p.Values, c.Reason.Numbers[name])
	}
	return p
}

func (p packedClock) clock() clock.Clock {
	c := clock.Clock{Kind: p.Kind, Verdict: clock.VerdictOf(p.Verdict), Remaining: p.Remaining, Interval: p.Interval, Unit: p.Unit, Circuit: p.Circuit,
		Reason: clock.Reason{Code: p.Code, Note: p.Note, About: ledger.Subject{Point: p.Point, State: p.State, Text: p.Text}, Remedy: p.Remedy}}
	if p.Due != 0 {
		due := p.Due.date()
		c.Due = &due
	}
	if p.P10 != 0 {
		c.Window = &usage.Window{P10: p.P10.date(), P50: p.P50.date(), P90: p.P90.date()}
	}
	if len(p.Names) > 0 {
		c.Reason.Numbers = make(map[string]float64, len(p.Names))
		for i, name := range p.Names[:min(len(p.Names), len(p.Values))] {
			c.Reason.Numbers[name] = p.Values[i]
		}
	}
	return c
}

func packClocks(clocks []clock.Clock) ([]byte, error) {
	all := make([]packedClock, len(clocks))
	for i, c := range clocks {
		all[i] = packClock(c)
	}
	return packed.Marshal(all)
}

func unpackClocks(body []byte) ([]clock.Clock, error) {
	var all []packedClock
	if err := unpacked.Unmarshal(body, &all); err != nil {
		return nil, err
	}
	clocks := make([]clock.Clock, len(all))
	for i, p := range all {
		clocks[i] = p.clock()
	}
	return clocks, nil
}
