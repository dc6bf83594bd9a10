package render

import (
	"fmt"
	"math"

	"visator/core/bsdf"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/model"
	"visator/core/points"
	"visator/core/surface"
	"visator/core/texture"
)

// Surface is a material ready for shading.
type Surface struct {
	m        model.Surface
	tex      [model.SlotCount]*texture.Texture
	emission float64 // mean luminance over the surface, cd/m²
	layered  bool    // there is more to it than metal and roughness
	placed   bool    // where its pictures lie goes by the thing that it is on; not of what is cut out or glows by them
}

// newSurfaces decodes the maps of a model, each once, and makes its surfaces
// and the default one. A picture that cannot be decoded is an error: a
// render without it would be wrong in silence.
func newSurfaces(m *model.Model) (list []*Surface, fallback *Surface, err error) {
	pictures := make([]*texture.Texture, len(m.Maps))
	for i := range m.Surfaces {
		s := &Surface{m: m.Surfaces[i]}
		for role, slot := range s.m.Slots {
			if slot.Map == model.None || m.Maps[slot.Map].Data == nil || model.Role(role) == model.HeightMap ||
				model.Role(role) == model.OcclusionMap {
				continue
			}
			if pictures[slot.Map] == nil {
				img, err := m.Maps[slot.Map].Picture()
				if err != nil {
					return nil, nil, fmt.Errorf("surface %q: %w", s.m.Name, err)
				}
				pictures[slot.Map] = texture.New(img, slot, true)
			}
			t := *pictures[slot.Map]
			t.Slot = slot
			t.Linear = !model.Colored[role]
			if s.m.Pattern.Broken {
				t.Break(s.m.Pattern.Seed)
			}
			s.tex[role] = &t
		}
		s.layered = s.m.Layered()
		p := &s.m.Pattern
		s.placed = (p.Apart || p.World || p.Thrown != nil) && s.m.Alpha == model.Opaque &&
			s.tex[model.EmissiveMap] == nil
		s.emission = light.Luminance(geom.V{X: s.m.Emissive[0], Y: s.m.Emissive[1], Z: s.m.Emissive[2]})
		if t := s.tex[model.EmissiveMap]; t != nil && s.emission > 0 {
			s.emission *= t.Mean()
		}
		list = append(list, s)
	}
	def := model.DefaultSurface()
	def.Metallic = 0 // a model without surfaces is plaster, not rough metal
	return list, &Surface{m: def}, nil
}

// seeThrough reports whether hits on the surface must be asked about.
func (s *Surface) seeThrough() bool { return s.m.Alpha != model.Opaque || s.clear() }

// clear reports whether the surface is thin glass through which light goes
// straight: smooth transmission without a volume (KHR_materials_transmission).
func (s *Surface) clear() bool {
	return s.m.Transmission > 0 && !s.m.Solid && s.m.Roughness < 0.1 && s.m.Metallic < 1
}

type texCoords struct {
	u, v     [2]float64
	tan, bit geom.V // the ways in which they grow, of those that are metres of the set
}

// of samples a texture at the coordinates of its set.
func (c *texCoords) of(t *texture.Texture) (r, g, b, a float32) {
	return t.At(c.u[t.Slot.Set], c.v[t.Slot.Set])
}

// uv interpolates both sets of texture coordinates on triangle t of the part.
func (mp *meshPart) uv(t uint32, u, v float32) (c texCoords) {
	for set := range 2 {
		c.u[set], c.v[set] = mp.part.UVAt(set, t, u, v)
	}
	return c
}

