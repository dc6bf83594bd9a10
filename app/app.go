// Package app is what a person can do: each deed checks, calls the core,
// stores the result and writes the log.
package app

import (
	"context"
	"strings"
	"sync/atomic"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"

	"visator/app/act"
	"visator/app/edit"
	"visator/app/measure"
	"visator/app/query"
	"visator/core/light"
	"visator/core/optics"
	"visator/core/stage"
	"visator/core/unit"
	"visator/store"
	"visator/supplier"
)

// App does deeds. Queue may be nil where no jobs are started.
type App struct {
	*edit.Desk
	Queue Queue
	// Supplier is where models can be fetched from; nil where there is none.
	Supplier *supplier.Client
	// Memory is how many bytes a picture in the making may take; 0: half of the
	// machine's.
	Memory int64

	touched atomic.Int64 // when a person last did something, in Unix nanoseconds
}

// New is an App on a store, without jobs and supplier.
func New(s *store.Store) *App {
	a := &App{Desk: edit.New(query.New(measure.New(s)))}
	a.Remake = a.askMake
	return a
}

// Queue takes jobs, together with the rows that they are about.
type Queue interface {
	InsertTx(ctx context.Context, tx pgx.Tx, args river.JobArgs,
		opts *river.InsertOpts) (*rivertype.JobInsertResult, error)
	JobCancel(ctx context.Context, id int64) (*rivertype.JobRow, error)
}

// Queues: a download does not wait for a night's renders, nor a small one for a
// large one.
const (
	QueueIntake = "intake"
	QueueHeavy  = "intake_heavy" // of what is as large as heavyArrival
	QueueTakes  = "takes"
	QueueTidy   = "tidy"
)

// DefaultBudget is how many triangles the lens view draws when the artist has
// not said: WebGL in software takes 0.6 s a frame for 200 000.
const DefaultBudget = 250_000

// NewProduction makes a production with a first, empty set.
func (a *App) NewProduction(ctx context.Context, name, unitName string) (production, set string, err error) {
	name = strings.TrimSpace(name)
	if name == "" || len(name) > 200 {
		return "", "", act.Wrong("Give the production a name of 1 to 200 characters.")
	}
	u, ok := unit.ByName(unitName)
	if !ok {
		u = unit.Metre
	}
	production, set = store.NewID(), store.NewID()
	err = a.Store.Tx(ctx, func(tx pgx.Tx) error {
		if err := store.InsertProduction(ctx, tx, store.Production{ID: production, Name: name, Unit: u.Name,
			Budget: DefaultBudget}); err != nil {
			return err
		}
		return store.PutSet(ctx, tx, production,
			stage.Scene{ID: set, Name: "first set", ShotSettings: stage.ShotSettings{View: optics.Default(),
				Light: light.Default()}}, 0)
	})
	return production, set, err
}

// NewSet makes another, empty set in a production.
func (a *App) NewSet(ctx context.Context, production, name string) (set string, err error) {
	s := stage.Scene{ID: store.NewID(), Name: strings.TrimSpace(name),
		ShotSettings: stage.ShotSettings{View: optics.Default(), Light: light.Default()}}
	if err := s.Check(); err != nil {
		return "", act.Wrong("%v", err)
	}
	return s.ID, a.Locked(ctx, production, func(tx pgx.Tx, _ store.Production) error {
		return store.PutSet(ctx, tx, production, s, 0)
	})
}

// SetOptions changes a production's own settings: its unit and the triangles
// that the lens view may draw. They are not part of the log.
func (a *App) SetOptions(ctx context.Context, production, unitName string, budget int) error {
	u, ok := unit.ByName(unitName)
	if !ok {
		return act.Wrong("%q is not a unit: mm, cm, m, in or ft", unitName)
	}
	if budget < 1000 || budget > 20_000_000 {
		return act.Wrong("The lens view can draw 1000 to 20 000 000 triangles.")
	}
	tag, err := a.Store.Pool.Exec(ctx, "update production set unit = $2, budget = $3 where id = $1", production, u.Name,
		budget)
	if err == nil && tag.RowsAffected() == 0 {
		err = act.NotThere(store.ErrNotFound, "The production")
	}
	if err == nil {
		act.Tell(ctx, a.Store.Pool, production, "options")
	}
	return err
}
