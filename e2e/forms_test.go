package e2e

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"diligentledger/core/ledger"
)

// rows of a kind in the ledger of the page.
const rowsOf = `document.querySelectorAll('tr[data-kind=%q]').length`

// wholeLedger is shown once all lines are drawn, not those alone that a screen has room for.
const wholeLedger = `table[aria-label="Ledger"][aria-busy="false"]`

// inForm is the text of the form, with plain spaces.
const inForm = `document.querySelector('form[aria-label="Record an entry"]')?.innerText.replace(/\u00a0/g, ' ')`

// formClosed is true while no form is open.
const formClosed = `!document.querySelector('form[aria-label="Record an entry"]')`

// network replaces fetch on every page of a tab: %s is what becomes of an entry that is sent, of
// which "real" sends the request. Sent entries are kept in window.sent.
func (b *tab) network(entry string) {
	b.t.Helper()
	if _, err := chromedp.Call(b.ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: `
		window.sent = [];
		const real = window.fetch;
		window.fetch = async (input, init) => {
			const request = new Request(input, init);
			if (request.method !== 'POST' || !request.url.endsWith('/entries')) return real(request);
			window.sent.push(await request.clone().text());
			` + entry + `
		}`}); err != nil {
		b.t.Fatal(err)
	}
}

// discard closes a form in which something was typed, and its draft.
func (b *tab) discard() {
	b.t.Helper()
	b.press(kb.Escape)
	b.wait(`[role="alertdialog"]`)
	js[chromedp.Void](b, `[...document.querySelectorAll('[role="alertdialog"] button')].find((o) => o.innerText === 'discard it').click()`)
	b.until(formClosed)
}

// The answer to an entry is lost on the way: the entry is kept and sent again with its id and its
// moment, and recorded once.
func TestLostAnswer(t *testing.T) {
	b := newTab(t)
	b.network(`const answer = await real(request);
		if (window.sent.length > 1) return answer;
		await answer.text();
		throw new TypeError('the answer was lost');`)
	b.open("/units/TK-14?write=loss", figureBox)
	b.typeIn(figureBox, "0.3")
	b.wait(effect)
	b.typeIn(figureBox, kb.Enter)
	b.until(inForm + `?.includes('Loss not sent; kept on this device')`)
	b.until(`document.querySelector('.unsent')?.innerText.includes('Recorded on TK-14')`)
	if !js[bool](b, `window.sent.length === 2 && JSON.parse(window.sent[1]).entries[0].entry === window.sent[0]`) {
		t.Errorf("sent %v", js[[]string](b, `window.sent`))
	}
	b.open("/units/TK-14", wholeLedger)
	if n := js[int](b, `[...document.querySelectorAll('tr[data-kind="loss"]')].filter(l => l.innerText.replace(/\u00a0/g, ' ').includes('0.3 L')).length`); n != 1 {
		t.Errorf("recorded %d times", n)
	}
}

// Without a network an entry is kept on the device, named in the head of every page, and sent once
// when the server answers again; what the server refuses then is opened again as it was typed.
func TestNoNetwork(t *testing.T) {
	b := newTab(t)
	b.network(`if (localStorage.getItem('offline')) throw new TypeError('no network'); return real(request);`)
	b.open("/units/TK-20?write=loss", figureBox)
	js[chromedp.Void](b, `localStorage.setItem('offline', '1')`)
	b.typeIn(figureBox, "0.4")
	b.wait(effect)
	b.typeIn(figureBox, kb.Enter)
	b.until(inForm + `?.includes('Loss not sent; kept on this device')`)
	waits := `document.querySelector('.unsent')?.innerText.includes('TK-20 loss 0.4')`
	b.until(waits)
	for _, path := range []string{"/", "/horizon", "/plan", "/bench", "/register", "/units/CA-14"} {
		b.open(path, `.unsent`)
		b.until(waits)
	}
	js[chromedp.Void](b, `localStorage.removeItem('offline')`)
	b.until(`document.querySelector('.unsent')?.innerText.includes('Recorded on TK-20')`)
	b.open("/units/TK-20", `tr[data-kind="loss"]`)
	b.wait(wholeLedger)
	if n := js[int](b, fmt.Sprintf(rowsOf, "loss")); n != 1 {
		t.Errorf("recorded %d times", n)
	}
}

