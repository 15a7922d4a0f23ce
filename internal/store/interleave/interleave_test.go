// Package interleave_test runs operations of the plan two at a time, and lets one of them wait before each of its statements while the
// other goes on: what comes of them is what one after the other gives.
package interleave_test

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"

	"diligentledger/core/access"
	"diligentledger/core/climate"
	"diligentledger/core/coolant"
	"diligentledger/core/measure"
	"diligentledger/core/register"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/db"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/mariadb/mariadbtest"
	"diligentledger/internal/store"
)

// waits is how long a statement may take before it is taken to wait for a lock of the other operation. On a busy machine one that is
// merely slow is taken for waiting, too: that is another interleaving, and no failure.
const waits = 40 * time.Millisecond

var (
	today      = measure.NewDate(2026, time.November, 24)
	app, owner *store.Store
	gates      [2]*gate
	stores     [2]*store.Store
	people     = [2]store.Actor{{ID: 1, Name: "A", Role: access.Coordinator}, {ID: 2, Name: "B", Role: access.Coordinator}}
)

// gate is passed before each packet to the database while it is shut.
type gate struct {
	shut atomic.Pointer[shutGate] // nil: open
}

type shutGate struct {
	ask, pass chan struct{}
	opened    chan struct{} // closed when the gate opens
}

type gated struct {
	net.Conn
	gate *gate
}

func (c gated) Write(b []byte) (int, error) {
	if g := c.gate.shut.Load(); g != nil {
		select {
		case g.ask <- struct{}{}:
			select {
			case <-g.pass:
			case <-g.opened:
			}
		case <-g.opened:
		}
	}
	return c.Conn.Write(b)
}

func now() time.Time { return time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC) }

func TestMain(m *testing.M) {
	mariadbtest.Main(m, func(i *mariadb.Instance) {
		var err1, err2 error
		app, err1 = store.OpenPatient(i.AppDSN(), now)
		owner, err2 = store.OpenPatient(i.OwnerDSN(), now)
		if err := errors.Join(err1, err2, owner.Load(context.Background(), fleet())); err != nil {
			panic(err)
		}
		for n := range gates {
			g := &gate{}
			name := fmt.Sprint("gate", n)
			db.RegisterNetwork(name, func(ctx context.Context, address string) (net.Conn, error) {
				var d net.Dialer
				c, err := d.DialContext(ctx, "tcp", address)
				return gated{c, g}, err
			})
			gates[n] = g
			config, err := mysql.ParseDSN(i.AppDSN())
			if err != nil {
				panic(err)
			}
			config.Net = name
			if stores[n], err = store.OpenPatient(config.FormatDSN(), now); err != nil {
				panic(err)
			}
		}
	})
}

func fleet() store.LoadedFleet {
	f := store.LoadedFleet{Name: "interleaved", Sites: []store.LoadedSite{{Name: "Yard", Cold: climate.MonthlyCurve{}}},
		Plans: []serviceplan.Plan{{Name: "Plan", Later: serviceplan.Interval{Months: 36}, FreezeMargin: 3, Replaced: 0.6, Strategy: serviceplan.FixedInterval}}}
	for n := range lines + 1 {
		f.Units = append(f.Units, store.LoadedUnit{UnitName: store.UnitName{Code: fmt.Sprint("U-", n), Name: "unit", Kind: "car", Site: "Yard"}, Plan: "Plan", Capacity: 8, Base: coolant.EG, Meter: measure.Km})
	}
	return f
}

// lines of the work list: 0 is placed by A, 1 by B, 2 in the agreed week, 3 was moved by A who undid it, 4 has no place.
const lines = 5

// world is the state from which each pair of operations begins.
type world struct {
	line       []int64
	technician int64
	revision   int64
	week       measure.Date // open, with lines 0, 1, 3
	agreed     measure.Date // with line 2
	at         []*store.Placement
}

func (w *world) place(line, day int) *store.Placement {
	return &store.Placement{Planned: w.line[line], Day: w.week.AddDays(day), Bay: store.BayName{SiteID: 1, Kind: "car", Number: 1}, Technician: w.technician}
}

