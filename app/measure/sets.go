// Package measure knows how sets stand: it reads them, lays them out, and measures them in
// the background, for whoever edits, draws or judges them. What it worked out is kept and
// found again by what it follows from.
package measure

import "visator/store"

// Sets reads, lays out and measures sets. Close ends what goes on in the background.
type Sets struct {
	Store *store.Store

	watches watches
}

// New are the sets of a store.
func New(s *store.Store) *Sets { return &Sets{Store: s} }
