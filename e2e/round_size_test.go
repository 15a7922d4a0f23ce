package e2e

import (
	"diligentledger/internal/testday"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/google/uuid"
)

// mostOffline bytes, compressed, of all that the first visit keeps for working without a signal, and mostCore of the
// core in it.
const (
	mostOffline = 2_000_000
	mostCore    = 1_500_000
)

func plainGet(t *testing.T, path string) (*http.Response, []byte) {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), "GET", app.address+path, nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Accept-Encoding", "gzip, deflate, br")
	res, err := (&http.Transport{DisableCompression: true}).RoundTrip(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	content, err := io.ReadAll(res.Body)
	if err != nil || res.StatusCode != http.StatusOK {
		t.Fatalf("%s: %d, %v", path, res.StatusCode, err)
	}
	return res, content
}

// The program with its core is under 2 MB compressed; WebAssembly may be compiled in the worker alone, and the
// page's own policy is as strict as before.
func TestShell(t *testing.T) {
	res, compressed := plainGet(t, "/sw.js")
	if res.Header.Get("Content-Encoding") != "br" || !strings.Contains(res.Header.Get("Content-Security-Policy"), "default-src 'none'") || len(compressed) == 0 {
		t.Errorf("the service worker: %v", res.Header)
	}
	b := newTabOf(t, "")
	b.open("/", `input[type="password"]`)
	script := js[string](b, `fetch("/sw.js").then(r => r.text())`)
	size, workers, cores := 0, 0, 0
	listed := map[string]bool{}
	for _, m := range regexp.MustCompile(`url:"([^"]+)"`).FindAllStringSubmatch(script, -1) {
		if listed[m[1]] {
			continue
		}
		listed[m[1]] = true
		res, content := plainGet(t, "/"+m[1])
		size += len(content)
		policy := res.Header.Get("Content-Security-Policy")
		switch {
		case strings.Contains(m[1], "core.worker"):
			workers++
			if !strings.Contains(policy, "'wasm-unsafe-eval'") || strings.Contains(policy, "'unsafe-eval'") {
				t.Errorf("the worker: %s", policy)
			}
		case strings.HasSuffix(m[1], ".wasm"):
			cores++
			if len(content) > mostCore || res.Header.Get("Content-Encoding") != "br" {
				t.Errorf("the core is %d bytes, %s; at most %d compressed", len(content), res.Header.Get("Content-Encoding"), mostCore)
			}
			if res.Header.Get("Content-Type") != "application/wasm" {
				t.Errorf("the core is %s", res.Header.Get("Content-Type"))
			}
		case strings.Contains(policy, "eval"):
			t.Errorf("%s: %s", m[1], policy)
		}
	}
	if len(listed) < 20 || workers != 1 || cores != 1 || size > mostOffline {
		t.Errorf("%d files of %d bytes, %d workers, %d cores; at most %d bytes", len(listed), size, workers, cores, mostOffline)
	}
	t.Logf("%d files, %d bytes compressed", len(listed), size)
	if text := js[string](b, `fetch("/app.webmanifest").then(r => r.text())`); !strings.Contains(text, `"start_url":"/round"`) {
		t.Errorf("manifest: %s", text)
	}
}

var walk200 = flag.Bool("walk200", false, "load a walk of 200 units on a processor slowed four times, and print how long it took")

// A walk of 200 units with 20 entries each, for the bench: from the tap on its row until the first unit is
// shown by the core.
func TestWalkOf200(t *testing.T) {
	if !*walk200 {
		t.Skip("a measurement: with -walk200")
	}
	ask := func(method, path string, body any) {
		t.Helper()
		text, err := json.Marshal(body)
		if err != nil {
			t.Fatal(err)
		}
		req, err := http.NewRequestWithContext(t.Context(), method, app.address+path, strings.NewReader(string(text)))
		if err != nil {
			t.Fatal(err)
		}
		for name, value := range map[string]string{"Content-Type": "application/json", "Sec-Fetch-Site": "same-origin", "Cookie": "session=" + app.session(t, coordinator)} {
			req.Header.Set(name, value)
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		if res.StatusCode >= 300 {
			said, _ := io.ReadAll(res.Body)
			t.Fatalf("%s: %d %s", path, res.StatusCode, said)
		}
	}
	ask("POST", "/api/v1/register/unit", map[string]any{"numbers": "ZQ-002 to ZQ-200", "facts": map[string]string{"code": "ZQ-001", "name": "pool car", "kind": "car", "plan": "Pool car", "site": "Inland depot", "capacity": "6 L", "base": "EG", "meter": "km"}})
	for n := 1; n <= 200; n++ {
		at := testday.Now().AddDate(0, 0, -400)
		for e := range 20 {
			entry := map[string]any{"id": uuid.Must(uuid.NewV7()).String(), "at": at.AddDate(0, 0, 19*e).Format(time.RFC3339)}
			switch {
			case e == 0:
				entry["kind"], entry["renewal"] = "renewal", map[string]any{"volume": map[string]any{"value": 6, "unit": "L"}, "product": "NORD-OAT-50", "emptied": true}
			case e%3 == 0:
				entry["kind"], entry["freezeTest"] = "freeze_test", map[string]any{"value": map[string]any{"value": -36, "unit": "degC"}, "instrument": "refractometer", "scale": "EG"}
			default:
				entry["kind"], entry["meter"] = "meter", map[string]any{"meter": map[string]any{"value": 10_000 + 300*e, "unit": "km"}}
			}
			ask("POST", fmt.Sprintf("/api/v1/units/ZQ-%03d/entries", n), entry)
			time.Sleep(8 * time.Millisecond) // within the rate of requests
		}
	}
	b := newTabOf(t, technician)
	for _, rate := range []float64{1, 4} {
		if _, err := chromedp.Call(b.ctx, emulation.SetCPUThrottlingRate, emulation.SetCPUThrottlingRateParams{Rate: rate}); err != nil {
			t.Fatal(err)
		}
		b.open("/round", `.walk-site`)
		b.do(chromedp.Sleep(3 * time.Second)) // the core is compiled meanwhile
		begun := time.Now()
		js[chromedp.Void](b, `[...document.querySelectorAll('.walk-site')].find(x => x.innerText.startsWith('Inland')).querySelectorAll('button').forEach(x => x.innerText.startsWith("no place") && x.click())`)
		b.wait(`[data-testid="unit-sheet"]`)
		shown := time.Since(begun)
		b.tap("cold")
		b.tap("at the upper mark")
		b.until(`document.querySelector('.round-bar .what').innerText.includes("→")`)
		took := js[float64](b, `performance.getEntriesByType("resource").filter(r => r.name.includes("/api/v1/walk?")).at(-1).duration`)
		t.Logf("the server's answer %.0f ms", took)
		t.Logf("slowed %.0f times: shown after %s, first verdict %s after that", rate, shown.Round(10*time.Millisecond), (time.Since(begun) - shown).Round(10*time.Millisecond))
	}
}
