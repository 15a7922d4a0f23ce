package walk

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/climate"
	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/round"
	"diligentledger/internal/intake"
	"diligentledger/internal/words"
)

// Waiting is an entry that the device holds and that is not in the books yet.
type Waiting struct {
	Address string          `json:"address"`
	Entry   json.RawMessage `json:"entry"` // as it is sent
	// At which it was recorded on the device.
	RecordedAt time.Time `json:"recordedAt"`
}

// Unit is one unit on a device, with what waits there.
type Unit struct {
	shared *Shared
	pack   Pack
	zone   *time.Location
	now    time.Time
	today  measure.Date
	// waiting entries of each circuit, by address.
	waiting map[string][]ledger.Entry
	zeroed  map[string]time.Time
}

// Open a unit at a time. An entry that waits and cannot be read is left out: the queue keeps it.
func Open(s *Shared, p Pack, waiting []Waiting, now time.Time) (*Unit, error) {
	u := &Unit{shared: s, pack: p, zone: s.zone(p.Zone), now: now, waiting: map[string][]ledger.Entry{}, zeroed: maps.Clone(s.Zeroed)}
	u.today = measure.DateOf(now, u.zone)
	if u.zeroed == nil {
		u.zeroed = map[string]time.Time{}
	}
	for _, c := range p.Circuits {
		if c.Address == "" {
			return nil, fmt.Errorf("a circuit of %s has no address", p.Code)
		}
	}
	for _, w := range waiting {
		u.add(w)
	}
	return u, nil
}

// add an entry that waits. A zero check counts for the instrument wherever it was recorded.
func (u *Unit) add(w Waiting) {
	sent, err := intake.Parse(w.Entry)
	if err != nil {
		return
	}
	c := u.circuit(w.Address)
	code := ""
	if c != nil {
		code = c.Unit.Code
	}
	entries, _, err := sent.Entries(code, u.shared)
	if err != nil {
		return
	}
	for _, e := range entries {
		e.RecordedAt, e.RecordedBy, e.RecordedByID = w.RecordedAt, u.shared.Actor.Name, u.shared.Actor.ID
		u.shared.Instruments.Judge(&e, u.zone)
		if tool := zeroes(e.Body); tool != "" && e.At.After(u.zeroed[tool]) {
			u.zeroed[tool] = e.At
		}
		if c == nil || slices.ContainsFunc(c.Entries, func(o Entry) bool { return o.ID == e.ID }) || slices.ContainsFunc(u.waiting[w.Address], func(o ledger.Entry) bool { return o.ID == e.ID }) {
			continue // the pack is newer than the queue and has it from the books; or it waits once already
		}
		u.waiting[w.Address] = append(u.waiting[w.Address], e)
	}
}

// written entries of a circuit, those that wait after them.
func (u *Unit) written(c Circuit) ([]ledger.Entry, error) {
	if c.Failure != "" {
		return nil, errors.New(c.Failure)
	}
	all := make([]ledger.Entry, 0, len(c.Entries)+len(u.waiting[c.Address]))
	for _, e := range c.Entries {
		entry, err := e.entry(c.Unit.Code)
		if err != nil {
			return nil, err
		}
		all = append(all, entry)
	}
	return append(all, u.waiting[c.Address]...), nil
}

// folded account of a circuit with what waits.
func (u *Unit) folded(c Circuit) *ledger.Account {
	written, err := u.written(c)
	if err != nil {
		a := ledger.Unevaluated(c.Unit, nil, err)
		return &a
	}
	a := ledger.TryFold(c.Unit, written)
	return &a
}

// zeroes names the instrument that an entry zeroed; empty for none.
func zeroes(b ledger.Body) string {
	switch b := b.(type) {
	case ledger.ZeroCheck:
		return b.Tool
	case ledger.FreezeTest:
		if b.Zero != nil {
			return b.Tool
		}
	}
	return ""
}

func (u *Unit) circuit(address string) *Circuit {
	if i := slices.IndexFunc(u.pack.Circuits, func(c Circuit) bool { return c.Address == address }); i >= 0 {
		return &u.pack.Circuits[i]
	}
	return nil
}

func (u *Unit) words() words.Unit {
	return words.Unit{Name: u.pack.Name, Site: u.pack.Site, Winters: u.pack.Winters, ColdOffset: u.pack.ColdOffset, Heated: u.pack.Heated,
		Climate: u.cold(), Zone: u.zone}
}

