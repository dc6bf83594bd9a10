package render

import (
	"context"
	"errors"
	"fmt"
	"runtime"

	"visator/core/bsdf"
	"visator/core/film"
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
	Shares        bool       // keep apart what each group of lights gives
	Extra         film.Extra // what the film keeps beside; its Kinds come of Shares
	// Region, if not empty, is the part of the picture that is made: from the column Region[0] and the row Region[1]
	// to before Region[2] and Region[3]. The film holds it alone; its pixels are those of the whole picture.
	Region [4]int
	// Noise, if not 0, is enough: when no more is left (Film.Noise) no more samples are made.
	Noise float64
	// Adaptive gives samples to where noise is left, as many on the average.
	Adaptive bool
	// Skip is how many samples of each pixel others make: the first that is made is the one after those.
	Skip int
	// From, if set, is an open film of the same picture that goes on: it is what Render returns.
	From *Film
	// Moving, if set, is the camera at a share of the time for which the shutter is open: each sample has its own.
	// (The camera that Render is given is for what is told of a pixel's middle.)
	Moving func(share float64) *Camera
	// Keep leaves the film open: it can be laid aside, and go on.
	Keep bool
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
	case o.Skip < 0 || o.Skip > MaxSamples-o.Samples:
		return fmt.Errorf("%d samples cannot be left out before %d", o.Skip, o.Samples)
	case o.Threads < 0:
		return fmt.Errorf("%d threads cannot be", o.Threads)
	case o.Region != [4]int{} && (o.Region[0] < 0 || o.Region[1] < 0 || o.Region[2] <= o.Region[0] ||
		o.Region[3] <= o.Region[1] || o.Region[2] > o.Width || o.Region[3] > o.Height):
		return fmt.Errorf("the region from %d,%d to %d,%d is none of a picture of %d x %d pixels", o.Region[0],
			o.Region[1], o.Region[2], o.Region[3], o.Width, o.Height)
	case !(o.Noise >= 0 && o.Noise <= 1):
		return fmt.Errorf("noise of %v cannot be asked for: 0 to 1, where 0.02 is two percent", o.Noise)
	}
	return nil
}

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
	packs := make(chan *pack, o.Threads)
	for range o.Threads {
		packs <- newPack(tracer{s: s, bounces: o.Bounces, clamp: clamp, looksAbout: x.Unhidden, weighs: x.Shadow,
			numbers: numbers}, len(f.Shares), len(f.Ways))
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
