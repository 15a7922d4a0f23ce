package web_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"diligentledger/api"
)

// Units go to the work list, are seen on the Horizon, get other days and come off
// again; what cannot be meant is refused by the field.
func TestPlanListAPI(t *testing.T) {
	sent := func(body any, status int) (out api.AddedWork) {
		t.Helper()
		res, text := ask(t, "POST", "/api/v1/work-list", body)
		if res.StatusCode != status {
			t.Fatalf("sent %v: %d %s", body, res.StatusCode, text)
		}
		if status == http.StatusOK {
			if err := json.Unmarshal(text, &out); err != nil {
				t.Fatal(err)
			}
		}
		return out
	}
	today := noon
	in := func(days int) string { return today.AddDate(0, 0, days).Format(time.DateOnly) }
	got := sent(m{"units": []string{"MC-03", "HB-11"}, "from": in(3), "to": in(10)}, http.StatusOK)
	if len(got.Sent) != 2 || len(got.Already) != 0 {
		t.Fatalf("sent %+v", got)
	}
	if again := sent(m{"units": []string{"MC-03"}}, http.StatusOK); len(again.Sent) != 0 || !slices.Equal(again.Already, []string{"MC-03"}) {
		t.Errorf("sent again %+v", again)
	}
	onHorizon := func() (planned []api.WorkItem) {
		for _, r := range get[api.Horizon](t, "/api/v1/horizon?limit=500").Rows {
			if r.Unit.Code == "MC-03" && r.Work != nil {
				planned = *r.Work
			}
		}
		return planned
	}
	if p := onHorizon(); len(p) != 1 || p[0].From.Format(time.DateOnly) != in(3) || p[0].To.Format(time.DateOnly) != in(10) || p[0].Work != "renewal" && p[0].Work != "test" {
		t.Fatalf("on the Horizon %+v", p)
	}
	path := fmt.Sprint("/api/v1/work-list/", onHorizon()[0].Id)
	if res, text := ask(t, "PUT", path, m{"from": in(20), "to": in(21)}); res.StatusCode != http.StatusNoContent || onHorizon()[0].From.Format(time.DateOnly) != in(20) {
		t.Errorf("moved: %d %s", res.StatusCode, text)
	}
	for field, body := range map[string]any{"/to": m{"from": in(9), "to": in(8)}, "/from": m{"from": "2001-02-03", "to": in(8)}} {
		if res, text := ask(t, "PUT", path, body); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), `"pointer":"`+field+`"`) {
			t.Errorf("%v: %d %s", body, res.StatusCode, text)
		}
	}
	for field, body := range map[string]any{"/units/1": m{"units": []string{"MC-03", "NO-1"}}, "/units": m{"units": []string{}}, "/from": m{"units": []string{"MC-03"}, "from": "tomorrow"}} {
		if res, text := ask(t, "POST", "/api/v1/work-list", body); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), `"pointer":"`+field+`"`) {
			t.Errorf("%v: %d %s", body, res.StatusCode, text)
		}
	}
	if res, text := ask(t, "POST", "/api/v1/work-list/remove", m{"ids": got.Sent}); res.StatusCode != http.StatusNoContent || len(onHorizon()) != 0 {
		t.Errorf("taken back: %d %s", res.StatusCode, text)
	}
	if res, text := ask(t, "PUT", path, m{"from": in(20), "to": in(21)}); res.StatusCode != http.StatusNotFound {
		t.Errorf("moved when it was off: %d %s", res.StatusCode, text)
	}
	lines := get[api.WorkList](t, "/api/v1/work-list").Lines
	if !slices.ContainsFunc(lines, func(l api.WorkLine) bool { return l.Unit.Code == "CA-43" && l.Done != nil }) {
		t.Error("a test that was made is not done by the books")
	}
}

// The sites show what their cold rests on; how cautious it is can be set, within
// bounds, and moves the curve of all their units.
func TestSitesAPI(t *testing.T) {
	sites := get[[]api.SiteCold](t, "/api/v1/sites")
	if len(sites) != 4 || sites[0].Name != "Airstrip" || sites[0].Years != 0 || sites[0].ForecastAt != nil {
		t.Fatalf("sites %+v", sites)
	}
	path := fmt.Sprint("/api/v1/sites/", sites[0].Id)
	for _, winters := range []int{1, 201, -3} {
		if res, text := ask(t, "PUT", path, m{"returnPeriod": winters}); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "accepted: 2 to 200") {
			t.Errorf("%d winters: %d %s", winters, res.StatusCode, text)
		}
	}
	if res, text := ask(t, "PUT", path, m{"returnPeriod": 30}); res.StatusCode != http.StatusOK || !strings.Contains(string(text), `"returnPeriod":30`) {
		t.Errorf("30 winters: %d %s", res.StatusCode, text)
	}
	if res, text := ask(t, "PUT", "/api/v1/sites/999", m{"returnPeriod": 30}); res.StatusCode != http.StatusNotFound {
		t.Errorf("no site: %d %s", res.StatusCode, text)
	}
}

// All of a kind at a site go to a plan after a look at what that does.
func TestKindOnPlanAPI(t *testing.T) {
	months := 6
	res, text := ask(t, "POST", "/api/v1/service-plans", api.ServicePlanInput{Name: "Half a year", Strategy: "interval", Later: api.Interval{Months: &months}, FreezeMargin: 3, Replaced: 0.6})
	var plan api.ServicePlan
	if err := json.Unmarshal(text, &plan); err != nil || res.StatusCode != http.StatusCreated {
		t.Fatalf("added: %d %s", res.StatusCode, text)
	}
	path := fmt.Sprintf("/api/v1/service-plans/%d/units", plan.Id)
	body := m{"kind": "boat", "site": "Harbour yard"}
	var effect api.StatusChanges
	if res, text = ask(t, "POST", path+"/preview", body); res.StatusCode != http.StatusOK || json.Unmarshal(text, &effect) != nil || effect.NewlyDue == 0 {
		t.Errorf("preview: %d %.200s", res.StatusCode, text)
	}
	if res, text = ask(t, "PUT", path, body); res.StatusCode != http.StatusOK || string(text) != "{\"moved\":10}\n" {
		t.Errorf("moved: %d %s", res.StatusCode, text)
	}
	if res, text = ask(t, "PUT", path, m{"kind": "boat", "site": "Atlantis"}); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), `"/site"`) {
		t.Errorf("nowhere: %d %s", res.StatusCode, text)
	}
	if res, text = ask(t, "PUT", path, m{"kind": "sledge"}); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), `"/kind"`) {
		t.Errorf("a sledge: %d %s", res.StatusCode, text)
	}
}
