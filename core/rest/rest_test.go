package rest

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/contact"
	"visator/core/geom"
)

func v(x, y, z float64) geom.V { return geom.V{X: x, Y: y, Z: z} }

// box is a body of the size, about the middle of its floor.
func box(x, y, z float64) *contact.Body {
	b := geom.Box{Min: v(-x/2, 0, -z/2), Max: v(x/2, y, z/2)}
	var points [][3]float32
	for i := range 8 {
		c := b.Corner(i)
		points = append(points, [3]float32{float32(c.X), float32(c.Y), float32(c.Z)})
	}
	var triangles [][3]uint32
	for _, q := range [6][4]uint32{{0, 4, 6, 2}, {1, 3, 7, 5}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 2, 3, 1}, {4, 5, 7, 6}} {
		triangles = append(triangles, [3]uint32{q[0], q[1], q[2]}, [3]uint32{q[0], q[2], q[3]})
	}
	return contact.Mesh(points, triangles)
}

func at(b *contact.Body, p geom.V, q geom.Q) *contact.Placed {
	if q == (geom.Q{}) {
		q.W = 1
	}
	return contact.Place(b, geom.Compose(p, q, v(1, 1, 1)))
}

func heap(t *testing.T, bodies, others []*contact.Placed) *Result {
	t.Helper()
	r, ok := Heap(bodies, others, func(float64) bool { return true })
	if !ok {
		t.Fatal("it was stopped")
	}
	return r
}

func about(t *testing.T, what string, got, want, tol float64) {
	t.Helper()
	if !(math.Abs(got-want) <= tol) {
		t.Errorf("%s is %.5f, not %.5f", what, got, want)
	}
}

// A box let go flat stays flat, half its height above the ground; one on its edge falls on
// its side.
func TestABoxLies(t *testing.T) {
	r := heap(t, []*contact.Placed{at(box(0.5, 0.4, 0.3), v(0, 1, 0), geom.Q{})}, nil)
	about(t, "height of its middle", r.Bodies[0].Mass().Y, 0.2, 0.001)
	about(t, "how far it slid", math.Hypot(r.Bodies[0].Mass().X, r.Bodies[0].Mass().Z), 0, 0.001)
	r = heap(t, []*contact.Placed{at(box(0.5, 0.4, 0.3), v(0, 1, 0), geom.Turn(v(1, 0, 0), 0.6))}, nil)
	up := 0.0
	for k := range 3 {
		up = max(up, math.Abs(r.Bodies[0].World[4*k+1]))
	}
	about(t, "the upright side", up, 1, 1e-3)
}

// On a slope of less than friction's angle (atan 0.5, 26.6°) a box stays, on a steeper one
// it slides down (Coulomb's law).
func TestFrictionHolds(t *testing.T) {
	for _, c := range []struct {
		degrees float64
		slides  bool
	}{{20, false}, {25, false}, {29, true}, {35, true}} {
		a := c.degrees * math.Pi / 180
		q := geom.Turn(v(0, 0, 1), a)
		slope := at(box(6, 0.2, 6), v(0, 3, 0), q)
		b := at(box(0.5, 0.3, 0.5), v(0, 3, 0).Add(q.Rotate(v(1.5, 0.21, 0))), q)
		r := heap(t, []*contact.Placed{b}, []*contact.Placed{slope})
		if d := r.Bodies[0].Mass().Sub(b.Mass()).Len(); (d > 0.1) != c.slides {
			t.Errorf("at %g° it moves %.3f m", c.degrees, d)
		}
	}
}

// lies checks that nothing reaches into anything by more than a millimetre, and that a
// second settling moves nothing by more than that.
func lies(t *testing.T, r *Result, others []*contact.Placed) {
	t.Helper()
	if len(r.Moving) > 0 {
		t.Errorf("%d still move after %.1f s", len(r.Moving), r.Time)
	}
	all := append(append([]*contact.Placed{}, r.Bodies...), others...)
	for i, p := range r.Bodies {
		if p.Box.Min.Y < -0.001 {
			t.Errorf("%d is %.4f m in the ground", i, -p.Box.Min.Y)
		}
		for k := i + 1; k < len(all); k++ {
			if d, _ := contact.Depth(p, all[k]); d > 0.001 {
				t.Errorf("%d reaches %.4f m into %d", i, d, k)
			}
		}
	}
	again := heap(t, r.Bodies, others)
	for i, p := range again.Bodies {
		for k := range 8 {
			c := p.Body.Box.Corner(k)
			if d := p.World.Point(c).Sub(r.Bodies[i].World.Point(c)).Len(); d > 0.001 {
				t.Errorf("settled again %d moves %.4f m", i, d)
				break
			}
		}
	}
}

