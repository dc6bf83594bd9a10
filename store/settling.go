package store

import (
	"context"
	"encoding/json"
	"time"
)

// Settling is things that are being let fall until they rest.
type Settling struct {
	ID       string          `json:"id"`
	SetID    string          `json:"-"`
	Name     string          `json:"name"` // what settles, in words
	Actor    string          `json:"-"`
	Was      json.RawMessage `json:"-"` // the placements as they were then
	Seed     int64           `json:"-"`
	Progress float64         `json:"progress"` // 0 to 1
	JobID    *int64          `json:"-"`
	Created  time.Time       `json:"created"`
}

const settlingColumns = "id, set_id, name, actor, was, seed, progress, job_id, created"

// Settlings are those of a set, the oldest first.
func Settlings(ctx context.Context, q Querier, set string) ([]Settling, error) {
	return List[Settling](ctx, q, "select "+settlingColumns+" from settling where set_id = $1 order by created, id",
		set)
}

// GetSettling reads one; ErrNotFound when it is over.
func GetSettling(ctx context.Context, q Querier, id string) (Settling, error) {
	return One[Settling](ctx, q, "select "+settlingColumns+" from settling where id = $1", id)
}

// InsertSettling puts in one.
func InsertSettling(ctx context.Context, q Querier, s Settling) error {
	_, err := q.Exec(ctx, `insert into settling (id, set_id, name, actor, was, seed, job_id)
		values ($1, $2, $3, $4, $5, $6, $7)`,
		s.ID, s.SetID, s.Name, s.Actor, s.Was, s.Seed, s.JobID)
	return err
}
