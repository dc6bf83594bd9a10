package sky

import (
	"math"
	"testing"

	"visator/core/geom"
)

// A disc that was painted into a panorama is found where it is, with what it gives; taken out, the rest stays as bright;
// under an even sky there is none.
func TestAPanoramasOwnSun(t *testing.T) {
	const w, h = 1024, 512
	to := geom.V{X: 0.5, Y: 0.6, Z: -0.4}.Unit()
	const radius, bright = 0.02, 50_000.0
	pix := make([]float32, 3*w*h)
	for y := range h {
		for x := range w {
			v := float32(1)
			if math.Acos(min(Toward(x, y, w, h).Dot(to), 1)) < radius {
				v = bright
			}
			p := pix[3*(y*w+x):]
			p[0], p[1], p[2] = v, v*0.9, v*0.7
		}
	}
	s, ok := FindSun(pix, w, h)
	if !ok || math.Acos(s.To.Dot(to)) > 0.003 {
		t.Fatalf("found %v %+v, want it towards %v", ok, s, to)
	}
	within(t, "what it gives", s.Lux.X, bright*math.Pi*radius*radius, 0.05)
	within(t, "its blue", s.Lux.Z/s.Lux.X, 0.7, 1e-3)
	within(t, "its size", s.Radius, radius, 0.05)
	without := WithoutSun(pix, w, h, s)
	for i := range w * h {
		if without[3*i] > 1.001 || without[3*i] < 0.999 {
			t.Fatalf("without it pixel %d is %v", i, without[3*i])
		}
	}
	if pix[3*(int(math.Acos(to.Y)/math.Pi*h)*w)] != 1 {
		t.Error("the panorama itself was changed")
	}
	if _, ok := FindSun(without, w, h); ok {
		t.Error("there is a sun in an even sky")
	}
	if _, ok := FindSun(make([]float32, 3*8*4), 8, 4); ok {
		t.Error("there is a sun in the dark")
	}
}
