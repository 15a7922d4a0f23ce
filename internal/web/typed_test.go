package web_test

import (
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/api"
	"diligentledger/core/access"
)

// Numbers come as they were typed and are read by one parser; what may mean two things
// is asked about and never guessed, and what was typed is repeated.
func TestTypedNumbers(t *testing.T) {
	at := noon.Add(-time.Hour)
	for _, c := range []struct {
		name    string
		value   string
		unit    string
		status  int
		litres  float64 // that the account then gains of water, before it is full
		pointer string
		says    []string
	}{
		{"a fraction", "1/2", "L", 200, 0.5, "", nil},
		{"a fraction sign", "½", "L", 200, 0.5, "", nil},
		{"a decimal comma", "0,5", "L", 200, 0.5, "", nil},
		{"its own unit", "500 mL", "L", 200, 0.5, "", nil},
		{"a comma before three digits, after a nought: no thousands", "0,500", "L", 200, 0.5, "", nil},
		{"thousands or thousandths", "1,000", "mL", 422, 0, "/topUp/volume/value", []string{"1,000", "1000 or 1:", "write which is meant"}},
		{"the same with a point", "1.250", "mL", 422, 0, "/topUp/volume/value", []string{"1.250", "1250 or 1.25:", "write which is meant"}},
		{"a word", "two", "L", 422, 0, "/topUp/volume/value", []string{`\"two\"`, "8.2"}},
		{"another dimension", "2 km", "L", 422, 0, "/topUp/volume/value", []string{"2 km"}},
		{"nothing", " ", "L", 422, 0, "/topUp/volume/value", nil},
		{"below nothing", "-2", "qt_us", 422, 0, "/topUp/volume/value", []string{"-2 US qt", "US qt"}},
	} {
		body := entry("top_up", at, m{"volume": m{"value": c.value, "unit": c.unit}, "with": "water"})
		res, text := ask(t, "POST", "/api/v1/units/HB-02/entries/preview", body)
		if res.StatusCode != c.status {
			t.Errorf("%s: %d %.300s", c.name, res.StatusCode, text)
			continue
		}
		for _, s := range c.says {
			if !strings.Contains(string(text), s) {
				t.Errorf("%s says %s, want %q in it", c.name, text, s)
			}
		}
		if c.status != http.StatusOK {
			var p api.Problem
			if err := json.Unmarshal(text, &p); err != nil || p.Errors == nil || (*p.Errors)[0].Pointer != c.pointer {
				t.Errorf("%s points at %.300s", c.name, text)
			}
			continue
		}
		var effect api.EntryEffect
		if err := json.Unmarshal(text, &effect); err != nil || !strings.Contains(string(text), fmt.Sprint(c.litres)) {
			t.Errorf("%s: %v, %.200s", c.name, err, text)
		}
	}
	res, text := ask(t, "POST", "/api/v1/numbers", m{"texts": m{"a": "160 000", "b": "160,000", "c": "", "d": "12,5", "e": "1'200"}})
	var read api.ReadNumbers
	if err := json.Unmarshal(text, &read); err != nil || res.StatusCode != http.StatusOK || read.Values["a"] != 160_000 || read.Values["d"] != 12.5 ||
		read.Values["e"] != 1200 || !strings.Contains(read.Wrong["b"], "160000") || len(read.Values) != 3 || len(read.Wrong) != 1 {
		t.Errorf("numbers: %d %s", res.StatusCode, text)
	}
}

