package main

import (
	"bufio"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"diligentledger/internal/config"
	"diligentledger/internal/fleet"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/store"
)

var errTampered = errors.New("the books were tampered with; keep this database as it is, and compare with a backup")

// notSeen lists what verify cannot find.
const notSeen = `Not seen: what was changed before its row was taken into a chain (an upgrade does that once); sessions, links by mail, waits after
wrong passwords, leases, files that wait for their import and what their headings were taken for; and the work of somebody who rewrote
the whole database and every file of heads. Keep copies of the heads elsewhere: verify --heads FILE compares.
`

// verifyStatuses of a database that has the tables of this version; the rows of an earlier one are evaluated anew at the start.
func verifyStatuses(ctx context.Context, s *store.Store) ([]store.Break, error) {
	if behind, err := s.Unchecked(ctx); err != nil || len(behind) > 0 {
		return nil, err
	}
	return fleet.New(s, now).VerifyStatuses(ctx)
}

// verify walks every chain, holds the stored accounts against their entries and the kept heads
// against both, and names what does not hold.
func verify(ctx context.Context, args []string, out io.Writer) error {
	flags := flag.NewFlagSet("diligent verify", flag.ContinueOnError)
	data := flags.String("data", ".run", "folder of the database")
	keptFile := flags.String("heads", "", "file of heads kept elsewhere, JSON lines; those beside the database are read without it")
	if err := flags.Parse(args); err != nil {
		return err
	}
	var kept []store.Head
	if *keptFile != "" {
		f, err := readHeads(*keptFile)
		if err != nil {
			return err
		}
		kept = f.heads
	}
	return withBooks(ctx, *data, func(s *store.Store) error {
		files, problems, err := headsBeside(ctx, s, *data)
		if err != nil {
			return err
		}
		for _, f := range files {
			kept = append(kept, f.heads...)
		}
		found, breaks, err := s.Verify(ctx, kept)
		if err != nil {
			return err
		}
		accounts, err := s.VerifyAccounts(ctx)
		if err != nil {
			return err
		}
		statuses, err := verifyStatuses(ctx, s)
		if err != nil {
			return err
		}
		for _, b := range slices.Concat(breaks, accounts, statuses) {
			problems = append(problems, b.String())
		}
		for _, p := range problems {
			fmt.Fprintln(out, p)
		}
		if len(problems) > 0 {
			return errTampered
		}
		units, entries, changes := 0, int64(0), int64(0)
		for _, h := range found {
			if h.Chain == "" {
				units, entries = units+1, entries+h.Seq
			} else {
				changes += h.Seq
			}
		}
		fmt.Fprintf(out, "%d accounts, %d lines: every chain holds; %d files of heads agree\n", units, entries, len(files))
		unchecked, err := s.Unchecked(ctx)
		if err != nil {
			return err
		}
		if changes == 0 {
			unchecked = []string{"register, people, audit and stored accounts"}
		}
		if len(unchecked) > 0 {
			fmt.Fprintf(out, "Not checked: %s. This database is of an earlier version; start the program once.\n", strings.Join(unchecked, ", "))
		}
		if changes == 0 {
			return nil
		}
		checked := "register, people, plan, jobs, rounds, imports, photos, weather and audit hold; stored accounts and the rows of the lists agree"
		if len(unchecked) > 0 {
			checked = "the other tables hold; stored accounts agree"
		}
		fmt.Fprintf(out, "%d changes of %s with their entries\n%s", changes, checked, notSeen)
		return nil
	})
}

// rebuild folds every account anew and stores it.
func rebuild(ctx context.Context, args []string, out io.Writer) error {
	flags := flag.NewFlagSet("diligent rebuild", flag.ContinueOnError)
	data := flags.String("data", ".run", "folder of the database")
	if err := flags.Parse(args); err != nil {
		return err
	}
	return withBooks(ctx, *data, func(s *store.Store) error {
		n, err := fleet.New(s, now).Rebuild(ctx)
		if err == nil {
			_, err = fmt.Fprintf(out, "%d accounts folded from their entries and stored\n", n)
		}
		return err
	})
}

// heads writes the heads of all chains, after making sure that they hold.
func heads(ctx context.Context, args []string, out io.Writer) error {
	flags := flag.NewFlagSet("diligent heads", flag.ContinueOnError)
	data := flags.String("data", ".run", "folder of the database")
	if err := flags.Parse(args); err != nil {
		return err
	}
	return withBooks(ctx, *data, func(s *store.Store) error { return writeHeads(ctx, s, nil, out) })
}

