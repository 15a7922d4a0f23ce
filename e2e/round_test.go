package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"net/http/httputil"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"diligentledger/internal/demo"
)

// line is what lies between a device and the server: it passes all, nothing, or drops every third answer
// after the server has done what it was asked.
type line struct {
	address string
	mu      sync.Mutex
	mode    string
	calls   int
	dropped int
}

func (l *line) set(mode string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.mode, l.calls = mode, 1 // the second call is the first to lose its answer: that which sends
}

func newLine(t *testing.T) *line {
	t.Helper()
	to, err := url.Parse(app.address)
	if err != nil {
		t.Fatal(err)
	}
	l := &line{}
	proxy := httputil.NewSingleHostReverseProxy(to)
	proxy.ErrorHandler = func(w http.ResponseWriter, _ *http.Request, _ error) { panic(http.ErrAbortHandler) }
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	l.address = "http://" + listener.Addr().String()
	server := &http.Server{ReadHeaderTimeout: time.Minute, Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		l.mu.Lock()
		mode := l.mode
		drop := false
		if mode == "drops" && strings.HasPrefix(r.URL.Path, "/api/") {
			l.calls++
			if drop = l.calls%3 == 0; drop {
				l.dropped++
			}
		}
		l.mu.Unlock()
		if mode == "cut" {
			panic(http.ErrAbortHandler)
		}
		if drop {
			// The server does it, and the answer is lost.
			proxy.ServeHTTP(discarded{http.Header{}}, r)
			panic(http.ErrAbortHandler)
		}
		r.Host = to.Host
		proxy.ServeHTTP(w, r)
	})}
	go func() { _ = server.Serve(listener) }() // ends with Close
	t.Cleanup(func() { _ = server.Close() })
	return l
}

type discarded struct{ header http.Header }

func (d discarded) Header() http.Header         { return d.header }
func (d discarded) Write(b []byte) (int, error) { return len(b), nil }
func (d discarded) WriteHeader(int)             {}

// phone is a browser of its own with a folder that outlives it.
type phone struct {
	t      *testing.T
	folder string
	stop   context.CancelFunc
	ctx    context.Context
}

func (p *phone) start() {
	p.t.Helper()
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath("chromium"), chromedp.NoSandbox, chromedp.DisableGPU, chromedp.UserDataDir(p.folder),
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true), chromedp.WindowSize(390, 844))
	allocator, stop := chromedp.NewExecAllocator(context.Background(), options...)
	p.ctx, _ = chromedp.NewContext(allocator)
	p.stop = stop
	if err := chromedp.Do(p.ctx); err != nil {
		p.t.Fatal(err)
	}
}

// tab of the phone, at its width.
func (p *phone) tab() (*tab, context.CancelFunc) {
	p.t.Helper()
	ctx, cancel := chromedp.NewContext(p.ctx)
	b := &tab{t: p.t, ctx: ctx}
	if err := chromedp.Listen(ctx, b.listen); err != nil {
		p.t.Fatal(err)
	}
	limited, stop := context.WithTimeout(ctx, tabLasts)
	p.t.Cleanup(stop)
	b.ctx = limited
	if _, err := chromedp.Call(limited, network.Enable, network.EnableParams{}); err != nil {
		p.t.Fatal(err)
	}
	if _, err := chromedp.Call(limited, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: movedClock()}); err != nil {
		p.t.Fatal(err)
	}
	b.do(chromedp.EmulateViewport(390, 844))
	return b, cancel
}

// tap the button whose text begins so, as a thumb would find it.
func (b *tab) tap(text string) {
	b.t.Helper()
	found := fmt.Sprintf(`[...document.querySelectorAll("button, a.choice, label.choice")].find(x => !x.disabled && x.ariaDisabled !== "true" && x.offsetParent !== null && x.innerText.trim().startsWith(%q))`, text)
	b.until(found)
	js[chromedp.Void](b, found+`.click()`)
}

// type into a field of a page that React draws.
func (b *tab) set(selector, text string) {
	b.t.Helper()
	b.wait(selector)
	js[chromedp.Void](b, fmt.Sprintf(`(() => { const f = document.querySelector(%q); Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(f, %q);
		f.dispatchEvent(new Event("input", { bubbles: true })); })()`, selector, text))
}

