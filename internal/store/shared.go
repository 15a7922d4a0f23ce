package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"slices"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/register"
)

// shared is what the units of a fleet share: sites with their cold, service plans, products and
// additives, read once for each version of the register.
type shared struct {
	version string
	read    time.Time
	sites   []Site // by name
	plans   []ServicePlan
	// site and plan by id.
	site        map[int64]Site
	plan        map[int64]ServicePlan
	products    []coolant.Product
	additives   []coolant.Additive
	instruments []Instrument // by name
}

// coldFact counts in installation how often a curve or a forecast was written.
const coldFact = "cold"

// versionOf is a column: the version of the register, the length of its chain, and of the cold.
const versionOf = `(SELECT CONCAT(h.seq, '.', COALESCE((SELECT i.value FROM installation i WHERE i.name = 'cold'), '')) FROM chain h WHERE h.name = 'register')`

// sharedFor is how long a copy serves whose version is still the same: a change past the program,
// straight in SQL, has no new version (judgement).
const sharedFor = 10 * time.Second

// shared as of now: one statement while nothing has changed.
func (s *Store) sharedNow(ctx context.Context) (*shared, error) {
	var version string
	if err := s.row(ctx, nil, `SELECT COALESCE(`+versionOf+`, '')`).Scan(&version); err != nil {
		return nil, err
	}
	return s.sharedOf(ctx, version)
}

// sharedOf a version that was read just now, or a newer one.
func (s *Store) sharedOf(ctx context.Context, version string) (*shared, error) {
	if r := s.kept.Load(); r != nil && r.version == version && time.Since(r.read) < sharedFor {
		return r, nil
	}
	r := &shared{version: version, read: time.Now(), site: map[int64]Site{}, plan: map[int64]ServicePlan{}}
	var err error
	if r.sites, err = s.readSites(ctx); err != nil {
		return nil, err
	}
	for _, one := range r.sites {
		r.site[one.ID] = one
	}
	rows, err := s.db.QueryContext(ctx, `SELECT `+planColumns+` FROM plan p ORDER BY p.name`)
	if r.plans, err = collect(rows, err, func(rows *sql.Rows) (p ServicePlan, err error) { return p, rows.Scan(p.columns()...) }); err != nil {
		return nil, err
	}
	for _, p := range r.plans {
		r.plan[p.ID] = p
	}
	rows, err = s.db.QueryContext(ctx, productQuery+` ORDER BY name, code`)
	if r.products, err = collect(rows, err, func(rows *sql.Rows) (coolant.Product, error) { return scanProduct(rows) }); err != nil {
		return nil, err
	}
	rows, err = s.db.QueryContext(ctx, additiveQuery+` ORDER BY name, code`)
	if r.additives, err = collect(rows, err, func(rows *sql.Rows) (coolant.Additive, error) { return scanAdditive(rows) }); err != nil {
		return nil, err
	}
	rows, err = s.db.QueryContext(ctx, `SELECT name, COALESCE(facts, '{}') FROM instrument ORDER BY name`)
	if r.instruments, err = collect(rows, err, scanInstrument); err != nil {
		return nil, err
	}
	s.kept.Store(r)
	return r, nil
}

// coldChanged counts a curve or a forecast that a transaction wrote.
func coldChanged(ctx context.Context, tx *sql.Tx) error {
	_, err := tx.ExecContext(ctx, `INSERT INTO installation (name, value) VALUES (?, '1') ON DUPLICATE KEY UPDATE value = value + 1`, coldFact)
	return err
}

// Instruments that tests were made with, by name.
func (s *Store) Instruments(ctx context.Context) ([]string, error) {
	r, err := s.sharedNow(ctx)
	if err != nil {
		return nil, err
	}
	names := make([]string, len(r.instruments))
	for i, one := range r.instruments {
		names[i] = one.Name
	}
	return names, nil
}

// Instrument of the register with its facts, such as its kind; none of one that a test brought in.
type Instrument struct {
	Name  string
	Facts register.Facts
}

func scanInstrument(rows *sql.Rows) (i Instrument, err error) {
	var facts []byte
	if err = rows.Scan(&i.Name, &facts); err == nil {
		err = json.Unmarshal(facts, &i.Facts)
	}
	return i, err
}

// RegisteredInstruments by name.
func (s *Store) RegisteredInstruments(ctx context.Context) ([]Instrument, error) {
	r, err := s.sharedNow(ctx)
	if err != nil {
		return nil, err
	}
	return slices.Clone(r.instruments), nil
}

// Rules that the units of the fleet are evaluated by.
type Rules struct {
	Read  time.Time // when they were read: the same while no site and no plan can have changed
	Sites []Site    // by name
	Plans []ServicePlan
}

// Rules as of now.
func (s *Store) Rules(ctx context.Context) (Rules, error) {
	r, err := s.sharedNow(ctx)
	if err != nil {
		return Rules{}, err
	}
	return Rules{r.read, r.sites, r.plans}, nil
}
