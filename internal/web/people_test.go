package web_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/google/uuid"

	"diligentledger/api"
	"diligentledger/core/access"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/demo"
	"diligentledger/internal/store"
)

func as(r access.Role) []string { return []string{"Cookie", cookies[r]} }

// Who may call what, written down by hand: by operation, the first letters of the
// roles (coordinator, technician, signatory, reader), "-" for the person who is not signed in.
var mayCall = map[string]string{
	"getHealth": "-ctsr", "getReady": "-ctsr", "getSession": "-ctsr", "signIn": "-ctsr", "requestPasswordReset": "-ctsr", "getLink": "-ctsr", "useLink": "-ctsr",
	"getMorning": "ctsr", "getHorizon": "ctsr", "listHorizonUnits": "ctsr", "listUnits": "ctsr", "getAccount": "ctsr", "listLines": "ctsr", "listServicePlans": "ctsr", "listSites": "ctsr",
	"getPlan": "ctsr", "watchPlan": "ctsr", "getPlanOptions": "ctsr", "explainPlan": "ctsr", "getPlanDay": "ctsr", "getPlanPaper": "ctsr", "getPlanCalendar": "ctsr", "whatIf": "ctsr",
	"proposePlan": "c", "movePlan": "c", "takeOffPlan": "c", "pinPlan": "c", "undoPlan": "c", "agreeWeek": "c", "unlockWeek": "c", "listCalendars": "c", "addCalendar": "c", "revokeCalendar": "c",
	"listWork": "ctsr", "listProducts": "ctsr", "listAdditives": "ctsr", "listInstruments": "ctsr", "listEntries": "ctsr", "countRunningOut": "ctsr", "listQuestions": "ctsr", "askBench": "ctsr", "convertBench": "ctsr", "readNumbers": "ctsr", "readDates": "ctsr", "changeReading": "ctsr", "getSealKey": "ctsr", "getSettings": "ctsr", "signOut": "ctsr",
	"writeEntry": "cts", "previewEntry": "cts", "writeEntries": "cts",
	"listWalkRows": "ctsr", "getWalk": "cts", "listRounds": "ctsr", "getRound": "ctsr", "reportRound": "cts", "getAttachment": "ctsr", "addAttachment": "cts", "listTags": "ctsr", "getTagSheet": "ctsr",
	"addServicePlan": "c", "changeServicePlan": "c", "previewServicePlan": "c", "assignServicePlanByKind": "c", "previewServicePlanByKind": "c", "assignServicePlan": "c", "changeSite": "c", "changeSettings": "c",
	"addWork": "c", "removeWork": "c", "rescheduleWork": "c", "listPeople": "c", "invitePerson": "c", "changePerson": "c", "inviteAgain": "c",
	"listAudit":    "cr",
	"importNights": "c", "sendMeterReadings": "ct", "listTokens": "c", "addToken": "c", "revokeToken": "c",
	"makeWorkbook": "ctsr", "getArchive": "c",
	"listImports": "c", "uploadImport": "c", "getImport": "c", "checkImport": "c", "runImport": "c", "cancelImport": "c", "reverseImport": "c", "getImportRest": "c",
	"listJobs": "ctsr", "startJob": "cts", "getJobChoices": "ctsr", "setJobParameter": "c", "previewJob": "ctsr", "printJobs": "ctsr", "getJob": "ctsr", "addJobEvents": "cts", "releaseJob": "cts", "getJobRecord": "ctsr",
	"listRecords": "ctsr", "getRecord": "ctsr", "getRecordForm": "ctsr",
	"addRecord": "c", "changeRecord": "c", "previewRecord": "c", "undoRecordChange": "c", "leaveFleet": "c", "addCircuit": "c", "changeCircuit": "c", "returnToFleet": "c", "getStartingRegister": "c", "takeStartingRegister": "c",
}

