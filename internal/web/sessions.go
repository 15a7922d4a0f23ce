package web

import (
	"context"
	"time"

	"github.com/alexedwards/scs/v2"
)

// boundedStore lets the session package's store end with the request: its own calls know no
// context, and wait for a connection as long as the database is away.
type boundedStore struct{ scs.Store }

var _ scs.CtxStore = boundedStore{}

// found is what a lookup gave.
type found struct {
	body  []byte
	there bool
	err   error
}

func (s boundedStore) FindCtx(ctx context.Context, token string) ([]byte, bool, error) {
	f, err := within(ctx, func() found {
		body, there, err := s.Find(token)
		return found{body, there, err}
	})
	if err != nil {
		return nil, false, err
	}
	return f.body, f.there, f.err
}

func (s boundedStore) CommitCtx(ctx context.Context, token string, b []byte, expiry time.Time) error {
	failed, err := within(ctx, func() error { return s.Commit(token, b, expiry) })
	if err != nil {
		return err
	}
	return failed
}

func (s boundedStore) DeleteCtx(ctx context.Context, token string) error {
	failed, err := within(ctx, func() error { return s.Delete(token) })
	if err != nil {
		return err
	}
	return failed
}

// within ctx, what call gives; the error of ctx when that ends first. call goes on by itself
// then, and ends with the deadline of its statement.
func within[T any](ctx context.Context, call func() T) (T, error) {
	done := make(chan T, 1)
	go func() { done <- call() }()
	select {
	case v := <-done:
		return v, nil
	case <-ctx.Done():
		var none T
		return none, ctx.Err()
	}
}
