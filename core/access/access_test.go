package access_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
	"diligentledger/core/measure"
)

var (
	car    = ledgertest.Units[0]
	plane  = ledgertest.Units[3]
	premix = ledgertest.Products[1]
)

func litres(v float64) measure.Reading { return measure.Reading{Value: v, Unit: measure.L} }

// The authority table, written down by hand a second time: effect, kind of unit,
// and the first letters of the roles that may (common practice; aircraft: 14 CFR
// 43.3 and 43.7, recalled from memory).
func TestMay(t *testing.T) {
	for _, c := range []struct {
		effect          access.Effect
		other, aircraft string
	}{
		{access.Records, "cts", "cts"},
		{access.LiftsHold, "cs", "s"},
		{access.EndsStop, "cs", "s"},
		{access.EndsDefect, "cts", "s"},
		{access.Releases, "cs", "s"},
		{access.Renews, "cts", "cts"},
		{access.Restarts, "cs", "s"},
		{access.VoidsOwn, "cts", "cts"},
		{access.VoidsOther, "c", "c"},
		{access.VoidsRelease, "cs", "s"},
		{access.VoidsAbsent, "", ""},
	} {
		for aircraft, want := range map[bool]string{false: c.other, true: c.aircraft} {
			got := ""
			for _, r := range access.Roles {
				if slices.Contains(access.Permitted(c.effect, aircraft), r) {
					got += string(r[0])
				}
			}
			if got != want {
				t.Errorf("%s, aircraft %v: %q may, want %q", c.effect, aircraft, got, want)
			}
		}
	}
}

// at is an entry n hours after the start.
func at(hours int, by string, b ledger.Body) ledger.Entry {
	return ledger.Entry{ID: fmt.Sprintf("%06d-%s", hours, ledger.KindOf(b)), At: ledgertest.Start.Add(time.Duration(hours) * time.Hour), RecordedBy: by, Body: b}
}

