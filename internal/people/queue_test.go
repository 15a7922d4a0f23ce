package people

import (
	"context"
	"errors"
	"fmt"
	"testing"
)

// A password waits for its turn; when too many are ahead, or the request ends, it is told so, and the place is free again.
func TestQueue(t *testing.T) {
	q := newQueue()
	var leave []func()
	for i := range hashedAtOnce {
		out, err := q.enter(t.Context(), fmt.Sprint("person ", i))
		if err != nil {
			t.Fatal(err)
		}
		leave = append(leave, out)
	}
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	var busy *Busy
	if _, err := q.enter(ended, "another"); !errors.As(err, &busy) || busy.Ahead != hashedAtOnce {
		t.Errorf("%v", err)
	}
	if _, err := q.enter(ended, "person 0"); !errors.As(err, &busy) {
		t.Errorf("a second try of one person: %v", err)
	}
	// Those that wait get their turns, one after the other.
	turns := make(chan func())
	for range mostWaiting {
		go func() {
			out, err := q.enter(t.Context(), "the same")
			if err != nil {
				t.Error(err)
				out = func() {}
			}
			turns <- out
		}()
	}
	for {
		q.mu.Lock()
		n := q.inside
		q.mu.Unlock()
		if n == hashedAtOnce+mostWaiting {
			break
		}
	}
	if _, err := q.enter(t.Context(), "one too many"); !errors.As(err, &busy) || busy.Ahead != hashedAtOnce+mostWaiting {
		t.Errorf("%v", err)
	}
	for _, out := range leave {
		out()
	}
	for range mostWaiting {
		(<-turns)()
	}
	if q.inside != 0 || len(q.persons) != 0 {
		t.Errorf("%d are inside, %d persons", q.inside, len(q.persons))
	}
}
