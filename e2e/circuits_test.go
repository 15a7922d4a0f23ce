package e2e

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"diligentledger/internal/testfolder"
)

// morningLine is what the Morning says of a unit; empty when it has no line.
func (b *tab) morningLine(code string) string {
	b.t.Helper()
	b.open("/", `[data-line]`)
	return js[string](b, `[...document.querySelectorAll('.morning-line')].find(l => l.querySelector('.code').innerText.replace(/\s+/g, ' ').trim() === '`+code+`')?.innerText ?? ''`)
}

// A boat whose raw-water side is wet is held before its first frost; the Morning leads to the form,
// and once it is recorded as drained the boat is not held any more.
func TestWetRawWater(t *testing.T) {
	b := newTab(t)
	if line := b.morningLine("HB-16"); !strings.Contains(line, "hold") || !strings.Contains(line, "raw-water side is wet") || !strings.Contains(line, "record raw water") {
		t.Fatalf("the Morning says %q", line)
	}
	b.do(chromedp.Click(chromedp.CSS(`a[aria-label="record raw water: HB-16"]`)))
	b.wait(formUnit)
	js[chromedp.Void](b, `document.querySelector('.buttons input[value="drained"]').click()`)
	b.wait(effect)
	b.do(chromedp.Click(chromedp.CSS(submitEntry)))
	b.until(`document.querySelector('main')?.innerText.includes('Raw-water side recorded.')`)
	b.until(`document.querySelector('[data-clock="raw_water"]')?.innerText.includes('was drained')`)
	if line := b.morningLine("HB-16"); strings.Contains(line, "hold") {
		t.Errorf("drained, and the Morning says %q", line)
	}
	b.calm()
}

// A unit with two engines is one line, named with its circuit; a hold of one holds the unit; what
// belongs to the unit is offered in its first circuit alone.
func TestCircuitsOnScreen(t *testing.T) {
	b := newTab(t)
	b.open("/units/HB-14", `.circuits`)
	b.until(`location.pathname === '/units/HB-14%20port'`)
	b.wait(`.ways`)
	if got := b.text(`.ways`); !strings.Contains(got, "meter") {
		t.Errorf("the first circuit offers %q", got)
	}
	js[chromedp.Void](b, `[...document.querySelectorAll('.circuit')].find(c => c.innerText.includes('starboard')).click()`)
	b.until(`document.querySelector('h1')?.innerText === 'HB-14 starboard'`)
	b.until(`document.querySelector('.ways') && !document.querySelector('.ways').innerText.includes('meter')`)
	b.open("/units/HB-14%20starboard?write=hold", formUnit)
	b.typeIn(`form[aria-label="Record an entry"] input`, "weeps at the exchanger")
	b.wait(effect)
	b.do(chromedp.Click(chromedp.CSS(submitEntry)))
	b.until(`document.querySelector('.circuits')?.innerText.includes('hold')`)
	if line := b.morningLine("HB-14 starboard"); !strings.Contains(line, "hold") || !strings.Contains(line, "weeps at the exchanger") {
		t.Errorf("starboard is held, and the Morning says %q", line)
	}
	b.open("/horizon?verdict=hold", `[data-unit="HB-14"]`)
	if got := js[int](b, `document.querySelectorAll('[data-unit="HB-14"]').length`); got != 1 {
		t.Errorf("the Horizon has %d lines of it", got)
	}
	b.open("/units/HB-14%20starboard?write=release", formUnit)
	b.typeIn(`form[aria-label="Record an entry"] input`, "sealed")
	b.wait(effect)
	b.do(chromedp.Click(chromedp.CSS(submitEntry)))
	b.until(`document.querySelector('.circuits') && !document.querySelector('.circuits').innerText.includes('hold')`)
	// Ordinary coolant is refused where high voltage is cooled, before anything is recorded.
	b.open("/units/CA-62%20battery?write=renewal&emptied=yes", figureBox)
	b.typeIn(figureBox, "12")
	js[chromedp.Void](b, `(() => { const s = [...document.querySelectorAll('form select')].find(s => [...s.options].some(o => o.value === 'NORD-OAT-50'));
		s.value = 'NORD-OAT-50'; s.dispatchEvent(new Event('change', { bubbles: true })); })()`)
	b.until(inForm + `?.includes('low-conductivity coolant only')`)
	b.discard()
	b.calm()
}