// opacity is how much of the light a point of the surface stops, 0 to 1.
func (s *Surface) opacity(mp *meshPart, t uint32, u, v float32, uv *texCoords) float64 {
	a := s.m.BaseColor[3] * mp.part.ColorAt(t, u, v)[3]
	if tx := s.tex[model.BaseColorMap]; tx != nil {
		_, _, _, ta := uv.of(tx)
		a *= float64(ta)
	}
	if tx := s.tex[model.OpacityMap]; tx != nil {
		r, _, _, _ := uv.of(tx)
		a *= float64(r)
	}
	if s.m.Alpha == model.Mask {
		if a < s.m.Cutoff {
			return 0
		}
		return 1
	}
	return min(max(a, 0), 1)
}

func (s *Surface) baseColor(mp *meshPart, t uint32, u, v float32, uv *texCoords) geom.V {
	vc := mp.part.ColorAt(t, u, v)
	c := geom.V{X: s.m.BaseColor[0] * vc[0], Y: s.m.BaseColor[1] * vc[1], Z: s.m.BaseColor[2] * vc[2]}
	if tx := s.tex[model.BaseColorMap]; tx != nil {
		r, g, b, _ := uv.of(tx)
		c = c.Times(geom.V{X: float64(r), Y: float64(g), Z: float64(b)})
	}
	return c
}

func (s *Surface) transmission(uv *texCoords) float64 {
	t := s.m.Transmission * (1 - s.m.Metallic)
	if tx := s.tex[model.TransmissionMap]; tx != nil && t > 0 {
		r, _, _, _ := uv.of(tx)
		t *= float64(r)
	}
	return t
}

// clearTint is the share of light that goes straight through thin glass, at
// normal incidence: what both faces do not reflect, tinted once.
func (s *Surface) clearTint(mp *meshPart, t uint32, u, v float32, uv *texCoords) geom.V {
	f0 := bsdf.Facing(s.m.IOR)
	return s.baseColor(mp, t, u, v, uv).Mul(s.transmission(uv) * (1 - f0))
}

// point is a place on a surface with everything that shading asks for.
type point struct {
	p        geom.V
	ng, n    geom.V // unit, on the side of wo
	wo       geom.V
	t, b     geom.V // tangent frame around n
	place    bsdf.Place
	trans    float64
	emission geom.V
	unlit    bool
	surface  *Surface
	instance int
	triangle uint32
	eps      float64 // how far new rays start from the surface
	met      *met    // a point in the air: of all others only p counts; nil: on a surface
}

// shade works out the point of a hit.
func (s *Scene) shade(ray *Ray, hit *Hit) (pt point) {
	s.shadeTo(&pt, ray, hit)
	return pt
}

