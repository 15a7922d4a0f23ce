package web

import (
	"bytes"
	"fmt"
	"html"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/extension"

	"diligentledger/docs"
)

// documents are the pages of package docs as HTML, by their name in the address.
func documents() (map[string][]byte, error) {
	read := goldmark.New(goldmark.WithExtensions(extension.Table))
	pages := map[string][]byte{}
	for _, name := range []string{"bench", "limits"} {
		text, err := docs.Files.ReadFile(name + ".md")
		if err != nil {
			return nil, fmt.Errorf("document %s: %w", name, err)
		}
		// Documents name one another by file.
		text = bytes.ReplaceAll(text, []byte("(limits.md)"), []byte("(/docs/limits)"))
		title, _, _ := strings.Cut(strings.TrimPrefix(string(text), "# "), "\n")
		var page bytes.Buffer
		fmt.Fprintf(&page, `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>%s · Diligent Ledger</title><link rel="stylesheet" href="/docs.css"></head><body><p><a href="/bench">to the Bench</a></p>`, html.EscapeString(title))
		if err := read.Convert(text, &page); err != nil {
			return nil, fmt.Errorf("document %s: %w", name, err)
		}
		page.WriteString(`</body></html>`)
		pages[name] = page.Bytes()
	}
	return pages, nil
}

// answerDocument answers with a page of package docs.
func answerDocument(pages map[string][]byte) echo.HandlerFunc {
	return func(c *echo.Context) error {
		page, ok := pages[c.Param("name")]
		if !ok {
			return echo.NewHTTPError(http.StatusNotFound, "no such document")
		}
		c.Response().Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'")
		return c.HTMLBlob(http.StatusOK, page)
	}
}
