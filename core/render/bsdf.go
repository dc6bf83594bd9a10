package render

import (
	"visator/core/geom"
)

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
