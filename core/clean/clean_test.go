package clean

import (
	"math"
	"testing"
)

// The quick exponential of the noise filter is within what it promises.
func TestQuickExponential(t *testing.T) {
	last := float32(1)
	for i := range 4001 {
		x := float32(i) / 100
		y := expNeg(x)
		if math.Abs(float64(y)-math.Exp(-float64(x))) > 0.01 || y > last {
			t.Fatalf("exp(-%v) is %v", x, y)
		}
		last = y
	}
}

// Noise on one grey is evened out, an edge in depth stays, the background is as it is, and shares add up to the whole.
func TestSmooth(t *testing.T) {
	const w, h = 32, 16
	guide := make([]float32, 8*w*h)
	lit, next := make([]Lit, w*h), make([]Lit, w*h)
	layers := []Layer{{make([]float32, 3*w*h), make([]float32, 3*w*h)}, {make([]float32, 3*w*h), make([]float32, 3*w*h)}}
	for i := range lit {
		g := guide[8*i : 8*i+8]
		base := float32(1)
		g[2], g[6] = 1, 1
		if i%w >= w/2 {
			base, g[6] = 5, 0.2
		}
		if i/w == 0 {
			g[7] = 1
		}
		noise := float32((i*7919)%11)/10 - 0.5
		v := base * (1 + 0.3*noise)
		lit[i] = Lit{v, v, v, base * base * 0.01}
		for c := range 3 {
			layers[0].Now[3*i+c], layers[1].Now[3*i+c] = 0.25*v, 0.75*v
		}
	}
	first := lit[3]
	off := func(list []Lit, from, to int) (worst float64) {
		for y := 3; y < h-3; y++ {
			for x := from; x < to; x++ {
				base := 1.0
				if x >= w/2 {
					base = 5
				}
				worst = max(worst, math.Abs(float64(list[y*w+x][0])/base-1))
			}
		}
		return worst
	}
	before := off(lit, 0, w)
	for level := range 3 {
		for y := range h {
			for x := range w {
				Smooth(w, h, x, y, 1<<level, guide, lit, next, layers)
			}
		}
		lit, next = next, lit
		for g := range layers {
			layers[g].Now, layers[g].Next = layers[g].Next, layers[g].Now
		}
	}
	if after := off(lit, 0, w); !(after < before/2) {
		t.Errorf("the noise was %.3f and is %.3f", before, after)
	}
	if lit[3] != first {
		t.Errorf("the background was %v and is %v", first, lit[3])
	}
	for i := w; i < w*h; i++ {
		if sum := layers[0].Now[3*i] + layers[1].Now[3*i]; math.Abs(float64(sum-lit[i][0])) > 1e-5*float64(sum) {
			t.Fatalf("shares of pixel %d add up to %v, not %v", i, sum, lit[i][0])
		}
	}
}
