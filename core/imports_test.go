// Package core holds no code of its own; this test guards what its packages
// depend on.
package core

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
)

// The core imports the standard library, gonum, and what its stored accounts are
// packed with; nothing of the web, the database or the machine it runs on.
func TestCoreImports(t *testing.T) {
	allowed := func(name string) bool {
		return strings.HasPrefix(name, "gonum.org/") || name == "github.com/fxamacker/cbor/v2"
	}
	forbidden := map[string]bool{"os": true, "log": true, "log/slog": true, "database/sql": true, "net": true, "net/http": true, "math/rand": true, "math/rand/v2": true}
	seen := 0
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") || strings.HasSuffix(filepath.Dir(path), "test") {
			return err
		}
		seen++
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, spec := range file.Imports {
			name, err := strconv.Unquote(spec.Path.Value)
			if err != nil {
				return err
			}
			outside := strings.Contains(strings.Split(name, "/")[0], ".")
			if forbidden[name] || outside && !allowed(name) || strings.HasPrefix(name, "diligentledger/") && !strings.HasPrefix(name, "diligentledger/core/") {
				t.Errorf("%s imports %s", path, name)
			}
		}
		return nil
	})
	if err != nil || seen < 8 {
		t.Fatalf("%d files read: %v", seen, err)
	}
}
