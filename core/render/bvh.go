package render

import (
	"math"
	"math/bits"
)

// tree is a bounding volume hierarchy over boxes: triangles in one mesh, or
// instances in the scene. It is built by binned surface area heuristic (Wald,
// On Fast Construction of SAH-based Bounding Volume Hierarchies, 2007).
type tree struct {
	nodes []treeNode
	order []uint32 // primitives in the order in which leaves hold them
}

// treeNode holds the boxes of its two children, so that one cache line
// answers both. A child with n > 0 is a leaf of n primitives from at on.
type treeNode struct {
	lo0, hi0, lo1, hi1 [3]float32
	at0, at1           uint32
	n0, n1             uint32
}

// primRef is a primitive while the tree is built.
type primRef struct {
	lo, hi [3]float32
	id     uint32
	_      uint32
}

const (
	leafSize = 4
	binCount = 16
	// stackSize bounds the traversal stack; the builder halves by count when
	// the heuristic would go deeper.
	stackSize = 96
	maxDepth  = stackSize - 34
)

type builder struct {
	refs  []primRef
	spare chan struct{} // tokens for more threads
}

type bounds32 struct{ lo, hi [3]float32 }

func emptyBounds() bounds32 {
	i := float32(math.Inf(1))
	return bounds32{[3]float32{i, i, i}, [3]float32{-i, -i, -i}}
}

func (b *bounds32) grow(lo, hi *[3]float32) {
	for k := 0; k < 3; k++ {
		if lo[k] < b.lo[k] {
			b.lo[k] = lo[k]
		}
		if hi[k] > b.hi[k] {
			b.hi[k] = hi[k]
		}
	}
}

func (b *bounds32) area() float32 {
	x, y, z := b.hi[0]-b.lo[0], b.hi[1]-b.lo[1], b.hi[2]-b.lo[2]
	if x < 0 {
		return 0
	}
	return x*y + y*z + z*x
}

// buildTree arranges refs, which it reorders, on up to threads threads. The
// tree does not depend on the number of threads.
func buildTree(refs []primRef, threads int) tree {
	if len(refs) == 0 {
		return tree{}
	}
	b := &builder{refs: refs, spare: make(chan struct{}, max(threads-1, 0))}
	all, cen := emptyBounds(), emptyBounds()
	for i := range refs {
		all.grow(&refs[i].lo, &refs[i].hi)
		cen.growCentre(&refs[i])
	}
	var nodes []treeNode
	if len(refs) <= leafSize {
		// The other child is a point at infinity, which no ray reaches. (A box
		// turned inside out would not do: the slab test puts it right.)
		never := [3]float32{inf32, inf32, inf32}
		nodes = []treeNode{{lo0: all.lo, hi0: all.hi, n0: uint32(len(refs)), lo1: never, hi1: never}}
	} else {
		nodes = b.split(0, len(refs), cen, 0, make([]treeNode, 0, len(refs)/2+1))
	}
	t := tree{nodes: nodes, order: make([]uint32, len(refs))}
	for i := range refs {
		t.order[i] = refs[i].id
	}
	return t
}

// split appends the node for refs[from:to], whose centres (doubled) lie in
// cen, and everything below it to out.
func (b *builder) split(from, to int, cen bounds32, depth int, out []treeNode) []treeNode {
	mid, left, right, cenL, cenR := b.partition(from, to, cen, depth)
	me := len(out)
	out = append(out, treeNode{lo0: left.lo, hi0: left.hi, lo1: right.lo, hi1: right.hi})
	nl, nr := mid-from, to-mid
	// A big right half may go to another thread; its nodes are moved behind
	// those of the left half, as if one thread had made them.
	const worthAThread = 20_000
	var other chan []treeNode
	if nr > leafSize && nr > worthAThread && nl > worthAThread {
		select {
		case b.spare <- struct{}{}:
			other = make(chan []treeNode, 1)
			go func() {
				other <- b.split(mid, to, cenR, depth+1, make([]treeNode, 0, nr/2))
				<-b.spare
			}()
		default:
		}
	}
	if nl <= leafSize {
		out[me].at0, out[me].n0 = uint32(from), uint32(nl)
	} else {
		out[me].at0 = uint32(len(out))
		out = b.split(from, mid, cenL, depth+1, out)
	}
	switch {
	case nr <= leafSize:
		out[me].at1, out[me].n1 = uint32(mid), uint32(nr)
	case other != nil:
		base := uint32(len(out))
		out[me].at1 = base
		for _, n := range <-other {
			if n.n0 == 0 {
				n.at0 += base
			}
			if n.n1 == 0 {
				n.at1 += base
			}
			out = append(out, n)
		}
	default:
		out[me].at1 = uint32(len(out))
		out = b.split(mid, to, cenR, depth+1, out)
	}
	return out
}

// growCentre takes in twice the centre of a primitive's box.
func (b *bounds32) growCentre(r *primRef) {
	c := [3]float32{r.lo[0] + r.hi[0], r.lo[1] + r.hi[1], r.lo[2] + r.hi[2]}
	b.grow(&c, &c)
}

