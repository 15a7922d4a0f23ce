package main

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"diligentledger/internal/mariadb"
	"diligentledger/internal/store"
)

var errTampered = errors.New("the books were tampered with; keep this database as it is, and compare with a backup")

// verify walks every chain and names what does not hold.
func verify(ctx context.Context, args []string, out io.Writer) error {
	flags := flag.NewFlagSet("diligent verify", flag.ContinueOnError)
	data := flags.String("data", ".run", "folder of the database")
	keptFile := flags.String("heads", "", "file of heads kept from an earlier day, JSON lines")
	if err := flags.Parse(args); err != nil {
		return err
	}
	var kept []store.Head
	if *keptFile != "" {
		var err error
		if kept, err = readHeads(*keptFile); err != nil {
			return err
		}
	}
	return withBooks(ctx, *data, func(s *store.Store) error {
		found, breaks, err := s.Verify(ctx, kept)
		if err != nil {
			return err
		}
		for _, b := range breaks {
			fmt.Fprintln(out, b)
		}
		if len(breaks) > 0 {
			return errTampered
		}
		lines := int64(0)
		for _, h := range found {
			lines += h.Seq
		}
		fmt.Fprintf(out, "%d accounts, %d lines: every chain holds\n", len(found), lines)
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
		n, err := s.Rebuild(ctx)
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
	return withBooks(ctx, *data, func(s *store.Store) error { return writeHeads(ctx, s, out) })
}

func writeHeads(ctx context.Context, s *store.Store, out io.Writer) error {
	found, breaks, err := s.Verify(ctx, nil)
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

func readHeads(path string) ([]store.Head, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	var kept []store.Head
	lines := bufio.NewScanner(f)
	for n := 1; lines.Scan(); n++ {
		var h store.Head
		if err := json.Unmarshal(lines.Bytes(), &h); err != nil || h.Unit == "" {
			return nil, fmt.Errorf(`%s line %d: %q is not a head; accepted: {"unit":…,"seq":…,"hash":…}`, path, n, lines.Text())
		}
		kept = append(kept, h)
	}
	if len(kept) == 0 {
		return nil, errors.Join(lines.Err(), fmt.Errorf("%s holds no heads", path))
	}
	return kept, lines.Err()
}

// withBooks opens the database of a folder: the one that runs, or one started
// for the purpose.
func withBooks(ctx context.Context, data string, f func(*store.Store) error) (err error) {
	data, err = filepath.Abs(data)
	if err != nil {
		return err
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
	s, err := store.OpenPatient(instance.AppDSN(), time.Now)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, s.Close()) }()
	return f(s)
}

// keepHeads writes heads/2026-11-24.jsonl beside the database once a day, for an
// auditor to fetch. The channel is closed when it has stopped.
func keepHeads(ctx context.Context, s *store.Store, data string) <-chan struct{} {
	stopped := make(chan struct{})
	go func() {
		defer close(stopped)
		hourly := time.NewTicker(time.Hour)
		defer hourly.Stop()
		for {
			if err := keepHeadsOf(ctx, s, data, time.Now()); err != nil && ctx.Err() == nil {
				fmt.Fprintln(os.Stderr, "diligent: the heads of the books were not kept:", err)
			}
			select {
			case <-ctx.Done():
				return
			case <-hourly.C:
			}
		}
	}()
	return stopped
}

func keepHeadsOf(ctx context.Context, s *store.Store, data string, day time.Time) error {
	path := filepath.Join(data, "heads", day.Format(time.DateOnly)+".jsonl")
	if _, err := os.Stat(path); err == nil {
		return nil
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return err
	}
	f, err := os.CreateTemp(filepath.Dir(path), ".new-")
	if err != nil {
		return err
	}
	err = writeHeads(ctx, s, f)
	if err := errors.Join(err, f.Sync(), f.Close()); err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	return os.Rename(f.Name(), path)
}
