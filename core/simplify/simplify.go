// Package simplify makes lighter versions of meshes by collapsing edges in the
// order of their quadric error (Garland and Heckbert, Surface Simplification
// Using Quadric Error Metrics, 1997). Vertices only ever move onto others, so
// that texture coordinates, normals and colours stay true; open borders, seams
// of the texture and hard edges are kept, and nothing tears between surfaces.
package simplify

import (
	"math"
	"slices"

	"visator/core/model"
)

// Result says what a simplification came to.
type Result struct {
	Triangles int
	Error     float64 // root mean square distance of the worst collapse to the planes it left, in the mesh's unit
}

// quadric is the sum of squared distances to planes, each weighted by area:
// v'Av + 2b'v + c.
type quadric struct {
	xx, yy, zz, xy, xz, yz, x, y, z, c, w float64
}

func (q *quadric) plane(nx, ny, nz, d, w float64) {
	q.xx += w * nx * nx
	q.yy += w * ny * ny
	q.zz += w * nz * nz
	q.xy += w * nx * ny
	q.xz += w * nx * nz
	q.yz += w * ny * nz
	q.x += w * nx * d
	q.y += w * ny * d
	q.z += w * nz * d
	q.c += w * d * d
}

func (q *quadric) add(o *quadric) {
	q.xx += o.xx
	q.yy += o.yy
	q.zz += o.zz
	q.xy += o.xy
	q.xz += o.xz
	q.yz += o.yz
	q.x += o.x
	q.y += o.y
	q.z += o.z
	q.c += o.c
	q.w += o.w
}

// at is the mean squared distance of p to the planes.
func (q *quadric) at(p *[3]float64) float64 {
	x, y, z := p[0], p[1], p[2]
	e := q.xx*x*x + q.yy*y*y + q.zz*z*z + 2*(q.xy*x*y+q.xz*x*z+q.yz*y*z) + 2*(q.x*x+q.y*y+q.z*z) + q.c
	if q.w == 0 {
		return 0
	}
	return math.Abs(e) / q.w
}

// borderWeight is how much more an open border counts than a face, seamWeight
// a seam; found by trying on scanned and modelled meshes.
const (
	borderWeight = 10
	seamWeight   = 1
)

// soup is the triangles of all parts of a mesh as one: wedges are vertices
// (those that differ in anything), places are where they stand.
type soup struct {
	index  []uint32 // wedges, three a triangle
	part   []uint32 // of each triangle
	place  []uint32 // of each wedge
	at     [][3]float64
	wedges []uint32 // how many wedges each place has
	border []bool   // places on an open border
	fixed  []bool   // places that cannot move
	q      []quadric
	scale  float64

	start []uint32 // triangles around each place
	list  []uint32
}

// Mesh returns the mesh with at most about triangles triangles, counting those
// of all its parts. It may stop above that where nothing more can be taken
// without tearing or turning over. Lines and points stay as they are.
func Mesh(mesh *model.Mesh, triangles int) (model.Mesh, Result) {
	s, first := newSoup(mesh)
	have := len(s.index) / 3
	if have <= triangles || have == 0 {
		return *mesh, Result{Triangles: have}
	}
	s.measure()
	worst := s.reduce(max(triangles, 0))
	return s.build(mesh, first), Result{Triangles: len(s.index) / 3, Error: math.Sqrt(worst) / s.scale}
}

// newSoup joins the parts. first is the wedge number of each part's first
// vertex.
func newSoup(mesh *model.Mesh) (s *soup, first []uint32) {
	s = &soup{}
	total := 0
	for i := range mesh.Parts {
		if mesh.Parts[i].Kind == model.Triangles {
			total += mesh.Parts[i].Vertices()
		}
	}
	all := model.Part{Positions: make([]float32, 0, 3*total)}
	for i := range mesh.Parts {
		p := &mesh.Parts[i]
		base := uint32(all.Vertices())
		first = append(first, base)
		if p.Kind != model.Triangles {
			continue
		}
		all.Positions = append(all.Positions, p.Positions...)
		same := wedges(p)
		for t := 0; t+2 < len(p.Indices); t += 3 {
			a, b, c := base+same[p.Indices[t]], base+same[p.Indices[t+1]], base+same[p.Indices[t+2]]
			s.index = append(s.index, a, b, c)
			s.part = append(s.part, uint32(i))
		}
	}
	of, n := all.Places()
	s.place = of
	lo, hi := [3]float64{math.Inf(1), math.Inf(1), math.Inf(1)}, [3]float64{math.Inf(-1), math.Inf(-1), math.Inf(-1)}
	for i := 0; i < len(all.Positions); i++ {
		v := float64(all.Positions[i])
		lo[i%3], hi[i%3] = min(lo[i%3], v), max(hi[i%3], v)
	}
	s.scale = 1
	if d := max(hi[0]-lo[0], hi[1]-lo[1], hi[2]-lo[2]); d > 0 {
		s.scale = 1 / d
	}
	s.at = make([][3]float64, n)
	for w, p := range of {
		for k := range 3 {
			s.at[p][k] = (float64(all.Positions[3*w+k]) - lo[k]) * s.scale
		}
	}
	s.dropFlat()
	return s, first
}

