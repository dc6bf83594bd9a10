package render

import (
	"context"
	"fmt"
	"math"
	"testing"

	"visator/core/air"
	"visator/core/fall"
	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/light"
	"visator/core/model"
	"visator/core/points"
	"visator/core/sky"
)

// even is air of one density all over.
func even(sigma, albedo, mean float64) *air.Air {
	return &air.Air{Parts: []air.Part{{Sigma: sigma, Albedo: geom.V{X: albedo, Y: albedo, Z: albedo}, Mean: mean}}}
}

func traced(t *testing.T, s *Scene, cam *Camera, o Options) float64 {
	t.Helper()
	o.Width, o.Height = max(o.Width, 8), max(o.Height, 8)
	f, err := Render(context.Background(), s, cam, o)
	if err != nil {
		t.Fatal(err)
	}
	return mean(f)
}

// A glowing wall seen through haze that only swallows light is as bright as Beer's law says, in a mirror and through
// glass too.
func TestHazeDimsByBeersLaw(t *testing.T) {
	k := &testScene{}
	glow := k.surface(func(s *model.Surface) {
		s.BaseColor, s.Emissive = [4]float64{0, 0, 0, 1}, [3]float64{100, 100, 100}
	})
	k.add(quad(glow, geom.V{X: -50, Y: -50, Z: -10}, geom.V{X: 100}, geom.V{Y: 100}))
	s := k.build(t)
	s.Air = even(0.05, 0, 0)
	s.Build()
	within(t, "10 m", traced(t, s, look(geom.V{}, geom.V{Z: -10}, 0.01), Options{Samples: 512, Seed: 3}),
		100*math.Exp(-0.5), 0.01)

	mirror := k.surface(func(s *model.Surface) {
		s.BaseColor, s.Metallic, s.Roughness = [4]float64{1, 1, 1, 1}, 1,
			0.0
	})
	k.add(quad(mirror, geom.V{X: 50, Y: -50, Z: 5}, geom.V{X: -100}, geom.V{Y: 100}))
	s = k.build(t)
	s.Air = even(0.05, 0, 0)
	s.Build()
	within(t, "5 m to a mirror and 15 m back", traced(t, s, look(geom.V{}, geom.V{Z: 5}, 0.01),
		Options{Samples: 1024, Seed: 3, Bounces: 2}), 100*math.Exp(-1), 0.015)
}

// In a sky of one luminance all around, fog that swallows nothing is seen nowhere.
func TestWhiteFogInAWhiteSkyIsNotSeen(t *testing.T) {
	for _, mean := range []float64{0, 0.8, -0.4} {
		s := &Scene{Env: &sky.Environment{Constant: geom.V{X: 2, Y: 2, Z: 2}}}
		s.Air = &air.Air{Parts: []air.Part{{Shape: air.Ball, Sigma: 0.4, Albedo: geom.V{X: 1, Y: 1, Z: 1}, Mean: mean,
			Inv: air.Within(geom.V{Z: -6}, geom.V{X: 3, Y: 3, Z: 3}, 0)}}}
		s.Build()
		within(t, fmt.Sprint("mean cosine ", mean), traced(t, s, look(geom.V{}, geom.V{Z: -6}, 0.6),
			Options{Samples: 256, Seed: 5, Bounces: 60}), 2, 0.01)
	}
}

// The glow about a lamp in haze is the integral of what is scattered once, lamps as points and as balls.
func TestALampInHaze(t *testing.T) {
	const sigma, g, cd, off, far = 0.03, 0.5, 500.0, 1.5, 40.0
	at := geom.V{X: 2, Y: off, Z: -9}
	part := air.Part{Mean: g}
	d := geom.V{Z: -1}
	want := 0.0
	const n = 400_000
	for i := range n {
		x := far * (float64(i) + 0.5) / n
		p := d.Mul(x)
		to := p.Sub(at)
		r := to.Len()
		want += sigma * math.Exp(-sigma*(x+r)) * cd / (r * r) * part.Phase(to.Unit(), d.Mul(-1)) * far / n
	}
	for _, l := range []lamp.Lamp{
		{At: at, Candela: geom.V{X: cd, Y: cd, Z: cd}},
		{At: at, Candela: geom.V{X: cd, Y: cd, Z: cd}, Shape: lamp.Ball, Radius: 0.05},
	} {
		k := &testScene{}
		black := k.surface(func(s *model.Surface) { s.BaseColor, s.Roughness = [4]float64{0, 0, 0, 1}, 1 })
		k.add(quad(black, geom.V{X: -500, Y: -500, Z: -far}, geom.V{X: 1000}, geom.V{Y: 1000}))
		s := k.build(t)
		s.Lamps, s.Air = []lamp.Lamp{l}, even(sigma, 1, g)
		s.Build()
		cam := look(geom.V{}, geom.V{Z: -1}, 0.001)
		one := traced(t, s, cam, Options{Samples: 256, Seed: 9, Bounces: 0})
		within(t, fmt.Sprint("shape ", l.Shape), one, want, 0.02)
	}
}

