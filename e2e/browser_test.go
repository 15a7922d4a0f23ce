package e2e

import (
	"context"
	"diligentledger/core/climate"
	"diligentledger/core/clock"
	"diligentledger/core/serviceplan"
	"errors"
	"fmt"
	"math"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/demo"
	"diligentledger/internal/store"
	"diligentledger/internal/testday"
)

func (b *tab) listen(event any) {
	b.mu.Lock()
	defer b.mu.Unlock()
	switch e := event.(type) {
	case *network.EventRequestWillBeSent:
		b.asked = append(b.asked, e.Request.URL)
	case *runtime.EventExceptionThrown:
		b.troubles = append(b.troubles, e.ExceptionDetails.Text)
	case *log.EventEntryAdded:
		// Refusals of bad input are answers, not troubles.
		if e.Entry.Level == log.EntryLevelError && !strings.Contains(e.Entry.Text, "status of 4") {
			b.troubles = append(b.troubles, e.Entry.Text+" "+e.Entry.URL)
		}
	}
}

// calm fails the test for every request that left the machine and every error
// the page logged, a broken content policy among them.
func (b *tab) calm() {
	b.t.Helper()
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, asked := range b.asked {
		u, err := url.Parse(asked)
		if err != nil || u.Scheme != "data" && u.Scheme != "blob" && u.Hostname() != "127.0.0.1" {
			b.t.Errorf("a request left the machine: %s", asked)
		}
	}
	if len(b.asked) == 0 {
		b.t.Error("the network log is empty")
	}
	for _, s := range b.troubles {
		b.t.Errorf("the page complains: %s", s)
	}
}

// books computes in the core what the page should show of a demo unit.
type expectedUnit struct {
	fleet   store.LoadedFleet
	unit    store.LoadedUnit
	plan    serviceplan.Plan
	cold    *climate.Climate
	entries []ledger.Entry
}

func demoUnit(code string) *expectedUnit {
	f := demo.Fleet(testday.Now())
	r := &expectedUnit{fleet: f, unit: f.Units[slices.IndexFunc(f.Units, func(u store.LoadedUnit) bool { return u.Code == code })]}
	r.plan = f.Plans[slices.IndexFunc(f.Plans, func(p serviceplan.Plan) bool { return p.Name == r.unit.Plan })]
	r.cold = climateOf(r.unit.Site)
	r.entries = r.unit.Entries
	return r
}

// climateOf a demo site: twelve years of the stand-in's nights, and its forecast.
func climateOf(site string) *climate.Climate {
	w, today := demo.Weather(), measure.DateOf(testday.Now(), time.Local)
	record, err := w.Minima(context.Background(), site, today.AddDate(-12, 0, 0), today.AddDate(0, 0, -1))
	ahead, err2 := w.Forecast(context.Background(), site, today)
	k, ok := climate.New(slices.DeleteFunc(record, func(m climate.Minimum) bool { return m.Celsius < -90 }), climate.DefaultReturnPeriod)
	if err != nil || err2 != nil || !ok {
		panic(fmt.Sprint(err, err2, ok))
	}
	var minima []measure.Celsius
	for _, n := range ahead {
		minima = append(minima, n.Celsius)
	}
	return k.WithForecast(today, minima)
}

func (r *expectedUnit) add(b ledger.Body) {
	r.entries = append(r.entries, ledger.Entry{ID: fmt.Sprint("z", len(r.entries)), At: testday.Now(), Body: b})
}

// shows is what the account page should say: protection, and the day of the
// freeze clock.
func (r *expectedUnit) shows() (protects, freezeDue string) {
	u := r.unit
	a := ledger.Fold(r.fleet.Ledger(u, r.plan), r.entries)
	o := clock.Evaluate(&a, r.plan, clock.Conditions{Climate: r.cold, Zone: time.Local}, measure.DateOf(testday.Now(), time.Local))
	c := o.Clocks[slices.IndexFunc(o.Clocks, func(c clock.Clock) bool { return c.Kind == clock.Freeze })]
	if c.Due != nil {
		freezeDue = c.Due.Format(time.DateOnly)
	}
	return fmt.Sprintf("%.0f °C", math.Round(float64(*a.ProtectsTo()))), freezeDue
}

