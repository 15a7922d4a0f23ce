package job

import (
	"time"

	"diligentledger/core/access"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// Phase of a job, for the list of what is under way.
type Phase string

// The phases in the order of the work.
const (
	PhasePrepare Phase = "prepare"
	PhaseCooling Phase = "cooling"
	PhaseCleaner Phase = "cleaner" // driven with cleaner inside; the unit may run
	PhaseDrain   Phase = "draining"
	PhaseFlush   Phase = "flushing"
	PhaseFill    Phase = "filling"
	PhaseBleed   Phase = "bleeding"
	PhaseCheck   Phase = "checking"
	PhaseRetest  Phase = "retest"
	PhaseRelease Phase = "release"
	PhaseDone    Phase = "done"
	PhaseEnded   Phase = "cancelled"
)

// Phases in order.
var Phases = []Phase{PhasePrepare, PhaseCooling, PhaseCleaner, PhaseDrain, PhaseFlush, PhaseFill, PhaseBleed, PhaseCheck, PhaseRetest, PhaseRelease, PhaseDone, PhaseEnded}

// Moved is coolant or water that was measured on its way out or in.
type Moved struct {
	Step   string        `json:"step"`
	Point  string        `json:"point,omitempty"` // of what came out
	What   string        `json:"what"`            // coolant, flush, product, water, mix
	Litres measure.Litre `json:"litres"`
	At     time.Time     `json:"at"`
	// Share of product in a mix, by volume before mixing, 0 to 1.
	Share float64 `json:"share,omitempty"`
	// Correction: it belongs to the correction of a mix, not to a fill.
	Correction bool `json:"correction,omitempty"`
	nth        int  // in the order of the sheet, in which the work is done
}

// Balance of the last fill: as much in as out and had been missing before.
type Balance struct {
	Out     measure.Litre `json:"out"`
	Missing measure.Litre `json:"missing,omitempty"` // before the drain, by the book
	In      measure.Litre `json:"in"`
	// Short is how much less went in; Allowed by how much may, see [ledger.AllowedShort].
	Short   measure.Litre `json:"short"`
	Allowed measure.Litre `json:"allowed"`
	// Unknown: what came out was not measured.
	Unknown bool `json:"unknown,omitempty"`
	Holds   bool `json:"holds"`
}

// State of a job: all that follows from its setup and its events.
type State struct {
	Steps []Step `json:"steps"`
	// Next is the key of the step to do; empty when there is none.
	Next  string `json:"next,omitempty"`
	Phase Phase  `json:"phase"`
	// Inside the system now; Before as it was at the beginning.
	Inside Contents `json:"inside"`
	Before Contents `json:"before"`
	Out    []Moved  `json:"out,omitempty"`
	In     []Moved  `json:"in,omitempty"`
	// Balance of the last fill; nil before anything was poured.
	Balance *Balance `json:"balance,omitempty"`
	// Plan is what to pour next; nil where nothing is to be poured.
	Plan *Plan `json:"plan,omitempty"`
	// Gates that are passed or overridden, and those that failed.
	Gates map[Gate]Status `json:"gates"`
	// Stop is why the engine is to be stopped at once, as a code; empty for no reason.
	Stop string `json:"stop,omitempty"`
	// Empty: coolant is out and the system is not filled, so that the engine must not be started.
	Empty bool `json:"empty,omitempty"`
	// FlushInside: what fills the system is flush water, which freezes at 0 °C and protects nothing.
	FlushInside bool `json:"flushInside,omitempty"`
	// Pause under way; nil while the work goes on.
	Pause *Event `json:"pause,omitempty"`
	// Holds: the unit must be on hold until it is released.
	Holds bool `json:"holds"`
	// Ready to be posted to the ledger and released.
	Ready     bool   `json:"ready"`
	Posted    *Event `json:"posted,omitempty"`
	Released  *Event `json:"released,omitempty"`
	Cancelled *Event `json:"cancelled,omitempty"`
	// Unplaced are answers to steps that are not reached, or no longer there.
	Unplaced []Event `json:"unplaced,omitempty"`
	// Fraction of the charge that is new, 0 to 1, by what was measured.
	Replaced float64 `json:"replaced"`
	// Aim is the freeze point that the retest is held against; nil when there is none.
	Aim *measure.Celsius `json:"aim,omitempty"`
	// Measured freeze point of the last retest that counts; nil for none.
	Measured *measure.Celsius `json:"measured,omitempty"`
	// People who recorded something, in order.
	People []string `json:"people,omitempty"`

	flushes    int
	lastFill   []Moved // what the last draining took out
	filledFrom int     // index into In, of the last fill
	filledAt   time.Time
	flushIn    []Moved
	residual   measure.Litre // inside when the last fill began
}

// MayOverride reports whether a role may take on a gate that is not passed. No role may open a system
// that is not shown to be cold, and a release is never overridden.
func (s Setup) MayOverride(r access.Role, g Gate) bool {
	if g == "" || g == GateCold || g == GateRelease {
		return false
	}
	for _, may := range access.Permitted(access.LiftsHold, s.Of == "aircraft") {
		if may == r {
			return true
		}
	}
	return false
}

// MayRelease reports whether a role may release the unit.
func (s Setup) MayRelease(r access.Role) bool {
	for _, may := range access.Permitted(access.Releases, s.Of == "aircraft") {
		if may == r {
			return true
		}
	}
	return false
}

// Step of that key; nil when there is none.
func (st State) Step(key string) *Step {
	for i := range st.Steps {
		if st.Steps[i].Key == key {
			return &st.Steps[i]
		}
	}
	return nil
}

// Drained litres of all points in the last draining, and by what was coolant at first.
func (st State) outOf(what string) (v measure.Litre) {
	for _, m := range st.Out {
		if m.What == what {
			v += m.Litres
		}
	}
	return v
}

// Used coolant that came out, and flush water, L: what goes to the waste drum.
func (st State) Used() (coolant, flush measure.Litre) { return st.outOf("coolant"), st.outOf("flush") }

// balance of what the last draining took out and of what went in since.
func balance(s Setup, st *State, missing measure.Litre, outUnknown, hot bool) *Balance {
	b := &Balance{Unknown: outUnknown, Missing: missing}
	outs := make([]measure.Litre, 0, len(st.lastFill))
	for _, m := range st.lastFill {
		outs = append(outs, m.Litres)
		b.Out += m.Litres
	}
	for _, m := range st.In[st.filledFrom:] {
		b.In += m.Litres
	}
	doubt := 0.0
	if missing > 0 {
		doubt = s.Doubt
	}
	b.Short = b.Out + missing - b.In
	b.Allowed = ledger.AllowedShort(s.Of, outs, b.In, doubt, hot, s.Capacity)
	b.Holds = !outUnknown && b.Short <= b.Allowed
	return b
}
