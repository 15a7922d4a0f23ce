package importer

import (
	"cmp"
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/register"
)

// hour of the day at which what has a date alone is taken to have happened.
const hour = 12

// at is the middle of a day at the unit's site, in the order in which things are done on one day: a
// reading, then the renewal, the test after it.
func (r *rowReader) at(day measure.Date, minute int) time.Time {
	zone := r.known.Zones[r.unit.After["site"]]
	if zone == nil {
		zone = r.known.Zone
	}
	if zone == nil {
		zone = time.UTC
	}
	if !day.Before(r.known.Reading.Today) {
		return day.Start(zone).Add(time.Duration(minute) * time.Minute) // of today: noon may be to come
	}
	return day.At(hour, minute, zone)
}

// add an entry; says are the cells that distinguish it from others of its kind and time.
func (r *rowReader) add(at time.Time, b ledger.Body, t Target, says ...Target) {
	texts := make([]string, len(says))
	for i, of := range says {
		texts[i] = plain(r.cells[of])
	}
	r.unit.Entries = append(r.unit.Entries, PlannedEntry{At: at, Body: b, Row: r.number, Column: r.head(t), Says: strings.Join(texts, "\n")})
}

// entries of a row: what it says of one event, or of the last ones.
func (r *rowReader) entries() {
	word, event := r.cells[Event], Target("")
	if word != "" {
		if event = eventOf(word); event == "" {
			r.fail(Event, word, "renewal, top-up, test, meter, cap, hoses, defect, note")
			return
		}
	}
	date, dated := r.day(Date)
	if event != "" && !dated {
		if len(r.problems) == 0 {
			r.fail(Date, r.cells[Date], "the day on which it happened")
		}
		return
	}
	// on is the day of a target: its own, else that of the row.
	on := func(t Target) (measure.Date, bool) {
		if r.cells[t] != "" {
			return r.day(t)
		}
		return date, dated
	}
	before := len(r.unit.Entries)
	renewed := r.renewal(event, on)
	r.topUp(event, date)
	r.meterReading(event, on)
	r.freezeTest(event, on, renewed)
	r.cap(event, on)
	r.hoses(event, on)
	r.texts(event, date, dated)
	// A remark that no entry of a dated row carries is a note by itself.
	if event == "" && dated && r.cells[Remark] != "" && len(r.unit.Entries) == before && len(r.problems) == 0 {
		r.add(r.at(date, 58), ledger.NoteBody{Text: r.note()}, Remark, Remark)
	}
}

// note of what a row says beside its figures: who, and the remark.
func (r *rowReader) note() string {
	var parts []string
	if who := r.cells[Writer]; who != "" {
		parts = append(parts, "by "+who)
	}
	if text := r.cells[Remark]; text != "" {
		parts = append(parts, text)
	}
	return strings.Join(parts, ": ")
}

// meterOf a cell, in the dimension of the unit's meters.
func (r *rowReader) meterOf(t Target) (*measure.Reading, bool) {
	if r.cells[t] == "" {
		return nil, false
	}
	var dimensions []measure.Dimension
	for _, code := range []string{"meter", "second_meter"} {
		if d := measure.Unit(r.unit.After[code]).Dimension(); d != "" {
			dimensions = append(dimensions, d)
		}
	}
	if len(dimensions) == 0 {
		r.fail(t, r.cells[t], "nothing: the unit has no meter; give it one in a column of the file, or leave this column out")
		return nil, false
	}
	if u := r.units[r.column[t]]; u != "" && u.Dimension() != dimensions[0] && slices.Contains(dimensions, u.Dimension()) {
		slices.Reverse(dimensions)
	}
	usual := r.known.Reading.Usual(dimensions[0], measure.Units(dimensions[0])[0])
	return r.reading(t, usual, dimensions...)
}

// renewal of the row; the day of it, or none.
func (r *rowReader) renewal(event Target, on func(Target) (measure.Date, bool)) *measure.Date {
	if event != RenewedOn && (event != "" || r.cells[RenewedOn] == "") {
		return nil
	}
	day, ok := on(RenewedOn)
	if !ok {
		return nil
	}
	column := RenewedOn
	if event != "" {
		column = Event
	}
	product, share, ok := r.filled(column)
	b := ledger.Renewal{Product: product, Share: share, Note: r.note()}
	if v, ok := r.reading(Volume, r.volumeUnit(), measure.Volume); ok {
		b.Volume = *v
	} else if r.cells[Volume] == "" {
		litres, _ := r.unit.After.Number(register.Unit, "capacity")
		b.Volume = measure.Reading{Value: litres, Unit: measure.L}
	}
	switch r.options.Emptied {
	case "yes":
		b.Emptied = true
	case "no":
		b.Opened = []string{"petcock"}
	default:
		r.ask(column, "emptied", "", r.cells[column], "whether the whole system was emptied at a renewal that does not say what came out")
		ok = false
	}
	if !ok {
		return &day
	}
	meter := RenewedMeter
	if event != "" && r.cells[RenewedMeter] == "" {
		meter = MeterRead
	}
	if m, ok := r.meterOf(meter); ok {
		b.Meter = m
	}
	r.add(r.at(day, 10), b, column, Volume, Filled, FilledMix, meter)
	return &day
}