// writeHeads of all chains, once they hold by themselves and pass through the heads kept before.
func writeHeads(ctx context.Context, s *store.Store, kept []store.Head, out io.Writer) error {
	found, breaks, err := s.Verify(ctx, kept)
	if err != nil {
		return err
	}
	if len(breaks) > 0 {
		return fmt.Errorf("%s: %w", breaks[0], errTampered)
	}
	encode := json.NewEncoder(out)
	for _, h := range found {
		if err := encode.Encode(h); err != nil {
			return err
		}
	}
	return nil
}

// headsFile is a file of kept heads.
type headsFile struct {
	name  string
	hash  string // SHA-256 of the file, hexadecimal
	heads []store.Head
	// body is the file without its first line.
	body   []byte
	before headsLink
}

// headsLink is the first line of a file of heads: when it was written, and which file was
// written before it. Files made by hand have none.
type headsLink struct {
	Written time.Time `json:"written"`
	Before  string    `json:"before,omitempty"`
	Hash    string    `json:"beforeHash,omitempty"`
}

func readHeads(path string) (f headsFile, err error) {
	text, err := os.ReadFile(path)
	if err != nil {
		return f, err
	}
	f.name, f.hash = filepath.Base(path), fmt.Sprintf("%x", sha256.Sum256(text))
	f.body = text
	lines := bufio.NewScanner(bytes.NewReader(text))
	for n := 1; lines.Scan(); n++ {
		if n == 1 && json.Unmarshal(lines.Bytes(), &f.before) == nil && !f.before.Written.IsZero() {
			_, f.body, _ = bytes.Cut(text, []byte("\n"))
			continue
		}
		var h store.Head
		if err := json.Unmarshal(lines.Bytes(), &h); err != nil || h.Unit == "" && h.Chain == "" {
			return f, fmt.Errorf(`%s line %d: %q is not a head; accepted: {"unit":…,"seq":…,"hash":…}`, path, n, lines.Text())
		}
		f.heads = append(f.heads, h)
	}
	if len(f.heads) == 0 && f.before.Written.IsZero() {
		return f, errors.Join(lines.Err(), fmt.Errorf("%s holds no heads", path))
	}
	return f, lines.Err()
}

// lastHeads is where the database keeps the name and the hash of the last file of heads.
const lastHeads = "last_heads"

func headsFolder(data string) string { return filepath.Join(data, "heads") }

// headsBeside the database, and what is wrong with the files: each names the one before it, and
// the database the last.
func headsBeside(ctx context.Context, s *store.Store, data string) (files []headsFile, problems []string, err error) {
	paths, err := filepath.Glob(filepath.Join(headsFolder(data), "*.jsonl"))
	if err != nil {
		return nil, nil, err
	}
	hashes := map[string]string{}
	for _, path := range paths {
		f, err := readHeads(path)
		if err != nil {
			problems = append(problems, "heads "+err.Error())
			continue
		}
		hashes[f.name] = f.hash
		files = append(files, f)
	}
	check := func(name, hash, says string) {
		switch is, there := hashes[name]; {
		case name == "":
		case !there:
			problems = append(problems, fmt.Sprintf("heads %s: the file is missing; %s names it", name, says))
		case is != hash:
			problems = append(problems, fmt.Sprintf("heads %s: the file is not the one that %s names", name, says))
		}
	}
	for _, f := range files {
		check(f.before.Before, f.before.Hash, f.name)
	}
	last, err := s.Fact(ctx, lastHeads)
	if err != nil {
		return nil, nil, err
	}
	name, hash, _ := strings.Cut(last, " ")
	check(name, hash, "the database")
	return files, problems, nil
}

// withBooks opens the database of a folder: the one that runs, or one started
// for the purpose.
func withBooks(ctx context.Context, data string, f func(*store.Store) error) error {
	return withDatabase(ctx, data, (*mariadb.Instance).AppDSN, f)
}

// withRegister is [withBooks] for a user who may change the register.
func withRegister(ctx context.Context, data string, f func(*store.Store) error) error {
	return withDatabase(ctx, data, (*mariadb.Instance).OwnerDSN, f)
}

