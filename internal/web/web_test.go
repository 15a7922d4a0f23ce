package web_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"math"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"testing/fstest"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/google/uuid"

	"diligentledger/api"
	"diligentledger/core/access"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/demo"
	"diligentledger/internal/fleet"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/mariadb/mariadbtest"
	"diligentledger/internal/people"
	"diligentledger/internal/store"
	"diligentledger/internal/testday"
	"diligentledger/internal/web"
)

var (
	instance *mariadb.Instance
	server   *httptest.Server
	service  *people.Service
	mail     = &letters{}
	// cookies of the sessions of one person of each role.
	cookies = map[access.Role]string{}
	// now runs a millisecond on at each look, so that no two entries coincide.
	ticks atomic.Int64
	noon  = dayOfTests()
)

// dayOfTests is 24 November 2026 unless another is named, at noon UTC.
func dayOfTests() time.Time {
	y, mo, d := testday.Day(time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC)).Date()
	return time.Date(y, mo, d, 12, 0, 0, 0, time.UTC)
}

// frost is whether the nights of the demo fleet are cold enough, on the day of these tests, to hold what freezes.
func frost() bool {
	month := noon.Month()
	return month >= time.November || month <= time.February
}

// forward moves the clock on.
func forward(d time.Duration) { ticks.Add(d.Milliseconds()) }

func now() time.Time { return noon.Add(time.Duration(ticks.Add(1)) * time.Millisecond) }

var screens = fstest.MapFS{
	"index.html":         {Data: []byte(`<meta name="style-nonce" content="__NONCE__">`)},
	"assets/app-1234.js": {Data: []byte(`1`)},
	"vial.svg":           {Data: []byte(`<svg/>`)},
}

func TestMain(m *testing.M) {
	mariadbtest.Main(m, func(i *mariadb.Instance) {
		instance = i
		owner, err := store.Open(i.OwnerDSN(), now)
		if err != nil {
			panic(err)
		}
		if err := owner.Load(context.Background(), demo.Fleet(noon)); err != nil {
			panic(err)
		}
		st, err := store.Open(i.AppDSN(), now)
		if err != nil {
			panic(err)
		}
		server = httptest.NewServer(handler(st, 10_000))
		if err := service.AddDemo(context.Background(), demo.People); err != nil {
			panic(err)
		}
		for _, p := range demo.People {
			res, _, err := send(context.Background(), "POST", "/api/v1/session", map[string]any{"email": p.Email, "password": p.Password})
			if err != nil || res.StatusCode != http.StatusOK {
				panic(fmt.Sprint(p.Email, " cannot sign in: ", err))
			}
			if cookies[p.Role] == "" { // the first of a role
				cookies[p.Role] = sessionOf(res)
			}
		}
	})
}

// letters is an outbox that keeps what was sent.
type letters struct {
	sent   []string
	broken error // of the next mail; nil for none
}

func (l *letters) Send(_ context.Context, to, subject, text string) error {
	if l.broken != nil {
		return l.broken
	}
	l.sent = append(l.sent, to+"\n"+subject+"\n"+text)
	return nil
}

func handler(st *store.Store, rate float64) http.Handler {
	// A small memory, since the race detector makes hashing slow.
	p, err := people.New(people.Config{Store: st, Outbox: mail, Address: "http://ledger.test", Now: now, Memory: 64})
	if err != nil {
		panic(err)
	}
	if service == nil {
		service = p
		if err := p.OpenDevices(context.Background()); err != nil {
			panic(err)
		}
		if _, err := fleet.New(st, now).RefreshStatus(context.Background()); err != nil {
			panic(err)
		}
	}
	h, err := web.New(web.Config{Fleet: fleet.New(st, now), People: p, Demo: demo.People, Screens: screens, Log: slog.New(slog.DiscardHandler), Rate: rate, Stream: 2 * time.Second})
	if err != nil {
		panic(err)
	}
	return h
}

func sessionOf(res *http.Response) string {
	for _, c := range res.Cookies() {
		if c.Name == "session" && c.MaxAge >= 0 {
			return "session=" + c.Value
		}
	}
	return ""
}

// ask sends a request as a page of the application itself would, signed in as
// the coordinator unless extra, which holds headers as pairs, has a Cookie.
func ask(t *testing.T, method, path string, body any, extra ...string) (*http.Response, []byte) {
	t.Helper()
	res, text, err := send(t.Context(), method, path, body, append([]string{"Cookie", cookies[access.Coordinator]}, extra...)...)
	if err != nil {
		t.Fatal(err)
	}
	return res, text
}

