package desk

import (
	"cmp"
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
	up := assembly.GroupsOf(measure.ElementsOf(e.Elems))
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

// Mark changes the layer and the group of placements and elements.
func (e *Editor) Mark(ctx context.Context, ids []string, set func(layer, group *string), say func(name string)) error {
	list, err := e.Elements(ctx)
	if err != nil {
		return err
	}
	for _, id := range ids {
		if i := slices.IndexFunc(list, func(r store.ElementRow) bool { return r.ID == id }); i >= 0 {
			before := e.Elems[i].Element
			say(before.Name)
			if before.Kind == "group" {
				var g lay.Group
				if err := json.Unmarshal(before.Spec, &g); err != nil {
					return err
				}
				set(&e.Elems[i].Layer, &g.Parent)
				if e.Elems[i].Spec, err = json.Marshal(g); err != nil {
					return err
				}
			} else {
				var none string
				set(&e.Elems[i].Layer, &none)
			}
			if err := e.putElement(ctx, &e.Elems[i], &before); err != nil {
				return err
			}
			continue
		}
		row, err := e.Placement(ctx, id)
		if err != nil {
			return err
		}
		before := row.Placement
		say(before.Name)
		set(&row.Layer, &row.Group)
		if err := e.Keep(ctx, row, before); err != nil {
			return err
		}
	}
	return nil
}

// CopyGroups makes new groups in the place of those of which all placements are among
// some, and says which is which.
func (e *Editor) CopyGroups(ctx context.Context, list []store.PlacementRow,
	some map[string]bool) (to map[string]string, err error) {
	elements, err := e.Elements(ctx)
	if err != nil {
		return nil, err
	}
	up, names := assembly.GroupsOf(measure.ElementsOf(elements)), map[string]string{}
	for i := range elements {
		names[elements[i].ID] = elements[i].Name
	}
	whole := map[string]bool{} // groups with members, all of them copied
	for i := range list {
		for _, g := range up.Of(list[i].Group) {
			known, seen := whole[g]
			whole[g] = some[list[i].ID] && (known || !seen)
		}
	}
	to = map[string]string{}
	for _, g := range slices.Backward(inward(up, whole)) { // the outer ones first
		parent := up[g]
		if p, ok := to[parent]; ok {
			parent = p
		}
		label := e.Label
		raw, err := json.Marshal(lay.Group{Parent: parent})
		if err != nil {
			return nil, err
		}
		made := len(e.Made)
		if err := e.AddElement(ctx, "group", names[g], raw); err != nil {
			return nil, err
		}
		to[g] = e.Made[made]
		e.Made, e.Label = e.Made[:made], label // what was made are the things
	}
	return to, nil
}

// inward are the groups of which all is copied, those that lie in others before these.
func inward(up assembly.Groups, whole map[string]bool) (list []string) {
	for g, all := range whole {
		if all {
			list = append(list, g)
		}
	}
	slices.SortFunc(list, func(a, b string) int {
		return cmp.Or(cmp.Compare(len(up.Of(b)), len(up.Of(a))), cmp.Compare(a, b))
	})
	return list
}