// What waits is sent by the person who recorded it alone, and by no other account; a damaged list on the
// device takes no page with it.
func TestUnsentOfAnother(t *testing.T) {
	b := newTabOf(t, technician)
	b.network(`return real(request);`)
	b.open("/units/TK-22", protects)
	for _, damaged := range []string{`{`, `7`, `[null, {}, 5]`} {
		js[chromedp.Void](b, `localStorage.setItem('diligent.unsent', '`+damaged+`')`)
		b.open("/units/TK-22", protects)
	}
	js[chromedp.Void](b, `localStorage.setItem('diligent.unsent', JSON.stringify([{ person: 'marrow@skerrow.example', unit: 'TK-22', what: 'hold',
		entry: { id: '0198f3c4-0000-7000-8000-00000000aa01', kind: 'hold', at: new Date().toISOString(), hold: { why: 'another person wrote it' } }, draft: {} }]))`)
	b.open("/units/TK-22", protects)
	b.do(chromedp.Sleep(5 * time.Second)) // longer than it waits between two tries
	if js[int](b, `window.sent.length`) > 0 || js[bool](b, `document.querySelector('.unsent') !== null`) {
		t.Error("an entry of another person was sent or shown")
	}
}

// Once an entry is recorded its form is empty, and nothing records another until something is
// changed: neither Enter, nor a second press, nor a double click.
func TestRecordedOnce(t *testing.T) {
	b := newTab(t)
	b.open("/units/TK-16?write=level_check", `.buttons`)
	if js[bool](b, `document.querySelector('.buttons input[value="max"]').checked`) || !js[bool](b, `document.querySelector('`+submitEntry+`').disabled`) {
		t.Error("a level is chosen before anybody read one")
	}
	b.wait(wholeLedger)
	before := js[int](b, fmt.Sprintf(rowsOf, "level_check"))
	js[chromedp.Void](b, `document.querySelector('.buttons input[value="max"]').click()`)
	b.wait(effect)
	js[chromedp.Void](b, `(() => { const f = document.querySelector('form[aria-label="Record an entry"]'); f.requestSubmit(); f.requestSubmit(); })()`)
	b.until(inForm + `?.includes('Level recorded.')`)
	b.until(fmt.Sprintf(rowsOf+` === %d`, "level_check", before+1))
	if got := b.text(`form[aria-label="Record an entry"]`); strings.Contains(got, "Not recorded") {
		t.Errorf("beside what was recorded it says %q", got)
	}
	b.press(kb.Enter + kb.Enter)
	b.until(`document.querySelector('` + submitEntry + `').disabled`)
	// A lay-up has nothing to type: its form closes with it.
	b.open("/units/TK-16?write=lay_up", submitEntry)
	b.wait(wholeLedger)
	laidUp := js[int](b, fmt.Sprintf(rowsOf, "lay_up"))
	b.click(submitEntry)
	b.until(formClosed + ` && document.querySelector('#page').innerText.includes('Laid up recorded.')`)
	b.until(fmt.Sprintf(rowsOf+` === %d && `+rowsOf+` === %d`, "lay_up", laidUp+1, "level_check", before+1))
}

// What balances the books is recorded once, and its form closes.
func TestBalancedOnce(t *testing.T) {
	b := newTab(t)
	code := "CA-35"
	b.open("/units/"+code+"?write=note&line="+disagrees(code)+"&balance=0", effect)
	b.click(submitEntry)
	b.until(formClosed + ` && document.querySelector('#page').innerText.includes('recorded.')`)
}