func send(ctx context.Context, method, path string, body any, extra ...string) (*http.Response, []byte, error) {
	var reader io.Reader
	switch b := body.(type) {
	case nil:
	case string:
		reader = strings.NewReader(b)
	default:
		text, err := json.Marshal(b)
		if err != nil {
			return nil, nil, err
		}
		reader = bytes.NewReader(text)
	}
	req, err := http.NewRequestWithContext(ctx, method, server.URL+path, reader)
	if err != nil {
		return nil, nil, err
	}
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	if body != nil {
		req.Header.Set("Content-Type", "application/json")
	}
	for i := 0; i+1 < len(extra); i += 2 {
		if req.Header.Set(extra[i], extra[i+1]); extra[i] == "Host" {
			req.Host = extra[i+1]
		}
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return nil, nil, err
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	return res, text, err
}

func get[T any](t *testing.T, path string) (out T) {
	t.Helper()
	res, body := ask(t, "GET", path, nil)
	if res.StatusCode != http.StatusOK {
		t.Fatalf("GET %s: %d %s", path, res.StatusCode, body)
	}
	if err := json.Unmarshal(body, &out); err != nil {
		t.Fatal(err)
	}
	return out
}

type m = map[string]any

func entry(kind string, at time.Time, content m) m {
	return m{"id": uuid.Must(uuid.NewV7()).String(), "kind": kind, "at": at.Format(time.RFC3339Nano), ledger.FieldName(ledger.Kind(kind)): content}
}

func reading(v float64, unit string) m { return m{"value": v, "unit": unit} }

func freezeTest(c float64) m {
	return m{"value": reading(c, "degC"), "instrument": "refractometer", "scale": "EG"}
}

func TestHealth(t *testing.T) {
	for path, want := range map[string]string{"/healthz": "up", "/readyz": "ready"} {
		if s := get[api.State](t, path); s.Status != want {
			t.Errorf("%s: %q", path, s.Status)
		}
	}
	doc := get[m](t, "/api/openapi.json")
	if doc["openapi"] != "3.0.3" || doc["paths"].(m)["/api/v1/morning"] == nil {
		t.Errorf("contract served: %v", doc["openapi"])
	}
}

// The demo fleet shows every verdict, the worst first and, within a verdict,
// the soonest first.
func TestMorning(t *testing.T) {
	morning := get[api.Morning](t, "/api/v1/morning")
	rank := map[api.Verdict]int{"hold": 0, "overdue": 1, "due": 2, "watch": 3, "unknown": 4, "sound": 5}
	seen := map[api.Verdict]int{}
	for i, r := range morning.Rows {
		seen[r.Verdict]++
		if i == 0 {
			continue
		}
		before := morning.Rows[i-1]
		if rank[before.Verdict] > rank[r.Verdict] {
			t.Errorf("%s (%s) stands before %s (%s)", before.Unit.Code, before.Verdict, r.Unit.Code, r.Verdict)
		}
		if before.Verdict == r.Verdict && before.Clock.Due != nil && r.Clock.Due != nil && before.Clock.Due.After(r.Clock.Due.Time) {
			t.Errorf("%s is due after %s and stands before it", before.Unit.Code, r.Unit.Code)
		}
	}
	if len(seen) < len(rank)-1 || len(morning.Rows) < 12 {
		t.Errorf("%d units, verdicts %v", len(morning.Rows), seen)
	}
	if morning.Today.Format(time.DateOnly) != dayAfter(0) || morning.Tonight == nil || morning.Tonight.Site != "Hill garage" {
		t.Errorf("today %v, tonight %+v", morning.Today, morning.Tonight)
	}
}

// Checks owed, books that do not balance, and the nights ahead, whatever governs
// the units.
func TestMorningSections(t *testing.T) {
	m := get[api.Morning](t, "/api/v1/morning")
	find := func(code string) *api.DiscrepancyRow {
		for i := range m.Discrepancies {
			if m.Discrepancies[i].Unit.Code == code {
				return &m.Discrepancies[i]
			}
		}
		return nil
	}
	if r := find("CA-35"); r == nil || math.Abs(r.Measured+26) > 1e-6 || r.Book == nil || r.Likeliest == nil || r.Likeliest.Cause != "leak_and_refill" {
		t.Errorf("CA-35 among the books that do not balance: %+v", r)
	}
	if find("CA-20") != nil {
		t.Error("CA-20 is said not to balance")
	}
	caught := map[string]bool{}
	for i, r := range m.Nights {
		caught[r.Unit.Code] = true
		if r.Clock.Kind != "freeze" || *r.Clock.Days >= 10 || i > 0 && r.Unit.Site == m.Nights[i-1].Unit.Site && r.Clock.Due.Before(m.Nights[i-1].Clock.Due.Time) {
			t.Errorf("the night of %s: %+v", r.Unit.Code, r.Clock)
		}
	}
	if frost() && !caught["TK-21"] || caught["CA-20"] {
		t.Errorf("the next nights catch %v", caught)
	}
	owes := false
	for _, r := range m.PendingChecks {
		owes = owes || r.Unit.Code == "TK-32"
		if r.Clock.Kind != "follow_up" {
			t.Errorf("%s owes a %s", r.Unit.Code, r.Clock.Kind)
		}
	}
	if !owes {
		t.Errorf("TK-32 was renewed yesterday and owes nothing: %+v", m.PendingChecks)
	}
}

// The Horizon has every unit with the clock that governs it, and gives all clocks
// of those in sight; each window is in order and holds its middle.
func TestHorizon(t *testing.T) {
	h := get[api.Horizon](t, "/api/v1/horizon?limit=500")
	if len(h.Rows) < 55 || h.Total != len(h.Rows) || h.Count != h.Total || len(h.Sites) != 4 || len(h.Sites[0].Seasons) < 3 {
		t.Fatalf("%d rows, sites %+v", len(h.Rows), h.Sites)
	}
	windows := 0
	var codes []string
	for _, r := range h.Rows {
		codes = append(codes, r.Unit.Code)
	}
	if all := get[[]string](t, "/api/v1/horizon/units"); !slices.Equal(all, codes) {
		t.Errorf("codes %v, want %v", all, codes)
	}
	if page := get[api.Horizon](t, "/api/v1/horizon?limit=10&offset=20"); len(page.Rows) != 10 || page.Rows[0].Unit.Code != codes[20] || page.Count != len(codes) {
		t.Errorf("a page: %d rows, %d in all", len(page.Rows), page.Count)
	}
	for _, r := range h.Rows {
		if len(r.Clocks) == 0 || r.Clocks[0].Verdict != r.Verdict {
			t.Errorf("%s is %s, and its clocks are %+v", r.Unit.Code, r.Verdict, r.Clocks)
		}
		for _, c := range r.Clocks {
			w := c.Window
			if w == nil {
				continue
			}
			windows++
			if w.P10.After(w.P50.Time) || w.P50.After(w.P90.Time) || c.Due == nil || !c.Due.Equal(w.P50.Time) {
				t.Errorf("%s, %s: %v to %v, due %v", r.Unit.Code, c.Kind, w.P10, w.P90, c.Due)
			}
		}
	}
	for query, field := range map[string]string{"limit=501": "limit", "sort=constructor": "sort", "verdict=fine": "verdict", "offset=-1": "offset"} {
		if res, text := ask(t, "GET", "/api/v1/horizon?"+query, nil); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), field) {
			t.Errorf("%s: %d %.300s", query, res.StatusCode, text)
		}
	}
	if windows < 50 {
		t.Errorf("%d windows", windows)
	}
}