const (
	protects  = `[data-testid="protects"]`
	freezeDay = `[data-clock="freeze"] [data-due]`
	effect    = `[data-testid="effect"]`
	formUnit  = `[data-testid="form-unit"]`
	// submitEntry is the button of the form that records an entry.
	submitEntry = `form[aria-label="Record an entry"] button[type="submit"]`
	figureBox   = `form input[inputmode="decimal"]`
)

func (b *tab) shown() (string, string) {
	b.t.Helper()
	return b.text(protects), js[string](b, "document.querySelector('"+freezeDay+"').dataset.due")
}

// The path the whole spine carries: Morning, a unit, a water top-up, a freeze
// test; book value, measured value and due day move as the core computes them.
func TestFromMorningToTheBooks(t *testing.T) {
	b := newTab(t)
	want := demoUnit("CA-14")
	b.open("/", `a[href="/units/CA-14"]`)
	b.click(`a[href="/units/CA-14"]`)
	b.wait(protects)
	check := func(when string) {
		t.Helper()
		p, due := want.shows()
		b.until(fmt.Sprintf(`document.querySelector('%s')?.textContent.replace(/\u00a0/g,' ').replace('\u2212','-') === %q &&
			document.querySelector('%s')?.dataset.due === %q`, protects, p, freezeDay, due))
		if gotP, gotDue := b.shown(); gotP != p || gotDue != due {
			t.Errorf("%s: shows %s and %q, computed %s and %q", when, gotP, gotDue, p, due)
		}
	}
	check("before")
	before, _ := want.shows()

	// Written with the keyboard alone: w, the figure, Enter.
	b.press("w")
	b.wait(figureBox)
	b.typeIn(figureBox, "1.6")
	want.add(ledger.TopUp{Volume: measure.Reading{Value: 1.6, Unit: measure.L}, With: coolant.Water})
	after, _ := want.shows()
	if after == before {
		t.Fatal("this top-up moves nothing: choose another unit")
	}
	b.wait(effect)
	if got := b.text(effect); !strings.Contains(got, strings.TrimSuffix(before, " °C")+" → "+after) {
		t.Errorf("preview says %q; want %s → %s", got, before, after)
	}
	if now, _ := b.shown(); now != before {
		t.Errorf("a preview changed the account to %s", now)
	}
	b.typeIn(figureBox, kb.Enter)
	b.wait(`tr[data-kind="top_up"]`)
	check("after the top-up")

	// And the test: f, the figure, Enter.
	b.press(kb.Escape)
	b.until(`!document.querySelector('form[aria-label="Record an entry"]')`)
	b.press("f")
	b.wait(figureBox)
	b.typeIn(figureBox, "-18")
	b.wait(effect)
	b.typeIn(figureBox, kb.Enter)
	book, _ := want.shows()
	want.add(ledger.FreezeTest{Value: measure.Reading{Value: -18, Unit: measure.DegC}, Instrument: ledger.Refractometer, Scale: coolant.EG})
	check("after the test")
	if line := b.text(`tr[data-kind="freeze_test"]`); !strings.Contains(line, "-18 °C") || !strings.Contains(line, "measured -18 °C, book "+book+": off by") {
		t.Errorf("the line reads %q; want measured -18 beside book %s", line, book)
	}
	b.calm()
}

// What cannot be right is said at its field, what was typed stays, and nothing
// is stored.
func TestBadInputInTheForm(t *testing.T) {
	b := newTab(t)
	b.open("/units/HB-02?write=top_up&with=water", figureBox)
	lines := strings.Count(b.page(), `data-kind=`)
	for _, c := range []struct{ typed, says string }{
		{"-2", "-2 L is not accepted; accepted: 0.005 to 22 L"},
		{"999", "accepted: 0.005 to 22 L"},
		{"two", "\"two\" is not accepted; accepted: a number with L"},
	} {
		js[chromedp.Void](b, `document.querySelector('form input[inputmode="decimal"]').select()`)
		b.typeIn(figureBox, c.typed)
		b.until(fmt.Sprintf(`document.querySelector('form')?.innerText.includes(%q)`, c.says))
		b.typeIn(figureBox, kb.Enter)
		if kept := value(b, chromedp.Value(chromedp.CSS(figureBox))); kept != c.typed {
			t.Errorf("%q became %q", c.typed, kept)
		}
	}
	if now := strings.Count(b.page(), `data-kind=`); now != lines {
		t.Errorf("%d lines became %d", lines, now)
	}
	b.open("/units/ZZ-99", `[role="alert"]`)
	if got := b.text(`[role="alert"]`); !strings.Contains(got, "no such unit: ZZ-99") {
		t.Errorf("a unit that does not exist: %q", got)
	}
	b.open("/nowhere", `main a`)
}

