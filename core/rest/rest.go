// Package rest lets things fall until they lie: rigid bodies with weight and friction that
// tumble over one another, lean and come to rest, on one another and on what stands.
//
// A body is felt by the convex solids that hold its triangles (contact.Body.Parts), what
// stands by its triangles themselves. Motion is that of Newton and Euler in small steps,
// contacts are solved by sequential impulses (Catto, Iterative Dynamics with Temporal
// Coherence, 2005) over many small steps (Macklin and others, Small Steps in Physics
// Simulation, 2019) with soft constraints (Catto, Soft Constraints, 2011). Nothing bounces,
// and nothing falls faster than 2 m/s: things are put down, not thrown. The same bodies
// in the same order come to rest in the same way. Lengths are metres, times seconds.
package rest

import (
	"cmp"
	"math"
	"slices"

	"visator/core/contact"
	"visator/core/crew"
	"visator/core/geom"
)

const (
	first      = 3 * step // in which what carries a heap is not known yet: it is gone over firstTimes
	firstTimes = 40
	gravity    = 9.81
	step       = 1.0 / 120 // between two searches for contacts
	substeps   = 8
	times      = 3    // contacts are gone over in each of these
	fastest    = 2.0  // m/s
	friction   = 0.5  // wood on wood, leather on wood: 0.3 to 0.6 (engineering tables, from memory)
	rolling    = 0.02 // of the radius: how far before its middle a wheel is carried, as on a carpet
	still      = 3e-4 // metres that what lies still may move
	rests      = 6e-4 // metres by which what rests may move when it is let go again
	quiet      = 0.5  // seconds for which it must
	heaviest   = 50.0 // times the lightest: what weighs less is taken to weigh that
	release    = 0.15 // metres above what is beneath, at most, from which things fall
	wholeTime  = 20.0 // seconds after which what still moves, as down a long slope, is left where it is
	rounds     = 8    // of letting go, at most
)

// Result is where bodies came to rest.
type Result struct {
	Bodies []*contact.Placed // in the order they came
	Moving []int             // those that had not come to rest when the time was up
	Hollow float64           // metres: nothing hollow is deeper in a body than it was felt, but for so much
	Time   float64           // seconds that went by for the bodies
}

// Heap lets bodies fall until they rest on others, on one another and on the ground at
// height 0. What reaches into something is lifted out of it first, the lowest before
// those above. tell is asked now and then whether to go on, with how much of the work
// is done, 0 to 1; no result comes back when it says no.
func Heap(bodies, others []*contact.Placed, tell func(done float64) bool) (*Result, bool) {
	if len(bodies) == 0 {
		return &Result{}, true
	}
	out := &Result{Bodies: bodies}
	for k := range rounds {
		done := 1 - math.Pow(0.5, float64(k)) // most need two
		w := &world{tell: func(d float64) bool { return tell(done + (1-done)*0.8*d) }}
		// From a standstill it is felt what was held by its own motion alone, and what
		// reached into something is lifted out of it: only what stays then rests.
		if !w.gather(out.Bodies, others) || !w.run(quiet) {
			return nil, false
		}
		out.Hollow, out.Moving = w.hollow, nil
		for i, p := range w.placed() {
			if apart(p, out.Bodies[i]) > rests {
				out.Moving = append(out.Moving, i)
			}
		}
		if len(out.Moving) == 0 {
			out.Time += w.time
			break
		}
		if !w.run(wholeTime) {
			return nil, false
		}
		out.Time, out.Bodies = out.Time+w.time, w.placed()
	}
	return out, true
}

// apart is how far the corners of a body's box are from where they were, at most.
func apart(p, q *contact.Placed) (most float64) {
	for k := range 8 {
		c := p.Body.Box.Corner(k)
		most = max(most, p.World.Point(c).Sub(q.World.Point(c)).Len())
	}
	return most
}

// placed is where the bodies are.
func (w *world) placed() []*contact.Placed {
	list := make([]*contact.Placed, len(w.bodies))
	for i, b := range w.bodies {
		list[i] = contact.Place(b.start.Body, b.now())
	}
	return list
}

