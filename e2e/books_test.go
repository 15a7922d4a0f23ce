package e2e

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"diligentledger/internal/demo"
)

// Through the cover: a wrong password is refused, the right one opens the page that
// was asked for, and signing out closes it.
func TestSignInPage(t *testing.T) {
	b := newTabOf(t, "")
	b.open("/units/CA-14", signInForm)
	b.typeIn(`input[type="email"]`, technician)
	b.typeIn(`input[type="password"]`, "not this one"+kb.Enter)
	b.until(`document.querySelector('main').innerText.includes('do not belong together')`)
	if kept := value(b, chromedp.Value(chromedp.CSS(`input[type="email"]`))); kept != technician {
		t.Errorf("the address became %q", kept)
	}
	js[chromedp.Void](b, `document.querySelector('input[type="password"]').select()`)
	b.typeIn(`input[type="password"]`, demo.Password+kb.Enter)
	b.wait(protects)
	if got := b.text("h1"); got != "CA-14" {
		t.Errorf("signed in to %q", got)
	}
	if js[bool](b, `document.cookie.includes('session')`) {
		t.Error("a script can read the session's cookie")
	}
	b.click(`[aria-label="signed in as T. Quayle"]`)
	b.wait(`[data-value="out"]`)
	b.click(`[data-value="out"]`)
	b.wait(signInForm)
	// Each demo account opens by its button.
	js[chromedp.Void](b, `[...document.querySelectorAll('[aria-label="Demo accounts"] button')].find(x => x.innerText.includes('A. Reed')).click()`)
	b.wait(protects)
	// A reader reads: nothing to write with, nothing to strike.
	b.open("/units/CA-14?write=freeze_test", protects)
	b.press("f")
	b.until(`!document.querySelector('form') && !document.querySelector('[aria-label="Record an entry"]')`)
	b.press("g")
	b.wait(`[aria-label="Audit"] td`)
	if js[bool](b, `Boolean(document.querySelector('[aria-label="People"]'))`) {
		t.Error("a reader sees the people's roles")
	}
	b.calm()
}

// A session that ends while a person types asks for the password again, over the
// page; what was typed is still there.
func TestSessionEndsWhileTyping(t *testing.T) {
	b := newTabOf(t, "sund@skerrow.example")
	b.open("/units/TK-33?write=freeze_test", figureBox)
	b.typeIn(figureBox, "-4")
	b.wait(effect)
	app.leaveEverywhere(t, "sund@skerrow.example")
	b.typeIn(figureBox, "9")
	b.wait(`[role="alertdialog"] input[type="password"]`)
	b.typeIn(`[role="alertdialog"] input[type="password"]`, demo.Password+kb.Enter)
	b.until(`!document.querySelector('[role="alertdialog"]')`)
	if kept := value(b, chromedp.Value(chromedp.CSS(figureBox))); kept != "-49" {
		t.Errorf("the form holds %q", kept)
	}
	b.until(`document.querySelector('[data-testid="effect"]')?.innerText.includes('agrees')`)
	b.click(submitEntry)
	b.until(`document.querySelector('tr[data-kind="freeze_test"]')?.innerText.includes('I. Sund')`)
	b.calm()
}