// A stack of ten stands as it is.
func TestAStackStands(t *testing.T) {
	var stack []*contact.Placed
	for i := range 10 {
		stack = append(stack, at(box(0.4, 0.2, 0.3), v(0.02*float64(i%2), 0.202*float64(i), 0),
			geom.Turn(v(0, 1, 0), 0.1*float64(i%3))))
	}
	r := heap(t, stack, nil)
	for i, p := range r.Bodies {
		if d := p.Mass().Sub(stack[i].Mass()).Len(); d > 0.03 {
			t.Errorf("%d of the stack moved %.3f m", i, d)
		}
	}
	lies(t, r, nil)
}

// ball is a body about its lowest point.
func ball(radius float64, n int) *contact.Body {
	var points [][3]float32
	var triangles [][3]uint32
	for i := range n + 1 {
		for j := range 2 * n {
			s, c := math.Sincos(math.Pi * float64(i) / float64(n))
			t, d := math.Sincos(math.Pi * float64(j) / float64(n))
			if i == n {
				s = 0 // one place
			}
			points = append(points, [3]float32{float32(radius * s * d), float32(radius * (1 - c)),
				float32(radius * s * t)})
		}
	}
	for i := range n {
		for j := range 2 * n {
			p, q := uint32(i*2*n+j), uint32(i*2*n+(j+1)%(2*n))
			triangles = append(triangles, [3]uint32{p, q, q + uint32(2*n)}, [3]uint32{p, q + uint32(2*n),
				p + uint32(2*n)})
		}
	}
	return contact.Mesh(points, triangles)
}

// one is a body of several.
func one(list ...*contact.Placed) *contact.Body {
	var points [][3]float32
	var triangles [][3]uint32
	for _, p := range list {
		p.Reach(geom.Identity, func(geom.V, geom.V) bool { return false }, func(t [3]geom.V) {
			f := uint32(len(points))
			for _, q := range t {
				points = append(points, [3]float32{float32(q.X), float32(q.Y), float32(q.Z)})
			}
			triangles = append(triangles, [3]uint32{f, f + 1, f + 2})
		})
	}
	return contact.Mesh(points, triangles)
}

func chair() *contact.Body {
	l := []*contact.Placed{at(box(0.45, 0.04, 0.45), v(0, 0.45, 0), geom.Q{}),
		at(box(0.45, 0.5, 0.04), v(0, 0.49, -0.2), geom.Q{})}
	for _, x := range []float64{-0.2, 0.2} {
		for _, z := range []float64{-0.2, 0.2} {
			l = append(l, at(box(0.04, 0.45, 0.04), v(x, 0, z), geom.Q{}))
		}
	}
	return one(l...)
}

// A plank across two blocks of different height leans on the inner edge of the taller one
// and the outer end: between 0.55 on 0.65 and 0.3 on -0.65 or -0.95.
func TestAPlankLeans(t *testing.T) {
	blocks := []*contact.Placed{at(box(0.3, 0.3, 0.3), v(-0.8, 0, 0), geom.Q{}),
		at(box(0.3, 0.55, 0.3), v(0.8, 0, 0), geom.Q{})}
	r := heap(t, []*contact.Placed{at(box(2.2, 0.04, 0.2), v(0.05, 1.5, 0.02), geom.Turn(v(0, 1, 0), 0.03))}, blocks)
	p := r.Bodies[0]
	x := v(p.World[0], p.World[1], p.World[2])
	if slope := x.Y / x.X; slope < 0.25/1.7 || slope > 0.25/1.25 {
		t.Errorf("the plank's slope is %.3f", slope)
	}
	lies(t, r, blocks)
}

