// Package clock evaluates when each thing about a unit's coolant runs out, and why.
//
// Several clocks run at once: months since the renewal, distance or engine hours since the
// renewal, the protection against the coldest night to come, the level, tests, cap, hoses and
// chemistry. The first to run out governs the unit. Inputs are the account
// ([ledger.Account]), the service plan ([serviceplan.Plan]), the site's cold
// ([climate.Climate]) and the day of evaluation; a reason is a code with its numbers.
//
// # Windows
//
// An uncertain day is a window: one in ten before P10, half before P50, nine in ten before
// P90. How often the windows hold what came is measured by internal/backtest; the figures are
// in docs/forecast.md.
package clock

import (
	"fmt"
	"math"
	"slices"
	"sync"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
	"diligentledger/core/usage"
)

// Verdict on a clock or a unit.
type Verdict string

// The verdicts, worst first. This is the order of [Verdicts]: a unit's verdict is
// the worst of its clocks'.
const (
	Hold    Verdict = "hold"    // must not run
	Overdue Verdict = "overdue" // its day has passed
	Due     Verdict = "due"     // inside its window
	Watch   Verdict = "watch"   // the window opens soon, or a soft finding
	Unknown Verdict = "unknown" // never measured: itself a reason to act
	Sound   Verdict = "sound"
)

// Verdicts, worst first.
var Verdicts = []Verdict{Hold, Overdue, Due, Watch, Unknown, Sound}

// Rules is the version of the clocks: raised when the same account and conditions come to give
// another status.
const Rules = 4

// Rank of the verdict, 0 for the worst.
func (v Verdict) Rank() int { return slices.Index(Verdicts, v) }

// VerdictOf a rank; [Unknown] for a rank that no verdict has.
func VerdictOf(rank int) Verdict {
	if rank < 0 || rank >= len(Verdicts) {
		return Unknown
	}
	return Verdicts[rank]
}

// Windows in days before a clock runs out (common practice: a month to book the
// bay, a quarter to see it coming).
const (
	dueDays   = 30
	watchDays = 90
)

// Nights the cold curve is searched for: two years hold every season
// twice (judgement).
const SearchNights = 730

// StaleMonths after which a freeze point no one has tested is no longer taken
// on trust: one year and a month, so that each winter sees one test (common
// practice).
const StaleMonths = 13

// Kind names what runs out.
type Kind string

// The clocks of this package.
const (
	Age    Kind = "age"
	Use    Kind = "use"
	Freeze Kind = "freeze"
	Level  Kind = "level"
)

// Code of a reason; the numbers that go with each are given beside it.
type Code string

// The reasons.
const (
	AgeRuns    Code = "age_runs"     // used, limit: months
	AgeUnknown Code = "age_unknown"  // limit: months; no fill is written down
	UseRuns    Code = "use_runs"     // used, limit: km or h; rate: per week; low, high: P10 and P90 of used, by today; suspects: readings left out; changed: 1 when used otherwise lately; few: 1 when it rests on few readings
	UseLaidUp  Code = "use_laid_up"  // used, limit; the unit is laid up
	UseNoRate  Code = "use_no_rate"  // used, limit; readings: how many there are
	UseNoStart Code = "use_no_start" // limit; no meter reading at the renewal
	UseNoMeter Code = "use_no_meter" // limit; the unit has no meter
	// UseOtherMeter: the plan's limits, km and hours, are of another kind than the unit's meter.
	UseOtherMeter Code = "use_other_meter"
	// UseReadMeter has the numbers of UseRuns: over its limit by the estimate, and not for sure.
	UseReadMeter Code = "use_read_meter"
	// UseNoDay has the numbers of UseRuns: no day can be computed.
	UseNoDay        Code = "use_no_day"
	FreezeNight     Code = "freeze_night"     // protects, margin, limit = protects + margin, need that night, coldest: °C and K; drift: K a year that the freeze point rises; forecast: 1 when the weather service says so
	FreezeNow       Code = "freeze_now"       // the same; tonight may already be too cold
	FreezeAll       Code = "freeze_all"       // protects, coldest, margin: protected all year
	FreezeNarrow    Code = "freeze_narrow"    // the same, and high: the warm end of the book's band, which is not
	FreezeStale     Code = "freeze_stale"     // the same, months since a test or fill, stale: months that are too many
	FreezeUntrusted Code = "freeze_untrusted" // measured; the last test cannot be trusted, see Note
	FreezeNone      Code = "freeze_unknown"   // nothing is known of what is inside
	FreezeBound     Code = "freeze_bound"     // protects at least to, margin, coldest: it is not known which glycol is inside
	LevelHolds      Code = "level_holds"      // litres, full; low, hold: L that may be missing before due, before hold
	LevelLow        Code = "level_low"        // the same, and missing
	LevelCommon     Code = "level_common"     // the same; the capacity is a common value of the unit's type
	LevelUnseen     Code = "level_unseen"     // no fill and no cold level since the strength came to be known by a test
	LevelUnjudged   Code = "level_unjudged"   // the last cold level could not be judged: the marks of the tank are not known
	FreezeSingle    Code = "freeze_single"    // protects, margin, coldest; about: the instrument; it rests on one test that was not zeroed
	LevelFalls      Code = "level_falls"      // the same; days until so much is missing that it must not run
)

