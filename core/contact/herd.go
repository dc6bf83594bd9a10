package contact

import (
	"math"

	"visator/core/crew"
	"visator/core/geom"
)

// Copy is a body that stands many times: moved, turned and scaled alike in all
// directions.
type Copy struct {
	Body  *Body
	At    geom.V
	Turn  geom.Q
	Scale float64
}

// World is the transform of a copy.
func (c *Copy) World() geom.M {
	return geom.Compose(c.At, c.Turn, geom.V{X: c.Scale, Y: c.Scale, Z: c.Scale})
}

// Herd is many copies of a few bodies with a tree over their boxes: a million of them
// take some 36 bytes each here. It does not change once it is made.
type Herd struct {
	Box   geom.Box
	Count int // copies with a body

	at    func(i int32) Copy
	order []int32 // copies as the leaves have them
	about []bound // about each of them
	nodes []node
}

// bound is a sphere about a copy, its middle and its radius, a little wider than it is:
// what most rays need to know of a copy, side by side with its neighbours.
type bound [4]float32

// bound is the sphere about a copy.
func (c *Copy) bound() bound {
	mid := c.At.Add(spin(c.Turn.Unit(), c.Body.about.mid).Mul(c.Scale))
	b := bound{float32(mid.X), float32(mid.Y), float32(mid.Z)}
	// Wider by what rounding may have moved it: half of the last of 24 bits, on each axis.
	moved := max(math.Abs(mid.X), math.Abs(mid.Y), math.Abs(mid.Z)) * 0x1p-23
	b[3] = math.Nextafter32(float32(c.Body.about.radius*c.Scale+moved), math.MaxFloat32)
	return b
}

// met says whether a ray from o along d, which is dd long by itself, comes near enough
// to meet what lies within. It reckons in 64 bits: far away the squares nearly cancel.
func (b *bound) met(o, d geom.V, dd float64) bool {
	to := geom.V{X: float64(b[0]) - o.X, Y: float64(b[1]) - o.Y, Z: float64(b[2]) - o.Z}
	along, r := to.Dot(d), float64(b[3])
	apart := to.Dot(to)
	return apart*dd-along*along <= r*r*dd && (along >= 0 || apart <= r*r)
}

// herdLeaf is how many copies a leaf of a herd has at most.
const herdLeaf = 2

// NewHerd makes the tree over n copies, which at tells, always the same; those without
// a body, or that are flat, are left out. nil when none is left.
func NewHerd(n int, at func(i int32) Copy) *Herd {
	h := &Herd{Box: geom.Empty(), at: at}
	boxes := make([]geom.Box, n) // let go of after the tree is made
	for i := range n {
		c := at(int32(i))
		if c.Body == nil || !(c.Scale > 0) || !c.At.Finite() {
			continue
		}
		world := c.World()
		boxes[i] = c.Body.Box.Apply(world)
		h.Box = h.Box.Union(boxes[i])
		h.order = append(h.order, int32(i))
	}
	if h.Count = len(h.order); h.Count == 0 {
		return nil
	}
	h.about = make([]bound, h.Count)
	if h.Count < 10_000 {
		h.nodes = make([]node, 1, h.Count)
		h.halve(boxes, &h.nodes, 0, 0, h.Count)
		return h
	}
	// Both halves at the same time; their roots come first, then what is below each.
	mid := h.cut(boxes, 0, h.Count)
	var g crew.Group
	var halves [2][]node
	for k, run := range [2][2]int{{0, mid}, {mid, h.Count}} {
		g.Go(func() {
			list := make([]node, 1, run[1]-run[0])
			h.halve(boxes, &list, 0, run[0], run[1])
			halves[k] = list
		})
	}
	g.Wait()
	h.nodes = append(make([]node, 0, 1+len(halves[0])+len(halves[1])), above(&halves[0][0], &halves[1][0], 1),
		halves[0][0], halves[1][0])
	for k, list := range halves {
		shift := int32(len(h.nodes) - 1) // of what was numbered from 1
		from := len(h.nodes)
		h.nodes = append(h.nodes, list[1:]...)
		for i := from; i < len(h.nodes); i++ {
			if h.nodes[i].count == 0 {
				h.nodes[i].first += shift
			}
		}
		if root := &h.nodes[1+k]; root.count == 0 {
			root.first += shift
		}
	}
	return h
}

