package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
)

// UnitName is what a unit is called and where it stands.
type UnitName struct {
	Code, Name, Kind, Site string
}

// Unit is a unit of the register with all that its clocks depend on.
type Unit struct {
	UnitName
	Plan serviceplan.Plan
	// Cold of its site.
	Cold   *climate.Climate
	Ledger ledger.Unit
	PlanID int64
	// Altitude of the site, m.
	Altitude float64
	// Zone of the site.
	Zone *time.Location
	// Drive: combustion, hybrid or electric; empty when it is not known.
	Drive string

	// Seq of the last entry of its account when it was read.
	Seq int64

	id, siteID int64
}

// aircraft is the kind of unit that only a signatory releases.
const aircraft = "aircraft"

// ErrNoUnit says that the register holds no unit of that code.
var ErrNoUnit = errors.New("no such unit")

// ErrNoProduct says that the register holds no product of that code.
var ErrNoProduct = errors.New("no such product")

const unitQuery = `
	SELECT u.id, u.code, u.name, u.kind, u.site_id, u.plan_id, u.capacity_l, COALESCE(u.base, ''), COALESCE(u.meter, ''),
	       COALESCE(u.cap_kpa, 0), COALESCE(u.tank_l_per_mm, 0), COALESCE(u.tank_marks_mm, 0), u.wet_liners,
	       COALESCE(u.metal, ''), COALESCE(u.drive, ''), u.silicate_free, u.premix_only, COALESCE(u.required_technology, ''), u.listed, u.figures, u.head_seq
	FROM unit u`

// register is what the units of a fleet share.
type register struct {
	sites  map[int64]Site
	plans  map[int64]ServicePlan
	scales map[int64][]coolant.Base // that refractometers at a site can show
}

// register of every unit.
func (s *Store) register(ctx context.Context) (register, error) {
	return s.registerOf(ctx, everySite, 0)
}

// registerOf the units at a site on a service plan alone; 0 for every one.
func (s *Store) registerOf(ctx context.Context, site, plan int64) (register, error) {
	r := register{map[int64]Site{}, map[int64]ServicePlan{}, map[int64][]coolant.Base{}}
	sites, err := s.sites(ctx, site)
	if err != nil {
		return r, err
	}
	for _, one := range sites {
		r.sites[one.ID] = one
	}
	plans, err := s.servicePlanRules(ctx, plan)
	if err != nil {
		return r, err
	}
	for _, p := range plans {
		r.plans[p.ID] = p
	}
	// Until there is a register of instruments: a site has the scales of the glycols
	// that its units hold.
	type held struct {
		site int64
		base coolant.Base
	}
	rows, err := s.db.QueryContext(ctx, `SELECT DISTINCT site_id, base FROM unit WHERE base IN ('EG', 'PG') AND ? IN (0, site_id) ORDER BY site_id, base`, site)
	all, err := collect(rows, err, func(rows *sql.Rows) (h held, err error) { return h, rows.Scan(&h.site, &h.base) })
	for _, h := range all {
		r.scales[h.site] = append(r.scales[h.site], h.base)
	}
	return r, err
}

// scanUnit leaves its site and plan to be filled in.
func scanUnit(row interface{ Scan(...any) error }) (u Unit, err error) {
	var meter, listed string
	var figures []byte
	err = row.Scan(&u.id, &u.Code, &u.Name, &u.Kind, &u.siteID, &u.PlanID, &u.Ledger.Capacity, &u.Ledger.Base, &meter,
		&u.Ledger.Cap, &u.Ledger.Tank, &u.Ledger.Marks, &u.Ledger.WetLiners,
		&u.Ledger.Metal, &u.Drive, &u.Ledger.SilicateFree, &u.Ledger.PremixOnly, &u.Ledger.Required, &listed, &figures, &u.Seq)
	if err != nil {
		return u, err
	}
	u.Ledger.Listed = listOf[string](listed)
	u.Ledger.Figures, err = figuresOf(figures)
	u.Ledger.Code, u.Ledger.Kind, u.Ledger.Aircraft = u.Code, u.Kind, u.Kind == aircraft
	u.Ledger.Meter = measure.Unit(meter).Dimension()
	return u, err
}

// fill in the site and the plan. The register is read after the units: no site and
// no plan is ever removed.
func (r register) fill(u *Unit) {
	at := r.sites[u.siteID]
	u.Site, u.Altitude, u.Cold, u.Zone, u.Plan = at.Name, at.Altitude, at.Cold, at.Zone, r.plans[u.PlanID].Plan
	u.Ledger.Replaced, u.Ledger.Scales = u.Plan.Replaced, r.scales[u.siteID]
}

