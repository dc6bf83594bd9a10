// Package bvh is the structure in which rays find what they may meet: a bounding volume hierarchy
// over boxes, with nodes of eight children that are tested at once, and blocks of four triangles for
// its leaves. Coordinates are float32 in the space of what it is built over; it holds for up to
// LeafFirst primitives.
package bvh

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

// bounds32 is a box: its lower corner negated, an unused number, its upper
// corner, another one. So the union of two is one maximum of eight numbers.
type bounds32 [8]float32

// Ref is the box of a primitive while the tree is built. The bits of the
// fourth number are the primitive's own number.
type Ref bounds32

// NewRef is the box from lo to hi of the primitive with the number id.
func NewRef(lo, hi [3]float32, id uint32) Ref {
	return Ref{-lo[0], -lo[1], -lo[2], math.Float32frombits(id), hi[0], hi[1], hi[2], 0}
}

func (r *Ref) id() uint32 { return math.Float32bits(r[3]) }

// centre is twice the middle of the box along an axis.
func (r *Ref) centre(axis int) float32 { return r[4+axis] - r[axis] }

const (
	// LeafSize is the largest number of primitives in a leaf.
	LeafSize = 4
	binCount = 16
	// StackSize bounds the traversal stack; the builder halves by count when
	// the heuristic would go deeper.
	StackSize = 96
	maxDepth  = StackSize - 34
)

type builder struct {
	refs  []Ref
	spare chan struct{} // tokens for more threads
}

func emptyBounds() bounds32 {
	return bounds32{-Inf, -Inf, -Inf, 0, -Inf, -Inf, -Inf, 0}
}

func boundsOf(lo, hi [3]float32) bounds32 { return bounds32(NewRef(lo, hi, 0)) }

func (b *bounds32) lo() [3]float32 { return [3]float32{-b[0], -b[1], -b[2]} }
func (b *bounds32) hi() [3]float32 { return [3]float32(b[4:7]) }

// extent is how far the box reaches along an axis.
func (b *bounds32) extent(axis int) float32 { return b[4+axis] + b[axis] }

// grow takes o in. The fourth number of o may be anything.
func (b *bounds32) grow(o *bounds32) {
	for k := range b {
		if o[k] > b[k] {
			b[k] = o[k]
		}
	}
}

// growCentre takes in twice the centre of a primitive's box.
func (b *bounds32) growCentre(r *Ref) {
	for k := range 3 {
		c := r.centre(k)
		b[k], b[4+k] = max(b[k], -c), max(b[4+k], c)
	}
}

func (b *bounds32) area() float32 {
	x, y, z := b.extent(0), b.extent(1), b.extent(2)
	if x < 0 {
		return 0
	}
	return x*y + y*z + z*x
}

// Build arranges refs, which it reorders, on up to threads threads: nodes begin with the root,
// order holds the numbers of the primitives as leaves have them. What comes of it does not depend
// on the number of threads.
func Build(refs []Ref, threads int) (nodes []Node, order []uint32) {
	t := buildTree(refs, threads)
	return widen(&t), t.order
}

// buildTree arranges refs, which it reorders, on up to threads threads. The
// tree does not depend on the number of threads.
func buildTree(refs []Ref, threads int) tree {
	if len(refs) == 0 {
		return tree{}
	}
	b := &builder{refs: refs, spare: make(chan struct{}, max(threads-1, 0))}
	all, cen := emptyBounds(), emptyBounds()
	spread(refs, &all, &cen)
	var nodes []treeNode
	if len(refs) <= LeafSize {
		// The other child is a point at infinity, which no ray reaches. (A box
		// turned inside out would not do: the slab test puts it right.)
		never := [3]float32{Inf, Inf, Inf}
		nodes = []treeNode{{lo0: all.lo(), hi0: all.hi(), n0: uint32(len(refs)), lo1: never, hi1: never}}
	} else {
		nodes = b.split(0, len(refs), cen, 0, make([]treeNode, 0, len(refs)/2+1))
	}
	t := tree{nodes: nodes, order: make([]uint32, len(refs))}
	for i := range refs {
		t.order[i] = refs[i].id()
	}
	return t
}

// half is what another thread made of a half of the references.
type half struct {
	nodes []treeNode
	broke any // what it panicked with
}

