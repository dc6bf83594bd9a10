package rest

import (
	"math"
	"slices"

	"visator/core/crew"
	"visator/core/geom"
	"visator/core/join"
)

// joint is a contact that is being solved: between body a and body b, -1 for what stands.
type joint struct {
	a, b         int
	with         int
	n, t1, t2    geom.V
	ra, rb       geom.V // from the centres of mass to the place, at the start of the step
	gap          float64
	massN        float64
	mass1, mass2 float64
	massRoll     float64
	push, f1, f2 float64
	roll         geom.V
	reach        float64 // of rolling resistance, metres
}

// soft are the numbers of a soft constraint (Catto, Soft Constraints, 2011).
type soft struct{ bias, mass, impulse float64 }

func newSoft(hertz, damping, h float64) soft {
	o := 2 * math.Pi * hertz
	a1 := 2*damping + h*o
	a2 := h * o * a1
	return soft{bias: o / a1, mass: a2 / (1 + a2), impulse: 1 / (1 + a2)}
}

// step goes on by one step: contacts are found, solved and kept.
func (w *world) step() {
	w.meet()
	h := step / float64(substeps)
	// The air grows thick, so that what trembles comes to rest.
	thick := min(0.1+2*max(w.time-3, 0), 25)
	give := newSoft(0.25/h, 10, h)
	again := times
	if w.time < first {
		again = firstTimes // what carries a heap is not known yet
	}
	start := make([]pose, len(w.bodies))
	for i, b := range w.bodies {
		start[i], b.swing = pose{b.pos, b.rot}, geom.Q{W: 1}
	}
	for range substeps {
		for _, b := range w.bodies {
			if b.asleep {
				continue
			}
			b.vel.Y -= gravity * h
			b.vel = b.vel.Mul(1 / (1 + thick*h))
			b.spin = b.spin.Mul(1 / (1 + (0.5+thick)*h))
			if l := b.vel.Len(); l > fastest {
				b.vel = b.vel.Mul(fastest / l)
			}
			if l := b.spin.Len() * b.radius; l > fastest {
				b.spin = b.spin.Mul(fastest / l)
			}
		}
		for i := range w.joints {
			j := &w.joints[i]
			p := j.n.Mul(j.push).Add(j.t1.Mul(j.f1)).Add(j.t2.Mul(j.f2))
			w.apply(j, p)
			w.twist(j, j.roll)
		}
		for range again {
			w.solve(start, give, 1/h, true)
		}
		for i, b := range w.bodies {
			if b.asleep {
				continue
			}
			b.pos = b.pos.Add(b.vel.Mul(h))
			b.rot = turned(b.rot, b.spin.Mul(h))
			b.swing = b.rot.Mul(start[i].rot.Back())
		}
		w.solve(start, give, 1/h, false)
	}
	for _, b := range w.bodies {
		b.old = b.old[:0]
	}
	for i := range w.joints {
		j := &w.joints[i]
		a := w.bodies[j.a]
		a.old = append(a.old, memory{with: j.with, at: start[j.a].rot.Back().Rotate(j.ra), n: j.n, push: j.push,
			rub: j.t1.Mul(j.f1).Add(j.t2.Mul(j.f2)), roll: j.roll})
	}
	w.rest()
}

// turned is q after a turn by the vector v, in radians.
func turned(q geom.Q, v geom.V) geom.Q {
	angle := v.Len()
	if angle == 0 {
		return q
	}
	return geom.Turn(v.Mul(1/angle), angle).Mul(q)
}

func (w *world) apply(j *joint, p geom.V) {
	if a := w.bodies[j.a]; !a.asleep {
		a.vel = a.vel.Sub(p.Mul(a.inMass))
		a.spin = a.spin.Sub(a.inertia.mul(j.ra.Cross(p)))
	}
	if j.b >= 0 {
		if b := w.bodies[j.b]; !b.asleep {
			b.vel = b.vel.Add(p.Mul(b.inMass))
			b.spin = b.spin.Add(b.inertia.mul(j.rb.Cross(p)))
		}
	}
}

