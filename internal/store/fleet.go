package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/register"
	"diligentledger/core/serviceplan"
)

// LoadedFleet is a register and its books, written at once, such as the demo
// fleet.
type LoadedFleet struct {
	Name  string
	Sites []LoadedSite
	Plans []serviceplan.Plan
	// Types by their facts, with name and kind.
	Types []register.Facts
	// Instruments by their facts, with their name.
	Instruments []register.Facts
	// Technicians by their facts, with their name and site.
	Technicians []register.Facts
	Products    []coolant.Product
	// Additives of the register.
	Additives []coolant.Additive
	Units     []LoadedUnit
	Planned   []LoadedWork
}

// LoadedWork is a line of the work list, by the code of its unit.
type LoadedWork struct {
	Unit     string
	Work     clock.Work
	From, To measure.Date
	By       string
	At       time.Time
}

// LoadedSite is a site with its cold curve.
type LoadedSite struct {
	Name     string
	Altitude float64 // m
	Cold     climate.MonthlyCurve
	// Facts of the register that no other field holds.
	Facts register.Facts
}

// LoadedUnit is a unit with its entries, in the order of recording.
type LoadedUnit struct {
	UnitName
	Plan string
	// Type by its name, empty for none; Facts are those of the register that no other field holds.
	Type     string
	Facts    register.Facts
	Capacity measure.Litre
	Base     coolant.Base // empty when it is not known
	Meter    measure.Unit
	// Cap rated in kPa over ambient, Tank in L per mm of level; 0 when unknown.
	Cap       measure.Kilopascal
	Tank      measure.Litre
	Marks     float64 // mm between the tank's marks
	WetLiners bool
	Metal     coolant.Metal
	Drive     string // combustion, hybrid, electric; empty when it is not known
	// What the maker asks for.
	SilicateFree, PremixOnly bool
	Required                 coolant.Technology
	Listed                   []string
	Figures                  coolant.Figures
	Entries                  []ledger.Entry
	RawWater                 string // ledger.Yes or ledger.No; empty when it is not known
	// Winters is the name of another site where it goes in winter, ColdOffset in K not above zero.
	Winters    string
	ColdOffset measure.Kelvin
	Heated     bool
	// Second meter of the unit; empty for none.
	Second measure.Unit
	// Circuit is the name of the first one, empty for the engine's; Further are the others, each
	// with its name, facts and entries, and the plan of the unit when it names none.
	Circuit ledger.Circuit
	Further []LoadedUnit
}

// Ledger is what the fold must know of a unit of the fleet, which runs on plan p.
func (f LoadedFleet) Ledger(u LoadedUnit, p serviceplan.Plan) ledger.Unit {
	return u.ledger(p, f.scales()[u.Site])
}

func (u LoadedUnit) ledger(p serviceplan.Plan, scales []coolant.Base) ledger.Unit {
	return ledger.Unit{RawWater: u.RawWater, Second: u.Second.Dimension(), Scales: scales, Code: u.Code, Kind: u.Kind, Capacity: u.Capacity, Base: u.Base, Meter: u.Meter.Dimension(), Cap: u.Cap, Tank: u.Tank, Marks: u.Marks,
		WetLiners: u.WetLiners, Replaced: p.Replaced, Aircraft: u.Kind == aircraft, Metal: u.Metal,
		SilicateFree: u.SilicateFree, PremixOnly: u.PremixOnly, Required: u.Required, Listed: u.Listed, Figures: u.Figures}
}

// fleetFact names the row of installation with the name of a loaded fleet.
const fleetFact = "fleet"

// LoadedFleetName is the name of the fleet that was loaded, empty for none.
func (s *Store) LoadedFleetName(ctx context.Context) (string, error) {
	return s.Fact(ctx, fleetFact)
}

