package desk

import (
	"context"
	"errors"
	"sync"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/store"
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

// Turn waits until nobody else does something to a production. done lets the next.
func (a *Desk) Turn(ctx context.Context, production string) (done func(), err error) {
	return a.turns.take(ctx, production)
}

// ProductionOf is the production of a set, for its turn.
func (a *Desk) ProductionOf(ctx context.Context, set string) (production string, err error) {
	s, err := store.GetSet(ctx, a.Store.Pool, set)
	if errors.Is(err, store.ErrNotFound) {
		return "", act.NotThere(err, "The set")
	}
	return s.ProductionID, err
}

// Locked does something to a production while nobody else does, in a transaction. Who waits
// for another does so before it, without a connection in hand.
func (a *Desk) Locked(ctx context.Context, production string, do func(tx pgx.Tx, p store.Production) error) error {
	done, err := a.Turn(ctx, production)
	if err != nil {
		return err
	}
	defer done()
	return a.Store.Tx(ctx, func(tx pgx.Tx) error {
		p, err := store.LockProduction(ctx, tx, production)
		if err != nil {
			return act.NotThere(err, "The production")
		}
		return do(tx, p)
	})
}