// wedges gives each vertex of a part the first one that agrees with it in
// everything.
func wedges(p *model.Part) []uint32 {
	first, to := p.Wedges()
	for i := range to {
		to[i] = first[to[i]]
	}
	return to
}

// dropFlat leaves out triangles two corners of which share a place.
func (s *soup) dropFlat() {
	out := 0
	for t := 0; t < len(s.index); t += 3 {
		a, b, c := s.place[s.index[t]], s.place[s.index[t+1]], s.place[s.index[t+2]]
		if a == b || b == c || a == c {
			continue
		}
		copy(s.index[out:], s.index[t:t+3])
		s.part[out/3] = s.part[t/3]
		out += 3
	}
	s.index, s.part = s.index[:out], s.part[:out/3]
}

// around lists the triangles around each place.
func (s *soup) around() {
	n := len(s.at)
	if cap(s.start) < n+1 {
		s.start = make([]uint32, n+1)
	}
	s.start = s.start[:n+1]
	clear(s.start)
	for _, w := range s.index {
		s.start[s.place[w]+1]++
	}
	for i := range n {
		s.start[i+1] += s.start[i]
	}
	if cap(s.list) < len(s.index) {
		s.list = make([]uint32, len(s.index))
	}
	s.list = s.list[:len(s.index)]
	// Filled from behind, so that start ends where it began.
	for i := len(s.index) - 1; i >= 0; i-- {
		p := s.place[s.index[i]] + 1
		s.start[p]--
		s.list[s.start[p]] = uint32(i / 3)
	}
	copy(s.start, s.start[1:])
	s.start[n] = uint32(len(s.index))
}

func (s *soup) trianglesOf(p uint32) []uint32 { return s.list[s.start[p]:s.start[p+1]] }

// runs reports whether any triangle has a side from place a to place b, by
// place, and whether one has it between these very wedges.
func (s *soup) runs(a, b, wa, wb uint32) (place, wedge bool) {
	for _, t := range s.trianglesOf(a) {
		v := s.index[3*t : 3*t+3]
		for k := range 3 {
			x, y := v[k], v[(k+1)%3]
			if s.place[x] == a && s.place[y] == b {
				place = true
				wedge = wedge || x == wa && y == wb
			}
		}
	}
	return place, wedge
}

// measure finds borders and what is fixed, and sums the planes around every
// place.
func (s *soup) measure() {
	n := len(s.at)
	s.around()
	s.border, s.fixed, s.q, s.wedges = make([]bool, n), make([]bool, n), make([]quadric, n), make([]uint32, n)
	seen := make([]bool, len(s.place))
	openOut, openIn := make([]uint8, n), make([]uint8, n)
	for _, w := range s.index {
		if !seen[w] {
			seen[w] = true
			s.wedges[s.place[w]]++
		}
	}
	for t := 0; t < len(s.index); t += 3 {
		v := s.index[t : t+3]
		nrm, d, area := s.planeOf(v)
		for k := range 3 {
			s.q[s.place[v[k]]].plane(nrm[0], nrm[1], nrm[2], d, area)
			s.q[s.place[v[k]]].w += area // fences do not count: they would water down the mean
		}
		for k := range 3 {
			x, y := v[k], v[(k+1)%3]
			a, b := s.place[x], s.place[y]
			seam := s.wedges[a] > 1 && s.wedges[b] > 1
			// Only an edge between places that lie on something can be open.
			back, same := s.runs(b, a, y, x)
			weight := 0.0
			if !back {
				weight = borderWeight
				s.border[a], s.border[b] = true, true
				openOut[a] = min(openOut[a]+1, 3)
				openIn[b] = min(openIn[b]+1, 3)
			} else if seam && !same {
				weight = seamWeight
			}
			if weight > 0 {
				s.fence(a, b, nrm, weight)
			}
		}
	}
	for p := range s.fixed { // borders that meet or cross
		s.fixed[p] = s.border[p] && (openOut[p] != 1 || openIn[p] != 1) || s.wedges[p] > 2
	}
}

