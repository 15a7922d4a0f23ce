package mariadb

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
)

// neededBytes of free disk space for a new instance with room to work.
const neededBytes = 400 << 20

// secrets are passwords of 128 random bits, hexadecimal.
type secrets struct {
	Root  string `json:"root"`
	Owner string `json:"owner"`
	App   string `json:"app"`
}

func (i *Instance) secretsFile() string { return filepath.Join(i.cfg.Dir, "secrets.json") }

// prepare makes the data folder unless it is there, complete.
func (i *Instance) prepare(ctx context.Context) error {
	if _, err := os.Stat(i.data()); err == nil {
		return i.readSecrets()
	}
	if err := i.checkSpace(); err != nil {
		return err
	}
	i.cfg.Progress("creating the database (first start only)")
	if err := i.create(ctx); err != nil {
		return fmt.Errorf("creating the database in %s: %w", i.cfg.Dir, err)
	}
	return nil
}

// checkSpace refuses a folder too full for a new database. One that is there
// already opens with whatever room is left.
func (i *Instance) checkSpace() error {
	var fs syscall.Statfs_t
	if err := syscall.Statfs(i.cfg.Dir, &fs); err != nil {
		return fmt.Errorf("data folder %s: %w", i.cfg.Dir, err)
	}
	if free := fs.Bavail * uint64(fs.Bsize); free < neededBytes {
		return fmt.Errorf("only %d MB are free in %s and %d MB are needed; make room or choose another folder with --data", free>>20, i.cfg.Dir, neededBytes>>20)
	}
	return nil
}

func (i *Instance) readSecrets() error {
	b, err := os.ReadFile(i.secretsFile())
	if err == nil {
		err = json.Unmarshal(b, &i.secrets)
	}
	if err != nil {
		return fmt.Errorf("the database's passwords cannot be read from %s: %w; restore the file, or begin anew with --fresh", i.secretsFile(), err)
	}
	return nil
}

// create makes the data folder beside its place, sets the accounts while no
// network is open, and moves it into place as the last step.
func (i *Instance) create(ctx context.Context) error {
	fresh := i.data() + ".new"
	if err := os.RemoveAll(fresh); err != nil {
		return err
	}
	if err := os.Mkdir(fresh, 0o700); err != nil {
		return err
	}
	if err := i.own(fresh); err != nil {
		return err
	}
	install, err := find("mariadb-install-db")
	if err != nil {
		return err
	}
	args := []string{"--no-defaults", "--datadir=" + fresh, "--skip-test-db", "--auth-root-authentication-method=normal"}
	if i.runAs != nil {
		args = append(args, "--user="+i.runAs.name)
	}
	making := exec.CommandContext(ctx, install, args...)
	making.Env = append(os.Environ(), "TMPDIR="+i.temp())
	if out, err := making.CombinedOutput(); err != nil {
		return fmt.Errorf("mariadb-install-db: %w: %s", err, errorLine(out))
	}
	if err := i.run(ctx, fresh, "--skip-networking"); err != nil {
		return err
	}
	err = i.setAccounts(ctx)
	if err := errors.Join(err, i.Stop()); err != nil {
		return err
	}
	// The secrets are written before the folder: a folder without them is useless.
	if err := i.writeSecrets(); err != nil {
		return err
	}
	return os.Rename(fresh, i.data())
}

func (i *Instance) setAccounts(ctx context.Context) error {
	i.secrets = secrets{Root: password(), Owner: password(), App: password()}
	db, err := i.admin("root", "")
	if err != nil {
		return err
	}
	defer db.Close()
	return execAll(ctx, db, []string{
		"DELETE FROM mysql.global_priv WHERE User <> 'mariadb.sys' AND NOT (User = 'root' AND Host = 'localhost')",
		"FLUSH PRIVILEGES",
		"CREATE DATABASE " + Database + " CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_520_ci",
		"CREATE USER '" + ownerUser + "'@'127.0.0.1' IDENTIFIED BY '" + i.secrets.Owner + "'",
		"GRANT ALL PRIVILEGES ON " + Database + ".* TO '" + ownerUser + "'@'127.0.0.1'",
		"CREATE USER '" + AppUser + "'@'127.0.0.1' IDENTIFIED BY '" + i.secrets.App + "'",
		"ALTER USER 'root'@'localhost' IDENTIFIED BY '" + i.secrets.Root + "'",
	})
}

func (i *Instance) writeSecrets() error {
	b, err := json.Marshal(i.secrets)
	if err != nil {
		return err
	}
	f, err := os.OpenFile(i.secretsFile(), os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = f.Write(b)
	return errors.Join(err, f.Sync(), f.Close())
}

func password() string {
	b := make([]byte, 16)
	_, _ = rand.Read(b) // never fails: documented to end the program instead
	return hex.EncodeToString(b)
}

// errorLine is what a MariaDB program gave as the reason for ending: its first
// line with ERROR in it, else its last.
func errorLine(out []byte) string {
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	for _, line := range lines {
		if strings.Contains(line, "ERROR") {
			return line
		}
	}
	return lines[len(lines)-1]
}

// Discard removes the instance in dir, after stopping a server that was left
// running on it. The caller must hold a lock on dir.
func Discard(dir string) error {
	i := &Instance{cfg: Config{Dir: dir, Progress: func(string) {}}}
	if err := i.stopOrphans(); err != nil {
		return err
	}
	for _, path := range []string{i.data(), i.data() + ".new", i.temp(), i.secretsFile(), i.portFile(), i.logFile()} {
		if err := os.RemoveAll(path); err != nil {
			return fmt.Errorf("removing the database: %w", err)
		}
	}
	return nil
}