func (b *tab) page() string {
	b.t.Helper()
	return value(b, chromedp.OuterHTML(chromedp.CSS("html")))
}

// Two people write to the same unit at once: both lines stand, in both views.
func TestTwoPeopleAtOnce(t *testing.T) {
	one, two := newTab(t), newTabOf(t, technician)
	for i, b := range []*tab{one, two} {
		b.open("/units/TK-33?write=loss", figureBox)
		b.typeIn(figureBox, []string{"0.25", "0.5"}[i])
		b.wait(effect)
	}
	for _, b := range []*tab{one, two} {
		b.typeIn(figureBox, kb.Enter)
	}
	for _, b := range []*tab{one, two} {
		b.wait(`tr[data-kind="loss"]`)
		b.open("/units/TK-33", `tr[data-kind="loss"]`)
		b.until(`document.querySelectorAll('tr[data-kind="loss"]').length === 2`)
	}
}

func TestKeyboard(t *testing.T) {
	b := newTab(t)
	b.open("/", `[data-line]`)
	b.press("jjk")
	focused, first := js[string](b, `document.activeElement.textContent`), js[string](b, `document.querySelector('[data-line]').textContent`)
	if focused != first {
		t.Errorf("j j k stands on %q, want %q", focused, first)
	}
	b.press(kb.Enter)
	b.wait(protects)
	if got := b.text("h1"); got != first {
		t.Errorf("Enter opened %q, want %q", got, first)
	}
	b.press("?")
	b.wait(`[role="dialog"]`)
	if got := b.text(`[role="dialog"]`); !strings.Contains(got, "freeze test") || !strings.Contains(got, "jump to a unit") {
		t.Errorf("the keys: %q", got)
	}
	b.press(kb.Escape)
	b.until(`!document.querySelector('[role="dialog"]')`)
	b.press("/")
	b.until(`document.activeElement?.getAttribute('aria-label') === 'Jump to unit'`)
	b.press("gritter, 6")
	b.until(`document.querySelector('[role="option"]')?.innerText.includes('TK-21')`)
	b.press(kb.Enter)
	b.until(`location.pathname === '/units/TK-21'`)
	b.press("m")
	b.wait(`a[href="/units/TK-21"]`)
}

// The Bench answers as one types, its address reopens the sum, and an account
// opens it filled in.
func TestBench(t *testing.T) {
	b := newTab(t)
	b.open("/units/CA-31", protects)
	b.click(`a[href^="/bench?q=protects"]`)
	b.wait(`[data-testid="headline"]`)
	b.until(`document.querySelector('header').innerText.includes('CA-31')`)
	want, _ := demoUnit("CA-31").shows()
	if got := b.text(`[data-testid="headline"]`); !strings.HasPrefix(got, "Freezes at "+want) {
		t.Errorf("from the account: %q, want %s", got, want)
	}
	b.open("/bench?q=target&capacity=10+L&drainable=4+L&strength=0+%25", `[data-testid="headline"]`)
	b.until(`document.querySelector('[data-testid="headline"]')?.innerText.startsWith('2 passes do it.')`)
	// The drain is recorded anew in US quarts: all of the system.
	js[chromedp.Void](b, `[...document.querySelectorAll('label')].find(l => l.innerText === 'one drain reaches, L').parentElement.querySelector('input').select()`)
	b.press("10 qt")
	b.until(`document.querySelector('[data-testid="headline"]')?.innerText.startsWith('One pass does it.')`)
	b.until(`new URLSearchParams(location.search).get('drainable') === '10 qt'`)
	address := js[string](b, `location.pathname + location.search`)
	b.open(address, `[data-testid="headline"]`)
	if got := b.text(`[data-testid="headline"]`); !strings.HasPrefix(got, "One pass does it.") || !strings.Contains(got, "one drain reaches 10 US qt") {
		t.Errorf("reopened: %q", got)
	}
	js[chromedp.Void](b, `[...document.querySelectorAll('button')].find(x => x.innerText === 'show the sum').click()`)
	b.until(`document.querySelector('[data-testid="steps"]')?.innerText.includes('mass balance')`)
	// What stands behind the sources is one link away.
	b.click(`a[href="/docs/bench"]`)
	b.until(`document.querySelector('h1')?.innerText === 'The sums of the Bench' && document.querySelectorAll('tr').length > 10`)
	b.keep("bench-sources")
	b.accessible("the sources of the Bench")
	// In US units the unit stands beside each field, and what was typed means the same.
	b.open("/bench?q=protects&night=-24&margin=3&units=metric", `[data-testid="headline"]`)
	before := b.text(`[data-testid="headline"]`)
	js[chromedp.Void](b, `{ const s = [...document.querySelectorAll('label')].find(l => l.innerText === 'read and written in').parentElement.querySelector('select');
		Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(s, 'us'); s.dispatchEvent(new Event('change', { bubbles: true })) }`)
	b.until(`[...document.querySelectorAll('label')].some(l => l.innerText === 'coldest night, °F') && [...document.querySelectorAll('label')].some(l => l.innerText === 'margin, °F')`)
	b.until(`new URLSearchParams(location.search).get('night') === '-11.2' && new URLSearchParams(location.search).get('margin') === '5.4'`)
	b.until(`document.querySelector('[data-testid="headline"]')?.innerText.includes('°F')`)
	if after := b.text(`[data-testid="headline"]`); strings.Contains(before, "Good for that night") != strings.Contains(after, "Good for that night") {
		t.Errorf("in °C %q, in °F %q", before, after)
	}
	b.open("/bench?q=target&target=75+%25", `[aria-invalid="true"]`)
	b.until(`document.querySelector('main').innerText.includes('accepted: 33 to 65')`)
	b.press("b")
	b.calm()
}

