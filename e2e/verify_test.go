package e2e

import (
	"database/sql"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"diligentledger/internal/mariadb"
	"diligentledger/internal/testfolder"
)

// verify and heads work beside the running program and without it; what was
// changed in the database by hand is named, and no heads are kept of it.
func TestVerifyCommand(t *testing.T) {
	data := testfolder.New(t)
	p := mustBegin(t, data)
	diligent := func(args ...string) (string, bool) {
		t.Helper()
		out, err := exec.Command(binary, append(args, "--data", data)...).CombinedOutput()
		return string(out), err == nil
	}
	if said, ok := diligent("verify"); !ok || !strings.Contains(said, "every chain holds") {
		t.Errorf("running: %s", said)
	}
	if said, ok := diligent("rebuild"); !ok || !strings.Contains(said, "accounts folded from their entries") {
		t.Errorf("rebuild: %s", said)
	}
	if said, ok := diligent("backtest", "--units", "2", "--days", "600"); !ok || !strings.Contains(said, "these books") || !strings.Contains(said, "freeze point before each test") {
		t.Errorf("backtest: %s", said)
	}
	today := filepath.Join(data, "heads", time.Now().Format(time.DateOnly)+".jsonl")
	for range 100 {
		if found, _ := filepath.Glob(today); len(found) == 1 { // the pattern is well formed
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	if said, ok := diligent("verify", "--heads", today); !ok {
		t.Errorf("against the heads kept today: %s", said)
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
	if _, err := db.ExecContext(t.Context(), `UPDATE entry SET payload = REPLACE(payload, '-36', '-46') WHERE kind = 'freeze_test' AND unit_id = (SELECT id FROM unit WHERE code = 'CA-31')`); err != nil {
		t.Fatal(err)
	}
	if err := p.end(); err != nil {
		t.Fatal(err)
	}
	if said, ok := diligent("verify"); ok || !strings.Contains(said, "CA-31 line ") || !strings.Contains(said, "its content is not what was written") {
		t.Errorf("tampered, not running: %s", said)
	}
	if said, ok := diligent("heads"); ok || strings.Contains(said, `"seq"`) {
		t.Errorf("heads of tampered books: %s", said)
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