// What is typed survives a reload, another page and Escape, which asks; it is gone once it is
// recorded or discarded.
func TestDrafts(t *testing.T) {
	b := newTab(t)
	b.open("/units/TK-32?write=renewal", figureBox)
	b.typeIn(figureBox, "28.5")
	b.open("/units/TK-32?write=renewal", figureBox)
	kept := func(when string) {
		t.Helper()
		if got := value(b, chromedp.Value(chromedp.CSS(figureBox))); got != "28.5" {
			t.Errorf("%s the form holds %q", when, got)
		}
	}
	kept("after a reload")
	b.open("/", `[data-line]`)
	b.open("/units/TK-32", `.drafts`)
	if got := b.text(`.drafts`); !strings.Contains(got, "Not recorded: renewal") {
		t.Errorf("the account says %q", got)
	}
	b.click(`.drafts button`)
	b.wait(figureBox)
	kept("opened again")
	// Escape asks; a second one goes on typing.
	b.press(kb.Escape)
	b.wait(`[role="alertdialog"]`)
	b.press(kb.Escape)
	b.until(`!document.querySelector('[role="alertdialog"]')`)
	kept("after Escape")
	b.discard()
	b.until(`!document.querySelector('.drafts')`)
	b.open("/units/TK-32?write=renewal", figureBox)
	if got := value(b, chromedp.Value(chromedp.CSS(figureBox))); got != "" {
		t.Errorf("discarded, the form holds %q", got)
	}
	// A form in which nothing was typed closes without a question.
	b.press(kb.Escape)
	b.until(formClosed)
}

// A freeze point can be typed without a minus key: what it was read as is said before it is
// recorded; the cap form opens without a refusal, and one press records what was found good.
func TestPhoneForms(t *testing.T) {
	b := newTab(t)
	b.open("/units/TK-18?write=freeze_test", figureBox)
	b.typeIn(figureBox, "35")
	b.until(`document.querySelector('` + strings.ReplaceAll(effect, `"`, `\"`) + `')?.innerText.replace(/\u00a0/g, ' ').includes('35 °C is read as −35 °C')`)
	b.click(`.act.sign`)
	b.until(`document.querySelector('` + figureBox + `').value === '−35'`)
	b.until(`document.querySelector('` + strings.ReplaceAll(effect, `"`, `\"`) + `') && !` + inForm + `.includes('is read as')`)
	b.click(submitEntry)
	b.until(`document.querySelector('tr[data-kind="freeze_test"]')?.innerText.includes('−35')`)
	for _, c := range []struct{ kind, says string }{{"cap_test", "seal good"}, {"hose_check", "upper"}} {
		b.open("/units/TK-18?write="+c.kind, submitEntry)
		if got := b.text(`form[aria-label="Record an entry"]`); strings.Contains(got, "Not recorded") {
			t.Errorf("%s opens with %q", c.kind, got)
		}
		b.wait(wholeLedger)
		before := js[int](b, fmt.Sprintf(rowsOf, c.kind))
		js[chromedp.Void](b, `[...document.querySelectorAll('form button')].find((o) => o.innerText.startsWith('record all good')).click()`)
		b.until(fmt.Sprintf(rowsOf+` === %d`, c.kind, before+1))
	}
}

// A page that is opened from another begins at its top with the focus in it; back, the page is
// where it was left, with the focus on the link that led away. A unit is found by its code as
// people type it.
func TestPlaces(t *testing.T) {
	b := newTab(t)
	b.open("/", `[data-line]`)
	js[chromedp.Void](b, `window.scrollTo(0, 700)`)
	b.until(`window.scrollY === 700 && sessionStorage.length > 0`)
	js[chromedp.Void](b, `(() => { const l = [...document.querySelectorAll('#page a[data-line]')].find((o) => o.getBoundingClientRect().top > 200); l.click(); })()`)
	b.wait(protects)
	b.until(`window.scrollY === 0 && document.activeElement.closest('#page')`)
	unit := js[string](b, `location.pathname`)
	js[chromedp.Void](b, `history.back()`)
	b.until(`location.pathname === '/' && window.scrollY === 700`)
	b.until(fmt.Sprintf(`document.activeElement.getAttribute('href') === %q`, unit))
	for typed, code := range map[string]string{"ca11": "CA-11", "TK28": "TK-28", "tk 28": "TK-28"} {
		b.open("/", `[data-line]`)
		b.press("/" + typed + kb.Enter)
		b.until(fmt.Sprintf(`location.pathname === '/units/%s'`, code))
	}
}

