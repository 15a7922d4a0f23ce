package fleet

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/coolant"
	"diligentledger/core/job"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/register"
	"diligentledger/internal/sheet"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

// JobWanted is a job as it is asked for.
type JobWanted struct {
	ID       string
	Unit     string // address of the circuit
	Kind     job.Kind
	Options  job.Options
	Product  string // code; empty for what is inside
	Exercise bool
	Seed     uint64
}

// jobCodes of drain points by the words that their names hold, the first that fits.
var jobCodes = []struct{ word, code string }{{"heater", job.PointHeater}, {"exchanger", job.PointExchanger}, {"expansion", job.PointTank}, {"recovery", job.PointTank}, {"header", job.PointTank}, {"tank", job.PointTank},
	{"block", job.PointBlock}, {"hose", job.PointLowerHose}, {"petcock", job.PointPetcock}, {"radiator", job.PointPetcock}, {"drain", job.PointPetcock}, {"plug", job.PointPetcock}}

// jobPoints of the register's text, each by a code of its own; the first ones keep the codes.
func jobPoints(facts register.Facts, capacity measure.Litre) []job.Point {
	var all []job.Point
	taken := map[string]bool{}
	for _, d := range facts.DrainPoints() {
		code := job.PointOther
		for _, c := range jobCodes {
			if strings.Contains(strings.ToLower(d.Name), c.word) && !taken[c.code] {
				code = c.code
				break
			}
		}
		if taken[code] || d.Litres <= 0 {
			continue
		}
		taken[code] = true
		all = append(all, job.Point{Code: code, Name: d.Name, Litres: min(d.Litres, capacity)})
	}
	return all
}

// JobSetup of a job that is asked for, as the unit is now; a [refusal.Error] when it cannot be.
func (f *Fleet) JobSetup(ctx context.Context, w JobWanted) (job.Setup, store.Unit, error) {
	s := job.Setup{ID: w.ID, Kind: w.Kind, Options: w.Options, Exercise: w.Exercise, Seed: w.Seed, SkipEmpty: true}
	u, err := f.store.Unit(ctx, w.Unit)
	if err != nil {
		return s, u, err
	}
	record, err := f.store.Record(ctx, register.Unit, w.Unit)
	if err != nil {
		return s, u, err
	}
	switch {
	case u.Ended:
		return s, u, refusal.New("/unit", w.Unit, "a circuit that the unit still has")
	case u.LeftOn != nil:
		return s, u, refusal.New("/unit", w.Unit, "a unit of the fleet: this one has left it")
	}
	facts := record.Facts
	if !u.First() {
		// A circuit has its own facts; what belongs to the unit comes from the first one.
		first, err := f.store.Record(ctx, register.Unit, u.Code)
		if err != nil {
			return s, u, err
		}
		facts = onlyOf(first.Facts, "kind", "drive", "metal", "manual", "covers", "clips").With(facts)
	}
	unitFacts(&s, u, facts)
	accounts, _, err := f.store.Accounts(ctx, []store.Unit{u})
	if err != nil {
		return s, u, err
	}
	account := accounts[u.Address()]
	if account == nil {
		return s, u, fmt.Errorf("the account of %s was not read", u.Address())
	}
	s.Known, s.Inside, s.Filled, s.Old = account.Known && !account.Mixed && account.Charge.Mass() > 0, account.Charge, account.Filled, account.Product
	s.Doubt = account.VolumeDoubt()
	if !s.Known {
		s.Inside, s.Old = coolant.Charge{}, account.Product
	}
	if s.Filled <= 0 {
		s.Filled = s.Capacity
	}
	if u.Cold != nil {
		need := u.Cold.Coldest() - measure.Celsius(u.Plan.FreezeMargin)
		s.Need = &need
	}
	s.FollowUp = u.Plan.FollowDays
	if low, high, ok := account.MeterSpan(f.now()); ok && u.First() {
		s.MeterLow, s.MeterHigh = &low, &high
	}
	if err := f.jobProduct(ctx, &s, w.Product, account, facts); err != nil {
		return s, u, err
	}
	if s.Set, err = f.jobParameters(ctx, record); err != nil {
		return s, u, err
	}
	if t, ok := facts.Number(register.Unit, "thermostat"); ok && s.Set["thermostat_from"] == 0 {
		s.Set["thermostat_from"], s.Set["thermostat_to"] = t, t
	}
	if t, ok := facts.Number(register.Unit, "fan"); ok && s.Set["fan"] == 0 {
		s.Set["fan"] = t
	}
	if field := s.Check(); field != nil {
		return s, u, &refusal.Error{Fields: []*refusal.Field{field}}
	}
	return s, u, nil
}

