package store

import (
	"bytes"
	"context"
	"database/sql"
	"strings"
)

// packedAs reports whether stored clocks are those that are packed so: the numbers of a reason were once packed in any order.
func packedAs(stored []byte, value any) bool {
	clocks, err := unpackClocks(stored)
	if err != nil {
		return false
	}
	again, err := packClocks(clocks)
	want, ok := value.([]byte)
	return err == nil && ok && bytes.Equal(again, want)
}

// VerifyStatuses holds the rows that the lists read against those that the units give now. A row that the program would evaluate anew
// before it reads it, since it is of another basis or of fewer entries, is left out; so are all while there is none, as after a restore.
func (s *Store) VerifyStatuses(ctx context.Context, rows []Status) (breaks []Break, err error) {
	err = s.db.Snapshot(ctx, func(tx *sql.Tx) (err error) {
		breaks, err = verifyStatuses(ctx, tx, rows)
		return err
	})
	return breaks, err
}

func verifyStatuses(ctx context.Context, tx *sql.Tx, rows []Status) (breaks []Break, err error) {
	report := func(code, what string) { breaks = append(breaks, Break{Unit: code, ID: "status", What: what}) }
	found, err := tx.QueryContext(ctx, `SELECT unit_id, code FROM unit_status ORDER BY unit_id`)
	there := map[int64]string{}
	if _, err = collect(found, err, func(found *sql.Rows) (id int64, err error) {
		var code string
		err = found.Scan(&id, &code)
		there[id] = code
		return id, err
	}); err != nil || len(there) == 0 {
		return nil, err
	}
	for _, r := range rows {
		if _, is := there[r.unitID]; !is {
			report(r.Code, "its row is missing: no list shows the unit")
			continue
		}
		delete(there, r.unitID)
		columns, err := r.columns()
		if err != nil {
			return nil, err
		}
		same := make([]bool, len(columns))
		var current, behind bool
		var governing, clocks []byte
		query, args, into := `SELECT basis = ? AND cold = ?, seq < ?, governing, clocks`, []any{r.Basis[:], r.Cold[:], r.Seq}, []any{&current, &behind, &governing, &clocks}
		for i, c := range columns {
			query, args, into = query+`, `+c.name+` <=> ?`, append(args, c.value), append(into, &same[i])
		}
		if err := tx.QueryRowContext(ctx, query+` FROM unit_status WHERE unit_id = ?`, append(args, r.unitID)...).Scan(into...); err != nil {
			return nil, err
		}
		if !current || behind {
			continue
		}
		var differ []string
		for i, c := range columns {
			switch stored := map[string][]byte{"governing": governing, "clocks": clocks}[columns[i].name]; {
			case same[i], stored != nil && packedAs(stored, columns[i].value):
			default:
				differ = append(differ, c.name)
			}
		}
		if len(differ) > 0 {
			report(r.Code, "the row of the lists is not what its account says: "+strings.Join(differ, ", "))
		}
	}
	for _, code := range there {
		report(code, "the lists have a row of a unit that is not in the register, or has left")
	}
	moved, err := miscounted(ctx, tx)
	if err == nil && len(moved) > 0 {
		report("lists", "their counts are not those of their rows")
	}
	return breaks, err
}
