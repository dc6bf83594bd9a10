package render

import (
	"errors"
	"math"
	"math/rand/v2"
	"sync"
	"time"

	"visator/core/geom"
	"visator/core/model"
)

// RayRates is what BenchRays measured. Rates are rays a second, hits are
// shares of the rays.
type RayRates struct {
	Triangles                  int
	BuildSeconds               float64
	Primary, PrimaryHits       float64
	Incoherent, IncoherentHits float64
}

// BenchRays measures closest hits on a model on the given number of threads.
func BenchRays(m *model.Model, top geom.M, threads int) (r RayRates, err error) {
	start := time.Now()
	s := &Scene{}
	if err := s.Place(&Library{Threads: threads}, m, top, func(int) uint32 { return 1 }); err != nil {
		return r, err
	}
	s.Build()
	r.BuildSeconds = time.Since(start).Seconds()
	r.Triangles = m.Weigh().Triangles
	if r.Triangles == 0 {
		return r, errors.New("no triangles to hit")
	}
	box := s.Bounds()
	diag := box.Size().Len()
	eye := box.Center().Add(geom.V{X: 0.1, Y: 0.25, Z: 0.5}.Mul(diag))
	w := box.Center().Sub(eye).Unit()
	u := geom.V{X: -w.Z, Z: w.X}.Unit()
	v := geom.V{X: u.Y*w.Z - u.Z*w.Y, Y: u.Z*w.X - u.X*w.Z, Z: u.X*w.Y - u.Y*w.X}
	const side = 1732
	r.Primary, r.PrimaryHits = rate(s, threads, side, func(row int, _ *rand.Rand, fire func(Ray)) {
		for i := 0; i < side; i++ {
			x := ((float64(i)+0.5)/side*2 - 1) * 0.57735
			y := (1 - (float64(row)+0.5)/side*2) * 0.57735
			fire(NewRay(eye, w.Add(u.Mul(x)).Add(v.Mul(y)).Unit()))
		}
	})
	size := box.Size()
	r.Incoherent, r.IncoherentHits = rate(s, threads, side, func(_ int, g *rand.Rand, fire func(Ray)) {
		for i := 0; i < side; i++ {
			o := box.Min.Add(size.Times(geom.V{X: g.Float64(), Y: g.Float64(), Z: g.Float64()}))
			z, p := 2*g.Float64()-1, 2*math.Pi*g.Float64()
			sin, cos := math.Sincos(p)
			q := math.Sqrt(max(1-z*z, 0))
			fire(NewRay(o, geom.V{X: q * cos, Y: q * sin, Z: z}))
		}
	})
	return r, nil
}

// rate fires rows of rays on threads threads and returns rays a second and
// the share that hit.
func rate(s *Scene, threads, rows int, row func(row int, g *rand.Rand, fire func(Ray))) (perSecond, hits float64) {
	type count struct{ rays, hits int }
	counts := make([]count, threads)
	start := time.Now()
	var wg sync.WaitGroup
	for t := range threads {
		wg.Go(func() {
			c := &counts[t]
			for y := t; y < rows; y += threads {
				row(y, rand.New(rand.NewPCG(12345, uint64(y))), func(ray Ray) {
					c.rays++
					if _, ok := s.Closest(ray); ok {
						c.hits++
					}
				})
			}
		})
	}
	wg.Wait()
	took := time.Since(start).Seconds()
	var sum count
	for _, c := range counts {
		sum.rays += c.rays
		sum.hits += c.hits
	}
	return float64(sum.rays) / took, float64(sum.hits) / float64(sum.rays)
}
