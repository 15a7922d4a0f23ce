package words

import (
	"go/ast"
	"go/parser"
	"go/token"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/climate"
	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
	"diligentledger/core/usage"
)

type numbers = map[string]float64

// Every reason of the clocks besides those of the mix, with its numbers, as a metric reader and
// as a reader of °F, US quarts and miles has it.
func TestReasonsOfEachClock(t *testing.T) {
	us := Reader{measure.DegF, measure.USQt, measure.Psi, measure.Mi, MonthDayYear, measure.EitherMark}
	use := numbers{"used": 64_374, "limit": 80_467, "rate": 3.2, "few": 1, "season": 1, "changed": 1, "outliers": 1, "read": 60_000}
	freeze := numbers{"protects": -37, "need": -24, "coldest": -28, "high": -20, "months": 14, "stale": 13}
	level := numbers{"litres": 7.5, "full": 8, "missing": 0.9, "low": 0.4, "days": 40, "ahead": 12}
	for _, c := range []struct {
		kind    clock.Kind
		code    clock.Code
		verdict clock.Verdict
		about   ledger.Subject
		numbers numbers
		metric  string
		us      string
	}{
		{clock.Age, clock.AgeRuns, "", ledger.Subject{}, numbers{"used": 0.4, "limit": 36}, "0.4 of 36 months since the renewal.", ""},
		{clock.Age, clock.AgeUnknown, "", ledger.Subject{}, numbers{"limit": 36}, "no renewal is recorded; the service plan allows 36 months.", ""},
		{clock.Use, clock.UseRuns, "", ledger.Subject{}, use, "64,374 of 80,467 km since the renewal, 3.2 km a week lately, which differs from before. There are few readings", "40,000 of 50,000 mi since the renewal, 2.0 mi a week"},
		{clock.Use, clock.UseRuns, "", ledger.Subject{}, use, "1 meter reading cannot be true and is left out.", ""},
		{clock.Use, clock.UseReadMeter, "", ledger.Subject{}, use, "by estimate, 60,000 km at the last reading: read the meter.", "37,282 mi"},
		{clock.Use, clock.UseOtherMeter, "", ledger.Subject{}, numbers{"km": 10}, "the service plan counts km and this unit’s meter hours", ""},
		{clock.Use, clock.UseNoDay, "", ledger.Subject{}, use, "too little time to show that the unit is not used", ""},
		{clock.Use, clock.UseLaidUp, "", ledger.Subject{}, use, "laid up, so the meter does not move.", ""},
		{clock.Use, clock.UseNoRate, "", ledger.Subject{}, use, "too few meter readings to compute a rate.", ""},
		{clock.Use, clock.UseNoStart, "", ledger.Subject{}, use, "no meter reading at the renewal; the service plan allows 80,467 km.", "50,000 mi"},
		{clock.Use, clock.UseNoMeter, "", ledger.Subject{}, nil, "this unit has no meter.", ""},
		{clock.Freeze, clock.FreezeNight, "", ledger.Subject{}, freeze, "protects to −37 °C; Depot is planned for −24 °C after it.", "protects to −35 °F; Depot is planned for −11 °F"},
		{clock.Freeze, clock.FreezeNight, "", ledger.Subject{}, numbers{"protects": -37, "need": -24, "drift": 1.2}, "and the freeze point rises 1.2 K a year; Depot", "rises 2.2 °F a year"},
		{clock.Freeze, clock.FreezeNight, "", ledger.Subject{}, numbers{"protects": -20, "need": -24, "forecast": 1}, "−24 °C is forecast for Depot after it.", ""},
		{clock.Freeze, clock.FreezeNow, "", ledger.Subject{}, freeze, "Depot is planned for −24 °C tonight. Do not start it on slush.", ""},
		{clock.Freeze, clock.FreezeNow, "", ledger.Subject{}, numbers{"forecast": 1, "need": -24}, "−24 °C is forecast for Depot tonight", ""},
		{clock.Freeze, clock.FreezeAll, "", ledger.Subject{}, freeze, "the coldest night Depot is planned for is −28 °C.", ""},
		{clock.Freeze, clock.FreezeBound, "", ledger.Subject{}, freeze, "which glycol is inside is not known", ""},
		{clock.Freeze, clock.FreezeNarrow, "", ledger.Subject{}, freeze, "within the book’s band it may be −20 °C, which is not", ""},
		{clock.Freeze, clock.FreezeStale, "", ledger.Subject{}, freeze, "not tested for 14 months", ""},
		{clock.Freeze, clock.FreezeUntrusted, "", ledger.Subject{}, nil, "the last test cannot be used: reason not given.", ""},
		{clock.Freeze, clock.FreezeNone, "", ledger.Subject{}, nil, "not measured, and no fill is recorded: test it.", ""},
		{clock.Level, clock.LevelHolds, "", ledger.Subject{}, level, "7.5 L by the book, 8.0 L were filled.", "7.9 US qt by the book"},
		{clock.Level, clock.LevelCommon, "", ledger.Subject{}, level, "the capacity of 8.0 L is a common value of its type", "8.5 US qt"},
		{clock.Freeze, clock.FreezeSingle, "", ledger.Subject{Text: "R-2"}, freeze, "protects to −37 °C by one test with R-2 alone, not zeroed", "−35 °F"},
		{clock.Freeze, clock.FreezeSingle, "", ledger.Subject{Point: "strip"}, freeze, "by one test with one test strip alone", ""},
		{clock.FollowUp, clock.CheckReturn, "", ledger.Subject{Point: ledger.CheckReturnLevel, State: ledger.CheckReturnCap}, numbers{"days": 3}, "back in use after a lay-up: cold level, cap test; due for 3 d.", ""},
		{clock.Level, clock.LevelUnseen, "", ledger.Subject{}, level, "no fill is recorded and the level was not seen cold: check it cold.", ""},
		{clock.Level, clock.LevelUnjudged, "", ledger.Subject{}, level, "the register does not know the tank’s marks", ""},
		{clock.Level, clock.LevelFalls, "", ledger.Subject{}, level, "0.4 L will be missing then; too low to run in 40 d.", ""},
		{clock.Level, clock.LevelLow, clock.Due, ledger.Subject{}, level, "0.9 L of 8.0 L are missing by the book; too low to run in 40 d.", ""},
		{clock.Level, clock.LevelLow, clock.Hold, ledger.Subject{}, level, "are missing by the book: too low to run.", ""},
		{clock.Holds, clock.HeldByPerson, "", ledger.Subject{Text: "waits for a pump"}, nil, "waits for a pump: must not run until released.", ""},
		{clock.Holds, clock.AirTrapped, "", ledger.Subject{}, numbers{"short": 1.2}, "1.2 L less went in than came out: air is trapped.", ""},
		{clock.Holds, clock.AirTrapped, "", ledger.Subject{}, numbers{"short": 1.2, "ready": 1}, "the level was seen cold at the mark since. Release it.", ""},
		{clock.Holds, clock.AirTrapped, "", ledger.Subject{}, numbers{"short": 1.2, "ready": 1, "bled": 1}, "it was bled since and took what was missing. Release it.", ""},
		{clock.Holds, clock.AirTrapped, "", ledger.Subject{}, numbers{"short": 1.2, "ready": 1, "refilled": 1}, "as much went in as came out. Release it.", ""},
		{clock.Holds, clock.CoolantContaminated, "", ledger.Subject{Point: "coolant", State: "oily"}, nil, "coolant: oily: must not run. Find the cause; renew.", ""},
		{clock.Holds, clock.FindingHolds, "", ledger.Subject{Point: "cap", State: "cap_weak"}, nil, "cap: opens too early: must not fly. Repair it", ""},
		{clock.Holds, clock.ReturnCheck, "", ledger.Subject{Point: "upper_hose"}, nil, "upper hose was worked on", ""},
		{clock.Holds, clock.LevelBelow, "", ledger.Subject{Point: "level", State: "below"}, nil, "the level was below the lower mark", ""},
		{clock.Holds, clock.StopDefect, "", ledger.Subject{Text: "pump seized"}, numbers{"others": 2}, "pump seized, and 2 more.", ""},
		{clock.Findings, clock.FoundBad, "", ledger.Subject{Point: "upper_hose", State: "cracked,clamp_on_ridge"}, numbers{"others": 1}, "upper hose: cracked, clamp on the ridge, and 1 more.", ""},
		{clock.Findings, clock.FoundSoft, "", ledger.Subject{Text: "drip"}, nil, "drip.", ""},
		{clock.Findings, clock.Discrepancy, "", ledger.Subject{}, numbers{"measured": -21, "confirmed": 1}, "−21 °C was measured. Something was not recorded.", "−6 °F"},
		{clock.TestDue, clock.TestCalendar, "", ledger.Subject{}, numbers{"months": 1, "limit": 12}, "last tested 30 d ago; the service plan asks for a test every 12 months.", ""},
		{clock.TestDue, clock.TestSeason, "", ledger.Subject{}, numbers{"days": 200}, "before the cold season of Depot; the last test is 200 d old.", ""},
		{clock.TestDue, clock.TestNever, "", ledger.Subject{}, numbers{"limit": 12}, "not tested; the service plan asks for a test every 12 months.", ""},
		{clock.TestDue, clock.TestNever, "", ledger.Subject{}, numbers{"days": 3}, "not tested since it was filled 3 d ago.", ""},
		{clock.TestDue, clock.TestBefore, "", ledger.Subject{}, numbers{"days": 3, "months": 5}, "the last test, 5 months ago, was before that.", ""},
		{clock.CapDue, clock.CapCalendar, "", ledger.Subject{}, numbers{"limit": 24, "never": 1}, "a cap test is not recorded", ""},
		{clock.HosesDue, clock.HoseCalendar, "", ledger.Subject{}, numbers{"limit": 24, "months": 30}, "a hose check was 30 months ago", ""},
		{clock.ZeroDue, clock.ZeroLapses, "", ledger.Subject{Text: "R-1"}, numbers{"days": 40}, "R-1 was last zeroed 40 d ago", ""},
		{clock.ZeroDue, clock.ZeroNever, "", ledger.Subject{Text: "R-1"}, nil, "no zero of R-1 is recorded", ""},
		{clock.ZeroDue, clock.ZeroHolds, "", ledger.Subject{Text: "R-1"}, numbers{"days": 4, "limit": 31}, "zeroed 4 d ago; a zero is valid for 31 d.", ""},
		{clock.HoseAge, clock.HoseOld, "", ledger.Subject{}, numbers{"used": 90, "limit": 120}, "the hoses are 7.5 of 10 years old.", ""},
		{clock.HoseAge, clock.HoseAgeUnknown, "", ledger.Subject{Point: "upper"}, numbers{"limit": 120}, "the age of the upper hose is not known", ""},
		{clock.Impeller, clock.PartRuns, "", ledger.Subject{}, numbers{"months": 8, "limit": 12, "useLimit": 200, "used": 90}, "renewed 8 months ago, 90 of 200 h; the service plan allows 12 months or 200 h.", ""},
		{clock.Anodes, clock.PartRuns, "", ledger.Subject{}, numbers{"months": 8, "limit": 6, "never": 1}, "no inspection is recorded; the service plan allows 6 months.", ""},
		{clock.BlockHeater, clock.PartRuns, "", ledger.Subject{}, numbers{"months": 8, "limit": 12}, "inspected 8 months ago; the service plan allows 12 months.", ""},
		{clock.Impeller, clock.PartUnknown, "", ledger.Subject{}, numbers{"limit": 12}, "since when it is in use is not known; the service plan allows 12 months.", ""},
		{clock.Inspect, clock.PartNoStart, "", ledger.Subject{}, numbers{"months": 1, "useLimit": 100}, "no meter reading shows its use since, of which the service plan allows 100 h.", ""},
		{clock.RawWater, clock.RawWet, clock.Hold, ledger.Subject{}, numbers{"limit": 0, "need": -3, "never": 1}, "nothing is recorded of the raw-water side: taken as wet; it freezes at 0 °C.", "it freezes at 32 °F."},
		{clock.RawWater, clock.RawWet, clock.Due, ledger.Subject{}, numbers{"limit": 0, "laid": 1}, "the raw-water side is wet, and the boat is laid up", ""},
		{clock.RawWater, clock.RawWet, clock.Due, ledger.Subject{}, numbers{"limit": 0, "ran": 1}, "the meter has moved since", ""},
		{clock.RawWater, clock.RawDrained, "", ledger.Subject{}, numbers{"days": 9}, "the raw-water side was drained 9 d ago.", ""},
		{clock.RawWater, clock.RawUntested, "", ledger.Subject{}, numbers{"days": 9}, "filled with antifreeze 9 d ago, which was not tested: test it.", ""},
		{clock.RawWater, clock.RawProtected, "", ledger.Subject{}, numbers{"protects": -35, "margin": 3}, "is filled and protects to −35 °C, margin 3 K.", "protects to −31 °F, margin 5 °F."},
		{clock.RawWater, clock.RawUnknown, "", ledger.Subject{}, nil, "whether it has a raw-water side is not in the register", ""},
		{clock.FollowUp, clock.CheckLevel, "", ledger.Subject{}, numbers{"days": 2}, "the level is to be checked cold, the day after the renewal; due for 2 d.", ""},
		{clock.FollowUp, clock.CheckRetest, "", ledger.Subject{}, numbers{"days": 2}, "the freeze point is to be tested again", ""},
		{clock.FollowUp, clock.CheckDays, "", ledger.Subject{}, numbers{"wanted": 3, "checked": 1}, "cold on 3 days after the renewal; 1 done.", ""},
		{clock.FollowUp, clock.CheckRuns, "", ledger.Subject{}, numbers{"wanted": 3, "checked": 1}, "after each of the first 3 runs; 1 done.", ""},
	} {
		at := clock.Clock{Kind: c.kind, Verdict: c.verdict, Reason: clock.Reason{Code: c.code, About: c.about, Numbers: c.numbers}}
		if c.kind == clock.Use {
			at.Unit = measure.Km
		}
		if c.numbers["useLimit"] > 0 {
			at.Unit = measure.H
		}
		if c.verdict == clock.Hold && c.kind == clock.RawWater {
			day := measure.NewDate(2026, 11, 27)
			at.Due = &day
		}
		for reader, want := range map[Reader]string{Metric: c.metric, us: c.us} {
			got := strings.ReplaceAll(reader.Reason(at, "Depot"), nbsp, " ")
			if !strings.Contains(got, want) || !strings.HasSuffix(got, ".") {
				t.Errorf("%s: %q, want %q", c.code, got, want)
			}
		}
		worded[c.code] = true
	}
	for _, code := range codesOf(t) {
		if !worded[code] && !slices.Contains(mixCodes, code) {
			t.Errorf("the reason %s has no words here", code)
		}
	}
}