func onlyOf(facts register.Facts, codes ...string) register.Facts {
	some := register.Facts{}
	for _, c := range codes {
		some[c] = facts[c]
	}
	return some
}

// unitFacts of the register into the setup.
func unitFacts(s *job.Setup, u store.Unit, facts register.Facts) {
	yes := func(code string) bool { return facts[code] == "yes" }
	s.Address, s.Unit, s.Name, s.Of = u.Address(), u.Code, u.Name, cmp.Or(facts["kind"], u.Kind)
	s.System, s.Bottle, s.HeaterCore, s.HotWater, s.RawWater = facts["system"], yes("recovery_bottle"), yes("heater_core"), yes("hot_water_loop"), yes("raw_water")
	s.HighVoltage = facts["drive"] == "hybrid" || facts["drive"] == "electric"
	s.Aluminium, s.PremixOnly, s.Manual = facts["metal"] == "aluminium", yes("premix_only"), facts["manual"]
	s.Capacity, s.Common = u.Ledger.Capacity, u.Ledger.CapacityCommon
	s.Cap = u.Ledger.Cap
	s.Plug, s.Washers, s.Clips = facts["plug"], facts["washers"], facts["clips"]
	for line := range strings.Lines(facts["covers"]) {
		if line = strings.TrimSpace(line); line != "" {
			s.Covers = append(s.Covers, line)
		}
	}
	if r, err := measure.ReadStored(facts["torque"], measure.Torque, measure.NewtonMetre); err == nil {
		s.Torque = &r
	}
	if n, ok := facts.Number(register.Unit, "cap_stages"); ok {
		s.Stages = int(n)
	}
	s.Meter = u.Ledger.Meter
	if u.Ledger.Further {
		s.Meter = ""
	}
	s.Points = jobPoints(facts, s.Capacity)
	if len(s.Points) == 0 {
		s.Points = job.CommonPoints(s.Of, s.Capacity, s.HeaterCore, s.HotWater)
	}
	if s.Options.Fill == "" {
		for _, m := range strings.Split(facts["fill"], ",") {
			if slices.Contains(job.FillsOf(s.Of), m) && s.System != "header_tank" {
				s.Options.Fill = m
				break
			}
		}
	}
	if s.Options.Bleed == "" {
		for _, m := range strings.Split(facts["bleed"], ",") {
			if slices.Contains(job.BleedsOf(s.Of), m) && s.System != "header_tank" {
				s.Options.Bleed = m
				break
			}
		}
	}
}

// jobProduct that is poured: the one that is named, else the one inside, else that of the register; and its target.
func (f *Fleet) jobProduct(ctx context.Context, s *job.Setup, code string, account *ledger.Account, facts register.Facts) error {
	products, err := f.store.Products(ctx)
	if err != nil {
		return err
	}
	wanted := cmp.Or(code, facts["product"])
	if wanted == "" && account.Product != nil {
		wanted = account.Product.Code
	}
	for _, p := range products {
		if p.Code == wanted || code == "" && p.Name == wanted {
			s.Product = p
		}
	}
	if code != "" && s.Product.Code == "" {
		return refusal.New("/product", code, "the code of a product in the register")
	}
	glycol, _ := s.Product.Strength()
	s.Target = glycol
	if s.Product.Form == coolant.Concentrate {
		share, ok := facts.Number(register.Unit, "mix")
		if !ok {
			share = 50 // half and half (common practice)
		}
		s.Target = glycol * share / 100
	}
	return nil
}