// above is the node over two that stand side by side from first on.
func above(l, r *node, first int32) node {
	m := node{first: first}
	for k := range 3 {
		m.lo[k], m.hi[k] = min(l.lo[k], r.lo[k]), max(l.hi[k], r.hi[k])
	}
	return m
}

// halve makes the node at of the copies from..to in their order, and all below it.
func (h *Herd) halve(boxes []geom.Box, nodes *[]node, at, from, to int) {
	if to-from <= herdLeaf {
		box := geom.Empty()
		for k, i := range h.order[from:to] {
			c := h.at(i)
			box, h.about[from+k] = box.Union(boxes[i]), c.bound()
		}
		(*nodes)[at] = node{lo: rounded(box.Min, -1), hi: rounded(box.Max, 1), first: int32(from),
			count: int32(to - from)}
		return
	}
	mid := h.cut(boxes, from, to)
	first := len(*nodes)
	*nodes = append(*nodes, node{}, node{})
	h.halve(boxes, nodes, first, from, mid)
	h.halve(boxes, nodes, first+1, mid, to)
	(*nodes)[at] = above(&(*nodes)[first], &(*nodes)[first+1], int32(first))
}

// cut puts the copies from..to into two parts, and says where the second begins: through
// the middle of the longest side of where they stand, or where that leaves nearly all on
// one side, as many on both.
func (h *Herd) cut(boxes []geom.Box, from, to int) int {
	list := h.order[from:to]
	mids := geom.Empty()
	for _, i := range list {
		mids = mids.Add(boxes[i].Center())
	}
	axis, size := 0, mids.Size()
	for k := range 3 {
		if size.At(k) > size.At(axis) {
			axis = k
		}
	}
	place := func(i int32) float64 { return boxes[i].Min.At(axis) + boxes[i].Max.At(axis) }
	middle, n := mids.Min.At(axis)+mids.Max.At(axis), 0
	for k, i := range list {
		if place(i) < middle {
			list[n], list[k] = i, list[n]
			n++
		}
	}
	if few := len(list) / 16; n < few || n > len(list)-few || n == 0 || n == len(list) {
		n = len(list) / 2
		part(list, n, func(a, b int32) bool { return place(a) < place(b) || place(a) == place(b) && a < b })
	}
	return from + n
}

// part brings what comes first by less into list[:n], in any order (Hoare, Algorithm
// 65: Find, 1961, with the middle of three as the pivot).
func part(list []int32, n int, less func(a, b int32) bool) {
	lo, hi := 0, len(list)-1
	for lo < hi {
		a, b, c := list[lo], list[(lo+hi)/2], list[hi]
		if less(b, a) {
			a, b = b, a
		}
		if less(c, b) {
			if b = c; less(b, a) {
				b = a
			}
		}
		i, j := lo, hi
		for i <= j {
			for less(list[i], b) {
				i++
			}
			for less(b, list[j]) {
				j--
			}
			if i <= j {
				list[i], list[j] = list[j], list[i]
				i++
				j--
			}
		}
		switch {
		case n <= j:
			hi = j
		case n >= i:
			lo = i
		default:
			return
		}
	}
}

// rounded is a corner of a box in 32 bits, rounded outwards.
func rounded(v geom.V, way float64) (out [3]float32) {
	for k := range out {
		x := float32(v.At(k))
		if (float64(x)-v.At(k))*way < 0 {
			x = math.Nextafter32(x, float32(math.Inf(int(way))))
		}
		out[k] = x
	}
	return out
}

// Stand stands a herd in the set: as one thing, that is looked at and not moved
// against others.
func (h *Herd) Stand(world geom.M) *Placed {
	if h == nil {
		return nil
	}
	inv, ok := world.Affine()
	if !ok || !world.Finite() {
		return nil
	}
	return &Placed{Body: &Body{Box: h.Box, Center: h.Box.Center()}, World: world, inv: inv, Box: h.Box.Apply(world),
		herd: h}
}

