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

	points    [][3]float32
	triangles [][3]uint32
	nodes     []node
}

// node is a box of the tree: a leaf has count triangles from first on, another
// its two children at first and first+1.
type node struct {
	lo, hi       [3]float32
	first, count int32
}

// leafSize is how many triangles a leaf has at most.
const leafSize = 4

// Triangles is how many triangles the body has.
func (b *Body) Triangles() int { return len(b.triangles) }

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
	known := make(map[[3]float32]uint32, len(points))
	to := make([]uint32, len(points))
	for i, p := range points {
		for k := range p {
			p[k] += 0 // -0 is 0
		}
		at, ok := known[p]
		if !ok {
			at = uint32(len(b.points))
			known[p] = at
			b.points = append(b.points, p)
		}
		to[i] = at
	}
	b.triangles = make([][3]uint32, 0, len(triangles))
	for _, t := range triangles {
		t = [3]uint32{to[t[0]], to[t[1]], to[t[2]]}
		if t[0] == t[1] || t[1] == t[2] || t[2] == t[0] || !(b.area(t).Len() > 0) {
			continue
		}
		b.triangles = append(b.triangles, t)
		for _, i := range t {
			b.Box = b.Box.Add(b.point(i))
		}
	}
	if len(b.triangles) == 0 {
		return nil
	}
	b.weigh()
	b.build()
	return b
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
func (b *Body) weigh() {
	edges := make(map[[2]uint32]int, 3*len(b.triangles)/2)
	var volume, surface float64
	var mass, skin geom.V
	mid := b.Box.Center()
	for _, t := range b.triangles {
		p, q, r := b.point(t[0]).Sub(mid), b.point(t[1]).Sub(mid), b.point(t[2]).Sub(mid)
		six := p.Dot(q.Cross(r))
		volume += six / 6
		mass = mass.Add(p.Add(q).Add(r).Mul(six / 24))
		a := q.Sub(p).Cross(r.Sub(p)).Len() / 2
		surface += a
		skin = skin.Add(p.Add(q).Add(r).Mul(a / 3))
		for k := range t {
			i, j := t[k], t[(k+1)%3]
			if i < j {
				edges[[2]uint32{i, j}]++
			} else {
				edges[[2]uint32{j, i}]--
			}
		}
	}
	b.Closed = true
	for _, n := range edges {
		if n != 0 {
			b.Closed = false
			break
		}
	}
	// Inside out is closed too.
	if s := b.Box.Size(); b.Closed && math.Abs(volume) > 1e-6*s.X*s.Y*s.Z {
		b.Volume, b.Center = math.Abs(volume), mid.Add(mass.Mul(1/volume))
		return
	}
	s := b.Box.Size()
	b.Closed, b.Volume, b.Center = false, s.X*s.Y*s.Z, mid.Add(skin.Mul(1/surface))
}

// build makes the tree: boxes are halved at the middle of their triangles'
// centres.
func (b *Body) build() {
	n := len(b.triangles)
	order := make([]int32, n)
	centres := make([][3]float32, n)
	for i, t := range b.triangles {
		order[i] = int32(i)
		p, q, r := b.points[t[0]], b.points[t[1]], b.points[t[2]]
		for k := range p {
			centres[i][k] = min(p[k], q[k], r[k])/2 + max(p[k], q[k], r[k])/2
		}
	}
	b.nodes = make([]node, 1, n)
	type job struct {
		at       int
		from, to int
	}
	stack := []job{{0, 0, n}}
	for len(stack) > 0 {
		j := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		inf := float32(math.Inf(1))
		box := node{lo: [3]float32{inf, inf, inf}, hi: [3]float32{-inf, -inf, -inf}}
		lo, hi := box.lo, box.hi // of the centres
		for _, i := range order[j.from:j.to] {
			for _, v := range b.triangles[i] {
				for k, x := range b.points[v] {
					box.lo[k], box.hi[k] = min(box.lo[k], x), max(box.hi[k], x)
				}
			}
			for k, x := range centres[i] {
				lo[k], hi[k] = min(lo[k], x), max(hi[k], x)
			}
		}
		if j.to-j.from <= leafSize {
			box.first, box.count = int32(j.from), int32(j.to-j.from)
			b.nodes[j.at] = box
			continue
		}
		axis := 0
		for k := range 3 {
			if hi[k]-lo[k] > hi[axis]-lo[axis] {
				axis = k
			}
		}
		part := order[j.from:j.to]
		cut, at := lo[axis]/2+hi[axis]/2, 0
		for i := range part {
			if centres[part[i]][axis] < cut {
				part[i], part[at] = part[at], part[i]
				at++
			}
		}
		if at < len(part)/16 || at > len(part)-len(part)/16 || at == 0 || at == len(part) { // lopsided: halve by number
			slices.SortFunc(part, func(x, y int32) int {
				switch cx, cy := centres[x][axis], centres[y][axis]; {
				case cx < cy:
					return -1
				case cx > cy:
					return 1
				}
				return int(x - y)
			})
			at = len(part) / 2
		}
		box.first = int32(len(b.nodes))
		b.nodes[j.at] = box
		b.nodes = append(b.nodes, node{}, node{})
		stack = append(stack, job{int(box.first), j.from, j.from + at}, job{int(box.first) + 1, j.from + at, j.to})
	}
	sorted := make([][3]uint32, n)
	for i, t := range order {
		sorted[i] = b.triangles[t]
	}
	b.triangles = sorted
}

