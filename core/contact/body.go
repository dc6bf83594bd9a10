// Package contact measures how bodies touch: what rests, floats, sinks or
// reaches into what, by their true triangles. Lengths are metres.
//
// Everything goes back to one question: moved along a direction, from where to
// where does a triangle touch another? Dropping, leaning, hanging, the depth of
// a penetration and the test whether two bodies meet at all are its answers
// for different directions.
package contact

import (
	"math"
	"slices"
	"sync"

	"visator/core/geom"
	"visator/core/model"
)

// Body is the triangles of a piece as they are felt: welded, about its pivot.
// Many placements share one. It does not change once it is made.
type Body struct {
	Box    geom.Box
	Closed bool    // every edge has two triangles: there is an inside
	Volume float64 // m³ where it is closed, that of its box otherwise
	Center geom.V  // of mass where it is closed, of its surface otherwise

	about  sphere
	points [][3]float32
	tree

	once   sync.Once // guards what Parts makes
	parts  []*Convex
	hollow float64
}

// Triangles is how many triangles the body has.
func (b *Body) Triangles() int { return b.count() }

// New makes the body of a model under top, the transform to metres about the
// pivot; nil when it has no triangle with an area.
func New(m *model.Model, top geom.M) *Body {
	var points [][3]float32
	var triangles [][3]uint32
	m.Walk(func(_ int, n *model.Node, world geom.M) {
		if n.Mesh == model.None {
			return
		}
		world = top.Mul(world)
		flip := world.Det3() < 0
		for i := range m.Meshes[n.Mesh].Parts {
			p := &m.Meshes[n.Mesh].Parts[i]
			if p.Kind != model.Triangles {
				continue
			}
			first := uint32(len(points))
			for v := range p.Vertices() {
				q := world.Point(p.Position(uint32(v)))
				points = append(points, [3]float32{float32(q.X), float32(q.Y), float32(q.Z)})
			}
			for t := 0; t+2 < len(p.Indices); t += 3 {
				tri := [3]uint32{first + p.Indices[t], first + p.Indices[t+1], first + p.Indices[t+2]}
				if flip {
					tri[1], tri[2] = tri[2], tri[1]
				}
				triangles = append(triangles, tri)
			}
		}
	})
	return Mesh(points, triangles)
}

// Mesh makes a body of triangles whose corners are among points; nil when none
// has an area. Corners at the same place become one.
func Mesh(points [][3]float32, triangles [][3]uint32) *Body {
	b := &Body{Box: geom.Empty()}
	to := b.weld(points)
	kept := make([][3]uint32, 0, len(triangles))
	for _, t := range triangles {
		t = [3]uint32{to[t[0]], to[t[1]], to[t[2]]}
		if t[0] == t[1] || t[1] == t[2] || t[2] == t[0] || !(b.area(t).Len() > 0) {
			continue
		}
		kept = append(kept, t)
		for _, i := range t {
			b.Box = b.Box.Add(b.point(i))
		}
	}
	if len(kept) == 0 || len(kept) > maxTriangles {
		return nil
	}
	b.about.mid = b.Box.Center()
	for i := range b.points {
		b.about.radius = max(b.about.radius, b.point(uint32(i)).Sub(b.about.mid).Len())
	}
	b.about.radius *= 1 + 1e-9
	b.weigh(kept)
	b.build(kept)
	return b
}

// weld takes the different places of points in, and says which each is.
func (b *Body) weld(points [][3]float32) (to []uint32) {
	p := model.Part{Positions: make([]float32, 0, 3*len(points))}
	for _, q := range points {
		p.Positions = append(p.Positions, q[0]+0, q[1]+0, q[2]+0) // -0 is 0
	}
	to, count := p.Places()
	b.points = make([][3]float32, 0, count)
	for i, at := range to {
		if int(at) == len(b.points) { // numbered in the order in which they first come
			b.points = append(b.points, [3]float32(p.Positions[3*i:3*i+3]))
		}
	}
	return to
}

func (b *Body) point(i uint32) geom.V {
	p := b.points[i]
	return geom.V{X: float64(p[0]), Y: float64(p[1]), Z: float64(p[2])}
}

// area is the triangle's normal, as long as twice its area.
func (b *Body) area(t [3]uint32) geom.V {
	o := b.point(t[0])
	return b.point(t[1]).Sub(o).Cross(b.point(t[2]).Sub(o))
}

