package render

import (
	"context"
	"errors"
	"fmt"
	"math"
	"runtime"
	"sync/atomic"

	"visator/core/bsdf"
	"visator/core/bvh"
	"visator/core/crew"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/points"
)

// Options say how a picture is made.
type Options struct {
	Width, Height int
	Samples       int // a pixel, 1 or more
	Seed          uint64
	Threads       int // 0: all cores
	Bounces       int // indirect bounces; 0 is direct light alone
	Denoise       bool
	Shares        bool // keep apart what each group of lights gives
	// Rows, if not empty, are the rows of the picture that are made: from the
	// first to before the second. The film holds them alone.
	Rows [2]int
	// Progress, if set, is called between passes, from one goroutine at a
	// time. It may call Show on the film to see the picture so far.
	Progress func(done, of int, f *Film)
	// Stop, if set, is asked between passes whether the picture is good
	// enough; the samples made so far make the picture.
	Stop func(done int) bool
	// Enter, if set, is called on each goroutine before it traces: a place to
	// give way to more urgent work.
	Enter func()
}

// Limits of a picture: 16384 is what other programs open; samples beyond a
// million change nothing that a float can show.
const (
	MaxSide    = 16384
	MaxSamples = 1 << 20
	MaxBounces = 256
)

// DefaultBounces is enough for daylight and interiors alike.
const DefaultBounces = 6

// Check reports the first option that cannot be.
func (o *Options) Check() error {
	switch {
	case o.Width < 1 || o.Height < 1 || o.Width > MaxSide || o.Height > MaxSide:
		return fmt.Errorf("a picture of %d x %d pixels cannot be made: both sides are 1 to %d", o.Width, o.Height,
			MaxSide)
	case o.Samples < 1 || o.Samples > MaxSamples:
		return fmt.Errorf("%d samples a pixel cannot be: 1 to %d", o.Samples, MaxSamples)
	case o.Bounces < 0 || o.Bounces > MaxBounces:
		return fmt.Errorf("%d bounces cannot be: 0 to %d", o.Bounces, MaxBounces)
	case o.Threads < 0:
		return fmt.Errorf("%d threads cannot be", o.Threads)
	case o.Rows != [2]int{} && (o.Rows[0] < 0 || o.Rows[1] <= o.Rows[0] || o.Rows[1] > o.Height):
		return fmt.Errorf("rows %d to %d are none of a picture %d high", o.Rows[0], o.Rows[1], o.Height)
	}
	return nil
}

// Film is a picture in the making or made. Slices hold Width*Height pixels,
// rows from the top.
type Film struct {
	Width, Height int
	Samples       int       // made so far
	Color         []float32 // 3 a pixel, cd/m²; set by Show and at the end
	Depth         []float32 // metres along the view axis; +Inf: background
	Normal        []float32 // 3 a pixel, world
	Albedo        []float32 // 3 a pixel, linear base colour
	Object        []float32 // instance ID, 0: background
	// Shares, if they were asked for, are what each group of lamps gives of Color, then the suns, the sky, and what
	// glows: 3 a pixel each. They add up to it.
	Shares [][]float32

	sum     []float64 // 3 a pixel
	apart   [][]float32
	square  []float64 // of luminance, 1 a pixel
	guide   []float32 // 7 a pixel: sums of normal, albedo, 1/depth
	enter   func()
	threads int
	top     int // row of the whole picture that the film begins with
	whole   int // rows of the whole picture
}

// ErrCut is a render that was cancelled before its first sample.
var ErrCut = errors.New("the render was cancelled before it had a picture")

// TileSide is how wide and high a piece of a picture is that is made at a time, in pixels.
const TileSide = 32

