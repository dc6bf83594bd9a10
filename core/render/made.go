package render

import (
	"math"

	"visator/core/geom"
)

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
