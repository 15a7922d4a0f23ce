package fleet_test

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/register"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/fleet"
	"diligentledger/internal/importer"
	"diligentledger/internal/importer/messy"
	"diligentledger/internal/standin"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

// office is what an empty register needs before a spreadsheet: a site, service plans, types and a product.
func office(t *testing.T) {
	t.Helper()
	ctx := t.Context()
	var plans, types []string
	for _, p := range serviceplan.Library {
		plans = append(plans, p.Name)
	}
	for _, facts := range register.Library {
		types = append(types, facts["name"])
	}
	if _, err := open.TakeStarting(ctx, coordinator, types, plans); err != nil {
		t.Fatal(err)
	}
	if _, err := open.AddRecord(ctx, coordinator, fleet.RecordChange{Of: register.Site, Reading: reading(),
		Typed: map[string]string{"name": "Main yard", "cold": "-20; -19; -14; -7; -2; 3; 6; 5; 1; -4; -10; -16"}}); err != nil && refusalAt(err, "/facts/name") == "" {
		t.Fatal(err)
	}
}

// answers to what the messy file leaves open.
func answers() importer.Options {
	return importer.Options{Emptied: "yes", Today: "yes", Product: "NORD-OAT-50", Doubtful: true, Plans: map[string]string{
		"car": "Car, long-life coolant", "truck": "Heavy truck", "motorcycle": "Motorcycle", "boat": "Boat diesel with heat exchanger", "aircraft": "Light aircraft"},
		Types: map[string]string{"car": "Small car, radiator cap", "truck": "Heavy truck", "motorcycle": "Liquid-cooled motorcycle", "boat": "Inboard diesel with heat exchanger"}}
}

func upload(t *testing.T, name string, content []byte) int64 {
	t.Helper()
	id, err := open.Upload(t.Context(), coordinator, name, content, words.Metric)
	if err != nil {
		t.Fatal(err)
	}
	return id
}

