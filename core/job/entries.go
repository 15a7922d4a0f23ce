package job

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// EntryID of what a job writes under a name: a UUID of version 7 with the time of the job's own id, so
// that what is written twice is one entry.
func EntryID(job, name string) string {
	sum := sha256.Sum256([]byte(job + "\n" + name))
	head := strings.ReplaceAll(job, "-", "")
	if len(head) < 12 {
		head = "000000000000"
	}
	text := head[:12] + "7" + hex.EncodeToString(sum[:2])[1:] + fmt.Sprintf("%x", 8+sum[2]%4) + hex.EncodeToString(sum[3:12])[1:]
	return fmt.Sprintf("%s-%s-%s-%s-%s", text[:8], text[8:12], text[12:16], text[16:20], text[20:32])
}

// HoldEntry that keeps the unit from running while the job is under way, by the name that its id is made of.
func HoldEntry(s Setup, name string, at time.Time, why string) ledger.Entry {
	return entry(s, name, "hold", at, ledger.Hold{Why: why})
}

func entry(s Setup, name, step string, at time.Time, body ledger.Body) ledger.Entry {
	return ledger.Entry{ID: EntryID(s.ID, name), Unit: s.Address, At: at, Body: body, Confirmed: true, Envelope: ledger.Envelope{Job: s.ID, Step: cutTo(step, 40)}}
}

func cutTo(s string, n int) string {
	if len(s) > n {
		return s[:n]
	}
	return s
}

func litres(v measure.Litre) measure.Reading {
	return measure.Reading{Value: float64(int64(float64(v)*1000+0.5)) / 1000, Unit: measure.L}
}

// Entries that a finished job brings to the ledger, in the order in which they happened: what was
// found, what was drained and poured, what was tested. note gives the text of an override and of a
// step's finding. An exercise brings none.
func Entries(s Setup, st State, note func(Step) string) []ledger.Entry {
	if s.Exercise {
		return nil
	}
	w := writer{s: s, st: st}
	for _, step := range st.Steps {
		if step.Answer != nil && (step.Status == Done || step.Status == Overrun) {
			w.step(step, *step.Answer)
		}
		if step.Status == Overrun && step.Override != nil {
			w.add("override:"+step.Key, step.Key, step.Override.At, ledger.NoteBody{Text: note(step)})
			if step.Gate == GateLeaks {
				w.add("defect:"+step.Key, step.Key, step.Override.At, ledger.Defect{What: note(step), Severity: "repair"})
			}
		}
	}
	if look := coolant.Appearance(w.worst.choice("look")); look != "" {
		w.add("look", w.worstAt, w.worst.At, ledger.ChemistryTest{Appearance: look})
	}
	w.poured()
	return w.ordered()
}

// ordered as the sheet has its steps, in which the work is done, each a microsecond after the one before at least: the fold takes
// entries by their time, and the clocks of several devices do not agree.
func (w *writer) ordered() []ledger.Entry {
	place := map[string]int{}
	for i, step := range w.st.Steps {
		place[cutTo(step.Key, 40)] = i
	}
	slices.SortStableFunc(w.all, func(a, b ledger.Entry) int {
		return cmp.Or(cmp.Compare(place[a.Envelope.Step], place[b.Envelope.Step]), a.At.Compare(b.At))
	})
	for i := 1; i < len(w.all); i++ {
		if e := &w.all[i]; !e.At.After(w.all[i-1].At) {
			e.At = w.all[i-1].At.Add(time.Microsecond)
		}
	}
	return w.all
}

type writer struct {
	s   Setup
	st  State
	all []ledger.Entry
	cap ledger.CapTest // as it was taken off
	// thermostat as it was found; worst appearance of what was drained, and its step.
	thermostat string
	worst      Event
	worstAt    string
}

// worse appearances before better ones: what one drain point shows is not undone by another.
var worse = []coolant.Appearance{coolant.AppearanceOily, coolant.AppearanceGelled, coolant.AppearanceSediment, coolant.AppearanceRusty, coolant.AppearanceCloudy, coolant.AppearanceFaded, coolant.AppearanceClear}

// looked at what a drain point gave: the worst of all counts.
func (w *writer) looked(step Step, e Event) {
	rank := func(e Event) int {
		if i := slices.Index(worse, coolant.Appearance(e.choice("look"))); i >= 0 {
			return i
		}
		return len(worse)
	}
	if w.worstAt == "" || rank(e) < rank(w.worst) {
		w.worst, w.worstAt = e, step.Key
	}
}

// seen appearance of the new charge, where it was recorded.
func (w *writer) seen(step Step, e Event) {
	if look := coolant.Appearance(e.choice("look")); look != "" {
		w.add("look:"+step.Key, step.Key, e.At, ledger.ChemistryTest{Appearance: look})
	}
}

