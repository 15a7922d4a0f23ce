package importer

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/register"
	"diligentledger/internal/tabular"
)

var today = measure.NewDate(2026, time.November, 27)

func known() Known {
	return Known{Units: map[string]KnownUnit{"CA-1": {Facts: register.Facts{"code": "CA-1", "kind": "car", "site": "Yard", "plan": "Cars", "capacity": "6 L", "meter": "km", "base": "EG"}}},
		Types: map[string]register.Facts{"Small car": {"capacity": "6 L", "meter": "km"}}, Sites: []string{"Yard"}, Plans: []string{"Cars"},
		Products: []coolant.Product{{ID: 1, Code: "P-50", Name: "Premix", Base: coolant.EG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.5},
			{ID: 2, Code: "C-99", Name: "Concentrate", Base: coolant.EG, Technology: "OAT", Form: coolant.Concentrate, Glycol: 0.99}},
		Reading: register.Metric(today), Zone: time.UTC}
}

func table(t *testing.T, text string) Table {
	t.Helper()
	read, err := tabular.Read([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return Table{Heads: read.Heads, Rows: read.Rows, Numbers: read.Numbers, Day: read.Day}
}

func TestGuess(t *testing.T) {
	heads := []string{"Fleet No.", "Coolant capacity (qt)", "Odometer km", "Last changed", "Next due", "Whatever", "Location", "Vehicle type"}
	want := []Target{"code", "capacity", MeterRead, RenewedOn, DueOn, "", "site", "kind"}
	if got := Guess(heads, nil); !slices.Equal(got, want) {
		t.Errorf("guessed %q, want %q", got, want)
	}
	remembered := map[string]Target{Heading("Whatever"): Remark, Heading("Next due"): ""}
	if got := Guess(heads, remembered); got[5] != Remark || got[4] != "" {
		t.Errorf("remembered %q", got)
	}
	if got := Guess([]string{"unit", "unit no"}, nil); got[0] != "code" || got[1] != "" {
		t.Errorf("one target for two columns: %q", got)
	}
}

// Dates of two orders in one file: each that can be read one way alone is; the rest is asked, and read as it was answered.
func TestDates(t *testing.T) {
	file := table(t, "unit;last changed\nCA-1;25/03/2025\nCA-1;03/26/2025\nCA-1;03/04/2025\nCA-1;2025-05-06\nCA-1;12.06.2025\nCA-1;7 Jul 2025\nCA-1;30/02/2025\nCA-1;2027-01-01\n")
	columns := []Target{"code", RenewedOn}
	days := func(o Options) (all []string, p *Plan) {
		o.Emptied, o.Product = "yes", "P-50"
		p = Read(file, columns, o, known())
		for _, u := range p.Units {
			for _, e := range u.Entries {
				all = append(all, e.At.Format(time.DateOnly))
			}
		}
		return all, p
	}
	got, p := days(Options{})
	if want := []string{"2025-03-25", "2025-03-26", "2025-05-06", "2025-06-12", "2025-07-07"}; !slices.Equal(got, want) {
		t.Errorf("%v, want %v", got, want)
	}
	if len(p.Questions) != 1 || p.Questions[0].Code != "order" || p.Questions[0].Rows != 1 || len(p.Bad()) != 3 {
		t.Errorf("asked %+v; %v", p.Questions, p.Problems)
	}
	if got, _ := days(Options{Order: measure.DayFirst}); !slices.Contains(got, "2025-04-03") || !slices.Contains(got, "2025-03-26") {
		t.Errorf("day first: %v", got)
	}
	if got, _ := days(Options{Order: measure.MonthFirst}); !slices.Contains(got, "2025-03-04") || !slices.Contains(got, "2025-03-25") {
		t.Errorf("month first: %v", got)
	}
	// A file that shows one order alone is not asked about.
	settled := Read(table(t, "unit;last changed\nCA-1;25/03/2025\nCA-1;03/04/2025\n"), columns, Options{Emptied: "yes", Product: "P-50"}, known())
	if len(settled.Questions) != 0 || settled.Units[0].Entries[1].At.Format(time.DateOnly) != "2025-04-03" {
		t.Errorf("%+v %v", settled.Questions, settled.Problems)
	}
}

// Thousands and decimals as the file writes them; where nothing settles it, the cell is refused with both readings.
func TestNumbers(t *testing.T) {
	for text, want := range map[string]string{
		"unit;odometer;volume\nCA-1;12.345;5,8\n": "12345",
		"unit;odometer;volume\nCA-1;12,345;5.8\n": "12345",
		"unit;odometer;volume\nCA-1;12,345;5\n":   "12345 or 12.3450",
		"unit;odometer;volume\nCA-1;12.500;5\n":   "12500 or 12.5",
		"unit;odometer;volume\nCA-1;12.500;5.8\n": "12.5",
		// The column's own cells come before the rest of the file, and one that shows both marks is asked about.
		"unit;odometer;volume\nCA-1;12.500;5.8\nCA-1;9,5;6\n":           "12500",
		"unit;odometer;volume\nCA-1;12.500;5\nCA-1;9,5;5\nCA-1;9.5;5\n": "12500 or 12.5",
		"unit;odometer;volume\nCA-1;12 345 km;5\n":                      "12345",
		"unit;odometer;volume\nCA-1;7671 mi;5\n":                        "7671",
	} {
		p := Read(table(t, text), []Target{"code", MeterRead, Volume}, Options{Today: "yes"}, known())
		got := ""
		if len(p.Problems) > 0 {
			got = p.Problems[0].Accepted
		} else if len(p.Units) > 0 && len(p.Units[0].Entries) > 0 {
			got = measure.Digits(p.Units[0].Entries[0].Body.(ledger.Meter).Meter.Value)
		}
		if !strings.HasPrefix(got, want) {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}

// A remark of a dated row that says nothing else is a note; beside a figure it is carried by that entry.
func TestRemarkAlone(t *testing.T) {
	for text, want := range map[string]string{
		"unit;date;note\nCA-1;2026-03-01;clamp replaced\n":                   "note clamp replaced",
		"unit;date;note;odometer\nCA-1;2026-03-01;clamp replaced;12000 km\n": "meter ",
		"unit;date;note\nCA-1;;clamp replaced\n":                             "",
	} {
		columns := []Target{"code", Date, Remark, MeterRead}[:strings.Count(strings.SplitN(text, "\n", 2)[0], ";")+1]
		p := Read(table(t, text), columns, Options{}, known())
		got := ""
		for _, u := range p.Units {
			for _, e := range u.Entries {
				got += string(ledger.KindOf(e.Body)) + " "
				if n, ok := e.Body.(ledger.NoteBody); ok {
					got += n.Text
				}
			}
		}
		if got != want {
			t.Errorf("%q: %q, want %q; %+v", text, got, want, p.Problems)
		}
	}
}

// What a file leaves open is asked, never assumed: until it is answered no row that rests on it is taken.
func TestNothingIsAssumed(t *testing.T) {
	file := table(t, "unit;kind;last changed;odometer;cap checked\nX-1;car;2025-03-01;12000;2025-03-01\n")
	columns := []Target{"code", "kind", RenewedOn, MeterRead, CapOn}
	asked := func(o Options) (codes []string, p *Plan) {
		p = Read(file, columns, o, known())
		for _, q := range p.Questions {
			codes = append(codes, q.Code)
		}
		return codes, p
	}
	codes, p := asked(Options{})
	if want := []string{"emptied", "found", "plan", "product", "site", "today", "type"}; !slices.Equal(codes, want) || len(p.Units) != 0 {
		t.Errorf("asked %v, want %v; %d units", codes, want, len(p.Units))
	}
	o := Options{Emptied: "yes", Found: "good", Plans: map[string]string{"car": "Cars"}, Types: map[string]string{"car": "Small car"}, Product: "C-99", Site: "Yard", Today: "yes"}
	if codes, p = asked(o); !slices.Equal(codes, []string{"mix"}) || len(p.Units) != 0 {
		t.Errorf("a concentrate without its share: %v, %d units", codes, len(p.Units))
	}
	o.Mix = 50
	if codes, p = asked(o); len(codes) != 0 || len(p.Units) != 1 || len(p.Units[0].Entries) != 3 {
		t.Errorf("%v; %v", codes, p.Problems)
	}
	for answer, emptied := range map[string]bool{"yes": true, "no": false} {
		o.Emptied = answer
		_, p = asked(o)
		i := slices.IndexFunc(p.Units[0].Entries, func(e PlannedEntry) bool { _, ok := e.Body.(ledger.Renewal); return ok })
		if b := p.Units[0].Entries[i].Body.(ledger.Renewal); b.Emptied != emptied || b.Share == nil || *b.Share != 50 {
			t.Errorf("emptied %s: %+v", answer, b)
		}
	}
}

// Law: whatever the cells hold, reading panics at nothing; each row is taken, or refused with its reason; and the
// same file read twice is the same plan.
func TestWildTables(t *testing.T) {
	rng := rand.New(rand.NewPCG(16, 3))
	cells := []string{"", "CA-1", "X-9", "car", "Yacht", "5.8 qt", "8,5", "1,234", "-37", "-34 F", "25/03/2025", "03/04/2025", "45000", "2025-02-30", "yes", "ok", "cracked", "top up", "renewal",
		"P-50", "water", "=1+1", "@x", strings.Repeat("x", 300), "½", "NaN", "1e99", "−12", "unknown", "Yard", "Cars", "\u0000", "hello\tworld"}
	targets := append(Facts(), Events...)
	taken, refused := 0, 0
	for round := range 3000 {
		n := 1 + rng.IntN(3)
		columns := []Target{"code"}
		heads := []string{"unit"}
		for i := range n {
			columns, heads = append(columns, targets[rng.IntN(len(targets))]), append(heads, fmt.Sprint([]string{"a", "b (mi)", "c (qt)", "d °F"}[rng.IntN(4)], i))
		}
		tab := Table{Heads: heads, Day: (&tabular.Table{Serial: rng.IntN(2) == 0}).Day}
		for r := range 4 {
			row := []string{[]string{"CA-1", "X-9", ""}[rng.IntN(3)]}
			for range n {
				row = append(row, cells[rng.IntN(len(cells))])
			}
			tab.Rows, tab.Numbers = append(tab.Rows, row), append(tab.Numbers, r+2)
		}
		o := Options{Emptied: []string{"", "yes", "no"}[rng.IntN(3)], Today: []string{"", "yes", "no"}[rng.IntN(3)], Found: []string{"", "good", "no"}[rng.IntN(3)], Product: []string{"", "P-50", "C-99"}[rng.IntN(3)],
			Kind: []string{"", "car", "boat"}[rng.IntN(3)], Site: []string{"", "Yard"}[rng.IntN(2)], Plans: map[string]string{"car": "Cars"}, Types: map[string]string{"car": "Small car"}, Doubtful: rng.IntN(2) == 0}
		p := Read(tab, columns, o, known())
		if again := Read(tab, columns, o, known()); !reflect.DeepEqual(p, again) {
			t.Fatalf("round %d: read twice, it is another plan", round)
		}
		bad := p.Bad()
		refused += len(bad)
		for _, u := range p.Units {
			for _, row := range u.Rows {
				taken++
				if bad[row] != nil {
					t.Fatalf("round %d: row %d is refused and taken: %v", round, row, bad[row])
				}
			}
			for _, e := range u.Entries {
				if e.At.After(today.AddDays(1).Start(time.UTC)) || e.At.IsZero() {
					t.Fatalf("round %d: an entry of %s", round, e.At)
				}
			}
		}
		for _, problems := range bad {
			for _, one := range problems {
				if one.Accepted == "" || one.Column == "" {
					t.Fatalf("round %d: refused without a word: %+v", round, one)
				}
			}
		}
	}
	if taken < 500 || refused < 500 {
		t.Errorf("%d rows taken, %d refused: the law was not tried", taken, refused)
	}
}

// The id of an entry is a UUID of version 7 of its time, the same for the same, another for anything else.
func TestEntryID(t *testing.T) {
	at := time.Date(2025, 3, 1, 12, 10, 0, 0, time.UTC)
	id := EntryID(7, at, ledger.KindTopUp, "0.5", 0)
	parsed, err := uuid.Parse(id)
	if err != nil || parsed.Version() != 7 || parsed.Variant() != uuid.RFC4122 {
		t.Errorf("%s, %v", id, err)
	}
	if sec, _ := parsed.Time().UnixTime(); sec != at.Unix() {
		t.Errorf("of %d, want %d", sec, at.Unix())
	}
	for name, other := range map[string]string{
		"circuit": EntryID(8, at, ledger.KindTopUp, "0.5", 0), "time": EntryID(7, at.Add(time.Minute), ledger.KindTopUp, "0.5", 0), "kind": EntryID(7, at, ledger.KindMeter, "0.5", 0),
		"cells": EntryID(7, at, ledger.KindTopUp, "0.6", 0), "count": EntryID(7, at, ledger.KindTopUp, "0.5", 1),
	} {
		if other == id {
			t.Errorf("another %s, and the same id", name)
		}
	}
	if EntryID(7, at, ledger.KindTopUp, "0.5", 0) != id {
		t.Error("the same, and another id")
	}
}

// A month without a day is asked about once for the file; the answer settles its day, none of which is to come.
func TestMonthWithoutADay(t *testing.T) {
	columns := []Target{"code", MeterOn, MeterRead}
	read := func(cell, answer string) (string, *Plan) {
		p := Read(table(t, "unit;meter read on;odometer\nCA-1;"+cell+";5000\nCA-1;2025-01-02;4000\n"), columns, Options{Month: answer}, known())
		for _, u := range p.Units {
			for _, e := range u.Entries {
				if e.Row == 2 {
					return e.At.Format(time.DateOnly), p
				}
			}
		}
		return "", p
	}
	for _, cell := range []string{"April 2025", "04/2025", "2025-04", "avril 2025", "Apr. 2025"} {
		for answer, want := range map[string]string{"": "", "first": "2025-04-01", "middle": "2025-04-15", "last": "2025-04-30"} {
			got, p := read(cell, answer)
			asked := slices.ContainsFunc(p.Questions, func(q Question) bool { return q.Code == "month" && q.Rows == 1 })
			if got != want || asked != (answer == "") {
				t.Errorf("%q, %q: %q, want %q; asked %v, %+v", cell, answer, got, want, asked, p.Problems)
			}
		}
	}
	today := known().Reading.Today
	if got, p := read(today.Format("January 2006"), "last"); got != today.String() {
		t.Errorf("the month under way: %q, %+v", got, p.Problems)
	}
	if got, p := read("05.13.2025", ""); got != "" || len(p.Problems) == 0 || !strings.Contains(p.Problems[0].Accepted, "is 13 May 2025 meant?") {
		t.Errorf("a month of 13: %q, %+v", got, p.Problems)
	}
}

// A freeze point without a day is not dated to the renewal without an answer.
func TestFreezePointWithoutADay(t *testing.T) {
	for answer, want := range map[string]int{"": 0, "renewal": 1, "no": 0} {
		p := Read(table(t, "unit;renewed on;volume;product;freeze point\nCA-1;2025-03-04;5;P-50;-37 C\n"), []Target{"code", RenewedOn, Volume, Filled, FreezePoint},
			Options{Emptied: "yes", Tested: answer}, known())
		tests, asked := 0, slices.ContainsFunc(p.Questions, func(q Question) bool { return q.Code == "tested" })
		for _, u := range p.Units {
			for _, e := range u.Entries {
				if e.Column == "freeze point" {
					tests++
				}
			}
		}
		if tests != want || asked != (answer == "") || answer != "" && len(p.Problems) > 0 {
			t.Errorf("%q: %d tests, want %d; asked %v; %+v", answer, tests, want, asked, p.Problems)
		}
	}
}
