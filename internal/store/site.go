package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Site of the register with its cold.
type Site struct {
	ID       int64
	Name     string
	Altitude float64 // m
	// ReturnPeriod n: of n winters one has a night that is colder than the curve.
	ReturnPeriod int
	// Zone of the site: its own, or the fleet's. OwnZone is empty for the fleet's.
	Zone    *time.Location
	OwnZone string
	// Months are the values used without a record of nights.
	Months climate.MonthlyCurve
	// Cold of the record, else of the months, with the forecast that is still good.
	Cold *climate.Climate
	// ToldAt is when the weather service gave the forecast; nil when it is too old,
	// or there is none.
	ToldAt *time.Time

	// NoService: the weather service is not asked for its nights.
	NoService bool
	// Water of the site for mixing.
	Water coolant.MixingWater

	// plain is Cold without the forecast.
	plain *climate.Climate
}

// at a time: without a forecast that is too old by then.
func (s Site) at(now time.Time) Site {
	if s.ToldAt != nil && now.Sub(*s.ToldAt) >= forecastGood {
		s.Cold, s.ToldAt = s.plain, nil
	}
	return s
}

// ErrNoSite says that the register holds no site of that id.
var ErrNoSite = errors.New("no such site")

// forecastGood is how long a forecast is used: the service gives a new one each
// day, and one day may be missed.
const forecastGood = 36 * time.Hour

// ForecastUntil is when the forecast of the site is too old; nil for none.
func (s Site) ForecastUntil() *time.Time {
	if s.ToldAt == nil {
		return nil
	}
	until := s.ToldAt.Add(forecastGood)
	return &until
}

// Sites by name.
func (s *Store) Sites(ctx context.Context) ([]Site, error) {
	r, err := s.sharedNow(ctx)
	if err != nil {
		return nil, err
	}
	sites := make([]Site, len(r.sites))
	for i, one := range r.sites {
		sites[i] = one.at(s.now())
	}
	return sites, nil
}

func (s *Store) readSites(ctx context.Context) ([]Site, error) {
	type curve struct {
		winters, years      sql.NullInt64
		colder, shift, back sql.NullFloat64
		body                []byte
	}
	fleet, err := s.Zone(ctx)
	if err != nil {
		return nil, err
	}
	curves := map[int64]curve{}
	rows, err := s.db.QueryContext(ctx, `
		SELECT s.id, s.name, s.altitude_m, s.winters, COALESCE(s.zone, ''), s.water_hardness, s.water_chloride, s.water_sulphate, s.water_solids, COALESCE(JSON_VALUE(s.facts, '$.nights'), '') = 'none', c.winters, c.years, c.colder, c.shift, c.return_level, c.curve
		FROM site s LEFT JOIN site_curve c ON c.site_id = s.id ORDER BY s.name`)
	sites, err := collect(rows, err, func(rows *sql.Rows) (one Site, err error) {
		var c curve
		err = rows.Scan(&one.ID, &one.Name, &one.Altitude, &one.ReturnPeriod, &one.OwnZone, &one.Water.Hardness, &one.Water.Chloride, &one.Water.Sulphate, &one.Water.Solids, &one.NoService, &c.winters, &c.years, &c.colder, &c.shift, &c.back, &c.body)
		curves[one.ID] = c
		one.Zone = fleet
		if err == nil && one.OwnZone != "" {
			one.Zone, err = time.LoadLocation(one.OwnZone)
		}
		return one, err
	})
	if err != nil {
		return nil, err
	}
	months, err := s.coldMonths(ctx)
	if err != nil {
		return nil, err
	}
	ahead, err := s.forecasts(ctx)
	if err != nil {
		return nil, err
	}
	for i := range sites {
		one := &sites[i]
		one.Months = months[one.ID]
		one.Cold = one.Months.Climate()
		if c := curves[one.ID]; c.body != nil {
			var values []measure.Celsius
			if err := json.Unmarshal(c.body, &values); err != nil {
				return nil, fmt.Errorf("curve of %s: %w", one.Name, err)
			}
			stored := climate.Climate{ReturnPeriod: int(c.winters.Int64), Years: int(c.years.Int64), NightsBelow: c.colder.Float64, Shift: measure.Kelvin(c.shift.Float64)}
			if level := measure.Celsius(c.back.Float64); c.back.Valid {
				stored.ReturnLevel = &level
			}
			k, ok := climate.Restore(stored, values)
			if !ok {
				return nil, fmt.Errorf("curve of %s has %d values", one.Name, len(values))
			}
			one.Cold = k
		}
		one.plain = one.Cold
		if f, ok := ahead[one.ID]; ok {
			one.Cold, one.ToldAt = one.Cold.WithForecast(f.first, f.minima), &f.told
		}
	}
	return sites, nil
}