// visit the unit that is shown: cold, its level, a freeze test, then on to the next.
func (b *tab) visit(n int) string {
	b.t.Helper()
	b.wait(`[data-testid="unit-sheet"]`)
	code := b.text(`.unit-head h2 .figures`)
	if !js[bool](b, `[...document.querySelectorAll('.choice')].some(x => x.innerText.trim() === "cold" && x.ariaPressed === "true")`) {
		b.tap("cold")
	}
	if js[bool](b, `document.querySelector('[data-question="level"]') === null || document.querySelector('[data-question="freeze_test"]') === null`) {
		b.tap("more")
	}
	b.tap("at the upper mark")
	b.set(`[data-question="freeze_test"] input`, fmt.Sprintf("-%d", 30+n%8))
	b.until(`document.querySelector('.round-bar .go')?.innerText === "record, next" && !document.querySelector('.round-bar .go').disabled && document.querySelector('.round-bar .what').innerText.startsWith("2 answers →")`)
	b.tap("record, next")
	b.until(fmt.Sprintf(`document.querySelector('.unit-head h2 .figures')?.innerText !== %q`, code))
	return code
}

func waitingLines(b *tab) int {
	b.t.Helper()
	return js[int](b, queueCount("waiting"))
}

func queueCount(state string) string {
	return fmt.Sprintf(`new Promise((done, failed) => { const o = indexedDB.open("diligent"); o.onerror = failed; o.onsuccess = () => {
		const all = o.result.transaction("queue").objectStore("queue").getAll(); all.onsuccess = () => { o.result.close(); done(all.result.filter(l => l.state === %q).length); }; }; })`, state)
}

// signIn by the form, wherever it is asked for.
func (b *tab) signIn(email string) {
	b.t.Helper()
	b.wait(`input[type="password"]`)
	if js[bool](b, `document.querySelector('input[type="email"]') !== null && !document.querySelector('input[type="email"]').readOnly`) {
		b.set(`input[type="email"]`, email)
	}
	b.set(`input[type="password"]`, demo.Password)
	js[chromedp.Void](b, `document.querySelector('input[type="password"]').closest("form").requestSubmit()`)
}

