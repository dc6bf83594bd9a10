// Package clean removes noise from pictures where normals, albedo and depth agree: an edge-avoiding à-trous wavelet
// (Dammertz, Sewtz, Hanika and Lensch, 2010) whose tolerance in brightness follows the measured noise (as in Schied and
// others, Spatiotemporal variance-guided filtering, 2017).
package clean

import (
	"math"
	"sync"
)

// Reach is how many pixels about one are looked at by all levels from steps of one pixel to steps of 16, and by Mend.
const Reach = 2*(1+2+4+8+16) + Aside

var kernel = [5]float32{1.0 / 16, 1.0 / 4, 3.0 / 8, 1.0 / 4, 1.0 / 16}

// Picture is one to be smoothed: planes of a number a pixel, rows from the top.
type Picture struct {
	Width, Height int
	Normal        [3][]float32
	Albedo        [3][]float32
	Near          []float32    // the inverse of the depth; NaN is background, which stays as it is
	Light         [3][]float32 // without albedo
	Variance      []float32    // of its luminance
	Layers        []Layer      // of Light

	next   [4][]float32 // Light and Variance of the next level
	luma   []float32
	sharp  []float32 // what a difference in luminance counts
	spares sync.Pool // *sums
}

// Layer is a share of the light, smoothed as the whole is, so that shares still add up to it.
type Layer struct{ Now, Next [3][]float32 }

// New is a picture of nothing yet, with so many layers.
func New(width, height, layers int) *Picture {
	n := width * height
	p := &Picture{Width: width, Height: height}
	for _, l := range []*[]float32{&p.Near, &p.Variance, &p.luma, &p.sharp} {
		*l = make([]float32, n)
	}
	three := func(l *[3][]float32) {
		for c := range l {
			l[c] = make([]float32, n)
		}
	}
	three(&p.Normal)
	three(&p.Albedo)
	three(&p.Light)
	for c := range p.next {
		p.next[c] = make([]float32, n)
	}
	p.Layers = make([]Layer, layers)
	for g := range p.Layers {
		three(&p.Layers[g].Now)
		three(&p.Layers[g].Next)
	}
	p.spares.New = func() any {
		room := make([]float32, 6*width)
		s := &sums{layers: make([]float32, 3*width*layers)}
		for k := range s.of {
			s.of[k] = room[k*width : (k+1)*width]
		}
		s.weight = room[5*width:]
		return s
	}
	return p
}

// sums are those of the taps of a row: light, variance and weight.
type sums struct {
	of     [5][]float32
	weight []float32 // of one tap
	layers []float32
}

// Smooth smooths the picture by one level: pixels are read that lie step and twice step away. rows calls a function
// for every row, from however many goroutines.
func (p *Picture) Smooth(step int, rows func(do func(y int))) {
	rows(func(y int) {
		for i := y * p.Width; i < (y+1)*p.Width; i++ {
			l := Luma(p.Light[0][i], p.Light[1][i], p.Light[2][i])
			p.luma[i] = l
			p.sharp[i] = 1 / (3*float32(math.Sqrt(float64(p.Variance[i]))) + 1e-6*l + 1e-12)
		}
	})
	rows(func(y int) { p.row(y, step) })
	p.turn()
}

// turn makes what is next what is now.
func (p *Picture) turn() {
	for c := range 3 {
		p.Light[c], p.next[c] = p.next[c], p.Light[c]
	}
	p.Variance, p.next[3] = p.next[3], p.Variance
	for g := range p.Layers {
		l := &p.Layers[g]
		l.Now, l.Next = l.Next, l.Now
	}
}

// each visits all planes of light, those of three channels after one another.
func (p *Picture) each(do func(now, next []float32)) {
	for c := range 3 {
		do(p.Light[c], p.next[c])
	}
	for g := range p.Layers {
		for c := range 3 {
			do(p.Layers[g].Now[c], p.Layers[g].Next[c])
		}
	}
}

// piece is how many pixels of a row are smoothed at a time: all that is read for them stays near the processor.
const piece = 256

