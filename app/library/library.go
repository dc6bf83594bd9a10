// Package library is what comes in: downloads, what they are found to hold, the pieces that
// are made of them, and where they are looked for.
package library

import (
	"context"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"

	"visator/app/act"
	"visator/app/desk"
	"visator/supplier"
)

// Library is where pieces lie and are made.
type Library struct {
	*desk.Desk
	Queue Queue // nil where no jobs are started
	// Supplier is where models can be fetched from; nil where there is none.
	Supplier *supplier.Client
}

// NewLibrary is a library of a desk's sets, without jobs and supplier.
func NewLibrary(d *desk.Desk) *Library {
	l := &Library{Desk: d}
	l.Remake = l.askMake
	return l
}

// Queue takes jobs, together with the rows that they are about.
type Queue interface {
	InsertTx(ctx context.Context, tx pgx.Tx, args river.JobArgs,
		opts *river.InsertOpts) (*rivertype.JobInsertResult, error)
	InsertMany(ctx context.Context, params []river.InsertManyParams) ([]*rivertype.JobInsertResult, error)
	JobCancel(ctx context.Context, id int64) (*rivertype.JobRow, error)
}

// Queues: a small download does not wait for a large one.
const (
	QueueIntake = "intake"
	QueueHeavy  = "intake_heavy" // of what is as large as heavyArrival
)

// How often work is tried that fails by no fault of what is worked on.
const (
	intakeTries = 5
	MakeTries   = 5
)

// TellBinned tells pages of what went into the bin or came out of it. With an arrival
// its sets change: they are another revision.
func (a *Library) TellBinned(ctx context.Context, tx pgx.Tx, kind, production string) error {
	if kind != "arrival" {
		act.Tell(ctx, tx, production, "take")
		return nil
	}
	if _, err := tx.Exec(ctx, "update production set revision = revision + 1 where id = $1", production); err != nil {
		return err
	}
	act.Tell(ctx, tx, production, "arrival")
	return nil
}