// A leap of a meter is a question that names the figure: without an answer nothing is
// written, and answered it is recorded, and not believed.
func TestLeapIsAsked(t *testing.T) {
	account := func() api.Account { return get[api.Account](t, "/api/v1/units/CA-37") }
	before := account()
	leap := entry("meter", noon.Add(-time.Hour), m{"meter": m{"value": "3700000", "unit": "km"}})
	res, text := ask(t, "POST", "/api/v1/units/CA-37/entries", leap)
	var p api.Problem
	if err := json.Unmarshal(text, &p); err != nil || res.StatusCode != http.StatusUnprocessableEntity || p.Errors == nil {
		t.Fatalf("%d %s", res.StatusCode, text)
	}
	if f := (*p.Errors)[0]; f.Question == nil || !*f.Question || !strings.Contains(f.Detail, "3,700,000 km") {
		t.Errorf("asked: %+v", f)
	}
	if n := len(account().Lines); n != len(before.Lines) {
		t.Fatalf("%d lines were written", n-len(before.Lines))
	}
	leap["confirmed"] = true
	if res, text := ask(t, "POST", "/api/v1/units/CA-37/entries", leap); res.StatusCode != http.StatusCreated {
		t.Fatalf("confirmed: %d %s", res.StatusCode, text)
	}
	after := account()
	i := slices.IndexFunc(after.Lines, func(l api.Line) bool { return l.Id.String() == leap["id"] })
	if i < 0 || !noted(after.Lines[i], api.NoteMeterOutlier) {
		t.Errorf("the line %+v", after.Lines[max(i, 0)])
	}
	if before.Balance.Used == nil || after.Balance.Used == nil || *after.Balance.Used > *before.Balance.Used+2000 {
		t.Errorf("the balance believes it: %v, before %v", after.Balance.Used, before.Balance.Used)
	}
}

// One id for two units is a conflict with its field, not a fault of the server.
func TestOneIDForTwoUnits(t *testing.T) {
	note := entry("note", noon.Add(-time.Hour), m{"text": "seen"})
	note["id"] = uuid.Must(uuid.NewV7()).String()
	if res, text := ask(t, "POST", "/api/v1/units/CA-37/entries", note); res.StatusCode != http.StatusCreated {
		t.Fatalf("%d %s", res.StatusCode, text)
	}
	if res, text := ask(t, "POST", "/api/v1/units/CA-22/entries", note); res.StatusCode != http.StatusConflict || !strings.Contains(string(text), `"/id"`) {
		t.Errorf("for another unit: %d %s", res.StatusCode, text)
	}
}

// The time zone is a setting of the installation, and of a site where it differs.
func TestZones(t *testing.T) {
	settings := func() string { return get[api.Settings](t, "/api/v1/settings").Zone }
	was := settings()
	defer ask(t, "PUT", "/api/v1/settings", m{"zone": was})
	for zone, status := range map[string]int{"Pacific/Auckland": 204, "Nowhere/City": 422, "": 422, "Local": 422} {
		res, text := ask(t, "PUT", "/api/v1/settings", m{"zone": zone})
		if res.StatusCode != status || status == 422 && !strings.Contains(string(text), `"/zone"`) {
			t.Errorf("%q: %d %s", zone, res.StatusCode, text)
		}
	}
	if got := settings(); got != "Pacific/Auckland" {
		t.Fatalf("the zone is %q", got)
	}
	// At noon UTC it is past midnight in Auckland.
	want := noon.AddDate(0, 0, 1).Format(time.DateOnly)
	if today := get[api.Account](t, "/api/v1/units/CA-22").Today.String(); today != want {
		t.Errorf("today is %s in Auckland, want %s", today, want)
	}
	// A moment is sent at the offset of its site, so that its day is the day there.
	var raw struct {
		Lines []struct{ At, RecordedAt string }
		Today string
	}
	if _, text := ask(t, "GET", "/api/v1/units/CA-22", nil); json.Unmarshal(text, &raw) != nil || len(raw.Lines) == 0 || raw.Today != want {
		t.Fatalf("%.300s", text)
	}
	for _, l := range raw.Lines {
		if at, err := time.Parse(time.RFC3339Nano, l.At); err != nil || strings.HasSuffix(l.At, "Z") || at.Format(time.DateOnly) != l.At[:10] {
			t.Fatalf("a line happened at %s", l.At)
		}
	}
	site := get[[]api.SiteCold](t, "/api/v1/sites")[0]
	path := fmt.Sprint("/api/v1/sites/", site.Id)
	if res, text := ask(t, "PUT", path, m{"zone": "Nowhere/City"}); res.StatusCode != 422 || !strings.Contains(string(text), `"/zone"`) {
		t.Errorf("%d %s", res.StatusCode, text)
	}
	for _, zone := range []string{"Atlantic/Azores", ""} {
		if res, text := ask(t, "PUT", path, m{"zone": zone}); res.StatusCode != 200 {
			t.Errorf("%q: %d %s", zone, res.StatusCode, text)
		}
		if s := get[[]api.SiteCold](t, "/api/v1/sites")[0]; s.OwnZone != (zone != "") || zone != "" && s.Zone != zone || s.ReturnPeriod != site.ReturnPeriod {
			t.Errorf("%q: %+v", zone, s)
		}
	}
}