func (w *world) twist(j *joint, p geom.V) {
	if a := w.bodies[j.a]; !a.asleep {
		a.spin = a.spin.Sub(a.inertia.mul(p))
	}
	if j.b >= 0 {
		if b := w.bodies[j.b]; !b.asleep {
			b.spin = b.spin.Add(b.inertia.mul(p))
		}
	}
}

// speed is how fast the second moves from the first at the place.
func (w *world) speed(j *joint) (v, spin geom.V) {
	a := w.bodies[j.a]
	v, spin = a.vel.Add(a.spin.Cross(j.ra)).Mul(-1), a.spin.Mul(-1)
	if j.b >= 0 {
		if b := w.bodies[j.b]; !b.asleep {
			v, spin = v.Add(b.vel).Add(b.spin.Cross(j.rb)), spin.Add(b.spin)
		}
	}
	return v, spin
}

// solve goes over all contacts once: with bias they are pushed apart where they are too
// near, without only their speeds are made right.
func (w *world) solve(start []pose, give soft, perStep float64, bias bool) {
	for i := range w.joints {
		j := &w.joints[i]
		// How far apart the places are now.
		a := w.bodies[j.a]
		gap := j.gap
		gap -= a.pos.Sub(start[j.a].pos).Add(swung(a.swing, j.ra)).Dot(j.n)
		if j.b >= 0 {
			b := w.bodies[j.b]
			gap += b.pos.Sub(start[j.b].pos).Add(swung(b.swing, j.rb)).Dot(j.n)
		}
		extra, mass, forget := 0.0, 1.0, 0.0
		switch {
		case gap > 0:
			extra = gap * perStep
		case bias:
			const push = 0.3 // m/s at which what reaches into one another is pushed apart
			extra, mass, forget = max(give.bias*gap, -push), give.mass, give.impulse
		}
		v, _ := w.speed(j)
		p := max(j.push-j.massN*mass*(v.Dot(j.n)+extra)-forget*j.push, 0)
		w.apply(j, j.n.Mul(p-j.push))
		j.push = p
	}
	for i := range w.joints {
		j := &w.joints[i]
		if j.push == 0 && j.f1 == 0 && j.f2 == 0 && j.roll == (geom.V{}) {
			continue
		}
		_, spin := w.speed(j)
		roll := j.roll.Sub(spin.Mul(j.massRoll))
		if l, most := roll.Len(), j.reach*j.push; l > most {
			roll = roll.Mul(most / l)
		}
		w.twist(j, roll.Sub(j.roll))
		j.roll = roll

		v, _ := w.speed(j)
		f1, f2 := j.f1-j.mass1*v.Dot(j.t1), j.f2-j.mass2*v.Dot(j.t2)
		if l, most := math.Hypot(f1, f2), friction*j.push; l > most {
			f1, f2 = f1*most/l, f2*most/l
		}
		w.apply(j, j.t1.Mul(f1-j.f1).Add(j.t2.Mul(f2-j.f2)))
		j.f1, j.f2 = f1, f2
	}
}

// swung is how far r is moved by a turn of length one.
func swung(q geom.Q, r geom.V) geom.V {
	u := geom.V{X: q.X, Y: q.Y, Z: q.Z}
	t := u.Cross(r).Mul(2)
	return t.Mul(q.W).Add(u.Cross(t))
}