// Load writes a whole fleet in one transaction: all of it or nothing. It needs
// a user who may add to the register.
func (s *Store) Load(ctx context.Context, f LoadedFleet) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		insert := func(query string, args ...any) (int64, error) {
			res, err := tx.ExecContext(ctx, query, args...)
			if err != nil {
				return 0, err
			}
			return res.LastInsertId()
		}
		sites, plans, kept := map[string]int64{}, map[string]int64{}, map[string]serviceplan.Plan{}
		for _, site := range f.Sites {
			facts, err := json.Marshal(site.Facts.Known())
			if err != nil {
				return err
			}
			id, err := insert(`INSERT INTO site (name, altitude_m, facts) VALUES (?, ?, ?)`, site.Name, site.Altitude, string(facts))
			if err != nil {
				return err
			}
			sites[site.Name] = id
			for m, t := range site.Cold {
				if _, err := insert(`INSERT INTO site_cold (site_id, month, celsius) VALUES (?, ?, ?)`, id, m+1, t); err != nil {
					return err
				}
			}
		}
		for _, p := range f.Plans {
			id, err := addPlan(ctx, tx, p)
			if err != nil {
				return err
			}
			plans[p.Name] = id
			if p.Replaced == 0 {
				p.Replaced = ledger.DefaultReplaced
			}
			kept[p.Name] = p
		}
		for _, facts := range f.Types {
			if _, err := s.addRecord(ctx, tx, register.Type, facts); err != nil {
				return err
			}
		}
		for _, p := range f.Products {
			figures, err := asJSON(p.Figures)
			if err != nil {
				return err
			}
			if _, err := insert(`
				INSERT INTO product (code, name, base, technology, form, glycol, stated, density, meets, sca, named, fresh, freeze, figures, low_conductivity)
				VALUES (?, ?, ?, ?, ?, ?, ?, NULLIF(?, 0), ?, ?, ?, NULLIF(?, 0), ?, ?, ?)`,
				p.Code, p.Name, p.Base, p.Technology, p.Form, p.Glycol, p.Stated, p.Density, listed(p.Meets), p.SCA, listed(p.Named), p.Fresh, p.Freeze, figures, p.LowConductivity); err != nil {
				return err
			}
		}
		for _, a := range f.Additives {
			if _, err := insert(`
				INSERT INTO additive (code, name, kind, nitrite_g, molybdate_g, release_kind, change_months, change_km, change_hours)
				VALUES (?, ?, ?, ?, ?, NULLIF(?, ''), NULLIF(?, 0), NULLIF(?, 0), NULLIF(?, 0))`,
				a.Code, a.Name, a.Kind, a.Nitrite, a.Molybdate, a.Release, a.Months, a.Km, a.Hours); err != nil {
				return err
			}
		}
		known, err := s.namesOf(ctx, tx, f)
		if err != nil {
			return err
		}
		scales := f.scales()
		for _, u := range f.Units {
			figures, err := asJSON(u.Figures)
			if err != nil {
				return err
			}
			id, err := insert(`
				INSERT INTO unit (code, name, kind, site_id, plan_id, capacity_l, base, meter, cap_kpa, tank_l_per_mm, tank_marks_mm, wet_liners,
				                  metal, drive, silicate_free, premix_only, required_technology, listed, figures, second_meter, circuits, raw_water, winter_site_id, cold_offset, heated)
				VALUES (?, ?, ?, ?, ?, ?, NULLIF(?, ''), NULLIF(?, ''), NULLIF(?, 0), NULLIF(?, 0), NULLIF(?, 0), ?,
				        NULLIF(?, ''), NULLIF(?, ''), ?, ?, NULLIF(?, ''), ?, ?, NULLIF(?, ''), ?, NULLIF(?, ''), NULLIF(?, 0), ?, ?)`,
				u.Code, u.Name, u.Kind, sites[u.Site], plans[u.Plan], u.Capacity, u.Base, u.Meter, u.Cap, u.Tank, u.Marks, u.WetLiners,
				u.Metal, u.Drive, u.SilicateFree, u.PremixOnly, u.Required, listed(u.Listed), figures, u.Second, 1+len(u.Further), u.RawWater, sites[u.Winters], u.ColdOffset, u.Heated)
			if err == nil {
				err = loadFacts(ctx, tx, id, u)
			}
			if err != nil {
				return fmt.Errorf("unit %s: %w", u.Code, err)
			}
			for i, c := range append([]LoadedUnit{u}, u.Further...) {
				circuit, plan := c.Circuit, u.Plan
				if circuit == "" {
					circuit = ledger.EngineCircuit
				}
				rowID, err := insert(`INSERT INTO circuit (unit_id, name, position) VALUES (?, ?, ?)`, id, circuit, i)
				if err == nil && i > 0 {
					if c.Plan != "" {
						plan = c.Plan
					}
					c.UnitName, c.Meter, c.Second = u.UnitName, u.Meter, u.Second
					err = loadFurther(ctx, tx, rowID, c, plans[plan])
				}
				if err != nil {
					return fmt.Errorf("unit %s, circuit %s: %w", u.Code, circuit, err)
				}
				loaded := Unit{UnitName: u.UnitName, id: id, circuit: rowID, position: i, Ledger: c.ledger(kept[plan], scales[u.Site])}
				if loaded.Ledger.Further = i > 0; i > 0 {
					loaded.Ledger.Scales = withScale(loaded.Ledger.Scales, c.Base)
				}
				if len(u.Further) > 0 {
					loaded.Ledger.Circuit = circuit
					loaded.Ledger.Code += " " + string(circuit)
				}
				entries := asStored(c.Entries)
				err = s.loadEntries(ctx, tx, loaded, entries, known)
				if err == nil {
					account := ledger.Fold(loaded.Ledger, entries)
					err = s.saveAccount(ctx, tx, loaded, int64(len(entries)), &account, nil)
				}
				if err != nil {
					return fmt.Errorf("unit %s, circuit %s: %w", u.Code, circuit, err)
				}
			}
		}
		for _, l := range f.Planned {
			if _, err := insert(`
				INSERT INTO planned (unit_id, work, from_day, to_day, sent_by, sent_at) SELECT id, ?, ?, ?, ?, ? FROM unit WHERE code = ?`,
				l.Work, l.From.String(), l.To.String(), l.By, l.At.UTC(), l.Unit); err != nil {
				return fmt.Errorf("planned work of %s: %w", l.Unit, err)
			}
		}
		if _, err := insert(`INSERT INTO installation (name, value) VALUES (?, ?)`, fleetFact, f.Name); err != nil {
			return err
		}
		return s.chainLoaded(ctx, tx)
	})
}

