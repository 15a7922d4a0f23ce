package main

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"diligentledger/internal/mariadb"
	"diligentledger/internal/store"
	"diligentledger/internal/testfolder"
)

// Heads are written when one has moved, each file names the one before it, and none is written
// of chains that do not pass through the heads of the last.
func TestHeads(t *testing.T) {
	if testing.Short() {
		t.Skip("starts a database")
	}
	data := testfolder.New(t)
	ctx := context.Background()
	instance, err := mariadb.Start(ctx, mariadb.Config{Dir: filepath.Join(data, "db")})
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = instance.Stop() }()
	if _, err := store.Migrate(ctx, instance.OwnerDSN()); err != nil {
		t.Fatal(err)
	}
	if err := instance.Grant(ctx, store.Rights); err != nil {
		t.Fatal(err)
	}
	s, err := store.Open(instance.AppDSN(), time.Now)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	owner, err := store.Open(instance.OwnerDSN(), time.Now)
	if err != nil {
		t.Fatal(err)
	}
	defer owner.Close()
	now := time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC)
	keep := func(always bool) error {
		now = now.Add(time.Hour)
		return keepHeadsOf(ctx, s, data, now, always)
	}
	beside := func() ([]headsFile, string) {
		t.Helper()
		files, problems, err := headsBeside(ctx, s, data)
		if err != nil {
			t.Fatal(err)
		}
		return files, strings.Join(problems, "\n")
	}
	sign := func() {
		t.Helper()
		if err := s.Audit(ctx, store.Audited{Who: "A. Brook", What: "signed_in"}); err != nil {
			t.Fatal(err)
		}
	}
	if err := errors.Join(keep(true), keep(false), keep(false)); err != nil {
		t.Fatal(err)
	}
	if files, problems := beside(); len(files) != 1 || problems != "" {
		t.Fatalf("nothing changed: %d files, %s", len(files), problems)
	}
	sign()
	if err := errors.Join(keep(false), keep(true)); err != nil {
		t.Fatal(err)
	}
	files, problems := beside()
	if len(files) != 3 || problems != "" || files[1].before.Before != files[0].name || files[2].before.Before != files[1].name {
		t.Fatalf("%d files, %s: %+v", len(files), problems, files)
	}
	for i, says := range []string{files[1].name + " names it", files[2].name + " names it", "the database names it"} {
		path := filepath.Join(headsFolder(data), files[i].name)
		text, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		if err := os.Remove(path); err != nil {
			t.Fatal(err)
		}
		if _, problems := beside(); !strings.Contains(problems, files[i].name) || !strings.Contains(problems, says) {
			t.Errorf("file %d removed: %q", i, problems)
		}
		if err := os.WriteFile(path, text, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	// The last line of the audit is removed with all that holds it: the chain holds by itself.
	for _, statement := range []string{`DELETE FROM audit`, `DELETE FROM chain_line WHERE chain = 'audit'`, `UPDATE chain SET seq = 0, hash = REPEAT(CHAR(0), 32) WHERE name = 'audit'`} {
		if _, err := owner.DB().ExecContext(ctx, statement); err != nil {
			t.Fatal(err)
		}
	}
	if _, breaks, err := s.Verify(ctx, nil); err != nil || len(breaks) > 0 {
		t.Fatalf("without the heads: %v, %v", breaks, err)
	}
	for range 2 { // again once another line has taken the place of the first
		if _, breaks, err := s.Verify(ctx, files[2].heads); err != nil || len(breaks) != 1 {
			t.Errorf("with the heads: %v, %v", breaks, err)
		}
		if err := keep(true); !errors.Is(err, errTampered) {
			t.Errorf("heads were kept of a chain that was rewritten: %v", err)
		}
		sign()
	}
}
