package store

import (
	"context"
	"encoding/json"
)

// Shelved is one thing that a production keeps at hand: a panorama, a lamp or a material of its own. Its form is that
// of whoever keeps it.
type Shelved struct {
	ID   string          `json:"id"`
	Kind string          `json:"kind"` // panorama, lamp, material
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

// ShelvedAnywhere is what a production keeps with where it is kept.
type ShelvedAnywhere struct {
	Shelved
	ProductionID   string `json:"productionId"`
	ProductionName string `json:"production"`
}

// ShelfOfAll is what all productions that are not in the bin keep of a kind, by name, at most so many.
func ShelfOfAll(ctx context.Context, q Querier, kind string, most int) ([]ShelvedAnywhere, error) {
	return List[ShelvedAnywhere](ctx, q, "select s.id, s.kind, s.name, s.doc, s.production_id, p.name as "+
		"production_name from shelf s join production p on p.id = s.production_id where s.kind = $1 and "+
		"p.binned is null order by lower(s.name), s.created, s.id limit $2", kind, most)
}