// loadFacts of a unit that no column holds, and its type.
func loadFacts(ctx context.Context, tx *sql.Tx, id int64, u LoadedUnit) error {
	if u.Type == "" && len(u.Facts) == 0 {
		return nil
	}
	text, err := json.Marshal(orEmpty(u.Facts))
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `UPDATE unit SET facts = ?, type_id = (SELECT y.id FROM unit_type y WHERE y.name = ?) WHERE id = ?`, string(text), u.Type, id)
	return err
}

// loadFurther writes the facts of a further circuit into its row.
func loadFurther(ctx context.Context, tx *sql.Tx, id int64, c LoadedUnit, plan int64) error {
	figures, err := asJSON(c.Figures)
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `
		UPDATE circuit SET plan_id = ?, capacity_l = ?, base = NULLIF(?, ''), cap_kpa = NULLIF(?, 0), tank_l_per_mm = NULLIF(?, 0), tank_marks_mm = NULLIF(?, 0), wet_liners = ?,
		       metal = NULLIF(?, ''), silicate_free = ?, premix_only = ?, required_technology = NULLIF(?, ''), listed = ?, figures = ?, raw_water = NULLIF(?, '') WHERE id = ?`,
		plan, c.Capacity, c.Base, c.Cap, c.Tank, c.Marks, c.WetLiners, c.Metal, c.SilicateFree, c.PremixOnly, c.Required, listed(c.Listed), figures, c.RawWater, id)
	return err
}

// chainLoaded takes the rows that no chain holds yet into their chains.
func (s *Store) chainLoaded(ctx context.Context, tx *sql.Tx) error {
	lines, err := lastLines(ctx, tx)
	if err != nil {
		return err
	}
	for _, t := range coveredTables {
		rows, err := t.rows(ctx, tx)
		if err != nil {
			return err
		}
		rows = slices.DeleteFunc(rows, func(r row) bool { _, there := lines[r.chain+"\n"+r.subject]; return there })
		if err := s.appendLines(ctx, tx, programName, "register_loaded", rows); err != nil {
			return err
		}
	}
	return s.chained(ctx, tx, programName, "register_loaded", settingTable, fleetFact)
}

// listed with commas, as [listOf] reads it.
func listed[T ~string](all []T) string {
	texts := make([]string, len(all))
	for i, v := range all {
		texts[i] = string(v)
	}
	return strings.Join(texts, ",")
}

// asJSON of figures; NULL for none.
func asJSON(f coolant.Figures) (any, error) {
	if len(f) == 0 {
		return nil, nil
	}
	text, err := json.Marshal(f)
	return string(text), err
}

// scales at each site: the glycols that its units hold, as the register has them.
func (f LoadedFleet) scales() map[string][]coolant.Base {
	scales := map[string][]coolant.Base{}
	for _, u := range f.Units {
		if at := scales[u.Site]; u.Base.Known() && !slices.Contains(at, u.Base) {
			scales[u.Site] = append(at, u.Base)
		}
	}
	for _, at := range scales {
		slices.Sort(at)
	}
	return scales
}

// asStored are entries with their times as the database keeps them: UTC, in microseconds. An
// account is folded from these, so that it is the one that its stored entries give.
func asStored(entries []ledger.Entry) []ledger.Entry {
	entries = slices.Clone(entries)
	for i := range entries {
		e := &entries[i]
		e.At, e.RecordedAt = e.At.UTC().Truncate(time.Microsecond), e.RecordedAt.UTC().Truncate(time.Microsecond)
	}
	return entries
}

// names that entries give people and instruments, with their ids.
type names struct{ people, instruments map[string]int64 }