// split appends the node for refs[from:to], whose centres (doubled) lie in
// cen, and everything below it to out.
func (b *builder) split(from, to int, cen bounds32, depth int, out []treeNode) []treeNode {
	mid, left, right, cenL, cenR := b.partition(from, to, cen, depth)
	me := len(out)
	out = append(out, treeNode{lo0: left.lo(), hi0: left.hi(), lo1: right.lo(), hi1: right.hi()})
	nl, nr := mid-from, to-mid
	// A big right half may go to another thread; its nodes are moved behind
	// those of the left half, as if one thread had made them.
	const worthAThread = 20_000
	var other chan half
	if nr > LeafSize && nr > worthAThread && nl > worthAThread {
		select {
		case b.spare <- struct{}{}:
			other = make(chan half, 1)
			go func() {
				var h half
				defer func() {
					h.broke = recover()
					other <- h
					<-b.spare
				}()
				h.nodes = b.split(mid, to, cenR, depth+1, make([]treeNode, 0, nr/2))
			}()
		default:
		}
	}
	if nl <= LeafSize {
		out[me].at0, out[me].n0 = uint32(from), uint32(nl)
	} else {
		out[me].at0 = uint32(len(out))
		out = b.split(from, mid, cenL, depth+1, out)
	}
	switch {
	case nr <= LeafSize:
		out[me].at1, out[me].n1 = uint32(mid), uint32(nr)
	case other != nil:
		base := uint32(len(out))
		out[me].at1 = base
		h := <-other
		if h.broke != nil {
			panic(h.broke) // here, where somebody recovers
		}
		for _, n := range h.nodes {
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

// partition orders refs[from:to] so that the halves meet at mid, and returns
// the boxes of both, and of their centres.
func (b *builder) partition(from, to int, cen bounds32, depth int) (mid int, left, right, cenL, cenR bounds32) {
	refs := b.refs[from:to]
	axis := 0
	for k := 1; k < 3; k++ {
		if cen.extent(k) > cen.extent(axis) {
			axis = k
		}
	}
	extent := cen.extent(axis)
	tooDeep := depth+bits.Len(uint(len(refs))) > maxDepth
	if !(extent > 0) || math.IsInf(float64(extent), 0) || tooDeep {
		if extent > 0 && tooDeep {
			selectMedian(refs, axis)
		}
		return b.halves(from, to, from+len(refs)/2)
	}
	if len(refs) <= few {
		return b.byFours(from, to, axis)
	}
	// A few primitives need few bins.
	s := bins{axis: axis, n: min(binCount, 4+len(refs)/8), lo: -cen[axis]}
	s.scale = float32(s.n) * 0.9999 / extent
	for i := range s.n {
		s.box[i] = emptyBounds()
	}
	s.fill(refs)
	best, left, right := s.sides(len(refs))
	if best < 0 {
		return b.halves(from, to, from+len(refs)/2)
	}
	cenL, cenR = emptyBounds(), emptyBounds()
	i := s.divide(refs, best, &cenL, &cenR)
	return from + i, left, right, cenL, cenR
}

// spreadPortable finds the box around all primitives, and around their centres.
func spreadPortable(refs []Ref, all, cen *bounds32) {
	for i := range refs {
		all.grow((*bounds32)(&refs[i]))
		cen.growCentre(&refs[i])
	}
}

// bins collect primitives by where their centres lie along an axis.
type bins struct {
	axis      int
	n         int     // bins in use
	lo, scale float32 // bin of a centre c: (c - lo)*scale
	box       [binCount]bounds32
	count     [binCount]int32
}

func (s *bins) of(r *Ref) int { return int((r.centre(s.axis) - s.lo) * s.scale) }

// fillPortable counts the primitives into the bins.
func (s *bins) fillPortable(refs []Ref) {
	for i := range refs {
		k := s.of(&refs[i]) & (binCount - 1)
		s.count[k]++
		s.box[k].grow((*bounds32)(&refs[i]))
	}
}

// sidesPortable finds after which bin it is best to divide so many primitives, by the surface area heuristic, and the
// boxes of both sides; -1: nowhere.
func (s *bins) sidesPortable(count int) (best int, left, right bounds32) {
	var onRight [binCount]bounds32
	acc := emptyBounds()
	for i := s.n - 1; i > 0; i-- {
		acc.grow(&s.box[i])
		onRight[i] = acc
	}
	acc = emptyBounds()
	best, least, n := -1, Inf, 0
	for i := range s.n - 1 {
		acc.grow(&s.box[i])
		n += int(s.count[i])
		if n == 0 || n == count {
			continue
		}
		if cost := acc.area()*blocks(n) + onRight[i+1].area()*blocks(count-n); cost < least {
			best, least, left, right = i, cost, acc, onRight[i+1]
		}
	}
	return best, left, right
}

// dividePortable moves the primitives of bins up to best to the front and
// returns how many they are, and the boxes of both sides' centres.
func (s *bins) dividePortable(refs []Ref, best int, cenL, cenR *bounds32) int {
	i, j := 0, len(refs)-1
	for i <= j {
		if s.of(&refs[i]) <= best {
			cenL.growCentre(&refs[i])
			i++
		} else {
			cenR.growCentre(&refs[i])
			refs[i], refs[j] = refs[j], refs[i]
			j--
		}
	}
	return i
}

// few is how many primitives are divided so that blocks are full.
const few = 32

// byFours is partition of a few: in the order of their centres along an axis, behind a number of them that fills
// blocks.
func (b *builder) byFours(from, to, axis int) (_ int, left, right, cenL, cenR bounds32) {
	refs := b.refs[from:to]
	// The bits of a number, turned so that they order as numbers do, above its place.
	var order [few]uint64
	for i := range refs {
		x := math.Float32bits(refs[i].centre(axis))
		x ^= uint32(int32(x)>>31) | 1<<31
		c := uint64(x)<<32 | uint64(i)
		k := i
		for ; k > 0 && order[k-1] > c; k-- {
			order[k] = order[k-1]
		}
		order[k] = c
	}
	var sorted [few]Ref
	for i := range refs {
		sorted[i] = refs[order[i]%few]
	}
	copy(refs, sorted[:])
	mid, left, right, cenL, cenR := cut(refs)
	if mid < 0 {
		return b.halves(from, to, from+len(refs)/2)
	}
	return from + mid, left, right, cenL, cenR
}

// cutPortable is behind how many primitives of a list, a number that fills blocks, it is best to divide it by the
// surface area heuristic, and the boxes of both sides and of their centres; -1: nowhere.
func cutPortable(refs []Ref) (mid int, left, right, cenL, cenR bounds32) {
	var onRight [few / LeafSize]bounds32
	acc := emptyBounds()
	for i := len(refs) - 1; i >= LeafSize; i-- {
		if acc.grow((*bounds32)(&refs[i])); i%LeafSize == 0 {
			onRight[i/LeafSize] = acc
		}
	}
	acc = emptyBounds()
	mid, least := -1, Inf
	for i := LeafSize; i < len(refs); i += LeafSize {
		for k := i - LeafSize; k < i; k++ {
			acc.grow((*bounds32)(&refs[k]))
		}
		r := &onRight[i/LeafSize]
		if cost := acc.area()*blocks(i) + r.area()*blocks(len(refs)-i); cost < least {
			mid, least, left, right = i, cost, acc, *r
		}
	}
	cenL, cenR = emptyBounds(), emptyBounds()
	for i := range refs {
		if i < mid {
			cenL.growCentre(&refs[i])
		} else {
			cenR.growCentre(&refs[i])
		}
	}
	return mid, left, right, cenL, cenR
}

func (b *builder) halves(from, to, mid int) (_ int, left, right, cenL, cenR bounds32) {
	left, right, cenL, cenR = emptyBounds(), emptyBounds(), emptyBounds(), emptyBounds()
	for i := from; i < to; i++ {
		r := &b.refs[i]
		if i < mid {
			left.grow((*bounds32)(r))
			cenL.growCentre(r)
		} else {
			right.grow((*bounds32)(r))
			cenR.growCentre(r)
		}
	}
	return mid, left, right, cenL, cenR
}

// selectMedian moves the smaller half of refs along axis to the front
// (Hoare's quickselect with the middle as pivot).
func selectMedian(refs []Ref, axis int) {
	k := len(refs) / 2
	lo, hi := 0, len(refs)-1
	for lo < hi {
		p := refs[(lo+hi)/2].centre(axis)
		i, j := lo, hi
		for i <= j {
			for refs[i].centre(axis) < p {
				i++
			}
			for refs[j].centre(axis) > p {
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

// blocks is how many blocks so many primitives take at least.
func blocks(n int) float32 { return float32((n + LeafSize - 1) / LeafSize) }
