package words

import (
	"fmt"
	"time"

	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// Tag is what the label of a unit says: product and strength inside, when it was renewed, and what is due
// next.
func (r Reader) Tag(a *ledger.Account, s clock.UnitStatus, zone *time.Location) []string {
	inside := "coolant not known"
	switch {
	case a.Product != nil:
		inside = a.Product.Name
	case a.Base.Known():
		inside = string(a.Base) + ", product not known"
	}
	if g := a.Balance.Glycol; g != nil {
		inside += ", " + percent(100**g)
	} else {
		inside += ", strength not known"
	}
	renewed := "renewal not recorded"
	if at := a.Balance.RenewedAt; at != nil {
		renewed = "renewed " + r.Date(measure.DateOf(*at, zone))
	}
	due := "next due: not known"
	if c := s.Governing; c.Due != nil {
		due = fmt.Sprintf("next due %s: %s", r.Date(*c.Due), lowerFirst(ClockNames[c.Kind]))
	} else if s.Verdict == clock.Hold {
		due = "must not run"
	}
	return []string{inside, renewed, due}
}

// RoundProgress is how far a round is.
func RoundProgress(done, skipped, waiting, held int, closed bool) string {
	text := fmt.Sprintf("%d of %d done", done, done+skipped+waiting)
	if skipped > 0 {
		text += fmt.Sprintf(", %d skipped", skipped)
	}
	if waiting > 0 && closed {
		text += fmt.Sprintf(", %d not visited", waiting)
	}
	if held > 0 {
		text += fmt.Sprintf(", %d on hold", held)
	}
	return text
}

// Found on a unit of a round that is not good, as one line.
func (r Reader) Found(unit string, c clock.Clock, place string) string {
	return unit + " " + VerdictNames[c.Verdict] + ": " + r.Reason(c, place)
}

// RoundInstrument is an instrument as a round offers it: its kind and scale, its last zero check and, of
// strips, their last day.
func (r Reader) RoundInstrument(kind, scale string, zeroed *time.Time, until *measure.Date, zone *time.Location) string {
	text := "kind not in the register"
	if kind != "" {
		text = Name(kind)
	}
	switch scale {
	case "":
	case "EG_PG":
		text += ", scales EG and PG"
	case "brix":
		text += ", scale °Bx"
	default:
		text += ", scale " + scale
	}
	if zeroed != nil {
		text += ", zero checked " + r.Date(measure.DateOf(*zeroed, zone))
	}
	if until != nil {
		text += ", good until " + r.Date(*until)
	}
	return text
}