// Unit of that code; [ErrNoUnit] when there is none.
func (s *Store) Unit(ctx context.Context, code string) (Unit, error) {
	u, err := scanUnit(s.db.QueryRowContext(ctx, unitQuery+` WHERE u.code = ?`, code))
	if errors.Is(err, sql.ErrNoRows) {
		return Unit{}, fmt.Errorf("%w: %s", ErrNoUnit, code)
	}
	if err != nil {
		return Unit{}, err
	}
	r, err := s.registerOf(ctx, u.siteID, u.PlanID)
	r.fill(&u)
	return u, err
}

// Units of the whole register, by code.
func (s *Store) Units(ctx context.Context) ([]Unit, error) { return s.units(ctx, ``, 0) }

// UnitsOf these codes, those that are in the register, by code.
func (s *Store) UnitsOf(ctx context.Context, codes []string) ([]Unit, error) {
	if len(codes) == 0 {
		return nil, nil
	}
	args := make([]any, len(codes))
	for i, code := range codes {
		args[i] = code
	}
	return s.units(ctx, ` WHERE u.code IN (?`+strings.Repeat(`, ?`, len(codes)-1)+`)`, 0, args...)
}

// units that a condition finds, by code, at most limit; 0 for all.
func (s *Store) units(ctx context.Context, where string, limit int, args ...any) ([]Unit, error) {
	query := unitQuery + where + ` ORDER BY u.code`
	if limit > 0 {
		query += ` LIMIT ?`
		args = append(args, limit)
	}
	rows, err := s.db.QueryContext(ctx, query, args...)
	units, err := collect(rows, err, func(rows *sql.Rows) (Unit, error) { return scanUnit(rows) })
	if err != nil {
		return nil, err
	}
	r, err := s.register(ctx)
	for i := range units {
		r.fill(&units[i])
	}
	return units, err
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

// listOf what commas separate; nil for none.
func listOf[T ~string](text string) (all []T) {
	for item := range strings.SplitSeq(text, ",") {
		if item = strings.TrimSpace(item); item != "" {
			all = append(all, T(item))
		}
	}
	return all
}

// figuresOf the JSON of a register's column; nil for none.
func figuresOf(text []byte) (f coolant.Figures, err error) {
	if len(text) == 0 {
		return nil, nil
	}
	if err := json.Unmarshal(text, &f); err != nil {
		return nil, fmt.Errorf("figures %q: %w", text, err)
	}
	return f, nil
}

const productQuery = `SELECT code, name, base, technology, form, glycol, stated, COALESCE(density, 0), meets, sca, named, COALESCE(fresh, 0), freeze, figures FROM product`

func scanProduct(row interface{ Scan(...any) error }) (p coolant.Product, err error) {
	var meets, named string
	var freeze sql.NullFloat64
	var figures []byte
	if err = row.Scan(&p.Code, &p.Name, &p.Base, &p.Technology, &p.Form, &p.Glycol, &p.Stated, &p.Density, &meets, &p.SCA, &named, &p.Fresh, &freeze, &figures); err != nil {
		return p, err
	}
	p.Meets, p.Named = listOf[coolant.Standard](meets), listOf[coolant.Technology](named)
	if freeze.Valid {
		t := measure.Celsius(freeze.Float64)
		p.Freeze = &t
	}
	p.Figures, err = figuresOf(figures)
	return p, err
}

const additiveQuery = `
	SELECT code, name, kind, nitrite_g, molybdate_g, COALESCE(release_kind, ''), COALESCE(change_months, 0), COALESCE(change_km, 0), COALESCE(change_hours, 0) FROM additive`

func scanAdditive(row interface{ Scan(...any) error }) (a coolant.Additive, err error) {
	return a, row.Scan(&a.Code, &a.Name, &a.Kind, &a.Nitrite, &a.Molybdate, &a.Release, &a.Months, &a.Km, &a.Hours)
}

// ErrNoAdditive says that the register holds no additive of that code.
var ErrNoAdditive = errors.New("no such additive")

// Additives by name.
func (s *Store) Additives(ctx context.Context) ([]coolant.Additive, error) {
	rows, err := s.db.QueryContext(ctx, additiveQuery+` ORDER BY name, code`)
	return collect(rows, err, func(rows *sql.Rows) (coolant.Additive, error) { return scanAdditive(rows) })
}

// Additive of that code; [ErrNoAdditive] when there is none.
func (s *Store) Additive(ctx context.Context, code string) (coolant.Additive, error) {
	a, err := scanAdditive(s.db.QueryRowContext(ctx, additiveQuery+` WHERE code = ?`, code))
	if errors.Is(err, sql.ErrNoRows) {
		return a, fmt.Errorf("%w: %s", ErrNoAdditive, code)
	}
	return a, err
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
