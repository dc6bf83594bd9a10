package bvh

import (
	"math"
	"math/bits"
)

// Walk is the way of a ray through the structure of a mesh, whose leaves are one block each: nearest first, as far as
// that is known of boxes. Whoever walks decides what of a block that is met counts, shortens the ray, and goes on.
type Walk struct {
	nodes  *Node
	blocks *Block
	top    int64 // how many nodes wait
	base   int64
	Block  uint32 // that was met
	Mask   uint32 // bit k: triangle k of it
	Ray    Ray    // that is shortened
	enter  [8]float32
	Met    Hits // where
	// What waits: the bits of how far away it is entered above the child that it is, so that one number orders them.
	stack [StackSize]uint64

	tree []Node
	all  []Block
	more []uint64 // what waits where there is no room, beneath stack
}

// Step is what came of a walk.
type Step uint32

// What comes of a step: nothing waits any more; a block was met; there is no more room.
const (
	Done Step = iota
	Met
	full
)

// room is how many may wait before a node is entered: it adds seven at most.
const room = StackSize - 8

// Begin begins at the root. nodes and blocks must not be empty.
func (w *Walk) Begin(nodes []Node, blocks []Block, r *Ray) {
	w.nodes, w.blocks, w.Ray, w.tree, w.all, w.more = &nodes[0], &blocks[0], *r, nodes, blocks, nil
	w.top, w.stack[0] = 1, 0
}

// On goes on until a block is met; false at the end.
func (w *Walk) On() bool {
	alone := [1]*Walk{w}
	_, met := Together(alone[:], 0)
	return met
}

// Together goes on with walks in turns, the one at number at first, until one of them meets a block or is at its end
// (then met is false): while what one needs next is fetched from memory, others go on. Each goes the way that it goes
// alone.
func Together(list []*Walk, at int) (which int, met bool) {
	for {
		var step Step
		which, step = next(list, at)
		w := list[which]
		switch step {
		case Met:
			return which, true
		case full: // the half that is farther away waits elsewhere
			const some = StackSize / 2
			w.more = append(w.more, w.stack[:some]...)
			copy(w.stack[:], w.stack[some:w.top])
			w.top -= some
		default:
			n := len(w.more)
			if n == 0 {
				return which, false
			}
			k := min(n, StackSize/2)
			copy(w.stack[:], w.more[n-k:])
			w.more, w.top = w.more[:n-k], int64(k)
		}
		at = which
	}
}

// nextPortable is what next does, by plain code: it decides what is right. What waits is ordered by its way but for the
// three lowest bits, which are the place that it has in its node.
func (w *Walk) nextPortable() Step {
	const places = 7
	r := &w.Ray
	var enter [8]float32
	top := int(w.top)
	for top > 0 {
		top--
		at := w.stack[top]
		if uint32(at>>32)&^places >= math.Float32bits(r.T) { // numbers from 0 on order as their bits do
			continue
		}
		if uint32(at)&LeafBit != 0 {
			i := uint32(at) & LeafFirst
			if mask := w.all[i].Meet(r, &w.Met); mask != 0 {
				w.Block, w.Mask, w.top = i, uint32(mask), int64(top)
				return Met
			}
			continue
		}
		if top >= room {
			w.stack[top], w.top = at&math.MaxUint32, int64(top+1)
			return full
		}
		n := &w.tree[uint32(at)]
		base := top
		for mask := n.Meet(r, &enter); mask != 0; mask &= mask - 1 {
			k := bits.TrailingZeros32(mask) & places
			c := uint64(math.Float32bits(enter[k])&^places|uint32(k))<<32 | uint64(n.Child[k])
			i := top
			for ; i > base && w.stack[i-1] < c; i-- {
				w.stack[i] = w.stack[i-1]
			}
			w.stack[i] = c
			top++
		}
	}
	w.top = 0
	return Done
}
