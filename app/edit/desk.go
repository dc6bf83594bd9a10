// Package edit is what a person can do to a set: an edit is a list of commands, done as one
// or not at all, kept in the log and taken back as one.
package edit

import (
	"context"

	"github.com/jackc/pgx/v5"

	"visator/app/query"
	"visator/store"
)

// Desk is where edits are made.
type Desk struct {
	*query.Pages
	// Remake makes a piece follow what was decided about it, at once or by a job.
	Remake func(ctx context.Context, tx pgx.Tx, p *store.Piece) error

	turns turns
}

// New is a desk for the sets that pages show.
func New(pages *query.Pages) *Desk { return &Desk{Pages: pages} }
