package edit

import (
	"context"
	"encoding/json"
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

// placing is of placements.
var placing = family{
	"place": of[Place], "change placement": of[ChangePlacement], "copy": of[Copy], "delete": of[Delete],
}

// Place puts a piece or a stand-in into the set.
type Place struct {
	Piece   string          `json:"piece"`
	StandIn string          `json:"standIn"` // instead of a piece
	Name    string          `json:"name"`
	At      geom.V          `json:"at"`
	Rest    bool            `json:"rest"`  // it comes to rest on what is beneath
	Here    bool            `json:"here"`  // its height was pointed at
	Patch   json.RawMessage `json:"patch"` // more of the placement
}

func (d *Place) do(ctx context.Context, e *Editor) error {
	list, err := e.Placements(ctx)
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
		piece, err := store.GetPiece(ctx, e.Tx, d.Piece)
		if err != nil || piece.Gone || piece.ProductionID != e.Set.ProductionID {
			return act.NotThere(store.ErrNotFound, "The piece")
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
			return act.Wrong("%v", err)
		}
		p.ID, p.Piece, p.StandIn = own.ID, own.Piece, own.StandIn // these are not told
		p.Order = min(p.Order, lastly(list))
	}
	if err := p.Check(); err != nil {
		return act.Wrong("%v", err)
	}
	if d.Rest {
		if err := e.restAt(ctx, &p, d.Here); err != nil {
			return err
		}
	}
	e.Say("place %s", p.Name)
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
func (e *Editor) add(ctx context.Context, p stage.Placement) error {
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
	e.made = append(e.made, p.ID)
	e.touch(p.ID)
	e.renamed("", p.Name)
	if err := store.PutPlacement(ctx, e.Tx, e.Set.ID, p, e.rev); err != nil {
		return err
	}
	return e.note("placement", p.ID, nil, p)
}

func (e *Editor) putPlacement(ctx context.Context, row *store.PlacementRow, before stage.Placement) error {
	e.touch(row.ID)
	e.renamed(before.Name, row.Name)
	if err := store.PutPlacement(ctx, e.Tx, e.Set.ID, row.Placement, e.rev); err != nil {
		return err
	}
	return e.note("placement", row.ID, before, row.Placement)
}

// touch remembers that a placement is not where it was felt.
func (e *Editor) touch(id string) {
	if e.moved == nil {
		e.moved = map[string]bool{}
	}
	e.moved[id] = true
}

// ChangePlacement changes fields of a placement.
type ChangePlacement struct {
	ID    string          `json:"id"`
	Patch json.RawMessage `json:"patch"`
}

func (d *ChangePlacement) do(ctx context.Context, e *Editor) error {
	row, err := e.placement(ctx, d.ID)
	if err != nil {
		return err
	}
	before := row.Placement
	if err := stage.Patch(&row.Placement, d.Patch); err != nil {
		return act.Wrong("%s: %v", before.Name, err)
	}
	row.ID, row.Piece, row.StandIn = before.ID, before.Piece, before.StandIn
	if row.Order != before.Order {
		last, err := store.LastOrder(ctx, e.Tx, e.Set.ID)
		if err != nil {
			row.Placement = before
			return err
		}
		row.Order = min(row.Order, stage.Next(last))
	}
	moved := row.At != before.At || row.Yaw != before.Yaw || row.Pitch != before.Pitch || row.Roll != before.Roll ||
		row.Scale != before.Scale
	if (before.Locked && row.Locked || e.lockedLayer(ctx, row.Layer)) && moved {
		row.Placement = before
		return act.Wrong("%s is locked; unlock it first", before.Name)
	}
	switch {
	case row.Name != before.Name:
		e.Say("rename %s to %s", before.Name, row.Name)
	case row.Hidden != before.Hidden:
		e.Say("%s %s", map[bool]string{true: "hide", false: "show"}[row.Hidden], row.Name)
	case row.Locked != before.Locked:
		e.Say("%s %s", map[bool]string{true: "lock", false: "unlock"}[row.Locked], row.Name)
	case row.At != before.At:
		e.Say("move %s", row.Name)
	case row.Scale != before.Scale:
		e.Say("scale %s", row.Name)
	default:
		e.Say("turn %s", row.Name)
	}
	return e.putPlacement(ctx, row, before)
}

// Delete takes placements and elements out of the set.
type Delete struct {
	IDs []string `json:"ids"`
}

func (d *Delete) do(ctx context.Context, e *Editor) error {
	if _, err := e.elements(ctx); err != nil {
		return err
	}
	for _, id := range d.IDs {
		i := slices.IndexFunc(e.elems, func(r store.ElementRow) bool { return r.ID == id })
		if i < 0 {
			if err := e.drop(ctx, id); err != nil {
				return err
			}
			continue
		}
		if err := e.stale(e.elems[i].Rev, e.elems[i].Name); err != nil {
			return err
		}
		if err := e.dropElement(ctx, &e.elems[i]); err != nil {
			return err
		}
	}
	return nil
}

// drop deletes a placement.
func (e *Editor) drop(ctx context.Context, id string) error {
	row, err := e.placement(ctx, id)
	if err != nil {
		return err
	}
	before := row.Placement
	if before.Locked || e.lockedLayer(ctx, before.Layer) {
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
	return e.note("placement", id, before, nil)
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
	elements, err := e.elements(ctx)
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
