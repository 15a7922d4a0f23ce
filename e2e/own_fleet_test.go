package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"diligentledger/core/measure"
	"diligentledger/internal/importer/messy"
	"diligentledger/internal/testday"
	"diligentledger/internal/testfolder"
)

// field types into the control with a label, over what is there.
func (b *tab) field(label, text string) {
	b.t.Helper()
	b.until(fmt.Sprintf(`[...document.querySelectorAll('label')].some(l => l.textContent.trim().startsWith(%q))`, label))
	js[bool](b, fmt.Sprintf(`(() => {
		const l = [...document.querySelectorAll('label')].find(l => l.textContent.trim().startsWith(%q))
		const i = l.htmlFor ? document.getElementById(l.htmlFor) : l.querySelector('input, textarea, select')
		i.focus()
		if (i.select) i.select()
		return true
	})()`, label))
	b.press(kb.Delete)
	b.do(chromedp.KeyEvent(text))
}

// choose an option, by its value, of the control with a label.
func (b *tab) choose(selector, value string) {
	b.t.Helper()
	b.wait(selector)
	js[bool](b, fmt.Sprintf(`(() => { const s = document.querySelector(%q); s.value = %q; s.dispatchEvent(new Event('change', { bubbles: true })); return s.value === %q })()`, selector, value, value))
}

// press the button or link that reads so.
func (b *tab) pressOn(words string) {
	b.t.Helper()
	find := fmt.Sprintf(`[...document.querySelectorAll('main button, main a')].find(x => x.textContent.trim() === %q && !x.disabled)`, words)
	b.until(find)
	js[chromedp.Void](b, find+`.click()`)
}

// picture of what is open, for the documentation.
func (b *tab) picture(name string) {
	b.t.Helper()
	if *shots == "" || *withOthers {
		return
	}
	b.do(chromedp.Sleep(300 * time.Millisecond))
	if err := os.WriteFile(filepath.Join(*shots, name+".png"), value(b, chromedp.CaptureScreenshot()), 0o644); err != nil {
		b.fail(err)
	}
}

