package frame

import (
	"cmp"
	"math"
	"slices"
	"sync"

	"visator/core/geom"
	"visator/core/optics"
)

// Range is how near and how far anything that is seen comes.
type Range struct {
	Near, Far           float64
	NearThing, FarThing int // which
	Seen                bool
}

// Moment is a view with the scene as it is then.
type Moment struct {
	View  optics.View
	Scene *Scene
}

// RangeOf is the range of all moments: exact, by the triangles that lie in the
// pyramid of the picture, near and far planes apart. What lies in the pyramid
// counts, also where something hides it.
//
// It goes by branch and bound: a box of a tree is opened only where it may
// come nearer or reach farther than what was found.
func RangeOf(moments []Moment) Range {
	best := Range{Near: math.Inf(1), Far: 0, NearThing: -1, FarThing: -1}
	var mu sync.Mutex
	const run = 8 // moments, which share what they find
	rows((len(moments)+run-1)/run, func(k int) {
		mu.Lock()
		own := best
		mu.Unlock()
		for i := k * run; i < min((k+1)*run, len(moments)); i++ {
			own = moments[i].Scene.extend(&moments[i].View, own)
		}
		mu.Lock()
		defer mu.Unlock()
		if own.Near < best.Near {
			best.Near, best.NearThing = own.Near, own.NearThing
		}
		if own.Far > best.Far {
			best.Far, best.FarThing = own.Far, own.FarThing
		}
	})
	best.Seen = best.Far > 0
	return best
}

// extend is a range with what a view sees.
func (s *Scene) extend(v *optics.View, r Range) Range {
	to, tx, ty := v.Upright()
	nx, ny := 1/math.Sqrt(1+tx*tx), 1/math.Sqrt(1+ty*ty)
	skip := s.cutBy(v)
	// The row of the matrix that gives distances, and the two that give places.
	for i := range s.Things {
		radius := s.radius[i]
		if radius < 0 {
			continue
		}
		c := s.center[i]
		d := -(to[2]*c.X + to[6]*c.Y + to[10]*c.Z + to[14])
		// Sheared space makes spheres larger by at most the shear.
		if d-radius >= r.Near && d+radius <= r.Far || d+radius <= 0 {
			continue
		}
		x, y := to[0]*c.X+to[4]*c.Y+to[8]*c.Z+to[12], to[1]*c.X+to[5]*c.Y+to[9]*c.Z+to[13]
		wide := radius * (1 + math.Abs(tilt(to)))
		if (math.Abs(x)-tx*d)*nx > wide || (math.Abs(y)-ty*d)*ny > wide || skip != nil && skip(i) {
			continue
		}
		near, far := r.Near, r.Far
		s.reach(i, to, tx, ty, &near, &far)
		if near < r.Near {
			r.Near, r.NearThing = near, i
		}
		if far > r.Far {
			r.Far, r.FarThing = far, i
		}
	}
	return r
}

// tilt is how much a transform shears: 0 for one that only turns.
func tilt(m geom.M) float64 {
	a := geom.V{X: m[0], Y: m[4], Z: m[8]}
	b := geom.V{X: m[1], Y: m[5], Z: m[9]}
	return math.Max(a.Len(), b.Len()) - 1
}

// reach brings near and far to those of a thing in the pyramid, where it comes
// nearer or goes farther.
func (s *Scene) reach(i int, to geom.M, tx, ty float64, near, far *float64) {
	var poly, room [12]geom.V
	s.Things[i].Body.Reach(to, func(c, h geom.V) bool {
		d := -c.Z
		if d+h.Z <= 0 || d-h.Z >= *near && d+h.Z <= *far {
			return true
		}
		// Beyond a side: its plane's value at the corner that lies farthest in.
		reachX, reachY := h.X+tx*h.Z, h.Y+ty*h.Z
		return c.X-tx*d > reachX || -c.X-tx*d > reachX || c.Y-ty*d > reachY || -c.Y-ty*d > reachY
	}, func(tri [3]geom.V) {
		lo, hi := -max(tri[0].Z, tri[1].Z, tri[2].Z), -min(tri[0].Z, tri[1].Z, tri[2].Z)
		if lo >= *near && hi <= *far || hi <= 0 {
			return
		}
		out := optics.ClipSides(append(poly[:0], tri[:]...), room[:0], tx, ty)
		for _, p := range out {
			*near, *far = min(*near, -p.Z), max(*far, -p.Z)
		}
	})
}

// Flicker is two surfaces that a depth buffer cannot tell apart.
type Flicker struct {
	A, B     int     // things, the nearer first
	Distance float64 // metres from the lens, where the worst is
	Gap      float64 // metres between them there, along the axis
	Step     float64 // metres that the buffer tells apart there
	Share    float64 // of the picture
	At       geom.V
}

// Flickers finds pairs of things whose surfaces lie closer to one another than
// a step of the view's depth buffer, where both face the lens: the largest
// first. It looks along a grid of w x h rays; what is seen beneath the surface
// that is hit, within a step, is its rival.
func (s *Scene) Flickers(v *optics.View, w, h int) []Flicker {
	skip := s.cutBy(v)
	type pair struct{ a, b string }
	found := map[pair]*Flicker{}
	var mu sync.Mutex
	rows(h, func(y int) {
		for x := range w {
			d := v.Ray((float64(x)+0.5)/float64(w), (float64(y)+0.5)/float64(h))
			first, ok := s.Ray(v.Eye, d, v.Near, v.Far, skip)
			if !ok {
				continue
			}
			step := optics.DepthStep(v.Depth, first.T, v.Near, v.Far)
			id := s.Things[first.Thing].ID
			lo := math.Max(first.T-step/2, v.Near)
			second, ok := s.Ray(v.Eye, d, lo, first.T+step,
				func(i int) bool { return s.Things[i].ID == id || skip != nil && skip(i) })
			// Two backs fight too, but a front and a back are a wall and the other
			// side of what stands before it, of which one is not drawn.
			if !ok || second.Normal.Dot(first.Normal) < 0.5 {
				continue
			}
			f := Flicker{first.Thing, second.Thing, first.T, math.Abs(second.T - first.T), step, 0,
				v.Eye.Add(d.Mul(first.T))}
			other := s.Things[second.Thing].ID
			k := pair{id, other}
			if other < id {
				k = pair{other, id}
			}
			mu.Lock()
			if old := found[k]; old == nil {
				found[k] = &f
			} else if f.Gap-f.Step < old.Gap-old.Step {
				f.Share = old.Share
				*old = f
			}
			found[k].Share += 1 / float64(w*h)
			mu.Unlock()
		}
	})
	list := make([]Flicker, 0, len(found))
	for _, f := range found {
		list = append(list, *f)
	}
	slices.SortFunc(list, func(p, q Flicker) int {
		return cmp.Or(cmp.Compare(q.Share, p.Share), cmp.Compare(p.A, q.A))
	})
	return list
}
