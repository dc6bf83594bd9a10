package desk

import (
	"context"
	"encoding/json"
	"fmt"

	"visator/app/act"
	"visator/app/measure"
	"visator/store"
)

// AsItWas makes what stands in the set what stood in one that was kept: things and elements come back, go, or are
// changed, where they differ. With pieces those that stand there are as they were then too, in all sets. It tells how
// many differed.
func (e *Editor) AsItWas(ctx context.Context, was *measure.Frozen, pieces bool) (differed int, err error) {
	if err := e.piecesThere(ctx, was); err != nil {
		return 0, err
	}
	now, err := e.Placements(ctx)
	if err != nil {
		return 0, err
	}
	elements, err := e.Elements(ctx)
	if err != nil {
		return 0, err
	}
	type row struct{ was, is any } // nil: not there
	rows := map[[2]string]*row{}
	at := func(kind, id string) *row {
		k := [2]string{kind, id}
		if rows[k] == nil {
			rows[k] = &row{}
		}
		return rows[k]
	}
	for i := range now {
		at("placement", now[i].ID).is = now[i].Placement
	}
	for i := range elements {
		at("element", elements[i].ID).is = elements[i].Element
	}
	for i := range was.Placements {
		at("placement", was.Placements[i].ID).was = was.Placements[i].Placement
	}
	for i := range was.Elements {
		at("element", was.Elements[i].ID).was = was.Elements[i].Element
	}
	for i := range was.Pieces {
		if !pieces {
			break
		}
		r := at("piece", was.Pieces[i].ID)
		if r.was, r.is, err = e.pieceAsItWas(ctx, &was.Pieces[i]); err != nil {
			return 0, err
		}
	}
	for k, r := range rows {
		changed, err := e.putBack(ctx, k[0], k[1], r.was, r.is)
		if err != nil {
			return 0, err
		}
		if changed {
			differed++
		}
	}
	e.places, e.byID, e.names, e.Elems, e.Snapshot = nil, nil, nil, nil, nil
	return differed, nil
}

// pieceAsItWas is a piece as it stood, and as it is: what it is called, and where it came from, is not how it stands.
func (e *Editor) pieceAsItWas(ctx context.Context, row *store.Piece) (was, is PieceEdit, err error) {
	now, err := store.GetPiece(ctx, e.Tx, row.ID)
	if err != nil {
		return was, is, err
	}
	if is, err = EditOf(&now); err != nil {
		return was, is, err
	}
	p, err := EditOf(row)
	was = is
	was.Sizing, was.Recipe = p.Sizing, p.Recipe
	return was, is, err
}

// putBack makes a row that is one thing what it was, nil for none; it tells whether it was another.
func (e *Editor) putBack(ctx context.Context, kind, id string, want, is any) (changed bool, err error) {
	var raw json.RawMessage
	if want != nil {
		if raw, err = json.Marshal(want); err != nil {
			return false, err
		}
	}
	if same, err := alike(kind, raw, is); err != nil || same {
		return false, err
	}
	if err := e.restore(ctx, kind, id, raw); err != nil {
		return false, fmt.Errorf("%s %s: %w", kind, id, err)
	}
	if kind == "placement" {
		e.touch(id)
	}
	return true, e.Note(kind, id, is, want)
}

// piecesThere says which piece of a set as it was is not in the library any more.
func (e *Editor) piecesThere(ctx context.Context, was *measure.Frozen) error {
	pieces, err := store.Pieces(ctx, e.Tx, e.Set.ProductionID)
	if err != nil {
		return err
	}
	there := map[string]bool{}
	for i := range pieces {
		there[pieces[i].ID] = !pieces[i].Gone
	}
	for i := range was.Pieces {
		if p := &was.Pieces[i]; !there[p.ID] {
			return act.Wrong("%s stood in it and is not in the library any more: bring it back first.", p.Name)
		}
	}
	return nil
}
