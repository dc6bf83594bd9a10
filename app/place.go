package app

import (
	"context"
	"slices"

	"visator/core/assembly"
	"visator/core/geom"
	"visator/core/snag"
	"visator/core/stage"
	"visator/store"
)

func (e *editor) place(ctx context.Context, d *Command) error {
	list, err := e.placements(ctx)
	if err != nil {
		return err
	}
	p := stage.Placement{StandIn: d.StandIn, Piece: d.Piece, Name: d.Name, At: d.At, Scale: geom.V{X: 1, Y: 1, Z: 1}}
	if d.StandIn != "" {
		p.Size, p.Piece = stage.StandIns[d.StandIn], ""
		if p.Name == "" {
			p.Name = d.StandIn
		}
	} else {
		piece, err := store.GetPiece(ctx, e.tx, d.Piece)
		if err != nil || piece.Gone || piece.ProductionID != e.set.ProductionID {
			return notThere(store.ErrNotFound, "The piece")
		}
		if p.Name == "" {
			p.Name = piece.Name
		}
	}
	p.Name = stage.NextName(p.Name, e.taken)
	p.ID = store.NewID()
	p.Order = lastly(list)
	if len(d.Patch) > 0 {
		own := p
		if err := stage.Patch(&p, d.Patch); err != nil {
			return wrong("%v", err)
		}
		p.ID, p.Piece, p.StandIn = own.ID, own.Piece, own.StandIn // these are not told
		p.Order = min(p.Order, lastly(list))
	}
	if err := p.Check(); err != nil {
		return wrong("%v", err)
	}
	if d.Rest {
		if err := e.restAt(ctx, &p, d.Of == "here"); err != nil {
			return err
		}
	}
	e.say("place %s", p.Name)
	return e.add(ctx, p)
}

// lastly is the order behind all placements.
func lastly(list []store.PlacementRow) int {
	return after(list, func(r *store.PlacementRow) int { return r.Order })
}

// after is the order behind all rows of a list.
func after[T any](list []T, order func(*T) int) int {
	last := -1
	for i := range list {
		last = max(last, order(&list[i]))
	}
	return stage.Next(last)
}

// add puts in a new placement.
func (e *editor) add(ctx context.Context, p stage.Placement) error {
	if _, err := e.placements(ctx); err != nil {
		return err
	}
	grown := len(e.places) == cap(e.places)
	e.places = append(e.places, store.PlacementRow{Placement: p, Rev: e.seen})
	if grown { // the rows have moved
		e.index()
	} else {
		e.byID[p.ID] = &e.places[len(e.places)-1]
	}
	e.made = append(e.made, p.ID)
	e.touch(p.ID)
	e.renamed("", p.Name)
	if err := store.PutPlacement(ctx, e.tx, e.set.ID, p, e.rev); err != nil {
		return err
	}
	return e.note("placement", p.ID, nil, p)
}

func (e *editor) putPlacement(ctx context.Context, row *store.PlacementRow, before stage.Placement) error {
	e.touch(row.ID)
	e.renamed(before.Name, row.Name)
	if err := store.PutPlacement(ctx, e.tx, e.set.ID, row.Placement, e.rev); err != nil {
		return err
	}
	return e.note("placement", row.ID, before, row.Placement)
}

// touch remembers that a placement is not where it was felt.
func (e *editor) touch(id string) {
	if e.moved == nil {
		e.moved = map[string]bool{}
	}
	e.moved[id] = true
}

