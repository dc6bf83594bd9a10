// Package skin is what surfaces are made of at a place, as the maps of their models tell. Lengths are metres, colours
// linear, light cd/m².
package skin

import (
	"fmt"
	"math"

	"visator/core/bsdf"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/model"
	"visator/core/texture"
)

var white = geom.V{X: 1, Y: 1, Z: 1}

// Surface is a material ready for shading.
type Surface struct {
	M        model.Surface
	Tex      [model.SlotCount]*texture.Texture
	Emission float64 // mean luminance over the surface, cd/m²
	Layered  bool    // there is more to it than metal and roughness
	Placed   bool    // where its pictures lie goes by the thing that it is on; not of what is cut out or glows by them
}

// New decodes the maps of a model, each once, and makes its surfaces
// and the default one. A picture that cannot be decoded is an error: a
// render without it would be wrong in silence.
func New(m *model.Model) (list []*Surface, fallback *Surface, err error) {
	pictures := make([]*texture.Texture, len(m.Maps))
	for i := range m.Surfaces {
		s := &Surface{M: m.Surfaces[i]}
		for role, slot := range s.M.Slots {
			if slot.Map == model.None || m.Maps[slot.Map].Data == nil || model.Role(role) == model.HeightMap ||
				model.Role(role) == model.OcclusionMap {
				continue
			}
			if pictures[slot.Map] == nil {
				img, err := m.Maps[slot.Map].Picture()
				if err != nil {
					return nil, nil, fmt.Errorf("surface %q: %w", s.M.Name, err)
				}
				pictures[slot.Map] = texture.New(img, slot, true)
			}
			t := *pictures[slot.Map]
			t.Slot = slot
			t.Linear = !model.Colored[role]
			if s.M.Pattern.Broken {
				t.Break(s.M.Pattern.Seed)
			}
			s.Tex[role] = &t
		}
		s.Layered = s.M.Layered()
		p := &s.M.Pattern
		s.Placed = (p.Apart || p.World || p.Thrown != nil) && s.M.Alpha == model.Opaque &&
			s.Tex[model.EmissiveMap] == nil
		s.Emission = light.Luminance(geom.V{X: s.M.Emissive[0], Y: s.M.Emissive[1], Z: s.M.Emissive[2]})
		if t := s.Tex[model.EmissiveMap]; t != nil && s.Emission > 0 {
			s.Emission *= t.Mean()
		}
		list = append(list, s)
	}
	def := model.DefaultSurface()
	def.Metallic = 0 // a model without surfaces is plaster, not rough metal
	return list, &Surface{M: def}, nil
}

// SeeThrough reports whether hits on the surface must be asked about.
func (s *Surface) SeeThrough() bool { return s.M.Alpha != model.Opaque || s.Clear() }

// Clear reports whether the surface is thin glass through which light goes
// straight: smooth transmission without a volume (KHR_materials_transmission).
func (s *Surface) Clear() bool {
	return s.M.Transmission > 0 && !s.M.Solid && s.M.Roughness < 0.1 && s.M.Metallic < 1
}

// Coords are texture coordinates of both sets at a place.
type Coords struct {
	U, V     [2]float64
	Tan, Bit geom.V // the ways in which they grow, of those that are metres of the set
}

// Of samples a texture at the coordinates of its set.
func (c *Coords) Of(t *texture.Texture) (r, g, b, a float32) {
	return t.At(c.U[t.Slot.Set], c.V[t.Slot.Set])
}

// At interpolates both sets of texture coordinates on triangle t of the part.
func At(part *model.Part, t uint32, u, v float32) (c Coords) {
	for set := range 2 {
		c.U[set], c.V[set] = part.UVAt(set, t, u, v)
	}
	return c
}

// Opacity is how much of the light a point of the surface stops, 0 to 1.
func (s *Surface) Opacity(part *model.Part, t uint32, u, v float32, uv *Coords) float64 {
	a := s.M.BaseColor[3] * part.ColorAt(t, u, v)[3]
	if tx := s.Tex[model.BaseColorMap]; tx != nil {
		_, _, _, ta := uv.Of(tx)
		a *= float64(ta)
	}
	if tx := s.Tex[model.OpacityMap]; tx != nil {
		r, _, _, _ := uv.Of(tx)
		a *= float64(r)
	}
	if s.M.Alpha == model.Mask {
		if a < s.M.Cutoff {
			return 0
		}
		return 1
	}
	return min(max(a, 0), 1)
}

func (s *Surface) BaseColor(part *model.Part, t uint32, u, v float32, uv *Coords) geom.V {
	vc := part.ColorAt(t, u, v)
	c := geom.V{X: s.M.BaseColor[0] * vc[0], Y: s.M.BaseColor[1] * vc[1], Z: s.M.BaseColor[2] * vc[2]}
	if tx := s.Tex[model.BaseColorMap]; tx != nil {
		r, g, b, _ := uv.Of(tx)
		c = c.Times(geom.V{X: float64(r), Y: float64(g), Z: float64(b)})
	}
	return c
}

func (s *Surface) Transmission(uv *Coords) float64 {
	t := s.M.Transmission * (1 - s.M.Metallic)
	if tx := s.Tex[model.TransmissionMap]; tx != nil && t > 0 {
		r, _, _, _ := uv.Of(tx)
		t *= float64(r)
	}
	return t
}

// ClearTint is the share of light that goes straight through thin glass, at
// normal incidence: what both faces do not reflect, tinted once.
func (s *Surface) ClearTint(part *model.Part, t uint32, u, v float32, uv *Coords) geom.V {
	f0 := bsdf.Facing(s.M.IOR)
	return s.BaseColor(part, t, u, v, uv).Mul(s.Transmission(uv) * (1 - f0))
}

