// Package bump gives surfaces the shape that a picture of height says, and makes hard edges look rounded.
package bump

import (
	"math"
	"slices"

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
	r := raising{at: slices.Clone(p.Positions), index: slices.Clone(p.Indices[:len(p.Indices)/3*3])}
	r.halve(fine)
	out := *p
	r.into(&out)
	coordinates := out.UV
	if set == 1 {
		coordinates = out.UV1
	}
	at, places := out.Places()
	along := out.NormalsOf(at, places)
	sum, times := make([]float64, places), make([]float64, places)
	for i, k := range at {
		sum[k] += height(float64(coordinates[2*i]), float64(coordinates[2*i+1]))
		times[k]++
	}
	for i, k := range at {
		q := out.Position(uint32(i)).Add(along[k].Mul(deep * sum[k] / times[k]))
		out.Positions[3*i], out.Positions[3*i+1], out.Positions[3*i+2] = float32(q.X), float32(q.Y), float32(q.Z)
	}
	// Corners that were smooth together before still are: those at one place with one normal, about.
	var was [3][]uint32
	for c := range was {
		was[c] = make([]uint32, len(at))
		for i := 0; p.Normals != nil && i < len(at); i++ {
			was[c][i] = uint32(int32(math.Round(float64(out.Normals[3*i+c]) * 64)))
		}
	}
	first, of := model.Weld(at, places, was[:]...)
	list := out.NormalsOf(of, len(first))
	out.Normals = make([]float32, 0, 3*len(at))
	for _, g := range of {
		out.Normals = append(out.Normals, float32(list[g].X), float32(list[g].Y), float32(list[g].Z))
	}
	return out
}

// raising is a part whose edges are being halved: where its corners are, its triangles, and between which two corners
// each of those lies that came to the part's own.
type raising struct {
	at     []float32
	index  []uint32
	halves [][2]uint32
}

func (r *raising) place(i uint32) geom.V {
	q := r.at[3*i : 3*i+3]
	return geom.V{X: float64(q[0]), Y: float64(q[1]), Z: float64(q[2])}
}

// halve parts edges in the middle until none is longer than fine.
func (r *raising) halve(fine float64) {
	for len(r.index)/3 <= MostTriangles/4 {
		middle := map[[2]uint32]uint32{}
		mid := func(a, b uint32) (uint32, bool) {
			if r.place(a).Sub(r.place(b)).Len() <= fine {
				return 0, false
			}
			key := [2]uint32{min(a, b), max(a, b)}
			m, known := middle[key]
			if !known {
				m = uint32(len(r.at) / 3)
				middle[key] = m
				r.halves = append(r.halves, key)
				r.at = between(r.at, 3, key)
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

// between appends to a list, of so many numbers a corner, what lies in the middle of two.
func between(list []float32, wide int, ends [2]uint32) []float32 {
	for k := range wide {
		list = append(list, 0.5*(list[int(ends[0])*wide+k]+list[int(ends[1])*wide+k]))
	}
	return list
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
				if r.place(a).Sub(r.place(m[(k+1)%3])).Len() < r.place(b).Sub(r.place(m[(k+2)%3])).Len() {
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
	out.Indices, out.Positions = r.index, r.at
	for _, l := range []struct {
		list *[]float32
		wide int
	}{{&out.Normals, 3}, {&out.UV, 2}, {&out.UV1, 2}, {&out.Colors, 4}} {
		if *l.list == nil {
			continue
		}
		*l.list = slices.Clone(*l.list)
		for _, ends := range r.halves {
			*l.list = between(*l.list, l.wide, ends)
		}
	}
}
