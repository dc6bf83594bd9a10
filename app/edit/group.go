package edit

import (
	"context"
	"encoding/json"
	"slices"

	"visator/app/act"
	"visator/app/measure"
	"visator/core/assembly"
	"visator/core/lay"
	"visator/store"
)

// noCircle refuses a group that would hold itself.
func (e *Editor) noCircle(id string, spec json.RawMessage) error {
	up := assembly.GroupsOf(measure.ElementsOf(e.elems))
	var g lay.Group
	if err := json.Unmarshal(spec, &g); err != nil {
		return act.Wrong("The group cannot be read: %v", err)
	}
	at := g.Parent
	for range len(up) + 1 {
		if at == "" {
			return nil
		}
		if at == id {
			return act.Wrong("A group cannot hold itself, also not through others.")
		}
		at = up[at]
	}
	return act.Wrong("A group cannot hold itself, also not through others.")
}

// mark changes the layer and the group of placements and elements.
func (e *Editor) mark(ctx context.Context, ids []string, set func(layer, group *string), say func(name string)) error {
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

// Group puts things into a group. What was in a group of its own comes along as that
// group.
type Group struct {
	IDs  []string `json:"ids"`
	Into string   `json:"into"` // a group that is there; "": a new one
	Name string   `json:"name"`
}

func (d *Group) do(ctx context.Context, e *Editor) error {
	id := d.Into
	if id == "" {
		if len(d.IDs) < 2 {
			return act.Wrong("Select two or more things to group.")
		}
		name := d.Name
		if name == "" {
			name = "group"
		}
		if err := e.addElement(ctx, "group", name, nil); err != nil {
			return err
		}
		id = e.made[len(e.made)-1]
		e.label = ""
	} else if _, err := e.element(ctx, id); err != nil {
		return err
	}
	return e.mark(ctx, d.IDs, func(_, group *string) { *group = id },
		func(name string) { e.Say("group %s with others", name) })
}

// Ungroup lets the members of groups out, into the group that these were in.
type Ungroup struct {
	IDs []string `json:"ids"`
}

func (d *Ungroup) do(ctx context.Context, e *Editor) error {
	for _, id := range d.IDs {
		row, err := e.element(ctx, id)
		if err != nil {
			return err
		}
		if row.Kind != "group" {
			return act.Wrong("%s is not a group.", row.Name)
		}
		var g lay.Group
		if err := json.Unmarshal(row.Spec, &g); err != nil {
			return err
		}
		e.Say("ungroup %s", row.Name)
		list, err := e.Placements(ctx)
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