// Reason of a clock: a code and the numbers in it.
type Reason struct {
	Code    Code
	Numbers map[string]float64
	Note    ledger.Note // why a test was not trusted
	// About is what the reason is about: see the code.
	About ledger.Subject
	// Remedy that puts it right; empty for none.
	Remedy coolant.Remedy
}

// Clock is one clock of a unit, as of today.
type Clock struct {
	Kind    Kind
	Verdict Verdict
	// Due is the day it runs out, as likely sooner as later; nil when it never
	// does, or it is not known.
	Due *measure.Date
	// Window of days around it; nil when the day is sure, or unknown.
	Window *usage.Window
	// Remaining is the share of the interval that is left, 0 to 1; nil when unknown.
	Remaining *float64
	Reason    Reason
	// Interval of the plan that runs, "first" or "later", or "conventional" where foreign
	// product shortens it; empty for a clock without one.
	Interval string
	Unit     measure.Unit // of the use clock's numbers
	// Circuit of the unit that it is of; empty for a unit with one.
	Circuit ledger.Circuit
}

// UnitStatus is what a unit's clocks say together.
type UnitStatus struct {
	Verdict   Verdict
	Governing Clock
	Clocks    []Clock // the governing one first
}

// Conditions is what a unit's clocks depend on besides its own books and its plan.
type Conditions struct {
	// Climate of its site.
	Climate *climate.Climate
	// Zeroed gives when each instrument was last zeroed, in the books of any unit.
	Zeroed map[string]time.Time
	// Zone of the site, in which a moment falls on a day; UTC when nil.
	Zone *time.Location
}

// Evaluation is the clock of a unit whose books or clocks cannot be evaluated.
const Evaluation Kind = "evaluation"

// NotEvaluated is its reason; about: the error.
const NotEvaluated Code = "not_evaluated"

// unevaluated is unknown, with the error.
func unevaluated(why string) UnitStatus {
	c := Clock{Kind: Evaluation, Verdict: Unknown, Reason: Reason{Code: NotEvaluated, About: ledger.Subject{Text: why}}}
	return UnitStatus{Verdict: Unknown, Governing: c, Clocks: []Clock{c}}
}

// NotEvaluatedYet is the clock of a unit whose status rests on a day, a plan or rules that no
// longer hold: it is unknown until it is evaluated anew.
func NotEvaluatedYet() Clock {
	return unevaluated("it is being evaluated for today").Governing
}

// Evaluate the clocks of an account as of a day. Books that cannot be evaluated are unknown,
// with the error: one unit never takes down the answer about another. The laws show that no
// clock panics; the guard holds for what they have not drawn.
func Evaluate(a *ledger.Account, p serviceplan.Plan, around Conditions, day measure.Date) (o UnitStatus) {
	if a.Failure != "" {
		return unevaluated(a.Failure)
	}
	defer func() {
		if cause := recover(); cause != nil {
			o = unevaluated(fmt.Sprintf("the clocks of %s cannot be evaluated: %v", a.Unit.Code, cause))
		}
	}()
	o = evaluate(a, p, around, day)
	for _, c := range o.Clocks {
		for name, v := range c.Reason.Numbers {
			if math.IsNaN(v) || math.IsInf(v, 0) {
				return unevaluated(fmt.Sprintf("%s of the %s clock of %s cannot be computed", name, c.Kind, a.Unit.Code))
			}
		}
	}
	return o
}

