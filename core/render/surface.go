package render

import (
	"fmt"
	"math"
	"sync"

	"visator/core/geom"
	"visator/core/light"
	"visator/core/model"
	"visator/core/texture"
)

// Surface is a material ready for shading.
type Surface struct {
	m        model.Surface
	tex      [model.SlotCount]*texture.Texture
	emission float64 // mean luminance over the surface, cd/m²
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
			t.Linear = model.Role(role) != model.BaseColorMap && model.Role(role) != model.EmissiveMap
			s.tex[role] = &t
		}
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
	return s.m.Transmission > 0 && s.m.Roughness < 0.1 && s.m.Metallic < 1
}

type texCoords struct{ u, v [2]float64 }

// of samples a texture at the coordinates of its set.
func (c *texCoords) of(t *texture.Texture) (r, g, b, a float32) {
	return t.At(c.u[t.Slot.Set], c.v[t.Slot.Set])
}

// uv interpolates both sets of texture coordinates on triangle t of the part.
func (mp *meshPart) uv(t uint32, u, v float32) (c texCoords) {
	idx := mp.part.Indices[3*t : 3*t+3]
	for set, list := range [2][]float32{mp.part.UV, mp.part.UV1} {
		if list == nil {
			continue
		}
		w := 1 - u - v
		a, b, d := 2*idx[0], 2*idx[1], 2*idx[2]
		c.u[set] = float64(w*list[a] + u*list[b] + v*list[d])
		c.v[set] = float64(w*list[a+1] + u*list[b+1] + v*list[d+1])
	}
	return c
}

// vertexColor interpolates the vertex colours of triangle t; white without.
func (mp *meshPart) vertexColor(t uint32, u, v float32) (c [4]float64) {
	if mp.part.Colors == nil {
		return [4]float64{1, 1, 1, 1}
	}
	idx := mp.part.Indices[3*t : 3*t+3]
	for k := range c {
		at := func(i int) float32 { return mp.part.Colors[4*idx[i]+uint32(k)] }
		c[k] = float64((1-u-v)*at(0) + u*at(1) + v*at(2))
	}
	return c
}

// opacity is how much of the light a point of the surface stops, 0 to 1.
func (s *Surface) opacity(mp *meshPart, t uint32, u, v float32, uv *texCoords) float64 {
	a := s.m.BaseColor[3] * mp.vertexColor(t, u, v)[3]
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
	vc := mp.vertexColor(t, u, v)
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
	f0 := dielectricF0(s.m.IOR)
	return s.baseColor(mp, t, u, v, uv).Mul(s.transmission(uv) * (1 - f0))
}

// dielectricF0 is the reflectance at normal incidence (Fresnel; 0.04 for 1.5).
func dielectricF0(ior float64) float64 {
	if ior == 0 { // KHR_materials_ior: 0 stands for an infinite index
		return 1
	}
	q := (ior - 1) / (ior + 1)
	return q * q
}

// point is a place on a surface with everything that shading asks for.
type point struct {
	p        geom.V
	ng, n    geom.V // unit, on the side of wo
	wo       geom.V
	t, b     geom.V // tangent frame around n
	base     geom.V
	metal    float64
	alpha    float64 // GGX width: roughness²
	trans    float64
	f0       geom.V // specular reflectance at normal incidence
	f90      float64
	specular geom.V  // directional albedo of the specular lobe
	boost    geom.V  // multiple scattering between microfacets
	diffuse  geom.V  // weight of the diffuse lobe, without 1/π
	through  geom.V  // weight of the rough transmission lobe
	pSpec    float64 // chances of the lobes
	pDiff    float64
	emission geom.V
	unlit    bool
	instance int
	triangle uint32
	eps      float64 // how far new rays start from the surface
	met      *met    // a point in the air: of all others only p counts; nil: on a surface
}

