package surface

import (
	"fmt"
	"slices"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/sizing"
)

// Coat is a model whose surfaces are made of what matches; what does not change is shared. top brings it to metres,
// and relief is divided as finely as fine, in metres.
func Coat(m *model.Model, top geom.M, matches []Match, fine float64, fetch func(hash string) ([]byte, error)) (
	*model.Model, error) {
	out := *m
	out.Surfaces, out.Maps = slices.Clone(m.Surfaces), slices.Clone(m.Maps)
	if len(out.Surfaces) == 0 { // a body without surfaces has one then
		out.Surfaces = []model.Surface{model.DefaultSurface()}
		out.Meshes = slices.Clone(m.Meshes)
		for i := range out.Meshes {
			out.Meshes[i].Parts = slices.Clone(out.Meshes[i].Parts)
			for k := range out.Meshes[i].Parts {
				out.Meshes[i].Parts[k].Surface = 0
			}
		}
	}
	own := map[int]*Material{} // of surfaces that some faces have alone
	for _, match := range matches {
		if match.Faces.None() {
			continue
		}
		if i, ok := match.Faces.part(&out, top); ok {
			own[i] = match.Material
		}
	}
	metres := top.Dir(geom.V{X: 1}).Len()
	runs := sizing.Runs(&out)
	laid := map[int]*Material{} // of surfaces whose pictures do not lie as their coordinates run
	raised := map[int]float64{} // of surfaces with relief, units of the model from black to white
	at := map[string]int{}      // of the maps that are there, by content
	for i := range out.Surfaces {
		s := &out.Surfaces[i]
		of := own[i]
		if of == nil {
			of = For(matches, s.Name)
		}
		if of == nil {
			continue
		}
		index := map[string]int{}
		for role, p := range of.Maps {
			k, known := at[p.Blob]
			if !known {
				data, err := fetch(p.Blob)
				if err != nil {
					return nil, fmt.Errorf("the picture %s of the material on %s: %w", p.Name, s.Name, err)
				}
				pic := model.Map{Name: p.Name, Role: Roles[role].String(), Status: model.Found}
				if pic.Data, pic.Mime, err = model.AdoptPicture(data, p.Name); err != nil {
					return nil, fmt.Errorf("the picture %s of the material on %s: %w", p.Name, s.Name, err)
				}
				k = len(out.Maps)
				out.Maps = append(out.Maps, pic)
				at[p.Blob] = k
			}
			index[role] = k
		}
		repeat := runs[i] * metres
		if len(of.Maps) > 0 && (of.Lay == OnBox || of.Tile > 0 && (of.Lay != AsCame || repeat == 0)) {
			laid[i], repeat = of, 1
		}
		of.Apply(s, index, repeat)
		if s.Slots[model.HeightMap].Map != model.None && of.Relief != 0 {
			raised[i] = of.Relief / metres
		}
	}
	if len(laid) > 0 {
		lay(&out, laid, metres)
	}
	if err := relief(&out, raised, fine/metres); err != nil {
		return nil, err
	}
	return &out, nil
}

// lay gives the parts of some surfaces coordinates in metres: round the axis of a pole, or else along the two axes that
// each of their triangles faces least; metres are those of a unit of the file. Meshes that have none of them are
// shared.
func lay(m *model.Model, laid map[int]*Material, metres float64) {
	m.Meshes = slices.Clone(m.Meshes)
	for i := range m.Meshes {
		parts := slices.Clone(m.Meshes[i].Parts)
		for k := range parts {
			p := &parts[k]
			switch of := laid[p.Surface]; {
			case of == nil || p.Kind != model.Triangles:
			case of.Lay == RoundPole:
				*p = Round(p, metres, of.Tile)
			case of.Lay == OnBox:
				*p = onBox(p)
			default:
				*p = Boxed(p, metres)
			}
		}
		m.Meshes[i].Parts = parts
	}
}
