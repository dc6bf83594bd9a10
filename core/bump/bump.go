// Package bump gives surfaces the shape that a picture of height says, and makes hard edges look rounded.
package bump

import (
	"math"

	"visator/core/geom"
	"visator/core/model"
)

// MostTriangles bounds a part that is raised: each takes up to 300 bytes while it is made.
const MostTriangles = 1_000_000

// Raised is a part that is moved along its smooth normals by deep times what height tells of its coordinates of a set,
// after its edges were halved until none is longer than fine, or until there are too many. Corners at one place move
// together, by the mean of what is told of them: nothing tears. An edge is halved by its ends alone, so that both sides
// of it agree.
func Raised(p *model.Part, set int, height func(u, v float64) float64, deep, fine float64) model.Part {
	r := newRaising(p)
	r.halve(fine)
	out := *p
	r.into(&out)
	coordinates := out.UV
	if set == 1 {
		coordinates = out.UV1
	}
	n := len(out.Positions) / 3
	place := func(i int) [3]float32 { return [3]float32(out.Positions[3*i : 3*i+3]) }
	at, places := grouped(n, place)
	along := normals(&out, at, places)
	sum, times := make([]float64, places), make([]float64, places)
	for i := range n {
		sum[at[i]] += height(float64(coordinates[2*i]), float64(coordinates[2*i+1]))
		times[at[i]]++
	}
	for i := range n {
		k := at[i]
		q := out.Position(uint32(i)).Add(along[k].Mul(deep * sum[k] / times[k]))
		out.Positions[3*i], out.Positions[3*i+1], out.Positions[3*i+2] = float32(q.X), float32(q.Y), float32(q.Z)
	}
	// Corners that were smooth together before still are.
	of, kept := grouped(n, func(i int) (key [4]int32) {
		key[0] = at[i]
		if p.Normals != nil {
			for c := range 3 {
				key[1+c] = int32(math.Round(float64(out.Normals[3*i+c]) * 64))
			}
		}
		return key
	})
	list := normals(&out, of, kept)
	out.Normals = make([]float32, 3*n)
	for i := range n {
		q := list[of[i]]
		out.Normals[3*i], out.Normals[3*i+1], out.Normals[3*i+2] = float32(q.X), float32(q.Y), float32(q.Z)
	}
	return out
}

// grouped numbers what n things have in common: of each thing its group, and how many groups there are.
func grouped[K comparable](n int, key func(i int) K) (of []int32, count int) {
	known := map[K]int32{}
	of = make([]int32, n)
	for i := range n {
		k := key(i)
		g, there := known[k]
		if !there {
			g = int32(len(known))
			known[k] = g
		}
		of[i] = g
	}
	return of, len(known)
}

// normals are those of count groups of corners, each as the faces at them tell, by their angles there.
func normals(p *model.Part, of []int32, count int) []geom.V {
	list := make([]geom.V, count)
	for t := 0; t+2 < len(p.Indices); t += 3 {
		idx := p.Indices[t : t+3]
		a, b, c := p.Position(idx[0]), p.Position(idx[1]), p.Position(idx[2])
		n := b.Sub(a).Cross(c.Sub(a)).Unit()
		for k, q := range [3][3]geom.V{{a, b, c}, {b, c, a}, {c, a, b}} {
			cos := q[1].Sub(q[0]).Unit().Dot(q[2].Sub(q[0]).Unit())
			i := of[idx[k]]
			list[i] = list[i].Add(n.Mul(math.Acos(min(max(cos, -1), 1))))
		}
	}
	for i := range list {
		list[i] = list[i].Unit()
	}
	return list
}

// raising is a part whose edges are being halved. What corners have lies side by side: wide numbers each.
type raising struct {
	has   []float32
	wide  int
	index []uint32
	from  *model.Part
}

