package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/register"
	"diligentledger/core/serviceplan"
)

// UnitName is a unit's names, kind and site.
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
	// Winters is the other site where the unit goes in winter, empty for none; ColdOffset is how
	// much colder than its sites its place is, K, not above zero; Heated, that it is kept in heated
	// storage, which changes nothing of the cold it is planned for.
	Winters    string
	ColdOffset measure.Kelvin
	Heated     bool
	// Ended: the unit does not have this circuit any more.
	Ended bool
	// LeftOn is the day on which it left the fleet, retired or sold; nil while it is in it.
	LeftOn  *measure.Date
	LeftHow string
	// Drive: combustion, hybrid or electric; empty when it is not known.
	Drive string

	// Seq of the last entry of its account when it was read.
	Seq int64
	// Others are the further circuits of the unit whose first one this is; of a further circuit
	// all but itself, the first one first. Nil for a unit with one.
	Others []Unit

	id, siteID int64
	winterID   int64 // 0 for none
	circuit    int64
	position   int   // of the circuit among those of the unit, 0 for the first
	circuits   int   // of the unit
	endedSeq   int64 // entries of the circuits of the unit that have ended
	earlier    []register.Earlier
	revision   int64 // of the facts of the unit
	there      bool  // one of the entries that are to be written may be in the books
}

// Version of its account and facts: another one when either changed.
func (u Unit) Version() string { return fmt.Sprintf("%d.%d.%d", u.circuit, u.Seq, u.revision) }

// First reports whether it is the first circuit of its unit, whose account holds what belongs to
// the unit.
func (u Unit) First() bool { return u.position == 0 }

// Address of the account: the code of its unit; of one with several circuits with the circuit
// after a space, as in "HB-02 port".
func (u Unit) Address() string { return u.Ledger.Code }

// sqlAddress is the address of circuit c of unit u in SQL.
const sqlAddress = `IF(u.circuits = 1 AND c.position = 0, u.code, CONCAT(u.code, ' ', c.name))`

// Circuits of the unit, in order, each without its others.
func (u Unit) Circuits() []Unit {
	all := append([]Unit{u}, u.Others...)
	slices.SortStableFunc(all, func(a, b Unit) int { return a.position - b.position })
	for i := range all {
		all[i].Others = nil
	}
	return all
}

// circuitsOf some units, one after the other.
func circuitsOf(units []Unit) []Unit {
	all := make([]Unit, 0, len(units))
	for _, u := range units {
		if u.Others == nil {
			all = append(all, u)
			continue
		}
		all = append(all, u.Circuits()...)
	}
	return all
}

// aircraft is the kind of unit that only a signatory releases.
const aircraft = "aircraft"

// ErrNoUnit says that the register holds no unit of that code.
var ErrNoUnit = errors.New("no such unit")

// ErrNoProduct says that the register holds no product of that code.
var ErrNoProduct = errors.New("no such product")

// circuitColumns of the facts in the row of the unit, R = u, or of the circuit, R = c.
const circuitColumns = `
	SELECT u.id, u.code, u.name, u.kind, u.site_id, COALESCE(c.plan_id, u.plan_id), R.capacity_l, COALESCE(R.base, ''), COALESCE(u.meter, ''), COALESCE(u.second_meter, ''),
	       COALESCE(R.cap_kpa, 0), COALESCE(R.tank_l_per_mm, 0), COALESCE(R.tank_marks_mm, 0), R.wet_liners,
	       COALESCE(R.metal, ''), COALESCE(u.drive, ''), R.silicate_free, R.premix_only, COALESCE(R.required_technology, ''), R.listed, R.figures, c.id, c.head_seq,
	       c.name, c.position, u.circuits, COALESCE(R.raw_water, ''), COALESCE(u.winter_site_id, 0), u.cold_offset, u.heated, u.ended_seq, c.ended IS NOT NULL,
	       COALESCE(R.earlier, ''), u.left_on, COALESCE(u.left_how, ''), u.capacity_common AND c.position = 0, u.revision`