// world is the bodies that move and what stands about them.
type world struct {
	bodies []*body
	others []*contact.Placed
	joints []joint
	links  [][]int // of each body: those it touched last
	time   float64
	hollow float64
	tell   func(float64) bool
}

// body is one that moves.
type body struct {
	start   *contact.Placed
	centre  geom.V // of mass, at the start
	parts   []local
	pos     geom.V
	rot     geom.Q // from the start
	swing   geom.Q // from the start of the step
	vel     geom.V
	spin    geom.V
	inMass  float64 // one over the mass
	inert   mat3    // inverse, at the start
	inertia mat3    // inverse, now
	radius  float64
	asleep  bool

	here    []*solid // parts where they are now
	box     geom.Box
	from    geom.V // where it has lain since it last moved, and how it was turned
	fromRot geom.Q
	calm    float64 // for how long
	near    []int   // others that it may meet
	nearTo  geom.Box
	old     []memory
}

// local is a convex solid about the centre of mass, as turned at the start.
type local struct {
	points []geom.V
	faces  []face
	round  float64
}

// memory is what a contact held, to begin with the next time.
type memory struct {
	with int    // the other body, or -1 - the number of what stands
	at   geom.V // from the centre of mass, unturned
	n    geom.V
	push float64
	rub  geom.V
	roll geom.V
}

type mat3 [3]geom.V

func (m *mat3) mul(v geom.V) geom.V { return geom.V{X: m[0].Dot(v), Y: m[1].Dot(v), Z: m[2].Dot(v)} }

// turned is m for axes that are turned by q.
func (m *mat3) turned(q geom.Q) (out mat3) {
	c := [3]geom.V{q.Rotate(geom.V{X: 1}), q.Rotate(geom.V{Y: 1}), q.Rotate(geom.V{Z: 1})}
	for i := range 3 {
		for j := range 3 {
			k := m[i].At(j)
			out[0] = out[0].Add(c[j].Mul(k * c[i].X))
			out[1] = out[1].Add(c[j].Mul(k * c[i].Y))
			out[2] = out[2].Add(c[j].Mul(k * c[i].Z))
		}
	}
	return out
}

// now is where the body is, as a transform of its own space.
func (b *body) now() geom.M {
	one := geom.V{X: 1, Y: 1, Z: 1}
	return geom.Compose(b.pos, b.rot, one).Mul(geom.Translation(b.centre.Mul(-1))).Mul(b.start.World)
}

func (w *world) gather(bodies, others []*contact.Placed) bool {
	// What bodies are made of is found side by side; many are of one kind.
	kinds := map[*contact.Body]bool{}
	var g crew.Group
	for _, p := range bodies {
		if !kinds[p.Body] {
			kinds[p.Body] = true
			g.Go(func() { p.Parts() })
		}
	}
	g.Wait()
	if !w.tell(0.05) {
		return false
	}
	order := make([]int, len(bodies))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(i, j int) int { return cmp.Compare(bodies[i].Box.Min.Y, bodies[j].Box.Min.Y) })
	w.others = others
	w.bodies = make([]*body, len(bodies))
	stand := slices.Clone(others)
	heavy := 0.0
	for n, i := range order {
		if !w.tell(0.05 + 0.05*float64(n)/float64(len(order))) {
			return false
		}
		p := ready(bodies[i], stand)
		stand = append(stand, p)
		b := newBody(p)
		_, hollow := p.Parts()
		w.hollow = max(w.hollow, hollow)
		w.bodies[i] = b
		heavy = max(heavy, 1/b.inMass)
	}
	for _, b := range w.bodies {
		if k := heavy / heaviest * b.inMass; k > 1 { // as heavy as that, spread alike
			b.inMass /= k
			for i := range b.inert {
				b.inert[i] = b.inert[i].Mul(1 / k)
			}
		}
		b.move()
	}
	w.links = make([][]int, len(w.bodies))
	return true
}

