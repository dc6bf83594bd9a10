package sky

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
)

// A number falls into an entry as often as the entry weighs, never into one of no
// weight.
func TestEntriesAreChosenByWeight(t *testing.T) {
	weights := []float64{0, 0.3, 0, 0.5, 0.2, 0}
	cdf := make([]float64, len(weights))
	sum := 0.0
	for i, w := range weights {
		sum += w
		cdf[i] = sum
	}
	count := make([]float64, len(weights))
	const n = 10_000
	for k := range n {
		i, within := pickCDF(cdf, (float64(k)+0.5)/n)
		if within < 0 || within > 1 {
			t.Fatalf("%v within entry %d", within, i)
		}
		count[i]++
	}
	for i, w := range weights {
		if math.Abs(count[i]/n-w) > 2.0/n {
			t.Errorf("entry %d of weight %v comes %v times", i, w, count[i]/n)
		}
	}
	if i, _ := pickCDF(cdf, 0); weights[i] == 0 {
		t.Errorf("0 falls into entry %d, which weighs nothing", i)
	}
}

// An environment value v times strength is v cd/m²; u = 0.5 is -Z, u grows
// towards +X, v = 0 is +Y; a turn is counter-clockwise seen from above.
func TestEnvironmentDirectionsAndStrength(t *testing.T) {
	const w, h = 64, 32
	pix := make([]float32, 3*w*h)
	set := func(x, y int, v float32) { pix[3*(y*w+x)] = v }
	for y := 0; y < h; y++ {
		for x := 0; x < w; x++ {
			set(x, y, float32(x))
		}
	}
	e := New(pix, w, h, 10, 0)
	within(t, "towards -Z", e.At(geom.V{Z: -1}).X, 10*31.5, 1e-6)
	within(t, "towards +X", e.At(geom.V{X: 1}).X, 10*47.5, 1e-6)
	turned := New(pix, w, h, 10, math.Pi/2)
	within(t, "a quarter turn brings what was at +X to -Z", turned.At(geom.V{Z: -1}).X, 10*47.5, 1e-6)
}

// Directions are chosen with the density that pdf says: the integral of
// 1 over directions, by samples, is 4π.
func TestEnvironmentSamplingAgreesWithItsDensity(t *testing.T) {
	const w, h = 32, 16
	pix := make([]float32, 3*w*h)
	r := rand.New(rand.NewPCG(2, 3))
	for i := range pix {
		pix[i] = float32(math.Pow(r.Float64(), 4))
	}
	e := New(pix, w, h, 1, 0.7)
	e.Constant = geom.V{X: 0.01, Y: 0.01, Z: 0.01}
	sum := 0.0
	const n = 200_000
	for range n {
		if _, p := e.Sample(r.Float64(), r.Float64()); p > 0 {
			sum += 1 / p
		}
	}
	within(t, "sphere", sum/n, 4*math.Pi, 0.02)
}

func within(t *testing.T, what string, got, want, share float64) {
	t.Helper()
	if !(math.Abs(got-want) <= share*math.Abs(want)) {
		t.Errorf("%s: %v, want %v within %v%%", what, got, want, share*100)
	}
}
