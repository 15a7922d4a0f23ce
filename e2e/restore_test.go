package e2e

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"diligentledger/internal/testfolder"
)

// command of README's part on backups: the line that begins so, with the folder of a test in place of another machine's.
func command(t *testing.T, begins, elsewhere string) []string {
	t.Helper()
	text, err := os.ReadFile("../README.md")
	if err != nil {
		t.Fatal(err)
	}
	for line := range strings.SplitSeq(string(text), "\n") {
		bare, _, _ := strings.Cut(strings.TrimSpace(line), "  #")
		if strings.HasPrefix(line, "    ") && strings.HasPrefix(bare, begins) {
			return strings.Fields(strings.ReplaceAll(bare, "/mnt/elsewhere", elsewhere))
		}
	}
	t.Fatalf("README has no command that begins %q", begins)
	return nil
}

// README is followed word by word: a backup, an export, and each read back: over a database, killed in the middle, again; into empty books; into a
// folder that was never started.
func TestReadmeRestore(t *testing.T) {
	home := testfolder.New(t)
	if err := os.MkdirAll(filepath.Join(home, ".run"), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(binary, filepath.Join(home, ".run", "diligent")); err != nil {
		t.Fatal(err)
	}
	run := func(words ...string) (string, error) {
		cmd := exec.Command(words[0], words[1:]...)
		cmd.Dir = home
		out, err := cmd.CombinedOutput()
		return string(out), err
	}
	must := func(words ...string) string {
		t.Helper()
		out, err := run(words...)
		if err != nil {
			t.Fatalf("%s: %v\n%s", strings.Join(words, " "), err, out)
		}
		return out
	}
	data := filepath.Join(home, ".run")
	p, err := begin(data)
	if err != nil {
		t.Fatal(err)
	}
	before := p.get(t, "/api/v1/units/CA-07")
	must(command(t, ".run/diligent backup", filepath.Join(home, "elsewhere"))...)
	must(command(t, ".run/diligent export", "")...)
	must(".run/diligent", "backup")
	written, err := filepath.Glob(filepath.Join(data, "backups", "*.zip"))
	if err != nil || len(written) == 0 {
		t.Fatalf("no backup: %v", err)
	}
	back := command(t, ".run/diligent restore", "")
	back[len(back)-1], _ = filepath.Rel(home, written[0])
	if out, err := run(back...); err == nil || !strings.Contains(out, "stop it first") {
		t.Errorf("restored under the running program: %s", out)
	}
	if err := p.end(); err != nil {
		t.Fatal(err)
	}
	same := func(p *program) {
		t.Helper()
		if after := p.get(t, "/api/v1/units/CA-07"); len(after) == 0 || account(after) != account(before) {
			t.Errorf("the account is another:\n%s\n%s", account(after), account(before))
		}
	}
	opens := func(folder string) {
		t.Helper()
		p, err := begin(folder, "--no-demo")
		if err != nil {
			t.Fatal(err)
		}
		same(p)
		if err := p.end(); err != nil {
			t.Error(err)
		}
	}
	// Killed at several moments, with whatever it had begun: what was there opens, and the next try completes.
	for _, after := range []time.Duration{200 * time.Millisecond, 1500 * time.Millisecond, 3 * time.Second} {
		cmd := exec.Command(back[0], back[1:]...)
		cmd.Dir = home
		var said bytes.Buffer
		cmd.Stdout, cmd.Stderr = &said, &said
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		time.Sleep(after)
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
		opens(data)
	}
	if out := must(back...); !strings.Contains(out, "every chain holds") {
		t.Errorf("restore said %s", out)
	}
	opens(data)
	must(".run/diligent", "verify")
	// Empty books, as the first start makes them.
	fresh := filepath.Join(home, ".fresh")
	first, err := begin(fresh, "--no-demo")
	if err != nil {
		t.Fatal(err)
	}
	words := command(t, ".run/diligent import everything.zip", "")
	into := func(folder string) []string {
		return append(words[:len(words)-1:len(words)-1], folder)
	}
	if out, err := run(into(fresh)...); err == nil || !strings.Contains(out, "stop it first") {
		t.Errorf("read under the running program: %s", out)
	}
	if err := first.end(); err != nil {
		t.Fatal(err)
	}
	must(into(fresh)...)
	opens(fresh)
	if out, err := run(into(fresh)...); err == nil || !strings.Contains(out, "not empty") {
		t.Errorf("read over books: %s", out)
	}
	// A folder that was never started.
	must(into(filepath.Join(home, ".elsewhere"))...)
	opens(filepath.Join(home, ".elsewhere"))
}

var moments = regexp.MustCompile(`"(now|today)":"[^"]*"`)

// account as an answer says it, without what is of the moment.
func account(text string) string { return moments.ReplaceAllString(text, "") }