// Copies is how many bodies stand there as one.
func (p *Placed) Copies() int {
	if p.herd != nil {
		return p.herd.Count
	}
	return 1
}

// Each visits every body that stands there as one, with a looser box, until visit is
// false.
func (p *Placed) Each(visit func(*Placed) bool) {
	if p.herd == nil {
		visit(p)
		return
	}
	for _, i := range p.herd.order {
		c := p.herd.at(i)
		if q := Stand(c.Body, p.World.Mul(c.World())); q != nil && !visit(q) {
			return
		}
	}
}

// Under is what stands there, with all of it moved by m.
func (p *Placed) Under(m geom.M) *Placed {
	if p.herd != nil {
		return p.herd.Stand(m.Mul(p.World))
	}
	return Stand(p.Body, m.Mul(p.World))
}

// sphere is about all of a body.
type sphere struct {
	mid    geom.V
	radius float64
}

// spin turns v by q, of length one.
func spin(q geom.Q, v geom.V) geom.V {
	u := geom.V{X: q.X, Y: q.Y, Z: q.Z}
	t := u.Cross(v).Mul(2)
	return v.Add(t.Mul(q.W)).Add(u.Cross(t))
}

// spot is a node of a herd that a ray enters after t lengths.
type spot struct {
	node int32
	t    float64
}

// meet is the nearest place where a ray of the herd's own space meets a copy.
func (h *Herd) meet(o, d geom.V, limit float64) (t float64, normal geom.V, ok bool) {
	inv := geom.V{X: 1 / d.X, Y: 1 / d.Y, Z: 1 / d.Z}
	t = min(limit, math.MaxFloat64) // finite, so that what is passed by lies beyond it
	dd := d.Dot(d)
	var room [64]spot
	stack := append(room[:0], spot{0, h.nodes[0].enter(o, inv)})
	for len(stack) > 0 {
		e := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if e.t > t {
			continue
		}
		n := &h.nodes[e.node]
		if n.count > 0 {
			for k := n.first; k < n.first+n.count; k++ {
				if !h.about[k].met(o, d, dd) {
					continue
				}
				c := h.at(h.order[k])
				// Turned and scaled alike in all directions: the way back is short.
				turn := c.Turn.Unit().Back()
				k := 1 / c.Scale
				at, m, hit := c.Body.Ray(spin(turn, o.Sub(c.At)).Mul(k), spin(turn, d).Mul(k), t)
				if hit {
					t, normal, ok = at, c.Turn.Rotate(m), true
				}
			}
			continue
		}
		a, b := spot{n.first, h.nodes[n.first].enter(o, inv)}, spot{n.first + 1, h.nodes[n.first+1].enter(o, inv)}
		if a.t < b.t { // the nearer one comes off the stack first
			a, b = b, a
		}
		if a.t <= t {
			stack = append(stack, a)
		}
		if b.t <= t {
			stack = append(stack, b)
		}
	}
	return t, normal, ok
}

// enter is where a ray from o enters the node's box, 0 from inside; +Inf where it
// passes it. inv is one over its direction.
func (n *node) enter(o, inv geom.V) float64 {
	b := n.box()
	return b.Enter(o, inv, 1e-7, 1e-9)
}

func (n *node) box() geom.Box {
	return geom.Box{Min: geom.V{X: float64(n.lo[0]), Y: float64(n.lo[1]), Z: float64(n.lo[2])},
		Max: geom.V{X: float64(n.hi[0]), Y: float64(n.hi[1]), Z: float64(n.hi[2])}}
}

