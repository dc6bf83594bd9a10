package surface

import (
	"slices"

	"visator/core/model"
	"visator/core/sizing"
)

// Found is a surface of a model as it came.
type Found struct {
	Surface  string   `json:"surface"`
	Material Material `json:"material"` // without its pictures
	Maps     []string `json:"maps"`     // what its own pictures say
	Share    float64  `json:"share"`    // of the model's area
	Doubts   string   `json:"doubts"`   // what no real thing looks like
}

// Of are the surfaces of a model, in their order; metres are those of a unit of it.
func Of(m *model.Model, metres float64) []Found {
	list := make([]Found, len(m.Surfaces))
	tiles := map[int]float64{}
	for _, p := range sizing.Patterns(m) {
		tiles[p.Index] = p.Repeat * metres
	}
	areas, whole := sizing.Areas(m), 0.0
	for _, a := range areas {
		whole += a
	}
	for i := range m.Surfaces {
		s, f := &m.Surfaces[i], &list[i]
		f.Surface, f.Material, f.Maps = s.Name, asCame(s, tiles[i]), []string{}
		for name, role := range Roles {
			if k := s.Slots[role].Map; k != model.None && m.Maps[k].Data != nil {
				f.Maps = append(f.Maps, name)
			}
		}
		slices.Sort(f.Maps)
		if whole > 0 {
			f.Share = areas[i] / whole
		}
		if len(f.Maps) == 0 {
			f.Doubts = f.Material.Likely()
		}
	}
	return list
}
