package ledger

import (
	"fmt"
	"math"
	"reflect"
	"slices"
	"strings"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/usage"
)

// Limits of what an entry may say.
const (
	// skew that a phone's clock may be ahead of ours (judgement).
	skew = 5 * time.Minute
	// overfill: a fill may exceed the rated capacity by this factor, since
	// capacities in registers are often those of the bare engine (judgement).
	overfill = 1.5
	// longest text in characters.
	longText  = 500
	shortText = 80
	// most items of a list (judgement).
	most = 20
)

var (
	earliest    = time.Date(1970, 1, 1, 0, 0, 0, 0, time.UTC)
	coldestRead = measure.Celsius(-60) // no refractometer's scale goes further
	warmestRead = measure.Celsius(0)
)

// Check holds a new entry against the rules of its kind and against the
// account as written so far. It returns a [refusal.Field] for each field that is
// wrong; nil means the entry may be written. now is the time of writing.
//
// What depends on entries that may still be on their way is noted by the fold
// rather than refused here, so that lines sent late and out of order all get in.
// What is possible but unusual (a leap of the meter, a fill that is far from what the
// system holds) is a question: it is accepted once its writer has confirmed it.
func Check(u Unit, written []Entry, e Entry, now time.Time) []*refusal.Field {
	return CheckIn(HistoryOf(u, written), e, now)
}

// CheckIn is [Check] against a history.
func CheckIn(h *History, e Entry, now time.Time) []*refusal.Field {
	c := checker{unit: h.Unit, history: h, written: h.Entries(), entry: e, confirmed: e.Confirmed}
	c.when(now)
	if e.Body == nil {
		c.refuse("/kind", "nothing", fmt.Sprint(Kinds))
		return c.errs
	}
	k := byType[reflect.TypeOf(e.Body)]
	if k == nil {
		c.refuse("/kind", string(e.Kind()), fmt.Sprint(Kinds))
		return c.errs
	}
	if h.Unit.Further && OfUnit(k.kind) {
		c.refuse("/kind", string(k.kind), "an entry of this circuit: this one belongs to the unit, record it in the account of its first circuit")
		return c.errs
	}
	c.at = "/" + FieldName(k.kind) // from here on fields are those of the content
	k.check(&c, e.Body)
	return c.errs
}

func (c *checker) loss(b Loss) {
	c.volume("/volume", b.Volume, leastVolume, c.unit.Capacity*overfill, "one and a half times the unit's capacity")
	c.oneOf("/cause", b.Cause, Causes, true)
	c.text("/note", b.Note, 0, longText)
}

func (c *checker) defect(b Defect) {
	c.text("/what", b.What, 3, longText)
	c.oneOf("/severity", b.Severity, Severities, false)
}

func (c *checker) defectClosed(b DefectClosed) {
	c.names("/defect", b.Defect, KindDefect)
	c.text("/how", b.How, 3, longText)
}

func (c *checker) meterRead(b Meter) {
	c.confirmed = c.confirmed || b.Confirmed
	c.meter("/meter", b.Meter)
}

func (c *checker) meterChange(b MeterChange) {
	if b.Old != nil {
		c.meter("/old", *b.Old)
	}
	c.confirmed = true // where a new meter begins is for its maker to say
	c.meter("/new", b.New)
}

func (c *checker) zeroCheck(b ZeroCheck) {
	c.text("/tool", b.Tool, 1, shortText)
	c.zero("/zero", b.Zero.Value, b.Zero.Unit)
}

func (c *checker) released(b Release) {
	c.text("/what", b.What, 3, longText)
	least := 0
	if c.unit.Aircraft {
		least = 1
	}
	c.release()
	c.text("/certificate", b.Certificate, least, shortText)
	c.text("/certificateKind", b.CertificateKind, least, shortText)
	c.text("/data", b.Data, least, shortText)
	if b.TotalTime != nil {
		c.reading("/totalTime", *b.TotalTime, measure.EngineTime, 0, 1_000_000)
	}
}

// FieldName is the name of a kind's content in JSON: freezeTest of freeze_test.
func FieldName(k Kind) string {
	words := strings.Split(string(k), "_")
	for i := range words[1:] {
		words[i+1] = strings.ToUpper(words[i+1][:1]) + words[i+1][1:]
	}
	return strings.Join(words, "")
}

type checker struct {
	unit      Unit
	history   *History
	written   []Entry // none in a continued history, whose entry names no other
	entry     Entry
	at        string // pointer to the content
	confirmed bool   // the writer has confirmed what was asked
	errs      []*refusal.Field
}

// question whether something possible but unusual is meant, unless its writer is sure.
func (c *checker) question(field, got, accepted string) {
	if !c.confirmed {
		c.refuse(field, got, accepted)
		c.errs[len(c.errs)-1].Question = true
	}
}

// refused reports whether anything is wrong that a confirmation does not settle.
func (c *checker) refused() bool {
	return slices.ContainsFunc(c.errs, func(f *refusal.Field) bool { return !f.Question })
}

