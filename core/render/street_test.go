package render

import (
	"context"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/light"
)

// street is a road of 400 m with so many lamps along it, seen from one end.
func street(k *testScene, t testing.TB, n int) (*Scene, *Camera) {
	road := k.surface(grey(0.3, 0.8, 0))
	wall := k.surface(grey(0.5, 1, 0))
	k.add(quad(road, geom.V{X: -10, Z: 5}, geom.V{X: 20}, geom.V{Z: -405}))
	k.add(quad(wall, geom.V{X: -10, Z: -400}, geom.V{Z: 405}, geom.V{Y: 12}))
	k.add(quad(wall, geom.V{X: 10, Z: 5}, geom.V{Z: -405}, geom.V{Y: 12}))
	s := k.build(t)
	r := rand.New(rand.NewPCG(5, 5))
	for i := range n {
		cd := 20 + 180*r.Float64()
		l := lamp.Lamp{At: geom.V{X: 18*r.Float64() - 9, Y: 3 + 5*r.Float64(), Z: -400 * float64(i) / float64(n)},
			Candela: geom.V{X: cd, Y: 0.8 * cd, Z: 0.5 * cd}, Shape: lamp.Shape(i % 2), Radius: 0.15 * float64(i%2)}
		s.Lamps = append(s.Lamps, l)
	}
	s.Build()
	return s, look(geom.V{Y: 1.6, Z: 3}, geom.V{Y: 2, Z: -40}, 0.7)
}

// A thousand lamps in a street, and the ten of them that give most to where one stands, for as long: what noise is left.
func BenchmarkAThousandLamps(b *testing.B) {
	noise := func(s *Scene, cam *Camera) float64 {
		began := time.Now()
		left := 0.0
		_, err := Render(context.Background(), s, cam, Options{Width: 160, Height: 90, Samples: 1 << 16, Seed: 1,
			Bounces: 2,
			Threads: 1, Progress: func(_, _ int, f *Film) {
				if n := f.Noise(); n == n {
					left = n
				}
			}, Stop: func(int) bool { return time.Since(began) > 4*time.Second }})
		if err != nil {
			b.Fatal(err)
		}
		return left
	}
	for range b.N {
		all, cam := street(&testScene{}, b, 1000)
		ten := *all
		ten.Lamps = slices.Clone(all.Lamps)
		at := geom.V{Y: 1, Z: -10}
		slices.SortFunc(ten.Lamps, func(p, q lamp.Lamp) int {
			a, _, _ := p.Toward(at)
			c, _, _ := q.Toward(at)
			if light.Luminance(a) > light.Luminance(c) {
				return -1
			}
			return 1
		})
		few := ten.Relit(nil, nil, nil, nil)
		few.Lamps = ten.Lamps[:10]
		few.light()
		many, some := noise(all, cam), noise(few, cam)
		b.ReportMetric(100*many, "%noise-1000")
		b.ReportMetric(100*some, "%noise-10")
		b.ReportMetric(many/some, "times")
	}
}