// shade works out the point of a hit.
func (s *Scene) shade(ray *Ray, hit *Hit) (pt point) {
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
	if nl := mp.part.Normals; nl != nil {
		w := 1 - hit.U - hit.V
		at := func(k int) float64 {
			return float64(w*nl[3*idx[0]+uint32(k)] + hit.U*nl[3*idx[1]+uint32(k)] + hit.V*nl[3*idx[2]+uint32(k)])
		}
		if q := in.inv.NormalDir(geom.V{X: at(0), Y: at(1), Z: at(2)}).Unit(); q != (geom.V{}) && q.Finite() {
			n = q
		}
	}
	if ng.Dot(pt.wo) < 0 {
		ng = ng.Mul(-1)
	}
	sf := mp.surface
	uv := mp.uv(t, hit.U, hit.V)
	if tx := sf.tex[model.NormalMap]; tx != nil {
		n = bend(n, tx, &uv, mp, t, e1, e2, sf.m.NormalScale)
	}
	if n.Dot(ng) < 0 {
		n = n.Mul(-1)
	}
	if n.Dot(pt.wo) <= 1e-4 { // interpolation or a normal map turned it away
		n = ng
	}
	pt.ng, pt.n = ng, n
	pt.t, pt.b = geom.Frame(n)
	pt.fill(sf, mp, t, hit.U, hit.V, &uv)
	return pt
}

// bend applies a tangent-space normal map; the tangent follows from the
// texture coordinates of the triangle.
func bend(n geom.V, tx *texture.Texture, uv *texCoords, mp *meshPart, t uint32, e1, e2 geom.V, scale float64) geom.V {
	list := mp.part.Coordinates(&tx.Slot)
	if list == nil {
		return n
	}
	idx := mp.part.Indices[3*t : 3*t+3]
	du1, dv1 := float64(list[2*idx[1]]-list[2*idx[0]]), float64(list[2*idx[1]+1]-list[2*idx[0]+1])
	du2, dv2 := float64(list[2*idx[2]]-list[2*idx[0]]), float64(list[2*idx[2]+1]-list[2*idx[0]+1])
	det := du1*dv2 - du2*dv1
	if det == 0 {
		return n
	}
	tan := e1.Mul(dv2 / det).Sub(e2.Mul(dv1 / det))
	tan = tan.Sub(n.Mul(n.Dot(tan))).Unit()
	if tan == (geom.V{}) || !tan.Finite() {
		return n
	}
	bit := n.Cross(tan)
	if (e2.Mul(du1 / det).Sub(e1.Mul(du2 / det))).Dot(bit) > 0 {
		bit = bit.Mul(-1) // v grows downwards in the picture, green points up
	}
	r, g, b, _ := uv.of(tx)
	x, y, z := (2*float64(r)-1)*scale, (2*float64(g)-1)*scale, 2*float64(b)-1
	return tan.Mul(x).Add(bit.Mul(y)).Add(n.Mul(z)).Unit()
}

