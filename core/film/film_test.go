package film

import (
	"bytes"
	"errors"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"visator/core/geom"
)

// noisy is a film with so many samples of what a pixel of 1 cd/m² gives that is noisy on the right, by a seed.
func noisy(w, h, samples int, seed uint64) *Film {
	f := New([2]int{w, h}, [4]int{0, 0, w, h}, Extra{Kinds: 1, Held: true, Unhidden: true})
	expose(f, samples, seed)
	return f
}

func expose(f *Film, samples int, seed uint64) {
	for i := range f.Width * f.Height {
		for k := f.Count(i); k < f.Want(i, samples); k++ {
			r := rand.New(rand.NewPCG(seed+uint64(i), uint64(k)))
			v := 1.0
			if i%f.Width >= f.Width/2 {
				v += 0.5 * (2*r.Float64() - 1)
			}
			c := geom.V{X: v, Y: v, Z: v}
			f.Add(i, c, &Seen{Depth: 2, Normal: geom.V{Z: 1}, Albedo: c, Object: uint32(1 + r.IntN(3))}, []geom.V{c.Mul(0.25)},
				[]geom.V{{}})
		}
	}
	f.Samples = samples
}

// Of a uniform value of half width 0.5 the standard deviation is 0.5/sqrt(3); its mean of n has that by the root of n,
// here as a share of 1.1: the luminance of 1 and a tenth of the picture's mean.
func TestNoiseIsTheStandardErrorOfWhatIsSeen(t *testing.T) {
	for _, n := range []int{4, 16, 64} {
		f := noisy(64, 64, n, 1)
		want := 0.5 / math.Sqrt(3) / math.Sqrt(float64(n)) / 1.1 / 2 // half the picture has none
		if got := f.Noise(); math.Abs(got/want-1) > 0.05 {
			t.Errorf("%d samples: %v, want %v", n, got, want)
		}
	}
	if n := New([2]int{3, 3}, [4]int{0, 0, 3, 3}, Extra{}).Noise(); n == n {
		t.Errorf("a film without samples has noise of %v", n)
	}
}

// What is clean gets less, what is noisy more, as many on the average; and the means stay fair: over many pictures
// they are what was put in.
func TestSamplesGoWhereTheNoiseIs(t *testing.T) {
	f := noisy(64, 32, Pilot, 3)
	f.Plan()
	expose(f, 128, 3)
	sum, left, right := 0, 0, 0
	for i := range f.Width * f.Height {
		n := f.Count(i)
		sum += n
		switch x := i % f.Width; {
		case x < 20:
			left += n
		case x >= 44:
			right += n
		}
	}
	if mean := float64(sum) / 64 / 32; math.Abs(mean-128) > 2 {
		t.Errorf("%v samples on the average, asked for 128", mean)
	}
	if !(right > 4*left) {
		t.Errorf("%d samples where it is clean, %d where it is noisy", left, right)
	}
	even := noisy(64, 32, 128, 3)
	if a, b := f.Noise(), even.Noise(); !(a < 0.85*b) {
		t.Errorf("noise of %v where all get as many, %v so", b, a)
	}
	mean, n := 0.0, 0
	for seed := range uint64(40) {
		g := noisy(32, 16, Pilot, 1000*seed)
		g.Plan()
		expose(g, 24, 1000*seed)
		g.Show(false)
		for i := range g.Width * g.Height {
			if i%g.Width >= g.Width/2 {
				mean += float64(g.Color[3*i])
				n++
			}
		}
	}
	// The standard error of this mean is 0.29/sqrt(10240*24), 0.0006.
	if mean /= float64(n); math.Abs(mean-1) > 0.003 {
		t.Errorf("the mean of many pictures is %v, not 1", mean)
	}
}

// A pixel's own samples have no say in how many it gets.
func TestAPixelDoesNotDecideForItself(t *testing.T) {
	a, b := noisy(40, 40, Pilot, 5), noisy(40, 40, Pilot, 5)
	const i = 20*40 + 30
	b.square[i] *= 50
	a.Plan()
	b.Plan()
	others := 0
	for k := range a.rates {
		if a.rates[k] != b.rates[k] {
			others++
		}
	}
	// Its own changes with the mean of all alone.
	ratio := a.rates[i] / b.rates[i]
	far := a.rates[20*40+39] / b.rates[20*40+39] // out of its window
	if others == 0 || math.Abs(float64(ratio/far-1)) > 1e-4 {
		t.Errorf("%d rates changed, its own by %v, one far off by %v", others, ratio, far)
	}
}

