package web

import (
	"diligentledger/core/clock"
	"encoding/json"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	openapi "github.com/oapi-codegen/runtime/types"

	"diligentledger/api"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/fleet"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

// The functions below turn what the core returns into what the contract says,
// field by field; nothing is computed here but units of time.

const monthOf = measure.DaysPerMonth * 24 // hours, for mean ages, which are good to a week at best

// account with its newest lines.
func account(r words.Reader, m fleet.EvaluatedUnit, newest int) api.Account {
	a := m.Account
	u := wordsUnit(m)
	out := api.Account{
		Today: date(m.Today), Unit: accountName(m.Unit.UnitName, m.Unit.Address()), NotHere: []api.EntryKind{}, Capacity: float64(m.Unit.Ledger.Capacity),
		ServicePlan: api.UnitServicePlan{Name: m.Unit.Plan.Name, First: interval(m.Unit.Plan.First), Later: interval(m.Unit.Plan.Later),
			Text: r.ServicePlan(m.Unit.Plan), FreezeMargin: float64(m.Unit.Plan.FreezeMargin), FollowDays: &m.Unit.Plan.FollowDays, FollowRuns: &m.Unit.Plan.FollowRuns},
		Balance: balance(a.Balance), ProtectsTo: number(a.ProtectsTo()), Mixed: a.Mixed,
		Status: ruled(r, m), Nights: nights(m), Blended: each(a.Blended, product),
		Findings: each(a.Findings, func(f ledger.Finding) api.Finding {
			return api.Finding{Point: f.Point, State: f.State, Label: words.Name(f.Point), Text: words.Names(f.State), Grade: api.Grade(f.Grade), At: f.At}
		}),
		Cautions: words.Cautions(m.Unit.Kind, m.Unit.Drive), System: systemFacts(m.Unit), Foreign: a.ForeignShare(),
		Defects: each(a.Defects, func(d ledger.OpenDefect) api.OpenDefect {
			return api.OpenDefect{Id: id(d.ID), What: d.What, Severity: api.OpenDefectSeverity(d.Severity), At: d.At}
		}),
		PendingChecks: each(a.Pending, func(o ledger.PendingCheck) api.PendingCheck {
			return api.PendingCheck{What: api.PendingCheckWhat(o.What), Text: words.Name(o.What), Since: o.Since}
		}),
		Stops: each(a.Stops(), func(s ledger.Stop) api.Stop {
			stop := api.Stop{Cause: api.StopCause(s.Cause), Text: r.Stop(s, a.Air), At: s.At, Ready: s.Ready}
			if s.Entry != "" {
				stop.Entry = &s.Entry
			}
			return stop
		}),
		ColdPlace: coldPlace(r, m.Unit), Inside: r.Inside(u, a), ProtectedBy: r.ProtectedBy(a, u.Zone), BlendedText: r.Blended(a),
		LineCount: len(a.Lines), Kinds: map[string]int{}, Charts: charts(a), Coldest: float64(m.Unit.Cold.Coldest()), ColdYears: m.Unit.Cold.Years, ReturnPeriod: m.Unit.Cold.ReturnPeriod,
		ReturnLevel: number(m.Unit.Cold.ReturnLevel), Discrepancy: discrepancy(r, u, a),
	}
	if on := m.Unit.LeftOn; on != nil {
		left := r.Left(m.Unit.LeftHow, *on)
		out.Left = &left
	}
	if len(m.Circuits) > 0 {
		circuits := each(m.Circuits, func(c fleet.EvaluatedUnit) api.CircuitStatus {
			return api.CircuitStatus{Code: c.Unit.Address(), Circuit: api.Circuit(c.Unit.Ledger.Circuit), Verdict: api.Verdict(c.Status.Verdict), Text: r.Reason(c.Status.Governing, coldPlace(r, c.Unit)), Remaining: c.Status.Governing.Remaining}
		})
		out.Circuits = &circuits
	}
	if m.Unit.Ledger.Further {
		for _, k := range ledger.Kinds {
			if ledger.OfUnit(k) {
				out.NotHere = append(out.NotHere, api.EntryKind(k))
			}
		}
	}
	if i := slices.IndexFunc(m.Status.Clocks, func(c clock.Clock) bool { return c.Kind == clock.Freeze }); i >= 0 {
		if safe := r.Safe(m.Status.Clocks[i], m.Today); safe != "" {
			out.Safe = &safe
		}
	}
	if m.Unit.Cold.Years > 0 {
		out.Shift = number(&m.Unit.Cold.Shift)
	}
	if t := a.EarlierTest; t != nil {
		out.EarlierTest = moment(&t.At)
	}
	if p := a.ProtectsTo(); p != nil && a.Balance.Freeze != nil && *p != *a.Balance.Freeze {
		measured := true
		out.Measured = &measured
	}
	for i := range a.Lines {
		out.Kinds[string(a.Lines[i].Entry.Kind())]++
	}
	out.Lines = lines(r, u, a, last(len(a.Lines), newest))
	out.Steps, out.Tests = protection(a, out.Nights)
	if n := len(a.Points); n > 0 {
		out.Meter = number(&a.Points[n-1].Raw)
	}
	if a.Base.Known() {
		out.Base = (*api.Base)(&a.Base)
	}
	if d := m.Unit.Ledger.Meter; d != "" {
		u := api.AccountMeterUnit(measure.Units(d)[0])
		out.MeterUnit = &u
	}
	if d := m.Unit.Ledger.Second; d != "" {
		u := api.AccountSecondMeterUnit(measure.Units(d)[0])
		out.SecondMeterUnit = &u
	}
	if a.Product != nil {
		p := product(*a.Product)
		out.Product = &p
	}
	if m.Unit.Ledger.Cap > 0 {
		out.Cap = number(&m.Unit.Ledger.Cap)
	}
	if t, cap, ok := a.BoilOver(m.Unit.Altitude); ok {
		out.BoilOver = &api.BoilOver{Celsius: float64(t), Cap: float64(cap), Altitude: m.Unit.Altitude}
	}
	if a.Balance.Glycol != nil {
		mass := 100 * a.Charge.MassFraction()
		out.GlycolMass = &mass
	}
	if meter, ok := a.RenewalMeter(); ok {
		out.RenewalMeter = &meter
	}
	if a.Factory {
		out.Factory = &a.Factory
	}
	if t := a.LastTest; t != nil {
		out.LastTest = &api.LastTest{At: t.At, Measured: float64(t.Measured), Instrument: t.Instrument, ZeroAt: moment(t.ZeroAt)}
		if t.Waits {
			out.LastTest.Waits = &t.Waits
		}
		if t.Tool != "" {
			out.LastTest.Tool = &t.Tool
		}
	}
	if l := a.Leak(); l != nil {
		out.Leak = &api.Leak{Text: r.Leak(*l, u.Zone), Rate: l.Rate, Sigma: l.Sigma, Per: api.LeakPer(l.Per), Litres: float64(l.Litres), Events: l.Events, Since: l.Since}
	}
	if n := len(a.Chemistry); n > 0 {
		out.Chemistry = chemistry(m, a.Chemistry[n-1])
	}
	if h := a.Held; h != nil {
		out.Held = &api.Standing{Why: h.Body.(ledger.Hold).Why, By: h.RecordedBy, Since: h.At}
	}
	if l := a.LaidUp; l != nil {
		out.LaidUp = &api.Standing{Why: l.Body.(ledger.LayUp).Note, By: l.RecordedBy, Since: l.At}
	}
	out.Air = turnover(a.Air)
	return out
}

// moment that the answer may move into a zone of its own.
func moment(t *time.Time) *time.Time {
	if t == nil {
		return nil
	}
	own := *t
	return &own
}

// last n of a given number of places.
func last(of, n int) (places []int) {
	for i := max(0, of-n); i < of; i++ {
		places = append(places, i)
	}
	return places
}

func lines(r words.Reader, u words.Unit, a *ledger.Account, places []int) []api.Line {
	return each(places, func(i int) api.Line { return line(r, u, a, i) })
}

// discrepancy of book and test as the account has it: the test that is off the book,
// or one that says nothing as it was read and that something explains.
func discrepancy(r words.Reader, u words.Unit, a *ledger.Account) *api.Discrepancy {
	mark, out := a.Discrepancy, &api.Discrepancy{}
	switch t := a.Distrusted; {
	case mark != nil:
		out.Confirmed, out.Waits = mark.Confirmed, mark.Waits
	case t != nil && t.Note == ledger.NoteWrongScale:
		mark = t
	default:
		return nil
	}
	i := slices.IndexFunc(a.Lines, func(l ledger.Line) bool { return l.Entry.ID == mark.Entry })
	if i < 0 {
		return nil
	}
	out.Line, out.Test = id(mark.Entry), line(r, u, a, i)
	out.Text, out.Next = r.Disagreement(mark, &a.Lines[i], a.Explain(i), u.Zone)
	out.Next = append([]string{}, out.Next...)
	return out
}

// charts of the disc testers, each as it was read last.
func charts(a *ledger.Account) []api.DiscChart {
	out, seen := []api.DiscChart{}, map[string]bool{}
	for i := len(a.Lines) - 1; i >= 0; i-- {
		b, ok := a.Lines[i].Entry.Body.(ledger.FreezeTest)
		if !ok || b.Instrument != ledger.DiscTester || seen[b.Tool] {
			continue
		}
		seen[b.Tool] = true
		out = append(out, api.DiscChart{Tool: b.Tool, Celsius: each(b.Chart, func(t measure.Celsius) float64 { return float64(t) })})
	}
	return out
}

const (
	// mostSteps and mostTests that are drawn: more than there are columns of pixels for.
	mostSteps = 300
	mostTests = 150
)

// protection is the freeze point by book over the span of the nights, and the tests in it. Of many
// steps those are kept that begin a span of their own or are the warmest in one.
func protection(a *ledger.Account, nights []api.ColdNight) (steps []api.ProtectionStep, tests []api.ProtectionTest) {
	steps, tests = []api.ProtectionStep{}, []api.ProtectionTest{}
	if len(nights) == 0 {
		return steps, tests
	}
	from := nights[0].Day.Time
	var before *api.ProtectionStep
	for i := range a.Lines {
		l := &a.Lines[i]
		if l.Struck != nil || l.Entry.Kind() == ledger.KindStrike {
			continue
		}
		step := api.ProtectionStep{At: l.Entry.At, Freeze: rounded(l.After.Freeze), Low: rounded(l.After.Low), High: rounded(l.After.High)}
		if l.Entry.At.Before(from) {
			before = &step
		} else {
			if before != nil {
				steps, before = append(steps, *before), nil
			}
			if n := len(steps); n == 0 || !sameStep(steps[n-1], step) {
				steps = append(steps, step)
			}
		}
		if t := l.Test; t != nil && t.Trusted && !l.Entry.At.Before(from) {
			test := api.ProtectionTest{At: l.Entry.At, Measured: float64(t.Measured)}
			if off := t.Book != nil && !t.Agrees; off {
				test.Off = &off
			}
			tests = append(tests, test)
		}
	}
	if before != nil {
		steps = append(steps, *before)
	}
	return thinned(steps), tests[max(0, len(tests)-mostTests):]
}

// thinned steps: of each stretch the first one and the warmest, which is never left out.
func thinned(steps []api.ProtectionStep) []api.ProtectionStep {
	if len(steps) <= mostSteps {
		return steps
	}
	stretch := (3*len(steps) + mostSteps - 1) / mostSteps
	var kept []api.ProtectionStep
	for some := range slices.Chunk(steps, stretch) {
		warmest := 0
		for i, s := range some {
			if unknown := s.Freeze == nil; unknown || some[warmest].Freeze != nil && *s.Freeze > *some[warmest].Freeze {
				warmest = i
				if unknown {
					break
				}
			}
		}
		kept = append(kept, some[0])
		if warmest > 0 {
			kept = append(kept, some[warmest])
		}
		if end := len(some) - 1; end > warmest && !sameStep(some[end], kept[len(kept)-1]) {
			kept = append(kept, some[end])
		}
	}
	return kept
}

func sameStep(a, b api.ProtectionStep) bool {
	same := func(x, y *float64) bool { return (x == nil) == (y == nil) && (x == nil || *x == *y) }
	return same(a.Freeze, b.Freeze) && same(a.Low, b.Low) && same(a.High, b.High)
}

// rounded to a tenth, as fine as it is drawn.
func rounded(t *measure.Celsius) *float64 {
	if t == nil {
		return nil
	}
	tenth := math.Round(float64(*t)*10) / 10
	return &tenth
}

// chemistry is each property by its last test in this charge, what the last sample left
// untested, and what puts the nitrite right.
func chemistry(m fleet.EvaluatedUnit, last ledger.Chemistry) *api.Chemistry {
	a := m.Account
	out := &api.Chemistry{At: last.At, Grade: api.Grade(coolant.GradeUnknown), Proposals: each(a.Proposals(m.Additives), proposal)}
	now := a.ChemistryNow()
	listed := func(g coolant.PropertyGrade, at *time.Time) {
		sentence := words.Property(g)
		one := struct {
			At      *time.Time    `json:"at,omitempty"`
			Grade   api.Grade     `json:"grade"`
			High    *float64      `json:"high,omitempty"`
			Name    string        `json:"name"`
			Reaches *openapi.Date `json:"reaches,omitempty"`
			Remedy  *api.Remedy   `json:"remedy,omitempty"`
			Value   *float64      `json:"value,omitempty"`
			Words   *string       `json:"words,omitempty"`
		}{Name: string(g.Property), Grade: api.Grade(g.Grade), At: at, Words: &sentence}
		if at != nil && g.Property != coolant.PropAppearance {
			one.Value = &g.Value
			if g.High > g.Value {
				one.High = &g.High
			}
		}
		if at != nil && g.Remedy != "" {
			one.Remedy = (*api.Remedy)(&g.Remedy)
		}
		if reached, ok := a.ChemistryTrend(g.Property); ok {
			d := date(measure.DateOf(reached, m.Unit.Zone))
			one.Reaches = &d
		}
		out.Properties = append(out.Properties, one)
	}
	worst := coolant.GradeUnknown
	for _, t := range now {
		if t.Grade != coolant.GradeUnknown && (worst == coolant.GradeUnknown || t.Grade.Worse(worst)) {
			worst = t.Grade
		}
		listed(t.PropertyGrade, &t.At)
	}
	out.Grade = api.Grade(worst)
	for _, g := range last.Properties {
		if g.Grade == coolant.GradeUnknown && !slices.ContainsFunc(now, func(t ledger.Tested) bool { return t.Property == g.Property }) {
			listed(coolant.PropertyGrade{Property: g.Property, Grade: coolant.GradeUnknown}, nil)
		}
	}
	return out
}

func proposal(p ledger.Proposal) api.Proposal {
	out := api.Proposal{Remedy: api.Remedy(p.Remedy), Litres: float64(p.Litres), Target: p.Target, Now: p.Now, Words: words.Proposal(p)}
	if p.Additive != nil {
		named, most := additive(*p.Additive), float64(p.Most)
		out.Additive, out.Most = &named, &most
	}
	return out
}

// drawnYears back from today, and one ahead, the coldest nights are given.
const drawnYears = 3

// nights to plan for at the site, a week apart.
func nights(m fleet.EvaluatedUnit) []api.ColdNight {
	from := m.Today.AddDate(-drawnYears, 0, 0)
	if begun := m.Account.OpenedAt(); !begun.IsZero() {
		if first := measure.DateOf(begun, m.Unit.Zone); first.After(from) {
			from = first
		}
	}
	out := []api.ColdNight{}
	for d, end := from, m.Today.AddDate(1, 0, 0); d.Before(end); d = d.AddDays(7) {
		out = append(out, api.ColdNight{Day: date(d), Celsius: float64(m.Unit.Cold.CurveMinimum(d))})
	}
	out = append(out, ahead(m.Unit.Cold, m.Today)...)
	slices.SortStableFunc(out, func(a, b api.ColdNight) int { return a.Day.Compare(b.Day.Time) })
	return out
}

func turnover(t *ledger.Turnover) *api.Turnover {
	if t == nil {
		return nil
	}
	out := &api.Turnover{In: float64(t.In), Share: t.Share, Counts: t.Counts, Short: float64(t.Short),
		Allowed: float64(t.Allowed), Residual: float64(t.Residual)}
	if t.Out > 0 {
		out.Out = number(&t.Out)
	}
	return out
}

func effectSide(r words.Reader, m fleet.EvaluatedUnit) api.EntryEffectSide {
	return api.EntryEffectSide{Balance: balance(m.Account.Balance), ProtectsTo: number(m.Account.ProtectsTo()), Status: unitStatus(r, m.Status, coldPlace(r, m.Unit), m.Today)}
}

func balance(b ledger.Balance) api.Balance {
	out := api.Balance{Litres: number(b.Litres), Freeze: number(b.Freeze), Low: number(b.Low), High: number(b.High), RenewedAt: moment(b.RenewedAt), Used: b.Used}
	if b.Glycol != nil {
		percent := 100 * *b.Glycol
		out.Glycol = &percent
	}
	if b.MeanAge != nil {
		months := b.MeanAge.Hours() / monthOf
		out.MeanAgeMonths = &months
	}
	return out
}

// wordsUnit is what the sentences about a unit need.
func wordsUnit(m fleet.EvaluatedUnit) words.Unit {
	return words.Unit{Name: m.Unit.Name, Site: m.Unit.Site, Winters: m.Unit.Winters, ColdOffset: m.Unit.ColdOffset, Heated: m.Unit.Heated, Plan: m.Unit.Plan, Climate: m.Unit.Cold, Zone: m.Unit.Zone}
}

func unitStatus(r words.Reader, o clock.UnitStatus, site string, today measure.Date) api.UnitStatus {
	return api.UnitStatus{Verdict: api.Verdict(o.Verdict), Clocks: each(o.Clocks, func(c clock.Clock) api.Clock { return clockOf(r, c, site, today) })}
}

// ruled is the status of a unit with the rule behind each clock.
func ruled(r words.Reader, m fleet.EvaluatedUnit) api.UnitStatus {
	out, u := unitStatus(r, m.Status, coldPlace(r, m.Unit), m.Today), wordsUnit(m)
	for i, c := range m.Status.Clocks {
		rule := r.Rule(c, u, m.Account)
		out.Clocks[i].Reason.Rule = &rule
	}
	return out
}

func clockOf(r words.Reader, c clock.Clock, site string, today measure.Date) api.Clock {
	out := api.Clock{Kind: api.ClockKind(c.Kind), Verdict: api.Verdict(c.Verdict), Remaining: c.Remaining,
		Reason: api.Reason{Code: string(c.Reason.Code), Numbers: c.Reason.Numbers, Text: r.Reason(c, site)}}
	if out.Reason.Numbers == nil {
		out.Reason.Numbers = map[string]float64{}
	}
	if c.Due != nil {
		d, days := date(*c.Due), c.Due.Sub(today)
		out.Due, out.Days = &d, &days
	}
	if w := c.Window; w != nil {
		out.Window = &api.Window{P10: date(w.P10), P50: date(w.P50), P90: date(w.P90)}
	}
	if c.Reason.Remedy != "" {
		out.Reason.Remedy = (*api.Remedy)(&c.Reason.Remedy)
	}
	if c.Interval != "" {
		out.Interval = (*api.ClockInterval)(&c.Interval)
	}
	if c.Unit != "" {
		out.Unit = (*api.MeasureUnit)(&c.Unit)
	}
	if c.Circuit != "" {
		out.Circuit = (*api.Circuit)(&c.Circuit)
	}
	return out
}

// id of an entry. Ids were checked when they came in; a damaged one shows as nil.
func id(text string) uuid.UUID {
	u, _ := uuid.Parse(text)
	return u
}

// body is the content of an entry as the contract has it: by the name of its
// kind, a product and an additive by its code.
func body(b ledger.Body) json.RawMessage {
	text, err := json.Marshal(b)
	var fields map[string]any
	if err == nil {
		err = json.Unmarshal(text, &fields)
	}
	for _, name := range []string{"product", "additive"} {
		if p, ok := fields[name].(map[string]any); ok {
			fields[name] = p["code"]
		}
	}
	text, err2 := json.Marshal(map[string]any{ledger.FieldName(ledger.KindOf(b)): fields})
	if err != nil || err2 != nil {
		return json.RawMessage(`{}`) // bodies are plain data and always encode
	}
	return text
}

func line(r words.Reader, u words.Unit, a *ledger.Account, i int) api.Line {
	l := &a.Lines[i]
	e := l.Entry
	out := api.Line{Id: id(e.ID), Kind: api.EntryKind(e.Kind()), At: e.At, After: balance(l.After), Body: body(e.Body), Text: words.Entry(e.Body),
		Notes: each(l.Notes, func(n ledger.Note) api.LineNote {
			text, warning := words.Note(n)
			return api.LineNote{Code: api.Note(n), Text: text, Warning: warning}
		}), Turnover: turnover(l.Turn)}
	if !e.RecordedAt.IsZero() {
		out.RecordedAt, out.RecordedBy = &e.RecordedAt, &e.RecordedBy
	}
	if len(e.Envelope.Attachments) > 0 {
		out.Attachments = &e.Envelope.Attachments
	}
	if p := ledger.PouredProduct(e.Body); p != nil {
		named := product(*p)
		out.Product = &named
	}
	if a := ledger.AddedAdditive(e.Body); a != nil {
		named := additive(*a)
		out.Additive = &named
	}
	if l.Implied > 0 {
		out.Implied = number(&l.Implied)
	}
	if l.Grade != "" {
		out.Grade = (*api.Grade)(&l.Grade)
	}
	if t := l.Test; t != nil {
		out.Test = &api.Reconciliation{Text: r.Reconciliation(*t), Measured: float64(t.Measured), Book: number(t.Book), Shown: number(t.Shown),
			Tolerance: float64(t.Tolerance), Agrees: t.Agrees, Trusted: t.Trusted, Flags: each(t.Flags, func(f coolant.Flag) string { return string(f) })}
		if t.Low != 0 || t.High != 0 {
			out.Test.Low, out.Test.High = number(&t.Low), number(&t.High)
		}
	}
	if x := a.Explain(i); x != nil {
		found := each(x, func(x ledger.Explanation) api.Explanation { return explanation(r, x, u.Zone) })
		out.Explanations = &found
	}
	if b, ok := e.Body.(ledger.Strike); ok {
		if i := slices.IndexFunc(a.Lines, func(l ledger.Line) bool { return l.Entry.ID == b.Entry }); i >= 0 {
			of := a.Lines[i].Entry
			what := strings.ToLower(words.KindNames[of.Kind()]) + " of " + r.Date(measure.DateOf(of.At, u.Zone))
			out.Strikes = &what
		}
	}
	if s := l.Struck; s != nil {
		out.Struck = &api.Struck{Id: id(s.ID), By: s.RecordedBy, At: s.At, Why: s.Body.(ledger.Strike).Why}
	}
	return out
}

func explanation(r words.Reader, x ledger.Explanation, zone *time.Location) api.Explanation {
	out := api.Explanation{Text: r.Explanation(x, measure.DateOf(x.From, zone), measure.DateOf(x.To, zone)), Cause: api.ExplanationCause(x.Cause), Likelihood: api.ExplanationLikelihood(x.Likelihood), From: x.From, To: x.To, Truth: number(x.True)}
	if x.Retest {
		out.Retest = &x.Retest
	}
	if x.Close {
		out.Distinguish = (*api.ExplanationDistinguish)(&x.Distinguish)
	}
	if x.Litres > 0 {
		out.Litres = number(&x.Litres)
	}
	if x.Share > 0 {
		out.Share = &x.Share
	}
	if x.Scale != "" {
		out.Scale = (*api.Base)(&x.Scale)
	}
	if x.Balance != nil {
		out.Balance = &api.Balancing{Kind: api.EntryKind(ledger.KindOf(x.Balance)), At: x.At, Body: body(x.Balance)}
		if x.Strikes != "" {
			strikes := id(x.Strikes)
			out.Balance.Strikes = &strikes
		}
	}
	return out
}

func unitName(u store.UnitName) api.UnitName {
	return api.UnitName{Code: u.Code, Name: u.Name, Kind: api.UnitKind(u.Kind), Site: u.Site}
}

// coldPlace is whose cold a unit is planned for.
func coldPlace(r words.Reader, u store.Unit) string {
	return r.ColdPlace(u.Site, u.Winters, u.ColdOffset)
}

// accountName is the unit with the address of one of its accounts.
func accountName(u store.UnitName, address string) api.UnitName {
	out := unitName(u)
	out.Code = address
	return out
}

// circuitName is the unit with the address of one of its circuits; of none for a unit with one.
func circuitName(u store.UnitName, c ledger.Circuit) api.UnitName {
	if c == "" {
		return unitName(u)
	}
	return accountName(u, u.Code+" "+string(c))
}

func product(p coolant.Product) api.Product {
	glycol, _ := p.Strength()
	out := api.Product{Code: p.Code, Name: p.Name, Base: api.Base(p.Base), Technology: p.Technology, Form: api.Form(p.Form), Glycol: glycol, Freeze: number(p.Freeze)}
	if p.Stated {
		out.Stated = &p.Stated
	}
	if p.SCA {
		out.Sca = &p.SCA
	}
	if len(p.Meets) > 0 {
		meets := each(p.Meets, func(s coolant.Standard) api.ProductMeets { return api.ProductMeets(s) })
		out.Meets = &meets
	}
	if p.Density > 0 {
		out.Density = &p.Density
	}
	if p.Fresh > 0 {
		out.Fresh = &p.Fresh
	}
	return out
}

func additive(a coolant.Additive) api.Additive {
	out := api.Additive{Code: a.Code, Name: a.Name, Kind: api.AdditiveKind(a.Kind), Nitrite: a.Nitrite}
	if a.Release != "" {
		out.Release = (*api.AdditiveRelease)(&a.Release)
	}
	return out
}

func systemFacts(u store.Unit) api.UnitSystemFacts {
	l := u.Ledger
	out := api.UnitSystemFacts{Text: words.System(l, u.Drive), WetLiners: l.WetLiners, SilicateFree: l.SilicateFree, PremixOnly: l.PremixOnly, Listed: append([]string{}, l.Listed...)}
	if l.Metal != "" {
		out.Metal = (*api.UnitSystemFactsMetal)(&l.Metal)
	}
	if u.Drive != "" {
		out.Drive = (*api.UnitSystemFactsDrive)(&u.Drive)
	}
	if l.Required != "" {
		out.Required = (*string)(&l.Required)
	}
	return out
}

func interval(i serviceplan.Interval) api.Interval {
	var out api.Interval
	if i.Months > 0 {
		out.Months = &i.Months
	}
	if i.Km > 0 {
		out.Km = number(&i.Km)
	}
	if i.Hours > 0 {
		out.Hours = number(&i.Hours)
	}
	return out
}

func date(d measure.Date) openapi.Date { return openapi.Date{Time: d.Time()} }

func number[T ~float64](v *T) *float64 {
	if v == nil {
		return nil
	}
	f := float64(*v)
	return &f
}