func (c *checker) refuse(field, got, accepted string) {
	c.errs = append(c.errs, &refusal.Field{Pointer: c.at + field, Got: got, Accepted: accepted})
}

func (c *checker) when(now time.Time) {
	switch at := c.entry.At; {
	case at.After(now.Add(skew)):
		c.refuse("/at", refusal.Moment(at), "a time up to now, "+refusal.Moment(now))
	case at.Before(earliest):
		c.refuse("/at", refusal.Day(at), "a day since 1970")
	case at.Before(now.AddDate(-oldYears, 0, 0)):
		// An account that begins in the past is typed up from its beginning on.
		begun := c.history.Before().OpenedAt()
		switch {
		case begun.IsZero() && at.Before(now.AddDate(-oldestYears, 0, 0)):
			c.question("/at", refusal.Day(at)+", with which this account would begin,", "the day on which it happened")
		case !begun.IsZero() && at.Before(begun.AddDate(-1, 0, 0)):
			c.question("/at", refusal.Day(at)+", more than a year before anything else in this account,", fmt.Sprintf("a day since %s, when the account begins", refusal.Day(begun)))
		}
	}
}

// Years after which an entry that precedes all others is asked about, and, of an empty account,
// any entry (judgement: older than most units).
const (
	oldYears    = 2
	oldestYears = 25
)

func (c *checker) text(field, s string, least, longest int) {
	n := len([]rune(strings.TrimSpace(s)))
	switch {
	case n < least && n == 0:
		c.refuse(field, "nothing", fmt.Sprintf("a few words, up to %d characters", longest))
	case n < least || n > longest:
		got := fmt.Sprintf("a text of %d characters", n)
		if n == 1 {
			got = "one character"
		}
		c.refuse(field, got, fmt.Sprintf("%d to %d characters", least, longest))
	}
}

func (c *checker) oneOf(field, s string, accepted []string, optional bool) {
	if s == "" && optional || slices.Contains(accepted, s) {
		return
	}
	c.refuse(field, fmt.Sprintf("%q", s), strings.Join(accepted, ", "))
}

// codes as a list that a person reads.
func codes[C ~string](all []C) string {
	words := make([]string, len(all))
	for i, code := range all {
		words[i] = string(code)
	}
	return strings.Join(words, ", ")
}

func (c *checker) within(field string, v *float64, low, high float64, unit string) {
	if v != nil && !(*v >= low && *v <= high) {
		c.refuse(field, strings.TrimSpace(measure.Digits(*v)+" "+unit), strings.TrimSpace(measure.Digits(low)+" to "+measure.Digits(high)+" "+unit))
	}
}

func (c *checker) listed(field string, n, least int) {
	if n < least || n > most {
		c.refuse(field, fmt.Sprintf("%d of them", n), fmt.Sprintf("%d to %d", least, most))
	}
}

// metric of a reading, false when it cannot be read.
func (c *checker) metric(field string, r measure.Reading, d measure.Dimension) (float64, bool) {
	v, err := r.Metric(d)
	if err == nil {
		return v, true
	}
	if e, ok := err.(*measure.UnitError); ok {
		c.refuse(field+"/unit", fmt.Sprintf("%q", string(e.Got)), codes(measure.Units(e.Want)))
	} else {
		c.refuse(field+"/value", fmt.Sprint(r.Value), "a finite number")
	}
	return 0, false
}

// reading checks a reading against limits in the metric unit.
func (c *checker) reading(field string, r measure.Reading, d measure.Dimension, low, high float64) {
	v, ok := c.metric(field, r, d)
	if ok && !(v >= low-1e-9 && v <= high+1e-9) {
		c.refuse(field+"/value", r.String(), fmt.Sprintf("%.4g to %.4g %s", measure.FromMetric(low, r.Unit), measure.FromMetric(high, r.Unit), r.Unit.Symbol()))
	}
}

// leastVolume that anybody measures, L: a syringe, for a sample.
const leastVolume measure.Litre = 0.005

// volume checks a volume of least to limit litres and returns it.
func (c *checker) volume(field string, r measure.Reading, least, limit measure.Litre, whose string) measure.Litre {
	v, ok := c.metric(field, r, measure.Volume)
	if !ok {
		return 0
	}
	if !(measure.Litre(v) >= least) || measure.Litre(v) > limit+0.0005 {
		c.refuse(field+"/value", r.String(), fmt.Sprintf("%.3g to %.3g %s, %s",
			measure.FromMetric(float64(least), r.Unit), measure.FromMetric(float64(limit), r.Unit), r.Unit.Symbol(), whose))
		return 0
	}
	return measure.Litre(v)
}

func (c *checker) share(p coolant.Product, share *float64) {
	switch p.Form {
	case coolant.Concentrate:
		if share == nil {
			c.refuse("/share", "no share of concentrate", "1 to 100 %, for a concentrate")
		} else {
			c.within("/share", share, 1, 100, "%")
		}
	case coolant.Premix:
		if share != nil {
			c.refuse("/share", fmt.Sprintf("%g %%", *share), "none for a premix: it is poured as it is")
		}
	default:
		c.refuse("/product", fmt.Sprintf("%q", string(p.Form)), "a concentrate or a premix")
	}
}

