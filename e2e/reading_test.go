package e2e

import (
	"testing"
)

// A reader chooses units and dates once, and every screen has them; a reading stays in the unit
// it was read in. The next reader has their own.
func TestUnitsAndDates(t *testing.T) {
	b := newTabOf(t, "sund@skerrow.example")
	set := func(temperature, dates string) {
		b.click(`[aria-label^="signed in as"]`)
		b.click(`[data-value="reading"]`)
		form := `form[aria-label="Units and dates"]`
		b.wait(form)
		for i, value := range map[int]string{0: temperature, 1: map[string]string{"degC": "L", "degF": "qt_us"}[temperature], 4: dates} {
			js[any](b, `(() => { const s = document.querySelectorAll('`+form+` select')[`+string(rune('0'+i))+`];
				s.value = '`+value+`'; s.dispatchEvent(new Event('change', { bubbles: true })) })()`)
		}
		b.click(form + ` button[type="submit"]`)
		b.until(`!document.querySelector('` + form + `')`)
	}
	b.open("/units/CA-31", protects)
	set("degF", "mdy")
	b.until(`/°F$/.test(document.querySelector('` + protects + `').innerText)`)
	b.until(`(t => t.includes('freezes °F') && /−23\s°C, EG scale/.test(t))(document.querySelector('[aria-label="Ledger"]').innerText)`)
	b.until(`/\d\d\/\d\d\/\d\d/.test(document.querySelector('[data-line]').innerText)`)
	b.keep("account-us")
	b.open("/", `[data-line]`)
	b.until(`document.body.innerText.includes('°F') && !document.body.innerText.includes('°C')`)
	b.open("/horizon", `[data-unit]`)
	set("degC", "dmy")
	b.open("/units/CA-31", protects)
	b.until(`/°C$/.test(document.querySelector('` + protects + `').innerText)`)
	b.calm()
}

// A number that may be meant two ways is asked about under its field; the format that a person chose reads it, and the
// form repeats it in
// its unit before it is recorded.
func TestNumberFormat(t *testing.T) {
	b := newTabOf(t, "sund@skerrow.example")
	set := func(numbers string) {
		b.click(`[aria-label^="signed in as"]`)
		b.click(`[data-value="reading"]`)
		form := `form[aria-label="Units and dates"]`
		b.wait(form)
		js[any](b, `(() => { const s = document.querySelectorAll('`+form+` select')[5];
			s.value = '`+numbers+`'; s.dispatchEvent(new Event('change', { bubbles: true })) })()`)
		b.keep("units-and-dates")
		b.click(form + ` button[type="submit"]`)
		b.until(`!document.querySelector('` + form + `')`)
	}
	b.open("/units/CA-31?write=meter", figureBox)
	b.typeIn(figureBox, "99.500")
	b.until(`document.body.innerText.includes("99500 or 99.5")`)
	b.keep("number-asked")
	set("comma")
	b.open("/units/CA-31?write=meter", figureBox)
	b.set(figureBox, "99.500")
	b.wait(effect)
	b.until(`document.querySelector('` + effect + `').innerText.includes("Read as 99,500\u00a0km.") && document.body.innerText.includes("Numbers are read as in 12.500,5.")`)
	b.keep("number-read")
	set("either")
	b.calm()
}
