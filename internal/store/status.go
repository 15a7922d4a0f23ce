package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"
	"time"

	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"

	"github.com/fxamacker/cbor/v2"
)

// Basis names what the status of a unit was evaluated by.
type Basis [16]byte

// Status is what the lists read of a unit.
type Status struct {
	UnitName
	SiteID, PlanID int64
	// Basis is the day at its site, the rules and the service plan; Cold the curve and the
	// forecast of its site.
	Basis, Cold Basis
	// Seq of the last entry of the account that it was evaluated from.
	Seq       int64
	Verdict   clock.Verdict
	Governing clock.Clock
	Clocks    []clock.Clock // the governing one first
	// Work that the governing clock asks for; empty for none.
	Work clock.Work
	// Pending: a follow-up is due.
	Pending bool
	// Night that its freeze clock runs out before, when that is among the next ones; nil else.
	Night *measure.Date
	// Tool that its last test was made with.
	Tool        string
	ProtectsTo  *measure.Celsius
	Product     string
	Discrepancy *StatusDiscrepancy

	unitID int64
}

// StatusDiscrepancy is the last trusted test that does not agree with its book.
type StatusDiscrepancy struct {
	At        time.Time
	Measured  measure.Celsius
	Book      *measure.Celsius
	Likeliest *ledger.Explanation // without what would balance it
}

// packed and unpacked are CBOR (RFC 8949), which takes a third of the time of JSON; dates are
// text.
var packed, unpacked = func() (cbor.EncMode, cbor.DecMode) {
	o := cbor.CoreDetEncOptions()
	o.Time, o.TextMarshaler = cbor.TimeRFC3339NanoUTC, cbor.TextMarshalerTextString
	enc, err := o.EncMode()
	dec, err2 := cbor.DecOptions{TextUnmarshaler: cbor.TextUnmarshalerTextString}.DecMode()
	if err = errors.Join(err, err2); err != nil {
		panic(err) // the options do not fit one another
	}
	return enc, dec
}()

// never stands where nothing runs out, so that it sorts last.
const never = "9999-12-31"

// Of a unit begins its status.
func (u Unit) Status() Status {
	return Status{UnitName: u.UnitName, SiteID: u.siteID, PlanID: u.PlanID, Seq: u.Seq, unitID: u.id}
}

const statusColumns = 21

// saveStatuses writes rows; one of an account that has gone on meanwhile changes nothing.
func (s *Store) saveStatuses(ctx context.Context, tx *sql.Tx, rows []Status) error {
	if len(rows) == 0 {
		return nil
	}
	args := make([]any, 0, statusColumns*len(rows))
	for _, r := range rows {
		governing, err := packed.Marshal(r.Governing)
		if err != nil {
			return fmt.Errorf("status of %s: %w", r.Code, err)
		}
		clocks, err := packed.Marshal(r.Clocks)
		if err != nil {
			return fmt.Errorf("status of %s: %w", r.Code, err)
		}
		var discrepancy any
		if r.Discrepancy != nil {
			body, err := packed.Marshal(r.Discrepancy)
			if err != nil {
				return fmt.Errorf("status of %s: %w", r.Code, err)
			}
			discrepancy = body
		}
		due, night := never, any(nil)
		if d := r.Governing.Due; d != nil {
			due = d.String()
		}
		if r.Night != nil {
			night = r.Night.String()
		}
		args = append(args, r.unitID, r.Code, r.SiteID, r.PlanID, r.Kind, r.Basis[:], r.Cold[:], r.Seq, r.Verdict.Rank(), due, r.Governing.Kind, string(r.Work),
			r.Pending, night, r.Discrepancy != nil, optional(r.Tool), r.ProtectsTo, optional(r.Product), governing, clocks, discrepancy)
	}
	const one = `(?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`
	query := `
		INSERT INTO unit_status (unit_id, code, site_id, plan_id, kind, basis, cold, seq, verdict, due, clock, work, pending, night, discrepant, tool, protects, product, governing, clocks, discrepancy)
		VALUES ` + one + strings.Repeat(", "+one, len(rows)-1) + `
		ON DUPLICATE KEY UPDATE
		  code = IF(VALUES(seq) >= seq, VALUES(code), code), site_id = IF(VALUES(seq) >= seq, VALUES(site_id), site_id),
		  plan_id = IF(VALUES(seq) >= seq, VALUES(plan_id), plan_id), kind = IF(VALUES(seq) >= seq, VALUES(kind), kind),
		  basis = IF(VALUES(seq) >= seq, VALUES(basis), basis), cold = IF(VALUES(seq) >= seq, VALUES(cold), cold), verdict = IF(VALUES(seq) >= seq, VALUES(verdict), verdict),
		  due = IF(VALUES(seq) >= seq, VALUES(due), due), clock = IF(VALUES(seq) >= seq, VALUES(clock), clock),
		  work = IF(VALUES(seq) >= seq, VALUES(work), work), pending = IF(VALUES(seq) >= seq, VALUES(pending), pending),
		  night = IF(VALUES(seq) >= seq, VALUES(night), night), discrepant = IF(VALUES(seq) >= seq, VALUES(discrepant), discrepant),
		  tool = IF(VALUES(seq) >= seq, VALUES(tool), tool), protects = IF(VALUES(seq) >= seq, VALUES(protects), protects),
		  product = IF(VALUES(seq) >= seq, VALUES(product), product), governing = IF(VALUES(seq) >= seq, VALUES(governing), governing),
		  clocks = IF(VALUES(seq) >= seq, VALUES(clocks), clocks), discrepancy = IF(VALUES(seq) >= seq, VALUES(discrepancy), discrepancy),
		  seq = GREATEST(seq, VALUES(seq))`
	if len(rows) == 1 {
		_, err := s.exec(ctx, tx, query, args...)
		return err
	}
	_, err := tx.ExecContext(ctx, query, args...)
	return err
}