// evaluate is [Evaluate] without its guard.
func evaluate(a *ledger.Account, p serviceplan.Plan, around Conditions, day measure.Date) UnitStatus {
	now := dayInZone(day, around.Zone)
	use := metersOf(a, around, now)
	clocks := make([]Clock, 1, 16)
	clocks[0] = freezeClock(a, p, around, now)
	if a.Known {
		clocks = append(clocks, levelClock(a, use, now))
	}
	for _, standing := range []func(*ledger.Account, evaluationDay) (Clock, bool){holdClock, findingsClock} {
		if c, ok := standing(a, now); ok {
			clocks = append(clocks, c)
		}
	}
	if c, ok := followUpClock(a, p, now); ok {
		clocks = append(clocks, c)
	}
	clocks = appendCalendar(clocks, a, p, around, now)
	clocks = appendParts(clocks, a, p, use, now)
	clocks = appendMix(clocks, a, p, use, around, now)
	if c, ok := rawWaterClock(a, p, around.Climate, now); ok {
		clocks = append(clocks, c)
	}
	interval, shorter := conventional(p.ActiveInterval(a.Factory), a)
	name := "later"
	switch {
	case shorter:
		name = "conventional"
	case a.Factory:
		name = "first"
	}
	if interval.Months > 0 {
		c := ageClock(a, interval.Months, now)
		c.Interval = name
		clocks = append(clocks, c)
	}
	if interval.Km > 0 || interval.Hours > 0 {
		for _, c := range useClocks(a, interval, use, now) {
			c.Interval = name
			clocks = append(clocks, c)
		}
	}
	slices.SortStableFunc(clocks, ByUrgency)
	return UnitStatus{Verdict: clocks[0].Verdict, Governing: clocks[0], Clocks: clocks}
}

// ByUrgency orders clocks for sorting: the worst verdict first and, within a verdict, the clock that
// runs out first; a clock that never runs out comes last.
func ByUrgency(a, b Clock) int {
	if a.Verdict != b.Verdict {
		return a.Verdict.Rank() - b.Verdict.Rank()
	}
	switch {
	case a.Due != nil && b.Due != nil:
		return a.Due.Compare(*b.Due)
	case a.Due != nil:
		return -1
	case b.Due != nil:
		return 1
	}
	return 0
}

// windowLead in days: a window that opens so soon is due, whatever its middle
// (judgement: a week to book the bay).
const windowLead = 7

// verdictIn is the verdict of a clock that runs out in a window.
func verdictIn(w usage.Window, today evaluationDay) Verdict {
	v := verdictOn(w.P50, today)
	if v.Rank() > Due.Rank() && today.until(w.P10) <= windowLead {
		return Due
	}
	return v
}

// verdictOn is the verdict of a clock that runs out on due.
func verdictOn(due measure.Date, today evaluationDay) Verdict {
	switch days := today.until(due); {
	case days < 0:
		return Overdue
	case days <= dueDays:
		return Due
	case days <= watchDays:
		return Watch
	}
	return Sound
}

func ageClock(a *ledger.Account, limit int, today evaluationDay) Clock {
	if a.Balance.RenewedAt == nil {
		return Clock{Kind: Age, Verdict: Unknown, Reason: Reason{Code: AgeUnknown, Numbers: map[string]float64{"limit": float64(limit)}}}
	}
	renewed := today.of(*a.Balance.RenewedAt)
	due := monthsAfter(a, renewed, limit)
	used := measure.MonthsBetween(renewed, today.Date)
	left := share(1 - used/float64(limit))
	return Clock{Kind: Age, Verdict: verdictOn(due, today), Due: &due, Remaining: &left,
		Reason: Reason{Code: AgeRuns, Numbers: map[string]float64{"used": used, "limit": float64(limit)}}}
}

// monthsAfter a day; for an aircraft to the end of that month, as its approved data count calendar
// months (common practice).
func monthsAfter(a *ledger.Account, from measure.Date, months int) measure.Date {
	due := from.AddMonths(months)
	if a.Unit.Aircraft {
		return due.EndOfMonth()
	}
	return due
}

func share(x float64) float64 { return math.Max(0, math.Min(1, x)) }

