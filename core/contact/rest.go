package contact

import (
	"math"
	"slices"

	"visator/core/geom"
)

// Reach bounds how far a thing falls or is lifted: no set is higher.
const Reach = 20_000 // metres

// Down is how far a must move up (negative: down) to rest on what is beneath:
// on others, or on the ground at height 0 when there is nothing. What it
// reaches into it is lifted out of first. on is which of others carries it; -1
// is the ground.
func Down(a *Placed, others []*Placed) (up float64, on int) {
	near := beside(a, others)
	lift, ok := Clear(a, pick(others, near), geom.V{Y: 1}, Reach)
	if !ok {
		lift = 0
	}
	moved := a
	if lift > 0 {
		moved = a.Moved(geom.V{Y: lift})
	}
	fall, on := math.Inf(1), -1
	for _, i := range near {
		if t, _, ok := First(moved, others[i], geom.V{Y: -1}, min(fall, Reach)); ok && t < fall {
			fall, on = t, i
		}
	}
	if on < 0 {
		return -a.Box.Min.Y, -1
	}
	return lift - fall, on
}

// beside are those of others whose boxes lie above or beneath a's.
func beside(a *Placed, others []*Placed) (list []int) {
	for i, b := range others {
		if a.Box.Max.X >= b.Box.Min.X && a.Box.Min.X <= b.Box.Max.X && a.Box.Max.Z >= b.Box.Min.Z && a.Box.Min.Z <= b.Box.Max.Z {
			list = append(list, i)
		}
	}
	return list
}

func pick(from []*Placed, which []int) []*Placed {
	out := make([]*Placed, len(which))
	for i, k := range which {
		out[i] = from[k]
	}
	return out
}

// Toward is how far a moves along d, of length one, until it touches one of
// others, and which; false when nothing is met within limit.
func Toward(a *Placed, others []*Placed, d geom.V, limit float64) (t float64, on int, ok bool) {
	t, on = limit, -1
	for i, b := range others {
		if x, _, met := First(a, b, d, t); met && x <= t {
			t, on, ok = x, i, true
		}
	}
	return t, on, ok
}

// Settle lets a fall and tip until it rests on others, or on the ground at
// height 0, with its centre of mass above where it is carried. It is the motion
// of a rigid body in honey: without swing, always towards a lower centre of mass,
// and never into anything. The result is where it comes to rest; on its
// supports it is as true as the triangles are.
func Settle(a *Placed, others []*Placed) *Placed {
	floor := Place(ground(a.Box.Center(), 4*a.Box.Size().Len()+1), geom.Identity)
	others = append(slices.Clone(others), floor)
	size := a.Box.Size().Len()
	now := fall(a, others)
	const most = 400 // steps: a thing that is still moving then lies on a long slope
	step := 0.15     // radians
	for i := 0; i < most && step > 5e-4; i++ {
		next := tip(now, others, step, size)
		if next == nil || next.Mass().Y > now.Mass().Y-1e-7*size {
			step /= 2
			continue
		}
		now = next
		step = min(step*1.5, 0.3)
	}
	return now
}

// ground is a square of side about c at height 0.
func ground(c geom.V, side float64) *Body {
	x, z, h := float32(c.X), float32(c.Z), float32(side/2)
	return Mesh([][3]float32{{x - h, 0, z - h}, {x - h, 0, z + h}, {x + h, 0, z + h}, {x + h, 0, z - h}}, [][3]uint32{{0, 1, 2}, {0, 2, 3}})
}

// fall puts a down on what is beneath; the last of others is the ground.
func fall(a *Placed, others []*Placed) *Placed {
	near := beside(a, others)
	free := pick(others, near)
	lift, ok := Clear(a, free, geom.V{Y: 1}, Reach)
	if !ok {
		return a
	}
	a = a.Moved(geom.V{Y: lift})
	if t, _, ok := Toward(a, free, geom.V{Y: -1}, Reach); ok {
		a = a.Moved(geom.V{Y: -t})
	}
	return a
}