// Route by route: who is named gets in, who is not is refused, and the person who is not
// signed in reaches nothing that is not public.
func TestRolesByOperation(t *testing.T) {
	contract, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	seen := map[string]bool{}
	for path, item := range contract.Paths.Map() {
		for method, operation := range item.Operations() {
			named, known := mayCall[operation.OperationID]
			if !known {
				t.Errorf("%s %s, %s: nobody has written down who may call it", method, path, operation.OperationID)
			}
			seen[operation.OperationID] = true
			where := strings.NewReplacer("{code}", "CA-14", "{question}", "protects", "{token}", "none", "{id}", "999999").Replace(path)
			for _, role := range append([]access.Role{""}, access.Roles...) {
				if operation.OperationID == "signOut" && role != "" {
					continue // has a test of its own
				}
				var body any
				if operation.RequestBody != nil {
					body = "{}" // refused as incomplete, after the role was looked at
				}
				letter := "-"
				if role != "" {
					letter = string(role[0])
				}
				may := strings.Contains(named, letter)
				res, text := ask(t, method, where, body, as(role)...)
				refused := res.StatusCode == http.StatusUnauthorized && role == "" || res.StatusCode == http.StatusForbidden
				if refused == may || res.StatusCode >= 500 {
					t.Errorf("%s %s as %q: %d %.200s; may: %v", method, path, role, res.StatusCode, text, may)
				}
			}
		}
	}
	for operation := range mayCall {
		if !seen[operation] {
			t.Errorf("the contract has no %s", operation)
		}
	}
}

// The roles within the books: a reader writes nothing, a technician strikes only
// their own, an aircraft is released by a signatory.
func TestRolesInTheBooks(t *testing.T) {
	at := noon.Add(-2 * time.Hour)
	write := func(r access.Role, unit string, e m) (int, string) {
		res, text := ask(t, "POST", "/api/v1/units/"+unit+"/entries", e, as(r)...)
		return res.StatusCode, string(text)
	}
	theirs := entry("note", at, m{"text": "seen"})
	own := entry("note", at, m{"text": "seen too"})
	strike := func(e m) m { return entry("strike", at, m{"entry": e["id"], "why": "not so"}) }
	release := m{"what": "coolant renewed", "certificate": "SS-104", "certificateKind": "inspection authorisation", "data": "MM 75-20"}
	for _, c := range []struct {
		name   string
		role   access.Role
		unit   string
		entry  m
		status int
	}{
		{"a reader writes", access.Reader, "CA-22", theirs, 403},
		{"the coordinator writes", access.Coordinator, "CA-22", theirs, 201},
		{"a technician strikes another's", access.Technician, "CA-22", strike(theirs), 403},
		{"a technician writes", access.Technician, "CA-22", own, 201},
		{"a technician strikes their own", access.Technician, "CA-22", strike(own), 201},
		{"the coordinator strikes another's", access.Coordinator, "CA-22", strike(theirs), 201},
		{"a technician holds an aircraft", access.Technician, "AV-02", entry("hold", at, m{"why": "hose chafed"}), 201},
		{"the coordinator releases an aircraft", access.Coordinator, "AV-02", entry("release", at.Add(time.Minute), release), 403},
		{"a signatory releases it without a certificate", access.Signatory, "AV-02", entry("release", at.Add(time.Minute), m{"what": "hose renewed"}), 422},
		{"a signatory releases it", access.Signatory, "AV-02", entry("release", at.Add(time.Minute), release), 201},
	} {
		if status, text := write(c.role, c.unit, c.entry); status != c.status {
			t.Errorf("%s: %d %s", c.name, status, text)
		}
	}
	if a := get[api.Account](t, "/api/v1/units/AV-02"); a.Held != nil || a.MayRelease {
		t.Errorf("after the release: held %v; the coordinator may release: %v", a.Held, a.MayRelease)
	}
}