func begin(t *testing.T) *world {
	t.Helper()
	ctx := t.Context()
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	w := &world{week: store.Monday(today), at: make([]*store.Placement, lines)}
	w.agreed = w.week.AddDays(7)
	ids, err := app.AddRecords(ctx, people[0], register.Technician, []register.Facts{{"name": "T. Quayle", "site": "Yard"}})
	must(err)
	w.technician = ids[0]
	for n := range lines {
		u, err := app.Unit(ctx, fmt.Sprint("U-", n))
		must(err)
		sent, _, err := app.AddWork(ctx, people[0], []store.NewWork{{Unit: u, Work: "renewal", From: today, To: today.AddDays(7)}})
		must(err)
		w.line = append(w.line, sent[0])
	}
	put := func(by store.Actor, line int, is *store.Placement) {
		t.Helper()
		must(app.Place(ctx, by, "moved", []store.PlacementChange{{Planned: w.line[line], Was: w.at[line], Is: is}}, store.AnyRevision))
		w.at[line] = is
	}
	put(people[0], 2, w.place(2, 8))
	w.revision, err = app.PlanRevision(ctx)
	must(err)
	must(app.AgreeWeek(ctx, people[0], w.agreed, w.revision))
	put(people[0], 3, w.place(3, 1))
	put(people[0], 0, w.place(0, 1))
	put(people[1], 1, w.place(1, 2))
	put(people[0], 3, w.place(3, 3))
	must(app.UndoPlan(ctx, people[0], false))
	w.at[3] = w.place(3, 1)
	w.revision, err = app.PlanRevision(ctx)
	must(err)
	return w
}

// operation of the plan by somebody.
type operation struct {
	name string
	do   func(ctx context.Context, s *store.Store, by store.Actor) error
}

func operations(t *testing.T, w *world) []operation {
	move := func(line int, is *store.Placement, revision int64) func(context.Context, *store.Store, store.Actor) error {
		return func(ctx context.Context, s *store.Store, by store.Actor) error {
			return s.Place(ctx, by, "moved", []store.PlacementChange{{Planned: w.line[line], Was: w.at[line], Is: is}}, revision)
		}
	}
	pinned := *w.at[1]
	pinned.Pinned = true
	u, err := app.Unit(t.Context(), fmt.Sprint("U-", lines))
	if err != nil {
		t.Fatal(err)
	}
	return []operation{
		{"move 0", move(0, w.place(0, 4), store.AnyRevision)},
		{"move 0 by its revision", move(0, w.place(0, 3), w.revision)},
		{"move 0 into the agreed week", move(0, w.place(0, 9), store.AnyRevision)},
		{"move 2 out of the agreed week", move(2, w.place(2, 4), store.AnyRevision)},
		{"place 4", move(4, w.place(4, 0), store.AnyRevision)},
		{"take off 0", move(0, nil, store.AnyRevision)},
		{"pin 1", move(1, &pinned, store.AnyRevision)},
		{"undo", func(ctx context.Context, s *store.Store, by store.Actor) error { return s.UndoPlan(ctx, by, false) }},
		{"redo", func(ctx context.Context, s *store.Store, by store.Actor) error { return s.UndoPlan(ctx, by, true) }},
		{"agree", func(ctx context.Context, s *store.Store, by store.Actor) error {
			return s.AgreeWeek(ctx, by, w.week, w.revision)
		}},
		{"unlock", func(ctx context.Context, s *store.Store, by store.Actor) error {
			return s.UnlockWeek(ctx, by, w.agreed)
		}},
		{"remove 0", func(ctx context.Context, s *store.Store, by store.Actor) error {
			return s.RemoveWork(ctx, by, []int64{w.line[0]})
		}},
		{"reschedule 1", func(ctx context.Context, s *store.Store, by store.Actor) error {
			return s.RescheduleWork(ctx, by, w.line[1], today.AddDays(2), today.AddDays(20))
		}},
		{"add work", func(ctx context.Context, s *store.Store, by store.Actor) error {
			_, _, err := s.AddWork(ctx, by, []store.NewWork{{Unit: u, Work: "renewal", From: today, To: today.AddDays(3)}})
			return err
		}},
		{"done", func(ctx context.Context, s *store.Store, by store.Actor) error {
			return s.DoneAsAgreed(ctx, map[int64]*measure.Date{w.line[2]: &today})
		}},
	}
}

// tables that an operation writes.
var tables = []string{"planned", "placement", "plan_change", "plan_week", "plan_agreed", "plan_state", "audit", "chain", "chain_line"}