// work on imports until none waits.
func work(t *testing.T) {
	t.Helper()
	for {
		worked, err := open.WorkOnImport(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		if !worked {
			return
		}
	}
}

func targets(names ...string) (columns []importer.Target) {
	for _, n := range names {
		columns = append(columns, importer.Target(n))
	}
	return columns
}

// checked is the result of a dry run.
func checked(t *testing.T, id int64, columns []importer.Target, o importer.Options) fleet.ImportResult {
	t.Helper()
	if err := open.CheckImport(t.Context(), coordinator, id, columns, o); err != nil {
		t.Fatal(err)
	}
	work(t)
	run, err := app.Import(t.Context(), id)
	if err != nil || run.State != store.ImportChecked {
		t.Fatalf("checked: %s %s, %v", run.State, run.Error, err)
	}
	var result fleet.ImportResult
	if err := json.Unmarshal(run.Result, &result); err != nil {
		t.Fatal(err)
	}
	return result
}

func run(t *testing.T, id int64) {
	t.Helper()
	if err := open.RunImport(t.Context(), coordinator, id); err != nil {
		t.Fatal(err)
	}
	work(t)
	if i, err := app.Import(t.Context(), id); err != nil || i.State != store.ImportDone {
		t.Fatalf("run: %s %s, %v", i.State, i.Error, err)
	}
}

// The messy spreadsheet of an office, as CSV, as a workbook, and as another program wrote it: the bad cells are named, the
// good rows taken, and every due day is that of the last renewal and the plan. Taken twice it changes nothing; reversed, its
// lines are struck and its units are gone; taken again, they are back.
func TestImportMessy(t *testing.T) {
	office(t)
	workbook, err := messy.XLSX(noon)
	if err != nil {
		t.Fatal(err)
	}
	written, err := os.ReadFile("../importer/messy/testdata/other-program.xlsx")
	if err != nil {
		t.Fatal(err)
	}
	for _, file := range []struct {
		name    string
		content []byte
	}{{"fleet.csv", messy.CSV(noon)}, {"fleet.xlsx", workbook}, {"other-program.xlsx", written}} {
		name, content := file.name, file.content
		id := upload(t, name, content)
		_, shape, err := open.ImportOf(t.Context(), id)
		if err != nil || shape.Header != 3 {
			t.Fatalf("%s: headings in row %d, %v", name, shape.Header, err)
		}
		open1 := checked(t, id, targets(messy.Targets...), importer.Options{})
		for _, code := range []string{"plan"} {
			if !slices.ContainsFunc(open1.Questions, func(q importer.Question) bool { return q.Code == code }) {
				t.Errorf("%s: %s is not asked: %v", name, code, open1.Questions)
			}
		}
		result := checked(t, id, targets(messy.Targets...), answers())
		good := messy.Units - len(messy.Wrong)
		if c := result.Counts; c.UnitsNew+c.UnitsSame+c.UnitsChanged != good || c.RowsRefused != len(messy.Wrong)+1 || c.EntriesNew+c.EntriesSame != 3*good {
			t.Fatalf("%s: %+v; %v", name, c, result.Problems)
		}
		for code, wrong := range messy.Wrong {
			if !slices.ContainsFunc(result.Problems, func(p importer.Problem) bool {
				return strings.Contains(p.Value, wrong) && p.Accepted != "" && p.Row > 3 && p.Column != ""
			}) {
				t.Errorf("%s: the wrong cell of %s, %q, is not named: %v", name, code, wrong, result.Problems)
			}
		}
		rest, err := open.ImportRest(t.Context(), id)
		if err != nil || strings.Count(string(rest), "\r\n") != len(messy.Wrong)+2 || !strings.Contains(string(rest), "not taken because") || !strings.Contains(string(rest), "spaceship") {
			t.Errorf("%s: the rest is %q, %v", name, rest, err)
		}
		run(t, id)
		rightDues(t, name)
		again := upload(t, name, content)
		if c := checked(t, again, targets(messy.Targets...), answers()).Counts; c.EntriesNew != 0 || c.UnitsNew+c.UnitsChanged != 0 || c.UnitsSame != good {
			t.Errorf("%s a second time: %+v", name, c)
		}
		run(t, again)
		claims, err := open.Claims(t.Context(), id)
		if err != nil || len(claims) < good-1 {
			t.Errorf("%s: %d claims, %v", name, len(claims), err)
		}
		if name != "fleet.csv" {
			continue
		}
		if err := open.ReverseImport(t.Context(), coordinator, id); err != nil {
			t.Fatal(err)
		}
		work(t)
		if i, err := app.Import(t.Context(), id); err != nil || i.State != store.ImportReversed {
			t.Fatalf("reversed: %s %s, %v", i.State, i.Error, err)
		}
		if rows, err := open.Statuses(t.Context(), store.StatusFilter{Text: "unit V-"}); err != nil || len(rows) != 0 {
			t.Errorf("reversed, and %d units are in the lists, %v", len(rows), err)
		}
		a, err := open.Account(t.Context(), "V-01")
		if err != nil || a.Account.Balance.RenewedAt != nil {
			t.Errorf("reversed, and V-01 was renewed on %v, %v", a.Account.Balance.RenewedAt, err)
		}
		third := upload(t, name, content)
		if c := checked(t, third, targets(messy.Targets...), answers()).Counts; c.UnitsChanged != good || c.EntriesNew != 3*good {
			t.Errorf("%s after it was reversed: %+v", name, c)
		}
		run(t, third)
		rightDues(t, name+", a third time")
	}
	verified(t)
}

// rightDues of the units that were taken: worked out here from what the file means.
func rightDues(t *testing.T, name string) {
	t.Helper()
	months := map[string]int{"car": 36, "truck": 36, "motorcycle": 36, "boat": 24}
	for _, u := range messy.Fleet(noon) {
		if _, wrong := messy.Wrong[u.Code]; wrong {
			continue
		}
		a, err := open.Account(t.Context(), u.Code)
		if err != nil {
			t.Fatalf("%s: %s: %v", name, u.Code, err)
		}
		i := slices.IndexFunc(a.Whole.Clocks, func(c clock.Clock) bool { return c.Kind == clock.Age })
		want := measure.DateOf(u.Changed, time.UTC).AddMonths(months[u.Kind])
		if i < 0 || a.Whole.Clocks[i].Due == nil || !a.Whole.Clocks[i].Due.Equal(want) {
			t.Errorf("%s: %s changed on %s is due by %+v, want %s", name, u.Code, u.Changed.Format(time.DateOnly), a.Whole.Clocks[i].Due, want)
		}
		if got := float64(a.Unit.Ledger.Capacity); got < u.Litres-0.01 || got > u.Litres+0.01 {
			t.Errorf("%s: %s holds %v L, want %v", name, u.Code, got, u.Litres)
		}
		if m := a.Account.LastTest; m == nil || float64(m.Measured) < u.Freeze-0.6 || float64(m.Measured) > u.Freeze+0.6 {
			t.Errorf("%s: the test of %s is %+v, want %v °C", name, u.Code, m, u.Freeze)
		}
		last := a.Account.Readings[len(a.Account.Readings)-1]
		if last.Value < u.Meter-2 || last.Value > u.Meter+2 {
			t.Errorf("%s: the meter of %s is %v, want %v", name, u.Code, last.Value, u.Meter)
		}
	}
}

// A history with a line for each event: of units that are there, in any order; what cannot be read is refused line by line.
func TestImportHistory(t *testing.T) {
	add(t, register.Unit, "", car("ZG-01", map[string]string{"product": "NORD-OAT-50"}))
	content := "unit,date,what,volume,freeze point,odometer,product used,finding,by\n" +
		"zg-01,2025-03-01,coolant change,7.9 L,,12000,,,T. Quayle\n" +
		"ZG-01,2025-04-02,test,,-37 °C,,,,\n" +
		"ZG-01,2025-05-03,top up,0.5,,,NORD-OAT-50,,\n" +
		"ZG-01,2025-05-03,top up,0.5,,,NORD-OAT-50,,\n" +
		"ZG-01,2025-06-04,odometer,,,15500,,,\n" +
		"ZG-01,2025-07-01,cap,,,,,good,\n" +
		"ZG-01,2025-07-01,hoses,,,,,cracked,\n" +
		"ZG-01,2025-08-01,defect,,,,,weep at the pump,\n" +
		"ZG-01,2025-09-01,dance,,,,,,\n" +
		"ZG-99,2025-09-01,note,,,,,,\n" +
		"ZG-01,,note,,,,,,hello\n"
	id := upload(t, "history.csv", []byte(content))
	guessed, _, err := open.ImportOf(t.Context(), id)
	want := targets("code", "date", "event", "volume", "freeze_point", "meter_reading", "filled_product", "defect", "writer")
	if err != nil || !slices.Equal(guessed.Columns, want) {
		t.Fatalf("guessed %v, want %v, %v", guessed.Columns, want, err)
	}
	result := checked(t, id, want, importer.Options{Emptied: "yes"})
	if c := result.Counts; c.UnitsSame != 1 || c.EntriesNew != 8 || c.RowsRefused != 3 {
		t.Fatalf("%+v; %v", c, result.Problems)
	}
	run(t, id)
	a, err := open.Account(t.Context(), "ZG-01")
	if err != nil || len(a.Account.Lines) != 8 {
		t.Fatalf("%d lines, %v", len(a.Account.Lines), err)
	}
	kinds := map[ledger.Kind]int{}
	for _, l := range a.Account.Lines {
		kinds[l.Entry.Kind()]++
	}
	if kinds[ledger.KindTopUp] != 2 || kinds[ledger.KindRenewal] != 1 || kinds[ledger.KindDefect] != 1 || kinds[ledger.KindHoseCheck] != 1 {
		t.Errorf("kinds %v", kinds)
	}
	// A later entry rests on it: it is not reversed.
	if _, err := writeEntry(t.Context(), fleet.Actor{Name: "O. Fenn", Role: "coordinator"}, "ZG-01", newEntry(1, ledger.NoteBody{Text: "later"})); err != nil {
		t.Fatal(err)
	}
	if err := open.ReverseImport(t.Context(), coordinator, id); !strings.Contains(refusalAt(err, "/import"), "ZG-01") {
		t.Errorf("reversed under a later entry: %v", err)
	}
	verified(t)
}

// A run that is stopped between two of its batches goes on where it was, and one that is cancelled is reversed whole.
func TestImportStopped(t *testing.T) {
	office(t)
	var text strings.Builder
	text.WriteString("unit;kind;site;capacity;last changed\n")
	for i := range 3*store.ImportBatch + 5 {
		fmt.Fprintf(&text, "ZH-%03d;car;Main yard;6;2025-02-0%d\n", i, 1+i%9)
	}
	id := upload(t, "many.csv", []byte(text.String()))
	columns := targets("code", "kind", "site", "capacity", "renewed_on")
	result := checked(t, id, columns, answers())
	if result.Counts.UnitsNew != 3*store.ImportBatch+5 {
		t.Fatalf("%+v %v", result.Counts, result.Problems[:min(3, len(result.Problems))])
	}
	if err := open.RunImport(t.Context(), coordinator, id); err != nil {
		t.Fatal(err)
	}
	// The process ends after the first batch.
	stopped, stop := context.WithCancel(t.Context())
	go func() {
		for {
			if i, err := app.Import(t.Context(), id); err != nil || i.Done >= store.ImportBatch {
				stop()
				return
			}
		}
	}()
	_, _ = open.WorkOnImport(stopped)
	stop()
	if i, err := app.Import(t.Context(), id); err != nil || i.State != store.ImportRunning && i.State != store.ImportDone {
		t.Fatalf("stopped: %s, %v", i.State, err)
	}
	work(t)
	i, err := app.Import(t.Context(), id)
	if err != nil || i.State != store.ImportDone {
		t.Fatalf("gone on: %s %s, %v", i.State, i.Error, err)
	}
	rows, err := open.Statuses(t.Context(), store.StatusFilter{Text: "ZH-"})
	if err != nil || len(rows) != 3*store.ImportBatch+5 {
		t.Errorf("%d units, %v", len(rows), err)
	}
	again := upload(t, "many.csv", []byte(strings.ReplaceAll(text.String(), "ZH-", "ZI-")))
	checked(t, again, columns, answers())
	if err := open.RunImport(t.Context(), coordinator, again); err != nil {
		t.Fatal(err)
	}
	if err := open.CancelImport(t.Context(), coordinator, again); err != nil {
		t.Fatal(err)
	}
	work(t)
	if i, err := app.Import(t.Context(), again); err != nil || i.State != store.ImportCancelled {
		t.Errorf("cancelled: %s %s, %v", i.State, i.Error, err)
	}
	if rows, err := open.Statuses(t.Context(), store.StatusFilter{Text: "ZI-"}); err != nil || len(rows) != 0 {
		t.Errorf("cancelled, and %d units are there, %v", len(rows), err)
	}
	verified(t)
}

// A day of the simulated gateway: meters move, what is nonsense or of no unit is named, and the day sent again changes nothing.
func TestTelematicsDay(t *testing.T) {
	meters, err := open.Meters(t.Context())
	if err != nil || len(meters) < 30 {
		t.Fatalf("%d meters, %v", len(meters), err)
	}
	var vehicles []standin.Vehicle
	for _, m := range meters {
		if noon.Sub(m.At) > 24*time.Hour {
			vehicles = append(vehicles, standin.Vehicle{Code: m.Code, In: m.In, Last: m.Last, At: m.At})
		}
	}
	var readings []fleet.GatewayReading
	for _, s := range (standin.Telematics{}).Readings(vehicles, noon) {
		readings = append(readings, fleet.GatewayReading{ID: s.ID, Unit: s.Unit, At: s.At, Value: s.Value, In: s.In})
	}
	counts := func() map[fleet.ReadingOutcome]int {
		t.Helper()
		results, err := open.TakeReadings(t.Context(), fleet.Actor{Name: "telematics"}, readings)
		if err != nil {
			t.Fatal(err)
		}
		n := map[fleet.ReadingOutcome]int{}
		for _, r := range results {
			n[r.Outcome]++
		}
		return n
	}
	first := counts()
	if first[fleet.ReadingRecorded] < len(vehicles)/2 || first[fleet.ReadingRefused] == 0 || first[fleet.ReadingDropped] == 0 {
		t.Errorf("%v of %d vehicles", first, len(vehicles))
	}
	if again := counts(); again[fleet.ReadingRecorded] != 0 || again[fleet.ReadingKnown] != first[fleet.ReadingRecorded] {
		t.Errorf("sent again %v, first %v", again, first)
	}
	verified(t)
}

// Nights of a site from a file: the curve follows them from three whole years on; one row that cannot be read, and none is taken.
func TestNightsFromAFile(t *testing.T) {
	add(t, register.Site, "", map[string]string{"name": "Z nights", "nights": "none", "cold": "-20; -19; -14; -7; -2; 3; 6; 5; 1; -4; -10; -16"})
	var id int64
	if _, err := fmt.Sscan(recordID(t, register.Site, "Z nights"), &id); err != nil {
		t.Fatal(err)
	}
	var text strings.Builder
	text.WriteString("day,minimum\n")
	for n := 1; n <= 4*366; n++ {
		day := noon.AddDate(0, 0, -n)
		low := -3.0 + 12*float64(day.YearDay()-15)/180
		if day.YearDay() > 195 {
			low = -3 + 12*float64(380-day.YearDay())/180
		}
		fmt.Fprintf(&text, "%s,%.1f\n", day.Format(time.DateOnly), low)
	}
	for name, c := range map[string]struct{ row, want string }{
		"no number":  {"2025-01-31,cold", "a minimum such as -12.5"},
		"no night":   {"2025-01-31,75", "-70 to 40"},
		"either way": {"03/04/2025,-5", "one way alone"},
		"to come":    {"2030-01-31,-5", "a night that is over"},
	} {
		if _, err := open.AddNights(t.Context(), coordinator, id, []byte(text.String()+c.row+"\n"), measure.DegC); !strings.Contains(refusalAt(err, "/file"), c.want) {
			t.Errorf("%s: %v", name, err)
		}
	}
	n, err := open.AddNights(t.Context(), coordinator, id, []byte(text.String()), measure.DegC)
	if err != nil || n != 4*366 {
		t.Fatalf("%d nights, %v", n, err)
	}
	sites, err := app.Sites(t.Context())
	i := slices.IndexFunc(sites, func(s store.Site) bool { return s.ID == id })
	if err != nil || i < 0 || sites[i].Cold.Years < 3 || sites[i].Cold.Coldest() < -12 || !sites[i].NoService {
		t.Errorf("%+v, %v", sites[i].Cold.Years, err)
	}
	verified(t)
}

// Units, each with 20 entries, from two files: the list and the history. LEDGER_UNITS sets how many.
func BenchmarkImport(b *testing.B) {
	units := 300
	if n, err := strconv.Atoi(os.Getenv("LEDGER_UNITS")); err == nil {
		units = n
	}
	ctx := b.Context()
	var list, history strings.Builder
	list.WriteString("unit;kind;site;plan;capacity;last changed;odometer;odometer date;freeze point;date tested\n")
	history.WriteString("unit;date;what;odometer;volume;product used\n")
	for i := range units {
		fmt.Fprintf(&list, "BI-%05d;car;Inland depot;Pool car;6;2025-02-0%d;%d;2026-10-01;-37;2025-03-0%d\n", i, 1+i%9, 10_000+i, 1+i%9)
		for k := range 17 {
			if k%2 == 0 {
				fmt.Fprintf(&history, "BI-%05d;2025-%02d-%02d;odometer;%d;;\n", i, 4+k/2, 3+k, 8_000+i+k*100)
			} else {
				fmt.Fprintf(&history, "BI-%05d;2025-%02d-%02d;top up;;0.1;NORD-OAT-50\n", i, 4+k/2, 3+k)
			}
		}
	}
	o := importer.Options{Emptied: "yes", Product: "NORD-OAT-50", Doubtful: true}
	work := func() {
		for {
			if worked, err := open.WorkOnImport(ctx); err != nil || !worked {
				if err != nil {
					b.Fatal(err)
				}
				return
			}
		}
	}
	for b.Loop() {
		begun := time.Now()
		for _, file := range []struct {
			text    string
			columns []importer.Target
		}{{list.String(), targets("code", "kind", "site", "plan", "capacity", "renewed_on", "meter_reading", "meter_on", "freeze_point", "tested_on")},
			{history.String(), targets("code", "date", "event", "meter_reading", "volume", "filled_product")}} {
			id, err := open.Upload(ctx, coordinator, "bench.csv", []byte(file.text), words.Metric)
			if err == nil {
				err = open.CheckImport(ctx, coordinator, id, file.columns, o)
			}
			if err != nil {
				b.Fatal(err)
			}
			work()
			if err := open.RunImport(ctx, coordinator, id); err != nil {
				b.Fatal(err)
			}
			work()
			if run, err := app.Import(ctx, id); err != nil || run.State != store.ImportDone {
				b.Fatalf("%s %s, %v", run.State, run.Error, err)
			}
		}
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		b.ReportMetric(time.Since(begun).Seconds(), "s")
		b.ReportMetric(time.Since(begun).Seconds()*1000/float64(units), "ms/unit")
		b.ReportMetric(float64(m.Sys>>20), "MB")
	}
	b.ReportMetric(0, "ns/op")
}

// An import has no more right than who brings it: a finding that keeps an aircraft on the ground is lifted neither by a row of a
// spreadsheet nor by reversing the run that brought it. A number that no address can have is refused in a spreadsheet, too.
func TestImportAsksAccess(t *testing.T) {
	office(t)
	ctx := t.Context()
	columns := targets("code", "kind", "site", "plan", "capacity", "base", string(importer.HosesOn), string(importer.HosesFound))
	row := func(code, kind, day, found string) string {
		plan := map[string]string{"aircraft": "Light aircraft", "car": "Car, long-life coolant"}[kind]
		return fmt.Sprintf("%s;%s;Main yard;%s;6 L;EG;%s;%s\n", code, kind, plan, day, found)
	}
	head := "number;kind;site;plan;capacity;base;hoses checked;hoses found\n"
	held := func(code string) bool {
		m, err := open.Account(ctx, code)
		if err != nil {
			t.Fatal(err)
		}
		return len(m.Account.Stops()) > 0
	}
	first := upload(t, "grounded.csv", []byte(head+row("ZX-1", "aircraft", "2026-09-01", "bulging")+row("ZX-2", "car", "2026-09-01", "bulging")+row("ZX/3", "car", "2026-09-01", "good")+row("ZX 4 port", "car", "2026-09-01", "good")))
	result := checked(t, first, columns, importer.Options{})
	if result.Counts.UnitsNew != 2 || result.Counts.RowsRefused != 2 || !strings.Contains(result.Problems[0].Accepted, "without /") || !strings.Contains(result.Problems[1].Accepted, "name of a circuit") {
		t.Fatalf("%+v %v", result.Counts, result.Problems)
	}
	run(t, first)
	if !held("ZX-1") {
		t.Fatal("bulging hoses do not hold the aircraft")
	}
	if err := open.ReverseImport(ctx, coordinator, first); err != nil {
		t.Fatal(err)
	}
	work(t)
	i, err := app.Import(ctx, first)
	if err != nil || i.State != store.ImportFailed || !strings.Contains(i.Error, "1 of 2 units stay as imported: ZX-1:") || !strings.Contains(i.Error, "signatory") {
		t.Fatalf("reversed: %s %s, %v", i.State, i.Error, err)
	}
	if !held("ZX-1") || record(t, register.Unit, "ZX-1").LeftOn != nil {
		t.Error("the aircraft is not held any more")
	}
	if record(t, register.Unit, "ZX-2").LeftOn == nil {
		t.Error("the car was not reversed")
	}
	second := upload(t, "good.csv", []byte(head+row("ZX-1", "aircraft", "2026-10-01", "good")+row("ZX-2", "car", "2026-10-01", "good")))
	checked(t, second, columns, importer.Options{})
	run(t, second)
	if !held("ZX-1") {
		t.Error("good hoses of a spreadsheet release an aircraft")
	}
	if held("ZX-2") {
		t.Error("the car is held")
	}
	verified(t)
}