// fill sets the reflection model of the point: glTF 2.0 metallic-roughness
// (appendix B) with GGX. Two refinements keep energy: light that microfacets
// scatter more than once is given back (Turquin, Practical multiple scattering
// compensation, 2019), and the diffuse lobe gets what the specular one leaves.
// A dielectric of roughness 1 is matte: its specular lobe fades out from 0.9,
// so that its luminance is ρE/π exactly.
func (pt *point) fill(sf *Surface, mp *meshPart, t uint32, u, v float32, uv *texCoords) {
	m := &sf.m
	pt.base = sf.baseColor(mp, t, u, v, uv)
	rough := m.Roughness
	pt.metal = m.Metallic
	if tx := sf.tex[model.MetalRoughMap]; tx != nil {
		_, g, b, _ := uv.of(tx)
		rough *= float64(g)
		pt.metal *= float64(b)
	}
	if tx := sf.tex[model.RoughnessMap]; tx != nil {
		r, _, _, _ := uv.of(tx)
		rough *= float64(r)
	}
	if tx := sf.tex[model.MetallicMap]; tx != nil {
		r, _, _, _ := uv.of(tx)
		pt.metal *= float64(r)
	}
	pt.metal = min(max(pt.metal, 0), 1)
	rough = min(max(rough, 0), 1)
	pt.emission = geom.V{X: m.Emissive[0], Y: m.Emissive[1], Z: m.Emissive[2]}
	if tx := sf.tex[model.EmissiveMap]; tx != nil {
		r, g, b, _ := uv.of(tx)
		pt.emission = pt.emission.Times(geom.V{X: float64(r), Y: float64(g), Z: float64(b)})
	}
	pt.unlit = m.Unlit
	pt.trans = sf.transmission(uv)
	matte := 1.0
	if rough > 0.9 {
		q := (1 - rough) / 0.1
		matte = q * q * (3 - 2*q)
	}
	pt.alpha = max(rough*rough, 1e-3)
	fd := dielectricF0(m.IOR) * matte
	one := geom.V{X: 1, Y: 1, Z: 1}
	pt.f0 = one.Mul(fd * (1 - pt.metal)).Add(pt.base.Mul(pt.metal))
	pt.f90 = matte*(1-pt.metal) + pt.metal
	cos := pt.n.Dot(pt.wo)
	a, b := specularAlbedo(cos, math.Sqrt(pt.alpha))
	back := 1/(a+b) - 1
	pt.boost = one.Add(pt.f0.Mul(back))
	pt.specular = pt.f0.Mul(a).Add(one.Mul(pt.f90 * b)).Times(pt.boost)
	ed := (fd*a + matte*b) * (1 + fd*back) // what the dielectric alone reflects
	rest := pt.base.Mul((1 - pt.metal) * max(1-ed, 0))
	pt.diffuse = rest.Mul(1 - pt.trans)
	pt.through = rest.Mul(pt.trans)
	ws, wd, wt := light.Luminance(pt.specular), light.Luminance(pt.diffuse), light.Luminance(pt.through)
	if sf.clear() {
		wt = 0 // goes straight: the tracer's business
	}
	if sum := ws + wd + wt; sum > 0 {
		pt.pSpec, pt.pDiff = ws/sum, wd/sum
	}
}

// Directional albedo of the GGX lobe for F = F0*A + F90*B, over cosine and
// roughness: the split-sum form of the integral.
const tableSize = 32

var albedoTable = sync.OnceValue(func() *[tableSize][tableSize][2]float64 {
	var tab [tableSize][tableSize][2]float64
	const n = 512
	for r := range tab {
		rough := float64(r) / (tableSize - 1)
		alpha := max(rough*rough, 1e-3)
		for c := range tab[r] {
			cos := max(float64(c)/(tableSize-1), 1e-3)
			wo := geom.V{X: math.Sqrt(1 - cos*cos), Z: cos}
			var a, b float64
			for i := 0; i < n; i++ {
				h := sampleGGX(wo, alpha, (float64(i)+0.5)/n, float64(reverse32(uint32(i)))/(1<<32))
				wi := h.Mul(2 * wo.Dot(h)).Sub(wo)
				if wi.Z <= 0 {
					continue
				}
				w := smithG2(wo.Z, wi.Z, alpha) / smithG1(wo.Z, alpha)
				f := pow5(1 - wo.Dot(h))
				a += w * (1 - f)
				b += w * f
			}
			tab[r][c] = [2]float64{a / n, b / n}
		}
	}
	return &tab
})

func specularAlbedo(cos, rough float64) (a, b float64) {
	tab := albedoTable()
	x, y := min(max(cos, 0), 1)*(tableSize-1), min(max(rough, 0), 1)*(tableSize-1)
	i, j := min(int(x), tableSize-2), min(int(y), tableSize-2)
	fx, fy := x-float64(i), y-float64(j)
	for k := 0; k < 2; k++ {
		lo := tab[j][i][k]*(1-fx) + tab[j][i+1][k]*fx
		hi := tab[j+1][i][k]*(1-fx) + tab[j+1][i+1][k]*fx
		if v := lo*(1-fy) + hi*fy; k == 0 {
			a = v
		} else {
			b = v
		}
	}
	return
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
