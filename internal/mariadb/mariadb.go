// Package mariadb runs a MariaDB server of our own: its data in a folder of the
// project, reachable from this machine only, stopped when we stop.
//
// Layout below Config.Dir:
//
//	mariadb/       the server's data; exists only once it is complete
//	mariadb.new/   a data folder being made; thrown away when found at a start
//	secrets.json   generated passwords, readable by the owner alone
//	mariadb.tmp/   its temporary tables; of its own, since a server that starts
//	               clears out whatever others left in a shared one
//	mariadb.port   the port it listens on
//	mariadb.log    what the server had to say
//
// A server left running by a start that was killed is found among the machine's
// processes and stopped before a new one is started. The caller must hold a lock on Dir.
package mariadb

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"

	"diligentledger/internal/db"
)

// Database is the name of the one database.
const Database = "diligent"

// AppUser may do what [Instance.Grant] gave it and nothing else.
const AppUser = "diligent_app"

const ownerUser = "diligent_owner"

// Config of an instance.
type Config struct {
	// Dir holds everything of the instance; it is created when missing.
	Dir string
	// Progress is given each step that takes long; nil for silence.
	Progress func(step string)
	// StartTimeout for the server to answer, crash recovery included; 2 min
	// when zero.
	StartTimeout time.Duration
}

// Instance is a running server. Its methods are safe for concurrent use, except
// Start, Restart and Stop, which one goroutine must own.
type Instance struct {
	cfg     Config
	secrets secrets
	port    atomic.Int32
	network string   // by which the driver dials the port of the moment; empty for an attached one
	runAs   *account // nil: as ourselves
	socket  string
	cmd     *exec.Cmd
	exited  chan struct{}
}

// account of the operating system to run the server as.
type account struct {
	name     string
	uid, gid int
}

// Start makes the instance if there is none yet and starts it.
func Start(ctx context.Context, cfg Config) (*Instance, error) {
	if cfg.StartTimeout == 0 {
		cfg.StartTimeout = 2 * time.Minute
	}
	if cfg.Progress == nil {
		cfg.Progress = func(string) {}
	}
	i := &Instance{cfg: cfg}
	if err := os.MkdirAll(cfg.Dir, 0o755); err != nil {
		return nil, fmt.Errorf("data folder %s cannot be made: %w", cfg.Dir, err)
	}
	if err := i.chooseAccount(); err != nil {
		return nil, err
	}
	if err := i.stopOrphans(); err != nil {
		return nil, err
	}
	if err := i.freshTemp(); err != nil {
		return nil, err
	}
	if err := i.prepare(ctx); err != nil {
		return nil, err
	}
	i.dial()
	return i, i.onFreePort(ctx)
}

// portsTried before a server that finds each of them taken is given up.
const portsTried = 4

// onFreePort runs the server on a port that is free, and writes down which.
func (i *Instance) onFreePort(ctx context.Context) error {
	for try := 1; ; try++ {
		port, err := freePort()
		if err != nil {
			return err
		}
		err = i.onPort(ctx, port)
		if err == nil {
			return os.WriteFile(i.portFile(), []byte(strconv.Itoa(port)), 0o600)
		}
		if try == portsTried || !portTaken(err) {
			return err
		}
	}
}

func (i *Instance) onPort(ctx context.Context, port int) error {
	i.port.Store(int32(port)) // ports have 16 bits
	return i.run(ctx, i.data(), "--bind-address=127.0.0.1", "--port="+strconv.Itoa(port))
}

func portTaken(err error) bool { return strings.Contains(err.Error(), "Bind on TCP/IP port") }

// dial lets the driver find the server on the port of the moment: a restart may take another.
func (i *Instance) dial() {
	sum := sha256.Sum256([]byte(i.cfg.Dir))
	i.network = "mariadb-" + hex.EncodeToString(sum[:8])
	db.RegisterNetwork(i.network, func(ctx context.Context, _ string) (net.Conn, error) {
		d := net.Dialer{Timeout: dialTimeout}
		return d.DialContext(ctx, "tcp", net.JoinHostPort("127.0.0.1", strconv.Itoa(int(i.port.Load()))))
	})
}

