package contact

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
)

// The hull of a cube's corners and points within it has its six faces of four corners;
// that of points on a sphere holds every one of them, by its faces alone.
func TestConvexSolidsHoldTheirPoints(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	var cube []geom.V
	for i := range 8 {
		cube = append(cube, geom.Box{Max: v(1, 2, 3)}.Corner(i))
	}
	for range 50 {
		cube = append(cube, v(r.Float64(), 2*r.Float64(), 3*r.Float64()))
	}
	c := NewConvex(cube)
	if len(c.Faces) != 6 || len(c.Points) != 8 || c.Round > 1e-9 {
		t.Errorf("%d faces, %d points, rounded by %g", len(c.Faces), len(c.Points), c.Round)
	}
	near(t, "volume", c.volume(), 6, 1e-9)
	for range 40 {
		n := 4 + r.IntN(1500)
		var points []geom.V
		for range n {
			p := v(r.NormFloat64(), r.NormFloat64(), r.NormFloat64())
			if n%2 == 0 {
				p = p.Unit()
			}
			points = append(points, p)
		}
		c := NewConvex(points)
		if len(c.Points) > hullMost {
			t.Fatalf("%d points of %d", len(c.Points), n)
		}
		if c.Round > 0.05 {
			t.Errorf("rounded by %g", c.Round)
		}
		for _, f := range c.Faces {
			for _, p := range points {
				if f.N.Dot(p)-f.D > c.Round+1e-9 {
					t.Fatalf("a point lies %g beyond a face", f.N.Dot(p)-f.D)
				}
			}
		}
	}
	for _, flat := range [][]geom.V{{v(1, 1, 1)}, {v(0, 0, 0), v(1, 0, 0)},
		{v(0, 0, 0), v(1, 0, 0), v(1, 0, 1), v(0, 0, 1), v(0.5, 0, 0.5)}} {
		if c := NewConvex(flat); len(c.Points) != min(len(flat), 4) || len(flat) > 2 && len(c.Faces) != 2 {
			t.Errorf("flat: %d points, %d faces", len(c.Points), len(c.Faces))
		}
	}
}

// table is a top on four legs that are one mesh with it in name only: loose parts.
func table() *Body {
	var points [][3]float32
	var triangles [][3]uint32
	put := func(b *Body, by geom.V) {
		first := uint32(len(points))
		for i := range b.points {
			p := b.point(uint32(i)).Add(by)
			points = append(points, [3]float32{float32(p.X), float32(p.Y), float32(p.Z)})
		}
		for i := range int32(b.Triangles()) {
			x := b.triangle(i)
			triangles = append(triangles, [3]uint32{first + x[0], first + x[1], first + x[2]})
		}
	}
	put(box(1.2, 0.05, 0.8), v(0, 0.7, 0))
	for _, x := range []float64{-0.5, 0.5} {
		for _, z := range []float64{-0.3, 0.3} {
			put(box(0.06, 0.7, 0.06), v(x, 0, z))
		}
	}
	return Mesh(points, triangles)
}

// bowl is an open half of a ball, of one sheet.
func bowl(radius float64, n int) *Body {
	var points [][3]float32
	var triangles [][3]uint32
	for i := range n + 1 {
		for j := range 2 * n {
			a, b := math.Pi/2*float64(i)/float64(n), math.Pi*float64(j)/float64(n)
			points = append(points, [3]float32{float32(radius * math.Sin(a) * math.Cos(b)),
				float32(radius * (1 - math.Cos(a))), float32(radius * math.Sin(a) * math.Sin(b))})
		}
	}
	for i := range n {
		for j := range 2 * n {
			p, q := uint32(i*2*n+j), uint32(i*2*n+(j+1)%(2*n))
			triangles = append(triangles, [3]uint32{p, q, q + uint32(2*n)}, [3]uint32{p, q + uint32(2*n),
				p + uint32(2*n)})
		}
	}
	return Mesh(points, triangles)
}

// A box is one solid, a table five; a bowl stays hollow: what stands for it leaves a ball
// lie in it nearly as deep as it would. All of a body lies in what stands for it.
func TestBodiesInConvexParts(t *testing.T) {
	for _, c := range []struct {
		name   string
		body   *Body
		least  int
		most   int
		hollow float64
	}{
		{"box", box(1, 1, 1), 1, 1, 0},
		{"ball", ball(0.5, 12), 1, 1, 0.004},
		{"table", table(), 5, 5, 0},
		{"bowl", bowl(0.2, 12), 8, 40, 0.02},
	} {
		parts, hollow := c.body.Parts()
		if len(parts) < c.least || len(parts) > c.most || hollow > c.hollow {
			t.Errorf("%s: %d parts, %.4f m hollow", c.name, len(parts), hollow)
		}
		for i := range int32(c.body.Triangles()) {
			tri := c.body.triangle(i)
			// Points of the triangle: each lies in some part, but for rounding.
			for _, w := range [][3]float64{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {0.4, 0.3, 0.3}, {0.5, 0.5, 0}} {
				p := c.body.point(tri[0]).Mul(w[0]).Add(c.body.point(tri[1]).Mul(w[1])).Add(c.body.point(tri[2]).Mul(w[2]))
				out := math.Inf(1)
				for _, part := range parts {
					out = min(out, part.beyond(p)-part.Round)
				}
				if out > 1e-6 {
					t.Fatalf("%s: triangle %d lies %g beyond all parts", c.name, i, out)
				}
			}
		}
	}
	// How low the middle of the bowl is free: 8 mm at most of air are taken for solid.
	parts, _ := bowl(0.2, 12).Parts()
	for _, p := range parts {
		if len(p.Faces) > 3 && p.beyond(v(0, 0.012, 0)) == 0 {
			t.Error("the bowl is filled")
		}
	}
}

// The copies of a herd among a box are those whose boxes meet it, by trying all.
func TestCopiesAmongABox(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	list := make([]Copy, 3000)
	for i := range list {
		list[i] = Copy{Body: box(0.1, 0.3, 0.1), At: v(20*r.Float64(), r.Float64(), 20*r.Float64()),
			Turn: geom.Turn(v(0, 1, 0), r.Float64()), Scale: 0.5 + r.Float64()}
	}
	h := NewHerd(len(list), func(i int32) Copy { return list[i] })
	met := 0
	for range 50 {
		a := v(20*r.Float64(), 0, 20*r.Float64())
		q := geom.Box{Min: a, Max: a.Add(v(2*r.Float64(), 0.6*r.Float64(), 2*r.Float64()))}
		want, got := map[geom.V]bool{}, map[geom.V]bool{}
		for _, c := range list {
			if b := c.Body.Box.Apply(c.World()); b.Meets(&q, 0) {
				want[c.At] = true
			}
		}
		h.Among(q, func(c Copy) bool { got[c.At] = true; return true })
		if len(got) != len(want) {
			t.Fatalf("%d among it, not %d", len(got), len(want))
		}
		for p := range want {
			if !got[p] {
				t.Fatalf("%v is missed", p)
			}
		}
		met += len(got)
	}
	if met < 100 {
		t.Errorf("only %d met", met)
	}
}

func BenchmarkParts(b *testing.B) {
	for b.Loop() {
		bowl(0.2, 60).Parts()
	}
}
