package store_test

import (
	"context"
	"sync/atomic"
	"testing"
	"time"

	"diligentledger/internal/store"
)

// Two processes start at once: both migrate, one after the other, and one at a time leads.
func TestLease(t *testing.T) {
	done := make(chan error, 2)
	for range 2 {
		go func() {
			_, err := store.Migrate(t.Context(), instance.OwnerDSN())
			done <- err
		}()
	}
	for range 2 {
		if err := <-done; err != nil {
			t.Error(err)
		}
	}
	other, err := store.Open(instance.AppDSN(), time.Now)
	if err != nil {
		t.Fatal(err)
	}
	defer other.Close()
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	var leading, most, led atomic.Int32
	lead := func(s *store.Store, until context.Context) {
		s.Lead(until, "test", func(ctx context.Context) {
			most.Store(max(most.Load(), leading.Add(1)))
			led.Add(1)
			<-ctx.Done()
			leading.Add(-1)
		}, func(err error) { t.Error(err) })
	}
	first, end := context.WithCancel(ctx)
	ended := make(chan struct{})
	go func() { lead(app, first); close(ended) }()
	for led.Load() == 0 {
		time.Sleep(10 * time.Millisecond)
	}
	go lead(other, ctx)
	time.Sleep(700 * time.Millisecond)
	if led.Load() != 1 {
		t.Fatalf("%d lead at once", led.Load())
	}
	end()
	<-ended
	for deadline := time.Now().Add(20 * time.Second); led.Load() < 2; time.Sleep(10 * time.Millisecond) {
		if time.Now().After(deadline) {
			t.Fatal("the second never led")
		}
	}
	if most.Load() != 1 {
		t.Errorf("%d led at once", most.Load())
	}
}
