package job

import (
	"math"
	"strings"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// cleaner into the old coolant, and the days of driving with it.
func (b *builder) cleaner() {
	b.cold(0)
	bottles := float64(coolant.CleanerBottles(b.s.Capacity))
	b.phase = PhaseCleaner
	b.step(Step{Code: "cleaner_in", Facts: []Fact{b.fact("bottles", bottles, bottles, measure.One)},
		Fields: []Field{{Code: "bottles", Form: Quantity, Dimension: measure.Plain, Unit: measure.One, Least: 1, Most: 100}, choiceField("stage", "home", "first_stage", "not_seated")}},
		func(e *Event) judged {
			if e.choice("stage") != "home" {
				return fails("cap_" + e.choice("stage"))
			}
			if n, _ := e.quantity("bottles", measure.Plain); n < bottles {
				return judged{heeds: []string{"bottles_few"}}
			}
			return judged{}
		})
	b.step(Step{Code: "cleaner_drive", Timer: b.timer("cleaner", "cleaner_days"), Facts: []Fact{b.one("cleaner_days", "cleaner_days")}, Fields: []Field{doneField()}}, nil)
}

// flush until what comes out is clear: with water, or with the product where no water may stay.
func (b *builder) flush() {
	b.phase = PhaseFlush
	if b.s.Options.BackFlush {
		limit := b.s.parameter("back_flush")
		b.step(Step{Code: "back_flush", Facts: []Fact{b.fact("most_pressure", limit, limit, measure.KPa)}, Warns: []string{"pressure"},
			Fields: []Field{{Code: "pressure", Form: Quantity, Dimension: measure.Pressure, Unit: measure.KPa, Most: 1000}, choiceField("clear", "yes", "no")}},
			func(e *Event) judged {
				if p, _ := e.quantity("pressure", measure.Pressure); p > limit*(1+1e-9) {
					return judged{heeds: []string{"back_flush_over"}}
				}
				return judged{}
			})
	}
	if b.s.Options.ThermostatOut {
		e, _ := b.step(Step{Code: "thermostat_out", Fields: []Field{choiceField("found", "good", "watch", "bad")}}, nil)
		b.thermostat = e.choice("found")
	}
	least, most := int(b.s.parameter("flushes_least")), int(b.s.parameter("flushes_most"))
	for n := 1; ; n++ {
		clear, ok := b.flushOnce(n)
		if !ok || n >= least && clear || n >= max(least, most) {
			break
		}
	}
	if b.s.Options.ThermostatOut {
		b.gasket("thermostat_in")
	}
}

// flushOnce fills, runs and drains; clear when what came out was.
func (b *builder) flushOnce(n int) (clear, ok bool) {
	with := "flush_fill"
	switch {
	case b.s.waterless():
		with = "flush_fill_prep"
	case b.s.PremixOnly:
		with = "flush_fill_premix"
	}
	room := b.in.Room()
	key := keyOf("flush_fill", n, "")
	e, ok := b.step(Step{Key: key, Code: with, N: n, Facts: []Fact{b.fact("room", float64(room), float64(room), measure.L)}, Fields: []Field{litresField("litres", 2*b.s.Capacity)}}, nil)
	if ok {
		b.flushed(key, e.litres("litres"), e.At)
	}
	timer := b.timer("run", "warm_to")
	code, fields := "flush_run", []Field{choiceField("thermostat", "opened", "not_opened"), choiceField("gauge", "normal", "climbing")}
	facts := []Fact{b.span("thermostat", "thermostat_from", "thermostat_to")}
	if b.s.Options.ThermostatOut {
		code, fields, facts = "flush_run_cold", []Field{choiceField("gauge", "normal", "climbing")}, []Fact{b.one("run", "flush_cold_run")}
		timer = b.timer("run", "flush_cold_run")
	}
	b.step(Step{Key: keyOf("flush_run", n, ""), Code: code, N: n, Facts: facts, Fields: fields, Timer: timer, Warns: []string{"outdoors", "moving_parts"}}, func(e *Event) judged {
		switch {
		case e.choice("gauge") == "climbing":
			b.st.Stop = "climbing"
			return fails("climbing")
		case e.choice("thermostat") == "not_opened":
			return fails("thermostat_shut")
		}
		return judged{}
	})
	b.in = b.in.mixed()
	if !b.s.Options.ThermostatOut {
		b.cold(n + 1)
	}
	drain := keyOf("flush_drain", n, "")
	expected := measure.Litre(0)
	for _, p := range b.s.taken() {
		expected += min(p.Litres, b.in.left(p.Code))
	}
	e, ok = b.step(Step{Key: drain, Code: "flush_drain", N: n, Gate: GateDrained, Timer: b.timer("draining", "draining"), Facts: []Fact{b.fact("expected", float64(expected), float64(expected), measure.L)},
		Fields: []Field{litresField("litres", 2*b.s.Capacity), choiceField("look", append([]string{"colourless"}, looks...)...)}}, func(e *Event) judged {
		if b.tooLittle(expected, e.litres("litres"), b.s.Common) {
			return judged{heeds: []string{"more_inside"}}
		}
		return judged{}
	})
	b.st.lastFill, b.outUnknown = nil, false
	b.st.filledFrom, b.missing = len(b.st.In), 0
	switch {
	case !ok:
		b.in = b.in.drainedAt(b.s.taken(), expected)
		return false, false
	case e == nil:
		b.outUnknown, b.in.Known = true, false
		b.in = b.in.drainedAt(b.s.taken(), expected)
	default:
		b.flushedOut(drain, e.litres("litres"), e.At)
	}
	b.st.flushes = n
	return e.choice("look") == "colourless" || e.choice("look") == string(coolant.AppearanceClear), true
}

func (b *builder) flushedOut(step string, v measure.Litre, at time.Time) {
	b.in = b.in.drainedAt(b.s.taken(), v)
	point := ""
	if points := b.s.taken(); len(points) > 0 {
		point = points[0].Code
	}
	m := b.moved(Moved{Step: step, Point: point, What: "flush", Litres: v, At: at})
	b.st.Out, b.st.lastFill = append(b.st.Out, m), append(b.st.lastFill, m)
}

// drainedAt several points, in their order, each at most what is left there; the rest as [Contents.drained].
func (c Contents) drainedAt(points []Point, v measure.Litre) Contents {
	for _, p := range points {
		out := min(v, c.left(p.Code))
		c, v = c.drained(p.Code, out), v-out
	}
	if v > 1e-9 {
		c = c.drained(PointStays, v)
	}
	return c
}

// gasket or sealant where a housing was opened.
func (b *builder) gasket(code string) {
	fields := []Field{choiceField("fitted", "gasket_new", "gasket_old", "sealant"), choiceField("vent", "uppermost", "not_uppermost", "none")}
	if code == "thermostat_in" {
		fields = append(fields, choiceField("thermostat", "same", "new"))
	}
	b.step(Step{Code: code, Fields: fields}, func(e *Event) judged {
		var j judged
		if b.thermostat == "bad" && e.choice("thermostat") == "same" {
			j.fails = append(j.fails, "thermostat_bad")
		}
		if e.choice("fitted") == "gasket_old" {
			j.fails = append(j.fails, "gasket_old")
		}
		if e.choice("vent") == "not_uppermost" {
			j.fails = append(j.fails, "vent_low")
		}
		return j
	})
	if b.s.Options.Sealant {
		b.step(Step{Key: keyOf("curing", 0, code), Code: "curing", Timer: b.timer("curing", "curing"), Facts: []Fact{b.one("curing", "curing")}, Fields: []Field{choiceField("cured", "yes", "fill_at_once")}}, func(e *Event) judged {
			if e.choice("cured") == "fill_at_once" {
				return judged{heeds: []string{"inspect_warm"}}
			}
			return judged{}
		})
	}
}

// refill by the method of the job, from what is really left inside.
func (b *builder) refill(n int) {
	b.phase = PhaseFill
	plan := b.way(n)
	b.st.planFor(plan, b.open)
	b.st.residual = b.in.volumes()
	b.oldLost = b.oldLost || b.outUnknown
	b.oldShare *= math.Min(1, float64(b.st.residual/b.s.Capacity))
	facts := func(litres measure.Litre, code string) []Fact {
		return []Fact{{Code: code, Low: float64(litres), High: float64(litres), Unit: measure.L}}
	}
	switch b.s.fill() {
	case Vacuum:
		b.vacuum(n, plan)
		return
	case Pressure, Hose:
		b.together(n, plan)
		return
	}
	rich := "pour_concentrate"
	if b.s.Product.Form == coolant.Premix || b.s.waterless() {
		rich = "pour_premix"
	}
	if b.s.fill() == Header {
		rich += "_header"
	}
	key := keyOf("pour_rich", n, "")
	if plan.Rich > 0.005 || plan.Lean <= 0.005 {
		e, ok := b.step(Step{Key: key, Code: rich, N: n, Facts: facts(plan.Rich, "pour"), Fields: []Field{litresField("litres", 2*b.s.Capacity)}, Warns: []string{"rinse"}}, b.pourJudge(plan.Rich))
		if ok {
			b.into(key, "product", e.litres("litres"), e.At)
		} else {
			b.in = b.in.assumed(b.s, "product", plan.Rich)
		}
	}
	if plan.Lean > 0.005 {
		lean := b.s.planned(b.in, b.s.taken()).Lean // from what was really poured
		if b.open {
			lean = plan.Lean
		} else {
			b.st.planFor(b.s.planned(b.in, nil), true)
		}
		key := keyOf("pour_lean", n, "")
		e, ok := b.step(Step{Key: key, Code: "pour_water", N: n, Facts: facts(lean, "pour"), Fields: []Field{litresField("litres", 2*b.s.Capacity)}}, b.pourJudge(lean))
		if ok {
			b.into(key, "water", e.litres("litres"), e.At)
		} else {
			b.in = b.in.assumed(b.s, "water", lean)
		}
	}
	b.squeeze(n)
}

// pourJudge heeds an amount that is not the one that was worked out: what was poured counts, and the
// steps after it are worked out from that.
func (b *builder) pourJudge(planned measure.Litre) func(*Event) judged {
	return func(e *Event) judged {
		if v := e.litres("litres"); math.Abs(float64(v-planned)) > math.Max(0.1, 0.05*float64(planned)) {
			return judged{heeds: []string{"not_as_planned"}}
		}
		return judged{}
	}
}

// assumed pour, for the sums of steps that are not reached.
func (c Contents) assumed(s Setup, what string, v measure.Litre) Contents {
	d, err := coolant.PourWater(v)
	if what == "product" {
		d, err = coolant.PourProduct(s.Product, v)
	}
	if err != nil || v <= 0 || s.waterless() {
		return c
	}
	return c.poured(d, s.Product.Base)
}

// planFor what is poured next; a plan that is there already stays.
func (st *State) planFor(p Plan, final bool) {
	if st.Plan == nil || !final {
		st.Plan = &p
	}
}

// way to the target when the room does not hold what reaches it: another point is drained, a second
// pass is taken, or the best that can be had.
func (b *builder) way(n int) Plan {
	for k := 1; ; k++ {
		drains := b.undrained()
		plan := b.s.planned(b.in, drains)
		switch {
		case plan.Mixed, plan.Reaches, b.s.waterless():
			b.aimAt(b.s.Target)
			return plan
		}
		choices := []string{}
		for _, w := range plan.Ways {
			switch w.Code {
			case "drain":
				choices = append(choices, "drain:"+w.Point)
			default:
				choices = append(choices, w.Code)
			}
		}
		key := keyOf("way", n, "")
		if k > 1 {
			key = keyOf("way", n, string(rune('0'+k)))
		}
		if len(choices) == 0 || k > 6 {
			b.aimAt(b.s.Target)
			return plan
		}
		e, ok := b.step(Step{Key: key, Code: "way", N: n, Facts: wayFacts(plan), Fields: []Field{choiceField("way", choices...)}}, nil)
		b.st.planFor(plan, false)
		point, drains2 := strings.CutPrefix(e.choice("way"), "drain:")
		switch {
		case !ok:
			b.aimAt(b.s.Target)
			return plan
		case drains2:
			for _, p := range b.s.Points {
				if p.Code == point {
					b.phase = PhaseDrain
					b.drainPoint(10*n+k, p)
					b.closePoint(10*n+k, p) // the others are closed already
					b.phase = PhaseFill
				}
			}
		case e.choice("way") == "best":
			b.aimAt(plan.Reached)
			return plan
		default:
			b.aimAt(b.s.Target)
			return plan // a second pass follows from the retest
		}
	}
}

func wayFacts(p Plan) (all []Fact) {
	for _, w := range p.Ways {
		all = append(all, Fact{Code: "way_" + w.Code, Point: w.Point, Low: float64(w.Freeze), High: float64(w.Freeze), Unit: measure.DegC})
	}
	return all
}

// aimAt a strength: what the retest is held against.
func (b *builder) aimAt(volume float64) {
	b.aim = nil
	if b.s.waterless() || !b.s.Product.Base.Known() {
		return
	}
	mass, err := coolant.MassFraction(b.s.Product.Base, volume)
	if err != nil {
		return
	}
	if t, err := coolant.FreezePoint(b.s.Product.Base, mass); err == nil {
		b.aim = &t
	}
}

// undrained points that still hold coolant.
func (b *builder) undrained() (all []Point) {
	for _, p := range b.s.Points {
		if b.in.left(p.Code) > 0.05 {
			all = append(all, p)
		}
	}
	return all
}

func (b *builder) squeeze(n int) {
	b.step(Step{Key: keyOf("squeeze", n, ""), Code: "squeeze", N: n, Facts: []Fact{b.span("squeeze", "squeeze_from", "squeeze_to")}, Fields: []Field{choiceField("bubbles", "none", "still")}}, func(e *Event) judged {
		if e.choice("bubbles") == "still" {
			return fails("bubbles")
		}
		return judged{}
	})
}

// together: concentrate and water are mixed in a container first, since the method draws them in.
func (b *builder) together(n int, plan Plan) {
	all := plan.Rich + plan.Lean
	facts := []Fact{{Code: "mix_product", Low: float64(plan.Rich), High: float64(plan.Rich), Unit: measure.L}}
	if plan.Lean > 0.005 {
		facts = append(facts, Fact{Code: "mix_water", Low: float64(plan.Lean), High: float64(plan.Lean), Unit: measure.L})
	}
	facts = append(facts, Fact{Code: "draw", Low: float64(all), High: float64(all), Unit: measure.L})
	code := map[string]string{Vacuum: "vacuum_fill", Pressure: "pressure_fill", Hose: "hose_fill"}[b.s.fill()]
	fields := []Field{litresField("litres", 2*b.s.Capacity)}
	if b.s.fill() == Pressure {
		limit := float64(b.s.Cap)
		if limit == 0 {
			limit = b.s.parameter("back_flush")
		}
		facts = append(facts, b.fact("most_pressure", limit, limit, measure.KPa))
		fields = append(fields, Field{Code: "pressure", Form: Quantity, Dimension: measure.Pressure, Unit: measure.KPa, Most: 1000})
	}
	if b.s.fill() == Hose {
		fields = append(fields, choiceField("stream", "solid", "bubbles"))
	}
	key := keyOf("fill", n, "")
	e, ok := b.step(Step{Key: key, Code: code, N: n, Facts: facts, Fields: fields, Warns: []string{"rinse"}}, func(e *Event) judged {
		j := b.pourJudge(all)(e)
		if p, read := e.quantity("pressure", measure.Pressure); read && b.s.Cap > 0 && p > float64(b.s.Cap) {
			j.heeds = append(j.heeds, "pressure_over")
		}
		if e.choice("stream") == "bubbles" {
			j.fails = append(j.fails, "bubbles")
		}
		return j
	})
	share := measure.Litre(0)
	if all > 0 {
		share = plan.Rich / all
	}
	if !ok {
		b.in = b.in.assumed(b.s, "product", plan.Rich).assumed(b.s, "water", plan.Lean)
		return
	}
	v := e.litres("litres")
	b.into(key, "product", v*share, e.At)
	b.into(key, "water", v*(1-share), e.At)
}

// vacuum: into the green, held, then filled by suction.
func (b *builder) vacuum(n int, plan Plan) {
	from, to := b.s.parameter("vacuum_from"), b.s.parameter("vacuum_to")
	b.step(Step{Key: keyOf("vacuum_pull", n, ""), Code: "vacuum_pull", N: n, Facts: []Fact{b.fact("green", from, to, measure.KPa)},
		Fields: []Field{{Code: "depth", Form: Quantity, Dimension: measure.Pressure, Unit: measure.KPa, Most: 101}}}, func(e *Event) judged {
		if v, _ := e.quantity("depth", measure.Pressure); v < from {
			return fails("vacuum_weak")
		}
		return judged{}
	})
	b.step(Step{Key: keyOf("vacuum_hold", n, ""), Code: "vacuum_hold", N: n, Timer: b.timer("hold", "vacuum_hold"), Facts: []Fact{b.one("hold", "vacuum_hold"), b.one("most_drop", "vacuum_drop")},
		Fields: []Field{{Code: "drop", Form: Quantity, Dimension: measure.Pressure, Unit: measure.KPa, Most: 101}}}, func(e *Event) judged {
		if v, _ := e.quantity("drop", measure.Pressure); v > b.s.parameter("vacuum_drop") {
			return fails("vacuum_falls")
		}
		return judged{}
	})
	b.together(n, plan)
}

// loop of the boat: its hot-water circuit is refilled as well, and the exchanger and its anodes are seen.
func (b *builder) loop() {
	if b.s.Kind != BoatLoop {
		return
	}
	b.phase = PhaseFill
	b.step(Step{Code: "exchanger", Fields: []Field{choiceField("exchanger", "good", "watch", "bad", "renewed"), choiceField("anodes", "good", "watch", "bad", "renewed", "none")}}, func(e *Event) judged {
		if e.choice("anodes") == "bad" || e.choice("exchanger") == "bad" {
			return judged{heeds: []string{"found_bad"}}
		}
		return judged{}
	})
	if !b.s.HotWater {
		return
	}
	room := b.in.Room()
	e, ok := b.step(Step{Code: "loop_fill", Facts: []Fact{b.fact("pour", float64(room), float64(room), measure.L)}, Fields: []Field{litresField("litres", b.s.Capacity), choiceField("stream", "solid", "bubbles")}}, func(e *Event) judged {
		if e.choice("stream") == "bubbles" {
			return fails("bubbles")
		}
		return judged{}
	})
	if ok {
		b.into("loop_fill", "mix", e.litres("litres"), e.At)
	}
}

// run warm between two fills, so that all of it mixes.
func (b *builder) run(key string) {
	b.phase = PhaseBleed
	b.step(Step{Key: key, Code: "run", Timer: b.timer("warm", "warm_to"), Facts: []Fact{b.span("warm", "warm_from", "warm_to"), b.span("thermostat", "thermostat_from", "thermostat_to")}, Warns: []string{"outdoors", "moving_parts"},
		Fields: []Field{choiceField("gauge", "normal", "climbing"), choiceField("thermostat", "opened", "not_opened")}}, b.warmJudge)
	b.in = b.in.mixed()
}

func (b *builder) warmJudge(e *Event) judged {
	var j judged
	if e.choice("gauge") == "climbing" {
		b.st.Stop = "climbing"
		return fails("climbing")
	}
	if e.choice("thermostat") == "not_opened" {
		j.fails = append(j.fails, "thermostat_shut")
	}
	switch e.choice("hoses") {
	case "lower_cold":
		j.fails = append(j.fails, "lower_cold")
	case "both_cold":
		j.fails = append(j.fails, "both_cold")
	}
	if e != nil && !e.At.Before(b.ran) {
		b.ran = e.At
	}
	return j
}

// partChange with what it takes to refill.
func (b *builder) partChange() {
	if b.s.Options.Part == "cap" {
		b.phase = PhaseCheck
		st := Step{Code: "cap_fit", Fields: []Field{choiceField("seal", "good"), Field{Code: "opened", Form: Quantity, Dimension: measure.Pressure, Unit: measure.KPa, Most: 400}.optional()}}
		if b.s.Cap > 0 {
			st.Facts = []Fact{b.fact("cap_rating", float64(b.s.Cap), float64(b.s.Cap), measure.KPa)}
		}
		b.step(st, func(e *Event) judged {
			if b.opensOff(e) {
				return fails("cap_bad")
			}
			b.capBad = false
			return judged{}
		})
		return
	}
	b.drain(1)
	b.phase = PhaseDrain
	b.step(Step{Code: "part_off", Point: b.s.Options.Part, Fields: []Field{choiceField("found", "good", "watch", "bad"), Field{Code: "note", Form: Line}.optional()}}, nil)
	if b.s.Options.Part == "hose" {
		b.step(Step{Code: "hose_fit", Fields: []Field{choiceField("hose", "upper", "lower", "heater_feed", "heater_return", "bypass"), choiceField("clamp", "between_ridges", "on_ridge")}}, func(e *Event) judged {
			if e.choice("clamp") == "on_ridge" {
				return fails("clamp_ridge")
			}
			return judged{}
		})
	} else {
		b.gasket("part_fit")
	}
	b.closeUp()
	b.refill(1)
	b.bleed()
}