// row computes a row of the next level.
func (p *Picture) row(y, step int) {
	s := p.spares.Get().(*sums)
	defer p.spares.Put(s)
	for k := range s.of {
		clear(s.of[k])
	}
	clear(s.layers)
	w := p.Width
	for first := 0; first < w; first += piece {
		last := min(first+piece, w)
		for ky := -2; ky <= 2; ky++ {
			if py := y + ky*step; py < 0 || py >= p.Height {
				continue
			}
			for kx := -2; kx <= 2; kx++ {
				dx := kx * step
				from, to := max(first, -dx), min(last, w-dx)
				if from >= to || kx*kx+ky*ky == 8 { // corners count next to nothing
					continue
				}
				k := kernel[ky+2] * kernel[kx+2]
				t := tap{p: p, s: s, at: y * w, off: ky*step*w + dx, kernel: k, near: 30 / float32(step)}
				if t.off == 0 {
					t.middle(from, to)
				} else {
					t.run(from, to)
				}
				t.addLayers(from, to)
			}
		}
	}
	for x := range w {
		i := y*w + x
		if p.Near[i] != p.Near[i] {
			for c := range 3 {
				p.next[c][i] = p.Light[c][i]
				for g := range p.Layers {
					p.Layers[g].Next[c][i] = p.Layers[g].Now[c][i]
				}
			}
			p.next[3][i] = p.Variance[i]
			continue
		}
		sum := s.of[4][x]
		for c := range 3 {
			p.next[c][i] = s.of[c][x] / sum
			for g := range p.Layers {
				p.Layers[g].Next[c][i] = s.layers[(3*g+c)*w+x] / sum
			}
		}
		p.next[3][i] = s.of[3][x] / (sum * sum)
	}
}

// tap is one tap of a row: what the pixels that lie off from those of the row give to it.
type tap struct {
	p            *Picture
	s            *sums
	at, off      int // number of the row's first pixel
	kernel, near float32
}

// middle is the tap of the pixels themselves.
func (t *tap) middle(from, to int) {
	for x := from; x < to; x++ {
		t.put(x, t.kernel)
	}
}

// put adds the pixel of the tap to that at x with a weight.
func (t *tap) put(x int, w float32) {
	p, s, j := t.p, t.s, t.at+t.off+x
	s.weight[x] = w
	s.of[0][x] += w * p.Light[0][j]
	s.of[1][x] += w * p.Light[1][j]
	s.of[2][x] += w * p.Light[2][j]
	s.of[3][x] += w * w * p.Variance[j]
	s.of[4][x] += w
}

// runPortable adds the tap to the pixels from x = from to before to, by plain code: it decides what is right.
func (t *tap) runPortable(from, to int) {
	p := t.p
	n0, n1, n2, a0, a1, a2 := p.Normal[0], p.Normal[1], p.Normal[2], p.Albedo[0], p.Albedo[1], p.Albedo[2]
	for x := from; x < to; x++ {
		i := t.at + x
		j := i + t.off
		t.s.weight[x] = 0
		g, h := p.Near[i], p.Near[j]
		dz, top := abs32(g-h)*t.near, max(g, h)
		if !(dz <= 3.5*top) { // nor if one of them is background
			continue
		}
		dz /= top
		e := dz*dz + abs32(p.luma[i]-p.luma[j])*p.sharp[i]
		nd := n0[i]*n0[j] + n1[i]*n1[j] + n2[i]*n2[j]
		da := abs32(a0[i]-a0[j]) + abs32(a1[i]-a1[j]) + abs32(a2[i]-a2[j])
		if e += da * da * 60; !(e <= 12 && nd > 0.3) {
			continue
		}
		nd *= nd
		nd *= nd
		nd *= nd
		nd *= nd
		nd *= nd // to the 32nd
		t.put(x, t.kernel*(nd*expNeg(e)))
	}
}

// addLayers adds the tap to the layers, by the weights that it has just had.
func (t *tap) addLayers(from, to int) {
	w := t.p.Width
	for g := range t.p.Layers {
		for c := range 3 {
			sum, of := t.s.layers[(3*g+c)*w:(3*g+c+1)*w], t.p.Layers[g].Now[c][t.at+t.off+from:]
			for x := from; x < to; x++ {
				sum[x] += t.s.weight[x] * of[x-from]
			}
		}
	}
}

func abs32(x float32) float32 {
	if x < 0 {
		return -x
	}
	return x
}

// expNeg is exp(-x) for 0 <= x <= 32, off by 0.01 at most: (1-x/32)^32.
func expNeg(x float32) float32 {
	y := 1 - x*(1.0/32)
	y *= y
	y *= y
	y *= y
	y *= y
	return y * y
}