// Render makes a picture. When ctx is cancelled it stops soon and returns what
// is there with ctx's error, or ErrCut when there is nothing.
func Render(ctx context.Context, s *Scene, cam *Camera, o Options) (*Film, error) {
	if err := o.Check(); err != nil {
		return nil, err
	}
	if o.Threads == 0 {
		o.Threads = runtime.NumCPU()
	}
	if o.Rows == [2]int{} {
		o.Rows[1] = o.Height
	}
	n := o.Width * (o.Rows[1] - o.Rows[0])
	f := &Film{Width: o.Width, Height: o.Rows[1] - o.Rows[0], top: o.Rows[0], whole: o.Height,
		Color: make([]float32, 3*n), Depth: make([]float32, n), Normal: make([]float32, 3*n),
		Albedo: make([]float32, 3*n),
		Object: make([]float32, n),
		sum:    make([]float64, 3*n), square: make([]float64, n), guide: make([]float32, 7*n), enter: o.Enter,
		threads: o.Threads}
	bsdf.Ready()
	if o.Shares {
		f.Shares, f.apart = make([][]float32, s.Kinds()), make([][]float32, s.Kinds())
		for g := range f.Shares {
			f.Shares[g], f.apart[g] = make([]float32, 3*n), make([]float32, 3*n)
		}
	}
	clamp := 0.0
	if o.Denoise {
		clamp = 40 * s.typical(cam, o)
	}
	if err := f.tiles(ctx, o.Threads, func(x, y int) { f.passes(s, cam, x, y) }); err != nil {
		return nil, ErrCut
	}
	tracers := make(chan *tracer, o.Threads)
	for range o.Threads {
		tracers <- &tracer{s: s, bounces: o.Bounces, clamp: clamp, apart: make([]geom.V, len(f.Shares))}
	}
	for f.Samples < o.Samples {
		// One sample a pass at first, for a picture soon; more when there are many.
		count := min(max(1, f.Samples/4), 16, o.Samples-f.Samples)
		err := f.tileRows(ctx, o.Threads, func(x0, y0, x1, y1 int) {
			tr := <-tracers
			for y := y0; y < y1 && ctx.Err() == nil; y++ {
				for x := x0; x < x1; x++ {
					for k := 0; k < count; k++ {
						f.expose(tr, cam, &o, x, y, f.Samples+k)
					}
				}
			}
			tracers <- tr
		})
		if err != nil {
			// A pass that was cut is in some tiles only: the last full one counts.
			if f.Samples == 0 {
				return nil, ErrCut
			}
			f.Show(o.Denoise)
			return f, err
		}
		f.Samples += count
		done := f.Samples == o.Samples || o.Stop != nil && o.Stop(f.Samples)
		if done {
			f.Show(o.Denoise)
		}
		if o.Progress != nil {
			o.Progress(f.Samples, o.Samples, f)
		}
		if done {
			break
		}
	}
	f.sum, f.square, f.guide, f.enter, f.apart = nil, nil, nil, nil, nil
	return f, nil
}

// typical is the median of the luminances of a coarse picture, to tell what
// is far too bright for an indirect contribution.
func (s *Scene) typical(cam *Camera, o Options) float64 {
	const w, h = 32, 18
	tr := tracer{s: s, bounces: min(o.Bounces, 2)}
	sum, n := 0.0, 0
	var top float64
	for y := 0; y < h; y++ {
		for x := 0; x < w; x++ {
			smp := points.New(o.Seed^0xabcdef, x, y, 0)
			var sn seen
			jx, jy := smp.Next2()
			l := light.Luminance(tr.radiance(cam.Ray((float64(x)+jx)/w, (float64(y)+jy)/h, 0.5, 0.5), &smp, &sn))
			if l > top { // leave out the brightest: it may be the sun itself
				l, top = top, l
			}
			sum += l
			n++
		}
	}
	return sum / float64(n)
}

// tiles calls do for every pixel, by tiles, on threads goroutines.
func (f *Film) tiles(ctx context.Context, threads int, do func(x, y int)) error {
	return f.tileRows(ctx, threads, func(x0, y0, x1, y1 int) {
		for y := y0; y < y1; y++ {
			for x := x0; x < x1; x++ {
				do(x, y)
			}
		}
	})
}

func (f *Film) tileRows(ctx context.Context, threads int, do func(x0, y0, x1, y1 int)) error {
	across := (f.Width + TileSide - 1) / TileSide
	down := (f.Height + TileSide - 1) / TileSide
	var next atomic.Int64
	var wg crew.Group
	for range threads {
		wg.Go(func() {
			if f.enter != nil {
				f.enter()
			}
			for ctx.Err() == nil {
				i := int(next.Add(1)) - 1
				if i >= across*down {
					return
				}
				x, y := i%across*TileSide, i/across*TileSide
				do(x, y, min(x+TileSide, f.Width), min(y+TileSide, f.Height))
			}
		})
	}
	wg.Wait()
	return ctx.Err()
}

