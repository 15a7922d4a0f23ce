package store

import (
	"cmp"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"slices"
	"strings"

	"diligentledger/core/register"
)

// covered is a table whose rows decide: each change of a row is a line of a chain.
type covered struct {
	name string
	// key columns; rows are asked for by the first of them.
	key []string
	// columns that are read, all of them when empty; only the rows of which a condition holds.
	columns, only string
	// omitted columns change without deciding anything, or are computed from the others.
	omitted []string
	// digested columns are in the chain by their SHA-256.
	digested []string
	chain    string
	// grouped: all rows of one first key are one line, with their number and the SHA-256 of them in the order of the keys.
	grouped bool
	// removed: rows can go, and a line says so. The first key is the whole key, or the rows are grouped.
	removed bool
	// open is a query for the first keys of groups whose rows are being written: they are not held against their lines.
	open string
}

// The tables, in the order of what refers to what.
var (
	unitTable       = &covered{name: "unit", key: []string{"id"}, chain: unitChain}
	circuitTable    = &covered{name: "circuit", key: []string{"id"}, chain: unitChain, omitted: []string{"head_seq", "head_hash", "code_v1"}}
	instrumentTable = &covered{name: "instrument", key: []string{"id"}, chain: registerChain}
	technicianTable = &covered{name: "technician", key: []string{"id"}, chain: registerChain}
	typeTable       = &covered{name: "unit_type", key: []string{"id"}, chain: registerChain}
	tokenTable      = &covered{name: "api_token", key: []string{"id"}, chain: registerChain, omitted: []string{"last_used_at", "last_result"}}
	changeTable     = &covered{name: "register_change", key: []string{"id"}, chain: unitChain}
	siteTable       = &covered{name: "site", key: []string{"id"}, chain: registerChain}
	siteColdTable   = &covered{name: "site_cold", key: []string{"site_id", "month"}, chain: registerChain}
	planTable       = &covered{name: "plan", key: []string{"id"}, chain: registerChain}
	productTable    = &covered{name: "product", key: []string{"code"}, chain: registerChain}
	additiveTable   = &covered{name: "additive", key: []string{"code"}, chain: registerChain}
	personTable     = &covered{name: "person", key: []string{"id"}, chain: registerChain, omitted: []string{"epoch"}}
	settingTable    = &covered{name: "installation", key: []string{"name"}, chain: registerChain,
		only: `name IN ('zone', 'fleet', 'fleet_name', 'reading')`}
	auditTable = &covered{name: "audit", key: []string{"id"}, chain: auditChain}

	readingTable    = &covered{name: "person_reading", key: []string{"person_id"}, chain: registerChain}
	parameterTable  = &covered{name: "job_parameter", key: []string{"id"}, chain: registerChain}
	plannedTable    = &covered{name: "planned", key: []string{"id"}, chain: planChain, omitted: []string{"is_open"}}
	placementTable  = &covered{name: "placement", key: []string{"planned_id"}, chain: planChain}
	planChangeTable = &covered{name: "plan_change", key: []string{"id"}, chain: planChain, digested: []string{"body"}}
	weekTable       = &covered{name: "plan_week", key: []string{"monday"}, chain: planChain, removed: true,
		columns: `CAST(monday AS CHAR) AS monday, agreed_at, who`}
	agreedTable = &covered{name: "plan_agreed", key: []string{"monday", "planned_id"}, chain: planChain, removed: true, grouped: true,
		columns: `CAST(monday AS CHAR) AS monday, planned_id, day, done_on`}
	feedTable     = &covered{name: "calendar_feed", key: []string{"id"}, chain: planChain, digested: []string{"secret"}}
	jobTable      = &covered{name: "job", key: []string{"id"}, chain: jobChain, omitted: []string{"open_on"}, digested: []string{"setup", "head_hash"}}
	jobEventTable = &covered{name: "job_event", key: []string{"id"}, chain: jobChain, digested: []string{"body", "hash"}}
	roundTable    = &covered{name: "round_log", key: []string{"id"}, chain: roundChain, digested: []string{"stops"}}
	photoTable    = &covered{name: "attachment", key: []string{"sha256"}, chain: photoChain,
		columns: `LOWER(HEX(sha256)) AS sha256, media, added_at, who, who_id`}
	importTable = &covered{name: "import_run", key: []string{"id"}, chain: importChain, omitted: []string{"done", "total"},
		digested: []string{"shape", "columns", "options", "result"}}
	importUnitTable  = &covered{name: "import_unit", key: []string{"run_id", "unit_id"}, chain: importChain, grouped: true, open: importsOpen}
	importEntryTable = &covered{name: "import_entry", key: []string{"run_id", "entry_id"}, chain: importChain, grouped: true, open: importsOpen}
	nightTable       = &covered{name: "site_night", key: []string{"site_id", "day"}, chain: weatherChain, grouped: true}
	forecastTable    = &covered{name: "site_forecast", key: []string{"site_id", "day"}, chain: weatherChain, grouped: true, removed: true}
	curveTable       = &covered{name: "site_curve", key: []string{"site_id"}, chain: weatherChain, digested: []string{"curve"}}
)