func (c *checker) opening(b Opening) {
	c.oneOf("/history", b.History, []string{Factory, UnknownHistory}, false)
	if b.Volume != nil {
		c.volume("/volume", *b.Volume, leastVolume, c.unit.Capacity*overfill, "one and a half times the unit's capacity")
		c.plausibleFill("/volume", *b.Volume, 0)
	}
	if b.Product != nil {
		c.share(*b.Product, b.Share)
	}
	if b.History == UnknownHistory && (b.Product != nil || b.Volume != nil) {
		c.refuse("/history", UnknownHistory, "no product and no volume with it: what is inside is not known")
	}
	if b.Meter != nil {
		c.meter("/meter", *b.Meter)
	}
}

// Shares of the capacity between which a system that was emptied is filled without
// a question (common practice: registers hold the capacity of the bare engine, or
// that with heater and tank).
const (
	fillLeast = 0.75
	fillMost  = 1.2
)

// plausibleFill asks about a fill of an empty system, but for what stayed inside,
// that is far from what the system holds.
func (c *checker) plausibleFill(field string, r measure.Reading, stayed measure.Litre) {
	v, err := r.Metric(measure.Volume)
	if err != nil {
		return
	}
	in := func(l measure.Litre) float64 { return measure.FromMetric(float64(max(0, l)), r.Unit) }
	low, high := fillLeast*c.unit.Capacity-stayed, fillMost*c.unit.Capacity-stayed
	if v := measure.Litre(v); v < low || v > high {
		c.question(field+"/value", r.String()+" into a system that was emptied and holds "+fmt.Sprintf("%.3g %s", in(c.unit.Capacity), r.Unit.Symbol()),
			fmt.Sprintf("%.3g to %.3g %s; if no more went in, name the drain points that were opened, or confirm it", in(low), in(high), r.Unit.Symbol()))
	}
}

// release of what is not ready for it is refused, and says what is missing.
func (c *checker) release() {
	for _, s := range c.history.Before().Unready() {
		got, accepted := "a release while "+s.About.String()+" is not put right", "a release once a later inspection found it good"
		switch s.Cause {
		case StopAir:
			got = "a release while air may be trapped"
			accepted = "a release after a cold level at the upper mark, four hours or more after the fill, or after a top-up that was bled again and took what was missing"
		case StopCoolant:
			accepted = "a release once a later sample is clear"
		}
		c.errs = append(c.errs, &refusal.Field{Pointer: "/kind", Got: got, Accepted: accepted})
	}
}

func (c *checker) renewal(b Renewal) {
	limit, whose := c.unit.Capacity*overfill, "one and a half times the unit's capacity"
	c.volume("/volume", b.Volume, leastVolume, limit, whose)
	c.share(b.Product, b.Share)
	if b.Meter != nil {
		c.meter("/meter", *b.Meter)
	}
	c.cameOut(b)
	c.listed("/drained", len(b.Drained), 0)
	sum := measure.Litre(0)
	for i, d := range b.Drained {
		at := fmt.Sprintf("/drained/%d", i)
		c.oneOf(at+"/point", d.Point, DrainPoints, false)
		sum += c.volume(at+"/volume", d.Volume, leastVolume, limit, whose)
	}
	if sum > limit+0.0005 {
		c.refuse("/drained", fmt.Sprintf("%.3g L in all", float64(sum)), fmt.Sprintf("at most %.3g L, %s", float64(limit), whose))
	}
	flushes := float64(b.Flushes)
	c.within("/flushes", &flushes, 0, 10, "")
	c.oneOf("/flushWith", b.FlushWith, FlushWiths, b.Flushes == 0)
	c.rinses(b)
	if b.Residual != nil {
		c.reading("/residual", *b.Residual, measure.Volume, 0, float64(c.unit.Capacity))
	}
	c.oneOf("/method", b.Method, Methods, true)
	c.oneOf("/level", b.Level, Temperings, true)
	c.batch(b.Batch, b.UseBefore)
	c.listed("/parts", len(b.Parts), 0)
	for i, p := range b.Parts {
		c.text(fmt.Sprintf("/parts/%d", i), p, 1, shortText)
	}
	c.listed("/torque", len(b.Torque), 0)
	for i, t := range b.Torque {
		at := fmt.Sprintf("/torque/%d", i)
		c.text(at+"/part", t.Part, 1, shortText)
		c.reading(at+"/value", t.Value, measure.Torque, 0.1, 1000)
	}
	c.text("/note", b.Note, 0, longText)
	c.suits(b)
}