// shadeTo is shade into a point that is nothing yet.
func (s *Scene) shadeTo(pt *point, ray *Ray, hit *Hit) {
	in := &s.Instances[hit.Instance]
	mp, t, idx := in.Mesh.triangle(hit.Triangle)
	v0, v1, v2 := mp.part.Position(idx[0]), mp.part.Position(idx[1]), mp.part.Position(idx[2])
	e1, e2 := in.World.Dir(v1.Sub(v0)), in.World.Dir(v2.Sub(v0))
	ng := e1.Cross(e2).Unit()
	w0 := in.World.Point(v0)
	// The hit's distance is a float32; the plane gives it in full.
	if d := ray.D.Dot(ng); d != 0 {
		if full := w0.Sub(ray.O).Dot(ng) / d; math.Abs(full-hit.T) < 1e-3*hit.T+1e-3 {
			hit.T = full
		}
	}
	pt.p = ray.O.Add(ray.D.Mul(hit.T))
	pt.wo = ray.D.Mul(-1)
	pt.instance, pt.triangle = hit.Instance, hit.Triangle
	local := max(math.Abs(v0.X), math.Abs(v0.Y), math.Abs(v0.Z)) * e1.Len() / max(v1.Sub(v0).Len(), 1e-30)
	pt.eps = 4e-7*max(math.Abs(pt.p.X), math.Abs(pt.p.Y), math.Abs(pt.p.Z), local) + 1e-7*hit.T + 1e-7
	n := ng
	if in.flip {
		n = n.Mul(-1)
	}
	if own, ok := mp.part.NormalAt(t, hit.U, hit.V); ok || mp.edges != nil {
		if mp.edges != nil {
			d1, d2 := v1.Sub(v0), v2.Sub(v0)
			if !ok {
				own = d1.Cross(d2).Unit()
			}
			at := v0.Add(d1.Mul(float64(hit.U))).Add(d2.Mul(float64(hit.V)))
			own = mp.edges.Round(t, at, own, mp.surface.m.Bevel*d1.Len()/max(e1.Len(), 1e-30))
		}
		if q := in.inv.NormalDir(own).Unit(); q != (geom.V{}) && q.Finite() {
			n = q
		}
	}
	if ng.Dot(pt.wo) < 0 {
		ng = ng.Mul(-1)
	}
	sf := mp.surface
	uv := mp.uv(t, hit.U, hit.V)
	if sf.placed {
		uv.u[0], uv.v[0], uv.tan, uv.bit = surface.Placed(&sf.m, in.Seed, pt.p, ng, uv.u[0], uv.v[0])
	}
	smooth := n
	if tx := sf.tex[model.NormalMap]; tx != nil {
		n = bend(n, tx, &uv, mp, t, e1, e2, sf.m.NormalScale)
	}
	if n.Dot(ng) < 0 {
		n = n.Mul(-1)
	}
	if n.Dot(pt.wo) <= 1e-4 { // interpolation or a normal map turned it away
		n = ng
	}
	if smooth.Dot(ng) < 0 {
		smooth = smooth.Mul(-1)
	}
	pt.ng, pt.n = ng, n
	pt.surface = sf
	pt.fill(mp, t, hit.U, hit.V, &uv)
	if sf.m.Pattern.Vary > 0 {
		v := &pt.place.Values
		v.Base = v.Base.Mul(surface.Varied(&sf.m.Pattern, in.Seed, pt.p))
	}
	if len(s.Weathers) > 0 {
		s.weather(pt, smooth)
		if pt.n.Dot(pt.wo) <= 1e-4 {
			pt.n = ng
		}
		n = pt.n
	}
	pt.t, pt.b = geom.Frame(n)
	v := &pt.place.Values
	if v.Brush > 0 {
		pt.brush(mp, t, e1, e2, &uv)
	}
	if v.Coat > 0 && (sf.tex[model.NormalMap] != nil || sf.tex[model.CoatNormalMap] != nil) {
		if tx := sf.tex[model.CoatNormalMap]; tx != nil {
			smooth = bend(smooth, tx, &uv, mp, t, e1, e2, sf.m.CoatNormalScale)
		}
		v.CoatNormal = pt.local(smooth)
	}
	if v.Solid {
		v.Within = s.behind(hit, ray.D)
	}
	pt.place.Look(pt.local(pt.wo))
}

// shelter is how far above a place, in metres, something keeps weather off.
const shelter = 40

// weather changes what the point is made of by what weather does to it; smooth is its normal before it was bent. The
// sky above it is looked for once, when the first weather asks.
func (s *Scene) weather(pt *point, smooth geom.V) {
	id, open := s.idOf(pt), -1.0
	at := surface.Place{P: pt.p, N: smooth,
		Open: func() float64 {
			switch {
			case open >= 0:
			case smooth.Y < 0:
				open = 0
			case smooth.Y > 0.02:
				open = s.openAbove(pt)
			default:
				open = 1
			}
			return open
		},
		Edge:   func(reach float64) float64 { return s.met(pt, reach, true) },
		Corner: func(reach float64) float64 { return s.met(pt, reach, false) }}
	for i := range s.Weathers {
		if w := &s.Weathers[i]; w.On == nil || w.On[id] {
			at.Bent = pt.n
			pt.n = w.At(&at, &pt.place.Values)
		}
	}
}