// weigh finds whether the body is closed, its volume and its centre: sums over
// the tetrahedra between the triangles and one point (Zhang and Chen, Efficient
// Feature Extraction for 2D/3D Objects in Mesh Representation, 2001).
func (b *Body) weigh(triangles [][3]uint32) {
	edges := uint64(0)
	var volume, surface float64
	var mass, skin geom.V
	mid := b.Box.Center()
	for _, t := range triangles {
		p, q, r := b.point(t[0]).Sub(mid), b.point(t[1]).Sub(mid), b.point(t[2]).Sub(mid)
		six := p.Dot(q.Cross(r))
		volume += six / 6
		mass = mass.Add(p.Add(q).Add(r).Mul(six / 24))
		a := q.Sub(p).Cross(r.Sub(p)).Len() / 2
		surface += a
		skin = skin.Add(p.Add(q).Add(r).Mul(a / 3))
		edges += around(t)
	}
	b.Closed = edges == 0
	// Inside out is closed too.
	if s := b.Box.Size(); b.Closed && math.Abs(volume) > 1e-6*s.X*s.Y*s.Z {
		b.Volume, b.Center = math.Abs(volume), mid.Add(mass.Mul(1/volume))
		return
	}
	s := b.Box.Size()
	b.Closed, b.Volume, b.Center = false, s.X*s.Y*s.Z, mid.Add(skin.Mul(1/surface))
}

// around is a number for the way about a triangle. Every edge of what is closed is gone
// along as often one way as the other: then the sum of a number for each, with its sign,
// is 0. That it is by chance happens once in 2^64.
func around(t [3]uint32) (sum uint64) {
	for k := range t {
		i, j := t[k], t[(k+1)%3]
		if i < j {
			sum += scramble(uint64(i)<<32 | uint64(j))
		} else {
			sum -= scramble(uint64(j)<<32 | uint64(i))
		}
	}
	return sum
}

// scramble spreads numbers over 64 bits (the finaliser of MurmurHash3, Appleby,
// public domain).
func scramble(h uint64) uint64 {
	h ^= h >> 33
	h *= 0xff51afd7ed558ccd
	h ^= h >> 33
	h *= 0xc4ceb9fe1a85ec53
	return h ^ h>>33
}

// build makes the tree: triangles are sorted along a curve that fills the box
// (Lauterbach et al., Fast BVH Construction on GPUs, 2009), and each range of them
// is halved. It takes a tenth of the time of a tree that is split by cost, and is
// searched a little slower.
func (b *Body) build(triangles [][3]uint32) {
	n := len(triangles)
	order := make([]uint64, n) // place along the curve, then the number
	size := b.Box.Size()
	var k [3]float64
	for a := range k {
		if s := size.At(a); s > 0 {
			k[a] = 1023 / s / 2
		}
	}
	for i, t := range triangles {
		p, q, r := b.points[t[0]], b.points[t[1]], b.points[t[2]]
		code := uint64(0)
		for a := range p {
			c := min(p[a], q[a], r[a]) + max(p[a], q[a], r[a])
			code |= spread(uint64((float64(c)-2*b.Box.Min.At(a))*k[a])) << a
		}
		order[i] = code<<32 | uint64(i)
	}
	slices.Sort(order)
	sorted := make([][3]uint32, n)
	for i, o := range order {
		sorted[i] = triangles[uint32(o)]
	}
	b.tree = newTree(b.Box, sorted, len(b.points))
	b.halve(0, 0, n)
}

// spread puts two empty bits between the lowest ten.
func spread(x uint64) uint64 {
	x &= 0x3ff
	x = (x | x<<16) & 0x30000ff
	x = (x | x<<8) & 0x300f00f
	x = (x | x<<4) & 0x30c30c3
	return (x | x<<2) & 0x9249249
}

