// Package film is a picture in the making: what its pixels have gathered, how much noise is left in them, which of
// them need more, and how it is laid aside and taken up again. It knows nothing of what is seen.
package film

import (
	"context"
	"math"
	"sync/atomic"

	"visator/core/bvh"
	"visator/core/crew"
	"visator/core/geom"
	"visator/core/light"
)

// Film is a picture, or a part of one. Slices hold Width*Height pixels, rows from the top.
type Film struct {
	Width, Height int
	Left, Top     int // of the part in the whole picture
	Whole         [2]int
	Samples       int       // a pixel, on the average, made so far
	Color         []float32 // 3 a pixel, cd/m²; set by Show and at the end
	Depth         []float32 // metres along the view axis; +Inf: background
	Normal        []float32 // 3 a pixel, world
	Albedo        []float32 // 3 a pixel, linear base colour
	Object        []float32 // instance ID, 0: background
	// Shares, if they were asked for, are what each group of lamps gives of Color, then the suns, the sky, and what
	// glows: 3 a pixel each. They add up to it.
	Shares [][]float32
	// Ways, if they were asked for, are what came of Color by each way of Ways: 3 a pixel each. They add up to it too.
	Ways [][]float32
	// Open is, if it was asked for, the share of the sky that is not hidden near by, of what each pixel met first.
	Unhidden []float32
	// Shadow is, if it was asked for, the share of the light that lamps, suns and sky send straight to what each pixel
	// met first and that does not come there.
	Shadow  []float32
	Threads int
	// SurfaceNames are what surfaces are called, by their numbers from 1; see SurfaceCoverage.
	SurfaceNames []string
	Enter        func() // is called on each goroutine, if set

	sum    []float64 // 3 a pixel
	apart  [][]float32
	square []float64   // of luminance, 1 a pixel
	shine  []float32   // sum of what shone straight into the lens, 3 a pixel: it has no noise to be removed
	shone  [][]float32 // the same of each of Shares
	guide  []float32   // 7 a pixel: sums of normal, albedo, 1/depth
	counts []int32     // samples that a pixel has
	held   []Held      // Ranks a pixel, if it was asked for
	made   []Held      // the same of surfaces
	open   []float32   // sum of what was not hidden
	sent   []float32   // sums of what light was sent and what of it did not come, 2 a pixel
	rates  []float32   // how many samples more a pixel gets than the average, once that is known; see plan.go
}

// Seen is what the camera's ray met first.
type Seen struct {
	Normal, Albedo geom.V
	Depth          float64 // along the ray; +Inf for the background
	Object         uint32  // instance ID; 0: none
	Unhidden       float64 // 1: nothing near by hides the sky; asked for with Extra.Unhidden
	Surface        uint32  // its number; 0: none; asked for with Extra.Surfaces
	Shine          geom.V  // what of its light shone straight into the lens
	Sent, Lost     float64 // luminance of what light was sent there, and did not come; asked for with Extra.Shadow
}

// Extra is what a film keeps beside colour and its guides.
type Extra struct {
	Kinds    int  // kinds of light that are kept apart, in Shares
	Ways     bool // the ways of light, in Film.Ways
	Held     bool // which things a pixel holds, and how much of it each
	Unhidden bool // how much of the sky is not hidden
	Surfaces bool `json:",omitempty"` // which surfaces a pixel holds, as Held
	Shadow   bool `json:",omitempty"` // how much of the light does not come
}

// TileSide is how wide and high a piece of a picture is that is made at a time, in pixels.
const TileSide = 32

// New is a film of the part of a picture, whole[0] x whole[1] pixels, from (left, top) to before (right, bottom).
func New(whole [2]int, part [4]int, x Extra) *Film {
	w, h := part[2]-part[0], part[3]-part[1]
	n := w * h
	f := &Film{Width: w, Height: h, Left: part[0], Top: part[1], Whole: whole, Threads: 1, Color: make([]float32, 3*n),
		Depth: make([]float32, n), Normal: make([]float32, 3*n), Albedo: make([]float32, 3*n),
		Object: make([]float32, n), sum: make([]float64, 3*n), square: make([]float64, n),
		guide: make([]float32, 7*n), counts: make([]int32, n), shine: make([]float32, 3*n)}
	parts := x.Kinds
	if x.Ways {
		parts += len(WayNames)
	}
	f.apart = make([][]float32, parts)
	all := make([][]float32, parts)
	for g := range all {
		all[g], f.apart[g] = make([]float32, 3*n), make([]float32, 3*n)
	}
	f.shone = make([][]float32, x.Kinds)
	for g := range f.shone {
		f.shone[g] = make([]float32, 3*n)
	}
	f.Shares, f.Ways = all[:x.Kinds:x.Kinds], all[x.Kinds:]
	if x.Held {
		f.held = make([]Held, Ranks*n)
	}
	if x.Unhidden {
		f.open, f.Unhidden = make([]float32, n), make([]float32, n)
	}
	if x.Surfaces {
		f.made = make([]Held, Ranks*n)
	}
	if x.Shadow {
		f.sent, f.Shadow = make([]float32, 2*n), make([]float32, n)
	}
	return f
}

