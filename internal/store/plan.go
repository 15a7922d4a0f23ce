package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"diligentledger/core/ledger"
	"diligentledger/core/serviceplan"
)

// ServicePlan of the register, and how many units are on it.
type ServicePlan struct {
	serviceplan.Plan
	ID    int64
	Units int
}

// Revision distinguishes a plan from the same plan changed.
func (p ServicePlan) Revision() string {
	return fmt.Sprintf("%x", sha256.Sum256(fmt.Appendf(nil, "%+v", p.Plan)))[:16]
}

// ErrNoServicePlan says that the register holds no plan of that id.
var ErrNoServicePlan = errors.New("no such plan")

// ErrServicePlanChanged says that a plan is no longer as it was when it was read.
var ErrServicePlanChanged = errors.New("somebody changed this plan meanwhile")

const planColumns = `p.id, p.name, p.school, COALESCE(p.first_months, 0), COALESCE(p.first_km, 0), COALESCE(p.first_hours, 0),
		       COALESCE(p.later_months, 0), COALESCE(p.later_km, 0), COALESCE(p.later_hours, 0), p.freeze_margin, p.replaced,
		       COALESCE(p.test_months, 0), COALESCE(p.cap_months, 0), COALESCE(p.hose_months, 0), p.follow_days, p.follow_runs, p.miles, COALESCE(p.hose_years, 0), p.parts`

// columns are where [planColumns] go.
func (p *ServicePlan) columns() []any {
	return []any{&p.ID, &p.Name, &p.Strategy, &p.First.Months, &p.First.Km, &p.First.Hours, &p.Later.Months, &p.Later.Km, &p.Later.Hours,
		&p.FreezeMargin, &p.Replaced, &p.TestMonths, &p.CapMonths, &p.HoseMonths, &p.FollowDays, &p.FollowRuns, &p.Miles, &p.HoseYears, partsColumn{&p.Parts}}
}

// partsColumn scans the parts of a plan, JSON or NULL.
type partsColumn struct{ parts *[]serviceplan.PartInterval }

// Scan is of [sql.Scanner].
func (c partsColumn) Scan(src any) error {
	*c.parts = nil
	switch text := src.(type) {
	case nil:
		return nil
	case []byte:
		return json.Unmarshal(text, c.parts)
	case string:
		return json.Unmarshal([]byte(text), c.parts)
	}
	return fmt.Errorf("parts of a plan: %T", src)
}

// partsArg is what the parts of a plan are stored as; NULL for none.
func partsArg(parts []serviceplan.PartInterval) any {
	if len(parts) == 0 {
		return nil
	}
	text, err := json.Marshal(parts)
	if err != nil {
		return nil // no part holds what JSON cannot
	}
	return string(text)
}