// kept copies of the tables; back puts them in place again.
func kept(t *testing.T) (back func()) {
	t.Helper()
	conn, err := owner.DB().Conn(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { conn.Close() })
	exec := func(statement string) {
		t.Helper()
		if _, err := conn.ExecContext(t.Context(), statement); err != nil {
			t.Fatalf("%s: %v", statement, err)
		}
	}
	exec(`SET foreign_key_checks = 0`)
	columns := map[string]string{}
	for _, table := range tables {
		var list string
		if err := conn.QueryRowContext(t.Context(), `SELECT GROUP_CONCAT(CONCAT('`+"`"+`', column_name, '`+"`"+`') ORDER BY ordinal_position) FROM information_schema.columns
			WHERE table_schema = DATABASE() AND table_name = ? AND is_generated = 'NEVER'`, table).Scan(&list); err != nil {
			t.Fatal(err)
		}
		columns[table] = list
		exec(`CREATE TABLE kept_` + table + ` AS SELECT ` + list + ` FROM ` + table)
	}
	return func() {
		t.Helper()
		exec(`BEGIN`)
		for _, table := range tables {
			exec(`DELETE FROM ` + table)
			exec(`INSERT INTO ` + table + ` (` + columns[table] + `) SELECT ` + columns[table] + ` FROM kept_` + table)
		}
		exec(`COMMIT`)
	}
}

// state of the plan, without what the clock and the counters of rows make of it.
func state(t *testing.T) string {
	t.Helper()
	var b strings.Builder
	for _, query := range []string{
		`SELECT CONCAT_WS(' ', 'line', unit_id, work, from_day, to_day, closed_at IS NULL, COALESCE(closed_by, '')) FROM planned ORDER BY unit_id, id`,
		`SELECT CONCAT_WS(' ', 'place', l.unit_id, COALESCE(p.day, 'none'), COALESCE(p.technician_id, 0), p.pinned, p.sequence, p.who) FROM placement p JOIN planned l ON l.id = p.planned_id ORDER BY l.unit_id, l.id`,
		`SELECT CONCAT_WS(' ', 'change', who, what, undone, COUNT(*)) FROM plan_change GROUP BY who, what, undone ORDER BY who, what, undone`,
		`SELECT CONCAT_WS(' ', 'week', monday, who) FROM plan_week ORDER BY monday`,
		`SELECT CONCAT_WS(' ', 'agreed', a.monday, l.unit_id, a.day, COALESCE(a.done_on, '')) FROM plan_agreed a JOIN planned l ON l.id = a.planned_id ORDER BY a.monday, l.unit_id`,
		`SELECT CONCAT_WS(' ', 'revision', revision) FROM plan_state`,
		`SELECT CONCAT_WS(' ', 'audit', who, what, COUNT(*)) FROM audit GROUP BY who, what ORDER BY who, what`,
	} {
		rows, err := owner.DB().QueryContext(t.Context(), query)
		if err != nil {
			t.Fatal(err)
		}
		for rows.Next() {
			var line string
			if err := rows.Scan(&line); err != nil {
				t.Fatal(err)
			}
			b.WriteString(line + "\n")
		}
		if err := errors.Join(rows.Err(), rows.Close()); err != nil {
			t.Fatal(err)
		}
	}
	return b.String()
}

// outcome of an operation: what kind of refusal, without names and days.
func outcome(err error) string {
	for _, known := range []error{store.ErrPlanChanged, store.ErrOtherRevision, store.ErrWeekAgreed, store.ErrNothingToUndo, store.ErrNothingToRedo, store.ErrNoWorkItem} {
		if errors.Is(err, known) {
			return known.Error()
		}
	}
	return fmt.Sprint(err)
}

// interleaved runs the first operation up to a packet, then the second until it ends or waits for the first, then both to their ends.
// The number of packets of the first is what it asked for.
func interleaved(t *testing.T, pair [2]operation, upTo int) (out [2]string, packets int) {
	t.Helper()
	var ended [2]chan error
	var shut [2]*shutGate
	for n, op := range pair {
		ended[n] = make(chan error, 1)
		shut[n] = &shutGate{make(chan struct{}), make(chan struct{}), make(chan struct{})}
		gates[n].shut.Store(shut[n])
		go func() { ended[n] <- op.do(t.Context(), stores[n], people[n]) }()
	}
	done := [2]bool{}
	// step lets an operation send one packet; false when it ended, or waits for the other.
	step := func(n int, patience time.Duration) bool {
		if done[n] {
			return false
		}
		select {
		case <-shut[n].ask:
			shut[n].pass <- struct{}{}
			return true
		case err := <-ended[n]:
			out[n], done[n] = outcome(err), true
			return false
		case <-time.After(patience):
			return false
		}
	}
	for packets < upTo && step(0, 10*time.Second) {
		packets++
	}
	for step(1, waits) {
	}
	for turns := 0; !done[0] || !done[1]; turns++ {
		if turns > 2000 {
			t.Fatalf("%s up to its packet %d beside %s comes to no end: %v", pair[0].name, upTo, pair[1].name, done)
		}
		for step(0, waits) {
			packets++
		}
		for step(1, waits) {
		}
	}
	for n := range gates {
		gates[n].shut.Store(nil)
		close(shut[n].opened)
	}
	return out, packets
}

