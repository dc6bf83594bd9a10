package simplify

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
	"visator/core/model"
)

// sheet is a wavy grid of n x n squares with texture coordinates; at seam, a
// column from which on the texture begins anew (0: none).
func sheet(n, seam int, height func(x, y float64) float64) model.Part {
	p := model.Part{Surface: model.None}
	vertex := func(x, y int, shift float32) uint32 {
		u, v := float64(x)/float64(n), float64(y)/float64(n)
		p.Positions = append(p.Positions, float32(u), float32(height(u, v)), float32(v))
		p.UV = append(p.UV, float32(u)+shift, float32(v))
		return uint32(p.Vertices() - 1)
	}
	row := func(y int) (left, right []uint32) {
		for x := 0; x <= n; x++ {
			left = append(left, vertex(x, y, 0))
		}
		right = left
		if seam > 0 {
			right = append([]uint32{}, left...)
			right[seam] = vertex(seam, y, 5)
			for x := seam + 1; x <= n; x++ {
				p.UV[2*left[x]] += 5
			}
		}
		return left, right
	}
	var l0, r0 []uint32
	for y := 0; y <= n; y++ {
		l1, r1 := row(y)
		for x := 0; y > 0 && x < n; x++ {
			a, b := l0, l1
			if seam > 0 && x >= seam {
				a, b = r0, r1
			}
			p.Indices = append(p.Indices, a[x], b[x], a[x+1], a[x+1], b[x], b[x+1])
		}
		l0, r0 = l1, r1
	}
	return p
}

func waves(x, y float64) float64 { return 0.05 * math.Sin(9*x) * math.Cos(7*y) }

func borderLength(p *model.Part) float64 {
	of, _ := p.Places()
	edges := map[[2]uint32]int{}
	at := map[[2]uint32]float64{}
	for t := 0; t < len(p.Indices); t += 3 {
		for k := range 3 {
			i, j := p.Indices[t+k], p.Indices[t+(k+1)%3]
			a, b := of[i], of[j]
			key := [2]uint32{min(a, b), max(a, b)}
			edges[key]++
			at[key] = p.Position(i).Sub(p.Position(j)).Len()
		}
	}
	sum := 0.0
	for k, n := range edges {
		if n == 1 {
			sum += at[k]
		}
	}
	return sum
}

func TestFlatSheetsBecomeTwoTriangles(t *testing.T) {
	mesh := model.Mesh{Parts: []model.Part{sheet(20, 0, func(x, y float64) float64 { return 0 })}}
	out, r := Mesh(&mesh, 2)
	if r.Triangles > 4 || r.Error > 1e-6 {
		t.Errorf("%+v", r)
	}
	if l := borderLength(&out.Parts[0]); math.Abs(l-4) > 1e-6 {
		t.Errorf("the border is %v long, was 4", l)
	}
}

func TestShapeBorderAndSeamStay(t *testing.T) {
	for _, seam := range []int{0, 17} {
		mesh := model.Mesh{Parts: []model.Part{sheet(60, seam, waves)}}
		out, r := Mesh(&mesh, 700)
		p := &out.Parts[0]
		if r.Triangles > 700 || r.Triangles < 600 {
			t.Errorf("seam %d: %d triangles", seam, r.Triangles)
		}
		if err := p.Check("part"); err != nil {
			t.Fatal(err)
		}
		if d := Distance(p, &mesh.Parts[0]); d > 0.004 {
			t.Errorf("seam %d: %v away from the original", seam, d)
		}
		if l, was := borderLength(p), borderLength(&mesh.Parts[0]); math.Abs(l-was) > 0.01*was {
			t.Errorf("seam %d: the border is %v long, was %v", seam, l, was)
		}
		// No triangle reaches from one side of the seam to the other, and the
		// texture still says where everything lies.
		for tr := 0; tr < len(p.Indices); tr += 3 {
			over := 0
			for _, v := range p.Indices[tr : tr+3] {
				u := float64(p.UV[2*v])
				if u >= 5 {
					u -= 5
					over++
				}
				if math.Abs(u-float64(p.Positions[3*v])) > 1e-5 {
					t.Fatalf("a vertex at %v has texture %v", p.Positions[3*v], p.UV[2*v])
				}
			}
			if over != 0 && over != 3 {
				t.Fatalf("seam %d: a triangle reaches over the seam", seam)
			}
		}
	}
}

