// Package drill runs the real program against its worst days: it is killed, its database is
// killed, both are, under writers that keep on; and a yard of technicians uses it at once. It
// counts what was lost, and measures how long writes were away and how long answers took.
package drill

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"
	"gonum.org/v1/gonum/stat"
)

// Client of the running program, with a session of its own.
type Client struct {
	base   string
	http   *http.Client
	cookie string
}

// attempt bounds one request: the program answers within 5 s, or is gone.
const attempt = 6 * time.Second

// NewClient for the program at base, calling from a loopback address of its own; empty for any.
func NewClient(base, from string) *Client {
	dialer := &net.Dialer{Timeout: time.Second}
	if from != "" {
		dialer.LocalAddr = &net.TCPAddr{IP: net.ParseIP(from)}
	}
	return &Client{base: base, http: &http.Client{Timeout: attempt, Transport: &http.Transport{DialContext: dialer.DialContext, MaxIdleConnsPerHost: 64}}}
}

// Call an operation, a body of bytes as it is and another as JSON, with more headers; the status is 0 when there was no whole answer.
func (c *Client) Call(ctx context.Context, method, path string, body any, headers ...string) (status int, text []byte, err error) {
	var reader io.Reader
	kind := "application/json"
	switch b := body.(type) {
	case nil:
	case []byte:
		reader, kind = bytes.NewReader(b), "application/octet-stream"
	default:
		text, err := json.Marshal(b)
		if err != nil {
			return 0, nil, err
		}
		reader = bytes.NewReader(text)
	}
	req, err := http.NewRequestWithContext(ctx, method, c.base+path, reader)
	if err != nil {
		return 0, nil, err
	}
	req.Header.Set("Content-Type", kind)
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	req.Header.Set("Cookie", c.cookie)
	for i := 0; i+1 < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	res, err := c.http.Do(req)
	if err != nil {
		return 0, nil, err
	}
	defer res.Body.Close()
	if text, err = io.ReadAll(res.Body); err != nil {
		return 0, nil, err
	}
	for _, k := range res.Cookies() {
		if k.Name == "session" {
			c.cookie = k.Name + "=" + k.Value
		}
	}
	return res.StatusCode, text, nil
}

// SignIn with a demo account.
func (c *Client) SignIn(ctx context.Context, email, password string) error {
	status, text, err := c.Call(ctx, http.MethodPost, "/api/v1/session", map[string]string{"email": email, "password": password})
	if err == nil && status != http.StatusOK {
		err = fmt.Errorf("sign-in of %s: %d %s", email, status, text)
	}
	return err
}

// Share takes over the session of another client.
func (c *Client) Share(other *Client) { c.cookie = other.cookie }

// Line that was acknowledged.
type Line struct {
	Unit, ID, Text string
	struck         bool
}

// Writer writes one note after another, each until it is acknowledged, with its one id.
type Writer struct {
	Client *Client
	Units  []string
	Rand   *rand.Rand
	mu     sync.Mutex
	lines  []Line
	last   time.Time
	wrong  []string
}

// Run until ctx ends. What is refused, which a note never is, is kept in [Writer.Wrong].
func (w *Writer) Run(ctx context.Context) {
	for n := 0; ctx.Err() == nil; n++ {
		l := Line{Unit: w.Units[w.Rand.IntN(len(w.Units))], ID: uuid.Must(uuid.NewV7()).String(), Text: fmt.Sprintf("drill %d %d", n, w.Rand.Uint64())}
		body := map[string]any{"id": l.ID, "kind": "note", "at": now().UTC().Format(time.RFC3339), "note": map[string]string{"text": l.Text}}
		for ctx.Err() == nil {
			began := time.Now()
			status, text, err := w.Client.Call(ctx, http.MethodPost, "/api/v1/units/"+l.Unit+"/entries", body)
			if err == nil && (status == http.StatusCreated || status == http.StatusOK) {
				w.mu.Lock()
				w.lines, w.last = append(w.lines, l), began
				w.mu.Unlock()
				break
			}
			if err == nil && status < 500 && status != http.StatusTooManyRequests {
				w.mu.Lock()
				w.wrong = append(w.wrong, fmt.Sprintf("%s: %d %.200s", l.ID, status, text))
				w.mu.Unlock()
				break
			}
			pause(ctx, 20*time.Millisecond)
		}
	}
}

// Lines acknowledged so far.
func (w *Writer) Lines() []Line {
	w.mu.Lock()
	defer w.mu.Unlock()
	return slices.Clone(w.lines)
}

// Last is when the last request that was acknowledged began.
func (w *Writer) Last() time.Time {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.last
}

// Wrong answers: refusals of lines that nothing is wrong with.
func (w *Writer) Wrong() []string {
	w.mu.Lock()
	defer w.mu.Unlock()
	return slices.Clone(w.wrong)
}

// Count is what became of acknowledged lines.
type Count struct{ Acknowledged, Lost, Doubled, Changed int }

// Sound reports whether every acknowledged line is there once, as it was sent.
func (c Count) Sound() bool { return c.Lost == 0 && c.Doubled == 0 && c.Changed == 0 }

