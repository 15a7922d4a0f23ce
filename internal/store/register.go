package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"

	"diligentledger/core/coolant"
	"diligentledger/core/forecast"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// UnitName is what a unit is called and where it stands.
type UnitName struct {
	Code, Name, Kind, Site string
}

// Unit is a unit of the register with all that its clocks depend on.
type Unit struct {
	UnitName
	Plan   forecast.Plan
	Cold   forecast.ColdCurve
	Ledger ledger.Unit
	PlanID int64
	// Altitude of the site, m.
	Altitude float64

	id int64
}

// aircraft is the kind of unit that only a signatory releases.
const aircraft = "aircraft"

// ErrNoUnit says that the register holds no unit of that code.
var ErrNoUnit = errors.New("no such unit")

// ErrNoProduct says that the register holds no product of that code.
var ErrNoProduct = errors.New("no such product")

const unitQuery = `
	SELECT u.id, u.code, u.name, u.kind, s.name, u.capacity_l, COALESCE(u.base, ''), COALESCE(u.meter, ''),
	       p.name, COALESCE(p.first_months, 0), COALESCE(p.first_km, 0), COALESCE(p.first_hours, 0),
	       COALESCE(p.later_months, 0), COALESCE(p.later_km, 0), COALESCE(p.later_hours, 0), p.freeze_margin,
	       p.replaced, p.school, COALESCE(p.test_months, 0), COALESCE(p.cap_months, 0), COALESCE(p.hose_months, 0), p.id, COALESCE(u.cap_kpa, 0), COALESCE(u.tank_l_per_mm, 0), u.wet_liners, s.altitude_m, s.id
	FROM unit u JOIN site s ON s.id = u.site_id JOIN plan p ON p.id = u.plan_id`

func scanUnit(row interface{ Scan(...any) error }) (u Unit, site int64, err error) {
	var meter string
	err = row.Scan(&u.id, &u.Code, &u.Name, &u.Kind, &u.Site, &u.Ledger.Capacity, &u.Ledger.Base, &meter,
		&u.Plan.Name, &u.Plan.First.Months, &u.Plan.First.Km, &u.Plan.First.Hours,
		&u.Plan.Later.Months, &u.Plan.Later.Km, &u.Plan.Later.Hours, &u.Plan.FreezeMargin,
		&u.Plan.Replaced, &u.Plan.School, &u.Plan.TestMonths, &u.Plan.CapMonths, &u.Plan.HoseMonths, &u.PlanID, &u.Ledger.Cap, &u.Ledger.Tank, &u.Ledger.WetLiners, &u.Altitude, &site)
	u.Ledger.Code, u.Ledger.Kind, u.Ledger.Replaced, u.Ledger.Aircraft = u.Code, u.Kind, u.Plan.Replaced, u.Kind == aircraft
	u.Ledger.Meter = measure.Unit(meter).Dimension()
	return u, site, err
}

// Unit of that code; [ErrNoUnit] when there is none.
func (s *Store) Unit(ctx context.Context, code string) (Unit, error) {
	u, site, err := scanUnit(s.db.QueryRowContext(ctx, unitQuery+` WHERE u.code = ?`, code))
	if errors.Is(err, sql.ErrNoRows) {
		return Unit{}, fmt.Errorf("%w: %s", ErrNoUnit, code)
	}
	if err != nil {
		return Unit{}, err
	}
	curves, err := s.coldCurves(ctx)
	u.Cold = curves[site]
	return u, err
}

// Units of the whole register, by code.
func (s *Store) Units(ctx context.Context) ([]Unit, error) {
	curves, err := s.coldCurves(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := s.db.QueryContext(ctx, unitQuery+` ORDER BY u.code`)
	return collect(rows, err, func(rows *sql.Rows) (Unit, error) {
		u, site, err := scanUnit(rows)
		u.Cold = curves[site]
		return u, err
	})
}

func (s *Store) coldCurves(ctx context.Context) (map[int64]forecast.ColdCurve, error) {
	type night struct {
		site    int64
		month   int
		celsius measure.Celsius
	}
	rows, err := s.db.QueryContext(ctx, `SELECT site_id, month, celsius FROM site_cold`)
	nights, err := collect(rows, err, func(rows *sql.Rows) (n night, err error) {
		return n, rows.Scan(&n.site, &n.month, &n.celsius)
	})
	curves := map[int64]forecast.ColdCurve{}
	for _, n := range nights {
		c := curves[n.site]
		c[n.month-1] = n.celsius
		curves[n.site] = c
	}
	return curves, err
}

// Find lists at most limit units whose code or name contains text, codes that
// begin with it first.
func (s *Store) Find(ctx context.Context, text string, limit int) ([]UnitName, error) {
	like := strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(text)
	rows, err := s.db.QueryContext(ctx, `
		SELECT u.code, u.name, u.kind, s.name FROM unit u JOIN site s ON s.id = u.site_id
		WHERE u.code LIKE CONCAT('%', ?, '%') OR u.name LIKE CONCAT('%', ?, '%')
		ORDER BY u.code LIKE CONCAT(?, '%') DESC, u.code LIMIT ?`, like, like, like, limit)
	return collect(rows, err, func(rows *sql.Rows) (u UnitName, err error) {
		return u, rows.Scan(&u.Code, &u.Name, &u.Kind, &u.Site)
	})
}

const productQuery = `SELECT code, name, base, technology, form, glycol FROM product`

func scanProduct(row interface{ Scan(...any) error }) (p coolant.Product, err error) {
	return p, row.Scan(&p.Code, &p.Name, &p.Base, &p.Technology, &p.Form, &p.Glycol)
}

// Products by name.
func (s *Store) Products(ctx context.Context) ([]coolant.Product, error) {
	rows, err := s.db.QueryContext(ctx, productQuery+` ORDER BY name, code`)
	return collect(rows, err, func(rows *sql.Rows) (coolant.Product, error) { return scanProduct(rows) })
}

// Product of that code; [ErrNoProduct] when there is none.
func (s *Store) Product(ctx context.Context, code string) (coolant.Product, error) {
	p, err := scanProduct(s.db.QueryRowContext(ctx, productQuery+` WHERE code = ?`, code))
	if errors.Is(err, sql.ErrNoRows) {
		return p, fmt.Errorf("%w: %s", ErrNoProduct, code)
	}
	return p, err
}