// jobParameters that hold for a unit: those of its type, then its own.
func (f *Fleet) jobParameters(ctx context.Context, record store.Record) (map[string]float64, error) {
	set := map[string]float64{}
	apply := func(all []store.JobParameter) {
		done := map[string]bool{}
		for _, p := range all {
			if done[p.Code] {
				continue
			}
			done[p.Code] = true
			if p.Value != nil {
				set[p.Code] = *p.Value
			} else {
				delete(set, p.Code)
			}
		}
	}
	if name := record.Facts["type"]; name != "" {
		id, err := f.store.TypeID(ctx, name)
		if err != nil {
			return nil, err
		}
		of, err := f.store.JobParameters(ctx, false, id)
		if err != nil {
			return nil, err
		}
		apply(of)
	}
	own, err := f.store.JobParameters(ctx, true, record.ID)
	apply(own)
	return set, err
}

// JobParameters of a unit or a type as they were set, the newest first, with those in effect.
func (f *Fleet) JobParameters(ctx context.Context, ofUnit bool, key string) (record store.Record, all []store.JobParameter, set map[string]float64, err error) {
	of := register.Type
	if ofUnit {
		of = register.Unit
	}
	if record, err = f.store.Record(ctx, of, key); err != nil {
		return record, nil, nil, err
	}
	if all, err = f.store.JobParameters(ctx, ofUnit, record.ID); err != nil {
		return record, nil, nil, err
	}
	if ofUnit {
		set, err = f.jobParameters(ctx, record)
		return record, all, set, err
	}
	set = map[string]float64{}
	for _, p := range slices.Backward(all) {
		if p.Value != nil {
			set[p.Code] = *p.Value
		} else {
			delete(set, p.Code)
		}
	}
	return record, all, set, nil
}

// SetJobParameter of a unit or a type; a [refusal.Error] when it cannot be.
func (f *Fleet) SetJobParameter(ctx context.Context, by store.Actor, key string, p store.JobParameter) error {
	record, _, _, err := f.JobParameters(ctx, p.OfUnit, key)
	if err != nil {
		return err
	}
	of, ok := job.ParameterOf(p.Code)
	switch {
	case !ok:
		return refusal.New("/code", p.Code, "a parameter of the methods")
	case p.Value != nil && !(*p.Value >= of.Least && *p.Value <= of.Most):
		return refusal.New("/value", measure.Digits(*p.Value), fmt.Sprintf("%s to %s %s", measure.Digits(of.Least), measure.Digits(of.Most), of.Unit))
	case strings.TrimSpace(p.Why) == "":
		return refusal.New("/why", "nothing", "where the value comes from, such as the page of the maker's manual")
	}
	return f.store.SetJobParameter(ctx, by, record.ID, record.Name, p)
}

// summary of a job for the lists.
func jobSummary(s job.Setup, events []job.Event, now time.Time) store.JobSummary {
	st := job.Open(s, events, now)
	used, flush := st.Used()
	sum := store.JobSummary{Phase: st.Phase, Next: st.Next, Empty: st.Empty, Used: float64(used + flush), Ended: st.Released != nil || st.Cancelled != nil || s.Exercise && st.Posted != nil}
	if st.Pause != nil {
		sum.Paused = words.JobPause(st.Pause.Why, st.Empty, st.FlushInside)
	}
	return sum
}

// ownHold reports whether an entry is a hold of the job.
func ownHold(j store.Job, events []job.Event, entry string) bool {
	if entry == job.EntryID(j.Setup.ID, "hold") {
		return true
	}
	return slices.ContainsFunc(events, func(e job.Event) bool { return entry == job.EntryID(j.Setup.ID, "hold:"+e.ID) })
}

// jobHold that holds now: with the reason of the pause while there is one.
func jobHold(j store.Job, events []job.Event, st job.State) ledger.Entry {
	name, at, why := "hold", j.StartedAt, words.JobHold(j.Setup)
	var last *job.Event
	for i, e := range events {
		if e.Type == job.Paused || e.Type == job.Resumed {
			last = &events[i]
		}
	}
	switch {
	case st.Pause != nil:
		name, at, why = "hold:"+st.Pause.ID, st.Pause.At, words.JobPause(st.Pause.Why, st.Empty, st.FlushInside)
	case last != nil && last.Type == job.Resumed:
		name, at = "hold:"+last.ID, last.At
	case len(events) > 0 && j.Setup.Options.Cleaner:
		at = events[len(events)-1].At // the unit was driven until then
	}
	e := job.HoldEntry(j.Setup, name, at, why)
	return e
}

