// Package crew runs parts of one piece of work on goroutines of their own, for a
// caller who waits for them. What one of them panics with is the caller's: a
// goroutine that nobody recovers would end the whole program.
package crew

import (
	"fmt"
	"runtime/debug"
	"sync"
)

// Group is some goroutines. Its zero value has none.
type Group struct {
	wg    sync.WaitGroup
	mu    sync.Mutex
	broke any
}

// Go runs do on a goroutine.
func (g *Group) Go(do func()) {
	g.wg.Go(func() {
		defer func() {
			if r := recover(); r != nil {
				g.mu.Lock()
				defer g.mu.Unlock()
				if g.broke == nil {
					g.broke = fmt.Sprintf("%v\n%s", r, debug.Stack())
				}
			}
		}()
		do()
	})
}

// Wait waits for all, and panics with what the first of them panicked with.
func (g *Group) Wait() {
	g.wg.Wait()
	if g.broke != nil {
		panic(g.broke)
	}
}
