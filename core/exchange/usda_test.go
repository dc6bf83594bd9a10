package exchange_test

import (
	"bytes"
	"math"
	"strings"
	"testing"
	"testing/fstest"

	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/intake/usd"
	"visator/core/model"
	"visator/core/stage"
)

// A set written as USD and read again has the same triangles in the same places, its surfaces, its camera and its sun.
func TestUSDIsReadAgain(t *testing.T) {
	box := stage.ShapeModel("box")
	red := model.DefaultSurface()
	red.Name, red.BaseColor, red.Roughness, red.Metallic = "red “paint”", [4]float64{0.5, 0.1, 0.05, 1}, 0.35, 0.25
	box.Surfaces = []model.Surface{red}
	for i := range box.Meshes {
		for k := range box.Meshes[i].Parts {
			box.Meshes[i].Parts[k].Surface = 0
		}
	}
	var stands []exchange.Stand
	for i := range 3 {
		stands = append(stands, exchange.Stand{Key: "box", Name: "crate", Model: box, Top: geom.Identity,
			Place: geom.Compose(geom.V{X: float64(i) * 3, Y: 1}, geom.Turn(geom.V{Y: 1}, float64(i)), geom.V{X: 1, Y: 2, Z: 1})})
	}
	m := exchange.Together("yard", stands)
	eye := exchange.Node("first \"view\"", geom.Translation(geom.V{X: 1, Y: 2, Z: 9}))
	eye.Camera = 0
	m.Cameras = []model.Camera{{Name: "first", YFov: 0.7, Aspect: 1.5, Near: 0.2, Far: 80}}
	sun := exchange.Node("sun", geom.Identity)
	sun.Light = 0
	m.Lights = []model.Light{{Name: "sun", Kind: model.Directional, Color: [3]float64{1, 0.9, 0.8}, Intensity: 5e4}}
	m.Roots, m.Nodes = append(m.Roots, len(m.Nodes), len(m.Nodes)+1), append(m.Nodes, eye, sun)
	var out bytes.Buffer
	if err := exchange.WriteUSDA(&out, m, "maps/"); err != nil {
		t.Fatal(err)
	}
	got, err := usd.Read("yard.usda", out.Bytes(), model.Folder{Root: fstest.MapFS{}})
	if err != nil {
		t.Fatalf("%v\n%s", err, out.String())
	}
	points := func(m *model.Model) (list []geom.V) {
		m.Walk(func(_ int, n *model.Node, world geom.M) {
			if n.Mesh == model.None {
				return
			}
			for i := range m.Meshes[n.Mesh].Parts {
				p := &m.Meshes[n.Mesh].Parts[i]
				for _, v := range p.Indices {
					list = append(list, world.Point(p.Position(v)))
				}
			}
		})
		return list
	}
	a, b := points(m), points(got)
	if len(a) != len(b) || len(a) == 0 {
		t.Fatalf("%d corners, read again %d", len(a), len(b))
	}
	for i := range a {
		if a[i].Sub(b[i]).Len() > 1e-5 {
			t.Fatalf("corner %d is at %v, read again at %v", i, a[i], b[i])
		}
	}
	found := false
	for _, s := range got.Surfaces {
		if math.Abs(s.BaseColor[0]-0.5) < 1e-5 && math.Abs(s.Roughness-0.35) < 1e-6 && math.Abs(s.Metallic-0.25) < 1e-6 {
			found = true
		}
	}
	if !found {
		t.Errorf("the surfaces are %+v", got.Surfaces)
	}
	if len(got.Cameras) != 1 || math.Abs(got.Cameras[0].YFov-0.7) > 1e-5 || math.Abs(got.Cameras[0].Near-0.2) > 1e-6 ||
		math.Abs(got.Cameras[0].Far-80) > 1e-4 {
		t.Errorf("the camera is %+v", got.Cameras)
	}
	if len(got.Meshes) > 1 && !strings.Contains(out.String(), "instanceable") {
		t.Error("copies do not share their mesh")
	}
}