// rinses: a cleaner that stays inside attacks metal and inhibitors, so water flushes follow
// it until it runs clear.
func (c *checker) rinses(b Renewal) {
	rinses := float64(b.Rinses)
	c.within("/rinses", &rinses, 0, 10, "")
	if b.FlushWith != "cleaner" || b.Flushes == 0 {
		return
	}
	if least := coolant.WaterFlushesLeast.In(c.unit.Figures); rinses < least {
		c.question("/rinses", fmt.Sprintf("%g water flushes after the cleaner", rinses),
			fmt.Sprintf("%g to %g, until it runs clear", least, coolant.WaterFlushesMost.In(c.unit.Figures)))
	}
}

// suits asks about a fill that the system is not made for, or that leaves too much of another
// product inside.
func (c *checker) suits(b Renewal) {
	after := c.afterThen()
	if after.Product == nil || len(c.errs) > 0 {
		return
	}
	needs := after.Needs()
	needs.SCA = needs.SCA || b.Product.SCA
	c.judged("/product", named(b.Product)+" in this system", coolant.Fill(b.Product, needs))
	if foreign := after.ForeignShare(); foreign > coolant.ForeignFlush.In(after.LimitOverrides()...) {
		c.question("/product", fmt.Sprintf("%s, with %.0f %% of another product left inside", b.Product.Name, 100*foreign), "a full flush first")
	}
}

// judged asks about a pour that is not plainly allowed. What was poured is recorded once its
// writer has confirmed it: the books say what happened.
func (c *checker) judged(field, got string, j coolant.Compatibility) {
	if j.Answer != coolant.AnswerYes {
		c.question(field, got, answers[j.Answer]+": "+j.Words())
	}
}

// answers to a pour that is not plainly allowed, in words.
var answers = map[coolant.Answer]string{coolant.AnswerNeed: "only in need", coolant.AnswerUnknown: "only what is known to suit",
	coolant.AnswerFlush: "only after a full flush", coolant.AnswerNever: "another product"}

// named as its label has it.
func named(p coolant.Product) string {
	switch {
	case p.Form == coolant.Water:
		return "purified water"
	case p.Name != "":
		return p.Name
	case p.Code != "":
		return p.Code
	}
	return "what is inside"
}

// cameOut: a renewal says what came out, in one of four ways.
func (c *checker) cameOut(b Renewal) {
	for i, p := range b.Opened {
		c.oneOf(fmt.Sprintf("/opened/%d", i), p, DrainPoints, false)
	}
	c.listed("/opened", len(b.Opened), 0)
	switch {
	case b.Emptied:
		stayed := 0.0
		if b.Residual != nil {
			stayed, _ = b.Residual.Metric(measure.Volume)
		}
		if len(b.Drained) == 0 {
			c.plausibleFill("/volume", b.Volume, measure.Litre(stayed))
		}
	case len(b.Drained) == 0 && b.Residual == nil && len(b.Opened) == 0:
		c.refuse("/drained", "a renewal that does not say what came out", "what came out by each drain point; or what stayed inside; or that the system was emptied whole; or which drain points were opened without measuring")
	}
}

func (c *checker) topUp(b TopUp) {
	c.volume("/volume", b.Volume, leastVolume, c.unit.Capacity, "the unit's capacity")
	if b.Inferred {
		c.inferred()
	}
	switch b.With {
	case coolant.Water:
		if b.Product != nil {
			c.refuse("/product", b.Product.Code, "no product with water")
		}
	case coolant.Premix, coolant.Concentrate:
		if b.Product == nil {
			c.refuse("/product", "no product", "the code of a "+string(b.With))
		} else if b.Product.Form != b.With {
			c.refuse("/product", fmt.Sprintf("%s, a %s", b.Product.Code, b.Product.Form), "a "+string(b.With))
		}
	default:
		c.refuse("/with", fmt.Sprintf("%q", string(b.With)), "premix, concentrate, water")
	}
	c.text("/note", b.Note, 0, longText)
	c.batch(b.Batch, b.UseBefore)
	c.compatible(b)
	c.roomFor(b)
}

// roomFor asks about a pour for which the book has no room by far: more than [overfill] of the
// capacity would be inside. Less is an everyday find, when what was lost was not noticed. One that was
// not observed is not asked about.
func (c *checker) roomFor(b TopUp) {
	inside := c.before().Balance.Litres
	v, err := b.Volume.Metric(measure.Volume)
	if err != nil || inside == nil || b.Inferred || c.refused() || *inside+measure.Litre(v) <= overfill*c.unit.Capacity {
		return
	}
	in := func(l measure.Litre) string {
		return fmt.Sprintf("%.3g %s", measure.FromMetric(float64(l), b.Volume.Unit), b.Volume.Unit.Symbol())
	}
	c.question("/volume/value", fmt.Sprintf("%s into a system of %s that holds %s by the book", b.Volume, in(c.unit.Capacity), in(*inside)),
		"no more than there was room for; what went out before is a loss of its own")
}

// compatible asks about a pour that may not go onto what is inside. One that was not
// observed is not asked about.
func (c *checker) compatible(b TopUp) {
	if b.Inferred || len(c.errs) > 0 {
		return
	}
	account := c.before()
	add, field := coolant.Product{Form: coolant.Water}, "/with"
	if b.Product != nil {
		add, field = *b.Product, "/product"
	}
	c.judged(field, named(add)+" onto "+named(account.inside()), coolant.TopUp(account.inside(), add, account.Needs()))
}

