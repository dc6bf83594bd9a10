package render

import (
	"context"

	"visator/core/cast"
	"visator/core/geom"
	"visator/core/points"
)

// many is how many paths are followed together: enough that their rays, sent out in turns, hide what memory takes.
const many = 64

// pack follows the paths of the samples of a tile together.
type pack struct {
	paths [many]follower
	crowd cast.Crowd
	rays  []*cast.Quest
}

// follower is a sample under way.
type follower struct {
	tracer
	sampler points.Sampler
	sees    seen
	pixel   int
	over    bool // brings is what it brought
	brings  geom.V
}

// newPack is a pack of tracers like one; kinds is how many kinds of light and ways they keep apart.
func newPack(like tracer, kinds, ways int) *pack {
	p := &pack{}
	for i := range p.paths {
		tr := &p.paths[i].tracer
		*tr = like
		tr.apart, tr.shone = make([]geom.V, kinds+ways), make([]geom.V, kinds)
		tr.ways = tr.apart[kinds:]
	}
	return p
}

// begin sends out sample number k of pixel i of a film, (x, y) of the whole picture.
func (v *follower) begin(cam *Camera, o *Options, i, x, y, k int) {
	v.pixel, v.over, v.sees = i, false, seen{}
	v.sampler = points.New(o.Seed, x, y, o.Skip+k)
	smp := &v.sampler
	jx, jy := smp.Next2()
	lu, lv := 0.5, 0.5
	if cam.LensRadius > 0 {
		lu, lv = smp.Next2()
	}
	if o.Moving != nil {
		share, _ := smp.Aside(asideTime)
		cam = o.Moving(share)
	}
	v.tracer.begin(cam.Ray((float64(x)+jx)/float64(o.Width), (float64(y)+jy)/float64(o.Height), lu, lv), smp, &v.sees)
	// What is out of focus or moves has noise of its own.
	v.surely = v.surely && cam.LensRadius == 0 && o.Moving == nil
}

// tile makes the samples of the pixels from (x0, y0) to before (x1, y1) that they lack of next a pixel. Whichever comes
// to its end first, they are added in their order. It stops soon when ctx is cancelled.
func (p *pack) tile(ctx context.Context, f *Film, cam *Camera, o *Options, x0, y0, x1, y1, next int) {
	x, y, k, want := x0-1, y0, 0, 0
	// begin begins the next sample.
	begin := func(v *follower) bool {
		for k == want {
			if x++; x == x1 {
				x, y = x0, y+1
			}
			if y >= y1 || ctx.Err() != nil {
				x, y = x1-1, y1
				return false
			}
			i := y*f.Width + x
			k, want = f.Count(i), max(f.Want(i, next), f.Count(i))
		}
		v.begin(cam, o, y*f.Width+x, f.Left+x, f.Top+y, k)
		k++
		return true
	}
	// Samples from number first to before last are under way, each in the place of its number.
	for first, last := 0, 0; ; {
		for last-first < many && begin(&p.paths[last%many]) {
			last++
		}
		if first == last {
			return
		}
		p.rays = p.rays[:0]
		for n := first; n < last; n++ {
			if v := &p.paths[n%many]; !v.over {
				p.rays = v.out(p.rays)
			}
		}
		p.crowd.Send(&p.paths[0].s.field, p.rays)
		for n := first; n < last; n++ {
			if v := &p.paths[n%many]; !v.over {
				if v.advance(); !v.goesOn() {
					v.over, v.brings = true, v.brought()
				}
			}
		}
		for ; first < last && p.paths[first%many].over; first++ {
			v := &p.paths[first%many]
			f.Add(v.pixel, v.brings, &v.sees, v.apart, v.shone)
		}
	}
}
