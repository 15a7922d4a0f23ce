package clock

import (
	"reflect"
	"slices"
	"strings"
	"testing"

	"diligentledger/core/climate"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
)

// What the calendar of a plan asks for (common practice throughout).
func TestCalendarClocks(t *testing.T) {
	asked := plan
	asked.TestMonths, asked.CapMonths, asked.HoseMonths = 12, 24, 12
	opened := []ledger.Entry{ago(800, fill(false)), ago(799, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"})}
	cap := func(days int) ledger.Entry {
		return ago(days, ledger.CapTest{Opened: &measure.Reading{Value: 100, Unit: measure.KPa}, Vacuum: "opens"})
	}
	hoses := func(days int) ledger.Entry {
		return ago(days, ledger.HoseCheck{Hoses: []ledger.HoseFound{{Hose: "upper", State: "good"}}})
	}
	u := car
	u.Cap = 100
	for _, c := range []struct {
		name    string
		cold    *climate.Climate
		entries []ledger.Entry
		clock   Kind
		verdict Verdict
		code    Code
	}{
		{"tested last month: next before the next season", depot, []ledger.Entry{ago(30, freezeTest(-37, coolant.EG))}, TestDue, Sound, TestSeason},
		{"tested in spring, the season has begun", depot, []ledger.Entry{ago(230, freezeTest(-37, coolant.EG))}, TestDue, Overdue, TestSeason},
		{"tested in spring, where there is no winter", mild, []ledger.Entry{ago(230, freezeTest(-37, coolant.EG))}, TestDue, Sound, TestCalendar},
		{"tested 13 months ago", mild, []ledger.Entry{ago(396, freezeTest(-37, coolant.EG))}, TestDue, Overdue, TestCalendar},
		{"never tested", mild, nil, TestDue, Due, TestNever},
		{"cap tested last year", mild, []ledger.Entry{cap(365)}, CapDue, Sound, CapCalendar},
		{"cap tested long ago", mild, []ledger.Entry{cap(790)}, CapDue, Due, CapCalendar},
		{"cap inspected, not tested", mild, []ledger.Entry{ago(10, ledger.CapTest{Seal: "good"})}, CapDue, Due, CapCalendar},
		{"hoses checked", mild, []ledger.Entry{hoses(10)}, HosesDue, Sound, HoseCalendar},
		{"hoses never checked", mild, nil, HosesDue, Due, HoseCalendar},
	} {
		got := clockOf(t, evaluated(u, asked, c.cold, append(slices.Clone(opened), c.entries...)...), c.clock)
		if got.Verdict != c.verdict || got.Reason.Code != c.code || got.Due == nil {
			t.Errorf("%s: %s, %s on %v; want %s, %s", c.name, got.Verdict, got.Reason.Code, got.Due, c.verdict, c.code)
		}
	}
	if o := evaluated(u, plan, mild, opened...); slices.ContainsFunc(o.Clocks, func(c Clock) bool { return c.Kind == TestDue || c.Kind == CapDue || c.Kind == HosesDue }) {
		t.Error("a plan that asks for nothing has calendar clocks")
	}
	// pH 9.0, 8.5, 8.0 a year apart meet 7.0 in two more years.
	oat := fill(false)
	oat.Product.Technology = "OAT"
	entries := []ledger.Entry{ago(800, oat)}
	for i, ph := range []float64{9.0, 8.5, 8.0} {
		entries = append(entries, ago(731-365*i, ledger.ChemistryTest{PH: &ph}))
	}
	if got := clockOf(t, evaluated(u, plan, mild, entries...), Chemistry); got.Due == nil || got.Due.Sub(today) < 715 || got.Due.Sub(today) > 745 || got.Reason.About.String() != "pH" {
		t.Errorf("chemistry: %+v", got)
	}
}

func TestCheckPlan(t *testing.T) {
	good := serviceplan.Plan{Name: "Pool car", Strategy: serviceplan.FixedInterval, Later: serviceplan.Interval{Months: 36}, FreezeMargin: 3, Replaced: 0.6}
	for _, c := range []struct {
		name   string
		change func(*serviceplan.Plan)
		field  string
	}{
		{"good", func(*serviceplan.Plan) {}, ""},
		{"no name", func(p *serviceplan.Plan) { p.Name = " " }, "/name"},
		{"no such strategy", func(p *serviceplan.Plan) { p.Strategy = "hope" }, "/strategy"},
		{"no limit", func(p *serviceplan.Plan) { p.Later = serviceplan.Interval{} }, "/later"},
		{"a century", func(p *serviceplan.Plan) { p.First.Months = 1200 }, "/first/months"},
		{"a negative margin", func(p *serviceplan.Plan) { p.FreezeMargin = -1 }, "/freezeMargin"},
		{"all of it and more", func(p *serviceplan.Plan) { p.Replaced = 1.2 }, "/replaced"},
		{"a million miles", func(p *serviceplan.Plan) { p.Miles, p.Later.Km = true, 1_000_000*measure.KilometresPerMile }, "/later/miles"},
		{"tests each century", func(p *serviceplan.Plan) { p.TestMonths = 1200 }, "/testMonths"},
	} {
		p := good
		c.change(&p)
		errs := serviceplan.Check(p)
		if (len(errs) == 0) != (c.field == "") || len(errs) > 0 && errs[0].Pointer != c.field {
			t.Errorf("%s: %v", c.name, errs)
		}
	}
}

// A hose is as old as the unit until it is renewed; one it is not known the age of is
// itself a reason to act (common practice).
func TestHoseAge(t *testing.T) {
	asked := plan
	asked.HoseYears = 6
	opened := ago(2120, ledger.Opening{History: ledger.Factory}) // five years and ten months
	hoses := func(days int, state string, which ...string) ledger.Entry {
		var found []ledger.HoseFound
		for _, h := range which {
			found = append(found, ledger.HoseFound{Hose: h, State: state})
		}
		return ago(days, ledger.HoseCheck{Hoses: found})
	}
	for _, c := range []struct {
		name    string
		entries []ledger.Entry
		verdict Verdict
		code    Code
		about   string
	}{
		{"as old as the unit", []ledger.Entry{opened}, Watch, HoseOld, ""},
		{"one renewed, the others not", []ledger.Entry{opened, hoses(100, "renewed", "upper")}, Watch, HoseOld, ""},
		{"all renewed, one of them first", []ledger.Entry{opened, hoses(900, "renewed", "lower"), hoses(100, "renewed", "upper", "heater_feed", "heater_return", "bypass", "recovery")}, Sound, HoseOld, "lower"},
		{"age not known", []ledger.Entry{ago(300, fill(false))}, Unknown, HoseAgeUnknown, ""},
		{"age of one not known", []ledger.Entry{ago(300, fill(false)), hoses(200, "renewed", "upper"), hoses(10, "good", "lower")}, Unknown, HoseAgeUnknown, "lower"},
		{"known of those there are", []ledger.Entry{ago(300, fill(false)), hoses(200, "renewed", "upper")}, Sound, HoseOld, "upper"},
		{"too old", []ledger.Entry{ago(2400, ledger.Opening{History: ledger.Factory})}, Due, HoseOld, ""},
	} {
		got := clockOf(t, evaluated(car, asked, mild, c.entries...), HoseAge)
		if got.Verdict != c.verdict || got.Reason.Code != c.code || got.Reason.About.String() != c.about {
			t.Errorf("%s: %s, %s of %q; want %s, %s of %q", c.name, got.Verdict, got.Reason.Code, got.Reason.About, c.verdict, c.code, c.about)
		}
	}
}

// The audit gives a plan in the trade's words, what asks for nothing left out, and
// of a change what it changes; distances in the unit they were given in.
func TestPlanInWords(t *testing.T) {
	p := serviceplan.Plan{Name: "Van", Strategy: serviceplan.FixedInterval, First: serviceplan.Interval{Months: 60, Km: 160_934.4}, Later: serviceplan.Interval{Hours: 400}, FreezeMargin: 3, Replaced: 0.6, FollowDays: 3, Miles: true}
	if got, want := p.Summary(), "Van: strategy interval, first renewal after 60 mo or 100000 mi, later renewals after 400 h, freeze margin 3 K, counts as a renewal from 60 %, level check on 3 d"; got != want {
		t.Errorf("%q, want %q", got, want)
	}
	next := p
	next.Later, next.FollowDays, next.HoseYears = serviceplan.Interval{}, 0, 8
	if got, want := next.Diff(p), "Van: later renewals after 400 h → none, hoses at most none → 8 yr, level check on 3 d → none"; got != want {
		t.Errorf("%q, want %q", got, want)
	}
	if got := p.Diff(p); got != "Van: nothing" {
		t.Errorf("no change: %q", got)
	}
	// Two plans never differ in silence.
	of := reflect.TypeFor[serviceplan.Plan]()
	for i := range of.NumField() {
		other := p
		f := reflect.ValueOf(&other).Elem().Field(i)
		switch f.Kind() {
		case reflect.String:
			f.SetString("x")
		case reflect.Int:
			f.SetInt(7)
		case reflect.Float64:
			f.SetFloat(0.25)
		case reflect.Bool:
			f.SetBool(!f.Bool())
		case reflect.Slice:
			f.Set(reflect.ValueOf([]serviceplan.PartInterval{{Part: "anodes", Interval: serviceplan.Interval{Months: 6}}}))
		case reflect.Struct:
			f.Set(reflect.ValueOf(serviceplan.Interval{Months: 1}))
		}
		if got := other.Diff(p); strings.HasSuffix(got, ": nothing") {
			t.Errorf("%s changed, and %q is told", of.Field(i).Name, got)
		}
	}
}
