package e2e

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"diligentledger/core/forecast"
	"diligentledger/internal/demo"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/store"
	"diligentledger/internal/testfolder"
)

const sentence = `[data-testid="sentence"]`

// The Horizon: its state is its address, its windows say why, and the same rows
// stand as a table and as a file.
func TestHorizon(t *testing.T) {
	b := newTab(t)
	b.open("/", `[data-line]`)
	b.press("h")
	b.wait(`[data-unit="AV-02"]`)
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
	b.until(`document.querySelector('main').innerText.includes('Take a filter back')`)
	b.calm()
}

// Ten thousand units: only the lines in sight are drawn, and the last is reached
// by scrolling.
func TestHorizonOfTenThousand(t *testing.T) {
	data := testfolder.New(t)
	p := mustBegin(t, data)
	instance, err := mariadb.Attach(data)
	if err != nil {
		t.Fatal(err)
	}
	owner, err := store.Open(instance.OwnerDSN(), time.Now)
	if err != nil {
		t.Fatal(err)
	}
	defer owner.Close()
	f := demo.Fleet(time.Now())
	many := store.LoadedFleet{Name: "many", Sites: []store.LoadedSite{{Name: "Far yard", Cold: f.Sites[0].Cold}}, Plans: []forecast.Plan{{Name: "Far plan", Later: forecast.Interval{Months: 36}, FreezeMargin: 3}}}
	for i := range 10_000 {
		many.Units = append(many.Units, store.LoadedUnit{UnitName: store.UnitName{Code: fmt.Sprintf("X-%05d", i), Name: "a unit with a name that is a good deal longer than there is room for on its line", Kind: "car", Site: "Far yard"},
			Plan: "Far plan", Capacity: 6})
	}
	if _, err := owner.DB().ExecContext(context.Background(), `DELETE FROM installation`); err != nil {
		t.Fatal(err)
	}
	if err := owner.Load(t.Context(), many); err != nil {
		t.Fatal(err)
	}
	old := app
	app = p
	defer func() { app = old }()
	b := newTab(t)
	b.open("/horizon", `[data-unit]`)
	b.until(`document.querySelector('[data-testid="count"]').innerText.startsWith('10,062')`)
	if drawn := js[int](b, `document.querySelectorAll('[data-unit]').length`); drawn > 80 {
		t.Errorf("%d lines are drawn", drawn)
	}
	js[chromedp.Void](b, `document.querySelector('[data-testid="horizon"]').scrollTo(0, 1e9)`)
	b.until(`[...document.querySelectorAll('[data-index]')].some(x => x.dataset.index === '10061')`)
	b.calm()
}

// A plan is changed in the register after a look at what that does.
func TestPlanEditor(t *testing.T) {
	b := newTab(t)
	b.open("/register", `[data-plan="Boat diesel"]`)
	b.click(`[data-plan="Boat diesel"] button`)
	b.until(`document.querySelector('[data-testid="plan-effect"]')?.innerText.includes('No unit would stand otherwise')`)
	field := `[...document.querySelectorAll('form[aria-label="Change Boat diesel"] label')].find(l => l.innerText === 'later, months').parentElement.querySelector('input')`
	js[chromedp.Void](b, field+`.focus(); `+field+`.select()`)
	b.press("6")
	b.until(`/makes \d+ units? due within the month/.test(document.querySelector('[data-testid="plan-effect"]').innerText)`)
	js[chromedp.Void](b, field+`.select()`)
	b.press("some")
	b.until(`document.querySelector('form[aria-label="Change Boat diesel"]').innerText.includes('“some” is not a number')`)
	js[chromedp.Void](b, field+`.select()`)
	b.press("18" + kb.Enter)
	b.until(`document.querySelector('[data-plan="Boat diesel"]').innerText.includes('later 18 mo or 1,000 h') && !document.querySelector('form[aria-label="Change Boat diesel"]')`)
	b.until(`document.querySelector('[aria-label="Audit"]').innerText.includes('changed a plan: Boat diesel')`)
	b.calm()
}
