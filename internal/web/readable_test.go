package web_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"golang.org/x/text/unicode/norm"

	"diligentledger/api"
)

// raw posts a body as it is, and reads the problem that it is answered with.
func raw(t *testing.T, path, body string) (*http.Response, api.Problem, []byte) {
	t.Helper()
	res, text := ask(t, "POST", path, body)
	var p api.Problem
	if res.StatusCode >= 400 {
		if err := json.Unmarshal(text, &p); err != nil {
			t.Errorf("%d %.200s", res.StatusCode, text)
		}
	}
	return res, p, text
}

// What cannot be read is refused with a reason, where it stands, and stores nothing.
func TestUnreadable(t *testing.T) {
	const path = "/api/v1/units/CA-22/entries"
	lines := func() int { return len(get[api.Account](t, "/api/v1/units/CA-22").Lines) }
	before := lines()
	at := noon.Add(-time.Hour).Format(time.RFC3339)
	note := func(id, at, text string) string {
		return fmt.Sprintf(`{"id":%q,"kind":"note","at":%q,"note":{"text":%s}}`, id, at, text)
	}
	id := uuid.Must(uuid.NewV7()).String()
	for _, c := range []struct {
		name, body string
		status     int
		pointer    string
		says       string
	}{
		{"nothing", " ", 400, "", "ends"},
		{"half a value", `{"id":`, 400, "", "ends after 6 bytes"},
		{"no JSON", `{id: 1}`, 400, "", "byte 2"},
		{"text after it", note(id, at, `"seen"`) + " {}", 400, "", "text after the JSON"},
		{"not UTF-8", "{\"id\":\"\xff\"}", 400, "", "byte 8 is not UTF-8"},
		{"a list", `[]`, 422, "", ""},
		{"null", `null`, 422, "", ""},
		{"too deep", strings.Repeat("[", 20_000), 400, "", ""},
		{"second 60", note(id, "2026-03-31T09:30:60Z", `"seen"`), 422, "/at", "0 to 59"},
		{"the 31st of February", note(id, "2026-02-31T09:30:00Z", `"seen"`), 422, "/at", "2026-02-31"},
		{"no time", note(id, "2026-03-31", `"seen"`), 422, "/at", "accepted"},
		{"NUL", note(id, at, `"se\u0000en"`), 422, "/note/text", "NUL"},
		{"turned direction", note(id, at, `"paid \u202e004"`), 422, "/note/text", "U+202E"},
		{"isolates", note(id, at, `"\u2066x"`), 422, "/note/text", "U+2066"},
		{"zero width only", note(id, at, `"\u200b\u200d \ufeff"`), 422, "/note/text", "cannot be seen"},
		{"a filler only", note(id, at, `"\u3164"`), 422, "/note/text", "cannot be seen"},
		{"NUL in a name", `{"a\u0000":1}`, 422, "", "NUL"},
		{"an id in braces", note("{"+id+"}", at, `"seen"`), 422, "/id", "36 characters"},
		{"an id in capitals", note(strings.ToUpper(id), at, `"seen"`), 422, "/id", "lower case"},
		{"an id as URN", note("urn:uuid:"+id, at, `"seen"`), 422, "/id", "36 characters"},
		{"an id without dashes", note(strings.ReplaceAll(id, "-", ""), at, `"seen"`), 422, "/id", "36 characters"},
		{"a number beyond 64 bits", fmt.Sprintf(`{"id":%q,"kind":"meter","at":%q,"meter":{"meter":{"value":1e999,"unit":"km"}}}`, id, at), 422, "/meter/meter/value", "1e999"},
	} {
		res, p, text := raw(t, path, c.body)
		if res.StatusCode != c.status || p.Detail == nil || *p.Detail == "" || !strings.Contains(*p.Detail, c.says) {
			t.Errorf("%s: %d %.300s", c.name, res.StatusCode, text)
			continue
		}
		if c.pointer != "" && (p.Errors == nil || !slices.ContainsFunc(*p.Errors, func(f api.FieldProblem) bool { return f.Pointer == c.pointer })) {
			t.Errorf("%s points at %.300s", c.name, text)
		}
	}
	for _, n := range []string{"9223372036854775808", "-9223372036854775809", "1e30", "0.5", "100000000000000000000000"} {
		res, p, text := raw(t, "/api/v1/work-list/remove", `{"ids":[`+n+`]}`)
		if res.StatusCode < 400 || res.StatusCode >= 500 || p.Detail == nil || *p.Detail == "" {
			t.Errorf("an id of %s: %d %.300s", n, res.StatusCode, text)
		}
	}
	if after := lines(); after != before {
		t.Errorf("%d lines were stored", after-before)
	}
}

