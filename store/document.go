package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"github.com/jackc/pgx/v5"

	"visator/core/lay"
	"visator/core/stage"
)

// What a set is made of are documents: rows of one table, whatever their kind. Their
// form is that of the core, so a new field of one needs nothing here.

// PlacementRow is a placement with the revision of its last change.
type PlacementRow struct {
	stage.Placement
	Rev int64
}

// ElementRow is an element with the revision of its last change.
type ElementRow struct {
	lay.Element
	Rev int64
}

// ShotRow is a shot with the revision of its last change.
type ShotRow struct {
	stage.Shot
	Rev int64
}

// kind is a kind of document: what it is called in the table and in the log, and what of
// a row is read. The name of a document is that of its row, whatever it says itself.
type kind[R any] struct {
	name string
	of   func(r *R) (doc any, id *string, rev *int64)
}

var (
	placements = kind[PlacementRow]{"placement", func(r *PlacementRow) (any, *string, *int64) {
		return &r.Placement, &r.ID, &r.Rev
	}}
	elements = kind[ElementRow]{"element", func(r *ElementRow) (any, *string, *int64) {
		return &r.Element, &r.ID, &r.Rev
	}}
	shots = kind[ShotRow]{"shot", func(r *ShotRow) (any, *string, *int64) {
		return &r.Shot, &r.ID, &r.Rev
	}}
)

// find are the documents of a kind for which a condition holds, in the order of the manifest.
func (k kind[R]) find(ctx context.Context, q Querier, condition string, args ...any) ([]R, error) {
	rows, err := q.Query(ctx, "select doc, id, rev from document where kind = '"+k.name+"' and "+condition+
		" order by ord, id", args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (r R, err error) {
		doc, id, rev := k.of(&r)
		err = row.Scan(doc, id, rev)
		return r, err
	})
}

// Placements are those of a set in the order of the manifest.
func Placements(ctx context.Context, q Querier, set string) ([]PlacementRow, error) {
	return placements.find(ctx, q, "set_id = $1 and "+standing, set)
}

// PlacementsOf are some placements of a set, by their names.
func PlacementsOf(ctx context.Context, q Querier, set string, ids []string) ([]PlacementRow, error) {
	return placements.find(ctx, q, "set_id = $1 and id = any($2)", set, ids)
}

// Elsewhere are the placements of a piece in other sets than one, with the set of
// each.
func Elsewhere(ctx context.Context, q Querier, piece, but string) (rows []PlacementRow, sets []string, err error) {
	type row struct {
		Doc stage.Placement
		Rev int64
		Set string
	}
	list, err := List[row](ctx, q, "select doc, rev, set_id from document where piece_id = $1 and set_id <> $2 and "+
		standing, piece, but)
	for _, r := range list {
		rows, sets = append(rows, PlacementRow{r.Doc, r.Rev}), append(sets, r.Set)
	}
	return rows, sets, err
}

// Placed names the placements of a set as they are: another for every change of them. It is
// the newest of their revisions and how many there are. Of two moments with the same, none
// of the later one's was changed since, all were there in the earlier one, and that had no
// more: what was taken away only comes back with a newer revision.
func Placed(newest int64, n int) string { return fmt.Sprintf("%d-%d", newest, n) }

// PlacedNow is Placed of what stands in a set.
func PlacedNow(ctx context.Context, q Querier, set string) (string, error) {
	newest, n, err := newestOf(ctx, q, set, standing)
	return Placed(newest, n), err
}

// NewestPlacement is the newest revision of a set's placements, and how many there are,
// also of what lies in the bin.
func NewestPlacement(ctx context.Context, q Querier, set string) (newest int64, n int, err error) {
	return newestOf(ctx, q, set, "true")
}

// newestOf is the newest revision and the number of a set's placements for which a condition
// holds.
func newestOf(ctx context.Context, q Querier, set, condition string) (newest int64, n int, err error) {
	err = q.QueryRow(ctx, "select coalesce(max(rev), 0), count(*) from document where kind = 'placement' and "+
		"set_id = $1 and "+condition, set).Scan(&newest, &n)
	return newest, n, err
}

// PlacementsSince are those of a set that were changed after a revision, also of what lies
// in the bin, in the order of the manifest.
func PlacementsSince(ctx context.Context, q Querier, set string, rev int64) ([]PlacementRow, error) {
	return placements.find(ctx, q, "set_id = $1 and rev > $2", set, rev)
}

