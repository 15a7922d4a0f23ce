package main

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"diligentledger/core/ledger"
	"diligentledger/internal/archive"
	"diligentledger/internal/demo"
	"diligentledger/internal/fleet"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/store"
	"diligentledger/internal/testfolder"
)

// books are what must be the same after an archive was read: every account as it is stored, and every head.
func books(t *testing.T, s *store.Store) (accounts map[string]ledger.Packed, heads []store.Head) {
	t.Helper()
	ctx := context.Background()
	heads, breaks, err := s.Verify(ctx, nil)
	if err != nil || len(breaks) > 0 {
		t.Fatalf("verify: %v, %v", breaks, err)
	}
	units, err := s.Units(ctx)
	if err != nil {
		t.Fatal(err)
	}
	all, _, err := s.Accounts(ctx, units)
	if err != nil {
		t.Fatal(err)
	}
	accounts = map[string]ledger.Packed{}
	for address, a := range all {
		if accounts[address], err = a.Store(); err != nil {
			t.Fatal(err)
		}
	}
	return accounts, heads
}

// drill of a restore: books with a fleet, changes and an import are backed up while they are open, go on, are killed and lost; the
// backup gives the accounts, chains and heads of its moment, and what was there is kept beside it.
func TestRestoreDrill(t *testing.T) {
	if testing.Short() {
		t.Skip("starts a database")
	}
	ctx := context.Background()
	data := filepath.Join(testfolder.New(t), "data")
	if err := os.MkdirAll(data, 0o755); err != nil {
		t.Fatal(err)
	}
	lock, err := lockData(data) // as the program that runs holds it
	if err != nil {
		t.Fatal(err)
	}
	begin := func() (*mariadb.Instance, *store.Store) {
		instance, err := mariadb.Start(ctx, mariadb.Config{Dir: data})
		if err != nil {
			t.Fatal(err)
		}
		if _, err := store.Migrate(ctx, instance.OwnerDSN()); err != nil {
			t.Fatal(err)
		}
		if err := instance.Grant(ctx, store.Rights); err != nil {
			t.Fatal(err)
		}
		s, err := store.OpenPatient(instance.OwnerDSN(), time.Now)
		if err != nil {
			t.Fatal(err)
		}
		return instance, s
	}
	instance, s := begin()
	if err := s.Load(ctx, demo.Fleet(time.Now())); err != nil {
		t.Fatal(err)
	}
	f := fleet.New(s, time.Now)
	if _, err := f.RefreshStatus(ctx); err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	sheet := filepath.Join(data, "more.csv")
	if err := os.WriteFile(sheet, []byte("unit;kind;site;capacity;plan\nZZ-1;car;Inland depot;6;Pool car\nZZ-2;car;Moon;6;Pool car\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	rest := filepath.Join(data, "rest.csv")
	if err := importFile(ctx, []string{sheet, "--data", data, "--take", "--rest", rest}, &out); err != nil {
		t.Fatalf("%v\n%s", err, out.String())
	}
	if said := out.String(); !strings.Contains(said, "units: 1 new") || !strings.Contains(said, `"Moon"`) || !strings.Contains(said, "taken") {
		t.Errorf("import said\n%s", said)
	}
	if left, err := os.ReadFile(rest); err != nil || !strings.Contains(string(left), "Moon") {
		t.Errorf("the rest: %s, %v", left, err)
	}
	accounts, heads := books(t, s)
	if accounts["ZZ-1"].Body == nil {
		t.Fatal("ZZ-1 has no account")
	}
	// The application's user, who has the least rights, writes it each night.
	app, err := store.OpenPatient(instance.AppDSN(), time.Now)
	if err != nil {
		t.Fatal(err)
	}
	due := func() bool {
		is, err := backupDue(ctx, app, backupFolder(data), time.Now())
		if err != nil {
			t.Fatal(err)
		}
		return is
	}
	if !due() {
		t.Error("no backup is there, and none is due")
	}
	path, err := writeBackup(ctx, app, backupFolder(data), 2, func(string, int) {})
	if err != nil {
		t.Fatal(err)
	}
	if due() {
		t.Error("a backup was written, and another is due")
	}
	size := uint64(0)
	if info, err := os.Stat(path); err != nil {
		t.Fatal(err)
	} else {
		size = uint64(info.Size())
	}
	for free, enough := range map[uint64]bool{leastAfterBackup + 2*size: true, leastAfterBackup + 2*size - 1: false, 0: false} {
		if err := roomForBackup(backupFolder(data), func(string) (uint64, error) { return free, nil }); (err == nil) != enough {
			t.Errorf("%d bytes are free: %v", free, err)
		}
	}
	content, err := os.ReadFile(path)
	if err != nil || !archive.Is(content) {
		t.Fatalf("the backup is no archive: %v", err)
	}
	if err := restore(ctx, []string{path, "--data", data}, &out); err == nil || !strings.Contains(err.Error(), "stop it first") {
		t.Errorf("restored under the program that runs: %v", err)
	}
	_ = s.Close()
	_ = app.Close()
	_ = instance.Stop()
	_ = lock.Close()
	out.Reset()
	if err := restore(ctx, []string{path, "--data", data}, &out); err != nil {
		t.Fatalf("%v\n%s", err, out.String())
	}
	if lock, err = lockData(data); err != nil {
		t.Fatal(err)
	}
	defer lock.Close()
	instance, s = begin()
	defer func() { _ = s.Close(); _ = instance.Stop() }()
	again, headsAgain := books(t, s)
	if !reflect.DeepEqual(accounts, again) {
		for address, a := range accounts {
			if !reflect.DeepEqual(a, again[address]) {
				t.Errorf("the account of %s is another", address)
			}
		}
		t.Fatalf("%d accounts, before %d", len(again), len(accounts))
	}
	if !slices.Equal(heads, headsAgain) {
		t.Error("the heads are others")
	}
	aside, err := filepath.Glob(filepath.Join(data, "mariadb.before-restore-*"))
	if err != nil || len(aside) == 0 {
		t.Errorf("what was there is not kept: %v, %v", aside, err)
	}
	if _, err := archive.Read(ctx, s.DB(), content); err == nil || !strings.Contains(err.Error(), "not empty") {
		t.Errorf("read into books that are not empty: %v", err)
	}
	// Only as many are kept as set.
	for range 3 {
		time.Sleep(1100 * time.Millisecond)
		if _, err := writeBackup(ctx, s, backupFolder(data), 2, func(string, int) {}); err != nil {
			t.Fatal(err)
		}
	}
	if kept, err := filepath.Glob(filepath.Join(backupFolder(data), "*.zip")); err != nil || len(kept) != 2 {
		t.Errorf("kept %v, %v", kept, err)
	}
	if left, err := filepath.Glob(filepath.Join(backupFolder(data), ".being-written-*")); err != nil || len(left) > 0 {
		t.Errorf("left over: %v, %v", left, err)
	}
	exported := filepath.Join(data, "all.zip")
	if err := export(ctx, []string{exported, "--data", data}, &out); err != nil {
		t.Fatal(err)
	}
	if err := export(ctx, []string{exported, "--data", data}, &out); err == nil {
		t.Error("an export wrote over a file")
	}
}

// An archive that was cut short or changed is read by half nowhere.
func TestDamagedArchive(t *testing.T) {
	for name, content := range map[string][]byte{"nothing": nil, "a text": []byte("hello"), "half a ZIP": []byte("PK\x03\x04half")} {
		if archive.Is(content) {
			t.Errorf("%s is taken for an archive", name)
		}
	}
}
