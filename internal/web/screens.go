package web

import (
	"bytes"
	"crypto/rand"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"html"
	"io/fs"
	"maps"
	"mime"
	"net/http"
	"path"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"
)

// screens serves the built interface: files as they are, and index.html for
// every address that belongs to the interface's own routes.
type screens struct {
	files fs.FS
	index []byte
	// ahead are the tags that have the browser fetch a page's own files at once, by the first
	// part of its address.
	ahead map[string]string
}

// pageModules are the pages that are files of their own, by the first part of their address.
var pageModules = map[string]string{"": "src/morning/MorningPage.tsx", "units": "src/account/AccountPage.tsx", "horizon": "src/horizon/HorizonPage.tsx",
	"bench": "src/bench/BenchPage.tsx"}

// aheadMark is the place in index.html where these tags go.
const aheadMark = "<!--AHEAD-->"

// module of the build's manifest.
type module struct {
	File    string   `json:"file"`
	Imports []string `json:"imports"`
	IsEntry bool     `json:"isEntry"`
}

// readAhead reads the build's manifest; a build without one has nothing to fetch ahead.
func readAhead(files fs.FS) (map[string]string, error) {
	text, err := fs.ReadFile(files, ".vite/manifest.json")
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var all map[string]module
	if err := json.Unmarshal(text, &all); err != nil {
		return nil, fmt.Errorf("manifest of the interface: %w", err)
	}
	var follow func(name string, into map[string]bool)
	follow = func(name string, into map[string]bool) {
		if m := all[name]; m.File != "" && !into[m.File] {
			into[m.File] = true
			for _, next := range m.Imports {
				follow(next, into)
			}
		}
	}
	entry := map[string]bool{}
	for name, m := range all {
		if m.IsEntry {
			follow(name, entry)
		}
	}
	ahead := map[string]string{}
	for page, name := range pageModules {
		if all[name].File == "" {
			return nil, fmt.Errorf("manifest of the interface: no %s", name)
		}
		own := map[string]bool{}
		follow(name, own)
		for _, file := range slices.Sorted(maps.Keys(own)) {
			if !entry[file] {
				ahead[page] += `<link rel="modulepreload" href="/` + html.EscapeString(file) + `">`
			}
		}
	}
	return ahead, nil
}

// compressed is the ending of a file that the build compressed by Brotli (RFC 7932).
const compressed = ".br"

// file of the build: as it was compressed when the browser takes that.
func (s *screens) file(c *echo.Context, name string) error {
	header := c.Response().Header()
	if _, err := fs.Stat(s.files, name+compressed); err != nil {
		return c.FileFS(name, s.files)
	}
	header.Set("Vary", echo.HeaderAcceptEncoding)
	if !takesBrotli(c) {
		return c.FileFS(name, s.files)
	}
	content, err := fs.ReadFile(s.files, name+compressed)
	if err != nil {
		return err
	}
	header.Set(echo.HeaderContentEncoding, "br")
	return c.Blob(http.StatusOK, mime.TypeByExtension(path.Ext(name)), content)
}

func takesBrotli(c *echo.Context) bool {
	takes := strings.FieldsFunc(c.Request().Header.Get(echo.HeaderAcceptEncoding), func(r rune) bool { return r == ',' || r == ' ' })
	return slices.Contains(takes, "br")
}

// scriptPolicy of what runs beside the page: the worker with the core compiles WebAssembly, the service
// worker fetches the shell. Empty for all else, which the page's own policy holds for.
func scriptPolicy(name string) string {
	switch {
	case strings.HasPrefix(name, "assets/core.worker-"):
		return "default-src 'none'; script-src 'self' 'wasm-unsafe-eval'; connect-src 'self'"
	case name == "sw.js":
		return "default-src 'none'; script-src 'self'; connect-src 'self'"
	}
	return ""
}

// nonceMark is in index.html where the nonce of the answer goes.
const nonceMark = "__NONCE__"

func newScreens(files fs.FS) (*screens, error) {
	if err := mime.AddExtensionType(".webmanifest", "application/manifest+json"); err != nil {
		return nil, err
	}
	index, err := fs.ReadFile(files, "index.html")
	if err != nil {
		return nil, fmt.Errorf("the interface is not built (run ./start, or npm run build in ui): %w", err)
	}
	ahead, err := readAhead(files)
	if err != nil {
		return nil, err
	}
	return &screens{files: files, index: index, ahead: ahead}, nil
}

func (s *screens) serve(c *echo.Context) error {
	name := strings.TrimPrefix(path.Clean(c.Request().URL.Path), "/")
	if strings.HasPrefix(name, "api/") {
		return newProblem(http.StatusNotFound, "No such address", "/"+name+" is not part of the API; see /api/openapi.json")
	}
	if name != "" && name != "index.html" {
		if info, err := fs.Stat(s.files, name); err == nil && !info.IsDir() && !strings.HasSuffix(name, compressed) {
			if strings.HasPrefix(name, "assets/") {
				// The build puts a hash of the content into these names.
				c.Response().Header().Set("Cache-Control", "public, max-age=31536000, immutable")
			}
			if policy := scriptPolicy(name); policy != "" {
				c.Response().Header().Set("Content-Security-Policy", policy)
			}
			return s.file(c, name)
		}
		if strings.HasPrefix(name, "assets/") {
			return echo.NewHTTPError(http.StatusNotFound, "no such file")
		}
	}
	raw := make([]byte, 16)
	_, _ = rand.Read(raw) // never fails: documented to end the program instead
	nonce := base64.RawStdEncoding.EncodeToString(raw)
	c.Response().Header().Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self' 'nonce-"+nonce+
		"'; img-src 'self' data:; font-src 'self'; connect-src 'self'; worker-src 'self'; manifest-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'")
	first, _, _ := strings.Cut(name, "/")
	ahead := s.ahead[first]
	if _, err := c.Cookie(sessionCookie); err == nil {
		ahead += `<meta name="opened" content="yes">`
	}
	page := bytes.ReplaceAll(s.index, []byte(nonceMark), []byte(nonce))
	return c.HTMLBlob(http.StatusOK, bytes.ReplaceAll(page, []byte(aheadMark), []byte(ahead)))
}
