package film

import (
	"context"

	"visator/core/clean"
)

// Reach is how many rows above and below a row the noise filter looks at: five steps of 5 x 5, the widest 16 pixels
// apart, after one of 3 x 3.
const Reach = 2*(1+2+4+8+16) + 1

// denoise smooths Color where normals, albedo and depth agree, by an
// edge-avoiding à-trous wavelet (Dammertz et al., 2010) whose tolerance in
// brightness follows the measured noise (as in Schied et al., Spatiotemporal
// Variance-Guided Filtering, 2017). Albedo is divided out before and put
// back after, so that textures stay sharp.
func (f *Film) denoise() {
	n := f.Width * f.Height
	lit := make([]clean.Lit, n) // colour without albedo, and its variance
	variance := make([]float32, n)
	guide := make([]float32, 8*n) // normal, albedo, inverse depth, background
	for i := 0; i < n; i++ {
		g := guide[8*i : 8*i+8]
		k := 1 / float32(max(f.counts[i], 1))
		for c := 0; c < 7; c++ {
			g[c] = f.guide[7*i+c] * k
		}
		al := g[3]*0.2126 + g[4]*0.7152 + g[5]*0.0722
		for c := 0; c < 3; c++ {
			lit[i][c] = f.Color[3*i+c] / max(g[3+c], 0.02)
		}
		if g[6] == 0 { // background: shown as it is
			g[7] = 1
			for c := 0; c < 3; c++ {
				lit[i][c] = f.Color[3*i+c]
			}
			continue
		}
		mean, square := f.mean(i)
		va := max(square-mean*mean, 0) / float64(max(f.counts[i], 1))
		if f.counts[i] < 4 { // too few to know
			va = mean * mean
		}
		q := max(al, 0.02)
		variance[i] = float32(va) / (q * q)
	}
	for i, v := range f.soften(variance) {
		lit[i][3] = v
	}
	layers := f.layersOf(guide)
	next := make([]clean.Lit, n)
	levels := 5
	if f.Samples >= 256 {
		levels = 3
	}
	for level := range levels {
		_ = f.Pixels(context.Background(), func(x, y int) {
			clean.Smooth(f.Width, f.Height, x, y, 1<<level, guide, lit, next, layers)
		})
		lit, next = next, lit
		for g := range layers {
			layers[g].Now, layers[g].Next = layers[g].Next, layers[g].Now
		}
	}
	for i := 0; i < n; i++ {
		if guide[8*i+7] == 1 {
			continue
		}
		for c := 0; c < 3; c++ {
			f.Color[3*i+c] = lit[i][c] * max(guide[8*i+3+c], 0.02)
			for g, to := range f.layers() {
				to[3*i+c] = layers[g].Now[3*i+c] * max(guide[8*i+3+c], 0.02)
			}
		}
	}
}

// layers are what adds up to the picture, in one way and the other.
func (f *Film) layers() [][]float32 { return append(f.Shares[:len(f.Shares):len(f.Shares)], f.Ways...) }

func (f *Film) layersOf(guide []float32) []clean.Layer {
	out := make([]clean.Layer, len(f.Shares)+len(f.Ways))
	for g := range out {
		out[g] = clean.Layer{Now: make([]float32, len(f.Color)), Next: make([]float32, len(f.Color))}
		for i, v := range f.layers()[g] {
			out[g].Now[i] = v / max(guide[8*(i/3)+3+i%3], 0.02)
		}
	}
	return out
}

// soften averages the variance over 3 x 3 pixels: it is noisy itself.
func (f *Film) soften(v []float32) []float32 {
	out := make([]float32, len(v))
	_ = f.Pixels(context.Background(), func(x, y int) {
		sum, n := float32(0), float32(0)
		for dy := max(y-1, 0); dy <= min(y+1, f.Height-1); dy++ {
			for dx := max(x-1, 0); dx <= min(x+1, f.Width-1); dx++ {
				sum += v[dy*f.Width+dx]
				n++
			}
		}
		out[y*f.Width+x] = sum / n
	})
	return out
}