var (
	unitColumns = strings.ReplaceAll(circuitColumns, `R.`, `u.`)
	// unitFrom is each unit with its first circuit.
	unitFrom = `
	FROM unit u JOIN circuit c ON c.unit_id = u.id AND c.position = 0`
	unitQuery = unitColumns + unitFrom
	// furtherQuery is the further circuits of units.
	furtherColumns = strings.ReplaceAll(circuitColumns, `R.`, `c.`)
	furtherQuery   = furtherColumns + `
	FROM unit u JOIN circuit c ON c.unit_id = u.id AND c.position > 0 AND c.ended IS NULL`
)

// scales that refractometers at each site can show. Until there is a register of instruments: of
// the glycols that its units hold.
func (s *Store) scales(ctx context.Context) (map[int64][]coolant.Base, error) {
	type held struct {
		site int64
		base sql.NullString
	}
	// Without a condition the server takes the first of each group in the index, and no unit more.
	rows, err := s.db.QueryContext(ctx, `SELECT site_id, base FROM unit GROUP BY site_id, base ORDER BY site_id, base`)
	all, err := collect(rows, err, func(rows *sql.Rows) (h held, err error) { return h, rows.Scan(&h.site, &h.base) })
	scales := map[int64][]coolant.Base{}
	for _, h := range all {
		if base := coolant.Base(h.base.String); base == coolant.EG || base == coolant.PG {
			scales[h.site] = append(scales[h.site], base)
		}
	}
	return scales, err
}

// scanUnit leaves its site and plan to be filled in; more goes after its columns.
func scanUnit(row interface{ Scan(...any) error }, more ...any) (u Unit, err error) {
	var meter, second, listed string
	var circuit ledger.Circuit
	var figures, earlier []byte
	var left sql.NullTime
	err = row.Scan(append([]any{&u.id, &u.Code, &u.Name, &u.Kind, &u.siteID, &u.PlanID, &u.Ledger.Capacity, &u.Ledger.Base, &meter, &second,
		&u.Ledger.Cap, &u.Ledger.Tank, &u.Ledger.Marks, &u.Ledger.WetLiners,
		&u.Ledger.Metal, &u.Drive, &u.Ledger.SilicateFree, &u.Ledger.PremixOnly, &u.Ledger.Required, &listed, &figures, &u.circuit, &u.Seq, &circuit, &u.position, &u.circuits,
		&u.Ledger.RawWater, &u.winterID, &u.ColdOffset, &u.Heated, &u.endedSeq, &u.Ended, &earlier, &left, &u.LeftHow, &u.Ledger.CapacityCommon, &u.revision}, more...)...)
	if err != nil {
		return u, err
	}
	if left.Valid {
		day := measure.DateOf(left.Time, time.UTC)
		u.LeftOn = &day
	}
	if len(earlier) > 0 {
		if err := json.Unmarshal(earlier, &u.earlier); err != nil {
			return u, fmt.Errorf("earlier facts of %s: %w", u.Code, err)
		}
	}
	u.Ledger.Listed = listOf[string](listed)
	u.Ledger.Figures, err = figuresOf(figures)
	u.Ledger.Code, u.Ledger.Kind, u.Ledger.Aircraft = u.Code, u.Kind, u.Kind == aircraft
	u.Ledger.Meter, u.Ledger.Second = measure.Unit(meter).Dimension(), measure.Unit(second).Dimension()
	if u.circuits > 1 || !u.First() {
		u.Ledger.Circuit, u.Ledger.Further = circuit, !u.First()
		u.Ledger.Code += " " + string(circuit)
	}
	return u, err
}

// fill in the site and the plan. What units share is read after the units: no site and no plan
// is ever removed.
func (s *Store) fill(u *Unit, r *shared, scales []coolant.Base) {
	at := r.site[u.siteID].at(s.now())
	u.Site, u.Altitude, u.Cold, u.Zone, u.Plan = at.Name, at.Altitude, at.Cold, at.Zone, r.plan[u.PlanID].Plan
	if u.winterID != 0 || u.ColdOffset != 0 {
		other := r.site[u.winterID].at(s.now())
		u.Winters, u.Cold = other.Name, at.Cold.Wintering(other.Cold, u.ColdOffset)
	}
	u.Ledger.Replaced, u.Ledger.Scales = u.Plan.Replaced, scales
	u.Ledger.Earlier = earlierFacts(u.Ledger.Dated(), u.earlier, u.Zone)
	if u.Ledger.Further {
		u.Ledger.Scales = withScale(scales, u.Ledger.Base)
	}
}

