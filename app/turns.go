package app

import (
	"context"
	"sync"
)

// turns lets one after the other do something to the same thing. Who waits here
// holds nothing: no connection to the database, no row.
type turns struct {
	mu   sync.Mutex
	held map[string]*turn
}

type turn struct {
	free    chan struct{} // holds one when nobody has the turn
	waiting int           // who have it or wait for it
}

// take waits for the turn of a key, or until ctx ends. done gives it on.
func (t *turns) take(ctx context.Context, key string) (done func(), err error) {
	t.mu.Lock()
	if t.held == nil {
		t.held = map[string]*turn{}
	}
	own := t.held[key]
	if own == nil {
		own = &turn{free: make(chan struct{}, 1)}
		own.free <- struct{}{}
		t.held[key] = own
	}
	own.waiting++
	t.mu.Unlock()
	leave := func() {
		t.mu.Lock()
		defer t.mu.Unlock()
		if own.waiting--; own.waiting == 0 {
			delete(t.held, key)
		}
	}
	select {
	case <-own.free:
		return func() { own.free <- struct{}{}; leave() }, nil
	case <-ctx.Done():
		leave()
		return nil, ctx.Err()
	}
}
