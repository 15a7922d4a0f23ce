package e2e

import (
	"net/url"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/performance"
	"github.com/chromedp/chromedp"
)

// Requests that an idle page may send, by the beginning of its path: its jobs and rounds under way, which others go on
// with, and the stream of changes of the plan.
var statedAtRest = map[string][]string{
	"/job":      {"/api/v1/jobs"},
	"/plan":     {"/api/v1/plan/events"},
	"/plan/day": {"/api/v1/plan/events"},
	"/":         {"/api/v1/morning"},
	"/job/":     {"/api/v1/jobs/"},
}

const (
	// restFor is how long a page is watched, and mostScript how much of that its scripts may run.
	restFor    = 10 * time.Second
	mostScript = 50 * time.Millisecond
	atOnce     = 6
)

// An idle page does nothing: no transaction of the device's store, no request that is not stated, no script.
func TestPagesAtRest(t *testing.T) {
	all := slices.Concat(views, others, []view{
		{"round", "/round", `.walk-site`, 390, 844, false},
		{"round-close", "/round/close", `main`, 390, 844, false},
		{"jobs", "/job", `main`, 1280, 800, false},
		{"job-new", "/job/new?unit=CA-14", `.job-start`, 390, 844, false},
		{"plan", "/plan", `.board`, 1280, 800, false},
		{"labels", "/tags?site=Hill%20garage", `.tags svg`, 1280, 800, false},
		{"blank-sheet", "/round/sheet?site=Harbour%20yard", `.blank-sheet`, 1280, 800, false},
	})
	// Another test balances those books.
	all = slices.DeleteFunc(all, func(v view) bool { return v.name == "account-balance" })
	for some := range slices.Chunk(all, atOnce) {
		var watched sync.WaitGroup
		for _, v := range some {
			email := coordinator
			if strings.HasPrefix(v.name, signInView) {
				email = ""
			}
			b := newTabOf(t, email)
			if _, err := chromedp.Call(b.ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: `
				window.transactions = 0;
				{ const begin = IDBDatabase.prototype.transaction; IDBDatabase.prototype.transaction = function (...a) { window.transactions++; return begin.apply(this, a) } }`}); err != nil {
				t.Fatal(err)
			}
			if _, err := chromedp.Call(b.ctx, performance.Enable, performance.EnableParams{TimeDomain: "threadTicks"}); err != nil {
				t.Fatal(err)
			}
			b.view(v.path, v.ready, v.width, v.height, v.dark)
			watched.Go(func() { b.atRest(v) })
		}
		watched.Wait()
	}
}

// atRest watches the page once it has settled: nothing asked for two seconds.
func (b *tab) atRest(v view) {
	asked := func() int {
		b.mu.Lock()
		defer b.mu.Unlock()
		return len(b.asked)
	}
	// One that asks for ever is watched all the same.
	for last, n := -1, 0; last != asked() && n < 15; n++ {
		last = asked()
		time.Sleep(2 * time.Second)
	}
	time.Sleep(2 * time.Second)
	from, script := asked(), b.scripted()
	transactions := js[int](b, `window.transactions`)
	time.Sleep(restFor)
	ran, opened := b.scripted()-script, js[int](b, `window.transactions`)-transactions
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, one := range b.asked[from:] {
		u, err := url.Parse(one)
		if err != nil || !slices.ContainsFunc(statedAtRest[pathOf(v.path)], func(p string) bool { return strings.HasPrefix(u.Path, p) }) {
			b.t.Errorf("%s asked at rest for %s", v.name, one)
		}
	}
	if opened > 0 {
		b.t.Errorf("%s: %d transactions of the device's store at rest", v.name, opened)
	}
	if ran > mostScript {
		b.t.Errorf("%s: %s of script in %s at rest", v.name, ran, restFor)
	}
}

func pathOf(path string) string {
	bare, _, _ := strings.Cut(path, "?")
	return bare
}

// scripted is how long the scripts of the page have run.
func (b *tab) scripted() time.Duration {
	got, err := chromedp.Call(b.ctx, performance.GetMetrics, cdp.Empty{})
	if err != nil {
		b.t.Error(err)
		return 0
	}
	for _, m := range got.Metrics {
		if m.Name == "ScriptDuration" {
			return time.Duration(m.Value * float64(time.Second))
		}
	}
	b.t.Error("the browser does not say how long scripts ran")
	return 0
}
