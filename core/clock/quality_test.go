package clock

import (
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
)

// Laws of observations of lower quality, over random lives of every kind of unit. A test that its instrument
// cannot have made makes no clock less severe and ends nothing that is owed. A test that was not zeroed shows no
// more protection than the better ones do, but for what averaging within the uncertainty gives (decision 18); and
// of an unknown charge it makes no freeze, strength or level clock sound.
func TestLowerQuality(t *testing.T) {
	everything := serviceplan.Plan{Name: "all", First: serviceplan.Interval{Months: 72, Km: 160_000}, Later: serviceplan.Interval{Months: 36, Km: 80_000}, FreezeMargin: 3, TestMonths: 12, CapMonths: 24, HoseMonths: 12}
	end := ledgertest.Start.AddDate(0, 0, ledgertest.Days)
	today := measure.DateOf(end, time.UTC).AddDays(3)
	notes := []ledger.Note{ledger.NoteInstrumentKind, ledger.NoteInstrumentScale, ledger.NoteInstrumentChart, ledger.NoteInstrumentSample, ledger.NoteStrip}
	colder, known, unknown := 0, 0, 0
	for seed := range 2500 {
		rng := rand.New(rand.NewPCG(uint64(seed), 532))
		u := ledgertest.Units[seed%len(ledgertest.Units)]
		entries := slices.DeleteFunc(ledgertest.History(rng, u, 2+rng.IntN(20)), func(e ledger.Entry) bool { return e.Kind() == ledger.KindStrike })
		evaluated := func(more ...ledger.Entry) (ledger.Account, UnitStatus) {
			a := ledger.Fold(u, append(slices.Clip(entries), more...))
			return a, Evaluate(&a, everything, Conditions{Climate: mild}, today)
		}
		before, was := evaluated()
		severity := func(o UnitStatus, k Kind) (rank int, there bool) {
			for _, c := range o.Clocks {
				if c.Kind == k && (!there || c.Verdict.Rank() < rank) {
					rank, there = c.Verdict.Rank(), true
				}
			}
			return rank, there
		}
		// Drawn until it is a test.
		var body ledger.Body
		for body == nil || ledger.ToolOf(body) == "" && !isTest(body) {
			body = ledgertest.Body(rng, u, ledgertest.Days)
		}
		e := ledgertest.Entry(rng, u, ledgertest.Days, "later", body)
		e.At, e.Envelope.Unusable = end.AddDate(0, 0, 1), notes[rng.IntN(len(notes))]
		if _, seen := body.(ledger.ChemistryTest); !seen { // what is seen of a sample counts
			after, is := evaluated(e)
			for _, c := range was.Clocks {
				if rank, there := severity(is, c.Kind); !there || rank > c.Verdict.Rank() {
					t.Fatalf("history %d: a %s that its instrument cannot have made makes the %s clock %v, it was %s", seed, e.Kind(), c.Kind, is.Clocks, c.Verdict)
				}
			}
			if len(after.Pending) != len(before.Pending) || after.Charge != before.Charge || len(after.Zeroed) != len(before.Zeroed) {
				t.Fatalf("history %d: a %s that its instrument cannot have made changes the account", seed, e.Kind())
			}
		}
		weak := freezeTest(-8-40*rng.Float64(), coolant.EG)
		if before.Base == coolant.PG {
			weak.Scale = coolant.PG
		}
		if rng.IntN(2) == 0 {
			weak.Tool = "W-1"
		}
		one := ledger.Entry{ID: "weak", At: end.AddDate(0, 0, 1), Body: weak}
		again := ledger.Entry{ID: "weaker", At: end.AddDate(0, 0, 2), Body: weak}
		after, is := evaluated(one, again)
		line := after.Lines[slices.IndexFunc(after.Lines, func(l ledger.Line) bool { return l.Entry.ID == "weak" })]
		switch p, q := before.ProtectsTo(), after.ProtectsTo(); {
		case p != nil && q != nil:
			known++
			if line.Test != nil && line.Test.Book != nil && line.Test.Measured < *p {
				colder++
			}
			if line.Test != nil && *q < *p-measure.Celsius(line.Test.Tolerance) {
				t.Fatalf("history %d: two weak tests of one instrument move the protection from %.1f to %.1f °C", seed, *p, *q)
			}
		case p == nil && q != nil && !before.Known:
			unknown++
			for _, k := range []Kind{Freeze, Strength} {
				if rank, there := severity(is, k); there && VerdictOf(rank) == Sound {
					t.Fatalf("history %d: two weak tests of an unknown charge make its %s sound", seed, k)
				}
			}
			if rank, there := severity(is, Level); after.LevelUnknown == ledger.LevelNeverSeen && (!there || VerdictOf(rank) == Sound) {
				t.Fatalf("history %d: a weak test shows the level", seed)
			}
		}
	}
	if known < 200 || colder < 40 || unknown < 40 {
		t.Errorf("drawn: %d known, %d of them colder, %d unknown", known, colder, unknown)
	}
}

func isTest(b ledger.Body) bool {
	switch b.(type) {
	case ledger.FreezeTest, ledger.ZeroCheck, ledger.ChemistryTest:
		return true
	}
	return false
}