// At most four keys beside the figures, for whatever is written; the effect
// stands before it is saved.
func TestFewKeys(t *testing.T) {
	b, at := newTabOf(t, technician), ""
	for _, c := range []struct {
		unit string
		kind string
		keys []string // one string for each key, or for a figure or words typed
		says string
	}{
		{"CA-05", "top_up", []string{"w", "0.2", kb.Enter}, "0.2 L purified water"},
		{"CA-22", "freeze_test", []string{"f", "-37", kb.Enter}, "refractometer -37 °C, EG scale"},
		{"CA-22", "top_up", []string{"u", "0.3", kb.Enter}, "0.3 L Norhav OAT premix 50"},
		{"CA-22", "level_check", []string{"v", kb.ArrowDown, kb.Enter}, "cold, at the upper mark"},
		{"CA-22", "meter", []string{"o", "46000", kb.Enter}, "46,000 km"},
		{"CA-22", "loss", []string{"n", "l", "0.2", kb.Enter}, "0.2 L, leak"},
		{"CA-22", "renewal", []string{"e", "9", kb.Enter}, "9 L Norhav OAT premix 50 in"},
		{"CA-22", "defect_opened", []string{"n", "d", "clamp loose", kb.Enter}, "clamp loose (repair)"},
		{"CA-22", "hold", []string{"n", "x", "clamp loose", kb.Enter}, "clamp loose"},
		{"CA-22", "note", []string{"n", "t", "seen", kb.Enter}, "seen"},
	} {
		if at != c.unit {
			at = c.unit
			b.open("/units/"+at, protects)
			b.wait(wholeLedger)
		}
		// The ledger shows the newest lines: with a new one an old one may go.
		before := js[string](b, fmt.Sprintf(`[...document.querySelectorAll('tr[data-kind="%s"]')].map(l => l.dataset.id).join(' ')`, c.kind))
		presses := 0
		for i, key := range c.keys {
			if len(key) == 1 || key == kb.Enter || key == kb.ArrowDown {
				presses++
			}
			if key == kb.Enter {
				b.until(`document.querySelector('[data-testid="effect"]') && !document.querySelector('form button[type="submit"]').disabled`)
			}
			b.press(key)
			if i == 0 && key != "n" || i == 1 && c.keys[0] == "n" {
				b.wait(`form[aria-label="Record an entry"]`)
			}
		}
		if presses > 4 {
			t.Errorf("%s takes %d keys", c.kind, presses)
		}
		b.until(fmt.Sprintf(`[...document.querySelectorAll('tr[data-kind="%s"]')].filter(l => !%q.includes(l.dataset.id)).length === 1`, c.kind, before))
		b.press(kb.Escape)
		b.until(`!document.querySelector('form[aria-label="Record an entry"]')`)
		if got := b.text(fmt.Sprintf(`tr[data-kind="%s"]`, c.kind)); !strings.Contains(got, c.says) {
			t.Errorf("%s reads %q, want %q in it", c.kind, got, c.says)
		}
	}
	b.until(`document.querySelector('[aria-label="Findings"]').innerText.includes('clamp loose')`)
	if got := b.text(`[data-testid="opening"]`); !strings.HasPrefix(got, "hold") {
		t.Errorf("with a hold on it the unit is %q", got)
	}
	b.calm()
}

// A nitrite that is spent says what puts it right, in litres of what the workshop has; the
// extender is recorded, and its test is asked for. Water onto a premix is asked about first.
func TestMixOfAUnit(t *testing.T) {
	b := newTabOf(t, technician)
	b.open("/units/TK-38", protects)
	chemistry := `document.querySelector('section[aria-label="Chemistry"]').innerText`
	b.until(chemistry + `.includes('too little; add its extender') && ` + chemistry + `.replaceAll('\u00a0', ' ').includes('L of Skerry NOAT extender')`)
	b.press("n")
	b.press("k")
	b.wait(figureBox)
	b.typeIn(figureBox, "3")
	b.until(`document.querySelector('form option[value="SKER-EXT"]')`)
	js[chromedp.Void](b, choose("additive", "SKER-EXT"))
	b.until(`document.querySelector('form').innerText.includes('no more than 3200 ppm stays dissolved')`)
	js[chromedp.Void](b, `document.querySelector('form input[inputmode="decimal"]').select()`)
	b.typeIn(figureBox, "0.2")
	b.wait(effect)
	b.click(submitEntry)
	b.until(`document.querySelector('tr[data-kind="extender"]')?.innerText.replaceAll('\u00a0', ' ').includes('0.2 L Skerry NOAT extender')`)
	b.until(`document.querySelector('[data-clock="chemistry"]').innerText.includes('test the nitrite once it is mixed')`)
	b.open("/units/MC-07", protects)
	b.press("w")
	b.wait(figureBox)
	b.typeIn(figureBox, "0.05")
	b.until(`document.querySelector('form').innerText.includes('The same premix first')`)
	if js[bool](b, `!document.querySelector('form button[type="submit"]').disabled && document.querySelector('[data-testid="effect"]') !== null`) {
		t.Error("water onto a premix is shown as if it were written without a question")
	}
	js[chromedp.Void](b, `document.querySelector('form > .tick').click()`)
	b.wait(effect)
	b.click(submitEntry)
	b.until(`document.querySelector('tr[data-kind="top_up"]')?.innerText.replaceAll('\u00a0', ' ').includes('0.05 L purified water')`)
	b.calm()
}

