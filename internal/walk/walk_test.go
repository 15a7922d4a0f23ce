package walk_test

import (
	"encoding/json"
	"math/rand/v2"
	"slices"
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
	"diligentledger/internal/walk"
	"diligentledger/internal/walk/walktest"
)

// A zone that a device takes along has the days of the zone it was made of, from 1990 to 2045: northern,
// southern, half hours, and one that gave summer time up.
func TestZoneData(t *testing.T) {
	for _, name := range []string{"Europe/Oslo", "America/St_Johns", "Australia/Lord_Howe", "Asia/Kolkata", "America/Sao_Paulo", "Pacific/Apia", "UTC"} {
		zone, err := time.LoadLocation(name)
		if err != nil {
			t.Fatal(err)
		}
		got, err := time.LoadLocationFromTZData(name, walk.ZoneData(zone))
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		for at := time.Date(1990, 1, 2, 0, 30, 0, 0, time.UTC); at.Year() < 2045; at = at.Add(7 * time.Hour) {
			if a, b := at.In(zone).Format(time.RFC3339+" MST"), at.In(got).Format(time.RFC3339+" MST"); a != b {
				t.Fatalf("%s: %s on the device, want %s", name, b, a)
			}
		}
	}
	fixed := time.FixedZone("here", 3600)
	if got, err := time.LoadLocationFromTZData("here", walk.ZoneData(fixed)); err != nil || got.String() != "here" || measure.DateOf(ledgertest.Start, got) != measure.DateOf(ledgertest.Start, fixed) {
		t.Errorf("a zone that never changes: %v", err)
	}
}

func opened(t *testing.T, rng *rand.Rand, u ledger.Unit, entries int, now time.Time, waiting ...walk.Waiting) (*walk.Unit, walk.Pack) {
	t.Helper()
	text, err := json.Marshal(walktest.Shared(rng, now))
	if err != nil {
		t.Fatal(err)
	}
	shared, err := walk.Read(text)
	if err != nil {
		t.Fatal(err)
	}
	pack, err := walktest.Pack(rng, u, entries)
	if err != nil {
		t.Fatal(err)
	}
	unit, err := walk.Open(shared, pack, waiting, now)
	if err != nil {
		t.Fatal(err)
	}
	return unit, pack
}

// Laws over random lives: an entry that waits counts as one that is written; one that is in the books
// already and still waits counts once; what cannot be read leaves the rest as it is.
func TestWaiting(t *testing.T) {
	now := ledgertest.Start.AddDate(0, 0, ledgertest.Days+1)
	for seed := range 200 {
		u := ledgertest.Units[seed%len(ledgertest.Units)]
		rng := func() *rand.Rand { return rand.New(rand.NewPCG(uint64(seed), 9)) }
		_, pack := opened(t, rng(), u, 12, now)
		drawn := rand.New(rand.NewPCG(uint64(seed), 10))
		sent, err := walktest.Sent(walktest.ID(seed), now.Add(-time.Hour), ledgertest.Body(drawn, u, ledgertest.Days), true)
		if err != nil {
			t.Fatal(err)
		}
		w := walk.Waiting{Address: pack.Code, Entry: sent, RecordedAt: now}
		damaged := walk.Waiting{Address: pack.Code, Entry: json.RawMessage(`{"id":7}`), RecordedAt: now}
		once, _ := opened(t, rng(), u, 12, now, w)
		twice, _ := opened(t, rng(), u, 12, now, w, damaged, w)
		a, b := once.View(), twice.View()
		if x, y := asJSON(t, a), asJSON(t, b); x != y {
			// The same line twice in a queue is one line.
			t.Errorf("seed %d: once %.200s\ntwice %.200s", seed, x, y)
		}
	}
}

