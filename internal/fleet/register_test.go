package fleet_test

import (
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/access"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/register"
	"diligentledger/internal/fleet"
	"diligentledger/internal/store"
)

var coordinator = store.Actor{Name: "O. Fenn", Role: access.Coordinator, Address: "test"}

func reading() register.Reading { return register.Metric(measure.DateOf(noon, time.UTC)) }

// add a record and give the names of what was added.
func add(t *testing.T, of register.Record, numbers string, typed map[string]string) []string {
	t.Helper()
	names, err := open.AddRecord(t.Context(), coordinator, fleet.RecordChange{Of: of, Typed: typed, Numbers: numbers, Reading: reading()})
	if err != nil {
		t.Fatalf("%v: %v", typed, err)
	}
	return names
}

func record(t *testing.T, of register.Record, key string) store.Record {
	t.Helper()
	r, err := open.Record(t.Context(), of, key)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// recordID of a record by its name.
func recordID(t *testing.T, of register.Record, name string) string {
	t.Helper()
	rows, _, err := open.Records(t.Context(), of, store.RecordFilter{})
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(rows, func(r store.RecordRow) bool { return r.Name == name })
	if i < 0 {
		t.Fatalf("no %s %s", of, name)
	}
	return fmt.Sprint(rows[i].ID)
}

func change(t *testing.T, of register.Record, key string, from *measure.Date, typed map[string]string) (store.Record, error) {
	t.Helper()
	return open.SaveRecord(t.Context(), coordinator, fleet.RecordChange{Of: of, Key: key, Revision: record(t, of, key).Revision(), Typed: typed, From: from, Reading: reading()})
}

// must takes what a change gives.
func must(t *testing.T) func(store.Record, error) store.Record {
	return func(r store.Record, err error) store.Record {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
}

// refusalAt of a field; empty when it is not refused.
func refusalAt(err error, pointer string) string {
	var refused *refusal.Error
	if errors.As(err, &refused) {
		for _, f := range refused.Fields {
			if f.Pointer == pointer {
				return f.Error()
			}
		}
	}
	return ""
}

func car(code string, more map[string]string) map[string]string {
	facts := map[string]string{"code": code, "name": "pool car", "kind": "car", "site": "Inland depot", "plan": "Pool car", "capacity": "8 L", "base": "EG", "meter": "km"}
	maps.Copy(facts, more)
	return facts
}

func verified(t *testing.T) {
	t.Helper()
	_, breaks, err := patient.Verify(t.Context(), nil)
	if err != nil {
		t.Fatal(err)
	}
	accounts, err := patient.VerifyAccounts(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	for _, b := range append(breaks, accounts...) {
		if !pastChains[b.ID] {
			t.Errorf("verify: %+v", b)
		}
	}
}

// A unit that is added is in the lists at once, unknown: nothing was measured of it.
func TestAddUnit(t *testing.T) {
	names := add(t, register.Unit, "ZA-02 to ZA-04, ZA-09", car("ZA-01", map[string]string{"registration": "SK 100", "capacity": "8.5 US qt", "drains": "petcock 4 L\nblock 1.5 qt"}))
	if want := []string{"ZA-01", "ZA-02", "ZA-03", "ZA-04", "ZA-09"}; !slices.Equal(names, want) {
		t.Errorf("added %v, want %v", names, want)
	}
	rows, err := open.Statuses(t.Context(), store.StatusFilter{Text: "ZA-"})
	if err != nil || len(rows) != 5 {
		t.Fatalf("%d rows, %v", len(rows), err)
	}
	for _, r := range rows {
		if r.Verdict == "sound" || r.Governing.Kind == "evaluation" {
			t.Errorf("%s, of which nothing is recorded, is %s by %s", r.Code, r.Verdict, r.Governing.Kind)
		}
	}
	one, copied := record(t, register.Unit, "ZA-01"), record(t, register.Unit, "ZA-03")
	if one.Facts["capacity"] != "8.5 US qt" || one.Facts["drains"] != "petcock 4 L\nblock 1.5 US qt" || one.Facts["registration"] != "SK 100" {
		t.Errorf("facts %v", one.Facts)
	}
	if copied.Facts["registration"] != "" || copied.Facts["capacity"] != "8.5 US qt" {
		t.Errorf("facts of the copy %v", copied.Facts)
	}
	u, err := app.Unit(t.Context(), "ZA-01")
	if want := 8.5 * 0.946352946; err != nil || float64(u.Ledger.Capacity) < want-1e-9 || float64(u.Ledger.Capacity) > want+1e-9 {
		t.Errorf("capacity %v, %v; want %v L", u.Ledger.Capacity, err, want)
	}
	verified(t)
}

// What is not accepted names its field, the value as typed and what is accepted.
func TestRecordRefusals(t *testing.T) {
	add(t, register.Unit, "", car("ZB-01", nil))
	for name, c := range map[string]struct {
		typed   map[string]string
		numbers string
		pointer string
		holds   []string
	}{
		"number of another":   {car("ZB-01", nil), "", "/facts/code", []string{`"ZB-01"`, "one of its own"}},
		"copy of another":     {car("ZB-02", nil), "ZB-01", "/numbers", []string{`"ZB-01"`}},
		"range backwards":     {car("ZB-02", nil), "ZB-09 to ZB-03", "/numbers", []string{"CA-60 to CA-71"}},
		"no such site":        {car("ZB-02", map[string]string{"site": "Moon"}), "", "/facts/site", []string{`"Moon"`, "Inland depot"}},
		"no capacity":         {car("ZB-02", map[string]string{"capacity": ""}), "", "/facts/capacity", []string{"a type that has one"}},
		"capacity as a text":  {car("ZB-02", map[string]string{"capacity": "a lot"}), "", "/facts/capacity", []string{`"a lot"`, "L, mL, qt"}},
		"either way":          {car("ZB-02", map[string]string{"capacity": "1,250"}), "", "/facts/capacity", []string{"1250 or 1.25:"}},
		"odd for a car":       {car("ZB-02", map[string]string{"capacity": "80"}), "", "/facts/capacity", []string{"3 to 20 L is usual"}},
		"more than it holds":  {car("ZB-02", map[string]string{"drains": "petcock 9 L"}), "", "/facts/drains", []string{"9 L in all", "8 L"}},
		"a boat's fact":       {car("ZB-02", map[string]string{"raw_water": "yes"}), "", "/facts/raw_water", []string{"a car has no such fact"}},
		"no such fact":        {car("ZB-02", map[string]string{"colour": "red"}), "", "/facts/colour", []string{"no such fact"}},
		"same meter twice":    {car("ZB-02", map[string]string{"second_meter": "km"}), "", "/facts/second_meter", []string{"does not have yet"}},
		"copy with a mark":    {car("ZB-02", nil), "ZB/3", "/numbers", []string{`"ZB/3"`, "without /"}},
		"name of a circuit":   {car("ZB 02 port", nil), "", "/facts/code", []string{"name of a circuit"}},
		"no plan":             {car("ZB-02", map[string]string{"plan": ""}), "", "/facts/plan", []string{"must be given"}},
		"cap beyond all caps": {car("ZB-02", map[string]string{"cap": "400 psi"}), "", "/facts/cap", []string{`"400 psi"`, "10 kPa to 350 kPa"}},
	} {
		_, err := open.AddRecord(t.Context(), coordinator, fleet.RecordChange{Of: register.Unit, Typed: c.typed, Numbers: c.numbers, Reading: reading()})
		text := refusalAt(err, c.pointer)
		for _, part := range c.holds {
			if !strings.Contains(text, part) {
				t.Errorf("%s: %q (%v) lacks %q", name, text, err, part)
			}
		}
	}
	if _, err := open.Record(t.Context(), register.Unit, "ZB-02"); !errors.Is(err, store.ErrNoUnit) {
		t.Errorf("refused, and there: %v", err)
	}
}

// Another radiator from a day on: what happened before it is folded with the capacity of its time, what comes
// after with the new one; undone, it is as if it had never been. Two people at once: the second
// writes nothing over.
func TestFactsFromADay(t *testing.T) {
	add(t, register.Unit, "", car("ZC-01", nil))
	w := fleet.Actor{Name: "O. Fenn", Role: access.Coordinator}
	write := func(daysAgo int, b ledger.Body) {
		t.Helper()
		e := newEntry(daysAgo, b)
		if _, err := writeEntry(t.Context(), w, "ZC-01", e); err != nil {
			t.Fatal(err)
		}
	}
	premix := coolant.Product{Code: "X", Name: "X", Base: coolant.EG, Technology: "OAT", Form: coolant.Premix, Glycol: 0.5}
	write(100, ledger.Opening{History: ledger.Factory, Product: &premix})
	write(20, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"})
	before, err := open.Account(t.Context(), "ZC-01")
	if err != nil {
		t.Fatal(err)
	}
	day := measure.DateOf(noon, time.UTC).AddDays(-50)
	revision := record(t, register.Unit, "ZC-01").Revision()
	r := must(t)(open.SaveRecord(t.Context(), coordinator, fleet.RecordChange{Of: register.Unit, Key: "ZC-01", Revision: revision, Typed: map[string]string{"capacity": "9.5 L", "make": "Norrow"}, From: &day, Reading: reading()}))
	if _, err := open.SaveRecord(t.Context(), coordinator, fleet.RecordChange{Of: register.Unit, Key: "ZC-01", Revision: revision, Typed: map[string]string{"capacity": "7 L"}, Reading: reading()}); !errors.Is(err, store.ErrRecordChanged) {
		t.Errorf("a change of what was seen before: %v", err)
	}
	u, err := app.Unit(t.Context(), "ZC-01")
	if err != nil || u.Ledger.Capacity != 9.5 || len(u.Ledger.Earlier) != 1 || u.Ledger.Earlier[0].Facts.Capacity != 8 {
		t.Fatalf("unit %+v, %v", u.Ledger, err)
	}
	after, err := open.Account(t.Context(), "ZC-01")
	if err != nil {
		t.Fatal(err)
	}
	if a, b := before.Account.Lines[0].After, after.Account.Lines[0].After; *a.Litres != *b.Litres || *a.Litres != 8 {
		t.Errorf("the charge of before: %v and %v L", *a.Litres, *b.Litres)
	}
	if _, err := change(t, register.Unit, "ZC-01", nil, map[string]string{"capacity": "9 L"}); !strings.Contains(refusalAt(err, "/from"), "undo that change first") {
		t.Errorf("from the beginning, after a change from a day: %v", err)
	}
	tomorrow := measure.DateOf(noon, time.UTC).AddDays(1)
	if _, err := change(t, register.Unit, "ZC-01", &tomorrow, map[string]string{"capacity": "9 L"}); refusalAt(err, "/from") == "" {
		t.Errorf("from tomorrow on: %v", err)
	}
	last := r.Changes[len(r.Changes)-1]
	r = must(t)(open.UndoRecordChange(t.Context(), coordinator, register.Unit, "ZC-01", r.Revision(), last.ID))
	if r.Facts["capacity"] != "8 L" || r.Facts["make"] != "" {
		t.Errorf("undone: %v", r.Facts)
	}
	undone, err := open.Account(t.Context(), "ZC-01")
	if err != nil || asJSON(t, undone.Whole) != asJSON(t, before.Whole) || undone.Unit.Ledger.Earlier != nil {
		t.Errorf("undone, the status is %s, before %s, %v", asJSON(t, undone.Whole), asJSON(t, before.Whole), err)
	}
	if _, err := open.UndoRecordChange(t.Context(), coordinator, register.Unit, "ZC-01", r.Revision(), last.ID); !errors.Is(err, store.ErrNotUndoable) {
		t.Errorf("undone twice: %v", err)
	}
	verified(t)
}

func newEntry(daysAgo int, b ledger.Body) ledger.Entry {
	at := noon.AddDate(0, 0, -daysAgo)
	return ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), At: at, RecordedAt: noon, Body: b}
}

// A type gives its units what they do not have themselves; a change of it is previewed, is theirs from then
// on, and is undone with it. A capacity that is a common value shows no level as sound.
func TestTypes(t *testing.T) {
	add(t, register.Type, "", map[string]string{"name": "Z hatchback", "kind": "car", "common": "yes", "capacity": "6 L", "base": "EG", "cap": "108 kPa", "torque": "12", "meter": "km"})
	add(t, register.Unit, "ZD-02", car("ZD-01", map[string]string{"type": "Z hatchback", "capacity": "", "base": "", "meter": ""}))
	add(t, register.Unit, "", car("ZD-03", map[string]string{"type": "Z hatchback", "capacity": "7 L"}))
	r := record(t, register.Unit, "ZD-01")
	if r.Facts["capacity"] != "6 L" || r.Facts["torque"] != "12 N·m" || !slices.Contains(r.Typed, "capacity") || !slices.Contains(r.Typed, "torque") {
		t.Errorf("by its type: %v %v", r.Facts, r.Typed)
	}
	u, err := app.Unit(t.Context(), "ZD-01")
	if err != nil || !u.Ledger.CapacityCommon || u.Ledger.Capacity != 6 || u.Ledger.Cap != 108 {
		t.Errorf("%+v, %v", u.Ledger, err)
	}
	if own, err := app.Unit(t.Context(), "ZD-03"); err != nil || own.Ledger.CapacityCommon || own.Ledger.Capacity != 7 {
		t.Errorf("its own capacity: %+v, %v", own.Ledger, err)
	}
	id := recordID(t, register.Type, "Z hatchback")
	typed := map[string]string{"capacity": "6.5 L", "torque": "15", "common": "no"}
	if _, err := open.PreviewRecord(t.Context(), fleet.RecordChange{Of: register.Type, Key: id, Typed: typed, Reading: reading()}); err != nil {
		t.Error(err)
	}
	of := must(t)(change(t, register.Type, id, nil, typed))
	if of.Units != 3 {
		t.Errorf("%d units of the type", of.Units)
	}
	for code, want := range map[string]string{"ZD-01": "6.5 L", "ZD-02": "6.5 L", "ZD-03": "7 L"} {
		r := record(t, register.Unit, code)
		if r.Facts["capacity"] != want || r.Facts["torque"] != "15 N·m" {
			t.Errorf("%s: %v", code, r.Facts)
		}
		if u, err := app.Unit(t.Context(), code); err != nil || u.Ledger.CapacityCommon {
			t.Errorf("%s: a capacity that is confirmed is common: %v", code, err)
		}
	}
	of = must(t)(open.UndoRecordChange(t.Context(), coordinator, register.Type, id, of.Revision(), of.Changes[len(of.Changes)-1].ID))
	if u, err := app.Unit(t.Context(), "ZD-02"); err != nil || u.Ledger.Capacity != 6 || !u.Ledger.CapacityCommon {
		t.Errorf("undone: %+v, %v", u.Ledger, err)
	}
	// Its own capacity, and that of the type again.
	must(t)(change(t, register.Unit, "ZD-01", nil, map[string]string{"capacity": "5.5"}))
	if u, _ := app.Unit(t.Context(), "ZD-01"); u.Ledger.Capacity != 5.5 || u.Ledger.CapacityCommon {
		t.Errorf("its own: %+v", u.Ledger)
	}
	must(t)(change(t, register.Unit, "ZD-01", nil, map[string]string{"capacity": ""}))
	if u, _ := app.Unit(t.Context(), "ZD-01"); u.Ledger.Capacity != 6 || !u.Ledger.CapacityCommon {
		t.Errorf("that of the type again: %+v", u.Ledger)
	}
	if _, err := open.AddRecord(t.Context(), coordinator, fleet.RecordChange{Of: register.Unit, Typed: map[string]string{"code": "ZD-09", "kind": "boat", "type": "Z hatchback", "site": "Inland depot", "plan": "Pool car"}, Reading: reading()}); refusalAt(err, "/facts/type") == "" {
		t.Errorf("a boat of a type of car: %v", err)
	}
	verified(t)
}

// A unit that was sold is in no list, accepts no later entry, and returns as it was.
func TestLeaveFleet(t *testing.T) {
	add(t, register.Unit, "", car("ZE-01", nil))
	w := fleet.Actor{Name: "O. Fenn", Role: access.Coordinator}
	if _, err := writeEntry(t.Context(), w, "ZE-01", newEntry(9, ledger.Hold{Why: "leak"})); err != nil {
		t.Fatal(err)
	}
	counts := func() int {
		m, err := open.Morning(t.Context(), 1)
		if err != nil {
			t.Fatal(err)
		}
		return m.Counts.Total()
	}
	there := counts()
	day := measure.DateOf(noon, time.UTC).AddDays(-1)
	if _, err := open.LeaveFleet(t.Context(), coordinator, "ZE-01", "0.0", day, store.Sold); !errors.Is(err, store.ErrRecordChanged) {
		t.Errorf("of another revision: %v", err)
	}
	r := must(t)(open.LeaveFleet(t.Context(), coordinator, "ZE-01", record(t, register.Unit, "ZE-01").Revision(), day, store.Sold))
	if r.LeftOn == nil || r.LeftHow != store.Sold || counts() != there-1 {
		t.Errorf("left: %+v; %d units, before %d", r.LeftOn, counts(), there)
	}
	if _, err := open.RefreshStatus(t.Context()); err != nil || counts() != there-1 {
		t.Errorf("refreshed: %d units, %v", counts(), err)
	}
	if _, err := writeEntry(t.Context(), w, "ZE-01", newEntry(0, ledger.NoteBody{Text: "after"})); refusalAt(err, "/at") == "" {
		t.Errorf("an entry after it left: %v", err)
	}
	if _, err := writeEntry(t.Context(), w, "ZE-01", newEntry(3, ledger.NoteBody{Text: "sent late"})); err != nil || counts() != there-1 {
		t.Errorf("an entry of before: %v, %d units", err, counts())
	}
	if _, err := open.AddWork(t.Context(), coordinator, []string{"ZE-01"}, nil, nil); !strings.Contains(refusalAt(err, "/units/0"), "left the fleet") {
		t.Errorf("work for a unit that left: %v", err)
	}
	r = must(t)(open.ReturnToFleet(t.Context(), coordinator, "ZE-01", r.Revision()))
	rows, err := open.Statuses(t.Context(), store.StatusFilter{Codes: []string{"ZE-01"}})
	if err != nil || len(rows) != 1 || rows[0].Verdict != "hold" || r.LeftOn != nil {
		t.Errorf("back: %+v, %v", rows, err)
	}
	r = must(t)(open.UndoRecordChange(t.Context(), coordinator, register.Unit, "ZE-01", r.Revision(), r.Changes[len(r.Changes)-1].ID))
	if r.LeftOn == nil || counts() != there-1 {
		t.Errorf("its return undone: %+v, %d units", r.LeftOn, counts())
	}
	verified(t)
}

// Sites, products and instruments are added and changed; what entries name stays.
func TestOtherRecords(t *testing.T) {
	cold := "-20; -19; -14; -7; -2; 3; 6; 5; 1; -4; -10; -16"
	add(t, register.Site, "", map[string]string{"name": "Z quay", "altitude": "100 ft", "zone": "Europe/Oslo", "cold": cold, "bays_dock": "2"})
	id := recordID(t, register.Site, "Z quay")
	if r := record(t, register.Site, id); r.Facts["altitude"] != "100 ft" || r.Facts["bays_dock"] != "2" || !strings.HasPrefix(r.Facts["cold"], "-20 °C; -19 °C") {
		t.Errorf("site %v", r.Facts)
	}
	must(t)(change(t, register.Site, id, nil, map[string]string{"cold": strings.Replace(cold, "-20", "-25", 1)}))
	sites, err := app.Sites(t.Context())
	if i := slices.IndexFunc(sites, func(s store.Site) bool { return s.Name == "Z quay" }); err != nil || i < 0 || sites[i].Months[0] != -25 || sites[i].Cold.Coldest() > -24.9 {
		t.Errorf("sites %v, %v", sites, err)
	}
	for typed, pointer := range map[string]string{"zone": "Moon/Base", "cold": "-20; -19"} {
		if _, err := change(t, register.Site, id, nil, map[string]string{typed: pointer}); refusalAt(err, "/facts/"+typed) == "" {
			t.Errorf("%s %s: %v", typed, pointer, err)
		}
	}
	add(t, register.Product, "", map[string]string{"code": "Z-50", "name": "Z premix", "base": "EG", "technology": "OAT", "form": "premix", "glycol": "50", "meets": "D3306", "containers": "5 L 21.50"})
	add(t, register.Product, "", map[string]string{"code": "Z-C", "name": "Z concentrate", "base": "PG", "technology": "OAT", "form": "concentrate"})
	p, err := app.Product(t.Context(), "Z-C")
	if err != nil || p.Stated || p.Glycol != coolant.ConcentrateGlycol || p.ID == 0 {
		t.Errorf("concentrate %+v, %v", p, err)
	}
	if r := record(t, register.Product, recordID(t, register.Product, "Z-C")); r.Facts["glycol"] != "" {
		t.Errorf("what its label does not state: %v", r.Facts)
	}
	if r := must(t)(change(t, register.Product, recordID(t, register.Product, "Z-50"), nil, map[string]string{"glycol": "47 %"})); r.Facts["glycol"] != "47 %" {
		t.Errorf("product %v", r.Facts)
	}
	for code, typed := range map[string]map[string]string{
		"code": {"code": "Z-51"}, "glycol": {"glycol": ""}, "technology": {"technology": "waterless"}, "freeze": {"freeze": "-37"},
	} {
		if _, err := change(t, register.Product, recordID(t, register.Product, "Z-50"), nil, typed); refusalAt(err, "/facts/"+code) == "" {
			t.Errorf("%v: %v", typed, err)
		}
	}
	add(t, register.Instrument, "", map[string]string{"name": "Z discs", "kind": "disc tester", "scale": "EG", "chart": "-4; -8; -16; -26", "expires": "1 Mar 2027"})
	r := record(t, register.Instrument, recordID(t, register.Instrument, "Z discs"))
	if r.Facts["chart"] != "-4 °C; -8 °C; -16 °C; -26 °C" || r.Facts["expires"] != "2027-03-01" || r.Facts["kind"] != "disc_tester" {
		t.Errorf("instrument %v", r.Facts)
	}
	verified(t)
}

// Law: whatever is changed and undone of a unit in whatever order, its facts are those of the changes that count, its
// account is that of a fold from its entries, and the chains hold.
func TestRandomChanges(t *testing.T) {
	rng := rand.New(rand.NewPCG(16, 1))
	add(t, register.Type, "", map[string]string{"name": "Z type", "kind": "car", "capacity": "6 L", "cap": "90 kPa", "wet_liners": "yes"})
	add(t, register.Unit, "", car("ZF-01", map[string]string{"type": "Z type"}))
	values := map[string][]string{"capacity": {"7 L", "9 L", "8 US qt", ""}, "base": {"EG", "PG", ""}, "cap": {"100 kPa", "15 psi", ""}, "metal": {"iron", "aluminium", ""},
		"wet_liners": {"yes", "no", ""}, "make": {"Norrow", ""}, "site": {"Inland depot", "Harbour yard"}, "type": {"Z type", ""}, "place": {"row 3", ""}}
	codes := slices.Sorted(maps.Keys(values))
	today := measure.DateOf(noon, time.UTC)
	changed, undone, refused := 0, 0, 0
	for range 120 {
		r := record(t, register.Unit, "ZF-01")
		if rng.IntN(3) == 0 && len(r.Changes) > 1 {
			c := r.Changes[1+rng.IntN(len(r.Changes)-1)]
			can := register.Undoable(r.PlainChanges(), c.ID)
			after, err := open.UndoRecordChange(t.Context(), coordinator, register.Unit, "ZF-01", r.Revision(), c.ID)
			if can != (err == nil) {
				t.Fatalf("undo of %+v: can %v, %v", c, can, err)
			}
			if err != nil {
				continue
			}
			undone++
			for code, was := range c.Was {
				if after.Facts[code] != was && !slices.Contains(after.Typed, code) {
					t.Fatalf("%s undone is %q, was %q", code, after.Facts[code], was)
				}
			}
			continue
		}
		typed := map[string]string{}
		for range 1 + rng.IntN(3) {
			code := codes[rng.IntN(len(codes))]
			typed[code] = values[code][rng.IntN(len(values[code]))]
		}
		var from *measure.Date
		if rng.IntN(2) == 0 {
			day := today.AddDays(-rng.IntN(60))
			from = &day
		}
		after, err := change(t, register.Unit, "ZF-01", from, typed)
		var no *refusal.Error
		switch {
		case errors.As(err, &no):
			refused++
			continue
		case err != nil:
			t.Fatal(err)
		}
		changed++
		for code, text := range typed {
			if text != "" && after.Facts[code] != text {
				t.Fatalf("%s is %q, want %q", code, after.Facts[code], text)
			}
		}
	}
	if changed < 20 || undone < 5 || refused == 0 {
		t.Errorf("%d changed, %d undone, %d refused: the law was not tried", changed, undone, refused)
	}
	verified(t)
}

// What a preview of a change says is what saving it does: of a unit, of one circuit among several, and by another site.
func TestPreviewIsWhatComes(t *testing.T) {
	ctx := t.Context()
	boat, err := open.Account(ctx, "HB-14")
	if err != nil || len(boat.Circuits) < 2 {
		t.Fatalf("%d circuits, %v", len(boat.Circuits), err)
	}
	further := boat.Circuits[1].Unit.Address()
	foreseen := 0
	for _, c := range []struct {
		key   string
		typed map[string]string
	}{
		{further, map[string]string{"capacity": "400 L"}}, {further, map[string]string{"plan": "Pool car"}}, {further, map[string]string{"raw_water": ""}},
		{"HB-14", map[string]string{"capacity": "400 L"}}, {"HB-14", map[string]string{"site": "Hill garage"}}, {"CA-05", map[string]string{"site": "Hill garage"}}, {"HB-14", map[string]string{"keeper": "a person"}},
	} {
		whole := func() string {
			m, err := open.Account(ctx, c.key)
			if err != nil {
				t.Fatal(err)
			}
			g := m.Whole.Governing
			return fmt.Sprint(m.Whole.Verdict, g.Kind, g.Due)
		}
		r := record(t, register.Unit, c.key)
		if c.typed["plan"] != "" && r.Facts["plan"] == c.typed["plan"] || c.typed["site"] != "" && r.Facts["site"] == c.typed["site"] {
			t.Fatalf("%s has %v already", c.key, c.typed)
		}
		changed := fleet.RecordChange{Of: register.Unit, Key: c.key, Revision: r.Revision(), Typed: c.typed, Confirmed: true, Reading: reading()}
		preview, err := open.PreviewRecord(ctx, changed)
		if err != nil {
			t.Fatal(c.key, c.typed, err)
		}
		foreseen += len(preview)
		before := whole()
		r = must(t)(open.SaveRecord(ctx, coordinator, changed))
		after := whole()
		if len(preview) > 0 != (before != after) {
			t.Errorf("%s %v: foreseen %d changes; before %s, after %s", c.key, c.typed, len(preview), before, after)
		}
		if len(preview) > 0 {
			g := preview[0].After.Governing
			if got := fmt.Sprint(preview[0].After.Verdict, g.Kind, g.Due); got != after {
				t.Errorf("%s %v: foreseen %s, came %s", c.key, c.typed, got, after)
			}
		}
		must(t)(open.UndoRecordChange(ctx, coordinator, register.Unit, c.key, r.Revision(), r.Changes[len(r.Changes)-1].ID))
		if again := whole(); again != before {
			t.Errorf("%s %v undone: %s, before %s", c.key, c.typed, again, before)
		}
	}
	if foreseen == 0 {
		t.Error("no change changed a status: nothing was tested")
	}
	verified(t)
}

// A coordinator gives a unit a further circuit, renames, ends and reopens it, with the rights of the running program; a circuit
// in which something stops the unit cannot end, and reopened it counts as before.
func TestCircuitsOfTheRegister(t *testing.T) {
	ctx := t.Context()
	add(t, register.Unit, "", car("ZK 01", nil))
	metric := reading()
	address, err := open.AddCircuit(ctx, coordinator, "ZK 01", ledger.InverterCircuit, "3.5 L", metric)
	if err != nil || address != "ZK 01 inverter" {
		t.Fatal(address, err)
	}
	for name, c := range map[string]struct {
		code     string
		circuit  ledger.Circuit
		capacity string
		pointer  string
		holds    string
	}{
		"a second one":        {"ZK 01", ledger.InverterCircuit, "3", "/circuit", "which the unit has"},
		"no capacity":         {"ZK 01", ledger.BatteryCircuit, "", "/capacity", "the capacity"},
		"a text":              {"ZK 01", ledger.BatteryCircuit, "some", "/capacity", `"some"`},
		"nothing in it":       {"ZK 01", ledger.BatteryCircuit, "0 L", "/capacity", "0"},
		"no such circuit":     {"ZK 01", "bilge", "3", "/circuit", "rear-heater"},
		"a circuit's circuit": {"ZK 01 inverter", ledger.BatteryCircuit, "3", "/circuit", "of a unit"},
	} {
		_, err := open.AddCircuit(ctx, coordinator, c.code, c.circuit, c.capacity, metric)
		if text := refusalAt(err, c.pointer); !strings.Contains(text, c.holds) {
			t.Errorf("%s: %q, %v", name, text, err)
		}
	}
	whole := func() string { return asJSON(t, rowOf(t, "ZK 01").Clocks) }
	change := func(address string, name ledger.Circuit, ended *bool) (string, error) {
		if name == "" {
			return open.ChangeCircuit(ctx, coordinator, address, nil, ended)
		}
		return open.ChangeCircuit(ctx, coordinator, address, &name, ended)
	}
	if address, err = change("ZK 01 inverter", ledger.BatteryCircuit, nil); err != nil || address != "ZK 01 battery" {
		t.Fatal(address, err)
	}
	if _, err := change("ZK 01 battery", ledger.EngineCircuit, nil); refusalAt(err, "/name") == "" {
		t.Errorf("two of one name: %v", err)
	}
	if _, err := change("ZK 01 battery", ledger.InverterCircuit, new(true)); !strings.Contains(refusalAt(err, "/ended"), "one change") {
		t.Errorf("renamed and ended at once: %v", err)
	}
	if err := writeTo(t, "ZK 01 battery", ledger.Hold{Why: "pump leaks"}); err != nil {
		t.Fatal(err)
	}
	if _, err := change("ZK 01 battery", "", new(true)); !strings.Contains(refusalAt(err, "/ended"), "release it first") {
		t.Errorf("a held circuit ended: %v", err)
	}
	if err := writeTo(t, "ZK 01 battery", ledger.Release{What: "pump renewed"}); err != nil {
		t.Fatal(err)
	}
	before := whole()
	if _, err := change("ZK 01 battery", "", new(true)); err != nil {
		t.Fatal(err)
	}
	if ended, err := open.EndedCircuits(ctx, "ZK 01"); err != nil || !slices.Equal(ended, []string{"ZK 01 battery"}) || whole() == before {
		t.Errorf("ended: %v, %v", ended, err)
	}
	if _, err := change("ZK 01 battery", "", new(true)); refusalAt(err, "/ended") == "" {
		t.Errorf("ended twice: %v", err)
	}
	if _, err := change("ZK 01 battery", "", new(false)); err != nil || whole() != before {
		t.Errorf("reopened it is %s, before %s, %v", whole(), before, err)
	}
	if _, err := change("ZK 01", "", new(true)); !strings.Contains(refusalAt(err, "/ended"), "first circuit") {
		t.Errorf("the first one ended: %v", err)
	}
	if n, err := open.RefreshStatus(ctx); err != nil || n != 0 {
		t.Errorf("%d rows are evaluated again and again, %v", n, err)
	}
	verified(t)
}