// dialTimeout of a server on the same machine.
const dialTimeout = time.Second

// Attach finds the instance that another process runs in dir. Of its methods
// only the data source names are of use then.
func Attach(dir string) (*Instance, error) {
	i := &Instance{cfg: Config{Dir: dir}}
	if err := i.readSecrets(); err != nil {
		return nil, err
	}
	b, err := os.ReadFile(i.portFile())
	if err == nil {
		var port int
		port, err = strconv.Atoi(string(b))
		i.port.Store(int32(port))
	}
	if err != nil {
		return nil, fmt.Errorf("the database in %s does not say where it is: %w", dir, err)
	}
	return i, nil
}

// Restart starts the server again after it went away: on the same port, or on another when
// that one is taken by now.
func (i *Instance) Restart(ctx context.Context) error {
	err := i.onPort(ctx, int(i.port.Load()))
	if err != nil && portTaken(err) {
		return i.onFreePort(ctx)
	}
	return err
}

// Port that the server listens on.
func (i *Instance) Port() int { return int(i.port.Load()) }

// Exited is closed when the server process ends for whatever reason.
func (i *Instance) Exited() <-chan struct{} { return i.exited }

// Pid of the server process.
func (i *Instance) Pid() int { return i.cmd.Process.Pid }

// AppDSN is the data source name of the application's user.
func (i *Instance) AppDSN() string { return i.dsn(AppUser, i.secrets.App) }

// OwnerDSN is the data source name of the user that may change the schema.
func (i *Instance) OwnerDSN() string { return i.dsn(ownerUser, i.secrets.Owner) }

func (i *Instance) dsn(name, password string) string {
	c := mysql.NewConfig()
	c.User, c.Passwd, c.Net, c.DBName = name, password, "tcp", Database
	c.Addr = net.JoinHostPort("127.0.0.1", strconv.Itoa(int(i.port.Load())))
	if i.network != "" {
		c.Net = i.network
	}
	return withDefaults(c)
}

// WithDefaults is a data source name with the settings that the program needs: times in UTC,
// utf8mb4. It must parse.
func WithDefaults(dsn string) string {
	c, err := mysql.ParseDSN(dsn)
	if err != nil {
		return dsn // its error is given when it is opened
	}
	return withDefaults(c)
}

func withDefaults(c *mysql.Config) string {
	c.ParseTime, c.Loc, c.Collation = true, time.UTC, "utf8mb4_unicode_520_ci"
	c.Timeout = 5 * time.Second
	c.Params = map[string]string{"time_zone": "'+00:00'"}
	return c.FormatDSN()
}

// Grant replaces the rights of [AppUser] by the given ones, each a privilege
// list and a table, such as "SELECT, INSERT" on "entry".
func (i *Instance) Grant(ctx context.Context, rights map[string]string) error {
	db, err := i.admin("root", i.secrets.Root)
	if err != nil {
		return err
	}
	defer db.Close()
	statements := []string{"REVOKE ALL PRIVILEGES, GRANT OPTION FROM '" + AppUser + "'@'127.0.0.1'"}
	for table, privileges := range rights {
		// Both parts are constants of the program, never input.
		statements = append(statements, fmt.Sprintf("GRANT %s ON `%s`.`%s` TO '%s'@'127.0.0.1'", privileges, Database, table, AppUser))
	}
	return execAll(ctx, db, statements)
}

// Stop asks the server to shut down and waits for it; after 30 s it is killed,
// which loses nothing that was committed.
func (i *Instance) Stop() error { return terminate(i.cmd.Process.Pid, i.exited) }

func terminate(pid int, exited <-chan struct{}) error {
	if err := syscall.Kill(pid, syscall.SIGTERM); err != nil && !errors.Is(err, syscall.ESRCH) {
		return fmt.Errorf("database server %d cannot be stopped: %w", pid, err)
	}
	select {
	case <-exited:
		return nil
	case <-time.After(30 * time.Second):
		_ = syscall.Kill(pid, syscall.SIGKILL) // it may have gone meanwhile
		<-exited
		return nil
	}
}