func newRaising(p *model.Part) *raising {
	r := &raising{from: p}
	lists, widths := lists(p)
	for _, w := range widths {
		r.wide += w
	}
	n := len(p.Positions) / 3
	r.has = make([]float32, 0, n*r.wide)
	for i := range n {
		for k, list := range lists {
			r.has = append(r.has, (*list)[widths[k]*i:widths[k]*(i+1)]...)
		}
	}
	r.index = append(r.index, p.Indices[:len(p.Indices)/3*3]...)
	return r
}

// lists are what corners of a part have, and how many numbers each.
func lists(p *model.Part) (out []*[]float32, wide []int) {
	for _, l := range []struct {
		list *[]float32
		wide int
	}{{&p.Positions, 3}, {&p.Normals, 3}, {&p.UV, 2}, {&p.UV1, 2}, {&p.Colors, 4}} {
		if *l.list != nil {
			out, wide = append(out, l.list), append(wide, l.wide)
		}
	}
	return out, wide
}

func (r *raising) at(i uint32) geom.V {
	q := r.has[int(i)*r.wide:]
	return geom.V{X: float64(q[0]), Y: float64(q[1]), Z: float64(q[2])}
}

// halve parts edges in the middle until none is longer than fine.
func (r *raising) halve(fine float64) {
	for len(r.index)/3 <= MostTriangles/4 {
		middle := map[[2]uint32]uint32{}
		mid := func(a, b uint32) (uint32, bool) {
			if r.at(a).Sub(r.at(b)).Len() <= fine {
				return 0, false
			}
			key := [2]uint32{min(a, b), max(a, b)}
			m, known := middle[key]
			if !known {
				m = uint32(len(r.has) / r.wide)
				middle[key] = m
				for k := range r.wide {
					r.has = append(r.has, 0.5*(r.has[int(a)*r.wide+k]+r.has[int(b)*r.wide+k]))
				}
			}
			return m, true
		}
		was := r.index
		r.index = make([]uint32, 0, 2*len(was))
		for t := 0; t < len(was); t += 3 {
			r.part([3]uint32(was[t:t+3]), mid)
		}
		if len(middle) == 0 {
			return
		}
	}
}

// part adds the parts of a triangle whose edges are halved where mid says so.
func (r *raising) part(c [3]uint32, mid func(a, b uint32) (uint32, bool)) {
	var m [3]uint32 // of the edges that begin at each corner
	var cut [3]bool
	count := 0
	for k := range 3 {
		if m[k], cut[k] = mid(c[k], c[(k+1)%3]); cut[k] {
			count++
		}
	}
	add := func(list ...uint32) { r.index = append(r.index, list...) }
	switch count {
	case 0:
		add(c[0], c[1], c[2])
	case 1:
		for k := range 3 {
			if cut[k] {
				add(c[k], m[k], c[(k+2)%3], m[k], c[(k+1)%3], c[(k+2)%3])
			}
		}
	case 2:
		for k := range 3 {
			if !cut[k] { // the edge from k stays
				a, b, d := c[k], c[(k+1)%3], c[(k+2)%3]
				add(m[(k+1)%3], d, m[(k+2)%3])
				// The shorter way across what is left.
				if r.at(a).Sub(r.at(m[(k+1)%3])).Len() < r.at(b).Sub(r.at(m[(k+2)%3])).Len() {
					add(a, b, m[(k+1)%3], a, m[(k+1)%3], m[(k+2)%3])
				} else {
					add(a, b, m[(k+2)%3], b, m[(k+1)%3], m[(k+2)%3])
				}
			}
		}
	case 3:
		add(c[0], m[0], m[2], m[0], c[1], m[1], m[2], m[1], c[2], m[0], m[1], m[2])
	}
}

// into writes what came of it.
func (r *raising) into(out *model.Part) {
	n := len(r.has) / r.wide
	out.Indices = r.index
	lists, widths := lists(out)
	for k, list := range lists {
		*list = make([]float32, 0, n*widths[k])
	}
	for i := range n {
		q := r.has[i*r.wide:]
		for k, list := range lists {
			*list = append(*list, q[:widths[k]]...)
			q = q[widths[k]:]
		}
	}
}