// choose an option of the select with a label, as a change that the page hears.
func choose(label, value string) string {
	return fmt.Sprintf(`(() => {
		const box = [...document.querySelectorAll('form label')].find((l) => l.innerText.trim() === %q).parentElement.querySelector('select');
		Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(box, %q);
		box.dispatchEvent(new Event('change', { bubbles: true }));
	})()`, label, value)
}

// A wrong line is struck and written anew in one act, from the keyboard; the
// struck line stays, with who and why.
func TestCorrectALine(t *testing.T) {
	b := newTab(t)
	b.open("/units/CA-16?write=meter", figureBox)
	b.typeIn(figureBox, "999999")
	// A leap is asked about, and not lost: who says so records it.
	b.until(`document.querySelector('form').innerText.includes('is 999,999 km after')`)
	js[chromedp.Void](b, `document.querySelector('form > .tick').click()`)
	b.wait(effect)
	b.click(submitEntry)
	b.until(`document.querySelector('tr[data-kind="meter"]')?.innerText.includes('999,999')`)
	b.press(kb.Escape)
	b.until(`!document.querySelector('form[aria-label="Record an entry"]')`)
	last := js[int](b, `Number(document.querySelectorAll('tr[data-kind="meter"]')[1].innerText.match(/([\d,]+)\skm/)[1].replaceAll(',', ''))`)
	truth := fmt.Sprint(last + 60)
	if got := b.text(`tr[data-kind="meter"]`); !strings.Contains(got, "cannot be true together with the other readings; not used") {
		t.Errorf("a leap of a meter reads %q", got)
	}
	// A true reading after it is taken as before.
	b.press("o")
	b.wait(figureBox)
	b.typeIn(figureBox, truth)
	b.wait(effect)
	b.discard()
	js[chromedp.Void](b, `document.querySelector('tr[data-kind="meter"]').focus()`)
	b.press("c")
	b.wait(figureBox)
	if got := value(b, chromedp.Value(chromedp.CSS(figureBox))); got != "999999" {
		t.Errorf("the form begins with %q", got)
	}
	js[chromedp.Void](b, `document.querySelector('form input[inputmode="decimal"]').select()`)
	b.typeIn(figureBox, truth)
	js[chromedp.Void](b, `[...document.querySelectorAll('form label')].find(l => l.innerText.startsWith('why the old line')).parentElement.querySelector('input').focus()`)
	b.press("typed too many nines")
	b.wait(effect)
	b.press(kb.Enter)
	b.wait(`tr[data-struck]`)
	struck := b.text(`tr[data-struck]`)
	if !strings.Contains(struck, "999,999 km") || !strings.Contains(struck, "struck by E. Marrow") || !strings.Contains(struck, "typed too many nines") {
		t.Errorf("the struck line reads %q", struck)
	}
	if got := js[string](b, `getComputedStyle(document.querySelector('tr[data-struck] del')).textDecorationLine`); got != "line-through" {
		t.Errorf("it is drawn %q", got)
	}
	b.until(`document.querySelector('tr[data-kind="meter"]:not([data-struck])').innerText.replaceAll(',', '').includes('` + truth + `')`)
	// Struck alone, by its key.
	js[chromedp.Void](b, `document.querySelector('tr[data-kind="meter"]:not([data-struck])').focus()`)
	b.press("x")
	b.until(`document.activeElement?.closest('form[aria-label="Record an entry"]')`)
	b.press("the wrong bus")
	b.until(`!document.querySelector('form button[type="submit"]').disabled`)
	b.press(kb.Enter)
	b.until(`document.querySelectorAll('tr[data-struck]').length === 2 && document.querySelectorAll('tr[data-kind="strike"]').length === 2`)
	// The same by hand, from the line's own menu.
	b.click(`tr[data-kind="freeze_test"] button`)
	b.wait(`[data-value="strike"]`)
	b.until(`document.querySelector('[role="menu"]')?.dataset.state === 'open'`)
	b.press(kb.ArrowDown + kb.ArrowDown + kb.Enter)
	b.until(`document.querySelector('form h2')?.innerText.includes('Strike the line of')`)
	b.calm()
}