func TestUnitsAndProducts(t *testing.T) {
	if found := get[[]api.UnitName](t, "/api/v1/units?q=gritter,+6x4"); len(found) != 1 || found[0].Code != "TK-21" {
		t.Errorf("gritter: %+v", found)
	}
	if found := get[[]api.UnitName](t, "/api/v1/units?limit=3"); len(found) != 3 {
		t.Errorf("limit: %+v", found)
	}
	if found := get[[]api.UnitName](t, "/api/v1/units?q=nothing+like+it"); found == nil || len(found) != 0 {
		t.Errorf("none: %+v", found)
	}
	if products := get[[]api.Product](t, "/api/v1/products"); len(products) < 4 {
		t.Errorf("products: %+v", products)
	}
}

// An entry through the whole house: previewed, written, sent again, read back.
func TestWriteEntry(t *testing.T) {
	before := get[api.Account](t, "/api/v1/units/CA-22")
	body := entry("top_up", noon.Add(-time.Hour), m{"volume": reading(1.9, "qt_us"), "with": "water"})
	// Water onto a premix is asked about, and recorded once it is confirmed.
	if res, text := ask(t, "POST", "/api/v1/units/CA-22/entries", body); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "The same premix first") || !strings.Contains(string(text), `"question":true`) {
		t.Errorf("water onto a premix: %d %s", res.StatusCode, text)
	}
	body["confirmed"] = true
	res, text := ask(t, "POST", "/api/v1/units/CA-22/entries/preview", body)
	var effect api.EntryEffect
	if err := json.Unmarshal(text, &effect); err != nil || res.StatusCode != http.StatusOK {
		t.Fatalf("preview: %d %s", res.StatusCode, text)
	}
	// 1.9 US qt are 1.80 L; 7.2 of 9 L of 50 % are left, plus water: 40 % by
	// volume, which the handbook has at 42.5 % by mass and about −24.8 °C.
	if p := effect.After.ProtectsTo; p == nil || math.Abs(*p+24.8) > 0.6 || math.Abs(*effect.After.Balance.Glycol-40) > 0.3 {
		t.Errorf("preview: %+v", effect.After)
	}
	if *effect.Before.ProtectsTo != *before.ProtectsTo || effect.Line.Implied == nil {
		t.Errorf("preview: before %v, line %+v", *effect.Before.ProtectsTo, effect.Line)
	}
	if n := len(get[api.Account](t, "/api/v1/units/CA-22").Lines); n != len(before.Lines) {
		t.Error("a preview was stored")
	}
	var receipts [2][]byte
	for i := range receipts {
		res, text := ask(t, "POST", "/api/v1/units/CA-22/entries", body)
		if receipts[i] = text; res.StatusCode != http.StatusCreated {
			t.Fatalf("write: %d %s", res.StatusCode, text)
		}
	}
	if !bytes.Equal(receipts[0], receipts[1]) {
		t.Errorf("sent twice, answered\n%s\n%s", receipts[0], receipts[1])
	}
	after := get[api.Account](t, "/api/v1/units/CA-22")
	last := after.Lines[len(after.Lines)-1]
	if len(after.Lines) != len(before.Lines)+1 || !strings.Contains(string(last.Body), `"volume":{"unit":"qt_us","value":1.9}`) || *last.RecordedBy != "E. Marrow" {
		t.Errorf("read back: %d lines, %+v", len(after.Lines), last)
	}
	if *after.ProtectsTo != *effect.After.ProtectsTo || after.Status.Clocks[0].Kind != effect.After.Status.Clocks[0].Kind {
		t.Errorf("protects to %v, previewed %v", *after.ProtectsTo, *effect.After.ProtectsTo)
	}
}