// Every clock answers "why?".
func TestWhy(t *testing.T) {
	b := newTab(t)
	b.open("/units/AV-02", `[data-clock="use"] button`)
	b.click(`[data-clock="use"] button`)
	b.until(`document.querySelector('[data-clock="use"]').innerText.includes('Service plan “Light aircraft”, later interval: 200')`)
	b.until(`document.querySelector('[aria-label="Cautions"]').innerText.includes('licensed signatory')`)
}

type view struct {
	name, path, ready string
	width, height     int64
	dark              bool
}

// views are the main views, for accessibility and for pictures; others are looked
// at as well, and their pictures are kept with -others only.
var views = []view{
	{"morning", "/", `[data-line]`, 1280, 800, false},
	{"morning-dark", "/", `[data-line]`, 1280, 800, true},
	{"horizon", "/horizon", `[data-unit]`, 1280, 800, false},
	{"horizon-table", "/horizon?view=table&verdict=due", `td`, 1280, 800, false},
	{"account", "/units/CA-31", protects, 1280, 800, false},
	{"bench", "/bench?q=protects&night=-24%20C", `[data-testid="headline"]`, 1280, 800, false},
	{"circuit", "/units/HB-14%20starboard", protects, 1280, 900, false},
	{"entries", "/entries", `tr[data-entry]`, 1280, 800, false},
	{"register", "/register", `[aria-label="Audit"] td`, 1280, 800, false},
	{signInView + "-phone", "/", signInForm, 390, 844, true},
	{"register-unit", "/register/unit/CA-01", `[data-fact="capacity"]`, 1280, 900, false},
	{"account-phone", "/units/MC-08?write=top_up", figureBox, 390, 844, false},
}