// ready is a body lifted out of what it reaches into, and brought down to where it is let
// go.
func ready(p *contact.Placed, stand []*contact.Placed) *contact.Placed {
	if p.Box.Min.Y < 0 {
		p = p.Moved(geom.V{Y: -p.Box.Min.Y})
	}
	column := p.Box
	column.Min.Y, column.Max.Y = 0, math.Inf(1)
	var about []*contact.Placed
	in := false
	for _, o := range stand {
		if column.Meets(&o.Box, 0) {
			about = append(about, o)
			in = in || o.Copies() == 1 && contact.Overlap(p, o)
		}
	}
	if in {
		var solid []*contact.Placed
		for _, o := range about {
			if o.Copies() == 1 {
				solid = append(solid, o)
			}
		}
		if up, ok := contact.Clear(p, solid, geom.V{Y: 1}, contact.Reach); ok {
			p = p.Moved(geom.V{Y: up + skin})
		}
	}
	gap := p.Box.Min.Y
	for _, o := range about {
		if o.Box.Max.Y > p.Box.Min.Y { // beside it, or it lies in a hollow of that
			if o.Box.Min.Y < p.Box.Max.Y {
				gap = min(gap, release)
			}
			continue
		}
		gap = min(gap, p.Box.Min.Y-o.Box.Max.Y)
	}
	if gap > release {
		p = p.Moved(geom.V{Y: release - gap})
	}
	return p
}

func newBody(p *contact.Placed) *body {
	b := &body{start: p, centre: p.Mass(), rot: geom.Q{W: 1}}
	b.pos = b.centre
	parts, _ := p.Parts()
	long := func(d geom.V) float64 { return p.World.Dir(d).Len() }
	across := geom.V{X: long(geom.V{X: 1}), Y: long(geom.V{Y: 1}), Z: long(geom.V{Z: 1})}
	inv, _ := p.World.Affine()
	for _, c := range parts {
		l := local{round: c.Round * across.Max()}
		for _, q := range c.Points {
			v := p.World.Point(q).Sub(b.centre)
			l.points = append(l.points, v)
			b.radius = max(b.radius, v.Len()+l.round)
		}
		for _, f := range c.Faces {
			n := inv.NormalDir(f.N).Unit()
			if n == (geom.V{}) {
				continue
			}
			g := face{n: n, d: math.Inf(-1)}
			for _, k := range f.Loop {
				g.d = max(g.d, n.Dot(l.points[k]))
			}
			g.loop = slices.Clone(f.Loop)
			if a := l.points[g.loop[0]]; l.points[g.loop[1]].Sub(a).Cross(l.points[g.loop[2]].Sub(a)).Dot(n) < 0 {
				slices.Reverse(g.loop) // mirrored
			}
			l.faces = append(l.faces, g)
		}
		b.parts = append(b.parts, l)
	}
	b.weigh()
	return b
}

// weigh finds mass and inertia of a body of one density: of what fills it where it is
// closed (Blow and Binstock, How to find the inertia tensor of a solid body, 2004), of its
// skin, 2 cm thick, otherwise.
func (b *body) weigh() {
	var c [3][3]float64 // covariance about the centre of mass
	mass := 0.0
	b.start.Reach(geom.Identity, func(geom.V, geom.V) bool { return false }, func(t [3]geom.V) {
		p, q, r := t[0].Sub(b.centre), t[1].Sub(b.centre), t[2].Sub(b.centre)
		k, m := 0.0, 0.0
		if b.start.Closed {
			six := p.Dot(q.Cross(r))
			k, m = six/120, six/6
		} else {
			m = 0.02 * q.Sub(p).Cross(r.Sub(p)).Len() / 2
			k = m / 12
		}
		mass += m
		s := p.Add(q).Add(r)
		for i := range 3 {
			for j := range 3 {
				c[i][j] += k * (s.At(i)*s.At(j) + p.At(i)*p.At(j) + q.At(i)*q.At(j) + r.At(i)*r.At(j))
			}
		}
	})
	if mass < 0 { // inside out
		mass = -mass
		for i := range c {
			for j := range c[i] {
				c[i][j] = -c[i][j]
			}
		}
	}
	mass = max(mass, 1e-9)
	// Nothing is so thin that it turns at a touch: as if it were a hundredth of its size thick.
	least := mass * math.Pow(0.01*b.radius, 2)
	trace := c[0][0] + c[1][1] + c[2][2]
	m := geom.M{15: 1}
	for i := range 3 {
		for j := range 3 {
			x := -c[i][j]
			if i == j {
				x += trace + 2*least
			}
			m[4*j+i] = x
		}
	}
	b.inMass = 1 / mass
	inv, ok := m.Affine()
	if !ok || !inv.Finite() {
		k := 2.5 / (mass * b.radius * b.radius)
		inv = geom.Scaling(k)
	}
	for i := range 3 {
		b.inert[i] = geom.V{X: inv[i], Y: inv[4+i], Z: inv[8+i]}
	}
}

