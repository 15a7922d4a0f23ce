package words_test

import (
	"strings"
	"testing"
	"time"

	"diligentledger/core/clock"
	"diligentledger/core/measure"
	"diligentledger/core/schedule"
	"diligentledger/core/visit"
	"diligentledger/internal/words"
)

// Each rule of the plan has a sentence of its own, and something that would have to give; neither shows a code.
func TestPlanWords(t *testing.T) {
	night := measure.NewDate(2027, time.January, 4)
	at := words.Placing{Unit: "CA-14", Bay: "car bay 2", BayKind: "car", Site: "Inland depot", Technician: "T. Quayle", Skills: []string{"car", "high_voltage"}, Day: measure.NewDate(2026, time.December, 3), From: measure.NewDate(2026, time.December, 7),
		Night: &night, Closed: "lift repaired", Absent: "holiday", Away: "on loan", Product: "Norhav OAT premix 50"}
	seen := map[string]schedule.Rule{}
	for _, rule := range schedule.Rules {
		b := schedule.Break{Rule: rule, Hours: 10.25, Limit: 9, Skills: []string{"high_voltage"}}
		said := words.Metric.PlanBreak(b, at)
		need := words.Metric.PlanNeed(schedule.Need{Breaks: []schedule.Break{b}}, at, false)
		for _, text := range []string{said, need} {
			if text == "" || strings.Contains(text, "_") || text == string(rule) {
				t.Errorf("%s: %q", rule, text)
			}
		}
		if other, twice := seen[said]; twice {
			t.Errorf("%s and %s both say %q", rule, other, said)
		}
		seen[said] = rule
	}
	for _, of := range []struct{ got, want string }{
		{words.Metric.PlanBreak(schedule.Break{Rule: schedule.HardNight}, at), "the night of 4 Jan 2027 would catch it"},
		{words.Metric.PlanBreak(schedule.Break{Rule: schedule.BayClosed}, at), "car bay 2 is out of use on Thu 3 Dec 2026: lift repaired"},
		{words.Metric.PlanNeed(schedule.Need{Breaks: []schedule.Break{{Rule: schedule.PersonFull}}}, words.Placing{Site: "Harbour yard", Skills: []string{"boat"}, Day: measure.NewDate(2026, time.December, 3)}, false), "one more boat day at Harbour yard in week 49"},
		{words.Metric.PlanMixing("Norhav OAT concentrate", 3.25, 3.1, 0.5), "3.2 L Norhav OAT concentrate and 3.1 L purified water, 50 % glycol"},
		{words.Metric.PlanMixing("Norhav OAT premix 50", 4.1, 0, 0.5), "4.1 L Norhav OAT premix 50 as it is"},
		{words.PlanHeld(10, 7, 2, 0, 1), "7 of 10 done on their day, 2 on another day of the week, 1 not done"},
		{words.Metric.PlanNight(visit.Night{Day: night}, clock.CorrectWork), "to be done before Mon 4 Jan 2027, the night that its coolant would not hold"},
		{words.Metric.PlanNight(visit.Night{Day: night, Passed: true}, clock.CorrectWork), "the night that its coolant would not hold has come: it must not run until the work is done"},
		{words.Metric.PlanNight(visit.Night{Day: night, Passed: true}, clock.TestWork), "it is not known whether it holds the frost that has come: test it before it runs"},
		{words.Metric.PlanNight(visit.Night{Day: night, Of: clock.RawWater}, clock.RawWork), "to be done before Mon 4 Jan 2027, the first frost for its raw-water side"},
		{words.BayName(visit.Place, 1), "at its place"}, {words.BayName(visit.Dock, 2), "dock 2"},
	} {
		if got := strings.ReplaceAll(of.got, "\u00a0", " "); got != of.want {
			t.Errorf("%q, want %q", got, of.want)
		}
	}
	if us := (words.Reader{Volume: measure.USQt, Dates: words.MonthDayYear, Temperature: measure.DegF, Pressure: measure.Psi, Distance: measure.Mi}).PlanMixing("Norhav", 1, 0, 0.5); !strings.Contains(us, "1.1") {
		t.Errorf("in quarts: %s", us)
	}
}

// A price says what it is made of, and a difference what is more and what is less; nothing worth a word is left out.
func TestPlanPrices(t *testing.T) {
	p := schedule.Price{Life: 11, Overrun: 1.25, Held: 2, Visits: 1, SetUps: 1, Travel: 0.5, Cooling: 4, Overtime: 1, FollowUp: 2}
	for _, plan := range []bool{false, true} {
		if lines := words.PlanPrice(p, plan); len(lines) != 9 {
			t.Errorf("%d lines: %q", len(lines), lines)
		}
	}
	if lines := words.PlanPrice(schedule.Price{}, false); len(lines) != 0 {
		t.Errorf("nothing costs %q", lines)
	}
	lines := strings.Join(words.PlanDifference(schedule.Price{Life: 11, Overtime: -1}), "; ")
	if strings.ReplaceAll(lines, "\u00a0", " ") != "11 days of coolant life thrown away more; 1.0 h of overtime less" {
		t.Errorf("%q", lines)
	}
}
