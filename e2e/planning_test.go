package e2e

import (
	"diligentledger/core/climate"
	"diligentledger/core/serviceplan"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/demo"
	"diligentledger/internal/store"
	"diligentledger/internal/testday"
)

// Lines and a span are picked on the Horizon and sent to the work list; the work
// stands in brackets on its line, gets other days, and is taken off again.
func TestPickAndSend(t *testing.T) {
	b := newTab(t)
	b.open("/horizon?kind=motorcycle", `[data-unit="MC-03"]`)
	send := `[...document.querySelectorAll('button')].find(x => x.ariaLabel?.includes('to the work list'))`
	b.click(`[aria-label="pick MC-03"]`)
	js[chromedp.Void](b, `document.querySelector('[data-unit="MC-08"]').focus()`)
	b.press(" ")
	b.until(send + `.innerText.trim() === 'add 2 units to the work list'`)
	js[chromedp.Void](b, send+`.click()`)
	b.until(`document.querySelector('[data-testid="sent"]')?.innerText.startsWith('2 units added to the work list.')`)
	b.wait(`[data-unit="MC-03"] [data-planned]`)
	b.wait(`[data-unit="MC-08"] [data-planned]`)
	// The pointer may come to lie over another line as the page moves: focus again.
	b.until(`(document.activeElement.blur(), document.querySelector('[data-unit="MC-03"]').focus(), document.querySelector('` + sentence + `').innerText.includes('On the work list: renewal, '))`)

	// A span by dragging across the months picks what runs out in it, and nothing else.
	b.open("/horizon?zoom=3", `[data-unit]`)
	js[chromedp.Void](b, `(() => { const e = document.querySelector('[data-testid="months"]'), r = e.getBoundingClientRect();
		const at = (type, share) => e.dispatchEvent(new PointerEvent(type, { bubbles: true, pointerId: 1, clientX: r.left + share * r.width, clientY: r.top + 5 }));
		e.setPointerCapture = () => {}; e.hasPointerCapture = () => true;
		at('pointerdown', 0.1); at('pointermove', 0.3); at('pointermove', 0.5); at('pointerup', 0.5) })()`)
	b.until(`[...document.querySelectorAll('[data-testid="pick-bar"] input')].every(i => i.value) && ` + send + `.getAttribute('aria-disabled') !== 'true'`)
	if span := js[[]string](b, `[...document.querySelectorAll('[data-testid="pick-bar"] input')].map(i => new Date(i.value).toISOString())`); span[0] >= span[1] {
		t.Errorf("the span is %v", span)
	}
	b.until(`/By the likeliest day \d+ units? runs? out in these days; \d+ more may\./.test(document.querySelector('[data-testid="pick-bar"]').innerText)`)

	b.press("p")
	b.wait(`.board`)
	b.open("/plan/list", `[data-planned="MC-03"]`)
	js[chromedp.Void](b, `document.querySelector('[aria-label="change the days of MC-03"]').click()`)
	form := `form[aria-label="Days of the work"]`
	b.wait(form)
	day := func(label string, ahead int) {
		js[chromedp.Void](b, `(() => { const i = [...document.querySelectorAll('`+form+` label')].find(l => l.innerText === '`+label+`').parentElement.querySelector('input');
			Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(i, '`+testday.Now().AddDate(0, 0, ahead).Format(time.DateOnly)+`');
			i.dispatchEvent(new Event('input', { bubbles: true })) })()`)
	}
	day("from", 40)
	day("to", 38)
	b.until(`!document.querySelector('` + form + ` button').disabled`)
	js[chromedp.Void](b, `document.querySelector('`+form+` button').click()`)
	b.until(`document.querySelector('` + form + `').innerText.includes('a day not before')`)
	day("to", 44)
	b.until(`!document.querySelector('` + form + ` button').disabled`)
	js[chromedp.Void](b, `document.querySelector('`+form+` button').click()`)
	b.until(`!document.querySelector('` + form + `')`)
	for _, code := range []string{"MC-03", "MC-08"} {
		js[chromedp.Void](b, `document.querySelector('[aria-label="remove `+code+`"]').click()`)
		b.until(`!document.querySelector('[data-planned="` + code + `"]')`)
	}
	b.until(`document.querySelector('[aria-label="Past their days"]').innerText.includes('CA-47')`)
	b.until(`document.querySelector('[aria-label="Done by the books"]').innerText.includes('CA-43')`)
	b.calm()
}

