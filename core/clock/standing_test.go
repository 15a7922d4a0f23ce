package clock

import (
	"slices"
	"testing"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// What stands against running, what was found, and what is owed (common practice
// throughout).
func TestStandingClocks(t *testing.T) {
	filled := []ledger.Entry{ago(300, fill(false)), ago(299, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"}), ago(298, freezeTest(-37, coolant.EG))}
	drained := fill(false)
	drained.Drained = []ledger.Drained{{Point: "petcock", Volume: measure.Reading{Value: 8, Unit: measure.L}}}
	drained.Volume.Value = 7
	for _, c := range []struct {
		name    string
		entries []ledger.Entry
		clock   Kind
		verdict Verdict // empty: there is no such clock
		code    Code
	}{
		{"nothing stands", nil, Holds, "", ""},
		{"a hold", []ledger.Entry{ago(3, ledger.Hold{Why: "leaks"})}, Holds, Hold, HeldByPerson},
		{"released", []ledger.Entry{ago(3, ledger.Hold{Why: "leaks"}), ago(2, ledger.Release{What: "repaired"})}, Holds, "", ""},
		{"air trapped", []ledger.Entry{ago(1, drained)}, Holds, Hold, AirTrapped},
		{"a defect that stops it", []ledger.Entry{ago(1, ledger.Defect{What: "weeps", Severity: "stop"})}, Holds, Hold, StopDefect},
		{"a defect to repair", []ledger.Entry{ago(1, ledger.Defect{What: "weeps", Severity: "repair"})}, Findings, Due, FoundBad},
		{"a defect to watch", []ledger.Entry{ago(1, ledger.Defect{What: "weeps", Severity: "watch"})}, Findings, Watch, FoundSoft},
		{"a bad cap", []ledger.Entry{ago(1, ledger.CapTest{Stage: "first_stage"})}, Findings, Due, FoundBad},
		{"a soft hose", []ledger.Entry{ago(1, ledger.HoseCheck{Hoses: []ledger.HoseFound{{Hose: "upper", State: "soft"}}})}, Findings, Watch, FoundSoft},
		{"book and test disagree", []ledger.Entry{ago(1, freezeTest(-20, coolant.EG))}, Findings, Watch, Discrepancy},
		{"good hoses", []ledger.Entry{ago(1, ledger.HoseCheck{Hoses: []ledger.HoseFound{{Hose: "upper", State: "good"}}})}, Findings, "", ""},
		{"all was followed up", nil, FollowUp, "", ""},
		{"renewed today", []ledger.Entry{ago(0, fill(false))}, FollowUp, Watch, CheckLevel},
		{"renewed yesterday", []ledger.Entry{ago(1, fill(false))}, FollowUp, Due, CheckLevel},
		{"looked at, not tested", []ledger.Entry{ago(3, fill(false)), ago(2, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"})}, FollowUp, Due, CheckRetest},
		{"forgotten", []ledger.Entry{ago(9, fill(false))}, FollowUp, Overdue, CheckLevel},
	} {
		o := evaluated(car, plan, mild, append(slices.Clone(filled), c.entries...)...)
		i := slices.IndexFunc(o.Clocks, func(k Clock) bool { return k.Kind == c.clock })
		switch {
		case i < 0 && c.verdict != "":
			t.Errorf("%s: no %s clock among %v", c.name, c.clock, o.Clocks)
		case i >= 0 && (o.Clocks[i].Verdict != c.verdict || o.Clocks[i].Reason.Code != c.code):
			t.Errorf("%s: %s, %s; want %s, %s", c.name, o.Clocks[i].Verdict, o.Clocks[i].Reason.Code, c.verdict, c.code)
		case c.verdict == Hold && o.Verdict != Hold:
			t.Errorf("%s: the unit is %s", c.name, o.Verdict)
		}
	}
}
