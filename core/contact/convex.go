package contact

import (
	"math"
	"slices"

	"visator/core/geom"
)

// Convex is a convex solid: the hull of its points, grown by Round on all sides. A
// flat one has two faces, one that is a line or a point has none.
type Convex struct {
	Points []geom.V
	Faces  []Face
	Round  float64 // metres
	Box    geom.Box
}

// Face is a flat side of a convex solid: the points of it in order, and the plane
// N·p = D in which it lies, N outwards and of length one.
type Face struct {
	N    geom.V
	D    float64
	Loop []int32
}

// side is a triangle of a hull that is being made: its neighbours lie across the
// edges from corner k to the next.
type side struct {
	at   [3]int32
	next [3]int32
	n    geom.V
	d    float64
	out  []int32 // points above it that no other side has
	far  float64 // how far the farthest of them lies above it: that is the first
	dead bool
}

// hullMost is how many points a hull has at most: what is finer is rounded off, and
// told by Round. A ball then is round to a hundred and fiftieth of its radius.
const hullMost = 320

// NewConvex is the hull of points (Barber, Dobkin and Huhdanpaa, The Quickhull
// Algorithm for Convex Hulls, 1996), that which lies farthest out taken first. It holds
// all of them: what it leaves out, for there is a bound on its points and what lies
// beyond it by less than a ten thousandth of its size is not taken, its Round covers.
func NewConvex(points []geom.V) *Convex {
	box := geom.Empty()
	for _, p := range points {
		box = box.Add(p)
	}
	c := hullOf(points, box.Size().Len(), hullMost)
	for _, p := range points {
		c.Round = max(c.Round, c.beyond(p))
	}
	c.Box = box
	return c
}

// beyond is how far p lies outside of the hull: exact over its faces, a little less
// beyond its edges.
func (c *Convex) beyond(p geom.V) float64 {
	most := 0.0
	for i := range c.Faces {
		most = max(most, c.Faces[i].N.Dot(p)-c.Faces[i].D)
	}
	return most
}

// hullOf is the hull of points, size across, of no more than most of them, without Round
// and Box.
func hullOf(points []geom.V, size float64, most int) *Convex {
	first, ok := corners(points, 1e-7*size)
	if !ok {
		return thin(points, first, 1e-7*size)
	}
	h := &hull{points: points, eps: 1e-7 * size}
	h.begin(first)
	for range most - len(first) {
		at, far := -1, 1e-4*size
		for i := range h.sides {
			if s := &h.sides[i]; !s.dead && s.far > far {
				at, far = i, s.far
			}
		}
		if at < 0 {
			break
		}
		h.grow(int32(at))
	}
	return h.solid()
}

type hull struct {
	points []geom.V
	eps    float64
	sides  []side
}

// corners are up to four points that lie far apart; false when all lie in a plane, on
// a line or in a point: then only so many of them are of use.
func corners(p []geom.V, eps float64) (first []int32, ok bool) {
	if len(p) == 0 {
		return nil, false
	}
	far := func(how func(geom.V) float64) (int32, float64) {
		at, most := 0, -1.0
		for i := range p {
			if d := how(p[i]); d > most {
				at, most = i, d
			}
		}
		return int32(at), most
	}
	a, _ := far(func(q geom.V) float64 { return q.Sub(p[0]).Len() })
	b, d := far(func(q geom.V) float64 { return q.Sub(p[a]).Len() })
	if d <= eps {
		return []int32{a}, false
	}
	u := p[b].Sub(p[a]).Unit()
	c, d := far(func(q geom.V) float64 { return q.Sub(p[a]).Cross(u).Len() })
	if d <= eps {
		return []int32{a, b}, false
	}
	n := p[b].Sub(p[a]).Cross(p[c].Sub(p[a])).Unit()
	e, d := far(func(q geom.V) float64 { return math.Abs(q.Sub(p[a]).Dot(n)) })
	if d <= eps {
		return []int32{a, b, c}, false
	}
	if p[e].Sub(p[a]).Dot(n) > 0 {
		b, c = c, b
	}
	return []int32{a, b, c, e}, true
}

// thin is what lies in a plane, on a line or in a point.
func thin(points []geom.V, first []int32, eps float64) *Convex {
	c := &Convex{}
	if len(first) < 3 {
		for _, i := range first {
			c.Points = append(c.Points, points[i])
		}
		return c
	}
	a := points[first[0]]
	n := points[first[1]].Sub(a).Cross(points[first[2]].Sub(a)).Unit()
	loop := ring(points, nil, n, eps)
	for _, i := range loop {
		c.Points = append(c.Points, points[i])
	}
	up, down := Face{N: n, D: n.Dot(a)}, Face{N: n.Mul(-1), D: -n.Dot(a)}
	for i := range c.Points {
		up.Loop, down.Loop = append(up.Loop, int32(i)), append(down.Loop, int32(len(c.Points)-1-i))
	}
	c.Faces = []Face{up, down}
	return c
}

// ring is the outline of those points that which names, all for nil, as seen against
// n: their numbers in order, turning about n (Andrew's chain, as Hull).
func ring(points []geom.V, which []int32, n geom.V, eps float64) []int32 {
	if which == nil {
		for i := range points {
			which = append(which, int32(i))
		}
	}
	t, b := geom.Frame(n)
	if t.Cross(b).Dot(n) < 0 {
		t, b = b, t
	}
	x := func(i int32) float64 { return points[i].Dot(t) }
	y := func(i int32) float64 { return points[i].Dot(b) }
	list := slices.Clone(which)
	slices.SortFunc(list, func(i, j int32) int {
		switch {
		case x(i) != x(j):
			return int(math.Copysign(1, x(i)-x(j)))
		case y(i) != y(j):
			return int(math.Copysign(1, y(i)-y(j)))
		}
		return int(i) - int(j)
	})
	half := func(list []int32) (h []int32) {
		for _, k := range list {
			for len(h) > 1 {
				p, q := h[len(h)-2], h[len(h)-1]
				ux, uy, vx, vy := x(q)-x(p), y(q)-y(p), x(k)-x(q), y(k)-y(q)
				if ux*vy-uy*vx > eps*math.Hypot(vx, vy) {
					break
				}
				h = h[:len(h)-1]
			}
			h = append(h, k)
		}
		return h[:len(h)-1]
	}
	if len(list) < 3 {
		return list
	}
	lower := half(list)
	slices.Reverse(list)
	return append(lower, half(list)...)
}