// Chairs among crates and balls, and luggage that falls on a table and off it: what is
// hollow, round or held aloft rests as well.
func TestHeapsOfAllKindsRest(t *testing.T) {
	table := at(one(at(box(2, 0.05, 2), v(0, 0.7, 0), geom.Q{}), at(box(0.1, 0.7, 0.1), v(0, 0, 0), geom.Q{})),
		v(1, 0, 1), geom.Q{})
	for _, c := range []struct {
		kinds  []*contact.Body
		others []*contact.Placed
	}{
		{[]*contact.Body{chair(), box(0.3, 0.3, 0.3), ball(0.15, 10)}, nil},
		{[]*contact.Body{box(0.7, 0.25, 0.5), box(0.5, 0.2, 0.35), ball(0.08, 8)}, []*contact.Placed{table}},
	} {
		r := rand.New(rand.NewPCG(21, 9))
		var drop []*contact.Placed
		for i := range 24 {
			q := geom.Turn(v(r.NormFloat64(), r.NormFloat64(), r.NormFloat64()).Unit(), 3*r.Float64())
			drop = append(drop, at(c.kinds[i%len(c.kinds)], v(1.5*r.Float64(), 0.3+0.1*float64(i), 1.5*r.Float64()), q))
		}
		lies(t, heap(t, drop, c.others), c.others)
	}
}

// A floor of many triangles is as smooth as one of two: a box slides over its seams as
// far as by Newton and Coulomb, g (sin a - 0.5 cos a) t²/2, but for a twentieth that the
// air and the steps take.
func TestSeamsDoNotHold(t *testing.T) {
	var points [][3]float32
	var triangles [][3]uint32
	const n = 40
	for i := range n + 1 {
		for j := range n + 1 {
			points = append(points, [3]float32{float32(i)*0.1 - 2, 0, float32(j)*0.1 - 2})
		}
	}
	for i := range uint32(n) {
		for j := range uint32(n) {
			a, b := i*(n+1)+j, (i+1)*(n+1)+j
			triangles = append(triangles, [3]uint32{a, a + 1, b + 1}, [3]uint32{a, b + 1, b})
		}
	}
	q := geom.Turn(v(0, 0, 1), 40*math.Pi/180)
	const seconds = 1.0
	sin, cos := math.Sincos(40 * math.Pi / 180)
	want := gravity * (sin - friction*cos) * seconds * seconds / 2
	for k, slope := range []*contact.Body{contact.Mesh(points, triangles), box(4, 0.001, 4)} {
		b := at(box(0.5, 0.3, 0.5), v(0, 3, 0).Add(q.Rotate(v(1.5, 0.0015, 0))), q)
		w := &world{tell: func(float64) bool { return true }}
		w.gather([]*contact.Placed{b}, []*contact.Placed{at(slope, v(0, 3, 0), q)})
		w.run(seconds)
		about(t, fmt.Sprintf("how far it slides over seams (%d)", k), w.placed()[0].Mass().Sub(b.Mass()).Len(), want,
			0.06*want)
	}
}

// What is flat, a line from afar, tiny, far away or nothing at all is let go without harm.
func TestOddBodiesAreLetGo(t *testing.T) {
	card := contact.Mesh([][3]float32{{0, 0, 0}, {0.2, 0, 0}, {0.2, 0, 0.1}, {0, 0, 0.1}},
		[][3]uint32{{0, 1, 2}, {0, 2, 3}})
	drop := []*contact.Placed{
		at(card, v(0, 1, 0), geom.Turn(v(0, 0, 1), 0.4)), at(box(0.001, 0.001, 0.001), v(1, 1, 0), geom.Q{}),
		at(box(1, 1e-4, 1), v(3, 1, 0), geom.Q{}), at(box(1, 1, 1), v(9000, 19000, 9000), geom.Q{}),
		at(box(0.2, 0.2, 0.2), v(6, -4, 0), geom.Q{}),
		contact.Place(box(0.3, 0.2, 0.1), geom.Compose(v(8, 1, 0), geom.Q{W: 1}, v(-1, 1, 1))),
	}
	r := heap(t, drop, nil)
	for i, p := range r.Bodies {
		if !p.World.Finite() || p.Box.Min.Y < -0.001 || p.Box.Min.Y > 0.01 {
			t.Errorf("%d lies at %g m", i, p.Box.Min.Y)
		}
	}
	if r := heap(t, nil, nil); len(r.Bodies) != 0 {
		t.Error("nothing comes to rest as something")
	}
}

