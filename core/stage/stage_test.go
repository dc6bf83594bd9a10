package stage

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
	"visator/core/light"
	"visator/core/motion"
	"visator/core/optics"
)

func TestAPatchChangesOnlyItsFields(t *testing.T) {
	p := Person(geom.V{X: 1, Y: 2, Z: 3})
	if err := Patch(&p, json.RawMessage(`{"at":{"x":5},"locked":true}`)); err != nil {
		t.Fatal(err)
	}
	if p.At != (geom.V{X: 5, Y: 2, Z: 3}) || !p.Locked || p.Name != "person" {
		t.Errorf("got %+v", p)
	}
}

func TestAPatchThatIsWrongChangesNothing(t *testing.T) {
	for _, bad := range []string{`{"scale":{"x":0}}`, `{"nmae":"x"}`, `{"name":""}`, `[]`, `{"at":{"x":"far"}}`, `{`} {
		p := Person(geom.V{})
		before := p
		if err := Patch(&p, json.RawMessage(bad)); err == nil {
			t.Errorf("%s was accepted", bad)
		}
		if p != before {
			t.Errorf("%s changed the row", bad)
		}
	}
}

func TestPatchDoesNotReachIntoWhatItCameFrom(t *testing.T) {
	s := Scene{Name: "a", ShotSettings: ShotSettings{View: optics.Default(), Light: light.Default(),
		Move: &motion.Move{Keys: []motion.Key{{View: optics.Default(), Seconds: 2, Easing: "linear"}}, Rate: 24}}}
	kept := *s.Move
	next := s
	if err := Patch(&next, json.RawMessage(`{"move":{"seconds":9}}`)); err != nil {
		t.Fatal(err)
	}
	if s.Move.Seconds != kept.Seconds || next.Move.Seconds != 9 || len(next.Move.Keys) != 1 {
		t.Error("the old row was changed, or the new one was not")
	}
	if err := Patch(&next, json.RawMessage(`{"move":null}`)); err != nil || next.Move != nil {
		t.Error("a move cannot be taken away")
	}
}

func TestNamesCountUp(t *testing.T) {
	taken := map[string]bool{"bench": true, "bench 2": true, "lamp 7": true}
	has := func(s string) bool { return taken[s] }
	for in, want := range map[string]string{"bench": "bench 3", "lamp 7": "lamp 8", "cart": "cart"} {
		if got := NextName(in, has); got != want {
			t.Errorf("%q becomes %q, want %q", in, got, want)
		}
	}
}

func TestAViewThatWasChangedIsToldFromItsShot(t *testing.T) {
	s := Scene{ShotSettings: ShotSettings{View: optics.Default(), Light: light.Default()}}
	k := Shot{ShotSettings: s.ShotSettings}
	if s.Changed(&k) {
		t.Error("the same view counts as changed")
	}
	s.View.Focal = 50
	if !s.Changed(&k) {
		t.Error("another focal length was not noticed")
	}
}

func TestWorldTurnsAboutThePivotAndScalesFirst(t *testing.T) {
	p := Person(geom.V{X: 10})
	p.Yaw, p.Scale = math.Pi/2, geom.V{X: 2, Y: 1, Z: 1}
	m := p.World()
	if got := m.Point(geom.V{X: 1}); got.Sub(geom.V{X: 10, Z: -2}).Len() > 1e-12 {
		t.Errorf("got %v", got)
	}
}

// A person stands on the ground, is as tall as said, and is seen from outside.
func TestThePersonStandsAndFacesOutwards(t *testing.T) {
	m := ShapeModel("person")
	b := m.Bounds()
	if math.Abs(b.Min.Y) > 1e-6 || math.Abs(b.Max.Y-PersonHeight) > 1e-6 || math.Abs(b.Min.X+b.Max.X) > 1e-6 {
		t.Errorf("bounds %v", b)
	}
	for i := range m.Meshes[0].Parts {
		p := &m.Meshes[0].Parts[i]
		for k := 0; k+2 < len(p.Indices); k += 3 {
			a := p.Position(p.Indices[k])
			n := p.Position(p.Indices[k+1]).Sub(a).Cross(p.Position(p.Indices[k+2]).Sub(a))
			j := 3 * p.Indices[k]
			if said := (geom.V{X: float64(p.Normals[j]), Y: float64(p.Normals[j+1]),
				Z: float64(p.Normals[j+2])}); n.Len() > 1e-9 && n.Dot(said) < 0 {
				t.Fatalf("part %d, triangle %d looks inwards", i, k/3)
			}
		}
	}
}