// withScale of a further circuit's glycol: those known of a site are of the units' first circuits.
func withScale(scales []coolant.Base, base coolant.Base) []coolant.Base {
	if len(scales) == 0 || !base.Known() || slices.Contains(scales, base) {
		return scales
	}
	return append(slices.Clone(scales), base)
}

// withOthers fills in the further circuits of the units that have any.
func (s *Store) withOthers(ctx context.Context, units []Unit, r *shared, scales func(u Unit) []coolant.Base) error {
	var ids []any
	at := map[int64]int{}
	for i, u := range units {
		if u.circuits > 1 {
			ids, at[u.id] = append(ids, u.id), i
		}
	}
	for some := range slices.Chunk(ids, loadRows) {
		rows, err := s.db.QueryContext(ctx, furtherQuery+` WHERE u.id IN (?`+strings.Repeat(`, ?`, len(some)-1)+`) ORDER BY u.id, c.position`, some...)
		further, err := collect(rows, err, func(rows *sql.Rows) (Unit, error) { return scanUnit(rows) })
		if err != nil {
			return err
		}
		for _, f := range further {
			u := &units[at[f.id]]
			s.fill(&f, r, scales(*u))
			u.Others = append(u.Others, f)
		}
	}
	return nil
}

// splitAddress of an account into the code of the unit and the circuit; false for one without.
func splitAddress(address string) (code string, c ledger.Circuit, ok bool) {
	i := strings.LastIndexByte(address, ' ')
	if i < 0 {
		return address, "", false
	}
	c = ledger.Circuit(address[i+1:])
	return address[:i], c, slices.Contains(ledger.Circuits, c)
}

// Opened is a unit as an entry is to be written to it, read in one statement.
type Opened struct {
	Unit
	// Account as stored; nil when it is to be folded from its entries.
	Account *ledger.Account
	// Key of its account: another one once an entry is written or a fact of the unit changes.
	Key AccountKey

	shared *shared
	stored storedAccount
}

// AccountKey identifies the state of an account: the head of its chain and the facts of its unit.
type AccountKey struct {
	circuit int64
	head    ledger.Hash
	facts   [32]byte
}

// There reports whether an entry of the id that it was opened for is in the books already.
func (o *Opened) There() bool { return o.there }

// Additives of the register, by name.
func (o *Opened) Additives() []coolant.Additive { return slices.Clone(o.shared.additives) }

// Instruments of the register, by name.
func (o *Opened) Instruments() []Instrument {
	if o.shared == nil {
		return nil
	}
	return o.shared.instruments
}

// Product of that code; [ErrNoProduct] when there is none.
func (o *Opened) Product(code string) (coolant.Product, error) {
	if i := slices.IndexFunc(o.shared.products, func(p coolant.Product) bool { return strings.EqualFold(p.Code, code) }); i >= 0 {
		return o.shared.products[i], nil
	}
	return coolant.Product{}, fmt.Errorf("%w: %s", ErrNoProduct, code)
}

// Additive of that code; [ErrNoAdditive] when there is none.
func (o *Opened) Additive(code string) (coolant.Additive, error) {
	if i := slices.IndexFunc(o.shared.additives, func(a coolant.Additive) bool { return strings.EqualFold(a.Code, code) }); i >= 0 {
		return o.shared.additives[i], nil
	}
	return coolant.Additive{}, fmt.Errorf("%w: %s", ErrNoAdditive, code)
}

// Unit of that code; [ErrNoUnit] when there is none.
func (s *Store) Unit(ctx context.Context, code string) (Unit, error) {
	o, err := s.open(ctx, code, "", false)
	return o.Unit, err
}

// Open the unit of that code to write an entry of that id, empty for none; [ErrNoUnit].
func (s *Store) Open(ctx context.Context, code, entry string) (*Opened, error) {
	return s.open(ctx, code, entry, true)
}

