package contact

import (
	"math"
	"slices"

	"visator/core/geom"
)

// Flush is the area, in m², over which surfaces of a and b lie in one plane and
// face the same way, at most skin apart: there a picture cannot tell which is in
// front. What rests on another faces the other way and does not count. at is
// within the largest such place.
func Flush(a, b *Placed, skin float64) (area float64, at geom.V) {
	if !a.Box.Meets(&b.Box, skin) {
		return 0, at
	}
	most := 0.0
	pairs(a, b, &geom.Identity, skin, func(ta, tb *[3]geom.V, _ [3]uint32) bool {
		na, nb := normal(ta), normal(tb)
		if na.Dot(nb) < 1-1e-5 || na.Y < -0.99 {
			return true
		}
		for _, p := range ta {
			if math.Abs(p.Sub(tb[0]).Dot(nb)) > skin {
				return true
			}
		}
		x, mid := shared(ta, tb, nb)
		area += x
		if x > most {
			most, at = x, mid
		}
		return true
	})
	return area, at
}

func normal(t *[3]geom.V) geom.V { return t[1].Sub(t[0]).Cross(t[2].Sub(t[0])).Unit() }

// shared is the area that two triangles of one plane have in common, and its
// middle: a is cut by the sides of b (Sutherland and Hodgman, Reentrant Polygon
// Clipping, 1974).
func shared(a, b *[3]geom.V, n geom.V) (area float64, mid geom.V) {
	var room [9]geom.V
	list := append(room[:0], a[0], a[1], a[2])
	for i := range 3 {
		p := b[i]
		in := n.Cross(b[(i+1)%3].Sub(p))
		var next [9]geom.V
		out := next[:0]
		for k, q := range list {
			r := list[(k+1)%len(list)]
			x, y := q.Sub(p).Dot(in), r.Sub(p).Dot(in)
			if x >= 0 {
				out = append(out, q)
			}
			if (x >= 0) != (y >= 0) {
				out = append(out, q.Lerp(r, x/(x-y)))
			}
		}
		if len(out) < 3 {
			return 0, mid
		}
		list = append(room[:0], out...)
	}
	for k := 1; k+1 < len(list); k++ {
		area += list[k].Sub(list[0]).Cross(list[k+1].Sub(list[0])).Len() / 2
	}
	for _, p := range list {
		mid = mid.Add(p.Mul(1 / float64(len(list))))
	}
	return area, mid
}

// Shared is the volume that both a and b fill, in m³: columns through a grid of
// side cells over where their boxes overlap. 0 where one of them is open.
func Shared(a, b *Placed, side int) float64 {
	if !a.Closed || !b.Closed || !a.Box.Meets(&b.Box, 0) {
		return 0
	}
	lo := geom.V{X: max(a.Box.Min.X, b.Box.Min.X), Y: min(a.Box.Min.Y, b.Box.Min.Y) - 1,
		Z: max(a.Box.Min.Z, b.Box.Min.Z)}
	hi := geom.V{X: min(a.Box.Max.X, b.Box.Max.X), Z: min(a.Box.Max.Z, b.Box.Max.Z)}
	dx, dz := (hi.X-lo.X)/float64(side), (hi.Z-lo.Z)/float64(side)
	var sum float64
	var ta, tb []float64
	for i := range side {
		for j := range side {
			// Off the middle, where columns would run along the diagonals of squares.
			o := geom.V{X: lo.X + (float64(i)+0.4837)*dx, Y: lo.Y, Z: lo.Z + (float64(j)+0.5291)*dz}
			ta, tb = a.column(o, ta[:0]), b.column(o, tb[:0])
			for k := 0; k+1 < len(ta); k += 2 {
				for l := 0; l+1 < len(tb); l += 2 {
					sum += max(min(ta[k+1], tb[l+1])-max(ta[k], tb[l]), 0)
				}
			}
		}
	}
	return sum * dx * dz
}

// column lists where a line upwards from o goes in and out.
func (p *Placed) column(o geom.V, list []float64) []float64 {
	p.crossings(p.inv.Point(o), p.inv.Dir(geom.V{Y: 1}), func(t float64) { list = append(list, t) })
	slices.Sort(list)
	return list
}