// Tangent is the way in which the first texture coordinate of a triangle grows, at right angles to n, and that in which
// the picture goes up.
func Tangent(n geom.V, slot *model.Slot, uv *Coords, part *model.Part, t uint32, e1, e2 geom.V) (tan, bit geom.V,
	ok bool) {
	along, down := uv.Tan, uv.Bit
	if along == (geom.V{}) {
		list := part.Coordinates(slot)
		if list == nil {
			return
		}
		idx := part.Indices[3*t : 3*t+3]
		du1, dv1 := float64(list[2*idx[1]]-list[2*idx[0]]), float64(list[2*idx[1]+1]-list[2*idx[0]+1])
		du2, dv2 := float64(list[2*idx[2]]-list[2*idx[0]]), float64(list[2*idx[2]+1]-list[2*idx[0]+1])
		det := du1*dv2 - du2*dv1
		if det == 0 {
			return
		}
		along = e1.Mul(dv2 / det).Sub(e2.Mul(dv1 / det))
		down = e2.Mul(du1 / det).Sub(e1.Mul(du2 / det))
	}
	tan = along.Sub(n.Mul(n.Dot(along))).Unit()
	if tan == (geom.V{}) || !tan.Finite() {
		return
	}
	if bit = n.Cross(tan); down.Dot(bit) > 0 {
		bit = bit.Mul(-1) // v grows downwards in the picture, green points up
	}
	return tan, bit, true
}

// Bend applies a tangent-space normal map; the tangent follows from the
// texture coordinates of the triangle.
func Bend(n geom.V, tx *texture.Texture, uv *Coords, part *model.Part, t uint32, e1, e2 geom.V, scale float64) geom.V {
	tan, bit, ok := Tangent(n, &tx.Slot, uv, part, t, e1, e2)
	if !ok {
		return n
	}
	r, g, b, _ := uv.Of(tx)
	x, y, z := (2*float64(r)-1)*scale, (2*float64(g)-1)*scale, 2*float64(b)-1
	return tan.Mul(x).Add(bit.Mul(y)).Add(n.Mul(z)).Unit()
}

// Values are what the surface is made of at u, v on triangle t of a part.
func (s *Surface) Values(part *model.Part, t uint32, u, v float32, uv *Coords) (w bsdf.Values) {
	m := &s.M
	// Channels of a map, 1 where there is none.
	of := func(role model.Role) (c [4]float64) {
		tx := s.Tex[role]
		if tx == nil {
			return [4]float64{1, 1, 1, 1}
		}
		r, g, b, a := uv.Of(tx)
		return [4]float64{float64(r), float64(g), float64(b), float64(a)}
	}
	color := func(c [3]float64, role model.Role) geom.V {
		x := of(role)
		return geom.V{X: c[0] * x[0], Y: c[1] * x[1], Z: c[2] * x[2]}
	}
	w = bsdf.Values{Base: s.BaseColor(part, t, u, v, uv), Metal: m.Metallic, Rough: m.Roughness, Index: m.IOR,
		Specular: m.Specular, SpecularTint: white}
	if s.Tex[model.MetalRoughMap] != nil {
		x := of(model.MetalRoughMap)
		w.Rough, w.Metal = w.Rough*x[1], w.Metal*x[2]
	}
	w.Rough *= of(model.RoughnessMap)[0]
	w.Metal *= of(model.MetallicMap)[0]
	w.Clear = s.Transmission(uv)
	w.Solid, w.Straight = m.Solid && w.Clear > 0, s.Clear()
	if s.Layered {
		w.Specular *= of(model.SpecularMap)[3]
		w.SpecularTint = color(m.SpecularTint, model.SpecularTintMap)
		w.Coat, w.CoatRough = m.Coat*of(model.CoatMap)[0], m.CoatRoughness*of(model.CoatRoughnessMap)[1]
		w.Sheen, w.SheenRough = color(m.Sheen, model.SheenMap), m.SheenRoughness*of(model.SheenRoughnessMap)[3]
		w.Brush = m.Brush * of(model.BrushMap)[2]
		w.Film = bsdf.Film{Share: m.Film * of(model.FilmMap)[0], Index: m.FilmIndex, Thick: m.FilmMost}
		if s.Tex[model.FilmThicknessMap] != nil {
			w.Film.Thick = m.FilmLeast + (m.FilmMost-m.FilmLeast)*of(model.FilmThicknessMap)[1]
		}
		w.Leaf, w.LeafTint = m.Leaf*of(model.LeafMap)[3], color(m.LeafTint, model.LeafTintMap)
	}
	return w
}

// Keeps is what is left of light after so many metres within the surface's body (Beer's law).
func (s *Surface) Keeps(far float64) geom.V {
	if s.M.AbsorbOver <= 0 {
		return white
	}
	q := far / s.M.AbsorbOver
	return geom.V{X: math.Pow(max(s.M.Absorb[0], 0), q), Y: math.Pow(max(s.M.Absorb[1], 0), q),
		Z: math.Pow(max(s.M.Absorb[2], 0), q)}
}

// Glow is what the surface shines by itself, cd/m².
func (s *Surface) Glow(uv *Coords) geom.V {
	e := geom.V{X: s.M.Emissive[0], Y: s.M.Emissive[1], Z: s.M.Emissive[2]}
	if tx := s.Tex[model.EmissiveMap]; tx != nil {
		r, g, b, _ := uv.Of(tx)
		e = e.Times(geom.V{X: float64(r), Y: float64(g), Z: float64(b)})
	}
	return e
}