// Every kind can be written, and reads back as it was sent.
func TestWriteEveryKind(t *testing.T) {
	at := noon.Add(-50 * time.Minute)
	defect := entry("defect_opened", at, m{"what": "weep hole wet", "severity": "repair"})
	wrong := entry("note", at, m{"text": "meant for another unit"})
	all := []m{
		entry("opening", at, m{"history": "unknown", "meter": reading(118_000, "km")}),
		entry("renewal", at, m{"volume": reading(8.3, "L"), "product": "NORD-OAT-C", "share": 50, "meter": reading(120_000, "km"),
			"drained": []m{{"point": "petcock", "volume": reading(7.4, "L")}, {"point": "block", "volume": reading(1, "qt_us")}}, "flushes": 2, "flushWith": "water",
			"method": "vacuum", "level": "cold", "parts": []string{"cap", "drain plug washer"}, "torque": []m{{"part": "block drain", "value": reading(78, "lbf_in")}}}),
		entry("top_up", at, m{"volume": reading(300, "mL"), "with": "premix", "product": "NORD-OAT-50", "note": "roadside"}),
		entry("loss", at, m{"volume": reading(0.1, "gal_imp"), "cause": "sample"}),
		entry("freeze_test", at, m{"value": reading(49, "percent"), "instrument": "refractometer", "scale": "EG", "tool": "R-2", "zero": 0.5, "sample": reading(68, "degF")}),
		entry("chemistry_test", at, m{"ph": 8, "phTo": 8.5, "nitrite": 600, "nitriteTo": 800, "nitriteAs": "NaNO2", "strayOff": -0.05, "strayCranking": 0.04, "look": "clear", "method": "strip"}),
		entry("dose", at, m{"volume": reading(50, "mL"), "additive": "SKER-SCA", "note": "by the can"}),
		entry("extender", at, m{"volume": reading(50, "mL"), "additive": "SKER-EXT"}),
		entry("additive_filter", at, m{"additive": "SKER-AF-B", "meter": reading(120_010, "km")}),
		entry("cap_test", at, m{"opened": reading(15, "psi"), "holds": true, "vacuum": "opens", "seal": "good", "seated": true, "stage": "home"}),
		entry("hose_check", at, m{"hoses": []m{{"hose": "upper", "state": "soft", "clamp": "on_ridge"}, {"hose": "lower", "state": "good"}}}),
		entry("pressure_test", at, m{"pressure": reading(1, "bar"), "minutes": 5, "drop": reading(2, "kPa")}),
		entry("level_check", at, m{"temper": "cold", "mark": "max"}),
		entry("inspection", at, m{"points": []m{{"point": "fins", "blocked": 12}, {"point": "weep_hole", "state": "good"}}}),
		defect,
		entry("defect_closed", at, m{"defect": defect["id"], "how": "pump renewed"}),
		entry("meter", at, m{"meter": reading(75_000, "mi")}),
		entry("meter_change", at, m{"old": reading(120_800, "km"), "new": reading(4, "km")}),
		entry("zero_check", at, m{"tool": "R-2", "zero": reading(-0.5, "degC")}),
		entry("lay_up", at, m{"note": "winter"}),
		entry("return", at, m{}),
		entry("hold", at, m{"why": "loses coolant"}),
		entry("release", at, m{"what": "pump renewed", "totalTime": reading(4_810, "h")}),
		entry("combustion_test", at, m{"gas": "found", "note": "fluid went yellow"}),
		wrong,
		entry("strike", at, m{"entry": wrong["id"], "why": "meant for another unit"}),
	}
	// A car has no raw-water side.
	if len(all) != len(ledger.Kinds)-1 {
		t.Errorf("%d kinds are tried of %d", len(all), len(ledger.Kinds))
	}
	for i, e := range all {
		e["at"], e["confirmed"] = at.Add(time.Duration(i)*time.Minute).Format(time.RFC3339), true
		if res, text := ask(t, "POST", "/api/v1/units/CA-31/entries/preview", e); res.StatusCode != http.StatusOK {
			t.Errorf("preview of %s: %d %s", e["kind"], res.StatusCode, text)
		}
		if res, text := ask(t, "POST", "/api/v1/units/CA-31/entries", e); res.StatusCode != http.StatusCreated {
			t.Errorf("%s: %d %s", e["kind"], res.StatusCode, text)
		}
	}
	lines := get[api.Account](t, "/api/v1/units/CA-31").Lines
	for i, e := range all {
		name := ledger.FieldName(ledger.Kind(e["kind"].(string)))
		want, err := json.Marshal(m{name: e[name]})
		if err != nil {
			t.Fatal(err)
		}
		l := lines[len(lines)-len(all)+i]
		if got := normal(t, l.Body); got != normal(t, want) {
			t.Errorf("sent %s, read back %s", normal(t, want), got)
		}
		if struck := l.Struck != nil; struck != (l.Id.String() == wrong["id"]) {
			t.Errorf("%s: struck %v", l.Kind, struck)
		}
	}
}

func normal(t *testing.T, text []byte) string {
	t.Helper()
	var v any
	if err := json.Unmarshal(text, &v); err != nil {
		t.Fatal(err)
	}
	out, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return string(out)
}

