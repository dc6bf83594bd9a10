package desk

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"visator/app/act"
	"visator/app/measure"
	"visator/core/assembly"
	"visator/core/lay"
	"visator/core/stage"
	"visator/store"
)

// Elements are those of the set, read on first use.
func (e *Editor) Elements(ctx context.Context) ([]store.ElementRow, error) {
	if e.Elems == nil {
		list, err := store.Elements(ctx, e.Tx, e.Set.ID)
		if err != nil {
			return nil, err
		}
		e.Elems = list
	}
	return e.Elems, nil
}

// Element is one of the set by its id. It is refused when it was changed after the person saw it.
func (e *Editor) Element(ctx context.Context, id string) (*store.ElementRow, error) {
	list, err := e.Elements(ctx)
	if err != nil {
		return nil, err
	}
	for i := range list {
		if list[i].ID == id {
			return &e.Elems[i], e.Stale(list[i].Rev, list[i].Name)
		}
	}
	return nil, act.NotThere(store.ErrNotFound, "The element")
}

// putElement stores an element; before is what it was, nil when it is new.
func (e *Editor) putElement(ctx context.Context, row *store.ElementRow, before *lay.Element) error {
	if err := row.Check(); err != nil {
		return act.Wrong("%v", err)
	}
	if row.Kind == "group" {
		if err := e.noCircle(row.ID, row.Spec); err != nil {
			return err
		}
	}
	if err := e.ownPieces(ctx, &row.Element); err != nil {
		return err
	}
	if err := store.PutElement(ctx, e.Tx, e.Set.ID, row.Element, e.Rev); err != nil {
		return err
	}
	e.Snapshot = nil // what stands on what it laid out may stand elsewhere
	if before == nil {
		return e.Note("element", row.ID, nil, row.Element)
	}
	return e.Note("element", row.ID, *before, row.Element)
}

// ownPieces makes sure that the pieces that an element lays are of this
// production's library.
func (e *Editor) ownPieces(ctx context.Context, el *lay.Element) error {
	spec, err := el.Read()
	if err != nil {
		return act.Wrong("%v", err)
	}
	var ids []string
	switch s := spec.(type) {
	case *lay.Array:
		ids = shares(s.Pieces)
	case *lay.Garland:
		ids = shares(s.Pieces)
	case *lay.Scatter:
		ids = shares(s.Pieces)
	case *lay.Room:
		for _, o := range s.Openings {
			if o.Filling != "" {
				ids = append(ids, o.Filling)
			}
		}
	}
	slices.Sort(ids)
	for _, id := range slices.Compact(ids) {
		p, err := store.GetPiece(ctx, e.Tx, id)
		if err != nil || p.ProductionID != e.Set.ProductionID {
			return act.Wrong("One of the pieces of %s is not in the library any more; choose another.", el.Name)
		}
	}
	return nil
}

func shares(list []lay.Share) (ids []string) {
	for _, s := range list {
		ids = append(ids, s.Piece)
	}
	return ids
}

func (e *Editor) elementNamed(name string) bool {
	return slices.ContainsFunc(e.Elems, func(r store.ElementRow) bool { return r.Name == name })
}

// AddElement puts in a new element, its settings over those that its kind begins with.
func (e *Editor) AddElement(ctx context.Context, kind, name string, spec json.RawMessage) error {
	list, err := e.Elements(ctx)
	if err != nil {
		return err
	}
	if name == "" {
		name = kind
	}
	if kind == "layer" {
		if assembly.LayersOf(measure.ElementsOf(list))[name] != nil {
			return act.Wrong("There is a layer %s already.", name)
		}
	} else {
		name = stage.NextName(name, e.elementNamed)
	}
	row := store.ElementRow{Element: lay.Element{ID: store.NewID(), Kind: kind, Name: name,
		Spec: lay.Begun(kind, spec)}, Rev: e.seen}
	row.Order = After(list, func(r *store.ElementRow) int { return r.Order })
	if err := e.putElement(ctx, &row, nil); err != nil {
		return err
	}
	e.Elems = append(e.Elems, row)
	e.Made = append(e.Made, row.ID)
	e.Say("add %s", row.Name)
	return nil
}

