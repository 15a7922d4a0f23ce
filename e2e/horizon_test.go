package e2e

import (
	"diligentledger/core/serviceplan"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"diligentledger/core/clock"
	"diligentledger/internal/demo"
	"diligentledger/internal/store"
	"diligentledger/internal/testday"
	"diligentledger/internal/words"
)

const sentence = `[data-testid="sentence"]`

// The Horizon: its state is its address, its windows say why, and the same rows
// stand as a table and as a file.
func TestHorizon(t *testing.T) {
	b := newTab(t)
	b.open("/", `[data-line]`)
	b.press("h")
	b.wait(`[data-unit="CA-31"]`)
	b.open("/horizon?kind=aircraft&sort=protection&zoom=3", `[data-unit="AV-02"]`)
	b.until(`document.querySelector('[data-testid="count"]').innerText.startsWith('5 of')`)
	if got := js[string](b, `document.querySelector('[aria-pressed="true"]').innerText`); got != "3 mo" {
		t.Errorf("the address asks for 3 months, and %q is pressed", got)
	}
	b.press("-")
	b.until(`location.search.includes('zoom=14')`)
	js[chromedp.Void](b, `document.querySelector('[data-unit="AV-02"]').focus()`)
	b.until(`document.querySelector('` + sentence + `').innerText.includes('AV-02')`)
	if got := b.text(sentence); !strings.Contains(got, "survey plane, liquid-cooled: use, due") || !strings.Contains(got, "most likely") || !strings.Contains(got, "of 200 h since the renewal") {
		t.Errorf("the line says %q", got)
	}
	b.press(kb.ArrowRight + kb.ArrowRight)
	b.until(`!document.querySelector('` + sentence + `').innerText.includes(': use, due')`)
	b.press(kb.Enter)
	b.wait(protects)
	if got := b.text("h1"); got != "AV-02" {
		t.Errorf("Enter opened %q", got)
	}
	b.open("/horizon?kind=aircraft&view=table", `td`)
	if n := js[int](b, `document.querySelectorAll('tbody tr').length`); n != 5 {
		t.Errorf("the table has %d rows", n)
	}
	js[chromedp.Void](b, `URL.createObjectURL = blob => { blob.text().then(t => window.saved = t); return 'blob:none' }; HTMLAnchorElement.prototype.click = function () { window.savedAs = this.download }`)
	js[chromedp.Void](b, `[...document.querySelectorAll('button')].find(x => x.innerText === 'CSV').dispatchEvent(new MouseEvent('click', { bubbles: true }))`)
	b.until(`window.saved`)
	saved, name := js[string](b, `window.saved`), js[string](b, `window.savedAs`)
	if lines := strings.Split(strings.TrimSpace(saved), "\r\n"); len(lines) != 6 || !strings.Contains(lines[0], "unit,name,kind") || !strings.HasPrefix(name, "horizon-2") {
		t.Errorf("%s holds %q", name, saved)
	}
	b.open("/horizon?text=nothing+like+it", `[data-testid="count"]`)
	b.until(`document.querySelector('main').innerText.includes('Remove a filter')`)
	b.calm()
}

// Ten thousand units: only the lines in sight are drawn, and the last is reached
// by scrolling.
func TestHorizonOfTenThousand(t *testing.T) {
	f := demo.Fleet(testday.Now())
	many := store.LoadedFleet{Name: "many", Sites: []store.LoadedSite{{Name: "Far yard", Cold: f.Sites[0].Cold}}, Plans: []serviceplan.Plan{{Name: "Far plan", Later: serviceplan.Interval{Months: 36}, FreezeMargin: 3}}}
	for i := range 10_000 {
		many.Units = append(many.Units, store.LoadedUnit{UnitName: store.UnitName{Code: fmt.Sprintf("X-%05d", i), Name: "a unit with a name that is a good deal longer than there is room for on its line", Kind: "car", Site: "Far yard"},
			Plan: "Far plan", Capacity: 6})
	}
	withFleet(t, many, "installation")
	b := newTab(t)
	b.open("/horizon", `[data-unit]`)
	b.until(`document.querySelector('[data-testid="count"]').innerText.startsWith('10,069')`)
	if drawn := js[int](b, `document.querySelectorAll('[data-unit]').length`); drawn > 80 {
		t.Errorf("%d lines are drawn", drawn)
	}
	b.keep("horizon-of-10000")
	js[chromedp.Void](b, `document.querySelector('[data-testid="horizon"]').scrollTo(0, 1e9)`)
	b.until(`[...document.querySelectorAll('[data-index]')].some(x => x.dataset.index === '10061')`)
	b.keep("horizon-of-10000-end")
	b.calm()
}

