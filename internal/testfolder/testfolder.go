// Package testfolder makes folders for tests that start a database in them.
package testfolder

import (
	"os"
	"testing"
)

// New is an empty folder that other accounts can look into, since root runs the
// database as another, which [testing.T.TempDir] does not allow. It is removed
// when the test ends, after whatever the test began later was cleaned up.
func New(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "diligent-test-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := os.RemoveAll(dir); err != nil {
			t.Error(err)
		}
	})
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	return dir
}
