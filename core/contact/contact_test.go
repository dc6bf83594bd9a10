package contact

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
)

func v(x, y, z float64) geom.V { return geom.V{X: x, Y: y, Z: z} }

// box is a closed box about its base centre.
func box(w, h, d float64) *Body {
	x, y, z := float32(w/2), float32(h), float32(d/2)
	return Mesh([][3]float32{{-x, 0, -z}, {x, 0, -z}, {x, 0, z}, {-x, 0, z}, {-x, y, -z}, {x, y, -z}, {x, y, z},
		{-x, y, z}},
		[][3]uint32{{0, 1, 2}, {0, 2, 3}, {4, 6, 5}, {4, 7, 6}, {0, 5, 1}, {0, 4, 5}, {1, 6, 2}, {1, 5, 6}, {2, 7, 3},
			{2, 6, 7}, {3, 4, 0}, {3, 7, 4}})
}

// ball is a sphere of radius r about its middle, of n rings.
func ball(r float64, n int) *Body {
	var p [][3]float32
	var t [][3]uint32
	w := uint32(2 * n)
	for i := 0; i <= n; i++ {
		for j := 0; j < 2*n; j++ {
			a, b := math.Pi*float64(i)/float64(n), math.Pi*float64(j)/float64(n)
			s := math.Sin(a)
			if i == 0 || i == n {
				s = 0
			}
			p = append(p, [3]float32{float32(r * s * math.Cos(b)), float32(r * math.Cos(a)),
				float32(-r * s * math.Sin(b))})
		}
	}
	for i := range uint32(n) {
		for j := range w {
			a, b := i*w+j, i*w+(j+1)%w
			t = append(t, [3]uint32{a, a + w, b + w}, [3]uint32{a, b + w, b})
		}
	}
	return Mesh(p, t)
}

func at(b *Body, p geom.V, q geom.Q) *Placed {
	return Place(b, geom.Compose(p, q, v(1, 1, 1)))
}

func near(t *testing.T, what string, got, want, tol float64) {
	t.Helper()
	if !(math.Abs(got-want) <= tol) {
		t.Errorf("%s is %.6f, want %.6f within %g", what, got, want, tol)
	}
}

// Solid geometry: a box of 2 by 3 by 4 m, and the sphere's volume 4/3 π r³,
// which a polyhedron within it comes near.
func TestBodiesKnowTheirVolumeAndCentre(t *testing.T) {
	b := box(2, 3, 4)
	if !b.Closed {
		t.Fatal("a box is not closed")
	}
	near(t, "the volume of the box", b.Volume, 24, 1e-5)
	near(t, "its centre", b.Center.Y, 1.5, 1e-6)
	s := ball(1, 64)
	if !s.Closed {
		t.Fatal("a ball is not closed")
	}
	near(t, "the volume of the ball", s.Volume, 4*math.Pi/3, 0.005)
	open := Mesh([][3]float32{{0, 0, 0}, {1, 0, 0}, {0, 0, 1}}, [][3]uint32{{0, 1, 2}})
	if open.Closed {
		t.Error("one triangle is closed")
	}
}

// Two spheres reach r1 + r2 - d into one another (closed form); the shared lens
// has the volume π (R+r-d)² (d² + 2dr - 3r² + 2dR + 6rR - 3R²) / 12d
// (Weisstein, Sphere-Sphere Intersection, MathWorld).
func TestSpheresReachIntoOneAnother(t *testing.T) {
	big, small := ball(1, 48), ball(0.5, 40)
	for _, d := range []float64{0.7, 1.1, 1.4, 1.49} {
		a, b := at(big, v(0.1, 0.2, 0.3), geom.Q{}), at(small, v(0.1, 0.2, 0.3).Add(v(0.36, 0.48, 0.8).Mul(d)),
			geom.Q{})
		depth, out := Depth(b, a)
		near(t, "depth", depth, 1.5-d, 0.006)
		if Meet(Place(b.Body, geom.Translation(out.Mul(1.001)).Mul(b.World)), a) {
			t.Errorf("d %g: moved out by %v they still meet", d, out)
		}
		const R, r = 1, 0.5
		lens := math.Pi * (R + r - d) * (R + r - d) * (d*d + 2*d*r - 3*r*r + 2*d*R + 6*r*R - 3*R*R) / (12 * d)
		near(t, "shared volume", Shared(a, b, 96), lens, 0.02*lens+2e-5)
	}
	if d, _ := Depth(at(small, v(1.51, 0, 0), geom.Q{}), at(big, v(0, 0, 0), geom.Q{})); d != 0 {
		t.Errorf("apart by a centimetre, depth %g", d)
	}
	// One wholly within the other: 1 - 0.1 + 0.5 out, whichever way is shortest.
	depth, _ := Depth(at(small, v(0, 0.1, 0), geom.Q{}), at(big, v(0, 0, 0), geom.Q{}))
	near(t, "depth within", depth, 1.4, 0.006)
}