// A plan is changed in the register after a look at what that does.
func TestPlanEditor(t *testing.T) {
	b := newTab(t)
	b.open("/register", `[data-plan="Boat diesel"]`)
	b.click(`[data-plan="Boat diesel"] button`)
	b.until(`document.querySelector('[data-testid="plan-effect"]')?.innerText.includes('No unit would change status')`)
	field := `[...document.querySelectorAll('form[aria-label="Change Boat diesel"] label')].find(l => l.innerText === 'later renewals after, months').parentElement.querySelector('input')`
	js[chromedp.Void](b, field+`.focus(); `+field+`.select()`)
	b.press("6")
	b.until(`/makes \d+ units? due within the month/.test(document.querySelector('[data-testid="plan-effect"]').innerText)`)
	b.keep("service-plan")
	b.accessible("the form of a service plan")
	js[chromedp.Void](b, field+`.select()`)
	b.press("some")
	b.until(`document.querySelector('form[aria-label="Change Boat diesel"]').innerText.includes('“some” is not accepted; accepted: a number')`)
	// The status changes of an earlier text are not shown beside it.
	b.until(`(t => t.includes('once every figure is a number') && !t.includes('change status.') && !/due within/.test(t))(document.querySelector('[data-testid="plan-effect"]').innerText)`)
	js[chromedp.Void](b, field+`.select()`)
	b.press("18" + kb.Enter)
	b.until(`document.querySelector('[data-plan="Boat diesel"]').innerText.includes('later 18 months or 1,000\u00a0h') && !document.querySelector('form[aria-label="Change Boat diesel"]')`)
	b.until(`document.querySelector('[aria-label="Audit"]').innerText.includes('changed a service plan: Boat diesel')`)
	// It says so, and is undone with one press.
	const line = `document.querySelector('[data-plan="Boat diesel"]').innerText`
	b.until(line + `.includes('Changed. undo')`)
	js[chromedp.Void](b, `[...document.querySelectorAll('[data-plan="Boat diesel"] button')].find(x => x.innerText === 'undo').click()`)
	b.until(line + `.includes('Undone: the plan is as it was.') && ` + line + `.includes('later 24 months or 1,000\u00a0h')`)
	b.calm()
}

// Two coordinators have the same plan open: the second is shown what the first has
// made of it before anything is written over.
func TestPlanChangedMeanwhile(t *testing.T) {
	const form, change = `form[aria-label="Change Heavy truck"]`, `[aria-label="change Heavy truck"]`
	field := func(label string) string {
		return `[...document.querySelectorAll('` + form + ` label')].find(l => l.innerText === '` + label + `').parentElement.querySelector('input')`
	}
	typed := func(b *tab, label, text string) {
		js[chromedp.Void](b, field(label)+`.focus(); `+field(label)+`.select()`)
		b.press(text)
	}
	first, second := newTab(t), newTab(t)
	for _, b := range []*tab{first, second} {
		b.open("/register", `[data-plan="Heavy truck"]`)
		b.click(change)
		b.wait(form)
	}
	typed(first, "later renewals after, months", "30"+kb.Enter)
	first.until(`document.querySelector('[data-plan="Heavy truck"]').innerText.includes('later 30 months') && !document.querySelector('` + form + `')`)
	typed(second, "cap test every, months", "18"+kb.Enter)
	second.until(`/somebody changed this plan meanwhile.*later renewals after 30 mo.*What you typed is still here/.test(document.querySelector('[data-testid="plan-effect"]').innerText)`)
	if got := js[string](second, field("cap test every, months")+`.value`); got != "18" {
		t.Errorf("what was typed is %q", got)
	}
	// A closed look at it shows what the first has done; then both changes stand.
	second.click(`[aria-label="close Heavy truck"]`)
	second.until(`document.querySelector('[data-plan="Heavy truck"]').innerText.includes('later 30 months') && !document.querySelector('` + form + `')`)
	second.click(change)
	second.wait(form)
	typed(second, "cap test every, months", "18"+kb.Enter)
	second.until(`/later 30 months.*cap every 18 months/.test(document.querySelector('[data-plan="Heavy truck"]').innerText)`)
	second.click(change)
	second.wait(form)
	for _, c := range []struct{ label, text, says string }{
		{"later renewals after, months", "0", "0 is not accepted: number must be at least 1"},
		{"later renewals after, months", "-3", "-3 is not accepted: number must be at least 1"},
		{"later renewals after, months", "400", "400 months is not accepted; accepted: more than 0 and at most 240 months, or none"},
		{"new share that counts as a renewal, %", "140", "140 % is not accepted; accepted: 10 to 100 %"},
		{"later renewals after, km", "2000000", "2,000,000 km is not accepted; accepted: more than 0 and at most 1,000,000 km, or none"},
	} {
		typed(second, c.label, c.text)
		second.until(`document.querySelector('` + form + `').innerText.includes('` + c.says + `')`)
	}
}