// The person who is not the coordinator sees the plan and changes nothing.
func TestPlanOfATechnician(t *testing.T) {
	b := newTabOf(t, "quayle@skerrow.example")
	b.open("/plan/list", `[data-planned]`)
	if n := js[int](b, `document.querySelectorAll('[data-planned] button').length`); n != 0 {
		t.Errorf("a technician has %d buttons on the work list", n)
	}
	b.open("/horizon", `[data-unit]`)
	if n := js[int](b, `document.querySelectorAll('[data-testid="pick-bar"], input[type="checkbox"]').length`); n != 0 {
		t.Errorf("a technician may pick: %d", n)
	}
	b.calm()
}

// How cautious a site's cold is can be set, and a wrong number is refused by its
// field; a kind is put on a plan after a look at what that does.
func TestSitesAndKinds(t *testing.T) {
	b := newTab(t)
	site := `[data-site="Airstrip"]`
	b.open("/register", site)
	b.until(`document.querySelector('` + site + `').innerText.includes('12 years of nights') && document.querySelector('` + site + `').innerText.includes('forecast for')`)
	inputs := `document.querySelectorAll('` + site + ` input')`
	const zone, winters = "0", "1"
	for _, c := range []struct{ field, typed, says string }{
		{winters, "often", "“often” is not a whole number"}, {winters, "900", "accepted: 2 to 200"}, {winters, "60", "Changed"}, {winters, "50", "Changed"},
		{zone, "Nowhere/City", `Nowhere/City" is not accepted`}, {zone, "Atlantic/Azores", "Changed"},
	} {
		js[chromedp.Void](b, inputs+`[`+c.field+`].focus(); `+inputs+`[`+c.field+`].select()`)
		b.press(c.typed + kb.Enter)
		b.until(`document.querySelector('` + site + `').innerText.includes('` + c.says + `')`)
	}
	choose := func(label, value string) {
		js[chromedp.Void](b, `(() => { const s = [...document.querySelectorAll('form[aria-label="Put units on a service plan"] label')].find(l => l.innerText === '`+label+`').parentElement.querySelector('select');
			s.value = [...s.options].find(o => o.text === '`+value+`').value; s.dispatchEvent(new Event('change', { bubbles: true })) })()`)
	}
	choose("what", "all motorcycles")
	choose("service plan", "Pool car")
	b.until(`/This change makes|No unit would stand/.test(document.querySelector('[data-testid="move-effect"]').innerText)`)
	b.calm()
}