// Book and test disagree: the likeliest cause is written with two keys, and the
// books balance.
func TestBalanceTheBooks(t *testing.T) {
	b := newTab(t)
	b.open("/units/CA-31", `[aria-label="Book and test disagree"]`)
	box := b.text(`[aria-label="Book and test disagree"]`)
	if !strings.Contains(box, "disagree by 9 K") || !strings.Contains(box, "of plain water was added and not recorded (between") {
		t.Errorf("the box says %q", box)
	}
	before := b.text(protects)
	b.click(`[aria-label="Book and test disagree"] button`)
	b.wait(effect)
	if got := b.text("form h2"); got != "CA-31Top-up that balances the books" && got != "CA-31 Top-up that balances the books" {
		t.Errorf("the form is headed %q", got)
	}
	b.typeIn(figureBox, kb.Enter)
	b.until(`!document.querySelector('[aria-label="Book and test disagree"]')`)
	if got := b.text(`tr[data-kind="freeze_test"]`); !strings.Contains(got, ": agrees") {
		t.Errorf("the test now reads %q", got)
	}
	if got := b.text(protects); got != before {
		t.Errorf("it protected to %s, now to %s", before, got)
	}
	// One kind alone, kept in the address; on paper all of it.
	b.open("/units/CA-31?kind=meter", `tr[data-kind="meter"]`)
	if js[int](b, `document.querySelectorAll('tr[data-line]:not([data-kind="meter"])').length`) > 0 {
		t.Error("other kinds are shown")
	}
	b.calm()
}

// The printed page has every line, and nothing to click.
func TestPrint(t *testing.T) {
	b := newTab(t)
	b.open("/units/TK-08", wholeLedger)
	lines := `document.querySelectorAll('tr[data-line]').length`
	all := js[int](b, `parseInt(document.querySelector('select option').innerText.match(/\((\d+)\)/)[1])`)
	if seen := js[int](b, lines); seen != 40 || all <= 40 {
		t.Errorf("%d lines of %d are shown", seen, all)
	}
	if _, err := chromedp.Call(b.ctx, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{Media: "print"}); err != nil {
		t.Fatal(err)
	}
	if paper := b.text(`main`); !strings.Contains(paper, "older lines are not on this paper") {
		t.Error("a paper without all lines does not say so")
	}
	// The button, or the key of the browser, has all of them fetched first.
	js[chromedp.Void](b, `window.printed = 0; window.print = () => { window.printed = `+lines+` }`)
	js[chromedp.Void](b, `window.dispatchEvent(new KeyboardEvent('keydown', { key: 'p', ctrlKey: true, cancelable: true }))`)
	b.until(`window.printed > 0`)
	if seen := js[int](b, `window.printed`); seen != all || js[int](b, lines) != all {
		t.Errorf("%d lines of %d are printed", seen, all)
	}
	clicks := js[[]string](b, `[...document.querySelectorAll('nav, form, main button, header button, header input')].filter(x => x.checkVisibility()).map(x => x.outerHTML)`)
	if len(clicks) > 0 {
		t.Errorf("things to click are printed: %v", clicks)
	}
}