// partition orders refs[from:to] so that the halves meet at mid, and returns
// the boxes of both, and of their centres.
func (b *builder) partition(from, to int, cen bounds32, depth int) (mid int, left, right, cenL, cenR bounds32) {
	refs := b.refs[from:to]
	axis := 0
	for k := 1; k < 3; k++ {
		if cen.hi[k]-cen.lo[k] > cen.hi[axis]-cen.lo[axis] {
			axis = k
		}
	}
	extent := cen.hi[axis] - cen.lo[axis]
	tooDeep := depth+bits.Len(uint(len(refs))) > maxDepth
	if !(extent > 0) || math.IsInf(float64(extent), 0) || tooDeep {
		if extent > 0 && tooDeep {
			selectMedian(refs, axis)
		}
		return b.halves(from, to, from+len(refs)/2)
	}
	var box [binCount]bounds32
	var count [binCount]int
	for i := range box {
		box[i] = emptyBounds()
	}
	scale := binCount * 0.9999 / extent
	lo := cen.lo[axis]
	for i := range refs {
		r := &refs[i]
		k := int((r.lo[axis] + r.hi[axis] - lo) * scale)
		count[k]++
		box[k].grow(&r.lo, &r.hi)
	}
	var areaRight [binCount]float32
	acc, n := emptyBounds(), 0
	for i := binCount - 1; i > 0; i-- {
		acc.grow(&box[i].lo, &box[i].hi)
		n += count[i]
		areaRight[i] = acc.area() * float32(n)
	}
	acc, n = emptyBounds(), 0
	best, bestCost := -1, float32(math.Inf(1))
	for i := 0; i < binCount-1; i++ {
		acc.grow(&box[i].lo, &box[i].hi)
		n += count[i]
		if n == 0 || n == len(refs) {
			continue
		}
		if cost := acc.area()*float32(n) + areaRight[i+1]; cost < bestCost {
			best, bestCost = i, cost
		}
	}
	if best < 0 {
		return b.halves(from, to, from+len(refs)/2)
	}
	i, j := 0, len(refs)-1
	cenL, cenR = emptyBounds(), emptyBounds()
	for i <= j {
		if int((refs[i].lo[axis]+refs[i].hi[axis]-lo)*scale) <= best {
			cenL.growCentre(&refs[i])
			i++
		} else {
			cenR.growCentre(&refs[i])
			refs[i], refs[j] = refs[j], refs[i]
			j--
		}
	}
	left, right = emptyBounds(), emptyBounds()
	for k := 0; k < binCount; k++ {
		if k <= best {
			left.grow(&box[k].lo, &box[k].hi)
		} else {
			right.grow(&box[k].lo, &box[k].hi)
		}
	}
	return from + i, left, right, cenL, cenR
}

func (b *builder) halves(from, to, mid int) (_ int, left, right, cenL, cenR bounds32) {
	left, right, cenL, cenR = emptyBounds(), emptyBounds(), emptyBounds(), emptyBounds()
	for i := from; i < to; i++ {
		r := &b.refs[i]
		if i < mid {
			left.grow(&r.lo, &r.hi)
			cenL.growCentre(r)
		} else {
			right.grow(&r.lo, &r.hi)
			cenR.growCentre(r)
		}
	}
	return mid, left, right, cenL, cenR
}

// selectMedian moves the smaller half of refs along axis to the front
// (Hoare's quickselect with the middle as pivot).
func selectMedian(refs []primRef, axis int) {
	k := len(refs) / 2
	lo, hi := 0, len(refs)-1
	for lo < hi {
		p := refs[(lo+hi)/2].lo[axis] + refs[(lo+hi)/2].hi[axis]
		i, j := lo, hi
		for i <= j {
			for refs[i].lo[axis]+refs[i].hi[axis] < p {
				i++
			}
			for refs[j].lo[axis]+refs[j].hi[axis] > p {
				j--
			}
			if i <= j {
				refs[i], refs[j] = refs[j], refs[i]
				i++
				j--
			}
		}
		switch {
		case k <= j:
			hi = j
		case k >= i:
			lo = i
		default:
			return
		}
	}
}

// ray32 is a ray in the space of a mesh. d need not have unit length: t runs
// in the same units as the ray that it was made from.
type ray32 struct {
	o, d, inv [3]float32
	t         float32 // the nearest hit so far
	tmin      float32
	near      [3]uint8 // for each axis the row of wideNode.bounds that is met first
	any       bool     // any hit will do: the ray asks for shadow
}

func (r *ray32) prepare() {
	for k := 0; k < 3; k++ {
		d := r.d[k]
		if d < 1e-20 && d > -1e-20 { // keep 0*inf out of the slab test
			if d = 1e-20; math.Signbit(float64(r.d[k])) {
				d = -1e-20
			}
		}
		r.inv[k] = 1 / d
		r.near[k] = uint8(2 * k)
		if d < 0 {
			r.near[k]++
		}
	}
}

var inf32 = float32(math.Inf(1))