// cold that the unit is planned for now.
func (u *Unit) cold() *climate.Climate {
	cold := u.shared.Colds[u.pack.Cold]
	if until := u.shared.ForecastUntil; cold != nil && until != nil && !u.now.Before(*until) {
		return cold.WithoutForecast()
	}
	return cold
}

func (u *Unit) conditions() clock.Conditions {
	return clock.Conditions{Climate: u.cold(), Zeroed: u.zeroed, Zone: u.zone}
}

// accounts of the circuits; instead of the account of one of them that which is given for it.
func (u *Unit) accounts(instead map[string]*ledger.Account) []*ledger.Account {
	all := make([]*ledger.Account, len(u.pack.Circuits))
	for i, c := range u.pack.Circuits {
		if a := instead[c.Address]; a != nil {
			all[i] = a
			continue
		}
		if a := u.stored(c); a != nil {
			all[i] = a
			continue
		}
		all[i] = u.folded(c)
	}
	return all
}

// stored account of a circuit on which nothing waits; nil when it is to be folded.
func (u *Unit) stored(c Circuit) *ledger.Account {
	if len(u.waiting[c.Address]) > 0 || c.Account == nil || c.Failure != "" {
		return nil
	}
	a, err := ledger.Restore(c.Unit, *c.Account)
	if err != nil {
		return nil
	}
	return a
}

// evaluated status of each circuit, and of the unit.
func (u *Unit) evaluated(accounts []*ledger.Account) (each []clock.UnitStatus, whole clock.UnitStatus) {
	var all []clock.CircuitStatus
	for i, c := range u.pack.Circuits {
		a := accounts[i]
		if c.Unit.Further {
			a = a.WithUnit(accounts[0])
		}
		s := clock.Evaluate(a, u.shared.Plans[c.Plan], u.conditions(), u.today)
		each, all = append(each, s), append(all, clock.CircuitStatus{Circuit: c.Unit.Circuit, UnitStatus: s})
	}
	if len(each) == 1 {
		return each, each[0]
	}
	return each, clock.Combine(all)
}

// Refused field of an entry.
type Refused struct {
	Pointer  string `json:"pointer"`
	Detail   string `json:"detail"`
	Accepted string `json:"accepted,omitempty"`
	Question bool   `json:"question,omitempty"`
}

// Preview is what an entry would do.
type Preview struct {
	Refused   []Refused `json:"refused,omitempty"`
	Forbidden bool      `json:"forbidden,omitempty"`
	// Text is the line as the books will have it, Read how numbers were read, Said what it says of the
	// unit, a sentence each.
	Text string   `json:"text,omitempty"`
	Read []string `json:"read,omitempty"`
	Said []string `json:"said,omitempty"`
	// Verdict of the circuit after the entry, and before it.
	Verdict clock.Verdict `json:"verdict,omitempty"`
	Before  clock.Verdict `json:"before,omitempty"`
	Reason  string        `json:"reason,omitempty"`
	Left    *float64      `json:"left,omitempty"` // share of the governing interval that is left
	// Protects to, °C; nil when it is not known.
	Protects *measure.Celsius `json:"protects,omitempty"`
	// Unit is the status of the whole unit, by all its circuits: what a round reports of it.
	Unit *WholeView `json:"unit,omitempty"`
	// MustNotMove says why the unit must not move with the entry; empty when nothing forbids it. Held:
	// a person's hold is in force on one of its circuits.
	MustNotMove string `json:"mustNotMove,omitempty"`
	Held        bool   `json:"held,omitempty"`
}

// WholeView is the status of a unit by all its circuits.
type WholeView struct {
	Verdict clock.Verdict `json:"verdict"`
	Reason  string        `json:"reason"`
	Left    *float64      `json:"left,omitempty"` // share of the governing interval that is left
}

// refuse in the words of the reader.
func (u *Unit) refuse(err error) Preview {
	var list *refusal.Error
	var forbidden *intake.Forbidden
	switch {
	case errors.As(err, &forbidden):
		return Preview{Forbidden: true, Refused: u.fields(forbidden.Field)}
	case errors.As(err, &list):
		return Preview{Refused: u.fields(list.Fields...)}
	}
	return Preview{Refused: []Refused{{Detail: err.Error()}}}
}

