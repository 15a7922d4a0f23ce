package weather

import (
	"context"
	"errors"
	"log/slog"
	"math"
	"testing"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/measure"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/mariadb/mariadbtest"
	"diligentledger/internal/standin"
	"diligentledger/internal/store"
)

var (
	noon = time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)
	app  *store.Store
	// hours on from noon, for what gets stale.
	later time.Duration
)

func now() time.Time { return noon.Add(later) }

var yard = climate.MonthlyCurve{-20, -19, -14, -7, -2, 3, 6, 5, 1, -4, -10, -16}

func TestMain(m *testing.M) {
	mariadbtest.Main(m, func(i *mariadb.Instance) {
		owner, err := store.Open(i.OwnerDSN(), now)
		if err == nil {
			err = owner.Load(context.Background(), store.LoadedFleet{Name: "weather", Sites: []store.LoadedSite{{Name: "Yard", Cold: yard}, {Name: "Far yard", Cold: yard}}})
		}
		if err == nil {
			app, err = store.Open(i.AppDSN(), now)
		}
		if err != nil {
			panic(err)
		}
	})
}

// given is a service that says what it was set to say.
type answered struct {
	from, to    measure.Date
	past, ahead []measure.Celsius
}

func (s *answered) Minima(_ context.Context, site string, from, to measure.Date) ([]climate.Minimum, error) {
	if site != "Yard" {
		return nil, errors.New("no such site")
	}
	s.from, s.to = from, to
	return nights(to.AddDate(0, 0, 1-len(s.past)), s.past), nil
}

func (s *answered) Forecast(_ context.Context, _ string, today measure.Date) ([]climate.Minimum, error) {
	return nights(today, s.ahead), nil
}

func nights(first measure.Date, values []measure.Celsius) (all []climate.Minimum) {
	for i, v := range values {
		all = append(all, climate.Minimum{Day: first.AddDays(i), Celsius: v})
	}
	return all
}

func keeper(s Service) *Keeper {
	return &Keeper{Store: app, Service: s, Now: now, Log: slog.New(slog.DiscardHandler)}
}

func yardNow(t *testing.T) store.Site {
	t.Helper()
	sites, err := app.Sites(t.Context())
	if err != nil || len(sites) != 2 || sites[1].Name != "Yard" {
		t.Fatalf("sites %v, %v", sites, err)
	}
	return sites[1]
}

// A record that is too short leaves the months in force; a long one takes their
// place; the forecast overrides both until it is stale; nonsense is left out; a
// service that fails takes nothing away.
func TestKeeper(t *testing.T) {
	few := &answered{past: make([]measure.Celsius, 40), ahead: []measure.Celsius{-3, -99.9, -31, -4}}
	if err := keeper(few).Refresh(t.Context()); err != nil {
		t.Fatal(err)
	}
	if !few.from.Equal(measure.NewDate(2014, 11, 24)) || !few.to.Equal(measure.NewDate(2026, 11, 23)) {
		t.Errorf("asked for %v to %v", few.from, few.to)
	}
	today := measure.DateOf(noon, time.UTC)
	s := yardNow(t)
	if s.Cold.Years != 0 || s.Cold.CurveMinimum(today) != yard.Climate().CurveMinimum(today) {
		t.Errorf("forty nights make a climate of %d years", s.Cold.Years)
	}
	// A mild night is planned for as by the curve, but for the forecast's error.
	usual := func(n int) measure.Celsius { return yard.Climate().CurveMinimum(today.AddDays(n)) }
	for n, want := range []measure.Celsius{min(-3, usual(0)+1.5), usual(1), -31, min(-4, usual(3)+3)} {
		if got := s.Cold.PlannedMinimum(today.AddDate(0, 0, n)); got != want {
			t.Errorf("night %d: %v, want %v", n, got, want)
		}
	}
	// The next day only the night since is asked for.
	later = 25 * time.Hour
	if err := keeper(few).Refresh(t.Context()); err != nil || !few.from.Equal(few.to) {
		t.Errorf("asked for %v to %v, %v", few.from, few.to, err)
	}
	// No one gives anything for two days: back to the curve.
	later += 48 * time.Hour
	if err := keeper(standin.Weather{Down: true}).Refresh(t.Context()); err != nil {
		t.Fatal(err)
	}
	if s = yardNow(t); s.ToldAt != nil || s.Cold.PlannedMinimum(today.AddDate(0, 0, 3)) != yard.Climate().CurveMinimum(today.AddDate(0, 0, 3)) {
		t.Errorf("a forecast of %v stands", s.ToldAt)
	}
}

// The stand-in's record gives the curve that it was made about, within what twelve
// years can give; asking for more winters makes the curve colder.
func TestRecordOfTheStandIn(t *testing.T) {
	later = 0
	w := standin.Weather{Sites: map[string]climate.MonthlyCurve{"Yard": yard}}
	today := measure.DateOf(noon, time.UTC)
	s := yardNow(t)
	record, err := w.Minima(t.Context(), "Yard", today.AddDate(-12, 0, 0), today.AddDate(0, 0, -1))
	if err != nil || len(record) < 4300 || len(record) > 4380 {
		t.Fatalf("%d nights, %v", len(record), err)
	}
	k := keeper(w)
	if err := app.AddNights(t.Context(), s.ID, k.sound("Yard", record)); err != nil {
		t.Fatal(err)
	}
	if err := k.Refresh(t.Context()); err != nil {
		t.Fatal(err)
	}
	s = yardNow(t)
	off := 0.0
	for n := range 365 {
		slot := today.AddDays(n).Time().YearDay() - 1
		off = math.Max(off, math.Abs(float64(s.Cold.Curve()[slot]-yard.Climate().Curve()[slot])))
	}
	if s.Cold.Years < 11 || s.Cold.ReturnPeriod != climate.DefaultReturnPeriod || off > 4.5 || s.Cold.Shift <= 0 || s.Cold.ReturnLevel == nil || s.Cold.Coldest() >= yard.Climate().Coldest() {
		t.Errorf("%d years, %d winters, at most %.1f K off", s.Cold.Years, s.Cold.ReturnPeriod, off)
	}
	if s.ToldAt == nil {
		t.Error("no forecast")
	}
	before := s.Cold.Coldest()
	if err := app.SetReturnPeriod(t.Context(), store.Actor{}, s.ID, 200); err != nil {
		t.Fatal(err)
	}
	if s = yardNow(t); s.ReturnPeriod != 200 || s.Cold.ReturnPeriod != 200 || s.Cold.Coldest() >= before {
		t.Errorf("of 200 winters the coldest is %v, of 50 it was %v", s.Cold.Coldest(), before)
	}
	if err := app.SetReturnPeriod(t.Context(), store.Actor{}, 999, 20); !errors.Is(err, store.ErrNoSite) {
		t.Errorf("a site that is not there: %v", err)
	}
	if _, err := w.Forecast(t.Context(), "Nowhere", today); err == nil {
		t.Error("the weather of nowhere is known")
	}
}