// add an entry by the person who recorded its step.
func (w *writer) add(name, step string, at time.Time, body ledger.Body) {
	e := entry(w.s, name, step, at, body)
	if st := w.st.Step(step); st != nil {
		by := st.Answer
		if st.Override != nil && st.Override.At.Equal(at) {
			by = st.Override
		}
		if by != nil {
			e.RecordedBy, e.RecordedByID = by.By, by.ByID
		}
	}
	w.all = append(w.all, e)
}

// step that brings an entry by itself.
func (w *writer) step(step Step, e Event) {
	switch step.Code {
	case "meter":
		if v, ok := e.Values["meter"]; ok && v.Reading != nil {
			w.add("meter", step.Key, e.At, ledger.Meter{Meter: *v.Reading, Confirmed: e.choice("read_twice") != ""})
		}
	case "level_before":
		w.add("level_before", step.Key, e.At, ledger.LevelCheck{Temper: ledger.Cold, Mark: e.choice("mark")})
	case "cap_off":
		w.cap = capFound(e, false)
		w.add("cap_off", step.Key, e.At, w.cap)
	case "cap_fit":
		w.cap = capFound(e, true)
		w.add("cap_fit", step.Key, e.At, w.cap)
	case "cap_home":
		// The same cap keeps what was found on it; a new one has what was tested of it.
		c := w.cap
		c.Renewed = false
		if e.choice("cap") == "new" {
			c = capFound(e, true)
			c.Seal = "good"
		}
		home := e.choice("stage") == "home"
		c.Seated = &home
		if w.s.Stages == 2 && e.choice("stage") != "not_seated" {
			c.Stage = e.choice("stage")
		}
		w.add(step.Key, step.Key, e.At, c)
	case "drain":
		w.looked(step, e)
	case "thermostat_out":
		w.thermostat = e.choice("found")
		w.point(step, e, "thermostat", w.thermostat)
	case "thermostat_in":
		if state := map[string]string{"new": "renewed", "same": w.thermostat}[e.choice("thermostat")]; state != "" {
			w.point(step, e, "thermostat", state)
		}
	case "part_off":
		w.note(step, e)
	case "part_fit":
		if p := map[string]string{"pump": "pump", "thermostat": "thermostat"}[w.s.Options.Part]; p != "" {
			w.point(step, e, p, "renewed")
		}
	case "hose_fit":
		w.add("hose", step.Key, e.At, ledger.HoseCheck{Hoses: []ledger.HoseFound{{Hose: e.choice("hose"), State: "renewed", Clamp: "good"}}})
	case "exchanger":
		w.point(step, e, ledger.PartExchanger, e.choice("exchanger"))
		if a := e.choice("anodes"); a != "none" {
			w.add("anodes", step.Key, e.At, ledger.Inspection{Points: []ledger.PointFound{{Point: ledger.PartAnodes, State: a}}})
		}
	case "tank":
		state := "good"
		if e.choice("sludge") == "found" {
			state = "watch"
		}
		w.point(step, e, "recovery_tank", state)
	case "washer":
		w.point(step, e, "drain_plug", map[string]string{"good": "good", "new": "renewed", "worn": "bad"}[e.choice("plug")])
	case "leaks":
		w.pressure(step, e)
	case "level_after":
		w.add(step.Key, step.Key, e.At, ledger.LevelCheck{Temper: e.choice("temper"), Mark: e.choice("mark")})
	case "retest", "test":
		w.tested(step, e)
		w.seen(step, e)
	case "retest_waterless":
		if v := e.Values["water"].Reading; v != nil {
			w.add("test:"+step.Key, step.Key, e.At, ledger.FreezeTest{Value: *v, Instrument: ledger.Refractometer, Scale: coolant.NoWater, Tool: e.text("tool"), Warmed: true})
		}
		w.seen(step, e)
	}
}

func capFound(e Event, renewed bool) ledger.CapTest {
	c := ledger.CapTest{Seal: e.choice("seal"), Renewed: renewed}
	if v := e.choice("vacuum"); v != "not_tested" {
		c.Vacuum = v
	}
	if v, ok := e.Values["opened"]; ok {
		c.Opened = v.Reading
	}
	return c
}

func (w *writer) point(step Step, e Event, point, state string) {
	if state != "" {
		w.add("point:"+step.Key, step.Key, e.At, ledger.Inspection{Points: []ledger.PointFound{{Point: point, State: state}}})
	}
}

func (w *writer) note(step Step, e Event) {
	if text := e.text("note"); text != "" {
		w.add("note:"+step.Key, step.Key, e.At, ledger.NoteBody{Text: text})
	}
}

func (w *writer) pressure(step Step, e Event) {
	pressure, ok1 := e.Values["pressure"]
	minutes, ok2 := e.quantity("minutes", measure.Plain)
	drop, ok3 := e.Values["drop"]
	if ok1 && ok2 && ok3 && pressure.Reading != nil && drop.Reading != nil {
		w.add("pressure:"+step.Key, step.Key, e.At, ledger.PressureTest{Pressure: *pressure.Reading, Minutes: minutes, Drop: *drop.Reading})
	}
}

