package render

import (
	"math"

	"visator/core/bsdf"
	"visator/core/geom"
	"visator/core/mesh"
	"visator/core/model"
	"visator/core/points"
	"visator/core/skin"
	"visator/core/surface"
)

// Surface is a material ready for shading.
type Surface = skin.Surface

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
	mp, t, idx := in.Mesh.Triangle(hit.Triangle)
	v0, v1, v2 := mp.Model.Position(idx[0]), mp.Model.Position(idx[1]), mp.Model.Position(idx[2])
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
	if own, ok := mp.Model.NormalAt(t, hit.U, hit.V); ok || mp.Edges != nil {
		if mp.Edges != nil {
			d1, d2 := v1.Sub(v0), v2.Sub(v0)
			if !ok {
				own = d1.Cross(d2).Unit()
			}
			at := v0.Add(d1.Mul(float64(hit.U))).Add(d2.Mul(float64(hit.V)))
			own = mp.Edges.Round(t, at, own, mp.Surface.M.Bevel*d1.Len()/max(e1.Len(), 1e-30))
		}
		if q := in.inv.NormalDir(own).Unit(); q != (geom.V{}) && q.Finite() {
			n = q
		}
	}
	if ng.Dot(pt.wo) < 0 {
		ng = ng.Mul(-1)
	}
	sf := mp.Surface
	uv := skin.At(mp.Model, t, hit.U, hit.V)
	if sf.Placed {
		uv.U[0], uv.V[0], uv.Tan, uv.Bit = surface.Placed(&sf.M, in.Seed, pt.p, ng, uv.U[0], uv.V[0])
	}
	smooth := n
	if tx := sf.Tex[model.NormalMap]; tx != nil {
		n = skin.Bend(n, tx, &uv, mp.Model, t, e1, e2, sf.M.NormalScale)
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
	pt.place.Values = sf.Values(mp.Model, t, hit.U, hit.V, &uv)
	pt.emission, pt.unlit, pt.trans = sf.Glow(&uv), sf.M.Unlit, pt.place.Clear
	if sf.M.Pattern.Vary > 0 {
		v := &pt.place.Values
		v.Base = v.Base.Mul(surface.Varied(&sf.M.Pattern, in.Seed, pt.p))
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
	if v.Coat > 0 && (sf.Tex[model.NormalMap] != nil || sf.Tex[model.CoatNormalMap] != nil) {
		if tx := sf.Tex[model.CoatNormalMap]; tx != nil {
			smooth = skin.Bend(smooth, tx, &uv, mp.Model, t, e1, e2, sf.M.CoatNormalScale)
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
func (pt *point) brush(mp *mesh.Part, t uint32, e1, e2 geom.V, uv *skin.Coords) {
	turn := pt.surface.M.BrushTurn
	slot := &model.EmptySlot
	if tx := pt.surface.Tex[model.BrushMap]; tx != nil {
		r, g, _, _ := uv.Of(tx)
		turn += math.Atan2(2*float64(g)-1, 2*float64(r)-1)
		slot = &tx.Slot
	}
	tan, bit, ok := skin.Tangent(pt.n, slot, uv, mp.Model, t, e1, e2)
	if !ok {
		return
	}
	sin, cos := math.Sincos(turn)
	pt.t = tan.Mul(cos).Add(bit.Mul(sin))
	pt.b = pt.n.Cross(pt.t)
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
	half := (v.Index - 1) * 0.025 * pt.surface.M.Dispersion
	v.Index = max(v.Index+half*float64(v.Channel-2), 1)
	pt.place = bsdf.Place{Values: *v}
	pt.place.Look(pt.local(pt.wo))
}

// behind says whether a ray along d meets the back of a surface that has one.
func (s *Scene) behind(hit *Hit, d geom.V) bool {
	in := &s.Instances[hit.Instance]
	mp, _, idx := in.Mesh.Triangle(hit.Triangle)
	v0, v1, v2 := mp.Model.Position(idx[0]), mp.Model.Position(idx[1]), mp.Model.Position(idx[2])
	n := in.World.Dir(v1.Sub(v0)).Cross(in.World.Dir(v2.Sub(v0)))
	return !mp.Surface.M.DoubleSided && n.Dot(d) > 0 != in.flip
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
	mp, t, idx := in.Mesh.Triangle(triangle)
	a := in.World.Point(mp.Model.Position(idx[0]))
	e1, e2 := in.World.Point(mp.Model.Position(idx[1])).Sub(a), in.World.Point(mp.Model.Position(idx[2])).Sub(a)
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
	uv := skin.At(mp.Model, t, u, v)
	w := &pt.place.Values
	m = Made{Base: w.Base, Opacity: pt.surface.Opacity(mp.Model, t, u, v, &uv), Metal: w.Metal, Rough: w.Rough,
		Coat: w.Coat, Normal: pt.n}
	if !m.Normal.Finite() || math.Abs(m.Normal.Len()-1) > 0.1 {
		m.Normal = n
	}
	return m
}
