package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"strings"
	"time"

	"diligentledger/core/ledger"
)

// WrittenEntry is an entry of any account, with its unit; the code is the address of the account.
type WrittenEntry struct {
	UnitName
	ledger.Entry
	// Struck is the first strike that voids it; nil for none.
	Struck *ledger.Entry
}

// WrittenFilter is which of all entries are read; a zero field sets no limit.
type WrittenFilter struct {
	// From and To bound the time of recording; To is not included.
	From, To time.Time
	// Unit by code, with all its circuits, or by the address of one; Kind, and Site by name.
	Unit string
	Kind ledger.Kind
	Site string
	// Writer is a part of the name of who recorded it.
	Writer string
	// Struck alone, or those alone that no strike voids; nil for both.
	Struck *bool
	// Before the entry of this id; those that are not known leave nothing.
	Before string
	Limit  int
}

// containing is a pattern of LIKE for a part of a text.
func containing(text string) string {
	return `%` + strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(text) + `%`
}

// Written entries that a filter takes, the one recorded last first.
func (s *Store) Written(ctx context.Context, f WrittenFilter) ([]WrittenEntry, error) {
	const voids = `SELECT x.id FROM entry x WHERE x.struck = e.id AND x.circuit_id = e.circuit_id ORDER BY x.happened_at, x.id LIMIT 1`
	where, args := `1 = 1`, []any{}
	and := func(is bool, condition string, more ...any) {
		if is {
			where += ` AND ` + condition
			args = append(args, more...)
		}
	}
	and(!f.From.IsZero(), `e.recorded_at >= ?`, f.From.UTC())
	and(!f.To.IsZero(), `e.recorded_at < ?`, f.To.UTC())
	if code, circuit, ok := splitAddress(f.Unit); ok {
		and(true, `(u.code = ? OR u.code = ? AND c.name = ?)`, f.Unit, code, circuit)
	} else {
		and(f.Unit != "", `u.code = ?`, f.Unit)
	}
	and(f.Kind != "", `e.kind = ?`, f.Kind)
	and(f.Site != "", `s.name = ?`, f.Site)
	// By the name of the day, and by the name that its writer has now.
	and(f.Writer != "", `(e.recorded_by LIKE ? OR e.recorded_by_id IN (SELECT p.id FROM person p WHERE p.name LIKE ?))`, containing(f.Writer), containing(f.Writer))
	if f.Struck != nil {
		and(*f.Struck, `EXISTS (`+voids+`)`)
		and(!*f.Struck, `NOT EXISTS (`+voids+`)`)
	}
	// A row comparison of two columns does not use the index.
	and(f.Before != "", `e.recorded_at <= (SELECT b.recorded_at FROM entry b WHERE b.id = ?)
		AND (e.recorded_at < (SELECT b.recorded_at FROM entry b WHERE b.id = ?) OR e.id < ?)`, f.Before, f.Before, f.Before)
	// The page is taken from the entries in the order of recording; the optimizer would begin at the sites, and sort every entry.
	// Of one unit it begins at the unit.
	from := `STRAIGHT_JOIN e.*`
	if f.Unit != "" {
		from = `e.*`
	}
	rows, err := s.db.QueryContext(ctx, `
		SELECT `+sqlAddress+`, u.name, u.kind, s.name, p.id, p.kind, p.happened_at, p.recorded_at, p.recorded_by, COALESCE(p.recorded_by_id, 0), p.payload,
		       x.id, x.happened_at, x.recorded_by, x.payload
		FROM (SELECT `+from+`, (`+voids+`) AS strike FROM entry e JOIN circuit c ON c.id = e.circuit_id JOIN unit u ON u.id = c.unit_id JOIN site s ON s.id = u.site_id
		      WHERE `+where+` ORDER BY e.recorded_at DESC, e.id DESC LIMIT ?) p
		JOIN circuit c ON c.id = p.circuit_id JOIN unit u ON u.id = c.unit_id JOIN site s ON s.id = u.site_id LEFT JOIN entry x ON x.id = p.strike
		ORDER BY p.recorded_at DESC, p.id DESC`, append(args, f.Limit)...)
	return collect(rows, err, scanWritten)
}

func scanWritten(rows *sql.Rows) (w WrittenEntry, err error) {
	var kind ledger.Kind
	var payload, struck []byte
	var id, by sql.NullString
	var at sql.NullTime
	if err := rows.Scan(&w.Code, &w.UnitName.Name, &w.UnitName.Kind, &w.Site, &w.ID, &kind, &w.At, &w.RecordedAt, &w.RecordedBy, &w.RecordedByID, &payload, &id, &at, &by, &struck); err != nil {
		return w, err
	}
	w.Unit = w.Code
	read := func(k ledger.Kind, payload json.RawMessage) ledger.Body {
		body, err := ledger.ParseBody(k, payload)
		if err != nil {
			return ledger.UnreadableBody{Of: k, Why: err}
		}
		return body
	}
	w.Body = read(kind, payload)
	if id.Valid {
		w.Struck = &ledger.Entry{ID: id.String, Unit: w.Code, At: at.Time, RecordedBy: by.String, Body: read(ledger.KindStrike, struck)}
	}
	return w, nil
}