// Boxes reach into one another by the least overlap of their sides; a box whose
// edge dips into a slab at an angle by what its lowest corner is below.
func TestBoxesAndSlabs(t *testing.T) {
	a, b := at(box(2, 2, 2), v(0, 0, 0), geom.Q{}), at(box(1, 1, 1), v(1.3, 0.5, 0.2), geom.Q{})
	depth, _ := Depth(b, a)
	near(t, "depth of boxes", depth, 0.2, 1e-6)
	near(t, "their shared volume", Shared(a, b, 64), 0.2*1*1, 1e-3)
	for _, deg := range []float64{5, 20, 37} {
		q := geom.Turn(v(0, 0, 1), deg*math.Pi/180)
		slab := at(box(10, 0.5, 10), v(0, 0, 0), q)
		n := q.Rotate(v(0, 1, 0))
		// A ball whose middle is 0.45 above the slab's top of 0.5.
		s := at(ball(0.5, 64), q.Rotate(v(0.3, 0.95, 0.1)), geom.Q{})
		depth, out := Depth(s, slab)
		near(t, "depth in the slab", depth, 0.05, 0.002)
		near(t, "its direction", out.Unit().Dot(n), 1, 1e-6)
		// Let down from above, its middle comes to rest so that it is 0.5 from
		// the slab's plane, measured square to it.
		up, on := Down(at(ball(0.5, 64), v(0.3, 9, 0), geom.Q{}), []*Placed{slab})
		if on != 0 {
			t.Fatal("it does not rest on the slab")
		}
		near(t, "distance to the plane", v(0.3, 9+up, 0).Dot(n)-0.5, 0.5, 0.002)
	}
}

// Against brute force: every pair of triangles, without a tree.
func TestSweepsMissNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	bodies := []*Body{ball(0.6, 7), box(0.7, 0.4, 1.1), ball(0.3, 5), box(0.1, 2, 0.1)}
	meets := 0
	for range 400 {
		place := func() *Placed {
			q := geom.Turn(v(r.NormFloat64(), r.NormFloat64(), r.NormFloat64()).Unit(), r.Float64()*6)
			s := 0.5 + r.Float64()
			return Place(bodies[r.IntN(len(bodies))], geom.Compose(v(r.Float64()*2, r.Float64()*2, r.Float64()*2), q,
				v(s, s, s)))
		}
		a, b := place(), place()
		d := v(r.NormFloat64(), r.NormFloat64(), r.NormFloat64()).Unit()
		turn := along(d)
		want, met := math.Inf(1), false
		ma, mb := turn.Mul(a.World), turn.Mul(b.World)
		for i := range int32(a.Triangles()) {
			s := a.triangle(i)
			ta := [3]geom.V{ma.Point(a.point(s[0])), ma.Point(a.point(s[1])), ma.Point(a.point(s[2]))}
			for j := range int32(b.Triangles()) {
				u := b.triangle(j)
				tb := [3]geom.V{mb.Point(b.point(u[0])), mb.Point(b.point(u[1])), mb.Point(b.point(u[2]))}
				if lo, hi, ok := span(&ta, &tb); ok && hi.t >= 0 {
					want = min(want, max(lo.t, 0))
					met = met || lo.t <= 0
				}
			}
		}
		got, _, ok := First(a, b, d, 100)
		if ok != (want <= 100) || ok && math.Abs(got-want) > 1e-9 {
			t.Fatalf("first touch %g %v, brute force %g", got, ok, want)
		}
		// Whether they meet does not depend on the direction that is looked along.
		if Meet(a, b) != met {
			t.Fatalf("meet %v, brute force %v", Meet(a, b), met)
		}
		if met {
			meets++
		}
	}
	if meets < 40 {
		t.Errorf("only %d of 400 pairs met", meets)
	}
}