func (r *rowReader) volumeUnit() measure.Unit {
	return r.known.Reading.Usual(measure.Volume, measure.L)
}

// filled product: that of the row, of the unit, or the answer for all; a concentrate with its share.
func (r *rowReader) filled(column Target) (p coolant.Product, share *float64, ok bool) {
	text, from := r.cells[Filled], Filled
	if text == "" {
		text, from = r.unit.After["product"], "product"
	}
	if text == "" {
		text = r.options.Product
	}
	if text == "" {
		r.ask(column, "product", "", "", "the product that was filled")
		return p, nil, false
	}
	if p, ok = r.product(from, text); !ok {
		if r.asks == 0 && !r.refused() {
			r.fail(column, text, "a product of the register")
		}
		return p, nil, false
	}
	if p.Form != coolant.Concentrate {
		return p, nil, true
	}
	mix, ok := r.unit.After.Number(register.Unit, "mix")
	if m, given := r.reading(FilledMix, measure.Percent, measure.Share); given {
		mix, ok = m.Value, true
	}
	if !ok {
		mix, ok = r.options.Mix, r.options.Mix > 0
	}
	if !ok {
		r.ask(column, "mix", p.Code, text, "how much concentrate was mixed in, per cent")
		return p, nil, false
	}
	return p, &mix, true
}

func (r *rowReader) topUp(event Target, day measure.Date) {
	if event != "top_up" {
		return
	}
	v, ok := r.reading(Volume, r.volumeUnit(), measure.Volume)
	if !ok {
		if r.cells[Volume] == "" {
			r.fail(Volume, "", "how much was poured in, such as 0.5 L")
		}
		return
	}
	b := ledger.TopUp{Volume: *v, With: coolant.Water, Note: r.note()}
	if text := r.cells[Filled]; plain(text) != "water" && plain(text) != "distilledwater" {
		p, _, ok := r.filled(Filled)
		if !ok {
			return
		}
		b.With, b.Product = p.Form, &p
	}
	r.add(r.at(day, 20), b, Event, Volume, Filled)
}

func (r *rowReader) meterReading(event Target, on func(Target) (measure.Date, bool)) {
	if r.cells[MeterRead] == "" || event == RenewedOn {
		return
	}
	m, ok := r.meterOf(MeterRead)
	if !ok {
		return
	}
	day, dated := on(MeterOn)
	if !dated {
		switch {
		case r.refused():
			return
		case r.options.Today == "yes":
			day = r.known.Reading.Today
		case r.options.Today == "no":
			return // a reading without a day says nothing
		default:
			r.ask(MeterRead, "today", "", r.cells[MeterRead], "the day of the reading; or that readings without one are of today")
			return
		}
	}
	r.add(r.at(day, 5), ledger.Meter{Meter: *m}, MeterRead, MeterRead)
	r.unit.Entries[len(r.unit.Entries)-1].Undated = !dated
}

func (r *rowReader) freezeTest(event Target, on func(Target) (measure.Date, bool), renewed *measure.Date) {
	if r.cells[FreezePoint] == "" {
		if event == TestedOn {
			r.fail(FreezePoint, "", "what the test read, such as -37 °C")
		}
		return
	}
	v, ok := r.reading(FreezePoint, r.known.Reading.Usual(measure.Temperature, measure.DegC), measure.Temperature)
	if !ok {
		return
	}
	day, dated := on(TestedOn)
	if !dated && renewed != nil && r.cells[TestedOn] == "" {
		switch r.options.Tested {
		case "renewal": // a list that gives one date has both from that visit
			day, dated = *renewed, true
		case "no":
			return
		default:
			r.ask(FreezePoint, "tested", "", r.cells[FreezePoint], "the day of the test; or that tests without one are of the day of the renewal")
			return
		}
	}
	if !dated {
		if len(r.problems) == 0 {
			r.fail(TestedOn, r.cells[TestedOn], "the day of the test")
		}
		return
	}
	scale := coolant.Base(r.unit.After["base"])
	if p, ok := r.lastFilled(); ok && scale == "" {
		scale = p.Base
	}
	if !scale.Known() {
		scale = coolant.EG
	}
	b := ledger.FreezeTest{Value: *v, Instrument: ledger.Refractometer, Scale: scale, Tool: r.cells[Tool]}
	// After a renewal of the same day: coolant is not mixed before it has run.
	at := r.at(day, 30)
	if renewed != nil && renewed.Equal(day) {
		at = r.at(day, 50)
		if day.Before(r.known.Reading.Today) {
			at = at.Add(5 * time.Hour)
		}
	}
	r.add(at, b, FreezePoint, FreezePoint)
}

// lastFilled product of the row.
func (r *rowReader) lastFilled() (coolant.Product, bool) {
	for _, e := range slices.Backward(r.unit.Entries) {
		if b, ok := e.Body.(ledger.Renewal); ok {
			return b.Product, true
		}
	}
	return coolant.Product{}, false
}