// Bad input is answered with what is wrong and what is accepted, and stores nothing.
func TestRefusals(t *testing.T) {
	past := noon.Add(-time.Hour)
	count := func() int { return len(get[api.Account](t, "/api/v1/units/CA-14").Lines) }
	before := count()
	good := entry("freeze_test", past, freezeTest(-30))
	with := func(change func(m)) m {
		e := entry("top_up", past, m{"volume": reading(0.4, "L"), "with": "water"})
		change(e)
		return e
	}
	for _, c := range []struct {
		name    string
		path    string
		body    any
		status  int
		pointer string
		says    string
	}{
		{"negative litres", "CA-14", with(func(e m) { e["topUp"].(m)["volume"] = reading(-0.4, "L") }), 422, "/topUp/volume/value", "0.005 to 7.4 L"},
		{"a test in the future", "CA-14", entry("freeze_test", noon.AddDate(0, 0, 1), freezeTest(-30)), 422, "/at", "a time up to now, " + said(dayAfter(0))},
		{"a meter running backwards", "CA-14", entry("meter", past, m{"meter": reading(10, "km")}), 422, "/meter/meter/value", "confirm it"},
		{"a unit that does not exist", "ZZ-99", good, 404, "", "no such unit: ZZ-99"},
		{"an unknown product", "CA-14", entry("renewal", past, m{"volume": reading(7, "L"), "product": "NONE"}), 422, "/renewal/product", "register"},
		{"an unknown top-up product", "CA-14", with(func(e m) { e["topUp"].(m)["with"] = "premix"; e["topUp"].(m)["product"] = "NONE" }), 422, "/topUp/product", "register"},
		{"an entry of two strikes", "CA-14", with(func(e m) { e["strikes"] = m{"id": e["id"], "entry": uuid.NewString(), "why": "typed wrong"} }), 422, "/strikes/id", "of its own"},
		{"no content", "CA-14", m{"id": uuid.Must(uuid.NewV7()).String(), "kind": "meter", "at": past.Format(time.RFC3339)}, 422, "/meter", "the content of a meter entry"},
		{"content of another kind", "CA-14", with(func(e m) { e["loss"] = m{"volume": reading(1, "L")} }), 422, "/loss", "nothing here"},
		{"a random id", "CA-14", with(func(e m) { e["id"] = uuid.NewString() }), 422, "/id", "version 7"},
		{"no id at all", "CA-14", with(func(e m) { delete(e, "id") }), 422, "/id", "id"},
		{"an id that is none", "CA-14", with(func(e m) { e["id"] = "one" }), 422, "/id", "one"},
		{"an unknown unit of measure", "CA-14", with(func(e m) { e["topUp"].(m)["volume"] = reading(1, "bucket") }), 422, "/topUp/volume/unit", "gal_imp"},
		{"a word for a number", "CA-14", with(func(e m) { e["topUp"].(m)["volume"] = m{"value": "some", "unit": "L"} }), 422, "/topUp/volume/value", "some"},
		{"an unknown kind", "CA-14", with(func(e m) { e["kind"] = "wish" }), 422, "/kind", "freeze_test"},
		{"a date that is none", "CA-14", with(func(e m) { e["at"] = "yesterday" }), 422, "/at", "yesterday"},
		{"a field too many", "CA-14", with(func(e m) { e["colour"] = "green" }), 422, "", "colour"},
		{"a share over all", "CA-14", entry("renewal", past, m{"volume": reading(7, "L"), "product": "NORD-OAT-C", "share": 140}), 422, "/renewal/share", "100"},
		{"half of JSON", "CA-14", `{"id":`, 400, "", "JSON"},
		{"nothing", "CA-14", "", 422, "", "required"},
		{"10 MB of JSON", "CA-14", `{"note":"` + strings.Repeat("x", 10<<20) + `"}`, 413, "", "256 kB"},
	} {
		for _, tail := range []string{"/entries", "/entries/preview"} {
			res, text := ask(t, "POST", "/api/v1/units/"+c.path+tail, c.body)
			var p api.Problem
			if err := json.Unmarshal(text, &p); err != nil || res.StatusCode != c.status || p.Status != c.status ||
				!strings.HasPrefix(res.Header.Get("Content-Type"), "application/problem+json") {
				t.Errorf("%s%s: %d %.300s", c.name, tail, res.StatusCode, text)
				continue
			}
			if !strings.Contains(string(text), c.says) {
				t.Errorf("%s%s says %s; want %q in it", c.name, tail, text, c.says)
			}
			if c.pointer != "" && (p.Errors == nil || (*p.Errors)[0].Pointer != c.pointer) {
				t.Errorf("%s%s points at %+v, want %s", c.name, tail, p.Errors, c.pointer)
			}
		}
	}
	if after := count(); after != before {
		t.Errorf("%d entries were stored", after-before)
	}
	e := with(func(m) {})
	if res, text := ask(t, "POST", "/api/v1/units/CA-14/entries", e); res.StatusCode != http.StatusCreated {
		t.Fatalf("%d %s", res.StatusCode, text)
	}
	e["topUp"].(m)["volume"] = reading(0.5, "L")
	if res, text := ask(t, "POST", "/api/v1/units/CA-14/entries", e); res.StatusCode != http.StatusConflict || !strings.Contains(string(text), "/id") {
		t.Errorf("the same id for something else: %d %s", res.StatusCode, text)
	}
}

// The Bench by API: the questions, an answer in the asker's units, and what is
// wrong with an input.
func TestBench(t *testing.T) {
	questions := get[[]api.Question](t, "/api/v1/bench")
	if len(questions) < 6 {
		t.Errorf("%d questions", len(questions))
	}
	for _, q := range questions {
		if res, text := ask(t, "POST", "/api/v1/bench/"+q.Name, m{"inputs": m{}}); res.StatusCode != http.StatusOK {
			t.Errorf("%s: %d %s", q.Name, res.StatusCode, text)
		}
	}
	res, text := ask(t, "POST", "/api/v1/bench/protects", m{"units": "us", "inputs": m{"strength": "50 %"}})
	var answer api.Answer
	if err := json.Unmarshal(text, &answer); err != nil || res.StatusCode != http.StatusOK || answer.Headline != "Freezes at −34\u00a0°F." || answer.Curve == nil || answer.Curve.Unit != "°F" {
		t.Errorf("%d %.300s", res.StatusCode, text)
	}
	for _, c := range []struct {
		question string
		body     any
		status   int
		says     string
	}{
		{"protects", m{"inputs": m{"strength": "50%%"}}, 422, `"/inputs/strength"`},
		{"target", m{"inputs": m{"target": "75 %"}}, 422, "33 to 65 %"},
		{"protects", m{"units": "cubits", "inputs": m{}}, 422, "imperial"},
		{"protects", m{}, 422, "inputs"},
		{"protects", m{"inputs": m{"strength": 50}}, 422, "/inputs/strength"},
		{"nothing", m{"inputs": m{}}, 404, "protects"},
	} {
		if res, text := ask(t, "POST", "/api/v1/bench/"+c.question, c.body); res.StatusCode != c.status || !strings.Contains(string(text), c.says) {
			t.Errorf("%s %v: %d %s", c.question, c.body, res.StatusCode, text)
		}
	}
}

