package store_test

import (
	"encoding/hex"
	"fmt"
	"slices"
	"strings"
	"testing"

	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/store"
)

// Each way of tampering, straight in SQL by somebody with all rights, is found
// at its line; the accounts nobody touched hold.
func TestVerifyFindsTampering(t *testing.T) {
	meter := func(v float64) ledger.Meter { return ledger.Meter{Meter: measure.Reading{Value: v, Unit: measure.Km}} }
	const of = ` WHERE unit_id = (SELECT id FROM unit WHERE code = ?)`
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
		{name: "line inserted", sql: []string{`INSERT INTO entry (id, unit_id, seq, kind, happened_at, recorded_at, recorded_by, reading_value, reading_unit,
			metric_value, payload, hash, prev_hash) SELECT UUID(), unit_id, 5, kind, happened_at, recorded_at, recorded_by, reading_value, reading_unit,
			metric_value, payload, hash, hash FROM entry` + of + ` AND seq = 4`}, line: 5, what: "content"},
		{name: "two lines swapped", sql: []string{`UPDATE entry SET seq = 99` + of + ` AND seq = 2`, `UPDATE entry SET seq = 2` + of + ` AND seq = 3`, `UPDATE entry SET seq = 3` + of + ` AND seq = 99`}, line: 2, what: "does not follow"},
		{name: "head moved", sql: []string{`UPDATE unit SET head_hash = REPEAT('x', 32) WHERE code = ?`}, line: 4, what: "head"},
		{name: "last line removed and the head put right", sql: []string{`DELETE FROM entry` + of + ` AND seq = 4`,
			`UPDATE unit u JOIN entry e ON e.unit_id = u.id AND e.seq = 3 SET u.head_seq = 3, u.head_hash = e.hash WHERE u.code = ?`}, line: 4, what: "missing", heads: true},
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
	gone := []store.Head{{Unit: "GONE", Seq: 3, Hash: "00"}}
	if _, breaks, err := app.Verify(t.Context(), gone); err != nil || !slices.ContainsFunc(breaks, func(b store.Break) bool { return b.Unit == "GONE" }) {
		t.Errorf("a missing account: %v, %v", breaks, err)
	}
}