func optional(text string) any {
	if text == "" {
		return nil
	}
	return text
}

// SaveStatuses writes what the lists read of some units.
func (s *Store) SaveStatuses(ctx context.Context, rows []Status) error {
	return s.inTx(ctx, func(tx *sql.Tx) error { return s.saveStatuses(ctx, tx, rows) })
}

// StatusGroup is the units of a site and a service plan whose status rests on one basis.
type StatusGroup struct {
	SiteID, PlanID int64
	Basis, Cold    Basis
}

// StatusGroups that there are.
func (s *Store) StatusGroups(ctx context.Context) ([]StatusGroup, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT site_id, plan_id, basis, cold FROM unit_status GROUP BY site_id, plan_id, basis, cold`)
	return collect(rows, err, func(rows *sql.Rows) (g StatusGroup, err error) {
		var basis, cold []byte
		err = rows.Scan(&g.SiteID, &g.PlanID, &basis, &cold)
		copy(g.Basis[:], basis)
		copy(g.Cold[:], cold)
		return g, err
	})
}

// UnitsWithoutStatus by code, at most limit: none was written yet, or it is of an earlier entry,
// another service plan or another site than the unit's.
func (s *Store) UnitsWithoutStatus(ctx context.Context, limit int) ([]Unit, error) {
	return s.units(ctx, ` LEFT JOIN unit_status t ON t.unit_id = u.id WHERE t.unit_id IS NULL OR t.seq < c.head_seq OR t.plan_id <> u.plan_id OR t.site_id <> u.site_id`, limit)
}

// UnitsOfStatus are the units of a group, at most limit.
func (s *Store) UnitsOfStatus(ctx context.Context, g StatusGroup, limit int) ([]Unit, error) {
	return s.units(ctx, ` JOIN unit_status t ON t.unit_id = u.id WHERE t.site_id = ? AND t.plan_id = ? AND t.basis = ? AND t.cold = ?`, limit, g.SiteID, g.PlanID, g.Basis[:], g.Cold[:])
}

// CodesTestedWith an instrument: the units whose last test was made with it.
func (s *Store) CodesTestedWith(ctx context.Context, tool string) ([]string, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT code FROM unit_status WHERE tool = ? ORDER BY code`, tool)
	return collect(rows, err, func(rows *sql.Rows) (code string, err error) { return code, rows.Scan(&code) })
}

// StatusFilter is which rows are read, and how many.
type StatusFilter struct {
	// Fresh bases: a row of any other is not evaluated yet, and is read as unknown. AllFresh
	// when there is no other.
	Fresh    []Basis
	AllFresh bool
	// Verdict alone; empty for all.
	Verdict clock.Verdict
	// Pending, Nights or Discrepant units alone.
	Pending, Nights, Discrepant bool
	// Codes alone; nil for all.
	Codes []string
	// Clocks: all clocks of each, not the governing one alone.
	Clocks bool
	// Limit of rows, 0 for all; Offset to begin from.
	Limit, Offset int
}