// The command gives a unit a circuit, renames the first one and ends the new one, beside the running
// program; every chain holds.
func TestCircuitCommand(t *testing.T) {
	data := testfolder.New(t)
	p := mustBegin(t, data)
	diligent := commandOn(t, data)
	for _, c := range []struct {
		args []string
		ok   bool
		says string
	}{
		{[]string{"circuit", "rename", "HB-02", "port"}, true, "done"},
		{[]string{"circuit", "add", "HB-02", "starboard", "--capacity", "22", "--base", "PG", "--by", "E. Marrow"}, true, "done"},
		{[]string{"circuit", "add", "HB-02", "starboard", "--capacity", "22"}, false, "has or had a circuit of that name"},
		{[]string{"circuit", "add", "HB-02", "inverter"}, false, "--capacity 0 is not accepted"},
		{[]string{"circuit", "add", "HB-02", "bilge", "--capacity", "2"}, false, "accepted: [engine port"},
		{[]string{"circuit", "end", "HB-02"}, false, "first circuit"},
		{[]string{"circuit"}, false, "usage: diligent circuit"},
	} {
		if said, ok := diligent(c.args...); ok != c.ok || !strings.Contains(said, c.says) {
			t.Errorf("%v: %v %s", c.args, ok, said)
		}
	}
	if got := p.get(t, "/api/v1/units/HB-02%20port"); !strings.Contains(got, `"circuit":"starboard"`) {
		t.Errorf("after it was added: %.300s", got)
	}
	if said, ok := diligent("circuit", "end", "HB-02 starboard"); !ok {
		t.Errorf("end: %s", said)
	}
	if got := p.get(t, "/api/v1/units/HB-02"); strings.Contains(got, `"circuits":`) {
		t.Errorf("after it ended: %.300s", got)
	}
	for _, c := range []struct {
		args []string
		ok   bool
		says string
	}{
		{[]string{"unit", "HB-11", "--raw-water", "no"}, true, "done"},
		{[]string{"unit", "CA-09", "--winters", "Hill garage", "--colder", "4", "--heated", "yes", "--second-meter", "h"}, true, "done"},
		{[]string{"unit", "CA-09", "--winters", "Atlantis"}, false, "no such site"},
		{[]string{"unit", "CA-09", "--colder", "-3"}, false, "accepted: 0 to 30"},
		{[]string{"unit", "CA-09", "--second-meter", "km"}, false, "the one that the unit does not have"},
		{[]string{"unit", "CA-09", "--raw-water", "yes"}, false, "of a boat"},
		{[]string{"unit", "CA-09", "--heated", "perhaps"}, false, "accepted: [no yes]"},
		{[]string{"unit", "XX-99", "--heated", "no"}, false, "no such unit"},
		{[]string{"unit"}, false, "usage: diligent unit"},
	} {
		if said, ok := diligent(c.args...); ok != c.ok || !strings.Contains(said, c.says) {
			t.Errorf("%v: %v %s", c.args, ok, said)
		}
	}
	if got := p.get(t, "/api/v1/units/HB-11"); strings.Contains(got, `"kind":"raw_water"`) {
		t.Errorf("keel-cooled, and it has a raw-water clock: %.300s", got)
	}
	if got := p.get(t, "/api/v1/units/CA-09"); !strings.Contains(got, "Hill garage") || !strings.Contains(got, "heated storage") || !strings.Contains(got, `"secondMeterUnit":"h"`) {
		t.Errorf("CA-09 was changed: %.600s", got)
	}
	if said, ok := diligent("verify"); !ok || !strings.Contains(said, "every chain holds") {
		t.Errorf("verify: %s", said)
	}
}
