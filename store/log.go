package store

import (
	"context"
	"encoding/json"
	"errors"

	"github.com/jackc/pgx/v5"
)

// Change is one row before and after; null where it was not or is no more.
type Change struct {
	Kind   string          `json:"kind"`
	ID     string          `json:"id"`
	Before json.RawMessage `json:"before"`
	After  json.RawMessage `json:"after"`
}

// InsertEntry adds to the log; what its actor had undone in the set before can no
// longer be redone.
func InsertEntry(ctx context.Context, tx pgx.Tx, e Entry) error {
	if _, err := tx.Exec(ctx, "update log set dropped = true where production_id = $1 and (set_id = $2 or set_id = '' "+
		"or $2 = '') and (actor = $3 or actor = '') and undone and not dropped", e.ProductionID, e.SetID,
		e.Actor); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, "insert into log (production_id, set_id, revision, label, changes, actor) values ($1, $2, "+
		"$3, $4, $5, $6)", e.ProductionID, e.SetID, e.Revision, e.Label, e.Changes, e.Actor)
	return err
}

// NextUndo is the entry that undo would take back for a person in a set: their own
// newest there or of what belongs to no set, or one that is nobody's. ErrNotFound when there is none.
func NextUndo(ctx context.Context, q Querier, production, set, actor string) (Entry, error) {
	return One[Entry](ctx, q, "select "+entryColumns+" from log where production_id = $1 and (set_id = $2 or set_id = "+
		"'') and (actor = $3 or actor = '') and not undone and not passed order by id desc limit 1", production, set,
		actor)
}

// NextRedo is what redo would do again; ErrNotFound when there is nothing.
func NextRedo(ctx context.Context, q Querier, production, set, actor string) (Entry, error) {
	return One[Entry](ctx, q, "select "+entryColumns+" from log where production_id = $1 and (set_id = $2 or set_id = "+
		"'') and (actor = $3 or actor = '') and undone and not dropped order by id limit 1", production, set, actor)
}

// EntriesSince are the edits of a set, and of what belongs to all sets, after the newest
// by which a shot got a status; at most most of them, the oldest first. None when the log
// does not know of it.
func EntriesSince(ctx context.Context, q Querier, production, set, shot, status string, most int) ([]Entry, error) {
	return List[Entry](ctx, q, "select "+entryColumns+` from log where production_id = $1 and (set_id = $2
		or changes::text like '%"piece"%') and not undone and id > (
		select max(id) from log where production_id = $1 and set_id = $2 and not undone
		and position('"' || $3 || '"' in changes::text) > 0
			and exists (select from jsonb_array_elements(changes::jsonb) c where c->>'kind' = 'shot' and c->>'id' = $3
				and lower(trim(c->'after'->>'status')) = $4
				and lower(trim(coalesce(c->'before'->>'status', ''))) <> $4))
		order by id limit $5`, production, set, shot, status, most)
}

// PassEntry has undo and redo go on without an entry.
func PassEntry(ctx context.Context, q Querier, id int64) error {
	_, err := q.Exec(ctx, "update log set passed = true, dropped = true where id = $1", id)
	return err
}

// Answered is what a request came to that was made before; ErrNotFound when it was
// not.
func Answered(ctx context.Context, q Querier, production, id string) (answer json.RawMessage, err error) {
	err = q.QueryRow(ctx, "select answer from request where id = $1 and production_id = $2", id,
		production).Scan(&answer)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNotFound
	}
	return answer, err
}

// KeepAnswer remembers what a request came to.
func KeepAnswer(ctx context.Context, q Querier, production, id string, answer json.RawMessage) error {
	_, err := q.Exec(ctx, "insert into request (id, production_id, answer) values ($1, $2, $3)", id, production, answer)
	return err
}
