// Package desk is where edits are made: an edit is a list of commands, done as one or not at all,
// kept in the log and taken back as one. What a command does stands in package edit.
package desk

import (
	"context"
	"encoding/json"

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
	op    func(*Command) (Op, error)
}

// Command is one thing that an edit does: the name of an op, and its arguments as the op's
// type says.
type Command struct {
	Op   string          `json:"op"`
	Args json.RawMessage `json:"args"`
}

// Op is the doing of a command, with its arguments.
type Op interface {
	Do(ctx context.Context, e *Editor) error
}

// New is a desk for the sets that pages show; op is what a command does.
func New(pages *query.Pages, op func(*Command) (Op, error)) *Desk { return &Desk{Pages: pages, op: op} }
