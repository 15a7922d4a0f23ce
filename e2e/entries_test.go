package e2e

import (
	"encoding/csv"
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"diligentledger/internal/testday"
)

// file is what a button hands over as a file: its name, and its rows.
func (b *tab) file(button string) (name string, rows [][]string) {
	b.t.Helper()
	js[chromedp.Void](b, `window.taken = undefined; URL.createObjectURL = blob => { window.blob = blob; return '#' };
		HTMLAnchorElement.prototype.click = function () { const name = this.download; void window.blob.text().then(text => { window.taken = [name, text] }) }`)
	js[chromedp.Void](b, fmt.Sprintf(`[...document.querySelectorAll('main button')].filter(x => x.innerText.trim() === %q).at(-1).click()`, button))
	b.until(`window.taken !== undefined`)
	taken := js[[]string](b, `window.taken`)
	rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(taken[1], "\ufeff"))).ReadAll()
	if err != nil {
		b.t.Fatalf("%s: %v", taken[0], err)
	}
	return taken[0], rows
}

// The entries of all accounts, by filter, are a list and a file; what is struck says by whom.
func TestEntries(t *testing.T) {
	b := newTab(t)
	b.open("/entries", `tr[data-entry]`)
	rows := func() int { return js[int](b, `document.querySelectorAll('tr[data-entry]').length`) }
	if n := rows(); n != 100 {
		t.Errorf("%d entries on the first page", n)
	}
	b.do(chromedp.Evaluate[chromedp.Void](`[...document.querySelectorAll('button')].find(x => x.innerText === 'show older entries').click()`))
	b.until(`document.querySelectorAll('tr[data-entry]').length === 200`)
	b.open("/entries?unit=TK-08&kind=freeze_test", `tr[data-entry]`)
	shown := rows()
	name, file := b.file("CSV")
	if name != "entries.csv" || len(file) != shown+1 || file[0][0] != "recorded at" || file[1][2] != "TK-08" || file[1][6] != "Freeze test" {
		t.Errorf("%s of %d rows for %d lines: %q", name, len(file), shown, file[:2])
	}
	b.open("/entries?struck=true", `tr[data-entry]`)
	if text := b.text(`tr[data-entry]`); !strings.Contains(text, "struck by") || js[int](b, `document.querySelectorAll('tr[data-entry] del').length`) != rows() {
		t.Errorf("a struck entry says %q", text)
	}
	// Filters are typed and chosen, and the address keeps them.
	b.open("/entries", `tr[data-entry]`)
	b.typeIn(`[aria-label="Filters"] input`, fmt.Sprintf("1 Jan %d", testday.Now().Year()))
	b.until(fmt.Sprintf(`location.search.includes('from=%d-01-01')`, testday.Now().Year()))
	js[chromedp.Void](b, `[...document.querySelectorAll('button')].find(x => x.innerText === 'remove all filters').click()`)
	b.until(`location.search === ''`)
	b.open("/entries?writer=no%20such%20name", `.wait`)
	b.until(`document.querySelector('.wait')?.innerText.includes('No entry matches')`)
	b.calm()
}

// Every list is a file with all its lines, where it is shown.
func TestFiles(t *testing.T) {
	b := newTab(t)
	for _, c := range []struct{ path, ready, button, name, head string }{
		{"/", `[data-line]`, "CSV", "morning-", "unit"},
		{"/horizon", `[data-unit]`, "CSV", "horizon-", "unit"},
		{"/plan/list", `[data-planned]`, "CSV", "plan-", "from"},
		{"/units/TK-08", wholeLedger, "CSV", "TK-08-", "happened at"},
		{"/register", `[aria-label="Audit"] td`, "CSV", "audit", "at"},
	} {
		b.open(c.path, c.ready)
		name, rows := b.file(c.button)
		if !strings.HasPrefix(name, c.name) || len(rows) < 2 || rows[0][0] != c.head {
			t.Errorf("%s: %s of %d rows", c.path, name, len(rows))
		}
		switch c.path {
		case "/", "/horizon":
			if len(rows) < 60 {
				t.Errorf("%s: a file of %d units", c.path, len(rows)-1)
			}
		case "/units/TK-08":
			if all := js[int](b, `parseInt(document.querySelector('select option').innerText.match(/\((\d+)\)/)[1])`); len(rows) != all+1 {
				t.Errorf("%s: a file of %d lines of %d", c.path, len(rows)-1, all)
			}
		}
	}
	b.calm()
}

// The audit has the same filters.
func TestAuditFilters(t *testing.T) {
	b := newTab(t)
	b.open("/register", `[aria-label="Audit"] td`)
	js[chromedp.Void](b, `{ const s = document.querySelector('[aria-label="Filters of the audit"] select');
		Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(s, 'register_loaded'); s.dispatchEvent(new Event('change', { bubbles: true })) }`)
	b.until(`[...document.querySelectorAll('[aria-label="Audit lines"] tbody tr')].every(r => r.innerText.includes('loaded the register'))`)
	if n := js[int](b, `document.querySelectorAll('[aria-label="Audit lines"] tbody tr').length`); n != 1 {
		t.Errorf("%d lines of the register's loading", n)
	}
	b.calm()
}
