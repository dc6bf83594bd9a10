package edit

import (
	"context"

	"visator/app/act"
	"visator/app/desk"
	"visator/core/geom"
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

func (d *Copy) Do(ctx context.Context, e *desk.Editor) error {
	list, err := e.Placements(ctx)
	if err != nil {
		return err
	}
	some := map[string]bool{}
	for _, id := range d.IDs {
		some[id] = true
	}
	to, err := e.CopyGroups(ctx, list, some)
	if err != nil {
		return err
	}
	var first *geom.V
	for _, id := range d.IDs {
		row, err := e.Placement(ctx, id)
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
		c := stage.Copy(before, at, e.Taken)
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
		if err := e.Add(ctx, c); err != nil {
			return err
		}
	}
	return nil
}
