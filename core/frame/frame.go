// Package frame is what a camera sees of a set: what fills the picture, what
// hides what, which clipping range it takes, and what flickers. Lengths are
// metres, shares of the picture 0..1.
package frame

import (
	"math"
	"runtime"
	"slices"
	"sync/atomic"

	"visator/core/contact"
	"visator/core/crew"
	"visator/core/geom"
	"visator/core/optics"
)

// Thing is something that stands in a set. Several may have one ID: what a row
// lays is told as one.
type Thing struct {
	ID, Name string
	Body     *contact.Placed
	Land     bool // ground, floor, water: it has no shape of its own in a picture
	Figure   bool // a person, or what stands for one
	Rides    bool // it moves over the shot
}

// Scene is things with a tree over their boxes. It does not change.
type Scene struct {
	Things []Thing
	nodes  []node
	order  []int32 // things as the leaves have them
	riders []int   // things that are not in the tree
	center []geom.V
	radius []float64
}

// node is a box of the tree over things: a leaf has count of order from first
// on, another two children at first and first+1.
type node struct {
	box          geom.Box
	first, count int32
}

const leafSize = 2

// NewScene makes the tree; things without a body are left out of it.
func NewScene(things []Thing) *Scene {
	s := &Scene{Things: things, center: make([]geom.V, len(things)), radius: make([]float64, len(things))}
	for i := range things {
		t := &things[i]
		if t.Body == nil {
			s.radius[i] = -1
			continue
		}
		s.round(i)
		if t.Rides {
			s.riders = append(s.riders, i)
			continue
		}
		s.order = append(s.order, int32(i))
	}
	if len(s.order) > 0 {
		s.plant()
	}
	return s
}

// round keeps the sphere about a thing.
func (s *Scene) round(i int) {
	b := s.Things[i].Body.Box
	s.center[i], s.radius[i] = b.Center(), b.Size().Len()/2
}

// Posed is the scene with what rides moved: by says how.
func (s *Scene) Posed(by func(id string) (geom.M, bool)) *Scene {
	if len(s.riders) == 0 {
		return s
	}
	out := *s
	out.Things = slices.Clone(s.Things)
	out.center, out.radius = slices.Clone(s.center), slices.Clone(s.radius)
	for _, i := range s.riders {
		if m, ok := by(s.Things[i].ID); ok {
			out.Things[i].Body = s.Things[i].Body.Under(m)
			out.round(i)
		}
	}
	return &out
}

// plant makes the tree: both halves at the same time.
func (s *Scene) plant() {
	n := len(s.order)
	if n < 256 {
		s.nodes = make([]node, 1, 2*n)
		s.halve(&s.nodes, 0, 0, n)
		return
	}
	box, mid := s.part(0, n)
	var g crew.Group
	var halves [2][]node
	for k, run := range [2][2]int{{0, mid}, {mid, n}} {
		g.Go(func() {
			list := make([]node, 1, 2*(run[1]-run[0]))
			s.halve(&list, 0, run[0], run[1])
			halves[k] = list
		})
	}
	g.Wait()
	// The roots of the halves come first, side by side, then what is below each.
	s.nodes = append(make([]node, 0, 1+len(halves[0])+len(halves[1])), node{box, 1, 0}, halves[0][0], halves[1][0])
	for k, list := range halves {
		shift := int32(len(s.nodes) - 1) // of what was numbered from 1
		s.nodes = append(s.nodes, list[1:]...)
		root := &s.nodes[1+k]
		if root.count == 0 {
			root.first += shift
		}
		for i := range s.nodes[len(s.nodes)-len(list)+1:] {
			if m := &s.nodes[len(s.nodes)-len(list)+1+i]; m.count == 0 {
				m.first += shift
			}
		}
	}
}

// halve makes the node at of the things from..to, and all below it: it cuts where
// a ray has the least to do (the surface area heuristic in bins, I. Wald, On fast
// Construction of SAH-based Bounding Volume Hierarchies, 2007).
func (s *Scene) halve(nodes *[]node, at, from, to int) {
	box, mid := s.part(from, to)
	if mid == from {
		(*nodes)[at] = node{box, int32(from), int32(to - from)}
		return
	}
	first := len(*nodes)
	*nodes = append(*nodes, node{}, node{})
	(*nodes)[at] = node{box, int32(first), 0}
	s.halve(nodes, first, from, mid)
	s.halve(nodes, first+1, mid, to)
}

// part puts the things from..to into two parts, and says where the second begins;
// from where they are few enough for a leaf.
func (s *Scene) part(from, to int) (box geom.Box, mid int) {
	box = geom.Empty()
	mids := geom.Empty()
	for _, i := range s.order[from:to] {
		box = box.Union(s.Things[i].Body.Box)
		mids = mids.Add(s.center[i])
	}
	if to-from <= leafSize {
		return box, from
	}
	// Along the longest side: all three are worth less than they take.
	size := mids.Size()
	axis := 0
	for k := range 3 {
		if size.At(k) > size.At(axis) {
			axis = k
		}
	}
	mid = (from + to) / 2
	if !(size.At(axis) > 1e-9) {
		return box, mid
	}
	bin := func(i int32) int {
		return min(int(bins*(s.center[i].At(axis)-mids.Min.At(axis))/size.At(axis)), bins-1)
	}
	cut := bins/2 - 1 // of few things the middle does
	if to-from > 32 {
		cut = s.cheapest(from, to, bin)
	}
	list := s.order[from:to]
	n := 0
	for i := range list {
		if bin(list[i]) <= cut {
			list[n], list[i] = list[i], list[n]
			n++
		}
	}
	if n > 0 && n < to-from {
		mid = from + n
	}
	return box, mid
}

