package people

import (
	"context"
	"fmt"
	"sync"
)

// Busy says that a password was not looked at, since others are before it. The try is not counted.
type Busy struct{ Ahead int }

func (b *Busy) Error() string {
	if b.Ahead == 1 {
		return "one moment: a sign-in is ahead of this one; it was not looked at and is not counted, try again in a few seconds"
	}
	return fmt.Sprintf("one moment: %d sign-ins are ahead of this one; it was not looked at and is not counted, try again in a few seconds", b.Ahead)
}

// hashedAtOnce bounds the memory that sign-ins take, and mostWaiting how many wait for their turn.
const (
	hashedAtOnce = 4
	mostWaiting  = 40
)

// queue of passwords to be hashed: each takes much memory, and a processor for a while.
type queue struct {
	mu      sync.Mutex
	inside  int // that are hashed or wait
	turns   chan struct{}
	persons map[string]*person
}

// person whose tries are looked at one after the other: of several right ones at once none is taken for a wrong one.
type person struct {
	turn chan struct{}
	uses int
}

func newQueue() *queue {
	return &queue{turns: make(chan struct{}, hashedAtOnce), persons: map[string]*person{}}
}

// enter for the tries of who; leave gives the turn back. [Busy] when too many are ahead, or ctx ends first.
func (q *queue) enter(ctx context.Context, who string) (leave func(), err error) {
	q.mu.Lock()
	ahead := q.inside
	if ahead >= hashedAtOnce+mostWaiting {
		q.mu.Unlock()
		return nil, &Busy{ahead}
	}
	q.inside++
	p := q.persons[who]
	if p == nil {
		p = &person{turn: make(chan struct{}, 1)}
		q.persons[who] = p
	}
	p.uses++
	q.mu.Unlock()
	out := func() {
		q.mu.Lock()
		defer q.mu.Unlock()
		q.inside--
		if p.uses--; p.uses == 0 {
			delete(q.persons, who)
		}
	}
	select {
	case p.turn <- struct{}{}:
	case <-ctx.Done():
		out()
		return nil, &Busy{max(1, ahead)}
	}
	select {
	case q.turns <- struct{}{}:
		return func() { <-q.turns; <-p.turn; out() }, nil
	case <-ctx.Done():
		<-p.turn
		out()
		return nil, &Busy{max(1, ahead)}
	}
}
