// Package raybench measures how many rays a second the renderer's structure answers.
package raybench

import (
	"errors"
	"math"
	"sync"
	"time"

	"visator/core/cast"
	"visator/core/geom"
	"visator/core/model"
	"visator/core/render"
)

// Rates is what Rays measured. Rates are rays a second, hits are
// shares of the rays.
type Rates struct {
	Triangles                  int
	BuildSeconds               float64
	Bytes                      float64 // that a triangle takes: of the structure, its corners and their places
	Primary, PrimaryHits       float64
	Incoherent, IncoherentHits float64
	// Shadow is of the incoherent rays, asked only whether anything lies in their way: as many of them are stopped.
	Shadow, ShadowHits float64
}

// Rays measures closest hits on a model on the given number of threads.
func Rays(m *model.Model, top geom.M, threads int) (r Rates, err error) {
	start := time.Now()
	s := &render.Scene{}
	if err := s.Place(&render.Library{Threads: threads}, m, top, func(int) uint32 { return 1 }); err != nil {
		return r, err
	}
	s.Build()
	r.BuildSeconds = time.Since(start).Seconds()
	r.Triangles = m.Weigh().Triangles
	if r.Triangles == 0 {
		return r, errors.New("no triangles to hit")
	}
	for i := range s.Field().Stands {
		r.Bytes += float64(s.Field().Stands[i].Tree.Bytes())
	}
	for i := range m.Meshes {
		for k := range m.Meshes[i].Parts {
			p := &m.Meshes[i].Parts[k]
			r.Bytes += 4 * float64(len(p.Positions)+len(p.Indices))
		}
	}
	r.Bytes /= float64(r.Triangles)
	box := s.Bounds()
	diag := box.Size().Len()
	eye := box.Center().Add(geom.V{X: 0.1, Y: 0.25, Z: 0.5}.Mul(diag))
	w := box.Center().Sub(eye).Unit()
	u := geom.V{X: -w.Z, Z: w.X}.Unit()
	v := geom.V{X: u.Y*w.Z - u.Z*w.Y, Y: u.Z*w.X - u.X*w.Z, Z: u.X*w.Y - u.Y*w.X}
	const side = 1732
	primary := func(row int, _ *lcg, fire func(render.Ray)) {
		for i := 0; i < side; i++ {
			x := ((float64(i)+0.5)/side*2 - 1) * 0.57735
			y := (1 - (float64(row)+0.5)/side*2) * 0.57735
			fire(render.NewRay(eye, w.Add(u.Mul(x)).Add(v.Mul(y)).Unit()))
		}
	}
	size := box.Size()
	anyhow := func(row int, g *lcg, fire func(render.Ray)) {
		g.seek(5 * side * row)
		for i := 0; i < side; i++ {
			z, p := 2*g.next()-1, 2*math.Pi*g.next()
			o := box.Min.Add(size.Times(geom.V{X: g.next(), Y: g.next(), Z: g.next()}))
			sin, cos := math.Sincos(p)
			q := math.Sqrt(max(1-z*z, 0))
			fire(render.NewRay(o, geom.V{X: q * cos, Y: q * sin, Z: z}))
		}
	}
	r.Primary, r.PrimaryHits = rate(s, false, threads, side, primary)
	r.Incoherent, r.IncoherentHits = rate(s, false, threads, side, anyhow)
	r.Shadow, r.ShadowHits = rate(s, true, threads, side, anyhow)
	return r, nil
}

// lcg is the generator that the ray benchmarks of other programs use too, so
// that the rays are the same: x = 1664525 x + 1013904223 modulo 2^32, from
// 12345 on (Numerical Recipes).
type lcg uint32

// seek goes to the state after n numbers.
func (g *lcg) seek(n int) {
	x, a, c := uint32(12345), uint32(1664525), uint32(1013904223)
	for ; n > 0; n >>= 1 { // squaring the step: twice a step is a²x + (a+1)c
		if n&1 != 0 {
			x = a*x + c
		}
		a, c = a*a, (a+1)*c
	}
	*g = lcg(x)
}

// next is the next number in [0, 1), with 24 bits.
func (g *lcg) next() float64 {
	*g = *g*1664525 + 1013904223
	return float64(*g>>8) / (1 << 24)
}

// rate fires rows of rays on threads threads, some at a time as paths do, and returns rays a second and the share that
// met something.
func rate(s *render.Scene, any bool, threads, rows int, row func(row int, g *lcg, fire func(render.Ray))) (perSecond,
	share float64) {
	const some = 64
	type count struct{ rays, hits int }
	counts := make([]count, threads)
	start := time.Now()
	var wg sync.WaitGroup
	for t := range threads {
		wg.Go(func() {
			c := &counts[t]
			var sender cast.Sender
			var rays []render.Ray
			flush := func() {
				for _, q := range sender.Send(s.Field(), rays, any) {
					if c.rays++; q.Met {
						c.hits++
					}
				}
				rays = rays[:0]
			}
			for y := t; y < rows; y += threads {
				row(y, new(lcg), func(ray render.Ray) {
					if rays = append(rays, ray); len(rays) == some {
						flush()
					}
				})
			}
			flush()
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