func (u *Unit) fields(all ...*refusal.Field) (out []Refused) {
	r := u.shared.reader()
	text := func(s string) string {
		return refusal.Worded(s, func(t time.Time) string { return r.Moment(t.In(u.zone)) }, func(t time.Time) string { return r.Date(measure.DateOf(t, u.zone)) })
	}
	for _, f := range all {
		out = append(out, Refused{Pointer: f.Pointer, Detail: text(f.Detail()), Accepted: text(f.Accepted), Question: f.Question})
	}
	return out
}

// Preview what an entry would do to the account of an address, with all that waits on the device
// written before it.
func (u *Unit) Preview(address string, text []byte) Preview {
	c := u.circuit(address)
	if c == nil {
		return Preview{Refused: []Refused{{Pointer: "/unit", Detail: address + " is not on this walk"}}}
	}
	sent, err := intake.Parse(text)
	if err != nil {
		return u.refuse(err)
	}
	entries, read, err := sent.Entries(c.Unit.Code, u.shared)
	if err != nil {
		return u.refuse(err)
	}
	for i := range entries {
		e := &entries[i]
		e.At, e.RecordedAt = e.At.UTC().Truncate(time.Microsecond), u.now.UTC()
		e.RecordedBy, e.RecordedByID = u.shared.Actor.Name, u.shared.Actor.ID
		u.shared.Instruments.Judge(e, u.zone)
	}
	h, err := u.history(*c, entries)
	if err != nil {
		return u.refuse(refusal.New("/unit", address, "an account that can be evaluated: "+err.Error()))
	}
	before := h.EvaluatedBefore()
	tools := u.shared.Instruments
	place := intake.Place{LeftOn: u.pack.LeftOn, Zone: u.zone, Meant: tools.Meant,
		Evaluate: func(a *ledger.Account) clock.UnitStatus {
			return clock.Evaluate(a, u.shared.Plans[c.Plan], u.conditions(), u.today)
		}}
	for i, e := range entries {
		if i > 0 {
			h = h.With(entries[i-1])
		}
		if err := intake.Check(place, u.shared.Actor, h, e, u.now); err != nil {
			return u.refuse(err)
		}
	}
	last := entries[len(entries)-1]
	after := h.EvaluatedAfter(last)
	return u.said(c, before, after, last, read.Doubtful())
}

func (u *Unit) history(c Circuit, entries []ledger.Entry) (*ledger.History, error) {
	if a := u.stored(c); a != nil && len(entries) == 1 {
		if h, ok := ledger.Continued(a, entries[0]); ok {
			return h, nil
		}
	}
	written, err := u.written(c)
	return ledger.HistoryOf(c.Unit, written), err
}

func (u *Unit) said(c *Circuit, before, after *ledger.Account, last ledger.Entry, read []string) Preview {
	i := slices.IndexFunc(u.pack.Circuits, func(o Circuit) bool { return o.Address == c.Address })
	was, _ := u.evaluated(u.accounts(map[string]*ledger.Account{c.Address: before}))
	accounts := u.accounts(map[string]*ledger.Account{c.Address: after})
	is, whole := u.evaluated(accounts)
	r, unit := u.shared.reader(), u.words()
	site := r.ColdPlace(unit.Site, unit.Winters, unit.ColdOffset)
	p := Preview{Text: words.Entry(last.Body), Read: read, Verdict: is[i].Verdict, Before: was[i].Verdict, Reason: r.Reason(is[i].Governing, site),
		Unit: &WholeView{whole.Verdict, r.Reason(whole.Governing, site), whole.Governing.Remaining},
		Left: is[i].Governing.Remaining, Protects: after.ProtectsTo(), MustNotMove: r.MustNotMove(unit, whole),
		Held: slices.ContainsFunc(accounts, func(a *ledger.Account) bool { return a.Held != nil })}
	if line := slices.IndexFunc(after.Lines, func(l ledger.Line) bool { return l.Entry.ID == last.ID }); line >= 0 {
		p.Said = r.Effect(unit, was[i], is[i], after, line, u.today)
	}
	return p
}