// Two boxes side by side on one floor, tops and fronts at one height over half
// a metre of overlap: the tops share 0.5 x 1 m², as do the fronts and the backs;
// the bottoms do not count. One that stands on the other shares nothing.
func TestSurfacesInOnePlane(t *testing.T) {
	a, b := at(box(1, 1, 1), v(0, 0, 0), geom.Q{}), at(box(1, 1, 1), v(0.5, 0, 0), geom.Q{})
	area, _ := Flush(a, b, 1e-4)
	near(t, "the area", area, 3*0.5, 1e-6)
	if area, _ := Flush(a, at(box(1, 1, 1), v(0, 1, 0), geom.Turn(v(0, 1, 0), 0.3)), 1e-4); area != 0 {
		t.Errorf("a box on a box is flush over %g m²", area)
	}
	if area, _ := Flush(a, at(box(1, 1.002, 1), v(0.3, 0.001, 0.1), geom.Turn(v(0, 1, 0), 0.3)), 1e-4); area != 0 {
		t.Errorf("a millimetre apart they are flush over %g m²", area)
	}
	if !Near(a, at(box(1, 1, 1), v(0.1, 1.004, 0), geom.Q{}), 0.005) ||
		Near(a, at(box(1, 1, 1), v(0.1, 1.006, 0), geom.Q{}), 0.005) {
		t.Error("what is 4 mm away is within 5 mm, what is 6 mm away is not")
	}
}

func BenchmarkPairOfTenThousandTriangles(b *testing.B) {
	s := ball(1, 50) // 10 000 triangles
	x, y := at(s, v(0, 0, 0), geom.Q{}), at(s, v(1.9, 0.1, 0), geom.Q{})
	b.Run("meet", func(b *testing.B) {
		for b.Loop() {
			Meet(x, y)
		}
	})
	b.Run("depth", func(b *testing.B) {
		for b.Loop() {
			Depth(x, y)
		}
	})
	b.Run("build", func(b *testing.B) {
		for b.Loop() {
			ball(1, 50)
		}
	})
}

// Whatever is put down comes to touch and reaches into nothing, wherever it was;
// what is set against something touches it.
func TestPutDownTouchesAndSinksNowhere(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 22))
	bodies := []*Body{ball(0.5, 7), box(0.7, 0.4, 1.1), ball(0.3, 5), box(0.3, 1.4, 0.2)}
	any := func(high float64) *Placed {
		q := geom.Turn(v(r.NormFloat64(), r.NormFloat64(), r.NormFloat64()).Unit(), r.Float64()*6)
		return at(bodies[r.IntN(len(bodies))], v(2*r.Float64(), high*r.Float64(), 2*r.Float64()), q)
	}
	for range 300 {
		others := []*Placed{at(box(20, 0.5, 20), v(0, -0.5, 0), geom.Q{})}
		for range 4 {
			others = append(others, any(0.6))
		}
		a := any(2)
		up, on := Down(a, others)
		if on < 0 {
			t.Fatal("it rests on nothing")
		}
		a = a.Moved(v(0, up, 0))
		for i, o := range others {
			if d, _ := Depth(a, o); d > 1e-6 {
				t.Fatalf("it reaches %g into %d", d, i)
			}
		}
		if fall, _, ok := Toward(a, others, v(0, -1, 0), 5); !ok || fall > 1e-6 {
			t.Fatalf("it hangs %g above what carries it", fall)
		}
		b := any(1).Moved(v(-9, 0.3, 0))
		if way, i, ok := Toward(b, others[1:], v(1, 0, 0), 20); ok {
			if moved := b.Moved(v(way-1e-6, 0, 0)); Meet(moved, others[1+i]) {
				t.Fatal("set against something it reaches into it")
			}
			if !Near(b.Moved(v(way, 0, 0)), others[1+i], 1e-5) {
				t.Fatal("set against something it does not touch it")
			}
		}
	}
}

// Hulls hold all their points, turn one way only, and have the area of those
// known: of a grid its rectangle.
func TestHullsHoldTheirPoints(t *testing.T) {
	var grid []geom.V
	for i := range 5 {
		for j := range 4 {
			grid = append(grid, v(float64(i), 9, float64(j)))
		}
	}
	if h := Hull(grid); len(h) != 4 {
		t.Errorf("the hull of a grid has %d corners", len(h))
	}
	r := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		var list []geom.V
		for range 1 + r.IntN(30) {
			list = append(list, v(r.Float64(), 0, r.Float64()))
		}
		h := Hull(list)
		for i := range h {
			a, b := h[i], h[(i+1)%len(h)]
			for _, p := range list {
				if len(h) > 2 && (b.X-a.X)*(p.Z-a.Z)-(b.Z-a.Z)*(p.X-a.X) < -1e-12 {
					t.Fatalf("%v lies outside of the hull", p)
				}
			}
		}
	}
}

