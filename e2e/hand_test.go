package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"diligentledger/internal/testday"
	"github.com/chromedp/chromedp/kb"
)

// hand counts what a person does with mouse or thumb: taps, and characters typed.
type hand struct {
	*tab
	taps, typed int
}

// tap the button, link or label on the page that begins with some words.
func (h *hand) tap(words string) {
	h.t.Helper()
	found := fmt.Sprintf(`[...document.querySelectorAll('main button, main a, main label, nav a')].find((o) => o.checkVisibility({ visibilityProperty: true }) && !o.disabled && (o.getAttribute('aria-label') ?? o.innerText).trim().startsWith(%q))`, words)
	h.until(found)
	js[chromedp.Void](h.tab, found+`.scrollIntoView({ block: 'center' }); `+found+`.click()`)
	h.taps++
}

func label(words string) string {
	return fmt.Sprintf(`(() => { const all = [...document.querySelectorAll('main label')].filter((l) => l.checkVisibility()), say = %q;
		return (all.find((l) => l.innerText.trim() === say) ?? all.find((l) => l.innerText.trim().startsWith(say)))?.parentElement })()`, words)
}

// fill a field by its label.
func (h *hand) fill(words, text string) {
	h.t.Helper()
	field := label(words) + `.querySelector('input, textarea')`
	h.until(`!!` + field)
	js[chromedp.Void](h.tab, field+`.focus(); `+field+`.select?.()`)
	h.press(text)
	h.taps++
	h.typed += len(text)
}

// choose an option by the label of its field: one tap opens the list, one takes the option.
func (h *hand) choose(words, value string) {
	h.t.Helper()
	field := label(words) + `.querySelector('select')`
	h.until(`!!` + field)
	js[chromedp.Void](h.tab, fmt.Sprintf(`{ const s = %s; Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(s, [...s.options].find((o) => o.text.startsWith(%q)).value); s.dispatchEvent(new Event('change', { bubbles: true })) }`, field, value))
	h.taps += 2
}

// recorded presses the button of an entry once its effect is shown.
func (h *hand) recorded(kind string, how func()) {
	h.t.Helper()
	newest := fmt.Sprintf(`(document.querySelector('tr[data-kind=%q]')?.dataset.id ?? '')`, kind)
	before := js[string](h.tab, newest)
	how()
	h.until(`!document.querySelector('form button[type="submit"]')?.disabled`)
	h.tap("record")
	h.until(newest + fmt.Sprintf(` !== %q`, before))
}

// slow makes each request of a tab wait, as where the signal is weak.
func (b *tab) slow() {
	b.t.Helper()
	if _, err := chromedp.Call(b.ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: `
		const real = window.fetch;
		window.fetch = async (...asked) => { await new Promise((go) => setTimeout(go, 500)); return real(...asked) }`}); err != nil {
		b.t.Fatal(err)
	}
}

