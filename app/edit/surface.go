package edit

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"visator/core/lay/keep"

	"visator/app/act"
	"visator/app/desk"
	"visator/core/lay"
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
	list, err := e.Elements(ctx)
	if err != nil {
		return err
	}
	put := false
	for _, row := range slices.Clone(list) {
		if row.Kind != "material" {
			continue
		}
		m, err := materialOf(&row.Element)
		if err != nil {
			return err
		}
		on := without(m.On, d.On)
		if row.ID == d.ID || d.Material != nil && !put && same(&m.Material, d.Material) {
			put, on = true, append(on, d.On...)
		}
		if err := wears(ctx, e, row.ID, m.On, on); err != nil {
			return err
		}
	}
	if put {
		return nil
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
	list, err := e.Elements(ctx)
	if err != nil {
		return err
	}
	for _, row := range slices.Clone(list) {
		if row.Kind != "material" {
			continue
		}
		m, err := materialOf(&row.Element)
		if err != nil {
			return err
		}
		if err := wears(ctx, e, row.ID, m.On, without(m.On, d.On)); err != nil {
			return err
		}
	}
	return nil
}

func materialOf(row *lay.Element) (*keep.Material, error) {
	spec, err := row.Read()
	if err != nil {
		return nil, act.Wrong("%v", err)
	}
	return spec.(*keep.Material), nil
}

// wears changes where a material counts.
func wears(ctx context.Context, e *desk.Editor, id string, before, on []surface.On) error {
	if slices.Equal(before, on) {
		return nil
	}
	raw, err := json.Marshal(map[string]any{"spec": map[string]any{"on": on}})
	if err != nil {
		return err
	}
	return e.ChangeElement(ctx, id, raw)
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