// Invited, the letter in the outbox opens the account once.
func TestInvitedByMail(t *testing.T) {
	b := newTab(t)
	b.open("/register", `form[aria-label="Invite a person"]`)
	b.typeIn(`form[aria-label="Invite a person"] input:not([type="email"])`, "B. Tarn")
	b.typeIn(`form[aria-label="Invite a person"] input[type="email"]`, "tarn@skerrow.example"+kb.Enter)
	b.until(`document.querySelector('[aria-label="People"]').innerText.includes('has not chosen a password yet')`)
	letters, err := filepath.Glob(filepath.Join(app.data, "outbox", "*.eml"))
	if err != nil || len(letters) != 1 {
		t.Fatalf("letters: %v, %v", letters, err)
	}
	if info, err := os.Stat(letters[0]); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the letter may be read by others: %v, %v", info.Mode(), err)
	}
	letter, err := os.ReadFile(letters[0])
	if err != nil {
		t.Fatal(err)
	}
	_, rest, _ := strings.Cut(string(letter), app.address)
	link, _, _ := strings.Cut(rest, "\r\n")
	guest := newTabOf(t, "")
	guest.open(link, `form[aria-label="Choose a password"]`)
	guest.typeIn(`input[type="password"]`, "tern gravel oilskin noon")
	js[chromedp.Void](guest, `document.querySelectorAll('input[type="password"]')[1].focus()`)
	guest.press("tern gravel oilskin moon")
	guest.until(`document.querySelector('form').innerText.includes('not the same')`)
	js[chromedp.Void](guest, `document.querySelectorAll('input[type="password"]')[1].select()`)
	guest.press("tern gravel oilskin noon" + kb.Enter)
	guest.wait(`[data-line]`)
	guest.until(`document.querySelector('[aria-label="signed in as B. Tarn"]')`)
	guest.open(link, `[role="alert"]`)
	if got := guest.text(`[role="alert"]`); !strings.Contains(got, "has been used") {
		t.Errorf("used twice it says %q", got)
	}
	guest.calm()
}

// A name that looks like another person's is asked about, with both named; confirmed, the letter
// goes out.
func TestLookAlikeIsAsked(t *testing.T) {
	b := newTab(t)
	b.open("/register", `form[aria-label="Invite a person"]`)
	b.typeIn(`form[aria-label="Invite a person"] input:not([type="email"])`, "T. Quаyle") // with a Cyrillic a
	b.typeIn(`form[aria-label="Invite a person"] input[type="email"]`, "quayle2@skerrow.example"+kb.Enter)
	b.until(`document.querySelector('form[aria-label="Invite a person"]').innerText.includes('which looks like T. Quayle <quayle@skerrow.example>, right?')`)
	b.keep("look-alike")
	js[chromedp.Void](b, `[...document.querySelectorAll('form[aria-label="Invite a person"] button')].find((one) => one.innerText.includes('another person')).click()`)
	b.until(`document.querySelector('form[aria-label="Invite a person"]').innerText.includes('A link is on its way')`)
}