// The tasks of a working day by mouse and thumb, each with its outcome, and what it takes. The
// figures of the log are those of docs/hand.md.
func TestTasksByHand(t *testing.T) {
	account := func(h *hand, code string) {
		h.open("/units/"+code, wholeLedger)
	}
	tasks := []struct {
		who, name string
		phone     bool
		do        func(h *hand)
	}{
		{coordinator, "see what must not move, and why", false, func(h *hand) {
			h.open("/", `[data-line]`)
			h.tap("AV-05")
			h.until(`document.querySelector('[data-testid="opening"]')?.innerText.startsWith('hold') && document.querySelector('[aria-label="Findings"]').innerText.includes('coolant smell')`)
		}},
		{coordinator, "why a clock says so", false, func(h *hand) {
			account(h, "CA-31")
			h.tap("why?")
			h.until(`document.querySelector('[data-clock] button[aria-expanded="true"]')`)
		}},
		{coordinator, "find a unit by part of its name", false, func(h *hand) {
			h.open("/", `[data-line]`)
			h.taps++
			h.press("/")
			h.press("crane")
			h.typed += 5
			h.until(`document.querySelectorAll('[role="option"]').length > 0 || document.activeElement.value === 'crane'`)
			h.press(kb.Enter)
			h.taps++
			h.until(`location.pathname.startsWith('/units/')`)
		}},
		{coordinator, "a freeze test", false, func(h *hand) {
			account(h, "CA-28")
			h.recorded("freeze_test", func() { h.tap("freeze test"); h.wait(figureBox); h.typeIn(figureBox, "-36"); h.typed += 3 })
		}},
		{coordinator, "a top-up with water", false, func(h *hand) {
			account(h, "CA-28")
			h.recorded("top_up", func() { h.tap("water"); h.wait(figureBox); h.typeIn(figureBox, "0.2"); h.typed += 3 })
		}},
		{coordinator, "strike a line", false, func(h *hand) {
			account(h, "CA-28")
			before := js[int](h.tab, `document.querySelectorAll('tr[data-struck]').length`)
			js[chromedp.Void](h.tab, `document.querySelector('tr[data-kind="top_up"] .dots').click()`)
			h.taps++
			h.until(`[...document.querySelectorAll('[role="menuitem"]')].some((o) => o.innerText.startsWith('strike'))`)
			js[chromedp.Void](h.tab, `[...document.querySelectorAll('[role="menuitem"]')].find((o) => o.innerText.startsWith('strike')).click()`)
			h.taps++
			h.wait(`form`)
			h.fill("why", "on another unit")
			h.until(`!document.querySelector('form button[type="submit"]').disabled`)
			h.tap("record")
			h.until(fmt.Sprintf(`document.querySelectorAll('tr[data-struck]').length === %d`, before+1))
		}},
		{coordinator, "a hold", false, func(h *hand) {
			account(h, "CA-28")
			h.recorded("hold", func() { h.tap("other"); h.tap("hold"); h.fill("why it must not run", "loose clamp") })
			h.until(`document.querySelector('[data-testid="opening"]').innerText.startsWith('hold')`)
		}},
		{coordinator, "its release", false, func(h *hand) {
			account(h, "CA-28")
			h.recorded("release", func() { h.tap("other"); h.tap("release"); h.fill("what was done", "clamp tightened") })
			h.until(`!document.querySelector('[data-testid="opening"]').innerText.startsWith('hold')`)
		}},
		{coordinator, "what runs out in a month, to the work list", false, func(h *hand) {
			h.open("/horizon", `[data-unit]`)
			first, last := busyMonth(t)
			h.fill("from", typedDay(first))
			h.fill("to", typedDay(last))
			h.until(`/add [1-9]\d* units?/.test(document.querySelector('[data-testid="pick-bar"]').innerText)`)
			h.tap("add ")
			h.until(`document.querySelector('[data-testid="pick-bar"]').innerText.includes('work list')`)
		}},
		{coordinator, "other days for planned work", false, func(h *hand) {
			h.open("/plan/list", `[data-planned="CA-14"]`)
			h.tap("change the days of CA-14")
			h.fill("to", typedDay(testday.Now().AddDate(0, 0, 20)))
			h.until(`!document.querySelector('form[aria-label="Days of the work"] button[type="submit"]').disabled`)
			h.tap("these days")
			h.until(`!document.querySelector('form[aria-label="Days of the work"]')`)
		}},
		{coordinator, "a service plan changed, and undone", false, func(h *hand) {
			h.open("/register", `[data-plan="Courier van"]`)
			h.tap("change Courier van")
			h.fill("freeze test every, months", "9")
			h.until(`!document.querySelector('form[aria-label="Change Courier van"] button[type="submit"]').disabled`)
			h.tap("change it for all its units")
			h.until(`document.querySelector('[data-plan="Courier van"]').innerText.includes('freeze test every 9 months')`)
			h.tap("undo")
			h.until(`document.querySelector('[data-plan="Courier van"]').innerText.includes('freeze test every 12 months')`)
		}},
		{coordinator, "what 45 % protects to", false, func(h *hand) {
			h.open("/bench?units=metric", `[data-testid="headline"]`)
			h.fill("what is inside, % or °C", "45 %")
			h.until(`document.querySelector('[data-testid="read"]')?.innerText.includes('45')`)
		}},
		{coordinator, "what one person recorded, as a file", false, func(h *hand) {
			h.open("/entries", `tr[data-entry]`)
			h.fill("recorded by", "Quayle")
			h.until(`[...document.querySelectorAll('tr[data-entry]')].every((r) => r.innerText.includes('T. Quayle'))`)
			if _, rows := h.file("CSV"); len(rows) < 100 {
				t.Errorf("a file of %d rows", len(rows))
			}
			h.taps++
		}},
		{coordinator, "the Morning on paper", false, func(h *hand) {
			h.open("/", `[data-line]`)
			if pdf := h.printed(); len(pdf) < 10_000 {
				t.Errorf("a paper of %d bytes", len(pdf))
			}
			h.taps++
		}},
		{coordinator, "an account's ledger as a file", false, func(h *hand) {
			account(h, "CA-28")
			if _, rows := h.file("CSV"); len(rows) < 10 {
				t.Errorf("a file of %d rows", len(rows))
			}
			h.taps++
		}},
		{coordinator, "correct a line: struck and recorded anew", false, func(h *hand) {
			account(h, "CA-28")
			before := js[int](h.tab, `document.querySelectorAll('tr[data-struck]').length`)
			js[chromedp.Void](h.tab, `document.querySelector('tr[data-kind="freeze_test"] .dots').click()`)
			h.taps++
			h.until(`[...document.querySelectorAll('[role="menuitem"]')].some((o) => o.innerText.startsWith('correct'))`)
			js[chromedp.Void](h.tab, `[...document.querySelectorAll('[role="menuitem"]')].find((o) => o.innerText.startsWith('correct')).click()`)
			h.taps++
			h.fill("line on the scale", "-35")
			h.fill("why the old line is struck", "misread")
			h.until(`!document.querySelector('form button[type="submit"]').disabled`)
			h.tap("strike the old line")
			h.until(fmt.Sprintf(`document.querySelectorAll('tr[data-struck]').length === %d`, before+1))
		}},
		{coordinator, "a unit on another service plan", false, func(h *hand) {
			for _, plan := range []string{"Sealed fill", "Pool car"} { // there, and back: it is the same to do
				h.open("/register", `[data-plan="Pool car"]`)
				h.taps, h.typed = 0, 0
				h.fill("unit", "CA-28")
				h.choose("service plan", plan)
				h.tap("put it there")
				h.until(`document.querySelector('[data-testid="move-effect"]').innerText.includes('1 unit is on that plan now')`)
			}
		}},
		{coordinator, "a site planned for rarer nights", false, func(h *hand) {
			for _, winters := range []string{"60", "50"} {
				h.open("/register", `[data-plan]`)
				h.taps, h.typed = 0, 0
				h.fill("return period of Airstrip", winters)
				h.tap("set it")
				h.until(`document.querySelector('main').innerText.includes('Changed; all clocks follow it.')`)
			}
		}},
		{coordinator, "invite a person", false, func(h *hand) {
			h.open("/register", `[data-plan]`)
			h.fill("name, as", "B. Wold")
			h.fill("e-mail address", "wold@skerrow.example")
			h.choose("role", "reader")
			h.click(`form[aria-label="Invite a person"] button[type="submit"]`)
			h.taps++
			h.until(`document.querySelector('[role="group"][aria-label="B. Wold"]')`)
		}},
		{coordinator, "another role for a person", false, func(h *hand) {
			h.open("/register", `[role="group"][aria-label="B. Wold"]`)
			h.choose("role of B. Wold", "technician")
			h.until(`document.querySelector('[role="alertdialog"]')`)
			js[chromedp.Void](h.tab, `document.querySelector('[role="alertdialog"] button').click()`)
			h.taps++
			h.until(`!document.querySelector('[role="alertdialog"]') && document.querySelector('[aria-label="B. Wold"] select').value === 'technician'`)
		}},
		{technician, "find a unit by its number", true, func(h *hand) {
			h.view("/", `[data-line]`, 390, 844, false)
			h.taps++
			h.press("/")
			h.press("ca 22")
			h.typed += 5
			h.until(`document.activeElement.value === 'ca 22'`)
			h.press(kb.Enter)
			h.taps++
			h.until(`location.pathname === '/units/CA-22'`)
		}},
		{technician, "hoses and clamps, all good", true, func(h *hand) {
			h.view("/units/CA-22", wholeLedger, 390, 844, false)
			newest := `(document.querySelector('tr[data-kind="hose_check"]')?.dataset.id ?? '')`
			before := js[string](h.tab, newest)
			h.tap("other")
			h.tap("hoses and clamps")
			h.tap("record all good")
			h.until(newest + fmt.Sprintf(` !== %q`, before))
		}},
		{technician, "a meter reading", true, func(h *hand) {
			h.view("/units/CA-26", wholeLedger, 390, 844, false)
			last := js[int](h.tab, `Number(document.querySelector('tr[data-kind="meter"]').innerText.match(/([\d,]+)\skm/)[1].replaceAll(',', ''))`)
			h.recorded("meter", func() {
				h.tap("meter")
				h.wait(figureBox)
				h.typeIn(figureBox, fmt.Sprint(last+30))
				h.typed += 5
			})
		}},
		{technician, "a renewal of all that came out", true, func(h *hand) {
			h.view("/units/CA-26", wholeLedger, 390, 844, false)
			capacity := js[string](h.tab, `document.querySelector('[data-testid="opening"]').innerText.match(/([\d.]+)\sL/)[1]`)
			h.recorded("renewal", func() {
				h.tap("renewal, emptied")
				h.wait(figureBox)
				h.typeIn(figureBox, capacity)
				h.typed += len(capacity)
			})
		}},
		{signatory, "close a defect of an aircraft, and release it", false, func(h *hand) {
			account(h, "AV-05")
			h.recorded("defect_closed", func() {
				h.tap("other")
				h.tap("close a defect")
				h.fill("how it was repaired", "hose and clamp renewed")
			})
			h.press(kb.Escape)
			h.until(formClosed)
			h.recorded("release", func() {
				h.tap("other")
				h.tap("release")
				h.fill("what was done", "hose renewed, tested")
				h.fill("certificate number", "4711")
				h.fill("kind of certificate", "inspector")
				h.fill("approved data", "MM 75-20")
			})
			h.until(`!document.querySelector('[data-testid="opening"]').innerText.startsWith('hold')`)
		}},
		{reader, "read an account, and why nothing is recorded there", false, func(h *hand) {
			h.open("/", `[data-line]`)
			h.tap("CA-09")
			h.until(`document.querySelector('main').innerText.includes('You read this account.') && !document.querySelector('form')`)
		}},
		{reader, "who changed what", false, func(h *hand) {
			h.open("/", `[data-line]`)
			h.tap("Register")
			h.until(`document.querySelectorAll('[aria-label="Audit lines"] tbody tr').length > 0`)
		}},
	}
	if len(tasks) < 27 {
		t.Errorf("%d tasks", len(tasks))
	}
	tabs := map[string]*tab{}
	for _, task := range tasks {
		if tabs[task.who] == nil {
			tabs[task.who] = newTabOf(t, task.who)
			if task.phone {
				tabs[task.who].slow()
			}
		}
		h := &hand{tab: tabs[task.who]}
		if !task.phone {
			h.view("/", `[data-line]`, 1280, 800, false)
		}
		task.do(h)
		t.Logf("%s: %s: %d taps, %d characters", map[string]string{coordinator: "coordinator", technician: "technician, slow network", signatory: "signatory", reader: "reader"}[task.who], task.name, h.taps, h.typed)
	}
}