// Every stand-in is closed, seen from outside, and of one metre each way, so
// that its size is its size: a wedge holds half a box, a cylinder of n sides
// n/8 sin(2π/n), n steps (n+1)/2n.
func TestStandInsAreVolumes(t *testing.T) {
	want := map[string]float64{"box": 1, "slab": 1, "wall": 1, "card": 1, "wedge": 0.5,
		"cylinder": 4 * math.Sin(math.Pi/16), "steps": 3.0 / 5}
	for kind, size := range StandIns {
		if kind == "person" {
			continue
		}
		p := Placement{StandIn: kind, Size: size}
		m := ShapeModel(p.Shape())
		b := m.Bounds()
		if got := b.Size().Sub(geom.V{X: 1, Y: 1, Z: 1}).Len(); got > 1e-6 || math.Abs(b.Min.Y) > 1e-6 {
			t.Errorf("%s: bounds %v", kind, b)
		}
		volume := 0.0
		for i := range m.Meshes[0].Parts {
			p := &m.Meshes[0].Parts[i]
			for k := 0; k < len(p.Indices); k += 3 {
				volume += p.Position(p.Indices[k]).Dot(p.Position(p.Indices[k+1]).Cross(p.Position(p.Indices[k+2]))) / 6
			}
		}
		if math.Abs(volume-want[kind]) > 1e-6 {
			t.Errorf("%s holds %.4f m³, want %.4f", kind, volume, want[kind])
		}
	}
	for _, name := range []string{"", "steps-0", "steps-5x", "steps-100000", "house"} {
		if ShapeModel(name) != nil {
			t.Errorf("%q is a stand-in", name)
		}
	}
}

// Whatever a placement's turns are, standing it by its own transform gives that
// transform again.
func TestStandIsTheInverseOfWorld(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for i := range 2000 {
		p := Person(geom.V{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()})
		p.Yaw, p.Pitch, p.Roll = 7*r.Float64(), 7*r.Float64(), 7*r.Float64()
		if i%10 == 0 {
			p.Pitch = math.Pi / 2 * float64(1-2*(i%20/10)) // straight up and down, where yaw and roll are one
		}
		p.Scale = geom.V{X: 0.1 + r.Float64(), Y: 0.1 + r.Float64(), Z: 0.1 + r.Float64()}
		want := p.World()
		q := p
		q.Yaw, q.Pitch, q.Roll, q.At = 0, 0, 0, geom.V{}
		q.SetTransform(&want)
		got := q.World()
		for k := range got {
			if math.Abs(got[k]-want[k]) > 1e-7 {
				t.Fatalf("yaw %g, pitch %g, roll %g come back as %g, %g, %g", p.Yaw, p.Pitch, p.Roll, q.Yaw, q.Pitch,
					q.Roll)
			}
		}
	}
}

// Worked by hand: 1.6 x 0.8 x 0.6 in a room of 0.6 x 0.9 x 1.7 after a quarter
// turn shares 0.6 · 0.8 · 1.6 = 0.768 of 0.768 + 0.918 - 0.768; filled it grows by
// 1.7/1.6, 0.9/0.8 or 0.6/0.6, whichever is least: not at all.
func TestBestFit(t *testing.T) {
	room, size := geom.V{X: 0.6, Y: 0.9, Z: 1.7}, geom.V{X: 1.6, Y: 0.8, Z: 0.6}
	turn, scale, fit := BestFit(room, size, false)
	if math.Abs(turn-math.Pi/2) > 1e-9 || scale.X != 1 || math.Abs(fit-0.768/0.918) > 1e-9 {
		t.Errorf("turn %g, scale %v, fit %g", turn, scale, fit)
	}
	if _, scale, _ = BestFit(room, size, true); math.Abs(scale.X-1) > 1e-9 {
		t.Errorf("filled it is scaled by %v", scale)
	}
	if _, scale, fit = BestFit(geom.V{X: 2, Y: 2, Z: 2}, geom.V{X: 1, Y: 1, Z: 1}, true); scale.X != 2 || fit != 1 {
		t.Errorf("a cube in a cube: scale %v, fit %g", scale, fit)
	}
	if _, _, fit = BestFit(room, geom.V{}, true); fit != 0 {
		t.Errorf("nothing fits %g", fit)
	}
}