func TestSignIn(t *testing.T) {
	p := demo.People[2]
	signIn := func(email, password string) (*http.Response, string) {
		res, text := ask(t, "POST", "/api/v1/session", m{"email": email, "password": password}, "Cookie", "")
		return res, string(text)
	}
	res, text := signIn(strings.ToUpper(p.Email)+" ", p.Password)
	if res.StatusCode != http.StatusOK || !strings.Contains(text, p.Name) {
		t.Fatalf("%d %s", res.StatusCode, text)
	}
	for _, c := range res.Cookies() {
		if c.Name == "session" && !(c.HttpOnly && c.Secure && c.SameSite == http.SameSiteLaxMode && c.Path == "/" && len(c.Value) >= 32) {
			t.Errorf("the session's cookie is %+v", c)
		}
	}
	first := sessionOf(res)
	// Signing in within a session gives it another name, and the old one is dead.
	res, _ = ask(t, "POST", "/api/v1/session", m{"email": p.Email, "password": p.Password}, "Cookie", first)
	second := sessionOf(res)
	if second == "" || second == first {
		t.Errorf("signed in again: %q after %q", second, first)
	}
	in := func(cookie string) bool {
		res, text := ask(t, "GET", "/api/v1/session", nil, "Cookie", cookie)
		return res.StatusCode == http.StatusOK && strings.Contains(string(text), `"person"`)
	}
	if in(first) || !in(second) || in("session=made-up") || in("") {
		t.Errorf("first %v, second %v, made up %v, none %v", in(first), in(second), in("session=made-up"), in(""))
	}
	res, _ = signIn(p.Email, p.Password)
	third := sessionOf(res)
	if res, text := ask(t, "DELETE", "/api/v1/session", nil, "Cookie", second); res.StatusCode != http.StatusNoContent || in(second) || !in(third) {
		t.Errorf("signed out: %d %s, second %v, third %v", res.StatusCode, text, in(second), in(third))
	}
	res, _ = signIn(p.Email, p.Password)
	fourth := sessionOf(res)
	if res, _ := ask(t, "DELETE", "/api/v1/session?everywhere=true", nil, "Cookie", third); res.StatusCode != http.StatusNoContent || in(third) || in(fourth) {
		t.Errorf("signed out everywhere: %d, third %v, fourth %v", res.StatusCode, in(third), in(fourth))
	}
	lines := get[[]api.AuditLine](t, "/api/v1/audit?limit=500")
	for _, what := range []string{"signed_in", "signed_out", "signed_out_everywhere"} {
		if !slices.ContainsFunc(lines, func(l api.AuditLine) bool { return l.What == what && l.Who == p.Name && l.Address == "127.0.0.1" }) {
			t.Errorf("the audit does not tell of %s", what)
		}
	}
	if older := get[[]api.AuditLine](t, fmt.Sprintf("/api/v1/audit?before=%d&limit=1", lines[0].Id)); len(older) != 1 || older[0].Id >= lines[0].Id {
		t.Errorf("older lines: %+v", older)
	}
}

