package mariadb

import (
	"context"
	"database/sql"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"diligentledger/internal/testfolder"
)

func startIn(t *testing.T, dir string) *Instance {
	t.Helper()
	i, err := Start(t.Context(), Config{Dir: dir})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := i.Stop(); err != nil {
			t.Error(err)
		}
	})
	return i
}

func open(t *testing.T, dsn string) *sql.DB {
	t.Helper()
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	return db
}

func must(t *testing.T, db *sql.DB, statement string) {
	t.Helper()
	if _, err := db.ExecContext(t.Context(), statement); err != nil {
		t.Fatalf("%s: %v", statement, err)
	}
}

// One server, from its making through being killed to being found again.
func TestLifeOfAnInstance(t *testing.T) {
	dir := testfolder.New(t)
	first := startIn(t, dir)
	owner := open(t, first.OwnerDSN())

	// Variables as the server itself reports them (MariaDB knowledge base:
	// values that keep a commit through power loss).
	for name, want := range map[string]string{
		"innodb_flush_log_at_trx_commit": "1", "innodb_doublewrite": "ON", "bind_address": "127.0.0.1",
		"tmpdir": first.temp(), "character_set_server": "utf8mb4", "local_infile": "OFF", "time_zone": "+00:00",
	} {
		var key, got string
		if err := owner.QueryRowContext(t.Context(), "SHOW VARIABLES LIKE '"+name+"'").Scan(&key, &got); err != nil || got != want {
			t.Errorf("%s = %q, %v; want %q", name, got, err, want)
		}
	}
	if info, err := os.Stat(first.secretsFile()); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("secrets: %v, %v", info.Mode(), err)
	}
	if conn, err := net.DialTimeout("tcp", net.JoinHostPort(outsideAddress(t), portOf(first)), time.Second); err == nil {
		conn.Close()
		t.Error("the server answers on an address other than loopback")
	}
	for _, dsn := range []string{"root@tcp(127.0.0.1:" + portOf(first) + ")/", "root@unix(" + first.socket + ")/"} {
		if err := open(t, dsn).PingContext(t.Context()); err == nil {
			t.Errorf("%s gets in without a password", dsn)
		}
	}

	must(t, owner, "CREATE TABLE kept (v INT PRIMARY KEY)")
	must(t, owner, "CREATE TABLE closed (v INT PRIMARY KEY)")
	if err := first.Grant(t.Context(), map[string]string{"kept": "SELECT, INSERT"}); err != nil {
		t.Fatal(err)
	}
	app := open(t, first.AppDSN())
	must(t, app, "INSERT INTO kept VALUES (1)")
	if other, err := Attach(dir); err != nil || other.Port() != first.Port() {
		t.Errorf("another process finds the server at %v", err)
	} else {
		must(t, open(t, other.AppDSN()), "SELECT 1")
	}
	for _, forbidden := range []string{"DELETE FROM kept", "UPDATE kept SET v = 2", "SELECT * FROM closed", "CREATE TABLE own (v INT)", "SELECT * FROM mysql.global_priv"} {
		if _, err := app.ExecContext(t.Context(), forbidden); err == nil {
			t.Errorf("the application may %s", forbidden)
		}
	}

	// Killed while running: Exited reports it, Restart brings it back on its port.
	if err := syscall.Kill(first.Pid(), syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	select {
	case <-first.Exited():
	case <-time.After(10 * time.Second):
		t.Fatal("nobody noticed that the server was killed")
	}
	if err := first.Restart(t.Context()); err != nil {
		t.Fatal(err)
	}
	must(t, app, "INSERT INTO kept VALUES (2)")

	// Killed again, and its port taken by another program meanwhile: it comes back on another
	// port, where the connections that are open find it, and another process as well.
	port := first.Port()
	if err := syscall.Kill(first.Pid(), syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	<-first.Exited()
	taken, err := net.Listen("tcp", net.JoinHostPort("127.0.0.1", strconv.Itoa(port)))
	if err != nil {
		t.Fatal(err)
	}
	defer taken.Close()
	if err := first.Restart(t.Context()); err != nil || first.Port() == port {
		t.Fatalf("its port is taken: %v, port %d", err, first.Port())
	}
	must(t, app, "INSERT INTO kept VALUES (3)")
	if other, err := Attach(dir); err != nil || other.Port() != first.Port() {
		t.Errorf("another process looks for it elsewhere: %v", err)
	}

	// A start that was killed leaves its server behind; the next one stops it.
	orphan := first.Pid()
	second := startIn(t, dir)
	if pids := processesOn(second.data()); slices.Contains(pids, orphan) || len(pids) != 1 {
		t.Errorf("processes %v work on the data; the server left behind was %d", pids, orphan)
	}
	var rows int
	if err := open(t, second.AppDSN()).QueryRowContext(t.Context(), "SELECT COUNT(*) FROM kept").Scan(&rows); err != nil || rows != 3 {
		t.Errorf("%d rows were kept, %v", rows, err)
	}
}

func portOf(i *Instance) string { return strconv.Itoa(i.Port()) }

// outsideAddress is this machine's own address on a network, or one of the test
// network (RFC 5737) that answers nowhere when it has none.
func outsideAddress(t *testing.T) string {
	t.Helper()
	addresses, err := net.InterfaceAddrs()
	if err != nil {
		t.Fatal(err)
	}
	for _, a := range addresses {
		if n, ok := a.(*net.IPNet); ok && !n.IP.IsLoopback() && n.IP.To4() != nil {
			return n.IP.String()
		}
	}
	return "192.0.2.1"
}

// A making that was cut short is thrown away and done again.
func TestHalfMadeFolder(t *testing.T) {
	dir := testfolder.New(t)
	half := filepath.Join(dir, "mariadb.new")
	if err := os.MkdirAll(filepath.Join(half, "mysql"), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(half, "ibdata1"), []byte("torn"), 0o600); err != nil {
		t.Fatal(err)
	}
	i := startIn(t, dir)
	if err := open(t, i.OwnerDSN()).PingContext(t.Context()); err != nil {
		t.Error(err)
	}
	if _, err := os.Stat(half); !os.IsNotExist(err) {
		t.Errorf("the half-made folder is still there: %v", err)
	}
}

func TestStartSaysWhatIsWrong(t *testing.T) {
	dir := testfolder.New(t)
	file := filepath.Join(dir, "file")
	if err := os.WriteFile(file, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := Start(t.Context(), Config{Dir: filepath.Join(file, "below")}); err == nil || !strings.Contains(err.Error(), "cannot be made") {
		t.Errorf("a folder below a file: %v", err)
	}
	if err := os.MkdirAll(filepath.Join(dir, "mariadb"), 0o755); err != nil {
		t.Fatal(err)
	}
	if _, err := Start(t.Context(), Config{Dir: dir}); err == nil || !strings.Contains(err.Error(), "--fresh") {
		t.Errorf("a data folder without its passwords: %v", err)
	}
	if err := os.WriteFile(filepath.Join(dir, "secrets.json"), []byte(`{"root":"a"}`), 0o600); err != nil {
		t.Fatal(err)
	}
	// An empty data folder has no system tables: the server says so and ends.
	if _, err := Start(t.Context(), Config{Dir: dir}); err == nil || !strings.Contains(err.Error(), "ended while starting") {
		t.Errorf("a data folder that is none: %v", err)
	}
	if err := Discard(dir); err != nil {
		t.Fatal(err)
	}
	if left, err := filepath.Glob(filepath.Join(dir, "*")); err != nil || len(left) != 1 {
		t.Errorf("after discarding: %v, %v", left, err)
	}
	long := &Instance{cfg: Config{Dir: dir}}
	if path := long.socketPath(filepath.Join(dir, strings.Repeat("deep/", 30))); len(path) > 107 {
		t.Errorf("the socket's name is %d bytes long", len(path))
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := Start(ctx, Config{Dir: testfolder.New(t)}); err == nil {
		t.Error("a start that was called off went on")
	}
}