func (e *editor) change(ctx context.Context, d *Command) error {
	switch d.Kind {
	case "placement":
		row, err := e.placement(ctx, d.ID)
		if err != nil {
			return err
		}
		before := row.Placement
		if err := stage.Patch(&row.Placement, d.Patch); err != nil {
			return wrong("%s: %v", before.Name, err)
		}
		row.ID, row.Piece, row.StandIn = before.ID, before.Piece, before.StandIn
		if row.Order != before.Order {
			last, err := store.LastOrder(ctx, e.tx, e.set.ID)
			if err != nil {
				row.Placement = before
				return err
			}
			row.Order = min(row.Order, stage.Next(last))
		}
		moved := row.At != before.At || row.Yaw != before.Yaw || row.Pitch != before.Pitch || row.Roll != before.Roll || row.Scale != before.Scale
		if (before.Locked && row.Locked || e.lockedLayer(ctx, row.Layer)) && moved {
			row.Placement = before
			return wrong("%s is locked; unlock it first", before.Name)
		}
		switch {
		case row.Name != before.Name:
			e.say("rename %s to %s", before.Name, row.Name)
		case row.Hidden != before.Hidden:
			e.say("%s %s", map[bool]string{true: "hide", false: "show"}[row.Hidden], row.Name)
		case row.Locked != before.Locked:
			e.say("%s %s", map[bool]string{true: "lock", false: "unlock"}[row.Locked], row.Name)
		case row.At != before.At:
			e.say("move %s", row.Name)
		case row.Scale != before.Scale:
			e.say("scale %s", row.Name)
		default:
			e.say("turn %s", row.Name)
		}
		return e.putPlacement(ctx, row, before)
	case "element":
		return e.changeElement(ctx, d)
	case "set":
		before := e.set.Scene
		if err := e.stale(e.set.Rev, "The view"); err != nil {
			return err
		}
		if err := stage.Patch(&e.set.Scene, d.Patch); err != nil {
			return wrong("%v", err)
		}
		e.set.ID = before.ID
		if err := e.pictured(ctx, &before.ShotSettings, &e.set.ShotSettings); err != nil {
			e.set.Scene = before
			return err
		}
		e.say("change the %s", sceneField(d.Patch))
		return e.putSet(ctx, before)
	case "shot":
		return e.patchShot(ctx, d)
	case "piece":
		return e.patchPiece(ctx, d)
	}
	return wrong("rows of the kind %q are not changed", d.Kind)
}

// eachOf copies or deletes all that a deed names.
func (e *editor) eachOf(ctx context.Context, d *Command) error {
	for _, id := range d.IDs {
		if err := e.each(ctx, d, id); err != nil {
			return err
		}
	}
	return nil
}

// each deletes one placement or element.
func (e *editor) each(ctx context.Context, d *Command, id string) error {
	if d.Do == "delete" {
		if _, err := e.elements(ctx); err != nil {
			return err
		}
		if i := slices.IndexFunc(e.elems, func(r store.ElementRow) bool { return r.ID == id }); i >= 0 {
			if err := e.stale(e.elems[i].Rev, e.elems[i].Name); err != nil {
				return err
			}
			return e.dropElement(ctx, &e.elems[i])
		}
	}
	row, err := e.placement(ctx, id)
	if err != nil {
		return err
	}
	before := row.Placement
	if d.Do == "delete" {
		if before.Locked || e.lockedLayer(ctx, before.Layer) {
			return wrong("%s is locked; unlock it first", before.Name)
		}
		e.say("delete %s", before.Name)
		if err := store.Delete(ctx, e.tx, "placement", e.set.ID, id); err != nil {
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
		return e.note("placement", id, before, nil)
	}
	return wrong("%q is nothing that is done to each", d.Do)
}

// things are the visible placements as they are measured.
func (e *editor) things(ctx context.Context) ([]snag.Thing, error) {
	list, err := e.placements(ctx)
	if err != nil {
		return nil, err
	}
	boxes, err := e.boxes(ctx)
	if err != nil {
		return nil, err
	}
	elements, err := e.elements(ctx)
	if err != nil {
		return nil, err
	}
	s := &assembly.Set{Pieces: &library{a: e.a, boxes: boxes}, Kept: &e.set.ShotSettings, Elements: elementsOf(elements)}
	for i := range list {
		s.Placements = append(s.Placements, &list[i].Placement)
	}
	s.Resolve()
	return thingsOf(s), nil
}

// boxes are those of the production's pieces.
func (e *editor) boxes(ctx context.Context) (map[string]geom.Box, error) {
	pieces, err := store.Pieces(ctx, e.tx, e.set.ProductionID)
	if err != nil {
		return nil, err
	}
	return pieceBoxes(pieces)
}
