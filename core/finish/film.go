package finish

import (
	"math"

	"visator/core/document"
	"visator/core/points"
)

var (
	_ = step("bloom", Glass, func() Step { return &Bloom{Wide: 0.03} })
	_ = step("sharpen", Grain, func() Step { return &Sharpen{Radius: 1} })
	_ = step("grain", Grain, func() Step { return &Grained{Size: 1.5, Seed: 1} })
	_ = step("letterbox", Mask, func() Step { return &Letterbox{Aspect: 2.39} })
)

// Bloom spreads a share of all light about where it falls, as a lens does: the mean of three round spreads, each four
// times as wide as the one before, which together fall about as the inverse square of the way (common practice for the
// spread of lenses and eyes). No light is lost but over the picture's edge.
type Bloom struct {
	Amount float64 `json:"amount"` // the share that is spread
	Wide   float64 `json:"wide"`   // half of the widest spread, of the picture's width
}

// Fields are what it is described by.
func (b *Bloom) Fields() []document.Field {
	return []document.Field{
		document.Of(&b.Amount, document.Percent, "amount", "light is spread", "what is spread").In(0, 1).
			Sliding(0, 30, 0.5),
		document.Of(&b.Wide, document.Percent, "wide", "over, of the width", "how far").In(0.001, 0.3).
			Sliding(0.5, 20, 0.5),
	}
}

// Apply spreads light.
func (b *Bloom) Apply(p *Pixels) {
	if b.Amount == 0 {
		return
	}
	sum := make([]float32, len(p.RGB))
	for k := range 3 {
		blurred := spread(p.RGB, p.Width, p.Height, b.Wide*float64(p.Width)/math.Pow(4, float64(k))/2)
		for i, x := range blurred {
			sum[i] += x / 3
		}
	}
	a := float32(b.Amount)
	for i := range p.RGB {
		p.RGB[i] += a * (sum[i] - p.RGB[i])
	}
}

// coarsest is the deviation in pixels from which light is spread in a picture of half the size: what is spread so far
// has nothing that is lost by that.
const coarsest = 6

// spread is a picture whose light is spread by about a Gaussian of a standard deviation in pixels: as Blur does, but in
// a picture of a half, a quarter, ... of the size where it is wide, laid back between its pixels in proportion.
func spread(rgb []float32, w, h int, deviation float64) []float32 {
	k := 1
	for deviation/float64(k) >= coarsest {
		k *= 2
	}
	sw, sh := (w+k-1)/k, (h+k-1)/k
	small, weights := make([]float32, 3*sw*sh), make([]float32, sw*sh)
	for y := range h {
		j, v := amid(y, k, sh)
		for x := range w { // each pixel goes to the four about it as it will be taken from them: its middle stays
			i, u := amid(x, k, sw)
			for corner, share := range [4]float32{(1 - u) * (1 - v), u * (1 - v), (1 - u) * v, u * v} {
				at := min(j+corner/2, sh-1)*sw + min(i+corner%2, sw-1)
				weights[at] += share
				for c := range 3 {
					small[3*at+c] += share * rgb[3*(y*w+x)+c]
				}
			}
		}
	}
	for i := range small {
		small[i] /= weights[i/3]
	}
	// There and back spreads light too, (k²-1)/6 of variance each.
	k2 := float64(k * k)
	Blur(small, sw, sh, math.Sqrt(max(deviation*deviation-(k2-1)/3, 0)/k2))
	if k == 1 {
		return small
	}
	out := make([]float32, len(rgb))
	for y := range h {
		j, v := amid(y, k, sh)
		for x := range w {
			i, u := amid(x, k, sw)
			for c := range 3 {
				at := func(i, j int) float32 { return small[3*(min(j, sh-1)*sw+min(i, sw-1))+c] }
				top := at(i, j) + u*(at(i+1, j)-at(i, j))
				low := at(i, j+1) + u*(at(i+1, j+1)-at(i, j+1))
				out[3*(y*w+x)+c] = top + v*(low-top)
			}
		}
	}
	return out
}

// amid is between which of n pixels the middle of another lies that is k times as small: after the first of the two,
// by so much.
func amid(x, k, n int) (int, float32) {
	at := min(max((float64(x)+0.5)/float64(k)-0.5, 0), float64(n-1))
	i := int(at)
	return i, float32(at - float64(i))
}

// Blur spreads colours by about a Gaussian of a standard deviation in pixels: three boxes, one after the other (W. M.
// Wells, 1986). The picture goes on beyond its edges as it ends there.
func Blur(rgb []float32, w, h int, deviation float64) {
	line := make([]float32, max(w, h))
	for _, r := range boxes(deviation) {
		if r < 1 {
			continue
		}
		for y := range h {
			for c := range 3 {
				box(rgb, 3*y*w+c, 3, w, r, line)
			}
		}
		for x := range w {
			for c := range 3 {
				box(rgb, 3*x+c, 3*w, h, r, line)
			}
		}
	}
}