// After five wrong tries an account waits, each further one doubling it; the
// right password does not get in meanwhile, and does afterwards.
func TestThrottle(t *testing.T) {
	if _, err := service.Store.AddPerson(t.Context(), store.Person{Name: "W. Slow", Email: "slow@skerrow.example", Role: access.Reader, Password: mustHash(t, "right right right")}); err != nil {
		t.Fatal(err)
	}
	try := func(password string) (int, string, string) {
		res, text := ask(t, "POST", "/api/v1/session", m{"email": "slow@skerrow.example", "password": password}, "Cookie", "")
		return res.StatusCode, string(text), res.Header.Get("Retry-After")
	}
	for i := range 5 {
		if status, text, _ := try("wrong"); status != http.StatusUnauthorized || strings.Contains(text, "slow@") {
			t.Fatalf("wrong try %d: %d %s", i, status, text)
		}
	}
	status, text, after := try("right right right")
	if status != http.StatusTooManyRequests || !regexp.MustCompile(`counts in (29|30) s`).MatchString(text) || after != "30" && after != "29" {
		t.Errorf("the sixth: %d %s, Retry-After %q", status, text, after)
	}
	forward(31 * time.Second)
	if status, _, _ := try("wrong"); status != http.StatusUnauthorized {
		t.Errorf("after the wait: %d", status)
	}
	if status, text, _ := try("right right right"); status != http.StatusTooManyRequests || !strings.Contains(text, "59 s") && !strings.Contains(text, "1 min 0 s") {
		t.Errorf("the wait is not doubled: %d %s", status, text)
	}
	forward(61 * time.Second)
	if status, text, _ := try("right right right"); status != http.StatusOK {
		t.Errorf("after the second wait: %d %s", status, text)
	}
	// An address no one has is answered like a wrong password.
	for _, email := range []string{"nobody@skerrow.example", "' OR 1=1 --"} {
		if res, text := ask(t, "POST", "/api/v1/session", m{"email": email, "password": "x"}, "Cookie", ""); res.StatusCode != http.StatusUnauthorized {
			t.Errorf("%s: %d %s", email, res.StatusCode, text)
		}
	}
	if err := service.Store.ClearThrottle(context.Background(), "address 127.0.0.1"); err != nil {
		t.Fatal(err)
	}
}

func mustHash(t *testing.T, password string) string {
	t.Helper()
	hash, err := service.Hash(password)
	if err != nil || !strings.HasPrefix(hash, "$argon2id$") {
		t.Fatalf("%s, %v", hash, err)
	}
	return hash
}

var linkIn = regexp.MustCompile(`http://ledger\.test/link/([\w-]+)`)

func lastLink(t *testing.T) string {
	t.Helper()
	found := linkIn.FindStringSubmatch(mail.sent[len(mail.sent)-1])
	if found == nil {
		t.Fatalf("no link in %q", mail.sent)
	}
	return found[1]
}

