package web_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"diligentledger/api"
)

// A plan is previewed before it is changed, changed, and is in the audit; a plan
// that cannot be meant is refused with the reason.
func TestPlans(t *testing.T) {
	plans := get[[]api.ServicePlan](t, "/api/v1/service-plans")
	at := slices.IndexFunc(plans, func(p api.ServicePlan) bool { return p.Plan.Name == "Motorcycle" })
	if at < 0 || plans[at].Units < 5 || plans[at].Plan.TestMonths == nil || *plans[at].Plan.TestMonths != 12 {
		t.Fatalf("plans %+v", plans)
	}
	path := fmt.Sprint("/api/v1/service-plans/", plans[at].Id)
	shorter := plans[at].Plan
	months := 6
	shorter.First.Months, shorter.Later.Months = &months, &months
	var effect api.StatusChanges
	res, text := ask(t, "POST", path+"/preview", shorter)
	if err := json.Unmarshal(text, &effect); err != nil || res.StatusCode != http.StatusOK || effect.NewlyDue < 2 || len(effect.Rows) < effect.NewlyDue {
		t.Errorf("six months for all motorcycles: %d %.300s", res.StatusCode, text)
	}
	for _, r := range effect.Rows {
		if r.Unit.Kind != "motorcycle" {
			t.Errorf("%s is on another plan", r.Unit.Code)
		}
	}
	if res, text := ask(t, "POST", path+"/preview", plans[at].Plan); res.StatusCode != http.StatusOK || !strings.Contains(string(text), `"rows":[]`) {
		t.Errorf("the plan as it is: %d %s", res.StatusCode, text)
	}
	bad := shorter
	bad.Later = api.Interval{}
	if res, text := ask(t, "PUT", path, bad, "If-Match", plans[at].Revision); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), `"/later"`) {
		t.Errorf("a plan without a limit: %d %s", res.StatusCode, text)
	}
	taken := shorter
	taken.Name = "Pool car"
	if res, text := ask(t, "PUT", path, taken, "If-Match", plans[at].Revision); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), `"/name"`) {
		t.Errorf("another plan's name: %d %s", res.StatusCode, text)
	}
	if res, text := ask(t, "PUT", path, shorter); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "If-Match") {
		t.Errorf("without a look at it: %d %s", res.StatusCode, text)
	}
	if res, text := ask(t, "PUT", path, shorter, "If-Match", "0123456789abcdef"); res.StatusCode != http.StatusPreconditionFailed || !strings.Contains(string(text), "it is now Motorcycle: strategy interval") {
		t.Errorf("changed meanwhile: %d %s", res.StatusCode, text)
	}
	noMonths := 0
	never := shorter
	never.Later.Months = &noMonths
	if res, text := ask(t, "POST", path+"/preview", never); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), `"/later/months"`) || !strings.Contains(string(text), "0 is not accepted") {
		t.Errorf("every nought months: %d %s", res.StatusCode, text)
	}
	if res, text := ask(t, "POST", "/api/v1/service-plans/99999/preview", shorter); res.StatusCode != http.StatusNotFound {
		t.Errorf("no such plan: %d %s", res.StatusCode, text)
	}
	half := plans[at].Plan
	half.Replaced = 1.4
	if res, text := ask(t, "POST", path+"/preview", half); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "140 % is not accepted") || !strings.Contains(string(text), "10 to 100 %") {
		t.Errorf("more than all of it: %d %s", res.StatusCode, text)
	}
	if res, text := ask(t, "PUT", path, plans[at].Plan, "If-Match", plans[at].Revision); res.StatusCode != http.StatusOK {
		t.Errorf("as it stands: %d %s", res.StatusCode, text)
	}
	unit, miles := api.ServicePlanInputDistanceUnitMi, 8_000.0
	inMiles := shorter
	inMiles.Name, inMiles.DistanceUnit, inMiles.First.Km, inMiles.Later.Km, inMiles.Later.Miles = "Motorcycle, in miles", &unit, nil, nil, &miles
	res, text = ask(t, "POST", "/api/v1/service-plans", inMiles)
	var inMilesNow api.ServicePlan
	if err := json.Unmarshal(text, &inMilesNow); err != nil || res.StatusCode != http.StatusCreated || inMilesNow.Plan.Later.Miles == nil || *inMilesNow.Plan.Later.Miles != 8000 || inMilesNow.Plan.Later.Km != nil {
		t.Errorf("8,000 miles: %d %s", res.StatusCode, text)
	}
	miles = 900_000
	if res, text := ask(t, "POST", "/api/v1/service-plans", inMiles); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), `"/later/miles"`) {
		t.Errorf("900,000 miles: %d %s", res.StatusCode, text)
	}
	shorter.Name = "Motorcycle, half a year"
	res, text = ask(t, "POST", "/api/v1/service-plans", shorter)
	var added api.ServicePlan
	if err := json.Unmarshal(text, &added); err != nil || res.StatusCode != http.StatusCreated || added.Units != 0 {
		t.Fatalf("added: %d %s", res.StatusCode, text)
	}
	if res, text := ask(t, "PUT", "/api/v1/units/MC-01/service-plan", m{"plan": added.Id}); res.StatusCode != http.StatusNoContent {
		t.Errorf("put on it: %d %s", res.StatusCode, text)
	}
	if a := get[api.Account](t, "/api/v1/units/MC-01"); a.ServicePlan.Name != shorter.Name || *a.ServicePlan.Later.Months != 6 {
		t.Errorf("the unit's plan: %+v", a.ServicePlan)
	}
	for where, status := range map[string]int{"/api/v1/units/ZZ-1/service-plan": http.StatusNotFound, "/api/v1/units/MC-01/service-plan": http.StatusNotFound} {
		if res, text := ask(t, "PUT", where, m{"plan": 99_999}); res.StatusCode != status {
			t.Errorf("%s: %d %s", where, res.StatusCode, text)
		}
	}
	lines := get[[]api.AuditLine](t, "/api/v1/audit")
	for _, what := range []string{"plan_added", "unit_on_plan"} {
		if !slices.ContainsFunc(lines, func(l api.AuditLine) bool { return l.What == what && l.Who == "E. Marrow" }) {
			t.Errorf("the audit does not tell of %s", what)
		}
	}
}
