package render

import (
	"math/bits"
	"sync"

	"visator/core/bvh"
)

// quest is a ray that is sent into the scene, and what came of it.
type quest struct {
	ray   Ray
	any   bool // whether anything is met is enough
	solid bool // surfaces that let light through do not
	pass  passing
	hit   Hit
	met   bool
}

// travel is how far a ray has come on its way through the scene: from stand to stand that it meets the boxes of, the
// nearest first, and within one through the structure of its mesh.
type travel struct {
	s     *Scene
	q     *quest
	pass  *passing // nil: everything is solid
	top   bvh.Ray
	here  []uint32 // stands of a leaf that are still to be entered
	at    uint32   // the stand in which it is
	skip  uint32   // the triangle of it that is not met, or bvh.NoTriangle
	inner meshHit  // of the nearest triangle that was met there
	found bool     // there is one
	waits int      // how much waits on the stack
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
func (v *travel) begin(s *Scene, q *quest) {
	v.s, v.q, v.pass = s, q, &q.pass
	if !s.alpha || q.solid {
		v.pass = nil
	}
	q.met = false
	v.top = bvh.Ray{O: f32(q.ray.O), D: f32(q.ray.D), T: bvh.Inf, Min: float32(q.ray.Min), Any: q.any}
	if q.ray.Max > 0 {
		v.top.T = float32(q.ray.Max)
	}
	v.top.Prepare()
	v.here, v.stack, v.waits = nil, v.room[:], 0
	switch {
	case len(s.nodes) == 0:
	case len(s.stands) == 1: // nothing to choose from
		v.here = s.order
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
			v.here = v.s.order[first : first+w.at&^bvh.LeafBit>>bvh.LeafShift]
			continue
		}
		v.open(&v.s.nodes[w.at])
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
	st := &v.s.stands[k]
	if len(st.mesh.blocks) == 0 {
		return false
	}
	r, ray := v.top, &v.q.ray
	v.at, v.skip, v.found = k, bvh.NoTriangle, false
	if st.instance == merged {
		if i := ray.fromInstance; i >= 0 && v.s.first[i] != bvh.NoTriangle {
			v.skip = v.s.first[i] + ray.fromTriangle
		}
	} else {
		if !st.as {
			r.O, r.D = f32(st.inv.Point(ray.O)), f32(st.inv.Dir(ray.D))
			r.Prepare()
		}
		if ray.fromInstance == st.instance {
			v.skip = ray.fromTriangle
		}
	}
	v.q.pass.stand = k
	v.walk.Begin(st.mesh.nodes, st.mesh.blocks, &r)
	return true
}

// meets looks at the block that the walk has come to; true: no more need be met.
func (v *travel) meets() bool {
	if v.s.stands[v.at].mesh.leaf(&v.inner, &v.walk, v.skip, v.pass) {
		v.found = true
		return v.q.any
	}
	return false
}

// leaves is the end of the walk through a stand; true: no more need be met.
func (v *travel) leaves() bool {
	if !v.found {
		return false
	}
	st, h, t := &v.s.stands[v.at], &v.inner, v.walk.Ray.T
	v.top.T = t
	v.q.met = true
	v.q.hit = Hit{T: float64(t), Instance: int(st.instance), Triangle: h.id, U: h.u, V: h.v}
	if st.instance == merged {
		mp := st.mesh.partOf(h.id)
		v.q.hit.Instance, v.q.hit.Triangle = int(mp.instance), h.id-mp.first+mp.local
	}
	return v.q.any
}

// lone is a ray on its way alone.
type lone struct {
	quest
	travel
}

var lones = sync.Pool{New: func() any { return new(lone) }}

// send sends out the ray of a quest alone.
func (l *lone) send(s *Scene) {
	v := &l.travel
	for v.begin(s, &l.quest); v.next(); {
		for v.walk.On() && !v.meets() {
		}
		if v.leaves() {
			return
		}
	}
}

// together is how many rays are on their way at a time: about as many pieces of memory as a processor fetches at once.
const together = 8

// crowd sends out many rays, some at a time: while memory is fetched for one others go on. What comes of each is what
// comes of it alone.
type crowd struct {
	room  [together]travel
	walks [together]*bvh.Walk
	of    [together]*travel // whose they are
}

func (c *crowd) send(s *Scene, list []*quest) {
	n := 0
	// start begins the next quest that has anything to enter, in place i.
	start := func(i int) bool {
		for len(list) > 0 {
			v := c.of[i]
			v.begin(s, list[0])
			list = list[1:]
			if v.next() {
				return true
			}
		}
		return false
	}
	for ; n < together; n++ {
		if c.of[n] == nil {
			c.of[n] = &c.room[n]
			c.walks[n] = &c.room[n].walk
		}
		if !start(n) {
			break
		}
	}
	for at := 0; n > 0; {
		i, met := bvh.Together(c.walks[:n], at)
		at = i
		v := c.of[i]
		if met && !v.meets() || !v.leaves() && v.next() || start(i) {
			continue
		}
		n--
		c.of[i], c.of[n] = c.of[n], c.of[i]
		c.walks[i], c.walks[n] = c.walks[n], c.walks[i]
		if at = i; at == n {
			at = 0
		}
	}
}

// Sender sends out rays of a scene, many at a time. One goroutine uses it at a time.
type Sender struct {
	s      *Scene
	crowd  crowd
	quests []quest
	list   []*quest
}

// Sender is a new one.
func (s *Scene) Sender() *Sender { return &Sender{s: s} }

// Send finds what rays meet first, or, if any is set, whether they meet anything: met says of each whether it does,
// hits where. Surfaces that let light through are taken as solid.
func (d *Sender) Send(rays []Ray, any bool, hits []Hit, met []bool) {
	for len(d.quests) < len(rays) {
		d.quests = append(d.quests, quest{solid: true})
	}
	d.list = d.list[:0]
	for i := range rays {
		q := &d.quests[i]
		q.ray, q.any = rays[i], any
		d.list = append(d.list, q)
	}
	d.crowd.send(d.s, d.list)
	for i := range rays {
		hits[i], met[i] = d.quests[i].hit, d.quests[i].met
	}
}
