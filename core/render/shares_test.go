package render

import (
	"context"
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/model"
	"visator/core/sky"
)

// lit is a floor under lamps of two groups, a sun, a sky and something that glows, in haze.
func lit(t *testing.T) *Scene {
	k := &testScene{}
	k.add(floor(k.surface(grey(0.5, 0.6, 0)), 10))
	k.add(quad(k.surface(func(s *model.Surface) { s.Emissive = [3]float64{60, 30, 10} }), geom.V{X: -3, Z: -3},
		geom.V{X: 1},
		geom.V{Y: 1}))
	s := k.build(t)
	s.Lamps = []lamp.Lamp{
		{At: geom.V{X: 1, Y: 2}, Candela: geom.V{X: 200, Y: 150, Z: 90}},
		{At: geom.V{X: -2, Y: 1, Z: 1}, Candela: geom.V{X: 40, Y: 60, Z: 90}, Shape: lamp.Ball, Radius: 0.3,
			Seen: true, Group: 1},
		{At: geom.V{X: 2, Y: 3, Z: -2}, Candela: geom.V{X: 90, Y: 90, Z: 90}, Group: 1},
	}
	s.Suns = []Sun{{To: geom.V{X: 0.6, Y: 0.8}, Lux: geom.V{X: 300, Y: 280, Z: 250}, Radius: 0.01}}
	s.Env = &sky.Environment{Constant: geom.V{X: 20, Y: 25, Z: 30}}
	s.Air = even(0.05, 0.9, 0.5)
	s.Air.Parts[0].Thin = 3 // what is even has no end, and lets no sun through
	s.Build()
	return s
}

// What the groups of light give adds up to the picture, to 1e-5 of it, with the noise and with it removed.
func TestSharesAddUpToTheWhole(t *testing.T) {
	cam := look(geom.V{Y: 2, Z: 7}, geom.V{Y: 0.5}, 0.7)
	for _, denoise := range []bool{false, true} {
		f, err := Render(context.Background(), lit(t), cam, Options{Width: 40, Height: 30, Samples: 64, Seed: 4,
			Bounces: 3,
			Denoise: denoise, Shares: true})
		if err != nil || len(f.Shares) != 2+3 {
			t.Fatal(len(f.Shares), err)
		}
		for i, whole := range f.Color {
			sum := 0.0
			for _, s := range f.Shares {
				sum += float64(s[i])
			}
			if math.Abs(sum-float64(whole)) > 1e-5*max(float64(whole), 1) {
				t.Fatalf("noise removed %v: value %d is %v, its shares add up to %v", denoise, i, whole, sum)
			}
		}
		plain, _ := Render(context.Background(), lit(t), cam, Options{Width: 40, Height: 30, Samples: 64, Seed: 4,
			Bounces: 3,
			Denoise: denoise})
		for i := range f.Color {
			if f.Color[i] != plain.Color[i] {
				t.Fatalf("noise removed %v: keeping shares apart changes value %d from %v to %v", denoise, i,
					plain.Color[i],
					f.Color[i])
			}
		}
	}
}

// A share is the picture with that light alone.
func TestAShareIsThePictureWithThatLightAlone(t *testing.T) {
	cam := look(geom.V{Y: 2, Z: 7}, geom.V{Y: 0.5}, 0.7)
	o := Options{Width: 24, Height: 18, Samples: 512, Seed: 4, Bounces: 3, Shares: true}
	f, err := Render(context.Background(), lit(t), cam, o)
	if err != nil {
		t.Fatal(err)
	}
	share := func(g int) float64 { return mean(&Film{Color: f.Shares[g]}) }
	for g, alone := range []func(s *Scene){
		func(s *Scene) { s.Lamps, s.Suns, s.Env = s.Lamps[:1], nil, nil },
		func(s *Scene) { s.Lamps, s.Suns, s.Env = s.Lamps[1:], nil, nil },
		func(s *Scene) { s.Lamps, s.Env = nil, nil },
		func(s *Scene) { s.Lamps, s.Suns = nil, nil },
		func(s *Scene) { s.Lamps, s.Suns, s.Env = nil, nil, nil },
	} {
		s := lit(t)
		alone(s)
		s.Build()
		o.Seed = 11
		one, err := Render(context.Background(), s, cam, o)
		if err != nil {
			t.Fatal(err)
		}
		want := mean(one)
		if g < 4 { // what glows is there with each
			want = mean(one) - mean(&Film{Color: one.Shares[len(one.Shares)-1]})
		}
		within(t, []string{"first group", "second group", "sun", "sky", "glow"}[g], share(g), want, 0.04)
	}
}
