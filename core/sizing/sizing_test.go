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
	if got.Min.Y != 0 && math.Abs(got.Min.Y) > 1e-15 || math.Abs(got.Center().X) > 1e-15 ||
		math.Abs(got.Center().Z) > 1e-15 {
		t.Errorf("stands at %v", got)
	}
}

func TestOneTrueDimensionSetsTheOthers(t *testing.T) {
	s := From(model.Unit{MetresPerUnit: 1}, "Z")
	if err := s.SetTrue(mug, "height", 0.12, true); err != nil {
		t.Fatal(err)
	}
	if size := s.Size(mug); math.Abs(size.Y-0.12) > 1e-12 || math.Abs(size.X-0.12*92/96) > 1e-12 {
		t.Errorf("size %v", size)
	}
	for _, bad := range []float64{0, -1, math.NaN(), math.Inf(1)} {
		if s.SetTrue(mug, "width", bad, true) == nil {
			t.Errorf("a width of %v was accepted", bad)
		}
	}
	if s.SetTrue(mug, "girth", 1, true) == nil || s.SetTrue(geom.Box{}, "height", 1, true) == nil {
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
	if got := Silhouette(plate(false), geom.Identity, Front); strings.Count(got, "M") != 1 ||
		strings.Count(got, "L") < 3 {
		t.Errorf("plate: %s", got)
	}
	if got := Silhouette(plate(true), geom.Identity, Front); strings.Count(got, "M") != 2 {
		t.Errorf("frame: %d outlines, want the outer and the hole", strings.Count(got, "M"))
	}
	if got := Silhouette(&model.Model{}, geom.Identity, Front); got != "" {
		t.Errorf("nothing: %s", got)
	}
}

func TestWhereThePivotIs(t *testing.T) {
	for pivot, want := range map[Pivot]geom.Box{
		"":      {Min: geom.V{X: -0.046, Z: -0.035}, Max: geom.V{X: 0.046, Y: 0.096, Z: 0.035}},
		Corner:  {Max: geom.V{X: 0.092, Y: 0.096, Z: 0.070}},
		Wall:    {Min: geom.V{X: -0.046}, Max: geom.V{X: 0.046, Y: 0.096, Z: 0.070}},
		Hanging: {Min: geom.V{X: -0.046, Y: -0.096, Z: -0.035}, Max: geom.V{X: 0.046, Z: 0.035}},
	} {
		s := Sizing{MetresPerUnit: 0.001, Up: "Z", Factor: 1, Ground: true, Centre: true, Pivot: pivot}
		if got := mug.Apply(s.Transform(mug)); got.Min.Sub(want.Min).Len() > 1e-12 ||
			got.Max.Sub(want.Max).Len() > 1e-12 {
			t.Errorf("%q: %v, want %v", pivot, got, want)
		}
	}
	s := Sizing{MetresPerUnit: 0.001, Up: "Z", Factor: 1, Ground: true, Centre: true, Sunk: 6}
	if got := mug.Apply(s.Transform(mug)); math.Abs(got.Min.Y+0.006) > 1e-12 {
		t.Errorf("6 mm in the ground: %v", got)
	}
}

// A pivot that was clicked is a point of the piece: it stays there in another
// unit and after a turn.
func TestThePivotIsWhereItWasClicked(t *testing.T) {
	s := Sizing{MetresPerUnit: 0.001, Up: "Z", Factor: 1, Ground: true, Centre: true}
	rim := geom.V{X: 0.046, Y: 0.096}
	if err := s.SetPoint(mug, rim); err != nil {
		t.Fatal(err)
	}
	want := geom.Box{Min: geom.V{X: -0.092, Y: -0.096, Z: -0.035}, Max: geom.V{Z: 0.035}}
	if got := mug.Apply(s.Transform(mug)); got.Min.Sub(want.Min).Len() > 1e-12 || got.Max.Sub(want.Max).Len() > 1e-12 {
		t.Errorf("%v, want %v", got, want)
	}
	s.MetresPerUnit, s.Turn = 0.01, 2
	if got := mug.Apply(s.Transform(mug)); got.Min.Sub(geom.V{Y: -0.96, Z: -0.35}).Len() > 1e-9 {
		t.Errorf("in centimetres and turned about: %v", got)
	}
}

func TestOneSideAloneIsStretched(t *testing.T) {
	for turn := range 4 {
		s := Sizing{MetresPerUnit: 0.001, Up: "Z", Factor: 1, Turn: turn, Ground: true, Centre: true}
		before := s.Size(mug)
		if err := s.SetTrue(mug, "width", 1.25*before.X, false); err != nil {
			t.Fatal(err)
		}
		if got, want := s.Size(mug), before.Times(geom.V{X: 1.25, Y: 1, Z: 1}); got.Sub(want).Len() > 1e-12 {
			t.Errorf("turned %d quarters: %v, want %v", turn, got, want)
		}
		if d, k := s.Distortion(), s.Stretched(); math.Abs(d-0.25) > 1e-12 ||
			k.Sub(geom.V{X: 1.25, Y: 1, Z: 1}).Len() > 1e-12 {
			t.Errorf("distorted by %v, want a quarter; %v", d, k)
		}
		// A true dimension after that keeps the proportions as they are now.
		if err := s.SetTrue(mug, "height", 2*before.Y, true); err != nil || math.Abs(s.Distortion()-0.25) > 1e-12 {
			t.Errorf("%v, distorted by %v", err, s.Distortion())
		}
		if err := s.Even(); err != nil || s.Size(mug).Sub(before.Mul(2)).Len() > 1e-12 || s.Distortion() != 0 {
			t.Errorf("in proportion again: %v, want %v", s.Size(mug), before.Mul(2))
		}
		if s.SetTrue(mug, "width", 1e9, false) == nil {
			t.Error("stretched without limit")
		}
	}
}

// The front is where the handle is after a quarter turn: +X comes to -Z.
func TestTheFrontTurnsByQuarters(t *testing.T) {
	for turn, want := range []geom.V{{X: 1, Y: 2, Z: 3}, {X: 3, Y: 2, Z: 1}, {X: 1, Y: 2, Z: 3}, {X: 3, Y: 2, Z: 1}} {
		s := Sizing{MetresPerUnit: 1, Up: "Y", Factor: 1, Turn: turn}
		box := geom.Box{Max: geom.V{X: 1, Y: 2, Z: 3}}
		if got := s.Size(box); got != want {
			t.Errorf("turned %d quarters: %v, want %v", turn, got, want)
		}
		m := s.Transform(box)
		x := m.Dir(geom.V{X: 1})
		if wantX := []geom.V{{X: 1}, {Z: -1}, {X: -1}, {Z: 1}}[turn]; x.Sub(wantX).Len() > 1e-15 {
			t.Errorf("turned %d quarters: +X is %v", turn, x)
		}
	}
	for _, bad := range []Sizing{{MetresPerUnit: 1, Up: "Y", Factor: 1, Turn: 4},
		{MetresPerUnit: 1, Up: "Y", Factor: 1, Turn: -1}, {MetresPerUnit: 1, Up: "Y", Factor: 1, Pivot: "nose"},
		{MetresPerUnit: 1, Up: "Y", Factor: 1, Sunk: math.NaN()}} {
		if bad.Check() == nil {
			t.Errorf("%+v was accepted", bad)
		}
	}
}

// A machine on four bolts that reach 8 cm below its plate rests on the plate; a
// table rests on its legs.
func TestWhatReachesIntoTheGroundIsFound(t *testing.T) {
	b := &builder{m: &model.Model{}}
	b.box("plate", -0.5, 0.08, -0.5, 0.5, 0.12, 0.5)
	b.box("body", -0.4, 0.12, -0.4, 0.4, 1.08, 0.4)
	for k := range 4 {
		x, z := pick(k&1 != 0, 0.42, -0.45), pick(k&2 != 0, 0.42, -0.45)
		b.box("bolt", x, 0, z, x+0.03, 0.09, z+0.03)
	}
	if rest := SubjectOf(b.m, "machine").Shape.RestWith("Y"); math.Abs(rest-0.08) > 1e-7 {
		t.Errorf("it rests at %v", rest)
	}
	b = &builder{m: &model.Model{}}
	top(b, 0.75, 1.6, 0.9)
	if rest := SubjectOf(b.m, "table").Shape.RestWith("Y"); rest != 0 {
		t.Errorf("a table rests at %v", rest)
	}
}