// met is how much of what is about a point, weighted by the cosine, is met within reach: outside of the surface of
// anything, or within the body that it is on. A few ways are looked along, others at each place: near an edge of a body
// half of them meet its other side, and deep in a corner all meet its walls.
func (s *Scene) met(pt *point, reach float64, within bool) float64 {
	const ways = 4
	n := pt.ng
	if within {
		n = n.Mul(-1)
	}
	count := 0.0
	for i := range ways {
		x, y := points.At(pt.p, uint64(i)+1)
		ray := pt.leave(geom.Cosine(n, y, x))
		ray.Max = reach
		if hit, ok := s.Closest(ray); ok && (!within || s.Instances[hit.Instance].ID == s.idOf(pt)) {
			count++
		}
	}
	return min(2*count/ways, 1)
}

// openAbove is 0 where something stands above a point: looked for along a way that differs a little from place to
// place, so that what is sheltered ends softly.
func (s *Scene) openAbove(pt *point) float64 {
	x, z := points.At(pt.p, 0)
	x, z = x-0.5, z-0.5
	ray := pt.leave(geom.V{X: 0.5 * x, Y: 1, Z: 0.5 * z}.Unit())
	ray.Max = shelter
	if _, blocked := s.trace(&ray, true, nil); blocked {
		return 0
	}
	return 1
}

// brush turns the frame of the point so that highlights are wider along its tangent.
func (pt *point) brush(mp *meshPart, t uint32, e1, e2 geom.V, uv *texCoords) {
	turn := pt.surface.m.BrushTurn
	slot := &model.EmptySlot
	if tx := pt.surface.tex[model.BrushMap]; tx != nil {
		r, g, _, _ := uv.of(tx)
		turn += math.Atan2(2*float64(g)-1, 2*float64(r)-1)
		slot = &tx.Slot
	}
	tan, bit, ok := tangent(pt.n, slot, uv, mp, t, e1, e2)
	if !ok {
		return
	}
	sin, cos := math.Sincos(turn)
	pt.t = tan.Mul(cos).Add(bit.Mul(sin))
	pt.b = pt.n.Cross(pt.t)
}