// From the first link of empty books to a Morning made of an office's spreadsheet: the guide, a site, plans and types, a product, the
// dry run with what it asks, and every due day as the file means it.
func TestOwnFleet(t *testing.T) {
	data := filepath.Join(testfolder.New(t), "data")
	p := mustBegin(t, data, "--no-demo", "--zone", "UTC")
	t.Cleanup(func() { _ = p.end() })
	_, rest, ok := strings.Cut(p.output(), "/link/")
	token, _, _ := strings.Cut(rest, "\n")
	if !ok {
		t.Fatalf("no link: %s", p.output())
	}
	before := app.address
	app.address = p.address
	t.Cleanup(func() { app.address = before })
	b := newTabOf(t, "")
	b.open("/link/"+strings.TrimSpace(token), `input[type="password"]`)
	b.field("your name", "N. Harrow")
	b.field("your e-mail address", "harrow@skerrow.example")
	b.field("new password", "tern gravel oilskin noon")
	b.field("the same again", "tern gravel oilskin noon"+kb.Enter)
	// The guide: the fleet, plans and types, the first site.
	b.wait(`[aria-label="The fleet"] form`)
	b.until(`document.querySelectorAll('.starting-line').length > 8`)
	b.picture("first-run")
	b.accessible("the guide of empty books")
	b.field("name of the fleet", "Ness Works"+kb.Enter)
	b.until(`document.querySelector('[aria-label="The fleet"][data-done]')`)
	b.until(`document.querySelectorAll('.starting-line').length > 8`)
	js[chromedp.Void](b, `[...document.querySelectorAll('button')].find(x => x.textContent.includes('chosen')).click()`)
	b.until(`document.querySelector('[aria-label="Service plans and types to start from"][data-done]')`)
	b.field("name (required)", "Main yard")
	b.field("coldest night of each month", "-20; -19; -14; -7; -2; 3; 6; 5; 1; -4; -10")
	b.pressOn("add the site")
	b.until(`document.querySelector('.wrong')?.textContent.includes('12 values')`)
	b.field("coldest night of each month", "-20; -19; -14; -7; -2; 3; 6; 5; 1; -4; -10; -16")
	b.pressOn("add the site")
	b.until(`document.querySelector('[aria-label="The first site"][data-done]')`)
	b.calm()
	b.pressOn("add a product")
	b.field("code (required)", "LL-50")
	b.field("name (required)", "Long-life premix")
	js[bool](b, `(() => { for (const [label, value] of [['glycol (req', 'EG'], ['technology', 'OAT'], ['form', 'premix']]) {
		const l = [...document.querySelectorAll('label')].find(l => l.textContent.startsWith(label)); const s = document.getElementById(l.htmlFor)
		s.value = value; s.dispatchEvent(new Event('change', { bubbles: true })) } return true })()`)
	b.field("glycol in the can", "50")
	b.pressOn("add the product")
	b.wait(`[data-record="LL-50"]`)
	// The spreadsheet.
	sheet := filepath.Join(data, "fleet list.csv")
	if err := os.WriteFile(sheet, messy.CSV(testday.Now().UTC()), 0o600); err != nil {
		t.Fatal(err)
	}
	b.open("/import", `input[type="file"]`)
	b.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type="file"]`), []string{sheet}))
	b.wait(`[data-column="Unit no."]`)
	for i, head := range messy.Rows(testday.Now())[2] {
		if got := js[string](b, fmt.Sprintf(`document.querySelector('[data-column=%q] select').value`, head)); got != messy.Targets[i] {
			b.choose(fmt.Sprintf(`[data-column=%q] select`, head), messy.Targets[i])
		}
	}
	b.pressOn("check: a dry run")
	answers := map[string]string{"plan car": "Car, long-life coolant", "plan truck": "Heavy truck", "plan motorcycle": "Motorcycle", "plan boat": "Boat diesel with heat exchanger",
		"emptied": "yes", "today": "yes", "product": "LL-50", "type car": "Small car, radiator cap"}
	// What is asked depends on what was answered: until nothing is asked any more.
	for round := 0; ; round++ {
		b.until(`document.querySelector('.import-counts[data-state="checked"]')`)
		asked := js[string](b, `JSON.stringify([...document.querySelectorAll('.import-question')].filter(q => q.querySelector('select')?.value === '?').map(q => q.dataset.question))`)
		var questions []string
		if err := json.Unmarshal([]byte(asked), &questions); err != nil {
			t.Fatal(err)
		}
		if len(questions) == 0 || round == 6 {
			break
		}
		for _, q := range questions {
			if answers[q] == "" {
				t.Fatalf("asked %q", q)
			}
			b.choose(fmt.Sprintf(`[data-question=%q] select`, q), answers[q])
		}
		if doubtful := js[bool](b, `Boolean(document.querySelector('.tick input:not(:checked)'))`); doubtful {
			js[chromedp.Void](b, `document.querySelector('.tick input').click()`)
		}
		b.pressOn("check again")
		b.do(chromedp.Sleep(time.Second))
		b.until(`document.querySelector('main').innerText.includes('checked: nothing is taken yet') && !document.querySelector('progress')`)
	}
	if doubtful := js[bool](b, `Boolean(document.querySelector('.tick input:not(:checked)'))`); doubtful {
		js[chromedp.Void](b, `document.querySelector('.tick input').click()`)
		b.pressOn("check again")
		b.do(chromedp.Sleep(1500 * time.Millisecond))
		b.until(`document.querySelector('.import-counts[data-state="checked"]') && !document.querySelector('progress')`)
	}
	b.picture("import")
	b.accessible("a dry run")
	for _, wrong := range messy.Wrong {
		b.until(fmt.Sprintf(`document.querySelector('[aria-label="Cells that are not taken"]').innerText.includes(%q)`, wrong))
	}
	b.pressOn("take the good rows")
	b.until(`document.querySelector('.import-counts[data-state="done"]')`)
	b.until(`document.querySelectorAll('[data-claim]').length > 50`)
	b.calm()
	b.pressOn("open the Morning")
	b.wait(`.morning-line`)
	total := js[int](b, `[...document.querySelectorAll('.heading .figures')].map(x => Number(x.textContent)).reduce((a, b) => a + b, 0)`)
	if total < messy.Units-len(messy.Wrong) {
		t.Errorf("%d lines in the Morning", total)
	}
	// Each due day: the renewal, and the months of its plan.
	months := map[string]int{"car": 36, "truck": 36, "motorcycle": 36, "boat": 24}
	for _, u := range messy.Fleet(testday.Now().UTC()) {
		if _, wrong := messy.Wrong[u.Code]; wrong {
			continue
		}
		text := js[string](b, fmt.Sprintf(`fetch('/api/v1/units/%s').then(r => r.json()).then(a => a.status.clocks.find(c => c.kind === 'age')?.due ?? '')`, u.Code))
		if want := measure.DateOf(u.Changed, time.UTC).AddMonths(months[u.Kind]).String(); text != want {
			t.Errorf("%s changed on %s is due on %q, want %s", u.Code, u.Changed.Format(time.DateOnly), text, want)
		}
	}
	// Its registered facts, changed from a day on, and undone.
	b.open("/register/unit/V-01", `[data-fact="capacity"]`)
	b.pressOn("change")
	b.field("capacity", "7.5 L")
	b.choose(`.since select`, "day")
	b.field("from", "yesterday")
	b.until(`document.querySelector('[data-testid="record-effect"]')?.innerText.includes('change status') || document.querySelector('[data-testid="record-effect"]')?.innerText.includes('No unit would')`)
	b.pressOn("save")
	b.until(`document.querySelector('[data-fact="capacity"]')?.innerText.includes('7.5')`)
	b.until(`document.querySelector('[aria-label="History"]').innerText.includes('from ')`)
	js[chromedp.Void](b, `document.querySelector('[aria-label="History"] button').click()`)
	b.until(`!document.querySelector('[data-fact="capacity"]')?.innerText.includes('7.5')`)
	// A further circuit: refused without a capacity, added, ended, reopened.
	b.pressOn("add a circuit")
	b.pressOn("add the circuit")
	b.until(`document.querySelector('form[aria-label="New circuit of V-01"] .wrong')?.textContent.includes('capacity')`)
	b.choose(`form[aria-label="New circuit of V-01"] select`, "inverter")
	b.field("capacity", "3.2 L")
	b.pressOn("add the circuit")
	b.wait(`[data-circuit="V-01 inverter"]`)
	b.accessible("the circuits of a unit")
	b.click(`[aria-label="end from today on: V-01 inverter"]`)
	b.wait(`[aria-label="reopen V-01 inverter"]`)
	b.click(`[aria-label="reopen V-01 inverter"]`)
	b.wait(`[aria-label="end from today on: V-01 inverter"]`)
	b.view("/register/unit/V-01", `[data-circuit="V-01 inverter"]`, 390, 844, true)
	b.pressOn("add a circuit")
	b.accessible("the circuits of a unit on a phone, dark")
	if wide := js[int](b, `document.documentElement.scrollWidth`); wide > 390 {
		t.Errorf("the circuits are %d px wide on a phone of 390", wide)
	}
	js[chromedp.Void](b, `document.querySelector('[aria-label="Circuits"]').scrollIntoView()`)
	b.picture("zz-circuits-phone")
	b.calm()
}