var others = []view{
	{"account-entry", "/units/HB-07?write=freeze_test", figureBox, 1280, 800, false},
	{"work-list", "/plan/list", `[data-planned]`, 1280, 800, false},
	{"bench-phone", "/bench?q=boil&rated=15%20psi&units=us", `[data-testid="headline"]`, 390, 844, false},
	{"account-balance", "/units/CA-35?write=note&line=" + disagrees("CA-35") + "&balance=0", effect, 1280, 800, false},
	{"register-types", "/register/type", `[data-record]`, 1280, 800, false},
	{"horizon-dark", "/horizon?zoom=36&group=site", `[data-unit]`, 1280, 800, true},
	{"account-dark", "/units/TK-20?write=renewal", figureBox, 1280, 800, true},
	{"bench-target", "/bench?q=target&drainable=3%20L&strength=20%20%25", `[data-testid="headline"]`, 1280, 800, false},
	{signInView, "/", signInForm, 1280, 800, false},
	{"units", "/register/unit", `[data-record]`, 1280, 800, true},
	{"units-phone", "/register/unit", `[data-record]`, 390, 844, false},
	{"unit-phone", "/register/unit/CA-01", `[data-fact="capacity"]`, 390, 1500, true},
	{"unit-new", "/register/unit/new?kind=boat", `form[aria-label="New unit"]`, 1280, 900, false},
	{"site", "/register/site/1", `[data-fact="cold"]`, 1280, 900, false},
	{"product", "/register/product/1", `[data-fact="meets"]`, 1280, 900, false},
	{"instruments", "/register/instrument", `[data-record]`, 1280, 800, false},
	{"imports", "/import", `input[type="file"]`, 1280, 800, false},
	{"bench-dark", "/bench?q=reading&inside=PG&freeze=-41%20C&checked=3", `[data-testid="headline"]`, 1280, 800, true},
	{"battery", "/units/CA-62%20battery?write=chemistry_test", formUnit, 1280, 1000, false},
	{"raw-water", "/units/HB-16?write=raw_water", formUnit, 390, 1300, false},
	{"two-meters", "/units/TK-36?write=meter", formUnit, 1280, 800, true},
	{"parts", "/register", `[data-plan="Boat diesel, raw-water cooled"]`, 1280, 800, false},
	{"circuit-phone", "/units/HB-14", protects, 390, 844, true},
	{"renewal-phone", "/units/TK-32?write=renewal", figureBox, 390, 1900, false},
	{"hoses-phone", "/units/TK-32?write=hose_check", formUnit, 390, 1900, true},
	{"inspection-phone", "/units/TK-32?write=inspection", formUnit, 390, 1900, false},
	{"morning-phone", "/", `[data-line]`, 390, 844, false},
	{"horizon-phone", "/horizon", `[data-unit]`, 390, 844, false},
	{"work-list-phone", "/plan/list", `[data-planned]`, 390, 844, true},
	{"plan-none", "/plan", `.board`, 1280, 800, true},
	{"plan-quarter", "/plan?weeks=13", `.board.weeks`, 1280, 800, false},
	{"plan-day", "/plan/day?technician=1", `.day-title`, 390, 844, false},
	{"plan-whole-phone", "/plan?whole=yes", `.board`, 390, 844, false},
	{"technicians", "/register/technician", `[data-record]`, 1280, 800, false},
	{"technician", "/register/technician/1", `[data-fact="skills"]`, 1280, 900, true},
	{"entries-phone", "/entries?struck=true", `tr[data-entry]`, 390, 844, true},
	{"register-phone", "/register", `[aria-label="Audit"] td`, 390, 2400, false},
	{"morning-long", "/", `[data-line]`, 1280, 2300, false},
	{"horizon-planned", "/horizon?kind=aircraft&zoom=3", `[data-unit]`, 1280, 500, false},
	{"register-long", "/register", `[aria-label="Audit"] td`, 1280, 1700, true},
}

const (
	signInView = "sign-in"
	signInForm = `form[aria-label="Sign in"]`
)

// disagrees is the id of the test of a demo unit that is off.
func disagrees(code string) string {
	u := demoUnit(code)
	a := ledger.Fold(u.fleet.Ledger(u.unit, u.plan), u.entries)
	if a.Discrepancy == nil {
		panic(code + " agrees with its tests")
	}
	return a.Discrepancy.Entry
}

// viewers are tabs of the coordinator and of no one.
type viewers struct{ coordinator, nobody *tab }

func newViewers(t *testing.T) viewers { return viewers{newTab(t), newTabOf(t, "")} }

func (v viewers) of(view string) *tab {
	if strings.HasPrefix(view, signInView) {
		return v.nobody
	}
	return v.coordinator
}

func (b *tab) view(path, ready string, width, height int64, dark bool) {
	b.t.Helper()
	scheme := map[bool]string{true: "dark", false: "light"}[dark]
	_, err1 := chromedp.Call(b.ctx, emulation.SetDeviceMetricsOverride, emulation.SetDeviceMetricsOverrideParams{
		Width: width, Height: height, DeviceScaleFactor: 1, Mobile: width < 500})
	_, err2 := chromedp.Call(b.ctx, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{
		Features: []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: scheme}}})
	if err := errors.Join(err1, err2); err != nil {
		b.fail(err)
	}
	b.open(path, ready)
	b.until(`document.fonts.status === 'loaded'`)
}

