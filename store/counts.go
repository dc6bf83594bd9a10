package store

import (
	"context"
	"encoding/json"
)

// Counts are how much a production has.
type Counts struct {
	ProductionID  string
	Pieces, Shots int
}

// CountsOf are those of all productions.
func (s *Store) CountsOf(ctx context.Context) (map[string]Counts, error) {
	list, err := List[Counts](ctx, s.Pool, `select id,
		(select count(*) from piece where production_id = p.id and not gone and `+unbinned+`),
		(select count(*) from document d join sets t on t.id = d.set_id where t.production_id = p.id and
			t.binned is null and d.kind = 'shot') from production p`)
	out := map[string]Counts{}
	for _, c := range list {
		out[c.ProductionID] = c
	}
	return out, err
}

// Pictured is a take with what became of it.
type Pictured struct {
	Name   string
	Result json.RawMessage
}

// Pictures are the first takes of a production that have a picture, set by set, the newest first.
func (s *Store) Pictures(ctx context.Context, production string, most int) ([]Pictured, error) {
	return List[Pictured](ctx, s.Pool, `select t.name, t.result from sets s join take t on t.set_id = s.id
		where s.production_id = $1 and s.binned is null and t.binned is null and
			(coalesce(t.result->>'png', '') <> '' or jsonb_path_exists(t.result::jsonb, '$.frames[*] ? (@ != "")'))
		order by s.created, s.id, t.created desc, t.id limit $2`, production, most)
}
