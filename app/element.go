package app

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"visator/core/assembly"
	"visator/core/lay"
	"visator/core/stage"
	"visator/store"
)

// elements are those of the set, read on first use.
func (e *editor) elements(ctx context.Context) ([]store.ElementRow, error) {
	if e.elems == nil {
		list, err := store.Elements(ctx, e.tx, e.set.ID)
		if err != nil {
			return nil, err
		}
		e.elems = list
	}
	return e.elems, nil
}

func (e *editor) element(ctx context.Context, id string) (*store.ElementRow, error) {
	list, err := e.elements(ctx)
	if err != nil {
		return nil, err
	}
	for i := range list {
		if list[i].ID == id {
			return &e.elems[i], e.stale(list[i].Rev, list[i].Name)
		}
	}
	return nil, notThere(store.ErrNotFound, "The element")
}

// putElement stores an element; before is what it was, nil when it is new.
func (e *editor) putElement(ctx context.Context, row *store.ElementRow, before *lay.Element) error {
	if err := row.Check(); err != nil {
		return wrong("%v", err)
	}
	if row.Kind == "group" {
		if err := e.noCircle(row.ID, row.Spec); err != nil {
			return err
		}
	}
	if err := e.ownPieces(ctx, &row.Element); err != nil {
		return err
	}
	if err := store.PutElement(ctx, e.tx, e.set.ID, row.Element, e.rev); err != nil {
		return err
	}
	e.now = nil // what stands on what it laid out may stand elsewhere
	if before == nil {
		return e.note("element", row.ID, nil, row.Element)
	}
	return e.note("element", row.ID, *before, row.Element)
}

// noCircle refuses a group that would hold itself.
func (e *editor) noCircle(id string, spec json.RawMessage) error {
	up := assembly.GroupsOf(elementsOf(e.elems))
	var g lay.Group
	if err := json.Unmarshal(spec, &g); err != nil {
		return wrong("The group cannot be read: %v", err)
	}
	at := g.Parent
	for range len(up) + 1 {
		if at == "" {
			return nil
		}
		if at == id {
			return wrong("A group cannot hold itself, also not through others.")
		}
		at = up[at]
	}
	return wrong("A group cannot hold itself, also not through others.")
}

