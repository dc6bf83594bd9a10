// Package measure knows how sets stand: it reads them, lays them out, and measures them in
// the background, for whoever edits, draws or judges them. What it worked out is kept and
// found again by what it follows from.
package measure

import (
	"sync"

	"visator/store"
)

// Sets reads, lays out and measures sets. Close ends what goes on in the background.
type Sets struct {
	Store *store.Store

	shapes   shapes
	bodies   bodies
	laids    laids
	watches  watches
	frames   frames
	sketches sketches
	placed   placed
	wilds    sync.Map // which names are those of plants and stones
}

// New are the sets of a store.
func New(s *store.Store) *Sets { return &Sets{Store: s, placed: newPlaced()} }