// before is the account as it stood when the entry happened.
func (c *checker) before() *Account {
	if !slices.ContainsFunc(c.written, c.later) {
		return c.history.Before()
	}
	a := Fold(c.unit, slices.DeleteFunc(slices.Clone(c.written), c.later))
	return &a
}

func (c *checker) later(e Entry) bool { return e.Kind() != KindStrike && e.Compare(c.entry) >= 0 }

// afterThen is the account as it stood with the entry, when it happened.
func (c *checker) afterThen() *Account {
	if !slices.ContainsFunc(c.written, c.later) {
		return c.history.After(c.entry)
	}
	a := Fold(c.unit, append(c.before().Entries(), c.entry))
	return &a
}

// dose of an additive: it is refused when it would bring the nitrite beyond what stays
// dissolved, or when that cannot be added up, unless its writer confirms that so much was
// poured.
func (c *checker) dose(volume measure.Reading, additive coolant.Additive, kind coolant.AdditiveKind) {
	v := c.volume("/volume", volume, leastVolume, c.unit.Capacity, "the unit's capacity")
	c.additive(additive, kind)
	if len(c.errs) > 0 {
		return
	}
	account := c.before()
	if account.Given.ExtendedAt != nil && kind == coolant.Extender {
		c.question("/additive", "a second extender, after that of "+refusal.Day(*account.Given.ExtendedAt), "one in the life of a charge; renew it instead")
	}
	c.overDosed(account, "/volume/value", volume.String(), additive, float64(v), func(most float64) string {
		return fmt.Sprintf("at most %.3g %s", math.Max(0, measure.FromMetric(most, volume.Unit)), volume.Unit.Symbol())
	})
}

func (c *checker) additive(additive coolant.Additive, kind coolant.AdditiveKind) {
	if additive.Kind != kind {
		c.refuse("/additive", fmt.Sprintf("%s, kind %s", additive.Code, additive.Kind), "an additive of kind "+string(kind))
	}
}

// overDosed asks about an amount, in litres or filters, of an additive that would bring too much
// nitrite, or of which that is not known.
func (c *checker) overDosed(account *Account, field, got string, additive coolant.Additive, amount float64, most func(float64) string) {
	if !(additive.Nitrite > 0) {
		return
	}
	if t := account.sample().Technology; c.unit.Metal == coolant.Aluminium || !coolant.AcceptsAdditive(t, additive.Kind) {
		c.question("/additive", fmt.Sprintf("%s in %s", additive.Name, pick(t == "", "a coolant that is not known", string(t))),
			"SCA in IAT or HOAT, an extender in NOAT; no nitrite on hot or brazed aluminium unless its maker asks for it")
	}
	now, known := account.Nitrite()
	limit, mass := account.sample().NitriteMost(), account.chargeMass()
	sum := now + coolant.NitriteRise(additive.Nitrite*amount, mass)
	switch {
	case !known:
		c.question(field, got+" into a charge whose nitrite is not known", "a dose after a test of the nitrite")
	case sum > limit:
		left := float64(coolant.DoseFor(additive, mass, now, limit))
		c.question(field, fmt.Sprintf("%s, which would bring nitrite to %.0f ppm", got, sum), fmt.Sprintf("%s: no more than %.0f ppm stays dissolved", most(left), limit))
	}
}

func (c *checker) filter(b AdditiveFilter) {
	c.additive(b.Additive, coolant.Filter)
	if b.Meter != nil {
		c.meter("/meter", *b.Meter)
	}
	c.text("/note", b.Note, 0, longText)
	if len(c.errs) > 0 {
		return
	}
	account := c.before()
	c.overDosed(account, "/additive", b.Additive.Name, b.Additive, 1, func(float64) string { return "a blank filter" })
}

// inferred: a pour that was not observed is never written into an aircraft's books, and
// elsewhere only once a second test shows what it is to explain.
func (c *checker) inferred() {
	if c.unit.Aircraft {
		c.refuse("/inferred", "a pour that was not observed, on an aircraft", "a pour that was observed")
		return
	}
	if account := c.history.Before(); account.Discrepancy == nil || !account.Discrepancy.Confirmed {
		c.refuse("/inferred", "a pour that was not observed", "it after a second freeze test has shown the same as the first")
	}
}

