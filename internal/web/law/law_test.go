// Package law holds the authority table against every operation of the contract: whatever is asked for, in whatever order and by
// whomever, nothing that stops a unit goes away unless one did it who may.
package law

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/google/uuid"

	"diligentledger/api"
	"diligentledger/core/access"
	"diligentledger/core/ledger"
	"diligentledger/core/register"
	"diligentledger/internal/demo"
	"diligentledger/internal/fleet"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/mariadb/mariadbtest"
	"diligentledger/internal/store"
	"diligentledger/internal/web/webtest"
)

// lasts is how long the law is held against random operations, beyond the first ones; CONTRIBUTING.md has the long run.
var lasts = flag.Duration("lasts", 0, "how long random operations are sent")

// first operations that are sent however long they take.
const first = 250

var seed = flag.Uint64("seed", 31, "of the random operations")

var (
	noon   = time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)
	ticks  atomic.Int64
	server *httptest.Server
	books  *store.Store
	owner  *store.Store
	desk   *fleet.Fleet
	opened webtest.Books
)

func now() time.Time { return noon.Add(time.Duration(ticks.Add(1)) * time.Millisecond) }

func TestMain(m *testing.M) {
	mariadbtest.Main(m, func(i *mariadb.Instance) {
		b, err := webtest.Open(i, demo.Fleet(noon), now, true)
		if err != nil {
			panic(err)
		}
		opened, server, books, owner, desk = b, b.Server, b.Store, b.Owner, b.Desk
	})
}

// caller is somebody who is signed in, or a token.
type caller struct {
	name   string
	role   access.Role
	header [2]string
}

// random operations of the contract.
type random struct {
	t       *testing.T
	rng     *rand.Rand
	callers []caller
	// known values that an operation may name, by the name of the property or parameter.
	known map[string][]any
	asked map[string]int
	taken map[string]int
	// watched units by the code they began with: one is renamed now and then.
	watched map[string]int64
}

