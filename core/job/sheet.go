package job

import (
	"fmt"
	"math"
	"slices"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// sheet is the order of the work.
func (b *builder) sheet() {
	b.prepare()
	if b.s.Options.Cleaner && b.s.Kind == FullFlush {
		b.cleaner()
	}
	b.phase = PhaseCooling
	b.cold(1)
	b.place()
	b.meter()
	b.levelBefore()
	b.capOff()
	b.covers()
	switch b.s.Kind {
	case Correction:
		b.correction()
	case BleedOnly:
		b.phase = PhaseBleed
		b.bleed()
	case PartChange:
		b.partChange()
	case TwiceFill:
		b.drain(1)
		b.refill(1)
		b.run("run:1")
		b.phase = PhaseCooling
		b.cold(2)
		b.drain(2)
		b.closeUp()
		b.refill(2)
		b.bleed()
	case FullFlush:
		b.drain(1)
		b.flush()
		b.closeUp()
		b.refill(1)
		b.bleed()
	default:
		b.drain(1)
		b.closeUp()
		b.refill(1)
		b.loop()
		b.bleed()
	}
	b.checks(0)
	if b.s.pours() && !(b.s.Kind == BleedOnly && len(b.st.In) == 0) {
		b.retest(1)
	}
	b.tidy()
	b.release()
}

func (b *builder) fact(code string, low, high float64, u measure.Unit) Fact {
	return Fact{Code: code, Low: low, High: high, Unit: u}
}

// span is a fact between two parameters.
func (b *builder) span(code, from, to string) Fact {
	p, _ := ParameterOf(from)
	return b.fact(code, b.s.parameter(from), b.s.parameter(to), p.Unit)
}

// one is a fact of one parameter.
func (b *builder) one(code, of string) Fact {
	p, _ := ParameterOf(of)
	v := b.s.parameter(of)
	return b.fact(code, v, v, p.Unit)
}

func (b *builder) timer(code, of string) *Timer {
	p, _ := ParameterOf(of)
	unit := map[measure.Unit]time.Duration{measure.H: time.Hour, Minutes: time.Minute, Seconds: time.Second, Days: 24 * time.Hour}[p.Unit]
	return &Timer{Code: code, Lasts: time.Duration(b.s.parameter(of) * float64(unit))}
}

func keyOf(code string, n int, point string) string {
	key := code
	if n > 0 {
		key = fmt.Sprintf("%s:%d", key, n)
	}
	if point != "" {
		key += ":" + point
	}
	return key
}

func (b *builder) prepare() {
	st := Step{Code: "prepare", Fields: []Field{choiceField("ready", "yes"), Field{Code: "batch", Form: Line}.optional()}, Warns: b.cautions()}
	b.step(st, nil)
}

// cautions that apply to the whole job, by code, in the order of what hurts first.
func (b *builder) cautions() []string {
	all := []string{"hot_system", "poison", "gloves", "outdoors", "moving_parts"}
	switch b.s.Of {
	case "boat":
		all = append(all, "bilge")
	case "aircraft":
		all = append(all, "aircraft")
	default:
		all = append(all, "jack")
	}
	if b.s.HighVoltage {
		all = append(all, "high_voltage")
	}
	if b.s.PremixOnly {
		all = append(all, "premix_only")
	}
	if b.s.waterless() {
		all = append(all, "waterless")
	}
	if o := b.s.Old; o != nil && !coolant.SameChemistry(*o, b.s.Product) && b.s.Kind != FullFlush && b.s.pours() {
		all = append(all, "other_product")
	}
	return append(all, "waste", "manual")
}

// cold is the gate before anything is opened.
func (b *builder) cold(n int) bool {
	key := keyOf("cold", n, "")
	_, ok := b.step(Step{Key: key, Code: "cold", N: n, Gate: GateCold, Timer: b.timer("cooling", "cooling"), Facts: []Fact{b.one("cooling", "cooling")}, Warns: []string{"hot_system"},
		Fields: []Field{choiceField("gauge", "bottom", "above"), choiceField("hose", "cold_soft", "warm", "hard"),
			Field{Code: "hours", Form: Quantity, Dimension: measure.EngineTime, Unit: measure.H, Most: 10000}.optional()}},
		func(e *Event) judged {
			var j judged
			if e.choice("gauge") != "bottom" {
				j.fails = append(j.fails, "gauge_up")
			}
			if e.choice("hose") != "cold_soft" {
				j.fails = append(j.fails, "hose_"+e.choice("hose"))
			}
			if hours, ok := e.quantity("hours", measure.EngineTime); ok && hours < b.s.parameter("cooling") && len(j.fails) == 0 {
				j.heeds = append(j.heeds, "cooled_short")
			}
			return j
		})
	return ok
}

func (b *builder) place() {
	code := "place"
	switch b.s.Of {
	case "motorcycle":
		code = "place_motorcycle"
	case "boat":
		code = "place_boat"
	case "aircraft":
		code = "place_aircraft"
	}
	b.step(Step{Key: "place", Code: code, Fields: []Field{doneField()}}, nil)
	if b.s.HighVoltage {
		b.step(Step{Code: "isolate", Fields: []Field{doneField(), {Code: "by", Form: Line}}, Warns: []string{"high_voltage"}}, nil)
	}
}

func (b *builder) meter() {
	if b.s.Meter == "" {
		return
	}
	unit := measure.Km
	if b.s.Meter == measure.EngineTime {
		unit = measure.H
	}
	st := Step{Code: "meter", Fields: []Field{Field{Code: "meter", Form: Quantity, Dimension: b.s.Meter, Unit: unit, Most: 1e8}.optional(),
		choiceField("unread", "not_readable").optional()}}
	if b.s.MeterLow != nil && b.s.MeterHigh != nil {
		st.Facts = append(st.Facts, Fact{Code: "meter_fits", Low: *b.s.MeterLow, High: *b.s.MeterHigh, Unit: unit})
		st.Fields = append(st.Fields, choiceField("read_twice", "read_twice").optional())
	}
	b.step(st, func(e *Event) judged {
		v, ok := e.quantity("meter", b.s.Meter)
		switch {
		case !ok && e.choice("unread") == "":
			return fails("meter_missing")
		case ok && e.choice("read_twice") == "" && b.s.MeterLow != nil && b.s.MeterHigh != nil && (v < *b.s.MeterLow || v > *b.s.MeterHigh):
			return fails("meter_off")
		}
		return judged{}
	})
}

func (b *builder) levelBefore() {
	e, _ := b.step(Step{Code: "level_before", Fields: []Field{choiceField("mark", ledger.Marks...)}}, nil)
	b.missing = 0
	if b.s.Known {
		b.missing = max(0, b.s.Filled-b.s.Inside.Volume())
	}
	switch e.choice("mark") {
	case "max", "above":
		b.missing = 0 // seen full
	}
}

func (b *builder) capOff() {
	fields := []Field{choiceField("seal", ledger.Seals...), choiceField("vacuum", "opens", "stuck", "not_tested"),
		Field{Code: "opened", Form: Quantity, Dimension: measure.Pressure, Unit: measure.KPa, Most: 400}.optional()}
	st := Step{Code: "cap_off", Fields: fields, Warns: []string{"hot_system"}}
	if b.s.Cap > 0 {
		st.Facts = []Fact{b.fact("cap_rating", float64(b.s.Cap), float64(b.s.Cap), measure.KPa)}
	}
	b.step(st, func(e *Event) judged {
		if b.capBad = e.choice("seal") != "good" || e.choice("vacuum") == "stuck" || b.opensOff(e); b.capBad {
			return judged{heeds: []string{"cap_bad"}}
		}
		return judged{}
	})
}

// opensOff its rating: a used cap serves down to a quarter below it, a new one opens within 15 % above
// (package coolant judges it).
func (b *builder) opensOff(e *Event) bool {
	opened, ok := e.quantity("opened", measure.Pressure)
	if !ok || b.s.Cap <= 0 {
		return false
	}
	at := measure.Kilopascal(opened)
	verdicts, _ := coolant.CheckCap(coolant.CapTest{Rated: b.s.Cap, Opened: &at})
	return slices.Contains(verdicts, coolant.CapWeak) || slices.Contains(verdicts, coolant.CapStuck)
}

func (b *builder) covers() {
	if len(b.s.Covers) == 0 {
		return
	}
	st := Step{Code: "covers_off", Fields: []Field{doneField()}}
	for _, c := range b.s.Covers {
		st.Facts = append(st.Facts, Fact{Code: "cover", Text: c})
	}
	b.step(st, nil)
}

// drain the points of the job, measured one by one.
func (b *builder) drain(pass int) {
	b.phase = PhaseDrain
	b.begins()
	if pass > 1 {
		b.missing = 0
	}
	for _, p := range b.s.taken() {
		b.drainPoint(pass, p)
	}
	if pass == 1 && b.s.Bottle {
		b.tank()
	}
}

// drainPoint with what it should give, and the question where it gives too little.
func (b *builder) drainPoint(pass int, p Point) {
	if b.s.SkipEmpty && b.in.Known && b.in.left(p.Code) < 0.005 {
		return // by what came out of the others
	}
	expected := min(p.Litres, b.in.left(p.Code))
	if len(b.opened) == 0 {
		expected = max(0, expected-b.missing)
	}
	key := keyOf("drain", pass, p.Code)
	st := Step{Key: key, Code: "drain", N: pass, Point: p.Code, Gate: GateDrained, Timer: b.timer("draining", "draining"),
		Facts:  []Fact{{Code: "expected", Low: float64(expected), High: float64(expected), Unit: measure.L}},
		Fields: []Field{litresField("litres", mostDrained*b.s.Capacity), choiceField("look", looks...)}}
	if p.Common {
		st.Facts = append(st.Facts, Fact{Code: "common"})
	}
	if p.Code == PointHeater || p.Code == PointBlock {
		st.Facts = append(st.Facts, b.one("blow_limit", "back_flush"))
	}
	short := false
	e, ok := b.step(st, func(e *Event) judged {
		var j judged
		if look := e.choice("look"); look == string(coolant.AppearanceOily) || look == string(coolant.AppearanceGelled) {
			j.heeds = append(j.heeds, "look_stops")
		} else if look == string(coolant.AppearanceRusty) || look == string(coolant.AppearanceSediment) {
			j.heeds = append(j.heeds, "look_"+look)
		}
		if v := e.litres("litres"); float64(v-expected) > math.Max(0.3, 0.3*float64(expected)) {
			j.heeds = append(j.heeds, "drain_more")
		}
		if short = b.tooLittle(expected, e.litres("litres"), p.Common); short {
			j.heeds = append(j.heeds, "drain_short")
		}
		return j
	})
	b.opened = append(b.opened, p)
	if !ok {
		b.assume(p, expected)
		return
	}
	if e == nil { // taken on without a measured volume
		b.outUnknown = true
		b.in.Known = false
		b.in = b.in.drained(p.Code, expected)
		return
	}
	b.out(key, p.Code, "coolant", e.litres("litres"), e.At)
	if short {
		b.drainCheck(pass, p, expected, e)
	}
}

// looks that a drained sample can have.
var looks = func() (all []string) {
	for _, a := range coolant.Appearances {
		all = append(all, string(a))
	}
	return all
}()

// mostDrained of a point, as a share of the capacity: beyond it a figure was mistyped (package ledger draws the line for all points
// at half as much again).
const mostDrained = 1.4

// leastShort below which a volume is not asked about, L: what a marked pan is read to (judgement).
const leastShort = 0.15

// tooLittle came out of a point that should give so much; a common value is trusted half as far.
func (b *builder) tooLittle(expected, came measure.Litre, common bool) bool {
	share := b.s.parameter("drain_short") / 100
	if common {
		share *= 2
	}
	missing := expected - came
	return missing > leastShort && float64(missing) > share*float64(expected)
}

// drainCheck asks why a point gave too little: a plugged spigot, a closed heater valve, or more that
// stays inside.
func (b *builder) drainCheck(pass int, p Point, expected measure.Litre, drained *Event) {
	key := keyOf("drain_check", pass, p.Code)
	came := drained.litres("litres")
	e, ok := b.step(Step{Key: key, Code: "drain_check", N: pass, Point: p.Code, Gate: GateDrained,
		Facts: []Fact{{Code: "expected", Low: float64(expected), High: float64(expected), Unit: measure.L},
			{Code: "came", Low: float64(came), High: float64(came), Unit: measure.L, Measured: true},
			{Code: "still_inside", Low: float64(expected - came), High: float64(expected - came), Unit: measure.L, Measured: true}},
		Fields: []Field{choiceField("cause", "plugged_cleared", "valve_opened", "not_full", "stays"), litresField("litres", 2*b.s.Capacity)}},
		func(e *Event) judged {
			if e.choice("cause") == "stays" || b.tooLittle(expected, came+e.litres("litres"), p.Common) && e.choice("cause") != "not_full" {
				return judged{heeds: []string{"more_inside"}}
			}
			return judged{}
		})
	if !ok || e == nil {
		return
	}
	if v := e.litres("litres"); v > 0 {
		b.out(key, p.Code, "coolant", v, e.At)
	}
	if e.choice("cause") == "not_full" {
		// Less was inside than the book says: what the point did not give was not there.
		if v := expected - came - e.litres("litres"); v > 0 {
			b.in = b.in.drained(p.Code, v)
			b.missing += v
		}
	}
}

// assume what a point that is not drained yet will give, for the sums of the steps after it.
func (b *builder) assume(p Point, litres measure.Litre) { b.in = b.in.drained(p.Code, litres) }

func (b *builder) tank() {
	for _, p := range b.s.taken() {
		if p.Code == PointTank {
			return // drained like the others
		}
	}
	e, ok := b.step(Step{Code: "tank", Fields: []Field{litresField("litres", b.s.Capacity), choiceField("sludge", "none", "found")}}, func(e *Event) judged {
		if e.choice("sludge") == "found" {
			return judged{heeds: []string{"sludge"}}
		}
		return judged{}
	})
	if ok && e != nil {
		// The bottle is beside the charge: what it held is waste, and no room in the system.
		b.st.Out = append(b.st.Out, b.moved(Moved{Step: "tank", Point: "bottle", What: "bottle", Litres: e.litres("litres"), At: e.At}))
	}
}

// closeUp each opened point: a new washer, then its torque.
func (b *builder) closeUp() {
	for _, p := range slices.Clone(b.opened) {
		b.closePoint(0, p)
	}
}

// closePoint that was opened; n is 0 for the first opening, and counts later ones.
func (b *builder) closePoint(n int, p Point) {
	if p.Code == PointHeater || p.Code == PointTank {
		return // no plug
	}
	st := Step{Key: keyOf("washer", n, p.Code), Code: "washer", Point: p.Code, Gate: GateWasher, Fields: []Field{choiceField("washer", "new", "old", "no_washer"), choiceField("plug", "good", "worn", "new")}}
	if b.s.Washers != "" {
		st.Facts = []Fact{{Code: "washers", Text: b.s.Washers}}
	}
	b.step(st, func(e *Event) judged {
		var j judged
		if e.choice("washer") == "old" {
			j.fails = append(j.fails, "washer_old")
		}
		if e.choice("plug") == "worn" {
			j.fails = append(j.fails, "plug_worn")
		}
		return j
	})
	b.torque(n, p)
}

// torque of a plug. A point is closed by hand where that is its way (a petcock, a hose), else with
// a torque that was measured.
func (b *builder) torque(n int, p Point) {
	st := Step{Key: keyOf("torque", n, p.Code), Code: "torque", Point: p.Code, Gate: GateTorque,
		Fields: []Field{choiceField("closed", "torque", "by_hand"), Field{Code: "torque", Form: Quantity, Dimension: measure.Torque, Unit: measure.NewtonMetre, Most: 400}.optional()}}
	wanted, known := 0.0, false
	if b.s.Torque != nil {
		if m, err := b.s.Torque.Metric(measure.Torque); err == nil {
			wanted, known = m, true
			st.Facts = []Fact{{Code: "torque", Low: wanted, High: wanted, Unit: measure.NewtonMetre}}
		}
	}
	b.step(st, func(e *Event) judged {
		v, read := e.quantity("torque", measure.Torque)
		switch {
		case e.choice("closed") == "by_hand" && p.Code == PointBlock && known:
			return fails("torque_missing") // a block plug is no petcock
		case e.choice("closed") == "by_hand":
			return judged{}
		case !read:
			return fails("torque_missing")
		case known && math.Abs(v-wanted) > wanted*b.s.parameter("torque_within")/100:
			return fails("torque_off")
		case !known:
			return judged{heeds: []string{"torque_unknown"}}
		}
		return judged{}
	})
}