func (i *Instance) data() string     { return filepath.Join(i.cfg.Dir, "mariadb") }
func (i *Instance) temp() string     { return filepath.Join(i.cfg.Dir, "mariadb.tmp") }
func (i *Instance) portFile() string { return filepath.Join(i.cfg.Dir, "mariadb.port") }
func (i *Instance) logFile() string  { return filepath.Join(i.cfg.Dir, "mariadb.log") }

// run starts the server on the data folder and waits until it answers.
func (i *Instance) run(ctx context.Context, data string, network ...string) error {
	i.socket = i.socketPath(data)
	if err := os.MkdirAll(filepath.Dir(i.socket), 0o700); err != nil {
		return err
	}
	if err := i.own(filepath.Dir(i.socket)); err != nil {
		return err
	}
	log, err := os.OpenFile(i.logFile(), os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer log.Close()
	server, err := find("mariadbd")
	if err != nil {
		return err
	}
	args := append([]string{"--no-defaults",
		"--datadir=" + data, "--socket=" + i.socket, "--pid-file=" + filepath.Join(data, "server.pid"),
		"--tmpdir=" + i.temp(),
		"--character-set-server=utf8mb4", "--collation-server=utf8mb4_unicode_520_ci",
		"--sql-mode=STRICT_ALL_TABLES,ERROR_FOR_DIVISION_BY_ZERO,NO_ENGINE_SUBSTITUTION,NO_ZERO_DATE",
		"--default-time-zone=+00:00", "--skip-name-resolve", "--local-infile=0", "--symbolic-links=0",
		// A commit is on the disk before it is answered, and a torn page is restored.
		"--innodb-flush-log-at-trx-commit=1", "--innodb-doublewrite=1", "--innodb-flush-method=fsync",
		"--innodb-buffer-pool-size=128M", "--innodb-lock-wait-timeout=2", "--max-connections=100",
	}, network...)
	if i.runAs != nil {
		args = append(args, "--user="+i.runAs.name)
	}
	cmd := exec.Command(server, args...)
	cmd.Stdout, cmd.Stderr = log, log
	// A group of its own, so that Ctrl-C reaches us and we stop it in order.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if err := cmd.Start(); err != nil {
		return fmt.Errorf("database server cannot be started: %w", err)
	}
	exited := make(chan struct{})
	go func() {
		_ = cmd.Wait() // how it ended is in its log
		close(exited)
	}()
	i.cmd, i.exited = cmd, exited
	return i.awaitAnswer(ctx)
}