var (
	openColumns = `, EXISTS (SELECT 1 FROM unit o WHERE o.site_id = u.site_id AND o.base = 'EG'), EXISTS (SELECT 1 FROM unit o WHERE o.site_id = u.site_id AND o.base = 'PG'),
	       EXISTS (SELECT 1 FROM entry e WHERE e.id = ?), c.head_hash, COALESCE(` + versionOf + `, '')`
	unitOpened    = unitColumns + openColumns + `, 0, '', '', ''` + unitFrom + ` WHERE u.code = ?`
	accountOpened = unitColumns + openColumns + `, ` + accountColumns + unitFrom +
		` LEFT JOIN account a ON a.circuit_id = c.id AND a.seq = c.head_seq WHERE u.code = ?`
	// furtherOpened also opens a circuit that has ended: its books stay.
	furtherOpened = furtherColumns + openColumns + `, ` + accountColumns + `
	FROM unit u JOIN circuit c ON c.unit_id = u.id LEFT JOIN account a ON a.circuit_id = c.id AND a.seq = c.head_seq WHERE u.code = ? AND c.name = ? AND c.position > 0`
)

func (s *Store) open(ctx context.Context, code, entry string, account bool) (*Opened, error) {
	query := unitOpened
	if account {
		query = accountOpened
	}
	var eg, pg, there bool
	var version string
	var head []byte
	o := &Opened{}
	into := append([]any{&eg, &pg, &there, &head, &version}, o.stored.columns()...)
	u, err := scanUnit(s.row(ctx, nil, query, entry, code), into...)
	if errors.Is(err, sql.ErrNoRows) {
		if of, circuit, ok := splitAddress(code); ok {
			u, err = scanUnit(s.row(ctx, nil, furtherOpened, entry, of, circuit), into...)
			if errors.Is(err, sql.ErrNoRows) {
				// The first circuit of several goes by its name as well.
				if u, err = scanUnit(s.row(ctx, nil, query, entry, of), into...); err == nil && u.Ledger.Circuit != circuit {
					err = sql.ErrNoRows
				}
			}
		}
	}
	if errors.Is(err, sql.ErrNoRows) {
		err = fmt.Errorf("%w: %s", ErrNoUnit, code)
	}
	o.Unit, o.stored.seq = u, u.Seq
	if err != nil {
		return o, err
	}
	o.there = there
	if o.shared, err = s.sharedOf(ctx, version); err != nil {
		return o, err
	}
	var scales []coolant.Base
	if eg {
		scales = append(scales, coolant.EG)
	}
	if pg {
		scales = append(scales, coolant.PG)
	}
	s.fill(&o.Unit, o.shared, scales)
	if u.circuits > 1 || !u.First() {
		if err := s.openOthers(ctx, o, scales); err != nil {
			return o, err
		}
	}
	if account {
		now, err := factsOf(o.Unit)
		if err != nil {
			return o, err
		}
		o.Key = AccountKey{o.circuit, ledger.Hash(head), [32]byte(now)}
		o.Account, err = o.stored.restored(o.Unit)
		return o, err
	}
	return o, nil
}

// openOthers reads the other circuits of an opened unit.
func (s *Store) openOthers(ctx context.Context, o *Opened, scales []coolant.Base) error {
	first := o.Unit
	if !o.First() {
		u, err := scanUnit(s.row(ctx, nil, unitQuery+` WHERE u.code = ?`, o.Code))
		if err != nil {
			return err
		}
		s.fill(&u, o.shared, scales)
		first = u
	}
	units := []Unit{first}
	if err := s.withOthers(ctx, units, o.shared, func(Unit) []coolant.Base { return scales }); err != nil {
		return err
	}
	o.Others = slices.DeleteFunc(units[0].Circuits(), func(u Unit) bool { return u.circuit == o.circuit })
	return nil
}

// Rename a unit: its code is another from now on, its books stay its books. [ErrNoUnit]; it needs
// a user who may change the register.
func (s *Store) Rename(ctx context.Context, by Actor, code, to string) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		var id int64
		err := tx.QueryRowContext(ctx, `SELECT id FROM unit WHERE code = ? FOR UPDATE`, code).Scan(&id)
		if errors.Is(err, sql.ErrNoRows) {
			return fmt.Errorf("%w: %s", ErrNoUnit, code)
		}
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE unit SET code = ? WHERE id = ?`, to, id); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE unit_status SET code = ? WHERE unit_id = ?`, to, id); err != nil {
			return err
		}
		return s.changedRows(ctx, tx, by, "unit_renamed", "unit "+code+" is "+to, unitTable, id)
	})
}

