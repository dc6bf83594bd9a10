package store

import (
	"context"

	"github.com/jackc/pgx/v5"

	"visator/core/lay"
	"visator/core/stage"
)

const placementColumns = `id, coalesce(piece_id, ''), stand_in, size_x, size_y, size_z, name, x, y, z, yaw, pitch, roll, scale_x, scale_y, scale_z, hidden, locked, ord, layer, group_id, tint, recast, rev`

// PlacementRow is a placement with the revision of its last change.
type PlacementRow struct {
	stage.Placement
	Rev int64
}

func scanPlacement(row pgx.CollectableRow) (PlacementRow, error) { return scanPlacementAnd(row) }

func scanPlacementAnd(row pgx.CollectableRow, more ...any) (r PlacementRow, err error) {
	p := &r.Placement
	err = row.Scan(append([]any{&p.ID, &p.Piece, &p.StandIn, &p.Size.X, &p.Size.Y, &p.Size.Z, &p.Name, &p.At.X, &p.At.Y,
		&p.At.Z,
		&p.Yaw, &p.Pitch, &p.Roll, &p.Scale.X, &p.Scale.Y, &p.Scale.Z, &p.Hidden, &p.Locked, &p.Order, &p.Layer, &p.Group,
		&p.Tint, &p.Recast, &r.Rev}, more...)...)
	return r, err
}

// Placements are those of a set in the order of the manifest.
func Placements(ctx context.Context, q Querier, set string) ([]PlacementRow, error) {
	rows, err := q.Query(ctx,
		"select "+placementColumns+" from placement where set_id = $1 and "+standing+" order by ord, id", set)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scanPlacement)
}

// PlacementsOf are some placements of a set, by their names.
func PlacementsOf(ctx context.Context, q Querier, set string, ids []string) ([]PlacementRow, error) {
	rows, err := q.Query(ctx, "select "+placementColumns+" from placement where set_id = $1 and id = any($2)", set, ids)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scanPlacement)
}

// Elsewhere are the placements of a piece in other sets than one, with the set of
// each.
func Elsewhere(ctx context.Context, q Querier, piece, but string) (rows []PlacementRow, sets []string, err error) {
	list, err := q.Query(ctx, "select "+placementColumns+", set_id from placement where piece_id = $1 and set_id <> $2 "+
		"and "+standing, piece, but)
	if err != nil {
		return nil, nil, err
	}
	defer list.Close()
	for list.Next() {
		var set string
		r, err := scanPlacementAnd(list, &set)
		if err != nil {
			return nil, nil, err
		}
		rows, sets = append(rows, r), append(sets, set)
	}
	return rows, sets, list.Err()
}

// PutPlacement writes a placement as of revision rev.
func PutPlacement(ctx context.Context, q Querier, set string, p stage.Placement, rev int64) error {
	var piece *string
	if p.Piece != "" {
		piece = &p.Piece
	}
	tag, err := q.Exec(ctx, `insert into placement (id, set_id, piece_id, stand_in, size_x, size_y, size_z, name, x, y, z, yaw, pitch, roll, scale_x, scale_y, scale_z, hidden, locked, ord, layer, group_id, tint, recast, rev)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19, $20, $21, $22, $23, $24, $25)
		on conflict (id) do update set piece_id = excluded.piece_id, stand_in = excluded.stand_in, size_x = excluded.size_x, size_y = excluded.size_y, size_z = excluded.size_z,
		name = excluded.name, x = excluded.x, y = excluded.y, z = excluded.z, yaw = excluded.yaw, pitch = excluded.pitch, roll = excluded.roll,
		scale_x = excluded.scale_x, scale_y = excluded.scale_y, scale_z = excluded.scale_z, hidden = excluded.hidden, locked = excluded.locked, ord = excluded.ord,
		layer = excluded.layer, group_id = excluded.group_id, tint = excluded.tint, recast = excluded.recast, rev = excluded.rev
		where placement.set_id = excluded.set_id`,
		p.ID, set, piece, p.StandIn, p.Size.X, p.Size.Y, p.Size.Z, p.Name, p.At.X, p.At.Y, p.At.Z, p.Yaw, p.Pitch, p.Roll,
		p.Scale.X, p.Scale.Y, p.Scale.Z, p.Hidden, p.Locked, p.Order, p.Layer, p.Group, p.Tint, p.Recast, rev)
	return own(tag, err)
}

// ElementRow is an element with the revision of its last change.
type ElementRow struct {
	lay.Element
	Rev int64
}

// Elements are what of a set is described, in the order of the manifest.
func Elements(ctx context.Context, q Querier, set string) ([]ElementRow, error) {
	rows, err := q.Query(ctx, "select id, kind, name, layer, hidden, locked, ord, spec, rev from element where set_id "+
		"= $1 order by ord, id", set)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (r ElementRow, err error) {
		err = row.Scan(&r.ID, &r.Kind, &r.Name, &r.Layer, &r.Hidden, &r.Locked, &r.Order, &r.Spec, &r.Rev)
		return r, err
	})
}

// PutElement writes an element as of revision rev.
func PutElement(ctx context.Context, q Querier, set string, e lay.Element, rev int64) error {
	tag, err := q.Exec(ctx, `insert into element (id, set_id, kind, name, layer, hidden, locked, ord, spec, rev) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)
		on conflict (id) do update set kind = excluded.kind, name = excluded.name, layer = excluded.layer, hidden = excluded.hidden, locked = excluded.locked, ord = excluded.ord, spec = excluded.spec, rev = excluded.rev
		where element.set_id = excluded.set_id`,
		e.ID, set, e.Kind, e.Name, e.Layer, e.Hidden, e.Locked, e.Order, e.Spec, rev)
	return own(tag, err)
}

// hidden is a list of layers that is never null.
func hidden(layers []string) []string {
	if layers == nil {
		return []string{}
	}
	return layers
}

// ShotRow is a shot with the revision of its last change.
type ShotRow struct {
	stage.Shot
	Rev int64
}

// Shots are those of a set in the order in which they were kept.
func Shots(ctx context.Context, q Querier, set string) ([]ShotRow, error) {
	rows, err := q.Query(ctx, "select id, name, view, light, move, hide, first_frame, last_frame, match, note, status, "+
		"ord, rev from shot where set_id = $1 order by ord, id", set)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (r ShotRow, err error) {
		err = row.Scan(&r.ID, &r.Name, &r.View, &r.Light, &r.Move, &r.Hide, &r.First, &r.Last, &r.Match, &r.Note, &r.Status,
			&r.Order, &r.Rev)
		return r, err
	})
}

// PutShot writes a shot as of revision rev.
func PutShot(ctx context.Context, q Querier, set string, s stage.Shot, rev int64) error {
	tag, err := q.Exec(ctx, `insert into shot (id, set_id, name, view, light, move, hide, first_frame, last_frame, match, note, status, ord, rev) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14)
		on conflict (id) do update set name = excluded.name, view = excluded.view, light = excluded.light, move = excluded.move, ord = excluded.ord,
			hide = excluded.hide, first_frame = excluded.first_frame, last_frame = excluded.last_frame, match = excluded.match, note = excluded.note, status = excluded.status, rev = excluded.rev
		where shot.set_id = excluded.set_id`,
		s.ID, set, s.Name, s.View, s.Light, s.Move, hidden(s.Hide), s.First, s.Last, s.Match, s.Note, s.Status, s.Order, rev)
	return own(tag, err)
}
