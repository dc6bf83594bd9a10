package render

import (
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/model"
	"visator/core/sky"
)

// On an open floor each source gives what the formulas say: the sun its lux by the cosine, an even sky π·L, a lamp
// I·cos/d², a glowing square by its form factor; nothing bounces. The floor's luminance is ρ/π of all together.
func TestAMeterTellsWhatComesFromWhere(t *testing.T) {
	k := &testScene{}
	k.add(floor(k.surface(grey(0.5, 1, 0)), 30))
	// A square of 1 m, 2 m above, of 500 cd/m², seen from below.
	glow := k.surface(func(s *model.Surface) {
		s.BaseColor, s.Emissive = [4]float64{0, 0, 0, 1}, [3]float64{500, 500, 500}
	})
	k.add(quad(glow, geom.V{X: -0.5, Y: 2, Z: -0.5}, geom.V{X: 1}, geom.V{Z: 1}))
	s := k.build(t)
	s.Suns = []Sun{{To: geom.V{X: math.Sin(1), Y: math.Cos(1)}, Lux: geom.V{X: 1000, Y: 1000, Z: 1000}}}
	s.Env = sky.New([]float32{1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1}, 2, 2, 30, 0)
	s.Lamps = []lamp.Lamp{{At: geom.V{X: -3, Y: 4}, Candela: geom.V{X: 800, Y: 800, Z: 800}},
		{At: geom.V{Y: 1, Z: 2}, Shape: lamp.Ball, Radius: 0.1, Candela: geom.V{X: 50, Y: 50, Z: 50}}}
	s.Build()
	eye := geom.V{X: 2, Y: 1.5, Z: 2}
	r := s.Meter(NewRay(eye, eye.Mul(-1).Unit()), 0, 6000, 1)
	if !r.Hit || r.At.Len() > 1e-4 || r.Normal.Y < 0.999 || math.Abs(r.Distance-eye.Len()) > 1e-4 {
		t.Fatalf("%+v", r)
	}
	// From its middle a square of side a at height h fills 4/π·(x/√(1+x²)·atan(x/√(1+x²))), x = a/2h, of the view by
	// the cosine (Howell, B-3, four quarters).
	x := 0.25
	square := 4 / math.Pi * (x / math.Sqrt(1+x*x) * math.Atan(x/math.Sqrt(1+x*x)))
	within(t, "sun", r.Sun, 1000*math.Cos(1), 1e-6)
	within(t, "sky", r.Sky, 30*math.Pi*(1-square), 0.02)
	within(t, "lamp", r.Lamps[0], 800*(4.0/5)/25, 1e-6)
	within(t, "ball", r.Lamps[1], 50*(1/math.Sqrt(5))/5, 0.01)
	within(t, "glow", r.Glow, math.Pi*500*square, 0.02)
	if r.Bounce > 0 {
		t.Errorf("%v lx bounce off nothing", r.Bounce)
	}
	within(t, "luminance", r.Luminance, 0.5/math.Pi*r.Lux(), 0.03)
	if r.Off <= 0 || r.Off > 0.05*r.Luminance {
		t.Errorf("%v off %v", r.Off, r.Luminance)
	}
	// The sky itself has a luminance and no surface.
	if up := s.Meter(NewRay(eye, geom.V{X: 1}), 0, 4, 1); up.Hit || math.Abs(up.Luminance-30) > 1e-6 || up.Lux() != 0 {
		t.Errorf("%+v", up)
	}
}

// In a closed grey ball with a lamp in its middle all that bounces is E·ρ/(1-ρ), as in an integrating sphere.
func TestAMeterCountsWhatBounces(t *testing.T) {
	k := &testScene{}
	k.add(sphere(k.surface(grey(0.5, 1, 0)), 48, geom.V{}, 2))
	s := k.build(t)
	s.Lamps = []lamp.Lamp{{Candela: geom.V{X: 100, Y: 100, Z: 100}}}
	s.Build()
	r := s.Meter(NewRay(geom.V{Z: 0.5}, geom.V{X: 1}), 40, 3000, 3)
	within(t, "direct", r.Lamps[0], 25, 0.02)
	within(t, "bounce", r.Bounce, 25*0.5/(1-0.5), 0.04)
}