// meet finds what touches, or soon will.
func (w *world) meet() {
	type pair struct {
		a, b int
		list []touch
		with []int
	}
	var pairs []*pair
	reach := make([]float64, len(w.bodies))
	for i, b := range w.bodies {
		if b.asleep {
			continue
		}
		b.move()
		reach[i] = 0.004 + (b.vel.Len()+gravity*step+b.spin.Len()*b.radius)*step
	}
	for i, a := range w.bodies {
		for k := i + 1; k < len(w.bodies); k++ {
			if b := w.bodies[k]; !(a.asleep && b.asleep) && a.box.Meets(&b.box, reach[i]+reach[k]) {
				pairs = append(pairs, &pair{a: i, b: k})
			}
		}
		if !a.asleep {
			pairs = append(pairs, &pair{a: i, b: -1})
		}
	}
	work := func(p *pair) {
		a := w.bodies[p.a]
		if p.b < 0 {
			w.standing(a, reach[p.a], func(with int, list []touch) {
				for range list {
					p.with = append(p.with, -1-with)
				}
				p.list = append(p.list, list...)
			})
			return
		}
		b, r := w.bodies[p.b], reach[p.a]+reach[p.b]
		for _, x := range a.here {
			if !x.box.Meets(&b.box, r) {
				continue
			}
			for _, y := range b.here {
				if x.box.Meets(&y.box, r) {
					p.list = touches(p.list, x, y, r, a.pos)
				}
			}
		}
		for range p.list {
			p.with = append(p.with, p.b)
		}
	}
	var g crew.Group
	const share = 2
	for k := range share {
		g.Go(func() {
			for i := k; i < len(pairs); i += share {
				work(pairs[i])
			}
		})
	}
	g.Wait()
	// What lies asleep is woken by what comes to it, with all that hangs together with it.
	w.joints = w.joints[:0]
	for _, p := range pairs {
		if p.b < 0 {
			continue
		}
		a, b := w.bodies[p.a], w.bodies[p.b]
		if a.asleep == b.asleep {
			continue
		}
		if slices.ContainsFunc(p.list, func(t touch) bool { return t.gap < 1e-4 }) {
			if a.asleep {
				w.rouse(p.a)
			} else {
				w.rouse(p.b)
			}
		}
	}
	for _, p := range pairs {
		for k, t := range p.list {
			w.joints = append(w.joints, w.joint(p.a, p.b, p.with[k], t))
		}
	}
}

// rouse wakes a body and all that it hangs together with.
func (w *world) rouse(i int) {
	b := w.bodies[i]
	if !b.asleep {
		return
	}
	b.asleep, b.calm, b.from, b.fromRot = false, 0, b.pos, b.rot
	for _, k := range w.links[i] {
		w.rouse(k)
	}
}

// standing tells what a touches of what stands, and of the ground.
func (w *world) standing(a *body, reach float64, tell func(with int, list []touch)) {
	if a.nearTo.IsEmpty() || a.near == nil || !holds(&a.nearTo, &a.box, reach) {
		a.nearTo = wider(a.box, 0.3+2*reach)
		a.near = []int{}
		for i, o := range w.others {
			if a.nearTo.Meets(&o.Box, 0) {
				a.near = append(a.near, i)
			}
		}
	}
	var list []touch
	for _, i := range a.near {
		o := w.others[i]
		if !a.box.Meets(&o.Box, reach) {
			continue
		}
		list = list[:0]
		for _, s := range a.here {
			if s.box.Meets(&o.Box, reach) {
				list = against(list, s, o, reach, a.pos)
			}
		}
		tell(i, list)
	}
	list = list[:0]
	for _, s := range a.here {
		if s.box.Min.Y > reach {
			continue
		}
		// A piece of the ground, four times as wide.
		c, r := s.box.Center(), 4*s.box.Size().Len()
		ground := &solid{corners: support{{X: c.X - r, Z: c.Z - r}, {X: c.X - r, Z: c.Z + r},
			{X: c.X + r, Z: c.Z + r}, {X: c.X + r, Z: c.Z - r}},
			faces: []face{{geom.V{Y: 1}, 0, []int32{0, 1, 2, 3}}}, twoway: true}
		ground.box = geom.Box{Min: ground.corners[0], Max: ground.corners[2]}
		list = touches(list, s, ground, reach, geom.V{X: c.X, Y: max(c.Y, 1), Z: c.Z})
	}
	tell(len(w.others), list)
}

