package desk

import (
	"cmp"
	"context"
	"math"
	"slices"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/app/measure"
	"visator/core/assembly"
	"visator/core/contact"
	"visator/core/lay"
	"visator/core/snag"
	"visator/core/stage"
	"visator/store"
)

// Felt is everything that is seen as it is felt, with what this edit changed; it
// is taken from what was measured last when that is still true.
func (e *Editor) Felt(ctx context.Context) ([]snag.Solid, error) {
	if e.Snapshot == nil {
		if m := e.a.Last(e.Set.ID); m != nil && m.World != nil && m.Revision == e.Rev-1 {
			e.Snapshot, e.solids = m.World, m.Things
		} else {
			w, err := e.a.Snapshot(ctx, e.Tx, e.Set.ID)
			if err != nil {
				return nil, err
			}
			if _, err := w.LayOut(ctx, false); err != nil {
				return nil, err
			}
			if e.solids, err = w.Solids(ctx, map[string]*snag.Solid{}); err != nil {
				return nil, err
			}
			e.Snapshot = w
			return e.solids, nil // it has this edit's own changes
		}
	}
	if len(e.moved) == 0 {
		return e.solids, nil
	}
	list := slices.DeleteFunc(slices.Clone(e.solids), func(s snag.Solid) bool { return e.moved[s.ID] })
	for id := range e.moved {
		row := e.byID[id]
		if row == nil || e.Snapshot.Layers.Hide(row.Hidden, row.Layer) || !e.Snapshot.Kept.Shows(row.Layer) {
			continue
		}
		body, err := e.Body(ctx, &row.Placement)
		if err != nil {
			return nil, err
		}
		list = append(list, snag.Solid{ID: id, Name: row.Name, Piece: row.Piece, Group: row.Group, Body: body,
			Land: e.Snapshot.IsLand(&row.Placement)})
	}
	e.solids = list
	e.moved = nil
	return list, nil
}

// Body is a placement as it is felt, wherever it is now.
func (e *Editor) Body(ctx context.Context, p *stage.Placement) (*contact.Placed, error) {
	if p.Piece != "" && e.Snapshot.PieceOf[p.Piece] == nil { // newer than what was measured
		w, err := e.a.Snapshot(ctx, e.Tx, e.Set.ID)
		if err != nil {
			return nil, err
		}
		now, set := *e.Snapshot, *e.Snapshot.Set // what was measured stays as it was
		set.Pieces = w.Library
		now.Set, now.Library = &set, w.Library
		e.Snapshot = &now
	}
	return e.Snapshot.Felt(ctx, p)
}

// Free are the rows of ids that may be moved, in the order of ids.
func (e *Editor) Free(ctx context.Context, ids []string, least int, what string) ([]*store.PlacementRow, error) {
	var rows []*store.PlacementRow
	for _, id := range ids {
		row, err := e.Placement(ctx, id)
		if err != nil {
			return nil, err
		}
		if row.Locked || e.LockedLayer(ctx, row.Layer) {
			return nil, act.Wrong("%s is locked; unlock it first", row.Name)
		}
		rows = append(rows, row)
	}
	if len(rows) < least {
		return nil, act.Wrong("Select %s first.", what)
	}
	return rows, nil
}

// Free are the placements of a set that may be moved, in the order of ids.
func (a *Desk) Free(ctx context.Context, tx pgx.Tx, set store.Set, ids []string,
	what string) ([]*store.PlacementRow, error) {
	return (&Editor{a: a, Tx: tx, Set: set, seen: -1}).Free(ctx, ids, 1, what)
}

// LockedLayer says whether a layer of that name is locked.
func (e *Editor) LockedLayer(ctx context.Context, name string) bool {
	if name == "" {
		return false
	}
	list, err := e.Elements(ctx)
	if err != nil {
		return false
	}
	l := assembly.LayersOf(measure.ElementsOf(list))[name]
	return l != nil && l.Locked
}

// Keep stores what was done to a placement.
func (e *Editor) Keep(ctx context.Context, row *store.PlacementRow, before stage.Placement) error {
	if err := row.Check(); err != nil {
		return act.Wrong("%s: %v", before.Name, err)
	}
	return e.PutPlacement(ctx, row, before)
}

// Obstacles are the bodies of all things but some.
func Obstacles(things []snag.Solid, but func(id string) bool) (list []*contact.Placed, of []*snag.Solid) {
	for i := range things {
		if s := &things[i]; s.Body != nil && !s.Soft && !but(s.ID) {
			list, of = append(list, s.Body), append(of, s)
		}
	}
	return list, of
}

// Units are placements that move as one: those of one group, else each alone;
// the lowest first.
func (e *Editor) Units(rows []*store.PlacementRow, things []snag.Solid) [][]*store.PlacementRow {
	height := map[string]float64{}
	for i := range things {
		if b := things[i].Body; b != nil {
			height[things[i].ID] = b.Box.Min.Y
		}
	}
	var out [][]*store.PlacementRow
	at := map[string]int{}
	for _, r := range rows {
		if k, ok := at[r.Group]; ok && r.Group != "" {
			out[k] = append(out[k], r)
			continue
		}
		at[r.Group] = len(out)
		out = append(out, []*store.PlacementRow{r})
	}
	low := func(list []*store.PlacementRow) float64 {
		y := math.Inf(1)
		for _, r := range list {
			y = min(y, height[r.ID])
		}
		return y
	}
	slices.SortStableFunc(out, func(a, b []*store.PlacementRow) int { return cmp.Compare(low(a), low(b)) })
	return out
}

// RestAt finds the height at which a placement rests at its place: on the
// highest thing beneath, within a room below its ceiling. here says that its height
// was pointed at: what lies above it, such as a table top, does not carry it.
func (e *Editor) RestAt(ctx context.Context, p *stage.Placement, here bool) error {
	things, err := e.Felt(ctx)
	if err != nil {
		return err
	}
	from := math.Inf(1)
	if here {
		from = p.At.Y + Touched
	}
	for i := range e.Snapshot.ElementRows {
		if el := &e.Snapshot.ElementRows[i].Element; el.Kind == "room" && !el.Hidden {
			if s, err := el.Read(); err == nil {
				if r := s.(*lay.Room); !r.Open && lay.Holds(r.Outline, lay.P{X: p.At.X, Z: p.At.Z}) {
					from = min(from, r.Floor+r.Height-0.02)
				}
			}
		}
	}
	others, _ := Obstacles(things, func(id string) bool { return id == p.ID })
	g := assembly.Ground{Bodies: others}
	if y, _, ok := g.Under(p.At.X, p.At.Z, from); ok {
		p.At.Y = y
	} else {
		p.At.Y = 0
	}
	b, err := e.Body(ctx, p)
	if err != nil || b == nil {
		return err
	}
	p.At.Y += p.At.Y - b.Box.Min.Y // its base, wherever its pivot is
	if b, err = e.Body(ctx, p); err != nil {
		return err
	}
	if up, on := contact.Down(b, others); on >= 0 {
		p.At.Y += up
	}
	return nil
}

// Touched is how far above the place that was pointed at a surface may lie, in
// metres: what is drawn is a light version of what is felt.
const Touched = 0.05
