package render

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
	"visator/core/light"
	"visator/core/sky"
)

// surfacePoint is a point of a floor of one material, seen from a direction in
// the frame of the point.
func surfacePoint(t *testing.T, rough, metal float64, from geom.V) point {
	t.Helper()
	k := &testScene{}
	k.add(floor(k.surface(grey(1, rough, metal)), 5))
	s := k.build(t)
	s.Build()
	up := geom.V{X: from.X, Y: from.Z, Z: -from.Y} // the floor's normal is +Y
	ray := NewRay(up, up.Mul(-1))
	hit, ok := s.Closest(ray)
	if !ok {
		t.Fatal("the floor is missed")
	}
	return s.shade(&ray, &hit)
}

// Nothing reflects more than it gets, from wherever it is looked at.
func TestNoSurfaceGivesMoreThanItGets(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 71))
	for _, metal := range []float64{0, 0.5, 1} {
		for _, rough := range []float64{0.05, 0.3, 0.6, 1} {
			for _, cos := range []float64{0.98, 0.6, 0.2} {
				pt := surfacePoint(t, rough, metal, geom.V{X: math.Sqrt(1 - cos*cos), Z: cos})
				sum := 0.0
				const n = 20_000
				for range n {
					_, w, _, ok := pt.sample(r.Float64(), r.Float64(), r.Float64())
					if ok {
						sum += light.Luminance(w)
					}
				}
				if got := sum / n; got > 1.02 || got < 0.8 {
					t.Errorf("white, metal %v, roughness %v, seen at cosine %v: gives back %.3f", metal, rough, cos,
						got)
				}
			}
		}
	}
}

// A glimpse is as bright as the picture, however small that is.
func TestAGlimpseIsAsBrightAsThePicture(t *testing.T) {
	k := &testScene{}
	k.add(floor(k.surface(grey(0.5, 1, 0)), 20))
	for _, side := range []int{1, 16, 32} {
		s := k.build(t)
		s.Env = &sky.Environment{Constant: geom.V{X: 2, Y: 2, Z: 2}}
		s.Build()
		var g *Film
		f, err := Render(context.Background(), s, look(geom.V{Y: 3}, geom.V{}, 0.5),
			Options{Width: side, Height: side, Samples: 8, Bounces: 1, Seed: 7, Progress: func(done, of int, f *Film) {
				if done == of {
					g = f.Glimpse(false)
				}
			}})
		if err != nil || g == nil {
			t.Fatal(err, "no glimpse at the end")
		}
		if want := max(side/2, 1); g.Width != want || g.Height != want {
			t.Errorf("a glimpse of %d is %d x %d", side, g.Width, g.Height)
		}
		within(t, "glimpse", mean(g), mean(f), 1e-4)
	}
}
