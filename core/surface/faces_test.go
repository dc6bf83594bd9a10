package surface

import (
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/model"
)

// two is a model of one part: a tetrahedron at the origin and a bent strip of four squares at X 5, each turned by 30
// degrees from the one before; in centimetres.
func two() *model.Model {
	p := model.Part{Kind: model.Triangles}
	put := func(a, b, c geom.V) {
		for _, q := range []geom.V{a, b, c} {
			p.Indices = append(p.Indices, uint32(len(p.Positions)/3))
			p.Positions = append(p.Positions, float32(100*q.X), float32(100*q.Y), float32(100*q.Z))
		}
	}
	a, b, c, d := geom.V{}, geom.V{X: 1}, geom.V{Z: 1}, geom.V{Y: 1}
	put(a, b, c)
	put(a, d, b)
	put(a, c, d)
	put(b, d, c)
	at := geom.V{X: 5}
	for i := range 4 {
		sin, cos := math.Sincos(float64(i) * math.Pi / 6)
		next, wide := at.Add(geom.V{X: cos, Y: sin}), geom.V{Z: -1}
		put(at, next, next.Add(wide))
		put(at, next.Add(wide), at.Add(wide))
		at = next
	}
	s := model.DefaultSurface()
	s.Name, s.Metallic = "all", 0
	n := model.NewNode("two")
	n.Mesh = 0
	return &model.Model{Nodes: []model.Node{n}, Roots: []int{0}, Meshes: []model.Mesh{{Parts: []model.Part{p}}},
		Surfaces: []model.Surface{s}}
}

// Faces are found by the nearest, and what belongs to it: its part, what is connected, or what turns by no more than an
// angle; their area is told in square metres. A material on them is on them alone, and the model stays as it was.
func TestFacesThatArePicked(t *testing.T) {
	top := geom.Scaling(0.01)
	tetra := 1.5 + math.Sqrt(3)/2
	for _, c := range []struct {
		f     Faces
		count int
		area  float64
	}{
		{Faces{geom.V{X: 0.2, Y: -0.1, Z: 0.2}, "part", 0}, 12, tetra + 4},
		{Faces{geom.V{X: 0.2, Y: -0.1, Z: 0.2}, "connected", 0}, 4, tetra},
		{Faces{geom.V{X: 0.2, Y: -0.1, Z: 0.2}, "angle", 45}, 1, 0.5},
		{Faces{geom.V{X: 5.5, Y: 0.1, Z: -0.5}, "connected", 0}, 8, 4},
		{Faces{geom.V{X: 5.5, Y: 0.1, Z: -0.5}, "angle", 31}, 8, 4},
		{Faces{geom.V{X: 5.5, Y: 0.1, Z: -0.5}, "angle", 20}, 2, 1},
	} {
		m := two()
		if err := c.f.Check(); err != nil {
			t.Fatal(err)
		}
		g, ok := c.f.Find(m, top)
		if !ok || g.Count != c.count || math.Abs(g.Area-c.area) > 1e-5 {
			t.Errorf("%+v: %d faces, %v m²", c.f, g.Count, g.Area)
		}
		red, blue := New(), New()
		red.Base, blue.Base = "#ff0000", "#0000ff"
		out, err := Coat(m, top, []Match{{On{Thing: "t"}, &blue}, {On{Thing: "t", Faces: c.f}, &red}}, 0.01, nil)
		if err != nil {
			t.Fatal(err)
		}
		count := map[float64]int{}
		for _, p := range out.Meshes[0].Parts {
			count[out.Surfaces[p.Surface].BaseColor[0]] += p.Triangles()
		}
		if count[1] != c.count || count[0] != 12-c.count {
			t.Errorf("%+v: %v", c.f, count)
		}
		if len(m.Surfaces) != 1 || len(m.Meshes[0].Parts) != 1 || m.Meshes[0].Parts[0].Triangles() != 12 {
			t.Error("the model was changed")
		}
	}
	for _, bad := range []Faces{{}, {By: "smell"}, {At: geom.V{X: math.NaN()}, By: "part"}, {By: "angle", Angle: 200}} {
		if bad.Check() == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
	if _, ok := (&Faces{By: "part"}).Find(&model.Model{}, top); ok {
		t.Error("nothing has faces")
	}
}