// From invitation to sign-in to a forgotten password, by links that work once.
func TestInvitation(t *testing.T) {
	const email = "brook@skerrow.example"
	invite := func(name, email, role string) (int, string) {
		res, text := ask(t, "POST", "/api/v1/people", m{"name": name, "email": email, "role": role})
		return res.StatusCode, string(text)
	}
	if status, text := invite("  A.  Brook ", strings.ToUpper(email), "technician"); status != http.StatusCreated || !strings.Contains(text, `"A. Brook"`) {
		t.Fatalf("%d %s", status, text)
	}
	for name, c := range map[string][4]string{
		"a name that is taken":     {"A. Brook", "b@skerrow.example", "technician", "/name"},
		"an address that is":       {"B. Brook", email, "technician", "/email"},
		"no name":                  {" ", "b@skerrow.example", "technician", "/name"},
		"no address":               {"B. Brook", "brook at skerrow", "technician", "/email"},
		"two lines for one":        {"B. Brook", "b@skerrow.example\r\nBcc: x@y.z", "technician", "/email"},
		"a role that is not one":   {"B. Brook", "b@skerrow.example", "king", "/role"},
		"a name of 200 characters": {strings.Repeat("x", 200), "b@skerrow.example", "reader", "/name"},
	} {
		if status, text := invite(c[0], c[1], c[2]); status != http.StatusUnprocessableEntity || !strings.Contains(text, `"`+c[3]+`"`) {
			t.Errorf("%s: %d %s", name, status, text)
		}
	}
	use := func(token, password string) (*http.Response, string) {
		res, text := ask(t, "POST", "/api/v1/links/"+token, m{"password": password}, "Cookie", "")
		return res, string(text)
	}
	token := lastLink(t)
	var link api.OneTimeLink
	res, text := ask(t, "GET", "/api/v1/links/"+token, nil, "Cookie", "")
	if err := json.Unmarshal(text, &link); err != nil || res.StatusCode != http.StatusOK || link.Name != "A. Brook" || link.Purpose != "invitation" {
		t.Errorf("the link says %d %s", res.StatusCode, text)
	}
	for name, password := range map[string]string{"short": "short", "of one letter": strings.Repeat("a", 20), "of the name": "I am A. Brook and nobody", "of a list": "my password is long", "that is common": "iloveyou123!", "of the program": "my diligent ledger now"} {
		if res, text := use(token, password); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(text, "four unrelated words") {
			t.Errorf("a password %s: %d %s", name, res.StatusCode, text)
		}
	}
	res, body := use(token, "tern gravel oilskin noon")
	if res.StatusCode != http.StatusOK || sessionOf(res) == "" {
		t.Fatalf("%d %s", res.StatusCode, body)
	}
	if res, body := use(token, "tern gravel oilskin two"); res.StatusCode != http.StatusGone {
		t.Errorf("used twice: %d %s", res.StatusCode, body)
	}

	forgot := func(email string) int {
		res, _ := ask(t, "POST", "/api/v1/password-reset", m{"email": email}, "Cookie", "")
		return res.StatusCode
	}
	sent := len(mail.sent)
	if forgot("nobody@skerrow.example") != http.StatusAccepted || len(mail.sent) != sent {
		t.Error("an address nobody has got mail, or was told apart")
	}
	if forgot(email) != http.StatusAccepted || len(mail.sent) != sent+1 {
		t.Error("no link was sent")
	}
	old := lastLink(t)
	forgot(email)
	if res, _ := use(old, "tern gravel oilskin three"); res.StatusCode != http.StatusGone {
		t.Errorf("an earlier link still works: %d", res.StatusCode)
	}
	forward(3 * time.Hour)
	if res, _ := use(lastLink(t), "tern gravel oilskin three"); res.StatusCode != http.StatusGone {
		t.Errorf("a link three hours old: %d", res.StatusCode)
	}
	forgot(email)
	res, body = use(lastLink(t), "tern gravel oilskin four")
	again := sessionOf(res)
	if res.StatusCode != http.StatusOK {
		t.Fatalf("reset: %d %s", res.StatusCode, body)
	}
	for range 4 {
		forgot(email)
	}
	if status := forgot(email); status != http.StatusTooManyRequests {
		t.Errorf("asking without end: %d", status)
	}

	// Closed by the coordinator, the account's sessions end at once.
	people := get[[]api.Person](t, "/api/v1/people")
	i := slices.IndexFunc(people, func(p api.Person) bool { return p.Email == email })
	path := fmt.Sprint("/api/v1/people/", people[i].Id)
	if res, text := ask(t, "PATCH", path, m{"active": false}); res.StatusCode != http.StatusOK {
		t.Errorf("closing: %d %s", res.StatusCode, text)
	}
	if res, _ := ask(t, "GET", "/api/v1/morning", nil, "Cookie", again); res.StatusCode != http.StatusUnauthorized {
		t.Errorf("a closed account reads on: %d", res.StatusCode)
	}
	if res, _ := ask(t, "POST", "/api/v1/session", m{"email": email, "password": "tern gravel oilskin four"}, "Cookie", ""); res.StatusCode != http.StatusUnauthorized {
		t.Errorf("a closed account signs in: %d", res.StatusCode)
	}
	me := slices.IndexFunc(people, func(p api.Person) bool { return p.Role == api.Role(access.Coordinator) })
	if res, text := ask(t, "PATCH", fmt.Sprint("/api/v1/people/", people[me].Id), m{"role": "reader"}); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "no other") {
		t.Errorf("the last coordinator: %d %s", res.StatusCode, text)
	}
	// An address can be corrected: not to what is none or another's; links mailed to the old one end.
	if res, text := ask(t, "PATCH", path, m{"active": true}); res.StatusCode != http.StatusOK {
		t.Fatalf("opened again: %d %s", res.StatusCode, text)
	}
	if res, text := ask(t, "POST", "/api/v1/people", m{"name": "W. Sedge", "email": "mistyped@skerrow.example", "role": "reader"}); res.StatusCode != http.StatusCreated {
		t.Fatalf("inviting: %d %s", res.StatusCode, text)
	}
	stale, sedge := lastLink(t), get[[]api.Person](t, "/api/v1/people")
	last := slices.IndexFunc(sedge, func(p api.Person) bool { return p.Name == "W. Sedge" })
	if res, text := ask(t, "PATCH", fmt.Sprint("/api/v1/people/", sedge[last].Id), m{"email": "sedge@skerrow.example"}); res.StatusCode != http.StatusOK {
		t.Fatalf("a corrected address of an invited person: %d %s", res.StatusCode, text)
	}
	for _, wrong := range []string{"nowhere", people[me].Email} {
		if res, text := ask(t, "PATCH", path, m{"email": wrong}); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "/email") {
			t.Errorf("the address %s: %d %s", wrong, res.StatusCode, text)
		}
	}
	if res, text := ask(t, "PATCH", path, m{"email": "Corrected@skerrow.example"}); res.StatusCode != http.StatusOK || !strings.Contains(string(text), `"corrected@skerrow.example"`) {
		t.Errorf("a corrected address: %d %s", res.StatusCode, text)
	}
	if res, text := use(stale, "tern gravel oilskin five"); res.StatusCode != http.StatusGone {
		t.Errorf("the link to the address before: %d %s", res.StatusCode, text)
	}
	if res, _ := ask(t, "POST", "/api/v1/session", m{"email": "corrected@skerrow.example", "password": "tern gravel oilskin four"}, "Cookie", ""); res.StatusCode != http.StatusOK {
		t.Errorf("signing in with the corrected address: %d", res.StatusCode)
	}
	if res, text := ask(t, "PATCH", path, m{"active": false}); res.StatusCode != http.StatusOK {
		t.Fatalf("closed again: %d %s", res.StatusCode, text)
	}
	if res, text := ask(t, "POST", path+"/invitation", nil); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "account is closed") {
		t.Errorf("a closed account is invited again: %d %s", res.StatusCode, text)
	}
	lines := get[[]api.AuditLine](t, "/api/v1/audit")
	for _, what := range []string{"invited", "password_chosen", "password_forgotten", "person_changed"} {
		if !slices.ContainsFunc(lines, func(l api.AuditLine) bool { return l.What == what }) {
			t.Errorf("the audit does not tell of %s", what)
		}
	}
}