// What is laid aside goes on as if it had not been.
func TestAFilmGoesOn(t *testing.T) {
	whole := noisy(48, 20, Pilot, 9)
	whole.Plan()
	expose(whole, 64, 9)
	part := noisy(48, 20, Pilot, 9)
	part.Plan()
	expose(part, 40, 9)
	var file bytes.Buffer
	if err := part.Save(&file, "it"); err != nil {
		t.Fatal(err)
	}
	read := func(of string, most int) (*Film, error) {
		return Load(bytes.NewReader(file.Bytes()), int64(file.Len()), of, most)
	}
	f, err := read("it", 960)
	if err != nil {
		t.Fatal(err)
	}
	expose(f, 64, 9)
	f.Show(true)
	whole.Show(true)
	if !slices.Equal(f.Color, whole.Color) || !slices.Equal(f.Shares[0], whole.Shares[0]) ||
		!slices.Equal(f.counts, whole.counts) || !slices.Equal(f.held, whole.held) {
		t.Error("laid aside in between it is another picture")
	}
	if _, err := read("another", 960); !errors.Is(err, ErrOther) {
		t.Errorf("another picture: %v", err)
	}
	if _, err := read("it", 959); err == nil {
		t.Error("more pixels than there is room for are read")
	}
	for _, cut := range []int{0, 10, file.Len() / 2, file.Len() - 1} {
		if _, err := Load(bytes.NewReader(file.Bytes()[:cut]), int64(cut), "it", 960); err == nil {
			t.Errorf("cut after %d bytes it is read", cut)
		}
	}
}

func FuzzFilm(f *testing.F) {
	var file bytes.Buffer
	if err := noisy(4, 4, 2, 1).Save(&file, ""); err != nil {
		f.Fatal(err)
	}
	f.Add(file.Bytes())
	f.Fuzz(func(t *testing.T, data []byte) {
		if p, err := Load(bytes.NewReader(data), int64(len(data)), "", 1<<12); err == nil {
			p.Show(true)
			if n := p.Noise(); n < 0 {
				t.Errorf("noise of %v", n)
			}
		}
	})
}

// A pixel that only shines is as it was once noise is removed, and so is what shines beside light that is noisy.
func TestWhatShinesIsLeftAsItWas(t *testing.T) {
	const w, h = 40, 24
	f := New([2]int{w, h}, [4]int{0, 0, w, h}, Extra{Kinds: 2})
	r := rand.New(rand.NewPCG(7, 7))
	for i := range w * h {
		for range 8 {
			sn := Seen{Depth: 3, Normal: geom.V{Z: 1}, Albedo: geom.V{X: 0.5, Y: 0.5, Z: 0.5}}
			lit := geom.V{X: 1, Y: 1, Z: 1}.Mul(2 * r.Float64())
			shone := geom.V{}
			if i%w < w/2 {
				shone = geom.V{X: 1000.1, Y: 700.7, Z: 300.3}
				if i/w < h/2 {
					lit = geom.V{}
				}
			}
			sn.Shine = shone
			f.Add(i, lit.Add(shone), &sn, []geom.V{lit, shone}, []geom.V{{}, shone})
		}
	}
	f.Samples = 8
	f.Show(true)
	for i := range w * h {
		want := 1.0 // about
		if i%w < w/2 {
			want += 700.7
			if i/w < h/2 {
				want--
			}
		}
		if got := float64(f.Color[3*i+1]); math.Abs(got-want) > 0.6+1e-5*want {
			t.Fatalf("pixel %d, %d is %v, want about %v", i%w, i/w, got, want)
		}
		if sum := f.Shares[0][3*i+1] + f.Shares[1][3*i+1]; math.Abs(float64(sum-f.Color[3*i+1])) > 1e-4*(1+want) { // a rounding of 700
			t.Fatalf("pixel %d: shares add up to %v, not %v", i, sum, f.Color[3*i+1])
		}
	}
}
