package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"diligentledger/internal/config"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/people"
	"diligentledger/internal/standin"
)

// flaky is a database server that ends, and starts again only at the last of some tries.
type flaky struct {
	exited chan struct{}
	fails  int
	tries  int
}

func (f *flaky) Exited() <-chan struct{} { return f.exited }

func (f *flaky) Port() int { return 40_000 + f.tries }

func (f *flaky) Restart(context.Context) error {
	f.tries++
	if f.tries <= f.fails {
		return errors.New("no space left on device")
	}
	f.exited = make(chan struct{})
	return nil
}

// A database that does not start is tried again, with growing pauses and for good; each try is
// said, and so is that it answers again.
func TestKeepAlive(t *testing.T) {
	for _, fails := range []int{0, 1, 12} {
		f := &flaky{exited: make(chan struct{}), fails: fails}
		close(f.exited)
		ctx, cancel := context.WithCancel(t.Context())
		var pauses []time.Duration
		var said []string
		keepAlive(ctx, f, func(_ context.Context, d time.Duration) { pauses = append(pauses, d) }, func(text string) {
			if said = append(said, text); strings.Contains(text, "answers again") {
				cancel()
			}
		})
		cancel()
		if f.tries != fails+1 || len(pauses) != fails+1 || !slices.IsSorted(pauses) || pauses[len(pauses)-1] > 30*time.Second {
			t.Errorf("%d failures: %d tries, pauses %v", fails, f.tries, pauses)
		}
		if last := said[len(said)-1]; !strings.Contains(last, fmt.Sprint("on port ", 40_001+fails)) {
			t.Errorf("%d failures: at last %q", fails, last)
		}
		if fails > 0 && !slices.ContainsFunc(said, func(s string) bool {
			return strings.Contains(s, "no space left") && strings.Contains(s, "trying again in")
		}) {
			t.Errorf("%d failures: said %q", fails, said)
		}
	}
}

// disk of the given size (as mount takes it) that can be filled; the test is skipped where none may be mounted.
func disk(t *testing.T, size string) string {
	t.Helper()
	dir := filepath.Join(t.TempDir(), "disk")
	if err := os.Mkdir(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, "size="+size+",mode=0755"); err != nil {
		t.Skipf("no disk of its own can be mounted here: %v", err)
	}
	t.Cleanup(func() {
		if err := syscall.Unmount(dir, syscall.MNT_DETACH); err != nil {
			t.Error(err)
		}
	})
	return dir
}

// fill the disk of a folder until left bytes are free; empty removes the file again.
func fill(t *testing.T, dir string, left uint64) (empty func()) {
	t.Helper()
	var s syscall.Statfs_t
	if err := syscall.Statfs(dir, &s); err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(dir, "filler")
	f, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	free := s.Bavail * uint64(s.Bsize)
	if free > left {
		if _, err := io.CopyN(f, zeros{}, int64(free-left)); err != nil && !errors.Is(err, syscall.ENOSPC) {
			t.Fatal(err)
		}
	}
	return func() { _ = os.Remove(path) }
}

type zeros struct{}

func (zeros) Read(b []byte) (int, error) { clear(b); return len(b), nil }

// The disk is full: what is recorded can be read, readiness and a write say what is wrong, and
// an invitation keeps nothing. With little room left the books open and verify; with room
// again all goes on.
func TestDiskFull(t *testing.T) {
	if testing.Short() {
		t.Skip("starts a database")
	}
	dir := disk(t, "700m")
	open := func() (*mariadb.Instance, open) {
		t.Helper()
		instance, err := mariadb.Start(t.Context(), mariadb.Config{Dir: dir})
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = instance.Stop() })
		o, err := prepare(t.Context(), privateBackend(instance), config.Config{Data: dir, Demo: true, Weather: config.NoWeather, Zone: "UTC"},
			people.Config{Outbox: standin.Outbox{Dir: filepath.Join(dir, "outbox"), Now: time.Now}, Address: "http://ledger.test", Now: time.Now}, &progress{out: io.Discard})
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = o.store.Close() })
		return instance, o
	}
	instance, o := open()
	session := ""
	send := func(method, path, body string) (int, string) {
		req := httptest.NewRequest(method, "http://localhost"+path, strings.NewReader(body))
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("Cookie", session)
		req.Header.Set("Sec-Fetch-Site", "same-origin")
		res := httptest.NewRecorder()
		o.handler.ServeHTTP(res, req)
		for _, c := range res.Result().Cookies() {
			if c.Name == "session" {
				session = c.Name + "=" + c.Value
			}
		}
		return res.Code, res.Body.String()
	}
	if code, text := send("POST", "/api/v1/session", `{"email":"marrow@skerrow.example","password":"skerrow sound demo"}`); code != http.StatusOK {
		t.Fatalf("%d %s", code, text)
	}
	empty := fill(t, dir, 0)
	if code, text := send("GET", "/readyz", ""); code != http.StatusServiceUnavailable || !strings.Contains(text, "0 MB left") {
		t.Errorf("readiness of a full disk: %d %s", code, text)
	}
	if code, text := send("GET", "/api/v1/units/CA-14", ""); code != http.StatusOK {
		t.Errorf("reading from a full disk: %d %s", code, text)
	}
	if code, text := send("POST", "/api/v1/people", `{"name":"F. Ull","email":"full@skerrow.example","role":"reader"}`); code < 500 || !strings.Contains(text, "disk") {
		t.Errorf("an invitation on a full disk: %d %s", code, text)
	}
	empty()
	empty = fill(t, dir, leastRoom+(8<<20))
	// Lines are written until one finds no room; each answer says truly which.
	written, full := 0, false
	note := strings.Repeat("no room ", 60)
	for i := range 40 {
		if i == 20 {
			empty()
			empty = fill(t, dir, leastRoom-(1<<20))
		}
		code, text := send("POST", "/api/v1/units/CA-14/entries", fmt.Sprintf(`{"id":"019ac000-0000-7000-8000-%012d","kind":"note","at":"2026-11-01T10:00:00Z","note":{"text":%q}}`, i, note))
		if code == http.StatusCreated {
			written++
			continue
		}
		full = true
		if code != http.StatusInsufficientStorage || !strings.Contains(text, "disk") {
			t.Errorf("a line for which there is no room: %d %s", code, text)
		}
		break
	}
	empty()
	var notes int
	if err := o.store.DB().QueryRowContext(t.Context(), `SELECT COUNT(*) FROM entry WHERE id LIKE '019ac000-0000-7000-8000-%'`).Scan(&notes); err != nil || notes != written || !full {
		t.Errorf("%d lines are in the books, %d were answered, full %v, %v", notes, written, full, err)
	}
	var invited int
	if err := o.store.DB().QueryRowContext(t.Context(), `SELECT COUNT(*) FROM person WHERE email = 'full@skerrow.example'`).Scan(&invited); err != nil || invited != 0 {
		t.Errorf("an invitation that failed is kept: %d, %v", invited, err)
	}
	if code, text := send("GET", "/readyz", ""); code != http.StatusOK {
		t.Errorf("readiness with room again: %d %s", code, text)
	}
	if err := errors.Join(o.store.Close(), instance.Stop()); err != nil {
		t.Fatal(err)
	}
	defer fill(t, dir, 20<<20)()
	_, o = open()
	if _, breaks, err := o.store.Verify(t.Context(), nil); err != nil || len(breaks) > 0 {
		t.Errorf("with 20 MB left: %v, %v", breaks, err)
	}
}