func (c *checker) freezeTest(b FreezeTest) {
	c.oneOf("/instrument", b.Instrument, Instruments, false)
	c.text("/tool", b.Tool, 0, shortText)
	if b.Sample != nil {
		c.reading("/sample", *b.Sample, measure.Temperature, -10, 100)
	}
	c.scale(b)
	if b.Zero != nil {
		c.zero("/zero", *b.Zero, b.Value.Unit)
	}
	switch d := b.Value.Unit.Dimension(); {
	case b.Instrument == Hydrometer:
		c.reading("/value", b.Value, measure.Density, 0.98, 1.12)
		c.byDensity(b.Instrument)
	case b.Instrument == DiscTester:
		c.text("/tool", b.Tool, 1, shortText)
		c.chart(b)
		c.ownChart(b)
		c.byDensity(b.Instrument)
	case d == measure.Share && b.Instrument == Refractometer:
		c.reading("/value", b.Value, measure.Share, 0, 100)
	case d == measure.Sugar && b.Instrument == Refractometer:
		c.reading("/value", b.Value, measure.Sugar, 0, coolant.MostBrix)
	default:
		c.reading("/value", b.Value, measure.Temperature, float64(coldestRead), float64(warmestRead))
	}
	if b.Cold != nil {
		warm, err := b.Value.Metric(measure.Temperature)
		if err == nil && !(float64(*b.Cold) <= warm && *b.Cold >= -80) {
			c.refuse("/cold", fmt.Sprintf("%g °C", float64(*b.Cold)), fmt.Sprintf("-80 to %.3g °C: the cold end of the band", warm))
		}
	}
}

// scale of a refractometer: of a glycol, or the per cent of water in a waterless coolant.
func (c *checker) scale(b FreezeTest) {
	waterless := b.Scale == coolant.NoWater
	switch {
	case b.Instrument != Refractometer || b.Value.Unit == measure.Brix && !waterless:
	case waterless && b.Value.Unit != measure.Percent:
		c.refuse("/value/unit", fmt.Sprintf("%q", string(b.Value.Unit)), "percent: of water, in a waterless coolant")
	case !waterless && !b.Scale.Known():
		c.refuse("/scale", fmt.Sprintf("%q", string(b.Scale)), "EG, PG, waterless")
	}
}

// byDensity: floats and discs are made for EG. PG's density hardly rises with its
// strength and then falls again, so that they show nothing there.
func (c *checker) byDensity(instrument string) {
	inside := c.unit.Base
	if c.history.Before().Base == coolant.PG {
		inside = coolant.PG
	}
	if inside == coolant.PG {
		c.refuse("/instrument", instrument, "refractometer, strip: a floating tester gives no strength of PG")
	}
}

func (c *checker) chart(b FreezeTest) {
	n := len(b.Chart)
	if n < 1 || n > 12 {
		c.refuse("/chart", fmt.Sprintf("%d steps", n), "1 to 12 temperatures: what one, two, ... floating discs protect to")
		return
	}
	if _, err := coolant.ReadDiscs(b.Chart, 0, coolant.EG); err != nil {
		c.refuse("/chart", fmt.Sprint(b.Chart), "temperatures below 0 °C, each colder than the one before")
	}
	if v, ok := c.metric("/value", b.Value, measure.Count); ok && !(v >= 0 && v <= float64(n) && v == math.Trunc(v)) {
		c.refuse("/value/value", b.Value.String(), fmt.Sprintf("0 to %d discs, a whole number", n))
	}
}

// ownChart: a chart belongs to its tester, so the same tester has the same chart.
func (c *checker) ownChart(b FreezeTest) {
	for _, e := range slices.Backward(c.written) {
		before, ok := e.Body.(FreezeTest)
		if !ok || before.Instrument != DiscTester || before.Tool != b.Tool {
			continue
		}
		if !slices.Equal(before.Chart, b.Chart) {
			c.question("/chart", fmt.Sprintf("%v for %s", b.Chart, b.Tool), fmt.Sprintf("%v, the chart of %s on %s; another tester has another name", before.Chart, b.Tool, refusal.Day(e.At)))
		}
		return
	}
}

// zero is what an instrument may read on purified water.
func (c *checker) zero(field string, v float64, unit measure.Unit) {
	if d := unit.Dimension(); d != measure.Temperature && d != measure.Share && d != measure.Sugar {
		c.refuse(field+"/unit", fmt.Sprintf("%q", string(unit)), "degC, degF, percent, brix")
		return
	}
	low, high := -10.0, 10.0
	if unit == measure.DegF {
		low, high = 14, 50
	}
	c.within(field, &v, low, high, unit.Symbol())
}

func (c *checker) chemistry(b ChemistryTest) {
	nothing := !slices.ContainsFunc(b.tested(), func(v *float64) bool { return v != nil })
	if nothing && b.Appearance == "" {
		c.refuse("", "nothing tested", "at least one of pH, reserve alkalinity, nitrite, molybdate, stray voltage, conductivity, appearance, a figure of a laboratory")
	}
	c.strip(b)
	c.conductivity(b)
	c.within("/ph", b.PH, 0, 14, "")
	c.within("/reserve", b.Reserve, 0, 60, "mL")
	c.within("/nitrite", b.Nitrite, 0, 10_000, "ppm")
	c.within("/molybdate", b.Molybdate, 0, 10_000, "ppm")
	c.within("/stray", b.Stray, -24, 24, "V")
	c.within("/strayOff", b.StrayOff, -24, 24, "V")
	c.within("/strayCranking", b.StrayCranking, -24, 24, "V")
	c.within("/strayLoads", b.StrayLoads, -24, 24, "V")
	c.basis("/nitriteAs", b.NitriteAs, coolant.NitriteBases)
	c.basis("/molybdateAs", b.MolybdateAs, coolant.MolybdateBases)
	looks := make([]string, len(coolant.Appearances))
	for i, l := range coolant.Appearances {
		looks[i] = string(l)
	}
	c.oneOf("/look", string(b.Appearance), looks, true)
	c.text("/tool", b.Tool, 0, shortText)
}

