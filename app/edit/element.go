package edit

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"visator/app/act"
	"visator/app/measure"
	"visator/core/assembly"
	"visator/core/lay"
	"visator/core/stage"
	"visator/store"
)

// describing is of elements: what is described, and laid out from that.
var describing = family{
	"add element": of[AddElement], "change element": of[ChangeElement], "stroke": of[Stroke], "break up": of[BreakUp],
	"layer": of[IntoLayer], "group": of[Group], "ungroup": of[Ungroup], "detach": of[Detach], "meant": of[IsMeant],
}

// elements are those of the set, read on first use.
func (e *Editor) elements(ctx context.Context) ([]store.ElementRow, error) {
	if e.elems == nil {
		list, err := store.Elements(ctx, e.Tx, e.Set.ID)
		if err != nil {
			return nil, err
		}
		e.elems = list
	}
	return e.elems, nil
}

func (e *Editor) element(ctx context.Context, id string) (*store.ElementRow, error) {
	list, err := e.elements(ctx)
	if err != nil {
		return nil, err
	}
	for i := range list {
		if list[i].ID == id {
			return &e.elems[i], e.stale(list[i].Rev, list[i].Name)
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
	if err := store.PutElement(ctx, e.Tx, e.Set.ID, row.Element, e.rev); err != nil {
		return err
	}
	e.now = nil // what stands on what it laid out may stand elsewhere
	if before == nil {
		return e.note("element", row.ID, nil, row.Element)
	}
	return e.note("element", row.ID, *before, row.Element)
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
	return slices.ContainsFunc(e.elems, func(r store.ElementRow) bool { return r.Name == name })
}

// AddElement adds a room, a row, a drift, ...
type AddElement struct {
	Kind string          `json:"kind"`
	Name string          `json:"name"`
	Spec json.RawMessage `json:"spec"` // as its kind says; what is not told is as its kind begins
}

func (d *AddElement) do(ctx context.Context, e *Editor) error {
	return e.addElement(ctx, d.Kind, d.Name, d.Spec)
}

func (e *Editor) addElement(ctx context.Context, kind, name string, spec json.RawMessage) error {
	list, err := e.elements(ctx)
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
	row.Order = after(list, func(r *store.ElementRow) int { return r.Order })
	if err := e.putElement(ctx, &row, nil); err != nil {
		return err
	}
	e.elems = append(e.elems, row)
	e.made = append(e.made, row.ID)
	e.Say("add %s", row.Name)
	return nil
}

// ChangeElement changes fields of an element; those of its description are changed one by
// one too.
type ChangeElement struct {
	ID    string          `json:"id"`
	Patch json.RawMessage `json:"patch"`
}

func (d *ChangeElement) do(ctx context.Context, e *Editor) error {
	return e.changeElement(ctx, d.ID, d.Patch)
}

func (e *Editor) changeElement(ctx context.Context, id string, change json.RawMessage) error {
	row, err := e.element(ctx, id)
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
		if n := countLayers(e.elems, row.Name); n > 1 {
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
			if err := e.putPlacement(ctx, &list[i], before); err != nil {
				return err
			}
		}
	}
	for i := range e.elems {
		if e.elems[i].Layer == from {
			before := e.elems[i].Element
			e.elems[i].Layer = to
			if err := e.putElement(ctx, &e.elems[i], &before); err != nil {
				return err
			}
		}
	}
	return nil
}

// dropElement deletes an element; what is in a layer or a group stays.
func (e *Editor) dropElement(ctx context.Context, row *store.ElementRow) error {
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
	e.elems = slices.DeleteFunc(e.elems, func(r store.ElementRow) bool { return r.ID == before.ID })
	e.now = nil
	return e.note("element", before.ID, before, nil)
}

// needLayer makes a layer unless it is there.
func (e *Editor) needLayer(ctx context.Context, name string) error {
	list, err := e.elements(ctx)
	if err != nil || assembly.LayersOf(measure.ElementsOf(list))[name] != nil {
		return err
	}
	said := e.label
	if err := e.addElement(ctx, "layer", name, nil); err != nil {
		return err
	}
	e.label, e.made = said, e.made[:len(e.made)-1] // what needs the layer is what was done
	return nil
}

// IntoLayer puts things into a layer, which is made when it is new; "" takes them out.
type IntoLayer struct {
	IDs   []string `json:"ids"`
	Layer string   `json:"layer"`
}

func (d *IntoLayer) do(ctx context.Context, e *Editor) error {
	if d.Layer != "" {
		if err := e.needLayer(ctx, d.Layer); err != nil {
			return err
		}
	}
	return e.mark(ctx, d.IDs, func(layer, _ *string) { *layer = d.Layer }, func(name string) {
		e.Say("%s into %s", name, map[bool]string{true: "no layer", false: "the layer " + d.Layer}[d.Layer == ""])
	})
}

// Detach makes a placement's piece its own: a copy in the library that no other placement
// shares.
type Detach struct {
	IDs []string `json:"ids"`
}

func (d *Detach) do(ctx context.Context, e *Editor) error {
	rows, err := e.free(ctx, d.IDs, 1, "a linked copy")
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
		there, err := EditOf(&piece)
		if err != nil {
			return err
		}
		gone := there
		gone.Gone = true
		if err := e.note("piece", id, gone, there); err != nil {
			return err
		}
		before := r.Placement
		r.Piece = id
		e.Say("detach %s from %d others", r.Name, n-1)
		if err := e.keep(ctx, r, before); err != nil {
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

func (d *Stroke) do(ctx context.Context, e *Editor) error {
	row, err := e.element(ctx, d.ID)
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
	return e.changeElement(ctx, d.ID, patch)
}

// maxBroken is how many placements an element is broken up into: as many as an
// edit has commands.
const maxBroken = 5000

// BreakUp makes single placements of what an element lays; a line's rope and a room's
// walls stay.
type BreakUp struct {
	ID string `json:"id"`
}

func (d *BreakUp) do(ctx context.Context, e *Editor) error {
	row, err := e.element(ctx, d.ID)
	if err != nil {
		return err
	}
	if row.Kind != "row" && row.Kind != "drift" && row.Kind != "line" {
		return act.Wrong("%s is not made of pieces.", row.Name)
	}
	if _, err := e.felt(ctx); err != nil {
		return err
	}
	l := e.now.Laid(row.ID)
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
		p := stage.Placement{ID: store.NewID(), Piece: in.Piece, Name: stage.NextName(name, e.taken), Layer: layer,
			Order: min(order+k, stage.MaxOrder)}
		m := in.World()
		p.SetTransform(&m)
		p.Scale.X, p.Scale.Y, p.Scale.Z = in.Scale, in.Scale, in.Scale
		if err := p.Check(); err != nil {
			return act.Wrong("%v", err)
		}
		if err := e.add(ctx, p); err != nil {
			return err
		}
	}
	if row.Kind == "line" {
		patch := json.RawMessage(`{"spec":{"pieces":[]}}`)
		return e.changeElement(ctx, d.ID, patch)
	}
	if row, err = e.element(ctx, d.ID); err != nil {
		return err
	}
	return e.dropElement(ctx, row)
}

// IsMeant says that a snag is as it should be.
type IsMeant struct {
	Snag string `json:"snag"` // its key
	Why  string `json:"why"`
}

func (d *IsMeant) do(ctx context.Context, e *Editor) error {
	if _, err := e.elements(ctx); err != nil {
		return err
	}
	spec, err := json.Marshal(lay.Meant{Snag: d.Snag, Why: d.Why})
	if err != nil {
		return err
	}
	for i := range e.elems {
		if s, err := e.elems[i].Read(); err == nil && e.elems[i].Kind == "meant" && s.(*lay.Meant).Snag == d.Snag {
			return nil // said already
		}
	}
	err = e.addElement(ctx, "meant", "meant", spec)
	e.label = "this is meant"
	return err
}
