package edit

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"slices"

	"visator/app/act"
	"visator/app/desk"
	"visator/core/lay/keep"
	"visator/core/surface"
)

// surfacing is of what things are made of.
var surfacing = family{"put on": of[PutOn], "as it came": of[AsItCame]}

// PutOn makes surfaces of a material: one that is there already, or a new one. What they were made of before they are
// made of no more.
type PutOn struct {
	Name     string            `json:"name"`
	Material *surface.Material `json:"material"` // of a new one; null: ID
	ID       string            `json:"id"`       // the element of one that is there
	On       []surface.On      `json:"on"`
}

func (d *PutOn) Do(ctx context.Context, e *desk.Editor) error {
	if len(d.On) == 0 {
		return act.Wrong("A material is put on a surface: choose one.")
	}
	name := cmp.Or(d.Name, "material")
	if d.Material == nil {
		row, err := e.Element(ctx, d.ID)
		if err != nil {
			return err
		}
		name = row.Name
	}
	e.Say("put %s on %s", name, where(d.On))
	put := false
	err := wears(ctx, e, func(id string, m *keep.Material) []surface.On {
		on := without(m.On, d.On)
		if id == d.ID || d.Material != nil && !put && same(&m.Material, d.Material) {
			put, on = true, append(on, d.On...)
		}
		return on
	})
	if put || err != nil {
		return err
	}
	if d.Material == nil {
		return act.Wrong("%s is no material.", name)
	}
	spec, err := json.Marshal(surface.Worn{Material: *d.Material, On: d.On})
	if err != nil {
		return act.Wrong("The material cannot be read: %v", err)
	}
	return e.AddElement(ctx, "material", name, spec)
}

// AsItCame makes surfaces of what they came with.
type AsItCame struct {
	On []surface.On `json:"on"`
}

func (d *AsItCame) Do(ctx context.Context, e *desk.Editor) error {
	e.Say("%s as it came", where(d.On))
	return wears(ctx, e, func(_ string, m *keep.Material) []surface.On { return without(m.On, d.On) })
}

// wears changes where each material of the set counts.
func wears(ctx context.Context, e *desk.Editor, now func(id string, m *keep.Material) []surface.On) error {
	list, err := e.Elements(ctx)
	if err != nil {
		return err
	}
	for _, row := range slices.Clone(list) {
		if row.Kind != "material" {
			continue
		}
		spec, err := row.Read()
		if err != nil {
			return act.Wrong("%v", err)
		}
		m := spec.(*keep.Material)
		on := now(row.ID, m)
		if slices.Equal(m.On, on) {
			continue
		}
		raw, err := json.Marshal(map[string]any{"spec": map[string]any{"on": on}})
		if err != nil {
			return err
		}
		if err := e.ChangeElement(ctx, row.ID, raw); err != nil {
			return err
		}
	}
	return nil
}

// without is a list without those of another.
func without(list, gone []surface.On) []surface.On {
	out := make([]surface.On, 0, len(list))
	for _, on := range list {
		if !slices.Contains(gone, on) {
			out = append(out, on)
		}
	}
	return out
}

// same says whether two materials are one.
func same(a, b *surface.Material) bool {
	x, errA := json.Marshal(a)
	y, errB := json.Marshal(b)
	return errA == nil && errB == nil && bytes.Equal(x, y)
}

// where says on what a material is put.
func where(on []surface.On) string {
	if len(on) == 1 && on[0].Surface != "" {
		return on[0].Surface
	}
	return "surfaces"
}