func noted(l api.Line, n api.Note) bool {
	return slices.ContainsFunc(l.Notes, func(o api.LineNote) bool { return o.Code == n })
}

// Sentences are in the reader's units and dates; a reading stays in the unit it was read in.
func TestReadingSettings(t *testing.T) {
	us := m{"temperature": "degF", "volume": "qt_us", "pressure": "psi", "distance": "mi", "dates": "mdy"}
	metric := m{"temperature": "degC", "volume": "L", "pressure": "kPa", "distance": "km", "dates": "dmy"}
	signatory := as(access.Signatory)
	if res, text := ask(t, "PUT", "/api/v1/session/reading", us, signatory...); res.StatusCode != http.StatusOK || !strings.Contains(string(text), `"volume":"qt_us"`) {
		t.Fatalf("set: %d %s", res.StatusCode, text)
	}
	defer ask(t, "PUT", "/api/v1/session/reading", metric, signatory...)
	_, text := ask(t, "GET", "/api/v1/units/CA-31", nil, signatory...)
	for _, want := range []string{"°F", "US qt", "°C"} { // the last in what was read
		if !strings.Contains(string(text), want) {
			t.Errorf("nothing of %s for a reader of US units", want)
		}
	}
	if _, text := ask(t, "GET", "/api/v1/units/CA-31", nil); strings.Contains(string(text), "°F") {
		t.Error("one reader's units are another's")
	}
	us["volume"] = "bucket"
	if res, text := ask(t, "PUT", "/api/v1/session/reading", us, signatory...); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "/volume") {
		t.Errorf("buckets: %d %s", res.StatusCode, text)
	}
}

// Dates are read as people type them, in the zone of the unit's site, and shown as the person
// reads them; what cannot be read says what would be.
func TestReadDates(t *testing.T) {
	read := func(body m) (answer api.ReadDates) {
		t.Helper()
		res, text := ask(t, "POST", "/api/v1/dates", body)
		if err := json.Unmarshal(text, &answer); err != nil || res.StatusCode != http.StatusOK {
			t.Fatalf("%d %s, %v", res.StatusCode, text, err)
		}
		return answer
	}
	days := read(m{"texts": m{"a": "yesterday", "b": noon.AddDate(0, 0, -21).Format("2 Jan"), "c": noon.AddDate(0, 0, -21).Format("2.1.2006"), "d": "soon", "e": " "}})
	if want := map[string]string{"a": dayAfter(-1), "b": dayAfter(-21), "c": dayAfter(-21)}; !maps.Equal(days.Values, want) {
		t.Errorf("read %v, want %v", days.Values, want)
	}
	if days.Shown["b"] != said(dayAfter(-21)) || !strings.Contains(days.Wrong["d"], "yesterday") || len(days.Wrong) != 1 {
		t.Errorf("shown %v, wrong %v", days.Shown, days.Wrong)
	}
	moments := read(m{"texts": m{"a": "yesterday 14:30", "b": "25:00"}, "moments": true, "unit": "CA-20"})
	if at, err := time.Parse(time.RFC3339, moments.Values["a"]); err != nil || at.Format("2006-01-02 15:04") != dayAfter(-1)+" 14:30" || moments.Shown["a"] != said(dayAfter(-1))+" 14:30" || moments.Wrong["b"] == "" {
		t.Errorf("moments %+v, %v", moments, err)
	}
	if res, text := ask(t, "POST", "/api/v1/dates", m{"texts": m{"a": "today"}, "unit": "NO-1"}); res.StatusCode != http.StatusNotFound {
		t.Errorf("in the zone of no unit: %d %s", res.StatusCode, text)
	}
}

