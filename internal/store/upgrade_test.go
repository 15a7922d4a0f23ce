package store_test

import (
	"context"
	"errors"
	"fmt"
	"net"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"

	core "diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/db"
	"diligentledger/internal/store"
)

// lossy is a connection whose answer to a commit is lost once it is armed.
type lossy struct {
	net.Conn
	armed *atomic.Bool
	lost  bool
}

func (c *lossy) Write(b []byte) (int, error) {
	n, err := c.Conn.Write(b)
	if strings.HasSuffix(string(b), "\x03COMMIT") && c.armed.CompareAndSwap(true, false) {
		c.lost = true
	}
	return n, err
}

func (c *lossy) Read(b []byte) (int, error) {
	n, err := c.Conn.Read(b)
	if err == nil && c.lost {
		return 0, errors.Join(net.ErrClosed, c.Conn.Close())
	}
	return n, err
}

// The database commits and its answer is lost: the answer says that it is not known, and sent
// again the entry is there once.
func TestLostCommit(t *testing.T) {
	config, err := mysql.ParseDSN(instance.AppDSN())
	if err != nil {
		t.Fatal(err)
	}
	armed, port := &atomic.Bool{}, instance.Port()
	db.RegisterNetwork("lossy", func(ctx context.Context, _ string) (net.Conn, error) {
		var d net.Dialer
		conn, err := d.DialContext(ctx, "tcp", net.JoinHostPort("127.0.0.1", strconv.Itoa(port)))
		return &lossy{Conn: conn, armed: armed}, err
	})
	config.Net = "lossy"
	s, err := store.Open(config.FormatDSN(), func() time.Time { return clock })
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	u := unit(t, "A-1")
	e := entry("A-1", water(0.05))
	count := func() (n int) {
		if err := raw(t, instance.OwnerDSN()).QueryRowContext(t.Context(), `SELECT COUNT(*) FROM entry WHERE id = ?`, e.ID).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	armed.Store(true)
	if _, err := s.Append(t.Context(), &store.Opened{Unit: u}, []ledger.Entry{e}, anything, kept); !errors.Is(err, store.ErrOutcomeUnknown) {
		t.Fatalf("the answer was lost: %v", err)
	}
	if armed.Load() || count() != 1 {
		t.Fatalf("%d rows after a commit whose answer was lost", count())
	}
	if receipts, err := s.Append(t.Context(), &store.Opened{Unit: u}, []ledger.Entry{e}, anything, kept); err != nil || receipts[0].ID != e.ID || count() != 1 {
		t.Errorf("sent again: %+v, %v, %d rows", receipts, err, count())
	}
}

// One id sent to two units at once is written to one of them; the other is refused.
func TestOneIDForTwoUnits(t *testing.T) {
	units := []store.Unit{unit(t, "A-1"), unit(t, "A-2")}
	for range 10 {
		e := entry("", water(0.05))
		var wg sync.WaitGroup
		all := make([]error, len(units))
		for i, u := range units {
			wg.Go(func() {
				mine := e
				mine.Unit = u.Code
				_, all[i] = write(t, u, mine, anything)
			})
		}
		wg.Wait()
		written := 0
		for _, err := range all {
			if err == nil {
				written++
			} else if !errors.Is(err, store.ErrEntryDiffers) {
				t.Fatalf("one id for two units: %v", err)
			}
		}
		if written != 1 {
			t.Fatalf("written to %d units", written)
		}
	}
}

// folded anew are the accounts of units, as many as were not stored.
func folded(t *testing.T, codes ...string) (accounts map[string]*ledger.Account, anew int) {
	t.Helper()
	var units []store.Unit
	for _, code := range codes {
		units = append(units, unit(t, code))
	}
	accounts, stored, err := app.Accounts(t.Context(), units)
	if err != nil {
		t.Fatal(err)
	}
	return accounts, len(units) - stored
}

// A fact of a unit that is changed later folds its stored account anew, once.
func TestFactsFoldOnce(t *testing.T) {
	db := raw(t, instance.OwnerDSN())
	change := func(statement string) {
		t.Helper()
		if _, err := db.ExecContext(t.Context(), statement); err != nil {
			t.Fatal(err)
		}
	}
	folded(t, "A-1")
	for name, c := range map[string][2]string{
		"capacity": {`UPDATE unit SET capacity_l = 9 WHERE code = 'A-1'`, `UPDATE unit SET capacity_l = 8 WHERE code = 'A-1'`},
		"base":     {`UPDATE unit SET base = 'PG' WHERE code = 'A-1'`, `UPDATE unit SET base = 'EG' WHERE code = 'A-1'`},
		"cap":      {`UPDATE unit SET cap_kpa = 90 WHERE code = 'A-1'`, `UPDATE unit SET cap_kpa = 108 WHERE code = 'A-1'`},
		"metal":    {`UPDATE unit SET metal = 'aluminium' WHERE code = 'A-1'`, `UPDATE unit SET metal = NULL WHERE code = 'A-1'`},
		"premix":   {`UPDATE unit SET premix_only = TRUE WHERE code = 'A-1'`, `UPDATE unit SET premix_only = FALSE WHERE code = 'A-1'`},
		"listed":   {`UPDATE unit SET listed = 'P,C' WHERE code = 'A-1'`, `UPDATE unit SET listed = '' WHERE code = 'A-1'`},
		"figures":  {`UPDATE unit SET figures = '{"nitrite_low": 700}' WHERE code = 'A-1'`, `UPDATE unit SET figures = NULL WHERE code = 'A-1'`},
		"marks":    {`UPDATE unit SET tank_marks_mm = 25 WHERE code = 'A-1'`, `UPDATE unit SET tank_marks_mm = NULL WHERE code = 'A-1'`},
	} {
		for _, statement := range c {
			change(statement)
			accounts, anew := folded(t, "A-1")
			if anew != 1 {
				t.Errorf("%s changed: %d accounts folded anew", name, anew)
			}
			u := unit(t, "A-1")
			entries, err := app.Entries(t.Context(), u)
			if err != nil {
				t.Fatal(err)
			}
			if whole := ledger.Fold(u.Ledger, entries); whole.Charge != accounts["A-1"].Charge || !reflect.DeepEqual(whole.Stops(), accounts["A-1"].Stops()) {
				t.Errorf("%s changed: stored %v, folded %v", name, accounts["A-1"].Charge, whole.Charge)
			}
			if _, anew := folded(t, "A-1"); anew != 0 {
				t.Errorf("%s changed: folded anew on each reading", name)
			}
		}
	}
}

// A database of each schema before opens: its chains hold, its lines are the same, and
// its stored accounts are folded anew once.
func TestUpgrade(t *testing.T) {
	back := map[int][]string{
		19: {`DROP TABLE calendar_feed, plan_agreed, plan_week, plan_change, placement, plan_state, technician`, `DROP TABLE job_parameter, job_event, job`, `DROP INDEX entry_photos ON entry`, `ALTER TABLE entry DROP COLUMN photos`, `DROP INDEX entry_job ON entry`, `ALTER TABLE entry DROP COLUMN job`, `ALTER TABLE unit_status ADD KEY unit_status_basis (site_id, plan_id, basis, cold), DROP INDEX unit_status_cold, DROP COLUMN winter_id, DROP COLUMN cold_offset`,
			`ALTER TABLE planned MODIFY work ENUM('renewal','correction','test','level','cap','hoses','repair','dose','filter','chemistry') NOT NULL`,
			`ALTER TABLE site DROP COLUMN water_hardness, DROP COLUMN water_chloride, DROP COLUMN water_sulphate, DROP COLUMN water_solids`, `ALTER TABLE circuit DROP COLUMN raw_water`,
			`ALTER TABLE unit DROP FOREIGN KEY unit_winter`, `ALTER TABLE unit DROP COLUMN raw_water, DROP COLUMN winter_site_id, DROP COLUMN cold_offset, DROP COLUMN heated`,
			`ALTER TABLE product DROP COLUMN low_conductivity`, `ALTER TABLE plan DROP COLUMN parts`, `DELETE FROM goose_db_version WHERE version_id > 19`},
		18: {`ALTER TABLE planned ADD UNIQUE KEY planned_once (unit_id, work, is_open), DROP INDEX planned_circuit, DROP COLUMN circuit_id`,
			`ALTER TABLE unit DROP COLUMN circuits, DROP COLUMN ended_seq, DROP COLUMN second_meter`, `ALTER TABLE circuit DROP FOREIGN KEY circuit_plan`,
			`ALTER TABLE circuit DROP INDEX circuit_position, DROP COLUMN position, DROP COLUMN plan_id, DROP COLUMN capacity_l, DROP COLUMN base, DROP COLUMN cap_kpa, DROP COLUMN tank_l_per_mm,
			 DROP COLUMN tank_marks_mm, DROP COLUMN wet_liners, DROP COLUMN metal, DROP COLUMN silicate_free, DROP COLUMN premix_only, DROP COLUMN required_technology, DROP COLUMN listed,
			 DROP COLUMN figures, DROP COLUMN ended`,
			`UPDATE account SET rules = 9`, `DELETE FROM goose_db_version WHERE version_id > 18`},
		16: {`UPDATE account SET rules = 8`, `UPDATE unit_status SET clocks = governing`, `ALTER TABLE account DROP COLUMN older`, `DROP INDEX entry_recorded ON entry`, `DELETE FROM goose_db_version WHERE version_id > 16`},
		14: {`DROP INDEX entry_struck ON entry`, `ALTER TABLE entry DROP COLUMN struck`, `DELETE FROM goose_db_version WHERE version_id > 14`},
		11: {`DROP TABLE status_count`, `CREATE INDEX IF NOT EXISTS site_id ON unit (site_id)`, `DROP INDEX unit_site_base ON unit`, `ALTER TABLE audit DROP COLUMN who_id`, `ALTER TABLE product DROP COLUMN id`, `ALTER TABLE additive DROP COLUMN id`, `DROP TABLE instrument`,
			`ALTER TABLE entry DROP FOREIGN KEY entry_circuit, DROP COLUMN version, DROP COLUMN recorded_by_id, DROP COLUMN envelope`,
			`ALTER TABLE account DROP FOREIGN KEY account_circuit`,
			`UPDATE entry e JOIN circuit c ON c.id = e.circuit_id SET e.circuit_id = c.unit_id`, `UPDATE account e JOIN circuit c ON c.id = e.circuit_id SET e.circuit_id = c.unit_id`,
			`ALTER TABLE entry CHANGE circuit_id unit_id BIGINT UNSIGNED NOT NULL, ADD CONSTRAINT entry_ibfk_1 FOREIGN KEY (unit_id) REFERENCES unit (id)`,
			`ALTER TABLE account CHANGE circuit_id unit_id BIGINT UNSIGNED NOT NULL, ADD CONSTRAINT account_ibfk_1 FOREIGN KEY (unit_id) REFERENCES unit (id)`,
			`ALTER TABLE unit ADD COLUMN head_seq BIGINT UNSIGNED NOT NULL DEFAULT 0, ADD COLUMN head_hash BINARY(32) NOT NULL DEFAULT (REPEAT(CHAR(0), 32))`,
			`UPDATE unit u JOIN circuit c ON c.unit_id = u.id SET u.head_seq = c.head_seq, u.head_hash = c.head_hash`, `DROP TABLE circuit`,
			`UPDATE account SET rules = 7`, `DELETE FROM chain_line`, `DELETE FROM chain WHERE name NOT IN ('register', 'audit')`, `UPDATE chain SET seq = 0, hash = REPEAT(CHAR(0), 32)`,
			`DELETE FROM goose_db_version WHERE version_id > 11`},
		8: {`DROP TABLE lease`, `DROP TABLE unit_status`, `DROP TABLE person_reading`, `DELETE FROM goose_db_version WHERE version_id > 8`},
		7: {`DROP TABLE chain_line`, `DROP TABLE chain`, `DELETE FROM goose_db_version WHERE version_id > 7`},
		6: {`ALTER TABLE planned MODIFY work ENUM('renewal','correction','test','level','cap','hoses','repair') NOT NULL`, `DROP TABLE additive`, `DELETE FROM product WHERE base = 'waterless'`,
			`ALTER TABLE unit DROP COLUMN metal, DROP COLUMN drive, DROP COLUMN silicate_free, DROP COLUMN premix_only, DROP COLUMN required_technology,
			 DROP COLUMN listed, DROP COLUMN figures, MODIFY base ENUM('EG','PG') NULL`,
			`ALTER TABLE product DROP COLUMN stated, DROP COLUMN density, DROP COLUMN meets, DROP COLUMN sca, DROP COLUMN named,
			 DROP COLUMN fresh, DROP COLUMN freeze, DROP COLUMN figures, MODIFY base ENUM('EG','PG') NOT NULL`,
			`UPDATE account SET rules = 5`, `DELETE FROM goose_db_version WHERE version_id > 6`},
		5: {`ALTER TABLE planned MODIFY work ENUM('renewal','test','level','cap','hoses','repair') NOT NULL`,
			`ALTER TABLE site_curve DROP COLUMN shift, DROP COLUMN return_level`, `ALTER TABLE site DROP COLUMN zone`,
			`ALTER TABLE unit DROP COLUMN tank_marks_mm`, `ALTER TABLE account DROP COLUMN facts`,
			`DELETE FROM goose_db_version WHERE version_id > 5`},
	}
	if _, err := write(t, unit(t, "A-2"), entry("A-2", fill(8)), anything); err != nil { // says nothing of what came out
		t.Fatal(err)
	}
	lines := func() map[string][]ledger.Entry {
		all := map[string][]ledger.Entry{}
		for _, code := range []string{"A-1", "A-2"} {
			entries, err := app.Entries(t.Context(), unit(t, code))
			if err != nil {
				t.Fatal(err)
			}
			all[code] = entries
		}
		return all
	}
	asVersion1(t)
	if err := app.Forget(t.Context(), "calendar_feed", "plan_agreed", "plan_week", "plan_change", "placement", "technician", "job_parameter", "job_event", "job", "person_reading"); err != nil {
		t.Fatal(err)
	}
	for _, version := range []int{18, 16, 14, 11, 8, 7, 6, 5} {
		before := lines()
		heads, breaks, err := app.Verify(t.Context(), nil)
		if version == 18 {
			// Rows of tables that are dropped below.
			breaks = slices.DeleteFunc(breaks, func(b store.Break) bool { return strings.Contains(b.What, "was removed in line") })
		}
		// The chains of changes begin with the upgrade.
		heads = slices.DeleteFunc(heads, func(h store.Head) bool { return h.Chain != "" })
		if err != nil || len(breaks) > 0 {
			t.Fatalf("before: %v, %v", breaks, err)
		}
		db := raw(t, instance.OwnerDSN())
		for v := 19; v >= version; v-- {
			for _, statement := range back[v] {
				if _, err := db.ExecContext(t.Context(), statement); err != nil {
					t.Fatalf("%s: %v", statement, err)
				}
			}
		}
		if n, err := store.Migrate(t.Context(), instance.OwnerDSN()); err != nil || n != 29-version {
			t.Fatalf("%d steps from %d, %v", n, version, err)
		}
		if after := lines(); !reflect.DeepEqual(after, before) {
			t.Errorf("from %d the lines are not the same", version)
		}
		if _, breaks, err := app.Verify(t.Context(), heads); err != nil || len(breaks) > 0 {
			t.Errorf("from %d the chains: %v, %v", version, breaks, err)
		}
		want := 2
		if _, anew := folded(t, "A-1", "A-2"); anew != want {
			t.Errorf("from %d %d accounts are folded anew, want %d", version, anew, want)
		}
		if _, anew := folded(t, "A-1", "A-2"); anew != 0 {
			t.Errorf("from %d %d accounts are folded anew again", version, anew)
		}
	}
}

// asVersion1 makes the records of all entries what a version before circuits wrote: with the code
// of their unit in the hash, without ids and envelope.
func asVersion1(t *testing.T) {
	t.Helper()
	db := raw(t, instance.OwnerDSN())
	rows, err := db.QueryContext(t.Context(), `
		SELECT u.code, c.id, e.id, e.seq, e.kind, e.happened_at, e.recorded_at, e.recorded_by, e.payload
		FROM entry e JOIN circuit c ON c.id = e.circuit_id JOIN unit u ON u.id = c.unit_id ORDER BY c.id, e.seq`)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	heads := map[int64]ledger.Hash{}
	var all []func() error
	for rows.Next() {
		var r ledger.Record
		var circuit int64
		if err := rows.Scan(&r.Unit, &circuit, &r.ID, &r.Seq, &r.Kind, &r.At, &r.RecordedAt, &r.RecordedBy, &r.Payload); err != nil {
			t.Fatal(err)
		}
		prev := heads[circuit]
		hash := ledger.ChainHash(prev, r)
		heads[circuit] = hash
		all = append(all, func() error {
			if _, err := db.ExecContext(t.Context(), `UPDATE entry SET version = 1, recorded_by_id = NULL, envelope = NULL, hash = ?, prev_hash = ? WHERE id = ?`, hash[:], prev[:], r.ID); err != nil {
				return err
			}
			_, err := db.ExecContext(t.Context(), `UPDATE circuit c JOIN unit u ON u.id = c.unit_id SET c.head_hash = ?, c.code_v1 = u.code WHERE c.id = ?`, hash[:], circuit)
			return err
		})
	}
	if err := rows.Err(); err != nil {
		t.Fatal(err)
	}
	for _, write := range all {
		if err := write(); err != nil {
			t.Fatal(err)
		}
	}
}

// A unit that gets another code keeps its books: records of both versions verify, and heads that
// were kept under the code of before still belong to its entries.
func TestChainsOutliveTheCode(t *testing.T) {
	u := unit(t, "A-1")
	if _, err := write(t, u, entry("A-1", water(0.02)), anything); err != nil {
		t.Fatal(err)
	}
	db := raw(t, instance.OwnerDSN())
	versions := func(code string) (n int) {
		if err := db.QueryRowContext(t.Context(), `
			SELECT COUNT(DISTINCT e.version) FROM entry e JOIN circuit c ON c.id = e.circuit_id JOIN unit u ON u.id = c.unit_id WHERE u.code = ?`, code).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	asVersion1(t)
	if _, err := write(t, u, entry("A-1", water(0.02)), anything); err != nil {
		t.Fatal(err)
	}
	if n := versions("A-1"); n != 2 {
		t.Fatalf("%d versions of records", n)
	}
	before, err := app.Entries(t.Context(), u)
	if err != nil {
		t.Fatal(err)
	}
	heads, breaks, err := app.Verify(t.Context(), nil)
	if err != nil || len(breaks) > 0 {
		t.Fatalf("before: %v, %v", breaks, err)
	}
	for i := range heads {
		if heads[i].Unit == "A-1" && heads[i].Chain == "" {
			heads[i].Circuit = 0 // as a version before circuits kept it
		}
	}
	rename := func(from, to string) {
		t.Helper()
		if err := owner.Rename(t.Context(), store.Actor{Name: "E. Marrow"}, from, to); err != nil {
			t.Fatal(err)
		}
	}
	rename("A-1", "A-100")
	t.Cleanup(func() {
		if err := owner.Rename(context.Background(), store.Actor{Name: "E. Marrow"}, "A-100", "A-1"); err != nil {
			t.Error(err)
		}
	})
	renamed := unit(t, "A-100")
	after, err := app.Entries(t.Context(), renamed)
	for i := range after {
		after[i].Unit = "A-1"
	}
	if err != nil || !reflect.DeepEqual(after, before) {
		t.Errorf("the lines are not the same, %v", err)
	}
	if _, err := write(t, renamed, entry("A-100", water(0.02)), anything); err != nil {
		t.Fatal(err)
	}
	if _, breaks, err := app.Verify(t.Context(), heads); err != nil || len(breaks) > 0 {
		t.Errorf("after: %v, %v", breaks, err)
	}
	if breaks, err := app.VerifyAccounts(t.Context()); err != nil || len(breaks) > 0 {
		t.Errorf("stored accounts after: %v, %v", breaks, err)
	}
}

// What belongs to all kinds is in the hash: the person and the instrument by id, the job and its
// step, attachments and the device.
func TestEnvelopeIsHashed(t *testing.T) {
	u := unit(t, "A-2")
	e := entry("A-2", ledger.FreezeTest{Instrument: ledger.Refractometer, Scale: "EG", Tool: "R-envelope", Value: measure.Reading{Value: -30, Unit: measure.DegC}})
	e.RecordedByID = 42
	e.Envelope = ledger.Envelope{Job: "J-1", Step: "fill", Attachments: []string{strings.Repeat("a", 64)}, Device: "phone 3"}
	receipt, err := write(t, u, e, anything)
	if err != nil {
		t.Fatal(err)
	}
	all, err := app.Entries(t.Context(), u)
	if err != nil {
		t.Fatal(err)
	}
	got := all[len(all)-1]
	if got.Envelope.Instrument == 0 || got.RecordedByID != 42 {
		t.Errorf("read back: %+v", got)
	}
	want := e.Envelope
	want.Instrument = got.Envelope.Instrument
	if !reflect.DeepEqual(got.Envelope, want) {
		t.Errorf("envelope %+v, want %+v", got.Envelope, want)
	}
	second := entry("A-2", ledger.ZeroCheck{Tool: "R-envelope", Zero: measure.Reading{Value: 0, Unit: measure.DegC}})
	if _, err := write(t, u, second, anything); err != nil {
		t.Fatal(err)
	}
	if all, err = app.Entries(t.Context(), u); err != nil || all[len(all)-1].Envelope.Instrument != want.Instrument {
		t.Errorf("the same instrument has another id: %v", err)
	}
	db := raw(t, instance.OwnerDSN())
	for _, change := range []string{`recorded_by_id = 43`, `recorded_by_id = NULL`, `envelope = REPLACE(envelope, 'phone 3', 'phone 4')`, `envelope = NULL`, `version = 1`,
		`envelope = REPLACE(envelope, '"instrument":', '"instrument":1')`} {
		if _, err := db.ExecContext(t.Context(), `CREATE TEMPORARY TABLE kept AS SELECT version, recorded_by_id, envelope FROM entry WHERE id = ?`, e.ID); err != nil {
			t.Fatal(err)
		}
		if _, err := db.ExecContext(t.Context(), `UPDATE entry SET `+change+` WHERE id = ?`, e.ID); err != nil {
			t.Fatal(err)
		}
		_, breaks, err := app.Verify(t.Context(), nil)
		if err != nil || !slices.ContainsFunc(breaks, func(b store.Break) bool { return b.Unit == "A-2" && b.Seq == receipt.Seq && b.ID == e.ID }) {
			t.Errorf("%s was not found: %v, %v", change, breaks, err)
		}
		if _, err := db.ExecContext(t.Context(), `UPDATE entry e JOIN kept k SET e.version = k.version, e.recorded_by_id = k.recorded_by_id, e.envelope = k.envelope WHERE e.id = ?`, e.ID); err != nil {
			t.Fatal(err)
		}
		if _, err := db.ExecContext(t.Context(), `DROP TEMPORARY TABLE kept`); err != nil {
			t.Fatal(err)
		}
	}
	if _, breaks, err := app.Verify(t.Context(), nil); err != nil || len(breaks) > 0 {
		t.Errorf("put back: %v, %v", breaks, err)
	}
}

// What the register says of a product meanwhile makes an entry that is sent again no other one.
func TestSentAgainAfterAChange(t *testing.T) {
	u := unit(t, "B_1")
	e := entry("B_1", fill(8))
	once, err := write(t, u, e, anything)
	if err != nil {
		t.Fatal(err)
	}
	body := e.Body.(ledger.Renewal)
	body.Product.Name, body.Product.ID = "Another name", 99
	e.Body = body
	if twice, err := write(t, u, e, anything); err != nil || !reflect.DeepEqual(once, twice) {
		t.Errorf("sent again after a change of the register: %+v, %v; want %+v", twice, err, once)
	}
	body.Product.Code = "other"
	e.Body = body
	if _, err := write(t, u, e, anything); !errors.Is(err, store.ErrEntryDiffers) {
		t.Errorf("another product: %v", err)
	}
}

// Status rows as a version before packed them are read as unknown until they are evaluated anew, and
// counted so.
func TestStatusOfBefore(t *testing.T) {
	for _, version := range []int{15, 16} {
		statusOfBefore(t, version)
	}
}

func statusOfBefore(t *testing.T, version int) {
	t.Helper()
	db := raw(t, instance.OwnerDSN())
	for _, statement := range []string{
		`INSERT INTO unit_status (unit_id, code, site_id, plan_id, kind, basis, cold, seq, verdict, clock, work, pending, discrepant, governing, clocks)
		 SELECT id, code, site_id, plan_id, kind, REPEAT('b', 16), REPEAT('c', 16), 0, 5, 'age', '', 1, 0, X'A1644B696E6463616765', X'81A1644B696E6463616765' FROM unit
		 ON DUPLICATE KEY UPDATE basis = VALUES(basis), verdict = 5, pending = 1, governing = VALUES(governing), clocks = VALUES(clocks)`,
		`DELETE FROM status_count`,
		`INSERT INTO status_count SELECT basis, verdict, COUNT(*) FROM unit_status GROUP BY basis, verdict`,
		`INSERT INTO status_count SELECT basis, 'pending', COUNT(*) FROM unit_status GROUP BY basis`,
		fmt.Sprintf(`DELETE FROM goose_db_version WHERE version_id > %d`, version),
	} {
		if _, err := db.ExecContext(t.Context(), statement); err != nil {
			t.Fatalf("%s: %v", statement, err)
		}
	}
	if n, err := store.Migrate(t.Context(), instance.OwnerDSN()); err != nil || n != 29-version {
		t.Fatalf("%d steps, %v", n, err)
	}
	for _, clocks := range []bool{false, true} {
		rows, err := app.Statuses(t.Context(), store.StatusFilter{Clocks: clocks})
		if err != nil || len(rows) == 0 {
			t.Fatalf("%d rows, %v", len(rows), err)
		}
		for _, r := range rows {
			if r.Verdict != core.Unknown || r.Governing.Verdict != core.Unknown {
				t.Errorf("%s is %s, its clock %s", r.Code, r.Verdict, r.Governing.Verdict)
			}
		}
		counts, err := app.StatusCounts(t.Context(), store.StatusFilter{})
		if err != nil || counts.ByVerdict[core.Unknown] != len(rows) || counts.Total() != len(rows) || counts.Pending != len(rows) {
			t.Errorf("%d rows are counted as %+v, %v", len(rows), counts, err)
		}
	}
	if differed, err := app.CountStatuses(t.Context()); err != nil || differed {
		t.Errorf("the counts differ from the rows: %v, %v", differed, err)
	}
}
