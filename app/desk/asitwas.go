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
	then := map[[2]string]any{}
	for i := range was.Placements {
		then[[2]string{"placement", was.Placements[i].ID}] = was.Placements[i].Placement
	}
	for i := range was.Elements {
		then[[2]string{"element", was.Elements[i].ID}] = was.Elements[i].Element
	}
	if pieces {
		for i := range was.Pieces {
			p, err := EditOf(&was.Pieces[i])
			if err != nil {
				return 0, err
			}
			now, err := store.GetPiece(ctx, e.Tx, was.Pieces[i].ID)
			if err != nil {
				return 0, err
			}
			is, err := EditOf(&now)
			if err != nil {
				return 0, err
			}
			// What it is called, and where it came from, is not how it stands.
			is.Sizing, is.Recipe = p.Sizing, p.Recipe
			then[[2]string{"piece", was.Pieces[i].ID}] = is
		}
	}
	now, err := e.Placements(ctx)
	if err != nil {
		return 0, err
	}
	elements, err := e.Elements(ctx)
	if err != nil {
		return 0, err
	}
	for i := range now {
		if k := [2]string{"placement", now[i].ID}; then[k] == nil {
			then[k] = nil
		}
	}
	for i := range elements {
		if k := [2]string{"element", elements[i].ID}; then[k] == nil {
			then[k] = nil
		}
	}
	for k, want := range then {
		changed, err := e.putBack(ctx, k[0], k[1], want)
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

// putBack makes a row what it was, nil for none; it tells whether it was another.
func (e *Editor) putBack(ctx context.Context, kind, id string, want any) (changed bool, err error) {
	is, _, err := e.rowOf(ctx, kind, id)
	if err != nil {
		return false, err
	}
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