// An address or a span that cannot be meant is refused, and what is picked but not shown is counted.
func TestHorizonOfWhatThereIsNot(t *testing.T) {
	b := newTab(t)
	b.open("/horizon?site=Nowhere&zoom=toString&sort=constructor&group=valueOf", `[data-testid="count"]`)
	b.until(`document.querySelector('[data-testid="count"]').innerText === '0 of 69 units' && [...document.querySelectorAll('select')].some(s => s.value === 'Nowhere')`)
	b.open("/horizon?zoom=toString", `[data-unit="MC-03"]`)
	set := func(label, day string) {
		js[chromedp.Void](b, `(() => { const i = [...document.querySelectorAll('[data-testid="pick-bar"] label')].find(l => l.textContent === '`+label+`').parentElement.querySelector('input');
			Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(i, '`+day+`');
			i.dispatchEvent(new Event('input', { bubbles: true })) })()`)
	}
	says := func(words string) {
		b.until(`document.querySelector('[data-testid="pick-bar"]')?.innerText.includes('` + words + `')`)
	}
	set("from", "2031-03-01")
	set("to", "2030-12-01")
	says("to: Sun 1 Dec 2030 is not accepted; accepted: Sat 1 Mar 2031 or later")
	says("add 0 units")
	set("to", "")
	says("to: no day is given")
	set("from", "2001-03-01")
	set("to", "2001-04-01")
	says("Nothing that is shown most likely runs out in these days.")
	// Without the pointer's place: the notice moves the rows while the machine is busy.
	b.wait(`[aria-label="pick MC-03"]`)
	js[chromedp.Void](b, `document.querySelector('[aria-label="pick MC-03"]').click()`)
	says("add 1 unit to")
	b.typeIn(`input[placeholder="unit, product"]`, "CA-0")
	says("1 of the 1 unit selected is not shown.")
	b.calm()
}