// The name of an instrument that differs from one of the register by its dashes or case alone is
// asked about; confirmed, it is another instrument. A freeze point typed without its minus is one
// below zero; a number that a program sends is what it is.
func TestInstrumentAndMinus(t *testing.T) {
	names := get[[]string](t, "/api/v1/instruments")
	if !slices.Contains(names, "R-1") {
		t.Fatalf("instruments %v", names)
	}
	test := func(value any, tool string) m {
		return entry("freeze_test", noon.Add(-time.Hour), m{"value": m{"value": value, "unit": "degC"}, "instrument": "refractometer", "scale": "EG", "tool": tool})
	}
	for _, tool := range []string{"R1", "r 1"} {
		res, text := ask(t, "POST", "/api/v1/units/CA-31/entries/preview", test("-34", tool))
		var p api.Problem
		if err := json.Unmarshal(text, &p); err != nil || res.StatusCode != http.StatusUnprocessableEntity || p.Errors == nil {
			t.Fatalf("%s: %d %s", tool, res.StatusCode, text)
		}
		if f := (*p.Errors)[0]; f.Pointer != "/freezeTest/tool" || f.Question == nil || !*f.Question || !strings.Contains(*f.Accepted, "R-1") {
			t.Errorf("%s is asked about as %+v", tool, f)
		}
		sure := test("-34", tool)
		sure["confirmed"] = true
		if res, text := ask(t, "POST", "/api/v1/units/CA-31/entries/preview", sure); res.StatusCode != http.StatusOK {
			t.Errorf("%s, confirmed: %d %s", tool, res.StatusCode, text)
		}
	}
	for _, c := range []struct {
		value any
		unit  string
		read  string
	}{{"35", "degC", "35 °C is read as −35 °C: no coolant freezes above 0 °C."}, {"-35", "degC", "Read as −35\u00a0°C."}, {"40", "degF", "40 °F is read as −40 °F: no coolant freezes above 32 °F."}, {"20", "degF", "Read as 20\u00a0°F."}} {
		e := test(c.value, "R-1")
		e["freezeTest"].(m)["value"] = m{"value": c.value, "unit": c.unit}
		res, text := ask(t, "POST", "/api/v1/units/CA-31/entries/preview", e)
		var effect api.EntryEffect
		if err := json.Unmarshal(text, &effect); err != nil || res.StatusCode != http.StatusOK {
			t.Fatalf("%v: %d %s", c.value, res.StatusCode, text)
		}
		if got := strings.Join(effect.Read, ""); got != c.read {
			t.Errorf("%v %s: %q, want %q", c.value, c.unit, got, c.read)
		}
	}
	if res, text := ask(t, "POST", "/api/v1/units/CA-31/entries/preview", test(35, "R-1")); res.StatusCode != http.StatusUnprocessableEntity {
		t.Errorf("the number 35: %d %s", res.StatusCode, text)
	}
}