// halve makes the node at of the triangles from..to, and all below it; its box, exactly.
func (b *Body) halve(at, from, to int) node {
	if to-from <= leafSize {
		p := b.points[b.triangle(int32(from))[0]]
		n := node{lo: p, hi: p, first: int32(from), count: int32(to - from)}
		for i := from; i < to; i++ {
			for _, v := range b.triangle(int32(i)) {
				for k, x := range b.points[v] {
					n.lo[k], n.hi[k] = min(n.lo[k], x), max(n.hi[k], x)
				}
			}
		}
		b.set(at, &n)
		return n
	}
	first := len(b.nodes)
	b.nodes = append(b.nodes, packed{}, packed{})
	mid := (from + to) / 2
	l, r := b.halve(first, from, mid), b.halve(first+1, mid, to)
	n := node{first: int32(first)}
	for k := range 3 {
		n.lo[k], n.hi[k] = min(l.lo[k], r.lo[k]), max(l.hi[k], r.hi[k])
	}
	b.set(at, &n)
	return n
}

// Ray is the nearest place where the ray from o along d, in the body's own
// space, meets it: the distance in lengths of d, at most limit, and the normal
// of the triangle, of length one, on the side that its corners turn about.
func (b *Body) Ray(o, d geom.V, limit float64) (t float64, normal geom.V, ok bool) {
	t = min(limit, math.MaxFloat64) // finite, so that what is passed by lies beyond it
	far := func() float64 { return min(t*(1+1e-7)+1e-9, math.MaxFloat64) }
	inv := geom.V{X: 1 / d.X, Y: 1 / d.Y, Z: 1 / d.Z}
	var room [64]spot
	ray := b.ray(o, inv)
	stack := append(room[:0], spot{0, b.enter(0, &ray)})
	for len(stack) > 0 {
		e := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if e.t > far() {
			continue
		}
		first, count := b.run(e.node)
		if count > 0 {
			for i := range count {
				tri := b.triangle(first + i)
				if at, met := b.cross(o, d, tri); met && at < t {
					t, normal, ok = at, b.area(tri), true
				}
			}
			continue
		}
		x, y := spot{first, b.enter(first, &ray)}, spot{first + 1, b.enter(first+1, &ray)}
		if x.t < y.t { // the nearer one comes off the stack first
			x, y = y, x
		}
		for _, s := range [2]spot{x, y} {
			if s.t <= far() {
				stack = append(stack, s)
			}
		}
	}
	if !ok {
		t = limit
	}
	return t, normal.Unit(), ok
}

// cross is where the ray from o along d meets a triangle (Möller and Trumbore, Fast,
// Minimum Storage Ray/Triangle Intersection, 1997).
func (b *Body) cross(o, d geom.V, tri [3]uint32) (t float64, ok bool) {
	a := b.point(tri[0])
	e1, e2 := b.point(tri[1]).Sub(a), b.point(tri[2]).Sub(a)
	p := d.Cross(e2)
	det := e1.Dot(p)
	if det == 0 {
		return 0, false
	}
	s := o.Sub(a)
	u := s.Dot(p) / det
	q := s.Cross(e1)
	v := d.Dot(q) / det
	t = e2.Dot(q) / det
	return t, u >= 0 && v >= 0 && u+v <= 1 && t >= 0
}

// Inside reports whether p, in the body's own space, lies within: it does when
// a ray leaves it an odd number of times. Nothing lies within an open body.
func (b *Body) Inside(p geom.V) bool {
	if !b.Closed || p.X < b.Box.Min.X || p.Y < b.Box.Min.Y || p.Z < b.Box.Min.Z || p.X > b.Box.Max.X ||
		p.Y > b.Box.Max.Y || p.Z > b.Box.Max.Z {
		return false
	}
	n := 0
	// Askew, so that it hardly meets an edge of what was built square.
	b.crossings(p, geom.V{X: 0.1237, Y: 0.9713, Z: 0.0519}, func(at float64) {
		if at > 0 {
			n++
		}
	})
	return n%2 == 1
}

// crossings tells every triangle that the ray meets.
func (b *Body) crossings(o, d geom.V, met func(t float64)) {
	var room [64]int32
	stack := append(room[:0], 0)
	ray := b.ray(o, geom.V{X: 1 / d.X, Y: 1 / d.Y, Z: 1 / d.Z})
	for len(stack) > 0 {
		i := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if math.IsInf(b.enter(i, &ray), 1) {
			continue
		}
		first, count := b.run(i)
		if count == 0 {
			stack = append(stack, first, first+1)
			continue
		}
		for k := range count {
			if t, ok := b.cross(o, d, b.triangle(first+k)); ok {
				met(t)
			}
		}
	}
}
