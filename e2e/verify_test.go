package e2e

import (
	"bytes"
	"database/sql"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"diligentledger/internal/mariadb"
	"diligentledger/internal/testfolder"
)

// commandOn runs the program's other commands on a folder: what it says, and whether it succeeded.
func commandOn(t *testing.T, data string) func(args ...string) (string, bool) {
	return func(args ...string) (string, bool) {
		t.Helper()
		out, err := exec.Command(binary, append(args, "--data", data)...).CombinedOutput()
		return string(out), err == nil
	}
}

// verify and heads work beside the running program and without it; what was
// changed in the database by hand is named, and no heads are kept of it.
func TestVerifyCommand(t *testing.T) {
	data := testfolder.New(t)
	p := mustBegin(t, data)
	diligent := commandOn(t, data)
	if said, ok := diligent("verify"); !ok || !strings.Contains(said, "every chain holds") {
		t.Errorf("running: %s", said)
	}
	if said, ok := diligent("rebuild"); !ok || !strings.Contains(said, "accounts folded from their entries") {
		t.Errorf("rebuild: %s", said)
	}
	if said, ok := diligent("backtest", "--units", "2", "--days", "600"); !ok || !strings.Contains(said, "these books") || !strings.Contains(said, "freeze point before each test") {
		t.Errorf("backtest: %s", said)
	}
	kept := func() []string {
		found, err := filepath.Glob(filepath.Join(data, "heads", "*.jsonl"))
		if err != nil {
			t.Fatal(err)
		}
		return found
	}
	for range 200 {
		if len(kept()) > 0 {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	if n := len(kept()); n != 1 {
		t.Fatalf("%d files of heads after the start", n)
	}
	first := kept()[0]
	if said, ok := diligent("verify", "--heads", first); !ok || !strings.Contains(said, "1 files of heads agree") || !strings.Contains(said, "Not seen:") {
		t.Errorf("against the heads of the start: %s", said)
	}
	instance, err := mariadb.Attach(data)
	if err != nil {
		t.Fatal(err)
	}
	db, err := sql.Open("mysql", instance.OwnerDSN())
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.ExecContext(t.Context(), `UPDATE entry SET payload = REPLACE(payload, '-36', '-46') WHERE kind = 'freeze_test' AND circuit_id = (SELECT c.id FROM circuit c JOIN unit u ON u.id = c.unit_id WHERE u.code = 'CA-31')`); err != nil {
		t.Fatal(err)
	}
	if err := p.end(); err != nil {
		t.Fatal(err)
	}
	if n := len(kept()); n != 1 {
		t.Errorf("%d files of heads: those of tampered books were kept at the stop", n)
	}
	if said, ok := diligent("verify"); ok || !strings.Contains(said, "CA-31 line ") || !strings.Contains(said, "its content is not what was written") {
		t.Errorf("tampered, not running: %s", said)
	}
	if said, ok := diligent("heads"); ok || strings.Contains(said, `"seq"`) {
		t.Errorf("heads of tampered books: %s", said)
	}
	text, err := os.ReadFile(first)
	if err != nil {
		t.Fatal(err)
	}
	for what, after := range map[string][]byte{"is not the one that the database names": bytes.Replace(text, []byte("written\":\"20"), []byte("written\":\"19"), 1), "the file is missing; the database names it": nil} {
		if err := os.Remove(first); err != nil {
			t.Fatal(err)
		}
		if after != nil {
			if err := os.WriteFile(first, after, 0o600); err != nil {
				t.Fatal(err)
			}
		}
		if said, ok := diligent("verify"); ok || !strings.Contains(said, what) {
			t.Errorf("want %s: %s", what, said)
		}
		if err := os.WriteFile(first, text, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if said, err := exec.Command(binary, "verify", "--data", t.TempDir()).CombinedOutput(); err == nil || !strings.Contains(string(said), "no database") {
		t.Errorf("an empty folder: %s", said)
	}
	for file, says := range map[string]string{"lock": "holds no heads", "mariadb.port": "is not a head", "nothing": "no such file"} {
		if said, ok := diligent("verify", "--heads", filepath.Join(data, file)); ok || !strings.Contains(said, says) {
			t.Errorf("heads from %s: %s", file, said)
		}
	}
}