func asJSON(t *testing.T, v any) string {
	t.Helper()
	text, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

// Law: nothing that a technician records on a device lifts a hold there, of random entries on units that a
// person holds: what the server would not permit the device does not, either.
func TestNoHoldIsLifted(t *testing.T) {
	now := ledgertest.Start.AddDate(0, 0, ledgertest.Days+1)
	lifted, forbidden := 0, 0
	for seed := range 600 {
		rng := rand.New(rand.NewPCG(uint64(seed), 11))
		u := ledgertest.Units[seed%len(ledgertest.Units)]
		shared := walktest.Shared(rng, now)
		shared.Actor = access.Actor{ID: 3, Name: "T. Quayle", Role: access.Technician}
		pack, err := walktest.Pack(rng, u, 8)
		if err != nil {
			t.Fatal(err)
		}
		hold, err := walktest.Sent(walktest.ID(1), now.Add(-3*time.Hour), ledger.Hold{Why: "not to be moved"}, false)
		if err != nil {
			t.Fatal(err)
		}
		unit, err := walk.Open(&shared, pack, []walk.Waiting{{Address: pack.Code, Entry: hold, RecordedAt: now}}, now)
		if err != nil {
			t.Fatal(err)
		}
		sent, err := walktest.Sent(walktest.ID(2), now.Add(-time.Hour), ledgertest.Body(rng, u, ledgertest.Days), true)
		if err != nil {
			t.Fatal(err)
		}
		p := unit.Preview(pack.Code, sent)
		if p.Forbidden {
			forbidden++
		}
		if len(p.Refused) == 0 && p.Verdict != clock.Hold {
			lifted++
			t.Errorf("seed %d: %s gives %s", seed, sent, p.Verdict)
		}
	}
	if forbidden == 0 {
		t.Error("no entry was forbidden")
	}
}

// What is said on the spot: the band of the reading, what the site needs, and the book when it does not
// reconcile; a level that must not move says so.
func TestSaid(t *testing.T) {
	now := ledgertest.Start.AddDate(1, 9, 0) // December
	rng := rand.New(rand.NewPCG(1, 2))
	shared := walktest.Shared(rng, now)
	shared.Actor.Role = access.Technician
	u := ledger.Unit{Code: "CA-01", Kind: "car", Capacity: 8, Base: "EG", Meter: measure.Distance}
	pack := walk.Pack{Code: "CA-01", Name: "car", Kind: "car", Site: "Yard", Zone: "Europe/Oslo", Cold: "Yard"}
	fill := ledger.Entry{ID: walktest.ID(5), Unit: "CA-01", At: now.AddDate(0, -5, 0), RecordedAt: now.AddDate(0, -5, 0), RecordedBy: "E. Marrow",
		Body: ledger.Renewal{Volume: measure.Reading{Value: 8, Unit: measure.L}, Product: ledgertest.Products[1], Emptied: true}}
	entry, err := walk.EntryOf(fill)
	if err != nil {
		t.Fatal(err)
	}
	pack.Circuits = []walk.Circuit{{Address: "CA-01", Unit: u, Plan: "1", Entries: []walk.Entry{entry}}}
	unit, err := walk.Open(&shared, pack, nil, now)
	if err != nil {
		t.Fatal(err)
	}
	said := func(b ledger.Body) walk.Preview {
		t.Helper()
		sent, err := walktest.Sent(walktest.ID(6), now.Add(-time.Minute), b, false)
		if err != nil {
			t.Fatal(err)
		}
		p := unit.Preview("CA-01", sent)
		if len(p.Refused) > 0 {
			t.Fatalf("%+v", p.Refused)
		}
		return p
	}
	test := said(ledger.FreezeTest{Value: measure.Reading{Value: -20, Unit: measure.DegC}, Instrument: ledger.Refractometer, Scale: "EG", Tool: "R-1"})
	all := strings.Join(test.Said, " ")
	for _, want := range []string{"Protects to −20\u00a0°C ±", "Yard", "does not reconcile", "plain water was added and not recorded", "second"} {
		if !strings.Contains(all, want) {
			t.Errorf("%q is not said: %s", want, all)
		}
	}
	if !slices.ContainsFunc(said(ledger.FreezeTest{Value: measure.Reading{Value: -36, Unit: measure.DegC}, Instrument: ledger.Refractometer, Scale: "EG", Tool: "R-1"}).Said, func(s string) bool { return strings.Contains(s, "agrees") }) {
		t.Error("a test that agrees does not say so")
	}
	empty := said(ledger.LevelCheck{Temper: "cold", Mark: "empty"})
	if empty.MustNotMove == "" || empty.Verdict != clock.Hold {
		t.Errorf("an empty system: %+v", empty)
	}
	hot := said(ledger.LevelCheck{Temper: "hot", Mark: "max"})
	if hot.Verdict != hot.Before {
		t.Errorf("a hot level changes the status: %+v", hot)
	}
	if p := unit.Preview("CA-02", nil); len(p.Refused) != 1 {
		t.Errorf("another unit: %+v", p)
	}
	if _, err := walk.Read([]byte(`{"version":"0.1"}`)); err == nil || !strings.Contains(err.Error(), "load the walk again") {
		t.Errorf("another version: %v", err)
	}
}

// A forecast that is too old by then counts on the device as little as on the server: a walk that lies there for
// days does not trust mild nights that were forecast when it was loaded.
func TestForecastOnTheDevice(t *testing.T) {
	now := time.Date(2026, 12, 10, 8, 0, 0, 0, time.UTC)
	shared := walktest.Shared(rand.New(rand.NewPCG(1, 1)), now)
	day := measure.DateOf(now, time.UTC)
	cold := climate.MonthlyCurve{-18, -17, -12, -5, 1, 5, 8, 7, 3, -2, -9, -15}.Climate()
	shared.Colds["Yard"] = cold.WithForecast(day, []measure.Celsius{6, 6, 6, 6, 6, 6, 6, 6, 6, 6})
	until := now.Add(30 * time.Hour)
	shared.PackedAt, shared.ForecastUntil = now, &until
	u := ledger.Unit{Code: "CA-01", Kind: "car", Capacity: 8, Base: "EG"}
	fill := ledger.Entry{ID: walktest.ID(5), Unit: "CA-01", At: now.AddDate(0, -1, 0), RecordedAt: now.AddDate(0, -1, 0), RecordedBy: "E. Marrow",
		Body: ledger.Renewal{Volume: measure.Reading{Value: 8, Unit: measure.L}, Product: coolant.Product{Code: "T", Base: coolant.EG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.27}, Emptied: true}}
	entry, err := walk.EntryOf(fill)
	if err != nil {
		t.Fatal(err)
	}
	pack := walk.Pack{Code: "CA-01", Kind: "car", Site: "Yard", Zone: "Europe/Oslo", Cold: "Yard", Circuits: []walk.Circuit{{Address: "CA-01", Unit: u, Plan: "1", Entries: []walk.Entry{entry}}}}
	freeze := func(at time.Time) string {
		t.Helper()
		open, err := walk.Open(&shared, pack, nil, at)
		if err != nil {
			t.Fatal(err)
		}
		v := open.View()
		return string(v.Verdict) + " " + v.Reason + " " + v.Stale
	}
	early, late := freeze(now), freeze(now.Add(31*time.Hour))
	if strings.HasPrefix(early, "hold") || !strings.HasPrefix(late, "hold") {
		t.Errorf("with mild nights ahead %s; once they are too old %s", early, late)
	}
	if strings.Contains(early, "loaded") || !strings.Contains(late, "This walk was loaded 31 hours ago") {
		t.Errorf("%s; %s", early, late)
	}
}

// What a round reports of a unit is the status of all its circuits: a sound port engine does not hide that the
// starboard one must not run.
func TestWholeUnit(t *testing.T) {
	now := ledgertest.Start.AddDate(1, 0, 0)
	shared := walktest.Shared(rand.New(rand.NewPCG(1, 1)), now)
	shared.Actor.Role = access.Technician
	circuit := func(name ledger.Circuit, further bool) walk.Circuit {
		return walk.Circuit{Address: "HB-02 " + string(name), Plan: "1", Entries: []walk.Entry{}, Unit: ledger.Unit{Code: "HB-02 " + string(name), Kind: "boat", Capacity: 12, Circuit: name, Further: further}}
	}
	pack := walk.Pack{Code: "HB-02", Kind: "boat", Site: "Yard", Zone: "Europe/Oslo", Cold: "Yard", Circuits: []walk.Circuit{circuit("port", false), circuit(ledger.StarboardCircuit, true)}}
	level := func(id int, mark string) []byte {
		t.Helper()
		sent, err := walktest.Sent(walktest.ID(id), now.Add(-time.Hour), ledger.LevelCheck{Temper: "cold", Mark: mark}, false)
		if err != nil {
			t.Fatal(err)
		}
		return sent
	}
	open, err := walk.Open(&shared, pack, []walk.Waiting{{Address: "HB-02 starboard", Entry: level(1, "empty"), RecordedAt: now}}, now)
	if err != nil {
		t.Fatal(err)
	}
	p := open.Preview("HB-02 port", level(2, "max"))
	if p.Verdict == clock.Hold || p.Unit == nil || p.Unit.Verdict != clock.Hold || p.MustNotMove == "" {
		t.Errorf("port %s, unit %+v, %q", p.Verdict, p.Unit, p.MustNotMove)
	}
}
