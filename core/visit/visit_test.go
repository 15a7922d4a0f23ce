package visit

import (
	"testing"
	"time"

	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/usage"
)

var today = measure.NewDate(2026, time.November, 27)

func at(days int) *measure.Date { d := today.AddDays(days); return &d }

func frost(due, p10 int, v clock.Verdict) clock.Clock {
	return clock.Clock{Kind: clock.Freeze, Verdict: v, Due: at(due), Window: &usage.Window{P10: *at(p10), P50: *at(due), P90: *at(due + 20)}, Reason: clock.Reason{Code: clock.FreezeNight}}
}

func TestHardNight(t *testing.T) {
	raw := clock.Clock{Kind: clock.RawWater, Verdict: clock.Due, Due: at(3), Reason: clock.Reason{Code: clock.RawWet}}
	for _, of := range []struct {
		name   string
		clocks []clock.Clock
		work   clock.Work
		want   int // days from today; -1 for none
		passed bool
	}{
		{"the early end of the window", []clock.Clock{frost(30, 20, clock.Due)}, clock.RenewWork, 20, false},
		{"the likely day once the early end has passed", []clock.Clock{frost(5, -3, clock.Due)}, clock.CorrectWork, 5, false},
		{"both have passed", []clock.Clock{frost(0, -9, clock.Hold)}, clock.CorrectWork, 0, true},
		{"the first of two", []clock.Clock{frost(30, 20, clock.Due), frost(12, 11, clock.Due)}, clock.RenewWork, 11, false},
		{"raw water is drained before its frost, not by a renewal", []clock.Clock{raw}, clock.RawWork, 3, false},
		{"a renewal leaves raw water as it is", []clock.Clock{raw}, clock.RenewWork, -1, false},
		{"a test moves no night", []clock.Clock{frost(30, 20, clock.Due)}, clock.TestWork, -1, false},
		{"protected all year", []clock.Clock{{Kind: clock.Freeze, Verdict: clock.Sound, Reason: clock.Reason{Code: clock.FreezeAll}}}, clock.RenewWork, -1, false},
	} {
		n := HardNight(of.clocks, of.work, today)
		switch {
		case n == nil && of.want >= 0, n != nil && of.want < 0:
			t.Errorf("%s: %v", of.name, n)
		case n != nil && (n.Day != today.AddDays(of.want) || n.Passed != of.passed):
			t.Errorf("%s: %s passed %v", of.name, n.Day, n.Passed)
		}
	}
}

// A night counts whatever its verdict is today, as long as no work on the list prevents it; a test prevents none that is known.
func TestUnprevented(t *testing.T) {
	unknown := clock.Clock{Kind: clock.Freeze, Verdict: clock.Due, Due: at(9), Reason: clock.Reason{Code: clock.FreezeNone}}
	raw := clock.Clock{Kind: clock.RawWater, Verdict: clock.Unknown, Due: at(3), Reason: clock.Reason{Code: clock.RawWet}}
	for _, of := range []struct {
		name   string
		clocks []clock.Clock
		listed []clock.Work
		want   int // days from today; -1 for none
	}{
		{"sound today, five months ahead", []clock.Clock{frost(160, 150, clock.Sound)}, nil, 150},
		{"watched", []clock.Clock{frost(60, 50, clock.Watch)}, nil, 50},
		{"of a raw-water side that is not known", []clock.Clock{raw}, []clock.Work{clock.RenewWork}, 3},
		{"a test prevents no night that is known", []clock.Clock{frost(60, 50, clock.Watch)}, []clock.Work{clock.TestWork, clock.LevelWork}, 50},
		{"a test is what can be asked for where nothing is known", []clock.Clock{unknown}, []clock.Work{clock.TestWork}, -1},
		{"a correction prevents it", []clock.Clock{frost(60, 50, clock.Watch)}, []clock.Work{clock.CorrectWork}, -1},
		{"one of two", []clock.Clock{frost(60, 50, clock.Watch), raw}, []clock.Work{clock.RenewWork}, 3},
		{"after the last day", []clock.Clock{frost(200, 190, clock.Sound)}, nil, -1},
		{"without a day", []clock.Clock{{Kind: clock.Freeze, Verdict: clock.Unknown, Reason: clock.Reason{Code: clock.FreezeNone}}}, nil, -1},
	} {
		n := Unprevented(of.clocks, map[ledger.Circuit][]clock.Work{"": of.listed}, today, today.AddDays(180))
		if (n == nil) != (of.want < 0) || n != nil && n.Day != today.AddDays(of.want) {
			t.Errorf("%s: %+v", of.name, n)
		}
	}
}