func TestAddresses(t *testing.T) {
	for _, c := range []struct {
		method, path string
		status       int
	}{
		{"GET", "/api/v1/nothing", 404}, {"GET", "/api/nothing", 404}, {"DELETE", "/api/v1/units/CA-14", 405}, {"GET", "/api/v1/units/ZZ-1", 404},
		{"GET", "/api/v1/units?limit=0", 422}, {"GET", "/api/v1/units?limit=many", 422}, {"GET", "/assets/none.js", 404},
	} {
		res, text := ask(t, c.method, c.path, nil)
		if res.StatusCode != c.status || !json.Valid(text) {
			t.Errorf("%s %s: %d %s", c.method, c.path, res.StatusCode, text)
		}
	}
}

func TestScreens(t *testing.T) {
	nonces := map[string]bool{}
	for _, path := range []string{"/", "/units/CA-14", "/index.html", "/../../etc/passwd"} {
		res, text := ask(t, "GET", path, nil)
		csp := res.Header.Get("Content-Security-Policy")
		_, nonce, _ := strings.Cut(string(text), `content="`)
		nonce, _, _ = strings.Cut(nonce, `"`)
		if res.StatusCode != http.StatusOK || !strings.Contains(csp, "'nonce-"+nonce+"'") || !strings.HasPrefix(csp, "default-src 'none'") || strings.Contains(csp, "unsafe") {
			t.Errorf("%s: %d, policy %q, page %s", path, res.StatusCode, csp, text)
		}
		nonces[nonce] = true
	}
	if len(nonces) != 4 {
		t.Errorf("nonces repeat: %v", nonces)
	}
	res, _ := ask(t, "GET", "/assets/app-1234.js", nil)
	if got := res.Header.Get("Cache-Control"); !strings.Contains(got, "immutable") {
		t.Errorf("asset cached as %q", got)
	}
	for name, want := range map[string]string{"X-Content-Type-Options": "nosniff", "X-Frame-Options": "DENY", "Referrer-Policy": "same-origin"} {
		if got := res.Header.Get(name); got != want {
			t.Errorf("%s: %q", name, got)
		}
	}
	if res, _ := ask(t, "GET", "/api/v1/products", nil); res.Header.Get("Cache-Control") != "no-store" {
		t.Errorf("answers are cached: %q", res.Header.Get("Cache-Control"))
	}
	if _, err := web.New(web.Config{People: service, Screens: fstest.MapFS{}, Log: slog.New(slog.DiscardHandler)}); err == nil || !strings.Contains(err.Error(), "not built") {
		t.Errorf("without a built interface: %v", err)
	}
}

// A page elsewhere can neither write through a visitor's browser nor read by
// renaming its own server to ours.
func TestOtherPagesAreKeptOut(t *testing.T) {
	e := entry("freeze_test", noon.Add(-time.Hour), freezeTest(-30))
	for _, site := range []string{"cross-site", "same-site"} {
		if res, text := ask(t, "POST", "/api/v1/units/CA-14/entries", e, "Sec-Fetch-Site", site); res.StatusCode != http.StatusForbidden {
			t.Errorf("%s: %d %s", site, res.StatusCode, text)
		}
	}
	for _, host := range []string{"ledger.example", "ledger.example:8080", "127.0.0.1.example"} {
		if res, text := ask(t, "GET", "/api/v1/morning", nil, "Host", host); res.StatusCode != http.StatusMisdirectedRequest {
			t.Errorf("host %s: %d %s", host, res.StatusCode, text)
		}
	}
	if res, text := ask(t, "POST", "/api/v1/units/CA-14/entries", `id=1`, "Content-Type", "text/plain"); res.StatusCode < 400 {
		t.Errorf("a plain form: %d %s", res.StatusCode, text)
	}
}

func TestRateLimit(t *testing.T) {
	st, err := store.Open(instance.AppDSN(), now)
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	h := handler(st, 1)
	codes := map[int]int{}
	for range 12 {
		req := httptest.NewRequest("GET", "http://localhost/healthz", nil)
		res := httptest.NewRecorder()
		h.ServeHTTP(res, req)
		codes[res.Code]++
	}
	if codes[200] < 4 || codes[429] < 4 {
		t.Errorf("twelve at once at one a second: %v", codes)
	}
}

// Without a database the process lives, says so, and answers no question.
func TestDatabaseAway(t *testing.T) {
	st, err := store.Open("u:p@tcp(127.0.0.1:1)/d?timeout=1s", now)
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	h := handler(st, 100)
	for path, want := range map[string]int{"/healthz": 200, "/readyz": 503, "/api/v1/morning": 503, "/": 200} {
		res := httptest.NewRecorder()
		req := httptest.NewRequest("GET", "http://localhost"+path, nil)
		req.Header.Set("Cookie", cookies[access.Coordinator])
		h.ServeHTTP(res, req)
		if res.Code != want || strings.Contains(res.Body.String(), "127.0.0.1:1") {
			t.Errorf("%s: %d %s", path, res.Code, res.Body)
		}
	}
}

