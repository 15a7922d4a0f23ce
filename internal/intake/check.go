package intake

import (
	"time"

	"diligentledger/core/access"
	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
)

// Place is what decides beside the account whether an entry is taken into it.
type Place struct {
	// Ended: the unit does not have this circuit any more.
	Ended bool
	// LeftOn is the day on which the unit left the fleet; nil while it is in it.
	LeftOn *measure.Date
	// Zone of the unit's site.
	Zone *time.Location
	// Meant is the instrument of the register that a name may be meant for; empty when the name is an
	// instrument's own, or like no other.
	Meant func(name string) string
	// Verdict of an account: the clock that cannot be evaluated, empty text when all can.
	Evaluate func(*ledger.Account) clock.UnitStatus
}

// Forbidden says that the writer's role may not write such an entry.
type Forbidden struct{ *refusal.Field }

// Check refuses what the writer may not write ([Forbidden]), what cannot be right, and an entry after
// which the account could not be evaluated, though it could before ([refusal.Error]): what a preview
// cannot answer is not written either.
func Check(p Place, w access.Actor, h *ledger.History, e ledger.Entry, now time.Time) error {
	if p.Ended {
		return refusal.New("/kind", string(e.Kind()), "nothing here: the unit does not have this circuit any more")
	}
	if on := p.LeftOn; on != nil && !e.At.Before(on.Start(p.Zone)) {
		return refusal.New("/at", refusal.Moment(e.At), "a time before "+refusal.Day(on.Start(p.Zone))+", when the unit left the fleet; or bring it back first")
	}
	if f := access.CheckIn(w, h, e); f != nil {
		return &Forbidden{f}
	}
	fields := ledger.CheckIn(h, e, now)
	if tool := ledger.ToolOf(e.Body); tool != "" {
		pointer := "/" + ledger.FieldName(e.Kind()) + "/tool"
		if known := p.Meant(tool); known != "" && !e.Confirmed {
			fields = append(fields, &refusal.Field{Pointer: pointer, Got: tool, Accepted: known + ", which is in the register, or another name if it is another instrument", Question: true})
		}
	}
	if len(fields) > 0 {
		return &refusal.Error{Fields: fields}
	}
	failure := func(a *ledger.Account) string {
		if c := p.Evaluate(a).Governing; c.Kind == clock.Evaluation {
			return c.Reason.About.Text
		}
		return ""
	}
	if why := failure(h.EvaluatedAfter(e)); why != "" && failure(h.EvaluatedBefore()) == "" {
		return refusal.New("/kind", string(e.Kind())+", after which "+why+",", "an entry after which the account can be evaluated")
	}
	return nil
}