// PiecesInBin are the pieces of a set's production whose arrival lies in the bin.
func PiecesInBin(ctx context.Context, q Querier, set string) ([]string, error) {
	rows, err := q.Query(ctx, "select p.id from piece p join arrival a on a.id = p.arrival_id join sets s on "+
		"s.production_id = p.production_id where s.id = $1 and a.binned is not null", set)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// Elements are what of a set is described, in the order of the manifest.
func Elements(ctx context.Context, q Querier, set string) ([]ElementRow, error) {
	return elements.find(ctx, q, "set_id = $1", set)
}

// Shots are those of a set in the order in which they were kept.
func Shots(ctx context.Context, q Querier, set string) ([]ShotRow, error) {
	list, err := shots.find(ctx, q, "set_id = $1", set)
	for i := range list {
		list[i].Hide = hidden(list[i].Hide)
	}
	return list, err
}

// hidden is a list of layers that is never null.
func hidden(layers []string) []string {
	if layers == nil {
		return []string{}
	}
	return layers
}

// PutPlacement writes a placement as of revision rev.
func PutPlacement(ctx context.Context, q Querier, set string, p stage.Placement, rev int64) error {
	return PutDocument(ctx, q, set, placements.name, p.ID, &p, rev)
}

// PutElement writes an element as of revision rev.
func PutElement(ctx context.Context, q Querier, set string, e lay.Element, rev int64) error {
	return PutDocument(ctx, q, set, elements.name, e.ID, &e, rev)
}

// PutShot writes a shot as of revision rev.
func PutShot(ctx context.Context, q Querier, set string, s stage.Shot, rev int64) error {
	return PutDocument(ctx, q, set, shots.name, s.ID, &s, rev)
}

// PutDocument writes a document of a set as of revision rev. ErrElsewhere when another set
// has one of this name.
func PutDocument(ctx context.Context, q Querier, set, kind, id string, doc any, rev int64) error {
	tag, err := q.Exec(ctx, `insert into document (kind, id, set_id, doc, rev) values ($1, $2, $3, $4, $5)
		on conflict (kind, id) do update set doc = excluded.doc, rev = excluded.rev
		where document.set_id = excluded.set_id`,
		kind, id, set, doc, rev)
	return own(tag, err)
}

// Document is one of a production, as it was written, and the set that it is of;
// ErrNotFound when it is not there.
func Document(ctx context.Context, q Querier, production, kind, id string) (set string, doc json.RawMessage,
	err error) {
	err = q.QueryRow(ctx, "select set_id, d.doc from document d join sets s on s.id = d.set_id where d.kind = $1 and "+
		"d.id = $2 and s.production_id = $3", kind, id, production).Scan(&set, &doc)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNotFound
	}
	return set, doc, err
}

// DeleteDocument takes a document out of a set.
func DeleteDocument(ctx context.Context, q Querier, set, kind, id string) error {
	_, err := q.Exec(ctx, "delete from document where kind = $1 and id = $2 and set_id = $3", kind, id, set)
	return err
}

// LastOrder is the largest order of a set's placements; -1 when there are none.
func LastOrder(ctx context.Context, q Querier, set string) (last int, err error) {
	err = q.QueryRow(ctx, "select coalesce(max(ord), -1) from document where kind = 'placement' and set_id = $1",
		set).Scan(&last)
	return last, err
}

// CountPlacements is in how many places a piece stands, in all sets that are not in the
// bin, and in how many sets.
func CountPlacements(ctx context.Context, q Querier, piece string) (n, sets int, err error) {
	err = q.QueryRow(ctx, "select count(*), count(distinct set_id) from document p join sets s on s.id = p.set_id "+
		"where piece_id = $1 and s.binned is null", piece).Scan(&n, &sets)
	return n, sets, err
}

// Stands is how often a piece stands in other sets than one, and in how many.
type Stands struct {
	Piece        string
	Things, Sets int
}

// StandElsewhere are the pieces of a production that stand in other sets than one.
func StandElsewhere(ctx context.Context, q Querier, production, but string) ([]Stands, error) {
	return List[Stands](ctx, q,
		"select piece_id, count(*)::int, count(distinct set_id)::int from document p join sets s "+
			"on s.id = p.set_id where s.production_id = $1 and set_id <> $2 and s.binned is null and piece_id is not "+
			"null group by piece_id", production, but)
}