// verdictOf a row in SQL: unknown for one that is not evaluated yet.
func (f StatusFilter) verdictOf() (string, []any) {
	if f.AllFresh {
		return `t.verdict`, nil
	}
	unknown := clock.Unknown.Rank()
	if len(f.Fresh) == 0 {
		return fmt.Sprint(unknown), nil
	}
	args := make([]any, len(f.Fresh))
	for i, b := range f.Fresh {
		args[i] = append([]byte{}, b[:]...)
	}
	return `IF(t.basis IN (?` + strings.Repeat(`, ?`, len(f.Fresh)-1) + fmt.Sprintf(`), t.verdict, %d)`, unknown), args
}

func (f StatusFilter) where() (string, []any) {
	verdict, args := f.verdictOf()
	where := ` WHERE 1 = 1`
	var all []any
	if f.Verdict != "" {
		where += ` AND ` + verdict + ` = ?`
		all = append(append(all, args...), f.Verdict.Rank())
	}
	if f.Pending {
		where += ` AND t.pending = 1`
	}
	if f.Nights {
		where += ` AND t.night IS NOT NULL`
	}
	if f.Discrepant {
		where += ` AND t.discrepant = 1`
	}
	if f.Codes != nil {
		where += ` AND t.code IN (NULL` + strings.Repeat(`, ?`, len(f.Codes)) + `)`
		for _, code := range f.Codes {
			all = append(all, code)
		}
	}
	return where, all
}

// Statuses that a filter takes, the most urgent first.
func (s *Store) Statuses(ctx context.Context, f StatusFilter) ([]Status, error) {
	verdict, args := f.verdictOf()
	clocks := `''`
	if f.Clocks {
		clocks = `t.clocks`
	}
	where, more := f.where()
	order := args
	query := `
		SELECT t.unit_id, t.code, u.name, t.kind, s.name, t.site_id, t.plan_id, t.basis, t.seq, ` + verdict + `, t.work, t.pending, t.night, COALESCE(t.tool, ''), t.protects,
		       COALESCE(t.product, ''), t.governing, ` + clocks + `, COALESCE(t.discrepancy, '')
		FROM unit_status t JOIN unit u ON u.id = t.unit_id JOIN site s ON s.id = t.site_id` + where + ` ORDER BY ` + verdict + `, t.due, t.code`
	all := append(append(append([]any{}, args...), more...), order...)
	if f.Limit > 0 {
		query += ` LIMIT ? OFFSET ?`
		all = append(all, f.Limit, f.Offset)
	}
	rows, err := s.db.QueryContext(ctx, query, all...)
	return collect(rows, err, func(rows *sql.Rows) (r Status, err error) {
		var basis, governing, all, discrepancy []byte
		var rank int
		var night measure.Date
		var work string
		nullNight := sql.Null[measure.Date]{V: night}
		if err = rows.Scan(&r.unitID, &r.Code, &r.Name, &r.Kind, &r.Site, &r.SiteID, &r.PlanID, &basis, &r.Seq, &rank, &work, &r.Pending, &nullNight, &r.Tool, &r.ProtectsTo,
			&r.Product, &governing, &all, &discrepancy); err != nil {
			return r, err
		}
		copy(r.Basis[:], basis)
		r.Verdict, r.Work = clock.VerdictOf(rank), clock.Work(work)
		if nullNight.Valid {
			r.Night = &nullNight.V
		}
		if err = unpacked.Unmarshal(governing, &r.Governing); err != nil {
			return r, fmt.Errorf("status of %s: %w", r.Code, err)
		}
		if len(all) > 0 {
			if err = unpacked.Unmarshal(all, &r.Clocks); err != nil {
				return r, fmt.Errorf("status of %s: %w", r.Code, err)
			}
		}
		if len(discrepancy) > 0 {
			err = unpacked.Unmarshal(discrepancy, &r.Discrepancy)
		}
		return r, err
	})
}

// StatusCounts is how many units have each verdict.
func (s *Store) StatusCounts(ctx context.Context, f StatusFilter) (map[clock.Verdict]int, error) {
	verdict, args := f.verdictOf()
	rows, err := s.db.QueryContext(ctx, `SELECT `+verdict+` AS v, COUNT(*) FROM unit_status t GROUP BY v`, args...)
	counts := map[clock.Verdict]int{}
	_, err = collect(rows, err, func(rows *sql.Rows) (n int, err error) {
		var rank int
		err = rows.Scan(&rank, &n)
		counts[clock.VerdictOf(rank)] = n
		return n, err
	})
	return counts, err
}
