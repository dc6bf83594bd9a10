package keep

import (
	"visator/core/lay"
	"visator/core/surface"
)

var _ = lay.Kind("material", func() lay.Spec { return &Material{} })

// Material is what some surfaces of the set are made of.
type Material struct{ surface.Worn }

// Default is a material as it begins.
func (*Material) Default() lay.Spec {
	return &Material{surface.Worn{Material: surface.New(), On: []surface.On{}}}
}

// Worn are the materials of a set, in their order, and by which element each is; what is hidden is not worn.
func Worn(list []*lay.Element) (out []*surface.Worn, by map[*surface.Material]string, err error) {
	by = map[*surface.Material]string{}
	err = each(list, "material", func(e *lay.Element, m *Material) {
		out, by[&m.Worn.Material] = append(out, &m.Worn), e.ID
	})
	return out, by, err
}