// move brings the body's parts to where it is.
func (b *body) move() {
	b.inertia = b.inert.turned(b.rot)
	x, y, z := b.rot.Rotate(geom.V{X: 1}), b.rot.Rotate(geom.V{Y: 1}), b.rot.Rotate(geom.V{Z: 1})
	turn := func(v geom.V) geom.V { return x.Mul(v.X).Add(y.Mul(v.Y)).Add(z.Mul(v.Z)) }
	if b.here == nil {
		for i := range b.parts {
			p := &b.parts[i]
			b.here = append(b.here, &solid{corners: make(support, len(p.points)), faces: slices.Clone(p.faces),
				round: p.round})
		}
	}
	b.box = geom.Empty()
	for i, s := range b.here {
		p := &b.parts[i]
		s.box = geom.Empty()
		for k, v := range p.points {
			s.corners[k] = turn(v).Add(b.pos)
			s.box = s.box.Add(s.corners[k])
		}
		for k := range p.faces {
			s.faces[k].n = turn(p.faces[k].n)
			s.faces[k].d = p.faces[k].d + s.faces[k].n.Dot(b.pos)
		}
		s.box = wider(s.box, p.round)
		b.box = b.box.Union(s.box)
	}
}

func wider(b geom.Box, by float64) geom.Box {
	d := geom.V{X: by, Y: by, Z: by}
	return geom.Box{Min: b.Min.Sub(d), Max: b.Max.Add(d)}
}

// run goes on until all rest, or the time is up.
func (w *world) run(until float64) bool {
	from := make([]pose, len(w.bodies))
	looked := -1.0
	for k := 0; w.time < until; k++ {
		if w.time > looked+quiet {
			// What trembles for long is let be when that is hardly to be seen.
			most := 0.0
			for i, b := range w.bodies {
				if !b.asleep && looked >= 0 {
					most = max(most, b.since(from[i].pos, from[i].rot))
				}
				from[i] = pose{b.pos, b.rot}
			}
			if looked >= 0 && most < still*(1+w.time/10) {
				return true
			}
			looked = w.time
		}
		if k%8 == 0 && !w.tell(0.1+0.9*w.time/(w.time+3)) {
			return false
		}
		w.step()
		w.time += step
	}
	return true
}

type pose struct {
	pos geom.V
	rot geom.Q
}

// since is how far the body's farthest point has come, at most.
func (b *body) since(pos geom.V, rot geom.Q) float64 {
	d := rot.X*b.rot.X + rot.Y*b.rot.Y + rot.Z*b.rot.Z + rot.W*b.rot.W
	// |q - p|, which is half the angle where it is small.
	s := 1.0
	if d < 0 {
		s = -1
	}
	h := math.Sqrt(sq(b.rot.X-s*rot.X) + sq(b.rot.Y-s*rot.Y) + sq(b.rot.Z-s*rot.Z) + sq(b.rot.W-s*rot.W))
	return b.pos.Sub(pos).Len() + 2*h*b.radius
}

func sq(x float64) float64 { return x * x }
