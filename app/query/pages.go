// Package query is what pages read of a set, by topic: everything that can be computed is
// computed here, the browser only draws.
package query

import (
	"visator/app/measure"
)

// Pages reads what pages show.
type Pages struct {
	*measure.Sets
	proposer proposer
}

// New reads from sets.
func New(sets *measure.Sets) *Pages { return &Pages{Sets: sets} }