// meters of a unit, each with the model of its use, computed when it is asked for first.
type meters []meterUse

type meterUse struct {
	dimension measure.Dimension
	log       *ledger.MeterLog
	model     func() *usage.Model
}

// rests of an account up to now, with the one that runs.
func rests(a *ledger.Account, now evaluationDay) []usage.Rest {
	if l := a.LaidUp; l != nil && l.At.Before(now.noon()) {
		return append(slices.Clip(a.Rests), usage.Rest{From: l.At, To: now.noon()})
	}
	return a.Rests
}

func metersOf(a *ledger.Account, around Conditions, now evaluationDay) (all meters) {
	for _, d := range []measure.Dimension{a.Unit.Meter, a.Unit.Second} {
		if d == "" {
			continue
		}
		log := a.MeterOf(d)
		all = append(all, meterUse{d, log, sync.OnceValue(func() *usage.Model {
			model := usage.NewModel(log.Readings, usage.ProfileOf(a.Unit.Kind, around.Climate.Southern()), now.noon(), rests(a, now)...)
			return &model
		})})
	}
	return all
}

// useClocks are one for each meter that the plan limits; one of unknown use when there is no such
// meter.
func useClocks(a *ledger.Account, interval serviceplan.Interval, use meters, today evaluationDay) (clocks []Clock) {
	if len(use) == 0 {
		return []Clock{{Kind: Use, Verdict: Unknown, Reason: Reason{Code: UseNoMeter, Numbers: map[string]float64{"limit": max(float64(interval.Km), float64(interval.Hours))}}}}
	}
	for _, m := range use {
		if limit := interval.Limit(m.dimension); limit > 0 {
			clocks = append(clocks, useClock(a, limit, m, today))
		}
	}
	if len(clocks) == 0 {
		// The plan counts what no meter of the unit does.
		clocks = []Clock{{Kind: Use, Verdict: Unknown, Reason: Reason{Code: UseOtherMeter, Numbers: map[string]float64{"km": float64(interval.Km), "hours": float64(interval.Hours)}}}}
	}
	return clocks
}

// useClock of one meter, limit in km or h.
func useClock(a *ledger.Account, limit float64, meter meterUse, today evaluationDay) Clock {
	c := Clock{Kind: Use, Verdict: Unknown, Unit: measure.Units(meter.dimension)[0]}
	start, ok := a.RenewalOn(meter.dimension)
	if !ok {
		c.Reason = Reason{Code: UseNoStart, Numbers: map[string]float64{"limit": limit}}
		return c
	}
	model := meter.model()
	if !model.Known {
		used := model.Last.Value - start
		c.Reason = Reason{Code: UseNoRate, Numbers: map[string]float64{"used": used, "limit": limit, "readings": float64(len(meter.log.Readings))}}
		if used >= limit {
			c.Verdict = Overdue
		}
		return c
	}
	// Laid up, the meter does not move; the months run on.
	until := today.noon()
	if l := a.LaidUp; l != nil && l.At.Before(until) {
		until = l.At
	}
	low, at, high, _ := model.At(until)
	used := at - start
	left := share(1 - used/limit)
	c.Remaining = &left
	c.Reason = Reason{Code: UseRuns, Numbers: map[string]float64{"used": used, "limit": limit, "rate": 7 * model.Rate,
		"outliers": float64(len(model.Outliers)), "changed": indicator(model.Changed), "low": math.Max(low-start, 0), "high": high - start,
		"few": indicator(model.Segments < fewSegments), "read": math.Max(model.Last.Value-start, 0),
		"season": indicator(model.SingleRest || model.Seasons < 2 && model.SeasonRange > 0.5)}}
	w, ok := model.Reaches(start + limit)
	if a.LaidUp != nil && used < limit {
		c.Verdict, c.Reason.Code = Sound, UseLaidUp
		return c
	}
	switch {
	case used >= limit:
		due := today.Date
		if d := today.of(w.P50); ok && d.Before(due) {
			due = d
		}
		c.Due, c.Verdict = &due, Overdue
		if model.Last.Value-start < limit && low-start < limit {
			c.Reason.Code = UseReadMeter // by the estimate alone
		}
	case !ok && !model.Idle && (model.Rate <= 0 || model.Seasons < 1):
		// No day can be computed, and less than a year of readings does not show that it is
		// hardly used: they may lie in its rest.
		c.Verdict, c.Reason.Code = Unknown, UseNoDay
	case !ok:
		c.Verdict = Sound // it is not used
	default:
		days := w.Days(today.zone)
		c.Due, c.Window, c.Verdict = &days.P50, &days, verdictIn(days, today)
	}
	return c
}

