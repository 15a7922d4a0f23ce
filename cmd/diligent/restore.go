package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"diligentledger/internal/archive"
	"diligentledger/internal/fleet"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/store"
)

// restore a backup in the place of a database.
func restore(ctx context.Context, args []string, out io.Writer) error {
	if len(args) == 0 || strings.HasPrefix(args[0], "-") {
		return errors.New(restoreUsage)
	}
	flags := flag.NewFlagSet("diligent restore", flag.ContinueOnError)
	data := flags.String("data", ".run", "folder of the database")
	if err := flags.Parse(args[1:]); err != nil {
		return err
	}
	content, err := os.ReadFile(args[0])
	if err != nil {
		return err
	}
	if !archive.Is(content) {
		return fmt.Errorf("%s is no backup; accepted: a file that diligent backup or diligent export wrote", args[0])
	}
	folder, lock, err := lockStopped(*data)
	if err != nil {
		return err
	}
	defer lock.Close()
	return restoreInto(ctx, folder, content, out)
}

// readArchive of diligent export into the empty books of a folder, or into a folder without a database.
func readArchive(ctx context.Context, data string, content []byte, out io.Writer) error {
	folder, lock, err := lockStopped(data)
	if err != nil {
		return err
	}
	defer lock.Close()
	if err := finishRestore(folder); err != nil {
		return err
	}
	if _, err := os.Stat(filepath.Join(folder, "mariadb")); err == nil {
		if err := refuseFull(ctx, folder); err != nil {
			return err
		}
	}
	return restoreInto(ctx, folder, content, out)
}

// refuseFull gives [archive.ErrNotEmpty] for books that hold something.
func refuseFull(ctx context.Context, folder string) (err error) {
	instance, err := mariadb.Start(ctx, mariadb.Config{Dir: folder})
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, instance.Stop()) }()
	return withStore(instance.OwnerDSN(), func(s *store.Store) error {
		empty, err := archive.Empty(ctx, s.DB())
		if err == nil && !empty {
			err = archive.ErrNotEmpty
		}
		return err
	})
}

// lockStopped is the folder of a program that does not run, locked.
func lockStopped(data string) (folder string, lock dataLock, err error) {
	if folder, err = filepath.Abs(data); err != nil {
		return "", lock, err
	}
	if lock, err = lockData(folder); err != nil {
		return "", lock, fmt.Errorf("the program runs on %s; stop it first: %w", folder, err)
	}
	return folder, lock, nil
}

// A restore is made in a folder of its own beside the database, which stays as it is until the restore is complete and verified.
// Then the two change places. readyFile marks that: a change of places that a killed program began is finished by the next one.
const (
	restoring = "restoring"
	readyFile = "ready"
)

// ofDatabase are what changes places: the database and its passwords.
var ofDatabase = []string{"mariadb", "secrets.json"}

func restoreInto(ctx context.Context, folder string, content []byte, out io.Writer) error {
	if err := finishRestore(folder); err != nil {
		return err
	}
	fresh := filepath.Join(folder, restoring)
	if err := errors.Join(mariadb.Discard(fresh), os.RemoveAll(fresh)); err != nil {
		return fmt.Errorf("an earlier restore that did not end is in %s and cannot be removed: %w", fresh, err)
	}
	n, err := fillFrom(ctx, fresh, content)
	var broken *brokenError
	if err != nil && !errors.As(err, &broken) {
		return errors.Join(fmt.Errorf("%w; the database that was there is as it was", err), mariadb.Discard(fresh), os.RemoveAll(fresh))
	}
	aside := ""
	if _, err := os.Stat(filepath.Join(folder, "mariadb")); err == nil {
		aside = filepath.Join(folder, "mariadb.before-restore-"+now().UTC().Format("20060102T150405Z"))
	}
	if err := os.WriteFile(filepath.Join(fresh, readyFile), []byte(aside), 0o600); err != nil {
		return err
	}
	if err := finishRestore(folder); err != nil {
		return err
	}
	if aside != "" {
		fmt.Fprintf(out, "what was there is kept in %s\n", aside)
	}
	if broken != nil {
		return fmt.Errorf("%d rows restored into %s, and %w", n, folder, broken)
	}
	_, err = fmt.Fprintf(out, "%d rows restored into %s; every chain holds\n", n, folder)
	return err
}

// brokenError says that books were read whose chains do not hold: they were tampered with before the archive was written, or it was.
type brokenError struct{ breaks []store.Break }

func (e *brokenError) Error() string {
	return fmt.Sprintf("%d places do not hold, the first: %s", len(e.breaks), e.breaks[0])
}

// fillFrom fills a database of its own with an archive; how many rows there are. A [brokenError] when a chain does not hold.
func fillFrom(ctx context.Context, dir string, content []byte) (n int, err error) {
	instance, err := mariadb.Start(ctx, mariadb.Config{Dir: dir})
	if err != nil {
		return 0, err
	}
	defer func() { err = errors.Join(err, instance.Stop()) }()
	if _, err := store.Migrate(ctx, instance.OwnerDSN()); err != nil {
		return 0, err
	}
	return n, withStore(instance.OwnerDSN(), func(s *store.Store) error {
		if n, err = archive.Read(ctx, s.DB(), content); err != nil {
			return err
		}
		return settled(ctx, s)
	})
}

// settled computes what follows from books that were just read, and verifies them.
func settled(ctx context.Context, s *store.Store) error {
	if _, err := s.Rebuild(ctx); err != nil {
		return err
	}
	if _, err := fleet.New(s, now).RefreshStatus(ctx); err != nil {
		return err
	}
	_, breaks, err := s.Verify(ctx, nil)
	if err == nil && len(breaks) > 0 {
		err = &brokenError{breaks}
	}
	return err
}

// finishRestore lets a restore that is complete take the place of the database. Each step can be done again.
func finishRestore(folder string) error {
	fresh := filepath.Join(folder, restoring)
	aside, err := os.ReadFile(filepath.Join(fresh, readyFile))
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	// Heads that were kept are of the database that goes: beside an older state they would say that lines are missing.
	if kept := headsFolder(folder); len(aside) > 0 {
		if _, err := os.Stat(kept); err == nil {
			if err := os.MkdirAll(string(aside), 0o700); err != nil {
				return err
			}
			if err := os.Rename(kept, filepath.Join(string(aside), filepath.Base(kept))); err != nil {
				return err
			}
		}
	}
	for _, name := range ofDatabase {
		from, to := filepath.Join(fresh, name), filepath.Join(folder, name)
		if _, err := os.Stat(from); errors.Is(err, os.ErrNotExist) {
			continue // it has its place already
		}
		if _, err := os.Stat(to); err == nil {
			if len(aside) == 0 {
				return fmt.Errorf("%s came while a restore was finished; move it away, and start again", to)
			}
			if err := os.MkdirAll(string(aside), 0o700); err != nil {
				return err
			}
			if err := os.Rename(to, filepath.Join(string(aside), name)); err != nil {
				return err
			}
		}
		if err := os.Rename(from, to); err != nil {
			return err
		}
	}
	return os.RemoveAll(fresh)
}
