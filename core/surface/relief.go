package surface

import (
	"fmt"
	"slices"

	"visator/core/bump"
	"visator/core/model"
	"visator/core/texture"
)

// relief gives parts of some surfaces the shape that their pictures of height say: raised tells how many units of the
// model it is from black to white, fine how long edges may stay. Meshes that have none of them are shared.
func relief(m *model.Model, raised map[int]float64, fine float64) error {
	if len(raised) == 0 {
		return nil
	}
	heights := map[int]*texture.Texture{}
	for i := range raised {
		slot := m.Surfaces[i].Slots[model.HeightMap]
		img, err := m.Maps[slot.Map].Picture()
		if err != nil {
			return fmt.Errorf("surface %q: %w", m.Surfaces[i].Name, err)
		}
		heights[i] = texture.New(img, slot, true)
	}
	m.Meshes = slices.Clone(m.Meshes)
	for i := range m.Meshes {
		parts := slices.Clone(m.Meshes[i].Parts)
		for k := range parts {
			p := &parts[k]
			t := heights[p.Surface]
			coordinates := []float32(nil)
			if t != nil {
				coordinates = p.Coordinates(&t.Slot)
			}
			if coordinates == nil || p.Kind != model.Triangles {
				continue
			}
			*p = bump.Raised(p, t.Slot.Set, func(u, v float64) float64 {
				h, _, _, _ := t.At(u, v)
				return float64(h) - 0.5
			}, raised[p.Surface], fine)
		}
		m.Meshes[i].Parts = parts
	}
	return nil
}
