package render

import (
	"math"
	"testing"

	"visator/core/air"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/model"
	"visator/core/points"
	"visator/core/sky"
)

// chamber is a room of 4 m that the sun comes into through a hole in a wall, before which a pane may hang.
func chamber(t testing.TB, pane func(*model.Surface)) (*Scene, *Camera) {
	const hole = 0.8 // metres
	k := &testScene{}
	wall := k.surface(grey(0.7, 1, 0))
	x, y, z := geom.V{X: 4}, geom.V{Y: 4}, geom.V{Z: 4}
	k.add(quad(k.surface(grey(0.5, 0.5, 0)), geom.V{}, x, z))
	k.add(quad(wall, y, x, z))
	k.add(quad(wall, geom.V{}, z, y))
	k.add(quad(wall, geom.V{}, x, y))
	k.add(quad(wall, z, x, y))
	lo, hi := 2-hole/2, 2+hole/2
	k.add(quad(wall, x, z, geom.V{Y: lo}))
	k.add(quad(wall, geom.V{X: 4, Y: hi}, z, geom.V{Y: 4 - hi}))
	k.add(quad(wall, geom.V{X: 4, Y: lo}, geom.V{Z: lo}, geom.V{Y: hole}))
	k.add(quad(wall, geom.V{X: 4, Y: lo, Z: hi}, geom.V{Z: 4 - hi}, geom.V{Y: hole}))
	k.add(sphere(k.surface(grey(0.9, 0.35, 1)), 12, geom.V{X: 1.5, Y: 0.5, Z: 3.4}, 0.5))
	if pane != nil {
		k.add(quad(k.surface(pane), geom.V{X: 4.05, Y: lo - 0.3, Z: lo - 0.3}, geom.V{Y: hole + 0.6}, geom.V{Z: hole + 0.6}))
	}
	s := k.build(t)
	s.Suns = []Sun{{To: geom.V{X: 0.8, Y: 0.6}, Lux: geom.V{X: 1000, Y: 900, Z: 700}, Radius: 0.01}}
	s.Build()
	return s, look(geom.V{X: 0.3, Y: 2, Z: 3.6}, geom.V{X: 2, Y: 1.7, Z: 0.5}, 0.7)
}

// sunPaths is the mean and the variance of so many paths that look for places in the sun, or do not.
func sunPaths(s *Scene, cam *Camera, p patch, count int) (mean, variance float64) {
	tr := tracer{s: s, bounces: 4, patch: p}
	sum, square := 0.0, 0.0
	const per = 16 // mean over the samples of a pixel, which are not by chance
	for i := range count / per {
		v := 0.0
		for k := range per {
			smp := points.New(5, i%256, i/256, k)
			var sn seen
			x, y := smp.Next2()
			x, y = (float64(i%31)+x)/31, (float64(i%23)+y)/23
			v += light.Luminance(tr.radiance(cam.Ray(x, y, 0.5, 0.5), &smp, &sn)) / per
		}
		sum, square = sum+v, square+v*v
	}
	n := float64(count / per)
	return sum / n, (square - sum*sum/n) / n
}

// Light that comes by places in the sun is as much as paths find that happen to come there, whatever is in its way.
func TestPlacesInTheSunGiveWhatTheyGive(t *testing.T) {
	for _, c := range []struct {
		name   string
		pane   func(*model.Surface)
		change func(s *Scene)
	}{
		{"a hole", nil, func(*Scene) {}},
		{"a pane", func(s *model.Surface) {
			grey(0.8, 0, 0)(s)
			s.Transmission, s.BaseColor = 1, [4]float64{0.9, 0.5, 0.4, 1}
		}, func(*Scene) {}},
		{"a net", func(s *model.Surface) {
			grey(0.2, 1, 0)(s)
			s.Alpha, s.BaseColor[3] = model.Blend, 0.6
		}, func(*Scene) {}},
		{"smoke", nil, func(s *Scene) {
			s.Air = &air.Air{Parts: []air.Part{{Shape: air.Box, Sigma: 0.1, Albedo: geom.V{X: 0.8, Y: 0.8, Z: 0.8}, Mean: 0.3,
				Inv: air.Within(geom.V{X: 2, Y: 2, Z: 2}, geom.V{X: 2.5, Y: 2.5, Z: 2.5}, 0)}}}
			s.Build()
		}},
		{"a point of a sun", nil, func(s *Scene) { s.Suns[0].Radius = 0 }},
		{"a wide sun, and the sky", nil, func(s *Scene) {
			s.Suns[0].Radius = 0.15
			s.Env = &sky.Environment{Constant: geom.V{X: 30, Y: 30, Z: 50}}
		}},
	} {
		s, cam := chamber(t, c.pane)
		c.change(s)
		area := s.learn(cam, &Options{Bounces: 4, Seed: 3})
		if area == nil {
			t.Errorf("%s: nothing is learned", c.name)
			continue
		}
		const count = 100_000
		want, noise := sunPaths(s, cam, patch{}, 2*count)
		got, left := sunPaths(s, cam, patch{area: area}, count)
		off := math.Sqrt(noise*16/(2*count) + left*16/count)
		if math.Abs(got-want) > 4*off {
			t.Errorf("%s: %v cd/m², by chance %v ± %v", c.name, got, want, off)
		}
	}
}

// Nothing is learned where the sun is everywhere, where there is none, and where there are two.
func TestWhereNothingIsLearned(t *testing.T) {
	k := &testScene{}
	k.add(floor(k.surface(grey(0.5, 1, 0)), 20))
	k.add(sphere(k.surface(grey(0.5, 1, 0)), 12, geom.V{Y: 1}, 1))
	s := k.build(t)
	s.Suns = []Sun{{To: geom.V{Y: 1}, Lux: allWhite, Radius: 0.005}}
	s.Build()
	cam := look(geom.V{Y: 2, Z: 6}, geom.V{Y: 1}, 0.6)
	if s.learn(cam, &Options{Bounces: 4}) != nil {
		t.Error("in the open")
	}
	s, cam = chamber(t, nil)
	two := *s
	two.Suns = append(two.Suns, s.Suns[0])
	if two.learn(cam, &Options{Bounces: 4}) != nil {
		t.Error("of two suns")
	}
	if s.learn(cam, &Options{}) != nil {
		t.Error("without a bounce")
	}
	s.Suns = nil
	if s.learn(cam, &Options{Bounces: 4}) != nil {
		t.Error("without a sun")
	}
}
