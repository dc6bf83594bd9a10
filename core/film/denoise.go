package film

import (
	"math"
	"slices"

	"visator/core/clean"
)

// Reach is how many rows above and below a row the removal of noise looks at: to the middles of the fields about it and
// to their ends, its levels from there, and one look at 3 x 3 pixels.
const Reach = clean.Reach + 1 + evenings*(FieldSide+FieldSide/2)

// denoise smooths Color where normals, albedo and depth agree. Albedo is divided out before and put
// back after, so that textures stay sharp.
func (f *Film) denoise() {
	p := clean.New(f.Width, f.Height, len(f.Shares)+len(f.Ways))
	variance := make([]float32, f.Width*f.Height)
	f.Rows(func(y int) {
		for i := y * f.Width; i < (y+1)*f.Width; i++ {
			variance[i] = f.take(p, i)
		}
	})
	f.Rows(func(y int) { f.soften(p.Variance, variance, y) })
	levels := 5
	if f.Samples >= 256 {
		levels = 3
	}
	before := slices.Clone(p.Variance)
	for level := range levels {
		p.Smooth(1<<level, f.Rows)
	}
	p.Mend(before, f.Rows)
	for range evenings {
		f.keep(p)
	}
	f.Rows(func(y int) {
		for i := y * f.Width; i < (y+1)*f.Width; i++ {
			if p.Near[i] != p.Near[i] {
				continue
			}
			for c := range 3 {
				a := p.By(c, i)
				f.Color[3*i+c] = p.Light[c][i]*a + f.shines(f.shine, 3*i+c)
				for g, to := range f.layers() {
					to[3*i+c] = p.Layers[g].Now[c][i]*a + f.shinesIn(g, 3*i+c)
				}
			}
		}
	})
}

// shines is the mean of what shone straight into the lens; at is three times the pixel, and the channel.
func (f *Film) shines(sums []float32, at int) float32 {
	return sums[at] / float32(max(f.counts[at/3], 1))
}

// shinesIn is shines of one of layers.
func (f *Film) shinesIn(layer, at int) float32 {
	switch layer -= len(f.Shares); {
	case layer < 0:
		return f.shines(f.shone[layer+len(f.Shares)], at)
	case layer == Shines:
		return f.shines(f.shine, at)
	}
	return 0
}

// take puts a pixel into the picture that is to be smoothed, and returns the variance of its luminance.
func (f *Film) take(p *clean.Picture, i int) (variance float32) {
	k := 1 / float32(max(f.counts[i], 1))
	var g [7]float32
	for c := range g {
		g[c] = f.guide[7*i+c] * k
	}
	beyond := g[6] == 0 // background: shown as it is
	p.Near[i] = g[6]
	if beyond {
		p.Near[i] = float32(math.NaN())
	}
	for c := range 3 {
		p.Normal[c][i], p.Albedo[c][i] = g[c], g[3+c]
		q := p.By(c, i)
		p.Light[c][i] = max((f.Color[3*i+c]-f.shines(f.shine, 3*i+c))/q, 0) // but for roundings it is not less
		for l, from := range f.layers() {
			p.Layers[l].Now[c][i] = (from[3*i+c] - f.shinesIn(l, 3*i+c)) / q
		}
	}
	if beyond {
		return 0
	}
	mean, square := f.mean(i)
	va := max(square-mean*mean, 0) / float64(max(f.counts[i], 1))
	if f.counts[i] < 4 { // too few to know
		va = mean * mean
	}
	q := max(clean.Luma(g[3], g[4], g[5]), clean.LeastAlbedo)
	return float32(va) / (q * q)
}

// layers are what adds up to the picture, in one way and the other.
func (f *Film) layers() [][]float32 { return append(f.Shares[:len(f.Shares):len(f.Shares)], f.Ways...) }

// soften averages the variance of a row over 3 x 3 pixels: it is noisy itself.
func (f *Film) soften(to, v []float32, y int) {
	for x := range f.Width {
		sum, n := float32(0), float32(0)
		for dy := max(y-1, 0); dy <= min(y+1, f.Height-1); dy++ {
			for dx := max(x-1, 0); dx <= min(x+1, f.Width-1); dx++ {
				sum += v[dy*f.Width+dx]
				n++
			}
		}
		to[y*f.Width+x] = sum / n
	}
}
