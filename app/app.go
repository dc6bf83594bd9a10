// Package app is what a person can do: each deed checks, calls the core,
// stores the result and writes the log.
package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"sync"
	"sync/atomic"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"

	"visator/core/light"
	"visator/core/optics"
	"visator/core/stage"
	"visator/core/unit"
	"visator/store"
	"visator/supplier"
)

// App does deeds. Queue may be nil where no jobs are started.
type App struct {
	Store *store.Store
	Queue Queue
	// Supplier is where models can be fetched from; nil where there is none.
	Supplier *supplier.Client
	// Memory is how many bytes a picture in the making may take; 0: half of the
	// machine's.
	Memory int64

	shapes   shapes
	proposer proposer
	bodies   bodies
	laids    laids
	watches  watches
	frames   frames
	sketches sketches
	turns    turns
	touched  atomic.Int64 // when a person last did something, in Unix nanoseconds
	wilds    sync.Map     // which names are those of plants and stones
}

// Queue takes jobs, together with the rows that they are about.
type Queue interface {
	InsertTx(ctx context.Context, tx pgx.Tx, args river.JobArgs, opts *river.InsertOpts) (*rivertype.JobInsertResult, error)
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

// Problem is an error that is told to the person as it stands.
type Problem struct {
	Say  string
	Kind error // one of the Err values below
}

func (p *Problem) Error() string { return p.Say }
func (p *Problem) Unwrap() error { return p.Kind }

// Kinds of problems.
var (
	ErrWrong = errors.New("wrong input")
	ErrStale = errors.New("stale edit")
	ErrNone  = store.ErrNotFound
	ErrFull  = store.ErrFull
)

// DiskFull is told when there is no room for what is to be kept.
var DiskFull = &Problem{"The disk is full. Nothing was changed; what was confirmed before is safe. Make room on it and try again.", ErrFull}

// WaitsForRoom is what is noted of work that goes on when there is room again.
const WaitsForRoom = "the disk is full: it goes on when there is room"

func wrong(format string, args ...any) error {
	return &Problem{fmt.Sprintf(format, args...), ErrWrong}
}

// notThere says what is not there; other errors stay as they are.
func notThere(err error, what string) error {
	if errors.Is(err, store.ErrNotFound) {
		return &Problem{what + " is not there any more; reload the page", ErrNone}
	}
	return err
}

// DefaultBudget is how many triangles the lens view draws when the artist has
// not said: WebGL in software takes 0.6 s a frame for 200 000.
const DefaultBudget = 250_000

// NewProduction makes a production with a first, empty set.
func (a *App) NewProduction(ctx context.Context, name, unitName string) (production, set string, err error) {
	name = strings.TrimSpace(name)
	if name == "" || len(name) > 200 {
		return "", "", wrong("Give the production a name of 1 to 200 characters.")
	}
	u, ok := unit.ByName(unitName)
	if !ok {
		u = unit.Metre
	}
	production, set = store.NewID(), store.NewID()
	err = a.Store.Tx(ctx, func(tx pgx.Tx) error {
		if err := store.InsertProduction(ctx, tx, store.Production{ID: production, Name: name, Unit: u.Name, Budget: DefaultBudget}); err != nil {
			return err
		}
		return store.PutSet(ctx, tx, production, stage.Scene{ID: set, Name: "first set", ShotSettings: stage.ShotSettings{View: optics.Default(), Light: light.Default()}}, 0)
	})
	return production, set, err
}

// NewSet makes another, empty set in a production.
func (a *App) NewSet(ctx context.Context, production, name string) (set string, err error) {
	s := stage.Scene{ID: store.NewID(), Name: strings.TrimSpace(name), ShotSettings: stage.ShotSettings{View: optics.Default(), Light: light.Default()}}
	if err := s.Check(); err != nil {
		return "", wrong("%v", err)
	}
	return s.ID, a.locked(ctx, production, func(tx pgx.Tx, _ store.Production) error {
		return store.PutSet(ctx, tx, production, s, 0)
	})
}

// locked does something to a production while nobody else does, in a transaction.
func (a *App) locked(ctx context.Context, production string, do func(tx pgx.Tx, p store.Production) error) error {
	done, err := a.turns.take(ctx, production)
	if err != nil {
		return err
	}
	defer done()
	return a.Store.Tx(ctx, func(tx pgx.Tx) error {
		p, err := store.LockProduction(ctx, tx, production)
		if err != nil {
			return notThere(err, "The production")
		}
		return do(tx, p)
	})
}

// SetOptions changes a production's own settings: its unit and the triangles
// that the lens view may draw. They are not part of the log.
func (a *App) SetOptions(ctx context.Context, production, unitName string, budget int) error {
	u, ok := unit.ByName(unitName)
	if !ok {
		return wrong("%q is not a unit: mm, cm, m, in or ft", unitName)
	}
	if budget < 1000 || budget > 20_000_000 {
		return wrong("The lens view can draw 1000 to 20 000 000 triangles.")
	}
	tag, err := a.Store.Pool.Exec(ctx, "update production set unit = $2, budget = $3 where id = $1", production, u.Name, budget)
	if err == nil && tag.RowsAffected() == 0 {
		err = notThere(store.ErrNotFound, "The production")
	}
	if err == nil {
		a.tell(ctx, a.Store.Pool, production, "options")
	}
	return err
}

// Channel is the name under which changes are announced in the database.
const Channel = "visator"

// Announcement is what listeners are told: look again at the production.
type Announcement struct {
	Production string `json:"production"`
	What       string `json:"what"` // edit, arrival, take, options, settling
	Revision   int64  `json:"revision,omitempty"`
	// Of a settling: which, of what, how far it is (1: over), and what came of it.
	ID       string  `json:"id,omitempty"`
	Set      string  `json:"set,omitempty"`
	Name     string  `json:"name,omitempty"`
	Progress float64 `json:"progress,omitempty"`
	Say      string  `json:"say,omitempty"`
}

// tell announces a change; within a transaction it is heard when that ends.
func (a *App) tell(ctx context.Context, q store.Querier, production, what string) {
	a.announce(ctx, q, Announcement{Production: production, What: what})
}

func (a *App) announce(ctx context.Context, q store.Querier, say Announcement) {
	raw, _ := json.Marshal(say)
	_, _ = q.Exec(ctx, "select pg_notify($1, $2)", Channel, string(raw))
}