// jobAddress of the circuit that a job is on, as it is now.
func (f *Fleet) jobAddress(ctx context.Context, j store.Job) string {
	if a, err := f.store.AddressOfJob(ctx, j.Setup.ID); err == nil {
		return a
	}
	return j.Setup.Address
}

// Job with its events, packed for a person; [store.ErrNoJob].
func (f *Fleet) Job(ctx context.Context, who Actor, r words.Reader, id string) (store.Job, sheet.Pack, error) {
	j, err := f.store.Job(ctx, id)
	if err != nil {
		return j, sheet.Pack{}, err
	}
	p, err := f.jobPack(ctx, who, r, j)
	return j, p, err
}

func (f *Fleet) jobPack(ctx context.Context, who Actor, r words.Reader, j store.Job) (sheet.Pack, error) {
	events, err := f.store.JobEvents(ctx, j.Setup.ID)
	if err != nil {
		return sheet.Pack{}, err
	}
	p, err := f.setupPack(ctx, who, r, j.Setup)
	p.Events = events
	if events == nil {
		p.Events = []job.Event{}
	}
	return p, err
}

func (f *Fleet) setupPack(ctx context.Context, who Actor, r words.Reader, s job.Setup) (sheet.Pack, error) {
	p := sheet.Pack{Setup: s, Events: []job.Event{}, Actor: who, Reader: r.Text()}
	zone, err := f.store.Zone(ctx)
	if u, err := f.store.Unit(ctx, s.Address); err == nil && u.Zone != nil {
		zone = u.Zone
	}
	if err != nil {
		return p, err
	}
	p.Zone = sheet.ZoneOf(zone)
	p.Containers, err = f.containers(ctx, s.Product)
	return p, err
}

// containers that a product is sold in, by the register.
func (f *Fleet) containers(ctx context.Context, p coolant.Product) ([]coolant.Container, error) {
	if p.ID == 0 {
		return nil, nil
	}
	record, err := f.store.Record(ctx, register.Product, fmt.Sprint(p.ID))
	if errors.Is(err, store.ErrNoRecord) {
		return nil, nil
	}
	return Containers(record.Facts["containers"]), err
}

// Containers of a product's fact, one a line: a volume, and its price where there is one, as in "20 L 64.00". Without prices the
// larger ones cost what they hold. A line that is none is left out.
func Containers(text string) (all []coolant.Container) {
	for line := range strings.Lines(text) {
		words := strings.Fields(line)
		for n := len(words); n > 0; n-- {
			r, err := measure.ReadStored(strings.Join(words[:n], " "), measure.Volume, measure.L)
			if err != nil {
				continue
			}
			v, err := r.Metric(measure.Volume)
			if err != nil || v <= 0 {
				break
			}
			c := coolant.Container{Size: measure.Litre(v), Price: v}
			price, err := measure.ReadStored(measure.PriceText(strings.Join(words[n:], " ")), measure.Plain, measure.One)
			if err == nil && price.Value >= 0 {
				c.Price = price.Value
			}
			all = append(all, c)
			break
		}
	}
	return all
}

// JobSheet of a job that is not begun, for its preview and its paper.
func (f *Fleet) JobSheet(ctx context.Context, who Actor, r words.Reader, w JobWanted) (sheet.Pack, error) {
	s, _, err := f.JobSetup(ctx, w)
	if err != nil {
		return sheet.Pack{}, err
	}
	return f.setupPack(ctx, who, r, s)
}

// JobProblem is why the entries of a job that is ready are not in the ledger; nil when they are, or nothing refuses them.
func (f *Fleet) JobProblem(ctx context.Context, who Actor, j store.Job, events []job.Event) error {
	st := job.Open(j.Setup, events, f.now())
	if !st.Ready || st.Posted != nil || j.Setup.Exercise {
		return nil
	}
	entries := job.Entries(j.Setup, st, words.JobNote)
	if len(entries) == 0 {
		return nil
	}
	o, err := f.Open(ctx, f.jobAddress(ctx, j), entries[0].ID)
	if err != nil {
		return err
	}
	_, err = f.PreviewEntries(ctx, who, o, entries...)
	return err
}

