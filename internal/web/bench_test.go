package web_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/access"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/demo"
)

const writers = 16

// longAccounts loads units with accounts of n entries, one for each writer, and gives their codes.
func longAccounts(b *testing.B, name string, n int) (codes []string) {
	b.Helper()
	owner := opened(b, instance.OwnerDSN())
	fleet := demo.Fleet(noon)
	fleet.Name, fleet.Products, fleet.Additives, fleet.Planned, fleet.Types, fleet.Instruments = name, nil, nil, nil, nil, nil
	fleet.Sites, fleet.Plans = fleet.Sites[:1], fleet.Plans[:1]
	fleet.Sites[0].Name, fleet.Plans[0].Name = name, name
	pattern := slices.Clone(fleet.Units[0].Entries)
	fleet.Units = nil
	base := demo.Fleet(noon).Units[0]
	for i := range writers {
		u := base
		u.Code, u.Site, u.Plan, u.Entries = fmt.Sprintf("%s-%02d", name, i), name, name, nil
		codes = append(codes, u.Code)
		for k := range n {
			at := noon.Add(-time.Duration(n-k) * 7 * time.Hour)
			var body ledger.Body = ledger.Meter{Meter: measure.Reading{Value: float64(1000 + 10*k), Unit: measure.Km}}
			switch {
			case k == 0:
				body = pattern[slices.IndexFunc(pattern, func(e ledger.Entry) bool {
					return e.Kind() == ledger.KindRenewal || e.Kind() == ledger.KindOpening
				})].Body
			case k%3 == 1:
				body = ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"}
			case k%3 == 2:
				body = ledger.FreezeTest{Value: measure.Reading{Value: -37, Unit: measure.DegC}, Instrument: ledger.Refractometer, Scale: "EG", Tool: "R-1"}
			}
			u.Entries = append(u.Entries, ledger.Entry{ID: uuid.Must(uuid.NewV7()).String(), At: at, RecordedAt: at, RecordedBy: "E. Marrow", Body: body})
		}
		fleet.Units = append(fleet.Units, u)
	}
	if _, err := owner.DB().ExecContext(b.Context(), `DELETE FROM installation WHERE name = 'fleet'`); err != nil {
		b.Fatal(err)
	}
	if err := owner.Load(b.Context(), fleet); err != nil {
		b.Fatal(err)
	}
	return codes
}

// together runs f by all writers for a while and gives how often a second.
func together(b *testing.B, lasts time.Duration, f func(writer, n int) error) float64 {
	b.Helper()
	var wg sync.WaitGroup
	counts := make([]int, writers)
	begin := time.Now()
	for w := range writers {
		wg.Go(func() {
			for time.Since(begin) < lasts {
				if err := f(w, counts[w]); err != nil {
					b.Error(err)
					return
				}
				counts[w]++
			}
		})
	}
	wg.Wait()
	sum := 0
	for _, n := range counts {
		sum += n
	}
	return float64(sum) / time.Since(begin).Seconds()
}

// Durable entries by 16 HTTP writers against bare INSERT and COMMIT of the same row by 16
// connections, on accounts of 200 and of 3,700 entries.
func BenchmarkWriters(b *testing.B) {
	const lasts = 3 * time.Second
	db := opened(b, instance.OwnerDSN()).DB()
	db.SetMaxIdleConns(writers)
	if _, err := db.ExecContext(b.Context(), `CREATE TABLE bare LIKE entry`); err != nil {
		b.Fatal(err)
	}
	short, long := longAccounts(b, "SHORT", 200), longAccounts(b, "LONG", 3700)
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: writers}}
	write := func(codes []string) func(int, int) error {
		return func(w, n int) error {
			text, err := json.Marshal(map[string]any{"id": uuid.Must(uuid.NewV7()), "kind": "level_check", "at": now(), "levelCheck": map[string]any{"temper": "cold", "mark": "max"}})
			if err != nil {
				return err
			}
			return post(b.Context(), client, "/api/v1/units/"+codes[w]+"/entries", text, http.StatusCreated)
		}
	}
	var bareRate, shortRate, longRate float64
	for b.Loop() {
		bareRate += together(b, lasts, func(w, n int) error {
			_, err := db.ExecContext(b.Context(), `
				INSERT INTO bare (id, circuit_id, seq, kind, happened_at, recorded_at, recorded_by, recorded_by_id, version, payload, hash, prev_hash)
				VALUES (?, ?, ?, 'level_check', ?, ?, 'E. Marrow', 1, 2, '{"temper":"cold","mark":"max"}', REPEAT('x', 32), REPEAT('x', 32))`,
				uuid.Must(uuid.NewV7()).String(), w, time.Now().UnixNano(), now(), now())
			return err
		})
		shortRate += together(b, lasts, write(short))
		longRate += together(b, lasts, write(long))
	}
	b.ReportMetric(bareRate/float64(b.N), "bare/s")
	b.ReportMetric(shortRate/float64(b.N), "short/s")
	b.ReportMetric(longRate/float64(b.N), "long/s")
	b.ReportMetric(shortRate/bareRate, "short/bare")
	b.ReportMetric(longRate/bareRate, "long/bare")
	b.ReportMetric(0, "ns/op")
}

