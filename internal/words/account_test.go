package words

import (
	"strings"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
)

func number[T any](v T) *T { return &v }

// What an account's page says of a unit, in the reader's units; what is not known is said to be so.
func TestAccountSentences(t *testing.T) {
	us := Reader{measure.DegF, measure.USQt, measure.Psi, measure.Mi, YearMonthDay, measure.EitherMark}
	day := time.Date(2026, 11, 3, 9, 0, 0, 0, time.UTC)
	u := Unit{Name: "Van", Site: "Yard"}
	unknown := &ledger.Account{Unit: ledger.Unit{Capacity: 7.4}}
	known := &ledger.Account{Unit: ledger.Unit{Capacity: 7.4, Cap: 100, Meter: measure.Distance}, Base: coolant.EG, Known: true,
		Product: &coolant.Product{Name: "Green", Technology: "OAT"}, MeterLog: ledger.MeterLog{Points: []ledger.MeterPoint{{At: day, Raw: 48000, Value: 48000}}},
		Blended: []coolant.Product{{Name: "Blue", Technology: "IAT"}},
		Balance: ledger.Balance{Litres: number(measure.Litre(7))}}
	of := func(instrument string, measured measure.Celsius) *ledger.Account {
		product := &coolant.Product{Name: "Green", Base: coolant.EG, Form: coolant.Premix, Glycol: 0.5}
		a := ledger.Fold(ledger.Unit{Code: "A-1", Capacity: 7, Base: coolant.EG}, []ledger.Entry{
			{ID: "1", At: day.AddDate(0, 0, -9), Body: ledger.Opening{Product: product, Volume: &measure.Reading{Value: 7, Unit: measure.L}}},
			{ID: "2", At: day, Body: ledger.FreezeTest{Instrument: ledger.Refractometer, Scale: coolant.EG, Tool: instrument, Value: measure.Reading{Value: float64(measured), Unit: measure.DegC}}}})
		return &a
	}
	book := of("R-1", -37)
	water, warmer, colder := *book, *book, *book
	water.Base = coolant.NoWater
	warmer.Counted, warmer.Changes = &ledger.TestMark{Measured: -30}, 0
	colder.LastTest = &ledger.TestMark{At: day, Measured: -45, Waits: true}
	for _, tt := range []struct{ got, want string }{
		{Metric.Inside(u, unknown), "Van · Yard · 7.4 L system, charge not known · coolant not known"},
		{Metric.Inside(u, known), "Van · Yard · 7.0 L · Green · cap 100 kPa · 48,000 km"},
		{us.Inside(u, known), "Van · Yard · 7.4 US qt · Green · cap 14.5 psi · 29,826 mi"},
		{Metric.ProtectedBy(unknown, time.UTC), ""},
		{Metric.ProtectedBy(book, time.UTC), "by the book (measured −37 °C on 3 Nov 2026)"},
		{us.ProtectedBy(book, time.UTC), "by the book (measured −35 °F on 2026-11-03)"},
		{Metric.ProtectedBy(&warmer, time.UTC), "as measured 3 Nov 2026"},
		{Metric.ProtectedBy(&colder, time.UTC), "by the book; the last test reads colder and does not count yet"},
		{Metric.ProtectedBy(&water, time.UTC), "by its product, water tested 3 Nov 2026"},
		{Metric.Blended(unknown), ""},
		{Metric.Blended(known), "Also poured in since the renewal: Blue (IAT)."},
		{System(ledger.Unit{}, ""), "System: metal not known."},
		{System(ledger.Unit{Metal: "iron", WetLiners: true, SilicateFree: true, PremixOnly: true, Required: "OAT", Listed: []string{"G1", "G2"}}, "hybrid"),
			"System: iron · wet liners · silicate-free only · premix only · OAT required · hybrid drive · maker’s list: G1, G2."},
		{us.ServicePlan(serviceplan.Plan{Name: "P", First: serviceplan.Interval{Months: 1, Km: 100000}, FreezeMargin: 5}),
			"Service plan “P”: first 1 month or 62,137 mi, later without limit; a margin of 9 °F on the coldest night. The maker’s manual overrides it."},
		{Metric.Leak(ledger.LeakRate{Rate: 0.05, Sigma: 0.01, Per: ledger.PerMonth, Litres: 0.6, Events: 1, Since: day}, time.UTC),
			"0.050 ± 0.010 L/month: 0.6 L in 1 entry since 3 Nov 2026"},
	} {
		if got := strings.ReplaceAll(tt.got, nbsp, " "); got != tt.want {
			t.Errorf("got  %s\nwant %s", got, tt.want)
		}
	}
	for _, b := range []string{ledger.Per1000Km, ledger.Per100H, ledger.PerMonth} {
		if perNames[b] == "" {
			t.Errorf("no words for a leak per %s", b)
		}
	}
}

// A test that disagrees says so, and what comes next until a second one confirms it.
func TestDisagreementSentences(t *testing.T) {
	day := time.Date(2026, 11, 3, 9, 0, 0, 0, time.UTC)
	line := &ledger.Line{Entry: ledger.Entry{At: day}, Test: &ledger.Reconciliation{Trusted: true, Measured: -20, Book: number(measure.Celsius(-34))}}
	text, next := Metric.Disagreement(&ledger.TestMark{}, line, []ledger.Explanation{{}, {Close: true, Distinguish: ledger.OtherScale}}, time.UTC)
	if want := "The book and the test of 3 Nov 2026 disagree by 14 K."; strings.ReplaceAll(text, nbsp, " ") != want {
		t.Errorf("%s, want %s", text, want)
	}
	if len(next) != 1 || !strings.Contains(next[0], "other glycol’s scale") {
		t.Errorf("next: %q", next)
	}
	if _, next := Metric.Disagreement(&ledger.TestMark{Waits: true}, line, nil, time.UTC); len(next) != 2 || !strings.Contains(next[0], "the book counts") {
		t.Errorf("a colder test: %q", next)
	}
	if _, next := Metric.Disagreement(&ledger.TestMark{Confirmed: true}, line, nil, time.UTC); len(next) != 0 {
		t.Errorf("confirmed: %q", next)
	}
	line.Test.Trusted = false
	if text, _ := Metric.Disagreement(&ledger.TestMark{}, line, nil, time.UTC); !strings.Contains(text, "cannot be used") {
		t.Errorf("not trusted: %s", text)
	}
}
