package model

import (
	"math"

	"visator/core/geom"
	"visator/core/join"
)

// Places numbers the different places of a part's vertices from 0 in the order
// in which they first come: vertices at exactly the same place get one number.
// count is how many there are.
func (p *Part) Places() (of []uint32, count int) {
	n := p.Vertices()
	of = make([]uint32, n)
	size := 16
	for size < 2*n {
		size *= 2
	}
	const none = math.MaxUint32
	table := make([]uint32, size) // a vertex that has the place
	for i := range table {
		table[i] = none
	}
	mask := uint32(size - 1)
	for i := range of {
		q := [3]float32(p.Positions[3*i : 3*i+3])
		var h uint32
		for k := range q {
			q[k] += 0 // -0 is 0
			h = (h ^ math.Float32bits(q[k])) * 0x9e3779b1
			h ^= h >> 15
		}
		for h &= mask; ; h = (h + 1) & mask {
			j := table[h]
			if j == none {
				table[h] = uint32(i)
				of[i] = uint32(count)
				count++
				break
			}
			if [3]float32(p.Positions[3*j:3*j+3]) == q {
				of[i] = of[j]
				break
			}
		}
	}
	return of, count
}

// Wedges joins the vertices that agree in everything, as Weld does: first is
// the first vertex of each kind, to the kind of each vertex.
func (p *Part) Wedges() (first, to []uint32) {
	of, places := p.Places()
	var others [][]uint32
	for _, l := range []struct {
		v     []float32
		width int
	}{{p.Normals, 3}, {p.UV, 2}, {p.UV1, 2}, {p.Colors, 4}} {
		for k := 0; l.v != nil && k < l.width; k++ {
			bits := make([]uint32, len(of))
			for i := range bits {
				bits[i] = math.Float32bits(l.v[i*l.width+k] + 0)
			}
			others = append(others, bits)
		}
	}
	return Weld(of, places, others...)
}

// Shells numbers the loose pieces of a part's triangles: those that share no
// place with one another. shell has a number for each triangle, from 0 in the
// order in which they first come.
func (p *Part) Shells() (shell []int, count int) {
	of, n := p.Places()
	sets := join.New(n)
	for t := 0; t+2 < len(p.Indices); t += 3 {
		for _, v := range p.Indices[t+1 : t+3] {
			sets.Join(of[p.Indices[t]], of[v])
		}
	}
	number := map[uint32]int{}
	shell = make([]int, p.Triangles())
	for t := range shell {
		r := sets.Find(of[p.Indices[3*t]])
		k, ok := number[r]
		if !ok {
			k = len(number)
			number[r] = k
		}
		shell[t] = k
	}
	return shell, len(number)
}

// Only returns the part with the triangles that keep accepts and the vertices
// that they use.
func (p *Part) Only(keep func(triangle int) bool) Part {
	out := *p
	const none = math.MaxUint32
	to := make([]uint32, p.Vertices())
	for i := range to {
		to[i] = none
	}
	var from []uint32
	out.Indices = nil
	for t := 0; t < len(p.Indices)/3; t++ {
		if !keep(t) {
			continue
		}
		for _, v := range p.Indices[3*t : 3*t+3] {
			if to[v] == none {
				to[v] = uint32(len(from))
				from = append(from, v)
			}
			out.Indices = append(out.Indices, to[v])
		}
	}
	out.take(p, from)
	return out
}

// take gathers the vertices from of src.
func (p *Part) take(src *Part, from []uint32) {
	p.Positions = Gather(src.Positions, 3, from)
	for _, l := range []struct {
		to    *[]float32
		src   []float32
		width int
	}{{&p.Normals, src.Normals, 3}, {&p.UV, src.UV, 2}, {&p.UV1, src.UV1, 2}, {&p.Colors, src.Colors, 4}} {
		*l.to = nil
		if l.src != nil {
			*l.to = Gather(l.src, l.width, from)
		}
	}
}

// Keep returns the part with the vertices from, its indices renumbered by to.
func (p *Part) Keep(from, indices []uint32) Part {
	out := *p
	out.Indices = indices
	out.take(p, from)
	return out
}

// Apart is a part of the same triangles, none of which shares a corner with another.
func (p *Part) Apart() Part {
	n := len(p.Indices) / 3 * 3
	own := make([]uint32, n)
	for i := range own {
		own[i] = uint32(i)
	}
	return p.Keep(p.Indices[:n], own)
}

// Moved returns the part under a transform; one that mirrors also turns the
// faces, so that they look outwards again.
func (p *Part) Moved(m *geom.M) Part {
	out := *p
	if *m == geom.Identity {
		return out
	}
	out.Positions = make([]float32, len(p.Positions))
	for i := 0; i+2 < len(p.Positions); i += 3 {
		q := m.Point(geom.V{X: float64(p.Positions[i]), Y: float64(p.Positions[i+1]), Z: float64(p.Positions[i+2])})
		out.Positions[i], out.Positions[i+1], out.Positions[i+2] = float32(q.X), float32(q.Y), float32(q.Z)
	}
	if inv, ok := m.Affine(); ok && p.Normals != nil {
		out.Normals = make([]float32, len(p.Normals))
		for i := 0; i+2 < len(p.Normals); i += 3 {
			q := inv.NormalDir(geom.V{X: float64(p.Normals[i]), Y: float64(p.Normals[i+1]),
				Z: float64(p.Normals[i+2])}).Unit()
			out.Normals[i], out.Normals[i+1], out.Normals[i+2] = float32(q.X), float32(q.Y), float32(q.Z)
		}
	}
	if m.Det3() < 0 && p.Kind == Triangles {
		out.Indices = make([]uint32, len(p.Indices))
		for i := 0; i+2 < len(p.Indices); i += 3 {
			out.Indices[i], out.Indices[i+1], out.Indices[i+2] = p.Indices[i], p.Indices[i+2], p.Indices[i+1]
		}
	}
	return out
}