// View is what a device shows of a unit.
type View struct {
	Code     string        `json:"code"`
	Verdict  clock.Verdict `json:"verdict"`
	Reason   string        `json:"reason"`
	Left     *float64      `json:"left,omitempty"` // share of the governing interval that is left
	Circuits []CircuitView `json:"circuits"`
	Cautions []string      `json:"cautions"`
	Cold     string        `json:"cold"`
	Hot      string        `json:"hot"`
	// MustNotMove says why the unit must not move; empty when nothing forbids it.
	MustNotMove string `json:"mustNotMove,omitempty"`
	// MayRecord: the person's role records entries.
	MayRecord bool `json:"mayRecord"`
	// Stale says that the walk was loaded long ago; empty when it was not.
	Stale string `json:"stale,omitempty"`
	Strip Strip  `json:"strip"`
}

// Strip is how a test strip is read: seconds after dipping, and the steps of its fields.
type Strip struct {
	From      int       `json:"from"`
	Until     int       `json:"until"`
	Freeze    []float64 `json:"freeze"`
	PH        []float64 `json:"ph"`
	Nitrite   []float64 `json:"nitrite"`
	Molybdate []float64 `json:"molybdate"`
}

// CircuitView is a circuit of a [View].
type CircuitView struct {
	Address  string           `json:"address"`
	Circuit  ledger.Circuit   `json:"circuit,omitempty"`
	Verdict  clock.Verdict    `json:"verdict"`
	Owed     []OwedView       `json:"owed"`
	First    []AskedView      `json:"first"`
	Rest     []AskedView      `json:"rest"`
	Inside   string           `json:"inside"`
	Base     coolant.Base     `json:"base,omitempty"`
	Marks    float64          `json:"marks,omitempty"` // mm between the marks of the tank, 0 when not known
	HasTank  bool             `json:"hasTank"`         // its marks are known
	Cap      string           `json:"cap,omitempty"`   // its rating, worded
	Stages   int              `json:"stages,omitempty"`
	Meters   []MeterView      `json:"meters"`
	Fits     []FitView        `json:"fits"`
	Points   []PointView      `json:"points"`
	Protects string           `json:"protects"`
	Held     bool             `json:"held,omitempty"`
	Defects  []string         `json:"defects"`
	Freeze   *measure.Celsius `json:"freeze,omitempty"` // that it is relied on to protect to, °C
}

// OwedView is what a walk owes a unit.
type OwedView struct {
	Question round.Question `json:"question"`
	Verdict  clock.Verdict  `json:"verdict"`
	Text     string         `json:"text"`
}

// AskedView is a question with its name.
type AskedView struct {
	Question round.Question `json:"question"`
	Name     string         `json:"name"`
	Hot      bool           `json:"hot"`
}

// MeterView is a meter with its last reading, in the reader's unit.
type MeterView struct {
	Unit measure.Unit `json:"unit"`
	Last string       `json:"last,omitempty"`
}

// FitView is an instrument with what is to be known of it here.
type FitView struct {
	Instrument string    `json:"instrument"`
	Fit        round.Fit `json:"fit"`
	Usable     bool      `json:"usable"`
	Text       string    `json:"text,omitempty"`
}

// PointView is a point that is looked at.
type PointView struct {
	round.Point
	Name    string       `json:"name"`
	Last    string       `json:"last,omitempty"`
	Options []OptionView `json:"options"`
}

// OptionView is an option at a point, in words.
type OptionView struct {
	round.Option
	Name  string `json:"name"`
	Leads string `json:"leads"`
}

// testedWith is the instrument of a freeze test that a kind of the register is; empty for none.
func testedWith(kind string) string {
	switch kind {
	case intake.KindRefractometer, intake.KindDigital:
		return ledger.Refractometer
	case intake.KindHydrometer:
		return ledger.Hydrometer
	case intake.KindDiscs:
		return ledger.DiscTester
	case intake.KindStrips:
		return ledger.TestStrip
	}
	return ""
}

func scalesOf(scale string) []coolant.Base {
	switch scale {
	case "EG":
		return []coolant.Base{coolant.EG}
	case "PG":
		return []coolant.Base{coolant.PG}
	case "EG_PG":
		return []coolant.Base{coolant.EG, coolant.PG}
	}
	return nil
}