var worded = map[clock.Code]bool{}

// mixCodes are worded in words_test.go.
var mixCodes = []clock.Code{clock.StrengthHolds, clock.StrengthLow, clock.StrengthHigh, clock.StrengthDilutes, clock.StrengthSingle, clock.StrengthBeyond, clock.ChemFails, clock.ChemRetest,
	clock.ChemUntested, clock.ChemReplaced, clock.ChemOld, clock.ChemHolds, clock.ChemTrend, clock.ProductForeign, clock.ProductUnfit, clock.ProductUnknown,
	clock.ExtenderRuns, clock.ExtenderGiven, clock.FilterRuns, clock.FilterUnknown, clock.NotEvaluated}

// codesOf reasons, as the source of core/clock declares them.
func codesOf(t *testing.T) (codes []clock.Code) {
	files, err := filepath.Glob("../../core/clock/*.go")
	if err != nil || len(files) == 0 {
		t.Fatal("no source", err)
	}
	for _, name := range files {
		file, err := parser.ParseFile(token.NewFileSet(), name, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		ast.Inspect(file, func(n ast.Node) bool {
			spec, ok := n.(*ast.ValueSpec)
			if !ok || len(spec.Values) != 1 {
				return true
			}
			if of, ok := spec.Type.(*ast.Ident); ok && of.Name == "Code" {
				if text, err := strconv.Unquote(spec.Values[0].(*ast.BasicLit).Value); err == nil {
					codes = append(codes, clock.Code(text))
				}
			}
			return true
		})
	}
	if len(codes) < 60 {
		t.Fatalf("only %d codes were found", len(codes))
	}
	return codes
}

// Every line of a random history, every note, stop, explanation and rule has words, and none
// gives NaN.
func TestEveryLineHasWords(t *testing.T) {
	plan := serviceplan.Plan{Name: "car", First: serviceplan.Interval{Months: 60}, Later: serviceplan.Interval{Months: 36, Km: 80_000}, FreezeMargin: 3, TestMonths: 12, CapMonths: 24, HoseMonths: 24, HoseYears: 10, FollowDays: 3}
	cold := climate.MonthlyCurve{-24, -23, -16, -7, -2, 3, 6, 5, 1, -4, -11, -19}.Climate()
	lines := 0
	for seed := range uint64(60) {
		for _, u := range ledgertest.Units {
			a := ledger.TryFold(u, ledgertest.History(rand.New(rand.NewPCG(seed, 9)), u, 40))
			day := measure.NewDate(2026, 11, 26)
			for _, l := range a.Lines {
				lines++
				if text := strings.ReplaceAll(Entry(l.Entry.Body), "NaNO2", ""); strings.Contains(text, "NaN") || text == "" && !wordless[l.Entry.Kind()] {
					t.Fatalf("%s %+v: %q", l.Entry.Kind(), l.Entry.Body, text)
				}
				for _, n := range l.Notes {
					if _, ok := notes[n]; !ok {
						t.Errorf("the note %s has no words", n)
					}
				}
				if l.Test != nil && Metric.Reconciliation(*l.Test) == "" {
					t.Errorf("%+v compares without words", l.Test)
				}
			}
			for _, s := range a.Stops() {
				if Metric.Stop(s, a.Air) == "" {
					t.Errorf("the stop %+v has no words", s)
				}
			}
			status := clock.Evaluate(&a, plan, clock.Conditions{Climate: cold}, day)
			for _, c := range status.Clocks {
				text, rule := Metric.Reason(c, "Depot"), Metric.Rule(c, Unit{Site: "Depot", Plan: plan, Climate: cold, Zone: time.UTC}, &a)
				if text == "" || len(rule) == 0 || strings.Contains(text+strings.Join(rule, " "), "NaN") {
					t.Errorf("%s %s: %q, rule %q", c.Kind, c.Reason.Code, text, rule)
				}
			}
		}
	}
	if lines < 1000 {
		t.Errorf("only %d lines were drawn", lines)
	}
}

// wordless kinds say all by their name where nothing was noted.
var wordless = map[ledger.Kind]bool{ledger.KindLayUp: true, ledger.KindReturn: true, ledger.KindChemistry: true, ledger.KindCapTest: true}

// Causes, likelihoods and the days between.
func TestExplanations(t *testing.T) {
	truth := measure.Celsius(-31)
	from, to := measure.NewDate(2026, 10, 1), measure.NewDate(2026, 11, 3)
	for cause, want := range map[ledger.Cause]string{
		ledger.CauseWater:       "About 0.8 L of plain water was added and not recorded (between 1 Oct 2026 and 3 Nov 2026).",
		ledger.CauseLeakRefill:  "leaked and was made up with water",
		ledger.CauseConcentrate: "of concentrate was added",
		ledger.CauseBoiledOff:   "boiled or seeped off",
		ledger.CauseScale:       "It was read on the PG scale: the true value is about −31 °C.",
		ledger.CauseMixedWrong:  "mixed at 40 % (0.8 L of concentrate)",
		ledger.CauseFillVolume:  "0.8 L went in",
		ledger.CauseStayed:      "stayed inside at the renewal",
		ledger.CauseMisread:     "misread",
	} {
		x := ledger.Explanation{Cause: cause, Litres: 0.8, Share: 40, Scale: coolant.PG, True: &truth}
		if got := strings.ReplaceAll(Metric.Explanation(x, from, to), nbsp, " "); !strings.Contains(got, want) {
			t.Errorf("%s: %q, want %q", cause, got, want)
		}
	}
	for style, want := range map[DateStyle]string{DayMonthYear: "3 Nov 2026", YearMonthDay: "2026-11-03", MonthDayYear: "11/03/2026"} {
		if got := (Reader{Dates: style}).Date(to); got != want {
			t.Errorf("%s: %s, want %s", style, got, want)
		}
	}
	for v, want := range map[float64]string{1234567.891: "1,234,567.89", -0.001: "0.00", -12.345: "−12.35", 999: "999.00"} {
		if got := Figure(v, 2); got != want && !(v == -12.345 && got == "−12.35" || v == -12.345 && got == "−12.34") {
			t.Errorf("%v: %s, want %s", v, got, want)
		}
	}
}

// Each kind that answers a clock has words.
func TestNextStep(t *testing.T) {
	if text, kind := NextStep(clock.Clock{Kind: clock.TestDue, Reason: clock.Reason{Code: clock.TestNever}}, access.Reader); text != "open account" || kind != "" {
		t.Errorf("a reader is asked to %s (%s)", text, kind)
	}
	for _, c := range []struct {
		clock clock.Clock
		text  string
		kind  ledger.Kind
	}{
		{clock.Clock{Kind: clock.Freeze, Verdict: clock.Unknown, Reason: clock.Reason{Code: clock.FreezeNone}}, "record freeze test", ledger.KindFreezeTest},
		{clock.Clock{Kind: clock.Age, Verdict: clock.Overdue}, "record renewal", ledger.KindRenewal},
		{clock.Clock{Kind: clock.Age, Verdict: clock.Watch}, "open account", ""},
		{clock.Clock{Kind: clock.Age, Verdict: clock.Sound}, "open account", ""},
		{clock.Clock{Verdict: clock.Hold, Reason: clock.Reason{Code: clock.HeldByPerson}}, "open account", ""},
		{clock.Clock{Kind: clock.Level, Verdict: clock.Overdue, Reason: clock.Reason{Code: clock.LevelLow}}, "record top-up", ledger.KindTopUp},
	} {
		if text, kind := NextStep(c.clock, access.Technician); text != c.text || kind != c.kind {
			t.Errorf("%+v: %q, %q; want %q, %q", c.clock, text, kind, c.text, c.kind)
		}
	}
	for _, k := range ledger.Kinds {
		if text, ok := records[k]; ok && text == "" {
			t.Errorf("%s has no words", k)
		}
	}
}

// Until when a unit is safe is said one way, by the early end of the window; what is not known is
// never called safe.
func TestSafe(t *testing.T) {
	today := measure.NewDate(2026, 11, 26)
	day := func(ahead int) *measure.Date { d := today.AddDays(ahead); return &d }
	us := Metric
	us.Dates = MonthDayYear
	for _, c := range []struct {
		clock  clock.Clock
		reader Reader
		want   string
	}{
		{clock.Clock{Kind: clock.Freeze, Due: day(4), Reason: clock.Reason{Code: clock.FreezeNight}}, Metric, "safe through the night of 29 Nov 2026"},
		{clock.Clock{Kind: clock.Freeze, Due: day(17), Window: &usage.Window{P10: *day(4), P50: *day(17), P90: *day(40)}, Reason: clock.Reason{Code: clock.FreezeNight}}, us, "safe through the night of 11/29/2026"},
		{clock.Clock{Kind: clock.Freeze, Due: day(0), Reason: clock.Reason{Code: clock.FreezeNow}}, Metric, "not safe tonight"},
		{clock.Clock{Kind: clock.Freeze, Due: day(17), Window: &usage.Window{P10: *day(0), P50: *day(17), P90: *day(40)}, Reason: clock.Reason{Code: clock.FreezeNight}}, Metric, "not safe tonight"},
		{clock.Clock{Kind: clock.Freeze, Reason: clock.Reason{Code: clock.FreezeAll}}, Metric, "safe from freezing all year"},
		{clock.Clock{Kind: clock.Freeze, Reason: clock.Reason{Code: clock.FreezeNone}}, Metric, ""},
		{clock.Clock{Kind: clock.Freeze, Reason: clock.Reason{Code: clock.FreezeUntrusted}}, Metric, ""},
		{clock.Clock{Kind: clock.Freeze, Reason: clock.Reason{Code: clock.FreezeBound}}, Metric, ""},
	} {
		if got := c.reader.Safe(c.clock, today); got != c.want {
			t.Errorf("%s: %q, want %q", c.clock.Reason.Code, got, c.want)
		}
	}
	c := clock.Clock{Kind: clock.Freeze, Due: day(4), Reason: clock.Reason{Code: clock.FreezeNight, Numbers: numbers{"protects": -21, "margin": 3, "limit": -18, "need": -19}}}
	if got, want := strings.ReplaceAll(Metric.Reason(c, "Depot"), "\u00a0", " "), "protects to −21 °C, margin 3 K: planned for −18 °C; safe through the night of 29 Nov 2026; Depot is planned for −19 °C after it."; got != want {
		t.Errorf("%q, want %q", got, want)
	}
}
