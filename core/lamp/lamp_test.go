package lamp

import (
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"visator/core/geom"
)

// all are the lamps with a surface that the tests ask about: each of luminance 1000 cd/m² over the origin, h high.
func all(h float64) map[string]Lamp {
	down := geom.V{Y: -1}
	l := map[string]Lamp{
		"ball":      {At: geom.V{Y: h}, Shape: Ball, Radius: 0.4},
		"disc":      {At: geom.V{Y: h}, Shape: Disc, Radius: 0.7, Dir: down},
		"rectangle": {At: geom.V{Y: h}, Shape: Rectangle, Dir: down, U: geom.V{X: 1.2}, V: geom.V{Z: 0.5}},
		"tube":      {At: geom.V{Y: h}, Shape: Tube, Radius: 0.1, U: geom.V{X: 0.9}},
	}
	for name, x := range l {
		x.Candela, x.Seen = geom.V{X: 1, Y: 1, Z: 1}, true
		x.Candela = x.Candela.Mul(1000 / x.Luminance().Y)
		l[name] = x
	}
	return l
}

// What is sampled of a lamp is as likely as its density says: the mean of 1/pdf is the solid angle that the lamp
// fills, which rays sent all around find as well.
func TestLampsAreSampledByTheirDensity(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 9))
	lamps := all(2)
	for _, name := range slices.Sorted(maps.Keys(lamps)) { // always in the same order, from the same places
		l := lamps[name]
		for range 4 {
			p := geom.V{X: r.Float64()*2 - 1, Y: r.Float64() * 0.8, Z: r.Float64()*2 - 1}
			const n = 200_000
			bySample, byRay, beside := 0.0, 0, 0
			for i := range n {
				// A grid of points in place of chance: half the noise.
				u1, u2 := (float64(i)+0.5)/n, math.Mod(float64(i)*0.6180339887498949, 1)
				if got, ok := l.Sample(p, u1, u2); ok {
					bySample += 1 / got.PDF / n
					// On its very edge a ray may pass it by, by rounding.
					if at, met := l.Meet(p, got.Dir); !met {
						beside++
					} else if math.Abs(at-got.Dist) > 1e-3*at {
						t.Fatalf("%s: a sample %v far is met at %v", name, got.Dist, at)
					}
					if want := l.Density(p, got.Dir, got.Dist/(1-1e-5)); math.Abs(want-got.PDF) > 1e-3*want {
						t.Fatalf("%s: sampled with %v, its density is %v", name, got.PDF, want)
					}
				}
				z := 1 - 2*u1
				sin, cos := math.Sincos(2 * math.Pi * u2)
				w := math.Sqrt(1 - z*z)
				if _, met := l.Meet(p, geom.V{X: w * cos, Y: z, Z: w * sin}); met {
					byRay++
				}
			}
			if beside > n/10_000 {
				t.Errorf("%s: %d of %d samples lie beside it", name, beside, n)
			}
			solid := float64(byRay) / n * 4 * math.Pi
			if math.Abs(bySample-solid) > 0.02*solid {
				t.Errorf("%s: %v steradians by samples, %v by rays", name, bySample, solid)
			}
		}
	}
}

// Absurd lamps give no absurd light: a place within one, on its surface, in its plane.
func FuzzLamp(f *testing.F) {
	f.Add(0.0, 0.0, 0.0, 1.0, 1.0, 0.5, 0.5, byte(1))
	f.Fuzz(func(t *testing.T, x, y, z, a, b, u1, u2 float64, shape byte) {
		for _, v := range []float64{x, y, z, a, b, u1, u2} {
			if !(math.Abs(v) < 1e9) {
				t.Skip()
			}
		}
		a, b = math.Abs(a)+1e-3, math.Abs(b)+1e-3
		l := Lamp{At: geom.V{Y: 1}, Dir: geom.V{Y: -1}, Candela: geom.V{X: 1, Y: 1, Z: 1}, Shape: Shape(shape % 5),
			Radius: a, U: geom.V{X: b}, V: geom.V{Z: a}}
		_, u1 = math.Modf(math.Abs(u1))
		_, u2 = math.Modf(math.Abs(u2))
		got, ok := l.Sample(geom.V{X: x, Y: y, Z: z}, u1, u2)
		if ok && (!got.Dir.Finite() || !(got.PDF > 0) || !got.Le.Finite() || math.Abs(got.Dir.Len()-1) > 1e-6) {
			t.Errorf("%+v", got)
		}
	})
}