func (h *hull) side(a, b, c int32) side {
	s := side{at: [3]int32{a, b, c}}
	s.n = h.points[b].Sub(h.points[a]).Cross(h.points[c].Sub(h.points[a])).Unit()
	s.d = s.n.Dot(h.points[a])
	return s
}

// begin makes the tetrahedron of four corners, the last of which lies below the others.
func (h *hull) begin(f []int32) {
	a, b, c, d := f[0], f[1], f[2], f[3]
	h.sides = []side{h.side(a, b, c), h.side(a, d, b), h.side(b, d, c), h.side(c, d, a)}
	h.sides[0].next = [3]int32{1, 2, 3}
	h.sides[1].next = [3]int32{3, 2, 0}
	h.sides[2].next = [3]int32{1, 3, 0}
	h.sides[3].next = [3]int32{2, 1, 0}
	all := make([]int32, len(h.points))
	for i := range all {
		all[i] = int32(i)
	}
	h.give(all, []int32{0, 1, 2, 3})
}

// give hands points to the sides above which they lie highest; what lies above none is
// within.
func (h *hull) give(points, sides []int32) {
	for _, p := range points {
		var on *side
		most := h.eps
		for _, k := range sides {
			s := &h.sides[k]
			if d := s.n.Dot(h.points[p]) - s.d; d > most {
				on, most = s, d
			}
		}
		if on == nil {
			continue
		}
		if on.out = append(on.out, p); most > on.far {
			on.far = most
			last := len(on.out) - 1
			on.out[0], on.out[last] = on.out[last], on.out[0]
		}
	}
}

// grow takes in the point farthest above a side. Where rounding leaves no clean edge
// about what it sees, it is left out, and what else lies above that side.
func (h *hull) grow(from int32) {
	s := &h.sides[from]
	p := s.out[0]
	s.out, s.far = s.out[1:], 0 // where it is left out, so are the others here
	eye := h.points[p]

	seen := []int32{from}
	visible := map[int32]bool{from: true}
	type edge struct{ a, b, beyond int32 }
	var rim []edge
	for i := 0; i < len(seen); i++ {
		t := &h.sides[seen[i]]
		for k, n := range t.next {
			if visible[n] {
				continue
			}
			if o := &h.sides[n]; o.n.Dot(eye)-o.d > h.eps {
				visible[n] = true
				seen = append(seen, n)
				continue
			}
			rim = append(rim, edge{t.at[k], t.at[(k+1)%3], n})
		}
	}
	// What was found unseen may have been seen from another side later: only that which
	// stayed unseen bounds it.
	rim = slices.DeleteFunc(rim, func(e edge) bool { return visible[e.beyond] })
	starts := make(map[int32]int32, len(rim))
	first := int32(len(h.sides))
	for i, e := range rim {
		starts[e.a] = first + int32(i)
	}
	if len(starts) != len(rim) || len(rim) < 3 {
		return
	}
	for _, e := range rim {
		if _, ok := starts[e.b]; !ok {
			return
		}
	}
	made := make([]int32, len(rim))
	for i, e := range rim {
		n := h.side(e.a, e.b, p)
		n.next = [3]int32{e.beyond, starts[e.b], 0}
		h.sides = append(h.sides, n)
		made[i] = first + int32(i)
		o := &h.sides[e.beyond]
		for k := range 3 {
			if o.at[k] == e.b && o.at[(k+1)%3] == e.a {
				o.next[k] = made[i]
			}
		}
	}
	for i, e := range rim {
		h.sides[starts[e.b]].next[2] = made[i]
	}
	for _, k := range seen {
		t := &h.sides[k]
		t.dead = true
		h.give(t.out, made)
		t.out = nil
	}
}

// solid puts triangles of one plane together.
func (h *hull) solid() *Convex {
	c := &Convex{}
	number := map[int32]int32{}
	name := func(i int32) int32 {
		n, ok := number[i]
		if !ok {
			n = int32(len(c.Points))
			number[i] = n
			c.Points = append(c.Points, h.points[i])
		}
		return n
	}
	done := make([]bool, len(h.sides))
	for i := range h.sides {
		if done[i] || h.sides[i].dead {
			continue
		}
		done[i] = true
		base := &h.sides[i]
		flat := []int32{int32(i)}
		var corner []int32
		for k := 0; k < len(flat); k++ {
			t := &h.sides[flat[k]]
			for _, v := range t.at {
				if !slices.Contains(corner, v) {
					corner = append(corner, v)
				}
			}
			for _, n := range t.next {
				if o := &h.sides[n]; !done[n] && o.n.Dot(base.n) > 1-1e-7 {
					done[n] = true
					flat = append(flat, n)
				}
			}
		}
		f := Face{N: base.n, D: base.d}
		for _, v := range ring(h.points, corner, base.n, h.eps) {
			f.Loop = append(f.Loop, name(v))
			f.D = max(f.D, base.n.Dot(h.points[v]))
		}
		if len(f.Loop) > 2 {
			c.Faces = append(c.Faces, f)
		}
	}
	return c
}