// reach is Reach of a herd; m brings its own space to where skip and each look. Of two
// branches the one that lies farther along toward is visited first.
func (h *Herd) reach(m geom.M, toward geom.V, skip func(c, h geom.V) bool, each func(tri [3]geom.V)) {
	// Along toward, as seen from the herd's own space.
	way := geom.V{X: m.Dir(geom.V{X: 1}).Dot(toward), Y: m.Dir(geom.V{Y: 1}).Dot(toward),
		Z: m.Dir(geom.V{Z: 1}).Dot(toward)}
	var room [64]int32
	stack := append(room[:0], 0)
	for len(stack) > 0 {
		n := &h.nodes[stack[len(stack)-1]]
		stack = stack[:len(stack)-1]
		b := n.under(&m)
		if skip(b.Center(), b.Size().Mul(0.5)) {
			continue
		}
		if n.count == 0 {
			x, y := n.first, n.first+1
			if p, q := &h.nodes[x], &h.nodes[y]; p.middle().Sub(q.middle()).Dot(way) > 0 {
				x, y = y, x
			}
			stack = append(stack, x, y) // the last comes off first
			continue
		}
		for _, i := range h.order[n.first : n.first+n.count] {
			c := h.at(i)
			c.Body.reach(m.Mul(c.World()), skip, each)
		}
	}
}

// Among visits the copies whose boxes have something in common with a box, in the herd's
// own space, until visit is false.
func (h *Herd) Among(box geom.Box, visit func(Copy) bool) {
	var room [64]int32
	stack := append(room[:0], 0)
	for len(stack) > 0 {
		n := &h.nodes[stack[len(stack)-1]]
		stack = stack[:len(stack)-1]
		if b := n.box(); !b.Meets(&box, 0) {
			continue
		}
		if n.count == 0 {
			stack = append(stack, n.first, n.first+1)
			continue
		}
		for _, i := range h.order[n.first : n.first+n.count] {
			c := h.at(i)
			if b := c.Body.Box.Apply(c.World()); b.Meets(&box, 0) && !visit(c) {
				return
			}
		}
	}
}

// middle is twice the middle of the node's box.
func (n *node) middle() geom.V {
	return geom.V{X: float64(n.lo[0]) + float64(n.hi[0]), Y: float64(n.lo[1]) + float64(n.hi[1]),
		Z: float64(n.lo[2]) + float64(n.hi[2])}
}

// ReachFrom is Reach that visits what lies farthest along toward first, where many
// stand as one: for who looks for what lies outermost, and skips what does not.
func (p *Placed) ReachFrom(to geom.M, toward geom.V, skip func(c, h geom.V) bool, each func(tri [3]geom.V)) {
	if p.herd == nil {
		p.Reach(to, skip, each)
		return
	}
	p.herd.reach(to.Mul(p.World), toward, skip, each)
}

// within reports whether a point of the herd's own space lies inside of a copy.
func (h *Herd) within(q geom.V) (in bool) {
	h.Among(geom.Box{Min: q, Max: q}, func(c Copy) bool {
		world := c.World()
		inv, ok := world.Affine()
		in = ok && c.Body.Inside(inv.Point(q))
		return !in
	})
	return in
}

// outer is the point of the herd, in its own space, that lies farthest along d.
func (h *Herd) outer(d geom.V) geom.V {
	far := func(n *node) (s float64) {
		for k := range 3 {
			s += max(d.At(k)*float64(n.lo[k]), d.At(k)*float64(n.hi[k]))
		}
		return s
	}
	best, at := math.Inf(-1), geom.V{}
	var room [64]int32
	stack := append(room[:0], 0)
	for len(stack) > 0 {
		n := &h.nodes[stack[len(stack)-1]]
		stack = stack[:len(stack)-1]
		if far(n) <= best {
			continue
		}
		if n.count == 0 {
			a, b := n.first, n.first+1
			if far(&h.nodes[a]) > far(&h.nodes[b]) { // the farther one comes off the stack first
				a, b = b, a
			}
			stack = append(stack, a, b)
			continue
		}
		for _, i := range h.order[n.first : n.first+n.count] {
			c := h.at(i)
			world := c.World()
			for k := range c.Body.points {
				if p := world.Point(c.Body.point(uint32(k))); p.Dot(d) > best {
					best, at = p.Dot(d), p
				}
			}
		}
	}
	return at
}