// checkEvent by itself.
func checkEvent(j store.Job, e job.Event, at string) *refusal.Field {
	refuse := func(field, got, accepted string) *refusal.Field {
		return &refusal.Field{Pointer: at + field, Got: got, Accepted: accepted}
	}
	why := strings.TrimSpace(e.Why)
	switch e.Type {
	case job.Answered, job.Timed:
	case job.Paused, job.Overridden, job.Cancelled:
		if len([]rune(why)) < 3 || len([]rune(why)) > 300 {
			return refuse("/why", fmt.Sprintf("%q", why), "a reason of 3 to 300 characters")
		}
	case job.Resumed, job.Struck:
	default:
		return refuse("/type", string(e.Type), "an answer, a timer, a pause, its end, an override, a strike or a cancellation")
	}
	switch {
	case e.Type == job.Overridden && !j.Setup.MayOverride(e.Role, job.GateBalance):
		return refuse("/type", "an override by a "+string(e.Role), "an override by a "+words.JobRoles(j.Setup.Of == "aircraft"))
	case e.Type == job.Cancelled && !slices.Contains(access.Permitted(access.LiftsHold, false), e.Role):
		return refuse("/type", "a cancellation by a "+string(e.Role), "a cancellation by a coordinator or a signatory")
	case e.Type == job.Struck && e.Strikes == "":
		return refuse("/strikes", "nothing", "the event that never was")
	case len(e.Step) > 80 || len(e.Values) > 40:
		return refuse("/step", "more than a step has", "a step of the sheet with its fields")
	}
	return nil
}

// checkAnswer against the step that it is for. One whose step is not there, or not reached, is kept and shown beside the sheet.
func (f *Fleet) checkAnswer(s job.Setup, st job.State, before []job.Event, e job.Event, at string) *refusal.Field {
	for code, v := range e.Values {
		if v.Reading == nil {
			continue
		}
		if _, err := v.Reading.Metric(v.Reading.Unit.Dimension()); err != nil {
			return &refusal.Field{Pointer: at + "/values/" + code, Got: measure.Digits(v.Reading.Value), Accepted: "a finite number with a unit"}
		}
	}
	if e.Type != job.Answered {
		return nil
	}
	now := job.Open(s, before, e.At)
	step := now.Step(e.Step)
	if step == nil || step.Status == job.Later {
		return nil
	}
	for _, field := range step.Missing(e) {
		return &refusal.Field{Pointer: at + "/values/" + field.Code, Got: "nothing, or a figure out of range", Accepted: field.Accepted()}
	}
	return nil
}

// JobFollow is a job of the list with its next step, and what its unit still owes.
type JobFollow struct {
	store.ListedJob
	Step *job.Step // next; nil for none
	// Owed checks of the ledger, of a job that was released.
	Owed []string
}

// Jobs that are open, and those that ended within some days, with the checks that their units still owe.
func (f *Fleet) Jobs(ctx context.Context, who Actor, days int) ([]JobFollow, error) {
	all, err := f.store.Jobs(ctx, f.now().AddDate(0, 0, -days), who.ID)
	if err != nil {
		return nil, err
	}
	events, err := f.store.EventsOfJobs(ctx)
	if err != nil {
		return nil, err
	}
	owed, err := f.jobsOwed(ctx, all)
	if err != nil {
		return nil, err
	}
	out := make([]JobFollow, len(all))
	for i, j := range all {
		out[i] = JobFollow{ListedJob: j}
		if j.EndedAt == nil {
			st := job.Open(j.Setup, events[j.Setup.ID], f.now())
			out[i].Step = st.Step(st.Next)
		}
		if j.Phase == job.PhaseDone {
			out[i].Owed = owed[j.Address]
		}
	}
	return out, nil
}

// jobsOwed are the checks that the circuits of released jobs owe, by address; [words.NotKnown] for an account that was not read.
func (f *Fleet) jobsOwed(ctx context.Context, all []store.ListedJob) (map[string][]string, error) {
	owed := map[string][]string{}
	var codes []string
	for _, j := range all {
		if j.Phase == job.PhaseDone && owed[j.Address] == nil {
			owed[j.Address], codes = []string{words.NotKnown}, append(codes, j.Code)
		}
	}
	if len(codes) == 0 {
		return owed, nil
	}
	units, err := f.store.UnitsOf(ctx, codes)
	if err != nil {
		return nil, err
	}
	var circuits []store.Unit
	for _, u := range units {
		circuits = append(circuits, u.Circuits()...)
	}
	accounts, _, err := f.store.Accounts(ctx, circuits)
	for address, a := range accounts {
		if a == nil || a.Failure != "" || owed[address] == nil {
			continue
		}
		owed[address] = nil
		for _, p := range a.Pending {
			owed[address] = append(owed[address], p.What)
		}
	}
	return owed, err
}