// A body of any triangles, also degenerate ones and points at odd places, is made
// and measured without harm.
func FuzzBody(f *testing.F) {
	f.Add([]byte{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 1, 2, 3, 4, 5, 200, 100, 7})
	f.Add([]byte("a box has eight corners and twelve triangles; this has what it has"))
	f.Fuzz(func(t *testing.T, raw []byte) {
		var p [][3]float32
		var tri [][3]uint32
		for i := 0; i+2 < len(raw) && i < 300; i += 3 {
			p = append(p, [3]float32{float32(raw[i]) - 100, float32(raw[i+1]) / 7, float32(raw[i+2])})
		}
		for i := 0; i+2 < len(raw) && i < 300 && len(p) > 0; i++ {
			n := byte(len(p))
			tri = append(tri, [3]uint32{uint32(raw[i] % n), uint32(raw[i+1] % n), uint32(raw[i+2] % n)})
		}
		a := Place(Mesh(p, tri), geom.Identity)
		if a == nil {
			return
		}
		b := at(box(30, 5, 30), v(0, 3, 90), geom.Turn(v(0, 1, 0), 0.4))
		d, out := Depth(a, b)
		if d < 0 || math.IsNaN(d) || math.Abs(out.Len()-d) > 1e-6*max(d, 1) {
			t.Fatalf("depth %g, way out %v", d, out)
		}
		if up, _ := Down(a, []*Placed{b}); math.IsNaN(up) || math.IsInf(up, 0) {
			t.Fatalf("put down by %g", up)
		}
	})
}

// What a body keeps of its boxes is coarser than what they were made of, and never smaller: every corner lies
// within all boxes above it, and no box is more than two steps larger than what it holds. It holds for what
// is flat, far away, at the end of what can be told, and has more corners than sixteen bits count.
func TestATreeHoldsWhatLiesBelowIt(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	for _, c := range []struct {
		name      string
		triangles int
		size, at  [3]float64
	}{
		{"one", 1, [3]float64{1, 1, 1}, [3]float64{}},
		{"nine", 9, [3]float64{1, 2, 3}, [3]float64{1, 1, 1}},
		{"flat", 1000, [3]float64{5, 0, 5}, [3]float64{0, 7, 0}},
		{"far", 1000, [3]float64{1, 1, 1}, [3]float64{1e6, -1e6, 3e5}},
		{"vast", 1000, [3]float64{3e38, 3e38, 3e38}, [3]float64{}},
		{"many", 30_000, [3]float64{10, 10, 10}, [3]float64{}},
	} {
		var points [][3]float32
		var triangles [][3]uint32
		for i := range c.triangles {
			for range 3 {
				var p [3]float32
				for a := range p {
					p[a] = float32(c.at[a] + (2*r.Float64()-1)*c.size[a])
				}
				points = append(points, p)
			}
			triangles = append(triangles, [3]uint32{uint32(3 * i), uint32(3*i + 1), uint32(3*i + 2)})
		}
		b := Mesh(points, triangles)
		if b == nil || c.name == "many" && b.Triangles() != c.triangles {
			t.Fatalf("%s: no body of all triangles", c.name)
		}
		seen := 0
		var visit func(i int32) (lo, hi [3]float32)
		visit = func(i int32) (lo, hi [3]float32) {
			n := b.node(i)
			if n.count > 0 {
				seen += int(n.count)
				lo = b.points[b.triangle(n.first)[0]]
				hi = lo
				for k := range n.count {
					for _, v := range b.triangle(n.first + k) {
						for a, x := range b.points[v] {
							lo[a], hi[a] = min(lo[a], x), max(hi[a], x)
						}
					}
				}
			} else {
				l0, h0 := visit(n.first)
				l1, h1 := visit(n.first + 1)
				for a := range 3 {
					lo[a], hi[a] = min(l0[a], l1[a]), max(h0[a], h1[a])
				}
			}
			for a := range 3 {
				slack := float32(2*b.cell[a]) + 1e-6*max(hi[a], -lo[a])
				if n.lo[a] > lo[a] || n.hi[a] < hi[a] || n.lo[a] < lo[a]-slack || n.hi[a] > hi[a]+slack {
					t.Fatalf("%s: a box %v to %v about %v to %v", c.name, n.lo, n.hi, lo, hi)
				}
			}
			return lo, hi
		}
		visit(0)
		if seen != b.Triangles() {
			t.Errorf("%s: %d of %d triangles are in the tree", c.name, seen, b.Triangles())
		}
	}
}