// tangent is the way in which the first texture coordinate of a triangle grows, at right angles to n, and that in which
// the picture goes up.
func tangent(n geom.V, slot *model.Slot, uv *texCoords, mp *meshPart, t uint32, e1, e2 geom.V) (tan, bit geom.V,
	ok bool) {
	along, down := uv.tan, uv.bit
	if along == (geom.V{}) {
		list := mp.part.Coordinates(slot)
		if list == nil {
			return
		}
		idx := mp.part.Indices[3*t : 3*t+3]
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

// bend applies a tangent-space normal map; the tangent follows from the
// texture coordinates of the triangle.
func bend(n geom.V, tx *texture.Texture, uv *texCoords, mp *meshPart, t uint32, e1, e2 geom.V, scale float64) geom.V {
	tan, bit, ok := tangent(n, &tx.Slot, uv, mp, t, e1, e2)
	if !ok {
		return n
	}
	r, g, b, _ := uv.of(tx)
	x, y, z := (2*float64(r)-1)*scale, (2*float64(g)-1)*scale, 2*float64(b)-1
	return tan.Mul(x).Add(bit.Mul(y)).Add(n.Mul(z)).Unit()
}

// fill reads what the point is made of.
func (pt *point) fill(mp *meshPart, t uint32, u, v float32, uv *texCoords) {
	sf := pt.surface
	m := &sf.m
	// Channels of a map, 1 where there is none.
	of := func(role model.Role) (c [4]float64) {
		tx := sf.tex[role]
		if tx == nil {
			return [4]float64{1, 1, 1, 1}
		}
		r, g, b, a := uv.of(tx)
		return [4]float64{float64(r), float64(g), float64(b), float64(a)}
	}
	color := func(c [3]float64, role model.Role) geom.V {
		x := of(role)
		return geom.V{X: c[0] * x[0], Y: c[1] * x[1], Z: c[2] * x[2]}
	}
	w := bsdf.Values{Base: sf.baseColor(mp, t, u, v, uv), Metal: m.Metallic, Rough: m.Roughness, Index: m.IOR,
		Specular: m.Specular, SpecularTint: allWhite}
	if sf.tex[model.MetalRoughMap] != nil {
		x := of(model.MetalRoughMap)
		w.Rough, w.Metal = w.Rough*x[1], w.Metal*x[2]
	}
	w.Rough *= of(model.RoughnessMap)[0]
	w.Metal *= of(model.MetallicMap)[0]
	pt.emission = color(m.Emissive, model.EmissiveMap)
	pt.unlit = m.Unlit
	pt.trans = sf.transmission(uv)
	w.Clear, w.Solid, w.Straight = pt.trans, m.Solid && pt.trans > 0, sf.clear()
	if sf.layered {
		w.Specular *= of(model.SpecularMap)[3]
		w.SpecularTint = color(m.SpecularTint, model.SpecularTintMap)
		w.Coat, w.CoatRough = m.Coat*of(model.CoatMap)[0], m.CoatRoughness*of(model.CoatRoughnessMap)[1]
		w.Sheen, w.SheenRough = color(m.Sheen, model.SheenMap), m.SheenRoughness*of(model.SheenRoughnessMap)[3]
		w.Brush = m.Brush * of(model.BrushMap)[2]
		w.Film = bsdf.Film{Share: m.Film * of(model.FilmMap)[0], Index: m.FilmIndex, Thick: m.FilmMost}
		if sf.tex[model.FilmThicknessMap] != nil {
			w.Film.Thick = m.FilmLeast + (m.FilmMost-m.FilmLeast)*of(model.FilmThicknessMap)[1]
		}
		w.Leaf, w.LeafTint = m.Leaf*of(model.LeafMap)[3], color(m.LeafTint, model.LeafTintMap)
	}
	pt.place.Values = w
}

var allWhite = geom.V{X: 1, Y: 1, Z: 1}

// split makes the point bend one colour only, drawn by u or the one that is left of the path, where its glass bends
// each another way (KHR_materials_dispersion): the indices of red and blue are as far beside that of green as the Abbe
// number tells.
func (pt *point) split(u float64, left int) {
	v := &pt.place.Values
	if v.Channel, v.Parted = left, left > 0; left == 0 {
		v.Channel = 1 + min(int(3*u), 2)
	}
	half := (v.Index - 1) * 0.025 * pt.surface.m.Dispersion
	v.Index = max(v.Index+half*float64(v.Channel-2), 1)
	pt.place = bsdf.Place{Values: *v}
	pt.place.Look(pt.local(pt.wo))
}

// keeps is what is left of light after so many metres within the surface's body (Beer's law).
func (s *Surface) keeps(far float64) geom.V {
	if s.m.AbsorbOver <= 0 {
		return allWhite
	}
	q := far / s.m.AbsorbOver
	return geom.V{X: math.Pow(max(s.m.Absorb[0], 0), q), Y: math.Pow(max(s.m.Absorb[1], 0), q),
		Z: math.Pow(max(s.m.Absorb[2], 0), q)}
}

// triangle is the part that a triangle belongs to, its number there, and its corners.
func (m *Mesh) triangle(id uint32) (mp *meshPart, t uint32, idx []uint32) {
	mp = m.partOf(id)
	t = id - mp.first
	return mp, t, mp.part.Indices[3*t : 3*t+3]
}

// behind says whether a ray along d meets the back of a surface that has one.
func (s *Scene) behind(hit *Hit, d geom.V) bool {
	in := &s.Instances[hit.Instance]
	mp, _, idx := in.Mesh.triangle(hit.Triangle)
	v0, v1, v2 := mp.part.Position(idx[0]), mp.part.Position(idx[1]), mp.part.Position(idx[2])
	n := in.World.Dir(v1.Sub(v0)).Cross(in.World.Dir(v2.Sub(v0)))
	return !mp.surface.m.DoubleSided && n.Dot(d) > 0 != in.flip
}

func (pt *point) local(v geom.V) geom.V {
	return geom.V{X: v.Dot(pt.t), Y: v.Dot(pt.b), Z: v.Dot(pt.n)}
}

func (pt *point) world(v geom.V) geom.V {
	return pt.t.Mul(v.X).Add(pt.b.Mul(v.Y)).Add(pt.n.Mul(v.Z))
}

// eval returns the reflection model times the cosine for light from wi, and
// the density with which sample would have chosen wi.
func (pt *point) eval(wi geom.V) (f geom.V, pdf float64) {
	if m := pt.met; m != nil {
		pdf = m.part.Phase(m.d, wi)
		return m.part.Albedo.Mul(pdf), pdf
	}
	i := pt.local(wi)
	if i.Z < 0 != (wi.Dot(pt.ng) < 0) { // a bent normal sees what the surface does not
		return
	}
	return pt.place.Eval(i)
}

// sample chooses a direction for light to come from. weight is the reflection
// model times the cosine over the density; ok is false when the light ends.
func (pt *point) sample(u1, u2, lobe float64) (wi, weight geom.V, pdf float64, ok bool) {
	if pt.met != nil {
		return pt.met.scatter(u1, u2)
	}
	i, weight, pdf, ok := pt.place.Sample(u1, u2, lobe)
	if !ok {
		return
	}
	wi = pt.world(i)
	return wi, weight, pdf, i.Z < 0 == (wi.Dot(pt.ng) < 0)
}

// leave returns the ray from the point along d.
func (pt *point) leave(d geom.V) Ray {
	if pt.met != nil {
		return NewRay(pt.p, d)
	}
	off := pt.ng.Mul(pt.eps)
	if d.Dot(pt.ng) < 0 {
		off = off.Mul(-1)
	}
	return Ray{O: pt.p.Add(off), D: d, FromInstance: int32(pt.instance), FromTriangle: pt.triangle}
}

// Made is what a place of a surface is made of as it stands in the scene, with its pictures, its patterns and what
// weather does to it.
type Made struct {
	Base               geom.V // linear
	Opacity            float64
	Metal, Rough, Coat float64
	Normal             geom.V // of the set, of length 1, on the front of the surface
}

// Made tells it of the place u, v on a triangle of an instance: barycentric coordinates of its second and third corner.
func (s *Scene) Made(instance int, triangle uint32, u, v float32) (m Made) {
	in := &s.Instances[instance]
	mp, t, idx := in.Mesh.triangle(triangle)
	a := in.World.Point(mp.part.Position(idx[0]))
	e1, e2 := in.World.Point(mp.part.Position(idx[1])).Sub(a), in.World.Point(mp.part.Position(idx[2])).Sub(a)
	n := e1.Cross(e2).Unit()
	if in.flip {
		n = n.Mul(-1)
	}
	if n == (geom.V{}) {
		n = geom.V{Y: 1}
	}
	const off = 0.01 // metres from which it is looked at
	at := a.Add(e1.Mul(float64(u))).Add(e2.Mul(float64(v)))
	ray := NewRay(at.Add(n.Mul(off)), n.Mul(-1))
	hit := Hit{T: off, Instance: instance, Triangle: triangle, U: u, V: v}
	pt := s.shade(&ray, &hit)
	uv := mp.uv(t, u, v)
	w := &pt.place.Values
	m = Made{Base: w.Base, Opacity: pt.surface.opacity(mp, t, u, v, &uv), Metal: w.Metal, Rough: w.Rough, Coat: w.Coat,
		Normal: pt.n}
	if !m.Normal.Finite() || math.Abs(m.Normal.Len()-1) > 0.1 {
		m.Normal = n
	}
	return m
}