// Units of the whole register, by code.
func (s *Store) Units(ctx context.Context) ([]Unit, error) { return s.units(ctx, ``) }

// UnitsOf these codes, those that are in the register, by code.
func (s *Store) UnitsOf(ctx context.Context, codes []string) ([]Unit, error) {
	if len(codes) == 0 {
		return nil, nil
	}
	args := make([]any, len(codes))
	for i, code := range codes {
		args[i] = code
	}
	return s.units(ctx, ` WHERE u.code IN (?`+strings.Repeat(`, ?`, len(codes)-1)+`)`, args...)
}

// UnitsOfPlan are the units on a service plan, or with a circuit on it, by code.
func (s *Store) UnitsOfPlan(ctx context.Context, plan int64) ([]Unit, error) {
	return s.units(ctx, ` WHERE u.left_on IS NULL AND (u.plan_id = ? OR EXISTS (SELECT 1 FROM circuit o WHERE o.unit_id = u.id AND o.plan_id = ? AND o.ended IS NULL))`, plan, plan)
}

// UnitsOfKindNotOn a service plan, at one site by name, or at all for none; by code.
func (s *Store) UnitsOfKindNotOn(ctx context.Context, plan int64, kind, site string) ([]Unit, error) {
	return s.units(ctx, ` WHERE u.left_on IS NULL AND u.plan_id <> ? AND u.kind = ? AND (? = '' OR u.site_id IN (SELECT id FROM site WHERE name = ?))`, plan, kind, site, site)
}

// units that a condition finds, by code.
func (s *Store) units(ctx context.Context, where string, args ...any) ([]Unit, error) {
	return s.unitsBy(ctx, unitQuery+where+` ORDER BY u.code`, args...)
}

// UnitID of the register; 0 is before all of them.
type UnitID int64

// unitsAfter is a page of units in the order of their ids: at most limit after one, and the last of
// them.
func (s *Store) unitsAfter(ctx context.Context, join, where string, after UnitID, limit int, args ...any) (units []Unit, last UnitID, err error) {
	units, err = s.unitsBy(ctx, unitQuery+join+` WHERE u.id > ? AND (`+where+`) ORDER BY u.id LIMIT ?`, slices.Concat([]any{after}, args, []any{limit})...)
	if err == nil && len(units) > 0 {
		last = UnitID(units[len(units)-1].id)
	}
	return units, last, err
}

func (s *Store) unitsBy(ctx context.Context, query string, args ...any) ([]Unit, error) {
	rows, err := s.db.QueryContext(ctx, query, args...)
	units, err := collect(rows, err, func(rows *sql.Rows) (Unit, error) { return scanUnit(rows) })
	if err != nil {
		return nil, err
	}
	r, err := s.sharedNow(ctx)
	if err != nil {
		return nil, err
	}
	scales, err := s.scales(ctx)
	for i := range units {
		s.fill(&units[i], r, scales[units[i].siteID])
	}
	if err == nil {
		err = s.withOthers(ctx, units, r, func(u Unit) []coolant.Base { return scales[u.siteID] })
	}
	return units, err
}