// ChangeElement lays a change, a JSON object, over an element.
func (e *Editor) ChangeElement(ctx context.Context, id string, change json.RawMessage) error {
	row, err := e.Element(ctx, id)
	if err != nil {
		return err
	}
	before := row.Element
	var patch struct {
		Name   *string
		Layer  *string
		Hidden *bool
		Locked *bool
		Spec   map[string]json.RawMessage
	}
	if err := json.Unmarshal(change, &patch); err != nil {
		return act.Wrong("The change cannot be read: %v", err)
	}
	if before.Locked && patch.Spec != nil && (patch.Locked == nil || *patch.Locked) {
		return act.Wrong("%s is locked; unlock it first", before.Name)
	}
	what := "change"
	if patch.Name != nil {
		row.Name, what = *patch.Name, "rename"
	}
	if patch.Layer != nil {
		row.Layer = *patch.Layer
	}
	if patch.Hidden != nil {
		row.Hidden, what = *patch.Hidden, map[bool]string{true: "hide", false: "show"}[*patch.Hidden]
	}
	if patch.Locked != nil {
		row.Locked, what = *patch.Locked, map[bool]string{true: "lock", false: "unlock"}[*patch.Locked]
	}
	if patch.Spec != nil {
		all := map[string]json.RawMessage{}
		if err := json.Unmarshal(row.Spec, &all); err != nil {
			return fmt.Errorf("element %s: %w", row.ID, err)
		}
		for k, v := range patch.Spec {
			if first, second, nested := strings.Cut(k, "."); nested { // one number of a place, say: the others stay
				part := map[string]json.RawMessage{}
				if err := json.Unmarshal(all[first], &part); err != nil {
					return act.Wrong("%s has no %s.", row.Name, k)
				}
				part[second] = v
				raw, err := json.Marshal(part)
				if err != nil {
					return err
				}
				k, v = first, raw
			}
			all[k] = v
		}
		if row.Spec, err = json.Marshal(all); err != nil {
			return err
		}
	}
	e.Say("%s %s", what, before.Name)
	if err := e.putElement(ctx, row, &before); err != nil {
		row.Element = before
		return err
	}
	if row.Kind == "layer" && row.Name != before.Name {
		if n := countLayers(e.Elems, row.Name); n > 1 {
			return act.Wrong("There is a layer %s already.", row.Name)
		}
		return e.renameLayer(ctx, before.Name, row.Name)
	}
	return nil
}

func countLayers(list []store.ElementRow, name string) (n int) {
	for i := range list {
		if list[i].Kind == "layer" && list[i].Name == name {
			n++
		}
	}
	return n
}

// renameLayer takes along what is in a layer.
func (e *Editor) renameLayer(ctx context.Context, from, to string) error {
	list, err := e.Placements(ctx)
	if err != nil {
		return err
	}
	for i := range list {
		if list[i].Layer == from {
			before := list[i].Placement
			list[i].Layer = to
			if err := e.PutPlacement(ctx, &list[i], before); err != nil {
				return err
			}
		}
	}
	for i := range e.Elems {
		if e.Elems[i].Layer == from {
			before := e.Elems[i].Element
			e.Elems[i].Layer = to
			if err := e.putElement(ctx, &e.Elems[i], &before); err != nil {
				return err
			}
		}
	}
	return nil
}

// DropElement deletes an element; what is in a layer or a group stays.
func (e *Editor) DropElement(ctx context.Context, row *store.ElementRow) error {
	if row.Locked && row.Kind != "layer" {
		return act.Wrong("%s is locked; unlock it first", row.Name)
	}
	before := row.Element
	e.Say("delete %s", before.Name)
	if before.Kind == "layer" {
		if err := e.renameLayer(ctx, before.Name, ""); err != nil {
			return err
		}
	}
	if err := store.DeleteDocument(ctx, e.Tx, e.Set.ID, "element", before.ID); err != nil {
		return err
	}
	e.Elems = slices.DeleteFunc(e.Elems, func(r store.ElementRow) bool { return r.ID == before.ID })
	e.Snapshot = nil
	return e.Note("element", before.ID, before, nil)
}

// NeedLayer makes a layer unless it is there.
func (e *Editor) NeedLayer(ctx context.Context, name string) error {
	list, err := e.Elements(ctx)
	if err != nil || assembly.LayersOf(measure.ElementsOf(list))[name] != nil {
		return err
	}
	said := e.Label
	if err := e.AddElement(ctx, "layer", name, nil); err != nil {
		return err
	}
	e.Label, e.Made = said, e.Made[:len(e.Made)-1] // what needs the layer is what was done
	return nil
}