// Lines of one unit sent in another order, twice, by two people at once, give
// the account they would have given in order.
func TestOutOfOrderTwiceAndTogether(t *testing.T) {
	at := func(minutes int) time.Time { return noon.Add(time.Duration(minutes-300) * time.Minute) }
	life := func() []m {
		wrong := entry("top_up", at(20), m{"volume": reading(3, "L"), "with": "water"})
		return []m{
			entry("renewal", at(0), m{"volume": reading(14, "L"), "product": "TERN-PG-50", "meter": reading(2700, "h"), "emptied": true}),
			entry("top_up", at(10), m{"volume": reading(0.5, "L"), "with": "water"}), wrong,
			entry("strike", at(30), m{"entry": wrong["id"], "why": "typed wrong"}),
			entry("freeze_test", at(40), m{"value": reading(-32, "degC"), "instrument": "refractometer", "scale": "PG"}),
			entry("meter", at(50), m{"meter": reading(2703, "h")}),
			entry("loss", at(60), m{"volume": reading(0.2, "L"), "cause": "spill"}),
		}
	}
	// A strike that comes before the entry it strikes waits, and sent again.
	post := func(unit string, e m, r access.Role) (again bool) {
		res, text := ask(t, "POST", "/api/v1/units/"+unit+"/entries", e, as(r)...)
		if again = e["kind"] == "strike" && res.StatusCode == http.StatusForbidden && strings.Contains(string(text), "the entry it strikes first"); again {
			return true
		}
		if res.StatusCode != http.StatusCreated {
			t.Errorf("%s %s: %d %s", unit, e["kind"], res.StatusCode, text)
		}
		return false
	}
	sent := life()
	for _, e := range sent {
		e["confirmed"] = true // water went onto a premix
	}
	finished := make(chan bool)
	for range 2 {
		go func() {
			defer func() { finished <- true }()
			var later []m
			for i := len(sent) - 1; i >= 0; i-- {
				if post("HB-11", sent[i], access.Technician) {
					later = append(later, sent[i])
				}
			}
			for _, e := range later {
				if post("HB-11", e, access.Technician) {
					t.Errorf("%s still has to wait", e["kind"])
				}
			}
		}()
	}
	<-finished
	<-finished
	got := get[api.Account](t, "/api/v1/units/HB-11")
	// What they would have given in order: the core's own fold.
	f := demo.Fleet(noon)
	u := f.Units[slices.IndexFunc(f.Units, func(u store.LoadedUnit) bool { return u.Code == "HB-11" })]
	entries := u.Entries
	for _, e := range sent {
		at, err := time.Parse(time.RFC3339Nano, e["at"].(string))
		if err != nil {
			t.Fatal(err)
		}
		content := e[ledger.FieldName(ledger.Kind(e["kind"].(string)))].(m)
		if code, ok := content["product"].(string); ok {
			content["product"] = f.Products[slices.IndexFunc(f.Products, func(p coolant.Product) bool { return p.Code == code })]
		}
		text, err := json.Marshal(content)
		if err != nil {
			t.Fatal(err)
		}
		body, err := ledger.ParseBody(ledger.Kind(e["kind"].(string)), text)
		if err != nil {
			t.Fatal(err)
		}
		entries = append(entries, ledger.Entry{ID: e["id"].(string), Unit: u.Code, At: at, Body: body})
	}
	want := ledger.Fold(f.Ledger(u, f.Plans[slices.IndexFunc(f.Plans, func(p serviceplan.Plan) bool { return p.Name == u.Plan })]), entries)
	if len(got.Lines) != len(want.Lines) {
		t.Fatalf("%d lines, want %d", len(got.Lines), len(want.Lines))
	}
	for i, l := range got.Lines {
		w := want.Lines[i]
		if l.Id.String() != w.Entry.ID || (l.Struck == nil) != (w.Struck == nil) {
			t.Errorf("line %d is %s %s, want %s", i, l.Kind, l.Id, w.Entry.ID)
		}
		if a, b := l.After.Freeze, w.After.Freeze; (a == nil) != (b == nil) || a != nil && math.Abs(*a-float64(*b)) > 1e-9 {
			t.Errorf("line %d, %s: the book says %v, want %v", i, l.Kind, a, b)
		}
	}
	if _, breaks, err := service.Store.Verify(t.Context(), nil); err != nil || len(breaks) > 0 {
		t.Errorf("the chains: %v, %v", breaks, err)
	}
}