// SiteZones are the time zones of the sites, by id.
func (s *Store) SiteZones(ctx context.Context) (map[int64]*time.Location, error) {
	r, err := s.sharedNow(ctx)
	if err != nil {
		return nil, err
	}
	zones := map[int64]*time.Location{}
	for _, one := range r.sites {
		zones[one.ID] = one.Zone
	}
	return zones, nil
}

func (s *Store) coldMonths(ctx context.Context) (map[int64]climate.MonthlyCurve, error) {
	type night struct {
		site    int64
		month   int
		celsius measure.Celsius
	}
	rows, err := s.db.QueryContext(ctx, `SELECT site_id, month, celsius FROM site_cold`)
	nights, err := collect(rows, err, func(rows *sql.Rows) (n night, err error) {
		return n, rows.Scan(&n.site, &n.month, &n.celsius)
	})
	curves := map[int64]climate.MonthlyCurve{}
	for _, n := range nights {
		c := curves[n.site]
		c[n.month-1] = n.celsius
		curves[n.site] = c
	}
	return curves, err
}

// ahead is a forecast as it was given.
type ahead struct {
	first  measure.Date
	minima []measure.Celsius // NaN for a night it does not give
	told   time.Time
}

// forecasts by site, those alone that are still good.
func (s *Store) forecasts(ctx context.Context) (map[int64]ahead, error) {
	type row struct {
		site    int64
		day     measure.Date
		celsius measure.Celsius
		told    time.Time
	}
	rows, err := s.db.QueryContext(ctx, `SELECT site_id, day, celsius, told_at FROM site_forecast WHERE told_at > ? ORDER BY site_id, day`,
		s.now().UTC().Add(-forecastGood))
	all, err := collect(rows, err, func(rows *sql.Rows) (r row, err error) {
		return r, rows.Scan(&r.site, &r.day, &r.celsius, &r.told)
	})
	told := map[int64]ahead{}
	for _, r := range all {
		f, ok := told[r.site]
		if !ok {
			f = ahead{first: r.day, told: r.told}
		}
		for len(f.minima) < r.day.Sub(f.first) {
			f.minima = append(f.minima, measure.Celsius(math.NaN()))
		}
		f.minima = append(f.minima, r.celsius)
		told[r.site] = f
	}
	return told, err
}