// fewSegments of a month are too few for a narrow window: the reason says so (judgement;
// docs/forecast.md has the backtest of the windows).
const fewSegments = 3

func indicator(on bool) float64 {
	if on {
		return 1
	}
	return 0
}

func freezeClock(a *ledger.Account, p serviceplan.Plan, around Conditions, today evaluationDay) Clock {
	cold := around.Climate
	c := Clock{Kind: Freeze}
	protects := a.ProtectsTo()
	bound := protects == nil && a.Bound != nil
	if bound {
		protects = a.Bound
	}
	if protects == nil {
		c.Verdict, c.Reason = Unknown, Reason{Code: FreezeNone}
		if a.WaterIn {
			c.Reason = Reason{Code: FreezeUntrusted, Note: ledger.NoteWaterIn}
		} else if d := a.Distrusted; d != nil {
			c.Reason = Reason{Code: FreezeUntrusted, Numbers: map[string]float64{"measured": float64(d.Measured)}, Note: d.Note}
		}
		// Water may be inside: from a month before the first frost on it is due.
		if frost, ok := cold.FirstBelow(0, today.Date, frostDays); ok {
			c.Verdict, c.Due = Due, &frost
		}
		return c
	}
	margin := measure.Celsius(p.FreezeMargin)
	numbers := map[string]float64{"protects": float64(*protects), "margin": float64(margin),
		"limit": float64(*protects + margin), "coldest": float64(cold.Coldest()), "stale": StaleMonths}
	drift := driftOf(a)
	// What is known of the strength is from the last test or fill: the doubt has grown
	// since.
	expected := climate.Protection{At: *protects + margin, Drift: drift.perDay, Since: sinceKnown(a, today)}
	night, caught := cold.FirstBelowProtection(expected, today.Date, SearchNights)
	// The warm and the cold end of nine tenths of the book's band, which widens as
	// no test is made.
	warm, chilly := expected, expected
	warm.Wide, chilly.Wide, warm.DriftSigma, chilly.DriftSigma = usage.Z90, -usage.Z90, drift.sigma, drift.sigma
	if b := a.Balance; b.High != nil && b.Freeze != nil {
		warm.Spread = math.Max(0, float64(*b.Freeze+(*b.High-*b.Freeze)*bandShare-*protects)) / usage.Z90
		chilly.Spread = math.Max(0, float64(*protects-*b.Freeze-(*b.Low-*b.Freeze)*bandShare)) / usage.Z90
	}
	first, narrow := cold.FirstBelowProtection(warm, today.Date, SearchNights)
	if drift.perDay*measure.DaysPerYear >= minDrift {
		numbers["drift"] = drift.perDay * measure.DaysPerYear
	}
	if bound {
		return boundClock(c, numbers, night, caught, today)
	}
	if !caught {
		one := 1.0
		c.Verdict, c.Remaining, c.Reason = Sound, &one, Reason{Code: FreezeAll, Numbers: numbers}
		if narrow && today.until(first) < 365 {
			numbers["high"] = float64(warm.On(today.until(first)) - margin)
			c.Verdict, c.Due, c.Remaining, c.Reason.Code = Watch, &first, nil, FreezeNarrow
			return c
		}
		return c.whenUntested(a, today, numbers).whenSingle(a, around.Zeroed, numbers)
	}
	last, ends := cold.FirstBelowProtection(chilly, today.Date, SearchNights)
	if !ends {
		last = night.AddDate(1, 0, 0)
	}
	c.Window = &usage.Window{P10: first, P50: night, P90: last}
	numbers["need"] = float64(cold.PlannedMinimum(night))
	if t, known := cold.Forecast(night); known && t == cold.PlannedMinimum(night) {
		numbers["forecast"] = 1
	}
	left := share(float64(today.until(night)) / 365)
	c.Due, c.Remaining, c.Reason = &night, &left, Reason{Code: FreezeNight, Numbers: numbers}
	c.Verdict = verdictIn(*c.Window, today)
	if night.Equal(today.Date) {
		c.Verdict, c.Reason.Code = Overdue, FreezeNow
		if cold.PlannedMinimum(today.Date) < *protects {
			c.Verdict = Hold
		}
	}
	return c.whenUntested(a, today, numbers).whenSingle(a, around.Zeroed, numbers)
}

