// Package clean removes noise from pictures where normals, albedo and depth agree: an edge-avoiding à-trous wavelet
// (Dammertz, Sewtz, Hanika and Lensch, 2010) whose tolerance in brightness follows the measured noise (as in Schied and
// others, Spatiotemporal variance-guided filtering, 2017).
package clean

import "math"

var kernel = [5]float32{1.0 / 16, 1.0 / 4, 3.0 / 8, 1.0 / 4, 1.0 / 16}

// Lit is light per channel and the variance of its luminance: together, since
// they are read together.
type Lit [4]float32

func (l *Lit) luma() float32 { return 0.2126*l[0] + 0.7152*l[1] + 0.0722*l[2] }

// Layer is a share of the light, without albedo, 3 values a pixel: smoothed as the whole is, so that shares still add
// up to it.
type Layer struct{ Now, Next []float32 }

// Smooth computes one pixel of one level of a picture. guide is 8 values a pixel: the normal, the albedo, the inverse
// of the depth, and 1 for the background, which stays as it is. Pixels are read that lie step and twice step away.
func Smooth(width, height, x, y, step int, guide []float32, light, out []Lit, layers []Layer) {
	i := y*width + x
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
		if py < 0 || py >= height {
			continue
		}
		for kx := -2; kx <= 2; kx++ {
			px := x + kx*step
			if px < 0 || px >= width {
				continue
			}
			j := py*width + px
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
	out[i] = Lit{sum[0] / wsum, sum[1] / wsum, sum[2] / wsum, vsum / (wsum * wsum)}
	for g := range layers {
		for c := range 3 {
			s := float32(0)
			for _, t := range taps[:used] {
				s += t.weight * layers[g].Now[3*t.at+c]
			}
			layers[g].Next[3*i+c] = s / wsum
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