// A quiet day looks quiet: what must not move and what is due say so in a line
// each, and no other section is there but what is sound.
func TestQuietMorning(t *testing.T) {
	f := demo.Fleet(testday.Now())
	product := f.Products[slices.IndexFunc(f.Products, func(p coolant.Product) bool { return p.Code == "NORD-OAT-50" })]
	quiet := store.LoadedFleet{Name: "quiet", Products: f.Products, Plans: []serviceplan.Plan{{Name: "Car", Later: serviceplan.Interval{Months: 60}, FreezeMargin: 3, TestMonths: 12}}}
	for _, code := range []string{"CA-01", "CA-02", "CA-03"} {
		u := store.LoadedUnit{UnitName: store.UnitName{Code: code, Name: "pool car", Kind: "car", Site: "Quiet yard"}, Plan: "Car", Capacity: 6, Base: coolant.EG}
		zero := 0.0
		for i, body := range []ledger.Body{ledger.Renewal{Volume: measure.Reading{Value: 6, Unit: measure.L}, Product: product}, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"},
			ledger.FreezeTest{Value: measure.Reading{Value: -37, Unit: measure.DegC}, Instrument: ledger.Refractometer, Scale: coolant.EG, Zero: &zero}} {
			at := testday.Now().AddDate(0, 0, 2*i-20)
			u.Entries = append(u.Entries, ledger.Entry{ID: "0198f3c4-0000-7000-8000-0000000" + code[3:] + "00" + string(rune('0'+i)), Unit: code, At: at, RecordedAt: at, RecordedBy: "E. Marrow", Body: body})
		}
		quiet.Units = append(quiet.Units, u)
	}
	quiet.Sites = []store.LoadedSite{{Name: "Quiet yard", Cold: climate.MonthlyCurve{-9, -9, -6, -2, 1, 4, 7, 7, 4, 0, -4, -7}}}
	withFleet(t, quiet, "unit_status", "planned", "account", "entry", "circuit", "unit", "plan", "product", "installation")
	b := newTab(t)
	b.open("/", `[data-line]`)
	b.keep("morning-quiet")
	got := js[[]string](b, `[...document.querySelectorAll('main section')].map(s => s.ariaLabel + ' ' + s.querySelectorAll('li').length)`)
	if want := []string{"Must not move 0", "Due, soonest first 0", "Sound 3"}; !slices.Equal(got, want) {
		t.Errorf("the sections are %q, want %q", got, want)
	}
	if text := b.text("main"); !strings.Contains(text, "Nothing is on hold.") || !strings.Contains(text, "Nothing is due within a month.") {
		t.Errorf("the morning says %q", text)
	}
	b.calm()
}

// On a phone a touch shows why a line stands where it does; from there it is opened,
// or picked and sent to the work list.
func TestHorizonOnAPhone(t *testing.T) {
	b := newTab(t)
	b.view("/horizon?kind=motorcycle", `[data-unit="MC-05"]`, 390, 844, false)
	// A finger leaves no pointer behind that hovers over another line once the bar moves the lines down.
	js[chromedp.Void](b, `document.querySelector('[data-unit="MC-05"]').click()`)
	b.until(`document.querySelector('` + sentence + `').innerText.includes('MC-05') && location.pathname === '/horizon'`)
	inSentence := func(words string) string {
		return `[...document.querySelectorAll('` + sentence + ` button')].find(x => x.innerText === '` + words + `')`
	}
	js[chromedp.Void](b, inSentence("select for the work list")+`.click()`)
	b.until(inSentence("unselect") + ` && document.querySelector('[data-unit="MC-05"]').ariaLabel.endsWith(', selected')`)
	b.keep("horizon-phone-picked")
	b.accessible("horizon on a phone, one line picked")
	js[chromedp.Void](b, `[...document.querySelectorAll('[data-testid="pick-bar"] button')].find(x => x.offsetHeight >= 44 && x.innerText.trim() === 'add 1 unit').click()`)
	b.until(`document.querySelector('[data-testid="sent"]')?.innerText.startsWith('1 unit added to the work list.')`)
	js[chromedp.Void](b, `[...document.querySelectorAll('[data-testid="sent"] button')].find(x => x.innerText === 'undo').click()`)
	b.until(`!document.querySelector('[data-testid="sent"]')`)
	b.click(sentence + ` a`)
	b.until(`location.pathname === '/units/MC-05'`)
	b.calm()
}

// On a phone, too, every line of the Morning has its one action, large enough for a glove.
func TestMorningOnAPhone(t *testing.T) {
	b := newTab(t)
	b.view("/", `[data-line]`, 390, 844, false)
	without := js[[]string](b, `[...document.querySelectorAll('main li')].filter(l => l.querySelector('[data-line]'))
		.filter(l => ![...l.querySelectorAll('a:not([data-line])')].some(a => a.offsetHeight >= 44 && a.innerText !== '')).map(l => l.innerText)`)
	if len(without) > 0 {
		t.Errorf("no action: %q", without)
	}
	if n := js[int](b, `document.querySelectorAll('main li [data-line]').length`); n < 20 {
		t.Errorf("%d lines", n)
	}
}
