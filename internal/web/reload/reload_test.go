//go:build !race

package reload_test

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/google/uuid"

	"diligentledger/api"
	"diligentledger/core/access"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/demo"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/mariadb/mariadbtest"
	"diligentledger/internal/web/webtest"
)

const units = 10_000

var (
	noon  = time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)
	books webtest.Books
)

func TestMain(m *testing.M) {
	mariadbtest.Main(m, func(i *mariadb.Instance) {
		f := demo.Fleet(noon)
		pattern := f.Units[0]
		fill := pattern.Entries[slices.IndexFunc(pattern.Entries, func(e ledger.Entry) bool { return e.Kind() == ledger.KindRenewal || e.Kind() == ledger.KindOpening })]
		for n := range units {
			u := pattern
			u.Code, u.Entries = fmt.Sprintf("X-%05d", n), nil
			for k, body := range []ledger.Body{fill.Body, ledger.Meter{Meter: measure.Reading{Value: float64(20_000 + n), Unit: measure.Km}}, ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"}, ledger.NoteBody{Text: "one of many"}} {
				at := noon.AddDate(0, 0, -300+60*k)
				u.Entries = append(u.Entries, ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), At: at, RecordedAt: at, RecordedBy: "E. Marrow", Body: body})
			}
			f.Units = append(f.Units, u)
		}
		var err error
		if books, err = webtest.Open(i, f, func() time.Time { return noon }, false); err != nil {
			panic(err)
		}
	})
}

// queries of lists that do not come without any.
var queries = map[string][]string{
	"/api/v1/horizon/units":   {"?offset=0&limit=100", "?offset=9000&limit=100&text=X-0"},
	"/api/v1/horizon/span":    {"?dueFrom=2026-12-01&dueTo=2027-01-31"},
	"/api/v1/walk":            {"?tag=X-00001"},
	"/api/v1/plan":            {"?from=2026-11-23&weeks=2"},
	"/api/v1/plan/day":        {"?day=2026-11-24"},
	"/api/v1/plan/paper":      {"?from=2026-11-23&of=bay"},
	"/api/v1/entries":         {"", "?writer=Marrow", "?kind=note", "?site=Inland%20depot", "?struck=true", "?unit=X-00001"},
	"/api/v1/units":           {"?limit=100"},
	"/api/v1/audit":           {"", "?who=Marrow"},
	"/api/v1/jobs/choices":    {"?unit=X-00001"},
	"/api/v1/jobs/sheets.pdf": nil, // of jobs that are named
	"/api/v1/tags/sheet":      nil, // of units that are named
	"/api/v1/plan/calendar":   nil, // by a secret
	"/api/v1/plan/events":     nil, // a stream
	"/api/v1/archive":         nil, // everything, with patience
}

// lists are what the contract lets read without naming one thing.
func lists(t *testing.T) (paths []string) {
	t.Helper()
	contract, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	for _, path := range contract.Paths.InMatchingOrder() {
		if contract.Paths.Value(path).Get == nil || strings.Contains(path, "{") {
			continue
		}
		with, special := queries[path]
		if !special {
			with = []string{""}
		}
		for _, query := range with {
			paths = append(paths, path+query)
		}
	}
	return paths
}

func ask(ctx context.Context, cookie, path string) (int, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, books.Server.URL+path, nil)
	if err != nil {
		return 0, err
	}
	req.Header.Set("Cookie", cookie)
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return 0, err
	}
	defer res.Body.Close()
	_, err = io.Copy(io.Discard, res.Body)
	return res.StatusCode, err
}

// Somebody reloads each list fifty times and waits for none: no statement is left that nobody waits for, and each list answers.
func TestReloads(t *testing.T) {
	cookie, err := books.SignIn(t.Context(), access.Coordinator)
	if err != nil {
		t.Fatal(err)
	}
	all := lists(t)
	if len(all) < 30 {
		t.Fatalf("only %d lists: %v", len(all), all)
	}
	ended := make(chan struct{})
	var watching sync.WaitGroup
	var oldest time.Duration
	var which string
	watching.Go(func() {
		for after := 0; ; {
			d, query := oldestStatement(t)
			if d > oldest {
				oldest, which = d, query
			}
			select {
			case <-ended:
				if after++; after > 25 { // for five seconds more
					return
				}
			default:
			}
			time.Sleep(200 * time.Millisecond)
		}
	})
	var clients sync.WaitGroup
	for c := range 4 {
		clients.Go(func() {
			for n := range 50 {
				for i, path := range all {
					if (i+n)%4 != c {
						continue
					}
					ctx, stop := context.WithTimeout(t.Context(), time.Duration(5+10*((i+n)%6))*time.Millisecond)
					_, _ = ask(ctx, cookie, path) // given up
					stop()
				}
			}
		})
	}
	clients.Wait()
	close(ended)
	watching.Wait()
	if oldest > 4*time.Second || oldest == 0 {
		t.Errorf("the oldest statement ran for %s: %s", oldest, which)
	}
	for _, path := range all {
		if status, err := ask(t.Context(), cookie, path); err != nil || status != http.StatusOK {
			t.Errorf("%s: %d %v", path, status, err)
		}
	}
	t.Logf("%d lists, the oldest statement ran for %s", len(all), oldest)
}

// oldestStatement of the application that runs, and for how long; a user of the database sees their own statements.
func oldestStatement(t *testing.T) (d time.Duration, query string) {
	var ms float64
	err := books.Patient.DB().QueryRowContext(t.Context(), `
		SELECT COALESCE(MAX(time_ms), 0), COALESCE(MAX(LEFT(info, 200)), '') FROM information_schema.processlist
		WHERE command IN ('Query', 'Execute') AND id <> CONNECTION_ID() AND db = DATABASE()`).Scan(&ms, &query)
	if err != nil {
		t.Error(err)
	}
	return time.Duration(ms * float64(time.Millisecond)), query
}