// SetForecast takes the place of what was given before.
func (s *Store) SetForecast(ctx context.Context, site int64, nights []climate.Minimum) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM site_forecast WHERE site_id = ?`, site); err != nil {
			return err
		}
		for _, n := range nights {
			if _, err := tx.ExecContext(ctx, `INSERT INTO site_forecast (site_id, day, celsius, told_at) VALUES (?, ?, ?, ?)`,
				site, n.Day.String(), n.Celsius, s.now().UTC()); err != nil {
				return err
			}
		}
		if err := s.chained(ctx, tx, programName, "forecast_read", forecastTable, site); err != nil {
			return err
		}
		return coldChanged(ctx, tx)
	})
}

// LastNight of a site's record; no day when it has none.
func (s *Store) LastNight(ctx context.Context, site int64) (measure.Date, error) {
	var last sql.NullTime
	err := s.db.QueryRowContext(ctx, `SELECT MAX(day) FROM site_night WHERE site_id = ?`, site).Scan(&last)
	if !last.Valid {
		return measure.Date{}, err
	}
	return measure.DateOf(last.Time, time.UTC), err
}

// AddNights to a site's record, those that are there already replaced, and compute
// its curve anew.
func (s *Store) AddNights(ctx context.Context, site int64, nights []climate.Minimum) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		for some := range slices.Chunk(nights, 500) {
			args := make([]any, 0, 3*len(some))
			for _, n := range some {
				args = append(args, site, n.Day.String(), n.Celsius)
			}
			if _, err := tx.ExecContext(ctx, `INSERT INTO site_night (site_id, day, celsius) VALUES (?, ?, ?)`+strings.Repeat(`, (?, ?, ?)`, len(some)-1)+
				` ON DUPLICATE KEY UPDATE celsius = VALUES(celsius)`, args...); err != nil {
				return err
			}
		}
		if err := s.chained(ctx, tx, programName, "nights_added", nightTable, site); err != nil {
			return err
		}
		return s.computeCurve(ctx, tx, site)
	})
}

// SetReturnPeriod of a site, and compute its curve anew; [ErrNoSite].
func (s *Store) SetReturnPeriod(ctx context.Context, by Actor, site int64, winters int) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		var name string
		var before int
		err := tx.QueryRowContext(ctx, `SELECT name, winters FROM site WHERE id = ? FOR UPDATE`, site).Scan(&name, &before)
		if errors.Is(err, sql.ErrNoRows) {
			return fmt.Errorf("%w: %d", ErrNoSite, site)
		}
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE site SET winters = ? WHERE id = ?`, winters, site); err != nil {
			return err
		}
		if err := s.changedRows(ctx, tx, by, "site_changed", fmt.Sprintf("%s: planned for one winter in %d, before in %d", name, winters, before), siteTable, site); err != nil {
			return err
		}
		return s.computeCurve(ctx, tx, site)
	})
}