// ServicePlans by name.
func (s *Store) ServicePlans(ctx context.Context) ([]ServicePlan, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT `+planColumns+`, (SELECT COUNT(*) FROM unit u WHERE u.plan_id = p.id OR u.circuits > 1 AND EXISTS (SELECT 1 FROM circuit c WHERE c.unit_id = u.id AND c.plan_id = p.id AND c.ended IS NULL)) FROM plan p ORDER BY p.name`)
	return collect(rows, err, func(rows *sql.Rows) (p ServicePlan, err error) {
		return p, rows.Scan(append(p.columns(), &p.Units)...)
	})
}

// ServicePlanRules are the plans of the register, without how many units are on each.
func (s *Store) ServicePlanRules(ctx context.Context) ([]ServicePlan, error) {
	r, err := s.sharedNow(ctx)
	if err != nil {
		return nil, err
	}
	return slices.Clone(r.plans), nil
}

// execer is a database or a transaction in it.
type execer interface {
	ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error)
}

// planArgs are a plan's columns in the order of the statements below, with what
// is left out filled in.
func planArgs(p serviceplan.Plan) []any {
	if p.Strategy == "" {
		p.Strategy = serviceplan.FixedInterval
	}
	if p.Replaced == 0 {
		p.Replaced = ledger.DefaultReplaced
	}
	return []any{p.Name, p.Strategy, p.First.Months, p.First.Km, p.First.Hours, p.Later.Months, p.Later.Km, p.Later.Hours,
		p.FreezeMargin, p.Replaced, p.TestMonths, p.CapMonths, p.HoseMonths, p.FollowDays, p.FollowRuns, p.Miles, p.HoseYears, partsArg(p.Parts)}
}

func addPlan(ctx context.Context, db execer, p serviceplan.Plan) (int64, error) {
	res, err := db.ExecContext(ctx, `
		INSERT INTO plan (name, school, first_months, first_km, first_hours, later_months, later_km, later_hours, freeze_margin, replaced,
		                  test_months, cap_months, hose_months, follow_days, follow_runs, miles, hose_years, parts)
		VALUES (?, ?, NULLIF(?, 0), NULLIF(?, 0), NULLIF(?, 0), NULLIF(?, 0), NULLIF(?, 0), NULLIF(?, 0), ?, ?, NULLIF(?, 0), NULLIF(?, 0), NULLIF(?, 0), ?, ?, ?, NULLIF(?, 0), ?)`,
		planArgs(p)...)
	if err != nil {
		return 0, taken(err)
	}
	return res.LastInsertId()
}

// AddServicePlan writes a plan into the register; [ErrTaken] when its name is another's.
func (s *Store) AddServicePlan(ctx context.Context, by Actor, p serviceplan.Plan) (id int64, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) (err error) {
		if id, err = addPlan(ctx, tx, p); err != nil {
			return err
		}
		return s.changedRows(ctx, tx, by, "plan_added", p.Summary(), planTable, id)
	})
	return id, err
}

// SetServicePlan changes a plan that still bears the mark, for all units on it;
// [ErrNoServicePlan], [ErrServicePlanChanged], [ErrTaken].
func (s *Store) SetServicePlan(ctx context.Context, by Actor, id int64, mark string, p serviceplan.Plan) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		var there ServicePlan
		if err := tx.QueryRowContext(ctx, `SELECT `+planColumns+` FROM plan p WHERE p.id = ? FOR UPDATE`, id).Scan(there.columns()...); errors.Is(err, sql.ErrNoRows) {
			return fmt.Errorf("%w: %d", ErrNoServicePlan, id)
		} else if err != nil {
			return err
		}
		if there.Revision() != mark {
			return fmt.Errorf("%w: it is now %s", ErrServicePlanChanged, there.Summary())
		}
		err := s.judgedWhere(ctx, tx, by, func() error {
			_, err := tx.ExecContext(ctx, `
			UPDATE plan SET name = ?, school = ?, first_months = NULLIF(?, 0), first_km = NULLIF(?, 0), first_hours = NULLIF(?, 0),
			       later_months = NULLIF(?, 0), later_km = NULLIF(?, 0), later_hours = NULLIF(?, 0), freeze_margin = ?, replaced = ?,
			       test_months = NULLIF(?, 0), cap_months = NULLIF(?, 0), hose_months = NULLIF(?, 0), follow_days = ?, follow_runs = ?, miles = ?, hose_years = NULLIF(?, 0), parts = ? WHERE id = ?`,
				append(planArgs(p), id)...)
			return taken(err)
		}, `u.plan_id = ? OR EXISTS (SELECT 1 FROM circuit c WHERE c.unit_id = u.id AND c.plan_id = ? AND c.ended IS NULL)`, id, id)
		if err != nil {
			return err
		}
		// The basis of a status names the plan of the unit; that of a further circuit is not in it.
		rows, err := tx.QueryContext(ctx, `SELECT DISTINCT unit_id FROM circuit WHERE plan_id = ? AND ended IS NULL`, id)
		units, err := collect(rows, err, func(rows *sql.Rows) (id any, err error) {
			var n int64
			err = rows.Scan(&n)
			return n, err
		})
		if err != nil {
			return err
		}
		for some := range slices.Chunk(units, loadRows) {
			if err := staleStatuses(ctx, tx, some); err != nil {
				return err
			}
		}
		return s.changedRows(ctx, tx, by, "plan_changed", p.Diff(there.Plan), planTable, id)
	})
}

// moveCircuitToPlan gives a further circuit a plan of its own.
func (s *Store) moveCircuitToPlan(ctx context.Context, by Actor, u Unit, plan int64) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		name, err := lockPlan(ctx, tx, plan)
		if err != nil {
			return err
		}
		if err := s.judged(ctx, tx, by, []int64{u.id}, func() error {
			_, err := tx.ExecContext(ctx, `UPDATE circuit SET plan_id = ? WHERE id = ?`, plan, u.circuit)
			return err
		}); err != nil {
			return err
		}
		if err := staleStatuses(ctx, tx, []any{u.id}); err != nil {
			return err
		}
		return s.changedRows(ctx, tx, by, "unit_on_plan", u.Ledger.Code+": "+name+", before on "+u.Plan.Name, circuitTable, u.circuit)
	})
}

// lockPlan of that id and give its name; [ErrNoServicePlan].
func lockPlan(ctx context.Context, tx *sql.Tx, id int64) (name string, err error) {
	err = tx.QueryRowContext(ctx, `SELECT name FROM plan WHERE id = ? FOR UPDATE`, id).Scan(&name)
	if errors.Is(err, sql.ErrNoRows) {
		err = fmt.Errorf("%w: %d", ErrNoServicePlan, id)
	}
	return name, err
}

// AssignServicePlan moves a unit, or a further circuit by its address, to another plan; [ErrNoUnit], [ErrNoServicePlan].
func (s *Store) AssignServicePlan(ctx context.Context, by Actor, code string, plan int64) error {
	u, err := s.Unit(ctx, code)
	if err != nil {
		return err
	}
	if !u.First() {
		return s.moveCircuitToPlan(ctx, by, u, plan)
	}
	_, err = s.moveToPlan(ctx, by, plan, "unit_on_plan", func(name string, _ int) string { return u.Code + ": " + name + ", before on " + u.Plan.Name },
		`SELECT id FROM unit WHERE plan_id <> ? AND id = ? FOR UPDATE`, u.id)
	return err
}

// AssignServicePlanByKind moves every unit of a kind to a plan, at one site or, when site is
// empty, at all, and gives how many were not on it; [ErrNoServicePlan].
func (s *Store) AssignServicePlanByKind(ctx context.Context, by Actor, plan int64, kind, site string) (int, error) {
	where := "everywhere"
	if site != "" {
		where = "at " + site
	}
	return s.moveToPlan(ctx, by, plan, "kind_on_plan", func(name string, moved int) string {
		return fmt.Sprintf("%s of kind %s %s: %s", counted(int64(moved)), kind, where, name)
	}, `
		SELECT id FROM unit WHERE plan_id <> ? AND kind = ? AND (? = '' OR site_id = (SELECT id FROM site WHERE name = ?)) ORDER BY id FOR UPDATE`, kind, site, site)
}

// moveToPlan the units that a query finds, whose first argument is the plan; it returns how
// many. The audit has it as what, in the words of detail.
func (s *Store) moveToPlan(ctx context.Context, by Actor, plan int64, what string, detail func(name string, moved int) string, query string, args ...any) (moved int, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		name, err := lockPlan(ctx, tx, plan)
		if err != nil {
			return err
		}
		rows, err := tx.QueryContext(ctx, query, append([]any{plan}, args...)...)
		units, err := collect(rows, err, func(rows *sql.Rows) (id int64, err error) { return id, rows.Scan(&id) })
		if err != nil {
			return err
		}
		moved = len(units)
		ids := make([]any, moved)
		for i, id := range units {
			ids[i] = id
		}
		if err := s.judged(ctx, tx, by, units, func() error {
			for some := range slices.Chunk(ids, loadRows) {
				if _, err := tx.ExecContext(ctx, `UPDATE unit SET plan_id = ? WHERE id IN (?`+strings.Repeat(`, ?`, len(some)-1)+`)`, append([]any{plan}, some...)...); err != nil {
					return err
				}
				if err := staleStatuses(ctx, tx, some); err != nil {
					return err
				}
			}
			return nil
		}); err != nil {
			return err
		}
		return s.changedRows(ctx, tx, by, what, detail(name, moved), unitTable, ids...)
	})
	return moved, err
}
