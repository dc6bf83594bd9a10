package texture

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"visator/core/model"
)

// mottled is a picture of rusty spots on grey: its colours lie on no single line.
func mottled(n int) *image.NRGBA {
	r := rand.New(rand.NewPCG(1, 2))
	m := image.NewNRGBA(image.Rect(0, 0, n, n))
	for i := range m.Pix {
		m.Pix[i] = 255
	}
	for y := range n {
		for x := range n {
			g := uint8(90 + r.IntN(20))
			m.SetNRGBA(x, y, color.NRGBA{g, g, g, 255})
		}
	}
	for range 60 {
		cx, cy, rad := r.IntN(n), r.IntN(n), 2+r.IntN(n/12)
		for y := -rad; y <= rad; y++ {
			for x := -rad; x <= rad; x++ {
				if x*x+y*y <= rad*rad {
					m.SetNRGBA((cx+x+n)%n, (cy+y+n)%n, color.NRGBA{uint8(150 + r.IntN(40)), 80, uint8(30 + r.IntN(20)), 255})
				}
			}
		}
	}
	return m
}

// deviation is the standard deviation of numbers.
func deviation(list []float64) float64 {
	var sum, square float64
	for _, x := range list {
		sum, square = sum+x, square+x*x
	}
	n := float64(len(list))
	return math.Sqrt(square/n - sum/n*sum/n)
}

// What repeats no more has the values of the picture as often as the picture: so says the paper of its mixing. And one
// repeat further on it is not the same.
func TestABrokenPictureKeepsItsValues(t *testing.T) {
	plain := New(mottled(128), model.Slot{Scale: [2]float64{1, 1}}, true)
	broken := *plain
	broken.Break(7)
	r := rand.New(rand.NewPCG(3, 4))
	const n = 60000
	var of [2][3][]float64
	var same, with, mean [2]float64
	for range n {
		u, v := 40*r.Float64()-20, 40*r.Float64()-20
		for i, tx := range []*Texture{plain, &broken} {
			a, b, c, alpha := tx.At(u, v)
			for k, x := range []float32{a, b, c} {
				of[i][k] = append(of[i][k], float64(x))
			}
			if math.Abs(float64(alpha)-1) > 1e-5 {
				t.Fatalf("opacity %v", alpha)
			}
			x, _, _, _ := tx.At(u+1, v)
			same[i], with[i], mean[i] = same[i]+float64(a*a), with[i]+float64(a*x), mean[i]+float64(a)
		}
	}
	for k := range 3 {
		a, b := of[0][k], of[1][k]
		slices.Sort(a)
		slices.Sort(b)
		far := 0.0 // how far values of the same rank lie apart, on the mean (Wasserstein's distance)
		for i := range a {
			far += math.Abs(a[i]-b[i]) / n
		}
		wide := deviation(b) / deviation(a)
		t.Logf("channel %d: %.4f apart, varies by %.3f of before", k, far, wide)
		if far > 0.008 || math.Abs(wide-1) > 0.06 {
			t.Errorf("channel %d: values are %.4f apart, they vary by %.3f of before", k, far, wide)
		}
	}
	again := func(i int) float64 {
		m := mean[i] / n
		return (with[i]/n - m*m) / (same[i]/n - m*m)
	}
	if again(0) < 0.99 || math.Abs(again(1)) > 0.15 {
		t.Errorf("one repeat further on: %.3f alike before, %.3f after", again(0), again(1))
	}
}

// The weights of the hexagons are those of a triangle: from 0 to 1, together 1, and nothing jumps.
func TestHexagonsMeet(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 20000 {
		u, v := 100*r.NormFloat64(), 100*r.NormFloat64()
		ids, w := hexagons(u, v)
		next, w2 := hexagons(u+1e-7, v-1e-7)
		if math.Abs(w[0]+w[1]+w[2]-1) > 1e-9 || min(w[0], w[1], w[2]) < -1e-9 {
			t.Fatalf("%v", w)
		}
		for i, id := range ids {
			if k := slices.Index(next[:], id); k < 0 && w[i] > 1e-4 || k >= 0 && math.Abs(w2[k]-w[i]) > 1e-4 {
				t.Fatalf("at %v, %v: %v %v, then %v %v", u, v, ids, w, next, w2)
			}
		}
	}
	if _, w := hexagons(math.NaN(), 1e300); w != [3]float64{1} {
		t.Error("nowhere")
	}
	one := New(image.NewNRGBA(image.Rect(0, 0, 1, 1)), model.Slot{Scale: [2]float64{1, 1}}, false)
	one.Break(1)
	if r, g, b, a := one.At(3, 4); r != 0 || g != 0 || b != 0 || a != 0 {
		t.Error("a picture of one texel", r, g, b, a)
	}
}