// A point before three digits is asked about on every way into the books that takes what was typed, with both readings;
// the person's
// own number format settles it, by way of the setting or of the entry that was typed under it.
func TestPointBeforeThreeDigits(t *testing.T) {
	meter := func(typed string, more m) m {
		e := entry("meter", noon.Add(-time.Hour), m{"meter": m{"value": typed, "unit": "km"}})
		maps.Copy(e, more)
		return e
	}
	inBatch := func(e m) m { return m{"entries": []m{sentLine(t, "CA-31", e)}} }
	ways := []struct {
		name, method, path string
		body               any
		says               string
	}{
		{"entry", "POST", "/api/v1/units/CA-31/entries", meter("12.500", nil), "12500 or 12.5:"},
		{"preview of an entry", "POST", "/api/v1/units/CA-31/entries/preview", meter("12.500 km", nil), "12500 km or 12.5 km:"},
		{"batch of a round or a desk", "POST", "/api/v1/entries", inBatch(meter("12.345", nil)), "12345 or 12.3450:"},
		{"chemistry", "POST", "/api/v1/units/TK-33/entries", entry("chemistry_test", noon.Add(-time.Hour), m{"nitrite": "1.250"}), "1250 or 1.25:"},
		{"number of a setting", "POST", "/api/v1/numbers", m{"texts": m{"a": "1.250"}}, "1250 or 1.25:"},
		{"bench", "POST", "/api/v1/bench/boil", m{"inputs": m{"altitude": "1.250 m"}}, "1250 m or 1.25 m:"},
		{"fact of the register", "POST", "/api/v1/register/site", m{"facts": m{"name": "Upper yard", "altitude": "1.250"}}, "1250 or 1.25:"},
		{"containers of a product", "POST", "/api/v1/register/product", m{"facts": m{"name": "Test", "containers": "1.250 L 12"}}, "1250 l or 1.25 l:"},
	}
	for _, w := range ways {
		res, text := ask(t, w.method, w.path, w.body)
		if res.StatusCode >= http.StatusInternalServerError || !strings.Contains(string(text), w.says) {
			t.Errorf("%s: %d %.400s; want %q", w.name, res.StatusCode, text, w.says)
		}
	}
	for _, c := range []struct {
		typed, format, read string
	}{{"12.500", "comma", "Read as 12,500\u00a0km."}, {"12.500", "point", "Read as 12.5\u00a0km."}, {"12,500", "point", "Read as 12,500\u00a0km."}, {"8 L", "", ""}} {
		res, text := ask(t, "POST", "/api/v1/units/CA-31/entries/preview", meter(c.typed, m{"numbers": c.format, "confirmed": true}))
		var effect api.EntryEffect
		err := json.Unmarshal(text, &effect)
		if c.read == "" {
			if res.StatusCode != http.StatusUnprocessableEntity {
				t.Errorf("%s under %q: %d %.300s", c.typed, c.format, res.StatusCode, text)
			}
			continue
		}
		if err != nil || res.StatusCode != http.StatusOK || strings.Join(effect.Read, "|") != c.read {
			t.Errorf("%s under %q: %d %.300s, %v", c.typed, c.format, res.StatusCode, text, err)
		}
	}
	if res, text := ask(t, "POST", "/api/v1/units/CA-31/entries/preview", meter("12.500", m{"numbers": "roman"})); res.StatusCode < 400 || res.StatusCode >= 500 {
		t.Errorf("a number format that is none: %d %s", res.StatusCode, text)
	}
}

// The number format of a person is stored, returned by the session, and applied to the numbers they type.
func TestNumberFormat(t *testing.T) {
	reading := func(numbers string) m {
		return m{"temperature": "degC", "volume": "L", "pressure": "kPa", "distance": "km", "dates": "dmy", "numbers": numbers}
	}
	defer func() { ask(t, "PUT", "/api/v1/session/reading", reading("either")) }()
	for format, want := range map[string]float64{"comma": 12500, "point": 12.5} {
		if res, text := ask(t, "PUT", "/api/v1/session/reading", reading(format)); res.StatusCode != http.StatusOK || !strings.Contains(string(text), `"numbers":"`+format+`"`) {
			t.Fatalf("%s: %d %s", format, res.StatusCode, text)
		}
		if s := get[api.Session](t, "/api/v1/session"); s.Person.Reading.Numbers == nil || string(*s.Person.Reading.Numbers) != format {
			t.Errorf("%s is returned as %+v", format, s.Person.Reading)
		}
		_, text := ask(t, "POST", "/api/v1/numbers", m{"texts": m{"a": "12.500"}})
		var read api.ReadNumbers
		if err := json.Unmarshal(text, &read); err != nil || read.Values["a"] != want {
			t.Errorf("12.500 under %s: %s", format, text)
		}
	}
}
