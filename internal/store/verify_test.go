package store_test

import (
	"encoding/hex"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/store"
)

// Each way of tampering, straight in SQL by a person with all rights, is found
// at its line; the accounts no one touched hold.
func TestVerifyFindsTampering(t *testing.T) {
	meter := func(v float64) ledger.Meter { return ledger.Meter{Meter: measure.Reading{Value: v, Unit: measure.Km}} }
	const of = ` WHERE circuit_id = (SELECT c.id FROM circuit c JOIN unit u ON u.id = c.unit_id WHERE u.code = ?)`
	cases := []struct {
		name  string
		sql   []string // each with the unit's code as its one argument
		line  int64
		what  string
		heads bool // only heads kept from before show it
	}{
		{name: "left alone"},
		{name: "content changed", sql: []string{`UPDATE entry SET payload = REPLACE(payload, '200', '190')` + of + ` AND seq = 2`}, line: 2, what: "content"},
		{name: "time changed", sql: []string{`UPDATE entry SET happened_at = happened_at - INTERVAL 1 DAY` + of + ` AND seq = 3`}, line: 3, what: "content"},
		{name: "author changed", sql: []string{`UPDATE entry SET recorded_by = 'somebody'` + of + ` AND seq = 1`}, line: 1, what: "content"},
		{name: "reading changed beside the content", sql: []string{`UPDATE entry SET metric_value = 7` + of + ` AND seq = 2`}, line: 2, what: "reading"},
		{name: "line removed", sql: []string{`DELETE FROM entry` + of + ` AND seq = 2`}, line: 2, what: "missing"},
		{name: "first line removed", sql: []string{`DELETE FROM entry` + of + ` AND seq = 1`}, line: 1, what: "missing"},
		{name: "last line removed", sql: []string{`DELETE FROM entry` + of + ` AND seq = 4`}, line: 4, what: "missing"},
		{name: "line removed, the others moved up", sql: []string{`DELETE FROM entry` + of + ` AND seq = 2`, `UPDATE entry SET seq = seq - 1` + of + ` AND seq > 2 ORDER BY seq`}, line: 2, what: "does not follow"},
		{name: "line inserted", sql: []string{`INSERT INTO entry (id, circuit_id, seq, kind, happened_at, recorded_at, recorded_by, reading_value, reading_unit,
			metric_value, payload, hash, prev_hash) SELECT UUID(), circuit_id, 5, kind, happened_at, recorded_at, recorded_by, reading_value, reading_unit,
			metric_value, payload, hash, hash FROM entry` + of + ` AND seq = 4`}, line: 5, what: "content"},
		{name: "two lines swapped", sql: []string{`UPDATE entry SET seq = 99` + of + ` AND seq = 2`, `UPDATE entry SET seq = 2` + of + ` AND seq = 3`, `UPDATE entry SET seq = 3` + of + ` AND seq = 99`}, line: 2, what: "does not follow"},
		{name: "head moved", sql: []string{`UPDATE circuit SET head_hash = REPEAT('x', 32) WHERE unit_id = (SELECT id FROM unit WHERE code = ?)`}, line: 4, what: "head"},
		{name: "last line removed and the head put right", sql: []string{`DELETE FROM entry` + of + ` AND seq = 4`,
			`UPDATE circuit c JOIN unit u ON u.id = c.unit_id JOIN entry e ON e.circuit_id = c.id AND e.seq = 3 SET c.head_seq = 3, c.head_hash = e.hash WHERE u.code = ?`}, line: 4, what: "missing", heads: true},
	}
	f := fleet()
	f.Name, f.Units = "tampered", f.Units[:0]
	f.Sites[0].Name, f.Plans[0].Name, f.Products, f.Additives = "Tamper yard", "Tamper plan", nil, nil
	for i := range cases {
		u := store.LoadedUnit{UnitName: store.UnitName{Code: fmt.Sprintf("T-%02d", i), Name: cases[i].name, Kind: "car", Site: "Tamper yard"},
			Plan: "Tamper plan", Capacity: 8, Base: "EG", Meter: measure.Km}
		for n := range 4 {
			u.Entries = append(u.Entries, entry(u.Code, meter(float64(100*(n+1)))))
		}
		f.Units = append(f.Units, u)
	}
	db := raw(t, instance.OwnerDSN())
	if _, err := db.ExecContext(t.Context(), `DELETE FROM installation`); err != nil {
		t.Fatal(err)
	}
	if err := owner.Load(t.Context(), f); err != nil {
		t.Fatal(err)
	}
	kept, breaks, err := app.Verify(t.Context(), nil)
	if err != nil || len(breaks) > 0 {
		t.Fatalf("before anybody tampered: %v, %v", breaks, err)
	}
	for _, h := range kept {
		if raw, err := hex.DecodeString(h.Hash); err != nil || len(raw) != 32 {
			t.Errorf("head %+v", h)
		}
	}
	// What was loaded is stored as its entries give it, whatever the digits of its times.
	if breaks, err := app.VerifyAccounts(t.Context()); err != nil || slices.ContainsFunc(breaks, func(b store.Break) bool { return strings.HasPrefix(b.Unit, "T-") }) {
		t.Errorf("stored accounts as loaded: %v, %v", breaks, err)
	}
	for i, c := range cases {
		for _, s := range c.sql {
			if _, err := db.ExecContext(t.Context(), s, f.Units[i].Code); err != nil {
				t.Fatalf("%s: %v", c.name, err)
			}
		}
	}
	_, alone, err := app.Verify(t.Context(), nil)
	if err != nil {
		t.Fatal(err)
	}
	_, withHeads, err := app.Verify(t.Context(), kept)
	if err != nil {
		t.Fatal(err)
	}
	for i, c := range cases {
		of := func(breaks []store.Break) int {
			return slices.IndexFunc(breaks, func(b store.Break) bool { return b.Unit == f.Units[i].Code })
		}
		at, atHeads := of(alone), of(withHeads)
		if c.sql == nil {
			if at >= 0 || atHeads >= 0 {
				t.Errorf("%s: reported broken", c.name)
			}
			continue
		}
		if c.heads && at >= 0 {
			t.Errorf("%s: %v without the heads, though the chain holds", c.name, alone[at])
		}
		if !c.heads && at < 0 || atHeads < 0 {
			t.Errorf("%s: not found", c.name)
			continue
		}
		if b := withHeads[atHeads]; b.Seq != c.line || !strings.Contains(b.String(), c.what) {
			t.Errorf("%s: %v; want line %d, %s", c.name, b, c.line, c.what)
		}
	}
	if n := len(alone); n != len(cases)-2 {
		t.Errorf("%d accounts are broken, want %d: %v", n, len(cases)-2, alone)
	}
	for _, c := range []string{`DELETE FROM entry WHERE circuit_id = (SELECT id FROM circuit WHERE unit_id = ?)`, `DELETE FROM account WHERE circuit_id = (SELECT id FROM circuit WHERE unit_id = ?)`, `DELETE FROM chain_line WHERE chain = CONCAT('unit:', ?)`,
		`DELETE FROM chain WHERE name = CONCAT('unit:', ?)`, `DELETE FROM circuit WHERE unit_id = ?`, `DELETE FROM unit WHERE id = ?`} {
		var id int64
		if err := db.QueryRowContext(t.Context(), `SELECT id FROM unit WHERE code = 'T-00'`).Scan(&id); err != nil {
			t.Fatal(err)
		}
		if _, err := db.ExecContext(t.Context(), c, id); err != nil {
			t.Fatal(err)
		}
	}
	missing := 0
	_, breaks, err = app.Verify(t.Context(), kept)
	for _, b := range breaks {
		if b.Unit == "T-00" && strings.Contains(b.What, "whole chain is missing") {
			missing++
		}
	}
	if err != nil || missing != 2 {
		t.Errorf("a unit that is gone with all its lines: %d of 2 chains are missed: %v, %v", missing, breaks, err)
	}
	gone := []store.Head{{Unit: "GONE", Seq: 3, Hash: "00"}}
	if _, breaks, err := app.Verify(t.Context(), gone); err != nil || !slices.ContainsFunc(breaks, func(b store.Break) bool { return b.Unit == "GONE" }) {
		t.Errorf("a missing account: %v, %v", breaks, err)
	}
}

