package e2e

import (
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"diligentledger/internal/fleet"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/store"
	"diligentledger/internal/testday"
	"diligentledger/internal/testfolder"
)

func mustBegin(t *testing.T, data string, args ...string) *program {
	t.Helper()
	p, err := begin(data, args...)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if p.cmd.ProcessState == nil {
			if err := p.end(); err != nil {
				t.Error(err)
			}
		}
	})
	return p
}

func serverPid(t *testing.T, data string) int {
	t.Helper()
	b, err := os.ReadFile(filepath.Join(data, "mariadb", "server.pid"))
	if err != nil {
		t.Fatal(err)
	}
	pid, err := strconv.Atoi(strings.TrimSpace(string(b)))
	if err != nil {
		t.Fatal(err)
	}
	return pid
}

// Whatever is killed, whenever, the next start works and has every entry.
func TestKilledAndStartedAgain(t *testing.T) {
	t.Parallel() // its program is its own
	data := testfolder.New(t)
	p := mustBegin(t, data)
	before := p.get(t, "/api/v1/units/CA-09")

	database := serverPid(t, data)
	if err := syscall.Kill(database, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	for still(database) {
		time.Sleep(20 * time.Millisecond)
	}
	if got := p.get(t, "/api/v1/units/CA-09"); got != before {
		t.Error("the account changed when the database was killed")
	}

	if err := p.kill(); err != nil {
		t.Fatal(err)
	}
	p = mustBegin(t, data)
	if got := p.get(t, "/api/v1/units/CA-09"); got != before {
		t.Error("the account changed when the program was killed")
	}
	if !strings.Contains(p.output(), "left behind") {
		t.Errorf("nothing was said of the server left behind: %s", p.output())
	}

	database = serverPid(t, data)
	if err := p.kill(); err != nil {
		t.Fatal(err)
	}
	if err := syscall.Kill(database, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	p = mustBegin(t, data)
	if got := p.get(t, "/api/v1/units/CA-09"); got != before {
		t.Error("the account changed when both were killed")
	}
	database = serverPid(t, data)
	if err := p.end(); err != nil {
		t.Fatal(err)
	}
	if still(database) {
		t.Error("Ctrl-C left the database running")
	}
}

// A first start killed at any moment leaves something the next start can use.
func TestFirstStartKilled(t *testing.T) {
	t.Parallel() // its program is its own
	for _, after := range []time.Duration{50, 300, 600, 900, 1200, 1500, 2000} {
		data := testfolder.New(t)
		cmd := exec.Command(binary, "serve", "--data", data)
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		time.Sleep(after * time.Millisecond)
		if err := cmd.Process.Kill(); err != nil {
			t.Fatal(err)
		}
		_ = cmd.Wait() // it was killed
		p := mustBegin(t, data)
		if got := p.get(t, "/api/v1/units?q=gritter"); !strings.Contains(got, "TK-21") {
			t.Errorf("killed after %d ms: %s", after, got)
		}
		if err := p.end(); err != nil {
			t.Error(err)
		}
	}
}

func TestStartSaysWhatIsWrong(t *testing.T) {
	taken, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer taken.Close()
	_, port, _ := net.SplitHostPort(taken.Addr().String())
	data := testfolder.New(t)
	p := mustBegin(t, data, "--no-demo")
	// The first coordinator comes in by the link on the terminal, once.
	_, rest, ok := strings.Cut(p.output(), "/link/")
	token, _, _ := strings.Cut(rest, "\n")
	if !ok || !strings.Contains(p.output(), "first coordinator") {
		t.Fatalf("no link for the first coordinator: %s", p.output())
	}
	p.post(t, coordinator, "/api/v1/links/"+token, `{"password":"tern gravel oilskin noon","name":"N. Harrow","email":"harrow@skerrow.example"}`)
	if got := p.get(t, "/api/v1/units"); strings.TrimSpace(got) != "[]" {
		t.Errorf("--no-demo shows %s", got)
	}
	if got := p.get(t, "/api/v1/session"); !strings.Contains(got, `"N. Harrow"`) || !strings.Contains(got, `"demo":[]`) {
		t.Errorf("the first coordinator's session: %s", got)
	}
	if got := p.get(t, "/api/v1/people"); strings.Count(got, `"email"`) != 1 {
		t.Errorf("people: %s", got)
	}
	file := filepath.Join(testfolder.New(t), "file")
	if err := os.WriteFile(file, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		name string
		data string
		args []string
		says []string
	}{
		{"port taken", testfolder.New(t), []string{"--port", port}, []string{"port " + port + " is taken", "--port"}},
		{"port out of range", testfolder.New(t), []string{"--port", "70000"}, []string{"70000", "1 to 65535"}},
		{"database locked", data, nil, []string{"in use by process", p.address, "--data"}},
		{"folder that cannot be", filepath.Join(file, "x"), nil, []string{"cannot be made", "--data"}},
		{"a word too many", testfolder.New(t), []string{"please"}, []string{`"please"`, "--help"}},
	} {
		other, err := begin(c.data, c.args...)
		if err == nil {
			t.Errorf("%s: it started", c.name)
			if err := other.end(); err != nil {
				t.Error(err)
			}
			continue
		}
		said := other.output()
		for _, want := range c.says {
			if !strings.Contains(said, want) {
				t.Errorf("%s: %q is not in %q", c.name, want, said)
			}
		}
		if lines := strings.Count(strings.TrimSpace(said), "\n"); lines > 0 {
			t.Errorf("%s takes %d lines: %s", c.name, lines+1, said)
		}
	}
}

// --fresh asks, and only "yes" removes anything.
func TestFresh(t *testing.T) {
	data := testfolder.New(t)
	if err := mustBegin(t, data, "--no-demo").end(); err != nil {
		t.Fatal(err)
	}
	said, err := exec.Command(binary, "serve", "--data", data, "--fresh").CombinedOutput()
	if err == nil || !strings.Contains(string(said), "nothing was removed") {
		t.Errorf("without an answer: %s, %v", said, err)
	}
	if _, err := os.Stat(filepath.Join(data, "mariadb")); err != nil {
		t.Error(err)
	}
	cmd := exec.Command(binary, "serve", "--data", data, "--fresh")
	cmd.Stdin = strings.NewReader("yes\n")
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	text := make([]byte, 0, 4096)
	for buf := make([]byte, 512); !strings.Contains(string(text), "is open at"); {
		n, err := out.Read(buf)
		text = append(text, buf[:n]...)
		if err != nil {
			t.Fatalf("%v: %s", err, text)
		}
	}
	if !strings.Contains(string(text), "loading the demo fleet") {
		t.Errorf("the old books are still there: %s", text)
	}
	if err := cmd.Process.Signal(os.Interrupt); err != nil {
		t.Fatal(err)
	}
	if err := cmd.Wait(); err != nil {
		t.Error(err)
	}
}

// withFleet begins a program of the test's own, loads a fleet into it after some
// tables were emptied, and makes it the one that the test's tabs look at.
func withFleet(t *testing.T, f store.LoadedFleet, emptied ...string) {
	t.Helper()
	data := testfolder.New(t)
	p := mustBegin(t, data)
	instance, err := mariadb.Attach(data)
	if err != nil {
		t.Fatal(err)
	}
	owner, err := store.Open(instance.OwnerDSN(), testday.Now)
	if err != nil {
		t.Fatal(err)
	}
	defer owner.Close()
	for _, table := range emptied {
		if _, err := owner.DB().ExecContext(t.Context(), "DELETE FROM "+table); err != nil {
			t.Fatal(err)
		}
	}
	if err := owner.Load(t.Context(), f); err != nil {
		t.Fatal(err)
	}
	if _, err := fleet.New(owner, testday.Now).RefreshStatus(t.Context()); err != nil {
		t.Fatal(err)
	}
	old := app
	app = p
	t.Cleanup(func() { app = old })
}
