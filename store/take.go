package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
)

// Take is one render of a shot.
type Take struct {
	ID       string          `json:"id"`
	SetID    string          `json:"-"`
	ShotID   string          `json:"shot"`
	Name     string          `json:"name"`
	Kind     string          `json:"kind"`
	State    string          `json:"state"`
	Progress float64         `json:"progress"`
	Note     string          `json:"note"`
	Settings json.RawMessage `json:"settings"`
	Result   json.RawMessage `json:"result"`
	JobID    *int64          `json:"-"`
	Created  time.Time       `json:"created"`
	Turn     int64           `json:"-"` // of whoever renders it
	Marks    json.RawMessage `json:"marks"`
	Due      *time.Time      `json:"due"` // not before it is to be made; null: as soon as it is its turn
}

// Takes are those of a set, the newest first.
func Takes(ctx context.Context, q Querier, set string) ([]Take, error) {
	return List[Take](ctx, q, "select "+takeColumns+" from take where set_id = $1 and binned is null order by created "+
		"desc, id", set)
}

// Take reads one; ErrNotFound when it is not there.
func (s *Store) Take(ctx context.Context, id string) (Take, error) { return TakeOf(ctx, s.Pool, id) }

// TakeOf is Take, within what is being done.
func TakeOf(ctx context.Context, q Querier, id string) (Take, error) {
	return One[Take](ctx, q, "select "+takeColumns+" from take where id = $1 and binned is null", id)
}

// InsertTake puts in a new one.
func InsertTake(ctx context.Context, q Querier, t Take) error {
	_, err := q.Exec(ctx,
		"insert into take (id, set_id, shot_id, name, kind, state, settings, job_id) values ($1, $2, "+
			"$3, $4, $5, $6, $7, $8)",
		t.ID, t.SetID, t.ShotID, t.Name, t.Kind, t.State, t.Settings, t.JobID)
	return err
}

// SetWorld keeps the set of a take as it was when the take was asked for.
func SetWorld(ctx context.Context, q Querier, id string, world []byte) error {
	_, err := q.Exec(ctx, "update take set world = $2 where id = $1", id, json.RawMessage(world))
	return err
}

// World is the set of a take as it was; nil of takes of earlier releases.
func (s *Store) World(ctx context.Context, id string) ([]byte, error) {
	return WorldOf(ctx, s.Pool, id)
}

// WorldOf is World, within what is being done.
func WorldOf(ctx context.Context, q Querier, id string) (world []byte, err error) {
	err = q.QueryRow(ctx, "select world from take where id = $1", id).Scan(&world)
	return world, err
}

// ErrOvertaken says that another took up the work: whoever had it before stops.
var ErrOvertaken = errors.New("another worker has taken this up")

// BeginTake gives a take to whoever renders it now and returns the turn that every
// write of it is made with: writes of an earlier turn are refused from here on.
func (s *Store) BeginTake(ctx context.Context, id string) (turn int64, err error) {
	err = s.Pool.QueryRow(ctx, "update take set turn = turn + 1 where id = $1 returning turn", id).Scan(&turn)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNotFound
	}
	return turn, err
}

// SetTake stores how far a take is; a take that was cancelled or is held stays so.
// ErrOvertaken when turn is not the newest.
func (s *Store) SetTake(ctx context.Context, id string, turn int64, state string, progress float64, note string,
	result any) error {
	raw, err := json.Marshal(result)
	if err != nil {
		return err
	}
	var newest int64
	err = s.Pool.QueryRow(ctx, `with written as (update take set state = $3, progress = $4, note = $5, result = $6
			where id = $1 and turn = $2 and (state not in ('cancelled', 'held') or $3 = 'cancelled'))
		select turn from take where id = $1`, id, turn, state, progress, Plain(note), raw).Scan(&newest)
	switch {
	case errors.Is(err, pgx.ErrNoRows):
		return nil // taken away meanwhile
	case err == nil && newest != turn:
		return ErrOvertaken
	}
	return err
}

// Refinish stores another finish of a take that is done.
func (s *Store) Refinish(ctx context.Context, id string, settings, result any) error {
	set, err := json.Marshal(settings)
	if err != nil {
		return err
	}
	res, err := json.Marshal(result)
	if err != nil {
		return err
	}
	_, err = s.Pool.Exec(ctx, "update take set settings = $2, result = $3 where id = $1 and state = 'done'",
		id, set, res)
	return err
}

// Again puts a take that ended or is held into the queue once more, with its settings and result as they are told; due
// is when it is to be made.
func Again(ctx context.Context, q Querier, t *Take, job int64, due *time.Time) error {
	tag, err := q.Exec(ctx, "update take set settings = $2, job_id = $3, due = $4, result = $5, state = 'waiting', "+
		"progress = 0, note = '' where id = $1 and binned is null and state in ('done', 'failed', 'cancelled', 'held')",
		t.ID, t.Settings, job, due, t.Result)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}

// Mark lays marks over those that a take has. The one that a shot's is now is no longer another's.
func (s *Store) Mark(ctx context.Context, t *Take, marks json.RawMessage, current bool) error {
	return s.Tx(ctx, func(tx pgx.Tx) error {
		if current {
			if _, err := tx.Exec(ctx, "update take set marks = marks - 'current' where set_id = $1 and shot_id = $2 "+
				"and marks ? 'current'", t.SetID, t.ShotID); err != nil {
				return err
			}
		}
		_, err := tx.Exec(ctx, "update take set marks = marks || $2 where id = $1", t.ID, marks)
		return err
	})
}
