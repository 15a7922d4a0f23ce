package e2e

import (
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
)

// printed is the page as its print button gives it: as PDF, with the size that its style asks for.
func (b *tab) printed() []byte {
	b.t.Helper()
	js[chromedp.Void](b, `window.addEventListener('beforeprint', () => { window.onPaper = new Set([...document.querySelectorAll('[data-unit], .morning-line .code')].map(x => x.dataset.unit ?? x.innerText)).size; window.ink = getComputedStyle(document.body).color }); window.printed = false; window.print = () => { window.printed = true }`)
	js[chromedp.Void](b, `[...document.querySelectorAll('main button')].find(x => x.innerText.trim() === 'print').click()`)
	b.until(`window.printed`)
	asStyled := true
	pdf, err := chromedp.Call(b.ctx, page.PrintToPDF, page.PrintToPDFParams{PreferCSSPageSize: &asStyled})
	if err != nil {
		b.fail(err)
	}
	return pdf.Data
}

var (
	pdfPage = regexp.MustCompile(`/Type\s*/Page\b`)
	pdfBox  = regexp.MustCompile(`/MediaBox\s*\[\s*0\s+0\s+([\d.]+)\s+([\d.]+)`)
)

// On paper each list has all its lines, nothing to click, wide lists on sheets that lie on their side,
// and sixty units on two pages.
func TestPaper(t *testing.T) {
	b := newTab(t)
	for _, c := range []struct {
		name, path, ready string
		units             bool // it has the whole fleet
		pages             int  // at most
	}{
		{"morning", "/", `[data-line]`, true, 2},
		{"horizon", "/horizon", `[data-unit]`, true, 2},
		{"horizon-table", "/horizon?view=table", `[data-unit]`, true, 2},
		{"work-list", "/plan/list", `[data-planned]`, false, 1},
		{"entries", "/entries?unit=TK-08", `tr[data-entry]`, false, 5},
	} {
		b.view(c.path, c.ready, 1280, 800, true)
		pdf := b.printed()
		if ink := js[string](b, `window.ink`); ink != "rgb(22, 32, 43)" {
			t.Errorf("%s: printed from the dark screen in %s", c.name, ink)
		}
		if *shots != "" {
			if err := os.WriteFile(filepath.Join(*shots, "paper-"+c.name+".pdf"), pdf, 0o644); err != nil {
				t.Fatal(err)
			}
		}
		if n := len(pdfPage.FindAll(pdf, -1)); n == 0 || n > c.pages {
			t.Errorf("%s: %d pages, at most %d", c.name, n, c.pages)
		}
		boxes := pdfBox.FindAllSubmatch(pdf, -1)
		if len(boxes) == 0 {
			t.Errorf("%s: no size of a page", c.name)
		}
		for i, box := range boxes {
			width, err1 := strconv.ParseFloat(string(box[1]), 64)
			height, err2 := strconv.ParseFloat(string(box[2]), 64)
			if err1 != nil || err2 != nil || width < height {
				t.Errorf("%s: page %d is %s × %s points", c.name, i+1, box[1], box[2])
			}
		}
		if n := js[int](b, `window.onPaper`); c.units && n < 60 {
			t.Errorf("%s: %d units of at least 60 are printed", c.name, n)
		}
		if _, err := chromedp.Call(b.ctx, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{Media: "print"}); err != nil {
			t.Fatal(err)
		}
		if clicks := js[[]string](b, `[...document.querySelectorAll('nav, form, main button, main select, main input, header button, header input')].filter(x => x.checkVisibility()).map(x => x.outerHTML.slice(0, 200))`); len(clicks) > 0 {
			t.Errorf("%s: things to click are printed: %v", c.name, clicks)
		}
	}
}