func holds(b, in *geom.Box, margin float64) bool {
	return b.Min.X <= in.Min.X-margin && b.Min.Y <= in.Min.Y-margin && b.Min.Z <= in.Min.Z-margin &&
		b.Max.X >= in.Max.X+margin && b.Max.Y >= in.Max.Y+margin && b.Max.Z >= in.Max.Z+margin
}

func (w *world) joint(a, b, with int, t touch) joint {
	j := joint{a: a, b: b, with: with, n: t.n, gap: t.gap}
	x := w.bodies[a]
	j.ra = t.at.Sub(x.pos)
	j.t1, j.t2 = geom.Frame(t.n)
	inverse := func(d geom.V) float64 {
		k := 0.0
		if !x.asleep {
			c := j.ra.Cross(d)
			k += x.inMass + c.Dot(x.inertia.mul(c))
		}
		if b >= 0 && !w.bodies[b].asleep {
			c := j.rb.Cross(d)
			k += w.bodies[b].inMass + c.Dot(w.bodies[b].inertia.mul(c))
		}
		return 1 / max(k, 1e-12)
	}
	small, trace := x.radius, 0.0
	if !x.asleep {
		trace = x.inertia[0].X + x.inertia[1].Y + x.inertia[2].Z
	}
	if b >= 0 {
		y := w.bodies[b]
		j.rb = t.at.Sub(y.pos)
		small = min(small, y.radius)
		if !y.asleep {
			trace += y.inertia[0].X + y.inertia[1].Y + y.inertia[2].Z
		}
	}
	j.massN, j.mass1, j.mass2 = inverse(j.n), inverse(j.t1), inverse(j.t2)
	j.massRoll, j.reach = 1/max(trace, 1e-12), rolling*small
	// What the contact held the last time, where it was nearly at this place.
	at := x.rot.Back().Rotate(j.ra)
	best, close := -1, 0.05*x.radius
	for k := range x.old {
		if m := &x.old[k]; m.with == with && m.push > 0 && m.n.Dot(j.n) > 0.95 {
			if d := m.at.Sub(at).Len(); d < close {
				best, close = k, d
			}
		}
	}
	if best >= 0 {
		m := &x.old[best]
		j.push, j.f1, j.f2, j.roll = m.push, m.rub.Dot(j.t1), m.rub.Dot(j.t2), m.roll
		m.push = 0 // it is handed on once
	}
	return j
}

// rest puts to sleep what has lain still for long enough, with all that it touches.
func (w *world) rest() {
	sets := join.New(len(w.bodies))
	for i, b := range w.bodies {
		if !b.asleep {
			w.links[i] = w.links[i][:0]
		}
	}
	for i := range w.joints {
		j := &w.joints[i]
		if j.b < 0 || j.push == 0 {
			continue
		}
		sets.Join(uint32(j.a), uint32(j.b))
		for _, l := range [2][2]int{{j.a, j.b}, {j.b, j.a}} {
			if !slices.Contains(w.links[l[0]], l[1]) {
				w.links[l[0]] = append(w.links[l[0]], l[1])
			}
		}
	}
	calm := make([]float64, len(w.bodies))
	for i := range calm {
		calm[i] = math.Inf(1)
	}
	for i, b := range w.bodies {
		if b.asleep {
			continue
		}
		if b.since(b.from, b.fromRot) > still {
			b.calm, b.from, b.fromRot = 0, b.pos, b.rot
		} else {
			b.calm += step
		}
		r := sets.Find(uint32(i))
		calm[r] = min(calm[r], b.calm)
	}
	for i, b := range w.bodies {
		if !b.asleep && calm[sets.Find(uint32(i))] >= quiet && len(w.joints) > 0 {
			b.asleep, b.vel, b.spin = true, geom.V{}, geom.V{}
			b.move()
		}
	}
}