// boxes are how far the three boxes go to each side whose variances together come nearest to that of a deviation: some
// of them one farther than the others.
func boxes(deviation float64) (r [3]int) {
	want := max(deviation*deviation, 0) // the variance of a box of 2r+1 values is r (r+1) / 3
	low := int(math.Floor((math.Sqrt(4*want+1) - 1) / 2))
	n := math.Round((want - float64(low*(low+1))) * 3 / float64(2*(low+1))) // how many go one farther
	for i := range r {
		r[i] = low
		if float64(i) < n {
			r[i]++
		}
	}
	return r
}

// box is the mean over r before and r behind each of n values that begin at from and are step apart.
func box(list []float32, from, step, n, r int, line []float32) {
	for i := range n {
		line[i] = list[from+i*step]
	}
	at := func(i int) float64 { return float64(line[min(max(i, 0), n-1)]) }
	sum := 0.0
	for i := -r; i <= r; i++ {
		sum += at(i)
	}
	for i := range n {
		list[from+i*step] = float32(sum / float64(2*r+1))
		sum += at(i+r+1) - at(i-r)
	}
}

// Sharpen adds by how much the picture differs from itself made soft.
type Sharpen struct {
	Amount float64 `json:"amount"`
	Radius float64 `json:"radius"` // pixels
}

// Fields are what it is described by.
func (s *Sharpen) Fields() []document.Field {
	return []document.Field{
		document.Of(&s.Amount, document.Percent, "amount", "sharpened", "how far").In(0, 5).Sliding(0, 200, 5),
		document.Of(&s.Radius, document.Number, "radius", "within", "a radius").In(1, 20).Told("pixels", 1),
	}
}

// Apply sharpens.
func (s *Sharpen) Apply(p *Pixels) {
	if s.Amount == 0 {
		return
	}
	soft := append([]float32{}, p.RGB...)
	Blur(soft, p.Width, p.Height, max(s.Radius, 1.5))
	for i, x := range p.RGB {
		p.RGB[i] = min(max(x+float32(s.Amount)*(x-soft[i]), 0), 1)
	}
}

// Grained is the grain of film: the same light on all channels, strongest in the middle tones (common practice).
type Grained struct {
	Amount float64 `json:"amount"`
	Size   float64 `json:"size"` // pixels
	Seed   uint64  `json:"seed"`
}

// Fields are what it is described by.
func (g *Grained) Fields() []document.Field {
	return []document.Field{
		document.Of(&g.Amount, document.Percent, "amount", "grain", "grain").In(0, 1).Sliding(0, 40, 1),
		document.Of(&g.Size, document.Number, "size", "its size", "a size").In(1, 20).Told("pixels", 1),
		document.Of(&g.Seed, document.Count, "seed", "seed", "a seed").In(0, math.MaxInt32),
	}
}

// Apply adds it.
func (g *Grained) Apply(p *Pixels) {
	if g.Amount == 0 {
		return
	}
	noise := make([]float32, 3*p.Width*p.Height)
	for i := range p.Width * p.Height {
		a, b := points.Pair(points.Mix(g.Seed<<32 ^ uint64(i)))
		// Box and Muller, 1958.
		x := float32(math.Sqrt(-2*math.Log(1-a)) * math.Cos(2*math.Pi*b))
		noise[3*i], noise[3*i+1], noise[3*i+2] = x, x, x
	}
	if g.Size > 1 { // what is spread over some pixels is weaker by as many
		Blur(noise, p.Width, p.Height, g.Size/2+1)
		sum := 0.0
		for _, x := range noise {
			sum += float64(x) * float64(x)
		}
		if k := float32(1 / math.Sqrt(max(sum/float64(len(noise)), 1e-12))); k > 0 {
			for i := range noise {
				noise[i] *= k
			}
		}
	}
	for i, x := range p.RGB {
		v := Encode(float64(x)) // as the eye sees it
		v += 0.25 * g.Amount * float64(noise[i]) * math.Sqrt(max(v*(1-v), 0))
		p.RGB[i] = float32(Decode(min(max(v, 0), 1)))
	}
}

// Letterbox cuts a picture to proportions, with black beside it.
type Letterbox struct {
	On     bool    `json:"on"`
	Aspect float64 `json:"aspect"` // width by height
}

// Fields are what it is described by.
func (l *Letterbox) Fields() []document.Field {
	return []document.Field{
		document.Of(&l.On, document.Yes, "on", "cut to proportions", ""),
		document.Of(&l.Aspect, document.Number, "aspect", "of", "proportions").In(0.1, 10).Told(": 1", 3),
	}
}

// Apply blackens what is cut off.
func (l *Letterbox) Apply(p *Pixels) {
	if !l.On {
		return
	}
	w, h := float64(p.Width), float64(p.Height)
	wide, high := min(w, h*l.Aspect), min(h, w/l.Aspect)
	for y := range p.Height {
		for x := range p.Width {
			if math.Abs(float64(x)+0.5-w/2) > wide/2 || math.Abs(float64(y)+0.5-h/2) > high/2 {
				i := 3 * (y*p.Width + x)
				p.RGB[i], p.RGB[i+1], p.RGB[i+2] = 0, 0, 0
			}
		}
	}
}
