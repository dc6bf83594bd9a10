package cast

import (
	"math/bits"

	"visator/core/bvh"
)

// travel is how far a ray has come on its way through the scene: from stand to stand that it meets the boxes of, the
// nearest first, and within one through the structure of its mesh.
type travel struct {
	f     *Field
	q     *Quest
	top   bvh.Ray
	here  []uint32  // stands of a leaf that are still to be entered
	boxes []bvh.Box // of each of them, where there are several
	at    uint32    // the stand in which it is
	skip  uint32    // the triangle of it that is not met, or bvh.NoTriangle
	inner Hit       // of the nearest triangle that was met there
	found bool      // there is one
	waits int       // how much waits on the stack
	stack []waiting
	room  [bvh.StackSize]waiting
	walk  bvh.Walk
}

// waiting is a node or leaf of the upper structure that a ray will enter at t, unless it hits before.
type waiting struct {
	at uint32
	t  float32
}

// begin sends the ray of a quest out.
func (v *travel) begin(f *Field, q *Quest) {
	v.f, v.q, q.Met = f, q, false
	v.top = bvh.Ray{O: q.Ray.O.Float32(), D: q.Ray.D.Float32(), T: bvh.Inf, Min: float32(q.Ray.Min)}
	if q.Ray.Max > 0 {
		v.top.T = float32(q.Ray.Max)
	}
	v.top.Prepare()
	v.here, v.boxes, v.stack, v.waits = nil, nil, v.room[:], 0
	switch {
	case len(f.nodes) == 0:
	case len(f.Stands) == 1: // nothing to choose from
		v.here = f.order
	default:
		v.stack[0], v.waits = waiting{}, 1 // the root, entered at once
	}
}

// next enters the next stand; false: there is none.
func (v *travel) next() bool {
	for {
		if len(v.here) > 0 {
			k := v.here[0]
			v.here = v.here[1:]
			if len(v.boxes) > 0 {
				b := &v.boxes[0]
				if v.boxes = v.boxes[1:]; !v.top.Enters(b) {
					continue
				}
			}
			if v.enter(k) {
				return true
			}
			continue
		}
		if v.waits == 0 {
			return false
		}
		v.waits--
		w := v.stack[v.waits]
		if w.t >= v.top.T {
			continue
		}
		if w.at&bvh.LeafBit != 0 {
			first := w.at & bvh.LeafFirst
			end := first + w.at&^bvh.LeafBit>>bvh.LeafShift
			v.here = v.f.order[first:end]
			if v.boxes = nil; end > first+1 {
				v.boxes = v.f.boxes[first:end]
			}
			continue
		}
		v.open(&v.f.nodes[w.at])
	}
}

// open makes what a ray meets of a node wait, the nearest last.
func (v *travel) open(n *bvh.Node) {
	if len(v.stack)-v.waits < 8 {
		v.stack = append(v.stack, make([]waiting, bvh.StackSize)...)
	}
	var enter [8]float32
	base := v.waits
	for mask := n.Meet(&v.top, &enter); mask != 0; mask &= mask - 1 {
		k := bits.TrailingZeros32(mask) & 7
		i := v.waits
		for ; i > base && v.stack[i-1].t < enter[k]; i-- {
			v.stack[i] = v.stack[i-1]
		}
		v.stack[i] = waiting{n.Child[k], enter[k]}
		v.waits++
	}
}

// enter carries the ray into the space of a stand, before its mesh.
func (v *travel) enter(k uint32) bool {
	st := &v.f.Stands[k]
	if len(st.Tree.blocks) == 0 {
		return false
	}
	r, ray := v.top, &v.q.Ray
	v.at, v.skip, v.found = k, bvh.NoTriangle, false
	if st.Instance == Merged {
		if i := ray.FromInstance; i >= 0 && v.f.First[i] != bvh.NoTriangle {
			v.skip = v.f.First[i] + ray.FromTriangle
		}
	} else {
		if !st.as {
			r.O, r.D = st.Inv.Point(ray.O).Float32(), st.Inv.Dir(ray.D).Float32()
			r.Prepare()
		}
		if ray.FromInstance == st.Instance {
			v.skip = ray.FromTriangle
		}
	}
	v.walk.Begin(st.Tree.nodes, st.Tree.blocks, &r)
	return true
}

// meets looks at the block that the walk has come to; true: no more need be met.
func (v *travel) meets() bool {
	w := &v.walk
	b, met, r := &v.f.Stands[v.at].Tree.blocks[w.Block], &w.Met, &w.Ray
	for mask := w.Mask; mask != 0; mask &= mask - 1 {
		k := bits.TrailingZeros32(mask) & (bvh.LeafSize - 1)
		id := b.ID[k] &^ AsksBit
		if met.T[k] >= r.T || id == v.skip {
			continue
		}
		if v.q.Pass != nil && b.ID[k]&AsksBit != 0 && v.q.Pass.Lets(v.at, id, met.U[k], met.V[k]) {
			continue
		}
		r.T = met.T[k]
		v.inner = Hit{Triangle: id, U: met.U[k], V: met.V[k]}
		if v.found = true; v.q.Any {
			return true
		}
	}
	return false
}

// leaves is the end of the walk through a stand; true: no more need be met.
func (v *travel) leaves() bool {
	if !v.found {
		return false
	}
	v.top.T = v.walk.Ray.T
	v.q.Met, v.q.Hit = true, v.inner
	v.q.Hit.T, v.q.Hit.Instance = float64(v.top.T), int(v.f.Stands[v.at].Instance)
	return v.q.Any
}