// A name is changed where the person is listed; one that is somebody's already is refused beside its field.
func TestNameIsChanged(t *testing.T) {
	b := newTab(t)
	b.open("/register", `form[aria-label="Invite a person"]`)
	b.wait(`button[aria-label="name of A. Reed"]`)
	js[chromedp.Void](b, `document.querySelector('button[aria-label="name of A. Reed"]').click()`)
	b.set(`form[aria-label="name of A. Reed"] input`, "T. Quayle")
	js[chromedp.Void](b, `document.querySelector('form[aria-label="name of A. Reed"] button[type="submit"]').click()`)
	b.until(`document.querySelector('form[aria-label="name of A. Reed"]')?.innerText.includes('a name of their own')`)
	js[chromedp.Void](b, `document.querySelector('form[aria-label="name of A. Reed"]').scrollIntoView({ block: "center" })`)
	b.keep("name-changed")
	b.accessible("a name that is taken")
	b.set(`form[aria-label="name of A. Reed"] input`, "A. Reed-Tarn")
	js[chromedp.Void](b, `document.querySelector('form[aria-label="name of A. Reed"] button[type="submit"]').click()`)
	b.wait(`button[aria-label="name of A. Reed-Tarn"]`)
	js[chromedp.Void](b, `document.querySelector('button[aria-label="name of A. Reed-Tarn"]').click()`)
	b.set(`form[aria-label="name of A. Reed-Tarn"] input`, "A. Reed")
	js[chromedp.Void](b, `document.querySelector('form[aria-label="name of A. Reed-Tarn"] button[type="submit"]').click()`)
	b.wait(`button[aria-label="name of A. Reed"]`)
	b.calm()
}

// No one who is not signed in gets a line of the books.
func TestClosedBooks(t *testing.T) {
	for _, path := range []string{"/api/v1/morning", "/api/v1/units/CA-14", "/api/v1/people", "/api/v1/audit"} {
		res, err := http.Get(app.address + path)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		if res.StatusCode != http.StatusUnauthorized {
			t.Errorf("%s: %d", path, res.StatusCode)
		}
	}
}

// Typed at a scanner's speed, Enter opens the unit that was typed, and no figure is
// lost after a form's key.
func TestQuickTyping(t *testing.T) {
	b := newTab(t)
	for _, code := range []string{"CA-20", "TK-08", "ca-31"} {
		b.open("/", `[data-line]`)
		b.press("/" + code + kb.Enter)
		b.until(`location.pathname.startsWith('/units/')`)
		if at := js[string](b, `location.pathname`); at != "/units/"+strings.ToUpper(code) {
			t.Errorf("%s opened %s", code, at)
		}
		b.wait(protects)
	}
	// What no unit is called opens none.
	b.open("/", `[data-line]`)
	b.press("/ZZ-99" + kb.Enter)
	b.until(`document.querySelector('header').innerText.includes('ZZ-99') || document.querySelector('[role="listbox"]')`)
	if at := js[string](b, `location.pathname`); at != "/" {
		t.Errorf("a unit that does not exist opened %s", at)
	}
	b.open("/units/CA-20", protects)
	b.press("f-12")
	b.wait(effect)
	if typed := value(b, chromedp.Value(chromedp.CSS(figureBox))); typed != "-12" {
		t.Errorf("the form holds %q of -12", typed)
	}
	if size := js[float64](b, `parseFloat(getComputedStyle(document.querySelector('[data-testid="form-unit"]')).fontSize)`); b.text(`[data-testid="form-unit"]`) != "CA-20" || size < 24 {
		t.Errorf("the form shows %s at %v px", b.text(`[data-testid="form-unit"]`), size)
	}
}

// After a renewal the old discrepancy is gone, with what it proposed.
func TestDisagreementEndsWithARenewal(t *testing.T) {
	b := newTab(t)
	const box = `[aria-label="Book and test disagree"]`
	b.open("/units/TK-28", box)
	if got := b.text(`[data-testid="opening"]`); !strings.Contains(got, "by the book") && !strings.Contains(got, "as measured") {
		t.Errorf("the head %q does not say whether it is measured", got)
	}
	b.press("e")
	b.wait(figureBox)
	b.press("26")
	b.wait(effect)
	b.press(kb.Enter)
	b.wait(`tr[data-kind="renewal"]`)
	b.until(`!document.querySelector('` + box + `')`)
	b.open("/units/TK-28", protects)
	if js[bool](b, `Boolean(document.querySelector('`+box+`'))`) {
		t.Error("the discrepancy of before the renewal is still shown")
	}
	b.calm()
}
