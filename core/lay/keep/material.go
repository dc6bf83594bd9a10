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

// Worn are the materials of a set, in their order; what is hidden is not worn.
func Worn(list []*lay.Element) (out []*surface.Worn, err error) {
	for _, e := range list {
		if e.Kind != "material" || e.Hidden {
			continue
		}
		s, err := e.Read()
		if err != nil {
			return nil, err
		}
		out = append(out, &s.(*Material).Worn)
	}
	return out, nil
}