// Each clock of a unit is named in the drawing: by its letter, and in words by the pointer, by touch
// and by the arrow keys, not the governing one alone.
func TestEveryClockIsNamed(t *testing.T) {
	b := newTab(t)
	b.view("/horizon?text=CA-31", `[data-unit="CA-31"] [data-clock]`, 1280, 800, false)
	kinds := js[[]string](b, `[...document.querySelectorAll('[data-unit="CA-31"] [data-clock]')].map(x => x.dataset.clock)`)
	letters := js[string](b, `[...document.querySelectorAll('[data-unit="CA-31"] .window-letter')].map(x => x.innerText).join('')`)
	if len(kinds) < 4 || len(letters) != len(kinds) {
		t.Errorf("letters %q of the clocks %v", letters, kinds)
	}
	sentence := func() string { return b.text(`[data-testid="sentence"] .strong`) }
	named := func(how string) {
		t.Helper()
		seen := map[string]bool{}
		for _, kind := range kinds {
			name := strings.ToLower(words.ClockNames[clock.Kind(kind)])
			switch how {
			case "pointer":
				js[chromedp.Void](b, `document.querySelector('[data-unit="CA-31"] [data-clock="`+kind+`"]').dispatchEvent(new MouseEvent('mouseover', { bubbles: true }))`)
			case "touch":
				js[chromedp.Void](b, `document.querySelector('[data-unit="CA-31"] [data-clock="`+kind+`"]').click()`)
			case "keys":
				b.press(kb.ArrowRight)
			}
			if how != "keys" {
				b.until(`document.querySelector('[data-testid="sentence"] .strong')?.innerText.includes(': ` + name + `, ')`)
			}
			seen[sentence()] = true
		}
		if len(seen) != len(kinds) {
			t.Errorf("by %s %d sentences of %d clocks: %v", how, len(seen), len(kinds), seen)
		}
	}
	named("pointer")
	js[chromedp.Void](b, `document.querySelector('[data-unit="CA-31"]').focus()`)
	named("keys")
	b.view("/horizon?text=CA-31", `[data-unit="CA-31"] [data-clock]`, 390, 844, false)
	named("touch")
	if at := js[string](b, `location.pathname`); at != "/horizon" {
		t.Errorf("a touch of a clock led to %s", at)
	}
}

// What a span picks comes into sight, with groups before it too.
func TestPickedComesIntoSight(t *testing.T) {
	b := newTab(t)
	for _, path := range []string{"/horizon?sort=soonest", "/horizon?group=kind"} {
		b.view(path, `[data-unit]`, 1280, 600, false)
		set := func(label, day string) {
			js[chromedp.Void](b, `(() => { const i = [...document.querySelectorAll('[data-testid="pick-bar"] label')].find(l => l.textContent === '`+label+`').parentElement.querySelector('input');
				Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(i, '`+day+`');
				i.dispatchEvent(new Event('input', { bubbles: true })) })()`)
		}
		set("from", testday.Now().AddDate(0, 9, 0).Format(time.DateOnly))
		set("to", testday.Now().AddDate(0, 11, 0).Format(time.DateOnly))
		b.until(`[...document.querySelectorAll('[data-unit] input.pick:checked')].some(x => { const box = x.getBoundingClientRect(), pane = document.querySelector('[data-testid="horizon"]').getBoundingClientRect(); return box.top >= pane.top && box.bottom <= pane.bottom })`)
	}
	b.calm()
}

// The server reads both ends of a span late and answers both at once: what is selected is what the fields say. What is dropped while its
// units are on their way stays dropped.
func TestSpanWithLateAnswers(t *testing.T) {
	b := newTabOf(t, coordinator)
	if _, err := chromedp.Call(b.ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: `{
		const real = window.fetch; window.held = []; window.holds = /dates$/;
		window.release = () => { window.holds = /^$/; window.held.splice(0).forEach(go => go()) };
		window.fetch = async (input, init) => {
			const request = new Request(input, init), answer = await real(request.clone());
			if (window.holds.test(request.url)) await new Promise(go => window.held.push(go));
			return answer;
		} }`}); err != nil {
		t.Fatal(err)
	}
	b.open("/horizon", `[data-unit]`)
	first, last := busyMonth(t)
	added := `Number(/add ([0-9]+) units?/.exec(document.querySelector('[data-testid="pick-bar"]').innerText)?.[1] ?? -1)`
	b.field("from", typedDay(first))
	b.until(`window.held.length === 1`)
	b.field("to", typedDay(last))
	b.until(`window.held.length === 2`)
	js[chromedp.Void](b, `window.release()`)
	b.until(added + ` > 0`)
	b.pressOn("none")
	b.until(added + ` === 0`)
	js[chromedp.Void](b, `window.holds = /horizon.units/`)
	b.pressOn("all shown")
	b.until(`window.held.length > 0`)
	b.pressOn("none")
	js[chromedp.Void](b, `window.release()`)
	b.do(chromedp.Sleep(500 * time.Millisecond))
	if n := js[int](b, added); n != 0 {
		t.Errorf("%d units are selected after none", n)
	}
}
