// Package e2e runs the real program, with its real database, and looks at it
// through a real browser.
package e2e

import (
	"bufio"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"diligentledger/internal/config"
	"diligentledger/internal/demo"
	"diligentledger/internal/testday"
)

// shots is where TestPictures leaves its pictures; without it they are only
// taken, not kept.
var withOthers = flag.Bool("others", false, "pictures of the other views instead")

var stepLasts = flag.Duration("step", 5*time.Minute, "how long a step in the browser may take; less to see soon where a test stands still")

var shots = flag.String("shots", "", "folder for pictures of the main views")

var (
	binary  string
	browser context.Context
	app     *program
)

func TestMain(m *testing.M) {
	flag.Parse()
	// The programs that the tests start, and the browser, have the day and the zone of the tests.
	time.Local = testday.Zone
	for name, value := range map[string]string{"TZ": testday.ZoneName, config.AheadVariable: testday.Ahead().String()} {
		if err := os.Setenv(name, value); err != nil {
			fmt.Fprintln(os.Stderr, "e2e:", err)
			os.Exit(1)
		}
	}
	fmt.Println("the day of these tests:", testday.Now().Format("Mon 2 Jan 2006 15:04 MST"))
	code, err := run(m)
	if err != nil {
		fmt.Fprintln(os.Stderr, "e2e:", err)
		os.Exit(1)
	}
	os.Exit(code)
}

func run(m *testing.M) (code int, err error) {
	dir, err := os.MkdirTemp("", "diligent-e2e-")
	if err != nil {
		return 0, err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(dir)) }()
	if err := os.Chmod(dir, 0o755); err != nil {
		return 0, err
	}
	binary = filepath.Join(dir, "diligent")
	build := []string{"build", "-race", "-o", binary, "../cmd/diligent"}
	if *walk200 { // a measurement is of the program as it is started
		build = slices.DeleteFunc(build, func(a string) bool { return a == "-race" })
	}
	if out, err := exec.Command("go", build...).CombinedOutput(); err != nil {
		return 0, fmt.Errorf("%w: %s", err, out)
	}
	if app, err = begin(filepath.Join(dir, "data")); err != nil {
		return 0, err
	}
	defer func() { err = errors.Join(err, app.end()) }()
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath("chromium"), chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true), chromedp.WindowSize(1280, 800))
	allocator, stop := chromedp.NewExecAllocator(context.Background(), options...)
	defer stop()
	var done context.CancelFunc
	browser, done = chromedp.NewContext(allocator)
	defer done()
	if err := chromedp.Do(browser); err != nil {
		return 0, fmt.Errorf("browser: %w", err)
	}
	return m.Run(), nil
}

// program is diligent serve, running.
type program struct {
	cmd     *exec.Cmd
	address string
	mu      sync.Mutex
	said    strings.Builder
	exited  chan struct{}
	// cookies of the sessions begun so far, by e-mail address.
	cookies map[string]string
	data    string // its folder
}

// begin starts the program on a data folder and waits until it prints where it
// is, or ends.
func begin(data string, args ...string) (*program, error) {
	p := &program{cmd: exec.Command(binary, append([]string{"serve", "--data", data}, args...)...), exited: make(chan struct{}), cookies: map[string]string{}, data: data}
	out, err := p.cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	p.cmd.Stderr = p.cmd.Stdout
	if err := p.cmd.Start(); err != nil {
		return nil, err
	}
	open := make(chan string, 1)
	go func() {
		lines := bufio.NewScanner(out)
		for lines.Scan() {
			p.mu.Lock()
			p.said.WriteString(lines.Text() + "\n")
			p.mu.Unlock()
			if _, rest, ok := strings.Cut(lines.Text(), "is open at "); ok {
				address, _, _ := strings.Cut(rest, " ")
				open <- address
			}
		}
		_ = p.cmd.Wait() // how it ended is read from ProcessState
		close(p.exited)
	}()
	select {
	case p.address = <-open:
		return p, nil
	case <-p.exited:
		return p, fmt.Errorf("ended at once: %s", p.output())
	case <-time.After(2 * time.Minute):
		return p, errors.Join(fmt.Errorf("did not open: %s", p.output()), p.cmd.Process.Kill())
	}
}

