package web

import (
	"bytes"
	"crypto/rand"
	"encoding/base64"
	"fmt"
	"io/fs"
	"net/http"
	"path"
	"strings"

	"github.com/labstack/echo/v5"
)

// screens serves the built interface: files as they are, and index.html for
// every address that belongs to the interface's own routes.
type screens struct {
	files fs.FS
	index []byte
}

// nonceMark stands in index.html where the nonce of the answer goes.
const nonceMark = "__NONCE__"

func newScreens(files fs.FS) (*screens, error) {
	index, err := fs.ReadFile(files, "index.html")
	if err != nil {
		return nil, fmt.Errorf("the interface is not built (run ./start, or npm run build in ui): %w", err)
	}
	return &screens{files: files, index: index}, nil
}

func (s *screens) serve(c *echo.Context) error {
	name := strings.TrimPrefix(path.Clean(c.Request().URL.Path), "/")
	if strings.HasPrefix(name, "api/") {
		return newProblem(http.StatusNotFound, "No such address", "/"+name+" is not part of the API; see /api/openapi.json")
	}
	if name != "" && name != "index.html" {
		if info, err := fs.Stat(s.files, name); err == nil && !info.IsDir() {
			if strings.HasPrefix(name, "assets/") {
				// The build puts a hash of the content into these names.
				c.Response().Header().Set("Cache-Control", "public, max-age=31536000, immutable")
			}
			return c.FileFS(name, s.files)
		}
		if strings.HasPrefix(name, "assets/") {
			return echo.NewHTTPError(http.StatusNotFound, "no such file")
		}
	}
	raw := make([]byte, 16)
	_, _ = rand.Read(raw) // never fails: documented to end the program instead
	nonce := base64.RawStdEncoding.EncodeToString(raw)
	c.Response().Header().Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self' 'nonce-"+nonce+
		"'; img-src 'self' data:; font-src 'self'; connect-src 'self'; manifest-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'")
	return c.HTMLBlob(http.StatusOK, bytes.ReplaceAll(s.index, []byte(nonceMark), []byte(nonce)))
}