func (r *random) send(c caller, method, path string, body any, more ...string) (int, []byte) {
	r.t.Helper()
	var content io.Reader
	kind := "application/json"
	switch b := body.(type) {
	case nil:
	case []byte:
		content, kind = bytes.NewReader(b), "application/octet-stream"
	default:
		text, err := json.Marshal(b)
		if err != nil {
			r.t.Fatal(err)
		}
		content = bytes.NewReader(text)
	}
	req, err := http.NewRequestWithContext(r.t.Context(), method, server.URL+path, content)
	if err != nil {
		r.t.Fatal(err)
	}
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	req.Header.Set("Content-Type", kind)
	req.Header.Set(c.header[0], c.header[1])
	for i := 0; i+1 < len(more); i += 2 {
		req.Header.Set(more[i], more[i+1])
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		r.t.Fatal(err)
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if err != nil {
		r.t.Fatal(err)
	}
	if res.StatusCode >= 500 && res.StatusCode != http.StatusServiceUnavailable {
		r.t.Errorf("%s %s by %s: %d %.300s", method, path, c.name, res.StatusCode, text)
	}
	return res.StatusCode, text
}

// value of a property by its schema, drawn from what is known where something of its name is.
func (r *random) value(name string, ref *openapi3.SchemaRef, depth int) any {
	s := ref.Value
	if all := r.known[name]; len(all) > 0 && len(s.Enum) == 0 && r.rng.IntN(8) > 0 {
		return all[r.rng.IntN(len(all))]
	}
	switch {
	case s.Properties["unit"] != nil && s.Properties["value"] != nil: // a reading, in the unit that its name asks for
		unit := map[string]string{"volume": "L", "drained": "L", "residual": "L", "opened": "kPa", "pressure": "kPa", "drop": "kPa", "meter": "km", "old": "km", "new": "km", "over": "mm", "sample": "degC", "freeze": "degC", "zero": "degC"}[name]
		if unit == "" || r.rng.IntN(12) == 0 {
			unit = []string{"degC", "percent", "L"}[r.rng.IntN(3)]
		}
		v := []float64{0.2, 1, 3, 6, 30, 95, 20000, -30}[r.rng.IntN(8)]
		if unit == "L" {
			v = []float64{0.3, 2, 5, 8}[r.rng.IntN(4)]
		}
		return map[string]any{"value": v, "unit": unit}
	case len(s.Enum) > 0:
		return s.Enum[r.rng.IntN(len(s.Enum))]
	case len(s.OneOf) > 0:
		return r.value(name, s.OneOf[0], depth+1)
	case s.Type == nil || s.Type.Is("object"):
		return r.object(s, depth+1)
	case s.Type.Is("array"):
		least, most := int(s.MinItems), 3
		all := []any{}
		for range least + r.rng.IntN(most) {
			all = append(all, r.value(strings.TrimSuffix(name, "s"), s.Items, depth+1))
		}
		return all
	case s.Type.Is("boolean"):
		return r.rng.IntN(2) == 0
	case s.Type.Is("integer"):
		return r.rng.IntN(12) + 1
	case s.Type.Is("number"):
		return []float64{0.2, 1, 3, 7, 20, 50, 95, 400, 20000, -30}[r.rng.IntN(10)]
	}
	switch s.Format {
	case "uuid":
		return uuid.Must(uuid.NewV7()).String()
	case "date":
		return noon.AddDate(0, 0, r.rng.IntN(60)-30).Format(time.DateOnly)
	case "date-time":
		return now().Add(-time.Duration(r.rng.IntN(1000)) * time.Microsecond).Format(time.RFC3339Nano)
	}
	return fmt.Sprintf("some %s %d", name, r.rng.IntN(1000))
}

func (r *random) object(s *openapi3.Schema, depth int) map[string]any {
	out := map[string]any{}
	if depth > 8 {
		return out
	}
	for _, part := range s.AllOf {
		for k, v := range r.object(part.Value, depth+1) {
			out[k] = v
		}
	}
	for name, property := range s.Properties {
		if slices.Contains(s.Required, name) || r.rng.IntN(3) == 0 {
			out[name] = r.value(name, property, depth+1)
		}
	}
	return out
}

// entry of any kind of the contract, mostly one that can be right.
func (r *random) entry(contract *openapi3.T, unit string) map[string]any {
	body := contract.Components.Schemas["EntryBody"].Value
	kinds := contract.Components.Schemas["EntryKind"].Value.Enum
	kind := kinds[r.rng.IntN(len(kinds))].(string)
	if r.rng.IntN(2) == 0 { // those that stop a unit, or end that
		kind = []string{"hold", "release", "strike", "defect_opened", "defect_closed", "cap_test", "hose_check", "level_check", "chemistry_test", "inspection", "renewal", "top_up"}[r.rng.IntN(12)]
	}
	field := ledger.FieldName(ledger.Kind(kind))
	r.ofUnit(unit)
	e := map[string]any{"id": uuid.Must(uuid.NewV7()).String(), "kind": kind, "at": now().Format(time.RFC3339Nano), "confirmed": r.rng.IntN(4) > 0,
		field: r.value(field, body.Properties[field], 1)}
	if r.rng.IntN(8) == 0 {
		e["at"] = noon.AddDate(0, 0, -r.rng.IntN(700)).Format(time.RFC3339Nano)
	}
	if r.rng.IntN(10) == 0 && len(r.known["entry"]) > 0 {
		e["strikes"] = map[string]any{"id": uuid.Must(uuid.NewV7()).String(), "entry": r.known["entry"][r.rng.IntN(len(r.known["entry"]))], "why": "not so"}
	}
	return e
}

// ofUnit puts the entries of a unit among what is known.
func (r *random) ofUnit(unit string) {
	a, err := desk.Account(r.t.Context(), unit)
	if err != nil {
		return
	}
	r.known["entry"], r.known["defect"] = nil, nil
	for _, l := range a.Account.Lines {
		r.known["entry"] = append(r.known["entry"], l.Entry.ID)
		if l.Entry.Kind() == ledger.KindDefect {
			r.known["defect"] = append(r.known["defect"], l.Entry.ID)
		}
	}
	for _, s := range a.Account.Stops() { // what stops it is struck more often
		r.known["entry"] = append(r.known["entry"], s.Entry, s.Entry, s.Entry)
	}
}

// facts of a record with one or two of them changed to what another field of that form may hold.
func (r *random) facts(of register.Record, key string, c caller) (map[string]any, []string) {
	status, text := r.send(c, "GET", "/api/v1/register/"+string(of)+"/records/"+url.PathEscape(key), nil)
	var record struct {
		Revision string
		Facts    []struct{ Code, Text string }
		Changes  []struct{ Id int64 }
	}
	if status != http.StatusOK || json.Unmarshal(text, &record) != nil {
		return map[string]any{"facts": map[string]string{}}, []string{"If-Match", "none"}
	}
	r.known["change"] = nil
	for _, one := range record.Changes {
		r.known["change"] = append(r.known["change"], one.Id)
	}
	typed := map[string]string{}
	fields := register.Fields(of, "")
	for range 1 + r.rng.IntN(2) {
		f := fields[r.rng.IntN(len(fields))]
		if of == register.Unit && r.rng.IntN(2) == 0 {
			f, _ = register.FieldOf(of, []string{"cap", "capacity", "base", "meter", "metal", "wet_liners", "premix_only", "tank", "raw_water", "type", "plan"}[r.rng.IntN(11)])
		}
		switch {
		case r.rng.IntN(5) == 0:
			typed[f.Code] = ""
		case len(f.Choices) > 0:
			typed[f.Code] = f.Choices[r.rng.IntN(len(f.Choices))]
		case f.Unit != "":
			typed[f.Code] = fmt.Sprintf("%v %s", []float64{0.5, 2, 6, 10, 30, 90, 150}[r.rng.IntN(7)], f.Unit)
		default:
			typed[f.Code] = fmt.Sprint(r.known["plain"][r.rng.IntN(len(r.known["plain"]))])
		}
	}
	in := map[string]any{"facts": typed, "confirmed": r.rng.IntN(3) > 0}
	if r.rng.IntN(3) == 0 {
		in["from"] = noon.AddDate(0, 0, -r.rng.IntN(400)).Format(time.DateOnly)
	}
	return in, []string{"If-Match", record.Revision}
}

// operation of the contract that writes.
type operation struct {
	method, path string
	of           *openapi3.Operation
}

// apart are operations that the law leaves out, and why.
var apart = map[string]string{
	"signOut": "it would end the sessions of the others", "changePerson": "it would close the accounts of the others; roles have tests of their own",
	"signIn": "no session of its own", "useLink": "no link", "requestPasswordReset": "no mail",
}

func (r *random) body(contract *openapi3.T, o operation, path string, c caller) (any, []string) {
	unit, _ := url.PathUnescape(strings.Split(strings.TrimPrefix(path, "/api/v1/units/"), "/")[0])
	switch o.of.OperationID {
	case "writeEntry", "previewEntry":
		return r.entry(contract, unit), nil
	case "writeEntries":
		var all []map[string]any
		for range 1 + r.rng.IntN(3) {
			unit := r.known["unit"][r.rng.IntN(len(r.known["unit"]))].(string)
			if n := len(all); n > 0 && r.rng.IntN(2) == 0 {
				unit = all[n-1]["unit"].(string)
			}
			text, _ := json.Marshal(r.entry(contract, unit))
			all = append(all, map[string]any{"id": uuid.Must(uuid.NewV7()).String(), "unit": unit, "entry": string(text), "sha256": fmt.Sprintf("%x", sha256.Sum256(text))})
			var e struct{ ID string }
			if json.Unmarshal(text, &e) == nil {
				all[len(all)-1]["id"] = e.ID
			}
			if n := len(all); n > 1 && r.rng.IntN(2) == 0 { // one act with the line before
				if all[n-2]["act"] == nil {
					all[n-2]["act"] = uuid.Must(uuid.NewV7()).String()
				}
				all[n-1]["act"] = all[n-2]["act"]
			}
		}
		return map[string]any{"entries": all}, nil
	case "changeRecord", "previewRecord", "undoRecordChange", "addRecord":
		parts := strings.Split(path, "/")
		of, key := register.Record(parts[4]), ""
		if len(parts) > 6 {
			key, _ = url.PathUnescape(parts[6])
		}
		in, header := r.facts(of, key, c)
		if o.of.OperationID == "undoRecordChange" {
			if changes := r.known["change"]; len(changes) > 0 {
				return map[string]any{"change": changes[len(changes)-1-r.rng.IntN(min(2, len(changes)))]}, header
			}
			return map[string]any{"change": 1}, header
		}
		return in, header
	case "leaveFleet", "returnToFleet":
		_, header := r.facts(register.Unit, unit, c)
		return r.content(o), header
	case "changeServicePlan":
		id := strings.Split(path, "/")[4]
		header := []string{"If-Match", "none"}
		if plans, err := desk.ServicePlans(r.t.Context()); err == nil {
			for _, p := range plans {
				if fmt.Sprint(p.ID) == id {
					header[1] = p.Revision()
				}
			}
		}
		in := r.content(o).(map[string]any)
		in["replaced"] = []float64{0.1, 0.4, 0.6, 0.95}[r.rng.IntN(4)]
		return in, header
	case "uploadImport":
		return []byte(r.sheet()), nil
	}
	return r.content(o), nil
}

// content of a request by its schema; nil for none.
func (r *random) content(o operation) any {
	if o.of.RequestBody == nil {
		return nil
	}
	for kind, media := range o.of.RequestBody.Value.Content {
		if kind == "application/json" {
			return r.value("", media.Schema, 0)
		}
	}
	return []byte("day;minimum\n2026-01-02;-12\n")
}

// sheet of units with facts and findings, as an office brings it.
func (r *random) sheet() string {
	text := "unit;cap;capacity;level;hoses found;freeze point\n"
	for range 1 + r.rng.IntN(4) {
		text += fmt.Sprintf("%v;%d kPa;%d L;%s;%s;-%d\n", r.known["unit"][r.rng.IntN(len(r.known["unit"]))], 20+r.rng.IntN(120), 3+r.rng.IntN(20), []string{"at max", "below min", "empty"}[r.rng.IntN(3)], []string{"good", "cracked", "renewed"}[r.rng.IntN(3)], 10+r.rng.IntN(30))
	}
	return text
}

// place fills the parameters of a path.
func (r *random) place(path string) string {
	for {
		i := strings.IndexByte(path, '{')
		if i < 0 {
			return path
		}
		j := i + strings.IndexByte(path[i:], '}')
		var v any
		switch name := path[i+1 : j]; {
		case name == "code":
			v = r.known["unit"][r.rng.IntN(len(r.known["unit"]))]
		case name == "of":
			v = []register.Record{register.Unit, register.Unit, register.Unit, register.Type, register.Site, register.Product, register.Instrument}[r.rng.IntN(7)]
		case name == "key" && strings.Contains(path, "/unit/"):
			v = r.known["unit"][r.rng.IntN(len(r.known["unit"]))]
		case strings.Contains(path, "/jobs/") && name == "id":
			v = r.known["job"][r.rng.IntN(len(r.known["job"]))]
		case strings.Contains(path, "/imports/"):
			v = r.known["import"][r.rng.IntN(len(r.known["import"]))]
		case name == "monday":
			v = "2026-11-30"
		case name == "sha256":
			v = strings.Repeat("a", 64)
		default:
			v = r.rng.IntN(9) + 1
		}
		path = path[:i] + url.PathEscape(fmt.Sprint(v)) + path[j+1:]
	}
}

// codeNow of a watched unit.
func (r *random) codeNow(code string) string {
	r.t.Helper()
	if r.watched == nil {
		r.watched = map[string]int64{}
	}
	id, known := r.watched[code]
	if !known {
		if err := books.DB().QueryRowContext(r.t.Context(), `SELECT id FROM unit WHERE code = ?`, code).Scan(&id); err != nil {
			r.t.Fatalf("%s: %v", code, err)
		}
		r.watched[code] = id
	}
	var now string
	if err := books.DB().QueryRowContext(r.t.Context(), `SELECT code FROM unit WHERE id = ?`, id).Scan(&now); err != nil {
		r.t.Fatalf("%s: %v", code, err)
	}
	return now
}

// stops of the units that are watched, by unit and what identifies the stop.
type stop struct {
	unit, cause, what string
	aircraft          bool
}

func (r *random) stops(units []string) map[stop]bool {
	all := map[stop]bool{}
	for _, code := range units {
		a, err := desk.Account(r.t.Context(), r.codeNow(code))
		if err != nil {
			r.t.Fatalf("%s: %v", code, err)
		}
		plane := a.Unit.Ledger.Aircraft
		for _, s := range a.Account.Stops() {
			what := ""
			switch s.Cause {
			case ledger.StopDefect:
				what = s.Entry
			case ledger.StopHold, ledger.StopAir, ledger.StopCoolant, ledger.StopLevel:
			default:
				what = fmt.Sprint(s.About.Point)
			}
			all[stop{code, string(s.Cause), what, plane}] = true
		}
		for _, d := range a.Account.Defects {
			all[stop{code, "open defect", d.ID, plane}] = true
		}
	}
	return all
}

// may end a stop, by the table of package access; a level is shown by whoever looks at it.
func (c caller) may(s stop) bool {
	effect := access.LiftsHold
	switch s.cause {
	case string(ledger.StopDefect):
		effect = access.EndsStop
	case "open defect":
		effect = access.EndsDefect
	case string(ledger.StopLevel):
		return true
	}
	return slices.Contains(access.Permitted(effect, s.aircraft), c.role)
}

// The law: over random operations of every kind that the contract has, by every role and by tokens, alone and several at once, nothing
// that stops a unit is gone unless one who may end it sent an operation in between.
func TestAuthority(t *testing.T) {
	contract, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	var operations []operation
	for path, item := range contract.Paths.Map() {
		for method, o := range item.Operations() {
			if method != http.MethodGet && apart[o.OperationID] == "" {
				operations = append(operations, operation{method, path, o})
			}
		}
	}
	slices.SortFunc(operations, func(a, b operation) int { return strings.Compare(a.of.OperationID, b.of.OperationID) })
	r := &random{t: t, rng: rand.New(rand.NewPCG(*seed, 1)), asked: map[string]int{}, taken: map[string]int{}}
	r.signIn()
	units := []string{"AV-01", "AV-02", "AV-03", "CA-05", "CA-07", "TK-20", "MC-08", "HB-16"}
	r.begin(units)
	before := r.stops(units)
	if len(before) < 6 {
		t.Fatalf("only %d stops to watch: %v", len(before), before)
	}
	end := time.Now().Add(*lasts)
	gone := 0
	for n := 0; time.Now().Before(end) || n < first; n++ {
		// Mostly one caller at a time, whose doing it is; sometimes several at once, none of whom may end anything of an aircraft.
		some := []caller{r.callers[r.rng.IntN(len(r.callers))]}
		if r.rng.IntN(6) == 0 {
			some = slices.DeleteFunc(slices.Clone(r.callers), func(c caller) bool { return c.role == access.Signatory })
		}
		var said []string
		var mu sync.Mutex
		var all sync.WaitGroup
		for _, c := range some {
			o := operations[r.rng.IntN(len(operations))]
			if r.rng.IntN(3) == 0 { // what writes to accounts comes more often
				id := []string{"writeEntry", "writeEntries", "changeRecord", "undoRecordChange", "releaseJob", "reverseImport", "runImport", "changeServicePlan"}[r.rng.IntN(8)]
				o = operations[slices.IndexFunc(operations, func(o operation) bool { return o.of.OperationID == id })]
			}
			if len(some) == 1 && r.rng.IntN(5) > 0 { // mostly by one who may
				roles, _ := o.of.Extensions["x-roles"].([]any)
				for range 20 {
					if c.header[0] == "Cookie" && (slices.Contains(roles, any(string(c.role))) || slices.Contains(roles, any("any"))) {
						break
					}
					c = r.callers[r.rng.IntN(len(r.callers))]
				}
				some[0] = c
			}
			path := r.place(o.path)
			body, header := r.body(contract, o, path, c)
			if o.of.OperationID == "uploadImport" {
				path += "?name=units.csv"
			}
			r.asked[o.of.OperationID]++
			all.Go(func() {
				status, text := r.send(c, o.method, path, body, header...)
				mu.Lock()
				defer mu.Unlock()
				if status < 300 {
					r.taken[o.of.OperationID]++
				}
				content, _ := json.Marshal(body)
				said = append(said, fmt.Sprintf("%s: %s %s %.400s: %d %.120s", c.name, o.method, path, content, status, text))
			})
		}
		all.Wait()
		if testing.Verbose() && n < 6 {
			t.Log(strings.Join(said, "\n"))
		}
		r.learn(some, said)
		if _, err := desk.WorkOnImport(t.Context()); err != nil {
			t.Errorf("import: %v", err)
		}
		after := r.stops(units)
		for s := range before {
			if after[s] {
				continue
			}
			gone++
			if !slices.ContainsFunc(some, func(c caller) bool { return c.may(s) }) && !r.importedBy(s) {
				t.Errorf("after %d operations %+v is gone by\n%s", n, s, strings.Join(said, "\n"))
			}
		}
		before = after
		if n%10 == 9 || len(before) < 6 {
			r.begin(units)
			before = r.stops(units)
		}
	}
	for _, o := range operations {
		if r.asked[o.of.OperationID] == 0 && *lasts > time.Minute {
			t.Errorf("%s was never asked", o.of.OperationID)
		}
	}
	t.Logf("%d operations asked, %d taken, of %d kinds; %d stops ended by those who may", sum(r.asked), sum(r.taken), len(r.taken), gone)
	if len(r.taken) < 8 {
		t.Errorf("too little happened: %d kinds of operation taken", len(r.taken))
	}
	_, breaks, err := books.Verify(t.Context(), nil)
	if err != nil || len(breaks) > 0 {
		t.Errorf("verify: %v, %v", breaks, err)
	}
}

// importedBy: a run in the background is the coordinator's who let it run, whoever sent the last operation.
func (r *random) importedBy(s stop) bool { return caller{role: access.Coordinator}.may(s) }

func sum(of map[string]int) (n int) {
	for _, one := range of {
		n += one
	}
	return n
}

// signIn one person of each role, and tokens of each scope.
func (r *random) signIn() {
	r.t.Helper()
	r.signInOnly()
	boss := r.by(access.Coordinator)
	for _, role := range []access.Role{access.Coordinator, access.Technician} {
		for _, scope := range store.Scopes {
			status, text := r.send(boss, "POST", "/api/v1/tokens", map[string]any{"name": fmt.Sprint(role, " ", scope, " ", uuid.NewString()), "role": role, "scope": scope, "endsOn": noon.AddDate(0, 1, 0).Format(time.DateOnly)})
			var made struct{ Secret string }
			if status != http.StatusCreated || json.Unmarshal(text, &made) != nil {
				r.t.Fatalf("token: %d %s", status, text)
			}
			r.callers = append(r.callers, caller{"a token of scope " + string(scope) + " of a " + string(role), role, [2]string{"Authorization", "Bearer " + made.Secret}})
		}
	}
}

// signInOnly one person of each role.
func (r *random) signInOnly() {
	r.t.Helper()
	seen := map[access.Role]bool{}
	for _, p := range demo.People {
		if seen[p.Role] {
			continue
		}
		seen[p.Role] = true
		cookie, err := opened.SignIn(r.t.Context(), p.Role)
		if err != nil {
			r.t.Fatal(err)
		}
		r.callers = append(r.callers, caller{"a " + string(p.Role), p.Role, [2]string{"Cookie", cookie}})
	}
}

// begin puts the units into trouble, so that there is something to watch.
func (r *random) begin(units []string) {
	r.t.Helper()
	if r.known == nil {
		r.known = map[string][]any{"plain": {"Pool car", "Light aircraft", "EG", "PG", "90 kPa", "12", "yes", "some text"},
			"job": {uuid.Must(uuid.NewV7()).String()}, "import": {1}}
	}
	if len(r.known["product"]) == 0 {
		products, err := books.Products(r.t.Context())
		if err != nil {
			r.t.Fatal(err)
		}
		for _, p := range products {
			r.known["product"] = append(r.known["product"], p.Code)
		}
	}
	r.known["unit"] = nil
	tech := r.callers[slices.IndexFunc(r.callers, func(c caller) bool { return c.role == access.Technician })]
	for i, code := range units {
		code = r.codeNow(code)
		r.known["unit"] = append(r.known["unit"], code)
		trouble := []map[string]any{
			{"kind": "hold", "hold": map[string]any{"why": "smells of coolant"}},
			{"kind": "cap_test", "capTest": map[string]any{"opened": map[string]any{"value": 30, "unit": "kPa"}, "seal": "cracked"}},
			{"kind": "hose_check", "hoseCheck": map[string]any{"hoses": []any{map[string]any{"hose": "upper", "state": "cracked"}}}},
			{"kind": "defect_opened", "defectOpened": map[string]any{"what": "pump seized", "severity": "stop"}},
			{"kind": "level_check", "levelCheck": map[string]any{"temper": "cold", "mark": "empty"}},
			{"kind": "chemistry_test", "chemistryTest": map[string]any{"look": "oily"}},
		}
		for k := range trouble {
			if k == i%len(trouble) || r.rng.IntN(4) == 0 || strings.HasPrefix(code, "AV") && k < 4 {
				e := trouble[k]
				e["id"], e["at"], e["confirmed"] = uuid.Must(uuid.NewV7()).String(), now().Format(time.RFC3339Nano), true
				r.send(tech, "POST", "/api/v1/units/"+code+"/entries", e)
			}
		}
	}
}

// learn the ids of what was made, so that later operations find it.
func (r *random) learn(_ []caller, said []string) {
	for _, line := range said {
		if _, rest, ok := strings.Cut(line, "POST /api/v1/jobs {"); ok {
			if _, id, ok := strings.Cut(rest, `"id":"`); ok && len(id) > 36 {
				r.known["job"] = append(r.known["job"], id[:36])
			}
		}
	}
	if runs, err := books.Imports(r.t.Context(), 5); err == nil {
		r.known["import"] = []any{1}
		for _, run := range runs {
			r.known["import"] = append(r.known["import"], run.ID)
		}
	}
}