// frostDays before the first frost from which on a unit of unknown contents is due
// (a month to get it tested).
const frostDays = 31

// boundClock is the freeze clock of a unit of which it is not known which glycol
// is inside: the warmer of what its tests can mean. It is never sound.
func boundClock(c Clock, numbers map[string]float64, night measure.Date, caught bool, today evaluationDay) Clock {
	c.Verdict, c.Reason = Watch, Reason{Code: FreezeBound, Numbers: numbers}
	if caught {
		c.Due, c.Window = &night, &usage.Window{P10: night, P50: night, P90: night}
		if v := verdictOn(night, today); v.Rank() < c.Verdict.Rank() {
			c.Verdict = v
		}
		if night.Equal(today.Date) {
			c.Verdict = Overdue
		}
	}
	return c
}

// bandShare of the book's band of two standard uncertainties lies between the
// 10th and the 90th percentile.
const bandShare = usage.Z90 / 2

// minDrift in K a year from which on the reason names it (judgement: half of what an
// instrument shows).
const minDrift = 0.5

// drift is how fast the freeze point rises, K a day, and the doubt of it.
type drift struct{ perDay, sigma float64 }

// driftOf an account. Coolant that grows stronger by itself is not counted upon.
func driftOf(a *ledger.Account) drift {
	k := a.FreezePerStrength() / measure.DaysPerYear
	perYear, sigma := a.Drift()
	return drift{math.Max(0, k*perYear), math.Abs(k * sigma)}
}

// sinceKnown is how many days ago the strength was last known.
func sinceKnown(a *ledger.Account, today evaluationDay) int {
	n := len(a.Strengths)
	if n == 0 {
		return 0
	}
	return max(0, today.since(today.of(a.Strengths[n-1].At)))
}

// single is the one test, not zeroed, that the strength rests on alone; nil when its instrument was zeroed in the
// books of another unit in the month before.
func single(a *ledger.Account, zeroed map[string]time.Time) *ledger.TestMark {
	s := a.Single
	if s == nil || s.Instrument != ledger.Refractometer {
		return s
	}
	if at, ok := zeroed[s.Tool]; ok && s.Tool != "" && !at.After(s.At) && s.At.Sub(at).Hours()/24 <= coolant.ZeroMonth {
		return nil
	}
	return s
}

// whenSingle lowers a freeze clock that would be sound but rests on one test alone.
func (c Clock) whenSingle(a *ledger.Account, zeroed map[string]time.Time, numbers map[string]float64) Clock {
	s := single(a, zeroed)
	if c.Verdict != Sound || s == nil {
		return c
	}
	c.Verdict, c.Remaining, c.Reason = Watch, nil, Reason{Code: FreezeSingle, Numbers: numbers, About: singleAbout(s)}
	return c
}

func singleAbout(s *ledger.TestMark) ledger.Subject {
	if s.Tool != "" {
		return ledger.Subject{Text: s.Tool}
	}
	return ledger.Subject{Point: s.Instrument}
}

// whenUntested lowers a freeze clock that would be sound but rests on a test that
// cannot be trusted, or on none for longer than a winter.
func (c Clock) whenUntested(a *ledger.Account, today evaluationDay, numbers map[string]float64) Clock {
	if c.Verdict != Sound {
		return c
	}
	if d := a.Distrusted; d != nil {
		numbers["measured"] = float64(d.Measured)
		c.Verdict, c.Remaining, c.Reason = Watch, nil, Reason{Code: FreezeUntrusted, Numbers: numbers, Note: d.Note}
		return c
	}
	var since time.Time
	if a.Balance.RenewedAt != nil {
		since = *a.Balance.RenewedAt
	}
	if a.LastTest != nil && a.LastTest.At.After(since) {
		since = a.LastTest.At
	}
	if age := measure.MonthsBetween(today.of(since), today.Date); age >= StaleMonths {
		numbers["months"] = age
		c.Verdict, c.Remaining, c.Reason = Watch, nil, Reason{Code: FreezeStale, Numbers: numbers}
	}
	return c
}