// Find lists at most limit units whose code or name contains text: the code itself first, then the
// codes that begin with it. In a code, case, dashes, spaces and underscores make no difference, so
// that "ca11" and "ca 11" find CA-11.
func (s *Store) Find(ctx context.Context, text string, limit int) ([]UnitName, error) {
	escape := strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`)
	like, code := escape.Replace(text), strings.NewReplacer(`-`, ``, ` `, ``, `_`, ``).Replace(text)
	plain := escape.Replace(code)
	if code == "" && text != "" {
		plain = like // nothing but dashes
	}
	const plainCode = `REPLACE(REPLACE(REPLACE(u.code, '-', ''), ' ', ''), '_', '')`
	rows, err := s.db.QueryContext(ctx, `
		SELECT u.code, u.name, u.kind, s.name FROM unit u JOIN site s ON s.id = u.site_id
		WHERE `+plainCode+` LIKE CONCAT('%', ?, '%') OR u.code LIKE CONCAT('%', ?, '%') OR u.name LIKE CONCAT('%', ?, '%')
		ORDER BY u.code = ? DESC, `+plainCode+` = ? DESC, `+plainCode+` LIKE CONCAT(?, '%') DESC, u.code LIMIT ?`, plain, like, like, text, code, plain, limit)
	found, err := collect(rows, err, func(rows *sql.Rows) (u UnitName, err error) {
		return u, rows.Scan(&u.Code, &u.Name, &u.Kind, &u.Site)
	})
	if err != nil || len(found) > 0 {
		return found, err
	}
	return s.findCircuits(ctx, text, limit)
}

// findCircuits of units with several: the code, or a part of it, and the beginning of a circuit's
// name; their code is the address of the account.
func (s *Store) findCircuits(ctx context.Context, text string, limit int) ([]UnitName, error) {
	text = strings.TrimSpace(text)
	i := strings.LastIndexByte(text, ' ')
	if i < 0 {
		return nil, nil
	}
	rows, err := s.db.QueryContext(ctx, `
		SELECT `+sqlAddress+`, u.name, u.kind, s.name FROM unit u JOIN site s ON s.id = u.site_id JOIN circuit c ON c.unit_id = u.id AND (c.position = 0 OR c.ended IS NULL)
		WHERE u.circuits > 1 AND u.code LIKE ? AND c.name LIKE ? ORDER BY u.code, c.position LIMIT ?`, containing(strings.TrimSpace(text[:i])), strings.TrimPrefix(containing(strings.ToLower(text[i+1:])), "%"), limit)
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

const productQuery = `SELECT id, code, name, base, technology, form, glycol, stated, COALESCE(density, 0), meets, sca, named, COALESCE(fresh, 0), freeze, figures, low_conductivity FROM product`

func scanProduct(row interface{ Scan(...any) error }) (p coolant.Product, err error) {
	var meets, named string
	var freeze sql.NullFloat64
	var figures []byte
	if err = row.Scan(&p.ID, &p.Code, &p.Name, &p.Base, &p.Technology, &p.Form, &p.Glycol, &p.Stated, &p.Density, &meets, &p.SCA, &named, &p.Fresh, &freeze, &figures, &p.LowConductivity); err != nil {
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
	SELECT id, code, name, kind, nitrite_g, molybdate_g, COALESCE(release_kind, ''), COALESCE(change_months, 0), COALESCE(change_km, 0), COALESCE(change_hours, 0) FROM additive`

func scanAdditive(row interface{ Scan(...any) error }) (a coolant.Additive, err error) {
	return a, row.Scan(&a.ID, &a.Code, &a.Name, &a.Kind, &a.Nitrite, &a.Molybdate, &a.Release, &a.Months, &a.Km, &a.Hours)
}

// ErrNoAdditive says that the register holds no additive of that code.
var ErrNoAdditive = errors.New("no such additive")

// Additives by name.
func (s *Store) Additives(ctx context.Context) ([]coolant.Additive, error) {
	r, err := s.sharedNow(ctx)
	if err != nil {
		return nil, err
	}
	return slices.Clone(r.additives), nil
}

// Additive of that code; [ErrNoAdditive] when there is none.
func (s *Store) Additive(ctx context.Context, code string) (coolant.Additive, error) {
	r, err := s.sharedNow(ctx)
	if err != nil {
		return coolant.Additive{}, err
	}
	return (&Opened{shared: r}).Additive(code)
}

// Products by name.
func (s *Store) Products(ctx context.Context) ([]coolant.Product, error) {
	r, err := s.sharedNow(ctx)
	if err != nil {
		return nil, err
	}
	return slices.Clone(r.products), nil
}

// Product of that code; [ErrNoProduct] when there is none.
func (s *Store) Product(ctx context.Context, code string) (coolant.Product, error) {
	r, err := s.sharedNow(ctx)
	if err != nil {
		return coolant.Product{}, err
	}
	return (&Opened{shared: r}).Product(code)
}
