package edit

import (
	"context"
	"encoding/json"
	"visator/core/lay/keep"

	"visator/app/act"
	"visator/app/desk"
	"visator/core/light"
)

// lighting is of light that is kept and taken again.
var lighting = family{"keep light": of[KeepLight], "use light": of[UseLight]}

// KeepLight keeps the working light by a name: sun, sky, air, and which lamps burn how strong.
type KeepLight struct {
	Name string `json:"name"`
}

func (d *KeepLight) Do(ctx context.Context, e *desk.Editor) error {
	spec, err := json.Marshal(keep.KeptLight{Light: e.Set.Light})
	if err != nil {
		return err
	}
	name := d.Name
	if name == "" {
		name = "light"
	}
	if err := e.AddElement(ctx, "kept light", name, spec); err != nil {
		return err
	}
	e.Say("keep the light as %s", name)
	return nil
}

// UseLight makes the working light that of a kept light, or of a shot.
type UseLight struct {
	ID string `json:"id"`
}

func (d *UseLight) Do(ctx context.Context, e *desk.Editor) error {
	var l light.State
	name := ""
	if s, err := e.Kept(ctx, d.ID); err == nil {
		l, name = s.Light, s.Name
	} else {
		row, err := e.Element(ctx, d.ID)
		if err != nil {
			return err
		}
		spec, err := row.Read()
		if err != nil {
			return act.Wrong("%v", err)
		}
		k, ok := spec.(*keep.KeptLight)
		if !ok {
			return act.Wrong("%s is no light that was kept, and no shot.", row.Name)
		}
		l, name = k.Light, row.Name
	}
	if err := e.Stale(e.Set.Rev, "The view"); err != nil {
		return err
	}
	before := e.Set.Scene
	e.Set.Light = l
	e.Say("use the light of %s", name)
	return e.PutSet(ctx, before)
}