// Looking for a lamp along the way changes the noise, not the picture: one that finds it only where light happens to
// meet the air is as bright.
func TestBothWaysOfLookingAgree(t *testing.T) {
	k := &testScene{}
	k.add(floor(k.surface(grey(0.4, 1, 0)), 20))
	s := k.build(t)
	for i := range 30 { // more than are weighed one by one
		x := float64(i%6)*3 - 8
		s.Lamps = append(s.Lamps, lamp.Lamp{At: geom.V{X: x, Y: 2 + float64(i/6), Z: -float64(i)}, Radius: 0.2,
			Shape: lamp.Shape(i % 2), Candela: geom.V{X: 80, Y: 60, Z: 40}})
	}
	s.Air = even(0.05, 0.9, 0.4)
	s.Build()
	cam := look(geom.V{Y: 2, Z: 8}, geom.V{Y: 1, Z: -10}, 0.8)
	both := traced(t, s, cam, Options{Width: 24, Height: 24, Samples: 256, Seed: 2, Bounces: 3})
	sum := 0.0
	const n = 16_384
	tr := tracer{s: s, bounces: 3, plainWays: true}
	for i := range n {
		smp := points.New(77, i, 0, 1)
		var sn seen
		x, y := smp.Next2()
		sum += light.Luminance(tr.radiance(cam.Ray(x, y, 0.5, 0.5), &smp, &sn)) / n
	}
	within(t, "without looking along the way", sum, both, 0.05)
}

// A shaft of sun through a gap in a roof is the integral of what is scattered once along the way that it lights: from a
// to b metres off, behind so much air on both ways.
func TestAShaftOfSun(t *testing.T) {
	const sigma, lux, a, b = 0.08, 5000.0, 4.0, 6.0
	k := &testScene{}
	black := k.surface(func(s *model.Surface) { s.BaseColor, s.Roughness = [4]float64{0, 0, 0, 1}, 1 })
	k.add(quad(black, geom.V{X: -50, Y: 3, Z: -a}, geom.V{X: 100}, geom.V{Z: 100}))       // the roof before the gap
	k.add(quad(black, geom.V{X: -50, Y: 3, Z: -b - 100}, geom.V{X: 100}, geom.V{Z: 100})) // and behind it
	k.add(quad(black, geom.V{X: -50, Y: -50, Z: -15}, geom.V{X: 100}, geom.V{Y: 100}))
	s := k.build(t)
	s.Suns = []Sun{{To: geom.V{Y: 1}, Lux: geom.V{X: lux, Y: lux, Z: lux}}}
	part := air.Part{Shape: air.Box, Sigma: sigma, Albedo: geom.V{X: 0.7, Y: 0.7, Z: 0.7}, Mean: 0.3,
		Inv: air.Within(geom.V{}, geom.V{X: 40, Y: 3, Z: 40}, 0)}
	s.Air = &air.Air{Parts: []air.Part{part}}
	s.Build()
	above := math.Exp(-sigma * 2) // from the roof down to the way, one metre high
	want := lux * above * 0.7 * part.Phase(geom.V{Y: -1}, geom.V{Z: 1}) * (math.Exp(-sigma*a) - math.Exp(-sigma*b))
	got := traced(t, s, look(geom.V{Y: 1}, geom.V{Y: 1, Z: -10}, 0.001), Options{Samples: 4096, Seed: 8, Bounces: 0})
	within(t, "shaft", got, want, 0.02)
}

// Dark drops before a bright wall take from it what their cross sections say, as Beer's law has it, whether the shutter
// is open for long or short; what falls behind the wall takes nothing.
func TestWhatFallsDimsWhatIsBehind(t *testing.T) {
	k := &testScene{}
	glow := k.surface(func(s *model.Surface) {
		s.BaseColor, s.Emissive = [4]float64{0, 0, 0, 1}, [3]float64{100, 100, 100}
	})
	const far = 5.0
	k.add(quad(glow, geom.V{X: -50, Y: -50, Z: -far}, geom.V{X: 100}, geom.V{Y: 100}))
	s := k.build(t)
	s.Build()
	cam := &Camera{World: geom.Identity, TanX: 0.3, TanY: 0.3, Near: 1e-3, Far: 1000}
	for _, open := range []float64{1e-3, 1.0 / 30} {
		sum, want := 0.0, 0.0
		const shots, side = 40, 32
		for seed := range uint64(shots) {
			f := fall.New(fall.Snow, 50, geom.V{X: 2}, geom.V{}, open, 0, seed)
			got := traced(t, s.Falling(f, air.Part{}), cam, Options{Samples: 4, Bounces: 1, Seed: seed, Width: side,
				Height: side})
			sum += got / 100 / shots
			for i := range side * side {
				d := cam.Ray((float64(i%side)+0.5)/side, (float64(i/side)+0.5)/side, 0.5, 0.5).D
				want += math.Exp(f.Covers()*far/d.Z) / (shots * side * side)
			}
		}
		if math.Abs(sum-want) > 0.01 || want > 0.97 {
			t.Errorf("open for %v s, %.4f of the light comes through, want %.4f", open, sum, want)
		}
	}
}