// bins is how many places are looked at where things could be parted.
const bins = 12

// cheapest is the last bin of the first part, where both parts together are entered by the fewest rays
// (Wald, On fast Construction of SAH-based Bounding Volume Hierarchies, 2007).
func (s *Scene) cheapest(from, to int, bin func(i int32) int) (cut int) {
	var count [bins]int
	var boxes [bins]geom.Box
	for i := range boxes {
		boxes[i] = geom.Empty()
	}
	for _, i := range s.order[from:to] {
		n := bin(i)
		count[n]++
		boxes[n] = boxes[n].Union(s.Things[i].Body.Box)
	}
	var right [bins]float64
	all, n := geom.Empty(), 0
	for i := bins - 1; i > 0; i-- {
		all, n = all.Union(boxes[i]), n+count[i]
		right[i] = float64(n) * skin(all)
	}
	all, n = geom.Empty(), 0
	least := math.Inf(1)
	for i := range bins - 1 {
		all, n = all.Union(boxes[i]), n+count[i]
		if cost := float64(n)*skin(all) + right[i+1]; n > 0 && n < to-from && cost < least {
			least, cut = cost, i
		}
	}
	return cut
}

// skin is half the surface of a box; 0 of an empty one.
func skin(b geom.Box) float64 {
	if b.IsEmpty() {
		return 0
	}
	d := b.Size()
	return d.X*d.Y + d.Y*d.Z + d.Z*d.X
}

// Hit is where a ray meets the scene.
type Hit struct {
	Thing  int
	T      float64 // in lengths of the ray's direction
	Normal geom.V
}

// Ray is the nearest thing that the ray from o along d meets between lo and hi,
// other than those that skip names; ok is false when there is none.
func (s *Scene) Ray(o, d geom.V, lo, hi float64, skip func(thing int) bool) (h Hit, ok bool) {
	from := o
	if lo != 0 {
		from = o.Add(d.Mul(lo))
	}
	h.T = min(hi-lo, math.MaxFloat64) // finite, so that what is passed by lies beyond it
	try := func(i int) {
		if skip != nil && skip(i) {
			return
		}
		if t, n, met := s.Things[i].Body.Meet(from, d, h.T); met {
			h, ok = Hit{i, t, n}, true
		}
	}
	for _, i := range s.riders {
		try(i)
	}
	if len(s.nodes) > 0 {
		inv := geom.V{X: 1 / d.X, Y: 1 / d.Y, Z: 1 / d.Z}
		var room [64]entry
		stack := append(room[:0], entry{0, enter(&s.nodes[0].box, from, inv)})
		for len(stack) > 0 {
			e := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			if e.t > h.T {
				continue
			}
			n := &s.nodes[e.node]
			if n.count > 0 {
				for _, i := range s.order[n.first : n.first+n.count] {
					if enter(&s.Things[i].Body.Box, from, inv) <= h.T {
						try(int(i))
					}
				}
				continue
			}
			a, b := entry{n.first, enter(&s.nodes[n.first].box, from, inv)},
				entry{n.first + 1, enter(&s.nodes[n.first+1].box, from, inv)}
			if a.t < b.t { // the nearer one comes off the stack first
				a, b = b, a
			}
			if a.t <= h.T {
				stack = append(stack, a)
			}
			if b.t <= h.T {
				stack = append(stack, b)
			}
		}
	}
	h.T += lo
	return h, ok
}

// entry is a box that a ray enters after t lengths.
type entry struct {
	node int32
	t    float64
}

// enter is where a ray from o enters a box, 0 from inside; +Inf where it passes
// it. inv is one over the ray's direction.
func enter(b *geom.Box, o, inv geom.V) float64 { return b.Enter(o, inv, 1e-9, 1e-12) }

// Picture is what a view sees, on a grid of rays.
type Picture struct {
	W, H   int
	Thing  []int32   // by place, rows from the top; -1: the sky
	Depth  []float64 // metres along the axis; +Inf: the sky
	Normal []geom.V
}

// Draw looks at the scene on a grid of w x h rays. What the view's planes cut
// is drawn too; cut things that its shot does without are not.
func (s *Scene) Draw(v *optics.View, w, h int) *Picture {
	p := &Picture{W: w, H: h, Thing: make([]int32, w*h), Depth: make([]float64, w*h), Normal: make([]geom.V, w*h)}
	skip := s.cutBy(v)
	rows(h, func(y int) {
		for x := range w {
			k := y*w + x
			d := v.Ray((float64(x)+0.5)/float64(w), (float64(y)+0.5)/float64(h))
			p.Thing[k], p.Depth[k] = -1, math.Inf(1)
			if hit, ok := s.Ray(v.Eye, d, 0, math.Inf(1), skip); ok {
				p.Thing[k], p.Depth[k], p.Normal[k] = int32(hit.Thing), hit.T, hit.Normal
			}
		}
	})
	return p
}

// cutBy says which things a view does without; nil: none.
func (s *Scene) cutBy(v *optics.View) func(thing int) bool {
	if len(v.CutWalls) == 0 {
		return nil
	}
	cut := make([]bool, len(s.Things))
	for i := range s.Things {
		cut[i] = v.Cut(s.Things[i].ID)
	}
	return func(i int) bool { return cut[i] }
}

// rows does n things on all processors.
func rows(n int, do func(i int)) {
	var next atomic.Int64
	var g crew.Group
	for range min(runtime.GOMAXPROCS(0), n) {
		g.Go(func() {
			for {
				i := int(next.Add(1)) - 1
				if i >= n {
					return
				}
				do(i)
			}
		})
	}
	g.Wait()
}