// Text is kept in one form of Unicode: what looks the same is the same.
func TestNormalised(t *testing.T) {
	const typed = "coolant of Zu\u0308rich, A\u030a"
	e := entry("note", noon.Add(-time.Hour), m{"text": typed})
	if res, text := ask(t, "POST", "/api/v1/units/CA-22/entries", e); res.StatusCode != http.StatusCreated {
		t.Fatalf("%d %s", res.StatusCode, text)
	}
	if typed == norm.NFC.String(typed) {
		t.Fatal("the text of this test is normalised already")
	}
	lines := get[api.Account](t, "/api/v1/units/CA-22").Lines
	if i := slices.IndexFunc(lines, func(l api.Line) bool { return l.Id.String() == e["id"] }); i < 0 || !strings.Contains(string(lines[i].Body), norm.NFC.String(typed)) {
		t.Errorf("%s", lines[max(0, i)].Body)
	}
}

// However much is wrong, the answer is at most twice what was asked, or 4 KB.
func TestAnswerFits(t *testing.T) {
	var keys, list strings.Builder
	for i := range 20_000 {
		fmt.Fprintf(&keys, `,"k%d":1`, i)
		fmt.Fprintf(&list, `,"\u0000%d"`, i)
	}
	long := strings.Repeat("x", 50_000)
	for name, body := range map[string]string{
		"unknown keys": `{"id":"x"` + keys.String() + `}`, "texts with NUL": `{"units":["\u0000"` + list.String() + `]}`,
		"a long key": `{"` + long + `":1}`, "a long id": `{"id":"` + long + `"}`, "a long kind": `{"kind":"` + long + `"}`,
		"text after": `{} ` + long, "few keys": `{"a":1,"b":2}`,
	} {
		for _, path := range []string{"/api/v1/units/CA-22/entries", "/api/v1/units/CA-22/entries/preview", "/api/v1/people", "/api/v1/work-list/remove", "/api/v1/numbers"} {
			res, p, text := raw(t, path, body)
			if res.StatusCode < 400 || p.Detail == nil {
				t.Errorf("%s to %s: %d %.200s", name, path, res.StatusCode, text)
			}
			if most := max(4096+16, 2*len(body)); len(text) > most {
				t.Errorf("%s to %s: %d bytes were answered with %d", name, path, len(body), len(text))
			}
		}
	}
	res, p, _ := raw(t, "/api/v1/units/CA-22/entries", `{"id":"019ac000-0000-7000-8000-000000000009","kind":"note","at":"`+dayAfter(0)+`T11:00:00Z"`+keys.String()+`}`)
	if res.StatusCode != 422 || p.Errors == nil || len(*p.Errors) < 10 || !strings.Contains(*p.Detail, " more") {
		t.Errorf("%d, %d fields", res.StatusCode, len(*p.Errors))
	}
}

// A name in letters of another script that looks like a person's is asked about.
func TestLookAlike(t *testing.T) {
	invite := func(name, email string, sure bool) (*http.Response, api.Problem) {
		res, text := ask(t, "POST", "/api/v1/people", m{"name": name, "email": email, "role": "reader", "confirmed": sure})
		var p api.Problem
		if res.StatusCode >= 400 {
			if err := json.Unmarshal(text, &p); err != nil {
				t.Errorf("%s", text)
			}
		}
		return res, p
	}
	if res, _ := invite("Ina Peacock", "ina@skerrow.example", false); res.StatusCode != http.StatusCreated {
		t.Fatal(res.StatusCode)
	}
	for _, name := range []string{"Ina Peаcock", "Іna Peacock", "lna Peacock", "Ina Pea\u200dcock", "INA PEАCOCK"} {
		res, p := invite(name, "peacock@skerrow.example", false)
		if res.StatusCode != 422 || p.Errors == nil || (*p.Errors)[0].Question == nil || !strings.Contains(*p.Detail, "ina@skerrow.example") {
			t.Errorf("%q: %d %+v", name, res.StatusCode, p)
		}
	}
	if res, p := invite("Ina Peаcock", "peacock@skerrow.example", true); res.StatusCode != http.StatusCreated {
		t.Errorf("confirmed: %d %+v", res.StatusCode, p)
	}
	if res, _ := invite("Ida Peacock", "ida@skerrow.example", false); res.StatusCode != http.StatusCreated {
		t.Errorf("another name: %d", res.StatusCode)
	}
}
