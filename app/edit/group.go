package edit

import (
	"context"
	"encoding/json"

	"visator/app/act"
	"visator/app/desk"
	"visator/core/lay"
)

// Group puts things into a group. What was in a group of its own comes along as that
// group.
type Group struct {
	IDs  []string `json:"ids"`
	Into string   `json:"into"` // a group that is there; "": a new one
	Name string   `json:"name"`
}

func (d *Group) Do(ctx context.Context, e *desk.Editor) error {
	id := d.Into
	if id == "" {
		if len(d.IDs) < 2 {
			return act.Wrong("Select two or more things to group.")
		}
		name := d.Name
		if name == "" {
			name = "group"
		}
		if err := e.AddElement(ctx, "group", name, nil); err != nil {
			return err
		}
		id = e.Made[len(e.Made)-1]
		e.Label = ""
	} else if _, err := e.Element(ctx, id); err != nil {
		return err
	}
	return e.Mark(ctx, d.IDs, func(_, group *string) { *group = id },
		func(name string) { e.Say("group %s with others", name) })
}

// Ungroup lets the members of groups out, into the group that these were in.
type Ungroup struct {
	IDs []string `json:"ids"`
}

func (d *Ungroup) Do(ctx context.Context, e *desk.Editor) error {
	for _, id := range d.IDs {
		row, err := e.Element(ctx, id)
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
		for i := range e.Elems {
			if s, err := e.Elems[i].Read(); err == nil && e.Elems[i].Kind == "group" && s.(*lay.Group).Parent == id {
				members = append(members, e.Elems[i].ID)
			}
		}
		if err := e.Mark(ctx, members, func(_, group *string) { *group = g.Parent }, func(string) {}); err != nil {
			return err
		}
		if row, err = e.Element(ctx, id); err != nil {
			return err
		}
		if err := e.DropElement(ctx, row); err != nil {
			return err
		}
	}
	return nil
}