// Ways around a hold, and who may go them: the first letters of the roles.
func TestEffects(t *testing.T) {
	const tech, boss = "T. Quayle", "E. Marrow"
	fill := ledger.Renewal{Volume: litres(8), Product: premix, Emptied: true}
	held := []ledger.Entry{at(0, tech, fill), at(24, boss, ledger.Hold{Why: "leaks"})}
	own := []ledger.Entry{at(0, tech, fill), at(24, tech, ledger.Hold{Why: "leaks"})}
	stopped := []ledger.Entry{at(0, tech, fill), at(24, tech, ledger.Defect{What: "hose split", Severity: "stop"})}
	watched := []ledger.Entry{at(0, tech, fill), at(24, tech, ledger.Defect{What: "hose damp", Severity: "watch"})}
	low := []ledger.Entry{at(0, tech, fill), at(24, tech, ledger.LevelCheck{Temper: ledger.Cold, Mark: "below"})}
	oily := []ledger.Entry{at(0, tech, fill), at(24, tech, ledger.ChemistryTest{Appearance: coolant.AppearanceOily})}
	short := []ledger.Entry{at(0, tech, fill), at(24, tech, ledger.Renewal{Volume: litres(7), Product: premix, Drained: []ledger.Drained{{Point: "petcock", Volume: litres(8)}}})}
	bled := append(slices.Clone(short), at(48, tech, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"}))
	flown := []ledger.Entry{at(0, tech, ledger.Opening{History: ledger.Factory, Product: &premix})}
	renewed := append(slices.Clone(flown), at(900, tech, ledger.Renewal{Volume: litres(3.2), Product: premix, Emptied: true}))
	strike := func(e ledger.Entry) ledger.Strike { return ledger.Strike{Entry: e.ID, Why: "typed wrong"} }
	opening := ledger.Opening{History: ledger.UnknownHistory}
	factory := ledger.Opening{History: ledger.Factory, Product: &premix}
	for _, c := range []struct {
		name    string
		unit    ledger.Unit
		written []ledger.Entry
		body    ledger.Body
		may     string
	}{
		{"a top-up", car, held, ledger.TopUp{Volume: litres(0.2), With: coolant.Water}, "cts"},
		{"a hold", car, held[:1], ledger.Hold{Why: "leaks"}, "cts"},
		{"a release", car, held, ledger.Release{What: "repaired"}, "cs"},
		{"a release of what is not held", car, held[:1], ledger.Release{What: "repaired"}, "cs"},
		{"an opening over a hold", car, held, opening, "cs"},
		{"an opening as factory", car, held[:1], factory, "cs"},
		{"a renewal as factory", car, held[:1], ledger.Renewal{Volume: litres(8), Product: premix, Emptied: true, Factory: true}, "cs"},
		{"the first opening", car, nil, factory, "cts"},
		{"a renewal", car, held, fill, "cts"},
		{"striking one's own hold", car, own, strike(own[1]), "cs"},
		{"striking another's hold", car, held, strike(held[1]), "c"},
		{"striking one's own defect that stops", car, stopped, strike(stopped[1]), "cs"},
		{"striking one's own fill that trapped air", car, short, strike(short[1]), "cs"},
		{"striking one's own note of a low level", car, low, strike(low[1]), "cs"},
		{"striking what is not in the books", car, held, ledger.Strike{Entry: "elsewhere", Why: "typed wrong"}, ""},
		{"closing a defect that stops", car, stopped, ledger.DefectClosed{Defect: stopped[1].ID, How: "repaired"}, "cs"},
		{"closing a defect that is watched", car, watched, ledger.DefectClosed{Defect: watched[1].ID, How: "repaired"}, "cts"},
		{"the level, seen right again", car, low, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"}, "cts"},
		{"a clear sample after an oily one", car, oily, ledger.ChemistryTest{Appearance: coolant.AppearanceClear}, "cts"},
		{"half a litre onto trapped air", car, short, ledger.TopUp{Volume: litres(0.5), With: coolant.Premix, Product: &premix}, "cts"},
		{"the level after a short fill", car, short, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"}, "cts"},
		{"a release of a short fill that was seen full", car, bled, ledger.Release{What: "bled"}, "cs"},
		{"the release of an aircraft", plane, renewed, ledger.Release{What: "renewed", Certificate: "1", CertificateKind: "x"}, "s"},
		{"striking the renewal of an aircraft", plane, renewed, strike(renewed[1]), "s"},
		{"an opening of an aircraft", plane, renewed, opening, "s"},
		{"another renewal of an aircraft", plane, renewed, ledger.Renewal{Volume: litres(3.2), Product: premix, Emptied: true}, "cts"},
	} {
		got := ""
		for _, r := range append(access.Roles, "guest") {
			w := access.Actor{Name: tech, Role: r}
			e := at(1000, tech, c.body)
			switch err := access.Check(w, c.unit, c.written, e); {
			case err == nil:
				got += string(r[0])
			case err.Pointer != "/kind" || err.Accepted == "" || err.Got == "":
				t.Errorf("%s: %+v", c.name, err)
			}
		}
		want := c.may
		if strings.Contains(c.name, "striking the renewal of an aircraft") {
			want = "s" // it is their own
		}
		if got != want {
			t.Errorf("%s: %q may, want %q; effects %v", c.name, got, want, access.EffectsOf(access.Actor{Name: tech}, c.unit, c.written, at(1000, tech, c.body)))
		}
	}
}

// Law: no sequence of entries by a role that may not release turns a unit that is
// held into one that is not, whatever was written before, in whatever order and
// dated however. A level that was too low ends with what shows it right, but never
// on an aircraft.
func TestNobodyWithoutTheRightLiftsAHold(t *testing.T) {
	held, refused, ended := 0, 0, 0
	for seed := range 1500 {
		rng := rand.New(rand.NewPCG(uint64(seed), 9))
		u := ledgertest.Units[seed%len(ledgertest.Units)]
		books := ledgertest.History(rng, u, 4+rng.IntN(14))
		roles := []access.Role{access.Technician, access.Reader}
		if u.Aircraft {
			roles = append(roles, access.Coordinator)
		}
		role := roles[rng.IntN(len(roles))]
		for step := range 12 {
			w := access.Actor{Name: ledgertest.People[rng.IntN(3)], Role: role}
			d := rng.IntN(ledgertest.Days)
			body := ledgertest.Body(rng, u, d)
			switch rng.IntN(4) {
			case 0: // strike something, mostly one's own
				body = ledger.Strike{Entry: books[rng.IntN(len(books))].ID, Why: "typed wrong"}
			case 1: // close a defect, if there is one
				if i := slices.IndexFunc(books, func(e ledger.Entry) bool { return e.Kind() == ledger.KindDefect }); i >= 0 {
					body = ledger.DefectClosed{Defect: books[i].ID, How: "repaired"}
				}
			}
			e := ledgertest.Entry(rng, u, d, fmt.Sprintf("step%d-%d", step, rng.Int()), body)
			e.RecordedBy = w.Name
			if access.Check(w, u, books, e) != nil {
				refused++
				continue
			}
			before := ledger.Fold(u, books)
			books = append(books, e)
			after := ledger.Fold(u, books)
			stopped := func(a ledger.Account) (n int) {
				for _, s := range a.Stops() {
					if s.Cause != ledger.StopLevel {
						n++
					}
				}
				return n
			}
			if stopped(before) > 0 {
				held++
				if stopped(after) == 0 {
					t.Fatalf("history %d: a %s by a %s turned %v into %v", seed, e.Kind(), role, before.Stops(), after.Stops())
				}
			}
			if len(before.Stops()) > 0 && len(after.Stops()) == 0 {
				ended++
				if u.Aircraft {
					t.Fatalf("history %d: a %s released an aircraft", seed, e.Kind())
				}
			}
		}
	}
	if held < 2000 || refused < 500 || ended == 0 {
		t.Errorf("the law was put to the test %d times, %d entries were refused, %d levels were seen right", held, refused, ended)
	}
}
