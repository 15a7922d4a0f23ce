package words

import (
	"fmt"
	"slices"
	"time"

	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/round"
)

// QuestionNames of a walk.
var QuestionNames = map[round.Question]string{round.Level: "level", round.FreezeTest: "freeze test", round.Cap: "pressure cap", round.Hoses: "hoses and clamps",
	round.Meter: "meter", round.Chemistry: "strip and stray voltage", round.Inspection: "other points", round.RawWater: "raw-water side", round.Appearance: "appearance of the coolant"}

// Fit of an instrument for what is inside, as a warning; empty when it fits.
func Fit(f round.Fit, inside coolant.Base) string {
	switch f {
	case round.OtherScale:
		return "This tester has no " + string(inside) + " scale: " + string(inside) + " is inside. Read on the other scale it is not used."
	case round.Density:
		return "PG is inside: discs and hydrometers go by density and give no strength of PG. Use a refractometer."
	case round.Waterless:
		return "A waterless coolant is inside: only a refractometer that shows the share of water can be used."
	case round.NoBase:
		return "Which glycol is inside is not known: the reading is kept and not used."
	}
	return ""
}

// GradeNames of what is found, with what it leads to.
func GradeName(g coolant.Grade, aircraft bool) string {
	switch {
	case g == coolant.GradeBad && aircraft:
		return "must not run until released"
	case g == coolant.GradeBad:
		return "repair: due now"
	case g == coolant.GradeSoft:
		return "watch"
	case g == coolant.GradeGood:
		return "good"
	}
	return "proves nothing"
}

// Option at a point, in the words of the trade.
func Option(o round.Option) string {
	switch {
	case o.State == "good" && o.Clamp != "" && o.Clamp != "good":
		return "clamp " + Name(o.Clamp)
	case o.Clamp != "" && o.State == "good":
		return "good, clamp good"
	}
	return Name(o.State)
}

// Protects is what a test showed: its freeze point with the band in which it lies; why it is not used
// when it is not.
func (r Reader) Protects(t ledger.Reconciliation) string {
	if !t.Trusted {
		return r.Reconciliation(t)
	}
	text := "Protects to " + r.Celsius(t.Measured, 0)
	if t.Low == 0 && t.High == 0 || t.High-t.Low < 0.5 {
		return text
	}
	half := float64(t.High-t.Low) / 2
	if middle := float64(t.High+t.Low)/2 - float64(t.Measured); middle < 0.5 && middle > -0.5 {
		return text + " ± " + r.Kelvin(half, 0)
	}
	return fmt.Sprintf("%s (%s to %s)", text, r.Celsius(t.High, 0), r.Celsius(t.Low, 0))
}

// Effect is what an entry says of its unit, a sentence each; line is its line of a.
func (r Reader) Effect(u Unit, before, after clock.UnitStatus, a *ledger.Account, line int, today measure.Date) (all []string) {
	l := &a.Lines[line]
	site := r.ColdPlace(u.Site, u.Winters, u.ColdOffset)
	if t := l.Test; t != nil {
		all = append(all, r.Protects(*t)+".")
		if i := slices.IndexFunc(after.Clocks, func(c clock.Clock) bool { return c.Kind == clock.Freeze }); i >= 0 && t.Trusted {
			c := after.Clocks[i]
			all = append(all, upperFirst(r.Reason(c, site)))
			if safe := r.Safe(c, today); safe != "" && c.Reason.Code != clock.FreezeNight && c.Reason.Code != clock.FreezeAll {
				all = append(all, upperFirst(safe)+".")
			}
		}
		switch {
		case !t.Trusted:
		case t.Book != nil && !t.Agrees:
			all = append(all, "The book says "+r.Celsius(*t.Book, 0)+": it does not reconcile.")
		default:
			all = append(all, upperFirst(r.Reconciliation(*t))+".")
		}
		if x := a.Explain(line); len(x) > 0 {
			all = append(all, "Likeliest: "+lowerFirst(r.Explanation(x[0], measure.DateOf(x[0].From, u.Zone), measure.DateOf(x[0].To, u.Zone))))
		}
		if d := a.Discrepancy; d != nil && d.Entry == l.Entry.ID {
			_, next := r.Disagreement(d, l, a.Explain(line), u.Zone)
			all = append(all, next...)
		}
	}
	for _, n := range l.Notes {
		if text, warning := Note(n); warning && (l.Test == nil || l.Test.Trusted) {
			all = append(all, upperFirst(text)+".")
		}
	}
	if g := l.Grade; g != "" && g != coolant.GradeGood && found(l.Entry.Kind()) {
		all = append(all, upperFirst(GradeName(g, a.Unit.Aircraft))+".")
	}
	if before.Verdict != after.Verdict {
		change := fmt.Sprintf("Status %s → %s", VerdictNames[before.Verdict], VerdictNames[after.Verdict])
		if reason := r.Reason(after.Governing, site); slices.Contains(all, upperFirst(reason)) {
			all = append(all, change+".")
		} else {
			all = append(all, change+": "+reason)
		}
	}
	return all
}

// found reports whether an entry of a kind is of what was found at points of the system.
func found(k ledger.Kind) bool {
	return k == ledger.KindCapTest || k == ledger.KindHoseCheck || k == ledger.KindInspection
}

// MustNotMove says why a unit must not move; empty when nothing in its status forbids it.
func (r Reader) MustNotMove(u Unit, s clock.UnitStatus) string {
	if s.Verdict != clock.Hold {
		return ""
	}
	return r.Reason(s.Governing, r.ColdPlace(u.Site, u.Winters, u.ColdOffset))
}

// walkOld is how long a walk may lie on a device before it is said (judgement: a working day).
const walkOld = 16 * time.Hour

// WalkAge says that a walk was loaded long ago; empty when it was not.
func (r Reader) WalkAge(age time.Duration) string {
	if age < walkOld {
		return ""
	}
	text := fmt.Sprintf("%.0f hours", age.Hours())
	if age >= 48*time.Hour {
		text = fmt.Sprintf("%.0f days", age.Hours()/24)
	}
	return "This walk was loaded " + text + " ago: what others have recorded since is not in what you see. Load it again."
}

// OwedText is what a walk owes a unit, and why.
func (r Reader) OwedText(o round.Owed, site string) string {
	head := ClockNames[o.Clock.Kind]
	if o.Never {
		head += ", never recorded"
	}
	return head + ": " + r.Reason(o.Clock, site)
}

// WorthReporting reports whether a unit of a round is named in its report: all but what is sound or only
// to be watched.
func WorthReporting(v clock.Verdict) bool { return v != clock.Sound && v != clock.Watch }

// ColdCaution and HotCaution are what a walk asks before anything is opened.
const (
	ColdCaution = "Never open a hot system: pressurised coolant and steam burn. Cold: the gauge is down, the upper hose is cold and soft."
	HotCaution  = "Hot: leave the cap shut. The level is read through the tank and kept as a hot one, which proves nothing; test when it is cold."
)

func upperFirst(s string) string { return changeFirst(s, 'a', 'z', 'A'-'a') }

func lowerFirst(s string) string { return changeFirst(s, 'A', 'Z', 'a'-'A') }

func changeFirst(s string, from, to byte, by int) string {
	if s == "" || s[0] < from || s[0] > to {
		return s
	}
	return string(rune(int(s[0])+by)) + s[1:]
}