// Extra is what the film keeps beside.
func (f *Film) Extra() Extra {
	return Extra{Kinds: len(f.Shares), Ways: len(f.Ways) > 0, Held: f.held != nil, Unhidden: f.open != nil,
		Surfaces: f.made != nil, Shadow: f.sent != nil}
}

// Close gives back what only a film in the making needs.
func (f *Film) Close() {
	f.sum, f.square, f.guide, f.rates, f.apart, f.open, f.Enter = nil, nil, nil, nil, nil, nil, nil
	f.sent, f.shine, f.shone = nil, nil, nil
	if f.held == nil && f.made == nil { // else they tell how much of a pixel a thing takes
		f.counts = nil
	}
}

// Open says whether samples can be added.
func (f *Film) Open() bool { return f.sum != nil }

// Add adds one sample to a pixel: the light, what was met first, what each kind of light gave, and what of that shone
// straight into the lens.
func (f *Film) Add(i int, c geom.V, sn *Seen, apart, shone []geom.V) {
	f.counts[i]++
	f.sum[3*i] += c.X
	f.sum[3*i+1] += c.Y
	f.sum[3*i+2] += c.Z
	for g, v := range apart {
		addLight(f.apart[g], i, v)
	}
	addLight(f.shine, i, sn.Shine)
	for g, v := range shone {
		addLight(f.shone[g], i, v)
	}
	if f.held != nil && sn.Object != 0 {
		hold(f.held[Ranks*i:Ranks*(i+1)], sn.Object)
	}
	if f.made != nil && sn.Surface != 0 {
		hold(f.made[Ranks*i:Ranks*(i+1)], sn.Surface)
	}
	if f.open != nil {
		f.open[i] += float32(sn.Unhidden)
	}
	if f.sent != nil {
		f.sent[2*i] += float32(sn.Sent)
		f.sent[2*i+1] += float32(sn.Lost)
	}
	l := light.Luminance(c)
	f.square[i] += l * l
	g := f.guide[7*i : 7*i+7]
	for k, v := range [7]float64{sn.Normal.X, sn.Normal.Y, sn.Normal.Z, sn.Albedo.X, sn.Albedo.Y, sn.Albedo.Z,
		1 / sn.Depth} {
		g[k] += float32(v)
	}
}

func addLight(to []float32, i int, v geom.V) {
	if v != (geom.V{}) {
		p := to[3*i : 3*i+3]
		p[0], p[1], p[2] = p[0]+float32(v.X), p[1]+float32(v.Y), p[2]+float32(v.Z)
	}
}

// Count is how many samples a pixel has.
func (f *Film) Count(i int) int { return int(f.counts[i]) }

// Meets puts down what the ray through the middle of a pixel meets.
func (f *Film) Meets(i int, depth float64, n, albedo geom.V, object uint32) {
	f.Depth[i], f.Object[i] = float32(depth), float32(object)
	put(f.Normal, i, n)
	put(f.Albedo, i, albedo)
}

// MeetsNothing is Meets of the background.
func (f *Film) MeetsNothing(i int) { f.Depth[i] = bvh.Inf }

func put(to []float32, i int, v geom.V) {
	to[3*i], to[3*i+1], to[3*i+2] = float32(v.X), float32(v.Y), float32(v.Z)
}

// shared calls do for 0 to n-1, on Threads goroutines, until ctx is cancelled.
func (f *Film) shared(ctx context.Context, n int, do func(i int)) error {
	var next atomic.Int64
	var wg crew.Group
	for range max(f.Threads, 1) {
		wg.Go(func() {
			if f.Enter != nil {
				f.Enter()
			}
			for ctx.Err() == nil {
				i := int(next.Add(1)) - 1
				if i >= n {
					return
				}
				do(i)
			}
		})
	}
	wg.Wait()
	return ctx.Err()
}

// Tiles calls do for every tile, its pixels from (x0, y0) to before (x1, y1), on threads goroutines.
func (f *Film) Tiles(ctx context.Context, do func(x0, y0, x1, y1 int)) error {
	across := (f.Width + TileSide - 1) / TileSide
	down := (f.Height + TileSide - 1) / TileSide
	return f.shared(ctx, across*down, func(i int) {
		x, y := i%across*TileSide, i/across*TileSide
		do(x, y, min(x+TileSide, f.Width), min(y+TileSide, f.Height))
	})
}

