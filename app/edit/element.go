package edit

import (
	"context"
	"encoding/json"
	"fmt"

	"visator/app/act"
	"visator/app/desk"
	"visator/core/lay"
	"visator/core/stage"
	"visator/store"
)

// describing is of elements: what is described, and laid out from that.
var describing = family{
	"add element": of[AddElement], "change element": of[ChangeElement], "stroke": of[Stroke], "break up": of[BreakUp],
	"layer": of[IntoLayer], "group": of[Group], "ungroup": of[Ungroup], "detach": of[Detach], "meant": of[IsMeant],
}

// AddElement adds a room, a row, a drift, ...
type AddElement struct {
	Kind string          `json:"kind"`
	Name string          `json:"name"`
	Spec json.RawMessage `json:"spec"` // as its kind says; what is not told is as its kind begins
}

func (d *AddElement) Do(ctx context.Context, e *desk.Editor) error {
	return e.AddElement(ctx, d.Kind, d.Name, d.Spec)
}

// ChangeElement changes fields of an element; those of its description are changed one by
// one too.
type ChangeElement struct {
	ID    string          `json:"id"`
	Patch json.RawMessage `json:"patch"`
}

func (d *ChangeElement) Do(ctx context.Context, e *desk.Editor) error {
	return e.ChangeElement(ctx, d.ID, d.Patch)
}

// IntoLayer puts things into a layer, which is made when it is new; "" takes them out.
type IntoLayer struct {
	IDs   []string `json:"ids"`
	Layer string   `json:"layer"`
}

func (d *IntoLayer) Do(ctx context.Context, e *desk.Editor) error {
	if d.Layer != "" {
		if err := e.NeedLayer(ctx, d.Layer); err != nil {
			return err
		}
	}
	return e.Mark(ctx, d.IDs, func(layer, _ *string) { *layer = d.Layer }, func(name string) {
		e.Say("%s into %s", name, map[bool]string{true: "no layer", false: "the layer " + d.Layer}[d.Layer == ""])
	})
}

// Detach makes a placement's piece its own: a copy in the library that no other placement
// shares.
type Detach struct {
	IDs []string `json:"ids"`
}

func (d *Detach) Do(ctx context.Context, e *desk.Editor) error {
	rows, err := e.Free(ctx, d.IDs, 1, "a linked copy")
	if err != nil {
		return err
	}
	for _, r := range rows {
		if r.Piece == "" {
			return act.Wrong("%s is a stand-in: it shares nothing.", r.Name)
		}
		n, _, err := store.CountPlacements(ctx, e.Tx, r.Piece)
		if err != nil {
			return err
		}
		if n < 2 {
			return act.Wrong("%s is the only one of its piece already.", r.Name)
		}
		id := store.NewID()
		if err := store.CopyPiece(ctx, e.Tx, r.Piece, id, r.Name); err != nil {
			return err
		}
		piece, err := store.GetPiece(ctx, e.Tx, id)
		if err != nil {
			return err
		}
		there, err := desk.EditOf(&piece)
		if err != nil {
			return err
		}
		gone := there
		gone.Gone = true
		if err := e.Note("piece", id, gone, there); err != nil {
			return err
		}
		before := r.Placement
		r.Piece = id
		e.Say("detach %s from %d others", r.Name, n-1)
		if err := e.Keep(ctx, r, before); err != nil {
			return err
		}
	}
	return nil
}

// Stroke adds a stroke by hand to a ground or a drift.
type Stroke struct {
	ID     string          `json:"id"`
	Stroke json.RawMessage `json:"stroke"` // as its kind says
}

func (d *Stroke) Do(ctx context.Context, e *desk.Editor) error {
	row, err := e.Element(ctx, d.ID)
	if err != nil {
		return err
	}
	var spec struct {
		Strokes []json.RawMessage `json:"strokes"`
	}
	if row.Kind != "ground" && row.Kind != "drift" {
		return act.Wrong("%s is not painted on.", row.Name)
	}
	if err := json.Unmarshal(row.Spec, &spec); err != nil {
		return fmt.Errorf("element %s: %w", row.ID, err)
	}
	strokes, err := json.Marshal(append(spec.Strokes, d.Stroke))
	if err != nil {
		return act.Wrong("The stroke cannot be read: %v", err)
	}
	patch, err := json.Marshal(map[string]any{"spec": map[string]json.RawMessage{"strokes": strokes}})
	if err != nil {
		return err
	}
	e.Say("brush %s", row.Name)
	return e.ChangeElement(ctx, d.ID, patch)
}

// maxBroken is how many placements an element is broken up into: as many as an
// edit has commands.
const maxBroken = 5000

// BreakUp makes single placements of what an element lays; a line's rope and a room's
// walls stay.
type BreakUp struct {
	feeling
	ID string `json:"id"`
}

func (d *BreakUp) Do(ctx context.Context, e *desk.Editor) error {
	row, err := e.Element(ctx, d.ID)
	if err != nil {
		return err
	}
	if row.Kind != "row" && row.Kind != "drift" && row.Kind != "line" {
		return act.Wrong("%s is not made of pieces.", row.Name)
	}
	if _, err := e.Felt(ctx); err != nil {
		return err
	}
	l := e.Snapshot.Laid(row.ID)
	if l == nil || len(l.Instances) == 0 {
		return act.Wrong("Nothing of %s is to be seen; show it first.", row.Name)
	}
	if len(l.Instances) > maxBroken {
		return act.Wrong("%s has %d things; at most %d are broken up.", row.Name, len(l.Instances), maxBroken)
	}
	name, layer := row.Name, row.Layer
	e.Say("break up %s into %d placements", name, len(l.Instances))
	list, err := e.Placements(ctx)
	if err != nil {
		return err
	}
	order := lastly(list)
	for k := range l.Instances {
		in := &l.Instances[k]
		p := stage.Placement{ID: store.NewID(), Piece: in.Piece, Name: stage.NextName(name, e.Taken), Layer: layer,
			Order: min(order+k, stage.MaxOrder)}
		m := in.World()
		p.SetTransform(&m)
		p.Scale.X, p.Scale.Y, p.Scale.Z = in.Scale, in.Scale, in.Scale
		if err := p.Check(); err != nil {
			return act.Wrong("%v", err)
		}
		if err := e.Add(ctx, p); err != nil {
			return err
		}
	}
	if row.Kind == "line" {
		patch := json.RawMessage(`{"spec":{"pieces":[]}}`)
		return e.ChangeElement(ctx, d.ID, patch)
	}
	if row, err = e.Element(ctx, d.ID); err != nil {
		return err
	}
	return e.DropElement(ctx, row)
}

// IsMeant says that a snag is as it should be.
type IsMeant struct {
	Snag string `json:"snag"` // its key
	Why  string `json:"why"`
}

func (d *IsMeant) Do(ctx context.Context, e *desk.Editor) error {
	if _, err := e.Elements(ctx); err != nil {
		return err
	}
	spec, err := json.Marshal(lay.Meant{Snag: d.Snag, Why: d.Why})
	if err != nil {
		return err
	}
	for i := range e.Elems {
		if s, err := e.Elems[i].Read(); err == nil && e.Elems[i].Kind == "meant" && s.(*lay.Meant).Snag == d.Snag {
			return nil // said already
		}
	}
	err = e.AddElement(ctx, "meant", "meant", spec)
	e.Label = "this is meant"
	return err
}
