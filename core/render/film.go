package render

import (
	"context"
	"errors"
	"runtime"

	"visator/core/bsdf"
	"visator/core/film"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/points"
	"visator/core/sunlit"
)

// Options say how a picture is made.
type Options = film.Options

// Limits of a picture, and how often light is followed on where nobody says.
const (
	MaxSide        = film.MaxSide
	MaxSamples     = film.MaxSamples
	MaxBounces     = film.MaxBounces
	DefaultBounces = film.DefaultBounces
)

// Film is a picture in the making or made.
type Film = film.Film

type seen = film.Seen

// ErrCut is a render that was cancelled before its first sample.
var ErrCut = errors.New("the render was cancelled before it had a picture")

// Render makes a picture. When ctx is cancelled it stops soon and returns what
// is there with ctx's error, or ErrCut when there is nothing.
func Render(ctx context.Context, s *Scene, cam *Camera, o Options) (*Film, error) {
	if err := o.Check(); err != nil {
		return nil, err
	}
	if o.Threads == 0 {
		o.Threads = runtime.NumCPU()
	}
	if o.Region == [4]int{} {
		o.Region = [4]int{0, 0, o.Width, o.Height}
	}
	bsdf.Ready()
	x := o.Extra
	x.Kinds = 0
	if o.Shares {
		x.Kinds = s.Kinds()
	}
	f := o.From
	if f == nil {
		f = film.New([2]int{o.Width, o.Height}, o.Region, x)
	} else if !f.Open() || f.Whole != [2]int{o.Width, o.Height} || f.Extra() != x ||
		[4]int{f.Left, f.Top, f.Left + f.Width, f.Top + f.Height} != o.Region {
		return nil, film.ErrOther
	}
	f.Enter, f.Threads = o.Enter, o.Threads
	if o.From == nil {
		if err := f.Pixels(ctx, func(x, y int) { passes(f, s, cam, x, y) }); err != nil {
			return nil, ErrCut
		}
	}
	clamp := 0.0
	if o.Denoise {
		clamp = 40 * s.typical(cam, o)
	}
	var numbers map[*Surface]uint32
	if x.Surfaces {
		numbers, f.SurfaceNames = s.surfaceNumbers()
	}
	var area *sunlit.Area
	if o.Width*o.Height*o.Samples >= worthLearning {
		area = s.learn(cam, &o)
	}
	packs := make(chan *pack, o.Threads)
	for range o.Threads {
		packs <- newPack(tracer{s: s, bounces: o.Bounces, clamp: clamp, looksAbout: x.Unhidden, weighs: x.Shadow,
			numbers: numbers, patch: patch{area: area}}, len(f.Shares), len(f.Ways))
	}
	for f.Samples < o.Samples {
		// One sample a pass at first, for a picture soon; more when there are many.
		next := f.Samples + min(max(1, f.Samples/4), 16, o.Samples-f.Samples)
		if o.Adaptive {
			if f.Plan(); f.Samples < film.Pilot {
				next = min(next, film.Pilot)
			}
		}
		err := f.Tiles(ctx, func(x0, y0, x1, y1 int) {
			p := <-packs
			p.tile(ctx, f, cam, &o, x0, y0, x1, y1, next)
			packs <- p
		})
		if err != nil {
			// A pass that was cut is in some pixels only: each is the mean of what it has.
			if f.Samples == 0 {
				return nil, ErrCut
			}
			f.Show(o.Denoise)
			return f, err
		}
		f.Samples = next
		done := f.Samples == o.Samples || o.Noise > 0 && f.Noise() <= o.Noise || o.Stop != nil && o.Stop(f.Samples)
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
	if !o.Keep {
		f.Close()
	}
	return f, nil
}

// typical is the median of the luminances of a coarse picture, to tell what
// is far too bright for an indirect contribution.
func (s *Scene) typical(cam *Camera, o Options) float64 {
	tr := tracer{s: s, bounces: min(o.Bounces, 2)}
	sum, n := 0.0, 0
	var top float64
	tr.coarse(cam, o.Seed^0xabcdef, 0, func(brings geom.V) {
		l := light.Luminance(brings)
		if l > top { // leave out the brightest: it may be the sun itself
			l, top = top, l
		}
		sum += l
		n++
	})
	return sum / float64(n)
}

// coarse follows sample number n of each pixel of a coarse picture.
func (tr *tracer) coarse(cam *Camera, seed uint64, n int, each func(brings geom.V)) {
	const w, h = 32, 18
	for y := range h {
		for x := range w {
			smp := points.New(seed, x, y, n)
			var sn seen
			jx, jy := smp.Next2()
			each(tr.radiance(cam.Ray((float64(x)+jx)/w, (float64(y)+jy)/h, 0.5, 0.5), &smp, &sn))
		}
	}
}

// passes fills the passes of one pixel from the ray through its centre.
func passes(f *Film, s *Scene, cam *Camera, x, y int) {
	i := y*f.Width + x
	pt, hit, ok := s.plain(cam.Ray((float64(f.Left+x)+0.5)/float64(f.Whole[0]),
		(float64(f.Top+y)+0.5)/float64(f.Whole[1]), 0.5, 0.5))
	if !ok {
		f.MeetsNothing(i)
		return
	}
	f.Meets(i, cam.Depth(pt.p), pt.n, pt.place.Base, s.Instances[hit.Instance].ID)
}
