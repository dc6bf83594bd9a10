package render

import (
	"context"
	"math"

	"visator/core/geom"
	"visator/core/light"
)

// denoise smooths Color where normals, albedo and depth agree, by an
// edge-avoiding à-trous wavelet (Dammertz et al., 2010) whose tolerance in
// brightness follows the measured noise (as in Schied et al., Spatiotemporal
// Variance-Guided Filtering, 2017). Albedo is divided out before and put
// back after, so that textures stay sharp.
func (f *Film) denoise(threads int) {
	n := f.Width * f.Height
	k := 1 / float32(f.Samples)
	lit := make([]lit4, n) // colour without albedo, and its variance
	variance := make([]float32, n)
	guide := make([]float32, 8*n) // normal, albedo, inverse depth, background
	for i := 0; i < n; i++ {
		g := guide[8*i : 8*i+8]
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
		mean := light.Luminance(geom.V{X: f.sum[3*i], Y: f.sum[3*i+1], Z: f.sum[3*i+2]}) / float64(f.Samples)
		va := max(f.square[i]/float64(f.Samples)-mean*mean, 0) / float64(f.Samples)
		if f.Samples < 4 { // too few to know
			va = mean * mean
		}
		q := max(al, 0.02)
		variance[i] = float32(va) / (q * q)
	}
	for i, v := range f.soften(variance, threads) {
		lit[i][3] = v
	}
	layers := f.layersOf(guide)
	next := make([]lit4, n)
	levels := 5
	if f.Samples >= 256 {
		levels = 3
	}
	for level := range levels {
		_ = f.tiles(context.Background(), threads, func(x, y int) {
			f.smooth(x, y, 1<<level, guide, lit, next, layers)
		})
		lit, next = next, lit
		for g := range layers {
			layers[g].now, layers[g].next = layers[g].next, layers[g].now
		}
	}
	for i := 0; i < n; i++ {
		if guide[8*i+7] == 1 {
			continue
		}
		for c := 0; c < 3; c++ {
			f.Color[3*i+c] = lit[i][c] * max(guide[8*i+3+c], 0.02)
			for g := range layers {
				f.Shares[g][3*i+c] = layers[g].now[3*i+c] * max(guide[8*i+3+c], 0.02)
			}
		}
	}
}

// layer is a share of the light, without albedo: smoothed as the whole is, so that shares still add up to it.
type layer struct{ now, next []float32 }

func (f *Film) layersOf(guide []float32) []layer {
	out := make([]layer, len(f.Shares))
	for g := range out {
		out[g] = layer{make([]float32, len(f.Color)), make([]float32, len(f.Color))}
		for i, v := range f.Shares[g] {
			out[g].now[i] = v / max(guide[8*(i/3)+3+i%3], 0.02)
		}
	}
	return out
}

// soften averages the variance over 3 x 3 pixels: it is noisy itself.
func (f *Film) soften(v []float32, threads int) []float32 {
	out := make([]float32, len(v))
	_ = f.tiles(context.Background(), threads, func(x, y int) {
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

var kernel = [5]float32{1.0 / 16, 1.0 / 4, 3.0 / 8, 1.0 / 4, 1.0 / 16}

// lit4 is light per channel and the variance of its luminance: together, since
// they are read together.
type lit4 [4]float32

func (l *lit4) luma() float32 { return 0.2126*l[0] + 0.7152*l[1] + 0.0722*l[2] }

// smooth computes one pixel of one level.
func (f *Film) smooth(x, y, step int, guide []float32, light, out []lit4, layers []layer) {
	i := y*f.Width + x
	g := guide[8*i : 8*i+8]
	if g[7] == 1 {
		out[i] = light[i]
		return
	}
	lum := light[i].luma()
	sharp := 1 / (3*float32(math.Sqrt(float64(light[i][3]))) + 1e-6*lum + 1e-12)
	var sum [3]float32
	var wsum, vsum float32
	var taps [25]tap
	used := 0
	g0, g1, g2, g3, g4, g5, g6 := g[0], g[1], g[2], g[3], g[4], g[5], g[6]
	near := 30 / float32(step)
	for ky := -2; ky <= 2; ky++ {
		py := y + ky*step
		if py < 0 || py >= f.Height {
			continue
		}
		for kx := -2; kx <= 2; kx++ {
			px := x + kx*step
			if px < 0 || px >= f.Width {
				continue
			}
			j := py*f.Width + px
			w := kernel[ky+2] * kernel[kx+2]
			l := &light[j]
			if j != i {
				h := (*[8]float32)(guide[8*j : 8*j+8])
				// The cheapest refusals first: most taps across an edge end here.
				dz := abs32(g6-h[6]) * near
				if top := max(g6, h[6]); dz > 3.5*top || h[7] == 1 {
					continue
				} else {
					dz /= top
				}
				e := dz*dz + abs32(lum-l.luma())*sharp
				if e > 12 {
					continue
				}
				nd := g0*h[0] + g1*h[1] + g2*h[2]
				if nd <= 0.3 {
					continue
				}
				da := abs32(g3-h[3]) + abs32(g4-h[4]) + abs32(g5-h[5])
				if e += da * da * 60; e > 12 {
					continue
				}
				nd *= nd
				nd *= nd
				nd *= nd
				nd *= nd
				nd *= nd // to the 32nd
				w *= nd * expNeg(e)
			}
			if len(layers) > 0 {
				taps[used] = tap{j, w}
				used++
			}
			sum[0] += w * l[0]
			sum[1] += w * l[1]
			sum[2] += w * l[2]
			vsum += w * w * l[3]
			wsum += w
		}
	}
	out[i] = lit4{sum[0] / wsum, sum[1] / wsum, sum[2] / wsum, vsum / (wsum * wsum)}
	for g := range layers {
		for c := range 3 {
			s := float32(0)
			for _, t := range taps[:used] {
				s += t.weight * layers[g].now[3*t.at+c]
			}
			layers[g].next[3*i+c] = s / wsum
		}
	}
}

// tap is a pixel that a smoothed one is made of.
type tap struct {
	at     int
	weight float32
}

func abs32(x float32) float32 {
	if x < 0 {
		return -x
	}
	return x
}

// expNeg is exp(-x) for 0 <= x, off by 0.01 at most: (1-x/32)^32.
func expNeg(x float32) float32 {
	y := 1 - x/32
	if y <= 0 {
		return 0
	}
	y *= y
	y *= y
	y *= y
	y *= y
	return y * y
}