// envelope of an entry with the instrument that its body names; nil for an empty one.
func (n names) envelope(e ledger.Entry) (json.RawMessage, error) {
	envelope := e.Envelope
	envelope.Instrument = n.instruments[ledger.ToolOf(e.Body)]
	if envelope.Empty() {
		return nil, nil
	}
	return json.Marshal(envelope)
}

// namesOf the people that there are, and of the instruments of a fleet, which are added.
func (s *Store) namesOf(ctx context.Context, tx *sql.Tx, f LoadedFleet) (n names, err error) {
	n = names{map[string]int64{}, map[string]int64{}}
	for _, u := range f.Units {
		for _, c := range append([]LoadedUnit{u}, u.Further...) {
			for _, e := range c.Entries {
				if tool := ledger.ToolOf(e.Body); tool != "" {
					n.instruments[tool] = 0
				}
			}
		}
	}
	for _, facts := range f.Technicians {
		if _, err := s.addRecord(ctx, tx, register.Technician, facts); err != nil {
			return n, err
		}
	}
	for _, facts := range f.Instruments {
		if _, err := s.addRecord(ctx, tx, register.Instrument, facts); err != nil {
			return n, err
		}
		delete(n.instruments, facts["name"])
	}
	for _, tool := range slices.Sorted(maps.Keys(n.instruments)) {
		if _, err := tx.ExecContext(ctx, `INSERT IGNORE INTO instrument (name) VALUES (?)`, tool); err != nil {
			return n, err
		}
	}
	for query, into := range map[string]map[string]int64{`SELECT id, name FROM person WHERE ? = 1`: n.people, `SELECT id, name FROM instrument WHERE ? = 1`: n.instruments} {
		rows, err := tx.QueryContext(ctx, query, 1)
		_, err = collect(rows, err, func(rows *sql.Rows) (id int64, err error) {
			var name string
			err = rows.Scan(&id, &name)
			into[name] = id
			return id, err
		})
		if err != nil {
			return n, err
		}
	}
	return n, nil
}

// loadRows is how many entries go into one statement.
const loadRows = 100

const loadOne = `(?, ?, ?, ?, ?, ?, ?, NULLIF(?, 0), ?, ?, ?, ?, ?, ?, ?, ?)`

func (s *Store) loadEntries(ctx context.Context, tx *sql.Tx, u Unit, entries []ledger.Entry, n names) error {
	return s.addEntries(ctx, tx, u, 0, ledger.Hash{}, entries, n)
}

// addEntries after the entry of seq with the hash prev, which is the head of the circuit's chain.
func (s *Store) addEntries(ctx context.Context, tx *sql.Tx, u Unit, seq int64, prev ledger.Hash, entries []ledger.Entry, n names) error {
	var args []any
	flush := func(rows int) error {
		if rows == 0 {
			return nil
		}
		_, err := tx.ExecContext(ctx, `
			INSERT INTO entry (id, circuit_id, seq, kind, happened_at, recorded_at, recorded_by, recorded_by_id, version, envelope,
			                   reading_value, reading_unit, metric_value, payload, hash, prev_hash)
			VALUES `+strings.Repeat(loadOne+",", rows-1)+loadOne, args...)
		args = args[:0]
		return err
	}
	rows := 0
	for i, e := range entries {
		payload, err := json.Marshal(e.Body)
		if err != nil {
			return err
		}
		r := ledger.Record{Version: ledger.RecordV2, ID: e.ID, Circuit: u.circuit, Seq: seq + int64(i+1), Kind: e.Kind(),
			At: e.At, RecordedAt: e.RecordedAt,
			RecordedBy: e.RecordedBy, RecordedByID: n.people[e.RecordedBy], Payload: payload}
		if r.Envelope, err = n.envelope(e); err != nil {
			return err
		}
		beside, err := columnsOf(e.Body)
		if err != nil {
			return fmt.Errorf("entry %s: %w", e.ID, err)
		}
		hash := ledger.ChainHash(prev, r)
		args = append(args, r.ID, u.circuit, r.Seq, r.Kind, r.At, r.RecordedAt, r.RecordedBy, r.RecordedByID, r.Version, optional(string(r.Envelope)),
			beside.value, beside.unit, beside.metric, string(r.Payload), append([]byte{}, hash[:]...), append([]byte{}, prev[:]...))
		prev = hash
		if rows++; rows == loadRows {
			if err := flush(rows); err != nil {
				return err
			}
			rows = 0
		}
	}
	if err := flush(rows); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, `UPDATE circuit SET head_seq = ?, head_hash = ? WHERE id = ?`, seq+int64(len(entries)), prev[:], u.circuit)
	return err
}
