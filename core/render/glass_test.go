package render

import (
	"context"
	"math"
	"testing"

	"visator/core/cast"
	"visator/core/geom"
	"visator/core/model"
	"visator/core/sky"
	"visator/core/surface"
)

// box is a closed body from lo to hi.
func box(surface int, lo, hi geom.V) model.Part {
	p := model.Part{Surface: surface}
	for i := range 8 {
		for axis, v := range [3][2]float64{{lo.X, hi.X}, {lo.Y, hi.Y}, {lo.Z, hi.Z}} {
			p.Positions = append(p.Positions, float32(v[i>>axis&1]))
		}
	}
	p.Indices = []uint32{0, 2, 1, 1, 2, 3, 4, 5, 6, 5, 7, 6, 0, 1, 4, 1, 5, 4, 2, 6, 3, 3, 6, 7, 0, 4, 2, 2, 4, 6, 1, 3, 5,
		3, 7, 5}
	return p
}

// through is what a camera sees through the middle of a scene under a white sky.
func through(t *testing.T, k *testScene, samples int) geom.V {
	t.Helper()
	s := &Scene{Env: sky.New([]float32{1, 1, 1, 1, 1, 1}, 2, 1, 1000, 0)}
	if err := s.Place(&Library{}, &k.m, geom.Identity, func(int) uint32 { return 1 }); err != nil {
		t.Fatal(err)
	}
	s.Build()
	cam := &Camera{World: geom.Translation(geom.V{Z: 5}), TanX: 0.01, TanY: 0.01, Near: 0.01}
	f, err := Render(context.Background(), s, cam, Options{Width: 8, Height: 8, Samples: samples, Bounces: 12, Seed: 1})
	if err != nil {
		t.Fatal(err)
	}
	var sum geom.V
	for i := 0; i < len(f.Color); i += 3 {
		sum = sum.Add(geom.V{X: float64(f.Color[i]), Y: float64(f.Color[i+1]), Z: float64(f.Color[i+2])}.Mul(1.0 / 64))
	}
	return sum
}

// Beer's law: half a metre of what leaves the colour c after a quarter of one leaves c². Clear glass under an even sky
// is not seen at all, whatever it bends.
func TestSolidGlassTakesUpLight(t *testing.T) {
	var k testScene
	k.add(box(k.surface(func(s *model.Surface) {
		s.Transmission, s.Solid, s.Roughness, s.IOR = 1, true, 0, 1
		s.Absorb, s.AbsorbOver = [3]float64{0.5, 0.25, 1}, 0.25
	}), geom.V{X: -50, Y: -50, Z: -0.5}, geom.V{X: 50, Y: 50}))
	got := through(t, &k, 64)
	for c, want := range map[string][2]float64{"red": {got.X, 250}, "green": {got.Y, 62.5}, "blue": {got.Z, 1000}} {
		if math.Abs(want[0]-want[1]) > 0.02*want[1] {
			t.Errorf("%s: %.1f, want %.1f", c, want[0], want[1])
		}
	}
	for _, rough := range []float64{0, 0.4} {
		var clear testScene
		clear.add(sphere(clear.surface(func(s *model.Surface) {
			s.Transmission, s.Solid, s.Roughness, s.IOR, s.Dispersion = 1, true, rough, 1.5, 0.3
		}), 24, geom.V{}, 1))
		if got := through(t, &clear, 256); got.Sub(geom.V{X: 1000, Y: 1000, Z: 1000}).Len() > 60 {
			t.Errorf("a clear ball of roughness %v under an even sky: %v", rough, got)
		}
	}
}

// A model that shares its triangles with another needs no structure of its own, and is met as one that does not.
func TestStructuresAreShared(t *testing.T) {
	var k testScene
	k.add(sphere(k.surface(func(s *model.Surface) {}), 12, geom.V{}, 1))
	other := k.m
	other.Surfaces = []model.Surface{k.m.Surfaces[0]}
	other.Surfaces[0].Alpha, other.Surfaces[0].BaseColor[3] = model.Blend, 0.5
	lib := &Library{}
	s := &Scene{apart: true}
	for i, m := range []*model.Model{&k.m, &other} {
		at := geom.Translation(geom.V{X: 3 * float64(i)})
		if err := s.Place(lib, m, at, func(int) uint32 { return 1 }); err != nil {
			t.Fatal(err)
		}
	}
	s.Build()
	a, b := s.Instances[0].Mesh, s.Instances[1].Mesh
	if b.Like != a {
		t.Fatal("the structure is made twice")
	}
	for i := range a.Tree.Blocks() {
		for k, id := range a.Tree.Blocks()[i].ID {
			if got := b.Tree.Blocks()[i].ID[k]; got != id && got != id|cast.AsksBit {
				t.Fatalf("triangle %d became %d", id, got)
			} else if id != 1<<32-1 && got == id {
				t.Fatalf("triangle %d lets no light through", id)
			}
		}
	}
}

// Snow lies on an open floor, and not on one that something stands over; what it does not count on stays.
func TestWeatherInAScene(t *testing.T) {
	of := func(roof bool, on map[uint32]bool) float64 {
		var k testScene
		grey := k.surface(func(s *model.Surface) { s.BaseColor, s.Roughness = [4]float64{0.2, 0.2, 0.2, 1}, 1 })
		k.add(floor(grey, 10))
		if roof {
			k.add(box(grey, geom.V{X: -9, Y: 3, Z: -9}, geom.V{X: 9, Y: 3.2, Z: 9}))
		}
		s := &Scene{}
		if err := s.Place(&Library{}, &k.m, geom.Identity, func(int) uint32 { return 7 }); err != nil {
			t.Fatal(err)
		}
		s.Build()
		w := surface.NewWear()
		w.Snow = 1
		s.Weathers = []surface.Weather{w.Ready(on, nil)}
		f, ok := s.Find(NewRay(geom.V{Y: 2}, geom.V{Y: -1}))
		if !ok || f.ID != 7 {
			t.Fatal(f)
		}
		return f.Base.Y
	}
	if got := of(false, nil); got < 0.8 {
		t.Errorf("an open floor: %v", got)
	}
	if got := of(true, nil); got > 0.21 {
		t.Errorf("below a roof: %v", got)
	}
	if got := of(false, map[uint32]bool{3: true}); got > 0.21 {
		t.Errorf("what it does not count on: %v", got)
	}
}
