package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"
)

// keys counts what is pressed, and holds the focus to what WCAG 2.2 asks of it.
type keys struct {
	*tab
	pressed int
}

// key is pressed; the focus is then on an element that shows it, with a ring of at least 2 px.
func (k *keys) key(name string) {
	k.t.Helper()
	k.press(name)
	k.pressed++
}

// tabTo presses Tab until the focus is on what a selector finds.
func (k *keys) tabTo(selector string) {
	k.t.Helper()
	for range 80 {
		k.key(kb.Tab)
		state := js[[]string](k.tab, fmt.Sprintf(`(() => { const e = document.activeElement; const s = getComputedStyle(e);
			const ring = parseFloat(s.outlineWidth) >= 2 && s.outlineStyle !== 'none' || e.type === 'checkbox';
			return [e === document.body ? 'body' : '', ring ? '' : 'no ring on ' + e.outerHTML.slice(0, 120), e.matches(%q) ? 'there' : ''] })()`, selector))
		if state[0] != "" || state[1] != "" {
			k.t.Errorf("on the way to %s: the focus is on the body (%q), %s", selector, state[0], state[1])
		}
		if state[2] != "" {
			return
		}
	}
	k.t.Fatalf("Tab does not come to %s", selector)
}

// By the keyboard alone: what must not move, what is due in a month, a freeze test, a hold and its
// release. Each task begins where the one before ended.
func TestByKeyboard(t *testing.T) {
	b := &keys{tab: newTab(t)}
	b.open("/", `section[aria-label="Must not move"] [data-line]`)
	task := func(name string, do func()) {
		t.Helper()
		before := b.pressed
		do()
		if js[bool](b.tab, `document.activeElement === document.body`) {
			t.Errorf("%s: the focus falls to the body", name)
		}
		t.Logf("%s: %d keys", name, b.pressed-before)
	}
	task("what must not move, and why", func() {
		b.key("j")
		b.until(`document.activeElement.matches('section[aria-label="Must not move"] [data-line]')`)
		code := js[string](b.tab, `document.activeElement.innerText`)
		b.key(kb.Enter)
		b.until(`location.pathname === '/units/` + code + `' && document.querySelector('[data-testid="opening"]')?.innerText.startsWith('hold')`)
	})
	first, last := busyMonth(t)
	task("what runs out in a month goes to the work list", func() {
		b.key("h")
		b.wait(`[data-unit]`)
		b.tabTo(`[data-testid="pick-bar"] input`)
		b.key(typedDay(first))
		b.key(kb.Tab)
		b.key(typedDay(last))
		b.until(`/add [1-9]\d* units?/.test(document.querySelector('[data-testid="pick-bar"]').innerText)`)
		for !js[bool](b.tab, `document.activeElement.innerText.startsWith('add ')`) {
			b.tabTo(`button`)
		}
		b.key(kb.Enter)
		b.until(`document.querySelector('[data-testid="pick-bar"]').innerText.includes('added to the work list')`)
	})
	task("a freeze test", func() {
		b.key("/")
		b.until(`document.activeElement.matches('header input')`)
		b.key("ca 07")
		b.until(`document.activeElement.value === 'ca 07'`)
		b.key(kb.Enter)
		b.until(`location.pathname === '/units/CA-07'`)
		b.wait(wholeLedger)
		b.key("f")
		b.wait(figureBox)
		b.key("-36")
		b.until(`document.querySelector('[data-testid="effect"]') && !document.querySelector('form button[type="submit"]').disabled`)
		b.key(kb.Enter)
		// Wait for the confirmation: an earlier test may have recorded the same value.
		b.until(`document.querySelector('form [role="status"]')?.innerText === 'Freeze test recorded.'`)
		b.until(`document.querySelector('tr[data-kind="freeze_test"]').innerText.replace('−', '-').includes('-36')`)
	})
	held := func(is bool) {
		t.Helper()
		b.until(fmt.Sprintf(`document.querySelector('[data-testid="opening"]').innerText.startsWith('hold') === %v`, is))
	}
	entry := func(kind, words string) {
		t.Helper()
		b.key("n")
		b.key(kind)
		b.wait(`form[aria-label="Record an entry"]`)
		b.key(words)
		b.until(`document.querySelector('[data-testid="effect"]') && !document.querySelector('form button[type="submit"]').disabled`)
		b.key(kb.Enter)
	}
	b.key(kb.Escape)
	b.until(`!document.querySelector('form[aria-label="Record an entry"]')`)
	task("a hold", func() { entry("x", "clamp loose"); held(true) })
	b.key(kb.Escape)
	b.until(`!document.querySelector('form[aria-label="Record an entry"]')`)
	task("its release", func() { entry("a", "clamp tightened, tested"); held(false) })
	if lines := js[string](b.tab, `document.querySelector('tr[data-kind="release"]').innerText`); !strings.Contains(lines, "clamp tightened") {
		t.Errorf("the release says %q", lines)
	}
	b.calm()
}
