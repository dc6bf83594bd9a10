// Package cast sends rays into what stands in a scene: meshes, each with a structure of its own, and a structure above
// them. Lengths are metres of the scene.
package cast

import (
	"sync"

	"visator/core/bvh"
	"visator/core/geom"
)

// Ray starts at O and runs along the unit vector D.
type Ray struct {
	O, D     geom.V
	Min, Max float64 // Max 0: without end
	// The triangle that the ray leaves is not hit again: of an instance, or of none if that is -1.
	FromInstance int32
	FromTriangle uint32
}

// New returns a ray that leaves no triangle.
func New(o, d geom.V) Ray { return Ray{O: o, D: d, FromInstance: -1, FromTriangle: bvh.NoTriangle} }

// Hit is where a ray meets a stand; U and V are barycentric coordinates of the second and third corner of the triangle.
type Hit struct {
	T        float64
	Instance int // or Merged, with a triangle of the merged mesh
	Triangle uint32
	U, V     float32
}

// Merged is the number of the stand in which instances are merged.
const Merged = -1

// Passing decides whether a surface that may let light through lets a ray pass at a hit.
type Passing interface {
	Lets(stand, triangle uint32, u, v float32) bool
}

// Quest is a ray that is sent out, and what came of it.
type Quest struct {
	Ray  Ray
	Any  bool    // whether anything is met is enough
	Pass Passing // nil: everything is solid
	Hit  Hit
	Met  bool
}

// lones are rays on their way alone.
var lones = sync.Pool{New: func() any { return new(travel) }}

// Send sends out the ray of a quest alone.
func (f *Field) Send(q *Quest) {
	v := lones.Get().(*travel)
	for v.begin(f, q); v.next(); {
		for v.walk.On() && !v.meets() {
		}
		if v.leaves() {
			break
		}
	}
	v.q = nil
	lones.Put(v)
}

// together is how many rays are on their way at a time: about as many pieces of memory as a processor fetches at once.
const together = 8

// Crowd sends out many rays, some at a time: while memory is fetched for one others go on. What comes of each is what
// comes of it alone. One goroutine uses it at a time.
type Crowd struct {
	room  [together]travel
	walks [together]*bvh.Walk
	of    [together]*travel // whose they are
}

// Send sends out the rays of quests.
func (c *Crowd) Send(f *Field, list []*Quest) {
	// start begins the next quest that has anything to enter, in place i.
	start := func(i int) bool {
		for len(list) > 0 {
			v := c.of[i]
			v.begin(f, list[0])
			list = list[1:]
			if v.next() {
				return true
			}
		}
		return false
	}
	n := 0
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

// Sender sends out rays, many at a time. One goroutine uses it at a time.
type Sender struct {
	crowd  Crowd
	quests []Quest
	list   []*Quest
}

// Send sends out rays, to find what each meets first, or, if any is set, whether it meets anything. Surfaces that let
// light through are taken as solid. What it returns is as long as rays, and there until the next call.
func (d *Sender) Send(f *Field, rays []Ray, any bool) []Quest {
	d.list = d.list[:0]
	if len(d.quests) < len(rays) {
		d.quests = make([]Quest, len(rays))
	}
	for i := range rays {
		d.quests[i].Ray, d.quests[i].Any = rays[i], any
		d.list = append(d.list, &d.quests[i])
	}
	d.crowd.Send(f, d.list)
	return d.quests[:len(rays)]
}
