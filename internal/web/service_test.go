package web_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"diligentledger/api"
)

// verdictOf a clock of an account; empty when it has none.
func verdictOf(t *testing.T, unit string, kind api.ClockKind) api.Verdict {
	t.Helper()
	for _, c := range get[api.Account](t, "/api/v1/units/"+unit).Status.Clocks {
		if c.Kind == kind {
			return c.Verdict
		}
	}
	return ""
}

// A boat whose raw-water side is wet is held in frost, until it is recorded as drained; then it is
// wet again once it is back in use.
func TestRawWaterAPI(t *testing.T) {
	if v := verdictOf(t, "HB-16", "raw_water"); frost() && v != "hold" {
		t.Fatalf("wet in frost, and it is %q", v)
	}
	write := func(kind string, minutes int, body m) {
		t.Helper()
		e := entry(kind, noon.Add(time.Duration(minutes-40)*time.Minute), body)
		if res, text := ask(t, "POST", "/api/v1/units/HB-16/entries", e); res.StatusCode != http.StatusCreated {
			t.Fatalf("%s: %d %s", kind, res.StatusCode, text)
		}
	}
	write("raw_water", 0, m{"state": "drained", "note": "spigots open"})
	if v := verdictOf(t, "HB-16", "raw_water"); v != "sound" {
		t.Errorf("drained, and it is %q", v)
	}
	write("return", 1, m{})
	if v := verdictOf(t, "HB-16", "raw_water"); frost() && v != "hold" {
		t.Errorf("back in use in frost, and it is %q", v)
	}
	write("raw_water", 2, m{"state": "filled", "freeze": reading(-31, "degF")})
	if v := verdictOf(t, "HB-16", "raw_water"); v != "sound" {
		t.Errorf("filled to −35 °C, and it is %q", v)
	}
	for where, body := range map[string]m{"/rawWater/state": {"state": "dry"}, "/rawWater/freeze": {"state": "drained", "freeze": reading(-20, "degC")}} {
		if res, text := ask(t, "POST", "/api/v1/units/HB-16/entries", entry("raw_water", noon, body)); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), where) {
			t.Errorf("%v: %d %s", body, res.StatusCode, text)
		}
	}
	if res, text := ask(t, "POST", "/api/v1/units/CA-31/entries", entry("raw_water", noon, m{"state": "drained"})); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "boats alone") {
		t.Errorf("of a car: %d %s", res.StatusCode, text)
	}
}

// Ordinary coolant is refused in a circuit of the electric drive, by name; conductivity is asked for
// with the temperature of the sample; the figures and the report of a laboratory read back.
func TestElectricCircuitAPI(t *testing.T) {
	path := "/api/v1/units/CA-62%20battery"
	fill := entry("renewal", noon.Add(-30*time.Minute), m{"volume": reading(12, "L"), "product": "NORD-OAT-50", "emptied": true})
	if res, text := ask(t, "POST", path+"/entries", fill); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "low-conductivity coolant only") {
		t.Errorf("ordinary coolant: %d %s", res.StatusCode, text)
	}
	bare := entry("chemistry_test", noon.Add(-20*time.Minute), m{"method": "meter", "conductivity": 90})
	if res, text := ask(t, "POST", path+"/entries", bare); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "/chemistryTest/conductivityAt") {
		t.Errorf("without its temperature: %d %s", res.StatusCode, text)
	}
	report := strings.Repeat("ab", 32)
	lab := entry("chemistry_test", noon.Add(-20*time.Minute), m{"method": "laboratory", "conductivity": "1200", "conductivityAt": reading(20, "degC"), "glycolate": 85, "chloride": 12, "iron": 3})
	lab["attachments"] = []string{report}
	if res, text := ask(t, "POST", path+"/entries", lab); res.StatusCode != http.StatusCreated {
		t.Fatalf("laboratory: %d %s", res.StatusCode, text)
	}
	a := get[api.Account](t, path)
	last := a.Lines[len(a.Lines)-1]
	if !strings.Contains(last.Text, "glycolate 85") || last.Attachments == nil || len(*last.Attachments) != 1 || (*last.Attachments)[0] != report {
		t.Errorf("read back: %q, %v", last.Text, last.Attachments)
	}
	if v := verdictOf(t, "CA-62%20battery", "chemistry"); v != "due" {
		t.Errorf("1,200 µS/cm in a battery circuit is %q", v)
	}
	lab["id"], lab["attachments"] = "0193f2aa-0000-7000-8000-00000000abcd", []string{"not a hash"}
	if res, text := ask(t, "POST", path+"/entries", lab); res.StatusCode != http.StatusUnprocessableEntity && res.StatusCode != http.StatusBadRequest {
		t.Errorf("no hash: %d %s", res.StatusCode, text)
	}
}

// Parts of a service plan are kept, previewed and refused by their place.
func TestPlanPartsAPI(t *testing.T) {
	months := 12
	hours := 400.0
	in := api.ServicePlanInput{Name: "Boats, with parts", Strategy: "interval", Later: api.Interval{Months: &months}, FreezeMargin: 3, Replaced: 0.6,
		Parts: &[]api.PartInterval{{Part: "impeller", Months: &months, Hours: &hours}, {Part: "anodes", Months: &months}}}
	res, text := ask(t, "POST", "/api/v1/service-plans", in)
	if res.StatusCode != http.StatusCreated || !strings.Contains(string(text), `"parts":[{"hours":400,"months":12,"part":"impeller"},{"months":12,"part":"anodes"}]`) {
		t.Errorf("added: %d %s", res.StatusCode, text)
	}
	in.Name, in.Parts = "Twice", &[]api.PartInterval{{Part: "anodes", Months: &months}, {Part: "anodes", Months: &months}, {Part: "impeller"}}
	if res, text = ask(t, "POST", "/api/v1/service-plans", in); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), `"/parts/1/part"`) || !strings.Contains(string(text), `"/parts/2/months"`) {
		t.Errorf("a part twice, and one without a limit: %d %s", res.StatusCode, text)
	}
}

// Water of a site is kept, judged and refused by its figure; what was not tested is not fit.
func TestWaterOfASiteAPI(t *testing.T) {
	sites := get[[]api.SiteCold](t, "/api/v1/sites")
	path := fmt.Sprintf("/api/v1/sites/%d", sites[0].Id)
	if !strings.Contains(sites[0].WaterText, "not tested: use purified water") {
		t.Errorf("never tested: %q", sites[0].WaterText)
	}
	for _, c := range []struct {
		water m
		want  string
	}{
		{m{"hardness": 120, "chloride": 20, "sulphate": 40, "solids": 200}, "Its water is fit for mixing."},
		{m{"hardness": 310, "chloride": 20, "sulphate": 40, "solids": 200}, "not fit for mixing: hardness 310 of at most 170"},
		{m{"hardness": 120}, "chloride, sulphate, solids is not tested: use purified water."},
		{m{}, "Its water is not tested"},
	} {
		res, text := ask(t, "PUT", path, m{"water": c.water})
		var out api.SiteCold
		if err := json.Unmarshal(text, &out); err != nil || res.StatusCode != http.StatusOK || !strings.Contains(out.WaterText, c.want) {
			t.Errorf("%v: %d %q, want %q", c.water, res.StatusCode, out.WaterText, c.want)
		}
	}
	if res, text := ask(t, "PUT", path, m{"water": m{"chloride": -3}}); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), `"/water/chloride"`) {
		t.Errorf("less than none: %d %s", res.StatusCode, text)
	}
}