// A wrong entry is struck and written anew in one act, or not at all.
func TestStrikeAndRewrite(t *testing.T) {
	at := noon.Add(-30 * time.Minute)
	wrong := entry("freeze_test", at, freezeTest(-3))
	if res, text := ask(t, "POST", "/api/v1/units/CA-40/entries", wrong); res.StatusCode != http.StatusCreated {
		t.Fatalf("%d %s", res.StatusCode, text)
	}
	right := entry("freeze_test", at, freezeTest(-36))
	right["strikes"] = m{"id": uuid.Must(uuid.NewV7()).String(), "entry": wrong["id"], "why": "typed −3 for −36"}
	bad := entry("freeze_test", at, freezeTest(12))
	bad["strikes"] = m{"id": uuid.Must(uuid.NewV7()).String(), "entry": wrong["id"], "why": "typed wrong again"}
	if res, _ := ask(t, "POST", "/api/v1/units/CA-40/entries", bad); res.StatusCode != http.StatusUnprocessableEntity {
		t.Errorf("a wrong rewrite: %d", res.StatusCode)
	}
	struck := func() (all []api.Line) {
		for _, l := range get[api.Account](t, "/api/v1/units/CA-40").Lines {
			if l.Struck != nil {
				all = append(all, l)
			}
		}
		return all
	}
	before := len(struck())
	for range 2 { // and once more, as a phone would that got no answer
		if res, text := ask(t, "POST", "/api/v1/units/CA-40/entries", right); res.StatusCode != http.StatusCreated {
			t.Errorf("%d %s", res.StatusCode, text)
		}
	}
	after := struck()
	if len(after) != before+1 || after[len(after)-1].Struck.Why != "typed −3 for −36" || after[len(after)-1].Struck.By != "E. Marrow" {
		t.Errorf("struck: %+v", after)
	}
}