func post(ctx context.Context, client *http.Client, path string, text []byte, want int) error {
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, server.URL+path, bytes.NewReader(text))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	req.Header.Set("Cookie", cookies[access.Coordinator])
	res, err := client.Do(req)
	if err != nil {
		return err
	}
	answer, err := io.ReadAll(res.Body)
	if err != nil {
		return err
	}
	if err := res.Body.Close(); err != nil {
		return err
	}
	if res.StatusCode != want {
		return fmt.Errorf("%s: %d %s", path, res.StatusCode, answer)
	}
	return nil
}

// statements that the server was asked, by its own count.
func statements(ctx context.Context, db *sql.DB) (n int, err error) {
	var name, value string
	if err := db.QueryRowContext(ctx, `SHOW GLOBAL STATUS LIKE 'Questions'`).Scan(&name, &value); err != nil {
		return 0, err
	}
	return strconv.Atoi(value)
}

// The preview of an entry on an account of 1,000 entries, and the account of 3,700 lines as a
// page asks for it.
func BenchmarkOneAccount(b *testing.B) {
	preview, long := longAccounts(b, "PREVIEW", 1000), longAccounts(b, "PAGE", 3700)
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: writers, DisableCompression: true}}
	var previewed, answered time.Duration
	var size, asked int
	db := opened(b, instance.OwnerDSN()).DB()
	for b.Loop() {
		text, err := json.Marshal(map[string]any{"id": uuid.Must(uuid.NewV7()), "kind": "level_check", "at": now(), "levelCheck": map[string]any{"temper": "cold", "mark": "max"}})
		if err != nil {
			b.Fatal(err)
		}
		before, err := statements(b.Context(), db)
		if err != nil {
			b.Fatal(err)
		}
		begin := time.Now()
		if err := post(b.Context(), client, "/api/v1/units/"+preview[0]+"/entries/preview", text, http.StatusOK); err != nil {
			b.Fatal(err)
		}
		previewed += time.Since(begin)
		after, err := statements(b.Context(), db)
		if err != nil {
			b.Fatal(err)
		}
		asked = after - before - 1 // but for the count itself
		begin = time.Now()
		req, err := http.NewRequestWithContext(b.Context(), http.MethodGet, server.URL+"/api/v1/units/"+long[0], nil)
		if err != nil {
			b.Fatal(err)
		}
		req.Header.Set("Cookie", cookies[access.Coordinator])
		req.Header.Set("Accept-Encoding", "gzip")
		res, err := client.Do(req)
		if err != nil {
			b.Fatal(err)
		}
		body, err := io.ReadAll(res.Body)
		if err != nil || res.StatusCode != http.StatusOK {
			b.Fatal(res.Status, err)
		}
		answered += time.Since(begin)
		size = len(body)
		if _, err := gzip.NewReader(bytes.NewReader(body)); err != nil {
			b.Fatal("the answer is not compressed")
		}
	}
	b.ReportMetric(float64(previewed.Microseconds())/1000/float64(b.N), "ms/preview")
	b.ReportMetric(float64(answered.Microseconds())/1000/float64(b.N), "ms/account")
	b.ReportMetric(float64(size)/1000, "kB/account")
	b.ReportMetric(float64(asked), "statements/preview")
	b.ReportMetric(0, "ns/op")
}
