package clean

import (
	"math"
	"math/rand/v2"
	"testing"
)

// The quick exponential of the noise filter is within what it promises.
func TestQuickExponential(t *testing.T) {
	last := float32(1)
	for i := range 3201 {
		x := float32(i) / 100
		y := expNeg(x)
		if math.Abs(float64(y)-math.Exp(-float64(x))) > 0.01 || y > last {
			t.Fatalf("exp(-%v) is %v", x, y)
		}
		last = y
	}
}

func every(height int) func(do func(y int)) {
	return func(do func(y int)) {
		for y := range height {
			do(y)
		}
	}
}

// Noise on one grey is evened out, an edge in depth stays, the background is as it is, and shares add up to the whole.
func TestSmooth(t *testing.T) {
	const w, h = 37, 16
	p := New(w, h, 2)
	for i := range w * h {
		base := float32(1)
		p.Normal[2][i], p.Near[i] = 1, 1
		if i%w >= w/2 {
			base, p.Near[i] = 5, 0.2
		}
		if i/w == 0 {
			p.Near[i] = float32(math.NaN())
		}
		noise := float32((i*7919)%11)/10 - 0.5
		v := base * (1 + 0.3*noise)
		p.Variance[i] = base * base * 0.01
		for c := range 3 {
			p.Light[c][i] = v
			p.Layers[0].Now[c][i], p.Layers[1].Now[c][i] = 0.25*v, 0.75*v
		}
	}
	first := p.Light[0][3]
	off := func() (worst float64) {
		for y := 3; y < h-3; y++ {
			for x := range w {
				base := 1.0
				if x >= w/2 {
					base = 5
				}
				worst = max(worst, math.Abs(float64(p.Light[0][y*w+x])/base-1))
			}
		}
		return worst
	}
	before := off()
	for level := range 3 {
		p.Smooth(1<<level, every(h))
	}
	if after := off(); !(after < before/2) {
		t.Errorf("the noise was %.3f and is %.3f", before, after)
	}
	if p.Light[0][3] != first {
		t.Errorf("the background was %v and is %v", first, p.Light[0][3])
	}
	for i := w; i < w*h; i++ {
		sum := p.Layers[0].Now[0][i] + p.Layers[1].Now[0][i]
		if math.Abs(float64(sum-p.Light[0][i])) > 1e-5*float64(sum) {
			t.Fatalf("shares of pixel %d add up to %v, not %v", i, sum, p.Light[0][i])
		}
	}
}

// by is a picture by chance: some of it background, some of it too bright to be a number.
func by(r *rand.Rand, w, h int) *Picture {
	p := New(w, h, 1)
	for i := range w * h {
		a := r.Float64() * 0.3
		p.Normal[0][i], p.Normal[2][i] = float32(math.Sin(a)), float32(math.Cos(a))
		p.Near[i] = float32(1 + 0.01*r.NormFloat64())
		switch r.IntN(20) {
		case 0:
			p.Near[i] = float32(math.NaN())
		case 1:
			p.Normal[0][i], p.Normal[2][i] = 1, 0
		}
		p.Variance[i] = float32(r.ExpFloat64())
		for c := range 3 {
			p.Albedo[c][i] = float32(0.5 + 0.03*r.NormFloat64())
			p.Light[c][i] = float32(r.ExpFloat64())
			p.Layers[0].Now[c][i] = p.Light[c][i] / 2
		}
		if r.IntN(400) == 0 {
			p.Light[0][i] = float32(math.Inf(1))
		}
	}
	return p
}

// What is smoothed by the tap that the machine has, and by plain code, is the same to the last bit.
func TestTapsAreThoseOfPlainCode(t *testing.T) {
	for _, w := range []int{1, 7, 8, 9, 64, 131} {
		const h = 21
		a, b := by(rand.New(rand.NewPCG(1, uint64(w))), w, h), by(rand.New(rand.NewPCG(1, uint64(w))), w, h)
		for level := range 4 {
			a.Smooth(1<<level, every(h))
			plainly(func() { b.Smooth(1<<level, every(h)) })
			for i := range w * h {
				for c := range 3 {
					for _, x := range [][2]float32{{a.Light[c][i], b.Light[c][i]}, {a.Variance[i], b.Variance[i]},
						{a.Layers[0].Now[c][i], b.Layers[0].Now[c][i]}} {
						if x[0] != x[1] && x[0] == x[0] || x[0] != x[0] != (x[1] != x[1]) {
							t.Fatalf("%d wide, level %d, pixel %d: %v, by plain code %v", w, level, i, x[0], x[1])
						}
					}
				}
			}
		}
	}
}

func BenchmarkSmooth(b *testing.B) {
	const w, h = 1280, 720
	for b.Loop() {
		b.StopTimer()
		p := by(rand.New(rand.NewPCG(1, 2)), w, h)
		p.Layers = nil
		b.StartTimer()
		for level := range 5 {
			p.Smooth(1<<level, every(h))
		}
	}
	b.ReportMetric(b.Elapsed().Seconds()/float64(b.N)/(w*h)*1e6, "s/MP-on-one-core")
}

// A pixel at an edge, half of it the one side and half the other, has the mean of both once it is mended, however wrong
// it was; its layers still add up to it, and the sides stay.
func TestMendingAnEdge(t *testing.T) {
	const w, h = 17, 9
	p := New(w, h, 2)
	before := make([]float32, w*h)
	for i := range w * h {
		x := i % w
		share := float32(0) // of the right side
		switch {
		case x > w/2:
			share = 1
		case x == w/2:
			share = 0.5
		}
		p.Normal[2][i], p.Normal[0][i], p.Near[i] = 1-share, share, 1
		v := 1 + 3*share
		before[i], p.Variance[i] = 1, 1e-4
		if x == w/2 {
			v, p.Variance[i] = 20*float32(i/w%2), 4000 // nothing, or far too much
		}
		for c := range 3 {
			p.Albedo[c][i] = 0.5
			p.Light[c][i] = v
			p.Layers[0].Now[c][i], p.Layers[1].Now[c][i] = 0.25*v, 0.75*v
		}
	}
	p.Mend(before, every(h))
	for i := range w * h {
		want := 1.0
		switch x := i % w; {
		case x > w/2:
			want = 4
		case x == w/2:
			want = 2.5
		}
		if got := float64(p.Light[1][i]); math.Abs(got-want) > 0.15*want {
			t.Errorf("pixel %d, %d is %v, want %v", i%w, i/w, got, want)
		}
		if sum := p.Layers[0].Now[1][i] + p.Layers[1].Now[1][i]; math.Abs(float64(sum-p.Light[1][i])) > 1e-5*want {
			t.Errorf("pixel %d: layers add up to %v, not %v", i, sum, p.Light[1][i])
		}
	}
}
