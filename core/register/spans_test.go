package register

import (
	"strings"
	"testing"
	"time"

	"diligentledger/core/measure"
)

func TestSpans(t *testing.T) {
	as := Metric(measure.NewDate(2026, time.November, 27))
	away, _ := FieldOf(Unit, "away")
	closed, _ := FieldOf(Site, "bays_closed")
	for _, of := range []struct {
		field            Field
		typed, canonical string
	}{
		{away, "2026-12-24 to 2027-01-02 holidays", "2026-12-24 to 2027-01-02 holidays"},
		{away, "24 Dec 2026", "2026-12-24"},
		{away, "20 Dec to 3 Jan at sea", "2026-12-20 to 2027-01-03 at sea"},
		{away, "1 Nov to 31 Mar each year ploughing", "1 Nov to 31 Mar each year ploughing"},
		{away, "3 Dec 2026 - 5 Dec 2026\n\n 7 Dec 2026 on loan to 2 people", "2026-12-03 to 2026-12-05\n2026-12-07 on loan to 2 people"},
		{closed, "Car 2: 2026-12-07 to 2026-12-11 lift repaired", "car 2: 2026-12-07 to 2026-12-11 lift repaired"},
	} {
		got, wrong := of.field.Read(of.typed, as)
		if wrong != nil || got != of.canonical {
			t.Errorf("%q: %q, %v; want %q", of.typed, got, wrong, of.canonical)
		}
		if again, wrong := of.field.Read(got, as); wrong != nil || again != got {
			t.Errorf("%q is not read again as itself: %q, %v", got, again, wrong)
		}
	}
	for _, bad := range []struct {
		field Field
		typed string
	}{{away, "sometimes"}, {away, "2026-12-24 to soon"}, {away, "2026-12-24 to 2026-12-20"}, {closed, "2026-12-24"}, {closed, "boat 1: 2026-12-24"}, {closed, "car 0: 2026-12-24"}, {away, strings.Repeat("2026-12-24\n", 41)}} {
		if got, wrong := bad.field.Read(bad.typed, as); wrong == nil {
			t.Errorf("%q was read as %q", bad.typed, got)
		}
	}
}

func TestSpanHolds(t *testing.T) {
	facts := Facts{"away": "1 Nov to 31 Mar each year ploughing\n2026-07-01 to 2026-07-05\n29 Feb to 29 Feb each year"}
	spans := facts.Spans(Unit, "away")
	if len(spans) != 3 || spans[0].Note != "ploughing" {
		t.Fatalf("%+v", spans)
	}
	for day, want := range map[string]bool{"2026-11-01": true, "2027-01-15": true, "2027-03-31": true, "2027-04-01": false, "2026-10-31": false, "2026-07-01": true, "2026-07-05": true, "2026-07-06": false, "2027-07-01": false, "2028-02-29": true} {
		d, _ := measure.ParseDate(day)
		holds := false
		for _, s := range spans {
			holds = holds || s.Holds(d)
		}
		if holds != want {
			t.Errorf("%s: %v", day, holds)
		}
	}
}

func TestWorkingDays(t *testing.T) {
	days, _ := FieldOf(Technician, "days")
	if got, wrong := days.Read("Monday, tue, FRIDAY", Metric(measure.NewDate(2026, time.November, 27))); wrong != nil || got != "mon,tue,fri" {
		t.Errorf("%q %v", got, wrong)
	}
	if got, wrong := days.Read("noday", Metric(measure.NewDate(2026, time.November, 27))); wrong == nil {
		t.Errorf("read as %q", got)
	}
}

func TestWays(t *testing.T) {
	ways, _ := FieldOf(Site, "ways")
	got, wrong := ways.Read("Harbour yard 30 min\nHill garage: 1,25 h", Metric(measure.NewDate(2026, time.November, 27)))
	if wrong != nil || got != "Harbour yard 0.5 h\nHill garage 1.25 h" {
		t.Fatalf("%q %v", got, wrong)
	}
	if all := (Facts{"ways": got}).Ways(); len(all) != 2 || all[1] != (Way{"Hill garage", 1.25}) {
		t.Errorf("%+v", all)
	}
	for _, bad := range []string{"Harbour yard", "Harbour yard 40 h", "Harbour yard -1 h", "0.5 h"} {
		if got, wrong := ways.Read(bad, Metric(measure.NewDate(2026, time.November, 27))); wrong == nil {
			t.Errorf("%q was read as %q", bad, got)
		}
	}
}
