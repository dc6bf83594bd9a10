package edit

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"

	"visator/app/act"
	"visator/app/measure"
	"visator/core/assembly"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/stage"
	"visator/store"
)

// Copy makes copies of placements, moved by some way and turned together about the first of
// them. Groups of which all members are copied are copied too: their copies are a group of
// their own.
type Copy struct {
	IDs  []string `json:"ids"`
	By   geom.V   `json:"by"`
	Turn float64  `json:"turn"` // radians
}

func (d *Copy) do(ctx context.Context, e *Editor) error {
	list, err := e.Placements(ctx)
	if err != nil {
		return err
	}
	some := map[string]bool{}
	for _, id := range d.IDs {
		some[id] = true
	}
	to, err := e.copyGroups(ctx, list, some)
	if err != nil {
		return err
	}
	var first *geom.V
	for _, id := range d.IDs {
		row, err := e.placement(ctx, id)
		if err != nil {
			return err
		}
		before := row.Placement
		if first == nil {
			first = &before.At
		}
		at := d.By
		if d.Turn != 0 {
			way := before.At.Sub(*first)
			at = at.Add(geom.Turn(geom.V{Y: 1}, d.Turn).Rotate(way).Sub(way))
		}
		c := stage.Copy(before, at, e.taken)
		c.ID, c.Yaw = store.NewID(), c.Yaw+d.Turn
		if g, ok := to[c.Group]; ok {
			c.Group = g
		}
		if list, err = e.Placements(ctx); err != nil {
			return err
		}
		c.Order = lastly(list)
		if err := c.Check(); err != nil {
			return act.Wrong("%v", err)
		}
		e.Say("copy %s", before.Name)
		if err := e.add(ctx, c); err != nil {
			return err
		}
	}
	return nil
}

// copyGroups makes new groups in the place of those of which all placements are among
// some, and says which is which.
func (e *Editor) copyGroups(ctx context.Context, list []store.PlacementRow,
	some map[string]bool) (to map[string]string, err error) {
	elements, err := e.elements(ctx)
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
		label := e.label
		raw, err := json.Marshal(lay.Group{Parent: parent})
		if err != nil {
			return nil, err
		}
		made := len(e.made)
		if err := e.addElement(ctx, "group", names[g], raw); err != nil {
			return nil, err
		}
		to[g] = e.made[made]
		e.made, e.label = e.made[:made], label // what was made are the things
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
