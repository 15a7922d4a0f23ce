package job

import (
	"math"
	"slices"
	"testing"

	"diligentledger/core/access"
	"diligentledger/core/coolant"
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

// What was found bad stays bad in the ledger until it is put right: a cap that was fitted again, a drain point that was clear beside one
// that was oily, a thermostat that was fitted again; and an aircraft's new cap is tested, so that its release is not refused.
func TestFindingsStay(t *testing.T) {
	fold := func(w *worker) *ledger.Account {
		u := ledger.Unit{Code: w.s.Address, Kind: w.s.Of, Capacity: w.s.Capacity, Base: "EG", Cap: w.s.Cap, Aircraft: w.s.Of == "aircraft"}
		a := ledger.Fold(u, Entries(w.s, Open(w.s, w.events, w.at()), func(s Step) string { return s.Key }))
		return &a
	}
	grade := func(a *ledger.Account, point string) coolant.Grade {
		for _, f := range a.Findings {
			if f.Point == point {
				return f.Grade
			}
		}
		return ""
	}
	override := func(w *worker, step string) {
		w.role = access.Coordinator
		if w.s.Of == "aircraft" {
			w.role = access.Signatory
		}
		w.add(Event{Type: Overridden, Step: step, Why: "no other at hand"})
	}
	t.Run("cap fitted again", func(t *testing.T) {
		w := newWorker(t, car(DrainFill), Faults{CapBad: true})
		w.change = func(st Step, v map[string]Value) {
			if st.Code == "cap_home" {
				v["cap"] = pick("same")
				delete(v, "opened")
			}
		}
		for range 80 {
			if st := Open(w.s, w.events, w.at()); st.Next == "cap_home" && st.Step("cap_home").Answer != nil {
				override(w, "cap_home")
			} else if !w.next() {
				break
			}
		}
		if st := Open(w.s, w.events, w.at()); !st.Ready || st.Step("cap_home").Status != Overrun {
			t.Fatalf("next %s", st.Next)
		}
		if got := grade(fold(w), "cap"); got != coolant.GradeBad {
			t.Errorf("the cap is %q", got)
		}
	})
	t.Run("oily beside clear", func(t *testing.T) {
		w := newWorker(t, car(FullFlush), Faults{})
		w.change = func(st Step, v map[string]Value) {
			switch {
			case st.Key == "drain:1:petcock":
				v["look"] = pick("oily")
			case st.Code == "drain":
				v["look"] = pick("clear")
			case st.Code == "retest":
				delete(v, "look")
			}
		}
		w.run()
		a := fold(w)
		if !slices.ContainsFunc(a.Unready(), func(s ledger.Stop) bool { return s.Cause == ledger.StopCoolant }) {
			t.Errorf("oily coolant does not stop it: %+v", a.Stops())
		}
		// Seen clear at the retest, it may be released.
		w.change = nil
		w = newWorker(t, car(FullFlush), Faults{})
		w.change = func(st Step, v map[string]Value) {
			if st.Code == "drain" {
				v["look"] = pick("oily")
			}
		}
		w.run()
		if got := fold(w).Unready(); len(got) > 0 {
			t.Errorf("seen clear at the retest, and %+v", got)
		}
	})
	t.Run("thermostat fitted again", func(t *testing.T) {
		s := car(FullFlush)
		s.Options.ThermostatOut = true
		w := newWorker(t, s, Faults{})
		w.change = func(st Step, v map[string]Value) {
			switch st.Code {
			case "thermostat_out":
				v["found"] = pick("bad")
			case "thermostat_in":
				v["thermostat"] = pick("same")
			}
		}
		for range 60 {
			w.next()
		}
		if st := Open(w.s, w.events, w.at()); st.Next != "thermostat_in" {
			t.Errorf("a bad thermostat was fitted again: %s", st.Next)
		}
	})
	t.Run("aircraft", func(t *testing.T) {
		s := Setup{ID: "01931c2e-0000-7000-8000-000000000004", Address: "AC-01", Of: "aircraft", Kind: Aircraft, Capacity: 3, Points: CommonPoints("aircraft", 3, false, false), Product: premix, Target: 0.5,
			Inside: inside(coolant.EG, 3, 0.5), Known: true, Filled: 3, Cap: 90, Stages: 1}
		w := newWorker(t, s, Faults{CapBad: true})
		if st := w.run(); !st.Ready {
			t.Fatal(st.Next)
		}
		if got := fold(w).Unready(); len(got) > 0 {
			t.Errorf("not to be released: %+v", got)
		}
	})
}
