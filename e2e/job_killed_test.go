package e2e

import (
	"bytes"
	"encoding/json"
	"io"
	"math/rand/v2"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
	"github.com/google/uuid"

	"diligentledger/core/job"
	"diligentledger/internal/sheet"
	"diligentledger/internal/testday"
	"diligentledger/internal/testfolder"
)

// send a request with a person's session; status 0 when there was no answer.
func (p *program) send(t *testing.T, session, method, path string, body any) (int, []byte) {
	t.Helper()
	text, err := json.Marshal(body)
	if err != nil {
		t.Fatal(err)
	}
	req, err := http.NewRequestWithContext(t.Context(), method, p.address+path, bytes.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	req.Header.Set("Cookie", "session="+session)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return 0, nil
	}
	defer res.Body.Close()
	answer, err := io.ReadAll(res.Body)
	if err != nil {
		return 0, nil
	}
	return res.StatusCode, answer
}

// The server is killed at every step of a job, while the step is sent or just after it was confirmed. What was confirmed is there
// when it comes back; what got no answer is sent again and is there once; the unit stays on hold, and at the end the entries are in
// the ledger once.
func TestJobServerKilled(t *testing.T) {
	t.Parallel() // its program is its own
	data := testfolder.New(t)
	p := mustBegin(t, data)
	session := p.session(t, technician)
	id := uuid.Must(uuid.NewV7()).String()
	if status, text := p.send(t, session, "POST", "/api/v1/jobs", map[string]any{"id": id, "unit": "CA-16", "job": "drain_fill"}); status != http.StatusOK {
		t.Fatalf("%d %s", status, text)
	}
	pack := func() sheet.Pack {
		t.Helper()
		status, text := p.send(t, session, "GET", "/api/v1/jobs/"+id, nil)
		var a struct {
			Pack string `json:"pack"`
		}
		if err := json.Unmarshal(text, &a); err != nil || status != http.StatusOK {
			t.Fatalf("%d %s %v", status, text, err)
		}
		out, err := sheet.ReadPack([]byte(a.Pack))
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	again := func() {
		t.Helper()
		if err := p.kill(); err != nil {
			t.Fatal(err)
		}
		p = mustBegin(t, data)
	}
	now := pack()
	sim := job.NewSimulator(now.Setup)
	sim.Faults = job.Faults{}
	rng := rand.New(rand.NewPCG(18, 18))
	confirmed := map[string]bool{}
	kills := 0
	for n := 0; ; n++ {
		st := now.Open(nil, testday.Now())
		if st.Next == "release" || n > 60 {
			break
		}
		step := *st.Step(st.Next)
		values := sim.Answer(step)
		event := map[string]any{"id": uuid.Must(uuid.NewV7()).String(), "at": testday.Now().UTC(), "type": "answer", "step": step.Key, "values": values}
		if step.Answer != nil {
			event["replaces"] = step.Answer.ID
		}
		said := ""
		send := func() int {
			status, text := p.send(t, session, "POST", "/api/v1/jobs/"+id+"/events", map[string]any{"events": []any{event}})
			said = string(text)
			return status
		}
		if n%2 == 0 {
			if status := send(); status != http.StatusOK {
				t.Fatalf("%s: %d", step.Key, status)
			}
			confirmed[event["id"].(string)] = true
			again()
		} else {
			done := make(chan int, 1)
			go func() { done <- send() }()
			time.Sleep(time.Duration(rng.IntN(12)) * time.Millisecond)
			again()
			if status := <-done; status == http.StatusOK {
				confirmed[event["id"].(string)] = true
			}
			if status := send(); status != http.StatusOK {
				t.Fatalf("%s again: %d %.500s", step.Key, status, said)
			}
			confirmed[event["id"].(string)] = true
		}
		kills++
		now = pack()
		times := map[string]int{}
		for _, e := range now.Events {
			times[e.ID]++
		}
		for e := range confirmed {
			if times[e] != 1 {
				t.Fatalf("after %s: an event is there %d times", step.Key, times[e])
			}
		}
		sim.Apply(step, values)
	}
	st := now.Open(nil, testday.Now())
	if kills < 20 || !st.Ready || st.Posted == nil {
		t.Fatalf("%d kills, ready %v, posted %v, next %s", kills, st.Ready, st.Posted != nil, st.Next)
	}
	var account struct {
		Status struct {
			Verdict string `json:"verdict"`
		} `json:"status"`
		Lines []struct {
			Kind string `json:"kind"`
		} `json:"lines"`
	}
	if err := json.Unmarshal([]byte(p.get(t, "/api/v1/units/CA-16")), &account); err != nil {
		t.Fatal(err)
	}
	holds := 0
	for _, l := range account.Lines {
		if l.Kind == "hold" {
			holds++
		}
	}
	if account.Status.Verdict != "hold" || holds != 1 {
		t.Errorf("verdict %q, %d holds", account.Status.Verdict, holds)
	}
	p.listOfJobs(t, session)
	if err := p.end(); err != nil {
		t.Error(err)
	}
}

// listOfJobs in several phases, as a coordinator sees them on a desk and on a phone.
func (p *program) listOfJobs(t *testing.T, session string) {
	t.Helper()
	for _, c := range []struct {
		unit, kind string
		steps      int
		pause      string
	}{{"CA-20", "drain_fill", 1, ""}, {"TK-04", "drain_fill", 8, "waiting for washers"}, {"MC-05", "drain_fill", 9, ""}, {"AV-03", "aircraft_task", 99, ""}, {"HB-06", "boat_loop", 12, ""}, {"TK-06", "full_flush", 12, ""}, {"CA-26", "bleed", 8, ""}} {
		id := uuid.Must(uuid.NewV7()).String()
		status, text := p.send(t, session, "POST", "/api/v1/jobs", map[string]any{"id": id, "unit": c.unit, "job": c.kind})
		var sim *job.Simulator
		for n := 0; ; n++ {
			var a struct {
				Pack string `json:"pack"`
			}
			if err := json.Unmarshal(text, &a); err != nil || status != http.StatusOK {
				t.Fatalf("%s: %d %s", c.unit, status, text)
			}
			pack, err := sheet.ReadPack([]byte(a.Pack))
			if err != nil {
				t.Fatal(err)
			}
			if sim == nil {
				sim = job.NewSimulator(pack.Setup)
				sim.Faults = job.Faults{}
			}
			st := pack.Open(nil, testday.Now())
			if st.Next == "release" || n >= c.steps {
				break
			}
			step := *st.Step(st.Next)
			values := sim.Answer(step)
			event := map[string]any{"id": uuid.Must(uuid.NewV7()).String(), "at": testday.Now().UTC(), "type": "answer", "step": step.Key, "values": values}
			if step.Answer != nil {
				event["replaces"] = step.Answer.ID
			}
			status, text = p.send(t, session, "POST", "/api/v1/jobs/"+id+"/events", map[string]any{"events": []any{event}})
			sim.Apply(step, values)
		}
		if c.pause != "" {
			event := map[string]any{"id": uuid.Must(uuid.NewV7()).String(), "at": testday.Now().UTC(), "type": "pause", "why": c.pause}
			if status, text := p.send(t, session, "POST", "/api/v1/jobs/"+id+"/events", map[string]any{"events": []any{event}}); status != http.StatusOK {
				t.Fatalf("%d %s", status, text)
			}
		}
	}
	b := newTabOf(t, "")
	yes := true
	if _, err := chromedp.Call(b.ctx, network.SetCookie, network.SetCookieParams{
		Name: "session", Value: p.session(t, coordinator), URL: p.address, HTTPOnly: &yes, Secure: &yes, SameSite: network.CookieSameSiteLax}); err != nil {
		t.Fatal(err)
	}
	b.do(chromedp.EmulateViewport(1280, 800), chromedp.Navigate(p.address+"/job"))
	b.until(`document.querySelectorAll('.job-line').length >= 6`)
	if text := js[string](b, `document.querySelector('.jobs').innerText`); !strings.Contains(text, "System empty, do not start") || !strings.Contains(text, "Awaits release") {
		t.Errorf("the list: %s", text)
	}
	b.accessible("list of jobs")
	b.keepRound("jobs")
	b.do(chromedp.EmulateViewport(390, 844))
	b.accessible("list of jobs on a phone")
	b.thumbs("list of jobs")
	b.keepRound("jobs-phone")
	b.do(chromedp.EmulateViewport(1280, 800), chromedp.Navigate(p.address+"/"))
	b.until(`document.body.innerText.includes('waiting for washers. System empty, do not start')`)
}