// axe-core (Deque's rules for WCAG 2) finds nothing serious on any view.
func TestAccessibility(t *testing.T) {
	tabs := newViewers(t)
	for _, v := range slices.Concat(views, others) {
		b := tabs.of(v.name)
		b.view(v.path, v.ready, v.width, v.height, v.dark)
		b.accessible(v.name)
	}
}

// accessible holds the page as it stands against axe-core.
func (b *tab) accessible(name string) {
	b.t.Helper()
	axe, err := os.ReadFile("../ui/node_modules/axe-core/axe.min.js")
	if err != nil {
		b.t.Fatal(err)
	}
	js[chromedp.Void](b, string(axe))
	found := js[[]string](b, `axe.run().then(r => r.violations
		.filter(v => v.impact === 'serious' || v.impact === 'critical')
		.map(v => v.id + ': ' + v.help + ' — ' + v.nodes.slice(0, 3).map(n => n.html).join(' | ')))`)
	for _, f := range found {
		b.t.Errorf("%s: %s", name, f)
	}
	if js[bool](b, `document.documentElement.scrollWidth > window.innerWidth`) {
		b.t.Errorf("%s: the page is wider than the window", name)
	}
}

// TestPictures takes a picture of each main view; with -shots it keeps them.
func TestPictures(t *testing.T) {
	tabs := newViewers(t)
	looked := views
	if *withOthers {
		looked = others
	}
	for _, v := range looked {
		b := tabs.of(v.name)
		b.view(v.path, v.ready, v.width, v.height, v.dark)
		if v.ready == figureBox && v.width > 500 && !v.dark {
			// A picture of an entry shows what it would do.
			b.typeIn(figureBox, "-24")
			b.wait(effect)
		}
		b.do(chromedp.Sleep(300 * time.Millisecond))
		png := value(b, chromedp.CaptureScreenshot())
		if len(png) < 10_000 {
			t.Errorf("%s: a picture of %d bytes shows nothing", v.name, len(png))
		}
		if *shots != "" {
			if err := os.WriteFile(filepath.Join(*shots, v.name+".png"), png, 0o644); err != nil {
				t.Fatal(err)
			}
		}
	}
}

// keep a picture of what is open, when the other views are kept.
func (b *tab) keep(name string) {
	b.t.Helper()
	if *shots == "" || !*withOthers {
		return
	}
	b.do(chromedp.Sleep(300 * time.Millisecond))
	if err := os.WriteFile(filepath.Join(*shots, name+".png"), value(b, chromedp.CaptureScreenshot()), 0o644); err != nil {
		b.fail(err)
	}
}

// Between a phone and a wide window nothing is squeezed to a column of letters, and
// no page is wider than its window.
func TestEveryWidth(t *testing.T) {
	b := newTab(t)
	for _, v := range []struct{ path, ready string }{{"/", `[data-line]`}, {"/horizon", `[data-unit="MC-03"]`}, {"/plan/list", `[data-planned]`}, {"/plan?whole=yes", `.board`}, {"/plan/day", `.day-title`}, {"/register/technician/1", `[data-fact="skills"]`}, {"/entries", `tr[data-entry]`}, {"/units/CA-31", protects},
		{"/job/new?unit=CA-14", `.job-start`},
		{"/round", `.walk-site`}, {"/round/sheet?site=Harbour%20yard", `.blank-sheet`}, {"/tags?site=Hill%20garage", `.tags svg`},
		{"/register", `[aria-label="Audit"] td`}, {"/register/unit", `[data-record]`}, {"/register/unit/CA-01", `[data-fact="capacity"]`}, {"/import", `input[type="file"]`}, {"/bench?q=protects", `[data-testid="headline"]`}} {
		for _, width := range []int64{390, 600, 768, 820, 1024, 1180, 1600} {
			b.view(v.path, v.ready, width, 900, false)
			for _, squeezed := range js[[]string](b, `[...document.querySelectorAll('main *')].filter(e => [...e.childNodes].some(n => n.nodeType === 3 && n.data.trim().length > 12))
				.filter(e => e.offsetWidth < 60 && e.offsetHeight > 100).map(e => e.innerText.replaceAll('\n', '').slice(0, 60))`) {
				t.Errorf("%s at %d: squeezed: %s", v.path, width, squeezed)
			}
			if wide := js[int](b, `document.documentElement.scrollWidth`); wide > int(width) {
				t.Errorf("%s at %d: the page is %d wide", v.path, width, wide)
			}
		}
	}
	b.calm()
}
