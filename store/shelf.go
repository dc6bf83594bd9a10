package store

import (
	"context"
	"encoding/json"
)

// Shelved is one thing that a production keeps at hand: a panorama or a lamp of its own. Its form is that of whoever
// keeps it.
type Shelved struct {
	ID   string          `json:"id"`
	Kind string          `json:"kind"` // panorama, lamp
	Name string          `json:"name"`
	Doc  json.RawMessage `json:"doc"`
}

// ShelfOf is what a production keeps, of a kind, by name.
func ShelfOf(ctx context.Context, q Querier, production, kind string) ([]Shelved, error) {
	return List[Shelved](ctx, q, "select id, kind, name, doc from shelf where production_id = $1 and kind = $2 "+
		"order by lower(name), created, id", production, kind)
}

// PutShelf keeps a thing, in the place of what has its id.
func PutShelf(ctx context.Context, q Querier, production string, s *Shelved) error {
	_, err := q.Exec(ctx, "insert into shelf (id, production_id, kind, name, doc) values ($1, $2, $3, $4, $5) "+
		"on conflict (id) do update set name = excluded.name, doc = excluded.doc", s.ID, production, s.Kind, s.Name,
		s.Doc)
	return err
}

// DropShelf takes a thing away; ErrNotFound says that it is not there.
func DropShelf(ctx context.Context, q Querier, production, id string) error {
	tag, err := q.Exec(ctx, "delete from shelf where production_id = $1 and id = $2", production, id)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}