func TestSurfacesStayTogetherWhereTheyMeet(t *testing.T) {
	whole := sheet(40, 0, waves)
	left := whole.Only(func(t int) bool { return t/2%40 < 13 })
	right := whole.Only(func(t int) bool { return t/2%40 >= 13 })
	right.Surface = 1
	mesh := model.Mesh{Parts: []model.Part{left, right}}
	out, _ := Mesh(&mesh, 500)
	if len(out.Parts) != 2 || out.Parts[1].Surface != 1 {
		t.Fatalf("%d parts", len(out.Parts))
	}
	// Joined again, only the outer border is open.
	both := out.Parts[0]
	base := uint32(both.Vertices())
	both.Positions = append(both.Positions, out.Parts[1].Positions...)
	for _, v := range out.Parts[1].Indices {
		both.Indices = append(both.Indices, base+v)
	}
	if l, was := borderLength(&both), borderLength(&whole); math.Abs(l-was) > 0.01*was {
		t.Errorf("open edges of %v, were %v: a gap came between the surfaces", l, was)
	}
}

func TestDistances(t *testing.T) {
	a := sheet(4, 0, func(x, y float64) float64 { return 0 })
	b := sheet(3, 0, func(x, y float64) float64 { return 0.25 })
	if d := Distance(&a, &b); math.Abs(d-0.25) > 1e-6 {
		t.Errorf("%v, want 0.25", d)
	}
	tri := geom.Triangle{{}, {X: 1}, {Y: 1}}
	for _, c := range []struct{ p, want geom.V }{{geom.V{X: 0.2, Y: 0.2, Z: 3}, geom.V{X: 0.2, Y: 0.2}},
		{geom.V{X: -1, Y: -1}, geom.V{}}, {geom.V{X: 1, Y: 1}, geom.V{X: 0.5, Y: 0.5}},
		{geom.V{X: 0.5, Y: -2}, geom.V{X: 0.5}}, {geom.V{X: 3, Y: -1}, geom.V{X: 1}}} {
		if got := tri.Nearest(c.p); got.Sub(c.want).Len() > 1e-12 {
			t.Errorf("nearest to %v: %v, want %v", c.p, got, c.want)
		}
	}
}

// Whatever triangles come: it ends, with no more than before, and what is left
// can be used.
func FuzzMesh(f *testing.F) {
	f.Add(uint64(3), 50, 30, 10)
	f.Fuzz(func(t *testing.T, seed uint64, triangles, vertices, target int) {
		if triangles < 1 || triangles > 400 || vertices < 3 || vertices > 300 || target < 0 || target > 400 {
			return
		}
		r := rand.New(rand.NewPCG(seed, 2))
		p := model.Part{Surface: model.None}
		for range 3 * vertices {
			p.Positions = append(p.Positions, float32(r.IntN(5)))
		}
		if seed%2 == 0 {
			for range 2 * vertices {
				p.UV = append(p.UV, float32(r.IntN(2)))
			}
		}
		for range 3 * triangles {
			p.Indices = append(p.Indices, uint32(r.IntN(vertices)))
		}
		out, res := Mesh(&model.Mesh{Parts: []model.Part{p}}, target)
		n := 0
		for i := range out.Parts {
			n += out.Parts[i].Triangles()
			if err := out.Parts[i].Check("part"); err != nil {
				t.Error(err)
			}
		}
		if n > triangles || math.IsNaN(res.Error) {
			t.Errorf("%d triangles of %d, %+v", n, triangles, res)
		}
	})
}