// Ray is the nearest place where the ray from o along d, in the body's own
// space, meets it: the distance in lengths of d, at most limit, and the normal
// of the triangle, of length one, on the side that its corners turn about.
func (b *Body) Ray(o, d geom.V, limit float64) (t float64, normal geom.V, ok bool) {
	t = limit
	b.crossings(o, d, func(at float64, tri [3]uint32) {
		if at >= 0 && at < t {
			t, normal, ok = at, b.area(tri), true
		}
	}, &t)
	return t, normal.Unit(), ok
}

// Inside reports whether p, in the body's own space, lies within: it does when
// a ray leaves it an odd number of times. Nothing lies within an open body.
func (b *Body) Inside(p geom.V) bool {
	if !b.Closed || p.X < b.Box.Min.X || p.Y < b.Box.Min.Y || p.Z < b.Box.Min.Z || p.X > b.Box.Max.X || p.Y > b.Box.Max.Y || p.Z > b.Box.Max.Z {
		return false
	}
	n, limit := 0, math.Inf(1)
	// Askew, so that it hardly meets an edge of what was built square.
	b.crossings(p, geom.V{X: 0.1237, Y: 0.9713, Z: 0.0519}, func(at float64, _ [3]uint32) {
		if at > 0 {
			n++
		}
	}, &limit)
	return n%2 == 1
}

// crossings tells every triangle that the ray meets before limit, which may
// shrink meanwhile (Möller and Trumbore, Fast, Minimum Storage Ray/Triangle
// Intersection, 1997).
func (b *Body) crossings(o, d geom.V, met func(t float64, tri [3]uint32), limit *float64) {
	var room [64]int32
	stack := append(room[:0], 0)
	inv := geom.V{X: 1 / d.X, Y: 1 / d.Y, Z: 1 / d.Z}
	for len(stack) > 0 {
		n := &b.nodes[stack[len(stack)-1]]
		stack = stack[:len(stack)-1]
		near, far := 0.0, *limit
		for k := range 3 {
			a, c := (float64(n.lo[k])-o.At(k))*inv.At(k), (float64(n.hi[k])-o.At(k))*inv.At(k)
			if a > c {
				a, c = c, a
			}
			if a > near { // not a number, within a face, passes
				near = a
			}
			if c < far {
				far = c
			}
		}
		if near > far*(1+1e-7)+1e-9 {
			continue
		}
		if n.count == 0 {
			stack = append(stack, n.first, n.first+1)
			continue
		}
		for _, tri := range b.triangles[n.first : n.first+n.count] {
			a := b.point(tri[0])
			e1, e2 := b.point(tri[1]).Sub(a), b.point(tri[2]).Sub(a)
			p := d.Cross(e2)
			det := e1.Dot(p)
			if det == 0 {
				continue
			}
			s := o.Sub(a)
			u := s.Dot(p) / det
			q := s.Cross(e1)
			v := d.Dot(q) / det
			if u < 0 || v < 0 || u+v > 1 {
				continue
			}
			if t := e2.Dot(q) / det; t >= 0 && t <= *limit {
				met(t, tri)
			}
		}
	}
}