// Compare acknowledged lines with what the accounts hold.
func Compare(lines []Line, there []Line) Count {
	byID, byText := map[string][]Line{}, map[string]int{}
	for _, l := range there {
		byID[l.ID] = append(byID[l.ID], l)
		byText[l.Text]++
	}
	c := Count{Acknowledged: len(lines)}
	for _, l := range lines {
		found := byID[l.ID]
		switch {
		case len(found) == 0:
			c.Lost++
		case len(found) > 1 || byText[l.Text] > 1:
			c.Doubled++
		case found[0] != l:
			c.Changed++
		}
	}
	return c
}

// Notes that the accounts of the units hold.
func Notes(ctx context.Context, c *Client, units []string) ([]Line, error) {
	var all []Line
	for _, unit := range units {
		for before := ""; ; {
			status, text, err := c.Call(ctx, http.MethodGet, "/api/v1/units/"+unit+"/lines?kind=note&limit=500"+before, nil)
			if err == nil && status != http.StatusOK {
				err = fmt.Errorf("lines of %s: %d %.200s", unit, status, text)
			}
			var page struct {
				First int `json:"first"`
				Lines []struct {
					ID   string `json:"id"`
					Body struct {
						Note struct {
							Text string `json:"text"`
						} `json:"note"`
					} `json:"body"`
					Struck json.RawMessage `json:"struck"`
				} `json:"lines"`
			}
			if err == nil {
				err = json.Unmarshal(text, &page)
			}
			if err != nil {
				return nil, err
			}
			for _, l := range page.Lines {
				all = append(all, Line{Unit: unit, ID: l.ID, Text: l.Body.Note.Text, struck: len(l.Struck) > 0})
			}
			if page.First == 0 {
				break
			}
			before = fmt.Sprint("&before=", page.First)
		}
	}
	return all, nil
}

// Units of the register, at most 100, by code.
func Units(ctx context.Context, c *Client) (codes []string, err error) {
	status, text, err := c.Call(ctx, http.MethodGet, "/api/v1/units?limit=100", nil)
	if err == nil && status != http.StatusOK {
		err = fmt.Errorf("units: %d %.200s", status, text)
	}
	var units []struct {
		Code string `json:"code"`
	}
	if err == nil {
		err = json.Unmarshal(text, &units)
	}
	for _, u := range units {
		codes = append(codes, u.Code)
	}
	return codes, err
}

// Load is how technicians were answered.
type Load struct {
	Reads, Writes []time.Duration
	Errors        []string
}

// Technicians at work for a while: each reads an account, writes an entry, and waits 2 to 5 s.
func Technicians(ctx context.Context, clients []*Client, units []string, seed uint64) Load {
	var mu sync.Mutex
	var load Load
	var all sync.WaitGroup
	for i, c := range clients {
		r := rand.New(rand.NewPCG(seed, uint64(i)))
		all.Go(func() {
			pause(ctx, time.Duration(r.IntN(3500))*time.Millisecond)
			for n := 0; ctx.Err() == nil; n++ {
				unit := units[r.IntN(len(units))]
				note := map[string]any{"id": uuid.Must(uuid.NewV7()).String(), "kind": "note", "at": now().UTC().Format(time.RFC3339),
					"note": map[string]string{"text": fmt.Sprintf("round %d", n)}}
				read, err := timed(ctx, c, http.MethodGet, "/api/v1/units/"+unit, nil)
				var write time.Duration
				var writeErr error
				if err == nil {
					write, writeErr = timed(ctx, c, http.MethodPost, "/api/v1/units/"+unit+"/entries", note)
				}
				if ctx.Err() != nil {
					return // the end cut it off
				}
				mu.Lock()
				for _, err := range []error{err, writeErr} {
					if err != nil {
						load.Errors = append(load.Errors, err.Error())
					}
				}
				if err == nil {
					load.Reads = append(load.Reads, read)
				}
				if err == nil && writeErr == nil {
					load.Writes = append(load.Writes, write)
				}
				mu.Unlock()
				pause(ctx, 2*time.Second+time.Duration(r.IntN(3000))*time.Millisecond)
			}
		})
	}
	all.Wait()
	return load
}

func timed(ctx context.Context, c *Client, method, path string, body any) (time.Duration, error) {
	began := time.Now()
	status, text, err := c.Call(ctx, method, path, body)
	if err == nil && status >= 300 {
		err = fmt.Errorf("%s %s: %d %.120s", method, path, status, text)
	}
	return time.Since(began), err
}

// Percentile of the durations by the nearest rank, p in percent; 0 of none.
func Percentile(all []time.Duration, p int) time.Duration {
	if len(all) == 0 {
		return 0
	}
	sorted := make([]float64, len(all))
	for i, d := range all {
		sorted[i] = float64(d)
	}
	slices.Sort(sorted)
	return time.Duration(stat.Quantile(float64(p)/100, stat.Empirical, sorted, nil))
}

// WaitUntil f succeeds, asking each 20 ms; its last error when it does not within the time.
func WaitUntil(ctx context.Context, within time.Duration, f func() error) error {
	ctx, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	for {
		err := f()
		if err == nil {
			return nil
		}
		pause(ctx, 20*time.Millisecond)
		if ctx.Err() != nil {
			return fmt.Errorf("not within %s: %w", within, err)
		}
	}
}

// Ready reports whether the program takes requests.
func Ready(ctx context.Context, c *Client) error {
	status, text, err := c.Call(ctx, http.MethodGet, "/readyz", nil)
	if err == nil && status != http.StatusOK {
		err = errors.New(strings.TrimSpace(string(text)))
	}
	return err
}

func pause(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}