// A name can be changed: it is nobody else's, the session goes on, and what was recorded under either name is
// found under the new one and stays its writer's own.
func TestNameChanged(t *testing.T) {
	at := noon.Add(-4 * time.Hour)
	before, after := entry("note", at, m{"text": "under the first name"}), entry("note", at.Add(time.Minute), m{"text": "under the second name"})
	own := as(access.Technician)
	answered[api.Receipt](t, "POST", "/api/v1/units/CA-16/entries", before, http.StatusCreated, own...)
	people := get[[]api.Person](t, "/api/v1/people")
	session, text := ask(t, "GET", "/api/v1/session", nil, own...)
	var me api.Session
	if session.StatusCode != http.StatusOK || json.Unmarshal(text, &me) != nil || me.Person == nil {
		t.Fatalf("%d %s", session.StatusCode, text)
	}
	i := slices.IndexFunc(people, func(p api.Person) bool { return p.Name == me.Person.Name })
	other := slices.IndexFunc(people, func(p api.Person) bool { return p.Role == api.Role(access.Coordinator) })
	path := fmt.Sprint("/api/v1/people/", people[i].Id)
	for _, wrong := range []string{"", "x", people[other].Name, strings.Replace(people[other].Name, "a", "а", 1), "token of nobody"} { // the last but one with a Cyrillic a
		if res, text := ask(t, "PATCH", path, m{"name": wrong}); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "/name") {
			t.Errorf("the name %q: %d %s", wrong, res.StatusCode, text)
		}
	}
	was := people[i].Name
	changed := answered[api.Person](t, "PATCH", path, m{"name": "  Quill   Married-Name "}, http.StatusOK)
	if changed.Name != "Quill Married-Name" {
		t.Errorf("the name is %q", changed.Name)
	}
	defer func() { answered[api.Person](t, "PATCH", path, m{"name": was}, http.StatusOK) }()
	answered[api.Receipt](t, "POST", "/api/v1/units/CA-16/entries", after, http.StatusCreated, own...)
	for name, want := range map[string][]any{"Married-Name": {before["id"], after["id"]}, strings.ReplaceAll(was, " ", "%20"): {before["id"]}} {
		_, text := ask(t, "GET", "/api/v1/entries?unit=CA-16&writer="+name, nil)
		for _, id := range want {
			if !strings.Contains(string(text), id.(string)) {
				t.Errorf("by %s: %v is not found", name, id)
			}
		}
	}
	// Both are its writer's own to strike.
	for _, e := range []m{before, after} {
		answered[api.Receipt](t, "POST", "/api/v1/units/CA-16/entries", entry("strike", noon.Add(-time.Hour), m{"entry": e["id"], "why": "written for a test"}), http.StatusCreated, own...)
	}
}