// tip turns a by angle about where it is carried, towards the side on which
// its centre of mass overhangs, and lets it fall again; nil when it rests.
func tip(a *Placed, others []*Placed, angle, size float64) *Placed {
	holds := supports(a, others, 2e-4*size+1e-5)
	if len(holds) == 0 {
		return nil
	}
	mass := a.Mass()
	at, over := overhang(holds, mass)
	if over.Len() < 1e-4*size {
		return nil
	}
	// The axis lies flat, across the overhang: what hangs over sinks.
	axis := geom.V{Y: 1}.Cross(over.Unit())
	q := geom.Turn(axis, angle)
	turn := geom.Translation(at).Mul(geom.Compose(geom.V{}, q, geom.V{X: 1, Y: 1, Z: 1})).Mul(geom.Translation(at.Mul(-1)))
	turned := Place(a.Body, turn.Mul(a.World))
	if turned == nil {
		return nil
	}
	return fall(turned, others)
}

// supports are the places where others carry a: where it touches when it sinks
// by skin, or is sunk in by no more.
func supports(a *Placed, others []*Placed, skin float64) (list []geom.V) {
	turn := along(geom.V{Y: -1})
	for _, i := range beside(a, others) {
		sweep(a, others[i], &turn, -skin, skin, func(lo, hi touch) (float64, float64) {
			list = append(list, turn.NormalDir(lo.p))
			if hi.t <= skin {
				list = append(list, turn.NormalDir(hi.p))
			}
			return -skin, skin
		})
	}
	return list
}

// overhang is how far the centre of mass hangs over the hull of what carries
// it, seen from above: the nearest place of the hull, and the way from there;
// nothing when it lies within.
func overhang(holds []geom.V, mass geom.V) (at, over geom.V) {
	hull := Hull(holds)
	inside := len(hull) > 2
	best := math.Inf(1)
	for i := range hull {
		p, q := hull[i], hull[(i+1)%len(hull)]
		e := q.Sub(p)
		to := mass.Sub(p)
		if e.X*to.Z-e.Z*to.X < 0 {
			inside = false
		}
		t := 0.0
		if l := e.X*e.X + e.Z*e.Z; l > 0 {
			t = min(max((e.X*to.X+e.Z*to.Z)/l, 0), 1)
		}
		n := p.Add(e.Mul(t))
		d := geom.V{X: mass.X - n.X, Z: mass.Z - n.Z}
		if l := d.Len(); l < best {
			best, at, over = l, n, d
		}
	}
	if inside {
		return mass, geom.V{}
	}
	return at, over
}

// Hull is the convex hull of points seen from above, turning from X to Z
// (Andrew, Another Efficient Algorithm for Convex Hulls in Two Dimensions,
// 1979). It has no more points than are needed.
func Hull(points []geom.V) []geom.V {
	p := slices.Clone(points)
	slices.SortFunc(p, func(a, b geom.V) int {
		switch {
		case a.X != b.X:
			return int(math.Copysign(1, a.X-b.X))
		case a.Z != b.Z:
			return int(math.Copysign(1, a.Z-b.Z))
		}
		return 0
	})
	p = slices.CompactFunc(p, func(a, b geom.V) bool { return a.X == b.X && a.Z == b.Z })
	if len(p) < 3 {
		return p
	}
	half := func(p []geom.V) (h []geom.V) {
		for _, q := range p {
			for len(h) > 1 {
				a, b := h[len(h)-2], h[len(h)-1]
				if (b.X-a.X)*(q.Z-a.Z)-(b.Z-a.Z)*(q.X-a.X) > 0 {
					break
				}
				h = h[:len(h)-1]
			}
			h = append(h, q)
		}
		return h[:len(h)-1]
	}
	lower := half(p)
	slices.Reverse(p)
	return append(lower, half(p)...)
}

// Heap settles bodies one after the other, the lowest first: each falls on what
// stands and on those before it. Where they come to rest is told by their
// number in bodies. tell is asked before each whether to go on; nothing comes back
// when it says no.
func Heap(bodies, others []*Placed, tell func(done int) bool) []*Placed {
	order := make([]int, len(bodies))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(i, j int) int {
		switch d := bodies[i].Box.Min.Y - bodies[j].Box.Min.Y; {
		case d < 0:
			return -1
		case d > 0:
			return 1
		}
		return 0
	})
	out := slices.Clone(bodies)
	stand := slices.Clone(others)
	for n, i := range order {
		if !tell(n) {
			return nil
		}
		out[i] = Settle(bodies[i], stand)
		stand = append(stand, out[i])
	}
	return out
}