// importsOpen are the runs that write their units and entries; their lines are written once they end.
const importsOpen = `SELECT id FROM import_run WHERE state IN ('running', 'cancelling') AND ? = 1`

var coveredTables = []*covered{siteTable, siteColdTable, planTable, productTable, additiveTable, personTable, settingTable, unitTable, auditTable, circuitTable,
	instrumentTable, technicianTable, typeTable, changeTable, tokenTable, readingTable, parameterTable, plannedTable, placementTable, planChangeTable, weekTable,
	agreedTable, feedTable, jobTable, jobEventTable, roundTable, photoTable, importTable, importUnitTable, importEntryTable, nightTable, forecastTable, curveTable}

// row of a covered table as its line holds it.
type row struct {
	chain, subject string
	columns        map[string]*string // nil for NULL
}

func (r row) content() (string, error) {
	text, err := json.Marshal(r.columns) // in the order of the names
	return string(text), err
}

// query up to its condition.
func (t *covered) query() string {
	return `SELECT ` + cmp.Or(t.columns, "*") + ` FROM ` + t.name + ` WHERE `
}

// rows of the keys, or of all keys without one.
func (t *covered) rows(ctx context.Context, q querier, keys ...any) ([]row, error) {
	// A query has an argument in any case, so that the server sends values and not their texts.
	condition, args := `? = 1`, []any{1}
	switch {
	case len(keys) > 0:
		condition, args = t.key[0]+` IN (?`+strings.Repeat(`, ?`, len(keys)-1)+`)`, keys
	case t.only != "":
		condition += ` AND ` + t.only
	}
	query := t.query() + condition + ` ORDER BY ` + strings.Join(t.key, ", ")
	found, err := q.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	names, err := found.Columns()
	if err != nil {
		return nil, errors.Join(err, found.Close())
	}
	if t.grouped {
		return t.groups(found, names)
	}
	return collect(found, nil, func(found *sql.Rows) (row, error) {
		values := make([]sql.NullString, len(names))
		into := make([]any, len(names))
		for i := range values {
			into[i] = &values[i]
		}
		if err := found.Scan(into...); err != nil {
			return row{}, err
		}
		r := row{chain: t.chain, subject: t.name, columns: map[string]*string{}}
		for i, name := range names {
			v := values[i]
			if slices.Contains(t.key, name) {
				r.subject += " " + v.String
			}
			switch {
			case slices.Contains(t.omitted, name):
			case !v.Valid:
				r.columns[name] = nil
			case name == "password", name == "hash" && t == tokenTable, slices.Contains(t.digested, name):
				digest := fmt.Sprintf("sha256:%x", sha256.Sum256([]byte(v.String)))
				r.columns[name] = &digest
			default:
				r.columns[name] = &v.String
			}
		}
		if t.chain == unitChain {
			of := r.columns["id"]
			switch {
			case t == circuitTable:
				of = r.columns["unit_id"]
			case t == changeTable && *r.columns["record"] != string(register.Unit):
				r.chain = registerChain
				return r, nil
			case t == changeTable:
				of = r.columns["record_id"]
			}
			r.chain += *of
		}
		return r, nil
	})
}

// groups of rows that come in the order of their keys.
func (t *covered) groups(found *sql.Rows, names []string) (all []row, err error) {
	first := slices.Index(names, t.key[0])
	values := make([]sql.NullString, len(names))
	into := make([]any, len(names))
	for i := range values {
		into[i] = &values[i]
	}
	var sum hash.Hash
	var n int
	end := func() {
		if sum != nil {
			count, digest := fmt.Sprint(n), fmt.Sprintf("sha256:%x", sum.Sum(nil))
			all[len(all)-1].columns = map[string]*string{"rows": &count, "digest": &digest}
		}
	}
	_, err = collect(found, nil, func(found *sql.Rows) (struct{}, error) {
		if err := found.Scan(into...); err != nil {
			return struct{}{}, err
		}
		if subject := t.name + " " + values[first].String; sum == nil || all[len(all)-1].subject != subject {
			end()
			all, sum, n = append(all, row{chain: t.chain, subject: subject}), sha256.New(), 0
		}
		n++
		for _, v := range values {
			if v.Valid {
				fmt.Fprintf(sum, "%d:", len(v.String))
			}
			sum.Write([]byte(v.String + ","))
		}
		return struct{}{}, nil
	})
	end()
	return all, err
}