func (s *soup) planeOf(v []uint32) (n [3]float64, d, area float64) {
	a, b, c := &s.at[s.place[v[0]]], &s.at[s.place[v[1]]], &s.at[s.place[v[2]]]
	n = cross(sub(b, a), sub(c, a))
	l := math.Sqrt(dot(&n, &n))
	if l == 0 {
		return n, 0, 0
	}
	for k := range n {
		n[k] /= l
	}
	return n, -dot(&n, a), l / 2
}

// fence adds a plane that stands on the face along the edge from a to b.
func (s *soup) fence(a, b uint32, face [3]float64, weight float64) {
	e := sub(&s.at[b], &s.at[a])
	n := cross(e, face)
	l := math.Sqrt(dot(&n, &n))
	if l == 0 {
		return
	}
	for k := range n {
		n[k] /= l
	}
	d := -dot(&n, &s.at[a])
	w := weight * dot(&e, &e)
	s.q[a].plane(n[0], n[1], n[2], d, w)
	s.q[b].plane(n[0], n[1], n[2], d, w)
}

func sub(a, b *[3]float64) [3]float64 { return [3]float64{a[0] - b[0], a[1] - b[1], a[2] - b[2]} }
func dot(a, b *[3]float64) float64    { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }
func cross(a, b [3]float64) [3]float64 {
	return [3]float64{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
}

// collapse is a place that may move onto another.
type collapse struct {
	from, to uint32
	cost     float32
}

// reduce collapses edges, the cheapest first, pass by pass, until at most
// target triangles are left or nothing more can be done. It returns the
// largest mean squared distance that was accepted.
func (s *soup) reduce(target int) (worst float64) {
	var list []collapse
	var order, spare []uint64
	touched := make([]bool, len(s.at))
	to := make([]uint32, len(s.place)) // of wedges
	for len(s.index)/3 > target {
		s.around()
		list = s.candidates(list[:0])
		if len(list) == 0 {
			return worst
		}
		order, spare = sortByCost(list, order, spare)
		clear(touched)
		for w := range to {
			to[w] = uint32(w)
		}
		// An interior collapse takes two triangles. What is much dearer than
		// what this pass needs waits: the next pass may find it cheaper.
		need := len(s.index)/3 - target
		limit := list[uint32(order[min(len(order)-1, need/2)])].cost * 1.5
		taken, done := 0, 0
		for _, key := range order {
			c := &list[uint32(key)]
			if taken >= need || c.cost > limit && done > 0 {
				break
			}
			if touched[c.from] || touched[c.to] {
				continue
			}
			n, ok := s.move(c, to, touched)
			if !ok {
				continue
			}
			touched[c.from], touched[c.to] = true, true
			s.q[c.to].add(&s.q[c.from])
			worst = max(worst, float64(c.cost))
			taken += n
			done++
		}
		if done == 0 {
			return worst
		}
		for i, w := range s.index {
			s.index[i] = to[w]
		}
		s.dropFlat()
	}
	return worst
}

func (s *soup) candidates(list []collapse) []collapse {
	for t := 0; t < len(s.index); t += 3 {
		v := s.index[t : t+3]
		for k := range 3 {
			x, y := v[k], v[(k+1)%3]
			a, b := s.place[x], s.place[y]
			open := false
			if s.border[a] && s.border[b] {
				back, _ := s.runs(b, a, y, x)
				open = !back
			}
			if !open && a > b { // its other triangle offers it
				continue
			}
			there, back := s.may(a, b, open), s.may(b, a, open)
			if !there && !back {
				continue
			}
			c := collapse{a, b, math.MaxFloat32}
			if there {
				c.cost = float32(s.q[a].at(&s.at[b]))
			}
			if back {
				if e := float32(s.q[b].at(&s.at[a])); e < c.cost {
					c = collapse{b, a, e}
				}
			}
			list = append(list, c)
		}
	}
	return list
}

// may tells whether a place may move along an edge at all.
func (s *soup) may(from, to uint32, open bool) bool {
	return !s.fixed[from] && (!s.border[from] || open) && (s.wedges[from] == 1 || s.wedges[to] >= 2)
}

// move does a collapse when it tears and turns over nothing: every wedge of
// the place needs one, and only one, wedge of the other to become. It returns
// how many triangles vanish.
func (s *soup) move(c *collapse, to []uint32, touched []bool) (gone int, ok bool) {
	var pairs [4][2]uint32
	n := 0
	target := &s.at[c.to]
	for _, t := range s.trianglesOf(c.from) {
		v := s.index[3*t : 3*t+3]
		mine, other := uint32(0), uint32(math.MaxUint32)
		var corner [3]*[3]float64
		turned := -1
		for k, w := range v {
			// Neighbours may have moved in this pass.
			p := s.place[to[w]]
			corner[k] = &s.at[p]
			if s.place[w] == c.from {
				mine, turned = w, k
			} else if p == c.to {
				other = to[w]
			}
		}
		if other != math.MaxUint32 {
			gone++
			known := false
			for _, p := range pairs[:n] {
				if p[0] == mine {
					if p[1] != other {
						return 0, false
					}
					known = true
				}
			}
			if !known {
				if n == len(pairs) {
					return 0, false
				}
				pairs[n] = [2]uint32{mine, other}
				n++
			}
			continue
		}
		old := cross(sub(corner[1], corner[0]), sub(corner[2], corner[0]))
		corner[turned] = target
		fresh := cross(sub(corner[1], corner[0]), sub(corner[2], corner[0]))
		if d := dot(&old, &fresh); d <= 0.2*math.Sqrt(dot(&old, &old)*dot(&fresh, &fresh)) {
			return 0, false
		}
	}
	if n != int(s.wedges[c.from]) || gone == 0 {
		return 0, false
	}
	for _, p := range pairs[:n] {
		to[p[0]] = p[1]
	}
	return gone, true
}

// sortByCost returns the numbers of the collapses in the order of their cost,
// in the lower halves: a radix sort of its bits, which for numbers that are
// not negative lie as the numbers do. The last bits, a part in 8000, do not
// matter.
func sortByCost(list []collapse, order, spare []uint64) (sorted, free []uint64) {
	order, spare = slices.Grow(order[:0], len(list))[:len(list)], slices.Grow(spare[:0], len(list))[:len(list)]
	const low, high, mask = 41, 52, 1<<11 - 1
	var count [2][mask + 2]uint32
	for i := range list {
		key := uint64(math.Float32bits(list[i].cost))<<32 | uint64(i)
		order[i] = key
		count[0][key>>low&mask+1]++
		count[1][key>>high&mask+1]++
	}
	for pass, shift := range [2]int{low, high} {
		c := &count[pass]
		for k := 1; k < len(c); k++ {
			c[k] += c[k-1]
		}
		for _, key := range order {
			k := key >> shift & mask
			spare[c[k]] = key
			c[k]++
		}
		order, spare = spare, order
	}
	return order, spare
}

// build makes parts of what is left.
func (s *soup) build(mesh *model.Mesh, first []uint32) model.Mesh {
	out := model.Mesh{Name: mesh.Name}
	const none = math.MaxUint32
	number := make([]uint32, len(s.place))
	for i := range number {
		number[i] = none
	}
	indices, from := make([][]uint32, len(mesh.Parts)), make([][]uint32, len(mesh.Parts))
	for t := 0; t < len(s.index); t += 3 {
		p := s.part[t/3]
		for _, w := range s.index[t : t+3] {
			if number[w] == none {
				number[w] = uint32(len(from[p]))
				from[p] = append(from[p], w-first[p])
			}
			indices[p] = append(indices[p], number[w])
		}
	}
	for i := range mesh.Parts {
		p := &mesh.Parts[i]
		if p.Kind != model.Triangles {
			out.Parts = append(out.Parts, *p)
		} else if len(indices[i]) > 0 {
			out.Parts = append(out.Parts, p.Keep(from[i], indices[i]))
		}
	}
	return out
}
