package main

import (
	"cmp"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"time"

	"diligentledger/internal/archive"
	"diligentledger/internal/store"
)

const (
	backupUsage = `usage: diligent backup [--data DIR] [--to DIR] [--keep N]

Writes a backup while the program runs: everything as it is at one moment, as an archive that diligent restore reads`
	restoreUsage = `usage: diligent restore FILE [--data DIR]

Puts a backup in the place of the database of a folder; the program must not run there. The database that was there is
kept beside it as mariadb.before-restore-TIME`
)

// backupFolder beside the database.
func backupFolder(data string) string { return filepath.Join(data, "backups") }

const backupPrefix = "diligent-"

// writeBackup into a folder, whole or not at all, and remove the oldest beyond keep; 0 keeps all.
func writeBackup(ctx context.Context, s *store.Store, folder string, keep int, progress func(table string, rows int)) (path string, err error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return "", err
	}
	if err := roomForBackup(folder, bytesFree); err != nil {
		return "", err
	}
	path = filepath.Join(folder, backupPrefix+now().UTC().Format("2006-01-02T150405Z")+".zip")
	file, err := os.CreateTemp(folder, ".being-written-*")
	if err != nil {
		return "", err
	}
	defer func() { _ = os.Remove(file.Name()) }() // renamed by then, when all went well
	if err := errors.Join(archive.Write(ctx, s.DB(), file, now(), progress), file.Sync(), file.Close()); err != nil {
		return "", err
	}
	if err := os.Rename(file.Name(), path); err != nil {
		return "", err
	}
	return path, removeOldest(folder, keep)
}

// leastAfterBackup is how much of the disk a backup leaves to the database.
const leastAfterBackup = 256 << 20

// roomForBackup twice as large as the last one; an error that says what is missing.
func roomForBackup(folder string, free func(string) (uint64, error)) error {
	all, err := filepath.Glob(filepath.Join(folder, backupPrefix+"*.zip"))
	if err != nil {
		return err
	}
	needed := uint64(leastAfterBackup)
	if len(all) > 0 {
		last, err := os.Stat(slices.Max(all)) // by their time
		if err != nil {
			return err
		}
		needed += 2 * uint64(last.Size())
	}
	left, err := free(folder)
	if err != nil {
		return err
	}
	if left < needed {
		return fmt.Errorf("%d MB are free in %s and %d MB are needed, so that the database can go on; make room, keep fewer (--backups) or back up to another disk (diligent backup --to)", left>>20, folder, needed>>20)
	}
	return nil
}

func removeOldest(folder string, keep int) error {
	if keep <= 0 {
		return nil
	}
	all, err := filepath.Glob(filepath.Join(folder, backupPrefix+"*.zip"))
	slices.Sort(all) // by their time
	for len(all) > keep {
		err, all = errors.Join(err, os.Remove(all[0])), all[1:]
	}
	return err
}

// backUp now.
func backUp(ctx context.Context, args []string, out io.Writer) error {
	flags := flag.NewFlagSet("diligent backup", flag.ContinueOnError)
	flags.Usage = func() { fmt.Fprintln(os.Stderr, backupUsage) }
	data := flags.String("data", ".run", "folder of the database")
	to := flags.String("to", "", "folder for the backup; backups/ beside the database without it")
	keep := flags.Int("keep", 0, "how many backups of that folder are kept; 0 keeps all")
	if err := flags.Parse(args); err != nil {
		return err
	}
	return withRegister(ctx, *data, func(s *store.Store) error {
		rows := 0
		path, err := writeBackup(ctx, s, cmp.Or(*to, backupFolder(*data)), *keep, func(table string, n int) {
			rows += n
			fmt.Fprintf(out, "%-16s %d\n", table, n)
		})
		if err != nil {
			return err
		}
		_, err = fmt.Fprintf(out, "%d rows in %s\n", rows, path)
		return err
	})
}

// keepBackups writes one each night at about this hour of the fleet's time zone, and the first one soon after the
// start when there is none of the last day.
const backupHour = 3

// backupAgain is how long after a failed backup it is tried again.
const backupAgain = time.Hour

func keepBackups(ctx context.Context, s *store.Store, data string, keep int, say func(string)) {
	if keep <= 0 {
		return
	}
	tick := time.NewTicker(time.Minute)
	defer tick.Stop()
	var failed time.Time
	for {
		due, err := backupDue(ctx, s, backupFolder(data), now())
		if err == nil && due && now().Sub(failed) > backupAgain {
			_, err = writeBackup(ctx, s, backupFolder(data), keep, func(string, int) {})
		}
		if err != nil && ctx.Err() == nil && now().Sub(failed) > backupAgain {
			failed = now()
			say("the backup of tonight was not written: " + err.Error())
			if err := s.Audit(ctx, store.Audited{Who: "backup", Address: "backup", What: "backup_failed", Detail: err.Error()}); err != nil {
				say("backup: " + err.Error())
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// backupDue: there is none since the last time that it was three in the morning, and there is something to keep.
func backupDue(ctx context.Context, s *store.Store, folder string, now time.Time) (bool, error) {
	zone, err := s.Zone(ctx)
	if err != nil {
		return false, err
	}
	local := now.In(zone)
	night := time.Date(local.Year(), local.Month(), local.Day(), backupHour, 0, 0, 0, zone)
	if night.After(now) {
		night = time.Date(local.Year(), local.Month(), local.Day()-1, backupHour, 0, 0, 0, zone)
	}
	all, err := filepath.Glob(filepath.Join(folder, backupPrefix+"*.zip"))
	if err != nil {
		return false, err
	}
	for _, path := range all {
		if at, err := time.Parse(backupPrefix+"2006-01-02T150405Z.zip", filepath.Base(path)); err == nil && !at.Before(night) {
			return false, nil
		}
	}
	i, err := s.Installation(ctx)
	return err == nil && i.Units > 0, err
}