func (p *program) output() string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.said.String()
}

func (p *program) kill() error {
	err := p.cmd.Process.Kill()
	<-p.exited
	return err
}

// end is Ctrl-C.
func (p *program) end() error {
	if err := p.cmd.Process.Signal(os.Interrupt); err != nil {
		return err
	}
	<-p.exited
	if code := p.cmd.ProcessState.ExitCode(); code != 0 {
		return fmt.Errorf("closed with %d: %s", code, p.output())
	}
	return nil
}

// The demo's people, by their role in the tests.
const (
	coordinator = "marrow@skerrow.example"
	technician  = "quayle@skerrow.example"
	signatory   = "fenn@skerrow.example"
	reader      = "reed@skerrow.example"
)

// session of a demo person, begun once, as the value of its cookie.
func (p *program) session(t *testing.T, email string) string {
	t.Helper()
	if p.cookies[email] == "" {
		p.post(t, email, "/api/v1/session", fmt.Sprintf(`{"email":%q,"password":%q}`, email, demo.Password))
	}
	return p.cookies[email]
}

// post sends JSON and keeps the session it begins under the address given.
func (p *program) post(t *testing.T, email, path, body string) {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), "POST", p.address+path, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	for _, c := range res.Cookies() {
		if c.Name == "session" {
			p.cookies[email] = c.Value
		}
	}
	if res.StatusCode != http.StatusOK || p.cookies[email] == "" {
		text, _ := io.ReadAll(res.Body)
		t.Fatalf("%s: %d %s", path, res.StatusCode, text)
	}
}

// leaveEverywhere ends all sessions of a demo person.
func (p *program) leaveEverywhere(t *testing.T, email string) {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), "DELETE", p.address+"/api/v1/session?everywhere=true", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Cookie", "session="+p.session(t, email))
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	if res.StatusCode != http.StatusNoContent {
		t.Fatalf("signing out: %d", res.StatusCode)
	}
	delete(p.cookies, email)
}

// get waits until the address answers 200 to the coordinator, and returns what
// it says.
func (p *program) get(t *testing.T, path string) string {
	t.Helper()
	session := p.session(t, coordinator)
	last := ""
	for range 300 {
		req, err := http.NewRequestWithContext(t.Context(), "GET", p.address+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Cookie", "session="+session)
		res, err := http.DefaultClient.Do(req)
		if err == nil {
			text, _ := io.ReadAll(res.Body)
			res.Body.Close()
			if res.StatusCode == http.StatusOK {
				return string(text)
			}
			last = fmt.Sprint(res.StatusCode, " ", string(text))
		} else {
			last = err.Error()
		}
		time.Sleep(100 * time.Millisecond)
	}
	t.Fatalf("%s%s: %s", p.address, path, last)
	return ""
}

// tab is a new browser tab, closed with the test, that keeps a log of every
// address it asked for and of what the page complained about.
type tab struct {
	t   *testing.T
	ctx context.Context
	at  *program // nil for the shared one

	mu       sync.Mutex
	asked    []string
	troubles []string
}

// How long a tab, one step in it, and a condition may take: no limit of speed, which a busy machine would miss, but an end for
// what never comes.
const (
	tabLasts  = 30 * time.Minute
	untilPoll = 100 * time.Millisecond
)

// newTab is the coordinator's.
func newTab(t *testing.T) *tab {
	t.Helper()
	return newTabOf(t, coordinator)
}

// newTabOf a person, in a browser profile of its own; of no one when email is
// empty.
func newTabOf(t *testing.T, email string) *tab {
	t.Helper()
	return newTabAt(t, app, email)
}

// newTabAt a program of its own.
func newTabAt(t *testing.T, at *program, email string) *tab {
	t.Helper()
	ctx, cancel := chromedp.NewContext(browser, chromedp.WithNewBrowserContext())
	t.Cleanup(cancel)
	b := &tab{t: t, ctx: ctx, at: at}
	// Listen opens the tab, so it must come before the time limit.
	if err := chromedp.Listen(ctx, b.listen); err != nil {
		t.Fatal(err)
	}
	limited, stop := context.WithTimeout(ctx, tabLasts)
	t.Cleanup(stop)
	b.ctx = limited
	if _, err := chromedp.Call(limited, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: movedClock()}); err != nil {
		t.Fatal(err)
	}
	if _, err := chromedp.Call(limited, network.Enable, network.EnableParams{}); err != nil {
		t.Fatal(err)
	}
	if yes := true; email != "" {
		if _, err := chromedp.Call(limited, network.SetCookie, network.SetCookieParams{
			Name: "session", Value: at.session(t, email), URL: at.address, HTTPOnly: &yes, Secure: &yes, SameSite: network.CookieSameSiteLax}); err != nil {
			t.Fatal(err)
		}
	}
	return b
}

