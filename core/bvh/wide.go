package bvh

import "math"

// Node is a node of eight children, collapsed from the binary tree, laid
// out so that one instruction tests all eight boxes (Wald et al., Getting Rid
// of Packets, 2008) and two cache lines hold it: bounds are bytes on a grid
// over the node (Ylitie et al., Efficient Incoherent Ray Traversal, 2017),
// rounded outwards.
type Node struct {
	// Eight bytes, one a child, for lower X, upper X, lower Y, upper Y, lower
	// Z and upper Z; eight more so that sixteen can be read at any of them.
	grid   [56]uint8
	origin [3]float32
	scale  [3]float32
	Child  [8]uint32 // a node, or LeafBit | count<<LeafShift | first primitive
	_      [4]uint32
}

// A child is a leaf when it has the LeafBit; then it is a number of primitives and the first of
// them in the order of Build.
const (
	LeafBit   = 1 << 31
	LeafShift = 27
	LeafFirst = 1<<LeafShift - 1 // the largest number of primitives in a tree
)

// widen collapses the binary tree: a node takes in its largest inner child
// until it has eight.
func widen(t *tree) []Node {
	if len(t.nodes) == 0 {
		return nil
	}
	type slot struct {
		lo, hi [3]float32
		at, n  uint32
		area   float32
	}
	out := make([]Node, 0, len(t.nodes)/4+1)
	Huge(out)
	var build func(root uint32) uint32
	build = func(root uint32) uint32 {
		var s [8]slot
		take := func(k int, i uint32, second bool) {
			b := &t.nodes[i]
			if second {
				s[k] = slot{lo: b.lo1, hi: b.hi1, at: b.at1, n: b.n1}
			} else {
				s[k] = slot{lo: b.lo0, hi: b.hi0, at: b.at0, n: b.n0}
			}
			box := boundsOf(s[k].lo, s[k].hi)
			s[k].area = box.area()
		}
		take(0, root, false)
		take(1, root, true)
		n := 2
		if s[1].n == 0 && s[1].lo[0] == Inf {
			n = 1
		}
		for n < 8 {
			best, area := -1, float32(-1)
			for k := 0; k < n; k++ {
				if s[k].n == 0 {
					if a := s[k].area; a > area {
						best, area = k, a
					}
				}
			}
			if best < 0 {
				break
			}
			inner := s[best].at
			take(best, inner, false)
			take(n, inner, true)
			n++
		}
		me := uint32(len(out))
		out = append(out, Node{})
		all := emptyBounds()
		for k := 0; k < n; k++ {
			box := boundsOf(s[k].lo, s[k].hi)
			all.grow(&box)
		}
		low, high := all.lo(), all.hi()
		for a := 0; a < 3; a++ {
			w := &out[me]
			w.origin[a] = low[a]
			// A little more than a 255th, so that rounding leaves nothing out.
			w.scale[a] = max((high[a]-low[a])/254.9, 1e-30, 2e-7*max(high[a], -low[a]))
			for k := 0; k < 8; k++ {
				lo, hi := uint8(255), uint8(0) // turned inside out: never met
				if k < n {
					lo, hi = w.cell(a, s[k].lo[a], s[k].hi[a])
				}
				w.grid[16*a+k], w.grid[16*a+8+k] = lo, hi
			}
		}
		for k := range out[me].Child {
			switch {
			case k >= n:
				out[me].Child[k] = LeafBit // a leaf of nothing
			case s[k].n > 0:
				out[me].Child[k] = LeafBit | s[k].n<<LeafShift | s[k].at
			default:
				c := build(s[k].at)
				out[me].Child[k] = c
			}
		}
		return me
	}
	build(0)
	return out
}

// cell rounds an interval outwards to the grid of axis a.
func (w *Node) cell(a int, lo, hi float32) (uint8, uint8) {
	l, h := int((lo-w.origin[a])/w.scale[a]), int((hi-w.origin[a])/w.scale[a])+1
	l, h = min(max(l, 0), 254), min(max(h, 1), 255)
	for l > 0 && w.origin[a]+float32(l)*w.scale[a] > lo {
		l--
	}
	for h < 255 && w.origin[a]+float32(h)*w.scale[a] < hi {
		h++
	}
	return uint8(l), uint8(h)
}

// meetPortable tests the eight boxes of a node; bit k of the result says
// that the ray meets box k, and enter[k] where.
//
// Numbers from 0 on order as their bits do, and bits are compared without
// branches, which here cannot be foretold: what is less than 0 is less than
// r.Min in either order, and of the far sides it is only asked whether one is.
func (n *Node) meetPortable(r *Ray, enter *[8]float32) uint32 {
	// On the grid a box's side is met at t = q*a + b.
	a0, b0 := n.scale[0]*r.inv[0], (n.origin[0]-r.O[0])*r.inv[0]
	a1, b1 := n.scale[1]*r.inv[1], (n.origin[1]-r.O[1])*r.inv[1]
	a2, b2 := n.scale[2]*r.inv[2], (n.origin[2]-r.O[2])*r.inv[2]
	at := func(row uint8) *[8]uint8 { return (*[8]uint8)(n.grid[8*row : 8*row+8]) }
	x, y, z := at(r.near[0]), at(r.near[1]), at(r.near[2])
	for k := range enter {
		enter[k] = math.Float32frombits(uint32(max(order(steps[x[k]]*a0+b0), order(steps[y[k]]*a1+b1),
			order(steps[z[k]]*a2+b2))))
	}
	// The far side is padded by two roundings (Ize, Robust BVH Ray Traversal,
	// JCGT 2013).
	const padded = 1.0000004
	a0, b0, a1, b1, a2, b2 = a0*padded, b0*padded, a1*padded, b1*padded, a2*padded, b2*padded
	x, y, z = at(r.near[0]^1), at(r.near[1]^1), at(r.near[2]^1)
	least, most := order(r.Min), order(r.T)-1
	var mask uint32
	for k := range enter {
		leave := min(order(steps[x[k]]*a0+b0), order(steps[y[k]]*a1+b1), order(steps[z[k]]*a2+b2), most)
		from := max(order(enter[k]), least)
		enter[k] = math.Float32frombits(uint32(from))
		var met uint32
		if from <= leave {
			met = 1 << 7
		}
		mask = mask>>1 | met
	}
	return mask
}

// order is a number that orders as t does, from 0 on.
func order(t float32) int32 { return int32(math.Float32bits(t)) }

// steps are the numbers of a grid: looked up they are there sooner than converted.
var steps = func() (t [256]float32) {
	for i := range t {
		t[i] = float32(i)
	}
	return t
}()