// ownPieces makes sure that the pieces that an element lays are of this
// production's library.
func (e *editor) ownPieces(ctx context.Context, el *lay.Element) error {
	spec, err := el.Read()
	if err != nil {
		return wrong("%v", err)
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
		p, err := store.GetPiece(ctx, e.tx, id)
		if err != nil || p.ProductionID != e.set.ProductionID {
			return wrong("One of the pieces of %s is not in the library any more; choose another.", el.Name)
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

func (e *editor) elementNamed(name string) bool {
	return slices.ContainsFunc(e.elems, func(r store.ElementRow) bool { return r.Name == name })
}

// addElement adds a room, a row, a drift, ...: its kind in Kind, its description
// in Patch.
func (e *editor) addElement(ctx context.Context, d *Command) error {
	list, err := e.elements(ctx)
	if err != nil {
		return err
	}
	name := d.Name
	if name == "" {
		name = d.Kind
	}
	if d.Kind == "layer" {
		if assembly.LayersOf(elementsOf(list))[name] != nil {
			return wrong("There is a layer %s already.", name)
		}
	} else {
		name = stage.NextName(name, e.elementNamed)
	}
	row := store.ElementRow{Element: lay.Element{ID: store.NewID(), Kind: d.Kind, Name: name, Spec: d.Patch}, Rev: e.seen}
	if len(row.Spec) == 0 {
		row.Spec = json.RawMessage("{}")
	}
	row.Order = after(list, func(r *store.ElementRow) int { return r.Order })
	if err := e.putElement(ctx, &row, nil); err != nil {
		return err
	}
	e.elems = append(e.elems, row)
	e.made = append(e.made, row.ID)
	e.say("add %s", row.Name)
	return nil
}

// changeElement changes fields of an element; those of its description are
// changed one by one too.
func (e *editor) changeElement(ctx context.Context, d *Command) error {
	row, err := e.element(ctx, d.ID)
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
	if err := json.Unmarshal(d.Patch, &patch); err != nil {
		return wrong("The change cannot be read: %v", err)
	}
	if before.Locked && patch.Spec != nil && (patch.Locked == nil || *patch.Locked) {
		return wrong("%s is locked; unlock it first", before.Name)
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
	e.say("%s %s", what, before.Name)
	if err := e.putElement(ctx, row, &before); err != nil {
		row.Element = before
		return err
	}
	if row.Kind == "layer" && row.Name != before.Name {
		if n := countLayers(e.elems, row.Name); n > 1 {
			return wrong("There is a layer %s already.", row.Name)
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
func (e *editor) renameLayer(ctx context.Context, from, to string) error {
	list, err := e.placements(ctx)
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
func (e *editor) dropElement(ctx context.Context, row *store.ElementRow) error {
	if row.Locked && row.Kind != "layer" {
		return wrong("%s is locked; unlock it first", row.Name)
	}
	before := row.Element
	e.say("delete %s", before.Name)
	if before.Kind == "layer" {
		if err := e.renameLayer(ctx, before.Name, ""); err != nil {
			return err
		}
	}
	if err := store.Delete(ctx, e.tx, "element", e.set.ID, before.ID); err != nil {
		return err
	}
	e.elems = slices.DeleteFunc(e.elems, func(r store.ElementRow) bool { return r.ID == before.ID })
	e.now = nil
	return e.note("element", before.ID, before, nil)
}

// needLayer makes a layer unless it is there.
func (e *editor) needLayer(ctx context.Context, name string) error {
	list, err := e.elements(ctx)
	if err != nil || assembly.LayersOf(elementsOf(list))[name] != nil {
		return err
	}
	said := e.label
	if err := e.addElement(ctx, &Command{Kind: "layer", Name: name}); err != nil {
		return err
	}
	e.label, e.made = said, e.made[:len(e.made)-1] // what needs the layer is what was done
	return nil
}

// intoLayer puts things into a layer, which is made when it is new; "" takes
// them out.
func (e *editor) intoLayer(ctx context.Context, d *Command) error {
	if d.Name != "" {
		if err := e.needLayer(ctx, d.Name); err != nil {
			return err
		}
	}
	return e.mark(ctx, d.IDs, func(layer, _ *string) { *layer = d.Name }, func(name string) {
		e.say("%s into %s", name, map[bool]string{true: "no layer", false: "the layer " + d.Name}[d.Name == ""])
	})
}

// mark changes the layer and the group of placements and elements.
func (e *editor) mark(ctx context.Context, ids []string, set func(layer, group *string), say func(name string)) error {
	list, err := e.elements(ctx)
	if err != nil {
		return err
	}
	for _, id := range ids {
		if i := slices.IndexFunc(list, func(r store.ElementRow) bool { return r.ID == id }); i >= 0 {
			before := e.elems[i].Element
			say(before.Name)
			if before.Kind == "group" {
				var g lay.Group
				if err := json.Unmarshal(before.Spec, &g); err != nil {
					return err
				}
				set(&e.elems[i].Layer, &g.Parent)
				if e.elems[i].Spec, err = json.Marshal(g); err != nil {
					return err
				}
			} else {
				var none string
				set(&e.elems[i].Layer, &none)
			}
			if err := e.putElement(ctx, &e.elems[i], &before); err != nil {
				return err
			}
			continue
		}
		row, err := e.placement(ctx, id)
		if err != nil {
			return err
		}
		before := row.Placement
		say(before.Name)
		set(&row.Layer, &row.Group)
		if err := e.keep(ctx, row, before); err != nil {
			return err
		}
	}
	return nil
}

// group puts things into a new group, or with ID into one that is there. What
// was in a group of its own comes along as that group.
func (e *editor) group(ctx context.Context, d *Command) error {
	id := d.ID
	if id == "" {
		if len(d.IDs) < 2 {
			return wrong("Select two or more things to group.")
		}
		name := d.Name
		if name == "" {
			name = "group"
		}
		if err := e.addElement(ctx, &Command{Kind: "group", Name: name}); err != nil {
			return err
		}
		id = e.made[len(e.made)-1]
		e.label = ""
	} else if _, err := e.element(ctx, id); err != nil {
		return err
	}
	return e.mark(ctx, d.IDs, func(_, group *string) { *group = id }, func(name string) { e.say("group %s with others", name) })
}

// ungroup lets the members of groups out, into the group that these were in.
func (e *editor) ungroup(ctx context.Context, d *Command) error {
	for _, id := range d.IDs {
		row, err := e.element(ctx, id)
		if err != nil {
			return err
		}
		if row.Kind != "group" {
			return wrong("%s is not a group.", row.Name)
		}
		var g lay.Group
		if err := json.Unmarshal(row.Spec, &g); err != nil {
			return err
		}
		e.say("ungroup %s", row.Name)
		list, err := e.placements(ctx)
		if err != nil {
			return err
		}
		var members []string
		for i := range list {
			if list[i].Group == id {
				members = append(members, list[i].ID)
			}
		}
		for i := range e.elems {
			if s, err := e.elems[i].Read(); err == nil && e.elems[i].Kind == "group" && s.(*lay.Group).Parent == id {
				members = append(members, e.elems[i].ID)
			}
		}
		if err := e.mark(ctx, members, func(_, group *string) { *group = g.Parent }, func(string) {}); err != nil {
			return err
		}
		if row, err = e.element(ctx, id); err != nil {
			return err
		}
		if err := e.dropElement(ctx, row); err != nil {
			return err
		}
	}
	return nil
}

// detach makes a placement's piece its own: a copy in the library that no other
// placement shares.
func (e *editor) detach(ctx context.Context, d *Command) error {
	rows, err := e.free(ctx, d.IDs, 1, "a linked copy")
	if err != nil {
		return err
	}
	for _, r := range rows {
		if r.Piece == "" {
			return wrong("%s is a stand-in: it shares nothing.", r.Name)
		}
		n, _, err := store.CountPlacements(ctx, e.tx, r.Piece)
		if err != nil {
			return err
		}
		if n < 2 {
			return wrong("%s is the only one of its piece already.", r.Name)
		}
		id := store.NewID()
		if err := store.CopyPiece(ctx, e.tx, r.Piece, id, r.Name); err != nil {
			return err
		}
		piece, err := store.GetPiece(ctx, e.tx, id)
		if err != nil {
			return err
		}
		there, err := editOf(&piece)
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
		e.say("detach %s from %d others", r.Name, n-1)
		if err := e.keep(ctx, r, before); err != nil {
			return err
		}
	}
	return nil
}

// stroke adds a stroke by hand to a ground or a drift.
func (e *editor) stroke(ctx context.Context, d *Command) error {
	row, err := e.element(ctx, d.ID)
	if err != nil {
		return err
	}
	var spec struct {
		Strokes []json.RawMessage `json:"strokes"`
	}
	if row.Kind != "ground" && row.Kind != "drift" {
		return wrong("%s is not painted on.", row.Name)
	}
	if err := json.Unmarshal(row.Spec, &spec); err != nil {
		return fmt.Errorf("element %s: %w", row.ID, err)
	}
	strokes, err := json.Marshal(append(spec.Strokes, d.Patch))
	if err != nil {
		return wrong("The stroke cannot be read: %v", err)
	}
	patch, err := json.Marshal(map[string]any{"spec": map[string]json.RawMessage{"strokes": strokes}})
	if err != nil {
		return err
	}
	e.say("brush %s", row.Name)
	return e.changeElement(ctx, &Command{ID: d.ID, Patch: patch})
}

// maxBroken is how many placements an element is broken up into: as many as an
// edit has deeds.
const maxBroken = 5000

// breakUp makes single placements of what an element lays; a line's rope and a
// room's walls stay.
func (e *editor) breakUp(ctx context.Context, d *Command) error {
	row, err := e.element(ctx, d.ID)
	if err != nil {
		return err
	}
	if row.Kind != "row" && row.Kind != "drift" && row.Kind != "line" {
		return wrong("%s is not made of pieces.", row.Name)
	}
	if _, err := e.felt(ctx); err != nil {
		return err
	}
	l := e.now.Laid(row.ID)
	if l == nil || len(l.Instances) == 0 {
		return wrong("Nothing of %s is to be seen; show it first.", row.Name)
	}
	if len(l.Instances) > maxBroken {
		return wrong("%s has %d things; at most %d are broken up.", row.Name, len(l.Instances), maxBroken)
	}
	name, layer := row.Name, row.Layer
	e.say("break up %s into %d placements", name, len(l.Instances))
	list, err := e.placements(ctx)
	if err != nil {
		return err
	}
	order := lastly(list)
	for k := range l.Instances {
		in := &l.Instances[k]
		p := stage.Placement{ID: store.NewID(), Piece: in.Piece, Name: stage.NextName(name, e.taken), Layer: layer, Order: min(order+k, stage.MaxOrder)}
		m := in.World()
		p.SetTransform(&m)
		p.Scale.X, p.Scale.Y, p.Scale.Z = in.Scale, in.Scale, in.Scale
		if err := p.Check(); err != nil {
			return wrong("%v", err)
		}
		if err := e.add(ctx, p); err != nil {
			return err
		}
	}
	if row.Kind == "line" {
		patch := json.RawMessage(`{"spec":{"pieces":[]}}`)
		return e.changeElement(ctx, &Command{ID: d.ID, Patch: patch})
	}
	if row, err = e.element(ctx, d.ID); err != nil {
		return err
	}
	return e.dropElement(ctx, row)
}

// meant says that a snag is as it should be, with a reason in Name.
func (e *editor) meant(ctx context.Context, d *Command) error {
	if _, err := e.elements(ctx); err != nil {
		return err
	}
	spec, err := json.Marshal(lay.Meant{Snag: d.Of, Why: d.Name})
	if err != nil {
		return err
	}
	for i := range e.elems {
		if s, err := e.elems[i].Read(); err == nil && e.elems[i].Kind == "meant" && s.(*lay.Meant).Snag == d.Of {
			return nil // said already
		}
	}
	err = e.addElement(ctx, &Command{Kind: "meant", Name: "meant", Patch: spec})
	e.label = "this is meant"
	return err
}
