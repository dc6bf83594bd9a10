package proxy

import (
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/simplify"
)

// ring is a torus of 2n² triangles with normals and texture coordinates.
func ring(n int) *model.Model {
	p := model.Part{Kind: model.Triangles, Surface: model.None}
	for i := range n {
		for j := range n {
			u, v := 2*math.Pi*float64(i)/float64(n), 2*math.Pi*float64(j)/float64(n)
			nx, ny, nz := math.Cos(v)*math.Cos(u), math.Sin(v), math.Cos(v)*math.Sin(u)
			p.Positions = append(p.Positions, float32(math.Cos(u)+0.4*nx), float32(0.4*ny), float32(math.Sin(u)+0.4*nz))
			p.Normals = append(p.Normals, float32(nx), float32(ny), float32(nz))
			p.UV = append(p.UV, float32(i)/float32(n), float32(j)/float32(n))
			a, b, c, d := i*n+j, (i+1)%n*n+j, (i+1)%n*n+(j+1)%n, i*n+(j+1)%n
			p.Indices = append(p.Indices, uint32(a), uint32(b), uint32(c), uint32(a), uint32(c), uint32(d))
		}
	}
	node := model.NewNode("ring")
	node.Mesh = 0
	return &model.Model{Meshes: []model.Mesh{{Parts: []model.Part{p}}}, Nodes: []model.Node{node}, Roots: []int{0}}
}

func TestAProxyIsLightAndStandsWhereItsModelStands(t *testing.T) {
	m := ring(200)
	box := m.Bounds()
	for _, want := range []int{60_000, 12_000, 2_000, 200} {
		small, offBy := Make(m, want, 64)
		got := small.Weigh().Triangles
		if got > want*11/10 || got < want/6 {
			t.Errorf("%d triangles were asked for, %d came", want, got)
		}
		// A vertex moves by less than a cell: the box hardly changes.
		b := small.Bounds()
		off := math.Max(b.Min.Sub(box.Min).Len(), b.Max.Sub(box.Max).Len()) / box.Size().Len()
		if limit := 3 / math.Sqrt(float64(want)); off > limit {
			t.Errorf("%d triangles: the box is off by %.3f of its size, at most %.3f is fair", want, off, limit)
		}
		p := &small.Meshes[0].Parts[0]
		// How far the surface is said to lie off is near to how far it does.
		if d := simplify.Distance(p, &m.Meshes[0].Parts[0]); d > 6*offBy || offBy > 6*d {
			t.Errorf("%d triangles: %v off, said to be %v", want, d, offBy)
		}
		if len(p.Normals) != len(p.Positions) || len(p.UV)/2 != len(p.Positions)/3 {
			t.Errorf("%d triangles: %d places, %d normals, %d texture places", want, len(p.Positions)/3,
				len(p.Normals)/3, len(p.UV)/2)
		}
		for i := 0; i+2 < len(p.Indices); i += 3 {
			a, b, c := p.Indices[i], p.Indices[i+1], p.Indices[i+2]
			if a == b || b == c || a == c || int(max(a, b, c)) >= p.Vertices() {
				t.Fatalf("triangle %d is %d %d %d of %d vertices", i/3, a, b, c, p.Vertices())
			}
		}
		for i := 0; i+2 < len(p.Normals); i += 3 {
			if n := (geom.V{X: float64(p.Normals[i]), Y: float64(p.Normals[i+1]),
				Z: float64(p.Normals[i+2])}); math.Abs(n.Len()-1) > 1e-3 {
				t.Fatalf("normal %d has length %v", i/3, n.Len())
			}
		}
	}
	if w := m.Weigh().Triangles; w != 80_000 {
		t.Errorf("the model itself was changed: %d triangles", w)
	}
}

func TestWhatIsLightAlreadyStaysAsItIs(t *testing.T) {
	m := ring(10)
	small, _ := Make(m, 5000, 64)
	if len(small.Meshes[0].Parts[0].Positions) != len(m.Meshes[0].Parts[0].Positions) {
		t.Error("vertices were moved without need")
	}
}

// A small instance of a large mesh is made as light as it looks.
func TestInstancesCountWithTheirScale(t *testing.T) {
	m := ring(120)
	for range 3 {
		n := model.NewNode("copy")
		n.Mesh, n.Local = 0, geom.Compose(geom.V{X: 5}, geom.Q{W: 1}, geom.V{X: 0.5, Y: 0.5, Z: 0.5})
		m.Nodes = append(m.Nodes, n)
		m.Roots = append(m.Roots, len(m.Nodes)-1)
	}
	light, _ := Make(m, 4000, 64)
	if got := light.Weigh().Triangles; got > 4400 || got < 700 {
		t.Errorf("%d triangles in all", got)
	}
}