// A technician walks ten units; the connection is cut after the first four; the tab is killed, then the
// browser; both come back without a connection and the walk goes on where it was. Then the server can be
// reached again, and every third answer is lost. Each entry is in the books exactly once.
func TestRoundWithoutSignal(t *testing.T) {
	l := newLine(t)
	p := &phone{t: t, folder: t.TempDir()}
	p.start()
	t.Cleanup(func() { p.stop() })
	b, closeTab := p.tab()
	b.do(chromedp.Navigate(l.address + "/round"))
	b.signIn(technician)
	b.wait(`.walk-site`)
	b.tap("R-2")
	// The first visit is all that the device needs: the program, the core, the walk.
	js[bool](b, `navigator.serviceWorker.ready.then(() => true)`)
	b.kept(`caches.keys().then(async ks => (await Promise.all(ks.map(async k => (await (await caches.open(k)).keys()).map(r => r.url)))).flat().some(u => u.endsWith(".wasm")) && (await navigator.serviceWorker.ready).active?.state === "activated")`)
	js[chromedp.Void](b, `[...document.querySelectorAll('.walk-site')].find(x => x.innerText.startsWith('Harbour')).querySelector('button').click()`)
	b.wait(`[data-testid="unit-sheet"]`)
	var visited []string
	for n := range 4 {
		visited = append(visited, b.visit(n))
	}
	l.set("cut")
	for n := range 2 {
		visited = append(visited, b.visit(4+n))
	}
	if n := waitingLines(b); n < 4 {
		t.Errorf("%d lines wait after two units without a connection", n)
	}
	// Half a unit is answered, and the tab is gone.
	b.tap("cold")
	b.tap("at the lower mark")
	half := b.text(`.unit-head h2 .figures`)
	b.until(`document.querySelector('.round-bar .what').innerText.startsWith("1 answer")`)
	closeTab()
	b, _ = p.tab()
	b.do(chromedp.Navigate(l.address + "/round/walk"))
	b.wait(`[data-testid="unit-sheet"]`)
	if at := b.text(`.unit-head h2 .figures`); at != half || !js[bool](b, `[...document.querySelectorAll('.choice')].some(x => x.innerText === "at the lower mark" && x.ariaPressed === "true")`) {
		t.Errorf("the walk goes on at %s without the answer that was given at %s", at, half)
	}
	b.until(`document.querySelector('.signal').innerText.includes("lines waiting")`)
	for n := range 2 {
		visited = append(visited, b.visit(6+n))
	}
	// The browser is gone, too.
	p.stop()
	p.start()
	b, _ = p.tab()
	b.do(chromedp.Navigate(l.address + "/round/walk"))
	for n := range 2 {
		visited = append(visited, b.visit(8+n))
	}
	b.until(`document.querySelector('h2.heading') !== null`)
	waiting := waitingLines(b)
	if waiting < 12 {
		t.Errorf("%d lines wait after six units without a connection", waiting)
	}
	if !js[bool](b, `document.querySelector('.unsent').innerText.includes("Not sent") && document.querySelector('.unsent').innerText.includes("Oldest")`) {
		t.Error("what waits is not shown with its age")
	}
	// A second tab is open and sends as well: one of them at a time.
	second, _ := p.tab()
	second.do(chromedp.Navigate(l.address + "/round/close"))
	second.wait(`h2.heading`)
	l.set("drops")
	// The browser lost its session with its memory, or kept it: then nothing is asked.
	for i := range 300 {
		// In one step: what asks may be gone a moment later, when an answer that was lost comes after all. As
		// seldom as a person presses: each sign-in ends the session before it.
		if i%15 == 0 {
			js[chromedp.Void](b, fmt.Sprintf(`(() => { const f = document.querySelector('input[type="password"]'); if (!f) return;
				Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(f, %q); f.dispatchEvent(new Event("input", { bubbles: true }));
				setTimeout(() => f.closest("form")?.requestSubmit(), 100); })()`, demo.Password))
		}
		if waitingLines(b) == 0 {
			break
		}
		time.Sleep(300 * time.Millisecond)
	}
	if n := waitingLines(b); n > 0 {
		b.fail(fmt.Errorf("%d lines still wait", n))
	}
	if n := js[int](b, queueCount("refused")); n > 0 {
		t.Errorf("%d lines were refused", n)
	}
	if l.dropped == 0 {
		t.Error("no answer was dropped")
	}
	l.set("")
	sent := js[[]struct{ ID, Unit, Text string }](b, `new Promise(done => { const o = indexedDB.open("diligent"); o.onsuccess = () => {
		const all = o.result.transaction("queue").objectStore("queue").getAll(); all.onsuccess = () => { o.result.close(); done(all.result.map(l => ({ ID: l.id, Unit: l.unit, Text: l.text }))); }; }; })`)
	if len(sent) != 2*len(visited) || len(visited) != 10 {
		t.Errorf("%d lines of %d units", len(sent), len(visited))
	}
	var written []struct {
		Id   string
		Unit struct{ Code string }
	}
	if err := json.Unmarshal([]byte(app.get(t, "/api/v1/entries?limit=200&writer=Quayle")), &written); err != nil {
		t.Fatal(err)
	}
	times := map[string]int{}
	for _, w := range written {
		times[w.Id]++
	}
	for _, s := range sent {
		if times[s.ID] != 1 {
			t.Errorf("%s of %s is in the books %d times", s.ID, s.Unit, times[s.ID])
		}
	}
	// The round is closed, and the coordinator's Morning has it.
	b.tap("close the round")
	b.wait(`.walk-site`)
	morning := newTab(t)
	morning.open("/", `.round-lines`)
	morning.until(`document.querySelector('.round-lines').innerText.includes("10 of 10 done")`)
}

// kept waits until a promise gives true.
func (b *tab) kept(promise string) {
	b.t.Helper()
	for range 300 {
		if js[bool](b, promise) {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
	b.fail(fmt.Errorf("never came true: %s", promise))
}