// FuzzNear checks the distance of two solids against the best of many pairs of points in
// them, and that the two ends lie on them.
func FuzzNear(f *testing.F) {
	f.Add(uint64(1))
	f.Add(uint64(77))
	f.Fuzz(func(t *testing.T, seed uint64) {
		r := rand.New(rand.NewPCG(seed, 4))
		some := func(by geom.V) (s support) {
			for range 1 + r.IntN(9) {
				p := v(r.NormFloat64(), r.NormFloat64(), r.NormFloat64()).Add(by)
				if r.IntN(4) == 0 {
					p = v(math.Round(p.X), math.Round(p.Y), math.Round(p.Z))
				}
				s = append(s, p)
			}
			return s
		}
		a, b := some(geom.V{}), some(v(3*r.NormFloat64(), r.NormFloat64(), 0))
		p, q, d := near(a, b, geom.V{}, math.Inf(1))
		// The way between is no longer than any other, and no plane across it parts them by less.
		if d > 1e-6 {
			n := q.Sub(p).Unit()
			if gap := b[b.far(n.Mul(-1))].Dot(n) - a[a.far(n)].Dot(n); math.Abs(gap-d) > 1e-4*(1+d) {
				t.Fatalf("%g apart, but %g along the way", d, gap)
			}
		}
		mix := func(s support) (m geom.V) {
			sum := 0.0
			w := make([]float64, len(s))
			for i := range w {
				w[i] = math.Pow(r.Float64(), 3)
				sum += w[i]
			}
			for i := range w {
				m = m.Add(s[i].Mul(w[i] / sum))
			}
			return m
		}
		for range 300 {
			if x := mix(a).Sub(mix(b)).Len(); x < d-1e-6*(1+d) {
				t.Fatalf("%g apart, but two points are %g", d, x)
			}
		}
	})
}

func BenchmarkSixty(b *testing.B) {
	r := rand.New(rand.NewPCG(9, 9))
	kinds := []*contact.Body{box(0.7, 0.25, 0.5), box(0.5, 0.2, 0.35), chair(), box(0.3, 0.3, 0.3)}
	var drop []*contact.Placed
	for i := range 60 {
		q := geom.Turn(v(r.NormFloat64(), r.NormFloat64(), r.NormFloat64()).Unit(), 3*r.Float64())
		drop = append(drop, at(kinds[i%4], v(2*r.Float64(), 0.3+0.1*float64(i), 2*r.Float64()), q))
	}
	for b.Loop() {
		Heap(drop, nil, func(float64) bool { return true })
	}
}

// Sixty pieces of luggage, thrown together, come to rest.
func TestSixtyRest(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	kinds := []*contact.Body{box(0.7, 0.25, 0.5), box(0.5, 0.2, 0.35), box(0.9, 0.4, 0.5), box(0.3, 0.3, 0.3)}
	var drop []*contact.Placed
	for i := range 60 {
		q := geom.Turn(v(r.NormFloat64(), r.NormFloat64(), r.NormFloat64()).Unit(), 3*r.Float64())
		drop = append(drop, at(kinds[i%4], v(2*r.Float64(), 0.3+0.1*float64(i), 2*r.Float64()), q))
	}
	res := heap(t, drop, nil)
	t.Logf("%.2f s went by", res.Time)
	lies(t, res, nil)
	again := heap(t, drop, nil)
	for i := range res.Bodies {
		if res.Bodies[i].World != again.Bodies[i].World {
			t.Fatalf("%d comes to rest elsewhere the second time", i)
		}
	}
	if _, ok := Heap(drop, nil, func(d float64) bool { return d < 0.3 }); ok {
		t.Error("a heap that was stopped is handed out")
	}
}
