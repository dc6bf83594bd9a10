package render

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/cast"
	"visator/core/film"
	"visator/core/geom"
	"visator/core/model"
	"visator/core/points"
)

// Paths that are followed together bring what they bring alone, one ray after the other, to the last bit: through
// glass, leaves with holes, haze and lamps, with all that is kept apart.
func TestPathsTogetherBringWhatTheyBringAlone(t *testing.T) {
	s := lit(t)
	k := &testScene{}
	k.add(sphere(k.surface(func(s *model.Surface) { s.Transmission, s.Solid, s.Roughness = 1, true, 0.1 }), 12,
		geom.V{X: 1, Y: 1}, 0.8))
	k.add(quad(k.surface(func(s *model.Surface) { s.Alpha, s.BaseColor[3] = model.Blend, 0.5 }), geom.V{X: -2, Z: 2},
		geom.V{X: 2}, geom.V{Y: 2}))
	k.add(quad(k.surface(func(s *model.Surface) { s.Transmission, s.Roughness = 1, 0 }), geom.V{X: -1, Z: 3}, geom.V{X: 2},
		geom.V{Y: 2}))
	s.Instances = append(s.Instances, k.build(t).Instances...)
	s.apart = true
	s.Build()
	cam := look(geom.V{Y: 2, Z: 7}, geom.V{Y: 0.5}, 0.7)
	cam.Open(2, 6)
	o := Options{Width: 40, Height: 36, Samples: 5, Seed: 4, Bounces: 4, Threads: 2, Shares: true, Keep: true,
		Extra: film.Extra{Ways: true, Unhidden: true, Shadow: true}}
	f, err := Render(context.Background(), s, cam, o)
	if err != nil {
		t.Fatal(err)
	}
	x := o.Extra
	x.Kinds = s.Kinds()
	alone := film.New([2]int{o.Width, o.Height}, [4]int{0, 0, o.Width, o.Height}, x)
	tr := tracer{s: s, bounces: o.Bounces, looksAbout: true, weighs: true,
		apart: make([]geom.V, x.Kinds+len(film.WayNames))}
	tr.ways, tr.shone = tr.apart[x.Kinds:], make([]geom.V, x.Kinds)
	for i := range o.Width * o.Height {
		for sample := range o.Samples {
			px, py := i%o.Width, i/o.Width
			smp := points.New(o.Seed, px, py, sample)
			var sn seen
			jx, jy := smp.Next2()
			lu, lv := smp.Next2()
			ray := cam.Ray((float64(px)+jx)/float64(o.Width), (float64(py)+jy)/float64(o.Height), lu, lv)
			alone.Add(i, tr.radiance(ray, &smp, &sn), &sn, tr.apart, tr.shone)
		}
	}
	alone.Samples = o.Samples
	alone.Show(false)
	compare := func(what string, a, b []float32) {
		t.Helper()
		lit := 0
		for i := range a {
			if math.Float32bits(a[i]) != math.Float32bits(b[i]) {
				t.Fatalf("%s: value %d is %v together, %v alone", what, i, a[i], b[i])
			}
			if a[i] > 0 {
				lit++
			}
		}
		if lit == 0 {
			t.Errorf("%s: nothing", what)
		}
	}
	compare("colour", f.Color, alone.Color)
	compare("what is open", f.Unhidden, alone.Unhidden)
	compare("shadow", f.Shadow, alone.Shadow)
	for g := range f.Shares {
		compare("a share", f.Shares[g], alone.Shares[g])
	}
	for g := range f.Ways {
		compare("a way", f.Ways[g], alone.Ways[g])
	}
}

// Rays that are sent together meet what each meets alone, however many stands there are.
func TestRaysTogetherMeetWhatTheyMeetAlone(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for _, n := range []int{0, 1, 7, 300} {
		k := &testScene{}
		k.add(sphere(k.surface(white), 16, geom.V{}, 0.5))
		one := k.build(t)
		s := &Scene{apart: true}
		for i := range n {
			in := one.Instances[0]
			in.World = geom.Translation(geom.V{X: r.NormFloat64() * 3, Y: r.NormFloat64() * 3, Z: r.NormFloat64() * 3})
			in.ID = uint32(i + 1)
			s.Instances = append(s.Instances, in)
		}
		s.Build()
		rays := make([]Ray, 501)
		for i := range rays {
			rays[i] = NewRay(geom.V{X: r.NormFloat64() * 5, Y: r.NormFloat64() * 5, Z: r.NormFloat64() * 5},
				geom.V{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()}.Unit())
		}
		some := 0
		var sender cast.Sender
		for i, q := range sender.Send(s.Field(), rays, true) {
			if q.Met != s.Blocked(rays[i]) {
				t.Fatalf("%d stands: ray %d is blocked together: %v", n, i, q.Met)
			}
		}
		for i, q := range sender.Send(s.Field(), rays, false) {
			hit, ok := s.Closest(rays[i])
			if ok != q.Met || ok && hit != q.Hit {
				t.Fatalf("%d stands: ray %d meets %+v together, %+v alone", n, i, q.Hit, hit)
			}
			if ok {
				some++
			}
		}
		if n == 300 && some < 50 || n == 0 && some > 0 {
			t.Errorf("%d stands: %d rays hit", n, some)
		}
	}
}
