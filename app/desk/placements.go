package desk

import (
	"context"
	"slices"

	"visator/app/act"
	"visator/app/measure"
	"visator/app/query"
	"visator/core/assembly"
	"visator/core/geom"
	"visator/core/snag"
	"visator/core/stage"
	"visator/store"
)

// After is the order behind all rows of a list.
func After[T any](list []T, order func(*T) int) int {
	last := -1
	for i := range list {
		last = max(last, order(&list[i]))
	}
	return stage.Next(last)
}

// Add puts in a new placement.
func (e *Editor) Add(ctx context.Context, p stage.Placement) error {
	if _, err := e.Placements(ctx); err != nil {
		return err
	}
	grown := len(e.places) == cap(e.places)
	e.places = append(e.places, store.PlacementRow{Placement: p, Rev: e.seen})
	if grown { // the rows have moved
		e.index()
	} else {
		e.byID[p.ID] = &e.places[len(e.places)-1]
	}
	e.Made = append(e.Made, p.ID)
	e.touch(p.ID)
	e.renamed("", p.Name)
	if err := store.PutPlacement(ctx, e.Tx, e.Set.ID, p, e.Rev); err != nil {
		return err
	}
	return e.Note("placement", p.ID, nil, p)
}

// PutPlacement stores a placement that was another before.
func (e *Editor) PutPlacement(ctx context.Context, row *store.PlacementRow, before stage.Placement) error {
	e.touch(row.ID)
	e.renamed(before.Name, row.Name)
	if err := store.PutPlacement(ctx, e.Tx, e.Set.ID, row.Placement, e.Rev); err != nil {
		return err
	}
	return e.Note("placement", row.ID, before, row.Placement)
}

// touch remembers that a placement is not where it was felt.
func (e *Editor) touch(id string) {
	if e.moved == nil {
		e.moved = map[string]bool{}
	}
	e.moved[id] = true
}

// Drop deletes a placement.
func (e *Editor) Drop(ctx context.Context, id string) error {
	row, err := e.Placement(ctx, id)
	if err != nil {
		return err
	}
	before := row.Placement
	if before.Locked || e.LockedLayer(ctx, before.Layer) {
		return act.Wrong("%s is locked; unlock it first", before.Name)
	}
	e.Say("delete %s", before.Name)
	if err := store.DeleteDocument(ctx, e.Tx, e.Set.ID, "placement", id); err != nil {
		return err
	}
	if e.places != nil {
		e.places = slices.DeleteFunc(e.places, func(r store.PlacementRow) bool { return r.ID == id })
		e.index()
	} else {
		delete(e.byID, id)
	}
	e.touch(id)
	e.renamed(before.Name, "")
	return e.Note("placement", id, before, nil)
}

// Things are the visible placements as they are measured.
func (e *Editor) Things(ctx context.Context) ([]snag.Thing, error) {
	list, err := e.Placements(ctx)
	if err != nil {
		return nil, err
	}
	boxes, err := e.boxes(ctx)
	if err != nil {
		return nil, err
	}
	elements, err := e.Elements(ctx)
	if err != nil {
		return nil, err
	}
	s := &assembly.Set{Pieces: e.a.Boxed(boxes), Kept: &e.Set.ShotSettings, Elements: measure.ElementsOf(elements)}
	for i := range list {
		s.Placements = append(s.Placements, &list[i].Placement)
	}
	s.Resolve()
	return query.ThingsOf(s), nil
}

// boxes are those of the production's pieces.
func (e *Editor) boxes(ctx context.Context) (map[string]geom.Box, error) {
	pieces, err := store.Pieces(ctx, e.Tx, e.Set.ProductionID)
	if err != nil {
		return nil, err
	}
	return measure.PieceBoxes(pieces)
}

// Spans are the boxes of placements in the set, from their true shapes.
func (e *Editor) Spans(ctx context.Context, rows []*store.PlacementRow) ([]geom.Box, error) {
	if _, err := e.Felt(ctx); err != nil {
		return nil, err
	}
	out := make([]geom.Box, len(rows))
	for i, r := range rows {
		b, err := e.Body(ctx, &r.Placement)
		if err != nil {
			return nil, err
		}
		if b != nil {
			out[i] = b.Box
		} else {
			out[i] = e.Snapshot.BoxOf(&r.Placement).Apply(r.World())
		}
	}
	return out, nil
}