func TestServeEndsInOrder(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	entered, release := make(chan struct{}), make(chan struct{})
	slow := http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		close(entered)
		<-release
		fmt.Fprint(w, "finished")
	})
	ctx, cancel := context.WithCancel(t.Context())
	served := make(chan error, 1)
	go func() { served <- web.Serve(ctx, l, slow) }()
	answer := make(chan string, 1)
	go func() {
		res, err := http.Get("http://" + l.Addr().String())
		if err != nil {
			answer <- err.Error()
			return
		}
		defer res.Body.Close()
		text, _ := io.ReadAll(res.Body)
		answer <- string(text)
	}()
	<-entered
	cancel()
	close(release)
	if got := <-answer; got != "finished" {
		t.Errorf("the running request got %q", got)
	}
	if err := <-served; err != nil {
		t.Error(err)
	}
}

// A line for each request at level info, with its person, route and status and nothing that was
// typed; the client's address is what a trusted proxy says, and no one else.
func TestAccessLogAndProxies(t *testing.T) {
	var out bytes.Buffer
	st := opened(t, instance.AppDSN())
	p, err := people.New(people.Config{Store: st, Outbox: mail, Address: "http://ledger.test", Now: now, Memory: 64})
	if err != nil {
		t.Fatal(err)
	}
	h, err := web.New(web.Config{Fleet: fleet.New(st, now), People: p, Screens: screens, Log: slog.New(slog.NewJSONHandler(&out, nil)), Rate: 1e6,
		Proxies: []netip.Prefix{netip.MustParsePrefix("192.0.2.0/24")}})
	if err != nil {
		t.Fatal(err)
	}
	call := func(path, from, forwarded string) int {
		req := httptest.NewRequest("GET", "http://localhost"+path, nil)
		req.RemoteAddr = from
		req.Header.Set("Cookie", cookies[access.Coordinator])
		if forwarded != "" {
			req.Header.Set("X-Forwarded-For", forwarded)
		}
		res := httptest.NewRecorder()
		h.ServeHTTP(res, req)
		return res.Code
	}
	for _, c := range []struct {
		path, route string
		status      int
	}{{"/api/v1/units/CA-14?q=secret", "/api/v1/units/:code", 200}, {"/api/v1/units/ZZ-99", "/api/v1/units/:code", 404}, {"/readyz", "/readyz", 200}} {
		out.Reset()
		if code := call(c.path, "127.0.0.1:9", ""); code != c.status {
			t.Errorf("%s: %d", c.path, code)
		}
		var line struct {
			ID, Route, Method string
			Person            int64
			Status            int
			MS                *float64
		}
		if err := json.Unmarshal(out.Bytes(), &line); err != nil || line.Route != c.route || line.Status != c.status || line.Method != "GET" || line.ID == "" || line.MS == nil {
			t.Errorf("%s: %v, %s", c.path, err, out.String())
		}
		if strings.HasPrefix(c.path, "/api") && line.Person == 0 || strings.Contains(out.String(), "secret") {
			t.Errorf("%s: %s", c.path, out.String())
		}
	}
}

// Each page names its own files for the browser to fetch at once, besides those of the entry; the
// page of somebody with a session says that there is one.
func TestPagesNameTheirFiles(t *testing.T) {
	files := fstest.MapFS{
		"index.html": {Data: []byte(`<meta name="style-nonce" content="__NONCE__"><!--AHEAD-->`)},
		".vite/manifest.json": {Data: []byte(`{"index.html": {"file": "assets/index-1.js", "isEntry": true, "imports": ["_shared"]}, "_shared": {"file": "assets/shared-2.js"},
			"src/morning/MorningPage.tsx": {"file": "assets/morning-3.js", "imports": ["_shared", "_vial"]}, "_vial": {"file": "assets/vial-4.js"},
			"src/account/AccountPage.tsx": {"file": "assets/account-5.js"}, "src/horizon/HorizonPage.tsx": {"file": "assets/horizon-6.js", "imports": ["_vial"]},
			"src/bench/BenchPage.tsx": {"file": "assets/bench-7.js"}}`)},
	}
	h, err := web.New(web.Config{Fleet: fleet.New(opened(t, instance.AppDSN()), now), People: service, Screens: files, Log: slog.New(slog.DiscardHandler)})
	if err != nil {
		t.Fatal(err)
	}
	page := func(path, cookie string) string {
		t.Helper()
		req := httptest.NewRequest(http.MethodGet, "http://127.0.0.1"+path, nil)
		if cookie != "" {
			req.Header.Set("Cookie", cookie)
		}
		res := httptest.NewRecorder()
		h.ServeHTTP(res, req)
		return res.Body.String()
	}
	for path, want := range map[string][]string{"/": {"morning-3", "vial-4"}, "/units/CA-01": {"account-5"}, "/horizon?kind=car": {"horizon-6", "vial-4"}, "/bench": {"bench-7"}, "/plan": nil} {
		text := page(path, "")
		for _, file := range want {
			if !strings.Contains(text, `<link rel="modulepreload" href="/assets/`+file+`.js">`) {
				t.Errorf("%s does not name %s: %s", path, file, text)
			}
		}
		if strings.Count(text, "modulepreload") != len(want) || strings.Contains(text, "opened") || strings.Contains(text, "AHEAD") {
			t.Errorf("%s: %s", path, text)
		}
	}
	if text := page("/", "session=any"); !strings.Contains(text, `<meta name="opened" content="yes">`) {
		t.Errorf("with a session: %s", text)
	}
	files[".vite/manifest.json"] = &fstest.MapFile{Data: []byte(`{`)}
	if _, err := web.New(web.Config{Fleet: fleet.New(opened(t, instance.AppDSN()), now), People: service, Screens: files, Log: slog.New(slog.DiscardHandler)}); err == nil {
		t.Error("a torn manifest was read")
	}
}