// Whatever decides and is changed past the program is found, by the row and the column; and put
// back, it is as it was.
func TestVerifyFindsChanges(t *testing.T) {
	if _, err := app.AddPerson(t.Context(), store.Person{Name: "V. Erify", Email: "verify@example.org", Role: "reader", Password: "hash"}); err != nil {
		t.Fatal(err)
	}
	if err := app.Audit(t.Context(), store.Audited{Who: "V. Erify", Address: "127.0.0.1", What: "signed_in"}); err != nil {
		t.Fatal(err)
	}
	if err := app.SetZone(t.Context(), store.Actor{Name: "V. Erify"}, time.UTC); err != nil {
		t.Fatal(err)
	}
	db := raw(t, instance.OwnerDSN())
	exec := func(statement string) {
		t.Helper()
		res, err := db.ExecContext(t.Context(), statement)
		if err != nil {
			t.Fatalf("%s: %v", statement, err)
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			t.Fatalf("%s changed nothing", statement)
		}
	}
	verify := func() string {
		t.Helper()
		_, breaks, err := app.Verify(t.Context(), nil)
		if err != nil {
			t.Fatal(err)
		}
		accounts, err := app.VerifyAccounts(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		var all []string
		for _, b := range append(breaks, accounts...) {
			if !strings.HasPrefix(b.Unit, "T-") { // of the test above
				all = append(all, b.String())
			}
		}
		return strings.Join(all, "\n")
	}
	if _, err := app.Rebuild(t.Context()); err != nil {
		t.Fatal(err)
	}
	if said := verify(); said != "" {
		t.Fatalf("before: %s", said)
	}
	for _, c := range []struct{ name, do, undo, says string }{
		{"kind", `UPDATE unit SET kind = 'aircraft' WHERE code = 'A-1'`, `UPDATE unit SET kind = 'car' WHERE code = 'A-1'`, `facts of A-1`},
		{"capacity", `UPDATE unit SET capacity_l = 9 WHERE code = 'A-1'`, `UPDATE unit SET capacity_l = 8 WHERE code = 'A-1'`, `capacity_l is "9", and "8"`},
		{"cap", `UPDATE unit SET cap_kpa = 90 WHERE code = 'A-1'`, `UPDATE unit SET cap_kpa = 108 WHERE code = 'A-1'`, `cap_kpa`},
		{"base", `UPDATE unit SET base = 'PG' WHERE code = 'A-1'`, `UPDATE unit SET base = 'EG' WHERE code = 'A-1'`, `base is "PG"`},
		{"service plan of a unit", `UPDATE unit SET plan_id = plan_id + 1 WHERE code = 'A-1'`, `UPDATE unit SET plan_id = plan_id - 1 WHERE code = 'A-1'`, `plan_id`},
		{"site of a unit", `UPDATE unit SET site_id = (SELECT MAX(id) FROM site) WHERE code = 'A-1'`, `UPDATE unit SET site_id = (SELECT MIN(id) FROM site) WHERE code = 'A-1'`, `site_id`},
		{"code", `UPDATE unit SET code = 'A-1X' WHERE code = 'A-1'`, `UPDATE unit SET code = 'A-1' WHERE code = 'A-1X'`, `code is "A-1X"`},
		{"altitude", `UPDATE site SET altitude_m = altitude_m + 1`, `UPDATE site SET altitude_m = altitude_m - 1`, `altitude_m`},
		{"cold of a month", `UPDATE site_cold SET celsius = celsius + 10 WHERE month = 1`, `UPDATE site_cold SET celsius = celsius - 10 WHERE month = 1`, `celsius`},
		{"service plan", `UPDATE plan SET freeze_margin = freeze_margin + 1`, `UPDATE plan SET freeze_margin = freeze_margin - 1`, `freeze_margin`},
		{"product", `UPDATE product SET technology = CONCAT(technology, 'x')`, `UPDATE product SET technology = LEFT(technology, CHAR_LENGTH(technology) - 1)`, `technology`},
		{"role", `UPDATE person SET role = 'coordinator' WHERE name = 'V. Erify'`, `UPDATE person SET role = 'reader' WHERE name = 'V. Erify'`, `role is "coordinator", and "reader"`},
		{"password", `UPDATE person SET password = 'other' WHERE name = 'V. Erify'`, `UPDATE person SET password = 'hash' WHERE name = 'V. Erify'`, `password`},
		{"an account closed", `UPDATE person SET active = FALSE WHERE name = 'V. Erify'`, `UPDATE person SET active = TRUE WHERE name = 'V. Erify'`, `active is "0", and "1"`},
		{"a person added", `INSERT INTO person (name, email, role, created_at) VALUES ('X', 'x@example.org', 'signatory', NOW())`, `DELETE FROM person WHERE name = 'X'`, `added past its chain`},
		{"zone", `UPDATE installation SET value = 'Asia/Tokyo' WHERE name = 'zone'`, `UPDATE installation SET value = 'UTC' WHERE name = 'zone'`, `value is "Asia/Tokyo", and "UTC"`},
		{"zone removed", `DELETE FROM installation WHERE name = 'zone'`, `INSERT INTO installation VALUES ('zone', 'UTC')`, `row of this line is missing: zone`},
		{"audit changed", `UPDATE audit SET who = CONCAT(who, 'x')`, `UPDATE audit SET who = LEFT(who, CHAR_LENGTH(who) - 1)`, `who is`},
		{"audit added", `INSERT INTO audit (id, at, who, address, what, detail) VALUES (999999, NOW(), 'X', '', 'signed_in', '')`, `DELETE FROM audit WHERE id = 999999`, `audit 999999: it was added past`},
		{"audit removed", `UPDATE audit SET id = id + 5000000 ORDER BY id DESC LIMIT 1`, `UPDATE audit SET id = id - 5000000 ORDER BY id DESC LIMIT 1`, `row of this line is missing`},
		{"a line rewritten", `UPDATE chain_line SET content = REPLACE(content, '"reader"', '"coordinator"') WHERE subject LIKE 'person %'`, `UPDATE chain_line SET content = REPLACE(content, '"coordinator"', '"reader"') WHERE subject LIKE 'person %'`, `its content is not what was written`},
		{"the writer of a line", `UPDATE chain_line SET who = CONCAT(who, 'x') WHERE chain = 'register'`, `UPDATE chain_line SET who = LEFT(who, CHAR_LENGTH(who) - 1) WHERE chain = 'register'`, `its content is not what was written`},
		{"a head of a chain", `UPDATE chain SET seq = seq + 1 WHERE name = 'audit'`, `UPDATE chain SET seq = seq - 1 WHERE name = 'audit'`, `the last line is missing`},
		{"a chain renamed", `UPDATE chain SET name = 'audit2' WHERE name = 'audit'`, `UPDATE chain SET name = 'audit' WHERE name = 'audit2'`, `the head of the chain is missing`},
		{"another unit's account", `UPDATE account a JOIN circuit c ON c.id = a.circuit_id JOIN unit u ON u.id = c.unit_id AND u.code = 'A-1' JOIN account b JOIN circuit d ON d.id = b.circuit_id JOIN unit v ON v.id = d.unit_id AND v.code = 'A-2' SET a.body = b.body`, ``, `A-1 stored account: it is not what its entries say`},
	} {
		exec(c.do)
		if said := verify(); !strings.Contains(said, c.says) {
			t.Errorf("%s: %q, want %q in it", c.name, said, c.says)
		}
		if c.undo == "" {
			if _, err := app.Rebuild(t.Context()); err != nil {
				t.Fatal(err)
			}
		} else {
			exec(c.undo)
		}
		if said := verify(); said != "" {
			t.Fatalf("%s, put back: %s", c.name, said)
		}
	}
}
