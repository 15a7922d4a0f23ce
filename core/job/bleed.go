package job

import (
	"math"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// bleed by the method of the job, and again as long as less went in than came out.
func (b *builder) bleed() {
	b.phase = PhaseBleed
	switch b.s.bleed() {
	case VentScrew:
		b.bleedStep("vent", "bleed_vent", choiceField("stream", "solid", "bubbles"))
	case Pump:
		code := "bleed_pump"
		facts := []Fact{b.one("accelerator", "accelerator"), b.span("pump", "pump_from", "pump_to")}
		if b.s.Of == "motorcycle" {
			code, facts = "bleed_pump_motorcycle", []Fact{b.one("throttle", "throttle")}
		}
		b.bleedStep("pump", code, choiceField("bubbles", "none", "still"), facts...)
	case Lean, Rev:
		code := "bleed_lean"
		if b.s.bleed() == Rev {
			code = "bleed_rev"
		}
		b.bleedStep("lean", code, choiceField("bubbles", "none", "still"), b.one("lean_run", "lean_run"))
	}
	b.warm()
	if b.s.bleed() == VentScrew {
		b.bleedStep("vent_warm", "bleed_vent_warm", choiceField("stream", "solid", "bubbles"))
	}
	if b.s.bleed() == Overnight {
		b.overnight()
	}
	if b.s.drains() {
		b.balance()
	}
}

// bleedStep with what it takes to keep the system topped up.
func (b *builder) bleedStep(key, code string, f Field, facts ...Fact) {
	st := Step{Key: "bleed:" + key, Code: code, Facts: append(facts, b.topUpFact()), Fields: []Field{f, litresField("litres", b.s.Capacity)}}
	if code == "bleed_pump" {
		st.Timer = b.timer("pump", "pump_to")
	}
	if code == "bleed_vent_warm" {
		st.Warns = []string{"steam"}
	}
	e, ok := b.step(st, func(e *Event) judged {
		if e.choice(f.Code) == "bubbles" || e.choice(f.Code) == "still" {
			return fails("bubbles")
		}
		return judged{}
	})
	if ok {
		b.into(st.Key, "mix", e.litres("litres"), e.At)
	}
}

// topUpFact: what to top up with, as the share of product in it.
func (b *builder) topUpFact() Fact {
	share := 100 * b.s.topUp(b.in)
	return b.fact("top_up_share", share, share, measure.Percent)
}

// warm run: thermostat, both hoses, heater, fan, bubbles. Stop at once if the gauge climbs.
func (b *builder) warm() {
	facts := []Fact{b.span("warm", "warm_from", "warm_to"), b.span("thermostat", "thermostat_from", "thermostat_to")}
	if b.s.fill() != Vacuum {
		facts = append(facts, b.span("rpm", "rpm_from", "rpm_to"))
	}
	b.step(Step{Key: "bleed:warm", Code: "bleed_warm", Facts: facts, Warns: []string{"outdoors", "moving_parts", "climbing"}, Timer: b.timer("warm", "warm_to"),
		Fields: []Field{choiceField("gauge", "normal", "climbing"), choiceField("thermostat", "opened", "not_opened"), choiceField("hoses", "hot_alike", "lower_cold", "both_cold")}}, b.warmJudge)
	b.in = b.in.mixed()
	if b.s.HeaterCore {
		b.step(Step{Key: "bleed:heater", Code: "bleed_heater", Timer: b.timer("heat", "heat_at_idle"), Facts: []Fact{b.one("heat", "heat_at_idle")}, Fields: []Field{choiceField("air", "hot", "cold")}}, func(e *Event) judged {
			if e.choice("air") == "cold" {
				return fails("air_in_heater")
			}
			return judged{}
		})
	}
	fan := b.one("fan", "fan")
	e, ok := b.step(Step{Key: "bleed:fan", Code: "bleed_fan", Facts: []Fact{fan, b.topUpFact()}, Fields: []Field{choiceField("fan", "cut_in", "not_cut_in", "no_fan"), choiceField("bubbles", "none", "still"), litresField("litres", b.s.Capacity)}}, func(e *Event) judged {
		var j judged
		if e.choice("fan") == "not_cut_in" {
			j.fails = append(j.fails, "fan_missing")
		}
		if e.choice("bubbles") == "still" {
			j.fails = append(j.fails, "bubbles")
		}
		return j
	})
	if ok {
		b.into("bleed:fan", "mix", e.litres("litres"), e.At)
	}
}

// overnight the vacuum draws from the bottle; the level is seen a second time before the first sail.
func (b *builder) overnight() {
	e, ok := b.step(Step{Key: "bleed:night", Code: "bleed_night", Timer: b.timer("night", "overnight"), Facts: []Fact{b.one("overnight", "overnight"), b.topUpFact()},
		Fields: []Field{choiceField("header", "brim", "low"), choiceField("mark", "max", "between", "min", "below", "empty"), litresField("litres", b.s.Capacity)}}, func(e *Event) judged {
		switch {
		case e.choice("header") == "low" && e.litres("litres") <= 0:
			return fails("header_low") // a full bottle proves nothing while the header is low
		case e.choice("mark") == "below" || e.choice("mark") == "empty" || e.choice("mark") == "min":
			return fails("bottle_low")
		}
		return judged{}
	})
	if ok {
		b.into("bleed:night", "mix", e.litres("litres"), e.At)
	}
}

// mostRebleeds that are asked for one after the other: then something else is wrong (judgement).
const mostRebleeds = 6

// balance of what came out and went in of the last fill.
func (b *builder) balance() {
	hot := b.hotLevel()
	b.even("balance", 0, func() *Balance {
		if len(b.st.In) == b.st.filledFrom && b.open {
			return nil // nothing is poured yet
		}
		return balance(b.s, &b.st, b.missing, b.outUnknown, hot)
	})
}

// even asks to bleed again while less went in than came out, then decides the gate. Its steps are numbered from after.
func (b *builder) even(key string, after int, now func() *Balance) {
	overridden := false
	for _, e := range b.overrides[key] {
		overridden = overridden || b.s.MayOverride(e.Role, GateBalance)
	}
	for n := 1; n <= mostRebleeds && !overridden && !b.open; n++ {
		is := now()
		if is.Holds || is.Unknown {
			break
		}
		step := keyOf("rebleed", after+n, "")
		short := float64(is.Short)
		e, ok := b.step(Step{Key: step, Code: "rebleed", N: n, Facts: []Fact{{Code: "short", Low: short, High: short, Unit: measure.L, Measured: true}, b.topUpFact()},
			Fields: []Field{choiceField("bubbles", "none", "still"), litresField("litres", b.s.Capacity)}}, func(e *Event) judged {
			if e.choice("bubbles") == "still" {
				return fails("bubbles")
			}
			return judged{}
		})
		if ok {
			b.into(step, "mix", e.litres("litres"), e.At)
		}
	}
	if is := now(); is != nil {
		b.st.Balance = is
	}
	st := Step{Key: key, Code: "balance", Sums: true, Gate: GateBalance}
	if b.s.Kind == TwiceFill && !b.oldLost {
		// Each pass leaves a share of what the one before left (mass balance).
		fresh := 100 * (1 - b.oldShare)
		st.Facts = append(st.Facts, b.fact("new_share", fresh, fresh, measure.Percent))
	}
	b.step(st, func(*Event) judged {
		is := now()
		b.st.Balance = is
		switch {
		case is.Unknown:
			return fails("out_unknown")
		case !is.Holds:
			return fails("air_trapped")
		case -is.Short > is.Allowed:
			return judged{heeds: []string{"more_in"}}
		}
		return judged{}
	})
}

// hotLevel: the level is judged hot, which reads high.
func (b *builder) hotLevel() bool {
	e := b.answers["level_after"]
	return e != nil && e.choice("temper") == ledger.Hot
}

// checks before the unit may run: joints, cap, level; n is 0, or the number of the correction after which they are made again.
func (b *builder) checks(n int) {
	b.phase = PhaseCheck
	joints := []string{}
	for _, p := range b.opened {
		joints = append(joints, p.Code)
	}
	if b.s.Kind == PartChange {
		joints = append(joints, b.s.Options.Part)
	}
	joints = append(joints, "cap")
	st := Step{Key: keyOf("leaks", n, ""), Code: "leaks", Gate: GateLeaks, Warns: []string{"hot_system"}}
	for _, j := range joints {
		f := choiceField("joint:"+j, "dry", "weeping")
		f.Point = j
		st.Fields = append(st.Fields, f)
	}
	if b.s.Cap > 0 {
		low, high := 0.8*float64(b.s.Cap), float64(b.s.Cap)
		st.Facts = []Fact{b.fact("test_pressure", low, high, measure.KPa), b.span("test_minutes", "pressure_from", "pressure_to")}
	}
	most := 400.0
	if b.s.Cap > 0 {
		most = float64(b.s.Cap) // a system is never tested above the rating of its cap
	}
	st.Fields = append(st.Fields, Field{Code: "pressure", Form: Quantity, Dimension: measure.Pressure, Unit: measure.KPa, Least: 10, Most: most}.optional(),
		Field{Code: "minutes", Form: Quantity, Dimension: measure.Plain, Unit: measure.One, Least: 1, Most: 120}.optional(),
		Field{Code: "drop", Form: Quantity, Dimension: measure.Pressure, Unit: measure.KPa, Most: 400}.optional())
	b.step(st, func(e *Event) judged {
		var j judged
		for _, one := range joints {
			if e.choice("joint:"+one) != "dry" {
				j.fails = append(j.fails, "weeping")
				break
			}
		}
		if drop, ok := e.quantity("drop", measure.Pressure); ok && drop > leastDrop {
			j.fails = append(j.fails, "pressure_fell")
		}
		return j
	})
	b.capHome(n)
	b.levelAfter(n)
}

// leastDrop of a pressure test that is no reading error, kPa (judgement: half a division of a gauge).
const leastDrop = 2

func (b *builder) capHome(n int) {
	fields := []Field{choiceField("stage", "home", "first_stage", "not_seated"), choiceField("cap", "same", "new"), choiceField("vacuum", "opens", "stuck", "not_tested").optional(),
		Field{Code: "opened", Form: Quantity, Dimension: measure.Pressure, Unit: measure.KPa, Most: 400}.optional()}
	b.step(Step{Key: keyOf("cap_home", n, ""), Code: "cap_home", Gate: GateCap, Fields: fields}, func(e *Event) judged {
		var j judged
		if e.choice("stage") != "home" {
			j.fails = append(j.fails, "cap_"+e.choice("stage"))
		}
		_, tested := e.quantity("opened", measure.Pressure)
		switch {
		case b.capBad && e.choice("cap") == "same", e.choice("vacuum") == "stuck", b.opensOff(e):
			j.fails = append(j.fails, "cap_bad")
		case b.capBad && b.s.Of == "aircraft" && (e.choice("vacuum") != "opens" || !tested && b.s.Cap > 0):
			j.fails = append(j.fails, "cap_untested") // a finding that grounds ends with a test that found it good
		}
		return j
	})
}

func (b *builder) levelAfter(n int) {
	b.step(Step{Key: keyOf("level_after", n, ""), Code: "level_after", Gate: GateLevel, Fields: []Field{choiceField("temper", ledger.Cold, ledger.Hot), choiceField("mark", ledger.Marks...)}}, func(e *Event) judged {
		mark, hot := e.choice("mark"), e.choice("temper") == ledger.Hot
		switch {
		case mark == "below" || mark == "empty" || mark == "min":
			return fails("level_low")
		case hot && mark == "between":
			return fails("level_hot") // it drops on cooling
		case hot:
			return judged{heeds: []string{"level_drops"}}
		}
		return judged{}
	})
}

// mostRetests that are corrected one after the other (judgement: with more, a drain-and-fill is less work).
const mostRetests = 4

// retest of the freeze point, mixed, against the target; a miss is corrected and tested again.
func (b *builder) retest(n int) {
	b.phase = PhaseRetest
	if b.aim == nil {
		b.aimAt(b.s.Target)
	}
	if !b.open && b.notMixed() {
		b.run(keyOf("mix_run", n, ""))
		b.phase = PhaseRetest
	}
	key := keyOf("retest", n, "")
	st := Step{Key: key, Code: "retest", N: n, Gate: GateRetest}
	if b.s.waterless() {
		st.Code = "retest_waterless"
		most := 100 * mostWaterInWaterless
		st.Facts = []Fact{b.fact("most_water", most, most, measure.Percent)}
		st.Fields = []Field{{Code: "water", Form: Quantity, Dimension: measure.Share, Unit: measure.Percent, Most: 100}, Field{Code: "tool", Form: Line}.optional(), choiceField("look", looks...).optional()}
		b.step(st, func(e *Event) judged {
			if w, _ := e.quantity("water", measure.Share); w > most {
				return fails("water_in")
			}
			return judged{}
		})
		return
	}
	if b.aim != nil {
		within := b.s.parameter("retest_within")
		st.Facts = append(st.Facts, b.fact("target", float64(*b.aim), float64(*b.aim), measure.DegC), b.fact("within", within, within, Kelvins))
	}
	if b.s.Need != nil {
		st.Facts = append(st.Facts, b.fact("need", float64(*b.s.Need), float64(*b.s.Need), measure.DegC))
	}
	st.Fields = []Field{{Code: "freeze", Form: Quantity, Dimension: measure.Temperature, Unit: measure.DegC, Least: -80, Most: 5},
		choiceField("instrument", ledger.Refractometer, ledger.TestStrip), choiceField("scale", string(coolant.EG), string(coolant.PG)), Field{Code: "tool", Form: Line}.optional(), choiceField("look", looks...).optional()}
	var missed *measure.Celsius
	e, ok := b.step(st, func(e *Event) judged {
		t, _ := e.quantity("freeze", measure.Temperature)
		switch {
		case e.choice("scale") != string(b.s.Product.Base):
			return fails("wrong_scale")
		case e.At.Before(b.st.filledAt):
			return fails("before_fill")
		}
		at := measure.Celsius(t)
		b.st.Measured = &at
		if why := b.misses(at); why != "" {
			missed = &at
			return fails(why)
		}
		return judged{}
	})
	if ok || e != nil || missed == nil || n >= mostRetests {
		return
	}
	b.correct(n, *missed)
}

// notMixed: so much was poured since the last warm run that a sample does not speak for all of it.
func (b *builder) notMixed() bool {
	v := measure.Litre(0)
	for _, m := range b.st.In {
		if m.At.After(b.ran) {
			v += m.Litres
		}
	}
	return v > 0.05*b.s.Capacity // about the band between the cold marks
}

// misses the aim, as a code; empty when it is within the tolerance and what the site needs.
func (b *builder) misses(at measure.Celsius) string {
	within := measure.Celsius(b.s.parameter("retest_within"))
	switch {
	case b.aim == nil:
		return "no_target"
	case b.s.Need != nil && at > *b.s.Need:
		return "need_missed"
	case at > *b.aim+within:
		return "too_weak"
	case b.tooStrong(at):
		return "too_strong"
	}
	return ""
}

// tooStrong: above 60 % the mix cools less; a target above it is its own bound.
func (b *builder) tooStrong(at measure.Celsius) bool {
	mass, err := coolant.MassFor(b.s.Product.Base, at)
	if err != nil {
		return true // beyond the table: nothing says how strong it is
	}
	volume, err := coolant.VolumeFraction(b.s.Product.Base, mass)
	return err != nil || volume > math.Max(coolant.TargetHigh, b.s.Target)+near
}

// correct what a retest missed: drain, pour, run warm, and test again.
func (b *builder) correct(n int, at measure.Celsius) {
	retest := &b.st.Steps[len(b.st.Steps)-1]
	plan, ok := b.s.corrected(b.in, at, b.s.Points)
	if !ok {
		return
	}
	// The retest is done: what follows is its correction, and the gate waits for the next one.
	retest.Status, b.open, b.st.Next = Done, false, ""
	b.placedCorrection(n, plan, at)
	b.checks(n) // the cap was off, and the level is another one
	b.retest(n + 1)
}

func (b *builder) placedCorrection(n int, plan Plan, at measure.Celsius) {
	b.phase = PhaseFill
	b.st.Plan = &plan
	b.in = b.in.onBase(b.s.Product.Base).strength(b.s.Product.Base, at)
	b.cold(20 + n)
	litres := func(code string, v measure.Litre) Fact {
		return Fact{Code: code, Low: float64(v), High: float64(v), Unit: measure.L}
	}
	b.opened, b.correcting = nil, true
	defer func() { b.correcting = false }()
	from, out := len(b.st.In), measure.Litre(0)
	if plan.Out > 0.01 && len(b.s.Points) > 0 {
		p := b.s.Points[0]
		key := keyOf("correct_out", n, "")
		e, ok := b.step(Step{Key: key, Code: "correct_out", N: n, Point: p.Code, Facts: []Fact{litres("drain", plan.Out)}, Fields: []Field{litresField("litres", b.s.Capacity)}}, b.pourJudge(plan.Out))
		if ok {
			out = e.litres("litres")
			b.in = b.in.drainedAt(b.s.Points, out)
			b.st.Out = append(b.st.Out, b.moved(Moved{Step: key, Point: p.Code, What: "corrected", Litres: out, At: e.At}))
		}
		b.opened = []Point{p}
		b.closePoint(20+n, p)
	}
	b.correctPour(keyOf("correct_rich", n, ""), "correct_rich", "product", n, plan.Rich)
	b.correctPour(keyOf("correct_lean", n, ""), "correct_lean", "water", n, plan.Lean)
	b.run(keyOf("correct_run", n, ""))
	b.even(keyOf("balance", 20+n, ""), 100*(1+n), func() *Balance { return b.exchanged(out, from) })
}

// exchanged: as much is to go in as a correction drained.
func (b *builder) exchanged(out measure.Litre, from int) *Balance {
	is := &Balance{Out: out}
	for _, m := range b.st.In[from:] {
		is.In += m.Litres
	}
	is.Short = out - is.In
	is.Allowed = ledger.AllowedShort(b.s.Of, []measure.Litre{out}, is.In, 0, false, b.s.Capacity)
	is.Holds = is.Short <= is.Allowed
	return is
}

func (b *builder) correctPour(key, code, what string, n int, v measure.Litre) {
	if v <= 0.01 {
		return
	}
	e, ok := b.step(Step{Key: key, Code: code, N: n, Facts: []Fact{{Code: "pour", Low: float64(v), High: float64(v), Unit: measure.L}}, Fields: []Field{litresField("litres", b.s.Capacity)}}, b.pourJudge(v))
	if ok {
		b.into(key, what, e.litres("litres"), e.At)
	}
}

// strength of all pockets as it was measured.
func (c Contents) strength(base coolant.Base, at measure.Celsius) Contents {
	mass, err := coolant.MassFor(base, at)
	if err != nil {
		return c
	}
	c = c.copied()
	for i := range c.Pockets {
		p := &c.Pockets[i]
		if p.Charge.Mass() > 0 {
			p.Charge.Base = base
			p.Charge = p.Charge.WithMassFraction(mass)
		}
	}
	c.Known = true
	return c
}

// correction of the mix as a job: a test first, then what it asks for.
func (b *builder) correction() {
	b.phase = PhaseRetest
	b.aimAt(b.s.Target)
	var at *measure.Celsius
	b.step(Step{Key: "test", Code: "test", Fields: []Field{{Code: "freeze", Form: Quantity, Dimension: measure.Temperature, Unit: measure.DegC, Least: -80, Most: 5},
		choiceField("instrument", ledger.Refractometer, ledger.TestStrip), choiceField("scale", string(coolant.EG), string(coolant.PG)), Field{Code: "tool", Form: Line}.optional()}},
		func(e *Event) judged {
			if e.choice("scale") != string(b.s.Product.Base) {
				return fails("wrong_scale")
			}
			t, _ := e.quantity("freeze", measure.Temperature)
			c := measure.Celsius(t)
			at = &c
			return judged{}
		})
	if at == nil {
		return
	}
	plan, ok := b.s.corrected(b.in, *at, b.s.Points)
	if !ok {
		return
	}
	if plan.Out <= 0.01 && plan.Rich <= 0.01 && plan.Lean <= 0.01 {
		return
	}
	b.placedCorrection(0, plan, *at)
}

// tidy: spills, label, waste.
func (b *builder) tidy() {
	b.phase = PhaseCheck
	if b.s.drains() || b.s.Kind == Correction {
		used, flush := b.st.Used()
		all := float64(used + flush)
		b.step(Step{Code: "waste", Facts: []Fact{{Code: "used", Low: all, High: all, Unit: measure.L, Measured: true}}, Warns: []string{"waste"},
			Fields: []Field{litresField("litres", 10*b.s.Capacity), choiceField("rinsed", "yes")}}, func(e *Event) judged {
			if math.Abs(float64(e.litres("litres"))-all) > math.Max(0.5, 0.15*all) {
				return judged{heeds: []string{"waste_differs"}}
			}
			return judged{}
		})
	}
	if b.s.pours() {
		b.step(Step{Code: "label", Fields: []Field{choiceField("label", "fitted", "none_used")}}, nil)
	}
}

// release: the last gate. It is no answer but an event of its own, of a person who may.
func (b *builder) release() {
	b.phase = PhaseRelease
	ready := !b.open
	code := "release"
	if b.s.Of == "aircraft" {
		code = "release_aircraft"
	}
	st := Step{Key: "release", Code: code, Gate: GateRelease, Status: Later}
	if ready {
		st.Status = Current
		if b.st.Released != nil {
			st.Status = Done
		} else {
			b.st.Next, b.st.Phase = "release", PhaseRelease
		}
		b.st.Gates[GateRelease] = st.Status
	}
	b.st.Ready = ready
	b.placed["release"] = true
	b.st.Steps = append(b.st.Steps, st)
}