// The contract has each kind of entry of the table, under its name, with the fields of its type:
// neither can be changed without the other.
func TestKindsInTheContract(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	schemas := doc.Components.Schemas
	var kinds []ledger.Kind
	for _, v := range schemas["EntryKind"].Value.Enum {
		kinds = append(kinds, ledger.Kind(v.(string)))
	}
	if want := slices.Clone(ledger.Kinds); len(kinds) != len(want) {
		t.Errorf("the contract has %d kinds, the table %d", len(kinds), len(want))
	}
	bodies := schemas["EntryBody"].Value.Properties
	if len(bodies) != len(ledger.Kinds) {
		t.Errorf("the contract has the content of %d kinds", len(bodies))
	}
	for _, k := range ledger.Kinds {
		if !slices.Contains(kinds, k) || bodies[ledger.FieldName(k)] == nil {
			t.Errorf("the contract has no %s", k)
			continue
		}
		var fields []string
		of := ledger.BodyType(k)
		for i := range of.NumField() {
			name, _, _ := strings.Cut(of.Field(i).Tag.Get("json"), ",")
			fields = append(fields, name)
		}
		slices.Sort(fields)
		if got := slices.Sorted(maps.Keys(bodies[ledger.FieldName(k)].Value.Properties)); !slices.Equal(got, fields) {
			t.Errorf("%s: the contract has %v, its type %v", k, got, fields)
		}
	}
}

// Each enum of a field in the contract is what the check of its kind accepts, no more and no less.
func TestEnumsInTheContract(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	const bogus = "no such code"
	checked := 0
	// What must be there for another field to be looked at.
	beside := map[ledger.Kind]map[string]any{ledger.KindFreezeTest: {"instrument": "refractometer"}}
	u := ledger.Unit{Code: "A-1", Kind: "car", Meter: measure.Distance}
	for _, k := range ledger.Kinds {
		var walk func(s *openapi3.Schema, pointer string, around func(any) any)
		walk = func(s *openapi3.Schema, pointer string, around func(any) any) {
			if len(s.Enum) > 0 && len(s.Enum) < len(doc.Components.Schemas["MeasureUnit"].Value.Enum) {
				var want []string
				for _, v := range s.Enum {
					want = append(want, v.(string))
				}
				text, err := json.Marshal(around(bogus))
				if err != nil {
					t.Fatal(err)
				}
				body, err := ledger.ParseBody(k, text)
				if err != nil {
					return // units and codes with a type of their own are read, and refused, before
				}
				for _, f := range ledger.Check(u, nil, ledger.Entry{ID: "1", Unit: "A-1", At: noon, RecordedBy: "A", Body: body}, noon) {
					if strings.HasSuffix(f.Pointer, pointer) && strings.Contains(f.Got, bogus) {
						checked++
						if got := strings.Split(f.Accepted, ", "); !slices.Equal(slices.Sorted(slices.Values(got)), slices.Sorted(slices.Values(want))) {
							t.Errorf("%s%s: the contract has %v, the check accepts %v", k, pointer, want, got)
						}
						return
					}
				}
				t.Errorf("%s%s: %q is not refused", k, pointer, bogus)
				return
			}
			for _, name := range slices.Sorted(maps.Keys(s.Properties)) {
				walk(s.Properties[name].Value, pointer+"/"+name, func(v any) any { return around(map[string]any{name: v}) })
			}
			if s.Items != nil {
				walk(s.Items.Value, pointer+"/0", func(v any) any { return around([]any{v}) })
			}
		}
		walk(doc.Components.Schemas["EntryBody"].Value.Properties[ledger.FieldName(k)].Value, "", func(v any) any {
			if of, ok := v.(map[string]any); ok {
				for name, value := range beside[k] {
					if of[name] == nil {
						of[name] = value
					}
				}
			}
			return v
		})
	}
	if checked < 20 {
		t.Errorf("only %d enums were held against a check", checked)
	}
}

// The document behind the sources of the Bench is one link away, for its reader and without scripts.
func TestDocuments(t *testing.T) {
	for _, name := range []string{"bench", "limits"} {
		res, text := ask(t, "GET", "/docs/"+name, nil)
		if res.StatusCode != http.StatusOK || !strings.Contains(string(text), "<table>") || !strings.Contains(string(text), "memory") || strings.Contains(string(text), "<script") {
			t.Errorf("%s: %d %.300s", name, res.StatusCode, text)
		}
		if policy := res.Header.Get("Content-Security-Policy"); !strings.HasPrefix(policy, "default-src 'none'") {
			t.Errorf("%s: %s", name, policy)
		}
	}
	if res, _ := ask(t, "GET", "/docs/architecture", nil); res.StatusCode != http.StatusNotFound {
		t.Errorf("another document: %d", res.StatusCode)
	}
}