// states that a word of a finding means.
var (
	soundWords   = []string{"ok", "okay", "good", "pass", "passed", "sound", "fine", "yes", "x", "checked"}
	renewedWords = []string{"renewed", "new", "replaced", "changed"}
)

// findingDay of a check, which a date alone may stand for.
func (r *rowReader) finding(event, when, found Target, on func(Target) (measure.Date, bool)) (day measure.Date, word string, ok bool) {
	if event != when && (event != "" || r.cells[when] == "" && r.cells[found] == "") {
		return day, "", false
	}
	word = r.cells[found]
	if word == "" {
		word = r.cells[Defect]
	}
	if word == "" {
		// A date of a check without a finding: whether nothing was found is asked.
		switch r.options.Found {
		case "good":
			word = "good"
		case "no":
			return day, "", false
		default:
			r.ask(when, "found", "", r.cells[when], "what was found; or that a check without a finding found everything good")
			return day, "", false
		}
	}
	day, ok = on(when)
	if !ok && len(r.problems) == 0 {
		r.fail(when, r.cells[when], "the day of the check")
	}
	return day, plain(word), ok
}

func (r *rowReader) cap(event Target, on func(Target) (measure.Date, bool)) {
	day, word, ok := r.finding(event, CapOn, CapFound, on)
	if !ok {
		return
	}
	b := ledger.CapTest{Note: r.note()}
	switch {
	case slices.Contains(soundWords, word):
		b.Seal = "good"
	case slices.Contains(renewedWords, word):
		b.Seal, b.Renewed = "good", true
	case slices.Contains(ledger.Seals, word):
		b.Seal = word
	default:
		usual := r.known.Reading.Usual(measure.Pressure, measure.KPa)
		opened, ok := r.reading(CapFound, usual, measure.Pressure)
		if !ok {
			if r.cells[CapFound] == "" {
				r.fail(CapFound, r.cells[Defect], "good, renewed, dried, cracked, hardened, or the pressure at which it opened")
			}
			return
		}
		b.Opened = opened
	}
	r.add(r.at(day, 40), b, CapFound, CapFound, Defect)
}

func (r *rowReader) hoses(event Target, on func(Target) (measure.Date, bool)) {
	day, word, ok := r.finding(event, HosesOn, HosesFound, on)
	if !ok {
		return
	}
	state := ""
	switch {
	case slices.Contains(soundWords, word):
		state = "good"
	case slices.Contains(renewedWords, word):
		state = "renewed"
	case slices.Contains(ledger.HoseStates, word):
		state = word
	default:
		r.fail(HosesFound, cmp.Or(r.cells[HosesFound], r.cells[Defect]), strings.Join(ledger.HoseStates, ", "))
		return
	}
	// A word for all hoses is about the two that everybody sees.
	b := ledger.HoseCheck{Note: r.note(), Hoses: []ledger.HoseFound{{Hose: "upper", State: state}, {Hose: "lower", State: state}}}
	r.add(r.at(day, 45), b, HosesFound, HosesFound, Defect)
}

// texts: a defect, and the remark of an event that is one.
func (r *rowReader) texts(event Target, day measure.Date, dated bool) {
	if text := r.cells[Defect]; text != "" && event != CapOn && event != HosesOn {
		if !dated {
			r.fail(Date, r.cells[Date], "the day on which the defect was found")
			return
		}
		r.add(r.at(day, 55), ledger.Defect{What: text, Severity: "repair"}, Defect, Defect)
	}
	if event == Remark {
		if note := r.note(); note != "" {
			r.add(r.at(day, 58), ledger.NoteBody{Text: note}, Remark, Remark)
		} else {
			r.fail(Remark, "", "what is to be noted")
		}
	}
}

// claim of the next due day or meter.
func (r *rowReader) claim() {
	c := Claim{}
	if day, ok := r.day(DueOn); ok {
		c.On = &day
	}
	if m, ok := r.meterOf(DueMeter); ok {
		c.Meter = m
	}
	if c.On != nil || c.Meter != nil {
		r.unit.Claim = &c
	}
}

// EntryID of an entry of a circuit by its time, its kind and the cells that distinguish it: a UUID of
// version 7 with its time, and the SHA-256 of the rest. n distinguishes entries that say the same: two top-ups of a day.
func EntryID(circuit int64, at time.Time, kind ledger.Kind, says string, n int) string {
	sum := sha256.Sum256(fmt.Appendf(nil, "%d\n%s\n%s\n%d\n%s", circuit, at.UTC().Format(time.RFC3339Nano), kind, n, says))
	var id uuid.UUID
	copy(id[:], sum[:])
	var ms [8]byte
	binary.BigEndian.PutUint64(ms[:], uint64(max(0, at.UnixMilli())))
	copy(id[:6], ms[2:])
	id[6] = id[6]&0x0f | 0x70
	id[8] = id[8]&0x3f | 0x80
	return id.String()
}
