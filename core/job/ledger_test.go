package job

import (
	"math"
	"testing"

	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// The ledger, folded with the entries of a job, says what the sheet said: the volumes and their balance, the strength, the share that is
// new; the retest is done, the level check of the next day is owed, and the hold remains until the release.
func TestLedgerAgrees(t *testing.T) {
	for _, c := range []struct {
		name string
		s    Setup
		f    Faults
	}{
		{"drain-and-fill", car(DrainFill), Faults{Trapped: 0.4}},
		{"plugged spigot", car(FullFlush), Faults{Plugged: PointBlock}},
		{"full flush", car(FullFlush), Faults{Trapped: 0.3}},
		{"correction", car(Correction), Faults{}},
	} {
		t.Run(c.name, func(t *testing.T) {
			u := ledger.Unit{Code: c.s.Address, Kind: "car", Capacity: c.s.Capacity, Base: "EG", Meter: measure.Distance, Cap: c.s.Cap}
			percent := 45.0
			old := conc
			opening := ledger.Entry{ID: EntryID(c.s.ID, "opening"), At: start.AddDate(-2, 0, 0), Body: ledger.Renewal{Volume: litres(c.s.Capacity), Product: old, Share: &percent, Emptied: true}}
			w := newWorker(t, c.s, c.f)
			st := w.run()
			entries := append([]ledger.Entry{opening, HoldEntry(c.s, "hold", start, "under way")}, Entries(c.s, st, func(s Step) string { return s.Key })...)
			for _, e := range entries[2:] {
				if e.RecordedBy != "A. Person" {
					t.Errorf("%s by %q", e.Kind(), e.RecordedBy)
				}
			}
			a := ledger.Fold(u, entries)
			if a.Held == nil {
				t.Error("it is not on hold before the release")
			}
			freeze, err := a.Charge.FreezePoint()
			if truth, _ := w.sim.Truth(); err != nil || math.Abs(float64(freeze-truth)) > 3 {
				t.Errorf("the ledger says %v, in truth %v", freeze, truth)
			}
			owed := map[string]bool{}
			for _, p := range a.Pending {
				owed[p.What] = true
			}
			if owed[ledger.CheckRetest] {
				t.Error("the retest is still owed")
			}
			if c.s.Kind == Correction {
				return
			}
			if !owed[ledger.CheckLevel] {
				t.Error("no level check is owed for the next day")
			}
			var turn *ledger.Turnover
			for i := range a.Lines {
				if a.Lines[i].Turn != nil {
					turn = a.Lines[i].Turn
				}
			}
			b := st.Balance
			if turn == nil || math.Abs(float64(turn.In-b.In)) > 0.01 || math.Abs(float64(turn.Out-b.Out)) > 0.01 || math.Abs(float64(turn.Short-b.Short)) > 0.25 {
				t.Errorf("turnover %+v, balance %+v", turn, b)
			}
			if turn != nil && math.Abs(turn.Share-st.Replaced) > 0.08 {
				t.Errorf("%.3f new by the ledger, %.3f by the sheet", turn.Share, st.Replaced)
			}
		})
	}
}
