package planbench

import (
	"fmt"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/demo"
	"diligentledger/internal/fleet"
	"diligentledger/internal/store"
)

// countyUnits and countyJobs of the county that the board is measured with.
const (
	countyUnits = 10_000
	countyJobs  = 500
)

// county adds units of four entries to the demo fleet, each with a renewal that is due, and puts some on the work list.
func county(b *testing.B) {
	b.Helper()
	f := demo.Fleet(noon)
	premix := f.Products[1]
	big := store.LoadedFleet{Name: "county", Sites: []store.LoadedSite{{Name: "County", Cold: f.Sites[0].Cold, Facts: map[string]string{"bays_car": "9"}}},
		Plans: []serviceplan.Plan{{Name: "County", Later: serviceplan.Interval{Months: 36}, FreezeMargin: 3, FollowDays: 3}}}
	var codes []string
	for i := range countyUnits {
		u := store.LoadedUnit{UnitName: store.UnitName{Code: fmt.Sprintf("ZZ-%05d", i), Name: "county car", Kind: "car", Site: "County"}, Plan: "County", Capacity: 8, Base: coolant.EG, Meter: measure.Km}
		at := noon.AddDate(-3, 0, i%120)
		for _, body := range []ledger.Body{ledger.Renewal{Volume: measure.Reading{Value: 8, Unit: measure.L}, Product: premix}, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"},
			ledger.FreezeTest{Value: measure.Reading{Value: -37, Unit: measure.DegC}, Instrument: ledger.Refractometer, Scale: coolant.EG, Tool: "R-1"}} {
			at = at.Add(time.Hour)
			u.Entries = append(u.Entries, ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), At: at, RecordedAt: at, RecordedBy: "E. Marrow", Body: body})
		}
		big.Units = append(big.Units, u)
		if i < countyJobs {
			codes = append(codes, u.Code)
		}
	}
	if _, err := ownerDB.DB().ExecContext(b.Context(), `DELETE FROM installation`); err != nil {
		b.Fatal(err)
	}
	if err := ownerDB.Load(b.Context(), big); err != nil {
		b.Fatal(err)
	}
	if _, err := open.RefreshStatus(b.Context()); err != nil {
		b.Fatal(err)
	}
	if _, err := open.AddWork(b.Context(), marrow, codes, nil, nil); err != nil {
		b.Fatal(err)
	}
}

// The board of 500 lines beside 10,000 units: read the first time, when the hours of all sheets are computed, and again; and
// the nights that nothing prevents. Ratios to the second reading of the work list, which evaluates the same units.
func BenchmarkBoard(b *testing.B) {
	county(b)
	until := mustDay(b).AddDays(90)
	timed := func(f func() error) time.Duration {
		began := time.Now()
		if err := f(); err != nil {
			b.Fatal(err)
		}
		return time.Since(began)
	}
	var board *fleet.PlanBoard
	read := func() (err error) { board, err = open.PlanBoard(b.Context(), until); return err }
	list := func() error { _, err := open.WorkList(b.Context()); return err }
	for b.Loop() {
		_ = timed(list)
		first, again, lines := timed(read), timed(read), timed(list)
		nights := timed(func() error { _, err := open.UnpreventedNights(b.Context(), board); return err })
		b.ReportMetric(first.Seconds()*1000, "first-ms")
		b.ReportMetric(again.Seconds()*1000, "again-ms")
		b.ReportMetric(again.Seconds()/lines.Seconds(), "again/list")
		b.ReportMetric(nights.Seconds()*1000, "nights-ms")
		b.ReportMetric(float64(len(board.Problem.Jobs)), "jobs")
	}
}

func mustDay(b *testing.B) measure.Date {
	today, err := open.Today(b.Context())
	if err != nil {
		b.Fatal(err)
	}
	return today
}
