package sizing

import (
	"math"
	"strings"
	"testing"

	"visator/core/geom"
	"visator/core/model"
)

// A mug of 92 x 96 x 70 mm, drawn in millimetres with Z up, off the origin.
var mug = geom.Box{Min: geom.V{X: 10, Y: -35, Z: 4}, Max: geom.V{X: 102, Y: 35, Z: 100}}

func TestUnitAndUpAxisGiveRealSizeOnTheGround(t *testing.T) {
	s := Sizing{MetresPerUnit: 0.001, Up: "Z", Factor: 1, Ground: true, Centre: true}
	got := mug.Apply(s.Transform(mug))
	if size := got.Size(); size.Sub(geom.V{X: 0.092, Y: 0.096, Z: 0.070}).Len() > 1e-12 {
		t.Errorf("size %v", size)
	}
	if got.Min.Y != 0 && math.Abs(got.Min.Y) > 1e-15 || math.Abs(got.Center().X) > 1e-15 || math.Abs(got.Center().Z) > 1e-15 {
		t.Errorf("stands at %v", got)
	}
}

func TestOneTrueDimensionSetsTheOthers(t *testing.T) {
	s := From(model.Unit{MetresPerUnit: 1}, "Z")
	if err := s.SetTrue(mug, "height", 0.12); err != nil {
		t.Fatal(err)
	}
	if size := s.Size(mug); math.Abs(size.Y-0.12) > 1e-12 || math.Abs(size.X-0.12*92/96) > 1e-12 {
		t.Errorf("size %v", size)
	}
	for _, bad := range []float64{0, -1, math.NaN(), math.Inf(1)} {
		if s.SetTrue(mug, "width", bad) == nil {
			t.Errorf("a width of %v was accepted", bad)
		}
	}
	if s.SetTrue(mug, "girth", 1) == nil || s.SetTrue(geom.Box{}, "height", 1) == nil {
		t.Error("an impossible dimension was accepted")
	}
}

func TestChoicesShowEveryUnit(t *testing.T) {
	s := From(model.Unit{MetresPerUnit: 1}, "Z")
	c := s.Choices(mug)
	if len(c) != 5 || math.Abs(c[1].Size.Y-0.96) > 1e-12 || math.Abs(c[3].Size.Y-96*0.0254) > 1e-12 {
		t.Errorf("choices %+v", c)
	}
}

func plate(hole bool) *model.Model {
	p := model.Part{Surface: model.None}
	add := func(x0, y0, x1, y1 float32) {
		b := uint32(len(p.Positions) / 3)
		p.Positions = append(p.Positions, x0, y0, 0, x1, y0, 0, x1, y1, 0, x0, y1, 0)
		p.Indices = append(p.Indices, b, b+1, b+2, b, b+2, b+3)
	}
	if hole {
		add(0, 0, 4, 1)
		add(0, 3, 4, 4)
		add(0, 1, 1, 3)
		add(3, 1, 4, 3)
	} else {
		add(0, 0, 4, 4)
	}
	n := model.NewNode("")
	n.Mesh = 0
	return &model.Model{Meshes: []model.Mesh{{Parts: []model.Part{p}}}, Nodes: []model.Node{n}, Roots: []int{0}}
}

func TestSilhouetteHasOneOutlineForEachEdgeOfTheShape(t *testing.T) {
	if got := Silhouette(plate(false), geom.Identity, Front); strings.Count(got, "M") != 1 || strings.Count(got, "L") < 3 {
		t.Errorf("plate: %s", got)
	}
	if got := Silhouette(plate(true), geom.Identity, Front); strings.Count(got, "M") != 2 {
		t.Errorf("frame: %d outlines, want the outer and the hole", strings.Count(got, "M"))
	}
	if got := Silhouette(&model.Model{}, geom.Identity, Front); got != "" {
		t.Errorf("nothing: %s", got)
	}
}