func (w *writer) tested(step Step, e Event) {
	v := e.Values["freeze"].Reading
	if v == nil {
		return
	}
	w.add("test:"+step.Key, step.Key, e.At, ledger.FreezeTest{Value: *v, Instrument: e.choice("instrument"), Scale: coolant.Base(e.choice("scale")), Tool: e.text("tool"),
		Warmed: step.Code == "retest"})
}

// poured in and drained: a renewal, in whole or in part; a correction or a bleeding as what left and
// what was topped up.
func (w *writer) poured() {
	if len(w.st.In) == 0 {
		// A job that ends before anything was poured: what came out is gone.
		for _, m := range w.st.Out {
			if (m.What == "coolant" || m.What == "corrected") && m.Litres >= 0.01 {
				w.add("loss:"+m.Step, m.Step, m.At, ledger.Loss{Volume: litres(m.Litres), Cause: "drained"})
			}
		}
		return
	}
	if !w.s.drains() {
		w.moves(false)
		return
	}
	var product, water, all measure.Litre
	for _, m := range w.st.In[w.st.filledFrom:] {
		if m.Correction {
			continue
		}
		all += m.Litres
		switch m.What {
		case "product":
			product += m.Litres
		case "water":
			water += m.Litres
		case "mix":
			product, water = product+m.Litres*measure.Litre(m.Share), water+m.Litres*measure.Litre(1-m.Share)
		}
	}
	if all <= 0 {
		return
	}
	r := ledger.Renewal{Volume: litres(all), Product: w.s.Product, Method: map[string]string{Gravity: "gravity", Vacuum: "vacuum", Pressure: "pressure", Hose: "manual", Header: "manual"}[w.s.fill()],
		Level: w.level(), Flushes: w.st.flushes}
	if w.s.Product.Form == coolant.Concentrate && product+water > 0 {
		percent := float64(int(1000*float64(product/(product+water))+0.5)) / 10
		r.Share = &percent
	}
	if r.Flushes > 0 {
		r.FlushWith = "water"
		if w.s.waterless() {
			r.FlushWith = ledger.PrepFluid
		}
		left := w.st.residual
		reading := litres(left)
		r.Residual = &reading
		if w.s.Options.Cleaner {
			r.FlushWith, r.Flushes, r.Rinses = "cleaner", 1, w.st.flushes
		}
	}
	for _, m := range w.st.lastFill {
		if m.Litres >= 0.01 {
			r.Drained = append(r.Drained, ledger.Drained{Point: known(m.Point), Volume: litres(m.Litres)})
		}
	}
	w.fittings(&r)
	at, step := w.st.filledAt, "fill"
	for _, m := range w.st.In[w.st.filledFrom:] {
		if !m.Correction {
			at, step = m.At, m.Step
		}
	}
	w.add("renewal", step, at, r)
	w.moves(true) // corrections after the retest are losses and top-ups of their own
}

// fittings of the renewal: washers, torques, the batch.
func (w *writer) fittings(r *ledger.Renewal) {
	for _, step := range w.st.Steps {
		e := step.Answer
		if e == nil || step.Status != Done && step.Status != Overrun {
			continue
		}
		switch step.Code {
		case "washer":
			if e.choice("washer") == "new" {
				r.Parts = append(r.Parts, "washer "+step.Point)
			}
		case "torque":
			if v := e.Values["torque"].Reading; v != nil && e.choice("closed") == "torque" {
				r.Torque = append(r.Torque, ledger.Torque{Part: step.Point, Value: *v})
			}
		case "prepare":
			r.Batch = cutTo(e.text("batch"), 60)
		}
	}
}

func known(point string) string {
	if slices.Contains(ledger.DrainPoints, point) {
		return point
	}
	return PointOther
}

func (w *writer) level() string {
	if e := w.st.Step("level_after"); e != nil && e.Answer != nil {
		return e.Answer.choice("temper")
	}
	return ""
}

// moves of a correction or a bleeding.
func (w *writer) moves(correctionsOnly bool) {
	for _, m := range w.st.Out {
		if m.What == "corrected" && m.Litres >= 0.01 {
			w.add("loss:"+m.Step, m.Step, m.At, ledger.Loss{Volume: litres(m.Litres), Cause: "drained"})
		}
	}
	for _, m := range w.st.In {
		if correctionsOnly && !m.Correction {
			continue
		}
		product, water := measure.Litre(0), measure.Litre(0)
		switch m.What {
		case "product":
			product = m.Litres
		case "water":
			water = m.Litres
		case "mix":
			product, water = m.Litres*measure.Litre(m.Share), m.Litres*measure.Litre(1-m.Share)
		}
		bled := w.s.Kind == BleedOnly
		if product >= 0.01 {
			p := w.s.Product
			w.add("top_up:"+m.Step, m.Step, m.At, ledger.TopUp{Volume: litres(product), With: p.Form, Product: &p, Bled: bled})
		}
		if water >= 0.01 {
			w.add("water:"+m.Step, m.Step, m.At, ledger.TopUp{Volume: litres(water), With: coolant.Water, Bled: bled})
		}
	}
}
