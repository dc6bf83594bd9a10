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
		blurred := append([]float32{}, p.RGB...)
		Blur(blurred, p.Width, p.Height, b.Wide*float64(p.Width)/math.Pow(4, float64(k))/2)
		for i, x := range blurred {
			sum[i] += x / 3
		}
	}
	a := float32(b.Amount)
	for i := range p.RGB {
		p.RGB[i] += a * (sum[i] - p.RGB[i])
	}
}

// Blur spreads colours by about a Gaussian of a standard deviation in pixels: three boxes, one after the other (W. M.
// Wells, 1986). The picture goes on beyond its edges as it ends there.
func Blur(rgb []float32, w, h int, deviation float64) {
	// Boxes of a width whose variance, three times, is the wanted one.
	r := int(math.Round((math.Sqrt(4*deviation*deviation+1) - 1) / 2))
	if r < 1 {
		return
	}
	line := make([]float32, max(w, h))
	for range 3 {
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