func withDatabase(ctx context.Context, data string, user func(*mariadb.Instance) string, f func(*store.Store) error) (err error) {
	if dsn := os.Getenv(config.Prefix + "DSN"); dsn != "" {
		return withStore(mariadb.WithDefaults(dsn), f)
	}
	data, err = filepath.Abs(data)
	if err != nil {
		return err
	}
	if lock, lockErr := lockData(data); lockErr == nil {
		err = finishRestore(data)
		if err = errors.Join(err, lock.Close()); err != nil {
			return err
		}
	}
	if _, err := os.Stat(filepath.Join(data, "mariadb")); err != nil {
		return fmt.Errorf("there is no database in %s; name its folder with --data", data)
	}
	var instance *mariadb.Instance
	if lock, lockErr := lockData(data); lockErr == nil {
		defer lock.Close()
		if instance, err = mariadb.Start(ctx, mariadb.Config{Dir: data}); err != nil {
			return err
		}
		defer func() { err = errors.Join(err, instance.Stop()) }()
	} else if instance, err = mariadb.Attach(data); err != nil {
		return err
	}
	return withStore(user(instance), f)
}

func withStore(dsn string, f func(*store.Store) error) (err error) {
	s, err := store.OpenPatient(dsn, now)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, s.Close()) }()
	return f(s)
}

// keepHeads writes a file of heads beside the database soon after the start, each hour in which something
// changed, and when ctx ends, for an auditor to fetch. The channel is closed when it has stopped.
func keepHeads(ctx context.Context, s *store.Store, data string, say func(string)) <-chan struct{} {
	stopped := make(chan struct{})
	keep := func(ctx context.Context, always bool) {
		if err := keepHeadsOf(ctx, s, data, now(), always); err != nil {
			say("the heads of the books were not kept: " + err.Error())
		}
	}
	go func() {
		defer close(stopped)
		hourly := time.NewTicker(time.Hour)
		defer hourly.Stop()
		// The first requests after a start go first.
		wait(ctx, headsAfter)
		if ctx.Err() == nil {
			keep(ctx, true)
		}
		for {
			select {
			case <-ctx.Done():
				last, cancel := context.WithTimeout(context.WithoutCancel(ctx), lastHeadsWithin)
				defer cancel()
				keep(last, true)
				return
			case <-hourly.C:
				keep(ctx, false)
			}
		}
	}()
	return stopped
}

// headsAfter a start they are written.
const headsAfter = 2 * time.Second

// lastHeadsWithin bounds how long the end of the program waits for its heads.
const lastHeadsWithin = 10 * time.Second

// keepHeadsOf writes a file of heads that names the one before it; unless always, only when a
// head has moved. Chains that do not pass through the heads of the last file are not kept.
func keepHeadsOf(ctx context.Context, s *store.Store, data string, now time.Time, always bool) error {
	if err := os.MkdirAll(headsFolder(data), 0o755); err != nil {
		return err
	}
	fact, err := s.Fact(ctx, lastHeads)
	if err != nil {
		return err
	}
	link, before := headsLink{Written: now.UTC()}, headsFile{}
	if name, hash, found := strings.Cut(fact, " "); found {
		if before, err = readHeads(filepath.Join(headsFolder(data), filepath.Base(name))); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
		link.Before, link.Hash = name, hash
	}
	var text bytes.Buffer
	if err := json.NewEncoder(&text).Encode(link); err != nil {
		return err
	}
	first := text.Len()
	if err := writeHeads(ctx, s, before.heads, &text); err != nil {
		return err
	}
	if !always && bytes.Equal(text.Bytes()[first:], before.body) {
		return nil
	}
	name := now.UTC().Format("2006-01-02T150405.000Z") + ".jsonl"
	if err := writeWhole(filepath.Join(headsFolder(data), name), text.Bytes()); err != nil {
		return err
	}
	return s.SetFact(ctx, lastHeads, fmt.Sprintf("%s %x", name, sha256.Sum256(text.Bytes())))
}

// writeWhole file or none of it.
func writeWhole(path string, text []byte) error {
	f, err := os.CreateTemp(filepath.Dir(path), ".new-")
	if err != nil {
		return err
	}
	_, err = f.Write(text)
	if err := errors.Join(err, f.Sync(), f.Close()); err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	return os.Rename(f.Name(), path)
}