// Work on one engine prevents no night of the other.
func TestUnpreventedByCircuit(t *testing.T) {
	port, starboard := frost(60, 50, clock.Watch), frost(60, 50, clock.Watch)
	port.Circuit, starboard.Circuit = "port", "starboard"
	clocks := []clock.Clock{port, starboard}
	one := map[ledger.Circuit][]clock.Work{"port": {clock.RenewWork}}
	if n := Unprevented(clocks, one, today, today.AddDays(180)); n == nil {
		t.Error("a renewal of the port engine was taken to prevent the night of the other")
	}
	one["starboard"] = []clock.Work{clock.CorrectWork}
	if n := Unprevented(clocks, one, today, today.AddDays(180)); n != nil {
		t.Errorf("both are on the list: %+v", n)
	}
}

func TestClocksOfAVisit(t *testing.T) {
	all := []clock.Clock{
		{Kind: clock.Age, Verdict: clock.Due, Due: at(20)},
		{Kind: clock.Use, Verdict: clock.Due, Due: at(40), Window: &usage.Window{P10: *at(50), P50: *at(40), P90: *at(60)}}, // an end out of order is put in order
		frost(30, 20, clock.Hold),
		{Kind: clock.CapDue, Verdict: clock.Unknown},
		{Kind: clock.HoseAge, Verdict: clock.Due, Due: at(9)},
	}
	served, held := Clocks(all, clock.RenewWork, today)
	if len(served) != 3 || !held {
		t.Fatalf("a renewal serves %+v, held %v", served, held)
	}
	for _, c := range served {
		if !(c.P10 <= c.P50 && c.P50 <= c.P90) || c.Renews != (c.Kind == "age" || c.Kind == "use") {
			t.Errorf("%+v", c)
		}
	}
	if served, held := Clocks(all, clock.HoseWork, today); len(served) != 1 || held {
		t.Errorf("new hoses serve %+v, held %v", served, held)
	}
}

func TestWhatAVisitTakes(t *testing.T) {
	for _, of := range []struct {
		kind string
		work clock.Work
		bay  string
	}{{"car", clock.RenewWork, Car}, {"truck", clock.RepairWork, Heavy}, {"motorcycle", clock.RenewWork, Motorcycle}, {"boat", clock.RawWork, Dock}, {"aircraft", clock.RenewWork, Hangar}, {"truck", clock.TestWork, Place}} {
		if got := BayFor(of.kind, of.work); got != of.bay {
			t.Errorf("%s of a %s: %s", of.work, of.kind, got)
		}
	}
	for _, w := range []clock.Work{clock.RenewWork, clock.CorrectWork, clock.TestWork, clock.LevelWork, clock.CapWork, clock.DoseWork, clock.FilterWork, clock.SampleWork, clock.HoseWork, clock.RepairWork, clock.ServiceWork, clock.RawWork} {
		if h := HoursOf(w); !(h.Hands > 0) {
			t.Errorf("%s takes %+v", w, h)
		}
	}
	if got := SkillsFor("car", true); len(got) != 2 {
		t.Errorf("skills beside high voltage: %v", got)
	}
	if got := FollowUps(clock.RenewWork, 3); len(got) != 2 || got[0] != 1 {
		t.Errorf("checks after a renewal: %v", got)
	}
	if got := FollowUps(clock.CapWork, 3); got != nil {
		t.Errorf("checks after a cap test: %v", got)
	}
}

func TestWantedUntil(t *testing.T) {
	level := clock.Clock{Kind: clock.Level, Verdict: clock.Due, Due: at(0), Reason: clock.Reason{Code: clock.LevelLow}}
	test := clock.Clock{Kind: clock.TestDue, Verdict: clock.Overdue, Due: at(-3), Reason: clock.Reason{Code: clock.TestCalendar}}
	age := clock.Clock{Kind: clock.Age, Verdict: clock.Due, Due: at(12), Reason: clock.Reason{Code: clock.AgeRuns}}
	later := clock.Clock{Kind: clock.Age, Verdict: clock.Sound, Due: at(300), Reason: clock.Reason{Code: clock.AgeRuns}}
	port := age
	port.Circuit = "port"
	for _, of := range []struct {
		name   string
		clocks []clock.Clock
		want   []clock.Work
	}{
		{"a top-up governs, and the night counts", []clock.Clock{level, frost(10, 10, clock.Due)}, []clock.Work{clock.CorrectWork}},
		{"a renewal serves test, level and night", []clock.Clock{test, level, age, frost(10, 10, clock.Due)}, []clock.Work{clock.RenewWork}},
		{"what runs out later asks for nothing yet", []clock.Clock{later, test}, []clock.Work{clock.TestWork}},
		{"a window that opens by then", []clock.Clock{frost(60, 13, clock.Watch)}, []clock.Work{clock.CorrectWork}},
		{"each circuit has its own", []clock.Clock{age, port}, []clock.Work{clock.RenewWork, clock.RenewWork}},
		{"nothing", []clock.Clock{later}, nil},
	} {
		got := WantedUntil(of.clocks, today.AddDays(14))
		if len(got) != len(of.want) {
			t.Errorf("%s: %+v", of.name, got)
			continue
		}
		for i, w := range got {
			if w.Work != of.want[i] {
				t.Errorf("%s: %s, want %s", of.name, w.Work, of.want[i])
			}
		}
	}
}
