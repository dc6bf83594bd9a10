package render

import (
	"context"
	"math"
	"slices"
	"testing"

	"visator/core/film"
	"visator/core/geom"
	"visator/core/sky"
)

// What comes by each way adds up to the picture, to 1e-4 of it, with the noise and with it removed; and asking for
// layers changes no value of it.
func TestWaysAddUpToTheWhole(t *testing.T) {
	cam := look(geom.V{Y: 2, Z: 7}, geom.V{Y: 0.5}, 0.7)
	for _, denoise := range []bool{false, true} {
		o := Options{Width: 40, Height: 30, Samples: 32, Seed: 4, Bounces: 3, Denoise: denoise}
		plain, err := Render(context.Background(), lit(t), cam, o)
		if err != nil {
			t.Fatal(err)
		}
		o.Shares, o.Extra = true, film.Extra{Ways: true, Held: true, Unhidden: true}
		f, err := Render(context.Background(), lit(t), cam, o)
		if err != nil || len(f.Ways) != len(film.WayNames) {
			t.Fatal(len(f.Ways), err)
		}
		if !slices.Equal(f.Color, plain.Color) {
			t.Errorf("noise removed %v: layers change the picture", denoise)
		}
		most := map[string]float64{}
		for i, whole := range f.Color {
			sum := 0.0
			for g, l := range f.Ways {
				sum += float64(l[i])
				most[film.WayNames[g]] = max(most[film.WayNames[g]], float64(l[i]))
				if l[i] < 0 {
					t.Fatalf("%s is %v", film.WayNames[g], l[i])
				}
			}
			if math.Abs(sum-float64(whole)) > 1e-4*max(float64(whole), 1) {
				t.Fatalf("noise removed %v: value %d is %v, its ways add up to %v", denoise, i, whole, sum)
			}
		}
		for _, name := range []string{"air", "direct.diffuse", "indirect.diffuse"} {
			if !(most[name] > 0) {
				t.Errorf("nothing came by way of %s", name)
			}
		}
	}
}

// Under a sky of one luminance a matte floor has its light from there alone; a mirror has what it shows; what glows is
// seen as it shines. Each way is the whole picture then.
func TestWaysAreWhatTheyAreCalled(t *testing.T) {
	for name, c := range map[string]struct {
		rough, metal float64
		white        float64
		want         int
	}{
		"a matte floor": {1, 0, 0.5, film.DirectMatte},
		"a mirror":      {0, 1, 1, film.DirectMirrored},
	} {
		k := &testScene{}
		k.add(floor(k.surface(grey(c.white, c.rough, c.metal)), 50))
		s := k.build(t)
		s.Env = &sky.Environment{Constant: geom.V{X: 2, Y: 2, Z: 2}}
		s.Build()
		f, err := Render(context.Background(), s, look(geom.V{Y: 3, Z: 0.1}, geom.V{}, 0.3),
			Options{Width: 8, Height: 8, Samples: 256, Seed: 1, Bounces: 2, Extra: film.Extra{Ways: true, Unhidden: true}})
		if err != nil {
			t.Fatal(err)
		}
		for g, l := range f.Ways {
			share := mean(&Film{Color: l}) / mean(f)
			if g == c.want && share < 0.98 || g != c.want && share > 0.02 {
				t.Errorf("%s: %.3f of the light comes by way of %s", name, share, film.WayNames[g])
			}
		}
		if u := f.Unhidden[0]; u != 1 {
			t.Errorf("%s in the open: %v of the sky is not hidden", name, u)
		}
	}
	s := &Scene{Env: &sky.Environment{Constant: geom.V{X: 2, Y: 2, Z: 2}}}
	s.Build()
	f, err := Render(context.Background(), s, look(geom.V{Y: 3}, geom.V{Y: 3, Z: -1}, 0.3),
		Options{Width: 4, Height: 4, Samples: 2, Extra: film.Extra{Ways: true}})
	if err != nil || !slices.Equal(f.Ways[film.Shines], f.Color) {
		t.Errorf("the open sky is not seen as it shines: %v, %v", f, err)
	}
}

// Half way up a wall that stands on a floor, nothing of the wall is hidden by the wall; of the floor at its foot half
// of the sky is (Lambert: the wall takes half of what comes by the cosine).
func TestOcclusionAtTheFootOfAWall(t *testing.T) {
	k := &testScene{}
	k.add(floor(k.surface(grey(0.5, 1, 0)), 50))
	k.add(quad(k.surface(grey(0.5, 1, 0)), geom.V{X: -50, Z: -0.002}, geom.V{X: 100}, geom.V{Y: 50}))
	s := k.build(t)
	s.Env = &sky.Environment{Constant: geom.V{X: 1, Y: 1, Z: 1}}
	s.Build()
	f, err := Render(context.Background(), s, look(geom.V{Y: 3, Z: 0}, geom.V{X: 0.001, Z: 0}, 0.0005),
		Options{Width: 8, Height: 8, Samples: 1024, Seed: 1, Extra: film.Extra{Unhidden: true}})
	if err != nil {
		t.Fatal(err)
	}
	sum := 0.0
	for _, u := range f.Unhidden {
		sum += float64(u) / 64
	}
	if math.Abs(sum-0.5) > 0.02 {
		t.Errorf("at the foot of a wall %v of the sky is not hidden", sum)
	}
}

// How much of a pixel a thing takes is, for an edge that goes straight through, what lies on its side; against many
// more rays through the same pixels.
func TestCoverageIsTheShareOfThePixel(t *testing.T) {
	k := &testScene{}
	k.add(floor(k.surface(grey(0.5, 1, 0)), 50))
	k.add(sphere(k.surface(grey(0.8, 1, 0)), 24, geom.V{Y: 1}, 1))
	s := k.build(t)
	s.Env = &sky.Environment{Constant: geom.V{X: 1, Y: 1, Z: 1}}
	s.Build()
	cam := look(geom.V{X: 2, Y: 3, Z: 4}, geom.V{Y: 1}, 0.8)
	const w, h, n = 24, 24, 32
	f, err := Render(context.Background(), s, cam, Options{Width: w, Height: h, Samples: 512, Seed: 1,
		Extra: film.Extra{Held: true}})
	if err != nil {
		t.Fatal(err)
	}
	names, shares := f.Coverage(2, func(id uint32) uint32 { return id })
	for y := range h {
		for x := range w {
			count := map[uint32]float64{}
			for a := range n * n {
				u, v := (float64(x)+(float64(a%n)+0.5)/n)/w, (float64(y)+(float64(a/n)+0.5)/n)/h
				hit, ok := s.Closest(cam.Ray(u, v, 0.5, 0.5))
				if ok {
					count[s.Instances[hit.Instance].ID] += 1.0 / n / n
				}
			}
			i := y*w + x
			for k := range 2 {
				if id := names[2*i+k]; id != 0 && math.Abs(float64(shares[2*i+k])-count[id]) > 0.02 {
					t.Errorf("pixel %d, %d: thing %d takes %v of it, by many rays %v", x, y, id, shares[2*i+k], count[id])
				}
			}
			if shares[2*i] < shares[2*i+1] {
				t.Errorf("pixel %d, %d: the smaller comes first", x, y)
			}
		}
	}
}