// passes fills the passes of one pixel from the ray through its centre.
func (f *Film) passes(s *Scene, cam *Camera, x, y int) {
	i := y*f.Width + x
	pt, hit, ok := s.plain(cam.Ray((float64(x)+0.5)/float64(f.Width), (float64(f.top+y)+0.5)/float64(f.whole), 0.5,
		0.5))
	if !ok {
		f.Depth[i] = bvh.Inf
		return
	}
	f.Depth[i] = float32(cam.Depth(pt.p))
	put(f.Normal, i, pt.n)
	put(f.Albedo, i, pt.place.Base)
	f.Object[i] = float32(s.Instances[hit.Instance].ID)
}

func put(to []float32, i int, v geom.V) {
	to[3*i], to[3*i+1], to[3*i+2] = float32(v.X), float32(v.Y), float32(v.Z)
}

// expose adds one sample to a pixel.
func (f *Film) expose(tr *tracer, cam *Camera, o *Options, x, y, sample int) {
	smp := points.New(o.Seed, x, f.top+y, sample)
	jx, jy := smp.Next2()
	lu, lv := 0.5, 0.5
	if cam.LensRadius > 0 {
		lu, lv = smp.Next2()
	}
	var sn seen
	c := tr.radiance(cam.Ray((float64(x)+jx)/float64(f.Width), (float64(f.top+y)+jy)/float64(f.whole), lu, lv), &smp,
		&sn)
	i := y*f.Width + x
	f.sum[3*i] += c.X
	f.sum[3*i+1] += c.Y
	f.sum[3*i+2] += c.Z
	for g, v := range tr.apart {
		if v != (geom.V{}) {
			to := f.apart[g][3*i : 3*i+3]
			to[0], to[1], to[2] = to[0]+float32(v.X), to[1]+float32(v.Y), to[2]+float32(v.Z)
		}
	}
	l := light.Luminance(c)
	f.square[i] += l * l
	g := f.guide[7*i : 7*i+7]
	for k, v := range [7]float64{sn.normal.X, sn.normal.Y, sn.normal.Z, sn.albedo.X, sn.albedo.Y, sn.albedo.Z,
		1 / sn.depth} {
		g[k] += float32(v)
	}
}

// Glimpse is the picture so far at half the size, with the noise removed if
// asked: quick to make, for a look while the render goes on. It is for use
// within Progress.
func (f *Film) Glimpse(denoise bool) *Film {
	w, h := max(f.Width/2, 1), max(f.Height/2, 1)
	if f.Width < 2 || f.Height < 2 {
		w, h = f.Width, f.Height
	}
	n := w * h
	g := &Film{Width: w, Height: h, Samples: f.Samples, Color: make([]float32, 3*n), sum: make([]float64, 3*n),
		square: make([]float64, n), guide: make([]float32, 7*n), enter: f.enter, threads: f.threads}
	k := f.Width / w // the pixels of a block, along a side
	g.Samples *= k * k
	for y := range h * k {
		for x := range w * k {
			from, to := y*f.Width+x, y/k*w+x/k
			for c := range 3 {
				g.sum[3*to+c] += f.sum[3*from+c]
			}
			g.square[to] += f.square[from]
			for c := range 7 {
				g.guide[7*to+c] += f.guide[7*from+c]
			}
		}
	}
	g.Show(denoise)
	return g
}

// Show turns the samples so far into Color, with the noise removed if asked.
// It is for use within Progress.
func (f *Film) Show(denoise bool) {
	k := 1 / float64(f.Samples)
	for i, v := range f.sum {
		f.Color[i] = float32(v * k)
	}
	for g := range f.apart {
		for i, v := range f.apart[g] {
			f.Shares[g][i] = v * float32(k)
		}
	}
	if denoise {
		f.denoise(f.threads)
	}
	for i, v := range f.Color { // nothing that other programs would stumble over
		if v-v != 0 {
			f.Color[i] = 0
			for g := range f.Shares {
				f.Shares[g][i] = 0
			}
		}
	}
}

// Noise is the mean relative standard error of the pixels' luminance.
func (f *Film) Noise() float64 {
	if f.Samples < 2 || f.sum == nil {
		return math.NaN()
	}
	sum := 0.0
	n := float64(f.Samples)
	for i, sq := range f.square {
		m := light.Luminance(geom.V{X: f.sum[3*i], Y: f.sum[3*i+1], Z: f.sum[3*i+2]}) / n
		if m > 0 {
			sum += math.Sqrt(max(sq/n-m*m, 0)/n) / m
		}
	}
	return sum / float64(len(f.square))
}
