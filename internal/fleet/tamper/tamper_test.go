// Package tamper_test changes each column of each table past the program, and looks whether verify finds it.
package tamper_test

import (
	"cmp"
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/access"
	"diligentledger/core/climate"
	"diligentledger/core/job"
	"diligentledger/core/measure"
	"diligentledger/core/register"
	"diligentledger/internal/demo"
	"diligentledger/internal/fleet"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/mariadb/mariadbtest"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

var (
	noon       = time.Date(2026, 11, 24, 11, 0, 0, 0, time.UTC)
	app, owner *store.Store
	program    *fleet.Fleet
)

func clock() func() time.Time {
	began := time.Now()
	return func() time.Time { return noon.Add(time.Since(began)) }
}

func TestMain(m *testing.M) {
	mariadbtest.Main(m, func(i *mariadb.Instance) {
		now := clock()
		var err1, err2 error
		owner, err1 = store.OpenPatient(i.OwnerDSN(), now)
		app, err2 = store.OpenPatient(i.AppDSN(), now)
		if err := errors.Join(err1, err2); err != nil {
			panic(err)
		}
		f := demo.Fleet(noon)
		// One unit with two circuits, and few others: every change is followed by a whole verify.
		f.Units = slices.DeleteFunc(f.Units, func(u store.LoadedUnit) bool {
			return !slices.Contains([]string{"CA-01", "CA-02"}, u.Code)
		})
		f.Planned = slices.DeleteFunc(f.Planned, func(w store.LoadedWork) bool {
			return !slices.ContainsFunc(f.Units, func(u store.LoadedUnit) bool { return u.Code == w.Unit })
		})
		if err := owner.Load(context.Background(), f); err != nil {
			panic(err)
		}
		program = fleet.New(app, now)
	})
}

var boss = store.Actor{ID: 1, Name: "E. Marrow", Address: "127.0.0.1", Role: access.Coordinator}

// everyTable gets a row, through the program.
func everyTable(t *testing.T) {
	t.Helper()
	ctx := t.Context()
	must := func(what string, err error) {
		t.Helper()
		if err != nil {
			t.Fatalf("%s: %v", what, err)
		}
	}
	person, err := app.AddPerson(ctx, store.Person{Name: boss.Name, Email: "marrow@example.org", Role: access.Coordinator, Password: "hash"})
	must("person", err)
	by := boss
	by.ID = person
	must("units", app.SetReader(ctx, person, words.Metric))
	must("audit", app.Audit(ctx, store.Audited{Who: by.Name, Address: "127.0.0.1", What: "signed_in"}))
	must("zone", app.SetZone(ctx, by, time.UTC))
	_, _, err = app.AddToken(ctx, by, "yard", access.Coordinator, "change", measure.DateOf(noon, time.UTC).AddDays(30))
	must("token", err)
	_, err = app.AddRecords(ctx, by, register.Technician, []register.Facts{{"name": "A. Newcomer", "site": "Inland depot"}})
	must("technician", err)
	_, err = app.AddRecords(ctx, by, register.Unit, []register.Facts{{"code": "ZZ-01", "name": "own", "kind": "car", "site": "Inland depot", "plan": "Pool car", "capacity": "8 L", "base": "EG", "meter": "km"}})
	must("unit", err)
	r, err := program.Record(ctx, register.Unit, "ZZ-01")
	must("record", err)
	_, err = app.SaveRecord(ctx, by, store.RecordSave{Of: register.Unit, Key: "ZZ-01", Revision: r.Revision(), Change: register.Facts{"capacity": "9 L"}})
	must("facts", err)
	unit, err := app.Unit(ctx, "ZZ-01")
	must("unit", err)
	must("parameter", app.SetJobParameter(ctx, by, r.ID, "ZZ-01", store.JobParameter{OfUnit: true, Code: "cooling", Value: new(5.0), Why: "manual"}))
	must("photo", app.AddAttachment(ctx, by, store.Attachment{SHA256: sha256.Sum256([]byte("photo")), Media: "image/jpeg", Content: []byte("photo")}))
	must("round", app.SaveRound(ctx, store.Round{ID: uuid.Must(uuid.NewV7()).String(), Person: person, Who: by.Name, Title: "yard", Device: "phone", StartedAt: noon, Revision: 1,
		Stops: []store.RoundStop{{Unit: "CA-01", State: store.StopWaiting}}}))
	_, err = app.AddFeed(ctx, by, store.CalendarFeed{Of: "technician", Target: "1"}, "secret")
	must("calendar", err)
	// Weather.
	sites, err := app.SiteFacts(ctx)
	must("sites", err)
	day := measure.DateOf(noon, time.UTC)
	must("forecast", app.SetForecast(ctx, sites[0].ID, []climate.Minimum{{Day: day, Celsius: -3}, {Day: day.AddDays(1), Celsius: -4}}))
	var nights []climate.Minimum
	for n := range 4 * 366 {
		nights = append(nights, climate.Minimum{Day: day.AddDays(-n), Celsius: measure.Celsius(10 - n%30)})
	}
	must("nights", app.AddNights(ctx, sites[0].ID, nights))
	// The plan.
	lines, _, err := app.AddWork(ctx, by, []store.NewWork{{Unit: unit, Work: "test", From: day, To: day.AddDays(7)}})
	must("work list", err)
	must("placed", app.Place(ctx, by, "move", []store.PlacementChange{{Planned: lines[0], Is: &store.Placement{Planned: lines[0], Day: day, Bay: store.BayName{SiteID: sites[0].ID, Kind: "car", Number: 1},
		Technician: 1, Pinned: true}}}, store.AnyRevision))
	revision, err := app.PlanRevision(ctx)
	must("plan", err)
	must("agreed", app.AgreeWeek(ctx, by, store.Monday(day), revision))
	must("done", app.DoneAsAgreed(ctx, map[int64]*measure.Date{lines[0]: &day}))
	// A job under way, and an import.
	who := fleet.Actor{ID: person, Name: by.Name, Role: access.Coordinator}
	id := uuid.Must(uuid.NewV7()).String()
	j, err := program.StartJob(ctx, who, fleet.JobWanted{ID: id, Unit: "CA-01", Kind: job.DrainFill})
	must("job", err)
	open := job.Open(j.Setup, nil, noon)
	must("step", program.AddJobEvents(ctx, who, id, []job.Event{{ID: uuid.Must(uuid.NewV7()).String(), At: noon, Type: job.Answered, Step: open.Next,
		Values: job.NewSimulator(j.Setup).Answer(*open.Step(open.Next))}}))
	run, err := program.Upload(ctx, by, "own.csv", []byte("unit;odometer;date\nZZ-01;20000 km;2026-11-01\n"), words.Metric)
	must("upload", err)
	i, _, err := program.ImportOf(ctx, run)
	must("import", err)
	must("check", program.CheckImport(ctx, by, run, i.Columns, i.Options))
	worked(t)
	must("run", program.RunImport(ctx, by, run))
	worked(t)
	if i, _, err = program.ImportOf(ctx, run); err != nil || i.State != store.ImportDone {
		t.Fatalf("the import is %s: %s, %v", i.State, i.Error, err)
	}
	_, err = program.RefreshStatus(ctx)
	must("status", err)
}

func worked(t *testing.T) {
	t.Helper()
	for {
		if more, err := program.WorkOnImport(t.Context()); err != nil {
			t.Fatal(err)
		} else if !more {
			return
		}
	}
}

// said is the first thing that verify finds; empty when everything holds.
func said(t *testing.T) string {
	t.Helper()
	_, breaks, err := app.Verify(t.Context(), nil)
	if err == nil && len(breaks) == 0 {
		breaks, err = app.VerifyAccounts(t.Context())
	}
	if err == nil && len(breaks) == 0 {
		breaks, err = program.VerifyStatuses(t.Context())
	}
	if err != nil {
		return "error: " + err.Error()
	}
	if len(breaks) > 0 {
		return breaks[0].String()
	}
	return ""
}

// unseen tables and columns, with why nobody has to see a change of them.
var unseen = map[string]string{
	"goose_db_version": "the version of the tables: a wrong one is another schema, which the program refuses or migrates",
	"lease":            "which node does what nobody asked for; it ends within a minute",
	"sessions":         "who is signed in; what a session does is recorded under its person",
	"throttle":         "waits after wrong passwords",
	"one_time_link":    "invitations and new passwords: used up or ended within days, and the sign-in and the new password are in the audit and in the register",
	"import_part":      "a file that waits for its import, whose dry run a person looks at, and the rows that were not taken",
	"import_heading":   "what a heading was taken for last: a proposal that a person looks at with each file",
	"plan_state":       "a counter by which devices see that the plan changed",

	"import_run.done":        "how far it is, for the bar",
	"import_run.total":       "how far it is, for the bar",
	"person.epoch":           "sessions of before end with another one; they can be ended, not begun",
	"api_token.last_used_at": "information",
	"api_token.last_result":  "information",
	"circuit.code_v1":        "only records of version 1 are hashed with it, and there the chain breaks",
	"unit_status.basis":      "a row of another basis is read as unknown and evaluated anew",
	"unit_status.cold":       "as the basis",
	"account.circuit_id":     "an account of another circuit has other facts and is not used",
	"account removed":        "an account that is not there is folded anew",
	"account.replaced":       "nothing reads it: it is among the facts",
	"account.seq":            "an account of other lines is not used: it is folded anew",
	"account.rules":          "as the lines",
	"account.facts":          "as the lines",
}

// facts of the installation that no chain holds, with why.
var otherFacts = map[string]string{
	"cold":        "a counter by which a copy of curves and forecasts is known to be old",
	"device_key":  "the key of the cookies by which a known device has its own waits after wrong passwords, and of what a device keeps sealed: with another one it stays sealed there",
	"last_heads":  "the last file of heads: verify holds it against the files",
	"clock_ahead": "the books are of a test of another day, and of no fleet",
}

// rowOf a table that is changed, where it is not the first.
var rowOf = map[string]string{"installation": "name = 'zone'"}

type column struct{ table, name, data, full, key string }

// other is an expression for another value of a column; c is the column of the row.
func (k column) other() string {
	c := "k.`" + k.name + "`"
	switch {
	case k.data == "enum":
		members := strings.Split(strings.TrimSuffix(strings.TrimPrefix(k.full, "enum("), ")"), ",")
		if len(members) == 1 {
			return "NULL"
		}
		return fmt.Sprintf("IF(%s <=> %s, %s, %s)", c, members[0], members[1], members[0])
	case k.data == "int", k.data == "bigint":
		return fmt.Sprintf("COALESCE(%s, 0) + 1000000", c)
	case k.full == "tinyint(1)":
		return fmt.Sprintf("1 - COALESCE(%s, 0)", c)
	case strings.HasSuffix(k.data, "int"):
		return fmt.Sprintf("COALESCE(%s, 0) + 100", c)
	case k.data == "double":
		return fmt.Sprintf("COALESCE(%s, 0) + 0.5", c)
	case k.data == "date", k.data == "datetime", k.data == "timestamp":
		return fmt.Sprintf("COALESCE(%s, '2020-01-01') + INTERVAL 40 YEAR", c)
	case k.data == "binary":
		return fmt.Sprintf("CONCAT(CHAR(ASCII(%s) ^ 1), SUBSTRING(%[1]s, 2))", c)
	case strings.HasSuffix(k.data, "blob"), strings.HasSuffix(k.data, "text"):
		return fmt.Sprintf("CONCAT(COALESCE(%s, '{}'), ' ')", c)
	}
	return fmt.Sprintf("CONCAT(IF(LEFT(COALESCE(%s, ''), 1) = 'x', 'y', 'x'), SUBSTRING(COALESCE(%[1]s, ''), 2))", c)
}

// Whatever column of whatever table somebody changes past the program, and whatever row they take away, verify says so; what may go
// unseen is listed with why. The tables are the database's own, so that a new one is in this test from its first day.
func TestVerifySeesEveryColumn(t *testing.T) {
	everyTable(t)
	if what := said(t); what != "" {
		t.Fatalf("before: %s", what)
	}
	db, err := owner.DB().Conn(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	exec := func(statement string, args ...any) int64 {
		t.Helper()
		res, err := db.ExecContext(t.Context(), statement, args...)
		if err != nil {
			t.Fatalf("%s: %v", statement, err)
		}
		n, err := res.RowsAffected()
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	exec(`SET foreign_key_checks = 0, check_constraint_checks = 0, unique_checks = 0`)
	tables, order := columnsOf(t, db)
	used := map[string]bool{}
	allowed := func(name string) bool {
		why := unseen[name]
		used[name] = true
		return why != ""
	}
	for _, table := range order {
		if allowed(table) {
			continue
		}
		columns := tables[table]
		var names, keys []string
		for _, c := range columns {
			names = append(names, "`"+c.name+"`")
			if c.key == "PRI" {
				keys = append(keys, c.name)
			}
		}
		exec(`DROP TABLE IF EXISTS tampered`)
		where := cmp.Or(rowOf[table], "1 = 1")
		exec("CREATE TABLE tampered AS SELECT " + strings.Join(names, ", ") + " FROM `" + table + "` WHERE " + where + " ORDER BY " + strings.Join(keys, ", ") + ` LIMIT 1`)
		var rows int
		if err := db.QueryRowContext(t.Context(), `SELECT COUNT(*) FROM tampered`).Scan(&rows); err != nil || rows != 1 {
			t.Errorf("%s has no row to change: %v", table, err)
			continue
		}
		for _, c := range columns {
			if allowed(table + "." + c.name) {
				continue
			}
			var same, changed []string
			for _, key := range keys {
				same = append(same, fmt.Sprintf("t.`%s` <=> k.`%[1]s`", key))
				if key == c.name {
					changed = append(changed, fmt.Sprintf("t.`%s` <=> %s", key, c.other()))
				} else {
					changed = append(changed, same[len(same)-1])
				}
			}
			join := "UPDATE `" + table + "` t JOIN tampered k ON "
			if n := exec(join + strings.Join(same, " AND ") + " SET t.`" + c.name + "` = " + c.other()); n == 0 {
				t.Errorf("%s.%s was not changed", table, c.name)
				continue
			}
			if said(t) == "" {
				t.Errorf("%s.%s was changed, and verify says that everything holds", table, c.name)
			}
			if n := exec(join + strings.Join(changed, " AND ") + " SET t.`" + c.name + "` = k.`" + c.name + "`"); n == 0 {
				t.Fatalf("%s.%s was not put back", table, c.name)
			}
		}
		var same []string
		for _, key := range keys {
			same = append(same, fmt.Sprintf("t.`%s` <=> k.`%[1]s`", key))
		}
		if !allowed(table + " removed") {
			exec("DELETE t FROM `" + table + "` t JOIN tampered k ON " + strings.Join(same, " AND "))
			if said(t) == "" {
				t.Errorf("a row of %s was taken away, and verify says that everything holds", table)
			}
			exec("INSERT INTO `" + table + "` (" + strings.Join(names, ", ") + ") SELECT " + strings.Join(names, ", ") + " FROM tampered")
		}
		if what := said(t); what != "" {
			t.Fatalf("%s put back: %s", table, what)
		}
	}
	rows, err := db.QueryContext(t.Context(), `SELECT name FROM installation WHERE name NOT IN ('zone', 'fleet', 'fleet_name', 'reading')`)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	for rows.Next() {
		var name string
		if err := rows.Scan(&name); err != nil || otherFacts[name] == "" {
			t.Errorf("no chain holds the fact %s of the installation, and nothing says why: %v", name, err)
		}
	}
	for name := range unseen {
		if !used[name] {
			t.Errorf("%s may go unseen, and is not there", name)
		}
	}
}

// columnsOf each table that are not computed from others, and the tables in the order of their names.
func columnsOf(t *testing.T, db *sql.Conn) (tables map[string][]column, order []string) {
	t.Helper()
	rows, err := db.QueryContext(t.Context(), `
		SELECT c.table_name, c.column_name, c.data_type, c.column_type, c.column_key FROM information_schema.columns c
		JOIN information_schema.tables t ON t.table_schema = c.table_schema AND t.table_name = c.table_name AND t.table_type = 'BASE TABLE'
		WHERE c.table_schema = DATABASE() AND c.is_generated = 'NEVER' ORDER BY c.table_name, c.ordinal_position`)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	tables = map[string][]column{}
	for rows.Next() {
		var c column
		if err := rows.Scan(&c.table, &c.name, &c.data, &c.full, &c.key); err != nil {
			t.Fatal(err)
		}
		if tables[c.table] == nil {
			order = append(order, c.table)
		}
		tables[c.table] = append(tables[c.table], c)
	}
	if err := rows.Err(); err != nil {
		t.Fatal(err)
	}
	return tables, order
}