// every in the environment runs each interleaving, where a test takes some of each pair.
const everyVariable = "DILIGENT_TEST_EVERY"

// Two operations of the plan beside one another, one of them waiting before each of its packets: what they answer and what is left is
// what they answer and leave one after the other, in one of the two orders.
func TestPlanInterleaved(t *testing.T) {
	w := begin(t)
	back := kept(t)
	all := operations(t, w)
	stride := 23
	if os.Getenv(everyVariable) != "" {
		stride = 1
	}
	runs := 0
	for i, first := range all {
		for j, second := range all {
			pair := [2]operation{first, second}
			var serial []string
			for _, order := range [][2]int{{0, 1}, {1, 0}} {
				var out [2]string
				for _, n := range order {
					out[n] = outcome(pair[n].do(t.Context(), app, people[n]))
				}
				serial = append(serial, strings.Join(out[:], " | ")+"\n"+state(t))
				back()
			}
			least := 1000
			for upTo, packets := 1+(i+j)%stride, 1000; upTo < packets; upTo += stride {
				var out [2]string
				out, packets = interleaved(t, pair, upTo)
				if got := strings.Join(out[:], " | ") + "\n" + state(t); !slices.Contains(serial, got) {
					t.Errorf("%s up to its packet %d, then %s:\n%s\none after the other:\n%s\nor\n%s", first.name, upTo, second.name, got, serial[0], serial[1])
				}
				if runs%20 == 0 {
					if _, breaks, err := app.Verify(t.Context(), nil); err != nil || len(breaks) > 0 {
						t.Errorf("%s up to its packet %d, then %s: %v %v", first.name, upTo, second.name, breaks, err)
					}
				}
				least = min(least, packets)
				runs++
				back()
			}
			if least < 3 {
				t.Errorf("%s sent %d packets: the gate is open", first.name, least)
			}
			if t.Failed() {
				return
			}
		}
	}
	t.Logf("%d interleavings of %d operations", runs, len(all))
}

// A fact of a type changes while a unit is assigned to the type: the unit has the changed fact, in each interleaving.
func TestTypeInterleaved(t *testing.T) {
	ctx := t.Context()
	save := func(of register.Record, key string, change register.Facts) func(context.Context, *store.Store, store.Actor) error {
		r, err := app.Record(ctx, of, key)
		if err != nil {
			t.Fatal(err)
		}
		return func(ctx context.Context, s *store.Store, by store.Actor) error {
			_, err := s.SaveRecord(ctx, by, store.RecordSave{Of: of, Key: key, Revision: r.Revision(), Change: change})
			return err
		}
	}
	n := 0
	for _, first := range []int{0, 1} {
		for upTo, packets := 1+5*first, 1000; upTo < packets; upTo += 13 {
			n++
			name := fmt.Sprint("Shared ", n)
			types, err := app.AddRecords(ctx, people[0], register.Type, []register.Facts{{"name": name, "kind": "car", "capacity": "12 L"}})
			if err != nil {
				t.Fatal(err)
			}
			code, litres := fmt.Sprint("T-", n), fmt.Sprint(4+n%5, " L")
			if _, err := app.AddRecords(ctx, people[0], register.Unit, []register.Facts{{"code": code, "name": "joins", "kind": "car", "site": "Yard", "plan": "Plan", "base": "EG", "meter": "km", "capacity": "9 L"}}); err != nil {
				t.Fatal(err)
			}
			pair := [2]operation{{"change the type", save(register.Type, fmt.Sprint(types[0]), register.Facts{"capacity": litres})}, {"join the type", save(register.Unit, code, register.Facts{"type": name, "capacity": ""})}}
			if first == 1 {
				pair[0], pair[1] = pair[1], pair[0]
			}
			var out [2]string
			out, packets = interleaved(t, pair, upTo)
			if out != [2]string{"<nil>", "<nil>"} {
				t.Fatalf("%s up to its packet %d: %v", pair[0].name, upTo, out)
			}
			u, err := app.Unit(ctx, code)
			if err != nil {
				t.Fatal(err)
			}
			if got := fmt.Sprint(float64(u.Ledger.Capacity), " L"); got != litres {
				t.Errorf("%s up to its packet %d: the unit has %s, its type %s", pair[0].name, upTo, got, litres)
			}
		}
	}
	if _, breaks, err := app.Verify(ctx, nil); err != nil || len(breaks) > 0 {
		t.Errorf("%v %v", breaks, err)
	}
	t.Logf("%d interleavings", n)
}