// Rows calls do for every row, on Threads goroutines.
func (f *Film) Rows(do func(y int)) { _ = f.shared(context.Background(), f.Height, do) }

// Pixels calls do for every pixel, by tiles.
func (f *Film) Pixels(ctx context.Context, do func(x, y int)) error {
	return f.Tiles(ctx, func(x0, y0, x1, y1 int) {
		for y := y0; y < y1; y++ {
			for x := x0; x < x1; x++ {
				do(x, y)
			}
		}
	})
}

// Glimpse is the picture so far at half the size, with the noise removed if
// asked: quick to make, for a look while the render goes on.
func (f *Film) Glimpse(denoise bool) *Film {
	w, h := max(f.Width/2, 1), max(f.Height/2, 1)
	if f.Width < 2 || f.Height < 2 {
		w, h = f.Width, f.Height
	}
	n := w * h
	k := f.Width / w // the pixels of a block, along a side
	g := &Film{Width: w, Height: h, Samples: f.Samples * k * k, Color: make([]float32, 3*n), sum: make([]float64, 3*n),
		square: make([]float64, n), guide: make([]float32, 7*n), shine: make([]float32, 3*n), counts: make([]int32, n),
		Enter: f.Enter, Threads: f.Threads}
	for y := range h * k {
		for x := range w * k {
			from, to := y*f.Width+x, y/k*w+x/k
			for c := range 3 {
				g.sum[3*to+c] += f.sum[3*from+c]
				g.shine[3*to+c] += f.shine[3*from+c]
			}
			g.square[to] += f.square[from]
			g.counts[to] += f.counts[from]
			for c := range 7 {
				g.guide[7*to+c] += f.guide[7*from+c]
			}
		}
	}
	g.Show(denoise)
	return g
}

// Show turns the samples so far into Color, with the noise removed if asked.
func (f *Film) Show(denoise bool) {
	for i, n := range f.counts {
		k := 1 / float64(max(n, 1))
		for c := 3 * i; c < 3*i+3; c++ {
			f.Color[c] = float32(f.sum[c] * k)
			for g := range f.Shares {
				f.Shares[g][c] = f.apart[g][c] * float32(k)
			}
			for g := range f.Ways {
				f.Ways[g][c] = f.apart[len(f.Shares)+g][c] * float32(k)
			}
		}
		if f.open != nil {
			f.Unhidden[i] = f.open[i] * float32(k)
		}
		if f.sent != nil {
			f.Shadow[i] = 0
			if sent := f.sent[2*i]; sent > 0 {
				f.Shadow[i] = min(f.sent[2*i+1]/sent, 1)
			}
		}
	}
	if denoise {
		f.denoise()
	}
	for i, v := range f.Color { // nothing that other programs would stumble over
		if v-v != 0 {
			f.Color[i] = 0
			for _, l := range [][][]float32{f.Shares, f.Ways} {
				for g := range l {
					l[g][i] = 0
				}
			}
		}
	}
}

// mean is the mean luminance of a pixel, and of its square.
func (f *Film) mean(i int) (mean, square float64) {
	n := float64(max(f.counts[i], 1))
	return light.Luminance(geom.V{X: f.sum[3*i], Y: f.sum[3*i+1], Z: f.sum[3*i+2]}) / n, f.square[i] / n
}

// dark is the share of the mean luminance of a picture that is added to a pixel's before its noise is held against
// it: what is much darker is not seen so well. A convention of our own.
const dark = 0.1

// Errors are the noise that is left at each pixel: the standard error of its luminance as a share of that luminance and
// a tenth of the picture's mean; 0.02 is two percent. Nil before there are two samples.
func (f *Film) Errors() []float32 {
	if f.Samples < 2 || f.sum == nil {
		return nil
	}
	whole := 0.0
	for i := range f.counts {
		m, _ := f.mean(i)
		whole += m
	}
	whole /= float64(len(f.counts))
	out := make([]float32, len(f.counts))
	for i, n := range f.counts {
		m, sq := f.mean(i)
		if n < 2 || !(m+whole > 0) {
			continue
		}
		e := math.Sqrt(max(sq-m*m, 0)/float64(n-1)) / (m + dark*whole)
		if e-e == 0 {
			out[i] = float32(e)
		}
	}
	return out
}

// Noise is how much noise is left: the mean of the pixels' errors. NaN before there are two samples.
func (f *Film) Noise() float64 {
	list := f.Errors()
	if list == nil {
		return math.NaN()
	}
	sum := 0.0
	for _, e := range list {
		sum += float64(e)
	}
	return sum / float64(len(list))
}