// JobRevision is how many events of a job are kept; [store.ErrNoJob].
func (f *Fleet) JobRevision(ctx context.Context, id string) (int, error) {
	j, err := f.store.Job(ctx, id)
	return j.Events, err
}

// JobEntries that a job brought to the ledger.
func (f *Fleet) JobEntries(ctx context.Context, id string) ([]ledger.Entry, error) {
	return f.store.EntriesOfJob(ctx, id)
}

// JobChoices of a unit: what the register has, and what can be chosen.
type JobChoices struct {
	Setup      job.Setup
	Drive      string
	Type       string // its name; empty for none
	Open       string // job that is open on it; empty for none
	Products   []coolant.Product
	Parameters []store.JobParameter // that were set for the unit or its type, the newest first
}

// JobChoices of a unit; a unit whose product is not known has none chosen.
func (f *Fleet) JobChoices(ctx context.Context, address string) (c JobChoices, err error) {
	u, err := f.store.Unit(ctx, address)
	if err != nil {
		return c, err
	}
	record, err := f.store.Record(ctx, register.Unit, address)
	if err != nil {
		return c, err
	}
	if c.Products, err = f.store.Products(ctx); err != nil {
		return c, err
	}
	c.Drive, c.Type = record.Facts["drive"], record.Facts["type"]
	unitFacts(&c.Setup, u, record.Facts)
	accounts, _, err := f.store.Accounts(ctx, []store.Unit{u})
	if err != nil {
		return c, err
	}
	if a := accounts[u.Address()]; a != nil {
		if err := f.jobProduct(ctx, &c.Setup, "", a, record.Facts); err != nil {
			return c, err
		}
	}
	if c.Setup.Set, err = f.jobParameters(ctx, record); err != nil {
		return c, err
	}
	if c.Parameters, err = f.store.JobParameters(ctx, true, record.ID); err != nil {
		return c, err
	}
	if c.Type != "" {
		of, err := f.store.TypeID(ctx, c.Type)
		if err != nil {
			return c, err
		}
		typed, err := f.store.JobParameters(ctx, false, of)
		if err != nil {
			return c, err
		}
		c.Parameters = append(c.Parameters, typed...)
	}
	jobs, err := f.store.JobsOf(ctx, u, 5)
	for _, j := range jobs {
		if j.EndedAt == nil {
			c.Open = j.Setup.ID
		}
	}
	return c, err
}

// SetUnitParameter of the unit at an address, or of its type.
func (f *Fleet) SetUnitParameter(ctx context.Context, by store.Actor, address string, p store.JobParameter) error {
	if p.OfUnit {
		return f.SetJobParameter(ctx, by, address, p)
	}
	record, err := f.store.Record(ctx, register.Unit, address)
	if err != nil {
		return err
	}
	if record.Facts["type"] == "" {
		return refusal.New("/ofType", "true", "false: this unit has no type in the register")
	}
	id, err := f.store.TypeID(ctx, record.Facts["type"])
	if err != nil {
		return err
	}
	return f.SetJobParameter(ctx, by, fmt.Sprint(id), p)
}

// jobHolds refuses an entry that would lift the hold of a unit on which a job is under way: it is lifted by the release of the job, or
// after it was cancelled.
func (f *Fleet) jobHolds(ctx context.Context, u store.Unit, h *ledger.History, e ledger.Entry) error {
	if h.Before().Held == nil || h.After(e).Held != nil {
		return nil
	}
	open, err := f.store.OpenJob(ctx, u)
	if err != nil || open == "" || open == e.Envelope.Job {
		return err
	}
	return refusal.New("/kind", string(e.Kind())+", which would lift the hold of a job under way", "the release of that job, or its cancellation first")
}