// SetWater of a site for mixing; [ErrNoSite].
func (s *Store) SetWater(ctx context.Context, by Actor, site int64, w coolant.MixingWater) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		var name string
		err := tx.QueryRowContext(ctx, `SELECT name FROM site WHERE id = ? FOR UPDATE`, site).Scan(&name)
		if errors.Is(err, sql.ErrNoRows) {
			return fmt.Errorf("%w: %d", ErrNoSite, site)
		}
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE site SET water_hardness = ?, water_chloride = ?, water_sulphate = ?, water_solids = ? WHERE id = ?`,
			w.Hardness, w.Chloride, w.Sulphate, w.Solids, site); err != nil {
			return err
		}
		text := ""
		for _, t := range w.Tests() {
			if t.Value != nil {
				text += fmt.Sprintf(", %s %s ppm", t.Name, measure.Digits(*t.Value))
			}
		}
		if text == "" {
			text = ", not tested"
		}
		return s.changedRows(ctx, tx, by, "site_changed", name+": water"+text, siteTable, site)
	})
}

// computeCurve of a site from its record. A record too short leaves the monthly
// values in force.
func (s *Store) computeCurve(ctx context.Context, tx *sql.Tx, site int64) error {
	var winters int
	err := tx.QueryRowContext(ctx, `SELECT winters FROM site WHERE id = ? FOR UPDATE`, site).Scan(&winters)
	if errors.Is(err, sql.ErrNoRows) {
		return fmt.Errorf("%w: %d", ErrNoSite, site)
	}
	if err != nil {
		return err
	}
	rows, err := tx.QueryContext(ctx, `SELECT day, celsius FROM site_night WHERE site_id = ? ORDER BY day`, site)
	record, err := collect(rows, err, func(rows *sql.Rows) (m climate.Minimum, err error) {
		return m, rows.Scan(&m.Day, &m.Celsius)
	})
	if err != nil {
		return err
	}
	k, ok := climate.New(record, winters)
	if !ok {
		return nil
	}
	curve, err := json.Marshal(k.Curve())
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `
		INSERT INTO site_curve (site_id, winters, years, colder, shift, return_level, curve) VALUES (?, ?, ?, ?, ?, ?, ?)
		ON DUPLICATE KEY UPDATE winters = VALUES(winters), years = VALUES(years), colder = VALUES(colder), shift = VALUES(shift),
		  return_level = VALUES(return_level), curve = VALUES(curve)`,
		site, k.ReturnPeriod, k.Years, k.NightsBelow, k.Shift, k.ReturnLevel, string(curve))
	if err != nil {
		return err
	}
	if err := s.chained(ctx, tx, programName, "curve_computed", curveTable, site); err != nil {
		return err
	}
	return coldChanged(ctx, tx)
}

// RefreshCurves that were made before curves were lowered to the return level of
// winters, from the records that are there.
func (s *Store) RefreshCurves(ctx context.Context) error {
	rows, err := s.db.QueryContext(ctx, `SELECT site_id FROM site_curve WHERE shift IS NULL`)
	sites, err := collect(rows, err, func(rows *sql.Rows) (id int64, err error) { return id, rows.Scan(&id) })
	if err != nil {
		return err
	}
	for _, id := range sites {
		if err := s.inTx(ctx, func(tx *sql.Tx) error { return s.computeCurve(ctx, tx, id) }); err != nil {
			return err
		}
	}
	return nil
}

// ZeroChecks gives when each of these instruments was last zeroed on purified water
// since a day, in the accounts of all units: by a zero check, or with a test. What was struck
// does not count.
func (s *Store) ZeroChecks(ctx context.Context, tools []string, since time.Time) (map[string]time.Time, error) {
	zeroed := map[string]time.Time{}
	for _, tool := range tools {
		var at time.Time
		err := s.row(ctx, nil, `
			SELECT e.happened_at FROM entry e LEFT JOIN entry s ON s.struck = e.id AND s.circuit_id = e.circuit_id
			WHERE e.zeroed_tool = ? AND e.happened_at >= ? AND s.id IS NULL
			ORDER BY e.happened_at DESC LIMIT 1`, tool, since.UTC()).Scan(&at)
		if errors.Is(err, sql.ErrNoRows) {
			continue
		}
		if err != nil {
			return nil, err
		}
		zeroed[tool] = at
	}
	return zeroed, nil
}

// ImportNights into the record of a site, with a line of the audit; [ErrNoSite].
func (s *Store) ImportNights(ctx context.Context, by Actor, site int64, nights []climate.Minimum) error {
	var name string
	err := s.db.QueryRowContext(ctx, `SELECT name FROM site WHERE id = ?`, site).Scan(&name)
	if errors.Is(err, sql.ErrNoRows) {
		return fmt.Errorf("%w: %d", ErrNoSite, site)
	}
	if err != nil {
		return err
	}
	if err := s.AddNights(ctx, site, nights); err != nil {
		return err
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		return s.changed(ctx, tx, by, "nights_imported", fmt.Sprintf("%s: %d nights", name, len(nights)))
	})
}

// ZeroHistory of an instrument: when it was zeroed last in the books of any unit, the newest first, at most limit.
func (s *Store) ZeroHistory(ctx context.Context, tool string, limit int) ([]time.Time, error) {
	rows, err := s.db.QueryContext(ctx, `
		SELECT e.happened_at FROM entry e LEFT JOIN entry s ON s.struck = e.id AND s.circuit_id = e.circuit_id
		WHERE e.zeroed_tool = ? AND s.id IS NULL ORDER BY e.happened_at DESC LIMIT ?`, tool, limit)
	return collect(rows, err, func(rows *sql.Rows) (at time.Time, err error) { return at, rows.Scan(&at) })
}