// View of the unit now.
func (u *Unit) View() View {
	accounts := u.accounts(nil)
	each, whole := u.evaluated(accounts)
	r, unit := u.shared.reader(), u.words()
	site := r.ColdPlace(unit.Site, unit.Winters, unit.ColdOffset)
	v := View{Code: u.pack.Code, Verdict: whole.Verdict, Left: whole.Governing.Remaining, Reason: r.Reason(whole.Governing, site), Cautions: words.Cautions(u.pack.Kind, u.pack.Drive), Cold: words.ColdCaution, Hot: words.HotCaution,
		MustNotMove: r.MustNotMove(unit, whole), Stale: r.WalkAge(u.now.Sub(u.shared.PackedAt)), MayRecord: slices.Contains(access.Permitted(access.Records, false), u.shared.Actor.Role),
		Strip: Strip{round.StripFrom, round.StripUntil, round.StripFreeze, round.StripPH, round.StripNitrite, round.StripMolybdate}}
	for i, c := range u.pack.Circuits {
		v.Circuits = append(v.Circuits, u.circuitView(c, accounts[i], each[i], site))
	}
	return v
}

func (u *Unit) circuitView(c Circuit, a *ledger.Account, s clock.UnitStatus, site string) CircuitView {
	r, unit := u.shared.reader(), u.words()
	v := CircuitView{Address: c.Address, Circuit: c.Unit.Circuit, Verdict: s.Verdict, Owed: []OwedView{}, First: []AskedView{}, Rest: []AskedView{}, Inside: r.Inside(unit, a), Base: a.Base,
		Marks: c.Unit.Marks, HasTank: c.Unit.Marks > 0, Meters: []MeterView{}, Fits: []FitView{}, Points: []PointView{}, Defects: []string{}, Held: a.Held != nil, Freeze: a.ProtectsTo(), Protects: "what it protects to is not known"}
	for _, o := range round.OwedBy(s) {
		v.Owed = append(v.Owed, OwedView{o.Question, o.Clock.Verdict, r.OwedText(o, site)})
	}
	first, rest := round.Ask(c.Unit, s)
	asked := func(all []round.Question) (views []AskedView) {
		for _, q := range all {
			views = append(views, AskedView{q, words.QuestionNames[q], q.Hot()})
		}
		return views
	}
	v.First, v.Rest = asked(first), asked(rest)
	if p := a.ProtectsTo(); p != nil {
		v.Protects = "protects to " + r.Celsius(*p, 0) + ", " + r.ProtectedBy(a, u.zone)
	}
	if c.Unit.Cap > 0 {
		v.Cap = r.Kilopascals(float64(c.Unit.Cap))
	}
	if !c.Unit.Further {
		v.Stages = u.pack.CapStages
		for _, d := range []measure.Dimension{c.Unit.Meter, c.Unit.Second} {
			v.Meters = append(v.Meters, u.meter(a, d)...)
		}
	}
	for _, i := range u.shared.Instruments {
		if with := testedWith(i.Kind); with != "" {
			fit := round.FitOf(with, scalesOf(i.Scale), a.Base)
			v.Fits = append(v.Fits, FitView{i.Name, fit, fit.Usable(), words.Fit(fit, a.Base)})
		}
	}
	for _, d := range a.Defects {
		v.Defects = append(v.Defects, d.What)
	}
	for _, p := range round.Points(u.pack.Kind) {
		v.Points = append(v.Points, u.point(p, a))
	}
	return v
}

func (u *Unit) meter(a *ledger.Account, d measure.Dimension) []MeterView {
	if d == "" {
		return nil
	}
	r := u.shared.reader()
	m := MeterView{Unit: measure.Units(d)[0]}
	if points := a.MeterOf(d).Points; len(points) > 0 {
		m.Last = r.Meter(points[len(points)-1].Raw, m.Unit, 0)
	}
	if m.Unit == measure.Km {
		m.Unit = r.Distance
	}
	return []MeterView{m}
}

// foundAs is the point of a finding, of a hose with its ending.
func foundAs(p round.Point) string {
	if p.Kind == ledger.KindHoseCheck {
		return p.Code + "_hose"
	}
	return p.Code
}

func (u *Unit) point(p round.Point, a *ledger.Account) PointView {
	v := PointView{Point: p, Name: words.Name(foundAs(p)), Options: []OptionView{}}
	v.Point.Options = nil
	if i := slices.IndexFunc(a.Findings, func(f ledger.Finding) bool { return f.Point == foundAs(p) }); i >= 0 {
		f := a.Findings[i]
		v.Last = words.Names(f.State) + ", " + u.shared.reader().Date(measure.DateOf(f.At, u.zone))
	}
	for _, o := range p.Options {
		v.Options = append(v.Options, OptionView{o, words.Option(o), words.GradeName(o.Grade, a.Unit.Aircraft)})
	}
	return v
}