func (i *Instance) awaitAnswer(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, i.cfg.StartTimeout)
	defer cancel()
	for {
		if conn, err := net.Dial("unix", i.socket); err == nil {
			greeting := make([]byte, 1)
			_ = conn.SetReadDeadline(time.Now().Add(5 * time.Second))
			_, err = conn.Read(greeting)
			conn.Close()
			if err == nil {
				return nil
			}
		}
		select {
		case <-i.exited:
			return fmt.Errorf("database server ended while starting: %s (all of it: %s)", i.lastError(), i.logFile())
		case <-ctx.Done():
			_ = terminate(i.cmd.Process.Pid, i.exited)
			return fmt.Errorf("database server did not answer within %s: %s (all of it: %s)", i.cfg.StartTimeout, i.lastError(), i.logFile())
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// lastError is the first error line of the server's log, or its last line.
func (i *Instance) lastError() string {
	b, err := os.ReadFile(i.logFile())
	if err != nil {
		return err.Error()
	}
	last := "it said nothing"
	for line := range bytes.Lines(b) {
		text := strings.TrimSpace(string(line))
		if _, message, ok := strings.Cut(text, "[ERROR] "); ok {
			return message
		}
		if text != "" {
			last = text
		}
	}
	return last
}

// socketPath keeps below the 107 bytes that a socket's name may have.
func (i *Instance) socketPath(data string) string {
	path := filepath.Join(data, "server.sock")
	if len(path) <= 100 {
		return path
	}
	sum := sha256.Sum256([]byte(data))
	return filepath.Join(os.TempDir(), "diligent-"+hex.EncodeToString(sum[:8]), "server.sock")
}

// chooseAccount: the server refuses to run as root unless it is allowed to, so root runs
// it as the account Debian's package made, if that one can reach the folder.
func (i *Instance) chooseAccount() error {
	if os.Geteuid() != 0 {
		return nil
	}
	i.runAs = &account{name: "root"}
	u, err := user.Lookup("mysql")
	if err != nil {
		return nil
	}
	uid, err1 := strconv.Atoi(u.Uid)
	gid, err2 := strconv.Atoi(u.Gid)
	if err := errors.Join(err1, err2); err != nil {
		return fmt.Errorf("account mysql: %w", err)
	}
	for dir := i.cfg.Dir; ; dir = filepath.Dir(dir) {
		info, err := os.Stat(dir)
		if err != nil {
			return err
		}
		if info.Mode().Perm()&0o001 == 0 {
			return nil // closed to others: stay root
		}
		if dir == filepath.Dir(dir) {
			break
		}
	}
	i.runAs = &account{name: "mysql", uid: uid, gid: gid}
	return nil
}

// freshTemp makes the folder for temporary tables anew.
func (i *Instance) freshTemp() error {
	if err := os.RemoveAll(i.temp()); err != nil {
		return err
	}
	if err := os.Mkdir(i.temp(), 0o700); err != nil {
		return err
	}
	return i.own(i.temp())
}

func (i *Instance) own(path string) error {
	if i.runAs == nil || i.runAs.uid == 0 {
		return nil
	}
	return os.Chown(path, i.runAs.uid, i.runAs.gid)
}

// stopOrphans ends what a killed start left running on our data folders: a
// server, in order, and whatever was making a folder that was never finished,
// at once.
func (i *Instance) stopOrphans() error {
	for data, signal := range map[string]syscall.Signal{i.data(): syscall.SIGTERM, i.data() + ".new": syscall.SIGKILL} {
		if len(processesOn(data)) == 0 {
			continue
		}
		i.cfg.Progress("stopping the database server that an earlier start left behind")
		deadline := time.Now().Add(30 * time.Second)
		for {
			pids := processesOn(data)
			if len(pids) == 0 {
				break
			}
			if time.Now().After(deadline) {
				signal = syscall.SIGKILL // loses nothing that was committed
			}
			for _, pid := range pids {
				if err := syscall.Kill(pid, signal); err != nil && !errors.Is(err, syscall.ESRCH) {
					return fmt.Errorf("process %d uses %s and cannot be stopped: %w", pid, data, err)
				}
			}
			time.Sleep(50 * time.Millisecond)
		}
	}
	return nil
}

// processesOn lists the processes that were started to work on the data folder. A
// zombie has no command line any more and is not among them.
func processesOn(data string) []int {
	lines, _ := filepath.Glob("/proc/[0-9]*/cmdline") // the pattern is well formed
	var pids []int
	for _, path := range lines {
		b, err := os.ReadFile(path)
		if err != nil || !bytes.Contains(b, []byte("--datadir="+data+"\x00")) {
			continue // gone meanwhile, or another's
		}
		if pid, err := strconv.Atoi(filepath.Base(filepath.Dir(path))); err == nil {
			pids = append(pids, pid)
		}
	}
	return pids
}

func (i *Instance) admin(name, password string) (*sql.DB, error) {
	c := mysql.NewConfig()
	c.User, c.Passwd, c.Net, c.Addr = name, password, "unix", i.socket
	return sql.Open("mysql", withDefaults(c))
}

func execAll(ctx context.Context, db *sql.DB, statements []string) error {
	for _, s := range statements {
		if _, err := db.ExecContext(ctx, s); err != nil {
			return fmt.Errorf("database set-up: %w", err)
		}
	}
	return nil
}

// find looks where Debian puts servers, which is not on everybody's PATH.
func find(program string) (string, error) {
	if path, err := exec.LookPath(program); err == nil {
		return path, nil
	}
	path := filepath.Join("/usr/sbin", program)
	if _, err := os.Stat(path); err != nil {
		return "", fmt.Errorf("%s is not installed; install Debian's package mariadb-server", program)
	}
	return path, nil
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, fmt.Errorf("no free port on 127.0.0.1: %w", err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}