func (c *checker) basis(field string, as coolant.Basis, accepted []coolant.Basis) {
	if as != "" && !slices.Contains(accepted, as) {
		c.refuse(field, fmt.Sprintf("%q", string(as)), codes(accepted))
	}
}

// strip: a strip is read in steps, with both ends of each; reserve alkalinity is for a
// laboratory.
func (c *checker) strip(b ChemistryTest) {
	c.oneOf("/method", b.Method, TestMethods, true)
	if b.Method == ByStrip && b.Reserve != nil {
		c.refuse("/reserve", measure.Digits(*b.Reserve)+" mL by a strip", "the figure of a laboratory")
	}
	if b.Method != ByStrip && (b.Expired || b.Late) {
		c.refuse("/method", fmt.Sprintf("%q", b.Method), "strip, for one that is past its date or was read too late")
	}
	for _, step := range []struct {
		field     string
		low, high *float64
		most      float64
	}{{"/ph", b.PH, b.PHTo, 14}, {"/nitrite", b.Nitrite, b.NitriteTo, 10_000}, {"/molybdate", b.Molybdate, b.MolybdateTo, 10_000}} {
		switch {
		case step.low == nil && step.high != nil:
			c.refuse(step.field, "nothing", "the lower end of the step as well")
		case step.low != nil && step.high == nil && b.Method == ByStrip:
			c.refuse(step.field+"To", "nothing", "the upper end of the step as well: a strip reads in steps")
		case step.high != nil:
			c.within(step.field+"To", step.high, *step.low, step.most, "")
		}
	}
}

func (c *checker) cap(b CapTest) {
	if b.Opened == nil && b.Holds == nil && b.Vacuum == "" && b.Seal == "" && b.Seated == nil && b.Stage == "" && !b.Renewed {
		c.refuse("", "nothing found", "at least one of opening pressure, hold, vacuum valve, seal, seat, stage, a new cap")
	}
	if b.Opened != nil {
		c.reading("/opened", *b.Opened, measure.Pressure, 5, 350)
	}
	c.oneOf("/vacuum", b.Vacuum, VacuumValves, true)
	c.oneOf("/seal", b.Seal, Seals, true)
	c.oneOf("/stage", b.Stage, CapStages, true)
	c.text("/note", b.Note, 0, longText)
}

func (c *checker) hoses(b HoseCheck) {
	c.listed("/hoses", len(b.Hoses), 1)
	for i, h := range b.Hoses {
		at := fmt.Sprintf("/hoses/%d", i)
		c.oneOf(at+"/hose", h.Hose, Hoses, false)
		c.oneOf(at+"/state", h.State, HoseStates, false)
		c.oneOf(at+"/clamp", h.Clamp, Clamps, true)
		if slices.ContainsFunc(b.Hoses[:i], func(o HoseFound) bool { return o.Hose == h.Hose }) {
			c.refuse(at+"/hose", h.Hose+" a second time", "each hose once")
		}
	}
	c.text("/note", b.Note, 0, longText)
}

func (c *checker) inspection(b Inspection) {
	c.listed("/points", len(b.Points), 1)
	for i, p := range b.Points {
		at := fmt.Sprintf("/points/%d", i)
		c.oneOf(at+"/point", p.Point, Points, false)
		c.oneOf(at+"/state", p.State, PointStates, p.Blocked != nil)
		c.within(at+"/blocked", p.Blocked, 0, 100, "%")
		if p.Blocked != nil && p.Point != "fins" {
			c.refuse(at+"/blocked", fmt.Sprintf("%g %%", *p.Blocked), "none but for the fins")
		}
		if slices.ContainsFunc(b.Points[:i], func(o PointFound) bool { return o.Point == p.Point }) {
			c.refuse(at+"/point", p.Point+" a second time", "each point once")
		}
	}
	c.text("/note", b.Note, 0, longText)
}

func (c *checker) pressureTest(b PressureTest) {
	most := 350.0
	if c.unit.Cap > 0 {
		most = float64(c.unit.Cap) // more would lift the cap, or a hose off its nipple
	}
	c.reading("/pressure", b.Pressure, measure.Pressure, 10, most)
	c.within("/minutes", &b.Minutes, 0.5, 120, "min")
	if p, err := b.Pressure.Metric(measure.Pressure); err == nil {
		c.reading("/drop", b.Drop, measure.Pressure, 0, math.Max(p, 0))
	}
	c.text("/note", b.Note, 0, longText)
}