// A role and an account are changed by an act that names the person and what becomes of them; left
// as it is, nothing changes, and the last coordinator stays one.
func TestPersonChanges(t *testing.T) {
	b := newTab(t)
	b.open("/register", `[role="group"][aria-label="E. Marrow"]`)
	line := func(name string) string {
		return fmt.Sprintf(`document.querySelector('[role="group"][aria-label=%q]')`, name)
	}
	press := func(name, words string) {
		t.Helper()
		b.until(line(name) + ` && [...` + line(name) + `.querySelectorAll('button')].some((o) => (o.ariaLabel ?? o.innerText).startsWith('` + words + `'))`)
		js[chromedp.Void](b, `[...`+line(name)+`.querySelectorAll('button')].find((o) => (o.ariaLabel ?? o.innerText).startsWith('`+words+`')).click()`)
	}
	press("E. Marrow", "close account of E. Marrow")
	b.until(line("E. Marrow") + `.querySelector('[role="alertdialog"]')?.innerText.includes('all sessions end')`)
	b.accessible("register, asked before an account is closed")
	press("E. Marrow", "leave it as it is")
	b.until(`!` + line("E. Marrow") + `.querySelector('[role="alertdialog"]')`)
	press("E. Marrow", "close account of E. Marrow")
	b.until(line("E. Marrow") + `.querySelector('[role="alertdialog"]')`)
	js[chromedp.Void](b, line("E. Marrow")+`.querySelector('[role="alertdialog"] .strong').click()`)
	b.until(line("E. Marrow") + `.innerText.includes('there is no other')`)
}

// The walk of one unit on a phone: level, freeze test, cap and meter, by at most twelve taps and
// the digits; docs/hand.md has the count.
func TestWalk(t *testing.T) {
	b := newTabOf(t, technician)
	b.view("/units/CA-20", wholeLedger, 390, 844, false)
	taps, digits := 0, 0
	tap := func(words string) {
		t.Helper()
		found := `[...document.querySelectorAll('#page button, #page label')].find((o) => o.checkVisibility() && !o.disabled && o.innerText.replace(/\s+\S$/, '').trim().startsWith('` + words + `'))`
		b.until(found)
		js[chromedp.Void](b, found+`.scrollIntoView({ block: 'center' }); `+found+`.click()`)
		taps++
	}
	typed := func(text string) {
		t.Helper()
		b.wait(figureBox)
		b.typeIn(figureBox, text)
		digits += len(text)
	}
	last := js[int](b, `Number(document.querySelector('tr[data-kind="meter"]').innerText.match(/([\d,]+)\skm/)[1].replaceAll(',', ''))`)
	recorded := func(kind string) func() {
		newest := fmt.Sprintf(`(document.querySelector('tr[data-kind=%q]')?.dataset.id ?? '')`, kind)
		before := js[string](b, newest)
		return func() {
			t.Helper()
			b.until(fmt.Sprintf(newest+` !== %q`, before))
		}
	}
	for _, step := range []struct {
		kind string
		do   func()
	}{
		{"level_check", func() { tap("level"); tap("at the upper mark"); tap("record") }},
		{"freeze_test", func() { tap("freeze test"); typed("36"); tap("record") }},
		{"cap_test", func() { tap("other"); tap("cap"); tap("record all good") }},
		{"meter", func() { tap("meter"); typed(fmt.Sprint(last + 40)); tap("record") }},
	} {
		done := recorded(step.kind)
		step.do()
		done()
	}
	t.Logf("the walk of one unit: %d taps and %d digits", taps, digits)
	if taps > 12 {
		t.Errorf("%d taps, want 12 at the most", taps)
	}
}

// No form is wider than a phone, and the menu of a line is on the screen.
func TestFormsFitAPhone(t *testing.T) {
	b := newTab(t)
	for _, kind := range ledger.Kinds {
		if kind == ledger.KindStrike || kind == ledger.KindDefectClosed {
			continue // opened from a line or a defect
		}
		b.view("/units/TK-20?write="+string(kind), submitEntry, 390, 844, false)
		if wide := js[int](b, `document.documentElement.scrollWidth`); wide > 390 {
			t.Errorf("the form of a %s makes the page %d px wide", kind, wide)
		}
	}
	b.view("/units/TK-20", wholeLedger, 390, 844, false)
	if off := js[int](b, `[...document.querySelectorAll('.act.dots')].filter((o) => o.getBoundingClientRect().right > 390).length`); off > 0 {
		t.Errorf("the menus of %d lines are off the screen", off)
	}
}
