package contact

import (
	"math"

	"visator/core/geom"
)

// node is a box of a tree: a leaf has count triangles (of a herd: copies) from first on,
// another its two children at first and first+1.
type node struct {
	lo, hi       [3]float32
	first, count int32
}

// leafSize is how many triangles a leaf has at most.
const leafSize = 8

// tree keeps the triangles of a body and the boxes about them in a third of the bytes that they
// take as they are used: a set has hundreds of bodies, and all of them are kept.
type tree struct {
	base, cell [3]float64 // a corner of a box is base + its steps * cell
	nodes      []packed
	small      [][3]uint16 // the corners of the triangles where so many numbers do,
	large      [][3]uint32 // or else here
}

// packed is a node: its box in steps between the ends of the body's, outwards; at is count of a leaf in
// its highest four bits, and first.
type packed struct {
	side [2][3]uint16 // the lower and the upper corner
	at   uint32
}

const (
	steps      = math.MaxUint16
	countShift = 28
	// maxTriangles is how many triangles a body has at most: first has so many bits. A mesh of so many takes
	// 10 GB to read, more than intake lets through.
	maxTriangles = 1 << countShift
)

// newTree is an empty tree over a box; its triangles have corners below count.
func newTree(box geom.Box, triangles [][3]uint32, count int) tree {
	leaves := 1 // at the depth where every range is a leaf
	for (len(triangles)+leaves-1)/leaves > leafSize {
		leaves *= 2
	}
	t := tree{nodes: make([]packed, 1, 2*leaves-1)}
	for k := range 3 {
		t.base[k], t.cell[k] = box.Min.At(k), (box.Max.At(k)-box.Min.At(k))/steps
		if t.cell[k] == 0 { // flat: all lies at step 0
			t.cell[k] = 1
		}
	}
	if count > math.MaxUint16 {
		t.large = triangles
		return t
	}
	t.small = make([][3]uint16, len(triangles))
	for i, tri := range triangles {
		t.small[i] = [3]uint16{uint16(tri[0]), uint16(tri[1]), uint16(tri[2])}
	}
	return t
}

// count is how many triangles there are.
func (t *tree) count() int { return len(t.small) + len(t.large) }

// triangle is the numbers of the corners of a triangle.
func (t *tree) triangle(i int32) [3]uint32 {
	if t.small == nil {
		return t.large[i]
	}
	s := t.small[i]
	return [3]uint32{uint32(s[0]), uint32(s[1]), uint32(s[2])}
}

// node is a node as it is used.
func (t *tree) node(i int32) (n node) {
	p := &t.nodes[i]
	for k := range 3 {
		n.lo[k], n.hi[k] = t.place(k, p.side[0][k]), t.place(k, p.side[1][k])
	}
	n.first, n.count = t.run(i)
	return n
}

// stepped is a ray in the steps of a tree: ways along it are what they were.
type stepped struct {
	o, inv [3]float64
	near   [3]int // which of a node's sides it comes to first along each axis
}

// ray is the ray from o, with inv one over its direction, in steps.
func (t *tree) ray(o, inv geom.V) (r stepped) {
	r.o = [3]float64{(o.X - t.base[0]) / t.cell[0], (o.Y - t.base[1]) / t.cell[1], (o.Z - t.base[2]) / t.cell[2]}
	r.inv = [3]float64{inv.X * t.cell[0], inv.Y * t.cell[1], inv.Z * t.cell[2]}
	for k, x := range r.inv {
		if x < 0 {
			r.near[k] = 1
		}
	}
	return r
}

// enter is where a ray enters a node, as geom.Box.Enter.
func (t *tree) enter(i int32, r *stepped) float64 {
	p := &t.nodes[i]
	near, far := 0.0, math.Inf(1)
	for k := range 3 {
		// Within a face 0·Inf is not a number, and compares as false: it passes.
		if at := (float64(p.side[r.near[k]&1][k]) - r.o[k]) * r.inv[k]; at > near {
			near = at
		}
		if at := (float64(p.side[r.near[k]&1^1][k]) - r.o[k]) * r.inv[k]; at < far {
			far = at
		}
	}
	if near > far*(1+1e-7)+1e-9 {
		return math.Inf(1)
	}
	return near
}

// run is the triangles of a leaf, from first on; none of another node, whose children are first and first+1.
func (t *tree) run(i int32) (first, count int32) {
	at := t.nodes[i].at
	return int32(at & (1<<countShift - 1)), int32(at >> countShift)
}

// set keeps a node, whose box becomes up to a step larger on each side.
func (t *tree) set(i int, n *node) {
	p := packed{at: uint32(n.first) | uint32(n.count)<<countShift}
	for k := range 3 {
		p.side[0][k], p.side[1][k] = t.below(k, n.lo[k]), t.above(k, n.hi[k])
	}
	t.nodes[i] = p
}

// place is where a step lies along an axis.
func (t *tree) place(k int, step uint16) float32 { return float32(t.base[k] + float64(step)*t.cell[k]) }

// below is the last step that is not beyond x, above the first that is not below it: both as node reads them.
func (t *tree) below(k int, x float32) uint16 {
	s := min(max((float64(x)-t.base[k])/t.cell[k], 0), steps)
	q := uint16(s)
	for q > 0 && t.place(k, q) > x {
		q--
	}
	return q
}

func (t *tree) above(k int, x float32) uint16 {
	s := min(max((float64(x)-t.base[k])/t.cell[k], 0), steps)
	q := uint16(s)
	for q < steps && t.place(k, q) < x {
		q++
	}
	return q
}