func (c *checker) level(b LevelCheck) {
	c.oneOf("/temper", b.Temper, Temperings, false)
	c.oneOf("/mark", b.Mark, Marks, b.Over != nil)
	c.oneOf("/place", b.Place, LevelPlaces, true)
	if b.Over != nil {
		c.reading("/over", *b.Over, measure.Length, -500, 500)
		if b.Mark != "" {
			c.refuse("/mark", b.Mark, "a mark or millimetres, not both")
		}
	}
	c.text("/note", b.Note, 0, longText)
}

// names checks that id is that of an entry and, when that is in these books
// already, that it is of kind k.
func (c *checker) names(field, id string, k Kind) *Entry {
	i := slices.IndexFunc(c.written, func(e Entry) bool { return e.ID == id })
	if i < 0 {
		if len(id) != 36 {
			c.refuse(field, fmt.Sprintf("%q", id), "the id of an entry")
		}
		return nil
	}
	if k != "" && c.written[i].Kind() != k {
		c.refuse(field, "a "+string(c.written[i].Kind())+" entry", "a "+string(k)+" entry")
	}
	return &c.written[i]
}

func (c *checker) strike(b Strike) {
	c.text("/why", b.Why, 3, longText)
	target := c.names("/entry", b.Entry, "")
	if b.Entry == c.entry.ID {
		c.refuse("/entry", "itself", "another entry")
	}
	if target != nil && target.Kind() == KindStrike {
		c.refuse("/entry", "a strike", "any other entry; what was struck by mistake is written again")
	}
	for _, e := range c.written {
		if s, ok := e.Body.(Strike); ok && s.Entry == b.Entry && e.ID != c.entry.ID {
			c.refuse("/entry", "an entry that "+e.RecordedBy+" struck", "an entry that is not struck")
			return
		}
	}
}

// meter checks a reading. It is accepted whatever the other readings are, since
// they may arrive in any order; one that cannot be true together with them is
// asked about first.
func (c *checker) meter(field string, r measure.Reading) {
	if c.unit.Further {
		c.refuse(field, r.String(), "none here: the meter belongs to the unit, record it in the account of its first circuit")
		return
	}
	if c.unit.Meter == "" {
		c.refuse(field, r.String(), "none: this unit has no meter")
		return
	}
	of := c.unit.Meter
	if d := r.Unit.Dimension(); d != "" && d == c.unit.Second {
		of = d
	}
	v, ok := c.metric(field, r, of)
	if !ok {
		return
	}
	if !(v >= 0 && v <= maxMeter) {
		c.refuse(field+"/value", r.String(), fmt.Sprintf("from 0, at most %s %s", measure.Grouped(math.Round(measure.FromMetric(maxMeter, r.Unit))), r.Unit.Symbol()))
		return
	}
	if c.confirmed {
		return
	}
	account, before := c.history.After(c.entry).MeterOf(of), c.history.Before().MeterOf(of)
	i := slices.IndexFunc(account.Readings, func(p MeterPoint) bool { return p.At.Equal(c.entry.At) && p.Raw == v })
	if i < 0 || !account.Readings[i].Outlier && !makesOthersOutliers(before.Readings, account.Readings) {
		return
	}
	mine := account.Readings[i]
	same := slices.DeleteFunc(slices.Clone(account.Readings), func(p MeterPoint) bool { return p.Meter != mine.Meter })
	write := func(km float64) string {
		return fmt.Sprintf("%s %s", measure.Grouped(math.Round(measure.FromMetric(km, r.Unit))), r.Unit.Symbol())
	}
	// Beside one other reading neither is believed: then that one is named.
	trusted := slices.ContainsFunc(same, func(p MeterPoint) bool { return !p.Outlier && !p.At.Equal(c.entry.At) })
	around, last := "", v
	for _, p := range same {
		switch {
		case p.Outlier && trusted || p.At.Equal(c.entry.At):
		case p.At.Before(c.entry.At):
			around, last = "after "+write(p.Raw)+" on "+refusal.Day(p.At), p.Raw
		case !strings.Contains(around, "before"):
			around += " and before " + write(p.Raw) + " on " + refusal.Day(p.At)
		}
	}
	accepted := ""
	if meant, ok := usage.LikelyMeant(same, c.entry.At, v, of); ok && math.Abs(meant-last) < math.Abs(v-last) {
		accepted = "is it " + write(meant) + "? "
	}
	c.question(field+"/value", strings.TrimSpace(write(v)+" "+around), accepted+"read it again; if it does stand there, confirm it; if the meter was changed, write that down")
}

// makesOthersOutliers reports whether a reading that was believed before is doubted now.
func makesOthersOutliers(before, now []MeterPoint) bool {
	return slices.ContainsFunc(before, func(p MeterPoint) bool {
		return !p.Outlier && slices.ContainsFunc(now, func(q MeterPoint) bool { return q.Outlier && q.At.Equal(p.At) && q.Raw == p.Raw })
	})
}

// maxMeter in km or h is more than anything on the road has.
const maxMeter = 10_000_000