// movedClock gives the clock of a page the day of the tests.
func movedClock() string {
	return fmt.Sprintf(`(() => { const ahead = %d, Machine = Date;
		globalThis.Date = class Date extends Machine {
			constructor(...given) { if (given.length === 0) super(Machine.now() + ahead); else super(...given); }
			static now() { return Machine.now() + ahead; }
		}; })()`, testday.Ahead().Milliseconds())
}

func (b *tab) do(steps ...chromedp.Action[chromedp.Void]) {
	b.t.Helper()
	soon, cancel := context.WithTimeout(b.ctx, *stepLasts)
	defer cancel()
	if err := chromedp.Do(soon, steps...); err != nil {
		b.fail(err)
	}
}

// fail ends the test and leaves a picture for the person who reads about it.
func (b *tab) fail(err error) {
	b.t.Helper()
	path := filepath.Join(os.TempDir(), "e2e-failure.png")
	look, cancel := context.WithTimeout(context.WithoutCancel(b.ctx), 10*time.Second)
	defer cancel()
	if shot, err := chromedp.Run(look, chromedp.CaptureScreenshot()); err != nil || os.WriteFile(path, shot, 0o600) != nil {
		path = "none could be taken"
	}
	b.t.Fatalf("%v (picture: %s)", err, path)
}

func value[T any](b *tab, a chromedp.Action[T]) T {
	b.t.Helper()
	v, err := chromedp.Run(b.ctx, a)
	if err != nil {
		b.fail(err)
	}
	return v
}

// js evaluates an expression in the page, waiting for a promise.
func js[T any](b *tab, expression string) T {
	b.t.Helper()
	return value(b, chromedp.Evaluate[T](expression, chromedp.EvalAwaitPromise))
}

// open goes to an address of the application and waits until it stands.
func (b *tab) open(path, visible string) {
	b.t.Helper()
	at := app
	if b.at != nil {
		at = b.at
	}
	b.do(chromedp.Navigate(at.address + path))
	b.wait(visible)
}

func (b *tab) wait(selector string) {
	b.t.Helper()
	b.do(chromedp.WaitVisible(chromedp.CSS(selector)))
}

func (b *tab) click(selector string) {
	b.t.Helper()
	b.do(chromedp.Click(chromedp.CSS(selector)))
}

func (b *tab) typeIn(selector, text string) {
	b.t.Helper()
	b.do(chromedp.SendKeys(chromedp.CSS(selector), text))
}

// press sends keys as a keyboard does: a raw key that a page takes for itself brings
// no letter.
func (b *tab) press(keys string) {
	b.t.Helper()
	b.do(chromedp.KeyEvent(keys, func(k *input.DispatchKeyEventParams) {
		if k.Type == kb.KeyDown {
			k.Type = "rawKeyDown"
		}
	}))
}

// text of the first element that matches, with plain spaces and hyphens.
func (b *tab) text(selector string) string {
	b.t.Helper()
	return plain(value(b, chromedp.Text(chromedp.CSS(selector))))
}

func plain(s string) string {
	return strings.Join(strings.Fields(strings.NewReplacer("\u00a0", " ", "\u2212", "-").Replace(s)), " ")
}

// until waits for a JavaScript condition.
func (b *tab) until(condition string) {
	b.t.Helper()
	for range *stepLasts / untilPoll {
		if js[bool](b, "Boolean("+condition+")") {
			return
		}
		time.Sleep(untilPoll)
	}
	b.fail(fmt.Errorf("never came true: %s", condition))
}

// still reports whether pid runs.
func still(pid int) bool { return syscall.Kill(pid, 0) == nil }
